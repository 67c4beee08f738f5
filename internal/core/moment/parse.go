package moment

import "strings"

// form tells how a date was written.
type form uint8

const (
	noDate   form = iota
	fullDate      // year, month and day are certain
	threeNum      // three numbers whose order the column settles: a b year
	twoNum        // two numbers, the year is missing: a b
	named         // day and month name; the year may be missing
	dayOnly       // the first half of "21–25 Sep"
	relative      // days from the stated day
	weekdayRelative
)

// date is a date as written, before its order and year are settled.
type date struct {
	form     form
	year     int  // -1 when missing
	twoDigit bool // the year was written with two digits
	a, b     int  // month and day when certain, else in the order written
	dash     bool // written with hyphens: a two-digit year may stand first
	weekdays uint8
	words    dayset // by language what weekdays says
	days     int    // relative: days from the stated day
}

// noClock marks the absence of a time of day.
const noClock = -1

// half is one end of a range, or the whole of what is no range.
type half struct {
	date  date
	clock int  // seconds since midnight, 86400 for 24:00; noClock when absent
	hour  int  // a bare number that takes its meaning from the other half, else noClock
	half  bool // am, pm or noon was written
}

// shape is a text understood as far as it can be without its column.
type shape struct {
	halves [2]half
	ranged bool
	zone   string // zone name or offset written in the text
	nights bool   // "midnight" ends the range
	unsure string // what can be read as the end of a range or as an offset; not ok then
	why    string // not ok for this reason
	beside string // a zone's name in brackets behind an offset
	open   Open
	langs  Languages // that have all the names of months and weekdays
	ok     bool
}

// Role says what a column is expected to hold when a cell alone does not tell.
type Role uint8

// The roles. In AnyRole "8.15" alone is nothing, in ClockRole it is a quarter
// past eight, in DateRole the eighth of the month at most.
const (
	AnyRole Role = iota
	DateRole
	ClockRole
)

type parser struct {
	tokens []token
	at     int
	role   Role
	side   int
	iso    bool // a T stood between date and time
	colon  bool // the time was written with a colon
	second bool // and with seconds
	hyphen bool // the date was written as 2026-03-14
	zone   func(name string) bool
	out    shape
}

// parse understands a text. zone tells whether a name is a time zone's.
func parse(text string, role Role, zone func(string) bool) shape {
	if s, ok := fast(text, role); ok {
		return s
	}
	p := parser{tokens: scan(text), role: role, zone: zone}
	p.out.halves[0].clock, p.out.halves[1].clock = noClock, noClock
	p.out.halves[0].hour, p.out.halves[1].hour = noClock, noClock
	for p.at < len(p.tokens) {
		if !p.next() {
			return shape{unsure: p.out.unsure, why: p.out.why}
		}
	}
	p.finish()
	p.out.langs = languages(p.tokens)
	return p.out
}

// languages gives those that have all the names of months and weekdays among
// the tokens.
func languages(tokens []token) Languages {
	langs := allLanguages
	for _, t := range tokens {
		if t.kind != 'w' {
			continue
		}
		if s := senses()[t.text]; s.langs != 0 && s.is&isLink == 0 {
			langs &= s.langs
		}
	}
	return langs
}

func (p *parser) tok(i int) token {
	if p.at+i < 0 || p.at+i >= len(p.tokens) {
		return token{}
	}
	return p.tokens[p.at+i]
}

func (p *parser) sense(i int) sense {
	t := p.tok(i)
	if t.kind != 'w' {
		return sense{}
	}
	return senses()[t.text]
}

func (p *parser) half() *half { return &p.out.halves[p.side] }

func (p *parser) started() bool {
	h := p.out.halves[0]
	return h.date.form != noDate || h.clock != noClock || h.hour != noClock
}

