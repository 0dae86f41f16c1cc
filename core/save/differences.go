package save

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/model"
)

// Otherwise is one thing that two saves say otherwise.
type Otherwise struct {
	Pointer string `json:"pointer" doc:"Where it stands in the save: a JSON Pointer (RFC 6901)."`
	Title   string `json:"title" doc:"What it is, for people."`
	Before  string `json:"before" doc:"Empty where the first save does not say it."`
	After   string `json:"after" doc:"Empty where the second does not say it."`
}

// Differences tells what two saves say otherwise, in the words of a plan: what a player is and where first, then values
// in the order of the plan, then what is remembered of the checkpoint. A save that is empty says nothing at all.
// A seal is looked through and not checked against the save. It fails where one is no JSON table.
func Differences(m *model.Model, before, after []byte) ([]Otherwise, error) {
	was, err := said(before)
	if err != nil {
		return nil, err
	}
	is, err := said(after)
	if err != nil {
		return nil, err
	}
	n := newNamer(m)
	ranks := map[string]int{}
	out := []Otherwise{}
	for pointer := range joined(was, is) {
		path := strings.Split(pointer, "/")[1:]
		if was[pointer] != is[pointer] && !aside(path[0]) {
			ranks[pointer] = n.rank(path)
			out = append(out, Otherwise{pointer, n.title(path), was[pointer], is[pointer]})
		}
	}
	slices.SortFunc(out, func(a, b Otherwise) int {
		return cmp.Or(cmp.Compare(ranks[a.Pointer], ranks[b.Pointer]), cmp.Compare(a.Pointer, b.Pointer))
	})
	return out, nil
}

func joined(a, b map[string]string) map[string]string {
	out := maps.Clone(a)
	maps.Copy(out, b)
	return out
}

// said is all that a save says, by where.
func said(raw []byte) (map[string]string, error) {
	out := map[string]string{}
	if len(raw) == 0 {
		return out, nil
	}
	var doc map[string]any
	if len(raw) > 2*MaxBytes || tooDeep(raw) {
		return nil, fmt.Errorf("%w: it is too large", ErrFormat)
	}
	if err := json.Unmarshal(raw, &doc); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrFormat, err)
	}
	if inner, ok := doc["save"].(map[string]any); ok && doc["alluvion_seal"] != nil {
		doc = inner
	}
	flatten("", doc, out)
	return out, nil
}

func flatten(at string, value any, out map[string]string) {
	table, ok := value.(map[string]any)
	if !ok || at != "" && table["scene"] != nil && table["at"] != nil { // a place is one thing
		out[at] = inWords(value)
		return
	}
	for key, v := range table {
		flatten(under(at, key), v, out)
	}
}

// inWords is a value as people read it.
func inWords(value any) string {
	switch v := value.(type) {
	case nil:
		return "none"
	case string:
		if v == "" {
			return `""`
		}
		return v
	case []any:
		parts := make([]string, len(v))
		for i, item := range v {
			parts[i] = inWords(item)
		}
		return cmp.Or(strings.Join(parts, ", "), "empty")
	case map[string]any:
		if v["at"] == nil {
			raw, _ := json.Marshal(v, json.Deterministic(true)) // what was read from JSON can be written
			return string(raw)
		}
		facing, _ := v["facing"].(string)
		return strings.TrimRight(fmt.Sprintf("%v (%s) %s", v["scene"], inWords(v["at"]), facing), " ")
	}
	raw, _ := json.Marshal(value)
	return string(raw)
}

// namer finds the words for what stands at a path of a save. What its plan does not know keeps its own name.
type namer struct {
	m     *model.Model
	place map[string]int // of variables in the plan, by id: no two have the same
}

func newNamer(m *model.Model) namer {
	n := namer{m, map[string]int{}}
	for i, v := range m.Vars {
		n.place[v.ID] = i
	}
	return n
}

func (n namer) title(path []string) string {
	last := path[len(path)-1]
	switch {
	case path[0] == "record" && len(path) > 1:
		return n.title(path[1:]) + ", as it was at the checkpoint"
	case path[0] == "world" && len(path) > 1:
		return n.title(path[1:])
	case path[0] == "attic":
		return "In the attic: " + strings.Join(path[1:], ".")
	case path[0] == "waymarks" && n.m.Waymark(last) != nil:
		return n.m.Waymark(last).Title
	case (path[0] == "movables" || path[0] == "held") && n.m.Movable(last) != nil:
		return n.m.Movable(last).Title
	case path[0] == "standings" && len(path) == 2:
		return n.standing(last) + ", what counts"
	case path[0] == "standings" && len(path) == 3:
		return n.standing(path[1]) + ", of " + n.ranked(path[1], last)
	case path[0] == "scenes" && len(path) == 3:
		return n.variable(last) + " in " + n.scene(path[1])
	case path[0] == "props" && len(path) == 4:
		return n.variable(last) + " of " + path[2]
	case path[0] == "lists" && len(path) == 4:
		return n.variable(last) + " of " + n.option(path[1], path[2])
	case path[0] == "values":
		return n.variable(last)
	}
	if title, _ := fact(path[0]); title != "" && len(path) == 1 {
		return title
	}
	return cmp.Or(strings.Join(path, " "), `""`)
}

func (n namer) variable(id string) string {
	if i, ok := n.place[id]; ok {
		return n.m.Vars[i].Title
	}
	return id
}

func (n namer) option(list, id string) string {
	if l := n.m.List(list); l != nil {
		if i := l.Option(id); i >= 0 {
			return l.Options[i].Title
		}
	}
	return id
}

// ranked is what people call an option that has a place in a standing.
func (n namer) ranked(standing, option string) string {
	if s := n.m.Standing(standing); s != nil && s.List != nil {
		return n.option(s.List.ID, option)
	}
	return option
}

func (n namer) scene(id string) string {
	if s := n.m.Scene(id); s != nil {
		return s.Title
	}
	return id
}

func (n namer) standing(id string) string {
	if s := n.m.Standing(id); s != nil {
		return s.Title
	}
	return id
}

// rank orders what a save says: facts first, then values as the plan has them, then what was remembered of the
// checkpoint, and the attic last.
func (n namer) rank(path []string) int {
	const many = 1 << 20 // more than a plan has variables
	facts := len(playerMembers.list)
	switch path[0] {
	case "record", "world":
		if len(path) > 1 {
			return many + n.rank(path[1:])
		}
	case "values", "scenes", "props", "lists":
		if i, ok := n.place[path[len(path)-1]]; ok {
			return facts + i
		}
		return facts + len(n.place)
	case "attic":
		return 4 * many
	}
	_, rank := fact(path[0])
	return rank
}
