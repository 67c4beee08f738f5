package notice

import (
	"math/bits"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// frame is a week that a text names apart from the days that are of it: below Plan for next
// week, Tuesday is not the coming one.
type frame struct {
	unit  unit
	next  bool      // it is the next one
	first time.Time // its first day, where the text says it
	last  time.Time
	heads bool // it heads a list, so that the days of the list are of it; otherwise they may be
	used  bool
	at    int // how many events had been found when it was
}

var (
	nextWeek    = pattern.Lazy(`(?i)(?:^|[^\p{L}])(next week|(?:nächste[rn]?|kommende[rn]?) woche|semaine prochaine|próxima semana|semana (?:próxima|que viene|que vem)|settimana prossima|prossima settimana|(?:volgende|komende) week)(?:$|[^\p{L}])`)
	someWeek    = pattern.Lazy(`(?i)(?:^|[^\p{L}])((?:following|coming) week|week after(?: next)?|(?:folgende[rn]?|übernächste[rn]?) woche|semaine suivante|semana (?:siguiente|seguinte)|settimana (?:seguente|successiva|entrante)|week (?:daarna|erna)|in a fortnight|fortnight|semana santa|settimana santa|semaine sainte|\p{L}{4,}woche)(?:$|[^\p{L}])`)
	presentWeek = pattern.Lazy(`(?i)(?:^|[^\p{L}])(this week|diese[rn]? woche|cette semaine|esta semana|questa settimana|deze week)(?:$|[^\p{L}])`)

	nextMonth = pattern.Lazy(`(?i)(?:^|[^\p{L}])((?:next|following|coming) month|(?:nächste[nrs]?|kommende[nrs]?) monats?|mois prochain|próximo mes|mes (?:próximo|que viene)|mese prossimo|prossimo mese|próximo mês|mês que vem|(?:volgende|komende) maand)(?:$|[^\p{L}])`)
	nextYear  = pattern.Lazy(`(?i)(?:^|[^\p{L}])((?:next|following|coming) year|(?:nächste[nrs]?|kommende[nrs]?) jahr(?:es)?|(?:année|an) prochaine?|próximo año|año (?:próximo|que viene)|anno prossimo|prossimo anno|próximo ano|ano que vem|(?:volgend|komend) jaar)(?:$|[^\p{L}])`)

	planFor   = pattern.Lazy(`(?i)\p{L}plan(?:$|\P{L})|^\W*(?:week|woche|semaine|semana|settimana)(?:$|\P{L})`)
	soThen    = pattern.Lazy(`(?i)(?:week|woche|prochaine|semana|viene|vem|prossima|settimana)[^.;:]*, (?:so|but|therefore|hence|deshalb|daher|also|aber|donc|mais|así|pero|quindi|perciò|ma|então|mas|portanto|dus|maar) `)
	listBelow = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:below|as follows|following|here(?:['’]s| is| are)|anbei|folgt|wie folgt|ci-dessous|voici|a continuación|di seguito|ecco|abaixo|a seguir|segue|hieronder|als volgt)(?:$|[^\p{L}])`)
)

// free tells whether an expression matches a text outside of what was read of it.
func (r *reader) free(spans []span, of func() *regexp.Regexp) bool {
	for _, m := range of().FindAllStringSubmatchIndex(r.text, -1) {
		if !slices.ContainsFunc(spans, func(s span) bool { return r.tok(s.from).from < m[3] && m[2] < r.tok(s.to-1).to }) {
			return true
		}
	}
	return false
}

// bare tells whether a day is one of the week and nothing says of which.
func (x *day) bare() bool {
	return x.relative && x.weekdays != 0 && !x.next && !x.near && x.after == 0
}

// numbered tells whether a day is one of the week with its number, and no month: Wednesday 11.
func (x *day) numbered() bool { return !x.relative && x.month == 0 && x.weekdays != 0 }

// ranged tells whether a span is the days from one date to another.
func (s *span) ranged() bool {
	return s.kind == 'd' && s.dates.until != nil && !s.dates.days[0].relative
}

// daysOf calls do for each day of some spans.
func daysOf(spans []span, do func(x *day)) {
	for n := range spans {
		if s := &spans[n]; s.kind == 'd' {
			for i := range s.dates.days {
				do(&s.dates.days[i])
			}
			if s.dates.until != nil {
				do(s.dates.until)
			}
		}
	}
}

func anyDay(spans []span, is func(x *day) bool) (found bool) {
	daysOf(spans, func(x *day) { found = found || is(x) })
	return found
}

// weekdayFrom gives the first day from another on that is one of the week.
func weekdayFrom(first time.Time, weekday uint8) time.Time {
	return first.AddDate(0, 0, (bits.TrailingZeros8(weekday)-int(first.Weekday())+7)%7)
}

// ofWeek tells whether words for the week in front of a day make it the name of that week:
// week commencing Monday 16 March.
func (r *reader) ofWeek(s span) bool {
	if s.kind != 'd' || len(s.dates.days) != 1 || s.dates.until != nil || s.dates.days[0].relative {
		return false
	}
	return endsWith(r.before(s.from), weekOf) || (r.word(s.from, startingWords) || r.word(s.from, fromWords)) && r.word(s.from-1, weekWords)
}

// headsList tells whether a text is one above a list, and no sentence that says something else.
func (u unit) headsList() bool {
	return strings.HasSuffix(strings.TrimSpace(u.text), ":") || !u.sentence || phraseIn(u.text, listNouns) != "" && listBelow().MatchString(u.text)
}

// weekNamed notes the week that a text names, and gives which of its spans is that week, -1 for
// none. Days of the week that stand apart from it in the same text are unsure.
func (d *document) weekNamed(u unit, r *reader, spans []span) (week int) {
	named := func(f frame, pending bool) {
		f.unit, f.at = u, len(d.out.Events)
		if d.frame = &f; pending {
			d.frames = append(d.frames, d.frame)
		}
	}
	apart := func() {
		daysOf(spans, func(x *day) {
			if x.bare() {
				x.unsure = "names a week, and a day of the week apart from it"
			}
		})
	}
	at := slices.IndexFunc(spans, r.ofWeek)
	switch {
	case at >= 0: // w/c 16 March
		days, f := d.resolve(spans[at].dates)
		if f != nil || len(days) == 0 {
			return -1
		}
		one := frame{heads: anyDay(spans, (*day).bare) || u.headsList()}
		if day := days[0].first.Weekday(); day == time.Monday || day == time.Sunday {
			one.first, one.last = days[0].first, days[0].first.AddDate(0, 0, 6)
		}
		if named(one, one.heads); one.heads {
			d.pass(u, u.text, "a week, and not a day of it")
			return at
		}
	case len(spans) == 1 && spans[0].ranged() && (phraseIn(u.text, listNouns) != "" || planFor().MatchString(u.text)) && u.headsList(): // Berth plan 9–15 March
		days, f := d.resolve(spans[0].dates)
		if f != nil || len(days) != 1 || days[0].last.After(days[0].first.AddDate(0, 0, 6)) {
			return -1
		}
		alone := d.set.Message && strings.HasSuffix(strings.TrimSpace(u.text), ":")
		if named(frame{heads: true, first: days[0].first, last: days[0].last}, alone); alone {
			d.pass(u, u.text, daysBelow)
			return 0
		}
	case !containsOne(strings.ToLower(u.text), "week woche kw semaine semana settimana fortnight"):
	case r.free(spans, nextWeek) && !soThen().MatchString(u.text):
		list := len(spans) == 0 && u.headsList()
		named(frame{next: true, heads: list}, list)
		apart()
	case r.free(spans, nextWeek): // next week I am away, so it must be on Friday
	case r.free(spans, someWeek) || r.namedWeek(spans) || len(spans) == 0 && weekNumber().MatchString(u.text):
		named(frame{}, false)
		apart()
	case r.free(spans, presentWeek):
		d.frame = nil
	}
	return -1
}

// take puts days of the week into the week of a frame. Where that is not certain they are unsure.
// A nil frame takes none.
func (f *frame) take(u unit, spans []span) {
	if f == nil {
		return
	}
	certain := f.heads && (f.next || !f.first.IsZero()) && !(u.sentence && f.unit.line != u.line)
	daysOf(spans, func(x *day) {
		single := bits.OnesCount8(x.weekdays) == 1
		switch {
		case x.numbered() && single && !f.first.IsZero() && certain: // Wednesday 11
			f.used = true
			if on := weekdayFrom(f.first, x.weekdays); on.Day() == x.day {
				x.year, x.month = on.Year(), int(on.Month())
			}
			return
		case !x.bare() || x.unsure != "" || !x.week.IsZero():
			return
		case !certain:
			x.unsure = "names a day of the week, and the text speaks of another week: " + strconv.Quote(fault.Shorten(f.unit.text, 60))
		case f.next:
			x.after = -1
		case single && weekdayFrom(f.first, x.weekdays).After(f.last):
			x.unsure = "names a day of the week that is none of the days above it"
		default:
			x.week = f.first
		}
		f.used = true
	})
}

// frameOf notes the week, the month and the year that the subject of a message names. What answers
// it may be of a later week, so that next week is none that days can be put into.
func (d *document) frameOf(subject string) {
	r, u := &reader{text: subject, toks: scan(subject)}, unit{text: subject}
	passed := len(d.out.Passed)
	spans := d.found(r, u)
	d.weekNamed(u, r, spans)
	d.namedAround(r, spans, true)
	if d.out.Passed, d.frames = d.out.Passed[:passed], nil; d.frame != nil && d.frame.next {
		d.frame.heads = false
	}
}

// namedWeek tells whether a text names a week by what it is of: Easter week.
func (r *reader) namedWeek(spans []span) bool {
	for i, t := range r.toks {
		if t.text == "week" && r.is(i-1, 'w') && !within(spans, i) && !r.word(i-1, dayLinks) && !r.word(i-1, list("this next last which what each every a an per all whole working same one other any mid in my our your current previous whole full entire that second third")) && r.weekday(i-1) == 0 {
			return true
		}
	}
	return false
}

// around is the year and the month that a text names apart from its days, 0 for none: Regatta 2027,
// the April meeting.
type around struct {
	year, month     int
	yearBy, monthBy string // what says them
}

// severalMonths is the month of a text that names more than one.
const severalMonths = 13

// namedAround finds them outside of what was read. Those of a subject, and of what heads a list,
// hold for what is below.
func (d *document) namedAround(r *reader, spans []span, heads bool) {
	found, today := around{}, d.today()
	if r.free(spans, nextMonth) {
		found.month, found.monthBy = int(today.AddDate(0, 1, 1-today.Day()).Month()), r.text
	}
	for i, t := range r.toks {
		name := startsUpper(r.text[t.from:]) || !r.word(i, list("may march mar set out ago dec sept jun jul"))
		switch {
		case within(spans, i), t.text == "may" && r.word(i+1, list("i we you he she it they be")): // May I suggest the 12th?
		case t.kind == 'w' && name && r.month(i) > 0:
			if found.monthBy != "" && found.month != r.month(i) {
				found.month = severalMonths
				continue
			}
			found.month, found.monthBy = r.month(i), r.text
		case d.set.Message && t.kind == 'n' && yearly(t) && t.num > today.Year() && t.num <= today.Year()+3 && !r.signed(i-1) && !r.signed(i+1):
			found.year, found.yearBy = t.num, r.text
		}
	}
	if r.free(spans, nextYear) {
		found.year, found.yearBy = today.Year()+1, r.text
	}
	if heads && d.set.Message {
		if found.year > 0 {
			d.overAll.year, d.overAll.yearBy = found.year, found.yearBy
		}
		if found.month > 0 {
			d.overAll.month, d.overAll.monthBy = found.month, found.monthBy
		}
	}
	d.around = found
	if found.year == 0 {
		d.around.year, d.around.yearBy = d.overAll.year, d.overAll.yearBy
	}
	if found.month == 0 {
		d.around.month, d.around.monthBy = d.overAll.month, d.overAll.monthBy
	}
}

// otherwise tells why a day whose year is assumed, or that names no month, may be of another than
// it seems; nil for nothing.
func (a around) otherwise(x day, year yearBy, t time.Time) *fault.Fault {
	said, is := "", ""
	switch {
	case x.month == 0 && a.month > 0 && a.month != int(t.Month()):
		said, is = a.monthBy, "month"
	case (year == byToday || x.month == 0) && a.year > 0 && a.year != t.Year():
		said, is = a.yearBy, "year"
	default:
		return nil
	}
	return fault.Newf("names no %s, and the text speaks of another: %s", is, strconv.Quote(fault.Shorten(said, 60))).Do("write the date in full")
}

// unframed holds the weeks that no event stands below.
func (d *document) unframed() {
	last := len(d.out.Events)
	for _, f := range d.frames {
		if f.used || last > f.at {
			continue
		}
		e := d.begin(f.unit)
		e.What = tidy(f.unit.text)
		if d.set.Message && d.set.Subject != "" {
			e.What = d.set.Subject
		}
		e.Held = fault.New(fault.Shorten(f.unit.text, 80), "names a week, and no day").Do("ask for the day, or write it into the text")
		d.out.Events = append(d.out.Events, e)
	}
}
