// Package model is a plan with every name resolved, every expression typed and compiled, and every
// fate decided. The engine runs a model, the checks judge it, the matrix describes it: none of them
// reads the document again.
package model

import (
	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/plan"
)

// Model is a resolved plan. It is never changed after Build, and may be used by many at once.
type Model struct {
	Plan        *plan.Plan
	Axes        []string
	Facings     []string
	Step        fixed.Num // of coordinates
	Reach       fixed.Num
	Holders     [3]Holding // by Holder
	Vars        []*Var     // all, in document order
	Scenes      []*Scene
	Start       *Spot
	Passages    []*Passage
	Checkpoints []*Checkpoint
	Fallback    *Spot // nil where none is named
	Furthest    bool
	Areas       []*Area // all, in document order
	Waymarks    []*Waymark
	Events      []*Event
	Rules       []*Rule // one for each rule and moment that it waits for
	Always      []*Always
	Milestones  []*Milestone
	Place       PlaceFates
	Reached     [5]Fate // of the checkpoint reached, by crossing
	Single      bool    // session.players is 1: the world lies in the player's slot
	Effects     []Effect
	Timers      []Timer // of the session
	OwnTimers   []Timer // of each player

	vars      map[string]*Var
	spots     map[string]*Spot
	scenes    map[string]*Scene
	passages  map[string]*Passage
	points    map[string]*Checkpoint
	waymarks  map[string]*Waymark
	areas     map[string]*Area
	weighed   map[*Var][]*Milestone // which milestones depend on a variable
	weighCore []*Milestone          // which depend on something built in of a player
	events    map[string]*Event
	byMoment  map[string][]*Rule
	byChanged map[*Var][]*Rule
	rosters   map[string]*expr.Roster
	options   map[string][]string
	scopes    scopes
}

// Holder is who has a copy of a variable.
type Holder uint8

// The holders.
const (
	OfPlayer Holder = iota
	OfScene
	OfGame
)

// String is the holder's word in the language.
func (h Holder) String() string { return [...]string{"player", "scene", "game"}[h] }

// Holding is what each holder of one kind has.
type Holding struct {
	Stored   []*Var // by slot
	Computed []*Var // by slot
}

// Var is a variable.
type Var struct {
	ID     string // warmth
	Name   string // player.warmth: its identity
	Title  string
	Holder Holder
	Slot   int
	At     finding.At
	Decl   *plan.Variable
	Domain
	Start     expr.Value
	Is        *expr.Program // of a computed variable
	Stopwatch bool
	Fates     [5]Fate // by crossing, as in plan.Crossings
}

// Computed says whether the variable is never stored.
func (v *Var) Computed() bool { return v.Decl.Is.Given() }

// Decided says who decided a fate.
type Decided string

// Who decides fates.
const (
	ByItself  Decided = "own"     // the variable's across
	ByDefault Decided = "default" // the plan's defaults for the holder
	ByNature  Decided = "built-in"
	ByNobody  Decided = "undecided"
	NotAtAll  Decided = "n/a" // the crossing cannot apply
)

// Fate is what one crossing does to one variable.
type Fate struct {
	Kind string // keep, reset, rewind, set, or "" where it is undecided or does not apply
	Set  *expr.Program
	By   Decided
	At   finding.At // where it is written
}

// PlaceFates are where a player is after each crossing.
type PlaceFates struct{ Death, Leave, NewRun Fate }

// Scene is a place of its own.
type Scene struct {
	ID    string
	Title string
	Index int
	Size  []fixed.Num
	Spots []*Spot
	Areas []*Area
	At    finding.At
	Decl  *plan.Scene
}

// MaxAxes is how many axes a space may have.
const MaxAxes = 3

// Spot is a named position.
type Spot struct {
	ID       string // lodge/hearth
	Scene    *Scene
	Point    [MaxAxes]fixed.Num
	Facing   string // "" leaves the player's as it is
	Span     [MaxAxes]*Span
	Reach    fixed.Num
	AnyReach bool
	At       finding.At
}

// Area is a named region of a scene: a box, half-open, or a ball.
type Area struct {
	ID      string // gorge/scree
	Title   string
	Scene   *Scene
	Index   int                // among all areas
	Lo, Hi  [MaxAxes]fixed.Num // of a box; of a ball what it spans
	Ball    bool
	Center  [MaxAxes]fixed.Num
	Radius  fixed.Num
	Axes    int
	Entered []*Rule
	Exited  []*Rule
	Point   *Checkpoint // the checkpoint that entering it reaches, or nil
	At      finding.At
}

// Span is an edge along one axis, both ends included.
type Span struct{ Lo, Hi fixed.Num }

// Passage is a way from a spot to a spot.
type Passage struct {
	ID          string
	Title       string
	From        *Spot
	To          *Spot    // nil where it leads to a waymark
	Waymark     *Waymark // where it leads to one
	BothWays    bool
	Carry       [MaxAxes]bool
	CarryFacing bool
	If          *expr.Program
	Refused     string
	Else        *Spot
	At          finding.At
	Decl        *plan.Passage
}

// Checkpoint is a spot that remembers.
type Checkpoint struct {
	ID    string
	Index int
	Spot  *Spot // to touch and come back to; nil where there is an Area
	Area  *Area // to enter
	Order int
	Again bool
	At    finding.At
}

// Waymark is a place that each player may remember.
type Waymark struct {
	ID       string
	Title    string
	Index    int
	NotFrom  map[*Scene]bool
	ForgetOn map[*Scene]bool
	Lasting  bool
	Fates    [5]Fate // keep, reset or rewind, by crossing
	At       finding.At
	Decl     *plan.Waymark
}

