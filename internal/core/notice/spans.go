package notice

import (
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"
)

// span is a stretch of tokens that says something of a time.
type span struct {
	kind     byte // 'd' days, 't' times, 'l' a length, 'a' all day
	from, to int  // tokens
	dates    dates
	times    times
	minutes  int
	rough    bool // of a length: it is said only roughly
}

// spans finds everything that says a time, with the days of the week in the week that the text
// named last.
func (d *document) spans(r *reader, u unit) []span {
	out := d.found(r, u)
	d.frame.take(u, out)
	return out
}

// found finds everything that says a time.
func (d *document) found(r *reader, u unit) (out []span) {
	r.week = d.frame
	bareDays := d.month > 0
	for i := 0; i < len(r.toks); {
		if minutes, end := r.length(i); end > 0 {
			out = append(out, span{kind: 'l', from: i, to: end, minutes: minutes, rough: r.word(i-1, roughWords) || r.is(i-1, '.') && r.word(i-2, roughWords) || slices.ContainsFunc(r.toks[i:end], func(t token) bool { return roughWords.has(t.text) })})
			i = end
			continue
		}
		if n := r.roomNumber(i); n > i { // Room 2.04
			i = n
			continue
		}
		if n := r.allDay(i); n > 0 {
			out = append(out, span{kind: 'a', from: i, to: i + n})
			i += n
			continue
		}
		if first, end := r.when(0); bareDays && i == 0 && (end == 0 || first.days[0].doubt != "" || first.days[0].relative || first.days[0].month == 0 && first.days[0].day > 0) {
			if days, end := r.bareDays(d.month, d.year); end > 0 {
				out = append(out, span{kind: 'd', from: 0, to: end, dates: days})
				i = end
				continue
			}
		}
		if r.word(i, dayLinks) && !r.word(i, fromWords) && r.fromOne(i) == 0 && !(startsUpper(r.text[r.tok(i).from:]) && r.word(i, list("di do")) && r.weekday(i) != 0) && !(i == 0 && r.tok(i).text == "da" && r.weekday(1) != 0) && r.paired(i) == 0 {
			i++
			continue
		}
		if r.weekday(i) != 0 && r.word(i-1, feasts) { // Good Friday (3 April): the name of a feast, with its day
			n := i + 1
			for r.is(n, '(') || r.is(n, ',') || r.word(n, dayLinks) {
				n++
			}
			if _, end := r.numeric(n); end > 0 {
				i++
				continue
			}
		}
		if t := r.tok(i); t.kind == 'w' && quotes(r.text[:t.from], r.text[t.to:]) && r.weekday(i) != 0 { // the yacht "Friday"
			i++
			continue
		}
		if days, ts, end := r.dayAndTime(i); end > 0 {
			out = append(out, span{kind: 'd', from: i, to: end, dates: days}, span{kind: 't', from: i, to: end, times: ts})
			i = end
			continue
		}
		if days, end := r.when(i); end > 0 && !r.spelledOut(i, days) {
			out = append(out, span{kind: 'd', from: i, to: end, dates: days})
			i = end
			continue
		}
		aside := len(out) > 0 && r.rangeOfHours(i) && r.is(i, 'n') && (r.is(i-1, ',') || r.is(i-1, ':') || r.is(i-1, '(')) && (i+3 >= len(r.toks) || !r.is(i+3, 'w') || r.word(i+3, hourWords) || r.word(i+3, dailyWords))
		loose := aside || len(out) > 0 && out[len(out)-1].kind == 'd' && r.onlySigns(out[len(out)-1].to, i) && (r.rangeOfHours(i) || r.is(i, 'n') && i+1 == len(r.toks))
		if d.set.Message && r.is(i, 'n') && r.rangeOfHours(i) && len(r.tok(i).text) <= 2 && (i == 0 || i <= 3 && (r.is(i-1, ',') || r.word(i-1, list("yes ok okay then say from make it do can")))) && (r.tok(i+3).kind != 'w' || r.word(i+3, list("then please works is would suits on tomorrow today o'clock instead it"))) {
			loose = true // yes, 9 to 12 then
		}
		if i == 0 && !d.set.Message && (d.above != nil && !d.above.bare && !u.gap || d.day != nil && d.day.used) && r.is(0, 'n') && len(r.tok(0).text) <= 2 && r.rangeOfHours(0) && r.is(3, 'w') && startsUpper(r.text[r.tok(3).from:]) && lengthWords.number(r.tok(3).text) == 0 {
			loose = true // 20-22 Choir, below Tue 7 April 18-20 Rowing club, or below 1:30–3 Games
		}
		if ts, end := r.clocks(i, loose); end > 0 {
			out = append(out, span{kind: 't', from: i, to: end, times: ts})
			i = end
			continue
		}
		i++
	}
	out = r.joinNamed(out)
	ahead := false // Mon–Wed next week 8–16, Thu 8–18
	for i := range out {
		if out[i].kind != 'd' {
			continue
		}
		first := &out[i].dates.days[0]
		last := &out[i].dates.days[len(out[i].dates.days)-1]
		switch {
		case first.after < 0 || last.after < 0 || out[i].dates.until != nil && out[i].dates.until.after < 0:
			ahead = true
		case ahead && first.relative && first.weekdays != 0 && first.after == 0 && !first.next:
			for n := range out[i].dates.days {
				out[i].dates.days[n].after = -1
			}
			if u := out[i].dates.until; u != nil && u.relative {
				u.after = -1
			}
		}
	}
	switch {
	case !d.set.Message:
	case len(out) == 0:
		return r.hourAlone(0)
	case len(out) == 1 && out[0].kind == 'd': // Friday is fine, but 11 please
		for i := out[0].to; i < len(r.toks); i++ {
			if r.word(i, list("but rather make say")) {
				out = append(out, r.hourAlone(i+1)...)
				break
			}
		}
	}
	return out
}

