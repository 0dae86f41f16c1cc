package service_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/contract"
	"alluvion.dev/examples"
)

// operation is one call of the contract.
type operation struct {
	method, path string
	says         map[string]any
}

// operations are all calls of the contract but those that go on answering.
func (c openapi) operations() []operation {
	var out []operation
	for path, methods := range c.doc.(map[string]any)["paths"].(map[string]any) {
		for method, says := range methods.(map[string]any) {
			op := operation{strings.ToUpper(method), path, says.(map[string]any)}
			if raw, _ := json.Marshal(op.says["responses"]); !bytes.Contains(raw, []byte("text/event-stream")) {
				out = append(out, op)
			}
		}
	}
	slices.SortFunc(out, func(a, b operation) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	return out
}

// names are what parameters and texts are drawn from, beside nonsense: with them calls get further.
var names = []string{"lantern-pass", "winter", "wren", "1", "2", "0", "-1", "player.oil", "death", "carried", "beacon", "courier-guild", "csv", "starting-over", "player.parcels", "porch_gorge", "load", "none", "gorge"}

func anyText(t *rapid.T, label string) string {
	return rapid.OneOf(rapid.SampledFrom(names), rapid.SampledFrom(names), rapid.String(), rapid.StringN(0, 300, 2000)).Draw(t, label)
}

// anyOf draws JSON that a schema might allow, and now and then something else.
func (c openapi) anyOf(t *rapid.T, schema map[string]any, depth int) any {
	if ref, ok := schema["$ref"].(string); ok {
		parts := strings.Split(ref, "/")
		schema = c.doc.(map[string]any)["components"].(map[string]any)["schemas"].(map[string]any)[parts[len(parts)-1]].(map[string]any)
	}
	if depth > 6 || rapid.IntRange(0, 15).Draw(t, "astray") == 0 {
		return rapid.OneOf(rapid.Just[any](nil), rapid.Just[any](true), rapid.Just[any](-1), rapid.Just[any](1e300), rapid.Just[any]([]any{}), rapid.Just[any](map[string]any{"a": []any{1}}), rapid.Just[any]("\x00")).Draw(t, "else")
	}
	if all, ok := schema["enum"].([]any); ok {
		return rapid.SampledFrom(all).Draw(t, "enum")
	}
	kind := fmt.Sprint(schema["type"])
	switch {
	case strings.Contains(kind, "object"):
		out := map[string]any{}
		properties, _ := schema["properties"].(map[string]any)
		required, _ := schema["required"].([]any)
		for _, name := range sortedKeys(properties) {
			if slices.Contains(required, any(name)) || rapid.Bool().Draw(t, "given") {
				out[name] = c.anyOf(t, properties[name].(map[string]any), depth+1)
			}
		}
		return out
	case strings.Contains(kind, "array"):
		items, _ := schema["items"].(map[string]any)
		out := []any{}
		for range rapid.IntRange(0, 3).Draw(t, "items") {
			out = append(out, c.anyOf(t, items, depth+1))
		}
		return out
	case strings.Contains(kind, "boolean"):
		return rapid.Bool().Draw(t, "bool")
	case strings.Contains(kind, "integer"), strings.Contains(kind, "number"):
		return rapid.IntRange(-2, 60).Draw(t, "number")
	case strings.Contains(kind, "string"):
		return anyText(t, "text")
	}
	return rapid.OneOf(rapid.Just[any](nil), rapid.Just[any](3), rapid.Just[any](true), rapid.Just[any]("brisa"), rapid.Just[any]([]any{1, 2})).Draw(t, "value")
}

func sortedKeys(m map[string]any) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// body draws what is sent along: what the contract says, a plan, a save, or any bytes.
func (c openapi) body(t *rapid.T, op operation) (kind string, raw []byte) {
	wanted, _ := op.says["requestBody"].(map[string]any)
	content, _ := wanted["content"].(map[string]any)
	for kind, of := range content {
		if schema, ok := of.(map[string]any)["schema"].(map[string]any); ok && kind == "application/json" && rapid.IntRange(0, 5).Draw(t, "as it says") > 0 {
			raw, err := json.Marshal(c.anyOf(t, schema, 0))
			require.NoError(t, err)
			return kind, raw
		}
	}
	kind = rapid.SampledFrom([]string{"application/json", "application/yaml", "text/plain", ""}).Draw(t, "kind")
	save, _ := examples.LanternPassHistory.ReadFile("lantern-pass/history/saves/hal.v3.json")
	whole := map[string][]byte{"a plan": examples.LanternPass, "a commons": examples.CourierGuild, "a save": save, "a table": []byte("{}")}[rapid.SampledFrom([]string{"a plan", "a commons", "a save", "a table", "nothing"}).Draw(t, "whole")]
	cut := rapid.IntRange(0, len(whole)).Draw(t, "cut")
	return kind, slices.Concat(whole[:cut], rapid.SliceOfN(rapid.Byte(), 0, 20).Draw(t, "bytes"), whole[cut:])
}

// Whatever is sent to whatever call: it is answered or refused as the contract says, never with a failure of the
// service's own, and the service stays well.
func TestAnythingSentToAnyCallIsAnsweredOrRefused(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	c := readContract(t)
	all := c.operations()
	require.Greater(t, len(all), 50)
	counts, schemas, outer := map[int]int{}, map[string]*jsonschema.Schema{}, t
	rapid.Check(t, func(t *rapid.T) {
		for range 12 {
			op := all[rapid.IntRange(0, len(all)-1).Draw(t, "call")]
			path, query := op.path, url.Values{}
			parameters, _ := op.says["parameters"].([]any)
			req, err := http.NewRequest(op.method, h.s.URL(), nil)
			require.NoError(t, err)
			for _, p := range parameters {
				says := p.(map[string]any)
				name, value := says["name"].(string), anyText(t, "parameter")
				switch says["in"] {
				case "path":
					path = strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value))
				case "query":
					query.Set(name, value)
				case "header":
					req.Header.Set(name, strings.ToValidUTF8(strings.Map(func(r rune) rune { return max(r, ' ') }, value), ""))
				}
			}
			req.URL, err = url.Parse(h.s.URL() + path + "?" + query.Encode())
			require.NoError(t, err)
			kind, raw := c.body(t, op)
			req.Header.Set("Content-Type", kind)
			if op.method != http.MethodGet {
				req.Body, req.ContentLength = io.NopCloser(bytes.NewReader(raw)), int64(len(raw))
			}
			res, err := http.DefaultClient.Do(req)
			if err != nil { // a header that cannot be sent at all
				require.Contains(t, err.Error(), "invalid header")
				continue
			}
			answer, err := io.ReadAll(res.Body)
			require.NoError(t, err)
			require.NoError(t, res.Body.Close())
			counts[res.StatusCode]++
			require.Less(t, res.StatusCode, 500, "%s %s: %s", op.method, req.URL, answer)
			promises, _ := op.says["responses"].(map[string]any)
			if _, routed := promises[fmt.Sprint(res.StatusCode)]; !routed && (res.StatusCode != http.StatusMethodNotAllowed && res.StatusCode != http.StatusMovedPermanently) {
				t.Fatalf("the contract does not say that %s %s answers %d: %s", op.method, op.path, res.StatusCode, answer)
			}
			if res.StatusCode >= 400 && res.StatusCode != http.StatusMethodNotAllowed {
				var p contract.Problem
				require.Equal(t, "application/problem+json", res.Header.Get("Content-Type"), "%s %s: %d %s", op.method, req.URL, res.StatusCode, answer)
				require.NoError(t, json.Unmarshal(answer, &p))
				require.NotEmpty(t, p.Title)
				require.Equal(t, res.StatusCode, p.Status)
			} else if strings.HasPrefix(res.Header.Get("Content-Type"), "application/json") {
				promised := schemas[op.method+op.path+fmt.Sprint(res.StatusCode)]
				if promised == nil {
					promised = c.schema(outer, op.path, strings.ToLower(op.method), res.StatusCode, "application/json")
					schemas[op.method+op.path+fmt.Sprint(res.StatusCode)] = promised
				}
				value, err := jsonschema.UnmarshalJSON(bytes.NewReader(answer))
				require.NoError(t, err)
				require.NoError(t, promised.Validate(value), "%s %s: %s", op.method, req.URL, answer)
			}
		}
	})
	assert.Greater(t, counts[200], 20, "some of it was right: %v", counts)
	res, err := http.Get(h.s.URL() + "/healthz")
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, res.StatusCode)
	require.NoError(t, res.Body.Close())
}
