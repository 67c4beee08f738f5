package intake

import (
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/rule"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

var present = time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)

// compiled gives an intake compiled against the header that the first of rows
// is, and the batch of the others, changed first.
func compiled(t *testing.T, settings, rows string, change ...func(*table.Row)) (*Intake, *Batch) {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	in, faults := Parse("x.yaml", []byte("key: No\ninto: c\n"+settings))
	require.Empty(t, faults, "%v", faults)
	lines := strings.Split(strings.TrimSpace(rows), "\n")
	given := tableOf(lines[1:])
	for i := range given {
		for _, f := range change {
			f(&given[i])
		}
	}
	header, list, faults := in.Prepare(strings.Split(lines[0], "|"), table.Hold(given...))
	require.Empty(t, faults, "%v", faults)
	m, faults := in.Compile(header, book, zone.UTC, present)
	require.Empty(t, faults, "%v", faults)
	return in, NewBatch(m, list, func(work func()) func() { work(); return func() {} })
}

func tableOf(lines []string) (out []table.Row) {
	for n, line := range lines {
		r := row(strings.Split(line, "|")...)
		r.Number = int32(n + 2)
		out = append(out, r)
	}
	return out
}

func textOf(b *Batch, row, column int) string {
	r := b.Rows.At(row)
	return r.Cell(column).Text
}

// TestFields fills every field that one template fills, and refuses what it
// cannot be.
func TestFields(t *testing.T) {
	for _, tt := range []struct {
		setting, cell string
		field         event.Field
		want          string // the field's text; after "held: " the reason
	}{
		{"status: '{X}'", "Provisional", event.Status, "tentative"},
		{"status: '{X}'", "perhaps", event.Status, `held: X "perhaps" is not a status`},
		{"busy: '{X}'", "no", event.Busy, "free"},
		{"priority: '{X}'", "High", event.Priority, "1"},
		{"priority: '{X}'", "7", event.Priority, "7"},
		{"priority: '{X}'", "12", event.Priority, `held: X "12" is not a priority`},
		{"visibility: '{X}'", "private", event.Visibility, "private"},
		{"colour: '{X}'", "Steel Blue", event.Colour, "steelblue"},
		{"colour: '{X}'", "blurple", event.Colour, `held: X "blurple" is not a colour name of CSS`},
		{"url: '{X}'", "https://tarn-haven.example/a?b=1", event.URL, "https://tarn-haven.example/a?b=1"},
		{"url: '{X}'", "tarn-haven", event.URL, `held: X "tarn-haven" is not a link`},
		{"categories: '{X}'", "b; a,c", event.Categories, "a\nb\nc"},
		{"attachments: '{X}'", "https://a.example;https://b.example", event.Attachments, "https://a.example\nhttps://b.example"},
		{"organizer: '{X}'", "Oda Fenn oda@fenn-agency.example", event.Organizer, "oda@fenn-agency.example\tOda Fenn"},
		{"organizer: '{X}'", "Oda Fenn", event.Organizer, `held: X "Oda Fenn" is not an e-mail address`},
		{"attendees: '{X}'", "Fenn, Oda <oda@fenn-agency.example>; piet@harrow.example", event.Attendees, "oda@fenn-agency.example\tFenn, Oda\npiet@harrow.example"},
		{"attendees: '{X}'", "Oda <>", event.Attendees, `held: X "Oda <>" has no address`},
		{"rooms: '{X}'", "room@tarn-haven.example", event.Attendees, "room@tarn-haven.example\t\troom"},
		{"reminders: ['{X}']", "2h, 1d by e-mail", event.Reminders, "000007200 display\n000086400 email"},
		{"reminders: ['{X}']", "soon", event.Reminders, `held: X "soon" is not a reminder`},
		{"reminders: ['{X}']", "09:00", event.Reminders, `held: X "09:00" is not a reminder`},
		{"reminders: ['{X}']", "none", event.Reminders, ""},
		{"properties: { COMMENT: '{X}' }", `a\nb`, event.Properties, `COMMENT:a\\nb`},
		{"own_address: oda@fenn-agency.example\n  participation: '{X}'", "yes", event.Participation, "oda@fenn-agency.example\taccepted"},
		{"own_address: oda@fenn-agency.example\n  participation: '{X}'", "eventually", event.Participation, `held: X "eventually" is not an answer`},
		{"description: '{X}'", "a\x07b", event.Description, "a b"},
		{"description: '*{X}*'\n  description_as: markdown", "1. *a* <b> [c](d)", event.Description, "1. *a* <b> [c](d)"},
		{"description: '*{X}*'\n  description_as: markdown", "1. *a* <b> [c](d)", event.Styled, "<p><em>1. *a* &lt;b&gt; [c](d)</em></p>"},
		{"location: '{X}'", "", event.Location, ""},
	} {
		t.Run(tt.setting+" "+tt.cell, func(t *testing.T) {
			_, b := compiled(t, "event:\n  title: '{No}'\n  start: '{Day}'\n  end: '{End}'\n  "+tt.setting+"\n", "No|Day|End|X\n1|2026-03-05 08:00|2026-03-05 09:00|"+tt.cell)
			var w Wanted
			f := b.Map(b.mapper, 0, &w)
			if reason, held := strings.CutPrefix(tt.want, "held: "); held {
				require.NotNil(t, f)
				assert.True(t, strings.HasPrefix(f.Reason(), reason), f.Reason())
				assert.Equal(t, fault.Place{Row: 2, Column: "X"}, f.Place)
				return
			}
			require.Nil(t, f)
			assert.Equal(t, tt.want, w.Event.Text(tt.field))
			assert.Equal(t, tt.cell == "a\x07b", w.Notes&CleanedText != 0)
		})
	}
}

