// Package match finds the columns that suit the fields of an event, by their
// headings and by what they hold, for a table that no intake describes and for
// the first draft of one.
package match

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
)

// Choice is the columns that suit a field.
type Choice struct {
	Field    string // as an intake file calls it
	Template string // over the columns
	Columns  []string
	Indexes  []int
	Sure     Sureness
	guessed  string // a column of times that was taken for what is left
}

// Sureness is how well a column suits a field.
type Sureness uint8

// The degrees: by what it holds alone, by a part of its heading, by its
// heading.
const (
	Perhaps Sureness = iota
	Likely
	Surely
)

func (s Sureness) String() string { return [...]string{"perhaps", "likely", "surely"}[s] }

// Traits are what is known of a column before fields are chosen for it.
type Traits struct {
	Column  *moment.Column // settled
	Filled  int            // cells that hold anything
	Bad     int            // of those, error values
	States  int            // of those, words for an event's status
	Mails   int            // of those, with an address
	Figures int            // of those, bare numbers
	Serials int            // of those, ones that spreadsheets count days of our time by
	Lists   int            // of those, lists of weekdays
	Samples []string       // the first few different ones
}

// samples is how many different cells of a column are kept.
const samples = 8

// Learn takes a cell that is filled into account. Its dates are Column's to
// learn.
func (t *Traits) Learn(cell table.Cell) {
	text := strings.TrimSpace(cell.Text)
	t.Filled++
	if cell.Kind == table.Bad {
		t.Bad++
	}
	if t.States == t.Filled-1 && IsStatus(text) {
		t.States++
	}
	if t.Mails == t.Filled-1 && strings.Contains(text, "@") {
		t.Mails++
	}
	if _, err := strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64); err == nil {
		t.Figures++
		if n, err := strconv.ParseFloat(text, 64); err == nil && n >= 30000 && n < 60000 {
			t.Serials++
		}
	}
	if weekdays(text) {
		t.Lists++
	}
	if len(t.Samples) < samples && !slices.Contains(t.Samples, text) {
		t.Samples = append(t.Samples, strings.Clone(text))
	}
}

// weekdays tells whether a text lists days of the week: Mon, Wed–Fri; daily.
func weekdays(text string) bool {
	if strings.ContainsFunc(text, unicode.IsDigit) {
		return false
	}
	found := 0
	for word := range strings.FieldsFuncSeq(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) }) {
		switch days, _ := moment.Weekdays(word, 0); {
		case days != 0, slices.Contains(eachDay, word):
			found++
		case !slices.Contains(joining, word):
			return false
		}
	}
	return found > 0
}

// Daily tells whether a heading says that what stands below it is that of each day: Daily from,
// each day until, täglich von.
func Daily(heading string) bool {
	words := strings.FieldsFunc(strings.ToLower(heading), func(r rune) bool { return !unicode.IsLetter(r) })
	for n, word := range words {
		if slices.Contains(everyDay, word) || n > 0 && slices.Contains(dayWords, word) && slices.Contains(everyWords, words[n-1]) {
			return true
		}
	}
	return false
}

var (
	everyDay   = []string{"daily", "täglich", "tägliche", "täglicher", "tägliches", "quotidien", "quotidienne", "diario", "diaria", "diariamente", "giornaliero", "giornaliera", "giornalmente", "diário", "diária", "dagelijks", "dagelijkse"}
	everyWords = []string{"each", "every", "per", "jeden", "pro", "chaque", "par", "cada", "al", "por", "ogni", "elke", "à"}
	dayWords   = []string{"day", "tag", "jour", "día", "dia", "giorno", "dag"}
)

var (
	joining = []string{"and", "to", "und", "u", "bis", "et", "au", "du", "le", "les", "y", "e", "i", "a", "al", "à", "às", "los", "las", "os", "as", "en", "tot", "m", "von", "vom", "de", "del", "dal", "da", "van", "every", "jeden", "jede", "chaque", "cada", "ogni", "elke"}
	eachDay = []string{"daily", "weekdays", "täglich", "werktags", "quotidien", "diario", "giornaliero", "diário", "dagelijks", "feira"}
)

// Given is what a person said of a table.
type Given struct {
	Key    []string            // the columns of the key, which are never chosen
	Fields map[string][]string // the columns of fields, by the fields' names; for the end it can be None. Those of None are of no field

	turned  bool // what leaves and what arrives stand in the other order than the columns say
	lengths int  // a column called Hours that holds lengths, counted from 1; 0 for none
}

