package plan

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
)

// remember keeps what stands after a plan, as a logbook does.
func (w *world) remember(p *Plan) {
	if w.request.Memory == nil {
		w.request.Memory = Memory{}
	}
	for _, name := range w.names {
		was := w.request.Memory[name]
		if was == nil {
			was = &Remembered{}
		}
		w.request.Memory[name] = was.After(p, name, func(id identity.ID) bool {
			return slices.ContainsFunc(w.names, func(n string) bool {
				f := NewHolding(n, true, w.zones[n].Find, w.calendars[n]).Row(id)
				return f.Object != nil
			})
		})
	}
}

// take takes the event of a key out of a calendar, as a person does.
func (w *world) take(calendar, key string) *ical.Object {
	w.Helper()
	o, _ := w.find(calendar, key, "")
	require.NotNil(w, o, "%s in %s", key, calendar)
	var left []*ical.Object
	for _, other := range w.calendars[calendar] {
		if other != o {
			left = append(left, other)
		}
	}
	w.calendars[calendar] = left
	return o
}

// What people deleted stays away, and what they moved stays where it is.
func TestMemory(t *testing.T) {
	rows := func(n int) string {
		out := "No|Vessel|Day|At|Berth"
		for i := 1; i <= n; i++ {
			out += fmt.Sprintf("\nTH-%d|Corvane %d|2026-03-%02d|08:00|3", i, i, i+2)
		}
		return out
	}
	load := func(w *world, settings, sheet string) string {
		w.Helper()
		p := w.load(settings, sheet)
		w.remember(p)
		return strings.ReplaceAll(strings.TrimSpace(told(p)), "\n", "; ")
	}
	const away = "removed TH-2 berths (someone deleted its event in the calendar; it stays away)"
	t.Run("deleted by hand", func(t *testing.T) {
		w := newWorld(t, "berths")
		load(w, calls, rows(3))
		w.take("berths", "TH-2")
		for range 3 {
			assert.Equal(t, "same TH-1 berths; "+away+"; same TH-3 berths", load(w, calls, rows(3)))
		}
		assert.Equal(t, "same TH-1 berths; gone TH-3 berths (its row is no longer in the source; it is deleted); remove in berths", load(w, calls, rows(1)), "its row goes")
		assert.Equal(t, "same TH-1 berths; "+away+"; new TH-3 berths; create in berths", load(w, calls, rows(3)), "and comes back")
		w.request.Restore = map[string]bool{"TH-2": true, "TH-9": true}
		assert.Equal(t, "same TH-1 berths; new TH-2 berths; same TH-3 berths; create in berths; --restore TH-9: no row of the source has this key", load(w, calls, rows(3)))
		w.request.Restore = nil
		assert.NotContains(t, load(w, calls, rows(3)), "removed")
	})
	t.Run("settled by name, by policy, and forgotten without a memory", func(t *testing.T) {
		for how, change := range map[string]func(*world) string{
			"take":     func(w *world) string { w.request.Takes = []Take{{agree.Sheet, "TH-2"}}; return calls },
			"calendar": func(w *world) string { w.request.Takes = []Take{{agree.Calendar, "TH-2"}}; return calls },
			"all":      func(w *world) string { w.request.RestoreAll = true; return calls },
			"policy": func(*world) string {
				return strings.Replace(calls, "gone: delete", "gone: delete, removed: restore", 1)
			},
			"forgets": func(w *world) string { w.request.Memory = nil; return calls },
		} {
			w := newWorld(t, "berths")
			load(w, calls, rows(3))
			w.take("berths", "TH-2")
			if got := load(w, change(w), rows(3)); how == "calendar" {
				assert.Contains(t, got, away)
			} else {
				assert.Contains(t, got, "new TH-2 berths", how)
			}
		}
	})
	t.Run("many at once are asked about", func(t *testing.T) {
		w := newWorld(t, "berths")
		load(w, calls, rows(10))
		w.calendars["berths"] = w.calendars["berths"][:3]
		p, err := w.plan(calls, rows(10))
		require.NoError(t, err)
		require.Len(t, p.Guards, 1)
		assert.Equal(t, "7 of the 10 events of calls are not in their calendar any more, though no load took them out (if someone deleted them on purpose, load again with --allow vanished=7; to make them again, with --restore all; nothing was written)", p.Guards[0].Fault("calls").Reason())
		w.request.Allow = map[string]int{"vanished": 7}
		assert.Equal(t, 7, strings.Count(load(w, calls, rows(10)), "removed"))
		w.request.Allow = nil
		assert.Equal(t, 7, strings.Count(load(w, calls, rows(10)), "removed"), "asked once")
	})
	t.Run("moved by hand", func(t *testing.T) {
		w := newWorld(t, "berths", "works")
		load(w, calls, rows(2))
		w.calendars["works"] = append(w.calendars["works"], w.take("berths", "TH-2"))
		for range 3 {
			assert.Equal(t, "same TH-1 berths; edited TH-2 works calendar:edited", load(w, calls, rows(2)))
		}
		renamed := strings.Replace(rows(2), "Corvane 2", "Corvane II", 1)
		assert.Equal(t, "same TH-1 berths; changed TH-2 works title:changed calendar:edited; change in works", load(w, calls, renamed))
		there := strings.Replace(calls, "into: berths", "into: works", 1)
		assert.Equal(t, "changed TH-1 works calendar:changed; same TH-2 works; create in works; move out in berths", load(w, there, renamed))
	})
	t.Run("a removal of our own is none of a person's", func(t *testing.T) {
		w := newWorld(t, "berths")
		load(w, calls, rows(3))
		assert.Contains(t, load(w, calls, rows(1)), "remove in berths; remove in berths")
		assert.Contains(t, load(w, calls, rows(3)), "new TH-2 berths; new TH-3 berths")
	})
}

