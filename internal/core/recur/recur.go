// Package recur finds the occurrences of a calendar's events in a window of
// time: of single events, of series (RRULE, RDATE, EXDATE), and of single
// occurrences that someone moved, renamed or cancelled (RECURRENCE-ID).
package recur

import (
	"errors"
	"fmt"
	"math"
	"sort"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/rule"
	"almanach/internal/core/zone"
)

// Occurrence is one time an event takes place.
type Occurrence struct {
	View       *event.View
	Span       event.Span // of this occurrence; Rule is the series'
	Recurrence zone.Time  // which occurrence of the series it is; zero for a single event
}

// A Window is a span of instants, Unix seconds, To excluded. Dates and
// floating times are placed in View's zone; a nil zone is UTC.
type Window struct {
	From, To int64
	View     *zone.Zone
}

// Overlaps tells whether a span that does not repeat lies in the window.
func (w Window) Overlaps(s event.Span) bool { return w.overlaps(s) }

// overlaps tells whether a span lies in the window, as RFC 4791 §9.9 has it:
// what has no length is in it from its first instant on.
func (w Window) overlaps(s event.Span) bool {
	from, to := s.Start.Instant(w.View), s.End.Instant(w.View)
	if to <= from {
		return w.From <= from && from < w.To
	}
	return from < w.To && to > w.From
}

// Limit is the most occurrences one series may have in a window.
const Limit = 100_000

// Series is one event with all its components.
type Series struct {
	UID       string
	master    *event.View
	rules     []rule.Rule
	dates     []extra
	except    map[int64]bool // instants, or walls for dates and floating times
	exceptDay map[int64]bool // midnights of dates that except a whole day of a timed series
	overrides []event.View
	exact     int64 // seconds between start and end, where DTEND gives them
	nominal   *ical.Duration
}

// extra is one RDATE, with an end of its own when it was a PERIOD.
type extra struct {
	start, end zone.Time
}

// Read reads the components of one UID. What it can read of them is usable
// even when there is an error, which names the UID.
func Read(raws [][]byte, zones ical.Zones) (*Series, error) {
	s := &Series{}
	var first error
	for _, raw := range raws {
		v, err := event.Read(raw, zones)
		if s.UID == "" {
			s.UID = v.UID
		}
		if err == nil && v.Recurrence.IsZero() {
			if s.master == nil {
				s.master = &v
				err = s.readRules(raw, zones)
			} else {
				err = fmt.Errorf("a second event without RECURRENCE-ID")
			}
		} else if err == nil {
			s.overrides = append(s.overrides, v)
		}
		if err != nil && first == nil {
			first = err
		}
	}
	sort.SliceStable(s.overrides, func(i, j int) bool {
		return s.overrides[i].Recurrence.Instant(nil) < s.overrides[j].Recurrence.Instant(nil)
	})
	return s, first
}

// readRules reads what makes the master a series.
func (s *Series) readRules(raw []byte, zones ical.Zones) error {
	m := s.master
	s.exact = m.When.End.Instant(nil) - m.When.Start.Instant(nil)
	if m.When.Rule == "" && len(m.When.Extra) == 0 && len(m.When.Except) == 0 {
		return nil
	}
	s.except, s.exceptDay = map[int64]bool{}, map[int64]bool{}
	var unknown error
	for l := range ical.Lines(raw) {
		if l.Depth != 0 {
			continue
		}
		switch {
		case l.Is("RRULE"):
			r, err := rule.Parse(string(l.Value()))
			if err != nil {
				return &event.LineError{Line: int(l.Number), Property: "RRULE", Err: err}
			}
			s.rules = append(s.rules, r)
		case l.Is("EXRULE"): // of RFC 2445; what it would take out is still given, and said to be too much
			unknown = &event.LineError{Line: int(l.Number), Property: "EXRULE", Err: errors.New("rules of exceptions ended with RFC 2445; some of its occurrences may not take place")}
		case l.Is("DURATION"):
			if d, err := ical.ParseDuration(l.Value()); err == nil {
				s.nominal = &d
			}
		case l.Is("RDATE"), l.Is("EXDATE"):
			if err := s.readDates(l, zones); err != nil {
				return &event.LineError{Line: int(l.Number), Property: l.Name(), Err: err}
			}
		}
	}
	return unknown
}

