package intake

import (
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
)

// Choice is one column that Match took for a field, for printing.
type Choice struct {
	Field   string // as an intake file calls it
	Columns []string
}

// names lists what columns that suit a field are called, best first, in the
// languages that dates are read in.
var names = map[string][]string{
	"start":       {"start", "starts", "start date", "start time", "starting", "begin", "begins", "beginning", "from", "date", "day", "when", "arrival", "arrives", "eta", "beginn", "von", "datum", "anfang", "début", "debut", "de", "fecha", "inicio", "desde", "data", "inizio", "da", "início", "aanvang", "van", "time", "hora", "heure", "uhrzeit", "zeit", "ora", "tijd"},
	"end":         {"end", "ends", "end date", "end time", "finish", "finishes", "until", "till", "to", "through", "departure", "departs", "etd", "last day", "ende", "bis", "fin", "à", "jusqu'à", "hasta", "fine", "a", "fim", "até", "einde", "tot"},
	"title":       {"title", "subject", "summary", "event", "name", "what", "headline", "activity", "titel", "betreff", "titre", "objet", "título", "titulo", "asunto", "evento", "titolo", "oggetto", "assunto", "onderwerp", "vessel", "ship"},
	"location":    {"location", "place", "where", "room", "venue", "site", "berth", "quay", "ort", "raum", "lieu", "salle", "lugar", "ubicación", "sala", "luogo", "local", "plaats", "locatie"},
	"description": {"description", "details", "notes", "note", "comment", "comments", "remarks", "remark", "beschreibung", "bemerkung", "notizen", "remarques", "descripción", "notas", "descrizione", "descrição", "observações", "omschrijving", "opmerkingen"},
	"zone":        {"zone", "time zone", "timezone", "tz", "zeitzone", "fuseau", "fuseau horaire", "zona horaria", "fuso orario", "fuso horário", "tijdzone"},
	"all_day":     {"all day", "all-day", "allday", "all day event", "ganztägig", "journée entière", "todo el día", "hele dag"},
	"length":      {"length", "duration", "dauer", "durée", "duración", "durata", "duração", "duur"},
	"url":         {"url", "link", "web page", "website"},
	"categories":  {"categories", "category", "kategorie", "catégorie", "categoría", "categoria", "categorie"},
}

// rank gives how well a heading names a field, from 1, or 0 when it does not.
func rank(field, heading string) int {
	heading = strings.ToLower(strings.Join(strings.Fields(strings.NewReplacer("_", " ", ".", "", ":", "").Replace(heading)), " "))
	for i, n := range names[field] {
		if heading == n {
			return len(names[field]) - i + 100
		}
	}
	for i, n := range names[field] {
		if len(n) > 3 && strings.HasPrefix(heading, n+" ") || strings.HasSuffix(heading, " "+n) && len(n) > 2 {
			return len(names[field]) - i
		}
	}
	return 0
}

// Match completes an intake for a table that no file describes: it finds the
// columns of the fields by their headings and by what they hold. It never
// chooses the key.
func (in *Intake) Match(header table.Header, rows []table.Row, set moment.Settings) ([]Choice, *fault.Fault) {
	m := matcher{header: header, taken: map[int]bool{}}
	stride := max(1, len(rows)/sampled)
	for i := range header {
		c := moment.NewColumn(set)
		filled := 0
		for n := 0; n < len(rows); n += stride {
			r := rows[n]
			c.Learn(int(r.Number), r.Cell(i))
			if r.Cell(i).Filled() {
				filled++
			}
		}
		c.Settle()
		m.columns = append(m.columns, matchColumn{column: c, filled: filled, temporal: c.Holds(filled)})
	}
	var choices []Choice
	take := func(field string, columns ...int) {
		if len(columns) == 0 {
			return
		}
		names := make([]string, len(columns))
		texts := make([]string, len(columns))
		for i, col := range columns {
			m.taken[col] = true
			names[i] = header.Label(col)
			texts[i] = "{@" + table.Letter(col) + "}"
			if header.Find(header[col]) == col && !strings.ContainsAny(header[col], "{}") {
				texts[i] = "{" + header[col] + "}"
			}
		}
		in.SetEvent(field, strings.Join(texts, " "))
		choices = append(choices, Choice{field, names})
	}
	take("start", m.moment("start", "end")...)
	take("end", m.moment("end", "start")...)
	for _, field := range []string{"zone", "all_day", "length", "location", "description", "url", "categories", "title"} {
		if col := m.best(field, func(c matchColumn) bool { return !c.temporal || field == "length" }); col >= 0 {
			take(field, col)
		}
	}
	if in.EventText("start") == "" {
		return choices, fault.Newf("no column holds the events' dates under a name such as Start or Date").Do("describe the columns in an intake file")
	}
	if in.EventText("title") == "" {
		col := m.firstText(in.Key)
		if col < 0 {
			return choices, fault.Newf("no column suits as a title").Do("describe the columns in an intake file")
		}
		take("title", col)
	}
	return choices, nil
}

// sampled is about how many rows are looked at to tell what columns hold.
// What their dates mean is learnt from every row afterwards.
const sampled = 1000

type matcher struct {
	header  table.Header
	columns []matchColumn
	taken   map[int]bool
}

type matchColumn struct {
	column   *moment.Column
	filled   int
	temporal bool
}

func (m *matcher) best(field string, fits func(matchColumn) bool) int {
	best, at := 0, -1
	for i, c := range m.columns {
		if m.taken[i] || c.filled == 0 || !fits(c) {
			continue
		}
		if r := rank(field, m.header[i]); r > best {
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
			if m.taken[i] || c.filled == 0 || !c.temporal || (c.column.Role() == moment.ClockRole) != (role == moment.ClockRole) {
				continue
			}
			r := rank(field, m.header[i])
			if r > best && r >= rank(other, m.header[i]) {
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
	if date < 0 || m.columns[date].column.Role() == moment.DateRole {
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