// quotes tells whether quotation marks stand around a word.
func quotes(before, behind string) bool {
	last, _ := utf8.DecodeLastRuneInString(before)
	next, _ := utf8.DecodeRuneInString(behind)
	return strings.ContainsRune(`"“„«‚‘'`, last) && strings.ContainsRune(`"”“»’‘'`, next)
}

// room tells whether the number of a room stands at token i that could be a day or a time as
// well: room 2.04.
func (r *reader) room(i int) bool {
	at := i - 1
	for r.is(at, '.') || r.is(at, ':') || r.word(at, list("no nr n° number nummer")) {
		at--
	}
	return r.word(at, roomNouns) && r.is(i, 'n') && r.is(i+1, '.') && !r.tok(i+1).gap && r.is(i+2, 'n') && !r.tok(i+2).gap && len(r.tok(i).text) <= 2 && len(r.tok(i+2).text) == 2
}

// roomNumber gives the token behind such a number, where the text says a time elsewhere; i where
// it does not.
func (r *reader) roomNumber(i int) int {
	if !r.room(i) {
		return i
	}
	for n := range r.toks {
		if _, end := r.clock(n, false); end > 0 && (end <= i || n > i+2) {
			return i + 3
		}
	}
	return i
}

// roomNouns stand before numbers such as 2.04, of the fourth room on the second floor.
var roomNouns = words("room raum zimmer salle sala aula zaal lokaal")

// hourAlone reads the hour of an answer: "three works", "make it 4", "rather five".
func (r *reader) hourAlone(from int) []span {
	for from < 4 && (r.word(from, list("yes ok okay no sorry well but and so ja nein aber oui non mais")) || from > 0 && r.is(from, ',')) {
		from++ // yes, but 11 suits me better
	}
	for i := from; i < min(len(r.toks), from+12); i++ {
		n := numberOf(r.tok(i))
		lead := i == from || r.word(i-1, list("it about rather better say at then prefer suggest to")) || i == 1 && r.word(0, list("then and so but ok okay yes no sorry is would"))
		behind := r.word(i+1, list("works is would suits fits it then please possible ok okay passt geht ginge wäre")) || i+1 >= len(r.toks) || r.is(i+1, '.') || r.is(i+1, '?') || r.is(i+1, '!') || r.is(i+1, ',')
		if n < 1 || n > 12 || !lead || !behind || r.tok(i).text == "a" || r.tok(i).text == "an" || i == 0 && !r.word(1, list("works is would suits fits it then passt geht ginge wäre")) || r.is(i-1, '-') || r.word(i-1, rangeWords) && numberOf(r.tok(i-2)) > 0 {
			continue
		}
		c, end := r.quarters(clock{hour: n, bare: true}, i+1)
		return []span{{kind: 't', from: i, to: end, times: times{list: []clock{c}}}}
	}
	return nil
}

// spelledOut tells whether a relative day is a word of another use: "morning
// mail", "this is Monday's list", "en mars".
func (r *reader) spelledOut(i int, d dates) bool {
	t := r.tok(i)
	return t.kind == 'w' && (t.text == "may" || t.text == "march") && !r.is(i+1, 'n') && len(d.days) == 1 && d.days[0].day == 0
}

// onlySigns tells whether only signs stand between two tokens.
func (r *reader) onlySigns(from, to int) bool {
	for i := from; i < to; i++ {
		if k := r.tok(i).kind; k != ',' && k != ':' && k != '-' && k != '|' {
			return false
		}
	}
	return true
}

// onlyDayWords tells whether only signs and words that lead to a day stand between
// two tokens.
func (r *reader) onlyDayWords(from, to int) bool {
	for i := from; i < to; i++ {
		if !r.onlySigns(i, i+1) && !r.word(i, dayLinks) && !r.word(i, list("dia día tag dag jour giorno day")) {
			return false
		}
	}
	return true
}

