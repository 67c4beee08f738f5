package match

import (
	_ "embed" // the names are a data file
	"slices"
	"strings"
	"sync"
	"unicode"

	"almanach/internal/core/zone"
)

//go:embed names.tsv
var nameData string

// vocabulary is what headings are called, by field, and the words that tell
// what they are about.
var vocabulary = sync.OnceValue(func() map[string][]string {
	out := map[string][]string{}
	for line := range strings.Lines(nameData) {
		field, list, ok := strings.Cut(strings.TrimSpace(line), "\t")
		if !ok || strings.HasPrefix(line, "#") {
			continue
		}
		for name := range strings.SplitSeq(list, ",") {
			out[field] = append(out[field], strings.ReplaceAll(strings.TrimSpace(name), "'", " "))
		}
	}
	return out
})

func names(field string) []string { return vocabulary()[field] }

// heading is a column's name taken apart.
type heading struct {
	words  []string // in lower case, joined words apart
	text   string   // the words again
	beside string   // what stands in brackets
	short  bool     // it is Hours, under a name that can mean something else
}

// parts are the ends of joined words, as German and Dutch have them:
// Ankunftszeit, Einddatum.
var parts = []string{"datum", "uhrzeit", "zeit", "tijd", "beginn", "ende", "dauer", "duur"}

// dayNames are headings of how many days or weeks something lasts, where numbers stand below
// them; other things are on which days it is.
var dayNames = []string{"days", "no of days", "number of days", "weeks", "no of weeks", "tage", "anzahl tage", "wochen", "jours", "nombre de jours", "semaines", "días", "número de días", "semanas", "giorni", "numero di giorni", "settimane", "dias", "número de dias", "dagen", "aantal dagen", "weken"}

// nightNames are headings of numbers that can be how long something lasts, and do not say it.
var nightNames = []string{"nights", "no of nights", "number of nights", "nächte", "anzahl nächte", "nuits", "nombre de nuits", "noches", "notti", "noites", "nachten", "aantal nachten", "min"}

// units are words for units of time that are names of a length as well; countOf are those that
// may stand beside them; otherAmounts say that they measure something else than the event.
var (
	units        = []string{"hours", "minutes", "mins", "minuten", "minutos", "minuti", "heures", "horas", "ore", "uren", "stunden"}
	countOf      = []string{"no", "of", "number", "nr", "in", "how", "many", "planned", "est", "estimated", "expected", "scheduled", "booked", "needed", "event", "anzahl", "nombre", "de", "número", "numero", "di", "aantal", "geplante"}
	otherAmounts = []string{"delay", "delayed", "late", "early", "notice", "before", "after", "ahead", "lead", "wait", "waiting", "overtime", "paid", "rest", "free", "man", "crew", "staff", "engine", "from", "to", "walk", "drive", "verspätung", "retard", "retraso", "ritardo", "atraso", "vertraging", "opening", "office"}
)

// amount tells whether a heading measures something in a unit of time and does not say that it
// is the event: Man hours, Minutes late.
func (h heading) amount() bool {
	return slices.ContainsFunc(h.words, func(w string) bool { return slices.Contains(units, w) }) && slices.ContainsFunc(h.words, func(w string) bool {
		return !slices.Contains(units, w) && !slices.Contains(countOf, w) && (heading{text: w, words: []string{w}}).rank(names("length")) == 0
	})
}

// mayLast tells whether numbers under a heading can be how long events last: Total hours, Work
// (h), Laytime days.
func (h heading) mayLast() bool {
	if slices.ContainsFunc(h.words, func(w string) bool { return slices.Contains(otherAmounts, w) }) {
		return false
	}
	return h.short || h.amount() || slices.ContainsFunc(h.words, func(w string) bool { return slices.Contains(dayNames, w) }) ||
		slices.Contains([]string{"h", "hr", "hrs", "hours", "min", "mins", "minutes", "std", "days"}, strings.ToLower(h.beside))
}

// hourNames are headings that mean what Hours means: lengths, or times of day. Numbers under
// shortNames can be something else: a height, a standard, a load of ore.
var (
	hourNames  = []string{"hrs", "hr", "stunden", "heures", "horas", "uren"}
	shortNames = []string{"h", "std", "ore"}
)

