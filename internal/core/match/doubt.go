package match

import (
	"slices"
	"strings"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// former leaves out columns of dates and times that were, as in Old date, where another
// column holds those that are.
func (m *chooser) former() {
	now := map[moment.Role]bool{}
	for i, c := range m.columns {
		now[c.role] = now[c.role] || c.temporal && !m.headings[i].says("former")
	}
	for i, c := range m.columns {
		if c.temporal && now[c.role] && m.headings[i].says("former") {
			m.taken[i] = true
		}
	}
}

// tied gives the columns that suit as the start no better and no worse than the one that was
// taken, and that one: Order date, Delivery date. A name that speaks of the event decides.
func (m *chooser) tied() (out [][]string) {
	start := m.choice("start")
	if date, _ := m.named("start"); date >= 0 || start == nil {
		return nil
	}
	at := start.Indexes[0]
	rank := m.rank("start", at)
	if rank > whole || rank == 0 {
		return nil
	}
	since := m.headings[at].says("since") && !m.headings[at].strong("start")
	speaks := func(i int) bool { return m.headings[i].rank(names("title")) > 0 }
	best := []int{at}
	plain := unnumbered(m.header.Label(at))
	for i, c := range m.columns {
		if last := []string{"last", "final", "letzter", "letztes", "dernier", "dernière", "último", "última", "ultimo", "ultima", "laatste"}; unnumbered(m.header.Label(i)) == plain || slices.ContainsFunc(m.headings[i].words, func(w string) bool { return slices.Contains(last, w) }) {
			continue // folded has its word about them
		}
		if i == at || m.taken[i] || c.Filled == 0 || !c.temporal || c.role == moment.ClockRole {
			continue
		}
		if h := m.headings[i]; since {
			if h.record() || h.says("series") || slices.Contains(m.key, m.header[i]) || h.says("end") || m.rank("end", i) > whole {
				continue
			}
		} else if m.rank("start", i) != rank || m.rank("end", i) > rank {
			continue
		}
		switch {
		case speaks(i) && !speaks(best[0]):
			best = []int{i}
		case speaks(i) == speaks(best[0]):
			best = append(best, i)
		}
	}
	if len(best) == 1 {
		if best[0] != at {
			delete(m.taken, at)
			m.taken[best[0]] = true
			start.Indexes[0], start.Columns[0] = best[0], m.header.Label(best[0])
			start.Template = strings.Replace(start.Template, Reference(m.header, at), Reference(m.header, best[0]), 1)
		}
		return nil
	}
	for _, i := range best {
		m.taken[i] = true
		out = append(out, []string{m.header.Label(i)})
	}
	return out
}

// folded gives a fault for rows of which one event each may be too few: those with several
// dates, as in Date 1 and Date 2, and those that can be lessons of each week, with a column of
// weekdays and two dates on that day, weeks apart. Some of the rows tell.
func folded(header table.Header, rows table.Rows, traits []Traits, choices []Choice) *fault.Fault {
	at := slices.IndexFunc(choices, func(c Choice) bool { return c.Field == "start" })
	if at < 0 || slices.ContainsFunc(choices, func(c Choice) bool { return c.Field == "repeat" }) {
		return nil
	}
	start := choices[at].Indexes
	first := traits[start[0]].Column
	if first.Mostly() != moment.DateRole {
		return nil
	}
	taken := func(i int) bool {
		return slices.ContainsFunc(choices, func(c Choice) bool { return slices.Contains(c.Indexes, i) })
	}
	var more []string
	for i, t := range traits {
		if !taken(i) && t.Filled > 0 && t.Column.Holds(t.Filled-t.Bad) && t.Column.Mostly() == moment.DateRole && unnumbered(header.Label(i)) == unnumbered(header.Label(start[0])) {
			more = append(more, Reference(header, i))
		}
	}
	if more != nil {
		return fault.Newf("a row can have several dates: %s, %s", Reference(header, start[0]), strings.Join(more, ", ")).
			Do("describe the columns in an intake file, with also: %q for an event on each", strings.Join(more, ", "))
	}
	if len(start) < 2 && !first.Timed() {
		return nil
	}
	for day, t := range traits {
		if t.Filled < 2 || t.Lists < t.Filled {
			continue
		}
		for last, b := range traits {
			if last == start[0] || b.Filled < 2 || !b.Column.Holds(b.Filled-b.Bad) || b.Column.Mostly() != moment.DateRole || b.Column.Timed() {
				continue
			}
			for _, order := range []moment.Order{moment.DayFirst, moment.MonthFirst} {
				if lessons(rows, start[0], first.As(order), last, b.Column.As(order), day) {
					return fault.Newf("the rows can be events of each week, on %s from %s until %s, or one long event each", header.Label(day), header.Label(start[0]), header.Label(last)).
						Do("describe the columns in an intake file, with repeat: %q and repeat_until: %q for a series", Reference(header, day), Reference(header, last))
				}
			}
		}
	}
	return nil
}

// lessons tells whether two columns hold days that are weeks apart, both on a weekday that a
// third one names.
func lessons(rows table.Rows, from int, first *moment.Column, to int, last *moment.Column, day int) bool {
	stride := max(1, rows.Len()/sampled)
	apart := 0
	for n := 0; n < rows.Len(); n += stride {
		row := rows.At(n)
		a, f := first.Read(row.Cell(from))
		b, g := last.Read(row.Cell(to))
		if f != nil || g != nil || !a.HasDate || !b.HasDate || b.Date-a.Date < 7*86400 {
			continue
		}
		names, _ := moment.Weekdays(row.Cell(day).Text, 0)
		if (b.Date-a.Date)%(7*86400) != 0 || names&(1<<zone.Civil(a.Date).Weekday()) == 0 {
			return false
		}
		apart++
	}
	return apart > 1
}

// unnumbered gives a heading without what counts it: Date 2, 2nd date, Termin II.
func unnumbered(label string) string {
	words := strings.FieldsFunc(strings.ToLower(label), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	return strings.Join(slices.DeleteFunc(words, func(w string) bool {
		return unicode.IsDigit(rune(w[0])) || strings.Trim(w, "iv") == "" || slices.Contains([]string{"first", "second", "third", "fourth", "fifth", "erster", "zweiter", "dritter", "vierter", "première", "deuxième", "troisième", "primera", "segunda", "tercera", "prima", "seconda", "terza"}, w)
	}), " ")
}

// ended refuses a start that is taken from a column that says when events end; nil where there
// is none.
func (m *chooser) ended() *fault.Fault {
	start := m.choice("start")
	if start == nil || len(m.given["start"]) > 0 {
		return nil
	}
	for _, i := range start.Indexes {
		h := m.headings[i]
		says := h.rank(names("end")) >= whole && h.rank(names("end")) > h.rank(names("start")) || h.strong("end") && !h.strong("start")
		if !says || h.rank(names("departure")) > 0 {
			return nil
		}
	}
	end := m.header.Label(start.Indexes[0])
	offered := m.offered(func(c matchColumn) bool { return c.temporal && c.role != moment.ClockRole })
	for i, c := range m.columns {
		if h := m.headings[i]; c.Filled > 0 && !m.taken[i] && (h.rank(names("start")) >= whole || h.rank(names("arrival")) >= whole) {
			return fault.Newf("the column %s holds too much that is no date%s, and %s says when events end", m.header.Label(i), shownOf(c.Samples), end).Do("correct it, or name the column that says when they start with --start").Offer("--start", "start", "", offered)
		}
	}
	return fault.Newf("no column says when the events start: %s says when they end", end).Do("describe the columns in an intake file").Offer("--start", "start", "", offered)
}

// unread asks about a column that by its name is the start or the end and holds too much that is
// no date: left out, the rows in which it can be read would be wrong. Where none can, as in From
// and To of a voyage, it is something else.
func (m *chooser) unread() *fault.Fault {
	start := m.choice("start")
	if start == nil {
		return nil
	}
	first := m.headings[start.Indexes[0]]
	arrives, leaves := first.rank(names("arrival")) > 0, first.rank(names("departure")) > 0
	for i, c := range m.columns {
		h := m.headings[i]
		if c.Filled == 0 || !c.Column.Some() || c.temporal || m.taken[i] || slices.Contains(m.key, m.header[i]) || shownOf(c.Samples) == "" {
			continue
		}
		label := m.header.Label(i)
		says := func(why string) *fault.Fault {
			return fault.Newf("the column %s holds too much that is no date%s, and %s", label, shownOf(c.Samples), why)
		}
		switch {
		case leaves && h.rank(names("arrival")) >= whole && len(m.given["start"]) == 0:
			return says(m.header.Label(start.Indexes[0])+" says when they leave").Offer("--start", "start", "", [][]string{{label}, start.Columns})
		case m.has("end") || m.has("length") || m.has("repeat") || m.endless || len(m.given["end"]) > 0:
		case arrives && h.rank(names("departure")) >= whole, h.rank(names("end")) >= whole && h.rank(names("end")) > h.rank(names("start")) && h.rank(names("arrival")) == 0:
			return says("no other says when the events end").Offer("--end", "end", "", [][]string{{label}, {None}})
		}
	}
	return nil
}

// shownOf gives a value of a column that is no day, for a message.
func shownOf(samples []string) string {
	at := slices.IndexFunc(samples, func(text string) bool { return !moment.SaysDay(text) })
	if at < 0 {
		return ""
	}
	return " (" + fault.Shorten(samples[at], 40) + ")"
}
