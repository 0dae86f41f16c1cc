package finding

import "strconv"

// Grouped is a number with commas between its thousands.
func Grouped(n int) string {
	text := strconv.Itoa(n)
	for i := len(text) - 3; i > 0; i -= 3 {
		text = text[:i] + "," + text[i:]
	}
	return text
}
