package calendar

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/identity"
	"almanach/internal/core/zone"
)

func book(t testing.TB) *zone.Book {
	t.Helper()
	b, err := zone.NewBook(nil)
	require.NoError(t, err)
	return b
}

func open(t *testing.T, path string, load bool) *File {
	t.Helper()
	f, err := OpenFile(t.Context(), "c", path, "c.ics", book(t), load, true)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, f.Close()) })
	return f
}

func idOf(key string) identity.ID { return identity.Of("calls", identity.Key{key}) }

// ours is the text of an event of ours.
func ours(key, more string) []byte {
	id := idOf(key).String()
	return []byte(strings.ReplaceAll("BEGIN:VEVENT\nUID:"+id+"\nDTSTART:20260305T080000Z\nX-ALMANACH-ID:"+id+"\nX-ALMANACH-INTAKE:calls\nX-ALMANACH-KEY:"+key+"\n"+more+"END:VEVENT\n", "\n", "\r\n"))
}

const others = "BEGIN:VCALENDAR\nX-A: 1\nBEGIN:VTIMEZONE\nTZID:Quay\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0200\nEND:STANDARD\nEND:VTIMEZONE\nBEGIN:VEVENT\nUID:theirs\nDTSTART;TZID=Quay:20260305T080000\nEND:VEVENT\n\nBEGIN:VTODO\nUID:todo\nEND:VTODO\nEND:VCALENDAR\n"

