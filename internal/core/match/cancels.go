package match

import (
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/table"
)

// cancelWords say that what a row is about does not take place.
var cancelWords = []string{"cancelled", "canceled", "withdrawn", "called off", "cxl", "cxld", "canx", "cncl", "canc", "storniert", "abgesagt", "entfällt", "fällt aus", "ausgefallen", "gestrichen", "annulé", "annulée", "supprimé", "supprimée", "cancelado", "cancelada", "anulado", "anulada", "annullato", "annullata", "soppresso", "soppressa", "desmarcado", "desmarcada", "geannuleerd", "afgelast", "vervallen", "geschrapt"}

// putOffWords say that what a row is about does not take place at the time that it has.
var putOffWords = []string{"postponed", "moved", "rescheduled", "on hold", "deferred", "suspended", "verschoben", "verlegt", "ausgesetzt", "reporté", "reportée", "aplazado", "aplazada", "pospuesto", "rinviato", "rinviata", "spostato", "spostata", "adiado", "adiada", "uitgesteld", "verplaatst"}

// deletedWords are what columns are called that say, by a yes or a day, that a row does not count any
// more.
var deletedWords = []string{"deleted", "void", "voided", "annulled", "gelöscht", "effacé", "effacée", "eliminado", "eliminada", "borrado", "borrada", "eliminato", "eliminata", "apagado", "apagada", "verwijderd"}

// restingWords are what columns are called whose yes says that a row may not count.
var restingWords = []string{"removed", "entfernt", "archived", "inactive", "obsolete", "expired", "disabled", "superseded", "archiviert", "inaktiv", "abgelaufen", "archivé", "archivée", "archivado", "archivada", "inactivo", "archiviato", "arquivado", "inativo", "gearchiveerd", "inactief"}

// doubtWords say in a column of states that what a row is about may not take place, or
// that it was not wanted.
var doubtWords = []string{
	"?", "tbc", "tba", "tbd", "to be confirmed", "to be decided", "unconfirmed", "not confirmed", "pending", "maybe", "open", "option", "optional", "on request", "requested", "provisional", "tentative", "draft", "waiting list", "waitlist", "void", "rejected", "declined", "refused", "no show", "no-show", "not coming", "not taking place", "deleted",
	"offen", "unbestätigt", "nicht bestätigt", "vorläufig", "provisorisch", "unter vorbehalt", "angefragt", "abgelehnt", "warteliste", "gelöscht",
	"à confirmer", "non confirmé", "non confirmée", "en attente", "provisoire", "refusé", "refusée",
	"por confirmar", "sin confirmar", "pendiente", "rechazado", "rechazada",
	"da confermare", "in attesa", "provvisorio", "provvisoria", "rifiutato", "rifiutata",
	"a confirmar", "por confirmar", "pendente", "provisório", "provisória", "recusado", "recusada",
	"nog te bevestigen", "in afwachting", "onder voorbehoud", "voorlopig", "afgewezen", "geweigerd",
}

// affirming are headings under which a no says that what a row is about may not take place.
var affirming = []string{
	"confirmed", "approved", "active", "enabled", "published", "valid", "going ahead", "goes ahead", "takes place", "taking place",
	"bestätigt", "genehmigt", "aktiv", "gültig", "findet statt", "confirmé", "confirmée", "approuvé", "validé", "actif", "maintenu", "confirmado", "confirmada", "aprobado", "activo",
	"confermato", "confermata", "approvato", "attivo", "aprovado", "ativo", "bevestigd", "goedgekeurd", "actief", "gaat door",
}

// kept is what a column called Cancelled by says of what takes place. A name there says
// that it does not.
var kept = []string{"", "no", "n", "false", "0", "-", "–", "nein", "non", "não", "nao", "nee"}

// dropped is what a column called Cancelled says of what does not take place, beside the
// words for it. So does a day: a text with a digit that is not 0.
var dropped = []string{"yes", "y", "x", "true", "ja", "j", "oui", "o", "sí", "si", "s", "sì", "sim"}

