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
	halves   [2]half
	ranged   bool
	zone     string // zone name or offset written in the text
	nights   bool   // "midnight" ends the range
	midnight bool   // it is the time, or that of the start of the range
	unsure   string // what can be read as the end of a range or as an offset; not ok then
	why      string // not ok for this reason
	beside   string // a zone's name in brackets behind an offset
	open     Open
	langs    Languages // that have all the names of months and weekdays
	allDay   bool      // the text says so behind its day
	ok       bool
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
	day, allDay := beforeWholeDay(text)
	p := parser{tokens: scan(day), role: role, zone: zone}
	p.out.halves[0].clock, p.out.halves[1].clock = noClock, noClock
	p.out.halves[0].hour, p.out.halves[1].hour = noClock, noClock
	for p.at < len(p.tokens) {
		if !p.next() {
			return shape{unsure: p.out.unsure, why: p.out.why}
		}
	}
	p.finish()
	p.out.allDay = allDay
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

func tight(ts ...token) bool {
	for _, t := range ts {
		if t.gap {
			return false
		}
	}
	return true
}

// year reads a year token: four digits, or two.
// date reads a date that begins with a number.
// compact reads 20260314, or 14032026 where that is the only reading.
// yearFirst reads 2026-03-14, 2026 March 14, 2026-W10-4 and 2026-064.
// ordinalEnd skips 1st, 2nd, 1er, 1º after a day number and gives the offset
// of the token behind it.
// links skips "of", "de", dots and hyphens between the parts of a date.
// yearAfter reads a year that may follow the parts of a named date.
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
// dayRange reads the first number of 21–25 Sep, 21. to 25.9.2026, 9-11 am.
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
			seconds, p.out.midnight = 0, p.side == 0
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
// monthFirst reads March 14, 2026 and Sep 21–25.
// inDays reads "in two weeks", "in 3 days".
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
