package notice

import (
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"

	"almanach/internal/core/pattern"
)

// bracketed tells whether a day stands in brackets behind its day of the week.
func (r *reader) bracketed(weekday, s span) bool {
	if weekday.kind != 'd' || len(weekday.dates.days) != 1 || weekday.dates.days[0].weekdays == 0 || weekday.dates.days[0].day != 0 {
		return false
	}
	return weekday.to == s.from && r.is(s.from, '(') || weekday.to == s.from-1 && r.is(s.from-1, '(')
}

// madeAt is what stands before the day in the last line of a letter: Fait à Tarn Haven, le.
var madeAt = pattern.Lazy(`(?i)^\s*(?:fait|rédigé|établi|fatto|redatto|hecho|redactado|dado|feito|redigido|done|drawn up|given|opgemaakt|opgesteld|gedaan|ausgefertigt|ausgestellt|gegeben)(?:\s+(?:à|a|en|em|in|at|te|zu)\s+[\p{L}' -]{2,30}?)?,?\s*(?:\s(?:le|il|el|am|on|op|em|den|this))?\s*$`)

// minutesOf begin what is reported of a day.
var minutesOf = []string{"minutes of", "minutes from", "notes of", "notes from", "notes on", "summary of", "recap of", "notizen zu", "notizen vom", "notes de", "notas de", "appunti", "protokoll", "compte rendu", "acta de", "verbale", "ata da", "notulen", "report of the", "record of"}

