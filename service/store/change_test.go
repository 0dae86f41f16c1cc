package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// everything is all that a file holds, but for how far it has come in an order.
func everything(t require.TestingT, s *Store) string {
	var out strings.Builder
	for _, table := range Tables() {
		rows, err := s.read.Raw("SELECT * FROM " + table).Rows()
		require.NoError(t, err)
		columns, err := rows.Columns()
		require.NoError(t, err)
		_ = rows.Close()
		var order []string
		for i := range columns {
			order = append(order, fmt.Sprint(i+1))
		}
		var all []map[string]any
		require.NoError(t, s.read.Raw("SELECT * FROM "+table+" ORDER BY "+strings.Join(order, ",")).Scan(&all).Error)
		fmt.Fprintln(&out, table)
		for _, row := range all {
			for _, c := range columns {
				fmt.Fprintf(&out, " %s=%s", c, shown(row[c]))
			}
			fmt.Fprintln(&out)
		}
	}
	return out.String()
}

func shown(v any) string {
	if raw, ok := v.([]byte); ok {
		return string(raw)
	}
	if at, ok := v.(time.Time); ok {
		return at.UTC().Format(time.RFC3339Nano)
	}
	return fmt.Sprint(v)
}

// line is an order in memory, which every node reads.
type line struct {
	mu      sync.Mutex
	bundles [][]byte
	stores  []*Store
	place   []uint64
	twice   func() bool // whether a bundle comes once more
	reads   int         // the newest format that all nodes read; 0 for the first
}

func (l *line) Reads() (int, string) { return max(1, l.reads), "older" }

func (l *line) Put(b []byte) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.bundles = append(l.bundles, b)
	if l.twice() {
		l.bundles = append(l.bundles, b)
	}
	return nil
}

// deliver lets a node apply what it has not applied yet, at most some of it.
func (l *line) deliver(i, most int) error {
	l.mu.Lock()
	var list []Placed
	for ; l.place[i] < uint64(len(l.bundles)) && len(list) < most; l.place[i]++ {
		list = append(list, Placed{Place: l.place[i] + 1, From: l.place[i] + 1, Bundle: l.bundles[l.place[i]]})
	}
	l.mu.Unlock()
	if len(list) == 0 {
		return nil
	}
	return l.stores[i].Apply(context.Background(), list)
}

// doing is something that is asked of a store, in any of the ways that there are.
type doing struct {
	name string
	do   func(s *Store) any
}

