package notice

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
)

// span is a stretch of tokens that says something of a time.
type span struct {
	kind     byte // 'd' days, 't' times, 'l' a length, 'a' all day
	from, to int  // tokens
	dates    dates
	times    times
	minutes  int
}

// oneOfSeveral is why several times, of which one will be, are held.
const oneOfSeveral = "names several of which one is meant"

// notToBe is why a day is passed over that a text says is not the one.
const notToBe = "what is not to be, or no longer"

// unit reads one unit of a text.
func (d *document) unit(u unit) {
	if len(u.fields) > 0 {
		if d.day == nil || slices.ContainsFunc(u.fields, func(f Field) bool { return SaysDay(f.Value) }) {
			d.endDay()
		}
		d.block(u)
		return
	}
	if u.level > 0 {
		d.timeAbove, d.section = "", len(d.out.Events)
	}
	if !d.set.Message && strings.Contains(u.text, ":") && timeLabel().MatchString(u.text) { // the times of the days above it
		for i := d.section; i < len(d.out.Events); i++ {
			if e := &d.out.Events[i]; e.AllDay && e.NoTime && e.End.IsZero() && e.Held == nil && !e.Cancelled && phraseIn(e.Text, closedWords) == "" {
				e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one below it: "+strconv.Quote(fault.Shorten(u.text, 60))).Do("write the time beside each day")
			}
		}
	}
	r := &reader{text: u.text, toks: scan(u.text), lead: d.leads}
	spans, month := d.spans(r, u), d.month
	if d.context(u, r, spans) {
		return
	}
	if h := d.heading(); u.level == 0 && h != "" && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' }) {
		for why, words := range listsOfNone {
			if phraseIn(h, words) != "" {
				d.pass(u, u.text, why)
				return
			}
		}
	}
	if d.month != month {
		spans = d.spans(r, u)
	}
	stray, left := r.stray(spans), r.leftover(spans)
	spans, passed := d.veto(r, spans, u)
	for _, p := range passed {
		d.pass(u, u.text, p)
	}
	if len(spans) > 0 && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' }) && r.saysNothing(spans) {
		d.pass(u, u.text, "says that there is nothing")
		return
	}
	groups := grouped(r, spans)
	if stray != "" {
		for i := range groups {
			groups[i].doubt = "holds " + strconv.Quote(stray) + ", which looks like a day or a time and is not understood"
		}
		if len(groups) == 0 && len(passed) == 0 {
			e := d.begin(u)
			d.fields(&e, u, u.text)
			e.Held = fault.New(stray, "looks like a day or a time, and is none that can be read").Do("write it as 5 March 2026, 14:30")
			d.out.Events = append(d.out.Events, e)
			return
		}
	}
	if why := r.endsBy(passed, spans); why != "" && left == "" {
		left = why
	}
	if left == "" && d.backwards(groups) && !r.either(groups) {
		left = "names days of the week that do not follow each other"
	}
	for i := range groups {
		if groups[i].doubt == "" {
			groups[i].doubt = left
		}
	}
	for i := range r.toks {
		if r.roughLength(i) > 0 && !r.notOfEvent(i, r.roughLength(i)-1) && phraseIn(r.text, earlyWords) == "" {
			d.rough = u.text
			break
		}
	}
	if len(groups) == 0 && len(passed) == 0 && strings.ContainsAny(r.text, "0123456789") && backAt().MatchString(r.text) {
		d.rough = u.text
	}
	if !slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil || g.times != nil }) {
		for _, s := range spans {
			if s.kind == 'l' && d.set.Message && r.only(s) { // "20 minutes?"
				d.lengths = append(d.lengths, s.minutes)
				continue
			}
			if s.kind == 'l' && phraseIn(r.text, slices.Concat(lastingWords, []string{"each", "jeweils", "chacun", "ciascuno"})) != "" && phraseIn(r.text, earlyWords) == "" {
				d.lengths = append(d.lengths, s.minutes)
				if !d.set.Message || phraseIn(r.text, []string{"each", "every", "per", "pro", "par", "por", "apiece", "je", "jeweils", "chaque", "chacun", "cada", "ciascuno", "ogni", "elk"}) != "" {
					d.lasting(s.minutes, phraseIn(r.text, []string{"each", "every", "all", "per", "pro", "par", "por", "a piece", "apiece", "je", "jeweils", "alle", "chaque", "chacun", "cada", "ciascuno", "ogni", "elk"}) != "")
				}
			}
		}
		d.without(u, r, len(passed) > 0)
		return
	}
	hasDate := slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil })
	if !hasDate && d.day != nil && (!u.sentence || !u.gap) || !hasDate && d.day != nil && d.day.unit.level > 0 {
		d.day.used = true
		for i := range groups {
			groups[i].dates = &d.day.dates
		}
		d.flushDayTexts()
	} else if hasDate {
		d.endDay()
	}
	if !hasDate && groups[0].dates == nil && !d.set.Message {
		switch {
		case d.vagueDay(u):
			return
		case d.above != nil && groups[0].from == 0 && (!u.gap || d.above.bare):
			d.below(u, r, groups)
		default:
			d.apart, d.timeAbove = true, u.text
			if lead := tidy(strings.SplitN(u.text, ":", 2)[0]); d.untitled() && !u.sentence && meaningful(lead) && !hasTime(lead) { // Harbour council: all meetings at 18:00
				d.headings, d.provisional = []string{lead}, true
			}
			for i := d.before; i < len(d.out.Events) && !u.gap; i++ { // "The quiz is on 11 March. Start 7.30 pm."
				if e := &d.out.Events[i]; (e.prose || e.heading) && e.AllDay && e.End.IsZero() && e.NoTime && e.Held == nil && !e.Cancelled {
					e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one behind it").Do("write the time beside the day")
				}
			}
			d.pass(u, u.text, "a time without a day")
		}
		return
	}
	before := len(d.out.Events)
	if phraseAt(u.text, elseWords) {
		for i := range groups {
			groups[i].doubt = oneOfSeveral
		}
		for i := d.before; i < before; i++ { // what stands before it is the other choice
			if e := &d.out.Events[i]; e.Held == nil && !e.Cancelled {
				e.Held = fault.New(fault.Shorten(e.Text, 80), oneOfSeveral).Do("say which one it is")
			}
		}
	}
	d.events(u, r, groups)
	d.before = before
	d.above = nil
	if last := groups[len(groups)-1]; hasDate && len(last.dates.days) == 1 && last.dates.until == nil && len(groups) == 1 {
		d.above = &dayAbove{dates: *last.dates, bare: last.times == nil && !last.allDay, from: before, to: len(d.out.Events), unit: u}
	}
}

