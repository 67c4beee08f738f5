package intake

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// mapping compiles an intake whose title is a template, against the columns
// No, Name, Day, Note and "Booking no".
func mapping(t testing.TB, title string) (*Mapping, []*fault.Fault) {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	in, faults := Parse("x.yaml", []byte("key: No\ninto: c\nwords: { codes: { A: Arrived } }\nevent:\n  title: '"+title+"'\n  start: '{Day}'\n"))
	require.Empty(t, faults)
	return in.Compile(table.Header{"No", "Name", "Day", "Note", "Booking no"}, book, zone.UTC, time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC))
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
			m, faults := mapping(t, tt.template)
			require.Empty(t, faults)
			rows := []table.Row{full, bare}
			m.Learn(rows)
			mapper := m.Mapper()
			var got []string
			for range 2 { // the second time from memory
				for _, r := range rows {
					mapper.eval.Load(r)
					text, f := mapper.eval.Render(m.texts[0].template)
					require.Nil(t, f)
					got = append(got, text)
				}
			}
			assert.Equal(t, []string{tt.full, tt.bare, tt.full, tt.bare}, got)
		})
	}
}

func TestTemplatesRefused(t *testing.T) {
	for template, want := range map[string]string{
		"{Nmae}": `"Nmae" is not a column`, "{Name": "a { is not closed", "Name}": "a } closes nothing", "[{Name}": "a [ is not closed", `{uper(Name)}`: `"uper" is not a function`, `{now()}`: "is not a function", `{Name +}`: "it ends too early", `{Name = 3}`: "= is not expected here", `{repeat(Name, 9)}`: "is not a function", `{dateform(Name)}`: "wants a column and a form", `{[1,2][5]}`: "",
	} {
		m, faults := mapping(t, template)
		if want == "" { // known only when it runs
			require.Empty(t, faults)
			m.Learn(nil)
			_, f := m.Mapper().eval.Render(m.texts[0].template)
			assert.NotNil(t, f)
			continue
		}
		require.NotEmpty(t, faults, template)
		assert.Contains(t, faults[0].Error(), want, template)
		assert.NotEmpty(t, faults[0].Excerpt, template)
	}
	long := row("1", strings.Repeat("a", 200), "2026-03-05")
	for _, template := range []string{`{replace(replace(replace(replace(Name, "a", Name), "a", Name), "a", Name), "a", Name)}`, `{join(split(Name, ""), replace(Name, "a", Name))}`, `{string((1..100000000)[7])}`} {
		m, faults := mapping(t, template)
		require.Empty(t, faults)
		began := time.Now()
		m.Learn(nil)
		mapper := m.Mapper()
		mapper.eval.Load(long)
		_, f := mapper.eval.Render(m.texts[0].template)
		assert.NotNil(t, f, "%s", template)
		assert.Less(t, time.Since(began), time.Second)
	}
}

func TestCleanText(t *testing.T) {
	for text, want := range map[string]string{
		"plain": "plain", "a &amp; b &lt;c&gt;": "a & b <c>", "<p>One</p><p>Two<br>three</p>": "One\n\nTwo\nthree", "<style>x{}</style>text": "text", "a  b\u00a0 c ": "a b c", "5 < 6 & 7 > 2": "5 < 6 & 7 > 2", "<ul><li>a<li>b</ul>": "- a\n- b", "x\n\n\n\ny": "x\n\ny",
	} {
		assert.Equal(t, want, cleanText(text), text)
	}
	names := []string{"Name", "E-mail", "Phone"}
	got := labels("Hello\nname: Oda Fenn\n* E-mail : oda@fenn-agency.example / Phone: 12 34\nName: second", names, labelPattern(names))
	assert.Equal(t, []string{"Oda Fenn", "oda@fenn-agency.example", "12 34"}, got)
}
