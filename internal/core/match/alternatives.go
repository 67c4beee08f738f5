package match

import (
	"slices"
	"strings"

	"almanach/internal/core/moment"
)

// alternatives puts a second column beside that of the start or the end where a row has either:
// start.date for whole days and start.dateTime for others, as the records of calendars have them.
func (h *hours) alternatives() {
	for _, field := range []string{"start", "end"} {
		c := h.choice(field)
		if c == nil {
			continue
		}
		named := h.named(field)
		first := c.Indexes[0]
		for i := range h.header {
			switch {
			case slices.Contains(c.Indexes, i), len(named) > 0 && !slices.Contains(named, i):
			case parentOf(h.header[first]) == "" || parentOf(h.header[i]) != parentOf(h.header[first]):
			case h.taken(i), h.traits[i].Column.Mostly() != moment.DateRole, !h.either(first, i):
			default:
				c.Indexes = slices.Sorted(slices.Values(append(c.Indexes, i)))
				c.Columns, c.Template = nil, ""
				for _, n := range c.Indexes {
					c.Columns = append(c.Columns, h.header.Label(n))
					c.Template = strings.TrimSpace(c.Template + " " + Reference(h.header, n))
				}
			}
		}
	}
}

// parentOf gives what a column is a part of, in records that hold others: start of start.date.
func parentOf(name string) string { return name[:max(0, strings.LastIndexByte(name, '.'))] }

// either tells whether every row has one of two columns filled at most, and each of them is in
// some row.
func (h *hours) either(a, b int) bool {
	stride := max(1, h.rows.Len()/sampled)
	one, other := false, false
	for n := 0; n < h.rows.Len(); n += stride {
		row := h.rows.At(n)
		x, y := row.Filled(a), row.Filled(b)
		if x && y {
			return false
		}
		one, other = one || x, other || y
	}
	return one && other
}
