package store_test

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/service/store"
)

var ctx = context.Background()

func openAt(t *testing.T, path string) *store.Store {
	s, err := store.Open(path, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

func fresh(t *testing.T) (*store.Store, string) {
	path := filepath.Join(t.TempDir(), "a.db")
	s := openAt(t, path)
	_, err := s.PutPlan(ctx, store.Game{ID: "hut", Title: "Hut", Version: 1, Text: "one"}, "")
	require.NoError(t, err)
	return s, path
}

func write(s *store.Store, lease int64, moment, doc string, keep int) store.CutResult {
	return <-s.Write(store.Cut{Game: "hut", Session: "s", Keep: keep, World: []byte("world of " + doc),
		Players: []store.PlayerCut{{Player: "ada", Slot: 1, Lease: lease, Moment: moment, Version: 1, Scene: "a", Doc: []byte(doc)}}})
}

func TestPlansAreReplacedOnlyByWhoKnowsThem(t *testing.T) {
	s, _ := fresh(t)
	_, err := s.PutPlan(ctx, store.Game{ID: "hut", Text: "two"}, "")
	assert.ErrorIs(t, err, store.ErrConflict)
	_, err = s.PutPlan(ctx, store.Game{ID: "hut", Text: "two"}, store.ETagOf("zero"))
	assert.ErrorIs(t, err, store.ErrConflict)
	_, err = s.PutPlan(ctx, store.Game{ID: "hut", Title: "Hut", Version: 2, Text: "two"}, store.ETagOf("one"))
	require.NoError(t, err)
	g, err := s.Game(ctx, "hut")
	require.NoError(t, err)
	assert.Equal(t, "two", g.Text)
	_, err = s.Game(ctx, "inn")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestRevisionsAreKeptAndTakenUpAgain(t *testing.T) {
	s, _ := fresh(t)
	taken, err := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	assert.Nil(t, taken.Doc)
	for i := 1; i <= 5; i++ {
		r := write(s, taken.Lease, "scene", fmt.Sprint("doc ", i), 3)
		require.NoError(t, r.Err)
		assert.Equal(t, i, r.Written["ada"])
	}
	list, err := s.Revisions(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	require.Len(t, list, 3, "no more than the plan says")
	assert.Equal(t, 5, list[0].Revision)
	n, err := s.TakeUp(ctx, "hut", "ada", 1, 3, 3)
	require.NoError(t, err)
	assert.Equal(t, 6, n)
	again, err := s.Peek(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, "doc 3", string(again.Doc))
	world, err := s.World(ctx, "hut", "s")
	require.NoError(t, err)
	assert.Equal(t, "world of doc 5", string(world))
}

func TestRegularSavesReplaceOneAnother(t *testing.T) {
	s, _ := fresh(t)
	taken, _ := s.Take(ctx, "hut", "ada", 1)
	for _, moment := range []string{"checkpoint", "every", "every", "every", "scene", "every"} {
		require.NoError(t, write(s, taken.Lease, moment, moment, 10).Err)
	}
	list, err := s.Revisions(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	var moments []string
	for _, r := range list {
		moments = append(moments, r.Moment)
	}
	assert.Equal(t, []string{"every", "scene", "every", "checkpoint"}, moments)
}

func TestRecoveryStateIsUsedUntilTheNextRevision(t *testing.T) {
	s, _ := fresh(t)
	taken, _ := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, write(s, taken.Lease, "scene", "saved", 3).Err)
	require.NoError(t, write(s, taken.Lease, "", "newer", 3).Err)
	after, err := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, "newer", string(after.Doc))
	assert.True(t, after.Recovered)
	require.NoError(t, write(s, after.Lease, "leave", "last", 3).Err)
	after, err = s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, "last", string(after.Doc))
	assert.False(t, after.Recovered)
}

func TestRule2AWriteUnderALostLeaseIsKeptAsideAndTold(t *testing.T) {
	s, _ := fresh(t)
	first, _ := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, write(s, first.Lease, "scene", "one", 5).Err)
	second, _ := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, write(s, second.Lease, "scene", "two", 5).Err)
	late := write(s, first.Lease, "leave", "late", 5)
	require.NoError(t, late.Err)
	assert.Equal(t, []string{"ada"}, late.Lost)
	now, err := s.Peek(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, "two", string(now.Doc))
	list, _ := s.Revisions(ctx, "hut", "ada", 1)
	assert.Equal(t, "superseded", list[0].Moment)
}

