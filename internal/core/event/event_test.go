package event

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
)

func book(t testing.TB) *zone.Book {
	t.Helper()
	b, err := zone.NewBook(nil)
	require.NoError(t, err)
	return b
}

func vevent(lines string) []byte {
	return []byte(strings.ReplaceAll("BEGIN:VEVENT\nUID:u\n"+strings.TrimSpace(lines)+"\nEND:VEVENT\n", "\n", "\r\n"))
}

// TestRead gives a VEVENT's lines and what one field is read as.
func TestRead(t *testing.T) {
	const when = "DTSTART:20260305T080000Z\n"
	tests := []struct {
		name, lines string
		field       Field
		want        string
	}{
		{"title unescaped", when + `SUMMARY;LANGUAGE=en:a\, b\; c\\d\ne`, Title, "a, b; c\\d\ne"},
		{"control characters are spaces", when + "SUMMARY:a\x01b", Title, "a b"},
		{"composed", when + "SUMMARY:Cafe\u0301", Title, "Café"},
		{"categories of two lines, sorted, once", when + "CATEGORIES:B,A\\,x\nCATEGORIES:B,C", Categories, "A,x\nB\nC"},
		{"status", when + "STATUS:Tentative", Status, "tentative"},
		{"public is nothing special", when + "CLASS:PUBLIC", Visibility, ""},
		{"confidential", when + "CLASS:CONFIDENTIAL", Visibility, "confidential"},
		{"opaque is busy", when + "TRANSP:OPAQUE", Busy, ""},
		{"transparent is free", when + "TRANSP:transparent", Busy, "free"},
		{"priority 0 is none", when + "PRIORITY:0", Priority, ""},
		{"attendees by address, part and name", when + "ATTENDEE;CN=\"Fenn, Oda\";PARTSTAT=ACCEPTED:MAILTO:Oda@Fenn.example\nATTENDEE;ROLE=OPT-PARTICIPANT:mailto:b@x.example\nATTENDEE;CUTYPE=ROOM;CN=Chart room:mailto:c@x.example", Attendees, "b@x.example\t\toptional\nc@x.example\tChart room\troom\noda@fenn.example\tFenn, Oda"},
		{"organizer", when + "ORGANIZER;CN=Office:mailto:office@tarn-haven.example", Organizer, "office@tarn-haven.example\tOffice"},
		{"links, not files", when + "ATTACH:https://x.example/a\nATTACH;ENCODING=BASE64;VALUE=BINARY:AAAA", Attachments, "https://x.example/a"},
		{"our alarms and nobody else's", when + "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM\nBEGIN:VALARM\nX-ALMANACH-REMINDER:1\nACTION:EMAIL\nTRIGGER:-P1DT2H\nEND:VALARM", Reminders, Reminder{Before: 93600, Mail: true}.String()},
		{"an alarm's description is not the event's", when + "BEGIN:VALARM\nDESCRIPTION:alarm\nEND:VALARM", Description, ""},
		{"conference", when + "CONFERENCE;VALUE=URI;FEATURE=VIDEO:https://x.example/c", Conference, "https://x.example/c"},
		{"colour", when + "COLOR:SteelBlue", Colour, "steelblue"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			v, err := Read(vevent(tt.lines), book(t).Find)
			require.NoError(t, err)
			assert.Equal(t, tt.want, v.Text(tt.field))
		})
	}
	for lines, want := range map[string]string{
		"SUMMARY:x":                             "has no start",
		"DTSTART:2026":                          `DTSTART: "2026" is not a date`,
		"DTSTART:20260305\nDURATION:1H":         "DURATION:",
		"DTSTART;TZID=No/Where:20260305T080000": "no time zone is called",
	} {
		_, err := Read(vevent(lines), book(t).Find)
		assert.ErrorContains(t, err, want)
	}
}

