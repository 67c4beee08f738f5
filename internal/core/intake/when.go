package intake

import (
	"fmt"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// read merges the values of the columns a moment is made of.
func (m *Mapper) read(s *moments, row table.Row) (moment.Value, *fault.Fault) {
	none := moment.Value{Clock: moment.NoClock, EndClock: moment.NoClock}
	if s == nil {
		return none, nil
	}
	if s.text != nil {
		if !s.text.Filled(row) {
			return none, nil
		}
		text, f := m.eval.Render(s.text)
		if f != nil {
			return none, f
		}
		return m.virtual[s.slot].Read(table.Cell{Kind: table.Text, Text: text}, sent(row))
	}
	out := none
	for _, i := range s.columns {
		v, f := m.columns[i].Read(row.Cell(i), sent(row))
		if f != nil {
			f.Place.Column = m.Header.Label(i)
			return none, f
		}
		if f := merge(&out, v, row.Cell(i)); f != nil {
			f.Place.Column = m.Header.Label(i)
			return none, f
		}
	}
	return out, nil
}

// readEnd reads the end. A date that is the start's own gives way where it
// would end the event before its start, or stands without a time of day.
func (m *Mapper) readEnd(row table.Row, start moment.Value) (moment.Value, *fault.Fault) {
	end, f := m.read(m.end, row)
	if m.borrowed && start.Clock != moment.NoClock && end.Clock < start.Clock {
		end.HasDate = false
	}
	return end, f
}

// merge adds what one more column says. A midnight beside a real time of day
// is what an export writes for a date without one, and gives way.
func merge(out *moment.Value, v moment.Value, c table.Cell) *fault.Fault {
	out.Assumed |= v.Assumed
	if v.HasDate {
		if out.HasDate && out.Date != v.Date {
			return fault.New(c.Text, "is a second date")
		}
		out.HasDate, out.Date = true, v.Date
	}
	if v.HasEndDate {
		out.HasEndDate, out.EndDate = true, v.EndDate
	}
	if v.Clock != moment.NoClock {
		switch {
		case out.Clock == moment.NoClock || out.Clock == 0:
			out.Clock = v.Clock
		case v.Clock != 0 && v.Clock != out.Clock:
			return fault.New(c.Text, "is a second time of day")
		}
	}
	if v.EndClock != moment.NoClock {
		out.EndClock = v.EndClock
	}
	if v.Zone != nil {
		out.Zone = v.Zone
	}
	return nil
}

func (m *Mapper) span(row table.Row, w *Wanted) (event.Span, *fault.Fault) {
	var span event.Span
	start, f := m.read(m.start, row)
	if f != nil {
		f.Field = "start"
		return span, f
	}
	end, f := m.readEnd(row, start)
	if f != nil {
		f.Field = "end"
		return span, f
	}
	w.Notes |= Notes(start.Assumed|end.Assumed) << assumedDates
	if !start.HasDate {
		return span, m.noStart(start)
	}
	if !end.HasDate && end.Clock == moment.NoClock { // a range in the start's own cell
		end = moment.Value{HasDate: start.HasEndDate, Date: start.EndDate, Clock: start.EndClock, EndClock: moment.NoClock, Zone: end.Zone}
	}
	allDay, f := m.isAllDay(row)
	if f != nil {
		return span, f
	}
	length, f := m.lengthOf(row)
	if f != nil {
		return span, f
	}
	if allDay || (start.Clock == moment.NoClock && end.Clock == moment.NoClock) {
		span, f = m.allDaySpan(start, end, length)
		if f == nil && !allDay && m.expectsClock() {
			w.Notes |= AssumedAllDay
		}
	} else {
		span, f = m.timedSpan(row, start, end, length, w)
	}
	if f != nil {
		return span, f
	}
	return m.repeated(row, span, w)
}

// expectsClock tells whether other rows of the start's columns have times.
func (m *Mapper) expectsClock() bool {
	if m.start.text != nil {
		return m.Mapping.virtual[m.start.slot].Role() != moment.DateRole
	}
	for _, i := range m.start.columns {
		if m.Mapping.columns[i].Timed() {
			return true
		}
	}
	return false
}

func (m *Mapper) noStart(v moment.Value) *fault.Fault {
	f := fault.Newf("the row has no start").Do("fill it in, or leave such rows out with leave_out")
	if v.Clock != moment.NoClock {
		f = fault.Newf("the start has a time of day but no date").Do("fill in the date")
	}
	if m.start.text == nil {
		date := m.start.columns[0]
		for _, i := range m.start.columns { // the one that holds the dates is the one to fill in
			if m.Mapping.columns[i].Role() == moment.DateRole {
				date = i
			}
		}
		f.Place.Column = m.Header.Label(date)
		f.Cause = fmt.Errorf("is empty: %w", f.Cause)
	}
	return f
}

var yesWords = map[string]bool{"yes": true, "true": true, "y": true, "x": true, "1": true, "ja": true, "oui": true, "sí": true, "si": true, "sim": true, "all day": true, "all-day": true, "wahr": true, "vrai": true, "✓": true}
var noWords = map[string]bool{"": true, "no": true, "false": true, "n": true, "0": true, "nein": true, "non": true, "não": true, "nao": true, "nee": true, "falsch": true, "faux": true, "-": true}

// readYesNo reads a word that says yes or no.
func readYesNo(text string) (bool, *fault.Fault) {
	word := strings.ToLower(text)
	if !yesWords[word] && !noWords[word] {
		return false, fault.New(text, "says neither yes nor no").Do("write yes or no, or leave it empty")
	}
	return yesWords[word], nil
}

func (m *Mapper) isAllDay(row table.Row) (bool, *fault.Fault) {
	if m.allDay == nil {
		return false, nil
	}
	text, f := m.eval.Render(m.allDay)
	if f != nil {
		return false, f
	}
	yes, f := readYesNo(text)
	if f != nil {
		f.Field = "all_day"
		f.Place.Column = m.allDay.Blame(m.Header, row, text)
	}
	return yes, f
}

func (m *Mapper) lengthOf(row table.Row) (time.Duration, *fault.Fault) {
	if m.length == nil || !m.length.Filled(row) {
		return 0, nil
	}
	cell := table.Cell{Kind: table.Text}
	if columns, ok := m.length.Columns(); ok && len(columns) == 1 {
		cell = row.Cell(columns[0])
	} else {
		text, f := m.eval.Render(m.length)
		if f != nil {
			return 0, f
		}
		cell.Text = text
	}
	d, f := moment.ReadLength(cell)
	if f != nil {
		f.Field = "length"
		f.Place.Column = m.length.Blame(m.Header, row, cell.Text)
	}
	return d, f
}

const (
	day   = 24 * time.Hour
	day24 = 86400 // a day without a change of clocks, in seconds
)

func (m *Mapper) allDaySpan(start, end moment.Value, length time.Duration) (event.Span, *fault.Fault) {
	last := start.Date
	switch {
	case end.HasDate:
		last = end.Date
		if end.Clock == 0 && last > start.Date { // until midnight at the start of that day
			last -= 86400
		}
	case length >= day:
		last += int64(length/time.Second) - 86400
		last = zone.Midnight(last)
	}
	if last < start.Date {
		return event.Span{}, fault.Newf("ends on %s, before it starts on %s", shortDate(last), shortDate(start.Date))
	}
	return event.Span{
		Start: zone.Time{Wall: start.Date, Form: zone.Date},
		End:   zone.Time{Wall: last + 86400, Form: zone.Date}, // iCalendar's end is exclusive
	}, nil
}

func shortDate(wall int64) string { return zone.Civil(wall).Format("Mon 2 January 2006") }

func (m *Mapper) timedSpan(row table.Row, start, end moment.Value, length time.Duration, w *Wanted) (event.Span, *fault.Fault) {
	var span event.Span
	if start.Clock == moment.NoClock {
		return span, fault.Newf("the start has no time of day, the end has one").Do("fill in the start's time")
	}
	z, f := m.zoneFor(row, start)
	if f != nil {
		return span, f
	}
	if start.Clock == day24 { // 24:00 is the next day's midnight
		start.Date, start.Clock = start.Date+day24, 0
	}
	span.Start, f = m.place(z, start.Date+int64(start.Clock), w)
	if f != nil {
		return span, f
	}
	endZone := z
	if end.Zone != nil {
		endZone = end.Zone
	}
	switch {
	case end.HasDate && end.Clock == moment.NoClock:
		return span, fault.Newf("the end has a date but no time of day, the start has both").Do("fill in the end's time")
	case end.HasDate:
		span.End, f = m.place(endZone, end.Date+int64(end.Clock), w)
	case end.Clock != moment.NoClock:
		date := start.Date
		if end.Clock < start.Clock {
			if over := time.Duration(end.Clock-start.Clock)*time.Second + day; over > m.intake.Assume.Overnight {
				return span, fault.Newf("ends at %s, before it starts at %s; as an event over midnight it would last %s", showClock(end.Clock), showClock(start.Clock), ShowLength(over)).Do("give the end's date")
			}
			date += 86400
			w.Notes |= AssumedOvernight
		}
		span.End, f = m.place(endZone, date+int64(end.Clock), w)
	case length > 0:
		span.End = after(span.Start, length)
	case m.intake.Assume.Length > 0:
		span.End = after(span.Start, m.intake.Assume.Length)
		w.Notes |= AssumedLength
	default:
		return span, fault.Newf("has no end, and no length is assumed").Do("set assume: { length: 1h }, or give --length")
	}
	if f != nil {
		return span, f
	}
	switch from, to := span.Start.Instant(z), span.End.Instant(z); {
	case to < from:
		return span, fault.Newf("ends on %s, before it starts on %s", longTime(span.End), longTime(span.Start))
	case to == from:
		return span, fault.Newf("ends when it starts, on %s", longTime(span.Start)).Do("give the end, or a length")
	}
	return span, nil
}

func longTime(t zone.Time) string { return zone.Civil(t.Wall).Format("Mon 2 January 2006 15:04") }

func showClock(seconds int) string {
	return zone.Civil(int64(seconds)).Format("15:04")
}

func after(t zone.Time, d time.Duration) zone.Time {
	if t.Form == zone.Local {
		at, _ := t.Zone.Instant(t.Wall)
		at += int64(d / time.Second)
		wall := t.Zone.Wall(at)
		if first, _ := t.Zone.Instant(wall); first != at { // the second 01:30 of a night has no wall-clock form
			return zone.Time{Wall: at, Form: zone.Absolute}
		}
		t.Wall = wall
		return t
	}
	t.Wall += int64(d / time.Second)
	return t
}

// zoneFor gives the zone of a row's times: the one its cell names, the one
// the intake maps, or the mapping's own.
func (m *Mapper) zoneFor(row table.Row, v moment.Value) (*zone.Zone, *fault.Fault) {
	if v.Zone != nil {
		return v.Zone, nil
	}
	if m.zoneOf == nil || !m.zoneOf.Filled(row) {
		return m.Zone, nil
	}
	name, f := m.eval.Render(m.zoneOf)
	if f != nil || name == "" {
		return m.Zone, f
	}
	z, err := m.Zones.Find(name)
	if err != nil {
		u := m.Zones.Unknown(name)
		u.Field = "zone"
		if columns, ok := m.zoneOf.Columns(); ok {
			u.Place.Column = m.Header.Label(columns[0])
		}
		return nil, u
	}
	return z, nil
}

// place puts a wall-clock time into a zone. A time that the clocks jump over
// does not exist and is refused; of a time that happens twice the first is
// meant (RFC 5545 §3.3.5), which is noted.
func (m *Mapper) place(z *zone.Zone, wall int64, w *Wanted) (zone.Time, *fault.Fault) {
	if z != nil {
		switch _, fit := z.Instant(wall); fit {
		case zone.Gap:
			return zone.Time{}, fault.Newf("%s does not exist in %s: the clocks go forward over it", longTime(zone.Time{Wall: wall}), z.Name()).Do("correct the time, or give its offset")
		case zone.Overlap:
			w.Notes |= AssumedOverlap
		}
	}
	return zone.In(z, wall), nil
}
