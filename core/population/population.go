// Package population says what all saves hold: for every variable how often which value is there, over any number of
// saves in a bounded room.
package population

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
)

// Pick says which saves are counted: those for which all of it holds. What is empty picks nothing out.
type Pick struct {
	Scene      string    `query:"scene" doc:"Only players who are in this scene."`
	Checkpoint string    `query:"checkpoint" doc:"Only players who have reached this checkpoint."`
	Milestone  string    `query:"milestone" doc:"Only players who have earned this milestone."`
	Version    int       `query:"version" minimum:"0" doc:"Only saves that were written under this version."`
	After      time.Time `query:"after" doc:"Only saves that were written at this time or later (RFC 3339)."`
	Before     time.Time `query:"before" doc:"Only saves that were written before this time (RFC 3339)."`
}

// ofPlayers says whether it asks for what only a player's save has.
func (p Pick) ofPlayers() bool { return p != Pick{Version: p.Version} }

// then says whether a save was written when it is asked for, and whether that can be told.
func (p Pick) then(about *save.About) (yes, known bool) {
	if p.After.IsZero() && p.Before.IsZero() {
		return true, true
	}
	if about == nil || about.SavedAt.IsZero() {
		return false, false
	}
	return !about.SavedAt.Before(p.After) && (p.Before.IsZero() || about.SavedAt.Before(p.Before)), true
}

// Counter counts saves of one plan. It is used by one goroutine.
type Counter struct {
	m     *model.Model
	pick  Pick
	of    map[string]*figure
	order []string
	out   Population
}

// Population is what saves hold.
type Population struct {
	Game     string      `json:"game"`
	Under    int         `json:"under" doc:"The version of the plan under which the saves were looked at."`
	Saves    int         `json:"saves" doc:"How many were looked at."`
	Picked   int         `json:"picked" doc:"How many of them were counted."`
	Unread   int         `json:"unread" doc:"How many could not be loaded: they are not counted."`
	Undated  int         `json:"undated" doc:"How many do not say when they were written, where that is asked for: they are not counted."`
	Versions map[int]int `json:"versions" doc:"How many of those that were counted were written under each version."`
	Spreads  []Spread    `json:"spreads" doc:"In the order of the plan."`
}

// Spread is what saves hold of one variable, or of one option or prop for which it is held.
type Spread struct {
	Name    string `json:"name" doc:"As player.coins; ware.rye.have where it is held for each of many."`
	Title   string `json:"title"`
	Type    string `json:"type" doc:"number, words (one of a few, or several of them), or text."`
	Count   int    `json:"count" doc:"How many saves have a value."`
	None    int    `json:"none" doc:"How many have none."`
	Missing int    `json:"missing" doc:"In how many it was missing: they are counted with what is loaded instead."`
	Misfits int    `json:"misfits" doc:"In how many something else was wrong with it: they are counted with what is loaded instead."`

	Least     *float64   `json:"least,omitempty"`
	Most      *float64   `json:"most,omitempty"`
	Mean      *float64   `json:"mean,omitempty"`
	Min       *float64   `json:"min,omitempty" doc:"The limit that the plan gives."`
	Max       *float64   `json:"max,omitempty"`
	AtMin     int        `json:"at_min" doc:"How many lie on the limit."`
	AtMax     int        `json:"at_max"`
	Quantiles []Quantile `json:"quantiles,omitempty"`
	Distinct  int        `json:"distinct" doc:"How many different values there are."`
	Exact     bool       `json:"exact" doc:"Every figure is exact."`
	Error     string     `json:"error,omitempty" doc:"Otherwise: by how much figures may be off."`
	Bars      []Bar      `json:"bars" doc:"How often each value is there; of numbers with very many, of each stretch; of texts, of each length."`
	Beyond    *Beyond    `json:"beyond,omitempty" doc:"The saves with a value that nothing in this version of the plan gives."`
	Ends      []End      `json:"ends,omitempty" doc:"The lowest and the highest values, with a save in which each is."`
}

// Beyond are the saves with a value that nothing in the plan gives: no rule and no fate makes it, however a run goes.
// An earlier version of the plan, support or the game's own code may have.
type Beyond struct {
	Given    string      `json:"given" doc:"What the plan's rules can make of it, as \"0, 5 or 10\"."`
	Count    int         `json:"count" doc:"How many saves have another value."`
	Versions map[int]int `json:"versions" doc:"Of these, how many were written under each version."`
	Saves    []Example   `json:"saves" doc:"Some of the values, with a save in which each is."`
}

// Example is a value, and a save in which it is.
type Example struct {
	Value string `json:"value"`
	Save  string `json:"save"`
}

// Quantile is the value below or at which a share of all lie.
type Quantile struct {
	Share float64 `json:"share"`
	Value float64 `json:"value"`
}

