package job

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"iter"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/intake"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/calendartest"
	"almanach/internal/edge/desk"
)

// harbour gives an office with a desk in a folder of its own.
func harbour(t *testing.T, settings string) (*Office, string) {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, desk.FileName), []byte("zone: Europe/Lisbon\n"+settings), 0o600))
	zones, err := zone.NewBook(nil)
	require.NoError(t, err)
	return &Office{Desk: deskOf(t, dir), Zones: zones, Now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Run: "1"}, dir
}

func deskOf(t *testing.T, dir string) *desk.Desk {
	t.Helper()
	d, faults := desk.Find(dir)
	require.Empty(t, faults)
	return d
}

// request gives a load of rows by an intake of the desk.
func request(t *testing.T, dir, settings, rows string) LoadRequest {
	t.Helper()
	in, faults := intake.Parse("calls.yaml", []byte(settings))
	require.Empty(t, faults)
	path := filepath.Join(dir, "calls.csv")
	require.NoError(t, os.WriteFile(path, []byte(rows), 0o600))
	return LoadRequest{Intake: in, OfDesk: true, File: path, Write: true, Allow: map[string]int{}}
}

const calls = "name: calls\nkey: No\ninto: c\nassume: { length: 1h }\nevent: { title: '{Ship}', start: '{Start}', location: '{Berth}', attendees: '{Agent} <{Email}>', properties: { X-PIER: '{Pier}' } }\n"

// TestWorkers loads many rows, some of them doubled, with one worker and with
// many, and with their texts in memory and on disk: every event has its own row's
// agent, and the files are the same.
func TestWorkers(t *testing.T) {
	var rows strings.Builder
	rows.WriteString("No,Ship,Start,Berth,Agent,Email,Pier\n")
	row := func(i int) {
		fmt.Fprintf(&rows, "TH-%05d,Ship %d,2026-04-%02d %02d:15,%d,Agent %d,agent%d@harbour.example,%d\n", i, i, 1+i%28, i%24, i%9, i%40, i%40, i%7)
	}
	for i := range 5000 {
		row(i)
		if i%500 == 0 {
			row(i)
		}
	}
	var first []byte
	defer func(n int) { spoolFrom = n }(spoolFrom)
	for n, workers := range []int{1, 8, 8, 8} {
		if n > 0 {
			spoolFrom = 100
		}
		if n > 2 {
			t.Setenv("TMPDIR", filepath.Join(t.TempDir(), "none"))
		}
		office, dir := harbour(t, "calendars: { c: { file: c.ics } }\n")
		before := runtime.GOMAXPROCS(workers)
		r, err := Load(t.Context(), office, request(t, dir, calls, rows.String()))
		runtime.GOMAXPROCS(before)
		require.NoError(t, err)
		require.Equal(t, 5000, r.Totals.New)
		data, err := os.ReadFile(filepath.Join(dir, "c.ics"))
		require.NoError(t, err)
		if first == nil {
			first = data
			doc, err := ical.ParseDocument(t.Context(), data)
			require.NoError(t, err)
			for _, o := range doc.Objects {
				v, err := event.Read(o.Part(0), office.Zones.Find)
				require.NoError(t, err)
				var n int
				_, err = fmt.Sscanf(v.Key, "TH-%d", &n)
				require.NoError(t, err)
				require.Equal(t, fmt.Sprintf("Agent %d <agent%d@harbour.example>", n%40, n%40), v.Guests[0].Show(), v.Key)
			}
		}
		require.True(t, bytes.Equal(first, data), "%d workers", workers)
	}
}

// moody is a calendar in memory that writes what it is given in its own way,
// and fails as it is told to.
type moody struct {
	objects []*ical.Object
	zones   *ical.TimeZones
	change  func(raw []byte) []byte
	fail    func(calendar.Edit) error
	writes  int
}

func (m *moody) Entries(context.Context) iter.Seq2[*ical.Object, error] {
	return func(yield func(*ical.Object, error) bool) {
		for _, o := range m.objects {
			if !yield(o, nil) {
				return
			}
		}
	}
}

