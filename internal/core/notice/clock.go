package notice

import (
	"cmp"
	"fmt"
	"strings"
	"unicode"
)

// clock is a time of day as written.
type clock struct {
	hour, minute int
	half         int  // 1 for am, 2 for pm, 0 where nothing says
	sure         bool // written so that it has 24 hours: 09:00, 14:30, 8h
	bare         bool // an hour and nothing else: at 3
	marked       bool // with a word for an hour that counts 24 of them: 5h, 5 Uhr
	colon        bool
}

// clock reads a time of day at token i, and gives the token behind it; 0 for
// none. bare tells whether a number alone may be one.
func (r *reader) clock(i int, bare bool) (clock, int) {
	at := i
	led := false // a word that goes before a time
	for r.word(at, atWords) || r.tok(at).text == "@" || r.tok(at).text == "l'" {
		led = true
		at++
	}
	if led && r.tok(i).text == "alle" && r.german() && (list("zwei zwo drei vier fünf fuenf sechs sieben acht neun zehn elf zwölf").has(r.tok(at).text) || startsUpper(r.text[r.tok(at+1).from:])) { // all three boats
		return clock{}, 0
	}
	c, end := r.clockOnly(at, bare || led && r.tok(i).text != "the" && r.tok(i).text != "la" && r.tok(i).text != "le" && r.tok(i).text != "a" && r.tok(i).text != "in" || r.laUna(at))
	if r.word(i, list("all'una dall'una sull'una")) || r.word(i, list("l'una")) && r.word(i-1, betweenWords) {
		c, end = r.quarters(clock{hour: 1, bare: true}, i+1)
	}
	if end == 0 {
		return c, 0
	}
	if end > at+1 && !r.is(at, 'n') && numberWords.number(r.tok(end-1).text) > 0 && r.things(end) { // five to ten boats
		return clock{}, 0
	}
	was := end
	if r.word(end, sharpWords) { // 4 pm sharp
		end++
	}
	if c, end = r.partOfDay(c, end); c.half == 0 && end == was && !c.sure && c.hour <= 12 {
		c.half = r.partBefore(i)
	}
	return c, end
}

// fromOne gives the token behind one o'clock as the start of a range, where a word leads to it
// that is not always one of a time: d'une heure à trois heures, da uma às três. 0 for none.
func (r *reader) fromOne(i int) int {
	switch {
	case r.tok(i).text == "d'une" && r.word(i+1, hourWords) && r.word(i+2, rangeWords):
		return i + 2
	case r.tok(i).text == "da" && r.tok(i+1).text == "uma" && (r.word(i+2, rangeWords) || r.word(i+2, atWords)):
		return i + 2
	}
	return 0
}

// laUna tells whether one o'clock stands at a token in Spanish or Italian: a la una, dalla una.
func (r *reader) laUna(i int) bool {
	t := r.tok(i).text
	return (t == "una" || t == "1") && (r.tok(i-1).text == "la" && r.word(i-2, list("a desde hasta sobre de entre")) || r.word(i-1, list("alla dalla")))
}

// sharpWords stand behind a time that is meant to the minute.
var sharpWords = words("sharp promptly precisely exactly pünktlich précises précise stipt")

