package intake

import (
	"fmt"
	"strings"

	"almanach/internal/core/moment"
	"almanach/internal/core/table"
)

// learnLastDay looks for signs that the end of all-day events is the day after their last one,
// as calendars count: every one of them has an end, none ends on its first day, and half of them
// or more end on the next. Nothing follows from that but a remark: stays of a night look alike.
func (m *Mapping) learnLastDay(rows table.Rows) {
	m.LastDay = ""
	if m.end == nil || m.intake.LastDay != "" {
		return
	}
	count, next := m.lastDays(rows, max(1, rows.Len()/sampledLengths))
	if next > 0 && rows.Len() > sampledLengths {
		count, next = m.lastDays(rows, 1)
	}
	if count < 2 || next*2 < count {
		return
	}
	var ends []string
	for _, i := range m.end.columns {
		ends = append(ends, m.Header.Label(i))
	}
	what := "the end"
	if len(ends) > 0 {
		what = strings.Join(ends, " or ")
	}
	m.LastDay = fmt.Sprintf("%s is read as the last day of the %d all-day events, and none of them ends on its first day: if it is the day after, set last_day: not included, or give --last-day %q", what, count, "not included")
}

// lastDays counts the all-day events of some rows, and those of them that end on the day after
// their first. It gives none where one of them has no end, or ends on its first day.
func (m *Mapping) lastDays(rows table.Rows, stride int) (count, next int) {
	for g := range m.sampled(rows, stride) {
		if !g.start.HasDate || g.length != 0 || g.start.HasEndDate || g.decide() != wholeDays || g.end.Clock != moment.NoClock {
			continue
		}
		switch days := (g.end.Date - g.start.Date) / day24; {
		case !g.end.HasDate || days == 0:
			return 0, 0
		case days < 0: // it is held
			continue
		case days == 1:
			next++
		}
		count++
	}
	return count, next
}