// TestFixedMistakes finds mistakes that every row would have, once, in the
// intake.
func TestFixedMistakes(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	for setting, want := range map[string]string{
		"reminders: [15]": `"15" is not a reminder`, "reminders: [1d before 09:00, x]": `"x" is not a reminder`, "colour: blurple": "colour name of CSS", "url: here": "is not a link", "attendees: Oda": "is not an e-mail address", "organizer: Oda": "is not an e-mail address", "length: soon": "is not a length", "all_day: perhaps": "says neither yes nor no", "zone: Tarn/Haven": "is not a time zone",
		"own_address: a@b.example\n  participation: perhaps": "is not an answer", "properties: { UID: x }": "cannot be set as a property", "properties: { X-ALMANACH-ID: x }": "cannot be set as a property", `properties: { "A B": x }`: "cannot be set as a property", "location: '{Nwhere}'": `"Nwhere" is not a column`,
	} {
		in, faults := Parse("x.yaml", []byte("key: No\ninto: c\nevent:\n  title: '{No}'\n  start: '{Day}'\n  "+setting+"\n"))
		require.Empty(t, faults, setting)
		_, faults = in.Compile(table.Header{"No", "Day"}, book, zone.UTC, present)
		require.Len(t, faults, 1, setting)
		assert.Contains(t, faults[0].Error(), want)
		assert.Positive(t, faults[0].Place.Line, setting)
		assert.Equal(t, "x.yaml", faults[0].Place.File)
	}
	for setting, want := range map[string]string{"zone: Tarn/Haven": "is not a time zone", "needs: [None]": `"None" is not a column`, "period: { from: soon }": "is not a day", "leave_out: 'Nope == 1'": `"Nope" is not a column`, "clean: [None]": `"None" is not a column`, "labels: { in: Day }": "labels names no columns"} {
		in, faults := Parse("x.yaml", []byte("key: No\ninto: c\n"+setting+"\nevent: { title: '{No}', start: '{Day}' }\n"))
		require.Empty(t, faults, setting)
		_, _, faults = in.Prepare(table.Header{"No", "Day"}, table.Rows{})
		if len(faults) == 0 {
			_, faults = in.Compile(table.Header{"No", "Day"}, book, zone.UTC, present)
		}
		require.Len(t, faults, 1, setting)
		assert.Contains(t, faults[0].Error(), want)
	}
	for text, want := range map[string]string{"": "nothing says which column is the key", "key: No\n": "nothing says when the events start", "key: No\nfrom: { file: a, url: 'http://b' }\nevent: { title: a, start: b }\n": "from has both file and url", "from: { header: x }": "is not a row of the header"} {
		_, faults := Parse("x.yaml", []byte(text))
		require.NotEmpty(t, faults, text)
		assert.Contains(t, faults[0].Error(), want)
	}
}

