// Package calendartest is the suite that every kind of calendar passes.
package calendartest

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/edge/calendar"
)

// Maker makes an empty calendar and gives a function that opens it again, as
// another run would.
type Maker func(t *testing.T) (open func() calendar.Backend)

// Test runs the suite. Events are compared by their meaning, since a calendar
// may write what it is given in its own way.
func Test(t *testing.T, make Maker) {
	for _, c := range []struct {
		name string
		run  func(*testing.T, *fixture)
	}{
		{"what is created is there, once", created},
		{"nothing is created over what is there", taken},
		{"an object is changed as a whole", changed},
		{"an object is removed as a whole", removed},
		{"what someone else changed is not written over", stale},
		{"others keep what they have", others},
		{"zones that events name are known", zones},
		{"entries come in one order", ordered},
		{"a context that has ended writes nothing", cancelled},
		{"many edits at once", many},
		{"no edit is no work", nothing},
	} {
		t.Run(c.name, func(t *testing.T) {
			f := &fixture{T: t, open: make(t)}
			f.reopen()
			c.run(t, f)
		})
	}
}

// fixture is a calendar under test.
type fixture struct {
	*testing.T
	open func() calendar.Backend
	calendar.Backend
}

// reopen opens the calendar again.
func (f *fixture) reopen() {
	f.Helper()
	if f.Backend != nil {
		require.NoError(f, f.Close())
	}
	f.Backend = f.open()
}

// objects gives what the calendar holds, by UID.
func (f *fixture) objects() map[string]*ical.Object {
	f.Helper()
	out := map[string]*ical.Object{}
	for o, err := range f.Entries(f.Context()) {
		require.NoError(f, err)
		require.NotContains(f, out, o.UID, "a UID twice")
		out[o.UID] = o
	}
	return out
}

// apply does edits that must all succeed, and checks what is said of them.
func (f *fixture) apply(edits ...calendar.Edit) {
	f.Helper()
	results, err := f.Apply(f.Context(), edits)
	require.NoError(f, err)
	require.Len(f, results, len(edits))
	for i, r := range results {
		require.NoError(f, r.Err)
		if len(edits[i].New) == 0 {
			assert.Nil(f, r.Held)
			continue
		}
		require.NotNil(f, r.Held)
		f.same(edits[i].New, r.Held.Raws())
	}
}

// refused does edits of which the first must fail because the calendar has
// changed.
func (f *fixture) refused(edits ...calendar.Edit) {
	f.Helper()
	results, err := f.Apply(f.Context(), edits)
	require.Len(f, results, len(edits))
	require.ErrorIs(f, results[0].Err, calendar.ErrChanged)
	if err != nil {
		require.ErrorIs(f, err, calendar.ErrChanged)
	}
}

// same compares components by their meaning.
func (f *fixture) same(want, got [][]byte) {
	f.Helper()
	require.Equal(f, f.meaning(want), f.meaning(got))
}

func (f *fixture) meaning(raws [][]byte) []string {
	var out []string
	for _, raw := range raws {
		v, err := event.Read(raw, f.Zones())
		require.NoError(f, err)
		var b strings.Builder
		fmt.Fprintf(&b, "%s %s %v", v.UID, v.When, v.Recurrence)
		for _, field := range event.Fields() {
			fmt.Fprintf(&b, "|%s", v.Meaning(field))
		}
		out = append(out, b.String())
	}
	slices.Sort(out)
	return out
}

// call is the text of an event, with further lines.
func call(uid, title string, more ...string) []byte {
	lines := slices.Concat([]string{"BEGIN:VEVENT", "UID:" + uid, "DTSTAMP:20260302T080000Z", "DTSTART:20260305T080000Z", "DTEND:20260305T090000Z", "SUMMARY:" + title}, more, []string{"END:VEVENT", ""})
	return []byte(strings.Join(lines, "\r\n"))
}

// date is the text of a changed occurrence.
func date(uid, day, title string) []byte {
	return []byte(strings.Join([]string{"BEGIN:VEVENT", "UID:" + uid, "DTSTAMP:20260302T080000Z", "RECURRENCE-ID:" + day + "T080000Z", "DTSTART:" + day + "T100000Z", "DTEND:" + day + "T110000Z", "SUMMARY:" + title, "END:VEVENT", ""}, "\r\n"))
}