func (r *reader) clockOnly(i int, bare bool) (clock, int) {
	t := r.tok(i)
	switch {
	case r.word(i, noonWords) && r.is(i-1, '-') && r.word(i-2, list("après avant l'après d'après l'avant")): // après-midi
		return clock{}, 0
	case r.word(i, noonWords):
		if (t.text == "midi") && r.tok(i+1).text == "et" && (r.tok(i+2).text == "demi" || r.tok(i+2).text == "demie") {
			return clock{hour: 12, minute: 30, sure: true}, i + 3
		}
		if c, end := r.quarters(clock{hour: 12}, i+1); end > i+1 { // midi et quart
			c.bare, c.sure = false, true
			return c, end
		}
		return clock{hour: 12, sure: true}, i + 1
	case t.text == "meio" && r.is(i+1, '-') && r.tok(i+2).text == "dia":
		return clock{hour: 12, sure: true}, i + 3
	case r.word(i, midnightWords):
		return clock{hour: 24, sure: true}, i + 1
	case t.text == "meia" && r.is(i+1, '-') && r.tok(i+2).text == "noite":
		return clock{hour: 24, sure: true}, i + 3
	}
	if c, end := r.spoken(i); end > 0 {
		return c, end
	}
	if t.kind == 'w' {
		if n := numberWords.number(t.text); n >= 1 && n <= 12 {
			end := i + 1
			hours := r.word(end, hourWords) && !r.word(end, lastingHours)
			if hours {
				end++
			} else if list("ein een une").has(t.text) || t.text == "one" && (r.word(end, placeNouns) || r.word(end, thingWords) || r.word(end, list("of point time go side end stage boat ship vessel or"))) || t.text == "once" && r.word(i-1, list("at")) { // asks for a meeting, at one end, at once
				return clock{}, 0
			} else if !bare {
				if c, e := r.halfOfDay(clock{hour: n}, end); e > end {
					return c, e
				}
				return clock{}, 0
			}
			c, e := r.halfOfDay(clock{hour: n, bare: true}, end)
			return r.quarters(c, e)
		}
		return clock{}, 0
	}
	if t.kind != 'n' || t.ordinal || r.word(i-1, measureNouns) {
		return clock{}, 0
	}
	if t.num == 12 && t.text == "12" {
		switch {
		case r.word(i+1, noonWords):
			return clock{hour: 12, sure: true}, i + 2
		case r.word(i+1, midnightWords):
			return clock{hour: 24, sure: true}, i + 2
		}
	}
	s, u := r.tok(i+1), r.tok(i+2)
	c := clock{hour: t.num}
	end := i + 1
	switch {
	case len(t.text) <= 2 && (s.kind == ':' || s.text == "h" || s.text == "u") && !s.gap && u.kind == 'n' && len(u.text) == 2 && !u.gap && u.num < 60:
		c.minute, end, c.colon = u.num, i+3, true
		c.sure = t.text[0] == '0' || t.num > 12 || s.text == "h" || s.text == "u"
		if r.is(end, ':') && r.is(end+1, 'n') && len(r.tok(end+1).text) == 2 && !r.tok(end+1).gap { // seconds
			end += 2
		}
	case len(t.text) <= 2 && s.kind == '.' && !s.gap && u.kind == 'n' && len(u.text) == 2 && !u.gap && u.num < 60 && t.num < 25 && r.dotted(i):
		c.minute, end, c.colon = u.num, i+3, true
		c.sure = t.text[0] == '0' || t.num > 12
	case len(t.text) <= 2 && s.kind == ',' && !s.gap && u.kind == 'n' && len(u.text) == 2 && !u.gap && u.num < 60 && t.num < 25 && (r.word(i-1, list("um à às ab om las gegen ore alle dalle das kl")) || r.is(i-1, '-') && r.is(i-3, ',') || r.word(i+3, list("uhr uur"))): // ore 9,30
		c.minute, end, c.colon = u.num, i+3, true
		c.sure = t.text[0] == '0' || t.num > 12
	case yearly(t) && r.month(i-1) > 0 && r.word(i+1, list("h hr hrs")) && r.is(i+2, 'n'): // 7 April 2026 h 10
		return clock{}, 0
	case len(t.text) == 4 && t.num%100 < 60 && t.num < 2460 && (r.word(i+1, hourWords) || r.word(i-1, atWords) && !(t.num >= 1900 && t.num < 2100) || (r.tok(i+1).text == "utc" || r.tok(i+1).text == "z" || r.tok(i+1).text == "lt" || r.tok(i+1).text == "l" && !r.tok(i+1).gap)):
		c.hour, c.minute, c.sure = t.num/100, t.num%100, true
		if r.word(end, hourWords) { // 1700 hrs
			end++
		}
	case len(t.text) == 4 && t.num%100 < 60 && t.num < 2400 && r.word(i-1, list("at from to now revised until till by um von ab à alle às om eta etb etd ets pob")) && r.saysWhen(i+1): // revised to 2030 tonight
		c.hour, c.minute, c.sure = t.num/100, t.num%100, true
	case len(t.text) == 4 && r.military(i):
		c.hour, c.minute, c.sure = t.num/100, t.num%100, true
		if r.word(end, hourWords) {
			end++
		}
	case t.num == 24 && s.text == "h" && !s.gap && !r.word(i-1, untilWords) && !r.word(i-1, rangeWords) && !r.is(i-1, '-'): // round the clock
		return clock{}, 0
	case len(t.text) <= 2 && (s.text == "h" || s.text == "u") && !s.gap && t.num < 25:
		c.sure, end = t.num > 12 || t.text[0] == '0' || t.num > 4 && t.num < 7, i+2 // 6h is of a clock of 24 hours
		c.bare, c.marked = !c.sure, true
	case len(t.text) <= 2 && t.num < 25 && r.word(i+1, hourWords) && !r.word(i+1, lastingHours) && s.gap && !r.lengthBefore(i):
		end, c.bare, c.sure, c.marked = i+2, t.num < 13, t.num > 12 || t.text[0] == '0', !r.word(i+1, list("o'clock oclock"))
		if m := r.tok(end); m.kind == 'n' && len(m.text) == 2 && m.num < 60 && m.gap && !(r.is(end+1, '.') && (r.month(end+2) > 0 || r.is(end+2, 'n'))) && r.month(end+1) == 0 { // 8 Uhr 30
			c.minute, end = m.num, end+1
		}
		if r.word(i+1, list("h heure heures")) && t.num > 4 && t.num < 7 {
			c.sure = true
		}
	case len(t.text) <= 2 && r.isHalf(i+1):
	case bare && len(t.text) <= 2 && t.num < 25 && r.month(i+1) == 0 && !(r.is(i+1, '.') && (r.month(i+2) > 0 || r.is(i+2, 'n') && !r.tok(i+2).gap)) && !r.is(i+1, '/') && r.tok(i+1).kind != '%':
		c.bare = true
		c.sure = t.num > 12 || t.text[0] == '0'
	default:
		return clock{}, 0
	}
	if c.hour > 24 || c.hour == 24 && c.minute > 0 {
		return clock{}, 0
	}
	if r.word(end, hourWords) && c.colon {
		c.sure = c.sure || c.hour > 4 && r.word(end, list("uhr uur")) // 6:30 Uhr, and 18:30 for the evening
		end++
	}
	switch {
	case c.minute > 0:
	case c.hour == 12 && r.word(end, noonWords): // 12:00 noon
		c.sure, end = true, end+1
	case (c.hour == 12 || c.hour == 24) && r.word(end, midnightWords):
		c.hour, c.sure, end = 24, true, end+1
	}
	c, end = r.halfOfDay(c, end)
	if c.half > 0 && (c.hour > 12 || c.hour == 0) && !c.sure {
		return clock{}, 0
	}
	if c.bare || !c.colon && r.word(end-1, hourWords) {
		return r.quarters(c, end)
	}
	return c, end
}

