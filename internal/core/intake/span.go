package intake

import (
	"fmt"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// saying is what a row says of a question that is answered by yes or no.
type saying uint8

const (
	unsaid saying = iota
	saysYes
	saysNo
)

// given is all that a row says of when its event is.
type given struct {
	start, end moment.Value // end: its date, clock and zone, wherever they stand
	allDay     saying
	endTold    bool          // the end's day comes from its own field, and not from a range of days
	length     time.Duration // 0 for none
	days       int64         // of a range of dates whose times stand elsewhere; 0 for none
}

// way is how a span follows from what is given.
type way uint8

const (
	wholeDays      way = iota // from the first to the last day, or one day
	wholeDaysLong             // as many days as the length says
	wholeDaysBoth             // to the last day, and the length agrees
	assumedLength             // the intake's length
	byLength                  // the length
	byClock                   // to the end's clock, over midnight if it must be
	byClockAndLong            // to the end's clock after that length
	toEnd                     // to the end's date and clock
	toEndAndLong              // to the end's date and clock, and the length agrees
	byLengthToDate            // the length, and the end's date agrees
	noStartClock              // held
	noEndClock                // held
	noClock                   // held
	clockAllDay               // held
)

// ways is the decision table of a span, by what is there: a clock at the start,
// a date at the end, a clock at the end, a length. It is complete; a range in
// one cell and an end in another have been brought together before. An answer
// to all-day goes before it, see decide.
var ways = map[[4]bool]way{
	// start clock, end date, end clock, length
	{false, false, false, false}: wholeDays,
	{false, false, false, true}:  wholeDaysLong,
	{false, false, true, false}:  noStartClock,
	{false, false, true, true}:   noStartClock,
	{false, true, false, false}:  wholeDays,
	{false, true, false, true}:   wholeDaysBoth,
	{false, true, true, false}:   noStartClock,
	{false, true, true, true}:    noStartClock,
	{true, false, false, false}:  assumedLength,
	{true, false, false, true}:   byLength,
	{true, false, true, false}:   byClock,
	{true, false, true, true}:    byClockAndLong,
	{true, true, false, false}:   noEndClock,
	{true, true, false, true}:    byLengthToDate,
	{true, true, true, false}:    toEnd,
	{true, true, true, true}:     toEndAndLong,
}

// decide gives the way to a span. What is all day has no clocks but the
// midnights and 23:59 that exports write; what is not all day has a clock.
func (g *given) decide() way {
	switch {
	case g.allDay == saysYes && (g.start.Clock > 0 || !edgeOfDay(g.end.Clock)):
		return clockAllDay
	case g.allDay == saysYes:
		return ways[[4]bool{false, g.end.HasDate, false, g.length > 0}]
	case g.allDay == saysNo && g.start.Clock == moment.NoClock && g.end.Clock == moment.NoClock:
		return noClock
	}
	return ways[[4]bool{g.start.Clock != moment.NoClock, g.end.HasDate, g.end.Clock != moment.NoClock, g.length > 0}]
}

// fixedAllDay gives what the intake itself says of all-day, whatever stands in
// a row.
func (m *Mapper) fixedAllDay() (string, bool) {
	if m.allDay == nil {
		return "", false
	}
	return m.allDay.Fixed()
}

// edgeOfDay tells whether a clock is none, or where a day begins or ends.
func edgeOfDay(clock int) bool {
	return clock == moment.NoClock || clock == 0 || clock >= day24-60
}

// span finds when a row's event is.
func (m *Mapper) span(row table.Row, w *Wanted) (event.Span, *fault.Fault) {
	g, f := m.said(row)
	if f == nil && !g.start.HasDate {
		f = m.noStart(g.start)
	}
	if f == nil && g.start.Open == moment.OpenEnd && !g.end.HasDate && g.end.Clock == moment.NoClock && g.length == 0 {
		f = m.start.fault(m, row, saysOpen, "gives only the start of a range").Do("give the end, or a length")
		f.Field = "start"
	}
	if f == nil {
		f = fault.Join(m.rightWeekday(row, g.start.Date), m.fitsBeside(row, g.start), m.inCompany(row))
	}
	if f != nil {
		return event.Span{}, f
	}
	w.Notes |= Notes(g.start.Assumed|g.end.Assumed) << assumedDates
	way := g.decide()
	if _, fixed := m.fixedAllDay(); fixed && way == clockAllDay {
		g.start.Clock, g.end.Clock = moment.NoClock, moment.NoClock
		way = g.decide()
		w.Notes |= TimesAside
	}
	if way <= wholeDaysBoth {
		if g.allDay == unsaid && m.expectsClock() {
			w.Notes |= AssumedAllDay
		}
		span, f := m.allDaySpan(way, g)
		if f == nil {
			f = m.usualLength(span)
		}
		if f != nil {
			return span, f
		}
		return m.repeated(row, span, w)
	}
	span, f := m.timedSpan(row, way, g, w)
	if f == nil {
		f = m.usualLength(span)
	}
	if f != nil {
		return span, f
	}
	if g.days > 0 {
		if m.series.repeat != nil && m.series.repeat.Filled(row) {
			return span, fault.Newf("has a range of dates with an event on each, and a repetition besides").Do("remove one of them")
		}
		span.Rule = fmt.Sprintf("FREQ=DAILY;COUNT=%d", g.days)
		return span, nil
	}
	return m.repeated(row, span, w)
}

// said reads everything that a row says of its span, and brings together what
// is said twice. What contradicts itself is a fault. What it gives is the mapper's,
// and stands until the next row.
func (m *Mapper) said(row table.Row) (*given, *fault.Fault) {
	m.given = given{}
	g := &m.given
	start, startFault := m.readStart(row)
	if startFault == nil && start.Open == moment.OpenStart {
		startFault = m.start.fault(m, row, saysOpen, "gives the end of a range, where the start is wanted")
	}
	if startFault == nil && start.Midnight {
		startFault = m.start.fault(m, row, saysMidnight, eitherMidnight).Do("write it as 0:00 or 24:00")
	}
	if startFault != nil {
		startFault.Field = "start"
	}
	end, endFault := m.readEnd(row, start.Value)
	if endFault == nil {
		switch {
		case end.Open == moment.OpenEnd:
			endFault = m.end.fault(m, row, saysOpen, "gives the start of a range, where the end is wanted")
		case end.HasEndDate || end.EndClock != moment.NoClock:
			endFault = m.end.fault(m, row, saysRange, "is a range, where the end is wanted")
		case end.Midnight && end.HasDate:
			endFault = m.end.fault(m, row, saysMidnight, eitherMidnight).Do("write it as 0:00 or 24:00")
		}
	}
	if endFault != nil {
		endFault.Field = "end"
	}
	length, lengthFault := m.lengthOf(row)
	allDay, allDayFault := m.isAllDay(row)
	if f := fault.Join(startFault, endFault, lengthFault, allDayFault); f != nil {
		return nil, f
	}
	g.start, g.end, g.length, g.allDay = start.Value, end.Value, length, allDay
	g.endTold = end.HasDate && !start.HasEndDate
	if f := m.together(g, start.dates); f != nil {
		return nil, f
	}
	if start.AllDay || end.AllDay {
		if g.allDay == saysNo {
			return nil, fault.Newf("is all day by one column and not by another").Do("correct one of them")
		}
		g.allDay = saysYes
	}
	return g, nil
}

// together adds to the end what a range in the start's cells says of it. dates
// tells that the range has dates alone: clocks beside it can mean one long
// event, or one on each day.
func (m *Mapper) together(g *given, dates bool) *fault.Fault {
	s, e := &g.start, &g.end
	if s.HasEndDate && e.HasDate && s.EndDate != e.Date {
		return fault.Newf("the start's range ends on %s, and the end is on %s", shortDate(s.EndDate), shortDate(e.Date)).Do("correct one of them")
	}
	if s.EndClock != moment.NoClock && e.Clock != moment.NoClock && s.EndClock != e.Clock {
		return fault.Newf("the start's range ends at %s, and the end is at %s", showClock(s.EndClock), showClock(e.Clock)).Do("correct one of them")
	}
	hours := s.EndClock != moment.NoClock && s.Clock != moment.NoClock
	if s.EndClock != moment.NoClock {
		e.Clock = s.EndClock
	}
	last := e.Date
	switch {
	case dates && s.HasEndDate && s.EndDate > s.Date && s.Clock != moment.NoClock && !e.HasDate:
		last = s.EndDate
	case hours && !s.HasEndDate && s.HasDate && e.HasDate && e.Date > s.Date && !(e.Date == s.Date+day24 && s.EndClock <= s.Clock): // and no night: 18:00–19:30 from 2 March to 30 March
	case s.HasEndDate:
		e.HasDate, e.Date = true, s.EndDate
		return nil
	case m.clocksApart && m.rangeMeaning() == "each day" && g.severalDays():
	default:
		return nil
	}
	switch m.rangeMeaning() {
	case "each day":
		g.days, e.HasDate, e.Date = (last-s.Date)/day24+1, false, 0
	case "one":
		e.HasDate, e.Date = true, last
	default:
		return fault.Newf("has the dates %s to %s and a time of day besides: one event, or one on each day", shortDate(s.Date), shortDate(last)).Do("set range_with_times: one, or range_with_times: each day, or give --range-with-times")
	}
	return nil
}

// eitherMidnight is what is wrong with a midnight in words.
const eitherMidnight = "may be the midnight at the beginning of its day or the one at its end"

// What a cell of a moment can say, and be wrong about.
var (
	saysOpen     = func(v moment.Value) bool { return v.Open != moment.Closed }
	saysRange    = func(v moment.Value) bool { return v.HasEndDate || v.EndClock != moment.NoClock }
	saysDate     = func(v moment.Value) bool { return v.HasDate }
	saysClock    = func(v moment.Value) bool { return v.Clock != moment.NoClock }
	saysZone     = func(v moment.Value) bool { return v.ZoneText != "" || v.Zone != nil }
	saysMidnight = func(v moment.Value) bool { return v.Midnight }
)

// fault says what is wrong with the cell of a moment that says something; with its first
// one where none does.
func (s *moments) fault(m *Mapper, row table.Row, says func(moment.Value) bool, problem string) *fault.Fault {
	if s.text != nil {
		text, f := m.eval.Render(s.text)
		if f != nil {
			return f
		}
		return fault.New(text, problem)
	}
	at := -1
	for _, i := range s.columns {
		if v, f := m.columns[i].Read(row.Cell(i), sent(row)); f == nil && says(v) {
			at = i
			break
		}
		if at < 0 && row.Filled(i) {
			at = i
		}
	}
	if at < 0 {
		return fault.Newf("%s", problem)
	}
	f := fault.New(row.Cell(at).Text, problem)
	f.Place.Column = m.Header.Label(at)
	return f
}

func (m *Mapper) allDaySpan(way way, g *given) (event.Span, *fault.Fault) {
	last := g.start.Date
	if g.end.HasDate {
		last = g.end.Date
		until := g.end.Clock == 0 || g.endTold && m.intake.LastDay == "not included"
		if until && last > g.start.Date { // until midnight at the start of that day
			last -= day24
		}
	}
	if last < g.start.Date {
		return event.Span{}, fault.Newf("ends on %s, before it starts on %s", shortDate(last), shortDate(g.start.Date))
	}
	if way != wholeDays {
		long := g.start.Date + int64(g.length/time.Second) - day24
		switch {
		case g.length%day != 0:
			return event.Span{}, fault.Newf("lasts %s, and has no time of day", ShowLength(g.length)).Do("fill in the start's time")
		case way == wholeDaysBoth && long != last:
			return event.Span{}, fault.Newf("ends on %s, but its length of %s ends on %s", shortDate(last), ShowLength(g.length), shortDate(long)).Do("correct one of them")
		}
		last = long
	}
	return event.Span{
		Start: zone.Time{Wall: g.start.Date, Form: zone.Date},
		End:   zone.Time{Wall: last + day24, Form: zone.Date}, // iCalendar's end is exclusive
	}, nil
}

func (m *Mapper) timedSpan(row table.Row, way way, g *given, w *Wanted) (event.Span, *fault.Fault) {
	var span event.Span
	switch way {
	case noStartClock:
		return span, fault.Newf("the start has no time of day, the end has one").Do("fill in the start's time")
	case noEndClock:
		return span, fault.Newf("the end has a date but no time of day, the start has both").Do("fill in the end's time")
	case noClock:
		return span, fault.Newf("is not all day, and has no time of day").Do("fill in the time")
	case clockAllDay:
		at := g.start.Clock
		if at <= 0 {
			at = g.end.Clock
		}
		return span, fault.Newf("is all day, and has the time %s", showClock(at)).Do("correct one of them")
	}
	z, f := m.zoneFor(row, g.start)
	if f != nil {
		return span, f
	}
	date, clock := g.start.Date, g.start.Clock
	if clock == day24 { // 24:00 is the next day's midnight
		date, clock = date+day24, 0
	}
	if span.Start, f = m.place(z, date+int64(clock), w); f != nil {
		return span, f
	}
	if g.end.Zone != nil {
		at := g.end
		if !at.HasDate {
			at.Date = date
		}
		if z, f = m.zoneFor(row, at); f != nil {
			return span, f
		}
	}
	if span.End, f = m.endOf(way, g, z, date, clock, span.Start, w); f != nil {
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

// endOf finds the end of an event that starts at a date and clock of a zone.
func (m *Mapper) endOf(way way, g *given, z *zone.Zone, date int64, clock int, start zone.Time, w *Wanted) (zone.Time, *fault.Fault) {
	switch way {
	case byLength:
		return after(start, g.length), nil
	case byLengthToDate, byClockAndLong:
		end := after(start, g.length)
		wall := end.InZone(z).Wall
		if way == byLengthToDate && zone.Midnight(wall) != g.end.Date && wall != g.end.Date+day24 || way == byClockAndLong && int(wall-zone.Midnight(wall)) != g.end.Clock%day24 {
			return end, m.disagrees(g, end)
		}
		return end, nil
	case toEnd:
		return m.place(z, g.end.Date+int64(g.end.Clock), w)
	case toEndAndLong:
		end, f := m.place(z, g.end.Date+int64(g.end.Clock), w)
		if long := after(start, g.length); f == nil && long.Instant(z) != end.Instant(z) {
			f = m.disagrees(g, long)
		}
		return end, f
	case byClock:
		if g.end.Clock < clock {
			if over := time.Duration(g.end.Clock-clock)*time.Second + day; over > m.intake.Assume.Overnight {
				return start, fault.Newf("ends at %s, before it starts at %s; as an event over midnight it would last %s", showClock(g.end.Clock), showClock(clock), ShowLength(over)).Do("give the end's date")
			}
			date += day24
			w.Notes |= AssumedOvernight
		}
		return m.place(z, date+int64(g.end.Clock), w)
	}
	if m.intake.Assume.Length <= 0 {
		return start, fault.Newf("has no end, and no length is assumed").Do("set assume: { length: 1h }, or give --length")
	}
	w.Notes |= AssumedLength
	return after(start, m.intake.Assume.Length), nil
}

func (m *Mapper) disagrees(g *given, long zone.Time) *fault.Fault {
	var end string
	if g.end.HasDate {
		end = " on " + shortDate(g.end.Date)
	}
	if g.end.Clock != moment.NoClock {
		end += " at " + showClock(g.end.Clock)
	}
	return fault.Newf("ends%s, but its length of %s ends on %s", end, ShowLength(g.length), longTime(long)).Do("correct one of them")
}
