package notice

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"

	"almanach/internal/core/pattern"
)

// leftover finds words that speak of a time and are in none of the spans: what they
// say of the event is not understood, so the rest cannot be trusted. It gives why, "" for
// nothing.
func (r *reader) leftover(spans []span) string {
	why := r.leftWords(spans)
	if why == sameTime { // a thread can tell that time, so that anything else counts more
		return cmp.Or(r.leftPhrases(spans), sameTime)
	}
	if why = cmp.Or(why, r.leftPhrases(spans)); why == "" && slices.ContainsFunc(spans, func(s span) bool { return r.beforeWhat(s) }) {
		return "says before or until what it is, and not when"
	}
	return why
}

// said is why a part of a text holds an event.
func (r *reader) said(from, to int) string {
	return "holds " + strconv.Quote(r.text[r.tok(from).from:r.tok(to).to]) + ", which says something of a time and is not understood"
}

// hasKind tells whether one of some spans is a day (d), a time (t), a length (l) or all day (a).
func hasKind(spans []span, kind byte) bool {
	return slices.ContainsFunc(spans, func(s span) bool { return s.kind == kind })
}

// leftWords looks at each word and number by itself.
func (r *reader) leftWords(spans []span) string {
	used := func(i int) bool { return within(spans, i) }
	has := func(kind byte) bool { return hasKind(spans, kind) }
	ended := has('l') || slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.times.until != nil })
	same := ""
	for i, t := range r.toks {
		if used(i) || t.kind != 'w' && !t.ordinal && t.kind != 'n' {
			continue
		}
		capital := unicode.IsUpper([]rune(r.text[t.from:t.to])[0])
		switch {
		case t.kind == 'w' && r.month(i) > 0 && capital && r.word(i-1, list("in of early mid late this next during since im en")):
			return r.said(i-1, i)
		case t.ordinal && (r.word(i-1, orWords) || r.word(i-1, andWords) || r.word(i-1, rangeWords) || r.is(i-1, ',') || r.is(i-1, '-') || r.is(i-1, '/') || r.is(i-1, '&')) && has('d') && r.dayAlone(i+1):
			return r.said(i-1, i)
		case t.ordinal && r.word(r.behind(i), list("back return returns returning until till to zurück bis through ends end ending")) && has('d') && r.dayAlone(i+1):
			return r.said(i-1, i)
		case t.kind == 'n' && len(t.text) <= 2 && t.num > 0 && t.num <= 31 && r.word(i-1, list("vom von from between zwischen du del dal")) && (r.is(i+1, '.') || r.word(i+1, rangeWords)) && has('d'):
			return r.said(i-1, i)
		case t.kind == 'n' && len(t.text) <= 2 && t.num > 0 && t.num <= 31 && r.word(i-1, dayNouns) && has('d') && !r.is(i+1, ':'): // día 10, martes
			return r.said(i-1, i)
		case t.kind == 'w' && monthOf(t.text) > 0 && !r.word(i, list("may march mar set out ago")) && r.is(i-1, 'w') && numberWords.number(r.tok(i-1).text) > 0 && has('d'): // onze mars
			return r.said(i-1, i)
		case t.kind == 'n' && (t.ordinal || r.is(i-1, '(') && (r.is(i+1, ')') || r.is(i+1, '.') && r.is(i+2, ')'))) && t.num > 0 && t.num <= 31 && slices.ContainsFunc(spans, func(s span) bool {
			return s.kind == 'd' && s.dates.days[0].relative && s.dates.days[0].weekdays != 0 && i >= s.to && i <= s.to+3
		}) && r.dayAlone(i+1): // Tuesday (10th)
			return r.said(i, i)
		case r.counts(i) > 0 && r.countsDay(i, spans):
			return r.said(i, i+1)
		case r.word(i, list("ditto idem dto ebenso dito ídem")) && (has('d') || has('t')):
			return "says the same as something else"
		case r.word(i, list("same gleiche gleichen même misma mesmo stessa zelfde")) && r.word(i+1, list("time times hour hours zeit zeiten uhrzeit heure heures hora horas ora orario tijd tijden")) && has('d') && (!has('t') || phraseIn(r.text, movedWords) != ""):
			same = sameTime
		case t.kind == 'n' && (has('t') || has('d')) && !used(i+2) && r.hoursLeft(i):
			return r.said(i, i+2)
		case t.kind == 'n' && len(t.text) == 4 && t.num%100 < 60 && t.num < 2400 && slices.ContainsFunc(spans, func(s span) bool {
			return s.kind == 'd' && (s.to == i || s.to == i-1 && (r.is(i-1, ',') || r.is(i-1, '-')))
		}):
			return r.said(i, i)
		case t.kind == 'n' && !has('t') && t.num < 25 && r.is(i+1, ',') && r.is(i+2, 'n') && !r.tok(i+2).gap && len(r.tok(i+2).text) == 2 && !r.is(i+3, 'w') && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && (s.to == i || s.to == i-1 && r.is(i-1, ',')) }): // 11 March 9,30
			return r.said(i, i+2)
		case t.kind == 'n' && has('d') && len(t.text) <= 2 && t.num > 0 && t.num <= 31 && r.word(i-1, list("el día dia il le den op")) && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.from == i+1 }): // el 9 a las 6
			return r.said(i-1, i)
		case t.kind == 'n' && len(t.text) == 4 && t.num%100 < 60 && t.num < 2400 && !has('t') && r.saysWhen(i+1): // 2030 on Friday
			return r.said(i, i)
		case t.kind == 'n' && has('d') && len(t.text) <= 2 && t.num > 0 && t.num <= 31 && r.is(i+1, '.') && r.is(i+2, 'n') && !r.tok(i+1).gap && !r.tok(i+2).gap && len(r.tok(i+2).text) == 1 && r.tok(i+2).num > 0 && !(r.is(i-1, '.') && !t.gap) && r.word(i-1, list("in out on from until to by and till")): // in 14.3, out 28.3.
			return r.said(i, i+2)
		case t.kind == 'n' && r.clockLeft(i, spans):
			return r.said(i, i)
		case t.kind == 'n' && r.hourLeft(i, has('t')):
			return r.said(i-1, i)
		case t.kind == 'n' && has('t') && r.word(i-1, andWords) && r.rangeOfHours(i) && !(r.is(i+3, 'w') && lengthWords.number(r.tok(i+3).text) == 0): // 9 to 12 and 1 to 4
			return r.said(i, i+2)
		case has('d') && !has('t') && r.word(i, list("both each beide je jeweils chaque chacun cada ciascuno telkens all alle")) && r.rangeOfHours(i+1): // both 9 to 12
			return r.said(i, i+3)
		case t.kind == 'n' && has('d') && len(t.text) <= 2 && r.isHalf(i+1): // 3:15–45 pm
			return r.said(i, i+1)
		case t.kind == 'n' && has('d') && !has('t') && len(t.text) == 3 && (r.is(i+1, '-') || r.word(i+1, rangeWords)) && r.is(i+2, 'n') && len(r.tok(i+2).text) == 4 && t.num%100 < 60 && r.tok(i+2).num%100 < 60 && r.tok(i+2).num <= 2400: // 800-1600
			return r.said(i, i+2)
		case t.kind == 'n' && has('d') && !has('t') && len(t.text) == 4 && t.num%100 < 60 && t.num < 2400 && (t.num < 1900 || t.num >= 2100) && (vagueWord.has(r.tok(i-1).text) || r.is(i-1, '.') && vagueWord.has(r.tok(i-2).text)): // about 1800
			return r.said(i, i)
		case t.kind == 'n' && has('d') && !has('t') && len(t.text) <= 2 && t.num <= 24 && (r.word(i+1, sharpWords) || r.is(i+1, '(') && r.word(i+2, sharpWords)): // 9 (sharp)
			return r.said(i, i)
		case t.kind == 'n' && has('t') && len(t.text) <= 2 && t.num <= 24 && r.word(i+1, orWords) && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.from >= i+1 && s.from <= i+3 }): // 9 or 9:30
			return r.said(i, i+1)
		case !ended && r.rough(i) > 0:
			return r.said(i, r.rough(i))
		case !ended && r.lasting(i) > 0 && !used(r.lasting(i)):
			return r.said(i, r.lasting(i))
		case !ended && r.word(i, durationWords) && !r.word(i, list("last take takes")) && r.durationLeft(i, used) > 0:
			return r.said(i, r.durationLeft(i, used))
		case (has('d') || has('t')) && r.beside(i, spans) && (numberWords.number(t.text) >= 5 && t.kind == 'w' || t.kind == 'n' && len(t.text) == 2 && t.gap && t.num < 60 && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'l' && s.to == i })): // at ten thirty boats
			return r.said(i-1, i)
		case !has('t') && has('d') && t.kind == 'n' && t.num < 25 && len(t.text) <= 2 && r.zoneAt(i+1): // 10 UTC
			return r.said(i, i+1)
		case !ended && r.untilSomething(i, spans):
			return r.said(i, i+1)
		case !has('t') && has('d') && r.hourBeside(i, spans) > 0:
			return r.said(i, r.hourBeside(i, spans))
		case !has('t') && has('d') && t.kind == 'n' && t.num < 25 && r.tok(i+1).text == "ish" && !r.tok(i+1).gap:
			return r.said(i, i+1)
		case !has('t') && has('d') && t.kind == 'n' && t.num < 25 && r.is(i+1, '-') && r.tok(i+2).text == "ish": // 10-ish
			return r.said(i, i+2)
		case !has('t') && t.kind == 'n' && len(t.text) == 3 && t.num%100 < 60 && t.num >= 100 && !r.is(i+1, 'w') && !r.is(i+1, '-') && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.to == i }): // 7 April 930
			return r.said(i, i)
		case (t.text == "après" || t.text == "avant") && r.is(i+1, '-') && r.tok(i+2).text == "midi" && !has('t') && !has('a') && has('d'):
			return "says only a part of the day"
		case r.word(i, list("past to")) && has('d') && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.to == i && s.times.list[len(s.times.list)-1].bare }) && (i+1 >= len(r.toks) || r.is(i+1, '.') || r.is(i+1, ',')): // at ten past
			return r.said(i-1, i)
		case t.kind == 'n' && t.text == "1" && r.is(i-1, '+') && has('t') && !(r.is(i+1, '/') || r.is(i+1, ':')): // 23:00 – 10:00 +1
			return r.said(i-1, i)
		case t.text == "overnight" && slices.ContainsFunc(spans, func(s span) bool {
			return s.kind == 't' && s.times.until != nil && s.times.until.hour > s.times.list[0].hour && s.times.until.half == 0 && s.times.list[0].half == 0
		}):
			return r.said(i, i)
		case has('d') && r.word(i, list("start starts begin begins end ends finish finishes beginn ende début fin inicio inizio fine início fim aanvang einde")) && r.is(i+1, 'n') && len(r.tok(i+1).text) <= 2 && r.tok(i+1).num <= 24 && !used(i+1) && (!r.is(i+2, 'w') || r.word(i+2, hourWords)): // start 10, end 12
			return r.said(i, i+1)
		case has('d') && t.kind == 'n' && len(t.text) <= 2 && t.num <= 24 && r.word(i+1, list("for für pour para per por voor")) && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && (s.to == i || s.to == i-1 && r.is(i-1, ',')) }): // 10 for 2h
			return r.said(i, i+1)
		case t.text == "viertel" && !ended && has('d') && !r.is(i-1, 'n') && !has('t'): // um Viertel elf
			return r.said(i, i+1)
		case r.word(i, list("between zwischen entre tussen tra fra")) && !r.word(i+1, list("now today jetzt heute maintenant ahora oggi hoje nu")) && (has('d') || has('t')) && r.betweenTimes(i, used): // between lunch and 3
			return r.said(i, min(i+1, len(r.toks)-1))
		case has('d') && r.bareDay(i): // on 16 March, and the 17th in the morning
			return r.said(i-1, i)
		case r.word(i, list("sunrise sunset dawn dusk nightfall twilight sonnenaufgang sonnenuntergang dämmerung dunkelheit crépuscule anochecer amanecer atardecer tramonto imbrunire anoitecer amanhecer zonsondergang zonsopgang")) && (has('t') || has('d')):
			return r.said(i, i)
		case t.kind == 'w' && partWords.has(t.text) && !r.compound(i) && !has('t') && !has('a') && !r.word(i-1, list("good")) && has('d') && !(t.text == "overnight" && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.dates.until != nil })):
			return "says only a part of the day"
		}
	}
	return same
}

