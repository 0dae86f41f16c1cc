// Package plan is the designer's document: its types, and reading it from YAML with every mistake
// told by line and column.
//
// The Go types below are the one definition of the format. The reader walks them, the JSON Schema
// is made from them, and so is the reference in docs/plan.md: a form that is not here does not
// exist.
package plan

import (
	"fmt"
	"time"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
)

// Format is the version of the document format that this package reads.
const Format = 1

// Plan is one game's document.
type Plan struct {
	Alluvion Given[int]    `plan:"alluvion,required" min:"1" max:"1" doc:"Format of this document: 1."`
	Game     ID            `plan:"game,required" id:"game" doc:"The game's id: lower-case letters, digits, - and _."`
	Title    Given[string] `plan:"title" doc:"The game's name for people."`
	Version  Given[int]    `plan:"version,required" min:"1" max:"1000000" doc:"Whole number of this plan version; saves carry it."`
	Space    Space         `plan:"space" doc:"The coordinates that places are given in."`
	Start    Ref           `plan:"start,required" ref:"spot" doc:"The spot where a new run begins, as scene/spot."`
	Defaults Defaults      `plan:"defaults" doc:"Fates of everything that does not say its own."`

	Crossings   Map[OwnCrossing] `plan:"crossings" doc:"The game's own crossings, besides the five that every game has: a round, a chapter, a day."`
	Lists       Map[Roster]      `plan:"lists" doc:"Lists of options that are named once and used everywhere: as a type, and as who holds something. [a, b], or a table as for a roster."`
	Rosters     Map[Roster]      `plan:"rosters" doc:"Lists of options with attributes, for variables of type pick."`
	Variables   Map[Variable]    `plan:"variables" doc:"The named, typed pieces of state."`
	Scenes      Map[Scene]       `plan:"scenes,required" doc:"The places of their own: levels, maps, rooms."`
	Passages    Map[Passage]     `plan:"passages" doc:"The ways from spot to spot."`
	Checkpoints *Checkpoints     `plan:"checkpoints" doc:"Spots that remember: who dies comes back there."`
	Waymarks    Map[Waymark]     `plan:"waymarks" doc:"Remembered places per player, to be returned to."`
	Events      Map[Event]       `plan:"events" doc:"What can happen and be sent in, with arguments."`
	Rules       Rules            `plan:"rules" doc:"On a moment or an event, if a condition holds, do things. In document order. A list; or a table, in which each rule has a name."`
	Milestones  Map[Milestone]   `plan:"milestones" doc:"Lasting marks that a player earns once."`
	Goals       Map[Goal]        `plan:"goals" doc:"What is meant to be possible: a search of the plan asks whether players get there from wherever they come to."`
	Conserved   Map[Conserved]   `plan:"conserved" doc:"Totals that have to stay the same, over the whole world: a search of the plan looks for ways to duplicate some of it, or to lose it."`
	Saving      Saving           `plan:"saving" doc:"When players are saved, and how much is kept."`
	Session     Session          `plan:"session" doc:"One live run of the game with its players."`
	Reach       Given[fixed.Num] `plan:"reach" min:"0" max:"10000000" default:"2" doc:"Distance within which a spot can be touched or passed, in units of space."`
	Always      []Always         `plan:"always" doc:"What holds after every event: one that would break it is refused."`

	Props     Map[PropKind] `plan:"props" doc:"Placed objects with state of their own, by kind."`
	Movables  Map[Movable]  `plan:"movables" doc:"Objects that exist once and stay where they were left, or are with their holder."`
	Standings Map[Standing] `plan:"standings" doc:"Orderings of players by a number, or of the options of a list by what each has."`
	Uses      []Use         `plan:"uses" doc:"The commons that this game uses: player variables that it holds in common with other games."`
	Requests  Requests      `plan:"requests" doc:"Conditions on what players ask for."`

	Carriers Map[Carrier] `plan:"carriers" doc:"Transports with hard limits, and what is to fit into them."`
	Upgrades Upgrades     `plan:"upgrades" doc:"What turns a save of one version into the next, by the version that it leads to: 3: [steps]."`

	Formats Map[SaveFormat] `plan:"formats" doc:"Saves in the game's own format: how they are read and written, each format by a name."`

	// Source is the text that was read.
	Source string `plan:"-"`
	// Gaps are what is of another form than it has to be; Unread are these and the names that nothing declares.
	Gaps      Gaps       `plan:"-"`
	Unread    Gaps       `plan:"-"`
	crossings []Crossing // all of them: see AllCrossings
	// Stopped says that reading was given up, since too much is wrong.
	Stopped bool `plan:"-"`
}

