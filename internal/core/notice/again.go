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
	articles = words(`les los las os as i le de the`)
	dayWords = words(`day days tag tage tagen tages jour jours día días dia dias giorno giorni dag dagen`)
	cycles   = words(`weekly fortnightly biweekly bi-weekly monthly quarterly yearly annually
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
	if dayAndNot().MatchString(r.text) {
		return true
	}
	for i := range r.toks {
		if from && (r.word(i, cycles) || r.is(i, 'n') && r.tok(i).num > 1 && r.tok(i).num < 60 && r.weekday(i+1) != 0 && !listedDay(spans, i)) { // 4 martedì dal 7 aprile
			return true
		}
		if !r.word(i, eachWords) {
			continue
		}
		n, counted := i+1, false
		for r.word(n, otherWords) || r.is(n, 'n') && r.tok(n).num < 13 || numberWords.number(r.tok(n).text) > 0 || r.is(n, '.') {
			counted = counted || !r.word(n, articles) && !r.is(n, '.')
			n++
		}
		if counted && r.word(n, dayWords) { // every second day
			return true
		}
		if r.word(n, cycleWords) || r.weekday(n) != 0 && !listedDay(spans, n) {
			return true
		}
	}
	return false
}

// listedDay tells whether a token is one of the days that are listed.
func listedDay(spans []span, i int) bool {
	return slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && !s.dates.days[0].relative && i >= s.from && i < s.to })
}

// firstOn stands before the first day of what comes again.
var firstOn = []string{"first on", "first time on", "starting", "starting on", "beginning", "beginning on", "with effect from", "erstmals am", "zum ersten mal am", "beginnend am", "première fois le", "pour la première fois le", "primera vez el", "por primera vez el", "prima volta il", "per la prima volta il", "primeira vez a", "voor het eerst op", "eerste keer op"}

// ofThenOn is an event named by one day that is said to be on another: the meeting of
// 6 April will be on 7 April.
var ofThenOn = pattern.Lazy(`(?i)^(?:will (?:now )?be|is(?: now)?|takes place|will take place|will be held|is held|is to be|findet|wird|ist|será|es|se celebra(?:rá)?|tendrá lugar|aura lieu|sera|est|se tiendra|si terrà|sarà|è|avrà luogo|terá lugar|é|realiza-se|is op|wordt|vindt|zal)(?:$|[^\p{L}])`)

// became stands between what was and what is: Monday 10:00 has become Tuesday 11:00.
var became = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:has become|have become|becomes|became|turns into|turned into|wird zu|wurde zu|ist jetzt|est devenue?|devient|ha pasado a ser|pasa a ser|è diventat[ao]|diventa|passou a ser|passa a ser|is nu|wordt nu|is now|now is)(?:$|[^\p{L}])`)

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
		if !endsWith(r.before(a.from), insteadOf) && became().MatchString(r.text[r.tok(spans[n-1].to-1).to:r.tok(b.from).from]) {
			return true
		}
		named := r.word(a.from, fromWords) || r.word(a.from-1, fromWords) || r.word(a.from-1, ofDay)
		between := r.text[r.tok(spans[n-1].to-1).to:r.tok(b.from).from]
		if named && a.from > 1 && ofThenOn().MatchString(strings.TrimLeft(between, " ,;")) {
			return true
		}
	}
	return false
}
