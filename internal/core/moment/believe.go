package moment

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// A date within nearYears of the present is believed. A date that stands alone
// is, within loneYears.
const (
	nearYears = 3
	loneYears = 10
)

// believe refuses a date that is far from the present and from the column's
// other dates: most often it is a slip in the year, or a number that is no date.
func (c *Column) believe(text string, date int64) *fault.Fault {
	if c.set.From != 0 || c.set.To != 0 {
		if date < c.set.From || c.set.To != 0 && date >= c.set.To {
			return fault.New(text, "is outside of the dates that the intake expects").Do("correct it, or change dates: { from: …, to: … }")
		}
		return nil
	}
	if c.set.AnyYear || date >= c.near[0] && date < c.near[1] {
		return nil
	}
	y, total := zone.Civil(date).Year(), 0
	for _, n := range c.years {
		total += n
	}
	beside := c.years[y-1] + c.years[y] + c.years[y+1]
	present := c.set.Present.Year()
	if total <= 1 && max(y-present, present-y) <= loneYears || total > 1 && beside >= max(2, total/20) {
		return nil
	}
	why := fmt.Sprintf("is in the year %d, far from now", y)
	if low, high, ok := c.most(); ok {
		why = fmt.Sprintf("is in the year %d, and most dates of the column are of %s", y, years(low, high))
	}
	if c.set.Unix != 0 {
		why += "; it may count another unit"
	}
	return fault.New(text, why).Do("correct it, or, if it is right, set dates: { from: %d-01-01, to: %d-12-31 }", min(y, present), max(y, present))
}

// most gives the years of the middle half of the column's dates.
func (c *Column) most() (low, high int, ok bool) {
	var sorted []int
	for y, n := range c.years {
		for range min(n, 1000) {
			sorted = append(sorted, y)
		}
	}
	if len(sorted) < 4 {
		return 0, 0, false
	}
	slices.Sort(sorted)
	return sorted[len(sorted)/4], sorted[len(sorted)-1-len(sorted)/4], true
}

func years(low, high int) string {
	if low == high {
		return fmt.Sprint(low)
	}
	return fmt.Sprintf("%d–%d", low, high)
}

// Weekdays gives the days of the week that a text names in the languages, and
// nothing else, a bit each from Sunday; several for what differs by language, 0
// for any other text. It gives the languages that have the name besides.
func Weekdays(text string, in Languages) (days uint8, of Languages) {
	if len(text) > 40 {
		return 0, 0
	}
	var named sense
	for _, t := range scan(text) {
		switch s := senses()[t.text]; {
		case t.kind == '.' || t.kind == ',':
		case t.kind != 'w' || s.days == 0 || named.days != 0:
			return 0, 0
		default:
			named = s
		}
	}
	return named.days.in(in), named.langs
}

// Month gives the month that a heading names, and its year where it says one;
// 0 for what it does not say. Other words may stand beside them, other numbers
// may not.
func Month(text string) (year, month int) {
	tokens := scan(text)
	if len(tokens) > 6 {
		return 0, 0
	}
	for _, t := range tokens {
		switch named := senses()[t.text].month; {
		case t.kind == 'n' && t.num >= 1900 && t.num < 2200 && len(t.text) == 4 && year == 0:
			year = t.num
		case t.kind == 'n' || named != 0 && month != 0:
			return 0, 0
		case t.kind == 'w' && named != 0:
			month = named
		}
	}
	if month == 0 {
		return 0, 0
	}
	return year, month
}

// IsDay tells whether a text is one day and nothing else, in whatever order of
// day and month, with a year or without.
func IsDay(text string) bool {
	c := alone(text)
	return c.dates+c.dateOnly == 1 && !c.Timed() && c.clockOnly == 0
}

// SaysDay tells whether a text is a day, with a time or none.
func SaysDay(text string) bool {
	c := alone(text)
	return c.dates+c.dateOnly == 1
}

// IsClock tells whether a text is a time of day, or a span of them, and nothing else, and
// could be no number: 8:15, 08:00-10:00, 2 pm.
func IsClock(text string) bool { return alone(text).clocks == 1 }

// alone gives a column of one text; an empty one for a text that is too long for a day.
func alone(text string) *Column {
	c := NewColumn(Settings{Present: time.Unix(0, 0).UTC()})
	if len(text) <= 40 {
		c.Learn(1, table.Cell{Kind: table.Text, Text: text})
	}
	return c
}

// Half tells whether a text is am or pm and nothing else: 1 for am, 2 for pm, 0
// for any other.
func Half(text string) int {
	if len(text) > 8 || strings.ContainsAny(text, "0123456789") {
		return 0
	}
	tokens := scan(text)
	if len(tokens) == 2 && tokens[1].kind == '.' {
		tokens = tokens[:1]
	}
	if len(tokens) != 1 || tokens[0].kind != 'w' {
		return 0
	}
	switch is := senses()[tokens[0].text].is; {
	case is&isAM != 0:
		return 1
	case is&isPM != 0:
		return 2
	}
	return 0
}
