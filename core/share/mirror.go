package share

import (
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
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

	// Before is told each address before what is believed of it may change; nil if nobody asks.
	Before func(address string)

	read    Heard          // the frame that was read and not taken yet
	changes []change       // what it changes
	seated  map[int]string // the seats that it gives away; "" of those that become free
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
	Whole bool     // it has all of what everyone sees, of the scene, and of the player
	Fewer bool     // somebody may have left the session
}

// change is one thing that a frame does to what is believed. All of a frame is read before any of it is done, so that a
// frame that is none changes nothing.
type change struct {
	how     deed
	part    int
	address string           // of sets and drops
	seen    Seen             // of sets
	player  string           // of forgets and looks away
	names   map[place]string // of forgets: all addresses that the player had
}

type deed uint8

const (
	sets     deed = iota
	drops         // one value
	empties       // a part
	forgets       // a player, in every part
	looksOff      // from a player, in the part near
)

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
	Tick     *int64         `json:"tick"`
	Time     *fixed.Num     `json:"time"`
	Done     *uint64        `json:"done"`
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

// mostCount is the greatest number that every language has exactly.
const mostCount = 1<<53 - 1

// ApplyText takes a JSON frame in. Where it gives an error, nothing is believed that was not before.
func (m *Mirror) ApplyText(raw []byte) (Heard, error) {
	h, err := m.ReadText(raw)
	if err == nil {
		m.Take()
	}
	return h, err
}

// ReadText reads a JSON frame, which Take takes in or Drop does not. With a layout, its values have to be of their types.
func (m *Mirror) ReadText(raw []byte) (Heard, error) {
	var f textFrame
	if err := json.Unmarshal(raw, &f); err != nil || f.Is != "tick" || f.Tick == nil || f.Time == nil || f.Done == nil {
		return Heard{}, ErrFrame
	}
	if *f.Tick < 0 || *f.Tick > mostCount || *f.Done > mostCount || f.Time.Sign() < 0 {
		return Heard{}, ErrFrame
	}
	h := Heard{Tick: *f.Tick, Done: *f.Done, Check: f.Check, Told: f.Told}
	nano, _ := f.Time.Nano()
	h.Time = nano / 1_000_000
	wholes := 0
	for i, p := range []*textPart{f.Everyone, f.Scene, f.Self, f.Near} {
		if p == nil || i == Near && !m.near {
			continue
		}
		if p.Whole {
			wholes |= 1 << i
			m.changes = append(m.changes, change{how: empties, part: i})
		}
		for _, address := range p.Gone {
			m.changes = append(m.changes, change{how: drops, part: i, address: address})
		}
		h.Fewer = h.Fewer || i == Everyone && (p.Whole || len(p.Gone) > 0)
		for address, value := range p.Set {
			if !m.fits(address, value) {
				m.Drop()
				return Heard{}, fmt.Errorf("%w: %s is not of its type", ErrFrame, address)
			}
			m.changes = append(m.changes, change{how: sets, part: i, address: address, seen: Seen{raw: value}})
			h.Moved = append(h.Moved, address)
		}
	}
	slices.Sort(h.Moved)
	h.Whole = wholes&wholeView == wholeView
	m.read = h
	return h, nil
}

// wholeView are the parts that every view has, as bits.
const wholeView = 1<<parts - 1

// fits says whether a value in text is of the type that its field has. What is built in and was not given a value yet is none,
// whatever its code says.
func (m *Mirror) fits(address string, raw jsontext.Value) bool {
	if m.layout == nil {
		return true
	}
	name, _, _ := Split(address)
	_, f, ok := m.layout.Named(name)
	if !ok {
		return true
	}
	var at struct {
		Holder *string      `json:"holder"`
		Scene  *string      `json:"scene"`
		At     *[]fixed.Num `json:"at"`
		Time   *fixed.Num   `json:"time"`
		Since  *fixed.Num   `json:"since"`
	}
	var n fixed.Num
	if raw.Kind() == '{' && json.Unmarshal(raw, &at) != nil {
		return false
	}
	placed := at.Scene != nil && at.At != nil && len(*at.At) == len(m.layout.Places.Axes)
	switch f.Form {
	case FormID:
		return string(raw) == "true"
	case FormPlace:
		return placed && at.Time != nil
	case FormSpot:
		return placed || raw.Kind() == 'n'
	case FormThing:
		return placed || at.Holder != nil
	case FormWatch:
		return at.Since != nil || raw.Kind() == '0' && json.Unmarshal(raw, &n) == nil
	}
	return fitsCode(f.Code, raw)
}

func fitsCode(c *types.Code, raw jsontext.Value) bool {
	kind := raw.Kind()
	if kind == 'n' {
		return true
	}
	switch c.Kind {
	case "number":
		var n fixed.Num
		return kind == '0' && json.Unmarshal(raw, &n) == nil
	case "truth":
		return kind == 't' || kind == 'f'
	case "list":
		var items []jsontext.Value
		return kind == '[' && json.Unmarshal(raw, &items) == nil &&
			!slices.ContainsFunc(items, func(x jsontext.Value) bool { return !fitsCode(c.Item, x) })
	}
	return kind == '"'
}

// Take does what the frame that was read says.
func (m *Mirror) Take() {
	for i := range m.changes {
		m.do(&m.changes[i])
	}
	for seat, player := range m.seated {
		if m.seats[seat] = player; player == "" {
			delete(m.seats, seat)
		}
	}
	m.Tick, m.Time = m.read.Tick, m.read.Time
	m.done()
}

