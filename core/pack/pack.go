// Package pack derives layouts from a plan: which value takes how much room where, so that writer and reader
// cannot disagree.
package pack

import (
	"fmt"
	"time"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// Layout is what one message of a carrier holds, symbol by symbol.
type Layout struct {
	Carrier *model.Carrier
	Fields  []Field
	Used    int // symbols
}

// Field is one value of a message. It takes Width symbols from At on.
type Field struct {
	Name   string
	Sample int // of place, from 1 (the newest); 0 for what is carried once
	At     int
	Width  int
	What   string // which values it tells apart, for people
	Step   fixed.Num
	domain *types.Domain
	code   *types.Code // of domain
}

// Of lays a carrier's message out: the fields in the order of carries, each in the fewest symbols that tell
// all its values apart.
func Of(c *model.Carrier) Layout {
	l := Layout{Carrier: c}
	for _, name := range c.Carries {
		width, what := widthOf(&name.Domain, len(c.Alphabet))
		times := 1
		if name.Place {
			times = c.Samples
		}
		for i := range times {
			f := Field{Name: name.Source, At: l.Used, Width: width, What: what, domain: &name.Domain,
				code: types.CodeOf(&name.Domain)}
			if times > 1 {
				f.Sample = i + 1
			}
			if name.Domain.Type.Numeric() {
				f.Step = name.Domain.Step
			}
			l.Fields = append(l.Fields, f)
			l.Used += width
		}
	}
	return l
}

// Left is how many symbols are left; below zero where the message is too long.
func (l Layout) Left() int { return l.Carrier.Length - l.Used }

// HeardAfter is how long it takes until each of so many writers has been heard once, where they share the
// lanes in turn.
func (l Layout) HeardAfter(writers int) time.Duration {
	turns := (writers + l.Carrier.Lanes - 1) / l.Carrier.Lanes
	return time.Duration(max(turns, 1)) * l.Carrier.Every
}

// widthOf is how many symbols of an alphabet tell the values of a domain apart.
func widthOf(d *types.Domain, symbols int) (int, string) {
	if types.CodeOf(d).Kind == "text" {
		return textWidth(d, symbols)
	}
	codes, ok := d.Codes()
	if !ok {
		return 64, "too many values to tell apart"
	}
	return digits(codes, symbols), fmt.Sprintf("%d values", codes)
}

// textWidth: each letter takes a fixed number of symbols; that there is none there is a code of its own, and so
// is that the whole text is none.
func textWidth(d *types.Domain, symbols int) (int, string) {
	letters, text := int64(0x110000), "any letter"
	if d.Alphabet != "" {
		if list := types.Letters(d.Alphabet, 0x110000); list != nil {
			letters, text = int64(len(list)), fmt.Sprintf("%d letters", len(list))
		}
	}
	codes := letters + 1
	if d.Type.Optional {
		codes++
	}
	each := digits(codes, symbols)
	return each * d.MaxLength, fmt.Sprintf("%d of %s, %d symbols each", d.MaxLength, text, each)
}

// digits is the smallest w for which symbols^w is at least codes; 0 where there is but one.
func digits(codes int64, symbols int) int {
	w, reach := 0, int64(1)
	for reach < codes {
		w++
		if reach > codes/int64(symbols) {
			return w
		}
		reach *= int64(symbols)
	}
	return w
}

// Saving is how a layout could take fewer symbols: a coarser step for one of its numbers.
type Saving struct {
	Name   string
	Step   fixed.Num // the coarser step
	Symbol int       // how many symbols that saves, over all samples
}

// Savings lists what steps ten times as coarse would save, the most first.
func (l Layout) Savings() []Saving {
	var out []Saving
	for _, name := range l.Carrier.Carries {
		if !name.Domain.Type.Numeric() {
			continue
		}
		coarse := name.Domain
		step, err := coarse.Step.Mul(fixed.FromInt(10))
		if err != nil {
			continue
		}
		coarse.Step = step
		before, _ := widthOf(&name.Domain, len(l.Carrier.Alphabet))
		after, _ := widthOf(&coarse, len(l.Carrier.Alphabet))
		times := 1
		if name.Place {
			times = l.Carrier.Samples
		}
		if saved := (before - after) * times; saved > 0 {
			at := len(out)
			for at > 0 && out[at-1].Symbol < saved {
				at--
			}
			out = append(out[:at], append([]Saving{{name.Source, step, saved}}, out[at:]...)...)
		}
	}
	return out
}
