package moment

import (
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// findMiddle finds the middle of the years that were learned.
func (c *Column) findMiddle() {
	c.stale = false
	sorted := slices.Sorted(maps.Keys(c.years))
	count := 0
	for _, y := range sorted {
		count += c.years[y]
	}
	at := func(n int) int {
		for _, y := range sorted {
			if n -= c.years[y]; n < 0 {
				return y
			}
		}
		return 0
	}
	c.middle = (at((count-1)/2) + at(count/2)) / 2
}

// tally is the evidence of dates written as numbers.
type tally struct {
	possible   Order   // by the numbers
	weekday    Order   // by weekdays, which count only where the numbers leave it open
	against    byOrder // rows whose numbers rule an order out
	unfit      byOrder // rows whose weekdays do
	count      int
	low, high  [2]int // smallest and greatest first and last number of hyphened dates
	hyphenated int
}

// rows remembers the first few rows of a kind and how many there are.
type rows struct {
	first []int
	count int
}

// byOrder has rows for each order.
type byOrder [3]rows

func (b *byOrder) of(o Order) *rows { return &b[o>>1] }

// Learn takes a cell into account. row is its number, for the evidence.
func (c *Column) Learn(row int, cell table.Cell) {
	switch cell.Kind {
	case table.Empty, table.Bad, table.Bool, table.Duration:
		return
	case table.Date, table.DateTime:
		c.learnNative(cell)
		return
	case table.Time:
		c.clocks++
		return
	}
	text := visible(cell.Text)
	if c.set.Unix != 0 {
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			if v, f := c.readUnix(n, text); f == nil && v.Date >= since2000 && v.Date < until2100 { // and no other number
				c.dates++
				c.timed = true
				c.learnYear(zone.Civil(v.Date).Year())
			}
			return
		}
	}
	if decimals := decimalsOf(text); decimals > 2 && text[0] == '0' {
		c.parts++
	} else if decimals == 2 && text[0] != '0' {
		c.shown++
	}
	if days, ok := serial(text); ok {
		c.serials++
		c.timed = c.timed || days != math.Trunc(days)
	}
	s := c.shape(text)
	if s.ok {
		if s.halves[0].date.form == noDate {
			c.clocks++
		} else {
			c.dates++
			c.timed = c.timed || s.halves[0].clock != noClock
		}
		c.learnShape(row, &s, &c.sure)
		c.learnLanguage(&s)
		c.learnHalf(text, &s)
		return
	}
	if d := parse(text, DateRole, c.isZone); d.ok && d.halves[0].date.form != noDate {
		c.dateOnly++
		c.learnShape(row, &d, &c.loose)
		c.learnLanguage(&d)
	}
	if k := parse(text, ClockRole, c.isZone); k.ok && k.halves[0].date.form == noDate {
		c.clockOnly++
	}
}

// The days of this century, in seconds since 1970.
const since2000, until2100 = 946684800, 4102444800

// Some tells whether any cell is a date or a time of day, whatever the others are.
func (c *Column) Some() bool { return c.dates+c.clocks > 0 }

// decimalsOf gives how many decimals a number has that is less than 100, such as 0.25 or 8.30;
// 0 for any other text.
func decimalsOf(text string) int {
	point := func(i int) bool { return len(text) > i && (text[i] == '.' || text[i] == ',') }
	at := 1
	if point(0) {
		return 0
	}
	if !point(1) {
		if at = 2; !point(2) {
			return 0
		}
	}
	for i := range len(text) {
		if i != at && (text[i] < '0' || text[i] > '9') {
			return 0
		}
	}
	return len(text) - at - 1
}

// serial reads a bare number as a spreadsheet's count of days, between 1954 and 2119.
func serial(text string) (days float64, ok bool) {
	if len(text) < 5 || len(text) > 5 && text[5] != '.' && text[5] != ',' {
		return 0, false
	}
	for i := range len(text) {
		if c := text[i]; (c < '0' || c > '9') && (i < 5 || c != '.' && c != ',') {
			return 0, false
		}
	}
	days, err := strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64)
	return days, err == nil && days >= 20000 && days < 80000
}

// part tells whether a text is a part of a day as spreadsheets count it: 0.25, where others
// of its column can be nothing else. sure is false where it may be 00:25 as well.
func (c *Column) part(text string) (is, sure bool) {
	if c.role != ClockRole || !strings.HasPrefix(text, "0.") && !strings.HasPrefix(text, "0,") || decimalsOf(text) == 0 {
		return false, true
	}
	return c.parts > 0, c.parts > 0 || c.shown > 0
}

// learnHalf counts how the times of day say of which half they are.
func (c *Column) learnHalf(text string, s *shape) {
	at := s.halves[0].clock
	switch {
	case at == noClock:
	case s.halves[0].half:
		if meridian(text) {
			c.halves++
		}
	default:
		if c.plain++; at < 3600 || at >= 13*3600 {
			c.full++
		}
	}
}

