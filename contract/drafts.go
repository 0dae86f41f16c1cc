package contract

// PlanEdit is one change of a plan's text.
type PlanEdit struct {
	Do        string   `json:"do" enum:"fate,put,insert,order,remove,rename,retype,move,mend" doc:"fate: a variable's fate at a crossing. put: a value at a path, in place of what is there or as something new. insert: a value becomes an item of a list, before the one at the path. order: the item of a list at a path becomes another one in the order. remove: what is at a path. rename: a variable, or a scene, spot, area, passage, prop, checkpoint and so on at a path, gets another id, wherever the plan says it. retype, move: a variable gets another type, another holder. mend: a name that is none becomes the nearest that is one, wherever just this is wrong."`
	Name      string   `json:"name,omitempty" maxLength:"120" doc:"Of fate, retype, move, and rename or remove of a variable: which, as player.warmth."`
	Crossing  string   `json:"crossing,omitempty" maxLength:"64" doc:"Of fate: scene, death, leave, restart, new-run, or one of the plan's own."`
	Fate      string   `json:"fate,omitempty" enum:"keep,reset,rewind,set,default" doc:"Of fate; default takes the variable's own fate away."`
	Set       string   `json:"set,omitempty" maxLength:"2000" doc:"Of the fate set: the expression."`
	Path      []string `json:"path,omitempty" maxItems:"12" doc:"Of put, insert, order, remove, and rename of what is no variable: keys from the top, as scenes, gorge, spots, ledge, at; through a list by the number of an item, from 0: rules, 3, do, 1."`
	Value     JSON     `json:"value,omitempty" doc:"Of put and insert: the value. Of retype: what the declaration says of its type: type, min, max, step, start and so on; what is left out is taken away."`
	To        string   `json:"to,omitempty" maxLength:"120" doc:"Of rename: the new id. Of move: the new holder, as it is written in a plan. Of order: which item it becomes, from 0."`
	Line      int      `json:"line,omitempty" minimum:"0" doc:"Of mend: the line of the finding, which names the nearest."`
	Column    int      `json:"column,omitempty" minimum:"0" doc:"Of mend: the column of the finding."`
	Step      bool     `json:"step,omitempty" doc:"Of rename, retype, move, and remove of a variable: write the upgrade step that takes saves along."`
	Published int      `json:"published,omitempty" minimum:"0" doc:"Of a change with a step: the newest published version. Where the plan has it, the step raises the plan's version."`
}

// Outline is a plan's text as forms show it.
type Outline struct {
	Document JSON        `json:"document" doc:"The plan as it is written, as JSON, with keys in their order."`
	Says     []Sentence  `json:"says" doc:"What its events and rules do, in plain sentences."`
	Names    []Named     `json:"names" doc:"Everything that it names; nothing where it has errors that keep it from running."`
	Groups   []RuleGroup `json:"groups" doc:"The rules by what sets them off, in their order; those that are waited for by nothing that could be read come last."`
}

// Sentence is something of a plan in words.
type Sentence struct {
	At   string `json:"at" doc:"JSON Pointer (RFC 6901) of what it is about."`
	Text string `json:"text" doc:"The sentence, without a full stop. Names that stand only for what an event or an action gives stand in ‹›."`
	Deep int    `json:"deep" doc:"Of what stands in a rule: in how many actions. 0 is the rule itself."`
}

// RuleGroup is what sets rules off.
type RuleGroup struct {
	Title string       `json:"title"`
	Event string       `json:"event,omitempty" doc:"Where it is an event: which."`
	Rules []RuleGlance `json:"rules" doc:"A rule that waits for several moments stands under each."`
}

// RuleGlance is a rule with what it reads and changes.
type RuleGlance struct {
	At      string   `json:"at" doc:"JSON Pointer (RFC 6901) of the rule."`
	Reads   []string `json:"reads" doc:"Variables, as player.oil; none where the plan has errors that keep it from running."`
	Changes []string `json:"changes" doc:"Variables, as player.oil; none where the plan has errors that keep it from running."`
}

// EditWish is a plan's text with changes that are wanted.
type EditWish struct {
	Text  string     `json:"text" maxLength:"1100000" doc:"The plan."`
	Edits []PlanEdit `json:"edits" minItems:"1" maxItems:"50" doc:"What is changed, one after another."`
}

// Edited text with what the checks say of it.
type EditedText struct {
	Text   string `json:"text" doc:"The plan with the changes. Comments, order and layout of all else are as they were."`
	Report Report `json:"report"`
}
