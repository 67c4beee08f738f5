package job

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"fmt"
	"maps"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/intake"
	"almanach/internal/core/plan"
	"almanach/internal/core/zone"
	"almanach/internal/edge/desk"
)

// side is what one side holds of an event: field → value.
type side map[string]string

// known is what the model remembers of an event it loaded: per field what the
// sheet wanted and what the calendar then held.
type known map[string][2]string

// loadBoth loads, after it has made sure that a brief preview says the same as a
// full one but for what is the same.
func loadBoth(t *testing.T, office *Office, req LoadRequest) *Report {
	t.Helper()
	preview := req
	preview.Write = false
	full, err := Load(t.Context(), office, preview)
	require.NoError(t, err)
	preview.Brief = true
	brief, err := Load(t.Context(), office, preview)
	require.NoError(t, err)
	other := func(r *Report) (out []plan.Item) {
		for _, i := range r.Items.All() {
			if i.Outcome != agree.Same {
				out = append(out, i)
			}
		}
		return out
	}
	require.Equal(t, full.Totals, brief.Totals)
	require.Equal(t, full.Assumed, brief.Assumed)
	require.Equal(t, full.Notes, brief.Notes)
	require.Len(t, brief.Edits, len(full.Edits))
	wanted, got := other(full), other(brief)
	require.Len(t, got, len(wanted))
	for n := range wanted {
		require.Equal(t, wanted[n].Key, got[n].Key)
		require.Equal(t, wanted[n].Outcome, got[n].Outcome)
		require.Equal(t, wanted[n].Edit, got[n].Edit)
	}
	req.Brief = true
	report, err := Load(t.Context(), office, req)
	require.NoError(t, err)
	return report
}

// TestManyDays lives through many days in which people change the sheet, the
// calendar, or both, with a load on each, and holds every load against a model
// that knows the three-way rule and nothing else.
func TestManyDays(t *testing.T) {
	for _, gone := range []string{"report", "cancel", "delete"} {
		t.Run("gone: "+gone, func(t *testing.T) { manyDays(t, gone) })
	}
}

