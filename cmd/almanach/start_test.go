package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestStart does what docs/start.md says: it writes its files and runs its commands.
// A row that is held is no mistake; a command that cannot be done is.
func TestStart(t *testing.T) {
	text, err := os.ReadFile("../../docs/start.md")
	require.NoError(t, err)
	program, err := os.Executable()
	require.NoError(t, err)
	dir := t.TempDir()
	bin := filepath.Join(dir, "almanach")
	require.NoError(t, os.Symlink(program, bin)) // the test binary is the program under that name
	work := filepath.Join(dir, "work")
	require.NoError(t, os.Mkdir(work, 0o755))
	named := regexp.MustCompile(`^# (\S+\.\w+)$`)
	word := regexp.MustCompile(`"[^"]*"|\S+`)
	commands := 0
	for block := range strings.SplitSeq(string(text), "\n\n") {
		var lines []string
		for line := range strings.SplitSeq(block, "\n") {
			if code, ok := strings.CutPrefix(line, "    "); ok {
				lines = append(lines, code)
			}
		}
		if len(lines) == 0 {
			continue
		}
		if m := named.FindStringSubmatch(lines[0]); m != nil {
			require.NoError(t, os.WriteFile(filepath.Join(work, m[1]), []byte(strings.Join(lines[1:], "\n")+"\n"), 0o644))
			continue
		}
		for _, line := range lines {
			args := word.FindAllString(line, -1)
			require.Equal(t, "almanach", args[0], line)
			for i := range args {
				args[i] = strings.Trim(args[i], `"`)
			}
			c := exec.Command(bin, args[1:]...)
			c.Dir = work
			c.Env = append(os.Environ(), "TZ=Europe/Lisbon")
			out, err := c.CombinedOutput()
			if err != nil {
				require.Equal(t, 1, c.ProcessState.ExitCode(), "%s\n%s", line, out)
			}
			if strings.Contains(line, "reconcile") {
				require.Contains(t, string(out), "source and calendar agree, line by line")
			}
			commands++
		}
	}
	require.Greater(t, commands, 10)
	require.FileExists(t, filepath.Join(work, "april.xlsx"))
}
