// Package reconcile says how far a source and a calendar agree in a range of
// time, line by line and in totals that foot.
package reconcile

import (
	"fmt"

	"almanach/internal/core/event"
)

// Kind is what reconciling found of one row or event.
type Kind string

// The kinds of finding. Agrees is counted and not listed.
const (
	Agrees  Kind = "agrees"
	Differs Kind = "differs"
	Missing Kind = "missing" // in the source, not in the calendar
	Stray   Kind = "stray"   // in the calendar, not from this source
	Gone    Kind = "gone"    // from this source, but its row has left it
	Twin    Kind = "twin"    // looks like another event of the calendar
	Held    Kind = "held"
)

// Totals are both sides' counts.
type Totals struct {
	Source struct {
		Rows    int `json:"rows"`
		Agrees  int `json:"agrees"`
		Differs int `json:"differs"`
		Missing int `json:"missing"`
		Held    int `json:"held"`
	} `json:"source"`
	Calendar struct {
		Events      int `json:"events"`
		Agrees      int `json:"agrees"`
		Differs     int `json:"differs"`
		Stray       int `json:"stray"`
		Gone        int `json:"gone"`
		Twin        int `json:"twin"`
		Occurrences int `json:"occurrences"` // of those events in the range, every repetition counted
	} `json:"calendar"`
}

// Check proves that both sides foot.
func (t *Totals) Check() error {
	s, c := t.Source, t.Calendar
	if s.Rows != s.Agrees+s.Differs+s.Missing+s.Held {
		return fmt.Errorf("the source's totals do not foot: %+v; please report this", s)
	}
	if c.Events != c.Agrees+c.Differs+c.Stray+c.Gone+c.Twin {
		return fmt.Errorf("the calendar's totals do not foot: %+v; please report this", c)
	}
	return nil
}

// Differ gives the fields on which an event differs from what the source
// wants of it. Only fields that the source speaks of count.
func Differ(wanted, current *event.Event) []event.Field {
	var out []event.Field
	for _, f := range event.Fields() {
		if !wanted.Given.Has(f) {
			continue
		}
		same := wanted.Meaning(f) == current.Meaning(f)
		if f == event.When {
			same = wanted.When.Same(current.When)
		}
		if !same {
			out = append(out, f)
		}
	}
	return out
}

// Alike gives a text that is equal for two events that look like one: the
// same title at the same time.
func Alike(e *event.Event) string {
	return e.When.Start.RFC3339()[:10] + fmt.Sprint(e.When.Start.Instant(nil)) + "\x00" + e.Text(event.Title)
}
