// Package delimited reads separated values: CSV and its like.
package delimited

import (
	"io"
	"strings"
	"unsafe"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
)

// Open opens a text as separated values.
func Open(t *text.Source, o sheet.Options) (sheet.Book, error) {
	return sheet.Single{Start: func() (sheet.Raw, error) {
		r, err := t.Start()
		if err != nil {
			return nil, err
		}
		sep := separator(string(t.Head[:min(len(t.Head), 64<<10)]))
		s := &separated{src: r, line: 1, sep: sep, from: &table.Origin{File: o.Name}, format: separatorNames[sep] + ", " + t.Charset}
		if t.Size() > windowSize {
			return newAhead(s), nil
		}
		return s, nil
	}, End: t.Close}, nil
}

// separated reads separated values (RFC 4180), a window of the file at a time.
// It departs from the RFC where files do: any of five separators, any line
// ending, a quote inside an unquoted value is itself, and a quoted value that
// never ends spoils its own line only.
type separated struct {
	sheet.Plain
	src    io.Reader
	buf    []byte
	text   string // the window: what buf holds
	pos    int
	eof    bool
	err    error
	line   int32
	number int32
	sep    byte
	from   *table.Origin
	format string
	cells  []table.Cell // of the row that is read; parts of the window
	rows   table.Rows   // those read so far, of which the last few are kept
	ended  bool         // the row that is read has an end of its line
	widths [2]int       // of the two rows before
	ragged bool         // rows leave out what they have nothing in at their end
	key    int          // length of the first value of the row before
	short  bool         // the file ends within its last row
}

var separatorNames = map[byte]string{',': "commas", ';': "semicolons", '\t': "tabs", '|': "bars", '^': "carets"}

const windowSize = 1 << 20

// separator chooses the sign that cuts the first lines most evenly.
func separator(text string) byte {
	best, bestScore := byte(','), 0
	for _, sep := range []byte{',', ';', '\t', '|', '^'} {
		s := separated{text: text, eof: true, line: 1, sep: sep, from: &table.Origin{}}
		counts := map[int]int{}
		for range 40 {
			row, err := s.Next()
			if err != nil {
				break
			}
			if n := row.Width(); n > 1 {
				counts[n]++
			}
		}
		for n, lines := range counts {
			if score := lines*100 + min(n, 50); score > bestScore {
				best, bestScore = sep, score
			}
		}
	}
	return best
}

func (s *separated) Origin() *table.Origin { return s.from }
func (s *separated) Close() error          { return nil }
func (s *separated) Severed() bool         { return s.short }

func (s *separated) About(a *sheet.About) {
	a.Format = s.format
}

// more takes in more of the file behind what the window has from pos on.
func (s *separated) more() bool {
	if s.eof {
		return false
	}
	rest := s.text[s.pos:]
	buf := s.buf
	if len(buf) < 2*len(rest) || buf == nil {
		buf = make([]byte, max(windowSize, 2*len(rest)))
	}
	n := copy(buf, rest)
	for n < len(buf) && !s.eof {
		m, err := s.src.Read(buf[n:])
		n += m
		if err != nil {
			s.eof = true
			if err != io.EOF {
				s.err = err
			}
		}
	}
	s.buf, s.text, s.pos = buf, unsafe.String(unsafe.SliceData(buf), n), 0 // good until the next window: rows keep copies
	return true
}

func (s *separated) Next() (table.Row, error) {
	row, err := s.next()
	if err != nil {
		return row, err
	}
	s.rows.Add(row)
	at := s.rows.Len() - 1
	s.rows.Forget(at)
	return s.rows.At(at), nil
}

// next gives the next row. Its cells are good until the one after it.
func (s *separated) next() (table.Row, error) {
	for {
		line := s.line
		if s.pos >= len(s.text) && !s.more() {
			if s.err != nil {
				return table.Row{}, fault.Newf("cannot be read on: %w", s.err).At(fault.Place{File: s.from.File, Line: int(s.line)})
			}
			return table.Row{}, io.EOF
		}
		if len(s.text) == 0 {
			continue
		}
		start := s.pos
		row, whole := s.record()
		if !whole && len(s.text)-start <= 8*sheet.MaxCell {
			s.pos, s.line = start, line
			if s.more() {
				continue
			}
			row, _ = s.record()
		}
		s.number++
		row.Number = s.number
		s.cut(&row)
		return row, nil
	}
}

