package notice

import (
	"regexp"
	"slices"
	"strings"
	"sync"

	"almanach/internal/core/pattern"
)

// oddTime is a time in a form that is none of a text: T10:00Z, c. 10, h10.
var oddTime = pattern.Lazy(`(?:^|[\s,])(?:T\d{1,2}[:.]?\d{2}|c\. ?\d{1,2}(?:[:.]\d{2})?|h\d{1,2}(?:[:.]\d{2})?)(?:Z|\b)`)

// atMost stands before a length that something has at least or at most.
var atMost = []string{"at least", "at most", "max", "max.", "maximum", "min.", "minimum", "up to", "mindestens", "höchstens", "maximal", "minimal", "bis zu", "au moins", "au plus", "au maximum", "al menos", "como máximo", "como mínimo", "almeno", "al massimo", "pelo menos", "no máximo", "minstens", "hoogstens", "maximaal", "ten minste"}

// hourBeside gives the last token of an hour in a form of its own behind a day: h 10, 10 o
// clock, 9 12, ten; 0 for none.
func (r *reader) hourBeside(i int, spans []span) int {
	if !slices.ContainsFunc(spans, func(s span) bool {
		return s.kind == 'd' && (s.to == i || s.to == i-1 && (r.is(i-1, ',') || r.is(i-1, '-')))
	}) {
		return 0
	}
	hour := func(n int) bool { return r.is(n, 'n') && len(r.tok(n).text) <= 2 && r.tok(n).num < 25 }
	switch {
	case r.word(i, list("h hr hrs")) && hour(i+1):
		return i + 1
	case r.word(i, list("h hr hrs")) && r.is(i+1, '.') && hour(i+2):
		return i + 2
	case hour(i) && r.tok(i+1).text == "o" && r.tok(i+2).text == "clock":
		return i + 2
	case hour(i) && hour(i+1):
		return i + 1
	case r.is(i, 'w') && numberWords.number(r.tok(i).text) > 1 && numberWords.number(r.tok(i).text) < 13 && !r.is(i+1, 'w') && !r.is(i+1, '-'):
		return i
	}
	return 0
}

// comesAndGoes is a stay whose verbs are apart from their second halves, or from the day by a
// small word: läuft am 7. April ein und am 9. April aus, chega a 7 e parte a 9.
var comesAndGoes = pattern.Lazy(`(?i)(?:^|\s)(?:läuft|legt|kommt|fährt)\s[^.;]*\d[^;]*\s(?:ein|an)\s+und\s[^;]*\d[^;]*\s(?:aus|ab)(?:$|[^\p{L}])|(?:^|\s)(?:chega|entra|atraca)\s[^;]*\d[^;]*\s(?:parte|sai|larga)\s+(?:a|em|no dia)\s+\d`)

// daysOff are days of the week or holidays that are left out of a range: excluding weekends,
// not on Sundays, salvo domingos, m.u.v. weekenden.
var daysOff = pattern.Lazy(`(?i)(?:^|[\s,;:(–—-])(?:` +
	`(?:excl\.?|excluding|except(?:ing|ed)?|exc\.|apart from|other than|minus|hors|sauf|excepté|hormis|à l'exception|au[sß]s?er|ausgenommen|excepto|salvo|menos|excluid[oa]s?|exceptuando|esclus[ieoa]|tranne|eccetto|exceto|excluindo|fora|behalve|m\.u\.v\.|uitgezonderd)` + offWords +
	`(?:week-?ends?|weekenden|wochenenden?|fines? de semana|fine settimana|fins? de semana|holidays?|feiertage?n?|jours fériés|fériés|festivos|feriados|festivi|feestdagen|(?:mon|tues|wednes|thurs|fri|satur|sun)days?|(?:mon|diens|donners|frei|sams|sonn)tage?n?s?|mittwochs?|sonnabends?|(?:lun|mar|mercre|jeu|vendre|same)dis?|dimanches?|lunes|martes|miércoles|jueves|viernes|sábados?|domingos?|lunedì|martedì|mercoledì|giovedì|venerdì|sabat[oi]|domenic(?:a|he)|(?:segunda|terça|quarta|quinta|sexta)s?(?:-feiras?)?|(?:maan|dins|woens|donder|vrij|zater|zon)dag(?:en)?)` +
	`|(?:but not|not|without|ohne|nicht|no|sin|senza|non|não|sem|zonder|niet)` + offWords +
	`(?:week-?ends|weekenden|wochenenden?|fines de semana|fine settimana|fins de semana|holidays|feiertagen?|jours fériés|festivos|feriados|festivi|feestdagen|(?:mon|tues|wednes|thurs|fri|satur|sun)days|(?:mon|diens|donners|frei|sams|sonn)tag(?:en|s)|lundis|mardis|mercredis|jeudis|vendredis|samedis|dimanches|sábados|domingos|(?:maan|dins|woens|donder|vrij|zater|zon)dagen)` +
	`)(?:$|[^\p{L}])`)