// What the intake says of fields that someone changed.
func TestPolicies(t *testing.T) {
	const head = "No|Vessel|Day|At|Berth\n"
	for policy, want := range map[string]struct{ edited, disputed string }{
		"":                            {"edited 7 berths title:edited", "disputed 7 berths title:disputed"},
		"edited: keep":                {"edited 7 berths title:edited", "disputed 7 berths title:disputed"},
		"edited: source":              {"changed 7 berths title:changed; change in berths", "disputed 7 berths title:disputed"},
		"edited: hold":                {"disputed 7 berths title:disputed (someone changed it in the calendar, and the intake wants such events looked at)", "disputed 7 berths title:disputed"},
		"disputed: source":            {"edited 7 berths title:edited", "changed 7 berths title:changed; change in berths"},
		"disputed: calendar":          {"edited 7 berths title:edited", "same 7 berths; change in berths"},
		"fields: { title: calendar }": {"edited 7 berths title:edited", "same 7 berths; change in berths"},
		"fields: { title: source }":   {"changed 7 berths title:changed; change in berths", "changed 7 berths title:changed; change in berths"},
		"edited: hold, fields: { title: calendar }":      {"edited 7 berths title:edited", "same 7 berths; change in berths"},
		"disputed: source, fields: { title: calendar }":  {"edited 7 berths title:edited", "same 7 berths; change in berths"},
		"edited: source, fields: { location: calendar }": {"changed 7 berths title:changed; change in berths", "disputed 7 berths title:disputed"},
	} {
		settings := strings.Replace(calls, "gone: delete", strings.TrimPrefix(policy+", gone: delete", ", "), 1)
		for n, sheet := range []string{"Corvane", "Corvane II"} {
			w := newWorld(t, "berths")
			w.load(settings, head+"7|Corvane|2026-03-05|08:00|3")
			w.edit("berths", "7", "SUMMARY", "Corvane, delayed")
			p, err := w.plan(settings, head+"7|"+sheet+"|2026-03-05|08:00|3")
			require.NoError(t, err)
			assert.Equal(t, []string{want.edited, want.disputed}[n], strings.ReplaceAll(strings.TrimSpace(told(p)), "\n", "; "), policy)
			w.apply(p)
			if again := w.load(settings, head+"7|"+sheet+"|2026-03-05|08:00|3"); p.Totals.Disputed == 0 && p.Totals.Edited == 0 {
				assert.Equal(t, "same 7 berths", strings.TrimSpace(told(again)), policy)
			}
		}
	}
}

func TestSort(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, n := range []int{0, 1, 4095, 4096, 30_000} {
		ids := make([]identity.ID, n)
		for i := range ids {
			for at := range ids[i] {
				ids[i][at] = byte(r.IntN(256))
			}
			if i%3 == 1 { // some twice, many with the same beginning
				copy(ids[i][:i%16], ids[i-1][:])
			}
			if i%7 == 1 {
				ids[i] = ids[i-1]
			}
		}
		want := slices.Clone(ids)
		slices.SortFunc(want, func(a, b identity.ID) int { return bytes.Compare(a[:], b[:]) })
		assert.Equal(t, slices.Compact(want), Sort(ids))
	}
}
