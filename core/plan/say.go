package plan

import (
	"reflect"
	"strings"

	"alluvion.dev/core/finding"
)

// between gives each part of a text that stands between two signs, the signs left out, to with, and puts what that gives in its
// place. (Regular expressions would do the same, but would be a twentieth of what a game without a service has to load.)
func between(text, begin, end string, with func(inside string) string) string {
	before, rest, opens := strings.Cut(text, begin)
	inside, after, shuts := strings.Cut(rest, end)
	if !opens || !shuts {
		return text
	}
	return before + with(inside) + between(after, begin, end, with)
}

// Say is the sentence of an action, by the table of its verb: words gives what is said of what stands under one of its
// keys, "" where nothing stands there. It is "" of an action that could not be read.
func (a Action) Say(words func(key string, value any) string) string {
	if a.Form == nil {
		return ""
	}
	form := reflect.ValueOf(a.Form).Elem()
	keys := fieldsOf(form.Type())
	said := map[string]string{}
	sentence := keys.list[0].say
	for _, f := range keys.list {
		value := form.FieldByIndex(f.index).Interface()
		x, isExpr := value.(Expr)
		if rest, less := strings.CutPrefix(x.Source, "-"); isExpr && less && keys.list[0].less != "" && isSimple(rest) {
			sentence, value = keys.list[0].less, Expr{Source: rest, At: x.At}
		}
		said[f.name] = words(f.name, value)
	}
	sentence = between(sentence, "[", "]", func(part string) string { // which is said only where its key is written
		written := false
		between(part, "{", "}", func(key string) string { written = said[key] != ""; return "" })
		if !written {
			return ""
		}
		return part
	})
	return between(sentence, "{", "}", func(key string) string { return said[key] })
}

// isSimple says whether an expression is a name or a number and nothing more.
func isSimple(source string) bool {
	return source != "" && !strings.ContainsFunc(source, func(r rune) bool {
		return !strings.ContainsRune("abcdefghijklmnopqrstuvwxyz0123456789_.", r)
	})
}

// Say is the sentence of a moment; of is what is said of what it names.
func (m Moment) Say(of func(Moment) string) string {
	switch known := momentCalled(m.Kind); {
	case known == nil:
		return ""
	case m.Of == "" && known.any != "":
		return known.any
	case strings.Contains(known.say, "%s"):
		return strings.Replace(known.say, "%s", of(m), 1)
	default:
		return known.say
	}
}

// Inside calls do with what stands within an action: its own list first, then each further branch, and last what is done
// otherwise. Only a further branch has a condition, and only what is done otherwise has a place of its own, the else.
func (a Action) Inside(do func(b Branch, otherwise finding.At)) {
	if a.Form == nil {
		return
	}
	form := reflect.ValueOf(a.Form).Elem()
	for _, f := range fieldsOf(form.Type()).list {
		switch value := form.FieldByIndex(f.index).Interface().(type) {
		case []Action:
			do(Branch{Do: value}, finding.At{})
		case []Branch:
			for _, b := range value {
				do(b, finding.At{})
			}
		case Otherwise:
			if value.Do != nil {
				do(Branch{Do: value.Do}, value.At)
			}
		}
	}
}
