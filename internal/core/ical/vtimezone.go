package ical

import (
	"errors"
	"fmt"
	"sort"
	"time"

	"almanach/internal/core/rule"
	"almanach/internal/core/zone"
)

// observance is one STANDARD or DAYLIGHT part of a VTIMEZONE (§3.6.5).
type observance struct {
	daylight bool
	start    zone.Time
	from, to int // seconds east of Greenwich
	name     string
	rules    []rule.Rule
	dates    []zone.Time
}

// ReadZone reads a VTIMEZONE component into a zone, whatever its name.
func ReadZone(raw []byte) (*zone.Zone, error) {
	var tzid string
	var parts []observance
	var current *observance
	for l := range Lines(raw) {
		var err error
		switch {
		case l.Depth == 0 && l.Is("TZID"):
			tzid = l.Text()
		case l.Is("BEGIN") && l.Depth == 1:
			parts = append(parts, observance{daylight: hasFold(l.Value(), "DAYLIGHT")})
			current = &parts[len(parts)-1]
		case l.Depth == 1 && current != nil:
			err = current.read(l)
		}
		if err != nil {
			return nil, fmt.Errorf("VTIMEZONE %s, line %d: %w", tzid, l.Number, err)
		}
	}
	if tzid == "" {
		return nil, errors.New("VTIMEZONE has no TZID")
	}
	if len(parts) == 0 {
		return nil, fmt.Errorf("VTIMEZONE %s has neither STANDARD nor DAYLIGHT", tzid)
	}
	return fromObservances(tzid, parts)
}

func noZones(tzid string) (*zone.Zone, error) { return nil, fmt.Errorf("TZID %s in a VTIMEZONE", tzid) }

func (o *observance) read(l Line) (err error) {
	switch l.Name() {
	case "DTSTART":
		o.start, err = ParseTime(l.Value(), "", noZones)
	case "TZOFFSETFROM":
		o.from, err = ParseOffset(l.Value())
	case "TZOFFSETTO":
		o.to, err = ParseOffset(l.Value())
	case "TZNAME":
		o.name = l.Text()
	case "RRULE":
		var r rule.Rule
		if r, err = rule.Parse(string(l.Value())); err == nil {
			o.rules = append(o.rules, r)
		}
	case "RDATE":
		for _, v := range SplitList(l.Value()) {
			var t zone.Time
			if t, err = ParseTime([]byte(v), "", noZones); err != nil {
				return err
			}
			o.dates = append(o.dates, t)
		}
	}
	return err
}

// maxOnsets bounds the changes of one zone: ten times what two a year come to
// in all the years a table covers.
const maxOnsets = 15_000

func fromObservances(tzid string, parts []observance) (*zone.Zone, error) {
	type onset struct {
		zone.Shift
		from int
	}
	var onsets []onset
	for _, o := range parts {
		if o.start.IsZero() {
			return nil, fmt.Errorf("VTIMEZONE %s: an observance %w", tzid, ErrNoTime)
		}
		add := func(wall int64) bool {
			if len(onsets) >= maxOnsets {
				return false
			}
			onsets = append(onsets, onset{zone.Shift{At: wall - int64(o.from), To: zone.Offset{Seconds: o.to, Name: o.name, Daylight: o.daylight}}, o.from})
			return true
		}
		if len(o.rules) == 0 {
			add(o.start.Wall)
		}
		for _, r := range o.rules {
			last := zone.Horizon()
			if !r.Until.IsZero() {
				last = r.Until.Wall
				if r.Until.Form == zone.Absolute {
					last += int64(o.from) // UNTIL is in UTC here (§3.6.5)
				}
			}
			if len(onsets) >= maxOnsets {
				break
			}
			if err := r.Expand(o.start.Wall, o.start.Wall, zone.Horizon(), last, nil, add); err != nil {
				return nil, fmt.Errorf("VTIMEZONE %s: %w", tzid, err)
			}
		}
		for _, t := range o.dates {
			wall := t.Wall
			if t.Form == zone.Absolute {
				wall += int64(o.from)
			}
			add(wall)
		}
	}
	if len(onsets) >= maxOnsets {
		return nil, fmt.Errorf("VTIMEZONE %s changes its clock more often than any place does", tzid)
	}
	sort.SliceStable(onsets, func(i, j int) bool { return onsets[i].At < onsets[j].At })
	first := zone.Offset{Seconds: onsets[0].from, Name: onsets[0].To.Name}
	shifts := make([]zone.Shift, 0, len(onsets))
	last := first.Seconds
	for _, o := range onsets {
		if o.To.Seconds != last {
			shifts = append(shifts, o.Shift)
			last = o.To.Seconds
		}
	}
	return zone.New(tzid, first, shifts), nil
}

