package types

import (
	"fmt"
	"math/bits"
	"unicode/utf8"
)

// Text is the type of what is written by people.
var Text = declared(40, words{})

type words struct{}

func (words) Name() string      { return "text" }
func (words) Words(Type) string { return "a text" }
func (words) Traits() Traits    { return Traits{} }

func (words) About() About {
	return About{
		Sentence: "Any text of `min_length` to `max_length` characters (0 to 256 where nothing is said), of the characters in `alphabet` where it is given.",
		Example:  "{of: player, type: text, max_length: 16, start: ''}",
		Stands:   everywhere, Limits: []string{"min_length", "max_length", "alphabet"}, Input: InputText,
	}
}

func (words) Declare(from *Declared, d *Domain) {
	d.MinLength, d.MaxLength, d.Alphabet = or(from.MinLength, 0), or(from.MaxLength, 256), from.Alphabet
}

func (words) Start(*Domain) (Value, bool) { return None, false }

func (words) Admit(d *Domain, v Value) error {
	if v.Kind != IsText {
		return misfit(OfType, "a text is wanted, not %s", v)
	}
	s := v.Text
	n := utf8.RuneCountInString(s)
	switch {
	case !utf8.ValidString(s):
		return misfit(OfType, "the text is not UTF-8")
	case n < d.MinLength:
		return misfit(OfRange, "the text has %d characters; at least %d are wanted", n, d.MinLength)
	case n > d.MaxLength:
		return misfit(OfRange, "the text has %d characters; at most %d are allowed", n, d.MaxLength)
	}
	if d.Alphabet == "" {
		return nil
	}
	for letters := spans(d.Alphabet); s != ""; {
		r, n := utf8.DecodeRuneInString(s)
		s = s[n:]
		if !inAlphabet(r, letters) {
			return misfit(OfRange, "the character %q is not among %s", r, d.Alphabet)
		}
	}
	return nil
}

func (words) Fit(d *Domain, v Value) (Value, error)       { return v, d.Admit(v) }
func (words) Nearest(_ *Domain, v Value) Value            { return v }
func (words) Stored(_ *Domain, v Value) Value             { return v }
func (words) Written(_ *Domain, l Literal) (Value, error) { return single(l) }
func (words) Typed(_ *Domain, s string) (Value, error)    { return OfText(s), nil }
func (words) Choices(*Domain) []string                    { return nil }

// mostLetters is how many letters an alphabet may have for its texts to be packed letter by letter.
const mostLetters = 4096

func (words) Code(d *Domain) *Code {
	c := &Code{Kind: "text", Optional: d.Type.Optional, Most: d.MaxLength * utf8.UTFMax}
	if letters := Letters(d.Alphabet, mostLetters); d.Alphabet != "" && letters != nil {
		c.Letters, c.Most = string(letters), d.MaxLength
	}
	c.Bits = bits.Len(uint(c.Most))
	return c
}

func (words) Schema(d *Domain) map[string]any {
	out := map[string]any{"type": "string", "minLength": d.MinLength, "maxLength": d.MaxLength}
	if d.Alphabet != "" {
		out["pattern"] = d.Pattern()
	}
	return out
}

func (words) Limits(*Domain, Limits) string { return "" }

func (words) Narrowed(old, now *Domain, _ map[string]string) []Narrowing {
	if now.MaxLength >= old.MaxLength && now.MinLength <= old.MinLength &&
		(now.Alphabet == "" || now.Alphabet == old.Alphabet) {
		return nil
	}
	return []Narrowing{{Change: "limits", Loses: true, As: OfRange,
		Text: fmt.Sprintf("fewer texts fit than before (%d to %d characters); what does not fit", now.MinLength,
			now.MaxLength)}}
}

func (w words) Edges(d *Domain, dice Dice) []Value {
	return []Value{OfText(w.ofLength(d, d.MinLength, dice)), OfText(w.ofLength(d, d.MaxLength, dice))}
}

func (w words) Some(d *Domain, dice Dice) Value {
	return OfText(w.ofLength(d, d.MinLength+dice(d.MaxLength-d.MinLength+1), dice))
}

func (words) ofLength(d *Domain, length int, dice Dice) string {
	letters := []rune("abcdefghijklmnopqrstuvwxyz éß")
	if own := Letters(d.Alphabet, 1000); len(own) > 0 {
		letters = own
	}
	out := make([]rune, min(length, max(300, d.MinLength)))
	for i := range out {
		out[i] = letters[dice(len(letters))]
	}
	return string(out)
}