// saysWhen tells whether a day that counts from today stands at token i: on Friday, tonight.
func (r *reader) saysWhen(i int) bool {
	for r.word(i, list("on am le el il na no op")) {
		i++
	}
	if _, end := r.numeric(i); end > 0 {
		return true
	}
	return r.word(i, todayWords) || r.word(i, tonightWords) || r.word(i, tomorrowWords) || r.is(i, 'w') && weekdaysOf(r.tok(i).text) != 0
}

// military tells whether a number of four digits is a time: it begins with 0, or
// stands beside another such number that is none of a year.
func (r *reader) military(i int) bool {
	time := func(t token) bool {
		return t.kind == 'n' && len(t.text) == 4 && t.num%100 < 60 && t.num <= 2400
	}
	if !time(r.tok(i)) || r.is(i+1, '.') && r.is(i+2, 'n') || r.is(i-1, '.') && !r.tok(i).gap || r.is(i-1, '/') || r.is(i+1, '/') {
		return false
	}
	early := func(t token) bool { return t.text[0] == '0' || t.num < 1900 }
	joined := func(n int) bool { return r.is(n, '-') || r.word(n, rangeWords) || r.word(n, andWords) }
	switch {
	case joined(i+1) && time(r.tok(i+2)):
		return early(r.tok(i)) || early(r.tok(i+2))
	case joined(i-1) && time(r.tok(i-2)):
		return early(r.tok(i)) || early(r.tok(i-2))
	}
	behindDay := func(n int) bool { // Mon 1400, 06/03 1800
		return weekdaysOf(r.tok(n-1).text) != 0 || r.is(n-1, 'n') && len(r.tok(n-1).text) <= 2 && r.is(n-2, '/') && r.is(n-3, 'n') && r.tok(n).gap
	}
	if behindDay(i) {
		for n := range r.toks {
			if n != i && behindDay(n) && time(r.tok(n)) {
				return true
			}
		}
	}
	return r.tok(i).text[0] == '0' || r.lead && i == 0 || r.last && i > 0 && i == len(r.toks)-1 && r.is(i-1, 'w') && !yearly(r.tok(i)) && r.month(i-1) == 0
}

