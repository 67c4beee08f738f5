// Package notice finds events in running text: in notices, letters and messages,
// in lists, blocks of labels and sentences. What it does not understand for
// certain it holds with the reason; dates that are none of an event it passes over
// and says why.
package notice

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"almanach/internal/core/fault"
)

// Line is one line of a text, or one item, paragraph or record of a document that
// has such.
type Line struct {
	Text   string
	Page   int // from 1; 0 where there are no pages
	Number int // from 1
	Level  int // of a heading, from 1; 0 for what is none
	Item   bool
	Whole  bool   // a paragraph of its own: the next line does not go on with it
	Struck bool   // crossed out
	Gone   string // of it that is crossed out, and is not in Text
	Fields []Field
}

// Field is a value with its label: "Where: berth 3", or a cell under its heading.
type Field struct{ Label, Value string }

// Settings are what a text does not say by itself. In the zero Settings nothing
// is stated: "tomorrow" cannot be told.
type Settings struct {
	Stated  time.Time   // the day from which "tomorrow" counts, in its writer's offset; zero for none
	Present time.Time   // today
	Year    int         // of dates without one, where the text does not say it; 0 for the nearest to Stated or Present
	Order   int         // of day and month in 05/03: 1 day first, 2 month first, 0 unknown
	Message bool        // a person wrote it to another: hours from 1 to 6 are the afternoon's
	Next    string      // what "next Friday" said on a Tuesday means: coming, following, "" for: to be asked
	Stop    func() bool // asked now and then; true ends the reading. Nil never does
	Subject string      // what the text is about, where an event has no title of its own
}

// Part is what some of the words of a text became.
type Part struct {
	Text  string `json:"text"`
	Field string `json:"field"` // date, time, end, length, title, location, attendees, status
	Value string `json:"value"`
}

// Event is one event found. Its times are wall-clock times.
type Event struct {
	Start, End time.Time // in UTC, which stands for no zone; End is zero where the text does not say it, for whole days the last of them
	AllDay     bool
	Zone       string // as the text says it; "" where it does not, local for that of the place
	What       string
	Where      string
	Who        []string
	Heading    string
	Text       string // as it stands
	Page, Line int
	Cancelled  bool
	Held       *fault.Fault // why it is not to be loaded as it is; nil for nothing
	Reading    []Part
	Notes      []string

	NoDate bool // only a time was found: its date is that of something said before
	NoTime bool // a day that a time may still be said for

	prose   bool // a sentence says it, and no line of a list
	heading bool // a heading says it
}

// Passed is a date of the text that is none of an event.
type Passed struct {
	Text       string
	Why        string
	Page, Line int
}

// When writes an event's time as a cell has it: 2026-03-05 14:30 – 2026-03-05
// 16:00, or its days.
func (e *Event) When() string {
	if e.Start.IsZero() {
		return ""
	}
	layout := "2006-01-02 15:04"
	if e.NoDate {
		layout = "15:04"
	}
	if e.AllDay {
		layout = time.DateOnly
	}
	text := e.Start.Format(layout)
	if !e.End.IsZero() && !(e.AllDay && e.End.Equal(e.Start)) {
		text += " – " + e.End.Format(layout)
	}
	return text
}

// Found is what a text holds.
type Found struct {
	Events  []Event
	Passed  []Passed
	Minutes int // how long something lasts, said apart from it; 0 where that is not said, or several times

	Objections []string    // what says, in a message, that something does not suit
	Against    []time.Time // the days that it says are not to be
}

