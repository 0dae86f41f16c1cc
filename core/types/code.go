package types

import (
	"fmt"
	"math/bits"
	"slices"
	"unicode/utf8"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/fixed"
)

// Code is how the values of one domain are written in bits. It is complete in itself: whoever has it can read and
// write values without the plan.
type Code struct {
	Kind     string    `json:"kind" enum:"number,truth,option,text,list" doc:"number: (value - min) / step. option: its index in options. text: how many letters, then each. list: how many items, then each."`
	Optional bool      `json:"optional,omitzero" doc:"It may be none: of a number or an option a code after the last one, of the others a bit before it that says whether there is a value."`
	Bits     int       `json:"bits" doc:"Of a number or an option: how many it takes. Of a text or a list: how many say how long it is."`
	Min      fixed.Num `json:"min,omitzero"`
	Step     fixed.Num `json:"step,omitzero"`
	Codes    uint64    `json:"codes,omitzero" doc:"How many values there are, none left out."`
	Options  []string  `json:"options,omitempty"`
	Letters  string    `json:"letters,omitempty" doc:"Of a text: each letter is written as its index among these; without them the text is written in bytes of UTF-8."`
	Most     int       `json:"most,omitzero" doc:"The greatest length of a text in letters (bytes where no letters are given), of a list in items."`
	Item     *Code     `json:"item,omitempty"`
}

// Alike says whether two codes are of one type; ranges and options may differ.
func (c *Code) Alike(other *Code) bool {
	if c == nil || other == nil {
		return c == other
	}
	return c.Kind == other.Kind && c.Optional == other.Optional && c.Item.Alike(other.Item)
}

// CodeOf derives the code of a domain.
func CodeOf(d *Domain) *Code { return d.kind().Code(d) }

func numberCode(lo, hi, step fixed.Num, optional bool) *Code {
	c := &Code{Kind: "number", Optional: optional, Min: lo, Step: step}
	span, _ := hi.Sub(lo)
	steps, _ := span.Div(step)
	whole, _ := steps.Floor().Int() // all stored numbers are within 2^53 steps of zero (rule 20)
	c.Codes = uint64(whole) + 1
	c.Bits = bitsFor(c.Codes, optional)
	return c
}

// bitsFor is how many bits tell so many codes apart, and none besides where it is optional.
func bitsFor(codes uint64, optional bool) int {
	if optional {
		codes++
	}
	return bits.Len64(codes - 1)
}

// Write adds a value that is one of the domain's; an error says that it is none.
func (c *Code) Write(b *bitstream.Bits, v Value) error {
	switch c.Kind {
	case "number", "option":
		code, err := c.Number(v)
		b.Write(code, uint(c.Bits))
		return err
	}
	if c.Optional {
		b.Flag(!v.IsNone())
		if v.IsNone() {
			return nil
		}
	}
	switch c.Kind {
	case "truth":
		b.Flag(v.Bool)
	case "text":
		return c.writeText(b, v.Text)
	case "list":
		items := v.Items()
		if len(items) > c.Most {
			return fmt.Errorf("%d items are more than %d", len(items), c.Most)
		}
		b.Write(uint64(len(items)), uint(c.Bits))
		for _, item := range items {
			if err := c.Item.Write(b, item); err != nil {
				return err
			}
		}
	}
	return nil
}

// Number is what a value is as one number, as carriers send it: of a number, an option, true or false.
func (c *Code) Number(v Value) (uint64, error) {
	if v.IsNone() && c.Optional {
		return c.count(), nil
	}
	switch c.Kind {
	case "truth":
		if v.Kind != IsBool {
			return 0, fmt.Errorf("%s is not true or false", v)
		}
		if v.Bool {
			return 1, nil
		}
		return 0, nil
	case "option":
		i := slices.Index(c.Options, v.Text)
		if i < 0 || v.Kind != IsText {
			return 0, fmt.Errorf("%s is not one of the options", v)
		}
		return uint64(i), nil
	}
	if v.Kind != IsNum {
		return 0, fmt.Errorf("%s is no number", v)
	}
	return c.steps(v.Num)
}

// count is how many codes there are, none left out.
func (c *Code) count() uint64 {
	switch c.Kind {
	case "truth":
		return 2
	case "option":
		return uint64(len(c.Options))
	}
	return c.Codes
}

