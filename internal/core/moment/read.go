package moment

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// A Reader reads the cells of a settled column, and remembers what their texts
// came to. It belongs to one goroutine.
type Reader struct {
	column *Column
	shapes map[string]shape
	values map[string]Value // texts read before; what was held is read again
	stated time.Time        // the day that values counts from
}

// memoSize is how many distinct texts of a column are remembered.
const memoSize = 1 << 13

// Reader gives a new reader of the column, which must be settled.
func (c *Column) Reader() *Reader { return &Reader{column: c} }

// Read is Reader.Read for a single cell without a day of its own.
func (c *Column) Read(cell table.Cell) (Value, *fault.Fault) {
	return c.Reader().Read(cell, time.Time{})
}

// Read gives a cell's value. An empty cell is a zero Value and no fault. The
// fault has value, cause and advice; the caller adds the place.
//
// stated is the day, in the writer's own offset, from which "tomorrow" and
// missing years count: the day a message was sent. Where it is zero the
// settings' Present is, if they allow that.
func (r *Reader) Read(cell table.Cell, stated time.Time) (Value, *fault.Fault) {
	v, f := r.read(cell, stated)
	if f == nil && v.HasDate {
		if f = r.column.believe(cell.Text, v.Date); f == nil && v.HasEndDate {
			f = r.column.believe(cell.Text, v.EndDate)
		}
	}
	return v, f
}

func (r *Reader) read(cell table.Cell, stated time.Time) (Value, *fault.Fault) {
	c := r.column
	v := Value{Clock: noClock, EndClock: noClock}
	switch cell.Kind {
	case table.Empty:
		return v, nil
	case table.Date, table.DateTime:
		return c.readNative(cell)
	case table.Time, table.Duration:
		s := cell.Seconds()
		if s < 0 || s > 86400 {
			return v, fault.New(cell.Text, "is not a time of day")
		}
		v.Clock = int(s)
		return v, nil
	case table.Bad:
		if _, err := strconv.ParseFloat(cell.Text, 64); err == nil {
			return v, fault.New(cell.Text, "is no day, though the sheet shows the number as a date").Do("fill in the date; a formula that points at an empty cell gives 0")
		}
		return v, fault.New(cell.Text, "is an error value, or a formula that was never calculated").Do("open the workbook, let it calculate, and save it")
	case table.Bool:
		return v, fault.New(cell.Text, "is not a date or time")
	}
	text := visible(cell.Text)
	if text == "" {
		return v, nil
	}
	if c.set.Unix != 0 {
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			return c.readUnix(n, text)
		}
	}
	return r.text(text, stated)
}

func (r *Reader) text(text string, stated time.Time) (Value, *fault.Fault) {
	if !stated.Equal(r.stated) { // the same words mean another day
		r.values, r.stated = nil, stated
	}
	if v, known := r.values[text]; known {
		return v, nil
	}
	v := Value{Clock: noClock, EndClock: noClock}
	switch part, sure := r.column.part(text); {
	case part:
		return r.column.readSerial(text)
	case !sure:
		return v, fault.New(text, "may be a time or, as spreadsheets count, a part of a day").Do("write hours and minutes, as in 08:30")
	}
	s := r.shape(text)
	if s.unsure != "" {
		return v, fault.New(text, fmt.Sprintf("may end at %s or be at an offset of %s", s.unsure[1:], s.unsure)).Do("write a range with spaces around its dash, an offset as UTC%s", s.unsure)
	}
	if s.why != "" {
		return v, fault.New(text, s.why).Do("write one, or a range with a dash")
	}
	if !s.ok {
		if isWholeDay(text) {
			v.AllDay = true
			return v, nil
		}
		return r.column.readSerial(text)
	}
	c := r.column
	if c.halfMissing(s) {
		return v, fault.New(text, "says neither am nor pm, as the others of its column do").Do("write am or pm behind it")
	}
	if !stated.IsZero() {
		dated := *c
		dated.set.Present, dated.set.Stated = stated, true
		c = &dated
	}
	v, f := c.resolve(text, s)
	if f == nil && len(r.values) < memoSize {
		if r.values == nil {
			r.values = map[string]Value{}
		}
		r.values[strings.Clone(text)] = v
	}
	return v, f
}

