package notice

import (
	"strings"
	"sync"
	"time"

	"almanach/internal/core/moment"
)

// day is one day as a text names it, before its year and order are settled.
type day struct {
	year       int // 0 where it is not written
	month, day int
	weekday    int // 0 Sunday … 6; -1 where none is written
	weekdays   uint8
	days       int       // for relative days: from the stated day
	relative   bool      // tomorrow, Friday, in two weeks
	twoWays    bool      // 05/03: day and month can be swapped
	doubt      string    // why it cannot be settled
	next       bool      // "next Friday"
	after      int       // weeks to be added to a relative weekday
	nth        int       // which of the weekdays of its month; -1 the last, 0 none
	ahead      int       // months from the present one, where nth counts in one that is not named
	near       bool      // "this Friday"
	week       time.Time // the first day of the week that it is of, where the text says it apart; zero for none
	unsure     string    // why it need not be the day that it seems to be; "" for nothing
	also       uint8     // weekdays that it is said to be, where it counts from today: tomorrow, Tuesday
}

// dates are the days that a span of text names: one, several, or the first and
// the last of a range.
type dates struct {
	days   []day
	until  *day // the last day of a range that begins with the only one of days
	open   bool // "from 3 May": its end is not said
	ends   bool // "until 31 May": its beginning is not said
	window bool // "between 16 and 20 March": some day of them
	least  bool // "not before 16 March": it can be later
	due    bool // "5 March, no later than 9:00": its time is only a deadline
	every  bool // "every Tuesday"
	plural bool // "Tuesdays"
	or     bool // "Tuesday or Wednesday"
}

// reader looks at the tokens of a text.
type reader struct {
	text string
	toks []token
	lead bool     // a number of four figures at the beginning is a time
	last bool     // and one at the end, behind words
	due  [][2]int // the days that are deadlines, by their tokens

	timeGone bool // a time was that of a day that is not to be

	week *frame // that its days may be of; nil for none
}

func (r *reader) tok(i int) token {
	if i < 0 || i >= len(r.toks) {
		return token{}
	}
	return r.toks[i]
}

// word tells whether token i is a word of a list.
func (r *reader) word(i int, set *wordList) bool {
	t := r.tok(i)
	return t.kind == 'w' && set.has(t.text)
}

func (r *reader) is(i int, kind byte) bool { return r.tok(i).kind == kind }

// month gives the month that token i names. What may be something else ("may",
// "mar") must be written as a name.
func (r *reader) month(i int) int {
	t := r.tok(i)
	if t.kind != 'w' || len(t.text) < 3 || t.text == "mar" && !r.is(i+1, 'n') && !r.is(i-1, 'n') && !(r.signed(i-1) && r.is(i-2, 'n') && (!t.gap || r.is(i-1, '.'))) && !(r.word(i-1, dayLinks) && r.is(i-2, 'n')) && !(r.is(i+1, '-') && r.is(i+2, 'n') && !r.tok(i+1).gap) {
		return 0
	}
	if (t.text == "out" || t.text == "set" || t.text == "ago") && (!r.is(i-1, 'n') && !(r.tok(i-1).text == "de" && r.is(i-2, 'n')) || r.is(i+1, 'w')) { // words of English too
		return 0
	}
	return monthOf(t.text)
}

// and tells whether token i joins two days; the u of 9u15 does not.
func (r *reader) and(i int) bool {
	return r.word(i, andWords) && (r.tok(i).text != "u" || r.tok(i).gap)
}

// signed tells whether token i is a sign that stands between the parts of a date.
func (r *reader) signed(i int) bool { return r.is(i, '-') || r.is(i, '.') || r.is(i, '/') }

// months and weekdays remember what words were found to be: a text has few that are
// different.
var months, weekdays sync.Map

const longestName = 16 // letters of a month or a weekday

