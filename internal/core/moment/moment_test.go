package moment

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

var present = time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)

func settings(t testing.TB) Settings {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	return Settings{Present: present, Zones: book}
}

// show writes a value as the corpus does.
func show(v Value) string {
	var parts []string
	half := func(has bool, date int64, clock int) {
		s := ""
		if has {
			s = zone.Civil(date).Format("2006-01-02")
		}
		if clock != NoClock {
			s += fmt.Sprintf("T%02d:%02d", clock/3600, clock/60%60)
			if clock%60 != 0 {
				s += fmt.Sprintf(":%02d", clock%60)
			}
		}
		if s != "" {
			parts = append(parts, s)
		}
	}
	half(v.HasDate, v.Date, v.Clock)
	half(v.HasEndDate, v.EndDate, v.EndClock)
	s := strings.Join(parts, "/")
	switch {
	case v.AllDay:
		s += "all day"
	case v.Open == OpenEnd:
		s = "from " + s
	case v.Open == OpenStart:
		s = "until " + s
	}
	if v.Zone != nil {
		s += " " + v.Zone.Name()
	} else if v.ZoneText != "" {
		s += " " + v.ZoneText
	}
	return s
}

// TestCorpus reads testdata/corpus.txt and company.txt: columns of cells with
// the answer, or "held" and what the message must say.
func TestCorpus(t *testing.T) {
	data, err := os.ReadFile("testdata/corpus.txt")
	require.NoError(t, err)
	more, err := os.ReadFile("testdata/company.txt")
	require.NoError(t, err)
	data = append(append(data, '\n'), more...)
	cells, columns := 0, 0
	for block := range strings.SplitSeq(string(data), "\n== ") {
		title, body, _ := strings.Cut(block, "\n")
		if strings.HasPrefix(title, "#") {
			continue
		}
		columns++
		name, options, _ := strings.Cut(title, " | ")
		t.Run(name, func(t *testing.T) {
			set := settings(t)
			var cell []table.Cell
			var want []string
			for line := range strings.Lines(body) {
				text, answer, ok := strings.Cut(strings.TrimRight(line, "\n"), " => ")
				if !ok {
					continue
				}
				c := table.Cell{Kind: table.Text, Text: strings.TrimSpace(text)}
				if kind, native, ok := strings.Cut(c.Text, ":: "); ok {
					c = nativeCell(t, kind, native)
				}
				cell, want = append(cell, c), append(want, strings.TrimSpace(answer))
			}
			role := AnyRole
			for option := range strings.FieldsSeq(options) {
				switch option {
				case "day-first":
					set.Order = DayFirst
				case "month-first":
					set.Order = MonthFirst
				case "year-first":
					set.Order = YearFirst
				case "swapped":
					set.Native = SwapNative
				case "trust":
					set.Native = TrustNative
				case "from-1904":
					set.From1904 = true
				case "any-year":
					set.AnyYear = true
				case "stated":
					set.Stated = true
				case "de":
					set.Language = Language("de")
				case "unix":
					set.Unix = time.Second
				case "unix-ms":
					set.Unix = time.Millisecond
				case "2027":
					set.Year = 2027
				case "clock":
					role = ClockRole
				case "date":
					role = DateRole
				default:
					t.Fatalf("option %q", option)
				}
			}
			column := learnt(set, cell, role)
			for name, way := range otherWays {
				other := slices.Clone(cell)
				for i := range other {
					if other[i].Kind == table.Text {
						other[i].Text = way(other[i].Text)
					}
				}
				again := learnt(set, other, role)
				for i, c := range other {
					v, f := column.Read(cell[i])
					w, g := again.Read(c)
					if f == nil || g == nil { // and held is held
						assert.Equalf(t, show(v), show(w), "%s: %q, %v, %v", name, c.Text, f, g)
					}
				}
			}
			for i, c := range cell {
				cells++
				v, f := column.Read(c)
				got := show(v)
				if f != nil {
					got = "held " + f.Reason()
				}
				if held, ok := strings.CutPrefix(want[i], "held"); ok {
					assert.Truef(t, f != nil && strings.Contains(got, strings.TrimSpace(held)), "%s\nwant %s\ngot  %s", c.Text, want[i], got)
					continue
				}
				assert.Equal(t, want[i], got, c.Text)
			}
		})
	}
	t.Logf("%d cells in %d columns", cells, columns)
	assert.Greater(t, cells, 100)
}