// headingOf takes a heading apart: startTime, from_utc, Est. duration (h).
func headingOf(name string) heading {
	var h heading
	var b strings.Builder
	depth, last := 0, rune(0)
	for _, r := range name {
		switch {
		case r == '(' || r == '[':
			depth++
		case r == ')' || r == ']':
			depth = max(0, depth-1)
		case depth > 0:
			h.beside += string(r)
		case r == '.' || r == ':' || r == '?' || r == '*':
			b.WriteByte(' ')
		case unicode.IsUpper(r) && unicode.IsLower(last):
			b.WriteString(" " + string(r))
		case r == '_' || r == '-' || r == '/' || r == '\'' || r == '’' || unicode.IsSpace(r):
			b.WriteByte(' ')
		default:
			b.WriteRune(r)
		}
		last = r
	}
	for word := range strings.FieldsSeq(strings.ToLower(b.String())) {
		h.words = append(h.words, apart(word)...)
	}
	h.text = strings.Join(h.words, " ")
	if h.short = slices.Contains(shortNames, h.text); h.short || slices.Contains(hourNames, h.text) {
		h.words, h.text = []string{"hours"}, "hours"
	}
	h.beside = strings.TrimSpace(h.beside)
	return h
}

func apart(word string) []string {
	for _, part := range parts {
		if first, ok := strings.CutSuffix(word, part); ok && len(first) > 2 && first != "uhr" {
			if whole := strings.TrimSuffix(first, "s"); known(whole) {
				first = whole
			}
			return []string{first, part}
		}
	}
	return []string{word}
}

// known tells whether a word is a name or tells something by itself.
func known(word string) bool {
	for _, list := range vocabulary() {
		if slices.Contains(list, word) {
			return true
		}
	}
	return false
}

// whole is what every rank of a name that is the whole heading is above; telling is what a
// word that tells a start from an end counts for, whatever the names.
const (
	whole   = 1000
	telling = 200
)

// rank gives how well the names fit, from 1; above whole when one of them is the
// whole heading, 0 when none does.
func (h heading) rank(names []string) int {
	for i, n := range names {
		if h.text == n {
			return len(names) - i + whole
		}
	}
	for i, n := range names {
		rest := len(h.text) - len(n)
		if len(n) < 3 || rest < 2 || !(h.text[len(n)] == ' ' && strings.HasPrefix(h.text, n)) && !(h.text[rest-1] == ' ' && strings.HasSuffix(h.text, n)) {
			continue
		}
		if !slices.Contains(vocabulary()["tells alone"], n) {
			return len(names) - i
		}
	}
	return 0
}

// says tells whether one of the words that tell something is in the heading.
func (h heading) says(what string) bool {
	told := names("tells " + what)
	return slices.ContainsFunc(h.words, func(w string) bool { return slices.Contains(told, w) })
}

// record tells whether a heading is about the row: Created at, Confirmed on. A Confirmed date
// is that of the event.
func (h heading) record() bool {
	return h.says("record") || h.says("settled") && !h.says("date") && !h.says("clock")
}

// rank gives how well column i names a field, from 1, or 0 when it does not.
func (m *matcher) rank(field string, i int) int {
	h := m.headings[i]
	if figures := i < len(m.figures) && m.figures[i]; (h.text == "hours" || slices.Contains(dayNames, h.text)) && figures != (field == "length") {
		return 0 // bare numbers of hours are a length, anything else is when it is open
	}
	// Ships arrive before they leave, ferries leave before they arrive: which of
	// the two is the start is told by which column comes first.
	own, other := names("arrival"), names("departure")
	theirs := "end"
	switch field {
	case "start":
	case "end":
		own, other, theirs = other, own, "start"
	case "length":
		if slices.Contains(h.words, "length") && slices.Contains([]string{"m", "metres", "meters", "ft", "feet", "cm", "km"}, strings.ToLower(h.beside)) {
			return 0 // of a ship, not of time
		}
		if h.short && m.columns[i].Figures == m.columns[i].Filled {
			return 0
		}
		if slices.Contains(dayNames, h.text) { // of figures, as others are passed over above
			return whole
		}
		if r := h.rank(names(field)); r > whole || !h.amount() {
			return r
		}
		return 0
	default:
		return h.rank(names(field))
	}
	if m.leaveFirst {
		own, other = other, own
	}
	switch r := h.rank(own); { // what arrives or leaves says so in one word; "ETD date" is no start for its date
	case r > 0:
		return r + len(names(field))
	case h.rank(other) > 0, h.record(), h.says("series") && !m.days:
		return 0
	}
	r := h.rank(names(field))
	switch {
	case r > whole:
		return r
	case r > 0 && h.says("due") && !slices.Contains(h.words, "due"): // a deadline, if another can be meant; a task has a due date
		return 1
	}
	switch { // "To date" is an end for its first word, "Date de fin" for its last
	case h.says(field):
		return r + telling
	case h.says(theirs):
		return 0
	}
	return r
}