func monthOf(word string) int {
	if len(word) > longestName {
		return 0
	}
	if m, ok := months.Load(word); ok {
		return m.(int)
	}
	year, m := moment.Month(word)
	if year != 0 {
		m = 0
	}
	months.Store(strings.Clone(word), m)
	return m
}

func weekdaysOf(word string) uint8 {
	if len(word) > longestName {
		return 0
	}
	if d, ok := weekdays.Load(word); ok {
		return d.(uint8)
	}
	d, _ := moment.Weekdays(word, 0)
	weekdays.Store(strings.Clone(word), d)
	return d
}

// dayish tells whether a number of a day follows.
func (r *reader) dayish(i int) bool {
	for r.is(i, '.') || r.is(i, ',') || r.word(i, dayLinks) {
		i++
	}
	if r.is(i, 'n') {
		s, u := r.tok(i+1), r.tok(i+2)
		time := s.kind == ':' && u.kind == 'n' && !u.gap || r.half(i+1) || s.text == "h" || s.kind == '.' && u.kind == 'n' && !u.gap && len(u.text) == 2 && (u.num > 12 || u.num%15 == 0) && !r.is(i+3, '.')
		return r.tok(i).num <= 31 && len(r.tok(i).text) <= 2 && !time || len(r.tok(i).text) == 4 && s.kind == '-' && u.kind == 'n' && r.is(i+3, '-')
	}
	return r.month(i) > 0 && r.is(i+1, 'n')
}

// year reads a year at token i, and gives how many tokens it takes.
func (r *reader) year(i int) (y, n int) {
	at := i
	if r.is(at, ',') || r.is(at, '.') && r.is(at+1, 'n') && r.tok(at+1).gap || r.tok(at).text == "de" || r.tok(at).text == "del" || r.tok(at).text == "do" {
		at++
	}
	t := r.tok(at)
	if t.kind == 'n' && len(t.text) == 4 && t.num >= 1900 && t.num < 2200 && !(r.is(at+1, ':') && r.is(at+2, 'n') && !r.tok(at+2).gap) && (t.gap || at > i || r.is(at-1, '/') || r.is(at-1, '.') || r.is(at-1, '-') || r.is(at-1, 'w') && monthOf(r.tok(at-1).text) > 0) {
		if t.num < 1960 { // 8 March 1900: a time, or no year of anything here
			return 0, 0
		}
		if r.hour(at) && !(r.word(at+1, list("ore hora horas h")) && r.is(at+2, 'n')) { // 5 March 2015 hrs is rare, 5 March, 2000 h too; not 13 dicembre 2026 ore 17.30
			return 0, 0
		}
		return t.num, at - i + 1
	}
	if r.is(i, '\'') && len(r.tok(i+1).text) == 2 && r.is(i+1, 'n') {
		return 2000 + r.tok(i+1).num, 2
	}
	return 0, 0
}

// shortYear gives the year of two figures that token i is, behind the name of a month;
// 0 for none. It is no hour, and nothing that it counts follows.
func (r *reader) shortYear(i int) int {
	t, next := r.tok(i), r.tok(i+1)
	switch {
	case t.kind != 'n' || len(t.text) != 2 || t.num < 25 || t.num > 45 || t.ordinal:
	case (next.kind == ':' || next.kind == '.') && r.is(i+2, 'n') && !r.tok(i+2).gap, r.hour(i), r.half(i + 1), r.month(i+1) > 0:
	case !t.gap, i+1 >= len(r.toks), next.kind == '.' && i+2 >= len(r.toks), next.kind == ',', next.kind == ')', next.kind == ';', next.kind == '|',
		next.kind == 'n' && (len(next.text) == 4 || r.is(i+2, ':') || r.is(i+2, '.')), next.kind == '@', r.word(i+1, atWords), r.word(i+1, fromWords):
		return 2000 + t.num
	}
	return 0
}

// hour tells whether a word for an hour follows token i.
func (r *reader) hour(i int) bool { return r.word(i+1, hourWords) }

// link skips the words that stand between the parts of a date.
func (r *reader) link(i int) int {
	for r.word(i, dayLinks) {
		i++
	}
	return i
}

