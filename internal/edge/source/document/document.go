// Package document reads documents: their running text, in which package notice
// finds events, and their tables. A document gives its tables as tables, or, with
// no key to tell their rows apart, as lines of labels among its text.
package document

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/notice"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

// Doc is a document as it was read.
type Doc struct {
	Format string
	Parts  []Part
	Notes  []string
}

// Part is a line or a table of a document, whichever it is.
type Part struct {
	Line  notice.Line
	Table *Table

	bold bool // the whole of the line is
}

// headings makes headings of the short paragraphs that are bold from end to end.
func (d *Doc) headings() {
	for i := range d.Parts {
		l := &d.Parts[i].Line
		if d.Parts[i].bold && l.Level == 0 && !l.Item && len(l.Text) < 90 && !strings.ContainsAny(l.Text[max(0, len(l.Text)-1):], ".,;?!") {
			l.Level = 5
		}
	}
}

// Columns are the columns of what was found in running text.
var Columns = table.Header{"Key", "When", "Zone", "What", "Where", "Who", "Status", "Heading", "Text", "Page", "Line", "Repeat", "Except", "Sequence"}

// Book gives a document as a book of sheets: its text, or its tables.
func Book(d *Doc, o sheet.Options, end func() error) (sheet.Book, error) {
	b := &book{doc: d, o: o, end: end}
	d.headings()
	for _, p := range d.Parts {
		if p.Table != nil && len(p.Table.Rows) > 1 {
			b.tables = append(b.tables, p.Table)
		}
	}
	switch {
	case o.Text.Read == "tables" && len(b.tables) == 0:
		return nil, fault.Newf("has no table").At(fault.Place{File: o.Name}).Do("leave out read: tables, so that its text is read")
	case o.Text.Read == "tables" || o.Text.Read == "" && !o.Text.Free && len(b.tables) > 0:
		b.asTables = true
	}
	return b, nil
}

type book struct {
	doc      *Doc
	o        sheet.Options
	tables   []*Table
	asTables bool
	end      func() error
}

func (b *book) Sheets() []sheet.Info {
	if !b.asTables {
		return []sheet.Info{{}}
	}
	out := make([]sheet.Info, len(b.tables))
	for i := range out {
		out[i].Name = strconv.Itoa(i + 1)
	}
	if len(out) == 1 {
		out[0].Name = ""
	}
	return out
}

func (b *book) Close() error {
	if b.end == nil {
		return nil
	}
	return b.end()
}

func (b *book) Open(i int) (sheet.Raw, error) {
	set := notice.Settings{Present: b.o.Text.Present, Year: b.o.Text.Year, Order: b.o.Text.Order, Next: b.o.Text.Next, Stop: b.o.Budget.Done, Named: moment.NamedYear(b.o.Name)}
	if b.asTables {
		notes := b.doc.Notes
		if b.o.Text.Read == "" { // nobody chose tables: what the text says is not to go unsaid
			if n := len(notice.Read(b.doc.lines(false), set).Events); n > 0 {
				notes = append(slices.Clone(notes), fmt.Sprintf("its tables are read, and not its text, in which %d more seem to be; read: text in the intake reads that", n))
			}
		}
		return &cells{from: &table.Origin{File: b.o.Name, Sheet: b.Sheets()[i].Name}, table: b.tables[i], format: b.doc.Format, notes: notes}, nil
	}
	found := notice.Read(b.doc.lines(b.o.Text.Read != "text"), set)
	if err := b.o.Budget.Check(); err != nil {
		return nil, err
	}
	rows := NewRows(b.doc.Format, b.o)
	rows.Notes = b.doc.Notes
	from := &table.Origin{File: b.o.Name}
	rows.Add(from, found, DocumentKeys(found.Events), "")
	return rows, nil
}

// cells is a table of a document as a raw sheet.
type cells struct {
	sheet.Plain
	from   *table.Origin
	table  *Table
	format string
	notes  []string
	at     int
}

func (c *cells) Origin() *table.Origin { return c.from }
func (c *cells) Close() error          { return nil }
func (c *cells) About(x *sheet.About)  { x.Format, x.Notes = c.format, append(x.Notes, c.notes...) }

func (c *cells) Next() (table.Row, error) {
	if c.at == len(c.table.Rows) {
		return table.Row{}, io.EOF
	}
	row := table.Row{Origin: c.from, Number: int32(c.at + 1), Page: int32(c.table.Page), Cells: c.table.Rows[c.at]}
	if c.table.Lines != nil {
		row.Line = int32(c.table.Lines[c.at])
	}
	c.at++
	return row, nil
}

// Lines gives the text of a document, its tables as lines of labels.
func (d *Doc) Lines() []notice.Line { return d.lines(true) }

// lines gives the text of a document, its tables as lines of labels.
func (d *Doc) lines(tables bool) (out []notice.Line) {
	for _, p := range d.Parts {
		switch {
		case p.Table == nil:
			out = append(out, p.Line)
		case tables || len(p.Table.Rows) < 2: // one row is no table
			out = append(out, p.Table.lines()...)
		}
	}
	return out
}

// Rows are events found in running text as the rows of a sheet.
type Rows struct {
	sheet.Plain
	Notes  []string
	format string
	o      sheet.Options
	first  *table.Origin
	rows   []table.Row
	passed []table.Passed
	at     int
}

