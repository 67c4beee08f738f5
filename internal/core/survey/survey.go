// Package survey says what a table holds: each column's kind, how full it is,
// which event field it suits, and which columns can serve as a key.
//
// Rows are looked at one after another, and only the first are kept. What is counted over all
// rows is exact; which values are there twice is worked out for the first
// Sample rows, so that memory stays the same however long the table is.
package survey

import (
	"fmt"
	"hash/maphash"
	"slices"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
)

// Sample is how many rows are looked at for values that are there twice.
const Sample = 200_000

// settled is how many cells tell whether a column holds dates at all.
const settled = 1000

// Column is what can be said of one column.
type Column struct {
	Letter   string   `json:"letter"`
	Header   string   `json:"header"`
	Kind     string   `json:"kind"` // date, time of day, date and time, number, text, …; empty when nothing is in it
	Filled   int      `json:"filled"`
	Distinct int      `json:"distinct"`
	Samples  []string `json:"samples"` // three at most, all different
	Field    string   `json:"field"`   // the event field it suits, "" for none
	Sure     string   `json:"sure"`    // surely, likely or perhaps
	Dates    string   `json:"dates"`   // what settles the order of day and month
}

// Key is columns that could identify a row.
type Key struct {
	Columns []string `json:"columns"`
	Doubles [][]int  `json:"doubles,omitempty"` // rows that share a value, the first few of them; none for a key that holds
	Twice   int      `json:"twice"`             // rows whose value another row has too
	Blank   int      `json:"blank"`             // rows in which a part is empty
}

// Survey is what can be said of a table.
type Survey struct {
	Rows    int            `json:"rows"`    // without totals
	Sampled int            `json:"sampled"` // rows looked at for doubles
	Columns []Column       `json:"columns"`
	Keys    []Key          `json:"keys"`      // that hold, best first
	Near    []Key          `json:"near_keys"` // that a few rows spoil
	Totals  []int          `json:"totals"`    // rows that only sum up others
	Damaged int            `json:"damaged"`   // rows that could not be read
	Carried []string       `json:"carried"`   // columns that seem to be written once and left blank below
	Choices []match.Choice `json:"-"`
	Problem *fault.Fault   `json:"-"` // why a drafted intake is not complete

	traits []match.Traits
}

// Template gives the template over the columns chosen for a field, "" for none.
func (s *Survey) Template(field string) string {
	for _, c := range s.Choices {
		if c.Field == field {
			return c.Template
		}
	}
	return ""
}

// Surveyor takes rows in.
type Surveyor struct {
	header  table.Header
	columns []*column
	seed    maphash.Seed
	numbers []int32    // of the rows sampled
	first   table.Rows // the first rows, settled of them at most
	out     Survey
}

// column is what is remembered of one column.
type column struct {
	moments  *moment.Column
	traits   match.Traits
	kinds    [table.Bad + 1]int
	longest  int
	samples  []string
	prints   []uint64 // of the rows sampled; 0 for an empty cell
	begun    bool     // the first row is filled
	blankRun int      // blanks below a filled cell
}

// New begins a survey.
func New(header table.Header, set moment.Settings) *Surveyor {
	s := &Surveyor{header: header, seed: maphash.MakeSeed()}
	for range header {
		s.columns = append(s.columns, &column{moments: moment.NewColumn(set)})
	}
	return s
}

// Add looks at one row.
func (s *Surveyor) Add(row table.Row) {
	switch {
	case row.Fault != nil:
		s.out.Damaged++
		return
	case row.Sums():
		s.out.Totals = append(s.out.Totals, int(row.Number))
		return
	}
	s.out.Rows++
	if s.first.Len() < settled {
		s.first.Add(row)
	}
	sampled := len(s.numbers) < Sample
	if sampled {
		s.numbers = append(s.numbers, row.Number)
	}
	for i, c := range s.columns {
		cell := row.Cell(i)
		print := uint64(0)
		if cell.Filled() {
			c.add(int(row.Number), cell)
			print = maphash.String(s.seed, identity.Normal(cell)) | 1
		} else if c.traits.Filled > 0 {
			c.blankRun++
		}
		c.begun = c.begun || s.out.Rows == 1 && print != 0
		if sampled {
			c.prints = append(c.prints, print)
		}
	}
}

