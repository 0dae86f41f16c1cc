//go:build wasip1

package main

import (
	"unsafe"

	"github.com/go-json-experiment/json"
)

// What a host writes to, and what it reads from. Both are held here, so that they stay where they are until the next call
// that changes them.
var buffer, answer []byte

// pointer is where bytes stand in the module's memory.
func pointer(b []byte) uint32 {
	return uint32(uintptr(unsafe.Pointer(unsafe.SliceData(b))))
}

// say puts a text where alluvion_answer finds it. It gives its length.
func say(text []byte) int32 {
	answer = text
	return int32(len(text))
}

// written are the first bytes of what the host has written.
func written(size uint32) []byte { return buffer[:min(int(size), len(buffer))] }

// alluvion_buffer gives a place for so many bytes, into which the host writes what the next call takes. 0 where that is too
// much: 16 MB are the most.
//
//go:wasmexport alluvion_buffer
func alluvion_buffer(size uint32) uint32 {
	if size > 1<<24 {
		return 0
	}
	if buffer = buffer[:cap(buffer)]; len(buffer) < max(int(size), 1) {
		buffer = make([]byte, max(int(size), 1))
	}
	return pointer(buffer)
}

// alluvion_answer is where the text or the bytes stand that the last call gave. They are to be copied before the next call.
//
//go:wasmexport alluvion_answer
func alluvion_answer() uint32 { return pointer(answer) }

// alluvion_size is how many bytes the last call gave.
//
//go:wasmexport alluvion_size
func alluvion_size() uint32 { return uint32(len(answer)) }

// alluvion_open opens a plan. In the buffer is a JSON object: plan (a text), commons (an object of texts; may be missing),
// saved (a text; may be missing) and seed (a number). It gives a handle; 0 where it cannot be opened, with why as the answer.
//
//go:wasmexport alluvion_open
func alluvion_open(size uint32) int64 {
	var in struct {
		Plan    string            `json:"plan"`
		Commons map[string]string `json:"commons"`
		Saved   string            `json:"saved"`
		Seed    uint32            `json:"seed"`
	}
	say(nil)
	if json.Unmarshal(written(size), &in) != nil {
		say([]byte("what is to be opened is no JSON object of plan, commons, saved and seed"))
		return 0
	}
	handle, why := openSession(in.Plan, in.Commons, in.Saved, in.Seed)
	if handle == 0 {
		say([]byte(why))
	}
	return handle
}

//go:wasmexport alluvion_close
func alluvion_close(handle int64) { closeSession(handle) }

// alluvion_connect begins a connection over the sub-protocol that is in the buffer: 1, or 0 with why as the answer.
//
//go:wasmexport alluvion_connect
func alluvion_connect(handle int64, size uint32) int32 {
	if why := of(handle).connect(string(written(size))); why != "" {
		say([]byte(why))
		return 0
	}
	return 1
}

//go:wasmexport alluvion_disconnect
func alluvion_disconnect(handle int64) {
	if s := of(handle); s != nil {
		s.Disconnect()
		s.out = nil
	}
}

// alluvion_received takes the machine's message that is in the buffer. Times are in milliseconds.
//
//go:wasmexport alluvion_received
func alluvion_received(handle int64, size uint32, now int64) {
	if s := of(handle); s != nil {
		s.Received(append([]byte(nil), written(size)...), now)
	}
}

//go:wasmexport alluvion_advance
func alluvion_advance(handle int64, now int64) {
	if s := of(handle); s != nil {
		s.Advance(now)
	}
}

// alluvion_today says how late it is by the calendar, in milliseconds since 1970 in UTC.
//
//go:wasmexport alluvion_today
func alluvion_today(handle int64, date int64) {
	if s := of(handle); s != nil {
		s.Today(date)
	}
}

// alluvion_next gives the next message for the machine as the answer: 1 for a text, 2 for bytes, 0 where there is none.
//
//go:wasmexport alluvion_next
func alluvion_next(handle int64) int32 {
	s := of(handle)
	if s == nil {
		return 0
	}
	m, is := s.next()
	if !is {
		return 0
	}
	say(m.Data)
	if m.Binary {
		return 2
	}
	return 1
}

//go:wasmexport alluvion_ended
func alluvion_ended(handle int64) int32 { return int32(of(handle).ended()) }

//go:wasmexport alluvion_unsaved
func alluvion_unsaved(handle int64) int32 {
	if s := of(handle); s != nil && s.Unsaved() {
		return 1
	}
	return 0
}

// alluvion_save gives what is to be kept as the answer, and the number of the machine's last request that is in it.
//
//go:wasmexport alluvion_save
func alluvion_save(handle int64) int64 {
	s := of(handle)
	if s == nil {
		return 0
	}
	raw, number := s.Save()
	say(raw)
	return int64(number)
}

//go:wasmexport alluvion_stored
func alluvion_stored(handle int64, number int64) {
	if s := of(handle); s != nil {
		s.Stored(uint64(number))
	}
}

//go:wasmexport alluvion_handed_over
func alluvion_handed_over(handle int64, slot, revision int32) {
	if s := of(handle); s != nil {
		s.HandedOver(int(slot), int(revision))
	}
}

// alluvion_layout gives what machines need for frames in bits, and alluvion_problems what in the save was not as the plan
// has it; both as JSON, as the answer. They give its size.
//
//go:wasmexport alluvion_layout
func alluvion_layout(handle int64) int32 {
	if s := of(handle); s != nil {
		return say(s.Layout())
	}
	return say(nil)
}

//go:wasmexport alluvion_problems
func alluvion_problems(handle int64) int32 {
	if s := of(handle); s != nil {
		return say([]byte(s.problems))
	}
	return say(nil)
}
