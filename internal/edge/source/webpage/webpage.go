// Package webpage reads the tables of a web page.
package webpage

import (
	"bytes"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
)

// blocks are the elements with which a web page, or a part of one, begins, and inlines those
// that stand in lines of plain text as well.
var (
	blocks  = []string{"html", "head", "body", "meta", "title", "style", "script", "table", "thead", "tbody", "tr", "p", "div", "h1", "h2", "h3", "h4", "h5", "h6", "ul", "ol", "li", "dl", "hr", "center", "pre", "blockquote", "article", "section", "main", "header", "form"}
	inlines = []string{"a", "b", "br", "em", "font", "i", "img", "small", "span", "strong", "u"}
)

// Known tells whether an element is one of web pages.
func Known(element string) bool {
	return slices.Contains(blocks, element) || slices.Contains(inlines, element)
}

// Is tells whether a text is a web page, or a part of one.
func Is(lead []byte) bool {
	element := text.Element(lead)
	if slices.Contains(blocks, element) {
		return true
	}
	if slices.Contains(inlines, element) { // a page breaks its lines by elements
		return slices.ContainsFunc([]string{"<br", "<p", "<div", "<li", "<td"}, func(mark string) bool { return bytes.Contains(bytes.ToLower(lead), []byte(mark)) })
	}
	if len(lead) == 0 || lead[0] != '<' || element != "" && bytes.HasPrefix(lead, []byte("<?xml")) {
		return false
	}
	lower := bytes.ToLower(lead[:min(len(lead), 64<<10)])
	if at := bytes.IndexByte(lower, '>'); element != "" && at > 0 && bytes.Contains(lower[:at], []byte("xmlns")) {
		return false
	}
	for _, mark := range []string{"<html", "<!doctype html", "<table", "<body"} {
		if bytes.Contains(lower, []byte(mark)) {
			return true
		}
	}
	return false
}

// page is a web page; each of its tables is a sheet.
type page struct {
	text   *text.Source
	budget *sheet.Budget
	name   string
	list   []sheet.Info
	zones  []sheet.ZoneNote // what stands outside of the tables of the zone of their times
}

// Open opens a text as a web page.
func Open(t *text.Source, o sheet.Options) (sheet.Book, error) {
	p := &page{text: t, name: o.Name, budget: o.Budget}
	r, err := t.Start()
	if err != nil {
		return nil, err
	}
	z := newTokens(r)
	caption, script, inside := false, false, 0
	var beside strings.Builder // the text of a block outside of the tables
	noted := func() {
		if text := squeeze(beside.String()); zone.Stated(text) != "" {
			p.zones = append(p.zones, sheet.ZoneNote{Text: text, Zone: zone.Stated(text)})
		}
		beside.Reset()
	}
	for kind := z.Next(); kind != html.ErrorToken; kind = z.Next() {
		switch {
		case kind == html.StartTagToken:
			name, attrs := tagOf(z)
			if !slices.Contains(inline, name) {
				noted()
			}
			script = name == atom.Script || name == atom.Style || name == atom.Title
			if caption = name == atom.Caption && len(p.list) > 0; name == atom.Table {
				p.list = append(p.list, sheet.Info{Name: attrs["id"], Hidden: invisible(attrs)})
				if inside++; inside > maxInside || len(p.list) > sheet.MaxTables {
					return nil, fault.Newf("has more than %d tables, or tables more than %d deep in each other", sheet.MaxTables, maxInside).At(fault.Place{File: o.Name}).Do("save the table that is meant as .csv or .xlsx")
				}
			}
		case kind == html.EndTagToken:
			caption, script = false, false
			name, _ := z.TagName()
			if !slices.Contains(inline, atom.Lookup(name)) {
				noted()
			}
			if atom.Lookup(name) == atom.Table {
				inside = max(0, inside-1)
			}
		case kind == html.TextToken && inside == 0 && !script:
			beside.Write(z.Text())
		case kind == html.TextToken && caption:
			if text := squeeze(string(z.Text())); text != "" {
				p.list[len(p.list)-1].Name = text
			}
		}
	}
	noted()
	if z.Err() != io.EOF {
		return nil, fault.Newf("the page cannot be read: %w", z.Err()).At(fault.Place{File: o.Name})
	}
	if len(p.list) == 0 {
		return nil, fault.Newf("%w", ErrNoTable).At(fault.Place{File: o.Name}).Do("save the table as .csv or .xlsx")
	}
	return p, nil
}

