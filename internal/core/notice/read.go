package notice

import (
	"slices"
	"strings"
	"time"
	"unicode"

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

// group is what is said of one event's time.
type group struct {
	dates    *dates
	times    *times
	minutes  int
	allDay   bool
	from, to int // tokens
	spans    [][2]int
	inherits bool
	doubt    string // why it is not to be loaded
	apart    bool   // the first and the last day have a time each
}

// unit reads one unit of a text.
func (d *document) unit(u unit) {
	if len(u.fields) > 0 {
		d.endDay()
		d.block(u)
		return
	}
	r := &reader{text: u.text, toks: scan(u.text)}
	if d.context(u, r) {
		return
	}
	spans := d.spans(r, u)
	spans, passed := d.veto(r, spans, u)
	for _, p := range passed {
		d.pass(u, u.text, p)
	}
	groups := grouped(r, spans)
	if !slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil || g.times != nil }) {
		for _, s := range spans {
			if s.kind == 'l' && s.minutes < 1440 {
				d.lengths = append(d.lengths, s.minutes)
			}
		}
		d.without(u, r, len(passed) > 0)
		return
	}
	hasDate := slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil })
	if !hasDate && d.day != nil && !u.sentence || !hasDate && d.day != nil && d.day.unit.level > 0 {
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
			d.pass(u, u.text, "a time without a day")
		}
		return
	}
	before := len(d.out.Events)
	d.events(u, r, groups)
	d.above = nil
	if last := groups[len(groups)-1]; hasDate && len(last.dates.days) == 1 && last.dates.until == nil && len(groups) == 1 {
		d.above = &dayAbove{dates: *last.dates, bare: last.times == nil && !last.allDay, from: before, to: len(d.out.Events), unit: u}
	}
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
func (d *document) context(u unit, r *reader) bool {
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
			year = t.num
		case t.kind == 'n':
			other += 10
		case t.kind == 'w' || t.kind == 'x':
			other++
		}
	}
	spans := d.spans(r, u)
	alone := func() bool {
		return len(spans) == 1 && spans[0].kind == 'd' && len(spans[0].dates.days) == 1 && spans[0].dates.until == nil && !spans[0].dates.open && leftOver(r, spans[0]) <= 1
	}
	switch {
	case alone() && (u.level > 0 || !u.item):
		d.endDay()
		d.day = &heading{unit: u, dates: spans[0].dates}
		if y := spans[0].dates.days[0].year; y > 0 {
			d.year = y
		}
		return true
	case u.level > 0 || other <= 1 && (month > 0 || year > 0) || d.untitled() && year > 0 && other < 10 && !u.sentence:
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
			level := max(u.level, 1)
			for len(d.headings) < level {
				d.headings = append(d.headings, "")
			}
			d.headings = append(d.headings[:level-1], strings.TrimRight(u.text, ": "))
		}
		if len(spans) > 0 && u.level > 0 && (len(d.out.Events) > 0 || other > 2) {
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
	if d.day != nil && !d.day.used && len(d.day.texts) < 3 {
		d.day.texts = append(d.day.texts, u)
		return
	}
	if u.level == 0 && d.untitled() && !u.sentence && len(u.text) < 90 && !d.set.Message {
		d.headings = []string{u.text}
	}
	if d.set.Message && settles(u.text) {
		d.out.Events = append(d.out.Events, Event{Text: u.text, Page: u.page, Line: u.line, NoDate: true, NoTime: true, Agreed: true})
	}
	if d.set.Message && cancels(u.text) {
		d.out.Events = append(d.out.Events, Event{Text: u.text, Page: u.page, Line: u.line, NoDate: true, NoTime: true, Cancelled: true, Reading: []Part{{u.text, "status", "cancelled"}}})
	}
}

// vagueDay holds what is said to be on no certain day.
func (d *document) vagueDay(u unit) bool {
	phrase := phraseIn(u.text, vagueDays)
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
		if first, end := r.when(0); bareDays && i == 0 && (end == 0 || first.days[0].relative) {
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
		if days, end := r.when(i); end > 0 && !r.spelledOut(i, days) {
			out = append(out, span{kind: 'd', from: i, to: end, dates: days})
			i = end
			continue
		}
		aside := len(out) > 0 && r.rangeOfHours(i) && r.is(i, 'n') && (r.is(i-1, ',') || r.is(i-1, ':') || r.is(i-1, '(')) && (i+3 >= len(r.toks) || !r.is(i+3, 'w') || r.word(i+3, hourWords))
		loose := aside || len(out) > 0 && out[len(out)-1].kind == 'd' && r.onlySigns(out[len(out)-1].to, i) && (r.rangeOfHours(i) || r.is(i, 'n') && i+1 == len(r.toks))
		if ts, end := r.clocks(i, loose); end > 0 {
			out = append(out, span{kind: 't', from: i, to: end, times: ts})
			i = end
			continue
		}
		i++
	}
	if len(out) == 0 && d.set.Message {
		return r.hourAlone()
	}
	return out
}

