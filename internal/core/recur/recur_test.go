package recur

import (
	"fmt"
	"os"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/zone"
)

func book(t testing.TB) *zone.Book {
	t.Helper()
	b, err := zone.NewBook(nil)
	require.NoError(t, err)
	return b
}

// occurrences lists what lies in a window, as start, end, title and status.
func occurrences(t testing.TB, b *zone.Book, vevents string, from, to string) []string {
	t.Helper()
	parse := func(s string) int64 {
		at, err := time.Parse("2006-01-02T15:04", s)
		require.NoError(t, err)
		return at.Unix()
	}
	var raws [][]byte
	for part := range strings.SplitAfterSeq(vevents, "END:VEVENT\n") {
		if strings.TrimSpace(part) != "" {
			raws = append(raws, []byte(part))
		}
	}
	s, err := Read(raws, b.Find)
	require.NoError(t, err)
	var out []string
	require.NoError(t, s.In(Window{From: parse(from), To: parse(to)}, func(o Occurrence) {
		line := o.Span.Start.RFC3339() + " " + o.Span.End.RFC3339()
		if title := o.View.Text(event.Title); title != "" {
			line += " " + title
		}
		if status := o.View.Text(event.Status); status != "" {
			line += " " + status
		}
		out = append(out, line)
	}))
	sort.Strings(out)
	return out
}

