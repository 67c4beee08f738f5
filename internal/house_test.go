package internal_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors are the packages from the ground up: a package may import those of
// lower floors only. What stands together on one floor is strangers to each
// other.
var floors = [][]string{
	{"core/fault", "core/pattern", "core/index"},
	{"core/table", "core/zone"},
	{"core/moment", "core/rule"},
	{"core/notice"},
	{"core/ical", "core/settings"},
	{"core/event", "core/template"},
	{"core/recur", "core/identity", "core/agree", "core/match"},
	{"core/intake", "core/extract"},
	{"core/plan", "core/reconcile", "core/survey"},
	{"edge/replace", "edge/source/sheet", "edge/secret"},
	{"edge/source/text", "edge/source/office", "edge/calendar"},
	{"edge/source/delimited", "edge/source/records", "edge/source/webpage", "edge/source/agenda", "edge/calendar/file", "edge/calendar/folder", "edge/calendar/caldav", "edge/calendar/calendartest", "edge/calendar/servertest", "edge/source/document"},
	{"edge/source/mail"},
	{"edge/source", "edge/desk", "edge/logbook", "edge/standin"},
	{"job"},
	{"cli/show"},
	{"cli"},
}

// outside are the standard packages through which a program meets the world;
// the core has none of them, nor any library of the interface.
var outside = []string{"os", "os/exec", "runtime", "net", "net/http", "flag", "syscall", "log", "github.com/spf13/cobra", "golang.org/x/term", "charm.land/lipgloss/v2"}

func TestImportsGoDown(t *testing.T) {
	level := map[string]int{}
	architecture, err := os.ReadFile("../docs/architecture.md")
	require.NoError(t, err)
	for n, floor := range floors {
		for _, p := range floor {
			level["almanach/internal/"+p] = n
			assert.Contains(t, string(architecture), p, "docs/architecture.md")
		}
	}
	seen := 0
	require.NoError(t, fs.WalkDir(os.DirFS("."), ".", func(file string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") {
			return err
		}
		self := "almanach/internal/" + path.Dir(file)
		own, known := level[self]
		if !assert.Truef(t, known, "%s stands on no floor", self) {
			return nil
		}
		f, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		seen++
		for _, i := range f.Imports {
			name, err := strconv.Unquote(i.Path.Value)
			if err != nil {
				return err
			}
			if n, ours := level[name]; ours {
				assert.Lessf(t, n, own, "%s imports %s", file, name)
			}
			if strings.Contains(self, "/core/") {
				assert.NotContainsf(t, outside, name, "%s imports %s", file, name)
			}
		}
		return nil
	}))
	assert.Greater(t, seen, 20)
}

// TestRowsAreAsked finds code that looks at a row's Cells where the rows may be held: it would
// see none of them, and nobody would know.
func TestRowsAreAsked(t *testing.T) {
	seen := 0
	for _, place := range []string{"core", "job", "cli"} {
		require.NoError(t, fs.WalkDir(os.DirFS("."), place, func(file string, d fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") || path.Dir(file) == "core/table" {
				return err
			}
			text, err := os.ReadFile(file)
			seen++
			assert.NotRegexp(t, `\.Cells\b`, string(text), file)
			return err
		}))
	}
	assert.Greater(t, seen, 100)
}