// NewRows begins the rows of a text.
func NewRows(format string, o sheet.Options) *Rows {
	return &Rows{format: format, o: o, first: &table.Origin{File: o.Name}}
}

// Add adds what was found in a text. keys has a key for each event, zone is the
// name of the zone that its times are in, "" for the desk's.
func (r *Rows) Add(from *table.Origin, found notice.Found, keys []string, zone string) {
	for n := range found.Events {
		r.AddEvent(from, &found.Events[n], keys[n], zone, nil)
	}
	r.AddPassed(from, found.Passed)
}

// AddPassed adds dates that belong to no event.
func (r *Rows) AddPassed(from *table.Origin, passed []notice.Passed) {
	for _, p := range passed {
		r.passed = append(r.passed, table.Passed{Place: fault.Place{File: from.File, Page: p.Page, Line: p.Line, Message: from.Message}, Text: p.Text, Why: p.Why})
	}
}

// AddEvent adds one event.
func (r *Rows) AddEvent(from *table.Origin, e *notice.Event, key, zone string, course []string, more ...string) {
	status := ""
	if e.Cancelled {
		status = "cancelled"
	}
	if e.What == "" && e.Held == nil && !e.Cancelled {
		e.Held = fault.New(fault.Shorten(e.Text, 80), "says when, and not what").Do("write a title beside it or above it, or use almanach jot")
	}
	evidence := &table.Evidence{Text: e.Text, Notes: e.Notes, Held: e.Held, Cancelled: e.Cancelled, Course: course}
	for _, p := range e.Reading {
		evidence.Reading = append(evidence.Reading, table.Reading(p))
	}
	if zone == "" && e.Zone != "" {
		zone = e.Zone
	}
	switch zone {
	case "local":
		zone = ""
	case "MEZ":
		zone = "CET"
	case "MESZ":
		zone = "CEST"
	}
	row := table.Row{Origin: from, Number: int32(len(r.rows) + 1), Line: int32(e.Line), Page: int32(e.Page), Evidence: evidence}
	for _, text := range append([]string{key, e.When(), zone, e.What, e.Where, strings.Join(e.Who, ", "), status, e.Heading, e.Text, number(e.Page), number(e.Line)}, more...) {
		c := table.Cell{Text: text}
		if text != "" {
			c.Kind = table.Text
		}
		row.Cells = append(row.Cells, c)
	}
	r.rows = append(r.rows, row)
}

// AddInvitation adds an event of an invitation.
func (r *Rows) AddInvitation(from *table.Origin, e *notice.Event, key, zone, repeat, except string, sequence int) {
	r.AddEvent(from, e, key, zone, nil, repeat, except, strconv.Itoa(sequence))
}

func number(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// Names implements sheet.Named.
func (r *Rows) Names() table.Header { return append(table.Header(nil), Columns...) }

// Origin implements sheet.Raw.
func (r *Rows) Origin() *table.Origin { return r.first }

// Close implements sheet.Raw.
func (r *Rows) Close() error { return nil }

// About implements sheet.Raw.
func (r *Rows) About(x *sheet.About) {
	x.Format, x.Why, x.Running, x.Passed = r.format, "what was found in the text", true, r.passed
	x.Notes = append(x.Notes, r.Notes...)
}

// Next implements sheet.Raw.
func (r *Rows) Next() (table.Row, error) {
	if r.at == len(r.rows) {
		return table.Row{}, io.EOF
	}
	r.at++
	return r.rows[r.at-1], r.o.Budget.Row(r.rows[r.at-1])
}

// DocumentKeys gives each event of a document a key of its own: its heading and
// what it says, without the numbers of either; where several say the same, their
// order among themselves. What cancels an event of the same day is about that one.
func DocumentKeys(events []notice.Event) []string {
	out := make([]string, len(events))
	alike := map[string][]int{}
	for n, e := range events {
		base := strings.TrimLeft(Wordy(e.Heading)+" / "+strings.Join(strings.Fields(e.What), " "), " /")
		if e.Where != "" {
			base += " / " + e.Where
		}
		base = cmp.Or(base, Wordy(e.Text), "untitled")
		id := strings.ToLower(base)
		of := slices.IndexFunc(alike[id], func(i int) bool {
			return events[i].Cancelled != e.Cancelled && dayOf(events[i].Start).Equal(dayOf(e.Start))
		})
		if of >= 0 {
			out[n] = out[alike[id][of]]
			continue
		}
		alike[id] = append(alike[id], n)
		out[n] = base
		if count := len(alike[id]); count > 1 {
			out[n] = fmt.Sprintf("%s (%d)", base, count)
		}
	}
	return out
}

func dayOf(t time.Time) time.Time { return t.Truncate(24 * time.Hour) }

// Wordy gives a text without its numbers: "Notice 12/2026" and "Notice 13/2026"
// are one.
func Wordy(text string) string {
	var out []string
	for _, w := range strings.Fields(text) {
		if !strings.ContainsFunc(w, unicode.IsDigit) && strings.ContainsFunc(w, unicode.IsLetter) {
			out = append(out, w)
		}
	}
	return strings.Join(out, " ")
}