// called gives what the heading of column i says that the column holds. Cells
// of such a column that cannot be read hold their rows; if the column were left
// out for them, the others would become all day.
func (m *matcher) called(i int) (clock, date bool) {
	h := m.headings[i]
	if h.rank(names("zone")) > 0 || h.rank(names("length")) > 0 || h.rank(names("all_day")) > 0 || m.rank("start", i) == 0 && m.rank("end", i) == 0 || len(h.words) == 0 {
		return false, false
	}
	says := h.words[len(h.words)-1:] // Start time; Time from, Date de fin; but not Time sheet
	if len(h.words) > 1 {
		second := h.words[1:2]
		if is := (heading{words: second}); is.says("link") || is.says("start") || is.says("end") {
			says = append(says[:1:1], h.words[0])
		}
	}
	is := heading{words: says}
	return is.says("clock"), is.says("date")
}

// Zone gives the time zone that a heading says its times are in: UTC for ETA (UTC), ETA Z and
// from_utc; UTC+1, CET, +01:00 and Europe/Lisbon in brackets; "" for none. sure is false for
// what can mean something else too: Time (BST), Time EST, Start (Paris), End (+1).
func Zone(label string) (name string, sure bool) {
	h := headingOf(label)
	capitals := label == strings.ToUpper(label)
	switch beside := strings.ToUpper(h.beside); {
	case beside == "":
	case strings.HasPrefix(beside, "UTC"), strings.HasPrefix(beside, "GMT"):
		return beside, true
	case beside == "Z", beside == "ZULU":
		return "UTC", true
	case zone.OneClock(beside) && (beside == h.beside || beside != "EST" && beside != "MST"): // an estimated time
		return beside, !capitals || beside != "EST" && beside != "MST"
	case slices.Contains(SeveralClocks, beside):
		return beside, false
	case strings.HasSuffix(beside, " STANDARD TIME"):
		return h.beside, true
	case zone.IsOffset(beside):
		return h.beside, len(beside) > 3
	case strings.Contains(beside, "/"):
		area, city, _ := strings.Cut(h.beside, "/")
		if len(area) > 3 && len(city) > 3 && !strings.Contains(h.beside, " ") {
			return h.beside, true
		}
	case beside != h.beside && strings.ContainsFunc(h.beside[:1], unicode.IsUpper):
		return h.beside, false // of a city, perhaps
	}
	if slices.Contains(h.words, "utc") || slices.Contains(h.words, "gmt") || slices.Contains(h.words, "zulu") || strings.HasSuffix(label, " Z") {
		return "UTC", true
	}
	for word := range strings.FieldsSeq(label) {
		known := word == strings.ToUpper(word) && zone.OneClock(word)
		if known || slices.Contains(SeveralClocks, word) {
			return word, known && !(capitals && slices.Contains([]string{"WET", "WEST", "EST", "MST"}, word)) && word != "EST"
		}
	}
	return "", false
}

// zones takes a column that holds nothing but names of time zones, whatever it is called.
// Offsets alone can be delays, but for a column of offsets.
func (m *chooser) zones() {
	if m.has("zone") || !m.has("start") {
		return
	}
	for i, c := range m.columns {
		if m.taken[i] || len(c.Samples) == 0 || slices.Contains(m.key, m.header[i]) {
			continue
		}
		other := func(s string) bool {
			return !zone.IsName(s) && !(zone.IsOffset(s) && slices.Contains(m.headings[i].words, "offset"))
		}
		if !slices.ContainsFunc(c.Samples, other) {
			m.take("zone", i)
			return
		}
	}
}

// SeveralClocks are abbreviations that mean one clock here and another there.
var SeveralClocks = []string{"BST", "IST", "PST", "CST", "CDT", "AST", "ADT", "SST", "GST", "AKST", "AEST", "AEDT", "ACST", "AWST", "NZST", "NZDT", "JST", "KST", "HKT", "SGT", "MSK", "TRT", "CAT", "EAT", "WAT", "SAST", "BRT", "ART", "CLT"}
