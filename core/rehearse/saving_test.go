package rehearse_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/rehearse"
)

// A player who was only written together with another player's save is still saved at the next regular time.
func TestWhoWasWrittenWithAnotherIsSavedRegularly(t *testing.T) {
	const plan = `
alluvion: 1
game: purse
version: 1
start: hall/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: checkpoint, leave: exact}}
variables: {coins: {of: player, type: int, min: 0, max: 9, start: 2}}
scenes: {hall: {size: [10, 10], spots: {door: {at: [1, 1]}}}}
checkpoints: {fallback: hall/door, list: {bell: {at: hall/door, again: true}}}
events: {give: {from: self, args: {to: player}}}
rules: [{on: give, do: [{add: player.coins, by: -1}, {add: args.to.coins, by: 1}]}]
saving: {when: [checkpoint], every: 30s}
`
	for wait, coins := range map[string]string{"40s": "3", "10s": "2"} {
		r := rehearse.Play([]byte(`
rehearsal: saved
plan: plan.yaml
players: [ada, bo]
steps:
  - {join: ada}
  - {join: bo}
  - {event: give, by: ada, args: {to: bo}}
  - {touch: bell, by: ada}
  - {wait: `+wait+`}
  - {leave: bo}
  - {join: bo}
  - {expect: {bo.coins: `+coins+`, ada.coins: 1}}
`), func(name string) ([]byte, error) {
			if name == "plan.yaml" {
				return []byte(plan), nil
			}
			return nil, os.ErrNotExist
		})
		require.Empty(t, r.Found)
		for _, s := range r.Steps {
			assert.Empty(t, s.Failed, "%s: %+v", wait, s.Wanted)
		}
	}
}
