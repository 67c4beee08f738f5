package document

import (
	"slices"
	"strings"
	"unicode"

	"almanach/internal/core/notice"
	"almanach/internal/core/table"
)

// Table is a table of a document.
type Table struct {
	Page, Line int
	Rows       [][]table.Cell
	Lines      []int           // by row; nil where rows have no lines of their own
	Wide       map[[2]int]bool // the cells, by row and column, that lie over several columns
}

// widen notes that the cell of the row under way lies over several columns.
func (t *Table) widen(column int) {
	if t.Wide == nil {
		t.Wide = map[[2]int]bool{}
	}
	t.Wide[[2]int{len(t.Rows), column}] = true
}

// lines gives the rows of a table as lines of labels, under its header. Without a
// header each row is a line of text.
func (t *Table) lines() (out []notice.Line) {
	for _, kind := range []func() []notice.Line{t.form, t.cross, t.lists} {
		if out := kind(); out != nil {
			return append(out, notice.Line{})
		}
	}
	if out := t.pairs(); out != nil {
		return append(out, notice.Line{})
	}
	header := t.header()
	var last []string // of the rows above, for ditto marks
	for n, row := range t.Rows {
		if n < t.headRows() && header != nil {
			continue
		}
		if header != nil && sameRow(row, t.Rows[0]) { // repeated on the next page
			continue
		}
		l := notice.Line{Page: t.Page, Number: t.Line, Whole: true}
		if t.Lines != nil {
			l.Number = t.Lines[n]
		}
		var texts []string
		struck, filled := true, 0
		values := make([]string, len(row))
		some := slices.ContainsFunc(row, func(c table.Cell) bool { return c.Filled() && !c.Struck })
		for i, c := range row {
			text := strings.TrimSpace(c.Text)
			if ditto(text) && i < len(last) {
				text = last[i]
			}
			values[i] = text
			if text == "" {
				continue
			}
			if c.Struck && some { // a crossed-out cell of a row that stands is none of it
				l.Gone = strings.TrimSpace(l.Gone + " " + text)
				continue
			}
			filled++
			struck = struck && c.Struck
			texts = append(texts, text)
			label := ""
			if i < len(header) && (!t.Wide[[2]int{n, i}] || t.Wide[[2]int{0, i}]) { // what lies over several columns is of none of them
				label = header[i]
			}
			l.Fields = append(l.Fields, notice.Field{Label: label, Value: text})
		}
		last = values
		if filled == 0 {
			continue
		}
		l.Struck, l.Text = struck, strings.Join(texts, " | ")
		if header == nil {
			l.Fields = nil
			l.Text = texts[0]
			for i, text := range texts[1:] {
				if notice.SaysDay(text) && notice.SaysDay(texts[i]) { // two days are no range for standing side by side
					l.Text += " | " + text
				} else {
					l.Text += " – " + text
				}
			}
		} else if filled == 1 { // a heading within the table, or a note
			l.Text, l.Fields = texts[0], nil
		}
		out = append(out, l)
	}
	return append(out, notice.Line{})
}

func ditto(text string) bool {
	switch strings.ToLower(text) {
	case `"`, "''", "”", "“", "〃", `""`, "ditto", "do.", "idem", "id.", "dto.", "„":
		return true
	}
	return false
}

func sameRow(a, b []table.Cell) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if strings.TrimSpace(a[i].Text) != strings.TrimSpace(b[i].Text) {
			return false
		}
	}
	return true
}

// headRows gives how many rows the header has: two, where cells of the first lie over
// several columns and the second names these.
func (t *Table) headRows() int {
	if len(t.Rows) < 3 {
		return 1
	}
	wide := false
	for i := range t.Rows[0] {
		wide = wide || t.Wide[[2]int{0, i}]
	}
	for i, c := range t.Rows[1] {
		if strings.ContainsFunc(c.Text, unicode.IsDigit) || t.Wide[[2]int{1, i}] {
			return 1
		}
	}
	below := make([]string, len(t.Rows[1]))
	for i := range below {
		below[i] = t.text(1, i)
	}
	if known, _ := notice.Labels(below); !wide || known == 0 { // else it is a row without a figure
		return 1
	}
	return 2
}

