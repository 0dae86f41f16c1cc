package machine

import (
	"fmt"
	"math"
	"slices"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
)

// What became of something that was asked for.
const (
	Applied = "applied" // it was done; it is on disk when Saved says so
	Refused = "refused" // it was not done, and nothing has changed
	Unknown = "unknown" // it may have been done or not: nobody knows any more
)

// Outcome is what came of something that was asked for.
type Outcome struct {
	Is     string // Applied, Refused, Unknown
	Number uint64 // of the request; 0 where it was not sent
	Repeat bool   // of Applied: it had been done before
	// Kind is that of a refusal: one of the wire's (docs/wire.md), "replaced" of a move that gave way to a newer one before it
	// was sent, "too-many" where 256 requests wait already, "ended" where the visit has.
	Kind   string
	Why    string
	Key    string // what Why is known by in the plan, for another language
	Rule   int    // that refused it, and in which line of the plan
	Line   int
	Member string // of a message that is not understood: which of its members
}

// Applied says whether it was done.
func (o Outcome) Applied() bool { return o.Is == Applied }

// Asked is something that was asked for.
type Asked struct {
	ask     wire.Ask
	move    bool
	scene   string // of a move: where the player was when they asked
	sent    bool
	outcome *Outcome
	then    []func(Outcome)
}

// Outcome is what came of it; false while it is not known.
func (a *Asked) Outcome() (Outcome, bool) {
	if a.outcome == nil {
		return Outcome{}, false
	}
	return *a.outcome, true
}

// Then calls back with what came of it, once that is known; at once if it is already.
func (a *Asked) Then(call func(Outcome)) *Asked {
	if a.outcome != nil {
		call(*a.outcome)
	} else {
		a.then = append(a.then, call)
	}
	return a
}

// Move says where the player is now, rounded to the step of the plan's space, and which way they face ("" as before). It panics
// if to has not one number for each axis.
func (m *Machine) Move(to []float64, facing string) *Asked {
	if len(to) != len(m.layout.Places.Axes) {
		panic(fmt.Sprintf("machine: a place has %d numbers", len(m.layout.Places.Axes)))
	}
	at := make([]fixed.Num, len(to))
	for i, x := range to {
		at[i] = m.stepped(x)
	}
	r := &Asked{move: true, scene: m.scene()}
	return m.request(wire.Ask{Is: "move", To: at, Facing: facing}, r)
}

// stepped is the multiple of the plan's step that is nearest to a coordinate.
func (m *Machine) stepped(x float64) fixed.Num {
	step := m.layout.Places.Step
	n := math.Round(x / step.Float())
	if math.IsNaN(n) || math.Abs(n) > mostNumber {
		panic("machine: a coordinate is no number that a place can have")
	}
	at, err := fixed.FromInt(int64(n)).Mul(step)
	if err != nil {
		panic("machine: " + err.Error())
	}
	return at
}

// Pass goes through a passage.
func (m *Machine) Pass(passage string) *Asked {
	return m.request(wire.Ask{Is: "pass", Name: passage}, nil)
}

// Touch touches a checkpoint.
func (m *Machine) Touch(checkpoint string) *Asked {
	return m.request(wire.Ask{Is: "touch", Name: checkpoint}, nil)
}

// Send sends one of the plan's events.
func (m *Machine) Send(event string, args map[string]types.Value) *Asked {
	return m.request(wire.Ask{Is: "event", Name: event, Args: args}, nil)
}

// Write gives a value to a variable that the player may write; args say of which scene, prop or option it is, where there is one
// of each.
func (m *Machine) Write(name string, value types.Value, args map[string]types.Value) *Asked {
	return m.request(wire.Ask{Is: "write", Name: name, Value: &value, Args: args}, nil)
}

// StartOver begins the game again, in the same slot.
func (m *Machine) StartOver() *Asked { return m.request(wire.Ask{Is: "start-over"}, nil) }

// Leave ends the visit.
func (m *Machine) Leave() *Asked { return m.request(wire.Ask{Is: "leave"}, nil) }