// Columns chooses columns for the fields of a table by its rows. It gives a fault where
// no column suits for what every event must have, or where a column holds times
// of day and does not say what of.
func Columns(header table.Header, rows table.Rows, given Given, set moment.Settings) ([]Choice, *fault.Fault) {
	given = given.named(header)
	traits := make([]Traits, len(header))
	stride := max(1, rows.Len()/sampled)
	for i := range header {
		c := moment.NewColumn(set)
		for n := 0; n < rows.Len() && !given.Without(header, i); n += stride {
			r := rows.At(n)
			c.Learn(int(r.Number), r.Cell(i))
			if cell := r.Cell(i); cell.Filled() {
				traits[i].Learn(cell)
			}
		}
		c.Settle()
		traits[i].Column = c
	}
	choices, f := choose(header, rows, traits, given)
	for _, c := range choices {
		for _, i := range c.Indexes {
			if f == nil && i < len(header) && len(header.All(header[i])) > 1 { // which one was meant is not ours to guess
				f = template.Unknown(header, header[i])
				f.Advice = "describe the columns in an intake file, that one by its letter: {@" + table.Letter(i) + "}"
			}
		}
		if f == nil && c.guessed != "" {
			f = fault.Newf("the column %s holds times of day, and its name does not say what of", c.guessed).Do("describe the columns in an intake file; draft writes a first one")
		}
	}
	if f == nil {
		f = doubts(header, rows, traits, choices, given)
	}
	return slices.DeleteFunc(choices, func(c Choice) bool { return c.Field == "attendees" && c.Sure != Surely }), f
}

// IsStatus tells whether a text is a word for an event's status.
func IsStatus(text string) bool {
	return event.StatusWords[strings.ToLower(strings.TrimSpace(text))] != ""
}

// chooser collects the choices.
type chooser struct {
	matcher
	choices []Choice
}

func (m *chooser) take(field string, columns ...int) {
	if len(columns) == 0 {
		return
	}
	c := Choice{Field: field, Indexes: columns, Sure: Surely}
	texts := make([]string, len(columns))
	for i, col := range columns {
		m.taken[col] = true
		c.Columns = append(c.Columns, m.header.Label(col))
		texts[i] = Reference(m.header, col)
		c.Sure = min(c.Sure, m.sure(field, col))
	}
	c.Template = strings.Join(texts, " ")
	m.choices = append(m.choices, c)
}

func (m *chooser) choice(field string) *Choice {
	for i := range m.choices {
		if m.choices[i].Field == field {
			return &m.choices[i]
		}
	}
	return nil
}

func (m *chooser) has(field string) bool { return m.choice(field) != nil }

// Choose chooses columns for the fields by the traits of each column, and by some rows. The
// fault says what a person must decide; there are choices all the same.
func Choose(header table.Header, rows table.Rows, traits []Traits, given Given) ([]Choice, *fault.Fault) {
	given = given.named(header)
	choices, f := choose(header, rows, traits, given)
	if f == nil {
		f = doubts(header, rows, traits, choices, given)
	}
	return choices, f
}

// Without tells whether a person said that column i is of no field.
func (g Given) Without(header table.Header, i int) bool {
	return slices.ContainsFunc(g.Fields[None], func(name string) bool { return template.NewCompiler(header, nil).Column(name) == i })
}

// named gives what was said with the columns of the key called as the header has them.
func (g Given) named(header table.Header) Given {
	g.Key = slices.Clone(g.Key)
	for n, name := range g.Key {
		if i := header.Find(name); i >= 0 {
			g.Key[n] = header[i]
		}
	}
	return g
}

func choose(header table.Header, rows table.Rows, traits []Traits, given Given) ([]Choice, *fault.Fault) {
	choices, f := suit(header, traits, given)
	if h := (hours{header, rows, traits, choices, given}); h.backwards() {
		given.turned = true
		choices, f = suit(header, traits, given)
	}
	if h := (hours{header, rows, traits, choices, given}); h.lengths() > 0 {
		given.lengths = h.lengths()
		choices, f = suit(header, traits, given)
	}
	(&hours{header, rows, traits, choices, given}).alternatives()
	return choices, f
}

