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
}

var (
	nextWeek    = pattern.Lazy(`(?i)(?:^|[^\p{L}])(next week|(?:nächste[rn]?|kommende[rn]?) woche|semaine prochaine|próxima semana|semana (?:próxima|que viene|que vem)|settimana prossima|prossima settimana|(?:volgende|komende) week)(?:$|[^\p{L}])`)
	someWeek    = pattern.Lazy(`(?i)(?:^|[^\p{L}])((?:following|coming) week|week after(?: next)?|(?:folgende[rn]?|übernächste[rn]?) woche|semaine suivante|semana (?:siguiente|seguinte)|settimana (?:seguente|successiva|entrante)|week (?:daarna|erna)|in a fortnight|fortnight|semana santa|settimana santa|semaine sainte|\p{L}{4,}woche)(?:$|[^\p{L}])`)
	presentWeek = pattern.Lazy(`(?i)(?:^|[^\p{L}])(this week|diese[rn]? woche|cette semaine|esta semana|questa settimana|deze week)(?:$|[^\p{L}])`)

	nextMonth = pattern.Lazy(`(?i)(?:^|[^\p{L}])((?:next|following|coming) month|(?:nächste[nrs]?|kommende[nrs]?) monats?|mois prochain|próximo mes|mes (?:próximo|que viene)|mese prossimo|prossimo mese|próximo mês|mês que vem|(?:volgende|komende) maand)(?:$|[^\p{L}])`)
	nextYear  = pattern.Lazy(`(?i)(?:^|[^\p{L}])((?:next|following|coming) year|(?:nächste[nrs]?|kommende[nrs]?) jahr(?:es)?|(?:année|an) prochaine?|próximo año|año (?:próximo|que viene)|anno prossimo|prossimo anno|próximo ano|ano que vem|(?:volgend|komend) jaar)(?:$|[^\p{L}])`)

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

// framed finds the week that a text names apart from its days, and puts the days into it that
// are of the week named last. It gives which of the spans is that week itself, -1 for none, and
// why days may be of it and need not, "" for nothing.
func (d *document) framed(u unit, r *reader, spans []span) (week int, left string) {
	week = -1
	heads := func() bool {
		return strings.HasSuffix(strings.TrimSpace(u.text), ":") || !u.sentence || phraseIn(u.text, listNouns) != "" && listBelow().MatchString(u.text)
	}
	weeks := containsOne(strings.ToLower(u.text), "week woche semaine semana settimana fortnight")
	bare := anyDay(spans, (*day).bare)
	inWeek := bare || d.frame != nil && !d.frame.first.IsZero() && anyDay(spans, func(x *day) bool { return !x.relative && x.month == 0 && x.weekdays != 0 })
	at := slices.IndexFunc(spans, r.ofWeek)
	switch {
	case at >= 0:
		days, f := d.resolve(spans[at].dates)
		if f != nil || len(days) == 0 {
			break
		}
		d.frame = &frame{unit: u, heads: bare || heads()}
		if day := days[0].first.Weekday(); day == time.Monday || day == time.Sunday {
			d.frame.first, d.frame.last = days[0].first, days[0].first.AddDate(0, 0, 6)
		}
		if d.frame.heads {
			d.frames = append(d.frames, d.frame)
			d.pass(u, u.text, "a week, and not a day of it")
			week = at
		}
	case len(spans) == 1 && spans[0].kind == 'd' && spans[0].dates.until != nil && !spans[0].dates.days[0].relative && heads() && phraseIn(u.text, listNouns) != "": // Berth plan 9–15 March
		if days, f := d.resolve(spans[0].dates); f == nil && len(days) == 1 && !days[0].last.After(days[0].first.AddDate(0, 0, 6)) {
			if d.frame = (&frame{unit: u, heads: true, first: days[0].first, last: days[0].last}); d.set.Message && strings.HasSuffix(strings.TrimSpace(u.text), ":") {
				d.frames = append(d.frames, d.frame)
				d.pass(u, u.text, daysBelow)
				week = 0
			}
		}
		return week, ""
	case !weeks:
	case r.free(spans, nextWeek) && soThen().MatchString(u.text): // next week I am away, so it must be on Friday
	case r.free(spans, nextWeek):
		if bare {
			left = "names the next week, and a day of the week apart from it"
		}
		if d.frame = (&frame{unit: u, next: true, heads: len(spans) == 0 && heads()}); d.frame.heads {
			d.frames = append(d.frames, d.frame)
		}
		return week, left
	case r.free(spans, someWeek) || r.namedWeek(spans):
		if bare {
			left = "names a week, and a day of the week apart from it"
		}
		d.frame = &frame{unit: u}
		return week, left
	case r.free(spans, presentWeek):
		d.frame = nil
	}
	if f := d.frame; f != nil && inWeek {
		if f.used = true; !f.heads || !f.next && f.first.IsZero() || u.sentence && f.unit.line != u.line {
			return week, "names a day of the week, and the text speaks of another week: " + strconv.Quote(fault.Shorten(f.unit.text, 60))
		}
		outside := false
		daysOf(spans, func(x *day) {
			switch {
			case !f.first.IsZero() && !x.relative && x.month == 0 && x.weekdays != 0 && bits.OnesCount8(x.weekdays) == 1: // Wednesday 11
				if on := weekdayFrom(f.first, x.weekdays); on.Day() == x.day {
					x.year, x.month = on.Year(), int(on.Month())
				}
			case !x.bare():
			case f.next:
				x.after = -1
			case bits.OnesCount8(x.weekdays) == 1 && weekdayFrom(f.first, x.weekdays).After(f.last):
				outside = true
			default:
				x.week = f.first
			}
		})
		if outside {
			return week, "names a day of the week that is none of the days above it"
		}
	}
	return week, ""
}

// staysOpen is what is as it always is on a day, among those on which it is closed.
var staysOpen = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:(?:stays?|remains?|is|will be|will stay|will remain) open(?: as (?:usual|normal))?|bleib\p{L}*(?: \p{L}+)? (?:offen|geöffnet|frei)|rest(?:e|ent|era|eront) (?:ouvert|libre)\p{L}*|permanece(?:rá)? abiert[oa]|(?:rimane|resta)(?:no)? apert[oaie]|(?:permanece|mantém-se) abert[oa]|blijft(?: \p{L}+)? open)(?:$|[^\p{L}])`)

// open holds what is said to be closed on a day of which another sentence says that it is open.
// It tells whether that is all that the sentence says.
func (d *document) open(u unit, r *reader, spans []span) bool {
	if !u.sentence || len(d.out.Events) == 0 || !saysDays(spans) || hasKind(spans, 't') || !staysOpen().MatchString(u.text) || phraseIn(u.text, closedWords) != "" {
		return false
	}
	held := false
	for _, s := range spans {
		if s.kind != 'd' || s.dates.until != nil {
			return false
		}
		days, f := d.resolve(s.dates)
		for i := range d.out.Events {
			e := &d.out.Events[i]
			for n := 0; f == nil && n < len(days); n++ {
				if on := days[n].first; e.Held == nil && !e.Cancelled && !e.Start.IsZero() && !e.Start.After(on.AddDate(0, 0, 1)) && (e.Start.Truncate(24*time.Hour).Equal(on) || !e.End.Before(on)) {
					e.Held = fault.New(fault.Shorten(e.Text, 80), "the text says of a day of it that something is open: "+strconv.Quote(fault.Shorten(u.text, 60))).Do("write each day into a line of its own")
					held = true
				}
			}
		}
	}
	if held {
		d.pass(u, u.text, "when something stays open, which is no event")
	}
	return held
}

// namedWeek tells whether a text names a week by what it is of: Easter week.
func (r *reader) namedWeek(spans []span) bool {
	for i, t := range r.toks {
		if t.text == "week" && r.is(i-1, 'w') && !within(spans, i) && !r.word(i-1, dayLinks) && !r.word(i-1, list("this next last each every a an per all whole working same one other any mid in my our your current previous whole full entire that second third")) && r.weekday(i-1) == 0 {
			return true
		}
	}
	return false
}

// apartFrom tells why the days of a text may be of another month or year than it seems: one is
// named apart from them. "" for nothing.
func (d *document) apartFrom(r *reader, spans []span) string {
	alone := anyDay(spans, func(x *day) bool { return !x.relative && x.month == 0 && x.day > 0 && x.nth == 0 })
	yearless := anyDay(spans, func(x *day) bool { return !x.relative && x.year == 0 && x.day > 0 && x.nth == 0 })
	if alone && r.free(spans, nextMonth) {
		return "names a day, and its month apart from it"
	}
	for i, t := range r.toks {
		name := startsUpper(r.text[t.from:]) || !r.word(i, list("may march mar set out ago dec sept jun jul"))
		if alone && t.kind == 'w' && name && r.month(i) > 0 && !within(spans, i) {
			return "names a day, and its month apart from it"
		}
		if yearless && d.set.Message && t.kind == 'n' && yearly(t) && t.num > d.today().Year() && t.num <= d.today().Year()+3 && !within(spans, i) {
			return "names a day, and its year apart from it"
		}
	}
	if yearless && r.free(spans, nextYear) {
		return "names a day, and its year apart from it"
	}
	return ""
}

// unframed holds the weeks that head no list.
func (d *document) unframed() {
	for _, f := range d.frames {
		if f.used {
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