// backAt is an end that is said roughly, or by an hour alone: back around 5.
var backAt = lazily(`(?i)\b(?:back|ends?|ending|finish(?:es|ed|ing)?|over|done|until|till|zurück|ende|fertig|terminé|fini|finisce|termina|acaba|klaar)\b[^.\d]{0,20}\b(?:at|by|around|about|until|till|um|gegen|bis|à|vers|a las|hacia|alle|verso|às|om|rond)\s+(?:ca\.? )?\d{1,2}\b`)

// timeLabel is a line that says the times of days that stand elsewhere.
var timeLabel = lazily(`(?i)^\s*(?:\p{L}+ ){0,2}(?:times?|hours|uhrzeit|uhrzeiten|zeiten|zeit|heures?|horaires?|horario|hora|orario|ora|tijd|tijden)\s*:.*\d`)

// only tells whether a text is a length and words of agreement, and nothing else.
func (r *reader) only(s span) bool {
	for i := range r.toks {
		if (i < s.from || i >= s.to) && r.is(i, 'n') || r.is(i, 'w') && (i < s.from || i >= s.to) && !r.word(i, list("yes ok okay and so about maximum max then is enough will do should be perfect fine please it say ja oui sí si sim ca")) {
			return false
		}
	}
	return true
}

// dayAbove is the day of the line above: a line that begins with a time is of it.
type dayAbove struct {
	dates    dates
	bare     bool // no time stood beside it
	from, to int  // the events that were made of it
	unit     unit
}