const offWords = `\s+(?:(?:for|on|over|at|an|am|in|den|die|the|les|le|la|los|las|el|i|gli|il|os|as|aos|de|des|du|het|public|bank|school|und|and|oder|or|op)\s+)*`

// dayAndNot is said of what is on one day and not on the next.
var dayAndNot = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:alternat(?:e|ing) days|(?:odd|even) (?:days|dates)|(?:un |tous les )?jours? sur (?:deux|trois|2|3)|días? alternos?|un día sí y otro no|giorni alterni|un giorno sì e uno no|dias alternados|dia sim,? dia não|de (?:dois em dois|três em três) dias|tous les (?:deux|trois|2|3) jours|om de (?:andere )?dag|om de (?:twee|drie|2|3) dagen)(?:$|[^\p{L}])`)

// toTheSecond is a time with seconds that are not none.
var toTheSecond = pattern.Lazy(`(?:^|[^\d:])\d{1,2}:[0-5]\d:(?:0[1-9]|[1-5]\d)(?:$|[^\d:])`)

// clockList are several times of a day without signs: 0615/1215/1815.
var clockList = pattern.Lazy(`(?:^|\s)(?:[01]\d|2[0-3])[0-5]\d(?:[/+](?:[01]\d|2[0-3])[0-5]\d)+(?:$|[\s,;.)])`)

// hourly is what goes on again and again on one day.
var hourly = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:hourly|half[- ]hourly|every (?:\d+|ten|fifteen|twenty|thirty|two|three|half) ?(?:minutes|mins|min|hours|hour)|every hour|on the hour|stündlich|halbstündlich|alle \d+ (?:minuten|stunden)|zu jeder vollen stunde|toutes les (?:heures|demi-heures|\d+ (?:minutes|heures))|cada (?:hora|media hora|\d+ (?:minutos|horas))|ogni (?:ora|mezz[’']ora|\d+ (?:minuti|ore))|de hora em hora|a cada (?:hora|\d+ minutos)|elk uur|ieder uur|om het uur|elke \d+ minuten)(?:$|[^\p{L}])`)

// daySlot is a half of the day as a code beside its day: PM slot, (a.m.).
var daySlot = pattern.Lazy(`(?:^|[\s,;:(–—-])(?:AM|PM|(?i:pm|[ap]\.m\.?)|(?i:am) only)(?:$|[,;.)]|\s*(?i:slot|session|shift|only|call|visit|delivery|appointment|sitting|[-–—(]))`)

// quarterPast is the mark of a lecture that begins a quarter of an hour later: 10 Uhr c.t.
var quarterPast = pattern.Lazy(`\d(?: ?Uhr)? c\. ?t\.`)

// onTheDot is the hour of a lecture, alone: 9 s.t.
var onTheDot = pattern.Lazy(`\d(?: ?Uhr)? s\. ?t\.`)

// noSuch is a line that says behind its day what is not: 27 March: no choir.
var noSuch = pattern.Lazy(`(?i)\d(?:st|nd|rd|th)?\.?(?: \p{L}+)?(?: \d{4})?\s*[:–—-]\s*(?:no|kein|keine|keinen|pas de|aucun|aucune|sin|no hay|nessun|nessuna|niente|sem|não há|geen)\s+(\p{L}{3,})`)

// notHour is an answer that wants another hour than the one it names, and partAlone one that is
// a part of the day.
var (
	notHour   = pattern.Lazy(`(?i)^\W*(?:no,? |sorry,? )?(?:not|nicht|pas|non|niet|não) (?:at |um |à |om |alle |às )?\d{1,2}\b`)
	partAlone = pattern.Lazy(`(?i)^\W*(?:(?:yes|ok|the|in the|rather|better|please|lieber|am|plutôt|le|l'|mejor|por la|meglio|de|no|in de)[ ,]*)*(?:morning|afternoon|evening|vormittags?|nachmittags?|abends?|morgens|matin|après-midi|soir|mañana|tarde|mattina|pomeriggio|sera|manhã|ochtend|middag|avond)(?: please| bitte)?\W*$`)
)

