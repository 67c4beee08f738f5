package plan

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// world is calendars in memory that plans are made against and applied to.
type world struct {
	testing.TB
	book      *zone.Book
	names     []string
	calendars map[string][]*ical.Object
	zones     map[string]*ical.TimeZones
	now       zone.Time
	request   Request // what every load asks for
}

// Zone data and intakes are read once: they do not change.
var (
	sharedBook = sync.OnceValues(func() (*zone.Book, error) { return zone.NewBook(nil) })
	parsed     sync.Map // by their text
)

func newWorld(t testing.TB, names ...string) *world {
	book, err := sharedBook()
	require.NoError(t, err)
	w := &world{TB: t, book: book, names: names, calendars: map[string][]*ical.Object{}, zones: map[string]*ical.TimeZones{}, now: zone.Time{Wall: zone.Wall(2026, 3, 2, 8, 0, 0), Form: zone.Absolute}}
	for _, n := range names {
		w.zones[n] = ical.NewTimeZones(book)
	}
	w.request = Request{Moves: true, Full: true}
	return w
}

// batch gives the batch of rows, a line each with bars between the cells. A row
// that is "!" could not be read, one with "~" in front is hidden.
func (w *world) batch(settings, rows string) (*intake.Intake, *intake.Batch) {
	w.Helper()
	known, ok := parsed.Load(settings)
	if !ok {
		in, faults := intake.Parse("calls.yaml", []byte(settings))
		require.Empty(w, faults, "%v", faults)
		known, _ = parsed.LoadOrStore(settings, in)
	}
	in := known.(*intake.Intake)
	lisbon, err := w.book.Find("Europe/Lisbon")
	require.NoError(w, err)
	origin := &table.Origin{File: "calls.csv"}
	var header table.Header
	var out []table.Row
	for n, line := range strings.Split(strings.TrimSpace(rows), "\n") {
		if n == 0 {
			header = strings.Split(line, "|")
			continue
		}
		row := table.Row{Origin: origin, Number: int32(n + 1)}
		if text, ok := strings.CutPrefix(line, "@"); ok { // found in running text
			line, row.Evidence = text, &table.Evidence{Text: text}
		}
		if line == "!" {
			row.Fault = fault.Newf("is damaged").At(row.Place())
		} else {
			line, row.Hidden = strings.CutPrefix(line, "~")
			for _, c := range strings.Split(line, "|") {
				cell := table.Cell{Kind: table.Text, Text: c}
				if c == "" {
					cell = table.Cell{}
				}
				row.Cells = append(row.Cells, cell)
			}
		}
		out = append(out, row)
	}
	m, faults := in.Compile(header, w.book, lisbon, zone.Civil(w.now.Wall))
	require.Empty(w, faults, "%v", faults)
	return in, intake.NewBatch(m, table.Hold(out...), nil)
}

// plan makes a plan. Every calendar is a target that some row goes to.
func (w *world) plan(settings, rows string) (*Plan, error) {
	w.Helper()
	return w.planOf(w.batch(settings, rows))
}

func (w *world) planOf(in *intake.Intake, batch *intake.Batch) (*Plan, error) {
	w.Helper()
	r := w.request
	r.Intake, r.Batch = in, batch
	r.Sources, r.Stamp = []table.Origin{{File: "calls.csv"}}, w.now
	mapper := r.Batch.Mapping.Mapper()
	target := map[string]bool{}
	places := make([][]int32, r.Batch.Rows.Len())
	for i, row := range r.Batch.Rows.All() {
		if row.Fault != nil {
			continue
		}
		to, f := mapper.Places(row)
		require.Nil(w, f)
		for _, d := range to {
			places[i] = append(places[i], int32(slices.Index(w.names, d.Name)))
			target[d.Name] = true
		}
	}
	r.Places = func(i int) []int32 { return places[i] }
	for _, n := range w.names {
		r.Holdings = append(r.Holdings, NewHolding(n, target[n], w.zones[n].Find, w.calendars[n]))
	}
	return Make(w.Context(), r)
}

// load makes a plan that no guard stops, and applies it.
func (w *world) load(settings, rows string) *Plan {
	w.Helper()
	p, err := w.plan(settings, rows)
	require.NoError(w, err)
	require.Empty(w, p.Guards)
	w.apply(p)
	return p
}

func (w *world) apply(p *Plan) {
	w.Helper()
	for i := range p.Edits {
		e := &p.Edits[i]
		list := w.calendars[e.Calendar]
		at := slices.IndexFunc(list, func(o *ical.Object) bool {
			return o.UID == e.UID && (e.Kind == Create || slices.EqualFunc(o.Raws(), e.Before(), bytes.Equal))
		})
		require.Equal(w, e.Kind == Create, at < 0, "%s of %s in %s", e.Kind, e.UID, e.Calendar)
		if e.Needs > 0 {
			require.True(w, p.Edits[e.Needs-1].Done)
		}
		e.Done = true
		text, err := e.Text(nil)
		require.NoError(w, err)
		o := ical.NewObject(e.UID, text...)
		switch e.Kind {
		case Create:
			w.calendars[e.Calendar] = append(slices.Clone(list), o)
		case Change:
			list = slices.Clone(list)
			list[at] = o
			w.calendars[e.Calendar] = list
		default:
			require.Empty(w, o.Raws())
			w.calendars[e.Calendar] = slices.Delete(slices.Clone(list), at, at+1)
		}
	}
}

