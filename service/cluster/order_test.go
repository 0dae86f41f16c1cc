package cluster

import (
	"bytes"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/service/store"
)

// Whatever comes in between, and whatever comes twice or is broken off: a bundle comes together as it was, in its turn,
// and reading goes on from where nothing of one that is not whole is missing.
func TestBundlesComeTogether(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		type sender struct {
			me     store.Writer
			bundle uint64
			left   []part // of the bundle that is on its way
			whole  []byte
			last   *part
		}
		senders := []*sender{{}, {}, {}}
		run := 0
		for i, s := range senders {
			s.me = store.Writer{Node: fmt.Sprint("n", i), Run: fmt.Sprintf("%010d", run)}
		}
		open, sent := parts{}, map[string]bool{}
		var stream []part // by place, from 1
		resume := uint64(0)
		for range rapid.IntRange(5, 80).Draw(t, "steps") {
			s := rapid.SampledFrom(senders).Draw(t, "who")
			what := rapid.IntRange(0, 9).Draw(t, "what")
			var p part
			switch {
			case what == 0: // it starts anew, and what was on its way stays unfinished
				run++
				s.me.Run, s.bundle, s.left, s.last = fmt.Sprintf("%010d", run), 0, nil, nil
				continue
			case what == 1 && s.last != nil: // its receipt was lost
				p = *s.last
			case len(s.left) == 0:
				s.whole = []byte(rapid.StringN(1, 9, -1).Draw(t, "bundle"))
				s.bundle++
				of := rapid.IntRange(1, len(s.whole)).Draw(t, "parts")
				size := (len(s.whole) + of - 1) / of
				of = (len(s.whole) + size - 1) / size
				for i := range of {
					s.left = append(s.left, part{s.me, s.bundle, uint32(i), uint32(of), s.whole[i*size : min(len(s.whole), (i+1)*size)]})
				}
				fallthrough
			default:
				p, s.left = s.left[0], s.left[1:]
				s.last = &p
			}
			again, err := unpackPart(p.pack())
			require.NoError(t, err)
			require.Equal(t, fmt.Sprint(p), fmt.Sprint(again))
			stream = append(stream, p)
			got := open.add(again, uint64(len(stream)))
			if got != nil {
				require.Equal(t, string(s.whole), string(got))
				sent[fmt.Sprint(s.me, s.bundle)] = true
			} else {
				require.False(t, p.number+1 == p.of && !sent[fmt.Sprint(s.me, s.bundle)], "the last part makes it whole")
			}
			resume = open.resume(uint64(len(stream)))
		}
		// Whoever reads on from there finds each bundle that is not whole from its beginning.
		for node, u := range open {
			require.Less(t, resume, u.began, node)
			require.Zero(t, stream[u.began-1].number)
		}
	})
}

func FuzzAPartOfTheStream(f *testing.F) {
	f.Add((&part{store.Writer{Node: "oslo-1", Run: "0123456789"}, 7, 0, 1, []byte("bytes")}).pack())
	f.Add([]byte{})
	f.Fuzz(func(t *testing.T, raw []byte) {
		p, err := unpackPart(raw)
		if err == nil && !bytes.Equal(raw, p.pack()) {
			t.Errorf("%x is read as %v", raw, p)
		}
	})
}
