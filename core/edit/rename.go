package edit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// named says how a plan and its saves speak of what has an id at a path: "*" is any key.
type named struct {
	path  []string
	word  string // what the plan says where it means it: %s is the id, and %[2]s the key at the path's first *, if it has two
	saved string // what an upgrade calls it; empty where saves do not speak of it
}

var allNamed = []named{
	{[]string{"scenes", "*"}, "%s", "scenes.%s"},
	{[]string{"scenes", "*", "spots", "*"}, "%[2]s/%[1]s", ""},
	{[]string{"scenes", "*", "areas", "*"}, "%[2]s/%[1]s", ""},
	{[]string{"props", "*"}, "%s", "props.%s"},
	{[]string{"props", "*", "placed", "*"}, "%s", "props.%[2]s.%[1]s"},
	{[]string{"passages", "*"}, "%s", ""},
	{[]string{"checkpoints", "list", "*"}, "%s", "checkpoints.%s"},
	{[]string{"waymarks", "*"}, "%s", "waymarks.%s"},
	{[]string{"movables", "*"}, "%s", "movables.%s"},
	{[]string{"milestones", "*"}, "%s", "milestones.%s"},
	{[]string{"standings", "*"}, "%s", "standings.%s"},
	{[]string{"events", "*"}, "%s", ""},
	{[]string{"rosters", "*"}, "%s", "lists.%s"},
	{[]string{"lists", "*"}, "%s", "lists.%s"},
	{[]string{"crossings", "*"}, "%s", "crossings.%s"},
}

// namedAt is what has an id at a path, if anything that can be renamed has.
func namedAt(path []string) (named, bool) {
	for _, n := range allNamed {
		if slices.EqualFunc(n.path, path, func(pattern, key string) bool { return pattern == "*" || pattern == key }) {
			return n, true
		}
	}
	return named{}, false
}

// says fills in what the plan or its saves say of the thing at a path, under an id.
func (n named) says(pattern string, path []string, id string) string {
	if i := slices.Index(n.path, "*"); i < len(path)-1 {
		return fmt.Sprintf(pattern, id, path[i])
	}
	return fmt.Sprintf(pattern, id)
}

// rename gives something another id, wherever the plan says it.
func (e Edit) rename(text string, commons model.Commons) (string, error) {
	if !plan.IsID(e.To) {
		return "", fmt.Errorf("%w: %q is no id: lower-case letters, digits and _, beginning with a letter",
			plan.ErrEdit, e.To)
	}
	if _, found := plan.Read([]byte(text)); found.Errors() {
		first := found[slices.IndexFunc(found, func(f finding.Finding) bool { return f.Severity == finding.Error })]
		return "", fmt.Errorf("%w: a new name is followed through the whole plan, and an error hides where it stands. Correct line %d first: %s", plan.ErrEdit, first.Line, first.Message)
	}
	if len(e.Path) > 0 {
		return e.renameAt(text, commons)
	}
	v, err := variableOf(text, e.Name)
	if err != nil {
		return "", err
	}
	out, err := renamedKey(text, []string{"variables", v.id}, e.To)
	if err != nil {
		return "", err
	}
	out = follow{commons: commons, replaced: v.replacing(func(names []string) []string {
		return append(slices.Clone(names[:len(names)-1]), e.To)
	})}.through(text, out)
	return e.step(text, out,
		map[string]any{"rename": map[string]string{v.name: strings.TrimSuffix(v.name, v.id) + e.To}})
}

