package source

import (
	"bytes"
	"io"
	"os"
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

func looksLikeHTML(text []byte) bool {
	lower := bytes.ToLower(text[:min(len(text), 64<<10)])
	for _, mark := range []string{"<html", "<!doctype html", "<table", "<body"} {
		if bytes.Contains(lower, []byte(mark)) {
			return true
		}
	}
	return false
}

// page is a web page; each of its tables is a sheet.
type page struct {
	file  *os.File
	start func() (io.Reader, error)
	name  string
	list  []sheetInfo
}

func openHTML(f *os.File, start func() (io.Reader, error), o Options) (book, error) {
	p := &page{file: f, start: start, name: o.Name}
	r, err := start()
	if err != nil {
		return nil, err
	}
	z := newTokens(r)
	caption := false
	for kind := z.Next(); kind != html.ErrorToken; kind = z.Next() {
		switch {
		case kind == html.StartTagToken:
			name, attrs := tagOf(z)
			if caption = name == atom.Caption && len(p.list) > 0; name == atom.Table {
				p.list = append(p.list, sheetInfo{name: attrs["id"], hidden: invisible(attrs)})
			}
		case kind == html.EndTagToken:
			caption = false
		case kind == html.TextToken && caption:
			if text := squeeze(string(z.Text())); text != "" {
				p.list[len(p.list)-1].name = text
			}
		}
	}
	if z.Err() != io.EOF {
		return nil, fault.Newf("the page cannot be read: %w", z.Err()).At(fault.Place{File: o.Name})
	}
	if len(p.list) == 0 {
		return nil, fault.Newf("is a page without a table").At(fault.Place{File: o.Name}).Do("save the table as .csv or .xlsx")
	}
	return p, nil
}

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
	return hidden || strings.Contains(strings.ReplaceAll(strings.ToLower(attrs["style"]), " ", ""), "display:none")
}

// squeeze makes every run of white space one space.
func squeeze(s string) string { return strings.Join(strings.Fields(s), " ") }

func (p *page) sheets() []sheetInfo { return p.list }
func (p *page) Close() error        { return p.file.Close() }

func (p *page) open(i int) (raw, error) {
	r, err := p.start()
	if err != nil {
		return nil, err
	}
	t := &htmlTable{tokens: newTokens(r), from: &table.Origin{File: p.name, Sheet: p.list[i].name}, line: 1}
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
	plain
	tokens *html.Tokenizer
	from   *table.Origin
	line   int32
	number int32
	merged merges
	block  cellBlock
	ended  bool
	inside int // tables inside a cell
	skip   int // scripts and the like
	row    *table.Row
	cell   *strings.Builder
	kind   map[string]string // attributes of the cell
}

func (t *htmlTable) origin() *table.Origin { return t.from }
func (t *htmlTable) Close() error          { return nil }
func (t *htmlTable) about(a *About)        { a.Format, a.Merged = "web page", len(t.merged.ranges) }

func (t *htmlTable) advance() html.TokenType {
	kind := t.tokens.Next()
	t.line += int32(bytes.Count(t.tokens.Raw(), []byte{'\n'}))
	return kind
}

func (t *htmlTable) next() (table.Row, error) {
	for !t.ended {
		var done *table.Row
		switch kind := t.advance(); kind {
		case html.ErrorToken:
			if t.tokens.Err() != io.EOF {
				return table.Row{}, fault.Newf("the page cannot be read on: %w", t.tokens.Err()).At(fault.Place{File: t.from.File, Line: int(t.line)})
			}
			t.ended = true
			done = t.endRow()
		case html.TextToken:
			if t.cell != nil && t.skip == 0 && t.inside == 0 && t.cell.Len() < maxCell {
				t.cell.Write(t.tokens.Text())
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
	case name == atom.Script || name == atom.Style:
		t.skip++
	case name == atom.Table:
		t.inside++
	case t.inside > 0:
	case name == atom.Tr:
		done := t.endRow()
		t.number++
		t.row = &table.Row{Origin: t.from, Number: t.number, Line: t.line, Hidden: invisible(attrs)}
		return done
	case name == atom.Td || name == atom.Th:
		t.endCell()
		t.cell, t.kind = &strings.Builder{}, attrs
	case name == atom.Br || name == atom.P || name == atom.Div || name == atom.Li:
		if t.cell != nil {
			t.cell.WriteString("\x00") // a line break, told from those of the page's text
		}
	}
	return nil
}

func (t *htmlTable) endTag() *table.Row {
	name, _ := tagOf(t.tokens)
	switch {
	case name == atom.Script || name == atom.Style:
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
	}
	return nil
}

func (t *htmlTable) endCell() {
	if t.cell == nil {
		return
	}
	if t.row == nil {
		t.number++
		t.row = &table.Row{Origin: t.from, Number: t.number, Line: t.line}
	}
	column := len(t.row.Cells)
	for taken := true; taken; { // cells of the rows above reach down into this one
		taken = false
		for _, a := range t.merged.ranges {
			if int(t.number) > a.top && int(t.number) <= a.bottom && a.left <= column && column <= a.right {
				column, taken = a.right+1, true
			}
		}
	}
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
	c := table.Cell{Kind: table.Text, Text: strings.Join(kept, "\n")}
	if c.Text == "" {
		c = table.Cell{}
	}
	wide, high := countOf([]byte(t.kind["colspan"])), countOf([]byte(t.kind["rowspan"]))
	if wide > 1 || high > 1 {
		wide, high = min(wide, maxSpread), min(high, maxRows)
		t.merged.add(area{top: int(t.number), bottom: int(t.number) + high - 1, left: column, right: column + wide - 1})
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
	row.Cells = t.block.take(t.merged.spread(int(row.Number), row.Cells))
	for i, c := range row.Cells {
		if len(c.Text) >= maxCell {
			row.Fault = tooLong(c.Text, maxCell>>10, "KiB, the most a value can have").At(row.Place())
			row.Fault.Place.Column = table.Letter(i)
		}
	}
	return row
}
