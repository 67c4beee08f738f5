package intake

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// reading is what the columns of a moment say together.
type reading struct {
	moment.Value
	dates bool // one of them has a range of dates without clocks
}

func (r *reading) add(v moment.Value) {
	r.dates = r.dates || v.HasEndDate && v.Clock == moment.NoClock && v.EndClock == moment.NoClock
}

// read merges the values of the columns a moment is made of.
func (m *Mapper) read(s *moments, row table.Row) (reading, *fault.Fault) {
	none := reading{Value: moment.Value{Clock: moment.NoClock, EndClock: moment.NoClock}}
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
		v, f := m.virtual[s.slot].Read(table.Cell{Kind: table.Text, Text: text}, sent(row))
		out := reading{Value: v}
		out.add(v)
		return out, f
	}
	out := none
	var problem *fault.Fault
	half, halfAt, unseen := 0, 0, 0
	for _, i := range s.columns {
		cell := row.Cell(i)
		if h := moment.Half(cell.Text); h != 0 && len(s.columns) > 1 {
			half, halfAt = h, i
			continue
		}
		v, f := m.columns[i].Read(cell, sent(row))
		if f == nil && len(s.columns) > 1 {
			f = m.wrongHalf(i, cell, v)
		}
		if f == nil {
			out.add(v)
			if v.UnseenClock {
				unseen = i
			}
			f = merge(&out.Value, v, cell)
		}
		if f != nil {
			f.Place.Column = m.Header.Label(i)
			problem = fault.Join(problem, f)
		}
	}
	if problem == nil && half != 0 {
		problem = halve(&out.Value, half, row.Cell(halfAt))
		if out.HasDate && out.Clock == moment.NoClock && s != m.end { // an end that is empty leaves the word to the start
			problem = fault.New(row.Cell(halfAt).Text, "is half of a day, and no time of day stands beside it").Do("write the time")
		}
		if problem != nil {
			problem.Place.Column = m.Header.Label(halfAt)
		}
	}
	if problem == nil && out.UnseenClock && m.Mapping.columns[unseen].Stray() {
		problem = fault.New(row.Cell(unseen).Text, "has a time of day that the sheet does not show, and most of the others have none").Do("take it out of the cell, or have the sheet show it in all of them")
		problem.Place.Column = m.Header.Label(unseen)
	}
	if problem != nil {
		return none, problem
	}
	if out.UnseenDate {
		out.Assumed |= moment.AssumedUnseenDate
	}
	if out.UnseenClock {
		out.Assumed |= moment.AssumedUnseenClock
	}
	return out, nil
}

// readStart reads the start, or remembers what it came to while it was learnt.
func (m *Mapper) readStart(row table.Row) (reading, *fault.Fault) {
	if m.start != nil && m.row >= 0 && m.row < len(m.company.starts) {
		if p := m.company.starts[m.row]; p.clock != notPlain {
			return p.reading(), nil
		}
	}
	return m.read(m.start, row)
}

// halve applies an am or pm of a column of its own to the times beside it.
func halve(v *moment.Value, half int, c table.Cell) *fault.Fault {
	for _, clock := range []*int{&v.Clock, &v.EndClock} {
		switch {
		case *clock == moment.NoClock:
		case *clock >= 13*3600 || *clock < 3600:
			return fault.New(c.Text, "stands beside "+showClock(*clock)+", which is of 24 hours").Do("correct one of them")
		default:
			*clock %= 12 * 3600
			if half == 2 {
				*clock += 12 * 3600
			}
		}
	}
	return nil
}

// wrongHalf refuses a time of day among dates, and a date among times of day,
// where another column holds the other half.
func (m *Mapper) wrongHalf(i int, c table.Cell, v moment.Value) *fault.Fault {
	switch role := m.Mapping.columns[i].Mostly(); {
	case role == moment.DateRole && !v.HasDate && v.Clock != moment.NoClock:
		return fault.New(c.Text, "is a time of day, where a date is wanted").Do("correct it; the sheet may show it as something else")
	case role == moment.ClockRole && v.HasDate && v.Clock == moment.NoClock:
		return fault.New(c.Text, "is a date, where a time of day is wanted").Do("correct it; the sheet may show it as something else")
	}
	return nil
}

