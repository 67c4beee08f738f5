// Almanach takes events as they arrive, puts them into calendars without ever
// doubling one, takes date ranges back out, and proves that both sides agree.
package main

import (
	"context"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"
	"time"

	"almanach/internal/cli"
)

// memoryShare keeps the peak of memory near what is really in use: large
// files are held once, and their garbage is small.
const memoryShare = 50

func main() {
	debug.SetGCPercent(memoryShare)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop) // a second one ends the program at once
	code := cli.Run(ctx, cli.World{Args: os.Args[1:], Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, Env: os.Environ(), Now: time.Now, Pid: os.Getpid()})
	stop()
	os.Exit(code)
}
