package intake

import (
	"slices"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// weekdayNames are headings of columns that say on which day of the week the
// row's date falls.
var weekdayNames = []string{"weekday", "week day", "day of week", "day of the week", "dow", "day", "wochentag", "tag", "jour", "jour de la semaine", "día", "día de la semana", "giorno", "dia", "dia da semana", "weekdag", "dag"}

// enoughWeekdays is how many rows must show that a column of another heading
// is about the row's date; four of five must fit.
const enoughWeekdays = 5

// learnWeekdays finds a column of weekdays beside the dates. Nothing maps it,
// and it is evidence all the same: a date that contradicts it is most likely
// wrong. In rows of series it says something else.
func (m *Mapping) learnWeekdays(rows table.Rows) {
	m.weekday = -1
	if m.start == nil || m.series.repeat != nil || m.series.also != nil {
		return
	}
	for i := range m.Header {
		if (i >= len(m.columns) || m.columns[i] == nil) && m.namesWeekdays(i, rows) {
			m.weekday = i
			return
		}
	}
}

// yearNames are headings of columns that say in which year the row's date falls.
var yearNames = []string{"year", "jahr", "année", "annee", "año", "ano", "anno", "jaar"}

// learnBeside finds columns that nothing maps and that say more of the dates and
// times: their year, or am and pm.
func (m *Mapping) learnBeside(rows table.Rows) {
	m.year, m.half = -1, -1
	if m.start == nil {
		return
	}
	for i := range m.Header {
		if i < len(m.columns) && m.columns[i] != nil || slices.Contains(m.compiler.Used(), i) {
			continue
		}
		years, halves, filled := 0, 0, 0
		for _, r := range rows.All() {
			if r.Fault != nil || !r.Filled(i) {
				continue
			}
			if filled++; filled > 200 {
				break
			}
			text := strings.TrimSpace(r.Cell(i).Text)
			if len(text) == 4 && text > "1900" && text < "2200" {
				years++
			} else if moment.Half(text) != 0 {
				halves++
			} else {
				break
			}
		}
		switch name := strings.ToLower(strings.TrimSpace(m.Header[i])); {
		case years > 0 && years == filled && slices.Contains(yearNames, name):
			m.year = i
		case halves > 0 && halves == filled:
			m.half = i
		}
	}
}

// fitsBeside refuses a date or time that a column beside it contradicts.
func (m *Mapper) fitsBeside(row table.Row, v moment.Value) *fault.Fault {
	var year, half *fault.Fault
	if m.year >= 0 && row.Filled(m.year) {
		if y := zone.Civil(v.Date).Format("2006"); y != strings.TrimSpace(row.Cell(m.year).Text) {
			year = m.start.fault(m, row, saysDate, "is read as of "+y+", and "+m.Header.Label(m.year)+" says "+row.Cell(m.year).Text)
			year.Do("set assume: { year: … }, or write the year into the date")
		}
	}
	if m.half >= 0 && v.Clock != moment.NoClock {
		pm := moment.Half(row.Cell(m.half).Text) == 2
		if row.Filled(m.half) && pm != (v.Clock >= 12*3600) {
			half = fault.Newf("the start is read as %s, and %s says %s", showClock(v.Clock), m.Header.Label(m.half), row.Cell(m.half).Text)
			half.Do("add %s to start, behind the time", "{"+m.Header.Label(m.half)+"}")
		}
	}
	return fault.Join(year, half)
}

// namesWeekdays tells whether column i has weekdays, and they are those of the
// rows' dates. It looks at the first rows that have something there.
func (m *Mapping) namesWeekdays(i int, rows table.Rows) bool {
	var looked []table.Row
	in := ^moment.Languages(0) // that have all the names
	for _, r := range rows.All() {
		if r.Fault != nil || !r.Filled(i) {
			continue
		}
		days, of := moment.Weekdays(r.Cell(i).Text, 0)
		if days == 0 {
			return false
		}
		in &= of
		if looked = append(looked, r); len(looked) > 500 {
			break
		}
	}
	if m.weekdayIn = in; m.dates.Language != 0 {
		m.weekdayIn = m.dates.Language
	}
	mapper := m.Mapper() // it must not outlive the learning
	fits, against := 0, 0
	for _, r := range looked {
		days, _ := moment.Weekdays(r.Cell(i).Text, m.weekdayIn)
		mapper.eval.Load(r)
		switch v, f := mapper.read(m.start, r); {
		case f != nil || !v.HasDate:
		case days&(1<<zone.Civil(v.Date).Weekday()) != 0:
			fits++
		default:
			against++
		}
	}
	if slices.Contains(weekdayNames, strings.ToLower(strings.TrimSpace(m.Header[i]))) {
		return len(looked) > 0
	}
	return fits >= enoughWeekdays && against*4 <= fits
}

// rightWeekday refuses a date that is on another day of the week than the
// column of weekdays says.
func (m *Mapper) rightWeekday(row table.Row, date int64) *fault.Fault {
	if m.weekday < 0 {
		return nil
	}
	cell := row.Cell(m.weekday)
	set, _ := moment.Weekdays(cell.Text, m.weekdayIn)
	if set == 0 || set&(1<<zone.Civil(date).Weekday()) != 0 {
		return nil
	}
	f := m.start.fault(m, row, saysDate, "is a "+zone.Civil(date).Weekday().String()+", and "+m.Header.Label(m.weekday)+" says "+cell.Text)
	return f.Do("correct one of them")
}
