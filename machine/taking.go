package machine

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
)

// Trouble is what a game ought to know, and seldom needs to do anything about.
type Trouble struct {
	Is    Kind
	Why   string   // of Malformed and TurnedDown
	Kind  string   // of TurnedDown: the refusal's kind (docs/wire.md)
	Tick  int64    // of Differs
	Names []string // of PlanChanged: the variables that are gone, or of another type
}

// Kind is what kind of trouble there is.
type Kind string

// The kinds of trouble.
const (
	Malformed   Kind = "malformed"    // what came in is no message, or not of this layout; the whole view was asked for
	Differs     Kind = "differs"      // the service found that this machine believed something else, and sends it the whole view: please report it
	Missed      Kind = "missed"       // some of what the player was told while the connection was lost is not known any more
	RolledBack  Kind = "rolled-back"  // the session was opened anew: what was not saved may be gone
	TurnedDown  Kind = "refused"      // a message that has no number was refused
	PlanChanged Kind = "plan-changed" // the session's plan is not the one that this file was made from
)

// alone runs something that calls back at its end only.
func (m *Machine) alone(work func()) {
	if m.busy {
		panic("machine: Received, Lost, Advance and Learned may not be called from a callback")
	}
	m.busy = true
	work()
	m.busy = false
	m.tell()
}

// tell runs the callbacks that have come together.
func (m *Machine) tell() {
	if m.busy {
		return
	}
	m.busy = true
	defer func() { m.busy = false }()
	m.callAll()
}

// callAll runs the callbacks that wait, in order; also those behind one that panics.
func (m *Machine) callAll() {
	if len(m.calls) == 0 {
		return
	}
	call := m.calls[0]
	m.calls = m.calls[1:]
	defer m.callAll()
	call()
}

func (m *Machine) become(s State) {
	if m.state == s {
		return
	}
	m.state = s
	for _, call := range inOrder(m.stateTo) {
		m.calls = append(m.calls, func() { call(s) })
	}
}

func (m *Machine) trouble(t Trouble) {
	for _, call := range inOrder(m.troubleTo) {
		m.calls = append(m.calls, func() { call(t) })
	}
}

// inOrder are callbacks in the order in which they were given.
func inOrder[T any](calls map[int]T) []T {
	var out []T
	for _, n := range slices.Sorted(maps.Keys(calls)) {
		out = append(out, calls[n])
	}
	return out
}

// wantWhole asks for the whole view, at most once a second.
func (m *Machine) wantWhole(now time.Duration) {
	m.asksWhole = true
	if m.state != In || now-m.askedWhole < time.Second {
		return
	}
	m.askedWhole = now
	m.queue = append(m.queue, queued{text: `{"is":"whole"}`})
}

// takeText takes in a message in text.
func (m *Machine) takeText(raw []byte, now time.Duration) error {
	var is struct {
		Is *string `json:"is"`
	}
	if err := json.Unmarshal(raw, &is); err != nil || is.Is == nil {
		return errors.New("this is no message")
	}
	switch *is.Is {
	case "tick":
		return m.takeFrameOf(raw, now, (*share.Mirror).ReadText)
	case "welcome":
		return m.takeWelcome(raw)
	}
	var said wire.Said
	if err := json.Unmarshal(raw, &said); err != nil {
		return fmt.Errorf("this is no message: %w", err)
	}
	return m.takeSaid(said)
}

func (m *Machine) takeSaid(said wire.Said) error {
	switch said.Is {
	case "answer":
		m.answered(Outcome{Is: Applied, Number: said.Number, Repeat: said.Repeat})
	case "refused":
		m.takeRefusal(said)
	case "saved":
		m.onDisk(said.Number)
	case "differs":
		if said.Tick <= 0 {
			return errors.New("a difference has no tick")
		}
		m.say(wire.Ask{Is: "believed", Tick: said.Tick, Values: m.mirror.Values()})
		m.trouble(Trouble{Is: Differs, Tick: said.Tick})
	case "fetch":
		if said.Layout == "" {
			return errors.New("the service does not say where the layout is")
		}
		m.layoutAt, m.queue = said.Layout, m.queue[:0]
		m.become(Fetch)
	}
	return nil
}

func (m *Machine) takeWelcome(raw []byte) error {
	var w wire.Welcome
	if err := json.Unmarshal(raw, &w); err != nil || w.Run == "" || w.Ticks <= 0 || w.Grace < 0 || w.Number > mostNumber {
		return errors.New("this is no welcome")
	}
	before := m.run
	m.run, m.session, m.ticks = w.Run, w.Session, w.Ticks
	m.grace = time.Duration(w.Grace * float64(time.Second))
	m.welcomed, m.number = w.Number, max(m.number, w.Number)
	m.tries, m.asksWhole = 0, false
	if w.Missed {
		m.trouble(Trouble{Is: Missed})
	}
	if !w.Resumed {
		m.wholeComes()
		if before != "" && before != w.Run {
			m.trouble(Trouble{Is: RolledBack})
			m.neverOnDisk()
		}
	}
	m.become(In)
	for _, r := range m.requests {
		m.post(r)
	}
	return nil
}

