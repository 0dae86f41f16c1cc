package model

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Check is what has to hold of a save after the upgrade to this version.
type Check struct {
	That        *expr.Program
	Why         string
	AboutPlayer bool
	At          finding.At
}

// allUpgrades makes sure that what the upgrade to this version writes is there. What it reads are names of the
// version before, and what earlier upgrades write were names of theirs: comparing two versions judges those.
func (b *builder) allUpgrades() {
	said := map[string]bool{}
	for _, u := range b.Plan.Upgrades {
		for i := range u.Steps {
			for _, name := range u.Steps[i].Names() {
				for part := range strings.SplitSeq(name, ".") {
					said[part] = true
				}
			}
		}
	}
	for _, u := range b.Plan.Upgrades {
		own := u.Version == b.Plan.Version.Value
		for i := range u.Steps {
			s := &u.Steps[i]
			if s.Verb != "check" {
				for _, x := range s.Expressions() {
					paths, found := expr.Paths(x)
					b.add(found...)
					for _, path := range paths {
						b.oldName(path, said)
					}
				}
			}
			if own {
				b.upgradeStep(s, u.Steps)
			}
		}
	}
}

// oldHolders begin the names that expressions of upgrades read: old is the value that a step is about. Lists begin names, too.
var oldHolders = []string{"old", "player", "game", "place", "profile", "scene", "scenes", "prop"}

// oldName reports a name that begins with nothing that holds values. It may begin with a list of an earlier version: said has
// the parts of all names in the steps, and such a list is among them.
func (b *builder) oldName(path expr.Path, said map[string]bool) {
	holder, rest, inside := strings.Cut(path.Name, ".")
	switch {
	case slices.Contains(oldHolders, holder), b.lists[holder] != nil, inside && said[holder]:
		return
	}
	near := finding.Word(holder, oldHolders)
	whole := near.Name
	if inside && whole != "" {
		whole += "." + rest
	}
	b.report("unknown-name", path.At,
		"Nothing is called %s here. An upgrade reads old, player, game, place, profile, scene, scenes, prop and lists.%s", path.Name,
		finding.DidYouMean(whole))
}

func (b *builder) upgradeStep(s *plan.UpgradeStep, all []plan.UpgradeStep) {
	for _, row := range s.Rename {
		b.savedTarget(row.To)
	}
	switch s.Verb {
	case "convert", "options":
		name := plan.Given[string]{Value: s.Convert.Value + s.Options.Value, Given: true,
			At: orOther(s.Convert.At, s.Options.At)}
		if l := b.lists[name.Value]; l != nil {
			b.newListOptions(s, l)
			return
		}
		name.Value = plan.Renamed(name.Value, all)
		b.savedTarget(name)
		b.newOptions(s, b.vars[name.Value])
	case "restore":
		b.savedTarget(s.Restore)
	case "merge", "fill":
		b.savedTarget(plan.Given[string]{Value: s.Merge.Value + s.Fill.Value, Given: true,
			At: orOther(s.Merge.At, s.Fill.At)})
	case "split":
		for _, row := range s.Into.Table {
			b.savedTarget(row.Name)
		}
	case "move":
		b.moveTarget(s)
	case "place":
		b.placeStep(s)
	case "check":
		if p, ok := b.condition(s.Check, b.scopes.player, nil); ok {
			b.Checks = append(b.Checks, &Check{That: p, Why: s.Why.Value, AboutPlayer: b.aboutPlayer(p), At: s.At})
		}
	}
}

// newOptions makes sure that what options become are options that there are.
func (b *builder) newOptions(s *plan.UpgradeStep, v *Var) {
	if v == nil || s.Verb != "options" {
		return
	}
	t := v.Type
	if v.Item != nil {
		t = v.Item.Type
	}
	if !t.Named() {
		b.report("type-mismatch", s.Options.At, "%s is %s: only choices and picks, and lists of them, have options.",
			v.Name, v.Type.Value())
		return
	}
	for _, e := range s.Map.Entries {
		if name := e.Value.Name; !slices.Contains(t.Names, name) {
			near := finding.Declared(name, t.Names)
			f := finding.New("unknown-name", e.Value.At, fmt.Sprintf("%s has no option called %q.%s", v.Name, name,
				finding.DidYouMean(near.Name)))
			if name == "none" {
				f = finding.New("bad-value", e.Value.At,
					fmt.Sprintf("None is no option that another can become; leave %s out, and who has it gets the start value of %s, or what saving: {misfits: {option: …}} says.", e.ID, v.Name))
			}
			f.Suggest(near)
			b.add(f)
		}
	}
}

