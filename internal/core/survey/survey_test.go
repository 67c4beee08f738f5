package survey

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// look surveys rows, a line each with bars between the cells.
func look(t *testing.T, rows string) (*Survey, table.Header) {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	var header table.Header
	var s *Surveyor
	for n, line := range strings.Split(strings.TrimSpace(rows), "\n") {
		cells := strings.Split(line, "|")
		if n == 0 {
			header = cells
			s = New(header, moment.Settings{Present: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Zones: book})
			continue
		}
		row := table.Row{Number: int32(n + 1)}
		for _, c := range cells {
			cell := table.Cell{Kind: table.Text, Text: c}
			if c == "" {
				cell = table.Cell{}
			}
			row.Cells = append(row.Cells, cell)
		}
		s.Add(row)
	}
	return s.Finish(), header
}

const bookings = `Booking no|Vessel|Day|From|Until|Berth|Status
TH-1|Corvane|14/03/2026|08:00|09:30|1|confirmed
TH-2|Grey Petrel|15/03/2026|10:00|11:00|2|tentative
TH-3|Corvane||12:00|12:30|1|confirmed
TH-4|Gull|05/03/2026|7:15|8:00||cancelled
Total||||||`

func TestSurvey(t *testing.T) {
	s, header := look(t, bookings)
	assert.Equal(t, 4, s.Rows)
	assert.Equal(t, []int{6}, s.Totals)
	var columns []string
	for _, c := range s.Columns {
		columns = append(columns, strings.Join([]string{c.Letter, c.Header, c.Kind, c.Field, c.Sure}, " "))
	}
	assert.Equal(t, []string{"A Booking no text  ", "B Vessel text title surely", "C Day date start surely", "D From time of day start surely", "E Until time of day end surely", "F Berth number location surely", "G Status text status surely"}, columns)
	assert.Equal(t, []int{4, 3}, []int{s.Columns[0].Distinct, s.Columns[1].Distinct})
	assert.Equal(t, []string{"Corvane", "Grey Petrel", "Gull"}, s.Columns[1].Samples)
	assert.Contains(t, s.Columns[2].Dates, "day first: rows 2, 3")
	require.NotEmpty(t, s.Keys)
	assert.Equal(t, []string{"Booking no"}, s.Keys[0].Columns)

	text := s.Write(Draft{Name: "calls", From: "calls.csv", Header: header, Day: "2 March 2026", Calendars: []string{"berths"}, Zone: "Europe/Lisbon"})
	for _, want := range []string{"name: calls", "key: Booking no", `title: "{Vessel}"`, `start: "{Day} {From}"`, `end: "{Until}"`, `location: "{Berth}"`, `status: "{Status}"`, "# surely"} {
		assert.Contains(t, text, want)
	}
	assert.Equal(t, "{Vessel}", s.Template("title"))
	assert.Empty(t, s.Template("url"))
}

func TestKeys(t *testing.T) {
	for _, tt := range []struct{ name, rows, keys, near string }{
		{"a number before a name", "Name|Ref\na|1\nb|2\nc|3", "Ref, Name", ""},
		{"one double spoils it", "Ref|Name\n1|a\n2|b\n2|c\n4|d\n5|d", "Ref and Name", "Ref"},
		{"two together", "Day|Berth|Ship\n1 May|1|a\n1 May|2|a\n2 May|1|a\n2 May|2|a", "Berth and Day", ""},
		{"an office's code before an amount", "Minutes|Call\n45|R-1\n90|R-2\n60|R-3", "Call", ""},
		{"an amount only for want of better", "Berth|Minutes\n1|45\n1|90\n2|60", "Minutes", ""},
		{"staff numbers that look like times", "Pers. no|From\n101|2 March\n102|3 March\n101|4 March\n103|5 March\n102|6 March", "Pers. no and From, From", ""},
		{"a short list of leave", "Pers. no|From\n101|2 March\n102|9 March\n101|23 March\n103|30 March", "Pers. no and From", "Pers. no"},
		{"codes that look like times", "Meeting|ID\na|A408\nb|A732\nc|A1015", "ID, Meeting", ""},
		{"signs for a number", "Titre|N°\na|1430\nb|1431\nc|1432", "N°, Titre", ""},
		{"a footnote below", "Navio|Ref.\na|1430\nb|1431\nc|1432\nd|1433\n|* paid", "Ref.", "Navio"},
		{"a number of people is none", "Name|Number of guests\na|4\nb|7\nc|9", "Name", ""},
		{"nor is a remark", "Remarks|Name\nx|a\ny|b\nz|c", "Name", ""},
		{"none", "Ship\na\na\na\nb", "", ""},
	} {
		s, _ := look(t, tt.rows)
		join := func(keys []Key) string {
			var out []string
			for _, k := range keys {
				out = append(out, strings.Join(k.Columns, " and "))
			}
			return strings.Join(out, ", ")
		}
		assert.Equal(t, tt.keys, join(s.Keys), tt.name)
		assert.Equal(t, tt.near, join(s.Near), tt.name)
	}
	s, header := look(t, "Ref|Seen|Noted\n1|2026-03-28T23:12:00Z|2026-03-28T20:00:00Z\n2|2026-03-29T05:25:00Z|2026-03-29T05:00:00Z")
	assert.Contains(t, s.Write(Draft{Name: "tides", From: "tides.csv", Header: header, Day: "today"}), `# start: "{Seen}"                          # or {Noted}`)
	s, header = look(t, "Name|Ref\nx|a\ny|b")
	require.NotNil(t, s.Problem)
	text := s.Write(Draft{Name: "calls", From: "calls.csv", Header: header, Day: "today"})
	assert.Contains(t, text, "no column holds dates: say when the events start")
}

// Of many keys that stand twice, the first are said, whenever one asks.
func TestFirstDoubles(t *testing.T) {
	rows := "No|Day|Vessel\n"
	for i := range 400 {
		n := i
		if i%40 == 7 {
			n = i - 1
		}
		rows += fmt.Sprintf("TH-%d|2026-03-05|Corvane\n", n)
	}
	s, _ := look(t, rows)
	require.NotEmpty(t, s.Near)
	assert.Equal(t, [][]int{{8, 9}, {48, 49}, {88, 89}}, s.Near[0].Doubles)
	assert.Equal(t, 20, s.Near[0].Twice)
}
