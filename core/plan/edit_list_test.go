package plan_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/plan"
)

const withLists = `alluvion: 1
# about all rules
rules:
  # the first
  - on: gust   # a storm
    do:
      - {set: player.warmth, to: 1}   # one
      # before two
      - {set: player.warmth, to: 2}
  # about the second
  - {on: [died, left], do: [{die: player}, {refuse: "no, {no}"}, {add: player.oil, by: -3}]}
  - on: died
    do: []
end: 1
`

func path(s string) []string { return strings.Split(s, "/") }

func TestItemsOfListsAreChangedByThemselves(t *testing.T) {
	for name, row := range map[string]struct {
		do       string
		path     string
		value    string
		from, to string
	}{
		"a value in an item":           {"put", "rules/0/do/1/to", `5`, "to: 2", "to: 5"},
		"an item in brackets":          {"put", "rules/1/do/0", `{"die":"args.who"}`, "{die: player}", `{die: args.who}`},
		"a key of an item":             {"put", "rules/0/if", `"player.oil > 3"`, "to: 2}\n", "to: 2}\n    if: player.oil > 3\n"},
		"one more in brackets":         {"insert", "rules/1/do/3", `{"die":"player"}`, "by: -3}]", "by: -3}, {die: player}]"},
		"before the first in brackets": {"insert", "rules/1/do/0", `{"save":"player"}`, "[{die", "[{save: player}, {die"},
		"one more with a dash":         {"insert", "rules/0/do/2", `{"die":"player"}`, "to: 2}\n", "to: 2}\n      - {die: player}\n"},
		"before the first with a dash": {"insert", "rules/0/do/0", `{"die":"player"}`, "      - {set: player.warmth, to: 1}", "      - {die: player}\n      - {set: player.warmth, to: 1}"},
		"into an empty list":           {"insert", "rules/2/do/0", `{"die":"player"}`, "do: []", "do: [{die: player}]"},
		"a rule, on lines of its own": {"insert", "rules/3", `{"on":"left","do":[{"die":"player"},{"save":"player"}]}`, "end: 1",
			"end: 1"},
		"out of brackets":              {"remove", "rules/1/do/1", ``, `, {refuse: "no, {no}"}`, ""},
		"the first out of brackets":    {"remove", "rules/1/do/0", ``, `{die: player}, `, ""},
		"with a dash, and its comment": {"remove", "rules/0/do/1", ``, "      # before two\n      - {set: player.warmth, to: 2}\n", ""},
		"the first key of an item":     {"remove", "rules/0/on", ``, "on: gust   # a storm\n    do", "do"},
		"another key of an item":       {"remove", "rules/0/do", ``, "    do:\n      - {set: player.warmth, to: 1}   # one\n      # before two\n      - {set: player.warmth, to: 2}\n", ""},
		"the only key of an action":    {"remove", "rules/1/do/0/die", ``, "{die: player}", "{}"},
		"a moment":                     {"put", "rules/1/on/0", `"joined"`, "[died", "[joined"},
		"a table that was one word":    {"put", "rules/0/on", `{"changed":"player.oil"}`, "on: gust", "on: {changed: player.oil}"},
	} {
		t.Run(name, func(t *testing.T) {
			want := strings.Replace(withLists, row.from, row.to, 1)
			var got string
			var err error
			switch row.do {
			case "put":
				got, err = plan.Put(withLists, path(row.path), []byte(row.value))
			case "insert":
				got, err = plan.Insert(withLists, path(row.path), []byte(row.value))
			case "remove":
				got, err = plan.Remove(withLists, path(row.path))
			}
			require.NoError(t, err)
			if row.path == "rules/3" {
				want = strings.Replace(withLists, "    do: []\n", "    do: []\n  - on: left\n    do:\n      - {die: player}\n      - {save: player}\n", 1)
			}
			assert.Equal(t, want, got)
		})
	}
	for _, p := range []string{"rules/9", "rules/-1", "rules/x", "rules/0/do/7/to", "rules/0/on/0"} {
		_, err := plan.Put(withLists, path(p), []byte("1"))
		assert.ErrorIs(t, err, plan.ErrEdit, p)
	}
	_, err := plan.Insert(withLists, path("rules/8"), []byte("1"))
	assert.ErrorIs(t, err, plan.ErrEdit)
}

func TestRulesChangeTheirOrderWithTheirComments(t *testing.T) {
	got, err := plan.Shift(withLists, path("rules/1"), 2)
	require.NoError(t, err)
	assert.Contains(t, got, "to: 2}\n  - on: died\n    do: []\n  # about the second\n  - {on: [died, left]")
	assert.True(t, strings.HasSuffix(got, "}]}\nend: 1\n"))
	got, err = plan.Shift(withLists, path("rules/1/do/2"), 0)
	require.NoError(t, err)
	assert.Contains(t, got, `[{add: player.oil, by: -3}, {die: player}, {refuse: "no, {no}"}]`)
	_, err = plan.Shift(withLists, path("rules/1"), 3)
	assert.ErrorIs(t, err, plan.ErrEdit)
}