// find gives the component of a key and, for an occurrence, its day.
func (w *world) find(calendar, key, day string) (*ical.Object, int) {
	w.Helper()
	for _, o := range w.calendars[calendar] {
		for i, raw := range o.Raws() {
			l, changed := ical.Open(raw).Find("RECURRENCE-ID")
			if _, k := event.Marks(raw); k == key && changed == (day != "") && strings.HasPrefix(string(l.Value()), day) {
				return o, i
			}
		}
	}
	return nil, -1
}

// edit does what a person does in a calendar program.
func (w *world) edit(calendar, key, property, value string) {
	w.Helper()
	o, i := w.find(calendar, key, "")
	require.NotNil(w, o, "%s in %s", key, calendar)
	c := ical.Open(o.Part(i))
	c.Set(property, nil, nil, value)
	fresh := ical.NewObject(o.UID, o.Raws()...)
	fresh.Put(i, c.Bytes())
	w.calendars[calendar][slices.Index(w.calendars[calendar], o)] = fresh
}

// add puts further components into the object of a key.
func (w *world) add(calendar, key string, lines ...string) {
	w.Helper()
	o, _ := w.find(calendar, key, "")
	require.NotNil(w, o)
	raw := "BEGIN:VEVENT\r\nUID:" + o.UID + "\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\n"
	w.calendars[calendar][slices.Index(w.calendars[calendar], o)] = ical.NewObject(o.UID, append(slices.Clone(o.Raws()), []byte(raw))...)
}

// told gives what a plan says, a line an item: outcome, key, calendar, the
// fields that differ, the reason; then the edits by kind.
func told(p *Plan) string {
	var out []string
	for _, i := range p.Items.All() {
		line := fmt.Sprintf("%s %s %s", i.Outcome, i.Key, i.Calendar)
		for _, f := range i.Fields {
			line += fmt.Sprintf(" %s:%s", f.Field, f.Outcome)
		}
		if i.Reason != "" {
			line += " (" + i.Reason + ")"
		}
		out = append(out, strings.Join(strings.Fields(line), " "))
	}
	for _, e := range p.Edits {
		out = append(out, fmt.Sprintf("%s in %s", e.Kind, e.Calendar))
	}
	if p.NoGone != "" {
		out = append(out, "nothing removed: "+p.NoGone)
	}
	return strings.Join(append(out, p.Notes...), "\n")
}

const (
	plainCalls = "name: calls\nkey: No\ninto: c\nassume: { length: 1h }\nevent: { title: '{Ship}', start: '{Start}', location: '{Berth}' }\n"
	threeCalls = "No|Ship|Start|Berth\n1|Corvane|2026-04-05 08:00|N\n2|Petrel|2026-04-06 08:00|S\n3|Gull|2026-04-07 08:00|S\n"
)

