package notice

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
)

// lasting gives events without an end the length that a sentence says: each of them, or
// those of the line before.
func (d *document) lasting(minutes int, each bool) {
	from := d.before
	if each {
		from = 0
	}
	for i := from; i < len(d.out.Events); i++ {
		e := &d.out.Events[i]
		if !e.End.IsZero() || e.Start.IsZero() || e.AllDay || e.Cancelled {
			continue
		}
		if minutes%1440 == 0 {
			if e.Held == nil {
				e.Held = fault.New(fault.Shorten(e.Text, 80), "begins at a time and lasts "+lengthText(minutes)+": when it ends is not said").Do("give its end")
			}
			continue
		}
		e.End = e.Start.Add(time.Duration(minutes) * time.Minute)
		e.note("lasts " + lengthText(minutes) + ", as the text says apart")
	}
}

// dayOnly tells whether an event is a day, or several, and nothing says its time or that
// it is the whole day.
func (e *Event) dayOnly() bool {
	return e.NoTime && !e.NoDate && e.AllDay && e.Held == nil && !e.Cancelled
}

// timesOfDays gives a day without a time, in a message, the time that a later sentence
// says: "It is on Thursday. We begin at 10." Several times may each be something else.
func (d *document) timesOfDays() {
	events := d.out.Events
	days, said := 0, ""
	for _, e := range events {
		if e.dayOnly() {
			days++
		} else if e.NoDate && !e.NoTime && !e.Cancelled {
			said = cmp.Or(said, e.Text)
		}
	}
	for i := range events { // of which of them, or of all?
		if e := &events[i]; days > 1 && said != "" && e.dayOnly() {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text may say one: "+strconv.Quote(fault.Shorten(said, 60))).Do("write the time beside each day")
		}
	}
	for i := 0; i < len(events); i++ {
		day := events[i]
		if !day.NoTime || day.NoDate || day.Held != nil || day.Cancelled || !day.AllDay || !day.End.IsZero() {
			continue
		}
		n := i + 1
		for n < len(events) && events[n].NoDate && !events[n].NoTime && !events[n].Cancelled {
			n++
		}
		switch n - i - 1 {
		case 0:
			continue
		case 1:
			e := &events[i+1]
			if d.timeElse != "" && e.Held == nil {
				e.Held = fault.New(fault.Shorten(e.Text, 80), "may be at another time: the text says "+strconv.Quote(fault.Shorten(d.timeElse, 60))).Do("write the time beside the day")
			}
			e.OnDay(day.Start)
			e.NoDate = false
			e.note("the day is that said before")
			if e.Where == "" {
				e.Where = day.Where
			}
			e.Reading = append(slices.Clone(day.Reading), e.Reading...)
			e.Text = day.Text + " " + e.Text
			events = slices.Delete(events, i, i+1)
		default:
			for k := i; k < n; k++ {
				if e := &events[k]; e.Held == nil {
					if e.NoDate {
						e.OnDay(day.Start)
						e.NoDate = false
					}
					e.Held = fault.New(fault.Shorten(e.Text, 80), "names several times for one day").Do("write each into a line of its own, with its day")
				}
			}
		}
	}
	d.out.Events = events
}

// timesElsewhere holds a day without a time, in a message, that says one which was not
// read, or which it says of what is not to be: everything else stays as it was (9:00).
func (d *document) timesElsewhere() {
	for i := range d.out.Events {
		if e := &d.out.Events[i]; d.timeElse != "" && e.NoTime && e.AllDay && e.End.IsZero() && !e.NoDate && e.Held == nil && !e.Cancelled {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text may say one: "+strconv.Quote(fault.Shorten(d.timeElse, 60))).Do("write the time beside the day")
		}
	}
}