// newListOptions makes sure that what options of a list become are options that there are.
func (b *builder) newListOptions(s *plan.UpgradeStep, l *List) {
	for _, e := range s.Map.Entries {
		b.oneOf(e.Value.Name, b.options[l.ID], "option of "+l.ID, e.Value.At)
	}
	for _, e := range s.Many.Each.Entries {
		if l.Own.Var(e.ID) == nil && l.Players.Var(e.ID) == nil {
			b.report("unknown-name", e.At, "Nothing called %q is held for each %s.", e.ID, l.ID)
		}
	}
}

func orOther(a, b finding.At) finding.At {
	if a.Line == 0 {
		return b
	}
	return a
}

// savedTarget reports a name that saves of this version do not hold, and says whether they do.
func (b *builder) savedTarget(name plan.Given[string]) bool {
	if !name.Given {
		return true
	}
	known, holds := b.SavedNames(), b.Saves(name.Value)
	if _, rest, _ := strings.Cut(name.Value, "."); !holds && !b.lost[strings.Split(rest, ".")[0]] {
		near := finding.Declared(name.Value, known)
		f := finding.New("unknown-name", name.At,
			"Saves of version "+b.version()+" hold nothing called \""+name.Value+"\"."+finding.DidYouMean(near.Name))
		f.Suggest(near)
		b.add(f)
	}
	return holds
}

func (b *builder) version() string { return strconv.Itoa(b.Plan.Version.Value) }

// Saves says whether saves hold something of a name: a variable, a group, or one of the things that plans name.
func (m *Model) Saves(name string) bool {
	if v := m.vars[name]; v != nil {
		return !v.Computed()
	}
	for id, v := range m.vars {
		if strings.HasPrefix(id, name+".") && !v.Computed() && strings.Count(name, ".") >= 1 && v.Shared == nil {
			return !strings.HasPrefix(name, "prop.") || strings.Count(name, ".") >= 2
		}
	}
	space, id, _ := strings.Cut(name, ".")
	if l := m.lists[space]; l != nil && (id == "" || l.Option(id) >= 0) {
		return true
	}
	return slices.Contains(m.named(space), id)
}

// SavedNames lists everything that saves hold something of.
func (m *Model) SavedNames() []string {
	var out []string
	for id, v := range m.vars {
		if !v.Computed() {
			out = append(out, id)
		}
	}
	for _, space := range plan.AllSpaces {
		for _, id := range m.named(space) {
			out = append(out, space+"."+id)
		}
	}
	slices.Sort(out)
	return out
}

// named lists what a plan names in one of the spaces that hold no values.
func (m *Model) named(space string) []string {
	switch space {
	case "scenes":
		return slices.Collect(maps.Keys(m.scenes))
	case "props":
		out := slices.Collect(maps.Keys(m.kinds))
		for _, p := range m.Props {
			out = append(out, p.Name)
		}
		return out
	case "checkpoints":
		return slices.Collect(maps.Keys(m.points))
	case "waymarks":
		return slices.Collect(maps.Keys(m.waymarks))
	case "movables":
		return slices.Collect(maps.Keys(m.movables))
	case "milestones":
		return m.Plan.Milestones.IDs()
	case "standings":
		return m.Plan.Standings.IDs()
	case "crossings":
		return m.Plan.Crossings.IDs()
	case "lists":
		return slices.Collect(maps.Keys(m.lists))
	}
	return nil
}

// moveTarget makes sure that a value can go from the one holder to the other.
func (b *builder) moveTarget(s *plan.UpgradeStep) {
	if l := b.lists[strings.Split(s.Into.Name.Value, ".")[0]]; l != nil {
		b.moveToOption(s, l)
		return
	}
	if !b.savedTarget(s.Into.Name) {
		return
	}
	from, _, _ := strings.Cut(s.Move.Value, ".")
	to, _, _ := strings.Cut(s.Into.Name.Value, ".")
	v := b.vars[s.Into.Name.Value]
	if v != nil && v.Shared != nil {
		if !v.Shared.Mine && v.Shared.Writer == b.Plan.Game.Name {
			b.report("bad-value", s.Into.Name.At,
				"The plan does not say that it writes %s: add writes: [%s] where it uses the commons %s.", v.Name, v.Shared.ID,
				v.Shared.Commons)
		} else if !v.Shared.Mine {
			b.report("bad-value", s.Into.Name.At, "%s is written by %s; only what this game writes can be moved there.",
				v.Name, orNobody(v.Shared.Writer))
		}
		to = "commons"
	}
	if !slices.Contains(plan.ValueSpaces, from) { // what players have for an option of a list, perhaps of an earlier version
		b.moveFromOption(s, from, to)
		return
	}
	many, known := MoveForms[from+" "+to]
	switch {
	case !known:
		b.report("bad-value", s.Into.At,
			"A value cannot be moved from %s to %s: it can go from players to the game, a commons, their profile or an option of a list; from the game, their profile or an option of a list to players; and from scenes to the game or, of pairs, to players.", from, to)
	case many && !s.Many.Given.Given:
		b.report("missing", s.At,
			"Many have a value of %s and one is to have it: many: max, min, sum or first says which.", s.Move.Value)
	case !many && s.Many.Given.Given:
		b.report("wrong-type", s.Many.At, "One value goes to everybody here; many does not go with that.")
	}
}

