package show

import (
	"fmt"
	"strconv"
	"strings"

	"charm.land/lipgloss/v2"
	"charm.land/lipgloss/v2/table"
	"github.com/charmbracelet/x/ansi"

	"almanach/internal/core/fault"
	"almanach/internal/core/survey"
	"almanach/internal/edge/source"
	"almanach/internal/job"
)

// Survey writes what a file was found to hold.
// found lists what was found in running text.
func (p *Printer) found(s *job.Survey) {
	held := 0
	for _, r := range s.Found.All() {
		if r.Evidence != nil && r.Evidence.Held != nil {
			held++
		}
	}
	p.line("%s found, %d held, %s passed over", Counted(s.Found.Len(), "event"), held, Counted(len(s.Passed), "date"))
	for _, note := range s.About.Notes {
		p.wrapped(dim.Render("source")+"   ", note)
	}
	p.line("")
	for _, r := range s.Found.All() {
		lead := "  " + pad(where(nil, r.Place()), 8) + "  "
		text := r.Cell(1).Text
		for _, c := range []int{3, 4, 5} {
			if t := r.Cell(c).Text; t != "" {
				text += "   " + t
			}
		}
		if r.Cell(6).Text != "" {
			text += "   " + alarm.Render("cancelled")
		}
		if f := r.Evidence.Held; f != nil {
			text = alarm.Render("held") + "   " + f.Reason()
		}
		p.wrapped(lead, text)
		if t := strings.Join(strings.Fields(r.Evidence.Text), " "); r.Evidence.Held == nil || !strings.Contains(text, fault.Shorten(t, 80)) {
			p.wrapped(strings.Repeat(" ", ansi.StringWidth(lead)), dim.Render("“"+fault.Shorten(t, 120)+"”"))
		}
	}
	for _, o := range s.Passed {
		p.wrapped("  "+pad(where(nil, o.Place), 8)+"  ", dim.Render("passed over: "+o.Why+"   “"+fault.Shorten(o.Text, 100)+"”"))
	}
	p.line("")
	if s.Path != "-" {
		p.line("%s", dim.Render("see what a load would do: almanach preview "+quoted(s.Path)+" --into CALENDAR"))
	}
}

func (p *Printer) Survey(s *job.Survey) {
	from := s.Origin.File
	if s.Origin.Sheet != "" {
		from += ", sheet " + s.Origin.Sheet
	}
	p.line("%s   %s", bold.Render(from), dim.Render(s.About.Format))
	if s.About.Running {
		p.found(s)
		return
	}
	total := Counted(s.Rows, "row")
	if s.Damaged > 0 {
		total += ", " + alarm.Render(fmt.Sprintf("%d more cannot be read", s.Damaged))
	}
	p.line("%s of %s", total, Counted(filledColumns(s), "column"))
	var others []string
	for _, sheet := range s.Sheets {
		if sheet.Name != s.Origin.Sheet {
			name := sheet.Name
			if sheet.Hidden {
				name += " (hidden)"
			}
			others = append(others, name)
		}
	}
	if len(others) > 0 {
		p.wrapped(dim.Render("sheets")+"    ", "also "+strings.Join(others, ", "))
	}
	why := s.About.Why
	switch {
	case s.About.HeaderLast > s.About.HeaderFirst:
		why = fmt.Sprintf("rows %d and %d: %s", s.About.HeaderFirst, s.About.HeaderLast, why)
	case s.About.HeaderFirst > 0:
		why = fmt.Sprintf("row %d: %s", s.About.HeaderFirst, why)
	}
	p.wrapped(dim.Render("header")+"    ", why)
	p.line("")
	p.line("%s", p.columns(s))
	p.line("")
	for _, c := range s.Columns {
		if c.Dates != "" {
			p.wrapped(dim.Render("dates")+"     ", c.Header+": "+c.Dates)
		}
	}
	p.surveyKeys(s)
	p.oddities(s)
	if s.Found.Len()+len(s.Passed) > 0 {
		p.line("")
		p.line("%s", bold.Render("in its text, tables included"))
		p.found(s)
		return
	}
	p.line("")
	if s.Path != "-" {
		p.line("%s", dim.Render("write a first intake for it: almanach draft "+quoted(s.Path)))
	}
}

