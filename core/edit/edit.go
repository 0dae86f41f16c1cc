// Package edit changes a plan's text as a form or a map asks for it: by just what was asked, so that comments,
// order and layout stay as the designer wrote them. What a change leaves to be mended, the checks say; it is made
// all the same, since a plan may have errors while it is being written.
package edit

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// Edit is one change.
type Edit struct {
	// Do is what is done: fate (a variable's fate at a crossing), put (a value at a path, in place of what is there or
	// as something new), remove (what is at a path), rename (a variable, or what is at a path, gets another id),
	// insert (a value becomes an item of a list, before the one that a path leads to), order (the item that a path leads
	// to becomes number To), retype, move (a variable gets another type, another holder), mend (a name that is none becomes the one that was
	// probably meant, wherever just this is wrong).
	Do       string
	Name     string         // the variable, as player.warmth
	Crossing string         // of fate
	Fate     string         // keep, reset, rewind, set, or default: what the defaults say
	Set      string         // of the fate set: the expression
	Path     []string       // of put and remove, and of rename where it is no variable: keys from the top
	Value    jsontext.Value // of put: the value; of retype: what the declaration says of its type
	To       string         // of rename: the new id; of move: the new holder, as it is written in a plan; of order: which item it becomes, from 0
	At       finding.At     // of mend: where the checks say that it is wrong
	// Step asks for the upgrade step that takes saves along. Published is the newest published version, 0 where none
	// is: where it is the plan's own, the step raises the plan's version.
	Step      bool
	Published int
}

// Apply makes changes to a plan's text, one after another. Where one cannot be made, nothing is changed, and the
// error (a plan.ErrEdit) says why.
func Apply(source string, edits []Edit, commons model.Commons) (string, error) {
	text := source
	for _, e := range edits {
		next, err := e.apply(text, commons)
		if err != nil {
			return source, err
		}
		text = next
	}
	return text, nil
}

func (e Edit) apply(text string, commons model.Commons) (string, error) {
	switch e.Do {
	case "fate":
		kind := e.Fate
		if kind == "default" {
			kind = ""
		}
		return plan.SetFate(text, e.Name, e.Crossing, kind, e.Set)
	case "put":
		return plan.Put(text, e.Path, e.Value)
	case "insert":
		return plan.Insert(text, e.Path, e.Value)
	case "order":
		to, err := strconv.Atoi(e.To)
		if err != nil {
			return "", fmt.Errorf("%w: %q is no place in a list", plan.ErrEdit, e.To)
		}
		return plan.Shift(text, e.Path, to)
	case "remove":
		return e.remove(text)
	case "retype":
		return e.retype(text)
	case "rename":
		return e.rename(text, commons)
	case "move":
		return e.move(text, commons)
	case "mend":
		return e.mend(text, commons)
	}
	return "", fmt.Errorf("%w: %q is no change", plan.ErrEdit, e.Do)
}

// variable is how a plan declares what a name stands for.
type variable struct {
	id   string
	name string // player.warmth; of a group, without the field
	decl *plan.Variable
}

func variableOf(text, name string) (variable, error) {
	p, _ := plan.Read([]byte(text))
	parts := strings.Split(name, ".")
	for i := len(parts) - 1; i > 0; i-- {
		if decl := p.Variables.Get(parts[i]); decl != nil {
			return variable{parts[i], strings.Join(parts[:i+1], "."), decl}, nil
		}
	}
	return variable{}, fmt.Errorf("%w: there is no variable %s", plan.ErrEdit, name)
}

// move gives a variable another holder, and what reads it another name for it.
func (e Edit) move(text string, commons model.Commons) (string, error) {
	v, err := variableOf(text, e.Name)
	if err != nil {
		return "", err
	}
	p, _ := plan.Read([]byte(text))
	prefix, ok := prefixOf(e.To, p.ListIDs())
	if !ok {
		return "", fmt.Errorf("%w: %q is no holder", plan.ErrEdit, e.To)
	}
	holder, err := json.Marshal(holderOf(e.To))
	if err != nil {
		return "", err
	}
	out, err := plan.Put(text, []string{"variables", v.id, "of"}, holder)
	if err != nil {
		return "", err
	}
	out = follow{commons: commons, replaced: v.replacing(func([]string) []string {
		return []string{prefix, v.id}
	})}.through(text, out)
	return e.step(text, out, moveStep(v, strings.TrimSuffix(v.name, "."+v.id), prefix))
}