// doubts looks at what the choices leave out.
func doubts(header table.Header, rows table.Rows, traits []Traits, choices []Choice, given Given) *fault.Fault {
	if f := folded(header, rows, traits, choices); f != nil {
		return f
	}
	if f := unplaced(header, rows, traits, choices, given); f != nil {
		return f
	}
	h := &hours{header, rows, traits, choices, given}
	if f := cmp.Or(h.recurs(), h.otherZone(), h.revised()); f != nil {
		return f
	}
	return h.lasting()
}

// suit chooses columns by their headings and traits alone.
func suit(header table.Header, traits []Traits, given Given) ([]Choice, *fault.Fault) {
	m := chooser{matcher: matcher{header: header, taken: map[int]bool{}, given: map[string][]int{}, key: given.Key}}
	for field, columns := range given.Fields {
		if field == "end" && slices.Equal(columns, []string{None}) {
			m.endless = true
			continue
		}
		for _, name := range columns {
			i := template.NewCompiler(header, nil).Column(name)
			if i < 0 {
				return nil, template.Unknown(header, name)
			}
			m.given[field] = append(m.given[field], i)
		}
	}
	Decide(traits)
	for i := range header {
		m.headings = append(m.headings, headingOf(header.Label(i)))
		m.figures = append(m.figures, i < len(traits) && traits[i].Filled > 0 && traits[i].Figures*2 >= traits[i].Filled || i == given.lengths-1)
	}
	for i, t := range traits {
		c := matchColumn{Traits: t, temporal: t.Column.Holds(t.Filled - t.Bad), role: t.Column.Mostly()}
		clock, date := m.called(i)
		if !clock && t.Filled > 0 && t.Serials == t.Filled && (m.rank("start", i) > 0 || m.rank("end", i) > 0) { // Last day: 46148
			date = true
		}
		if told := slices.Contains(m.given["start"], i) || slices.Contains(m.given["end"], i); told && !clock && t.Column.Some() { // ETA, mostly tbc
			date, clock = c.role == moment.DateRole, c.role != moment.DateRole
		}
		if (clock || date) && !c.temporal {
			c.temporal, c.role = true, moment.DateRole
			if clock {
				c.role = moment.ClockRole
			}
			t.Column.Prefer(c.role)
		}
		m.columns = append(m.columns, c)
	}
	m.clocksShown()
	m.shortHours()
	m.former()
	m.unreadClocks()
	m.findOrder()
	m.leaveFirst = m.leaveFirst != given.turned
	m.weekly()
	m.take("title", m.given["title"]...)
	m.take("start", m.moment("start", "end")...)
	tied := m.tied()
	if !m.endless {
		m.take("end", m.moment("end", "start")...)
	}
	m.leftClocks()
	m.halves()
	m.take("length", m.given["length"]...)
	m.take("repeat", m.given["repeat"]...)
	for _, field := range []string{"zone", "all_day", "length", "location", "description", "url", "categories", "title"} {
		if m.has(field) {
			continue
		}
		fits := func(c matchColumn) bool {
			return field == "length" || !c.temporal && (field != "location" || c.Mails == 0) && (field != "title" || lettered(c.Samples))
		}
		if col := m.best(field, fits); col >= 0 {
			m.take(field, col)
		}
	}
	m.zones()
	m.recurring()
	m.series()
	m.whole()
	m.people()
	m.unit()
	if m.has("start") && !m.has("title") {
		m.anyTitle(given.Key)
	}
	ended := m.ended()
	switch {
	case tied != nil:
		m.choices = slices.DeleteFunc(m.choices, func(c Choice) bool { return c.Field == "start" })
		return m.choices, fault.Newf("several columns hold dates, and no name says which is the event's").Do("describe the columns in an intake file").Offer("--start", "start", "", tied)
	case ended != nil:
		m.choices = slices.DeleteFunc(m.choices, func(c Choice) bool { return c.Field == "start" })
		return m.choices, ended
	case m.unread() != nil:
		return m.choices, m.unread()
	case !m.has("start") && m.parted() != nil:
		return m.choices, m.parted()
	case !m.has("start") && m.unix() != nil:
		return m.choices, m.unix()
	case !m.has("start") && m.weekdaysOnly() != nil:
		return m.choices, m.weekdaysOnly()
	case !m.has("start"):
		return m.choices, fault.Newf("no column holds the events' dates under a name such as Start or Date").Do("describe the columns in an intake file").
			Offer("--start", "start", "", m.offered(func(c matchColumn) bool { return c.temporal && c.role != moment.ClockRole }))
	case !m.has("title"):
		return m.choices, fault.Newf("no column suits as a title").Do("describe the columns in an intake file").
			Offer("--title", "title", "", m.offered(func(matchColumn) bool { return true }))
	}
	return m.choices, nil
}