func (m *moody) Zones() ical.Zones { return m.zones.Find }
func (m *moody) Close() error      { return nil }

func (m *moody) Apply(ctx context.Context, edits []calendar.Edit) ([]calendar.Result, error) {
	results := make([]calendar.Result, len(edits))
	for i, e := range edits {
		if results[i].Err = ctx.Err(); results[i].Err != nil {
			continue
		}
		results[i] = m.one(e)
	}
	return results, ctx.Err()
}

func (m *moody) one(e calendar.Edit) calendar.Result {
	at := slices.IndexFunc(m.objects, func(o *ical.Object) bool { return o.UID == e.UID() })
	switch {
	case e.Old == nil && at >= 0:
		return calendar.Result{Err: calendar.ErrExists}
	case e.Old != nil && (at < 0 || !slices.EqualFunc(m.objects[at].Raws(), e.Old.Raws(), bytes.Equal)):
		return calendar.Result{Err: calendar.ErrChanged}
	}
	if m.fail != nil {
		if err := m.fail(e); err != nil {
			return calendar.Result{Err: err}
		}
	}
	m.writes++
	if len(e.New) == 0 {
		m.objects = slices.Delete(m.objects, at, at+1)
		return calendar.Result{}
	}
	raws := slices.Clone(e.New)
	for i := range raws {
		if m.change != nil {
			raws[i] = m.change(raws[i])
		}
	}
	o := ical.NewObject(e.UID(), raws...)
	if at >= 0 {
		m.objects[at] = o
	} else {
		m.objects = append(m.objects, o)
	}
	return calendar.Result{Held: o}
}

func TestMoodyContract(t *testing.T) {
	office, _ := harbour(t, "")
	calendartest.Test(t, func(*testing.T) func() calendar.Backend {
		m := &moody{zones: ical.NewTimeZones(office.Zones)}
		return func() calendar.Backend { return m }
	})
}

// lines changes the lines of a component.
func lines(change func(name, line string) string) func([]byte) []byte {
	return func(raw []byte) []byte {
		var b strings.Builder
		for l := range ical.Lines(raw) {
			b.WriteString(change(l.Name(), string(l.Whole())))
		}
		return []byte(b.String())
	}
}