// TestOff names rows that are loaded though a column of remarks, or one that nothing shows, says
// otherwise.
func TestOff(t *testing.T) {
	_, b := compiled(t, "cancel_when: 'State == \"Cancelled\"'\nevent: { title: '{Ship}', start: '{Day}' }\n",
		"No|Ship|Day|State|Cancelled?\n1|A|2026-03-05|Cancelled|\n2|Moved|2026-03-06|ok|no\n3|C|2026-03-07|Cancelled – weather|\n4|D|2026-03-08|postponed|\n5|E|2026-03-09|Postponed|open\n5|E|2026-03-10|Postponed|open")
	assert.Equal(t, []string{
		`2 rows are loaded as they stand though State says "Cancelled – weather", "postponed" (set leave_out or cancel_when, or give --leave-out or --cancel-when)`,
	}, b.Off(func(int) bool { return true }))
	assert.Empty(t, b.Off(func(i int) bool { return i < 2 }))
	_, b = compiled(t, "event: { title: '{Ship}', start: '{Day}', description: '{Notes}' }\n",
		"No|Ship|Day|Notes\n1|Moved|2026-03-05|cancelled\n2|B|2026-03-06|moved to 12 March\n3|C|2026-03-07|the cancelled part is with the office")
	assert.Equal(t, []string{
		`2 rows are loaded as they stand though Notes says "cancelled", "moved to 12 March" (set leave_out or cancel_when, or give --leave-out or --cancel-when)`,
	}, b.Off(func(int) bool { return true }))
}

// TestBatch sorts rows by what becomes of them.
func TestBatch(t *testing.T) {
	_, b := compiled(t, "leave_out: 'State == \"ok\"'\ncancel_when: 'State in [\"off\", \"gone\"] and No != \"\"'\nneeds: [Ship]\nevent: { title: '{Ship}', start: '{Day}' }\n",
		"No|Ship|Day|State\n1|A|2026-03-05|OK\n2|B|2026-03-06|off\nTH-1|C|2026-03-07|\nth-1|D|2026-03-08|\n|E|2026-03-09|\n5|F|2026-03-10|\n5|F|2026-03-10|\n6|G|2026-03-11|\n6|H|2026-03-11|\n7||2026-03-12|\nTotal|||")
	var got []string
	for _, h := range b.Held {
		got = append(got, h.Key.String()+": "+h.Fault.Reason())
	}
	assert.Equal(t, []string{
		`: No is empty: without a key the row cannot be found again (fill it in)`,
		`TH-1: No "TH-1" differs from th-1 in row 5 only by case or leading zeros (write both alike if they are one, or make them distinct)`, `th-1: No "th-1" differs from TH-1 in row 4 only by case or leading zeros (write both alike if they are one, or make them distinct)`,
		`6: No "6" is the key of rows 9 and 10, which differ in title (give each event a key of its own, or remove the rows that are wrong)`, `6: No "6" is the key of rows 9 and 10, which differ in title (give each event a key of its own, or remove the rows that are wrong)`,
	}, got)
	got = nil
	for _, o := range b.LeftOut {
		got = append(got, o.Key.String()+": "+o.Reason)
	}
	assert.Equal(t, []string{": totals row", "5: the same as row 7"}, got)
	assert.True(t, b.NoKey)
	assert.Equal(t, []string{`leave_out: State is never "ok"; it is "OK", "off"`, `cancel_when: State is never "gone"; it is "OK", "off"`}, b.Unmet(1))
	var w Wanted
	f := b.Map(b.mapper, 9, &w)
	require.NotNil(t, f)
	assert.Equal(t, "Ship is empty: the row is still being filled in (it is loaded by itself once it is complete)", f.Reason())
	b.Hold(9, f)
	b.Leave(0, OutsidePeriod)
	b.Leave(1, NothingToCancel)
	for i, want := range []Fate{LeftOutRow, LeftOutRow, HeldRow, HeldRow, HeldRow, WantedRow, LeftOutRow, HeldRow, HeldRow, HeldRow, LeftOutRow} {
		fate, _ := b.Fate(i)
		assert.Equal(t, want, fate, "row %d", i+2)
	}
	require.Nil(t, b.Map(b.mapper, 1, &w))
	assert.True(t, w.Cancel)
	_, b = compiled(t, "leave_out: 'Ship == \"\"'\ncancel_when: 'Ship == \"x\" or Ship == \"y\"'\nevent: { title: '{Ship}', start: '{Day}' }\n", "No|Ship|Day\n1|A|2026-03-05\n2|B|2026-03-05\n3|C|2026-03-05\n4|D|2026-03-05\n5|E|2026-03-05\n6|X|2026-03-05")
	assert.Equal(t, []string{`leave_out: no row meets Ship == ""`, `cancel_when: Ship is never "x"; it is "X", "A", "B", "C", …`, `cancel_when: Ship is never "y"; it is "A", "B", "C", "D", …`}, b.Unmet(0))
}