// meridian tells whether a text has am or pm in it.
func meridian(text string) bool {
	text = strings.ToLower(text)
	return strings.Contains(text, "am") || strings.Contains(text, "pm") || strings.Contains(text, "a.m") || strings.Contains(text, "p.m") || strings.Contains(text, "a. m") || strings.Contains(text, "p. m")
}

// halfMissing tells whether a time says neither am nor pm where most of its column do.
func (c *Column) halfMissing(s shape) bool {
	at := s.halves[0].clock
	if s.halves[0].date.form == fullDate && s.zone != "" { // an instant of ISO 8601 has all 24 hours
		return false
	}
	return c.halves > 1 && c.halves > c.plain && c.full == 0 && at >= 3600 && at < 13*3600 && !s.halves[0].half && !s.halves[1].half
}

// learnLanguage keeps the languages that have the names in all cells. A column
// that mixes them is read in any.
func (c *Column) learnLanguage(s *shape) {
	if s.langs != 0 && s.langs != allLanguages && !c.mixed {
		c.languages &= s.langs
		c.mixed = c.languages == 0
	}
}

func (c *Column) learnNative(cell table.Cell) {
	c.dates++
	t := zone.Civil(cell.Seconds())
	if t.Day() <= 12 {
		c.nativeLow++
	} else {
		c.nativeHigh++
	}
	switch {
	case cell.Shown == table.NoClock:
		c.unseenClocks++
	case cell.Kind == table.DateTime && cell.Seconds()%86400 != 0:
		c.nativeClock = true
	}
	if cell.Shown == table.ClockOnly {
		c.unseenDates++
	}
	c.learnYear(t.Year())
	c.learnMonth(int(t.Month()))
}

func (c *Column) learnMonth(m int) {
	if m >= 1 && m <= 12 {
		c.months |= 1 << m
	}
}

// nearMonth tells whether a date with a year is within half a year of month m
// of that same year. Behind 24 December 2025, 2 January is hardly of 2025.
func (c *Column) nearMonth(m int) bool {
	for known := 1; known <= 12; known++ {
		if c.months&(1<<known) != 0 && max(known-m, m-known) <= 6 {
			return true
		}
	}
	return false
}

func (c *Column) learnYear(y int) {
	if y < 1900 || y > 2199 {
		return // a slip, or a time
	}
	c.years[y]++
	c.stale = true
	switch c.singleYear {
	case 0, y:
		c.singleYear = y
	default:
		c.singleYear = -1
	}
}

func (c *Column) learnShape(row int, s *shape, t *tally) {
	for n := range s.halves {
		if s.halves[n].date.form == noDate {
			continue
		}
		d := s.halves[n].date
		if d.year > 99 {
			c.learnYear(d.year)
			c.learnMonth(d.a)
			if d.form == threeNum {
				c.learnMonth(d.b)
			}
		}
		if d.form != threeNum && d.form != twoNum {
			continue
		}
		t.count++
		c.textAny++
		if len(c.texts) < 256 {
			c.texts = append(c.texts, d)
		}
		if d.a > 12 || d.b > 12 {
			c.textHigh++
			c.highRows.add(row)
		}
		byWeekday := d.weekdays != 0
		fits := c.orders(d)
		numbers := fits
		if byWeekday {
			d.weekdays = 0
			numbers = c.orders(d)
		}
		if numbers == 0 {
			continue // no date at all; it settles nothing
		}
		t.rule(&t.possible, &t.against, numbers, row)
		if byWeekday && fits != 0 {
			t.rule(&t.weekday, &t.unfit, fits, row)
		}
		if d.dash && d.twoDigit {
			if t.hyphenated == 0 {
				t.low, t.high = [2]int{d.a, d.year}, [2]int{d.a, d.year}
			}
			t.low = [2]int{min(t.low[0], d.a), min(t.low[1], d.year)}
			t.high = [2]int{max(t.high[0], d.a), max(t.high[1], d.year)}
			t.hyphenated++
		}
	}
}

// rule takes the orders away that a row does not have.
func (t *tally) rule(possible *Order, against *byOrder, orders Order, row int) {
	for _, o := range [...]Order{DayFirst, MonthFirst, YearFirst} {
		if orders&o == 0 {
			against.of(o).add(row)
			*possible &^= o
		}
	}
}

// fullYear gives a two-digit year its century: the one nearest to the
// column's other years, else to the present.
func (c *Column) fullYear(yy int) int {
	near := c.set.Present.Year()
	if c.stale {
		c.findMiddle()
	}
	if c.middle != 0 {
		near = c.middle
	}
	return near + (yy-near%100+150)%100 - 50
}
