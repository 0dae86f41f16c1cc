package offline_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"alluvion.dev/core/offline"
)

// Rule 60: back to where it began while nothing is newer there, else to an empty slot, else nowhere.
func TestRule60WhereASaveGoes(t *testing.T) {
	const changed, own = "Slot 1 is not as it was at revision 4 any more, from which this save began.", "Slot 1 has a save of its own."
	for _, x := range []struct {
		about    string
		base     offline.Base
		newest   map[int]int
		all      int
		take     bool
		slot, at int
		why      string
	}{
		{"nothing is there", offline.Base{Slot: 1}, nil, 3, true, 1, 0, ""},
		{"it is as it was", offline.Base{Slot: 1, Revision: 4}, map[int]int{1: 4}, 3, true, 1, 4, ""},
		{"it was played on", offline.Base{Slot: 1, Revision: 4}, map[int]int{1: 5}, 3, true, 2, 0, changed},
		{"and not saved yet", offline.Base{Slot: 1, Revision: 4}, map[int]int{1: -1}, 3, true, 2, 0, changed},
		{"it was emptied", offline.Base{Slot: 1, Revision: 4}, nil, 3, true, 1, 0, changed},
		{"somebody else's beginning", offline.Base{Slot: 1}, map[int]int{1: 5}, 3, true, 2, 0, own},
		{"a slot of its own", offline.Base{Slot: 1, Revision: 4}, map[int]int{1: 4}, 3, false, 2, 0, ""},
		{"a slot that there is not any more", offline.Base{Slot: 9}, nil, 3, true, 1, 0, "There is no slot 9: a player has 3."},
		{"no slot is empty", offline.Base{Slot: 1, Revision: 4}, map[int]int{1: 5, 2: 1}, 2, true, 0, 0, changed},
	} {
		slot, at, why := x.base.Goes(x.newest, x.all, x.take)
		assert.Equal(t, []any{x.slot, x.at, x.why}, []any{slot, at, why}, x.about)
	}
}

// What a rule of the plan refuses is refused in the plan's own words, as a service does.
func TestARefusalIsInThePlansWords(t *testing.T) {
	g := open(t, nil).in("alluvion.json.1")
	said := g.asks("event", `,"name":"deliver"`)
	assert.Equal(t, "refused", said.Is)
	assert.Equal(t, "There is nothing to deliver.", said.Why)
	assert.NotEmpty(t, said.Key)
}