// TestChangedByTheCalendar loads into calendars that change what they are
// given. The next load finds everything the same and writes nothing; what a
// person does then is still seen.
func TestChangedByTheCalendar(t *testing.T) {
	const rows = "No,Ship,Start,Berth,Agent,Email,Pier\n1,Corvane,2026-04-05 08:00,\"North, outer\",Oda Fenn,oda@fenn-agency.example,Pier 1\n2,Grey Petrel,2026-04-06 08:00,South,,,\n"
	for name, change := range map[string]func([]byte) []byte{
		"leaves it": nil,
		"trims and folds anew": lines(func(_, line string) string {
			return strings.ReplaceAll(strings.ReplaceAll(line, "\r\n ", ""), "  ", " ")
		}),
		"drops the location": lines(func(name, line string) string {
			return map[bool]string{false: line}[name == "LOCATION"]
		}),
		"shortens the title": lines(func(name, line string) string {
			return map[bool]string{true: "SUMMARY:" + line[8:12] + "\r\n", false: line}[name == "SUMMARY"]
		}),
		"drops properties it does not know": lines(func(name, line string) string { return map[bool]string{false: line}[name == "X-PIER"] }),
		"drops attendees":                   lines(func(name, line string) string { return map[bool]string{false: line}[name == "ATTENDEE"] }),
		"unescapes commas":                  lines(func(_, line string) string { return strings.ReplaceAll(line, `\,`, ",") }),
		"adds a status and a sequence": lines(func(name, line string) string {
			return map[bool]string{true: "STATUS:CONFIRMED\r\nSEQUENCE:3\r\n"}[name == "END"] + line
		}),
		"makes times UTC": lines(func(name, line string) string {
			line = strings.ReplaceAll(line, ";TZID=Europe/Lisbon:20260405T08", ":20260405T07")
			line = strings.ReplaceAll(line, ";TZID=Europe/Lisbon:20260405T09", ":20260405T08")
			if strings.HasPrefix(name, "DT") && !strings.Contains(line, "Z") && !strings.Contains(line, "TZID") {
				line = strings.TrimRight(line, "\r\n") + "Z\r\n"
			}
			return line
		}),
		"moves it by a minute": lines(func(name, line string) string {
			return map[bool]string{true: strings.Replace(line, "080000", "080100", 1), false: line}[name == "DTSTART"]
		}),
	} {
		t.Run(name, func(t *testing.T) {
			office, dir := harbour(t, "calendars: { c: { file: c.ics } }\n")
			m := &moody{zones: ical.NewTimeZones(office.Zones), change: change}
			office.Open = func(context.Context, calendar.Spec, bool) (calendar.Backend, error) { return m, nil }
			req := request(t, dir, calls, rows)
			r, err := Load(t.Context(), office, req)
			require.NoError(t, err)
			require.Equal(t, 2, r.Totals.New)
			for range 2 {
				m.writes = 0
				r, err = Load(t.Context(), office, req)
				require.NoError(t, err)
				require.Equal(t, 2, r.Totals.Same, "%+v", r.Totals)
				require.Zero(t, m.writes)
			}
			for _, o := range m.objects { // by hand
				c := ical.Open(o.Part(0))
				c.Set("LOCATION", nil, nil, "Berth 9")
				o.Put(0, c.Bytes())
			}
			r, err = Load(t.Context(), office, req)
			require.NoError(t, err)
			require.Equal(t, 2, r.Totals.Edited)
			r, err = Load(t.Context(), office, request(t, dir, calls, strings.ReplaceAll(rows, "Corvane", "Gull")))
			require.NoError(t, err)
			require.Equal(t, 1, r.Totals.Changed)
		})
	}
}

// TestSomeoneFaster has someone else change the calendar right under a load: it
// plans anew and comes to the same end.
func TestSomeoneFaster(t *testing.T) {
	office, dir := harbour(t, "calendars: { c: { file: c.ics } }\n")
	m := &moody{zones: ical.NewTimeZones(office.Zones)}
	office.Open = func(context.Context, calendar.Spec, bool) (calendar.Backend, error) { return m, nil }
	rows := "No,Ship,Start,Berth,Agent,Email,Pier\n1,Corvane,2026-04-05 08:00,N,,,\n2,Petrel,2026-04-06 08:00,S,,,\n3,Gull,2026-04-07 08:00,S,,,\n"
	req := request(t, dir, calls, rows)
	_, err := Load(t.Context(), office, req)
	require.NoError(t, err)
	once := true
	m.fail = func(e calendar.Edit) error {
		if once && strings.Contains(string(e.New[0]), "Petrel II") {
			once = false
			c := ical.Open(m.objects[1].Part(0))
			c.Set("LOCATION", nil, nil, "By hand")
			m.objects[1] = ical.NewObject(m.objects[1].UID, c.Bytes())
			return calendar.ErrChanged
		}
		return nil
	}
	r, err := Load(t.Context(), office, request(t, dir, calls, strings.NewReplacer("Corvane", "Corvane II", "Petrel", "Petrel II").Replace(rows)))
	require.NoError(t, err)
	assert.Equal(t, 2, r.Totals.Changed, "what the first attempt wrote is not called the same")
	assert.Equal(t, 1, r.Totals.Same)
	assert.Equal(t, 2, r.Events())
	require.NoError(t, r.Totals.Check())
	assert.Contains(t, string(m.objects[1].Part(0)), "LOCATION:By hand")
	assert.Contains(t, string(m.objects[1].Part(0)), "SUMMARY:Petrel II")
}

