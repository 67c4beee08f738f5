package match

import (
	"slices"
	"strings"
	"unicode"

	"almanach/internal/core/moment"
)

// unreadClocks takes columns called Start or End for times of day where another
// column holds the dates, though few of their cells can be read: their rows are
// then held, and not loaded as whole days.
func (m *chooser) unreadClocks() {
	dated := slices.ContainsFunc(m.columns, func(c matchColumn) bool { return c.temporal && c.role == moment.DateRole && !c.Column.Timed() })
	for i := range m.columns {
		c, h := &m.columns[i], m.headings[i]
		if c.temporal || c.Filled == 0 || !dated || len(h.words) != 1 || !h.says("start") && !h.says("end") {
			continue
		}
		numbers := 0
		for _, s := range c.Samples {
			if strings.ContainsFunc(s, unicode.IsDigit) {
				numbers++
			}
		}
		if numbers*2 >= len(c.Samples) {
			c.temporal, c.role = true, moment.ClockRole
			c.Column.Prefer(moment.ClockRole)
		}
	}
}

// weekly finds the column that lists on which weekdays each row takes place.
// Dates of validity are then those of the series.
func (m *chooser) weekly() {
	several := func(t Traits) bool {
		return slices.ContainsFunc(t.Samples, func(s string) bool {
			return strings.ContainsFunc(s, func(r rune) bool { return !unicode.IsLetter(r) && r != '.' }) || s == "daily"
		})
	}
	dates := 0
	for _, c := range m.columns {
		if c.temporal && c.role == moment.DateRole {
			dates++
		}
	}
	spans := dates > 1 // from when and until when
	for i, c := range m.columns {
		lists := c.Lists == c.Filled || c.Lists*2 >= c.Filled && (spans || m.rank("repeat_on", i) > 0)
		if c.Filled > 0 && lists && !m.taken[i] && several(c.Traits) {
			m.days = true
			m.take("repeat", i)
			return
		}
	}
}

// numbers tells whether a column is the key, and its heading does not say that it holds
// times: numbers such as 1002 and A406 are none.
func (m *chooser) numbers(i int) bool {
	return slices.Contains(m.key, m.header[i]) && !m.headings[i].says("clock")
}

// leftClocks gives times of day that no name gave a place to the start and the
// end, in the order of the columns: left out, they would make the events all
// day.
func (m *chooser) leftClocks() {
	start, end := m.choice("start"), m.choice("end")
	if start == nil || len(start.Indexes) > 1 || m.columns[start.Indexes[0]].role != moment.DateRole || m.columns[start.Indexes[0]].Column.Timed() {
		return
	}
	var left []int
	for i, c := range m.columns {
		if !m.taken[i] && c.Filled > 0 && !m.numbers(i) && c.temporal && c.role == moment.ClockRole && (c.Figures < c.Filled || m.headings[i].says("clock")) && !m.headings[i].record() && m.headings[i].rank(names("length")) == 0 {
			left = append(left, i)
		}
	}
	if len(left) == 0 || len(left) > 2 || len(left) > 1 && (end != nil || m.endless) {
		return
	}
	add := func(c *Choice, i int) {
		m.taken[i] = true
		c.Template += " " + Reference(m.header, i)
		c.Columns, c.Indexes = append(c.Columns, m.header.Label(i)), append(c.Indexes, i)
		c.Sure = Perhaps
		if m.rank("start", i) == 0 {
			c.guessed = m.header.Label(i)
		}
	}
	add(start, left[0])
	if len(left) == 2 {
		m.take("end", left[1])
		m.choice("end").Sure = Perhaps
		m.choice("end").guessed = m.header.Label(left[1])
	}
}

// shortHours finds columns called Hours that hold lengths such as 1:30, beside times of day,
// or 90 min.
func (m *chooser) shortHours() {
	clock := func(i int) bool { return m.columns[i].temporal && m.columns[i].role == moment.ClockRole }
	for i, c := range m.columns {
		long := func(s string) bool { return len(s) > 4 && s[0] != '0' && !lettered([]string{s}) }
		if !c.temporal && m.headings[i].text == "hours" && c.Filled > 0 {
			m.figures[i] = m.figures[i] || !slices.ContainsFunc(c.Samples, func(s string) bool { _, ok := moment.ParseLength(s); return !ok })
		}
		if clock(i) && m.headings[i].rank(names("length")) > 0 && !slices.ContainsFunc(c.Samples, long) {
			for k := range m.columns {
				m.figures[i] = m.figures[i] || k != i && clock(k) && m.headings[k].rank(names("length")) == 0
			}
		}
	}
}

