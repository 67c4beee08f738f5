package main

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
)

// battered DESK ROWS TIMES loads a sheet of which half the rows go to another
// calendar every time, kills that load at a random moment, loads once more, and
// wants every event to stand once.
func battered(ts *testscript.TestScript, _ bool, args []string) {
	rows, err := strconv.Atoi(args[1])
	ts.Check(err)
	times, err := strconv.Atoi(args[2])
	ts.Check(err)
	desk := ts.MkAbs(args[0])
	self, err := os.Executable()
	ts.Check(err)
	load := func(more ...string) *exec.Cmd {
		c := exec.Command(self, append([]string{"load", "calls", "--desk", desk, "--now", "2026-03-02T08:00"}, more...)...)
		c.Args[0] = "almanach"
		c.Env = append(os.Environ(), "TZ=Europe/Lisbon")
		return c
	}
	sheet := func(turn int) {
		var b strings.Builder
		b.WriteString("No,Name,Day,Time,Quay\n")
		for i := range rows {
			quay := []string{"north", "south"}[(i%2*turn+i/2)%2]
			fmt.Fprintf(&b, "TH-%05d,Call %d of turn %d,2026-04-%02d,%02d:00,%s\n", i, i, turn*(i%3/2), 1+i%28, i%24, quay)
		}
		ts.Check(os.WriteFile(desk+"/calls.csv", []byte(b.String()), 0o600))
	}
	sheet(0)
	began := time.Now()
	out, err := load().CombinedOutput()
	if err != nil {
		ts.Fatalf("%v\n%s", err, out)
	}
	took := time.Since(began)
	r := rand.New(rand.NewPCG(1, uint64(times)))
	killed := 0
	for n := 1; n <= times; n++ {
		sheet(n % 2)
		allow := []string{"--allow", "moved=" + strconv.Itoa(rows/2)}
		c := load(allow...)
		ts.Check(c.Start())
		timer := time.AfterFunc(after(r, n, took), func() { _ = c.Process.Kill() })
		if c.Wait() != nil {
			killed++
		}
		timer.Stop()
		began = time.Now()
		for _, more := range [][]string{allow, {}} { // what is left to be moved may be fewer
			out, err = load(append(more, "--json")...).CombinedOutput()
			if err == nil {
				took = max(took, time.Since(began))
				break
			}
			var report struct {
				Guards []struct {
					Allow string `json:"allow"`
					Count int    `json:"count"`
				} `json:"guards"`
			}
			_ = json.Unmarshal(out[:max(0, strings.LastIndex(string(out), "}")+1)], &report)
			for _, g := range report.Guards {
				out, err = load("--allow", g.Allow+"="+strconv.Itoa(g.Count)).CombinedOutput()
			}
			if err == nil {
				break
			}
		}
		if err != nil {
			ts.Fatalf("the load after kill %d: %v\n%.2000s", n, err, out)
		}
		seen := map[string]string{}
		for _, quay := range []string{"north", "south"} {
			data, err := os.ReadFile(desk + "/" + quay + ".ics")
			ts.Check(err)
			for line := range strings.Lines(string(data)) {
				key, ok := strings.CutPrefix(strings.TrimSpace(line), "X-ALMANACH-KEY:")
				if !ok {
					continue
				}
				if seen[key] != "" {
					ts.Fatalf("after kill %d, %s stands in %s and in %s", n, key, seen[key], quay)
				}
				seen[key] = quay
			}
		}
		for i := range rows {
			key, want := fmt.Sprintf("TH-%05d", i), []string{"north", "south"}[(i%2*(n%2)+i/2)%2]
			if seen[key] != want {
				ts.Fatalf("after kill %d, %s stands in %q and not in %s", n, key, seen[key], want)
			}
		}
		out, err = load().CombinedOutput()
		if err != nil || !strings.Contains(string(out), "nothing had to be written") {
			ts.Fatalf("after kill %d, a second load: %v\n%.2000s", n, err, out)
		}
	}
	if killed < times/3 {
		ts.Fatalf("only %d of %d loads were killed in time", killed, times)
	}
}

// after gives when to kill a load that takes so long: at any time, and every
// other time while it writes.
func after(r *rand.Rand, n int, took time.Duration) time.Duration {
	if n%2 == 0 {
		return time.Duration(r.Int64N(int64(took)))
	}
	return took*4/10 + time.Duration(r.Int64N(int64(took)*6/10))
}
