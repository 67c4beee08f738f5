package intake

import (
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
	"almanach/internal/core/zone"
)

// A Mapping is an intake compiled against a source's header. It learns the
// columns once (Learn), and is not changed any more after that: what maps rows
// is a Mapper, of which each goroutine has its own.
type Mapping struct {
	Header table.Header
	Zones  *zone.Book
	Zone   *zone.Zone // of times that name none; nil for floating
	// ZoneFrom is what says so, a heading or a title; "" where none does.
	ZoneFrom string
	zoneText string // as that calls it
	// ZoneAside is what a heading or a title says of a zone that does not count, in words.
	ZoneAside string

	// LastDay says why the end of all-day events may not be their last day, in words.
	LastDay string
	// EachDay says why events of several days may be events on each of them, in words.
	EachDay string

	clocksApart bool // start and end have times of day in columns of their own
	daily       bool // which say by their names that they are those of each day

	intake           *Intake
	compiler         *template.Compiler
	key              []int
	leaveOut, cancel *template.Condition
	shown            []int // columns that more than the conditions names
	texts            []textField
	people           []peopleField
	organizer        *template.Template
	participation    *template.Template
	reminders        []*template.Template
	properties       []propertyField
	start, end       *moments
	borrowed         bool // the end's date is the start's own cell
	company          company
	year, half       int              // columns beside the dates that say their year, and am or pm; -1 for none
	weekday          int              // column of weekdays that the starts must fit, -1 for none
	weekdayIn        moment.Languages // of its names
	length           *template.Template
	allDay, zoneOf   *template.Template
	series           series
	occurrence       *moments
	dates            moment.Settings
	into             []*template.Template
	needs            []int
	from, to         int64            // the period, as midnights; 0 for open ends
	columns          []*moment.Column // by column: what was learnt of its dates; nil for those that hold none
	virtual          []*moment.Column // by slot: of texts that are put together first
}

// moments is what a date and time is made of: columns read each on its own,
// or a text put together first.
type moments struct {
	columns []int
	text    *template.Template
	slot    int // of text
	name    string
}

// Unused lists the columns with a heading that nothing of the intake names.
func (m *Mapping) Unused() []string {
	var out []string
	used := m.compiler.Used()
	for i, heading := range m.Header {
		if strings.TrimSpace(heading) != "" && !slices.Contains(used, i) {
			out = append(out, m.Header.Label(i))
		}
	}
	return out
}

// InPeriod tells whether an event lies in the time that the source is about.
func (m *Mapping) InPeriod(s event.Span) bool {
	if m.from == 0 && m.to == 0 {
		return true
	}
	wall := s.Start.InZone(m.Zone).Wall
	end := max(s.End.InZone(m.Zone).Wall, wall+1)
	if s.Rule != "" || len(s.Extra) > 0 { // a series lasts
		end = 1 << 60
	}
	return (m.to == 0 || wall < m.to) && (m.from == 0 || end > m.from)
}

// Destination is a calendar that a row goes to.
type Destination struct {
	Name string
	// FromRow tells that the name was read from the row, and not written in a
	// setting: it can only be a name, never a path.
	FromRow bool
	Column  string // that it was read from
}

// Fixed gives the calendars when every row goes to the same, and whether it
// does.
func (m *Mapping) Fixed() ([]Destination, bool) {
	for _, t := range m.into {
		if _, fixed := t.Fixed(); !fixed {
			return nil, false
		}
	}
	names, f := m.Mapper().Places(table.Row{})
	return names, f == nil
}

// Learn takes the dates of all rows into account. It must be called once,
// before any row is mapped.
func (m *Mapping) Learn(rows table.Rows) {
	for _, r := range rows.All() {
		if r.Fault != nil {
			continue
		}
		for i, c := range m.columns {
			if c != nil {
				c.Learn(int(r.Number), r.Cell(i))
			}
		}
	}
	for _, c := range m.columns {
		if c != nil {
			c.Settle()
		}
	}
	if len(m.virtual) > 0 {
		m.learnTexts(rows)
	}
	for _, s := range m.spans() {
		if s.text == nil {
			m.settlePair(s)
		}
	}
	m.borrowed = m.endBorrows()
	m.learnWeekdays(rows)
	m.learnBeside(rows)
	m.learnDayNames(rows)
	m.learnCompany(rows)
	m.learnLastDay(rows)
	m.learnEachDay(rows)
}

// spans are the moments that the mapping reads.
func (m *Mapping) spans() []*moments {
	return slices.DeleteFunc([]*moments{m.start, m.end, m.series.until, m.occurrence}, func(s *moments) bool { return s == nil })
}