// moveStep is what takes saves along when a variable gets another holder: between players and the game, and from
// scenes to the game, values can go; otherwise it begins anew, and what saves hold is put into the attic.
func moveStep(v variable, from, to string) map[string]any {
	step := map[string]any{"move": v.name, "into": to + "." + v.id}
	switch {
	case to == "game" && (from == "player" || from == "scene"): // many become one
		step["many"] = "first"
		if v.decl.Type.Name == "int" || v.decl.Type.Name == "decimal" {
			step["many"] = "max"
		}
	case from != "game" || to != "player":
		return map[string]any{"drop": v.name, "why": "It is held otherwise now, and begins anew."}
	}
	return step
}

// prefixOf is how expressions name what a holder has.
func prefixOf(holder string, lists []string) (string, bool) {
	switch h := strings.ReplaceAll(holder, " ", ""); {
	case h == "player" || h == "game" || h == "scene" || h == "profile":
		return h, true
	case h == "[player,scene]":
		return "scene", true
	case strings.HasPrefix(h, "prop:") || strings.HasPrefix(h, "[player,prop:"):
		return "prop", true
	}
	list := strings.ReplaceAll(holder, " ", "") // alone, or with a player or a profile
	for _, pair := range []string{"[player,", "[profile,"} {
		if of, ok := strings.CutPrefix(list, pair); ok {
			list = strings.TrimSuffix(of, "]")
		}
	}
	if slices.Contains(lists, list) {
		return list, true
	}
	return "", false
}

// holderOf is a holder as a value of the plan.
func holderOf(holder string) any {
	if list, ok := strings.CutPrefix(holder, "["); ok {
		var out []string
		for part := range strings.SplitSeq(strings.TrimSuffix(list, "]"), ",") {
			out = append(out, strings.TrimSpace(part))
		}
		return out
	}
	return holder
}

// typeKeys are what a declaration says of its type.
var typeKeys = []string{"type", "min", "max", "step", "start", "choices", "roster", "optional", "min_length",
	"max_length", "alphabet", "items", "max_items"}

// retype writes what a declaration says of its type: keys that are given are put, the others are taken away, but for
// what a text that stays one may be made of.
func (e Edit) retype(text string) (string, error) {
	v, err := variableOf(text, e.Name)
	if err != nil {
		return "", err
	}
	given := map[string]jsontext.Value{}
	if err := json.Unmarshal(e.Value, &given); err != nil {
		return "", fmt.Errorf("%w: a type is a table", plan.ErrEdit)
	}
	staysText := v.decl.Type.Name == "text" && string(given["type"]) == `"text"`
	out := text
	for _, key := range typeKeys {
		path := []string{"variables", v.id, key}
		switch value, ok := given[key]; {
		case ok:
			out, err = plan.Put(out, path, value)
		case plan.Has(out, path) && !(staysText && (key == "min_length" || key == "alphabet")):
			out, err = plan.Remove(out, path)
		}
		if err != nil {
			return "", err
		}
	}
	return e.step(text, out, map[string]any{"convert": v.name, "to": "old"})
}

// remove takes something out of the plan.
func (e Edit) remove(text string) (string, error) {
	out, err := plan.Remove(text, e.Path)
	if err != nil || len(e.Path) != 2 || e.Path[0] != "variables" {
		return out, err
	}
	return e.step(text, out, map[string]any{"drop": e.Name, "why": "It is not needed any more."})
}

// step writes the upgrade step that takes saves along, where it is wanted; before is the text as it was.
func (e Edit) step(before, text string, step any) (string, error) {
	if v, err := variableOf(before, e.Name); !e.Step || err == nil && v.decl.Is.Source != "" { // what is computed is not saved
		return text, nil
	}
	p, _ := plan.Read([]byte(before))
	version := p.Version.Value
	if version <= e.Published {
		version = e.Published + 1
		next, err := plan.Put(text, []string{"version"}, fmt.Appendf(nil, "%d", version))
		if err != nil {
			return "", err
		}
		text = next
	}
	raw, err := json.Marshal(step, json.Deterministic(true))
	if err != nil {
		return "", err
	}
	return plan.AddItem(text, []string{"upgrades", fmt.Sprint(version)}, raw)
}
