package intake

import (
	"fmt"
	"math/bits"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/rule"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
	"almanach/internal/core/zone"
)

// series is what an event's recurrence is made of.
type series struct {
	repeat, every, on, times *template.Template
	until                    *moments
	except, also             *dates
	dayNames                 moment.Languages // of the weekdays; 0 where none are named
}

// dates is a template whose text is a list of dates, each read on its own.
type dates struct {
	name     string
	template *template.Template
	slot     int // of the column that learns them
}

func (s series) lists() []*dates {
	return slices.DeleteFunc([]*dates{s.except, s.also}, func(d *dates) bool { return d == nil })
}

// cells gives the items of a list of dates, as cells.
func (m *Mapper) cells(d *dates, row table.Row) ([]table.Cell, *fault.Fault) {
	if !d.template.Filled(row) {
		return nil, nil
	}
	if columns, ok := d.template.Columns(); ok && len(columns) == 1 && row.Cell(columns[0]).Native() {
		return []table.Cell{row.Cell(columns[0])}, nil
	}
	text, f := m.eval.Render(d.template)
	if f != nil {
		return nil, f
	}
	var out []table.Cell
	for item := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ',' || r == ';' || r == '\n' }) {
		if item = strings.TrimSpace(item); item != "" {
			out = append(out, table.Cell{Kind: table.Text, Text: item})
		}
	}
	return out, nil
}

func (m *Mapper) learnSeries(row table.Row) {
	for _, d := range m.series.lists() {
		if cells, f := m.cells(d, row); f == nil {
			for _, c := range cells {
				m.Mapping.virtual[d.slot].Learn(int(row.Number), c)
			}
		}
	}
}

// readDates gives the dates of a list on the event's clock: a date without a
// time takes that of the start.
func (m *Mapper) readDates(d *dates, row table.Row, span event.Span) ([]string, *fault.Fault) {
	if d == nil {
		return nil, nil
	}
	cells, f := m.cells(d, row)
	if f != nil {
		return nil, f
	}
	var out []string
	for _, c := range cells {
		v, f := m.virtual[d.slot].Read(c, sent(row))
		if f == nil && !v.HasDate {
			f = fault.New(c.Text, "is not a date")
		}
		if f == nil && (v.Open != moment.Closed || v.EndClock != moment.NoClock) {
			f = fault.New(c.Text, "is not a day, nor a range of days")
		}
		if f != nil {
			f.Field, f.Place.Column = d.name, d.template.Blame(m.Header, row, c.Text)
			return nil, f
		}
		for day := v.Date; day <= max(v.EndDate, v.Date); day += 86400 { // a range is all of its days
			t := zone.Time{Wall: day, Form: zone.Date}
			if !span.AllDay() {
				t = span.Start
				clock := span.Start.Wall - zone.Midnight(span.Start.Wall)
				if v.Clock != moment.NoClock {
					clock = int64(v.Clock)
				}
				t.Wall = day + clock
			}
			out = append(out, ical.FormatTime(t))
		}
	}
	slices.Sort(out)
	return slices.Compact(out), nil
}

// repeated makes a series of the span where the row says that it repeats.
func (m *Mapper) repeated(row table.Row, span event.Span, w *Wanted) (event.Span, *fault.Fault) {
	s := m.series
	if s.repeat == nil && s.also == nil {
		return span, nil
	}
	fail := func(f *fault.Fault, field string, t *template.Template) (event.Span, *fault.Fault) {
		f.Field = field
		if f.Place.Column == "" {
			f.Place.Column = t.Blame(m.Header, row, f.Value)
		}
		return span, f
	}
	if s.repeat != nil && s.repeat.Filled(row) {
		text, f := m.eval.Render(s.repeat)
		if f != nil {
			return fail(f, "repeat", s.repeat)
		}
		if word := strings.ToLower(text); text != "" && !noWords[word] && !match.Once(word) {
			r, f := m.rule(text, row, span)
			if f == nil && !isRule(text) {
				span, f = m.firstDay(r, text, span, w)
			}
			if f != nil {
				return fail(f, "repeat", s.repeat)
			}
			if last := r.Until; !last.IsZero() && last.Instant(span.Start.Zone) < span.Start.Instant(nil) {
				return fail(fault.New(text, fmt.Sprintf("ends on %s, before its first day, %s", shortDate(last.InZone(span.Start.Zone).Wall), shortDate(span.Start.Wall))), "repeat", s.repeat)
			}
			span.Rule = r.String()
		}
	}
	if f := m.withoutRule(row, span.Rule); f != nil {
		return span, f
	}
	var f *fault.Fault
	if span.Extra, f = m.readDates(s.also, row, span); f != nil {
		return span, f
	}
	if span.Rule != "" || len(span.Extra) > 0 {
		span.Except, f = m.readDates(s.except, row, span)
	}
	return span, f
}

