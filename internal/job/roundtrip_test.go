package job

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	goical "github.com/emersion/go-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/extract"
	"almanach/internal/core/intake"
	"almanach/internal/core/zone"
	"almanach/internal/edge/desk"
)

// TestRoundTrip makes rows of every field, loads them, takes them out as a
// table, loads that table under the same fields, and wants the same events; an
// independent parser must read the same values out of the calendar.
func TestRoundTrip(t *testing.T) {
	dir := t.TempDir()
	zones, err := zone.NewBook(nil)
	require.NoError(t, err)
	office := &Office{Desk: &desk.Desk{}, Zones: zones, Now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Zone: "Europe/Lisbon"}
	columns := []string{"key", "title", "start", "end", "location", "description", "url", "conference", "categories", "colour", "status", "busy", "priority", "visibility", "organizer", "attendees", "optional", "rooms", "reminders", "attachments"}
	r := rand.New(rand.NewSource(1))
	pick := func(choices ...string) string { return choices[r.Intn(len(choices))] }
	word := func() string {
		return pick("Grey Petrel", "né à Tarn; Haven", `back\\slash, "quoted"`, "two\nlines", "Ebba  Strand", "🚢 \u2019s", "a:b=c", strings.Repeat("long words and ", 12)+"an end")
	}
	person := func() string {
		n := r.Intn(1000)
		return pick(fmt.Sprintf("p%d@harrow.example", n), fmt.Sprintf("Fenn, Oda <o%d@fenn-agency.example>", n), fmt.Sprintf("Piet <p%d@harrow.example>", n))
	}
	link := func() string { return fmt.Sprintf("https://tarn-haven.example/%d?a=1,2;b=%%20", r.Intn(100)) }
	rows := [][]string{columns}
	for i := range 150 {
		day := time.Date(2026, 3, 1+r.Intn(300), r.Intn(24), r.Intn(60), 0, 0, time.UTC)
		start, end := day.Format("2006-01-02 15:04"), day.Add(time.Duration(1+r.Intn(3000))*time.Minute).Format("2006-01-02 15:04")
		if r.Intn(4) == 0 {
			start, end = day.Format(time.DateOnly), day.AddDate(0, 0, r.Intn(3)).Format(time.DateOnly)
		}
		row := []string{fmt.Sprintf("k-%d", i), word(), start, end, word(), word(), link(), link(), pick("Berth", "Berth; Crane", "a b"), pick("steelblue", "red"), pick("tentative", "confirmed", "cancelled"), pick("free", "busy"), pick("1", "5", "9", "high"), pick("private", "public", "confidential"), person(), person() + "; " + person(), person(), person(), pick("15m", "2h, 1d", "1d by e-mail", "90min"), link() + "; " + link()}
		for n := 4; n < len(row); n++ {
			if r.Intn(5) == 0 {
				row[n] = ""
			}
		}
		rows = append(rows, row)
	}
	load := func(rows [][]string, name string) *Report {
		var b bytes.Buffer
		require.NoError(t, csv.NewWriter(&b).WriteAll(rows))
		path, target := filepath.Join(dir, name+".csv"), filepath.Join(dir, name+".ics")
		require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
		text := "from: { file: x }\nkey: key\ninto: x.ics\nidentity: round-trip\nevent:\n"
		for _, c := range columns[1:] {
			if c == "reminders" {
				text += "  reminders: [\"{reminders}\"]\n"
				continue
			}
			text += "  " + c + ": \"{" + c + "}\"\n"
		}
		in, faults := intake.Parse("round.yaml", []byte(text))
		require.Empty(t, faults)
		report, err := Load(t.Context(), office, LoadRequest{Intake: in, File: path, Into: target, Write: true, Allow: map[string]int{}})
		require.NoError(t, err)
		var held []string
		for _, item := range report.Items.All() {
			if item.Reason != "" {
				held = append(held, fmt.Sprint(item.Row.Number, " ", item.Reason))
			}
		}
		for _, h := range held {
			require.Contains(t, h, "does not exist in Europe/Lisbon") // the clocks go forward over some
		}
		require.Equal(t, len(rows)-1, report.Totals.Wanted+len(held))
		return report
	}
	load(rows, "first")
	first, second := filepath.Join(dir, "first.ics"), filepath.Join(dir, "second.ics")
	whole := Range{From: zone.Wall(2026, 1, 1, 0, 0, 0), To: zone.Wall(2028, 1, 1, 0, 0, 0), View: zone.UTC}
	taken, err := ExtractCalendars(t.Context(), office, []string{first}, whole)
	require.NoError(t, err)
	again := [][]string{columns}
	for _, row := range taken.Rows {
		var cells []string
		for _, c := range columns {
			value := row.Value(c)
			if c == "attendees" {
				value = required(row)
			}
			if c == "categories" {
				value = strings.ReplaceAll(value, ", ", "; ")
			}
			cells = append(cells, value)
		}
		again = append(again, cells)
	}
	load(again, "second")
	a, b := views(t, office, first, whole), views(t, office, second, whole)
	require.Equal(t, len(a), len(b))
	for key, v := range a {
		require.True(t, v.When.Same(b[key].When), "%s: %s and %s", key, v.When, b[key].When)
		for _, f := range event.Fields() {
			require.Equal(t, v.Meaning(f), b[key].Meaning(f), "%s %s", key, f)
		}
	}

	// The calendar is a source too, without any intake.
	third := filepath.Join(dir, "third.ics")
	in := &intake.Intake{Name: "third", Key: []string{"uid"}}
	in.Defaults()
	report, err := Load(t.Context(), office, LoadRequest{Intake: in, Match: true, File: first, Into: third, Write: true, Allow: map[string]int{}})
	require.NoError(t, err)
	require.Equal(t, len(a), report.Totals.New, "%v", report.Totals)
	require.Empty(t, report.Unused)
	c := views(t, office, third, whole)
	for key, v := range a {
		o := c[v.UID]
		require.True(t, v.When.Same(o.When), "%s: %s and %s", key, v.When, o.When)
		for _, f := range event.Fields() {
			require.Equal(t, v.Meaning(f), o.Meaning(f), "%s %s", key, f)
		}
	}

	data, err := os.ReadFile(first)
	require.NoError(t, err)
	parsed, err := goical.NewDecoder(bytes.NewReader(data)).Decode()
	require.NoError(t, err)
	n := 0
	for _, e := range parsed.Events() {
		v := a[e.Props.Get("X-ALMANACH-KEY").Value]
		n++
		for name, f := range map[string]event.Field{"SUMMARY": event.Title, "LOCATION": event.Location, "DESCRIPTION": event.Description, "COLOR": event.Colour} {
			text, err := e.Props.Text(name)
			require.NoError(t, err)
			assert.Equal(t, v.Text(f), text, name)
		}
		if p := e.Props.Get("CATEGORIES"); p != nil {
			list, err := p.TextList()
			require.NoError(t, err)
			slices.Sort(list)
			assert.Equal(t, v.Text(event.Categories), strings.Join(list, "\n"))
		}
		for name, f := range map[string]event.Field{"URL": event.URL, "CONFERENCE": event.Conference, "PRIORITY": event.Priority} {
			value := ""
			if p := e.Props.Get(name); p != nil {
				value = p.Value
			}
			assert.Equal(t, v.Text(f), value, name)
		}
		assert.Len(t, e.Props.Values("ATTENDEE"), len(v.Guests))
		start, err := e.DateTimeStart(time.UTC)
		require.NoError(t, err)
		assert.Equal(t, v.When.Start.Instant(nil), start.Unix())
	}
	assert.Equal(t, len(a), n)

	// A server may write all of it anew, in its own order and with its own
	// folds. Nobody has changed anything then.
	var anew bytes.Buffer
	require.NoError(t, goical.NewEncoder(&anew).Encode(parsed))
	require.NotEqual(t, string(data), anew.String())
	require.NoError(t, os.WriteFile(first, anew.Bytes(), 0o600))
	totals := load(rows, "first").Totals
	require.Equal(t, []int{0, 0, 0, 0}, []int{totals.New, totals.Changed, totals.Edited, totals.Disputed})
	after, err := os.ReadFile(first)
	require.NoError(t, err)
	assert.Equal(t, anew.String(), string(after))
}

func required(row extract.Row) string {
	var out []string
	for _, p := range row.View.Guests {
		if p.Part == event.Required {
			out = append(out, p.Show())
		}
	}
	return strings.Join(out, "; ")
}

func views(t *testing.T, office *Office, path string, whole Range) map[string]*event.View {
	t.Helper()
	x, err := ExtractCalendars(t.Context(), office, []string{path}, whole)
	require.NoError(t, err)
	require.Empty(t, x.Faults)
	out := map[string]*event.View{}
	for _, row := range x.Rows {
		out[row.Value("key")] = row.View
	}
	return out
}
