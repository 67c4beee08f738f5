package intake

import (
	"fmt"
	"slices"
	"strings"

	"almanach/internal/core/template"
)

// Unmet says of the intake's conditions what a person would want to know of
// one that meets no row: that no row meets it, or that it compares a column
// with a value which the column never has. cancelled is how many rows met
// cancel_when.
func (b *Batch) Unmet(cancelled int) []string {
	var out []string
	for _, c := range []struct {
		name      string
		condition *template.Condition
		met       int
	}{{"leave_out", b.Mapping.leaveOut, b.met[0]}, {"cancel_when", b.Mapping.cancel, cancelled}} {
		if c.condition == nil {
			continue
		}
		if c.condition.Text == cancelledText && b.Mapping.intake.cancel.At == nil {
			continue // nobody wrote it
		}
		notes := b.strangers(c.name, c.condition)
		if len(notes) == 0 && c.met == 0 {
			notes = []string{fmt.Sprintf("%s: no row meets %s", c.name, c.condition.Text)}
		}
		out = append(out, notes...)
	}
	return out
}

// strangers lists the values that a condition compares a column with and that
// the column never has. Being empty is no value.
func (b *Batch) strangers(name string, c *template.Condition) []string {
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
	for _, r := range b.Rows {
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