// below reads a line that begins with a time, below a line with a day. A day that had
// no time was only the heading of it.
func (d *document) below(u unit, r *reader, groups []group) {
	above := d.above
	if above.bare && above.to > above.from && above.to <= len(d.out.Events) {
		d.out.Events = slices.Delete(d.out.Events, above.from, above.to)
		d.pass(above.unit, above.unit.text, "the day of what stands below it")
		above.to = above.from
	}
	for i := range groups {
		groups[i].dates = &above.dates
	}
	from := len(d.out.Events)
	d.events(u, r, groups)
	for i := range d.out.Events[from:] {
		d.out.Events[from+i].note("the day is that of the line above")
	}
}

// context takes from a unit what holds for those below it: a month, a year, a day
// that stands alone. It tells whether that is all that it says.
func (d *document) context(u unit, r *reader, spans []span) bool {
	year, month, other := 0, 0, 0
	for i := range r.toks {
		t := r.tok(i)
		switch {
		case r.month(i) > 0 && !r.is(i-1, 'n') && (!r.is(i+1, 'n') || len(r.tok(i+1).text) == 4):
			if month != 0 {
				other += 10
			}
			month = r.month(i)
		case t.kind == 'n' && len(t.text) == 4 && t.num >= 1990 && t.num < 2200 && !r.is(i+1, '-') && !r.is(i-1, '-') && !r.is(i-1, '/') && !r.is(i-1, '.'):
			if year != 0 {
				other += 10
			}
			if d.years[t.num] == 0 && len(d.years) > 0 && !(u.level > 0 && len(d.out.Events) > 0) { // "Harbour 2030", in a text of 2026
				other++
				continue
			}
			year = t.num
		case t.kind == 'n':
			other += 10
		case t.kind == 'w' || t.kind == 'x':
			other++
		}
	}
	alone := func() bool {
		return len(spans) == 1 && spans[0].kind == 'd' && len(spans[0].dates.days) == 1 && !spans[0].dates.open && leftOver(r, spans[0]) <= 1
	}
	switch {
	case alone() && (u.level > 0 || !u.item):
		listed := d.day != nil && !d.day.used && len(d.day.texts) == 0 || d.day != nil && d.day.listed && !d.day.used
		if listed {
			d.day.listed = true
		}
		d.endDay()
		d.day = &heading{unit: u, dates: spans[0].dates, listed: listed}
		if y := spans[0].dates.days[0].year; y > 0 {
			d.year = y
		}
		return true
	case u.level > 0 || other <= 1 && (month > 0 || year > 0) || (d.untitled() || len(d.out.Events) == 0 && d.provisional) && year > 0 && other < 10 && !u.sentence:
		if len(spans) > 0 && u.level == 0 {
			return false
		}
		d.endDay()
		if year > 0 {
			d.year = year
		}
		if month > 0 || u.level > 0 && year > 0 {
			d.month = month
		}
		if u.level > 0 || other > 1 {
			d.provisional = false
			level := max(u.level, 1)
			for len(d.headings) < level {
				d.headings = append(d.headings, "")
			}
			d.headings = append(d.headings[:level-1], strings.TrimRight(u.text, ": "))
		}
		if len(spans) > 0 && u.level > 0 && (len(d.out.Events) > 0 || other > 2 || slices.ContainsFunc(spans, func(s span) bool { return s.kind == 't' })) {
			return false // a heading can be an event of its own
		}
		return true
	}
	return false
}

func (d *document) untitled() bool { return len(d.out.Events) == 0 && len(d.headings) == 0 }

// leftOver counts the words outside of a span.
func leftOver(r *reader, s span) int {
	n := 0
	for i, t := range r.toks {
		if (i < s.from || i >= s.to) && t.kind != ':' && t.kind != '-' && t.kind != '.' && t.kind != ',' && t.kind != '*' && t.kind != '|' {
			n += 2
		}
	}
	return n
}

