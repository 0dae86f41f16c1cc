package scout

import (
	"encoding/binary"
	"iter"
)

// arena holds states one behind the other, in blocks, so that it grows without being copied.
type arena struct{ blocks [][]byte }

const blockBits = 18 // a block has a quarter of a megabyte

// add takes a state in, and says where it is; false if there is no room, after four gigabytes.
func (a *arena) add(state []byte) (at uint32, ok bool) {
	last := len(a.blocks) - 1
	if last < 0 || len(a.blocks[last])+len(state) > cap(a.blocks[last]) {
		if last+1 >= 1<<(32-blockBits) || len(state) > 1<<blockBits {
			return 0, false
		}
		a.blocks = append(a.blocks, make([]byte, 0, 1<<blockBits))
		last++
	}
	at = uint32(last)<<blockBits | uint32(len(a.blocks[last]))
	a.blocks[last] = append(a.blocks[last], state...)
	return at, true
}

// from is what begins at a place; next is where the state behind it begins, and last says that there is none.
func (a *arena) from(at, next uint32, last bool) []byte {
	block := a.blocks[at>>blockBits]
	begin, end := int(at&(1<<blockBits-1)), len(block)
	if !last && next>>blockBits == at>>blockBits {
		end = int(next & (1<<blockBits - 1))
	}
	return block[begin:end]
}

// index finds states by their keys, which are hashes already. It takes about 22 bytes for each.
type index struct {
	keys  []key   // by state
	slots []int32 // by the key's first bits, and then onward: the state, from 1; 0 for none
}

// find gives a state's number.
func (x *index) find(k key) (int32, bool) {
	if len(x.slots) == 0 {
		return 0, false
	}
	if is := x.slots[x.slot(k)]; is > 0 {
		return is - 1, true
	}
	return 0, false
}

// slot is where a key is, or belongs.
func (x *index) slot(k key) uint64 {
	mask := uint64(len(x.slots) - 1)
	at := binary.LittleEndian.Uint64(k[:]) & mask
	for x.slots[at] > 0 && x.keys[x.slots[at]-1] != k {
		at = (at + 1) & mask
	}
	return at
}

// add takes the key of the next state, which is not there yet.
func (x *index) add(k key) {
	x.keys = append(x.keys, k)
	if 4*len(x.keys) > 3*len(x.slots) {
		x.slots = make([]int32, max(64, 2*len(x.slots)))
		for i := range x.keys[:len(x.keys)-1] {
			x.slots[x.slot(x.keys[i])] = int32(i) + 1
		}
	}
	x.slots[x.slot(k)] = int32(len(x.keys))
}

// edges are where states lead, packed: there are a dozen for each, and most lead to states that were found at the same time.
type edges struct{ b []byte }

// add takes the edges from a state in, and says where they are.
func (x *edges) add(from int32, list []edge) (at uint32) {
	if len(list) == 0 {
		return 0
	}
	if len(x.b) == 0 {
		x.b = append(x.b, 0) // nobody has this one
	}
	at = uint32(len(x.b))
	x.b = binary.AppendUvarint(x.b, uint64(len(list)))
	for _, e := range list {
		by := uint64(e.move)<<4 | uint64(e.way)<<2
		if e.crash {
			by |= 1
		}
		if e.alone {
			by |= 2
		}
		x.b = binary.AppendVarint(x.b, int64(e.to)-int64(from))
		x.b = binary.AppendUvarint(x.b, by)
	}
	return at
}

// of are the edges at a place, which are those from a state.
func (x *edges) of(at uint32, from int32) iter.Seq[edge] {
	return func(each func(edge) bool) {
		if at == 0 {
			return
		}
		b := x.b[at:]
		next := func() uint64 {
			n, size := binary.Uvarint(b)
			b = b[size:]
			return n
		}
		for n := next(); n > 0; n-- {
			to, size := binary.Varint(b)
			b = b[size:]
			by := next()
			if !each(edge{int32(to + int64(from)), int32(by >> 4), by&1 != 0, by&2 != 0, outward(by >> 2 & 3)}) {
				return
			}
		}
	}
}
