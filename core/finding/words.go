package finding

import (
	"strconv"
	"strings"
)

// Grouped is a number with commas between its thousands.
func Grouped(n int) string {
	text := strconv.Itoa(n)
	for i := len(text) - 3; i > 0; i -= 3 {
		text = text[:i] + "," + text[i:]
	}
	return text
}

// Mentions says whether a text has a name as a whole word. joined are characters that belong to a word besides letters,
// digits and _: a dot, where x in a.x is another name.
func Mentions(text, name, joined string) bool {
	within := func(i int) bool {
		if i < 0 || i >= len(text) {
			return false
		}
		c := text[i]
		return c == '_' || '0' <= c && c <= '9' || 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || strings.IndexByte(joined, c) >= 0
	}
	for from := 0; name != ""; from++ {
		i := strings.Index(text[from:], name)
		if i < 0 {
			return false
		}
		if from += i; !within(from-1) && !within(from+len(name)) {
			return true
		}
	}
	return false
}