// Space says how places are given.
type Space struct {
	Axes    []ID             `plan:"axes" default:"[x, y]" doc:"Names of the axes, two or three."`
	Unit    Given[string]    `plan:"unit" default:"metre" doc:"What one stands for; shown to people."`
	Step    Given[fixed.Num] `plan:"step" min:"0.000000001" default:"0.001" doc:"Coordinates are whole multiples of this."`
	Facings []ID             `plan:"facings" doc:"The ways a player can face, the first being the one at the start of a run."`
}

// Defaults are the fates of what does not say its own.
type Defaults struct {
	Player Fates      `plan:"player" doc:"For variables held by a player and its pairs, waymarks, and the checkpoint reached."`
	Scene  Fates      `plan:"scene" doc:"For variables held by a scene."`
	Game   Fates      `plan:"game" doc:"For variables held by the game, and movables."`
	Place  PlaceFates `plan:"place" doc:"Where a player is after each crossing."`
	Prop   Fates      `plan:"prop" doc:"For variables held by a prop; without it those of scene."`
	Pair   Fates      `plan:"pair" doc:"For variables held by a pair; without it those of player."`

	Profile Fates `plan:"profile" doc:"For variables held by a profile, alone or with a list; without it they are kept at the crossings that every game has."`

	Lists Map[Fates] // for what is held by each option of a list, by the list; without it those of game
}

// Fates are what each crossing does to a variable.
type Fates struct {
	Scene   Fate `plan:"scene" doc:"When its player arrives in another scene; for a scene's own state, when the last player leaves it."`
	Death   Fate `plan:"death" doc:"When the player comes back after dying."`
	Leave   Fate `plan:"leave" doc:"When a visit ends and another begins."`
	Restart Fate `plan:"restart" doc:"When the session ends and is opened again."`
	NewRun  Fate `plan:"new-run" doc:"When the player starts over in the same slot."`

	Own Map[Fate] // at the crossings that the plan declares
}

// OwnCrossing is a crossing that a game has besides those of every game.
type OwnCrossing struct {
	Title    Given[string]   `plan:"title" doc:"What people call it."`
	On       Moments         `plan:"on" doc:"The moment or event that sets it off, or a list of them."`
	Calendar *Calendar       `plan:"calendar" doc:"Sets it off at certain times of the calendar, in place of on."`
	For      []Given[string] `plan:"for,required" doc:"Whose state goes through it: game, scene, prop, player, profile, and lists by their names. A pair goes with its first; player takes the checkpoint reached and waymarks along, game the movables. With any but player and profile, everybody who is there crosses."`
	Accept   Accept          `plan:"accept"`
}

// Calendar is when a crossing happens by the calendar: again and again, or on certain dates.
type Calendar struct {
	Every Given[string]   `plan:"every" enum:"day,week,month" doc:"Every day, every week (on Monday) or every month (on the 1st)."`
	From  []Given[string] `plan:"from" doc:"Or on certain dates, each later than the one before: [2027-03-01, 2027-06-01]."`
	Clock Given[string]   `plan:"at" default:"00:00" doc:"The time of day, from 00:00 to 23:59."`
	Zone  Given[string]   `plan:"zone" default:"UTC" doc:"The time zone, as the IANA time zone database calls it: Europe/Oslo."`

	finding.At
}