func TestOutcomes(t *testing.T) {
	w := newWorld(t, "c")
	assert.Equal(t, "new 1 c\nnew 2 c\nnew 3 c\ncreate in c\ncreate in c\ncreate in c", told(w.load(plainCalls, threeCalls)))
	assert.Equal(t, "same 1 c\nsame 2 c\nsame 3 c", told(w.load(plainCalls, threeCalls)))
	w.edit("c", "1", "SUMMARY", "By hand")
	w.edit("c", "2", "SUMMARY", "By hand")
	w.edit("c", "2", "LOCATION", "By hand")
	w.edit("c", "3", "LOCATION", "By hand")
	rows := strings.NewReplacer("Petrel", "Petrel II", "Gull", "Gull II", "07 08:00", "07 09:00").Replace(threeCalls)
	want := "edited 1 c title:edited\ndisputed 2 c title:disputed location:edited\nchanged 3 c start:changed end:changed title:changed location:edited\nchange in c"
	p := w.load(plainCalls, rows)
	assert.Equal(t, want, told(p))
	assert.Equal(t, Totals{Rows: 3, Wanted: 3, Changed: 1, Edited: 1, Disputed: 1}, p.Totals)
	assert.True(t, p.Left())
	o, _ := w.find("c", "3", "")
	assert.Contains(t, string(o.Part(0)), "LOCATION:By hand")
	assert.Contains(t, string(o.Part(0)), "SEQUENCE:1")

	// What is settled is settled by key, or by key and field.
	w.request.Takes = []Take{{agree.Sheet, "2"}}
	assert.Equal(t, "edited 1 c title:edited\nchanged 2 c title:changed location:edited\nedited 3 c location:edited\nchange in c", told(w.load(plainCalls, rows)))
	w.request.Takes = []Take{{agree.Calendar, "1:title"}, {agree.Sheet, "2:location"}, {agree.Sheet, "3"}, {agree.Sheet, "3:start"}}
	p = w.load(plainCalls, rows)
	assert.True(t, strings.HasPrefix(told(p), "same 1 c\nchanged 2 c location:changed\nedited 3 c location:edited\nchange in c\nchange in c\n--take 3: nothing of it is disputed"), told(p))
	w.request.Takes = []Take{{agree.Sheet, "9"}, {agree.Sheet, "8:title"}}
	_, err := w.plan(plainCalls, rows)
	assert.ErrorContains(t, err, "--take names 8:title, 9, which no row of the source has as its key")
	w.request.Takes = nil

	// A row alone, and rows that are held or left out.
	w.request.Selected = func(i int) bool { return i == 1 }
	assert.Equal(t, "same 2 c\nnothing removed: only some rows were tried", told(w.load(plainCalls, rows)))
	w.request.Selected = nil
	p = w.load(plainCalls+"leave_out: 'Ship == \"Gull II\"'\n", strings.Replace(rows, "2026-04-05 08:00", "yesterday", 1))
	assert.Equal(t, "held 1 c (Start \"yesterday\" counts from a day that is not stated (write the date))\nsame 2 c\nleft out 3 c (Ship == \"Gull II\")\ngone 3 c (its row is left out: Ship == \"Gull II\")", told(p))
	assert.Equal(t, Totals{Rows: 3, Wanted: 1, Same: 1, Held: 1, LeftOut: 1, Gone: 1}, p.Totals)
}

