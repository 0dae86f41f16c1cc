// Package model is a plan with every name resolved, every expression typed and compiled, and every
// fate decided. The engine runs a model, the checks judge it, the matrix describes it: none of them
// reads the document again.
package model

import (
	"fmt"
	"slices"
	"time"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Model is a resolved plan. It is never changed after Build, and may be used by many at once.
type Model struct {
	Plan        *plan.Plan
	Axes        []string
	Facings     []string
	Step        fixed.Num // of coordinates
	Reach       fixed.Num
	Holders     []*Holding // the first four by Holder, then two for each kind of prop
	Vars        []*Var     // all, in document order
	Profile     *Holding   // what players have over all slots; in Holders only where that is something
	Lists       []*List    // lists and rosters, in document order
	Kinds       []*PropKind
	Props       []*Prop // all, in document order
	Movables    []*Movable
	Standings   []*Standing
	Texts       []Text // what players read, in the order of the plan
	Carriers    []*Carrier
	Pickable    map[string]map[string]Pickable // by roster and option: those that are not for every player
	Requests    map[string]*RequestRule        // by the request
	Fastest     fixed.Num                      // of moves, in units per second; 0 where nothing is said
	Whiles      []*Var                         // stopwatches that count only while something holds
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
	// AlwaysOfPlayers is how many of these are about a player.
	AlwaysOfPlayers int
	Checks          []*Check // of the upgrade to this version
	Reaches         bool     // what always holds may be about others than the player whom it is about
	Milestones      []*Milestone
	Goals           []*Goal
	Conserved       []*Conserved
	Crossings       []plan.Crossing // all, in the order of the matrix's columns
	OwnCrossings    []*OwnCrossing  // those that the plan declares, in document order
	Place           PlaceFates
	Reached         Fates // of the checkpoint reached, by crossing
	Single          bool  // session.players is 1: the world is part of what is saved in the player's slot
	Effects         []Effect
	Timers          []Timer // of the session
	OwnTimers       []Timer // of each player

	vars      map[string]*Var
	spots     map[string]*Spot
	scenes    map[string]*Scene
	passages  map[string]*Passage
	points    map[string]*Checkpoint
	waymarks  map[string]*Waymark
	areas     map[string]*Area
	weighCore []Weighed // what depends on something built in of a player, or on a movable
	weighAll  []Weighed
	// weighOthers is what depends on players other than the one whom it is about.
	weighOthers []Weighed
	events      map[string]*Event
	byMoment    map[string][]*Rule
	kinds       map[string]*PropKind
	movables    map[string]*Movable
	lists       map[string]*List
	rosters     map[string]*types.Roster
	options     map[string][]string
	scopes      scopes
}

// Holding is what each holder of one kind has.
type Holding struct {
	Index    int // in Model.Holders
	Holder   Holder
	Kind     *PropKind // of a prop, alone or with a player
	List     *List     // of the options of a list, alone or with a player
	Stored   []*Var    // by slot
	Computed []*Var    // by slot
	Rewinds  []int     // which of Stored rewind at death
}

// PropKind is one kind of placed objects.
type PropKind struct {
	ID      string
	Title   string
	Radius  fixed.Num // 0 where nobody enters them
	Reach   fixed.Num
	Props   []*Prop
	Own     *Holding // what each of them has
	Players *Holding // what each player has for each of them
	Entered []*Rule
	Exited  []*Rule
	At      finding.At
	Decl    *plan.PropKind
	byID    map[string]*Prop
}

// Prop finds one of the kind by its id; nil where there is none.
func (k *PropKind) Prop(id string) *Prop { return k.byID[id] }

// Prop is one placed object.
type Prop struct {
	ID    string // under_ledge
	Name  string // cache.under_ledge
	Index int    // among all
	Kind  *PropKind
	Scene *Scene
	Point [MaxAxes]fixed.Num
	Area  *Area // the ball around it, where its kind has a radius
	At    finding.At
}

// Movable is an object that exists once.
type Movable struct {
	ID      string
	Title   string
	Index   int
	Start   *Spot
	NeverIn map[*Scene]bool
	Fates   Fates // keep or reset, by crossing
	At      finding.At
	Decl    *plan.Movable
}

// Standing is an ordering of players, or of the options of a list, by a number.
type Standing struct {
	ID    string
	Title string
	Index int
	List  *List // whose options it orders; nil where it orders players
	Rank  *expr.Program
	If    *expr.Program // nil where every number counts
	High  bool          // the highest number comes first
	Best  bool          // the best number ever counts
	At    finding.At
	Decl  *plan.Standing
}

// Carrier is a transport with hard limits.
type Carrier struct {
	ID       string
	Title    string
	Alphabet []rune
	Length   int // symbols of one message
	Lanes    int
	Every    time.Duration
	Players  bool // each player writes a lane of their own; otherwise the server writes them
	Carries  []*CarriedName
	Samples  int // how many places one message holds
	At       finding.At
	Decl     *plan.Carrier
}

// CarriedName is one name that a carrier's message holds.
type CarriedName struct {
	*expr.Program
	Domain types.Domain // of a variable; of what is built in, what its type says
	Place  bool         // a part of place: carried once for each sample
}

// RequestRule is the condition of a built-in request.
type RequestRule struct {
	Closed  bool
	If      *expr.Program
	Refused Text
	At      finding.At
}

// Var is a variable.
type Var struct {
	ID     string // warmth
	Name   string // player.warmth: its identity, and how it is read
	Title  string
	Holder Holder
	Hold   *Holding
	Slot   int
	At     finding.At
	Decl   *plan.Variable
	Accept *plan.Accept // the findings that are accepted here
	types.Domain
	Start     types.Value
	Is        *expr.Program // of a computed variable
	effort    int           // of a computed variable: how much is done to read it
	Stopwatch bool
	Refused   Text          // what is said where at_limit: refuse stops a change
	While     *expr.Program // of a stopwatch that counts only while it holds
	Seed      bool
	Locked    bool
	In        map[*Scene]bool // of what scenes hold: those that have one; nil for all
	Fates     Fates           // by crossing
	Shared    *Shared         // of a commons; nil for what is the game's own
	With      string          // who is sent it: nobody, self, scene, everyone
	SelfMay   bool            // its own player may write it
	TellEvery time.Duration   // between two times at which machines are told of it, at least; 0 for with every tick
	weighed   []Weighed       // what depends on it
	elsewhere []Weighed       // what depends on it of others than whose it is
	changed   []*Rule         // that wait for its changes
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
	Lo    [MaxAxes]fixed.Num // its origin
	Hi    [MaxAxes]fixed.Num // origin + size: not in it any more
	Walk  bool               // players move freely in it
	Tells *Tells             // whom machines are sent here; nil for everybody
	Spots []*Spot
	Areas []*Area
	Props []*Prop
	Near  []*Prop // those that can be entered, by their lowest first coordinate
	// Widest is the greatest extent of those.
	Widest fixed.Num
	At     finding.At
	Decl   *plan.Scene
}

// Tells says which of the players in a scene a machine is sent (semantics, rule 58).
type Tells struct {
	Within fixed.Num // the distance within which others are near; more than 0
	AtMost int       // how many others at most, from 1
}

// Nearest is the point of the scene that is nearest to another, for coordinates in steps.
func (s *Scene) Nearest(at [MaxAxes]fixed.Num, step fixed.Num) [MaxAxes]fixed.Num {
	for i := range s.Size {
		if n, err := at[i].RoundTo(step); err == nil {
			at[i] = n
		}
		last, _ := s.Hi[i].Sub(step)
		at[i] = fixed.Max(s.Lo[i], fixed.Min(last, at[i]))
	}
	return at
}

// Has says whether a point lies in the scene.
func (s *Scene) Has(at [MaxAxes]fixed.Num) bool {
	for i := range s.Size {
		if at[i].Less(s.Lo[i]) || !at[i].Less(s.Hi[i]) {
			return false
		}
	}
	return true
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
	Prop    *Prop       // the prop that it is around, or nil
	At      finding.At
}

// Span is an edge along one axis, both ends included.
type Span struct{ Lo, Hi fixed.Num }

// Passage is a way from a spot to a spot.
type Passage struct {
	ID       string
	Title    string
	From     *Spot
	To       *Spot    // nil where it leads to a waymark
	Waymark  *Waymark // where it leads to one
	BothWays bool
	Carry    Carried
	If       *expr.Program
	Refused  Text
	Else     *Spot
	At       finding.At
	Decl     *plan.Passage
}

// Carried is what a player brings along into another scene.
type Carried struct {
	Axes   [MaxAxes]bool
	Facing bool
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
	Fates    Fates // keep, reset or rewind, by crossing
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
	Fates    Fates // keep or reset, by crossing
	At       finding.At
	Decl     *plan.Milestone
	Text     Text // its title, as players read it
}

// Event is something that is sent in.
type Event struct {
	ID        string
	Title     string
	Index     int
	Args      []Arg
	Self      bool // a player sends it about themselves
	AtMost    plan.Rate
	If        *expr.Program
	Refused   Text
	WhileDead bool
	Rules     []*Rule
	At        finding.At
	Decl      *plan.Event
}

// Arg is an argument of an event.
type Arg struct {
	ID string
	types.Domain
	Kind   *PropKind // of a prop
	Within bool      // the prop has to be within reach of the player who sends the event
	At     finding.At
}

// Rule is one rule waiting for one moment.
type Rule struct {
	Number int // in the document, from 1
	// Crosses is the crossing that this sets off, in place of doing anything: such a rule stands for what a plan's own
	// crossing waits for, and is none of Rules. Nil for all others.
	Crosses *OwnCrossing
	Index   int // in Rules
	Moment  plan.Moment
	Event   *Event        // where the moment is an event
	Only    *expr.Program // whether it is the one thing that the moment names: the scene, the checkpoint
	If      *expr.Program
	Effort  int // how much its conditions do, in actions: 0 for most
	Do      []*Action
	At      finding.At
	Decl    *plan.Rule
	// Locals is how many names of its own the rule has.
	Locals int
	// AboutPlayer says whether there is a player that the rule is about.
	AboutPlayer bool
	// AboutProp is the kind of the prop that the rule is about, or nil.
	AboutProp *PropKind
}

// On is what the rule waits for, in words: arrived yard, every 30s of each player, or the event.
func (r *Rule) On() string { return r.Moment.String() }

// Called is what people call the rule: winning, or rule 3 where the plan gives it no name.
func (r *Rule) Called() string {
	if name := r.Decl.Name.Name; name != "" {
		return name
	}
	return fmt.Sprintf("rule %d", r.Number)
}

// Timer is a rule that waits for every.
type Timer struct {
	Rule  *Rule
	Every int64 // milliseconds
}

// Always is something that holds after every event.
type Always struct {
	Decl        *plan.Always
	That        *expr.Program
	Refused     Text
	AboutPlayer bool
	At          finding.At
}

// Effect is one action that a rule may take, with the conditions that lead to it.
type Effect struct {
	Rule   *Rule
	Action *Action
	Guards []*expr.Program // all of them hold
	Maybe  bool            // inside an else: more conditions than Guards lead to it
	Block  int             // which run of actions it is in: of two in one block, both are done or neither
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

// Standing finds a standing by its id.
func (m *Model) Standing(id string) *Standing {
	i := slices.IndexFunc(m.Standings, func(s *Standing) bool { return s.ID == id })
	if i < 0 {
		return nil
	}
	return m.Standings[i]
}

// Weighed is something computed that is evaluated when what it reads has changed: one of a milestone, a
// standing, or a stopwatch that counts only while something holds.
type Weighed struct {
	Milestone *Milestone
	Standing  *Standing
	While     *Var
}

// OfWorld says whether it is evaluated once, and not for each player.
func (w Weighed) OfWorld() bool {
	return w.While != nil && !w.While.Holder.OfPlayers() || w.Standing != nil && w.Standing.List != nil
}

// Weighed gives what depends on a variable, through others too.
func (m *Model) Weighed(v *Var) []Weighed { return v.weighed }

// WeighedElsewhere gives what of everybody depends on a variable of whoever it is.
func (m *Model) WeighedElsewhere(v *Var) []Weighed { return v.elsewhere }

// WeighedOnOthers gives what of everybody depends on who else is there, and on what is built in of them.
func (m *Model) WeighedOnOthers() []Weighed { return m.weighOthers }

// WeighedOnMove gives what depends on something built in of a player (their place, whether they are dead,
// the checkpoint reached), or on a movable.
func (m *Model) WeighedOnMove() []Weighed { return m.weighCore }

// WeighedOnJoin gives all that is evaluated of a player who joins.
func (m *Model) WeighedOnJoin() []Weighed { return m.weighAll }

// Waymark finds a waymark by its id.
func (m *Model) Waymark(id string) *Waymark { return m.waymarks[id] }

// Event finds an event by its id.
func (m *Model) Event(id string) *Event { return m.events[id] }

// On gives the rules that wait for a built-in moment, in document order.
func (m *Model) On(moment string) []*Rule { return m.byMoment[moment] }

// OnChanged gives the rules that wait for a change of v, in document order.
func (m *Model) OnChanged(v *Var) []*Rule { return v.changed }

// Matters says whether a change of v can set anything else off.
func (m *Model) Matters(v *Var) bool { return len(v.weighed)+len(v.elsewhere)+len(v.changed) > 0 }

// VarOf gives the variable that a reference means, or nil.
func (m *Model) VarOf(r expr.Ref) *Var {
	if r.What != expr.Variable && r.What != expr.Count {
		return nil
	}
	return m.Holders[r.Hold].at(r.Slot)
}

func (h *Holding) at(slot int) *Var {
	if slot < len(h.Stored) {
		return h.Stored[slot]
	}
	return h.Computed[slot-len(h.Stored)]
}

// Var finds a variable of the holding by its id; nil where there is none.
func (h *Holding) Var(id string) *Var {
	for _, v := range h.Stored {
		if v.ID == id {
			return v
		}
	}
	return nil
}

// Kind finds a kind of props by its id, Movable a movable; nil where there is none.
func (m *Model) Kind(id string) *PropKind { return m.kinds[id] }

// Movable finds a movable by its id.
func (m *Model) Movable(id string) *Movable { return m.movables[id] }

// SlotsPerPlayer is how many saves a player may have.
func (m *Model) SlotsPerPlayer() int { return m.Plan.Saving.Slots.Or(1) }

// RevisionsKept is how many revisions of a slot are kept.
func (m *Model) RevisionsKept() int { return m.Plan.Saving.Revisions.Or(10) }

// OfflineSaves is what is done with a save that was made without the service: refuse, slot or take.
func (m *Model) OfflineSaves() string { return m.Plan.Saving.Offline.Or("refuse") }

// Players is how many players a session takes.
func (m *Model) Players() int { return m.Plan.Session.Players.Or(16) }

// Grace is how long a player whose connection is lost keeps their seat.
func (m *Model) Grace() time.Duration { return m.Plan.Session.Grace.Or(45 * time.Second) }

// Tick is the time between two moments at which everybody is sent what has changed.
func (m *Model) Tick() time.Duration {
	rate := m.Plan.Session.Ticks.Or(plan.Rate{Times: 10, Per: time.Second})
	return rate.Per / time.Duration(rate.Times)
}

// Budget is how many bytes a frame may have where a scene has near; 0 where the plan does not say.
func (m *Model) Budget() int { return int(m.Plan.Session.Budget.Value) }

// GatherWithin is how long changes are gathered where players are saved on change.
const GatherWithin = time.Second

// SavesEvery is how often whoever changed is saved; 0 where the plan does not say.
func (m *Model) SavesEvery() time.Duration {
	every := m.Plan.Saving.Every.Value
	if m.SavesOn("change") && (every == 0 || every > GatherWithin) {
		return GatherWithin
	}
	return every
}

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
	return plan.Spaced(id)
}

// Earning finds the milestone whose being earned a name stands for: player.earned.full_sack; nil where there is none.
func (m *Model) Earning(name string) *Milestone {
	for _, x := range m.Milestones {
		if name == "player.earned."+x.ID {
			return x
		}
	}
	return nil
}