func manyDays(t *testing.T, gone string) {
	const days, keys = 40, 14
	dir := t.TempDir()
	zones, err := zone.NewBook(nil)
	require.NoError(t, err)
	office := &Office{Desk: &desk.Desk{}, Zones: zones, Now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Zone: "Europe/Lisbon"}
	sheetPath, calendarPath := filepath.Join(dir, "calls.csv"), filepath.Join(dir, "c.ics")
	r := rand.New(rand.NewSource(7))
	fields := []string{"title", "location", "description", "when"}
	value := func(f string) string {
		if f == "when" {
			return time.Date(2026, 4, 1+r.Intn(3), 8+r.Intn(2), 0, 0, 0, time.UTC).Format("2006-01-02 15:04")
		}
		n := r.Intn(3)
		if n == 0 && f != "title" {
			return ""
		}
		return fmt.Sprintf("%s, %d", f, n)
	}
	load := func(sheet map[string]side, take agree.Side, taken ...string) *Report {
		rows := [][]string{{"key", "title", "location", "description", "when"}}
		for _, k := range slices.Sorted(maps.Keys(sheet)) {
			s := sheet[k]
			rows = append(rows, []string{k, s["title"], s["location"], s["description"], s["when"]})
		}
		var b bytes.Buffer
		require.NoError(t, csv.NewWriter(&b).WriteAll(rows))
		require.NoError(t, os.WriteFile(sheetPath, b.Bytes(), 0o600))
		in, faults := intake.Parse("calls.yaml", []byte("name: calls\nkey: key\ninto: x\nagree: { gone: "+gone+" }\nassume: { length: 1h }\nevent: { title: '{title}', location: '{location}', description: '{description}', start: '{when}' }\n"))
		require.Empty(t, faults)
		var takes []plan.Take
		for _, key := range taken {
			takes = append(takes, plan.Take{Side: take, Key: key})
		}
		return loadBoth(t, office, LoadRequest{Intake: in, File: sheetPath, Into: calendarPath, Write: true, Past: true, Takes: takes, Pairs: plan.Pairs{BesideAll: true}, Allow: map[string]int{"when": keys, "title": keys, "removed": keys}})
	}

	sheet, calendar, memory := map[string]side{}, map[string]side{}, map[string]known{}
	for n := range keys {
		sheet[fmt.Sprint("k", n)] = side{"title": "title, 1", "location": "", "description": "description, 1", "when": "2026-04-01 08:00"}
	}
	seen := map[string]int{}
	for day := range days {
		for range r.Intn(6) { // the sheet changes
			k := fmt.Sprint("k", r.Intn(keys))
			if s, ok := sheet[k]; !ok {
				sheet[k] = side{"title": value("title"), "location": value("location"), "description": value("description"), "when": value("when")}
			} else if r.Intn(6) == 0 && len(sheet) > 1 {
				delete(sheet, k)
			} else {
				f := fields[r.Intn(len(fields))]
				s[f] = value(f)
			}
		}
		if len(calendar) > 0 { // and so does the calendar
			for range r.Intn(5) {
				k := slices.Sorted(maps.Keys(calendar))[r.Intn(len(calendar))]
				f := fields[r.Intn(len(fields))]
				if calendar[k][f] = value(f); r.Intn(12) == 0 {
					delete(calendar, k)
					delete(memory, k)
				}
			}
			editCalendar(t, calendarPath, calendar)
		}

		want := map[agree.Outcome]int{}
		for k, s := range sheet {
			o := model(s, calendar, memory, k, "")
			want[o]++
		}
		for _, k := range slices.Collect(maps.Keys(calendar)) {
			if sheet[k] != nil {
				continue
			}
			want[agree.Gone]++
			edited := false
			for f, m := range memory[k] {
				edited = edited || calendar[k][f] != m[1]
			}
			switch {
			case gone == "cancel" && !edited:
				calendar[k]["status"], memory[k]["status"] = "cancelled", [2]string{"cancelled", "cancelled"}
			case gone == "delete" && !edited:
				delete(calendar, k)
				delete(memory, k)
			}
		}
		for o, n := range want {
			seen[string(o)] += n
		}
		got := load(sheet, agree.Neither).Totals
		require.Equal(t, []int{want[agree.New], want[agree.Changed], want[agree.Same], want[agree.Edited], want[agree.Disputed], want[agree.Gone]},
			[]int{got.New, got.Changed, got.Same, got.Edited, got.Disputed, got.Gone}, "day %d: new, changed, same, edited, disputed, gone", day)
		require.Equal(t, calendar, inCalendar(t, calendarPath, zones), "day %d", day)

		before, err := os.ReadFile(calendarPath)
		require.NoError(t, err)
		again := load(sheet, agree.Neither).Totals
		require.Zero(t, again.New+again.Changed, "day %d: the second load", day)
		require.Equal(t, got.Disputed, again.Disputed, "day %d: the second load", day)
		after, err := os.ReadFile(calendarPath)
		require.NoError(t, err)
		require.Equal(t, string(before), string(after), "day %d: the second load", day)

		for _, item := range load(sheet, agree.Neither).Items.All() { // one dispute is settled on some days
			if item.Outcome == agree.Disputed && r.Intn(3) == 0 {
				take, name := agree.Sheet, "sheet"
				if r.Intn(2) == 0 {
					take, name = agree.Calendar, "calendar"
				}
				model(sheet[item.Key], calendar, memory, item.Key, name)
				require.Equal(t, again.Disputed-1, load(sheet, take, item.Key).Totals.Disputed)
				require.Equal(t, calendar, inCalendar(t, calendarPath, zones), "day %d: %s taken for %s", day, name, item.Key)
				break
			}
		}
	}
	for _, o := range []agree.Outcome{agree.New, agree.Changed, agree.Same, agree.Edited, agree.Disputed, agree.Gone} {
		require.Greater(t, seen[string(o)], 10, "%s was hardly met", o)
	}
}

// model does to the calendar and the memory what a load must do for one row,
// with disputes settled for take, and gives the outcome.
func model(row side, calendar map[string]side, memory map[string]known, key, take string) agree.Outcome {
	given := side{}
	for f, v := range row {
		if v != "" { // an empty cell leaves its field alone
			given[f] = v
		}
	}
	if calendar[key] == nil {
		calendar[key], memory[key] = side{"title": "", "location": "", "description": "", "when": "", "status": ""}, known{}
		for f, v := range given {
			calendar[key][f], memory[key][f] = v, [2]string{v, v}
		}
		return agree.New
	}
	event, memories := calendar[key], memory[key]
	if memories["status"][0] == "cancelled" { // it was gone, and is back
		given["status"] = ""
	}
	outcome := agree.Same
	worse := func(o agree.Outcome) {
		if outcome != agree.Changed { // what is written outweighs what is kept
			outcome = o
		}
	}
	write, learn := side{}, known{}
	for f, v := range given {
		last, met := memories[f]
		source, edited, equal := v != last[0], event[f] != last[1], v == event[f]
		switch {
		case !met && equal, met && (source || edited) && equal:
			learn[f] = [2]string{v, v}
		case !met && event[f] == "", met && source && !edited:
			write[f] = v
			worse(agree.Changed)
		case met && !source && !edited:
		case met && !source && edited && take == "":
			worse(agree.Edited)
		case met && !source && edited:
		case take == "sheet":
			write[f] = v
		case take == "calendar":
			learn[f] = [2]string{v, event[f]}
		default:
			return agree.Disputed
		}
	}
	maps.Copy(memories, learn)
	for f, v := range write {
		event[f], memories[f] = v, [2]string{v, v}
	}
	return outcome
}

