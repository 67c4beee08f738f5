package notice

import (
	"slices"
	"strconv"
	"strings"
)

// besides is the text without its days and times.
func (r *reader) besides(spans []span) string {
	out, at := "", 0
	for _, s := range spans {
		if from := r.tok(s.from).from; from >= at {
			out += r.text[at:from] + " "
			at = r.tok(s.to - 1).to
		}
	}
	return out + r.text[at:]
}

// leftPhrases looks at phrases, and at how the days and times of a text stand to each other.
func (r *reader) leftPhrases(spans []span) string {
	used := func(i int) bool { return within(spans, i) }
	has := func(kind byte) bool { return hasKind(spans, kind) }
	lower := strings.ToLower(r.text)
	if slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.dates.days[0].relative && s.dates.days[0].weekdays != 0 }) && containsOne(lower, "week woche kw semaine semana settimana") && weekNumber().MatchString(r.text) {
		return "names a week by its number, and days of the week"
	}
	if has('d') && !has('t') && containsOne(lower, "no kein pas nessun nenhum geen sin sem senza") && noneOf().MatchString(r.text) {
		return saysNone
	}
	if m := noSuch().FindStringSubmatch(r.text); m != nil && has('d') && !has('t') && !barred.has(strings.ToLower(m[1])) {
		return saysNone
	}
	if r.noneBefore(spans) {
		return saysNone
	}
	if has('d') && (noneAtAll().MatchString(r.text) || noneAtAll().MatchString(strings.TrimSpace(r.besides(spans))) || phraseIn(r.text, []string{"spielfrei", "probenfrei", "trainingsfrei"}) != "") && !slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.times.until != nil }) {
		return saysNone
	}
	if has('d') && (!has('t') && oddTime().MatchString(r.text) || quarterPast().MatchString(r.text) || !has('t') && onTheDot().MatchString(r.text)) {
		return "says its time in a way that is not understood"
	}
	if slices.ContainsFunc(spans, func(s span) bool {
		return s.kind == 'l' && (endsWith(r.before(s.from), atMost) || timesOver().MatchString(r.before(s.from)) || r.is(s.from-2, 'n') && !used(s.from-2) && (r.is(s.from-1, '-') || r.word(s.from-1, rangeWords) || r.word(s.from-1, orWords)) && r.roughLength(s.from-2) > 0)
	}) {
		return "says only roughly how long it lasts"
	}
	if has('t') && !has('l') && !has('a') && !slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.times.until != nil }) && (noEnd().MatchString(r.text) || backBy().MatchString(r.text) || containsOne(lower, "finish end over wrap done most all much whole entire part ganz tout tod tutt hele schluss fertig fini termin acaba") && endInWords().MatchString(r.text)) {
		return "says its end in a way that is not understood"
	}
	if q := quarterOf().FindString(r.text); q != "" && has('d') {
		return "holds " + strconv.Quote(strings.TrimRight(q, " .,;!?)")) + ", which says something of a time and is not understood"
	}
	if has('t') && !has('l') && !slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.times.until != nil }) && availableFrom().MatchString(r.text) && phraseIn(r.text, []string{"until", "till", "to", "bis", "jusqu'à", "jusqu'au", "hasta", "fino", "até", "tot"}) == "" {
		return "says from when something is there, and not until when"
	}
	if has('t') && countDays(spans) == 1 && hourly().MatchString(r.text) {
		return "goes on again and again on one day"
	}
	if has('d') && !has('t') && clockList().MatchString(r.text) {
		return "holds " + strconv.Quote(strings.TrimSpace(clockList().FindString(r.text))) + ", which says something of a time and is not understood"
	}
	if has('d') && !has('t') && daySlot().MatchString(r.text) {
		return "says only a part of the day"
	}
	if r.recurs(spans) {
		return "repeats, and a text cannot say on which days for certain"
	}
	if slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && (s.dates.until != nil || len(s.dates.days) > 1) }) && daysOff().MatchString(r.text) {
		return daysLeftOut
	}
	if r.inCities(spans) || r.inZones(spans) {
		return "says one time in several places"
	}
	if r.twoDays(spans) {
		return "names an event by one day, and says that it is on another"
	}
	for n, s := range spans {
		if s.kind == 't' && r.word(s.from-1, list("no kein keine keinen pas aucun nessun nessuna nenhum nenhuma ningún geen")) { // no 10:00 sailing
			return saysNone
		}
		if r.room(s.from) {
			return r.said(s.from-1, s.from+2)
		}
		if name := r.tok(s.to); s.kind == 't' && s.times.zone == "" && name.kind == 'w' && r.word(s.to+1, list("time zeit")) && !r.word(s.to, list("local this each any every no some same that of our your one")) && !r.word(s.to, atWords) { // 10:00 Atlantis time
			return r.said(s.to, s.to+1)
		}
		if s.kind == 't' && s.times.until != nil && r.counted(s, used) { // posts 1-12 on Tuesday, 13-24 on Wednesday
			return r.said(s.from, s.to-1)
		}
		if n := s.to + 1; s.kind == 't' && s.times.until == nil && r.is(s.to, ',') && r.is(n, 'n') && len(r.tok(n).text) <= 2 && r.tok(n).num < 25 && !used(n) && (r.and(n+1) || r.word(n+1, orWords) || r.is(n+1, ',') && r.is(n+2, 'n')) && r.is(n+2, 'n') { // at 10, 12 and 14 on 12 March
			return r.said(n, n+2)
		}
		if s.kind == 't' && r.is(s.from-2, 'n') && r.tok(s.from-1).text == "for" && len(r.tok(s.from-2).text) <= 2 { // 7 for 7.30
			return r.said(s.from-2, s.to-1)
		}
		if n > 0 && s.kind == 't' && spans[n-1].kind == 't' && spans[n-1].to == s.from-1 && r.tok(s.from-1).text == "for" { // 6.30pm for 7pm
			return r.said(spans[n-1].from, s.to-1)
		}
		if s.kind == 't' && r.is(s.from, 'n') && r.month(s.from-1) > 0 && !used(s.from-1) { // March 4 AM
			return r.said(s.from-1, s.to-1)
		}
		if s.kind != 'd' {
			continue
		}
		if r.is(s.from-1, '-') && !used(s.from-2) && (r.is(s.from-2, 'n') && (r.is(s.from+1, '/') || r.is(s.from, 'n') && !r.tok(s.from).gap && r.month(s.from+1) > 0) || r.is(s.from-2, 'w') && len(r.tok(s.from-2).text) == 2 && weekdaysOf(r.tok(s.from-2).text) != 0) { // berths 9-13/3, Mo-Fr 13/3
			return r.said(s.from-2, s.to-1)
		}
		if t := r.tok(s.to); s.dates.days[0].relative && s.dates.days[0].weekdays != 0 && t.kind == 'n' && len(t.text) <= 2 && t.num > 0 && t.num <= 31 && !used(s.to) {
			return r.said(s.to-1, s.to)
		}
		beside := func(n int) bool { // the days themselves, as in Tuesdays: 3, 10, 17 March
			return n >= 0 && n < len(spans) && spans[n].kind == 'd' && spans[n].dates.days[0].day > 0 && !r.word(spans[n].from, fromWords) && r.onlySigns(min(s.to, spans[n].to), max(s.from, spans[n].from))
		}
		if s.dates.plural && !s.dates.every && s.dates.days[0].relative && !beside(n-1) && !beside(n+1) {
			return "repeats, and a text cannot say on which days for certain"
		}
		if endsWith(r.before(s.from), []string{"back", "zurück", "de retour", "de vuelta", "di ritorno", "de volta", "terug"}) && !slices.ContainsFunc(spans[:n], func(s span) bool { return s.kind == 'd' && s.dates.until != nil }) && !has('t') {
			return "says when something is back"
		}
		if len(s.dates.days) > 1 && r.nights(spans, n) {
			return "names nights by two days each"
		}
	}
	if has('d') && !has('t') && !has('a') && phraseIn(r.text, []string{"por la mañana", "por la tarde", "por la noche", "de la mañana", "de la tarde"}) != "" {
		return "says only a part of the day"
	}
	if has('d') && nightBetween().MatchString(r.text) {
		return "names a night by two days"
	}
	if p := phraseIn(r.text, []string{"first thing", "last thing", "end of day", "end of the day", "close of business", "eod", "cob", "after work", "before work", "after hours", "after school", "before lunch", "after lunch", "over lunch", "around lunch", "at lunch", "lunch time", "tea time", "during the day"}); p != "" && has('d') && !has('t') && !has('a') {
		return "says only a part of the day"
	}
	if p := phraseIn(r.text, []string{"between now and", "from now", "ab sofort", "ab jetzt", "dès maintenant", "à partir de maintenant", "desde ahora", "a partir de ahora", "d'ora in poi", "a partir de agora", "vanaf nu"}); p != "" && (has('d') || has('t')) {
		return "counts from the moment at which it was written (" + strconv.Quote(p) + ")"
	}
	if phraseIn(r.text, []string{"next dates", "further dates", "more dates", "other dates", "weitere termine", "nächste termine", "autres dates", "prochaines dates", "próximas fechas", "otras fechas", "prossime date", "altre date", "próximas datas", "volgende data"}) != "" && has('d') && !has('t') {
		return "says further days of something, and no time"
	}
	if has('d') && !has('t') && phraseIn(r.text, []string{"usual time", "normal time", "usual hour", "regular time", "üblichen zeit", "üblichen uhrzeit", "gewohnten zeit", "übliche zeit", "heure habituelle", "hora de siempre", "hora habitual", "solita ora", "hora do costume", "gebruikelijke tijd", "vaste tijd"}) != "" {
		return "says its time in a way that is not understood"
	}
	if has('d') && !has('t') && phraseIn(r.text, []string{"unchanged", "no change", "no changes", "as usual", "as normal", "as before", "remains the same", "remain the same", "stays the same", "stay the same", "unverändert", "keine änderung", "keine änderungen", "wie gewohnt", "wie üblich", "wie immer", "inchangé", "inchangée", "inchangés", "sans changement", "comme d'habitude", "sin cambios", "como siempre", "invariato", "invariata", "come al solito", "sem alteração", "sem alterações", "como de costume", "ongewijzigd", "zoals gewoonlijk"}) != "" {
		return "says that something stays as it is"
	}
	if has('d') && !slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.times.until != nil }) && phraseIn(r.text, []string{"half day", "half-day", "half days", "halbtags", "halber tag", "halbtägig", "demi-journée", "media jornada", "mezza giornata", "meio dia", "halve dag"}) != "" {
		return "says only a part of the day"
	}
	if p := phraseIn(r.text, []string{"respectively", "beziehungsweise", "bzw", "respectivement", "respectivamente", "rispettivamente", "respectievelijk", "resp"}); p != "" && has('d') {
		return "says " + strconv.Quote(p) + ": which of its times is of which of its days is not certain"
	}
	if elseOf().MatchString(r.text) && (has('t') || has('d')) {
		return "tells of something else that somebody has"
	}
	if has('t') && toTheSecond().MatchString(r.text) {
		return "says its time to the second"
	}
	if r.whichWeek(spans) {
		return "counts a day of the week from something else, or leaves open which it is"
	}
	if r.endsOnly(spans) {
		return "has no beginning: it says only until when"
	}
	if (has('d') || has('t')) && aside().MatchString(r.text) {
		return "says how long before or after something it is, or that it goes on on other days"
	}
	if (has('d') || has('t')) && r.shifted(spans) {
		return "tells of something that is moved, and may say the day or the time from which it is"
	}
	if phraseIn(r.text, []string{"extended", "prolonged", "extension", "verlängert", "prolongé", "prolongée", "prorrogado", "prorrogada", "prorogato", "prorogata", "prolongado", "verlengd"}) != "" && has('d') {
		return "tells of something that is extended"
	}
	for _, s := range spans {
		if s.kind == 'd' && s.dates.days[0].relative && s.dates.days[0].weekdays != 0 && !s.dates.days[0].next && s.dates.days[0].after == 0 && phraseIn(r.text, []string{"went well", "went fine", "went wrong", "was", "were", "took place", "happened", "didn't", "did not", "failed", "fand statt", "war", "a eu lieu", "tuvo lugar", "ha avuto luogo", "teve lugar", "vond plaats"}) != "" || s.kind == 'd' && s.dates.days[0].relative && s.dates.days[0].weekdays != 0 && containsOne(lower, "ed sent been done seen told asked paid given made left put got had") && toldOf().MatchString(r.text) || s.kind == 'd' && s.dates.days[0].relative && s.dates.days[0].weekdays != 0 && saidOf().MatchString(r.before(s.from)) {
			return "may tell of what is past"
		}
		if s.kind == 'd' && !has('t') && containsOne(lower, "late early earlier behind delayed später früher retard tarde ritardo laat") && lateBy().MatchString(r.text) {
			return "says how much earlier or later something is"
		}
	}
	if phraseAt(r.text, []string{"if", "in case", "should the", "provided", "falls", "wenn", "sofern", "s'il", "si le", "si la", "si el", "se il", "se la", "se o", "se a", "als", "indien"}) && (has('d') || has('t')) {
		return "depends on something"
	}
	if (has('d') || has('t')) && ifWeather().MatchString(r.text) {
		return "depends on something"
	}
	if (has('d') || has('t')) && yesIf().MatchString(r.text) {
		return "depends on something"
	}
	if p := phraseIn(r.text, dependingWords); p != "" && (has('d') || has('t')) {
		return "depends on something (" + strconv.Quote(p) + ")"
	}
	if p := phraseIn(r.text, sameDayWords); p != "" && (has('d') || has('t')) && !slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' && s.times.until != nil && nextDay[p] }) {
		return "says " + strconv.Quote(p) + ", and not which day that is"
	}
	days := countDays(spans)
	for _, s := range spans {
		at := s.from - 1
		if r.word(at, list("the dem der la le el il o de")) {
			at--
		}
		if s.kind == 'd' && s.dates.days[0].day > 0 && (r.is(s.from, 'n') || r.is(s.from+1, 'n')) && (r.word(at, list("after nach après después dopo depois na")) || r.word(at-1, list("after nach après después dopo depois")) && r.word(at, list("de del do dem di den"))) && !(r.tok(at).text == "na" && !r.is(s.from, 'n')) {
			return "is after a day, and the text does not say when"
		}
		if s.kind == 't' && r.word(at, list("after nach après después dopo depois na")) {
			return "is after a time, and the text does not say when"
		}
		if s.kind == 't' && s.times.until == nil && endsWith(r.before(s.from), beforeWords) {
			return "is before a time, and the text does not say when"
		}
		if s.kind == 'd' && len(s.dates.days) == 1 && s.dates.until == nil && phraseIn(r.text, dayByDay) != "" {
			return "repeats, and a text cannot say on which days for certain"
		}
		if s.kind == 'd' && days == 1 && len(s.dates.days) == 1 && s.dates.until == nil && phraseIn(r.text, []string{"jeweils", "each time", "chaque fois", "cada vez", "ogni volta", "de cada vez", "telkens"}) != "" {
			return "is said to be each time, and names one day"
		}
	}
	ranged := slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.dates.until != nil && s.dates.days[0].month > 0 })
	if ranged && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.dates.days[0].relative && s.dates.days[0].weekdays != 0 }) {
		return "names days of the week beside the days of a range"
	}
	if r.inAndOut(spans) || comesAndGoes().MatchString(r.text) && has('t') {
		return "may last from the first of its days to the second, or be on each"
	}
	if p := phraseIn(r.text, likelyWords); p != "" && !(p == "would be" && phraseIn(r.text, []string{"would be best", "would be better", "would be perfect", "would be fine", "would be great", "would be good", "would be ideal", "would be ok", "would be okay", "would be possible", "would be convenient", "would be nice"}) != "") && (has('d') || has('t')) {
		return "says " + strconv.Quote(p) + ": it is not certain"
	}
	if p := phraseIn(r.text, []string{"my time", "your time", "our time", "their time", "his time", "her time", "meine zeit", "meiner zeit", "deiner zeit", "ihrer zeit", "unserer zeit", "mon heure", "ton heure", "votre heure", "notre heure", "hora mía", "mi hora", "tu hora", "su hora", "ora mia", "ora tua", "ora vostra", "minha hora", "tua hora", "vossa hora", "mijn tijd", "jouw tijd", "jullie tijd", "onze tijd"}); p != "" && has('t') && !takesTime().MatchString(r.text) {
		return "says a time of somebody's place (" + strconv.Quote(p) + "), and not of which zone"
	}
	if has('t') && tideClock().MatchString(r.text) {
		return "says when the tide is, and not when the event begins"
	}
	if has('t') && containsOne(lower, "water tide wasser mer marée mar") && tideAt().MatchString(r.text) {
		return "says when the tide is, and not when the event begins"
	}
	if p := phraseIn(r.text, []string{"low water", "high water", "low tide", "high tide", "slack water", "ebb", "first light", "hochwasser", "niedrigwasser", "marée haute", "marée basse", "pleamar", "bajamar", "hoogwater", "laagwater"}); p != "" && has('d') && !has('t') {
		return "is to be at " + p + ", and the text does not say when that is"
	}
	if countDays(spans) == 1 && !has('l') && !slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && (s.dates.until != nil || len(s.dates.days) > 1) }) {
		for i, t := range r.toks {
			if end := r.lastsDays(i); end > 0 && !used(i) && !used(end) || has('t') && t.kind == 'w' && strings.Contains(t.text, "tägig") { // 3 days from 9 March, 7:00
				return r.said(i, max(i, end))
			}
		}
	}
	return ""
}