// PlaceFates are where a player is after each crossing.
type PlaceFates struct {
	Death  Given[string] `plan:"death" enum:"checkpoint,entry,stay" doc:"checkpoint: at the checkpoint reached, else the fallback; entry: where they last arrived in this scene; stay: where they died."`
	Leave  Given[string] `plan:"leave" enum:"exact,checkpoint,entry,start" doc:"exact: where they were; checkpoint; entry: where they last arrived in that scene; start: where a new run begins."`
	NewRun Given[string] `plan:"new-run" enum:"start" doc:"Where a new run begins: start."`
	Scene  Given[string] `plan:"scene" enum:"passage" doc:"The passage decides; it may be left out."`
}

// Roster is a list of options, perhaps with attributes.
type Roster struct {
	Title      Given[string]  `plan:"title" doc:"The list's name for people."`
	Attributes Map[ValueType] `plan:"attributes" doc:"What each option says of itself."`
	Options    RosterOptions  `plan:"options,required" doc:"The options, from 1 to 1,000, in order: [a, b], or a table that has for each its attributes, and perhaps title, if (who may pick it) and refused."`
	Accept     Accept         `plan:"accept"`
}

// RosterOptions are the options of a list, in order.
type RosterOptions struct{ Map[RosterOption] }

// RosterOption is one option of a roster.
type RosterOption struct {
	Title      Given[string]
	Attributes Map[Literal]
	If         Expr          // who may pick it
	Refused    Given[string] // what the others are told
}

// ValueType is the type of an attribute or an argument: its name alone, or a table with limits.
type ValueType struct {
	Type ID `plan:"type,required" id:"type" stands:"attribute,argument"`
	Limits
	Roster Ref           `plan:"roster" ref:"roster" doc:"The roster that an argument of type pick comes from."`
	Within Given[string] `plan:"within" enum:"reach" doc:"reach: a prop argument has to be within reach of the player who sends the event."`
	Among  Given[string] `plan:"among" enum:"present" doc:"present: a player argument has to be in the session, which is always so."`

	finding.At
}

// Variable is a named, typed piece of state.
type Variable struct {
	Of    Holder        `plan:"of,required" form:"Held by" doc:"Who has a copy of their own: game, player, profile (a player over all slots), scene, prop:kind or a list; or a pair: [player, scene], [player, prop:kind], [player, list] or [profile, list]."`
	In    []Ref         `plan:"in" ref:"scene" doc:"Of what scenes hold, alone or with a player: only these scenes have one."`
	Type  ID            `plan:"type,required" id:"type" stands:"variable"`
	Title Given[string] `plan:"title" doc:"What people call it."`
	Start *Literal      `plan:"start" doc:"Its value before anything happened. Needed unless it is optional, a list, a set, a group, a seed, a stopwatch or computed."`
	Limits
	Is        Expr          `plan:"is" doc:"Makes it a computed variable: never stored, always right."`
	AtLimit   Given[string] `plan:"at_limit" enum:"clamp,refuse" default:"clamp" doc:"What happens to a value beyond min or max: it is moved to the limit, or the event is refused."`
	Refused   Given[string] `plan:"refused" doc:"With at_limit: refuse: what the player is told whose event is refused."`
	Roster    Ref           `plan:"roster" form:"Roster" ref:"roster" doc:"The roster that a pick comes from."`
	Items     *ValueType    `plan:"items" form:"Of" doc:"What the items of a list or a set are: a type's name, or a table."`
	MaxItems  Given[int]    `plan:"max_items" form:"Most items" min:"1" max:"1000" default:"100" doc:"Most items of a list or a set."`
	Fields    Map[Field]    `plan:"fields" doc:"The fields of a group: what belongs together and has one fate."`
	While     Expr          `plan:"while" doc:"A stopwatch counts only while this holds."`
	Locked    Given[bool]   `plan:"locked" default:"false" doc:"Of a pick: once picked it stays until it is reset."`
	Across    Fates         `plan:"across" doc:"Its fate at each crossing, where the default is not right."`
	Share     *Share        `plan:"share" doc:"Who is sent it, and who may write it."`
	WrittenBy Given[string] `plan:"written_by" enum:"game" doc:"game: nothing in the plan writes it; the game's own server does."`
	ReadBy    Given[string] `plan:"read_by" enum:"game" doc:"game: the game reads it, so that it is of use though nothing in the plan reads it."`
	Accept    Accept        `plan:"accept"`
}

