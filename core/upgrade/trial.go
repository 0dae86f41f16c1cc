package upgrade

import (
	"bytes"
	"cmp"
	"slices"
	"strings"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
)

// Fate of a save in a trial.
type Fate string

// What can come of a save, from best to worst.
const (
	Unchanged Fate = "unchanged" // it is of this version already, and nothing is wrong
	Upgraded  Fate = "upgraded"  // it was upgraded, and nothing was lost
	PutRight  Fate = "put-right" // it is loaded, with something corrected, kept in the attic, or told
	Earlier   Fate = "earlier"   // an earlier save of its slot is loaded
	NotLoaded Fate = "refused"   // it is not loaded
)

// Fates lists them, from best to worst.
var Fates = []Fate{Unchanged, Upgraded, PutRight, Earlier, NotLoaded}

// Limits on what a trial remembers, so that it takes no more room for 100,000 saves than for 100.
const (
	maxCases = 200
	maxWorst = 10
)

// Trial is what came of taking saves to a plan without writing them. It can be written as JSON, and gone on with
// later.
type Trial struct {
	Game   string       `json:"game"`
	To     int          `json:"to" doc:"The version that saves are taken to."`
	Saves  int          `json:"saves" doc:"How many were tried."`
	Counts map[Fate]int `json:"counts" doc:"By what came of them: unchanged, upgraded, put-right, earlier, refused."`
	From   map[int]int  `json:"from" doc:"How many were of each version."`
	Cases  []Case       `json:"cases" doc:"Each kind of trouble with one example, the worst first; at most 200."`
	More   int          `json:"more,omitempty" doc:"Troubles of further kinds, which are only counted."`
	Worst  []Worst      `json:"worst" doc:"The saves in which most is wrong, at most ten."`
	Sample []Sample     `json:"samples" doc:"One save for each outcome, before and after."`
}

// Case is one kind of trouble.
type Case struct {
	Kind    save.Kind   `json:"kind"`
	Name    string      `json:"name" doc:"What it is about, as player.warmth; ware.have where it is held for options of a list."`
	Option  string      `json:"option,omitempty" doc:"For which option it is so in that save."`
	Policy  save.Policy `json:"policy" doc:"What the plan says is done."`
	Count   int         `json:"count" doc:"In how many saves."`
	Save    string      `json:"save" doc:"One of them."`
	Reason  string      `json:"reason"`
	Instead string      `json:"instead"`
}

// Worst is a save in which much is wrong.
type Worst struct {
	Save     string `json:"save"`
	Fate     Fate   `json:"fate"`
	Problems int    `json:"problems"`
}

// Sample is one save before and after.
type Sample struct {
	Fate   Fate            `json:"fate"`
	Save   string          `json:"save"`
	From   int             `json:"from"`
	Before json.RawMessage `json:"before"`
	After  json.RawMessage `json:"after,omitempty" doc:"Missing where it is not loaded."`
}

// NewTrial begins a trial.
func NewTrial(m *model.Model) *Trial {
	return &Trial{Game: m.Plan.Game.Name, To: m.Plan.Version.Value, Counts: map[Fate]int{}, From: map[int]int{},
		Cases: []Case{}, Worst: []Worst{}, Sample: []Sample{}}
}

// Clean says whether nothing at all is lost, corrected or refused.
func (t *Trial) Clean() bool { return t.Counts[PutRight]+t.Counts[Earlier]+t.Counts[NotLoaded] == 0 }

// Add takes one save to the plan and notes what came of it. name is what people know it by.
func (t *Trial) Add(c *Chain, j *engine.Judge, name string, raw []byte, keys save.Keys, around Around) {
	x := c.Check(raw, keys, around, j)
	t.AddChecked(&x, name, raw)
}

// AddChecked is Add for a save that was checked already.
func (t *Trial) AddChecked(x *Checked, name string, raw []byte) {
	fate := x.fate()
	t.Saves++
	t.Counts[fate]++
	t.From[x.From]++
	seen := map[[2]string]bool{}
	for _, p := range x.Problems {
		what, option := aboutOptions(p)
		if key := [2]string{string(p.Kind), what}; !seen[key] {
			seen[key] = true
			t.note(Case{p.Kind, what, option, p.Policy, 1, name, p.Reason, p.Instead})
		}
	}
	if len(x.Problems) > 0 {
		t.worst(Worst{name, fate, len(x.Problems)})
	}
	if !slices.ContainsFunc(t.Sample, func(s Sample) bool { return s.Fate == fate }) {
		t.Sample = append(t.Sample, Sample{fate, name, x.From, jsonOf(raw), x.after()})
		slices.SortFunc(t.Sample, func(a, b Sample) int { return severity(b.Fate) - severity(a.Fate) })
	}
}

