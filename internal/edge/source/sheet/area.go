package sheet

import (
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// Area is a range of cells, rows from 1, columns from 0; zero bounds are open.
type Area struct{ Top, Bottom, Left, Right int }

// Whole tells whether no bound is set.
func (a Area) Whole() bool { return a == Area{} }

// ParseArea reads A1:H30, B4:H, or B:H.
func ParseArea(text string) (Area, error) {
	if text == "" {
		return Area{}, nil
	}
	from, to, ok := strings.Cut(strings.ReplaceAll(strings.TrimSpace(text), "$", ""), ":")
	left, top, ok1 := parseRef(from)
	right, bottom, ok2 := parseRef(to)
	if !ok || !ok1 || !ok2 || right < left || (bottom > 0 && bottom < top) {
		return Area{}, fault.New(text, "is not a range of cells").Do("write it as B4:H30")
	}
	return Area{Top: max(top, 1), Bottom: bottom, Left: left, Right: right}, nil
}

// parseRef reads a cell such as B4, or a column such as B with row 0.
func parseRef(ref string) (column, row int, ok bool) {
	letters := strings.TrimRight(ref, "0123456789")
	column = table.Index(letters)
	if len(letters) < len(ref) {
		n, err := strconv.Atoi(ref[len(letters):])
		if err != nil || n < 1 {
			return 0, 0, false
		}
		row = n
	}
	return column, row, column >= 0 && letters != ""
}