func (s *Series) readDates(l ical.Line, zones ical.Zones) error {
	for _, text := range ical.SplitList(l.Value()) {
		var x extra
		from, to, period := cut(text)
		t, err := ical.ParseTime([]byte(from), l.Param("TZID"), zones)
		if err != nil {
			return err
		}
		x.start = t
		if period {
			if d, err := ical.ParseDuration([]byte(to)); err == nil {
				x.end = d.After(t)
			} else if x.end, err = ical.ParseTime([]byte(to), l.Param("TZID"), zones); err != nil {
				return err
			}
		}
		switch {
		case l.Is("RDATE"):
			s.dates = append(s.dates, x)
		case t.Form == zone.Date && s.master.When.Start.Form != zone.Date:
			s.exceptDay[t.Wall] = true
		default:
			s.except[mark(t)] = true
		}
	}
	return nil
}

func cut(s string) (from, to string, ok bool) {
	for i := range len(s) {
		if s[i] == '/' {
			return s[:i], s[i+1:], true
		}
	}
	return s, "", false
}

// mark is what tells one occurrence of a series from another: its instant, or
// its wall-clock time where it has no zone.
func mark(t zone.Time) int64 { return t.Instant(nil) }

// Master is the event itself; nil when only changed occurrences are there.
func (s *Series) Master() *event.View { return s.master }

// Repeats tells whether the event is a series.
func (s *Series) Repeats() bool { return len(s.rules) > 0 || len(s.dates) > 0 }

// In calls yield with the occurrences in the window, in no order. The error
// names what kept some of them from being found.
func (s *Series) In(w Window, yield func(Occurrence)) error {
	replaced := map[int64]bool{}
	var futures []*event.View
	for i := range s.overrides {
		o := &s.overrides[i]
		replaced[mark(o.Recurrence)] = true
		if o.Future {
			futures = append(futures, o)
		}
		if w.overlaps(o.When) {
			yield(Occurrence{View: o, Span: o.When, Recurrence: o.Recurrence})
		}
	}
	if s.master == nil {
		return nil
	}
	if !s.Repeats() {
		if w.overlaps(s.master.When) && !s.excepted(s.master.When.Start) && !replaced[mark(s.master.When.Start)] {
			yield(Occurrence{View: s.master, Span: s.master.When})
		}
		return nil
	}
	return s.repeats(w, replaced, futures, yield)
}

// repeats gives the occurrences of a series in the window, but for those that
// an override has replaced.
func (s *Series) repeats(w Window, replaced map[int64]bool, futures []*event.View, yield func(Occurrence)) error {
	var seen map[int64]bool
	if len(s.rules)+len(s.dates) > 1 || s.master.When.AllDay() { // one rule of times never says the same twice
		seen = map[int64]bool{}
	}
	count := 0
	hand := func(start, end zone.Time) bool {
		if seen != nil || len(replaced)+len(s.except)+len(s.exceptDay) > 0 {
			m := mark(start)
			if seen[m] || replaced[m] || s.excepted(start) {
				return true
			}
			if seen != nil {
				seen[m] = true
			}
		}
		o := s.occurrence(start, end, futures)
		if !w.overlaps(o.Span) {
			return true
		}
		count++
		yield(o)
		return count < Limit
	}
	for _, x := range s.dates {
		hand(x.start, x.end)
	}
	if len(s.rules) == 0 {
		hand(s.master.When.Start, zone.Time{})
	}
	for _, r := range s.rules {
		if err := s.expand(r, w, futures, hand); err != nil {
			return err
		}
	}
	if count >= Limit {
		return fmt.Errorf("more than %d occurrences in the time asked for: %w", Limit, rule.ErrTooMuch)
	}
	return nil
}

