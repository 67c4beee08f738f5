package agree

import (
	"bytes"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
)

// Confirm compares the components of an event as they were written with those
// that the calendar was then found to hold. Where the calendar changed the
// meaning of a field, the seal must say so, or the next load would take that
// for the work of a person: Confirm gives the components with their seals
// corrected, or nil where nothing is to be written. names are the properties that
// the field Properties may speak of, own is the address that Participation is
// about.
func Confirm(written, held [][]byte, names []string, own string, zones ical.Zones) [][]byte {
	var out [][]byte
	for i, raw := range held {
		was := counterpart(written, i, raw, zones)
		if was == nil || bytes.Equal(was, raw) {
			continue
		}
		if mended := confirm(was, raw, names, own, zones); mended != nil {
			if out == nil {
				out = append([][]byte(nil), held...)
			}
			out[i] = mended
		}
	}
	return out
}

// counterpart finds the component that a held one was written as: the one of
// the same RECURRENCE-ID.
func counterpart(written [][]byte, i int, raw []byte, zones ical.Zones) []byte {
	if i < len(written) && bytes.Equal(written[i], raw) {
		return written[i]
	}
	at := recurrence(raw, zones)
	for _, w := range written {
		if recurrence(w, zones) == at {
			return w
		}
	}
	return nil
}

// recurrence tells the components of an event apart.
func recurrence(raw []byte, zones ical.Zones) string {
	for l := range ical.Lines(raw) {
		if l.Depth != 0 || !l.Is("RECURRENCE-ID") {
			continue
		}
		t, err := ical.ParseTime(l.Value(), l.Param("TZID"), zones)
		if err != nil || t.Form == zone.Date || t.Form == zone.Floating {
			return string(l.Value())
		}
		return ical.FormatTime(t.InZone(zone.UTC))
	}
	return ""
}

func confirm(was, raw []byte, names []string, own string, zones ical.Zones) []byte {
	meant, err := event.Read(was, zones)
	if err != nil {
		return nil
	}
	view, err := event.Read(raw, zones)
	if err != nil || view.Seal == "" { // nothing of ours is kept there
		return nil
	}
	attune(&meant, &view, was, raw, names, own)
	seal := ParseSeal(view.Seal)
	changed := false
	for _, f := range allFields {
		if !seal.Knows(f) || matches(seal.calendar[f], f, &view.Event, zones) || !matches(seal.calendar[f], f, &meant.Event, zones) {
			continue // held as written, or kept as it was before
		}
		seal.calendar[f] = Print(f, &view.Event)
		changed = true
	}
	if !changed {
		return nil
	}
	c := ical.Open(raw)
	Reseal(c, &Result{Seal: seal})
	return c.Bytes()
}

// attune gives both views the fields that mean something only beside what was
// wanted.
func attune(meant, view *event.View, was, raw []byte, names []string, own string) {
	var asked event.Event
	if own != "" {
		asked.SetText(event.Participation, strings.ToLower(own)+"\t")
	}
	var items []string
	for _, name := range names {
		if ical.Has(was, name) {
			items = append(items, event.Property(name, "x"))
		}
	}
	if len(items) > 0 {
		asked.SetText(event.Properties, strings.Join(items, "\n"))
	}
	meant.Attune(&asked, was)
	view.Attune(&asked, raw)
}
