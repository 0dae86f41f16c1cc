//go:build !unix

package store

import "os"

// lockFile only marks the file here: this system's locks are not supported.
func lockFile(path string) (*os.File, error) {
	return os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o640)
}

// bearLimits does nothing here.
func bearLimits() {}
