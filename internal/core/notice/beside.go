package notice

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// ofEachDay holds a time below several days, each alone in its line, that is said to be of
// each of them, and not of the last alone.
func (d *document) ofEachDay(u unit, groups []group) {
	if phraseIn(u.text, eachDay) == "" && phraseIn(u.text, []string{"each", "all days", "every time", "each time", "chaque fois", "cada vez", "ogni volta", "telkens"}) == "" {
		return
	}
	for i := len(d.out.Events) - 1; i >= 0 && d.out.Events[i].dayOnly(); i-- {
		e := &d.out.Events[i]
		e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one below that is of each day: "+strconv.Quote(fault.Shorten(u.text, 60))).Do("write the time beside each day")
	}
	for n := range groups {
		if on := groups[n].dates; on != nil && on.until == nil && len(on.days) == 1 { // each of one day says that there are more
			groups[n].doubt = cmp.Or(groups[n].doubt, "is of each of the days above it")
		}
	}
}

// timesBelow holds the days of a list when a line below says their times: Duty times:
// Saturday noon to Monday 8 am.
func (d *document) timesBelow(u unit) {
	if u.level > 0 {
		d.timeAbove, d.placeAbove, d.section = "", "", len(d.out.Events)
	}
	if d.set.Message {
		return
	}
	label := strings.ContainsAny(u.text, ":=") && timeLabel().MatchString(u.text)
	each := phraseIn(u.text, []string{"jeweils", "each", "each time", "chaque fois", "à chaque fois", "cada vez", "ogni volta", "de cada vez", "telkens", "steeds", "all at"}) != "" && SaysTime(u.text)
	each = each || phraseIn(u.text, startOfAll) != "" && SaysTime(u.text) && !SaysDay(u.text)
	if !label && !each {
		return
	}
	for i := d.section; i < len(d.out.Events); i++ {
		if e := &d.out.Events[i]; e.timeless() && phraseIn(e.Text, closedWords) == "" {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one below it: "+strconv.Quote(fault.Shorten(u.text, 60))).Do("write the time beside each day")
		}
	}
}

// startOfAll says when several things begin, wherever their days stand.
var startOfAll = []string{"unless stated", "unless otherwise", "unless noted", "start at", "starts at", "begin at", "begins at", "always at", "beginnen um", "beginnt um", "beginn ist", "sofern nicht", "falls nicht", "commencent à", "commence à", "sauf indication", "empiezan a", "empieza a", "comienzan a", "comienza a", "salvo indicación", "iniziano alle", "inizia alle", "salvo diversa", "começam às", "começa às", "beginnen om", "begint om", "tenzij anders"}

// closedUntil holds what has no end but the day on which something opens again, unless that
// is the next working day.
func (d *document) closedUntil() {
	for i := d.before; i < len(d.out.Events); i++ {
		e := &d.out.Events[i]
		next := e.Start.AddDate(0, 0, 1)
		for next.Weekday() == time.Saturday || next.Weekday() == time.Sunday {
			next = next.AddDate(0, 0, 1)
		}
		if e.End.IsZero() && e.Held == nil && !e.Cancelled && !(e.AllDay && d.opens.Equal(next)) {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "says when it is over only as the day on which something opens again").Do("write its last day, or when it ends")
		}
	}
}

// timeWithoutDay passes over a time of a document that has no day. The days around it may
// be meant by it.
func (d *document) timeWithoutDay(u unit) {
	d.apart, d.timeAbove = true, u.text
	if lead, _, _ := strings.Cut(u.text, ":"); d.untitled() && !u.sentence && strings.ContainsFunc(lead, unicode.IsLetter) && meaningful(tidy(lead)) && !hasTime(lead) { // Harbour council: all meetings at 18:00
		d.headings, d.provisional = []string{tidy(lead)}, true
	}
	for i := d.before; i < len(d.out.Events) && !u.gap; i++ { // "The quiz is on 11 March. Start 7.30 pm."
		if e := &d.out.Events[i]; e.timeless() && (e.prose || e.heading) {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one behind it").Do("write the time beside the day")
		}
	}
	if d.allBare() && !u.sentence && !u.gap && len(strings.Fields(u.text)) < 7 || !u.sentence && !u.gap && restricts(u.text) || phraseIn(u.text, theseDays) != "" {
		for i := d.section; i < len(d.out.Events); i++ { // Phase 1: 9–20 March, and (weekdays only, 7:00–19:00) below it
			if e := &d.out.Events[i]; e.AllDay && e.NoTime && e.Held == nil && !e.Cancelled {
				e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says one below it: "+strconv.Quote(fault.Shorten(u.text, 60))).Do("write the time beside each day")
			}
		}
	}
	d.endApart(u.text)
	d.pass(u, u.text, "a time without a day")
}

