package notice

import (
	"cmp"
	"fmt"
	"math/bits"
	"strings"
	"time"

	"almanach/internal/core/fault"
)

// resolved is one event's days.
type resolved struct {
	first, last time.Time // midnights; last is zero where there is one day
	year        yearBy
}

// yearBy is where the year of a day is from.
type yearBy int

const (
	byOther   yearBy = iota // a heading, the settings, or the start of a range
	bySaying                // the day itself says it
	byWeekday               // the day of the week is only right in that year
	byToday                 // it is assumed
)

// resolve finds the days that a text means. Where the days are known and are in
// doubt, both are given.
func (d *document) resolve(ds dates) ([]resolved, *fault.Fault) {
	var out []resolved
	var doubt *fault.Fault
	if ds.until != nil {
		first, last := ds.days[0], *ds.until
		if first.relative && first.weekdays != 0 && first.after == 0 && last.after < 0 { // Mon–Fri next week
			first.after = last.after
		}
		a, f := d.date(first.inYearOf(last), time.Time{})
		year := d.yearBy
		if f != nil {
			doubt = f
		}
		if a.IsZero() {
			return nil, doubt
		}
		b, f := d.date(last, a)
		if f != nil {
			doubt = f
		}
		if b.IsZero() {
			return nil, doubt
		}
		if b.Before(a) {
			return nil, fault.Newf("ends before it begins").Do("correct the days")
		}
		if b.Sub(a) > 370*24*time.Hour {
			doubt = fault.Newf("lasts more than a year").Do("see whether that is meant")
		}
		return []resolved{{a, b, year}}, doubt
	}
	last := ds.days[len(ds.days)-1]
	for _, one := range ds.days {
		if one.relative && one.weekdays != 0 && one.after == 0 && last.after < 0 {
			one.after = last.after
		}
		t, f := d.date(one.inYearOf(last), time.Time{})
		if f != nil {
			doubt = f
		}
		if !t.IsZero() {
			out = append(out, resolved{first: t, year: d.yearBy})
		}
	}
	return out, doubt
}

// inYearOf gives a day without a year that of the last of its list, which says one:
// 28 December to 3 January 2027.
func (x day) inYearOf(last day) day {
	if x.year == 0 && last.year != 0 && !x.relative {
		x.year = last.year
		if x.month > last.month {
			x.year--
		}
	}
	return x
}

// date gives the midnight of one day. after is the day that it must not lie
// before, where it is the end of a range.
func (d *document) date(x day, after time.Time) (time.Time, *fault.Fault) {
	d.yearBy = byOther
	if x.year > 0 {
		d.yearBy = bySaying
	}
	if x.doubt != "" {
		return time.Time{}, fault.Newf("%s", x.doubt).Do("write the date in full")
	}
	if x.relative {
		t, f := d.relative(x, after)
		if f == nil && x.unsure != "" {
			f = fault.Newf("%s", x.unsure).Do("write the date itself")
		}
		return t, f
	}
	if x.nth != 0 {
		return d.ofMonth(x, after)
	}
	if x.month == 0 && d.set.Stated.IsZero() && x.weekdays == 0 {
		return time.Time{}, fault.Newf("names a day and not its month").Do("write the date in full")
	}
	if x.month == 0 { // a day of this month or the next
		for _, t := range []time.Time{d.today(), d.today().AddDate(0, 1, 1-d.today().Day())} {
			if exists(t.Year(), int(t.Month()), x.day) && !midnight(t.Year(), int(t.Month()), x.day).Before(d.today()) && (x.weekdays == 0 || x.weekdays&(1<<weekdayOf(t.Year(), int(t.Month()), x.day)) != 0) {
				on := midnight(t.Year(), int(t.Month()), x.day)
				return on, d.around.otherwise(x, d.yearBy, on)
			}
		}
		return time.Time{}, fault.Newf("is no day of this month or the next").Do("write the date in full")
	}
	if x.twoWays {
		order := d.order
		if order == 0 && x.weekdays != 0 { // only one of both falls on the day of the week
			fits := func(month, of int) bool {
				y := x.year
				if y == 0 {
					y = d.yearOf(day{month: month, day: of}, after)
				}
				return exists(y, month, of) && x.weekdays&(1<<weekdayOf(y, month, of)) != 0
			}
			if a, b := fits(x.month, x.day), fits(x.day, x.month); a != b {
				order = map[bool]int{true: 1, false: 2}[a]
			}
		}
		switch order {
		case 2:
			x.month, x.day = x.day, x.month
		case 1:
		default:
			a, b := time.Month(x.month), time.Month(x.day)
			year := x.year
			if year == 0 {
				year = d.yearOf(x, after)
			}
			return midnight(year, x.month, x.day), fault.Newf("may be %d %s or %d %s: nothing else in the text tells day and month apart", x.day, a, x.month, b).Do("write the month as a word")
		}
	}
	year := x.year
	if year == 0 {
		year = d.yearOf(x, after)
	}
	if !exists(year, x.month, x.day) {
		return time.Time{}, fault.Newf("%d %s %d is no day of the calendar", x.day, time.Month(x.month), year).Do("correct the date")
	}
	t := midnight(year, x.month, x.day)
	if x.weekdays != 0 && x.weekdays&(1<<weekdayOf(year, x.month, x.day)) == 0 {
		return t, fault.Newf("%d %s %d is a %s, not a %s", x.day, time.Month(x.month), year, t.Weekday(), weekdayNames(x.weekdays)).Do("correct the day or the date")
	}
	return t, d.around.otherwise(x, d.yearBy, t)
}