func TestWhatIsSupersededCountsNowhere(t *testing.T) {
	s, _ := fresh(t)
	for slot, place := range map[int]string{1: "70", 2: "50"} {
		taken, err := s.Take(ctx, "hut", "ada", slot)
		require.NoError(t, err)
		if slot == 1 {
			taken.Lease-- // somebody has taken it over
		}
		r := <-s.Write(store.Cut{Game: "hut", Session: "s", Keep: 3, Players: []store.PlayerCut{{Player: "ada", Slot: slot, Lease: taken.Lease, Moment: "leave", Doc: []byte("x"),
			Ranks: []store.Rank{{Standing: "seals", Number: 50, Text: place}}, Shared: []store.SharedValue{{Commons: "guild", Player: "ada", Name: "fame", Doc: []byte(place)}}}}})
		require.NoError(t, r.Err)
	}
	ranks, err := s.RanksOf(ctx, "hut", "ada")
	require.NoError(t, err)
	assert.Equal(t, []store.Rank{{Standing: "seals", Number: 50, Text: "50"}}, ranks)
	shared, err := s.Shared(ctx, "ada")
	require.NoError(t, err)
	require.Len(t, shared, 1)
	assert.Equal(t, "50", string(shared[0].Doc))
}

func TestTheLastOfTwoSlotsSavedTogetherCounts(t *testing.T) {
	s, _ := fresh(t)
	var leases [2]int64
	for i := range leases {
		taken, err := s.Take(ctx, "hut", "ada", i+1)
		require.NoError(t, err)
		leases[i] = taken.Lease
	}
	var all []<-chan store.CutResult
	for i, lease := range leases {
		slot := i + 1
		all = append(all, s.Write(store.Cut{Game: "hut", Session: "s", Keep: 3, Players: []store.PlayerCut{{Player: "ada", Slot: slot, Lease: lease, Moment: "leave", Doc: []byte("x"),
			Ranks: []store.Rank{{Standing: "seals", Number: float64(slot), Text: strconv.Itoa(slot), Last: true}}}}}))
	}
	for _, r := range all {
		require.NoError(t, (<-r).Err)
	}
	ranks, err := s.RanksOf(ctx, "hut", "ada")
	require.NoError(t, err)
	assert.Equal(t, []store.Rank{{Standing: "seals", Number: 2, Text: "2"}}, ranks)
}

// What is held about a player is deleted so that none of it can be read in any of the files, however it came there and went.
func TestWhoIsForgottenStandsNowhereInTheFiles(t *testing.T) {
	s, path := fresh(t)
	who := map[string]int64{"UNIQUEPLAYER": 0, "bob": 0, "cai": 0}
	random := rand.New(rand.NewPCG(1, 2))
	number := int64(0)
	for range 150 {
		for id := range who {
			if who[id] == 0 || random.IntN(9) == 0 {
				taken, err := s.Take(ctx, "hut", id, 1)
				require.NoError(t, err)
				who[id] = taken.Lease
			}
			doc := []byte(strings.Repeat(id+" ", 25+random.IntN(600)))
			number++
			r := <-s.Write(store.Cut{Game: "hut", Session: "s", Keep: 4, Journal: []store.Entry{{Number: number, Player: id, Name: "x", Doc: doc[:90]}},
				Players: []store.PlayerCut{{Player: id, Slot: 1, Lease: who[id], Moment: []string{"scene", "every", ""}[random.IntN(3)], Version: 1, Doc: doc,
					Ranks: []store.Rank{{Standing: "seals", Number: 1, Text: "1"}}, Shared: []store.SharedValue{{Commons: "guild", Player: id, Name: "fame", Doc: doc[:30]}}}}})
			require.NoError(t, r.Err)
		}
	}
	found := func() (n int) {
		for _, end := range []string{"", "-wal", "-shm"} {
			raw, err := os.ReadFile(path + end)
			require.NoError(t, err)
			n += bytes.Count(raw, []byte("UNIQUEPLAYER"))
		}
		return n
	}
	require.Positive(t, found())
	traces, err := s.Forget(ctx, "hut", "UNIQUEPLAYER", false)
	require.NoError(t, err)
	assert.Positive(t, traces.Commons, "no other game has anything of them")
	assert.Zero(t, found())
	taken, err := s.Take(ctx, "hut", "bob", 1)
	require.NoError(t, err)
	assert.Contains(t, string(taken.Doc), "bob ")
}

