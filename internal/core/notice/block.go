package notice

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// record is what a block of labels, or a row of a table, says.
type record struct {
	d     *document
	unit  unit // the whole of it, for what is passed over
	event Event
	dated bool // a label of a day has one

	when, first, last     string // days, and days with times
	clockFirst, clockLast string
	began                 bool // a label of a beginning says first
	minutes               int
	what, other, counted  string // by its label; under a label of no known meaning; and without a letter
	unread                string // what has no part in the reading: it holds the event
	more                  []unit // of the block, that are events of their own
}

// block reads a block of labels, or a row of a table.
func (d *document) block(u unit) {
	if d.weekRow(u) {
		return
	}
	b := &record{d: d, event: d.begin(u), unit: unit{text: u.text, page: u.page, line: u.line}}
	b.dated = slices.ContainsFunc(u.fields, func(f Field) bool {
		kind := labelOf(f.Label)
		return (kind == "date" || kind == "when") && SaysDay(f.Value)
	})
	for _, f := range u.fields {
		if value := strings.TrimSpace(plain(f.Value)); strings.Trim(value, "-–—./ *") != "" { // and not a dash for nothing
			b.take(u, Field{f.Label, sentenceDot().ReplaceAllString(value, "$1")})
		}
	}
	b.finish(u)
	for _, m := range b.more {
		d.unit(m)
	}
}

// sentenceDot is a dot that ends a sentence, and is no part of a day: 14 March., and not 14.3.
var sentenceDot = pattern.Lazy(`(\p{L}{3}\.? \d{1,2}|\p{L}{3}|\d{4}|:\d\d)\.$`)

// take reads one label and its value.
func (b *record) take(u unit, f Field) {
	value, said := f.Value, f.Label+": "+f.Value
	r := &reader{text: value, toks: scan(value)}
	switch b.kindOf(f, r) {
	case "when":
		if b.when != "" {
			b.unread = said
		}
		b.when = value
	case "date":
		if b.first != "" {
			b.unread = said
		}
		b.first = cmp.Or(b.first, value)
	case "time":
		b.clockFirst = value
	case "start":
		if justTime(value) {
			b.clockFirst = value
		} else {
			if b.began && b.first != value { // ETA and ETB
				b.unread = said
			}
			b.first, b.began = value, true
		}
	case "end":
		if justTime(value) {
			b.clockLast = value
			return
		}
		if !r.hasDate() && phraseIn(value, openWords) == "" {
			b.unread = said
		}
		if b.last != "" && b.last != value {
			b.unread = said
		}
		b.last = value
	case "length":
		b.length(r, said)
	case "where":
		if len(value) <= 3 && placey(f.Label) { // Berth: 5
			value = strings.TrimRight(f.Label, ": ") + " " + value
		}
		b.event.Where = value
		b.event.read("location", value)
	case "what":
		b.what = cmp.Or(b.what, value)
	case "who":
		b.d.people(&b.event, value)
	case "status":
		if cancels(value) {
			b.event.Cancelled = true
			b.event.Reading = append(b.event.Reading, Part{value, "status", "cancelled"})
		}
	case "deadline", "made", "reserve", "former":
		if r.hasDate() {
			b.d.pass(b.unit, said, noEvent[labelOf(f.Label)])
		}
	case "note", "invited":
	default:
		b.unknown(u, f, r)
	}
}

// kindOf gives what a label says that its value is. From and to are places where a day
// stands beside them: from the sea to berth 2.
func (b *record) kindOf(f Field, r *reader) string {
	kind := labelOf(f.Label)
	if kind == "start" && phraseIn(f.Label, []string{"an"}) != "" && !r.hasDate() && !justTime(f.Value) { // An: Brin
		return "note"
	}
	if b.dated && (kind == "start" || kind == "end") && phraseIn(f.Label, []string{"from", "to", "von", "nach", "de", "à", "a", "da", "van", "naar"}) != "" && !r.hasDate() && !justTime(f.Value) && phraseIn(f.Value, openWords) == "" && phraseIn(f.Value, vagueDays) == "" {
		return "note"
	}
	return kind
}