// counted tells whether two hours go on with two numbers that are none.
func (r *reader) counted(s span, used func(int) bool) bool {
	first := s.times.list[0]
	if first.colon || s.times.until.colon {
		return false
	}
	for i := range r.toks {
		if b := r.tok(i + 2); r.is(i, 'n') && r.is(i+1, '-') && b.kind == 'n' && !used(i) && !used(i+2) && b.num+1 == first.hour {
			return true
		}
	}
	return false
}

// compound tells whether a part of the day is one of the name of something: quiz night,
// the night market.
func (r *reader) compound(i int) bool {
	before := i - 1
	if r.tok(before).kind == 'w' && !smallWords.has(r.tok(before).text) && !r.word(before, list("last this every each all that one per early late next good")) && r.weekday(before) == 0 && r.month(before) == 0 && !todayWords.has(r.tok(before).text) && !tomorrowWords.has(r.tok(before).text) {
		return r.tok(i).text == "night" || r.tok(i).text == "evening" && !r.word(before, list("in"))
	}
	next := r.tok(i + 1)
	return next.kind == 'w' && !smallWords.has(next.text) && !r.word(i+1, list("before after around about when we i if instead please then only shift")) && (i == 0 || r.is(before, ':') || r.word(before, list("the a an our next"))) && r.weekday(i+1) == 0
}