// otherWays write a cell in another way that changes nothing.
var otherWays = map[string]func(string) string{
	"hard spaces":   func(s string) string { return strings.ReplaceAll(s, " ", "\u00a0") },
	"thin spaces":   func(s string) string { return strings.ReplaceAll(s, " ", "\u202f") },
	"two spaces":    func(s string) string { return strings.ReplaceAll(s, " ", "  ") },
	"spaces around": func(s string) string { return "\u00a0 " + s + " \t" },
	"capitals":      strings.ToUpper,
	"small letters": strings.ToLower,
	"dash":          func(s string) string { return strings.ReplaceAll(s, " - ", " – ") },
	"invisible":     func(s string) string { return "\u200e" + strings.Replace(s, "2", "\u200b2", 1) + "\u200b" },
	"line break":    func(s string) string { return strings.Replace(s, " ", "\n", 1) },
}

func learnt(set Settings, cells []table.Cell, role Role) *Column {
	column := NewColumn(set)
	for i, c := range cells {
		column.Learn(i+2, c)
	}
	column.Settle()
	if role != AnyRole {
		column.Prefer(role)
	}
	return column
}

func nativeCell(t *testing.T, kind, text string) table.Cell {
	t.Helper()
	days := func(layout string) float64 {
		at, err := time.Parse(layout, text)
		require.NoError(t, err)
		return float64(at.Unix()-zone.Wall(1899, 12, 30, 0, 0, 0)) / 86400
	}
	switch kind {
	case "date":
		return table.NewTemporal(table.Date, days("2006-01-02"))
	case "datetime":
		return table.NewTemporal(table.DateTime, days("2006-01-02 15:04"))
	case "number":
		return table.Cell{Kind: table.Number, Text: text}
	case "bad":
		return table.Cell{Kind: table.Bad, Text: text}
	}
	t.Fatal(kind)
	return table.Cell{}
}

// TestEveryDay writes every day of two years in every numeric style: with one
// cell that settles the column it reads back to itself; alone it is held if
// and only if it can be read two ways.
func TestEveryDay(t *testing.T) {
	set := settings(t)
	text := func(s string) table.Cell { return table.Cell{Kind: table.Text, Text: s} }
	for _, layout := range []string{"02/01/2006", "01/02/2006", "2.1.2006", "1-2-2006", "02 01 2006", "02/01/06", "1/2/06", "2006-01-02", "20060102", "2 Jan 2006", "January 2, 2006", "Mon 02/01/2006", "02.01.2006 15:04", "2006-01-02T15:04:05Z", "02012006"} {
		settled := NewColumn(set)
		settled.Learn(1, text(time.Date(2026, 8, 31, 9, 30, 0, 0, time.UTC).Format(layout)))
		settled.Settle()
		for at := time.Date(2026, 1, 1, 9, 30, 0, 0, time.UTC); at.Year() < 2028; at = at.AddDate(0, 0, 1) {
			cell := text(at.Format(layout))
			v, f := settled.Read(cell)
			require.Nil(t, f, "%s: %v", cell.Text, f)
			require.Equal(t, at.Format("2006-01-02"), zone.Civil(v.Date).Format("2006-01-02"), cell.Text)

			alone := NewColumn(set)
			alone.Learn(1, cell)
			alone.Settle()
			_, f = alone.Read(cell)
			numeric := strings.Contains(layout, "02/01") || strings.Contains(layout, "01/02") || strings.Contains(layout, ".1.") || strings.Contains(layout, "1/2") || strings.Contains(layout, "1-2") || layout == "02 01 2006" || layout == "02.01.2006 15:04" || layout == "02012006"
			two := numeric && at.Day() <= 12 && at.Day() != int(at.Month())
			if strings.HasPrefix(layout, "Mon") { // the weekday settles it unless the other reading falls on the same one
				two = two && time.Date(at.Year(), time.Month(at.Day()), int(at.Month()), 0, 0, 0, 0, time.UTC).Weekday() == at.Weekday()
			}
			require.Equal(t, two, f != nil, "%s alone", cell.Text)
		}
	}
}

