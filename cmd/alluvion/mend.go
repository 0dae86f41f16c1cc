package main

import (
	"fmt"
	"slices"

	"alluvion.dev/core/check"
	"alluvion.dev/core/edit"
	"alluvion.dev/core/finding"
)

// mend writes names into the plan's file where nothing else can have been meant, one mistake after another, and says
// which. Everything else stays as it is; its message has the suggestion.
func (c *call) mend(source []byte, name string) ([]byte, error) {
	if c.args[0] == "-" {
		fmt.Fprintln(c.err, "alluvion: -mend writes into the plan's file; standard input has none.")
		return nil, errUse
	}
	text, tried := string(source), map[string]bool{}
	for {
		_, _, found := check.Text([]byte(text), commonsBeside(name))
		i := slices.IndexFunc(found, func(f finding.Finding) bool {
			return f.Severity == finding.Error && f.Sure && !tried[f.Message]
		})
		if i < 0 {
			break
		}
		f := found[i]
		tried[f.Message] = true
		out, err := edit.Apply(text, []edit.Edit{{Do: "mend", At: f.At}}, commonsBeside(name))
		if err != nil {
			continue // it is shown with what is left
		}
		text = out
		fmt.Fprintf(c.err, "Fixed %s: %s Written: %s.\n", onLines(append([]int{f.Line}, f.AlsoLines()...)), f.Message,
			f.Nearest)
	}
	if text == string(source) {
		return source, nil
	}
	return []byte(text), replaceFile(name, []byte(text))
}