// ofMonth gives the second Saturday of a month: of the next such month, where its year
// is not said.
func (d *document) ofMonth(x day, after time.Time) (time.Time, *fault.Fault) {
	in := func(year, month int) time.Time {
		first := midnight(year, month, 1)
		t := first.AddDate(0, 0, (bits.TrailingZeros8(x.weekdays)-int(first.Weekday())+7)%7)
		if x.nth > 0 {
			return t.AddDate(0, 0, 7*(x.nth-1))
		}
		for t.AddDate(0, 0, 7).Month() == first.Month() {
			t = t.AddDate(0, 0, 7)
		}
		return t
	}
	none := fault.Newf("is no day: that month has no fifth %s", weekdayNames(x.weekdays)).Do("correct the day")
	if x.month == 0 {
		if d.set.Stated.IsZero() {
			return time.Time{}, fault.Newf("counts from the day on which it was written, which is not known").Do("write the date itself")
		}
		month := d.today().AddDate(0, x.ahead, 1-d.today().Day())
		t := in(month.Year(), int(month.Month()))
		if t.Month() != month.Month() {
			return time.Time{}, none
		}
		if t.Before(d.today()) {
			return t, fault.Newf("is past in this month: %s", show(t)).Do("write the date itself")
		}
		return t, nil
	}
	year := x.year
	if year == 0 {
		year = d.yearOf(day{month: x.month, day: 15}, after)
	}
	t := in(year, x.month)
	if int(t.Month()) != x.month {
		return time.Time{}, none
	}
	return t, nil
}

func weekdayNames(days uint8) string {
	return time.Weekday(bits.TrailingZeros8(days)).String()
}

func midnight(y, m, d int) time.Time { return time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC) }

// yearOf gives the year of a date that has none: that of a heading or the title;
// else the one in which its weekday fits; else the next such date, or one that is
// just past.
func (d *document) yearOf(x day, after time.Time) int {
	if !after.IsZero() {
		if !midnight(after.Year(), x.month, x.day).Before(after) {
			return after.Year()
		}
		return after.Year() + 1
	}
	if d.year > 0 {
		return d.year
	}
	if d.set.Year > 0 {
		return d.set.Year
	}
	today := d.today()
	if x.weekdays != 0 {
		best, bestAway := 0, time.Duration(0)
		for _, y := range []int{today.Year() - 1, today.Year(), today.Year() + 1} {
			if exists(y, x.month, x.day) && x.weekdays&(1<<weekdayOf(y, x.month, x.day)) != 0 {
				away := midnight(y, x.month, x.day).Sub(today)
				if away < 0 {
					away = -away * 2
				}
				if best == 0 || away < bestAway {
					best, bestAway = y, away
				}
			}
		}
		if best != 0 && bestAway < 300*24*time.Hour {
			d.yearBy = byWeekday
			return best
		}
	}
	d.yearBy = byToday
	return nearYear(today, x.month, x.day)
}

// nearYear gives the year in which a day of the year is the next one to come, or just past.
func nearYear(today time.Time, month, day int) int {
	of := midnight(today.Year(), month, day)
	switch {
	case of.Before(today.AddDate(0, 0, -60)):
		return today.Year() + 1
	case of.After(today.AddDate(0, 10, 0)):
		return today.Year() - 1
	}
	return today.Year()
}

