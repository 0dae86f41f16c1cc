package types

import "alluvion.dev/core/fixed"

// Stopwatch is the type of what counts seconds by itself.
var Stopwatch = declared(110, stopwatch{})

type stopwatch struct{ number }

func (stopwatch) Name() string      { return "stopwatch" }
func (stopwatch) Words(Type) string { return "a decimal" }

func (stopwatch) About() About {
	return About{
		Sentence: "Seconds that count by themselves, to the millisecond; with `while`, only as long as something holds.",
		Example:  "{of: player, type: stopwatch, while: place.scene == 'ridge'}",
		Stands:   InVariable, Input: InputNone, Alone: true,
	}
}

func (k stopwatch) Declare(from *Declared, d *Domain) {
	d.Step = fixed.Must("0.001")
	own := *from
	own.Limits = Limits{Min: new(fixed.Num)}
	k.limit(&own, d)
}

func (stopwatch) Start(*Domain) (Value, bool) { return OfInt(0), true }

func (stopwatch) Limits(*Domain, Limits) string { return ", in seconds" }

func (stopwatch) Narrowed(_, _ *Domain, _ map[string]string) []Narrowing { return nil }

// aLongTime is 100 hours.
const aLongTime = 360_000

func (stopwatch) Edges(*Domain, Dice) []Value { return []Value{OfInt(0), OfInt(aLongTime)} }

func (stopwatch) Some(_ *Domain, dice Dice) Value { return OfInt(dice(aLongTime)) }
