package intake

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/table"
)

// Rows of one kind, and one that stands out from them: it alone is held, and
// not where it is told to be right.
func TestCompany(t *testing.T) {
	sorted := func(i int) string { return fmt.Sprintf("2026-03-%02d|08:00||10:00", i+2) }
	mixed := func(i int) string { return fmt.Sprintf("2026-03-%02d|08:00||10:00", 2+i*7%13) }
	days := func(i int) string { return fmt.Sprintf("2026-03-%02d||2026-03-%02d|", 2+i*7%13, 3+i*7%13) }
	for name, c := range map[string]struct {
		rows func(int) string
		odd  string
		want string // "" for loaded
	}{
		"out of order":         {sorted, "2026-06-05|08:00||10:00", "is Fri 5 June 2026, and the rows are in order of their dates: row 5 has Thu 5 March 2026, row 7 Sat 7 March 2026"},
		"a little out":         {sorted, "2026-03-12|08:00||10:00", ""},
		"no order":             {mixed, "2026-06-05|08:00||10:00", ""},
		"last year":            {mixed, "2025-03-05|08:00||10:00", "is Wed 5 March 2025, and nearly all other rows are from"},
		"another season":       {mixed, "2026-12-05|08:00||10:00", ""},
		"days among hours":     {mixed, "2026-03-05|08:00|2026-04-05|10:00", "would last 31 days, and the other rows hardly more than 2 hours"},
		"an overnight":         {mixed, "2026-03-05|20:00|2026-03-06|10:00", ""},
		"a year among days":    {days, "2026-03-05||2027-03-06|", "would last 367 days, and the other rows hardly more than 2 days"},
		"a month among days":   {days, "2026-03-05||2026-04-05|", ""},
		"in the night":         {mixed, "2026-03-05|2:30||4:00", "is at 02:30, in the night, and the other rows are between 08:00 and 08:00"},
		"early":                {mixed, "2026-03-05|6:30||7:00", ""},
		"the other way around": {func(i int) string { return fmt.Sprintf("2026-03-%02d|08:00||10:00", 20-i) }, "2026-01-05|08:00||10:00", "is Mon 5 January 2026, and the rows are in order"},
	} {
		t.Run(name, func(t *testing.T) {
			for _, outliers := range []string{"", "outliers: read\n"} {
				text := "\nNo|Day|From|To day|To"
				for i := range 12 {
					r := c.rows(i)
					if i == 4 {
						r = c.odd
					}
					text += fmt.Sprintf("\n%d|%s", i, r)
				}
				got := sheet(t, outliers+"event: { title: '{No}', start: '{Day} {From}', end: '{To day} {To}' }\n", text)
				for i, line := range got {
					if i == 4 && c.want != "" && outliers == "" {
						assert.Contains(t, line, c.want)
						continue
					}
					assert.False(t, strings.HasPrefix(line, "held"), line)
				}
			}
		})
	}
}

// A time in the night beside some of the day is most likely one of the afternoon, where no other
// tells that the day has 24 hours.
func TestHalfOfDay(t *testing.T) {
	for _, tt := range []struct{ name, times, held string }{
		{"none after noon", "9:00-11:00,1:00-3:00,2.30-4.30,11:00-12:30", "1 2"},
		{"an end after noon", "9:00-11:00,1:00-3:00,2:30-4:30,11:00-13:30", ""},
		{"a start after noon", "9:00-11:00,1:00-3:00,14:30-15:30", ""},
		{"two figures", "09:00-11:00,01:00-03:00", ""},
		{"two figures without a sign", "0900-1100,100-300", ""},
		{"by night only", "1:00-3:00,2:30-4:30", ""},
		{"by day only", "9:00-11:00,10:00-12:00", ""},
		{"after midnight", "9:00-11:00,0:30-1:00,2:30-4:30", ""},
		{"halves", "9:00 am-11:00 am,1:00 am-3:00 am", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			text := "\nNo|Day|From|To"
			for i, times := range strings.Split(tt.times, ",") {
				text += fmt.Sprintf("\n%d|%02d.12.2026|%s", i, 14+i, strings.ReplaceAll(times, "-", "|"))
			}
			var held []string
			for i, line := range sheet(t, "event: { title: '{No}', start: '{Day} {From}', end: '{To}' }\n", text) {
				if strings.HasPrefix(line, "held") {
					assert.Contains(t, line, "or in the afternoon")
					held = append(held, fmt.Sprint(i))
				}
			}
			assert.Equal(t, tt.held, strings.Join(held, " "))
		})
	}
}

