package plan_test

import (
	"encoding/json"
	"testing"

	"github.com/goccy/go-yaml"
	"pgregory.net/rapid"

	"alluvion.dev/core/plan"
)

// anyJSON draws a value as forms and maps send one.
func anyJSON(t *rapid.T, depth int) any {
	kinds := 4
	if depth > 0 {
		kinds = 6
	}
	switch rapid.IntRange(0, kinds-1).Draw(t, "kind") {
	case 0:
		return rapid.Bool().Draw(t, "yes")
	case 1:
		return float64(rapid.IntRange(-9999, 9999).Draw(t, "number")) / 4
	case 2:
		return rapid.StringMatching(`[ -~]{0,12}`).Draw(t, "text")
	case 3:
		return rapid.SampledFrom([]string{"", "0x1f", "1_000", "2026-11-23", ".5", "1e3", "-", "- a", "a: b", "a:b", "a #b", "null", "Yes", "=", "<<", "&a", "*a", "!x", "@", "'", `"`, "é ü", "a\nb", "\t", "? x", "~", "0o7", "+1", ".inf", "NaN", "a'b", "{", "]", "a,b", "%", "`", "|", ">", "prop:cache", "1:30"}).Draw(t, "word")
	case 4:
		out := []any{}
		for range rapid.IntRange(0, 3).Draw(t, "items") {
			out = append(out, anyJSON(t, depth-1))
		}
		return out
	}
	out := map[string]any{}
	for range rapid.IntRange(0, 3).Draw(t, "keys") {
		out[rapid.StringMatching(`[a-z][a-z_]{0,6}`).Draw(t, "key")] = anyJSON(t, depth-1)
	}
	return out
}

// What is written in braces reads as what it was.
func TestAnyValueIsWrittenInBracesAsItIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		raw, err := json.Marshal(map[string]any{"value": anyJSON(t, 3)})
		if err != nil {
			t.Fatal(err)
		}
		text, err := plan.Flow(raw)
		if err != nil {
			t.Fatalf("%s: %v", raw, err)
		}
		back, err := yaml.YAMLToJSON([]byte(text))
		if err != nil {
			t.Fatalf("%s became %s: %v", raw, text, err)
		}
		var was, is any
		if json.Unmarshal(raw, &was) != nil || json.Unmarshal(back, &is) != nil {
			t.Fatalf("%s became %s, and that %s", raw, text, back)
		}
		a, _ := json.Marshal(was)
		b, _ := json.Marshal(is)
		if string(a) != string(b) {
			t.Fatalf("%s became %s, which is %s", a, text, b)
		}
	})
}
