package edit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// mend writes the name that was probably meant in place of one that is none, wherever just this is wrong.
func (e Edit) mend(text string, commons model.Commons) (string, error) {
	_, _, found := check.Text([]byte(text), commons)
	i := slices.IndexFunc(found, func(f finding.Finding) bool {
		return f.Line == e.At.Line && f.Column == e.At.Column && f.Nearest != ""
	})
	if i < 0 {
		return "", fmt.Errorf("%w: nobody knows what was meant on line %d, column %d", plan.ErrEdit, e.At.Line,
			e.At.Column)
	}
	wrong, before := found[i], errorsIn(found)
	for range 40 { // what is found is an expression's first: one that says the name twice is mended twice
		next := text
		still := places(found, wrong)
		for _, at := range still {
			next = writtenAt(next, plan.Offset(next, at), wrong.Nearest)
		}
		switch {
		case len(still) == 0 && errorsIn(found) >= before:
			return "", fmt.Errorf("%w: with %s there, as much is wrong as before", plan.ErrEdit, wrong.Nearest)
		case len(still) == 0:
			return text, nil
		case next == text:
			return "", fmt.Errorf("%w: there is no name on line %d, column %d", plan.ErrEdit, e.At.Line, e.At.Column)
		}
		text = next
		_, _, found = check.Text([]byte(text), commons)
	}
	return "", fmt.Errorf("%w: %s is not all that is wrong there", plan.ErrEdit, wrong.Nearest)
}

// errorsIn counts errors, each place of each.
func errorsIn(found finding.List) int {
	n := 0
	for _, f := range found {
		if f.Severity == finding.Error {
			n += 1 + len(f.Also)
		}
	}
	return n
}

// places are where just this is wrong, the last one first: what is written there does not move the others.
func places(found finding.List, wrong finding.Finding) []finding.At {
	for _, f := range found {
		if f.ID == wrong.ID && f.Message == wrong.Message {
			all := append([]finding.At{f.At}, f.Also...)
			slices.SortFunc(all, func(a, b finding.At) int { return cmp.Or(b.Line-a.Line, b.Column-a.Column) })
			return all
		}
	}
	return nil
}

// writtenAt writes a name in place of the one that begins at a place: as many words, with . or / or : between. Where
// none begins there, the text stays as it is.
func writtenAt(text string, at int, name string) string {
	const between = "./:"
	for at < len(text) && strings.IndexByte(`"' `, text[at]) >= 0 {
		at++
	}
	words, end := 1, at
	for more := true; more && end < len(text); {
		r, size := utf8.DecodeRuneInString(text[end:])
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r), r == '_', r == '-' && strings.Contains(name, "-"):
		case end > at && strings.ContainsRune(between, r) && words <= strings.Count(name, string(r)):
			words++
		default:
			more, size = false, 0
		}
		end += size
	}
	if end == at {
		return text
	}
	return text[:at] + name + text[end:]
}
