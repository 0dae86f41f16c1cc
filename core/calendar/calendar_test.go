package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/calendar"
)

func at(t testing.TB, text string) int64 {
	t.Helper()
	when, err := time.Parse(time.RFC3339, text)
	require.NoError(t, err)
	return when.UnixMilli()
}

func zone(t testing.TB, name string) *time.Location {
	t.Helper()
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

func TestRule45TurnsFallAtTheTimeOfDayInTheZone(t *testing.T) {
	daily := calendar.Calendar{Every: calendar.Daily, At: 4 * time.Hour, Zone: zone(t, "Europe/Oslo")}
	for now, want := range map[string]string{
		"2027-02-03T02:59:59Z": "2027-02-02", // an hour before UTC in winter
		"2027-02-03T03:00:00Z": "2027-02-03",
		"2027-07-03T01:59:59Z": "2027-07-02", // two in summer
		"2027-07-03T02:00:00Z": "2027-07-03",
	} {
		assert.Equal(t, want, daily.Last(at(t, now)).String(), now)
	}
	weekly := calendar.Calendar{Every: calendar.Weekly}
	for now, want := range map[string]string{
		"2027-02-07T23:59:59Z": "2027-02-01", // a Sunday
		"2027-02-08T00:00:00Z": "2027-02-08", // a Monday
	} {
		assert.Equal(t, want, weekly.Last(at(t, now)).String(), now)
	}
	monthly := calendar.Calendar{Every: calendar.Monthly, At: 12 * time.Hour}
	assert.Equal(t, "2027-02-01", monthly.Last(at(t, "2027-03-01T11:59:59Z")).String())
	assert.Equal(t, "2027-03-01", monthly.Last(at(t, "2027-03-01T12:00:00Z")).String())
}

func TestRule45ATimeThatTheClocksLeaveOutIsTheFirstAfterTheGapAndOneTwiceIsTheFirst(t *testing.T) {
	oslo := zone(t, "Europe/Oslo")
	spring := calendar.Calendar{Every: calendar.Daily, At: 2*time.Hour + 30*time.Minute, Zone: oslo}
	march, err := calendar.Parse("2027-03-28") // 02:00 is 03:00
	require.NoError(t, err)
	assert.Equal(t, at(t, "2027-03-28T01:00:00Z"), spring.When(march))
	october, err := calendar.Parse("2027-10-31") // 03:00 is 02:00 again
	require.NoError(t, err)
	assert.Equal(t, at(t, "2027-10-31T00:30:00Z"), spring.When(october))

	// A whole date can be left out: Samoa had no 30 December 2011. Its turn and the next are one.
	apia := calendar.Calendar{Every: calendar.Daily, Zone: zone(t, "Pacific/Apia")}
	missing, err := calendar.Parse("2011-12-30")
	require.NoError(t, err)
	assert.Equal(t, apia.When(missing), apia.When(missing+1))
	assert.Equal(t, "2011-12-31", apia.Last(apia.When(missing)).String())
	next, ok := apia.Next(apia.When(missing) - 1)
	assert.True(t, ok)
	assert.Equal(t, apia.When(missing), next)
}

func TestRule45CertainDatesHaveAnEnd(t *testing.T) {
	var from []calendar.Date
	for _, text := range []string{"2027-03-01", "2027-06-01"} {
		d, err := calendar.Parse(text)
		require.NoError(t, err)
		from = append(from, d)
	}
	c := calendar.Calendar{From: from, At: time.Hour}
	assert.Equal(t, calendar.None, c.Last(at(t, "2027-03-01T00:59:59Z")))
	assert.Equal(t, "", c.Last(0).String())
	next, ok := c.Next(at(t, "2027-03-01T00:59:59Z"))
	assert.True(t, ok)
	assert.Equal(t, at(t, "2027-03-01T01:00:00Z"), next)
	assert.Equal(t, from[1], c.Last(at(t, "2040-01-01T00:00:00Z")))
	_, ok = c.Next(at(t, "2027-06-01T01:00:00Z"))
	assert.False(t, ok)
	_, err := calendar.Parse("1.3.2027")
	assert.ErrorContains(t, err, "2027-02-03")
}

// Whatever the zone and the time: the last turn is not after now, the next one is, and none lies between.
func TestNoTurnIsBetweenTheLastAndTheNext(t *testing.T) {
	zones := []string{"UTC", "Europe/Oslo", "America/New_York", "Asia/Kathmandu", "Australia/Lord_Howe", "Pacific/Apia",
		"Africa/Casablanca", "America/Havana", "Asia/Gaza"}
	rapid.Check(t, func(t *rapid.T) {
		z, err := time.LoadLocation(rapid.SampledFrom(zones).Draw(t, "zone"))
		require.NoError(t, err)
		c := calendar.Calendar{Every: rapid.SampledFrom([]calendar.Every{calendar.Daily, calendar.Weekly, calendar.Monthly}).Draw(t, "every"),
			At: time.Duration(rapid.IntRange(0, 24*60-1).Draw(t, "minutes")) * time.Minute, Zone: z}
		now := rapid.Int64Range(0, 4e12).Draw(t, "now")
		last := c.Last(now)
		next, ok := c.Next(now)
		require.True(t, ok)
		require.LessOrEqual(t, c.When(last), now)
		require.Greater(t, next, now)
		require.Greater(t, c.Last(next), last)
		require.Equal(t, last, c.Last(next-1))
		again, err := calendar.Parse(last.String())
		require.NoError(t, err)
		require.Equal(t, last, again)
	})
}