func TestSpan(t *testing.T) {
	b := book(t)
	read := func(lines string) Span {
		v, err := Read(vevent(lines), b.Find)
		require.NoError(t, err)
		return v.When
	}
	same := [][2]string{
		{"DTSTART:20260305T080000Z\nDTEND:20260305T090000Z", "DTSTART;TZID=Europe/Lisbon:20260305T080000\nDURATION:PT1H"},
		{"DTSTART;VALUE=DATE:20260305", "DTSTART;VALUE=DATE:20260305\nDTEND;VALUE=DATE:20260306"},
		{"DTSTART;TZID=Asia/Calcutta:20260305T080000\nRRULE:FREQ=DAILY", "DTSTART;TZID=Asia/Kolkata:20260305T080000\nRRULE:INTERVAL=1;FREQ=daily"},
		{"DTSTART;TZID=Europe/Lisbon:20260705T080000\nRRULE:FREQ=DAILY\nEXDATE:20260706T070000Z\nEXDATE;TZID=Europe/Lisbon:20260707T080000", "DTSTART;TZID=Europe/Lisbon:20260705T080000\nRRULE:FREQ=DAILY\nEXDATE;TZID=Europe/Lisbon:20260707T080000,20260706T080000"},
	}
	for _, p := range same {
		assert.True(t, read(p[0]).Same(read(p[1])), "%s and %s", p[0], p[1])
	}
	different := [][2]string{
		{"DTSTART:20260305T080000Z", "DTSTART:20260305T080000"},
		{"DTSTART:20260305T000000", "DTSTART;VALUE=DATE:20260305"},
		{"DTSTART:20260305T080000Z\nRRULE:FREQ=DAILY", "DTSTART;TZID=Europe/Lisbon:20260305T080000\nRRULE:FREQ=DAILY"}, // apart in summer
		{"DTSTART:20260305T080000Z\nRRULE:FREQ=DAILY", "DTSTART:20260305T080000Z"},
		{"DTSTART:20260305T080000Z\nDURATION:PT1H", "DTSTART:20260305T080000Z\nDURATION:PT2H"},
	}
	for _, p := range different {
		assert.False(t, read(p[0]).Same(read(p[1])), "%s and %s", p[0], p[1])
	}
	for _, p := range append(same, different...) { // a span written as one word is read again as itself
		for _, lines := range p {
			s := read(lines)
			again, err := ParseSpan(s.String(), b.Find)
			require.NoError(t, err)
			assert.True(t, s.Same(again), s.String())
		}
	}
	_, err := ParseSpan("nonsense", b.Find)
	assert.Error(t, err)
}

// foreign is an event full of what others put into it.
const foreign = `DTSTAMP:20260301T080000Z
DTSTART;TZID=Europe/Lisbon;X-KEPT=1:20260305T080000
DURATION:PT1H
SUMMARY;LANGUAGE=pt:Velho
LOCATION;ALTREP="https://x.example":Old
CATEGORIES:A,B
STATUS:TENTATIVE
ATTENDEE;CN=Oda;PARTSTAT=ACCEPTED;X-SEEN=1:mailto:oda@fenn.example
ATTENDEE;CN=Piet;PARTSTAT=DECLINED:mailto:piet@harrow.example
ATTACH;FMTTYPE=text/plain:https://x.example/a
ATTACH;ENCODING=BASE64;VALUE=BINARY:AAAA
GEO:1;2
x-odd;A="b:c":kept
BEGIN:VALARM
ACTION:AUDIO
TRIGGER:-PT1M
END:VALARM
BEGIN:VALARM
X-ALMANACH-REMINDER:1
ACTION:DISPLAY
TRIGGER:-PT2H
ACKNOWLEDGED:20260305T060000Z
END:VALARM`

