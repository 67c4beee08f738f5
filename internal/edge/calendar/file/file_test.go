package file

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/calendartest"
)

var book = sync.OnceValue(func() *zone.Book {
	b, err := zone.NewBook(nil)
	if err != nil {
		panic(err)
	}
	return b
})

func open(t *testing.T, path string) *File {
	t.Helper()
	f, err := Open(t.Context(), calendar.Spec{Name: "c", File: path}, book(), true)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, f.Close()) })
	return f
}

func TestContract(t *testing.T) {
	calendartest.Test(t, func(t *testing.T) func() calendar.Backend {
		path := filepath.Join(t.TempDir(), "sub", "c.ics")
		return func() calendar.Backend { return open(t, path) }
	})
}

// Two new events of one UID are refused, both.
func TestOneUIDTwice(t *testing.T) {
	f := open(t, filepath.Join(t.TempDir(), "c.ics"))
	edit := calendar.Edit{New: [][]byte{[]byte("BEGIN:VEVENT\r\nUID:one\r\nDTSTAMP:20260302T080000Z\r\nDTSTART:20260305T080000Z\r\nEND:VEVENT\r\n")}}
	results, err := f.Apply(t.Context(), []calendar.Edit{edit, edit})
	if err == nil {
		err = results[0].Err
	}
	require.ErrorIs(t, err, calendar.ErrExists)
	for range f.Entries(t.Context()) {
		t.Fatal("one of them was written")
	}
}

// TestPiecewise tests once more with files that are read piece by piece.
func TestPiecewise(t *testing.T) {
	inMemory = 0
	t.Cleanup(func() { inMemory = 4 << 20 })
	for name, test := range map[string]func(*testing.T){"contract": TestContract, "bytes": TestBytes, "second": TestSecondCalendar, "changed": TestChanged, "odd": TestOdd, "damaged": TestDamaged, "link": TestLink} {
		t.Run(name, test)
	}
	for name, c := range map[string]struct {
		change func(path string) error
		want   error // of what is read again
		write  bool  // what is written is all the same
	}{
		"another event, same size and time": {func(path string) error { return swap(path, strings.Replace(others, "20260305", "20260306", 1)) }, calendar.ErrChanged, false},
		"other bytes between events":        {func(path string) error { return swap(path, strings.Replace(others, "UID:todo", "UID:tada", 1)) }, nil, false},
		"cut short":                         {func(path string) error { return os.Truncate(path, 30) }, calendar.ErrChanged, false},
		"emptied":                           {func(path string) error { return os.Truncate(path, 0) }, calendar.ErrChanged, false},
		"replaced, same size and time":      {func(path string) error { return supplant(path, strings.Replace(others, "theirs", "others", 1)) }, nil, false},
		"replaced by the same":              {func(path string) error { return supplant(path, others) }, nil, true},
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "c.ics")
			require.NoError(t, os.WriteFile(path, []byte(others), 0o600))
			f := open(t, path)
			there, _ := read(t, f)
			require.NoError(t, c.change(path))
			raw := there["theirs"].Part(0)
			if err := f.Intact(); c.want == nil {
				require.NoError(t, err)
				assert.Contains(t, others, string(raw))
			} else {
				require.ErrorIs(t, err, c.want)
				assert.Len(t, raw, strings.Index(others, "\n\nBEGIN:VTODO")+1-strings.Index(others, "BEGIN:VEVENT"))
			}
			before, _ := os.ReadFile(path)
			_, err := f.Apply(t.Context(), []calendar.Edit{{New: [][]byte{call("4", "")}}})
			after, _ := os.ReadFile(path)
			if c.write {
				require.NoError(t, err)
				return
			}
			require.ErrorIs(t, err, calendar.ErrChanged)
			assert.Equal(t, string(before), string(after))
		})
	}
}

// supplant puts another file of the same time in the place of one.
func supplant(path, text string) error {
	info, err := os.Stat(path)
	if err == nil {
		err = os.WriteFile(path+".other", []byte(text), 0o600)
	}
	if err == nil {
		err = os.Chtimes(path+".other", info.ModTime(), info.ModTime())
	}
	if err == nil {
		err = os.Rename(path+".other", path)
	}
	return err
}