// Field is one field of a group.
type Field struct {
	Type  ID            `plan:"type,required" id:"type" stands:"field"`
	Title Given[string] `plan:"title" doc:"What people call it."`
	Start *Literal      `plan:"start" doc:"Its value before anything happened. Needed unless it is optional."`
	Limits
	AtLimit Given[string] `plan:"at_limit" enum:"clamp,refuse" default:"clamp" doc:"What happens to a value beyond min or max."`
	Roster  Ref           `plan:"roster" ref:"roster" doc:"The roster that a pick comes from."`
}

// Share says who is sent a variable, and who may write it.
type Share struct {
	With   Given[string] `plan:"with" enum:"nobody,self,scene,everyone" doc:"Who is sent it: nobody; self, its own player; scene, who is in the scene of its holder; everyone in the session. Unsaid: self for players and their pairs, scene for scenes and props, everyone for the game."`
	Writer Given[string] `plan:"writer" enum:"server,self" default:"server" doc:"Who may write it besides the rules: the game's server, or its own player too."`
	AtMost Given[Rate]   `plan:"at_most" doc:"How often its own player may write it, as 10/s or 30/m."`
	Told   Given[Rate]   `plan:"told" doc:"How often at most machines are told of it, as 2/s or 30/m. What it is in between, none of them knows. Unsaid: with every tick in which it changed."`
}

// PropKind is one kind of placed objects.
type PropKind struct {
	Title  Given[string]    `plan:"title" doc:"What people call one of them."`
	Placed Map[Placement]   `plan:"placed,required" doc:"Each of them, with where it is: a spot, or {in: scene, at: [x, y]}."`
	Radius Given[fixed.Num] `plan:"radius" min:"0" max:"10000000" doc:"How near a player has to come to enter it, for the moments entered and exited; without it nobody does."`
	Reach  Given[fixed.Num] `plan:"reach" min:"0" max:"10000000" doc:"Its own reach, for arguments within: reach; the plan's otherwise."`
	Accept Accept           `plan:"accept"`
}

// Placement is where a prop is: at a spot, or at coordinates of a scene.
type Placement struct {
	Spot  Ref
	Scene Ref                `plan:"in,required" ref:"scene" doc:"The scene."`
	Point []Given[fixed.Num] `plan:"at,required" doc:"Its coordinates, one for each axis."`
}

// Movable is an object that exists once.
type Movable struct {
	Title   Given[string] `plan:"title" doc:"What people call it."`
	Start   Ref           `plan:"start,required" ref:"spot" doc:"The spot where it is at first."`
	NeverIn []Ref         `plan:"never_in" ref:"scene" doc:"Scenes into which nobody can bring it."`
	Across  Fates         `plan:"across" doc:"Its fates: keep, or reset, which sends it home; defaults.game otherwise."`
	Accept  Accept        `plan:"accept"`
}

// Standing is an ordering of players by a value.
type Standing struct {
	Title  Given[string] `plan:"title" doc:"What people call it."`
	Rank   Expr          `plan:"rank,required" doc:"The number that players are ordered by; where it reads what each option of a list has (side.stock), the options are."`
	Order  Given[string] `plan:"order" enum:"high,low" default:"high" doc:"Whether the highest or the lowest number comes first."`
	Keep   Given[string] `plan:"keep" enum:"best,last" default:"best" doc:"best: the best number ever counts; last: the one of now."`
	If     Expr          `plan:"if" doc:"What has to hold for the number to count."`
	Accept Accept        `plan:"accept"`
}