// TestSecondCalendarFails writes into two calendars of which one refuses: what
// was done is told, nothing is taken out anywhere, and the next load goes on.
func TestSecondCalendarFails(t *testing.T) {
	office, dir := harbour(t, "calendars: { north: { file: n.ics }, south: { file: s.ics } }\n")
	calendars := map[string]*moody{"north": {zones: ical.NewTimeZones(office.Zones)}, "south": {zones: ical.NewTimeZones(office.Zones)}}
	office.Open = func(_ context.Context, spec calendar.Spec, _ bool) (calendar.Backend, error) {
		return calendars[spec.Name], nil
	}
	settings := strings.Replace(calls, "into: c", "into: '{Pier}'", 1)
	rows := "No,Ship,Start,Berth,Agent,Email,Pier\n1,Tern,2026-04-05 08:00,N,,,north\n2,Corvane,2026-04-05 08:00,N,,,north\n3,Petrel,2026-04-06 08:00,S,,,south\n"
	calendars["south"].fail = func(calendar.Edit) error { return fault.Newf("is full").FromOutside() }
	r, err := Load(t.Context(), office, request(t, dir, settings, rows))
	require.ErrorContains(t, err, "is full")
	require.NotNil(t, r)
	assert.Equal(t, []Written{{"north", 2}}, r.Written)
	assert.True(t, r.Stopped)

	// Now the second row moves into the calendar that refuses it: it stays.
	moved := strings.Replace(rows, "Corvane,2026-04-05 08:00,N,,,north", "Corvane,2026-04-05 08:00,N,,,south", 1)
	office.Desk, _ = desk.Find(dir)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "n.ics"), []byte(event.PropIntake+":calls"), 0o600)) // looked at to tell that it holds some of ours
	_, err = Load(t.Context(), office, request(t, dir, settings, moved))
	require.ErrorContains(t, err, "is full")
	assert.Len(t, calendars["north"].objects, 2)
	calendars["south"].fail = nil
	r, err = Load(t.Context(), office, request(t, dir, settings, moved))
	require.NoError(t, err)
	assert.Equal(t, 1, r.Totals.New)
	assert.Equal(t, 1, r.Totals.Changed, "the one that moved")
	assert.Len(t, calendars["north"].objects, 1)
	assert.Len(t, calendars["south"].objects, 2)
}

// TestStoppedBetween is stopped after an event stands in its new calendar and
// before it is gone from the old one: the next load ends the move.
func TestStoppedBetween(t *testing.T) {
	office, dir := harbour(t, "calendars: { north: { file: n.ics }, south: { file: s.ics } }\n")
	settings := strings.Replace(calls, "into: c", "into: '{Pier}'", 1)
	rows := "No,Ship,Start,Berth,Agent,Email,Pier\n1,Corvane,2026-04-05 08:00,N,,,north\n2,Petrel,2026-04-06 08:00,S,,,north\n"
	_, err := Load(t.Context(), office, request(t, dir, settings, rows))
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	office.Open = func(_ context.Context, spec calendar.Spec, create bool) (calendar.Backend, error) {
		plain := *office
		plain.Open = nil
		b, err := plain.openCalendar(ctx, spec, create)
		if spec.Name == "south" {
			b = stopping{b, cancel}
		}
		return b, err
	}
	moved := strings.ReplaceAll(rows, ",north", ",south")
	_, err = Load(ctx, office, request(t, dir, settings, moved))
	require.True(t, errors.Is(err, context.Canceled), "%v", err)
	office.Open = nil
	r, err := Load(t.Context(), office, request(t, dir, settings, moved))
	require.NoError(t, err)
	assert.Equal(t, 2, r.Totals.Same)
	north, err := os.ReadFile(filepath.Join(dir, "n.ics"))
	require.NoError(t, err)
	assert.NotContains(t, string(north), "BEGIN:VEVENT")
	south, err := os.ReadFile(filepath.Join(dir, "s.ics"))
	require.NoError(t, err)
	assert.Equal(t, 2, strings.Count(string(south), "BEGIN:VEVENT"))
}

// stopping ends the run once it has written.
type stopping struct {
	calendar.Backend
	cancel func()
}

func (s stopping) Apply(ctx context.Context, edits []calendar.Edit) ([]calendar.Result, error) {
	r, err := s.Backend.Apply(ctx, edits)
	s.cancel()
	return r, err
}
