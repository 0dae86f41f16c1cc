package format

import (
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
)

// Said is something that is wrong with a plan's formats.
type Said struct {
	ID     string
	At     finding.At
	Text   string
	Near   finding.Guess
	Format string // its name
}

// Judge says what is wrong or surprising in the formats of a plan.
func Judge(m *model.Model) []Said {
	if len(m.Plan.Formats.Entries) == 0 {
		return nil
	}
	j := &judging{Set: New(upgrade.New(m), m), trail: m.Trail()}
	for _, f := range j.Formats {
		j.format(f)
	}
	return j.said
}

// Holds says whether the formats of a plan say where a variable stands: then the game's own files read and write it.
func Holds(m *model.Model, v *model.Var) bool {
	for i := range m.Plan.Formats.Entries {
		for _, n := range m.Plan.Formats.Entries[i].Value.Where {
			if (&Set{m: m}).variable(n.Name.Value) == v {
				return true
			}
		}
	}
	return false
}

type judging struct {
	*Set
	f     *Format
	said  []Said
	trail *model.Trail
	tried int64 // of the values that are all tried: how many, over all formats
}

func (j *judging) say(id string, at finding.At, format string, args ...any) *Said {
	j.said = append(j.said, Said{ID: id, At: at, Text: fmt.Sprintf(format, args...), Format: j.f.Name})
	return &j.said[len(j.said)-1]
}

const lost = "not-written-back"

func (j *judging) format(f *Format) {
	j.f = f
	d := f.Decl
	switch {
	case f.Of() == "world" && j.m.Single:
		j.say("bad-value", d.Of.At, "The world is part of the player's save here, since session.players is 1: it has no file of its own. Name it in the player's format, as game.day.")
	case f.Of() == "profile" && !j.m.HasProfile():
		j.say("bad-value", d.Of.At, "Nothing in this plan is of profile: there is nothing that a player has over all slots.")
	}
	if d.Rows.Given && d.Is.Value != "csv" {
		j.say("wrong-type", d.Rows.At, "rows goes with csv only.")
	}
	if len(d.Wrap) > MaxWraps {
		j.say("bad-value", d.Wrap[MaxWraps].At, "A file has at most %d wraps.", MaxWraps)
	}
	j.whose(f)
	if f.bundle != nil {
		j.bundle(f)
	}

	places := map[string]string{}
	for i := range d.Where {
		n := &d.Where[i]
		p := f.part(n.Name.Value, &n.Held, j.m.Plan.Version.Value)
		if !j.name(f, n, p, true) {
			continue
		}
		if other, twice := places[p.place()]; twice {
			j.say("duplicate-id", n.Held.At, "%s stands at %s already: two things cannot stand in one place.", other, strings.TrimSpace(p.place()))
			continue
		}
		places[p.place()] = n.Name.Value
		j.expressions(&n.Held)
		j.both(n.Name.Value, p)
	}
	for i := range d.Until {
		u := &d.Until[i]
		if u.Version >= j.m.Plan.Version.Value {
			j.say("bad-value", u.At, "The plan has version %d: what stands elsewhere only up to %d always does.", j.m.Plan.Version.Value, u.Version)
		}
		for k := range u.Where {
			n := &u.Where[k]
			p := f.part(n.Name.Value, &n.Held, u.Version)
			if j.name(f, n, p, false) {
				j.expressions(&n.Held)
				j.takenUp(n, p, u.Version)
			}
		}
	}

}

// bundle judges a save that is several files.
func (j *judging) bundle(f *Format) {
	d := f.Decl
	if d.Rows.Given {
		j.say("wrong-type", d.Rows.At, "rows goes with one file: here a save is several.")
	}
	if len(d.Wrap) > 0 {
		j.say("wrong-type", d.Wrap[0].At, "What a file is wrapped in is said of each here: files: {state: {name: state.json, wrap: [gzip]}}.")
	}
	names := map[string]string{}
	for i := range d.Files.Entries {
		e := &d.Files.Entries[i]
		if other, twice := names[e.Value.Name.Value]; twice {
			j.say("duplicate-id", e.Value.Name.At, "%s is called that already: two files cannot have one name.", other)
		}
		names[e.Value.Name.Value] = e.ID
		if !filepath.IsLocal(filepath.FromSlash(e.Value.Name.Value)) {
			j.say("bad-value", e.Value.Name.At, "The name of a file is wanted here, or the end of its path: {slot}/state.json.")
		}
		j.fileName(e.Value.Name)
		if len(e.Value.Wrap) > MaxWraps {
			j.say("bad-value", e.Value.Wrap[MaxWraps].At, "A file has at most %d wraps.", MaxWraps)
		}
	}
	leads := func(h *plan.Held) {
		way := h.Path
		if h.Each.Given {
			way = h.Each
		}
		if way.Given && f.in(h) == f {
			id, _, _ := strings.Cut(strings.TrimPrefix(way.Value, "/"), "/")
			near := finding.Word(id, d.Files.IDs())
			s := j.say("bad-value", way.At, "A path begins with the file that it leads into, as /%s/…, and %q is none.%s", d.Files.Entries[0].ID, id, finding.DidYouMean(near.Name))
			s.Near = near
		}
	}
	leads(&d.Version)
	leads(&d.Player)
	leads(&d.Slot)
	for i := range d.Where {
		leads(&d.Where[i].Held)
	}
	for i := range d.Until {
		for k := range d.Until[i].Where {
			leads(&d.Until[i].Where[k].Held)
		}
	}
}

