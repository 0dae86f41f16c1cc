package types

import (
	"fmt"
	"github.com/go-json-experiment/json/jsontext"
	"slices"
	"strings"

	"alluvion.dev/core/fixed"
)

// number is what all types of numbers have in common.
type number struct{}

// mostStorable is the largest multiple of step that is storable: 2^53 − 1 steps and 15 digits (rule 20).
func mostStorable(step fixed.Num) fixed.Num {
	most, err := fixed.FromInt(fixed.MaxStored).Mul(step)
	digits := fixed.Must("999999999999999")
	for s := step; !s.MultipleOf(One); s, _ = s.Mul(fixed.FromInt(10)) {
		digits, _ = digits.Div(fixed.FromInt(10))
	}
	if err != nil || digits.Less(most) {
		most = digits
	}
	rest, _ := most.Mod(step)
	most, _ = most.Sub(rest)
	return most
}

// limit finds the limits of a number of a step: what is declared, and never more than what keeps its figure everywhere
// (rule 20).
func (number) limit(from *Declared, d *Domain) {
	most := mostStorable(d.Step)
	d.Min, d.Max = or(from.Min, most.Neg()), or(from.Max, most)
	for key, n := range map[string]*fixed.Num{"min": from.Min, "max": from.Max} {
		switch {
		case n == nil:
		case !n.MultipleOf(d.Step):
			from.report(key, "bad-value",
				"%s is not a whole number of steps of %s, so the value could never be exactly there.", n, d.Step)
		case most.Less(n.Abs()):
			from.report(key, "bad-value",
				"%s is beyond %s, the most that keeps its figure in every JSON reader at steps of %s.", n, most, d.Step)
		}
	}
	if d.Max.Less(d.Min) {
		from.report("max", "bad-value", "%s can have no value: its max %s is less than its min %s.", from.Name, d.Max,
			d.Min)
	}
	d.Type.Range = Between(d.Min, d.Max, d.Step)
	d.hasten()
}

func (number) Traits() Traits { return Traits{Number: true} }

func (number) Start(*Domain) (Value, bool) { return None, false }

func (number) Admit(d *Domain, v Value) error {
	switch {
	case v.Kind != IsNum:
		return misfit(OfType, "a number is wanted, not %s", v)
	case v.Num.Less(d.Min) || d.Max.Less(v.Num):
		return misfit(OfRange, "%s is outside %s to %s", v, d.Min, d.Max)
	case !v.Num.MultipleOf(d.Step):
		return misfit(OfStep, "%s is not a whole number of steps of %s", v, d.Step)
	}
	return nil
}

// Fit rounds to the step, and moves to the nearer limit or refuses (rules 20, 21).
func (number) Fit(d *Domain, v Value) (Value, error) {
	if v.Kind != IsNum {
		return v, d.Admit(v)
	}
	n, err := d.FitNumber(v.Num)
	if err != nil {
		return v, err
	}
	return OfNum(n), nil
}

func (number) Nearest(d *Domain, v Value) Value {
	if v.Kind != IsNum {
		return v
	}
	n, err := v.Num.RoundTo(d.Step)
	if err != nil {
		return v
	}
	return OfNum(fixed.Max(d.Min, fixed.Min(d.Max, n)))
}

func (number) Stored(_ *Domain, v Value) Value { return v }

func (number) Written(_ *Domain, l Literal) (Value, error) { return plain(l) }

func (number) Typed(_ *Domain, s string) (Value, error) {
	if n, err := fixed.Parse(s); err == nil {
		return OfNum(n), nil
	}
	return OfText(s), nil
}

func (number) Choices(*Domain) []string { return nil }

func (number) Code(d *Domain) *Code { return numberCode(d.Min, d.Max, d.Step, d.Type.Optional) }

func (number) Schema(d *Domain) map[string]any {
	return map[string]any{"type": "number", "minimum": jsontext.Value(d.Min.String()),
		"maximum": jsontext.Value(d.Max.String())}
}

// wholeSchema is the schema of a number without places.
func wholeSchema(d *Domain) map[string]any {
	out := number{}.Schema(d)
	out["type"], out["multipleOf"] = "integer", jsontext.Value(d.Step.String())
	return out
}

func (number) Limits(d *Domain, declared Limits) string {
	text := ""
	if declared.Min != nil || declared.Max != nil {
		text = fmt.Sprintf(" %s to %s", d.Min, d.Max)
	}
	if declared.Step != nil {
		text += " in steps of " + d.Step.String()
	}
	return text
}

func (number) Narrowed(old, now *Domain, _ map[string]string) []Narrowing {
	var out []Narrowing
	if old.Min.Less(now.Min) || now.Max.Less(old.Max) {
		out = append(out, Narrowing{Change: "limits", Loses: true, As: OfRange,
			Text: fmt.Sprintf("it went from %s to %s, and goes from %s to %s; what is beyond", old.Min, old.Max,
				now.Min, now.Max)})
	} else if old.Min != now.Min || old.Max != now.Max {
		out = append(out, Narrowing{Change: "limits", Text: fmt.Sprintf("it goes from %s to %s, wider than before.",
			now.Min, now.Max)})
	}
	if !old.Step.MultipleOf(now.Step) {
		out = append(out, Narrowing{Change: "step", Loses: true, As: OfStep,
			Text: fmt.Sprintf("its steps were %s, and are %s; what is between them", old.Step, now.Step)})
	} else if old.Step != now.Step {
		out = append(out, Narrowing{Change: "step", Text: fmt.Sprintf("its steps are %s, finer than before.",
			now.Step)})
	}
	return out
}

func (number) Edges(d *Domain, _ Dice) []Value { return []Value{OfNum(d.Min), OfNum(d.Max)} }

// Some is a share of the way from the least to the greatest.
func (number) Some(d *Domain, dice Dice) Value {
	span, err := d.Max.Sub(d.Min)
	if err == nil {
		var part fixed.Num
		if part, err = span.Mul(fixed.FromNano(int64(dice(1_000_000_000)))); err == nil {
			part, err = part.Add(d.Min)
			if n, ok := d.Nearest(OfNum(part)); err == nil && ok {
				return n
			}
		}
	}
	return OfNum(d.Min)
}

// plain is a literal of a type whose values are no texts.
func plain(l Literal) (Value, error) {
	switch l.Kind {
	case LiteralNumber:
		return OfNum(l.Number), nil
	case LiteralBool:
		return OfBool(l.Bool), nil
	}
	return single(l)
}

// single is a literal of a type whose values are texts.
func single(l Literal) (Value, error) {
	if l.Kind == LiteralList {
		return None, errNoList
	}
	return OfText(l.Text), nil
}

// itemsOf are the parts of a list as people type it: mill, lodge; (3, 4); empty.
func itemsOf(s string) []string {
	if s == "empty" {
		return nil
	}
	parts := strings.Split(strings.Trim(s, "[]()"), ",")
	return slices.DeleteFunc(parts, func(p string) bool { return strings.TrimSpace(p) == "" })
}
