package notice

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"almanach/internal/core/pattern"
)

// group is what is said of one event's time.
type group struct {
	dates    *dates
	times    *times
	minutes  int
	rough    bool // the minutes are said only roughly
	inDays   bool // the length is said in days
	allDay   bool
	from, to int // tokens
	spans    [][2]int
	inherits bool
	doubt    string   // why it is not to be loaded
	apart    bool     // the first and the last day have a time each
	daily    bool     // its times are those of each day
	others   [][2]int // the spans of other times of the same days
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
			case g != nil && g.dates != nil && g.times == nil && (r.onlyDayWords(g.to, s.from) || r.partBetween(g.to, s.from)) && len(g.dates.days) == 1 && len(s.dates.days) == 1 && g.dates.until == nil && s.dates.until == nil && g.dates.days[0].relative != s.dates.days[0].relative && sameWeekday(g.dates.days[0], s.dates.days[0]):
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
			case g != nil && g.dates != nil && g.times == nil && r.onlyDayWords(g.to, s.from) && saidTwice(g.dates, &s.dates) != nil: // tomorrow, Tuesday
				g.dates, g.to = saidTwice(g.dates, &s.dates), s.to
				continue
			case g != nil && g.dates == nil:
				g.dates, g.to = &s.dates, s.to
				continue
			case g != nil && g.times != nil && g.times.until != nil && len(g.dates.days) == 1 && g.dates.until == nil && len(s.dates.days) == 1 && s.dates.until == nil && g.to <= s.from && r.onlyDayWords(g.to, s.from) && !r.barBetween(g.to, s.from) && !g.inherits:
				// at 22:00 on Saturday until 6:00 on Sunday
				d := *g.dates
				d.until = &s.dates.days[0]
				g.dates, g.to, g.apart = &d, s.to, true
				continue
			case g != nil && g.times != nil && len(g.dates.days) == 1 && g.dates.until == nil && g.times.until == nil && len(g.times.list) == 1 && r.rangeBefore(s.from) && r.onlyRange(g.to, s.from) && n+1 < len(spans) && spans[n+1].kind == 't' && r.onlyRange(s.to, spans[n+1].from) && len(s.dates.days) == 1:
				// 5 March 14:00 – 6 March 10:00
				d := *g.dates
				d.until = &s.dates.days[0]
				g.dates, g.times, g.to, g.apart = &d, g.times.to(spans[n+1].times), spans[n+1].to, true
				spans[n+1].kind = 0
				continue
			}
			if g != nil && g.times != nil && g.dates != nil && len(g.dates.days) == 1 && g.dates.until == nil && g.times.until == nil && len(g.times.list) == 1 && !g.inherits && r.rangeBefore(s.from) && r.onlyRange(g.to, s.from) && len(s.dates.days) == 1 && s.dates.until == nil { // 2 April from 12:00 until 6 April
				d := *g.dates
				d.until = &s.dates.days[0]
				g.dates, g.to = &d, s.to
				continue
			}
			open(*s)
			g.dates = &s.dates
		case 't':
			switch {
			case g != nil && g.times == nil && g.dates != nil && n+1 < len(spans) && r.ofNext(g.to, *s, spans[n+1:]): // busy all Thursday, so your lift is at 8:00 on Friday
				open(*s)
				g.times = &s.times
			case g != nil && g.times == nil:
				if g.dates != nil && len(g.dates.days) > 1 && r.is(s.from-1, '(') && slices.ContainsFunc(spans[n+1:], func(later span) bool { return later.kind == 'd' }) { // 10 March, 14 April (19:00), 12 May
					g.doubt = cmp.Or(g.doubt, "says a time in brackets behind one of several days")
				}
				g.times, g.to = &s.times, s.to
			case g != nil && g.times.until == nil && len(g.times.list) == 1 && len(s.times.list) == 1 && s.times.until == nil && (endsWith(r.before(s.from), []string{"until", "till", "bis", "jusqu'à", "hasta", "fino alle", "até", "tot"}) || r.word(s.from-1, untilWords) || r.led(g) && r.rangeBefore(s.from) && r.onlyRange(g.to, s.from) && n+1 < len(spans) && spans[n+1].kind == 'd' && r.onlyDayWords(s.to, spans[n+1].from)): // from 14:00 on 10 March to 6:00 on 12 March
				g.times, g.to = g.times.to(s.times), s.to
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
				g.minutes, g.rough, g.inDays = s.minutes, s.rough, lengthWords.number(r.tok(s.to-1).text) >= 1440
				g.to = max(g.to, s.to)
			} else if g == nil {
				open(*s)
				g.minutes, g.rough, g.inDays = s.minutes, s.rough, lengthWords.number(r.tok(s.to-1).text) >= 1440
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

// ofNext tells whether a time is that of the day behind it, and not of the one before, from which
// other words keep it apart.
func (r *reader) ofNext(from int, s span, later []span) bool {
	next := later[0]
	if next.kind != 'd' || s.from < from || next.from < s.to || len(later) > 1 && later[1].kind == 't' && r.onlyLinks(next.to, later[1].from) {
		return false
	}
	for i := s.to; i < next.from; i++ {
		if !r.word(i, dayLinks) {
			return false
		}
	}
	apart := false
	for i := from; i < s.from; i++ {
		apart = apart || r.is(i, 'w') && !r.word(i, dayLinks) && !r.word(i, atWords) && !r.word(i, fromWords)
	}
	return apart && next.from > s.to // on, am, le: a day that follows at once may be the next of a list
}

// saidTwice makes one of a day that counts from today and a day of the week, as in tomorrow,
// Tuesday; nil where they are none.
func saidTwice(a, b *dates) *dates {
	one := func(d *dates) bool { return len(d.days) == 1 && d.until == nil && d.days[0].relative && !d.or }
	if !one(a) || !one(b) {
		return nil
	}
	if a.days[0].weekdays != 0 {
		a, b = b, a
	}
	if x := b.days[0]; a.days[0].weekdays != 0 || x.weekdays == 0 || x.next || x.after != 0 {
		return nil
	}
	out := *a
	out.days = slices.Clone(a.days)
	out.days[0].also = b.days[0].weekdays
	return &out
}

// led tells whether from stands in front of a group that begins with its time.
func (r *reader) led(g *group) bool {
	i := g.from - 1
	for r.word(i, atWords) && !r.word(i, fromWords) {
		i--
	}
	return (r.word(i, fromWords) || r.word(g.from, fromWords)) && g.dates != nil && len(g.dates.days) == 1 && g.dates.until == nil
}

// barBetween tells whether a bar, or a comma, keeps two tokens apart.
func (r *reader) barBetween(from, to int) bool {
	for i := from; i < to; i++ {
		if r.is(i, '|') || r.is(i, ',') || r.is(i, ';') {
			return true
		}
	}
	return false
}

// rangeBefore tells whether what stands before a token makes it the end of a range.
func (r *reader) rangeBefore(i int) bool {
	for n := i - 1; n > 0; n-- {
		if r.is(n, '-') || r.word(n, rangeWords) {
			return true
		}
		if !r.word(n, dayLinks) && !r.word(n, inclusive) {
			return false
		}
	}
	return false
}

// inclusive are words behind a word for a range.
var inclusive = words(`einschließlich including inclusive compris inclus incluido compreso`)

// onlyRange tells whether only words for a range, and small ones, stand between two
// tokens.
func (r *reader) onlyRange(from, to int) bool {
	for i := from; i < to; i++ {
		if r.is(i, 'w') && !r.word(i, rangeWords) && !r.word(i, dayLinks) && !r.word(i, atWords) && !r.word(i, andWords) && !r.word(i, inclusive) || r.is(i, 'n') || r.is(i, 'x') {
			return false
		}
	}
	return true
}

// sameWeekday tells whether two days can be one, as far as their days of the week go.
func sameWeekday(a, b day) bool {
	return a.weekdays == 0 || b.weekdays == 0 || a.weekdays&b.weekdays != 0
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

// mixedWords tells whether words stand between some of three or more days, and none behind the
// last: those before a day may be of it, or of the one before.
func (r *reader) mixedWords(groups []group) bool {
	said, last := 0, len(groups)-1
	for n, g := range groups {
		if g.dates == nil || g.inherits {
			return false
		}
		to := len(r.text)
		if n < last {
			to = r.tok(groups[n+1].from).from
		}
		if meaningful(closedOnly(r.text[r.tok(g.to-1).to:to])) {
			if n == last {
				return false
			}
			said++
		}
	}
	if last < 2 || said == 0 || said == last {
		return false
	}
	begin, _ := r.withoutDue(groups)
	return r.namesBefore(groups, r.text[begin:max(begin, r.tok(groups[0].from).from)]) == nil
}

// andJoined tells whether an and joins two groups: which words are of which, in the order of
// words of some languages, cannot be told.
func (r *reader) andJoined(groups []group, n int) bool {
	if n == 0 {
		return false
	}
	for i := groups[n-1].to; i < groups[n].from; i++ {
		if r.word(i, andWords) {
			return true
		}
	}
	return false
}

// inside tells whether a token is of what was read.
func (r *reader) inside(g *group, i int) bool {
	return slices.ContainsFunc(g.spans, func(s [2]int) bool { return i >= s[0] && i < s[1] })
}

// stray finds a number that looks like a day or a time of day and is in none of the
// spans: 32.13.2026, 25:00, the 9 of "5-7 March, 9". "" for none.
func (r *reader) stray(spans []span) string {
	used := func(i int) bool {
		return within(spans, i)
	}
	near := func(i int) bool { return !r.tok(i).gap && r.tok(i).kind != 0 }
	for i, t := range r.toks {
		if t.kind != 'n' || used(i) {
			continue
		}
		said := func(to int) string { return r.text[t.from:r.tok(to).to] }
		sign := r.tok(i + 1).kind
		month := func(n int) bool { // may and march are verbs where they are small
			m := r.tok(n)
			return r.month(n) > 0 && !used(n) && !(unicode.IsLower(rune(r.text[m.from])) && (m.text == "may" || m.text == "march"))
		}
		link := r.link(i + 1)
		switch {
		case sign == ':' && near(i+1) && near(i+2) && r.is(i+2, 'n') && len(r.tok(i+2).text) == 2 && len(t.text) <= 2 && len(spans) > 0:
			return said(i + 2)
		case (sign == '.' || sign == '/' || sign == '-') && near(i+1) && near(i+2) && near(i+3) && near(i+4) && r.is(i+2, 'n') && r.is(i+3, sign) && r.is(i+4, 'n') && yearly(t) != yearly(r.tok(i+4)):
			return said(i + 4)
		case len(t.text) <= 2 && t.num > 0 && month(link):
			return said(link)
		case len(t.text) <= 2 && t.num > 0 && month(i-1) && !r.is(i+1, ':'):
			return r.text[r.tok(i-1).from:t.to]
		}
		if len(t.text) <= 2 && t.num >= 1 && t.num <= 31 {
			if last := r.numbersBefore(i, spans); last > 0 { // 6 to 10 and 13 to 17 April
				return said(last)
			}
			sign := i - 1
			if r.is(i-1, '.') && r.is(i-2, '.') {
				sign--
			}
			if (r.is(i-1, '-') || sign < i-1) && !r.is(i+1, 'w') && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.to == sign }) { // 2026-04-06..17
				return said(i)
			}
		}
		// behind a day and a comma: another one, if it counts nothing
		n := i - 1
		for n > 0 && (r.is(n, ',') || r.is(n, '&') || r.is(n, '/') || r.word(n, andWords)) {
			n--
		}
		if n < i-1 && len(t.text) <= 2 && t.num >= 1 && t.num <= 31 && (t.ordinal || !r.is(i+1, 'w') || r.word(i+1, andWords)) && !r.is(i+1, ':') && !r.hour(i) && slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.to == n+1 }) {
			return said(i)
		}
	}
	return ""
}