func TestLength(t *testing.T) {
	for text, want := range map[string]time.Duration{
		"90m": 90 * time.Minute, "90 min": 90 * time.Minute, "1h30": 90 * time.Minute, "1h 30m": 90 * time.Minute, "1:30": 90 * time.Minute, "PT90M": 90 * time.Minute, "1.5 h": 90 * time.Minute, "1,5 hours": 90 * time.Minute,
		"2h": 2 * time.Hour, "2 hrs": 2 * time.Hour, "3d": 72 * time.Hour, "2 days": 48 * time.Hour, "1 week": 168 * time.Hour, "P1DT2H": 26 * time.Hour, "36:00": 36 * time.Hour, "45 Minuten": 45 * time.Minute, "1 hour and 30 minutes": 90 * time.Minute, "0:45 h": 45 * time.Minute, "90 min h": 90 * time.Minute,
	} {
		d, ok := ParseLength(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, d, text)
	}
	for _, text := range []string{"", "90", "0", "1:75", "-2h", "two", "P1Y", "P", "PT", "1h1h", "30m2h", "h", "1e9h", "99999999h", "1:3", "1:30 min", "90 h x"} {
		_, ok := ParseLength(text)
		assert.False(t, ok, text)
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"Tue 14/03/2026 8.15–11:45", "28 Feb – 3 Mar", "mar 5 mai 2026 à 14h30", "2026-W10-4", "20260314T0815+01:00", "9–11 am 5. 3. 26", "46000.5", "next Tuesday", "31/12 - 1/1/2027", "2026-03-14 09:00 Europe/Lisbon"} {
		f.Add(s, uint8(0))
	}
	f.Fuzz(func(t *testing.T, s string, option uint8) {
		set := settings(t)
		set.Order, set.Stated = Order(option&3), option&4 != 0
		c := NewColumn(set)
		cell := table.Cell{Kind: table.Text, Text: s}
		c.Learn(1, cell)
		c.Settle()
		c.Prefer(Role(option >> 6 % 3))
		v, fault := c.Read(cell)
		if fault != nil {
			require.NotEmpty(t, fault.Error())
			return
		}
		require.True(t, v.Clock >= NoClock && v.Clock <= 86400 && v.EndClock >= NoClock && v.EndClock <= 86400)
		require.False(t, v.HasDate && v.HasEndDate && v.EndDate < v.Date)
		ParseLength(s)
	})
}

// TestShown reads dates of which the source shows a part.
func TestShown(t *testing.T) {
	cell := func(shown table.Part) table.Cell {
		c := table.NewTemporal(table.Date, 46146)
		c.Shown = shown
		return c
	}
	for name, c := range map[string]struct {
		shown table.Part
		set   func(*Settings)
		want  string
	}{
		"all of it":                   {table.Whole, func(s *Settings) { s.Titled = 2025 }, "2026-05-04"},
		"no year":                     {table.NoYear, func(*Settings) {}, "2026-05-04 (year that the sheet does not show)"},
		"no year, the title's":        {table.NoYear, func(s *Settings) { s.Titled = 2026 }, "2026-05-04 (year that the sheet does not show)"},
		"no year, not the title's":    {table.NoYear, func(s *Settings) { s.Titled = 2025 }, `"2026-05-04" is stored with the year 2026, which the sheet does not show, and the dates are of 2025`},
		"no year, not the settings'":  {table.NoYear, func(s *Settings) { s.Year = 2027 }, `"2026-05-04" is stored with the year 2026, which the sheet does not show, and the dates are of 2027`},
		"a month":                     {table.NoDay, func(*Settings) {}, `"2026-05-04" is shown as a month, without a day`},
		"a day of the week, its date": {table.DayName, func(*Settings) {}, "2026-05-04"},
	} {
		set := settings(t)
		c.set(&set)
		v, f := learnt(set, []table.Cell{cell(c.shown)}, AnyRole).Reader().Read(cell(c.shown), time.Time{})
		got := zone.Civil(v.Date).Format(time.DateOnly)
		if v.Assumed != 0 {
			got += " (" + strings.Join(v.Assumed.Names(), ", ") + ")"
		}
		if f != nil {
			got = f.Error()
		}
		assert.Contains(t, got, c.want, name)
		assert.Equal(t, c.shown == table.DayName, v.UnseenDate, name)
	}
}
