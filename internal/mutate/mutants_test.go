package main

import (
	"go/format"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const sample = `package a

func (x *box[T]) f(n int, s string) bool {
	if n < 3 && !x.ready || s == "a"+"b" {
		panic("never")
	}
	x.count = n - 1
	x.tell()
	for range n {
		continue
	}
	y := n
	y++
	return true
}
`

func TestEachFaultIsMadeOnceAndStillParses(t *testing.T) {
	found, err := mutantsIn("core/a", "core/a/a.go", []byte(sample))
	require.NoError(t, err)
	var said []string
	for _, m := range found {
		assert.Equal(t, m.Old, sample[m.From:m.To])
		assert.Equal(t, "(*box).f", m.Function)
		_, err := format.Source([]byte(sample[:m.From] + m.New + sample[m.To:]))
		require.NoError(t, err, m.String())
		old := m.Old
		if m.New == "" {
			old = "dropped " + old
		} else {
			old += " > " + m.New
		}
		said = append(said, old)
	}
	assert.ElementsMatch(t, []string{"|| > &&", "&& > ||", "< > <=", "3 > 4", "dropped !", "== > !=", "dropped x.count = n - 1", "- > +", "1 > 2",
		"dropped x.tell()", "dropped continue", "dropped y++", "true > false"}, said, "text is not subtracted, and a panic is never dropped")
}

func TestWhatIsAcceptedHasAReason(t *testing.T) {
	accepted, err := readAccepted("equivalent.txt")
	require.NoError(t, err)
	require.NotEmpty(t, accepted)
	all := map[string]bool{}
	for _, folder := range []string{"core/engine", "core/save", "core/upgrade", "core/check", "core/share"} {
		found, err := mutantsOf("../..", folder)
		require.NoError(t, err)
		for _, m := range found {
			all[m.name()] = true
		}
	}
	for name, reason := range accepted {
		assert.NotEmpty(t, reason, name)
		assert.True(t, all[name], "there is no such fault any more: %s", name)
	}
	raw, err := os.ReadFile("equivalent.txt")
	require.NoError(t, err)
	assert.Equal(t, len(accepted), strings.Count(string(raw), "\n  "), "each has one reason")
}
