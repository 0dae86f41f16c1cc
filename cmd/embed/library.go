//go:build !wasm

// Command embed is a session without a service, for games: as a C library (go build -buildmode=c-shared), and as WebAssembly for
// browsers and Node (GOOS=js GOARCH=wasm go build). See docs/offline.md.
package main

/*
#include <stdint.h>
#include <stdlib.h>
*/
import "C"

import (
	"unsafe"

	"github.com/go-json-experiment/json"
)

// text is a text of the host; "" for NULL.
func text(p *C.char) string {
	if p == nil {
		return ""
	}
	return C.GoString(p)
}

// give hands a text over, which the host frees with alluvion_free.
func give(into **C.char, text string) {
	if into != nil {
		*into = C.CString(text)
	}
}

//export alluvion_open
func alluvion_open(plan, commons, saved *C.char, seed C.uint32_t, wrong **C.char) C.int64_t {
	texts := map[string]string{}
	if commons != nil && json.Unmarshal([]byte(text(commons)), &texts) != nil {
		give(wrong, "the commons are no JSON object of texts")
		return 0
	}
	handle, why := openSession(text(plan), texts, text(saved), uint32(seed))
	if handle == 0 {
		give(wrong, why)
	}
	return C.int64_t(handle)
}

//export alluvion_close
func alluvion_close(handle C.int64_t) {
	closeSession(int64(handle))
}

//export alluvion_connect
func alluvion_connect(handle C.int64_t, protocol *C.char, wrong **C.char) C.int {
	if why := of(int64(handle)).connect(text(protocol)); why != "" {
		give(wrong, why)
		return 0
	}
	return 1
}

//export alluvion_received
func alluvion_received(handle C.int64_t, data *C.char, length C.size_t, now C.int64_t) {
	if s := of(int64(handle)); s != nil && length < 1<<24 {
		s.Received(C.GoBytes(unsafe.Pointer(data), C.int(length)), int64(now))
	}
}

//export alluvion_advance
func alluvion_advance(handle C.int64_t, now C.int64_t) {
	if s := of(int64(handle)); s != nil {
		s.Advance(int64(now))
	}
}

//export alluvion_today
func alluvion_today(handle C.int64_t, date C.int64_t) {
	if s := of(int64(handle)); s != nil {
		s.Today(int64(date))
	}
}

//export alluvion_next
func alluvion_next(handle C.int64_t, data **C.char, length *C.size_t, binary *C.int) C.int {
	s := of(int64(handle))
	if s == nil {
		return 0
	}
	m, is := s.next()
	if !is {
		return 0
	}
	*data, *length, *binary = (*C.char)(C.CBytes(append(m.Data, 0))), C.size_t(len(m.Data)), 0
	if m.Binary {
		*binary = 1
	}
	return 1
}

//export alluvion_ended
func alluvion_ended(handle C.int64_t) C.int {
	return C.int(of(int64(handle)).ended())
}

//export alluvion_disconnect
func alluvion_disconnect(handle C.int64_t) {
	if s := of(int64(handle)); s != nil {
		s.Disconnect()
		s.out = nil
	}
}

//export alluvion_unsaved
func alluvion_unsaved(handle C.int64_t) C.int {
	if s := of(int64(handle)); s != nil && s.Unsaved() {
		return 1
	}
	return 0
}

//export alluvion_save
func alluvion_save(handle C.int64_t, number *C.int64_t) *C.char {
	s := of(int64(handle))
	if s == nil {
		return nil
	}
	raw, n := s.Save()
	if number != nil {
		*number = C.int64_t(n)
	}
	return C.CString(string(raw))
}

//export alluvion_stored
func alluvion_stored(handle C.int64_t, number C.int64_t) {
	if s := of(int64(handle)); s != nil {
		s.Stored(uint64(number))
	}
}

//export alluvion_handed_over
func alluvion_handed_over(handle C.int64_t, slot, revision C.int) {
	if s := of(int64(handle)); s != nil {
		s.HandedOver(int(slot), int(revision))
	}
}

//export alluvion_layout
func alluvion_layout(handle C.int64_t) *C.char {
	if s := of(int64(handle)); s != nil {
		return C.CString(string(s.Layout()))
	}
	return nil
}

//export alluvion_problems
func alluvion_problems(handle C.int64_t) *C.char {
	if s := of(int64(handle)); s != nil {
		return C.CString(s.problems)
	}
	return nil
}

//export alluvion_free
func alluvion_free(p unsafe.Pointer) { C.free(p) }
