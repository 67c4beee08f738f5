package notice

import (
	"slices"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// atEarliest is said of what may be later than its text says.
const atEarliest = "says only when it is at the earliest"

// unread tells whether a number stands behind a word that leads to a time, and was
// not read.
func (r *reader) unread(g *group) bool {
	for i := range r.toks {
		t := r.tok(i)
		if t.kind == 'n' && len(t.text) == 4 && t.text[0] == '0' && t.num%100 < 60 && t.num < 2400 && !r.inside(g, i) {
			return true
		}
		if t.kind != 'n' || len(t.text) > 2 || t.num > 24 || !(r.word(i-1, untilWords) || r.word(i-1, list("at um às alle dalle om ore from von ab"))) {
			continue
		}
		other := slices.ContainsFunc(g.others, func(s [2]int) bool { return i >= s[0] && i < s[1] })
		if !r.inside(g, i) && !other && i >= g.from-2 && i <= g.to+3 {
			return true
		}
	}
	return false
}

// timeAt gives the token at which the time of a group stands, -1 for none.
func (r *reader) timeAt(g *group) int {
	for _, s := range g.spans {
		if _, end := r.when(s[0]); end >= s[1] { // a day
			continue
		}
		if _, end := r.clocks(s[0], true); end > 0 {
			return s[0]
		}
	}
	return -1
}

// vague tells whether the time of a group is said only roughly. What is rough about
// a length is no matter.
func (r *reader) vague(g *group) bool {
	if g.times != nil && (strings.Contains(r.text, "+/-") || strings.Contains(r.text, "±")) {
		return true
	}
	for i := max(0, g.from-3); i < min(len(r.toks), g.to+2); i++ {
		t := r.tok(i)
		if t.text == "noonish" || t.text == "ish" || t.kind == '~' && r.is(i+1, 'n') || t.kind == '+' && !t.gap && i == g.to && g.times != nil && r.is(i-1, 'n') && !r.is(i+1, 'n') || strings.ContainsAny(r.text[t.from:t.to], "<>≤≥") && r.is(i+1, 'n') && i+1 < g.to {
			return true
		}
		if t.kind != 'w' || !vagueWord.has(t.text) && !(t.text == "sobre" && r.tok(i+1).text == "las") && !(t.text == "por" && r.tok(i+1).text == "volta") {
			continue
		}
		n := i + 1
		for r.is(n, '.') || r.tok(n).text == "de" || r.tok(n).text == "the" {
			n++
		}
		if _, end := r.length(n); end > 0 {
			continue
		}
		if n < g.to {
			return true
		}
	}
	return false
}

// eitherHalf tells whether times are of hours that are hardly meant as they stand, 2:30 or
// 4.50, where nothing shows which half of the day is meant.
func (d *document) eitherHalf(t *times) bool {
	low := func(c clock) bool {
		return c.half == 0 && !c.sure && !c.marked && !c.bare && c.hour >= 1 && c.hour <= 12
	}
	return !d.full && low(t.list[0]) && t.list[0].hour <= 5 && (t.until == nil || low(*t.until) || t.until.bare && t.until.half == 0 && !t.until.sure && t.until.hour <= 12)
}

// guessedHalf tells whether a time is taken for the afternoon because nothing says otherwise.
func (d *document) guessedHalf(c clock) bool {
	m, guessed := d.minutes(c)
	return guessed != "" && m == c.hour*60+c.minute+720
}

// atAnyHour is what is done by night as well as by day.
var atAnyHour = []string{"eta", "etb", "etd", "ets", "pob", "sails", "sailing", "departs", "departure", "arrives", "arrival", "berths", "berthing", "unberthing", "cast off", "casting off", "pilot on board", "pilot boards", "boarding", "mooring gang", "high water", "low water", "slack water", "early shift", "late shift", "night shift", "early crew", "early watch", "early start", "early bus", "early train", "early ferry", "early sailing", "early turn", "frühschicht", "spätschicht", "nachtschicht", "frühdienst", "spätdienst", "nachtdienst", "équipe du matin", "turno de mañana", "turno de noche", "turno di notte", "vroege dienst", "late dienst", "nachtdienst",
	"abfahrt", "ankunft", "läuft aus", "läuft ein", "auslaufen", "einlaufen", "anlegen", "ablegen", "lotse an bord", "appareille", "appareillage", "accoste", "accostage", "départ", "arrivée", "zarpa", "atraca", "atraque", "salida", "llegada", "salpa", "partenza", "arrivo", "attracca", "larga", "partida", "chegada", "vertrek", "aankomst", "vertrekt", "komt binnen"}

// openBehind is what stands behind a day or a time that is not settled: 13 May, 19:00 (tbc).
var openBehind = pattern.Lazy(`(?i)^[\s,:;–-]*[(\[]?\s*(?:date |time |still |noch |encore )?(?:tbc|t\.b\.c\.?|to be confirmed|provisional|provisionally|tentative|tentatively|unconfirmed|not confirmed|vorläufig|unter vorbehalt|noch nicht bestätigt|à confirmer|provisoire|por confirmar|provisional|da confermare|provvisorio|a confirmar|provisório|onder voorbehoud|nog te bevestigen)(?:[^\p{L}]|$)`)

// either tells whether a word for "or" stands between groups.
func (r *reader) either(groups []group) bool {
	if len(groups) > 1 && phraseIn(r.text, []string{"to choose from", "choose one", "pick one", "one of the following", "one of these", "options", "alternatives", "alternative", "alternatively", "alternativ", "fallback", "backup date", "backup day", "alternativa", "alternatief", "suggestions", "proposed dates", "zur auswahl", "wahlweise", "au choix", "a elegir", "a scelta", "à escolha", "naar keuze"}) != "" {
		return true
	}
	if len(groups) > 1 && r.bothOr(groups) {
		return true
	}
	for n := 1; n < len(groups); n++ {
		for i := groups[n-1].to; i < groups[n].from; i++ {
			if t := r.tok(i).text; t == "or" || r.word(i, list("otherwise alternatively else sonst ansonsten andernfalls sinon altrimenti oppure senão anders")) || t == "oder" || t == "ou" || t == "of" && r.dutch() {
				return true
			}
		}
	}
	return false
}

// bothOr tells whether the same word for or stands in front of two days, where it means
// something else by itself: o el 5 o el 6 de marzo, soit le 5, soit le 6 mars.
func (r *reader) bothOr(groups []group) bool {
	lead := func(g group) string {
		for i := g.from - 1; i >= max(0, g.from-4); i-- {
			if r.word(i, list("o soit ou ora bien entweder either hetzij")) {
				return r.tok(i).text
			}
			if !r.word(i, smallWords) && !r.word(i, dayLinks) {
				break
			}
		}
		return ""
	}
	for n := 1; n < len(groups); n++ {
		if word := lead(groups[n]); word != "" && (word == lead(groups[0]) || word == "o" && r.tok(groups[n].from-1).text != "o") {
			return true
		}
	}
	return false
}

// partOnly tells whether a part of the day stands beside a day that has no time.
func (r *reader) partOnly(g *group) bool {
	n := g.to
	if t := r.tok(n); (t.text == "am" || t.text == "pm") && r.text[t.from:t.to] == strings.ToUpper(t.text) && r.text != strings.ToUpper(r.text) { // 4 March AM
		return true
	}
	for r.is(n, '(') || r.word(n, list("in the am des du de la le della at por pela nella")) && !(r.tok(n).text == "am" && r.is(n-1, ',')) || r.is(n, ',') && (r.tok(n+1).text == "am" || r.tok(n+1).text == "pm") {
		n++
	}
	t := r.tok(n)
	return t.kind == 'w' && t.text != "middag" && (morningWords.has(t.text) && (t.text != "mañana" || r.tok(n-1).text == "la") || afternoonWords.has(t.text) || r.evening(n)) || (t.text == "a" || t.text == "p") && r.is(n+1, '.') && r.tok(n+2).text == "m" || t.text == "am" && (n == g.to || r.is(n-1, ',')) && !r.dayish(n+1) && r.weekday(n+1) == 0 || t.text == "pm"
}

// ofAnother is the time of something that an event is for, or waits for: for the 9:00 ferry, once
// the 10:00 ferry has left, pour le ferry de 9h.
var ofAnother = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:(?:for|catch|meet|meets|meeting|once|when|as soon as|until|till|with) the (?:\d{1,2}[:.]\d\d(?: ?[ap]\.?m\.?)?|\d{4}|\d{1,2} ?[ap]\.?m\.?) \p{L}+|(?:für|zu|zur|zum|auf|mit|sobald|wenn) (?:die |der |den |dem |das )?\d{1,2}(?:[:.]\d\d)?[- ]Uhr[- ]\p{L}+|(?:pour|avec|dès) (?:le |la |l')\p{L}+ de \d{1,2} ?h|(?:para|con) (?:el|la) \p{L}+ de las \d{1,2}|(?:per|con) (?:il |la |lo |l')\p{L}+ delle \d{1,2}|(?:para|com) [oa] \p{L}+ das \d{1,2}|(?:voor|met) (?:de|het) \p{L}+ van \d{1,2})`)

// doubts says why a time that can be read is not to be loaded.
func (d *document) doubts(u unit, r *reader, g *group) *fault.Fault {
	text := u.text
	switch {
	case g.doubt != "":
		return fault.Newf("%s", g.doubt).Do("write each event into a line of its own, with its day and its times in full")
	case r.unread(g):
		return fault.Newf("holds a number that may be a time, and is not understood").Do("write the time as 14:30")
	case g.dates != nil && (g.dates.every || phraseIn(text, []string{"every", "weekly", "monthly", "fortnightly", "jeden", "wöchentlich", "chaque semaine", "cada semana", "ogni settimana", "elke week", "every other"}) != "" && g.dates.days[0].relative):
		return fault.Newf("repeats, and a text cannot say on which days for certain").Do("write its days, or load it from a sheet with repeat:")
	case g.dates != nil && g.dates.days[0].relative && g.dates.days[0].weekdays != 0 && !g.dates.days[0].next && g.dates.days[0].after == 0 && (r.word(g.from-1, nextWords) || r.word(g.from-1, lastWords)):
		return fault.Newf("says which %s in a way that cannot be told", r.tok(g.from).text).Do("write the date itself")
	case g.dates != nil && g.dates.window:
		return fault.Newf("says days between which it is, and not which of them").Do("say the day")
	case g.dates != nil && g.dates.due && g.times == nil && !g.allDay:
		return fault.Newf("says its time only as a deadline").Do("say when it begins")
	case g.dates != nil && g.dates.least:
		return fault.Newf(atEarliest).Do("say when it begins")
	case g.dates != nil && g.dates.ends && g.dates.until == nil:
		return fault.Newf("has no beginning: it says only until when").Do("give its first day")
	case g.dates != nil && g.dates.open || phraseIn(text, openWords) != "":
		if g.dates != nil && g.dates.until == nil {
			return fault.Newf("has no end: it is open-ended").Do("give its last day")
		}
	case g.times != nil && g.times.until == nil && len(g.times.list) == 1 && r.untilBefore(r.timeAt(g)):
		return fault.Newf("has no beginning: it says only until when").Do("say when it begins")
	case g.times != nil && g.times.until == nil && len(g.times.list) == 1 && r.mayCount(r.timeAt(g), g.times.list[0]):
		return fault.Newf("says %s, which may be a time or how many there are", g.times.list[0]).Do("write the time as 14:30")
	case g.times != nil && ofAnother().MatchString(text):
		return fault.Newf("holds %q, which is the time of something else", strings.TrimSpace(ofAnother().FindString(text))).Do("write each event into a line of its own, with its day and its times in full")
	case g.times != nil && g.times.zones:
		return fault.Newf("says its beginning and its end in two zones").Do("write both in one")
	case g.times != nil && !d.set.Message && d.eitherHalf(g.times):
		c := g.times.list[0]
		return fault.Newf("says %s, which may be in the night or in the afternoon, or no time at all", c).Do("write it as %02d:%02d or %02d:%02d", c.hour, c.minute, c.hour+12, c.minute)
	case g.times != nil && g.times.list[0].hour == 24 && g.dates != nil && !(len(g.dates.days) == 1 && g.dates.days[0].relative && g.dates.days[0].weekdays == 0):
		return fault.Newf("begins at midnight, which may be that at the beginning of the day or at its end").Do("write it as 00:00 or 24:00")
	case g.times != nil && d.set.Message && d.guessedHalf(g.times.list[0]) && (phraseIn(text, atAnyHour) != "" || g.times.list[0].colon && g.times.list[0].hour >= 5):
		c := g.times.list[0]
		return fault.Newf("says %s, which may be in the morning or in the afternoon", c).Do("write it as %02d:%02d or %02d:%02d", c.hour, c.minute, c.hour+12, c.minute)
	case g.times != nil && g.times.or:
		return fault.Newf(oneOfSeveral).Do("say which one it is")
	case g.times != nil && g.times.window && (g.minutes > 0 || d.set.Message && phraseIn(text, []string{"closed", "blocked", "shut", "gesperrt", "geschlossen", "fermé", "cerrado", "chiuso", "fechado", "dicht"}) == ""):
		return fault.Newf("says a window within which it is, and not when it begins").Do("say when it begins")
	case g.times != nil && (g.times.open || g.times.until == nil && len(g.times.list) == 1 && g.dates != nil && g.dates.until == nil && (r.word(g.from, fromWords) || r.word(g.from-1, fromWords))):
		if g.minutes == 0 && phraseIn(text, []string{"from", "von", "ab", "de", "desde", "dalle", "das", "vanaf", "à partir"}) != "" && (phraseIn(text, openWords) != "" || phraseIn(text, closedWords) != "" || phraseIn(text, []string{"gesperrt", "closure", "sperrung", "fermeture", "cierre", "chiusura", "encerramento", "afsluiting", "blocked", "shut", "barré", "barrée", "bloqué", "cortado", "cortada", "bloccato", "cortado", "interdit", "afgesloten", "versperrt"}) != "") {
			return fault.Newf("has no end: it is open-ended").Do("give its end")
		}
	}
	if d.set.Message && u.sentence && g.times == nil && !g.allDay && g.dates != nil && len(g.dates.days) == 1 && g.dates.until == nil && todayWords.has(r.tok(g.to-1).text) {
		return fault.Newf("says today, and no time").Do("say when it begins, or that it is the whole day")
	}
	if !d.set.Message && g.times != nil && strings.HasPrefix(r.text[r.tok(g.to-1).to:], "?") { // 10:00?
		return fault.Newf("is not certain of its time").Do("say the time")
	}
	if !d.set.Message && u.sentence && (strings.HasSuffix(strings.TrimSpace(text), "?") || phraseIn(text, asking) != "") {
		return fault.Newf("asks for a day or a time, and does not settle it").Do("wait for the answer")
	}
	if r.vague(g) {
		return fault.Newf("says its time only roughly").Do("say the time")
	}
	if phraseIn(text, []string{"to be announced", "tba", "time to follow"}) != "" || phraseIn(text, []string{"tbc", "to be confirmed"}) != "" && g.times == nil || slices.ContainsFunc(g.spans, func(s [2]int) bool { return openBehind().MatchString(r.text[r.tok(s[1]-1).to:]) }) {
		return fault.Newf("is not settled: the text says that it is still to be told").Do("wait for it, or say it")
	}
	return nil
}
