package match

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
	"almanach/internal/core/zone"
)

// None is what a person says for a field that no column holds.
const None = "none"

// hours looks at the columns of times that were chosen and at those that were left.
type hours struct {
	header  table.Header
	rows    table.Rows
	traits  []Traits
	choices []Choice
	given   Given
}

// unplaced gives a fault where times of day were left out that may be the start or the end of
// the events: left out, they would make the events whole days, or of a length that is only
// assumed. Some of the rows tell.
func unplaced(header table.Header, rows table.Rows, traits []Traits, choices []Choice, given Given) *fault.Fault {
	h := hours{header, rows, traits, choices, given}
	start := h.choice("start")
	if start == nil {
		return nil
	}
	if f := h.due(start.Indexes[0]); f != nil || h.choice("all_day") != nil {
		return f
	}
	left := h.left()
	at := slices.IndexFunc(start.Indexes, h.timed)
	if at < 0 {
		if f := h.days(start.Indexes[0]); f != nil {
			return f
		}
		if end := h.choice("end"); h.choice("repeat") != nil || end != nil && slices.ContainsFunc(end.Indexes, h.timed) {
			return nil
		}
		if f := h.ask("start", left, "hold times of day, and no name says which is that of the start", "holds times of day, and its name does not say what of"); f != nil {
			return f
		}
		return h.unread(start.Indexes[0])
	}
	from := start.Indexes[at]
	if !slices.Contains(h.named("start"), from) {
		others := slices.Clone(left)
		if end := h.choice("end"); end != nil && h.passes(end.Indexes[len(end.Indexes)-1]) && !h.passes(from) {
			others = append(others, end.Indexes[len(end.Indexes)-1])
		}
		if rivals := slices.DeleteFunc(others, func(i int) bool { return !h.rivals(from, i) }); len(rivals) > 0 {
			return h.ask("start", append([]int{from}, rivals...), "hold times of day, and no name says which is that of the start", "")
		}
	}
	if f := h.otherDays(start, from); f != nil {
		return f
	}
	if _, told := given.Fields["end"]; told {
		return nil
	}
	return h.end(from, left)
}

// upTo tells whether the samples are numbers up to one.
func (t *Traits) upTo(most float64) bool {
	return !slices.ContainsFunc(t.Samples, func(s string) bool {
		n, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
		return err != nil || n < 0 || n > most
	})
}

// unread asks about a column that is called as times are and holds numbers, though few of its
// cells can be read as times: left out for that, the events would be whole days.
func (h *hours) unread(day int) *fault.Fault {
	for i, t := range h.traits {
		if h.taken(i) || t.Filled == 0 {
			continue
		}
		if part := partOfDay(t.Samples); part != "" {
			label := h.header.Label(i)
			return fault.Newf("%s says only the part of the day (%s), and the events would be whole days", label, part).Do("write times of day, or, for whole days, give %s", fault.Given("--without", []string{label}))
		}
		name := headingOf(h.header.Label(i))
		starts := name.rank(names("start"))
		sure := h.passes(i) || name.says("clock") && starts > 0 // Slot can be a number
		switch {
		case name.record() || name.rank(names("length")) > 0 && t.Figures == t.Filled:
			continue
		case !sure && starts < whole && (len(name.words) != 1 || !name.says("clock")):
			continue
		case t.Figures == t.Filled && !t.Column.Parts(t.Filled) && !(sure && t.upTo(24)):
			continue
		}
		if digits := slices.DeleteFunc(slices.Clone(t.Samples), func(s string) bool { return !strings.ContainsFunc(s, unicode.IsDigit) }); len(digits)*2 > len(t.Samples) {
			return h.askBeside("start", day, []int{i})
		}
	}
	return nil
}

// partsOfDay are words for a part of a day, and wholeDay for all of it.
var (
	partsOfDay = strings.Fields("am pm a.m p.m morning afternoon evening forenoon mornings afternoons evenings vormittag vormittags nachmittag nachmittags abend abends matin matinée après-midi apres-midi soir soirée mañana tarde mattina mattino pomeriggio sera manhã ochtend middag namiddag avond")
	wholeDay   = []string{"all day", "whole day", "full day", "day", "ganztags", "ganztägig", "journée", "toute la journée", "todo el día", "tutto il giorno", "dia inteiro", "hele dag"}
)

