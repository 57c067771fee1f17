//go:build race

package e2e

import "os"

// The program that tests start watches for races where they do. It need not wait a
// second at its end, as such programs do for what still runs.
func init() {
	buildFlags = []string{"-race", "-gcflags=modernc.org/sqlite/lib=-race=false"} // as in the Makefile
	if err := os.Setenv("GORACE", "atexit_sleep_ms=0"); err != nil {
		panic(err)
	}
}
