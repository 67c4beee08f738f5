package desk

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/settings"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/secret"
)

var manualHead = `# The desk's file

A desk is a folder with ` + "`almanach.yaml`" + ` in it, intakes in ` + "`intakes/`" + `, and, usually,
what has arrived in ` + "`inbox/`" + `. Commands find it from any folder inside it, or by
` + "`--desk DIR`" + `. What only saves time is kept in ` + "`.almanach/`" + ` and may be deleted.

## A whole file

` + "    " + wholeDesk + `

A path is relative to the desk. Each setting is shown with its parents, so that it
can be pasted; NAME is the calendar's. This page is written from the definitions that
check the file.

## Settings
`

// wholeDesk is a file as a harbour office would have it.
var wholeDesk = strings.ReplaceAll(`zone: Europe/Lisbon
organizer: "Harbour office <harbour@tarn-haven.example>"
length: 1h
calendars:
  berths: { file: calendars/berths.ics }
  ferries: { file: calendars/ferries.ics }
  closures:
    caldav: https://calendar.tarn-haven.example/clerk/closures/
    user: clerk
    password: { env: CLOSURES_PASSWORD }
    rate: 5`, "\n", "\n    ")

// TestManual keeps docs/desk.md what the definitions say. With ALMANACH_UPDATE
// set it writes it.
func TestManual(t *testing.T) {
	const path = "../../../docs/desk.md"
	want := manualHead + settings.Manual(Definition)
	_, faults := settings.Read(FileName, []byte(strings.ReplaceAll(wholeDesk, "\n    ", "\n")), Definition)
	require.Empty(t, faults)
	if os.Getenv("ALMANACH_UPDATE") != "" {
		require.NoError(t, os.WriteFile(path, []byte(want), 0o600))
	}
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, want, string(got), "run ALMANACH_UPDATE=1 go test ./internal/edge/desk")
}

func TestFind(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	}
	_, faults := Find(dir)
	require.Len(t, faults, 1)
	write("almanach.yaml", "zone: Europe/Lisbon\nnew_calendars: made\ncalendars: { berths: { file: b.ics } }\n")
	write("made/oda.ics", "")
	d, faults := Find(dir)
	require.Empty(t, faults)
	assert.Equal(t, []string{"berths", "oda"}, d.Calendars())
	for _, tt := range []struct {
		name    string
		fromRow bool
		want    string // the file; "" when refused
	}{
		{"berths", true, "b.ics"}, {"oda", true, "made/oda.ics"}, {"marn", true, "made/marn.ics"}, {"x.ics", false, "x.ics"}, {"../out/x.ics", false, "../out/x.ics"},
		{"x.ics", true, ""}, {"../out/x.ics", true, ""}, {"/etc/x.ics", true, ""}, {"../marn", true, ""}, {"a/b", true, ""}, {`a\b`, true, ""}, {"..", true, ""}, {"", true, ""}, {".hidden", true, ""},
		{"CON", true, ""}, {"nul.txt", true, ""}, {"a\x00b", true, ""}, {"a\nb", true, ""}, {"marn.", true, ""}, {" marn", true, ""}, {strings.Repeat("m", 200), true, ""}, {"a:b", true, ""},
	} {
		spec, f := d.Calendar(tt.name, tt.fromRow)
		if tt.want == "" {
			assert.NotNil(t, f, "%q", tt.name)
			continue
		}
		require.Nil(t, f, "%q", tt.name)
		got, err := filepath.Rel(dir, spec.File)
		if !filepath.IsAbs(spec.File) {
			got, err = spec.File, nil
		}
		require.NoError(t, err)
		assert.Equal(t, tt.want, filepath.ToSlash(got))
	}
	write("almanach.yaml", "calendars: { works: { folder: w }, berths: { file: b.ics } }\n")
	d, faults = Find(dir)
	require.Empty(t, faults)
	spec, f := d.Calendar("works", true)
	require.Nil(t, f)
	assert.Equal(t, filepath.Join(dir, "w"), spec.Path())
	for text, want := range map[string]string{"{ file: b.ics, folder: w }": "has several places", "{ file: b.ics, caldav: 'https://a.example/' }": "has several places", "{}": "has no place"} {
		write("almanach.yaml", "calendars: { c: "+text+" }\n")
		_, faults = Find(dir)
		require.NotEmpty(t, faults, text)
		assert.Contains(t, faults[0].Error(), want)
	}
	write("almanach.yaml", "calendars: { c: { caldav: 'https://a.example/c/', user: clerk, password: { file: secret }, ca: ca.pem } }\n")
	d, faults = Find(dir)
	require.Empty(t, faults)
	spec, f = d.Calendar("c", true)
	require.Nil(t, f)
	assert.Equal(t, "https://a.example/c/", spec.Path())
	assert.Equal(t, calendar.Server{URL: "https://a.example/c/", User: "clerk", Password: secret.Place{File: filepath.Join(dir, "secret")}, CA: filepath.Join(dir, "ca.pem")}, spec.Server)
	write("almanach.yaml", "zone: Europe/Lisbon\n")
	write("intakes/a.yaml", "identity: one\nkey: K\ninto: c\nevent: { title: '{T}', start: '{S}' }\n")
	write("intakes/b.yaml", "identity: one\nkey: K\ninto: c\nevent: { title: '{T}', start: '{S}' }\n")
	write("intakes/broken.yaml", "key: [\n")
	d, faults = Find(dir)
	require.Empty(t, faults)
	assert.Equal(t, map[string][]string{"one": {"a", "b"}}, d.Identities())
	assert.True(t, d.Owns("a"))
	assert.True(t, d.Owns(filepath.Join(dir, "intakes", "a.yaml")))
	assert.False(t, d.Owns("c"))
	assert.False(t, d.Owns(filepath.Join(dir, "a.yaml")))
	write("almanach.yaml", "calendars: { berths: { fil: b.ics } }\n")
	_, faults = Find(dir)
	require.NotEmpty(t, faults)
	assert.Contains(t, faults[0].Error(), `did you mean "file"?`)
}