// without reads a unit that says no time: the title below a day, or a text that
// says a day vaguely.
func (d *document) without(u unit, r *reader, passed bool) {
	if passed || u.text == "" {
		return
	}
	if d.vagueDay(u) {
		return
	}
	if maybeWhen().MatchString(u.text) && len(u.fields) == 0 {
		d.pass(u, u.text, "holds a number that may be a day or a time, and is not understood")
	}
	if d.day != nil && !d.day.used && len(d.day.texts) < 3 {
		d.day.texts = append(d.day.texts, u)
		return
	}
	if u.level == 0 && d.untitled() && !phraseAt(u.text, addressed) && !u.sentence && len(u.text) < 90 && !d.set.Message {
		d.headings, d.provisional = []string{u.text}, true
	}
	if d.set.Message && phraseIn(u.text, []string{"same time", "gleiche zeit", "gleichen zeit", "même heure", "misma hora", "stessa ora", "mesma hora", "zelfde tijd"}) != "" { // "Moved to Sunday. Same time."
		for i := d.before; i < len(d.out.Events); i++ {
			if e := &d.out.Events[i]; e.NoTime && e.Held == nil && !e.Cancelled {
				e.Held = fault.New(fault.Shorten(u.text, 80), sameTime).Do("say the time")
			}
		}
	}
	if d.set.Message && (phraseIn(u.text, objections) != "" || phraseIn(u.text, takenWords) != "" || shiftedBy().MatchString(u.text)) {
		d.out.Objections = append(d.out.Objections, u.text)
		return
	}
	if d.set.Message && settles(u.text) {
		d.out.Events = append(d.out.Events, Event{Text: u.text, Page: u.page, Line: u.line, NoDate: true, NoTime: true})
	}
	if d.set.Message && cancels(u.text) {
		d.out.Events = append(d.out.Events, Event{Text: u.text, Page: u.page, Line: u.line, NoDate: true, NoTime: true, Cancelled: true, Reading: []Part{{u.text, "status", "cancelled"}}})
	}
}

// maybeWhen is a number that may be a day or a time, and was not read as one.
var maybeWhen = lazily(`(?i)\bthe \d{1,2}(?:st|nd|rd|th)\b|\b(?:0\d|1\d|2[0-3]):[0-5]\d\b|\(\d{1,2}\s?[-–]\s?\d{1,2}\)|\b(?:[01]\d|2[0-3])[0-5]\d ?(?:hrs|lt|utc|z)\b`)

// weekNumber is a week by its number, and fromNow a time that counts from now.
var (
	weekNumber = lazily(`(?i)\b(?:week|weeks|kw|kalenderwoche|woche|semaine|semana|settimana)\s?\d{1,2}\b`)
	monthPart  = lazily(`(?i)\b(?:end|beginning|start|middle|early|late|mid|anfang|mitte|ende|début|fin|mi|principios|finales|mediados|inizio|fine|metà|início|fim|meados|begin|eind|half)[ -](?:of |in |de |di |du |do )?(?:january|february|march|april|june|july|august|september|october|november|december|januar|februar|märz|mai|juni|juli|oktober|dezember|janvier|février|mars|avril|juin|juillet|août|septembre|octobre|novembre|décembre|enero|febrero|marzo|abril|mayo|junio|julio|agosto|septiembre|octubre|noviembre|diciembre)\b|\b(?:end|beginning|middle) of may\b|\b(?:early|late|mid)[ -]may\b`)
	fromNow    = lazily(`(?i)\bin (?:about |ca\.? )?(?:an?|half an|a quarter of an|\d{1,3}|one|two|three|four|five|six|ten|twenty|thirty) (?:hours?|minutes?|mins?|months?|years?)\b`)
)

// shiftedBy is by how much something is moved, and not to when.
var shiftedBy = lazily(`(?i)\b(?:shift|move|postpone|push|bring|put|delay)\w*\b.{0,30}\bby (?:an?|half an|one|two|three|four|\d+) (?:minutes?|hours?|days?|weeks?)\b|\b(?:an?|half an|one|two|three|four|\d+) (?:minutes?|hours?|days?|weeks?) (?:later|earlier|after that|before that)\b|\b(?:um|eine|einen|zwei|\d+) (?:stunden?|tage?|wochen?) (?:später|früher|verschieben)\b`)

