// Package office reads spreadsheets: XLSX and OpenDocument.
package office

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path"
	"strconv"
	"strings"
	"unicode/utf8"
	"unsafe"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

// workbook is an XLSX file (ECMA-376), read cell by cell with type and number
// format, as no reader of plain strings can.
type workbook struct {
	file   *os.File
	budget *sheet.Budget
	name   string
	refs   []sheetRef
	parts  map[string]*zip.File
	base   string
	shared []string
	styles []style
	from04 bool // dates count from 1904
}

// worksheet is one sheet of a workbook.
type worksheet struct {
	*workbook
	from    *table.Origin
	part    io.ReadCloser
	xml     *xmlScanner
	cells   []table.Cell
	row     int32
	block   sheet.Block
	ended   bool
	merged  sheet.Merges
	columns []span // hidden columns
	long    *fault.Fault
	scratch []byte
}

type span struct{ from, to int }

// style is what a cell's number format means.
type style struct {
	kind table.Kind // Number when the format is no date
	pad  int        // digits that zeros in front fill up to
}

// maxPart is the most bytes of one unpacked part.
const maxPart = 2 << 30

// maxCellText is the most characters that one cell can have.
const maxCellText = 32767

// Open opens a zip file as the workbook it is.
func Open(f *os.File, size int64, o sheet.Options) (sheet.Book, error) {
	at := fault.Place{File: o.Name}
	z, err := zip.NewReader(f, size)
	if err != nil {
		return nil, fault.Newf("the workbook is damaged or was cut short: %w", err).At(at).Do("open it, save it again, or ask for it again")
	}
	parts := map[string]*zip.File{}
	for _, p := range z.File {
		parts[strings.TrimPrefix(p.Name, "/")] = p
	}
	if parts["content.xml"] != nil && parts["mimetype"] != nil {
		return openDocument(f, parts, o)
	}
	main := parts["xl/workbook.xml"]
	if main == nil {
		for name, p := range parts {
			if strings.HasSuffix(strings.ToLower(name), "/workbook.xml") {
				main = p
			}
		}
	}
	if main == nil {
		what := "is a zip file, not a workbook"
		if parts["word/document.xml"] != nil {
			what = "is a text document, not a workbook"
		}
		return nil, fault.Newf("%s: it has no sheets", what).At(at).Do("save the table as .xlsx or .csv")
	}
	w := &workbook{file: f, name: o.Name, parts: parts, budget: o.Budget}
	if err := w.readMain(main); err != nil {
		return nil, fault.Of(err).At(at)
	}
	return w, nil
}

func (w *workbook) readMain(main *zip.File) error {
	if err := w.readSheets(main); err != nil {
		return fault.Newf("the workbook cannot be read: %w", err)
	}
	w.base = path.Dir(strings.TrimPrefix(main.Name, "/"))
	targets, err := w.relations(w.parts[path.Join(w.base, "_rels", path.Base(main.Name)+".rels")])
	if err != nil {
		return fault.Newf("the workbook cannot be read: %w", err)
	}
	for i := range w.refs {
		w.refs[i].part = w.resolve(targets[w.refs[i].id])
	}
	for _, target := range targets {
		var err error
		switch {
		case strings.HasSuffix(target, "sharedStrings.xml"):
			w.shared, err = w.readShared(w.resolve(target))
		case strings.HasSuffix(target, "styles.xml"):
			w.styles, err = w.readStyles(w.resolve(target))
		}
		if err != nil {
			return fault.Newf("the workbook's part %s cannot be read: %w", target, err)
		}
	}
	return nil
}

func (w *workbook) resolve(target string) *zip.File {
	if strings.HasPrefix(target, "/") {
		return w.parts[strings.TrimPrefix(target, "/")]
	}
	return w.parts[path.Join(w.base, target)]
}

func (w *workbook) Sheets() []sheet.Info {
	out := make([]sheet.Info, len(w.refs))
	for i, r := range w.refs {
		out[i] = sheet.Info{Name: r.name, Hidden: r.hidden}
	}
	return out
}

