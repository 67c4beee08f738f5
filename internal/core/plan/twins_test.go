package plan

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/ical"
)

// Pairs of events of one calendar: whether they are twins, and which can go.
func TestTwins(t *testing.T) {
	one := "SUMMARY:Corvane at 3\r\nDTSTART:20260305T080000Z\r\nDTEND:20260305T090000Z\r\n"
	loaded := func(id, key string) string {
		return "X-ALMANACH-ID:" + id + "\r\nX-ALMANACH-INTAKE:calls\r\nX-ALMANACH-KEY:" + key + "\r\n"
	}
	const idA, idB = "5d41402a-bc4b-5a76-b971-9d911017c592", "7d793037-a076-5186-974b-0282f2f435e7"
	for name, c := range map[string]struct{ first, second, want string }{
		"the same twice":         {one, one, "spare 2: it stands behind the other"},
		"another title":          {one, "SUMMARY:Merle\r\nDTSTART:20260305T080000Z\r\nDTEND:20260305T090000Z\r\n", ""},
		"another time":           {one, "SUMMARY:Corvane at 3\r\nDTSTART:20260305T100000Z\r\nDTEND:20260305T110000Z\r\n", ""},
		"one time in two zones":  {one, "SUMMARY:Corvane at 3\r\nDTSTART;TZID=Europe/Paris:20260305T090000\r\nDTEND;TZID=Europe/Paris:20260305T100000\r\n", "spare 2: it stands behind the other"},
		"the second says more":   {one, one + "LOCATION:Berth 3\r\n", "spare 0: the second has another location that the first has not"},
		"the second is answered": {one, one + "ATTENDEE;PARTSTAT=ACCEPTED:mailto:a@x.example\r\n", "spare 0: the second has another attendees and replies that the first has not"},
		"one is loaded":          {one, one + loaded(idA, "7"), "spare 1: the other is loaded from calls"},
		"the one by hand lacks":  {one, one + "LOCATION:Berth 3\r\n" + loaded(idA, "7"), "spare 1: the other is loaded from calls"},
		"the loaded one lacks":   {one + "LOCATION:Berth 3\r\n", one + loaded(idA, "7"), "spare 0: the one made by hand has another location that the loaded one has not"},
		"both are loaded":        {one + loaded(idB, "8"), one + loaded(idA, "7"), "spare 0: both are loaded: 8 from calls and 7 from calls; leave one of the rows out, or give both intakes one identity"},
		"one key twice":          {one + loaded(idA, "7"), one + loaded(idA, "7"), "spare 2: both bear the key 7 of calls, and the second says nothing else"},
		"series":                 {one + "RRULE:FREQ=WEEKLY\r\n", one + "RRULE:FREQ=WEEKLY\r\n", "spare 2: it stands behind the other"},
		"one of them a series":   {one, one + "RRULE:FREQ=WEEKLY\r\n", ""},
		"cancelled":              {one, one + "STATUS:CANCELLED\r\n", ""},
		"whole days":             {"SUMMARY:A b\r\nDTSTART;VALUE=DATE:20260305\r\n", "SUMMARY:a B\r\nDTSTART;VALUE=DATE:20260305\r\n", "spare 0: the second has another title that the first has not"},
	} {
		t.Run(name, func(t *testing.T) {
			w := newWorld(t, "c")
			var objects []*ical.Object
			for i, lines := range []string{c.first, c.second} {
				objects = append(objects, ical.NewObject(fmt.Sprint(i), fmt.Appendf(nil, "BEGIN:VEVENT\r\nUID:%d\r\n%sEND:VEVENT\r\n", i, lines)))
			}
			got := ""
			for _, t := range FindTwins(NewHolding("c", true, w.zones["c"].Find, objects)) {
				got += fmt.Sprintf("spare %d: %s", t.Spare, t.Why)
			}
			assert.Equal(t, c.want, got)
		})
	}
}

// Fifty thousand events take a moment, also when many start together, and of
// three that are the same one stays.
func TestManyTwins(t *testing.T) {
	w := newWorld(t, "c")
	var objects []*ical.Object
	for i := range 50000 {
		objects = append(objects, ical.NewObject(fmt.Sprint(i), fmt.Appendf(nil, "BEGIN:VEVENT\r\nUID:%d\r\nSUMMARY:Call %d of vessel %d\r\nDTSTART:202603%02dT080000Z\r\nEND:VEVENT\r\n", i, i, i*7, 1+i%28)))
	}
	for i := range 3 {
		objects = append(objects, ical.NewObject(fmt.Sprint("same", i), []byte("BEGIN:VEVENT\r\nUID:x\r\nSUMMARY:Fender check\r\nDTSTART:20270301T080000Z\r\nEND:VEVENT\r\n")))
	}
	began := time.Now()
	h := NewHolding("c", true, w.zones["c"].Find, objects)
	list := FindTwins(h)
	assert.Less(t, time.Since(began), time.Minute)
	assert.Len(t, list, 3)
	assert.Len(t, RemoveSpare("c", list, nil, h.Events()).Edits, 2)
}