func TestDestinations(t *testing.T) {
	for _, tt := range []struct{ settings, cell, want string }{
		{"", "n", "c"}, {"into: '{Q}'\n", "n", "n (row)"}, {"into: '{Q}'\n", "", "held: Q nothing in the row says which calendar it goes to (fill it in)"}, {"into: [c, '{Q}', c]\n", "n", "c, n (row)"},
		{"into: '{Q}'\nroutes: { n: ../north.ics }\n", "n", "../north.ics"}, {"into: '{Q}'\nroutes: { n: north }\n", "s", `held: Q "s" leads to no calendar: routes does not have it`}, {"into: 'cal-{lower(Q)}'\n", "N", "cal-n (row)"},
	} {
		settings := tt.settings
		if settings == "" {
			settings = "into: c\n"
		}
		book, err := zone.NewBook(nil)
		require.NoError(t, err)
		in, faults := Parse("x.yaml", []byte("key: No\n"+settings+"event: { title: '{No}', start: '{Day}' }\n"))
		require.Empty(t, faults)
		m, faults := in.Compile(table.Header{"No", "Day", "Q"}, book, zone.UTC, present)
		require.Empty(t, faults)
		_, fixed := m.Fixed()
		assert.Equal(t, tt.settings == "", fixed)
		assert.Equal(t, map[bool]string{true: "c"}[settings == "into: c\n" || strings.HasPrefix(settings, "into: [c")], in.FirstPlace())
		to, f := m.Mapper().Places(row("1", "2026-03-05", tt.cell))
		if reason, held := strings.CutPrefix(tt.want, "held: "); held {
			require.NotNil(t, f)
			assert.True(t, strings.HasPrefix(f.Reason(), reason), f.Reason())
			continue
		}
		require.Nil(t, f)
		var got []string
		for _, d := range to {
			got = append(got, d.Name+map[bool]string{true: " (row)"}[d.FromRow])
		}
		assert.Equal(t, tt.want, strings.Join(got, ", "))
	}
}

// TestCopies changes copies of an intake, which itself stays as it is.
func TestCopies(t *testing.T) {
	in := &Intake{Name: "x", Key: []string{"No"}, Into: []string{"c"}}
	in.Defaults()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	found, choices, f := in.Matched(table.Header{"No", "Ship", "Day"}, table.Hold(row("1", "A", "2026-03-05")), nil, moment.Settings{Present: present, Zones: book})
	require.Nil(t, f)
	assert.Len(t, choices, 2)
	assert.Equal(t, "{Ship}", found.EventText("title"))
	assert.Empty(t, in.EventText("title"))
	out := found.With(func(c *Intake) {
		c.Into[0], c.Key[0] = "d", "X"
		c.SetEvent(choices[:1])
		c.SetLeaveOut("true")
		c.SetCancel("false")
	})
	assert.Equal(t, []string{"c", "No"}, []string{found.Into[0], found.Key[0]})
	assert.Equal(t, []string{"d", "X"}, []string{out.Into[0], out.Key[0]})
	assert.Nil(t, out.PropertyNames())
	_, _, f = in.Matched(table.Header{"No", "Ship"}, table.Rows{}, nil, moment.Settings{Present: present, Zones: book})
	assert.NotNil(t, f)
	for file, want := range map[string]string{"inbox/berth-2026-03-01.xlsx": "berth", "Berth Bookings (2).csv": "berth-bookings", "spring final v3.ods": "spring", "2026.csv": "2026", "list_copy.csv": "list"} {
		assert.Equal(t, want, NameFromFile(file), file)
	}
}