// clocksShown has columns of which the source shows times of day alone be just that, where another
// has the days.
func (m *chooser) clocksShown() {
	shown := func(c matchColumn) bool { return c.Column != nil && c.Column.ClocksShown() }
	if !slices.ContainsFunc(m.columns, func(c matchColumn) bool { return c.temporal && c.role != moment.ClockRole && !shown(c) }) {
		return
	}
	for i, c := range m.columns {
		if c.temporal && shown(c) {
			m.columns[i].role = moment.ClockRole
		}
	}
}

// dayParts are what columns are called that hold the year, the month and the day of a date.
var dayParts = [3][]string{
	{"year", "jahr", "année", "annee", "año", "anno", "ano", "jaar"},
	{"month", "monat", "mois", "mes", "mese", "mês", "maand"},
	{"day", "tag", "jour", "día", "dia", "giorno", "dag"},
}

// parted says how to read dates whose year, month and day stand in columns of their own; nil
// where there are none.
func (m *chooser) parted() *fault.Fault {
	var labels, refs [3]string
	for i, h := range m.headings {
		for k, names := range dayParts {
			if slices.Contains(names, h.text) && m.columns[i].Filled > 0 {
				labels[k], refs[k] = m.header.Label(i), Reference(m.header, i)
			}
		}
	}
	if slices.Contains(labels[:], "") {
		return nil
	}
	return fault.Newf("the date stands in three columns: %s, %s and %s", labels[0], labels[1], labels[2]).Do("describe the start in an intake file, as in start: \"%s-%s-%s\"; draft writes the rest of it", refs[0], refs[1], refs[2])
}

// weekdaysOnly says that a column has days of the week where dates are needed; nil where none
// has.
func (m *chooser) weekdaysOnly() *fault.Fault {
	for i, c := range m.columns {
		if c.Filled > 0 && c.Lists == c.Filled && !m.numbers(i) {
			return fault.Newf("%s holds days of the week and no dates", m.header.Label(i)).Do("write the dates into it, or beside it into a column called Date")
		}
	}
	return nil
}

// offered gives the columns that a person may choose from, those first that fit.
func (m *chooser) offered(fits func(matchColumn) bool) (out [][]string) {
	for _, first := range []bool{true, false} {
		for i, c := range m.columns {
			if c.Filled > 0 && fits(c) == first && (first || !m.numbers(i)) {
				name := m.header.Label(i)
				if m.header.Find(name) != i {
					name = "@" + table.Letter(i)
				}
				out = append(out, []string{name})
			}
		}
	}
	return out
}

// descriptive are headings of columns that say what an event is, where none is
// called a title.
var descriptive = []string{"description", "details", "beschreibung", "descripción", "descrizione", "descrição", "omschrijving"}

// anyTitle takes a description for the title, else the first column of text,
// else what remains.
func (m *chooser) anyTitle(key []string) {
	if c := m.choice("description"); c != nil && slices.Contains(descriptive, m.headings[c.Indexes[0]].text) {
		c.Field, c.Sure = "title", Likely
		return
	}
	for _, person := range []bool{false, true} {
		fits := func(i int) bool { return m.worded(i) && (person || !m.headings[i].says("person")) }
		if at := m.firstText(key, fits); at >= 0 {
			m.take("title", at)
			return
		}
	}
	if c := m.choice("description"); c != nil {
		c.Field, c.Sure = "title", Perhaps
		return
	}
	for _, not := range [][]string{key, nil} {
		if at := m.firstText(not, func(int) bool { return true }); at >= 0 {
			m.take("title", at)
			return
		}
	}
}

// lettered tells whether there is a letter in some text.
func lettered(texts []string) bool {
	return slices.ContainsFunc(texts, func(s string) bool { return strings.ContainsFunc(s, unicode.IsLetter) })
}

