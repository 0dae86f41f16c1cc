package compiled

import (
	"fmt"
	"reflect"
	"unsafe"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/calendar"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
)

// Write compiles the plan that a model was made from. The same plan and commons give the same bytes. Whether the plan has
// errors is for whoever made the model.
func Write(m *model.Model, commons model.Commons) ([]byte, error) {
	p, source := m.Plan, []byte(m.Plan.Source)
	document, err := plan.Nodes(source)
	if err != nil {
		return nil, err
	}
	c := content{Game: p.Game.Name, Version: p.Version.Value, Source: sum(source), Document: document,
		Commons: map[string]jsontext.Value{}, Expressions: map[string]*tree.Node{}, Zones: map[string][]byte{}}
	c.expressions(p)
	for _, r := range m.Rules { // the conditions that moments stand for are written nowhere
		if r.Only != nil {
			c.expression(r.Only.Source)
		}
	}
	for i := range p.Uses {
		id := p.Uses[i].Commons.Name
		text, err := commons(id)
		if err != nil {
			return nil, fmt.Errorf("the commons %s: %w", id, err)
		}
		nodes, err := plan.Nodes(text)
		if err != nil {
			return nil, fmt.Errorf("the commons %s: %w", id, err)
		}
		read, _ := plan.ReadCommons(text)
		c.expressions(read)
		c.Commons[id] = nodes
	}
	for _, crossing := range m.OwnCrossings {
		if crossing.Calendar != nil && crossing.Calendar.Zone != nil {
			zone := crossing.Calendar.Zone
			c.Zones[zone.String()] = calendar.ZoneData(zone)
		}
	}
	return c.write()
}

func (c *content) write() ([]byte, error) {
	raw, err := json.Marshal(c, json.Deterministic(true))
	if err != nil {
		return nil, err
	}
	return json.Marshal(file{Format, sum(raw), raw}, json.Deterministic(true))
}

func (c *content) expression(source string) {
	if root := expr.Tree(source); root != nil {
		c.Expressions[source] = root
	}
}

var expression, place = reflect.TypeFor[plan.Expr](), reflect.TypeFor[finding.At]()

// expressions takes over every expression of a document, wherever in it.
func (c *content) expressions(document any) {
	c.within(reflect.ValueOf(document), map[unsafe.Pointer]bool{})
}

// within takes over the expressions of a part; seen are the pointers that were followed.
func (c *content) within(v reflect.Value, seen map[unsafe.Pointer]bool) {
	switch v.Kind() {
	case reflect.Pointer:
		if p := v.UnsafePointer(); p != nil && !seen[p] {
			seen[p] = true
			c.within(v.Elem(), seen)
		}
	case reflect.Interface:
		c.within(v.Elem(), seen)
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			c.within(v.Index(i), seen)
		}
	case reflect.Map:
		for _, key := range v.MapKeys() {
			c.within(v.MapIndex(key), seen)
		}
	case reflect.Struct:
		switch v.Type() {
		case expression:
			c.expression(v.FieldByName("Source").String())
		case place:
		default:
			for i := range v.NumField() {
				c.within(v.Field(i), seen)
			}
		}
	}
}