// Cancels gives the condition that the event of a row is cancelled, by what columns say:
// Withdrawn in a column of states, yes or a day in a column called Cancelled, a name in one
// called Cancelled by; and the columns. "" for none. texts gives the different texts of a column, or some of them.
func Cancels(header table.Header, texts func(column int) []string) (condition string, columns []string) {
	var parts []string
	for i := range header {
		if header[i] == "" {
			continue
		}
		of := "col(" + strconv.Quote(header[i]) + ")"
		by, called := tellsOff(header[i])
		switch low := "lower(trim(" + of + "))"; {
		case by:
			parts, columns = append(parts, "!("+low+" in ["+quoted(kept)+"])"), append(columns, header.Label(i))
			continue
		case called:
			parts = append(parts, low+" in ["+quoted(dropped)+", "+quoted(cancelWords)+"] || "+of+` matches "[1-9]"`)
			columns = append(columns, header.Label(i))
			continue
		}
		var values []string
		for _, text := range texts(i) {
			text = strconv.Quote(strings.TrimSpace(text)) // as the condition sees it
			if slices.Contains(cancelWords, strings.ToLower(text[1:len(text)-1])) && !slices.Contains(values, text) {
				values = append(values, text)
			}
		}
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

func quoted(words []string) string {
	out := make([]string, len(words))
	for i, w := range words {
		out[i] = strconv.Quote(w)
	}
	return strings.Join(out, ", ")
}

// cutLast cuts the last word off a text.
func cutLast(text string) (before, last string, ok bool) {
	i := strings.LastIndexByte(text, ' ')
	if i < 0 {
		return text, "", false
	}
	return text[:i], text[i+1:], true
}

// tellsOff tells whether a column is called Cancelled by, so that a name in it cancels, or
// Cancelled or Cancelled on, so that a yes or a day does.
func tellsOff(heading string) (by, called bool) {
	label := offLabel(heading)
	short, word, ok := cutLast(label)
	off := func(text string) bool {
		return slices.Contains(cancelWords, text) || slices.Contains(deletedWords, text)
	}
	if ok = ok && off(short); ok && slices.Contains([]string{"by", "von", "par", "por", "da", "door"}, word) {
		return true, false
	}
	return false, off(label) || ok && slices.Contains([]string{"on", "at", "date", "am", "le", "el", "il", "em", "op"}, word)
}

// offLabel is what a heading says without the forms that programs give it: is_cancelled,
// booking.isDeleted, deleted_at.
func offLabel(heading string) string {
	if at := strings.LastIndexByte(heading, '.'); at >= 0 && at+1 < len(heading) && !strings.Contains(heading, " ") {
		heading = heading[at+1:]
	}
	label := strings.ToLower(strings.Trim(heading, " ?:"))
	if text := headingOf(heading).text; strings.ContainsAny(heading, "_-") || text != "" && strings.ReplaceAll(text, " ", "") == label {
		label = text
	}
	for _, word := range []string{"is ", "was ", "has been ", "wurde ", "ist ", "est ", "è ", "é "} {
		label = strings.TrimPrefix(label, word)
	}
	return label
}

// Cancelling gives the texts of a column that can say that a row is cancelled, each once.
func Cancelling(rows table.Rows, column int) (out []string) {
	for _, row := range rows.All() {
		c := row.Cell(column)
		if len(c.Text) == 0 || len(c.Text) > 12 || c.Kind != table.Text && c.Kind != table.Bool || len(out) > 0 && out[len(out)-1] == c.Text || slices.Contains(out, c.Text) {
			continue
		}
		if slices.Contains(cancelWords, strings.ToLower(strings.TrimSpace(c.Text))) {
			out = append(out, c.Text)
		}
	}
	return out
}

// State tells of a heading above rows whether it is a word for their state, and whether that is
// one in which they may not take place as they stand: Cancelled, Postponed:, TBC.
func State(heading string) (state, off bool) {
	if len(heading) > 40 {
		return false, false
	}
	text := strings.Trim(strings.ToLower(heading), " :.!-–")
	off = text != "" && (slices.Contains(cancelWords, text) || slices.Contains(putOffWords, text) || slices.Contains(doubtWords, text))
	return off || IsStatus(text), off
}

// offWords are the words for what does not take place as it stands by their first octet,
// as every cell is held against them; stateWords are those of a column of states.
var (
	offWords   = sync.OnceValue(func() *byFirst { return index(cancelWords, putOffWords) })
	stateWords = sync.OnceValue(func() *byFirst { return index(cancelWords, putOffWords, doubtWords) })
)

type byFirst [256][]string

func index(lists ...[]string) *byFirst {
	var out byFirst
	for _, w := range slices.Concat(lists...) {
		out[w[0]|0x20] = append(out[w[0]|0x20], w)
	}
	return &out
}

// Remarks tells whether a column is called by a word for remarks. What one says of its row is
// easily missed in the text of an event.
func Remarks(heading string) bool { return headingOf(heading).rank(names("description")) > 0 }

// Off gives a function that tells whether a text in a column of a heading says that what its
// row is about does not take place, or not as it stands: Postponed, Cancelled – weather,
// anything but a no under Cancelled, a no under Confirmed, Tbc or confirmed? under Status. Longer texts are
// remarks, and say nothing.
func Off(heading string) func(text string) bool {
	by, called := tellsOff(heading)
	affirms, rests := slices.Contains(affirming, offLabel(heading)), slices.Contains(restingWords, offLabel(heading))
	words, doubted := offWords(), affirms
	if h := headingOf(heading); h.rank(names("status")) > 0 {
		words, doubted = stateWords(), true
	}
	return func(text string) bool {
		text = strings.TrimSpace(text)
		if text == "" || len(text) > 40 {
			return false
		}
		if doubted && text[len(text)-1] == '?' {
			return true
		}
		if by || called {
			return !slices.Contains(kept, strings.ToLower(text))
		}
		if rests {
			return slices.Contains(dropped, strings.ToLower(text))
		}
		if affirms {
			low := strings.ToLower(text)
			return slices.Contains(kept, low) && strings.Trim(low, "-–") != "" || slices.Contains(doubtWords, low)
		}
		for _, w := range words[text[0]|0x20] {
			if len(text) < len(w) || len(w) > 1 && text[1]|w[1] < utf8.RuneSelf && text[1]|0x20 != w[1]|0x20 || !strings.EqualFold(text[:len(w)], w) {
				continue // for most by the second letter
			}
			if next, _ := utf8.DecodeRuneInString(text[len(w):]); !unicode.IsLetter(next) || next == utf8.RuneError {
				return true
			}
		}
		return false
	}
}
