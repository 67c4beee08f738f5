package source

import (
	"archive/zip"
	"io"
	"math"
	"os"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// odsBook is an OpenDocument spreadsheet (ISO/IEC 26300).
type odsBook struct {
	file    *os.File
	name    string
	content *zip.File
	list    []sheetInfo
}

func openODS(f *os.File, parts map[string]*zip.File, o Options) (book, error) {
	at := fault.Place{File: o.Name}
	if kind, err := readPart(parts["mimetype"], 200); err == nil && !strings.Contains(kind, "spreadsheet") {
		return nil, fault.Newf("is an OpenDocument file but no spreadsheet").At(at).Do("save the table as .ods or .csv")
	}
	b := &odsBook{file: f, name: o.Name, content: parts["content.xml"]}
	if manifest, err := readPart(parts["META-INF/manifest.xml"], 1<<20); err == nil && strings.Contains(manifest, "encryption-data") {
		return nil, fault.Newf("the workbook is locked with a password").At(at).Do("save it without a password")
	}
	r, err := openPart(b.content)
	if err != nil {
		return nil, fault.Newf("the workbook cannot be read: %w", err).At(at)
	}
	defer r.Close()
	x := newXML(r)
	shown := map[string]bool{} // styles of hidden tables
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k != xmlStart {
			continue
		}
		switch {
		case x.is("style"):
			style := string(x.get("name"))
			if string(x.get("family")) == "table" && x.open {
				for k = x.next(); k != xmlEnd && !(k == xmlClose && x.is("style")); k = x.next() {
					if k == xmlStart && x.is("table-properties") && string(x.get("display")) == "false" {
						shown[style] = true
					}
				}
			}
		case x.is("table"):
			b.list = append(b.list, sheetInfo{string(x.get("name")), shown[string(x.get("style-name"))]})
		}
	}
	if x.err != nil {
		return nil, fault.Newf("the workbook cannot be read: %w", x.err).At(at).Do("open it, save it again, or ask for it once more")
	}
	if len(b.list) == 0 {
		return nil, fault.Newf("the workbook has no sheets").At(at)
	}
	return b, nil
}

func readPart(p *zip.File, most int64) (string, error) {
	r, err := openPart(p)
	if err != nil {
		return "", err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, most))
	return string(data), err
}

func (b *odsBook) sheets() []sheetInfo { return b.list }
func (b *odsBook) Close() error        { return b.file.Close() }

func (b *odsBook) open(i int) (raw, error) {
	s := &odsSheet{from: &table.Origin{File: b.name, Sheet: b.list[i].name}}
	r, err := openPart(b.content)
	if err != nil {
		return nil, fault.Newf("the sheet cannot be read: %w", err).At(fault.Place{File: b.name, Sheet: s.from.Sheet})
	}
	s.part, s.xml = r, newXML(r)
	for n := -1; ; {
		switch s.xml.next() {
		case xmlEnd:
			r.Close()
			return nil, s.fail(orDamaged(s.xml.err))
		case xmlStart:
			if s.xml.is("table") {
				if n++; n == i {
					s.ended = !s.xml.open
					return s, nil
				}
			}
		}
	}
}

// odsSheet reads one table of the document, which has them one behind the
// other in one stream.
type odsSheet struct {
	from    *table.Origin
	part    io.ReadCloser
	xml     *xmlScanner
	row     int32
	again   int // times the row at hand is still to be given
	cells   []table.Cell
	hide    bool
	columns []span
	column  int // columns described so far
	merged  merges
	block   cellBlock
	ended   bool
}

func (s *odsSheet) origin() *table.Origin { return s.from }
func (s *odsSheet) Close() error          { return s.part.Close() }

func (s *odsSheet) about(a *About) { a.Format, a.Merged = "ODS workbook", len(s.merged.ranges) }

func (s *odsSheet) hidden(column int) bool {
	for _, c := range s.columns {
		if c.from <= column && column <= c.to {
			return true
		}
	}
	return false
}

func (s *odsSheet) fail(err error) error {
	return fault.Newf("the sheet cannot be read on: %w", err).At(fault.Place{File: s.from.File, Sheet: s.from.Sheet, Row: int(s.row)})
}

// blankRepeats is how often a blank row is given at most: programs write the
// empty rest of a sheet as one row a million times over.
const blankRepeats = 1

func (s *odsSheet) next() (table.Row, error) {
	for s.again == 0 {
		if s.ended {
			return table.Row{}, io.EOF
		}
		switch s.xml.next() {
		case xmlEnd:
			return table.Row{}, s.fail(orDamaged(s.xml.err))
		case xmlClose:
			s.ended = s.xml.is("table")
		case xmlStart:
			switch {
			case s.xml.is("table-column"):
				n := countOf(s.xml.get("number-columns-repeated"))
				if v := string(s.xml.get("visibility")); v == "collapse" || v == "filter" {
					s.columns = append(s.columns, span{s.column, s.column + n - 1})
				}
				s.column += n
			case s.xml.is("table-row"):
				if err := s.readRow(); err != nil {
					return table.Row{}, err
				}
			}
		}
	}
	s.again--
	s.row++
	cells := s.merged.spread(int(s.row), append([]table.Cell(nil), s.cells...))
	row := table.Row{Origin: s.from, Number: s.row, Hidden: s.hide, Cells: s.block.take(cells)}
	return row, nil
}

func countOf(attr []byte) int {
	if n, ok := atoi(attr); ok {
		return n
	}
	return 1
}

