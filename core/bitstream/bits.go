// Package bitstream writes and reads rows of bits, the highest bit of each byte first.
package bitstream

import (
	"errors"
	"slices"
	"unicode/utf8"
)

// ErrShort says that there are fewer bits than a layout wants.
var ErrShort = errors.New("the packed bytes end too early")

// Bits is a row of bits that is written: the highest bit of each byte comes first. The zero Bits is empty.
type Bits struct {
	raw  []byte
	free uint // how many bits of the last byte are not used yet
}

// Write adds the lowest n bits of v, n being 0 to 64.
func (b *Bits) Write(v uint64, n uint) {
	for n > 0 {
		if b.free == 0 {
			b.raw, b.free = append(b.raw, 0), 8
		}
		take := min(n, b.free)
		n -= take
		b.free -= take
		b.raw[len(b.raw)-1] |= byte(v>>n&(1<<take-1)) << b.free
	}
}

// Flag adds one bit.
func (b *Bits) Flag(on bool) {
	if on {
		b.Write(1, 1)
	} else {
		b.Write(0, 1)
	}
}

// Count adds a number of any size: four bits at a time, the lowest first, each with one that says whether more follow.
func (b *Bits) Count(n uint64) {
	for n > 15 {
		b.Write(16|n&15, 5)
		n >>= 4
	}
	b.Write(n, 5)
}

// Bytes adds whole bytes, wherever they fall.
func (b *Bits) Bytes(raw []byte) {
	for _, c := range raw {
		b.Write(uint64(c), 8)
	}
}

// Len is how many bits were written.
func (b *Bits) Len() int { return len(b.raw)*8 - int(b.free) }

// Append adds the bits of another row, wherever they fall.
func (b *Bits) Append(other *Bits) {
	if b.free == 0 {
		b.raw, b.free = append(b.raw, other.raw...), other.free
		return
	}
	if len(other.raw) == 0 {
		return
	}
	left, at := 8-b.free, len(b.raw) // how many bits of the last byte are used
	last := b.raw[at-1]
	b.raw = slices.Grow(b.raw, len(other.raw))[:at+len(other.raw)]
	into := b.raw[at-1:]
	for i, c := range other.raw {
		into[i] = last | c>>left
		last = c << b.free
	}
	into[len(other.raw)] = last
	if b.free += other.free; b.free >= 8 { // the last byte that was added is not needed
		b.raw, b.free = b.raw[:len(b.raw)-1], b.free-8
	}
}

// Align fills the last byte up with zeros.
func (b *Bits) Align() { b.free = 0 }

// Raw are the bytes written so far; the last one is filled up with zeros.
func (b *Bits) Raw() []byte { return b.raw }

// Reset empties it, and keeps its room.
func (b *Bits) Reset() { b.raw, b.free = b.raw[:0], 0 }

// Source is a row of bits that is read. Once it is at its end, everything reads as zero and Err says so.
type Source struct {
	raw []byte
	at  uint // the next bit
	err error
}

// NewSource reads the bits of some bytes.
func NewSource(raw []byte) *Source { return &Source{raw: raw} }

// Read gives the next n bits, n being 0 to 64.
func (s *Source) Read(n uint) uint64 {
	if s.at+n > uint(len(s.raw))*8 {
		s.Fail(ErrShort)
		s.at = uint(len(s.raw)) * 8
		return 0
	}
	var v uint64
	for n > 0 {
		left := 8 - s.at%8
		take := min(n, left)
		v = v<<take | uint64(s.raw[s.at/8])>>(left-take)&(1<<take-1)
		s.at += take
		n -= take
	}
	return v
}

// Flag reads one bit.
func (s *Source) Flag() bool { return s.Read(1) == 1 }

// Count reads what Bits.Count wrote.
func (s *Source) Count() uint64 {
	var n uint64
	for shift := uint(0); shift < 64; shift += 4 {
		part := s.Read(5)
		n |= part & 15 << shift
		if part < 16 {
			return n
		}
	}
	s.Fail(errors.New("a count is too large"))
	return 0
}

// Bytes reads n whole bytes.
func (s *Source) Bytes(n int) []byte {
	if n < 0 || n > len(s.raw) {
		s.Fail(ErrShort)
		return nil
	}
	out := make([]byte, n)
	for i := range out {
		out[i] = byte(s.Read(8))
	}
	return out
}

// Text reads n whole bytes of text (UTF-8).
func (s *Source) Text(n int) string {
	raw := s.Bytes(n)
	if !utf8.Valid(raw) {
		s.Fail(errors.New("a text is not UTF-8"))
		return ""
	}
	return string(raw)
}

// Align skips what is left of a byte that was begun.
func (s *Source) Align() { s.at = (s.at + 7) / 8 * 8 }

// Fail keeps the first thing that went wrong.
func (s *Source) Fail(err error) {
	if s.err == nil {
		s.err = err
	}
}

// Err is the first thing that went wrong.
func (s *Source) Err() error { return s.err }

// Rest are the bytes from the next whole one on.
func (s *Source) Rest() []byte {
	s.Align()
	return s.raw[min(s.at/8, uint(len(s.raw))):]
}
