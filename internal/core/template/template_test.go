package template

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// compile compiles a template against the columns No, Name, Day, Note and
// "Booking no".
func compile(t testing.TB, text string) (*Template, *Evaluator, *fault.Fault) {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	c := NewCompiler(table.Header{"No", "Name", "Day", "Note", "Booking no"}, map[string]map[string]string{"codes": {"A": "Arrived"}})
	compiled, f := c.Template(Source{Text: text})
	set := moment.Settings{Present: time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC), Zones: book}
	return compiled, c.Evaluator(func(column int, row table.Row) (moment.Value, *fault.Fault) {
		return moment.ReadOne(set, row.Cell(column).Text)
	}), f
}

func row(cells ...string) table.Row {
	r := table.Row{Number: 2}
	for _, c := range cells {
		cell := table.Cell{Kind: table.Text, Text: c}
		if c == "" {
			cell = table.Cell{}
		}
		r.Cells = append(r.Cells, cell)
	}
	return r
}

func TestTemplates(t *testing.T) {
	full, bare := row("1", "grey petrel", "2026-03-05", "A", "TH-7"), row("1", "corvane", "2026-03-05")
	tests := []struct{ name, template, full, bare string }{
		{"columns and text", "{Name} ({No})", "grey petrel (1)", "corvane (1)"},
		{"a heading of two words, a letter", `{Booking no}/{col("Booking no")}/{@E}`, "TH-7/TH-7/TH-7", "//"},
		{"space around an empty column closes up", "{Name} {Note} x", "grey petrel A x", "corvane x"},
		{"brackets vanish", "{Name}[ at {Note}][ ({Booking no})]", "grey petrel at A (TH-7)", "corvane"},
		{"brackets in brackets", "{Name}[ at {Note}[, {Booking no}]]", "grey petrel at A, TH-7", "corvane"},
		{"brackets with one gap of two stay", "{Name}[ at {No}/{Note}]", "grey petrel at 1/A", "corvane at 1/"},
		{"brackets with an expression", "{Name}[ – {upper(Note)}]", "grey petrel – A", "corvane"},
		{"brackets without a column are brackets", "[draft] {Name} [x]", "[draft] grey petrel [x]", "[draft] corvane [x]"},
		{"signs doubled are themselves", "{{{Name}}} [[{Note}]]", "{grey petrel} [A]", "{corvane} []"},
		{"functions", `{capital(Name)} {filled(Note, "none")} {lookup("codes", Note)} {pick(col("Booking no"), "-([0-9]+)")}`, "Grey Petrel A Arrived 7", "Corvane none"},
		{"together leaves the empty out", `{together(", ", Name, Note, No)}`, "grey petrel, A, 1", "corvane, 1"},
		{"a date in another form", `{Name} {dateform(Day, "ddd d mmm yyyy")}`, "grey petrel Thu 5 Mar 2026", "corvane Thu 5 Mar 2026"},
		{"conditions inside", `{Note == "A" ? "in" : "out"}`, "in", "out"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			compiled, e, f := compile(t, tt.template)
			require.Nil(t, f)
			var got []string
			for range 2 { // the second time from memory
				for _, r := range []table.Row{full, bare} {
					e.Load(r)
					text, f := e.Render(compiled)
					require.Nil(t, f)
					got = append(got, text)
				}
			}
			assert.Equal(t, []string{tt.full, tt.bare, tt.full, tt.bare}, got)
		})
	}
}

// What fails in brackets fails, whatever stands behind them.
func TestBracketsFail(t *testing.T) {
	compiled, e, f := compile(t, `[on {dateform(Day, "d")}: ]{Name}`)
	require.Nil(t, f)
	e.Load(row("1", "corvane", "later"))
	_, f = e.Render(compiled)
	assert.ErrorContains(t, f, "dateform")
}

func TestTemplatesRefused(t *testing.T) {
	for template, want := range map[string]string{
		"{Nmae}": `"Nmae" is not a column`, "{Name": "a { is not closed", "Name}": "a } closes nothing", "[{Name}": "a [ is not closed", `{uper(Name)}`: `"uper" is not a function`, `{now()}`: "is not a function", `{Name +}`: "it ends too early", `{Name = 3}`: "= is not expected here", `{repeat(Name, 9)}`: "is not a function", `{dateform(Name)}`: "wants a column and a form", `{[1,2][5]}`: "",
	} {
		compiled, e, f := compile(t, template)
		if want == "" { // known only when it runs
			require.Nil(t, f)
			_, f = e.Render(compiled)
			assert.NotNil(t, f)
			continue
		}
		require.NotNil(t, f, template)
		assert.Contains(t, f.Error(), want, template)
	}
	compiled, e, f := compile(t, `{dateform(Day, "d mmm")}`)
	require.Nil(t, f)
	e.Load(row("1", "A", "5–7 Mar 2026"))
	_, f = e.Render(compiled)
	require.ErrorContains(t, f, "is not one date or time")
	long := row("1", strings.Repeat("a", 200), "2026-03-05")
	for _, template := range []string{`{replace(replace(replace(replace(Name, "a", Name), "a", Name), "a", Name), "a", Name)}`, `{join(split(Name, ""), replace(Name, "a", Name))}`, `{string((1..100000000)[7])}`} {
		compiled, e, f := compile(t, template)
		require.Nil(t, f)
		began := time.Now()
		e.Load(long)
		_, f = e.Render(compiled)
		assert.NotNil(t, f, "%s", template)
		assert.Less(t, time.Since(began), time.Second)
	}
}

// TestCompared finds what a condition compares columns with, and meets it.
func TestCompared(t *testing.T) {
	c := NewCompiler(table.Header{"No", "State"}, nil)
	condition, f := c.Condition(Source{Text: `State == "ok" || State in ["OK", "Done"] && No != "9"`})
	require.Nil(t, f)
	assert.Equal(t, []Comparison{{1, "ok"}, {1, "OK"}, {1, "Done"}, {0, "9"}}, condition.Compared)
	e := c.Evaluator(nil)
	for cells, want := range map[string]bool{"1|ok": true, "1|Done": true, "9|Done": false, "9|ok": true, "1|": false} {
		e.Load(row(strings.Split(cells, "|")...))
		met, f := e.Met(condition)
		require.Nil(t, f)
		assert.Equal(t, want, met, cells)
	}
}
