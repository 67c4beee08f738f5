package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/cli"
)

// TestAllocations counts what a row costs, in objects and in bytes, which says more of
// the speed than a clock on a busy machine. A figure that grows by a tenth fails; one
// that shrinks is to be written down here.
func TestAllocations(t *testing.T) {
	const rows = 10_000
	program, err := os.Executable()
	require.NoError(t, err)
	bin := filepath.Join(t.TempDir(), "almanach")
	require.NoError(t, os.Symlink(program, bin))
	dir := t.TempDir()
	lay(dir, bin, rows)
	t.Chdir(dir)
	run := func(args ...string) (objects, bytes float64) {
		t.Helper()
		var before, after runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&before)
		code := cli.Run(context.Background(), cli.World{Args: args, Stdout: io.Discard, Stderr: os.Stderr, Env: []string{"TZ=Europe/Lisbon"}, Now: time.Now, Pid: 1})
		runtime.ReadMemStats(&after)
		require.Zero(t, code, args)
		return float64(after.Mallocs-before.Mallocs) / rows, float64(after.TotalAlloc-before.TotalAlloc) / rows
	}
	require.NoError(t, os.Rename("berths.kept", "berths.ics"))
	require.NoError(t, os.RemoveAll(".almanach"))
	for _, c := range []struct {
		args           []string
		objects, bytes float64 // a row
	}{
		{[]string{"load", "berths", "--now", speedNow}, 5.6, 2310},
		{[]string{"load", "sheets", "--now", speedNow}, 9.6, 4272},
		{[]string{"load", "berths", "--file", "second.csv", "--now", speedNow}, 6.5, 2786},
		{[]string{"reconcile", "berths", "--file", "second.csv", "--from", "2026-06-01", "--to", "2026-06-30", "--now", speedNow}, 6.1, 2307},
		{[]string{"load", "berths", "--into", "empty.ics", "--now", speedNow}, 9.6, 3940},
	} {
		objects, bytes := run(c.args...)
		what := fmt.Sprintf("%v: %.1f objects and %.0f bytes a row", c.args, objects, bytes)
		assert.Less(t, objects, c.objects*1.1, what)
		assert.Less(t, bytes, c.bytes*1.1, what)
	}
}
