package store_test

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/service/store"
)

// filled is a file with many saves in it, closed.
func filled(t *testing.T) string {
	s, path := fresh(t)
	for i := range 60 {
		player := fmt.Sprintf("p%02d", i)
		taken, err := s.Take(ctx, "hut", player, 1)
		require.NoError(t, err)
		for range 3 {
			doc := make([]byte, 3000)
			copy(doc, player)
			cut := store.Cut{Game: "hut", Session: "one", Keep: 9, Players: []store.PlayerCut{{Player: player, Slot: 1, Lease: taken.Lease, Moment: "scene", Version: 1, Doc: doc}}}
			require.NoError(t, (<-s.Write(cut)).Err)
		}
	}
	s.Close()
	return path
}

func TestABackupIsWholeAlsoWhileTheFileIsInUse(t *testing.T) {
	path := filled(t)
	s := openAt(t, path)
	to := filepath.Join(t.TempDir(), "copy.db")
	require.NoError(t, store.Backup(ctx, path, to))
	assert.ErrorContains(t, store.Backup(ctx, path, to), "not overwritten")
	s.Close()
	d, err := store.Examine(ctx, to)
	require.NoError(t, err)
	assert.True(t, d.Whole(), "%+v", d.Troubles)
	assert.Equal(t, 180, d.Counts["saves"])
	_, err = store.Examine(ctx, filepath.Join(t.TempDir(), "none.db"))
	assert.ErrorContains(t, err, "there is no file")
}

func TestAWholeFileIsFoundWhole(t *testing.T) {
	d, err := store.Examine(ctx, filled(t))
	require.NoError(t, err)
	assert.True(t, d.Whole(), "%+v", d.Troubles)
}

func TestADamagedDocumentIsFoundAndTheOneBeforeStandsIn(t *testing.T) {
	path := filled(t)
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = raw.Exec("UPDATE saves SET doc = 'x' WHERE player = 'p07' AND revision = 3")
	require.NoError(t, err)
	require.NoError(t, raw.Close())
	d, err := store.Examine(ctx, path)
	require.NoError(t, err)
	require.Len(t, d.Troubles, 2)
	assert.Contains(t, d.Troubles[1].Detail, "revision 2 is the newest that is whole")
	to := filepath.Join(t.TempDir(), "rescued.db")
	_, err = store.Rescue(ctx, path, to)
	require.NoError(t, err)
	s := openAt(t, to)
	defer s.Close()
	saved, err := s.Peek(ctx, "hut", "p07", 1)
	require.NoError(t, err)
	assert.Equal(t, 2, saved.Revision)
}

func TestADamagedProfileIsFound(t *testing.T) {
	s, path := fresh(t)
	taken, err := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	cut := store.Cut{Game: "hut", Session: "one", Keep: 9, Players: []store.PlayerCut{{Player: "ada", Slot: 1, Lease: taken.Lease, Moment: "scene", Version: 1, Doc: []byte("{}"), Profile: []byte("{}")}}}
	require.NoError(t, (<-s.Write(cut)).Err)
	s.Close()
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = raw.Exec("UPDATE profiles SET doc = 'x'")
	require.NoError(t, err)
	require.NoError(t, raw.Close())
	d, err := store.Examine(ctx, path)
	require.NoError(t, err)
	require.Len(t, d.Troubles, 1)
	assert.Equal(t, "A document of profiles is damaged", d.Troubles[0].What)
	assert.Equal(t, 1, d.Counts["profiles"])
}

// Pages of the file are overwritten, one after another: whatever is hit, it is told, and everything else is rescued.
func TestDamagedPagesAreToldAndTheRestIsRescued(t *testing.T) {
	whole := filled(t)
	content, err := os.ReadFile(whole)
	require.NoError(t, err)
	const page = 4096
	told := 0
	for n := 1; n < len(content)/page; n += 9 {
		damaged := append([]byte{}, content...)
		for i := range page {
			damaged[n*page+i] = byte(i * 7)
		}
		path := filepath.Join(t.TempDir(), fmt.Sprintf("%d.db", n))
		require.NoError(t, os.WriteFile(path, damaged, 0o600))
		d, err := store.Examine(ctx, path)
		if err != nil {
			told++
			continue // it cannot be read at all, and says so
		}
		if !d.Whole() {
			told++
		}
		to := path + ".rescued"
		if _, err := store.Rescue(ctx, path, to); err != nil {
			continue
		}
		again, err := store.Examine(ctx, to)
		require.NoError(t, err)
		for _, x := range again.Troubles {
			assert.False(t, x.Saved && x.What == "A save is damaged", "page %d: %+v", n, x)
		}
		assert.Greater(t, again.Counts["saves"], 100, "page %d: %+v", n, d.Troubles)
	}
	assert.Positive(t, told)
}

