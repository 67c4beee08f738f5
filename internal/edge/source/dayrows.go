package source

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/notice"
	"almanach/internal/core/table"
)

// dayNames are what the column of days is called that stand in rows of their own, the
// first of them that no other column has.
var dayNames = []string{"Day", "Date", "Day of the rows"}

// findDayRows finds out whether the days of a table stand in rows of their own, each above
// what takes place on it, and in no column. They are then those of the column that they
// stand in, where other rows leave it empty or have their own; else the table gets a column of them.
func (t *framed) findDayRows() {
	at, others := -1, 0
	var dated []int  // by column: the other rows that have a day there
	told := []int{}  // by column: the other rows that seem to say a day there in whatever words, as keys such as TH/1 do
	used := []bool{} // by column: another row has something else there
	for _, r := range t.buffered {
		if r.Fault != nil || r.Blank() {
			continue
		}
		if day := isDayRow(r); day >= 0 {
			if at < 0 {
				at = day
			}
			continue
		}
		if filled(r) < 2 {
			continue
		}
		if at < 0 { // what stands above the first of them would have no day
			return
		}
		others++
		for i := range r.Width() {
			c := r.Cell(i)
			if isDay(c) && !decimal(c.Text) {
				dated = append(dated, make([]int, max(0, i+1-len(dated)))...)
				dated[i]++
			}
			told = append(told, make([]int, max(0, i+1-len(told)))...)
			if saysDay(c.Text) {
				told[i]++
			}
			used = append(used, make([]bool, max(0, i+1-len(used)))...)
			used[i] = used[i] || c.Filled() && !isDay(c)
		}
	}
	if others == 0 || slices.ContainsFunc(dated, func(n int) bool { return n*2 > others }) {
		return
	}
	t.dayAt, t.dayWords = at, at >= len(told) || told[at]*2 <= others
	if at < len(t.header) && t.header[at] != "" && (at >= len(used) || !used[at]) {
		t.days, t.dayColumn = true, at
		return
	}
	for _, name := range dayNames {
		if t.header.Find(name) < 0 {
			t.days, t.dayColumn, t.dayAdded = true, len(t.header), true
			t.header = append(t.header, name)
			return
		}
	}
}

// decimal tells whether a text is a number such as 8.15, which may be no day.
func decimal(text string) bool {
	_, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(text), ",", ".", 1), 64)
	return err == nil && strings.ContainsAny(text, ".,")
}

// isDayRow gives the column of the day that is all that a row holds, -1 for any other row.
func isDayRow(r table.Row) int {
	if r.Fault != nil || filled(r) != 1 {
		return -1
	}
	at := firstFilled(&r)
	if !isDay(r.Cell(at)) {
		return -1
	}
	return at
}

// firstFilled gives the first column in which the row has anything, -1 for none.
func firstFilled(r *table.Row) int {
	for i := range r.Width() {
		if r.Filled(i) {
			return i
		}
	}
	return -1
}

// filled counts the cells that hold anything, two at most.
func filled(r table.Row) (n int) {
	for i := range r.Width() {
		if r.Filled(i) {
			if n++; n > 1 {
				break
			}
		}
	}
	return n
}

// opensDay takes in a row that is the day of those below it. Where it says a day in other
// words, or is a heading of another kind, such as TBC, they have no day that can be read,
// rather than the one before.
func (t *framed) opensDay(row *table.Row) bool {
	if !t.days {
		return false
	}
	if row.Fault != nil { // it may have been the next day
		t.newDay(table.Cell{Kind: table.Text, Text: fmt.Sprintf("below row %d, which cannot be read", row.Number)})
		return false
	}
	alone := filled(*row) == 1
	at := t.dayAt
	if alone {
		at = firstFilled(row)
	}
	c := row.Cell(at)
	switch {
	case !c.Filled(), row.Sums(), !alone && decimal(c.Text):
		return false
	case isDay(c), saysDay(c.Text) && (alone || t.dayWords):
	case alone: // it is held as a row, and so are those below it
		t.newDay(c)
		return false
	default:
		return false
	}
	t.newDay(c)
	if !alone && !t.dayAdded { // it has a day of its own
		return false
	}
	if !alone {
		row.Fault = fault.New(c.Text, "is a day as the rows have that are the day of those below, and more stands beside it").Do("give it a row of its own, or take the day out").At(row.Place())
		return false
	}
	if t.dayRows++; t.dayRows == 1 {
		t.dayNote = len(t.about.Notes)
		t.about.Notes = append(t.about.Notes, "")
	}
	rows := "1 row is the day of the rows below it"
	if t.dayRows > 1 {
		rows = fmt.Sprintf("%d rows are each the day of the rows below them", t.dayRows)
	}
	t.about.Notes[t.dayNote] = fmt.Sprintf("%s, the last of them row %d: %s (column %s)", rows, row.Number, fault.Shorten(t.under, 60), t.header.Label(t.dayColumn))
	return true
}

// newDay is the day of the rows from here on.
func (t *framed) newDay(c table.Cell) {
	t.day, t.under = c, strings.Join(strings.Fields(c.Text), " ")
	for n, i := range t.fill {
		if i == t.dayColumn { // what is filled down is this one too
			t.above[n] = c
		}
	}
}

// saysDay tells whether a text speaks of a day, if only of one of the week.
func saysDay(text string) bool {
	if notice.SaysDay(text) {
		return true
	}
	for word := range strings.FieldsFuncSeq(text, func(r rune) bool { return !unicode.IsLetter(r) }) {
		if days, _ := moment.Weekdays(word, 0); days != 0 {
			return true
		}
	}
	return false
}

// withDay gives a row with its day in its column.
func (t *framed) withDay(row table.Row) table.Row {
	if !t.days || row.Fault != nil || row.Filled(t.dayColumn) {
		return row
	}
	cells := make([]table.Cell, len(t.header))
	copy(cells, row.AppendCells(nil))
	cells[t.dayColumn] = t.day
	return row.With(t.block.Take(cells))
}
