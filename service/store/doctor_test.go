package store_test

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/service/store"
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
	require.NoError(t, store.Backup(path, to))
	assert.ErrorContains(t, store.Backup(path, to), "not overwritten")
	s.Close()
	d, err := store.Examine(to)
	require.NoError(t, err)
	assert.True(t, d.Whole(), "%+v", d.Troubles)
	assert.Equal(t, 180, d.Counts["saves"])
	_, err = store.Examine(filepath.Join(t.TempDir(), "none.db"))
	assert.ErrorContains(t, err, "there is no file")
}

func TestAWholeFileIsFoundWhole(t *testing.T) {
	d, err := store.Examine(filled(t))
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
	d, err := store.Examine(path)
	require.NoError(t, err)
	require.Len(t, d.Troubles, 2)
	assert.Contains(t, d.Troubles[1].Detail, "revision 2 is the newest that is whole")
	to := filepath.Join(t.TempDir(), "rescued.db")
	_, err = store.Rescue(path, to)
	require.NoError(t, err)
	s := openAt(t, to)
	defer s.Close()
	saved, err := s.Peek(ctx, "hut", "p07", 1)
	require.NoError(t, err)
	assert.Equal(t, 2, saved.Revision)
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
		d, err := store.Examine(path)
		if err != nil {
			told++
			continue // it cannot be read at all, and says so
		}
		if !d.Whole() {
			told++
		}
		to := path + ".rescued"
		if _, err := store.Rescue(path, to); err != nil {
			continue
		}
		again, err := store.Examine(to)
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
	d, err := store.Rescue(path, to)
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
		assert.Contains(t, store.Tables(), name)
	}
	require.NoError(t, rows.Err())
}