func (e Edit) renameAt(text string, commons model.Commons) (string, error) {
	n, ok := namedAt(e.Path)
	if !ok {
		return "", fmt.Errorf("%w: what is at %s cannot be renamed", plan.ErrEdit, strings.Join(e.Path, "/"))
	}
	out, err := renamedKey(text, e.Path, e.To)
	if err != nil {
		return "", err
	}
	id := e.Path[len(e.Path)-1]
	from, to := n.says(n.word, e.Path, id), n.says(n.word, e.Path, e.To)
	out = follow{commons: commons, upgrades: n.saved == "", replaced: func(text string, at int) string {
		return replacedWord(text, at, from, to)
	}}.through(text, out)
	if n.saved == "" {
		return out, nil
	}
	return e.step(text, out,
		map[string]any{"rename": map[string]string{n.says(n.saved, e.Path, id): n.says(n.saved, e.Path, e.To)}})
}

func renamedKey(text string, path []string, to string) (string, error) {
	if beside := append(slices.Clone(path[:len(path)-1]), to); plan.Has(text, beside) {
		return "", fmt.Errorf("%w: there is a %s already", plan.ErrEdit, strings.Join(beside, "/"))
	}
	return plan.RenameKey(text, path, to)
}

// follow puts a new name wherever the checks miss the old one.
type follow struct {
	commons  model.Commons
	upgrades bool // also in upgrades: otherwise they go on speaking of versions before
	// replaced puts the new name for the first old one in the line that a place in the text begins.
	replaced func(text string, at int) string
}

// through goes through all that is found in a text that was not found in it before the name was changed.
func (x follow) through(before, text string) string {
	_, _, known := model.LoadFor([]byte(before), x.commons)
	for range 40 { // each finding is an expression's first: one that says the name twice is found twice
		_, _, found := model.LoadFor([]byte(text), x.commons)
		slices.SortFunc(found, func(a, b finding.Finding) int { return cmp.Or(b.Line-a.Line, b.Column-a.Column) }) // places before stay right
		next := text
		for _, f := range found {
			if f.Severity == finding.Error && (x.upgrades || !strings.HasPrefix(f.Pointer, "/upgrades/")) &&
				!toldBefore(known, f) {
				next = x.replaced(next, plan.Offset(next, f.At))
			}
		}
		if next == text {
			break
		}
		text = next
	}
	return text
}

func toldBefore(known finding.List, f finding.Finding) bool {
	return slices.ContainsFunc(known, func(k finding.Finding) bool {
		return k.Pointer == f.Pointer && k.Message == f.Message
	})
}

func isIDByte(c byte) bool { return c == '_' || c >= 'a' && c <= 'z' || c >= '0' && c <= '9' }

// replacedWord changes the first whole occurrence of a word in the line that a place begins.
func replacedWord(text string, at int, from, to string) string {
	line, _, _ := strings.Cut(text[at:], "\n")
	for begin := 0; ; {
		i := strings.Index(line[begin:], from)
		if i < 0 {
			return text
		}
		i += begin
		end := i + len(from)
		if (at+i == 0 || !isIDByte(text[at+i-1])) && (end == len(line) || !isIDByte(line[end])) {
			return text[:at+i] + to + text[at+end:]
		}
		begin = end
	}
}

// replacing changes the first name that leads to a variable; become is what the names that lead there become:
// player, warmth.
func (v variable) replacing(become func(names []string) []string) func(text string, at int) string {
	return func(text string, at int) string {
		for at < len(text) && text[at] != '\n' {
			end := at
			for end < len(text) && (text[end] == '.' || isIDByte(text[end])) {
				end++
			}
			names := strings.Split(text[at:end], ".")
			if i := place(names, v.id); i > 0 {
				changed := append(become(names[:i+1]), names[i+1:]...)
				return text[:at] + strings.Join(changed, ".") + text[end:]
			}
			at = end + 1
		}
		return text
	}
}

// place finds which of the names that an expression says one after another is the variable's.
func place(names []string, id string) int {
	if names[0] == "player" || names[0] == "game" {
		return slices.Index(names, id)
	}
	for i := len(names) - 1; i > 0; i-- { // a scene, a kind, a prop, an option or an argument may be called the same
		if names[i] == id {
			return i
		}
	}
	return -1
}
