package notice

import (
	"math/bits"
	"strings"
	"unicode"
	"unicode/utf8"
)

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
	if (text == "sat" || text == "sun") && (unicode.IsUpper(rune(r.text[t.from])) || r.jotted() && !r.word(i-1, list("i we you he she it they who that all everybody crew boat ship vessel the a our"))) && (r.word(i-1, list("on this next until till every each by from to through first second third fourth fifth last coming and or")) || r.is(i-1, '-') || r.is(i-1, ',') || r.timeEnds(i-1) || r.named(i)) {
		return weekdaysOf(text)
	}
	if text == "sex" || text == "sun" && !r.dayish(i+1) || text == "sat" && !r.dayish(i+1) || text == "mar" || text == "set" || text == "ter" || text == "mer" && !r.dayish(i+1) {
		if !r.dayish(i + 1) {
			return 0
		}
	}
	if r.otherWord(i) {
		return 0
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

// otherWord tells whether the short name of a day is a word of its own here: en mer, al mar, mon
// équipe, la vie, in the sun.
func (r *reader) otherWord(i int) bool {
	t := r.tok(i)
	if t.text == "vie" && r.word(i+1, list("du des")) {
		return true
	}
	if r.is(i+1, '.') || unicode.IsUpper(rune(r.text[t.from])) {
		return false
	}
	inWords := r.is(i-1, 'w') && r.is(i+1, 'w') && !r.word(i+1, rangeWords) && !r.word(i+1, andWords) && !r.dayish(i+1)
	switch t.text {
	case "mer":
		return r.word(i-1, list("en la de haute pleine"))
	case "mar":
		return r.word(i-1, list("al en do no ao del in nel"))
	case "mon":
		return inWords
	case "vie":
		return inWords || r.word(i-1, list("la"))
	case "sun":
		return r.word(i-1, list("the"))
	}
	return false
}

// timeEnds tells whether a time of the day ends with token i: 10:00, 4 pm, 1600.
func (r *reader) timeEnds(i int) bool {
	t := r.tok(i)
	switch {
	case t.kind == 'n':
		return len(t.text) == 4 && t.num < 2400 && t.num%100 < 60 && !yearly(t) || len(t.text) == 2 && t.num < 60 && (r.is(i-1, ':') || r.is(i-1, '.')) && r.is(i-2, 'n') && !t.gap
	case t.kind == 'w':
		return r.half(i) || r.word(i, hourWords) && r.is(i-1, 'n')
	}
	return false
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
	if r.week != nil && i == 0 && unicode.IsUpper(first) && (r.is(n, 'n') || r.is(n, ':') || r.allDay(n) > 0 || r.word(n, list("frei libre livre libero vrij"))) { // Mo 8–12, below Week 9–15 March
		return true
	}
	return r.is(n, 'n') && (i == 0 || r.tok(i-1).kind != 'w' || unicode.IsUpper(first) || r.word(i-1, rangeWords) || r.word(i-1, fromWords)) && (r.is(n+1, '.') || r.month(n+1) > 0 || r.is(n+1, '/'))
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
		d.doubt = "may be of this month, or of every one"
		return d, at + 1
	}
	return day{}, 0
}

// weekdayAlone reads a weekday without a date behind it: this week's, the next
// one, a week later.
func (r *reader) weekdayAlone(i int, d day, at int) (day, int) {
	d.relative = true
	if r.weeksFrom(i) {
		d.doubt = fromWeek
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

// fromWeek is why a day is held that is so many weeks before or behind another.
const fromWeek = "counts from a week"

// weeksFrom tells whether the day at token i is only where a count of weeks begins: a week on
// Friday, two weeks today, a month from tomorrow, today two weeks.
func (r *reader) weeksFrom(i int) bool {
	many := func(i int) bool {
		return r.word(i, list("day days week weeks fortnight month months year years tag tage tagen woche wochen monat monate monaten semaine semaines mois semana semanas mes meses settimana settimane mese mesi mês weken maand maanden")) && (numberOf(r.tok(i-1)) > 0 || r.word(i-1, list("a an einer einem une una uma")))
	}
	if r.word(i-1, list("on from after")) {
		return many(i - 2)
	}
	return many(i-1) || many(i+2) && r.weekday(i) == 0
}

// fromToday reads words that count from a stated day.
func (r *reader) fromToday(i int) (day, int) {
	d, end := r.fromStated(i)
	if end > 0 && d.weekdays == 0 && d.doubt == "" && (todayWords.has(r.tok(i).text) || tomorrowWords.has(r.tok(i).text)) && r.weeksFrom(i) {
		d.doubt = fromWeek
	}
	return d, end
}

func (r *reader) fromStated(i int) (day, int) {
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
				d.doubt = fromWeek
			}
			return d, end
		}
	}
	return d, 0
}