// firstDay moves a series to the first day that it repeats on: a timetable says
// from when it holds, and that day has not always a sailing. A rule of the RFC
// is left as it is, as its start counts whether it fits or not (§3.8.5.3).
func (m *Mapper) firstDay(r rule.Rule, text string, span event.Span, w *Wanted) (event.Span, *fault.Fault) {
	first, ok := r.First(span.Start.Wall)
	switch {
	case !ok:
		return span, fault.New(text, "never falls on any day")
	case first == span.Start.Wall:
		return span, nil
	}
	moved := first - span.Start.Wall
	start := span.Start
	var f *fault.Fault
	if start.Form == zone.Local {
		start, f = m.place(start.Zone, first, w)
	} else {
		start.Wall = first
	}
	span.Start, w.Notes = start, w.Notes|AssumedFirst
	span.End.Wall += moved
	return span, f
}

// isRule tells whether a text is a rule of the RFC rather than words.
func isRule(text string) bool { return strings.Contains(strings.ToUpper(text), "FREQ=") }

// rule reads a recurrence: a rule of the RFC, words, or a word with the other
// columns beside it.
func (m *Mapper) rule(text string, row table.Row, span event.Span) (rule.Rule, *fault.Fault) {
	bad := func(err error) *fault.Fault {
		return fault.New(text, "is not understood as a recurrence: "+err.Error()).Do("write weekly on Mon and Wed until 30 June, or FREQ=WEEKLY;BYDAY=MO,WE")
	}
	upper := strings.TrimPrefix(strings.ToUpper(strings.TrimSpace(text)), "RRULE:")
	var r rule.Rule
	var err error
	if isRule(upper) {
		r, err = rule.Parse(upper)
	} else {
		whole, f := m.sentence(text, row)
		if f != nil {
			return r, f
		}
		r, err = rule.ParseWords(whole, func(s string) (int64, bool) { return m.untilDate(s, span) }, m.dayName)
		text = whole
	}
	if err != nil {
		return r, bad(err)
	}
	if s := m.series; s.until != nil {
		v, f := m.read(s.until, row)
		start := span.Start.Wall - zone.Midnight(span.Start.Wall)
		switch {
		case f != nil:
		case v.HasEndDate || v.EndClock != moment.NoClock || v.Open == moment.OpenEnd:
			f = s.until.fault(m, row, saysDate, "is not one day")
		case v.Clock > 0 && int64(v.Clock) < start:
			f = s.until.fault(m, row, saysDate, "ends the series before the event of that day").Do("write the last day alone")
		}
		if f != nil {
			f.Field = "repeat_until"
			return r, f
		}
		if v.HasDate {
			if r.Count > 0 || !r.Until.IsZero() {
				return r, bad(fmt.Errorf("it ends in two ways"))
			}
			r.Until = zone.Time{Wall: v.Date, Form: zone.Date}
		}
	}
	placeUntil(&r, span)
	return r, nil
}

// withoutRule holds a row that says how it repeats, every 2 or 5 times, and not that it
// does: one event would be too few.
func (m *Mapper) withoutRule(row table.Row, rule string) *fault.Fault {
	if rule != "" || m.series.repeat != nil && m.series.repeat.Filled(row) { // or it says no
		return nil
	}
	for _, part := range []struct {
		t    *template.Template
		name string
	}{{m.series.every, "repeat_every"}, {m.series.on, "repeat_on"}, {m.series.times, "repeat_times"}} {
		if part.t == nil || !part.t.Filled(row) {
			continue
		}
		if _, fixed := part.t.Fixed(); fixed { // the intake says it, of the rows that repeat
			continue
		}
		value, f := m.eval.Render(part.t)
		if f == nil && value != "" && value != "0" && value != "1" {
			f = fault.New(value, "says how the event repeats, and repeat is empty").Do("fill in repeat, or clear the cell")
		}
		if f != nil {
			f.Field, f.Place.Column = part.name, part.t.Blame(m.Header, row, f.Value)
			return f
		}
	}
	return nil
}