// containsOne tells whether one of some words stands in a text: a pattern is only tried
// there, for it costs more.
func containsOne(lower, words string) bool {
	for w := range strings.SplitSeq(words, " ") {
		if strings.Contains(lower, w) {
			return true
		}
	}
	return false
}

// vagueDay holds what is said to be on no certain day.
func (d *document) vagueDay(u unit) bool {
	phrase := phraseIn(u.text, vagueDays)
	lower := strings.ToLower(u.text)
	has := func(words string) bool { return containsOne(lower, words) }
	if phrase == "" && has("jan feb fév mar mär avr apr abr may mai mag jun jui giu jul lug aug aoû ago sep set oct okt ott out nov dec dez dic déc ene gen") {
		phrase = monthPart().FindString(u.text)
	}
	if phrase == "" && has("week woche kw semaine semana settimana") && weekNumber().MatchString(u.text) {
		d.weeks = append(d.weeks, u)
	}
	if phrase == "" && d.set.Message && has("hour min month year") {
		if phrase = fromNow().FindString(u.text); phrase != "" {
			e := d.begin(u)
			e.What = d.set.Subject
			e.Held = fault.New(phrase, "counts from the moment at which it was written").Do("say the time")
			d.out.Events = append(d.out.Events, e)
			return true
		}
	}
	if phrase == "" || !d.set.Message && u.sentence {
		return false
	}
	if phraseIn(u.text, []string{"see you", "have a", "schönes", "regards"}) != "" {
		return false
	}
	e := d.begin(u)
	e.What = tidy(u.text)
	if d.set.Message && d.set.Subject != "" {
		e.What = d.set.Subject
	}
	e.Held = fault.New(phrase, "says no certain day").Do("ask for the day, or write it into the text")
	d.out.Events = append(d.out.Events, e)
	return true
}

// endDay makes an event of a day that stood alone, where no times followed.
func (d *document) endDay() {
	h := d.day
	d.day = nil
	if h == nil || h.used {
		return
	}
	u := h.unit
	u.level = 0
	if h.listed && d.heading() != "" && (len(h.texts) == 0 || h.texts[0].gap && h.texts[0].sentence) {
		e := d.begin(u)
		e.What = tidy(d.heading())
		r := &reader{text: u.text, toks: scan(u.text)}
		for _, g := range grouped(r, d.spans(r, u)) {
			d.timed(e, u, r, &g)
		}
		return
	}
	if len(h.texts) > 0 && (&reader{text: h.texts[0].text, toks: scan(h.texts[0].text)}).saysNothing(nil) {
		d.pass(u, u.text+" "+h.texts[0].text, "says that there is nothing")
		return
	}
	if len(h.texts) > 0 {
		for n, t := range h.texts {
			if n > 0 && t.sentence {
				break
			}
			one := t
			one.text = u.text + " " + t.text
			r := &reader{text: one.text, toks: scan(one.text)}
			d.events(one, r, grouped(r, d.spans(r, one)))
		}
		return
	}
	if d.set.Message || u.level > 0 {
		r := &reader{text: u.text, toks: scan(u.text)}
		d.events(u, r, grouped(r, d.spans(r, u)))
		return
	}
	d.pass(u, u.text, "a day that nothing is said of")
}

// flushDayTexts drops what stood between a day and its first time: it is about
// the day.
func (d *document) flushDayTexts() {
	if d.day != nil {
		d.day.texts = nil
	}
}

