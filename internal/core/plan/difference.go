package plan

import (
	"fmt"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
)

// Difference is one field on which the two sides differ. Times are RFC 3339.
// In a disputed event Outcome tells what is disputed from what only waits with
// it.
type Difference struct {
	Field    string  `json:"field"`
	Wanted   string  `json:"wanted"`
	Calendar string  `json:"calendar"`
	Wrote    *string `json:"wrote,omitempty"` // what the last load wrote, where that is known

	Outcome agree.Outcome `json:"outcome,omitempty"`
	Time    bool          `json:"-"`
}

// differences lists what a result says of each field, the time as the start,
// end and so on that differ.
func differences(r *agree.Result, wanted, current *event.Event, seal *agree.Seal, zones ical.Zones) []Difference {
	var out []Difference
	for _, f := range r.Fields {
		if f.Outcome == agree.Same {
			continue
		}
		if f.Field != event.When {
			out = append(out, Difference{Field: f.Field.String(), Wanted: wanted.Shown(f.Field), Calendar: current.Shown(f.Field), Outcome: f.Outcome})
			continue
		}
		last, known := seal.Last(zones)
		for _, d := range SpanDifferences(wanted.When, current.When) {
			d.Outcome = f.Outcome
			if known {
				w := spanPart(last, d.Field)
				d.Wrote = &w
			}
			out = append(out, d)
		}
	}
	return out
}

var spanParts = []string{"start", "end", "all_day", "zone", "repeat", "also", "except"}

func spanPart(s event.Span, part string) string {
	switch part {
	case "start":
		return s.Start.RFC3339()
	case "end":
		if s.AllDay() {
			return s.LastDay().RFC3339()
		}
		return s.EndText()
	case "all_day":
		return fmt.Sprint(s.AllDay())
	case "zone":
		return s.Start.ZoneName()
	case "also":
		return strings.Join(s.Extra, ", ")
	case "except":
		return strings.Join(s.Except, ", ")
	}
	return s.Rule
}

// SpanDifferences lists the parts in which two spans differ, times as the
// wanted side's zone shows them.
func SpanDifferences(wanted, current event.Span) []Difference {
	if wanted.Start.Form == zone.Local && current.Rule == "" {
		current.Start, current.End = current.Start.InZone(wanted.Start.Zone), current.End.InZone(wanted.Start.Zone)
	}
	var out []Difference
	for _, part := range spanParts {
		a, b := spanPart(wanted, part), spanPart(current, part)
		if a != b {
			out = append(out, Difference{Field: part, Wanted: a, Calendar: b, Time: part == "start" || part == "end"})
		}
	}
	return out
}