// lists are the paths of all lists in a document that have items.
func lists(at []string, v any) (out [][]string) {
	switch v := v.(type) {
	case map[string]any:
		for _, key := range slices.Sorted(func(yield func(string) bool) {
			for key := range v {
				if !yield(key) {
					return
				}
			}
		}) {
			out = append(out, lists(append(slices.Clone(at), key), v[key])...)
		}
	case []any:
		if len(v) > 0 {
			out = append(out, at)
		}
		for i, item := range v {
			out = append(out, lists(append(slices.Clone(at), fmt.Sprint(i)), item)...)
		}
	}
	return out
}

func document(t require.TestingT, text string) any {
	raw, err := plan.Document(text)
	require.NoError(t, err)
	var v any
	require.NoError(t, json.Unmarshal(raw, &v))
	return v
}

// Whatever key of a real plan is taken out: just that is gone. Whatever key of it gets another value: just that is another.
func TestAnyKeyOfARealPlanIsTakenOutOrChanged(t *testing.T) {
	text, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	for _, now := range []string{string(text), withLists} {
		all := tables(nil, document(t, now))
		slices.SortFunc(all, slices.Compare)
		for i, at := range all {
			if len(all) > 100 && i%7 != 0 {
				continue
			}
			next, err := plan.Remove(now, at)
			require.NoError(t, err, "%v", at)
			want := document(t, now)
			delete(in[map[string]any](want, at[:len(at)-1]), at[len(at)-1])
			require.Equal(t, want, document(t, next), "%v", at)

			next, err = plan.Put(now, at, []byte(`{"if":"player.oil > 3"}`))
			require.NoError(t, err, "%v", at)
			in[map[string]any](want, at[:len(at)-1])[at[len(at)-1]] = map[string]any{"if": "player.oil > 3"}
			require.Equal(t, want, document(t, next), "%v", at)
		}
	}
}

// tables are the paths of all keys in a document.
func tables(at []string, v any) (out [][]string) {
	switch v := v.(type) {
	case map[string]any:
		for key, inner := range v {
			here := append(slices.Clone(at), key)
			out = append(append(out, here), tables(here, inner)...)
		}
	case []any:
		for i, item := range v {
			out = append(out, tables(append(slices.Clone(at), fmt.Sprint(i)), item)...)
		}
	}
	return out
}

// in is what stands at a path: a list, or a table.
func in[T []any | map[string]any](v any, at []string) T {
	for _, key := range at {
		if list, is := v.([]any); is {
			var i int
			_, _ = fmt.Sscan(key, &i)
			v = list[i]
		} else {
			v = v.(map[string]any)[key]
		}
	}
	return v.(T)
}

// Whatever is done to lists of a real plan, one after the other: it is done to just that list, and what the text says
// otherwise stays.
func TestListsOfARealPlanAreChangedInAnyWay(t *testing.T) {
	plans := map[string]string{}
	for _, name := range []string{"lantern-pass/plan.yaml", "lantern-market/plan.yaml", "harbour/plan.yaml", "stuck/caged.yaml", "lantern-pass/history/plan.v4.yaml"} {
		text, err := os.ReadFile("../../examples/" + name)
		require.NoError(t, err)
		plans[name] = string(text)
	}
	rapid.Check(t, func(t *rapid.T) {
		now := plans[rapid.SampledFrom(slices.Sorted(maps.Keys(plans))).Draw(t, "plan")]
		for range rapid.IntRange(1, 6).Draw(t, "changes") {
			before := document(t, now)
			at := rapid.SampledFrom(lists(nil, before)).Draw(t, "list")
			list := in[[]any](before, at)
			i := rapid.IntRange(0, len(list)-1).Draw(t, "item")
			where := append(slices.Clone(at), fmt.Sprint(i))
			value := any(map[string]any{"set": "player.oil", "to": "min(3, player.oil)"})
			raw, _ := json.Marshal(value)
			var want []any
			var next string
			var err error
			switch rapid.IntRange(0, 3).Draw(t, "do") {
			case 0:
				next, err = plan.Insert(now, where, raw)
				want = slices.Insert(slices.Clone(list), i, value)
			case 1:
				next, err = plan.Remove(now, where)
				want = slices.Delete(slices.Clone(list), i, i+1)
			case 2:
				to := rapid.IntRange(0, len(list)-1).Draw(t, "to")
				next, err = plan.Shift(now, where, to)
				want = slices.Insert(slices.Delete(slices.Clone(list), i, i+1), to, list[i])
			default:
				next, err = plan.Put(now, where, raw)
				want = slices.Clone(list)
				want[i] = value
			}
			require.NoError(t, err, "%v", where)
			after := document(t, next)
			require.Equal(t, want, in[[]any](after, at), "%v", where)
			copy(in[[]any](before, at), in[[]any](after, at))
			if len(want) == len(list) {
				require.Equal(t, before, after, "nothing else")
			}
			now = next
		}
	})
}