// inline are elements that part no text.
var inline = []atom.Atom{atom.A, atom.Abbr, atom.B, atom.Code, atom.Em, atom.Font, atom.I, atom.Mark, atom.Small, atom.Span, atom.Strong, atom.Time, atom.U}

// ErrNoTable means that a page is text alone.
var ErrNoTable = errors.New("is a page without a table")

// maxInside is how deep tables may lie in each other: pages use them for their
// layout, and no page needs more.
const maxInside = 20

// maxTag bounds what a page may have between two of its signs.
const maxTag = 4 << 20

func newTokens(r io.Reader) *html.Tokenizer {
	z := html.NewTokenizer(r)
	z.SetMaxBuf(maxTag)
	return z
}

func tagOf(z *html.Tokenizer) (atom.Atom, map[string]string) {
	name, more := z.TagName()
	a := atom.Lookup(name)
	attrs := map[string]string{}
	for more {
		var k, v []byte
		k, v, more = z.TagAttr()
		attrs[string(k)] = string(v)
	}
	return a, attrs
}

func invisible(attrs map[string]string) bool {
	_, hidden := attrs["hidden"]
	style := strings.ReplaceAll(strings.ToLower(attrs["style"]), " ", "")
	return hidden || strings.Contains(style, "display:none") || strings.Contains(style, "visibility:hidden")
}

// squeeze makes every run of white space one space.
func squeeze(s string) string { return strings.Join(strings.Fields(s), " ") }

func (p *page) Sheets() []sheet.Info { return p.list }
func (p *page) Close() error         { return p.text.Close() }

func (p *page) Open(i int) (sheet.Raw, error) {
	r, err := p.text.Start()
	if err != nil {
		return nil, err
	}
	t := &htmlTable{tokens: newTokens(r), zones: p.zones, from: &table.Origin{File: p.name, Sheet: p.list[i].Name}, line: 1}
	if t.from.Sheet == "" && len(p.list) > 1 {
		t.from.Sheet = strconv.Itoa(i + 1)
	}
	for n := -1; n < i; {
		kind := t.advance()
		if kind == html.ErrorToken {
			return nil, fault.Newf("the page cannot be read: %w", t.tokens.Err()).At(fault.Place{File: p.name})
		}
		if kind == html.StartTagToken {
			if name, _ := t.tokens.TagName(); atom.Lookup(name) == atom.Table {
				n++
			}
		}
	}
	return t, nil
}

// htmlTable reads one table, forgiving what browsers forgive: cells and rows
// that are not closed.
type htmlTable struct {
	sheet.Plain
	zones   []sheet.ZoneNote
	tokens  *html.Tokenizer
	from    *table.Origin
	line    int32
	number  int32
	merged  sheet.Merges
	block   sheet.Block
	ended   bool
	severed bool // the page ends within the table
	width   int  // of the row before
	inside  int  // tables inside a cell
	skip    int  // scripts and the like
	row     *table.Row
	cell    *strings.Builder
	kind    map[string]string // attributes of the cell
	crossed bool              // the row is crossed out
	strike  int               // elements that cross out their text
	struck  bool              // the cell has such a text
	raised  int               // elements whose text stands above the line
	choice  *choice           // a list to choose from, in a cell

	unseen struct { // an element in a cell that is not shown
		tag   atom.Atom
		depth int
	}
}

// choice is a list of which one entry is shown: the one that is selected, else the first.
type choice struct {
	now      strings.Builder
	entries  int
	selected bool
	shown    string
}

