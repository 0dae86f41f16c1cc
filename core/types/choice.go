package types

import (
	"fmt"
	"slices"
	"strings"
)

// Choice is the type of one of a few words that the plan lists beside it.
var Choice = declared(50, choice{})

type choice struct{ named }

func (choice) Name() string        { return "choice" }
func (choice) Words(t Type) string { return called(t, "a choice") }

func (choice) About() About {
	return About{
		Sentence: "One of a few words, which `choices` lists. One of a list of the plan has the list's name as its type: `type: ware`.",
		Example:  "{of: player, type: choice, choices: [out, low, bright], start: out}",
		Stands:   everywhere, Limits: []string{"choices"}, Needs: []string{"choices"}, Input: InputChoice,
	}
}

func (choice) Declare(from *Declared, d *Domain) {
	if from.Of != "" { // of a list
		d.Type.Of = from.Of
		if d.Type.Roster, d.Type.Names = from.Rosters(from.Of); d.Type.Roster == nil {
			d.Type.Kind = Invalid
		}
		return
	}
	d.Type.Of, d.Type.Names = "choice of "+from.Name, from.Choices
	if len(from.Choices) == 0 {
		from.report("", "missing", "A choice needs its choices: [a, b].")
	}
}

func (choice) Limits(d *Domain, _ Limits) string { return ": " + strings.Join(d.Type.Names, ", ") }

func (choice) Narrowed(old, now *Domain, renamed map[string]string) []Narrowing {
	var gone []string
	for _, name := range old.Type.Names {
		if to, ok := renamed[name]; ok {
			name = to
		}
		if !slices.Contains(now.Type.Names, name) {
			gone = append(gone, name)
		}
	}
	switch {
	case len(gone) > 0:
		return []Narrowing{{Change: "options", Loses: true, As: OfOption,
			Text: fmt.Sprintf("%s is no choice any more; who has it", strings.Join(gone, ", "))}}
	case len(now.Type.Names) > len(old.Type.Names):
		return []Narrowing{{Change: "options", Text: "there are more to choose from."}}
	}
	return nil
}