// quoted writes a word as a shell takes it.
func quoted(s string) string {
	if strings.ContainsAny(s, " '\"()&;") {
		return strconv.Quote(s)
	}
	return s
}

func filledColumns(s *job.Survey) int {
	n := 0
	for _, c := range s.Columns {
		if c.Filled > 0 || c.Header != "" {
			n++
		}
	}
	return n
}

func (p *Printer) columns(s *job.Survey) string {
	t := plainTable("", "column", "kind", "filled", "different", "suits", "for example")
	for _, c := range s.Columns {
		if c.Filled == 0 && c.Header == "" {
			continue
		}
		suits := ""
		if c.Field != "" {
			suits = c.Field + ", " + c.Sure
		}
		different := grouped(c.Distinct)
		if s.Sampled < s.Rows {
			different += "+"
		}
		t.Row(c.Letter, c.Header, c.Kind, s.Share(c), different, suits, strings.Join(c.Samples, " · "))
	}
	return p.cut(t.String())
}

// plainTable is a table with a dim header and no lines.
func plainTable(headers ...string) *table.Table {
	dimmed := make([]string, len(headers))
	for i, h := range headers {
		dimmed[i] = dim.Render(h)
	}
	return table.New().Border(lipgloss.HiddenBorder()).BorderTop(false).BorderBottom(false).BorderLeft(false).BorderRight(false).BorderColumn(false).BorderHeader(false).
		StyleFunc(func(int, int) lipgloss.Style { return lipgloss.NewStyle().PaddingRight(2) }).Headers(dimmed...)
}

// cut takes a table's lines down to the width of the terminal.
func (p *Printer) cut(text string) string {
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		lines[i] = strings.TrimRight(l, " ")
		if p.Width > 0 {
			lines[i] = ansi.Truncate(lines[i], p.Width, "…")
		}
	}
	return strings.TrimRight(strings.Join(lines, "\n"), "\n ")
}

func (p *Printer) surveyKeys(s *job.Survey) {
	name := func(k survey.Key) string { return strings.Join(k.Columns, " and ") }
	lead := func(first bool) string {
		if first {
			return dim.Render("key") + "       "
		}
		return "          "
	}
	lines := 0
	say := func(k survey.Key, text string) {
		p.wrapped(lead(lines == 0), pad(name(k), 14)+"  "+text)
		lines++
	}
	near := func() {
		for _, k := range s.Near {
			var why []string
			for _, d := range k.Doubles {
				why = append(why, "the same in "+rowList(d))
			}
			if len(k.Doubles) == 3 {
				why = append(why, fmt.Sprintf("%d rows in all", k.Twice))
			}
			if k.Blank > 0 {
				why = append(why, fmt.Sprintf("empty in %s", Counted(k.Blank, "row")))
			}
			say(k, alarm.Render("nearly")+": "+strings.Join(why, "; "))
		}
	}
	whole := func() {
		for _, k := range s.Keys {
			say(k, good.Render("different in every row"))
		}
	}
	switch {
	case len(s.Keys)+len(s.Near) == 0:
		p.wrapped(lead(true), alarm.Render("no column, and no few together, are filled and different in every row"))
	case len(s.Keys) > 0 && len(s.Keys[0].Columns) == 1:
		whole()
		near()
	default: // one column that a few rows spoil is more worth than several together
		near()
		whole()
	}
	if s.Sampled < s.Rows {
		p.wrapped("          ", dim.Render(fmt.Sprintf("keys and different values: judged by the first %s rows", grouped(s.Sampled))))
	}
}