func TestWhatIsInCommonStaysWhileAnotherGameHasSomethingOfThePlayer(t *testing.T) {
	s, _ := fresh(t)
	_, err := s.PutPlan(ctx, store.Game{ID: "inn", Title: "Inn", Version: 1, Text: "one"}, "")
	require.NoError(t, err)
	for _, game := range []string{"hut", "inn"} {
		taken, err := s.Take(ctx, game, "ada", 1)
		require.NoError(t, err)
		require.NoError(t, (<-s.Write(store.Cut{Game: game, Session: "s", Keep: 4, Players: []store.PlayerCut{{Player: "ada", Slot: 1, Lease: taken.Lease, Moment: "leave", Doc: []byte("x"),
			Shared: []store.SharedValue{{Commons: "guild", Player: "ada", Name: game, Doc: []byte("1")}}}}})).Err)
	}
	traces, err := s.Forget(ctx, "hut", "ada", false)
	require.NoError(t, err)
	assert.Zero(t, traces.Commons)
	shared, err := s.Shared(ctx, "ada")
	require.NoError(t, err)
	assert.Len(t, shared, 2)
	traces, err = s.Forget(ctx, "inn", "ada", false)
	require.NoError(t, err)
	assert.EqualValues(t, 2, traces.Commons, "with the last game")
}

func TestManyWritersAtOnceAreAllStored(t *testing.T) {
	s, path := fresh(t)
	var wg sync.WaitGroup
	for i := range 100 {
		wg.Go(func() {
			id := fmt.Sprintf("p%03d", i)
			taken, err := s.Take(ctx, "hut", id, 1)
			assert.NoError(t, err)
			r := <-s.Write(store.Cut{Game: "hut", Session: "s", Keep: 2, Players: []store.PlayerCut{{Player: id, Slot: 1, Lease: taken.Lease, Moment: "scene", Doc: []byte(id)}}})
			assert.NoError(t, r.Err)
		})
	}
	wg.Wait()
	s.Close()
	again := openAt(t, path)
	players, err := again.Players(ctx, "hut", store.Whom{})
	require.NoError(t, err)
	assert.Len(t, players, 100)
}

func TestAFileThatIsInUseNewerOrNoneIsRefused(t *testing.T) {
	s, path := fresh(t)
	_, err := store.Open(path, slog.New(slog.DiscardHandler))
	assert.ErrorIs(t, err, store.ErrInUse)
	s.Close()

	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = raw.Exec("PRAGMA user_version = 99")
	require.NoError(t, err)
	require.NoError(t, raw.Close())
	_, err = store.Open(path, slog.New(slog.DiscardHandler))
	assert.ErrorIs(t, err, store.ErrNewer)

	junk := filepath.Join(t.TempDir(), "junk.db")
	require.NoError(t, os.WriteFile(junk, []byte("this is no database, and long enough to be taken for one"), 0o600))
	_, err = store.Open(junk, slog.New(slog.DiscardHandler))
	assert.ErrorContains(t, err, "not a database")
}

// A file of the first schema, as it was released, is brought forward with all that is in it.
func TestAnOlderFileIsBroughtForward(t *testing.T) {
	path := filepath.Join(t.TempDir(), "old.db")
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	for _, statement := range []string{
		`CREATE TABLE games (id TEXT PRIMARY KEY, title TEXT NOT NULL, version INTEGER NOT NULL, etag TEXT NOT NULL, text TEXT NOT NULL, updated_at DATETIME NOT NULL)`,
		`CREATE TABLE plan_texts (game TEXT NOT NULL REFERENCES games(id), edition INTEGER NOT NULL, version INTEGER NOT NULL, etag TEXT NOT NULL, text TEXT NOT NULL, saved_at DATETIME NOT NULL, PRIMARY KEY (game, edition))`,
		`CREATE TABLE slots (game TEXT NOT NULL REFERENCES games(id), player TEXT NOT NULL, slot INTEGER NOT NULL, revision INTEGER NOT NULL, lease INTEGER NOT NULL, PRIMARY KEY (game, player, slot))`,
		`CREATE TABLE saves (game TEXT NOT NULL, player TEXT NOT NULL, slot INTEGER NOT NULL, revision INTEGER NOT NULL, moment TEXT NOT NULL, version INTEGER NOT NULL, scene TEXT NOT NULL, saved_at DATETIME NOT NULL, doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, player, slot, revision))`,
		`CREATE TABLE recoveries (game TEXT NOT NULL, player TEXT NOT NULL, slot INTEGER NOT NULL, after_revision INTEGER NOT NULL, saved_at DATETIME NOT NULL, doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, player, slot))`,
		`CREATE TABLE worlds (game TEXT NOT NULL REFERENCES games(id), session TEXT NOT NULL, saved_at DATETIME NOT NULL, doc BLOB NOT NULL, checksum TEXT NOT NULL, PRIMARY KEY (game, session))`,
		`INSERT INTO games VALUES ('hut', 'Hut', 1, 'x', 'one', '2026-01-01 00:00:00+00:00')`,
		`PRAGMA user_version = 1`,
	} {
		_, err := raw.Exec(statement)
		require.NoError(t, err)
	}
	require.NoError(t, raw.Close())
	s := openAt(t, path)
	g, err := s.Game(ctx, "hut")
	require.NoError(t, err)
	assert.Equal(t, "one", g.Text)
	taken, err := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	r := write(s, taken.Lease, "scene", "doc", 3)
	require.NoError(t, r.Err)
	last, err := s.JournalEnd(ctx, "hut", "s")
	require.NoError(t, err)
	assert.Zero(t, last)
}