// partOfDay gives one of the texts of a column, each of which says a part of a day or all of it;
// "" where others say something else, or none says a part.
func partOfDay(texts []string) (part string) {
	for _, text := range texts {
		switch low := strings.TrimRight(strings.ToLower(text), "."); {
		case slices.Contains(partsOfDay, low):
			part = cmp.Or(part, text)
		case !slices.Contains(wholeDay, low):
			return ""
		}
	}
	return part
}

// taken tells whether some field takes a column.
func (h *hours) taken(i int) bool {
	return slices.ContainsFunc(h.choices, func(c Choice) bool { return slices.Contains(c.Indexes, i) })
}

// due asks about an end that a heading such as Payable until names: that can be the last day
// of something else.
func (h *hours) due(from int) *fault.Fault {
	end := h.choice("end")
	if _, told := h.given.Fields["end"]; told || end == nil || h.traits[end.Indexes[0]].Column.Mostly() != moment.DateRole {
		return nil
	}
	name, start := headingOf(h.header.Label(end.Indexes[0])), headingOf(h.header.Label(from))
	if !name.says("until") || name.strong("end") || (heading{words: name.words[:1]}).says("end") {
		return nil
	}
	for _, w := range name.words {
		one := heading{words: []string{w}, text: w}
		if slices.Contains(start.words, w) || one.strong("end") || one.says("link") || one.says("date") || one.says("clock") || one.rank(names("title")) > 0 {
			continue
		}
		return h.ask("end", end.Indexes[:1], "", "says until when, and may say it of something else than the event")
	}
	return nil
}

// end looks at the end of events that start at the times of a column.
func (h *hours) end(from int, left []int) *fault.Fault {
	end := h.choice("end")
	if end == nil {
		if h.choice("length") != nil {
			return nil
		}
		left = slices.DeleteFunc(append(left, h.called("hours")...), func(i int) bool { return !h.later(from, i, month) })
		return h.ask("end", left, "hold times after the start, and no name says which is the end", "holds times after the start, and its name does not say whether it is the end")
	}
	until := end.Indexes[len(end.Indexes)-1]
	if !h.timed(until) && len(end.Indexes) == 1 && !h.timed(h.choice("start").Indexes[0]) {
		var clocks []int
		for _, i := range left {
			if h.traits[i].Column.Mostly() == moment.ClockRole {
				clocks = append(clocks, i)
			}
		}
		return h.askBeside("end", until, clocks)
	}
	if len(end.Indexes) == 1 && h.later(until, from, 12*3600) { // each row would be held
		return h.ask("end", []int{until}, "", "holds times before those of the start, and can hardly be the end")
	}
	if headingOf(h.header.Label(until)).strong("end") || !h.timed(until) {
		return nil
	}
	if rivals := slices.DeleteFunc(left, func(i int) bool { return !headingOf(h.header.Label(i)).strong("end") }); len(rivals) > 0 {
		return h.ask("end", append([]int{until}, rivals...), "hold times of day, and no name says which is that of the end", "")
	}
	return nil
}

// called gives the columns of times of a name that no field takes.
func (h *hours) called(name string) (out []int) {
	for i := range h.traits {
		if !h.taken(i) && h.timed(i) && headingOf(h.header.Label(i)).text == name {
			out = append(out, i)
		}
	}
	return out
}

// lengths gives the column called Hours of which most times are before those of the start, so
// that they are lengths, counted from 1; 0 for none.
func (h *hours) lengths() int {
	start := h.choice("start")
	if start == nil || h.choice("length") != nil || h.choice("end") != nil {
		return 0
	}
	if at := slices.IndexFunc(start.Indexes, h.timed); at >= 0 {
		for _, i := range h.called("hours") {
			if t := h.traits[i]; !slices.ContainsFunc(t.Samples, func(s string) bool { _, ok := moment.ParseLength(s); return !ok }) && !h.later(start.Indexes[at], i, month) {
				return i + 1
			}
		}
	}
	return 0
}

// otherZone refuses a second column of zones that says another zone than the first, as of the
// end: all times of a row are in one.
func (h *hours) otherZone() *fault.Fault {
	c := h.choice("zone")
	if c == nil {
		return h.offset()
	}
	first := c.Indexes[0]
	for i, t := range h.traits {
		if h.taken(i) || len(t.Samples) == 0 || slices.ContainsFunc(t.Samples, func(s string) bool { return !zone.IsName(s) }) {
			continue
		}
		for _, row := range h.rows.All() {
			a, b := strings.TrimSpace(row.Cell(first).Text), strings.TrimSpace(row.Cell(i).Text)
			if a != "" && b != "" && !strings.EqualFold(a, b) {
				label := h.header.Label(i)
				return fault.Newf("in row %d %s says %s, and %s says %s: all times of a row are in one zone", row.Number, c.Columns[0], a, label, b).Do("bring them into one, or write each time with its offset and give %s", fault.Given("--without", []string{label}))
			}
		}
	}
	return nil
}

