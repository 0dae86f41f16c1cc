package types_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	_ "alluvion.dev/core/action" // what rules can do

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"encoding/json"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// small is a plan into which the example of a type is put.
const small = `
alluvion: 1
game: small
version: 1
space: {axes: [x, y], step: 0.01}
session: {players: 4}
rosters:
  courier: {options: {wren: {}, oddny: {}}}
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene: {scene: keep, restart: reset}
  game: {restart: reset}
  place: {death: entry, leave: exact, new-run: start}
start: ridge/camp
props:
  cache: {placed: {under: ridge/camp}}
scenes:
  ridge: {size: [40, 20], spots: {camp: {at: [2, 2]}}}
variables:
  other: {of: player, type: int, start: 0}
VARIABLE
events:
  ping: {from: self}
EVENT
rules: []
`

// domainOf is the domain that a type's example declares.
func domainOf(t testing.TB, k types.Kind) *types.Domain {
	about := k.About()
	variable, event := "", ""
	if about.Stands&types.InVariable != 0 {
		variable = "  it: " + about.Example
	} else {
		event = "  " + strings.TrimSuffix(strings.TrimPrefix(about.Example, "{"), "}")
	}
	m, _, found := model.Load([]byte(strings.NewReplacer("VARIABLE", variable, "EVENT", event).Replace(small)))
	require.NotNil(t, m, "the example of %s: %v", k.Name(), found)
	for _, v := range m.Vars {
		if v.ID == "it" {
			return &v.Domain
		}
	}
	return &m.Events[len(m.Events)-1].Args[0].Domain
}

// What holds of every type: a new one cannot be added half.
func TestEveryTypeIsWhole(t *testing.T) {
	for _, k := range types.All() {
		t.Run(k.Name(), func(t *testing.T) {
			about := k.About()
			assert.Regexp(t, `^[A-Z].*\.$`, about.Sentence, "a sentence for the reference")
			assert.NotZero(t, about.Stands)
			assert.NotEmpty(t, about.Input)
			assert.Equal(t, k, types.Called(k.Name()))
			d := domainOf(t, k)
			assert.Equal(t, k, d.Type.Kind)
			assert.NotEmpty(t, d.Type.String())
			assert.Empty(t, types.Narrowed(d, d, nil), "nothing changes for a domain that stays as it is")
			if start, begins := k.Start(d); begins {
				assert.NoError(t, d.Admit(start))
			}
			if d.Type.Optional {
				assert.NoError(t, d.Admit(types.None))
			} else {
				assert.Error(t, d.Admit(types.None))
			}
			for _, odd := range []types.Value{types.OfBool(true), types.OfInt(7), types.OfText("\x00?"), types.OfItems([]types.Value{types.OfText("\x00?")})} {
				if d.Admit(odd) == nil {
					holds(t, d, odd)
				}
			}
			if about.Stands&types.InVariable != 0 {
				edges := d.Edges(func(n int) int { return n / 2 })
				assert.NotEmpty(t, edges, "made-up saves need its edges")
				for _, v := range edges {
					holds(t, d, v)
				}
			}
			rapid.Check(t, func(rt *rapid.T) {
				v := d.Some(func(n int) int { return rapid.IntRange(0, max(n-1, 0)).Draw(rt, "dice") })
				if !v.IsNone() || d.Type.Optional {
					holds(rt, d, v)
				}
			})
		})
	}
}

// holds makes sure that a value goes through everything that is done with values, and stays what it is.
func holds(t require.TestingT, d *types.Domain, v types.Value) {
	require.NoError(t, d.Admit(v), "%s", v)
	fit, err := d.Fit(v)
	require.NoError(t, err)
	require.Equal(t, v, fit)
	near, ok := d.Nearest(v)
	require.True(t, ok)
	require.Equal(t, v, near)

	raw, err := v.MarshalJSON()
	require.NoError(t, err)
	again, err := d.FromJSON(raw)
	require.NoError(t, err)
	require.Equal(t, v, again, "as JSON")
	require.NoError(t, schema(t, d).Validate(anyOf(t, raw)), "%s, by its schema", raw)

	if !strings.ContainsAny(v.Text, ` ,[]()`) || v.Kind == types.IsList && !strings.Contains(v.Text, `""`) && !strings.Contains(v.Text, " ") {
		typed, err := d.FromWords(v.Plain())
		require.NoError(t, err, "%q, typed", v.Plain())
		require.Equal(t, v, typed, "typed")
	}

	code := types.CodeOf(d)
	var b bitstream.Bits
	require.NoError(t, code.Write(&b, v))
	source := bitstream.NewSource(b.Raw())
	require.Equal(t, v, code.Read(source), "packed")
	require.NoError(t, source.Err())
	if code.Kind != "text" && code.Kind != "list" {
		n, err := code.Number(v)
		require.NoError(t, err)
		var s bitstream.Source
		require.Equal(t, v, code.ValueOf(&s, n), "as a number")
		codes, ok := d.Codes()
		require.True(t, ok)
		require.Less(t, int64(n), codes)
	}
}

func schema(t require.TestingT, d *types.Domain) *jsonschema.Schema {
	raw, err := json.Marshal(d.Schema())
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("value", anyOf(t, raw)))
	out, err := c.Compile("value")
	require.NoError(t, err)
	return out
}

func anyOf(t require.TestingT, raw []byte) any {
	out, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	return out
}

// Where a type may not stand it is refused, with what may.
func TestEveryTypeStandsOnlyWhereItMay(t *testing.T) {
	for _, k := range types.All() {
		if k.About().Stands&types.InItem != 0 {
			continue
		}
		name := k.Name()
		if k == types.Prop {
			name = "prop:cache"
		}
		text := strings.NewReplacer("VARIABLE", fmt.Sprintf("  it: {of: player, type: set, items: {type: %q}}", name), "EVENT", "").Replace(small)
		m, _, found := model.Load([]byte(text))
		assert.Nil(t, m, name)
		require.NotEmpty(t, found, name)
		assert.Regexp(t, "cannot|single values", found[0].Message, "it says what is wrong with just this type")
	}
}

// A type that stands elsewhere is told apart from one that there is not.
func TestATypeInTheWrongPlaceIsToldWhereItStands(t *testing.T) {
	for _, row := range [][3]string{
		{"  it: {of: player, type: prop:cache}", "", "The type prop is for arguments, and cannot stand here."},
		{"", "  it: {from: self, args: {a: stopwatch}}", "The type stopwatch is for variables, and cannot stand here. Here there is int, decimal, bool, text, choice, pick, point, player, prop:kind."},
		{"  it: {of: player, type: numbr, start: 1}", "", "There is no type called \"numbr\"."},
	} {
		_, _, found := model.Load([]byte(strings.NewReplacer("VARIABLE", row[0], "EVENT", row[1]).Replace(small)))
		require.NotEmpty(t, found)
		assert.Contains(t, found[0].Message, row[2])
	}
}
