// The command rapidmimic is the service and its client in one binary.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"rapidmimic.example/internal/app"
	"rapidmimic.example/internal/cli"
	"rapidmimic.example/internal/scripts"
)

func main() {
	scripts.WorkIfAsked()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	go endAtOnce(ctx)
	program := cli.Program{Serve: app.Run, RecoverToken: app.RecoverToken, Restore: app.Restore, Version: app.Version, In: os.Stdin, Out: os.Stdout, Err: os.Stderr}
	os.Exit(program.Run(ctx, os.Args))
}

// endAtOnce ends the process at the second signal, whatever hangs. What was answered
// in the last moment may then be missing in the log, which knows that.
func endAtOnce(ctx context.Context) {
	<-ctx.Done()
	again := make(chan os.Signal, 1)
	signal.Notify(again, os.Interrupt, syscall.SIGTERM)
	<-again
	fmt.Fprintln(os.Stderr, "rapidmimic: stopped at once: calls of the last moment may not be in the log")
	os.Exit(1)
}