func (w *workbook) Close() error { return w.file.Close() }

func (w *workbook) Open(i int) (sheet.Raw, error) {
	ref := w.refs[i]
	s := &worksheet{workbook: w, from: &table.Origin{File: w.name, Sheet: ref.name, From1904: w.from04}}
	at := fault.Place{File: w.name, Sheet: ref.name}
	if ref.part == nil {
		return nil, fault.Newf("the sheet is missing from the workbook").At(at)
	}
	tail, err := w.tailOf(ref.part)
	if err != nil {
		return nil, fault.Newf("the sheet cannot be read: %w", err).At(at)
	}
	s.merged = readMerges(tail)
	if s.part, err = openPart(w.budget, ref.part); err != nil {
		return nil, fault.Newf("the sheet cannot be read: %w", err).At(at)
	}
	s.xml = newXML(s.part)
	return s, nil
}

// tailOf gives what stands behind the cells of a sheet: its merged ranges. They
// are needed before the cells are read, so the sheet is unpacked once for them.
func (w *workbook) tailOf(p *zip.File) ([]byte, error) {
	r, err := openPart(w.budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	mark := []byte("<mergeCells")
	buf := make([]byte, 256<<10)
	kept := 0
	for {
		n, err := io.ReadFull(r, buf[kept:])
		data := buf[:kept+n]
		if i := bytes.Index(data, mark); i >= 0 {
			rest, err := io.ReadAll(io.LimitReader(r, 16<<20))
			return append(bytes.Clone(data[i:]), rest...), err
		}
		if err != nil {
			if errors.Is(err, io.ErrUnexpectedEOF) || err == io.EOF {
				return nil, nil
			}
			return nil, err
		}
		kept = copy(buf, data[len(data)-len(mark):])
	}
}

var errPart = errors.New("it unpacks to more than 2 GiB, or to more than 300 times its size, which no office program writes")

// openPart opens a part of the package, guarded against unpacking for ever.
func openPart(budget *sheet.Budget, p *zip.File) (io.ReadCloser, error) {
	if p == nil {
		return nil, errors.New("it is missing")
	}
	if p.UncompressedSize64 > maxPart {
		return nil, errPart
	}
	r, err := p.Open()
	if err != nil {
		return nil, err
	}
	most := min(int64(maxPart), max(packedFloor, int64(p.CompressedSize64)*packedRatio))
	return struct {
		io.Reader
		io.Closer
	}{&capped{budget.Reader(r), most}, r}, nil
}

// A part that unpacks to more than packedRatio times its size, and is large,
// was packed to do harm: sheets come to fifty times at most.
const (
	packedRatio = 300
	packedFloor = 64 << 20
)

type capped struct {
	r    io.Reader
	left int64
}

func (c *capped) Read(p []byte) (int, error) {
	if c.left <= 0 {
		return 0, errPart
	}
	n, err := c.r.Read(p)
	c.left -= int64(n)
	return n, err
}

type sheetRef struct {
	name, id string
	hidden   bool
	part     *zip.File
}

func (w *workbook) readSheets(p *zip.File) error {
	r, err := openPart(w.budget, p)
	if err != nil {
		return err
	}
	defer r.Close()
	x := newXML(r)
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k != xmlStart {
			continue
		}
		switch {
		case x.is("sheet"):
			state := string(x.get("state"))
			w.refs = append(w.refs, sheetRef{name: string(x.get("name")), id: string(x.get("id")), hidden: state == "hidden" || state == "veryHidden"})
		case x.is("workbookPr"):
			v := string(x.get("date1904"))
			w.from04 = v == "1" || v == "true"
		}
	}
	if x.err == nil && len(w.refs) == 0 {
		return errors.New("it has no sheets")
	}
	return x.err
}

