package main

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

var (
	speedRows = flag.String("speed", "", "time whole processes with so many rows, as in 10000,100000")
	speedRuns = flag.Int("speed-runs", 5, "pairs of runs of which the median counts")
	speedOnly = flag.String("speed-only", "", "only tasks whose name holds this")
	speedWith = flag.String("speed-with", "", "pair with another build of the program instead of with the least work")
)

// least does the work that a task cannot avoid: csv, zip and scan read a file, copy
// writes one anew and syncs it, rewrite puts that into the place of the old one.
func least() {
	if len(os.Args) == 5 && os.Args[1] == "lay" {
		n, err := strconv.Atoi(os.Args[4])
		must(err)
		lay(os.Args[2], os.Args[3], n)
		return
	}
	for i := 1; i+1 < len(os.Args); i += 2 {
		must(map[string]func(string) error{"csv": leastCSV, "zip": leastZip, "scan": leastScan, "copy": leastCopy, "rewrite": leastRewrite}[os.Args[i]](os.Args[i+1]))
	}
}

func must(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func leastCSV(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	r := csv.NewReader(f)
	r.ReuseRecord = true
	for {
		if _, err := r.Read(); err == io.EOF {
			return nil
		} else if err != nil {
			return err
		}
	}
}

// leastZip inflates the first sheet and looks at each tag.
func leastZip(path string) error {
	z, err := zip.OpenReader(path)
	if err != nil {
		return err
	}
	defer z.Close()
	f, err := z.Open("xl/worksheets/sheet1.xml")
	if err != nil {
		return err
	}
	r, tags := bufio.NewReaderSize(f, 1<<16), 0
	for {
		if _, err = r.ReadSlice('<'); err == nil {
			tags++
		} else if err != bufio.ErrBufferFull {
			break
		}
	}
	if err == io.EOF && tags > 0 {
		return nil
	}
	return errors.Join(err, errors.New("no tag"))
}

// leastScan unfolds each line and indexes the UIDs.
func leastScan(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	index := map[string]int{}
	s := bufio.NewScanner(f)
	var line []byte
	at := 0
	for s.Scan() {
		text := s.Bytes()
		at += len(text) + 2
		if len(text) > 0 && (text[0] == ' ' || text[0] == '\t') {
			line = append(line, text[1:]...)
			continue
		}
		if uid, ok := bytes.CutPrefix(line, []byte("UID:")); ok {
			index[string(uid)] = at
		}
		line = append(line[:0], text...)
	}
	return s.Err()
}

func leastCopy(path string) error {
	in, err := os.Open(path)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(path + ".copy")
	if err == nil {
		_, err = io.Copy(struct{ io.Writer }{out}, bufio.NewReaderSize(in, 1<<16)) // through memory, as one who makes it would
	}
	return errors.Join(err, out.Sync(), out.Close())
}

func leastRewrite(path string) error {
	return errors.Join(leastCopy(path), os.Rename(path+".copy", path))
}

// speedTask is a run of the program and the least work that it is measured against.
type speedTask struct {
	name   string
	args   []string
	before func()   // puts the files back
	least  []string // nil for a process that does nothing
	exit   int
}

// cost is what a process took.
type cost struct{ wall, cpu, memory float64 }

// TestSpeed times whole processes in pairs, each beside the least work that its task
// cannot avoid, and writes the ratios into docs/performance.md. It runs when asked:
// scripts/speed.
func TestSpeed(t *testing.T) {
	if *speedRows == "" {
		t.Skip("asked for with -speed")
	}
	dir := t.TempDir()
	bin, other := filepath.Join(dir, "program"), filepath.Join(dir, "least")
	build := exec.Command("go", "build", "-trimpath", "-o", bin, ".")
	build.Env = append(os.Environ(), "CGO_ENABLED=0") // as it is released
	out, err := build.CombinedOutput()
	require.NoError(t, err, "%s", out)
	self, err := os.Executable()
	require.NoError(t, err)
	require.NoError(t, os.Symlink(self, other))
	sizes := strings.Split(*speedRows, ",")
	var names []string
	figures := map[string][]string{}
	for _, size := range sizes {
		n, err := strconv.Atoi(size)
		require.NoError(t, err)
		work := filepath.Join(dir, size)
		made, err := exec.Command(other, "lay", work, bin, size).CombinedOutput()
		require.NoError(t, err, "%s", made)
		for _, task := range speedTasks(t, work, bin, n) {
			if !strings.Contains(task.name, *speedOnly) {
				continue
			}
			var mine, its []cost
			for range *speedRuns {
				task.before()
				mine = append(mine, timed(t, work, bin, task.exit, task.args))
				switch {
				case *speedWith != "":
					task.before()
					its = append(its, timed(t, work, *speedWith, task.exit, task.args))
				case task.least == nil:
					its = append(its, timed(t, work, "true", 0, nil))
				default:
					its = append(its, timed(t, work, other, 0, task.least))
				}
			}
			wall := median(mine, func(c cost) float64 { return c.wall }) / median(its, func(c cost) float64 { return c.wall })
			cpu := median(mine, func(c cost) float64 { return c.cpu }) / median(its, func(c cost) float64 { return c.cpu })
			memory := median(mine, func(c cost) float64 { return c.memory }) / median(its, func(c cost) float64 { return c.memory })
			figure := fmt.Sprintf("%.1f / %.1f / %.1f", wall, cpu, memory)
			t.Logf("%-28s %8s  %.2f / %.2f / %.2f  %.2f s, %.0f MB", task.name, size, wall, cpu, memory, median(mine, func(c cost) float64 { return c.wall }), median(mine, func(c cost) float64 { return c.memory })/1024)
			if figures[task.name] == nil {
				names = append(names, task.name)
			}
			figures[task.name] = append(figures[task.name], figure)
		}
	}
	if *speedOnly != "" || *speedWith != "" {
		return
	}
	var table strings.Builder
	fmt.Fprintf(&table, "| task | %s rows |\n|---%s|\n", strings.Join(sizes, " rows | "), strings.Repeat("|---", len(sizes)))
	for _, name := range names {
		for len(figures[name]) < len(sizes) {
			figures[name] = append(figures[name], "–")
		}
		fmt.Fprintf(&table, "| %s | %s |\n", name, strings.Join(figures[name], " | "))
	}
	const page = "../../docs/performance.md"
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	whole := regexp.MustCompile(`(?s)(<!-- speed -->\n).*?(<!-- end -->)`)
	require.True(t, whole.Match(text))
	require.NoError(t, os.WriteFile(page, whole.ReplaceAll(text, []byte("${1}"+table.String()+"${2}")), 0o644))
}

func median(costs []cost, of func(cost) float64) float64 {
	list := make([]float64, len(costs))
	for i, c := range costs {
		list[i] = of(c)
	}
	slices.Sort(list)
	return list[len(list)/2]
}

func timed(t *testing.T, dir, bin string, exit int, args []string) cost {
	t.Helper()
	c := exec.Command(bin, args...)
	c.Dir = dir
	c.Env = append(os.Environ(), "TZ=Europe/Lisbon")
	var problems bytes.Buffer
	c.Stderr = &problems
	began := time.Now()
	err := c.Run()
	wall := time.Since(began).Seconds()
	require.Equal(t, exit, c.ProcessState.ExitCode(), "%v %v %s", args, err, problems.String())
	memory := 0.0
	if usage, ok := c.ProcessState.SysUsage().(*syscall.Rusage); ok {
		memory = float64(usage.Maxrss)
	}
	return cost{wall, (c.ProcessState.UserTime() + c.ProcessState.SystemTime()).Seconds(), memory}
}

// lay makes the sources and the calendars of so many rows in a folder. It is a process
// of its own, so that the one that measures stays small: a child counts its parent's
// memory as its own.
func lay(dir, bin string, n int) {
	must(os.MkdirAll(filepath.Join(dir, "intakes"), 0o755))
	write := func(name, text string) { must(os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644)) }
	write("almanach.yaml", "zone: Europe/Lisbon\ncalendars:\n  berths: { file: berths.ics }\n  sheets: { file: sheets.ics }\n  small: { file: small.ics }\n")
	for name, into := range map[string]string{"calls.csv": "berths", "calls.xlsx": "sheets", "small.csv": "small"} {
		write(filepath.Join("intakes", into+".yaml"), "from: { file: "+name+" }\nkey: Booking no\ninto: "+into+"\nevent:\n  title: \"{Vessel} at berth {Berth}\"\n  start: \"{Arrival} {ETA}\"\n  end: \"{Departure} {ETD}\"\n  location: \"Berth {Berth}\"\n  description: \"{Remarks}\"\n")
	}
	header := []string{"Booking no", "Vessel", "Berth", "Arrival", "ETA", "Departure", "ETD", "Agent", "Remarks"}
	row := func(i int, moved bool) []string {
		at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, i%1000).Format("02/01/2006")
		minute := i % 60
		if moved && i%100 == 7 {
			minute = (minute + 5) % 60
		}
		return []string{fmt.Sprintf("TH-%07d", i), fmt.Sprintf("Vessel number %d", i%977), strconv.Itoa(i % 9), at, fmt.Sprintf("%02d:%02d", i%12, minute), at, fmt.Sprintf("%02d:30", 13+i%10), fmt.Sprintf("Agent %d", i%31), fmt.Sprintf("Remarks on call %d, as sent", i)}
	}
	csvFile := func(name string, n int, moved bool) {
		var b bytes.Buffer
		w := csv.NewWriter(&b)
		must(w.Write(header))
		for i := range n {
			must(w.Write(row(i, moved)))
		}
		w.Flush()
		write(name, b.String())
	}
	csvFile("calls.csv", n, false)
	csvFile("second.csv", n, true)
	csvFile("small.csv", 20, false)
	f := excelize.NewFile()
	s, err := f.NewStreamWriter("Sheet1")
	must(err)
	for i := -1; i < n; i++ {
		cells := header
		if i >= 0 {
			cells = row(i, false)
		}
		values := make([]any, len(cells))
		for c := range cells {
			values[c] = cells[c]
		}
		must(s.SetRow("A"+strconv.Itoa(i+2), values))
	}
	must(s.Flush())
	must(f.SaveAs(filepath.Join(dir, "calls.xlsx")))
	var series strings.Builder
	series.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n")
	for i := range n / 50 {
		fmt.Fprintf(&series, "BEGIN:VEVENT\r\nUID:s%d\r\nDTSTAMP:20260101T000000Z\r\nDTSTART;TZID=Europe/Lisbon:202601%02dT%02d1500\r\nDTEND;TZID=Europe/Lisbon:202601%02dT%02d5500\r\nRRULE:FREQ=%s;UNTIL=20261231T235959Z\r\nSUMMARY:Ferry %d\r\nEND:VEVENT\r\n", i, 1+i%9, i%10, 1+i%9, i%10, []string{"DAILY", "WEEKLY", "WEEKLY", "WEEKLY"}[i%4], i)
	}
	series.WriteString("END:VCALENDAR\r\n")
	write("series.ics", series.String())
	for _, name := range []string{"berths", "sheets", "small"} {
		c := exec.Command(bin, "load", name, "--now", speedNow, "--desk", dir)
		c.Stderr = os.Stderr
		must(c.Run())
		must(os.Rename(filepath.Join(dir, name+".ics"), filepath.Join(dir, name+".kept")))
	}
}