// behind gives the token in front of another and of the small words between.
func (r *reader) behind(i int) int {
	for i--; i > 0 && r.word(i, dayLinks); i-- {
	}
	return i
}

// tideAt is the time of a tide.
var tideAt = pattern.Lazy(`(?i)\b(?:low water|high water|low tide|high tide|hochwasser|niedrigwasser|pleine mer|basse mer|marée haute|marée basse|pleamar|bajamar|hoogwater|laagwater)\b[^.;]{0,30}\b(?:is|at|ist|um|à|a las|om)\s+\d|\b(?:low water|high water|low tide|high tide|hochwasser|niedrigwasser|pleine mer|basse mer|pleamar|bajamar|hoogwater|laagwater)\b(?:[^.;:\d]{0,20}:|,? (?:\(?[\d.,]+ ?m\)? )?\d{1,2}[:.h]?\d\d\b)`)

// takesTime is what is no time of a place: take your time, worth my time, in our time.
var takesTime = pattern.Lazy(`(?i)(?:take|takes|taking|took|need|worth|of|for|waste|value|appreciate|spend|give|gives|given|in)\s+(?:up )?(?:my|your|our|their|his|her) time`)

// tideClock is the time of high or low water by its letters, as tables of tides have it.
var tideClock = pattern.Lazy(`\b(?:HW|LW|HHW|LLW|HWS|LWS)\b[ :]*(?:at |is |um |à )?\d{1,2}[:.h]?\d\d\b`)