// learnTexts learns the dates in texts that are put together first.
func (m *Mapping) learnTexts(rows table.Rows) {
	mapper := m.Mapper() // it must not outlive the learning
	for _, r := range rows.All() {
		if r.Fault != nil {
			continue
		}
		mapper.eval.Load(r)
		mapper.learnSeries(r)
		for _, s := range m.spans() {
			if s.text == nil || !s.text.Filled(r) {
				continue
			}
			if text, f := mapper.eval.Render(s.text); f == nil {
				m.virtual[s.slot].Learn(int(r.Number), table.Cell{Kind: table.Text, Text: text})
			}
		}
	}
	for _, c := range m.virtual {
		c.Settle()
	}
	for _, d := range m.series.lists() {
		m.virtual[d.slot].Prefer(moment.DateRole)
	}
}

// endBorrows tells whether the end takes its date from a cell of the start,
// as in "{Day} {From}" and "{Day} {Until}". Such a date says nothing of the day
// on which the event ends.
func (m *Mapping) endBorrows() bool {
	if m.end == nil || m.end.text != nil || m.start.text != nil {
		return false
	}
	borrows := false
	for _, i := range m.end.columns {
		if m.columns[i].Role() == moment.ClockRole {
			continue
		}
		if m.columns[i].Timed() || !slices.Contains(m.start.columns, i) {
			return false
		}
		borrows = true
	}
	return borrows
}

// settlePair tells a column that could hold dates or times which it is, when
// the column beside it holds the other.
func (m *Mapping) settlePair(s *moments) {
	has := map[moment.Role]bool{}
	for _, i := range s.columns {
		has[m.columns[i].Role()] = true
	}
	for _, i := range s.columns {
		switch {
		case m.columns[i].Serials():
			m.columns[i].Prefer(moment.DateRole)
		case len(s.columns) == 1 && s == m.end: // the end of what starts on a known day is a time of that day
			m.columns[i].Prefer(moment.ClockRole)
		case has[moment.DateRole] && len(s.columns) > 1:
			m.columns[i].Prefer(moment.ClockRole)
		case has[moment.ClockRole] || len(s.columns) == 1:
			m.columns[i].Prefer(moment.DateRole)
		}
	}
}

// Evidence says for each column of dates what settled the order of day and
// month, by the column's name, in the order of the columns.
func (m *Mapping) Evidence() []string {
	var out []string
	for i, c := range m.columns {
		if c != nil && c.Role() != moment.ClockRole && c.Evidence() != "" {
			out = append(out, m.Header.Label(i)+": "+c.Evidence())
		}
	}
	return out
}

// Wanted is what a row wants to stand in the calendar.
type Wanted struct {
	Event      event.Event
	Cancel     bool // only that its event be cancelled
	Notes      Notes
	Recurrence zone.Time // which occurrence of its series is meant; zero for an event of its own
}

// Key gives the row's key.
func (m *Mapping) Key(row table.Row) identity.Key {
	return m.appendKey(make(identity.Key, 0, len(m.key)), row)
}

func (m *Mapping) appendKey(k identity.Key, row table.Row) identity.Key {
	for _, col := range m.key {
		k = append(k, identity.Normal(row.Cell(col)))
	}
	return k
}

// KeyText gives the row's key as people read it.
func (m *Mapper) KeyText(row table.Row) string {
	m.parts = m.appendKey(m.parts[:0], row)
	return m.parts.String()
}

// keyLabel names the key's columns.
func (m *Mapping) keyLabel() string {
	names := ""
	for i, col := range m.key {
		if i > 0 {
			names += " and "
		}
		names += m.Header.Label(col)
	}
	return names
}

// A Mapper maps rows by a Mapping. It belongs to one goroutine.
type Mapper struct {
	*Mapping
	eval    *template.Evaluator
	marked  *template.Evaluator // for Markdown, whose signs in cells are only text
	columns []*moment.Reader    // by column
	virtual []*moment.Reader    // by slot
	memos   []template.Memo     // by field: what its texts came to
	scratch []byte
	parts   identity.Key // of the row that was asked for last
	given   given        // what the row at hand says of its span
	brief   bool         // see Batch.Brief
	row     int          // index of the row at hand in what was learnt; -1 where it is not known
}

// Mapper gives a new mapper. The rows must have been learnt.
func (m *Mapping) Mapper() *Mapper {
	out := &Mapper{Mapping: m, columns: make([]*moment.Reader, len(m.columns)), virtual: make([]*moment.Reader, len(m.virtual)), memos: make([]template.Memo, event.NumFields+len(m.people)), row: -1}
	for i, c := range m.columns {
		if c != nil {
			out.columns[i] = c.Reader()
		}
	}
	for i, c := range m.virtual {
		out.virtual[i] = c.Reader()
	}
	read := func(column int, row table.Row) (moment.Value, *fault.Fault) {
		return out.columns[column].Read(row.Cell(column), sent(row))
	}
	out.eval = m.compiler.Evaluator(read)
	if m.intake.Markdown {
		out.marked = m.compiler.Evaluator(read)
		out.marked.Mark = escapeMarkdown
	}
	return out
}