// steps is how many steps a number is above the least.
func (c *Code) steps(n fixed.Num) (uint64, error) {
	lo, ok1 := c.Min.Nano()
	step, ok2 := c.Step.Nano()
	at, ok3 := n.Nano()
	if ok1 && ok2 && ok3 && lo > -1<<61 && lo < 1<<61 && at > -1<<61 && at < 1<<61 { // mostly so: a division of machine words
		if d := at - lo; d >= 0 && d%step == 0 && uint64(d/step) < c.Codes {
			return uint64(d / step), nil
		}
		return 0, fmt.Errorf("%s is not between %s and %d steps of %s above it", n, c.Min, c.Codes-1, c.Step)
	}
	above, err := n.Sub(c.Min)
	if err != nil {
		return 0, err
	}
	steps, err := above.Div(c.Step)
	whole, ok := steps.Int()
	if err != nil || !ok || whole < 0 || uint64(whole) >= c.Codes || !above.MultipleOf(c.Step) {
		return 0, fmt.Errorf("%s is not between %s and %d steps of %s above it", n, c.Min, c.Codes-1, c.Step)
	}
	return uint64(whole), nil
}

func (c *Code) writeText(b *bitstream.Bits, s string) error {
	if c.Letters == "" {
		if len(s) > c.Most {
			return fmt.Errorf("%d bytes are more than %d", len(s), c.Most)
		}
		b.Write(uint64(len(s)), uint(c.Bits))
		b.Bytes([]byte(s))
		return nil
	}
	n := utf8.RuneCountInString(s)
	if n > c.Most {
		return fmt.Errorf("%d letters are more than %d", n, c.Most)
	}
	b.Write(uint64(n), uint(c.Bits))
	letters := c.alphabet()
	each := uint(bits.Len(uint(len(letters) - 1)))
	for _, r := range s {
		i := slices.Index(letters, r)
		if i < 0 {
			return fmt.Errorf("%q is not one of the letters", r)
		}
		b.Write(uint64(i), each)
	}
	return nil
}

func (c *Code) alphabet() []rune { return []rune(c.Letters) }

// Read gives the value that stands next. What is none of the domain's makes the source fail.
func (c *Code) Read(s *bitstream.Source) Value {
	switch c.Kind {
	case "number", "option":
		return c.ValueOf(s, s.Read(uint(c.Bits)))
	}
	if c.Optional && !s.Flag() {
		return None
	}
	switch c.Kind {
	case "truth":
		return OfBool(s.Flag())
	case "text":
		return c.readText(s)
	}
	n := int(s.Read(uint(c.Bits)))
	if n > c.Most {
		s.Fail(fmt.Errorf("%d items are more than %d", n, c.Most))
		return None
	}
	items := make([]Value, 0, n)
	for range n {
		items = append(items, c.Item.Read(s))
	}
	return OfItems(items)
}

// ValueOf is the value that Number makes a number of.
func (c *Code) ValueOf(s *bitstream.Source, code uint64) Value {
	switch {
	case code == c.count() && c.Optional:
		return None
	case code >= c.count():
		s.Fail(fmt.Errorf("the code %d stands for nothing", code))
		return None
	case c.Kind == "option":
		return OfText(c.Options[code])
	case c.Kind == "truth":
		return OfBool(code == 1)
	}
	above, err := fixed.FromInt(int64(code)).Mul(c.Step)
	if err == nil {
		above, err = c.Min.Add(above)
	}
	if err != nil {
		s.Fail(err)
	}
	return OfNum(above)
}

func (c *Code) readText(s *bitstream.Source) Value {
	n := int(s.Read(uint(c.Bits)))
	if n > c.Most {
		s.Fail(fmt.Errorf("a text of %d is longer than %d", n, c.Most))
		return None
	}
	if c.Letters == "" {
		return OfText(s.Text(n))
	}
	letters := c.alphabet()
	each := uint(bits.Len(uint(len(letters) - 1)))
	out := make([]rune, 0, n)
	for range n {
		i := s.Read(each)
		if i >= uint64(len(letters)) {
			s.Fail(fmt.Errorf("the letter %d stands for nothing", i))
			return None
		}
		out = append(out, letters[i])
	}
	return OfText(string(out))
}

// Width is the most bits that a value can take.
func (c *Code) Width() int {
	flag := 0
	if c.Optional {
		flag = 1
	}
	switch c.Kind {
	case "truth":
		return flag + 1
	case "text":
		each := 8
		if c.Letters != "" {
			each = bits.Len(uint(len(c.alphabet()) - 1))
		}
		return flag + c.Bits + c.Most*each
	case "list":
		return flag + c.Bits + c.Most*c.Item.Width()
	}
	return c.Bits
}

// Codes is how many different values a domain of single values has; false where that is more than can be counted.
func (d *Domain) Codes() (int64, bool) {
	n := int64(1)
	switch c := CodeOf(d); c.Kind {
	case "number":
		span, err := d.Max.Sub(d.Min)
		steps, err2 := span.Div(d.Step)
		whole, ok := steps.Floor().Int()
		if err != nil || err2 != nil || !ok || whole >= fixed.MaxStored*1000 {
			return 0, false
		}
		n = whole + 1
	case "truth":
		n = 2
	case "option":
		n = int64(len(c.Options))
	}
	if d.Type.Optional {
		n++
	}
	return n, true
}