// one reads one day at token i, and gives the token behind it; 0 for none.
func (r *reader) one(i int) (day, int) {
	d := day{weekday: -1}
	at := i
	if r.is(at, '(') {
		at++
	}
	if of, end := r.ofMonth(r.link(at)); end > 0 {
		return of, end
	}
	if days := r.weekday(at); days != 0 {
		d.weekdays = days
		at++
		if r.is(at, '-') && r.tok(at+1).text == "feira" {
			at += 2
		}
		skip := at
		for r.is(skip, '.') || r.is(skip, ',') || r.word(skip, dayLinks) {
			skip++
		}
		if rest, end := r.numeric(skip); end > 0 {
			rest.weekdays = days
			return rest, end
		}
		return r.weekdayAlone(i, d, at)
	}
	if (r.tok(i-1).text == "the" || i == 0) && r.tok(i).ordinal && r.tok(i).num <= 31 && r.dayAlone(i+1) { // on the 12th
		return day{weekday: -1, day: r.tok(i).num}, i + 1
	}
	if rest, end := r.numeric(r.link(at)); end > 0 && (r.link(at) == at || r.is(r.link(at), 'n') || r.month(r.link(at)) > 0) {
		end2 := end
		if r.is(end2, '(') || r.is(end2, ',') {
			if days := r.weekday(end2 + 1); days != 0 && (r.is(end2, ',') || r.is(end2+2, ')')) && !r.dayish(end2+2) {
				rest.weekdays = days
				end = end2 + 2
				if r.is(end, '-') && r.tok(end+1).text == "feira" { // 17 de abril, sexta-feira
					end += 2
				}
				if r.is(end2, '(') {
					end++
				}
			}
		}
		return rest, end
	}
	return r.fromToday(i)
}

// dayAlone tells whether a day of the month can end at token i: no noun is counted.
func (r *reader) dayAlone(i int) bool {
	t := r.tok(i)
	return t.kind == 0 || t.kind != 'w' && t.kind != 'n' && t.kind != 'x' && t.kind != '-' || r.word(i, atWords) || r.word(i, list("from between to until till in instead around about after before and or we i is works please for does doesn't do would suits fits isn't was"))
}

// leadsToDay tells whether the words in front of a token say that a day follows, in German:
// am 12. 3., Do, 12. 3.
func (r *reader) leadsToDay(i int) bool {
	return r.word(i-1, list("am den dem vom bis zum ab seit")) || r.weekday(i-1) != 0 || (r.is(i-1, ',') || r.is(i-1, '.')) && r.weekday(i-2) != 0
}

