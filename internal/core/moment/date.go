package moment

// How a parser reads dates, before the column says what they mean.

func (p *parser) setDate(d date, n int) bool {
	h := p.half()
	if h.date.form != noDate {
		return false
	}
	d.weekdays |= h.date.weekdays
	d.words |= h.date.words
	h.date = d
	p.at += n
	return true
}

func isNumber(t token, low, high int) bool {
	return t.kind == 'n' && t.num >= low && t.num <= high && len(t.text) <= 4
}

func year(t token) (y int, two, ok bool) {
	switch {
	case t.kind != 'n':
	case len(t.text) == 4 && t.num >= 1000:
		return t.num, false, true
	case len(t.text) == 2:
		return t.num, true, true
	}
	return 0, false, false
}

func (p *parser) date() bool {
	if p.half().date.form != noDate {
		return false
	}
	t, s1, u, s2, v := p.tok(0), p.tok(1), p.tok(2), p.tok(3), p.tok(4)
	switch len(t.text) {
	case 8:
		return p.compact(t, 1)
	case 12, 14: // 202603140815 and 20260314081500
		short := token{text: t.text, num: t.num / 1_00_00}
		seconds := t.num % 1_00_00 * 100
		if len(t.text) == 14 {
			short.num, seconds = t.num/1_00_00_00, t.num%1_00_00_00
		}
		return short.num >= 1900_00_00 && p.compact(short, 0) && p.hms(seconds/1_00_00, seconds/100%100, seconds%100, 1)
	}
	if len(t.text) == 4 && t.num >= 1000 {
		return p.yearFirst()
	}
	if len(t.text) > 2 {
		return false
	}
	dotted := s1.kind == '.' && s2.kind == '.'
	same := s1.kind == s2.kind && (s1.kind == '/' || s1.kind == '.' || s1.kind == '-')
	if same && u.kind == 'n' && len(u.text) <= 2 && !s1.gap && !s2.gap && (dotted || tight(u, v)) {
		if y, two, ok := year(v); ok && !(two && v.gap && p.startsClock(4)) { // 2.3. 05:30 has no year
			return p.setDate(date{form: threeNum, a: t.num, b: u.num, year: y, twoDigit: two, dash: s1.kind == '-'}, 5)
		}
	}
	if s1.kind == 'n' && u.kind == 'n' && len(s1.text) == 2 && len(u.text) == 4 && u.num >= 1000 && p.role != ClockRole {
		return p.setDate(date{form: threeNum, a: t.num, b: s1.num, year: u.num}, 3)
	}
	if m := p.sense(2).month; m > 0 && s1.kind == '/' && s2.kind == '/' && tight(s1, u, s2, v) { // 14/Nov/26
		if y, two, ok := year(v); ok {
			return p.setDate(date{form: named, a: m, b: t.num, year: y, twoDigit: two}, 5)
		}
	}
	if p.dayAndMonth() || p.dayRange() {
		return true
	}
	// 14/03 and 14.03. have no year; 8.15 is a time wherever a time may stand
	if (s1.kind == '/' || (s1.kind == '.' && (p.role == DateRole || s2.kind == '.'))) && u.kind == 'n' && len(u.text) <= 2 && tight(s1, u) {
		n := 3
		if s1.kind == '.' && s2.kind == '.' {
			n = 4
		}
		return p.setDate(date{form: twoNum, a: t.num, b: u.num, year: -1}, n)
	}
	return false
}

func (p *parser) compact(t token, n int) bool {
	y, m, d := t.num/10000, t.num/100%100, t.num%100
	if y >= 1900 && y < 2200 && m >= 1 && m <= 12 && d >= 1 && d <= 31 {
		return p.setDate(date{form: fullDate, year: y, a: m, b: d}, n)
	}
	if y := t.num % 10000; n == 1 && y >= 1900 && y < 2200 {
		return p.setDate(date{form: threeNum, a: t.num / 1000000, b: t.num / 10000 % 100, year: y}, 1)
	}
	return false
}

func (p *parser) yearFirst() bool {
	t, s1, u, s2, v := p.tok(0), p.tok(1), p.tok(2), p.tok(3), p.tok(4)
	same := s1.kind == s2.kind && (s1.kind == '/' || s1.kind == '.' || s1.kind == '-')
	switch {
	case same && isNumber(u, 1, 12) && isNumber(v, 1, 31) && len(u.text) <= 2 && len(v.text) <= 2 && tight(s1, u, s2, v):
		p.hyphen = s1.kind == '-'
		return p.setDate(date{form: fullDate, year: t.num, a: u.num, b: v.num}, 5)
	case isNumber(s1, 1, 12) && isNumber(u, 1, 31) && len(s1.text) == 2 && len(u.text) == 2:
		return p.setDate(date{form: fullDate, year: t.num, a: s1.num, b: u.num}, 3)
	case s1.kind == '-' && u.kind == 'n' && len(u.text) == 3 && tight(s1, u) && isNumber(u, 1, 366):
		return p.setDate(ordinal(t.num, u.num), 3)
	case s1.kind == '-' && u.text == "w" && s2.kind == 'n' && len(s2.text) == 2 && v.kind == '-' && p.tok(5).kind == 'n' && tight(s1, u, s2, v, p.tok(5)):
		if s2.num < 1 || s2.num > 53 || p.tok(5).num < 1 || p.tok(5).num > 7 {
			return false
		}
		d, ok := weekDate(t.num, s2.num, p.tok(5).num)
		return ok && p.setDate(d, 6)
	case p.sense(1).month > 0 && isNumber(u, 1, 31):
		return p.setDate(date{form: named, year: t.num, a: p.sense(1).month, b: u.num}, 3)
	case s1.kind == '-' && p.sense(2).month > 0 && s2.kind == '-' && isNumber(v, 1, 31):
		return p.setDate(date{form: named, year: t.num, a: p.sense(2).month, b: v.num}, 5)
	}
	return false
}