// dotted tells whether a number with a full stop inside can be a time: a word
// for one stands beside it, or another time.
func (r *reader) dotted(i int) bool {
	before, after := r.tok(i-1), r.tok(i+3)
	if after.kind == '.' && r.is(i+4, 'n') && !r.tok(i+4).gap {
		return false
	}
	if r.tok(i+2).num == 0 && r.tok(i).num <= 24 || r.tok(i+2).num > 12 || r.tok(i+2).num%15 == 0 {
		return after.kind != '%'
	}
	return r.word(i-1, atWords) || before.kind == '-' || r.word(i-1, rangeWords) || r.word(i-1, fromWords) || hourWords.has(after.text) || r.isHalf(i+3)
}

// lastingHours are words for how long something lasts, and not for an hour of the
// day.
var lastingHours = words(`hour hours hrs`)

// lengthBefore tells whether a number of hours is how long something lasts.
func (r *reader) lengthBefore(i int) bool {
	u := r.tok(i + 1).text
	return (r.word(i-1, list("for für pour durante per por voor lasts takes dauert dure about")) || r.is(i-1, '(')) && !r.word(i-1, atWords) && (u != "uhr" && u != "uur" && u != "o'clock")
}

func (r *reader) isHalf(i int) bool {
	t := r.tok(i)
	if t.kind != 'w' {
		return false
	}
	if t.text == "am" && t.gap && r.is(i+1, 'w') && !r.word(i+1, rangeWords) && r.german() { // die Boje 7 am Steg 3
		return false
	}
	return t.text == "am" && !r.tok(i).gap || t.text == "am" && (!r.dayish(i+1) && r.weekday(i+1) == 0 || r.word(i+1, englishDays) || (r.is(i+1, ',') || r.word(i+1, list("on am"))) && !r.word(i-1, hourWords)) || t.text == "pm" || (t.text == "a" || t.text == "p") && (r.is(i+1, '.') && r.tok(i+2).text == "m" || !t.gap && r.is(i-1, 'n') && !r.is(i+1, 'n')) // 9a-11:30a
}

// englishDays are days of the week that no German am stands before: 8 am Wednesday.
var englishDays = words("monday tuesday wednesday thursday friday saturday sunday mon tue tues wed weds thu thur thurs fri sat sun")

// halfOfDay reads am or pm.
func (r *reader) halfOfDay(c clock, i int) (clock, int) {
	if !r.isHalf(i) {
		return c, i
	}
	c.half = 1
	if r.tok(i).text[0] == 'p' {
		c.half = 2
	}
	c.bare = false
	if r.is(i+1, '.') && r.tok(i+2).text == "m" {
		i += 2
		if r.is(i+1, '.') && !r.tok(i+1).gap {
			i++
		}
	}
	if r.word(i+1, list("hrs h")) {
		i++
	}
	return c, i + 1
}

// times is a time, or a range of them, or several.
type times struct {
	list   []clock
	until  *clock
	open   bool // from 9:00
	window bool // between 2 and 4
	or     bool
	zone   string // as it is written behind; "local" for the one of the place
	zones  bool   // the end is in another
}

// to gives the times with the end that others say. A zone behind the end alone is that of
// both.
func (t times) to(end times) *times {
	t.until, t.open = endOf(t.list[0], end.list[0]), false
	t.zones = t.zone != "" && end.zone != "" && t.zone != end.zone
	t.zone = cmp.Or(t.zone, end.zone)
	return &t
}