// spans finds everything that says a time.
func (d *document) spans(r *reader, u unit) (out []span) {
	bareDays := d.month > 0
	for i := 0; i < len(r.toks); {
		if minutes, end := r.length(i); end > 0 {
			out = append(out, span{kind: 'l', from: i, to: end, minutes: minutes})
			i = end
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
		if r.word(i, dayLinks) && !r.word(i, fromWords) {
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
		aside := len(out) > 0 && r.rangeOfHours(i) && r.is(i, 'n') && (r.is(i-1, ',') || r.is(i-1, ':') || r.is(i-1, '(')) && (i+3 >= len(r.toks) || !r.is(i+3, 'w') || r.word(i+3, hourWords))
		loose := aside || len(out) > 0 && out[len(out)-1].kind == 'd' && r.onlySigns(out[len(out)-1].to, i) && (r.rangeOfHours(i) || r.is(i, 'n') && i+1 == len(r.toks))
		if d.set.Message && r.is(i, 'n') && r.rangeOfHours(i) && len(r.tok(i).text) <= 2 && (i == 0 || i <= 3 && (r.is(i-1, ',') || r.word(i-1, list("yes ok okay then say from make it do can")))) && (r.tok(i+3).kind != 'w' || r.word(i+3, list("then please works is would suits on tomorrow today o'clock instead it"))) {
			loose = true // yes, 9 to 12 then
		}
		if ts, end := r.clocks(i, loose); end > 0 {
			out = append(out, span{kind: 't', from: i, to: end, times: ts})
			i = end
			continue
		}
		i++
	}
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

// hourAlone reads the hour of an answer: "three works", "make it 4", "rather five".
func (r *reader) hourAlone(from int) []span {
	for i := from; i < min(len(r.toks), from+12); i++ {
		n := numberOf(r.tok(i))
		lead := i == from || r.word(i-1, list("it about rather better say at then prefer suggest to")) || i == 1 && r.word(0, list("then and so but ok okay yes no sorry is would"))
		behind := r.word(i+1, list("works is would suits fits it then please possible ok okay passt geht ginge wäre")) || i+1 >= len(r.toks) || r.is(i+1, '.') || r.is(i+1, '?') || r.is(i+1, '!') || r.is(i+1, ',')
		if n < 1 || n > 12 || !lead || !behind || r.tok(i).text == "a" || r.tok(i).text == "an" || i == 0 && !r.word(1, list("works is would suits fits it passt geht ginge wäre")) || r.is(i-1, '-') || r.word(i-1, rangeWords) && numberOf(r.tok(i-2)) > 0 {
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

// bareDays reads days of the month that a heading names, at the beginning of a
// line: "Mon 2", "3rd", "12–14".
func (r *reader) bareDays(month, year int) (dates, int) {
	at := 0
	var out dates
	for {
		d := day{weekday: -1, month: month, year: year}
		if days := r.weekday(at); days != 0 {
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
		if (r.is(at, ',') || r.word(at, andWords) || r.is(at, '&')) && (r.is(at+1, 'n') && r.tok(at+1).num <= 31 && !r.is(at+2, ':') || r.weekday(at+1) != 0 && r.is(at+2, 'n')) {
			at++
			continue
		}
		if !signed && len(out.days) == 1 && !(r.is(at, ':') || r.is(at, '-') || r.is(at, '|') || r.is(at, ',') || r.is(at, 0) || r.is(at, 'w') || r.is(at, 'n')) {
			return dates{}, 0
		}
		return out, at
	}
}

var vagueWord = list(`around about approximately approx roughly ca circa gegen vers environ hacia verso rond sometime`)

// begin begins an event of a unit.
func (d *document) begin(u unit) Event {
	e := Event{Text: u.text, Page: u.page, Line: u.line, Heading: d.heading(), prose: u.sentence && !u.item, heading: u.level > 0 || len(d.out.Events) == 0 && !d.set.Message && !u.sentence && !u.item && u.line <= 2}
	if u.struck || cancels(u.text) {
		e.Cancelled = true
		e.Reading = append(e.Reading, Part{u.text, "status", "cancelled"})
	}
	return e
}

func cancels(text string) bool {
	p := phraseIn(text, cancelWords)
	if p == "is off" && phraseIn(text, suppliesOff) != "" { // the power is off for a while
		return false
	}
	if p == "" {
		return false
	}
	return phraseIn(text, []string{"not cancelled", "not canceled", "cancellation policy", "cancellation fee", "cancel your", "how to cancel", "wish to cancel", "order to cancel", "time to cancel", "to cancel the", "to cancel a", "not to cancel", "can cancel", "may cancel", "cancel the reminder", "if cancelled", "unless cancelled", "no cancellation", "cancellations must", "if you cancel"}) == ""
}

// events makes the events of a unit's groups.
func (d *document) events(u unit, r *reader, groups []group) {
	groups = d.moved(u, r, r.stays(groups))
	shared, from := shareTimes(u, r, groups), len(d.out.Events)
	parts := d.titles(u, r, groups)
	timed, untimed := 0, 0
	for _, g := range groups {
		if g.times != nil {
			timed++
		} else if !g.allDay {
			untimed++
		}
	}
	for _, g := range groups { // one of them has a year that is not meant: what is beside it may be of it
		if g.dates == nil || len(groups) < 2 {
			continue
		}
		if days, f := d.resolve(*g.dates); f == nil && len(days) > 0 && d.far(days) {
			for n := range groups {
				groups[n].doubt = cmp.Or(groups[n].doubt, "names a day that is many years away")
			}
		}
	}
	for n := range groups {
		g := &groups[n]
		switch {
		case g.doubt != "":
		case g.inherits && !r.ownWords(groups, n), g.inherits && d.set.Message && u.sentence, n+1 < len(groups) && groups[n+1].inherits && groups[n+1].dates == g.dates && (!r.ownWords(groups, n+1) || d.set.Message && u.sentence):
			g.doubt = "names several times for one day"
		case n+1 < len(groups) && r.slashBetween(groups[n], groups[n+1]), n > 0 && r.slashBetween(groups[n-1], groups[n]):
			g.doubt = "has two times with a stroke between: from the first to the second, or each by itself?"
		case n+1 < len(groups) && r.sideBySide(groups[n], groups[n+1]), n > 0 && r.sideBySide(groups[n-1], groups[n]):
			g.doubt = "has two days side by side: from the first to the second, or each by itself?"
		case n+1 < len(groups) && r.timesSideBySide(groups[n], groups[n+1]), n > 0 && r.timesSideBySide(groups[n-1], groups[n]):
			g.doubt = "has two times side by side: from the first to the second, or each by itself?"
		case len(groups) == 2 && r.returns(groups):
			g.doubt = "may last from the first of its days to the second, or be on each"
		case r.either(groups):
			g.doubt = oneOfSeveral
		case g.times == nil && !g.allDay && r.partOnly(g):
			g.doubt = "says only a part of the day"
		case phraseIn(u.text, ifNeeded) != "" && n == len(groups)-1:
			g.doubt = "is only there if it is needed"
		case g.times == nil && !g.allDay && timed > 0:
			g.doubt = "has no time of its own, and the text says one for another day"
		}
		base := d.begin(u)
		d.fields(&base, u, parts[n])
		base.Reading = append(base.Reading, r.reading(g)...)
		d.timed(base, u, r, g)
	}
	for i := from; shared && i < len(d.out.Events); i++ { // the place is that of each as well
		if e := &d.out.Events[i]; e.Where == "" {
			e.Where = d.out.Events[len(d.out.Events)-1].Where
		}
	}
}

// shareTimes gives days without times that of the last, where the text says that it is
// that of each: 24 March, 7 April, each 19:00–21:00.
func shareTimes(u unit, r *reader, groups []group) bool {
	last := len(groups) - 1
	if last < 1 || groups[last].times == nil {
		return false
	}
	if phraseIn(u.text, []string{"each", "jeweils", "je", "chaque fois", "cada vez", "ogni volta", "telkens", "steeds"}) == "" {
		for n := range groups[:last] { // 25 March, 1 and 8 April, 19:30
			if u.sentence || !r.onlyRange(groups[n].to, groups[n+1].from) || strings.ContainsAny(r.text[r.tok(groups[n].to-1).to:r.tok(groups[n+1].from).from], ";|/–-") || strings.TrimSpace(r.text[r.tok(groups[n].to-1).to:r.tok(groups[n+1].from).from]) == "" {
				return false
			}
		}
	}
	for _, g := range groups[:last] {
		if g.times != nil || g.allDay || g.dates == nil || g.doubt != "" || g.minutes > 0 {
			return false
		}
	}
	for i := range groups[:last] {
		groups[i].times, groups[i].minutes = groups[last].times, groups[last].minutes
	}
	return true
}

// timed gives an event its times, once for each of its days.
func (d *document) timed(base Event, u unit, r *reader, g *group) {
	hold := func(e Event, f *fault.Fault) {
		if f.Value == "" {
			f = fault.New(fault.Shorten(u.text, 80), f.Cause.Error()).Do("%s", f.Advice)
		}
		e.Held = f
		d.add(e, g)
	}
	var days []resolved
	var f *fault.Fault
	if g.dates != nil && g.dates.until != nil && len(g.dates.days) == 1 && phraseIn(u.text, movedWords) != "" && r.word(g.from, fromWords) {
		g.dates = &dates{days: []day{*g.dates.until}} // from Tuesday to Thursday
		if g.apart && g.times != nil && g.times.until != nil {
			one := *g.times
			one.list, one.until = []clock{*g.times.until}, nil
			g.times, g.apart = &one, false
		}
	}
	if g.times != nil && g.times.until != nil && len(g.times.list) == 1 && !g.apart && phraseIn(u.text, movedWords) != "" && slices.ContainsFunc(g.spans, func(s [2]int) bool { return r.word(s[0], fromWords) }) { // moved from 11:00 to 10:30
		before, _ := d.minutes(g.times.list[0])
		if now, _ := d.minutes(*g.times.until); now > before && g.doubt == "" {
			g.doubt = "is moved to the second of its times, or lasts until then"
		} else if now <= before {
			one := *g.times
			one.list, one.until = []clock{*g.times.until}, nil
			g.times = &one
			d.pass(u, u.text, "the time from which it is moved")
		}
	}
	switch {
	case g.dates != nil:
		days, f = d.resolve(*g.dates)
	default:
		days = []resolved{{}}
	}
	if f != nil && len(days) == 0 {
		if g.times != nil { // every second Thursday, 15:00–16:30, and its days below
			d.timeAbove = u.text
		}
		hold(base, f)
		return
	}
	why := f
	if why == nil {
		why = d.doubts(u, r, g)
	}
	if g.times != nil && g.times.or && len(g.times.list) > 1 && len(days) == 1 && g.times.until == nil { // each can be chosen
		for _, c := range g.times.list {
			one := *g
			times := *g.times
			times.list, times.or = []clock{c}, false
			one.times, one.doubt = &times, oneOfSeveral
			d.timed(base, u, r, &one)
		}
		return
	}
	if why == nil && len(days) > 0 && d.far(days) {
		why = fault.Newf("is more than five years away").Do("see whether the year is right")
	}
	for _, day := range days {
		e := base
		e.Reading = slices.Clone(base.Reading)
		e.NoDate, e.NoTime = g.dates == nil, g.times == nil && !g.allDay
		f := d.setTimes(&e, day, g)
		if f == nil || why != nil && g.times != nil && g.times.window {
			f = why
		}
		if f == nil && len(g.datesOr()) > 1 {
			f = fault.Newf(oneOfSeveral).Do("say which one it is")
		}
		if f != nil {
			hold(e, f)
			continue
		}
		d.add(e, g)
	}
}

// far tells whether days lie so far from the present that their year is hardly meant.
func (d *document) far(days []resolved) bool {
	present := d.set.Present
	if present.IsZero() || days[0].first.IsZero() {
		return false
	}
	first, last := days[0].first, cmpLast(days)
	back := -15
	if d.set.Message {
		back = -5
	}
	return first.Before(present.AddDate(back, 0, 0)) || last.After(present.AddDate(6, 0, 0))
}

func (d *document) add(e Event, g *group) {
	for i := range e.Reading {
		if e.Reading[i].Field == "time" && e.Reading[i].Value == "" {
			e.Reading[i].Value = e.When()
		}
	}
	switch {
	case d.timeAbove == "" || d.set.Message:
	case !e.AllDay && !e.Start.IsZero():
		d.timeAbove = ""
	case e.AllDay && e.NoTime && e.End.IsZero() && e.Held == nil && !e.Cancelled && !g.allDay && (!e.prose || startsWithDate(e.Text) || g.dates != nil && len(g.dates.days) > 1) && phraseIn(e.Text, closedWords) == "":
		e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one above it: "+strconv.Quote(fault.Shorten(d.timeAbove, 60))).Do("write the time beside each day")
	}
	d.out.Events = append(d.out.Events, e)
}