// numbersBefore tells whether a range of numbers stands before a range of days that it may
// share the month of, and gives the second number; 0 for none.
func (r *reader) numbersBefore(i int, spans []span) int {
	skip := func(n int) int {
		if r.is(n, '.') {
			n++
		}
		return n
	}
	n := skip(i + 1)
	if !r.is(n, '-') && !r.word(n, rangeWords) {
		return 0
	}
	last := r.link(n + 1)
	if t := r.tok(last); t.kind != 'n' || len(t.text) > 2 || t.num < 1 || t.num > 31 {
		return 0
	}
	n = skip(last + 1)
	if !r.and(n) && !r.is(n, ',') && !r.is(n, '&') && !r.word(n, andWords) {
		return 0
	}
	for n++; r.word(n, dayLinks) || r.word(n, fromWords); n++ {
	}
	if !slices.ContainsFunc(spans, func(s span) bool { return s.kind == 'd' && s.dates.until != nil && n >= s.from && n < s.to }) {
		return 0
	}
	return last
}

// yearly tells whether a number looks like a year.
func yearly(t token) bool { return len(t.text) == 4 && t.num >= 1990 && t.num < 2200 }

// sideBySide tells whether two days stand in one line with nothing but space between
// them, as in the columns of a table.
func (r *reader) sideBySide(a, b group) bool {
	return a.dates != nil && b.dates != nil && !b.inherits && a.to <= b.from && strings.Trim(r.text[r.tok(a.to-1).to:r.tok(b.from).from], " |") == ""
}