// Drop leaves everything as it was before the frame that was read, or could not be read to its end.
func (m *Mirror) Drop() {
	for i := len(m.changes) - 1; i >= 0; i-- {
		if c := &m.changes[i]; c.how == forgets {
			if c.names == nil {
				c.names = map[place]string{}
			}
			maps.Copy(c.names, m.names[c.player]) // addresses are only names: that there are more does no harm
			m.names[c.player] = c.names
		}
	}
	m.done()
}

// done forgets the frame that was read.
func (m *Mirror) done() {
	clear(m.changes)
	m.changes = m.changes[:0]
	m.seated = nil
}

func (m *Mirror) do(c *change) {
	m.sums[c.part] = ""
	switch c.how {
	case sets:
		m.before(c.address)
		m.parts[c.part][c.address] = c.seen
	case drops:
		m.before(c.address)
		delete(m.parts[c.part], c.address)
	case empties:
		if m.Before != nil {
			for address := range m.parts[c.part] {
				m.Before(address)
			}
		}
		clear(m.parts[c.part])
	case forgets:
		m.sums = [all]string{}
		for _, address := range c.names {
			m.before(address)
			for i := range m.parts {
				delete(m.parts[i], address)
			}
		}
	case looksOff:
		for _, address := range m.names[c.player] {
			m.before(address)
			delete(m.parts[Near], address)
		}
	}
}

func (m *Mirror) before(address string) {
	if m.Before != nil {
		m.Before(address)
	}
}

// Begin says that the whole view comes next: seats are given anew, and no frame was seen.
func (m *Mirror) Begin() { m.seats, m.Tick = map[int]string{}, 0 }

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
		if size <= 0 || n > mostCount {
			return Heard{}, nil, false
		}
		numbers[i], rest = n, rest[size:]
	}
	return Heard{Tick: int64(numbers[0]), Time: int64(numbers[1]), Done: numbers[2], Check: raw[1]&(1<<6) != 0}, rest,
		true
}

// ApplyPacked takes a packed frame in. Where it gives an error, nothing is believed that was not before.
func (m *Mirror) ApplyPacked(raw []byte) (Heard, error) {
	h, err := m.ReadPacked(raw)
	if err == nil {
		m.Take()
	}
	return h, err
}

// ReadPacked reads a packed frame, which Take takes in or Drop does not.
func (m *Mirror) ReadPacked(raw []byte) (Heard, error) {
	h, rest, ok := readHead(raw)
	if !ok || m.layout == nil || m.near != (raw[0] == packedNear) {
		return Heard{}, ErrFrame
	}
	head, near := raw[1], byte(partSame)
	if m.near {
		near = raw[2]
	}
	s := bitstream.NewSource(rest)
	wholes := 0
	for i := range m.parts {
		how := near
		if i != Near {
			how = head >> (2 * i) & 3
		}
		switch how {
		case partSame:
			continue
		case partWhole:
			wholes |= 1 << i
			h.Fewer = h.Fewer || i == Everyone
			m.changes = append(m.changes, change{how: empties, part: i})
		}
		if i == Near {
			m.unpackNear(s, &h)
		} else {
			m.unpack(s, i, &h)
		}
		if s.Err() != nil {
			m.Drop()
			return Heard{}, fmt.Errorf("%w: %w", ErrFrame, s.Err())
		}
		s.Align()
	}
	if head&(1<<7) != 0 {
		h.Told = jsontext.Value(s.Rest())
	}
	h.Whole = wholes&wholeView == wholeView
	m.read = h
	return h, nil
}

// who has a seat, as far as the frame was read; "" where nobody has.
func (m *Mirror) who(seat int) string {
	if player, given := m.seated[seat]; given {
		return player
	}
	return m.seats[seat]
}

func (m *Mirror) seat(seat int, player string) {
	if m.seated == nil {
		m.seated = map[int]string{}
	}
	m.seated[seat] = player
}

// unpackNear reads of whom nothing is known any more, and then what is new of each other.
func (m *Mirror) unpackNear(s *bitstream.Source, h *Heard) {
	seats := uint(m.layout.Seats)
	for n := s.Count(); n > 0 && s.Err() == nil; n-- {
		m.lookOff(int(s.Read(seats)))
	}
	for n := s.Count(); n > 0 && s.Err() == nil; n-- {
		seat := int(s.Read(seats))
		if s.Flag() {
			m.lookOff(seat)
		}
		m.unpackGroups(s, Near, func() int { return seat }, h)
	}
}

// lookOff drops what is known of a player in the part near.
func (m *Mirror) lookOff(seat int) {
	m.changes = append(m.changes, change{how: looksOff, part: Near, player: m.who(seat)})
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
		who := m.who(seat)
		if part == Everyone && holder == 0 && who != "" {
			h.Fewer = true
			m.changes = append(m.changes, change{how: forgets, player: who, names: m.names[who]})
			delete(m.names, who)
			m.seat(seat, "")
			continue
		}
		for _, f := range m.layout.fields[holder][fieldsOf(part)] {
			m.changes = append(m.changes, change{how: drops, part: part, address: m.address(holder, f, at, who)})
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
		item := l.read(s, field, m.who, h.Time)
		if s.Err() != nil {
			return
		}
		if field.Form == FormID {
			m.seat(seat, item.Value.Text)
		}
		address := m.address(holder, f, at, m.who(seat))
		m.changes = append(m.changes, change{how: sets, part: part, address: address, seen: Seen{item: item}})
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
