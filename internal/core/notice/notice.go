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
	"almanach/internal/core/pattern"
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
	Named   int         // the year that the name of the text's file says, as moment.NamedYear gives it; it only casts doubt on another
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
	year    yearBy
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
	Places     []string    // that it names without a time
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
	case minutes == 60:
		return "1 hour"
	case minutes%60 == 0:
		return strconv.Itoa(minutes/60) + " hours"
	}
	return strconv.Itoa(minutes) + " minutes"
}

// A date and a time joined as RFC 3339 section 5.6 and RFC 5545 section 3.3.5 write them,
// two of them as in ISO 8601, and a time with its offset as in RFC 5322 section 3.3.
var (
	instant      = pattern.Lazy(`\b(\d{4}-\d\d-\d\d)[Tt](\d\d:\d\d)(?::00(?:\.0+)?)?(?:([+-]\d\d):?(\d\d)\b)?`)
	interval     = pattern.Lazy(`([Tt]\d\d:\d\d(?::00(?:\.0+)?)?(?:[Zz]|[+-]\d\d:?\d\d)?)/(\d{4}-\d\d-\d\d[Tt])`)
	basicInstant = pattern.Lazy(`\b([12]\d{3})([01]\d)([0-3]\d)[Tt]([0-2]\d)([0-5]\d)(?:[0-5]\d)?([Zz]?)\b`)
	mailOffset   = pattern.Lazy(`\b(\d\d:\d\d):00 ([+-]\d\d)(\d\d)\b`)
)

// joined writes dates and times that are joined by signs of a standard with words instead.
func joined(text string) string {
	if strings.ContainsAny(text, "Tt") {
		text = interval().ReplaceAllString(text, "$1 – $2")
		text = instant().ReplaceAllStringFunc(text, func(s string) string {
			m := instant().FindStringSubmatch(s)
			if m[3] != "" {
				return m[1] + " " + m[2] + " UTC" + m[3] + ":" + m[4]
			}
			return m[1] + " " + m[2]
		})
		text = basicInstant().ReplaceAllString(text, "$1-$2-$3 $4:$5$6")
	}
	if strings.Contains(text, " +") || strings.Contains(text, " -") {
		text = mailOffset().ReplaceAllString(text, "$1 UTC$2:$3")
	}
	return text
}

var (
	hardSpaces = strings.NewReplacer("\u00a0", " ", "\u2007", " ", "\u2009", " ", "\u202f", " ")
	wideSpace  = pattern.Lazy(`(\S) {2,}(\S)`)
	leaders    = pattern.Lazy(`\s*(?:\.{4,}|(?:\. ){3,}\.?)\s*`) // of a table of contents
)

// spaced gives a line with one space between its words. Where columns stand in it, the
// spaces between them stay.
func spaced(text string) string {
	text = strings.Map(func(r rune) rune {
		if r > 0x7f && unicode.Is(unicode.Cf, r) { // no width, soft hyphens, marks of writing direction
			return -1
		}
		return r
	}, hardSpaces.Replace(text))
	if strings.Contains(text, "....") || strings.Contains(text, ". . .") {
		text = leaders().ReplaceAllString(text, " – ")
	}
	if !strings.Contains(text, "  ") || columned().MatchString(text) {
		return text
	}
	return wideSpace().ReplaceAllString(text, "$1 $2")
}

