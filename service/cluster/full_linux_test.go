package cluster_test

import "golang.org/x/sys/unix"

// canBeFull says whether a node's files can be kept from growing here.
const canBeFull = true

// full keeps all files of a process from growing, as a full disk does, or lets them grow again.
func full(pid int, is bool) error {
	limit := unix.Rlimit{Cur: unix.RLIM_INFINITY, Max: unix.RLIM_INFINITY}
	if is {
		limit.Cur = 4096
	}
	return unix.Prlimit(pid, unix.RLIMIT_FSIZE, &limit, nil)
}
