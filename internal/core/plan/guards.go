package plan

import (
	"almanach/internal/core/event"
	"almanach/internal/core/zone"
)

// What --allow can let pass.
const (
	AllowRemoved  = "removed"  // cancelled or deleted as gone
	AllowMoved    = "moved"    // taken out of a calendar, as their rows go to another
	AllowWhen     = "when"     // given another time
	AllowTitle    = "title"    // given another title
	AllowIdentity = "identity" // in the calendar already under another identity
	AllowVanished = "vanished" // deleted in their calendar since the last load
	AllowShifted  = "shifted"  // given what the event of another key says
	AllowZone     = "zone"     // the same clock in another zone, which nobody named
)

// Allowances lists what --allow can let pass.
var Allowances = []string{AllowRemoved, AllowMoved, AllowWhen, AllowTitle, AllowIdentity, AllowVanished, AllowShifted, AllowZone}

// always is how many events may always be removed or changed at once.
const always = 5

// guards gives the changes so many at once that they are most likely a mistake
// in the source: each must be allowed with its number.
func (m *maker) guards() []Guard {
	var out []Guard
	guard := func(name, did string, n, most int, which []string) {
		if n > always && n > most && m.Allow[name] != n {
			out = append(out, Guard{Name: name, Count: n, Of: m.ours, Did: did, Which: which})
		}
	}
	did := map[string]string{"cancel": "cancelled", "delete": "deleted"}[m.Intake.Gone] + " as gone"
	guard(AllowRemoved, did, len(m.removed), m.ours/5, m.removed[:min(len(m.removed), always)])
	guard(AllowMoved, "taken out of the calendar they are in", len(m.taken), m.ours/5, m.taken[:min(len(m.taken), always)])
	if stood := m.stood(); len(m.vanished) > always && len(m.vanished) > stood/5 && m.Allow[AllowVanished] != len(m.vanished) {
		out = append(out, Guard{Name: AllowVanished, Count: len(m.vanished), Of: stood, Did: "left out, as they were deleted in their calendar", Which: m.vanished[:always]})
	}
	out, shifted := m.guardShifted(out)
	guard(AllowWhen, "moved to another time", m.moved[event.When]-shifted, m.ours/2, m.keys[event.When])
	guard(AllowTitle, "given another title", m.moved[event.Title]-shifted, m.ours/2, m.keys[event.Title])
	if n := len(m.rezoned); n > 0 && m.Allow[AllowZone] != n {
		out = append(out, Guard{Name: AllowZone, Count: n, Of: m.ours, Did: "moved by the time zone, " + m.ZoneGuess + ", which neither the intake nor the desk names", Which: m.rezoned[:min(n, always)]})
	}
	return out
}

// rezoned tells whether a span is in a zone that was guessed, and stands in
// another one now.
func rezoned(wanted, now event.Span, guess string) bool {
	name := func(t zone.Time) string {
		switch {
		case t.Form == zone.Absolute:
			return zone.UTC.Name()
		case t.Zone == nil:
			return ""
		}
		return t.Zone.Name()
	}
	return !wanted.AllDay() && !now.AllDay() && name(wanted.Start) == guess && name(now.Start) != guess
}

// stood counts the events that stood in all calendars after the last load.
func (m *maker) stood() (n int) {
	for _, r := range m.Memory {
		n += len(r.Standing)
	}
	return n
}
