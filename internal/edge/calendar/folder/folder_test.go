package folder

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/calendartest"
)

func open(t *testing.T, dir string) *Folder {
	t.Helper()
	b, err := zone.NewBook(nil)
	require.NoError(t, err)
	f, err := Open(calendar.Spec{Name: "c", Folder: dir}, b, true)
	require.NoError(t, err)
	return f
}

func TestContract(t *testing.T) {
	calendartest.Test(t, func(t *testing.T) func() calendar.Backend {
		dir := filepath.Join(t.TempDir(), "works")
		return func() calendar.Backend { return open(t, dir) }
	})
}

func calendarOf(events ...string) string {
	return ical.Prologue + strings.Join(events, "") + ical.Epilogue
}

func call(uid string) string {
	return "BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTART:20260305T080000Z\r\nEND:VEVENT\r\n"
}

// TestFiles has files that other programs wrote: several events in one, one
// that is damaged, and what is no calendar.
func TestFiles(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("two.ics", calendarOf(call("a"), "BEGIN:VTODO\r\nUID:todo\r\nEND:VTODO\r\n", call("b")))
	write("cut.ics", "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:c\r\n")
	write("notes.txt", "no calendar")
	write(".hidden.ics", "no calendar")
	f := open(t, dir)
	there, faults := map[string]*ical.Object{}, ""
	for o, err := range f.Entries(t.Context()) {
		if err != nil {
			faults += err.Error() + "\n"
			continue
		}
		there[o.UID] = o
	}
	assert.Len(t, there, 2)
	assert.Contains(t, faults, "cut.ics, line 2: VEVENT with UID c has no END:VEVENT")
	changed := strings.Replace(call("a"), "END:VEVENT", "SUMMARY:A\r\nEND:VEVENT", 1)
	results, err := f.Apply(t.Context(), []calendar.Edit{{Old: there["a"], New: [][]byte{[]byte(changed)}}, {Old: there["b"]}, {New: [][]byte{[]byte(call("../../up"))}}, {New: [][]byte{[]byte(call("c"))}}})
	require.NoError(t, err)
	for _, r := range results {
		require.NoError(t, r.Err)
	}
	got, err := os.ReadFile(filepath.Join(dir, "two.ics"))
	require.NoError(t, err)
	assert.Equal(t, calendarOf(changed, "BEGIN:VTODO\r\nUID:todo\r\nEND:VTODO\r\n"), string(got), "the file's other event went, what is no event stayed")
	cut, err := os.ReadFile(filepath.Join(dir, "cut.ics"))
	require.NoError(t, err)
	assert.Equal(t, "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:c\r\n", string(cut))
	names, err := filepath.Glob(filepath.Join(dir, "*.ics"))
	require.NoError(t, err)
	assert.Len(t, names, 5, "a UID that is a path is none: %v", names)

	_, err = Open(calendar.Spec{Folder: filepath.Join(dir, "no")}, f.book, false)
	assert.ErrorContains(t, err, "there is no such calendar folder")
	_, err = Open(calendar.Spec{Folder: filepath.Join(dir, "two.ics")}, f.book, true)
	assert.ErrorContains(t, err, "is a file, not a calendar folder")
}