// lateBy is how much something is early or late.
var lateBy = pattern.Lazy(`(?i)\b(?:\d+|an?|half an|two|three|five|ten|twenty|thirty)\s*(?:minutes?|mins?|hours?|stunden?|minuten|heures?|horas?|ore|uren)\s+(?:late|early|later|earlier|behind|delayed|zu spät|später|früher|en retard|tarde|di ritardo|te laat)\b`)

// dayByDay is what repeats from day to day.
var dayByDay = []string{"every weekday", "every day", "each day", "daily", "weekdays", "every morning", "every afternoon", "every evening", "every night", "each morning", "each evening", "werktags", "werktäglich", "täglich", "chaque jour", "tous les jours", "cada día", "todos los días", "ogni giorno", "tutti i giorni", "todos os dias", "elke dag", "dagelijks"}

// toldOf is what somebody has done.
var toldOf = pattern.Lazy(`(?i)\b(?:i|we|they|you|he|she|it)(?:['’](?:ve|d)| have| has| had) (?:already |just )?(?:sent|been|done|seen|told|asked|paid|given|made|left|put|got|had|\w+ed)\b|\b(?:i|we|they|he|she) sent\b`)

// noneOf is what says that something is not.
var noneOf = pattern.Lazy(`(?i)\bthere (?:is|are|will be) no\b|\b(?:no|keine?|pas de|nessun[ao]?|nenhum|geen|sin|sem|senza) (?:more |further |weiteren? )?(?:works?|working|meetings?|events?|training|trainings|class|classes|courses?|lessons?|sessions?|practice|rehearsals?|lectures?|deliver(?:y|ies)|collections?|drills?|dut(?:y|ies)|arbeit(?:en)?|sitzung(?:en)?|travaux|réunions?|trabajos?|reuni(?:ón|ones|ão|ões)|lavori|riunion[ei]|trabalhos?|werk(?:zaamheden)?|vergadering(?:en)?)\b`)

// noneAtAll begins a text that says that something is not, where that is no rule that
// holds for a while, as no parking is.
var noneAtAll = pattern.Lazy(`(?i)^\W*(?:no|keine?|pas (?:de|d')|nessun[ao]?|nenhum|geen) (?:(?:more|further|weiteren?|other) )?(?:inspections?|surveys?|pilots?|tugs?|calls?|arrivals?|departures?|visits?|tours?|appointments?|interviews?|football|match(?:e?s)?|games?|fixtures?|spiele?|partidos?|partit[ae]|jogos?|wedstrijd(?:en)?|shifts?|gruas?|lotsen?|besuche?|führung(?:en)?|visites?|visitas?|visite|bezoek)\b`)

// saysNone is why what may be no event is held.
const saysNone = "says that something is not: whether that is an event cannot be told"

// noneBefore tells whether a text of several days says in front of one that something is not
// then: no work on Thursday; Friday 7:00.
func (r *reader) noneBefore(spans []span) bool {
	several := countDays(spans) > 1 || slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && len(s.dates.days) > 1 })
	return several && slices.ContainsFunc(spans, func(s span) bool {
		if s.kind != 'd' {
			return false
		}
		m := noneOn().FindStringSubmatch(r.before(s.from))
		return m != nil && !barred.has(m[1]) && m[1] != "dia"
	})
}

var noneOn = pattern.Lazy(`(?:^|[^\p{L}])(?:no|keine?|pas de|pas d['’]|nessun[ao]?|nenhum|geen)\s+(?:\p{L}+\s+)?(\p{L}+)(?:\s+(?:on|am|le|el|il|na|op|the|den))*\s*$`)

// betweenTimes tells whether a time or a bare number ends what is between two things: between
// lunch and 3, between the ferry and 15:00. Two places, or two numbers of them, are no times.
func (r *reader) betweenTimes(i int, used func(int) bool) bool {
	for n := i + 1; n < min(i+6, len(r.toks)) && !used(n); n++ {
		if r.is(n, ',') || r.is(n, '.') || r.is(n, 'n') || r.is(n, 'x') {
			return false
		}
		if !r.word(n, andWords) || n == i+1 {
			continue
		}
		end := n + 1
		for r.word(end, atWords) || r.word(end, dayLinks) {
			end++
		}
		return r.is(end, 'n') && (used(end) || r.tok(end).num <= 24 && len(r.tok(end).text) <= 2 && !r.is(end+1, 'w'))
	}
	return false
}

// beforeWhat tells whether a day or a time is that of what something is to be before:
// before they shut at 5, until the pilot comes at 14:00.
func (r *reader) beforeWhat(s span) bool {
	for i := s.from - 1; i >= max(0, s.from-8) && !r.is(i, ',') && !r.is(i, ';') && !r.is(i, '.'); i-- {
		if r.word(i, list("before until till bevor ehe voordat totdat")) {
			return i+2 < s.from && r.is(i+2, 'w') && r.word(i+1, list("the they it he she we you i our your their die der das den sie er es wir ich de het ze"))
		}
	}
	return false
}