// Lasting gives the only event of a message the length that is said in another
// sentence.
func (f *Found) Lasting() {
	if f.Minutes == 0 {
		return
	}
	open := func(e *Event) bool { return e.End.IsZero() && !e.Start.IsZero() && e.Held == nil && !e.Cancelled }
	if len(f.Events) != 1 {
		for i := range f.Events {
			if e := &f.Events[i]; open(e) {
				e.Held = fault.New(fault.Shorten(e.Text, 80), fmt.Sprintf("has no end of its own, and the text says a length (%s) without saying of what", lengthText(f.Minutes))).Do("give its end")
			}
		}
		return
	}
	e := &f.Events[0]
	whole := f.Minutes%1440 == 0
	switch {
	case !open(e):
	case e.AllDay && whole:
		if f.Minutes > 1440 {
			e.End = e.Start.AddDate(0, 0, f.Minutes/1440-1)
		}
		e.note("lasts " + lengthText(f.Minutes) + ", as the text says apart")
	case e.AllDay:
		e.Held = fault.New(fault.Shorten(e.Text, 80), "says how long it lasts and not when it begins").Do("say when it begins")
	case whole:
		e.Held = fault.New(fault.Shorten(e.Text, 80), "begins at a time and lasts "+lengthText(f.Minutes)+": when it ends is not said").Do("give its end")
	default:
		e.End = e.Start.Add(time.Duration(f.Minutes) * time.Minute)
		e.note("lasts " + lengthText(f.Minutes) + ", as the text says apart")
	}
}

func lengthText(minutes int) string {
	switch {
	case minutes == 1440:
		return "1 day"
	case minutes%1440 == 0:
		return strconv.Itoa(minutes/1440) + " days"
	}
	return strconv.Itoa(minutes) + " minutes"
}

// Read finds the events of a text.
func Read(lines []Line, set Settings) Found {
	d := &document{set: set}
	d.learn(lines)
	for _, l := range lines {
		if r := (&reader{text: l.Gone, toks: scan(l.Gone)}); l.Gone != "" && (r.hasDate() || hasTime(l.Gone)) {
			d.pass(unit{page: l.Page, line: l.Number}, l.Gone, "it is crossed out, and something else stands beside it")
		}
	}
	for _, u := range unitsOf(lines) {
		if set.Stop != nil && set.Stop() {
			break
		}
		for _, piece := range u.pieces() {
			d.unit(piece)
		}
	}
	d.endDay()
	for _, u := range d.weeks {
		if e := d.begin(u); len(d.out.Events) == 0 || u.sentence { // beside days it is only their heading
			e.What = tidy(u.text)
			e.Held = fault.New(fault.Shorten(u.text, 80), "names a week, and no day").Do("ask for the day, or write it into the text")
			d.out.Events = append(d.out.Events, e)
		}
	}
	d.overLists()
	if set.Message {
		d.timesOfDays()
		d.choices(lines)
		d.severalSentences()
	} else if len(d.out.Events) == 1 && d.apart {
		if e := &d.out.Events[0]; e.AllDay && e.NoTime && e.Held == nil && !e.Cancelled {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and the text says times apart from it").Do("write the times beside the day")
		}
	}
	switch len(d.lengths) {
	case 0:
	case 1:
		d.out.Minutes = d.lengths[0]
	default:
		for i := range d.out.Events {
			if e := &d.out.Events[i]; set.Message && e.End.IsZero() && !e.Start.IsZero() && !e.AllDay && e.Held == nil && !e.Cancelled {
				e.Held = fault.New(fault.Shorten(e.Text, 80), "has no end of its own, and the text says several lengths").Do("give its end")
			}
		}
	}
	if set.Message {
		d.out.Lasting()
	}
	if d.rough != "" {
		for i := range d.out.Events {
			if e := &d.out.Events[i]; e.End.IsZero() && !e.Start.IsZero() && !e.AllDay && e.Held == nil && !e.Cancelled && (set.Message || len(d.out.Events) == 1) {
				e.Held = fault.New(fault.Shorten(e.Text, 80), "has no end of its own, and the text says how long only roughly: "+strconv.Quote(fault.Shorten(d.rough, 60))).Do("give its end")
			}
		}
	}
	return d.out
}

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

