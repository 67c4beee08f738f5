package intake

import (
	"strings"
	"time"

	"almanach/internal/core/moment"
)

// Notes says what was assumed in mapping one row. It is a set.
type Notes uint16

// What a mapping can take for granted.
const (
	AssumedLength Notes = 1 << iota
	AssumedOvernight
	AssumedAllDay
	AssumedOverlap
	SameRowTwice
	AssumedFirst
	CleanedText
	TimesAside
	assumedDates = 8 // moment's assumptions stand from this bit on
)

// NoteTexts gives what each bit of Notes says, as a clerk reads it.
func NoteTexts(in *Intake) []string {
	out := make([]string, assumedDates, 16)
	copy(out, []string{"end assumed: " + ShowLength(in.Assume.Length), "overnight assumed: ends on the next day", "all day assumed: no time given", "time happens twice when the clocks go back: the first is meant", "the same row stands twice: counted once", "moved to the first day that it repeats on", "control characters were taken out of a text", "its times are left aside: the intake says all day"})
	for _, w := range moment.Assumption(0xff).Names() {
		out = append(out, w+" assumed")
	}
	return out
}

// Words lists the notes as a clerk reads them.
func (n Notes) Words(in *Intake) []string {
	var out []string
	for i, text := range NoteTexts(in) {
		if n&(1<<i) != 0 {
			out = append(out, text)
		}
	}
	return out
}

// Kinds lists the notes as single words for counting.
func (n Notes) Kinds(in *Intake) []string {
	var out []string
	for i, w := range []string{"length " + ShowLength(in.Assume.Length), "overnight", "all day", "first of two times", "doubled rows counted once", "first day that it repeats on", "control characters taken out", "times left aside"} {
		if n&(1<<i) != 0 {
			out = append(out, w)
		}
	}
	return append(out, moment.Assumption(n>>assumedDates).Names()...)
}

// ShowLength writes a length as a clerk would: 2h, 90min, 1d.
func ShowLength(d time.Duration) string {
	switch {
	case d >= 24*time.Hour && d%(24*time.Hour) == 0:
		return strings.TrimSuffix((d/24).String(), "h0m0s") + "d"
	case d%time.Hour == 0:
		return strings.TrimSuffix(d.String(), "0m0s")
	case d < time.Hour*3 && d%time.Minute == 0:
		return strings.TrimSuffix(time.Duration(d/time.Minute).String(), "ns") + "min"
	}
	return strings.TrimSuffix(d.String(), "0s")
}