// Requests are conditions on what players ask for.
type Requests struct {
	Move      MoveRequest `plan:"move" doc:"The player says where they are."`
	Pass      RequestRule `plan:"pass" doc:"The player goes through a passage."`
	Touch     RequestRule `plan:"touch" doc:"The player touches a checkpoint."`
	StartOver RequestRule `plan:"start-over" doc:"The player begins a new run."`
}

// Carrier is a transport with hard limits that state has to fit into.
type Carrier struct {
	Title       Given[string]        `plan:"title" doc:"What people call it."`
	Alphabet    Given[string]        `plan:"alphabet,required" doc:"The symbols that it takes, as single ones and ranges: 0-9"`
	Length      Given[int]           `plan:"length,required" min:"1" max:"1000000" doc:"Most symbols of one message."`
	Lanes       Given[int]           `plan:"lanes" min:"1" max:"100000" default:"1" doc:"How many messages stand beside one another; each writer needs one of its own."`
	Every       Given[time.Duration] `plan:"every,required" doc:"How often a lane can be written."`
	Writers     Given[string]        `plan:"writers" enum:"players,server" default:"players" doc:"players: each has a lane; server: the game's server writes them all."`
	Carries     []Expr               `plan:"carries,required" doc:"What a message holds, in this order: place.scene, place.x, player.courier."`
	Samples     Given[int]           `plan:"samples" min:"1" max:"100" default:"1" doc:"How many places a message holds, the newest first: those of place are carried so many times."`
	SampleEvery Given[time.Duration] `plan:"sample_every" doc:"How far apart in time the samples are."`
	Accept      Accept               `plan:"accept"`
}

// RequestRule is the condition of one request.
type RequestRule struct {
	Closed  Given[bool]   `plan:"closed" default:"false" doc:"Players cannot ask for it at all; rules still do it."`
	If      Expr          `plan:"if" doc:"What has to hold for the request to be allowed."`
	Refused Given[string] `plan:"refused" doc:"What the player is told then."`
}

// MoveRequest is the condition of a move.
type MoveRequest struct {
	Closed  Given[bool]      `plan:"closed" default:"false" doc:"Players cannot say where they are; only passages and rules move them."`
	If      Expr             `plan:"if" doc:"What has to hold for a move to be allowed."`
	Refused Given[string]    `plan:"refused" doc:"What the player is told then."`
	Fastest Given[fixed.Num] `plan:"fastest" min:"0" max:"10000000" doc:"Greatest speed, in units of space per second: a longer move is refused."`
}

// Scene is a place of its own.
type Scene struct {
	Title  Given[string]      `plan:"title" doc:"What people call it."`
	Size   []Given[fixed.Num] `plan:"size,required" doc:"Its extent along each axis: from its origin (0 if unsaid) up to, not including, origin + size."`
	Areas  Map[Area]          `plan:"areas" doc:"Named regions that a player is in or not."`
	Spots  Map[Spot]          `plan:"spots" doc:"Named positions."`
	Origin []Given[fixed.Num] `plan:"origin" doc:"Its lowest coordinates; 0 along each axis if unsaid. It reaches from there up to, not including, origin + size."`
	Walk   Given[bool]        `plan:"walk" default:"true" doc:"false: nobody moves freely here, only from spot to spot by passages and rules."`
	Near   *Near              `plan:"near" doc:"Whom a player's machine is sent here: only those who are near. Without it: everybody in the scene."`
	Accept Accept             `plan:"accept"`
}

// Near says which of the players in a scene a player's machine is sent.
type Near struct {
	Within Given[fixed.Num] `plan:"within,required" min:"0" max:"10000000" doc:"The distance within which others are near. Who was near stays so up to a tenth more."`
	AtMost Given[int]       `plan:"at_most" min:"1" max:"1000" default:"64" doc:"How many others at most: the nearest."`
}