func (b *record) length(r *reader, said string) {
	if m, end := r.length(0); end > 0 {
		b.minutes = m
		b.event.Reading = append(b.event.Reading, Part{r.text, "length", r.text})
		return
	}
	led := "for " + r.text
	if b.minutes, _ = (&reader{toks: scan(led), text: led}).length(0); b.minutes == 0 {
		b.unread = said
	}
}

// unknown reads a value under a label of no known meaning.
func (b *record) unknown(u unit, f Field, r *reader) {
	value, said := f.Value, f.Label+": "+f.Value
	if r.hasDate() {
		switch {
		case phraseAt(f.Label, []string{"or", "oder", "ou", "o", "of", "alternatively", "alternative"}):
			b.unread = said
		case SaysTime(value): // an event of its own
			b.more = append(b.more, unit{text: said, page: u.page, line: u.line, item: true, struck: u.struck})
			return
		}
		if b.d.onlyDay(r) {
			b.unread = cmp.Or(b.unread, said)
		}
		b.d.pass(b.unit, said, "a day under a label that says nothing of an event")
		return
	}
	if onlyTime(value) {
		b.unread = said
	}
	switch {
	case b.other != "" || !meaningful(value):
	case strings.ContainsFunc(value, unicode.IsLetter):
		b.other = value
	case len(value) <= 5: // Lift: 1; and no number of a telephone
		b.counted = cmp.Or(b.counted, strings.TrimSpace(strings.TrimRight(f.Label, ": ")+" "+value))
	}
}

// time gives what the labels say of days and times, as a line would.
func (b *record) time() string {
	text := b.when
	for _, part := range []string{b.first, b.clockFirst} {
		if part != "" {
			text += " " + part
		}
	}
	if end := strings.TrimSpace(b.last + " " + b.clockLast); end != "" {
		if b.clockLast != "" && b.clockFirst == "" && b.last == "" && b.unread == "" && !hasTime(text) {
			b.unread = "until " + b.clockLast
		}
		text += " – " + end
	}
	return strings.TrimSpace(text)
}

// title gives the event its title: by a label, by what else is said, by what the text is
// about.
func (b *record) title() {
	e, other, subject := &b.event, cmp.Or(b.other, b.counted), b.d.set.Subject
	switch {
	case b.what != "":
		e.What = b.what
	case other != "" && subject != "" && !strings.Contains(strings.ToLower(subject), strings.ToLower(other)):
		e.What = subject + ": " + other
	case other != "" && subject == "":
		e.What = other
	default:
		e.What = cmp.Or(subject, b.d.heading())
	}
	if e.Cancelled {
		e.What = uncancelled(e.What)
	}
	e.read("title", e.What)
}