// sent is the day from which a row's "tomorrow" counts: when the message it is
// from was sent, or zero.
func sent(row table.Row) time.Time {
	if row.Origin == nil {
		return time.Time{}
	}
	return row.Origin.Sent
}

// LeftOut gives the reason why a row is left out on purpose, or "".
func (m *Mapper) LeftOut(row table.Row) (string, *fault.Fault) {
	if m.leaveOut == nil {
		return "", nil
	}
	m.eval.Load(row)
	met, f := m.eval.Met(m.leaveOut)
	if f != nil || !met {
		return "", f
	}
	return m.leaveOut.Text, nil
}

// Cancelled tells whether the row's event is to be cancelled.
func (m *Mapper) Cancelled(row table.Row) (bool, *fault.Fault) {
	if m.intake.Struck == "cancel" {
		if struck, _ := m.crossedOut(row); struck {
			return true, nil
		}
	}
	if m.cancel == nil {
		return false, nil
	}
	m.eval.Load(row)
	return m.eval.Met(m.cancel)
}

// Places gives the calendars a row goes to.
func (m *Mapper) Places(row table.Row) ([]Destination, *fault.Fault) {
	m.eval.Load(row)
	var out []Destination
	for _, t := range m.into {
		text, f := m.eval.Render(t)
		if f != nil {
			return nil, f
		}
		_, fixed := t.Fixed()
		to := Destination{Name: text, FromRow: !fixed, Column: t.Blame(m.Header, row, text)}
		if m.intake.Routes != nil {
			name, ok := m.intake.Routes[text]
			if !ok && text != "" {
				f := fault.Unknown("route", text, slices.Sorted(maps.Keys(m.intake.Routes)))
				f.Cause = fault.Newf("leads to no calendar: routes does not have it").Cause
				f.Place.Column = to.Column
				return nil, f
			}
			to.Name, to.FromRow = name, false
		}
		if to.Name == "" {
			f := fault.Newf("nothing in the row says which calendar it goes to").Do("fill it in")
			f.Place.Column = to.Column
			return nil, f
		}
		if !slices.ContainsFunc(out, func(d Destination) bool { return d.Name == to.Name }) {
			out = append(out, to)
		}
	}
	return out, nil
}

// Map gives the event a row stands for. The fault's place is the row's, with
// the column.
func (m *Mapper) Map(row table.Row, w *Wanted) *fault.Fault {
	*w = Wanted{}
	f := m.fill(row, w)
	if f != nil {
		at := row.Place()
		at.Column = f.Place.Column
		f.At(at)
	}
	if w.Event.Cleaned {
		w.Notes |= CleanedText
	}
	return f
}

func (m *Mapper) fill(row table.Row, w *Wanted) *fault.Fault {
	cancelled, f := m.Cancelled(row)
	if f != nil {
		return f
	}
	if cancelled {
		w.Cancel = true
		w.Event.SetText(event.Status, "cancelled")
		return nil
	}
	if m.cancel != nil {
		w.Event.SetText(event.Status, "")
	}
	m.eval.Load(row)
	for _, i := range m.needs {
		if !row.Filled(i) {
			f := fault.Newf("is empty: the row is still being filled in").Do("it is loaded by itself once it is complete")
			f.Place.Column = m.Header.Label(i)
			return f
		}
	}
	f = m.fillFields(row, w)
	if w.Event.Text(event.Title) == "" && !f.About("title") && !m.briefTitle(row) {
		f = fault.Join(m.noTitle(row), f)
	}
	span, when := m.span(row, w)
	if when != nil && when.Field == "" {
		when.Field = "when"
	}
	if f = fault.Join(f, when); f != nil {
		return f
	}
	w.Event.SetWhen(span)
	return m.fillReminders(row, w)
}

// briefTitle tells that the title is empty only because it was passed over.
func (m *Mapper) briefTitle(row table.Row) bool {
	return m.brief && slices.ContainsFunc(m.texts, func(t textField) bool { return t.field == event.Title && t.certain(row) })
}

func (m *Mapper) noTitle(row table.Row) *fault.Fault {
	f := fault.Newf("the title is empty").Do("fill it in, or leave such rows out with leave_out")
	for _, t := range m.texts {
		if t.field != event.Title {
			continue
		}
		if column := t.template.Blame(m.Header, row, ""); column != "" {
			f.Cause, f.Place.Column = fault.Newf("is empty: the event has no title").Cause, column
		}
	}
	return f
}

// StoredKey is Key with numbers as they are stored, whatever the sheet shows
// of them.
func (m *Mapping) StoredKey(row table.Row) identity.Key {
	k := make(identity.Key, 0, len(m.key))
	for _, col := range m.key {
		c := row.Cell(col)
		if c.Kind == table.Number {
			k = append(k, strconv.FormatFloat(c.Number, 'f', -1, 64))
			continue
		}
		k = append(k, identity.Normal(c))
	}
	return k
}