// availableFrom is a time from which something can be had.
var availableFrom = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:available|free|ready|vacant) (?:again )?(?:only )?from |(?:^|[^\p{L}])(?:verfügbar|frei|bereit) ab |(?:^|[^\p{L}])(?:disponibles?|libres?|disponibile|libero|livre|disponível) (?:à partir|a partir|dès|desde|dalle)(?:[^\p{L}]|$)|(?:^|[^\p{L}])(?:beschikbaar|vrij) vanaf `)

// endOfWorks is the name of an end, which is no event of its own.
var endOfWorks = pattern.Lazy(`(?i)^\W*(?:(?:end|completion) of (?:the )?(?:works?|dredging|closure|construction)|ende der (?:\p{L}*arbeiten|sperrung)|fin (?:des travaux|de la fermeture|de las obras|del cierre)|fine (?:dei lavori|della chiusura)|fim (?:das obras|do fecho)|einde (?:van de )?(?:werkzaamheden|afsluiting))`)

// saidOf stands before a day on which something was: thanks for the call on, as discussed
// on, we met on.
var saidOf = pattern.Lazy(`(?i)(?:thanks? (?:you )?for (?:the|your|our|coming|a)\s.{0,40}|as (?:discussed|agreed|mentioned|announced|said|written|promised)|(?:further|with reference|referring) to .{0,40}|\b(?:i|we|he|she|they|you) (?:met|called|phoned|spoke|talked|saw|sent|wrote|visited|received|discussed|emailed|mailed|rang|came|went|arrived|left|sailed)\b.{0,40}|danke für .{0,40}|wie (?:am|besprochen|vereinbart|angekündigt)\b.{0,12}|merci pour .{0,40}|(?:comme convenu|comme discuté|suite à) .{0,40}|gracias por .{0,40}|como (?:acordamos|hablamos|acordado|combinado)\b.{0,12}|grazie per .{0,40}|come (?:concordato|discusso)\b.{0,12}|obrigad[oa] p(?:or|el[oa]) .{0,40}|bedankt voor .{0,40}|zoals (?:besproken|afgesproken)\b.{0,12})\s*(?:on|last|am|le|el|il|na|no|op|de|du|del|van)?\s*(?:the\s*)?$`)

// endLine is a line of a programme that says when it is over.
var endLine = pattern.Lazy(`(?i)^\W*(?:\d{1,2}(?:[:.h]\d\d)?(?: ?(?:[ap]\.?m\.?|uhr|h|uur))?\W+)(?:(?:approx\.?|ca\.?|about) )?(?:the )?(?:end|ends|finish|end of (?:the )?(?:day|programme|program|event)|ende|ende der veranstaltung|fin|fine|fim|einde)\W*$|` +
	`^\W*(?:end|ends|finish|ende|fin|fine|fim|einde)(?:\s*:\s*(?:(?:approx\.?|ca\.?|about|gegen|vers|alle|um|à) )?|\s+)\d{1,2}(?:[:.h]?\d\d)?(?: ?(?:[ap]\.?m\.?|uhr|h|hrs|uur))?\W*$`)

// changes is what stands before a day from which something is moved, and to which.
var changes = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:change|amend|re-?book|alter|ändern|umbuchen|changer|changez|modifier|modifiez|déplacer|décaler|cambiar|cambie|cambiare|cambiate|spostare|spostate|mudar|alterar|wijzig|wijzigen|verplaatsen|verplaats)(?:[^\p{L}]|$)`)

// backBy is an end that is said as a deadline: back at the office by 2.
var backBy = pattern.Lazy(`(?i)\bback\b[^.,;\d]{1,30}\bby\s+\d{1,2}(?:[.!]?\s*$|[.,;]\s)`)

// quarterOf is a quarter before or behind an hour that is not said.
var quarterOf = pattern.Lazy(`(?i)\b(?:quarter|ten|five|twenty|half) (?:to|past)\s*(?:[.,;!?)]|$)`)

// elseOf is something that somebody has beside the event: she has another appointment at 15:00.
var elseOf = pattern.Lazy(`(?i)\b(?:another|other|a different) (?:appointment|engagement|commitment|meeting to go to|meeting elsewhere|commitments|appointments)\b|\b(?:einen anderen|anderen|andere) (?:termin|termine|verpflichtungen)\b|\bautre (?:rendez-vous|engagement)\b|\botra cita\b|\botro compromiso\b|\baltro (?:appuntamento|impegno)\b|\boutro compromisso\b|\bandere afspraak\b`)