// clocks reads the times at token i, and gives the token behind them; 0 for
// none. loose tells whether a number alone may be a time, as behind a date.
func (r *reader) clocks(i int, loose bool) (times, int) {
	out, end := r.clocksOnly(i, loose)
	if end == 0 {
		return out, 0
	}
	n := end
	if r.is(n, '(') {
		n++
	}
	switch t := r.tok(n); {
	case r.zoneAt(n):
		out.zone, n = strings.ToUpper(t.text), n+1
		if s, h := r.tok(n), r.tok(n+1); (t.text == "utc" || t.text == "gmt") && (s.kind == '+' || s.kind == '-') && !s.gap && h.kind == 'n' { // UTC+2, UTC+05:30, UTC+0530
			sign, hour, minute, to := "+", h.num, 0, n+2
			if s.kind == '-' {
				sign = "-"
			}
			if m := r.tok(n + 3); len(h.text) == 4 {
				hour, minute = h.num/100, h.num%100
			} else if r.is(n+2, ':') && m.kind == 'n' && !m.gap && len(m.text) == 2 {
				minute, to = m.num, n+4
			}
			if hour <= 14 && minute < 60 {
				out.zone, n = fmt.Sprintf("%s%02d:%02d", sign, hour, minute), to
			}
		}
	case (t.text == "local" || t.text == "lokale" || t.text == "heure" || t.text == "hora") && (r.tok(n+1).text == "time" || r.tok(n+1).text == "zeit" || r.tok(n+1).text == "locale" || r.tok(n+1).text == "local"):
		out.zone, n = "local", n+2
	case cityZone(r, n) != "":
		out.zone = cityZone(r, n)
		n++
		if r.tok(n).text == "time" || r.tok(n).text == "zeit" {
			n++
		}
	case t.text == "lt" || t.text == "ortszeit" || t.text == "l" && !t.gap && len(r.tok(n-1).text) == 4:
		out.zone, n = "local", n+1
	default:
		return out, end
	}
	if r.is(n, ')') {
		n++
	}
	return out, n
}

// cities are the zones that people call by a city.
var cities = map[string]string{"london": "Europe/London", "lisbon": "Europe/Lisbon", "dublin": "Europe/Dublin", "paris": "Europe/Paris", "berlin": "Europe/Berlin", "madrid": "Europe/Madrid", "rome": "Europe/Rome", "amsterdam": "Europe/Amsterdam", "brussels": "Europe/Brussels", "vienna": "Europe/Vienna", "zurich": "Europe/Zurich", "oslo": "Europe/Oslo", "stockholm": "Europe/Stockholm", "copenhagen": "Europe/Copenhagen", "helsinki": "Europe/Helsinki", "warsaw": "Europe/Warsaw", "prague": "Europe/Prague", "athens": "Europe/Athens", "istanbul": "Europe/Istanbul", "moscow": "Europe/Moscow", "dubai": "Asia/Dubai", "singapore": "Asia/Singapore", "tokyo": "Asia/Tokyo", "shanghai": "Asia/Shanghai", "sydney": "Australia/Sydney", "chicago": "America/Chicago", "toronto": "America/Toronto", "lissabon": "Europe/Lisbon", "lisboa": "Europe/Lisbon", "lisbonne": "Europe/Lisbon", "londres": "Europe/London"}

// cityZone gives the zone that a city behind a time stands for: 3 PM Lisbon, 10:00 London
// time. Elsewhere a city is where something takes place.
func cityZone(r *reader, i int) string {
	t := r.tok(i)
	name := cities[t.text]
	switch {
	case t.kind != 'w' || name == "" || unicode.IsLower([]rune(r.text[t.from:t.to])[0]):
		return ""
	case r.tok(i+1).text == "time" || r.tok(i+1).text == "zeit":
		return name
	case (r.tok(i-1).text == "am" || r.tok(i-1).text == "pm") && (i+1 >= len(r.toks) || r.is(i+1, '-')):
		return name
	}
	return ""
}

// zoneWords are the names of zones that people write behind a time.
var zoneWords = words(`utc gmt z cet cest wet west bst eet eest est edt cst cdt mst mdt pst pdt mez mesz`)

