package rule

import (
	"math"
	"slices"
	"time"

	"almanach/internal/core/zone"
)

// maxSteps bounds the periods one expansion may look at and the times it may
// make of them, together. It is some five times what an hourly rule of ten
// years with a COUNT needs.
const maxSteps = 1_000_000

const day = 86400

// Expand calls yield with the wall-clock times of the series that begins at
// start, in ascending order, from those at or after from up to those at or
// before to, until yield returns false. The series' first time is start
// itself, on the rule or not (§3.8.5.3), and counts for COUNT. Times after
// last end the series; it stands for UNTIL, which only the caller can place.
// valid, unless nil, tells whether a time exists at all; one that does not, as
// when clocks go forward, is left out and not counted (§3.3.10).
//
// The error is ErrTooMuch when the rule's bound on work was reached; what was
// yielded until then is right but not all.
func (r *Rule) Expand(start, from, to, last int64, valid func(wall int64) bool, yield func(wall int64) bool) error {
	to = min(to, last)
	if start > to {
		return nil
	}
	if start >= from && !yield(start) {
		return nil
	}
	w := walk{rule: r, start: start, from: from, to: to, left: r.Count - 1, valid: valid, yield: yield}
	if r.Count == 1 {
		return nil
	}
	w.prepare()
	return w.run()
}

// First gives the first time at or after start on which the rule itself falls.
// It tells of daily, weekly and monthly rules whose days are named; any other
// is taken to fall on its start.
func (r Rule) First(start int64) (int64, bool) {
	if len(r.ByDay)+len(r.ByMonthDay) == 0 {
		return start, true
	}
	back := start // one period earlier, where the rule keeps its step
	switch r.Freq {
	case Daily:
		back -= int64(r.Interval) * day
	case Weekly:
		back -= int64(r.Interval) * 7 * day
	case Monthly:
		t := zone.Civil(start)
		back = zone.Wall(t.Year(), int(t.Month())-r.Interval, 1, 0, 0, 0) + start - zone.Midnight(start)
	default:
		return start, true
	}
	r.Count = 0
	first, found := int64(0), false
	err := r.Expand(back, start, math.MaxInt64, math.MaxInt64, nil, func(wall int64) bool {
		first, found = wall, true
		return false
	})
	return first, found && err == nil
}

// walk is one expansion under way.
type walk struct {
	rule            *Rule
	start, from, to int64
	left            int // instances COUNT still allows; below 0 without COUNT
	valid, yield    func(int64) bool
	done            bool
	steps           int

	months            uint16 // bit m: month m passes
	weekdays          uint8  // bit d: every such weekday passes
	nth               []Weekday
	monthDays         []int
	hours             uint32
	minutes, seconds  uint64
	hourSet, minSet   []int // expansions of the parts finer than the period
	secSet            []int
	yearDays, weekNos []int
	set               []int64 // the times of the current period
	noNth             bool
}

func (w *walk) prepare() {
	r, c := w.rule, zone.Civil(w.start)
	fill := func(by []int, coarser bool, value int) []int {
		if len(by) == 0 && coarser {
			return []int{value}
		}
		return by
	}
	w.secSet = fill(r.BySecond, r.Freq > Secondly, c.Second())
	w.minSet = fill(r.ByMinute, r.Freq > Minutely, c.Minute())
	w.hourSet = fill(r.ByHour, r.Freq > Hourly, c.Hour())
	for _, s := range r.BySecond {
		w.seconds |= 1 << s
	}
	for _, m := range r.ByMinute {
		w.minutes |= 1 << m
	}
	for _, h := range r.ByHour {
		w.hours |= 1 << h
	}
	for _, m := range r.ByMonth {
		w.months |= 1 << m
	}
	for _, d := range r.ByDay {
		if d.N == 0 {
			w.weekdays |= 1 << d.Day
		} else {
			w.nth = append(w.nth, d)
		}
	}
	w.monthDays, w.yearDays, w.weekNos = r.ByMonthDay, r.ByYearDay, r.ByWeekNo

	// What the rule leaves open is taken from the start (§3.3.10).
	noDays := len(r.ByDay) == 0 && len(r.ByMonthDay) == 0 && len(r.ByYearDay) == 0
	switch {
	case r.Freq == Yearly && len(r.ByWeekNo) > 0 && noDays:
		w.weekdays = 1 << c.Weekday()
	case r.Freq == Yearly && noDays:
		w.monthDays = []int{c.Day()}
		if w.months == 0 {
			w.months = 1 << c.Month()
		}
	case r.Freq == Monthly && noDays:
		w.monthDays = []int{c.Day()}
	case r.Freq == Weekly && len(r.ByDay) == 0:
		w.weekdays = 1 << c.Weekday()
	}
	w.noNth = len(w.nth) == 0
}

func (w *walk) run() error {
	switch f := w.rule.Freq; {
	case f == Yearly:
		return w.years()
	case f == Monthly:
		return w.monthly()
	case f == Weekly:
		return w.days(7)
	case f == Daily:
		return w.days(1)
	default:
		return w.clock([]int64{1, 60, 3600}[f])
	}
}

