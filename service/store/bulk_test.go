package store

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"pgregory.net/rapid"
)

// dump is everything that saves leave in a file.
func dump(t require.TestingT, s *Store) []string {
	var out []string
	for _, q := range []string{"SELECT game || player || slot || ':' || revision || ':' || lease FROM slots ORDER BY 1",
		"SELECT player || slot || ':' || revision || ' ' || moment || ' ' || version || ' ' || scene || ' ' || CAST(doc AS TEXT) || checksum || why FROM saves ORDER BY player, slot, revision",
		"SELECT player || slot || ':' || after_revision || ' ' || CAST(doc AS TEXT) FROM recoveries ORDER BY 1",
		"SELECT standing || player || slot || ' ' || text FROM ranks ORDER BY 1", "SELECT commons || player || name || CAST(doc AS TEXT) FROM commons_values ORDER BY 1",
		"SELECT session || CAST(doc AS TEXT) FROM worlds ORDER BY 1", "SELECT session || last || player || many || at || CAST(entries AS TEXT) FROM journal ORDER BY 1"} {
		var rows []string
		require.NoError(t, s.read.Raw(q).Scan(&rows).Error)
		out = append(out, "--")
		out = append(out, rows...)
	}
	return out
}

// Whatever is written, and in whatever groups: written together it is just what it is written one by one.
func TestWrittenTogetherIsWrittenOneByOne(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC)
		var stores [2]*Store
		for i := range stores {
			path := filepath.Join(dir, fmt.Sprint(i, ".db"))
			for _, end := range []string{"", "-wal", "-shm"} {
				_ = os.Remove(path + end)
			}
			s, err := Open(path, slog.New(slog.DiscardHandler))
			require.NoError(t, err)
			defer s.Close()
			s.now = func() time.Time { return now }
			_, err = s.PutPlan(context.Background(), Game{ID: "hut", Title: "Hut", Version: 1, Text: "x"}, "")
			require.NoError(t, err)
			for _, p := range []string{"ada", "bob", "cai"} {
				for slot := range 2 {
					_, err := s.Take(context.Background(), "hut", p, slot+1)
					require.NoError(t, err)
				}
			}
			stores[i] = s
		}
		for round := range rapid.IntRange(1, 7).Draw(t, "rounds") {
			now = now.Add(time.Duration(rapid.IntRange(0, 40).Draw(t, "hours")) * time.Hour)
			var group []Cut
			for _, p := range rapid.Permutation([]string{"ada1", "ada2", "bob1", "bob2", "cai1"}).Draw(t, "who")[:rapid.IntRange(1, 5).Draw(t, "many")] {
				group = append(group, cutOf(t, p[:3], int(p[3]-'0'), round))
			}
			groupOf(t, stores[0], group)
			for _, c := range group {
				apart(t, stores[1], c)
			}
			require.Equal(t, dump(t, stores[1]), dump(t, stores[0]))
		}
	})
}

func cutOf(t *rapid.T, player string, slot, round int) Cut {
	lease := rapid.SampledFrom([]int64{1, 1, 1, 1, 0}).Draw(t, "lease") // 0 is lost
	p := PlayerCut{Player: player, Slot: slot, Lease: lease, Moment: rapid.SampledFrom([]string{"scene", "every", "every", "leave", ""}).Draw(t, "moment"), Forget: rapid.IntRange(0, 5).Draw(t, "forget") == 0,
		Version: rapid.IntRange(1, 2).Draw(t, "version"), Scene: "hut", Doc: []byte(fmt.Sprint("doc", round)), Why: rapid.SampledFrom([]string{"", "because"}).Draw(t, "why")}
	if p.Forget {
		p.Moment = ""
	}
	text := fmt.Sprint(10*round + slot)
	p.Ranks = []Rank{{Standing: "best", Number: float64(10*round + slot), Text: text}, {Standing: "last", Number: float64(10*round + slot), Text: rapid.SampledFrom([]string{text, ""}).Draw(t, "rank"), Last: true}}
	if rapid.Bool().Draw(t, "shares") {
		p.Shared = []SharedValue{{Commons: "guild", Player: player, Name: "fame", Doc: []byte(text)}}
	}
	c := Cut{Game: "hut", Session: "one", Keep: rapid.IntRange(1, 4).Draw(t, "keep"), Players: []PlayerCut{p}}
	if rapid.Bool().Draw(t, "world") {
		c.World = []byte("world" + text + player)
	}
	return c
}

// groupOf hands a group to the writer, which writes together what it finds waiting.
func groupOf(t require.TestingT, s *Store, group []Cut) {
	var results []<-chan CutResult
	for _, c := range group {
		results = append(results, s.Write(c))
	}
	for _, r := range results {
		require.NoError(t, (<-r).Err)
	}
}

// apart writes one cut by itself.
func apart(t require.TestingT, s *Store, c Cut) {
	w := &work{Cut: c}
	w.prepare()
	require.NoError(t, s.do(context.Background(), byItself{w}))
}

// byItself is a cut that is not written with others.
type byItself struct{ w *work }

func (c byItself) apply(tx *gorm.DB, at time.Time) error { return c.w.apply(tx, at) }
