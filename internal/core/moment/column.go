// Package moment reads dates, times and lengths as people write them, and
// refuses to guess.
//
// A column is read as a whole before any cell is: Learn sees every cell,
// Settle draws the conclusions (day first or month first, which century, dates
// or times), and only then does Read give each cell its Value. A cell that
// can be read two ways, and that its column does not settle, is a fault.
package moment

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/zone"
)

// Order is the order of day, month and year in dates written as numbers.
type Order uint8

// The orders. Unsettled lets the column tell.
const (
	Unsettled  Order = 0
	DayFirst   Order = 1 << 0
	MonthFirst Order = 1 << 1
	YearFirst  Order = 1 << 2 // two-digit years only; 2026-03-14 needs no order
)

const allOrders = DayFirst | MonthFirst | YearFirst

var orderNames = map[Order]string{DayFirst: "day first", MonthFirst: "month first", YearFirst: "year first"}

func (o Order) String() string { return orderNames[o] }

// Native says what to do with the real dates of a workbook in a column whose
// text dates show that it was opened under the wrong day order.
type Native uint8

// The treatments of such dates: hold them, take them as they are, or put day
// and month back in their places.
const (
	HoldNative Native = iota
	TrustNative
	SwapNative
)

// Settings is what an intake says about dates. The zero value lets the column
// tell everything.
type Settings struct {
	Order   Order
	Native  Native
	Year    int           // for dates without one; 0 to learn it
	Named   int           // the year that the name of the table's file says, as NamedYear gives it; it only casts doubt on another
	Titled  int           // the year that the title of the table says, as StatedYear gives it; dates with a year count over it
	Present time.Time     // the day two-digit and missing years are near to
	Stated  bool          // "tomorrow" may be used; it counts from Present
	Unix    time.Duration // time.Second or time.Millisecond: bare numbers count these since 1970
	Zones   *zone.Book

	// From and To are the first midnight of the dates that are believed, and the
	// one behind the last; 0 for open ends. With neither, the column and the
	// present tell, unless AnyYear.
	From, To int64
	AnyYear  bool
	From1904 bool // bare numbers count days from 1904

	Language Languages // of names of months and weekdays; 0 lets the column tell
}

// NoClock is the Clock of a Value without a time of day.
const NoClock = noClock

// A Value is what a cell says. Dates are wall-clock midnights.
type Value struct {
	HasDate, HasEndDate bool
	Date, EndDate       int64
	Clock, EndClock     int        // seconds since midnight, up to 86400; NoClock
	Zone                *zone.Zone // written in the cell, or nil
	ZoneText            string     // as it was written; Local, without a Zone, for local time
	AllDay              bool       // the cell says "all day", with a day in front of it or none
	Open                Open
	Midnight            bool // its Clock of 0 was said as "midnight", which ends a day as well
	Assumed             Assumption

	UnseenDate, UnseenClock bool // the source stores it and does not show it
}

// Single tells whether a value is one moment: no range, and no end of one.
func (v Value) Single() bool {
	return !v.HasEndDate && v.EndClock == noClock && v.Open == Closed
}

// Open says which end of a range a cell leaves open.
type Open uint8

// A closed Value is a moment, or a range with both ends.
const (
	Closed    Open = iota
	OpenEnd        // "from 9:00"
	OpenStart      // "until 11:00"
)

// Assumption is a set of things a reading took for granted.
type Assumption uint8

// What a reading can assume.
const (
	AssumedYear        Assumption = 1 << iota // the year was not written
	AssumedCentury                            // the year had two digits
	AssumedSerial                             // a bare number was read as a spreadsheet date
	AssumedSwap                               // day and month were put back, as the intake says
	AssumedUnseenDate                         // the source shows a time of day only
	AssumedUnseenClock                        // the source shows a date only
	AssumedUnseenYear                         // the source shows day and month only
)

var assumptionNames = []string{"year", "century", "spreadsheet number", "day and month swapped back", "day that the sheet does not show", "time that the sheet does not show", "year that the sheet does not show"}

// Names lists the assumptions in words.
func (a Assumption) Names() []string {
	var out []string
	for i, n := range assumptionNames {
		if a&(1<<i) != 0 {
			out = append(out, n)
		}
	}
	return out
}