// AppendZone appends the VTIMEZONE of z, called by z's name, valid from the
// year firstYear on, for ever where the zone's rules are regular.
//
// Changes of the clock that come round by one rule (the last Sunday of March
// at 01:00) are written as a yearly RRULE, the others as single dates.
func AppendZone(dst []byte, z *zone.Zone, firstYear int) []byte {
	dst = append(dst, "BEGIN:VTIMEZONE\r\n"...)
	dst = AppendLine(dst, "TZID", nil, Escape(z.Name()))
	begin := zone.Wall(firstYear, 1, 1, 0, 0, 0) - 86400
	if s, ok := z.LastShift(begin); ok && s.At < begin { // begin with the offset in force on the first day
		begin = s.At
	}
	first, shifts := z.Shifts(begin, zone.Horizon())
	if len(shifts) == 0 || begin < shifts[0].At {
		dst = appendObservance(dst, first, first, []int64{zone.Wall(min(firstYear, 1970), 1, 1, 0, 0, 0)}, "")
	}
	single, rules := parted(first, shifts)
	for _, g := range append(single, rules...) {
		dst = appendObservance(dst, g.from, g.to, g.walls, g.rule)
	}
	return append(dst, "END:VTIMEZONE\r\n"...)
}

// A change is a run of shifts between the same two offsets, on single dates
// or by a rule that begins with the first of its walls.
type change struct {
	from, to zone.Offset
	walls    []int64
	rule     string
}

func appendObservance(dst []byte, from, to zone.Offset, walls []int64, rrule string) []byte {
	kind := "STANDARD"
	if to.Daylight {
		kind = "DAYLIGHT"
	}
	dst = append(dst, "BEGIN:"+kind+"\r\n"...)
	for i, wall := range walls {
		name := "RDATE"
		if i == 0 {
			name = "DTSTART"
		} else if rrule != "" {
			break
		}
		dst = AppendLine(dst, name, nil, FormatTime(zone.Time{Wall: wall, Form: zone.Floating}))
	}
	dst = AppendLine(dst, "TZOFFSETFROM", nil, zone.FormatOffset(from.Seconds, ""))
	dst = AppendLine(dst, "TZOFFSETTO", nil, zone.FormatOffset(to.Seconds, ""))
	if to.Name != "" {
		dst = AppendLine(dst, "TZNAME", nil, Escape(to.Name))
	}
	if rrule != "" {
		dst = AppendLine(dst, "RRULE", nil, rrule)
	}
	return append(dst, "END:"+kind+"\r\n"...)
}

// parted parts shifts, which follow the offset first, into those that come
// round by two yearly rules in turn up to the horizon, and the others.
func parted(first zone.Offset, shifts []zone.Shift) (single, rules []change) {
	before := func(i int) zone.Offset {
		if i == 0 {
			return first
		}
		return shifts[i-1].To
	}
	n := len(shifts)
	if n >= 20 && shifts[n-1].At > zone.Horizon()-366*86400 {
		pair := [2]pattern{}
		at := n
		for at > 0 && pair[at%2].admit(before(at-1), shifts[at-1]) {
			at--
		}
		if n-at >= 20 {
			for i := at; i < at+2; i++ {
				rules = append(rules, change{before(i), shifts[i].To, []int64{wallOf(before(i), shifts[i])}, pair[(i+1)%2].rule()})
			}
			shifts = shifts[:at]
		}
	}
	for i, s := range shifts {
		from := before(i)
		known := false
		for j := range single {
			if single[j].from == from && single[j].to == s.To {
				single[j].walls = append(single[j].walls, wallOf(from, s))
				known = true
			}
		}
		if !known {
			single = append(single, change{from: from, to: s.To, walls: []int64{wallOf(from, s)}})
		}
	}
	return single, rules
}

func wallOf(before zone.Offset, s zone.Shift) int64 { return s.At + int64(before.Seconds) }

// A pattern is a weekday within seven days of a month, at one time of day,
// between the same two offsets, every year: what most clocks change by.
type pattern struct {
	from, to  zone.Offset
	month     time.Month
	weekday   time.Weekday
	clock     int64
	year      int // the last one admitted, going back
	low, high int // days of the month met
	tail      int // fewest days left in the month after the change
}

// admit takes a shift into the pattern if it fits.
func (p *pattern) admit(before zone.Offset, s zone.Shift) bool {
	wall := wallOf(before, s)
	c := zone.Civil(wall)
	left := time.Date(c.Year(), c.Month()+1, 0, 0, 0, 0, 0, time.UTC).Day() - c.Day()
	if p.year == 0 {
		*p = pattern{from: before, to: s.To, month: c.Month(), weekday: c.Weekday(), clock: wall - zone.Midnight(wall), year: c.Year(), low: c.Day(), high: c.Day(), tail: left}
		return true
	}
	low, high := min(p.low, c.Day()), max(p.high, c.Day())
	if p.from != before || p.to != s.To || p.month != c.Month() || p.weekday != c.Weekday() || p.clock != wall-zone.Midnight(wall) || p.year != c.Year()+1 || high-low > 6 {
		return false
	}
	p.low, p.high, p.year, p.tail = low, high, c.Year(), min(p.tail, left)
	return true
}

// rule gives the yearly rule of the pattern.
func (p *pattern) rule() string {
	r := rule.Rule{Freq: rule.Yearly, Interval: 1, ByMonth: []int{int(p.month)}, ByDay: []rule.Weekday{{Day: p.weekday}}, WeekStart: time.Monday}
	switch {
	case p.tail == 0 && p.month != time.February:
		r.ByDay[0].N = -1
	case p.low%7 == 1 && p.high-p.low == 6:
		r.ByDay[0].N = p.low/7 + 1
	default:
		for d := p.low; d <= p.low+6; d++ {
			r.ByMonthDay = append(r.ByMonthDay, d)
		}
	}
	return r.String()
}
