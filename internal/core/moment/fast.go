package moment

import "time"

// fast understands the few forms that fill most sheets without cutting the
// text into tokens: 2026-03-14, 14/03/2026, 08:15, and date and time together.
func fast(text string, role Role) (shape, bool) {
	s := shape{ok: true}
	s.halves[0].clock, s.halves[1].clock = noClock, noClock
	s.halves[0].hour, s.halves[1].hour = noClock, noClock
	switch len(text) {
	case 5:
		c := fastClock(text)
		s.halves[0].clock = c
		return s, c != noClock
	case 10, 16, 19:
	default:
		return s, false
	}
	d := text[:10]
	switch {
	case d[4] == '-' && d[7] == '-':
		y, m, day := two(d, 0)*100+two(d, 2), two(d, 5), two(d, 8)
		if two(d, 0) < 10 || two(d, 2) < 0 || m < 1 || m > 12 || day < 1 || day > 31 {
			return s, false
		}
		s.halves[0].date = date{form: fullDate, year: y, a: m, b: day}
	case d[2] == d[5] && (d[2] == '/' || d[2] == '.' || d[2] == '-'):
		a, b, y := two(d, 0), two(d, 3), two(d, 6)*100+two(d, 8)
		if a < 0 || b < 0 || two(d, 6) < 10 || two(d, 8) < 0 {
			return s, false
		}
		s.halves[0].date = date{form: threeNum, a: a, b: b, year: y, dash: d[2] == '-'}
	default:
		return s, false
	}
	if len(text) == 10 {
		return s, role != ClockRole
	}
	if text[10] != ' ' && text[10] != 'T' {
		return s, false
	}
	c := fastClock(text[11:16])
	if len(text) == 19 && c != noClock {
		sec := two(text, 17)
		if text[16] != ':' || sec < 0 || sec > 59 || c == 86400 {
			return s, false
		}
		c += sec
	}
	s.halves[0].clock = c
	return s, c != noClock
}

func fastClock(t string) int {
	h, m := two(t, 0), two(t, 3)
	if t[2] != ':' || h < 0 || m < 0 || m > 59 || h > 24 || (h == 24 && m > 0) {
		return noClock
	}
	return h*3600 + m*60
}

// two reads the two digits at i, or gives -1000.
func two(s string, i int) int {
	a, b := s[i]-'0', s[i+1]-'0'
	if a > 9 || b > 9 {
		return -1000
	}
	return int(a)*10 + int(b)
}

// ordinal gives the nth day of a year.
func ordinal(year, n int) date {
	t := time.Date(year, 1, n, 0, 0, 0, 0, time.UTC)
	if t.Year() != year {
		return date{form: fullDate, year: year, a: 13, b: n} // day 366 of a common year
	}
	return date{form: fullDate, year: year, a: int(t.Month()), b: t.Day()}
}

// weekDate gives a day of an ISO 8601 week.
func weekDate(year, week, day int) (date, bool) {
	fourth := time.Date(year, 1, 4, 0, 0, 0, 0, time.UTC)
	monday := fourth.AddDate(0, 0, -(int(fourth.Weekday())+6)%7)
	t := monday.AddDate(0, 0, (week-1)*7+day-1)
	if y, w := t.ISOWeek(); y != year || w != week {
		return date{}, false
	}
	return date{form: fullDate, year: t.Year(), a: int(t.Month()), b: t.Day()}, true
}
