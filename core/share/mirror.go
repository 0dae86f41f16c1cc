package share

import (
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/fixed"
)

// Mirror is what a player's machine believes: what it was sent, put together. It is not safe for use by several
// goroutines.
type Mirror struct {
	layout *Layout // only packed frames need it
	seats  map[int]string
	names  map[string]map[place]string // addresses that were put together before, by player
	parts  [all]map[string]Seen
	near   bool        // views have the part near
	sums   [all]string // digests of the parts; "" where that has changed since
	Tick   int64
	Time   int64 // the session's at that tick, in milliseconds
}

// place is where a value stands.
type place struct{ holder, field, copy int }

// address is Layout.Address, put together once.
func (m *Mirror) address(holder, field, copy int, player string) string {
	if !m.layout.Holders[holder].Players {
		player = ""
	}
	mine := m.names[player]
	if mine == nil {
		mine = map[place]string{}
		m.names[player] = mine
	}
	key := place{holder, field, copy}
	name, ok := mine[key]
	if !ok {
		name = m.layout.Address(holder, field, copy, player)
		mine[key] = name
	}
	return name
}

// Seen is a value that a machine was sent: as JSON, or unpacked.
type Seen struct {
	raw  jsontext.Value
	item Item
}

// Heard is what a frame said besides values.
type Heard struct {
	Tick  int64
	Time  int64 // the session's, in milliseconds
	Done  uint64
	Check bool
	Told  jsontext.Value
	Moved []string // the addresses that were set
}

// ErrFrame says that a frame is not one.
var ErrFrame = errors.New("this is no frame")

// NewMirror believes nothing yet. Without a layout it reads JSON frames only.
func NewMirror(layout *Layout) *Mirror {
	m := &Mirror{layout: layout, seats: map[int]string{}, names: map[string]map[place]string{},
		near: layout != nil && layout.HasNear()}
	for i := range m.parts {
		m.parts[i] = map[string]Seen{}
	}
	return m
}

// WriteLayout writes a layout as JSON.
func WriteLayout(l *Layout) ([]byte, error) { return json.Marshal(l) }

// ReadLayout reads a layout from JSON.
func ReadLayout(raw []byte) (*Layout, error) {
	var l Layout
	if err := json.Unmarshal(raw, &l); err != nil {
		return nil, fmt.Errorf("share: %w", err)
	}
	if l.Format != 1 && l.Format != 2 {
		return nil, fmt.Errorf("share: the layout has format %d; this reads formats 1 and 2", l.Format)
	}
	for i := range l.Holders {
		for j := range l.Holders[i].Fields {
			f := &l.Holders[i].Fields[j]
			if f.Form == FormValue && f.Code == nil {
				return nil, fmt.Errorf("share: the layout does not say how %s is written", f.Name)
			}
		}
	}
	l.seal()
	return &l, nil
}

// textFrame is a JSON frame.
type textFrame struct {
	Is       string         `json:"is"`
	Tick     int64          `json:"tick"`
	Time     fixed.Num      `json:"time"`
	Done     uint64         `json:"done"`
	Check    bool           `json:"check"`
	Everyone *textPart      `json:"everyone"`
	Scene    *textPart      `json:"scene"`
	Self     *textPart      `json:"self"`
	Near     *textPart      `json:"near"`
	Told     jsontext.Value `json:"told"`
}

type textPart struct {
	Whole bool                      `json:"whole"`
	Gone  []string                  `json:"gone"`
	Set   map[string]jsontext.Value `json:"set"`
}

// ApplyText takes a JSON frame in. Where it gives an error, nothing is believed that was not before.
func (m *Mirror) ApplyText(raw []byte) (Heard, error) {
	var f textFrame
	if err := json.Unmarshal(raw, &f); err != nil || f.Is != "tick" {
		return Heard{}, ErrFrame
	}
	h := Heard{Tick: f.Tick, Done: f.Done, Check: f.Check, Told: f.Told}
	nano, _ := f.Time.Nano()
	h.Time = nano / 1_000_000
	for i, p := range []*textPart{f.Everyone, f.Scene, f.Self, f.Near} {
		if p == nil {
			continue
		}
		m.sums[i] = ""
		if p.Whole {
			clear(m.parts[i])
		}
		for _, address := range p.Gone {
			delete(m.parts[i], address)
		}
		for address, value := range p.Set {
			m.parts[i][address] = Seen{raw: value}
			h.Moved = append(h.Moved, address)
		}
	}
	slices.Sort(h.Moved)
	m.Tick, m.Time = h.Tick, h.Time
	return h, nil
}