// relative gives the day that counts from the one on which it was said.
func (d *document) relative(x day, after time.Time) (time.Time, *fault.Fault) {
	if !x.week.IsZero() && bits.OnesCount8(x.weekdays) == 1 {
		return weekdayFrom(x.week, x.weekdays), nil
	}
	if d.set.Stated.IsZero() && after.IsZero() {
		return time.Time{}, fault.Newf("counts from the day on which it was written, which is not known").Do("write the date itself")
	}
	today := d.today()
	if !after.IsZero() && x.weekdays != 0 && x.days == 0 && x.after >= 0 {
		today = after
	}
	if x.weekdays == 0 {
		t := today.AddDate(0, 0, x.days)
		if x.also != 0 && x.also&(1<<int(t.Weekday())) == 0 {
			return t, fault.Newf("names one day twice, and %s is a %s, not a %s", show(t), t.Weekday(), weekdayNames(x.also)).Do("correct the day")
		}
		return t, nil
	}
	if bits.OnesCount8(x.weekdays) > 1 {
		return time.Time{}, fault.Newf("can be several days of the week").Do("write the date itself")
	}
	want := bits.TrailingZeros8(x.weekdays)
	ahead := (want - int(today.Weekday()) + 7) % 7
	monday := func(t time.Time) time.Time { return t.AddDate(0, 0, -(int(t.Weekday())+6)%7) }
	switch {
	case x.after < 0: // next week's
		return monday(today).AddDate(0, 0, 7+(want+6)%7), nil
	case !after.IsZero() && ahead == 0:
		return today, nil
	case ahead == 0 && x.after == 0:
		t := today.AddDate(0, 0, 7)
		if x.next {
			return t, nil
		}
		return t, fault.Newf("is said on a %s: it may be that day, %s, or a week later, %s", today.Weekday(), show(today), show(t)).Do("write the date itself")
	}
	if ahead == 0 {
		return today.AddDate(0, 0, 7*x.after), fault.Newf("is said on a %s: it may be %s or %s", today.Weekday(), show(today.AddDate(0, 0, 7*x.after)), show(today.AddDate(0, 0, 7*x.after+7))).Do("write the date itself")
	}
	coming := today.AddDate(0, 0, ahead+7*max(0, x.after))
	if x.next && monday(coming).Equal(monday(today)) {
		switch d.set.Next {
		case "coming":
		case "following":
			coming = coming.AddDate(0, 0, 7)
		default:
			return coming, fault.Newf("said on a %s may be the coming one, %s, or the following, %s", today.Weekday(), show(coming), show(coming.AddDate(0, 0, 7))).Do("write the date itself, or set next_weekday: coming, or following")
		}
	}
	return coming, nil
}

func show(t time.Time) string { return t.Format("Mon 2 January 2006") }

// setTimes gives an event its start and its end.
func (d *document) setTimes(e *Event, on resolved, g *group) *fault.Fault {
	last := on.last
	if last.IsZero() {
		last = on.first
	}
	if g.times == nil {
		e.AllDay = true
		e.Start = on.first
		if !last.Equal(on.first) {
			e.End = last
		}
		if g.minutes > 0 {
			if g.minutes%1440 == 0 {
				if days := g.minutes / 1440; days > 1 && last.Equal(on.first) {
					e.End = on.first.AddDate(0, 0, days-1)
				}
				return nil
			}
			return fault.Newf("says how long it lasts and not when it begins").Do("say when it begins")
		}
		return nil
	}
	if g.allDay {
		return fault.Newf("says a time and that it lasts the whole day").Do("say which it is")
	}
	if len(g.times.list) > 1 {
		start, _ := d.minutes(g.times.list[0])
		e.Start = at(on.first, start)
		return fault.Newf("names several times").Do("write each into a line of its own")
	}
	e.Zone = cmp.Or(g.times.zone, d.zone)
	first := g.times.list[0]
	if g.times.until == nil {
		start, note := d.minutes(first)
		e.note(note)
		e.Start = at(on.first, start)
		if first.hour == 24 {
			e.note("midnight is the end of that day")
		}
		if !last.Equal(on.first) {
			return fault.Newf("has several days and one time").Do("say when it begins and when it ends")
		}
		if g.minutes > 0 && g.inDays {
			return fault.Newf("begins at a time and lasts %s: when it ends is not said", lengthText(g.minutes)).Do("give its end")
		}
		if g.minutes > 0 {
			e.End = e.Start.Add(time.Duration(g.minutes) * time.Minute)
			if g.rough {
				e.note("lasts about " + lengthText(g.minutes) + ", as the text says")
			}
		}
		return nil
	}
	start, end, note := d.between(first, *g.times.until)
	if g.apart {
		if first.half == 0 && !first.sure && first.hour > 0 && first.hour <= 12 && g.times.until.half != 0 {
			return fault.Newf("says am or pm for its end only").Do("say it for both")
		}
		start, note = d.minutes(first)
		var other string
		end, other = d.minutes(*g.times.until)
		note = strings.Trim(note+"; "+other, "; ")
	}
	e.note(note)
	e.Start, e.End = at(on.first, start), at(last, end)
	if !last.Equal(on.first) && !g.apart && !(start > end && last.Sub(on.first) == 24*time.Hour) { // Friday to Saturday, 22:00–06:00 is one night
		// 5–7 March, 9:00–17:00: each day, or from the first to the last
		return fault.Newf("has several days and times of day: each day, or from the first to the last?").Do("write each day into a line of its own, or the first and the last with their times")
	}
	if !e.End.After(e.Start) {
		if e.Start.Sub(e.End) >= 12*time.Hour && last.Equal(on.first) {
			e.End = e.End.AddDate(0, 0, 1)
			e.note("ends on the next day")
		} else {
			return fault.Newf("ends before it begins").Do("correct the times")
		}
	}
	if g.minutes > 0 && e.End.Sub(e.Start) != time.Duration(g.minutes)*time.Minute {
		return fault.Newf("lasts %s by its times and %s by its length", e.End.Sub(e.Start), time.Duration(g.minutes)*time.Minute).Do("correct one of them")
	}
	return nil
}