func TestDamageIsFound(t *testing.T) {
	s, path := fresh(t)
	taken, _ := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, write(s, taken.Lease, "scene", "whole", 3).Err)
	s.Close()
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = raw.Exec("UPDATE saves SET doc = 'whale'")
	require.NoError(t, err)
	require.NoError(t, raw.Close())
	again := openAt(t, path)
	damaged, err := again.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	assert.ErrorIs(t, damaged.Damaged, store.ErrDamaged)
	_, err = again.Peek(ctx, "hut", "ada", 1)
	assert.ErrorIs(t, err, store.ErrDamaged)
	_, err = again.Game(ctx, "hut")
	assert.NoError(t, err, "what is whole is still served")
}

func TestWhatCannotBeWrittenIsNotAcknowledged(t *testing.T) {
	s, path := fresh(t)
	taken, _ := s.Take(ctx, "hut", "ada", 1)
	s.Close()
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = raw.Exec("CREATE TRIGGER full BEFORE INSERT ON saves BEGIN SELECT RAISE(ABORT, 'database or disk is full'); END")
	require.NoError(t, err)
	require.NoError(t, raw.Close())
	again := openAt(t, path)
	r := write(again, taken.Lease, "scene", "x", 3)
	assert.ErrorContains(t, r.Err, "full")
	world, err := again.World(ctx, "hut", "s")
	require.NoError(t, err)
	assert.Nil(t, world, "all of a cut or nothing")
}

func TestStandingsAreOverAllWhoWereEverSaved(t *testing.T) {
	s, _ := fresh(t)
	save := func(player string, slot int, number float64, text string, last bool) {
		taken, err := s.Take(ctx, "hut", player, slot)
		require.NoError(t, err)
		r := <-s.Write(store.Cut{Game: "hut", Session: "s", Keep: 3, Players: []store.PlayerCut{{Player: player, Slot: slot, Lease: taken.Lease, Moment: "scene", Doc: []byte("x"),
			Ranks: []store.Rank{{Standing: "high", Number: number, Text: text}, {Standing: "last", Number: number, Text: text, Last: last}}}}})
		require.NoError(t, r.Err)
	}
	save("cid", 1, 7, "7", true)
	save("ada", 1, 3, "3", true)
	save("ada", 2, 7, "7", true)
	save("bob", 1, 9.5, "9.5", true)
	save("dee", 1, 1, "1", true)
	save("bob", 2, 2, "2", true)
	places, total, err := s.Standing(ctx, "hut", "high", true, 0, 3)
	require.NoError(t, err)
	assert.Equal(t, 4, total)
	assert.Equal(t, []store.Place{{Place: 1, Player: "bob", Text: "9.5"}, {Place: 2, Player: "ada", Text: "7"}, {Place: 3, Player: "cid", Text: "7"}}, places, "ties stand by id")
	places, _, err = s.Standing(ctx, "hut", "last", false, 0, 2)
	require.NoError(t, err)
	assert.Equal(t, []store.Place{{Place: 1, Player: "dee", Text: "1"}, {Place: 2, Player: "bob", Text: "2"}}, places, "the last save counts, in whichever slot")
	for player, want := range map[string]int{"bob": 1, "ada": 2, "cid": 3, "dee": 4, "eve": 0} {
		place, err := s.PlaceOf(ctx, "hut", "high", true, player)
		require.NoError(t, err)
		assert.Equal(t, want, place, player)
	}
	save("dee", 1, 0, "", true)
	_, total, err = s.Standing(ctx, "hut", "last", false, 0, 2)
	require.NoError(t, err)
	assert.Equal(t, 3, total, "where nothing counts any more there is no place")
}

