package plan

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/ical"
)

// What an object is told of its lines never changes who it is: with and without
// it the same identity is found, however the lines stand.
func TestIdentify(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	lines := []string{
		"X-ALMANACH-ID:0bdd39ad-00d1-5785-920f-a90369b22de0", "x-almanach-id:1bdd39ad-00d1-5785-920f-a90369b22de0", "X-ALMANACH-ID;X=1:2bdd39ad-00d1-5785-920f-a90369b22de0", "X-ALMA\r\n NACH-ID:3bdd39ad-00d1-5785-920f-a90369b22de0",
		"X-ALMANACH-ID:4bdd39ad-00d1-5785-\r\n 920f-a90369b22de0", "X-ALMANACH-KEY:TH-1", "X-OTHER:x", "SUMMARY:X-ALMANACH-ID", "DESCRIPTION:a\r\n X-ALMANACH-ID:5bdd39ad-00d1-5785-920f-a90369b22de0", "RRULE:FREQ=DAILY", "RELATED-TO:x", "DTSTART:20260301T080000Z",
		"BEGIN:VALARM\r\nX-ALMANACH-ID:6bdd39ad-00d1-5785-920f-a90369b22de0\r\nEND:VALARM", "X-ALMANACH-ID:none",
	}
	marks := 0
	for range 20_000 {
		raw := "BEGIN:VEVENT\r\nUID:" + []string{"a", "7bdd39ad-00d1-5785-920f-a90369b22de0"}[r.IntN(2)] + "\r\n"
		for range r.IntN(5) {
			raw += lines[r.IntN(len(lines))] + "\r\n"
		}
		raw += "END:VEVENT\r\n"
		if r.IntN(4) == 0 {
			raw = strings.ReplaceAll(raw, "\r\n", "\n")
		}
		doc, err := ical.ParseDocument(t.Context(), []byte("BEGIN:VCALENDAR\n"+raw+"END:VCALENDAR\n"))
		require.NoError(t, err)
		o := &doc.Objects[0]
		require.NotZero(t, o.Extras)
		id, marked, ours := identify(o, 0, nil)
		plainID, plainMarked, plainOurs := identify(ical.NewObject(o.UID, o.Raws()...), 0, nil)
		require.Equal(t, []any{plainID, plainMarked, plainOurs}, []any{id, marked, ours}, raw)
		if marked {
			marks++
		}
	}
	assert.Greater(t, marks, 5000)
}
