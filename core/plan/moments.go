package plan

// builtIn is a moment that rules can wait for besides the plan's events.
type builtIn struct {
	id    string
	say   string // its sentence, with what it is of in place of %s
	group string // under what a page of rules shows it
	any   string // its sentence where it names nothing, though it might
	of    string // what it may be waited for of: a scene; "" where it names nothing
	needs string // where it has to name something, what, and how that is written
	rows  []MomentRow
}

// MomentRow is a row of the reference: a moment as it is written, when it is, and whom the rule is about.
type MomentRow struct{ Written, When, About string }

// moments are all of them, in the order of the reference.
var moments = []builtIn{
	{id: "joined", group: "Coming and going", say: "when a player joins", rows: []MomentRow{{"`joined`", "a player has joined; after `loaded` and before `arrived`",
		"that player"}}},
	{id: "loaded", group: "Coming and going", say: "when what was saved of a player is loaded", rows: []MomentRow{{"`loaded`",
		"what was saved of a player has been loaded, and the column `leave` applied", "that player"}}},
	{id: "started", group: "Coming and going", say: "when a player begins a run", rows: []MomentRow{{"`started`", "a run begins: the first time in a slot, and on starting over",
		"that player"}}},
	{id: "left", group: "Coming and going", say: "when a player leaves the game", rows: []MomentRow{{"`left`", "a player leaves, and is still there", "that player"}}},
	{id: "arrived", group: "In places", say: "when a player arrives in %s", any: "when a player arrives in a scene", of: "a scene", rows: []MomentRow{{"`arrived`, `{arrived: scene}`",
		"a player has come into a scene, by whatever way. **Also on joining**; where only a change of scene is meant, do it on `departed`, or do what joining needs on `joined`", "that player; `place` is the new one"}}},
	{id: "departed", group: "In places", say: "when a player goes away from %s", any: "when a player goes away from a scene", of: "a scene", rows: []MomentRow{{"`departed`, `{departed: scene}`",
		"a player is about to leave a scene for another; not on leaving the session", "that player; `place` is still the old one"}}},
	{id: "entered", group: "In places", say: "when a player comes into %s", of: "an area or a kind of props", needs: "the area: {entered: gorge/scree}", rows: []MomentRow{
		{"`{entered: scene/area}`, `{exited: scene/area}`",
			"a player has come into an area or out of it, also by arriving, joining or being moved; the dead are in none", "that player"},
		{"`{entered: prop:kind}`, `{exited: prop:kind}`",
			"a player has come near to a prop, or gone from it; the kind has a `radius`", "that player, and `prop`"}}},
	{id: "exited", group: "In places", say: "when a player goes out of %s", of: "an area or a kind of props", needs: "the area: {exited: gorge/scree}"},
	{id: "checkpoint", group: "Life and death", say: "when a player reaches %s", any: "when a player reaches a checkpoint", of: "a checkpoint", rows: []MomentRow{{"`checkpoint`, `{checkpoint: id}`",
		"a checkpoint was reached, or renewed with `again`", "that player; `player.checkpoint` is the new one"}}},
	{id: "died", group: "Life and death", say: "when a player dies", rows: []MomentRow{{"`died`", "a player has died, before the column `death`", "that player"}}},
	{id: "came-back", group: "Life and death", say: "when a player comes back to life", rows: []MomentRow{{"`came-back`", "a player has come back, after the column `death`",
		"that player"}}},
	{id: "picked", group: "When something changes", say: "when a player picks another option", rows: []MomentRow{{"`picked`", "a pick of a player has become another", "that player"}}},
	{id: "milestone", group: "When something changes", say: "when a player earns %s", any: "when a player earns a milestone", of: "a milestone",
		rows: []MomentRow{{"`milestone`, `{milestone: id}`", "a player has earned one", "that player"}}},
	{id: "changed", group: "When something changes", say: "when %s changes", of: "a variable", needs: "the variable: {changed: player.oil}",
		rows: []MomentRow{{"`{changed: player.x}`",
			"a stored variable has become another value, by anything but a fate or a correction", "the player, scene, prop or option whose it is"}}},
	{id: "saved", group: "Coming and going", say: "when a player is about to be saved", rows: []MomentRow{{"`saved`", "a player is about to be saved, at a moment of `saving` or by `save`",
		"that player"}}},
	{id: "crossed", group: "As time goes on", say: "when %s is crossed", of: "a crossing of the plan", needs: "the crossing: {crossed: round}", rows: []MomentRow{
		{"`{crossed: round}`", "one of the plan's own crossings has been crossed",
			"nobody; each player who has crossed, where the crossing is for players alone"},
		{"`{crossed: round, of: player}`", "so has a player", "that player"}}},
	{id: "every", group: "As time goes on", say: "every %s", needs: "its time: {every: 30s}", rows: []MomentRow{
		{"`{every: 30s}`", "so often while anybody is present, once for the session", "nobody"},
		{"`{every: {time: 30s, of: player}}`", "so often for each player, counted from their joining", "that player"}}},
}

// MomentReference are the rows of the reference.
func MomentReference() []MomentRow {
	var out []MomentRow
	for _, m := range moments {
		out = append(out, m.rows...)
	}
	return out
}

// momentCalled finds a built-in moment; nil where there is none.
func momentCalled(id string) *builtIn {
	for i := range moments {
		if moments[i].id == id {
			return &moments[i]
		}
	}
	return nil
}

// builtInMoments are the ids of the moments for which which holds.
func builtInMoments(which func(*builtIn) bool) []string {
	var out []string
	for i := range moments {
		if which(&moments[i]) {
			out = append(out, moments[i].id)
		}
	}
	return out
}

// BuiltInMoments are the moments that a rule can name besides the plan's events.
var BuiltInMoments = builtInMoments(func(*builtIn) bool { return true })

// momentsOf are the moments that may be waited for of one thing.
var momentsOf = builtInMoments(func(m *builtIn) bool { return m.of != "" })

// Group is under what a page of rules shows a moment; "" of an event.
func (m Moment) Group() string {
	if known := momentCalled(m.Kind); known != nil {
		return known.group
	}
	return ""
}

// MomentGroups are all of these, in their order.
func MomentGroups() []string {
	var out []string
	for _, m := range moments {
		if !contains(out, m.group) {
			out = append(out, m.group)
		}
	}
	return out
}
