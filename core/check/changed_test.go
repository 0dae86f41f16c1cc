package check_test

import (
	"fmt"
	"strings"
	"testing"

	"alluvion.dev/examples"
	"alluvion.dev/internal/golden"
)

// What is found where one word of a line is another: where it stands and what it is called.
func TestWhatIsFoundWhenOneWordIsAnother(t *testing.T) {
	names, texts := plans(t)
	names, texts["harbour"] = append(names, "harbour"), string(examples.Harbour)
	var out strings.Builder
	for _, name := range names {
		if strings.HasSuffix(name, "v1.yaml") || strings.HasSuffix(name, "v3.yaml") {
			continue
		}
		list := golden.Otherwise(texts[name])
		every := 1
		if len(list) > 100 {
			every = 2
		}
		whole, _ := said(texts[name])
		before := map[string]bool{}
		for _, f := range whole {
			before[f.ID+f.Message] = true
		}
		for i, changed := range list {
			if i%every != 0 {
				continue
			}
			found, _ := said(changed.Text)
			fmt.Fprintf(&out, "%s: %s\n", name, changed.What)
			for _, f := range found {
				if !before[f.ID+f.Message] {
					fmt.Fprintf(&out, "  %d:%d %s %s\n", f.Line, f.Column, f.ID, f.Message)
				}
			}
		}
	}
	golden.Is(t, "testdata/otherwise.txt", out.String())
}