func (e *Event) note(text string) {
	if text != "" {
		e.Notes = append(e.Notes, text)
	}
}

// noDay stands for the day of an event that has none.
var noDay = midnight(1970, 1, 1)

func at(day time.Time, minutes int) time.Time {
	if day.IsZero() {
		day = noDay
	}
	return day.Add(time.Duration(minutes) * time.Minute)
}

// minutes gives a time of day in minutes since midnight, and what was assumed.
func (d *document) minutes(c clock) (int, string) {
	m := c.hour*60 + c.minute
	switch {
	case c.half == 1:
		if c.hour == 12 {
			m -= 720
		}
	case c.half == 2:
		if c.hour < 12 {
			m += 720
		}
	case c.sure || c.hour > 12 || c.hour == 0:
	case c.marked && !d.set.Message: // 5h, 5 Uhr, as a notice has it
	case (c.colon || c.marked) && c.hour >= 5 && d.full: // 6:00, where the text says 18:00 as well
	case c.hour <= 6 && (d.set.Message || c.bare):
		return m + 720, fmt.Sprintf("%s is taken for %s", c, clock{hour: c.hour + 12, minute: c.minute, sure: true})
	case d.set.Message || c.bare:
		return m, fmt.Sprintf("%s is taken for %s", c, map[bool]string{true: "the middle of the day", false: "the morning"}[c.hour == 12])
	}
	return m, ""
}

func (c clock) String() string {
	if c.bare && c.minute == 0 {
		return fmt.Sprint(c.hour)
	}
	if c.sure {
		return fmt.Sprintf("%02d:%02d", c.hour, c.minute)
	}
	return fmt.Sprintf("%d:%02d", c.hour, c.minute)
}

// between gives both times of a range. What the end says of the half of the day
// holds for the start where it does not say it.
func (d *document) between(a, b clock) (start, end int, note string) {
	if b.hour == 24 && !b.bare && !b.marked && !b.colon && a.bare && a.half == 0 && !a.sure && a.hour > 0 && a.hour < 12 { // from 8 to midnight is an evening
		a.half = 2
	}
	if a.half == 0 && b.half > 0 && !a.sure && a.hour <= 12 {
		c := a
		c.half = b.half
		start, _ = d.minutes(c)
		end, _ = d.minutes(b)
		if start < end {
			return start, end, ""
		}
		c.half = 3 - b.half
		start, _ = d.minutes(c)
		return start, end, ""
	}
	if (a.sure || a.hour > 12) && b.half == 0 || b.sure || b.hour > 12 { // on the clock of 24 hours
		if !(a.half > 0) {
			a.sure = a.sure || b.sure || b.hour > 12
		}
		if b.hour > 12 || b.sure || a.half == 0 && a.hour*60+a.minute < b.hour*60+b.minute {
			b.sure = true
		}
	}
	start, note = d.minutes(a)
	end, other := d.minutes(b)
	if end <= start && !b.sure && b.half == 0 && b.hour < 12 && end+720 > start && start < 1440 {
		end += 720
		other = fmt.Sprintf("%s is taken for %02d:%02d", b, end/60%24, end%60)
	}
	if note != "" && other != "" {
		note += "; " + other
	} else {
		note += other
	}
	return start, end, note
}
