package notice

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// oneOfSeveral is why several times, of which one will be, are held.
const oneOfSeveral = "names several of which one is meant"

// notToBe is why a day is passed over that a text says is not the one.
const notToBe = "what is not to be, or no longer"

// endAbove is why a line of a programme that says when it is over is passed over.
const endAbove = "the end of what stands above it, which is no event of its own"

// unit reads one unit of a text.
func (d *document) unit(u unit) {
	if len(u.fields) > 0 {
		d.around = d.overAll
		if d.day == nil || slices.ContainsFunc(u.fields, func(f Field) bool { return SaysDay(f.Value) }) {
			d.endDay()
		}
		d.block(u)
		return
	}
	if u.gap && d.placeUsed {
		d.placeAbove = ""
	}
	d.placeUsed = d.placeAbove != ""
	d.timesBelow(u)
	r := &reader{text: u.text, toks: scan(u.text), lead: d.leads, last: d.trails}
	all := d.found(r, u)
	week := d.weekNamed(u, r, all)
	d.frame.take(u, all)
	d.namedAround(r, all, len(all) == 0 && !u.item && u.headsList())
	days := func() []span { // and not the week that they are of
		if week < 0 {
			return all
		}
		return slices.Delete(slices.Clone(all), week, week+1)
	}
	month := d.month
	if d.context(u, r, days()) || d.listOfNone(u, days()) {
		return
	}
	if d.month != month {
		all = d.spans(r, u)
	}
	spans := days()
	if u.sentence && openHours(u.text, spans) {
		d.pass(u, u.text, "the hours in which something is open")
		return
	}
	if d.open(u, r, spans) {
		return
	}
	stray, left := r.stray(all), cmp.Or(r.leftover(all), r.halves(all))
	item := d.itemOfDay(u, r, spans)
	spans, passed := d.veto(r, spans, u)
	if item && len(spans) > 0 {
		other := ""
		if spans, other = d.daysOfItem(u, r, spans); slices.Contains(passed, opensAgain) { // leaves at 14:00, back on Friday
			other = otherDay
		}
		left = cmp.Or(other, left)
	}
	for _, p := range passed {
		d.pass(u, u.text, p)
	}
	if saysDays(spans) && r.saysNothing(spans) {
		if !hasKind(spans, 't') || countDays(spans) == 1 {
			d.pass(u, u.text, "says that there is nothing")
			return
		}
		left = cmp.Or(left, saysNone)
	}
	groups := grouped(r, spans)
	if len(groups) == 1 && groups[0].dates == nil && len(d.out.Events) > 0 && endLine().MatchString(u.text) {
		if !d.endBelow(u, groups[0]) {
			d.endApart(u.text)
			d.pass(u, u.text, endAbove)
		}
		return
	}
	d.roughly(u, r, len(groups) == 0 && len(passed) == 0)
	if stray != "" && len(groups) == 0 && len(passed) == 0 && week < 0 {
		e := d.begin(u)
		d.fields(&e, u, u.text)
		e.Held = fault.New(stray, "looks like a day or a time, and is none that can be read").Do("write it as 5 March 2026, 14:30")
		d.out.Events = append(d.out.Events, e)
		return
	}
	if stray != "" {
		stray = "holds " + strconv.Quote(stray) + ", which looks like a day or a time and is not understood"
	}
	if left = cmp.Or(left, r.endsBy(passed, spans)); left == "" && d.backwards(groups) && !r.either(groups) {
		left = "names days of the week that do not follow each other"
	}
	if left == "" && len(groups) > 1 && cancels(u.text) && (phraseIn(u.text, stands) != "" || strings.Contains(r.text[r.tok(groups[0].to-1).to:r.tok(groups[len(groups)-1].from).from], ";")) {
		left = "says of one thing that it is cancelled, and of another that it stands"
	}
	if left == "" && (d.set.Message || u.sentence) && len(groups) > 0 && !slices.Contains(passed, notToBe) && denied(u.text) && !cancels(u.text) && !(groups[0].times == nil && stopped().MatchString(u.text)) {
		left = saysNone
	}
	d.oneNight(groups)
	for i := range groups {
		groups[i].doubt = cmp.Or(stray, groups[i].doubt, left)
	}
	if len(groups) == 0 {
		if slices.Contains(passed, opensAgain) && !u.gap {
			d.closedUntil()
		}
		if d.set.Message && slices.Contains(passed, "a deadline") && phraseIn(u.text, endsBefore) != "" {
			d.out.Objections = append(d.out.Objections, u.text)
		}
		d.lengthsOf(r, spans)
		d.without(u, r, len(passed) > 0)
		return
	}
	d.place(u, r, groups)
	if slices.Contains(passed, opensAgain) {
		d.closedUntil()
	}
}