func (p *parser) next() bool {
	t := p.tok(0)
	switch t.kind {
	case 'n':
		first := p.out.halves[0]
		ending := p.side == 1 && first.date.form != noDate && first.clock != noClock && p.tok(1).kind == '.' && p.tok(3).kind != '.' // 5.3.26 14.30-16.00
		if p.role == ClockRole || ending {
			return p.clock() || p.date()
		}
		return p.date() || p.clock() || p.bareHour()
	case 'w':
		return p.word()
	case '-':
		return p.minus()
	case '/': // 2026-03-05/2026-03-07 is an interval (ISO 8601), anything else two dates
		if (p.hyphen || p.iso) && !t.gap && !p.tok(1).gap {
			return p.turn(1)
		}
		return p.several()
	case ';', '&':
		if p.started() {
			return p.several()
		}
		p.at++
		return true
	case '+':
		return p.offset()
	case ',', '(', ')', '.', '[', ']', '@':
		p.at++
		return true
	}
	return false
}

// minus reads a "-", which begins the end of a range or an offset. Behind a
// date and a time, where a space or the seconds tell which, that is it; where
// nothing does, the text is left to a person.
func (p *parser) minus() bool {
	sign, h := p.tok(0), p.tok(1)
	if p.half().clock == noClock || h.kind != 'n' || h.gap || (sign.text != "-" && sign.text != "−") {
		return p.turn(1)
	}
	if p.side == 1 {
		return p.offset()
	}
	hours, minutes, short := h.num, 0, len(h.text) <= 2
	switch {
	case len(h.text) == 4:
		hours, minutes = h.num/100, h.num%100
	case short && p.tok(2).kind == ':' && p.tok(3).kind == 'n' && p.tok(4).kind != ':':
		minutes = p.tok(3).num
	case !short || p.tok(2).kind == ':' || p.tok(2).kind == '.':
		return p.turn(1)
	}
	real := hours > 0 && hours <= 12 && minutes == 0 || hours < 10 && minutes == 30
	quarter := minutes%15 == 0 && hours*60+minutes <= 14*60 // can be an offset, though nowhere in force
	dated := p.half().date.form != noDate
	switch back := (hours*60+minutes)*60 < p.half().clock; {
	case quarter && p.second && len(h.text) == 4:
		return p.offset()
	case !(quarter && p.second) && (!real && (hours != 0 || minutes != 0) || !dated):
		return p.turn(1)
	case p.iso && short && p.tok(2).kind != ':' && back && real: // 2026-03-14T09:00-08
		return p.offset()
	case dated && p.second && (real || hours == 0 && minutes == 0), p.colon && sign.gap && len(h.text) == 4:
		return p.offset()
	case p.second, sign.gap && !short, sign.gap && minutes+hours > 0 && p.tok(2).kind == ':', p.hyphen && back && p.tok(2).kind == ':':
		p.out.unsure = sign.text + h.text
		if p.tok(2).kind == ':' {
			p.out.unsure += ":" + p.tok(3).text
		}
		return false
	}
	return p.turn(1)
}

// several refuses a text that has more than one date or time without making a
// range of them.
func (p *parser) several() bool {
	p.out.why = "holds several dates or times"
	return false
}

// turn begins the second half of a range, n tokens on.
func (p *parser) turn(n int) bool {
	if p.side == 1 || !p.started() {
		return false
	}
	p.side, p.out.ranged = 1, true
	p.at += n
	return p.at < len(p.tokens)
}

// setDate stores a date of n tokens.
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

func (p *parser) setClock(seconds, n int) bool {
	h := p.half()
	if h.clock != noClock {
		return false
	}
	h.clock = seconds
	p.at += n
	if is := p.sense(0).is; is&isLink != 0 && is&isHour != 0 && is&isRange == 0 || p.tok(0).text == "hours" { // 14:30 Uhr, 14:30 h, 1430 hours
		p.at++
	}
	return true
}

func isNumber(t token, low, high int) bool {
	return t.kind == 'n' && t.num >= low && t.num <= high && len(t.text) <= 4
}

func tight(ts ...token) bool {
	for _, t := range ts {
		if t.gap {
			return false
		}
	}
	return true
}

// year reads a year token: four digits, or two.
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

// date reads a date that begins with a number.
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

// compact reads 20260314, or 14032026 where that is the only reading.
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

// yearFirst reads 2026-03-14, 2026 March 14, 2026-W10-4 and 2026-064.
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

// ordinalEnd skips 1st, 2nd, 1er, 1º after a day number and gives the offset
// of the token behind it.
func (p *parser) ordinalEnd(i int) int {
	if t := p.tok(i); t.kind == 'w' && !t.gap {
		switch t.text {
		case "st", "nd", "rd", "th", "er", "º", "ste", "de", "e":
			return i + 1
		}
	}
	return i
}