// zoneAt tells whether the name of a zone stands at token i, and not a word that is written
// as one: 10:00 West Quay, à 11 h est reporté, 14h cet hiver.
func (r *reader) zoneAt(i int) bool {
	t := r.tok(i)
	if t.kind != 'w' || !zoneWords.has(t.text) {
		return false
	}
	if !r.word(i, list("est cet west wet")) {
		return true
	}
	written, next := r.text[t.from:t.to], r.tok(i+1)
	switch {
	case written == strings.ToUpper(written) && r.text != strings.ToUpper(r.text):
		return true
	case written != strings.ToUpper(written) && written != strings.ToLower(written): // West
		return false
	}
	return next.kind != 'w' || r.word(i+1, list("on at and")) || r.weekday(i+1) != 0 || r.month(i+1) > 0
}

// endsAt gives the token behind words that say when what began ends, 0 where they do not
// follow: and ending at, und endet um.
func (r *reader) endsAt(i int) int {
	for r.is(i, ',') || r.word(i, andWords) || r.word(i, list("will se it")) {
		i++
	}
	if !r.word(i, list("ending ends end finishing finishes finish endet endend termine finit terminant termina terminando acaba acabando finisce finendo eindigt eindigend")) {
		return 0
	}
	for i++; r.word(i, atWords); i++ {
	}
	return i
}

func (r *reader) clocksOnly(i int, loose bool) (times, int) {
	number := i
	for r.word(number, atWords) || r.word(number, fromWords) || r.word(number, betweenWords) || r.word(number, vagueWord) {
		number++
	}
	if r.roughLength(number) > 0 || r.rangeOfThings(number) {
		return times{}, 0
	}
	at := i
	if r.word(at, list("à a")) && r.word(at+1, list("partir partire")) { // à partir de 14h
		at++
	}
	from, window := r.word(at, fromWords), r.word(at, betweenWords)
	if from || window {
		if at++; at > i+1 && r.word(at, fromWords) {
			at++
		}
		loose = loose || window || r.rangeOfHours(at)
	}
	for r.word(at, list("the")) && !from {
		return times{}, 0
	}
	first, end := r.clock(at, loose)
	if n := r.fromOne(i); n > 0 {
		first, end, from = clock{hour: 1, bare: true}, n, true
	}
	if end == 0 {
		// 2-4 pm, 9 to 11: the first is an hour by the second
		if t := r.tok(at); t.kind == 'n' && len(t.text) <= 2 && t.num <= 24 && !t.ordinal && (r.is(at+1, '-') || r.word(at+1, rangeWords)) && !(r.word(at-1, list("el día dia")) && r.tok(at+1).text == "a") { // el 9 a las 6 is a day
			if _, e := r.clock(at+2, false); e > 0 && !r.is(at+3, '/') {
				first, end = clock{hour: t.num, bare: true, sure: t.num > 12 || t.text[0] == '0'}, at+1
			}
		}
		if end == 0 {
			return times{}, 0
		}
	}
	out := times{list: []clock{first}, window: window}
	n := r.saidTwice(end)
	if r.is(n, '-') || r.word(n, rangeWords) || (window || from) && r.word(n, andWords) {
		n++
		for r.word(n, rangeWords) || r.word(n, atWords) && r.tok(n).text != "a" || r.word(n, vagueWord) || r.is(n, '.') && r.word(n-1, vagueWord) {
			n++
		}
		if last, e := r.clock(n, true); e > 0 && !r.dateAt(n) {
			out.until = &last
			return out, e
		}
		if e := r.untilOpen(n); e > 0 {
			out.open = true
			return out, e
		}
	}
	if n := r.endsAt(end); n > 0 {
		if last, e := r.clock(n, true); e > 0 && !r.dateAt(n) {
			out.until = &last
			return out, e
		}
	}
	for {
		n := end
		for r.is(n, ',') || r.word(n, andWords) || r.is(n, '&') || r.is(n, '/') {
			n++
		}
		either := r.word(n, orWords)
		if either {
			n++
			for r.word(n, atWords) && r.tok(n).text != "a" {
				n++
			}
		}
		if n == end || r.dateAt(n) {
			break
		}
		c, e := r.clock(n, either || r.word(n-1, andWords))
		if e == 0 {
			break
		}
		if c.bare && !either && !first.bare {
			break
		}
		out.list, end, out.or = append(out.list, c), e, out.or || either
	}
	out.open = from && len(out.list) == 1
	return out, end
}

