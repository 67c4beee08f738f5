package plan

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// was gives what a plan did, as a logbook keeps it.
func was(p *Plan) (out []Was) {
	for i := range p.Edits {
		e := &p.Edits[i]
		after, _ := e.Text(nil)
		out = append(out, Was{Kind: e.Kind, Calendar: e.Calendar, UID: e.UID, Before: e.Before(), Needs: int(e.Needs), Title: e.UID[:2], Stands: func(raws [][]byte) bool { return slices.EqualFunc(raws, after, bytes.Equal) }})
	}
	return out
}

// undo takes a plan back and gives what it says.
func (w *world) undo(p *Plan, allow map[string]int) (*Plan, string) {
	w.Helper()
	var holdings []*Holding
	for _, n := range w.names {
		holdings = append(holdings, NewHolding(n, true, w.zones[n].Find, w.calendars[n]))
	}
	u := Undo("calls", "calls", was(p), holdings, allow)
	if len(u.Guards) == 0 {
		w.apply(u)
	}
	var out []string
	for _, i := range u.Items.All() {
		line := fmt.Sprintf("%s in %s", i.Outcome, i.Calendar)
		for _, f := range i.Fields {
			line += fmt.Sprintf(" %s %s→%s", f.Field, f.Calendar, f.Wanted)
		}
		if i.Edit < 0 {
			line += " (" + i.Reason + ")"
		}
		out = append(out, line)
	}
	return u, strings.Join(out, "; ")
}

func (w *world) texts() string {
	out := ""
	for _, n := range w.names {
		for _, o := range w.calendars[n] {
			out += n + " " + o.UID + "\n" + string(bytes.Join(o.Raws(), nil))
		}
	}
	return out
}

// A run is taken back: what it made goes, what it changed is as it was, what it
// took out stands again; what was touched since is left; and that is taken back
// in turn.
func TestUndo(t *testing.T) {
	head := "No|Vessel|Day|At|Berth\n"
	first := head + "1|Corvane|2026-03-05|08:00|3\n2|Merle|2026-03-06|09:00|1\n3|Oldwick|2026-03-07|09:00|1"
	second := head + "1|Corvane II|2026-03-05|08:00|3\n2|Merle|2026-03-06|09:00|1\n4|Lisarda|2026-03-08|09:00|2"
	w := newWorld(t, "berths")
	w.load(calls, first)
	before := w.texts()
	p := w.load(calls, second)
	after := w.texts()

	u, said := w.undo(p, nil)
	assert.Equal(t, "new in berths; gone in berths; changed in berths title Corvane II→Corvane", said)
	assert.Equal(t, sorted(before), sorted(w.texts()))
	again, said := w.undo(u, nil)
	assert.Equal(t, "changed in berths title Corvane→Corvane II; new in berths; gone in berths", said)
	assert.Equal(t, sorted(after), sorted(w.texts()))

	w.edit("berths", "1", "LOCATION", "By hand")
	w.take("berths", "4")
	_, said = w.undo(p, nil)
	assert.Contains(t, said, "held in berths (it was touched since:")
	assert.Contains(t, said, "held in berths (it is not there any more:")
	_, said = w.undo(again, nil)
	assert.Contains(t, said, "an event of its UID stands there again")

	// Many at once are asked about.
	w = newWorld(t, "berths")
	rows := head
	for i := range 9 {
		rows += fmt.Sprintf("%d|Call %d|2026-03-05|08:00|3\n", i, i)
	}
	p = w.load(calls, rows)
	u, _ = w.undo(p, nil)
	require.Len(t, u.Guards, 1)
	assert.Equal(t, 9, u.Guards[0].Count)
	w.undo(p, map[string]int{"removed": 9})
	assert.Empty(t, w.calendars["berths"])

	// A move goes back: it stands where it was before it goes from where it is.
	moving := strings.Replace(calls, "into: berths", "into: '{Berth}'", 1)
	w = newWorld(t, "berths", "works")
	w.load(moving, head+"1|Corvane|2026-03-05|08:00|berths")
	before = w.texts()
	p = w.load(moving, head+"1|Corvane|2026-03-05|08:00|works")
	u, said = w.undo(p, nil)
	assert.Equal(t, "new in berths; gone in works", said)
	assert.EqualValues(t, 1, u.Edits[1].Needs, "in that order, whatever comes between")
	assert.Equal(t, before, w.texts())
}

func sorted(text string) []string {
	out := strings.Split(text, "BEGIN:VEVENT")
	slices.Sort(out)
	return out
}

// A run that gave an event another key is taken back, unless its old key is another event's by
// now; and what is remembered then is what stands.
func TestUndoRenumbering(t *testing.T) {
	const head = "No|Vessel|Day|At|Berth\n"
	corvane := func(key string) string { return head + key + "|Corvane|2026-03-05|08:00|3\n" }
	begin := func() (*world, *Plan) {
		w := newWorld(t, "berths")
		w.remember(w.load(calls, corvane("7")))
		w.request.Pairs = Pairs{RekeyAll: true}
		renumbered := w.load(calls, corvane("8"))
		w.remember(renumbered)
		w.request.Pairs = Pairs{}
		return w, renumbered
	}
	w, renumbered := begin()
	u, said := w.undo(renumbered, nil)
	assert.Equal(t, "changed in berths", said)
	w.remember(u)
	p, err := w.plan(calls, corvane("7"))
	require.NoError(t, err)
	assert.Equal(t, "same 7 berths", strings.TrimSpace(told(p)))
	p, err = w.plan(calls, head+"7|Corvane|2026-03-05|08:00|3\n8|Merle|2026-03-06|08:00|3\n")
	require.NoError(t, err)
	assert.Equal(t, 1, p.Totals.New, "the key that was taken back is free")

	w, renumbered = begin()
	w.remember(w.load(calls, corvane("8")+"7|Merle|2026-03-06|08:00|3\n"))
	_, said = w.undo(renumbered, nil)
	assert.Contains(t, said, "another event has its key by now")
	p, err = w.plan(calls, corvane("8")+"7|Merle|2026-03-06|08:00|3\n")
	require.NoError(t, err)
	assert.Equal(t, 2, p.Totals.Same, told(p))
}