// links skips "of", "de", dots and hyphens between the parts of a date.
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

// yearAfter reads a year that may follow the parts of a named date.
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

// startsClock tells whether the number at i is the hour of a time.
func (p *parser) startsClock(i int) bool {
	next := p.tok(i + 1)
	if next.kind == ':' || (next.kind == '.' && p.tok(i+2).kind == 'n' && !p.tok(i+2).gap) {
		return true
	}
	is := p.sense(i + 1).is
	return is&(isAM|isPM|isHour) != 0
}

// dayAndMonth reads 14 March 2026, 14.März 26, 14-Mar-2026, 1er mars.
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

// dayRange reads the first number of 21–25 Sep, 21. to 25.9.2026, 9-11 am.
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

func (p *parser) word() bool {
	t, s := p.tok(0), p.sense(0)
	if s.month > 0 && (s.weekdays == 0 || !p.otherDate()) && p.monthFirst(s.month) {
		return true
	}
	if s.weekdays != 0 && !(s.is&isLink != 0 && p.half().date.form != noDate) {
		p.half().date.weekdays |= s.weekdays
		p.half().date.words |= s.days
		p.at++
		if p.half().date.form == noDate && p.tok(-2).kind == 'w' && senses()[p.tok(-2).text].is&(isNext|isThis) != 0 {
			p.half().date.form = weekdayRelative
		}
		return true
	}
	switch {
	case s.is&(isNoon|isMidnight) != 0:
		seconds := 12 * 3600
		if s.is&isMidnight != 0 {
			seconds = 0
			if p.side == 1 {
				seconds, p.out.nights = 86400, true
			}
		}
		p.half().half = true
		return p.setClock(seconds, 1)
	case s.is&(isToday|isTomorrow|isYesterday|isTonight) != 0 && p.half().date.form == noDate:
		days := 0
		if s.is&isTomorrow != 0 {
			days = 1
		}
		if s.is&isYesterday != 0 {
			days = -1
		}
		return p.setDate(date{form: relative, days: days}, 1)
	case s.is&(isNext|isThis) != 0 && p.sense(1).weekdays != 0:
		p.at++
		return true
	case s.is&isIn != 0 && p.inDays():
		return true
	case t.text == "t" && p.half().date.form != noDate && p.tok(1).kind == 'n':
		p.iso = true
		p.at++
		return true
	}
	return p.joining(t, s)
}

// joining reads a word that joins two parts, begins a range or ends one; else a
// zone.
func (p *parser) joining(t token, s sense) bool {
	switch {
	case !p.started() && p.codes():
		return false
	case s.is&isRange != 0 && p.side == 0 && p.started() && !p.linksHere(s):
		return p.turn(1)
	case t.text == "às" && p.side == 0 && p.half().clock != noClock: // das 10h às 12h
		return p.turn(1)
	case s.is&isAnd != 0 && p.started() && s.is&isLink == 0:
		return p.several()
	case s.is&isOpen != 0 && p.side == 0 && p.out.open == Closed:
		p.out.open = OpenEnd
		p.at++
		return p.at < len(p.tokens)
	case s.is&isRange != 0 && s.is&isLink == 0 && !p.started() && p.out.open == Closed && t.text != "à" && t.text != "a":
		p.out.open = OpenStart
		p.at++
		return p.at < len(p.tokens)
	case s.is&isLink != 0 || s.is&isRange != 0 && p.side == 0:
		p.at++
		return p.at < len(p.tokens) || s.is&isHour != 0
	}
	return p.zoneName()
}

// codes tells whether a word and the number that it stands at without a space are more likely
// a code than words: A408, AB1/26, and not à7h30.
func (p *parser) codes() bool {
	next := p.tok(1)
	return next.kind == 'n' && !next.gap && p.tok(2).kind != ':' && p.sense(2).is&(isHour|isAM|isPM) == 0
}

// linksHere tells whether a word that can be "to" or "at" is "at": 5 marzo a
// las 9, 5 mars à 9h.
func (p *parser) linksHere(s sense) bool {
	if s.is&isLink == 0 && p.tok(0).text != "à" && p.tok(0).text != "a" {
		return false
	}
	h := p.half()
	return (p.sense(1).is&isLink != 0 && p.tok(1).kind == 'w') || (h.date.form != noDate && h.clock == noClock && p.tok(1).kind == 'n' && p.startsClock(1))
}

