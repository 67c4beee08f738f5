package document

import (
	"io"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	"almanach/internal/core/fault"
	"almanach/internal/core/notice"
	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
)

// maxText is the longest running text that is read, in bytes.
const maxText = 64 << 20

// IsPlain tells whether a file of characters holds running text: by its name, or,
// where that says nothing, by the look of its lines. free tells that nobody takes it for a
// table: no key is named, and no header.
func IsPlain(name string, lead []byte, free bool) bool {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".md", ".markdown":
		return true
	case ".csv", ".tsv", ".tab", ".json", ".ics", ".html", ".htm":
		return false
	}
	for line := range strings.SplitSeq(string(lead), "\n") {
		if ruler().MatchString(strings.TrimRight(line, "\r")) && strings.Contains(line, "|") { // a table drawn with bars
			return true
		}
	}
	return !columned(string(lead), free)
}

// decimals are numbers such as 5,50.
var decimals = pattern.Lazy(`\d[.,]\d`)

// apart tells whether a space stands behind each sign, but for those in numbers.
func apart(text, sign string) bool {
	text = decimals().ReplaceAllString(text, "")
	return strings.Count(text, sign) == strings.Count(text, sign+" ")
}

// columned tells whether the lines of a text have the same number of separators, and are no
// list with bullets.
func columned(lead string, free bool) bool {
	lines := strings.Split(strings.TrimSpace(strings.ReplaceAll(lead, "\r\n", "\n")), "\n")
	if len(lines) > 60 {
		lines = lines[:60]
	}
	full, bullets := 0, 0
	for _, l := range lines {
		if l = strings.TrimSpace(l); l != "" {
			full++
		}
		if sign, _, ok := strings.Cut(l, " "); ok && slices.Contains([]string{"-", "*", "•", "–"}, sign) {
			bullets++
		}
	}
	if bullets*2 > full {
		return false
	}
	if full < 2 {
		return strings.ContainsAny(lead, "\t;") && full == 1 && !strings.Contains(lead, ". ") && !strings.Contains(lead, "; ")
	}
	for _, sep := range []string{"\t", ";", "|", ","} {
		// A list of days with what is on has spaces behind its signs, and no names of columns.
		first := max(0, slices.IndexFunc(lines, func(l string) bool { return strings.Contains(l, sep) })) // that would name the columns
		if free && (sep == "," || sep == "|") && (notice.SaysDay(lines[0]) || notice.SaysDay(lines[first])) && apart(lead, sep) {
			continue
		}
		counts := map[int]int{}
		for _, l := range lines {
			if strings.TrimSpace(l) != "" {
				counts[strings.Count(l, sep)]++
			}
		}
		for n, lines := range counts {
			if n > 0 && lines*10 >= full*8 && (sep != "," || n > 1 || !strings.Contains(lead, ", ")) {
				return true
			}
		}
	}
	return false
}

// OpenPlain opens a file of characters as running text.
func OpenPlain(t *text.Source, o sheet.Options) (sheet.Book, error) {
	r, err := t.Start()
	if err != nil {
		return nil, err
	}
	data, err := io.ReadAll(io.LimitReader(r, maxText+1))
	if err != nil {
		return nil, sheet.Unreadable(o.Name, err)
	}
	if len(data) > maxText {
		return nil, fault.Newf("is a text of more than %d MiB", maxText>>20).At(fault.Place{File: o.Name}).Do("split it")
	}
	d := &Doc{Format: "text, " + t.Charset}
	if ext := strings.ToLower(filepath.Ext(o.Name)); ext == ".md" || ext == ".markdown" {
		d.Format = "Markdown, " + t.Charset
	}
	d.Parts = PlainParts(string(data))
	return Book(d, o, t.Close)
}

var (
	ruler    = pattern.Lazy(`^\s*\|?\s*:?-{2,}:?\s*(?:\|\s*:?-{2,}:?\s*)+\|?\s*$`)
	underset = pattern.Lazy(`^\s*(=+|-{3,}|~{3,})\s*$`)
)

// PlainParts gives the lines and the tables of a text: those drawn with bars, and
// those whose columns are kept apart by spaces. A form feed ends a page.
func PlainParts(text string) (out []Part) {
	lines := strings.Split(strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n"), "\n")
	page := 0
	if strings.Contains(text, "\f") {
		page = 1
	}
	for n := 0; n < len(lines); n++ {
		line := lines[n]
		if i := strings.IndexByte(line, '\f'); i >= 0 {
			line = line[:i] + line[i+1:]
			page++
		}
		if end, t := barTable(lines, n); end > n {
			t.Page = page
			out = append(out, Part{Table: t})
			n = end - 1
			continue
		}
		if end, t := spacedTable(lines, n); end > n {
			t.Page = page
			out = append(out, Part{Table: t})
			n = end - 1
			continue
		}
		l := notice.Line{Text: line, Page: page, Number: n + 1}
		if n+1 < len(lines) && underset().MatchString(lines[n+1]) && strings.TrimSpace(line) != "" && len(strings.TrimSpace(lines[n+1])) >= 3 && utf8.RuneCountInString(strings.TrimSpace(line)) < 90 && !strings.Contains(line, "|") {
			l.Level = 1
			if strings.Contains(lines[n+1], "-") {
				l.Level = 2
			}
			out = append(out, Part{Line: l})
			n++
			continue
		}
		out = append(out, Part{Line: l})
	}
	return out
}

var wideGap = pattern.Lazy(`\s{2,}|\t+`)

// spacedTable reads a table whose columns are kept apart by spaces: a header without
// figures, and at least two rows of as many cells.
func spacedTable(lines []string, at int) (end int, t *Table) {
	split := func(n int) []string {
		if n >= len(lines) || strings.TrimSpace(lines[n]) == "" {
			return nil
		}
		return wideGap().Split(strings.TrimSpace(lines[n]), -1)
	}
	header := split(at)
	if len(header) < 3 || strings.ContainsAny(lines[at], "0123456789") {
		return at, nil
	}
	t = &Table{Line: at + 1}
	for end = at; ; end++ {
		cells := split(end)
		if len(cells) != len(header) {
			break
		}
		row := make([]table.Cell, len(cells))
		for i, c := range cells {
			row[i] = Text(c)
		}
		t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, end+1)
	}
	if len(t.Rows) < 3 || split(end) != nil { // a row that does not fit: it is no table that can be read
		return at, nil
	}
	return end, t
}

// barTable reads a table drawn with bars: a header, a line of dashes, rows.
func barTable(lines []string, at int) (end int, t *Table) {
	if at+1 >= len(lines) || !strings.Contains(lines[at], "|") || !ruler().MatchString(lines[at+1]) {
		return at, nil
	}
	t = &Table{Line: at + 1}
	for end = at; end < len(lines) && strings.Contains(lines[end], "|"); end++ {
		if end == at+1 {
			continue
		}
		var row []table.Cell
		for _, cell := range strings.Split(strings.Trim(strings.TrimSpace(lines[end]), "|"), "|") {
			text := strings.TrimSpace(cell)
			c := Text(strings.Trim(text, "*~ "))
			c.Struck = strings.HasPrefix(text, "~~") && strings.HasSuffix(text, "~~") && len(text) > 4
			row = append(row, c)
		}
		t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, end+1)
	}
	return end, t
}

// Text gives a cell of text.
func Text(s string) table.Cell {
	if strings.TrimSpace(s) == "" {
		return table.Cell{}
	}
	return table.Cell{Kind: table.Text, Text: s}
}