// readEnd reads the end. A date that is the start's own gives way where it
// would end the event before its start, or stands without a time of day, or is
// a range.
func (m *Mapper) readEnd(row table.Row, start moment.Value) (reading, *fault.Fault) {
	end, f := m.read(m.end, row)
	if end.UnseenDate && start.HasDate && !start.UnseenDate {
		end.HasDate, end.UnseenDate, end.Assumed = false, false, end.Assumed&^moment.AssumedUnseenDate
	}
	if !m.borrowed {
		return end, f
	}
	if end.HasEndDate && end.EndDate == start.EndDate {
		end.HasEndDate, end.HasDate = false, false
	}
	if start.Clock != moment.NoClock && end.Clock < start.Clock {
		end.HasDate = false
	}
	return end, f
}

// merge adds what one more column says. A midnight beside a real time of day
// is what an export writes for a date without one, and gives way.
func merge(out *moment.Value, v moment.Value, c table.Cell) *fault.Fault {
	out.Assumed |= v.Assumed
	out.Midnight = out.Midnight || v.Midnight
	switch { // what the source does not show gives way to what another column says
	case v.UnseenDate && out.HasDate && !out.UnseenDate:
		v.HasDate, v.UnseenDate = false, false
	case out.UnseenDate && v.HasDate && !v.UnseenDate:
		out.HasDate, out.UnseenDate = false, false
	}
	switch {
	case v.UnseenClock && out.Clock != moment.NoClock && !out.UnseenClock:
		v.Clock, v.UnseenClock = moment.NoClock, false
	case out.UnseenClock && v.Clock != moment.NoClock && !v.UnseenClock:
		out.Clock, out.UnseenClock = moment.NoClock, false
	}
	if v.HasDate {
		if out.HasDate && out.Date != v.Date {
			return fault.New(c.Text, "is a second date")
		}
		out.HasDate, out.Date, out.UnseenDate = true, v.Date, v.UnseenDate
	}
	out.UnseenClock = out.UnseenClock || v.UnseenClock
	if v.HasEndDate {
		if out.HasEndDate && out.EndDate != v.EndDate {
			return fault.New(c.Text, "is a second range")
		}
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
		if out.EndClock != moment.NoClock && out.EndClock != v.EndClock {
			return fault.New(c.Text, "is a second range of times")
		}
		out.EndClock = v.EndClock
	}
	if v.Zone != nil {
		if out.Zone != nil && !out.Zone.SameRules(v.Zone) {
			return fault.New(c.Text, "names a second time zone")
		}
		out.Zone, out.ZoneText = v.Zone, v.ZoneText
	}
	if v.ZoneText == moment.Local {
		out.ZoneText = cmp.Or(out.ZoneText, v.ZoneText)
	}
	if out.Zone != nil && (v.ZoneText == moment.Local || out.ZoneText == moment.Local) {
		return fault.New(c.Text, "names a second time zone")
	}
	out.AllDay = out.AllDay || v.AllDay
	if v.Open != moment.Closed {
		if out.Open != moment.Closed && out.Open != v.Open {
			return fault.New(c.Text, "gives the other end of a range")
		}
		out.Open = v.Open
	}
	return nil
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

func (m *Mapper) isAllDay(row table.Row) (saying, *fault.Fault) {
	if m.allDay == nil {
		return unsaid, nil
	}
	text, f := m.eval.Render(m.allDay)
	if f != nil || text == "" || text == "-" {
		return unsaid, f
	}
	yes, f := readYesNo(text)
	if f != nil {
		f.Field = "all_day"
		f.Place.Column = m.allDay.Blame(m.Header, row, text)
	}
	if yes {
		return saysYes, f
	}
	return saysNo, f
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

func shortDate(wall int64) string { return zone.Civil(wall).Format("Mon 2 January 2006") }

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
	own := m.Zone
	name, f := m.zoneNamed(row)
	if f != nil {
		return nil, f
	}
	if v.Zone == nil && v.ZoneText == moment.Local {
		other, says := m.ZoneFrom, m.zoneText
		if name != "" {
			other, says = m.zoneOf.Blame(m.Header, row, name), name
		}
		if says != "" {
			return nil, fault.Newf("is said to be local time, and %s says %s", other, says).Do("say it in one of them")
		}
		return own, nil
	}
	if v.Zone != nil {
		own = v.Zone
		if f := m.inForce(row, v); f != nil {
			return nil, f
		}
	}
	if name == "" {
		if v.Zone == nil && m.zoneText != "" && v.Clock != moment.NoClock { // of the heading, as in a cell
			v.ZoneText = m.zoneText
			if f := m.inForce(row, v); f != nil {
				return nil, f
			}
		}
		return own, nil
	}
	columns, _ := m.zoneOf.Columns()
	if (row.Evidence != nil || len(columns) > 0 && v.Clock != moment.NoClock) && v.Zone == nil { // beside a time, as in a cell of a time
		beside := v
		beside.ZoneText = name
		if f := m.inForce(row, beside); f != nil {
			return nil, f
		}
	}
	z, err := m.Zones.Find(name)
	if err != nil {
		u := m.Zones.Unknown(name)
		u.Field = "zone"
		if len(columns) > 0 {
			u.Place.Column = m.Header.Label(columns[0])
		}
		return nil, u
	}
	if v.Zone == nil && v.Clock != moment.NoClock && m.zoneText != "" && !z.SameRules(m.Zone) {
		return nil, fault.Newf("%s says %s, and %s says %s", m.ZoneFrom, m.zoneText, m.zoneOf.Blame(m.Header, row, name), name).Do("correct one of them, or leave the column of zones out")
	}
	if v.Zone == nil || v.Zone.IsUTC() { // an instant in UTC is certain, whatever zone it is shown in
		if v.Zone != nil {
			z = v.Zone
		}
		return z, nil
	}
	wall := v.Date + int64(max(v.Clock, 0))
	at, _ := v.Zone.Instant(wall)
	if there := z.OffsetAt(at).Seconds; there != v.Zone.OffsetAt(at).Seconds {
		f := m.start.fault(m, row, saysZone, fmt.Sprintf("is at %s, and %s says %s, which is at %s then", v.Zone.Name(), m.zoneOf.Blame(m.Header, row, name), z.Name(), zone.FormatOffset(there, ":")))
		return nil, f.Do("correct one of them")
	}
	return z, nil
}

// zoneNamed gives the zone that the row names, "" for none.
func (m *Mapper) zoneNamed(row table.Row) (string, *fault.Fault) {
	if m.zoneOf == nil || !m.zoneOf.Filled(row) {
		return "", nil
	}
	return m.eval.Render(m.zoneOf)
}

// inForce refuses an abbreviation whose offset is not in force where it is used
// on the day it is written for: in July "CET" can mean either clock.
func (m *Mapper) inForce(row table.Row, v moment.Value) *fault.Fault {
	seconds, region, ok := m.Zones.Abbreviation(v.ZoneText)
	if !ok || region == nil {
		return nil
	}
	at := v.Date + int64(max(v.Clock, 0)) - int64(seconds)
	if there := region.OffsetAt(at).Seconds; there != seconds {
		name := strings.ToUpper(v.ZoneText)
		return m.start.fault(m, row, saysZone, fmt.Sprintf("says %s, which is %s, and on %s the clocks of %s are at %s", name, zone.FormatOffset(seconds, ":"), shortDate(v.Date), region.Name(), zone.FormatOffset(there, ":"))).Do("write the offset")
	}
	return nil
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