// sentence adds to a frequency what its other columns say, as words.
func (m *Mapper) sentence(text string, row table.Row) (string, *fault.Fault) {
	for _, part := range []struct {
		t    *template.Template
		name string
		form func(string) string
	}{
		{m.series.every, "repeat_every", func(n string) string { return "every " + n + " " + unitOf(text) }},
		{m.series.on, "repeat_on", func(days string) string { return "on " + days }},
		{m.series.times, "repeat_times", func(n string) string { return n + " times" }},
	} {
		if part.t == nil || !part.t.Filled(row) {
			continue
		}
		value, f := m.eval.Render(part.t)
		if f != nil {
			return "", f
		}
		if value == "" || (part.name == "repeat_every" && value == "1") {
			continue
		}
		if _, err := strconv.Atoi(value); err != nil && part.name != "repeat_on" {
			f := fault.New(value, "is not a whole number")
			f.Place.Column = part.t.Blame(m.Header, row, value)
			return "", f
		}
		if part.name == "repeat_every" {
			text = part.form(value)
		} else {
			text += " " + part.form(value)
		}
	}
	return text, nil
}

// learnDayNames learns in which languages the weekdays of the series are, from all rows:
// "Di" alone is a Tuesday or a Sunday.
func (m *Mapping) learnDayNames(rows table.Rows) {
	for _, t := range []*template.Template{m.series.repeat, m.series.on} {
		if t == nil {
			continue
		}
		columns, _ := t.Columns()
		seen := map[string]bool{} // few texts stand in many rows
		for _, r := range rows.All() {
			for _, i := range columns {
				if text := r.Cell(i).Text; r.Fault == nil && r.Filled(i) && !seen[text] {
					seen[text] = true
					m.series.dayNames = dayLanguages(text, m.series.dayNames)
				}
			}
		}
	}
}

// dayLanguages narrows languages to those that have the weekdays of a text; 0 stands for
// all. Where none is left, what was known stays.
func dayLanguages(text string, in moment.Languages) moment.Languages {
	for word := range strings.FieldsFuncSeq(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && r != '-' }) {
		days, of := moment.Weekdays(word, 0)
		switch {
		case days == 0:
		case in == 0:
			in = of
		case in&of != 0:
			in &= of
		}
	}
	return in
}

// dayName finds the weekday of a name of one in the languages of the series. A name that
// still means several days is none.
func (m *Mapper) dayName(name string) (time.Weekday, bool) {
	days, _ := moment.Weekdays(name, m.series.dayNames)
	return time.Weekday(bits.TrailingZeros8(days)), bits.OnesCount8(days) == 1
}

func unitOf(frequency string) string {
	switch strings.ToLower(frequency) {
	case "daily", "day", "days":
		return "days"
	case "monthly", "month", "months":
		return "months"
	case "yearly", "annually", "year", "years":
		return "years"
	}
	return "weeks"
}

// untilDate reads a date inside words. One without a year is the next after
// the start; one that can be read two ways follows the start's column.
func (m *Mapper) untilDate(text string, span event.Span) (int64, bool) {
	set := m.dates
	if set.Order == moment.Unsettled && m.start.text == nil {
		for _, i := range m.start.columns {
			if o := m.Mapping.columns[i].Order(); o != moment.Unsettled {
				set.Order = o
			}
		}
	}
	start := zone.Civil(span.Start.Wall)
	for _, year := range []int{0, start.Year(), start.Year() + 1} {
		set.Year = year
		v, f := moment.ReadOne(set, text)
		if f != nil || !v.HasDate || !v.Single() || v.Assumed&moment.AssumedYear != 0 && year == 0 {
			continue
		}
		if v.Date >= zone.Midnight(span.Start.Wall) || year == 0 {
			return v.Date, true
		}
	}
	return 0, false
}

// placeUntil brings UNTIL into the kind of the start (RFC 5545 §3.3.10).
func placeUntil(r *rule.Rule, span event.Span) {
	switch {
	case r.Until.IsZero():
	case span.AllDay():
		r.Until = zone.Time{Wall: zone.Midnight(r.Until.Wall), Form: zone.Date}
	case r.Until.Form != zone.Absolute && span.Start.Form != zone.Floating:
		wall := r.Until.Wall
		if r.Until.Form == zone.Date {
			wall += 86399
		}
		r.Until = zone.Time{Wall: zone.Time{Wall: wall, Form: span.Start.Form, Zone: span.Start.Zone}.Instant(nil), Form: zone.Absolute}
	case r.Until.Form == zone.Date:
		r.Until = zone.Time{Wall: r.Until.Wall + 86399, Form: zone.Floating}
	}
}
