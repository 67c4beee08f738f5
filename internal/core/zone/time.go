package zone

import (
	"strconv"
	"time"
)

// Form is the kind of time RFC 5545 §3.3.4 and §3.3.5 distinguish.
type Form uint8

// The forms of a Time. The zero Form is no time at all.
const (
	None     Form = iota
	Date          // a day, without time or zone
	Floating      // a wall-clock time in whatever zone the reader is
	Absolute      // in UTC
	Local         // a wall-clock time in a zone
)

// A Time is a date or a time as calendars hold it. The zero Time is none.
type Time struct {
	Wall int64 // wall-clock seconds since 1970; midnight for a Date
	Zone *Zone // set for Local only
	Form Form
}

// Wall gives the wall-clock seconds of a civil date and time; parts out of
// range carry over as in time.Date.
func Wall(year, month, day, hour, minute, second int) int64 {
	return time.Date(year, time.Month(month), day, hour, minute, second, 0, time.UTC).Unix()
}

// Civil gives the date and time that wall shows.
func Civil(wall int64) time.Time { return time.Unix(wall, 0).UTC() }

// Midnight gives the start of the day that wall is in.
func Midnight(wall int64) int64 { return wall - mod(wall, 86400) }

func mod(a, b int64) int64 { return ((a % b) + b) % b }

// appendTwo appends two digits and maybe a sign behind them.
func appendTwo(dst []byte, n uint, signed bool, sign byte) []byte {
	dst = append(dst, byte('0'+n/10), byte('0'+n%10))
	if signed {
		dst = append(dst, sign)
	}
	return dst
}

// In gives the time that wall is in a zone: Absolute when the zone is UTC,
// converted to UTC when it is a bare offset, Local otherwise, Floating when
// z is nil.
func In(z *Zone, wall int64) Time {
	switch {
	case z == nil:
		return Time{Wall: wall, Form: Floating}
	case z.IsUTC():
		return Time{Wall: wall, Form: Absolute}
	case z.bare:
		return Time{Wall: wall - int64(z.first.Seconds), Form: Absolute}
	}
	return Time{Wall: wall, Zone: z, Form: Local}
}

// IsZero tells whether t is no time at all.
func (t Time) IsZero() bool { return t.Form == None }

// Instant gives the Unix seconds at which t falls; dates (their midnight) and
// floating times fall where view's clock shows them. A nil view is UTC.
func (t Time) Instant(view *Zone) int64 {
	switch t.Form {
	case Absolute:
		return t.Wall
	case Local:
		at, _ := t.Zone.Instant(t.Wall)
		return at
	}
	if view == nil {
		return t.Wall
	}
	at, _ := view.Instant(t.Wall)
	return at
}

// InZone gives what a clock in z shows at t. Dates and floating times are the
// same everywhere; a nil zone leaves t as it is.
func (t Time) InZone(z *Zone) Time {
	if z == nil || t.Form == Date || t.Form == Floating || t.Form == None {
		return t
	}
	at := t.Instant(nil)
	if z.IsUTC() {
		return Time{Wall: at, Form: Absolute}
	}
	return Time{Wall: z.Wall(at), Zone: z, Form: Local}
}

// ZoneName is the name of t's zone: "" for dates and floating times.
func (t Time) ZoneName() string {
	switch t.Form {
	case Absolute:
		return "UTC"
	case Local:
		return t.Zone.Name()
	}
	return ""
}

// RFC3339 gives t with its offset, a plain date for a Date, and without an
// offset when it is floating.
func (t Time) RFC3339() string {
	if t.IsZero() {
		return ""
	}
	var buf [32]byte
	text := AppendWall(buf[:0], t.Wall, t.Form == Date, true)
	switch t.Form {
	case Absolute:
		text = append(text, 'Z')
	case Local:
		at, _ := t.Zone.Instant(t.Wall)
		text = appendOffset(text, int(t.Wall-at), ":")
	}
	return string(text)
}

// AppendWall appends wall-clock seconds as ISO 8601 writes them, the day alone
// where day is set: extended as 2006-01-02T15:04:05, otherwise 20060102T150405.
// It is Format of package time for years of four digits, and a tenth of its cost.
func AppendWall(dst []byte, wall int64, day, extended bool) []byte {
	y, m, d := Civil(wall).Date()
	year, month := uint(y)%10_000, uint(m)
	dst = append(dst, byte('0'+year/1000), byte('0'+year/100%10))
	dst = appendTwo(dst, year%100, extended, '-')
	dst = appendTwo(dst, month, extended, '-')
	dst = appendTwo(dst, uint(d), false, 0)
	if day {
		return dst
	}
	seconds := uint(mod(wall, 86400))
	dst = append(dst, 'T')
	dst = appendTwo(dst, seconds/3600, extended, ':')
	dst = appendTwo(dst, seconds/60%60, extended, ':')
	dst = appendTwo(dst, seconds%60, false, 0)
	return dst
}

// FormatOffset writes seconds east of Greenwich as +hh:mm with the given
// separator, and with seconds only where there are some.
func FormatOffset(seconds int, sep string) string {
	var buf [16]byte
	return string(appendOffset(buf[:0], seconds, sep))
}

func appendOffset(dst []byte, seconds int, sep string) []byte {
	sign := byte('+')
	if seconds < 0 {
		sign, seconds = '-', -seconds
	}
	two := func(n int) {
		if n < 10 {
			dst = append(dst, '0')
		}
		dst = strconv.AppendInt(dst, int64(n), 10)
	}
	dst = append(dst, sign)
	two(seconds / 3600)
	dst = append(dst, sep...)
	two(seconds / 60 % 60)
	if seconds%60 != 0 {
		dst = append(dst, sep...)
		two(seconds % 60)
	}
	return dst
}
