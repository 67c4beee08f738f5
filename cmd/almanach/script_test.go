package main

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/jsonschema-go/jsonschema"
	"github.com/rogpeppe/go-internal/testscript"
	"github.com/xuri/excelize/v2"

	"almanach/demo"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
)

func TestMain(m *testing.M) {
	testscript.Main(m, map[string]func(){"almanach": main, "least": least})
}

// TestScripts runs the built program on files in a folder of its own. Each
// script begins with the demo's desk in desk/ and what arrives later in later/.
func TestScripts(t *testing.T) {
	testscript.Run(t, testscript.Params{
		Dir:                 "testdata/script",
		UpdateScripts:       os.Getenv("ALMANACH_UPDATE") != "",
		RequireExplicitExec: true,
		Setup: func(env *testscript.Env) error {
			env.Setenv("TZ", "Europe/Lisbon")
			env.Setenv("NOW", demo.Now)
			return fs.WalkDir(demo.Desk, ".", func(path string, d fs.DirEntry, err error) error {
				target := filepath.Join(env.WorkDir, filepath.FromSlash(path))
				if err != nil || d.IsDir() {
					return os.MkdirAll(target, 0o755)
				}
				data, err := demo.Desk.ReadFile(path)
				if err != nil {
					return err
				}
				return os.WriteFile(target, data, 0o644)
			})
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
			"run": run, "edit": edit, "sub": sub, "rows": rows, "mtime": mtime, "killed": killed, "battered": battered, "served": served, "json": compactJSON, "shape": shape, "bytes": writeBytes, "bombs": bombs, "interrupted": interrupted, "workbook": workbook,
		},
	})
}

// run CODE ARGS… runs the program and wants it to end with CODE.
func run(ts *testscript.TestScript, _ bool, args []string) {
	err := ts.Exec("almanach", args[1:]...)
	code := 0
	if exit, ok := err.(*exec.ExitError); ok {
		code = exit.ExitCode()
	} else if err != nil {
		ts.Fatalf("%v", err)
	}
	if want, _ := strconv.Atoi(args[0]); code != want {
		ts.Fatalf("almanach %s: exit code %d, want %d", strings.Join(args[1:], " "), code, want)
	}
}

// workbook FILE CSV… makes a workbook with a sheet of each file.
func workbook(ts *testscript.TestScript, _ bool, args []string) {
	f := excelize.NewFile()
	for n, name := range args[1:] {
		sheet := strings.TrimSuffix(name, ".csv")
		if n == 0 {
			ts.Check(f.SetSheetName("Sheet1", sheet))
		} else {
			_, err := f.NewSheet(sheet)
			ts.Check(err)
		}
		rows, err := csv.NewReader(strings.NewReader(ts.ReadFile(name))).ReadAll()
		ts.Check(err)
		for i, row := range rows {
			at, err := excelize.CoordinatesToCellName(1, i+1)
			ts.Check(err)
			ts.Check(f.SetSheetRow(sheet, at, &row))
		}
	}
	ts.Check(f.SaveAs(ts.MkAbs(args[0])))
}

// edit FILE KEY PROPERTY VALUE does what someone does in a calendar program: it
// changes a property of the event of a key; DELETE instead of a property takes
// the event away.
func edit(ts *testscript.TestScript, _ bool, args []string) {
	path := ts.MkAbs(args[0])
	data, err := os.ReadFile(path)
	ts.Check(err)
	var out bytes.Buffer
	met := false
	for r := ical.NewBytesReader(data); ; {
		p, err := r.Next()
		if err != nil {
			break
		}
		if _, key := event.Marks(p.Raw); p.Name == "VEVENT" && key == args[1] {
			met = true
			if args[2] == "DELETE" {
				continue
			}
			c := ical.Open(p.Raw)
			c.Set(args[2], nil, nil, args[3])
			p.Raw = c.Bytes()
		}
		out.Write(p.Raw)
	}
	if !met {
		ts.Fatalf("no event of key %s in %s", args[1], args[0])
	}
	ts.Check(os.WriteFile(path, out.Bytes(), 0o644))
}

