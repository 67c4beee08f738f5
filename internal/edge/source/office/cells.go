package office

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"unicode/utf8"
	"unsafe"

	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

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

func (w *worksheet) head() cellHead {
	h := cellHead{column: -1, style: -1}
	w.xml.eachAttr(func(name, value []byte) {
		if len(name) == 1 {
			h.take(name[0], value)
		}
	})
	return h
}

// take takes in an attribute of one letter.
func (h *cellHead) take(name byte, value []byte) {
	switch name {
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
		switch string(value) {
		case "s":
			h.kind = cellShared
		case "str", "inlineStr":
			h.kind = cellText
		case "b":
			h.kind = cellBool
		case "e":
			h.kind = cellError
		case "d":
			h.kind = cellDate
		default:
			h.kind = cellNumber
		}
	}
}

// quickCell reads the next cell where it is written as office programs nearly
// always write one, and all of it is at hand: a value, a text or nothing. It
// tells whether it did; readCell reads all others.
func (w *worksheet) quickCell() bool {
	b := w.xml.buf[w.xml.pos:]
	if len(b) < len("<c />") || b[0] != '<' || b[1] != 'c' || b[2] != ' ' {
		return false
	}
	head := cellHead{column: -1, style: -1}
	i := len("<c")
	for i+4 < len(b) && b[i] == ' ' && b[i+2] == '=' && b[i+3] == '"' {
		end := bytes.IndexByte(b[i+4:], '"')
		if end < 0 {
			return false
		}
		head.take(b[i+1], b[i+4:i+4+end])
		i += 4 + end + 1
	}
	open, closed, found := "", "/>", false
	switch rest := b[i:]; {
	case bytes.HasPrefix(rest, []byte("/>")):
	case bytes.HasPrefix(rest, []byte("><v>")):
		open, closed, found = "><v>", "</v></c>", true
	case bytes.HasPrefix(rest, []byte("><is><t>")):
		open, closed, found = "><is><t>", "</t></is></c>", true
	case bytes.HasPrefix(rest, []byte(`><is><t xml:space="preserve">`)):
		open, closed, found = `><is><t xml:space="preserve">`, "</t></is></c>", true
	default:
		return false
	}
	text := b[i+len(open):]
	n := 0
	if found {
		n = bytes.IndexByte(text, '<')
	}
	if n < 0 || !bytes.HasPrefix(text[n:], []byte(closed)) || head.column >= sheet.MaxColumns || len(w.cells) >= sheet.MaxColumns {
		return false
	}
	w.xml.pos += i + len(open) + n + len(closed)
	w.put(head, w.short(head.kind, unescapeXML(text[:n])), found, false, false)
	return true
}

func (w *worksheet) readCell() error {
	head := w.head()
	if head.column >= sheet.MaxColumns || head.column < 0 && len(w.cells) >= sheet.MaxColumns {
		return w.fail("the row has more than %d columns, the most a workbook can have", sheet.MaxColumns)
	}
	value, formula, found, runs := "", false, false, false
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
			runs = w.xml.struck
		case w.xml.is("f"):
			formula = true
			w.xml.content("")
		}
		w.xml.open = true // the cell itself is open still
	}
	w.put(head, value, found, formula, runs)
	return nil
}

// put puts a cell into the row that is read. runs tells that text of it is
// crossed out.
func (w *worksheet) put(head cellHead, value string, found, formula, runs bool) {
	column := len(w.cells)
	if head.column >= 0 {
		column = head.column
	}
	kind, format := head.kind, w.styleOf(head.style)
	for len(w.cells) <= column {
		w.cells = append(w.cells, table.Cell{})
	}
	if len(value) > maxCellText && utf8.RuneCountInString(value) > maxCellText || kind == cellShared && w.tooLong(value) {
		w.long = sheet.TooLong(value, maxCellText, "characters, the most a workbook's cell can have")
		w.long.Place.Column = table.Letter(column)
		value = ""
	}
	c := w.cell(kind, format, value, found, formula)
	c.Struck = c.Filled() && (c.Struck || format.struck || runs)
	if c.Kind == table.Text && format.display.text != "" {
		c.Text = strings.Replace(format.display.text, "@", c.Text, 1)
	}
	w.cells[column] = c
}

