//go:build unix

package app

import "syscall"

// makePrivate has files that this process makes from now on readable by its user
// alone.
func makePrivate() { syscall.Umask(0o077) }