// hoursAway is a number of hours that a clock can be ahead of UTC or behind it.
var hoursAway = pattern.Lazy(`^[+−-]?(?:\d|1[0-4])(?:[.,][05]|[.,]75)?$`)

// offset asks about a column that may say how far the times are from UTC, in figures: left out,
// they would be in another zone.
func (h *hours) offset() *fault.Fault {
	for i, t := range h.traits {
		label := h.header.Label(i)
		if h.taken(i) || len(t.Samples) == 0 || h.choice("start") == nil || !slices.Contains(headingOf(label).words, "offset") || slices.ContainsFunc(t.Samples, func(s string) bool { return !hoursAway().MatchString(s) }) {
			continue
		}
		return fault.Newf("%s may say how far the times are from UTC", label).Do("write it as +01:00, or, if it is something else, give %s", fault.Given("--without", []string{label}))
	}
	return nil
}

// lasting asks about a column of lengths whose name does not say that they are the events':
// left out, these would be of a length that is only assumed.
func (h *hours) lasting() *fault.Fault {
	_, told := h.given.Fields["end"]
	if told || slices.ContainsFunc([]string{"end", "length", "all_day"}, func(field string) bool { return h.choice(field) != nil }) {
		return nil
	}
	for i, t := range h.traits {
		name := headingOf(h.header.Label(i))
		if h.taken(i) || len(t.Samples) == 0 || name.record() || name.rank(names("reminders")) > 0 {
			continue
		}
		other := func(s string) bool {
			_, ok := moment.ParseLength(s)
			return !ok || !lettered([]string{s})
		}
		label, figures := h.header.Label(i), t.Figures == t.Filled
		without := fault.Given("--without", []string{label})
		f := fault.Newf("%s holds lengths of time, and its name does not say whether they are the events'", label)
		if figures {
			f = fault.Newf("%s holds numbers that can be how long the events last, and does not say it", label)
		}
		switch {
		case figures && slices.Contains(nightNames, name.text):
			return f.Do("give their last day or their length with its unit in a column, describe the columns in an intake file, or give %s if it is something else", without)
		case figures && name.mayLast(), !slices.ContainsFunc(t.Samples, other):
			return f.Offer("--length", "length", "", [][]string{{label}}).Do("give %s if they are, or %s if not", fault.Given("--length", []string{label}), without)
		}
	}
	return nil
}

// askBeside asks whether one of the columns of times of day belongs to a day.
func (h *hours) askBeside(field string, day int, clocks []int) *fault.Fault {
	if len(clocks) == 0 {
		return nil
	}
	var names []string
	choices := [][]string{}
	for _, i := range clocks {
		names = append(names, h.header.Label(i))
		choices = append(choices, []string{h.header.Label(day), h.header.Label(i)})
	}
	f := fault.Newf("%s: nothing says whether the time of the %s, on the day in %s", strings.Join(names, " and "), field, h.header.Label(day))
	return f.Do("describe the columns in an intake file").Offer("--"+field, field, "", append(choices, []string{h.header.Label(day)}))
}

// passes tells whether a heading says when something arrives or leaves.
func (h *hours) passes(i int) bool {
	name := headingOf(h.header.Label(i))
	return name.rank(names("arrival")) > 0 || name.rank(names("departure")) > 0
}

// named gives the columns that a person named for a field.
func (h *hours) named(field string) (out []int) {
	for _, name := range h.given.Fields[field] {
		out = append(out, template.NewCompiler(h.header, nil).Column(name))
	}
	return out
}

func (h *hours) choice(field string) *Choice {
	for i := range h.choices {
		if h.choices[i].Field == field {
			return &h.choices[i]
		}
	}
	return nil
}

// ask offers columns for a field, nil where there is none.
func (h *hours) ask(field string, columns []int, several, one string) *fault.Fault {
	return h.askWith(field, columns, nil, several, one)
}

