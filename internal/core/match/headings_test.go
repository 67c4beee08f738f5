package match

import (
	"flag"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

var headingTables = flag.Int("heading-tables", 1500, "generated tables in TestHeadings")

// TestHeadings generates tables whose headings it draws from a list, with days and times of
// other things among them. The columns of the event must be found, or nothing be loaded:
// never others.
func TestHeadings(t *testing.T) {
	data, err := os.ReadFile("testdata/headings.tsv")
	require.NoError(t, err)
	called := map[string]map[string][]string{}
	for line := range strings.Lines(string(data)) {
		if parts := strings.Split(strings.TrimSpace(line), "\t"); len(parts) == 3 {
			if called[parts[0]] == nil {
				called[parts[0]] = map[string][]string{}
			}
			called[parts[0]][parts[1]] = strings.Split(parts[2], "|")
		}
	}
	languages := []string{"en", "en", "de", "en", "fr", "es", "it", "pt", "nl"}
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	set := moment.Settings{Present: time.Date(2026, 2, 20, 8, 0, 0, 0, time.UTC), Zones: book}
	r := rand.New(rand.NewPCG(7, 11))
	right, tables := 0, 0
	for n := range *headingTables {
		of := called[languages[n%len(languages)]]
		start, end, others := "", "end", []string{"other day", "other time", "text"}
		kinds := []string{"title", "date", "time", []string{"end", "end", "length", ""}[r.IntN(4)]}
		if r.IntN(2) == 0 {
			start, end, others = "start", "until", []string{"other", "other", "text"}
			kinds = []string{"title", "start", []string{"until", "until", ""}[r.IntN(3)]}
		}
		apart := r.IntN(3) == 0
		if apart { // the days of both ends, and their times
			start, end, others = "", "end", []string{"text", "other day", "text"}
			kinds = []string{"title", "first", "time", "last", "end"}
			if r.IntN(2) == 0 {
				kinds = []string{"title", "first", "last", "time", "end"}
			}
		}
		for range 1 + r.IntN(4) {
			kinds = append(kinds, others[r.IntN(3)])
		}
		if r.IntN(2) == 0 {
			r.Shuffle(len(kinds), func(i, j int) { kinds[i], kinds[j] = kinds[j], kinds[i] })
		}
		header, at := table.Header{"Ref"}, map[string]string{}
		kinds = slices.DeleteFunc(kinds, func(kind string) bool {
			if kind == "" {
				return true
			}
			name := of[kind][r.IntN(len(of[kind]))]
			if slices.ContainsFunc(header, func(h string) bool { return strings.EqualFold(h, name) }) {
				return true
			}
			header, at[kind] = append(header, name), name
			return false
		})
		if at["title"] == "" || start != "" && at[start] == "" || start == "" && (at["date"] == "" && at["first"] == "" || at["time"] == "") || apart && (at["last"] == "" || at["end"] == "") {
			continue
		}
		choices, f := Columns(header, table.Hold(eventRows(r, header, kinds)...), Given{Key: []string{"Ref"}}, set)
		tables++
		if f != nil {
			continue
		}
		got := map[string]string{}
		for _, c := range choices {
			got[c.Field] = strings.Join(c.Columns, "+")
		}
		if got["end"] == at["time"] && got["start"] == at["date"] {
			continue // a start without a time beside an end with one: each row is held
		}
		want := at[start]
		if start == "" {
			want = at["date"] + at["first"] + "+" + at["time"]
		}
		until := at[end]
		if apart {
			until = at["last"] + "+" + at["end"]
		}
		ok := assert.Equal(t, want, got["start"], "%q", header)
		ok = assert.Equal(t, until, got["end"], "%q", header) && ok
		if at["text"] == "" || headingOf(at["title"]).rank(names("title")) > 0 { // else either can be
			ok = assert.Equal(t, at["title"], got["title"], "%q", header) && ok
		}
		if at["length"] != "" {
			ok = assert.Equal(t, at["length"], got["length"], "%q", header) && ok
		}
		if ok {
			right++
		}
	}
	t.Logf("%d of %d tables found", right, tables)
	assert.Greater(t, right*100, tables*80, "too many are asked about")
}

// eventRows makes rows of events with what stands in each kind of column.
func eventRows(r *rand.Rand, header table.Header, kinds []string) (rows []table.Row) {
	day := []string{"02/01/2006", "2006-01-02", "02.01.2006", "02.01.06"}[r.IntN(4)]
	clock := []string{"15:04", "15.04", "15h04", "15:04:05"}[r.IntN(4)]
	both := []string{day, day + " 15:04"}[r.IntN(2)]
	for n := range 6 + r.IntN(8) {
		at := time.Date(2026, time.Month(3+r.IntN(3)), 1+r.IntN(28), 8+r.IntN(10), 15*r.IntN(4), 0, 0, time.UTC)
		if n == 0 {
			at = at.AddDate(0, 0, 20-at.Day()) // so that the order of day and month is certain
		}
		minutes := []int{45, 60, 90, 120}[r.IntN(4)]
		row := table.Row{Number: int32(n + 2), Cells: []table.Cell{{Kind: table.Text, Text: "R" + strconv.Itoa(n)}}}
		for i, kind := range kinds {
			text := []string{"a note", "North quay", "Room 2"}[r.IntN(3)]
			switch kind {
			case "title":
				text = []string{"Corvane", "Heron", "Saltmere", "Oldwick"}[r.IntN(4)] + " " + strconv.Itoa(n)
			case "date", "first":
				text = at.Format(day)
			case "last":
				text = at.AddDate(0, 0, n%3).Format(day)
			case "time":
				text = at.Format(clock)
			case "start":
				text = at.Format(both)
			case "until":
				text = at.AddDate(0, 0, r.IntN(2)).Add(time.Duration(minutes) * time.Minute).Format(both)
			case "other":
				text = at.AddDate(0, 0, []int{-1, -1, 1}[r.IntN(3)]*(5+r.IntN(30))).Format(both)
			case "end":
				text = at.Add(time.Duration(minutes) * time.Minute).Format(clock)
			case "length":
				switch name := strings.ToLower(header[i+1]); {
				case strings.Contains(name, "min"):
					text = strconv.Itoa(minutes)
				case strings.HasSuffix(name, "(h)"):
					text = strconv.FormatFloat(float64(minutes)/60, 'f', -1, 64)
				default:
					text = strconv.Itoa(minutes/60) + ":" + strconv.Itoa(minutes%60/10) + "0"
				}
			case "other day":
				text = at.AddDate(0, 0, -10-r.IntN(30)).Format(day)
			case "other time":
				text = at.Add(-time.Duration(2+r.IntN(3)) * 15 * time.Minute).Format(clock)
			}
			row.Cells = append(row.Cells, table.Cell{Kind: table.Text, Text: text})
		}
		rows = append(rows, row)
	}
	return rows
}