// Area is a named region of a scene: a box, or a circle (a ball, where there are three axes).
type Area struct {
	Title  Given[string]
	Box    Map[[]Given[fixed.Num]]
	At     []Given[fixed.Num]
	Radius Given[fixed.Num]
	Accept Accept
}

// Spot is a named position in a scene.
type Spot struct {
	At     []Given[fixed.Num]      `plan:"at,required" doc:"Its coordinates, one for each axis."`
	Facing Given[string]           `plan:"facing" doc:"The facing of who arrives here; without one theirs stays as it is."`
	Span   Map[[]Given[fixed.Num]] `plan:"span" doc:"Makes it an edge: for an axis, from and to (both included)."`
	Reach  Given[string]           `plan:"reach" doc:"Its own reach: a distance, or any."`
	Accept Accept                  `plan:"accept"`
}

// Passage is a way from a spot to a spot.
type Passage struct {
	From     Ref           `plan:"from,required" ref:"spot" doc:"The spot where it begins, as scene/spot."`
	To       Ref           `plan:"to,required" ref:"spot or waymark" doc:"The spot where it leads, or the waymark."`
	BothWays Given[bool]   `plan:"both_ways" default:"false" doc:"Leads back as well."`
	Carry    []ID          `plan:"carry" doc:"The axes, and facing, that a player brings along; the others come from the spot."`
	If       Expr          `plan:"if" doc:"What has to hold to pass, in both directions."`
	Refused  Given[string] `plan:"refused" doc:"What a player is told where if does not hold."`
	Else     Ref           `plan:"else" ref:"spot" doc:"Where a player is led instead where if does not hold, or the waymark is none."`
	Title    Given[string] `plan:"title" doc:"What people call it."`
	Accept   Accept        `plan:"accept"`
}

// Checkpoints are the spots that remember.
type Checkpoints struct {
	Use       Given[string]        `plan:"use" enum:"furthest,latest" default:"furthest" doc:"furthest: an earlier one never replaces a later one; latest: the one touched last."`
	Fallback  Ref                  `plan:"fallback" ref:"spot" doc:"Where a player comes back who dies before the first."`
	BackAfter Given[time.Duration] `plan:"back_after" default:"0s" doc:"How long after dying the player comes back by itself; 0s is at once."`
	List      Map[Checkpoint]      `plan:"list" doc:"The checkpoints; none, and who dies comes back at fallback."`
	Across    Fates                `plan:"across" doc:"Fates of the checkpoint reached; defaults.player otherwise."`
	Accept    Accept               `plan:"accept"`
}

// Checkpoint is one of them.
type Checkpoint struct {
	Spot  Ref         `plan:"at" ref:"spot" doc:"The spot to touch."`
	Area  Ref         `plan:"in" ref:"area" doc:"The area to enter, in place of a spot to touch: scene/area."`
	Order Given[int]  `plan:"order" min:"0" max:"1000000" doc:"How far along it is, for use: furthest. Without it, its place in the list."`
	Again Given[bool] `plan:"again" default:"false" doc:"Touching it once more renews what was remembered there."`
}

// Waymark is a place that each player may remember.
type Waymark struct {
	Title    Given[string] `plan:"title" doc:"What people call it."`
	NotFrom  []Ref         `plan:"not_from" ref:"scene" doc:"Scenes in which remembering it changes nothing."`
	ForgetOn []Ref         `plan:"forget_on" ref:"scene" doc:"Scenes on whose arrival it is forgotten."`
	Lasting  Given[bool]   `plan:"lasting" default:"false" doc:"Going there does not use it up."`
	Across   Fates         `plan:"across" doc:"Its fates; defaults.player otherwise. reset makes it none."`
	Accept   Accept        `plan:"accept"`
}

