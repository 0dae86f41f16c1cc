package plan

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
	"sync"

	"alluvion.dev/core/finding"
)

// Action is one thing that a rule does. What can be done stands in core/action, one file for each verb: each adds the
// form in which it is written, and the reader reads an action as any of them.
type Action struct {
	Verb string // what is done; "" where that could not be read
	Form any    // what is written, in the verb's form: a pointer to it
	finding.At
}

// Otherwise is what stands behind else: actions, or a spot.
type Otherwise struct {
	Do   []Action
	Spot Ref
	finding.At
}

// Branch is a further condition of an if.
type Branch struct {
	If Expr     `plan:"if,required" doc:"The condition."`
	Do []Action `plan:"do,required" form:"Then" doc:"What is done where it holds."`
}

// Judged is a form that can be wrong though each of its keys is right.
type Judged interface{ Judge(Report) }

// Report reports what is wrong at a place (of the whole action, where none is given), by the id of its finding.
type Report func(id string, at finding.At, text string)

// forms are those of all verbs, by verb.
var forms = map[string]reflect.Type{}

// AddVerb adds what a rule can do, by the form in which it is written: a pointer to a struct whose first key is the
// verb. A key that several verbs have means the same in all of them. It gives the verb.
func AddVerb(form any) string {
	t := reflect.TypeOf(form).Elem()
	verb := fieldsOf(t).list[0].name
	forms[verb] = t
	return verb
}

// Verbs are all that a rule can do, in alphabetical order.
func Verbs() []string { return verbsOf(anyAction()) }

// anyAction is a struct with the keys of all forms. A form's first key says in its with tag which others go with it:
// with "a,b?" a is needed and b may stand.
var anyAction = sync.OnceValue(func() reflect.Type {
	if len(forms) == 0 {
		panic("plan: nothing can be done by rules: core/action is not part of this program")
	}
	var keys []reflect.StructField
	seen := map[string]bool{}
	add := func(sf reflect.StructField, name, more string) {
		if seen[name] {
			return
		}
		seen[name] = true
		tag := strings.Replace(string(sf.Tag), ",required\"", "\"", 1)
		keys = append(keys, reflect.StructField{Name: fmt.Sprint("Key", len(keys)), Type: sf.Type,
			Tag: reflect.StructTag(tag + more)})
	}
	for _, verb := range slices.Sorted(maps.Keys(forms)) {
		t := forms[verb]
		list := fieldsOf(t).list
		var with []string
		for _, f := range list[1:] {
			if f.required {
				with = append(with, f.name)
			} else {
				with = append(with, f.name+"?")
			}
		}
		add(t.FieldByIndex(list[0].index), verb, fmt.Sprintf(` with:%q`, strings.Join(with, ",")))
	}
	for _, verb := range slices.Sorted(maps.Keys(forms)) {
		for _, f := range fieldsOf(forms[verb]).list[1:] {
			add(forms[verb].FieldByIndex(f.index), f.name, "")
		}
	}
	return reflect.StructOf(keys)
})

// documented is the struct whose tags say how a type is written: the type itself, but for an action.
func documented(t reflect.Type) reflect.Type {
	if t == reflect.TypeFor[Action]() {
		return anyAction()
	}
	return t
}

func (a *Action) read(r *reader, n *node, _ field) {
	a.At = n.At
	all, before := reflect.New(anyAction()).Elem(), len(r.found)
	r.tableOf(n, all, func(n *node) { a.Verb = r.verb(n, all.Type(), "An action") })
	if a.Verb == "" {
		return
	}
	form := reflect.New(forms[a.Verb])
	keys := fieldsOf(all.Type()).byName
	for _, f := range fieldsOf(form.Type().Elem()).list {
		form.Elem().FieldByIndex(f.index).Set(all.FieldByIndex(keys[f.name].index))
	}
	a.Form = form.Interface()
	if f, ok := a.Form.(Judged); ok && len(r.found) == before {
		f.Judge(func(id string, at finding.At, text string) {
			if at.Line == 0 {
				at = n.At
			}
			r.report(id, at, "%s", text)
		})
	}
}