// skip gives how many whole intervals of a period of the given length can be
// jumped so as to begin just before the window. With COUNT every instance
// must be met, unless each period has exactly one.
func (w *walk) skip(first, length int64) int64 {
	ahead := (w.from - first) / (length * int64(w.rule.Interval))
	if ahead <= 1 {
		return 0
	}
	if w.left < 0 {
		return ahead - 1
	}
	if w.valid != nil || w.rule.anyBy() || w.rule.Freq > Weekly {
		return 0
	}
	n := min(ahead-1, int64(w.left))
	w.left -= int(max(0, n-1)) // the start itself was the first of them
	return n
}

func (w *walk) step() error {
	if w.steps++; w.steps > maxSteps {
		return ErrTooMuch
	}
	return nil
}

// tooMany tells whether the times of the current period go beyond the bound.
func (w *walk) tooMany() bool { return w.steps+len(w.set) > maxSteps }

func (w *walk) years() error {
	y := zone.Civil(w.start).Year()
	if w.left < 0 {
		if ahead := zone.Civil(w.from).Year() - y; ahead > 1 {
			y += (ahead - 1) / w.rule.Interval * w.rule.Interval
		}
	}
	for ; !w.done; y += w.rule.Interval {
		if err := w.step(); err != nil {
			return err
		}
		first := zone.Wall(y, 1, 1, 0, 0, 0)
		if first > w.to {
			return nil
		}
		w.set = w.set[:0]
		months := w.months
		if months == 0 || len(w.weekNos) > 0 {
			months = 1<<13 - 2
		}
		for m := 1; m <= 12; m++ {
			if months&(1<<m) != 0 && (w.months == 0 || w.months&(1<<m) != 0) {
				w.month(y, m)
			}
		}
		if err := w.emit(); err != nil {
			return err
		}
	}
	return nil
}

func (w *walk) monthly() error {
	c := zone.Civil(w.start)
	n := int64(c.Year())*12 + int64(c.Month()) - 1
	if w.left < 0 {
		f := zone.Civil(w.from)
		if ahead := int64(f.Year())*12 + int64(f.Month()) - 1 - n; ahead > 1 {
			n += (ahead - 1) / int64(w.rule.Interval) * int64(w.rule.Interval)
		}
	}
	for ; !w.done; n += int64(w.rule.Interval) {
		if err := w.step(); err != nil {
			return err
		}
		y, m := int(n/12), int(n%12)+1
		if zone.Wall(y, m, 1, 0, 0, 0) > w.to {
			return nil
		}
		if w.months != 0 && w.months&(1<<m) == 0 {
			continue
		}
		w.set = w.set[:0]
		w.month(y, m)
		if err := w.emit(); err != nil {
			return err
		}
	}
	return nil
}

// month adds the days of a month that pass, with their times.
func (w *walk) month(y, m int) {
	first := zone.Wall(y, m, 1, 0, 0, 0)
	length := monthLength(y, m)
	weekday := zone.Civil(first).Weekday()
	for d := 1; d <= length; d++ {
		if w.dayPasses(y, m, d, length, weekday) {
			w.times(first + int64(d-1)*day)
		}
		weekday = (weekday + 1) % 7
	}
}

func monthLength(y, m int) int {
	return time.Date(y, time.Month(m)+1, 0, 0, 0, 0, 0, time.UTC).Day()
}

func (w *walk) dayPasses(y, m, d, length int, weekday time.Weekday) bool {
	if len(w.monthDays) > 0 && !slices.Contains(w.monthDays, d) && !slices.Contains(w.monthDays, d-length-1) {
		return false
	}
	if (w.weekdays != 0 || !w.noNth) && !w.weekdayPasses(y, m, d, length, weekday) {
		return false
	}
	if len(w.yearDays) > 0 {
		n, total := yearDay(y, m, d)
		if !slices.Contains(w.yearDays, n) && !slices.Contains(w.yearDays, n-total-1) {
			return false
		}
	}
	return len(w.weekNos) == 0 || w.weekPasses(y, m, d)
}

func (w *walk) weekdayPasses(y, m, d, length int, weekday time.Weekday) bool {
	if w.weekdays&(1<<weekday) != 0 {
		return true
	}
	if w.noNth {
		return false
	}
	n := d
	if w.rule.Freq == Yearly && w.rule.ByMonth == nil { // the Nth of the year, not of the month
		n, length = yearDay(y, m, d)
	}
	up, down := (n-1)/7+1, -((length-n)/7 + 1)
	for _, x := range w.nth {
		if x.Day == weekday && (x.N == up || x.N == down) {
			return true
		}
	}
	return false
}

func yearDay(y, m, d int) (n, total int) {
	n = time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).YearDay()
	return n, time.Date(y, 12, 31, 0, 0, 0, 0, time.UTC).YearDay()
}