const weekly = "RRULE:FREQ=WEEKLY;COUNT=9"

func created(t *testing.T, f *fixture) {
	assert.Empty(t, f.objects())
	one, series := [][]byte{call("one", "Grey Petrel", "LOCATION:Berth 1\\, north")}, [][]byte{call("two", "Ferry", weekly), date("two", "20260312", "Late ferry")}
	f.apply(calendar.Edit{New: one}, calendar.Edit{New: series})
	for range 2 {
		got := f.objects()
		require.Len(t, got, 2)
		f.same(one, got["one"].Raws())
		f.same(series, got["two"].Raws())
		f.reopen()
	}
}

func taken(t *testing.T, f *fixture) {
	f.apply(calendar.Edit{New: [][]byte{call("one", "Grey Petrel")}})
	f.reopen()
	other := f.open()
	defer other.Close()
	for range other.Entries(t.Context()) {
	}
	results, err := other.Apply(t.Context(), []calendar.Edit{{New: [][]byte{call("one", "Grey Petrel\\, again")}}})
	if err == nil {
		err = results[0].Err
	}
	require.ErrorIs(t, err, calendar.ErrExists)
	got := f.objects()
	require.Len(t, got, 1)
	f.same([][]byte{call("one", "Grey Petrel")}, got["one"].Raws())
}

func changed(t *testing.T, f *fixture) {
	f.apply(calendar.Edit{New: [][]byte{call("one", "Ferry", weekly), date("one", "20260312", "Late"), date("one", "20260319", "Later")}}, calendar.Edit{New: [][]byte{call("two", "Corvane")}})
	f.reopen()
	for _, want := range [][][]byte{
		{call("one", "Ferry II", weekly), date("one", "20260312", "Late"), date("one", "20260319", "Later")},
		{call("one", "Ferry II", weekly), date("one", "20260312", "Late"), date("one", "20260319", "Later"), date("one", "20260326", "Latest")},
		{call("one", "Ferry II", weekly), date("one", "20260326", "Latest")},
		{call("one", "Once")},
	} {
		f.apply(calendar.Edit{Old: f.objects()["one"], New: want})
		f.reopen()
		f.same(want, f.objects()["one"].Raws())
		f.same([][]byte{call("two", "Corvane")}, f.objects()["two"].Raws())
	}
}

func removed(t *testing.T, f *fixture) {
	f.apply(calendar.Edit{New: [][]byte{call("one", "Ferry", weekly), date("one", "20260312", "Late")}}, calendar.Edit{New: [][]byte{call("two", "Corvane")}})
	f.reopen()
	f.apply(calendar.Edit{Old: f.objects()["one"]})
	f.reopen()
	assert.Equal(t, []string{"two"}, keys(f.objects()))
	f.apply(calendar.Edit{Old: f.objects()["two"]})
	f.reopen()
	assert.Empty(t, f.objects())
	f.apply(calendar.Edit{New: [][]byte{call("one", "Back")}})
	f.reopen()
	assert.Equal(t, []string{"one"}, keys(f.objects()))
}

func keys(m map[string]*ical.Object) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

func stale(t *testing.T, f *fixture) {
	f.apply(calendar.Edit{New: [][]byte{call("one", "Grey Petrel")}}, calendar.Edit{New: [][]byte{call("two", "Corvane")}})
	f.reopen()
	seen := f.objects()
	other := &fixture{T: t, open: f.open}
	other.reopen()
	defer other.Close()
	there := other.objects()
	other.apply(calendar.Edit{Old: there["one"], New: [][]byte{call("one", "Moved by hand")}}, calendar.Edit{Old: there["two"]})
	f.refused(calendar.Edit{Old: seen["one"], New: [][]byte{call("one", "From the sheet")}})
	f.reopen()
	f.same([][]byte{call("one", "Moved by hand")}, f.objects()["one"].Raws())
	assert.Equal(t, []string{"one"}, keys(f.objects()))
	// Seen again, it can be written.
	f.apply(calendar.Edit{Old: f.objects()["one"], New: [][]byte{call("one", "From the sheet")}})
}