// Whatever is saved by whom, in whichever slot, and is deleted: places are those that one would count by hand.
func TestPlacesAreThoseThatOneWouldCount(t *testing.T) {
	s, _ := fresh(t)
	type key struct {
		player string
		slot   int
	}
	rapid.Check(t, func(t *rapid.T) {
		_, err := s.DeleteGame(ctx, "tent")
		require.True(t, err == nil || errors.Is(err, store.ErrNotFound))
		_, err = s.PutPlan(ctx, store.Game{ID: "tent", Title: "Tent", Version: 1, Text: "x"}, "")
		require.NoError(t, err)
		numbers := rapid.SampledFrom([]float64{0, 1, 1, 1.0001, 2, -1, -1.5, 1e6, 1e6 + 1, 1e-9, -1e300, 1e300, 12345.5})
		players := rapid.SampledFrom([]string{"ada", "bob", "cid", "dee", "eve"})
		has := map[key]float64{}
		for range rapid.IntRange(1, 20).Draw(t, "saves") {
			k := key{players.Draw(t, "player"), rapid.IntRange(1, 3).Draw(t, "slot")}
			switch rapid.IntRange(0, 9).Draw(t, "what") {
			case 0:
				_, err := s.Forget(ctx, "tent", k.player, false)
				require.True(t, err == nil || errors.Is(err, store.ErrNotFound))
				maps.DeleteFunc(has, func(x key, _ float64) bool { return x.player == k.player })
				continue
			case 1:
				delete(has, k)
			default:
				has[k] = numbers.Draw(t, "number")
			}
			taken, err := s.Take(ctx, "tent", k.player, k.slot)
			require.NoError(t, err)
			rank := store.Rank{Standing: "far"}
			if number, counts := has[k]; counts {
				rank.Number, rank.Text = number, strconv.FormatFloat(number, 'g', -1, 64)
			}
			cut := store.Cut{Game: "tent", Session: "s", Keep: 3, Players: []store.PlayerCut{{Player: k.player, Slot: k.slot, Lease: taken.Lease, Moment: "scene", Doc: []byte("x"), Ranks: []store.Rank{rank}}}}
			require.NoError(t, (<-s.Write(cut)).Err)
		}
		for _, high := range []bool{true, false} {
			better := func(a, b float64) bool { return a != b && (a > b) == high }
			best := map[string]float64{}
			for k, number := range has {
				if known, ok := best[k.player]; !ok || better(number, known) {
					best[k.player] = number
				}
			}
			var want []store.Place
			for _, player := range slices.SortedFunc(maps.Keys(best), func(a, b string) int {
				switch {
				case better(best[a], best[b]):
					return -1
				case better(best[b], best[a]):
					return 1
				}
				return strings.Compare(a, b)
			}) {
				want = append(want, store.Place{Place: len(want) + 1, Player: player, Text: strconv.FormatFloat(best[player], 'g', -1, 64)})
			}
			skip, most := rapid.IntRange(0, 5).Draw(t, "skip"), rapid.IntRange(1, 5).Draw(t, "most")
			got, total, err := s.Standing(ctx, "tent", "far", high, skip, most)
			require.NoError(t, err)
			require.Equal(t, len(want), total)
			require.Equal(t, append([]store.Place(nil), want[min(skip, len(want)):min(skip+most, len(want))]...), got)
			for _, p := range []string{"ada", "bob", "cid", "dee", "eve"} {
				place, err := s.PlaceOf(ctx, "tent", "far", high, p)
				require.NoError(t, err)
				require.Equal(t, 1+slices.IndexFunc(want, func(w store.Place) bool { return w.Player == p }), place, p)
			}
		}
	})
}

