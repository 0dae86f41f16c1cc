package types

// Int is the type of whole numbers.
var Int = declared(10, whole{})

type whole struct{ number }

func (whole) Name() string      { return "int" }
func (whole) Words(Type) string { return "a whole number" }
func (whole) Traits() Traits    { return Traits{Number: true, Whole: true} }

func (whole) About() About {
	return About{
		Sentence: "A whole number. Without `min` and `max` it goes as far as every JSON reader keeps its figure.",
		Example:  "{of: player, type: int, min: 0, max: 40, start: 20}",
		Stands:   everywhere, Limits: []string{"min", "max", "step"}, Input: InputNumber,
	}
}

func (w whole) Declare(from *Declared, d *Domain) {
	d.Step = or(from.Step, One)
	if !d.Step.MultipleOf(One) {
		from.report("step", "bad-value", "The step of an int is a whole number.")
	}
	w.limit(from, d)
}

func (w whole) Schema(d *Domain) map[string]any {
	if d.Step != d.Step.Floor() {
		return w.number.Schema(d)
	}
	return wholeSchema(d)
}
