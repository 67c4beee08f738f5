package match

import (
	"slices"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
)

// otherDays looks at days that no field takes, beside a start whose day and time stand in
// columns of their own: they may be the days on which the events begin or end.
func (h *hours) otherDays(start *Choice, clock int) *fault.Fault {
	day := start.Indexes[0]
	if day == clock || h.timed(day) {
		return nil
	}
	var earlier, later []int
	end := h.choice("end")
	for i := range h.traits {
		if !h.ofTheEvent(i) {
			continue
		}
		if !headingOf(h.header.Label(day)).strong("start") && h.follows(i, day) {
			earlier = append(earlier, i)
		}
		if end != nil && len(end.Indexes) == 1 && h.traits[end.Indexes[0]].Column.Mostly() != moment.DateRole && h.follows(day, i) {
			later = append(later, i)
		}
	}
	if len(earlier) > 0 && len(h.named("start")) == 0 {
		return h.askWith("start", append([]int{day}, earlier...), []int{clock}, "hold days, and no name says which is the start", "")
	}
	if _, told := h.given.Fields["end"]; told || len(later) == 0 {
		return nil
	}
	return h.askWith("end", later, end.Indexes, "hold days after the start, and no name says which is the end", "holds days after the start, and its name does not say whether it is the end")
}

// ofTheEvent tells whether a column that no field takes holds days, and its heading does not
// say that they are of something else.
func (h *hours) ofTheEvent(i int) bool {
	t, name := h.traits[i], headingOf(h.header.Label(i))
	return !h.taken(i) && !slices.Contains(h.given.Key, h.header[i]) && t.Filled > 0 && t.Column.Holds(t.Filled-t.Bad) && t.Column.Mostly() == moment.DateRole && !name.record() && !name.says("former") && !name.says("series") && !name.says("due")
}

// days looks at days that no field takes, beside a start that is a day.
func (h *hours) days(from int) *fault.Fault {
	var rivals, later []int
	for i := range h.traits {
		name := headingOf(h.header.Label(i))
		if !h.ofTheEvent(i) {
			continue
		}
		if h.passes(from) && name.rank(names("start")) > 0 && !name.strong("end") {
			rivals = append(rivals, i)
		}
		if h.follows(from, i) {
			later = append(later, i)
		}
	}
	if len(rivals) > 0 && !slices.Contains(h.named("start"), from) {
		return h.ask("start", append([]int{from}, rivals...), "hold days, and no name says which is the start", "")
	}
	if _, told := h.given.Fields["end"]; told || h.choice("end") != nil || h.choice("length") != nil || h.choice("repeat") != nil {
		return nil
	}
	return h.ask("end", later, "hold days after the start, and no name says which is the end", "holds days after the start, and its name does not say whether it is the end")
}

// follows tells whether the days of a column are those of another or later, by a month at most.
func (h *hours) follows(from, i int) bool {
	stride := max(1, h.rows.Len()/sampled)
	later := false
	for n := 0; n < h.rows.Len(); n += stride {
		row := h.rows.At(n)
		a, f := h.traits[from].Column.Read(row.Cell(from))
		b, g := h.traits[i].Column.Read(row.Cell(i))
		if f != nil || g != nil || !a.HasDate || !b.HasDate || a.HasEndDate {
			continue
		}
		if b.Date < a.Date || b.Date-a.Date > month {
			return false
		}
		later = later || b.Date > a.Date
	}
	return later
}
