// Package zone turns wall-clock times into instants and back.
//
// Go's time.Date does not say which side of a daylight-saving gap or overlap
// it chooses, so a Zone keeps its own table of transitions and follows RFC
// 5545 §3.3.5: a time inside a gap is read with the offset before the gap, a
// time that happens twice is the first of the two.
//
// Wall-clock times are seconds since 1 January 1970 00:00 on the wall, in
// whichever zone the wall stands; instants are Unix seconds.
package zone

import (
	"bytes"
	"math"
	"sort"
	"time"
)

// A Zone is one region's clock. It is immutable and safe for concurrent use.
type Zone struct {
	name   string
	first  Offset
	shifts []Shift
	until  []int64 // wall time at which shift i has taken over for good
	cyclic bool    // the last 400 years of the table repeat for ever
	rules  []byte  // the data the zone was read from, to tell aliases by
	bare   bool    // an offset and no place's clock
}

// An Offset is what a zone's clock shows from some instant on.
type Offset struct {
	Seconds  int    // east of Greenwich
	Name     string // abbreviation, such as "WEST"; may be empty
	Daylight bool
}

// A Shift is a change of offset at an instant.
type Shift struct {
	At int64 // Unix seconds
	To Offset
}

// UTC is Coordinated Universal Time.
var UTC = Fixed("UTC", 0)

// Fixed gives a bare offset as a zone: nobody's clock, so that times in it are
// kept in UTC.
func Fixed(name string, seconds int) *Zone {
	return &Zone{name: name, first: Offset{Seconds: seconds, Name: name}, bare: true}
}

// New gives the zone that begins with the offset first and then shifts, in
// ascending order of instant.
func New(name string, first Offset, shifts []Shift) *Zone {
	z := &Zone{name: name, first: first, shifts: shifts, until: make([]int64, len(shifts))}
	before := first
	for i, s := range shifts {
		z.until[i] = s.At + int64(max(before.Seconds, s.To.Seconds))
		before = s.To
	}
	return z
}

// The transition table of a zone with rules covers these years; other years
// are looked up in the one with the same calendar, a multiple of 400 off.
const (
	tableFrom = 1850
	tableTo   = 2300
	cycle     = 146097 * 86400 // seconds in 400 Gregorian years
)

var (
	tableStart = time.Date(tableFrom, 1, 1, 0, 0, 0, 0, time.UTC).Unix()
	tableEnd   = time.Date(tableTo, 1, 1, 0, 0, 0, 0, time.UTC).Unix()
)

// fromLocation reads the transitions of loc into a table.
func fromLocation(name string, loc *time.Location, rules []byte) *Zone {
	at := time.Unix(tableStart, 0).In(loc)
	first := offsetAt(at)
	var shifts []Shift
	for {
		_, end := at.ZoneBounds()
		if end.IsZero() || end.Unix() >= tableEnd {
			break
		}
		if !end.After(at) { // in leap years the bounds end a day early, at 31 December, and would be met again for ever
			at = at.Add(24 * time.Hour)
			continue
		}
		at = end
		var o Offset
		if n := len(shifts); n > 1 {
			o = shifts[n-2].To // as it was before the last shift: from 2038 on it mostly is
		}
		if name, seconds := at.Zone(); at.Unix() < math.MaxInt32 || name != o.Name || seconds != o.Seconds {
			o = offsetAt(at)
		}
		last := first
		if len(shifts) > 0 {
			last = shifts[len(shifts)-1].To
		}
		if o != last {
			shifts = append(shifts, Shift{At: at.Unix(), To: o})
		}
	}
	z := New(name, first, shifts)
	z.cyclic, z.rules = true, rules
	return z
}

func offsetAt(t time.Time) Offset {
	name, seconds := t.Zone()
	return Offset{Seconds: seconds, Name: name, Daylight: t.IsDST()}
}

// Name is the name the zone was asked for by, such as "Europe/Lisbon".
func (z *Zone) Name() string { return z.name }