// takenUp judges whether what files of an earlier version hold comes into saves of the newest.
func (j *judging) takenUp(n *plan.HeldName, p *part, version int) {
	name := n.Name.Value
	if name == "place.scene" {
		j.scenesTakenUp(n, version)
	}
	holder, _, _ := strings.Cut(name, ".")
	if p.dom != nil || strings.Contains(name, "*") || !slices.Contains(plan.ValueSpaces, holder) {
		return
	}
	if last, spoken := j.trail.Follow(name, version); spoken || j.m.Saves(last) {
		return
	}
	s := j.say("not-taken-up", n.Name.At, "Nothing takes up %s, which files up to version %d hold: no upgrade speaks of it, and saves of version %d hold nothing called that.",
		name, version, j.m.Plan.Version.Value)
	s.Near = finding.Declared(name, j.names())
	s.Text += finding.DidYouMean(s.Near.Name)
}

// scenesTakenUp judges the scenes that files of an earlier version have by other names.
func (j *judging) scenesTakenUp(n *plan.HeldName, version int) {
	for _, row := range n.Held.Map {
		scene := row.Plan.Text
		last, spoken := j.trail.Follow("scenes."+scene, version)
		if spoken || j.m.Saves(last) {
			continue
		}
		var known []string
		for _, x := range j.m.Scenes {
			known = append(known, x.ID)
		}
		j.say("not-taken-up", row.File.At, "There is no scene called %q in version %d, and no upgrade says what becomes of it.%s", scene,
			j.m.Plan.Version.Value, finding.DidYouMean(finding.Declared(scene, known).Name))
	}
}

// braced is what stands in braces in the name of a file.
var braced = regexp.MustCompile(`\{(\w+)\}`)

// fileName judges what stands in braces in the name of a file: only player and slot say anything there.
func (j *judging) fileName(name plan.Given[string]) {
	for _, found := range braced.FindAllStringSubmatch(name.Value, -1) {
		known := []string{"player", "slot"}
		if near := finding.Nearest(found[1], known); !slices.Contains(known, found[1]) && near != "" {
			j.say("unknown-name", name.At, "The name of a file says whose it is with {player} and {slot}; %s is neither.%s", found[0],
				finding.DidYouMean("{"+near+"}"))
		}
	}
}

// whose judges where a file says its version, whose it is, and which slot.
func (j *judging) whose(f *Format) {
	d := f.Decl
	if is := d.Version.Is; is != nil {
		if n, whole := is.Number.Int(); is.Kind != types.LiteralNumber || !whole || n < 1 || n > int64(j.m.Plan.Version.Value) {
			j.say("bad-value", d.Version.At, "The version is a whole number from 1 to %d, that of the plan.", j.m.Plan.Version.Value)
		}
	}
	if d.Version.File.Given {
		j.say("wrong-type", d.Version.File.At, "The name of a file says whose save it is and which slot; its version stands in it, or is said with is.")
	}
	for name, h := range map[string]*plan.Held{"player": &d.Player, "slot": &d.Slot} {
		if h.File.Given && !strings.Contains(h.File.Value, "{"+name+"}") {
			j.say("bad-value", h.File.At, "The name of the file has {%s} in it where it says so: {player}-{slot}.json.", name)
		}
		j.fileName(h.File)
		j.expressions(h)
	}
	j.expressions(&d.Version)
}