func (r *reader) allDay(i int) int {
	if r.tok(i).kind != 'w' {
		return 0
	}
	rest := strings.ToLower(r.text[r.tok(i).from:])
	for _, phrase := range allDayWords {
		if strings.HasPrefix(rest, phrase) {
			n := 0
			for r.tok(i+n).kind != 0 && r.tok(i+n).to <= r.tok(i).from+len(phrase) {
				n++
			}
			return n
		}
	}
	return 0
}

// twoLetters gives the day of the week that a word of two letters names at the beginning of
// a line, before a number: Mo 6, Lu 6.
func (r *reader) twoLetters(i int) uint8 {
	t := r.tok(i)
	if i != 0 || t.kind != 'w' || len(t.text) != 2 || !r.is(i+1, 'n') || len(r.tok(i+1).text) > 2 {
		return 0
	}
	if timed := r.is(i+2, 'n') && (r.is(i+3, '.') || r.is(i+3, ':')) && r.is(i+4, 'n'); !startsUpper(r.text[t.from:]) && !(r.word(i, list("wo vr za zo")) && (timed || r.is(i+2, 'w') && !r.word(i+2, dayLinks)) || timed && r.word(i, list("ma di do"))) { // vr 11  19.30 Kaarten
		return 0
	}
	return weekdaysOf(t.text)
}

// bareDays reads days of the month that a heading names, at the beginning of a
// line: "Mon 2", "3rd", "12–14".
func (r *reader) bareDays(month, year int) (dates, int) {
	at := 0
	var out dates
	for {
		d := day{weekday: -1, month: month, year: year}
		if at == 0 && r.word(0, dayNouns) && r.is(1, 'n') { // Día 10: reunión
			if at++; r.tok(1).num <= 3 {
				d.doubt = "may be a day of the month, or one of those of the event"
			}
		}
		if days := cmp.Or(r.weekday(at), r.twoLetters(at)); days != 0 {
			d.weekdays = days
			at++
			for r.is(at, '.') || r.is(at, ',') {
				at++
			}
		}
		t := r.tok(at)
		if t.kind != 'n' || t.num < 1 || t.num > 31 || len(t.text) > 2 {
			return dates{}, 0
		}
		at++
		signed := t.ordinal || d.weekdays != 0
		if r.is(at, '.') && !r.tok(at).gap {
			at++
			signed = true
		}
		if r.month(at) > 0 || r.is(at, ':') && r.is(at+1, 'n') && !r.tok(at+1).gap || r.is(at, '/') && !(r.tok(at+1).num == t.num+1 && r.is(at+2, 'w') && r.month(at+2) == 0) || r.is(at-1, '.') && r.is(at, 'n') && !r.tok(at).gap || r.half(at) {
			return dates{}, 0
		}
		d.day = t.num
		out.days = append(out.days, d)
		if r.is(at, '-') || r.word(at, rangeWords) {
			skip := 0
			days := r.weekday(at + 1) // Wed 8 – Fri 10
			if days != 0 {
				skip++
			}
			if u := r.tok(at + 1 + skip); u.kind == 'n' && u.num > t.num && u.num <= 31 && len(u.text) <= 2 && !r.is(at+2+skip, ':') && r.month(at+2+skip) == 0 {
				last := day{weekday: -1, weekdays: days, month: month, year: year, day: u.num}
				out.until = &last
				at += 2 + skip
				if r.is(at, '.') && !r.tok(at).gap {
					at++
				}
				return out, at
			}
		}
		if u := r.tok(at + 1); r.is(at, '/') && u.kind == 'n' && u.num == t.num+1 && r.tok(at+2).gap && r.is(at+2, 'w') { // 21/22 Launching weekend
			at++
			continue
		}
		if (r.is(at, ',') || r.and(at) || r.is(at, '&') || r.is(at, '+')) && (r.is(at+1, 'n') && r.tok(at+1).num <= 31 && !r.is(at+2, ':') || r.weekday(at+1) != 0 && r.is(at+2, 'n')) {
			at++
			continue
		}
		if !signed && len(out.days) == 1 && !(r.is(at, ':') || r.is(at, '-') || r.is(at, '|') || r.is(at, ',') || r.is(at, 0) || r.is(at, 'w') || r.is(at, 'n')) {
			return dates{}, 0
		}
		return out, at
	}
}

// countDays gives how many spans say days.
func countDays(spans []span) (n int) {
	for _, s := range spans {
		if s.kind == 'd' {
			n++
		}
	}
	return n
}

// within tells whether a token is in one of some spans.
func within(spans []span, i int) bool {
	for _, s := range spans {
		if i >= s.from && i < s.to {
			return true
		}
	}
	return false
}