// weekPasses tells whether a day lies in a week that BYWEEKNO names. Week 1
// is the first with at least four days in the year, so the days around New
// Year may belong to a week of the year before or after.
func (w *walk) weekPasses(y, m, d int) bool {
	at := zone.Wall(y, m, d, 0, 0, 0)
	for _, year := range []int{y - 1, y, y + 1} {
		first, next := w.firstWeek(year), w.firstWeek(year+1)
		if at < first || at >= next {
			continue
		}
		n, total := int((at-first)/(7*day))+1, int((next-first)/(7*day))
		return slices.Contains(w.weekNos, n) || slices.Contains(w.weekNos, n-total-1)
	}
	return false
}

func (w *walk) firstWeek(year int) int64 {
	fourth := zone.Wall(year, 1, 4, 0, 0, 0)
	back := (zone.Civil(fourth).Weekday() - w.rule.WeekStart + 7) % 7
	return fourth - int64(back)*day
}

// days walks the periods of whole days: weeks and days.
func (w *walk) days(length int64) error {
	first := zone.Midnight(w.start)
	if length == 7 {
		first -= int64((zone.Civil(first).Weekday()-w.rule.WeekStart+7)%7) * day
	}
	stride := length * day * int64(w.rule.Interval)
	first += w.skip(first, length*day) * stride
	simple := len(w.monthDays) == 0 && w.months == 0 && w.noNth
	for ; !w.done && first <= w.to; first += stride {
		if err := w.step(); err != nil {
			return err
		}
		w.set = w.set[:0]
		weekday := zone.Civil(first).Weekday()
		for d := range length {
			at := first + d*day
			if (w.weekdays == 0 || w.weekdays&(1<<weekday) != 0) && (simple || w.datePasses(at)) {
				w.times(at)
			}
			weekday = (weekday + 1) % 7
		}
		if err := w.emit(); err != nil {
			return err
		}
	}
	return nil
}

// datePasses applies every limit on the day to a midnight.
func (w *walk) datePasses(midnight int64) bool {
	c := zone.Civil(midnight)
	y, m, d := c.Date()
	if w.months != 0 && w.months&(1<<m) == 0 {
		return false
	}
	return w.dayPasses(y, int(m), d, monthLength(y, int(m)), c.Weekday())
}

// clock walks hours, minutes or seconds, jumping over days and hours that
// cannot pass.
func (w *walk) clock(unit int64) error {
	stride := unit * int64(w.rule.Interval)
	at := w.start - (w.start%unit+unit)%unit
	at += w.skip(at, unit) * stride
	limited := w.months != 0 || len(w.monthDays)+len(w.yearDays)+len(w.rule.ByDay) > 0
	checked, passes := int64(-1<<62), true
	jump := func(to int64) { // on to the first period that ends after to
		if to > at {
			at += (to - at + stride - 1) / stride * stride
		} else {
			at += stride
		}
	}
	for !w.done && at <= w.to {
		if err := w.step(); err != nil {
			return err
		}
		midnight := zone.Midnight(at)
		if limited && midnight != checked {
			checked, passes = midnight, w.datePasses(midnight)
		}
		if !passes {
			jump(midnight + day)
			continue
		}
		second := at - midnight
		if w.hours != 0 && w.hours&(1<<(second/3600)) == 0 {
			jump(at - second%3600 + 3600)
			continue
		}
		w.set = w.set[:0]
		switch {
		case unit == 3600:
			for _, m := range w.minSet {
				for _, s := range w.secSet {
					w.set = append(w.set, at+int64(m)*60+int64(s))
				}
			}
		case w.minutes != 0 && w.minutes&(1<<(second/60%60)) == 0:
		case unit == 60:
			for _, s := range w.secSet {
				w.set = append(w.set, at+int64(s))
			}
		case w.seconds == 0 || w.seconds&(1<<(second%60)) != 0:
			w.set = append(w.set, at)
		}
		if err := w.emit(); err != nil {
			return err
		}
		at += stride
	}
	return nil
}

// times adds a day's times to the period's set. A second of 60 is the last of
// the minute, as wall clocks here have no leap seconds.
func (w *walk) times(midnight int64) {
	for _, h := range w.hourSet {
		for _, m := range w.minSet {
			if w.tooMany() {
				return
			}
			for _, s := range w.secSet {
				w.set = append(w.set, midnight+int64(h)*3600+int64(m)*60+int64(min(s, 59)))
			}
		}
	}
}

// emit hands on what BYSETPOS leaves of the period's set. The error is
// ErrTooMuch.
func (w *walk) emit() error {
	if w.tooMany() {
		return ErrTooMuch
	}
	set := w.set
	w.steps += len(set)
	if pos := w.rule.BySetPos; len(pos) > 0 {
		var chosen []int64
		for _, p := range pos {
			if p < 0 {
				p += len(set) + 1
			}
			if p >= 1 && p <= len(set) {
				chosen = append(chosen, set[p-1])
			}
		}
		slices.Sort(chosen)
		set = slices.Compact(chosen)
	}
	for _, at := range set {
		if at <= w.start {
			continue
		}
		if at > w.to || w.left == 0 {
			w.done = true
			return nil
		}
		if w.valid != nil && (w.left > 0 || at >= w.from) && !w.valid(at) {
			continue
		}
		if w.left > 0 {
			w.left--
		}
		if at >= w.from && !w.yield(at) {
			w.done = true
			return nil
		}
	}
	return nil
}