// veto takes away the days that belong to no event, and says why.
func (d *document) veto(r *reader, spans []span, u unit) (kept []span, why []string) {
	item := d.itemOfDay(u, r, spans)
	minutes := !item && phraseIn(r.text[:min(len(r.text), 40)], minutesOf) != ""
	due := 0
	gone := func(n int) bool {
		return len(why) > 0 && !slices.ContainsFunc(kept, func(s span) bool { return s.from == spans[n].from })
	}
	for n, s := range spans {
		if minutes && s.kind == 'd' {
			why = append(why, "the day of what is reported")
			continue
		}
		if n > 0 && s.kind != 'd' && gone(n-1) && r.onlyLinks(spans[n-1].to, s.from) {
			r.timeGone = r.timeGone || s.kind == 't' && why[len(why)-1] == notToBe
			continue // the time of such a day
		}
		if s.kind != 'd' {
			if s.kind == 't' && (endsWith(r.before(s.from), insteadOf) || d.set.Message && phraseAt(r.text[r.tok(s.to-1).to:], takenWords)) {
				why = append(why, notToBe)
				d.timeElse = u.text
				continue
			}
			if s.kind == 't' && d.deadline(r, s) {
				why = append(why, "a deadline")
				due = s.to
				if last := len(kept) - 1; last >= 0 && kept[last].kind == 'd' && len(spans) == n+1 {
					kept[last].dates.due = true
				}
				continue
			}
			kept = append(kept, s)
			continue
		}
		if bare := lastNumber().FindStringIndex(r.before(s.from)); bare != nil && d.set.Message && endsWith(r.before(s.from)[:bare[0]], deadlineWords) && !endOfTimes().MatchString(r.before(s.from)[:bare[0]]) && !slices.ContainsFunc(kept, func(k span) bool { return r.onlyEnd(k.to, s.from) }) { // before 5 today; but not 10am Sat until 4pm Sun
			why = append(why, "a deadline")
			continue
		}
		if due > 0 && r.onlyLinks(due, s.from) { // by 7 a.m. on 20 March
			due = 0
			continue
		}
		reason := ""
		if n > 0 && gone(n-1) && r.rangeBefore(s.from) && r.onlyRange(spans[n-1].to, s.from) { // valid 5 March 8:00 – 7 March 20:00
			reason = why[len(why)-1]
		}
		before := r.before(s.from)
		if at := n - 1; at >= 0 && r.bracketed(spans[at], s) { // Stand: Mittwoch (25.02.2026)
			before = r.before(spans[at].from)
		}
		if d.set.Message && phraseAt(r.text[r.tok(s.to-1).to:], takenWords) {
			d.against(s)
			why = append(why, notToBe)
			continue
		}
		if phraseAt(r.text[r.tok(s.to-1).to:], wrongWords) {
			d.against(s)
			why = append(why, notToBe)
			continue
		}
		if endsWith(before, insteadOf) && !endsWith(before, []string{"if not", "why not"}) && !(endsWith(before, []string{"was"}) && len(spans) == 1) {
			d.against(s)
			why = append(why, notToBe)
			continue
		}
		if d.set.Message && s.dates.until == nil && endsWith(before, awayWords) {
			d.against(s)
			why = append(why, notToBe)
			continue
		}
		if d.set.Message && !d.set.Stated.IsZero() && !s.dates.days[0].relative && !(len(kept) > 0 && (r.word(s.from-1, rangeWords) || r.is(s.from-1, '-'))) {
			if days, f := d.resolve(s.dates); f == nil && len(days) > 0 && cmpLast(days).Before(d.today()) {
				why = append(why, "it lies before the day on which this was written")
				continue
			}
		}
		if u.sentence && endsWith(before, weekOf) { // of the week and not of the day: it is held
			s.dates.window = true
			kept = append(kept, s)
			continue
		}
		if endsWith(before, backWords) && slices.ContainsFunc(kept, func(s span) bool { return s.kind == 'd' && s.dates.until != nil }) {
			reason = opensAgain
		}
		for _, v := range vetoes {
			if reason == "" && s.from > 0 && endsWith(before, v.words) && !(v.why == madeOn && endsWith(before, toBeMade())) {
				reason = v.why
			}
		}
		if reason == "" && endsWith(before, []string{"läuft", "laufen"}) && strings.HasSuffix(strings.TrimRight(r.text, " .!"), " ab") { // the permit
			reason = "a deadline"
		}
		if reason == "" && madeAt().MatchString(before) {
			reason = madeOn
		}
		if label, ok := strings.CutSuffix(strings.TrimSpace(before), ":"); ok && reason == "" && labelOf(label) != "reserve" { // that is held
			reason = noEvent[labelOf(label)]
		}
		if reason == "" && u.sentence && r.onlyLinks(0, s.from) && reopens().MatchString(r.text[r.tok(s.to-1).to:]) {
			reason = opensAgain
		}
		for _, c := range chancy {
			if reason == "" && endsWith(before, c.words) && phraseIn(r.text, c.with) != "" {
				reason = c.why
			}
		}
		if reason == "a deadline" && notBefore().MatchString(before) && !endsWith(before, []string{"in before", "back before", "available before", "free before", "reachable before"}) {
			reason, s.dates.least = "", true
		}
		if reason == madeOn && endsWith(before, []string{"as of", "as at"}) && s.dates.until == nil {
			if days, f := d.resolve(s.dates); f == nil && len(days) > 0 && (days[0].first.After(d.today()) || days[0].first.Equal(d.today()) && (tonightWords.has(r.tok(s.from).text) || phraseIn(r.text, movedWords) != "")) {
				if reason, s.dates.open = "", true; phraseIn(before, []string{"again", "back", "reopened", "resumed"}) != "" { // it begins then
					reason = opensAgain
				}
			}
		}
		if timed := n - 1; reason == "" && timed >= 0 && spans[timed].kind == 't' && r.onlyLinks(spans[timed].to, s.from) && len(kept) > 0 && kept[len(kept)-1].from == spans[timed].from { // closes midnight 31 March
			ahead := r.before(spans[timed].from)
			for _, v := range vetoes {
				if v.why == "a deadline" && reason == "" && spans[timed].from > 0 && endsWith(ahead, v.words) {
					reason = v.why
				}
			}
			for _, c := range chancy {
				if reason == "" && endsWith(ahead, c.words) && phraseIn(r.text, c.with) != "" {
					reason = c.why
				}
			}
			if reason != "" {
				kept = kept[:len(kept)-1]
			}
		}
		if reason == "" && d.past(r, s, before) {
			reason = "it is told of the past"
		}
		if reason == "" && phraseIn(r.text, []string{"please reply", "please answer", "let us know by", "reply until", "deadline"}) != "" && endsWith(before, []string{"until", "by", "deadline:", "deadline"}) {
			reason = "a deadline"
		}
		if reason == "" && draftOf().MatchString(before) {
			reason = madeOn
		}
		if reason == "" && phraseIn(r.text, []string{"the deadline", "deadline for", "deadline is", "deadline has", "new deadline", "deadlines are", "die frist", "la date limite", "el plazo", "la scadenza", "o prazo"}) != "" && phraseIn(r.text, []string{"after the deadline", "before the deadline"}) == "" && !r.afterDue(s.from) {
			reason = "a deadline"
		}
		if reason == "" && paperOf().MatchString(before) {
			reason = madeOn
		}
		if reason == "" && phraseAt(strings.TrimLeft(r.text[r.tok(s.to-1).to:], " ,.)"), lastDayWords) {
			reason = "a deadline"
		}
		if last := spans[len(spans)-1]; reason == "" && (len(spans) == 1 || len(spans) == 2 && r.bracketed(spans[0], last)) && !u.item && r.dateline(last) {
			if days, f := d.resolve(last.dates); f == nil && !days[0].first.After(d.today()) {
				reason = "the date of the letter"
			}
		}
		if reason == "" && strings.HasPrefix(strings.ToLower(r.text), "on ") && strings.HasSuffix(strings.TrimSpace(r.text), "wrote:") {
			reason = "the head of a quotation"
		}
		if reason != "" {
			if last := len(kept) - 1; last >= 0 && kept[last].kind == 'd' && n > 0 && kept[last].from == spans[n-1].from && r.onlyDayWords(kept[last].to, s.from) && kept[last].dates.days[0].relative != s.dates.days[0].relative {
				kept = kept[:last] // tomorrow, 4 March: one day said twice
			}
			why = append(why, reason)
			if reason == opensAgain {
				d.opens = time.Time{}
				if days, f := d.resolve(s.dates); f == nil && len(days) > 0 {
					d.opens = days[0].first
				}
			}
			if reason == "a deadline" {
				r.due = append(r.due, [2]int{s.from, s.to})
			}
			continue
		}
		kept = append(kept, s)
	}
	days := countDays(spans)
	if !item && len(kept) > 0 && !slices.ContainsFunc(kept, func(s span) bool { return s.kind == 'd' }) && len(why) > 0 && (days > 0 || !d.set.Message) {
		if !slices.ContainsFunc(why, func(w string) bool { return w != "a deadline" }) && r.apart(spans, kept[0]) { // reply by 5 March, interviews 13:00-15:00
			return kept, why
		}
		return nil, why // only the time of what was passed over is left
	}
	return kept, why
}

