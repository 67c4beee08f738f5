package intake

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

var sheets = flag.Int("sheets", 2000, "generated sheets of 50 rows in TestGenerated")

// tongue is how one language writes dates.
type tongue struct {
	months, weekdays []string
	day              string // behind the number of the day
	to               string
}

var tongues = []tongue{
	{strings.Fields("January February March April May June July August September October November December"), strings.Fields("Sunday Monday Tuesday Wednesday Thursday Friday Saturday"), "", "to"},
	{strings.Fields("Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec"), strings.Fields("Sun Mon Tue Wed Thu Fri Sat"), "", "until"},
	{strings.Fields("Januar Februar März April Mai Juni Juli August September Oktober November Dezember"), strings.Fields("Sonntag Montag Dienstag Mittwoch Donnerstag Freitag Samstag"), ".", "bis"},
	{strings.Fields("janvier février mars avril mai juin juillet août septembre octobre novembre décembre"), strings.Fields("dimanche lundi mardi mercredi jeudi vendredi samedi"), "", "au"},
	{strings.Fields("enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre"), strings.Fields("domingo lunes martes miércoles jueves viernes sábado"), "", "hasta"},
	{strings.Fields("gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre"), strings.Fields("domenica lunedì martedì mercoledì giovedì venerdì sabato"), "", "al"},
	{strings.Fields("janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro dezembro"), strings.Fields("domingo segunda-feira terça-feira quarta-feira quinta-feira sexta-feira sábado"), "", "até"},
	{strings.Fields("januari februari maart april mei juni juli augustus september oktober november december"), strings.Fields("zondag maandag dinsdag woensdag donderdag vrijdag zaterdag"), "", "tot"},
}

type style struct {
	date  func(t time.Time) string
	clock func(t time.Time) string
	to    string
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// styleOf gives one consistent way to write a column.
func styleOf(r *rand.Rand) style {
	l := pick(r, tongues...)
	sep := pick(r, "/", ".", "-")
	numbers := func(layout string) func(time.Time) string {
		return func(t time.Time) string { return t.Format(strings.ReplaceAll(layout, "/", sep)) }
	}
	named := func(t time.Time) string {
		return fmt.Sprintf("%d%s %s %d", t.Day(), l.day, l.months[t.Month()-1], t.Year())
	}
	return style{
		date: pick(r, numbers("02/01/2006"), numbers("2/1/2006"), numbers("2006-01-02"), func(t time.Time) string { return t.Format("01/02/2006") }, func(t time.Time) string { return t.Format("2006-01-02") }, func(t time.Time) string { return t.Format("20060102") }, named,
			func(t time.Time) string { return l.weekdays[t.Weekday()] + ", " + named(t) },
			func(t time.Time) string { return t.Format("Jan 2, 2006") }, func(t time.Time) string { return t.Format("02-Jan-06") }, func(t time.Time) string { return t.Format("Mon 2 Jan 2006") }),
		clock: pick(r, func(t time.Time) string { return t.Format("15:04") }, func(t time.Time) string { return t.Format("3:04 PM") }, func(t time.Time) string { return t.Format("15:04:05") }, func(t time.Time) string { return t.Format("15h04") }),
		to:    pick(r, "–", " – ", " - ", " "+l.to+" "),
	}
}

// TestGenerated writes rows from their meaning, each sheet in one style, layout
// and language, and reads them back: every row is read as it was meant. Some
// rows are spoilt in a way that a person would stumble over: those are held.
func TestGenerated(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	const seed = 20260302
	wrong := 0
	for n := range *sheets {
		r := rand.New(rand.NewPCG(seed, uint64(n)))
		s := styleOf(r)
		layout := r.IntN(6)
		fields := []string{"start: '{A}'", "start: '{A} {B}', end: '{C}'", "start: '{A} {B}'", "start: '{A}', end: '{B}'", "start: '{A} {B}', length: '{C}'", "start: '{A} {B}', end: '{C} {D}'"}[layout]
		in, faults := Parse("x.yaml", []byte("key: No\ninto: c\nevent: { title: '{No}', "+fields+" }\n"))
		require.Empty(t, faults)
		var rows []table.Row
		var want []string
		for i := range 50 {
			start := time.Date(2026, time.Month(1+r.IntN(12)), 1+r.IntN(28), 8+r.IntN(8), 5*r.IntN(12), 0, 0, time.UTC)
			if i == 0 {
				start = time.Date(2026, 3, 28, 8, 15, 0, 0, time.UTC) // what settles the order
			}
			end := start.Add(time.Duration(1+r.IntN(40)) * 10 * time.Minute)
			meant := start.Format("20060102T150405Z") + "/" + end.Format("20060102T150405Z")
			var cells []string
			switch layout {
			case 0: // a date and a range in one cell
				cells = []string{s.date(start) + " " + s.clock(start) + s.to + s.clock(end)}
			case 1:
				cells = []string{s.date(start), s.clock(start), s.clock(end)}
			case 2:
				cells = []string{s.date(start), s.clock(start) + s.to + s.clock(end)}
			case 3: // whole days
				end = start.AddDate(0, 0, r.IntN(5))
				cells = []string{s.date(start), s.date(end)}
				meant = start.Format("20060102") + "/" + end.AddDate(0, 0, 1).Format("20060102")
			case 4:
				cells = []string{s.date(start), s.clock(start), fmt.Sprintf("%d min", int(end.Sub(start).Minutes()))}
			case 5:
				end = end.AddDate(0, 0, r.IntN(3))
				cells = []string{s.date(start), s.clock(start), s.date(end), s.clock(end)}
				meant = start.Format("20060102T150405Z") + "/" + end.Format("20060102T150405Z")
			}
			if i > 0 && r.IntN(10) == 0 {
				meant = "held"
				at := r.IntN(len(cells))
				cells[at] = pick(r, func(c string) string { return c + " and " + c }, func(c string) string { return c + " (tbc)" }, func(c string) string { return "ca. " + c }, func(c string) string { return c + "?" }, func(c string) string { return "by " + c },
					func(c string) string { return c + "; " + c }, func(string) string { return "tba" }, func(c string) string { return c + " or later" })(cells[at])
			}
			rows = append(rows, row(append([]string{fmt.Sprint(i)}, cells...)...))
			want = append(want, meant)
		}
		m, faults := in.Compile(table.Header{"No", "A", "B", "C", "D"}, book, zone.UTC, time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC))
		require.Empty(t, faults)
		b := NewBatch(m, table.Hold(rows...), nil)
		mapper := m.Mapper()
		for i, cells := range rows {
			var w, again Wanted
			got := "held"
			f := b.Map(mapper, i, &w)
			require.Equal(t, f, mapper.Map(cells, &again))
			require.Equal(t, w, again, "whether or not its start was read before")
			if f == nil {
				got = w.Event.When.String()
			}
			if wrong < 20 && !assert.Equalf(t, want[i], got, "sheet %d, layout %d: %v: %v", n, layout, cells.Cells, f) {
				wrong++
			}
		}
	}
}

