package notice

import "slices"

// roughLength gives the token behind a length that is said as a range: 3–4 hours; 0 for
// none.
func (r *reader) roughLength(i int) int {
	a, b := r.tok(i), r.tok(i+2)
	if a.kind == 'n' && b.kind == 'n' && len(a.text) < 3 && len(b.text) < 4 && a.num < b.num && (r.is(i+1, '-') || r.word(i+1, rangeWords)) && r.word(i+3, list("hours minutes mins days weeks stunden minuten tage wochen heures minutes jours semaines horas minutos días dias semanas ore minuti giorni settimane uren dagen weken")) {
		return i + 4
	}
	return 0
}

// roughWords stand before a length that is not exact.
var roughWords = words("about around approximately approx roughly some ca circa etwa ungefähr rund environ unos unas aproximadamente cerca ongeveer")

// length reads how long something lasts at token i, in minutes, and gives the
// token behind it; 0 for none.
func (r *reader) length(i int) (minutes, end int) {
	if minutes, end = r.lengthAt(i); end > 0 && r.word(end, list("early earlier late later before after ago prior ahead beforehand notice warning away walk drive früher später vorher avant antes prima eerder")) && !(r.word(end, list("before after")) && r.word(i, list("for lasting lasts takes"))) {
		return 0, 0 // from something else
	}
	if end == i+2 && r.word(i+1, hourWords) && (r.is(end, '-') || r.word(end, rangeWords)) { // 9h-11h30
		if _, e := r.clock(end+1, true); e > end+2 {
			return 0, 0
		}
	}
	if end == i+2 && r.word(i+1, hourWords) && !r.word(i+1, lastingHours) {
		if _, e := r.clockOnly(i, false); e > end { // 9 h 30
			return 0, 0
		}
	}
	if end > 0 && (r.is(i-1, '±') || r.tok(i-1).text == "±" || r.is(i-1, '-') && r.is(i-2, '/') && r.is(i-3, '+')) { // how exact it is
		return 0, 0
	}
	return minutes, end
}

// romanceDays are names in languages that write hours with an h.
var romanceDays = words(`janvier février fevrier mars avril juin juillet août aout septembre octobre novembre décembre decembre déc lundi mardi mercredi jeudi vendredi samedi dimanche
	enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre lunes martes miércoles jueves viernes sábado domingo
	janeiro fevereiro março maio junho julho setembro outubro novembro dezembro segunda terça quarta quinta sexta`)