// otherDate tells whether the text holds a date besides the current word, so
// that "mar" is a Tuesday and not a month.
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

// monthFirst reads March 14, 2026 and Sep 21–25.
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

// inDays reads "in two weeks", "in 3 days".
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

// zoneName reads a zone behind a time: UTC, Z, CET, Europe/Lisbon.
func (p *parser) zoneName() bool {
	if z := p.out.zone; z != "" && strings.ContainsAny(z[:1], "+-−") && p.tok(-1).kind == '(' && p.tok(1).kind == ')' {
		p.out.beside = p.tok(0).text // 09:00 +0100 (CET), as e-mails have it
		p.at++
		return true
	}
	if p.half().clock == noClock && p.out.halves[0].clock == noClock {
		return false
	}
	if p.out.zone != "" { // once more at the end of a range
		p.at++
		return p.side == 1 && p.half().clock != noClock && p.tok(-1).text == p.out.zone && p.at == len(p.tokens)
	}
	if p.local() {
		return true
	}
	name, n := p.tok(0).text, 1
	for (p.tok(n).kind == '/' || p.tok(n).kind == '_') && p.tok(n+1).kind == 'w' || (p.tok(n).kind == '-' && !p.tok(n).gap && p.tok(n+1).kind == 'w') {
		name += p.tok(n).text + p.tok(n+1).text
		n += 2
	}
	if !p.zone(name) {
		return false
	}
	p.out.zone = name
	p.at += n
	if sign, h := p.tok(0), p.tok(1); (sign.text == "-" || sign.text == "−") && !sign.gap && !h.gap && h.kind == 'n' && (name == "utc" || name == "gmt") {
		return p.offset() // UTC-03:00
	}
	return true
}

// Local is the ZoneText of a time that is said to be local: 14:00 LT.
const Local = "local"

// local reads what says that a time is local.
func (p *parser) local() bool {
	t := p.tok(0)
	switch {
	case t.text == "l" && !t.gap && len(p.tok(-1).text) == 4, t.text == "lt", t.text == "ortszeit":
		p.at++
	case t.text == Local && (p.tok(1).text == "time" || p.tok(1).text == "hours"):
		p.at += 2
	case t.text == Local:
		p.at++
	default:
		return false
	}
	p.out.zone = Local
	return true
}

// finish settles what one half takes from the other.
func (p *parser) finish() {
	s := &p.out
	a, b := &s.halves[0], &s.halves[1]
	if d := &b.date; a.date.form == dayOnly && d.form == threeNum { // 7.-9.3.2026: the day stands first
		if d.b < 1 || d.b > 12 {
			return
		}
		d.form, d.a, d.b = named, d.b, d.a
	}
	switch {
	case b.hour != noClock: // 9.30-11, 9am-12, noon-2
		if b.clock = b.hour * 3600; a.half && b.clock <= a.clock && b.hour < 12 {
			b.clock += 12 * 3600
		}
		if b.clock <= a.clock || b.clock > 86400 {
			return
		}
	case a.hour == noClock:
		if later := a.clock + 12*3600; b.half && !a.half && b.clock >= 12*3600 && b.clock < 86400 && b.date.form == noDate && a.clock >= 3600 && later < b.clock {
			a.clock, a.half = later, true // 9:30 - 10:30 pm
		}
	case b.clock == noClock:
		return
	case !b.half: // 10-12.30
		if a.clock = a.hour * 3600; a.clock >= b.clock {
			return
		}
	default:
		a.clock = (a.hour % 12) * 3600
		if b.clock >= 12*3600 {
			a.clock += 12 * 3600
		}
		if a.clock >= b.clock {
			return
		}
	}
	if a.date.form == dayOnly && b.date.form != named && b.date.form != threeNum && b.date.form != twoNum {
		return
	}
	if s.ranged && b.date.form == noDate && b.clock == noClock {
		return
	}
	if s.ranged {
		if s.open == OpenStart {
			return
		}
		s.open = Closed
	}
	s.ok = a.date.form != noDate || a.clock != noClock
}