// bareDay tells whether token i is a day of the month by the word in front of it, with no month:
// et le 17 au matin, y el 17, und am 17. vormittags, en op de 17e.
func (r *reader) bareDay(i int) bool {
	t := r.tok(i)
	if t.kind != 'n' || len(t.text) > 2 || t.num < 1 || t.num > 31 {
		return false
	}
	switch next := r.tok(i + 1); {
	case r.word(i-1, list("le el il al")):
		return (!t.ordinal || t.num == 1) && next.kind != '%'
	case r.word(i-1, list("am vom zum")):
		after := r.tok(i + 2)
		return next.kind == '.' && !next.gap && (after.kind != 'w' || partWords.has(after.text) || !startsUpper(r.text[after.from:]))
	case r.word(i-1, list("de den")) && r.tok(i-2).text == "op", r.word(i-1, list("the")) && r.tok(i-2).text == "on":
		return t.ordinal && r.dayAlone(i+1) || next.text == "e" && !next.gap || partWords.has(next.text)
	}
	return false
}

// barred is what nobody may do, or has, for a while: that is an event.
var barred = words(`parking entry access smoking swimming anchoring mooring berthing fishing stopping passage passing through traffic overtaking diving landing water power electricity gas heating light lights internet crane cranes tug tugs service services pilotage bunkering strom wasser einfahrt zufahrt zugang durchfahrt eau courant accès agua luz acceso acqua corrente accesso água acesso toegang doorvaart`)

// sameTime is why a day is held that is to be at the time of something else.
const sameTime = "says the time of something else"

// partWords are parts of a day: a day that has no time beside one is not the whole day.
var partWords = words(`morning afternoon evening night overnight lunchtime noonish midmorning breakfast sunrise sunset dawn dusk vormittag nachmittag vormittags nachmittags abends morgens ochtends middags avonds matin matinée soirée mattina mattinata pomeriggio serata manhã noite noche`)

// countsDay tells whether what counts days stands before a day of the week: the first
// and third Tuesday.
func (r *reader) countsDay(i int, spans []span) bool {
	n := i + 1
	for r.word(n, andWords) || r.is(n, ',') || r.is(n, '&') || r.word(n, dayLinks) || r.counts(n) > 0 {
		n++
	}
	return slices.ContainsFunc(spans, func(s span) bool {
		return s.kind == 'd' && (s.from == n && r.weekday(n) != 0 || i+1 < n && i < s.from && n >= s.from && n < s.to && s.dates.days[0].nth != 0)
	})
}

// clockLeft tells whether a number of four digits can be a time, where another such
// number is one.
func (r *reader) clockLeft(i int, spans []span) bool {
	t := r.tok(i)
	if len(t.text) != 4 || t.num%100 > 59 || t.num > 2400 || yearly(t) && !r.word(i-1, list("by at until till um bis hasta alle às om tot")) && !(r.is(i-1, ',') && r.is(i+1, 'w') && !startsUpper(r.text[r.tok(i+1).from:]) && !r.word(i+1, list("season edition saison temporada stagione"))) {
		return false
	}
	for _, s := range spans {
		for n := s.from; n < s.to && s.kind == 't'; n++ {
			if r.is(n, 'n') && len(r.tok(n).text) == 4 {
				return true
			}
		}
	}
	return false
}

// countedNouns are things that stand in a row, so that two numbers behind them are none
// of hours.
var countedNouns = words(`crane section lane phase part group team shift boat ship post bollard fender step class level deck zone area point item page line unit buoy light ladder tank pump pile
	kran gruppe kurs klasse schicht boot schiff teil abschnitt linie boje grue groupe équipe bateau navire partie classe ponton
	grúa grupo equipo barco buque fase parte sección clase turno pantalán gru gruppo squadra barca nave pontile grua equipa navio turma
	kraan groep ploeg schip deel klas ponto course class pontoon`)

// shifted tells whether a text says that something is moved, and not to when: the days and
// times that it has are those that were.
func (r *reader) shifted(spans []span) bool {
	moved := -1 // where the first word stands that says it
	if p := phraseIn(r.text, putOff); p != "" {
		moved = strings.Index(strings.ToLower(r.text), p)
	}
	for _, of := range []func() *regexp.Regexp{shiftedBy, shiftVerb} {
		if at := of().FindStringIndex(r.text); at != nil && (moved < 0 || at[0] < moved) {
			moved = at[0]
		}
	}
	if moved < 0 {
		return false
	}
	if placeMove().MatchString(r.text) || phraseIn(r.text, movedFrom) != "" {
		return false
	}
	return !slices.ContainsFunc(spans, func(s span) bool {
		before := r.before(s.from)
		ranged := r.tok(s.from).from < moved && slices.ContainsFunc(spans, func(o span) bool { return o.to <= s.from && r.rangeBefore(s.from) && r.onlyRange(o.to, s.from) }) // 5 March 6:00 to 6 March 18:00 is postponed
		return s.kind != 'l' && !ranged && endsWith(before, movedTo) && !endsWith(before, plannedFor)
	})
}