// startLine is a line of a programme that says when it begins.
var startLine = pattern.Lazy(`(?i)^\W*(?:\d{1,2}(?:[:.h]?\d\d)?(?: ?(?:[ap]\.?m\.?|uhr|h|hrs|uur))?\W+)?(?:the )?(?:start|starts|begin|begins|beginning|beginn|anfang|début|inicio|inizio|início|aanvang|begint)(?:\s*:)?(?:\W|\d|$)`)

// asking is what asks for a day in a text that nobody answers.
var asking = []string{"we propose", "we suggest", "we would propose", "would suit", "suit you", "please confirm", "we hope to", "wir schlagen vor", "bitte bestätigen", "nous proposons", "merci de confirmer", "proponemos", "por favor confirme", "proponiamo", "si prega di confermare", "propomos", "por favor confirmem", "wij stellen voor", "we stellen voor", "graag bevestigen"}

// timesOver stands before the length of one of several parts: 4 x 45 min.
var timesOver = pattern.Lazy(`\d ?[x×] ?$`)

// untilSomething tells whether an end follows a day or a time that is none of a clock: until
// the ship has sailed, to end of shift.
func (r *reader) untilSomething(i int, spans []span) bool {
	if !slices.ContainsFunc(spans, func(s span) bool { return s.kind != 'l' && (s.to == i || s.to == i-1 && r.is(i-1, ',')) }) {
		return false
	}
	if phraseIn(r.text, openWords) != "" || slices.ContainsFunc(spans, func(s span) bool { return s.from > i && s.from <= i+4 && r.onlyAround(i+1, s.from) }) { // until further notice has its own reason
		return false
	}
	return r.word(i, list("until till bis jusqu'à jusqu'au hasta fino até tot")) && r.is(i+1, 'w') ||
		r.word(i, list("to bis à al até tot")) && r.word(i+1, list("end close finish ende fin fine fim einde"))
}

// onlyAround tells whether only small words stand between until and its day or time: none of
// until first thing tomorrow, until about 5 on Friday.
func (r *reader) onlyAround(from, to int) bool {
	for i := from; i < to; i++ {
		if r.is(i, 'n') || r.is(i, 'w') && !r.word(i, aroundUntil) && !r.word(i, dayLinks) && !r.word(i, atWords) && !vagueWord.has(r.tok(i).text) && !r.word(i, roughWords) && !r.word(i, list("next this coming nächsten nächster kommenden dem prochain próximo prossimo volgende")) {
			return false
		}
	}
	return true
}

// endInWords is an end that no clock tells: finishing before lunch, for most of the morning,
// ends when the tide turns.
var endInWords = sync.OnceValue(func() *regexp.Regexp {
	whole := []string{
		`(?:most|all|much|the whole|the entire|the rest|a good part|the better part) (?:of )?(?:the )?(?:morning|afternoon|day|evening|night|shift)`,
		`(?:den|die|fast den|fast die) ganzen? (?:vormittag|nachmittag|morgen|abend|nacht|schicht)`,
		`toute la (?:matinée|soirée|nuit)|tout l['’]après-midi`,
		`toda la (?:mañana|tarde|noche)|tutt(?:a la|o il) (?:mattina|mattinata|pomeriggio|sera|serata|notte)|toda a (?:manhã|tarde|noite)|de hele (?:ochtend|middag|avond|nacht)`,
	}
	ends := []string{
		`(?:finish(?:es|ing)?|ends?|ending|over|wrap(?:s|ping)? up|done) (?:just |well |shortly |some ?time )?(?:before|after|when|once|as soon as|with|in time for) [\p{L}]`,
		`(?:endet|ende|schluss|fertig) (?:vor|nach|wenn|sobald|mit) (?:dem|der|den|das|die)? ?\p{L}`,
		`(?:se termine|finit|termina|acaba|finisce|eindigt) (?:avant|après|quand|dès|antes|después|cuando|prima|dopo|quando|depois|voor|na|als|zodra) `,
	}
	return regexp.MustCompile(`(?i)(?:^|[^\p{L}])(?:` + strings.Join(slices.Concat(whole, ends), "|") + `)`)
})

// noEnd is a time with a dash behind it and no time: 8:00–tbc; 0730-, in a column of times from
// and until.
var noEnd = pattern.Lazy(`(?i)\b[0-2]\d[0-5]\d[-–—]\s|\d\s?(?:h|hrs|uhr|am|pm)?\s?[-–—]\s?(?:t\.?b\.?[acd]\b|(?:open|offen|ende offen)\s*(?:$|[,.;)])|\?|xx|__|\.\.\.|…|$)`)