// timesOfDays gives a day without a time, in a message, the time that a later sentence
// says: "It is on Thursday. We begin at 10." Several times may each be something else.
func (d *document) timesOfDays() {
	events := d.out.Events
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

// listNouns name what is a list of events, and no event.
var listNouns = []string{"plan", "plans", "berth plan", "programme", "program", "schedule", "schedules", "timetable", "calendar", "rota", "roster", "list", "events", "dates", "courses", "overview", "agenda", "arrivals", "departures", "bookings", "movements", "week", "month", "kalender", "terminplan", "termine", "übersicht", "wochenplan", "dienstplan", "belegungsplan", "calendrier", "horaire", "horaires", "planning", "calendario", "programma", "programa", "orario", "horario", "horário", "kalenderwoche", "rooster", "planning"}

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
			d.out.Passed = append(d.out.Passed, Passed{e.Text, "the days of what stands below it", e.Page, e.Line})
			events = slices.Delete(events, i, i+1)
			i--
		default:
			e.Held = fault.New(fault.Shorten(e.Text, 80), "may be an event of its own, or only the heading of what stands below it").Do("write it into a line of its own, or leave its days out")
		}
	}
	d.out.Events = events
}

// choices holds the days of a message that asks which of them it is to be.
func (d *document) choices(lines []Line) {
	if len(d.out.Events) < 2 || !slices.ContainsFunc(lines, func(l Line) bool { return phraseIn(l.Text, choiceWords) != "" }) {
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
		if e := &d.out.Events[i]; e.prose && e.What == d.set.Subject && e.Held == nil && !e.Cancelled && !e.Start.IsZero() {
			of = append(of, e)
		}
	}
	other := func(e *Event) bool { return e.Text != of[0].Text && !same(e, of[0]) }
	if len(of) < 2 || !slices.ContainsFunc(of, other) {
		return
	}
	for _, e := range of {
		if other(e) && phraseIn(e.Text, besides) == "" || !other(e) && (of[0].NoDate || of[0].AllDay) {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "is one of several times that sentences of the message say: whether it is of what the message is about cannot be told").Do("write each event into a line of its own, with its title")
		}
	}
}

// document is a text under way: what its headings say holds for what stands
// below them.
type document struct {
	set   Settings
	out   Found
	year  int         // of the title or a heading; 0 for none
	month int         // of a heading; 0 for none
	order int         // of day and month
	zone  string      // of all its times, where the text says so
	years map[int]int // of its dates in full, how often
	leads bool        // its lines begin with times of four figures: 0615 Lune in

	headings    []string // by level
	provisional bool     // the only heading is the first line of the text, for want of another
	day         *heading // a day that stands alone in a line
	above       *dayAbove
	lengths     []int  // said without a time, in minutes
	rough       string // what says a length, or an end, only roughly
	weeks       []unit // that name a week by its number, and no day
	apart       bool   // a time stands somewhere without a day
	section     int    // the first event below the last heading
	timeAbove   string // a time that was said without a day, and is none of what stands below it by itself
	before      int    // the first event of the unit that was read before
}

// heading is a day that stands alone in a line: it is the day of the times below
// it, or, where none follow, an event with the line below as its title.
type heading struct {
	unit  unit
	dates dates
	used  bool
	texts []unit

	listed bool // it stands in a list of days, of which the title is above it
}

// leadingTime is a time of four figures at the beginning of a line.
var leadingTime = lazily(`^\s*(?:[-–•*]\s*)?((?:[01]\d|2[0-3])[0-5]\d)(?:\s+[^\d\s.:/-]|\s*[-–]\s*\d{4}\s)`)

// zoneOfAll is what says the zone of all times of a text: all times UTC, times are local.
var zoneOfAll = lazily(`(?i)\b(?:all times|times|all hours|alle (?:zeiten|uhrzeiten)|zeiten|uhrzeiten|(?:toutes les )?heures|(?:todas las |todas as )?horas|(?:tutti gli )?orari|alle tijden|tijden)\b(?: are| given| shown| stated| in| en| em| sind| angaben| exprimées| indicadas| indicati|,|:)*\s*\(?(utc|gmt|cest|cet|west|wet|bst|eest|eet|mesz|mez|local(?: time)?|lokalzeit|lt)\b`)