const speedNow = "2026-01-01T08:00"

// speedTasks are the tasks of so many rows.
func speedTasks(t *testing.T, dir, bin string, n int) []speedTask {
	gone := func() { // no calendar of another task is left either: a load looks through all of a desk
		for _, name := range []string{"berths", "sheets", "small"} {
			os.Remove(filepath.Join(dir, name+".ics"))
		}
		os.RemoveAll(filepath.Join(dir, ".almanach"))
	}
	back := func(name string) func() {
		kept := filepath.Join(dir, name+".kept")
		return func() {
			gone()
			must(leastCopy(kept))
			must(os.Rename(kept+".copy", filepath.Join(dir, name+".ics")))
		}
	}
	now := []string{"--now", speedNow}
	load := func(args ...string) []string { return append(append([]string{"load"}, args...), now...) }
	loaded := func(name string) func() { // the desk as its first load leaves it, and then as the next ones do
		ready := false
		return func() {
			if !ready {
				gone()
				timed(t, dir, bin, 0, load(name)) // asked for in the same words and place
				ready = true
			}
		}
	}
	month := []string{"--from", "2026-06-01", "--to", "2026-06-30"}
	tasks := []speedTask{
		{name: "first load, csv", args: load("berths"), before: gone, least: []string{"csv", "calls.csv", "copy", "berths.kept", "scan", "berths.kept"}},
		{name: "first load, xlsx", args: load("sheets"), before: gone, least: []string{"zip", "calls.xlsx", "copy", "sheets.kept", "scan", "sheets.kept"}},
		{name: "unchanged load, csv", args: load("berths"), before: loaded("berths"), least: []string{"csv", "calls.csv", "scan", "berths.kept"}},
		{name: "unchanged load, xlsx", args: load("sheets"), before: loaded("sheets"), least: []string{"zip", "calls.xlsx", "scan", "sheets.kept"}},
		{name: "unchanged, logbook lost, csv", args: load("berths"), before: back("berths"), least: []string{"csv", "calls.csv", "scan", "berths.kept"}},
		{name: "unchanged, logbook lost, xlsx", args: load("sheets"), before: back("sheets"), least: []string{"zip", "calls.xlsx", "scan", "sheets.kept"}},
		{name: "second day, 1 % changed, csv", args: load("berths", "--file", "second.csv"), before: back("berths"), least: []string{"csv", "second.csv", "scan", "berths.kept", "rewrite", "berths.ics"}},
		{name: "reconcile a month, csv", args: append(append([]string{"reconcile", "berths"}, month...), now...), before: back("berths"), least: []string{"csv", "calls.csv", "scan", "berths.kept"}},
		{name: "extract a month of rows/50 series", args: append(append([]string{"extract", "series.ics", "--as", "csv"}, month...), now...), before: func() {}, least: []string{"scan", "series.ics"}},
	}
	if n <= 10_000 {
		tasks = append(tasks,
			speedTask{name: "help", args: []string{"--help"}, before: func() {}},
			speedTask{name: "preview of 20 rows", args: append([]string{"preview", "small"}, now...), before: back("small")})
	}
	return tasks
}
