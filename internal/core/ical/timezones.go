package ical

import (
	"fmt"
	"strings"
	"sync"

	"almanach/internal/core/zone"
)

// TimeZones says what the TZIDs of one calendar mean: its own VTIMEZONEs, and
// the zone data. It is safe for concurrent use once everything is defined.
type TimeZones struct {
	book   *zone.Book
	own    map[string]*zone.Zone
	broken map[string]error // TZIDs whose VTIMEZONE cannot be read

	mu    sync.Mutex
	known map[string]*zone.Zone // what Find has found before
}

// NewTimeZones gives the time zones of a calendar without any VTIMEZONE.
func NewTimeZones(book *zone.Book) *TimeZones {
	return &TimeZones{book: book, own: map[string]*zone.Zone{}, broken: map[string]error{}, known: map[string]*zone.Zone{}}
}

// Define takes in a VTIMEZONE. Where the name has been given to another clock
// before, it says so and keeps the first.
func (t *TimeZones) Define(raw []byte) error {
	z, err := ReadZone(raw)
	if err != nil {
		if l, ok := Open(raw).Find("TZID"); ok {
			t.broken[l.Text()] = err
		}
		return err
	}
	if first := t.own[z.Name()]; first != nil {
		if !sameClock(first, z) {
			return fmt.Errorf("VTIMEZONE %s is defined twice, with two clocks; the first one counts", z.Name())
		}
		return nil
	}
	t.own[z.Name()] = z
	delete(t.known, z.Name())
	return nil
}

// Find gives the zone that a TZID means here: the calendar's own VTIMEZONE,
// where its clock is not that of a known zone of the name, then the zone data,
// by IANA or Windows name.
func (t *TimeZones) Find(tzid string) (*zone.Zone, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if z, ok := t.known[tzid]; ok {
		return z, nil
	}
	z, err := t.resolve(tzid)
	if err == nil {
		t.known[strings.Clone(tzid)] = z
	}
	return z, err
}

func (t *TimeZones) resolve(tzid string) (*zone.Zone, error) {
	own := t.own[tzid]
	known, err := t.standard(tzid)
	switch {
	case own == nil && err != nil:
		if cause := t.broken[tzid]; cause != nil {
			return nil, cause
		}
		return nil, fmt.Errorf("TZID %s is neither defined in the file nor a known time zone", tzid)
	case own == nil, err == nil && sameClock(own, known):
		return known, nil
	}
	return own, nil
}

// standard gives the zone of the zone data that a TZID names. A globally unique
// name (§3.2.19) often ends in a usual one.
func (t *TimeZones) standard(tzid string) (*zone.Zone, error) {
	z, err := t.book.Find(tzid)
	for rest := tzid; err != nil && strings.HasPrefix(tzid, "/"); {
		var more bool
		if _, rest, more = strings.Cut(rest, "/"); !more {
			break
		}
		z, err = t.book.Find(rest)
	}
	return z, err
}

// sameClock tells whether two zones show the same time in the years that
// calendars are about.
func sameClock(a, b *zone.Zone) bool {
	for at := zone.Wall(2015, 1, 15, 12, 0, 0); at < zone.Wall(2036, 1, 1, 0, 0, 0); at += 7 * 86400 {
		if a.Wall(at) != b.Wall(at) {
			return false
		}
	}
	return true
}

// definedFrom is the latest year from which a VTIMEZONE we write is valid; an
// event of an earlier year makes it begin there.
const definedFrom = 2000

// missing finds the zones that components name and their calendar does not define.
type missing struct {
	defined map[string]bool
	met     map[string]bool
	names   []string
	first   int // the first year of components since the first name; 0 for none
}

// look looks at a component.
func (m *missing) look(raw []byte) {
	ZoneNames(raw, func(name []byte) {
		if m.met[string(name)] {
			return
		}
		if m.met == nil {
			m.met = map[string]bool{}
		}
		m.met[string(name)] = true
		if !m.defined[string(name)] {
			m.names = append(m.names, string(name))
		}
	})
	if len(m.names) == 0 {
		return
	}
	if y := FirstYear(raw); y > 0 && (m.first == 0 || y < m.first) {
		m.first = y
	}
}

// appendTo appends the VTIMEZONEs of the zones to dst, in the order in which they were
// met.
func (m *missing) appendTo(dst []byte, t *TimeZones) []byte {
	first := definedFrom
	if m.first > 0 {
		first = min(first, m.first)
	}
	for _, name := range m.names {
		if z, err := t.standard(name); err == nil {
			dst = AppendZone(dst, z.Named(name), first)
		} else if own := t.own[name]; own != nil {
			dst = AppendZone(dst, own, first)
		}
	}
	return dst
}
