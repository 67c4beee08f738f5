package match

import (
	"slices"
	"strings"
	"time"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/rule"
)

// recurringNames are headings that can be those of how events repeat; what stands below them
// tells.
var recurringNames = []string{
	"frequency", "freq", "how often", "interval", "every", "pattern", "cadence", "rhythm", "recurring", "recurrence pattern", "repeat pattern",
	"häufigkeit", "intervall", "turnus", "rhythmus", "fréquence", "périodicité", "récurrence", "intervalle", "frecuencia", "periodicidad", "recurrencia", "intervalo",
	"frequenza", "ricorrenza", "cadenza", "intervallo", "frequência", "periodicidade", "recorrência", "frequentie", "regelmaat", "ritme",
}

// single says below such a heading that an event does not repeat.
var single = []string{"", "-", "–", "no", "none", "never", "once", "one-off", "one off", "single", "n/a", "nein", "einmalig", "einmal", "non", "unique", "une fois", "única", "único", "una vez", "unica", "una volta", "uma vez", "nee", "eenmalig"}

// Once tells whether a text, in lower case, says that an event does not repeat.
func Once(text string) bool { return slices.Contains(single, text) }

// repeating counts the texts that say how something repeats, and those that say that it does
// not. Weekdays alone are on which day it is, but for a column whose name says more.
func repeating(texts []string, named bool) (repeats, single int) {
	for _, s := range texts {
		low := strings.ToLower(s)
		switch {
		case Once(low):
			single++
		case weekdays(s):
			if named || slices.Contains(eachDay, low) {
				repeats++
			}
		case strings.HasPrefix(low, "freq=") || strings.HasPrefix(low, "rrule:"), saysRule(s):
			repeats++
		}
	}
	return repeats, single
}

func saysRule(s string) bool {
	if !strings.ContainsFunc(s, unicode.IsLetter) {
		return false
	}
	any := func(string) (int64, bool) { return 0, true }
	_, err := rule.ParseWords(s, any, func(word string) (time.Weekday, bool) {
		set, _ := moment.Weekdays(word, 0)
		for d := time.Sunday; d <= time.Saturday; d++ {
			if set == 1<<d {
				return d, true
			}
		}
		return 0, false
	})
	return err == nil
}

// recurring takes a column that says how events repeat under a name that can mean it.
func (m *chooser) recurring() {
	for i, c := range m.columns {
		if !m.has("repeat") && !m.taken[i] && c.Filled > 0 && slices.Contains(recurringNames, m.headings[i].text) {
			if repeats, _ := repeating(c.Samples, true); repeats > 0 {
				m.take("repeat", i)
			}
		}
	}
}

// recurs asks about a column that says how something repeats, and does not say that it is the
// events: left out, each of them would take place once.
func (h *hours) recurs() *fault.Fault {
	if h.choice("start") == nil {
		return nil
	}
	if h.choice("repeat") != nil {
		return h.changes()
	}
	for i, t := range h.traits {
		if c := h.choice("description"); h.taken(i) && (c == nil || !slices.Contains(c.Indexes, i)) || len(t.Samples) == 0 {
			continue
		}
		if repeats, single := repeating(t.Samples, false); repeats == 0 || (repeats+single)*2 < len(t.Samples) {
			continue
		}
		label := h.header.Label(i)
		f := fault.Newf("%s says how something repeats, and its name does not say whether it is the events", label)
		return f.Offer("--repeat", "repeat", "", [][]string{{label}}).Do("give %s if it is, or %s if not", fault.Given("--repeat", []string{label}), fault.Given("--without", []string{label}))
	}
	return nil
}

// changes asks about a column that says which date of a series a row is about, as the records of
// calendars have it: left out, that date would stand in the calendar twice, as it was and as it is.
func (h *hours) changes() *fault.Fault {
	for i, t := range h.traits {
		words := headingOf(h.header.Label(i)).words
		says := func(all ...string) bool {
			return !slices.ContainsFunc(all, func(w string) bool { return !slices.Contains(words, w) })
		}
		if t.Filled == 0 || h.taken(i) || !says("original", "start") && !says("recurrence", "id") && !says("recurring", "id") && !says("recurring", "event") {
			continue
		}
		label := h.header.Label(i)
		return fault.Newf("%s says which series, or which date of one, some rows are about, and that date would stand twice", label).
			Do("describe the columns in an intake file, with occurrence: and the key of the series, or, to load those rows as events of their own, give %s", fault.Given("--without", []string{label}))
	}
	return h.limits()
}

// timesNames are headings that can say how often a series takes place.
var timesNames = strings.Fields("count times occurrences occurrence repetitions repeats anzahl wiederholungen termine répétitions repeticiones ocurrencias ripetizioni occorrenze repetições ocorrências herhalingen aantal")

// dates tells whether a column holds dates.
func (h *hours) dates(i int) bool {
	t := h.traits[i]
	return t.Filled > 0 && t.Figures < t.Filled && t.Column.Holds(t.Filled-t.Bad) && t.Column.Mostly() == moment.DateRole
}

// revisedNames are words of a heading for a day or a time in the place of another.
var revisedNames = strings.Fields("new revised rescheduled moved changed amended neu neue neuer neues neuen verschoben verlegt geändert nouveau nouvelle reporté reportée modifié modifiée nueva nuevo aplazado aplazada nuova nuovo rinviato rinviata nova novo adiado adiada nieuwe verplaatst gewijzigd")

// revised asks about a column with other times for some of the events: left out, these would be
// when they no longer are.
func (h *hours) revised() *fault.Fault {
	start := h.choice("start")
	if start == nil {
		return nil
	}
	for i := range h.traits {
		heading := headingOf(h.header.Label(i))
		if h.taken(i) || heading.record() || !h.dates(i) && !h.timed(i) || !slices.ContainsFunc(heading.words, func(w string) bool { return slices.Contains(revisedNames, w) }) {
			continue
		}
		label := h.header.Label(i)
		return fault.Newf("%s may say another time than %s for some of the events", label, strings.Join(start.Columns, " and ")).
			Do("bring both into one column, or, if it says nothing of the events, give %s", fault.Given("--without", []string{label}))
	}
	return nil
}

// limits asks about a column that may say when the series end: left out, they never do.
func (h *hours) limits() *fault.Fault {
	for i, t := range h.traits {
		heading := headingOf(h.header.Label(i))
		often := slices.ContainsFunc(heading.words, func(w string) bool { return slices.Contains(timesNames, w) })
		if h.dates(i) && !h.taken(i) && !heading.record() && !heading.says("end") && !often {
			label := h.header.Label(i)
			return fault.Newf("%s holds dates, and may say on which days the events do not repeat, or do besides", label).
				Do("describe the columns in an intake file, with except: %q or also: %q, or, if it says nothing of it, give %s", Reference(h.header, i), Reference(h.header, i), fault.Given("--without", []string{label}))
		}
		if t.Filled == 0 || h.taken(i) || !heading.says("end") && !often || h.choice("repeat_times") != nil && often {
			continue
		}
		label := h.header.Label(i)
		field := "repeat_until"
		if often {
			field = "repeat_times"
		}
		return fault.Newf("%s may say when the events end to repeat, and left out they never do", label).
			Do("describe the columns in an intake file, with %s: %q, or, if it says nothing of it, give %s", field, Reference(h.header, i), fault.Given("--without", []string{label}))
	}
	return nil
}
