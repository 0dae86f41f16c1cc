//go:build unix

package store

import (
	"os"
	"os/signal"
	"syscall"
)

// lockFile keeps a second service away from the same file. The system gives the lock back when the
// process ends, however it ends.
func lockFile(path string) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o640)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		_ = f.Close()
		return nil, ErrInUse
	}
	return f, nil
}

// bearLimits makes a limit on the size of files an error of the write that hits it, like a full disk, and not the end of
// the program.
func bearLimits() { signal.Ignore(syscall.SIGXFSZ) }