// moveToOption makes sure that a value of a player can become what they have for one option of a list.
func (b *builder) moveToOption(s *plan.UpgradeStep, l *List) {
	to := s.Into.Name
	parts := strings.SplitN(to.Value, ".", 3)
	switch {
	case len(parts) < 3:
		b.report("bad-value", to.At, "Which %s is meant? It is written %s.%s.%s.", l.ID, l.ID, l.example(), "have")
	case l.Option(parts[1]) < 0:
		b.oneOf(parts[1], b.options[l.ID], "option of "+l.ID, to.At)
	case l.Players.Var(parts[2]) == nil:
		b.report("unknown-name", to.At, "Players have nothing called %q for each %s.", parts[2], l.ID)
	case !strings.HasPrefix(s.Move.Value, "player."):
		b.report("bad-value", s.Move.At, "Only what a player has can become what they have for a %s.", l.ID)
	case s.Many.Given.Given:
		b.report("wrong-type", s.Many.At, "One value becomes one here; many does not go with that.")
	}
}

// moveFromOption makes sure that what a player has for one option of a list can become what they have by themselves.
func (b *builder) moveFromOption(s *plan.UpgradeStep, list, to string) {
	switch {
	case len(strings.SplitN(s.Move.Value, ".", 3)) < 3:
		b.report("bad-value", s.Move.At, "Which %s is meant? It is written %s.%s.%s.", list, list, "option", "have")
	case to != "player":
		b.report("bad-value", s.Into.At, "What a player has for a %s can become what they have by themselves: player.%s.", list,
			"have")
	case s.Many.Given.Given:
		b.report("wrong-type", s.Many.At, "One value becomes one here; many does not go with that.")
	}
}

func (l *List) example() string {
	if len(l.Options) == 0 {
		return "option"
	}
	return l.Options[0].ID
}

// MoveForms are the ways in which a value can move from holder to holder, and whether many have it before and one
// after. Several slots of a player share a commons.
var MoveForms = map[string]bool{"player game": true, "player commons": true, "player profile": true,
	"game player": false, "profile player": false, "scene game": true,
	"scene player": true}

func (b *builder) placeStep(s *plan.UpgradeStep) {
	to := s.To.Source
	if b.scenes[to] == nil && b.spots[to] == nil {
		names := append(slices.Collect(maps.Keys(b.spots)), slices.Collect(maps.Keys(b.scenes))...)
		b.oneOf(to, names, "scene or spot", s.To.At)
	}
	if s.By != nil {
		b.numbers(s.By, s.At, "by")
	}
	for _, axis := range s.In.Entries {
		b.oneOf(axis.ID, b.Axes, "axis", axis.At)
		if len(axis.Value) != 2 {
			b.report("bad-value", axis.At, "A box says from and to of an axis: {%s: [0, 24]}.", axis.ID)
		}
	}
}

// OldNames are the names that a step of the next upgrade reads under this plan, for what becomes of v, which is of
// the next: those of who holds it, and old, where the step is about one old value.
func (m *Model) OldNames(v, old *Var) expr.Names {
	names := m.scopes.world
	switch {
	case v.Holder.OfPlayers():
		names = m.scopes.player
	case v.Holder == OfScene:
		names = m.scopes.scene
	}
	if v.Hold.List != nil && m.lists[v.Hold.List.ID] != nil {
		names = atHand(names, v.Hold.List)
	}
	if old == nil {
		return names
	}
	t := old.Type
	t.Optional = false // none stays none
	if t.Named() {     // a step may make other names of it
		t = types.Type{Kind: types.Text}
	}
	return names.With(map[string]*expr.Entry{"old": {Type: t, Ref: expr.Ref{Who: expr.Nobody, What: expr.Itself}}})
}