// timesSideBySide tells whether two times of one day stand in one line with nothing but
// space between them.
func (r *reader) timesSideBySide(a, b group) bool {
	return b.inherits && a.times != nil && b.times != nil && a.to <= b.from && strings.TrimSpace(r.text[r.tok(a.to-1).to:r.tok(b.from).from]) == ""
}

// cutRange tells whether a word for a range stands between two days that were not read as one:
// from Wednesday evening to Thursday noon.
func (r *reader) cutRange(a, b group) bool {
	if a.dates == nil || b.dates == nil || b.inherits || a.to > b.from {
		return false
	}
	ranged := false
	for i := a.to; i < b.from; i++ {
		switch {
		case r.is(i, '-') || r.word(i, rangeWords) && !r.word(i, list("a à au al")):
			ranged = true
		case r.is(i, 'w') && !partWords.has(r.tok(i).text) && !r.word(i, dayLinks) && !r.word(i, atWords) && !r.word(i, noonWords) && !r.word(i, list("late early approx about")) || r.is(i, 'n') || r.is(i, ';'):
			return false
		}
	}
	return ranged
}

// slashBetween tells whether two groups have only a stroke between them.
func (r *reader) slashBetween(a, b group) bool {
	return b.from == a.to+1 && r.is(a.to, '/') && a.times != nil && b.times != nil
}

