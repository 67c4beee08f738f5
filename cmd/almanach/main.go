// Almanach takes events as they arrive, puts them into calendars without ever
// doubling one, takes date ranges back out, and proves that both sides agree.
package main

import (
	"context"
	"os"
	"os/signal"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"strings"
	"syscall"
	"time"

	"almanach/internal/cli"
)

// memoryShare keeps the peak of memory near what is really in use, in percent: large
// files are held once, and their garbage is small.
const memoryShare = 30

// firstShare is what counts until the first collection: small work is done
// without any.
const firstShare = 400

// littleGarbage, in octets, is not worth a collection.
const littleGarbage = 12 << 20

// collect sets after how much garbage there is a collection, once after each.
func collect(share int) {
	runtime.AddCleanup(new([1]*byte), func(share int) {
		live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
		metrics.Read(live)
		next := memoryShare
		if n := live[0].Value.Uint64(); n > 0 {
			next = min(max(next, int(littleGarbage*100/n)), firstShare)
		}
		if next != share {
			debug.SetGCPercent(next)
		}
		collect(next)
	}, share)
}

// version is set by the linker in a release: -ldflags "-X main.version=1.2.0".
var version string

// release gives the version of this build: the one it was linked with, or what
// the Go tool knows of the checkout.
func release() string {
	if version != "" {
		return version
	}
	if info, ok := debug.ReadBuildInfo(); ok && strings.HasPrefix(info.Main.Version, "v") {
		return strings.TrimPrefix(info.Main.Version, "v")
	}
	return "unreleased"
}

func main() {
	debug.SetGCPercent(firstShare)
	collect(firstShare)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop) // a second one ends the program at once
	code := cli.Run(ctx, cli.World{Args: os.Args[1:], Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, Env: os.Environ(), Now: time.Now, Pid: os.Getpid(), Version: release()})
	stop()
	os.Exit(code)
}