// TestGone has rows leave the sheet under each policy, with what keeps their
// events from being removed.
func TestGone(t *testing.T) {
	one := "No|Ship|Start|Berth\n1|Corvane|2026-04-05 08:00|N\n"
	for _, tt := range []struct {
		name, policy, rows string
		before             func(w *world)
		want               string
	}{
		{"reported", "report", one, nil, "same 1 c\ngone 2 c (its row is no longer in the source)\ngone 3 c (its row is no longer in the source)"},
		{"cancelled", "cancel", one, nil, "same 1 c\ngone 2 c (its row is no longer in the source; it is cancelled)\ngone 3 c (its row is no longer in the source; it is cancelled)\nchange in c\nchange in c"},
		{"deleted", "delete", one, nil, "same 1 c\ngone 2 c (its row is no longer in the source; it is deleted)\ngone 3 c (its row is no longer in the source; it is deleted)\nremove in c\nremove in c"},
		{"kept as it was edited", "delete", one, func(w *world) { w.edit("c", "2", "SUMMARY", "By hand") }, "same 1 c\ngone 2 c (its row is no longer in the source; kept, as someone changed it in the calendar (--remove 2 deletes it))\ngone 3 c (its row is no longer in the source; it is deleted)\nremove in c"},
		{"a date changed by hand", "delete", one, func(w *world) {
			w.add("c", "2", "RECURRENCE-ID:20260406T070000Z", "DTSTART:20260406T090000Z")
		}, "same 1 c\ngone 2 c (its row is no longer in the source; it is cancelled and not deleted, as someone changed occurrences of it (--remove 2 deletes it))\ngone 3 c (its row is no longer in the source; it is deleted)\nchange in c\nremove in c"},
		{"replies, a comment and an alarm of others", "delete", one, func(w *world) {
			o, i := w.find("c", "2", "")
			raw := strings.Replace(string(o.Part(i)), "END:VEVENT", "ATTENDEE;PARTSTAT=ACCEPTED:mailto:a@x.example\r\nCOMMENT:late\r\nBEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\nEND:VEVENT", 1)
			w.calendars["c"][slices.Index(w.calendars["c"], o)] = ical.NewObject(o.UID, []byte(raw))
		}, "same 1 c\ngone 2 c (its row is no longer in the source; it is cancelled and not deleted, as it has replies and comments and alarms of others (--remove 2 deletes it))\ngone 3 c (its row is no longer in the source; it is deleted)\nchange in c\nremove in c"},
		{"deleted by name", "report", one, func(w *world) {
			w.edit("c", "2", "SUMMARY", "By hand")
			w.request.Remove = map[string]bool{"2": true}
		}, "same 1 c\ngone 2 c (its row is no longer in the source; it is deleted, as you asked)\ngone 3 c (its row is no longer in the source)\nremove in c"},
		{"a damaged row", "delete", one + "!\n", nil, "same 1 c\nheld (is damaged)\ngone 2 c (no readable row of the source has its key)\ngone 3 c (no readable row of the source has its key)\nnothing removed: a row has no readable key, so nothing was removed"},
		{"a row without a key", "cancel", one + "|Gull|2026-04-07 08:00|S\n", nil, "same 1 c\nheld c (No is empty: without a key the row cannot be found again (fill it in))\ngone 2 c (no readable row of the source has its key)\ngone 3 c (no readable row of the source has its key)\nnothing removed: a row has no readable key, so nothing was removed"},
		{"hidden rows", "delete", one + "~2|Petrel|2026-04-06 08:00|S\n", nil, "same 1 c\nleft out 2 c (hidden row)\ngone 3 c (its row is no longer in the source)\nnothing removed: rows are hidden in the sheet, so nothing was removed"},
		{"doubled rows", "delete", one + one[len("No|Ship|Start|Berth\n"):] + "2|Petrel|2026-04-06 08:00|S\n", nil, "same 1 c\nleft out 1 c (the same as row 2)\nsame 2 c\ngone 3 c (its row is no longer in the source; it is deleted)\nremove in c"},
		{"a row that is held is not gone", "delete", one + "2|Petrel|soon|S\n", nil, "same 1 c\nheld 2 c (Start \"soon\" is not a date)\ngone 3 c (its row is no longer in the source; it is deleted)\nremove in c"},
		{"held here, left out there", "delete", "No|Ship|Start|Berth\n1|Corvane|2026-04-05 08:00|x\n1|Corvane|2026-04-05 08:00|9\n2|Petrel|2026-04-06 08:00|9\n3|Gull|2026-04-07 08:00|1\n", nil, "held 1 c (the condition \"int(Berth) > 5\" fails here: invalid operation: int(x) (1:1))\nleft out 1 c (int(Berth) > 5)\nleft out 2 c (int(Berth) > 5)\nchanged 3 c location:changed\ngone 2 c (its row is left out: int(Berth) > 5; it is deleted)\nchange in c\nremove in c"},
		{"back again", "cancel", threeCalls, func(w *world) { w.load(plainCalls+"agree: { gone: cancel }\n", one) }, "same 1 c\nchanged 2 c status:changed\nchanged 3 c status:changed\nchange in c\nchange in c"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			w := newWorld(t, "c")
			w.load(plainCalls, threeCalls)
			if tt.before != nil {
				tt.before(w)
			}
			settings := plainCalls + "agree: { gone: " + tt.policy + " }\n"
			if strings.HasPrefix(tt.name, "held here") {
				settings += "leave_out: 'int(Berth) > 5'\n"
			}
			p := w.load(settings, tt.rows)
			assert.Equal(t, tt.want, told(p))
			again := w.load(settings, tt.rows)
			assert.Empty(t, again.Edits, "the second time")
		})
	}

	// What is past is counted, and listed where that is asked for; a series is
	// never past.
	w := newWorld(t, "c")
	w.load(plainCalls, threeCalls)
	w.edit("c", "3", "RRULE", "FREQ=DAILY")
	w.now.Wall = zone.Wall(2026, 4, 7, 12, 0, 0)
	p := w.load(plainCalls+"agree: { gone: delete }\n", one)
	assert.Equal(t, 1, p.Past)
	assert.Equal(t, "same 1 c\ngone 3 c (its row is no longer in the source; kept, as someone changed it in the calendar (--remove 3 deletes it))", told(p))
	w.request.Past = true
	assert.Contains(t, told(w.load(plainCalls+"agree: { gone: delete }\n", one)), "gone 2 c (its row is no longer in the source; it is past)")
	w.request.Past = false
	assert.Contains(t, told(w.load(plainCalls+"agree: { gone: delete, past: yes }\n", one)), "gone 2 c (its row is no longer in the source; it is deleted)")
	w.request.NoGone = "only a part of the files came"
	assert.Contains(t, told(w.load(plainCalls+"agree: { gone: delete, past: yes }\n", "No|Ship|Start|Berth\n7|Ling|2026-04-09 08:00|N\n")), "nothing removed: only a part of the files came, so nothing was removed")
}

