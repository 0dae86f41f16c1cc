package plan

import (
	"fmt"
	"reflect"
	"strings"
	"sync"
)

// Accepting is a place of the document where findings may be accepted, with what they are accepted of.
type Accepting struct {
	Item   string // oil, gorge/scree, rule 3, saving
	Accept *Accept
}

// Accepts are all places of a plan where findings may be accepted: wherever a type of the document has an Accept.
func (p *Plan) Accepts() []Accepting {
	var out []Accepting
	eachAccept(reflect.ValueOf(p).Elem(), "", "", &out)
	return out
}

// acceptingTypes keeps which types have an Accept in them somewhere: most have none, and need not be looked through.
var acceptingTypes sync.Map // of reflect.Type: bool

func accepting(t reflect.Type) bool {
	if known, ok := acceptingTypes.Load(t); ok {
		return known.(bool)
	}
	has := hasAccept(t, map[reflect.Type]bool{})
	acceptingTypes.Store(t, has)
	return has
}

// hasAccept looks through a type; seen are those that were looked through on the way, for some hold others of their
// own.
func hasAccept(t reflect.Type, seen map[reflect.Type]bool) bool {
	if seen[t] {
		return false
	}
	seen[t] = true
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice:
		return hasAccept(t.Elem(), seen)
	case reflect.Struct:
		if t == reflect.TypeFor[Accept]() {
			return true
		}
		for i := range t.NumField() {
			if t.Field(i).IsExported() && hasAccept(t.Field(i).Type, seen) {
				return true
			}
		}
	}
	return false
}

// eachAccept looks for them in a part of the document, which belongs to an entry of a table (owner), or else stands
// under a key.
func eachAccept(v reflect.Value, owner, key string, out *[]Accepting) {
	if !accepting(v.Type()) {
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			eachAccept(v.Elem(), owner, key, out)
		}
	case reflect.Slice:
		for i := range v.Len() {
			name := fmt.Sprintf("%s %d", strings.Replace(key, "rules", "rule", 1), i+1)
			if u, ok := v.Index(i).Addr().Interface().(*Use); ok {
				name = u.As.Name
			}
			eachAccept(v.Index(i), owner, name, out)
		}
	case reflect.Struct:
		switch entries := v.FieldByName("Entries"); {
		case v.Type() == reflect.TypeFor[Accept]():
			if owner == "" {
				owner = key
			}
			*out = append(*out, Accepting{owner, v.Addr().Interface().(*Accept)})
		case entries.IsValid():
			eachEntry(entries, owner, key, out)
		default:
			eachField(v, owner, key, out)
		}
	}
}

// eachEntry looks into the entries of a table: what is in one that is itself in one is named as scene/spot.
func eachEntry(entries reflect.Value, owner, key string, out *[]Accepting) {
	for i := range entries.Len() {
		name := entries.Index(i).FieldByName("ID").String()
		if owner != "" {
			name = owner + "/" + name
		}
		eachAccept(entries.Index(i).FieldByName("Value"), name, key, out)
	}
}

func eachField(v reflect.Value, owner, key string, out *[]Accepting) {
	for i := range v.NumField() {
		f := v.Type().Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("plan"), ",")
		switch {
		case !f.IsExported():
		case f.Type == reflect.TypeFor[Accept]():
			eachAccept(v.Field(i), owner, key, out)
		default:
			eachAccept(v.Field(i), owner, name, out)
		}
	}
}
