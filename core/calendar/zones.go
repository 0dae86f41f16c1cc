package calendar

import (
	"encoding/binary"
	"sync"
	"time"
)

// zones are those that Know has taken over, by name.
var zones sync.Map // string to *time.Location

// Zone finds a time zone by the name that the IANA database has for it.
func Zone(name string) (*time.Location, error) {
	if zone, known := zones.Load(name); known {
		return zone.(*time.Location), nil
	}
	return time.LoadLocation(name)
}

// Know takes over a time zone as ZoneData wrote it, for a program that has no time zone database.
func Know(name string, data []byte) error {
	zone, err := time.LoadLocationFromTZData(name, data)
	if err == nil {
		zones.Store(name, zone)
	}
	return err
}

// The years of which ZoneData writes every change. Before and after them the zone is as at their ends.
const firstYear, lastYear = 1970, 2150

// ZoneData writes down a time zone, with every change of its clock from 1970 to 2150, in the format TZif of RFC 8536.
func ZoneData(zone *time.Location) []byte {
	var times, kinds, types, names []byte
	at := time.Date(firstYear, 1, 1, 0, 0, 0, 0, time.UTC)
	end := time.Date(lastYear, 1, 1, 0, 0, 0, 0, time.UTC)
	known := map[string]byte{}
	kind := func(t time.Time) byte {
		name, offset := t.In(zone).Zone()
		one := binary.BigEndian.AppendUint32(nil, uint32(int32(offset)))
		if n, is := known[string(one)+name]; is && n > 0 { // the first is for what was before: nothing changes to it
			return n
		}
		n := byte(len(types) / 6)
		types = append(types, append(one, 0, byte(len(names)))...)
		names = append(append(names, name...), 0)
		known[string(one)+name] = n
		return n
	}
	kind(at)
	for {
		_, next := at.In(zone).ZoneBounds()
		if next.IsZero() || next.After(end) {
			break
		}
		if !next.After(at) { // at the end of a year beyond the database, the library may give the same time again
			next = at.Add(24 * time.Hour)
		}
		before, was := at.In(zone).Zone()
		after, is := next.In(zone).Zone()
		if at = next; before == after && was == is {
			continue
		}
		times = binary.BigEndian.AppendUint64(times, uint64(at.Unix()))
		kinds = append(kinds, kind(at))
	}
	// Readers of version 2 skip the first part, which has times of 32 bits; it says as little as it may.
	out := append(zoneHeader(0, 1, 1), make([]byte, 6+1)...)
	out = append(out, zoneHeader(len(kinds), len(types)/6, len(names))...)
	for _, part := range [][]byte{times, kinds, types, names, []byte("\n\n")} {
		out = append(out, part...)
	}
	return out
}

func zoneHeader(times, types, letters int) []byte {
	out := append([]byte("TZif2"), make([]byte, 15)...)
	for _, n := range []int{0, 0, 0, times, types, letters} {
		out = binary.BigEndian.AppendUint32(out, uint32(n))
	}
	return out
}
