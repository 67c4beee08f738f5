package event

import (
	"errors"
	"slices"
	"sort"
	"strings"
	"time"

	"almanach/internal/core/ical"
	"almanach/internal/core/rule"
	"almanach/internal/core/zone"
)

// Span is when an event is: its start, its end, and the rule it repeats by.
// For all-day events both are dates and End is the day after the last one, as
// iCalendar has it (RFC 5545 §3.6.1).
type Span struct {
	Start, End zone.Time
	Rule       string   // RRULE in the form rule.Rule writes it; "" for a single event
	Extra      []string // RDATE values on the start's clock, sorted; periods with their ends
	Except     []string // EXDATE values on the start's clock, sorted
}

// AllDay tells whether the event has dates and no times.
func (s Span) AllDay() bool { return s.Start.Form == zone.Date }

// LastDay is the last day of an all-day event, as people say it.
func (s Span) LastDay() zone.Time {
	last := s.End
	if last.Wall > s.Start.Wall {
		last.Wall -= 86400
	}
	return last
}

// EndThere gives what the clock of the start shows at the end: 17:00 in Lisbon, where it is given
// as 16:00 UTC. Days and floating times stay as they are. Of an hour that a clock shows twice
// it may mean the other one: EndText says which.
func (s Span) EndThere() zone.Time {
	switch s.Start.Form {
	case zone.Absolute:
		return s.End.InZone(zone.UTC)
	case zone.Local:
		return s.End.InZone(s.Start.Zone)
	}
	return s.End
}

// EndText gives the end as RFC 3339 has it, on the clock of the start.
func (s Span) EndText() string {
	there := s.EndThere()
	if at := s.End.Instant(nil); there.Form == zone.Local && there.Instant(nil) != at { // the second 01:30 of a night
		return zone.Civil(there.Wall).Format("2006-01-02T15:04:05") + zone.FormatOffset(there.Zone.OffsetAt(at).Seconds, ":")
	}
	return there.RFC3339()
}

// Same tells whether two spans mean the same: single events by instant,
// series by wall time and zone, since those decide every later occurrence.
func (s Span) Same(o Span) bool {
	if s.Rule != o.Rule || !equal(s.Extra, o.Extra) || !equal(s.Except, o.Except) {
		return false
	}
	return s.same(s.Start, o.Start) && s.same(s.End, o.End)
}

func (s Span) same(a, b zone.Time) bool {
	series := s.Rule != "" || len(s.Extra) > 0
	fixed := func(t zone.Time) bool { return t.Form == zone.Absolute || t.Form == zone.Local }
	if fixed(a) && fixed(b) && !series {
		return a.Instant(nil) == b.Instant(nil)
	}
	return a.Form == b.Form && a.Wall == b.Wall && (a.Form != zone.Local || a.Zone.SameRules(b.Zone))
}

func equal(a, b []string) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}

// String writes the span in one word that ParseSpan reads: start/end@zone and
// for a series its rule. Seals keep it, so that a later run can show what was
// loaded.
func (s Span) String() string { return string(s.Append(nil)) }

// Append appends String's text to dst.
func (s Span) Append(dst []byte) []byte {
	dst = ical.AppendTime(dst, s.Start)
	dst = append(dst, '/')
	dst = ical.AppendTime(dst, s.End)
	if s.Start.Form == zone.Local {
		dst = append(append(dst, '@'), s.Start.Zone.Name()...)
	}
	if s.End.Form == zone.Local && (s.Start.Form != zone.Local || s.End.Zone.Name() != s.Start.Zone.Name()) {
		dst = append(append(dst, '>'), s.End.Zone.Name()...)
	}
	if s.Rule != "" {
		dst = append(append(dst, ';'), s.Rule...)
	}
	for _, d := range s.Extra {
		dst = append(append(dst, ";RDATE="...), d...)
	}
	for _, d := range s.Except {
		dst = append(append(dst, ";EXDATE="...), d...)
	}
	return dst
}

var errSpan = errors.New("not a time span")

// ParseSpan reads what String wrote.
func ParseSpan(s string, zones ical.Zones) (Span, error) {
	var out Span
	times, rest, _ := strings.Cut(s, ";")
	times, endZone, _ := strings.Cut(times, ">")
	times, startZone, _ := strings.Cut(times, "@")
	start, end, ok := strings.Cut(times, "/")
	if !ok {
		return out, errSpan
	}
	if endZone == "" {
		endZone = startZone
	}
	var err error
	if out.Start, err = ical.ParseTime([]byte(start), startZone, zones); err != nil {
		return out, err
	}
	if out.End, err = ical.ParseTime([]byte(end), endZone, zones); err != nil {
		return out, err
	}
	var ruleParts []string
	for part := range strings.SplitSeq(rest, ";") {
		if v, ok := strings.CutPrefix(part, "RDATE="); ok {
			out.Extra = append(out.Extra, v)
		} else if v, ok := strings.CutPrefix(part, "EXDATE="); ok {
			out.Except = append(out.Except, v)
		} else if part != "" {
			ruleParts = append(ruleParts, part)
		}
	}
	out.Rule = strings.Join(ruleParts, ";")
	return out, nil
}

// canonicalRule brings a RECUR value into rule.Rule's form; a value it cannot
// read is kept as it is, so that it equals itself.
func canonicalRule(value string) string {
	r, err := rule.Parse(value)
	if err != nil {
		return value
	}
	return r.String()
}

// OnClock gives the value of an RDATE or EXDATE as it is kept in a Span: on the
// clock of the event's start, or a date alone.
func OnClock(t, start zone.Time) string {
	switch {
	case t.Form == zone.Date || start.Form == zone.Date || start.Form == zone.Floating:
	case start.Form == zone.Local:
		t = t.InZone(start.Zone)
	case t.Form != zone.Floating:
		t = t.InZone(zone.UTC)
	}
	return ical.FormatTime(t)
}

func canonicalList(s string) string {
	if strings.IndexByte(s, '\n') < 0 {
		return s
	}
	var items []string
	for item := range strings.SplitSeq(s, "\n") {
		if item = strings.TrimSpace(item); item != "" {
			items = append(items, item)
		}
	}
	sort.Strings(items)
	return strings.Join(slices.Compact(items), "\n")
}

// Length is how long the event lasts on its own clock; for all-day events in
// whole days.
func (s Span) Length() time.Duration {
	if s.AllDay() || s.Start.Form == zone.Floating {
		return time.Duration(s.End.Wall-s.Start.Wall) * time.Second
	}
	return time.Duration(s.End.Instant(nil)-s.Start.Instant(nil)) * time.Second
}
