package job

import (
	"slices"
	"strings"

	"almanach/internal/core/intake"
	"almanach/internal/core/table"
)

// The columns that a file of held rows has before those of the source.
var heldColumns = []string{"Held because", "Cell", "What to do"}

// HeldRow is a row that is held, as the source has it.
type HeldRow struct {
	Because, Cell, Advice string
	Values                []string
}

// HeldTable are the rows that are held, in the columns of the source, with the
// reason, the cell and the advice in front.
type HeldTable struct {
	Sheet  string // that the rows are of
	Header []string
	Rows   []HeldRow
}

// Records gives the table with its header, as values.
func (h *HeldTable) Records() [][]string {
	out := [][]string{slices.Concat(heldColumns, h.Header)}
	for _, r := range h.Rows {
		out = append(out, append([]string{r.Because, r.Cell, r.Advice}, r.Values...))
	}
	return out
}

// heldRows gives the held rows of a load.
func (l *load) heldRows() *HeldTable {
	header := l.batch.Mapping.Header
	out := &HeldTable{Sheet: l.report.Source.Sheet}
	var columns []int
	for i, name := range header {
		if name != "" && !slices.Contains(heldColumns, name) {
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
		row := l.batch.Rows[h.Row]
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