// Head reads what stands before the values of a packed frame; false where it is none.
func Head(raw []byte) (Heard, bool) {
	h, _, ok := readHead(raw)
	return h, ok
}

func readHead(raw []byte) (h Heard, rest []byte, ok bool) {
	switch {
	case len(raw) > 2 && raw[0] == packedTick:
		rest = raw[2:]
	case len(raw) > 3 && raw[0] == packedNear:
		rest = raw[3:]
	default:
		return Heard{}, nil, false
	}
	var numbers [3]uint64
	for i := range numbers {
		n, size := binary.Uvarint(rest)
		if size <= 0 {
			return Heard{}, nil, false
		}
		numbers[i], rest = n, rest[size:]
	}
	return Heard{Tick: int64(numbers[0]), Time: int64(numbers[1]), Done: numbers[2], Check: raw[1]&(1<<6) != 0}, rest,
		true
}

// ApplyPacked takes a packed frame in. After an error the machine has to ask for the whole state.
func (m *Mirror) ApplyPacked(raw []byte) (Heard, error) {
	h, rest, ok := readHead(raw)
	if !ok || m.layout == nil || m.near != (raw[0] == packedNear) {
		return Heard{}, ErrFrame
	}
	head, near := raw[1], byte(partSame)
	if m.near {
		near = raw[2]
	}
	s := bitstream.NewSource(rest)
	for i := range m.parts {
		how := near
		if i != Near {
			how = head >> (2 * i) & 3
		}
		switch how {
		case partSame:
			continue
		case partWhole:
			clear(m.parts[i])
		}
		m.sums[i] = ""
		if i == Near {
			m.unpackNear(s, &h)
		} else {
			m.unpack(s, i, &h)
		}
		if s.Err() != nil {
			return Heard{}, fmt.Errorf("%w: %w", ErrFrame, s.Err())
		}
		s.Align()
	}
	if head&(1<<7) != 0 {
		h.Told = jsontext.Value(s.Rest())
	}
	m.Tick, m.Time = h.Tick, h.Time
	return h, nil
}

// unpackNear reads of whom nothing is known any more, and then what is new of each other.
func (m *Mirror) unpackNear(s *bitstream.Source, h *Heard) {
	seats := uint(m.layout.Seats)
	for n := s.Count(); n > 0 && s.Err() == nil; n-- {
		m.forgetNear(int(s.Read(seats)))
	}
	for n := s.Count(); n > 0 && s.Err() == nil; n-- {
		seat := int(s.Read(seats))
		if s.Flag() {
			m.forgetNear(seat)
		}
		m.unpackGroups(s, Near, func() int { return seat }, h)
	}
}

// forgetNear drops what is known of a player in the part near.
func (m *Mirror) forgetNear(seat int) {
	for _, address := range m.names[m.seats[seat]] {
		delete(m.parts[Near], address)
	}
}

func (m *Mirror) unpack(s *bitstream.Source, part int, h *Heard) {
	m.unpackGroups(s, part, func() int { return int(s.Read(uint(m.layout.Seats))) }, h)
}

// unpackGroups reads what is gone from a part, and what is set in it. seatOf says whose a key is that is of a player.
func (m *Mirror) unpackGroups(s *bitstream.Source, part int, seatOf func() int, h *Heard) {
	for n := s.Count(); n > 0 && s.Err() == nil; n-- {
		holder, at, seat := m.unpackKey(s, seatOf)
		if s.Err() != nil {
			return
		}
		if who, known := m.seats[seat]; part == Everyone && holder == 0 && known {
			m.forget(who)
			delete(m.seats, seat)
		}
		for _, f := range m.layout.fields[holder][fieldsOf(part)] {
			delete(m.parts[part], m.address(holder, f, at, m.seats[seat]))
		}
	}
	for n := s.Count(); n > 0 && s.Err() == nil; n-- {
		m.unpackGroup(s, part, seatOf, h)
	}
}

// fieldsOf is of which part the fields are that stand in a part: in near stand those of the scene.
func fieldsOf(part int) int {
	if part == Near {
		return Scene
	}
	return part
}

// forget drops all that was believed of a player.
func (m *Mirror) forget(player string) {
	m.sums = [all]string{}
	for _, address := range m.names[player] {
		for i := range m.parts {
			delete(m.parts[i], address)
		}
	}
	delete(m.names, player)
}

