package upgrade

import (
	"errors"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
)

// Checked is what a plan says of the bytes of a save, and what would be loaded.
type Checked struct {
	Of       string         `json:"of" enum:"player,world,profile,nothing" doc:"Whose save it is, or what a player has over all slots; nothing where it cannot be read."`
	Player   string         `json:"player,omitempty"`
	Slot     int            `json:"slot,omitempty"`
	From     int            `json:"from" doc:"The version of the plan that it was written under; 0 where that cannot be told."`
	To       int            `json:"to" doc:"The version that it would be loaded under."`
	Format   string         `json:"format,omitempty" doc:"Of a save in a format of the game's own: its name in the plan. Pointers are then the file's."`
	Seal     string         `json:"seal,omitempty" enum:"right,wrong,not asked" doc:"Of a save with a seal: whether it fits; not asked, where no keys were at hand."`
	Outcome  save.Policy    `json:"outcome" enum:"take,last,refuse" doc:"take: it is loaded; last: an earlier save of the slot is; refuse: it is not."`
	Problems []save.Problem `json:"problems"`

	Loaded *Loaded       `json:"-"`
	World  *LoadedWorld  `json:"-"`
	Over   *save.Profile `json:"-"`
}

// Document is the save as it would be loaded, as JSON; an error where it is not loaded.
func (x *Checked) Document() ([]byte, error) {
	raw := x.after()
	if raw == nil {
		return nil, errors.New("the save is not loaded")
	}
	return raw, nil
}

// Check says everything that the plan does not take as it is in the bytes of a save, of a player or a world, sealed or
// not. The judge, which may be nil, asks what always holds.
func (c *Chain) Check(raw []byte, keys save.Keys, around Around, j *engine.Judge) Checked {
	out := Checked{Of: "nothing", To: c.m.Plan.Version.Value, Problems: []save.Problem{}}
	whole := func(err error) { out.Problems = append(out.Problems, save.Whole(c.m, err)) }
	if save.IsSealed(raw) {
		inner, _, err := keys.Unseal(raw)
		switch {
		case keys == nil:
			out.Seal = "not asked"
		case err != nil:
			out.Seal = "wrong"
			whole(err)
		default:
			out.Seal = "right"
		}
		if inner == nil {
			out.Outcome = save.Outcome(out.Problems)
			return out
		}
		raw = inner
	}
	switch {
	case save.IsWorld(raw):
		c.checkWorld(raw, around, &out, whole)
	case save.IsProfile(raw):
		c.checkProfile(raw, &out, whole)
	default:
		c.checkPlayer(raw, around, j, &out, whole)
	}
	out.Outcome = save.Outcome(out.Problems)
	if out.Over != nil && out.Outcome == save.Last {
		out.Outcome = save.Take // there is no earlier one
	}
	return out
}

func (c *Chain) checkPlayer(raw []byte, around Around, j *engine.Judge, out *Checked, whole func(error)) {
	l, err := save.OpenPlayer(raw)
	if err != nil {
		whole(err)
		return
	}
	out.Of, out.Player, out.Slot, out.From = "player", l.Player.Player, l.Slot, l.Version
	loaded, err := c.Open(l, around)
	if err != nil {
		whole(err)
		return
	}
	if j != nil {
		c.Judge(loaded, j)
	}
	out.Loaded, out.Problems = loaded, append(out.Problems, loaded.Problems...)
}

func (c *Chain) checkWorld(raw []byte, around Around, out *Checked, whole func(error)) {
	w, err := save.OpenWorld(raw)
	if err != nil {
		whole(err)
		return
	}
	out.Of, out.From = "world", w.Version
	loaded, err := c.World(raw, around)
	if err != nil {
		whole(err)
		return
	}
	out.World, out.Problems = loaded, append(out.Problems, loaded.Problems...)
}

func (c *Chain) checkProfile(raw []byte, out *Checked, whole func(error)) {
	p, err := save.OpenProfile(raw)
	if err != nil {
		whole(err)
		return
	}
	out.Of, out.Player, out.From = "profile", p.Player, p.Version
	over, problems, err := c.Profile(raw)
	if err != nil {
		whole(err)
		return
	}
	out.Over, out.Problems = over, append(out.Problems, problems...)
}

// Refused is why a save is not loaded: the first problem for which the plan says so.
type Refused struct{ Problem save.Problem }

// Error says it in words.
func (r *Refused) Error() string {
	name := r.Problem.Name
	if r.Problem.Pointer != "" {
		name += " (" + r.Problem.Pointer + ")"
	}
	return name + ": " + r.Problem.Reason + "; the plan says that such a save is not loaded"
}

// RefusedBy gives the error for the first problem for which the plan says that the save is not loaded; nil where there
// is none.
func RefusedBy(problems []save.Problem) error {
	i := slices.IndexFunc(problems, func(p save.Problem) bool { return p.Policy == save.Refuse })
	if i < 0 {
		return nil
	}
	return &Refused{problems[i]}
}

// IsRefused says whether an error is that a plan does not want a save loaded.
func IsRefused(err error) bool {
	var r *Refused
	return errors.As(err, &r)
}