// shape understands a text in the column's role.
func (r *Reader) shape(text string) shape {
	role := r.column.role
	if s, ok := fast(text, role); ok {
		return s
	}
	if s, ok := r.shapes[text]; ok {
		return s
	}
	s := parse(text, role, r.column.isZone)
	if len(r.shapes) < memoSize {
		if r.shapes == nil {
			r.shapes = map[string]shape{}
		}
		r.shapes[strings.Clone(text)] = s
	}
	return s
}

func (c *Column) readNative(cell table.Cell) (Value, *fault.Fault) {
	v := Value{Clock: noClock, EndClock: noClock, HasDate: true}
	s := cell.Seconds()
	v.Date = zone.Midnight(s)
	if cell.Kind == table.DateTime && (c.nativeClock || s != v.Date || cell.Shown == table.ClockOnly) {
		v.Clock = int(s - v.Date)
	}
	v.UnseenDate, v.UnseenClock = cell.Shown == table.ClockOnly || cell.Shown == table.DayName, cell.Shown == table.NoClock
	switch year := zone.Civil(v.Date).Year(); {
	case cell.Shown == table.NoDay:
		return v, fault.New(cell.Text, "is shown as a month, without a day").Do("write the day, or have the sheet show it")
	case cell.Shown != table.NoYear:
	case c.set.Year > 0 && c.set.Year != year || c.set.Titled > 0 && c.set.Titled != year:
		return v, fault.New(cell.Text, fmt.Sprintf("is stored with the year %d, which the sheet does not show, and the dates are of %d", year, cmp.Or(c.set.Year, c.set.Titled))).Do("correct the year in the cell, and have the sheet show it")
	default:
		v.Assumed |= AssumedUnseenYear
	}
	if cell.Shown == table.ClockOnly && c.role == ClockRole {
		return Value{Clock: int(s - v.Date), EndClock: noClock}, nil
	}
	t := zone.Civil(v.Date)
	if c.set.Native == TrustNative || t.Day() > 12 || t.Day() == int(t.Month()) {
		return v, nil
	}
	swapped := zone.Wall(t.Year(), t.Day(), int(t.Month()), 0, 0, 0)
	lonely := c.lonely(v.Date, swapped)
	if !c.suspect && !lonely {
		return v, nil
	}
	if c.set.Native == SwapNative {
		v.Date = swapped
		v.Assumed |= AssumedSwap
		return v, nil
	}
	if !c.suspect {
		return v, fault.New(cell.Text, fmt.Sprintf("may be %s or %s: it is far from the dates that are text, and near them once day and month are swapped",
			t.Format("2 January"), zone.Civil(swapped).Format("2 January"))).Do("set native: swapped, or native: trust")
	}
	return v, fault.New(cell.Text, fmt.Sprintf("may be %s or %s: day and month may be swapped, since text dates (%s) have days above 12 and real dates have not",
		t.Format("2 January"), zone.Civil(swapped).Format("2 January"), c.highRows.String())).Do("set native: swapped, or native: trust")
}

func (c *Column) readUnix(n int64, text string) (Value, *fault.Fault) {
	at := n
	if c.set.Unix == time.Millisecond {
		at = int64(math.Floor(float64(n) / 1000))
	}
	if at < -(1<<31) || at > 1<<33 {
		return Value{Clock: noClock, EndClock: noClock}, fault.New(text, "is not a Unix time in "+map[bool]string{true: "milliseconds", false: "seconds"}[c.set.Unix == time.Millisecond])
	}
	day := zone.Midnight(at)
	return Value{HasDate: true, Date: day, Clock: int(at - day), EndClock: noClock, Zone: zone.UTC}, nil
}

