package match

import (
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/table"
)

// cancelWords say that what a row is about does not take place.
var cancelWords = []string{"cancelled", "canceled", "withdrawn", "called off", "storniert", "abgesagt", "annulé", "annulée", "cancelado", "cancelada", "anulado", "annullato", "annullata", "geannuleerd", "afgelast"}

var yesWords = []string{"yes", "y", "x", "true", "ja", "oui", "sí", "si", "sim"}

// Cancels gives the condition that the event of a row is cancelled, by what columns say:
// Withdrawn in a column of states, yes in a column called Cancelled; and the columns. ""
// for none. said gives the different texts of a column, or some of them.
func Cancels(header table.Header, said func(column int) []string) (condition string, columns []string) {
	var parts []string
	for i := range header {
		if header[i] == "" {
			continue
		}
		named := slices.Contains(cancelWords, strings.ToLower(strings.Trim(header[i], " ?:")))
		var values []string
		for _, text := range said(i) {
			if word := strings.ToLower(strings.TrimSpace(text)); slices.Contains(cancelWords, word) || named && slices.Contains(yesWords, word) {
				values = append(values, strconv.Quote(text))
			}
		}
		of := "col(" + strconv.Quote(header[i]) + ")"
		switch len(values) {
		case 0:
			continue
		case 1:
			parts = append(parts, of+" == "+values[0])
		default:
			slices.Sort(values)
			parts = append(parts, of+" in ["+strings.Join(values, ", ")+"]")
		}
		columns = append(columns, header.Label(i))
	}
	return strings.Join(parts, " || "), columns
}

// Cancelling gives the texts of a column that can say that a row is cancelled, each once.
func Cancelling(rows []table.Row, column int) (out []string) {
	for _, row := range rows {
		if column >= len(row.Cells) {
			continue
		}
		c := row.Cells[column]
		if len(c.Text) == 0 || len(c.Text) > 12 || c.Kind != table.Text && c.Kind != table.Bool || len(out) > 0 && out[len(out)-1] == c.Text || slices.Contains(out, c.Text) {
			continue
		}
		if word := strings.ToLower(c.Text); slices.Contains(cancelWords, word) || slices.Contains(yesWords, word) {
			out = append(out, c.Text)
		}
	}
	return out
}