// cut finds that the file ends within its last row: it has no end of line, and fewer values
// than the rows before.
func (s *separated) cut(row *table.Row) {
	n, w := row.Width(), s.widths
	s.widths = [2]int{w[1], n}
	key, was := "", s.key
	if n > 0 {
		key = row.Cells[0].Text
	}
	s.key = len(key)
	switch {
	case row.Fault != nil || w[0] != w[1] || n >= w[1]:
		return
	case n == 1 && !s.ended && !s.ragged && key != "" && len(key) <= was && !strings.ContainsAny(key, " \t") && !row.Sums(): // a part of a key, and no note
	case row.Alone():
		return
	case s.ended || s.ragged:
		s.ragged = true
		return
	}
	row.Fault, s.short = sheet.CutOff(row, n, w[1]), true
}

// record reads one record. It tells whether the window held all of it.
func (s *separated) record() (row table.Row, whole bool) {
	row = table.Row{Origin: s.from, Number: s.number + 1, Line: s.line}
	s.cells, s.ended = s.cells[:0], false
	start := s.pos
	for {
		if s.pos < len(s.text) && s.text[s.pos] == '"' {
			value, ok := s.quoted()
			if !ok {
				return s.damaged(row, start), false
			}
			s.add(value)
		} else {
			s.add(s.plainValue())
		}
		if s.pos >= len(s.text) {
			break
		}
		c := s.text[s.pos]
		s.pos++
		if c == s.sep {
			continue
		}
		s.line++
		if c == '\r' {
			if s.pos >= len(s.text) && !s.eof {
				return row, false
			}
			if s.pos < len(s.text) && s.text[s.pos] == '\n' {
				s.pos++
			}
		}
		whole, s.ended = true, true
		break
	}
	row.Cells = s.cells
	for i, c := range row.Cells {
		if len(c.Text) > sheet.MaxCell {
			row.Fault = sheet.CellTooLong(strings.Clone(c.Text)).At(row.Place())
			row.Fault.Place.Column = table.Letter(i)
		}
	}
	return row, whole || s.eof
}

func (s *separated) add(value string) {
	c := table.Cell{Text: value}
	if value != "" {
		c.Kind = table.Text
	}
	s.cells = append(s.cells, c)
}

// plainValue reads up to the separator or the end of the line.
func (s *separated) plainValue() string {
	from := s.pos
	for s.pos < len(s.text) {
		c := s.text[s.pos]
		if c == s.sep || c == '\n' || c == '\r' {
			break
		}
		s.pos++
	}
	return s.text[from:s.pos]
}

// quoted reads a value in quotes. It fails when the quotes are not those of a
// whole value.
func (s *separated) quoted() (string, bool) {
	from := s.pos + 1
	i := from
	doubled := false
	for {
		j := strings.IndexByte(s.text[i:], '"')
		if j < 0 {
			return "", false
		}
		i += j + 1
		if i < len(s.text) && s.text[i] == '"' {
			doubled = true
			i++
			continue
		}
		break
	}
	if i < len(s.text) && s.text[i] != s.sep && s.text[i] != '\n' && s.text[i] != '\r' {
		return "", false
	}
	value := s.text[from : i-1]
	s.line += int32(strings.Count(value, "\n"))
	s.pos = i
	if doubled {
		value = strings.ReplaceAll(value, `""`, `"`)
	}
	return value, true
}

// damaged gives up on one physical line and goes on behind it.
func (s *separated) damaged(row table.Row, start int) table.Row {
	s.line = row.Line
	end := strings.IndexByte(s.text[start:], '\n')
	if end < 0 {
		s.pos = len(s.text)
	} else {
		s.pos = start + end + 1
		s.line++
	}
	line := strings.Clone(strings.TrimRight(s.text[start:s.pos], "\r\n"))
	row.Fault = fault.New(line, "has a quote that is not closed, or one inside a quoted value that is not doubled").Do("double every quote inside a quoted value").At(row.Place())
	row.Cells = []table.Cell{{Kind: table.Text, Text: line}}
	return row
}