// Pending is how many requests wait for an answer.
func (m *Machine) Pending() int { return len(m.requests) }

// Saved calls back when everything up to a number is on disk: with true when it is, with false when that will never be known. It
// calls back at once where this is known already.
func (m *Machine) Saved(number uint64, call func(on bool)) {
	switch {
	case number <= m.disk:
		call(true)
	case m.state == Ended || len(m.waiting) >= mostPending:
		call(false)
	default:
		m.waiting = append(m.waiting, waiting{number, call})
	}
}

// request asks for something; r is the request where more is known of it.
func (m *Machine) request(ask wire.Ask, r *Asked) *Asked {
	if r == nil {
		r = &Asked{}
	}
	r.ask = ask
	switch {
	case m.state == Ended:
		r.outcome = &Outcome{Is: Refused, Kind: "ended", Why: m.end.Why}
		return r
	case len(m.requests) >= mostPending:
		r.outcome = &Outcome{Is: Refused, Kind: "too-many", Why: fmt.Sprintf("%d requests wait for an answer already.", mostPending)}
		return r
	}
	if here, ok := m.mirror.Place("player.place@" + m.joining.Player); ok {
		r.ask.Arrival = here.Arrival
	}
	if n := len(m.requests); n > 0 && r.move && m.requests[n-1].move && !m.requests[n-1].sent {
		m.replace(m.requests[n-1])
	}
	m.requests = append(m.requests, r)
	if m.state == In {
		m.post(r)
	}
	m.tell()
	return r
}

// replace takes a move out that was not sent yet and has a newer one behind it.
func (m *Machine) replace(r *Asked) {
	m.queue = slices.DeleteFunc(m.queue, func(q queued) bool { return q.ask == r })
	m.settle(r, Outcome{Is: Refused, Number: r.ask.Number, Kind: "replaced", Why: "A newer move took its place before it was sent."})
}

func (m *Machine) post(r *Asked) {
	if r.ask.Number == 0 {
		m.number++
		r.ask.Number = m.number
	}
	m.queue = append(m.queue, queued{ask: r})
}

// written is a request as it is sent: moves in bits, where these have room for them. Of the others the service says what is
// wrong with them.
func (m *Machine) written(r *Asked) Out {
	if r.move && !m.joining.Text {
		if scene := m.layout.SceneIndex(r.scene); scene >= 0 && m.layout.HasRoom(scene, r.ask.To, r.ask.Facing) {
			return Out{wire.PackMove(m.layout, r.ask.Number, r.ask.Arrival, scene, r.ask.To, r.ask.Facing), true}
		}
	}
	raw, err := json.Marshal(r.ask)
	if err != nil {
		panic(err) // plain data
	}
	return Out{Data: raw}
}

// answered settles the request that an answer is to.
func (m *Machine) answered(o Outcome) {
	for _, r := range m.requests {
		if o.Number > 0 && r.ask.Number == o.Number {
			m.settle(r, o)
			return
		}
	}
}

func (m *Machine) settle(r *Asked, o Outcome) {
	m.requests = slices.DeleteFunc(m.requests, func(x *Asked) bool { return x == r })
	r.outcome = &o
	for _, call := range r.then {
		m.calls = append(m.calls, func() { call(o) })
	}
	r.then = nil
}

// onDisk says that everything up to a number is on disk.
func (m *Machine) onDisk(number uint64) {
	m.disk = max(m.disk, number)
	m.waiting = slices.DeleteFunc(m.waiting, func(w waiting) bool {
		if w.number > m.disk {
			return false
		}
		m.calls = append(m.calls, func() { w.call(true) })
		return true
	})
}

// neverOnDisk answers those who wait for something of which it will never be known.
func (m *Machine) neverOnDisk() {
	for _, w := range m.waiting {
		m.calls = append(m.calls, func() { w.call(false) })
	}
	m.waiting = nil
}

// startOf is the value that a field has where a view does not have it.
func startOf(f *share.Field) []byte {
	raw, err := f.Start.MarshalJSON()
	if err != nil {
		panic(err) // plain data
	}
	return raw
}