// placeMove is something that changes its place, and not its time.
var placeMove = pattern.Lazy(`(?i)\bmov(?:e|es|ed|ing) (?:from |over )?(?:to )?(?:the )?(?:berth|quay|pier|dock|hall|office|barn|shed|gate|slip|terminal|wharf|jetty|lock|anchorage|basin|room|yard)\b`)

// moved keeps of what is moved the day to which it is. Where more than one thing may
// be moved, nothing is certain.
func (d *document) moved(u unit, r *reader, groups []group) []group {
	if len(groups) < 2 || phraseIn(r.text, movedWords) == "" && phraseIn(r.text, putOff) == "" || placeMove().MatchString(r.text) {
		return groups
	}
	last := len(groups) - 1
	single := func(g group) bool { return g.dates != nil && g.dates.until == nil }
	back := r.word(groups[last].from-1, list("from von du de da dal van")) || // moved to Thursday from Tuesday
		last == 1 && single(groups[0]) && single(groups[1]) && r.word(groups[1].from, list("from von vom du del dal da van")) // 13 March, postponed from 6 March
	switch {
	case !back && (groups[last].dates == nil || groups[last].inherits):
		return groups
	case len(groups) > 2 || groups[0].dates != nil && groups[0].dates.until != nil && !back || !back && endsWith(r.before(groups[0].from), []string{"to", "auf", "au", "a", "al", "para", "naar"}):
		for i := range groups {
			groups[i].doubt = "tells of several days and of something that is moved"
		}
		return groups
	}
	d.pass(u, u.text, "the day from which it is moved")
	kept, gone := groups[last:], groups[:last]
	if back {
		kept, gone = groups[:1], groups[1:]
	}
	for _, g := range gone {
		if g.dates != nil {
			d.against(span{dates: *g.dates})
		}
	}
	if kept[0].times == nil && !kept[0].allDay && slices.ContainsFunc(gone, func(g group) bool { return g.times != nil }) {
		kept[0].doubt = cmp.Or(kept[0].doubt, "says its time only for the day from which it is moved")
	}
	return kept
}

// endOf gives the end of what begins at a time of day: on a clock of 24 hours where
// the beginning is, as in 21 Uhr bis 6. März 2 Uhr.
func endOf(start, end clock) *clock {
	end.sure = end.sure || start.half == 0 && end.half == 0 && start.hour > 12
	return &end
}