func TestApply(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.ics")
	apply := func(changes func(f *File) []Change, zones ...ZoneUse) (int, error) {
		f, err := OpenFile(t.Context(), "c", path, "c.ics", book(t), true, true)
		require.NoError(t, err)
		defer f.Close()
		return f.Apply(t.Context(), changes(f), zones)
	}
	lisbon, err := book(t).Find("Europe/Lisbon")
	require.NoError(t, err)

	n, err := apply(func(*File) []Change {
		return []Change{{ID: idOf("1"), New: ours("1", "")}, {ID: idOf("2"), New: ours("2", "")}}
	}, ZoneUse{lisbon, 2026})
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	made, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(made), prologue+"BEGIN:VTIMEZONE\r\n"))
	assert.True(t, strings.HasSuffix(string(made), "END:VEVENT\r\nEND:VCALENDAR\r\n"))

	// Replaced, removed and added in one go; the rest keeps its bytes.
	require.NoError(t, os.WriteFile(path, []byte(strings.Replace(others, "BEGIN:VTODO", string(ours("1", "SUMMARY:old\n"))+string(ours("2", ""))+"BEGIN:VTODO", 1)), 0o640))
	require.NoError(t, os.Chmod(path, 0o640))
	n, err = apply(func(f *File) []Change {
		require.Equal(t, 2, f.Len())
		return []Change{{ID: idOf("1"), Old: f.Find(idOf("1")), New: ours("1", "SUMMARY:new\n")}, {ID: idOf("2"), Old: f.Find(idOf("2"))}, {ID: idOf("3"), New: ours("3", "")}}
	}, ZoneUse{lisbon, 2026})
	require.NoError(t, err)
	assert.Equal(t, 3, n)
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	rest := strings.NewReplacer(string(ours("1", "SUMMARY:new\n")), "", string(ours("3", "")), "").Replace(string(got))
	begin, end := strings.Index(rest, "BEGIN:VTIMEZONE\r\n"), strings.Index(rest, "END:VTIMEZONE\r\n")+len("END:VTIMEZONE\r\n")
	assert.Equal(t, others, rest[:begin]+rest[end:], "what is not ours stays byte for byte")
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())

	// Nothing to write leaves the file alone.
	then := time.Now().Add(-time.Hour)
	require.NoError(t, os.Chtimes(path, then, then))
	_, err = apply(func(*File) []Change { return nil })
	require.NoError(t, err)
	info, err = os.Stat(path)
	require.NoError(t, err)
	assert.WithinDuration(t, then, info.ModTime(), time.Second)

	// Someone else writes it in between: nothing is written over.
	_, err = apply(func(*File) []Change {
		require.NoError(t, os.WriteFile(path, append(got, '\n'), 0o600))
		return []Change{{ID: idOf("4"), New: ours("4", "")}}
	})
	assert.ErrorContains(t, err, "was changed by someone else")
	left, err := filepath.Glob(filepath.Join(filepath.Dir(path), ".*.new"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestLock(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.ics")
	first := open(t, path, true)
	soon, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	_, err := OpenFile(soon, "c", path, "c.ics", book(t), true, true)
	assert.ErrorContains(t, err, "another run is writing it; wait for it to finish")
	open(t, path, false) // reading needs no lock
	require.NoError(t, first.Close())
	open(t, path, true)
	_, err = OpenFile(t.Context(), "c", filepath.Join(path, "none", "c.ics"), "c.ics", book(t), true, true)
	assert.ErrorContains(t, err, "does not exist")
	_, err = OpenFile(t.Context(), "c", path+".not", "c.ics", book(t), false, false)
	assert.ErrorContains(t, err, "there is no such calendar file")
}

func TestIndex(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.ics")
	id := idOf("1").String()
	unmarked := strings.Replace(string(ours("5", "")), "X-ALMANACH-ID:"+idOf("5").String()+"\r\n", "", 1)
	adopted := strings.Replace(string(ours("6", "")), "UID:"+idOf("6").String(), "UID:foreign", 1)
	override := "BEGIN:VEVENT\r\nUID:" + id + "\r\nRECURRENCE-ID:20260312T080000Z\r\nDTSTART:20260312T090000Z\r\nEND:VEVENT\r\n"
	mine := strings.Replace(string(ours("7", "RECURRENCE-ID:20260319T080000Z\n")), "UID:"+idOf("7").String(), "UID:"+id, 1)
	latin := "BEGIN:VEVENT\r\nUID:latin\r\nDTSTART:20260305T080000Z\r\nSUMMARY:Mar\xe9e\r\nEND:VEVENT\r\n"
	noUID := "BEGIN:VEVENT\r\nDTSTART:20260305T080000Z\r\nEND:VEVENT\r\n"
	body := string(ours("1", "")) + override + mine + string(ours("2", "")) + string(ours("2", "")) + unmarked + adopted + latin + noUID
	require.NoError(t, os.WriteFile(path, []byte(strings.Replace(others, "BEGIN:VTODO", body+"BEGIN:VTODO", 1)), 0o600))
	f := open(t, path, true)
	assert.Equal(t, 1, f.Find(idOf("1")).Overrides, "the changed date that is not ours")
	assert.True(t, f.Find(idOf("7")).Override)
	assert.Equal(t, 1, f.Find(idOf("2")).Twins)
	assert.NotNil(t, f.Find(idOf("5")), "by its UID")
	assert.NotNil(t, f.Find(idOf("6")), "by its mark, whatever its UID")
	assert.Nil(t, f.Find(idOf("9")))
	var faults []string
	for _, one := range f.Faults() {
		faults = append(faults, one.Error())
	}
	text := strings.Join(faults, "\n")
	assert.Contains(t, text, "a second event with UID "+idOf("2").String()+" and no RECURRENCE-ID")
	assert.Contains(t, text, "event latin holds bytes that are not UTF-8")
	assert.Contains(t, text, "the event has no UID")
	assert.False(t, f.Damaged())
	groups := 0
	for range f.Objects {
		groups++
	}
	assert.Equal(t, 8, groups, "all components of a UID together")
	quay, err := f.Resolve("Quay")
	require.NoError(t, err)
	assert.Equal(t, int64(7200), quay.Wall(0))
	for _, name := range []string{"Europe/Lisbon", "GMT Standard Time", "/tarn-haven.example/2026/Europe/Lisbon"} {
		z, err := f.Resolve(name)
		require.NoError(t, err, name)
		assert.Equal(t, zone.Wall(2026, 7, 1, 1, 0, 0), z.Wall(zone.Wall(2026, 7, 1, 0, 0, 0)))
	}
	_, err = f.Resolve("No/Where")
	assert.ErrorContains(t, err, "neither defined in the file nor a known time zone")

	// An event that goes takes its changed dates along; a changed date goes alone.
	_, err = f.Apply(t.Context(), []Change{{ID: idOf("7"), Old: f.Find(idOf("7"))}}, nil)
	require.NoError(t, err)
	require.NoError(t, f.Again())
	assert.Contains(t, string(f.data), "RECURRENCE-ID:20260312T080000Z")
	assert.NotContains(t, string(f.data), "RECURRENCE-ID:20260319T080000Z")
	_, err = f.Apply(t.Context(), []Change{{ID: idOf("1"), Old: f.Find(idOf("1"))}}, nil)
	require.NoError(t, err)
	require.NoError(t, f.Again())
	assert.NotContains(t, string(f.data), "RECURRENCE-ID")
	assert.Contains(t, string(f.data), "Mar\xe9e")
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
			f := open(t, path, true)
			assert.True(t, f.Damaged())
			require.NotEmpty(t, f.Faults())
			assert.Positive(t, f.Faults()[0].Place.Line)
			_, err := f.Apply(t.Context(), []Change{{ID: idOf("1"), New: ours("1", "")}}, nil)
			assert.ErrorContains(t, err, "is damaged and was not touched")
			got, err := os.ReadFile(path)
			require.NoError(t, err)
			assert.Equal(t, text, string(got))
		})
	}
}

// TestLink writes through a symbolic link and leaves it one.
func TestLink(t *testing.T) {
	dir := t.TempDir()
	real, link := filepath.Join(dir, "real.ics"), filepath.Join(dir, "link.ics")
	require.NoError(t, os.WriteFile(real, []byte(others), 0o600))
	if err := os.Symlink(real, link); err != nil {
		t.Skip("no symbolic links here")
	}
	f := open(t, link, true)
	_, err := f.Apply(t.Context(), []Change{{ID: idOf("1"), New: ours("1", "")}}, nil)
	require.NoError(t, err)
	info, err := os.Lstat(link)
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink)
	got, err := os.ReadFile(real)
	require.NoError(t, err)
	assert.Contains(t, string(got), idOf("1").String())
}