// name judges whether a name is one of what a save holds, in this kind of file; now, or in an earlier version.
func (j *judging) name(f *Format, n *plan.HeldName, p *part, now bool) bool {
	name, many := n.Name.Value, strings.Contains(n.Name.Value, "*")
	of := map[string]string{"player": "a player's save", "profile": "what a player has over all slots", "world": "the world"}
	switch v := j.variable(name); {
	case p.target == nil || now && p.dom == nil:
		s := j.say("unknown-name", n.Name.At, "Saves hold nothing called %q.", name)
		s.Near = finding.Declared(name, j.names())
		s.Text += finding.DidYouMean(s.Near.Name)
		return false
	case v != nil && now && v.Computed():
		return j.computed(f, n, p, v)
	case v != nil && (v.Shared != nil || v.Seed):
		j.say("bad-value", n.Name.At, "%s is kept apart from saves: no file of a save holds it.", name)
		return false
	case f.aim(p) == nil:
		where := "a player's save: a format with of: player"
		switch p.target[0] {
		case "~profile":
			where = "what a player has over all slots: a format with of: profile"
		case "~world":
			where = "the world, which all players share: a format with of: world"
		case "world":
			where = "the player's save here, since session.players is 1"
		}
		j.say("bad-value", n.Name.At, "A file of this format holds %s, and %s is part of %s.", of[f.Of()], name, where)
		return false
	case many != n.Held.Each.Given:
		if many {
			j.say("missing", n.Held.At, "%s is held for each of many: each says where they are in the file, and id which is which.", name)
		} else {
			j.say("wrong-type", n.Held.Each.At, "each goes with what is held for each of many, such as ware.*.have; %s is one.", name)
		}
		return false
	case !n.Held.Path.Given:
		j.say("missing", n.Held.At, "Where %s stands in the file is missing here: at: /path.", name)
		return false
	}
	return true
}

// computed judges what is written and not read.
func (j *judging) computed(f *Format, n *plan.HeldName, p *part, v *model.Var) bool {
	h := &n.Held
	switch of := f.Of(); {
	case p.target == nil || f.aim(p) == nil || of != "player" || h.Each.Given:
		j.say("bad-value", n.Name.At, "%s is calculated: only what a player, or the game in the player's save, has of that kind can be written into a file.", n.Name.Value)
	case !h.Write.Given() || h.Read.Given():
		j.say("bad-value", n.Name.At, "%s is calculated and never stored: it can be written into files, and is not read from them. Say how, with write alone: {at: %s, write: value}.", n.Name.Value, h.Path.Value)
	case !h.Path.Given:
		j.say("missing", h.At, "Where %s stands in the file is missing here: at: /path.", n.Name.Value)
	default:
		if !j.asked().Knows(v) {
			j.say("bad-value", n.Name.At, "%s is calculated of something that no save says: who is present, the time of a session, or the world where that is stored apart.", n.Name.Value)
			return false
		}
		return true
	}
	return false
}

// names are those of everything that a save can hold.
func (j *judging) names() []string {
	out := []string{"place.scene", "place.facing", "player.checkpoint", "player.dead", "player.visits", "milestones"}
	for _, axis := range j.m.Axes {
		out = append(out, "place."+axis)
	}
	for _, v := range j.m.Vars {
		switch list := v.Hold.List; {
		case v.Computed() || v.Shared != nil:
		case list != nil:
			out = append(out, list.ID+".*."+v.ID)
		case v.Hold.Kind != nil:
			out = append(out, "prop."+v.Hold.Kind.ID+".*."+v.ID)
		case v.Holder == model.OfScene || v.Holder == model.OfPlayerScene:
			out = append(out, "scenes.*."+v.ID)
		default:
			out = append(out, v.Name)
		}
	}
	for _, e := range j.m.Plan.Milestones.IDs() {
		out = append(out, "milestones."+e)
	}
	for _, w := range j.m.Waymarks {
		out = append(out, "waymarks."+w.ID+".scene")
	}
	for _, w := range j.m.Movables {
		out = append(out, "movables."+w.ID+".scene")
	}
	return out
}

// expressions judges that read speaks of old, and write of value.
func (j *judging) expressions(h *plan.Held) {
	for called, x := range map[string]plan.Expr{"old": h.Read, "value": h.Write} {
		if !x.Given() {
			continue
		}
		paths, found := expr.Paths(x)
		for _, f := range found {
			j.say(f.ID, f.At, "%s", f.Message)
		}
		for _, p := range paths {
			if p.Name != called {
				j.say("unknown-name", x.At, "Nothing is called %s here: what %s reads is called %s.", p.Name,
					map[string]string{"old": "read", "value": "write"}[called], called)
			}
		}
	}
}