// A Column learns how its cells are to be read: Learn sees every cell, then Settle
// ends the learning. From then on it is not changed any more, and its Readers may
// read it from several goroutines.
type Column struct {
	set  Settings
	role Role
	seen map[string]shape // texts met while learning; nil once settled

	dates, clocks, dateOnly, clockOnly int // cells by what they can be
	sure, loose                        tally
	years                              map[int]int // of dates with four digits, how often
	middle                             int         // of these years, so that a slip does not move the century of others; 0 for none
	stale                              bool        // the middle is to be found again
	near                               [2]int64    // midnights between which every date is believed
	singleYear                         int         // the one year of all dates that have one; -1 when several
	nativeLow, nativeHigh, textHigh    int         // real dates with days to 12 and above; text dates with a day above 12
	textAny                            int
	nativeClock                        bool
	unseenDates, unseenClocks          int       // of dates with a time of day, of which the source shows a part only
	languages                          Languages // that have the names of all cells
	mixed                              bool      // there is none
	timed                              bool      // a date stands with a time of day
	halves, plain, full                int       // times that say am or pm, that say neither, and of these the ones of 24 hours
	parts, shown                       int       // bare numbers that are parts of a day, 0.40625; and times such as 8.30
	serials                            int       // bare numbers that can be a spreadsheet's days, 46114
	months                             uint16    // months of the dates with a year, a bit each; all that are possible
	highRows                           rows
	order                              Order // settled
	conflict                           bool
	suspect                            bool     // real dates are probably swapped
	texts                              []date   // the first numeric dates that are text
	among                              [2]int64 // midnights of the first and last of them, once the order is settled; 0 for none
}

func (r *rows) add(row int) {
	if len(r.first) < 3 {
		r.first = append(r.first, row)
	}
	r.count++
}

func (r *rows) String() string {
	s := make([]string, len(r.first))
	for i, n := range r.first {
		s[i] = strconv.Itoa(n)
	}
	out := "rows " + strings.Join(s, ", ")
	if r.count == 1 {
		return "row " + s[0]
	}
	if r.count > len(s) {
		out += fmt.Sprintf(" and %d more", r.count-len(s))
	}
	return out
}

// NewColumn begins to learn a column.
func NewColumn(set Settings) *Column {
	c := &Column{set: set, seen: map[string]shape{}, years: map[int]int{}, languages: allLanguages}
	present := set.Present.Year()
	c.near = [2]int64{zone.Wall(present-nearYears, 1, 1, 0, 0, 0), zone.Wall(present+nearYears+1, 1, 1, 0, 0, 0)}
	c.sure = tally{possible: allOrders, weekday: allOrders}
	c.loose = c.sure
	return c
}

// shape understands a text without role, as learning does.
func (c *Column) shape(text string) shape {
	if s, ok := fast(text, AnyRole); ok {
		return s
	}
	if s, ok := c.seen[text]; ok {
		return s
	}
	s := parse(text, AnyRole, c.isZone)
	if len(c.seen) < memoSize {
		c.seen[strings.Clone(text)] = s
	}
	return s
}

func (c *Column) isZone(name string) bool {
	if c.set.Zones == nil {
		return false
	}
	_, err := c.set.Zones.Find(name)
	return err == nil
}

// orders gives every order in which d is a date.
func (c *Column) orders(d date) (out Order) {
	found := c.readings(d)
	for _, r := range found.all() {
		out |= r.order
	}
	return out
}

// reading is one way to read a date written as numbers.
type reading struct {
	order   Order
	y, m, d int
}

// readings are the few ways to read one date.
type readings struct {
	list [3]reading
	n    int
}

func (r *readings) add(x reading) {
	r.list[r.n] = x
	r.n++
}

func (r *readings) all() []reading { return r.list[:r.n] }

// keep gives those that pass.
func (r *readings) keep(passes func(reading) bool) (out readings) {
	for _, x := range r.all() {
		if passes(x) {
			out.add(x)
		}
	}
	return out
}

// readings gives every valid date that d can be, one for each order.
func (c *Column) readings(d date) (out readings) {
	add := func(o Order, y, m, day int) {
		if m >= 1 && m <= 12 && day >= 1 && day <= monthLength(y, m) && weekdayFits(d.weekdays, y, m, day) {
			out.add(reading{o, y, m, day})
		}
	}
	y := d.year
	switch {
	case y < 0: // a leap year, so that 29/02 is possible before its year is known
		y, d.weekdays = 2024, 0
	case d.twoDigit:
		y = c.fullYear(y)
	}
	add(DayFirst, y, d.b, d.a)
	add(MonthFirst, y, d.a, d.b)
	if d.twoDigit && (d.dash || (d.a > 31 || d.a == 0) && c.plausible(c.fullYear(d.a))) {
		add(YearFirst, c.fullYear(d.a), d.b, d.year)
	}
	return out
}

// plausible tells whether a year can be meant at all: 40.03.26 is a slip before
// it is a day of 2040.
func (c *Column) plausible(y int) bool {
	if c.set.AnyYear || c.set.From != 0 || c.set.To != 0 || c.years[y] > 0 {
		return true
	}
	present := c.set.Present.Year()
	return max(y-present, present-y) <= nearYears
}