// Milestone is a lasting mark that a player earns once.
type Milestone struct {
	ID       string
	Title    string
	Index    int
	When     *expr.Program
	Progress *expr.Program // nil where there is a When
	Goal     fixed.Num
	Fates    [5]Fate // keep or reset, by crossing
	At       finding.At
	Decl     *plan.Milestone
}

// Event is something that is sent in.
type Event struct {
	ID        string
	Title     string
	Index     int
	Args      []Arg
	Self      bool // a player sends it about themselves
	If        *expr.Program
	Refused   string
	WhileDead bool
	Rules     []*Rule
	At        finding.At
	Decl      *plan.Event
}

// Arg is an argument of an event.
type Arg struct {
	ID string
	Domain
	At finding.At
}

// Rule is one rule waiting for one moment.
type Rule struct {
	Number int // in the document, from 1
	Moment plan.Moment
	Event  *Event // where the moment is an event
	If     *expr.Program
	Do     []*Action
	At     finding.At
	Decl   *plan.Rule
	// Locals is how many names of its own the rule has.
	Locals int
	// AboutPlayer says whether there is a player that the rule is about.
	AboutPlayer bool
}

// Action is one thing that a rule does.
type Action struct {
	Verb      string
	Var       *Var     // set, add, raise, clear, pick
	Target    expr.Ref // of Var
	Value     *expr.Program
	Who       expr.Ref   // die, come-back, start-over
	Spot      *Spot      // go: where to; with a Waymark, where else
	Waymark   *Waymark   // go, remember, forget
	Milestone *Milestone // earn, unearn
	Text      string     // notify, refuse
	To        string     // notify: player, scene, everyone
	If        *expr.Program
	Do        []*Action
	Else      []*Action
	Event     *Event          // send
	Args      []*expr.Program // send: in the order of the event's arguments; nil where one is left out
	Local     int             // let, each: the number of the rule's own name
	Here      bool            // each: only those in the player's scene
	At        finding.At
}

// Timer is a rule that waits for every.
type Timer struct {
	Rule  *Rule
	Every int64 // milliseconds
}

// Always is something that holds after every event.
type Always struct {
	That        *expr.Program
	Refused     string
	AboutPlayer bool
	At          finding.At
}

// Effect is one action that a rule may take, with the conditions that lead to it.
type Effect struct {
	Rule   *Rule
	Action *Action
	Guards []*expr.Program // all of them hold
	Maybe  bool            // inside an else: more conditions than Guards lead to it
}

// Var finds a variable by its identity, as player.warmth; nil where there is none.
func (m *Model) Var(name string) *Var { return m.vars[name] }

// Spot finds a spot by scene/spot; Scene, Passage, Checkpoint and Event find theirs by id; nil where
// there is none.
func (m *Model) Spot(id string) *Spot { return m.spots[id] }

// Scene finds a scene by its id.
func (m *Model) Scene(id string) *Scene { return m.scenes[id] }

// Passage finds a passage by its id.
func (m *Model) Passage(id string) *Passage { return m.passages[id] }

// Checkpoint finds a checkpoint by its id.
func (m *Model) Checkpoint(id string) *Checkpoint { return m.points[id] }

// Weighed gives the milestones whose condition depends on a variable, through others too.
func (m *Model) Weighed(v *Var) []*Milestone { return m.weighed[v] }

// WeighedOnMove gives the milestones whose condition depends on something built in of a player: their
// place, whether they are dead, the checkpoint reached.
func (m *Model) WeighedOnMove() []*Milestone { return m.weighCore }

// Waymark finds a waymark by its id.
func (m *Model) Waymark(id string) *Waymark { return m.waymarks[id] }

// Event finds an event by its id.
func (m *Model) Event(id string) *Event { return m.events[id] }

// On gives the rules that wait for a built-in moment, in document order.
func (m *Model) On(moment string) []*Rule { return m.byMoment[moment] }

// OnChanged gives the rules that wait for a change of v, in document order.
func (m *Model) OnChanged(v *Var) []*Rule { return m.byChanged[v] }

// VarOf gives the variable that a reference means, or nil.
func (m *Model) VarOf(r expr.Ref) *Var {
	if r.What != expr.Variable {
		return nil
	}
	h := m.Holders[holderOf(r)]
	if r.Slot < len(h.Stored) {
		return h.Stored[r.Slot]
	}
	return h.Computed[r.Slot-len(h.Stored)]
}

func holderOf(r expr.Ref) Holder {
	switch r.Who {
	case expr.Game:
		return OfGame
	case expr.HereScene, expr.OneScene:
		return OfScene
	}
	return OfPlayer
}

// Applies says whether a crossing can mean anything to what this holder has.
func (m *Model) Applies(h Holder, c plan.Crossing) bool {
	switch c {
	case plan.CrossScene:
		return h != OfGame
	case plan.CrossLeave:
		return h == OfPlayer
	case plan.CrossRestart:
		return h != OfPlayer
	}
	return h == OfPlayer || m.Single
}

// SlotsPerPlayer is how many saves a player may have.
func (m *Model) SlotsPerPlayer() int { return m.Plan.Saving.Slots.Or(1) }

// RevisionsKept is how many revisions of a slot are kept.
func (m *Model) RevisionsKept() int { return m.Plan.Saving.Revisions.Or(10) }

// Players is how many players a session takes.
func (m *Model) Players() int { return m.Plan.Session.Players.Or(16) }

// SavesOn says whether a moment is a save moment.
func (m *Model) SavesOn(moment string) bool {
	for _, w := range m.Plan.Saving.When {
		if w.Value == moment {
			return true
		}
	}
	return false
}

// Title is a name for people: what the plan says, else the id with spaces.
func Title(given plan.Given[string], id string) string {
	if given.Given {
		return given.Value
	}
	return spaced(id)
}