// wholeComes forgets what does not count any more when the whole view comes next. The session's time may have stood still
// meanwhile.
func (m *Machine) wholeComes() {
	m.mirror.Begin()
	clear(m.tracks)
	m.timed, m.shown = false, false
}

func (m *Machine) takeRefusal(said wire.Said) {
	kind := said.Kind
	if kind == "" {
		kind = "refused"
	}
	switch {
	case m.state == Enters:
		m.refusal = said.Why
	case said.Number == 0:
		m.trouble(Trouble{Is: TurnedDown, Kind: kind, Why: said.Why})
	case kind == "unknown" && !said.Repeat && said.Number <= m.welcomed:
		m.answered(Outcome{Is: Unknown, Number: said.Number, Why: said.Why})
	default:
		m.answered(Outcome{Is: Refused, Number: said.Number, Kind: kind, Why: said.Why, Key: said.Key, Rule: said.Rule,
			Line: said.Line, Member: said.Member})
	}
}

// takeFrame takes in a frame in bits.
func (m *Machine) takeFrame(raw []byte, now time.Duration) error {
	return m.takeFrameOf(raw, now, (*share.Mirror).ReadPacked)
}

func (m *Machine) takeFrameOf(raw []byte, now time.Duration, read func(*share.Mirror, []byte) (share.Heard, error)) error {
	h, err := read(m.mirror, raw)
	if err != nil {
		return err
	}
	var told []wire.Told
	if len(h.Told) > 0 {
		if err := json.Unmarshal(h.Told, &told); err != nil || slices.ContainsFunc(told, func(t wire.Told) bool { return t.Kind == "" }) {
			m.mirror.Drop()
			return errors.New("the notifications are not a list of objects")
		}
	}
	for _, t := range told {
		for _, call := range inOrder(m.toldTo) {
			m.calls = append(m.calls, func() { call(t) })
		}
	}
	for _, r := range slices.Clone(m.requests) {
		if n := r.ask.Number; r.move && n > 0 && n <= h.Done {
			m.settle(r, Outcome{Is: Applied, Number: n})
		}
	}
	if (m.asksWhole || m.mirror.Tick == 0) && !h.Whole { // it changes what this machine does not have
		m.mirror.Drop()
		if !m.asksWhole {
			m.wantWhole(now)
		}
		return nil
	}
	m.asksWhole = false
	here := m.scene()
	m.mirror.Take()
	m.walked(h)
	m.callBack(here)
	ahead := m.Time() - now
	if !m.timed || ahead > m.ahead {
		m.timed, m.ahead = true, ahead
	} else {
		m.ahead += (ahead - m.ahead) / 50
	}
	if h.Check {
		m.checks++
		m.say(wire.Ask{Is: "belief", Tick: h.Tick, Digest: m.mirror.Digest()})
	}
	return nil
}

// walked keeps where players were lately.
func (m *Machine) walked(h share.Heard) {
	for _, address := range h.Moved {
		player, ok := strings.CutPrefix(address, "player.place@")
		if !ok {
			continue
		}
		if p, ok := m.mirror.Place(address); ok {
			t := m.tracks[player]
			if t == nil {
				t = &share.Track{}
				m.tracks[player] = t
			}
			t.Add(p)
		}
	}
	if h.Fewer {
		for player := range m.tracks {
			if !m.Has(player) {
				delete(m.tracks, player)
			}
		}
	}
}

// had is what a value was before the frame that is taken in; nothing where it was not known.
type had struct {
	raw   jsontext.Value
	known bool
}

// noteBefore notes what a value is that may change, if somebody listens to it.
func (m *Machine) noteBefore(address string) {
	if len(m.listeners) == 0 {
		return
	}
	name, _, _ := share.Split(address)
	if m.listeners[name] == nil {
		return
	}
	if _, noted := m.before[address]; !noted {
		raw, known := m.mirror.JSON(address)
		m.before[address] = had{slices.Clone(raw), known}
	}
}

// callBack calls back about what is not as it was before this frame, when the player was in the scene here.
func (m *Machine) callBack(here string) {
	for _, address := range slices.Sorted(maps.Keys(m.before)) {
		was := m.before[address]
		name, copy, player := share.Split(address)
		h, f, ok := m.layout.Named(name)
		if !ok {
			continue
		}
		if !was.known && m.sees(h, f, copy, player, here) {
			was.raw, was.known = startOf(f), true
		}
		is, known := m.raw(name, copy, player)
		if known == was.known && string(is) == string(was.raw) {
			continue
		}
		of := Of{player, copy}
		before, after := Value{was.raw, was.known}, Value{is, known}
		for _, call := range inOrder(m.listeners[name]) {
			m.calls = append(m.calls, func() { call(after, before, of) })
		}
	}
	clear(m.before)
}