// openHours tells whether a text says at which hours of which weekdays something is open: The
// office is open Monday to Friday from 9:00 to 17:00.
func openHours(text string, spans []span) bool {
	several, times := false, false
	for _, s := range spans {
		switch s.kind {
		case 't':
			times = times || s.times.until != nil
		case 'd':
			one := s.dates.days[0]
			if !one.relative || one.weekdays == 0 || one.next || one.after != 0 || one.nth != 0 {
				return false
			}
			several = several || s.dates.until != nil || len(s.dates.days) > 1 || s.dates.plural
		}
	}
	return several && times && phraseIn(text, atHome) != "" && phraseIn(text, closedWords) == "" && phraseIn(text, thisWeek) == ""
}

// atHome are words for a place that is open, or that somebody is there.
var atHome = []string{"open", "opening hours", "office hours", "business hours", "staffed", "manned", "geöffnet", "besetzt", "erreichbar", "öffnungszeiten", "sprechzeiten", "bürozeiten", "ouvert", "ouverte", "ouverts", "ouvertes", "horaires d'ouverture", "heures d'ouverture", "abre", "abierto", "abierta", "horario de apertura", "horario de oficina", "aperto", "aperta", "aperti", "aperte", "orari di apertura", "orario di apertura", "aberto", "aberta", "horário de abertura", "horário de funcionamento", "geopend", "open van", "bereikbaar", "openingstijden", "kantooruren"}