// shipComes gives the token ETA or ETB in front of up to three words that stand before token i,
// the name of a ship; -1 for none.
func (r *reader) shipComes(i int) int {
	if r.is(i-1, ':') {
		i--
	}
	for n := i - 1; n >= max(0, i-4) && (r.is(n, 'w') || r.is(n, 'x')); n-- {
		if r.word(n, list("eta etb")) && n < i-1 {
			return n
		}
	}
	return -1
}

// stay tells whether the words in front of two times say an arrival and a departure, a beginning
// and an end, or a departure and a return.
func (r *reader) stay(a, b group) bool {
	first, second := dateLabel().ReplaceAllString(r.before(a.from), ""), dateLabel().ReplaceAllString(r.before(b.from), "")
	switch {
	case endsWith(first, []string{"in"}) && endsWith(second, []string{"out"}): // in Thu 08:00, out Sat 17:00
		return true
	case r.compoundEnd(a.from, "beginn", "start", "anfang") && r.compoundEnd(b.from, "ende", "schluss"):
		return true
	case endsWith(second, leavings) && (endsWith(first, comings) || endsWith(first, []string{"now", "eta now"}) || r.shipComes(a.from) >= 0):
		return true
	}
	return endsWith(first, []string{"departure", "departs", "depart", "departing", "leaves", "leaving", "abfahrt", "départ", "salida", "partenza", "vertrek"}) && endsWith(second, []string{"return", "returns", "returning", "back", "rückkehr", "retour", "regreso", "ritorno", "regresso", "terug"})
}

// dateLabel is what a label has behind what it is about: Arrival date.
var dateLabel = pattern.Lazy(` (?:date|time|day)[: ]*$`)

// stays makes one group of an arrival and a departure.
func (r *reader) stays(groups []group) []group {
	for n := 0; n+1 < len(groups); n++ {
		a, b := groups[n], groups[n+1]
		if !r.stay(a, b) {
			continue
		}
		if r.otherComes(a, b) {
			groups[n].doubt, groups[n+1].doubt = cmp.Or(a.doubt, severalShips), cmp.Or(b.doubt, severalShips)
			continue
		}
		if a.times == nil || b.times == nil || len(a.times.list) != 1 || len(b.times.list) != 1 || a.times.until != nil || b.times.until != nil || b.dates == nil || len(b.dates.days) != 1 {
			continue
		}
		oneDay := a.dates == nil && n == 0 // starts at 9 and ends at 17:00 on 9 March
		if oneDay {
			a.dates = b.dates
		}
		if a.dates == nil || len(a.dates.days) != 1 {
			continue
		}
		days := *a.dates
		if !b.inherits && !oneDay {
			days.until = &b.dates.days[0]
		}
		one := group{dates: &days, times: a.times.to(*b.times), from: a.from, to: b.to, spans: append(slices.Clone(a.spans), b.spans...), apart: !b.inherits && !oneDay, doubt: cmp.Or(a.doubt, b.doubt)}
		groups = append(append(slices.Clone(groups[:n]), one), groups[n+2:]...)
	}
	return groups
}

// otherComes tells whether another ship leaves than the one that arrives: ETA 6:00; Brant ETD
// 18:00. A name that stands in front of both is one of the same.
func (r *reader) otherComes(a, b group) bool {
	verb := b.from // the word that says it, with its subject in front
	for i := b.from - 1; i >= a.to && verb == b.from; i-- {
		if r.word(i, stages) || r.word(i, comesWords) {
			verb = i
		}
	}
	for i := a.to; i < b.from; i++ {
		t := r.tok(i)
		if t.kind != 'w' || !startsUpper(r.text[t.from:]) && i != verb-1 || stages.has(t.text) || comesWords.has(t.text) || talk.has(t.text) || smallWords.has(t.text) || r.word(i, andWords) || r.word(i, dayLinks) || r.word(i, atWords) || r.zoneAt(i) || r.weekday(i) != 0 || r.month(i) > 0 || r.compoundEnd(i+1, "ende", "schluss") {
			continue
		}
		if !slices.ContainsFunc(r.toks[:a.from], func(o token) bool { return o.text == t.text }) {
			return true
		}
	}
	return false
}