// styleOf gives the style of a number, the first where a cell names none.
func (w *worksheet) styleOf(n int) *style {
	if n = max(n, 0); n < len(w.styles) {
		return &w.styles[n]
	}
	return &plainStyle
}

// plainStyle is the style of what names none that there is.
var plainStyle = style{kind: table.Number}

// tooLong tells whether a shared text is longer than a cell can be.
func (w *worksheet) tooLong(index string) bool {
	i, err := strconv.Atoi(index)
	return err == nil && i >= 0 && i < len(w.shared) && len(w.shared[i]) > maxCellText && utf8.RuneCountInString(w.shared[i]) > maxCellText
}

// textBlock is how many octets of a row's texts share a block of memory.
const textBlock = 64 << 10

// short gives a text as a string; indexes into the shared texts, which are
// many and few of them new, without a copy of their own.
func (w *worksheet) short(kind cellType, text []byte) string {
	if kind != cellShared && kind != cellNumber {
		if len(text) > cap(w.texts)-len(w.texts) {
			if len(text) > textBlock/8 {
				return string(text)
			}
			w.texts = make([]byte, 0, textBlock)
		}
		from := len(w.texts)
		w.texts = append(w.texts, text...)
		return unsafe.String(unsafe.SliceData(w.texts[from:]), len(text)) // good until the next row is read; rows keep copies
	}
	w.scratch = append(w.scratch[:0], text...)
	return unsafe.String(unsafe.SliceData(w.scratch), len(w.scratch))
}

func (w *worksheet) cell(kind cellType, format *style, value string, found, formula bool) table.Cell {
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
		c := text(decodeEscapes(w.shared[i]))
		c.Struck = w.struck[i]
		return c
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

func (w *workbook) number(n float64, format *style) table.Cell {
	switch format.kind {
	case table.Date, table.DateTime:
		if n <= 0 || n >= lastDay { // what an empty cell gives that a formula points at, or a wrong sum
			return table.Cell{Kind: table.Bad, Text: strconv.FormatFloat(n, 'f', -1, 64)}
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
			c := table.NewTemporal(table.DateTime, n)
			c.Shown = table.NoClock
			return c
		}
		c := table.NewTemporal(kind, n)
		c.Shown = format.part
		return c
	case table.Time:
		if n >= 1 && n < 60 { // 24:00 or more, and no day of 1900
			return table.NewTemporal(table.Duration, n)
		}
		if n >= 1 && n < lastDay { // a date formatted to show only its time
			if w.from04 {
				n += 1462
			}
			c := table.NewTemporal(table.DateTime, n)
			c.Shown = table.ClockOnly
			return c
		}
		if n >= 0 {
			return table.NewTemporal(table.Time, n)
		}
	case table.Duration:
		return table.NewTemporal(table.Duration, n)
	}
	return numberCell(n, &format.display)
}

// numberCell shows a number as people write it, and a whole one as its format
// shows it.
func numberCell(n float64, d *display) table.Cell {
	c := table.Cell{Kind: table.Number, Number: n}
	if n == math.Trunc(n) && math.Abs(n) < 1e15 {
		c.Text = strconv.FormatInt(int64(n), 10)
		if shown, ok := d.whole(int64(n)); ok && shown != "" {
			c.Text = shown
		}
		return c
	}
	c.Text = strconv.FormatFloat(n, 'f', -1, 64)
	if short := strconv.FormatFloat(n, 'f', 10, 64); len(short) < len(c.Text) { // 0.1+0.2
		c.Text = strings.TrimRight(strings.TrimRight(short, "0"), ".")
	}
	return c
}

// decodeEscapes undoes _x000D_, by which workbooks write control characters.
func decodeEscapes(s string) string {
	if strings.IndexByte(s, '_') < 0 {
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