// oddities are the parts of a table that a clerk must know of.
func (p *Printer) oddities(s *job.Survey) {
	var out []string
	if len(s.Totals) > 0 {
		out = append(out, rowList(s.Totals)+" only sums up the others and is left out")
	}
	if s.About.HiddenRows > 0 {
		out = append(out, Counted(s.About.HiddenRows, "hidden row")+" left out")
	}
	if len(s.About.HiddenColumns) > 0 {
		out = append(out, "hidden columns left out: "+strings.Join(s.About.HiddenColumns, ", "))
	}
	if s.About.Merged > 0 {
		out = append(out, Counted(s.About.Merged, "merged range")+": what one shows stands for all of its cells")
	}
	for _, c := range s.Carried {
		out = append(out, c+" seems to be written once and left blank below (fill_down: ["+c+"])")
	}
	out = append(out, s.About.Notes...)
	for _, o := range out {
		p.wrapped(dim.Render("note")+"      ", o)
	}
}

// Draft shows an intake just written.
func (p *Printer) Draft(path, text string) {
	p.line("%s", good.Render("written to "+path))
	p.line("")
	for line := range strings.Lines(text) {
		line = strings.TrimRight(line, "\n")
		if i := strings.Index(line, "#"); i >= 0 {
			line = line[:i] + dim.Render(line[i:])
		}
		p.line("%s", line)
	}
}

// foundJSON is an event found in running text.
type foundJSON struct {
	Row      *rowJSON `json:"row"`
	When     string   `json:"when"`
	What     string   `json:"what"`
	Where    string   `json:"where"`
	Who      string   `json:"who"`
	Status   string   `json:"status,omitempty"`
	Held     string   `json:"held,omitempty"`
	FromText string   `json:"from_text"`
}

type surveyJSON struct {
	File   string         `json:"file"`
	Sheet  string         `json:"sheet"`
	Sheets []source.Sheet `json:"sheets"`
	Format string         `json:"format"`
	Header struct {
		First int    `json:"first"`
		Last  int    `json:"last"`
		Why   string `json:"why"`
	} `json:"header"`
	HiddenRows    int      `json:"hidden_rows"`
	HiddenColumns []string `json:"hidden_columns"`
	Merged        int      `json:"merged"`
	Notes         []string `json:"notes"`
	*survey.Survey
	Found  []foundJSON  `json:"found,omitempty"`
	Passed []passedJSON `json:"passed_over,omitempty"`
}

// SurveyJSON gives the JSON form of a survey.
func SurveyJSON(s *job.Survey) any {
	out := surveyJSON{File: s.Origin.File, Sheet: s.Origin.Sheet, Sheets: append([]source.Sheet{}, s.Sheets...), Format: s.About.Format, HiddenRows: s.About.HiddenRows, HiddenColumns: list(s.About.HiddenColumns), Merged: s.About.Merged, Notes: list(s.About.Notes), Survey: s.Survey}
	out.Header.First, out.Header.Last, out.Header.Why = s.About.HeaderFirst, s.About.HeaderLast, s.About.Why
	for _, r := range s.Found.All() {
		one := foundJSON{Row: placeJSON(r.Place()), When: r.Cell(1).Text, What: r.Cell(3).Text, Where: r.Cell(4).Text, Who: r.Cell(5).Text, Status: r.Cell(6).Text, FromText: r.Evidence.Text}
		if r.Evidence.Held != nil {
			one.Held = r.Evidence.Held.Reason()
		}
		out.Found = append(out.Found, one)
	}
	for _, o := range s.Passed {
		out.Passed = append(out.Passed, passedJSON{placeJSON(o.Place), o.Text, o.Why})
	}
	s.Carried = list(s.Carried)
	if s.Totals == nil {
		s.Totals = []int{}
	}
	if s.Keys == nil {
		s.Keys = []survey.Key{}
	}
	if s.Near == nil {
		s.Near = []survey.Key{}
	}
	return out
}

// list gives an empty list for none, as JSON's readers expect.
func list(s []string) []string {
	if s == nil {
		return []string{}
	}
	return s
}