// Event is something that happens and is sent in.
type Event struct {
	Args      Map[ValueType] `plan:"args" doc:"Its arguments: a type's name, or a table."`
	From      Given[string]  `plan:"from,required" enum:"self,server" doc:"self: a player sends it about themselves; server: only the game's server does."`
	If        Expr           `plan:"if" form:"Only if" doc:"What has to hold; where it does not, the event is refused."`
	Refused   Given[string]  `plan:"refused" doc:"What the sender is told then."`
	WhileDead Given[bool]    `plan:"while_dead" default:"false" doc:"A dead player may send it too."`
	Title     Given[string]  `plan:"title" doc:"What people call it."`
	AtMost    Given[Rate]    `plan:"at_most" doc:"How often one sender may send it, as 5/s or 30/m."`
	Accept    Accept         `plan:"accept"`
}

// Rule does things on a moment or an event.
type Rule struct {
	Name   ID          `plan:"name" doc:"What it is called, wherever something comes of it; in a table of rules its key."`
	On     Moments     `plan:"on,required" form:"When" doc:"The moment or event, or a list of them."`
	If     Expr        `plan:"if" form:"Only if" doc:"What has to hold for the rule to act."`
	Do     []Action    `plan:"do,required" form:"What happens" doc:"The actions, in order; each sees what the ones before it did."`
	Off    Given[bool] `plan:"off" default:"false" doc:"It is switched off, for a try: it does nothing, and check says so."`
	Accept Accept      `plan:"accept"`

	finding.At
}

// Always is something that holds after every event.
type Always struct {
	That    Expr          `plan:"that,required" doc:"What always holds."`
	Refused Given[string] `plan:"refused" doc:"What the sender of an event is told that would break it."`
	Accept  Accept        `plan:"accept"`

	finding.At
}

// Rate is how often something may happen: so many times in a time.
type Rate struct {
	Times int
	Per   time.Duration
}

// String is the rate as it is written: 5/s.
func (r Rate) String() string {
	unit := map[time.Duration]string{time.Second: "s", time.Minute: "m", time.Hour: "h"}[r.Per]
	return fmt.Sprintf("%d/%s", r.Times, unit)
}

// Milestone is a lasting mark that a player earns once, by a condition or by progress to a goal.
type Milestone struct {
	Title    Given[string]    `plan:"title" doc:"What people call it."`
	When     Expr             `plan:"when" doc:"The condition. It is evaluated when something that it reads has changed, and on joining."`
	Progress Expr             `plan:"progress" doc:"How far along the player is: a number that is checked against goal."`
	Goal     Given[fixed.Num] `plan:"goal" doc:"The progress at which it is earned."`
	Across   Fates            `plan:"across" doc:"Its fates: keep or reset. Without them it is kept for good."`
	Accept   Accept           `plan:"accept"`
}

// Goal is something that is meant to be possible, from the start and from wherever players get to.
type Goal struct {
	Title     Given[string] `plan:"title" doc:"What people call it."`
	Reach     Expr          `plan:"reach,required" doc:"The condition, about a player or the game."`
	StartOver Given[bool]   `plan:"start_over" default:"false" doc:"Whether starting over counts as a way to it."`
}

// Conserved is a total that has to stay the same, whatever happens.
type Conserved struct {
	Title  Given[string]   `plan:"title" doc:"What people call it."`
	Sum    Expr            `plan:"sum,required" doc:"What is counted: variables, or multiples of them, joined by + and -: player.coins + 10 * player.notes + game.till. Each is added up over all that have it: players, scenes, props."`
	MadeBy []Given[string] `plan:"made_by" doc:"What may make more of it: events, rules by their names, crossings, and variables of it that are written from outside."`
	LostBy []Given[string] `plan:"lost_by" doc:"What may make it less."`

	finding.At
}