func doings(t *rapid.T) []doing {
	ctx := context.Background()
	player := rapid.SampledFrom([]string{"ada", "bob"})
	game := rapid.SampledFrom([]string{"hut", "hut", "mill"})
	number := rapid.IntRange(1, 3)
	leases := rapid.Int64Range(0, 4)
	word := func(err error) any {
		for _, known := range []error{ErrConflict, ErrNotFound, ErrLease, ErrNext, ErrFenced, ErrMoved, ErrMixed} {
			if errors.Is(err, known) {
				return known
			}
		}
		if err != nil {
			return "another error"
		}
		return nil
	}
	var out []doing
	for range rapid.IntRange(4, 25).Draw(t, "many") {
		p, g, n, lease := player.Draw(t, "player"), game.Draw(t, "game"), number.Draw(t, "number"), leases.Draw(t, "lease")
		text := fmt.Sprint("text", n)
		cut := cutOf(t, p, min(n, 2), n)
		cut.Game, cut.Players[0].Lease, cut.Epoch = g, lease, rapid.SampledFrom([]int64{0, 0, 1, 2}).Draw(t, "epoch")
		cut.Journal = []Entry{{Number: time.Now().UnixNano(), At: time.Unix(int64(n), 5).UTC(), Player: p, Name: "oil", Doc: []byte("{}")}}
		cut.Journal[0].Number = int64(len(out) + 1)
		all := []doing{
			{"cut", func(s *Store) any { r := <-s.Write(clone(cut)); return []any{r.Written, r.Lost, word(r.Err)} }},
			{"take", func(s *Store) any {
				saved, err := s.TakeFor(ctx, Owner{Game: g, Session: "one", Epoch: cut.Epoch}, p, min(n, 2), lease)
				return []any{saved, word(err)}
			}},
			{"put", func(s *Store) any { r, err := s.Put(ctx, clone(cut), n-2); return []any{r, word(err)} }},
			{"empty", func(s *Store) any { return word(s.Empty(ctx, g, p, min(n, 2))) }},
			{"restore", func(s *Store) any { r, err := s.TakeUp(ctx, g, p, min(n, 2), n, 2); return []any{r, word(err)} }},
			{"forget", func(s *Store) any { x, err := s.Forget(ctx, g, p, n == 1); return []any{x, word(err)} }},
			{"plan", func(s *Store) any {
				x, err := s.PutPlan(ctx, Game{ID: g, Title: g, Version: n, Text: text}, ETagOf(fmt.Sprint("text", lease)))
				return []any{x, word(err)}
			}},
			{"publish", func(s *Store) any {
				x, err := s.Publish(ctx, Version{Game: g, Version: n}, ETagOf(text), &Game{ID: g, Title: g, Version: n, Text: text}, map[string]string{"best": "last", "last": "best"})
				return []any{x, word(err)}
			}},
			{"claim", func(s *Store) any {
				x, err := s.Claim(ctx, Owner{Game: g, Session: "one", Node: p}, lease)
				return []any{x, word(err)}
			}},
			{"world", func(s *Store) any { return word(s.KeepWorld(ctx, g, "one", n, []byte("before"), []byte("after"))) }},
			{"commons", func(s *Store) any {
				x, err := s.PutCommons(ctx, Commons{ID: "guild", Text: text}, ETagOf(fmt.Sprint("text", lease)))
				return []any{x, word(err)}
			}},
			{"end", func(s *Store) any { x, err := s.EndSession(ctx, g, "one"); return []any{x, word(err)} }},
			{"delete", func(s *Store) any {
				if n > 1 {
					return nil
				}
				x, err := s.DeleteGame(ctx, "mill")
				return []any{x, word(err)}
			}},
			{"original", func(s *Store) any {
				return word(s.KeepOriginal(ctx, Original{Game: g, Player: p, Slot: n, Format: "file", Name: text, Doc: []byte(text)}))
			}},
			{"rehearsal", func(s *Store) any { return word(s.PutRehearsal(ctx, Rehearsal{Game: g, Name: text, Text: text})) }},
			{"no rehearsal", func(s *Store) any { return word(s.DropRehearsal(ctx, g, text)) }},
			{"simulated", func(s *Store) any { return word(s.MarkSimulated(ctx, g, p)) }},
			{"trial", func(s *Store) any { x, err := s.NewTrial(ctx, Trial{Game: g, Text: text}); return []any{x, word(err)} }},
			{"trial goes on", func(s *Store) any {
				return word(s.PutTrial(ctx, Trial{Game: g, ID: n, State: TrialDone, Doc: []byte(text)}))
			}},
			{"alive", func(s *Store) any { return word(s.Alive(ctx)) }},
		}
		i := rapid.IntRange(-6, len(all)-1).Draw(t, "what")
		out = append(out, all[max(i, 0)])
	}
	return out
}

// clone is a cut that shares nothing that writing it changes.
func clone(c Cut) Cut {
	c.Players, c.Journal = append([]PlayerCut(nil), c.Players...), append([]Entry(nil), c.Journal...)
	return c
}

// Whatever is asked of nodes that write in one order, whichever of them is asked: each says what a node alone
// says, and has in its file what that has. It does not matter in which parts they apply it, nor whether something comes
// twice.
func TestSeveralNodesWriteWhatOneAloneWrites(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, 11, 20, 12, 0, 0, 123456789, time.UTC)
		l := &line{place: make([]uint64, 2), twice: func() bool { return false }}
		var stores [3]*Store // two in an order, one alone
		for i := range stores {
			path := filepath.Join(dir, fmt.Sprint("order", i, ".db"))
			for _, end := range []string{"", "-wal", "-shm"} {
				_ = os.Remove(path + end)
			}
			s, err := Open(path, slog.New(slog.DiscardHandler))
			require.NoError(t, err)
			defer s.Close()
			s.now = func() time.Time { return now }
			if stores[i] = s; i < 2 {
				_, err := s.InOrder("test", l, Writer{Node: fmt.Sprint("node", i), Run: "r"}, nil)
				require.NoError(t, err)
			}
		}
		l.stores = stores[:2]
		l.twice = func() bool { return len(l.bundles)%3 == 0 }
		list := append([]doing{
			{"hut", func(s *Store) any {
				_, err := s.PutPlan(context.Background(), Game{ID: "hut", Version: 1, Text: "text1"}, "")
				return err
			}},
			{"mill", func(s *Store) any {
				_, err := s.PutPlan(context.Background(), Game{ID: "mill", Version: 1, Text: "text1"}, "")
				return err
			}},
			{"take", func(s *Store) any { x, err := s.Take(context.Background(), "hut", "ada", 1); return []any{x, err} }},
		}, doings(t)...)
		for _, what := range list {
			now = now.Add(17 * time.Minute)
			asked := rapid.IntRange(0, 1).Draw(t, "asked")
			want := what.do(stores[2])
			if what.name == "restore" { // which revision that is, is read from the file of the node that is asked
				require.NoError(t, l.deliver(asked, len(l.bundles)))
			}
			got := make(chan any, 1)
			go func() { got <- what.do(stores[asked]) }()
			for waits := true; waits; { // the one that is asked applies until it has its answer
				require.NoError(t, l.deliver(asked, 3))
				select {
				case answer := <-got:
					require.Equal(t, want, answer, what.name)
					waits = false
				case <-time.After(time.Millisecond):
				}
			}
			if rapid.Bool().Draw(t, "the other too") {
				require.NoError(t, l.deliver(1-asked, 1))
			}
		}
		for i := range 2 {
			for l.place[i] < uint64(len(l.bundles)) {
				require.NoError(t, l.deliver(i, 4))
			}
			require.Equal(t, uint64(len(l.bundles)), stores[i].Place())
			require.Equal(t, everything(t, stores[2]), everything(t, stores[i]))
		}
	})
}

