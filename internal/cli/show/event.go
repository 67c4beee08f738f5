package show

import (
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/plan"
	"almanach/internal/core/recur"
	"almanach/internal/core/rule"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// Whole shows every field of the events of some keys, as they would stand. It
// gives the keys that the report has no event of.
func (p *Printer) Whole(r *job.Report, keys []string, zones ical.Zones) (unknown []string) {
	l := report{p, r, LoadOptions{All: true}}
	for _, key := range keys {
		found := false
		for _, i := range r.Items.All() {
			if i.Key != identity.NormalText(key) && i.Key != key {
				continue
			}
			found = true
			l.whole(&i, zones)
		}
		if !found {
			unknown = append(unknown, key)
		}
	}
	return unknown
}

// whole shows one event.
func (l *report) whole(i *plan.Item, zones ical.Zones) {
	l.line("")
	l.line("%s   %s   %s", bold.Render(i.Key), string(i.Outcome), dim.Render(strings.TrimSpace(where(l.Sources, i.Row.Place())+"   "+i.Calendar)))
	if i.Reason != "" {
		l.wrapped("  ", i.Reason)
	}
	e := l.Plan.Event(i)
	if e == nil {
		return
	}
	const width = 14
	put := func(name, value string) {
		if value == "" {
			return
		}
		for n, line := range strings.Split(value, "\n") {
			lead := "  " + pad(name, width)
			if n > 0 {
				lead = strings.Repeat(" ", width+2)
			}
			l.wrapped(dim.Render(lead), line)
		}
	}
	put("title", e.Text(event.Title))
	put("when", Span(e.When, ""))
	zoneName := e.When.Start.ZoneName()
	switch {
	case e.When.AllDay():
		zoneName = ""
	case zoneName == "":
		zoneName = "none: the same clock everywhere"
	}
	put("zone", zoneName)
	if e.When.Rule != "" {
		if r, err := rule.Parse(e.When.Rule); err == nil {
			put("repeats", r.Describe())
		} else {
			put("repeats", e.When.Rule)
		}
		put("first dates", firstDates(e, zones))
	}
	for _, f := range event.Fields() {
		switch f {
		case event.When, event.Title, event.Attendees:
		default:
			put(f.String(), e.Shown(f))
		}
	}
	var people []string
	for _, person := range e.People() {
		text := person.Show()
		if role := roles[person.Part]; role != "" {
			text += "   " + role
		}
		people = append(people, text)
	}
	put("attendees", strings.Join(people, "\n"))
	if notes := append(l.NoteTexts(i.Notes), evidenceNotes(i)...); len(notes) > 0 {
		put("assumed", strings.Join(notes, "; "))
	}
	for _, d := range i.Fields {
		put("", d.Field+": "+value(d.Calendar, d.Time)+" → "+value(d.Wanted, d.Time)+"   "+string(d.Outcome))
	}
	if i.Outcome == agree.Held {
		l.line("  %s", alarm.Render("it is not loaded as it is"))
	}
}

func evidenceNotes(i *plan.Item) []string {
	if i.Row.Evidence == nil {
		return nil
	}
	return append([]string{"read from “" + strings.Join(strings.Fields(i.Row.Evidence.Text), " ") + "”"}, i.Row.Evidence.Notes...)
}

var roles = map[event.Part]string{event.Optional: "optional", event.Resource: "a resource", event.Room: "a room"}

// firstDates lists the first dates of a series.
func firstDates(e *event.Event, zones ical.Zones) string {
	const most = 5
	raw := append(event.Append(nil, e, "x", zone.Time{}, nil, zone.Time{Form: zone.Absolute}), "END:VEVENT\r\n"...)
	s, err := recur.Read([][]byte{raw}, zones)
	if err != nil {
		return ""
	}
	var out []string
	from := e.When.Start.Instant(nil) - 86400
	for years := int64(1); years <= 8 && len(out) < most; years *= 4 {
		out = out[:0]
		_ = s.In(recur.Window{From: from, To: from + years*366*86400}, func(o recur.Occurrence) {
			if len(out) < most {
				out = append(out, zone.Civil(o.Span.Start.Wall).Format("Mon 2 Jan 2006"))
			}
		})
	}
	return strings.Join(out, ", ")
}