// ifWeather is a condition whose word means something else as well: si llueve, se piove,
// si le temps le permet.
var ifWeather = pattern.Lazy(`(?i)(?:^|[\s,;(])(?:si|se) (?:llueve|nieva|hace|hay|el tiempo|es posible|es necesario|todo|pleut|il|le temps|la météo|nécessaire|possible|tout|piove|nevica|fa bello|fa bel|il tempo|c['’]è|possibile|necessario|tutto|non|chover|nevar|houver|estiver|fizer|o tempo|for possível|for necessário|possível|necessário|tudo|não|no)(?:$|[^\p{L}])`)

// yesIf is agreement on a condition: yes, if you take mine on Saturday.
var yesIf = pattern.Lazy(`(?i)^\W*(?:yes|yep|ok|okay|fine|deal|sure|agreed|ja|gern|oui|d['’]accord|sí|sì|va bene|sim|goed|prima)\b[\s,]+(?:but |aber |mais |pero |ma |mas |maar )?(?:only |nur )?(?:if|when|provided|as long as|wenn|sofern|si|se|als|mits)\s`)

// endsOnly tells whether the only day or time of a text is the end of something: the works
// end on 5 March at 10:00.
func (r *reader) endsOnly(spans []span) bool {
	days := 0
	for _, s := range spans {
		if s.kind == 'd' {
			days++
		}
		if s.kind == 'l' || s.kind == 'd' && (s.dates.until != nil || len(s.dates.days) > 1) || s.kind == 't' && (s.times.until != nil || len(s.times.list) > 1) {
			return false
		}
	}
	return days == 1 && len(spans) <= 2 && endOfWorks().MatchString(r.text) || days == 1 && len(spans) <= 2 && endsWith(r.before(spans[0].from), []string{"end", "ends", "ending", "finish", "finishes", "is over", "are over", "endet", "enden", "finit", "finissent", "se termine", "se terminent", "termina", "terminan", "acaba", "acaban", "finisce", "finiscono", "terminano", "terminam", "acabam", "eindigt", "eindigen"})
}

// aside is what is not at the time that a text says, or not only: an hour before the ferry
// on 5 March at 10:00; 5 March, then weekly; 9 March and the two days after; the weekends
// of 7 and 14 March. "30 minutes before", at the end, is of something else.
var aside = sync.OnceValue(func() *regexp.Regexp {
	amount := `(?:an?|half an|one|two|three|four|five|six|ten|fifteen|twenty|thirty|\d+|eine[nr]?|zwei|drei|zehn|une?|deux|trois|dix|una?|uno|dos|tres|diez|due|tre|dieci|uma?|dois|duas|três|dez|een|twee|drie|tien) (?:minutes?|mins?|hours?|days?|weeks?|minuten|stunden?|tage?n?|wochen?|heures?|jours?|semaines?|horas?|minutos?|días?|semanas?|ore|ora|minuti|giorn[oi]|settiman[ae]|dias?|uur|uren|minuten|dag(?:en)?|week|weken)`
	return regexp.MustCompile(`(?i)(?:^|[^\p{L}\d])(?:` + strings.Join([]string{
		amount + ` (?:before|after|prior to|ahead of|in advance of|following|vor|nach|avant|après|antes de|después de|prima d|dopo|depois d|voor|vóór|na)(?: \p{L}+|[’']\p{L}+)`,
		`(?:then|and then|and|thereafter) (?:weekly|fortnightly|monthly|daily|every (?:\p{L}+ )?(?:day|week|month|fortnight|two weeks))|(?:weekly|fortnightly|monthly) (?:thereafter|after that|from then on|afterwards)`,
		`(?:danach|dann|und dann) (?:wöchentlich|monatlich|täglich|alle|jede)|(?:puis|ensuite) (?:chaque|tou(?:s|tes))|(?:luego|después|y) (?:cada semana|semanalmente|todas las semanas)|(?:poi|e poi) (?:ogni|settimanalmente)|(?:depois|e) (?:semanalmente|todas as semanas)|(?:daarna|en dan) (?:elke|wekelijks)`,
		`(?:and|plus) (?:on )?(?:the )?(?:(?:following|next|two|three|four|five|\d+|days|day) )+(?:days?|after|following)|and the days? after`,
		`und (?:die|den|an den) (?:\p{L}+ )?(?:folgenden|nächsten|darauffolgenden)(?: \p{L}+)? ?tage?n?|et les (?:\p{L}+ )?jours suivants|y los (?:\p{L}+ )?días siguientes|e i (?:\p{L}+ )?giorni (?:seguenti|successivi)|e os (?:\p{L}+ )?dias seguintes|en de (?:\p{L}+ )?(?:dagen daarna|volgende dagen)`,
		`weekends? of|wochenenden? (?:vom|am|des)|week-ends? d[ue]|fin(?:es)? de semana del?|fine settimana del?|fim de semana de|weekend(?:en)? van`,
		`or so|oder so|o así|o giù di lì|ou isso|of zo`,
	}, "|") + `)(?:$|[^\p{L}])`)
})

