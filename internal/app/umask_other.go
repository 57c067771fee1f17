//go:build !unix

package app

// makePrivate has nothing to do where files have no modes.
func makePrivate() {}
