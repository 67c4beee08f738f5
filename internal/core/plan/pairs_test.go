package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
)

const calls = "name: calls\nkey: No\ninto: berths\nevent: { title: '{Vessel}', start: '{Day} {At}', location: '{Berth}' }\nassume: { length: 1h }\nagree: { gone: delete }\n"

// Rows whose keys changed, and rows that look like events made by hand.
func TestPairs(t *testing.T) {
	head := "No|Vessel|Day|At|Berth\n"
	first := head + "7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1"
	const byHand = "SUMMARY:Grey Petrel\r\nDTSTART:20260309T100000Z\r\nDTEND:20260309T110000Z\r\nLOCATION:2"
	for name, c := range map[string]struct {
		rows  string
		pairs Pairs
		want  string
		notes string
	}{
		"zeros in front":       {"007|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1", Pairs{}, "same 007 berths; same TH-2 berths; change in berths", "a key has another form than at the last load and is the same by its value: 7 is now 007"},
		"letter case":          {"7|Corvane|2026-03-05|08:00|3\nth-2|Merle|2026-03-06|10:00|1", Pairs{}, "same 7 berths; changed th-2 berths start:changed end:changed; change in berths", "a key has another form than at the last load and is the same by its value: TH-2 is now th-2"},
		"renumbered":           {"8|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1", Pairs{}, `held 8 berths ("8" says the same as 7, whose row has gone: most likely its number was changed (load with --rekey 7=8 to keep its event, with --beside 8 to make another)); same TH-2 berths; gone 7 berths (its row is no longer in the source; it may be the one of row 8, renumbered)`, ""},
		"renumbered, as told":  {"8|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1", Pairs{Rekey: map[string]string{"8": "7"}}, "changed 8 berths key:changed; same TH-2 berths; change in berths", ""},
		"renumbered, all":      {"8|Corvane|2026-03-05|08:00|3\nTH-3|Merle|2026-03-06|09:00|1", Pairs{RekeyAll: true}, "changed 8 berths key:changed; changed TH-3 berths key:changed; change in berths; change in berths", ""},
		"renumbered and moved": {"8|Corvane|2026-03-05|08:30|3\nTH-2|Merle|2026-03-06|09:00|1", Pairs{Rekey: map[string]string{"8": "7"}}, "changed 8 berths start:changed end:changed key:changed; same TH-2 berths; change in berths", ""},
		"beside what has gone": {"8|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1", Pairs{Beside: map[string]bool{"8": true}}, "new 8 berths; same TH-2 berths; gone 7 berths (its row is no longer in the source; it is deleted); create in berths; remove in berths", ""},
		"no such renumbering":  {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1", Pairs{Rekey: map[string]string{"8": "9"}}, "same 7 berths; same TH-2 berths", "--rekey 9=8: there is no event of the old key whose row has gone, or no new row of the new one; nothing was renumbered"},
		"alike":                {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1\nTH-3|The Grey Petrel|2026-03-09|10:00|2", Pairs{}, `same 7 berths; same TH-2 berths; held TH-3 berths ("TH-3" looks like "Grey Petrel", which someone made in calendar berths (the same time, title alike by 66 %, the same place) (take that one over with: almanach adopt calls TH-3; or make another with --beside TH-3))`, ""},
		"alike and adopted":    {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1\nTH-3|The Grey Petrel|2026-03-09|10:00|2", Pairs{Adopt: map[string]bool{"TH-3": true}}, "same 7 berths; same TH-2 berths; changed TH-3 berths title:edited (taken over: someone made it by hand; nothing else of it is changed); change in berths", ""},
		"adopted from a score": {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1\nTH-3|The Grey Petrel|2026-03-09|10:00|2", Pairs{AdoptFrom: 80}, "same 7 berths; same TH-2 berths; changed TH-3 berths title:edited (taken over: someone made it by hand; nothing else of it is changed); change in berths", ""},
		"look-alikes alone":    {"7|Corvane II|2026-03-05|08:00|3\nTH-3|The Grey Petrel|2026-03-09|10:00|2\nTH-5|New|2026-03-19|10:00|2", Pairs{Only: true}, `held TH-3 berths ("TH-3" looks like "Grey Petrel", which someone made in calendar berths (the same time, title alike by 66 %, the same place) (take that one over with: almanach adopt calls TH-3; or make another with --beside TH-3)); nothing removed: only some rows were tried`, ""},
		"below the score":      {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1\nTH-3|The Grey Petrel|2026-03-09|10:00|2", Pairs{AdoptFrom: 95, BesideAll: true}, "same 7 berths; same TH-2 berths; new TH-3 berths; create in berths", ""},
		"claimed twice":        {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1\nTH-3|Grey Petrel|2026-03-09|10:00|2\nTH-4|Grey Petrel|2026-03-09|10:00|2", Pairs{AdoptFrom: 80}, `same 7 berths; same TH-2 berths; changed TH-3 berths (taken over: someone made it by hand; nothing else of it is changed); held TH-4 berths ("TH-4" looks like "Grey Petrel" in calendar berths, which another row claims too (adopt it for one of them, and load the other with --beside)); change in berths`, ""},
		"another time":         {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1\nTH-3|Grey Petrel|2026-03-09|12:00|2", Pairs{}, "same 7 berths; same TH-2 berths; new TH-3 berths; create in berths", ""},
		"another title":        {"7|Corvane|2026-03-05|08:00|3\nTH-2|Merle|2026-03-06|09:00|1\nTH-3|Fender check|2026-03-09|10:00|2", Pairs{}, "same 7 berths; same TH-2 berths; new TH-3 berths; create in berths", ""},
	} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t, "berths")
			w.load(calls, first)
			w.calendars["berths"] = append(w.calendars["berths"], ical.NewObject("by-hand", []byte("BEGIN:VEVENT\r\nUID:by-hand\r\n"+byHand+"\r\nEND:VEVENT\r\n")))
			w.request.Pairs = c.pairs
			p, err := w.plan(calls, head+c.rows)
			require.NoError(t, err)
			want := c.want
			if c.notes != "" {
				want += "; " + c.notes
			}
			assert.Equal(t, want, strings.ReplaceAll(strings.TrimSpace(told(p)), "\n", "; "))
			uids := map[string]bool{}
			for _, o := range w.calendars["berths"] {
				uids[o.UID] = true
			}
			w.apply(p)
			w.request.Pairs = Pairs{BesideAll: true}
			if again := w.load(calls, head+c.rows); c.pairs.Beside == nil && !strings.Contains(c.want, "held") {
				assert.Equal(t, strings.Count(c.rows, "\n")+1, again.Totals.Same+again.Totals.Edited, "the second load: %s", told(again))
				for _, o := range w.calendars["berths"] {
					if !uids[o.UID] {
						assert.Contains(t, c.want, "new ")
					}
				}
			}
		})
	}
}

// An event that lost our marks is found by its UID, and gets them back.
func TestLostMarks(t *testing.T) {
	rows := "No|Vessel|Day|At|Berth\n7|Corvane|2026-03-05|08:00|3"
	w := newWorld(t, "berths")
	w.load(calls, rows)
	o, i := w.find("berths", "7", "")
	c := ical.Open(o.Part(i))
	for _, mark := range []string{event.PropID, event.PropIntake, event.PropKey, event.PropSeal} {
		c.Remove(mark)
	}
	w.calendars["berths"] = []*ical.Object{ical.NewObject(o.UID, c.Bytes())}
	p := w.load(calls, rows)
	assert.Equal(t, "same 7 berths\nchange in berths", strings.TrimSpace(told(p)))
	back, _ := w.find("berths", "7", "")
	require.NotNil(t, back, "it has its marks again")
	assert.Equal(t, "same 7 berths", strings.TrimSpace(told(w.load(calls, rows))))
}

// Events of running text whose title or place is written otherwise, which are their keys.
func TestRenamed(t *testing.T) {
	const settings = "name: notice\nkey: No\ninto: berths\nevent: { title: '{What}', start: '{Day} {At}', location: '{Where}' }\nassume: { length: 1h }\n"
	head := "No|What|Day|At|Where\n"
	for name, c := range map[string]struct {
		rows, want, notes string
		apart             bool
	}{
		"another title":        {rows: "@walk|The walk|2026-03-05|08:00|\n@drill / 3|Fire drill|2026-03-06|09:00|3", want: "changed walk berths title:changed; same drill / 3 berths; change in berths", notes: "an event has another title or place than at the last load, and the same time: walk takes place is now walk"},
		"another place":        {rows: "@walk takes place|The walk takes place|2026-03-05|08:00|\n@drill / 4|Fire drill|2026-03-06|09:00|4", want: "same walk takes place berths; changed drill / 4 berths location:changed; change in berths", notes: "an event has another title or place than at the last load, and the same time: drill / 3 is now drill / 4"},
		"another thing":        {rows: "@survey|Depth survey|2026-03-05|08:00|\n@drill / 3|Fire drill|2026-03-06|09:00|3", want: "new survey berths; same drill / 3 berths; gone walk takes place berths (its row is no longer in the source); create in berths"},
		"another time as well": {rows: "@walk|The walk|2026-03-05|09:00|\n@drill / 3|Fire drill|2026-03-06|09:00|3", want: "new walk berths; same drill / 3 berths; gone walk takes place berths (its row is no longer in the source); create in berths"},
		"two that it may be":   {rows: "@walk|The walk|2026-03-05|08:00|\n@walk (2)|The walk|2026-03-05|08:00|\n@drill / 3|Fire drill|2026-03-06|09:00|3", want: "new walk berths; new walk (2) berths; same drill / 3 berths; gone walk takes place berths (its row is no longer in the source); create in berths; create in berths"},
		"a row of a table":     {rows: "walk|The walk|2026-03-05|08:00|\n@drill / 3|Fire drill|2026-03-06|09:00|3", want: "new walk berths; same drill / 3 berths; gone walk takes place berths (its row is no longer in the source); create in berths"},
		"of messages":          {apart: true, rows: "@walk|The walk|2026-03-05|08:00|\n@drill / 3|Fire drill|2026-03-06|09:00|3", want: "new walk berths; same drill / 3 berths; create in berths"},
	} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t, "berths")
			w.load(settings, head+"@walk takes place|The walk takes place|2026-03-05|08:00|\n@drill / 3|Fire drill|2026-03-06|09:00|3")
			w.request.Apart = c.apart
			p, err := w.plan(settings, head+c.rows)
			require.NoError(t, err)
			want := c.want
			if c.notes != "" {
				want += "; " + c.notes
			}
			assert.Equal(t, want, strings.ReplaceAll(strings.TrimSpace(told(p)), "\n", "; "))
			w.apply(p)
			p, err = w.plan(settings, head+c.rows)
			require.NoError(t, err)
			assert.Empty(t, p.Edits, "nothing is left to be done")
			assert.Empty(t, p.Notes)
		})
	}
}
