package job

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/desk"
)

// TestSpans reads spans of days in words, on a Saturday at the end of a month.
func TestSpans(t *testing.T) {
	zones, err := zone.NewBook(nil)
	require.NoError(t, err)
	office := &Office{Desk: &desk.Desk{}, Zones: zones, Zone: "UTC", Now: time.Date(2026, 1, 31, 12, 0, 0, 0, time.UTC)}
	for _, tt := range []struct{ in, from, to, want string }{
		{in: "today", want: "2026-01-31 2026-01-31"},
		{in: "this week", want: "2026-01-26 2026-02-01"},
		{in: "next month", want: "2026-02-01 2026-02-28"},
		{in: "week 53", want: "2026-12-28 2027-01-03"},
		{in: "week 54", want: `"week 54" is no span of days; write it as --in today, "next week", "5-9 april", "april 2027", q2, 2027-04 or 2027-04-05`},
		{in: "week 0", want: `"week 0" is no span of days; write it as --in today, "next week", "5-9 april", "april 2027", q2, 2027-04 or 2027-04-05`},
		{in: "week 52 2025", want: "2025-12-22 2025-12-28"},
		{in: "2027-W01", want: "2027-01-04 2027-01-10"},
		{in: "q4", want: "2026-10-01 2026-12-31"},
		{in: "Q2 2027", want: "2027-04-01 2027-06-30"},
		{in: "last quarter", want: "2025-10-01 2025-12-31"},
		{in: "this weekend", want: "2026-01-31 2026-02-01"},
		{in: "the next 10 days", want: "2026-01-31 2026-02-09"},
		{in: "last 2 weeks", want: "2026-01-18 2026-01-31"},
		{in: "next 1 month", want: "2026-01-31 2026-02-27"},
		{in: "5-9 april", want: "2026-04-05 2026-04-09"},
		{in: "28 Feb – 3 Mar 2027", want: "2027-02-28 2027-03-03"},
		{in: "April to June", want: "2026-04-01 2026-06-30"},
		{in: "april-june 2027", want: "2027-04-01 2027-06-30"},
		{in: "november to february 2027", want: "2026-11-01 2027-02-28"},
		{in: "monday to friday", want: "2026-02-02 2026-02-06"},
		{in: "9-5 april", want: `"9-5 april" is no span of days; write it as --in today, "next week", "5-9 april", "april 2027", q2, 2027-04 or 2027-04-05`},
		{in: "february", want: "2026-02-01 2026-02-28"},
		{in: "monday", want: "2026-02-02 2026-02-02"},
		{to: "+1m", want: "2026-01-31 2026-02-27"},
		{from: "+1m", to: "+1m", want: "2026-02-28 2026-03-27"},
		{from: "2028-02-29", to: "+1y", want: "2028-02-29 2029-02-27"},
		{to: "2026-01-05", want: "--to 2026-01-05 lies before today, and nothing says from when; give --from as well"},
	} {
		r, f := office.ParseRange(tt.from, tt.to)
		if tt.in != "" {
			r, f = office.ParseSpan(tt.in)
		}
		if f != nil {
			assert.Equal(t, tt.want, f.Error(), tt)
			continue
		}
		day := func(at int64) string { return time.Unix(at, 0).UTC().Format(time.DateOnly) }
		assert.Equal(t, tt.want, day(r.From)+" "+day(r.To-1), tt)
	}
}
