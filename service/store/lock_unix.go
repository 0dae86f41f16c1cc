//go:build unix

package store

import (
	"os"
	"os/signal"
	"syscall"
)

// lock keeps a second service away from a file. The system gives it back when the process ends, however it ends.
func lock(f *os.File) error { return syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) }

// linked says whether a file has several names.
func linked(info os.FileInfo) bool {
	stat, ok := info.Sys().(*syscall.Stat_t)
	return ok && stat.Nlink > 1
}

// bearLimits makes a limit on the size of files an error of the write that hits it, like a full disk, and not the end
// of the program.
func bearLimits() { signal.Ignore(syscall.SIGXFSZ) }
