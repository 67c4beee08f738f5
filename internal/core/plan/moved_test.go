package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/ical"
)

const daily = "name: calls\nkey: No\ninto: '{Into}'\nevent: { title: '{Title}', start: '{Day} {At}', repeat: '{Rep}' }\nassume: { length: 1h }\n"

// A series that another program cut in two goes on being loaded; its second
// part is no double.
func TestCutSeries(t *testing.T) {
	rows := "No|Title|Day|At|Into|Rep\n1|Watch|2026-04-05|08:00|berths|FREQ=DAILY;COUNT=9"
	w := newWorld(t, "berths")
	w.load(daily, rows)
	o, _ := w.find("berths", "1", "")
	w.edit("berths", "1", "RRULE", "FREQ=DAILY;UNTIL=20260407T070000Z")
	second := strings.NewReplacer("UID:"+o.UID, "UID:second", "20260405T", "20260408T", "SUMMARY:Watch", "SUMMARY:Late watch").Replace(string(o.Part(0)))
	w.calendars["berths"] = append(w.calendars["berths"], ical.NewObject("second", []byte(second)))
	assert.Equal(t, "edited 1 berths repeat:edited", strings.TrimSpace(told(w.load(daily, rows))))
	assert.Equal(t, "changed 1 berths repeat:edited title:changed\nchange in berths", strings.TrimSpace(told(w.load(daily, strings.Replace(rows, "Watch", "Long watch", 1)))))
	assert.Contains(t, string(w.calendars["berths"][1].Part(0)), "SUMMARY:Late watch", "the second part is theirs")
}

// Times against a zone that one calendar alone defines mean the same in another.
func TestPrivateZones(t *testing.T) {
	rows := "No|Title|Day|At|Into|Rep\n1|Watch|2026-04-05|08:00|berths|FREQ=DAILY;COUNT=9"
	private := "BEGIN:VTIMEZONE\r\nTZID:Private\r\nBEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:+0300\r\nTZOFFSETTO:+0300\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n"
	summer := strings.Replace(private, "END:VTIMEZONE", "BEGIN:DAYLIGHT\r\nDTSTART:19700601T000000\r\nRRULE:FREQ=YEARLY;BYMONTH=6;BYMONTHDAY=1\r\nTZOFFSETFROM:+0300\r\nTZOFFSETTO:+0500\r\nEND:DAYLIGHT\r\nBEGIN:STANDARD\r\nDTSTART:19701001T000000\r\nRRULE:FREQ=YEARLY;BYMONTH=10;BYMONTHDAY=1\r\nTZOFFSETFROM:+0500\r\nTZOFFSETTO:+0300\r\nEND:STANDARD\r\nEND:VTIMEZONE", 1)
	begun := func(zone string) *world {
		w := newWorld(t, "berths", "works")
		w.load(daily, rows)
		require.NoError(t, w.zones["berths"].Define([]byte(zone)))
		return w
	}
	moved := strings.Replace(rows, "berths", "works", 1)

	w := begun(private)
	w.add("berths", "1", "RECURRENCE-ID;TZID=Europe/Lisbon:20260406T080000", "DTSTART;TZID=Private:20260406T120000", "DTEND;TZID=Private:20260406T130000")
	assert.Equal(t, "changed 1 works calendar:changed\ncreate in works\nmove out in berths", strings.TrimSpace(told(w.load(daily, moved))))
	text := string(w.calendars["works"][0].Part(1))
	assert.Contains(t, text, "\r\nDTSTART:20260406T090000Z\r\n")
	assert.Contains(t, text, "\r\nRECURRENCE-ID;TZID=Europe/Lisbon:20260406T080000\r\n", "a zone that both know stays")

	w = begun(summer)
	o, i := w.find("berths", "1", "")
	c := ical.Open(o.Part(i))
	c.Set("DTSTART", []ical.Param{{Name: "TZID", Values: []string{"Private"}}}, []string{"TZID"}, "20260405T100000")
	c.Set("DTEND", []ical.Param{{Name: "TZID", Values: []string{"Private"}}}, []string{"TZID"}, "20260405T110000")
	w.calendars["berths"] = []*ical.Object{ical.NewObject(o.UID, c.Bytes())}
	assert.Contains(t, told(w.load(daily, moved)), "its times are in a zone that only this one defines; move it by hand")
}

// A move of an event that people worked on is stopped half way: what stands in
// both calendars is taken out of the old one, where nothing is lost with it.
func TestStoppedMove(t *testing.T) {
	rows := "No|Title|Day|At|Into|Rep\n1|Watch|2026-04-05|08:00|berths|FREQ=DAILY;COUNT=9"
	moved := strings.Replace(rows, "berths", "works", 1)
	for name, c := range map[string]struct {
		meanwhile func(*world)
		kept      bool
	}{
		"nothing more":             {func(*world) {}, false},
		"a comment in the old one": {func(w *world) { w.edit("berths", "1", "COMMENT", "Later") }, true},
		"a title in the old one":   {func(w *world) { w.edit("berths", "1", "SUMMARY", "Later") }, true},
		"a date in the old one":    {func(w *world) { w.add("berths", "1", "RECURRENCE-ID:20260407T070000Z", "DTSTART:20260407T100000Z") }, true},
		"more in the new one":      {func(w *world) { w.edit("works", "1", "COMMENT", "Later"); w.edit("works", "1", "X-MORE", "1") }, false},
	} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t, "berths", "works")
			w.load(daily, rows)
			w.edit("berths", "1", "SUMMARY", "By hand")
			w.edit("berths", "1", "X-THEIRS", "1")
			w.add("berths", "1", "RECURRENCE-ID:20260406T070000Z", "DTSTART:20260406T100000Z")
			p, err := w.plan(daily, moved)
			require.NoError(t, err)
			require.Len(t, p.Edits, 2)
			p.Edits = p.Edits[:1]
			w.apply(p)
			c.meanwhile(w)
			w.load(daily, moved)
			assert.Len(t, w.calendars["works"], 1)
			if c.kept {
				assert.Len(t, w.calendars["berths"], 1)
			} else {
				assert.Empty(t, w.calendars["berths"])
			}
		})
	}
}
