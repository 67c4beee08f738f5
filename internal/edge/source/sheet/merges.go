package sheet

import (
	"slices"

	"almanach/internal/core/table"
)

// Merges are the merged ranges of a sheet, whose rows are given in order from
// the top. What a range shows stands for all of its cells.
type Merges struct {
	ranges []merged
	next   int   // the first range that no row has reached yet
	active []int // ranges that the current row is in
}

type merged struct {
	Area
	value table.Cell // what it has shown so far
}

// Len is how many ranges there are.
func (m *Merges) Len() int { return len(m.ranges) }

// Add takes in a merged range. Ranges above rows that were given already are
// added in the order of their tops.
func (m *Merges) Add(a Area) { m.ranges = append(m.ranges, merged{Area: a}) }

// Sort puts ranges that were added in any order into the order of their tops.
func (m *Merges) Sort() {
	slices.SortStableFunc(m.ranges, func(a, b merged) int { return a.Top - b.Top })
}

// reach brings the active ranges up to a row.
func (m *Merges) reach(row int) {
	for m.next < len(m.ranges) && m.ranges[m.next].Top <= row {
		m.active = append(m.active, m.next)
		m.next++
	}
	m.active = slices.DeleteFunc(m.active, func(i int) bool { return m.ranges[i].Bottom < row })
}

// MaxSpread is how far to the right a merged range is filled: titles are
// merged over whole sheets.
const MaxSpread = 256

// Spread fills the merged cells of a row. Where one range holds all that the
// row says, as headings within a table do, it gives the columns it spans.
func (m *Merges) Spread(row int, cells []table.Cell) (filled []table.Cell, wide int32) {
	m.reach(row)
	wide = m.alone(row, cells)
	for _, i := range m.active {
		r := &m.ranges[i]
		if row == r.Top && r.Left < len(cells) {
			r.value = cells[r.Left]
		}
		if !r.value.Filled() {
			continue
		}
		right := min(r.Right, r.Left+MaxSpread)
		for len(cells) <= right {
			cells = append(cells, table.Cell{})
		}
		for c := r.Left; c <= right; c++ {
			cells[c] = r.value
		}
	}
	return cells, wide
}

// alone gives the width of the one range that holds all that a row says, 0
// where there is more.
func (m *Merges) alone(row int, cells []table.Cell) int32 {
	if len(m.active) != 1 {
		return 0
	}
	r := &m.ranges[m.active[0]]
	for i, c := range cells {
		if c.Filled() && (i < r.Left || i > r.Right) {
			return 0
		}
	}
	if row != r.Top || r.Left >= len(cells) || !cells[r.Left].Filled() {
		return 0
	}
	return int32(r.Right - r.Left + 1)
}

// Below gives the first column from column on into which no range of a row
// above reaches down.
func (m *Merges) Below(row, column int) int {
	m.reach(row)
	for taken := true; taken; {
		taken = false
		for _, i := range m.active {
			if r := &m.ranges[i]; row > r.Top && r.Left <= column && column <= r.Right {
				column, taken = r.Right+1, true
			}
		}
	}
	return column
}