// Dates without a year that go on over its turn are not put back to its beginning.
func TestTurnOfYear(t *testing.T) {
	for _, tt := range []struct{ name, days, held string }{
		{"over the turn", "24 Dec,31 Dec,1 Jan,2 Jan", "2 3"},
		{"in two groups", "24 Dec,1 Jan,24 Dec,1 Jan", "1 3"},
		{"from the beginning", "1 Jan,2 Feb,24 Dec,31 Dec", ""},
		{"of all the year", "24 Dec,5 June,1 Jan,2 Jan", ""},
		{"by another column", "12 Oct,7 March,17 Oct,21 March", "3"},
		{"written", "24 Dec 2026,31 Dec 2026,1 Jan 2026,2 Jan 2027", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			for _, outliers := range []string{"", "outliers: read\n"} {
				text := "\nNo|Day"
				for i, day := range strings.Split(tt.days, ",") {
					text += fmt.Sprintf("\n%d|%s", i, day)
				}
				var held []string
				for i, line := range sheet(t, outliers+"assume: { year: 2026 }\nevent: { title: '{No}', start: '{Day}' }\n", text) {
					if strings.HasPrefix(line, "held") {
						assert.Contains(t, line, "of that year or of the next")
						held = append(held, fmt.Sprint(i))
					}
				}
				want := tt.held
				if outliers != "" {
					want = ""
				}
				assert.Equal(t, want, strings.Join(held, " "))
			}
		})
	}
}

// The month in a heading above the rows, and in the name of their sheet.
func TestMonthAbove(t *testing.T) {
	for name, c := range map[string]struct{ under, sheet, held string }{
		"heading":        {"März 2026", "", "2026-06-11"},
		"sheet":          {"", "Bookings March", "2026-06-11"},
		"another year":   {"March 2025", "March", ""}, // all stand against it
		"a week's count": {"Week 10", "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			lines := []string{"No|Day"}
			for i := range 12 {
				lines = append(lines, fmt.Sprintf("%d|2026-03-%02d", i, 2+i*7%13))
			}
			lines[5] = "4|2026-06-11"
			from := &table.Origin{Sheet: c.sheet}
			_, b := compiled(t, "event: { title: '{No}', start: '{Day}' }\n", strings.Join(lines, "\n"), func(r *table.Row) { r.Under, r.Origin = c.under, from })
			var held []string
			var w Wanted
			for i := range b.Rows.Len() {
				if f := b.Map(b.mapper, i, &w); f != nil {
					held = append(held, textOf(b, i, 1))
				}
			}
			assert.Equal(t, c.held, strings.Join(held, " "))
		})
	}
}

// A row that is crossed out, or a cell of one.
func TestCrossedOut(t *testing.T) {
	for _, c := range []struct{ struck, cells, want string }{
		{"", "012", "held: the row is crossed out (say what that means with struck: leave out, cancel or read)"},
		{"", "01", "held: the row is crossed out (say what that means with struck: leave out, cancel or read)"},
		{"", "1", `held: Day "2026-03-05" is crossed out, and most of the row is not (write what holds, or set struck: read)`},
		{"", "3", "wanted"}, // the intake does not read it
		{"leave out", "012", "left out: crossed out"},
		{"leave out", "1", `held: Day "2026-03-05" is crossed out, and most of the row is not (write what holds, or set struck: read)`},
		{"cancel", "012", "cancelled"},
		{"read", "012", "wanted"},
	} {
		t.Run(c.struck+" "+c.cells, func(t *testing.T) {
			settings := "event: { title: '{Vessel}', start: '{Day}' }\n"
			if c.struck != "" {
				settings += "struck: " + c.struck + "\n"
			}
			_, b := compiled(t, settings, "No|Day|Vessel|Remarks\n1|2026-03-05|Corvane|late", func(r *table.Row) {
				for _, i := range c.cells {
					r.Cells[i-'0'].Struck = true
				}
			})
			got, w := "wanted", Wanted{}
			switch fate, _ := b.Fate(0); {
			case fate == HeldRow:
				got = "held: " + b.Held[0].Fault.Reason()
			case fate == LeftOutRow:
				got = "left out: " + b.LeftOut[0].Reason
			case b.Map(b.mapper, 0, &w) == nil && w.Cancel:
				got = "cancelled"
			}
			assert.Equal(t, c.want, got)
		})
	}
}
