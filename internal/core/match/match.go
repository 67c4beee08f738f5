// Package match finds the columns that suit the fields of an event, by their
// headings and by what they hold, for a table that no intake describes and for
// the first draft of one.
package match

import (
	"slices"
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
	Column *moment.Column // settled
	Filled int            // cells that hold anything
	States int            // of those, words for an event's status
}

// names lists what columns that suit a field are called, best first, in the
// languages that dates are read in.
var names = map[string][]string{
	"start":       {"start", "starts", "start date", "start time", "starting", "begin", "begins", "beginning", "from", "date", "day", "when", "appointment", "scheduled", "beginn", "von", "datum", "anfang", "début", "debut", "de", "fecha", "inicio", "desde", "data", "inizio", "da", "início", "aanvang", "van", "time", "hora", "heure", "uhrzeit", "zeit", "ora", "tijd"},
	"end":         {"end", "ends", "end date", "end time", "finish", "finishes", "until", "till", "to", "through", "last day", "ende", "bis", "fin", "à", "jusqu'à", "hasta", "fine", "a", "fim", "até", "einde", "tot"},
	"title":       {"title", "subject", "summary", "event", "name", "what", "headline", "activity", "titel", "betreff", "titre", "objet", "título", "titulo", "asunto", "evento", "titolo", "oggetto", "assunto", "onderwerp", "vessel", "ship", "schiff", "navire", "bateau", "buque", "barco", "nave", "navio", "schip", "bezeichnung", "nom", "nombre", "nome", "naam", "veranstaltung", "termin", "événement", "attività", "actividad", "atividade", "activiteit", "activité"},
	"location":    {"location", "place", "where", "room", "venue", "site", "berth", "quay", "ort", "raum", "lieu", "salle", "lugar", "ubicación", "sala", "luogo", "local", "plaats", "locatie", "liegeplatz", "kai", "quai", "poste", "muelle", "amarre", "banchina", "molo", "cais", "kade", "ligplaats", "standort", "endroit", "sitio"},
	"description": {"description", "details", "notes", "note", "comment", "comments", "remarks", "remark", "beschreibung", "bemerkung", "notizen", "remarques", "descripción", "notas", "descrizione", "descrição", "observações", "omschrijving", "opmerkingen"},
	"zone":        {"zone", "time zone", "timezone", "tz", "zeitzone", "fuseau", "fuseau horaire", "zona horaria", "fuso orario", "fuso horário", "tijdzone"},
	"all_day":     {"all day", "all-day", "allday", "all day event", "ganztägig", "journée entière", "todo el día", "hele dag"},
	"length":      {"length", "duration", "dauer", "durée", "duración", "durata", "duração", "duur"},
	"url":         {"url", "link", "web page", "website"},
	"status":      {"status"},
	"repeat":      {"repeat", "repeats", "recurrence", "rrule", "recurrence rule"},
	"occurrence":  {"occurrence", "recurrence-id", "recurrence id"},
	"categories":  {"categories", "category", "kategorie", "catégorie", "categoría", "categoria", "categorie"},
}

// Ships arrive before they leave, ferries leave before they arrive: which of
// the two is the start is told by which column comes first.
var (
	arrivals   = []string{"arrival", "arrives", "eta", "arr", "ankunft", "arrivée", "llegada", "arrivo", "chegada", "aankomst"}
	departures = []string{"departure", "departs", "etd", "leaves", "dep", "abfahrt", "départ", "salida", "partenza", "partida", "vertrek"}
)

// telling are the words that make a date or time a start or an end wherever they
// stand in a heading; "date" and "time" tell neither.
var telling = map[string][]string{
	"start": {"start", "starts", "starting", "begin", "begins", "beginning", "from", "beginn", "von", "anfang", "début", "debut", "inicio", "desde", "inizio", "início", "aanvang", "van"},
	"end":   {"end", "ends", "ending", "finish", "finishes", "until", "till", "to", "through", "ende", "bis", "fin", "hasta", "fine", "fim", "até", "einde", "tot"},
}

// records are words for dates that are about the row, not about its event.
var records = []string{"birth", "born", "created", "updated", "modified", "changed", "printed", "issued", "paid", "invoice", "invoiced", "sent", "received", "entered"}

// repeating are words for dates that are about a whole series.
var repeating = []string{"repeat", "repeats", "repeated", "recurrence", "series"}

func says(words []string, heading string) bool {
	for word := range strings.FieldsFuncSeq(strings.ToLower(heading), func(r rune) bool { return !unicode.IsLetter(r) }) {
		if slices.Contains(words, word) {
			return true
		}
	}
	return false
}