// worded tells whether a column holds words that can be titles: no numbers alone, no states, no
// addresses, no second place.
func (m *chooser) worded(i int) bool {
	c := m.columns[i]
	return lettered(c.Samples) && !m.headings[i].record() && c.States*2 < c.Filled && c.Mails*2 < c.Filled && m.headings[i].rank(names("status")) == 0 && m.headings[i].rank(names("location")) == 0
}

// series chooses the columns that tell how an event repeats.
func (m *chooser) series() {
	for _, field := range []string{"repeat", "occurrence"} { // by their whole names alone: "Repeat until" is neither
		if col := m.best(field, func(c matchColumn) bool { return c.temporal == (field == "occurrence") }); col >= 0 && m.rank(field, col) > whole && !m.has(field) && (field == "repeat" || m.has("repeat")) {
			m.take(field, col)
		}
	}
	if !m.has("repeat") {
		return
	}
	for _, field := range []string{"repeat_every", "repeat_times", "except", "also"} {
		if col := m.best(field, func(c matchColumn) bool { return field == "except" || field == "also" || !c.temporal }); col >= 0 && m.rank(field, col) > whole {
			m.take(field, col)
		}
	}
	for i, c := range m.columns {
		if h := m.headings[i]; !m.has("repeat_until") && !m.taken[i] && c.temporal && c.role != moment.ClockRole && (h.says("series") || m.days || m.has("end") || m.has("length")) && h.says("end") { // Until, where another column is the end of each
			m.take("repeat_until", i)
		}
	}
}

// whole chooses columns for the fields that go by the whole of a name, where
// all that is known of their cells suits.
func (m *chooser) whole() {
	for _, field := range []string{"status", "organizer", "optional", "resources", "rooms", "attachments", "conference", "colour", "busy", "priority", "visibility", "reminders"} {
		fits := suits[field]
		col := m.best(field, func(c matchColumn) bool { return (!c.temporal || field == "reminders") && fits(c.Traits) })
		if col >= 0 && m.rank(field, col) > whole {
			m.take(field, col)
		}
	}
}

// suits tells what the cells of a column must be to be taken by its name.
var suits = map[string]func(Traits) bool{
	"status":      func(t Traits) bool { return t.States == t.Filled },
	"organizer":   addresses,
	"optional":    addresses,
	"resources":   addresses,
	"rooms":       addresses,
	"attachments": each(func(s string) bool { return strings.Contains(s, "://") }),
	"conference":  each(func(s string) bool { return strings.Contains(s, "://") }),
	"colour":      each(func(s string) bool { return strings.Trim(strings.ToLower(s), "abcdefghijklmnopqrstuvwxyz") == "" }),
	"busy":        among("busy", "free", "yes", "no", "opaque", "transparent"),
	"priority":    among("high", "medium", "normal", "low", "none", "1", "2", "3", "4", "5", "6", "7", "8", "9"),
	"visibility":  among("public", "private", "confidential"),
	"reminders": each(func(s string) bool {
		first, _, _ := strings.Cut(strings.ReplaceAll(s, ";", ","), ",")
		var words []string
		for _, w := range strings.Fields(strings.ToLower(first)) {
			if !slices.Contains(BesideReminders, w) && w != "e-mail" && w != "email" && w != "mail" {
				words = append(words, w)
			}
		}
		_, ok := moment.ParseLength(strings.Join(words, " "))
		return ok || Once(strings.ToLower(s))
	}),
}

// BesideReminders are words beside the length of a reminder that say nothing more.
var BesideReminders = []string{"display", "by", "before", "at", "start", "the", "in", "advance", "vorher", "zuvor", "davor", "avant", "antes", "prima", "vooraf", "tevoren"}

func addresses(t Traits) bool { return t.Mails == t.Filled }

func each(fits func(string) bool) func(Traits) bool {
	return func(t Traits) bool {
		return !slices.ContainsFunc(t.Samples, func(s string) bool { return !fits(s) })
	}
}

func among(words ...string) func(Traits) bool {
	return each(func(s string) bool { return slices.Contains(words, strings.ToLower(s)) })
}

