package cli

import (
	"fmt"
	"os"
	"time"

	"golang.org/x/term"
)

// How often a terminal is told that something takes its time, and from when on.
const (
	progressAfter = time.Second
	progressEvery = 500 * time.Millisecond
)

// working tells a terminal, and nobody else, that something takes its time, until done is
// called, which takes the line away.
func (p Program) working(what string) (done func()) {
	file, ok := p.Err.(*os.File)
	if !ok || !term.IsTerminal(int(file.Fd())) {
		return func() {}
	}
	ended, cleared := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(cleared)
		began, shown := time.Now(), false
		wait := time.NewTimer(progressAfter)
		defer wait.Stop()
		for {
			select {
			case <-ended:
				if shown {
					fmt.Fprint(file, "\r\x1b[K")
				}
				return
			case <-wait.C:
				shown = true
				fmt.Fprintf(file, "\r\x1b[K%s … %.0f s", harmless(what), time.Since(began).Seconds())
				wait.Reset(progressEvery)
			}
		}
	}()
	return func() {
		close(ended)
		<-cleared
	}
}
