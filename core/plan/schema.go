package plan

import (
	"reflect"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
)

// RehearsalSchema is the JSON Schema (2020-12) of rehearsals.
func RehearsalSchema() []byte {
	return schemaOf(reflect.TypeFor[Rehearsal](), "Alluvion rehearsal",
		"A scripted run of a plan, with what is expected of it.")
}

// Schema is the JSON Schema (2020-12) of the plan format, made from the types that the reader walks.
// What a schema cannot say (that a name is declared, that a fate applies) the reader and the checks say.
func Schema() []byte {
	return schemaOf(reflect.TypeFor[Plan](), "Alluvion plan", "One game's plan: which player state survives what.")
}

func schemaOf(t reflect.Type, title, description string) []byte {
	s := &schemer{defs: map[string]any{}}
	root := s.table(t)
	root["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	root["$id"] = "alluvion:" + strings.ToLower(strings.TrimPrefix(title, "Alluvion "))
	root["title"], root["description"] = title, description
	root["$defs"] = s.defs
	raw, err := json.MarshalIndent(root, "", "  ")
	if err != nil {
		panic(err)
	}
	return append(raw, '\n')
}

type object = map[string]any

type schemer struct{ defs map[string]any }

func text(description string) object { return object{"type": "string", "description": description} }

// of gives the schema of a type as it stands in a field.
func (s *schemer) of(t reflect.Type, f field) object {
	out := s.form(t, f)
	if f.doc != "" {
		if _, isRef := out["$ref"]; isRef || out["description"] == nil {
			out["description"] = f.doc
		}
	}
	if f.form != "" {
		out["title"] = f.form
	}
	if f.def != "" {
		out["default"] = defaultValue(f.def, out["type"])
	}
	return out
}

// defaultValue writes a tag's default in the type that it is of.
func defaultValue(def string, kind any) any {
	var v any
	if kind != "string" && json.Unmarshal([]byte(def), &v) == nil {
		return v
	}
	return def
}

func (s *schemer) form(t reflect.Type, f field) object {
	switch t {
	case reflect.TypeFor[ID]():
		return s.id(f)
	case reflect.TypeFor[Ref]():
		if f.ref != "" {
			return object{"type": "string", "minLength": 1, "$comment": "the name of: " + f.ref}
		}
		return object{"type": "string", "minLength": 1}
	case reflect.TypeFor[Expr]():
		return object{"type": []string{"string", "number", "boolean"}, "$comment": "an expression"}
	case reflect.TypeFor[Literal]():
		single := []string{"string", "number", "boolean"}
		return object{"oneOf": []any{object{"type": single}, object{"type": "array", "items": object{"type": single}}}}
	case reflect.TypeFor[Destination](), reflect.TypeFor[Placement]():
		return object{"oneOf": []any{object{"type": "string", "minLength": 1}, s.ref(t)}}
	case reflect.TypeFor[Fate]():
		return s.named("Fate", func() object {
			set := object{"type": "object", "properties": object{"set": s.form(reflect.TypeFor[Expr](), field{})},
				"required": []string{"set"}, "additionalProperties": false}
			return object{"description": "keep: stays as it is; reset: back to its start; rewind (at death): back to what it was at the checkpoint reached; {set: …}: becomes what an expression says.",
				"oneOf": []any{object{"enum": []string{"keep", "reset", "rewind"}}, set}}
		})
	case reflect.TypeFor[Holder]():
		held := func(examples ...string) object {
			return object{"type": "string", "pattern": "^(prop:)?[a-z][a-z0-9_]{0,63}$", "$comment": "the name of: list or kind of prop", "examples": examples}
		}
		one := held("player", "game", "scene", "profile")
		pair := object{"type": "array", "prefixItems": []any{object{"enum": []string{"player", "profile"}}, held("scene")},
			"items": false, "minItems": 2}
		return object{"oneOf": []any{one, pair}}
	case reflect.TypeFor[Accept]():
		return object{"type": "object", "additionalProperties": object{"type": "string", "minLength": 1},
			"description": "Findings that are accepted here, each with its reason."}
	case reflect.TypeFor[Moments]():
		moment := s.named("Moment", s.moment)
		return object{"oneOf": []any{moment, object{"type": "array", "items": moment, "minItems": 1}}}
	case reflect.TypeFor[ValueType]():
		return object{"oneOf": []any{object{"type": "string"}, s.ref(t)}}
	case reflect.TypeFor[Area]():
		number := object{"type": "number"}
		pair := object{"type": "array", "items": number, "minItems": 2, "maxItems": 2}
		return object{"type": "object", "properties": object{"title": text("What people call it."), "radius": number,
			"at":     object{"type": "array", "items": number},
			"accept": s.form(reflect.TypeFor[Accept](), field{})}, "additionalProperties": pair,
			"description": "A box: for each axis from (included) and to (not included). Or a circle: at and radius."}
	case reflect.TypeFor[Upgrades]():
		return object{"type": "object", "propertyNames": object{"pattern": "^([2-9]|[1-9][0-9]{1,6})$"},
			"additionalProperties": object{"type": "array", "items": s.ref(reflect.TypeFor[UpgradeStep]())}}
	case reflect.TypeFor[Held](), reflect.TypeFor[HeldID]():
		return s.heldSchema(t)
	case reflect.TypeFor[SaveFile]():
		return object{"oneOf": []any{object{"type": "string", "minLength": 1}, s.ref(t)}}
	case reflect.TypeFor[HeldMap]():
		return object{"type": "object", "additionalProperties": s.form(reflect.TypeFor[Literal](), field{})}
	case reflect.TypeFor[HeldNames]():
		return object{"type": "object", "additionalProperties": s.form(reflect.TypeFor[Held](), field{})}
	case reflect.TypeFor[HeldUntil]():
		return object{"type": "object", "propertyNames": object{"pattern": "^[1-9][0-9]{0,6}$"},
			"additionalProperties": s.form(reflect.TypeFor[HeldNames](), field{})}
	case reflect.TypeFor[Rules]():
		rule := s.ref(reflect.TypeFor[Rule]())
		return object{"oneOf": []any{object{"type": "array", "items": rule},
			object{"type": "object", "propertyNames": object{"pattern": IDPattern}, "additionalProperties": rule}}}
	case reflect.TypeFor[Many]():
		return object{"oneOf": []any{object{"enum": manyWays},
			object{"type": "object", "additionalProperties": object{"enum": manyWays}}}}
	case reflect.TypeFor[Renames]():
		return object{"type": "object", "additionalProperties": object{"type": "string"}}
	case reflect.TypeFor[Into]():
		return object{"oneOf": []any{object{"type": "string"},
			object{"type": "object", "additionalProperties": s.form(reflect.TypeFor[Expr](), field{})}}}
	case reflect.TypeFor[Where]():
		number := object{"type": "number"}
		return object{"oneOf": []any{object{"type": "array", "items": number},
			object{"type": "object", "additionalProperties": number}}}
	case reflect.TypeFor[Target]():
		return object{"oneOf": []any{s.form(reflect.TypeFor[Literal](), field{}),
			object{"type": "object", "additionalProperties": object{"type": "number"}}}}
	case reflect.TypeFor[Roster]():
		return object{"oneOf": []any{object{"type": "array", "items": s.id(field{}), "minItems": 1}, s.ref(t)}}
	case reflect.TypeFor[RosterOptions]():
		return object{"oneOf": []any{object{"type": "array", "items": s.id(field{}), "minItems": 1},
			s.form(reflect.TypeFor[Map[RosterOption]](), field{})}}
	case reflect.TypeFor[Expected]():
		single := []string{"string", "number", "boolean", "null"}
		list := object{"type": "array", "items": object{"type": single}}
		return object{"oneOf": []any{s.form(reflect.TypeFor[Expr](), field{}),
			object{"type": "object", "additionalProperties": object{"oneOf": []any{object{"type": single}, list}}}}}
	case reflect.TypeFor[Viewers]():
		return object{"oneOf": []any{object{"type": "string"},
			object{"type": "array", "items": object{"type": "string"}, "minItems": 1}}}
	case reflect.TypeFor[Otherwise]():
		return object{"oneOf": []any{object{"type": "string"},
			object{"type": "array", "items": s.ref(reflect.TypeFor[Action]())}}}
	case reflect.TypeFor[Always]():
		return object{"oneOf": []any{s.form(reflect.TypeFor[Expr](), field{}), s.ref(t)}}
	case reflect.TypeFor[RosterOption]():
		return object{"type": "object", "properties": object{"title": text("What people call it."),
			"if": s.form(reflect.TypeFor[Expr](),
				field{}), "refused": text("What those are told who may not pick it.")},
			"additionalProperties": s.form(reflect.TypeFor[Literal](), field{})}
	}
	return s.compound(t, f)
}

func (s *schemer) compound(t reflect.Type, f field) object {
	switch {
	case t.Kind() == reflect.Pointer:
		return s.form(t.Elem(), f)
	case t.Kind() == reflect.Slice:
		return object{"type": "array", "items": s.form(t.Elem(), f)}
	case strings.HasPrefix(t.Name(), "Given["):
		v, _ := t.FieldByName("Value")
		return scalar(v.Type, f)
	case strings.HasPrefix(t.Name(), "Map["):
		entries, _ := t.FieldByName("Entries")
		value, _ := entries.Type.Elem().FieldByName("Value")
		return object{"type": "object", "propertyNames": object{"pattern": IDPattern},
			"additionalProperties": s.form(value.Type, field{})}
	}
	return s.ref(t)
}

func (s *schemer) id(f field) object {
	switch f.id {
	case "game":
		return object{"type": "string", "pattern": "^[a-z][a-z0-9_-]{0,63}$"}
	case "type":
		if f.enum != nil {
			return object{"anyOf": []any{object{"enum": f.enum},
				object{"type": "string", "pattern": "^(pick:)?[a-z][a-z0-9_]{0,63}$",
					"$comment": "pick:roster, or a list"}}}
		}
		return object{"type": "string"}
	}
	return object{"type": "string", "pattern": IDPattern}
}

func scalar(t reflect.Type, f field) object {
	switch t {
	case reflect.TypeFor[int]():
		return limited(object{"type": "integer"}, f)
	case reflect.TypeFor[fixed.Num]():
		return limited(object{"type": "number"}, f)
	case reflect.TypeFor[bool]():
		return object{"type": "boolean"}
	case reflect.TypeFor[Rate]():
		return object{"type": "string", "pattern": "^[1-9][0-9]{0,6}/[smh]$"}
	case reflect.TypeFor[Budget]():
		return object{"type": "string", "pattern": "^[1-9][0-9]{0,6}K?B/tick$"}
	case reflect.TypeFor[time.Duration]():
		return object{"type": "string", "pattern": `^([0-9]+(\.[0-9]+)?(ns|us|µs|ms|s|m|h))+$|^0$`}
	}
	if f.enum != nil {
		return object{"enum": f.enum}
	}
	return object{"type": []string{"string", "number", "boolean"}}
}

func limited(o object, f field) object {
	if f.min != "" {
		o["minimum"] = jsontext.Value(f.min)
	}
	if f.max != "" {
		o["maximum"] = jsontext.Value(f.max)
	}
	return o
}

func (s *schemer) moment() object {
	forms := []any{object{"type": "string", "$comment": "the name of: event", "examples": builtInMoments(func(m *builtIn) bool { return m.needs == "" })}}
	for _, m := range moments {
		of := object(nil)
		switch {
		case m.id == "every":
			of = object{"oneOf": []any{scalar(reflect.TypeFor[time.Duration](), field{}),
				s.ref(reflect.TypeFor[EveryForm]())}}
		case m.id == "crossed":
			forms = append(forms, s.ref(reflect.TypeFor[CrossedForm]()))
			continue
		case m.of != "":
			_, example, _ := strings.Cut(m.needs, ": ")
			of = text(finding.Upper(m.of) + strings.TrimSuffix(", as "+example, ", as ") + ".")
		default:
			continue
		}
		forms = append(forms, object{"type": "object", "properties": object{m.id: of}, "required": []string{m.id},
			"additionalProperties": false})
	}
	return object{"oneOf": forms,
		"description": "An event of the plan, or a built-in moment: " + strings.Join(BuiltInMoments, ", ") + "."}
}

// named defines a schema once and refers to it.
func (s *schemer) named(name string, make func() object) object {
	if s.defs[name] == nil {
		s.defs[name] = true // being made: it may refer to itself
		s.defs[name] = make()
	}
	return object{"$ref": "#/$defs/" + name}
}

func (s *schemer) ref(t reflect.Type) object {
	return s.named(t.Name(), func() object { return s.table(t) })
}

// table is the schema of a struct.
func (s *schemer) table(t reflect.Type) object {
	properties, required, of := object{}, []string{}, t
	t = documented(t)
	for _, f := range fieldsOf(t).list {
		properties[f.name] = s.of(t.FieldByIndex(f.index).Type, f)
		if f.required {
			required = append(required, f.name)
		}
	}
	out := object{"type": "object", "properties": properties, "additionalProperties": false}
	if len(required) > 0 {
		out["required"] = required
	}
	switch of {
	case reflect.TypeFor[Defaults]():
		out["additionalProperties"] = s.ref(reflect.TypeFor[Fates]())
	case reflect.TypeFor[Fates]():
		out["additionalProperties"] = s.form(reflect.TypeFor[Fate](), field{})
		out["description"] = "Fates at the crossings that every game has, and at the plan's own."
	case reflect.TypeFor[Action]():
		out["oneOf"], out["description"] = verbForms(t), "One thing that a rule does."
	case reflect.TypeFor[UpgradeStep]():
		out["oneOf"], out["description"] = verbForms(t), "One thing that an upgrade does with what saves hold."
	case reflect.TypeFor[Step]():
		out["oneOf"], out["description"] = verbForms(t), "One step of a rehearsal."
	}
	return out
}

// verbForms says what has to stand beside each verb.
func verbForms(t reflect.Type) []any {
	fs := fieldsOf(t)
	var forms []any
	for _, verb := range verbsOf(t) {
		needed, more := []string{verb}, []string(nil)
		for _, w := range strings.Split(fs.byName[verb].with, ",") {
			if name, optional := strings.CutSuffix(w, "?"); name != "" && !optional {
				needed = append(needed, name)
			} else if name != "" {
				more = append(more, name)
			}
		}
		form := object{"required": needed}
		if more != nil {
			form["$comment"] = "may stand with it: " + strings.Join(more, ", ")
		}
		for _, other := range verbsOf(t) {
			if fs.byName[other].takes(verb) { // then it is the other that says what is done
				form["not"] = object{"required": []string{other}}
			}
		}
		forms = append(forms, form)
	}
	return forms
}

// Keys lists the forms that this version runs, by table, with what the document's types say of them:
// the source of the reference in docs/plan.md.
func Keys() []Table {
	seen := map[reflect.Type]bool{}
	var out []Table
	var visit func(t reflect.Type)
	visit = func(t reflect.Type) {
		t = plainStruct(t)
		if t == nil || seen[t] {
			return
		}
		seen[t] = true
		table := Table{Name: t.Name()}
		t = documented(t)
		var inner []reflect.Type
		for _, f := range fieldsOf(t).list {
			ft := t.FieldByIndex(f.index).Type
			table.Keys = append(table.Keys, Key{f.name, f.doc, f.required, f.def, f.enum})
			inner = append(inner, ft)
		}
		if len(table.Keys) > 0 {
			out = append(out, table)
		}
		for _, ft := range inner {
			visit(ft)
		}
	}
	visit(reflect.TypeFor[Plan]())
	visit(reflect.TypeFor[EveryForm]())
	visit(reflect.TypeFor[CrossedForm]())
	visit(reflect.TypeFor[UpgradeStep]())
	visit(reflect.TypeFor[Commons]())
	visit(reflect.TypeFor[Rehearsal]())
	return out
}

// Table is one table of the document.
type Table struct {
	Name string
	Keys []Key
}

// Key is one form in a table.
type Key struct {
	Name, Doc string
	Required  bool
	Default   string
	Enum      []string
}

// plainStruct finds the table type in a pointer, list, Map or Given; nil where there is none.
func plainStruct(t reflect.Type) reflect.Type {
	for {
		switch {
		case t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice:
			t = t.Elem()
		case strings.HasPrefix(t.Name(), "Map["):
			entries, _ := t.FieldByName("Entries")
			value, _ := entries.Type.Elem().FieldByName("Value")
			t = value.Type
		case t.Kind() == reflect.Struct && len(fieldsOf(documented(t)).list) > 0:
			return t
		default:
			return nil
		}
	}
}
