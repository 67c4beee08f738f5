package plan

import (
	"fmt"
	"math/rand/v2"
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
			if next := p.Next(); next != nil {
				again, err := w.plan(calls, head+c.rows)
				require.NoError(t, err)
				assert.Equal(t, told(again), told(next), "what a second load says was foreseen as something else")
			}
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

// A key that its event has given up can be the key of another one.
func TestOldKeyAgain(t *testing.T) {
	w := newWorld(t, "berths")
	rows := "No|Vessel|Day|At|Berth\n"
	w.remember(w.load(calls, rows+"7|Corvane|2026-03-05|08:00|3"))
	for n, old := range []string{"8", "9", "10"} {
		w.request.Pairs = Pairs{RekeyAll: true}
		renumbered := rows + old + "|Corvane|2026-03-05|08:00|3\n"
		if n > 0 {
			renumbered = strings.ReplaceAll(rows, "7|", old+"|")
		}
		p := w.load(calls, renumbered)
		assert.Equal(t, 1, p.Totals.Changed, told(p))
		w.remember(p)
		w.request.Pairs = Pairs{}
		rows = renumbered + fmt.Sprintf("7|Merle %d|2026-03-%02d|09:00|3\n", n, 10+n)
		p = w.load(calls, rows)
		assert.Equal(t, 1, p.Totals.New, told(p))
		w.remember(p)
		p, err := w.plan(calls, rows)
		require.NoError(t, err)
		assert.Equal(t, n+2, p.Totals.Same, told(p))
	}
	uids := map[string]bool{}
	for _, o := range w.calendars["berths"] {
		uids[o.UID] = true
	}
	assert.Len(t, uids, 4)
}

// The event of a row that had another key is found when it has lost its marks, as long as it says
// the same.
func TestLostAfterRenumbering(t *testing.T) {
	const head = "No|Vessel|Day|At|Berth\n"
	for name, c := range map[string]struct{ rows, want string }{
		"as it was":      {"8|Corvane|2026-03-05|08:00|3", "same 8 berths; change in berths; the event of 8 has lost its marks in the calendar, and is known by its title and its time"},
		"changed":        {"8|Corvane|2026-03-05|08:00|4", "changed 8 berths location:changed; change in berths; the event of 8 has lost its marks in the calendar, and is known by its title and its time"},
		"under a title":  {"8|Merle|2026-03-05|08:00|3", "removed 8 berths (someone deleted its event in the calendar; it stays away)"},
		"one never seen": {"9|Corvane|2026-03-05|08:00|3", "new 9 berths; create in berths"},
	} {
		w := newWorld(t, "berths")
		w.remember(w.load(calls, head+"7|Corvane|2026-03-05|08:00|3"))
		w.request.Pairs = Pairs{RekeyAll: true}
		w.remember(w.load(calls, head+"8|Corvane|2026-03-05|08:00|3"))
		w.request.Pairs = Pairs{}
		o := w.calendars["berths"][0]
		text := ical.Open(o.Part(0))
		for _, mark := range []string{event.PropID, event.PropIntake, event.PropKey} {
			text.Remove(mark)
		}
		w.calendars["berths"] = []*ical.Object{ical.NewObject(o.UID, text.Bytes())}
		p, err := w.plan(calls, head+c.rows)
		require.NoError(t, err)
		assert.Equal(t, c.want, strings.ReplaceAll(strings.TrimSpace(told(p)), "\n", "; "), name)
	}
}

// Texts that change from load to load: each event that the text tells of stands once, and
// nothing is left to be done. An event whose title is written otherwise is no second one.
func TestRenamedHistories(t *testing.T) {
	const settings = "name: notice\nkey: No\ninto: berths\nevent: { title: '{What}', start: '{Day} {At}', location: '{Where}' }\nassume: { length: 1h }\n"
	type item struct{ what, where, day, at string }
	r := rand.New(rand.NewPCG(3, 5))
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	fresh := func() item {
		return item{pick("Crane", "Fire", "Depth", "Boat") + " " + pick("check", "drill", "survey"), pick("", "3", "4"), fmt.Sprintf("2026-03-%02d", 5+r.IntN(4)), pick("08:00", "09:00", "10:00")}
	}
	renamed := 0
	for range 400 {
		w := newWorld(t, "berths")
		var items []item
		for range 1 + r.IntN(4) {
			items = append(items, fresh())
		}
		for step := range 4 {
			rows, seen := "No|What|Day|At|Where", map[string]bool{}
			var said []item
			for _, it := range items { // as texts are keyed
				if key := strings.Trim(it.what+" / "+it.where, " /"); !seen[key] {
					seen[key], said = true, append(said, it)
					rows += fmt.Sprintf("\n@%s|%s|%s|%s|%s", key, it.what, it.day, it.at, it.where)
				}
			}
			before := len(w.calendars["berths"])
			p := w.load(settings, rows)
			w.remember(p)
			renamed += strings.Count(strings.Join(p.Notes, ""), "is now")
			assert.LessOrEqual(t, len(w.calendars["berths"]), before+p.Totals.New)
			again, err := w.plan(settings, rows)
			require.NoError(t, err)
			assert.Empty(t, again.Edits, rows)
			if next := p.Next(); next != nil {
				assert.Equal(t, told(again), told(next), rows)
			}
			for _, it := range said {
				count := 0
				for _, o := range w.calendars["berths"] {
					text := string(o.Part(0))
					if strings.Contains(text, "SUMMARY:"+it.what+"\r\n") && strings.Contains(text, strings.ReplaceAll(it.day, "-", "")+"T"+strings.ReplaceAll(it.at, ":", "")) && (it.where == "" || strings.Contains(text, "LOCATION:"+it.where)) {
						count++
					}
				}
				assert.GreaterOrEqual(t, count, 1, "%d: %v in %s", step, it, rows)
			}
			i := r.IntN(len(items))
			switch r.IntN(5) {
			case 0:
				items[i].what = pick("Yearly ", "The ") + items[i].what
			case 1:
				items[i].where = pick("", "3", "4")
			case 2:
				items[i].at = pick("08:00", "09:00", "10:00")
			case 3:
				items = append(items, fresh())
			default:
				items[i] = fresh()
			}
		}
	}
	assert.Greater(t, renamed, 100)
}