func monthLength(y, m int) int {
	switch m {
	case 2:
		if y%4 == 0 && (y%100 != 0 || y%400 == 0) {
			return 29
		}
		return 28
	case 4, 6, 9, 11:
		return 30
	}
	return 31
}

func weekdayFits(set uint8, y, m, d int) bool {
	return set == 0 || set&(1<<zone.Civil(zone.Wall(y, m, d, 0, 0, 0)).Weekday()) != 0
}

// Settle ends the learning.
func (c *Column) Settle() {
	c.seen = nil
	if c.stale {
		c.findMiddle()
	}
	if c.set.Language != 0 {
		c.languages = c.set.Language
	}
	t := c.sure
	if c.clocks == 0 && c.dates+c.dateOnly > 0 && (c.dates > 0 || c.dateOnly >= c.clockOnly) {
		c.role = DateRole
		if c.clockOnly > 0 && c.dates == 0 {
			c.role = AnyRole // 10.03 throughout may be dates or times
		}
	} else if c.dates == 0 && c.clocks+c.clockOnly > 0 {
		c.role = ClockRole
	}
	c.settleOrder(&t)
}

// Prefer tells an undecided column what it must hold, because another column
// holds the other part. It tells whether the column was undecided. It belongs
// to the learning: a column that has Readers is not changed any more.
func (c *Column) Prefer(role Role) bool {
	if c.role != AnyRole || c.dates > 0 && role == ClockRole || c.clocks > 0 && role == DateRole {
		return false
	}
	c.role = role
	t := c.sure
	c.settleOrder(&t)
	return true
}

// Role is what the column was found to hold, AnyRole when it holds both or
// could hold either.
func (c *Column) Role() Role { return c.role }

// Mostly is Role for a column in which a few cells are of another kind.
func (c *Column) Mostly() Role {
	switch dates, clocks := c.dates+c.dateOnly, c.clocks; {
	case c.role != AnyRole || dates+clocks < 3:
	case clocks*3 <= dates && !c.Mixed():
		return DateRole
	case dates*3 <= clocks:
		return ClockRole
	}
	return c.role
}

// Mixed tells whether dates of the column have times of day with them.
func (c *Column) Mixed() bool { return c.timed || c.nativeClock }

// ClocksShown tells whether the source shows the time of day alone of all its dates: their days
// are what a program happened to store, where another column has the days.
func (c *Column) ClocksShown() bool { return c.unseenDates > 0 && c.unseenDates == c.dates }

// Stray tells whether only a few of the column's dates have a time of day that the source does
// not show: who looks at the sheet takes them for days.
func (c *Column) Stray() bool { return c.unseenClocks*2 < c.dates }

// Timed tells whether some of the column's cells have a time of day.
func (c *Column) Timed() bool {
	return c.role == ClockRole || c.clocks > 0 || c.timed || c.nativeClock
}

// SaysHalf tells whether any time of the column says am or pm.
func (c *Column) SaysHalf() bool { return c.halves > 0 }

func (c *Column) settleOrder(t *tally) {
	if c.role == DateRole {
		t.possible &= c.loose.possible
		t.weekday &= c.loose.weekday
		t.count += c.loose.count
	}
	if t.possible&DayFirst != 0 && t.possible&MonthFirst != 0 {
		t.possible &= t.weekday
	}
	if t.hyphenated >= 3 && t.possible&YearFirst != 0 { // the year is the number that hardly moves
		first, last := t.high[0]-t.low[0], t.high[1]-t.low[1]
		switch {
		case last <= 2 && first > 6:
			t.possible &^= YearFirst
		case first <= 2 && last > 6:
			t.possible = YearFirst
		}
	}
	if t.hyphenated == 0 && t.possible != YearFirst && t.possible&(DayFirst|MonthFirst) != 0 {
		t.possible &^= YearFirst
	}
	c.order, c.conflict = t.possible, t.possible == 0
	if c.set.Order != Unsettled {
		c.order, c.conflict = c.set.Order, false
	}
	c.suspect = c.swapped()
	c.settleAmong()
}

// settleAmong finds between which days the dates in text are, beside real dates that may have
// been swapped: then all of these have a day that can be a month.
func (c *Column) settleAmong() {
	c.among = [2]int64{}
	if c.nativeLow == 0 || c.nativeHigh > 0 {
		return
	}
	order := c.Order()
	if order == Unsettled {
		order = DayFirst
	}
	for _, d := range c.texts {
		d.weekdays = 0
		if d.year < 0 {
			if d.year = c.singleYear; d.year <= 0 {
				d.year = c.set.Present.Year()
			}
		}
		found := c.readings(d)
		for _, r := range found.all() {
			if at := zone.Wall(r.y, r.m, r.d, 0, 0, 0); r.order == order {
				if c.among[1] == 0 || at < c.among[0] {
					c.among[0] = at
				}
				if c.among[1] == 0 || at > c.among[1] {
					c.among[1] = at
				}
			}
		}
	}
}

