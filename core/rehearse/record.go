package rehearse

import (
	"cmp"
	"slices"
	"strings"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// edit is a value in a table of expectations that is otherwise than written.
type edit struct {
	row plan.Expectation
	is  types.Value
}

// Recorded is the script with every value in its tables of expectations as it was in this run: blank ones are
// filled in, wrong ones mended. Nothing else of the text changes. The second result counts them.
func (r *Report) Recorded() (string, int) {
	lines := strings.Split(r.source, "\n")
	edits := slices.Clone(r.edits)
	slices.SortFunc(edits, func(a, b edit) int { // from the end, so that columns stay right
		return cmp.Or(cmp.Compare(b.row.Value.Line, a.row.Value.Line),
			cmp.Compare(b.row.Value.Column, a.row.Value.Column))
	})
	for _, e := range edits {
		at := e.row.Value.At
		line := []rune(lines[at.Line-1])
		from, to := at.Column-1, 0
		text := written(e.is)
		if e.row.Blank {
			from += len([]rune(e.row.Name.Source))
			for from < len(line) && line[from] != ':' {
				from++
			}
			from = min(from+1, len(line))
			to, text = from, " "+text
		} else {
			to = endOf(line, from)
		}
		lines[at.Line-1] = string(line[:from]) + text + string(line[to:])
	}
	return strings.Join(lines, "\n"), len(edits)
}

// endOf is where a value ends that begins in a line: a quoted text at its quote, a list at its bracket, anything
// else before a comma, a closing bracket, or a remark.
func endOf(line []rune, from int) int {
	if from < len(line) && strings.ContainsRune(`"'[`, line[from]) {
		end := line[from]
		if end == '[' {
			end = ']'
		}
		for i := from + 1; i < len(line); i++ {
			if line[i] == end {
				return i + 1
			}
		}
		return len(line)
	}
	for i := from; i < len(line); i++ {
		if strings.ContainsRune(",}", line[i]) || line[i] == '#' && line[i-1] == ' ' {
			return from + len([]rune(strings.TrimRight(string(line[from:i]), " ")))
		}
	}
	return len(line)
}

// written is a value as it is written in a script.
func written(v types.Value) string {
	switch v.Kind {
	case types.IsList:
		var items []string
		for _, i := range v.Items() {
			items = append(items, written(i))
		}
		return "[" + strings.Join(items, ", ") + "]"
	case types.IsText:
		plainWord := v.Text != "" && strings.IndexFunc(v.Text, func(r rune) bool {
			return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '_' || r == '-')
		}) < 0
		_, err := fixed.Parse(v.Text)
		if !plainWord || err == nil ||
			slices.Contains([]string{"true", "false", "none", "null", "yes", "no", "on", "off"},
				strings.ToLower(v.Text)) {
			return v.String()
		}
	}
	return v.Plain()
}