// saidTwice skips the zone, or the word for hours, behind the first time of a range
// where the same stands behind the second: 0900 LT–1700 LT, 0900 hrs to 1700 hrs.
func (r *reader) saidTwice(n int) int {
	word := r.tok(n)
	if word.kind != 'w' || !zoneWords.has(word.text) && word.text != "lt" && !hourWords.has(word.text) || !r.is(n+1, '-') && !r.word(n+1, rangeWords) {
		return n
	}
	if _, end := r.clock(n+2, true); end > 0 && (r.tok(end).text == word.text || r.tok(end-1).text == word.text) && !((r.is(end+1, '+') || r.is(end+1, '-')) && !r.tok(end+1).gap) { // UTC to UTC+2
		return n + 1
	}
	return n
}

// untilOpen reads an end that is none.
func (r *reader) untilOpen(i int) int {
	if r.tok(i).text == "further" || r.tok(i).text == "close" || r.tok(i).text == "late" || r.tok(i).text == "open" && r.tok(i+1).text == "end" {
		return i + 1
	}
	return 0
}

// rangeOfHours tells whether two hours and a word for a range stand at token i.
func (r *reader) rangeOfHours(i int) bool {
	a, b := numberOf(r.tok(i)), numberOf(r.tok(i+2))
	return a >= 0 && a <= 24 && b >= 0 && b <= 24 && (r.is(i+1, '-') || r.word(i+1, rangeWords) || r.word(i+1, andWords)) && r.month(i+3) == 0 && !r.is(i+3, '/') && !(r.is(i+3, '.') && r.is(i+4, 'n') && !r.tok(i+4).gap) || r.isHalf(i+1) ||
		a >= 0 && a <= 24 && r.word(i+1, rangeWords) && r.word(i+2, list("half quarter noon midnight halb viertel dreiviertel mittag mitternacht midi minuit mediodía medianoche mezzogiorno mezzanotte kwart")) // nine to half past eleven
}

// dateAt tells whether a date stands at token i.
func (r *reader) dateAt(i int) bool {
	_, end := r.one(i)
	if end == 0 {
		_, end = r.listed(i)
	}
	return end > 0
}

// dayAndTime reads a day, an hour and minutes in one number, as ships write them: 051200LT
// MAR, 051200Z MAR 26, ETA 051200. It gives the token behind it; 0 for none.
func (r *reader) dayAndTime(i int) (dates, times, int) {
	t, u := r.tok(i), r.tok(i+2)
	n, of, clocked := i+1, t.num/10000, t.num%10000
	switch {
	case t.kind != 'n':
		return dates{}, times{}, 0
	case len(t.text) == 6:
	case len(t.text) <= 2 && r.is(i+1, '/') && u.kind == 'n' && len(u.text) == 4 && !r.tok(i+1).gap && !u.gap: // 05/1200 LT
		n, of, clocked = i+3, t.num, u.num
	default:
		return dates{}, times{}, 0
	}
	hour, minute := clocked/100, clocked%100
	if of < 1 || of > 31 || hour > 24 || minute > 59 {
		return dates{}, times{}, 0
	}
	d, ts := day{weekday: -1, day: of}, times{list: []clock{{hour: hour, minute: minute, sure: true, colon: true}}}
	sure := r.word(i-1, list("eta etb etd ets etc ata atd"))
	switch z := r.tok(n); {
	case z.kind == 'w' && (z.text == "lt" || z.text == "local"):
		ts.zone, n, sure = "local", n+1, true
	case z.kind == 'w' && (z.text == "z" || z.text == "utc" || z.text == "gmt"):
		ts.zone, n, sure = "UTC", n+1, true
	case r.word(n, list("hrs h")):
		n, sure = n+1, true
	}
	if m := r.month(n); m > 0 {
		d.month, n, sure = m, n+1, true
		if y := r.tok(n); y.kind == 'n' && len(y.text) == 2 && !r.is(n+1, ':') && !r.is(n+1, '.') {
			d.year, n = 2000+y.num, n+1
		} else if y, more := r.year(n); more > 0 {
			d.year, n = y, n+more
		}
	}
	if !sure {
		return dates{}, times{}, 0
	}
	return dates{days: []day{d}}, ts, n
}