// Bar is how often a value is there, or one of a stretch.
type Bar struct {
	Value    string      `json:"value,omitempty" doc:"The value, where it is one."`
	From     float64     `json:"from" doc:"Of numbers: from, included."`
	To       float64     `json:"to" doc:"To, included."`
	Count    int         `json:"count"`
	Save     string      `json:"save,omitempty" doc:"Of words: a save in which it is so."`
	NoWay    bool        `json:"no_way,omitempty" doc:"A complete search of this plan found no way to it: of a scene, a checkpoint or a milestone."`
	Versions map[int]int `json:"versions,omitempty" doc:"Of these, how many were written under each version; where figures are exact."`
}

// End is a value at an end, and a save in which it is.
type End struct {
	Value float64 `json:"value"`
	Save  string  `json:"save"`
	Far   bool    `json:"far,omitempty" doc:"It is further from the quarters than three times the distance between these (J. W. Tukey, Exploratory Data Analysis, 1977: far out)."`
}

// New counts saves under a plan.
func New(m *model.Model, pick Pick) *Counter {
	p := &Counter{m: m, pick: pick, of: map[string]*figure{}, out: Population{Game: m.Plan.Game.Name, Under: m.Plan.Version.Value, Versions: map[int]int{}}}
	p.built()
	given := check.GivenBy(m)
	for _, v := range m.Vars {
		if v.Computed() || v.Shared != nil || v.Seed {
			continue
		}
		for _, name := range p.copies(v) {
			p.add(name.name, name.title, &v.Domain)
			p.of[name.name].given = given[v]
		}
	}
	return p
}

// named is one thing that is counted, and what people call it.
type named struct{ name, title string }

// built are the figures of what is no variable.
func (p *Counter) built() {
	words := &types.Domain{Type: types.Type{Kind: types.Choice}}
	p.add("place.scene", "Scene", words)
	if len(p.m.Checkpoints) > 0 {
		p.add("player.checkpoint", "Checkpoint reached", words)
	}
	if len(p.m.Plan.Milestones.Entries) > 0 {
		p.add("milestones", "Milestones earned", words)
	}
	p.add("player.visits", "Visits", &types.Domain{Type: types.Type{Kind: types.Int}})
}

func (p *Counter) add(name, title string, d *types.Domain) {
	p.of[name] = newFigure(name, title, d)
	p.order = append(p.order, name)
}

// copies are the names under which a variable is counted: one for each option, prop or scene that it is held for.
func (p *Counter) copies(v *model.Var) []named {
	each := func(prefix string, ids []named) []named {
		out := make([]named, len(ids))
		for i, id := range ids {
			out[i] = named{prefix + id.name + "." + v.ID, v.Title + ", " + id.title}
		}
		return out
	}
	var ids []named
	switch h := v.Hold; {
	case h.List != nil:
		for _, o := range h.List.Options {
			ids = append(ids, named{o.ID, cmp.Or(o.Title, o.ID)})
		}
		return each(h.List.ID+".", ids)
	case h.Kind != nil:
		for _, x := range h.Kind.Props {
			ids = append(ids, named{x.ID, x.ID})
		}
		return each("prop."+h.Kind.ID+".", ids)
	case v.Holder == model.OfScene || v.Holder == model.OfPlayerScene:
		for _, s := range p.m.Scenes {
			if v.In == nil || v.In[s] {
				ids = append(ids, named{s.ID, s.Title})
			}
		}
		return each("scenes.", ids)
	}
	return []named{{v.Name, v.Title}}
}

// Add counts a save that was checked under the plan. name is what people know it by.
func (p *Counter) Add(x *upgrade.Checked, name string) {
	p.out.Saves++
	if x.Outcome != save.Take {
		p.out.Unread++
		return
	}
	switch {
	case x.Loaded != nil:
		p.player(x, name)
	case x.Over != nil:
		if !p.pick.ofPlayers() && p.counted(x) {
			p.values(x, name, "profile.", x.Over.Values)
			p.props(x, name, model.OfProfileList, "", x.Over.Lists)
		}
	case x.World != nil:
		if !p.pick.ofPlayers() && p.counted(x) {
			p.world(x, name, x.World.World)
		}
	}
}

// counted notes that a save is counted, unless it is of another version than is asked for.
func (p *Counter) counted(x *upgrade.Checked) bool {
	if p.pick.Version > 0 && x.From != p.pick.Version {
		return false
	}
	p.out.Picked++
	p.out.Versions[x.From]++
	// Several things may be wrong with one value: it counts once, as missing where that is one of them.
	missing, wrong := map[*figure]bool{}, map[*figure]bool{}
	for _, problem := range x.Problems {
		if f := p.of[problem.Name]; f == nil {
			continue
		} else if problem.Kind == save.KindMissing {
			missing[f] = true
		} else {
			wrong[f] = true
		}
	}
	for f := range missing {
		f.missing++
		delete(wrong, f)
	}
	for f := range wrong {
		f.misfits++
	}
	return true
}

