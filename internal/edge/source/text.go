package source

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"strings"
	"unicode/utf8"
	"unsafe"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// maxText is the largest file that is read, in bytes.
const maxText = 2 << 30

// maxCell is the longest value of a text that is taken for one, in bytes. What
// is longer is most often a quote that was never closed.
const maxCell = 256 << 10

// openText opens what is no workbook: JSON, a web page, a calendar, or
// separated values.
func openText(f *os.File, head []byte, o Options) (book, error) {
	charset, err := charsetOf(f, head)
	if err != nil {
		return nil, fault.Of(err).At(fault.Place{File: o.Name, Line: fault.Of(err).Place.Line})
	}
	text, err := io.ReadAll(io.LimitReader(charset.reader(bytes.NewReader(head)), int64(len(head))))
	if err != nil && len(text) == 0 {
		return nil, fault.Newf("its characters cannot be read: %w", err).At(fault.Place{File: o.Name})
	}
	start := func() (io.Reader, error) {
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return nil, openFault(o.Name, o.Name, err)
		}
		return charset.reader(f), nil
	}
	lead := bytes.TrimLeft(text, " \t\r\n")
	switch {
	case len(lead) == 0:
		return nil, fault.Newf("the file has nothing but white space in it").At(fault.Place{File: o.Name})
	case lead[0] == '{' || lead[0] == '[' && looksLikeJSON(lead):
		return openJSON(f, start, o)
	case lead[0] == '<' && looksLikeHTML(lead):
		return openHTML(f, start, o)
	case len(lead) > 15 && strings.EqualFold(string(lead[:15]), "BEGIN:VCALENDAR"):
		return openCalendar(f, start, o)
	}
	return single{start: func() (raw, error) {
		r, err := start()
		if err != nil {
			return nil, err
		}
		sep := separator(string(text[:min(len(text), 64<<10)]))
		return &separated{src: r, line: 1, sep: sep, from: &table.Origin{File: o.Name}, format: separatorNames[sep] + ", " + charset.name}, nil
	}, close: f.Close}, nil
}

// charset is how a file's bytes stand for characters.
type charset struct {
	name     string
	encoding encoding.Encoding // nil for UTF-8
	skip     int               // bytes of a byte order mark
}

func (c charset) reader(r io.Reader) io.Reader {
	if c.encoding == nil {
		if c.skip > 0 {
			_, _ = io.CopyN(io.Discard, r, int64(c.skip))
		}
		return r
	}
	return transform.NewReader(r, c.encoding.NewDecoder())
}

// charsetOf tells a text's encoding: by its byte order mark, by the pattern of
// NULs in UTF-16, as UTF-8 where all of it is valid, else as Windows-1252. It
// leaves the file at its start. The error is a text with NULs, which none of
// them has.
func charsetOf(f *os.File, head []byte) (charset, error) {
	switch {
	case bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		return charset{name: "UTF-8", skip: 3}, nil
	case bytes.HasPrefix(head, []byte("\xff\xfe")), bytes.HasPrefix(head, []byte("\xfe\xff")):
		return charset{name: "UTF-16", encoding: unicode.UTF16(unicode.BigEndian, unicode.ExpectBOM)}, nil
	case nuls(head, 1):
		return charset{name: "UTF-16", encoding: unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)}, nil
	case nuls(head, 0):
		return charset{name: "UTF-16", encoding: unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM)}, nil
	}
	defer f.Seek(0, io.SeekStart)
	buf, kept, valid, line := make([]byte, 256<<10), 0, true, 1
	for {
		n, err := f.Read(buf[kept:])
		data := buf[:kept+n]
		if i := bytes.IndexByte(data, 0); i >= 0 {
			line += bytes.Count(data[:i], []byte{'\n'})
			return charset{}, fault.Newf("is neither a workbook nor text: it holds NUL bytes").At(fault.Place{Line: line}).Do("save it as .xlsx or .csv")
		}
		whole := len(data)
		if err == nil { // a character may be cut at the end of what was read
			for whole > len(data)-utf8.UTFMax && whole > 0 && !utf8.RuneStart(data[whole-1]) {
				whole--
			}
			if whole > 0 && data[whole-1] >= utf8.RuneSelf {
				whole--
			}
		}
		valid = valid && utf8.Valid(data[:whole])
		line += bytes.Count(data[:whole], []byte{'\n'})
		kept = copy(buf, data[whole:])
		switch {
		case err == io.EOF && valid:
			return charset{name: "UTF-8"}, nil
		case err == io.EOF:
			return charset{name: "Windows-1252", encoding: charmap.Windows1252}, nil
		case err != nil:
			return charset{}, fmt.Errorf("the file cannot be read: %w", err)
		}
	}
}

