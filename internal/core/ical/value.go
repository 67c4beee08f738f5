package ical

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/zone"
)

// Zones resolves a TZID.
type Zones func(tzid string) (*zone.Zone, error)

// ParseTime reads a DATE or DATE-TIME value (§3.3.4, §3.3.5) with the TZID of
// its property, "" for none. Seconds of 60 are read as 59.
func ParseTime(value []byte, tzid string, zones Zones) (zone.Time, error) {
	wall, n, ok := parseDate(value)
	if !ok {
		return zone.Time{}, fmt.Errorf("%q is not a date", shown(value))
	}
	if n == len(value) {
		return zone.Time{Wall: wall, Form: zone.Date}, nil
	}
	clock, utc, ok := parseClock(value[n:])
	if !ok {
		return zone.Time{}, fmt.Errorf("%q is not a date and time", shown(value))
	}
	wall += clock
	switch {
	case utc:
		return zone.Time{Wall: wall, Form: zone.Absolute}, nil
	case tzid == "":
		return zone.Time{Wall: wall, Form: zone.Floating}, nil
	}
	z, err := zones(tzid)
	if err != nil {
		return zone.Time{}, err
	}
	return zone.In(z, wall), nil
}

func shown(value []byte) string {
	if len(value) > 40 {
		return string(value[:40]) + "…"
	}
	return string(value)
}

// digits reads n decimal digits.
func digits(b []byte, n int) (int, bool) {
	if len(b) < n {
		return 0, false
	}
	v := 0
	for _, c := range b[:n] {
		if c < '0' || c > '9' {
			return 0, false
		}
		v = v*10 + int(c-'0')
	}
	return v, true
}

func parseDate(b []byte) (wall int64, n int, ok bool) {
	y, ok1 := digits(b, 4)
	if !ok1 {
		return 0, 0, false
	}
	m, ok1 := digits(b[4:], 2)
	if !ok1 {
		return 0, 0, false
	}
	d, ok1 := digits(b[6:], 2)
	if !ok1 || m < 1 || m > 12 || d < 1 {
		return 0, 0, false
	}
	wall = zone.Wall(y, m, d, 0, 0, 0)
	if d > 28 && zone.Civil(wall).Day() != d {
		return 0, 0, false
	}
	return wall, 8, true
}

func parseClock(b []byte) (seconds int64, utc, ok bool) {
	if len(b) < 7 || (b[0] != 'T' && b[0] != 't') {
		return 0, false, false
	}
	h, ok1 := digits(b[1:], 2)
	m, ok2 := digits(b[3:], 2)
	s, ok3 := digits(b[5:], 2)
	if !ok1 || !ok2 || !ok3 || h > 23 || m > 59 || s > 60 {
		return 0, false, false
	}
	switch {
	case len(b) == 8 && (b[7] == 'Z' || b[7] == 'z'):
		utc = true
	case len(b) != 7:
		return 0, false, false
	}
	return int64(h)*3600 + int64(m)*60 + int64(min(s, 59)), utc, true
}

// FormatTime writes a time as a DATE or DATE-TIME value; its zone belongs
// into a TZID parameter.
func FormatTime(t zone.Time) string {
	var buf [20]byte
	return string(AppendTime(buf[:0], t))
}

// AppendTime appends FormatTime's text to dst.
func AppendTime(dst []byte, t zone.Time) []byte {
	dst = zone.AppendWall(dst, t.Wall, t.Form == zone.Date, false)
	if t.Form == zone.Absolute {
		dst = append(dst, 'Z')
	}
	return dst
}

// TimeParams gives the parameters a property with the time t needs.
func TimeParams(t zone.Time) []Param {
	switch t.Form {
	case zone.Date:
		return []Param{{Name: "VALUE", Values: []string{"DATE"}}}
	case zone.Local:
		return []Param{{Name: "TZID", Values: []string{t.Zone.Name()}}}
	}
	return nil
}

