package save_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/examples"
	"alluvion.dev/internal/golden"
	"alluvion.dev/internal/worlds"
)

// The schemas of what our games save, word for word.
func TestTheSchemasOfOurGames(t *testing.T) {
	var out strings.Builder
	for _, text := range [][]byte{examples.LanternPass, examples.LanternMarket, examples.Harbour} {
		m := worlds.Load(t, string(text))
		for _, of := range []func(*model.Model) []byte{save.Schema, save.WorldSchema, save.ProfileSchema} {
			raw := of(m)
			if len(raw) == 0 {
				continue // nothing is kept over all slots
			}
			var doc any
			require.NoError(t, json.Unmarshal(raw, &doc))
			lines, err := json.MarshalIndent(doc, "", " ")
			require.NoError(t, err)
			out.Write(append(lines, '\n'))
		}
	}
	golden.Is(t, "testdata/schemas.txt", out.String())
}

// What somebody has over all slots is read also where there is something strange in it: that is told, and the rest is kept.
func TestAProfileWithSomethingStrangeInItIsRead(t *testing.T) {
	m := worlds.Load(t, string(examples.Harbour))
	raw := `{"alluvion_profile":1,"game":"harbour","version":2,"player":"ada","values":{"hints":false,"played":0},"lists":{"channel":{"music":{"volume":3}}},"extra":{"a":1}}`
	loose, err := save.OpenProfile([]byte(raw))
	require.NoError(t, err)
	p, problems, err := loose.Fit(m)
	require.NoError(t, err)
	assert.Len(t, problems, 1)
	assert.Equal(t, "false", p.Values["hints"].String())
	assert.Equal(t, "3", p.Lists["channel"]["music"]["volume"].String())
}

// A place that is none is told, and is no place.
func TestAPlaceThatIsNoneIsNone(t *testing.T) {
	m := worlds.Load(t, string(examples.LanternPass))
	good := played(t, m)
	var doc map[string]any
	require.NoError(t, json.Unmarshal([]byte(good), &doc))
	doc["back"] = "the lodge"
	doc["extra"] = true // so that the patient reader reads it
	raw, err := json.Marshal(doc)
	require.NoError(t, err)
	p, problems, err := save.DecodePlayer(raw, m)
	require.NoError(t, err)
	told := ""
	for _, x := range problems {
		told += x.Pointer + ": " + x.Reason + "\n"
	}
	assert.Contains(t, told, "a place is wanted, not ")
	assert.Equal(t, 1, strings.Count(told, "/back"), told)
	assert.Nil(t, p.Back)
}

// Whole numbers of a save go up to 2^53 - 1: one of these is out of range, and more is no number.
func TestTheGreatestNumberOfASave(t *testing.T) {
	m := worlds.Load(t, string(examples.LanternPass))
	good := played(t, m)
	for number, kind := range map[string]save.Kind{"9007199254740991": save.KindRange, "9007199254740992": save.KindType} {
		var doc map[string]json.RawMessage
		require.NoError(t, json.Unmarshal([]byte(good), &doc))
		doc["visits"] = json.RawMessage(number)
		raw, err := json.Marshal(doc)
		require.NoError(t, err)
		_, problems, err := save.DecodePlayer(raw, m)
		require.NoError(t, err)
		require.Len(t, problems, 1, number)
		assert.Equal(t, kind, problems[0].Kind, number)
	}
}