// rank gives how well column i names a field, from 1, or 0 when it does not.
func (m *matcher) rank(field string, i int) int {
	heading := m.header.Label(i)
	starts, ends := arrivals, departures
	if m.leaveFirst {
		starts, ends = departures, arrivals
	}
	own, other := starts, ends // what arrives or leaves says so in one word; "ETD date" is no start for its date
	switch field {
	case "start":
	case "end":
		own, other = ends, starts
	default:
		return rank(names[field], heading)
	}
	theirs := map[string]string{"start": "end", "end": "start"}[field]
	switch r := rank(own, heading); {
	case r > 0:
		return r + len(names[field])
	case rank(other, heading) > 0, says(records, heading), says(repeating, heading):
		return 0
	}
	r := rank(names[field], heading)
	if r > 100 {
		return r
	}
	switch { // "To date" is an end for its first word, "Date de fin" for its last
	case says(telling[field], heading):
		return r + 50
	case says(telling[theirs], heading):
		return 0
	}
	return r
}

func rank(names []string, heading string) int {
	heading = strings.ToLower(strings.Join(strings.Fields(strings.NewReplacer("_", " ", ".", "", ":", "").Replace(heading)), " "))
	for i, n := range names {
		if heading == n {
			return len(names) - i + 100
		}
	}
	for i, n := range names {
		if len(n) > 2 && (strings.HasPrefix(heading, n+" ") || strings.HasSuffix(heading, " "+n)) {
			return len(names) - i
		}
	}
	return 0
}