// header gives the labels of a table's columns, nil where its first row is one
// like the others: it says a day, or numbers.
func (t *Table) header() []string {
	if len(t.Rows) < 2 {
		return nil
	}
	out := make([]string, len(t.Rows[0]))
	for i, c := range t.Rows[0] {
		text := strings.Join(strings.Fields(c.Text), " ")
		if strings.ContainsFunc(text, unicode.IsDigit) && len(text) > 2 {
			return nil
		}
		out[i] = text
	}
	if t.headRows() == 2 {
		above := ""
		for i := range out {
			if out[i] != "" {
				above = out[i]
			}
			if below := t.text(1, i); below != "" && !strings.EqualFold(below, above) {
				out[i] = strings.TrimSpace(above + " " + below)
			}
		}
	}
	if strings.Join(out, "") == "" {
		return nil
	}
	notice.NameColumns(out, func(i int) []string {
		var values []string
		for _, row := range t.Rows[t.headRows():] {
			if i < len(row) && strings.TrimSpace(row[i].Text) != "" {
				values = append(values, row[i].Text)
			}
		}
		return values
	})
	return out
}

// line gives a line of a row.
func (t *Table) line(row int) notice.Line {
	l := notice.Line{Page: t.Page, Number: t.Line, Whole: true}
	if t.Lines != nil {
		l.Number = t.Lines[row]
	}
	return l
}

func (t *Table) text(row, column int) string {
	if column >= len(t.Rows[row]) {
		return ""
	}
	return strings.Join(strings.Fields(t.Rows[row][column].Text), " ")
}

// labelled tells whether the first row has a label in each of its two first columns.
func (t *Table) labelled() bool {
	known, _ := notice.Labels([]string{t.text(0, 0), t.text(0, 1)})
	return known == 2
}

// form gives a table of two columns, labels and what they say, as a block of labels; nil
// for another table. Where a label comes again, another block begins.
func (t *Table) form() (out []notice.Line) {
	var labels []string
	if t.labelled() {
		return nil
	}
	for n, row := range t.Rows {
		label := t.text(n, 0)
		for i := 2; i < len(row); i++ {
			if row[i].Filled() {
				return nil
			}
		}
		switch {
		case label == "" || notice.SaysDay(label) || notice.SaysTime(label):
			return nil
		case t.text(n, 1) != "":
			labels = append(labels, label)
		}
	}
	if known, when := notice.Labels(labels); known < 2 || known*2 < len(labels) || !when {
		return nil
	}
	var gone []notice.Line
	said := map[string]bool{}
	for n, row := range t.Rows {
		label, value := t.text(n, 0), t.text(n, 1)
		if row[1].Struck && !row[0].Struck {
			l := t.line(n)
			l.Gone = value
			gone = append(gone, l)
			continue
		}
		if value == "" { // a heading within it
			l := t.line(n)
			l.Text = label
			out, said = append(out, l), map[string]bool{}
			continue
		}
		if len(said) == 0 || said[strings.ToLower(label)] {
			l := t.line(n)
			l.Struck, said = true, map[string]bool{}
			out = append(out, l)
		}
		said[strings.ToLower(label)] = true
		l := &out[len(out)-1]
		l.Struck = l.Struck && row[1].Struck
		l.Fields = append(l.Fields, notice.Field{Label: label, Value: value})
		l.Text = strings.TrimPrefix(l.Text+" | "+label+": "+value, " | ")
	}
	return append(out, gone...)
}

// pairs gives a table of two columns, in which some of the labels are known, as lines of
// a label and what it says; nil for another table.
func (t *Table) pairs() (out []notice.Line) {
	var labels []string
	if t.labelled() {
		return nil
	}
	for n, row := range t.Rows {
		label := t.text(n, 0)
		if filled(row) != 2 || label == "" || t.text(n, 1) == "" || notice.SaysDay(label) || notice.SaysTime(label) {
			return nil
		}
		labels = append(labels, label)
		l := t.line(n)
		l.Text = strings.TrimRight(label, ": ") + ": " + t.text(n, 1)
		out = append(out, l)
	}
	if known, _ := notice.Labels(labels[1:]); known == 0 {
		return nil
	}
	return out
}