// roughEnd is an end that is said only roughly.
var roughEnd = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:approx|ca|about|gegen|vers)(?:[^\p{L}]|$)`)

// theseDays are the days of a list that stands above.
var theseDays = []string{"on these days", "on those days", "these days", "all these days", "on these dates", "an diesen tagen", "an den genannten tagen", "ces jours-là", "ces jours", "estos días", "esos días", "questi giorni", "tali giorni", "nestes dias", "nesses dias", "deze dagen", "die dagen"}

// allBare tells whether several events of the section have no time at all: a line below with
// one is of them all.
func (d *document) allBare() bool {
	list := d.out.Events[min(d.section, len(d.out.Events)):]
	return len(list) > 1 && !slices.ContainsFunc(list, func(e Event) bool { return !e.AllDay || !e.NoTime })
}

// endBelow gives the beginning of a programme its end, where a line below says it: Start 9:00,
// Finish 12:30. It tells whether there is such a beginning.
func (d *document) endBelow(u unit, g group) bool {
	var start *Event
	for i := d.section; i < len(d.out.Events); i++ {
		e := &d.out.Events[i]
		if e.Held != nil || e.Cancelled || e.AllDay || !e.End.IsZero() || e.Start.IsZero() || !startLine().MatchString(e.Text) {
			continue
		}
		if start != nil {
			return false
		}
		start = e
	}
	if start == nil || g.times == nil || len(g.times.list) != 1 || g.times.until != nil || roughEnd().MatchString(u.text) {
		return false
	}
	clock, note := d.minutes(g.times.list[0])
	end := dayOf(start.Start).Add(time.Duration(clock) * time.Minute)
	start.Text += " / " + u.text
	if !end.After(start.Start) {
		start.Held = fault.New(fault.Shorten(start.Text, 80), "ends before it begins").Do("correct the times")
		return true
	}
	start.End = end
	start.note(note)
	start.read("end", u.text)
	return true
}

// endApart holds the only event of a section that begins at a time and has no end, where a line
// of its own says one: End: approx. 20:00.
func (d *document) endApart(text string) {
	label, _, ok := strings.Cut(text, ":")
	if !ok || labelOf(label) != "end" {
		return
	}
	var open []*Event
	for i := d.section; i < len(d.out.Events); i++ {
		if e := &d.out.Events[i]; e.Held == nil && !e.Cancelled && !e.AllDay && e.End.IsZero() && !e.Start.IsZero() {
			open = append(open, e)
		}
	}
	if len(open) == 1 {
		open[0].Held = fault.New(fault.Shorten(open[0].Text, 80), "has no end of its own, and the text says one apart from it: "+strconv.Quote(fault.Shorten(text, 60))).Do("write its end beside its beginning")
	}
}

// restricts tells whether a time without a day is said to be of the days above it.
func restricts(text string) bool {
	return strings.HasPrefix(strings.TrimSpace(text), "(") || phraseIn(text, eachDay) != "" || phraseIn(text, dayByDay) != ""
}

// timeLabel is a line that says the times of days that stand elsewhere.
var timeLabel = pattern.Lazy(`(?i)^\s*(?:\p{L}+ ){0,2}(?:times?|hours|uhrzeit|uhrzeiten|zeiten|zeit|heures?|horaires?|horario|hora|orario|ora|tijd|tijden)\s*:.*\d|^\s*\p{L}{1,4}\s*[=:]\s*\d{1,2}(?:[:.h]\d\d)?\s*[-–]\s*\d{1,2}`)

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
	if above.bare && u.time && !u.day && !u.gap && above.to == above.from+1 && above.to <= len(d.out.Events) { // 7 April Crane test, and 9:00 – 12:00 below it
		d.out.Events = slices.Delete(d.out.Events, above.from, above.to)
		d.above = nil
		one := above.unit
		one.text += " " + u.text
		d.unit(one)
		return
	}
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