// halves adds a column of am and pm to the times that it stands behind.
func (m *chooser) halves() {
	for i, c := range m.columns {
		if m.taken[i] || c.Filled == 0 || slices.ContainsFunc(c.Samples, func(s string) bool { return moment.Half(s) == 0 }) {
			continue
		}
		var best *Choice // whose last column stands nearest
		for _, field := range []string{"start", "end"} {
			if ch := m.choice(field); ch != nil && (best == nil || near(ch.Indexes, i) < near(best.Indexes, i)) {
				best = ch
			}
		}
		if best != nil {
			m.taken[i] = true
			best.Template += " " + Reference(m.header, i)
			best.Columns, best.Indexes = append(best.Columns, m.header.Label(i)), append(best.Indexes, i)
		}
	}
}

// near is how far a column stands from the nearest of others.
func near(columns []int, i int) int {
	least := 1 << 20
	for _, c := range columns {
		least = min(least, max(c-i, i-c))
	}
	return least
}

// findOrder tells whether what leaves comes before what arrives. Where only one of them is
// there, and another column says that it is the start, it is the end.
func (m *matcher) findOrder() {
	first, alone, timed := "", true, false
	var starts [2]bool // of days, of times
	whole := ""        // what has days and times, where what stands before it has times alone
	for i, c := range m.columns {
		if !c.temporal {
			continue
		}
		h, times, what := m.headings[i], c.role == moment.ClockRole || c.Column.Timed(), ""
		switch {
		case h.rank(names("arrival")) > 0:
			what = "arrival"
		case h.rank(names("departure")) > 0:
			what = "departure"
		case h.says("start") && h.strong("start"):
			if times {
				starts[1] = true
			} else {
				starts[0] = true
			}
			continue
		default:
			continue
		}
		if first == "" {
			first, timed = what, times
			if c.role == moment.ClockRole {
				whole = first
			}
		}
		if what != first && whole == first && c.role == moment.DateRole && times {
			whole = what
		}
		alone = alone && times == timed && what == first
	}
	if whole != "" { // 14:30 is of the day that stands with the other: it ends what begins then
		first = whole
	}
	m.leaveFirst = first == "departure"
	if first != "" && alone && (timed && starts[1] || !timed && starts[0]) {
		m.leaveFirst = !m.leaveFirst
	}
}

// amounts tells whether all that a column holds can be numbers such as 8.15 and 45: a draught,
// a price. Only a heading makes them days.
func (t *Traits) amounts() bool {
	return t.Figures == t.Filled && slices.ContainsFunc(t.Samples, func(s string) bool { return strings.ContainsAny(s, ".,") || len(s) < 5 })
}

// onlyDate gives the one column that holds dates and is not about something
// else, when there is just one; -1 otherwise.
func (m *matcher) onlyDate() int {
	at := -1
	for i, c := range m.columns {
		if m.taken[i] || c.Filled == 0 || !c.temporal || c.role == moment.ClockRole || m.headings[i].record() || c.amounts() {
			continue
		}
		if at >= 0 {
			return -1
		}
		at = i
	}
	return at
}

// moment finds the column of a date and, where that has no times, the column
// of its time. A column that names the other end better, or that a person named for it, is
// not taken.
func (m *matcher) moment(field, other string) []int {
	dated := func(role moment.Role) int {
		best, at := 0, -1
		for i, c := range m.columns {
			if m.taken[i] || c.Filled == 0 || !c.temporal || (c.role == moment.ClockRole) != (role == moment.ClockRole) || slices.Contains(m.given[other], i) {
				continue
			}
			r := m.rank(field, i)
			if r > best && r >= m.rank(other, i) {
				best, at = r, i
			}
		}
		return at
	}
	date, clock := m.named(field)
	if date < 0 {
		date = dated(moment.DateRole)
	}
	if date < 0 && field == "start" {
		date = m.onlyDate()
	}
	if field == "end" && m.days && date >= 0 && !m.columns[date].Column.Timed() { // its date is that of the series
		date = -1
	}
	var out []int
	if date >= 0 {
		out = append(out, date)
	}
	if date < 0 || m.columns[date].role == moment.DateRole {
		if clock < 0 {
			clock = dated(moment.ClockRole)
		}
		if clock >= 0 && (date >= 0 || field == "end") {
			out = append(out, clock)
		}
	}
	return out
}

// named gives the columns that a person named for a field: of times alone, and of anything
// else; -1 for none.
func (m *matcher) named(field string) (date, clock int) {
	date, clock = -1, -1
	for _, i := range m.given[field] {
		if m.columns[i].temporal && m.columns[i].role == moment.ClockRole {
			clock = i
		} else {
			date = i
		}
	}
	return date, clock
}