// headed tells whether every cell stands under a heading.
func (t *Table) headed() bool {
	for _, row := range t.Rows[1:] {
		for i, c := range row {
			if c.Filled() && (i >= len(t.Rows[0]) || i > 0 && !t.Rows[0][i].Filled()) {
				return false
			}
		}
	}
	return true
}

// cross gives the cells of a table that has days, or times, above its columns and to the
// left of its rows; nil for another table.
func (t *Table) cross() (out []notice.Line) {
	if len(t.Rows) < 2 || !t.headed() || notice.SaysDay(t.text(0, 0)) || notice.SaysTime(t.text(0, 0)) {
		return nil
	}
	days, times := 0, 0
	for i := 1; i < len(t.Rows[0]); i++ {
		switch head := t.text(0, i); {
		case head == "":
		case notice.SaysDay(head) && strings.ContainsAny(head, "0123456789"):
			days++
		case notice.SaysTime(head), notice.SaysPart(head):
			times++
		default:
			return nil
		}
	}
	if days+times < 2 || days > 0 && times > 0 {
		return nil
	}
	for n := 1; n < len(t.Rows); n++ {
		if days == 0 && !notice.SaysDay(t.text(n, 0)) && t.text(n, 0) != "" && !startsWithDay(t.text(n, 0)) {
			return nil
		}
	}
	for n := 1; n < len(t.Rows); n++ {
		lead := t.text(n, 0)
		for i := 1; i < len(t.Rows[n]) && i < len(t.Rows[0]); i++ {
			cell, head := t.text(n, i), t.text(0, i)
			if strings.Trim(cell, "-–—./ ") == "" || head == "" {
				continue
			}
			l := t.line(n)
			l.Item, l.Struck = true, t.Rows[n][i].Struck
			what, when := notice.Hours(head)
			switch {
			case times > 0 && when == "": // a part of the day, for which the cell may say the time
				l.Text = strings.TrimSpace(lead+", "+head) + ": " + cell
			case times > 0:
				l.Text = strings.TrimSpace(lead+", "+when) + ": " + strings.TrimPrefix(what+": "+cell, ": ")
			case notice.SaysTime(lead):
				what, when = notice.Hours(lead)
				l.Text = head + ", " + when + ": " + strings.TrimPrefix(what+": "+cell, ": ")
			default:
				l.Text = head + ": " + strings.TrimPrefix(lead+", "+cell, ", ")
			}
			out = append(out, l)
		}
	}
	return out
}

// startsWithDay tells whether a text begins with a day of the month, as below a heading
// with the month.
func startsWithDay(text string) bool {
	return strings.ContainsAny(text, "0123456789") && len(strings.Fields(text)) <= 3
}

// lists gives the columns of a table that are lists of events side by side; nil for another
// table.
func (t *Table) lists() (out []notice.Line) {
	columns, events := 0, 0
	if len(t.Rows) < 2 || !t.headed() {
		return nil
	}
	for i := range t.Rows[0] {
		filled, said := 0, 0
		for n := 1; n < len(t.Rows); n++ {
			if text := t.text(n, i); text != "" {
				filled++
				if notice.SaysEvent(text) {
					said++
				}
			}
		}
		if filled > 0 {
			columns++
			if said*10 >= filled*7 {
				events++
			}
		}
	}
	if columns < 2 || events < columns {
		return nil
	}
	for i := range t.Rows[0] {
		for n := range t.Rows {
			text := t.text(n, i)
			if text == "" {
				continue
			}
			l := t.line(n)
			l.Text, l.Struck = text, t.Rows[n][i].Struck
			if l.Item = true; n == 0 && !notice.SaysDay(text) {
				l.Item, l.Level = false, 6
			}
			out = append(out, l)
		}
	}
	return out
}