// numeric reads a date of a number and the name of a month, or of numbers.
func (r *reader) numeric(i int) (day, int) {
	d := day{weekday: -1}
	t := r.tok(i)
	if m := r.month(i); m > 0 { // March 5th, 2026
		n := i + 1
		if r.is(n, '.') || r.is(n, '-') && !r.tok(n).gap && r.is(n+1, 'n') && !r.tok(n+1).gap && r.is(n+2, '-') { // Mar-16-2026
			n++
		}
		if r.word(n, dayLinks) && r.is(n+1, 'n') {
			n++
		}
		u := r.tok(n)
		if u.kind == 'n' && u.num >= 1 && u.num <= 31 && len(u.text) <= 2 && !(r.is(n+1, ':') && r.is(n+2, 'n') && !r.tok(n+2).gap) && r.month(n+1) == 0 && !(r.word(n+1, list("of de del di do da d van")) && r.month(n+2) > 0) && !(r.is(n+1, '.') && r.is(n+2, 'n') && !r.tok(n+2).gap) && !r.half(n+1) { // and not mar 13 de diciembre
			d.month, d.day = m, u.num
			if r.is(n-1, '-') && r.is(n+1, '-') && !r.tok(n+1).gap && r.is(n+2, 'n') {
				n++
			}
			y, more := r.year(n + 1)
			d.year = y
			return d, n + 1 + more
		}
		return d, 0
	}
	if r.word(i, firstDay) { // le premier avril, el primero de abril
		n := i + 1
		if r.word(n, dayLinks) {
			n++
		}
		if m := r.month(n); m > 0 {
			y, more := r.year(n + 1)
			return day{year: y, month: m, day: 1, weekday: -1}, n + 1 + more
		}
	}
	if t.kind != 'n' {
		return d, 0
	}
	if len(t.text) == 4 && t.num >= 1900 && t.num < 2200 { // 2026-03-05, 2026/03/05, 2026.03.05
		s, m, s2, e := r.tok(i+1), r.tok(i+2), r.tok(i+3), r.tok(i+4)
		if s.kind == s2.kind && (s.kind == '-' || s.kind == '/' || s.kind == '.') && m.kind == 'n' && e.kind == 'n' && m.num >= 1 && m.num <= 12 && e.num >= 1 && e.num <= 31 && !m.gap && !e.gap {
			return day{year: t.num, month: m.num, day: e.num, weekday: -1}, i + 5
		}
		return d, 0
	}
	if len(t.text) > 2 || t.num < 1 || t.num > 31 {
		return d, 0
	}
	s, u, s2, v := r.tok(i+1), r.tok(i+2), r.tok(i+3), r.tok(i+4)
	if (s.kind == '.' || s.kind == '/' || s.kind == '-') && u.kind == 'n' && len(u.text) <= 2 && !s.gap && (!u.gap || s.kind == '.') {
		switch {
		case s2.kind == s.kind && v.kind == 'n' && (len(v.text) == 4 && v.num >= 1900 && v.num < 2200 || len(v.text) == 2) && (!v.gap || s.kind == '.') && !(len(v.text) == 2 && v.gap):
			y := v.num
			if len(v.text) == 2 {
				y += 2000
			}
			return order(t.num, u.num, y, s.kind), i + 5
		case s.kind == '.' && s2.kind == '.' && !s2.gap && u.num <= 12 && u.num >= 1 && (!u.gap || r.leadsToDay(i)) && (v.kind != 'n' || v.gap): // 5.3.
			return day{month: u.num, day: t.num, weekday: -1}, i + 4
		case s.kind == '.' && u.num >= 1 && u.num <= 12 && !u.gap && (v.kind != 'n' || s2.kind != '.') && r.pointed(i): // 5.3
			return day{month: u.num, day: t.num, weekday: -1}, i + 3
		case s.kind == '/' && t.num == 24 && u.num == 7 && s2.kind != '/' && !r.word(i-1, fromWords) && !r.word(i-1, dayLinks) && r.weekday(i-1) == 0: // day and night
			return d, 0
		case s.kind == '/' && u.num >= 1 && !u.gap && (t.num > 12 || u.num <= 12) && s2.kind != '/':
			return order(t.num, u.num, 0, s.kind), i + 3
		}
	}
	n := i + 1
	if r.is(n, '.') && (r.month(n+1) > 0) || (r.is(n, '-') || r.is(n, '/')) && r.month(n+1) > 0 && !r.tok(n).gap && !r.tok(n+1).gap {
		n++
	}
	if n == i+1 && r.word(n, list("of de del di do da d van")) && r.month(n+1) > 0 { // and not berth 6 on March 7
		n++
	}
	if m := r.month(n); m > 0 {
		d.month, d.day = m, t.num
		n++
		if r.is(n, '.') && !r.tok(n).gap && len(r.tok(n-1).text) <= 4 {
			n++
		}
		if (r.is(n, '-') || r.is(n, '/')) && !r.tok(n).gap && r.is(n+1, 'n') && !r.tok(n+1).gap && (len(r.tok(n+1).text) == 4 || r.shortYear(n+1) > 0) {
			n++
		}
		y, more := r.year(n)
		if more == 0 && r.shortYear(n) > 0 {
			y, more = r.shortYear(n), 1
		}
		if more == 0 && r.is(n-1, '-') {
			y, more = r.tok(n).num, 1
		}
		d.year = y
		return d, n + more
	}
	return d, 0
}

