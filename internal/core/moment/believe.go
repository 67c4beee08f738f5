package moment

import (
	"fmt"
	"slices"

	"almanach/internal/core/fault"
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

// Weekdays gives the days of the week that a text names and nothing else, a bit
// each from Sunday; several for what differs by language, 0 for any other text.
func Weekdays(text string) uint8 {
	if len(text) > 40 {
		return 0
	}
	var set uint8
	for _, t := range scan(text) {
		switch days := senses()[t.text].weekdays; {
		case t.kind == '.' || t.kind == ',':
		case t.kind != 'w' || days == 0 || set != 0:
			return 0
		default:
			set = days
		}
	}
	return set
}