// Named gives the same clock under another name.
func (z *Zone) Named(name string) *Zone {
	out := *z
	out.name = name
	return &out
}

// IsUTC tells whether the zone is UTC under any of its names.
func (z *Zone) IsUTC() bool {
	return z == UTC || (len(z.shifts) == 0 && z.first.Seconds == 0 && (z.first.Name == "UTC" || z.first.Name == "GMT"))
}

// Constant tells whether the zone has one offset for all time.
func (z *Zone) Constant() bool { return len(z.shifts) == 0 }

// SameRules tells whether both zones have the same clock: the same zone, or
// two names of one in the zone data.
func (z *Zone) SameRules(o *Zone) bool {
	if z == o {
		return true
	}
	if z == nil || o == nil {
		return false
	}
	if z.name == o.name && (z.rules == nil) == (o.rules == nil) && z.rules != nil {
		return true
	}
	if z.rules != nil && o.rules != nil {
		return bytes.Equal(z.rules, o.rules)
	}
	return z.first.Seconds == o.first.Seconds && sameShifts(z.shifts, o.shifts)
}

func sameShifts(a, b []Shift) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i].At != b[i].At || a[i].To.Seconds != b[i].To.Seconds {
			return false
		}
	}
	return true
}

// Fit tells how a wall-clock time sits in its zone.
type Fit uint8

// How a wall-clock time can sit: once, never (the clock jumped over it), or
// twice (the clock was set back).
const (
	Exact Fit = iota
	Gap
	Overlap
)

// Instant gives the instant at which the zone's clock shows wall.
func (z *Zone) Instant(wall int64) (int64, Fit) {
	shifted := int64(0)
	if z.cyclic {
		wall, shifted = intoTable(wall)
	}
	i := sort.Search(len(z.until), func(i int) bool { return wall < z.until[i] })
	before := z.offset(i - 1).Seconds
	at := wall - int64(before)
	fit := Exact
	if i < len(z.shifts) {
		s := z.shifts[i]
		switch {
		case s.To.Seconds > before && at >= s.At:
			fit = Gap
		case s.To.Seconds < before && wall-int64(s.To.Seconds) >= s.At:
			fit = Overlap
		}
	}
	return at + shifted, fit
}

// Wall gives what the zone's clock shows at an instant.
func (z *Zone) Wall(instant int64) int64 {
	return instant + int64(z.OffsetAt(instant).Seconds)
}

// OffsetAt gives the offset in force at an instant.
func (z *Zone) OffsetAt(instant int64) Offset {
	if z.cyclic {
		instant, _ = intoTable(instant)
	}
	i := sort.Search(len(z.shifts), func(i int) bool { return instant < z.shifts[i].At })
	return z.offset(i - 1)
}

func (z *Zone) offset(i int) Offset {
	if i < 0 {
		return z.first
	}
	return z.shifts[i].To
}

// Shifts gives the changes of offset from instant on, before end, with the
// offset in force just before the first of them.
func (z *Zone) Shifts(from, end int64) (Offset, []Shift) {
	i := sort.Search(len(z.shifts), func(i int) bool { return from <= z.shifts[i].At })
	j := sort.Search(len(z.shifts), func(i int) bool { return end <= z.shifts[i].At })
	return z.offset(i - 1), z.shifts[i:max(i, j):max(i, j)]
}

// LastShift gives the last change of offset at or before an instant.
func (z *Zone) LastShift(instant int64) (Shift, bool) {
	i := sort.Search(len(z.shifts), func(i int) bool { return instant < z.shifts[i].At })
	if i == 0 {
		return Shift{}, false
	}
	return z.shifts[i-1], true
}

// Horizon is the last instant that the table of a zone with rules covers.
func Horizon() int64 { return tableEnd }

func intoTable(t int64) (int64, int64) {
	if t >= tableEnd-2*86400 {
		n := (t-(tableEnd-2*86400))/cycle + 1
		return t - n*cycle, n * cycle
	}
	return t, 0
}