const day = 86400

// expand runs one rule over the window.
func (s *Series) expand(r rule.Rule, w Window, futures []*event.View, hand func(start, end zone.Time) bool) error {
	start := s.master.When.Start
	last := int64(math.MaxInt64)
	if !r.Until.IsZero() {
		last = until(r.Until, start)
	}
	var valid func(int64) bool
	if start.Form == zone.Local {
		valid = func(wall int64) bool {
			_, fit := start.Zone.Instant(wall)
			return fit != zone.Gap
		}
	}
	reach := s.exact // how far before the window an occurrence in it can begin
	if s.nominal != nil {
		reach = int64(s.nominal.Days)*day + s.nominal.Seconds
	}
	late := int64(0)
	for _, f := range futures { // later occurrences may have been moved either way, and be longer
		moved := f.When.Start.Wall - f.Recurrence.Wall
		reach = max(reach, f.When.End.Instant(nil)-f.When.Start.Instant(nil)+max(0, moved))
		late = max(late, -moved)
	}
	from := w.From - max(0, reach) - 2*day // no zone is two days from another
	to := w.To + 2*day + late
	return r.Expand(start.Wall, from, to, last, valid, func(wall int64) bool {
		t := start
		t.Wall = wall
		if t.Form == zone.Date { // a rule by the hour has no place with dates, but some write it
			t.Wall = zone.Midnight(wall)
		}
		return hand(t, zone.Time{})
	})
}

// until gives the last wall-clock time UNTIL allows on the start's clock: a
// date allows all of its day.
func until(u, start zone.Time) int64 {
	switch {
	case u.Form == zone.Date && start.Form != zone.Date:
		return u.Wall + day - 1
	case u.Form == zone.Absolute && start.Form == zone.Local:
		return start.Zone.Wall(u.Wall)
	}
	return u.Wall
}

func (s *Series) excepted(t zone.Time) bool {
	return s.except[mark(t)] || s.exceptDay[zone.Midnight(t.Wall)]
}

// occurrence gives the occurrence at start, as the master has it or as the
// last override has it that stands for later ones too.
func (s *Series) occurrence(start, end zone.Time, futures []*event.View) Occurrence {
	o := Occurrence{View: s.master, Recurrence: start}
	var f *event.View
	for _, candidate := range futures {
		if mark(candidate.Recurrence) <= mark(start) {
			f = candidate
		}
	}
	o.Span = event.Span{Start: start, Rule: s.master.When.Rule}
	if f != nil {
		o.View = f
		o.Span.Start = f.When.Start
		o.Span.Start.Wall = start.Wall + f.When.Start.Wall - wallIn(f.Recurrence, start)
		o.Span.End = shift(o.Span.Start, f.When.End.Instant(nil)-f.When.Start.Instant(nil))
		return o
	}
	switch {
	case !end.IsZero():
		o.Span.End = end
	case s.nominal != nil:
		o.Span.End = s.nominal.After(start)
	default: // DTEND gives every occurrence the same exact length (§3.8.5.3)
		o.Span.End = shift(start, s.exact)
		if z := s.master.When.End; z.Form == zone.Local && start.Form == zone.Local && z.Zone != start.Zone {
			o.Span.End = o.Span.End.InZone(z.Zone)
		}
	}
	return o
}

// wallIn gives what a time is on the clock of like's zone.
func wallIn(t, like zone.Time) int64 {
	if like.Form == zone.Local {
		return t.InZone(like.Zone).Wall
	}
	return t.Wall
}

func shift(t zone.Time, seconds int64) zone.Time {
	return ical.Duration{Seconds: seconds}.After(t)
}
