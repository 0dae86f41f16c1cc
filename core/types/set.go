package types

// Set is the type of items of which each stands there once, in a fixed order.
var Set = declared(90, set{})

type set struct{ items }

func (set) Name() string        { return "set" }
func (set) Words(t Type) string { return ofEach("a set", t) }

func (set) About() About {
	return About{
		Sentence: "Items of which each is there once. `items` says what each is: a type's name, or a table.",
		Example:  "{of: player, type: set, items: {type: choice, choices: [mill, lodge]}}",
		Stands:   InVariable | InCommons, Limits: []string{"items",
			"max_items"}, Needs: []string{"items"}, Input: InputItems,
	}
}

func (s set) Admit(d *Domain, v Value) error {
	if err := s.items.Admit(d, v); err != nil {
		return err
	}
	all := v.Items()
	for i := range all {
		if i > 0 && !all[i-1].Less(all[i]) {
			return misfit(OfType, "the items of a set stand once each, in order")
		}
	}
	return nil
}

func (set) Stored(_ *Domain, v Value) Value {
	if v.Kind != IsList {
		return v
	}
	return OfItems(sorted(v))
}

func (s set) Schema(d *Domain) map[string]any {
	out := s.items.Schema(d)
	out["uniqueItems"] = true
	return out
}