// A row put in between moves the running numbers below it: the load stops, or says so where
// they are few. Rows that change otherwise do not.
func TestShifted(t *testing.T) {
	row := func(key, i int) string {
		return fmt.Sprintf("%d|Ship %d|2026-04-%02d 08:00|c\n", key, i, i)
	}
	sheet := func(below int, change func(key int) string) string {
		out := "No|Ship|Start|Berth\n"
		for key := 1; key <= 20-below; key++ {
			out += row(key, key)
		}
		for key := 21 - below; key <= 20; key++ {
			out += change(key)
		}
		return out
	}
	same := func(key int) string { return row(key, key) }
	down := func(key int) string { return row(key, key-1) }
	up := func(key int) string { return row(key, min(key+1, 30)) }
	for _, tt := range []struct {
		name        string
		rows        string
		guard, note int
	}{
		{"a row in between", sheet(8, down), 7, 0},
		{"a row in between, near the end", sheet(3, down), 0, 2},
		{"a row less", strings.TrimSuffix(sheet(8, up), row(20, 21)), 6, 0},
		{"five rows", sheet(6, down), 0, 5},
		{"more than half", sheet(15, down), 14, 0},
		{"two change places", sheet(2, func(key int) string { return row(key, 39-key) }), 0, 2},
		{"only their times change places", sheet(2, func(key int) string { return fmt.Sprintf("%d|Ship %d|2026-04-%02d 08:00|c\n", key, key, 39-key) }), 0, 0},
		{"all is new", sheet(8, func(key int) string { return row(key, key+10) }), 0, 0},
	} {
		t.Run(tt.name, func(t *testing.T) {
			w := newWorld(t, "c")
			w.load(plainCalls, sheet(8, same))
			p, err := w.plan(plainCalls, tt.rows)
			require.NoError(t, err)
			assert.Equal(t, tt.note, strings.Count(strings.Join(p.Notes, "\n"), " said"), p.Notes)
			if tt.guard == 0 {
				require.Empty(t, p.Guards)
				return
			}
			require.Len(t, p.Guards, 1)
			assert.Equal(t, []any{"shifted", tt.guard}, []any{p.Guards[0].Name, p.Guards[0].Count})
			assert.ErrorContains(t, p.Guards[0].Fault("calls"), fmt.Sprintf("--allow shifted=%d", tt.guard))
			w.request.Allow = map[string]int{"shifted": tt.guard}
			p, err = w.plan(plainCalls, tt.rows)
			require.NoError(t, err)
			assert.Empty(t, p.Guards)
		})
	}
}

// TestGuards changes just as many events as may pass, and one more.
func TestGuards(t *testing.T) {
	table := func(n int, row func(i int) string) string {
		out := "No|Ship|Start|Berth\n"
		for i := range n {
			if line := row(i); line != "" {
				out += line + "\n"
			}
		}
		return out
	}
	plain := func(i int) string { return fmt.Sprintf("%d|Ship %d|2026-04-05 08:00|c", i, i) }
	changed := func(n int, change func(i int) string) func(int) string {
		return func(i int) string {
			if i < n {
				return change(i)
			}
			return plain(i)
		}
	}
	other := func(i int) string { return fmt.Sprintf("%d|Other %d|2026-04-05 08:00|c", i, i) }
	later := func(i int) string { return fmt.Sprintf("%d|Ship %d|2026-04-05 09:00|c", i, i) }
	south := func(i int) string { return fmt.Sprintf("%d|Ship %d|2026-04-05 08:00|s", i, i) }
	gone := func(int) string { return "" }
	settings := strings.Replace(plainCalls, "into: c", "into: '{Berth}'", 1)
	for _, tt := range []struct {
		name   string
		events int
		least  int // changes that are stopped
		change func(i int) string
		guard  string
		did    string
		policy string
	}{
		{"few are removed", 9, 6, gone, "removed", "deleted as gone", "delete"},
		{"a fifth is removed", 50, 11, gone, "removed", "cancelled as gone", "cancel"},
		{"few move", 9, 6, south, "moved", "taken out of the calendar they are in", "report"},
		{"a fifth moves", 50, 11, south, "moved", "taken out of the calendar they are in", "report"},
		{"few change their time", 6, 6, later, "when", "moved to another time", "report"},
		{"half change their time", 20, 11, later, "when", "moved to another time", "report"},
		{"half change their title", 21, 11, other, "title", "given another title", "report"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			settings := settings + "agree: { gone: " + tt.policy + " }\n"
			w := newWorld(t, "c", "s")
			w.load(settings, table(tt.events, plain))
			below, err := w.plan(settings, table(tt.events, changed(tt.least-1, tt.change)))
			require.NoError(t, err)
			assert.Empty(t, below.Guards)
			rows := table(tt.events, changed(tt.least, tt.change))
			p, err := w.plan(settings, rows)
			require.NoError(t, err)
			require.Len(t, p.Guards, 1)
			assert.Equal(t, []any{tt.guard, tt.least, tt.events, tt.did}, []any{p.Guards[0].Name, p.Guards[0].Count, p.Guards[0].Of, p.Guards[0].Did})
			assert.NotEmpty(t, p.Guards[0].Which)
			assert.ErrorContains(t, p.Guards[0].Fault("calls"), fmt.Sprintf("--allow %s=%d", tt.guard, tt.least))
			assert.True(t, p.Left())
			for n, want := range map[int]int{tt.least - 1: 1, tt.least + 1: 1, tt.least: 0} {
				w.request.Allow = map[string]int{tt.guard: n}
				p, err := w.plan(settings, rows)
				require.NoError(t, err)
				assert.Len(t, p.Guards, want, "allowed %d", n)
			}
		})
	}
}