// thisWeek are words for one week, and not for every one.
var thisWeek = []string{"week", "woche", "semaine", "semana", "settimana"}

// noEvent is why a day under a label belongs to no event.
var noEvent = map[string]string{"deadline": "a deadline", "made": madeOn, "status": madeOn, "former": notToBe, "reserve": "is only there if it is needed"}

// afterDue tells whether a deadline stands before a token, and behind it what else is on:
// deadline for comments: 20 March; hearing: 27 March.
func (r *reader) afterDue(at int) bool {
	if len(r.due) == 0 {
		return false
	}
	between := r.text[r.tok(r.due[len(r.due)-1][1]-1).to:r.tok(at).from]
	i := strings.IndexAny(between, ",;.")
	return i >= 0 && meaningful(between[i:]) && phraseIn(between[i:], []string{"deadline", "frist", "date limite", "plazo", "scadenza", "prazo"}) == ""
}

// lastNumber is a time, or an hour, at the end of a text.
var lastNumber = pattern.Lazy(`(?i)\s+\d{1,2}(?:[:.h]\d\d)?\s*(?:a\.?m\.?|p\.?m\.?|uhr|h|hrs)?\s*(?:on|am|le|el|il)?\s*$`)

// against notes a day that a text says is not to be.
func (d *document) against(s span) {
	if days, _ := d.resolve(s.dates); len(days) > 0 {
		for _, day := range days {
			d.out.Against = append(d.out.Against, day.first)
		}
	}
}

// notBefore ends in what says when something is at the earliest.
var notBefore = pattern.Lazy(`(?i)\b(not|no|never|hardly|won't|cannot|can't|nicht|kaum|pas|non|não|niet)\b(\s+[^\s.;,]+){0,4}[\s,]+(before|earlier than|vor|vor dem|avant|avant le|antes del?|prima d\S+|vóór|voor)\W*$`)

// toBeMade is what will be made, and is not the making of the text.
var toBeMade = sync.OnceValue(func() (out []string) {
	for _, verb := range []string{"signed", "approved", "issued", "published", "printed", "posted", "written", "updated", "revised", "released"} {
		out = append(out, "be "+verb, "is being "+verb)
	}
	return append(out, "wird gedruckt", "sera publié", "será publicado", "sarà pubblicato")
})

// paperOf is the number of a paper before its date: notice 9/2026 of.
var paperOf = pattern.Lazy(`\b(?:notice|letter|order|mail|circular|report|minutes|invoice|permit|bulletin|plan|list|offer|contract|decree|regulation|licence|license)s?\s+(?:no\.?\s*)?\S*\d\S*\s+(?:of|dated)\s*(?:the\s*)?$`)

// draftOf is the state of a text before its date: draft v2, of.
var draftOf = pattern.Lazy(`\b(?:draft|version|revision|rev\.?|entwurf|fassung|projet|borrador|bozza|rascunho|concept)\s*(?:no\.?\s*)?[a-z]?\d*(?:\.\d+)?[\s,(:–-]*(?:of|as of|vom|du|del)?\s*$`)

// endOfTimes is a time with a word for its end behind it: 14:20 until.
var endOfTimes = pattern.Lazy(`\d\s?(?:h|uhr|am|pm|a\.m\.|p\.m\.)?\s*(?:until|till|bis)\s*$`)

// cmpLast gives the last of some days.
func cmpLast(days []resolved) time.Time {
	t := days[len(days)-1].first
	if last := days[len(days)-1].last; last.After(t) {
		t = last
	}
	return t
}

