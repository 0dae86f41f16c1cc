// Package calendar says when the turns of a calendar fall: every day, week or month at a time of day in a time zone, or
// on certain dates. It reads no clock. Its zones are those of the IANA time zone database: the machine's, or where it
// has none the one that is built in.
package calendar

import (
	"fmt"
	"sort"
	"time"
)

// Date is a local date, counted in days from 1970-01-01.
type Date int

// None is no date at all: it is before every other.
const None Date = -1 << 31

// Of is a date by its year, month and day.
func Of(year int, month time.Month, day int) Date {
	return Date(time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Unix() / (24 * 60 * 60))
}

// Parse reads a date as 2027-02-03.
func Parse(text string) (Date, error) {
	t, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return None, fmt.Errorf("a date is written as 2027-02-03, not %q", text)
	}
	return Of(t.Date()), nil
}

// String is the date as 2027-02-03; nothing for None.
func (d Date) String() string {
	if d == None {
		return ""
	}
	return d.time().Format(time.DateOnly)
}

// time is when the date begins in UTC.
func (d Date) time() time.Time { return time.Unix(int64(d)*24*60*60, 0).UTC() }

// Every is how often a calendar has its turn.
type Every uint8

// How often.
const (
	OnDates Every = iota // on the dates of From alone
	Daily
	Weekly  // from Monday
	Monthly // from the 1st
)

// Calendar is when turns fall. The zero Calendar has none.
type Calendar struct {
	Every Every
	At    time.Duration  // the time of day, less than 24 hours
	Zone  *time.Location // nil is UTC
	From  []Date         // of OnDates: rising
}

// Last is the local date of the last turn at a time (milliseconds since 1970 in UTC) or before it; None where there was
// none.
func (c *Calendar) Last(now int64) Date {
	t := time.UnixMilli(now).In(c.zone())
	if c.Every == OnDates {
		n := sort.Search(len(c.From), func(i int) bool { return c.instant(c.From[i]) > now })
		if n == 0 {
			return None
		}
		return c.From[n-1]
	}
	// The turn of the period that the next local date is in may be behind already where the clocks are set back over
	// midnight, so it is asked first.
	d := c.begin(Of(t.Date()) + 1)
	for c.instant(d) > now {
		d = c.begin(d - 1)
	}
	return d
}

// Next is when the first turn after a time falls; false where there is no more.
func (c *Calendar) Next(now int64) (int64, bool) {
	if c.Every == OnDates {
		for _, d := range c.From {
			if at := c.instant(d); at > now {
				return at, true
			}
		}
		return 0, false
	}
	for d := c.Last(now) + 1; ; d++ {
		if c.begin(d) == d && c.instant(d) > now {
			return c.instant(d), true
		}
	}
}

// When is when the turn of a local date falls.
func (c *Calendar) When(d Date) int64 { return c.instant(d) }

// begin is the date at which the period begins that a date is in.
func (c *Calendar) begin(d Date) Date {
	switch c.Every {
	case Weekly:
		return d - Date((int(d.time().Weekday())+6)%7)
	case Monthly:
		return d - Date(d.time().Day()-1)
	}
	return d
}

func (c *Calendar) zone() *time.Location {
	if c.Zone == nil {
		return time.UTC
	}
	return c.Zone
}

// instant is when the clocks of the zone first show the time of day on a date. Where they leave it out, it is the first
// moment after the gap.
func (c *Calendar) instant(d Date) int64 {
	shown := d.time().Add(c.At) // as if the zone were UTC
	const day = 26 * time.Hour  // no zone is further from UTC
	var first time.Time
	for _, near := range []time.Time{shown.Add(-day), shown.Add(day)} {
		_, offset := near.In(c.zone()).Zone()
		t := shown.Add(-time.Duration(offset) * time.Second)
		_, is := t.In(c.zone()).Zone()
		if is == offset && (first.IsZero() || t.Before(first)) {
			first = t
		}
	}
	if !first.IsZero() {
		return first.UnixMilli()
	}
	_, before := shown.Add(-day).In(c.zone()).Zone()
	gap, _ := shown.Add(-time.Duration(before) * time.Second).In(c.zone()).ZoneBounds()
	return gap.UnixMilli()
}