// sub FILE OLD NEW replaces every OLD in a text file.
func sub(ts *testscript.TestScript, _ bool, args []string) {
	text := ts.ReadFile(args[0])
	if !strings.Contains(text, args[1]) {
		ts.Fatalf("%s does not contain %q", args[0], args[1])
	}
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(strings.ReplaceAll(text, args[1], args[2])), 0o644))
}

var (
	jsonParts = regexp.MustCompile(`\{"(outcome|finding|field|calendar)"`)
	jsonRun   = regexp.MustCompile(`"run":"\d{8}T\d{6}Z-[0-9a-f]+"`)
)

// json FILE writes the JSON printed last to a file, a line for each part of it,
// without what differs from run to run.
func compactJSON(ts *testscript.TestScript, _ bool, args []string) {
	var b bytes.Buffer
	ts.Check(json.Compact(&b, []byte(ts.ReadFile("stdout"))))
	text := jsonParts.ReplaceAllString(b.String(), "\n  $0")
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(jsonRun.ReplaceAllString(text, `"run":"…"`)+"\n"), 0o644))
}

// shape NAME fails unless the JSON printed last is as its published schema says.
func shape(ts *testscript.TestScript, _ bool, args []string) {
	var s jsonschema.Schema
	text, err := os.ReadFile(filepath.Join("../../docs/json", args[0]+".schema.json"))
	ts.Check(err)
	ts.Check(json.Unmarshal(text, &s))
	resolved, err := s.Resolve(nil)
	ts.Check(err)
	var printed any
	ts.Check(json.Unmarshal([]byte(ts.ReadFile("stdout")), &printed))
	ts.Check(resolved.Validate(printed))
}

// rows FILE N HEADER TEMPLATE writes a table of N rows; # in the template is
// the row's number with six digits.
func rows(ts *testscript.TestScript, _ bool, args []string) {
	n, err := strconv.Atoi(args[1])
	ts.Check(err)
	var b strings.Builder
	b.WriteString(args[2] + "\n")
	for i := range n {
		number := strconv.Itoa(1_000_000 + i)[1:]
		b.WriteString(strings.ReplaceAll(args[3], "#", number) + "\n")
	}
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(b.String()), 0o644))
}

// mtime FILE gives a file a time of change long ago; with ! it fails when the
// file still has it.
func mtime(ts *testscript.TestScript, neg bool, args []string) {
	path, then := ts.MkAbs(args[0]), time.Date(2020, 1, 1, 0, 0, 0, 0, time.UTC)
	info, err := os.Stat(path)
	ts.Check(err)
	switch {
	case len(args) == 1:
		ts.Check(os.Chtimes(path, then, then))
	case info.ModTime().Equal(then) == neg:
		ts.Fatalf("%s was last changed at %v", args[0], info.ModTime())
	}
}

// killed FILE ARGS… starts the program again and again and kills it a little
// later each time, until it has once ended by itself.
func killed(ts *testscript.TestScript, _ bool, args []string) {
	file := ts.MkAbs(args[0])
	old, err := os.ReadFile(file)
	ts.Check(err)
	for wait := time.Millisecond; ; wait += 23 * time.Millisecond {
		self, err := os.Executable()
		ts.Check(err)
		c := exec.Command(self, args[1:]...)
		c.Args[0] = "almanach"
		c.Dir = ts.MkAbs(".")
		ts.Check(c.Start())
		timer := time.AfterFunc(wait, func() { _ = c.Process.Kill() })
		err = c.Wait()
		timer.Stop()
		now, readErr := os.ReadFile(file)
		ts.Check(readErr)
		if err == nil {
			return
		}
		if whole := bytes.HasPrefix(now, []byte("BEGIN:VCALENDAR")) && bytes.HasSuffix(now, []byte("END:VCALENDAR\r\n")); !bytes.Equal(now, old) && !whole {
			ts.Fatalf("killed after %v, the file is neither old nor new", wait)
		}
	}
}

// bytes FILE QUOTED writes a Go string literal's bytes.
func writeBytes(ts *testscript.TestScript, _ bool, args []string) {
	text, err := strconv.Unquote(`"` + args[1] + `"`)
	ts.Check(err)
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(text), 0o644))
}