// listNouns name what is a list of events, and no event.
var listNouns = []string{"plan", "plans", "berth plan", "programme", "program", "schedule", "schedules", "timetable", "calendar", "rota", "roster", "list", "events", "dates", "courses", "overview", "agenda", "arrivals", "departures", "bookings", "movements", "week", "month", "kalender", "terminplan", "termine", "übersicht", "wochenplan", "dienstplan", "belegungsplan", "calendrier", "horaire", "horaires", "planning", "calendario", "programma", "programa", "orario", "horario", "horário", "kalenderwoche", "rooster", "planning"}

// daysBelow is why the days of a heading are passed over.
const daysBelow = "the days of what stands below it"

// overLists takes the days of a heading that only say which days those of the list below it
// are of. Where it may be an event of its own it is held.
func (d *document) overLists() {
	events := d.out.Events
	for i := 0; i < len(events); i++ {
		e := &events[i]
		if !e.heading || !e.AllDay || e.End.IsZero() || e.Held != nil || e.Cancelled {
			continue
		}
		n, outside := 0, false
		for _, o := range events[i+1:] {
			if o.heading {
				break
			}
			if n++; !o.Start.IsZero() {
				outside = outside || o.Start.Before(e.Start) || !o.Start.Before(e.End.AddDate(0, 0, 1))
			}
		}
		switch {
		case n == 0 || outside:
		case phraseIn(e.Text, listNouns) != "":
			d.out.Passed = append(d.out.Passed, Passed{e.Text, daysBelow, e.Page, e.Line})
			events = slices.Delete(events, i, i+1)
			i--
		default:
			e.Held = fault.New(fault.Shorten(e.Text, 80), "may be an event of its own, or only the heading of what stands below it").Do("write it into a line of its own, or leave its days out")
		}
	}
	d.out.Events = events
}

// bygone passes over days without a time that sentences name and that are past, where other
// days of the text are to come: they are those of letters, of last year, of what was agreed.
func (d *document) bygone() {
	today := d.today()
	ahead := map[string]bool{} // texts that name a day to come
	for _, e := range d.out.Events {
		if !e.Start.IsZero() && !e.Start.Before(today) || !e.End.Before(today) {
			ahead[e.Text] = true
		}
	}
	if len(ahead) == 0 {
		return
	}
	d.out.Events = slices.DeleteFunc(d.out.Events, func(e Event) bool {
		if !e.prose || !e.AllDay || !e.NoTime || e.Cancelled || ahead[e.Text] || e.Start.IsZero() || !e.Start.Before(today) || !e.End.IsZero() && !e.End.Before(today) {
			return false
		}
		d.out.Passed = append(d.out.Passed, Passed{e.Text, "it is past, and other days of the text are to come", e.Page, e.Line})
		return true
	})
}

// otherYears says of events whose year is assumed that it is, and holds those of which
// something else in the text speaks for another year.
func (d *document) otherYears() {
	for i := range d.out.Events {
		e := &d.out.Events[i]
		if e.year != byToday || e.Held != nil || e.Start.IsZero() {
			continue
		}
		if other, year := d.otherYear(e.Start); other != "" {
			e.Held = fault.New(fault.Shorten(e.Text, 80), fmt.Sprintf("has no year: today's would make it %d, and %s", e.Start.Year(), other)).Do("write the year, set assume: { year: %d }, or give --year %d", year, year)
		} else if !slices.ContainsFunc(e.Notes, func(n string) bool { return strings.HasPrefix(n, noYear) }) {
			e.note("year assumed")
		}
	}
}