func (p *Counter) player(x *upgrade.Checked, name string) {
	s := x.Loaded.Player
	yes, known := p.pick.then(s.About)
	if !known {
		p.out.Undated++
	}
	if !yes || p.pick.Scene != "" && s.Place.Scene != p.pick.Scene || p.pick.Checkpoint != "" && s.Checkpoint != p.pick.Checkpoint ||
		p.pick.Milestone != "" && !slices.Contains(s.Milestones, p.pick.Milestone) || !p.counted(x) {
		return
	}
	text := func(of, value string) {
		if f := p.of[of]; f != nil {
			v := types.OfText(value)
			if value == "" {
				v = types.None
			}
			f.note(v, x.From, name)
		}
	}
	text("place.scene", s.Place.Scene)
	text("player.checkpoint", s.Checkpoint)
	p.of["player.visits"].note(types.OfInt(s.Visits), x.From, name)
	if f := p.of["milestones"]; f != nil {
		var earned []types.Value
		for _, id := range s.Milestones {
			earned = append(earned, types.OfText(id))
		}
		f.note(types.OfItems(earned), x.From, name)
	}
	p.values(x, name, "player.", s.Values)
	p.scenes(x, name, model.OfPlayerScene, s.Scenes)
	p.props(x, name, model.OfPlayerProp, "prop.", s.Props)
	p.props(x, name, model.OfPlayerList, "", s.Lists)
	if s.World != nil {
		p.world(x, name, s.World)
	}
}

func (p *Counter) world(x *upgrade.Checked, name string, w *save.World) {
	p.values(x, name, "game.", w.Values)
	p.scenes(x, name, model.OfScene, w.Scenes)
	p.props(x, name, model.OfProp, "prop.", w.Props)
	p.props(x, name, model.OfList, "", w.Lists)
}

func (p *Counter) values(x *upgrade.Checked, name, prefix string, values save.Values) {
	for id, v := range values {
		if f := p.of[prefix+id]; f != nil {
			f.note(v, x.From, name)
		}
	}
}

// scenes counts what is held for each scene: a save leaves out what has its start value.
func (p *Counter) scenes(x *upgrade.Checked, name string, h model.Holder, held map[string]save.Values) {
	for _, v := range p.m.Holders[h].Stored {
		for _, s := range p.m.Scenes {
			if f := p.of["scenes."+s.ID+"."+v.ID]; f != nil {
				f.note(valueOf(held[s.ID], v), x.From, name)
			}
		}
	}
}

// props counts what is held for each prop or option.
func (p *Counter) props(x *upgrade.Checked, name string, h model.Holder, prefix string, held save.Props) {
	for _, v := range p.m.Vars {
		if v.Holder != h || v.Computed() || v.Shared != nil {
			continue
		}
		var of string
		var ids []string
		if list := v.Hold.List; list != nil {
			of = list.ID
			for _, o := range list.Options {
				ids = append(ids, o.ID)
			}
		} else {
			of = v.Hold.Kind.ID
			for _, one := range v.Hold.Kind.Props {
				ids = append(ids, one.ID)
			}
		}
		for _, id := range ids {
			if f := p.of[prefix+of+"."+id+"."+v.ID]; f != nil {
				f.note(valueOf(held[of][id], v), x.From, name)
			}
		}
	}
}

func valueOf(values save.Values, v *model.Var) types.Value {
	if value, ok := values[v.ID]; ok {
		return value
	}
	return v.Start
}

// Population is what was counted so far.
func (p *Counter) Population() Population {
	out := p.out
	out.Spreads = []Spread{}
	for _, name := range p.order {
		if f := p.of[name]; f.count+f.none > 0 {
			out.Spreads = append(out.Spreads, f.result())
		}
	}
	return out
}

// Spread finds one by its name; nil where there is none.
func (r *Population) Spread(name string) *Spread {
	i := slices.IndexFunc(r.Spreads, func(f Spread) bool { return f.Name == name })
	if i < 0 {
		return nil
	}
	return &r.Spreads[i]
}

// Names are those of all figures.
func (r *Population) Names() []string {
	var out []string
	for i := range r.Spreads {
		out = append(out, r.Spreads[i].Name)
	}
	return out
}

// NoWay marks a scene, a checkpoint or a milestone to which a search of everything that can happen found no way. Of
// anything else it marks nothing.
func (r *Population) NoWay(kind, id string) {
	f := r.Spread(map[string]string{"scene": "place.scene", "checkpoint": "player.checkpoint", "milestone": "milestones"}[kind])
	if f == nil {
		return
	}
	for i := range f.Bars {
		if f.Bars[i].Value == id {
			f.Bars[i].NoWay = true
		}
	}
}

// Cut is how many saves have a value below min or above max. It may be off by the figure's error where that is not exact.
func (f *Spread) Cut(low, high float64) (below, above int) {
	for _, b := range f.Bars {
		switch {
		case b.To < low:
			below += b.Count
		case b.From < low && b.To > b.From: // a part of the stretch
			below += int(float64(b.Count) * (low - b.From) / (b.To - b.From))
		}
		switch {
		case b.From > high:
			above += b.Count
		case b.To > high && b.To > b.From:
			above += int(float64(b.Count) * (b.To - high) / (b.To - b.From))
		}
	}
	return below, above
}

// isText says whether values are texts that somebody wrote: those are measured, and not shown.
func isText(d *types.Domain) bool {
	return d.Type.Kind == types.Text || strings.HasPrefix(d.Type.Kind.Name(), "player")
}