// Whatever sessions write of whom: the newest entries of a session, of a player or of a value are found, in their order.
func TestTheNewestOfTheJournalIsFound(t *testing.T) {
	s, _ := fresh(t)
	rapid.Check(t, func(t *rapid.T) {
		_, err := s.DeleteGame(ctx, "tent")
		require.True(t, err == nil || errors.Is(err, store.ErrNotFound))
		_, err = s.PutPlan(ctx, store.Game{ID: "tent", Title: "Tent", Version: 1, Text: "x"}, "")
		require.NoError(t, err)
		var all []store.Entry // the newest first
		number, now := map[string]int64{}, time.UnixMilli(0).UTC()
		for range rapid.IntRange(0, 8).Draw(t, "cuts") {
			c := store.Cut{Game: "tent", Session: rapid.SampledFrom([]string{"s", "z"}).Draw(t, "session")}
			for range rapid.IntRange(1, 9).Draw(t, "entries") {
				number[c.Session] += rapid.Int64Range(1, 3).Draw(t, "further")
				now = now.Add(time.Duration(rapid.IntRange(1, 9).Draw(t, "later")) * time.Millisecond)
				e := store.Entry{Game: "tent", Session: c.Session, Number: number[c.Session], At: now, Time: 5, Player: rapid.SampledFrom([]string{"ada", "bob", ""}).Draw(t, "player"),
					Name: rapid.SampledFrom([]string{"player.oil", `a "b"`}).Draw(t, "name"), Doc: []byte(`{"to":1}`)}
				c.Journal, all = append(c.Journal, e), append([]store.Entry{e}, all...)
			}
			require.NoError(t, (<-s.Write(c)).Err)
		}
		most := rapid.IntRange(0, 12).Draw(t, "most")
		want := func(is func(e store.Entry) bool) (out []store.Entry) {
			for _, e := range all {
				if is(e) && len(out) < most {
					out = append(out, e)
				}
			}
			return out
		}
		player, name := rapid.SampledFrom([]string{"", "ada"}).Draw(t, "of"), rapid.SampledFrom([]string{"", "player.oil"}).Draw(t, "value")
		got, err := s.Journal(ctx, "tent", "s", player, name, most)
		require.NoError(t, err)
		require.Equal(t, want(func(e store.Entry) bool {
			return e.Session == "s" && (player == "" || e.Player == player) && (name == "" || e.Name == name)
		}), got)
		got, err = s.JournalOf(ctx, "tent", "ada", most)
		require.NoError(t, err)
		require.Equal(t, want(func(e store.Entry) bool { return e.Player == "ada" }), got)
		end, err := s.JournalEnd(ctx, "tent", "z")
		require.NoError(t, err)
		require.Equal(t, number["z"], end)
		gone, err := s.Forget(ctx, "tent", "ada", false)
		require.Equal(t, err == nil, gone.Journal > 0)
		most = 99
		require.EqualValues(t, gone.Journal, len(want(func(e store.Entry) bool { return e.Player == "ada" })))
		got, err = s.Journal(ctx, "tent", "s", "", "", most)
		require.NoError(t, err)
		require.Equal(t, want(func(e store.Entry) bool { return e.Session == "s" && e.Player != "ada" }), got)
	})
}

func TestTheJournalIsBounded(t *testing.T) {
	s, _ := fresh(t)
	for n := range 3 {
		entries := make([]store.Entry, store.JournalKept/2)
		for i := range entries {
			entries[i] = store.Entry{Number: int64(n*len(entries) + i + 1), Player: "ada", Name: "player.oil", Doc: []byte("{}")}
		}
		require.NoError(t, (<-s.Write(store.Cut{Game: "hut", Session: "s", Journal: entries})).Err)
	}
	list, err := s.Journal(ctx, "hut", "s", "ada", "player.oil", 1_000_000)
	require.NoError(t, err)
	assert.Len(t, list, store.JournalKept)
	assert.Equal(t, int64(store.JournalKept*3/2), list[0].Number, "newest first")
	other, err := s.Journal(ctx, "hut", "another", "", "", 5)
	require.NoError(t, err)
	assert.Empty(t, other)
}

func TestAPublishedVersionNeverChangesAndIsTheNext(t *testing.T) {
	s, _ := fresh(t)
	g, err := s.Game(ctx, "hut")
	require.NoError(t, err)
	first, err := s.Publish(ctx, store.Version{Game: "hut", Version: 3}, g.ETag, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, g.Text, first.Text)
	_, err = s.Publish(ctx, store.Version{Game: "hut", Version: 3}, g.ETag, nil, nil)
	assert.ErrorIs(t, err, store.ErrNext)
	_, err = s.Publish(ctx, store.Version{Game: "hut", Version: 5}, g.ETag, nil, nil)
	assert.ErrorIs(t, err, store.ErrNext)
	_, err = s.Publish(ctx, store.Version{Game: "hut", Version: 4}, "another", nil, nil)
	assert.ErrorIs(t, err, store.ErrConflict)
	next, err := s.PutPlan(ctx, store.Game{ID: "hut", Title: "Hut", Version: 4, Text: "later"}, g.ETag)
	require.NoError(t, err)
	text, err := s.Playing(ctx, "hut")
	require.NoError(t, err)
	assert.Equal(t, g.Text, text, "a draft is not played once something is published")
	_, err = s.Publish(ctx, store.Version{Game: "hut", Version: 4, Why: "because"}, next.ETag, nil, nil)
	require.NoError(t, err)
	list, err := s.Versions(ctx, "hut")
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "because", list[0].Why)
	old, err := s.Version(ctx, "hut", 3)
	require.NoError(t, err)
	assert.Equal(t, g.Text, old.Text)
}

