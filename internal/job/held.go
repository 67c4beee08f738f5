package job

import (
	"slices"
	"strings"

	"almanach/internal/core/intake"
	"almanach/internal/core/table"
)

// The columns that a file of held rows has behind those of the source, which keep
// their places.
var heldColumns = []string{"Held because", "Cell", "What to do"}

// HeldRow is a row that is held, as the source has it.
type HeldRow struct {
	Because, Cell, Advice string
	Values                []string
}

// HeldTable are the rows that are held, in the columns of the source, with the
// reason, the cell and the advice behind them.
type HeldTable struct {
	Sheet  string // that the rows are of
	Lead   int    // rows above the header, where the intake says in which row it stands
	None   bool   // the source has no header, so that its rows cannot be sent back
	Header []string
	Rows   []HeldRow
}

// Records gives the table with its header, as values.
func (h *HeldTable) Records() (out [][]string) {
	width := len(h.Header) + len(heldColumns)
	for n := range h.Lead {
		row := make([]string, width)
		if n == 0 {
			row[0] = "Rows that are held, to be corrected"
		}
		out = append(out, row)
	}
	out = append(out, slices.Concat(h.Header, heldColumns))
	for _, r := range h.Rows {
		out = append(out, slices.Concat(r.Values, []string{r.Because, r.Cell, r.Advice}))
	}
	return out
}

// heldRows gives the held rows of a load.
func (l *load) heldRows() *HeldTable {
	header := l.batch.Mapping.Header
	out := &HeldTable{Sheet: l.report.Source.Sheet, None: l.in.From.Header.None, Lead: max(0, l.in.From.Header.Last-1)}
	var columns []int
	for i, name := range header {
		if !slices.Contains(heldColumns, name) {
			columns = append(columns, i)
			out.Header = append(out.Header, name)
		}
	}
	held := slices.Clone(l.batch.Held)
	slices.SortStableFunc(held, func(a, b intake.Held) int { return a.Row - b.Row })
	for _, h := range held {
		if l.req.partial() && !l.selected(h.Row) {
			continue
		}
		row := l.batch.Rows.At(h.Row)
		one := HeldRow{Because: h.Fault.Cause.Error(), Cell: strings.TrimSpace(h.Fault.Place.Column), Advice: h.Fault.Advice}
		if h.Fault.Quoted {
			one.Because = `"` + h.Fault.Value + `" ` + one.Because
		}
		for _, i := range columns {
			one.Values = append(one.Values, row.Cell(i).Text)
		}
		out.Rows = append(out.Rows, one)
	}
	return out
}

// mended tells whether a source is a file of held rows that came back: it is a part
// of its source, so nothing is gone because it is not in it.
func mended(header table.Header) bool {
	return slices.Contains(header, heldColumns[0]) && slices.Contains(header, heldColumns[2])
}

// unquoted takes away the sign that keeps spreadsheets from taking a value for a
// formula, which is no part of the value.
func unquoted(rows table.Rows) (out table.Rows) {
	var cells []table.Cell
	for _, r := range rows.All() {
		cells = r.AppendCells(cells[:0])
		for i, c := range cells {
			if len(c.Text) > 1 && c.Text[0] == '\'' && strings.ContainsRune("=+-@", rune(c.Text[1])) {
				cells[i].Text = c.Text[1:]
			}
		}
		out.Add(r.With(cells))
	}
	return out
}
