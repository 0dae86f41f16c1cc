package plan

import (
	"fmt"
	"reflect"
	"time"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
)

// Rehearsal is a scripted run of a plan, with what is expected of it.
type Rehearsal struct {
	Title   Given[string]      `plan:"rehearsal,required" doc:"What is rehearsed, in a few words."`
	Plan    Given[string]      `plan:"plan,required" doc:"The plan's file, beside this one."`
	Players []ID               `plan:"players,required" doc:"The players who take part; steps and expectations name them so."`
	Beside  Map[Given[string]] `plan:"beside" doc:"Other games that are played at the same time, each with its plan's file: {market: market.yaml}. What players have of a commons, they have in all."`
	Seed    Given[int]         `plan:"seed" min:"0" max:"4294967295" default:"0" doc:"What the session is opened with; seeds come from it."`
	Steps   []Step             `plan:"steps,required" doc:"The steps, in order."`

	// Source is the text that was read.
	Source string `plan:"-"`
}

// Step is one step: exactly one verb, with what goes with it.
type Step struct {
	Join      ID                   `plan:"join" with:"slot?,as?,game?" doc:"A player comes, with a new run or with what is saved in the slot."`
	Pass      ID                   `plan:"pass" with:"by,at?,game?" doc:"A player goes through a passage, after a move where at says so."`
	Touch     ID                   `plan:"touch" with:"by,at?,game?" doc:"A player touches a checkpoint, after a move where at says so."`
	Move      ID                   `plan:"move" with:"to,facing?,game?" doc:"A player moves within the scene."`
	Event     ID                   `plan:"event" with:"by,args?,game?" doc:"An event is sent by a player, or by the server."`
	Write     Ref                  `plan:"write" ref:"" with:"by,value,scene?,prop?,option?,player?,game?" doc:"A variable is given a value by its own player, where the plan lets them, or by the server: player.oil, player.dress.hood; where only one is called so, oil."`
	Die       ID                   `plan:"die" with:"game?" doc:"The player dies, as if a rule did it."`
	StartOver ID                   `plan:"start-over" with:"game?" doc:"The player starts a new run."`
	Leave     ID                   `plan:"leave" with:"game?" doc:"The player leaves."`
	Delete    ID                   `plan:"delete" with:"game?" doc:"Everything that is held about a player who is not there is deleted. What refers to them becomes none."`
	Wait      Given[time.Duration] `plan:"wait" with:"" doc:"Time passes in all games, with what is due in it; the date goes on with it."`
	Date      Given[string]        `plan:"date" with:"" doc:"It is a later date now, in all games, and no more time has passed in the session: 2027-02-03 03:59 (UTC), or with its offset, 2027-02-03T04:59:00+01:00. Without it, rehearsals begin on 2000-01-01."`

	Expect  Expected `plan:"expect" with:"of?,game?" doc:"What holds now: an expression, or a table of names and values."`
	Refused *Step    `plan:"refused" with:"because?" doc:"A step that is to be refused, and change nothing."`
	Told    ID       `plan:"told" with:"notice,game?" doc:"What a player was told since the last step that did something."`
	Sees    Viewers  `plan:"sees" with:"not?,expect?,of?,game?" doc:"What a player's machine has been sent by now, or (not) what it does not have."`

	Crash   Given[string] `plan:"crash" with:"game?" enum:"machine" doc:"machine: everything that is not on disk is gone, and everybody is out of the session."`
	Restart Given[string] `plan:"restart" with:"game?" enum:"session" doc:"session: all visits end, everybody is saved, and the session is opened again."`
	Correct Expr          `plan:"correct" with:"to,why,game?" doc:"A value is corrected by hand; also whether a milestone is earned: wren.earned('full_sack')."`
	Upgrade ID            `plan:"upgrade" with:"to,game?" doc:"The session goes on under a later version of the plan, which stands beside this one as plan.v4.yaml; what of the player's save does not fit it is told."`

	Game    ID            `plan:"game" id:"game" doc:"Of which game, where there are several: a name of beside. Without it, the one of plan."`
	By      Given[string] `plan:"by" doc:"The player who does it, or server. Of write of what another game writes of a commons: that game, by its id."`
	Where   Where         `plan:"at" doc:"Where the player moves first: [x, y], or {x: 30}, the other axes staying as they are."`
	To      Target        `plan:"to" doc:"Of move: where to, as at. Of correct: the value. Of upgrade: the version."`
	Facing  Given[string] `plan:"facing" doc:"Of move."`
	Slot    Given[int]    `plan:"slot" min:"1" max:"100" default:"1" doc:"Of join."`
	As      Map[Literal]  `plan:"as" doc:"Of join: what the player picks on the way in."`
	Args    Map[Literal]  `plan:"args" doc:"Of event."`
	Value   Literal       `plan:"value" doc:"Of write."`
	Scene   Given[string] `plan:"scene" doc:"Of write of what scenes have."`
	Prop    Given[string] `plan:"prop" doc:"Of write of what props have."`
	Option  Given[string] `plan:"option" doc:"Of write of what there is for each option of a list."`
	Player  Given[string] `plan:"player" doc:"Of write by the server, or by another game: whose."`
	Of      ID            `plan:"of" doc:"Of expect: whom player, place, scene and prop mean."`
	Because Given[string] `plan:"because" doc:"Of refused: what the sender is told, or part of it."`
	Notice  Given[string] `plan:"notice" doc:"Of told: its text, or its kind."`
	Not     Expr          `plan:"not" doc:"Of sees: a name that the machine does not have now."`
	Why     Given[string] `plan:"why" doc:"Of correct: the reason."`

	// Verb is the one that was written.
	Verb string `plan:"-"`
	finding.At
}