// A Duration is a DURATION value (§3.3.6). Days are calendar days and keep
// the time of day across a change of clocks; Seconds are exact.
type Duration struct {
	Days    int
	Seconds int64
}

// ParseDuration reads a DURATION value.
func ParseDuration(value []byte) (Duration, error) {
	s := strings.ToUpper(string(value))
	bad := fmt.Errorf("%q is not a duration", shown(value))
	negative := strings.HasPrefix(s, "-")
	s = strings.TrimLeft(s, "+-")
	s, ok := strings.CutPrefix(s, "P")
	if !ok || s == "" {
		return Duration{}, bad
	}
	var d Duration
	inTime := false
	for s != "" {
		if s[0] == 'T' && !inTime {
			inTime, s = true, s[1:]
			continue
		}
		i := strings.IndexFunc(s, func(r rune) bool { return r < '0' || r > '9' })
		if i <= 0 {
			return Duration{}, bad
		}
		n, err := strconv.Atoi(s[:i])
		if err != nil || n > 1<<30 {
			return Duration{}, bad
		}
		switch unit := s[i]; {
		case unit == 'W' && !inTime:
			d.Days += 7 * n
		case unit == 'D' && !inTime:
			d.Days += n
		case unit == 'H' && inTime:
			d.Seconds += int64(n) * 3600
		case unit == 'M' && inTime:
			d.Seconds += int64(n) * 60
		case unit == 'S' && inTime:
			d.Seconds += int64(n)
		default:
			return Duration{}, bad
		}
		s = s[i+1:]
	}
	if negative {
		d.Days, d.Seconds = -d.Days, -d.Seconds
	}
	return d, nil
}

// After gives the time that lies d after t: days on the wall, then seconds
// exactly (§3.3.6).
func (d Duration) After(t zone.Time) zone.Time {
	t.Wall += int64(d.Days) * 86400
	if d.Seconds == 0 {
		return t
	}
	if t.Form == zone.Local {
		at, _ := t.Zone.Instant(t.Wall)
		t.Wall = t.Zone.Wall(at + d.Seconds)
		return t
	}
	t.Wall += d.Seconds
	return t
}

// ParseOffset reads a UTC-OFFSET value (§3.3.14) into seconds.
func ParseOffset(value []byte) (int, error) {
	s := string(value)
	t, err := time.Parse("-0700", s)
	if err != nil {
		t, err = time.Parse("-070000", s)
	}
	if err != nil {
		return 0, fmt.Errorf("%q is not an offset from UTC", shown(value))
	}
	_, seconds := t.Zone()
	return seconds, nil
}

// ErrNoTime means that a property that must have a time has none.
var ErrNoTime = errors.New("has no start")

// raw are the properties whose values are not of type TEXT (§8.3.2, RFC 7986,
// RFC 9073), so that nothing in them is escaped.
var raw = map[string]bool{
	"ATTACH": true, "ATTENDEE": true, "COMPLETED": true, "CONFERENCE": true, "CREATED": true, "DTEND": true, "DTSTAMP": true, "DTSTART": true, "DUE": true, "DURATION": true, "EXDATE": true, "FREEBUSY": true, "GEO": true, "IMAGE": true,
	"LAST-MODIFIED": true, "ORGANIZER": true, "PERCENT-COMPLETE": true, "PRIORITY": true, "RDATE": true, "RECURRENCE-ID": true, "REFRESH-INTERVAL": true, "REPEAT": true, "RRULE": true, "SEQUENCE": true, "SOURCE": true, "STRUCTURED-DATA": true, "TRIGGER": true, "TZOFFSETFROM": true, "TZOFFSETTO": true, "TZURL": true, "URL": true,
}

// IsText tells whether a property's value is of type TEXT, and so escaped. What
// the RFCs do not know is (§3.8.8).
func IsText(name string) bool { return !raw[name] }
