// Almanach takes events as they arrive, puts them into calendars without ever
// doubling one, takes date ranges back out, and proves that both sides agree.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"
	"time"

	"almanach/internal/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := cli.Run(ctx, cli.World{Args: os.Args[1:], Stdout: os.Stdout, Stderr: os.Stderr, Env: os.Environ(), Now: time.Now})
	stop()
	os.Exit(code)
}