// A row that is mapped in brief is at the same time, and held for the same reasons.
func TestBrief(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(3, 4))
	briefly := 0
	for n := range 300 {
		fields := "{ title: '" + pick(r, "{A}", "Call of {A}", "- {A}", "{upper(A)}", "At {B}[ with {A}] at {B}", "{A} {B}", "Call", `Call of {dateform(D, "d")}`) + "', location: '" + pick(r, "{B}", "Berth {B}", "{trim(A)}") + "', url: '{C}', start: '{D}', length: '1h' }"
		in, faults := Parse("x.yaml", []byte("key: No\ninto: c\ncancel_when: 'A == \"off\"'\nevent: "+fields+"\n"))
		require.Empty(t, faults)
		rows := make([]table.Row, 30)
		for i := range rows {
			rows[i] = row(fmt.Sprint(i), pick(r, "Grey Petrel", "", " ", "\u200b", "off", "#REF!"), pick(r, "3", "", "#N/A"), pick(r, "", "https://tarn-haven.example/1", "no link"), pick(r, "14/03/2026 8:15", "14/03/2026", "tba", ""))
			for c := range rows[i].Cells {
				if strings.HasPrefix(rows[i].Cells[c].Text, "#") {
					rows[i].Cells[c].Kind = table.Bad
				}
			}
		}
		m, faults := in.Compile(table.Header{"No", "A", "B", "C", "D"}, book, zone.UTC, time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC))
		require.Empty(t, faults)
		b := NewBatch(m, table.Hold(rows...), nil)
		mapper := m.Mapper()
		for i := range rows {
			var whole, brief Wanted
			require.Equal(t, b.Map(mapper, i, &whole), b.Brief(mapper, i, &brief), "sheet %d, row %d: %s", n, i, fields)
			require.Equal(t, []any{whole.Event.When, whole.Cancel}, []any{brief.Event.When, brief.Cancel})
			if whole.Event.Text(event.Title) != brief.Event.Text(event.Title) {
				briefly++
			}
		}
	}
	require.Greater(t, briefly, 100)
}