// Whatever the schema has, a rescue brings along.
func TestEveryTableIsRescued(t *testing.T) {
	s, path := fresh(t)
	_, err := s.PutPlan(ctx, store.Game{ID: "tent", Title: "Tent", Version: 1, Text: "x"}, "")
	require.NoError(t, err)
	require.NoError(t, s.PutRehearsal(ctx, store.Rehearsal{Game: "tent", Name: "first", Title: "First", Text: "y"}))
	s.Close()
	to := path + ".rescued"
	d, err := store.Rescue(ctx, path, to)
	require.NoError(t, err)
	assert.True(t, d.Whole())
	again := openAt(t, to)
	defer again.Close()
	r, err := again.Rehearsal(ctx, "tent", "first")
	require.NoError(t, err)
	assert.Equal(t, "y", r.Text)

	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer raw.Close()
	rows, err := raw.Query("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'")
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		// A rescued file is in no order, since something of it may be lost; and standings are counted anew.
		if name != "ordering" && name != "heard" && name != "rank_counts" {
			assert.Contains(t, store.Tables(), name)
		}
	}
	require.NoError(t, rows.Err())
}

// A file that lost its end: what stands before is rescued.
func TestAFileThatLostItsEndIsRescued(t *testing.T) {
	path := filled(t)
	info, err := os.Stat(path)
	require.NoError(t, err)
	for _, lost := range []int64{1, 8192, 40_000} {
		cut := filepath.Join(t.TempDir(), "cut.db")
		content, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(cut, content[:info.Size()-lost], 0o600))
		d, err := store.Examine(ctx, cut)
		require.NoError(t, err)
		assert.Equal(t, "The file has lost its end", d.Troubles[0].What)
		after, err := os.Stat(cut)
		require.NoError(t, err)
		assert.Equal(t, info.Size()-lost, after.Size(), "the file itself stays as it is")
		to := cut + ".rescued"
		d, err = store.Rescue(ctx, cut, to)
		require.NoError(t, err)
		again, err := store.Examine(ctx, to)
		require.NoError(t, err)
		assert.True(t, again.Whole(), "%+v", again.Troubles)
		assert.Greater(t, again.Counts["saves"], 100)
		assert.Equal(t, d.Rescued["saves"], again.Counts["saves"])
	}
}

// A game's own row is lost: it is made anew of its plan, so that its saves are not lost with it.
func TestSavesOutliveTheRowOfTheirGame(t *testing.T) {
	path := filled(t)
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = raw.Exec("DELETE FROM games; DELETE FROM slots WHERE player = 'p03'")
	require.NoError(t, err)
	require.NoError(t, raw.Close())
	to := filepath.Join(t.TempDir(), "rescued.db")
	_, err = store.Rescue(ctx, path, to)
	require.NoError(t, err)
	again, err := store.Examine(ctx, to)
	require.NoError(t, err)
	assert.Equal(t, 1, again.Counts["games"])
	assert.Equal(t, 180, again.Counts["saves"])
	s := openAt(t, to)
	defer s.Close()
	saved, err := s.Peek(ctx, "hut", "p03", 1)
	require.NoError(t, err)
	assert.Equal(t, 3, saved.Revision)
}

func TestARescueThatIsStoppedLeavesNothing(t *testing.T) {
	path := filled(t)
	stopped, stop := context.WithCancel(ctx)
	stop()
	to := filepath.Join(t.TempDir(), "rescued.db")
	_, err := store.Rescue(stopped, path, to)
	require.ErrorIs(t, err, context.Canceled)
	_, err = os.Stat(to)
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestASchemaThatIsNoneIsToldAndNotOpened(t *testing.T) {
	path := filled(t)
	raw, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = raw.Exec("PRAGMA user_version = -1")
	require.NoError(t, err)
	require.NoError(t, raw.Close())
	_, err = store.Open(path, slog.New(slog.DiscardHandler))
	require.ErrorIs(t, err, store.ErrDamaged)
	d, err := store.Examine(ctx, path)
	require.NoError(t, err)
	assert.False(t, d.Whole())
}

func TestOnlySimulatedPlayersAreMarked(t *testing.T) {
	s, _ := fresh(t)
	_, err := s.Take(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	require.NoError(t, s.MarkSimulated(ctx, "hut", "ada"))
	require.NoError(t, s.MarkSimulated(ctx, "hut", "walker_1"))
	require.NoError(t, s.MarkSimulated(ctx, "hut", "walker_1"))
	marked, err := s.Simulated(ctx, "hut")
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{"walker_1": true}, marked, "who was there before is nobody's simulation")
}
