package save

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
)

func (f *fitter) waymarks(pointer string, marks map[string]Place) map[string]Place {
	for _, w := range f.m.Waymarks {
		marks = f.backTo(marks, w.ID, "waymarks."+w.ID)
	}
	for _, id := range sortedNames(marks) {
		at, place := under(pointer, id), marks[id]
		switch {
		case f.m.Waymark(id) == nil:
			f.unknown(at, "waymarks."+id, placeText(place), "the plan has no such waymark")
			delete(marks, id)
		case f.m.Scene(place.Scene) == nil || len(place.At) != len(f.m.Axes):
			f.place(at, "player."+id, &place, "it is forgotten")
			delete(marks, id)
		default:
			f.place(at, "player."+id, &place, "")
			marks[id] = place
		}
	}
	if len(marks) == 0 {
		return nil
	}
	return marks
}

// backTo puts a place that the attic kept back among the others, where there is none of that id now.
func (f *fitter) backTo(places map[string]Place, id, name string) map[string]Place {
	kept, ok := f.attic.Get(name)
	if !ok || kept.Why != "" || f.ofRecord {
		return places
	}
	if _, there := places[id]; there {
		return places
	}
	place, ok := (&patient{}).place("", jsontext.Value(kept.Value))
	if !ok {
		return places
	}
	if places == nil {
		places = map[string]Place{}
	}
	places[id] = place
	delete(f.attic, name)
	return places
}

func placeText(p Place) jsontext.Value {
	raw, err := Encode(p)
	if err != nil {
		return jsontext.Value("null")
	}
	return raw
}

// where reads where a player is.
func (f *fitter) where(p *Player) {
	f.place("/place", "place", &p.Place, "they are at "+f.fallback(p))
	f.place("/entry", "entry", &p.Entry, "it is where they are")
	if p.Back != nil {
		f.place("/back", "back", p.Back, "it is where a new run begins")
	}
	if n := utf8.RuneCountInString(p.Player); n < 1 || n > MaxName {
		f.tell(KindImpossible, "/player", "player", fmt.Sprintf("a player's name has 1 to %d characters, not %d",
			MaxName, n), "it is loaded for whom it is asked for")
	}
	if p.Visits < 0 || p.Visits > MaxVisits {
		f.tell(KindRange, "/visits", "visits", fmt.Sprintf("it is from 0 to %d, not %d", MaxVisits, p.Visits),
			"it is the nearest of these")
		p.Visits = max(0, min(p.Visits, MaxVisits))
	}
	if p.Number > MaxNumber {
		f.tell(KindRange, "/number", "number", fmt.Sprintf("it is from 0 to %d, not %d", uint64(MaxNumber), p.Number),
			"it is the largest of these")
		p.Number = MaxNumber
	}
	if p.Slot > f.m.SlotsPerPlayer() || p.Slot < 1 {
		f.tell(KindImpossible, "/slot", "slot", fmt.Sprintf("there is no slot %d: a player has %d", p.Slot,
			f.m.SlotsPerPlayer()), "it is loaded in the slot that is asked for")
	}
}

// fallback is where somebody is whose place is no more (rule 33).
func (f *fitter) fallback(p *Player) string {
	point := f.m.Checkpoint(p.Checkpoint)
	switch {
	case point != nil && point.Spot != nil:
		return "the checkpoint that they have reached, " + point.Spot.ID
	case point != nil && p.Back != nil:
		return "the checkpoint that they have reached, " + p.Back.String()
	case f.m.Fallback != nil:
		return "the fallback, " + f.m.Fallback.ID
	}
	return "the start, " + f.m.Start.ID
}

// place reads one place of a player. Where its scene is no more, it stays as it is, and the engine sees to it.
func (f *fitter) place(pointer, name string, p *Place, gone string) {
	if f.point(pointer, name, p, gone) {
		f.facing(pointer, name, p)
	}
}

// point reads the scene and the coordinates of a place; false where there is no such place at all.
func (f *fitter) point(pointer, name string, p *Place, gone string) bool {
	scene := f.m.Scene(p.Scene)
	switch {
	case scene == nil:
		f.tell(KindPlace, pointer+"/scene", name, fmt.Sprintf("there is no scene called %q", p.Scene), gone)
		return false
	case len(p.At) != len(f.m.Axes):
		f.tell(KindPlace, pointer+"/at", name, fmt.Sprintf("a place has %d coordinates here (%s), not %d",
			len(f.m.Axes), strings.Join(f.m.Axes, ", "), len(p.At)), gone)
		return false
	}
	var at [model.MaxAxes]fixed.Num
	copy(at[:], p.At)
	if near := scene.Nearest(at, f.m.Step); near != at {
		was := *p
		p.At = slices.Clone(near[:len(p.At)])
		f.tell(KindPlace, pointer+"/at", name, was.String()+" is not in the scene, or between its steps",
			"it is "+p.String()+", the nearest point")
	}
	return true
}

func (f *fitter) facing(pointer, name string, p *Place) {
	if len(f.m.Facings) > 0 && !slices.Contains(f.m.Facings, p.Facing) || len(f.m.Facings) == 0 && p.Facing != "" {
		was := p.Facing
		p.Facing = ""
		if len(f.m.Facings) > 0 {
			p.Facing = f.m.Facings[0]
		}
		f.tell(KindPlace, pointer+"/facing", name, fmt.Sprintf("there is no facing called %q", was),
			"it is "+noneOr(p.Facing))
	}
}

func noneOr(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

// movables reads where the movables are: each in exactly one place, or with one player.
func (f *fitter) movables(pointer string, w *World) {
	for _, x := range f.m.Movables {
		w.Movables = f.backTo(w.Movables, x.ID, "movables."+x.ID)
	}
	for _, id := range sortedNames(w.Movables) {
		at, place := under(pointer+"/movables", id), w.Movables[id]
		x := f.m.Movable(id)
		if x == nil {
			f.unknown(at, "movables."+id, placeText(place), "the plan has no such movable")
			delete(w.Movables, id)
			continue
		}
		if scene := f.m.Scene(place.Scene); scene != nil && x.NeverIn[scene] {
			f.tell(KindImpossible, at, "movables."+id, fmt.Sprintf("%s is never in %s", id, scene.ID),
				"it is at its start, "+x.Start.ID)
			delete(w.Movables, id)
			continue
		}
		if !f.point(at, "movables."+id, &place, "it is at its start, "+x.Start.ID) { // whichever way it faces: that is of who put it there
			delete(w.Movables, id)
			continue
		}
		w.Movables[id] = place
	}
	for _, id := range sortedNames(w.Held) {
		if _, ok := w.Movables[id]; !ok {
			f.tell(KindImpossible, under(pointer+"/held", id), "movables."+id, "somebody holds it, and it is nowhere",
				"it is at its start")
			delete(w.Held, id)
		}
	}
	if len(w.Held) == 0 {
		w.Held = nil
	}
	if len(w.Movables) == 0 {
		w.Movables = nil
	}
}
