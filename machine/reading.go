package machine

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
)

// Value is a value that the machine was told, as JSON; the zero Value stands for one that is not known.
type Value struct {
	Raw   jsontext.Value
	Known bool
}

// Into reads the value; false if it is not known, none, or of another type.
func (v Value) Into(is any) bool {
	return v.Known && string(v.Raw) != "null" && json.Unmarshal(v.Raw, is) == nil
}

// Of says whose a value is.
type Of struct {
	Player string // of a value that players have
	Copy   string // of one that there is for each scene, prop, movable or option: which
}

// Place is where something is: coordinates in the plan's unit. Of what somebody carries there is only the holder.
type Place struct {
	Holder  string
	Scene   string
	At      []float64
	Facing  string
	Time    time.Duration // of where a player is: when in the session they got there
	Arrival int           // of where a player is: how often in this visit they were put somewhere
}

// UnmarshalJSON reads a place as the wire has it.
func (p *Place) UnmarshalJSON(raw []byte) error {
	var x struct {
		Holder  string      `json:"holder"`
		Scene   string      `json:"scene"`
		At      []fixed.Num `json:"at"`
		Facing  string      `json:"facing"`
		Time    float64     `json:"time"`
		Arrival int         `json:"arrival"`
	}
	if err := json.Unmarshal(raw, &x); err != nil {
		return err
	}
	*p = placeOf(share.Point{Scene: x.Scene, At: x.At, Facing: x.Facing, Time: int64(math.Round(x.Time * 1000)), Arrival: x.Arrival})
	p.Holder = x.Holder
	return nil
}

func placeOf(at share.Point) Place {
	p := Place{Scene: at.Scene, Facing: at.Facing, Time: time.Duration(at.Time) * time.Millisecond, Arrival: at.Arrival}
	for _, x := range at.At {
		p.At = append(p.At, x.Float())
	}
	return p
}

// Watch is a stopwatch: what it reads, or since when in the session it runs.
type Watch struct {
	Reads time.Duration
	Runs  bool
	Since time.Duration
}

// UnmarshalJSON reads a number of seconds, or {"since": second}.
func (w *Watch) UnmarshalJSON(raw []byte) error {
	*w = Watch{}
	var seconds float64
	if json.Unmarshal(raw, &seconds) == nil {
		w.Reads = time.Duration(seconds * float64(time.Second))
		return nil
	}
	var running struct {
		Since *float64 `json:"since"`
	}
	if err := json.Unmarshal(raw, &running); err != nil || running.Since == nil {
		return errors.New("this is no stopwatch")
	}
	w.Runs, w.Since = true, time.Duration(*running.Since*float64(time.Second))
	return nil
}

// Get reads what is known by a name of the plan, such as player.warmth: of a copy where there are several, of a player where they
// have it. It is false for none, and for what the machine is not told; what nothing ever changed has its start value.
func Get[T any](m *Machine, name, copy, player string) (is T, ok bool) {
	if !m.Value(name, copy, player).Into(&is) {
		var none T
		return none, false
	}
	return is, true
}

// Value is what Get reads, as the machine was told it.
func (m *Machine) Value(name, copy, player string) Value {
	raw, known := m.raw(name, copy, player)
	return Value{raw, known}
}

func (m *Machine) raw(name, copy, player string) (jsontext.Value, bool) {
	h, f, ok := m.layout.Named(name)
	if !ok {
		return nil, false
	}
	if !h.Players {
		player = ""
	}
	if raw, ok := m.mirror.JSON(share.Joined(name, copy, player)); ok {
		return raw, true
	}
	if m.sees(h, f, copy, player, m.scene()) {
		return startOf(f), true
	}
	return nil, false
}

// scene is where the machine's player is; "" where that is not known.
func (m *Machine) scene() string {
	at, _ := m.mirror.Place("player.place@" + m.joining.Player)
	return at.Scene
}

// sees says whether this machine is sent what changes in a copy, while its player is in the scene here.
func (m *Machine) sees(h *share.Holder, f *share.Field, copy, player, here string) bool {
	if copy == "" || here == "" || !slices.Contains(h.Copies, copy) {
		return false
	}
	inScene := f.Part == share.PartNames[share.Scene]
	if h.Players {
		if !m.Has(player) {
			return false
		}
		_, around := m.mirror.Place("player.place@" + player)
		return f.Part == share.PartNames[share.Everyone] || player == m.joining.Player || inScene && around
	}
	if !inScene {
		return true
	}
	switch parts := strings.Split(f.Name, "."); parts[0] {
	case "prop":
		return here == m.plan.Props[parts[1]][copy]
	case "scene":
		return here == copy
	}
	return true
}

