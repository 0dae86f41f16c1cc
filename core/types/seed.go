package types

import "alluvion.dev/core/fixed"

// Seed is the type of what numbers are drawn from.
var Seed = declared(100, seed{})

type seed struct{ number }

func (seed) Name() string      { return "seed" }
func (seed) Words(Type) string { return "a seed" }
func (seed) Traits() Traits    { return Traits{} }

func (seed) About() About {
	return About{
		Sentence: "What `draw` takes its numbers from. It comes with the session; `reset` makes it anew, and nothing else changes it.",
		Example:  "{of: game, type: seed}",
		Stands:   InVariable, Input: InputNone, Alone: true,
	}
}

func (seed) Declare(_ *Declared, d *Domain) {
	d.Step, d.Max = One, fixed.FromInt(1<<32-1)
}

func (seed) Start(*Domain) (Value, bool) { return OfInt(0), true }

func (seed) Fit(d *Domain, v Value) (Value, error) { return v, d.Admit(v) }

func (seed) Schema(d *Domain) map[string]any { return wholeSchema(d) }

func (seed) Limits(*Domain, Limits) string { return "" }

func (seed) Narrowed(_, _ *Domain, _ map[string]string) []Narrowing { return nil }