// most is how many values are tried of variables of which all are, those that are calculated; of others, those at their
// edges and as many as some.
const (
	most = 200_000
	some = 1_000
)

// both tries whether what is written is read again as it was.
func (j *judging) both(name string, p *part) {
	f, h := p.f, p.held
	if j.wrongExpression(h) {
		return
	}
	if p.dom.Type.Optional && f.texts() && !h.None.Given && p.dom.Type.Kind == types.Text && p.dom != aName {
		j.say(lost, h.At, "%s may be none, and an empty text: in %s both look the same. Say how none is written: none: missing.", name, f.Decl.Is.Value)
		return
	}
	if h.Read.Given() && !h.Write.Given() && !Turns(h.Read) {
		j.say(lost, h.Read.At, "%s is read by %s, which cannot be turned round: no file can be written in which %s has changed. Say how it is written: write: value.",
			name, h.Read.Source, name)
		return
	}
	if p.computed != nil { // it is not read again
		for _, v := range j.values(name, p.dom, false) {
			raw, _ := v.MarshalJSON()
			if value, _ := (jsonTongue{}).read(raw); value != nil {
				plain(value)
				if _, why := f.written(h, p.dom, value, nil); why != "" {
					j.say(lost, h.At, "Where %s is %s, it cannot be written: %s.", name, v.Plain(), why)
					return
				}
			}
		}
		return
	}
	w := &opening{f: f, Opened: &Opened{Format: f}}
	for _, v := range j.values(name, p.dom, h.Read.Given() || h.Write.Given() || h.As.Given || h.Map != nil) {
		raw, _ := v.MarshalJSON()
		value, _ := jsonTongue{}.read(raw)
		if value == nil {
			continue
		}
		plain(value)
		n, why := f.written(h, p.dom, value, nil)
		if why != "" {
			j.say(lost, h.At, "Where %s is %s, it cannot be written: %s.", name, v.Plain(), why)
			return
		}
		if n == nil {
			continue // it is not there, which is none
		}
		text, why := w.scalar(h, p.dom, n)
		if why == "" && same(text, value, p.dom) {
			continue
		}
		if why == "" {
			why = "it is read again as " + shown(text)
		}
		j.say(lost, h.At, "Where %s is %s, it is written as %s, and %s.", name, v.Plain(), n, why)
		return
	}
}

// shown is JSON as people read it.
func shown(text jsontext.Value) string {
	v, err := types.FromJSON(text)
	if err != nil {
		return string(text)
	}
	return v.Plain()
}

func (j *judging) wrongExpression(h *plan.Held) bool {
	return slices.ContainsFunc(j.said, func(s Said) bool { return s.At == h.Read.At && h.Read.Given() || s.At == h.Write.At && h.Write.Given() })
}

// known are the ids that can stand where a save has one.
func (j *judging) known(name string) []types.Value {
	var ids []string
	switch name[strings.LastIndexByte(name, '.')+1:] {
	case "scene":
		for _, s := range j.m.Scenes {
			ids = append(ids, s.ID)
		}
	case "facing":
		ids = j.m.Facings
	case "checkpoint":
		for _, c := range j.m.Checkpoints {
			ids = append(ids, c.ID)
		}
	}
	var out []types.Value
	for _, id := range ids {
		out = append(out, types.OfText(id))
	}
	return out
}

// values are all of a domain where something is calculated of them and they are not too many, else those at its edges and
// some between.
func (j *judging) values(name string, d *types.Domain, calculated bool) []types.Value {
	if d == aName {
		return j.known(name)
	}
	if d == aSet || d == aCount {
		return nil
	}
	draws := uint32(0)
	dice := func(n int) int {
		draws++
		return int(expr.Mix(1, draws) % uint32(max(n, 1)))
	}
	out := d.Edges(dice)
	if d.Type.Numeric() && d.Step.Sign() > 0 {
		span, err := d.Max.Sub(d.Min)
		if err == nil {
			if steps, err := span.DivWhole(d.Step); err == nil {
				if n, whole := steps.Int(); whole && calculated && n <= most-j.tried {
					j.tried += n
					at := d.Min
					for range n + 1 {
						out = append(out, types.OfNum(at))
						if at, err = at.Add(d.Step); err != nil {
							break
						}
					}
					return out
				}
			}
		}
	}
	for range some {
		v := d.Some(dice)
		if d.Admit(v) == nil {
			out = append(out, v)
		}
	}
	return out
}