func (w *workbook) relations(p *zip.File) (map[string]string, error) {
	r, err := openPart(w.budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	out := map[string]string{}
	x := newXML(r)
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k == xmlStart && x.is("Relationship") {
			out[string(x.get("Id"))] = string(x.get("Target"))
		}
	}
	return out, x.err
}

func (w *workbook) readShared(p *zip.File) ([]string, error) {
	r, err := openPart(w.budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	x := newXML(r)
	var out []string
	size := 0
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k == xmlStart && x.is("si") {
			text := x.content("rPh")
			out = append(out, text)
			if size += len(text) + 48; size > sheet.MaxShared {
				return nil, fmt.Errorf("its texts have more than %d MiB", sheet.MaxShared>>20)
			}
		}
	}
	return out, x.err
}

func (w *workbook) readStyles(p *zip.File) ([]style, error) {
	r, err := openPart(w.budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	formats := map[string]string{}
	var out []style
	inside := false
	x := newXML(r)
	for k := x.next(); k != xmlEnd; k = x.next() {
		switch {
		case k == xmlStart && x.is("numFmt"):
			formats[string(x.get("numFmtId"))] = string(x.get("formatCode"))
		case k == xmlStart && x.is("cellXfs"):
			inside = x.open
		case k == xmlClose && x.is("cellXfs"):
			inside = false
		case k == xmlStart && inside && x.is("xf"):
			id := x.get("numFmtId")
			code, custom := formats[string(id)]
			if !custom {
				code = builtin[string(id)]
			}
			out = append(out, readFormat(code))
		}
	}
	return out, x.err
}

// builtin has the number formats that files name by number alone (ECMA-376
// part 1, §18.8.30), as far as they are dates and times.
var builtin = map[string]string{
	"14": "d/m/yyyy", "15": "d-mmm-yy", "16": "d-mmm", "17": "mmm-yy", "18": "h:mm AM/PM", "19": "h:mm:ss AM/PM", "20": "h:mm", "21": "h:mm:ss", "22": "d/m/yyyy h:mm",
	"27": "yyyy/m/d", "28": "m/d", "29": "m/d", "30": "m/d/yy", "31": "yyyy/m/d", "32": "h:mm", "33": "h:mm:ss", "34": "h:mm", "35": "h:mm:ss", "36": "yyyy/m/d",
	"45": "mm:ss", "46": "[h]:mm:ss", "47": "mm:ss.0", "50": "yyyy/m/d", "51": "m/d", "52": "yyyy/m", "53": "m/d", "54": "m/d", "55": "yyyy/m", "56": "m/d", "57": "yyyy/m/d", "58": "m/d",
}

// readFormat tells from a number format what its cells are: dates, times of
// day, lengths ([h]:mm) or numbers, and how many digits zeros fill up.
func readFormat(code string) style {
	code, _, _ = strings.Cut(code, ";") // the format of positive numbers
	date, clock, length := false, false, false
	for i := 0; i < len(code); i++ {
		switch c := code[i] | 0x20; {
		case code[i] == '"':
			if end := strings.IndexByte(code[i+1:], '"'); end >= 0 {
				i += end + 1
			}
		case code[i] == '\\' || code[i] == '_' || code[i] == '*':
			i++
		case code[i] == '[':
			end := strings.IndexByte(code[i:], ']')
			if end < 0 {
				return style{kind: table.Number}
			}
			switch strings.ToLower(code[i+1 : i+end]) {
			case "h", "hh", "m", "mm", "s", "ss":
				length = true
			}
			i += end
		case c == 'y' || c == 'd':
			date = true
		case c == 'h' || c == 's':
			clock = true
		case c == 'm' && !clock && !length && !strings.Contains(strings.ToLower(code[i:]), "s"):
			date = true
		case c == 'g' && strings.HasPrefix(strings.ToLower(code[i:]), "general"):
			i += len("general") - 1
		case (c == 'a' || c == 'p') && strings.HasPrefix(strings.ToLower(code[i:]), "am/pm"):
			clock = true
			i += 4
		}
	}
	switch {
	case length:
		return style{kind: table.Duration}
	case date && clock:
		return style{kind: table.DateTime}
	case date:
		return style{kind: table.Date}
	case clock:
		return style{kind: table.Time}
	}
	s := style{kind: table.Number}
	if code != "" && strings.Trim(code, "0") == "" {
		s.pad = len(code)
	}
	return s
}

func (w *worksheet) Origin() *table.Origin { return w.from }

func (w *worksheet) Close() error { return w.part.Close() }

func (w *worksheet) About(a *sheet.About) {
	a.Format, a.Merged = "XLSX workbook", w.merged.Len()
	if w.from04 {
		a.Notes = append(a.Notes, "its dates count from 1904")
	}
}

func (w *worksheet) Hidden(column int) bool {
	for _, c := range w.columns {
		if c.from <= column && column <= c.to {
			return true
		}
	}
	return false
}

func (w *worksheet) fail(format string, args ...any) error {
	return fault.Newf(format, args...).At(fault.Place{File: w.from.File, Sheet: w.from.Sheet, Row: int(w.row)})
}

func (w *worksheet) Next() (table.Row, error) {
	for !w.ended {
		switch w.xml.next() {
		case xmlEnd:
			if w.xml.err != nil {
				return table.Row{}, w.fail("the sheet cannot be read on: %w", w.xml.err)
			}
			return table.Row{}, w.fail("the sheet ends in the middle")
		case xmlClose:
			if w.xml.is("sheetData") || w.xml.is("worksheet") {
				w.ended = true
			}
		case xmlStart:
			if w.xml.is("row") {
				return w.readRow()
			}
			if w.xml.is("col") && yes(w.xml.get("hidden")) {
				from, ok1 := atoi(w.xml.get("min"))
				to, ok2 := atoi(w.xml.get("max"))
				if ok1 && ok2 {
					w.columns = append(w.columns, span{from - 1, to - 1})
				}
			}
			if w.xml.is("sheetData") && !w.xml.open {
				w.ended = true
			}
		}
	}
	return table.Row{}, io.EOF
}

func (w *worksheet) readRow() (table.Row, error) {
	if n, ok := atoi(w.xml.get("r")); ok {
		w.row = int32(n)
	} else {
		w.row++
	}
	if w.row > sheet.MaxRows {
		return table.Row{}, w.fail("the sheet has more than %d rows, the most a workbook can have", sheet.MaxRows)
	}
	row := table.Row{Origin: w.from, Number: w.row}
	row.Hidden = yes(w.xml.get("hidden"))
	w.cells, w.long = w.cells[:0], nil
	if !w.xml.open {
		return w.finish(row), nil
	}
	for {
		switch w.xml.next() {
		case xmlEnd:
			return row, w.fail("the row cannot be read: %w", orDamaged(w.xml.err))
		case xmlClose:
			if w.xml.is("row") {
				return w.finish(row), nil
			}
		case xmlStart:
			if w.xml.is("c") {
				if err := w.readCell(); err != nil {
					return row, err
				}
			}
		}
	}
}

// yes reads an attribute of type boolean.
func yes(attr []byte) bool { return string(attr) == "1" || string(attr) == "true" }

func (w *worksheet) finish(row table.Row) table.Row {
	w.cells = w.merged.Spread(int(row.Number), w.cells)
	row.Cells = w.block.Take(w.cells)
	if w.long != nil {
		at := row.Place()
		at.Column = w.long.Place.Column
		row.Fault = w.long.At(at)
	}
	return row
}

func orDamaged(err error) error {
	if err == nil {
		return errXML
	}
	return err
}

func atoi(b []byte) (int, bool) {
	n, err := strconv.Atoi(string(b))
	return n, err == nil && n > 0
}

// cellHead is what the start of a cell says of it.
type cellHead struct {
	column, style int // -1 when it does not say
	kind          cellType
}

type cellType uint8

const (
	cellNumber cellType = iota
	cellShared
	cellText
	cellBool
	cellError
	cellDate
)

var cellTypes = map[string]cellType{"s": cellShared, "str": cellText, "inlineStr": cellText, "b": cellBool, "e": cellError, "d": cellDate}

func (w *worksheet) head() cellHead {
	h := cellHead{column: -1, style: -1}
	w.xml.eachAttr(func(name, value []byte) {
		if len(name) != 1 {
			return
		}
		switch name[0] {
		case 'r':
			n := 0
			for _, c := range value {
				if c < 'A' || c > 'Z' || n > sheet.MaxColumns {
					break
				}
				n = n*26 + int(c-'A') + 1
			}
			h.column = n - 1
		case 's':
			if n, err := strconv.Atoi(string(value)); err == nil && n >= 0 {
				h.style = n
			}
		case 't':
			h.kind = cellTypes[string(value)]
		}
	})
	return h
}

func (w *worksheet) readCell() error {
	head := w.head()
	column := len(w.cells)
	if head.column >= 0 {
		column = head.column
	}
	if column >= sheet.MaxColumns {
		return w.fail("the row has more than %d columns, the most a workbook can have", sheet.MaxColumns)
	}
	format := style{kind: table.Number}
	if head.style >= 0 && head.style < len(w.styles) {
		format = w.styles[head.style]
	} else if head.style < 0 && len(w.styles) > 0 {
		format = w.styles[0]
	}
	value, formula, found := "", false, false
	for w.xml.open {
		k := w.xml.next()
		if k == xmlEnd {
			return w.fail("a cell cannot be read: %w", orDamaged(w.xml.err))
		}
		if k == xmlClose && w.xml.is("c") {
			break
		}
		if k != xmlStart {
			continue
		}
		switch {
		case w.xml.is("v"):
			found = true
			if !w.xml.open {
				break
			}
			if text, ok := w.xml.simple(); ok {
				value = w.short(head.kind, text)
			} else {
				value = w.xml.content("")
			}
		case w.xml.is("is"):
			value, found = w.xml.content("rPh"), true
		case w.xml.is("f"):
			formula = true
			w.xml.content("")
		}
		w.xml.open = true // the cell itself is open still
	}
	kind := head.kind
	for len(w.cells) <= column {
		w.cells = append(w.cells, table.Cell{})
	}
	if len(value) > maxCellText && utf8.RuneCountInString(value) > maxCellText || kind == cellShared && w.tooLong(value) {
		w.long = sheet.TooLong(value, maxCellText, "characters, the most a workbook's cell can have")
		w.long.Place.Column = table.Letter(column)
		value = ""
	}
	w.cells[column] = w.cell(kind, format, value, found, formula)
	return nil
}

// tooLong tells whether a shared text is longer than a cell can be.
func (w *worksheet) tooLong(index string) bool {
	i, err := strconv.Atoi(index)
	return err == nil && i >= 0 && i < len(w.shared) && len(w.shared[i]) > maxCellText && utf8.RuneCountInString(w.shared[i]) > maxCellText
}

// short gives a text as a string; indexes into the shared texts, which are
// many and few of them new, without a copy of their own.
func (w *worksheet) short(kind cellType, text []byte) string {
	if kind != cellShared && kind != cellNumber {
		return string(text)
	}
	w.scratch = append(w.scratch[:0], text...)
	return unsafe.String(unsafe.SliceData(w.scratch), len(w.scratch))
}

func (w *worksheet) cell(kind cellType, format style, value string, found, formula bool) table.Cell {
	text := func(s string) table.Cell {
		if s == "" {
			return table.Cell{}
		}
		return table.Cell{Kind: table.Text, Text: s}
	}
	switch kind {
	case cellShared:
		i, err := strconv.Atoi(strings.TrimSpace(value))
		if err != nil || i < 0 || i >= len(w.shared) {
			return table.Cell{Kind: table.Bad, Text: "missing text " + strings.Clone(value)}
		}
		return text(decodeEscapes(w.shared[i]))
	case cellText:
		if formula && !found {
			return table.Cell{Kind: table.Bad, Text: "a formula without a value"}
		}
		return text(decodeEscapes(value))
	case cellBool:
		return table.Cell{Kind: table.Bool, Text: map[bool]string{true: "true", false: "false"}[value == "1"]}
	case cellError:
		return table.Cell{Kind: table.Bad, Text: value}
	case cellDate:
		return text(value)
	}
	value = strings.TrimSpace(value)
	if !found || value == "" {
		if formula {
			return table.Cell{Kind: table.Bad, Text: "a formula without a value"}
		}
		return table.Cell{}
	}
	n, err := strconv.ParseFloat(value, 64)
	if err != nil || math.IsInf(n, 0) || math.IsNaN(n) {
		return table.Cell{Kind: table.Bad, Text: strings.Clone(value)}
	}
	return w.number(n, format)
}

// lastDay is 31 December 9999, the last day a workbook can show.
const lastDay = 2958466

func (w *workbook) number(n float64, format style) table.Cell {
	switch format.kind {
	case table.Date, table.DateTime:
		if n < 0 || n >= lastDay {
			break
		}
		kind := format.kind
		if kind == table.DateTime && n < 1 || kind == table.Date && n < 1 && n > 0 {
			return table.NewTemporal(table.Time, n)
		}
		if w.from04 {
			n += 1462
		} else if n < 60 {
			n++ // before the 29 February 1900 that never was
		}
		if kind == table.Date && n != math.Trunc(n) {
			kind = table.DateTime
		}
		return table.NewTemporal(kind, n)
	case table.Time:
		if n >= 1 && n < lastDay { // a date formatted to show only its time
			if w.from04 {
				n += 1462
			}
			return table.NewTemporal(table.DateTime, n)
		}
		if n >= 0 {
			return table.NewTemporal(table.Time, n)
		}
	case table.Duration:
		return table.NewTemporal(table.Duration, n)
	}
	return numberCell(n, format.pad)
}

// numberCell shows a number as people write it, filled up with zeros to pad
// digits.
func numberCell(n float64, pad int) table.Cell {
	c := table.Cell{Kind: table.Number, Number: n}
	if n == math.Trunc(n) && math.Abs(n) < 1e15 {
		c.Text = strconv.FormatInt(int64(n), 10)
		if pad > len(c.Text) && n >= 0 {
			c.Text = strings.Repeat("0", pad-len(c.Text)) + c.Text
		}
	} else {
		c.Text = strconv.FormatFloat(n, 'f', -1, 64)
		if short := strconv.FormatFloat(n, 'f', 10, 64); len(short) < len(c.Text) { // 0.1+0.2
			c.Text = strings.TrimRight(strings.TrimRight(short, "0"), ".")
		}
	}
	return c
}

// decodeEscapes undoes _x000D_, by which workbooks write control characters.
func decodeEscapes(s string) string {
	if !strings.Contains(s, "_x") {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if i+7 <= len(s) && s[i] == '_' && s[i+1] == 'x' && s[i+6] == '_' {
			if n, err := strconv.ParseUint(s[i+2:i+6], 16, 16); err == nil && utf8.ValidRune(rune(n)) {
				b.WriteRune(rune(n))
				i += 6
				continue
			}
		}
		b.WriteByte(s[i])
	}
	return b.String()
}

// readMerges reads the mergeCells element of a worksheet.
func readMerges(xml []byte) (m sheet.Merges) {
	if len(xml) == 0 {
		return m
	}
	x := newXML(bytes.NewReader(xml))
	for k := x.next(); k != xmlEnd && m.Len() < sheet.MaxRows; k = x.next() {
		if k == xmlClose && x.is("mergeCells") {
			break
		}
		if k == xmlStart && x.is("mergeCell") {
			if a, err := sheet.ParseArea(string(x.get("ref"))); err == nil && a.Bottom > 0 {
				m.Add(a)
			}
		}
	}
	m.Sort()
	return m
}