// Columns chooses columns for the fields of a table by its rows. key names the
// columns that are the key, which Columns never chooses. It gives a fault where
// no column suits for what every event must have.
func Columns(header table.Header, rows []table.Row, key []string, set moment.Settings) ([]Choice, *fault.Fault) {
	traits := make([]Traits, len(header))
	stride := max(1, len(rows)/sampled)
	for i := range header {
		c := moment.NewColumn(set)
		for n := 0; n < len(rows); n += stride {
			r := rows[n]
			c.Learn(int(r.Number), r.Cell(i))
			if cell := r.Cell(i); cell.Filled() {
				traits[i].Filled++
				if IsStatus(cell.Text) {
					traits[i].States++
				}
			}
		}
		c.Settle()
		traits[i].Column = c
	}
	choices, f := Suit(header, traits, key)
	for _, c := range choices {
		for _, i := range c.Indexes {
			if f == nil && i < len(header) && len(header.All(header[i])) > 1 { // which one was meant is not ours to guess
				f = template.Unknown(header, header[i])
				f.Advice = "describe the columns in an intake file, that one by its letter: {@" + table.Letter(i) + "}"
			}
		}
	}
	return choices, f
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

func (m *chooser) has(field string) bool {
	return slices.ContainsFunc(m.choices, func(c Choice) bool { return c.Field == field })
}

// Suit chooses columns for the fields by the traits of each column.
func Suit(header table.Header, traits []Traits, key []string) ([]Choice, *fault.Fault) {
	m := chooser{matcher: matcher{header: header, taken: map[int]bool{}}}
	Decide(traits)
	for i, t := range traits {
		c := matchColumn{filled: t.Filled, temporal: t.Column.Holds(t.Filled), role: t.Column.Role()}
		if role, ok := m.called(i); ok && !c.temporal {
			c.temporal, c.role = true, role
			t.Column.Prefer(role)
		}
		m.columns = append(m.columns, c)
	}
	m.findOrder()
	m.take("start", m.moment("start", "end")...)
	if !m.has("start") {
		m.take("start", m.onlyDate()...)
	}
	m.take("end", m.moment("end", "start")...)
	for _, field := range []string{"zone", "all_day", "length", "location", "description", "url", "categories", "title"} {
		if col := m.best(field, func(c matchColumn) bool { return !c.temporal || field == "length" }); col >= 0 {
			m.take(field, col)
		}
	}
	m.series()
	// a column called status that holds nothing else: other uses of the word are more frequent
	if i := header.Find("status"); i >= 0 && !m.taken[i] && traits[i].Filled > 0 && traits[i].States == traits[i].Filled {
		m.take("status", i)
	}
	if !m.has("start") {
		return m.choices, fault.Newf("no column holds the events' dates under a name such as Start or Date").Do("describe the columns in an intake file")
	}
	if !m.has("title") {
		col := m.firstText(key)
		if col < 0 {
			return m.choices, fault.Newf("no column suits as a title").Do("describe the columns in an intake file")
		}
		m.take("title", col)
	}
	return m.choices, nil
}

// series chooses the columns that tell how an event repeats.
func (m *chooser) series() {
	for _, field := range []string{"repeat", "occurrence"} { // by their whole names alone: "Repeat until" is neither
		if col := m.best(field, func(c matchColumn) bool { return c.temporal == (field == "occurrence") }); col >= 0 && m.rank(field, col) > 100 && (field == "repeat" || m.has("repeat")) {
			m.take(field, col)
		}
	}
	for i, c := range m.columns {
		if heading := m.header.Label(i); m.has("repeat") && !m.has("repeat_until") && !m.taken[i] && c.temporal && says(repeating, heading) && says(telling["end"], heading) {
			m.take("repeat_until", i)
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

// findOrder tells whether what leaves comes before what arrives.
func (m *matcher) findOrder() {
	for i, c := range m.columns {
		if !c.temporal {
			continue
		}
		switch {
		case rank(arrivals, m.header.Label(i)) > 0:
			return
		case rank(departures, m.header.Label(i)) > 0:
			m.leaveFirst = true
			return
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
	case r > 100:
		return Surely
	case r > 0:
		return Likely
	}
	return Perhaps
}

// onlyDate gives the one column that holds dates, when there is just one.
func (m *matcher) onlyDate() []int {
	at := -1
	for i, c := range m.columns {
		if m.taken[i] || c.filled == 0 || !c.temporal || c.role == moment.ClockRole {
			continue
		}
		if at >= 0 {
			return nil
		}
		at = i
	}
	if at < 0 {
		return nil
	}
	return []int{at}
}

// sampled is about how many rows are looked at to tell what columns hold.
// What their dates mean is learnt from every row afterwards.
const sampled = 1000

type matcher struct {
	header  table.Header
	columns []matchColumn
	taken   map[int]bool

	leaveFirst bool
}

type matchColumn struct {
	filled   int
	temporal bool
	role     moment.Role
}

// The words by which a heading says that its column holds times of day, or
// dates, whatever can be read of them.
var (
	clockWords = []string{"time", "hour", "uhrzeit", "zeit", "heure", "hora", "ora", "orario", "horário", "tijd"}
	dateWords  = []string{"date", "datum", "fecha", "data"}
	linkWords  = []string{"of", "de", "del", "di", "do", "da", "van", "von", "in", "out"}
)

// called gives what the heading of column i says that the column holds. Cells
// of such a column that cannot be read hold their rows; if the column were left
// out for them, the others would become all day.
func (m *matcher) called(i int) (moment.Role, bool) {
	heading := m.header.Label(i)
	if rank(names["zone"], heading) > 0 || rank(names["length"], heading) > 0 || rank(names["all_day"], heading) > 0 || m.rank("start", i) == 0 && m.rank("end", i) == 0 {
		return moment.AnyRole, false
	}
	words := strings.Fields(strings.ToLower(strings.NewReplacer("_", " ", "-", " ", ".", "", ":", "").Replace(heading)))
	if len(words) == 0 {
		return moment.AnyRole, false
	}
	says := []string{words[len(words)-1]} // Start time; Time from, Date de fin; but not Time sheet
	if len(words) > 1 && (slices.Contains(linkWords, words[1]) || slices.Contains(telling["start"], words[1]) || slices.Contains(telling["end"], words[1])) {
		says = append(says, words[0])
	}
	for _, word := range says {
		switch {
		case slices.Contains(clockWords, word):
			return moment.ClockRole, true
		case slices.Contains(dateWords, word):
			return moment.DateRole, true
		}
	}
	return moment.AnyRole, false
}

func (m *matcher) best(field string, fits func(matchColumn) bool) int {
	best, at := 0, -1
	for i, c := range m.columns {
		if m.taken[i] || c.filled == 0 || !fits(c) {
			continue
		}
		if r := m.rank(field, i); r > best {
			best, at = r, i
		}
	}
	return at
}

// moment finds the column of a date and, where that has no times, the column
// of its time. A column that names the other end better is not taken.
func (m *matcher) moment(field, other string) []int {
	dated := func(role moment.Role) int {
		best, at := 0, -1
		for i, c := range m.columns {
			if m.taken[i] || c.filled == 0 || !c.temporal || (c.role == moment.ClockRole) != (role == moment.ClockRole) {
				continue
			}
			r := m.rank(field, i)
			if r > best && r >= m.rank(other, i) {
				best, at = r, i
			}
		}
		return at
	}
	date := dated(moment.DateRole)
	var out []int
	if date >= 0 {
		out = append(out, date)
	}
	if date < 0 || m.columns[date].role == moment.DateRole {
		if clock := dated(moment.ClockRole); clock >= 0 && (date >= 0 || field == "end") {
			out = append(out, clock)
		}
	}
	return out
}

func (m *matcher) firstText(key []string) int {
	for i, c := range m.columns {
		isKey := false
		for _, k := range key {
			isKey = isKey || m.header.Find(k) == i
		}
		if !m.taken[i] && c.filled > 0 && !c.temporal && !isKey {
			return i
		}
	}
	for i, c := range m.columns {
		if !m.taken[i] && c.filled > 0 && !c.temporal {
			return i
		}
	}
	return -1
}