func call(uid, more string) []byte {
	return []byte(strings.ReplaceAll("BEGIN:VEVENT\nUID:"+uid+"\nDTSTART:20260305T080000Z\n"+more+"END:VEVENT\n", "\n", "\r\n"))
}

const others = "BEGIN:VCALENDAR\nX-A: 1\nBEGIN:VTIMEZONE\nTZID:Quay\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0200\nEND:STANDARD\nEND:VTIMEZONE\nBEGIN:VEVENT\nUID:theirs\nDTSTART;TZID=Quay:20260305T080000\nEND:VEVENT\n\nBEGIN:VTODO\nUID:todo\nEND:VTODO\nEND:VCALENDAR\n"

// read reads a calendar and gives its objects by UID, and what is wrong with
// it.
func read(t *testing.T, f *File) (map[string]*ical.Object, string) {
	t.Helper()
	out := map[string]*ical.Object{}
	var faults []string
	for o, err := range f.Entries(t.Context()) {
		if err != nil {
			faults = append(faults, err.Error())
			continue
		}
		out[o.UID] = o
	}
	return out, strings.Join(faults, "\n")
}

// TestBytes replaces, removes and adds in one go: the rest keeps its bytes, the
// file its mode.
func TestBytes(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.ics")
	third := []byte(strings.Replace(string(call("3", "")), "DTSTART:20260305T080000Z", "DTSTART;TZID=Europe/Lisbon:19950305T080000", 1))
	require.NoError(t, os.WriteFile(path, []byte(strings.Replace(others, "BEGIN:VTODO", string(call("1", "SUMMARY:old\n"))+string(call("2", ""))+"BEGIN:VTODO", 1)), 0o640))
	require.NoError(t, os.Chmod(path, 0o640))
	f := open(t, path)
	there, faults := read(t, f)
	require.Empty(t, faults)
	_, err := f.Apply(t.Context(), []calendar.Edit{{Old: there["1"], New: [][]byte{call("1", "SUMMARY:new\n")}}, {Old: there["2"]}, {New: [][]byte{third}}})
	require.NoError(t, err)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	got := string(data)
	rest := strings.NewReplacer(string(call("1", "SUMMARY:new\n")), "", string(third), "").Replace(got)
	begin, end := strings.Index(rest, "BEGIN:VTIMEZONE\r\n"), strings.Index(rest, "END:VTIMEZONE\r\n")+len("END:VTIMEZONE\r\n")
	require.Positive(t, begin)
	assert.Contains(t, rest[begin:end], "TZID:Europe/Lisbon")
	assert.Contains(t, rest[begin:end], "DTSTART:1994", "valid from the year of the event")
	assert.Equal(t, others, rest[:begin]+rest[end:], "what is not ours stays byte for byte")
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())

	then := time.Now().Add(-time.Hour)
	require.NoError(t, os.Chtimes(path, then, then))
	_, err = open(t, path).Apply(t.Context(), nil)
	require.NoError(t, err)
	info, err = os.Stat(path)
	require.NoError(t, err)
	assert.WithinDuration(t, then, info.ModTime(), time.Second, "nothing to write leaves the file alone")
}

// TestSecondCalendar changes an event in the first of two VCALENDARs: the zone
// it names now is defined there too.
func TestSecondCalendar(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.ics")
	two := "BEGIN:VCALENDAR\r\n" + string(call("1", "")) + "END:VCALENDAR\r\nBEGIN:VCALENDAR\r\n" + string(call("2", "")) + "END:VCALENDAR\r\n"
	require.NoError(t, os.WriteFile(path, []byte(two), 0o600))
	f := open(t, path)
	there, _ := read(t, f)
	_, err := f.Apply(t.Context(), []calendar.Edit{{Old: there["1"], New: [][]byte{call("1", "EXDATE;TZID=Europe/Lisbon:20260305T080000\n")}}})
	require.NoError(t, err)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	first, second, _ := strings.Cut(string(data), "END:VCALENDAR\r\n")
	assert.Contains(t, first, "TZID:Europe/Lisbon")
	assert.NotContains(t, second, "VTIMEZONE")
}

