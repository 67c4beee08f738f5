package intake

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// A Mapping is an intake compiled against a source's header. It is not safe
// for concurrent use.
type Mapping struct {
	Header table.Header
	Zones  *zone.Book
	Zone   *zone.Zone // of times that name none; nil for floating

	intake           *Intake
	key              []int
	leaveOut, cancel *Condition
	texts            []textField
	people           []peopleField
	organizer        *Template
	participation    *Template
	reminders        []*Template
	properties       []propertyField
	start, end       *moments
	borrowed         bool // the end's date is the start's own cell
	length           *Template
	allDay, zoneOf   *Template
	series           series
	occurrence       *moments
	dates            moment.Settings
	into             []*Template
	needs            []int
	from, to         int64                  // the period, as midnights; 0 for open ends
	columns          map[int]*moment.Column // what was learnt of each column that holds dates
	eval             evaluator
	memos            []memo // by field: what its texts came to
	scratch          []byte
	width            int  // cells an expression needs
	needCells        bool // whether there is any expression
	inputs           []int
}

// moments is what a date and time is made of: columns read each on its own,
// or a text put together first.
type moments struct {
	columns []int
	text    *Template
	virtual *moment.Column // for text
	name    string
}

// Compile compiles the intake against a header. fallback is the zone of times
// for which neither row nor intake names one, nil for floating times. The
// faults name every column that does not exist.
func (in *Intake) Compile(header table.Header, zones *zone.Book, fallback *zone.Zone, present time.Time) (*Mapping, []*fault.Fault) {
	m := &Mapping{Header: header, Zones: zones, Zone: fallback, intake: in, columns: map[int]*moment.Column{}}
	c := &compiler{header: header, used: map[int]bool{}, words: in.Words, inputs: map[int]bool{}}
	dates := in.Dates
	dates.Zones, dates.Present = zones, present
	m.dates = dates
	c.dates = func(i int) {
		if m.columns[i] == nil {
			m.columns[i] = moment.NewColumn(dates)
		}
	}
	var faults []*fault.Fault
	keep := func(f *fault.Fault) {
		if f != nil {
			faults = append(faults, f)
		}
	}
	if in.Zone != "" {
		z, err := zones.Find(in.Zone)
		if err != nil {
			u := zones.Unknown(in.Zone)
			f := in.root.Get("zone").Fault(0, "%s", u.Cause)
			f.Value, f.Quoted, f.Advice = u.Value, true, u.Advice
			keep(f)
		}
		m.Zone = z
	}
	for _, name := range in.Key {
		i := c.column(strings.Trim(name, "{}"))
		if i < 0 {
			u := c.unknown(strings.Trim(name, "{}"))
			f := in.keyAt.Fault(0, "%s", u.Cause)
			f.Value, f.Quoted, f.Advice = name, true, u.Advice
			keep(f)
		}
		m.key = append(m.key, i)
	}
	template := func(name string) *Template {
		t, ok := in.event[name]
		if !ok || t.text == "" {
			return nil
		}
		out, f := c.template(t)
		keep(f)
		return out
	}
	m.compileFields(c, in, template, keep)
	m.start, m.end = m.moments("start", template("start"), dates), m.moments("end", template("end"), dates)
	m.length, m.allDay, m.zoneOf = template("length"), template("all_day"), template("zone")
	m.compileSeries(template, dates)
	m.occurrence = m.moments("occurrence", template("occurrence"), dates)
	m.compilePlace(c, in, keep)
	var f *fault.Fault
	m.leaveOut, f = c.condition(in.leaveOut)
	keep(f)
	m.cancel, f = c.condition(in.cancel)
	keep(f)
	for i := range c.used {
		m.width = max(m.width, i+1)
	}
	m.needCells, m.inputs = c.cells, slices.Sorted(maps.Keys(c.inputs))
	m.eval.columns = m.columns
	return m, faults
}

