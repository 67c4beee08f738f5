package plan

import (
	"strconv"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/intake"
	"almanach/internal/core/zone"
)

// zoneNames gives a function that names the zones of times as a calendar can
// hold them: where it means another clock by a zone's name, by a name of our
// own.
func zoneNames(h *Holding) func(*zone.Zone) *zone.Zone {
	return func(z *zone.Zone) *zone.Zone {
		if there, err := h.Zones(z.Name()); err == nil && there != z && !there.SameRules(z) {
			return z.Named("/almanach/" + z.Name()) // a globally unique name (RFC 5545 §3.2.19)
		}
		return z
	}
}

// keepZones leaves zones as they are called.
func keepZones(z *zone.Zone) *zone.Zone { return z }

// fit gives a time in the zones of a calendar.
func fit(t zone.Time, zones func(*zone.Zone) *zone.Zone) zone.Time {
	if t.Form == zone.Local {
		t.Zone = zones(t.Zone)
	}
	return t
}

// fitted gives an event in the zones of a calendar.
func fitted(e *event.Event, zones func(*zone.Zone) *zone.Zone) *event.Event {
	start, end := fit(e.When.Start, zones), fit(e.When.End, zones)
	if start == e.When.Start && end == e.When.End {
		return e
	}
	out := *e
	out.When.Start, out.When.End = start, end
	return &out
}

// marksOf are the marks by which an event is found again. id is the text of its
// identity.
func marksOf(intakeIdentity, id, key string) [3]event.Mark {
	return [3]event.Mark{
		{Name: event.PropID, Value: id},
		{Name: event.PropIntake, Value: event.WriteMark(intakeIdentity)},
		{Name: event.PropKey, Value: event.WriteMark(event.Clean(key))},
	}
}

// fresh appends the text of a new event to dst.
func fresh(dst []byte, marks []event.Mark, uid string, wanted *event.Event, recurrence, stamp zone.Time, zones func(*zone.Zone) *zone.Zone) []byte {
	from := len(dst)
	e := fitted(wanted, zones)
	dst = event.Append(dst, e, uid, fit(recurrence, zones), marks, stamp)
	return agree.AppendSealed(dst, from, wanted, event.AppendReminders(nil, e))
}

// rewrite gives an event's text with the fields that changed, the seal, and
// the marks of its revision (RFC 5545 §3.8.7); nothing else of it is touched.
func rewrite(raw []byte, r *agree.Result, w *intake.Wanted, sequence int, stamp zone.Time, marks []event.Mark, zones func(*zone.Zone) *zone.Zone) []byte {
	c := ical.Open(raw)
	for _, m := range marks {
		c.Set(m.Name, nil, nil, m.Value)
	}
	event.Write(c, r.Write, fitted(&w.Event, zones))
	if !w.Recurrence.IsZero() {
		at := fit(w.Recurrence, zones)
		c.Set("RECURRENCE-ID", ical.TimeParams(at), []string{"TZID", "VALUE"}, ical.FormatTime(at))
	}
	if r.Write != 0 {
		c.Set("DTSTAMP", nil, []string{"TZID", "VALUE"}, ical.FormatTime(stamp))
		if _, ok := c.Find("LAST-MODIFIED"); ok {
			c.Set("LAST-MODIFIED", nil, []string{"TZID", "VALUE"}, ical.FormatTime(stamp))
		}
	}
	if r.Write.Has(event.When) || r.Write.Has(event.Status) {
		c.Set("SEQUENCE", nil, nil, strconv.Itoa(sequence+1))
	}
	agree.Reseal(c, r)
	return c.Bytes()
}

// Probe gives the text of an event that takes place in a span and says nothing
// else.
func Probe(s event.Span) []byte {
	var e event.Event
	e.SetWhen(s)
	return append(event.Append(nil, &e, "probe", zone.Time{}, nil, zone.Time{Form: zone.Absolute}), "END:VEVENT\r\n"...)
}