func (r *reader) lengthAt(i int) (minutes, end int) {
	at := i
	if r.word(at, list("for")) && r.word(at+1, roughWords) && r.is(at+2, '.') && r.is(at+3, 'n') { // for approx. 1 hour
		if minutes, end := r.lengthAt(at + 3); end > 0 {
			return minutes, end
		}
	}
	for r.word(at, roughWords) && (r.is(at+1, 'n') || r.word(at+1, roughWords) || numberWords.number(r.tok(at+1).text) > 0) { // about 3 hours
		at++
	}
	led := r.word(at, durationWords) || r.word(at, list("for für pour pendant durante per por voor"))
	if led {
		at++
		if r.is(at, ':') {
			at++
		}
		for r.word(at, roughWords) || r.word(at, list("the")) || r.word(i, durationWords) && r.word(at, list("of de di von van is ist è é est es")) {
			at++
		}
		if r.word(i, durationWords) {
			if h, m := r.tok(at), r.tok(at+2); h.kind == 'n' && h.num < 24 && r.is(at+1, ':') && m.kind == 'n' && len(m.text) == 2 && m.num < 60 { // duration 1:30
				end := at + 3
				if r.word(end, hourWords) || r.word(end, list("std stunden hours")) {
					end++
				}
				return h.num*60 + m.num, end
			}
			if r.word(at, list("hora ora heure")) && r.halfMore(at+1) { // duración hora y media
				return 90, at + 3
			}
		}
	}
	if r.word(at, list("anderthalb anderthalbe eineinhalb einundeinhalb anderhalf anderhalve")) && lengthWords.number(r.tok(at+1).text) == 60 {
		return 90, at + 2
	}
	if r.tok(at).text == "half" && (r.tok(at+1).text == "an" || r.tok(at+1).text == "a") && lengthWords.number(r.tok(at+2).text) > 0 {
		return lengthWords.number(r.tok(at+2).text) / 2, at + 3
	}
	if r.word(at, list("halbe halben demi media mezza")) && lengthWords.number(r.tok(at+1).text) == 60 || r.tok(at).text == "eine" && r.tok(at+1).text == "halbe" && lengthWords.number(r.tok(at+2).text) == 60 {
		if r.tok(at).text == "eine" {
			at++
		}
		return 30, at + 2
	}
	if !led && r.word(at-1, list("by um de di com met")) && r.word(at-2, list("postponed delayed later moved earlier verschoben delay late")) || !led && r.word(at-1, list("by")) && !r.is(at-2, '-') {
		return 0, 0
	}
	if minutes, end := r.parts(at); end > 0 {
		return minutes, end
	}
	n := numberOf(r.tok(at))
	if n <= 0 || n > 999 || r.is(at, 'n') && (len(r.tok(at).text) > 3 || r.tok(at).text[0] == '0') {
		return 0, 0
	}
	unit := lengthWords.number(r.tok(at + 1).text)
	if r.tok(at+1).kind == '.' || r.tok(at+1).kind == ',' { // 1.5 hours
		if f := r.tok(at + 2); f.kind == 'n' && len(f.text) == 1 && !f.gap && lengthWords.number(r.tok(at+3).text) >= 60 && (led || len(r.tok(at+3).text) > 3 && lengthWords.number(r.tok(at+3).text) == 60) {
			return (n*10 + f.num) * lengthWords.number(r.tok(at+3).text) / 10, at + 4
		}
		return 0, 0
	}
	if r.is(at+1, '-') && lengthWords.number(r.tok(at+2).text) > 0 { // a 45-minute meeting
		return n * lengthWords.number(r.tok(at+2).text), at + 3
	}
	if unit == 0 || !r.is(at+1, 'w') {
		return 0, 0
	}
	word := r.tok(at + 1).text
	if word == "m" && !led && !r.is(at-1, '(') { // metres
		return 0, 0
	}
	if (n > 12 || n > 6 && slices.ContainsFunc(r.toks, func(t token) bool { return romanceDays.has(t.text) })) && !led && r.is(at-1, ',') && (word == "h" || word == "hrs") { // 12.3.2026, 17 h; 13 décembre, 10 h
		return 0, 0
	}
	if word == "uur" && !r.word(i, durationWords) || (word == "h" || word == "hrs" || word == "ore" || word == "heures" || word == "horas" || word == "hours" || word == "hour" || word == "ora" || word == "hora" || word == "heure") && !led && !r.is(at-1, '(') && !r.is(at-1, ',') && word != "hours" && word != "hour" {
		return 0, 0 // an hour of the day
	}
	if m := r.tok(at + 2); word == "h" && (!led || n > 6 && r.word(i, list("for für pour por per"))) && m.kind == 'n' && len(m.text) == 2 && !m.gap && !(r.is(at-1, '(') && n <= 12) { // 19h00 is a time
		return 0, 0
	}
	if unit >= 1440 && !led {
		return 0, 0
	}
	minutes, end = n*unit, at+2
	if unit == 60 {
		if r.is(end, '.') && r.is(end+1, 'n') && minuteWords.has(r.tok(end+2).text) { // 1 Std. 30 Min.
			end++
		}
		if m := r.tok(end); m.kind == 'n' && m.num < 60 && len(m.text) == 2 && (!m.gap || minuteWords.has(r.tok(end+1).text) || (led || r.is(at-1, '(')) && r.month(end+1) == 0 && !r.is(end+1, ':') && !(r.is(end+1, '.') && (r.month(end+2) > 0 || r.is(end+2, 'n')))) { // 1h30, durée 1 h 30
			minutes += m.num
			end++
			if minuteWords.has(r.tok(end).text) {
				end++
			}
		} else if r.word(end, andWords) && r.tok(end+1).text == "a" && r.tok(end+2).text == "half" {
			minutes, end = minutes+30, end+3
		} else if (led || r.is(at-1, '(')) && r.halfMore(end) {
			minutes, end = minutes+30, end+2
		} else if r.word(end, andWords) && numberOf(r.tok(end+1)) > 0 && minuteWords.has(r.tok(end+2).text) {
			minutes, end = minutes+numberOf(r.tok(end+1)), end+3
		}
	}
	return minutes, end
}

// parts reads lengths of parts of an hour or a day: one and a half hours, three
// quarters of an hour, 1½ hours.
func (r *reader) parts(i int) (minutes, end int) {
	words := func(n int, text ...string) bool {
		for k, w := range text {
			if r.tok(n+k).text != w {
				return false
			}
		}
		return true
	}
	n := numberOf(r.tok(i))
	switch {
	case n == 3 && words(i+1, "quarters", "of", "an", "hour"):
		return 45, i + 5
	case words(i, "a", "quarter", "of", "an", "hour"):
		return 15, i + 5
	case words(i, "quarter", "of", "an", "hour"):
		return 15, i + 4
	case words(i, "un'ora") && r.halfMore(i+1):
		return 90, i + 3
	case words(i, "un'ora"), words(i, "un'oretta"):
		return 60, i + 1
	case words(i, "mezz'ora"):
		return 30, i + 1
	case n <= 0 || n > 24:
		return 0, 0
	}
	at := 0
	switch {
	case words(i+1, "and", "a", "half"):
		at = i + 4
	case words(i+1, "and", "half"):
		at = i + 3
	case r.tok(i+1).text == "½":
		at = i + 2
	case r.is(i+1, 'n') && r.tok(i+1).num == 1 && r.is(i+2, '/') && r.tok(i+3).num == 2: // 1 1/2 hours
		at = i + 4
	default:
		return 0, 0
	}
	if r.tok(at).text != "hour" && (lengthWords.number(r.tok(at).text) != 60 || len(r.tok(at).text) < 4) {
		return 0, 0
	}
	return n*60 + 30, at + 1
}

// durationWords say that what follows is how long something lasts.
var durationWords = words(`lasting lasts last takes take dauer duration duration: dauert durée dure duración dura durata duração duur duurt`)

// halfMore tells whether half an hour more follows an hour: y media, et demie.
func (r *reader) halfMore(i int) bool {
	return r.word(i, list("et y e")) && r.word(i+1, list("demie demi media mezza mezzo meia"))
}