// TestWrite changes one field and shows which lines go and come.
func TestWrite(t *testing.T) {
	people := func(p ...Person) string {
		var out []string
		for _, one := range p {
			out = append(out, one.String())
		}
		return strings.Join(out, "\n")
	}
	oda, piet := Person{Name: "Oda", Address: "oda@fenn.example"}, Person{Name: "Piet", Address: "piet@harrow.example"}
	tests := []struct {
		name  string
		field Field
		text  string
		gone  string
		come  string
	}{
		{"title", Title, "New, title", "SUMMARY;LANGUAGE=pt:Velho", `SUMMARY;LANGUAGE=pt:New\, title`},
		{"cleared", Location, "", `LOCATION;ALTREP="https://x.example":Old`, ""},
		{"what was not there", URL, "https://x.example/u", "", "URL:https://x.example/u"},
		{"list", Categories, "C\nD, e", "CATEGORIES:A,B", `CATEGORIES:C,D\, e`},
		{"busy again", Busy, "", "", ""},
		{"the same people", Attendees, people(oda, piet), "", ""},
		{"one leaves", Attendees, people(piet), "ATTENDEE;CN=Oda;PARTSTAT=ACCEPTED;X-SEEN=1:mailto:oda@fenn.example", ""},
		{"one has another part, and answered", Attendees, people(Person{Name: "Oda", Address: "oda@fenn.example", Part: Optional}, piet), "ATTENDEE;CN=Oda;PARTSTAT=ACCEPTED;X-SEEN=1:mailto:oda@fenn.example", "ATTENDEE;CN=Oda;ROLE=OPT-PARTICIPANT;SCHEDULE-AGENT=NONE;PARTSTAT=ACCEPTED;\r\n X-SEEN=1:mailto:oda@fenn.example"},
		{"one joins", Attendees, people(oda, piet, Person{Address: "new@x.example"}), "", "ATTENDEE;SCHEDULE-AGENT=NONE:mailto:new@x.example"},
		{"own answer", Participation, "piet@harrow.example\taccepted", "ATTENDEE;CN=Piet;PARTSTAT=DECLINED:mailto:piet@harrow.example", "ATTENDEE;CN=Piet;PARTSTAT=ACCEPTED:mailto:piet@harrow.example"},
		{"the same reminder keeps that it was seen", Reminders, Reminder{Before: 7200}.String(), "", ""},
		{"another reminder", Reminders, Reminder{Before: 900}.String(), "BEGIN:VALARM\nX-ALMANACH-REMINDER:1\nACTION:DISPLAY\nTRIGGER:-PT2H\nACKNOWLEDGED:20260305T060000Z\nEND:VALARM", "BEGIN:VALARM\nX-ALMANACH-REMINDER:1\nACTION:DISPLAY\nTRIGGER:-PT15M\nDESCRIPTION:Velho\nEND:VALARM"},
		{"links", Attachments, "https://x.example/b", "ATTACH;FMTTYPE=text/plain:https://x.example/a", "ATTACH:https://x.example/b"},
		{"properties", Properties, "GEO:3;4\nX-NEW:a, b", "GEO:1;2", "GEO:3;4\nX-NEW:a\\, b"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			raw := string(vevent(foreign))
			var e Event
			e.SetText(Title, "Velho")
			e.SetText(tt.field, tt.text)
			c := ical.Open([]byte(raw))
			Write(c, 1<<tt.field, &e)
			before, after := strings.Split(raw, "\r\n"), strings.Split(strings.ReplaceAll(string(c.Bytes()), "\r\n ", "\x00"), "\r\n")
			lines := func(s string) []string {
				if s == "" {
					return nil
				}
				return strings.Split(strings.ReplaceAll(s, "\r\n ", "\x00"), "\n")
			}
			left := append([]string(nil), before...)
			take := func(from []string, what string) []string {
				for i, l := range from {
					if l == what {
						return append(from[:i:i], from[i+1:]...)
					}
				}
				t.Fatalf("%q is not among\n%s", what, strings.Join(from, "\n"))
				return nil
			}
			for _, l := range lines(tt.gone) {
				left = take(left, l)
			}
			for _, l := range lines(tt.come) {
				after = take(after, l)
			}
			assert.ElementsMatch(t, left, after)
		})
	}
}

// TestAppend writes an event with every field and reads it back.
func TestAppend(t *testing.T) {
	b := book(t)
	span, err := ParseSpan("20260305T080000/20260306T090000@Europe/Lisbon;FREQ=WEEKLY;BYDAY=TH;RDATE=20260310T080000;EXDATE=20260312T080000", b.Find)
	require.NoError(t, err)
	e := Event{Own: "own@x.example"}
	e.SetWhen(span)
	for f, text := range map[Field]string{
		Title: "A title that is long enough, with commas; and semicolons, to be folded – né à Tarn Haven", Location: "Berth 1", Description: "line\nline", URL: "https://x.example/?a=1;b,c", Categories: "A\nB, c", Status: "tentative", Styled: "<p>a, b</p>",
		Conference: "https://x.example/c", Colour: "red", Busy: "free", Priority: "3", Visibility: "private", Organizer: "o@x.example\tOffice", Attendees: "a@x.example\tOne, two\toptional\nb@x.example", Participation: "own@x.example\taccepted",
		Reminders: Reminder{Before: 3600}.String() + "\n" + Reminder{Before: 86400 * 2, Mail: true}.String(), Attachments: "https://x.example/1\nhttps://x.example/2", Properties: "GEO:1;2\nX-A:a, b",
	} {
		e.SetText(f, text)
	}
	raw := append(AppendReminders(Append(nil, &e, "u", zone.Time{}, nil, zone.Time{Form: zone.Absolute}), &e), "END:VEVENT\r\n"...)
	for line := range strings.SplitSeq(string(raw), "\r\n") {
		assert.LessOrEqual(t, len(line), 75, line)
	}
	v, err := Read(raw, b.Find)
	require.NoError(t, err)
	v.Attune(&e, raw)
	assert.True(t, v.When.Same(span), v.When.String())
	for _, f := range Fields() {
		assert.Equal(t, e.Text(f), v.Text(f), f.String())
	}
	assert.Contains(t, string(raw), "ATTENDEE:mailto:own@x.example", "a reminder by e-mail goes to whose calendar it is")
}

