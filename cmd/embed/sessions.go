//go:build !js

package main

import (
	"sync"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/model"
	"alluvion.dev/core/offline"
)

// open are the sessions by their handles. Handles are given once, and count up from 1.
var (
	mu   sync.Mutex
	open = map[int64]*held{}
	last int64
)

// held is a session, and what is still to be taken of it.
type held struct {
	*offline.Session
	out      []offline.Message
	problems string // what in the save was not as the plan has it, as JSON
}

// openSession opens a plan: its text, commons by their ids, and what was kept ("" for nothing). It gives a handle, or 0 and
// why.
func openSession(plan string, texts map[string]string, saved string, seed uint32) (handle int64, why string) {
	s, problems, err := offline.Open([]byte(plan), func(id string) ([]byte, error) {
		if raw, has := texts[id]; has {
			return []byte(raw), nil
		}
		return nil, model.Unknown(id)
	}, []byte(saved), seed)
	if err != nil {
		return 0, err.Error()
	}
	told, err := json.Marshal(problems, json.FormatNilSliceAsNull(false))
	if err != nil {
		panic(err) // plain data
	}
	mu.Lock()
	defer mu.Unlock()
	last++
	open[last] = &held{Session: s, problems: string(told)}
	return last, ""
}

func closeSession(handle int64) {
	mu.Lock()
	defer mu.Unlock()
	delete(open, handle)
}

// of is a session by its handle; nil where there is none.
func of(handle int64) *held {
	mu.Lock()
	defer mu.Unlock()
	return open[handle]
}

// connect begins a connection, or says why not.
func (s *held) connect(protocol string) (why string) {
	if s == nil {
		return "there is no such session"
	}
	if err := s.Connect(protocol); err != nil {
		return err.Error()
	}
	s.out = nil
	return ""
}

// next is the next message for the machine; false where there is none.
func (s *held) next() (offline.Message, bool) {
	if s.out = append(s.out, s.Outgoing()...); len(s.out) == 0 {
		return offline.Message{}, false
	}
	m := s.out[0]
	s.out = s.out[1:]
	return m, true
}

// ended is why the connection has ended, once everything was taken; 0 while it has not.
func (s *held) ended() int {
	if s == nil || len(s.out) > 0 {
		return 0
	}
	return s.Ended()
}

func main() {} // a library has none