func others(t *testing.T, f *fixture) {
	theirs := call("one", "Theirs", "COMMENT:kept", "X-OTHER;X-P=1:a", "ATTENDEE;PARTSTAT=ACCEPTED:mailto:oda@fenn-agency.example", "BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:Ring", "TRIGGER:-PT15M", "END:VALARM")
	f.apply(calendar.Edit{New: [][]byte{theirs}}, calendar.Edit{New: [][]byte{call("two", "Ours")}})
	f.reopen()
	before := f.objects()["one"].Raws()
	f.apply(calendar.Edit{Old: f.objects()["two"], New: [][]byte{call("two", "Ours\\, changed")}}, calendar.Edit{New: [][]byte{call("three", "New")}})
	f.reopen()
	after := f.objects()["one"].Raws()
	f.same(before, after)
	for _, part := range []string{"COMMENT:kept", "X-OTHER", "PARTSTAT=ACCEPTED", "BEGIN:VALARM"} {
		assert.Contains(t, string(after[0]), part)
	}
}

func zones(t *testing.T, f *fixture) {
	local := func(uid, tzid string) []byte {
		return []byte(strings.ReplaceAll(string(call(uid, "Local")), "DTSTART:20260305T080000Z\r\nDTEND:20260305T090000Z", "DTSTART;TZID="+tzid+":20260705T080000\r\nDTEND;TZID="+tzid+":20260705T090000"))
	}
	f.apply(calendar.Edit{New: [][]byte{local("one", "Europe/Lisbon")}}, calendar.Edit{New: [][]byte{call("two", "UTC")}})
	f.reopen()
	f.apply(calendar.Edit{Old: f.objects()["two"], New: [][]byte{local("two", "America/New_York")}})
	f.reopen()
	for uid, want := range map[string]int64{"one": 1783234800, "two": 1783252800} { // 07:00 and 12:00 UTC
		v, err := event.Read(f.objects()[uid].Part(0), f.Zones())
		require.NoError(t, err)
		assert.Equal(t, want, v.When.Start.Instant(nil), uid)
	}
}

func ordered(t *testing.T, f *fixture) {
	var edits []calendar.Edit
	for n := range 20 {
		edits = append(edits, calendar.Edit{New: [][]byte{call(fmt.Sprintf("uid-%02d", n*7%20), "Call")}})
	}
	f.apply(edits...)
	f.reopen()
	list := func() (out []string) {
		for o, err := range f.Entries(t.Context()) {
			require.NoError(t, err)
			out = append(out, o.UID)
		}
		return out
	}
	first := list()
	require.Len(t, first, 20)
	assert.Equal(t, first, list())
	f.reopen()
	assert.Equal(t, first, list())
}

func cancelled(t *testing.T, f *fixture) {
	f.apply(calendar.Edit{New: [][]byte{call("one", "Grey Petrel")}})
	f.reopen()
	f.objects()
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	results, err := f.Apply(ctx, []calendar.Edit{{New: [][]byte{call("two", "Corvane")}}})
	require.ErrorIs(t, err, context.Canceled)
	require.ErrorIs(t, results[0].Err, context.Canceled)
	f.reopen()
	assert.Equal(t, []string{"one"}, keys(f.objects()))
}

func many(t *testing.T, f *fixture) {
	const n = 200
	var edits []calendar.Edit
	for i := range n {
		edits = append(edits, calendar.Edit{New: [][]byte{call(fmt.Sprint("uid-", i), fmt.Sprint("Call ", i))}})
	}
	f.apply(edits...)
	f.reopen()
	there := f.objects()
	require.Len(t, there, n)
	edits = edits[:0]
	for i := range n {
		e := calendar.Edit{Old: there[fmt.Sprint("uid-", i)]}
		switch i % 3 {
		case 0:
			e.New = [][]byte{call(fmt.Sprint("uid-", i), "Changed")}
		case 1:
			e = calendar.Edit{New: [][]byte{call(fmt.Sprint("new-", i), "New")}}
		}
		edits = append(edits, e)
	}
	f.apply(edits...)
	f.reopen()
	there = f.objects()
	require.Len(t, there, n-66+67)
	f.same([][]byte{call("uid-0", "Changed")}, there["uid-0"].Raws())
	f.same([][]byte{call("uid-1", "Call 1")}, there["uid-1"].Raws())
}

func nothing(t *testing.T, f *fixture) {
	results, err := f.Apply(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, results)
	assert.Empty(t, f.objects())
}