func TestReminders(t *testing.T) {
	for r, want := range map[Reminder][2]string{
		{}:                          {"at the start", "-PT0M"},
		{Before: 900}:               {"15min", "-PT15M"},
		{Before: 5400, Mail: true}:  {"1h30min by e-mail", "-PT1H30M"},
		{Before: 86400}:             {"1d", "-P1D"},
		{Before: 86400 + 3600 + 60}: {"1d1h01min", "-P1DT1H1M"},
		{Before: -54000}:            {"15h after the start", "PT15H"},
	} {
		assert.Equal(t, want[0], r.Show())
		assert.Equal(t, want[1], r.trigger())
		assert.Equal(t, r, ParseReminder(r.String()))
	}
}

// TestDurationBesideEnd has an event that says twice when it ends: DTEND counts,
// and what is written says it once.
func TestDurationBesideEnd(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	raw := "BEGIN:VEVENT\r\nUID:a\r\nDTSTART:20260305T080000Z\r\nDTEND:20260305T090000Z\r\nDURATION:PT5H\r\nEND:VEVENT\r\n"
	v, err := Read([]byte(raw), book.Find)
	require.NoError(t, err)
	assert.Equal(t, "20260305T080000Z/20260305T090000Z", v.When.String())
	c := ical.Open([]byte(raw))
	Write(c, 1<<When, &v.Event)
	assert.NotContains(t, string(c.Bytes()), "DURATION")
	// Very many attendees are read in no time.
	many := strings.Replace(raw, "DURATION:PT5H", strings.Repeat("ATTENDEE:mailto:a@harrow.example\r\n", 20_000)+"COMMENT:x", 1)
	began := time.Now()
	v, err = Read([]byte(many), book.Find)
	require.NoError(t, err)
	assert.Len(t, v.Guests, 20_000)
	assert.Less(t, time.Since(began), 5*time.Second)
}

// TestEnd gives ends on the clock of the start, in the hour that it shows twice too.
func TestEnd(t *testing.T) {
	lisbon, err := book(t).Find("Europe/Lisbon")
	require.NoError(t, err)
	berlin, err := book(t).Find("Europe/Berlin")
	require.NoError(t, err)
	utc := func(month, day, hour int) zone.Time {
		return zone.In(zone.UTC, zone.Wall(2026, month, day, hour, 30, 0))
	}
	for want, s := range map[string]Span{
		"2026-07-15T16:30:00+01:00": {Start: zone.In(lisbon, zone.Wall(2026, 7, 15, 15, 0, 0)), End: utc(7, 15, 15)},
		"2026-07-15T15:30:00Z":      {Start: utc(7, 15, 14), End: zone.In(lisbon, zone.Wall(2026, 7, 15, 16, 30, 0))},
		"2026-10-25T01:30:00+01:00": {Start: zone.In(lisbon, zone.Wall(2026, 10, 25, 0, 30, 0)), End: utc(10, 25, 0)},
		"2026-10-25T01:30:00+00:00": {Start: zone.In(lisbon, zone.Wall(2026, 10, 25, 0, 30, 0)), End: utc(10, 25, 1)},
		"2026-10-25T02:30:00+01:00": {Start: zone.In(berlin, zone.Wall(2026, 10, 25, 0, 30, 0)), End: utc(10, 25, 1)},
		"2026-10-25T02:30:00":       {Start: zone.Time{Wall: 0, Form: zone.Floating}, End: zone.Time{Wall: zone.Wall(2026, 10, 25, 2, 30, 0), Form: zone.Floating}},
	} {
		require.Equal(t, want, s.EndText())
		if at, err := time.Parse(time.RFC3339, want); err == nil {
			require.Equal(t, s.End.Instant(nil), at.Unix())
		}
	}
}
