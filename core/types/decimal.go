package types

import "alluvion.dev/core/fixed"

// Decimal is the type of numbers with places, as many as their step has.
var Decimal = declared(20, decimal{})

type decimal struct{ number }

func (decimal) Name() string      { return "decimal" }
func (decimal) Words(Type) string { return "a decimal" }

func (decimal) About() About {
	return About{
		Sentence: "A number with places. `step` says how fine it is, and every value is a whole multiple of that.",
		Example:  "{of: player, type: decimal, min: 0, max: 100, step: 0.5, start: 100}",
		Stands:   everywhere, Limits: []string{"min", "max", "step"}, Needs: []string{"step"}, Input: InputNumber,
	}
}

func (k decimal) Declare(from *Declared, d *Domain) {
	d.Step = or(from.Step, fixed.Must("0.1"))
	if from.Step == nil {
		from.report("", "missing", "%s is a decimal and needs its step, such as step: 0.1.", from.Name)
	}
	k.limit(from, d)
}
