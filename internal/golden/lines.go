package golden

import (
	"regexp"
	"strings"
)

// Changed is a text in which one thing is otherwise.
type Changed struct{ What, Text string }

// Without gives a text without each of its lines in turn, but for empty lines and comments.
func Without(text string) []Changed {
	var out []Changed
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		if words := strings.TrimSpace(line); words != "" && !strings.HasPrefix(words, "#") {
			out = append(out, Changed{"without: " + brief(words), strings.Join(append(append([]string{}, lines[:i]...), lines[i+1:]...), "\n")})
		}
	}
	return out
}

// other is what stands in the place of a word.
var other = map[string]string{"keep": "reset", "reset": "keep", "rewind": "keep", "true": "false", "false": "true", "self": "server",
	"server": "self", "clamp": "refuse", "refuse": "clamp", "exact": "stay", "checkpoint": "entry", "everyone": "self", "start": "stay",
	"int": "decimal", "set": "list", "player": "game", ">=": "<", "<=": ">", "+": "-", "&&": "||"}

var words = regexp.MustCompile(`[a-z_]+|[0-9]+|>=|<=|&&|\+`)

// Otherwise gives a text in which one word of each line is another in turn: a number, or one of those that say the opposite
// of each other. Where a line has several, a later line takes another one.
func Otherwise(text string) []Changed {
	var out []Changed
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		if strings.HasPrefix(strings.TrimSpace(line), "#") || strings.HasPrefix(line, "version:") || strings.HasPrefix(line, "alluvion:") {
			continue
		}
		var at [][]int
		for _, x := range words.FindAllStringIndex(line, -1) {
			if word := line[x[0]:x[1]]; other[word] != "" || '0' <= word[0] && word[0] <= '9' {
				at = append(at, x)
			}
		}
		if len(at) == 0 {
			continue
		}
		x := at[i%len(at)]
		word := line[x[0]:x[1]]
		with := other[word]
		if with == "" {
			with = map[bool]string{true: "1", false: "0"}[strings.Trim(word, "0") == ""]
			if i%2 == 0 && with == "0" {
				with = word + "7"
			}
		}
		changed := append([]string{}, lines...)
		changed[i] = line[:x[0]] + with + line[x[1]:]
		out = append(out, Changed{word + " is " + with + " in: " + brief(strings.TrimSpace(line)), strings.Join(changed, "\n")})
	}
	return out
}

func brief(line string) string {
	if len(line) > 40 {
		return strings.ToValidUTF8(line[:40], "") + "…"
	}
	return line
}
