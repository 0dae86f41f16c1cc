package types_test

import (
	"encoding/json"
	"testing"

	"alluvion.dev/core/types"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Values are read from JSON by a short way where they are plain; it takes and refuses what the long way does.
func TestTheShortWayOfReadingIsTheLongOne(t *testing.T) {
	alphabet := []rune(`[]",:\ ab01-.{}ué` + "\t\n")
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringOfN(rapid.RuneFrom(alphabet), 0, 14, -1).Draw(t, "text")
		v, err := types.FromJSON([]byte(text))
		if err != nil {
			return
		}
		// Numbers may be written in ways that JSON does not have (007), but nothing else may.
		var any any
		if json.Unmarshal([]byte(text), &any) != nil {
			assert.True(t, v.Kind == types.IsNum || v.Kind == types.IsList, "%q was taken as %s", text, v)
			return
		}
		again, err := types.FromJSON(must(v.MarshalJSON()))
		assert.NoError(t, err)
		assert.Equal(t, v, again, "%q", text)
	})
}

func must(raw []byte, err error) []byte {
	if err != nil {
		panic(err)
	}
	return raw
}

func TestListsAreReadWithWhateverStandsInTheirTexts(t *testing.T) {
	for text, want := range map[string][]string{`["a","b"]`: {"a", "b"}, `["a,b","c"]`: {"a,b", "c"}, `[]`: {}, `["a\"b"]`: {`a"b`}, `["a", "b"]`: {"a", "b"}, `["[x]",""]`: {"[x]", ""}, `["é"]`: {"é"}} {
		v, err := types.FromJSON([]byte(text))
		assert.NoError(t, err, text)
		got := []string{}
		for _, item := range v.Items() {
			got = append(got, item.Text)
		}
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{`["a"x]`, `["a",]`, `[,]`, `[[1]]`, `[null]`, `["a"`, `"a`, `[1 2]`} {
		_, err := types.FromJSON([]byte(text))
		assert.Error(t, err, text)
	}
}
