package show

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/charmbracelet/x/ansi"

	"almanach/internal/core/extract"
	"almanach/internal/core/fault"
	"almanach/internal/core/reconcile"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// rangeText gives both ends of a range in RFC 3339, the end being the last
// second that is in it.
func rangeText(r job.Range) (from, to string) {
	view := r.View
	if view == nil {
		view = zone.UTC
	}
	return zone.In(view, view.Wall(r.From)).RFC3339(), zone.In(view, view.Wall(r.To-1)).RFC3339()
}

// days writes a range of whole days, or of times, for a person.
func days(r job.Range) string {
	a, b := zone.Civil(r.View.Wall(r.From)), zone.Civil(r.View.Wall(r.To))
	if a.Hour()+a.Minute()+b.Hour()+b.Minute() == 0 {
		b = b.AddDate(0, 0, -1)
		if a.Equal(b) {
			return Day(a)
		}
		return shortRange(a, b)
	}
	return Day(a) + a.Format(" 15:04") + " – " + Day(b) + b.Format(" 15:04")
}

// Extract writes occurrences as a table, day by day.
func (p *Printer) Extract(x *job.Extract, columns []string) {
	cancelled := 0
	for i := range x.Rows {
		if x.Rows[i].Status() == "cancelled" {
			cancelled++
		}
	}
	said := Counted(len(x.Rows), "occurrence")
	switch {
	case x.Found > len(x.Rows):
		said = fmt.Sprintf("%s of the %s that were asked for", Counted(len(x.Rows), "occurrence"), grouped(x.Found))
	case x.Found < x.All:
		said = fmt.Sprintf("%s of %s in the range", Counted(len(x.Rows), "occurrence"), grouped(x.All))
	default:
		said += fmt.Sprintf(", of %s (%d of them repeating)", Counted(x.Events, "event"), x.Series)
	}
	if cancelled > 0 {
		said += fmt.Sprintf(", %s cancelled", grouped(cancelled))
	}
	p.line("%s   %s   %s", bold.Render(days(x.Range)), said, dim.Render("times in "+x.Range.View.Name()))
	if len(x.Rows) > 0 {
		p.line("")
		p.line("%s", p.table(x, columns))
	}
	p.Absent(x.Absent)
	p.faults(x.Faults)
}

// Absent says which files of calendars are not there.
func (p *Printer) Absent(files []string) {
	for _, file := range files {
		p.line("%s", alarm.Render(file+" does not exist yet: the calendar counts as empty"))
	}
}

func (p *Printer) faults(faults []*fault.Fault) {
	if len(faults) == 0 {
		return
	}
	p.line("")
	p.heading(alarm, "damaged", "left as it is; what could be read is above")
	for _, f := range faults {
		p.wrapped("  ", f.Error())
	}
}

// DefaultColumns are what a table on screen shows.
var DefaultColumns = []string{"day", "time", "title", "location", "calendar"}

func (p *Printer) table(x *job.Extract, columns []string) string {
	if len(columns) == 0 {
		columns = DefaultColumns
		for _, r := range x.Rows {
			if r.Status() != "" && r.Status() != "confirmed" {
				columns = append(columns[:len(columns):len(columns)], "status")
				break
			}
		}
	}
	t := plainTable(columns...)
	last := ""
	for i := range x.Rows {
		r := x.Rows[i]
		cells := make([]string, len(columns))
		for n, c := range columns {
			cells[n] = fault.Shorten(p.cell(r, c, x.Range.View), 60)
			if c == "day" {
				if cells[n] == last {
					cells[n] = ""
				} else {
					if last != "" && columns[0] == "day" { // a line between days
						t.Row()
					}
					last = cells[n]
				}
			}
		}
		if r.Status() == "cancelled" {
			for n, c := range columns {
				if c != "day" {
					cells[n] = dim.Render(cells[n])
				}
			}
		}
		t.Row(cells...)
	}
	return p.cut(t.String())
}