// readSerial takes a bare number for a spreadsheet's count of days, where it
// can be nothing else.
func (c *Column) readSerial(text string) (Value, *fault.Fault) {
	v := Value{Clock: noClock, EndClock: noClock}
	n, err := strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64)
	_, decimals, _ := strings.Cut(strings.Replace(text, ",", ".", 1), ".")
	days, ok := serial(text)
	switch {
	case err != nil || strings.ContainsAny(text, "eExXnN_+"):
	case c.role != ClockRole && ok:
		v.HasDate = true
		if c.set.From1904 {
			days += 1462
		}
		cell := table.NewTemporal(table.DateTime, days)
		v.Date = zone.Midnight(cell.Seconds())
		if decimals != "" {
			v.Clock = int(cell.Seconds() - v.Date)
		}
		v.Assumed |= AssumedSerial
		return v, nil
	case c.role == ClockRole && n >= 0 && n < 1 && (n > 0 && len(decimals) > 2 || c.parts > 0):
		v.Clock = int(math.Round(n * 86400))
		v.Assumed |= AssumedSerial
		return v, nil
	}
	what := "is not a date"
	switch c.role {
	case ClockRole:
		what = "is not a time of day"
	case AnyRole:
		what = "is not a date or time"
	}
	return v, fault.New(text, what)
}

// resolve turns a shape into a value by what the column taught.
func (c *Column) resolve(text string, s shape) (Value, *fault.Fault) {
	v := Value{Clock: s.halves[0].clock, EndClock: s.halves[1].clock}
	v.Open, v.AllDay, v.Midnight = s.open, s.allDay, s.midnight
	a, b := s.halves[0].date, s.halves[1].date
	a.weekdays, b.weekdays = a.words.in(c.languages), b.words.in(c.languages)
	if s.zone == Local {
		v.ZoneText = Local
	} else if s.zone != "" {
		z, err := c.set.Zones.Find(s.zone)
		if err != nil {
			return v, fault.New(text, fmt.Sprintf("names the time zone %q, which is not known", s.zone)).Do("write a name such as Europe/Lisbon, or an offset such as +01:00")
		}
		v.Zone, v.ZoneText = z, s.zone
	}
	if a.form == noDate && b.form != noDate { // 9:00 – 5 March 11:00
		if a.weekdays != 0 || s.halves[0].clock == noClock {
			return v, fault.New(text, "is not a date")
		}
		return v, fault.New(text, "has a date at its end but none at its start")
	}
	if a.form == noDate && a.weekdays != 0 {
		return v, fault.New(text, "is a weekday without a date")
	}
	if b.form == noDate && b.weekdays != 0 && a.weekdays&b.weekdays == 0 {
		return v, fault.New(text, "has a weekday at its end but no date there").Do("write the end's date")
	}
	if b.form != noDate {
		if b.year < 0 && a.year >= 0 && b.form != relative {
			b.year, b.twoDigit = a.year, a.twoDigit
		}
		to, f := c.place(text, b, &v)
		if f != nil {
			return v, f
		}
		if a.form == dayOnly {
			t := zone.Civil(to)
			a = date{form: fullDate, year: t.Year(), a: int(t.Month()), b: a.b, weekdays: a.weekdays}
		} else if a.year < 0 && b.year >= 0 && a.form != relative {
			a.year, a.twoDigit = b.year, b.twoDigit
		}
		v.EndDate, v.HasEndDate = to, true
	}
	if a.form != noDate {
		from, f := c.place(text, a, &v)
		if f != nil {
			return v, f
		}
		v.Date, v.HasDate = from, true
	}
	if f := c.oneClock(text, s, v); f != nil {
		return v, f
	}
	if v.HasEndDate && v.EndDate < v.Date && !overNewYear(s, &v) {
		return v, fault.New(text, "ends before it begins")
	}
	return v, nil
}

// overNewYear gives the ends of a range their years where only one was written
// and the year turns between them: 28 Dec 2026 – 3 Jan, 28 Dec – 3 Jan 2027.
func overNewYear(s shape, v *Value) bool {
	t := zone.Civil(v.Date)
	if s.halves[0].date.form == dayOnly || t.Month() != time.December {
		return false
	}
	switch {
	case s.halves[1].date.year < 0:
		e := zone.Civil(v.EndDate)
		v.EndDate = zone.Wall(e.Year()+1, int(e.Month()), e.Day(), 0, 0, 0)
		v.Assumed |= AssumedYear
	case s.halves[0].date.year < 0:
		v.Date = zone.Wall(t.Year()-1, int(t.Month()), t.Day(), 0, 0, 0)
	default:
		return false
	}
	return true
}