// oneNight holds a day without a time and the next day with times over midnight: they can be
// the two days of one night, which begins on the first.
func (d *document) oneNight(groups []group) {
	for i := 1; i < len(groups); i++ {
		a, b := &groups[i-1], &groups[i]
		if a.dates == nil || a.times != nil || a.allDay || b.dates == nil || b.times == nil || b.times.until == nil || len(b.times.list) != 1 {
			continue
		}
		first, f := d.resolve(*a.dates)
		second, g := d.resolve(*b.dates)
		if f != nil || g != nil || len(first) != 1 || len(second) != 1 || !first[0].last.IsZero() || !second[0].last.IsZero() || !second[0].first.Equal(first[0].first.AddDate(0, 0, 1)) {
			continue
		}
		if start, end, _ := d.between(b.times.list[0], *b.times.until); end <= start {
			a.doubt, b.doubt = oneNight, oneNight
		}
	}
}

// oneNight is why two days are held.
const oneNight = "may be one night, that from the first day to the second"

// place makes the events of times, on their days or on those that stand above them.
func (d *document) place(u unit, r *reader, groups []group) {
	hasDate := slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil })
	switch {
	case hasDate:
		d.endDay()
	case d.day != nil && d.dayOver(u) != nil:
		d.day.used = true
		for i := range groups {
			groups[i].dates = &d.day.dates
		}
		d.ofEachDay(u, groups)
		d.flushDayTexts()
	}
	if groups[0].dates == nil && !hasDate && !d.set.Message {
		switch {
		case d.vagueDay(u):
		case d.above != nil && groups[0].from == 0 && (!u.gap || d.above.bare) && !(d.timeAbove != "" && u.time && !u.day): // times stand above their days
			d.below(u, r, groups)
		default:
			d.timeWithoutDay(u)
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
	d.before, d.above, d.bareAt = before, nil, 0
	if g := groups[0]; !d.set.Message && len(groups) == 1 && hasDate && g.times != nil && len(d.out.Events) == before+1 && !meaningful(strings.ReplaceAll(d.titles(u, r, groups)[0], "\x00", "")) {
		d.bares, d.bareAt = d.bares+1, before+1
	}
	if last := groups[len(groups)-1]; hasDate && len(last.dates.days) == 1 && last.dates.until == nil && len(groups) == 1 {
		d.above = &dayAbove{dates: *last.dates, bare: last.times == nil && !last.allDay, from: before, to: len(d.out.Events), unit: u}
	}
}

// dayOver gives the day above a unit that the unit can be of; nil for none.
func (d *document) dayOver(u unit) *dates {
	switch {
	case d.day != nil && (!u.sentence || !u.gap || d.day.unit.level > 0):
		return &d.day.dates
	case d.day == nil && d.above != nil && d.above.bare && !d.set.Message && !u.sentence:
		return &d.above.dates
	}
	return nil
}

// itemOfDay tells whether a unit is an item of the day above it, by the time that it begins with,
// and names a day as well: 14:10 Minutes of the meeting of 12 February.
func (d *document) itemOfDay(u unit, r *reader, spans []span) bool {
	if len(spans) < 2 || !saysDays(spans) || !hasKind(spans, 't') || d.dayOver(u) == nil {
		return false
	}
	return spans[0].kind == 't' && spans[0].from == 0 && !(spans[1].kind == 'd' && r.onlyLinks(spans[0].to, spans[1].from)) ||
		spans[0].kind == 'd' && phraseIn(r.text[:min(len(r.text), 40)], minutesOf) != ""
}

// otherDay is why an item of a day is held.
const otherDay = "names another day than the one that it stands below"

// daysOfItem takes the days out of such an item that are none on which it is. One that the item
// is about is a part of its name; of any other it gives why the item is held.
func (d *document) daysOfItem(u unit, r *reader, spans []span) (kept []span, held string) {
	above, f := d.resolve(*d.dayOver(u))
	for n, s := range spans {
		gone := spans[0].kind == 't' && n > 0 && spans[n-1].kind == 'd' && s.kind == 't' && r.onlyLinks(spans[n-1].to, s.from)
		if s.kind != 'd' && !gone {
			kept = append(kept, s)
			continue
		}
		if gone || spans[0].kind == 'd' { // minutes of 12 February, 14:10
			held = otherDay
		}
		if gone {
			continue
		}
		days, g := d.resolve(s.dates)
		switch {
		case f == nil && g == nil && len(days) == 1 && len(above) == 1 && days[0].first.Equal(above[0].first) && days[0].last.Equal(above[0].last): // said twice
		case r.word(s.from-1, aboutWords) || r.word(s.from, aboutWords) || r.word(s.from-2, aboutWords) && r.word(s.from-1, dayLinks) || r.is(s.from, '(') || r.is(s.from-1, '('):
			d.pass(u, u.text, "the day of what the item is about")
		default:
			held = otherDay
		}
	}
	return kept, held
}

// aboutWords stand before a day that is a part of a name: the meeting of 12 February.
var aboutWords = words("of vom von du de del della dello dal do da van for für pour para per voor")

func saysDays(spans []span) bool {
	return slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' })
}

// timeless tells whether an event is one whole day only because no time is said.
func (e *Event) timeless() bool {
	return e.AllDay && e.NoTime && e.End.IsZero() && e.Held == nil && !e.Cancelled
}

// listOfNone passes over what stands below a heading of days that are none of events.
func (d *document) listOfNone(u unit, spans []span) bool {
	h := d.heading()
	if lead, rest, ok := strings.Cut(u.text, ":"); ok && !u.item && !strings.ContainsAny(rest, ":;") { // Closing dates: entries 20 March, results 30 March
		h = lead
	}
	if u.level > 0 || h == "" || !saysDays(spans) {
		return false
	}
	for _, list := range listsOfNone {
		if phraseIn(h, list.words) != "" && len(strings.Fields(h)) <= 3 {
			d.pass(u, u.text, list.why)
			return true
		}
	}
	return false
}

// roughly notes what says a length, or alone an end, only roughly.
func (d *document) roughly(u unit, r *reader, alone bool) {
	for i := range r.toks {
		if r.roughLength(i) > 0 && !r.notOfEvent(i, r.roughLength(i)-1) && phraseIn(r.text, earlyWords) == "" {
			d.rough = u.text
			return
		}
	}
	if alone && strings.ContainsAny(r.text, "0123456789") && backAt().MatchString(r.text) {
		d.rough = u.text
	}
}

// lengthsOf takes the lengths that are said without a day and a time.
func (d *document) lengthsOf(r *reader, spans []span) {
	for _, s := range spans {
		switch {
		case s.kind != 'l':
		case d.set.Message && r.only(s): // "20 minutes?"
			d.lengths = append(d.lengths, s.minutes)
		case phraseIn(r.text, slices.Concat(lastingWords, []string{"each", "jeweils", "chacun", "ciascuno"})) != "" && phraseIn(r.text, earlyWords) == "":
			d.lengths = append(d.lengths, s.minutes)
			each := phraseIn(r.text, eachOne) != ""
			if !d.set.Message || each {
				d.lasting(s.minutes, each || phraseIn(r.text, []string{"all", "alle", "a piece"}) != "")
			}
		}
	}
}

// eachOne is what says that a length is that of each event.
var eachOne = []string{"each", "every", "per", "pro", "par", "por", "apiece", "je", "jeweils", "chaque", "chacun", "cada", "ciascuno", "ogni", "elk"}

// backAt is an end that is said roughly, or by an hour alone: back around 5.
var backAt = pattern.Lazy(`(?i)\b(?:back|ends?|ending|finish(?:es|ed|ing)?|over|done|until|till|zurück|ende|fertig|terminé|fini|finisce|termina|acaba|klaar)\b[^.\d]{0,20}\b(?:at|by|around|about|until|till|um|gegen|bis|à|vers|a las|hacia|alle|verso|às|om|rond)\s+(?:ca\.? )?\d{1,2}\b`)

// only tells whether a text is a length and words of agreement, and nothing else.
func (r *reader) only(s span) bool {
	for i := range r.toks {
		if (i < s.from || i >= s.to) && r.is(i, 'n') || r.is(i, 'w') && (i < s.from || i >= s.to) && !r.word(i, list("yes ok okay and so about maximum max then is enough will do should be perfect fine please it say ja oui sí si sim ca")) {
			return false
		}
	}
	return true
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
		case t.kind == 'n' && len(t.text) < 3 && r.is(i+1, '.') && ordinalNoun().MatchString(strings.TrimLeft(r.text[r.tok(i+1).to:], " ")): // 1. Halbjahr 2026
		case t.kind == 'n':
			other += 10
		case t.kind == 'w' || t.kind == 'x':
			other++
		}
	}
	alone := func() bool {
		return len(spans) == 1 && spans[0].kind == 'd' && len(spans[0].dates.days) == 1 && !spans[0].dates.open && leftOver(r, spans[0]) <= 1
	}
	heads := d.set.Message && !u.item && strings.HasSuffix(strings.TrimSpace(u.text), ":") && len(spans) == 1 && spans[0].kind == 'd' && len(spans[0].dates.days) == 1 && spans[0].dates.until == nil && !spans[0].dates.open
	switch {
	case heads && d.timesNext, alone() && (u.level > 0 || !u.item):
		listed := d.day != nil && !d.day.used && len(d.day.texts) == 0 || d.day != nil && d.day.listed && !d.day.used
		if listed {
			d.day.listed = true
		}
		d.endDay()
		d.day = &heading{unit: u, dates: spans[0].dates, listed: listed, items: d.itemsNext}
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
		if (i < s.from || i >= s.to) && !(t.kind == 'w' && i < s.from && r.word(i, list("le am den il el op"))) && t.kind != ':' && t.kind != '-' && t.kind != '.' && t.kind != ',' && t.kind != '*' && t.kind != '|' {
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
	if d.set.Message {
		if place := nounPlace().FindString(u.text); place != "" {
			d.out.Places = append(d.out.Places, place)
		} else if nowAt().MatchString(u.text) {
			if place := house().FindString(u.text); place != "" {
				d.out.Places = append(d.out.Places, strings.ToLower(place))
			}
		}
	}
	if d.set.Message && (phraseIn(u.text, byThen) != "" || notHour().MatchString(u.text) || partAlone().MatchString(u.text)) { // can you be done by then; not 7, 8; afternoon
		d.out.Objections = append(d.out.Objections, u.text)
	}
	if d.set.Message && len(u.fields) == 0 && (r.hoursAlone() || maybeWhen().MatchString(u.text)) {
		d.timeElse = u.text
	}
	if (maybeWhen().MatchString(u.text) || d.set.Message && r.hoursAlone() || r.ordinals(d.set.Message) || d.set.Message && r.dayOnly()) && len(u.fields) == 0 {
		d.pass(u, u.text, "holds a number that may be a day or a time, and is not understood")
	}
	if last := len(d.out.Events) - 1; d.underPoster() && d.bareAt > 0 && !u.gap && placeLine(u.text) && d.out.Events[last].Where == "" {
		d.out.Events[last].Where = tidy(u.text)
		d.out.Events[last].read("location", d.out.Events[last].Where)
	}
	if d.bareAt > 0 && !u.gap && u.level == 0 && !d.underPoster() && len(u.text) < 90 && !passed {
		if d.titlesBelow == nil {
			d.titlesBelow = map[int]string{}
		}
		d.titlesBelow[d.bareAt-1], d.bareAt = u.text, 0
	}
	if head, ok := strings.CutSuffix(u.text, ":"); ok && !d.set.Message && !u.item { // Quay 4:
		if d.placeAbove = ""; onlyPlace().MatchString(head) {
			d.placeAbove = tidy(head)
			if d.untitled() {
				return
			}
		}
	}
	if !d.set.Message && hoursOfPart().MatchString(u.text) { // Morning (9-12)
		d.timeAbove = u.text
	}
	if d.day != nil && !d.day.used && len(d.day.texts) < 200 {
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

// dayOnly tells whether a day of the month stands alone: nos vemos el 12, a la misma hora.
func (r *reader) dayOnly() bool {
	for i := range r.toks {
		if next := r.tok(i + 1); r.bareDay(i) && (next.kind == 0 || next.kind == ',' || next.kind == '?' || next.kind == '!' || next.kind == '.' && (r.tok(i+2).kind == 0 || r.word(i-1, list("am vom zum")))) {
			return true
		}
	}
	return false
}

// ordinals tells whether a text names a month, and numbers that may be days of it: April:
// paper 7th, 21st. In a message several days need no month.
func (r *reader) ordinals(message bool) bool {
	month, days := false, 0
	for i, t := range r.toks {
		month = month || r.month(i) > 0
		if before := r.behind(i); r.month(i) > 0 && r.is(before, 'w') && (numberWords.number(r.tok(before).text) > 0 || ordinals.number(r.tok(before).text) > 0 || dayOrdinals.has(r.tok(before).text)) { // the fifth of March
			return true
		}
		switch {
		case t.ordinal && t.num <= 31 && !r.word(i+1, list("floor century edition anniversary time place street annual")):
			days += 2
		case t.kind == 'n' && t.num >= 1 && t.num <= 31 && len(t.text) <= 2 && (r.is(i-1, ',') || r.is(i-1, ':') || r.is(i-1, ';')) && r.is(i+1, 'w') && startsUpper(r.text[r.tok(i+1).from:]): // in March: 3 Corvane, 9 Brant
			days++
		}
	}
	return month && days > 1 || message && days > 3
}

// dayOrdinals are words that count days, beyond those that count weeks.
var dayOrdinals = words(`sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth seventeenth eighteenth nineteenth twentieth twenty-first twenty-second twenty-third twenty-fourth twenty-fifth twenty-sixth twenty-seventh twenty-eighth twenty-ninth thirtieth thirty-first
	fifth fünften fünfte sechsten sechste siebten siebte achten achte neunten neunte zehnten zehnte elften elfte zwölften zwölfte`)

// hoursOfPart is a part of the day with its hours.
var hoursOfPart = pattern.Lazy(`(?i)^\W*(?:mornings?|afternoons?|evenings?|night|am|pm|vormittags?|nachmittags?|abends?|morgens|matin|matinée|après-midi|soir|soirée|mañana|tarde|noche|mattina|pomeriggio|sera|manhã|noite|ochtend|middag|avond)\W+\d{1,2}\b`)

// maybeWhen is a number that may be a day or a time, and was not read as one.
var maybeWhen = pattern.Lazy(`(?i)\bthe \d{1,2}(?:st|nd|rd|th)\b|\b[0-2]\d[0-5]\d/\d{1,2}(?:st|nd|rd|th)\b|\b(?:no|el|o|il|ao|al) (?:dia|día|giorno) \d{1,2}\b|\b(?:0\d|1\d|2[0-3]):[0-5]\d\b|\(\d{1,2}\s?[-–]\s?\d{1,2}\)|\b(?:[01]\d|2[0-3])[0-5]\d ?(?:hrs|lt|utc|z)\b`)

// weekNumber is a week by its number, and fromNow a time that counts from now.
var (
	weekNumber = pattern.Lazy(`(?i)\b(?:week|weeks|kw|kalenderwoche|woche|semaine|semana|settimana)\s?\d{1,2}(?:$|[^\d:.h]|[:.h](?:\D|$))`)
	monthPart  = pattern.Lazy(`(?i)\b(?:end|beginning|start|middle|early|late|mid|anfang|mitte|ende|début|fin|mi|principios|finales|mediados|inizio|fine|metà|início|fim|meados|begin|eind|half)[ -](?:of |in |de |di |du |do )?(?:january|february|march|april|june|july|august|september|october|november|december|januar|februar|märz|mai|juni|juli|oktober|dezember|janvier|février|mars|avril|juin|juillet|août|septembre|octobre|novembre|décembre|enero|febrero|marzo|abril|mayo|junio|julio|agosto|septiembre|octubre|noviembre|diciembre)\b|\b(?:end|beginning|middle) of may\b|\b(?:all of|the whole of|all through|throughout|den ganzen|ganzen|tout le mois de?|todo el mes de|todo|tutto il mese di|tutto|todo o mês de|heel|de hele) (?:january|february|march|april|may|june|july|august|september|october|november|december|januar|februar|märz|mai|juni|juli|oktober|dezember|janvier|février|mars|avril|juin|juillet|août|septembre|octobre|novembre|décembre|enero|febrero|marzo|abril|mayo|junio|julio|agosto|septiembre|octubre|noviembre|diciembre|gennaio|febbraio|aprile|maggio|giugno|luglio|settembre|ottobre|dicembre|janeiro|fevereiro|março|maio|junho|julho|setembro|outubro|novembro|dezembro|maart|mei|augustus)\b|\b(?:early|late|mid)[ -]may\b`)
	fromNow    = pattern.Lazy(`(?i)\bin (?:about |ca\.? )?(?:an?|half an|a quarter of an|\d{1,3}|one|two|three|four|five|six|ten|twenty|thirty) (?:hours?|minutes?|mins?|months?|years?)\b`)
)

// shiftedBy is by how much something is moved, and not to when.
var shiftedBy = pattern.Lazy(`(?i)\b(?:shift|move|postpone|push|bring|put|delay)\w*\b.{0,60}\bby (?:an?|half an|one|two|three|four|\d+) (?:minutes?|hours?|days?|weeks?)\b|\b(?:an?|half an|one|two|three|four|\d+) (?:minutes?|hours?|days?|weeks?) (?:later|earlier|after that|before that)\b|\b(?:um|eine|einen|zwei|\d+) (?:stunden?|tage?|wochen?) (?:später|früher|verschieben)\b`)

// shiftVerb is a verb of moving with an amount, in any language: put back a week, um eine
// Stunde vorgezogen, se adelanta dos horas.
var shiftVerb = sync.OnceValue(func() *regexp.Regexp {
	verbs := `(?:mov(?:e|es|ed|ing)|shift\w*|put|push\w*|bring|brought|delay\w*|verlegt|vorverlegt|vorgezogen|verschieb\w+|verzögert|décal\p{L}*|avanc\p{L}*|retard\p{L}*|repouss\p{L}*|retras\p{L}+|adelant\p{L}+|atras\p{L}+|antecip\p{L}+|anticip\p{L}+|slitt\p{L}+|spost\p{L}+|vervroegd|verzet|verplaatst|vertraagd)`
	amount := `(?:(?:an?|half an|one|two|three|four|five|\d+|eine[nr]?|zwei|drei|une?|deux|trois|una?|uno|dos|tres|due|tre|uma?|dois|duas|três|een|twee|drie) (?:minutes?|mins?|hours?|days?|weeks?|months?|minuten|stunden?|tage?n?|wochen?|monate?n?|heures?|jours?|semaines?|mois|horas?|minutos?|días?|semanas?|mes(?:es)?|ore|ora|giorn[oi]|settiman[ae]|mes[ei]|dias?|uur|uren|dag(?:en)?|week|weken|maand(?:en)?)|un[’']ora)`
	return regexp.MustCompile(`(?i)\b` + verbs + `\b.{0,60}?[\s’']` + amount + `\b|\bum ` + amount + ` (?:vor|zurück|nach hinten|nach vorne?)|\b` + amount + ` (?:vorgezogen|vorverlegt|verlegt|verschoben|vervroegd|verzet|uitgesteld|verplaatst|adelantad[oa]|aplazad[oa])\b|\b(?:held|place|happen\w*|starts?|begins?) (?:about |only )?` + amount + ` (?:later|earlier)\b`)
})

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
	if phrase == "" && !d.set.Message && !u.sentence {
		phrase = phraseIn(u.text, wholeWeek)
	}
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
	if d.frame != nil && d.frame.heads && d.frame.unit.line == u.line && d.frame.unit.text == u.text { // of what stands below it
		return true
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

// ofLetter tells whether a day that stands alone is the date of a letter: whom it is to
// stands below it, or it is not after today and nothing is above it that it could be the
// day of.
func (d *document) ofLetter(h *heading) bool {
	if h.listed || h.unit.level > 0 || d.set.Message || len(h.dates.days) != 1 || h.dates.until != nil {
		return false
	}
	if len(h.texts) > 0 && phraseAt(h.texts[0].text, addressed) {
		return true
	}
	days, f := d.resolve(h.dates)
	return f == nil && len(days) == 1 && len(d.out.Events) == 0 && len(h.texts) > 0 && h.texts[0].gap && !days[0].first.After(d.today())
}

// endDay makes an event of a day that stood alone, where no times followed.
func (d *document) endDay() {
	h := d.day
	d.day = nil
	if h == nil || h.used {
		return
	}
	defer func(was around) { d.around = was }(d.around) // that is of what is read now
	d.around = d.overAll
	u := h.unit
	if d.ofLetter(h) {
		d.pass(u, u.text, "the date of the letter")
		return
	}
	u.level = 0
	where := ""
	if d.underPoster() && len(h.texts) > 0 {
		if placeLine(h.texts[0].text) {
			where = tidy(h.texts[0].text)
		}
		h.texts = nil
	}
	if (h.listed || d.underPoster()) && d.heading() != "" && (len(h.texts) == 0 || h.texts[0].gap && h.texts[0].sentence) {
		e := d.begin(u)
		e.What, e.Where = tidy(d.heading()), where
		e.read("location", where)
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
			groups := grouped(r, d.spans(r, one))
			if len(groups) == 0 { // together they are no day any more
				one.text = u.text
				r = &reader{text: u.text, toks: scan(u.text)}
				groups = grouped(r, d.spans(r, u))
			}
			d.events(one, r, groups)
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

var vagueWord = words(`around about approximately approx roughly ca circa gegen vers environ hacia verso rond sometime`)