func (m *Mirror) unpackGroup(s *bitstream.Source, part int, seatOf func() int, h *Heard) {
	holder, at, seat := m.unpackKey(s, seatOf)
	if s.Err() != nil {
		return
	}
	l := m.layout
	fields := l.fields[holder][fieldsOf(part)]
	var set []int
	for _, f := range fields {
		if len(fields) == 1 || s.Flag() {
			set = append(set, f)
		}
	}
	for _, f := range set {
		field := &l.Holders[holder].Fields[f]
		item := l.read(s, field, func(seat int) string { return m.seats[seat] }, h.Time)
		if s.Err() != nil {
			return
		}
		if field.Form == FormID {
			m.seats[seat] = item.Value.Text
		}
		address := m.address(holder, f, at, m.seats[seat])
		m.parts[part][address] = Seen{item: item}
		h.Moved = append(h.Moved, address)
	}
}

func (m *Mirror) unpackKey(s *bitstream.Source, seatOf func() int) (holder, at, seat int) {
	l := m.layout
	holder = int(s.Read(uint(l.Kinds)))
	if holder >= len(l.Holders) {
		s.Fail(ErrFrame)
		return 0, 0, 0
	}
	x := &l.Holders[holder]
	at = int(s.Read(uint(x.CopyBits)))
	if at > 0 && at >= len(x.Copies) {
		s.Fail(ErrFrame)
		return 0, 0, 0
	}
	if x.Players {
		seat = seatOf()
	}
	return holder, at, seat
}

// JSON is the value under an address, and whether there is one.
func (m *Mirror) JSON(address string) (jsontext.Value, bool) {
	for i := range m.parts {
		if x, ok := m.parts[i][address]; ok {
			return m.text(x), true
		}
	}
	return nil, false
}

// Place is the place under an address, such as player.place@wren.
func (m *Mirror) Place(address string) (Point, bool) {
	for i := range m.parts {
		x, ok := m.parts[i][address]
		if !ok {
			continue
		}
		if x.raw == nil {
			return m.layout.point(x.item), true
		}
		var p Placed
		if json.Unmarshal(x.raw, &p) != nil {
			return Point{}, false
		}
		out := Point{Scene: p.Scene, At: p.At, Facing: p.Facing, Arrival: p.Arrival}
		if p.Time != nil {
			nano, _ := p.Time.Nano()
			out.Time = nano / 1_000_000
		}
		return out, true
	}
	return Point{}, false
}

func (l *Layout) point(x Item) Point {
	p := l.placed(x)
	return Point{p.Scene, p.At, p.Facing, x.Time, x.Arrival}
}

// Players lists those who are in the session, in no order.
func (m *Mirror) Players() []string {
	var out []string
	for address := range m.parts[Everyone] {
		if id, ok := strings.CutPrefix(address, "player.here@"); ok {
			out = append(out, id)
		}
	}
	return out
}

func (m *Mirror) text(x Seen) jsontext.Value {
	if x.raw != nil {
		return x.raw
	}
	return m.layout.JSON(x.item)
}

// partNames are the parts that the views have.
func (m *Mirror) partNames() []string {
	if m.near {
		return PartNames[:]
	}
	return PartNames[:parts]
}

// SetNear says that views have the part near: the layout says so by itself, and where there is none the sub-protocol.
func (m *Mirror) SetNear(has bool) { m.near = has }

// Values are all that is believed, by part and address.
func (m *Mirror) Values() map[string]map[string]jsontext.Value {
	out := map[string]map[string]jsontext.Value{}
	for i, name := range m.partNames() {
		out[name] = m.values(i)
	}
	return out
}

func (m *Mirror) values(part int) map[string]jsontext.Value {
	out := make(map[string]jsontext.Value, len(m.parts[part]))
	for address, x := range m.parts[part] {
		out[address] = m.text(x)
	}
	return out
}

// Believe makes the machine believe something that it was not sent: for trying out what is found out then.
func (m *Mirror) Believe(part int, address string, value jsontext.Value) {
	m.parts[part][address] = Seen{raw: value}
	m.sums[part] = ""
}

// Digest is the digest of what is believed (rule 26): SHA-256 over the digests of its parts, each SHA-256 over
// the part as canonical JSON (RFC 8785).
func (m *Mirror) Digest() string {
	sums := m.sums[:len(m.partNames())]
	for i := range sums {
		if sums[i] != "" {
			continue
		}
		raw, err := json.Marshal(m.values(i))
		if err != nil {
			return ""
		}
		sums[i] = sum(raw)
	}
	return digestOf(sums)
}
