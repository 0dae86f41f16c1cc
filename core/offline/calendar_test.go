package offline_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/offline"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
)

// The calendar goes by what the host says of today: a day has its turn while somebody plays, and those that were missed as
// they come back. Where nothing is said it stands still.
func TestTheCalendarGoesByWhatTheHostSays(t *testing.T) {
	day := func(n int) int64 { return time.Date(2027, 3, n, 12, 0, 0, 0, time.UTC).UnixMilli() }
	var saved []byte
	play := func(today int64, then ...int64) (said string) {
		s, problems, err := offline.Open(examples.Harbour, examples.Commons, saved, 7)
		require.NoError(t, err)
		require.Empty(t, problems)
		require.NoError(t, s.Connect(wire.SubJSON))
		now := int64(0)
		hear := func() {
			now += 100
			s.Advance(now)
			for _, m := range s.Outgoing() {
				said += string(m.Data) + "\n"
			}
		}
		s.Today(today)
		s.Received([]byte(`{"is":"hello","player":"ada"}`), now)
		hear()
		for _, date := range append([]int64{0}, then...) {
			if s.Today(date); date > 0 {
				hear()
			}
			s.Received([]byte(`{"is":"event","name":"fetch"}`), now)
			hear()
		}
		saved, _ = s.Save()
		return said
	}
	streak := func() string {
		_, rest, _ := strings.Cut(string(saved), `"streak":`)
		return rest[:1]
	}
	assert.Contains(t, play(day(1), day(1)), "The tide brings something once a day.", "the second time on one day")
	assert.Equal(t, "1", streak())
	assert.NotContains(t, play(day(2), day(3)), "The tide brings something once a day.", "the next day, and the next while ada plays")
	assert.Equal(t, "3", streak())
	assert.Contains(t, play(0, day(2)), "The tide brings something once a day.", "nobody says which day it is, and then an earlier one")
	assert.Equal(t, "3", streak())
	assert.NotContains(t, play(day(6)), "The tide brings something once a day.")
	assert.Equal(t, "1", streak(), "two days were missed")
}