// beside tells whether a token follows a time or a length with nothing between them.
func (r *reader) beside(i int, spans []span) bool {
	return slices.ContainsFunc(spans, func(s span) bool {
		if s.kind == 'l' {
			return s.to == i
		}
		return s.kind == 't' && s.to == i && !s.times.list[len(s.times.list)-1].colon && s.times.until == nil
	})
}

// durationLeft gives the number behind a word of how long something lasts that is in no
// span; 0 for none.
func (r *reader) durationLeft(i int, used func(int) bool) int {
	for n := i + 1; n <= i+3; n++ {
		if t := r.tok(n); !used(n) && (t.kind == 'n' || numberWords.number(t.text) > 1) {
			return n
		}
	}
	return 0
}

// weekAhead counts weeks from a day in words that are not read: mardi en huit, Monday
// fortnight, Montag über acht Tage, lunedì a otto.
var weekAhead = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:(?:\p{L}+di|dimanche|aujourd[’']hui|demain) en (?:huit|quinze|8|15)|(?:\p{L}+tag|mittwoch|heute|morgen) (?:über|in) (?:acht|vierzehn|8|14) tage?n?|übernächst\p{L}+|(?:\p{L}+dì|sabato|domenica|oggi|domani) a (?:otto|quindici)|(?:segunda|terça|quarta|quinta|sexta|sábado|domingo|hoje|amanhã)(?:-feira)? a (?:oito|quinze)|de (?:hoy|mañana|\p{L}+) en (?:ocho|quince)|(?:\p{L}+dag|vandaag|morgen) over (?:acht dagen|veertien dagen|14 dagen)|(?:\p{L}+day|today|tomorrow) fortnight|today week|after next|but one)(?:$|[^\p{L}])`)

// behindDay, besideDay and aheadDay are words behind or before a day of the week that count it from something else,
// or leave open which it is.
var (
	behindDay = words(`following suivant suivante d'après darauf danach siguiente anterior successivo successiva seguente seguinte erna daarna`)
	besideDay = words(`after before après avant nach vor después antes dopo prima depois na`)
	aheadDay  = words(`following other any some folgenden folgender darauffolgenden darauffolgender nächstfolgenden irgendeinem otro otra autre altro altra outro outra andere einem un una uno`)
)

// whichWeek tells whether a text names a day of the week, today or tomorrow, and counts it from
// something that is not read, or leaves open which it is: the Monday after the regatta, any
// Monday.
func (r *reader) whichWeek(spans []span) bool {
	for _, s := range spans {
		if s.kind != 'd' || !s.dates.days[0].relative {
			continue
		}
		if weekAhead().MatchString(r.text) {
			return true
		}
		if s.dates.days[0].weekdays == 0 {
			continue
		}
		if r.word(s.from-1, aheadDay) || r.tok(s.from-1).text == "a" && strings.HasSuffix(r.tok(s.to-1).text, "day") {
			return true
		}
		next := s.to + 1 // Monday after 10, lundi après-midi, Montag vor Ort
		if r.word(s.to, behindDay) || r.word(s.to, besideDay) && !(r.is(next, '-') && r.tok(next+1).text == "midi") && !r.word(next, list("ort midi noon lunch")) && !slices.ContainsFunc(spans, func(o span) bool { return o.from >= s.to && o.from <= next }) {
			return true
		}
	}
	return false
}

// inZones tells whether a time is said again in another zone: 10:00–11:00 UTC (11:00–12:00 local).
func (r *reader) inZones(spans []span) bool {
	for n := 1; n < len(spans); n++ {
		a, b := spans[n-1], spans[n]
		if a.kind != 't' || b.kind != 't' || (a.times.until == nil) != (b.times.until == nil) {
			continue
		}
		between := strings.TrimSpace(strings.Trim(r.text[r.tok(a.to-1).to:r.tok(b.from).from], " ()/=,;"))
		if word := strings.ToLower(between); word != "" && !slices.Contains([]string{"local", "local time", "lt", "i.e.", "that is", "ortszeit", "d.h.", "soit", "heure locale", "es decir", "hora local", "cioè", "ora locale", "ou seja", "oftewel", "lokale tijd"}, word) {
			continue
		}
		if a.times.zone != b.times.zone {
			return true
		}
	}
	return false
}

// inCities tells whether several times have cities behind them: 10:00 Lisbon / 11:00 Paris.
func (r *reader) inCities(spans []span) bool {
	n := 0
	for _, s := range spans {
		if s.kind == 't' && cities[r.tok(s.to).text] != "" {
			n++
		}
	}
	return n > 1
}
