package plan

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// Language is what a form has to know of plans to ask for names and types.
type Language struct {
	Names Naming     `json:"names"`
	Types []TypeForm `json:"types" doc:"The types that plans declare."`
}

// Naming is what names look like in a plan.
type Naming struct {
	Pattern string `json:"pattern" doc:"A regular expression that every id fits."`
	Words   string `json:"words" doc:"The same for people: ids are …"`
}

// TypeForm is what a form asks of somebody who declares something of a type, or gives a value of it.
type TypeForm struct {
	Name     string        `json:"name"`
	Sentence string        `json:"sentence" doc:"What it is for."`
	Example  string        `json:"example" doc:"A declaration, as it stands in a plan."`
	Stands   []string      `json:"stands" doc:"What can be declared with it: variables, fields, attributes, arguments, items, commons."`
	Limits   []LimitForm   `json:"limits"`
	Input    types.Input   `json:"input" enum:"number,choice,text,items,player,none" doc:"How a value is typed: a number, one of a few, a text, several with commas between, one of the players who are there, or not at all."`
	Choices  []types.Value `json:"choices" doc:"What a value can be, where that is the same in every plan."`
	Alone    bool          `json:"alone,omitempty" doc:"It has its value by itself: it has no start, and is never none."`
}

// LimitForm is one key of a declaration that goes with a type.
type LimitForm struct {
	Key     string `json:"key" doc:"As it stands in a plan: max_length."`
	Title   string `json:"title"`
	Meaning string `json:"meaning"`
	Input   string `json:"input" enum:"number,text,names,roster,type" doc:"A number, a text, several names with commas between, one of the plan's rosters, or a type with limits of its own."`
	Default string `json:"default,omitempty" doc:"What holds where nothing is said."`
	Needed  bool   `json:"needed,omitempty" doc:"A declaration without it is no declaration."`
}

// Spoken is what forms have to know.
func Spoken() Language {
	out := Language{Names: Naming{IDPattern, IDWords}}
	for _, kind := range types.All() {
		about := kind.About()
		form := TypeForm{Name: kind.Name(), Sentence: about.Sentence, Example: about.Example,
			Stands: about.Stands.Words(),
			Limits: []LimitForm{}, Input: about.Input, Alone: about.Alone,
			Choices: types.ChoicesOf(&types.Domain{Type: types.Type{Kind: kind}})}
		for _, key := range about.Limits {
			if limit, ok := limitForm(key); ok {
				limit.Needed = slices.Contains(about.Needs, key)
				form.Limits = append(form.Limits, limit)
			}
		}
		out.Types = append(out.Types, form)
	}
	return out
}

// limitForm is how a form asks for a limit; false for what forms do not ask.
func limitForm(key string) (LimitForm, bool) {
	variable := reflect.TypeFor[Variable]()
	f, ok := fieldsOf(variable).byName[key]
	if !ok || f.form == "" {
		return LimitForm{}, false
	}
	return LimitForm{Key: key, Title: f.form, Meaning: f.doc, Default: f.def,
		Input: inputOf(variable.FieldByIndex(f.index).Type)}, true
}

func inputOf(t reflect.Type) string {
	switch t {
	case reflect.TypeFor[Given[int]](), reflect.TypeFor[Given[fixed.Num]]():
		return "number"
	case reflect.TypeFor[[]ID]():
		return "names"
	case reflect.TypeFor[Ref]():
		return "roster"
	case reflect.TypeFor[*ValueType]():
		return "type"
	}
	return "text"
}

// DeclaredType is what a declaration says of its type, as it is typed into a form.
type DeclaredType struct {
	Type   string            `json:"type" doc:"int, decimal, bool, text, choice, pick and so on."`
	Limits map[string]string `json:"limits" doc:"What is written of its limits, by their keys. Names stand with commas between."`
}

// Declares is what a variable's declaration says of its type, and what it says of its items.
func (v *Variable) Declares() (DeclaredType, *DeclaredType) {
	own := DeclaredType{v.Type.Name, map[string]string{}}
	own.write(reflect.ValueOf(v).Elem())
	if v.Items == nil {
		return own, nil
	}
	items := DeclaredType{v.Items.Type.Name, map[string]string{}}
	items.write(reflect.ValueOf(v.Items).Elem())
	return own, &items
}

// write puts down the limits that a declaration says.
func (d *DeclaredType) write(declared reflect.Value) {
	for name, f := range fieldsOf(declared.Type()).byName {
		if _, ok := limitForm(name); !ok {
			continue
		}
		if text := asTyped(declared.FieldByIndex(f.index).Interface()); text != "" {
			d.Limits[name] = text
		}
	}
}

// asTyped is what a limit says as it is typed into a form; "" where nothing is said.
func asTyped(limit any) string {
	switch x := limit.(type) {
	case Given[int]:
		if x.Given {
			return fmt.Sprint(x.Value)
		}
	case Given[fixed.Num]:
		if x.Given {
			return x.Value.String()
		}
	case Given[string]:
		return x.Value
	case Ref:
		return x.Name
	case []ID:
		names := make([]string, len(x))
		for i, id := range x {
			names[i] = id.Name
		}
		return strings.Join(names, ", ")
	}
	return ""
}