// Read finds the events of a text.
func Read(lines []Line, set Settings) Found {
	d := &document{set: set}
	lines = slices.Clone(lines)
	for i := range lines {
		l := &lines[i]
		l.Text = joined(spaced(l.Text))
	}
	d.learn(lines)
	for i := range lines {
		l := &lines[i]
		if l.Gone != "" && cancels(l.Text) && !meaningful(uncancelled(l.Text)) { // crossed out, and "cancelled" beside it
			l.Text, l.Gone, l.Struck = l.Gone+" "+l.Text, "", true
		}
		if r := (&reader{text: l.Gone, toks: scan(l.Gone)}); l.Gone != "" && (r.hasDate() || hasTime(l.Gone)) {
			d.pass(unit{page: l.Page, line: l.Number}, l.Gone, "it is crossed out, and something else stands beside it")
		}
	}
	if set.Message && set.Subject != "" {
		d.frameOf(set.Subject)
	}
	units := d.posters(unitsOf(lines))
	for n, u := range units {
		if set.Stop != nil && set.Stop() {
			break
		}
		heads := set.Message && strings.HasSuffix(u.text, ":") && n+1 < len(units)
		d.itemsNext = heads && n+2 < len(units) && units[n+1].timeFirst() && units[n+2].timeFirst()
		d.timesNext = d.itemsNext || heads && units[n+1].onlyTime()
		for _, piece := range u.pieces() {
			d.unit(piece)
		}
	}
	d.endDay()
	d.unframed()
	for _, u := range d.weeks {
		below := slices.ContainsFunc(d.out.Events, func(e Event) bool { return e.Page > u.page || e.Page == u.page && e.Line > u.line })
		above := slices.ContainsFunc(d.out.Events, func(e Event) bool { return e.Page < u.page || e.Page == u.page && e.Line < u.line })
		if e := d.begin(u); !below || u.sentence || above && weekBehind().MatchString(u.text) { // above days it is only their heading
			e.What = tidy(u.text)
			e.Held = fault.New(fault.Shorten(u.text, 80), "names a week, and no day").Do("ask for the day, or write it into the text")
			d.out.Events = append(d.out.Events, e)
		}
	}
	if len(d.titlesBelow) > 1 && len(d.titlesBelow) == d.bares { // each day with its time has its title below
		for i, title := range d.titlesBelow {
			e := &d.out.Events[i]
			e.What, e.Text = tidy(title), e.Text+" "+title
			e.read("title", e.What)
		}
	}
	d.overLists()
	d.underOff()
	if set.Message {
		d.timesOfDays()
		d.timesElsewhere()
		d.choices(lines)
		d.severalSentences()
	} else {
		d.bygone()
		d.otherYears()
		d.overTurn()
	}
	if !set.Message && len(d.out.Events) == 1 && d.apart {
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

// weekBehind is a line that ends with the number of a week, behind what is on in it.
var weekBehind = pattern.Lazy(`(?i)\p{L}.*[–—:-]\s*(?:week|wk|kw|kalenderwoche|woche|semaine|semana|settimana)\s?\d{1,2}\W*$`)

// document is a text under way: what its headings say holds for what stands
// below them.
type document struct {
	set    Settings
	out    Found
	year   int         // of the title or a heading; 0 for none
	month  int         // of a heading; 0 for none
	order  int         // of day and month
	zone   string      // of all its times, where the text says so
	years  map[int]int // of its dates in full, how often
	full   bool        // it has times of 24 hours
	leads  bool        // its lines begin with times of four figures: 0615 Lune in
	trails bool        // or end with them: Lune in 0615

	headings    []string // by level
	provisional bool     // the only heading is the first line of the text, for want of another
	day         *heading // a day that stands alone in a line
	above       *dayAbove
	lengths     []int          // said without a time, in minutes
	bares       int            // lines of a day and a time and nothing else
	bareAt      int            // the event of such a line, where it is the last, from 1; else 0
	titlesBelow map[int]string // what stands below such lines, by their events
	rough       string         // what says a length, or an end, only roughly
	timeElse    string         // what says a time that was not read, or that is not to be
	weeks       []unit         // that name a week by its number, and no day
	frame       *frame         // the week that was named last; nil for none
	frames      []*frame       // those that head lists
	around      around         // of the unit that is read
	overAll     around         // of the subject, and of what heads a list
	timesNext   bool           // a line with a time stands below the unit that is read, which ends with a colon
	itemsNext   bool           // and more than one, each with its time in front
	apart       bool           // a time stands somewhere without a day
	yearBy      yearBy         // of the day that was looked at last
	section     int            // the first event below the last heading
	placeAbove  string         // a place that stands above what is below it, up to the next blank line: Quay 4:
	placeUsed   bool           // something was read below it
	timeAbove   string         // a time that was said without a day, and is none of what stands below it by itself
	opens       time.Time      // when something opens again, as the last unit that says it does; zero where it is not known
	before      int            // the first event of the unit that was read before
}

// heading is a day that stands alone in a line: it is the day of the times below
// it, or, where none follow, an event with the line below as its title.
type heading struct {
	unit  unit
	dates dates
	used  bool
	texts []unit

	listed bool // it stands in a list of days, of which the title is above it
	items  bool // each line below it is an event of its own
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
