package model

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// declaration is what a plan says of the values of a variable, an argument, an attribute or an item.
type declaration struct {
	name     string
	id       plan.ID
	limits   *plan.Limits
	roster   plan.Ref
	items    *plan.ValueType
	maxItems plan.Given[int]
	within   plan.Given[string]
	where    types.Stand
}

// valueDomain reads what the values of an attribute, an argument or an item are.
func (b *builder) valueDomain(name string, t *plan.ValueType, where types.Stand) types.Domain {
	return b.domain(declaration{name: name, id: t.Type, limits: &t.Limits, roster: t.Roster, within: t.Within,
		where: where})
}

// domain finds which values a declaration leaves; those of the type Invalid where it cannot be told, which is reported.
func (b *builder) domain(d declaration) types.Domain {
	kind, of := b.typeOf(d)
	if kind == nil {
		return types.Domain{}
	}
	from := types.Declared{Limits: d.limits.Plain(), Name: d.name, Of: of, Axes: b.Axes, Grid: b.Step,
		Rosters: b.rosterOf, Remembered: d.where&(types.InVariable|types.InField) != 0}
	from.Roster, from.MaxItems = d.roster.Name, pointer(d.maxItems)
	if types.Takes(kind, "items") {
		if from.Item = b.item(d); from.Item == nil && d.items != nil { // what is wrong with it has been reported
			return types.Domain{}
		}
	}
	places := d.limits.Written()
	from.Report = func(limit, id, text string) {
		at, written := places[limit]
		if !written {
			at = d.id.At
		}
		b.report(id, at, "%s", text)
	}
	b.unique(d.limits.Choices)
	out := types.Declare(kind, &from)
	if out.Type.Kind != types.Invalid { // what goes with a type that is none, nobody knows
		b.unused(d, kind)
	}
	return out
}

func pointer[T any](g plan.Given[T]) *T {
	if !g.Given {
		return nil
	}
	return &g.Value
}

// rosterOf finds a roster and its options; nil where there is none that could be read.
func (b *builder) rosterOf(id string) (*types.Roster, []string) {
	if b.rest.inside("/rosters/" + id) {
		return nil, nil
	}
	return b.rosters[id], b.options[id]
}

// item reads what the items of a list or a set are; nil where that is not said, or wrong.
func (b *builder) item(d declaration) *types.Domain {
	if d.items == nil {
		b.report("missing", d.id.At, "%s needs its items: {type: %s, items: text}.", d.name, d.id.Name)
		return nil
	}
	if d.limits.Optional.Value || d.items.Optional.Value {
		b.report("wrong-type", d.id.At, "A %s is never none (it may be empty), and neither are its items.", d.id.Name)
	}
	item := b.valueDomain(d.name, d.items, types.InItem)
	if item.Type.Kind == types.Invalid {
		return nil
	}
	return &item
}

// typeOf finds the type that a declaration names, and what stands behind its name: cache of prop:cache.
func (b *builder) typeOf(d declaration) (types.Kind, string) {
	id := d.id
	name, of, _ := strings.Cut(id.Name, ":")
	kind := types.Called(name)
	if kind != nil && of != "" && kind != types.Prop || kind == types.Prop && of == "" {
		kind = nil
	}
	stands := types.Stand(0)
	if kind != nil {
		stands = kind.About().Stands
	}
	switch {
	case id.Name == "": // that it is missing is reported
	case b.lists[id.Name] != nil && types.Choice.About().Stands&d.where != 0:
		return types.Choice, id.Name
	case stands&d.where != 0 && kind == types.Prop:
		return b.propType(id, of)
	case stands&d.where != 0:
		return kind, ""
	case d.where&(types.InItem|types.InAttribute) != 0 && (stands == types.InArgument || kind == types.Player):
		b.report("bad-value", id.At, "An attribute or an item cannot be %s.", types.Type{Kind: kind, Of: of})
	case d.where == types.InItem && stands&types.InVariable != 0:
		b.report("bad-value", id.At, "The items of a list or a set are single values.")
	case kind != nil:
		b.report("bad-value", id.At, "The type %s is for %s, and cannot stand here. Here there is %s.", kind.Name(),
			strings.Join(kind.About().Stands.Words(), ", "), strings.Replace(strings.Join(plan.TypesOf(d.where), ", "),
				types.Prop.Name(), "prop:kind", 1))
	case b.kinds[id.Name] != nil && d.where != types.InVariable:
		near := "prop:" + id.Name
		b.unknownName(id.At, fmt.Sprintf("There is no type called %q.%s", id.Name, finding.DidYouMean(near)),
			finding.Guess{Name: near, Sure: true})
	default:
		known := slices.DeleteFunc(plan.TypesOf(d.where), func(name string) bool {
			return name == types.Prop.Name()
		})
		if types.Choice.About().Stands&d.where != 0 { // a list is a choice of its options
			known = append(known, slices.Sorted(maps.Keys(b.lists))...)
		}
		if near := finding.Word(id.Name, known); finding.Nearest(id.Name, known) == "" && near.Name != "" { // what others call it
			b.unknownName(id.At, fmt.Sprintf("There is no type called %q.%s", id.Name, finding.DidYouMean(near.Name)), near)
			break
		}
		b.oneOf(id.Name, known, "type", id.At)
	}
	return nil, ""
}

func (b *builder) propType(id plan.ID, kind string) (types.Kind, string) {
	if b.kinds[kind] != nil {
		return types.Prop, kind
	}
	near := finding.Declared(kind, b.Plan.Props.IDs())
	if near.Name != "" {
		near.Name = "prop:" + near.Name
	}
	b.unknownName(id.At, fmt.Sprintf("There is no kind of prop called %q.%s", kind, finding.DidYouMean(near.Name)),
		near)
	return nil, ""
}

// unused reports limits that do not go with the type; with a group (nil) none does.
func (b *builder) unused(d declaration, kind types.Kind) {
	places := d.limits.Written()
	put := func(key string, given bool, at finding.At) {
		if given {
			places[key] = at
		}
	}
	put("roster", d.roster.Given(), d.roster.At)
	put("items", d.items != nil, d.id.At)
	put("max_items", d.maxItems.Given, d.maxItems.At)
	put("within", d.within.Given, d.within.At)
	for _, key := range slices.Sorted(maps.Keys(places)) {
		if kind == nil || !types.Takes(kind, key) {
			b.report("wrong-type", places[key], "%s does not go with the type %s.", key, d.id.Name)
		}
	}
}
