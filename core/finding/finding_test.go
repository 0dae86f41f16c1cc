package finding_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/finding"
)

func TestNearestFindsSlipsOfTheKeyboardAndNothingElse(t *testing.T) {
	names := []string{"gorge", "ridge", "lodge", "rope_bridge", "warmth"}
	for wrong, want := range map[string]string{
		"groge": "gorge", "rigde": "ridge", "lodg": "lodge", "loodge": "lodge", "rope_brigde": "rope_bridge", "wramth": "warmth",
		"harbour": "", "": "", "x": "", "rope-bridge": "rope_bridge",
	} {
		assert.Equal(t, want, finding.Nearest(wrong, names), wrong)
	}
	assert.Equal(t, "ab", finding.Nearest("ax", []string{"ab", "ac"}), "of equals the first")
	assert.Empty(t, finding.Nearest("anything", nil))
}

func TestListsAreInReadingOrderWithTheirLines(t *testing.T) {
	at := func(line, column int) finding.At { return finding.At{Line: line, Column: column} }
	l := finding.List{finding.New("too-many", at(3, 2), "c"), finding.New("missing", at(1, 9), "b"), finding.New("missing", at(1, 2), "a"), finding.New("too-many", at(3, 2), "d")}
	l.Sort()
	l.Excerpts("first\nsecond\nthird\r\n")
	var got []string
	for _, f := range l {
		got = append(got, f.Message+" "+f.Excerpt)
	}
	assert.Equal(t, []string{"a first", "b first", "c third", "d third"}, got)
	assert.True(t, l.Errors())
	assert.Equal(t, 4, l.Open())
	l[0].Accepted = "because"
	assert.Equal(t, 3, l.Open())
	assert.False(t, finding.List{}.Errors())
	require.Equal(t, at(3, 2), l[2].Pos())
}

func TestMentionsAreWholeNames(t *testing.T) {
	for _, x := range []struct {
		text, name, joined string
		is                 bool
	}{
		{"oil + 1", "oil", "", true}, {"player.oil", "oil", "", true}, {"player.oil", "oil", ".", false}, {"oil.spill + oil", "oil", ".", true},
		{"coil", "oil", "", false}, {"oil_2 oilcan", "oil", "", false}, {"oil", "oil", ".", true}, {"", "oil", "", false}, {"oil", "", "", false},
	} {
		assert.Equal(t, x.is, finding.Mentions(x.text, x.name, x.joined), "%+v", x)
	}
}