// pointed tells whether a number with a full stop inside and none behind it, 14.3, is a day: one
// that can be no time, and that stands beside another day or behind a word for one.
func (r *reader) pointed(i int) bool {
	form := func(n int) bool {
		return r.is(n, 'n') && r.is(n+1, '.') && r.is(n+2, 'n') && !r.tok(n+1).gap && !r.tok(n+2).gap && len(r.tok(n).text) <= 2 && len(r.tok(n+2).text) == 1 && r.tok(n).num >= 1 && r.tok(n).num <= 31 && r.tok(n+2).num > 0
	}
	if r.inFull(i) {
		return true
	}
	if !form(i) || r.hour(i+2) || lengthWords.number(r.tok(i+3).text) > 0 {
		return false
	}
	joined := func(n int) bool {
		return r.is(n, '-') || r.word(n, rangeWords) || r.and(n) || r.is(n, '&') || r.word(n, orWords)
	}
	behind := i + 3
	if r.is(behind, '.') && !r.tok(behind).gap {
		behind++
	}
	return joined(behind) && form(behind+1) || joined(i-1) && (form(i-4) || form(i-5) && r.is(i-2, '.')) || r.word(i-1, list("am vom ab bis zum on from until le du au il dal al op")) || weekdaysOf(r.tok(i-1).text) != 0
}

// inFull tells whether days with a full stop inside follow each other up to one in full: 12.03,
// 09.04 and 14.05.2026.
func (r *reader) inFull(i int) bool {
	for {
		if !r.is(i, 'n') || !r.is(i+1, '.') || r.tok(i+1).gap || !r.is(i+2, 'n') || r.tok(i+2).gap || len(r.tok(i).text) > 2 || len(r.tok(i+2).text) > 2 || r.tok(i).num < 1 || r.tok(i).num > 31 || r.tok(i+2).num < 1 || r.tok(i+2).num > 12 {
			return false
		}
		if i += 3; r.is(i, '.') && r.is(i+1, 'n') && !r.tok(i+1).gap && yearly(r.tok(i+1)) {
			return true
		}
		if r.is(i, '.') && !r.tok(i).gap {
			i++
		}
		if !r.is(i, ',') && !r.and(i) && !r.is(i, '&') && !r.is(i, '+') && !r.is(i, ';') {
			return false
		}
		i++
	}
}

// half tells whether what follows a number makes it an hour.
func (r *reader) half(i int) bool {
	t := r.tok(i)
	return t.kind == 'w' && (t.text == "am" || t.text == "pm" || hourWords.has(t.text) || t.text == "a" && r.is(i+1, '.') || t.text == "p" && r.is(i+1, '.'))
}

// firstDay are words for the first day of a month.
var firstDay = words("first ersten erste erster premier primero primo primeiro eerste")

// order gives a date of three or two numbers. Full stops are written with the
// day first wherever they are.
func order(a, b, year int, sign byte) day {
	d := day{year: year, month: b, day: a, weekday: -1}
	switch {
	case b > 12 && a <= 12:
		d.month, d.day = a, b
	case a <= 12 && a != b && sign != '.':
		d.twoWays = true
	}
	if d.month > 12 || d.month < 1 || d.day < 1 || d.day > 31 {
		d.doubt = "is no day of the calendar"
	}
	return d
}

// numberOf gives the number that a token says, in figures or in a word; -1 for
// none.
func numberOf(t token) int {
	switch t.kind {
	case 'n':
		return t.num
	case 'w':
		if n := numberWords.number(t.text); n > 0 {
			return n
		}
		if t.text == "a" || t.text == "an" || t.text == "un" || t.text == "einer" || t.text == "einem" || t.text == "eine" {
			return 1
		}
	}
	return -1
}
