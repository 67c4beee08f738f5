package recur

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
)

// BenchmarkMonth takes one month out of 10,000 weekly series begun up to ten
// years ago, the reading of their text included.
func BenchmarkMonth(b *testing.B) {
	zones := book(b)
	var raws [][][]byte
	for i := range 10_000 {
		at := time.Date(2016, 3, 1, i%24, i%60, 0, 0, time.UTC).AddDate(0, 0, i%3650)
		raws = append(raws, [][]byte{fmt.Appendf(nil, "BEGIN:VEVENT\r\nUID:s%d\r\nDTSTART;TZID=Europe/Lisbon:%s\r\nDURATION:PT1H\r\nRRULE:FREQ=WEEKLY;BYDAY=MO,WE\r\nEXDATE;TZID=Europe/Lisbon:%s\r\nSUMMARY:Ferry\r\nEND:VEVENT\r\n", i, at.Format("20060102T150405"), at.AddDate(0, 0, 7).Format("20060102T150405"))})
	}
	w := Window{From: zone.Wall(2026, 3, 1, 0, 0, 0), To: zone.Wall(2026, 4, 1, 0, 0, 0)}
	n := 0
	for b.Loop() {
		n = 0
		for _, raw := range raws {
			s, err := Read(raw, zones.Find)
			require.NoError(b, err)
			require.NoError(b, s.In(w, func(Occurrence) { n++ }))
		}
	}
	b.ReportMetric(float64(n), "occurrences")
}