// Saving says when players are saved.
type Saving struct {
	Slots     Given[int]           `plan:"slots" min:"1" max:"100" default:"1" doc:"How many saves a player may have."`
	When      []Given[string]      `plan:"when" doc:"The moments at which a player is saved: checkpoint, scene, death, leave, change, or a crossing of the plan's own, at which all who cross are saved. change: whoever changed is saved within a second, many changes at once. On an event, a rule saves: {save: player}."`
	Every     Given[time.Duration] `plan:"every" doc:"How often whoever changed is saved besides; at least 100ms."`
	Revisions Given[int]           `plan:"revisions" min:"1" max:"10000" default:"10" doc:"How many earlier saves of a slot are kept."`
	Offline   Given[string]        `plan:"offline" enum:"refuse,slot,take" default:"refuse" doc:"What is done with a save that a player made without the service and hands over. slot: it goes to an empty slot. take: it becomes the newest of the slot that it began from, if nothing was saved there since; otherwise as slot. Nobody can know who changed it: refuse, where that matters."`
	Misfits   Misfits              `plan:"misfits" doc:"What is done with what a save holds that the plan does not take as it is. Whatever is done, the attic keeps what stood there."`
	Accept    Accept               `plan:"accept"`

	finding.At
}

// Misfits say what is done with what a save holds that the plan does not take as it is, by what is wrong with it.
// last: the newest earlier save of the slot in which nothing of the kind is wrong is loaded instead; where there is
// none, it is as if nothing had been said. refuse: the save is not loaded.
type Misfits struct {
	Type       Given[string] `plan:"type" enum:"start,last,refuse" default:"start" doc:"A value of another type. start: it has its start value."`
	Range      Given[string] `plan:"range" enum:"nearest,start,last,refuse" default:"nearest" doc:"A number outside its limits, a text or a list that is too long. nearest: the nearest that is right; of a text, start."`
	Step       Given[string] `plan:"step" enum:"nearest,start,last,refuse" default:"nearest" doc:"A number between two steps."`
	Option     Given[string] `plan:"option" enum:"start,last,refuse" default:"start" doc:"An option that the plan does not have."`
	Place      Given[string] `plan:"place" enum:"nearest,last,refuse" default:"nearest" doc:"A place that the plan does not have. nearest: the nearest point of the scene; where there is no such scene, the checkpoint reached, else the fallback, else the start. A waymark is forgotten."`
	Missing    Given[string] `plan:"missing" enum:"start,last,refuse" default:"start" doc:"A value that is not there, though the save is of this version."`
	Extra      Given[string] `plan:"extra" enum:"keep,refuse" default:"keep" doc:"Something that the plan does not know. keep: the attic keeps it."`
	Duplicate  Given[string] `plan:"duplicate" enum:"keep,last,refuse" default:"keep" doc:"Of a save in the game's own format: something that stands there twice. keep: the first counts, and the file keeps the others."`
	Impossible Given[string] `plan:"impossible" enum:"take,last,refuse" default:"take" doc:"Something that cannot be: what always holds does not, what is somewhere is never there. take: it is loaded, and reported."`
	Unreadable Given[string] `plan:"unreadable" enum:"last,refuse" default:"refuse" doc:"A save that cannot be read at all, or is damaged."`
}

// Session is one live run.
type Session struct {
	Players Given[int]           `plan:"players" min:"1" max:"100000" default:"16" doc:"How many players one session takes. With 1, the world is part of the player's own save."`
	Grace   Given[time.Duration] `plan:"grace" default:"45s" doc:"How long a player whose connection is lost, or of whom nothing is heard, keeps their seat, at most 1h; 0s ends the visit at once."`
	Ticks   Given[Rate]          `plan:"ticks" default:"10/s" doc:"How often everybody is sent what has changed: from 1/s to 60/s."`
	Budget  Given[Budget]        `plan:"budget" doc:"How much one frame may hold in scenes with near, as 900B/tick or 4KB/tick (1 KB is 1,000 bytes), from 100B to 1000KB: what others do waits for the next ones where it is more."`
}

// Budget is how many bytes one frame may have.
type Budget int

// String is the budget as it is written: 4KB/tick.
func (b Budget) String() string {
	if b%1000 == 0 {
		return fmt.Sprintf("%dKB/tick", b/1000)
	}
	return fmt.Sprintf("%dB/tick", int(b))
}
