package intake

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/match"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
)

// Unmet says of the intake's conditions what a person would want to know of
// one that meets no row: that no row meets it, or that it compares a column
// with a value which the column never has. cancelled is how many rows met
// cancel_when.
func (b *Batch) Unmet(cancelled int) []string {
	b.Look()
	var out []string
	for n, c := range []struct {
		name      string
		condition *template.Condition
		met       int
	}{{"leave_out", b.Mapping.leaveOut, b.met[0]}, {"cancel_when", b.Mapping.cancel, cancelled}} {
		if c.condition == nil || n == 1 && b.assumedCancel() {
			continue
		}
		notes := slices.Clone(b.seen.strangers[n])
		if len(notes) == 0 && c.met == 0 {
			notes = []string{fmt.Sprintf("%s: no row meets %s", c.name, c.condition.Text)}
		}
		out = append(out, notes...)
	}
	return out
}

// assumedCancel tells whether cancel_when is one that nobody wrote.
func (b *Batch) assumedCancel() bool {
	c := b.Mapping.cancel
	return c != nil && c.Text == cancelledText && b.Mapping.intake.cancel.At == nil
}

// seen is what Look found.
type seen struct {
	strangers [2][]string // of leave_out and of cancel_when
	off       []offCell
}

// offCell is a cell that says that its row should not be loaded.
type offCell struct {
	column, row int32
	text        string
}

// Look has Unmet and Off ask no cells later.
func (b *Batch) Look() {
	if b.seen != nil {
		return
	}
	b.seen = &seen{}
	b.seen.strangers[0] = b.strangers("leave_out", b.Mapping.leaveOut)
	if !b.assumedCancel() {
		b.seen.strangers[1] = b.strangers("cancel_when", b.Mapping.cancel)
	}
	mapper, texts := b.Mapping.Mapper(), map[string]string{}
	for column, heading := range b.Mapping.Header {
		if heading == "" || slices.Contains(b.Mapping.shown, column) && !match.Remarks(heading) {
			continue
		}
		off := match.Off(heading)
		for i, r := range b.Rows.All() {
			c := r.Cell(column)
			if c.Kind != table.Text && c.Kind != table.Bool || b.fate[i] != WantedRow || r.Evidence != nil || !off(c.Text) {
				continue
			}
			if cancelled, f := mapper.Cancelled(r); cancelled || f != nil {
				continue
			}
			text, known := texts[c.Text]
			if !known {
				text = strings.Clone(c.Text) // the row's text need not stay for it
				texts[text] = text
			}
			b.seen.off = append(b.seen.off, offCell{int32(column), int32(i), text})
		}
	}
}

// Off says what columns of remarks, and those that nothing shows, say of rows that are loaded
// as they stand, though it reads as if they should not be: that they are cancelled, or put off.
// Only rows that counts tells of count.
func (b *Batch) Off(counts func(row int) bool) (out []string) {
	b.Look()
	for cells := b.seen.off; len(cells) > 0; {
		column := cells[0].column
		var texts []string
		n := 0
		for ; len(cells) > 0 && cells[0].column == column; cells = cells[1:] {
			c := &cells[0]
			if b.fate[c.row] != WantedRow || !counts(int(c.row)) {
				continue
			}
			if text := strconv.Quote(strings.TrimSpace(c.text)); !slices.Contains(texts, text) && len(texts) < 3 {
				texts = append(texts, text)
			}
			n++
		}
		if n > 0 {
			rows := "1 row is loaded as it stands"
			if n > 1 {
				rows = fmt.Sprintf("%d rows are loaded as they stand", n)
			}
			out = append(out, fmt.Sprintf("%s though %s says %s (set leave_out or cancel_when, or give --leave-out or --cancel-when)", rows, b.Mapping.Header.Label(int(column)), strings.Join(texts, ", ")))
		}
	}
	return out
}

// strangers lists the values that a condition compares a column with and that
// the column never has. Being empty is no value.
func (b *Batch) strangers(name string, c *template.Condition) []string {
	if c == nil {
		return nil
	}
	var out []string
	for n, compared := range c.Compared {
		if compared.Value == "" || slices.Contains(c.Compared[:n], compared) {
			continue
		}
		has, others := b.values(compared)
		if has {
			continue
		}
		note := fmt.Sprintf("%s: %s is never %q", name, b.Mapping.Header.Label(compared.Column), compared.Value)
		if len(others) > 0 {
			note += "; it is " + strings.Join(others, ", ")
		}
		out = append(out, note)
	}
	return out
}

// values tells whether a column has the value it is compared with, and gives
// the first few others it has, the nearest in front.
func (b *Batch) values(c template.Comparison) (has bool, others []string) {
	const most = 4
	more := false
	for _, r := range b.Rows.All() {
		text := strings.TrimSpace(r.Cell(c.Column).Text)
		if text == c.Value {
			return true, nil
		}
		if quoted := fmt.Sprintf("%q", text); text != "" && !slices.Contains(others, quoted) {
			switch {
			case strings.EqualFold(text, c.Value):
				others = slices.Insert(others, 0, quoted)
			case len(others) < most:
				others = append(others, quoted)
			default:
				more = true
			}
		}
	}
	if len(others) > most {
		others, more = others[:most], true
	}
	if more {
		others = append(others, "…")
	}
	return false, others
}