// dateline tells whether a text is a place and a day, as letters begin or end with.
func (r *reader) dateline(s span) bool {
	words := 0
	for i := range s.from {
		if t := r.tok(i); t.kind == 'w' && !r.word(i, dayLinks) {
			words++
		}
	}
	first := strings.TrimSpace(r.text)
	return s.to >= len(r.toks)-1 && words >= 1 && words <= 3 && strings.Contains(r.text[:r.tok(s.from).from], ",") && unicode.IsUpper([]rune(first)[0])
}

// deadline tells whether a time is one by which something is to be done.
func (d *document) deadline(r *reader, s span) bool {
	before := r.before(s.from)
	return !dayBefore().MatchString(before) && endsWith(before, []string{"by", "no later than", "not later than", "at the latest by", "before", "spätestens", "deadline"}) && len(s.times.list) == 1 && s.times.until == nil
}

// dayBefore is what is before something else, and is no deadline: the evening before at 19:30.
var dayBefore = pattern.Lazy(`\b(?:day|night|evening|morning|afternoon|week) before[ ,:(–-]*(?:from |at )?$`)

// apart tells whether a time is of another thing than the day in front of it: a semicolon, or
// a comma and a word, stand between them.
func (r *reader) apart(spans []span, s span) bool {
	from := 0
	for _, o := range spans {
		if o.kind == 'd' && o.to <= s.from {
			from = o.to
		}
	}
	for i := from; from > 0 && i < s.from; i++ {
		if r.is(i, ';') || r.is(i, ',') && r.is(i+1, 'w') && i+1 < s.from && !r.word(i+1, atWords) && !r.word(i+1, dayLinks) && !r.word(i+1, fromWords) && !r.word(i+1, andWords) {
			return true
		}
	}
	return false
}

// onlyEnd tells whether tokens are the time at which a range ends, and its word: until 4 pm on.
func (r *reader) onlyEnd(from, to int) bool {
	for i := from; i < to; i++ {
		if r.is(i, 'w') && !r.word(i, rangeWords) && !r.word(i, atWords) && !r.word(i, dayLinks) && !r.half(i) && !r.word(i, hourWords) || r.is(i, ',') || r.is(i, ';') {
			return false
		}
	}
	return r.word(from, rangeWords)
}

// before gives the words in front of a token.
func (r *reader) before(i int) string {
	if i == 0 {
		return ""
	}
	return strings.ToLower(r.text[:r.tok(i).from])
}

func (r *reader) onlyLinks(from, to int) bool {
	for i := from; i < to; i++ {
		if k := r.tok(i).kind; k == 'w' && !r.word(i, atWords) && !r.word(i, dayLinks) {
			return false
		}
	}
	return true
}

// endsWith tells whether a text ends with one of some phrases, whatever small
// words and signs stand behind it.
func endsWith(text string, phrases []string) bool {
	text = strings.TrimRight(text, " :,(-–")
	by := comesBy().MatchString(text)
	for {
		short := text
		for _, small := range []string{" on", " the", " le", " den", " am", " el", " il", " lo", " em", " op", " of", " del", " de", " du", " vom", " at", " is", " has been", " until", " till", " for", " der", " ist", " est", " war", " wird", " es", " è", " é"} {
			if s, ok := strings.CutSuffix(text, small); ok && !slices.ContainsFunc(phrases, func(p string) bool { return strings.HasSuffix(text, p) && strings.HasSuffix(p, small) }) {
				if small == " until" || small == " till" || small == " for" {
					continue
				}
				short = strings.TrimRight(s, " :,(")
				break
			}
		}
		if short == text {
			break
		}
		text = short
	}
	for _, p := range phrases {
		if rest, ok := strings.CutSuffix(text, p); ok && (rest == "" || !isLetterBefore(rest)) && !(by && p == "by") {
			return true
		}
	}
	return false
}