// A node whose disk is full applies nothing, and does not pass over what it cannot write: once there is room, it has what
// the others have.
func TestAFullDiskHoldsUpOnlyThatNode(t *testing.T) {
	ctx := context.Background()
	l := &line{place: make([]uint64, 2), twice: func() bool { return false }}
	for i := range 2 {
		s, err := Open(filepath.Join(t.TempDir(), "a.db"), slog.New(slog.DiscardHandler))
		require.NoError(t, err)
		defer s.Close()
		_, err = s.InOrder("test", l, Writer{Node: fmt.Sprint("node", i), Run: "r"}, nil)
		require.NoError(t, err)
		l.stores = append(l.stores, s)
	}
	full := l.stores[1]
	var pages int
	require.NoError(t, full.write.Raw("PRAGMA page_count").Scan(&pages).Error)
	require.NoError(t, full.write.Exec(fmt.Sprint("PRAGMA max_page_count = ", pages+2)).Error)
	for i := range 4 {
		done := make(chan error, 1)
		go func() {
			_, err := l.stores[0].PutPlan(ctx, Game{ID: fmt.Sprint("game", i), Version: 1, Text: strings.Repeat("text", 20_000)}, "")
			done <- err
		}()
		for waits := true; waits; {
			require.NoError(t, l.deliver(0, 9))
			select {
			case err := <-done:
				require.NoError(t, err, "the other node goes on")
				waits = false
			case <-time.After(time.Millisecond):
			}
		}
	}
	applied := make(chan error, 1)
	go func() { applied <- l.deliver(1, 9) }()
	select {
	case err := <-applied:
		require.Fail(t, "it cannot have been written", "%v", err)
	case <-time.After(300 * time.Millisecond):
	}
	require.Zero(t, full.Place())
	require.NoError(t, full.write.Exec("PRAGMA max_page_count = 1000000").Error)
	require.NoError(t, <-applied)
	require.Equal(t, everything(t, l.stores[0]), everything(t, full))
}