// entry begins the next entry, or ends the last.
func (c *choice) entry(selected bool) {
	if c.entries > 0 && (c.entries == 1 || c.selected) {
		c.shown = c.now.String()
	}
	c.now.Reset()
	c.entries++
	c.selected = selected
}

func (t *htmlTable) Origin() *table.Origin { return t.from }
func (t *htmlTable) Close() error          { return nil }
func (t *htmlTable) Severed() bool         { return t.severed }
func (t *htmlTable) About(a *sheet.About) {
	a.Format, a.Merged, a.Zones = "web page", t.merged.Len(), append(a.Zones, t.zones...)
}

func (t *htmlTable) advance() html.TokenType {
	kind := t.tokens.Next()
	t.line += int32(bytes.Count(t.tokens.Raw(), []byte{'\n'}))
	return kind
}

func (t *htmlTable) Next() (table.Row, error) {
	for !t.ended {
		var done *table.Row
		switch kind := t.advance(); kind {
		case html.ErrorToken:
			if t.tokens.Err() != io.EOF {
				return table.Row{}, fault.Newf("the page cannot be read on: %w", t.tokens.Err()).At(fault.Place{File: t.from.File, Line: int(t.line)})
			}
			t.ended, t.severed = true, true
			was := t.width
			if done = t.endRow(); done != nil && done.Fault == nil && len(done.Cells) < was {
				done.Fault = sheet.CutOff(done, len(done.Cells), was)
			}
		case html.TextToken:
			if t.cell != nil && t.skip == 0 && t.inside == 0 && t.cell.Len() < sheet.MaxCell {
				text := t.tokens.Text()
				if t.unseen.depth > 0 {
					break
				}
				if t.choice != nil {
					t.choice.now.Write(text)
					break
				}
				if t.raised > 0 {
					text = []byte(sheet.Raised(string(text)))
				}
				t.struck = t.struck || t.strike > 0 && len(bytes.TrimSpace(text)) > 0
				t.cell.Write(text)
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			done = t.startTag()
		case html.EndTagToken:
			done = t.endTag()
		}
		if done != nil {
			return *done, nil
		}
	}
	return table.Row{}, io.EOF
}

func (t *htmlTable) startTag() *table.Row {
	name, attrs := tagOf(t.tokens)
	switch {
	case name == atom.Script || name == atom.Style || name == atom.Template:
		t.skip++
	case name == atom.Table:
		t.inside++
	case t.inside > 0:
	case name == atom.Tr:
		done := t.endRow()
		t.number++
		t.row = &table.Row{Origin: t.from, Number: t.number, Line: t.line, Hidden: invisible(attrs)}
		t.crossed, t.strike = crossed(attrs), 0
		return done
	case name == atom.Td || name == atom.Th:
		t.endCell()
		t.cell, t.kind, t.struck = &strings.Builder{}, attrs, t.crossed || crossed(attrs)
		if invisible(attrs) {
			t.unseen.tag, t.unseen.depth = name, 1
		}
	case name == atom.S || name == atom.Del || name == atom.Strike:
		t.strike++
	case t.cell == nil || single[name]:
		if name == atom.Input && t.cell != nil && t.unseen.depth == 0 && written[attrs["type"]] {
			t.cell.WriteString(attrs["value"])
		}
		if name == atom.Br && t.cell != nil {
			t.cell.WriteString("\x00")
		}
	case t.unseen.depth > 0 && name == t.unseen.tag:
		t.unseen.depth++
	case t.unseen.depth == 0 && invisible(attrs):
		t.unseen.tag, t.unseen.depth = name, 1
	case name == atom.Select:
		t.choice = &choice{}
	case name == atom.Option && t.choice != nil:
		_, selected := attrs["selected"]
		t.choice.entry(selected)
	case name == atom.Sup:
		t.raised++
	case name == atom.P || name == atom.Div || name == atom.Li:
		t.cell.WriteString("\x00") // a line break, told from those of the page's text
	}
	return nil
}

// single are elements without an end.
var single = map[atom.Atom]bool{atom.Br: true, atom.Hr: true, atom.Img: true, atom.Input: true, atom.Wbr: true, atom.Col: true, atom.Link: true, atom.Meta: true, atom.Area: true, atom.Source: true, atom.Embed: true}

// written are the kinds of field that show what is written in them.
var written = map[string]bool{"": true, "text": true, "date": true, "time": true, "datetime-local": true, "month": true, "number": true, "email": true, "tel": true, "url": true, "search": true}

func (t *htmlTable) endTag() *table.Row {
	name, _ := tagOf(t.tokens)
	switch {
	case name == atom.Script || name == atom.Style || name == atom.Template:
		t.skip = max(0, t.skip-1)
	case name == atom.Table && t.inside > 0:
		t.inside--
	case name == atom.Table:
		t.ended = true
		return t.endRow()
	case t.inside > 0:
	case name == atom.Td || name == atom.Th:
		t.endCell()
	case name == atom.Tr:
		return t.endRow()
	case t.unseen.depth > 0 && name == t.unseen.tag:
		t.unseen.depth--
	case name == atom.Select && t.choice != nil:
		if t.choice.entry(false); t.cell != nil && t.unseen.depth == 0 {
			t.cell.WriteString(t.choice.shown)
		}
		t.choice = nil
	case name == atom.Sup:
		t.raised = max(0, t.raised-1)
	case name == atom.S || name == atom.Del || name == atom.Strike:
		t.strike = max(0, t.strike-1)
	}
	return nil
}

// crossed tells whether an element's style crosses out its text.
func crossed(attrs map[string]string) bool {
	return strings.Contains(strings.ToLower(attrs["style"]), "line-through")
}

func (t *htmlTable) endCell() {
	t.unseen.depth, t.raised, t.choice = 0, 0, nil
	if t.cell == nil {
		return
	}
	if t.row == nil {
		t.number++
		t.row = &table.Row{Origin: t.from, Number: t.number, Line: t.line}
	}
	column := len(t.row.Cells)
	column = t.merged.Below(int(t.number), column) // cells of the rows above reach down into this one
	for len(t.row.Cells) < column {
		t.row.Cells = append(t.row.Cells, table.Cell{})
	}
	lines := strings.Split(t.cell.String(), "\x00")
	kept := lines[:0]
	for _, l := range lines {
		if l = squeeze(l); l != "" {
			kept = append(kept, l)
		}
	}
	c := table.Cell{Kind: table.Text, Text: strings.Join(kept, "\n"), Struck: t.struck}
	if c.Text == "" {
		c = table.Cell{}
	}
	wide, high := sheet.Count([]byte(t.kind["colspan"])), sheet.Count([]byte(t.kind["rowspan"]))
	if wide > 1 || high > 1 {
		wide, high = min(wide, sheet.MaxSpread), min(high, sheet.MaxRows)
		t.merged.Add(sheet.Area{Top: int(t.number), Bottom: int(t.number) + high - 1, Left: column, Right: column + wide - 1})
	}
	t.row.Cells = append(t.row.Cells, c)
	for range wide - 1 {
		t.row.Cells = append(t.row.Cells, table.Cell{})
	}
	t.cell = nil
}

func (t *htmlTable) endRow() *table.Row {
	t.endCell()
	row := t.row
	if t.row = nil; row == nil {
		return nil
	}
	row.Cells, row.Span = t.merged.Spread(int(row.Number), row.Cells)
	row.Cells = t.block.Take(row.Cells)
	t.width = len(row.Cells)
	for i, c := range row.Cells {
		if len(c.Text) >= sheet.MaxCell {
			row.Fault = sheet.CellTooLong(c.Text).At(row.Place())
			row.Fault.Place.Column = table.Letter(i)
		}
	}
	return row
}
