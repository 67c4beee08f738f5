package desk

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/settings"
)

const manualHead = `# The desk's file

A desk is a folder with ` + "`almanach.yaml`" + ` in it, intakes in ` + "`intakes/`" + `, and what has
arrived, by habit, in ` + "`inbox/`" + `. Commands find it from any folder inside it, or by
` + "`--desk DIR`" + `. What saves time only is kept in ` + "`.almanach/`" + ` and may be deleted.

This page is written from the definitions that check the file.
`

// TestManual keeps docs/desk.md what the definitions say. With ALMANACH_UPDATE
// set it writes it.
func TestManual(t *testing.T) {
	const path = "../../../docs/desk.md"
	want := manualHead + settings.Manual(Definition)
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
	for name, can := range map[string]bool{"berths": true, "marn": true, "x.ics": true, "../marn": false, "": false, ".hidden": false, "a/b": false} {
		assert.Equal(t, can, d.Names(name), name)
	}
	write("almanach.yaml", "calendars: { berths: { fil: b.ics } }\n")
	_, faults = Find(dir)
	require.NotEmpty(t, faults)
	assert.Contains(t, faults[0].Error(), `did you mean "file"?`)
}
