package extract

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/recur"
	"almanach/internal/core/zone"
)

// rows gives the occurrences of an event in March 2026.
func rows(t *testing.T, calendar string, raws ...string) []Row {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	var texts [][]byte
	for _, r := range raws {
		texts = append(texts, []byte(r))
	}
	s, err := recur.Read(texts, book.Find)
	require.NoError(t, err)
	var out []Row
	require.NoError(t, s.In(recur.Window{From: zone.Wall(2026, 3, 1, 0, 0, 0), To: zone.Wall(2026, 4, 1, 0, 0, 0)}, func(o recur.Occurrence) {
		out = append(out, Row{Occurrence: &o, Calendar: calendar, Master: s.Master()})
	}))
	return out
}

func TestRows(t *testing.T) {
	series := "BEGIN:VEVENT\r\nUID:f\r\nDTSTART;TZID=Europe/Lisbon:20260325T080000\r\nDTEND;TZID=Europe/Lisbon:20260325T090000\r\nRRULE:FREQ=DAILY;COUNT=2\r\nSUMMARY:Ferry\r\nLOCATION:N\r\nURL:https://tarn-haven.example\r\nCATEGORIES:A,B\r\nX-ALMANACH-INTAKE:ferries\r\nX-ALMANACH-KEY:F-1\r\nATTENDEE;CN=Oda:mailto:oda@fenn-agency.example\r\nATTENDEE;ROLE=OPT-PARTICIPANT:mailto:piet@harrow.example\r\nATTENDEE;CUTYPE=ROOM:mailto:room@tarn-haven.example\r\nATTENDEE;CUTYPE=RESOURCE:mailto:crane@tarn-haven.example\r\nATTACH:https://a.example\r\nATTACH:https://b.example\r\nEND:VEVENT\r\n"
	late := "BEGIN:VEVENT\r\nUID:f\r\nRECURRENCE-ID;TZID=Europe/Lisbon:20260326T080000\r\nDTSTART;TZID=Europe/Lisbon:20260326T100000\r\nSUMMARY:Late ferry\r\nSTATUS:CANCELLED\r\nEND:VEVENT\r\n"
	days := "BEGIN:VEVENT\r\nUID:d\r\nDTSTART;VALUE=DATE:20260326\r\nDTEND;VALUE=DATE:20260328\r\nSUMMARY:Dredging\r\nEND:VEVENT\r\n"
	found := append(rows(t, "ferries", series, late), rows(t, "closures", days)...)
	found = append(found, rows(t, "a", "BEGIN:VEVENT\r\nUID:2\r\nDTSTART:20260325T080000Z\r\nSUMMARY:Ferry\r\nEND:VEVENT\r\n")...)
	found = append(found, rows(t, "a", "BEGIN:VEVENT\r\nUID:1\r\nDTSTART:20260325T080000Z\r\nSUMMARY:Ferry\r\nEND:VEVENT\r\n")...)
	list := Sorted(found, nil)
	var order []string
	for i := range list {
		order = append(order, list[i].Value("calendar")+" "+list[i].Value("uid")+" "+list[i].Value("start"))
	}
	assert.Equal(t, []string{"a 1 2026-03-25T08:00:00Z", "a 2 2026-03-25T08:00:00Z", "ferries f 2026-03-25T08:00:00+00:00", "closures d 2026-03-26", "ferries f 2026-03-26T10:00:00+00:00"}, order)
	first, dredging, changed := list[2], list[3], list[4]
	for column, want := range map[string]string{
		"calendar": "ferries", "uid": "f", "occurrence": "2026-03-25T08:00:00+00:00", "title": "Ferry", "start": "2026-03-25T08:00:00+00:00", "end": "2026-03-25T09:00:00+00:00", "all_day": "no", "zone": "Europe/Lisbon", "location": "N", "description": "", "status": "", "categories": "A, B", "intake": "ferries", "key": "F-1", "day": "2026-03-25", "time": "08:00–09:00",
		"attendees": "Oda <oda@fenn-agency.example>; piet@harrow.example; room@tarn-haven.example; crane@tarn-haven.example", "optional": "piet@harrow.example", "rooms": "room@tarn-haven.example", "resources": "crane@tarn-haven.example", "repeat": "FREQ=DAILY;COUNT=2", "url": "https://tarn-haven.example", "attachments": "https://a.example; https://b.example", "nothing": "", "when": "",
	} {
		assert.Equal(t, want, first.Value(column), column)
	}
	assert.Equal(t, []string{"2026-03-26", "2026-03-27", "yes", "", ""}, []string{dredging.Value("start"), dredging.Value("end"), dredging.Value("all_day"), dredging.Value("time"), dredging.Value("occurrence")})
	assert.Equal(t, []string{"2026-03-26T08:00:00+00:00", "cancelled", "ferries", "F-1"}, []string{changed.Value("occurrence"), changed.Value("status"), changed.Value("intake"), changed.Value("key")}, "a changed date is from where its series is")
	for _, name := range append(append([]string{}, Columns...), More...) {
		assert.NotPanics(t, func() { first.Value(name) }, name)
	}
	text, err := first.MarshalJSON()
	require.NoError(t, err)
	assert.Contains(t, string(text), `"Oda <oda@fenn-agency.example>"`)
	found[0].Master = nil
	assert.Empty(t, found[0].Fields().Intake, "an event that is of no series, and of no intake")
	text, err = json.Marshal(dredging)
	require.NoError(t, err)
	assert.JSONEq(t, `{"calendar":"closures","uid":"d","title":"Dredging","start":"2026-03-26","end":"2026-03-27","all_day":true,"zone":"","location":"","description":"","status":"","categories":[],"attendees":[],"intake":"","key":""}`, string(text))
}