// Has says whether somebody is in the session, as far as the machine was told.
func (m *Machine) Has(player string) bool {
	_, ok := m.mirror.JSON("player.here@" + player)
	return ok
}

// Others are the ids of those who are in the session, in their order, the machine's own player among them.
func (m *Machine) Others() []string {
	out := m.mirror.Players()
	slices.Sort(out)
	return out
}

// Scene is the scene that the machine's player is in; "" while that is not known.
func (m *Machine) Scene() string { return m.scene() }

// Tick is the newest frame's.
func (m *Machine) Tick() int64 { return m.mirror.Tick }

// Time is the session's, at the newest frame.
func (m *Machine) Time() time.Duration { return time.Duration(m.mirror.Time) * time.Millisecond }

// Now is the session's time, now: it runs on between frames, and never goes back while the machine goes on where it was.
func (m *Machine) Now(local time.Duration) time.Duration {
	if !m.timed {
		return m.Time()
	}
	wanted := local + m.ahead
	if !m.shown || wanted-m.shownAt > time.Second {
		m.shown, m.shownNow, m.shownAt = true, local, wanted
		return m.shownAt
	}
	passed := max(0, local-m.shownNow)
	off := wanted - (m.shownAt + passed)
	m.shownNow = max(local, m.shownNow)
	m.shownAt += passed + max(-passed/10, min(passed/10, off))
	return m.shownAt
}

// PlaceAt is where to draw a player at a time of the session: between the places that they reached around it. Draw others at
// Now(local) minus two ticks.
func (m *Machine) PlaceAt(player string, at time.Duration) (Place, bool) {
	t := m.tracks[player]
	if t == nil {
		return Place{}, false
	}
	p, ok := t.At(at.Round(time.Millisecond).Milliseconds())
	return placeOf(p), ok
}

// View is everything that the machine believes, by part and address.
func (m *Machine) View() map[string]map[string]jsontext.Value { return m.mirror.Values() }

// Digest is the digest of that, as the service checks it.
func (m *Machine) Digest() string { return m.mirror.Digest() }

// On calls back when a value changes, whosever it is. The function that it gives ends this. It panics if machines are sent no
// such value.
func (m *Machine) On(name string, call func(is, was Value, of Of)) (end func()) {
	if _, _, ok := m.layout.Named(name); !ok {
		panic(fmt.Sprintf("machine: %s is no value of this plan that machines are sent", name))
	}
	if m.listeners[name] == nil {
		m.listeners[name] = map[int]func(Value, Value, Of){}
	}
	n := m.next()
	m.listeners[name][n] = call
	return func() { delete(m.listeners[name], n) }
}

// OnTold calls back with what the player is told, in order. The function that it gives ends this.
func (m *Machine) OnTold(call func(wire.Told)) (end func()) {
	n := m.next()
	m.toldTo[n] = call
	return func() { delete(m.toldTo, n) }
}

// OnTrouble calls back when something is not as it ought to be. The function that it gives ends this.
func (m *Machine) OnTrouble(call func(Trouble)) (end func()) {
	n := m.next()
	m.troubleTo[n] = call
	return func() { delete(m.troubleTo, n) }
}

// OnState calls back when the state changes. The function that it gives ends this.
func (m *Machine) OnState(call func(State)) (end func()) {
	n := m.next()
	m.stateTo[n] = call
	return func() { delete(m.stateTo, n) }
}

func (m *Machine) next() int {
	m.made++
	return m.made
}

// ValueOf is anything that JSON can say as a value of the plan; nil is none. It panics if it is nothing that a value can be.
func ValueOf(is any) types.Value {
	var out types.Value
	raw, err := json.Marshal(is)
	if err == nil {
		err = out.UnmarshalJSON(raw)
	}
	if err != nil {
		panic("machine: " + err.Error())
	}
	return out
}

// Args are the arguments of an event, those that are none left out.
func Args(given map[string]any) map[string]types.Value {
	out := map[string]types.Value{}
	for id, is := range given {
		if v := ValueOf(is); !v.IsNone() {
			out[id] = v
		}
	}
	return out
}