// cell gives a column of a row as the table shows it: times on the clock of
// the page.
func (p *Printer) cell(r extract.Row, column string, view *zone.Zone) string {
	start, end := zone.Civil(r.Span.Start.InZone(view).Wall), zone.Civil(r.Span.EndThere().InZone(view).Wall)
	switch column {
	case "day":
		return Day(start)
	case "time":
		return timeOfDay(r, start, end)
	case "start":
		if r.Span.AllDay() {
			return Day(start)
		}
		return Day(start) + start.Format(" 15:04")
	case "status":
		if r.Status() == "confirmed" { // as every event is that says nothing else
			return ""
		}
	case "end":
		if r.Span.AllDay() {
			return Day(zone.Civil(r.Span.LastDay().Wall))
		}
		return Day(end) + end.Format(" 15:04")
	}
	return r.Value(column)
}

func timeOfDay(r extract.Row, start, end time.Time) string {
	switch {
	case r.Span.AllDay():
		if last := zone.Civil(r.Span.LastDay().Wall); !last.Equal(start) {
			return "all day, to " + last.Format("Mon 2 Jan")
		}
		return "all day"
	case start.Equal(end):
		return start.Format("15:04")
	case start.Format(time.DateOnly) == end.Format(time.DateOnly):
		return start.Format("15:04–") + end.Format("15:04")
	}
	return start.Format("15:04 – ") + end.Format("Mon 2 Jan 15:04")
}

// CSV writes occurrences as comma-separated values, a header first. A value that
// a spreadsheet would take for a formula has an apostrophe in front.
func CSV(w io.Writer, rows []extract.Row, columns []string) error {
	return values(w, ',', columns, len(rows), func(i int, record []string) []string {
		for _, c := range columns {
			record = append(record, harmless(rows[i].Value(c)))
		}
		return record
	})
}

// values writes a header and n records with a sign between their values. record appends
// the values of one; several are made side by side.
func values(w io.Writer, sign rune, header []string, n int, record func(i int, record []string) []string) error {
	type part struct {
		text bytes.Buffer
		err  error
	}
	parts, err := job.InParts(context.Background(), n+1, 4096, func() func(from, to int) *part {
		var values []string
		return func(from, to int) *part {
			var p part
			p.text.Grow((to - from) * 160) // as long as most records are
			out := csv.NewWriter(&p.text)
			out.Comma, out.UseCRLF = sign, true
			for i := from; i < to && p.err == nil; i++ {
				line := header
				if i > 0 {
					values = record(i-1, values[:0])
					line = values
				}
				p.err = out.Write(line)
			}
			out.Flush()
			p.err = cmp.Or(p.err, out.Error())
			return &p
		}
	})
	for _, p := range parts {
		if err = cmp.Or(err, p.err); err == nil {
			_, err = p.text.WriteTo(w)
		}
	}
	return err
}

// ExtractJSON gives the JSON form of occurrences: the fixed one, or objects of
// just these columns.
func ExtractJSON(rows []extract.Row, columns []string) any {
	if len(columns) == 0 {
		return append([]extract.Row{}, rows...) // [] rather than null
	}
	out := make([]columnsJSON, len(rows))
	for i := range rows {
		out[i] = columnsJSON{rows[i], columns}
	}
	return out
}

type columnsJSON struct {
	row     extract.Row
	columns []string
}

// MarshalJSON keeps the columns in the order in which they were asked for.
func (c columnsJSON) MarshalJSON() ([]byte, error) {
	b := []byte{'{'}
	fields := c.row.Fields()
	for i, name := range c.columns {
		var value any = c.row.Value(name)
		switch name {
		case "all_day":
			value = fields.AllDay
		case "categories":
			value = fields.Categories
		case "attendees":
			value = fields.Attendees
		}
		text, err := json.Marshal(value)
		if err != nil {
			return nil, err
		}
		if i > 0 {
			b = append(b, ',')
		}
		b = append(strconv.AppendQuote(b, name), ':')
		b = append(b, text...)
	}
	return append(b, '}'), nil
}

