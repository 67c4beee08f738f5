package match

import (
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
)

// backwards tells whether what was taken for the end, by the order of what arrives and what
// leaves, is mostly before the start.
func (h *hours) backwards() bool {
	start, end := h.choice("start"), h.choice("end")
	if start == nil || end == nil {
		return false
	}
	first, last := start.Indexes[0], end.Indexes[0]
	if len(start.Indexes) == 2 && len(end.Indexes) == 2 && h.clocksPass(start, end) { // on one day the times tell
		return h.clocksBackwards(start, end)
	}
	if !h.passes(first) || !h.passes(last) {
		return false
	}
	from, until := h.traits[first].Column, h.traits[last].Column
	stride := max(1, h.rows.Len()/sampled)
	before, after := 0, 0
	for n := 0; n < h.rows.Len(); n += stride {
		row := h.rows.At(n)
		a, f := from.Read(row.Cell(first))
		b, g := until.Read(row.Cell(last))
		if f != nil || g != nil || !a.HasDate || !b.HasDate {
			continue
		}
		switch {
		case b.Date < a.Date || b.Date == a.Date && b.Clock < a.Clock:
			before++
		case b.Date > a.Date || b.Clock > a.Clock:
			after++
		}
	}
	return before > 3*after
}

// clocksPass tells whether days and times stand apart, and only the times say that something
// arrives and leaves.
func (h *hours) clocksPass(start, end *Choice) bool {
	return h.passes(start.Indexes[1]) && h.passes(end.Indexes[1]) && !h.passes(start.Indexes[0]) && !h.passes(end.Indexes[0])
}

// clocksBackwards tells whether the times of what was taken for the end are mostly before
// those of the start, where both are on one day.
func (h *hours) clocksBackwards(start, end *Choice) bool {
	read := func(row table.Row, c *Choice) (day, clock moment.Value, ok bool) {
		day, f := h.traits[c.Indexes[0]].Column.Read(row.Cell(c.Indexes[0]))
		clock, g := h.traits[c.Indexes[1]].Column.Read(row.Cell(c.Indexes[1]))
		return day, clock, f == nil && g == nil && day.HasDate && clock.Clock != moment.NoClock
	}
	before, after := 0, 0
	stride := max(1, h.rows.Len()/sampled)
	for n := 0; n < h.rows.Len(); n += stride {
		d1, t1, ok1 := read(h.rows.At(n), start)
		d2, t2, ok2 := read(h.rows.At(n), end)
		if !ok1 || !ok2 || d1.Date != d2.Date {
			continue
		}
		switch {
		case t2.Clock < t1.Clock:
			before++
		case t2.Clock > t1.Clock:
			after++
		}
	}
	return before > 3*after
}