// oneClock refuses an offset with a zone in brackets behind it that has another
// offset then.
func (c *Column) oneClock(text string, s shape, v Value) *fault.Fault {
	if s.beside == "" || v.Zone == nil || !v.HasDate {
		return nil
	}
	z, err := c.set.Zones.Find(s.beside)
	if err != nil {
		return nil
	}
	wall := v.Date + int64(max(v.Clock, 0))
	if in, _ := z.Instant(wall); in == wall-int64(v.Zone.OffsetAt(0).Seconds) {
		return nil
	}
	return fault.New(text, fmt.Sprintf("names two clocks: %s, and %s in brackets", s.zone, strings.ToUpper(s.beside))).Do("write one of them")
}

// place settles one date.
func (c *Column) place(text string, d date, v *Value) (int64, *fault.Fault) {
	switch d.form {
	case relative, weekdayRelative:
		return c.placeRelative(text, d)
	case dayOnly:
		return 0, fault.New(text, "has a day without its month")
	}
	if d.twoDigit && d.form == named {
		d.year = c.fullYear(d.year)
		v.Assumed |= AssumedCentury
	}
	if d.year < 0 {
		y, f := c.missingYear(text, d)
		if f != nil {
			return 0, f
		}
		d.year = y
		v.Assumed |= AssumedYear
	}
	y, m, day := d.year, d.a, d.b
	if d.form == threeNum || d.form == twoNum {
		r, f := c.choose(text, d)
		if f != nil {
			return 0, f
		}
		y, m, day = r.y, r.m, r.d
		if d.twoDigit {
			v.Assumed |= AssumedCentury
		}
	}
	if m < 1 || m > 12 || day < 1 || day > monthLength(y, m) {
		return 0, fault.New(text, "is not a day of the calendar")
	}
	if y < 1900 || y > 2199 {
		return 0, fault.New(text, fmt.Sprintf("has the year %d, which is outside 1900–2199", y))
	}
	if !weekdayFits(d.weekdays, y, m, day) {
		return 0, wrongWeekday(text, reading{y: y, m: m, d: day})
	}
	return zone.Wall(y, m, day, 0, 0, 0), nil
}

// choose picks the reading of a date written as numbers.
func (c *Column) choose(text string, d date) (reading, *fault.Fault) {
	all := c.readings(d)
	if d.form == twoNum {
		for i := range all.list {
			all.list[i].y = d.year
		}
		all = all.keep(func(r reading) bool { return r.d <= monthLength(d.year, r.m) })
	}
	allowed := all
	if !c.conflict {
		allowed = all.keep(func(r reading) bool { return r.order&c.order != 0 })
	}
	var distinct readings
	for _, r := range allowed.all() {
		known := distinct.keep(func(o reading) bool { return o.y == r.y && o.m == r.m && o.d == r.d })
		if known.n == 0 {
			distinct.add(r)
		}
	}
	switch {
	case distinct.n == 1:
		return distinct.list[0], nil
	case distinct.n > 1:
		why := "; no cell of the column settles it"
		switch {
		case c.conflict:
			why = "; the column's dates contradict each other"
		case c.set.Stated: // a date that stands alone has no column
			why = ""
		}
		f := fault.New(text, "may be "+either(distinct.all())+why)
		return reading{}, f.Do("set day_order")
	case all.n > 0:
		return reading{}, fault.New(text, "is not a date with "+c.order.String())
	case d.weekdays != 0:
		d.weekdays = 0
		if all = c.readings(d); !c.conflict {
			all = all.keep(func(r reading) bool { return r.order&c.order != 0 })
		}
		if all.n > 0 {
			return reading{}, wrongWeekday(text, all.all()...)
		}
	}
	return reading{}, fault.New(text, "is not a date")
}