// Reconcile writes both sides' totals and every finding.
func (p *Printer) Reconcile(r *job.Reconciliation) {
	p.line("%s   %s  ↔  %s   %s", bold.Render(r.Intake), sources(r.Sources), bold.Render(places(r.Calendars)), days(r.Range))
	s, c := r.Totals.Source, r.Totals.Calendar
	tally := func(side string, total string, parts ...any) {
		var out []string
		for i := 0; i < len(parts); i += 2 {
			n, word := parts[i].(int), parts[i+1].(reconcile.Kind)
			if n == 0 && word != reconcile.Agrees {
				continue
			}
			text := fmt.Sprintf("%s %s", grouped(n), plural(word, n))
			if word != reconcile.Agrees {
				text = alarm.Render(text)
			} else {
				text = good.Render(text)
			}
			out = append(out, text)
		}
		p.line("%s %s: %s", pad(side, 9), total, strings.Join(out, ", "))
	}
	tally("source", Counted(s.Rows, "row"), s.Agrees, reconcile.Agrees, s.Differs, reconcile.Differs, s.Missing, reconcile.Missing, s.Held, reconcile.Held)
	tally("calendar", Counted(c.Events, "event"), c.Agrees, reconcile.Agrees, c.Differs, reconcile.Differs, c.Stray, reconcile.Stray, c.Gone, reconcile.Gone, c.Twin, reconcile.Twin)
	if c.Occurrences != c.Events {
		p.line("%s %s, every repetition counted", pad("", 9), Counted(c.Occurrences, "occurrence"))
	}
	if r.Endless {
		p.line("%s a series has no end: it is compared for a year from today", pad("", 9))
	}
	for _, n := range r.Remarks {
		p.wrapped(dim.Render("source")+"   ", n)
	}
	var last reconcile.Kind
	keyWidth, whereWidth := 0, map[reconcile.Kind]int{}
	var findings []job.Finding
	var places []string
	for at, same := 0, 0; at < len(r.Findings); at += same {
		f := r.Findings[at]
		rows := []fault.Place{f.Place}
		for same = 1; f.Kind == reconcile.Held && f.Key != "" && at+same < len(r.Findings); same++ { // rows held together are one line
			next := r.Findings[at+same]
			if next.Kind != f.Kind || next.Key != f.Key || next.Reason != f.Reason {
				break
			}
			rows = append(rows, next.Place)
		}
		place := where(r.Sources, rows...)
		findings, places = append(findings, f), append(places, place)
		keyWidth = max(keyWidth, min(28, ansi.StringWidth(f.Key)))
		whereWidth[f.Kind] = max(8, whereWidth[f.Kind], ansi.StringWidth(place))
	}
	for i, f := range findings {
		if f.Kind != last {
			p.line("")
			p.heading(alarm, string(f.Kind), map[reconcile.Kind]string{reconcile.Missing: "in the source, not in the calendar", reconcile.Stray: "in the calendar, not from this source", reconcile.Gone: "in the calendar, its row is not in the source", reconcile.Differs: "", reconcile.Held: "cannot be compared until the source is corrected", reconcile.Twin: "two events that look like one"}[f.Kind])
			last = f.Kind
		}
		p.finding(f, pad(places[i], whereWidth[f.Kind]), keyWidth, r.Zone)
	}
	p.faults(r.Faults)
	p.line("")
	if !r.Left() {
		p.line("%s", good.Render("source and calendar agree, line by line"))
	}
	p.line("%s", dim.Render("times in "+r.Zone))
}

func plural(k reconcile.Kind, n int) string {
	if n != 1 {
		switch k {
		case reconcile.Agrees:
			return "agree"
		case reconcile.Differs:
			return "differ"
		}
	}
	return string(k)
}

func (p *Printer) finding(f job.Finding, where string, keyWidth int, page string) {
	lead := "  " + where + "  " + pad(fault.Shorten(f.Key, 28), keyWidth) + "  "
	if f.Kind == reconcile.Held {
		p.wrapped(lead, f.Reason)
		return
	}
	text := fault.Shorten(f.Title, 80)
	if len(f.Fields) == 0 {
		text += "   " + Span(f.Event.When, page)
		if f.Kind == reconcile.Gone || f.Kind == reconcile.Twin || f.Kind == reconcile.Stray {
			text += dim.Render("   " + f.Reason)
		}
	}
	p.wrapped(lead, text)
	width := 0
	for _, d := range f.Fields {
		width = max(width, len(d.Field))
	}
	for _, d := range f.Fields {
		p.wrapped(strings.Repeat(" ", ansi.StringWidth(lead))+pad(d.Field, width)+"  ", "source "+value(d.Wanted, d.Time)+"   calendar "+value(d.Calendar, d.Time))
	}
}
