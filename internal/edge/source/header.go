package source

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
)

// headerIndex finds the header: the first row of names that is nearly as wide
// as the table. Titles above it are narrower; rows of data hold numbers,
// dates, or one name again and again. A row of names right below one that has
// gaps belongs to it.
func headerIndex(rows []table.Row) (from, to int, why string) {
	widest := 0
	for _, r := range rows {
		widest = max(widest, distinct(r))
	}
	for _, share := range []float64{0.7, 0.4} {
		for i, r := range rows {
			if i+1 < len(rows) && float64(max(trimmedWidth(r), trimmedWidth(rows[i+1]))) >= share*float64(widest) && above(r, rows[i+1]) {
				return i, i + 1, "two rows name the columns together"
			}
			if n := distinct(r); n > 0 && float64(n) >= share*float64(widest) && names(r) {
				return i, i, fmt.Sprintf("the first row of names as wide as the table: %d of %d columns", n, widest)
			}
		}
	}
	return -1, -1, ""
}

// above tells whether a row groups the names in the row below it: it has
// gaps, or one name over several cells, just where the lower one has names.
func above(upper, lower table.Row) bool {
	if upper.Number+1 != lower.Number || !names(lower) && !repeats(lower) || trimmedWidth(upper) < 2 || !names(upper) && !repeats(upper) {
		return false
	}
	gaps, own := 0, 0
	seen := map[string]bool{}
	for i := range max(trimmedWidth(upper), trimmedWidth(lower)) {
		u, l := upper.Cell(i), lower.Cell(i)
		if u.Filled() && (u.Kind != table.Text || looksLikeData(strings.ToLower(u.Text))) || l.Filled() && (l.Kind != table.Text || looksLikeData(strings.ToLower(l.Text))) {
			return false
		}
		switch {
		case l.Filled() && (!u.Filled() || seen[u.Text]):
			gaps++
		case !l.Filled() && u.Filled() && !seen[u.Text]:
			own++
		}
		if u.Filled() {
			seen[u.Text] = true
		}
	}
	return gaps > 0 && len(seen) >= 2 && (own > 0 || repeats(lower))
}

// repeats tells whether a row of names has some of them again, as the lower
// row of a header does: Date, Time, Date, Time.
func repeats(r table.Row) bool {
	seen := map[string]int{}
	again := 0
	for _, c := range r.Cells {
		if !c.Filled() {
			continue
		}
		if c.Kind != table.Text || looksLikeData(strings.ToLower(c.Text)) {
			return false
		}
		if seen[c.Text]++; seen[c.Text] == 2 {
			again++
		}
	}
	return again > 0 && len(seen) > 1
}

// distinct is how many different values a row has.
func distinct(r table.Row) int {
	seen := map[string]bool{}
	for _, c := range r.Cells {
		if c.Filled() {
			seen[c.Text] = true
		}
	}
	return len(seen)
}

// names tells whether the filled cells could name columns. One name twice is
// a mistake that happens; most of them twice is data.
func names(r table.Row) bool {
	seen := map[string]bool{}
	twice := 0
	for _, c := range r.Cells {
		if !c.Filled() {
			continue
		}
		text := strings.ToLower(strings.TrimSpace(c.Text))
		if c.Kind != table.Text || len(text) > 120 || text != "#" && !strings.ContainsFunc(text, func(r rune) bool { return r > '9' }) || looksLikeData(text) {
			return false
		}
		if seen[text] {
			twice++
		}
		seen[text] = true
	}
	return twice*2 <= len(seen)
}

// looksLikeData tells whether a text holds two digits or more in a row, as
// dates, times and numbers do and names of columns seldom.
func looksLikeData(text string) bool {
	digits := 0
	for _, r := range text {
		if r >= '0' && r <= '9' {
			digits++
		}
	}
	return digits*2 >= len(text) || strings.Contains(text, "@")
}

// matrix refuses a sheet whose days or hours stand side by side, one column each, with
// what takes place on them below: no row of it is one event.
func matrix(rows []table.Row) *fault.Fault {
	for i, r := range rows {
		filled, weekdays, dates, hours := 0, 0, 0, 0
		var first, last int
		for n, c := range r.Cells {
			if !c.Filled() {
				continue
			}
			filled++
			if names, _ := moment.Weekdays(c.Text, 0); names != 0 {
				weekdays++
			} else if isDay(c) {
				dates++
			} else if c.Kind == table.Text && moment.IsClock(c.Text) {
				hours++
			} else {
				continue
			}
			if last = n; weekdays+dates+hours == 1 {
				first = n
			}
		}
		what, count := "days", weekdays+dates
		enough := count > 2 && last > 2 && (count*4 >= filled*3 || dates > 2 && dates*2 >= filled)
		if hours > 1 && hours*3 >= filled*2 {
			what, count, enough = "hours", hours, true
		}
		if !enough || named(rows[:i], r) || !below(rows[i+1:], r, dates > 2) {
			continue
		}
		f := fault.Newf("the sheet is a matrix: %d %s stand side by side in row %d (%s, …), and what takes place then stands below", count, what, r.Number, fault.Shorten(r.Cells[first].Text, 30))
		return f.Do("give each event a row of its own, with its day in a column; if it is no matrix, say in which row the names of the columns stand, with header: N or --header N")
	}
	return nil
}

// named tells whether a row above names most of the columns that hold days or hours: they
// are then of rows, the first of which is this one.
func named(rows []table.Row, top table.Row) bool {
	return slices.ContainsFunc(rows, func(r table.Row) bool {
		names, columns := 0, 0
		for n, c := range top.Cells {
			if !isDay(c) && !moment.IsClock(c.Text) {
				continue
			}
			if columns++; r.Filled(n) && r.Cell(n).Kind == table.Text && !isDay(r.Cell(n)) && !moment.IsClock(r.Cell(n).Text) {
				names++
			}
		}
		return names*2 > columns
	})
}

func isDay(c table.Cell) bool {
	return c.Kind == table.Date || c.Kind == table.Text && moment.IsDay(c.Text)
}

// below tells whether words stand under the days or hours of a row: marks alone are what
// a timetable has under the days of a week, but not under dates.
func below(rows []table.Row, top table.Row, dates bool) bool {
	words, others := 0, 0
	for _, r := range rows {
		for n, c := range r.Cells {
			if n == 0 || !top.Filled(n) || !c.Filled() {
				continue
			}
			text := strings.TrimSpace(c.Text)
			word := c.Kind == table.Text && len([]rune(text)) > 3 && !isDay(c) && !(moment.IsClock(text) && moment.IsClock(top.Cells[n].Text))
			if dates && !word && !isDay(c) {
				_, err := strconv.ParseFloat(text, 64)
				word = err != nil
			}
			if word {
				words++
			} else {
				others++
			}
		}
	}
	return words > others
}
