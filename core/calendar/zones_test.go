package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/calendar"
)

// A zone that was written down is the same zone, at every time that it is written for.
func TestAZoneThatWasWrittenDownIsTheSame(t *testing.T) {
	for _, name := range []string{"UTC", "Europe/Oslo", "Europe/London", "America/New_York", "Asia/Tokyo", "Africa/Casablanca",
		"Australia/Lord_Howe", "Pacific/Apia", "Asia/Kathmandu", "America/Sao_Paulo"} {
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		data := calendar.ZoneData(zone)
		assert.Less(t, len(data), 6000, name)
		again, err := time.LoadLocationFromTZData(name, data)
		require.NoError(t, err)
		same := func(t rapid.TB, at time.Time) {
			was, offset := at.In(zone).Zone()
			is, now := at.In(again).Zone()
			assert.Equal(t, offset, now, "%s at %s", name, at)
			assert.Equal(t, was, is, "%s at %s", name, at)
		}
		rapid.Check(t, func(t *rapid.T) {
			same(t, time.Unix(rapid.Int64Range(0, time.Date(2149, 12, 31, 0, 0, 0, 0, time.UTC).Unix()).Draw(t, "at"), 0))
		})
		for at := time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC); at.Year() < 2150; { // on both sides of each change
			_, next := at.In(zone).ZoneBounds()
			if next.IsZero() || next.Year() >= 2150 {
				break
			}
			if !next.After(at) {
				next = at.Add(24 * time.Hour)
			}
			same(t, next.Add(-time.Second))
			same(t, next)
			at = next
		}
	}
}

// A zone that is known is taken from what was written; nonsense is refused.
func TestAKnownZoneNeedsNoDatabase(t *testing.T) {
	oslo, err := calendar.Zone("Europe/Oslo")
	require.NoError(t, err)
	require.NoError(t, calendar.Know("Lantern/Pass", calendar.ZoneData(oslo)))
	zone, err := calendar.Zone("Lantern/Pass")
	require.NoError(t, err)
	_, offset := time.Date(2027, 7, 1, 0, 0, 0, 0, time.UTC).In(zone).Zone()
	assert.Equal(t, 2*60*60, offset)
	assert.Error(t, calendar.Know("Lantern/Pass", []byte("TZif")))
	_, err = calendar.Zone("Nowhere/At_All")
	assert.Error(t, err)
}