func TestIn(t *testing.T) {
	const weekly = "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Lisbon:20260304T080000\nDTEND;TZID=Europe/Lisbon:20260304T090000\nRRULE:FREQ=WEEKLY;UNTIL=20260401T070000Z\nSUMMARY:Ferry\n"
	tests := []struct{ name, vevents, from, to, want string }{
		{"weekly across the change of clocks, UNTIL included", weekly + "END:VEVENT\n", "2026-03-20T00:00", "2026-05-01T00:00",
			"2026-03-25T08:00:00+00:00 2026-03-25T09:00:00+00:00 Ferry\n2026-04-01T08:00:00+01:00 2026-04-01T09:00:00+01:00 Ferry"},
		{"EXDATE in UTC and as a date", weekly + "EXDATE:20260311T080000Z\nEXDATE;VALUE=DATE:20260318\nEND:VEVENT\n", "2026-03-01T00:00", "2026-03-20T00:00",
			"2026-03-04T08:00:00+00:00 2026-03-04T09:00:00+00:00 Ferry"},
		{"moved into the window, out of it, cancelled, renamed", weekly + "END:VEVENT\n" +
			"BEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20260325T080000Z\nDTSTART:20260306T080000Z\nDURATION:PT30M\nSUMMARY:Moved in\nEND:VEVENT\n" +
			"BEGIN:VEVENT\nUID:a\nRECURRENCE-ID;TZID=Europe/Lisbon:20260304T080000\nDTSTART:20260406T080000Z\nDTEND:20260406T090000Z\nSUMMARY:Moved out\nEND:VEVENT\n" +
			"BEGIN:VEVENT\nUID:a\nRECURRENCE-ID;TZID=Europe/Lisbon:20260311T080000\nDTSTART;TZID=Europe/Lisbon:20260311T080000\nSTATUS:CANCELLED\nSUMMARY:Ferry\nEND:VEVENT\n",
			"2026-03-01T00:00", "2026-03-19T00:00",
			"2026-03-06T08:00:00Z 2026-03-06T08:30:00Z Moved in\n2026-03-11T08:00:00+00:00 2026-03-11T08:00:00+00:00 Ferry cancelled\n2026-03-18T08:00:00+00:00 2026-03-18T09:00:00+00:00 Ferry"},
		{"this and all later ones", weekly + "END:VEVENT\n" +
			"BEGIN:VEVENT\nUID:a\nRECURRENCE-ID;RANGE=THISANDFUTURE;TZID=Europe/Lisbon:20260318T080000\nDTSTART;TZID=Europe/Lisbon:20260318T103000\nDTEND;TZID=Europe/Lisbon:20260318T113000\nSUMMARY:Later ferry\nEND:VEVENT\n",
			"2026-03-10T00:00", "2026-03-26T00:00",
			"2026-03-11T08:00:00+00:00 2026-03-11T09:00:00+00:00 Ferry\n2026-03-18T10:30:00+00:00 2026-03-18T11:30:00+00:00 Later ferry\n2026-03-25T10:30:00+00:00 2026-03-25T11:30:00+00:00 Later ferry"},
		{"RDATE with a period, and one that doubles the rule", "BEGIN:VEVENT\nUID:a\nDTSTART:20260301T080000Z\nDURATION:PT1H\nRRULE:FREQ=DAILY;COUNT=2\nRDATE:20260302T080000Z\nRDATE;VALUE=PERIOD:20260305T100000Z/PT3H\nEND:VEVENT\n", "2026-03-01T00:00", "2026-04-01T00:00",
			"2026-03-01T08:00:00Z 2026-03-01T09:00:00Z\n2026-03-02T08:00:00Z 2026-03-02T09:00:00Z\n2026-03-05T10:00:00Z 2026-03-05T13:00:00Z"},
		{"all day, three days, straddling the edge", "BEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20260227\nDTEND;VALUE=DATE:20260302\nRRULE:FREQ=MONTHLY\nEND:VEVENT\n", "2026-03-01T00:00", "2026-03-27T00:00", "2026-02-27 2026-03-02"},
		{"a time in the gap is left out and not counted", "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Lisbon:20260328T013000\nRRULE:FREQ=DAILY;COUNT=3\nEND:VEVENT\n", "2026-03-01T00:00", "2026-05-01T00:00",
			"2026-03-28T01:30:00+00:00 2026-03-28T01:30:00+00:00\n2026-03-30T01:30:00+01:00 2026-03-30T01:30:00+01:00\n2026-03-31T01:30:00+01:00 2026-03-31T01:30:00+01:00"},
		{"a day of DURATION keeps the clock, 24 hours of DTEND do not", "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Lisbon:20260321T120000\nDURATION:P1D\nRRULE:FREQ=WEEKLY;COUNT=2\nEND:VEVENT\n", "2026-03-28T00:00", "2026-05-01T00:00", "2026-03-28T12:00:00+00:00 2026-03-29T12:00:00+01:00"},
		{"the start counts though it is off the rule", "BEGIN:VEVENT\nUID:a\nDTSTART:20260301T080000Z\nRRULE:FREQ=WEEKLY;BYDAY=TU;COUNT=3\nEND:VEVENT\n", "2026-03-01T00:00", "2026-05-01T00:00",
			"2026-03-01T08:00:00Z 2026-03-01T08:00:00Z\n2026-03-03T08:00:00Z 2026-03-03T08:00:00Z\n2026-03-10T08:00:00Z 2026-03-10T08:00:00Z"},
		{"window edges: the end is not in it, what ends at its start is not either", "BEGIN:VEVENT\nUID:a\nDTSTART:20260301T080000Z\nDTEND:20260301T090000Z\nRRULE:FREQ=HOURLY;COUNT=5\nEND:VEVENT\n", "2026-03-01T09:00", "2026-03-01T10:00", "2026-03-01T09:00:00Z 2026-03-01T10:00:00Z"},
		{"without length at the window's start", "BEGIN:VEVENT\nUID:a\nDTSTART:20260301T090000Z\nEND:VEVENT\n", "2026-03-01T09:00", "2026-03-01T10:00", "2026-03-01T09:00:00Z 2026-03-01T09:00:00Z"},
		{"only a changed occurrence, no master", "BEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20260301T090000Z\nDTSTART:20260301T093000Z\nEND:VEVENT\n", "2026-03-01T09:00", "2026-03-01T10:00", "2026-03-01T09:30:00Z 2026-03-01T09:30:00Z"},
	}
	b := book(t)
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			assert.Equal(t, tt.want, strings.Join(occurrences(t, b, tt.vevents, tt.from, tt.to), "\n"))
		})
	}
}

// TestExamples goes through every example of RFC 5545 §3.8.5.3, as the RFC
// prints its results.
func TestExamples(t *testing.T) {
	data, err := os.ReadFile("testdata/rfc5545.txt")
	require.NoError(t, err)
	b := book(t)
	n := 0
	for block := range strings.SplitSeq(string(data), "\n\n") {
		var properties, want []string
		for line := range strings.Lines(block) {
			line = strings.TrimSpace(line)
			switch {
			case line == "" || strings.HasPrefix(line, "#"):
			case strings.Contains(line, ":"):
				properties = append(properties, line)
			default:
				want = append(want, strings.Fields(strings.TrimPrefix(line, "=>"))...)
			}
		}
		if len(properties) == 0 {
			continue
		}
		n++
		endless := len(want) > 0 && want[len(want)-1] == "..."
		want = want[:len(want)-map[bool]int{true: 1}[endless]]
		var got []string
		for _, o := range occurrences(t, b, "BEGIN:VEVENT\nUID:a\n"+strings.Join(properties, "\n")+"\nEND:VEVENT\n", "1996-01-01T00:00", "2008-11-10T00:00") {
			at, _ := time.Parse(time.RFC3339, strings.Fields(o)[0])
			layout := "20060102"
			if strings.Contains(want[0], "T") {
				layout = "20060102T1504"
			}
			got = append(got, at.Format(layout))
		}
		if endless {
			require.Greater(t, len(got), len(want), "%v", properties)
			got = got[:len(want)]
		}
		assert.Equal(t, want, got, strings.Join(properties, " "))
	}
	assert.GreaterOrEqual(t, n, 38)
}