func TestStandingsThatChangeTheirNamesKeepTheirNumbers(t *testing.T) {
	s, _ := fresh(t)
	g, err := s.Game(ctx, "hut")
	require.NoError(t, err)
	taken, err := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	cut := store.Cut{Game: "hut", Session: "one", Keep: 3, Players: []store.PlayerCut{{Player: "ada", Slot: 1, Lease: taken.Lease, Moment: "leave", Doc: []byte("a"),
		Ranks: []store.Rank{{Standing: "a", Number: 1, Text: "1"}, {Standing: "b", Number: 2, Text: "2"}}}}}
	require.NoError(t, (<-s.Write(cut)).Err)
	_, err = s.Publish(ctx, store.Version{Game: "hut", Version: 1}, g.ETag, nil, map[string]string{"a": "b", "b": "a"})
	require.NoError(t, err)
	list, _, err := s.Standing(ctx, "hut", "b", true, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, "1", list[0].Text, "swapped")
}

func TestOldRevisionsAreThinnedByDayAndVersion(t *testing.T) {
	s, _ := fresh(t)
	taken, err := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	for version := 1; version <= 3; version++ {
		for range 4 {
			require.NoError(t, (<-s.Write(store.Cut{Game: "hut", Session: "one", Keep: 3, Players: []store.PlayerCut{{Player: "ada", Slot: 1, Lease: taken.Lease, Moment: "scene", Version: version, Doc: []byte("x")}}})).Err)
		}
	}
	list, err := s.Revisions(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	var kept []int
	for _, r := range list {
		kept = append(kept, r.Revision)
	}
	assert.Equal(t, []int{12, 11, 10, 8, 4}, kept, "three, and the newest of each version")
}

func TestAFileIsCopiedBeforeItsSchemaChanges(t *testing.T) {
	s, path := fresh(t)
	s.Close()
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	for _, q := range []string{"DROP TABLE versions", "DROP TABLE trials", "DROP TABLE kept_worlds", "DROP TABLE seal_keys", "DROP TABLE rehearsals", "DROP TABLE simulated", "DROP TABLE profiles", "DROP TABLE originals", "DROP TABLE owners", "DROP TABLE visits", "DROP TABLE ordering", "DROP TABLE heard", "ALTER TABLE saves DROP COLUMN why", "DROP TRIGGER ranks_come", "DROP TRIGGER ranks_go", "DROP TRIGGER ranks_turn", "DROP TABLE rank_counts", "DROP INDEX ranks_high", "DROP INDEX ranks_low",
		"ALTER TABLE ranks DROP COLUMN best", "ALTER TABLE ranks DROP COLUMN bucket", "CREATE INDEX ranks_by ON ranks (game, standing, number)",
		"INSERT INTO ranks VALUES ('hut', 'far', 'ada', 1, 3, '3'), ('hut', 'far', 'ada', 2, 9, '9'), ('hut', 'far', 'bob', 1, 5, '5')", "DROP TABLE journal",
		`CREATE TABLE journal (game TEXT NOT NULL REFERENCES games(id), session TEXT NOT NULL, number INTEGER NOT NULL, at DATETIME NOT NULL, time INTEGER NOT NULL, player TEXT NOT NULL, name TEXT NOT NULL, doc BLOB NOT NULL, PRIMARY KEY (game, session, number))`,
		`INSERT INTO journal VALUES ('hut', 's', 7, '2026-11-29 12:00:00.123456+00:00', 90, 'ada', 'player.oil', CAST('{"to":3}' AS BLOB)), ('hut', 's', 8, '2026-11-29 12:00:01+00:00', 91, 'ada', 'player.oil', 'damaged')`,
		"PRAGMA user_version = 2"} {
		_, err = raw.Exec(q)
		require.NoError(t, err, q)
	}
	require.NoError(t, raw.Close())
	again := openAt(t, path)
	_, err = again.Versions(ctx, "hut")
	assert.NoError(t, err, "it was brought forward")
	list, err := again.Journal(ctx, "hut", "s", "", "", 9)
	require.NoError(t, err)
	far, _, err := again.Standing(ctx, "hut", "far", true, 0, 5)
	require.NoError(t, err)
	assert.Equal(t, []store.Place{{Place: 1, Player: "ada", Text: "9"}, {Place: 2, Player: "bob", Text: "5"}}, far)
	at := time.Date(2026, 11, 29, 12, 0, 0, 0, time.UTC)
	assert.Equal(t, []store.Entry{
		{Game: "hut", Session: "s", Number: 8, At: at.Add(time.Second), Time: 91, Player: "ada", Name: "player.oil", Doc: []byte("null")},
		{Game: "hut", Session: "s", Number: 7, At: at.Add(123 * time.Millisecond), Time: 90, Player: "ada", Name: "player.oil", Doc: []byte(`{"to":3}`)}}, list)
	again.Close()
	copied, err := sql.Open("sqlite3", path+".before-schema-11")
	require.NoError(t, err)
	defer copied.Close()
	var version int
	require.NoError(t, copied.QueryRow("PRAGMA user_version").Scan(&version))
	assert.Equal(t, 2, version)
}

func TestSealKeysAreMadeOnceAndAdded(t *testing.T) {
	s, _ := fresh(t)
	one, err := s.SealKeys(ctx)
	require.NoError(t, err)
	again, err := s.SealKeys(ctx)
	require.NoError(t, err)
	assert.Equal(t, one[0].Secret, again[0].Secret)
	two, err := s.NewSealKey(ctx)
	require.NoError(t, err)
	assert.Len(t, two, 2)
	assert.Equal(t, one[0].ID, two[0].ID)
}

func TestNothingIsWrittenOnceItIsClosed(t *testing.T) {
	s, _ := fresh(t)
	s.Close()
	s.Close()
	assert.ErrorIs(t, (<-s.Write(store.Cut{Game: "hut", Session: "one"})).Err, store.ErrClosed)
	_, err := s.PutPlan(ctx, store.Game{ID: "tent", Title: "Tent", Version: 1, Text: "x"}, "")
	assert.ErrorIs(t, err, store.ErrClosed)
}

// Whoever reads on while a player is deleted holds nobody up for long, and what was deleted is gone from the log when they are done.
func TestDeletingWaitsForThoseWhoRead(t *testing.T) {
	s, path := fresh(t)
	taken, err := s.Take(ctx, "hut", "UNIQUEPLAYER", 1)
	require.NoError(t, err)
	require.NoError(t, (<-s.Write(store.Cut{Game: "hut", Session: "s", Keep: 4, Players: []store.PlayerCut{{Player: "UNIQUEPLAYER", Slot: 1, Lease: taken.Lease, Moment: "leave", Doc: []byte(strings.Repeat("UNIQUEPLAYER ", 50))}}})).Err)
	reader, err := sql.Open("sqlite3", "file:"+path+"?mode=ro")
	require.NoError(t, err)
	defer func() { _ = reader.Close() }()
	reading, err := reader.Begin()
	require.NoError(t, err)
	var n int
	require.NoError(t, reading.QueryRow("SELECT COUNT(*) FROM saves").Scan(&n))
	deleted := make(chan error, 1)
	go func() { _, err := s.Forget(ctx, "hut", "UNIQUEPLAYER", false); deleted <- err }()
	for range 3 { // others write meanwhile
		_, err := s.Take(ctx, "hut", "bob", 1)
		require.NoError(t, err)
	}
	require.NoError(t, reading.Rollback())
	require.NoError(t, <-deleted)
	for _, end := range []string{"", "-wal"} {
		raw, err := os.ReadFile(path + end)
		require.NoError(t, err)
		assert.NotContains(t, string(raw), "UNIQUEPLAYER", end)
	}
}

// A name is found wherever it stands in a file, also across the parts in which the file is read.
func TestANameIsFoundInAFile(t *testing.T) {
	path := filepath.Join(t.TempDir(), "file")
	for _, at := range []int{0, 5, 1<<20 - 3, 1<<20 + 7, 3<<20 - 6} {
		raw := make([]byte, 3<<20)
		copy(raw[at:], "NAME-X")
		require.NoError(t, os.WriteFile(path, raw, 0o600))
		for name, want := range map[string]bool{"NAME-X": true, "NAME-Y": false, "N": true} {
			found, err := store.Holds(path, []byte(name))
			require.NoError(t, err)
			assert.Equal(t, want, found, "%s at %d", name, at)
		}
	}
	_, err := store.Holds(path+".none", []byte("x"))
	assert.Error(t, err)
}