// TestMessagesDay counts relative words from the day a row's message was sent.
func TestMessagesDay(t *testing.T) {
	sent := []time.Time{time.Date(2026, 3, 10, 23, 30, 0, 0, time.FixedZone("", 3600)), time.Date(2026, 3, 11, 9, 0, 0, 0, time.UTC), {}}
	_, b := compiled(t, "event: { title: '{Ship}', start: '{Day}' }\n", "No|Ship|Day\n1|A|tomorrow\n2|B|tomorrow\n3|C|tomorrow", func(r *table.Row) {
		r.Origin = &table.Origin{File: "m.eml", Message: "<1@fenn-agency.example>", Sent: sent[r.Number-2]}
	})
	var got []string
	for i := range b.Rows.Len() {
		var w Wanted
		if f := b.Map(b.mapper, i, &w); f != nil {
			got = append(got, f.Reason())
			assert.Equal(t, "<1@fenn-agency.example>", f.Place.Message)
			continue
		}
		got = append(got, w.Event.When.Start.RFC3339())
	}
	assert.Equal(t, []string{"2026-03-11", "2026-03-12", `Day "tomorrow" counts from a day that is not stated (write the date)`}, got)
}

// TestOccurrences changes single dates of series.
func TestOccurrences(t *testing.T) {
	_, b := compiled(t, "cancel_when: 'State == \"off\"'\nassume: { length: 1h }\nevent: { title: '{Ship}', start: '{Day} {From}', end: '{End} {Until}', repeat: '{Repeat}', occurrence: '{Of}' }\n",
		"No|Ship|Day|From|End|Until|Repeat|Of|State\n"+
			"1|Ferry|2026-03-05|08:00|2026-03-05|09:30|weekly on Mon, 5 times||\n1|||10:00||||2026-03-09|\n1|||10:00||10:20||2026-03-16|\n1||2026-03-24|||||2026-03-23|\n1|||||||2026-03-30|off\n1|Late||||||2026-04-06|\n"+
			"2|Dredging|2026-03-05||2026-03-06||monthly, 3 times||\n2||2026-04-07|||||2026-04-05|\n3|Once|2026-03-05|08:00|||||\n3|||||||2026-03-05|\n4|Nobody's||||||2026-03-05|\n1|||||||soon|\n5|Off|2026-03-05|08:00|||daily||off\n5|||09:00||||2026-03-06|\n")
	var got []string
	for i := range b.Rows.Len() {
		fate, _ := b.Fate(i)
		var w Wanted
		f := b.Map(b.mapper, i, &w)
		switch {
		case fate == HeldRow:
			got = append(got, "held already")
		case f != nil:
			got = append(got, f.Reason())
		default:
			got = append(got, strings.TrimSpace(w.Event.Text(event.Title)+" "+w.Recurrence.RFC3339()+" "+w.Event.When.String()+" "+w.Event.Text(event.Status)))
		}
	}
	assert.Equal(t, []string{
		"Ferry  20260309T080000Z/20260309T093000Z;FREQ=WEEKLY;COUNT=5;BYDAY=MO", "Ferry 2026-03-09T08:00:00Z 20260309T100000Z/20260309T113000Z", "Ferry 2026-03-16T08:00:00Z 20260316T100000Z/20260316T102000Z", "Ferry 2026-03-23T08:00:00Z 20260324T080000Z/20260324T093000Z", "Ferry 2026-03-30T08:00:00Z 20260330T080000Z/20260330T093000Z cancelled",
		"Late 2026-04-06T08:00:00Z 20260406T080000Z/20260406T093000Z", "Dredging  20260305/20260307;FREQ=MONTHLY;COUNT=3", "Dredging 2026-04-05 20260407/20260409", "Once  20260305T080000Z/20260305T090000Z",
		"the event of this key does not repeat, so no date of it can be changed (give the event a recurrence, or this row a key of its own)", `"4" is the key of no series in the source (add the row of the series, or correct the key)`, "held already", "19700101T000000/19700101T000000 cancelled", "its series in row 14 is cancelled (remove this row)",
	}, got)
}