// learn finds the order of day and month that the whole of a text shows.
func (d *document) learn(lines []Line) {
	for _, l := range lines {
		if d.zone != "" || !containsOne(strings.ToLower(l.Text), "utc gmt cet cest wet west bst eet eest mez local lokal lt") {
			continue
		}
		if m := zoneOfAll().FindStringSubmatch(l.Text); m != nil {
			d.zone = strings.ToUpper(m[1])
			if strings.HasPrefix(d.zone, "LOCAL") || strings.HasPrefix(d.zone, "LOKAL") || d.zone == "LT" {
				d.zone = "local"
			}
		}
	}
	d.years = map[int]int{}
	first, sure := 0, false
	for _, l := range lines {
		if strings.Contains(l.Text, "20") {
			r := &reader{text: l.Text, toks: scan(l.Text)}
			for i := range r.toks {
				if one, end := r.numeric(i); end > 0 && one.year > 0 {
					d.years[one.year]++
				}
			}
		}
		if m := leadingTime().FindStringSubmatch(l.Text); m != nil {
			first++
			sure = sure || m[1][0] == '0'
		}
	}
	d.leads = first > 1 && sure
	d.order = d.set.Order
	if d.order != 0 {
		return
	}
	seen := 0
	for _, l := range lines {
		texts := []string{l.Text}
		for _, f := range l.Fields {
			texts = append(texts, f.Value)
		}
		for _, text := range texts {
			if !strings.ContainsAny(text, "/-") {
				continue
			}
			r := &reader{text: text, toks: scan(text)}
			for i, t := range r.toks {
				s, u := r.tok(i+1), r.tok(i+2)
				if t.kind != 'n' || u.kind != 'n' || s.kind != '/' && s.kind != '-' || len(t.text) > 2 || len(u.text) > 2 || r.is(i-1, '/') || r.is(i-1, '-') {
					continue
				}
				if !r.is(i+3, s.kind) && (s.kind != '/' || t.num == 24 && u.num == 7 || t.gap && r.is(i-1, 'n')) { // without a year only 14/3, and not 24/7 or 1 1/2
					continue
				}
				switch {
				case t.num > 12 && t.num <= 31 && u.num <= 12:
					seen |= 1
				case u.num > 12 && u.num <= 31 && t.num <= 12:
					seen |= 2
				}
			}
		}
	}
	if seen != 3 {
		d.order = seen
	}
	if seen == 0 && foreign(lines) { // every language but English writes the day first
		d.order = 1
	}
}

// The small words of a language that tell which one it is.
var (
	english = list(`the and is are of to for with at we you our on in will be this that please from by not`)
	others  = list(`der die das und ist am um von mit für wir sie ihr bitte den zum zur ein eine nicht auf bei le la les des du est et pour avec vous nous votre une dans sur el los las del es para con su por una il lo gli della è alle dal nel sono che do da dos uma com não het een van voor wij zijn te de hasta jusqu'au jusqu'à ihre ihren suo vostra à ao`)
)

// foreign tells whether a text is in another language than English.
func foreign(lines []Line) bool {
	ours, theirs := 0, 0
	count := func(text string) {
		for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && r != '\'' && r != '’' }) {
			if english[w] {
				ours++
			}
			if others[w] {
				theirs++
			}
		}
	}
	for _, l := range lines {
		if count(l.Text); ours+theirs > 200 {
			break
		}
	}
	return theirs >= 3 && theirs > 2*ours
}

func (d *document) pass(u unit, text, why string) {
	d.out.Passed = append(d.out.Passed, Passed{Text: text, Why: why, Page: u.page, Line: u.line})
}

func (d *document) heading() string {
	for i := len(d.headings) - 1; i >= 0; i-- {
		if h := strings.TrimRight(d.headings[i], ": "); h != "" {
			return h
		}
	}
	return ""
}
