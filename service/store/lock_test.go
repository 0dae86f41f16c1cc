package store_test

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/service/store"
)

// The lock is on the file, by whatever name it is opened.
func TestAFileIsOpenOnce(t *testing.T) {
	_, path := fresh(t)
	dir := filepath.Dir(path)
	require.NoError(t, os.Symlink(path, filepath.Join(dir, "link.db")))
	require.NoError(t, os.Link(path, filepath.Join(dir, "hard.db")))
	for _, name := range []string{"a.db", "link.db", "hard.db", "../" + filepath.Base(dir) + "/a.db"} {
		_, err := store.Open(filepath.Join(dir, name), slog.New(slog.DiscardHandler))
		assert.ErrorIs(t, err, store.ErrInUse, name)
	}
	// Another process finds the file itself locked.
	f, err := os.Open(filepath.Join(dir, "hard.db"))
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	assert.ErrorIs(t, syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB), syscall.EWOULDBLOCK)
}

func TestAFileOfSeveralNamesIsNotOpened(t *testing.T) {
	s, path := fresh(t)
	s.Close()
	require.NoError(t, os.Link(path, path+".two"))
	_, err := store.Open(path, slog.New(slog.DiscardHandler))
	assert.ErrorIs(t, err, store.ErrLinked)
	require.NoError(t, os.Remove(path+".two"))
	openAt(t, path)
}

func TestFilesAreForTheirOwnerAlone(t *testing.T) {
	s, path := fresh(t)
	mode := func(name string) os.FileMode {
		info, err := os.Stat(name)
		require.NoError(t, err)
		return info.Mode().Perm()
	}
	for _, end := range []string{"", "-wal", "-shm"} {
		assert.Equal(t, os.FileMode(0o600), mode(path+end), end)
	}
	require.NoError(t, store.Backup(ctx, path, path+".copy"))
	assert.Equal(t, os.FileMode(0o600), mode(path+".copy"))
	s.Close()
	require.NoError(t, os.Chmod(path, 0o644))
	openAt(t, path).Close()
	assert.Equal(t, os.FileMode(0o640), mode(path), "others lose what they had")
	require.NoError(t, os.Chmod(path, 0o444))
	_, err := store.Open(path, slog.New(slog.DiscardHandler))
	assert.ErrorContains(t, err, "may not be written")
}

func TestABackupThatIsStoppedLeavesNothing(t *testing.T) {
	_, path := fresh(t)
	stopped, cancel := context.WithCancel(ctx)
	cancel()
	to := filepath.Join(t.TempDir(), "copy.db")
	assert.Error(t, store.Backup(stopped, path, to))
	left, err := os.ReadDir(filepath.Dir(to))
	require.NoError(t, err)
	assert.Empty(t, left)
}
