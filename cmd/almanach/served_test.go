package main

import (
	"bufio"
	"os"
	"os/exec"
	"strings"

	"github.com/rogpeppe/go-internal/testscript"
)

// served ARGS… starts the program's own server on a free port, until the script
// ends, and sets SERVER to its address.
func served(ts *testscript.TestScript, _ bool, args []string) {
	self, err := os.Executable()
	ts.Check(err)
	c := exec.Command(self, append([]string{"serve", "--listen", "127.0.0.1:0"}, args...)...)
	c.Args[0] = "almanach"
	c.Dir = ts.MkAbs(".")
	c.Env = append(os.Environ(), "TIDE=tide")
	out, err := c.StdoutPipe()
	ts.Check(err)
	ts.Check(c.Start())
	ts.Defer(func() { _ = c.Process.Kill(); _ = c.Wait() })
	line, err := bufio.NewReader(out).ReadString('\n')
	ts.Check(err)
	address, ok := strings.CutPrefix(strings.TrimSpace(line), "serving at ")
	if !ok {
		ts.Fatalf("it says %q", line)
	}
	ts.Setenv("SERVER", strings.TrimSuffix(address, "/calendars/"))
	ts.Setenv("TIDE", "tide")
}