func (c *column) add(row int, cell table.Cell) {
	c.traits.Learn(cell)
	c.kinds[cell.Kind]++
	if c.traits.Filled <= settled || c.moments.Holds(c.traits.Filled) { // what holds no dates by then will not
		c.moments.Learn(row, cell)
	}
	c.longest = max(c.longest, len(cell.Text))
	if len(c.samples) < 3 {
		if text := fault.Shorten(strings.TrimSpace(cell.Text), 40); !slices.Contains(c.samples, text) {
			c.samples = append(c.samples, strings.Clone(text))
		}
	}
}

// kind names what most of the column's cells are.
func (s *Surveyor) kind(i int) string {
	c := s.columns[i]
	if c.traits.Filled == 0 {
		return "empty"
	}
	most, count := table.Text, 0
	for k, n := range c.kinds {
		if n > count {
			most, count = table.Kind(k), n
		}
	}
	form := c.moments.Form(c.traits.Filled)
	if !s.moves(i) {
		form = ""
	}
	switch {
	case most == table.Text && form == "" && c.traits.Figures == c.traits.Filled:
		return "number"
	case most == table.Text && form != "":
		return form
	case most == table.Date && c.kinds[table.DateTime] > 0:
		return "date and time"
	}
	return most.String()
}

// Finish ends the survey.
func (s *Surveyor) Finish() *Survey {
	out := &s.out
	out.Sampled = len(s.numbers)
	traits := make([]match.Traits, len(s.columns))
	for i, c := range s.columns {
		c.moments.Settle()
		c.traits.Column = c.moments
		traits[i] = c.traits
	}
	match.Decide(traits)
	out.traits = traits
	s.keys()
	var key []string
	if len(out.Keys) > 0 {
		key = out.Keys[0].Columns
	}
	out.Choices, out.Problem = match.Choose(s.header, s.first, traits, match.Given{Key: key})
	for i, c := range s.columns {
		col := Column{Letter: table.Letter(i), Header: s.header[i], Kind: s.kind(i), Filled: c.traits.Filled, Distinct: s.distinct(c), Samples: c.samples}
		if col.Samples == nil {
			col.Samples = []string{}
		}
		if c.moments.Role() != moment.ClockRole && c.moments.Holds(c.traits.Filled) {
			col.Dates = c.moments.Evidence()
		}
		for _, choice := range out.Choices {
			if slices.Contains(choice.Indexes, i) {
				col.Field, col.Sure = choice.Field, choice.Sure.String()
			}
		}
		if col.Field != "end" && c.begun && c.blankRun > 0 && c.traits.Filled*2 <= out.Rows && c.moments.Holds(c.traits.Filled) {
			out.Carried = append(out.Carried, s.header.Label(i))
		}
		out.Columns = append(out.Columns, col)
	}
	return out
}

func (s *Surveyor) distinct(c *column) int {
	sorted := slices.Clone(c.prints)
	slices.Sort(sorted)
	n := len(slices.Compact(sorted))
	if len(sorted) > 0 && sorted[0] == 0 {
		n--
	}
	return n
}

// steady are words in the headings of columns that keep their values, best
// first.
var steady = []string{"id", "uid", "no", "nr", "number", "ref", "reference", "key", "code", "booking", "nummer", "numéro", "numero", "número", "referenz", "référence", "referencia", "kennung", "codice", "código", "buchung", "buchungsnummer", "buchungsnr", "kennzeichen", "auftrag", "réservation", "dossier", "reserva", "prenotazione", "boeking", "boekingsnummer", "order", "reservation", "ticket", "permit", "réf", "rif", "riferimento", "num", "núm", "n", "№", "job", "lfd", "vorgang", "aktenzeichen", "commande", "pedido", "expediente", "ordine", "pratica", "processo", "opdracht"}