// TestChanged changes the file between reading and writing in every way: it is
// not written over.
func TestChanged(t *testing.T) {
	for name, change := range map[string]func(path string) error{
		"longer":                        func(path string) error { return os.WriteFile(path, []byte(others+"\n"), 0o600) },
		"gone":                          os.Remove,
		"put back, same size and time":  func(path string) error { return swap(path, strings.Replace(others, "theirs", "others", 1)) },
		"put back with the same bytes?": nil,
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "c.ics")
			require.NoError(t, os.WriteFile(path, []byte(others), 0o600))
			f := open(t, path)
			there, _ := read(t, f)
			edits := []calendar.Edit{{Old: there["theirs"]}, {New: [][]byte{call("4", "")}}}
			if change == nil { // that is no change
				require.NoError(t, swap(path, others))
				_, err := f.Apply(t.Context(), edits)
				require.NoError(t, err)
				return
			}
			require.NoError(t, change(path))
			before, _ := os.ReadFile(path)
			_, err := f.Apply(t.Context(), edits)
			require.ErrorIs(t, err, calendar.ErrChanged)
			after, _ := os.ReadFile(path)
			assert.Equal(t, string(before), string(after))
			left, err := filepath.Glob(filepath.Join(filepath.Dir(path), ".*.new"))
			require.NoError(t, err)
			assert.Empty(t, left)
		})
	}
	// Changed while the new file is being written, to as many bytes as before.
	path := filepath.Join(t.TempDir(), "c.ics")
	require.NoError(t, os.WriteFile(path, []byte(others), 0o600))
	f := open(t, path)
	done := make(chan error)
	go func() {
		for {
			if found, _ := filepath.Glob(filepath.Join(filepath.Dir(path), ".*.new")); len(found) > 0 {
				break
			}
		}
		done <- os.WriteFile(path, []byte(strings.Replace(others, "theirs", "others", 1)), 0o600)
	}()
	large := call("5", "DESCRIPTION:"+strings.Repeat("x", 12<<20)+"\n")
	_, err := f.Apply(t.Context(), []calendar.Edit{{New: [][]byte{large}}})
	require.NoError(t, <-done)
	require.ErrorIs(t, err, calendar.ErrChanged)
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(others, "theirs", "others", 1), string(got))
}

// swap replaces a file and gives the new one the time of the old.
func swap(path, text string) error {
	info, err := os.Stat(path)
	if err == nil {
		err = os.WriteFile(path, []byte(text), 0o600)
	}
	if err == nil {
		err = os.Chtimes(path, info.ModTime(), info.ModTime())
	}
	return err
}

// TestReadBack tampers with what was written before it is read back.
func TestReadBack(t *testing.T) {
	path := filepath.Join(t.TempDir(), "t.ics")
	f := &File{}
	check := func(written, onDisk string, want int) error {
		sum := &summed{ctx: t.Context(), w: &strings.Builder{}, hash: calendar.NewSumWriter(), events: want}
		_, err := sum.Write([]byte(written))
		require.NoError(t, err)
		require.NoError(t, sum.flush())
		require.NoError(t, os.WriteFile(path, []byte(onDisk), 0o600))
		file, err := os.Open(path)
		require.NoError(t, err)
		defer file.Close()
		return f.confirm(t.Context(), file, sum)
	}
	require.NoError(t, check(others, others, 1))
	assert.ErrorContains(t, check(others, strings.Replace(others, "theirs", "others", 1), 1), "not what was written")
	assert.ErrorContains(t, check(others, others, 2), "1 events were found when reading back, and not 2")
	assert.ErrorContains(t, check(others[:len(others)-10], others[:len(others)-10], 1), "reading back")
}

func TestLock(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.ics")
	lock, err := calendar.Lock(t.Context(), filepath.Join(filepath.Dir(path), ".c.ics.lock"), fault.Place{File: "c.ics"})
	require.NoError(t, err)
	f := open(t, path) // reading needs no lock
	soon, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	_, err = f.Apply(soon, []calendar.Edit{{New: [][]byte{call("1", "")}}})
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.NoError(t, lock.Unlock())
	_, err = f.Apply(t.Context(), []calendar.Edit{{New: [][]byte{call("1", "")}}})
	require.NoError(t, err)
	info, err := os.Stat(filepath.Join(filepath.Dir(path), ".c.ics.lock"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o666), info.Mode().Perm(), "whoever shares the folder can take it")
	_, err = Open(t.Context(), calendar.Spec{File: path + ".not"}, book(), false)
	assert.ErrorContains(t, err, "there is no such calendar file")
	_, err = Open(t.Context(), calendar.Spec{File: filepath.Dir(path)}, book(), true)
	assert.ErrorContains(t, err, "is a folder")
}

