//go:build js && wasm

package main

import (
	"syscall/js"

	"alluvion.dev/core/model"
	"alluvion.dev/core/offline"
)

// main gives the host a function, alluvionOpen(plan, commons, saved, seed): a text, a table of texts by their ids, what was kept
// (a text, or nothing), and a number. It gives a session, or what is wrong as error.
func main() {
	js.Global().Set("alluvionOpen", js.FuncOf(func(_ js.Value, args []js.Value) any {
		commons := func(id string) ([]byte, error) {
			if text := args[1].Get(id); text.Type() == js.TypeString {
				return []byte(text.String()), nil
			}
			return nil, model.Unknown(id)
		}
		var saved []byte
		if args[2].Type() == js.TypeString {
			saved = []byte(args[2].String())
		}
		s, problems, err := offline.Open([]byte(args[0].String()), commons, saved, uint32(args[3].Int()))
		if err != nil {
			return js.ValueOf(map[string]any{"error": err.Error()})
		}
		return js.ValueOf(session(s, problems))
	}))
	select {}
}

// session is what a host has of a session: functions, with times in milliseconds.
func session(s *offline.Session, problems []offline.Problem) map[string]any {
	function := func(do func(args []js.Value) any) js.Func {
		return js.FuncOf(func(_ js.Value, args []js.Value) any { return do(args) })
	}
	told := []any{}
	for _, p := range problems {
		told = append(told, map[string]any{"name": p.Name, "reason": p.Reason, "instead": p.Instead})
	}
	return map[string]any{
		"problems": told,
		"layout":   string(s.Layout()),
		"connect": function(func(args []js.Value) any {
			if err := s.Connect(args[0].String()); err != nil {
				return err.Error()
			}
			return nil
		}),
		"received": function(func(args []js.Value) any {
			var data []byte
			if args[0].Type() == js.TypeString {
				data = []byte(args[0].String())
			} else {
				data = make([]byte, args[0].Get("length").Int())
				js.CopyBytesToGo(data, args[0])
			}
			s.Received(data, int64(args[1].Float()))
			return nil
		}),
		"advance": function(func(args []js.Value) any {
			s.Advance(int64(args[0].Float()))
			return nil
		}),
		"outgoing": function(func([]js.Value) any {
			out := []any{}
			for _, m := range s.Outgoing() {
				if !m.Binary {
					out = append(out, string(m.Data))
					continue
				}
				bytes := js.Global().Get("Uint8Array").New(len(m.Data))
				js.CopyBytesToJS(bytes, m.Data)
				out = append(out, bytes)
			}
			return out
		}),
		"ended":      function(func([]js.Value) any { return s.Ended() }),
		"disconnect": function(func([]js.Value) any { s.Disconnect(); return nil }),
		"unsaved":    function(func([]js.Value) any { return s.Unsaved() }),
		"save": function(func([]js.Value) any {
			raw, number := s.Save()
			return map[string]any{"saved": string(raw), "number": float64(number)}
		}),
		"today":      function(func(args []js.Value) any { s.Today(int64(args[0].Float())); return nil }),
		"handedOver": function(func(args []js.Value) any { s.HandedOver(args[0].Int(), args[1].Int()); return nil }),
		"stored":     function(func(args []js.Value) any { s.Stored(uint64(args[0].Float())); return nil }),
	}
}