// StepVerbs are all that a step can do, in alphabetical order.
func StepVerbs() []string { return verbsOf(reflect.TypeFor[Step]()) }

func (s *Step) complete(r *reader, n *node) {
	s.Verb = r.verb(n, reflect.TypeFor[Step](), "A step")
	if s.Verb == "sees" && n.key("not") == nil && n.key("expect") == nil {
		r.report("missing", n.At, "sees needs not or expect beside it.")
	}
	if k := n.key("to"); s.Verb == "move" && k != nil && k.value.form != formList && k.value.form != formTable {
		r.report("wrong-type", k.value.At, "to is written [x, y], or {x: 30}: here it is a single value.")
	}
	if _, err := ParseDate(s.Date.Value); s.Date.Given && err != nil {
		r.report("bad-value", s.Date.At, "%s.", finding.Upper(err.Error()))
	}
	if axes := s.To.Axes.Entries; axes != nil && s.Verb != "move" {
		r.report("wrong-type", s.To.At, "Coordinates by axis go with move only; here to is a value.")
	}
}

// ParseDate reads a date with a time, in UTC where it has no offset of its own.
func ParseDate(text string) (time.Time, error) {
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02 15:04:05", time.DateOnly} {
		if t, err := time.Parse(layout, text); err == nil && t.UnixMilli() > 0 {
			return t, nil
		}
	}
	return time.Time{}, fmt.Errorf("a date is written as 2027-02-03 03:59 or 2027-02-03T04:59:00+01:00, and is later than 1970; not %q", text)
}

// Target is a written value, or coordinates by axis.
type Target struct {
	Literal
	Axes Map[Given[fixed.Num]]
}

func (x *Target) read(r *reader, n *node, f field) {
	if n.form == formTable {
		x.At = n.At
		r.read(n, reflect.ValueOf(&x.Axes).Elem(), field{name: f.name})
		return
	}
	x.Literal.read(r, n, f)
}

// Where is a point, or some of its coordinates by axis.
type Where struct {
	Point []Given[fixed.Num]
	Axes  Map[Given[fixed.Num]]
	finding.At
}

func (w *Where) read(r *reader, n *node, f field) {
	w.At = n.At
	if n.form == formList {
		r.list(n, reflect.ValueOf(&w.Point).Elem(), field{name: f.name})
		return
	}
	r.read(n, reflect.ValueOf(&w.Axes).Elem(), field{name: f.name})
}

// Given says whether a place was written.
func (w Where) Given() bool { return w.Point != nil || w.Axes.Entries != nil }

// Expected is an expression, or a table of names with the values that they have.
type Expected struct {
	That  Expr
	Table []Expectation
	finding.At
}

// Expectation is one row of it.
type Expectation struct {
	Name  Expr
	Value Literal
	Blank bool // nothing is written: -record fills it in
}

