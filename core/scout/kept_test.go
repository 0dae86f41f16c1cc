package scout

import (
	"encoding/binary"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/examples"
)

// What is packed comes back as it was: states of any length, edges to any state, and numbers by their keys.
func TestWhatASearchKeepsComesBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		states := rapid.SliceOfN(rapid.SliceOfN(rapid.Byte(), 0, 70_000), 1, 30).Draw(t, "states")
		var held arena
		var at []uint32
		for _, s := range states {
			place, ok := held.add(s)
			assert.True(t, ok)
			at = append(at, place)
		}
		for i, s := range states {
			last := i+1 == len(states)
			next := uint32(0)
			if !last {
				next = at[i+1]
			}
			assert.Equal(t, len(s), len(held.from(at[i], next, last)))
			assert.True(t, slices.Equal(s, held.from(at[i], next, last)))
		}

		var all edges
		lists := rapid.SliceOfN(rapid.SliceOf(rapid.Custom(func(t *rapid.T) edge {
			return edge{rapid.Int32Min(-1).Draw(t, "to"), rapid.Int32Range(0, 1<<26).Draw(t, "move"), rapid.Bool().Draw(t, "crash"),
				rapid.Bool().Draw(t, "alone"), rapid.SampledFrom([]outward{wayOut, noWay, byStartingOver}).Draw(t, "way")}
		})), 1, 10).Draw(t, "edges")
		places := make([]uint32, len(lists))
		for i, list := range lists {
			places[i] = all.add(int32(i), list)
		}
		for i, list := range lists {
			assert.True(t, slices.Equal(list, slices.Collect(all.of(places[i], int32(i)))))
		}

		var known index
		numbers := map[key]int32{}
		for range rapid.IntRange(0, 500).Draw(t, "keys") {
			var k key
			binary.LittleEndian.PutUint64(k[:], rapid.Uint64Range(0, 40).Draw(t, "slot")) // many that would have the same place
			k[15] = rapid.Byte().Draw(t, "rest")
			is, there := known.find(k)
			was, before := numbers[k]
			assert.Equal(t, before, there)
			assert.Equal(t, was, is)
			if !there {
				numbers[k] = int32(len(numbers))
				known.add(k)
			}
		}
	})
	var held arena
	_, ok := held.add(make([]byte, 1<<blockBits+1))
	assert.False(t, ok, "there is no block for it")
}

// firstSearch is a scout whose first search is over.
func firstSearch(m *model.Model, o Options) *Scout {
	s := New(m, o)
	for jobs := s.Next(1); s.now == 0; jobs = s.Next(1) {
		jobs[0].Work()
		s.Take(jobs)
	}
	return s
}

// A search keeps no more than it may.
func TestASearchKeepsToItsMemory(t *testing.T) {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%v", found)
	const memory = 3 << 20
	s := firstSearch(m, Options{Memory: memory})
	x := s.searches[0]
	assert.True(t, x.full)
	assert.Greater(t, len(x.nodes), 500)
	assert.Less(t, x.size(), memory/len(s.searches)+1<<blockBits+1<<16)
	assert.Contains(t, x.why(), "there are more states than were kept, or there was no more time")
}