// TestUpwards finds the desk from a folder inside it, and none where there is
// none.
func TestUpwards(t *testing.T) {
	dir := t.TempDir()
	inside := filepath.Join(dir, "a", "b")
	require.NoError(t, os.MkdirAll(inside, 0o755))
	t.Chdir(inside)
	d, faults := Find("")
	require.Empty(t, faults)
	assert.Empty(t, d.Dir)
	assert.Empty(t, d.Calendars())
	assert.Empty(t, d.Memory("x"))
	assert.Empty(t, d.Intakes())
	assert.False(t, d.Owns("a"))
	assert.Equal(t, "x.csv", d.Path("x.csv"))
	_, f := d.Calendar("berths", false)
	require.NotNil(t, f)
	assert.Contains(t, f.Error(), "give an .ics file, or go to the desk's folder")
	_, faults = d.Intake("none")
	require.Len(t, faults, 1)
	assert.Contains(t, faults[0].Error(), "is no file here")

	require.NoError(t, os.WriteFile(filepath.Join(dir, FileName), []byte("calendars: { c: { file: c.ics } }\n"), 0o600))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "intakes"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "intakes", "calls.yaml"), []byte("key: K\ninto: c\nevent: { title: '{T}', start: '{S}' }\n"), 0o600))
	d, faults = Find("")
	require.Empty(t, faults)
	assert.Equal(t, filepath.Join("..", ".."), d.Dir)
	assert.True(t, d.Has("c"))
	assert.Equal(t, []string{"calls"}, d.Intakes())
	in, faults := d.Intake("calls")
	require.Empty(t, faults)
	assert.Equal(t, "calls", in.Name)
	_, faults = d.Intake("cals")
	require.Len(t, faults, 1)
	assert.Contains(t, faults[0].Error(), `did you mean "calls"?`)
	assert.Equal(t, filepath.Join("..", "..", ".almanach", "x"), d.Memory("x"))
	require.NoError(t, os.WriteFile(filepath.Join(dir, FileName), []byte("calendars: ["), 0o600))
	_, faults = Find("")
	assert.NotEmpty(t, faults)
}
