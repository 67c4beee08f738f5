package moment

import "strings"

// bareHour keeps the 9 of "9–11 am", whose half of the day the end tells.
func (p *parser) bareHour() bool {
	t, next := p.tok(0), p.tok(1)
	if p.role == ClockRole && p.side == 1 && t.num <= 24 && p.out.halves[0].clock != noClock && p.half().clock == noClock && p.at+1 == len(p.tokens) {
		p.half().hour = t.num // 9.30-11
		p.at++
		return true
	}
	if len(t.text) > 2 || t.num > 24 || p.side == 1 || (next.kind != '-' && p.sense(1).is&isRange == 0) || p.half().clock != noClock {
		return false
	}
	for i := 2; i < 6; i++ {
		if t.num <= 12 && p.sense(i).is&(isAM|isPM) != 0 {
			p.half().hour = t.num
			p.at++
			return true
		}
	}
	if end := p.sense(3).is; p.tok(2).kind == 'n' && len(p.tok(2).text) <= 2 && end&isHour != 0 && end&isLink != 0 { // 10 bis 12 Uhr
		p.half().hour = t.num
		p.at++
		return true
	}
	if end := p.tok(3); p.role == ClockRole && p.tok(2).kind == 'n' && (end.kind == ':' || end.kind == '.') { // 10-12.30
		p.half().hour = t.num
		p.at++
		return true
	}
	return false
}

// clock reads a time of day that begins with a number.
func (p *parser) clock() bool {
	t, s1, u := p.tok(0), p.tok(1), p.tok(2)
	dated := p.half().date.form != noDate || (p.side == 1 && p.out.halves[0].clock != noClock) || p.tok(-1).text == "at"
	short := len(t.text) <= 2
	switch {
	case short && s1.kind == ':' && u.kind == 'n' && len(u.text) == 2:
		n, sec := 3, 0
		if p.tok(3).kind == ':' && p.tok(4).kind == 'n' && len(p.tok(4).text) == 2 {
			n, sec = 5, p.tok(4).num
			if (p.tok(5).kind == '.' || p.tok(5).kind == ',') && p.tok(6).kind == 'n' && !p.tok(6).gap {
				n = 7
			}
		}
		p.colon, p.second = true, n > 3
		return p.hms(t.num, u.num, sec, n)
	case short && s1.kind == '.' && u.kind == 'n' && len(u.text) == 2 && tight(s1, u) && (dated || p.role == ClockRole || p.meridian(3) || p.sense(3).is&isHour != 0):
		if p.tok(3).kind == '.' && p.tok(4).kind == 'n' && len(p.tok(4).text) == 2 && !p.tok(4).gap { // 8.15.30
			return p.hms(t.num, u.num, p.tok(4).num, 5)
		}
		return p.hms(t.num, u.num, 0, 3)
	case short && s1.kind == 'w' && (s1.text == "h" || s1.text == "u" || p.hourWord(1)) && u.kind == 'n' && len(u.text) == 2 && (!u.gap || s1.gap && p.sense(3).month == 0): // 8h30, 8 h 30, 8 Uhr 30
		n := 3
		if p.sense(3).is&isMinute != 0 && (!p.tok(3).gap || p.hourWord(1)) { // 14h30min
			n = 4
		}
		return p.hms(t.num, u.num, 0, n)
	case short && p.sense(1).is&isHour != 0:
		return p.hms(t.num, 0, 0, 2)
	case short && p.meridian(1):
		return p.hms(t.num, 0, 0, 1)
	case t.num == 12 && p.sense(1).is&(isNoon|isMidnight) != 0: // 12 noon
		p.at++
		return p.word()
	case short && s1.kind == 0 && dated && p.sense(-1).is&isLink != 0 && p.sense(-1).is&isHour != 0 && p.tok(-2).kind != 0: // ore 14
		return p.hms(t.num, 0, 0, 1)
	case len(t.text) == 4 && (dated || p.role == ClockRole):
		return p.hms(t.num/100, t.num%100, 0, 1)
	case len(t.text) == 6 && p.iso && dated:
		return p.hms(t.num/10000, t.num/100%100, t.num%100, 1)
	case len(t.text) == 3 && p.role == ClockRole: // 815: a number that lost its zero
		return p.hms(t.num/100, t.num%100, 0, 1)
	case short && p.role == ClockRole:
		return p.bareHour()
	}
	return false
}

// hourWord tells whether token i is a word for hours that no length of time has, so that
// minutes can stand behind it.
func (p *parser) hourWord(i int) bool { return p.tok(i).text == "uhr" || p.tok(i).text == "uur" }

func (p *parser) meridian(i int) bool { return p.sense(i).is&(isAM|isPM) != 0 }

// hms stores a time of n tokens and what belongs to it behind.
func (p *parser) hms(h, m, s, n int) bool {
	if m > 59 || s > 60 || s == 60 && h*60+m != 24*60-1 || h > 24 || (h == 24 && m+s > 0) {
		return false
	}
	if p.meridian(n) {
		pm := p.sense(n).is&isPM != 0
		if h > 12 || h == 0 && pm {
			return false
		}
		h %= 12
		if pm {
			h += 12
		}
		n++
		p.half().half = true
	}
	if !p.setClock(h*3600+m*60+min(s, 59), n) {
		return false
	}
	if p.tok(0).kind == '-' && !p.tok(0).gap && !p.tok(1).gap && p.iso {
		if u := p.tok(1); u.kind == 'n' && (len(u.text) == 4 || (len(u.text) == 2 && p.tok(2).kind == ':' && p.tok(4).kind != ':')) {
			return p.offset()
		}
	}
	return true
}

// offset reads +01:00, -0500 or UTC+1 behind a time.
func (p *parser) offset() bool {
	sign, h := p.tok(0), p.tok(1)
	if p.half().clock == noClock || p.out.zone == "" && h.kind != 'n' || h.gap {
		return false
	}
	text, n := "", 2
	switch {
	case len(h.text) == 4:
		text = h.text[:2] + ":" + h.text[2:]
	case len(h.text) <= 2 && p.tok(2).kind == ':' && len(p.tok(3).text) == 2:
		text, n = h.text+":"+p.tok(3).text, 4
	case len(h.text) == 2 || len(h.text) == 1 && p.out.zone != "": // +01, UTC+1; a bare +1 can be the next day
		text = h.text
	default:
		return false
	}
	if z := strings.ToUpper(p.out.zone); z != "" && z != "UTC" && z != "GMT" {
		return false
	}
	p.out.zone = string(sign.kind) + text
	p.at += n
	return p.zone(p.out.zone)
}
