// Package show turns what a job found into text for a person and JSON for a
// program. Text is calm: totals first, then what needs attention, then how to see
// the rest.
package show

import (
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/charmbracelet/x/ansi"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/rule"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// Printer writes for a person. W is a Screen, or what is read by one later.
// Width 0 means that lines may be of any length.
type Printer struct {
	W     io.Writer
	Width int
}

func (p *Printer) line(format string, args ...any) {
	fmt.Fprintln(p.W, strings.TrimRight(fmt.Sprintf(format, args...), " "))
}

// wrapped writes a line that begins with lead and whose text goes on below
// its own beginning when the terminal is too narrow.
func (p *Printer) wrapped(lead, text string) {
	indent := ansi.StringWidth(lead)
	if p.Width > indent+20 {
		const unbroken = "\ue0fe" // keys and options are not broken at their hyphens
		text = ansi.Wordwrap(strings.ReplaceAll(text, "-", unbroken), p.Width-indent-1, "")
		text = strings.ReplaceAll(strings.ReplaceAll(text, unbroken, "-"), "\n", "\n"+strings.Repeat(" ", indent))
	}
	p.line("%s%s", lead, text)
}

// heading opens a group of lines.
func (p *Printer) heading(style style, word, remark string) {
	p.line("%s", style.Render(word)+map[bool]string{true: "    " + dim.Render(remark)}[remark != ""])
}

// Fault writes a problem that stopped the program: the sentence, the line of
// the settings file it stands in, and what to do.
func (p *Printer) Fault(f *fault.Fault) {
	advice := f.Advice
	plain := *f
	plain.Advice = ""
	p.wrapped(wrong.Render("almanach:")+" ", plain.Error())
	if f.Excerpt != "" {
		p.line("%s", f.Excerpt)
	}
	if advice != "" {
		p.wrapped("  ", advice)
	}
}

// Counted gives "1 row" or "3 rows".
func Counted(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	if stem, ok := strings.CutSuffix(one, "y"); ok {
		return grouped(n) + " " + stem + "ies"
	}
	return grouped(n) + " " + one + "s"
}

// grouped writes a number with its thousands apart.
func grouped(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// sources names the files or sheets that were read.
func sources(s job.Sources) string {
	names := make([]string, len(s))
	for i, o := range s {
		names[i] = o.File
		if o.Sheet != "" {
			names[i] += ", sheet " + o.Sheet
		}
	}
	if len(names) > 3 {
		names = append(names[:2], fmt.Sprintf("%d more", len(names)-2))
	}
	return strings.Join(names, "; ")
}

// where says in which rows something stands, and of several files or sheets in
// which; what has no row says nothing.
func where(s job.Sources, places ...fault.Place) string {
	switch at := places[0]; {
	case at.Message != "":
		return filepath.Base(at.File)
	case at.Row == 0 && at.Page > 0:
		return fmt.Sprintf("page %d, line %d", at.Page, at.Line)
	case at.Row == 0 && at.Line > 0:
		return fmt.Sprintf("line %d", at.Line)
	}
	oneFile := !slices.ContainsFunc(s, func(o table.Origin) bool { return o.File != s[0].File })
	var parts []string
	for from := 0; from < len(places) && places[from].Row > 0; {
		at := places[from]
		var rows []int
		for from < len(places) && places[from].File == at.File && places[from].Sheet == at.Sheet {
			rows = append(rows, places[from].Row)
			from++
		}
		text := rowList(rows)
		switch {
		case len(s) < 2:
		case oneFile:
			text = at.Sheet + " " + text
		default:
			text = strings.TrimSpace(filepath.Base(at.File)+" "+at.Sheet) + " " + text
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, ", ")
}

// rowList writes row numbers, many of them shortened.
func rowList(rows []int) string {
	const most = 8
	parts := make([]string, 0, most+1)
	for i, r := range rows {
		if i == most {
			parts = append(parts, fmt.Sprintf("… %d in all", len(rows)))
			break
		}
		parts = append(parts, strconv.Itoa(r))
	}
	if len(rows) == 1 {
		return "row " + parts[0]
	}
	return "rows " + strings.Join(parts, ", ")
}

// Span writes when an event is, with weekday, and with the zone where it is
// not the one the page is in.
func Span(s event.Span, page string) string {
	start, end := zone.Civil(s.Start.Wall), zone.Civil(s.EndThere().Wall)
	var text string
	switch {
	case s.AllDay():
		last := zone.Civil(s.LastDay().Wall)
		text = Day(start)
		if last != start {
			text = shortRange(start, last)
		}
		text += ", all day"
	case end.Equal(start):
		text = Day(start) + start.Format(" 15:04")
	case start.Format(time.DateOnly) == end.Format(time.DateOnly):
		text = Day(start) + start.Format(" 15:04–") + end.Format("15:04")
	default:
		text = Day(start) + start.Format(" 15:04 – ") + end.Format("Mon 2 Jan 15:04")
	}
	if z := s.Start.ZoneName(); z != "" && z != page {
		text += " " + z
	}
	if s.Rule != "" {
		words := "repeats"
		if r, err := rule.Parse(s.Rule); err == nil {
			words = r.Describe()
		}
		text += ", " + words
	} else if len(s.Extra) > 0 {
		text += ", repeats"
	}
	if n := len(s.Except); n > 0 {
		text += ", but " + Counted(n, "date")
	}
	return text
}

// Day writes a date with its weekday.
func Day(t time.Time) string { return t.Format("Mon 2 Jan 2006") }

func shortRange(a, b time.Time) string {
	switch {
	case a.Year() != b.Year():
		return Day(a) + " – " + Day(b)
	case a.Month() != b.Month():
		return a.Format("Mon 2 Jan – ") + Day(b)
	}
	return a.Format("Mon 2 – ") + Day(b)
}

// instant writes an RFC 3339 text of a difference for a person.
func instant(s string) string {
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		text := Day(t) + t.Format(" 15:04")
		if strings.HasSuffix(s, "Z") {
			text += " UTC"
		}
		return text
	}
	if t, err := time.Parse("2006-01-02T15:04:05", s); err == nil {
		return Day(t) + t.Format(" 15:04")
	}
	if t, err := time.Parse(time.DateOnly, s); err == nil {
		return Day(t)
	}
	return s
}

// value writes one side of a difference on one line.
func value(s string, isTime bool) string {
	if isTime {
		return instant(s)
	}
	if s == "" {
		return "(empty)"
	}
	return fault.Shorten(s, 60)
}

// pad fills s up to a width on screen.
func pad(s string, width int) string {
	return s + strings.Repeat(" ", max(0, width-ansi.StringWidth(s)))
}

// Gap writes a blank line between two reports.
func (p *Printer) Gap() { p.line("") }

// Say writes a paragraph.
func (p *Printer) Say(text string) { p.wrapped("", text) }

// Step writes the number of a step and why it is done.
func (p *Printer) Step(number, why string) { p.wrapped(bold.Render(number), why) }

// Command writes a command line as one would type it.
func (p *Printer) Command(line string) {
	p.line("")
	p.line("%s", accent.Render("$ "+line))
	p.line("")
}

// places names the calendars rows go to.
func places(names []string) string {
	switch n := len(names); {
	case n == 0:
		return "no calendar"
	case n == 1:
		return names[0]
	case n > 5:
		return strings.Join(names[:4], ", ") + fmt.Sprintf(" and %d more", n-4)
	default:
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
}
