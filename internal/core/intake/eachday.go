package intake

import (
	"fmt"
	"iter"
	"slices"

	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
)

// learnEachDay finds out whether start and end have their times of day in columns of their own,
// which can be those of each day between two dates. A heading such as Daily from says so; where
// none does, and no event of several days ends at an earlier time of day than it starts, there is
// a remark.
func (m *Mapping) learnEachDay(rows table.Rows) {
	m.clocksApart, m.daily, m.EachDay = false, false, ""
	var clocks []int
	for _, s := range []*moments{m.start, m.end} {
		if s == nil || len(s.columns) < 2 {
			continue
		}
		if i := slices.IndexFunc(s.columns, func(i int) bool { return m.columns[i].Role() == moment.ClockRole }); i >= 0 {
			clocks = append(clocks, s.columns[i])
		}
	}
	m.daily = slices.ContainsFunc(clocks, func(i int) bool { return match.Daily(m.Header[i]) })
	m.clocksApart = !m.borrowed && len(clocks) == 2 && clocks[0] != clocks[1]
	if !m.clocksApart || m.daily || m.intake.RangeWithTimes != "" {
		return
	}
	if m.longRows(rows, max(1, rows.Len()/sampledLengths)) < 2 {
		return
	}
	m.EachDay = fmt.Sprintf("events of several days are read as one each, from %s of the first day to %s of the last: if they take place at these times on each day, set range_with_times: each day, or give --range-with-times %q", m.Header.Label(clocks[0]), m.Header.Label(clocks[1]), "each day")
}

// longRows counts the events of several days among some rows. It gives none where one of them
// ends at a time of day that is not after that of its start.
func (m *Mapping) longRows(rows table.Rows, stride int) (count int) {
	for g := range m.sampled(rows, stride) {
		switch {
		case !g.severalDays():
		case g.end.Clock <= g.start.Clock:
			return 0
		default:
			count++
		}
	}
	return count
}

// sampled gives what every so many rows say of their spans, but for those of which that cannot
// be told.
func (m *Mapping) sampled(rows table.Rows, stride int) iter.Seq[*given] {
	return func(yield func(*given) bool) {
		mapper := m.Mapper() // it must not outlive the learning
		for n := 0; n < rows.Len(); n += stride {
			row := rows.At(n)
			if row.Fault != nil || row.Hidden {
				continue
			}
			mapper.eval.Load(row)
			if g, f := mapper.said(row); f == nil && !yield(g) {
				return
			}
		}
	}
}

// severalDays tells whether the event has a date and a time of day at both ends, and is no night.
func (g *given) severalDays() bool {
	s, e := &g.start, &g.end
	return s.HasDate && !s.HasEndDate && e.HasDate && s.Clock != moment.NoClock && e.Clock != moment.NoClock &&
		e.Date > s.Date && !(e.Date == s.Date+day24 && e.Clock <= s.Clock)
}

// rangeMeaning gives what the intake says of dates with times of day in other columns, or what
// their headings do.
func (m *Mapping) rangeMeaning() string {
	if m.intake.RangeWithTimes == "" && m.daily {
		return "each day"
	}
	return m.intake.RangeWithTimes
}