// compilePlace compiles what decides whether and where a row is loaded.
func (m *Mapping) compilePlace(c *compiler, in *Intake, keep func(*fault.Fault)) {
	for _, text := range in.Into {
		t, f := c.template(template{text, in.intoAt})
		keep(f)
		m.into = append(m.into, t)
	}
	for _, name := range in.Needs {
		i := c.column(strings.Trim(name, "{}"))
		if i < 0 {
			u := c.unknown(strings.Trim(name, "{}"))
			f := in.root.Get("needs").Fault(0, "%s", u.Cause)
			f.Value, f.Quoted, f.Advice = name, true, u.Advice
			keep(f)
		}
		m.needs = append(m.needs, i)
	}
	set := m.dates
	set.Stated = true
	for _, end := range []struct {
		text, path string
		into       *int64
	}{{in.Period.From, "period.from", &m.from}, {in.Period.To, "period.to", &m.to}} {
		if end.text == "" {
			continue
		}
		col := moment.NewColumn(set)
		cell := table.Cell{Kind: table.Text, Text: end.text}
		col.Learn(1, cell)
		col.Settle()
		v, f := col.Read(cell)
		if f != nil || !v.HasDate {
			at := in.root.Get(end.path).Fault(0, "is not a day")
			at.Value, at.Quoted = end.text, true
			keep(at.Do("write it as 2026-03-05, or in two weeks"))
			continue
		}
		*end.into = v.Date
		if end.into == &m.to {
			m.to += 86400 // the last day is in it
		}
	}
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

// Places gives the calendars a row goes to, by name.
func (m *Mapping) Places(row table.Row) ([]string, *fault.Fault) {
	m.load(row)
	var out []string
	for _, t := range m.into {
		text, f := m.eval.render(t, row)
		if f != nil {
			return nil, f
		}
		names := []string{text}
		if m.intake.Routes != nil {
			name, ok := m.intake.Routes[text]
			if !ok && text != "" {
				known := slices.Sorted(maps.Keys(m.intake.Routes))
				f := fault.Unknown("route", text, known)
				f.Cause = fault.Newf("leads to no calendar: routes does not have it").Cause
				f.Place.Column = m.blame(t, row, text)
				return nil, f
			}
			names[0] = name
		}
		if names[0] == "" {
			f := fault.Newf("nothing in the row says which calendar it goes to").Do("fill it in")
			f.Place.Column = m.blame(t, row, "")
			return nil, f
		}
		for _, n := range names {
			if !slices.Contains(out, n) {
				out = append(out, n)
			}
		}
	}
	return out, nil
}

// Fixed gives the calendars when every row goes to the same, and whether it
// does.
func (m *Mapping) Fixed() ([]string, bool) {
	for _, t := range m.into {
		for _, p := range t.parts {
			if p.column >= 0 || p.program != nil || p.optional != nil {
				return nil, false
			}
		}
	}
	names, f := m.Places(table.Row{})
	return names, f == nil
}

// Fork gives a mapping that maps as this one does and may be used beside it
// by another goroutine. The rows must have been learnt.
func (m *Mapping) Fork() *Mapping {
	fork := *m
	fork.eval, fork.memos = evaluator{}, nil
	fork.columns = make(map[int]*moment.Column, len(m.columns))
	for i, c := range m.columns {
		fork.columns[i] = c.Fork()
	}
	fork.start, fork.end = m.start.fork(), m.end.fork()
	fork.occurrence = m.occurrence.fork()
	fork.series.until, fork.series.except, fork.series.also = m.series.until.fork(), m.series.except.fork(), m.series.also.fork()
	fork.eval.columns = fork.columns
	return &fork
}

func (s *moments) fork() *moments {
	if s == nil || s.virtual == nil {
		return s
	}
	fork := *s
	fork.virtual = s.virtual.Fork()
	return &fork
}

func (m *Mapping) moments(name string, t *Template, set moment.Settings) *moments {
	if t == nil {
		return nil
	}
	if columns, ok := t.columns(); ok {
		for _, i := range columns {
			if m.columns[i] == nil {
				m.columns[i] = moment.NewColumn(set)
			}
		}
		return &moments{columns: columns, name: name}
	}
	return &moments{text: t, virtual: moment.NewColumn(set), name: name}
}

// Learn takes the dates of all rows into account. It must be called once,
// before Settle.
func (m *Mapping) Learn(rows []table.Row) {
	order := slices.Sorted(maps.Keys(m.columns))
	for _, r := range rows {
		if r.Fault != nil {
			continue
		}
		for _, i := range order {
			m.columns[i].Learn(int(r.Number), r.Cell(i))
		}
	}
	if len(m.series.lists()) > 0 {
		for _, r := range rows {
			if r.Fault == nil {
				m.load(r)
				m.learnSeries(r)
			}
		}
	}
	for _, s := range []*moments{m.start, m.end, m.series.until, m.occurrence} {
		if s == nil || s.text == nil {
			continue
		}
		for _, r := range rows {
			m.load(r)
			if text, f := m.eval.render(s.text, r); f == nil && r.Fault == nil && s.text.filled(r) {
				s.virtual.Learn(int(r.Number), table.Cell{Kind: table.Text, Text: text})
			}
		}
	}
}

// Settle ends the learning.
func (m *Mapping) Settle() {
	for _, c := range m.columns {
		c.Settle()
	}
	for _, d := range m.series.lists() {
		d.column.Settle()
		d.column.Prefer(moment.DateRole)
	}
	for _, s := range []*moments{m.start, m.end, m.series.until, m.occurrence} {
		if s == nil {
			continue
		}
		if s.text != nil {
			s.virtual.Settle()
			continue
		}
		m.settlePair(s)
	}
	m.borrowed = m.endBorrows()
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
	for i := range m.width {
		if c := m.columns[i]; c != nil && c.Role() != moment.ClockRole && c.Evidence() != "" {
			out = append(out, m.Header.Label(i)+": "+c.Evidence())
		}
	}
	return out
}

// Notes says what was taken for granted in mapping one row. It is a set.
type Notes uint16

// What a mapping can take for granted.
const (
	AssumedLength Notes = 1 << iota
	AssumedOvernight
	AssumedAllDay
	AssumedOverlap
	SameRowTwice
	AssumedFirst
	assumedDates = 8 // moment's assumptions stand from this bit on
)

// Words lists the notes as a clerk reads them.
func (n Notes) Words(in *Intake) []string {
	var out []string
	for i, w := range []string{"end assumed: " + ShowLength(in.Assume.Length), "overnight assumed: ends on the next day", "all day assumed: no time given", "time happens twice when the clocks go back: the first is meant", "the same row stands twice: counted once", "moved to the first day that it repeats on"} {
		if n&(1<<i) != 0 {
			out = append(out, w)
		}
	}
	for _, w := range moment.Assumption(n >> assumedDates).Names() {
		out = append(out, w+" assumed")
	}
	return out
}

// Kinds lists the notes as single words for counting.
func (n Notes) Kinds(in *Intake) []string {
	var out []string
	for i, w := range []string{"length " + ShowLength(in.Assume.Length), "overnight", "all day", "first of two times", "doubled rows counted once", "first day that it repeats on"} {
		if n&(1<<i) != 0 {
			out = append(out, w)
		}
	}
	return append(out, moment.Assumption(n>>assumedDates).Names()...)
}

// ShowLength writes a length as a clerk would: 2h, 90min, 1d.
func ShowLength(d time.Duration) string {
	switch {
	case d >= 24*time.Hour && d%(24*time.Hour) == 0:
		return strings.TrimSuffix((d/24).String(), "h0m0s") + "d"
	case d%time.Hour == 0:
		return strings.TrimSuffix(d.String(), "0m0s")
	case d < time.Hour*3 && d%time.Minute == 0:
		return strings.TrimSuffix(time.Duration(d/time.Minute).String(), "ns") + "min"
	}
	return strings.TrimSuffix(d.String(), "0s")
}

// Wanted is what a row wants to stand in the calendar.
type Wanted struct {
	Event      event.Event
	Cancel     bool // only that its event be cancelled
	Notes      Notes
	Recurrence zone.Time // which occurrence of its series is meant; zero for an event of its own
}

func (m *Mapping) load(row table.Row) {
	if m.needCells {
		m.eval.load(row, m.width, m.inputs)
	}
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

// keyLabel names the key's columns.
func (m *Mapping) keyLabel() string {
	names := make([]string, len(m.key))
	for i, col := range m.key {
		names[i] = m.Header.Label(col)
	}
	return strings.Join(names, " and ")
}

// LeftOut gives the reason why a row is left out on purpose, or "".
func (m *Mapping) LeftOut(row table.Row) (string, *fault.Fault) {
	if m.leaveOut == nil {
		return "", nil
	}
	m.load(row)
	met, f := m.eval.met(m.leaveOut)
	if f != nil || !met {
		return "", f
	}
	return m.leaveOut.Text, nil
}

// Cancelled tells whether the row's event is to be cancelled.
func (m *Mapping) Cancelled(row table.Row) (bool, *fault.Fault) {
	if m.cancel == nil {
		return false, nil
	}
	m.load(row)
	return m.eval.met(m.cancel)
}

// Map gives the event a row stands for. The fault's place is the row's, with
// the column.
func (m *Mapping) Map(row table.Row, w *Wanted) *fault.Fault {
	*w = Wanted{}
	f := m.fill(row, w)
	if f != nil {
		at := row.Place()
		at.Column = f.Place.Column
		f.At(at)
	}
	return f
}

func (m *Mapping) fill(row table.Row, w *Wanted) *fault.Fault {
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
	m.load(row)
	for _, i := range m.needs {
		if !row.Cell(i).Filled() {
			f := fault.Newf("is empty: the row is still being filled in").Do("it is loaded by itself once it is complete")
			f.Place.Column = m.Header.Label(i)
			return f
		}
	}
	if f := m.fillFields(row, w); f != nil {
		return f
	}
	if w.Event.Text(event.Title) == "" {
		f := fault.Newf("the title is empty").Do("fill it in, or leave such rows out with leave_out")
		for _, t := range m.texts {
			if t.field == event.Title {
				if column := m.blame(t.template, row, ""); column != "" {
					f.Cause, f.Place.Column = fmt.Errorf("is empty: the event has no title"), column
				}
			}
		}
		return f
	}
	span, f := m.span(row, w)
	if f != nil {
		if f.Field == "" {
			f.Field = "when"
		}
		return f
	}
	w.Event.SetWhen(span)
	return m.fillReminders(row, w)
}