// finish makes the events of what was read.
func (b *record) finish(u unit) {
	d, text := b.d, b.time()
	if d.letterHead(u) {
		d.pass(b.unit, u.text, "the date of the letter")
		return
	}
	if text == "" {
		if slices.ContainsFunc(u.fields, func(f Field) bool { return hasTime(f.Value) }) {
			d.endApart(u.text)
			d.pass(b.unit, u.text, "a time without a day")
		}
		return
	}
	if r := (&reader{text: u.text, toks: scan(u.text)}); b.what == "" && r.saysNothing(d.spans(r, u)) {
		d.pass(b.unit, u.text, "says that there is nothing")
		return
	}
	b.title()
	if what := strings.ToLower(b.event.What); b.what+b.other != "" && isDeadline(what) {
		d.pass(b.unit, u.text, "a deadline")
		return
	}
	r := &reader{text: text, toks: scan(text)}
	sub := unit{text: text, page: u.page, line: u.line, struck: u.struck}
	spans, passed := d.veto(r, d.spans(r, sub), sub)
	for _, why := range passed {
		d.pass(b.unit, text, why)
	}
	if len(passed) > 0 && len(spans) == 0 {
		return
	}
	groups := grouped(r, spans)
	dated := func() bool { return slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil }) }
	if len(groups) > 0 && !dated() {
		d.underDay(groups)
	}
	if !dated() {
		if phraseIn(text, vagueDays) != "" || len(groups) > 0 || strings.ContainsAny(text, "0123456789") {
			b.event.Held = fault.New(fault.Shorten(text, 80), "is no day that can be read").Do("write the date in full")
			d.out.Events = append(d.out.Events, b.event)
		}
		return
	}
	left := r.leftover(spans)
	if len(groups) > 1 && r.either(groups) {
		left = cmp.Or(left, oneOfSeveral)
	} else if len(groups) > 1 && slices.ContainsFunc(groups, func(g group) bool { return g.times == nil }) && slices.ContainsFunc(groups, func(g group) bool { return g.times != nil }) {
		left = cmp.Or(left, "has several days and one time")
	}
	switch {
	case b.timesByDay():
		left = cmp.Or(left, "says its times by the day")
	case slices.ContainsFunc(groups, func(g group) bool { return g.inherits && g.dates != nil && g.times != nil && len(g.dates.days) > 1 }):
		left = cmp.Or(left, "has several days and several times: each on each day, or one after the other?")
	}
	for n := range groups {
		b.emit(u, sub, r, &groups[n], left)
	}
}

// timesByDay tells whether the days of the event stand under one label, and under that of its
// times they stand once more: 9:00–12:00 (Thu), 13:00–16:00 (Fri).
func (b *record) timesByDay() bool {
	part := strings.TrimSpace(b.clockFirst + " " + b.clockLast)
	if part == "" || b.when+b.first+b.last == "" {
		return false
	}
	r := &reader{text: part, toks: scan(part)}
	return saysDays(b.d.found(r, unit{text: part})) || slices.ContainsFunc(r.toks, func(t token) bool {
		return t.kind == 'w' && weekdaysOf(t.text) != 0 && startsUpper(part[t.from:]) // Do 9–12
	})
}

// isDeadline tells whether a title, in lower case, is one of a deadline: entries close.
func isDeadline(title string) bool {
	for _, v := range vetoes {
		if v.why == "a deadline" && endsWith(title, v.words) {
			return true
		}
	}
	for _, c := range chancy {
		if endsWith(title, c.words) && phraseIn(title, c.with) != "" {
			return true
		}
	}
	return false
}

// emit makes the event of one of the times.
func (b *record) emit(u, sub unit, r *reader, g *group, left string) {
	e := b.event
	e.Who = slices.Clone(e.Who)
	e.Reading = append(slices.Clone(e.Reading), r.reading(g)...)
	g.doubt = cmp.Or(g.doubt, left)
	if b.unread != "" {
		g.doubt = cmp.Or(g.doubt, "says "+strconv.Quote(b.unread)+", which is not understood")
	}
	g.minutes = cmp.Or(g.minutes, b.minutes)
	if g.times == nil && SaysTime(e.What) { // Sale 14–17
		g.doubt = cmp.Or(g.doubt, "has no time of its own, and its title seems to say one")
	}
	if e.Where == "" {
		e.Where = placeIn(u.text)
	}
	from := len(b.d.out.Events)
	b.d.timed(e, sub, r, g)
	for i := range b.d.out.Events[from:] {
		b.d.out.Events[from+i].Text = u.text
	}
}

