package source

import (
	"bytes"

	"almanach/internal/core/table"
)

// merges are the merged ranges of a sheet. What one shows stands for all of
// its cells.
type merges struct {
	ranges []area
	values []table.Cell // what each has shown so far
}

// readMerges reads the mergeCells element of a worksheet.
func readMerges(xml []byte) (m merges) {
	if len(xml) == 0 {
		return m
	}
	x := newXML(bytes.NewReader(xml))
	for k := x.next(); k != xmlEnd && len(m.ranges) < maxRows; k = x.next() {
		if k == xmlClose && x.is("mergeCells") {
			break
		}
		if k == xmlStart && x.is("mergeCell") {
			if a, err := parseArea(string(x.get("ref"))); err == nil && a.bottom > 0 {
				m.add(a)
			}
		}
	}
	return m
}

func (m *merges) add(a area) {
	m.ranges = append(m.ranges, a)
	m.values = append(m.values, table.Cell{})
}

// maxSpread is how far to the right a merged range is filled: titles are
// merged over whole sheets.
const maxSpread = 256

// spread fills the merged cells of a row, given in order from the top.
func (m *merges) spread(row int, cells []table.Cell) []table.Cell {
	for i := range m.ranges {
		a := m.ranges[i]
		if row < a.top || row > a.bottom {
			continue
		}
		if row == a.top && a.left < len(cells) {
			m.values[i] = cells[a.left]
		}
		v := m.values[i]
		if !v.Filled() {
			continue
		}
		right := min(a.right, a.left+maxSpread)
		for len(cells) <= right {
			cells = append(cells, table.Cell{})
		}
		for c := a.left; c <= right; c++ {
			cells[c] = v
		}
	}
	return cells
}
