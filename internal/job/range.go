package job

import (
	"fmt"
	"math/bits"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
	"almanach/internal/core/zone"
)

// period is a span of days as a word names it; the last day is included.
type period struct{ first, last time.Time }

var (
	wholeMonth = pattern.Lazy(`^(\d{4})-(\d{2})$`)
	quarter    = pattern.Lazy(`^(?:(\d{4})[- ]?q([1-4])|q([1-4])(?: (\d{4}))?)$`)
	week       = pattern.Lazy(`^(?:(\d{4})-?w(\d{1,2})|(?:week |w|kw ?)(\d{1,2})(?: (\d{4}))?)$`)
	following  = pattern.Lazy(`^(next|last) (\d{1,3}) (days?|weeks?|months?)$`)
	between    = pattern.Lazy(`^(.+?)(?:\s+(?:to|until|till)\s+|\s*[-–]\s*)(.+)$`)
	ahead      = pattern.Lazy(`^\+\s*(\d{1,4})\s*(d|days?|w|weeks?|m|months?|y|years?)$`)
)

// inWords reads a span of days that words name: today, this week, next month, april
// 2027, 2027, q2, 2027-W15, next 10 days. The present is today.
func inWords(text string, today time.Time) (p period, ok bool) {
	words := strings.Fields(strings.ToLower(text))
	if len(words) > 1 && words[0] == "the" {
		words = words[1:]
	}
	low := strings.Join(words, " ")
	monday := today.AddDate(0, 0, -(int(today.Weekday())+6)%7)
	month := time.Date(today.Year(), today.Month(), 1, 0, 0, 0, 0, time.UTC)
	days := func(first time.Time, n int) (period, bool) { return period{first, first.AddDate(0, 0, n-1)}, true }
	months := func(first time.Time, n int) (period, bool) {
		return period{first, first.AddDate(0, n, -1)}, true
	}
	year := func(text string, last time.Month) int { // that is named; else the one whose month is not over
		if y, err := strconv.Atoi(text); err == nil {
			return y
		}
		if last < today.Month() {
			return today.Year() + 1
		}
		return today.Year()
	}
	if m := quarter().FindStringSubmatch(low); m != nil {
		n, _ := strconv.Atoi(m[2] + m[3])
		return months(time.Date(year(m[1]+m[4], time.Month(3*n)), time.Month(3*n-2), 1, 0, 0, 0, 0, time.UTC), 3)
	}
	if m := week().FindStringSubmatch(low); m != nil {
		n, _ := strconv.Atoi(m[2] + m[3])
		y := year(m[1]+m[4], time.December)
		monday := weekOf(y, n)
		if is, w := monday.ISOWeek(); is == y && w == n { // not every year has a week 53
			return days(monday, 7)
		}
		return period{}, false
	}
	if m := following().FindStringSubmatch(low); m != nil { // today is one of them
		n, _ := strconv.Atoi(m[2])
		by := map[byte]func(int) time.Time{'d': func(n int) time.Time { return today.AddDate(0, 0, n) }, 'w': func(n int) time.Time { return today.AddDate(0, 0, 7*n) }, 'm': func(n int) time.Time { return monthsAhead(today, n) }}[m[3][0]]
		if m[1] == "next" {
			return period{today, by(n).AddDate(0, 0, -1)}, n > 0
		}
		return period{by(-n).AddDate(0, 0, 1), today}, n > 0
	}
	switch {
	case len(words) == 1:
		switch words[0] {
		case "today":
			return days(today, 1)
		case "tomorrow":
			return days(today.AddDate(0, 0, 1), 1)
		case "yesterday":
			return days(today.AddDate(0, 0, -1), 1)
		}
		if set, _ := moment.Weekdays(words[0], 0); bits.OnesCount8(set) == 1 && len(words[0]) > 2 { // the coming one, today too
			return days(today.AddDate(0, 0, (bits.TrailingZeros8(set)-int(today.Weekday())+7)%7), 1)
		}
		if y, err := strconv.Atoi(words[0]); err == nil && y >= 1900 && y < 2200 {
			return months(time.Date(y, 1, 1, 0, 0, 0, 0, time.UTC), 12)
		}
	case len(words) == 2:
		by, known := map[string]int{"last": -1, "previous": -1, "this": 0, "next": 1}[words[0]]
		switch {
		case known && words[1] == "week":
			return days(monday.AddDate(0, 0, 7*by), 7)
		case known && words[1] == "month":
			return months(month.AddDate(0, by, 0), 1)
		case known && words[1] == "weekend":
			return days(monday.AddDate(0, 0, 5+7*by), 2)
		case known && words[1] == "quarter":
			return months(month.AddDate(0, 3*by-(int(today.Month())-1)%3, 0), 3)
		case known && words[1] == "year":
			return months(time.Date(today.Year()+by, 1, 1, 0, 0, 0, 0, time.UTC), 12)
		}
	}
	if m := wholeMonth().FindStringSubmatch(strings.TrimSpace(text)); m != nil {
		y, _ := strconv.Atoi(m[1])
		n, _ := strconv.Atoi(m[2])
		if n >= 1 && n <= 12 {
			return months(time.Date(y, time.Month(n), 1, 0, 0, 0, 0, time.UTC), 1)
		}
	}
	if len(words) <= 2 {
		if y, m := moment.Month(text); m > 0 {
			if y == 0 { // the month that is nearest, this one and those to come first
				y = year("", time.Month(m))
			}
			return months(time.Date(y, time.Month(m), 1, 0, 0, 0, 0, time.UTC), 1)
		}
	}
	return period{}, false
}