// weekRow reads a row of a calendar sheet, with a column for each day of the week: a cell
// begins with the day of the month, and says what is on it.
func (d *document) weekRow(u unit) bool {
	days := 0
	for _, f := range u.fields {
		if weekdaysOf(strings.ToLower(strings.Trim(f.Label, " .:"))) != 0 {
			days++
		}
	}
	if days < 2 || days < len(u.fields)-1 {
		return false
	}
	for _, f := range u.fields {
		cell := unit{text: strings.Join(strings.Fields(plain(f.Value)), " "), page: u.page, line: u.line, item: true, struck: u.struck}
		number := len(cell.text) - len(strings.TrimLeft(cell.text, "0123456789"))
		rest := strings.TrimLeft(cell.text[number:], " .:")
		if weekdaysOf(strings.ToLower(strings.Trim(f.Label, " .:"))) == 0 && (SaysTime(f.Value) || SaysDay(f.Value)) {
			d.pass(cell, f.Label+": "+cell.text, "stands beside the days of a calendar sheet")
		}
		if weekdaysOf(strings.ToLower(strings.Trim(f.Label, " .:"))) == 0 || rest == "" || !meaningful(rest) && !strings.ContainsAny(rest, "0123456789") { // the week's number, a day without anything
			continue
		}
		if number == 0 || number > 2 || d.month == 0 {
			e := d.begin(cell)
			d.fields(&e, cell, rest)
			e.Held = fault.New(fault.Shorten(cell.text, 80), "stands in a calendar sheet, and of which day it is cannot be told").Do("write its date in full")
			d.out.Events = append(d.out.Events, e)
			continue
		}
		cell.text = f.Label + " " + cell.text[:number] + ": " + rest
		d.unit(cell)
	}
	return true
}

// letterHead tells whether a block of labels is the head of a letter.
func (d *document) letterHead(u unit) bool {
	to, dated, more := false, false, false
	for _, f := range u.fields {
		switch label := strings.ToLower(strings.TrimSpace(f.Label)); label {
		case "to", "an", "à", "from", "von", "de", "da", "cc", "para", "aan":
			r := &reader{text: f.Value, toks: scan(f.Value)}
			to = to || !r.hasDate() && !justTime(f.Value)
		case "date", "datum", "fecha", "data":
			dated = true
		default:
			switch labelOf(label) {
			case "time", "where", "start", "end", "length", "when":
				more = true
			}
		}
	}
	return to && dated && !more
}

// underDay gives times the day that stands above their table.
func (d *document) underDay(groups []group) {
	var dates *dates
	switch above := d.above; {
	case d.day != nil:
		d.day.used = true
		dates = &d.day.dates
	case above != nil && above.bare:
		if above.to > above.from && above.to <= len(d.out.Events) && above.to == len(d.out.Events) {
			d.out.Events = slices.Delete(d.out.Events, above.from, above.to)
			d.pass(above.unit, above.unit.text, "the day of what stands below it")
			above.to = above.from
		}
		dates = &above.dates
	default:
		return
	}
	for i := range groups {
		groups[i].dates = dates
	}
}

// onlyDay tells whether a text is a day, which is not past, and nothing else.
func (d *document) onlyDay(r *reader) bool {
	days, end := r.when(0)
	if end == 0 || !r.onlyRange(end, len(r.toks)) || end < len(r.toks) && !r.onlySigns(end, len(r.toks)) && !r.is(end, '.') {
		return false
	}
	at, _ := d.resolve(days)
	return len(at) > 0 && !at[0].first.Before(d.today())
}

// hasTime tells whether a text says a time of day.
func hasTime(text string) bool {
	r := &reader{text: text, toks: scan(text)}
	for i := range r.toks {
		if _, end := r.clocks(i, false); end > 0 {
			return true
		}
	}
	return false
}

// onlyTime tells whether a text is a time that is written as one, and nothing else.
func onlyTime(text string) bool {
	r := &reader{text: text, toks: scan(text)}
	_, end := r.clocks(0, false)
	return end > 0 && end >= len(r.toks)-1
}

// justTime tells whether a value is a time of day and no day.
func justTime(text string) bool {
	r := &reader{text: text, toks: scan(text)}
	_, end := r.clocks(0, true)
	return end > 0 && !r.hasDate()
}