func (e *Expected) read(r *reader, n *node, f field) {
	e.At = n.At
	if n.form != formTable {
		r.read(n, reflect.ValueOf(&e.That).Elem(), field{})
		return
	}
	e.Table = make([]Expectation, len(n.keys))
	for i, k := range n.keys {
		row := &e.Table[i]
		row.Name = Expr{k.name, k.at}
		row.Value.At = k.at
		if row.Blank = k.value.form == formNothing; !row.Blank {
			row.Value.read(r, k.value, field{})
		}
	}
}

// Viewers are one player or several.
type Viewers []ID

func (v *Viewers) read(r *reader, n *node, f field) {
	if n.form == formList {
		var list []ID
		r.list(n, reflect.ValueOf(&list).Elem(), field{})
		*v = list
		return
	}
	*v = make(Viewers, 1)
	r.read(n, reflect.ValueOf(&(*v)[0]).Elem(), field{})
}

// ReadRehearsal reads a rehearsal from YAML, as Read does a plan. It is never nil.
func ReadRehearsal(source []byte) (*Rehearsal, finding.List) {
	out := &Rehearsal{Source: string(source)}
	root, found := parse(source)
	if other := otherKind(root, "rehearsal"); other != nil {
		root, found = nil, other
	}
	if root != nil {
		r := newReader(found)
		more := finding.UpToMost(func() {
			r.read(root, reflect.ValueOf(out).Elem(), field{})
			out.resolve(r)
		})
		if found = r.found; more {
			found = append(found, finding.TooMany())
		}
	}
	found.Sort()
	found.Excerpts(out.Source)
	return out, found
}

// resolve makes sure that steps name players of the rehearsal.
func (x *Rehearsal) resolve(r *reader) {
	known := map[string]bool{}
	var names []string
	for _, p := range x.Players {
		if known[p.Name] {
			r.report("duplicate-id", p.At, "%q is named twice.", p.Name)
		}
		known[p.Name], names = true, append(names, p.Name)
	}
	check := func(name string, at finding.At, others ...string) {
		if name != "" && !known[name] && !contains(others, name) {
			near := finding.Declared(name, append(names, others...))
			r.report("unknown-name", at, "There is no player called %q in this rehearsal.", clip(name)).Suggest(near)
		}
	}
	var visit func(s *Step)
	visit = func(s *Step) {
		for _, id := range append([]ID{s.Join, s.Move, s.Die, s.StartOver, s.Leave, s.Told, s.Of, s.Upgrade, s.Delete},
			s.Sees...) {
			check(id.Name, id.At)
		}
		if s.Verb != "write" { // which another game may do: that is judged by the plan
			check(s.By.Value, s.By.At, "server")
		}
		check(s.Player.Value, s.Player.At)
		if s.Refused != nil {
			if contains(neverRefused, s.Refused.Verb) {
				r.report("bad-value", s.Refused.At, "%s is nothing that can be refused: what players, the server and delete ask for can be.",
					s.Refused.Verb)
			}
			visit(s.Refused)
		}
	}
	for i := range x.Steps {
		visit(&x.Steps[i])
	}
	x.resolveGames(r)
	x.limitWaits(r)
}

// neverRefused are the steps that ask nobody, so that nobody could refuse them.
var neverRefused = []string{"wait", "date", "crash", "restart", "upgrade", "expect", "told", "sees", "refused"}

// mostWaited is how long the waits of a rehearsal may be in all: each brings along what is due in it.
const mostWaited = 1000 * time.Hour

func (x *Rehearsal) limitWaits(r *reader) {
	var all time.Duration
	for i := range x.Steps {
		s := &x.Steps[i]
		if all += s.Wait.Value; all > mostWaited {
			r.report("bad-value", s.Wait.At,
				"The waits of a rehearsal are at most 1000h in all; with this one they are %s.", all)
			return
		}
	}
}

// resolveGames makes sure that steps name games that are played.
func (x *Rehearsal) resolveGames(r *reader) {
	known := x.Beside.IDs()
	for i := range x.Steps {
		for s := &x.Steps[i]; s != nil; s = s.Refused {
			if s.Game.Name == "" || contains(known, s.Game.Name) {
				continue
			}
			near := finding.Declared(s.Game.Name, known)
			text := "No game is called \"" + clip(s.Game.Name) + "\" in this rehearsal: beside: {" + clip(s.Game.Name) +
				": its plan's file} would name it."
			r.unknownName(s.Game.At, text, near)
		}
	}
}
