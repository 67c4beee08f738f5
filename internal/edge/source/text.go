package source

import (
	"bytes"
	"io"
	"os"
	"strings"
	"unicode/utf8"
	"unsafe"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// separated reads separated values (RFC 4180). It keeps the whole text and
// hands out parts of it. It departs from the RFC where files do: any of five
// separators, any line ending, a quote inside an unquoted value is itself, and
// a quoted value that never ends spoils its own line only.
type separated struct {
	text   string
	pos    int
	line   int32
	number int32
	sep    byte
	from   *table.Origin
	block  cellBlock
	cells  []table.Cell
}

// maxText is the largest text file that is read, in bytes.
const maxText = 2 << 30

func openText(f *os.File, o Options) (raw, error) {
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, openFault(o.Name, o.Name, err)
	}
	if info.Size() > maxText {
		return nil, fault.Newf("the file is larger than 2 GiB").At(fault.Place{File: o.Name}).Do("split it")
	}
	data := make([]byte, 0, info.Size()+512)
	buf := bytes.NewBuffer(data)
	if _, err := buf.ReadFrom(f); err != nil {
		return nil, openFault(o.Name, o.Name, err)
	}
	data = buf.Bytes()
	text, err := decode(data)
	if err != nil {
		return nil, fault.Newf("is neither a workbook nor text: %w", err).At(fault.Place{File: o.Name}).Do("save it as .xlsx or .csv")
	}
	return &separated{text: text, line: 1, sep: separator(text), from: &table.Origin{File: o.Name}}, nil
}

// decode turns bytes into text: by byte order mark, by the pattern of NULs in
// UTF-16, as UTF-8 where that is valid, else as Windows-1252.
func decode(data []byte) (string, error) {
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		data = data[3:]
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		out, err := unicode.UTF16(unicode.BigEndian, unicode.ExpectBOM).NewDecoder().Bytes(data)
		return string(out), err
	case nuls(data, 1):
		out, err := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewDecoder().Bytes(data)
		return string(out), err
	case nuls(data, 0):
		out, err := unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM).NewDecoder().Bytes(data)
		return string(out), err
	}
	if bytes.IndexByte(data, 0) >= 0 {
		return "", fault.Newf("it holds NUL bytes")
	}
	if utf8.Valid(data) {
		return unsafe.String(unsafe.SliceData(data), len(data)), nil // data is ours alone and never written again
	}
	out, err := charmap.Windows1252.NewDecoder().Bytes(data)
	return string(out), err
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

// separator chooses the sign that cuts the first lines most evenly.
func separator(text string) byte {
	best, bestScore := byte(','), 0
	for _, sep := range []byte{',', ';', '\t', '|'} {
		s := separated{text: text[:min(len(text), 64<<10)], line: 1, sep: sep, from: &table.Origin{}}
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

func (s *separated) Close() error { return nil }

func (s *separated) next() (table.Row, error) {
	if s.pos >= len(s.text) {
		return table.Row{}, io.EOF
	}
	s.number++
	row := table.Row{Origin: s.from, Number: s.number, Line: s.line}
	s.cells = s.cells[:0]
	start := s.pos
	for {
		if s.pos < len(s.text) && s.text[s.pos] == '"' {
			value, ok := s.quoted()
			if !ok {
				return s.damaged(row, start), nil
			}
			s.add(value)
		} else {
			s.add(s.plain())
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
		if c == '\r' && s.pos < len(s.text) && s.text[s.pos] == '\n' {
			s.pos++
		}
		break
	}
	row.Cells = s.block.take(s.cells)
	return row, nil
}

func (s *separated) add(value string) {
	c := table.Cell{Text: value}
	if value != "" {
		c.Kind = table.Text
	}
	s.cells = append(s.cells, c)
}

// plain reads up to the separator or the end of the line.
func (s *separated) plain() string {
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

// quoted reads a value in quotes. What follows the closing quote up to the
// separator is kept, as writers that forget to double a quote leave it there.
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