// otherYear tells what speaks against the year that was assumed for a day, and for which; ""
// for nothing.
func (d *document) otherYear(of time.Time) (said string, year int) {
	found := func(text string, y int) {
		if said == "" {
			said, year = text, y
		}
	}
	const half, history = 183 * 24 * time.Hour, 3 * 365 * 24 * time.Hour
	for _, e := range d.out.Events {
		switch apart := e.Start.Sub(of).Abs(); {
		case e.year != bySaying && e.year != byWeekday || e.Start.IsZero() || apart > history:
		case apart < half:
			return "", 0
		default:
			found(fmt.Sprintf("other dates of the text are of %d", e.Start.Year()), e.Start.Year())
		}
	}
	for _, p := range d.out.Passed {
		if p.Why != madeOn || phraseIn(p.Text, writtenWords) == "" {
			continue
		}
		r := &reader{text: p.Text, toks: scan(p.Text)}
		for i := range r.toks {
			if on, end := r.numeric(i); end > 0 && on.year > 0 && exists(on.year, on.month, on.day) {
				if y := nearYear(midnight(on.year, on.month, on.day), int(of.Month()), of.Day()); y != of.Year() {
					found(fmt.Sprintf("the text is of %s", show(midnight(on.year, on.month, on.day))), y)
				}
			}
		}
	}
	switch y := d.set.Named; {
	case y == moment.Season:
		found("the name of its file says two", of.Year())
	case y > of.Year()-10 && y <= of.Year()+2 && y != of.Year():
		found(fmt.Sprintf("the name of its file says %d", y), y)
	}
	return said, year
}

// suitsToo is of several times that would do: Tuesday works, Thursday too; I am free on Tuesday
// and Thursday, and not: I am available for questions.
var suitsToo = pattern.Lazy(`(?i)\b(?:works|suits|fits|is (?:fine|good|ok|okay|possible))\b.*\btoo\b|` +
	`\bboth (?:would )?(?:work|suit|do|(?:(?:are|be) )?(?:fine|good|ok|okay|possible))(?:[.!,;?]|$|\s+(?:for|well|fine|equally|with|me|us))|` +
	`\b(?:i am|i['’]m|we are|we['’]re|je suis|nous sommes|estoy|estamos|sono|siamo|estou|estamos) (?:free|available|libres?|disponibles?|liber[oai]|disponibil[ei]|livres?|disponível|disponíveis)(?:[.!,;]|$|\s+(?:on|at|from|between|both|this|next|mon|tue|wed|thu|fri|sat|sun|le|lundi|mardi|mercredi|jeudi|vendredi|samedi|dimanche|el|los|lunes|martes|miércoles|jueves|viernes|il|lunedì|martedì|mercoledì|giovedì|venerdì|na|no|\d))`)

// choices holds the days of a message that asks which of them it is to be.
func (d *document) choices(lines []Line) {
	if len(d.out.Events) < 2 || !slices.ContainsFunc(lines, func(l Line) bool { return phraseIn(l.Text, choiceWords) != "" || suitsToo().MatchString(l.Text) }) {
		return
	}
	for i := range d.out.Events {
		if e := &d.out.Events[i]; e.Held == nil && !e.Cancelled {
			e.Held = fault.New(fault.Shorten(e.Text, 80), oneOfSeveral).Do("say which one it is")
		}
	}
}

// severalSentences holds what several sentences of a message say under the one title of
// its subject: a later one may be about something else, as the lunch before it. The
// first stands where it says its day and its time.
func (d *document) severalSentences() {
	var of []*Event
	for i := range d.out.Events {
		if e := &d.out.Events[i]; e.prose && e.What == d.set.Subject && !e.Cancelled && (e.Held == nil && !e.Start.IsZero() || len(of) == 0 && e.Held != nil && (strings.Contains(e.Held.Reason(), atEarliest) || !e.NoTime)) {
			of = append(of, e)
		}
	}
	other := func(e *Event) bool { return e.Text != of[0].Text && !same(e, of[0]) }
	if len(of) < 2 || !slices.ContainsFunc(of, other) {
		return
	}
	for _, e := range of {
		if e.Held != nil {
			continue
		}
		if other(e) && phraseIn(e.Text, besides) == "" || !other(e) && (of[0].NoDate || of[0].AllDay) {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "is one of several times that sentences of the message say: whether it is of what the message is about cannot be told").Do("write each event into a line of its own, with its title")
		}
	}
}