// readRow reads a row and sets how often it is to be given.
func (s *odsSheet) readRow() error {
	times := countOf(s.xml.get("number-rows-repeated"))
	v := string(s.xml.get("visibility"))
	s.hide = v == "collapse" || v == "filter"
	s.cells = s.cells[:0]
	for open := s.xml.open; open; {
		switch s.xml.next() {
		case xmlEnd:
			return s.fail(orDamaged(s.xml.err))
		case xmlClose:
			open = !s.xml.is("table-row")
		case xmlStart:
			if s.xml.is("table-cell") || s.xml.is("covered-table-cell") {
				if err := s.readCell(); err != nil {
					return err
				}
			}
		}
	}
	for len(s.cells) > 0 && s.cells[len(s.cells)-1].Kind == table.Empty {
		s.cells = s.cells[:len(s.cells)-1]
	}
	if len(s.cells) == 0 && times > blankRepeats {
		s.row += int32(min(times-blankRepeats, maxRows))
		times = blankRepeats
	}
	if int64(s.row)+int64(times) > maxRows {
		return s.fail(fault.Newf("it has more than %d rows, the most a workbook can have", maxRows))
	}
	s.again = times
	return nil
}

func (s *odsSheet) readCell() error {
	covered := s.xml.is("covered-table-cell")
	times := countOf(s.xml.get("number-columns-repeated"))
	wide, high := countOf(s.xml.get("number-columns-spanned")), countOf(s.xml.get("number-rows-spanned"))
	kind := string(s.xml.get("value-type"))
	value := string(s.xml.get("value"))
	switch kind {
	case "date":
		value = string(s.xml.get("date-value"))
	case "time":
		value = string(s.xml.get("time-value"))
	case "boolean":
		value = string(s.xml.get("boolean-value"))
	}
	formula := len(s.xml.get("formula")) > 0
	text, err := s.paragraphs()
	if err != nil {
		return err
	}
	c := odsCell(kind, value, text, formula)
	if covered {
		c = table.Cell{}
	}
	if (wide > 1 || high > 1) && len(s.merged.ranges) < maxRows {
		left := len(s.cells)
		s.merged.add(area{top: int(s.row) + 1, bottom: int(s.row) + high, left: left, right: left + wide - 1})
	}
	if c.Kind == table.Empty && times > maxColumns-len(s.cells) {
		times = max(0, maxColumns-len(s.cells))
	}
	if len(s.cells)+times > maxColumns {
		return s.fail(fault.Newf("the row has more than %d columns, the most a workbook can have", maxColumns))
	}
	for range times {
		s.cells = append(s.cells, c)
	}
	return nil
}

// paragraphs reads the text of a cell: its paragraphs on a line each, without
// the notes pinned to it.
func (s *odsSheet) paragraphs() (string, error) {
	var b strings.Builder
	first, note := true, 0
	for open, depth := s.xml.open, 1; open; {
		switch s.xml.next() {
		case xmlEnd:
			return "", s.fail(orDamaged(s.xml.err))
		case xmlClose:
			depth--
			note = max(0, note-1)
			open = depth > 0
		case xmlText:
			if depth > 1 && note == 0 {
				b.Write(s.xml.text)
			}
		case xmlStart:
			inside := s.xml.open
			switch {
			case note > 0:
			case s.xml.is("annotation"):
				if inside {
					note = 1
					depth++
					continue
				}
			case s.xml.is("p"):
				if !first {
					b.WriteByte('\n')
				}
				first = false
			case s.xml.is("s"):
				b.WriteString(strings.Repeat(" ", min(countOf(s.xml.get("c")), 1000)))
			case s.xml.is("tab"):
				b.WriteByte('\t')
			case s.xml.is("line-break"):
				b.WriteByte('\n')
			}
			if inside {
				depth++
				if note > 0 {
					note++
				}
			}
		}
		if b.Len() > maxCell {
			return "", s.fail(errCell)
		}
	}
	return b.String(), nil
}

var odsDates = []string{"2006-01-02", "2006-01-02T15:04:05", "2006-01-02T15:04:05.999999999", "2006-01-02T15:04"}

func odsCell(kind, value, text string, formula bool) table.Cell {
	switch kind {
	case "float", "percentage", "currency":
		n, err := strconv.ParseFloat(value, 64)
		if err != nil || math.IsInf(n, 0) || math.IsNaN(n) {
			return table.Cell{Kind: table.Bad, Text: text}
		}
		c := numberCell(n, 0)
		if digits := strings.TrimSpace(text); n == math.Trunc(n) && len(digits) > len(c.Text) && strings.Trim(digits, "0123456789") == "" { // zeros in front
			c.Text = digits
		}
		return c
	case "date":
		for i, layout := range odsDates {
			if t, err := time.Parse(layout, value); err == nil {
				k := table.DateTime
				if i == 0 {
					k = table.Date
				}
				return table.NewTemporal(k, float64(t.Unix()-zone.Wall(1899, 12, 30, 0, 0, 0))/86400)
			}
		}
		return table.Cell{Kind: table.Bad, Text: value}
	case "time":
		d, ok := moment.ParseLength(value)
		if !ok && strings.Trim(value, "PTHMS0") != "" {
			return table.Cell{Kind: table.Bad, Text: value}
		}
		k := table.Time
		if d >= 24*time.Hour {
			k = table.Duration
		}
		return table.NewTemporal(k, d.Hours()/24)
	case "boolean":
		return table.Cell{Kind: table.Bool, Text: value}
	}
	switch {
	case text == "" && formula:
		return table.Cell{Kind: table.Bad, Text: "a formula without a value"}
	case text == "":
		return table.Cell{}
	case formula && (strings.HasPrefix(text, "#") || strings.HasPrefix(text, "Err:")):
		return table.Cell{Kind: table.Bad, Text: text}
	}
	return table.Cell{Kind: table.Text, Text: text}
}
