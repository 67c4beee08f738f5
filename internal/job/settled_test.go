package job

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"io/fs"
	"math/rand"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/intake"
)

const strayEvent = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:x\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20260401T080000Z\r\nSUMMARY:Stray\r\nX-ALMANACH-INTAKE:calls\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"

// TestSettled changes one thing after another that the outcome of a load depends
// on, as covertly as can be: no file's time moves, and often not its size. A load
// that may say again what the last one came to says what one without that memory
// says, and leaves the same.
func TestSettled(t *testing.T) {
	const calendars = "calendars:\n  c: { file: c.ics }\n  d: { folder: d }\n"
	office, dir := harbour(t, calendars)
	forgetful := t.TempDir()
	r := rand.New(rand.NewSource(3))
	settings, zoned, asked := calls+"from: { newest: 'in-*.csv' }\n", "Europe/Lisbon", "load calls"
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	rows := func(name string, from, minutes int) { // some are gone, some at no time
		text := "No,Ship,Start,Berth,Agent,Email,Pier\n"
		for i := from; i < 9; i++ {
			text += fmt.Sprintf("TH-%d,Ship %d,2026-04-%02d 08:%02d,3,A,a@harbour.example,1\n", i, r.Intn(2), i+1, r.Intn(minutes))
		}
		write(name, text)
	}
	in := func(name, old, new string) {
		if text, err := os.ReadFile(filepath.Join(dir, name)); err == nil {
			write(name, strings.Replace(string(text), old, new, 1))
		}
	}
	swap := func(text *string, a, b string) { *text = strings.NewReplacer(a, b, b, a).Replace(*text) }
	changes := []func(){
		func() {},
		func() { rows("in-1.csv", r.Intn(3), 61) },
		func() { in("in-1.csv", ",3,A", ",4,A") },
		func() { rows("in-2.csv", r.Intn(3), 61) },
		func() { os.Remove(filepath.Join(dir, "in-2.csv")) },
		func() { in("c.ics", "SUMMARY:Ship 1", "SUMMARY:Skip 1") },
		func() { os.Remove(filepath.Join(dir, "c.ics")) },
		func() { swap(&settings, "length: 1h", "length: 2h") },
		func() { swap(&settings, "into: c", "into: d") },
		func() { swap(&zoned, "Europe/Lisbon", "Europe/Madrid") },
		func() { write("d/x.ics", strayEvent) },
		func() { write("intakes/x.yaml", settings) }, // a rival
		func() { office.Now = office.Now.Add(5 * time.Hour) },
		func() { os.RemoveAll(filepath.Join(dir, ".almanach")) },
		func() { office.Now = office.Now.AddDate(0, 0, 9) },
		func() { swap(&asked, "load", "again") },
	}
	rows("in-1.csv", 0, 60)
	old := time.Now().Add(-time.Hour)
	lay := func(dir string) (*Report, string) {
		require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				return os.Chtimes(p, old, old)
			}
			return err
		}))
		in, faults := intake.Parse("calls.yaml", []byte(settings))
		require.Empty(t, faults)
		there := *office
		there.Desk = deskOf(t, dir)
		req := LoadRequest{Intake: in, OfDesk: true, Write: true, Brief: true, Asked: asked}
		report, err := Load(t.Context(), &there, req)
		said := fmt.Sprint(err)
		if report != nil && len(report.Guards) > 0 {
			req.Asked, req.Allow = "", map[string]int{}
			for _, g := range report.Guards {
				req.Allow[g.Name] = g.Count
			}
			report, err = Load(t.Context(), &there, req)
			require.NoError(t, err)
		}
		if report != nil {
			p, bare := *report.Plan, *report
			bare.Plan, bare.Run, bare.Settled = &p, "", false
			text, err := json.MarshalIndent(bare, "", " ")
			require.NoError(t, err)
			said += string(text)
			for _, i := range p.Items.All() {
				for _, d := range i.Fields {
					said += fmt.Sprint("\n", d.Time) // JSON has the rest
				}
				for _, f := range event.Fields() {
					if e := i.Event; e != nil {
						said += "\n" + e.Text(f)
					}
				}
			}
		}
		require.NoError(t, fs.WalkDir(os.DirFS(dir), ".", func(p string, d fs.DirEntry, err error) error {
			if err == nil && filepath.Ext(p) == ".ics" {
				text, _ := os.ReadFile(filepath.Join(dir, p))
				said += "\n" + p + "\n" + string(text)
			}
			return err
		}))
		return report, strings.NewReplacer(dir, "", "null", "[]").Replace(said)
	}
	step := func(n int) bool {
		os.Remove(filepath.Join(dir, "intakes/x.yaml"))
		changes[n]()
		write("intakes/calls.yaml", settings)
		write("almanach.yaml", "zone: "+zoned+"\n"+calendars)
		require.NoError(t, os.RemoveAll(forgetful))
		require.NoError(t, os.CopyFS(forgetful, os.DirFS(dir)))
		if book := filepath.Join(forgetful, ".almanach", "logbook.db"); fileHas(book, [][]byte{[]byte("SQLite")}) {
			db, err := sql.Open("sqlite", book)
			require.NoError(t, err)
			_, err = db.Exec("DELETE FROM settled")
			require.NoError(t, err)
			require.NoError(t, db.Close())
		}
		_, want := lay(forgetful)
		report, got := lay(dir)
		require.Equal(t, want, got, "after change %d", n)
		return report != nil && report.Settled
	}
	settled, unsettled := 0, 0
	for range 160 {
		switch n := max(0, r.Intn(3*len(changes))-2*len(changes)); {
		case !step(n):
			unsettled++
		case n == 0:
			settled++
		}
	}
	assert.Greater(t, settled, 20)
	assert.Greater(t, unsettled, 50)

	for n := range 3 { // what need not show in anything that is read
		require.NoError(t, os.RemoveAll(dir))
		rows("in-1.csv", 0, 60)
		step(0)
		require.True(t, step(0), "what was just written stands untouched")
		assert.False(t, step(len(changes)-1-n), "without a memory, on another day, or asked for something else")
	}
	office.Now = time.Date(2026, 4, 1, 7, 0, 0, 0, time.UTC) // an event that is gone will be past this afternoon
	rows("in-1.csv", 1, 60)
	for range 3 {
		assert.False(t, step(0))
	}
}