var propertyOf = map[string]string{"title": "SUMMARY", "location": "LOCATION", "description": "DESCRIPTION"}

// editCalendar brings the calendar file to what people made of it.
func editCalendar(t *testing.T, path string, calendar map[string]side) {
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	var out bytes.Buffer
	for r := ical.NewBytesReader(data); ; {
		p, err := r.Next()
		if err != nil {
			break
		}
		if _, key := event.Marks(p.Raw); p.Name == "VEVENT" {
			if calendar[key] == nil {
				continue
			}
			c := ical.Open(p.Raw)
			for f, name := range propertyOf {
				if c.Remove(name); calendar[key][f] != "" {
					c.Set(name, nil, nil, ical.Escape(calendar[key][f]))
				}
			}
			for name, after := range map[string]time.Duration{"DTSTART": 0, "DTEND": time.Hour} {
				at, err := time.Parse("2006-01-02 15:04", calendar[key]["when"])
				require.NoError(t, err)
				c.Set(name, nil, nil, at.Add(after).Format("20060102T150405")) // its TZID stays
			}
			p.Raw = c.Bytes()
		}
		out.Write(p.Raw)
	}
	require.NoError(t, os.WriteFile(path, out.Bytes(), 0o600))
}

// inCalendar gives what the calendar file holds, by key.
func inCalendar(t *testing.T, path string, zones *zone.Book) map[string]side {
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	out := map[string]side{}
	for r := ical.NewBytesReader(data); ; {
		p, err := r.Next()
		if err != nil {
			return out
		}
		if p.Name != "VEVENT" {
			continue
		}
		v, err := event.Read(p.Raw, zones.Find)
		require.NoError(t, err)
		require.NotContains(t, out, v.Key, "a double")
		require.Equal(t, time.Hour, v.When.Length())
		out[v.Key] = side{"title": v.Text(event.Title), "location": v.Text(event.Location), "description": v.Text(event.Description), "when": zone.Civil(v.When.Start.Wall).Format("2006-01-02 15:04"), "status": v.Text(event.Status)}
	}
}

// TestManyMoves sends rows from calendar to calendar, day after day, while
// people edit their events: each is in its row's calendar alone, with what was
// changed by hand.
func TestManyMoves(t *testing.T) {
	const days, keys = 40, 10
	dir := t.TempDir()
	zones, err := zone.NewBook(nil)
	require.NoError(t, err)
	names := []string{"north", "south", "yard"}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "almanach.yaml"), []byte("calendars: { north: { file: north.ics }, south: { file: south.ics }, yard: { file: yard.ics } }\n"), 0o600))
	d, faults := desk.Find(dir)
	require.Empty(t, faults)
	office := &Office{Desk: d, Zones: zones, Now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Zone: "Europe/Lisbon"}
	r := rand.New(rand.NewSource(3))
	place, location, title := map[string]string{}, map[string]string{}, map[string]string{}
	for n := range keys {
		place[fmt.Sprint("k", n)] = names[r.Intn(len(names))]
	}
	path := filepath.Join(dir, "calls.csv")
	for day := range days {
		for range r.Intn(5) {
			place[fmt.Sprint("k", r.Intn(keys))] = names[r.Intn(len(names))]
			title[fmt.Sprint("k", r.Intn(keys))] = fmt.Sprint("Call ", r.Intn(3))
		}
		rows := "key,title,when,quay\n"
		for _, k := range slices.Sorted(maps.Keys(place)) {
			rows += fmt.Sprintf("%s,%s,2026-04-01 08:00,%s\n", k, cmp.Or(title[k], "Call"), place[k])
		}
		require.NoError(t, os.WriteFile(path, []byte(rows), 0o600))
		load := func() *Report {
			in, faults := intake.Parse("calls.yaml", []byte("name: calls\nkey: key\ninto: '{quay}'\nassume: { length: 1h }\nevent: { title: '{title}', start: '{when}' }\n"))
			require.Empty(t, faults)
			return loadBoth(t, office, LoadRequest{Intake: in, OfDesk: true, File: path, Write: true, Pairs: plan.Pairs{BesideAll: true}, Allow: map[string]int{"when": keys, "title": keys, "removed": keys}})
		}
		load()
		require.Zero(t, load().Totals.Changed, "day %d: the second load", day)

		met := map[string]string{}
		for _, name := range names {
			file := filepath.Join(dir, name+".ics")
			if _, err := os.Stat(file); err != nil {
				continue
			}
			events := inCalendar(t, file, zones)
			for _, k := range slices.Sorted(maps.Keys(events)) {
				e := events[k]
				require.Empty(t, met[k], "day %d: %s is in %s and in %s", day, k, met[k], name)
				met[k] = name
				require.Equal(t, location[k], e["location"], "day %d: %s", day, k)
				require.Equal(t, cmp.Or(title[k], "Call"), e["title"], "day %d: %s", day, k)
				if r.Intn(4) == 0 {
					location[k] = fmt.Sprint("Berth ", r.Intn(9))
					e["location"] = location[k]
				}
			}
			editCalendar(t, file, events)
		}
		require.Equal(t, place, met, "day %d", day)
	}
}

