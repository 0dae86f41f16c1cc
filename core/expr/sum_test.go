package expr

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

func TestASumIsTakenApartIntoItsNames(t *testing.T) {
	at := finding.At{Line: 3, Column: 10}
	terms, found := Sum(plan.Expr{Source: "player.coins + 10 * (game.notes - prop.chest.gold * 2.5) - -x", At: at})
	assert.Empty(t, found)
	var got []string
	for _, one := range terms {
		got = append(got, one.Times.String()+" "+one.Name)
	}
	assert.Equal(t, []string{"1 player.coins", "10 game.notes", "-25 prop.chest.gold", "1 x"}, got)
	assert.Equal(t, finding.At{Line: 3, Column: 31}, terms[1].At)
}

func TestWhatIsNoSumIsRefusedWhereItStands(t *testing.T) {
	for source, column := range map[string]int{
		"player.coins + 1":               25,
		"player.coins * game.notes":      10,
		"player.coins / 2":               10,
		"a + max(b, c)":                  17,
		"a + b > 2":                      10,
		"a +":                            13,
		"99999999999999999999999999 * a": 10,
	} {
		_, found := Sum(plan.Expr{Source: source, At: finding.At{Line: 3, Column: 10}})
		if assert.Len(t, found, 1, source) {
			assert.Equal(t, "bad-expression", found[0].ID, source)
			assert.Equal(t, column, found[0].At.Column, source)
		}
	}
}
