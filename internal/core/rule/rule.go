// Package rule reads recurrence rules (RFC 5545 §3.3.10) and expands them
// into wall-clock times.
//
// It knows no zones: times are wall-clock seconds since 1970, as in package
// zone, and its caller places them. Every expansion is bounded: the work
// depends on the window asked for and not on how long ago the series began,
// and a rule that would still cost too much ends with ErrTooMuch.
package rule

import (
	"errors"
	"fmt"
	"sort"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/zone"
)

// Freq is how often a rule's period comes round.
type Freq uint8

// The frequencies, finest first.
const (
	Secondly Freq = iota
	Minutely
	Hourly
	Daily
	Weekly
	Monthly
	Yearly
)

var freqNames = [...]string{"SECONDLY", "MINUTELY", "HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY"}

func (f Freq) String() string { return freqNames[f] }

// A Weekday is one entry of BYDAY: the Nth such day of the month or year,
// from the end when negative, every one when zero.
type Weekday struct {
	N   int
	Day time.Weekday
}

var dayNames = [...]string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}

func (w Weekday) String() string {
	if w.N == 0 {
		return dayNames[w.Day]
	}
	return strconv.Itoa(w.N) + dayNames[w.Day]
}

// A Rule is one RECUR value. Interval is at least 1; Count is 0 without COUNT;
// Until is the zero Time without UNTIL, else a Date, Floating or Absolute.
type Rule struct {
	Freq       Freq
	Interval   int
	Count      int
	Until      zone.Time
	BySecond   []int
	ByMinute   []int
	ByHour     []int
	ByDay      []Weekday
	ByMonthDay []int
	ByYearDay  []int
	ByWeekNo   []int
	ByMonth    []int
	BySetPos   []int
	WeekStart  time.Weekday
}

// ErrTooMuch means that a rule would take more work than any honest series.
var ErrTooMuch = errors.New("the rule repeats too often to be expanded")

// Parse reads a RECUR value. Letter case and a stray separator at the end are
// forgiven; an unknown, doubled or impossible part is an error.
func Parse(s string) (Rule, error) {
	r := Rule{Interval: 1, WeekStart: time.Monday}
	seen := map[string]bool{}
	for part := range strings.SplitSeq(strings.TrimRight(strings.TrimSpace(s), ";"), ";") {
		name, value, ok := strings.Cut(strings.ToUpper(strings.TrimSpace(part)), "=")
		if !ok {
			return r, fmt.Errorf("recurrence rule part %q has no value", part)
		}
		if seen[name] {
			return r, fmt.Errorf("recurrence rule has %s twice", name)
		}
		seen[name] = true
		if err := r.set(name, value); err != nil {
			return r, err
		}
	}
	if !seen["FREQ"] {
		return r, errors.New("recurrence rule has no FREQ")
	}
	return r, r.check(seen)
}

func (r *Rule) set(name, value string) (err error) {
	switch name {
	case "FREQ":
		for i, n := range freqNames {
			if n == value {
				r.Freq = Freq(i)
				return nil
			}
		}
		return fmt.Errorf("recurrence rule FREQ=%s is unknown", value)
	case "INTERVAL":
		r.Interval, err = number(name, value, 1, 1<<20)
	case "COUNT":
		r.Count, err = number(name, value, 1, 1<<30)
	case "UNTIL":
		r.Until, err = parseUntil(value)
	case "BYSECOND":
		r.BySecond, err = numbers(name, value, 0, 60, false)
	case "BYMINUTE":
		r.ByMinute, err = numbers(name, value, 0, 59, false)
	case "BYHOUR":
		r.ByHour, err = numbers(name, value, 0, 23, false)
	case "BYDAY":
		r.ByDay, err = weekdays(value)
	case "BYMONTHDAY":
		r.ByMonthDay, err = numbers(name, value, 1, 31, true)
	case "BYYEARDAY":
		r.ByYearDay, err = numbers(name, value, 1, 366, true)
	case "BYWEEKNO":
		r.ByWeekNo, err = numbers(name, value, 1, 53, true)
	case "BYMONTH":
		r.ByMonth, err = numbers(name, value, 1, 12, false)
	case "BYSETPOS":
		r.BySetPos, err = numbers(name, value, 1, 366, true)
	case "WKST":
		var days []Weekday
		if days, err = weekdays(value); err == nil {
			r.WeekStart = days[0].Day
		}
	default:
		err = fmt.Errorf("recurrence rule part %s is unknown", name)
	}
	return err
}

// check refuses the combinations that §3.3.10 rules out.
func (r *Rule) check(seen map[string]bool) error {
	switch {
	case r.Count > 0 && !r.Until.IsZero():
		return errors.New("recurrence rule has both COUNT and UNTIL")
	case len(r.ByWeekNo) > 0 && r.Freq != Yearly:
		return fmt.Errorf("recurrence rule has BYWEEKNO with FREQ=%s", r.Freq)
	case len(r.ByYearDay) > 0 && (r.Freq == Daily || r.Freq == Weekly || r.Freq == Monthly):
		return fmt.Errorf("recurrence rule has BYYEARDAY with FREQ=%s", r.Freq)
	case len(r.ByMonthDay) > 0 && r.Freq == Weekly:
		return errors.New("recurrence rule has BYMONTHDAY with FREQ=WEEKLY")
	case len(r.BySetPos) > 0 && !r.anyBy():
		return errors.New("recurrence rule has BYSETPOS alone")
	}
	for _, d := range r.ByDay {
		if d.N != 0 && r.Freq != Monthly && r.Freq != Yearly {
			return fmt.Errorf("recurrence rule has BYDAY=%s with FREQ=%s", d, r.Freq)
		}
		if d.N != 0 && len(r.ByWeekNo) > 0 {
			return fmt.Errorf("recurrence rule has BYDAY=%s with BYWEEKNO", d)
		}
	}
	return nil
}

