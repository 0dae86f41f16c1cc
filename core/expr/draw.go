package expr

import (
	"errors"

	"alluvion.dev/core/fixed"
)

// What can be wrong with a draw.
var (
	errDrawRange = errors.New("draw needs from <= to, and at most 4294967296 numbers between them")
	errDrawIndex = errors.New("the index of a draw is at most 9007199254740991 from zero")
)

// Draw gives the index-th number of a seed's stream, from and to included. The same seed and index give
// the same number everywhere; docs/draw.md has the steps and test vectors.
//
// The generator is the output function of SplitMix64 (G. L. Steele, D. Lea, C. H. Flood, "Fast splittable
// pseudorandom number generators", OOPSLA 2014), taken at the state whose upper half is the seed and whose
// lower half is the index, both modulo 2^32; the upper 32 bits of it are scaled by multiplication.
func Draw(seed, index, from, to fixed.Num) (fixed.Num, error) {
	span, err := to.Sub(from)
	width, whole := span.Int()
	if err != nil || !whole || width < 0 || width > 1<<32-1 {
		return from, errDrawRange
	}
	i, whole := index.Int()
	if !whole || i > fixed.MaxStored || i < -fixed.MaxStored {
		return from, errDrawIndex
	}
	s, _ := seed.Int()
	drawn := Mix(uint32(s), uint32(i))
	return from.Add(fixed.FromInt(int64(uint64(drawn) * (uint64(width) + 1) >> 32)))
}

// Mix is the 32 bits that a seed's stream has at an index.
func Mix(seed, index uint32) uint32 {
	z := uint64(seed)<<32 | uint64(index)
	z += 0x9E3779B97F4A7C15
	z = (z ^ z>>30) * 0xBF58476D1CE4E5B9
	z = (z ^ z>>27) * 0x94D049BB133111EB
	return uint32((z ^ z>>31) >> 32)
}
