package store

import (
	"errors"
	"fmt"
	"log/slog"
	"os"
	"slices"
	"sync"
)

// ErrLinked says that a file goes by several names. What was not yet written into it lies beside it under the name by
// which it was open, and would be missing under another.
var ErrLinked = errors.New("the file has several names (hard links): copy it to one of its own, and start on that")

// claims are the files that this process has open. A file is not even looked into twice: closing it would give back the
// locks of the database library, which the system keeps by process and not by opening (POSIX.1, fcntl).
var claims struct {
	sync.Mutex
	files []*os.File
}

// claim makes a file this store's own, whatever name it goes by, until release: the lock is on the file itself. A file
// that is not there is made. It holds the keys that seal saves, so that it is for its owner alone; what others may read
// of an older one is taken from them.
func claim(path string, log *slog.Logger) (*os.File, error) {
	claims.Lock()
	defer claims.Unlock()
	if info, err := os.Stat(path); err == nil {
		if info.IsDir() {
			return nil, fmt.Errorf("%s is a folder", path)
		}
		if info.Mode().Perm()&0o200 == 0 {
			return nil, fmt.Errorf("the file may not be written (its mode is %04o), so that nothing could be saved: permission denied", info.Mode().Perm())
		}
		if slices.ContainsFunc(claims.files, func(f *os.File) bool {
			other, err := f.Stat()
			return err == nil &&
				os.SameFile(info, other)
		}) {
			return nil, ErrInUse
		}
		if linked(info) {
			return nil, ErrLinked
		}
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := lock(f); err != nil {
		_ = f.Close()
		return nil, ErrInUse
	}
	for _, name := range []string{path, path + "-wal", path + "-shm"} {
		if info, err := os.Stat(name); err == nil && info.Mode().Perm()&0o007 != 0 {
			if err := os.Chmod(name, info.Mode().Perm()&^0o007); err != nil {
				log.Warn("others may read a file that holds the keys of seals", "file", name, "error", err)
			}
		}
	}
	claims.files = append(claims.files, f)
	return f, nil
}

// release gives a file back. The database library must have closed it before.
func release(f *os.File) {
	claims.Lock()
	defer claims.Unlock()
	claims.files = slices.DeleteFunc(claims.files, func(other *os.File) bool { return other == f })
	_ = f.Close()
}