// compoundEnd tells whether the word in front of a token is made of one of some: Ladebeginn.
func (r *reader) compoundEnd(i int, ends ...string) bool {
	for i--; r.is(i, ':') || r.word(i, dayLinks) || r.weekday(i) != 0 || r.is(i, ','); i-- {
	}
	t := r.tok(i)
	return t.kind == 'w' && slices.ContainsFunc(ends, func(end string) bool { return len(t.text) > len(end)+2 && strings.HasSuffix(t.text, end) })
}

// severalShips is why an arrival and a departure are held.
const severalShips = "tells of what arrives, and of something else that leaves"

// comings and leavings are what stands before the time of an arrival or a beginning, and of a
// departure or an end.
var (
	comings  = []string{"eta", "etb", "arrival", "arrives", "arriving", "arr", "arr.", "from", "ankunft", "arrivée", "llegada", "arrivo", "chegada", "aankomst", "start", "starts", "starting", "begin", "begins", "beginning", "commences", "commencing", "arriva", "arrivano", "llega", "llegan", "chega", "kommt", "kommen", "komt", "arrive on", "inizia", "comincia", "empieza", "comienza", "começa", "inicia", "commence", "débute", "beginnt", "begint", "anreise", "einzug", "check-in", "entrée", "entrada", "arrive", "arrivent", "arrivera", "arriveront", "accoste", "accostera", "llegará", "llegarán", "atraca", "atracará", "chegará", "chegarão", "arriverà", "arriveranno", "attracca", "attraccherà"}
	leavings = []string{"etd", "etd unchanged", "etd now", "etd still", "etd remains", "departure", "departs", "departing", "dep", "dep.", "sails", "abfahrt", "départ", "salida", "partenza", "partida", "vertrek", "riparte", "ripartono", "parte", "repart", "reparte", "sale", "fährt", "reist ab", "vertrekt", "finisce", "termina", "acaba", "se termine", "finit", "endet", "eindigt", "abreise", "auszug", "check-out", "sortie", "salida", "saída", "end", "ends", "leaves", "finish", "finishes", "finishing", "finished", "completes", "concludes", "runs to", "runs until", "lasts until", "lasts to", "continues until", "continues to", "goes on until", "stop", "stops", "done", "ende", "fin", "fine", "fim", "einde", "until", "till", "repartira", "repartiront", "partira", "partiront", "appareille", "appareillera", "quitte", "quittera", "saldrá", "saldrán", "zarpa", "zarpará", "partirá", "sairá", "sai", "ripartirà", "ripartiranno", "partirà", "salpa", "salperà"}
)

// comesWords are those words, and others that are no name of a ship.
var comesWords = words(strings.Join(slices.Concat(comings, leavings), " ") + ` depart leave sail sailing return returns back departing leaving ended saída
	hours hrs local lt out then she it he they both thereafter afterwards dann danach puis luego poi depois daarna berth quay`)

// returns tells whether two times of different days may be the beginning and the end of
// one thing: sails today at 16:00, back tomorrow at noon.
func (r *reader) returns(groups []group) bool {
	a, b := groups[0], groups[1]
	for i := a.from; i < b.from && a.dates != nil && b.dates != nil && !b.inherits; i++ { // begins at 9:00 on 9 March and ends at 17:00 on 11 March
		if r.word(i, andWords) && r.word(i+1, list("ends end finishes finish runs run lasts last continues continue concludes conclude completes endet dauert läuft termina finisce acaba dura")) {
			return true
		}
	}
	if a.times == nil || b.times == nil || a.times.until != nil || b.times.until != nil || a.dates == nil || b.dates == nil || b.inherits || a.to > b.from {
		return false
	}
	for i := a.to; i < b.from; i++ {
		if r.word(i, list("back go goes return returns returning riparte ripartono repart reparte zurück terug retour regresa regressa vuelve torna torniamo")) {
			return true
		}
	}
	return false
}

// reading says what words were taken for the day and the time.
func (r *reader) reading(g *group) []Part {
	from, to := r.tok(g.from).from, r.tok(g.to-1).to
	if g.from >= g.to || to <= from {
		return nil
	}
	return []Part{{strings.TrimSpace(r.text[from:to]), "time", ""}}
}

func (g *group) datesOr() []day {
	if g.dates != nil && g.dates.or {
		return g.dates.days
	}
	return nil
}
