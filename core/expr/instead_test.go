package expr_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever CEL has and expressions here have not is refused with what to write in its place.
func TestWhatCELHasBesidesIsRefusedWithWhatToWrite(t *testing.T) {
	for source, says := range map[string]string{
		"int(player.warmth) > 3":                     "floor(x)",
		"double(player.oil) > 3.0":                   "mix by themselves",
		"string(player.oil) == '3'":                  "texts alone",
		"player.name.matches('a+')":                  "alphabet",
		"timestamp('2027-01-01T00:00:00Z') > 3":      "crossings:",
		"duration('1h') > 3":                         "time.session",
		"player.oil in [1, 2]":                       "contains",
		"[1, 2] == [1, 2]":                           "compare one by one",
		"{'a': 1} == {'a': 1}":                       "attribute of its list",
		"player.debt == null":                        "has(x)",
		"player.oil == 1u":                           "Numbers are written",
		"type(player.oil) == int":                    "has(x)",
		"player.name.map(x, x) == 'a'":               "each in a rule",
		"player.name.exists(x, x == 'a')":            "any(player.have",
		"player.name.size() > 2 ? true : dyn(false)": "leave it out",
	} {
		p, found := compile(source)
		assert.Nil(t, p, source)
		require.NotEmpty(t, found, source)
		assert.Contains(t, found[0].Message, says, source)
	}
}