// TestCalendars has rows that go to several calendars, or to another one than
// before.
func TestCalendars(t *testing.T) {
	two := strings.Replace(plainCalls, "into: c", "into: [c, s]", 1)
	w := newWorld(t, "c", "s")
	p := w.load(two, threeCalls)
	assert.Equal(t, Totals{Rows: 3, Wanted: 3, Placed: 6, New: 6}, p.Totals)
	w.load(two, threeCalls)
	for n := range w.calendars["c"] {
		assert.NotEqual(t, w.calendars["c"][n].UID, w.calendars["s"][n].UID, "servers may refuse one UID twice")
	}
	// One calendar less: the copies go, but for the one that was edited; counted.
	w.edit("s", "2", "SUMMARY", "By hand")
	want := "same 1 c\nsame 2 c\nsame 3 c\ngone 1 s (its row does not go to this calendar any more; it is taken out here)\ngone 2 s (its row does not go to this calendar any more; kept, as someone changed it here)\ngone 3 s (its row does not go to this calendar any more; it is taken out here)\nmove out in s\nmove out in s"
	assert.Equal(t, want, told(w.load(plainCalls, threeCalls)))
	assert.Len(t, w.calendars["s"], 1)
	w.request.Moves = false
	assert.NotContains(t, told(w.load(plainCalls, threeCalls)), "gone")
	w.request.Moves = true

	// A row goes elsewhere with what was done by hand; a disputed one stays.
	by := strings.Replace(plainCalls, "into: c", "into: '{To}'", 1)
	rows := "No|Ship|Start|Berth|To\n1|Corvane|2026-04-05 08:00|N|c\n2|Petrel|2026-04-06 08:00|S|c\n3|Gull|2026-04-07 08:00|S|c\n"
	w = newWorld(t, "c", "s")
	w.load(by, rows)
	w.edit("c", "1", "LOCATION", "By hand")
	w.edit("c", "2", "SUMMARY", "By hand")
	moved := strings.NewReplacer("|c\n", "|s\n", "Petrel", "Petrel II").Replace(rows)
	assert.Equal(t, "changed 1 s location:edited calendar:changed\ndisputed 2 s title:disputed\nchanged 3 s calendar:changed\ncreate in s\ncreate in s\nmove out in c\nmove out in c", told(w.load(by, moved)))
	o, _ := w.find("s", "1", "")
	assert.Contains(t, string(o.Part(0)), "LOCATION:By hand")
	assert.Len(t, w.calendars["c"], 1)
	assert.NotContains(t, told(w.load(by, moved)), "changed")
}

// TestSeries has rows that change dates of a series.
func TestSeries(t *testing.T) {
	settings := "name: calls\nkey: No\ninto: '{To}'\nassume: { length: 1h }\nagree: { gone: delete }\nevent: { title: '{Ship}', start: '{Start}', repeat: '{Repeat}', occurrence: '{Of}' }\n"
	rows := "No|Ship|Start|Repeat|Of|To\n1|Ferry|2026-04-05 08:00|weekly, 9 times||c\n1|Late ferry|2026-04-12 10:00||2026-04-12|c\n2|Tour|2026-04-05 08:00|daily, 3 times||c\n"
	w := newWorld(t, "c", "s")
	p := w.load(settings, rows)
	assert.Equal(t, "new 1 c\nnew 1 c\nnew 2 c\ncreate in c\ncreate in c", told(p), "a series and its dates are one object")
	assert.Equal(t, "same 1 c\nsame 1 c\nsame 2 c", told(w.load(settings, rows)))
	w.add("c", "1", "RECURRENCE-ID;TZID=Europe/Lisbon:20260419T080000", "DTSTART;TZID=Europe/Lisbon:20260419T120000", "SUMMARY:By hand")

	// Moved to another calendar it takes everything along.
	south := strings.ReplaceAll(rows, "|c\n", "|s\n")
	assert.Equal(t, "changed 1 s calendar:changed\nsame 1 s\nchanged 2 s calendar:changed\ncreate in s\ncreate in s\nmove out in c\nmove out in c", told(w.load(settings, south)))
	o, _ := w.find("s", "1", "")
	require.Len(t, o.Raws(), 3)
	assert.Contains(t, string(o.Part(2)), "SUMMARY:By hand")
	assert.Equal(t, "same 1 s\nsame 1 s\nsame 2 s", told(w.load(settings, south)))

	// A date changed by hand keeps the series from moving in time, and its dates
	// with it; what else changes is not written either, until that is settled.
	later := strings.Replace(south, "2026-04-05 08:00|weekly", "2026-04-05 09:00|weekly", 1)
	assert.Equal(t, "disputed 1 s start:disputed end:disputed (1 of its occurrences were changed one by one and would no longer fit)\nheld 1 s (its series is disputed (settle that first))\nsame 2 s", told(w.load(settings, later)))
	w.request.Takes = []Take{{agree.Sheet, "1"}}
	assert.Contains(t, told(w.load(settings, later)), "changed 1 s start:changed end:changed")
	w.request.Takes = nil
	o, i := w.find("s", "1", "20260412")
	require.NotNil(t, o)
	assert.Contains(t, string(o.Part(i)), "RECURRENCE-ID;TZID=Europe/Lisbon:20260412T090000", "the date moved with its series")

	// A date that leaves the sheet goes alone; a series goes with its dates.
	none := "No|Ship|Start|Repeat|Of|To\n1|Ferry|2026-04-05 09:00|weekly, 9 times||s\n2|Tour|2026-04-05 08:00|daily, 3 times||s\n"
	assert.Equal(t, "same 1 s\nsame 2 s\ngone 1 s (its row is no longer in the source; it is deleted)\nchange in s", told(w.load(settings, none)))
	o, _ = w.find("s", "1", "")
	assert.Len(t, o.Raws(), 2)
	assert.Equal(t, "same 1 s\ngone 2 s (its row is no longer in the source; it is deleted)\nremove in s", told(w.load(settings, "No|Ship|Start|Repeat|Of|To\n1|Ferry|2026-04-05 09:00|weekly, 9 times||s\n")))
	only, err := w.plan(settings, "No|Ship|Start|Repeat|Of|To\n1|Late|2026-04-12 10:00||2026-04-12|s\n")
	require.NoError(t, err)
	assert.Contains(t, told(only), "held 1 s (\"1\" is the key of no series in the source")
}