// people chooses who comes: a column of addresses that says so, else one beside
// a column of names: Agent and Agent e-mail.
func (m *chooser) people() {
	for i, c := range m.columns {
		if !m.taken[i] && c.Filled > 0 && c.Mails == c.Filled && m.rank("attendees", i) > whole {
			m.take("attendees", i)
			return
		}
	}
	for i, c := range m.columns {
		if m.taken[i] || c.Filled == 0 || c.Mails < c.Filled {
			continue
		}
		m.take("attendees", i)
		choice := m.choice("attendees")
		choice.Sure = Perhaps
		for n, h := range m.headings {
			if n != i && len(h.words) > 0 && len(h.words) < len(m.headings[i].words) && slices.Equal(m.headings[i].words[:len(h.words)], h.words) && !m.columns[n].temporal {
				choice.Template = Reference(m.header, n) + " <" + choice.Template + ">"
				choice.Columns, choice.Indexes = append([]string{m.header.Label(n)}, choice.Columns...), append([]int{n}, i)
				choice.Sure = Likely
				break
			}
		}
		return
	}
}

// unit adds to bare numbers of a length the unit that its heading has.
func (m *chooser) unit() {
	c := m.choice("length")
	if c == nil || len(c.Indexes) != 1 || !m.figures[c.Indexes[0]] {
		return
	}
	h := m.headings[c.Indexes[0]]
	for _, word := range append([]string{strings.ToLower(h.beside)}, h.words...) {
		switch word {
		case "h", "hr", "hrs", "hour", "hours", "std", "stunden", "heures", "horas", "ore", "uren", "uur":
			c.Template += " h"
			return
		case "m", "min", "mins", "minute", "minutes", "minuten", "minutos", "minuti", "minuten.":
			c.Template += " min"
			return
		case "d", "day", "days", "tage", "jours", "días", "giorni", "dias", "dagen":
			c.Template += " d"
			return
		case "weeks", "wochen", "semaines", "semanas", "settimane", "weken":
			c.Template += " weeks"
			return
		}
	}
}

// Decide tells columns that could hold dates or times ("10.03") that they hold
// times when another column holds the dates.
func Decide(traits []Traits) {
	dated := false
	for _, t := range traits {
		dated = dated || t.Column.Holds(t.Filled) && t.Column.Role() == moment.DateRole
	}
	for _, t := range traits {
		if dated && t.Column.Holds(t.Filled) {
			t.Column.Prefer(moment.ClockRole)
		}
	}
}

// Reference is how a template names column i.
func Reference(header table.Header, i int) string {
	if i < len(header) && header.Find(header[i]) == i && len(header.All(header[i])) == 1 && !strings.ContainsAny(header[i], "{}[]\n") {
		return "{" + header[i] + "}"
	}
	return "{@" + table.Letter(i) + "}"
}

func (m *matcher) sure(field string, column int) Sureness {
	switch r := m.rank(field, column); {
	case r > whole:
		return Surely
	case r > 0:
		return Likely
	}
	return Perhaps
}

// sampled is about how many rows are looked at to tell what columns hold.
// What their dates mean is learnt from every row afterwards.
const sampled = 1000

type matcher struct {
	header   table.Header
	headings []heading
	figures  []bool // columns of bare numbers, mostly
	columns  []matchColumn
	taken    map[int]bool
	given    map[string][]int // the columns that a person named for fields
	endless  bool             // a person said that no column holds the end
	key      []string

	leaveFirst bool
	days       bool // a column lists the weekdays of each row
}

type matchColumn struct {
	Traits
	temporal bool
	role     moment.Role
}

func (m *matcher) best(field string, fits func(matchColumn) bool) int {
	best, at := 0, -1
	for i, c := range m.columns {
		if m.taken[i] || c.Filled == 0 || !fits(c) {
			continue
		}
		if r := m.rank(field, i); r > best {
			best, at = r, i
		}
	}
	return at
}

// of tells whether a heading is a day or a time: what stands below is of then, and no
// title of every row.
func of(heading string) bool {
	day, _ := moment.Weekdays(heading, 0)
	return day != 0 || moment.IsDay(heading) || moment.IsClock(heading)
}

// firstText gives the first column of text that nothing took, that is none of the key and
// that fits; -1 for none.
func (m *matcher) firstText(key []string, fits func(column int) bool) int {
	for i, c := range m.columns {
		isKey := slices.ContainsFunc(key, func(k string) bool { return m.header.Find(k) == i })
		if !m.taken[i] && c.Filled > 0 && !c.temporal && !isKey && fits(i) && c.Lists*2 < c.Filled+1 && !of(m.header.Label(i)) {
			return i
		}
	}
	return -1
}