// measured are words in the headings of columns that hold amounts: these differ by
// chance in a short sheet, and say nothing of which row is which.
var measured = []string{"minutes", "mins", "min", "hours", "hrs", "duration", "length", "days", "day", "month", "year", "week", "hour", "minute", "tag", "monat", "jahr", "woche", "stunde", "jour", "mois", "année", "semaine", "heure", "día", "mes", "año", "semana", "hora", "giorno", "mese", "anno", "settimana", "ora", "dia", "mês", "ano", "dag", "maand", "jaar", "uur", "pax", "passengers", "persons", "people", "guests", "places", "seats", "price", "cost", "fee", "amount", "total", "quantity", "qty", "count", "loa", "draught", "draft", "beam", "tonnage", "weight", "gt", "minuten", "stunden", "dauer", "preis", "betrag", "anzahl", "menge", "personen", "durée", "prix", "montant", "quantité", "duración", "precio", "importe", "cantidad", "durata", "prezzo", "importo", "quantità", "duração", "preço", "quantidade", "duur", "prijs", "bedrag", "aantal", "passeggeri", "passagers", "passageiros", "pasajeros", "passagiere", "persone", "personnes", "pessoas", "personas", "teilnehmer", "ospiti", "posti"}

// remarked are words in the headings of columns that hold what somebody had to say.
var remarked = []string{"remark", "remarks", "note", "notes", "comment", "comments", "description", "details", "bemerkung", "bemerkungen", "notiz", "notizen", "hinweis", "hinweise", "anmerkung", "anmerkungen", "kommentar", "beschreibung", "remarque", "remarques", "commentaire", "commentaires", "observations", "observaciones", "observações", "comentarios", "comentários", "notas", "nota", "osservazioni", "opmerking", "opmerkingen", "toelichting"}

// codeForm is a value as offices number things: TH-1042, R 17, K007/2.
var codeForm = pattern.Lazy(`^\p{L}{1,6}[-_/ .]?\d+([-_/.]\w+)*$`)

// words are the words of a column's heading.
func (s *Surveyor) words(i int) []string {
	return strings.FieldsFunc(strings.ToLower(s.header.Label(i)), func(r rune) bool { return strings.ContainsRune(" ._-/#°º:()", r) })
}

// moves tells whether a column holds dates or times. A staff number of 101 is no
// minute past one.
func (s *Surveyor) moves(i int) bool {
	c := s.columns[i]
	if c.traits.Figures*5 >= c.traits.Filled*4 && slices.ContainsFunc(s.words(i), func(w string) bool { return slices.Contains(steady, w) }) {
		return false
	}
	return c.moments.Holds(c.traits.Filled)
}

// steadiness ranks how likely a column's values are to stay put: a number that
// somebody gave it first, a time last.
func (s *Surveyor) steadiness(i int) int {
	c := s.columns[i]
	score := 0
	words := s.words(i)
	for n, w := range steady {
		if slices.Contains(words, w) {
			score = max(score, 100-n)
		}
	}
	has := func(list []string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return slices.Contains(list, w) })
	}
	switch {
	case has(measured) && !has(steady[:2]): // "number of guests" numbers nothing
		score = -40
	case has(remarked) && score == 0:
		score = -40
	}
	if len(c.samples) > 0 && !slices.ContainsFunc(c.samples, func(text string) bool { return !codeForm().MatchString(text) }) && !s.moves(i) {
		score += 20
	}
	switch {
	case s.moves(i):
		score -= 60
	case c.longest > 60:
		score -= 50
	case c.traits.Figures == c.traits.Filled || c.kinds[table.Number] == c.traits.Filled:
		score += 5
	}
	return score - i // of two alike the one further left
}