// wrongWeekday says on which days of the week fall the days that a date can be.
func wrongWeekday(text string, days ...reading) *fault.Fault {
	var parts []string
	for _, r := range days {
		part := zone.Civil(zone.Wall(r.y, r.m, r.d, 0, 0, 0)).Format("2 January 2006 is a Monday")
		if !slices.Contains(parts, part) {
			parts = append(parts, part)
		}
	}
	return fault.New(text, "names the wrong weekday: "+strings.Join(parts, ", and "))
}

// either lists dates, with their years only where those differ.
func either(rs []reading) string {
	layout := "2 January"
	for _, r := range rs {
		if r.y != rs[0].y {
			layout = "2 January 2006"
		}
	}
	parts := make([]string, len(rs))
	for i, r := range rs {
		parts[i] = zone.Civil(zone.Wall(r.y, r.m, r.d, 0, 0, 0)).Format(layout)
	}
	return strings.Join(parts, " or ")
}

// yearAdvice is what to do about a date without a year.
const yearAdvice = "write the year, set assume: { year: %d }, or give --year %d"

// missingYear supplies the year of a date without one: what the intake says,
// the one year of the column's other dates, that of the title, or the present year when that
// puts the date within half a year of today.
func (c *Column) missingYear(text string, d date) (int, *fault.Fault) {
	if c.set.Year != 0 {
		return c.set.Year, nil
	}
	y := c.set.Present.Year()
	m, day := d.a, d.b
	if d.form == twoNum {
		m, day = d.b, d.a
		if c.order == MonthFirst || d.b > 12 {
			m, day = d.a, d.b
		}
	}
	if c.singleYear > 0 {
		if !c.nearMonth(m) {
			return 0, fault.New(text, fmt.Sprintf("has no year; the dates with one are of %d, but half a year away", c.singleYear)).Do(yearAdvice, c.singleYear, c.singleYear)
		}
		return c.singleYear, nil
	}
	switch {
	case c.set.Titled == Season:
		return 0, fault.New(text, "has no year, and the title names two").Do(yearAdvice, y, y)
	case c.set.Titled > 0:
		return c.set.Titled, nil
	}
	_, month, today := c.set.Present.Date() // the hour has no say in it
	apart := time.Date(y, time.Month(m), day, 0, 0, 0, 0, time.UTC).Sub(time.Date(y, month, today, 0, 0, 0, 0, time.UTC)).Abs()
	named := c.set.Named
	if named <= y-10 || named > y+2 {
		named = min(named, 0)
	}
	switch {
	case c.singleYear != 0 || apart >= 183*24*time.Hour:
	case named == Season:
		return 0, fault.New(text, "has no year, and the name of the file says two").Do(yearAdvice, y, y)
	case named > 0 && named != y:
		return 0, fault.New(text, fmt.Sprintf("has no year: today's would make it %d, and the name of the file says %d", y, named)).Do(yearAdvice, named, named)
	default:
		return y, nil
	}
	if named > 0 {
		y = named
	}
	return 0, fault.New(text, "has no year, and nothing tells which").Do(yearAdvice, y, y)
}

func (c *Column) placeRelative(text string, d date) (int64, *fault.Fault) {
	if !c.set.Stated {
		return 0, fault.New(text, "counts from a day that is not stated").Do("write the date")
	}
	p := c.set.Present
	today := zone.Wall(p.Year(), int(p.Month()), p.Day(), 0, 0, 0)
	if d.form == relative {
		return today + int64(d.days)*86400, nil
	}
	for n := int64(1); n <= 7; n++ { // next Tuesday is the first one after today
		if at := today + n*86400; d.weekdays&(1<<zone.Civil(at).Weekday()) != 0 {
			return at, nil
		}
	}
	return 0, fault.New(text, "is not a date")
}

// ReadOne reads a text that stands alone, without a column to learn from.
func ReadOne(set Settings, text string) (Value, *fault.Fault) {
	set.From, set.To, set.AnyYear = 0, 0, true
	c := NewColumn(set)
	cell := table.Cell{Kind: table.Text, Text: text}
	c.Learn(1, cell)
	c.Settle()
	return c.Read(cell)
}