// TestWindows checks on many series that a window gives what a larger one has
// in it, and that cutting one in two neither loses nor doubles anything.
func TestWindows(t *testing.T) {
	b := book(t)
	rules := []string{"FREQ=WEEKLY;BYDAY=MO,SA", "FREQ=DAILY;INTERVAL=3;COUNT=200", "FREQ=MONTHLY;BYDAY=-1FR", "FREQ=YEARLY;BYWEEKNO=13", "FREQ=HOURLY;INTERVAL=7", "FREQ=MONTHLY;BYMONTHDAY=31;COUNT=30"}
	for _, start := range []string{"DTSTART;TZID=Europe/Lisbon:20240127T233000", "DTSTART:20240127T233000Z", "DTSTART;VALUE=DATE:20240127", "DTSTART;TZID=Australia/Lord_Howe:20240127T013000"} {
		for _, r := range rules {
			for _, length := range []string{"", "DURATION:P2D\n"} {
				text := fmt.Sprintf("BEGIN:VEVENT\nUID:a\n%s\n%sRRULE:%s\nEND:VEVENT\n", start, length, r)
				whole := occurrences(t, b, text, "2026-03-01T00:00", "2026-05-01T00:00")
				left := occurrences(t, b, text, "2026-03-01T00:00", "2026-03-29T12:00")
				right := occurrences(t, b, text, "2026-03-29T12:00", "2026-05-01T00:00")
				seen := map[string]int{}
				for _, o := range append(left, right...) {
					seen[o]++
				}
				assert.Len(t, seen, len(whole), text)
				cut := time.Date(2026, 3, 29, 12, 0, 0, 0, time.UTC)
				for _, o := range whole {
					assert.Positive(t, seen[o], "%s lost: %s", o, text)
					parts := strings.Fields(o)
					from, err1 := time.Parse(time.RFC3339, parts[0])
					to, err2 := time.Parse(time.RFC3339, parts[1])
					if seen[o] == 2 && err1 == nil && err2 == nil {
						assert.True(t, from.Before(cut) && to.After(cut), "%s doubled: %s", o, text)
					}
				}
				everything := occurrences(t, b, text, "2024-01-01T00:00", "2027-01-01T00:00")
				inside := 0
				for _, o := range everything {
					inside += map[bool]int{true: 1}[sort.SearchStrings(whole, o) < len(whole) && whole[sort.SearchStrings(whole, o)] == o]
				}
				assert.Equal(t, len(whole), inside, text)
			}
		}
	}
}

func TestReadFaults(t *testing.T) {
	const begin, end = "BEGIN:VEVENT\r\nUID:a\r\nDTSTART:20260301T080000Z\r\n", "END:VEVENT\r\n"
	for name, tt := range map[string]struct {
		more, want string
		given      int
	}{
		"a rule that is none":    {"RRULE:FREQ=SOMETIMES\r\n", "RRULE: recurrence rule FREQ=SOMETIMES is unknown", 1},
		"a rule of exceptions":   {"RRULE:FREQ=DAILY;COUNT=3\r\nEXRULE:FREQ=DAILY\r\n", "EXRULE: rules of exceptions ended with RFC 2445", 3},
		"a date that is none":    {"RRULE:FREQ=DAILY;COUNT=3\r\nEXDATE:20260230T080000Z\r\n", `EXDATE: "20260230T080000Z" is not a date`, 3},
		"a zone that is unknown": {"RDATE;TZID=No/Where:20260302T080000\r\n", "RDATE: no time zone is called", 1},
		"two masters":            {end + begin, "a second event without RECURRENCE-ID", 1},
	} {
		t.Run(name, func(t *testing.T) {
			var raws [][]byte
			for _, raw := range strings.SplitAfter(begin+tt.more+end, end) {
				if raw != "" {
					raws = append(raws, []byte(raw))
				}
			}
			s, err := Read(raws, book(t).Find)
			require.ErrorContains(t, err, tt.want)
			assert.Equal(t, "a", s.UID)
			given := 0 // what could be read is there all the same
			require.NoError(t, s.In(Window{From: 1770000000, To: 1780000000}, func(Occurrence) { given++ }))
			assert.Equal(t, tt.given, given)
		})
	}
}