func (p *parser) ordinalEnd(i int) int {
	if t := p.tok(i); t.kind == 'w' && !t.gap {
		switch t.text {
		case "st", "nd", "rd", "th", "er", "º", "ste", "de", "e":
			return i + 1
		}
	}
	return i
}

func (p *parser) links(i int) int {
	for {
		t := p.tok(i)
		if (t.kind == 'w' && senses()[t.text].is&isLink != 0 && senses()[t.text].is&isHour == 0) || t.kind == '.' || t.kind == ',' || (t.kind == '-' && !t.gap && !p.tok(i+1).gap) {
			i++
			continue
		}
		return i
	}
}

func (p *parser) yearAfter(i int) (y int, two bool, n int) {
	j := i
	for {
		t := p.tok(j)
		if t.kind == ',' || t.kind == '.' || (t.kind == '-' && !t.gap && !p.tok(j+1).gap) || t.text == "de" || t.text == "del" || t.text == "do" {
			j++
			continue
		}
		break
	}
	apostrophe := p.tok(j).kind == '\''
	if apostrophe {
		j++
	}
	t := p.tok(j)
	y, two, ok := year(t)
	if !ok || (p.tok(j+1).kind == ':' && two) || (two && p.startsClock(j)) {
		return -1, false, i
	}
	return y, two, j + 1
}

func (p *parser) dayAndMonth() bool {
	if !isNumber(p.tok(0), 1, 31) {
		return false
	}
	i := p.links(p.ordinalEnd(1))
	m := p.sense(i).month
	if m == 0 {
		return false
	}
	y, two, n := p.yearAfter(i + 1)
	return p.setDate(date{form: named, a: m, b: p.tok(0).num, year: y, twoDigit: two}, n)
}

func (p *parser) dayRange() bool {
	if !isNumber(p.tok(0), 0, 31) || p.side == 1 {
		return false
	}
	i := p.ordinalEnd(1)
	for p.tok(i).kind == '.' {
		i++
	}
	if p.tok(i).kind != '-' && p.sense(i).is&isRange == 0 {
		return false
	}
	next := i + 1
	for p.sense(next).weekdays != 0 && p.tok(next).kind == 'w' || p.tok(next).kind == ',' {
		next++
	}
	if p.tok(next).kind != 'n' {
		return false
	}
	after := p.ordinalEnd(next + 1)
	after = p.links(after)
	if p.sense(after).month > 0 || ((p.tok(next+1).kind == '.' || p.tok(next+1).kind == '/') && p.tok(next+2).kind == 'n' && len(p.tok(next+2).text) <= 2 && (p.tok(next+3).kind == p.tok(next+1).kind)) {
		d := date{form: dayOnly, b: p.tok(0).num, year: -1}
		return p.tok(0).num >= 1 && p.setDate(d, i)
	}
	return false
}

func (p *parser) otherDate() bool {
	if p.half().date.form != noDate {
		return true
	}
	for i := 1; p.at+i < len(p.tokens); i++ {
		if s := p.sense(i); s.month > 0 && s.weekdays == 0 {
			return true
		}
		k := p.tok(i + 1).kind
		if p.tok(i).kind == 'n' && (k == '/' || k == '-' || k == '.') && p.tok(i+2).kind == 'n' && (p.tok(i+3).kind == k || k == '/') {
			return true
		}
	}
	return false
}

func (p *parser) monthFirst(month int) bool {
	i := 1
	for p.tok(i).kind == '.' || (p.tok(i).kind == '-' && !p.tok(i).gap) || p.tok(i).text == "the" {
		i++
	}
	if !isNumber(p.tok(i), 1, 31) || len(p.tok(i).text) > 2 {
		return false
	}
	first := p.tok(i).num
	i = p.ordinalEnd(i + 1)
	if (p.tok(i).kind == '-' || p.sense(i).is&isRange != 0) && isNumber(p.tok(i+1), 1, 31) && len(p.tok(i+1).text) <= 2 && !p.startsClock(i+1) && p.side == 0 {
		j := p.ordinalEnd(i + 2)
		y, two, n := p.yearAfter(j)
		d := date{form: named, a: month, year: y, twoDigit: two}
		d.b = p.tok(i + 1).num
		second := d
		d.b = first
		if !p.setDate(d, 0) || !p.turn(n) && p.at < len(p.tokens) {
			return false
		}
		return p.setDate(second, 0)
	}
	y, two, n := p.yearAfter(i)
	return p.setDate(date{form: named, a: month, b: first, year: y, twoDigit: two}, n)
}

func (p *parser) inDays() bool {
	n := p.tok(1).num
	if p.tok(1).kind == 'w' {
		n = p.sense(1).count
	}
	is := p.sense(2).is
	if n == 0 || n > 1000 || is&(isDay|isWeek) == 0 {
		return false
	}
	if is&isWeek != 0 {
		n *= 7
	}
	return p.setDate(date{form: relative, days: n}, 3)
}