// keys finds the smallest sets of columns that are filled and unique.
func (s *Surveyor) keys() {
	var order []int
	for i, c := range s.columns {
		if c.traits.Filled > 0 && s.header.Label(i) != "" {
			order = append(order, i)
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return s.steadiness(b) - s.steadiness(a) })
	spoilt := func(k Key) int { return k.Twice + k.Blank }
	for _, i := range order {
		k := s.key(i)
		switch bad := spoilt(k); {
		case bad == 0 && len(s.out.Keys) < 3 && (len(s.out.Keys) == 0 || s.steadiness(i) > -10):
			s.out.Keys = append(s.out.Keys, k)
		case bad > 0 && bad <= max(4, len(s.numbers)/20) && (bad*4 <= len(s.numbers) || bad*2 <= len(s.numbers) && s.steadiness(i) > 50) && len(s.out.Near) < 3 && s.steadiness(i) > -10:
			s.out.Near = append(s.out.Near, k)
		}
	}
	timed := func(k Key) bool {
		return slices.ContainsFunc(order, func(i int) bool {
			return slices.Contains(k.Columns, s.header.Label(i)) && s.moves(i)
		})
	}
	if len(s.out.Near) > 0 { // a number that is nearly enough makes a better key than a time, which moves
		s.out.Keys = slices.DeleteFunc(s.out.Keys, timed)
	}
	if len(s.out.Keys) > 0 && !slices.ContainsFunc(s.out.Keys, func(k Key) bool { return !timed(k) }) && s.steadiness(order[0]) > 50 {
		// Days that happen to differ: two people will start on the same one tomorrow.
		for _, i := range order[1:] {
			if k := s.key(order[0], i); s.header.Label(i) == s.out.Keys[0].Columns[0] && spoilt(k) == 0 {
				s.out.Keys = append([]Key{k}, s.out.Keys...)[:min(3, len(s.out.Keys)+1)]
				break
			}
		}
	}
	if len(s.out.Keys) > 0 || len(s.numbers) < 2 {
		return
	}
	order = order[:min(len(order), 10)]
	for size := 2; size <= 3 && len(s.out.Keys) == 0; size++ {
		for _, set := range sets(order, size) {
			if k := s.key(set...); spoilt(k) == 0 {
				s.out.Keys = append(s.out.Keys, k)
			}
		}
	}
	if len(s.out.Near) > 0 { // nor does one beside another column, but for a number that stands often twice
		often := spoilt(s.out.Near[0])*2 >= len(s.numbers)
		s.out.Keys = slices.DeleteFunc(s.out.Keys, func(k Key) bool {
			return timed(k) && !(often && slices.Contains(k.Columns, s.out.Near[0].Columns[0]))
		})
	}
	weight := func(k Key) (sum int) {
		for _, name := range k.Columns {
			for _, i := range order {
				if s.header.Label(i) == name {
					sum += s.steadiness(i)
				}
			}
		}
		return sum
	}
	slices.SortStableFunc(s.out.Keys, func(a, b Key) int { return weight(b) - weight(a) })
	s.out.Keys = s.out.Keys[:min(len(s.out.Keys), 3)]
}

// sets gives every choice of size columns, in order.
func sets(columns []int, size int) (out [][]int) {
	if size == 0 {
		return [][]int{nil}
	}
	for i, c := range columns {
		for _, rest := range sets(columns[i+1:], size-1) {
			out = append(out, append([]int{c}, rest...))
		}
	}
	return out
}

// key counts what spoils some columns as a key.
func (s *Surveyor) key(columns ...int) Key {
	k := Key{}
	for _, i := range columns {
		k.Columns = append(k.Columns, s.header.Label(i))
	}
	type entry struct {
		print uint64
		row   int32
	}
	entries := make([]entry, 0, len(s.numbers))
	for n, number := range s.numbers {
		print := uint64(0)
		for _, i := range columns {
			p := s.columns[i].prints[n]
			if p == 0 {
				print = 0
				break
			}
			print = print*0x9e3779b97f4a7c15 ^ p
		}
		if print == 0 {
			k.Blank++
			continue
		}
		entries = append(entries, entry{print, number})
	}
	slices.SortFunc(entries, func(a, b entry) int {
		if a.print != b.print {
			if a.print < b.print {
				return -1
			}
			return 1
		}
		return int(a.row) - int(b.row)
	})
	var groups [][]entry
	for from := 0; from < len(entries); {
		to := from + 1
		for to < len(entries) && entries[to].print == entries[from].print {
			to++
		}
		if to-from > 1 {
			k.Twice += to - from
			groups = append(groups, entries[from:to])
		}
		from = to
	}
	slices.SortFunc(groups, func(a, b []entry) int { return int(a[0].row) - int(b[0].row) })
	for _, g := range groups[:min(3, len(groups))] {
		var d []int
		for _, e := range g[:min(5, len(g))] {
			d = append(d, int(e.row))
		}
		k.Doubles = append(k.Doubles, d)
	}
	return k
}

// Share says how full a column is.
func (s *Survey) Share(c Column) string {
	switch {
	case s.Rows == 0 || c.Filled == 0:
		return "–"
	case c.Filled == s.Rows:
		return "all"
	}
	return fmt.Sprintf("%d%%", max(1, min(99, c.Filled*100/s.Rows)))
}