// TestUntil brings the end of a rule into the kind of its start: the whole of
// the last day counts.
func TestUntil(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	lisbon, err := book.Find("Europe/Lisbon")
	require.NoError(t, err)
	at := func(z *zone.Zone) zone.Time { return zone.In(z, zone.Wall(2026, 7, 1, 8, 0, 0)) }
	day := zone.Time{Wall: zone.Wall(2026, 7, 9, 0, 0, 0), Form: zone.Date}
	for _, tt := range []struct {
		start, until zone.Time
		want         string
	}{
		{at(lisbon), day, "2026-07-09T22:59:59Z"}, {at(zone.UTC), day, "2026-07-09T23:59:59Z"}, {at(nil), day, "2026-07-09T23:59:59"}, {zone.Time{Wall: zone.Wall(2026, 7, 1, 0, 0, 0), Form: zone.Date}, day, "2026-07-09"},
		{at(lisbon), zone.In(nil, zone.Wall(2026, 7, 9, 8, 0, 0)), "2026-07-09T07:00:00Z"}, {at(lisbon), zone.In(zone.UTC, zone.Wall(2026, 7, 9, 8, 0, 0)), "2026-07-09T08:00:00Z"},
	} {
		r := rule.Rule{Until: tt.until}
		placeUntil(&r, event.Span{Start: tt.start, End: tt.start})
		assert.Equal(t, tt.want, r.Until.RFC3339())
	}
}

// TestSpanEdges has spans at the very edge of what is believed.
func TestSpanEdges(t *testing.T) {
	_, b := compiled(t, "assume: { overnight: 10h }\nevent: { title: '{No}', start: '{Day} {From}', end: '{End} {Until}', all_day: '{Whole}' }\n",
		"No|Day|From|End|Until|Whole\n1|2026-03-05|22:00||08:00\n2|2026-03-05|22:00||08:01\n3|2026-03-05||2026-03-07 00:00||yes\n4|2026-03-05||2026-03-07|\n5|2026-03-05|08:00||08:00\n6|2026-03-05|08:00|2026-03-05|24:00\n7|2026-03-05|24:00|2026-03-06|01:00")
	var got []string
	for i := range b.Rows.Len() {
		var w Wanted
		if f := b.Map(b.mapper, i, &w); f != nil {
			got = append(got, f.Cause.Error())
			continue
		}
		got = append(got, w.Event.When.String())
	}
	assert.Equal(t, []string{
		"20260305T220000Z/20260306T080000Z", "ends at 08:01, before it starts at 22:00; as an event over midnight it would last 10h1m", "20260305/20260307", "20260305/20260308", "ends when it starts, on Thu 5 March 2026 08:00", "20260305T080000Z/20260306T000000Z", "20260306T000000Z/20260306T010000Z",
	}, got)
}

func row(cells ...string) table.Row {
	r := table.Row{Number: 2}
	for _, c := range cells {
		cell := table.Cell{Kind: table.Text, Text: c}
		if c == "" {
			cell = table.Cell{}
		}
		r.Cells = append(r.Cells, cell)
	}
	return r
}

func TestCleanText(t *testing.T) {
	for text, want := range map[string]string{
		"plain": "plain", "a &amp; b &lt;c&gt;": "a & b <c>", "<p>One</p><p>Two<br>three</p>": "One\n\nTwo\nthree", "<style>x{}</style>text": "text", "a  b\u00a0 c ": "a b c", "5 < 6 & 7 > 2": "5 < 6 & 7 > 2", "<ul><li>a<li>b</ul>": "- a\n- b", "x\n\n\n\ny": "x\n\ny",
	} {
		assert.Equal(t, want, cleanText(text), text)
	}
	names := []string{"Name", "E-mail", "Phone"}
	got := labels("Hello\nname: Oda Fenn\n* E-mail : oda@fenn-agency.example / Phone: 12 34\nName: second", names, labelPattern(names))
	assert.Equal(t, []string{"Oda Fenn", "oda@fenn-agency.example", "12 34"}, got)
}

