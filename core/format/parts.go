package format

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/save"
)

// part reads one thing that a file holds.
func (o *opening) part(p *part, at []string) {
	defer o.within(p.f)()
	if p.each == nil {
		o.one(p, p.name, at, o.root, o.start)
		return
	}
	list := o.lookUp(o.root, o.start, p.each)
	if list.node == nil || list.node.Form == Null {
		return
	}
	star := func(id string) []string {
		out := make([]string, len(at))
		for i, token := range at {
			if out[i] = token; token == "*" {
				out[i] = id
			}
		}
		return out
	}
	seen := map[string]bool{}
	record := func(n *Node, id, pointer string, spot Spot) {
		if meant, ok := p.ids[id]; ok {
			id = meant
		}
		name := strings.Replace(p.name, "*", id, 1)
		if seen[id] {
			o.tell(save.KindDuplicate, spot, pointer, name, "it stands there twice",
				"the first counts, and the file keeps the others")
			return
		}
		seen[id] = true
		o.one(p, name, star(id), n, pointer)
	}
	switch list.node.Form {
	case Table:
		if p.id != nil && o.f.Decl.Is.Value != "xml" {
			o.tell(save.KindType, list.node.Spot, list.pointer, p.name, "a list is wanted here, not a table", "it is as if there were nothing")
			return
		}
		if p.id != nil { // in XML one record alone is no list
			if id := o.lookUp(list.node, list.pointer, p.id); id.node != nil {
				record(list.node, id.node.Text, list.pointer, list.node.Spot)
			}
			return
		}
		for i := range list.node.Keys {
			k := &list.node.Keys[i]
			record(k.Value, k.Name, list.pointer+"/"+escaped(k.Name), k.Spot)
		}
	case List:
		for i, item := range list.node.Items {
			pointer := list.pointer + "/" + strconv.Itoa(i)
			if p.id == nil {
				record(item, strconv.Itoa(i), pointer, item.Spot)
				continue
			}
			id := o.lookUp(item, pointer, p.id)
			if id.node == nil || id.node.Text == "" {
				o.tell(save.KindType, item.Spot, pointer, p.name, "it does not say whose it is: it has no "+p.held.ID.Path.Value,
					"it is left out, and the file keeps it")
				continue
			}
			record(item, id.node.Text, pointer, item.Spot)
		}
	default:
		o.tell(save.KindType, list.node.Spot, list.pointer, p.name,
			"a list or a table is wanted here, not "+list.node.Form.String(), "it is as if there were nothing")
	}
}

// one reads one value to its place in the save.
func (o *opening) one(p *part, name string, at []string, from *Node, base string) {
	where := o.lookUp(from, base, p.path)
	where.node = o.f.leaf(where.node)
	where.name = name
	o.from[pointerOf(at)] = where
	var text jsontext.Value
	switch {
	case where.node == nil && o.f.absent(p.held) && at[0] != "place":
		text = jsontext.Value("null")
	case where.node == nil:
		if at[0] == "place" && at[1] == "facing" {
			o.tell(save.KindMissing, where.near.Spot, where.pointer, name, "it is not there", "it is "+o.f.set.firstFacing())
		} else if at[0] == "place" {
			o.nowhere = true
			o.tell(save.KindMissing, where.near.Spot, where.pointer, name, "it is not there", "they are at the start, "+o.f.set.m.Start.ID)
		}
		return
	default:
		var problem string
		if text, problem = o.scalar(p.held, p.dom, where.node); problem != "" {
			text = o.misfit(p, at, name, where, problem)
			if text == nil {
				return
			}
		}
	}
	if slices.Contains(at, "at") && !isNumber(string(text)) && (string(text) != "null" || at[0] == "place") { // a coordinate
		o.misfit(p, at, name, where, "a number is wanted, not "+where.node.String())
		return
	}
	switch {
	case at[0] == "milestones" && len(at) == 1:
		o.set([]string{"milestones"}, text)
	case at[0] == "milestones":
		if string(text) == "true" {
			list, _ := o.doc["milestones"].([]any)
			o.doc["milestones"] = append(list, at[1])
		}
	case at[0] == "checkpoint" && string(text) == "null":
	default:
		o.set(at, text)
		if p.rewind && o.f.Of() == "player" {
			o.set(append([]string{"record"}, at...), text)
		}
	}
}

// firstFacing is how a player faces at the start.
func (s *Set) firstFacing() string {
	if s.m.Start.Facing != "" || len(s.m.Facings) == 0 {
		return s.m.Start.Facing
	}
	return s.m.Facings[0]
}

// misfit tells of what cannot be read, and gives what is read instead; nil where it is as if it were not there.
func (o *opening) misfit(p *part, at []string, name string, where origin, problem string) jsontext.Value {
	kind, instead := save.KindType, "it is as if it were not there"
	v := o.f.set.variable(o.f.set.nameNow(p.name, o.Version))
	if v != nil && !v.Holder.Lazy() {
		instead = "it has its start value, " + v.Start.Plain()
	}
	switch problem {
	case notMapped:
		problem = fmt.Sprintf("%s is not in the map of the format", where.node)
		if kind = save.KindOption; p.dom == aName {
			kind = save.KindPlace
		}
	case tooLarge:
		problem = fmt.Sprintf("%s is outside every limit", where.node)
		if kind = save.KindRange; v != nil && save.PolicyOf(o.f.set.m, kind) == save.Nearest {
			near := v.Max
			if strings.HasPrefix(where.node.Text, "-") {
				near = v.Min
			}
			o.tell(kind, where.node.Spot, where.pointer, name, problem, "it is "+near.String()+", the nearest that is right")
			return jsontext.Value(near.String())
		}
	}
	if at[0] == "place" && at[1] == "facing" {
		instead = "it is " + o.f.set.firstFacing()
	} else if at[0] == "place" {
		o.nowhere, instead = true, "they are at the start, "+o.f.set.m.Start.ID
	}
	o.tell(kind, where.node.Spot, where.pointer, name, problem, instead)
	o.wrong[pointerOf(at)] = true
	return nil
}
