package notice

import (
	"slices"
	"strings"

	"almanach/internal/core/pattern"
)

var (
	eachWords  = words(`every each jeden jede jedes jeder jedem alle alles chaque cada ogni elke elk iedere ieder todos todas tous toutes tutti tutte om`)
	cycleWords = words(`week weeks month months quarter quarters year years fortnight fortnights
		woche wochen monat monate monats quartal jahr jahre semaine semaines mois trimestre an ans année
		semana semanas mes meses mês año años ano anos settimana settimane mese mesi anno anni
		weken maand maanden kwartaal jaar`)
	otherWords = words(`other second third fourth last first zweite zweiten zweiter dritte dritten dritter vierte vierten erste ersten letzte letzten
		deuxième troisième premier dernier segundo segunda tercer tercera primer primero primera último última terceiro terceira primeiro
		secondo seconda terzo terza primo prima ultimo ultima tweede derde eerste laatste andere les los las os as i le de the`)
	cycles = words(`weekly fortnightly biweekly bi-weekly monthly quarterly yearly annually
		wöchentlich zweiwöchentlich vierzehntägig monatlich vierteljährlich jährlich
		hebdomadaire hebdomadaires mensuel mensuelle mensuellement annuellement
		semanal semanalmente quincenal quinzenal mensual mensualmente mensal mensalmente anualmente
		settimanale settimanalmente mensile mensilmente annualmente wekelijks maandelijks jaarlijks`)
)

// recurs tells whether a text says that something comes again week by week or month by
// month, and gives one day or the range of it: every Tuesday from 7 April. Days that are
// listed are those of the event, and a monthly drill on one day is one event.
func (r *reader) recurs(spans []span) bool {
	days, ranged, from := 0, false, false
	for _, s := range spans {
		if s.kind != 'd' || s.dates.days[0].relative {
			continue
		}
		days += len(s.dates.days)
		ranged = ranged || s.dates.until != nil
		from = from || r.word(s.from, fromWords) || r.word(s.from, startingWords) || endsWith(r.before(s.from), firstOn)
	}
	if days == 0 || days > 1 && !ranged {
		return false
	}
	for i := range r.toks {
		if from && (r.word(i, cycles) || r.is(i, 'n') && r.tok(i).num > 1 && r.tok(i).num < 60 && r.weekday(i+1) != 0 && !inRange(spans, i)) { // 4 martedì dal 7 aprile
			return true
		}
		if !r.word(i, eachWords) {
			continue
		}
		n := i + 1
		for r.word(n, otherWords) || r.is(n, 'n') && r.tok(n).num < 13 || numberWords.number(r.tok(n).text) > 0 || r.is(n, '.') {
			n++
		}
		if r.word(n, cycleWords) || r.weekday(n) != 0 && !inRange(spans, n) {
			return true
		}
	}
	return false
}

// inRange tells whether a token is one of the days that are listed.
func inRange(spans []span, i int) bool {
	return slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && !s.dates.days[0].relative && i >= s.from && i < s.to })
}

// firstOn stands before the first day of what comes again.
var firstOn = []string{"first on", "first time on", "starting", "starting on", "beginning", "beginning on", "with effect from", "erstmals am", "zum ersten mal am", "beginnend am", "première fois le", "pour la première fois le", "primera vez el", "por primera vez el", "prima volta il", "per la prima volta il", "primeira vez a", "voor het eerst op", "eerste keer op"}

// ofThenOn is an event named by one day that is said to be on another: the meeting of
// 6 April will be on 7 April.
var ofThenOn = pattern.Lazy(`(?i)^(?:will (?:now )?be|is(?: now)?|takes place|will take place|will be held|is held|is to be|findet|wird|ist|será|es|se celebra(?:rá)?|tendrá lugar|aura lieu|sera|est|se tiendra|si terrà|sarà|è|avrà luogo|terá lugar|é|realiza-se|is op|wordt|vindt|zal)(?:$|[^\p{L}])`)

// ofDay stands before the day by which an event is named.
var ofDay = words(`of vom von du del do di van`)

// twoDays tells whether one event has a day by which it is named, and another on which it
// is to be.
func (r *reader) twoDays(spans []span) bool {
	if phraseIn(r.text, movedWords) != "" || phraseIn(r.text, putOff) != "" || cancels(r.text) { // moved keeps the day to which it is
		return false
	}
	for n := 1; n < len(spans); n++ {
		a, b := spans[n-1], spans[n]
		if a.kind == 't' && n > 1 { // of 6 April at 10:00
			a = spans[n-2]
		}
		if a.kind != 'd' || b.kind != 'd' || a.dates.until != nil || len(a.dates.days) > 1 {
			continue
		}
		named := r.word(a.from, fromWords) || r.word(a.from-1, fromWords) || r.word(a.from-1, ofDay)
		between := r.text[r.tok(spans[n-1].to-1).to:r.tok(b.from).from]
		if named && a.from > 1 && ofThenOn().MatchString(strings.TrimLeft(between, " ,;")) {
			return true
		}
	}
	return false
}

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

// quarterPast is the mark of a lecture that begins a quarter of an hour later: 10 Uhr c.t.
var quarterPast = pattern.Lazy(`\d(?: ?Uhr)? c\. ?t\.`)

// endOfWorks is the name of an end, which is no event of its own.
var endOfWorks = pattern.Lazy(`(?i)^\W*(?:(?:end|completion) of (?:the )?(?:works?|dredging|closure|construction)|ende der (?:\p{L}*arbeiten|sperrung)|fin (?:des travaux|de la fermeture|de las obras|del cierre)|fine (?:dei lavori|della chiusura)|fim (?:das obras|do fecho)|einde (?:van de )?(?:werkzaamheden|afsluiting))`)

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
	if phraseIn(r.text, openWords) != "" || slices.ContainsFunc(spans, func(s span) bool { return s.from > i && s.from <= i+4 }) { // until further notice has its own reason
		return false
	}
	return r.word(i, list("until till bis jusqu'à jusqu'au hasta fino até tot")) && r.is(i+1, 'w') ||
		r.word(i, list("to bis à al até tot")) && r.word(i+1, list("end close finish ende fin fine fim einde"))
}