// hourAlone reads the hour of an answer: "three works", "make it 4", "rather five".
func (r *reader) hourAlone() []span {
	for i := range min(len(r.toks), 12) {
		n := numberOf(r.tok(i))
		lead := i == 0 || r.word(i-1, list("it about rather better say at then prefer suggest to")) || i == 1 && r.word(0, list("then and so but ok okay yes no sorry"))
		behind := r.word(i+1, list("works is would suits fits it then please passt geht ginge wäre")) || i+1 >= len(r.toks) || r.is(i+1, '.') || r.is(i+1, '?') || r.is(i+1, '!') || r.is(i+1, ',')
		if n < 1 || n > 12 || !lead || !behind || r.tok(i).text == "a" || r.tok(i).text == "an" || i == 0 && !r.word(1, list("works is would suits fits it passt geht ginge wäre")) {
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
		if r.month(at) > 0 || r.is(at, ':') && r.is(at+1, 'n') && !r.tok(at+1).gap || r.is(at, '/') || r.is(at-1, '.') && r.is(at, 'n') && !r.tok(at).gap || r.half(at) {
			return dates{}, 0
		}
		d.day = t.num
		if len(out.days) == 1 && out.until == nil && r.is(at, 0) && false {
			return dates{}, 0
		}
		out.days = append(out.days, d)
		if r.is(at, '-') || r.word(at, rangeWords) {
			if u := r.tok(at + 1); u.kind == 'n' && u.num > t.num && u.num <= 31 && len(u.text) <= 2 && !r.is(at+2, ':') && r.month(at+2) == 0 {
				last := day{weekday: -1, month: month, year: year, day: u.num}
				out.until = &last
				at += 2
				if r.is(at, '.') && !r.tok(at).gap {
					at++
				}
				return out, at
			}
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

// veto takes away the days that are none of an event, and says why.
func (d *document) veto(r *reader, spans []span, u unit) (kept []span, why []string) {
	minutes := phraseIn(r.text[:min(len(r.text), 40)], []string{"minutes of", "protokoll", "compte rendu", "acta de", "verbale", "ata da", "notulen", "report of the", "record of"}) != ""
	due := 0
	for n, s := range spans {
		if minutes && s.kind == 'd' {
			why = append(why, "the day of what is reported")
			continue
		}
		if n > 0 && s.kind != 'd' && len(why) > 0 && len(kept) == 0 && r.onlyLinks(spans[n-1].to, s.from) {
			continue // the time of such a day
		}
		if s.kind != 'd' {
			if s.kind == 't' && endsWith(r.before(s.from), insteadOf) {
				why = append(why, "what is not to be, or no longer")
				continue
			}
			if s.kind == 't' && d.deadline(r, s) {
				why = append(why, "a deadline")
				due = s.to
				continue
			}
			kept = append(kept, s)
			continue
		}
		if due > 0 && r.onlyLinks(due, s.from) { // by 7 a.m. on 20 March
			due = 0
			continue
		}
		reason := ""
		before := r.before(s.from)
		if endsWith(before, insteadOf) && !(endsWith(before, []string{"was"}) && len(spans) == 1) {
			why = append(why, "what is not to be, or no longer")
			continue
		}
		if d.set.Message && !d.set.Stated.IsZero() && !s.dates.days[0].relative {
			if days, f := d.resolve(s.dates); f == nil && len(days) > 0 && cmpLast(days).Before(d.today()) {
				why = append(why, "it lies before the day on which this was written")
				continue
			}
		}
		for _, v := range vetoes {
			if reason == "" && s.from > 0 && endsWith(before, v.words) {
				reason = v.why
			}
		}
		for _, c := range chancy {
			if reason == "" && endsWith(before, c.words) && phraseIn(r.text, c.with) != "" {
				reason = c.why
			}
		}
		if reason == "" && (u.sentence || d.set.Message) && d.past(r, s, before) {
			reason = "it is told of the past"
		}
		if reason == "" && phraseIn(r.text, []string{"please reply", "please answer", "let us know by", "reply until", "deadline"}) != "" && endsWith(before, []string{"until", "by", "deadline:", "deadline"}) {
			reason = "a deadline"
		}
		if reason == "" && len(spans) == 1 && !u.item && r.dateline(s) {
			if days, f := d.resolve(s.dates); f == nil && !days[0].first.After(d.today()) {
				reason = "the date of the letter"
			}
		}
		if reason == "" && strings.HasPrefix(strings.ToLower(r.text), "on ") && strings.HasSuffix(strings.TrimSpace(r.text), "wrote:") {
			reason = "the head of a quotation"
		}
		if reason != "" {
			why = append(why, reason)
			continue
		}
		kept = append(kept, s)
	}
	if len(kept) > 0 && !slices.ContainsFunc(kept, func(s span) bool { return s.kind == 'd' }) && len(why) > 0 {
		return nil, why // only the time of what was passed over is left
	}
	return kept, why
}

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
	return endsWith(before, []string{"by", "no later than", "not later than", "at the latest by", "before", "spätestens", "deadline"}) && len(s.times.list) == 1 && s.times.until == nil
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
		if rest, ok := strings.CutSuffix(text, p); ok && (rest == "" || !isLetterBefore(rest)) {
			return true
		}
	}
	return false
}

func isLetterBefore(s string) bool {
	r := []rune(s)
	return unicode.IsLetter(r[len(r)-1]) || unicode.IsDigit(r[len(r)-1])
}

// past tells whether a day is told of: it lies before today and the words are of
// what was.
func (d *document) past(r *reader, s span, before string) bool {
	if r.word(s.from-1, lastWords) || r.word(s.from, pastWords) {
		return true
	}
	told := r.boarded()
	if phraseIn(r.text, []string{"moved", "postponed", "rescheduled", "brought forward", "put back", "changed to"}) != "" {
		return false
	}
	for _, p := range toldPast {
		told = told || phraseIn(before, []string{p}) != ""
	}
	if !told {
		return false
	}
	e := Event{}
	days, f := d.resolve(s.dates)
	if f != nil || len(days) == 0 {
		return false
	}
	e.Start = days[0].first
	return !e.Start.After(d.today())
}

// boarded tells whether a verb of a text tells of the past.
func (r *reader) boarded() bool {
	for i := range r.toks {
		if r.word(i, list("boarded left came went docked berthed moored sailed met called spoke signed delivered checked inspected visited started began")) && !r.word(i-1, list("be been to is are not will")) {
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

// grouped brings days, times and lengths together that are of one event.
func grouped(r *reader, spans []span) (out []group) {
	var g *group
	open := func(s span) {
		out = append(out, group{from: s.from, to: s.to})
		g = &out[len(out)-1]
	}
	for n := range spans {
		s := &spans[n]
		switch s.kind {
		case 'd':
			switch {
			case g != nil && g.dates != nil && g.times == nil && r.onlyDayWords(g.to, s.from) && len(g.dates.days) == 1 && len(s.dates.days) == 1 && g.dates.until == nil && s.dates.until == nil && g.dates.days[0].relative != s.dates.days[0].relative:
				// tomorrow, Thursday 5 March: one day said twice
				one := s.dates
				if s.dates.days[0].relative {
					one = *g.dates
				}
				other := g.dates.days[0]
				if s.dates.days[0].relative {
					other = s.dates.days[0]
				}
				one.days = slices.Clone(one.days)
				if other.weekdays != 0 && one.days[0].weekdays == 0 {
					one.days[0].weekdays = other.weekdays
				}
				g.dates, g.to = &one, s.to
				continue
			case g != nil && g.dates == nil:
				g.dates, g.to = &s.dates, s.to
				continue
			case g != nil && g.times != nil && len(g.dates.days) == 1 && g.dates.until == nil && g.times.until == nil && len(g.times.list) == 1 && (r.is(s.from-1, '-') || r.word(s.from-1, rangeWords)) && n+1 < len(spans) && spans[n+1].kind == 't' && len(s.dates.days) == 1:
				// 5 March 14:00 – 6 March 10:00
				d := *g.dates
				d.until = &s.dates.days[0]
				t := *g.times
				t.until = &spans[n+1].times.list[0]
				g.dates, g.times, g.to, g.apart = &d, &t, spans[n+1].to, true
				spans[n+1].kind = 0
				continue
			}
			open(*s)
			g.dates = &s.dates
		case 't':
			switch {
			case g != nil && g.times == nil:
				g.times, g.to = &s.times, s.to
			case g != nil && g.times.until == nil && len(g.times.list) == 1 && len(s.times.list) == 1 && s.times.until == nil && (endsWith(r.before(s.from), []string{"until", "till", "bis", "jusqu'à", "hasta", "fino alle", "até", "tot"}) || r.word(s.from-1, untilWords)):
				t := *g.times
				t.until = &s.times.list[0]
				t.open = false
				g.times, g.to = &t, s.to
			default:
				was := g
				open(*s)
				g.times = &s.times
				if was != nil && was.dates != nil {
					g.dates, g.inherits = was.dates, true
				}
			}
		case 'l':
			if g != nil && g.minutes == 0 {
				g.minutes = s.minutes
				g.to = max(g.to, s.to)
			} else if g == nil {
				open(*s)
				g.minutes = s.minutes
			}
		case 'a':
			if g != nil {
				g.allDay, g.to = true, max(g.to, s.to)
			}
		}
	}
	for i := range out {
		for _, s := range spans {
			if s.from >= out[i].from && s.to <= out[i].to {
				out[i].spans = append(out[i].spans, [2]int{s.from, s.to})
			}
		}
	}
	return slices.DeleteFunc(out, func(g group) bool { return g.dates == nil && g.times == nil })
}

// ownWords tells whether words of its own stand beside a group, so that it is an
// event of its own.
func (r *reader) ownWords(groups []group, n int) bool {
	own := func(n int) bool {
		to := len(r.text)
		if n+1 < len(groups) {
			to = r.tok(groups[n+1].from).from
		}
		return meaningful(r.text[r.tok(groups[n].to-1).to:to])
	}
	return own(n) && (n == 0 || own(n-1) || groups[n-1].from > 0 && meaningful(r.before(groups[n-1].from)))
}

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
		if !r.inside(g, i) && i >= g.from-2 && i <= g.to+3 {
			return true
		}
	}
	return false
}

// inside tells whether a token is of what was read.
func (r *reader) inside(g *group, i int) bool {
	return slices.ContainsFunc(g.spans, func(s [2]int) bool { return i >= s[0] && i < s[1] })
}

// vague tells whether the time of a group is said only roughly. What is rough about
// a length is no matter.
func (r *reader) vague(g *group) bool {
	for i := max(0, g.from-3); i < min(len(r.toks), g.to+2); i++ {
		t := r.tok(i)
		if t.text == "noonish" || t.text == "ish" {
			return true
		}
		if t.kind != 'w' || !vagueWord[t.text] && !(t.text == "sobre" && r.tok(i+1).text == "las") && !(t.text == "por" && r.tok(i+1).text == "volta") {
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

var vagueWord = list(`around about approximately approx roughly ca circa gegen vers environ hacia verso rond sometime`)

// begin begins an event of a unit.
func (d *document) begin(u unit) Event {
	e := Event{Text: u.text, Page: u.page, Line: u.line, Heading: d.heading()}
	if u.struck || cancels(u.text) {
		e.Cancelled = true
		e.Reading = append(e.Reading, Part{u.text, "status", "cancelled"})
	}
	return e
}

func cancels(text string) bool {
	p := phraseIn(text, cancelWords)
	if p == "" {
		return false
	}
	return phraseIn(text, []string{"not cancelled", "not canceled", "cancellation policy", "cancellation fee", "cancel your", "to cancel", "can cancel", "may cancel", "cancel the reminder", "if cancelled", "unless cancelled", "no cancellation", "cancellations must", "if you cancel"}) == ""
}

// events makes the events of a unit's groups.
func (d *document) events(u unit, r *reader, groups []group) {
	groups = r.moved(r.stays(groups))
	parts := d.titles(u, r, groups)
	timed, untimed := 0, 0
	for _, g := range groups {
		if g.times != nil {
			timed++
		} else if !g.allDay {
			untimed++
		}
	}
	for n := range groups {
		g := &groups[n]
		switch {
		case g.inherits && !r.ownWords(groups, n), g.inherits && d.set.Message && u.sentence, n+1 < len(groups) && groups[n+1].inherits && groups[n+1].dates == g.dates && (!r.ownWords(groups, n+1) || d.set.Message && u.sentence):
			g.doubt = "names several times for one day"
		case n+1 < len(groups) && r.sideBySide(groups[n], groups[n+1]), n > 0 && r.sideBySide(groups[n-1], groups[n]):
			g.doubt = "has two days side by side: from the first to the second, or each by itself?"
		case r.either(groups):
			g.doubt = "names several of which one is meant"
		case g.times == nil && !g.allDay && r.partOnly(g):
			g.doubt = "says only a part of the day"
		case phraseIn(u.text, ifNeeded) != "" && n == len(groups)-1:
			g.doubt = "is only there if it is needed"
		case g.times == nil && !g.allDay && timed > 0 && !d.set.Message:
			g.doubt = "has no time of its own, and the text says one for another day"
		}
		base := d.begin(u)
		d.fields(&base, u, parts[n])
		base.Reading = append(base.Reading, r.reading(g)...)
		d.timed(base, u, r, g)
	}
}

// sideBySide tells whether two days stand in one line with nothing but space between
// them, as in the columns of a table.
func (r *reader) sideBySide(a, b group) bool {
	return a.dates != nil && b.dates != nil && !b.inherits && a.to <= b.from && strings.TrimSpace(r.text[r.tok(a.to-1).to:r.tok(b.from).from]) == ""
}

// either tells whether a word for "or" stands between groups.
func (r *reader) either(groups []group) bool {
	for n := 1; n < len(groups); n++ {
		for i := groups[n-1].to; i < groups[n].from; i++ {
			if t := r.tok(i).text; t == "or" || t == "oder" || t == "ou" || t == "of" && r.dutch() {
				return true
			}
		}
	}
	return false
}

// partOnly tells whether a part of the day stands beside a day that has no time.
func (r *reader) partOnly(g *group) bool {
	n := g.to
	for r.word(n, list("in the am des du de la della at")) {
		n++
	}
	t := r.tok(n)
	return t.kind == 'w' && t.text != "middag" && (morningWords[t.text] && t.text != "mañana" || afternoonWords[t.text] || eveningWords[t.text]) || (t.text == "a" || t.text == "p") && r.is(n+1, '.') && r.tok(n+2).text == "m" || t.text == "am" && n == g.to && !r.dayish(n+1) && r.weekday(n+1) == 0 || t.text == "pm"
}

// moved keeps of what is moved the day to which it is.
func (r *reader) moved(groups []group) []group {
	if len(groups) < 2 || phraseIn(r.text, movedWords) == "" {
		return groups
	}
	last := len(groups) - 1
	if r.word(groups[last].from-1, list("from von de du da dal van")) { // moved to Thursday from Tuesday
		return groups[:1]
	}
	if groups[last].dates == nil || groups[last].inherits {
		return groups
	}
	return groups[last:]
}

// stays makes one group of an arrival and a departure.
func (r *reader) stays(groups []group) []group {
	for n := 0; n+1 < len(groups); n++ {
		a, b := groups[n], groups[n+1]
		if !endsWith(r.before(a.from), []string{"eta", "etb", "arrival", "arrives", "arriving", "arr", "arr.", "from", "ankunft", "arrivée", "llegada", "arrivo", "chegada", "aankomst", "start", "starts", "begins"}) && !endsWith(r.before(a.from), []string{"now", "eta now"}) ||
			!endsWith(r.before(b.from), []string{"etd", "departure", "departs", "departing", "dep", "dep.", "sails", "abfahrt", "départ", "salida", "partenza", "partida", "vertrek", "end", "ends", "leaves"}) {
			continue
		}
		if a.times == nil || b.times == nil || len(a.times.list) != 1 || len(b.times.list) != 1 || a.times.until != nil || b.times.until != nil || a.dates == nil || b.dates == nil || len(a.dates.days) != 1 || len(b.dates.days) != 1 {
			continue
		}
		days, times := *a.dates, *a.times
		times.until, times.open = &b.times.list[0], false
		if !b.inherits {
			days.until = &b.dates.days[0]
		}
		one := group{dates: &days, times: &times, from: a.from, to: b.to, spans: append(slices.Clone(a.spans), b.spans...), apart: !b.inherits}
		groups = append(append(slices.Clone(groups[:n]), one), groups[n+2:]...)
	}
	return groups
}

// reading says what words were taken for the day and the time.
func (r *reader) reading(g *group) []Part {
	from, to := r.tok(g.from).from, r.tok(g.to-1).to
	if g.from >= g.to || to <= from {
		return nil
	}
	return []Part{{strings.TrimSpace(r.text[from:to]), "time", ""}}
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
	if g.dates != nil && g.dates.until != nil && len(g.dates.days) == 1 && phraseIn(u.text, []string{"moved", "postponed", "rescheduled", "brought forward", "verschoben", "verlegt", "déplacé", "déplacée", "reporté", "reportée", "aplazado", "spostato", "spostata", "adiado", "adiada", "verplaatst"}) != "" && r.word(g.from, fromWords) {
		g.dates = &dates{days: []day{*g.dates.until}} // from Tuesday to Thursday
	}
	switch {
	case g.dates != nil:
		days, f = d.resolve(*g.dates)
	default:
		days = []resolved{{}}
	}
	if f != nil && len(days) == 0 {
		hold(base, f)
		return
	}
	why := f
	if why == nil {
		why = d.doubts(u, r, g)
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
			f = fault.Newf("names several days of which one is meant").Do("say which one it is")
		}
		if f != nil {
			hold(e, f)
			continue
		}
		d.add(e, g)
	}
}

func (g *group) datesOr() []day {
	if g.dates != nil && g.dates.or {
		return g.dates.days
	}
	return nil
}

func (d *document) add(e Event, g *group) {
	for i := range e.Reading {
		if e.Reading[i].Field == "time" && e.Reading[i].Value == "" {
			e.Reading[i].Value = e.When()
		}
	}
	d.out.Events = append(d.out.Events, e)
}

// doubts says why a time that can be read is not to be loaded.
func (d *document) doubts(u unit, r *reader, g *group) *fault.Fault {
	text := u.text
	switch {
	case g.doubt != "":
		return fault.Newf("%s", g.doubt).Do("write each day, with its time, into a line of its own")
	case r.unread(g):
		return fault.Newf("holds a number that may be a time, and is not understood").Do("write the time as 14:30")
	case g.dates != nil && (g.dates.every || phraseIn(text, []string{"every", "weekly", "monthly", "fortnightly", "jeden", "wöchentlich", "chaque semaine", "cada semana", "ogni settimana", "elke week", "every other"}) != "" && g.dates.days[0].relative):
		return fault.Newf("repeats, and a text cannot say on which days for certain").Do("write its days, or load it from a sheet with repeat:")
	case g.dates != nil && g.dates.days[0].relative && g.dates.days[0].weekdays != 0 && !g.dates.days[0].next && g.dates.days[0].after == 0 && (r.word(g.from-1, nextWords) || r.word(g.from-1, lastWords)):
		return fault.Newf("says which %s in a way that cannot be told", r.tok(g.from).text).Do("write the date itself")
	case g.dates != nil && g.dates.window:
		return fault.Newf("says days between which it is, and not which of them").Do("say the day")
	case g.dates != nil && g.dates.ends && g.times == nil:
		return fault.Newf("has no beginning: it says only until when").Do("give its first day")
	case g.dates != nil && g.dates.open || phraseIn(text, openWords) != "":
		if g.dates != nil && g.dates.until == nil && (g.times == nil || g.times.until == nil || phraseIn(text, openWords) != "") {
			return fault.Newf("has no end: it is open-ended").Do("give its last day")
		}
	case g.times != nil && g.times.or:
		return fault.Newf("names several times of which one is meant").Do("say which one it is")
	case g.times != nil && g.times.window && (g.minutes > 0 || d.set.Message && phraseIn(text, []string{"closed", "blocked", "shut", "gesperrt", "geschlossen", "fermé", "cerrado", "chiuso", "fechado", "dicht"}) == ""):
		return fault.Newf("says a window within which it is, and not when it begins").Do("say when it begins")
	case g.times != nil && g.times.open:
		if g.minutes == 0 && phraseIn(text, []string{"from", "von", "ab", "de", "desde", "dalle", "das", "vanaf", "à partir"}) != "" && phraseIn(text, openWords) != "" {
			return fault.Newf("has no end: it is open-ended").Do("give its end")
		}
	}
	if r.vague(g) {
		return fault.Newf("says its time only roughly").Do("say the time")
	}
	if phraseIn(text, []string{"tbc", "to be confirmed", "provisional", "tentative", "tentatively", "if the weather allows", "weather permitting", "to be announced", "time to follow", "tba"}) != "" && (phraseIn(text, []string{"to be announced", "tba", "time to follow"}) != "" || phraseIn(text, []string{"tbc", "to be confirmed"}) != "" && g.times == nil) {
		return fault.Newf("is not settled: the text says that it is still to be told").Do("wait for it, or say it")
	}
	return nil
}