// spanInWords reads a span that is written with both its ends: 5-9 april, april to june.
func (o *Office) spanInWords(text string, today time.Time) (period, bool) {
	v, f := moment.ReadOne(moment.Settings{Present: o.Now, Stated: true, Zones: o.Zones}, text)
	if f == nil && v.HasDate && v.HasEndDate && v.Clock == moment.NoClock && v.Open == moment.Closed {
		return period{zone.Civil(v.Date), zone.Civil(v.EndDate)}, true
	}
	m := between().FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return period{}, false
	}
	firsts := []string{m[1]}
	if year, err := strconv.Atoi(m[2][max(0, len(m[2])-4):]); err == nil && len(m[2]) > 4 && year > 1900 { // it is of both, or the first is of the year before
		firsts = []string{fmt.Sprint(m[1], " ", year), fmt.Sprint(m[1], " ", year-1), m[1]}
	}
	for _, text := range firsts {
		first, ok := inWords(text, today)
		if last, both := inWords(m[2], first.first); ok && both && last.last.After(first.last) {
			return period{first.first, last.last}, true
		}
	}
	return period{}, false
}

// monthsAhead gives the same day of a later month, or its last where it is shorter.
func monthsAhead(day time.Time, n int) time.Time {
	first := day.AddDate(0, n, 1-day.Day())
	return first.AddDate(0, 0, min(day.Day(), first.AddDate(0, 1, -1).Day())-1)
}

// weekOf gives the Monday of a week (ISO 8601).
func weekOf(year, week int) time.Time {
	t := time.Date(year, 1, 4, 0, 0, 0, 0, time.UTC)
	return t.AddDate(0, 0, -(int(t.Weekday())+6)%7+7*(week-1))
}

// ParseSpan reads --in: a day or a span of days in words.
func (o *Office) ParseSpan(text string) (Range, *fault.Fault) {
	r, today, f := o.rangeOf()
	if f != nil {
		return r, f
	}
	p, ok := inWords(text, today)
	if !ok {
		p, ok = o.spanInWords(text, today)
	}
	if !ok {
		r, f := o.ParseRange(text, text)
		if f != nil {
			f = fault.New(text, "is no span of days").Do(`write it as --in today, "next week", "5-9 april", "april 2027", q2, 2027-04 or 2027-04-05`)
		}
		return r, f
	}
	r.From, _ = r.View.Instant(p.first.Unix())
	r.To, _ = r.View.Instant(p.last.AddDate(0, 0, 1).Unix())
	return r, nil
}

// rangeOf gives an empty range on the office's clock, and today.
func (o *Office) rangeOf() (Range, time.Time, *fault.Fault) {
	z, _, f := o.DefaultZone()
	if f != nil {
		return Range{}, time.Time{}, f
	}
	return Range{View: z}, zone.Civil(zone.Midnight(z.Wall(o.Now.Unix()))), nil
}

// pointInWords reads one end of a range in words: the first day of a span for its
// beginning, the last for its end, and +4w for four weeks behind the beginning.
func pointInWords(text string, today, begin time.Time, end bool) (time.Time, bool) {
	if m := ahead().FindStringSubmatch(strings.ToLower(strings.TrimSpace(text))); m != nil {
		n, _ := strconv.Atoi(m[1])
		base := today
		if end {
			base = begin
		}
		switch m[2][0] {
		case 'd':
			base = base.AddDate(0, 0, n)
		case 'w':
			base = base.AddDate(0, 0, 7*n)
		case 'm':
			base = monthsAhead(base, n)
		default:
			base = monthsAhead(base, 12*n)
		}
		if end { // so many days in all
			base = base.AddDate(0, 0, -1)
		}
		return base, true
	}
	p, ok := inWords(text, today)
	if ok && end {
		return p.last, true
	}
	return p.first, ok
}