// comesBy is a visit, and no deadline: drop by tomorrow, stop by on 5 March.
var comesBy = pattern.Lazy(`(?i)\b(?:(?:come|comes|came|coming|drop|drops|dropping|pop|pops|popping|swing|swings|swinging) by|by (?:on|at))(?: the)?$`)

func isLetterBefore(s string) bool {
	r := []rune(s)
	last := r[len(r)-1]
	return unicode.IsLetter(last) || unicode.IsDigit(last) || last == '-' && len(r) > 1 && unicode.IsLetter(r[len(r)-2]) // stand-by
}

// past tells whether a day is told of: it lies before today and the words are of
// what was.
func (d *document) past(r *reader, s span, before string) bool {
	if r.word(s.from-1, lastWords) || r.word(s.from, pastWords) {
		return true
	}
	told := r.boarded()
	if phraseIn(r.text, movedWords) != "" {
		return false
	}
	for _, p := range toldPast {
		told = told || phraseIn(before, []string{p}) != ""
	}
	if !told {
		return false
	}
	if phraseIn(r.text, []string{"will be", "will", "shall be", "to be", "is being", "are being", "is due", "wird", "werden", "sera", "seront", "será", "serán", "sarà", "wordt", "worden"}) != "" {
		days, f := d.resolve(s.dates)
		if f == nil && len(days) > 0 && !days[0].first.Before(d.today()) { // it will be delivered today
			return false
		}
	}
	days, f := d.resolve(s.dates)
	return f == nil && len(days) > 0 && !days[0].first.After(d.today())
}

// boarded tells whether a verb of a text tells of the past.
func (r *reader) boarded() bool {
	for i := range r.toks {
		if r.word(i, list("boarded left came went docked berthed moored sailed met called spoke signed delivered checked inspected visited started began drew said took saw gave held won lost found became fell rose broke sank brought caught sold paid built received celebrated welcomed opened attended joined repaired replaced reported")) && !r.word(i-1, list("be been to is are not will")) {
			return true
		}
		if t := r.tok(i + 1).text; r.word(i, list("we i they he she you who which")) && len(t) > 4 && strings.HasSuffix(t, "ed") && !r.word(i+1, list("proceed exceed succeed indeed")) { // we worked
			return true
		}
	}
	return false
}

// today gives the stated day, or the present, as a day.
func (d *document) today() time.Time {
	t := d.set.Stated
	if t.IsZero() {
		t = d.set.Present
	}
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)
}

// phraseIn gives the first of some phrases that stands in a text as words of its
// own.
func phraseIn(text string, phrases []string) string {
	lower := strings.ToLower(text)
	for _, p := range phrases {
		for at := 0; ; {
			i := strings.Index(lower[at:], p)
			if i < 0 {
				break
			}
			i += at
			end := i + len(p)
			if (i == 0 || !isLetterBefore(lower[:i])) && (end == len(lower) || !startsWithLetter(lower[end:])) {
				return p
			}
			at = end
		}
	}
	return ""
}

func startsWithLetter(s string) bool {
	for _, r := range s {
		return unicode.IsLetter(r) || unicode.IsDigit(r)
	}
	return false
}

// reopens is what stands behind the day on which something opens or begins again: on Friday it
// reopens at 7.
var reopens = pattern.Lazy(`(?i)^[\s,]*(?:\S+\s+){0,5}?(?:re-?opens?|will re-?open|resumes?|will resume|(?:is|are|will be) (?:open again|back in service|back to normal)|öffne[nt](?:\s+\S+){0,4}? wieder|(?:ist|sind) wieder (?:offen|geöffnet|frei)|rouvre(?:nt|ra|ront)?|reprend(?:ra)?|reabre[n]?|se reanudan?|riapr(?:e|ono)|riprend(?:e|ono)|reabre[m]?|heropen(?:t|en)|(?:is|zijn) weer open)(?:$|[^\p{L}])`)
