//go:build !unix

package store

import "os"

// lock does nothing here: this system's locks are not supported.
func lock(*os.File) error { return nil }

// linked is not known here.
func linked(os.FileInfo) bool { return false }

// bearLimits does nothing here.
func bearLimits() {}