// TestStrangers has events in the calendar that are not simply this intake's.
func TestStrangers(t *testing.T) {
	w := newWorld(t, "c")
	w.load(plainCalls, threeCalls)
	// The same rows under another name would be doubles; a row that is something
	// else under the same key is not.
	renamed := strings.Replace(plainCalls, "name: calls", "name: spring", 1)
	rows := strings.Replace(threeCalls, "3|Gull|2026-04-07 08:00", "3|Ling|2026-04-09 08:00", 1) + "4|New|2026-04-10 08:00|N\n"
	p := w.load(renamed, rows)
	assert.Equal(t, 2, p.Totals.Held)
	assert.Contains(t, told(p), `held 1 c ("1" is already in calendar c, from "calls": loading it under the identity "spring" would double it (set identity: calls in the intake, or give --name calls`)
	assert.Contains(t, told(p), "new 3 c\nnew 4 c\n")
	w.request.Allow = map[string]int{AllowIdentity: 1}
	assert.Equal(t, "new 1 c\nnew 2 c\nsame 3 c\nsame 4 c\ncreate in c\ncreate in c", told(w.load(renamed, rows)))
	w.request.Allow = nil

	// Two events that are one hold their row alone.
	o, _ := w.find("c", "1", "")
	twin := ical.NewObject("copy", bytes.Replace(o.Part(0), []byte("UID:"+o.UID), []byte("UID:copy"), 1))
	twin.Line = 7
	w.calendars["c"] = append(w.calendars["c"], twin)
	assert.Equal(t, "held 1 c (2 events in calendar c are this one: the one at event "+o.UID+" is most likely the original, the one at line 7 says nothing else (remove the others there, or see: almanach twins c))\nsame 2 c\nsame 3 c", told(w.load(plainCalls, threeCalls)))
	w.calendars["c"] = w.calendars["c"][:len(w.calendars["c"])-1]

	// A changed occurrence that copies all lines of its master is one by hand.
	w.add("c", "2", "RECURRENCE-ID:20260406T070000Z", "DTSTART:20260406T090000Z", "X-ALMANACH-ID:"+o.UID)
	o2, _ := w.find("c", "2", "")
	w.add("c", "2", "RECURRENCE-ID:20260407T070000Z", "DTSTART:20260407T090000Z", "X-ALMANACH-ID:"+o2.UID, "X-ALMANACH-INTAKE:calls", "X-ALMANACH-KEY:2")

	// An event without its marks is found by its UID; one with a foreign UID by
	// its mark.
	o3, _ := w.find("c", "3", "")
	at := slices.Index(w.calendars["c"], o3)
	foreign := bytes.Replace(o3.Part(0), []byte("UID:"+o3.UID), []byte("UID:theirs"), 1)
	w.calendars["c"][at] = ical.NewObject("theirs", foreign)
	assert.Contains(t, told(w.load(plainCalls, threeCalls)), "same 3 c")
	c := ical.Open(o3.Part(0))
	for _, name := range []string{event.PropID, event.PropIntake, event.PropKey, event.PropSeal} {
		c.Remove(name)
	}
	w.calendars["c"][at] = ical.NewObject(o3.UID, c.Bytes())
	assert.Contains(t, told(w.load(plainCalls, threeCalls)), "same 3 c")

	// An event that cannot be read is disputed.
	w.calendars["c"][at] = ical.NewObject(o3.UID, bytes.Replace(o3.Part(0), []byte("DTSTART;TZID=Europe/Lisbon:2026"), []byte("DTSTART;TZID=Europe/Lisbon:x"), 1))
	w.calendars["c"][at].Line = 10
	assert.Contains(t, told(w.load(plainCalls, threeCalls)), "disputed 3 c (its event in calendar c, line 13, cannot be read: DTSTART: \"x0407T080000\" is not a date")

	// A zone that means another clock in this calendar is written under a name of
	// our own.
	require.NoError(t, w.zones["c"].Define([]byte("BEGIN:VTIMEZONE\r\nTZID:Europe/Lisbon\r\nBEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:+0900\r\nTZOFFSETTO:+0900\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n")))
	w.load(plainCalls, threeCalls+"5|Tern|2026-07-07 08:00|S\n")
	o5, _ := w.find("c", "5", "")
	require.NotNil(t, o5)
	assert.Contains(t, string(o5.Part(0)), "DTSTART;TZID=/almanach/Europe/Lisbon:20260707T080000")
	assert.Contains(t, told(w.load(plainCalls, threeCalls+"5|Tern|2026-07-07 08:00|S\n")), "same 5 c")
}

