package share

// Cost is what one value costs in packed frames.
type Cost struct {
	Holder string `json:"holder" doc:"player, scene, game, prop:cache, movables."`
	Name   string `json:"name" doc:"player.warmth, player.place."`
	Part   string `json:"part" doc:"Who is sent it: everyone, scene, self."`
	Bits   int    `json:"bits" doc:"The most that it takes when it changes."`
	Told   string `json:"told,omitempty" doc:"How often at most machines are told of it, as 2/s; with every tick where it is not said."`
}

// Costs lists what every value costs when it changes, in the layout's order. What says whose it is, and which values
// follow, comes on top: see Overhead.
func (l *Layout) Costs() []Cost {
	var out []Cost
	for i := range l.Holders {
		h := &l.Holders[i]
		for j := range h.Fields {
			f := &h.Fields[j]
			c := Cost{Holder: h.Name, Name: f.Name, Part: f.Part, Bits: l.bitsOf(f)}
			if f.every > 0 {
				c.Told = f.v.Decl.Share.Told.Value.String()
			}
			out = append(out, c)
		}
	}
	return out
}

// bitsOf is the most bits that a field takes.
func (l *Layout) bitsOf(f *Field) int {
	switch f.Form {
	case FormPlace:
		return l.placeBits() + 1 + 10 + 5 // a place that was reached within the last second, by one of the first arrivals
	case FormSpot, FormThing:
		return 1 + max(l.placeBits(), l.Seats)
	case FormID:
		return 5 + 64*8
	case FormWatch:
		return 2 + 5*11
	}
	return f.Code.Width()
}

// placeBits is the most that a place takes: in the largest scene.
func (l *Layout) placeBits() int {
	most := 0
	for _, e := range l.Places.Scenes {
		n := 0
		for _, bits := range e.Bits {
			n += bits
		}
		most = max(most, n)
	}
	return l.Places.SceneBits + most + l.Places.FacingBits
}

// Overhead is how many bits say, in a packed frame, whose values follow in a part, and which of them.
func (l *Layout) Overhead(holder, part int) int {
	h := &l.Holders[holder]
	n := l.Kinds + h.CopyBits
	if part == Near { // whether it is all, how much of them is gone, and how many groups follow
		n, part = n+1+5+5, Scene
	}
	if h.Players {
		n += l.Seats
	}
	if fields := len(l.fields[holder][part]); fields > 1 {
		n += fields
	}
	return n
}