// lonely tells whether a real date is far from the dates in text, and near them once its day
// and month are swapped.
func (c *Column) lonely(at, swapped int64) bool {
	const fortnight = 14 * 86400
	far := func(t int64) int64 { return max(c.among[0]-t, t-c.among[1], 0) }
	return c.among[1] != 0 && far(at) > fortnight && far(swapped)*3 < far(at)
}

// swapped tells whether the column was probably opened with day and month in
// the wrong order: what could be a date either way became a real date with the
// two swapped, and the rest, with days above 12, stayed text. A few cells that
// someone typed afterwards do not clear the others.
func (c *Column) swapped() bool {
	switch {
	case c.nativeLow == 0 || c.textHigh == 0:
		return false
	case c.textHigh < c.textAny && (c.textHigh < 5 || c.textHigh*5 < c.textAny*4):
		return false
	case c.nativeHigh == 0:
		return true
	}
	return unlikely(c.nativeLow, c.nativeLow+c.nativeHigh)
}

// unlikely tells whether chance gives so many of n days up to the 12th in less
// than one column of a hundred.
func unlikely(low, n int) bool {
	const chance = 12 * 12 / 365.25
	mean, spread := chance*float64(n), math.Sqrt(chance*(1-chance)*float64(n))
	if n > 50 {
		return float64(low) > mean+2.33*spread
	}
	tail, term := 0.0, math.Pow(chance, float64(n))
	for k := n; k >= low; k-- {
		tail += term
		term *= float64(k) / float64(n-k+1) * (1 - chance) / chance
	}
	return tail < 0.01
}

// Order is the one order of day and month that the column settled on,
// Unsettled when it has none or several.
func (c *Column) Order() Order {
	if c.order == DayFirst || c.order == MonthFirst || c.order == YearFirst {
		return c.order
	}
	return Unsettled
}

// As gives the column as one that settled on an order, where it settled on none;
// any other stays as it is.
func (c *Column) As(o Order) *Column {
	if c.Order() != Unsettled {
		return c
	}
	as := *c
	as.order, as.conflict = o, false
	return &as
}

// Evidence says in one sentence what settled the order of the column's dates,
// "" when no date needed it.
func (c *Column) Evidence() string {
	t := &c.sure
	if t.count == 0 {
		t = &c.loose
	}
	switch {
	case c.set.Order != Unsettled:
		return c.set.Order.String() + ", as the intake says"
	case t.count == 0:
		return ""
	case c.conflict:
		return fmt.Sprintf("contradictory: %s cannot be month first, %s cannot be day first", t.rowsAgainst(MonthFirst), t.rowsAgainst(DayFirst))
	case c.order == DayFirst:
		return fmt.Sprintf("day first: %s cannot be month first", t.rowsAgainst(MonthFirst))
	case c.order == MonthFirst:
		return fmt.Sprintf("month first: %s cannot be day first", t.rowsAgainst(DayFirst))
	case c.order == YearFirst:
		return "year first: the first number hardly changes"
	}
	return "unsettled: every date can be read day first and month first"
}

func (t *tally) rowsAgainst(o Order) string {
	for _, r := range []*rows{t.against.of(o), t.unfit.of(o)} {
		if r.count > 0 {
			return r.String()
		}
	}
	return "no row"
}

// Serials tells whether all that the column has of times are a spreadsheet's counts of
// days, 46114.25, which are no times of a day.
func (c *Column) Serials() bool { return c.serials > 0 && c.dates+c.dateOnly+c.clocks == 0 }

// Holds tells whether most of the column's filled cells are dates or times.
func (c *Column) Holds(filled int) bool {
	n := c.dates + c.clocks + max(c.dateOnly, c.clockOnly)
	switch c.role { // bare numbers are taken for what the heading says, and for nothing without
	case ClockRole:
		n += c.parts
	case DateRole:
		n += c.serials
	}
	return filled > 0 && n*2 > filled
}

// Parts tells whether most of the column's filled cells are parts of a day, as spreadsheets
// count times: 0.354166667.
func (c *Column) Parts(filled int) bool { return c.parts*2 > filled }

// Form says in a word what the column's cells are by what was learnt, "" when
// they are neither dates nor times.
func (c *Column) Form(filled int) string {
	if !c.Holds(filled) {
		return ""
	}
	switch {
	case c.role == ClockRole:
		return "time of day"
	case c.role == DateRole && !c.Timed():
		return "date"
	case c.dates > 0:
		return "date and time"
	}
	return "date or time"
}
