package notice

import (
	"math/bits"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

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

// weekday gives the days of the week that token i can be.
func (r *reader) weekday(i int) uint8 {
	t := r.tok(i)
	if t.kind != 'w' || len(t.text) < 3 && !r.short(i) {
		return 0
	}
	text := t.text
	if own, ok := strings.CutSuffix(text, "'s"); ok && (cancels(r.text) || phraseIn(r.text, movedWords) != "") { // Thursday's meeting is cancelled
		text = own
	}
	if text == "mar" && (r.is(i+1, 'n') && r.month(i+2) == 0 || r.is(i-1, '-') && r.is(i-2, 'n') && !t.gap) { // Mar 12, 2026; 9-MAR, 10 March
		return 0
	}
	if (text == "sat" || text == "sun") && (unicode.IsUpper(rune(r.text[t.from])) || r.jotted() && !r.word(i-1, list("i we you he she it they who that all everybody crew boat ship vessel the a our"))) && (r.word(i-1, list("on this next until till every each by from to through first second third fourth fifth last coming and or")) || r.is(i-1, '-') || r.is(i-1, ',') || r.named(i)) {
		return weekdaysOf(text)
	}
	if text == "sex" || text == "sun" && !r.dayish(i+1) || text == "sat" && !r.dayish(i+1) || text == "mar" || text == "set" || text == "ter" || text == "mer" && !r.dayish(i+1) {
		if !r.dayish(i + 1) {
			return 0
		}
	}
	days := weekdaysOf(text)
	if days == 0 && len(text) > 4 && text[len(text)-1] == 's' { // Mondays
		days = weekdaysOf(text[:len(text)-1])
	}
	if r.is(i+1, '-') && r.tok(i+2).text == "feira" {
		days = weekdaysOf(text + "-feira")
	}
	return days
}

// jotted tells whether a text is short and has no capital at all: dinner sat 7pm.
func (r *reader) jotted() bool {
	return len(r.text) < 60 && strings.IndexFunc(r.text, unicode.IsUpper) < 0
}

// named tells whether Sat or Sun, written as a name, is a day and not a verb or an
// inn: another day, a time or a part of the day follows, or the line ends.
func (r *reader) named(i int) bool {
	capital := func(i int) bool { return r.is(i, 'w') && (unicode.IsUpper(rune(r.text[r.tok(i).from])) || r.jotted()) }
	if r.tok(i).text == "sun" && (r.word(i-1, list("the a our")) || r.word(i-2, list("the a our")) && capital(i-1)) { // at the Rising Sun
		return false
	}
	for _, step := range []int{1, -1} { // Sat/Sun, Fri + Sat
		by, n := i+step, i+2*step
		if (r.signed(by) || r.is(by, '+') || r.is(by, '&') || r.word(by, andWords) || r.word(by, rangeWords)) && capital(n) && weekdaysOf(r.tok(n).text) != 0 {
			return true
		}
	}
	at := func(n int) bool {
		_, end := r.clock(n, false)
		return end > 0 || r.is(n, 'n') && len(r.tok(n).text) == 4 && r.tok(n).num < 2400
	}
	switch next := r.tok(i + 1); {
	case at(i + 1), partWords.has(next.text), next.text == "week", r.is(i-1, '(') && next.kind == ')', r.is(i-1, '[') && next.kind == ']':
		return true
	case i == 0:
		return next.kind == ':' || next.kind == '-' && next.gap
	case r.word(i+1, atWords) || r.word(i+1, fromWords):
		return at(i+2) || r.is(i+2, 'n') && r.tok(i+2).num <= 24
	default:
		return i == len(r.toks)-1 || next.kind == '.' && i == len(r.toks)-2
	}
}

// short tells whether a weekday of two letters stands where one can: before a
// number and at the beginning or behind a sign.
func (r *reader) short(i int) bool {
	if r.word(i-1, list("am ab bis vom")) && (r.is(i+1, '.') || r.word(i+1, atWords)) { // am Mi. um 14 Uhr
		return true
	}
	n := i + 1
	for r.is(n, '.') || r.is(n, ',') {
		n++
	}
	first, _ := utf8.DecodeRuneInString(r.text[r.tok(i).from:])
	return r.is(n, 'n') && (i == 0 || r.tok(i-1).kind != 'w' || unicode.IsUpper(first) || r.word(i-1, rangeWords) || r.word(i-1, fromWords)) && (r.is(n+1, '.') || r.month(n+1) > 0 || r.is(n+1, '/'))
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
		if r.hour(at) { // 5 March 2015 hrs is rare, 5 March, 2000 h too
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

// ordinals are the words that count the weekdays of a month.
var ordinals = words(`1 first erster ersten erste premier première primer primera primero primo prima primeira primeiro eerste
	2 second zweiter zweiten zweite deuxième segundo segunda secondo seconda tweede 3 third dritter dritten dritte troisième tercer tercera terzo terza terceira terceiro derde
	4 fourth vierter vierten vierte quatrième cuarto quarto vierde 5 fifth 6 last letzter letzten letzte dernier dernière último última ultimo ultima laatste`)

// counts gives which one a token says: 1 to 5, 6 for the last, 0 for none.
func (r *reader) counts(i int) int {
	t := r.tok(i)
	switch {
	case t.kind == 'w':
		return ordinals.number(t.text)
	case t.ordinal && t.num <= 5:
		return t.num
	}
	return 0
}

// ofMonth reads the second Saturday in May, the last Friday of next month.
func (r *reader) ofMonth(i int) (day, int) {
	nth, days := r.counts(i), r.weekday(i+1)
	if nth == 0 || days == 0 || bits.OnesCount8(days) != 1 || !r.word(i+2, list("in of im des du de del di do da van")) {
		return day{}, 0
	}
	d := day{weekday: -1, weekdays: days, nth: nth}
	if nth == 6 {
		d.nth = -1
	}
	at := i + 3
	for r.word(at, list("the des")) {
		at++
	}
	switch {
	case r.month(at) > 0:
		d.month = r.month(at)
		y, more := r.year(at + 1)
		d.year = y
		return d, at + 1 + more
	case nextWords.has(r.tok(at).text) && r.tok(at+1).text == "month":
		d.ahead = 1
		return d, at + 2
	case thisWords.has(r.tok(at).text) && r.tok(at+1).text == "month":
		return d, at + 2
	case r.tok(at).text == "month" && r.tok(at-1).text == "the":
		return d, at + 1
	}
	return day{}, 0
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
		if u.kind == 'n' && u.num >= 1 && u.num <= 31 && len(u.text) <= 2 && !(r.is(n+1, ':') && r.is(n+2, 'n') && !r.tok(n+2).gap) && r.month(n+1) == 0 && !(r.is(n+1, '.') && r.is(n+2, 'n') && !r.tok(n+2).gap) && !r.half(n+1) {
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
		case s.kind == '.' && s2.kind == '.' && !s2.gap && u.num <= 12 && u.num >= 1 && !u.gap && (v.kind != 'n' || v.gap): // 5.3.
			return day{month: u.num, day: t.num, weekday: -1}, i + 4
		case s.kind == '.' && u.num >= 1 && u.num <= 12 && !u.gap && (v.kind != 'n' || s2.kind != '.') && r.pointed(i): // 5.3
			return day{month: u.num, day: t.num, weekday: -1}, i + 3
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

// weekdayAlone reads a weekday without a date behind it: this week's, the next
// one, a week later.
func (r *reader) weekdayAlone(i int, d day, at int) (day, int) {
	d.relative = true
	if r.word(i-1, list("on from after")) && r.word(i-2, list("week weeks fortnight")) && r.word(i-3, list("a one two three four five six")) { // a week on Friday
		d.doubt = "counts from a week"
	}
	if r.word(i-1, feasts) {
		d.doubt = "is the name of a feast"
	}
	if n := r.tok(at); n.kind == 'n' && len(n.text) <= 2 && r.week != nil && !r.week.first.IsZero() && bits.OnesCount8(d.weekdays) == 1 && weekdayFrom(r.week.first, d.weekdays).Day() == n.num && !(r.is(at+1, ':') && r.is(at+2, 'n') && !r.tok(at+2).gap) && !r.half(at+1) { // Mon 09 0600–1400, below Week 9–15 March
		return d, at + 1
	}
	if n := r.tok(at); n.kind == 'n' && len(n.text) <= 2 && n.num >= 1 && n.num <= 31 && (r.word(at+1, atWords) || r.tok(at+1).text == "a" && (r.tok(at+2).text == "las" || r.tok(at+2).text == "la")) { // viernes 6 a las 10
		d.relative, d.day = false, n.num
		return d, at + 1
	}
	if n := r.tok(at); n.kind == 'n' && len(n.text) <= 2 && n.num >= 1 && n.num <= 31 { // Wed 11 or Thu 12 March
		to := at + 1
		for r.is(to, '-') || r.word(to, rangeWords) || r.word(to, orWords) || r.and(to) || r.is(to, ',') || r.is(to, '&') {
			to++
		}
		if to > at+1 && r.weekday(to) != 0 {
			d.relative, d.day = false, n.num
			return d, at + 1
		}
	}
	if n := r.link(at); r.tok(n).ordinal && r.tok(n).num <= 31 && r.month(r.link(n+1)) == 0 { // Thursday the 12th
		d.relative, d.day = false, r.tok(n).num
		return d, n + 1
	}
	if n, end := r.dayBehind(at); end > 0 {
		d.relative, d.day = false, n
		return d, end
	}
	if end := r.nextWeekAt(at); end > 0 { // Friday next week
		d.after = -1
		return d, end
	}
	if r.word(at, list("prochain prochaine próximo próxima proximo proxima prossimo prossima")) {
		d.next = true
		return d, at + 1
	}
	if r.tok(at).text == "week" { // Friday week
		d.after = 1
		return d, at + 1
	}
	if r.tok(at).text == "in" && r.word(at+2, list("weeks")) && numberOf(r.tok(at+1)) > 0 {
		d.after = numberOf(r.tok(at + 1))
		return d, at + 3
	}
	return d, at
}

// dayBehind reads the day of the month behind a day of the week, in brackets, behind a comma
// or a word for a day: Tuesday (10th); martes, día 10; Dienstag, dem 10.; Wednesday 11: pilots.
func (r *reader) dayBehind(i int) (n, end int) {
	at := i
	bracket := r.is(at, '(')
	if bracket || r.is(at, ',') {
		at++
	}
	article, noun := false, false
	for r.word(at, dayLinks) || r.word(at, dayNouns) {
		article, noun = true, noun || r.word(at, dayNouns)
		at++
	}
	t := r.tok(at)
	if t.kind != 'n' || len(t.text) > 2 || t.num < 1 || t.num > 31 || r.hour(at) {
		return 0, 0
	}
	end = at + 1
	point := r.is(end, '.') && !r.tok(end).gap
	if point {
		end++
		if r.is(end, 'n') && !r.tok(end).gap { // 10.30
			return 0, 0
		}
	}
	if r.is(end, 'w') && !r.tok(end).gap && r.word(end, list("e de ste")) { // de 10e
		end++
		point = true
	}
	for r.word(end, dayLinks) || r.word(end, presentMonth) { // the 11th of this month
		if end++; r.word(end-1, presentMonth) {
			noun = true
		}
	}
	switch {
	case r.month(r.link(end)) > 0 || r.is(end, '/') || r.is(end, '-'):
		return 0, 0
	case r.is(end, ':'):
		if at == i && r.tok(end+1).gap { // Wednesday 11: pilots
			return t.num, end
		}
		return 0, 0
	case bracket && r.is(end, ')') && (t.ordinal || point || article || t.num > 12):
		return t.num, end + 1
	case bracket:
		return 0, 0
	case t.ordinal && !r.dayAlone(end) && !noun:
		return 0, 0
	case noun, t.ordinal, article && (point || r.is(end, ',')):
		return t.num, end
	}
	return 0, 0
}

var (
	dayNouns     = words("día dia giorno")
	presentMonth = words("this month corriente corrente courant dieses monats este mes mês questo mese ce mois deze maand")
)

// nextWeekAt gives the token behind words for the next week: of next week, de la semaine
// prochaine; 0 for none.
func (r *reader) nextWeekAt(i int) int {
	for r.word(i, list("of in de der del della da van the la")) {
		i++
	}
	switch {
	case r.word(i, nextWords) && r.word(i+1, weekWords):
		return i + 2
	case r.word(i, weekWords) && r.word(i+1, nextWords):
		return i + 2
	case r.word(i, weekWords) && r.tok(i+1).text == "que" && r.word(i+2, list("viene vem")):
		return i + 3
	}
	return 0
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

// fromToday reads words that count from a stated day.
func (r *reader) fromToday(i int) (day, int) {
	d := day{weekday: -1, relative: true}
	t := r.tok(i)
	if t.kind != 'w' {
		return d, 0
	}
	if own, ok := strings.CutSuffix(t.text, "'s"); ok && (todayWords.has(own) || tomorrowWords.has(own)) { // tomorrow's slot
		t.text = own
	}
	switch {
	case pastWords.has(t.text):
		d.days = -1
		return d, i + 1
	case todayWords.has(t.text) || tonightWords.has(t.text):
		return d, i + 1
	case t.text == "pasado" && r.tok(i+1).text == "mañana", t.text == "après" && r.is(i+1, '-') && r.tok(i+2).text == "demain", t.text == "depois" && r.tok(i+1).text == "de" && (r.tok(i+2).text == "amanhã" || r.tok(i+2).text == "amanha"):
		d.days = 2
		if t.text == "pasado" {
			return d, i + 2
		}
		return d, i + 3
	case afterTomorrow.has(t.text):
		d.days = 2
		return d, i + 1
	case t.text == "day" && r.tok(i+1).text == "after" && r.tok(i+2).text == "tomorrow":
		d.days = 2
		return d, i + 3
	case tomorrowWords.has(t.text) && !(t.text == "mañana" && r.tok(i-1).text == "la") && !(t.text == "morgen" && r.word(i-1, list("am guten"))):
		d.days = 1
		if t.text == "tomorrow" && r.tok(i+1).text == "week" {
			d.days, i = 8, i+1
		}
		return d, i + 1
	case nextWords.has(t.text) || thisWords.has(t.text):
		if days := r.weekday(i + 1); days != 0 && !r.dayish(i+2) {
			d.weekdays, d.next = days, nextWords.has(t.text) && t.text != "kommenden" && t.text != "kommende"
			d.near = thisWords.has(t.text)
			return d, i + 2
		}
		if nextWords.has(t.text) && r.word(i+1, weekWords) {
			n := i + 2
			if r.is(n, ',') || r.is(n, ':') || r.tok(n).text == "on" {
				n++
			}
			if days := r.weekday(n); days != 0 { // next week Tuesday
				d.weekdays, d.after = days, -1
				return d, n + 1
			}
		}
	case t.text == "in" || t.text == "dans" || t.text == "en" || t.text == "tra" || t.text == "fra" || t.text == "over" || t.text == "em":
		n := numberOf(r.tok(i + 1))
		if unit := lengthWords.number(r.tok(i + 2).text); n > 0 && n < 100 && unit >= 1440 && r.is(i+2, 'w') && len(r.tok(i+2).text) > 1 {
			d.days = n * unit / 1440
			end := i + 3
			if days := r.weekday(end + 1); unit == 10080 && r.tok(end).text == "on" && days != 0 {
				d.doubt = "counts from a week"
			}
			return d, end
		}
	}
	return d, 0
}