// TestKept writes a plan to JSON and reads it again: nothing of it is lost.
func TestKept(t *testing.T) {
	w := newWorld(t, "c")
	w.load(plainCalls, threeCalls)
	w.edit("c", "2", "SUMMARY", "By hand")
	w.request.Full = false
	p, err := w.plan(plainCalls, strings.NewReplacer("Petrel", "Petrel II", "Gull", "Gull II").Replace(threeCalls)+"4|New|2026-04-10 08:00|N\n5|Odd|soon|N\n")
	require.NoError(t, err)
	text, err := json.Marshal(p)
	require.NoError(t, err)
	var again Plan
	require.NoError(t, json.Unmarshal(text, &again))
	second, err := json.Marshal(&again)
	require.NoError(t, err)
	assert.Equal(t, string(text), string(second))
	assert.Equal(t, told(p), told(&again))
	for i := range p.Edits {
		before, err := p.Edits[i].Text(nil)
		require.NoError(t, err)
		after, err := again.Edits[i].Text(nil)
		require.NoError(t, err)
		assert.Equal(t, before, after)
		assert.Equal(t, p.Edits[i].Print(), again.Edits[i].Print())
	}
	fourth := p.Items.At(3)
	e := p.Event(&fourth)
	require.NotNil(t, e)
	assert.Equal(t, "New", e.Text(event.Title))
	assert.Equal(t, []string{"end assumed: 1h"}, p.NoteTexts(fourth.Notes))
	w.apply(&again)
	assert.Equal(t, "same 1 c", strings.SplitN(told(w.load(plainCalls, threeCalls)), "\n", 2)[0])
}

func TestTotals(t *testing.T) {
	good := Totals{Rows: 9, Wanted: 5, Held: 3, LeftOut: 1, Placed: 6, New: 1, Changed: 1, Same: 1, Edited: 1, Disputed: 1, Removed: 1}
	require.NoError(t, good.Check())
	for name, spoil := range map[string]func(*Totals){"a row lost": func(t *Totals) { t.Held-- }, "an event lost": func(t *Totals) { t.Same-- }, "an event too many": func(t *Totals) { t.New++ }, "a row too many": func(t *Totals) { t.LeftOut++ }} {
		bad := good
		spoil(&bad)
		assert.ErrorContains(t, bad.Check(), "do not foot", name)
	}
}

// TestGuessedZone loads again where the zone is another one that nobody named:
// nothing is moved until someone says so.
func TestGuessedZone(t *testing.T) {
	w := newWorld(t, "c")
	lisbon := plainCalls + "zone: Europe/Lisbon\n"
	w.load(lisbon, threeCalls)
	w.request.ZoneGuess = "Asia/Tokyo"
	assert.Empty(t, w.load(lisbon, threeCalls).Guards)
	tokyo := plainCalls + "zone: Asia/Tokyo\n"
	p, err := w.plan(tokyo, threeCalls)
	require.NoError(t, err)
	require.Len(t, p.Guards, 1)
	assert.ErrorContains(t, p.Guards[0].Fault("calls"), "3 of the 3 events of calls would be moved by the time zone, Asia/Tokyo, which neither the intake nor the desk names; if that is right, load again with --allow zone=3")
	p, err = w.plan(tokyo, strings.ReplaceAll(threeCalls, "08:00", "09:30"))
	require.NoError(t, err)
	assert.Len(t, p.Guards, 1, "whatever else moved them")
	assert.Empty(t, w.load(lisbon, strings.ReplaceAll(threeCalls, "08:00", "09:30")).Guards)
	w.request.ZoneGuess = ""
	assert.Empty(t, w.load(tokyo, threeCalls).Guards)
}
