package notice

import (
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// writtenYear is a year that is written in a line.
var writtenYear = pattern.Lazy(`(?:^|\D)(?:19|20)\d\d(?:\D|$)|['’]\d\d(?:\D|$)|\d[./-]\d{1,2}[./-]\d\d(?:\D|$)`)

// overTurn holds dates of the first months that stand behind those of the last ones in a list
// whose year its heading says: 31 December and, below it, 1 January.
func (d *document) overTurn() {
	var last time.Time
	end := 0 // the last event of the last months
	for i, e := range d.out.Events {
		switch m := e.Start.Month(); {
		case e.Start.IsZero() || writtenYear().MatchString(e.Text):
		case m >= time.October:
			end = i
		case m > time.March:
			return // a list of all the year
		}
	}
	for i := range d.out.Events {
		e := &d.out.Events[i]
		if e.Start.IsZero() || writtenYear().MatchString(e.Text) {
			continue
		}
		switch {
		case e.Start.Month() >= time.October:
			last = e.Start
		case e.Held == nil && !e.Cancelled && e.Start.Year() == last.Year() && (i > end || last.Month() == time.December && e.Start.Month() < time.March):
			e.Held = fault.New(fault.Shorten(e.Text, 80), "has no year, and stands behind "+show(last)+": of that year or of the next?").Do("write the year")
		}
	}
}
