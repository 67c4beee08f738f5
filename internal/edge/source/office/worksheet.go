package office

import (
	"io"
	"strconv"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

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
	asides  sheet.Asides
	columns []span // hidden columns
	long    *fault.Fault
	large   bool // worth reading in chunks
	scratch []byte
	texts   []byte // room for the texts of a row's cells

	whole  bool         // all rows are read
	rows   table.Rows   // as they stand, before merged ranges are spread: those are said behind the last row
	before []table.Rows // those before them
	read   int          // rows of these
	size   [2]int       // cells that were read, and octets of their texts
	given  int          // so many rows of the first of these are
	faults map[int32]*fault.Fault
	err    error // that ends the reading, behind the rows
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

// Next gives the next row. The first call reads all of them, since the merged
// ranges stand behind them.
func (w *worksheet) Next() (table.Row, error) {
	if !w.whole {
		w.whole, w.err = true, w.readAll()
		w.before = append(w.before, w.rows.Take())
		w.merged.Sort()
	}
	for len(w.before) > 0 && w.given == w.before[0].Len() {
		w.before, w.given = w.before[1:], 0
	}
	if len(w.before) == 0 {
		if w.err != nil {
			return table.Row{}, w.err
		}
		return table.Row{}, io.EOF
	}
	w.before[0].Forget(w.given)
	row := w.before[0].At(w.given)
	w.given++
	if w.merged.Len() > 0 {
		w.cells = row.AppendCells(w.cells[:0])
		cells, wide := w.merged.Spread(int(row.Number), w.block.Take(w.cells))
		row = row.With(cells)
		row.Span = wide
	}
	if f := w.faults[row.Number]; f != nil {
		at := row.Place()
		at.Column = f.Place.Column
		row.Fault = f.At(at)
	}
	return row, nil
}

// readAll reads the sheet to its end.
func (w *worksheet) readAll() error {
	for !w.ended {
		switch w.xml.next() {
		case xmlEnd:
			if w.xml.err != nil {
				return w.fail("the sheet cannot be read on: %w", w.xml.err)
			}
			return w.fail("the sheet ends in the middle")
		case xmlClose:
			w.ended = w.xml.is("sheetData") || w.xml.is("worksheet")
		case xmlStart:
			switch {
			case w.xml.is("row"):
				if err := w.readRow(); err != nil {
					return err
				}
				if w.size[0] > sheet.MaxCells || w.size[1] > sheet.MaxText { // those who take the rows stop before
					return w.fail("the sheet has more cells than are read")
				}
			case w.xml.is("col") && yes(w.xml.get("hidden")):
				from, ok1 := atoi(w.xml.get("min"))
				to, ok2 := atoi(w.xml.get("max"))
				if ok1 && ok2 {
					w.columns = append(w.columns, span{from - 1, to - 1})
				}
			case w.xml.is("sheetData") && !w.xml.open:
				w.ended = true
			case w.xml.is("sheetData") && w.large:
				w.readChunks()
			}
		}
	}
	return w.readBehind()
}

// readRow reads one row behind those that were.
func (w *worksheet) readRow() error {
	if n, ok := atoi(w.xml.get("r")); ok {
		w.row = int32(n)
	} else {
		w.row++
	}
	if w.row > sheet.MaxRows || w.read+w.rows.Len() > sheet.MaxRows {
		return w.fail("the sheet has more than %d rows, the most a workbook can have", sheet.MaxRows)
	}
	hidden := yes(w.xml.get("hidden"))
	w.cells, w.texts, w.long = w.cells[:0], w.texts[:0], nil
	for w.xml.open {
		if w.quickCell() {
			continue
		}
		k := w.xml.next()
		if k == xmlEnd {
			return w.fail("the row cannot be read: %w", orDamaged(w.xml.err))
		}
		if k == xmlClose && w.xml.is("row") {
			break
		}
		if k == xmlStart && w.xml.is("c") {
			if err := w.readCell(); err != nil {
				return err
			}
		}
		w.xml.open = true // the row is
	}
	if w.long != nil {
		if w.faults == nil {
			w.faults = map[int32]*fault.Fault{}
		}
		w.faults[w.row] = w.long
	}
	w.size[0] += len(w.cells)
	for i := range w.cells {
		w.size[1] += len(w.cells[i].Text)
	}
	w.rows.Add(table.Row{Origin: w.from, Number: w.row, Hidden: hidden, Cells: w.cells})
	return nil
}

// yes reads an attribute of type boolean.
func yes(attr []byte) bool { return string(attr) == "1" || string(attr) == "true" }

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
