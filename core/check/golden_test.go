package check_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/finding"
	"alluvion.dev/examples"
	"alluvion.dev/internal/golden"
	"alluvion.dev/internal/worlds"
)

// said is what is found in a plan, a line for each finding.
func said(text string) (finding.List, string) {
	_, _, found := check.Text([]byte(text), examples.Commons)
	var out strings.Builder
	for _, f := range found {
		fmt.Fprintf(&out, "  %d:%d %s %s %s", f.Line, f.Column, f.Severity, f.ID, f.Message)
		if f.Accepted != "" {
			fmt.Fprintf(&out, " (accepted: %s)", f.Accepted)
		}
		out.WriteString("\n")
	}
	return found, out.String()
}

// plans are the examples, the troubled ones and the small ones of property tests.
func plans(t *testing.T) (names []string, texts map[string]string) {
	texts = map[string]string{"lantern-pass": string(examples.LanternPass), "camp": worlds.Camp, "cabin": worlds.Cabin, "choir": worlds.Choir, "moor": worlds.Moor,
		"marks": worlds.Marks, "marsh": worlds.Marsh, "caves": worlds.Caves}
	names = []string{"lantern-pass", "camp", "cabin", "choir", "moor", "marks", "marsh", "caves"}
	files, err := filepath.Glob("../../examples/troubled/*.yaml")
	require.NoError(t, err)
	files = append(files, "../../examples/lantern-market/plan.yaml", "../upgrade/testdata/mill/v1.yaml", "../upgrade/testdata/mill/v2.yaml", "../upgrade/testdata/mill/v3.yaml")
	for _, path := range files {
		raw, err := os.ReadFile(path)
		require.NoError(t, err)
		name := strings.TrimPrefix(filepath.ToSlash(path), "../../examples/")
		names, texts[name] = append(names, name), string(raw)
	}
	return names, texts
}

// What is found in each of our plans is what is meant to be found, word by word.
func TestWhatIsFoundInOurPlans(t *testing.T) {
	names, texts := plans(t)
	var out strings.Builder
	for _, name := range names {
		_, text := said(texts[name])
		fmt.Fprintf(&out, "%s\n%s", name, text)
	}
	golden.Is(t, "testdata/plans.txt", out.String())
}

// What is found in made-up plans, in which all conditions, moments and verbs meet: which findings, and where.
func TestWhatIsFoundInMadeUpPlans(t *testing.T) {
	var out strings.Builder
	for seed := range uint64(150) {
		found, _ := said(worlds.Made(seed))
		fmt.Fprintf(&out, "made %d:", seed)
		for _, f := range found {
			fmt.Fprintf(&out, " %d:%d %s %s;", f.Line, f.Column, f.ID, f.Item)
		}
		out.WriteString("\n")
	}
	golden.Is(t, "testdata/made.txt", out.String())
}

// What is found in each of them when one of its lines is left out: what that line was good for, and nothing else.
func TestWhatIsFoundWhenALineIsLeftOut(t *testing.T) {
	names, texts := plans(t)
	var out strings.Builder
	for _, name := range names {
		if strings.HasPrefix(name, "troubled/") || strings.HasSuffix(name, "v1.yaml") || strings.HasSuffix(name, "v3.yaml") {
			continue // each of these has a twin, and they are much alike
		}
		whole, _ := said(texts[name])
		before := map[string]int{}
		for _, f := range whole {
			before[f.ID+f.Message]++
		}
		lines := strings.Split(texts[name], "\n")
		for i, line := range lines {
			if strings.TrimSpace(line) == "" || strings.HasPrefix(strings.TrimSpace(line), "#") {
				continue
			}
			changed := append(append([]string{}, lines[:i]...), lines[i+1:]...)
			found, _ := said(strings.Join(changed, "\n"))
			new, seen := []string{}, map[string]int{}
			for _, f := range found {
				if seen[f.ID+f.Message]++; seen[f.ID+f.Message] > before[f.ID+f.Message] {
					new = append(new, fmt.Sprintf("%d:%d %s", f.Line, f.Column, f.ID))
				}
			}
			gone := 0
			for what, n := range before {
				gone += max(0, n-seen[what])
			}
			if len(new) > 6 {
				new = append(new[:6], fmt.Sprintf("and %d more", len(new)-6))
			}
			fmt.Fprintf(&out, "%s without line %d: %d less, %s\n", name, i+1, gone, strings.Join(new, ", "))
		}
	}
	golden.Is(t, "testdata/lines.txt", out.String())
}