// hoursLeft tells whether two numbers with a dash between can be hours.
func (r *reader) hoursLeft(i int) bool {
	a, b, before := r.tok(i), r.tok(i+2), r.tok(i-1)
	if !r.is(i+1, '-') && !r.word(i+1, untilWords) && !(r.word(i+1, rangeWords) && r.word(i+3, dailyWords)) || b.kind != 'n' || len(a.text) > 2 || len(b.text) > 2 || a.num > 24 || b.num > 24 || r.month(i+3) != 0 {
		return false
	}
	if counts(before) {
		return false
	}
	next := r.tok(i + 3)
	return a.text[0] == '0' || b.text[0] == '0' || next.kind != 'w' && next.kind != 'x' && next.kind != '%' || r.word(i+3, smallWords) || r.word(i+3, list("h hrs uhr only")) || r.word(i+3, dailyWords) || r.word(i+3, placeNouns) || r.weekday(i+3) != 0
}

// counts tells whether a word is of things that have numbers: berths 7-15.
func counts(t token) bool {
	noun := strings.TrimSuffix(t.text, "s")
	return t.kind == 'w' && (placeNouns.has(t.text) || placeNouns.has(noun) || countedNouns.has(t.text) || countedNouns.has(noun))
}

// hoursAlone tells whether two hours and a word for a range stand in a text that says no
// time: the time is the same, 9 to 11.
func (r *reader) hoursAlone() bool {
	for i, t := range r.toks {
		u, next := r.tok(i+2), r.tok(i+3)
		if t.kind == 'n' && u.kind == 'n' && len(t.text) <= 2 && len(u.text) <= 2 && t.num > 0 && r.rangeOfHours(i) && !counts(r.tok(i-1)) && (next.kind != 'w' && next.kind != 'x' && next.kind != '%' || smallWords.has(next.text)) && !r.is(i-1, '/') && !(r.is(i-1, '.') && !t.gap) {
			return true
		}
	}
	return false
}

// hourLeft tells whether a number stands where an hour can, as in about 10.
func (r *reader) hourLeft(i int, timed bool) bool {
	t, next := r.tok(i), r.tok(i+1)
	if !timed && t.num <= 24 && len(t.text) <= 2 && r.word(i-1, list("before by after from vor nach avant après antes después prima dopo depois vóór voor na")) && next.kind != 'w' && next.kind != 'n' && next.kind != '%' {
		return true
	}
	if t.num > 24 || len(t.text) > 2 || t.ordinal || !r.word(i-1, list("at about around approximately approx ca circa until till between um gegen vers environ hacia")) {
		return false
	}
	return next.kind != 'w' && next.kind != 'x' && next.kind != '%' || r.word(i+1, list("on in at and to or until till for o'clock am pm bis und et y e"))
}

// inAndOut tells whether two days without times may be the first and the last: in on 23
// March, out on 3 April.
func (r *reader) inAndOut(spans []span) bool {
	var days []span
	for _, s := range spans {
		if s.kind == 't' && !endsWith(r.before(s.from), deadlineWords) {
			return false
		}
		if s.kind == 'd' {
			days = append(days, s)
		}
	}
	if len(days) != 2 || len(days[0].dates.days) != 1 || len(days[1].dates.days) != 1 || days[0].dates.until != nil || days[1].dates.until != nil {
		return false
	}
	for i := days[0].to; i < days[1].from; i++ {
		if r.word(i, list("out off down back return returns returning leave leaves leaving depart departs end ends ending until till finish finishes")) {
			return true
		}
	}
	return false
}

// backwards tells whether days of the week, counted from today, run backwards: Mon–Wed
// and Thu–Sun of one rota, said on a Tuesday, are of two weeks.
func (d *document) backwards(groups []group) bool {
	var last time.Time
	for _, g := range groups {
		if g.dates == nil || g.inherits || !g.dates.days[0].relative || g.dates.days[0].weekdays == 0 {
			continue
		}
		days, _ := d.resolve(*g.dates)
		if len(days) == 0 {
			continue
		}
		if days[0].first.Before(last) {
			return true
		}
		last = days[0].first
	}
	return false
}

// nights tells whether days stand in pairs for the nights between them: 16/17 March.
func (r *reader) nights(spans []span, n int) bool {
	if phraseIn(r.text, []string{"night", "nights", "overnight", "nacht", "nächte", "nuit", "nuits", "noche", "noches", "notte", "notti", "noite", "noites", "nachten"}) == "" {
		return false
	}
	for i := spans[n].from + 1; i < spans[n].to; i++ {
		if r.is(i, '/') && r.is(i-1, 'n') && r.is(i+1, 'n') && r.tok(i+1).num == r.tok(i-1).num+1 {
			return true
		}
	}
	return false
}