// TestManyWeeks changes single dates of a series, day after day, takes changes
// back, and moves the series; what is taken out is what the sheet says.
func TestManyWeeks(t *testing.T) {
	const days, weeks = 40, 8
	dir := t.TempDir()
	zones, err := zone.NewBook(nil)
	require.NoError(t, err)
	office := &Office{Desk: &desk.Desk{}, Zones: zones, Now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Zone: "Europe/Lisbon"}
	path, target := filepath.Join(dir, "ferries.csv"), filepath.Join(dir, "ferries.ics")
	load := func(rows string) *Report {
		require.NoError(t, os.WriteFile(path, []byte(rows), 0o600))
		in, faults := intake.Parse("ferries.yaml", []byte("name: ferries\nkey: key\ninto: x\nagree: { gone: delete }\nassume: { length: 1h }\ncancel_when: 'off == \"yes\"'\nevent: { title: '{title}', start: '{day} {at}', repeat: '{repeat}', occurrence: '{changes}' }\n"))
		require.Empty(t, faults)
		report, err := Load(t.Context(), office, LoadRequest{Intake: in, File: path, Into: target, Write: true, Pairs: plan.Pairs{BesideAll: true}, Allow: map[string]int{"when": 50, "title": 50, "removed": 50}})
		require.NoError(t, err)
		for _, item := range report.Items.All() {
			require.NotContains(t, []agree.Outcome{agree.Held, agree.Disputed}, item.Outcome, "%s %s", item.Row.Place(), item.Reason)
		}
		return report
	}
	r := rand.New(rand.NewSource(4))
	first := time.Date(2026, 3, 12, 0, 0, 0, 0, time.UTC) // the clocks go forward in its third week
	type change struct {
		days      int
		at, title string
		off       bool
	}
	changes := map[int]*change{}
	at, title := "08:00", "Ferry"
	for day := range days {
		switch r.Intn(6) {
		case 0:
			at = fmt.Sprintf("%02d:00", 7+r.Intn(3))
		case 1:
			title = fmt.Sprint("Ferry ", r.Intn(3))
		default:
			week := r.Intn(weeks)
			if changes[week] != nil && r.Intn(3) == 0 {
				delete(changes, week)
				break
			}
			changes[week] = &change{days: r.Intn(3), at: fmt.Sprintf("%02d:30", 9+r.Intn(4)), title: fmt.Sprint("Special ", r.Intn(3)), off: r.Intn(4) == 0}
		}
		rows := fmt.Sprintf("key,title,day,at,repeat,changes,off\nF,%s,2026-03-12,%s,\"weekly, %d times\",,\n", title, at, weeks)
		var want []string
		for week := range weeks {
			date := first.AddDate(0, 0, 7*week)
			c := changes[week]
			if c == nil {
				want = append(want, date.Format(time.DateOnly)+" "+at+" "+title)
				continue
			}
			moved := date.AddDate(0, 0, c.days).Format(time.DateOnly)
			off := map[bool]string{true: "yes"}[c.off]
			rows += fmt.Sprintf("F,%s,%s,%s,,%s,%s\n", c.title, moved, c.at, date.Format(time.DateOnly), off)
			if !c.off {
				want = append(want, moved+" "+c.at+" "+c.title)
			}
		}
		load(rows)
		again := load(rows).Totals
		require.Zero(t, again.New+again.Changed+again.Gone, "day %d: the second load", day)

		x, err := ExtractCalendars(t.Context(), office, []string{target}, Range{From: zone.Wall(2026, 3, 1, 0, 0, 0), To: zone.Wall(2026, 7, 1, 0, 0, 0), View: zone.UTC})
		require.NoError(t, err)
		require.Empty(t, x.Faults)
		var got []string
		for _, row := range x.Rows {
			if row.Status() != "cancelled" {
				got = append(got, zone.Civil(row.Span.Start.Wall).Format("2006-01-02 15:04 ")+row.Value("title"))
			}
		}
		slices.Sort(want)
		slices.Sort(got)
		require.Equal(t, want, got, "day %d of\n%s", day, rows)
	}
}
