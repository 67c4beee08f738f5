package recur

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
)

// What is said to lie outside of a window has no occurrence in it, whatever its
// zone, its length and the form of its times.
func TestOutside(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	zones := ical.NewTimeZones(book)
	r := rand.New(rand.NewPCG(1, 2))
	skipped := 0
	for range 20_000 {
		day := r.IntN(28) + 1
		start := []string{
			fmt.Sprintf("DTSTART;VALUE=DATE:202603%02d", day), fmt.Sprintf("DTSTART:202603%02dT%02d0000Z", day, r.IntN(24)), fmt.Sprintf("DTSTART:202603%02dT%02d0000", day, r.IntN(24)),
			fmt.Sprintf("DTSTART;TZID=Pacific/Kiritimati:202603%02dT%02d0000", day, r.IntN(24)), fmt.Sprintf("DTSTART;TZID=Pacific/Pago_Pago:202603%02dT%02d0000", day, r.IntN(24)),
		}[r.IntN(5)]
		more := []string{"", "DURATION:P9D\r\n", "DURATION:PT1H\r\n", fmt.Sprintf("DTEND%s:2026%02d%02dT120000Z\r\n", "", 3+r.IntN(2), r.IntN(28)+1), "RRULE:FREQ=DAILY;COUNT=40\r\n"}[r.IntN(5)]
		switch k := r.IntN(12); k {
		case 0:
			more = strings.ToLower(more)
		case 1:
			more = "BEGIN:VALARM\r\nDTEND:19990101T000000Z\r\nDTSTART:19990101T000000Z\r\nEND:VALARM\r\n" + more
		case 2, 3, 4: // folded anywhere
			if at := r.IntN(len(start+more) + 1); at > 0 && at < len(start+more) && (start + "\r\n" + more)[at-1] != '\r' {
				whole := start + "\r\n" + more
				start, more = strings.TrimSuffix(whole[:at]+"\r\n "+whole[at:], "\r\n"), ""
			}
		case 5: // the later one counts
			start = "DTSTART:20260101T000000Z\r\n" + start
		case 6:
			start, more = strings.ToLower(start), `DTEND;X-A="a:20260101":20260501T000000Z`+"\r\n"
		}
		raw := []byte("BEGIN:VEVENT\r\nUID:x\r\nDTSTAMP:20260101T000000Z\r\n" + start + "\r\n" + more + "END:VEVENT\r\n")
		from := int64(1772323200 + 86400*r.IntN(40) + 3600*r.IntN(24)) // from 1 March 2026 on
		w := Window{From: from, To: from + int64(1+r.IntN(5*86400)), View: nil}
		doc, err := ical.ParseDocument(t.Context(), []byte("BEGIN:VCALENDAR\r\n"+string(raw)+"END:VCALENDAR\r\n"))
		require.NoError(t, err)
		outside := Outside(&doc.Objects[0], w)
		require.Equal(t, Outside(ical.NewObject("", raw), w), outside, "whether or not it was looked at")
		if !outside {
			continue
		}
		skipped++
		s, err := Read([][]byte{raw}, zones.Find)
		if err != nil {
			continue
		}
		require.NoError(t, s.In(w, func(Occurrence) { t.Fatalf("%s lies in %v", raw, w) }))
	}
	assert.Greater(t, skipped, 3000)
	assert.False(t, Outside(ical.NewObject("", []byte("BEGIN:VEVENT\r\nDTSTART:2026\r\n 0301T000000Z\r\nEND:VEVENT\r\n")), Window{}), "what is folded is not judged")
}