// askWith is ask for columns of days, beside each of which those of with are named too.
func (h *hours) askWith(field string, columns, with []int, several, one string) *fault.Fault {
	if len(columns) == 0 {
		return nil
	}
	var beside []string
	for _, i := range with {
		beside = append(beside, h.header.Label(i))
	}
	labels := make([]string, len(columns))
	var choices [][]string
	var days []string // that the person named, beside which a time is still to be named
	for _, i := range h.named(field) {
		if i >= 0 && !h.timed(i) {
			days = append(days, h.header.Label(i))
		}
	}
	for n, i := range columns {
		labels[n] = h.header.Label(i)
		choices = append(choices, slices.Concat(days, labels[n:n+1], beside))
	}
	if field == "end" && len(beside) > 0 { // the time alone, on the day of the start
		choices = append(choices, beside)
	}
	f := fault.Newf("%s %s", strings.Join(labels, " and "), several)
	if len(columns) == 1 {
		f = fault.Newf("%s %s", labels[0], one)
	}
	if field == "end" {
		choices = append(choices, []string{None})
	}
	return f.Do("describe the columns in an intake file").Offer("--"+field, field, "", choices)
}

// timed tells whether a column holds times of day, with dates or alone.
func (h *hours) timed(i int) bool {
	t := h.traits[i]
	return t.Filled > 0 && t.Column.Holds(t.Filled-t.Bad) && t.Column.Timed()
}

// left gives the columns of times that no field takes, but for those that are about the row
// or hold lengths.
func (h *hours) left() (out []int) {
	for i, t := range h.traits {
		name := headingOf(h.header.Label(i))
		if h.taken(i) || !h.timed(i) || slices.Contains(h.given.Key, h.header[i]) && !name.says("clock") || t.Figures == t.Filled && !name.says("clock") && !h.quarters(i) || name.record() || name.says("former") || name.rank(names("length")) > 0 {
			continue
		}
		if t.Column.Mostly() == moment.DateRole && !h.timed(h.choice("start").Indexes[0]) {
			continue // days with times, beside days without
		}
		out = append(out, i)
	}
	return out
}

// rivals tells whether the times of a column may be the start as well as those chosen for it.
func (h *hours) rivals(chosen, other int) bool {
	name, rival := headingOf(h.header.Label(chosen)), headingOf(h.header.Label(other))
	for _, what := range []string{"arrival", "departure"} {
		if name.rank(names(what)) > 0 {
			return rival.rank(names("start")) > 0 || rival.rank(names(what)) > 0 || what == "departure" && h.later(other, chosen, month)
		}
	}
	if name.says("start") && !name.says("since") { // Event start
		return rival.rank(names("start")) > 0 && !name.strong("start")
	}
	return !name.strong("start")
}

// quarters tells whether numbers such as 13.30 can only be times of day: all are of full and
// quarter hours, and not all of full ones.
func (h *hours) quarters(i int) bool {
	some := false
	stride := max(1, h.rows.Len()/sampled)
	for n := 0; n < h.rows.Len(); n += stride {
		row := h.rows.At(n)
		c := row.Cell(i)
		if !c.Filled() {
			continue
		}
		hour, minute, ok := strings.Cut(strings.TrimSpace(c.Text), ".")
		if !ok || len(hour) > 2 || !slices.Contains([]string{"00", "15", "30", "45"}, minute) {
			return false
		}
		some = some || minute == "15" || minute == "45"
	}
	return some
}

// strong tells whether a heading is a name of a field, or consists of words for it alone.
func (h heading) strong(field string) bool {
	if h.rank(names(field)) > whole {
		return true
	}
	told := false
	for _, w := range h.words {
		is := heading{words: []string{w}}
		told = told || is.says(field)
		if !is.says(field) && !is.says("clock") && !is.says("date") && !is.says("link") {
			return false
		}
	}
	return told
}

// month is how long, in seconds, an event lasts at most whose end stands in a column of an
// unknown name.
const month = 31 * 86400

// later tells whether the times of a column are mostly after those of another, by so many
// seconds at most: on the same day, or, where both have dates, by these.
func (h *hours) later(from, i int, most int64) bool {
	first, other := h.traits[from].Column, h.traits[i].Column
	dated := first.Mostly() == moment.DateRole && other.Mostly() == moment.DateRole
	stride := max(1, h.rows.Len()/sampled)
	later, both := 0, 0
	for n := 0; n < h.rows.Len(); n += stride {
		row := h.rows.At(n)
		a, f := first.Read(row.Cell(from))
		b, g := other.Read(row.Cell(i))
		if f != nil || g != nil || a.Clock == moment.NoClock || b.Clock == moment.NoClock || a.EndClock != moment.NoClock {
			continue
		}
		both++
		apart := int64(b.Clock - a.Clock)
		if dated {
			apart += b.Date - a.Date
		}
		if apart > 0 && apart <= most {
			later++
		}
	}
	return later*2 > both
}