// TestWays gives every combination of what a row can say of its span, and
// wants what the decision table is meant to say. Columns: all-day, start's
// clock, end's date, end's clock, length.
func TestWays(t *testing.T) {
	var got strings.Builder
	for _, length := range []string{"", "26h", "2 days", "1h"} {
		for _, all := range []string{"", "yes", "no"} {
			rows := "No|Day|All|From|To day|To|Length\n"
			for n := range 8 {
				cell := func(bit int, text string) string { return map[bool]string{true: text}[n&bit != 0] }
				rows += strings.Join([]string{strconv.Itoa(n), "2026-03-05", all, cell(1, "08:00"), cell(2, "2026-03-06"), cell(4, "10:00"), length}, "|") + "\n"
			}
			_, b := compiled(t, "assume: { length: 30m }\nevent: { title: '{No}', start: '{Day} {From}', end: '{To day} {To}', length: '{Length}', all_day: '{All}' }\n", rows)
			for i := range b.Rows.Len() {
				var w Wanted
				out := ""
				if f := b.Map(b.mapper, i, &w); f != nil {
					out = "held: " + f.Cause.Error()
				} else {
					out = w.Event.When.String()
				}
				fmt.Fprintf(&got, "%s|%s|%s\n", strings.Join([]string{all, textOf(b, i, 3), textOf(b, i, 4), textOf(b, i, 5)}, ","), length, out)
			}
		}
	}
	want, err := os.ReadFile("testdata/ways.txt")
	require.NoError(t, err)
	assert.Equal(t, string(want), got.String())
}

// Columns that a person names take the place of the intake's; none takes the end out.
func TestSetColumns(t *testing.T) {
	in := &Intake{}
	in.SetColumns("start", []string{"Day", "Time"})
	in.SetColumns("end", []string{"Until"})
	assert.Equal(t, []string{"{Day} {Time}", "{Until}"}, []string{in.EventText("start"), in.EventText("end")})
	in.SetColumns("end", []string{match.None})
	assert.Empty(t, in.EventText("end"))
}

// TestUnseen has cells that store more than their sheet shows: "[d]2026-05-04T13:37" shows the
// day alone, "[t]…" the time of day.
func TestUnseen(t *testing.T) {
	stored := func(r *table.Row) {
		for i := range r.Cells {
			c := &r.Cells[i]
			shown, text, ok := strings.Cut(c.Text, "]")
			if at, err := time.Parse("2006-01-02T15:04", text); ok && err == nil {
				*c = table.NewTemporal(table.DateTime, float64(at.Unix())/86400+25569)
				c.Shown = map[string]table.Part{"[d": table.NoClock, "[t": table.ClockOnly}[shown]
			}
		}
	}
	for name, c := range map[string]struct{ rows, want string }{
		"a day's time gives way to a time":         {"1|[d]2026-05-04T13:37|08:00||12:00", "20260504T080000Z/20260504T120000Z"},
		"a time's day gives way to a day":          {"1|2026-05-04|[t]2026-03-19T08:00||[t]2026-03-19T12:00", "20260504T080000Z/20260504T120000Z"},
		"both do":                                  {"1|[d]2026-05-04T13:37|[t]2026-03-19T08:00||[t]2026-03-19T12:00", "20260504T080000Z/20260504T120000Z"},
		"over midnight":                            {"1|2026-05-04|[t]2026-03-19T22:00||[t]2026-03-19T02:00", "20260504T220000Z/20260505T020000Z"},
		"another day of the end":                   {"1|2026-05-04|[t]2026-03-19T22:00|2026-05-06|[t]2026-03-19T02:00", "20260504T220000Z/20260506T020000Z"},
		"a day that stands alone counts":           {"1||[t]2026-05-04T08:00||[t]2026-05-04T12:00", "20260504T080000Z/20260504T120000Z, day that the sheet does not show"},
		"a time that stands alone counts":          {"1|[d]2026-05-04T13:37|||15:00", "20260504T133700Z/20260504T150000Z, time that the sheet does not show"},
		"but not where most of the days have none": {"1|[d]2026-05-04T13:37|||15:00\n2|2026-05-05|||15:00\n3|2026-05-06|||15:00", `column Day: "2026-05-04T13:37" has a time of day that the sheet does not show, and most of the others have none`},
	} {
		in, b := compiled(t, "assume: { overnight: 10h }\nevent: { title: '{No}', start: '{Day} {From}', end: '{To day} {To}' }\n", "No|Day|From|To day|To\n"+c.rows, stored)
		var w Wanted
		got := ""
		if f := b.Map(b.mapper, 0, &w); f != nil {
			got = f.Error()
		} else {
			got = strings.Join(append([]string{w.Event.When.String()}, slices.DeleteFunc(w.Notes.Kinds(in), func(k string) bool { return k == "overnight" })...), ", ")
		}
		assert.Contains(t, got, c.want, name)
	}
}
