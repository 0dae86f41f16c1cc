package share

import (
	"errors"
	"slices"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// Item is what stands under one address of a view. Items are compared with ==.
type Item struct {
	Form    Form
	Value   types.Value // of a value; what a stopwatch reads, or since when it runs; who holds a movable
	Set     bool        // of a spot: there is a place; of a movable: nobody holds it; of a watch: it runs
	Scene   int
	At      [model.MaxAxes]fixed.Num
	Facing  string
	Time    int64 // since when the player is at the place, in the session's milliseconds
	Arrival int   // how often in this visit the player was put somewhere
}

// Placed is a place as JSON frames write it.
type Placed struct {
	Scene   string      `json:"scene"`
	At      []fixed.Num `json:"at"`
	Facing  string      `json:"facing,omitempty"`
	Time    *fixed.Num  `json:"time,omitempty"`
	Arrival int         `json:"arrival,omitzero"`
}

// JSON writes an item as frames and digests have it.
func (l *Layout) JSON(x Item) []byte {
	var doc any
	switch {
	case x.Form == FormID:
		return []byte("true")
	case x.Form == FormWatch && x.Set:
		doc = map[string]types.Value{"since": x.Value}
	case x.Form == FormPlace:
		p, time := l.placed(x), fixed.FromNano(x.Time*1_000_000)
		p.Time, p.Arrival = &time, x.Arrival
		doc = p
	case x.Form == FormSpot && !x.Set:
		return []byte("null")
	case x.Form == FormSpot, x.Form == FormThing && x.Set:
		doc = l.placed(x)
	case x.Form == FormThing:
		doc = map[string]types.Value{"holder": x.Value}
	default:
		doc = x.Value
	}
	raw, err := json.Marshal(doc)
	if err != nil {
		panic(err) // plain data
	}
	return raw
}

func (l *Layout) placed(x Item) Placed {
	return Placed{Scene: l.Places.Scenes[x.Scene].ID, At: append([]fixed.Num{}, x.At[:len(l.Places.Axes)]...),
		Facing: x.Facing}
}

var errPlace = errors.New("a place lies outside its scene")

// write packs an item. seats says which seat a player has; now is the frame's time.
func (l *Layout) write(b *bitstream.Bits, f *Field, x Item, seat func(string) int, now int64) {
	switch x.Form {
	case FormID:
		b.Count(uint64(len(x.Value.Text)))
		b.Bytes([]byte(x.Value.Text))
	case FormPlace:
		l.writePlace(b, x)
		age := now - x.Time
		recent := 0 <= age && age < 1024
		b.Flag(recent)
		if recent {
			b.Write(uint64(age), 10)
		} else {
			b.Count(uint64(x.Time))
		}
		b.Count(uint64(x.Arrival))
	case FormSpot:
		b.Flag(x.Set)
		if x.Set {
			l.writePlace(b, x)
		}
	case FormThing:
		b.Flag(x.Set)
		if x.Set {
			l.writePlace(b, x)
		} else {
			b.Write(uint64(seat(x.Value.Text)), uint(l.Seats))
		}
	case FormWatch:
		b.Flag(x.Set)
		ms, _ := x.Value.Num.Nano()
		ms /= 1_000_000
		b.Flag(ms < 0)
		b.Count(uint64(max(ms, -ms)))
	default:
		_ = f.Code.Write(b, x.Value) // it is of the domain: the engine holds no other
	}
}

func (l *Layout) writePlace(b *bitstream.Bits, x Item) {
	b.Write(uint64(x.Scene), uint(l.Places.SceneBits))
	e := &l.Places.Scenes[x.Scene]
	for i := range e.Bits {
		b.Write(stepsAbove(x.At[i], e.Low[i], l.Places.Step), uint(e.Bits[i]))
	}
	facing := 0
	for i, id := range l.Places.Facings {
		if id == x.Facing {
			facing = i + 1
		}
	}
	b.Write(uint64(facing), uint(l.Places.FacingBits))
}

// stepsAbove is how many steps a coordinate is above the least.
func stepsAbove(n, low, step fixed.Num) uint64 {
	above, err := n.Sub(low)
	if err != nil {
		return 0
	}
	a, ok1 := above.Nano()
	s, ok2 := step.Nano()
	if ok1 && ok2 {
		return uint64(a / s)
	}
	steps, _ := above.Div(step)
	whole, _ := steps.Int()
	return uint64(whole)
}

// read unpacks an item.
func (l *Layout) read(s *bitstream.Source, f *Field, ids func(int) string, now int64) Item {
	x := Item{Form: f.Form}
	switch f.Form {
	case FormID:
		x.Value = types.OfText(s.Text(int(min(s.Count(), 1<<12))))
	case FormPlace:
		l.readPlace(s, &x)
		if s.Flag() {
			x.Time = now - int64(s.Read(10))
		} else {
			x.Time = int64(s.Count())
		}
		x.Arrival = int(s.Count())
	case FormSpot:
		if x.Set = s.Flag(); x.Set {
			l.readPlace(s, &x)
		}
	case FormThing:
		if x.Set = s.Flag(); x.Set {
			l.readPlace(s, &x)
		} else {
			x.Value = types.OfText(ids(int(s.Read(uint(l.Seats)))))
		}
	case FormWatch:
		x.Set = s.Flag()
		below := s.Flag()
		ms := int64(s.Count())
		if below {
			ms = -ms
		}
		x.Value = types.OfNum(fixed.FromNano(ms * 1_000_000))
	default:
		x.Value = f.Code.Read(s)
	}
	return x
}

func (l *Layout) readPlace(s *bitstream.Source, x *Item) {
	x.Scene = int(s.Read(uint(l.Places.SceneBits)))
	if x.Scene >= len(l.Places.Scenes) {
		s.Fail(errPlace)
		x.Scene = 0
		return
	}
	e := &l.Places.Scenes[x.Scene]
	for i := range e.Bits {
		above, err := fixed.FromInt(int64(s.Read(uint(e.Bits[i])))).Mul(l.Places.Step)
		if err == nil {
			above, err = e.Low[i].Add(above)
		}
		if err != nil {
			s.Fail(errPlace)
		}
		x.At[i] = above
	}
	if facing := int(s.Read(uint(l.Places.FacingBits))); facing > len(l.Places.Facings) {
		s.Fail(errPlace)
	} else if facing > 0 {
		x.Facing = l.Places.Facings[facing-1]
	}
}

// reading reads a field of its holder out of a session.
type reading func(r *engine.Run, f *Field, p *engine.Player, at int) Item

func readVar(r *engine.Run, f *Field, p *engine.Player, at int) Item {
	value, runs := r.ValueOf(f.v, p, at)
	return Item{Form: f.Form, Value: value, Set: runs}
}

func readHere(_ *engine.Run, f *Field, p *engine.Player, _ int) Item {
	return Item{Form: f.Form, Value: types.OfText(p.ID())}
}

func readPlace(_ *engine.Run, f *Field, p *engine.Player, _ int) Item {
	at, since, arrival := p.Where()
	return Item{Form: f.Form, Scene: at.Scene, At: at.At, Facing: at.Facing, Time: since, Arrival: arrival}
}

func readDead(_ *engine.Run, f *Field, p *engine.Player, _ int) Item {
	return Item{Form: f.Form, Value: types.OfBool(p.Dead())}
}

func readSlot(_ *engine.Run, f *Field, p *engine.Player, _ int) Item {
	return Item{Form: f.Form, Value: types.OfInt(p.Slot())}
}

func readVisits(_ *engine.Run, f *Field, p *engine.Player, _ int) Item {
	return Item{Form: f.Form, Value: types.OfInt(p.Visits())}
}

func readCheckpoint(r *engine.Run, f *Field, p *engine.Player, _ int) Item {
	x := Item{Form: f.Form}
	if i := p.Reached(); i >= 0 {
		x.Value = types.OfText(r.Model().Checkpoints[i].ID)
	}
	return x
}

func readMilestones(r *engine.Run, f *Field, p *engine.Player, _ int) Item {
	var items []types.Value
	for i, has := range p.Earned() {
		if has {
			items = append(items, types.OfText(r.Model().Milestones[i].ID))
		}
	}
	return Item{Form: f.Form, Value: types.OfItems(items)}
}

func readMark(index int) reading {
	return func(_ *engine.Run, f *Field, p *engine.Player, _ int) Item {
		x := Item{Form: f.Form}
		if at, ok := p.Mark(index); ok {
			x.Set, x.Scene, x.At, x.Facing = true, at.Scene, at.At, at.Facing
		}
		return x
	}
}

func readThing(r *engine.Run, f *Field, _ *engine.Player, at int) Item {
	x := Item{Form: f.Form}
	holder, place := r.Thing(at)
	if holder != nil {
		x.Value = types.OfText(holder.ID())
		return x
	}
	x.Set, x.Scene, x.At = true, place.Scene, place.At
	return x
}

// PackPlace writes a place in bits at the end of into.
func (l *Layout) PackPlace(into []byte, scene int, at []fixed.Num, facing string) []byte {
	var b bitstream.Bits
	l.WritePlace(&b, scene, at, facing)
	return append(into, b.Raw()...)
}

// WritePlace writes a place behind other bits.
func (l *Layout) WritePlace(b *bitstream.Bits, scene int, at []fixed.Num, facing string) {
	x := Item{Scene: scene, Facing: facing}
	copy(x.At[:], at)
	l.writePlace(b, x)
}

// HasRoom says whether PackPlace can write a place. Each coordinate has to be a whole number of steps that fits the scene's
// bits, and the layout has to have the facing.
func (l *Layout) HasRoom(scene int, at []fixed.Num, facing string) bool {
	e := &l.Places.Scenes[scene]
	for i := range e.Bits {
		above, err := at[i].Sub(e.Low[i])
		if err != nil || above.Sign() < 0 || !above.MultipleOf(l.Places.Step) || stepsAbove(at[i], e.Low[i], l.Places.Step)>>e.Bits[i] != 0 {
			return false
		}
	}
	return facing == "" || slices.Contains(l.Places.Facings, facing)
}

// UnpackPlace reads what PackPlace wrote.
func (l *Layout) UnpackPlace(raw []byte) (scene int, at []fixed.Num, facing string, err error) {
	s := bitstream.NewSource(raw)
	var x Item
	l.readPlace(s, &x)
	return x.Scene, append([]fixed.Num{}, x.At[:len(l.Places.Axes)]...), x.Facing, s.Err()
}

// SceneIndex is which scene of the layout an id is; -1 where it is none.
func (l *Layout) SceneIndex(id string) int {
	return slices.IndexFunc(l.Places.Scenes, func(e Extent) bool { return e.ID == id })
}