func (r *Rule) anyBy() bool {
	return len(r.BySecond)+len(r.ByMinute)+len(r.ByHour)+len(r.ByDay)+len(r.ByMonthDay)+len(r.ByYearDay)+len(r.ByWeekNo)+len(r.ByMonth) > 0
}

func number(name, value string, low, high int) (int, error) {
	n, err := strconv.Atoi(strings.TrimPrefix(value, "+"))
	if err != nil || n < low || n > high {
		return 0, fmt.Errorf("recurrence rule %s=%s is not a number from %d to %d", name, value, low, high)
	}
	return n, nil
}

func numbers(name, value string, low, high int, signed bool) ([]int, error) {
	var out []int
	for part := range strings.SplitSeq(value, ",") {
		digits, negative := strings.CutPrefix(part, "-")
		n, err := number(name, digits, low, high)
		if err != nil || (negative && !signed) {
			return nil, fmt.Errorf("recurrence rule %s=%s is out of range", name, value)
		}
		if negative {
			n = -n
		}
		out = append(out, n)
	}
	sort.Ints(out)
	return out, nil
}

func weekdays(value string) ([]Weekday, error) {
	var out []Weekday
	for part := range strings.SplitSeq(value, ",") {
		if len(part) < 2 {
			return nil, fmt.Errorf("recurrence rule has a day %q", part)
		}
		w := Weekday{Day: -1}
		for i, n := range dayNames {
			if strings.HasSuffix(part, n) {
				w.Day = time.Weekday(i)
			}
		}
		if lead := part[:len(part)-2]; lead != "" {
			n, err := strconv.Atoi(lead)
			if err != nil || n == 0 || n > 53 || n < -53 {
				return nil, fmt.Errorf("recurrence rule has a day %q", part)
			}
			w.N = n
		}
		if w.Day < 0 {
			return nil, fmt.Errorf("recurrence rule has a day %q", part)
		}
		out = append(out, w)
	}
	return out, nil
}

func parseUntil(value string) (zone.Time, error) {
	for _, f := range []struct {
		layout string
		form   zone.Form
	}{{"20060102", zone.Date}, {"20060102T150405", zone.Floating}, {"20060102T150405Z", zone.Absolute}} {
		if len(value) != len(f.layout) {
			continue
		}
		if t, err := time.Parse(f.layout, value); err == nil {
			return zone.Time{Wall: t.Unix(), Form: f.form}, nil
		}
	}
	return zone.Time{}, fmt.Errorf("recurrence rule UNTIL=%s is not a date", value)
}

// String writes the rule in one fixed order, leaving out what is the default,
// so that equal rules are equal strings.
func (r Rule) String() string {
	var b strings.Builder
	b.WriteString("FREQ=" + r.Freq.String())
	if r.Interval > 1 {
		fmt.Fprintf(&b, ";INTERVAL=%d", r.Interval)
	}
	if r.Count > 0 {
		fmt.Fprintf(&b, ";COUNT=%d", r.Count)
	}
	if !r.Until.IsZero() {
		b.WriteString(";UNTIL=" + formatUntil(r.Until))
	}
	list := func(name string, values []int) {
		for i, v := range values {
			if i == 0 {
				b.WriteString(";" + name + "=")
			} else {
				b.WriteByte(',')
			}
			b.WriteString(strconv.Itoa(v))
		}
	}
	list("BYMONTH", r.ByMonth)
	list("BYWEEKNO", r.ByWeekNo)
	list("BYYEARDAY", r.ByYearDay)
	list("BYMONTHDAY", r.ByMonthDay)
	for i, d := range sortedDays(r.ByDay) {
		if i == 0 {
			b.WriteString(";BYDAY=")
		} else {
			b.WriteByte(',')
		}
		b.WriteString(d.String())
	}
	list("BYHOUR", r.ByHour)
	list("BYMINUTE", r.ByMinute)
	list("BYSECOND", r.BySecond)
	list("BYSETPOS", r.BySetPos)
	if r.WeekStart != time.Monday {
		b.WriteString(";WKST=" + dayNames[r.WeekStart])
	}
	return b.String()
}

func sortedDays(days []Weekday) []Weekday {
	out := append([]Weekday(nil), days...)
	sort.SliceStable(out, func(i, j int) bool {
		if out[i].N != out[j].N {
			return out[i].N < out[j].N
		}
		return (out[i].Day+6)%7 < (out[j].Day+6)%7
	})
	return out
}

func formatUntil(t zone.Time) string {
	c := zone.Civil(t.Wall)
	switch t.Form {
	case zone.Date:
		return c.Format("20060102")
	case zone.Absolute:
		return c.Format("20060102T150405Z")
	}
	return c.Format("20060102T150405")
}