// nuls tells whether every second byte from offset on, in the first of data,
// is mostly NUL and the others are not.
func nuls(data []byte, offset int) bool {
	data = data[:min(len(data), 200)]
	here, there := 0, 0
	for i, b := range data {
		if b == 0 {
			if i%2 == offset {
				here++
			} else {
				there++
			}
		}
	}
	return len(data) > 3 && here > len(data)/4 && there == 0
}

// separated reads separated values (RFC 4180), a window of the file at a time.
// It departs from the RFC where files do: any of five separators, any line
// ending, a quote inside an unquoted value is itself, and a quoted value that
// never ends spoils its own line only.
type separated struct {
	plain
	src    io.Reader
	text   string // the window; cells are parts of it
	pos    int
	eof    bool
	err    error
	line   int32
	number int32
	sep    byte
	from   *table.Origin
	format string
	block  cellBlock
	cells  []table.Cell
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
			row, err := s.next()
			if err != nil {
				break
			}
			if n := len(row.Cells); n > 1 {
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

func (s *separated) origin() *table.Origin { return s.from }
func (s *separated) Close() error          { return nil }

func (s *separated) about(a *About) {
	a.Format = s.format
	if strings.HasSuffix(s.format, "Windows-1252") {
		a.Notes = append(a.Notes, "it is not UTF-8 and was read as Windows-1252: check its accented letters")
	}
}

// more takes in more of the file behind what the window has from pos on.
func (s *separated) more() bool {
	if s.eof {
		return false
	}
	rest := s.text[s.pos:]
	buf := make([]byte, max(windowSize, 2*len(rest)))
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
	s.text, s.pos = unsafe.String(unsafe.SliceData(buf), n), 0 // buf is never written again
	return true
}

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
		if !whole && len(s.text)-start <= 8*maxCell {
			s.pos, s.line = start, line
			if s.more() {
				continue
			}
			row, _ = s.record()
		}
		s.number++
		row.Number = s.number
		return row, nil
	}
}

// record reads one record. It tells whether the window held all of it.
func (s *separated) record() (row table.Row, whole bool) {
	row = table.Row{Origin: s.from, Number: s.number + 1, Line: s.line}
	s.cells = s.cells[:0]
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
		whole = true
		break
	}
	row.Cells = s.block.take(s.cells)
	for i, c := range row.Cells {
		if len(c.Text) > maxCell {
			row.Fault = tooLong(c.Text, maxCell>>10, "KiB, the most a value can have").At(row.Place())
			row.Fault.Place.Column = table.Letter(i)
		}
	}
	return row, whole || s.eof
}

func tooLong(text string, limit int, unit string) *fault.Fault {
	return fault.New(fault.Shorten(text, 40), fmt.Sprintf("is %d characters long; the limit is %d %s", utf8.RuneCountInString(text), limit, unit)).Do("shorten it, or look for a quote that is not closed")
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
	line := strings.TrimRight(s.text[start:s.pos], "\r\n")
	row.Fault = fault.New(line, "has a quote that is not closed, or one inside a quoted value that is not doubled").Do("double every quote inside a quoted value").At(row.Place())
	row.Cells = s.block.take([]table.Cell{{Kind: table.Text, Text: line}})
	return row
}