// TestOdd reads what is odd and not damaged: it is said, and read.
func TestOdd(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.ics")
	latin := "BEGIN:VEVENT\r\nUID:latin\r\nDTSTART:20260305T080000Z\r\nSUMMARY:Mar\xe9e\r\nEND:VEVENT\r\n"
	noUID := "BEGIN:VEVENT\r\nDTSTART:20260305T080000Z\r\nEND:VEVENT\r\n"
	require.NoError(t, os.WriteFile(path, []byte(strings.Replace(others, "BEGIN:VTODO", string(call("2", ""))+string(call("2", ""))+latin+noUID+noUID+"BEGIN:VTODO", 1)), 0o600))
	f := open(t, path)
	there, faults := read(t, f)
	assert.Contains(t, faults, "a second event with UID 2 and no RECURRENCE-ID; the first begins in line")
	assert.Contains(t, faults, "event latin holds bytes that are not UTF-8")
	assert.Equal(t, 2, strings.Count(faults, "the event has no UID"))
	assert.Len(t, there["2"].Raws(), 2)
	n := 0
	for _, err := range f.Entries(t.Context()) {
		if err == nil {
			n++
		}
	}
	assert.Equal(t, 5, n, "events without a UID are each their own")
	_, err := f.Apply(t.Context(), []calendar.Edit{{Old: there["theirs"]}})
	require.NoError(t, err)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Contains(t, string(data), "Mar\xe9e")
}

// TestDamaged reads files whose structure is broken: what can be read is there,
// and nothing is written.
func TestDamaged(t *testing.T) {
	for name, text := range map[string]string{
		"cut short": others[:len(others)-20], "not a calendar": "<html></html>\n", "an event without END": strings.Replace(others, "END:VEVENT\n", "", 1), "an END too many": strings.Replace(others, "BEGIN:VTODO", "END:VEVENT\nBEGIN:VTODO", 1),
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "c.ics")
			require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
			f := open(t, path)
			damaged := false
			for _, err := range f.Entries(t.Context()) {
				damaged = damaged || errors.Is(err, calendar.ErrDamaged)
			}
			assert.True(t, damaged)
			_, err := f.Apply(t.Context(), []calendar.Edit{{New: [][]byte{call("1", "")}}})
			assert.ErrorIs(t, err, calendar.ErrDamaged)
			got, err := os.ReadFile(path)
			require.NoError(t, err)
			assert.Equal(t, text, string(got))
		})
	}
}

// TestLink writes through a symbolic link and leaves it one; the lock and the
// new file are beside the real file.
func TestLink(t *testing.T) {
	dir := t.TempDir()
	for _, exists := range []bool{true, false} {
		real, link := filepath.Join(dir, "far", "real.ics"), filepath.Join(dir, "link.ics")
		require.NoError(t, os.RemoveAll(link))
		require.NoError(t, os.RemoveAll(filepath.Dir(real)))
		require.NoError(t, os.MkdirAll(filepath.Dir(real), 0o755))
		if exists {
			require.NoError(t, os.WriteFile(real, []byte(others), 0o600))
		}
		require.NoError(t, os.Symlink(filepath.Join("far", "real.ics"), link))
		_, err := open(t, link).Apply(t.Context(), []calendar.Edit{{New: [][]byte{call("1", "")}}})
		require.NoError(t, err)
		info, err := os.Lstat(link)
		require.NoError(t, err)
		assert.NotZero(t, info.Mode()&os.ModeSymlink)
		got, err := os.ReadFile(real)
		require.NoError(t, err)
		assert.Contains(t, string(got), "UID:1")
		_, err = os.Stat(filepath.Join(dir, "far", ".real.ics.lock"))
		require.NoError(t, err)
	}
}
