// The command rapidmimic is the service and its client in one binary.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"rapidmimic/internal/app"
	"rapidmimic/internal/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	program := cli.Program{Serve: app.Run, Version: app.Version, In: os.Stdin, Out: os.Stdout, Err: os.Stderr}
	os.Exit(program.Run(ctx, os.Args))
}