// rough gives the last token of a length that is said only roughly: a couple of hours.
func (r *reader) rough(i int) int {
	if !r.word(i, list("couple few several some ein_paar einige quelques algunas alcune algumas enkele")) {
		return 0
	}
	n := i + 1
	if r.word(n, list("of de")) {
		n++
	}
	if r.word(n, list("minutes hours stunden minuten heures horas ore uren")) && !r.notOfEvent(i, n) {
		return n
	}
	return 0
}

// lasting gives the last token of a number with a unit of time.
func (r *reader) lasting(i int) int {
	n := numberOf(r.tok(i))
	if n < 1 || r.tok(i).text == "a" || r.tok(i).text == "an" {
		return 0
	}
	at := i + 1
	if r.is(at, '-') {
		at++
	}
	if r.word(at, list("more full good")) {
		at++
	}
	if r.word(at, list("minutes hours hrs hr stunden minuten heures horas uren")) && !r.notOfEvent(i, at) && !(r.word(at, list("hrs hr")) && (n > 48 || r.is(i, 'n') && len(r.tok(i).text) > 2)) {
		return at
	}
	return 0
}

// lastsDays gives the last token of a number of days that something lasts, 3 days, 2 Tage; 0 for
// none.
func (r *reader) lastsDays(i int) int {
	at := i + 1
	if r.is(at, '-') {
		at++
	}
	if n := numberOf(r.tok(i)); n < 2 || n > 60 || !r.word(at, list("days day tage tagen tägig tägige tägiger tägiges jours días dias giorni dagen")) {
		return 0
	}
	if _, end := r.one(at + 2); r.notOfEvent(i, at) && !(end > 0 && r.tok(at+1).text == "from") || r.word(i-1, list("in the these last first next dans en em tra fra over binnen den die les los las os i gli de")) && !r.word(i-1, list("de")) {
		return 0
	}
	return at
}

// notOfEvent tells whether a length is said of something else than how long the event
// lasts: two hours before, within 24 hours.
func (r *reader) notOfEvent(from, to int) bool {
	if r.tok(to+1).text == "from" { // 24 hrs from 0800
		if _, end := r.clock(to+2, true); end > 0 {
			return false
		}
	}
	return r.word(from-1, list("within every after before per than least most last past previous next other innerhalb alle")) ||
		r.word(to+1, list("notice ago early earlier late later before after in prior ahead from old off each per vorher später"))
}

// saysNothing tells whether all that is said beside the days is that there is nothing.
func (r *reader) saysNothing(spans []span) bool {
	said := false
	for i := range r.toks {
		if r.tok(i).kind != 'w' || within(spans, i) {
			continue
		}
		if !r.word(i, list("nothing none free empty nil no calls call ships arrivals departures bookings events work works planned scheduled programme program entry entries duty training keine nichts frei rien aucun libre nada ninguno niente nessuno libero nenhum livre niets geen vrij at all")) {
			return false
		}
		said = said || r.word(i, list("nothing none free empty nil no keine nichts frei rien aucun libre nada ninguno niente nessuno libero nenhum livre niets geen vrij"))
	}
	return said
}

// daysLeftOut is said of a range that leaves out days.
const daysLeftOut = "names days that are left out"

// endsBy tells of an end that is said as a deadline: done by 20 March. It tells of days
// that are left out as well.
func (r *reader) endsBy(passed []string, spans []span) string {
	if slices.Contains(passed, notToBe) && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.dates.until != nil && s.dates.days[0].month > 0 }) && phraseIn(r.text, movedWords) == "" {
		return daysLeftOut
	}
	if slices.Contains(passed, "an exception") {
		return daysLeftOut
	}
	if !slices.Contains(passed, "a deadline") {
		return ""
	}
	if p := phraseIn(r.text, []string{"done by", "finished by", "completed by", "complete by", "finish by", "over by", "back by", "back in by", "leave by", "vacate by", "depart by", "out of it by", "clear it by", "home by", "alongside by", "clear by", "away by", "gone by", "down by", "off by", "ready by", "end by", "ends by", "through by", "finishing by", "finishes by", "ending by", "end before", "ends before", "finish before", "finished before", "over before", "fertig bis", "beendet bis", "zu ende bis", "fini avant", "terminé avant", "terminado antes", "finito entro", "terminato entro", "terminado até", "klaar voor"}); p != "" {
		return "says by when it ends (" + strconv.Quote(p) + "), and not when"
	}
	return ""
}

// phraseAt tells whether a text begins with one of some phrases.
func phraseAt(text string, phrases []string) bool {
	text = strings.ToLower(strings.TrimLeft(text, " -–•*()"))
	return slices.ContainsFunc(phrases, func(p string) bool {
		rest, ok := strings.CutPrefix(text, p)
		return ok && !startsWithLetter(rest)
	})
}

// nightBetween is a night that is named by the days before and after it.
var nightBetween = pattern.Lazy(`(?i)(?:nacht|noite|night)\s+(?:vom|von|van|de|of)\s+(?:\p{L}+,?\s+)?(?:den\s+|dem\s+)?\d{1,2}\.?\s+(?:\p{L}+\s+)?(?:auf|op|para|into)\s`)