// oneInOrder is a store that is written in an order, alone.
func oneInOrder(t *testing.T) (*line, *Store) {
	l := &line{place: make([]uint64, 1), twice: func() bool { return false }}
	s, err := Open(filepath.Join(t.TempDir(), "a.db"), slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	l.stores = []*Store{s}
	_, err = s.InOrder("test", l, Writer{Node: "one", Run: "r"}, nil)
	require.NoError(t, err)
	return l, s
}

// while lets the first node apply what comes until something that was asked of it is done.
func (l *line) while(t require.TestingT, do func() error) error {
	done := make(chan error, 1)
	go func() { done <- do() }()
	for {
		require.NoError(t, l.deliver(0, 9))
		select {
		case err := <-done:
			return err
		case <-time.After(time.Millisecond):
		}
	}
}

// What an older node could not read is not written while it is there; everything else is, as it always was.
func TestWhatAnOlderNodeCannotReadIsNotWritten(t *testing.T) {
	l, s := oneInOrder(t)
	l.reads = Format
	asked := func(c change) error {
		return l.while(t, func() error { return s.do(context.Background(), c) })
	}
	err := asked(&ofTheNext{"x"})
	require.ErrorIs(t, err, ErrOlder)
	require.ErrorContains(t, err, ": older")
	require.Empty(t, l.bundles)
	require.NoError(t, asked(&putsPlan{Game: Game{ID: "hut", Text: "x"}}))
	l.reads = Format + 1
	require.NoError(t, asked(&ofTheNext{"x"}))
	raw, err := pack(&putsPlan{}, time.Now())
	require.NoError(t, err)
	_, _, err = unpack(raw)
	require.NoError(t, err, "the format is that of the kind, not the newest")
}

// Where somebody in a cut plays elsewhere by now, nothing of it is written: what they gave others, or got, is not so. And who
// has joined a session that a node has not heard of is not taken from it before they have left.
func TestWhatChangedHandsIsWrittenForAllOrNone(t *testing.T) {
	ctx := context.Background()
	l, s := oneInOrder(t)
	do := func(what func() error) error { return l.while(t, what) }
	east, west := Owner{Game: "hut", Session: "east", Node: "one"}, Owner{Game: "hut", Session: "west", Node: "two"}
	require.NoError(t, do(func() error { _, err := s.PutPlan(ctx, Game{ID: "hut", Version: 1, Text: "x"}, ""); return err }))
	require.NoError(t, do(func() (err error) { east, err = s.Claim(ctx, east, 0); return err }))
	require.NoError(t, do(func() (err error) { west, err = s.Claim(ctx, west, 0); return err }))
	took := map[string]Saved{}
	take := func(by Owner, player string, turn int64) error {
		return do(func() error {
			saved, err := s.TakeFor(ctx, by, player, 1, turn)
			if err == nil {
				took[player] = saved
			}
			return err
		})
	}
	cut := func(by Owner, doc string, players ...string) Cut {
		c := Cut{Game: "hut", Session: by.Session, Epoch: by.Epoch, Keep: 3}
		for _, p := range players {
			c.Players = append(c.Players, PlayerCut{Player: p, Slot: 1, Lease: took[p].Lease, Moment: "every", Version: 1, Doc: []byte(doc)})
		}
		return c
	}
	write := func(c Cut) (r CutResult) {
		_ = do(func() error { r = <-s.Write(c); return nil })
		return r
	}
	require.NoError(t, take(east, "ada", 0))
	require.NoError(t, take(east, "bob", 0))
	require.NoError(t, write(cut(east, "before", "ada", "bob")).Err)
	given := cut(east, "after", "ada", "bob")

	require.ErrorIs(t, take(west, "bob", 0), ErrMoved, "somebody has not heard that he is in the east")
	require.NoError(t, write(cut(east, "between", "ada", "bob")).Err)
	require.NoError(t, take(west, "bob", 1))
	require.ErrorIs(t, write(given).Err, ErrMixed)
	for _, player := range []string{"ada", "bob"} {
		saved, err := s.Peek(ctx, "hut", player, 1)
		require.NoError(t, err)
		require.Equal(t, "between", string(saved.Doc), player)
	}
	alone := cut(east, "his own", "bob")
	alone.Players[0].Lease = given.Players[1].Lease
	require.ErrorIs(t, write(alone).Err, ErrFenced, "nor is anything that the session writes after it")
	require.NoError(t, do(func() (err error) { east, err = s.Claim(ctx, east, east.Epoch+1); return err }))
	alone.Epoch = east.Epoch
	r := write(alone)
	require.NoError(t, r.Err, "what is nobody else's is kept as a revision that counts for nothing")
	require.Equal(t, []string{"bob"}, r.Lost)
}

// Every kind of change is written and read again as it was.
func TestEveryChangeIsAMessage(t *testing.T) {
	at := time.Date(2026, 11, 29, 12, 0, 0, 987654321, time.UTC)
	for name, kind := range changes {
		c := reflect.New(reflect.TypeOf(kind).Elem()).Interface().(change)
		raw, err := pack(c, at)
		require.NoError(t, err)
		again, then, err := unpack(raw)
		if name == "of-the-next" {
			require.ErrorIs(t, err, ErrFormat)
			continue
		}
		require.NoError(t, err, name)
		require.Equal(t, c, again)
		require.Equal(t, at, then)
	}
	_, _, err := unpack([]byte("no message"))
	require.ErrorIs(t, err, ErrFormat)
	newer, err := writesMessages.Marshal(message{Format: Format + 1, Do: "cut"})
	require.NoError(t, err)
	_, _, err = unpack(newer)
	require.ErrorIs(t, err, ErrFormat)

	// A node that does not understand a message writes nothing of what comes with it.
	s, err := Open(filepath.Join(t.TempDir(), "a.db"), slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	defer s.Close()
	_, err = s.InOrder("test", &line{}, Writer{Node: "one", Run: "r"}, nil)
	require.NoError(t, err)
	known, err := pack(&putsPlan{Game: Game{ID: "hut", Text: "x"}}, at)
	require.NoError(t, err)
	for _, messages := range [][][]byte{{known, newer}, {newer, known}, {known, []byte("no message")}} {
		raw, err := writesMessages.Marshal(bundle{Writer: Writer{Node: "two", Run: "r"}, First: 1, Messages: messages})
		require.NoError(t, err)
		require.ErrorIs(t, s.Apply(context.Background(), []Placed{{Place: 1, From: 1, Bundle: raw}}), ErrFormat)
		require.Zero(t, s.Place())
		games, err := s.Games(context.Background())
		require.NoError(t, err)
		require.Empty(t, games)
	}
}
