package notice

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// begin begins an event of a unit.
func (d *document) begin(u unit) Event {
	e := Event{Text: u.text, Page: u.page, Line: u.line, Heading: d.heading(), prose: u.sentence && !u.item, heading: u.level > 0 || len(d.out.Events) == 0 && !d.set.Message && !u.sentence && !u.item && (u.line <= 2 || u.line <= 5 && listLed(u.text))}
	if u.struck || cancels(u.text) {
		e.Cancelled = true
		e.Reading = append(e.Reading, Part{u.text, "status", "cancelled"})
	}
	return e
}

// listLed tells whether one of the first words of a text names a list: berth
// programme, week 11.
func listLed(text string) bool {
	words := strings.Fields(text)
	return phraseIn(strings.Join(words[:min(len(words), 3)], " "), listNouns) != ""
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
	r.daily(u, groups)
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
	behindDates(groups)
	apart := !d.set.Message && u.sentence && groups[0].dates == nil && groups[0].times != nil && slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil && g.times != nil })
	for n := range groups {
		g := &groups[n]
		switch {
		case g.doubt != "":
		case !d.set.Message && r.mixedWords(groups): // course 7 April and 14 April, exam 21 April
			g.doubt = "says of some of its days what is on, and not of which"
		case apart: // Beginn 10 Uhr, Ende 12 Uhr: Übung am 7. April
			g.doubt = severalTimes
		case g.daily: // 8:00 to 12:00 and 13:00 to 17:00 each day
		case g.inherits && !r.ownWords(groups, n), g.inherits && u.sentence && (d.set.Message || r.andJoined(groups, n)), n+1 < len(groups) && groups[n+1].inherits && groups[n+1].dates == g.dates && (!r.ownWords(groups, n+1) || u.sentence && (d.set.Message || r.andJoined(groups, n+1))):
			g.doubt = severalTimes
		case n+1 < len(groups) && r.cutRange(groups[n], groups[n+1]), n > 0 && r.cutRange(groups[n-1], groups[n]):
			g.doubt = "may be one end of a range of which the other is not understood"
		case n+1 < len(groups) && r.slashBetween(groups[n], groups[n+1]), n > 0 && r.slashBetween(groups[n-1], groups[n]):
			g.doubt = "has two times with a stroke between: from the first to the second, or each by itself?"
		case n+1 < len(groups) && r.sideBySide(groups[n], groups[n+1]), n > 0 && r.sideBySide(groups[n-1], groups[n]):
			g.doubt = "has two days side by side: from the first to the second, or each by itself?"
		case n+1 < len(groups) && r.timesSideBySide(groups[n], groups[n+1]), n > 0 && r.timesSideBySide(groups[n-1], groups[n]):
			g.doubt = "has two times side by side: from the first to the second, or each by itself?"
		case len(groups) == 2 && (r.returns(groups) || groups[0].times == nil && groups[1].times == nil && r.stay(groups[0], groups[1])):
			g.doubt = "may last from the first of its days to the second, or be on each"
		case r.either(groups):
			g.doubt = oneOfSeveral
		case g.times == nil && !g.allDay && r.partOnly(g):
			g.doubt = "says only a part of the day"
		case phraseIn(u.text, ifNeeded) != "" && n == len(groups)-1:
			g.doubt = "is only there if it is needed"
		case g.times == nil && !g.allDay && (timed > 0 || r.timeGone):
			g.doubt = "has no time of its own, and the text says one for another day"
		}
	}
	d.sameTitle(u, groups, parts)
	for n := range groups { // what is not certain of one time of a day is not of the others
		if g := groups[n]; g.doubt == severalTimes && g.dates != nil {
			for m := range groups {
				if o := groups[m].dates; o != nil && o.days[0] == g.dates.days[0] {
					groups[m].doubt = cmp.Or(groups[m].doubt, severalTimes)
				}
			}
		}
	}
	for n := range groups {
		g := &groups[n]
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

// sameTitle doubts a further time of a day that lies in the one before, where its words make no
// title of their own: 14:00–19:00 (last entry 18:30).
func (d *document) sameTitle(u unit, groups []group, parts []string) {
	title := func(n int) string {
		e := d.begin(u)
		d.fields(&e, u, parts[n])
		return e.What
	}
	for n := 1; n < len(groups); n++ {
		g, before := &groups[n], groups[n-1].times
		if !g.inherits || g.doubt != "" || g.daily || g.times == nil || g.times.until != nil || before == nil || before.until == nil {
			continue
		}
		from, to, _ := d.between(before.list[0], *before.until)
		if at, _ := d.minutes(g.times.list[0]); at > from && at < to && title(n) == title(n-1) {
			g.doubt = severalTimes
		}
	}
}

// behindDates gives days that say no month the one of the date before them: from 7 April, and
// on the 8th. A day of the week alone may be counted from that date, or from today.
func behindDates(groups []group) {
	var named *day
	for n := range groups {
		g := &groups[n]
		if g.dates == nil {
			continue
		}
		if g.minutes >= 1440 && len(g.dates.days) > 1 {
			g.doubt = cmp.Or(g.doubt, "says several days, and how many days it lasts")
		}
		before := func(x, y day) bool { return !x.relative && (x.month < y.month || x.month == y.month && x.day < y.day) } // papers are due until then
		if g.dates.ends && n > 0 && !(named != nil && before(g.dates.days[0], *named)) && (groups[n-1].times == nil && groups[n-1].dates != nil && groups[n-1].dates.until == nil || groups[n-1].times != nil && groups[n-1].times.until == nil) {
			groups[n-1].doubt = cmp.Or(groups[n-1].doubt, "says its end apart from it")
		}
		for i := range g.dates.days {
			x := &g.dates.days[i]
			switch {
			case !x.relative && x.month > 0:
				named = x
			case named == nil || g.inherits:
			case x.relative && x.weekdays != 0 && !x.next && x.after == 0 && x.nth == 0:
				g.doubt = cmp.Or(g.doubt, "names a day of the week behind a date: it may be the one after that")
			case !x.relative && x.nth == 0 && x.day >= named.day:
				x.month, x.year = named.month, named.year
			case !x.relative && x.nth == 0 && x.day > 0:
				g.doubt = cmp.Or(g.doubt, "names a day and not its month, behind one of a certain month")
			}
		}
	}
}

// severalTimes is said of times of one day that are not told apart by words of their own.
const severalTimes = "names several times for one day"

// maxDaily is how many days a range has at most that is taken for one event a day: what
// goes on for longer has days off.
const maxDaily = 31

// daily finds the ranges of days whose times a text says to be those of each: 9–11 March,
// 8:00–12:00 daily. Two times of one range are both of each day.
func (r *reader) daily(u unit, groups []group) {
	if len(groups) == 0 || phraseIn(u.text, eachDay) == "" || phraseIn(u.text, notEach) != "" || phraseIn(r.text[r.tok(groups[0].from).from:], []string{"closed"}) != "" {
		return
	}
	for _, said := range groups {
		if said.dates == nil || said.dates.until == nil || len(said.dates.days) != 1 || !slices.ContainsFunc(said.spans, func(s [2]int) bool {
			return endsWith(leadsToTime().ReplaceAllString(r.before(s[0]), ""), eachDay) || phraseAt(strings.TrimLeft(r.text[r.tok(s[1]-1).to:], " ,.)"), eachDay)
		}) {
			continue
		}
		for n := range groups {
			if groups[n].dates == said.dates {
				groups[n].daily, groups[n].others = true, nil
				for _, o := range groups {
					if o.dates == said.dates {
						groups[n].others = append(groups[n].others, o.spans...)
					}
				}
			}
		}
	}
}

// leadsToTime is what stands between the words for each day and the times: daily between 8:00
// and 17:00.
var leadsToTime = pattern.Lazy(`(?i)[\s,:(]+(?:(?:from|between|at|in the hours|during the hours(?: of)?|von|zwischen|um|de|entre|dalle(?: ore)?|tra le|das|van|tussen|om)[\s,:(]*)?$`)

// single gives the days of a range one by one.
func single(days []resolved) (out []resolved) {
	for _, day := range days {
		for at := day.first; !at.After(day.last); at = at.AddDate(0, 0, 1) {
			one := day
			one.first, one.last = at, at
			if out = append(out, one); len(out) > maxDaily {
				return days
			}
		}
	}
	return out
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
	if g.dates != nil && g.dates.until != nil && changes().MatchString(r.before(g.from)) && phraseIn(u.text, movedWords) == "" && (r.word(g.from, fromWords) || r.word(g.from-1, fromWords)) && g.doubt == "" { // change my booking from 12 March to 13 March
		g.doubt = "is moved to the second of its days, or lasts until then"
	}
	if g.dates != nil && g.dates.until != nil && len(g.dates.days) == 1 && phraseIn(u.text, movedWords) != "" && (r.word(g.from, fromWords) || r.tok(g.from-1).text == "del" || r.tok(g.from).text == "del") {
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
	if why == nil && g.daily && g.times != nil && g.times.until != nil && !g.apart && len(g.times.list) == 1 {
		if start, end, _ := d.between(g.times.list[0], *g.times.until); start < end && end <= 24*60 { // a night has two days
			days = single(days)
		}
	}
	for _, day := range days {
		e := base
		e.Reading = slices.Clone(base.Reading)
		e.NoDate, e.NoTime = g.dates == nil, g.times == nil && !g.allDay
		f := d.setTimes(&e, day, g)
		if f == nil || why != nil && g.times != nil && g.times.window {
			f = why
		}
		if d.yearless(g.dates) || day.year == bySaying {
			e.year = day.year
		}
		if f == nil && d.yearless(g.dates) && cmpLast([]resolved{day}).Before(d.today()) {
			e.note(noYear + strconv.Itoa(day.first.Year()) + " assumed, which is past")
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

// yearless tells whether no year is said of some days, there or in a heading.
func (d *document) yearless(ds *dates) bool {
	return ds != nil && d.year == 0 && d.set.Year == 0 && (ds.until == nil || ds.until.year == 0) &&
		!slices.ContainsFunc(ds.days, func(x day) bool { return x.year > 0 || x.relative })
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
	case e.timeless() && !g.allDay && (!e.prose || startsWithDate(e.Text) || g.dates != nil && len(g.dates.days) > 1) && phraseIn(e.Text, closedWords) == "":
		e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one above it: "+strconv.Quote(fault.Shorten(d.timeAbove, 60))).Do("write the time beside each day")
	}
	d.out.Events = append(d.out.Events, e)
}