func severity(f Fate) int { return slices.Index(Fates, f) }

func (x *Checked) fate() Fate {
	switch {
	case x.Outcome == save.Refuse:
		return NotLoaded
	case x.Outcome == save.Last:
		return Earlier
	case len(x.Problems) > 0:
		return PutRight
	case x.From < x.To:
		return Upgraded
	}
	return Unchanged
}

// after is the save as it would be loaded; nil where it is not.
func (x *Checked) after() json.RawMessage {
	var doc any
	switch {
	case x.Outcome != save.Take:
		return nil
	case x.Loaded != nil:
		doc = x.Loaded.Player
	case x.World != nil:
		doc = x.World.World
	case x.Over != nil:
		doc = x.Over
	default:
		return nil
	}
	raw, err := save.Encode(doc)
	if err != nil {
		return nil
	}
	return raw
}

// jsonOf is the bytes of a save as JSON: themselves, or a text of what can be read of them.
func jsonOf(raw []byte) json.RawMessage {
	if json.Valid(raw) {
		var out bytes.Buffer
		if json.Compact(&out, raw) == nil {
			return out.Bytes()
		}
	}
	text, _ := json.Marshal(string(raw[:min(len(raw), 2000)]))
	return text
}

// aboutOptions is what a problem is about. What is held for the options of a list is one thing, whichever option it is;
// an option that is not known is told by its name.
func aboutOptions(p save.Problem) (name, option string) {
	of := p.Name
	if i := strings.Index(of, "lists."); i == 0 || i > 0 && of[i-1] == '.' {
		of = of[i+len("lists."):]
	}
	parts := strings.SplitN(of, ".", 3)
	if of == p.Name || len(parts) < 3 || p.Kind == save.KindExtra {
		return p.Name, ""
	}
	return parts[0] + "." + parts[2], parts[1]
}

func (t *Trial) note(c Case) {
	i := slices.IndexFunc(t.Cases, func(x Case) bool { return x.Kind == c.Kind && x.Name == c.Name })
	switch {
	case i >= 0:
		t.Cases[i].Count++
	case len(t.Cases) < maxCases:
		t.Cases = append(t.Cases, c)
	default:
		t.More++
	}
}

func (t *Trial) worst(w Worst) {
	t.Worst = append(t.Worst, w)
	slices.SortStableFunc(t.Worst, func(a, b Worst) int {
		return cmp.Or(severity(b.Fate)-severity(a.Fate), b.Problems-a.Problems, cmp.Compare(a.Save, b.Save))
	})
	t.Worst = t.Worst[:min(len(t.Worst), maxWorst)]
}

// Sort puts the cases in order, the worst first; a trial that goes on may be sorted again.
func (t *Trial) Sort() {
	rank := map[save.Policy]int{save.Refuse: 3, save.Last: 2}
	slices.SortStableFunc(t.Cases, func(a, b Case) int {
		return cmp.Or(rank[b.Policy]-rank[a.Policy], b.Count-a.Count, cmp.Compare(a.Name, b.Name),
			cmp.Compare(a.Kind, b.Kind))
	})
}

// Forget takes out of a trial what it shows of some saves: those whose names begin with one of these.
func (t *Trial) Forget(prefixes ...string) (changed bool) {
	of := func(name string) bool {
		return slices.ContainsFunc(prefixes, func(p string) bool { return strings.HasPrefix(name, p) })
	}
	samples, worst := len(t.Sample), len(t.Worst)
	t.Sample = slices.DeleteFunc(t.Sample, func(s Sample) bool { return of(s.Save) })
	t.Worst = slices.DeleteFunc(t.Worst, func(w Worst) bool { return of(w.Save) })
	changed = len(t.Sample) < samples || len(t.Worst) < worst
	for i := range t.Cases {
		if c := &t.Cases[i]; of(c.Save) {
			c.Save, c.Reason, c.Instead, changed = "a player who was deleted", "no longer known", "no longer known",
				true
		}
	}
	return changed
}
