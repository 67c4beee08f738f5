package event

import (
	"fmt"
	"sort"
	"strings"

	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
)

// The properties that mark an event as one of ours.
const (
	PropID     = "X-ALMANACH-ID"
	PropIntake = "X-ALMANACH-INTAKE"
	PropKey    = "X-ALMANACH-KEY"
	PropSeal   = "X-ALMANACH-SEAL"
)

// View is a VEVENT as read: its meaning and its marks.
type View struct {
	Event
	UID         string
	ID          string // ours, "" for an event that is not
	Intake, Key string
	Seal        string
	Recurrence  zone.Time // RECURRENCE-ID; zero for a master or a single event
	Future      bool      // the override stands for all later occurrences too (RANGE)
	Sequence    int
	Attendees   []string // "Name <address>", in the order of the event
}

// Read reads a VEVENT. The view's texts may share memory with raw, which must
// not change while the view is in use. An error names the line, counted from the component's
// own first line; the view is then incomplete.
func Read(raw []byte, zones ical.Zones) (View, error) {
	var v View
	var duration *ical.Duration
	var err error
	fail := func(l ical.Line, e error) {
		if err == nil && e != nil {
			err = &LineError{Line: int(l.Number), Property: l.Name(), Err: e}
		}
	}
	time := func(l ical.Line) zone.Time {
		t, e := ical.ParseTime(l.Value(), l.Param("TZID"), zones)
		fail(l, e)
		return t
	}
	for l := range ical.Lines(raw) {
		if l.Depth != 0 {
			continue
		}
		switch l.Initial() {
		case 'd':
			switch {
			case l.Is("DTSTART"):
				v.When.Start = time(l)
			case l.Is("DTEND"):
				v.When.End = time(l)
			case l.Is("DURATION"):
				d, e := ical.ParseDuration(l.Value())
				fail(l, e)
				duration = &d
			case l.Is("DESCRIPTION"):
				v.SetText(Description, l.Text())
			}
		case 's':
			switch {
			case l.Is("SUMMARY"):
				v.SetText(Title, l.Text())
			case l.Is("STATUS"):
				v.SetText(Status, statusFrom(string(l.Value())))
			case l.Is("SEQUENCE"):
				fmt.Sscan(string(l.Value()), &v.Sequence)
			}
		case 'l':
			if l.Is("LOCATION") {
				v.SetText(Location, l.Text())
			}
		case 'u':
			if l.Is("UID") {
				v.UID = l.Text()
			} else if l.Is("URL") {
				v.SetText(URL, l.Text())
			}
		case 'c':
			if l.Is("CATEGORIES") {
				v.SetText(Categories, v.Text(Categories)+"\n"+strings.Join(ical.SplitList(l.Value()), "\n"))
			}
		case 'a':
			if l.Is("ATTENDEE") {
				v.Attendees = append(v.Attendees, person(l))
			}
		case 'r':
			switch {
			case l.Is("RRULE"):
				v.When.Rule = canonicalRule(string(l.Value()))
			case l.Is("RDATE"):
				v.When.Extra = append(v.When.Extra, string(l.Value()))
			case l.Is("RECURRENCE-ID"):
				v.Recurrence = time(l)
				v.Future = strings.EqualFold(l.Param("RANGE"), "THISANDFUTURE")
			}
		case 'e':
			if l.Is("EXDATE") {
				v.When.Except = append(v.When.Except, string(l.Value()))
			}
		case 'x':
			switch {
			case l.Is(PropID):
				v.ID = l.Text()
			case l.Is(PropIntake):
				v.Intake = l.Text()
			case l.Is(PropKey):
				v.Key = l.Text()
			case l.Is(PropSeal):
				v.Seal = l.Text()
			}
		}
	}
	sort.Strings(v.When.Extra)
	sort.Strings(v.When.Except)
	if err != nil {
		return v, err
	}
	if v.When.Start.IsZero() {
		return v, ical.ErrNoTime
	}
	v.When.End = end(v.When, duration)
	v.Given = 1<<numFields - 1
	return v, nil
}

// end gives the end an event has without DTEND: its duration, else one day
// for a date and nothing for a time (§3.6.1).
func end(s Span, d *ical.Duration) zone.Time {
	switch {
	case !s.End.IsZero():
		return s.End
	case d != nil:
		return d.After(s.Start)
	case s.Start.Form == zone.Date:
		return zone.Time{Wall: s.Start.Wall + 86400, Form: zone.Date}
	}
	return s.Start
}

func person(l ical.Line) string {
	address := string(l.Value())
	if len(address) > 7 && strings.EqualFold(address[:7], "mailto:") {
		address = address[7:]
	}
	if name := l.Param("CN"); name != "" && name != address {
		return name + " <" + address + ">"
	}
	return address
}

// statusFrom gives our word for a STATUS value; confirmed is what an event is
// anyway.
func statusFrom(value string) string {
	if s := strings.ToLower(value); s != "confirmed" {
		return s
	}
	return ""
}

// LineError is a property that could not be read.
type LineError struct {
	Line     int // 1-based, from the component's BEGIN
	Property string
	Err      error
}

func (e *LineError) Error() string { return e.Property + ": " + e.Err.Error() }

// Unwrap gives the cause.
func (e *LineError) Unwrap() error { return e.Err }

// Write puts the given fields of e into the component, each as the one
// property that holds it; an empty text takes the property away.
func Write(c *ical.Component, fields Set, e *Event) {
	for f := range numFields {
		if !fields.Has(f) {
			continue
		}
		if f == When {
			writeSpan(c, e.When)
			continue
		}
		name, value := property(f, e.text[f])
		if e.text[f] == "" {
			c.Remove(name)
			continue
		}
		c.Set(name, nil, nil, value)
	}
}

func property(f Field, text string) (name, value string) {
	switch f {
	case Title:
		return "SUMMARY", ical.Escape(text)
	case Location:
		return "LOCATION", ical.Escape(text)
	case Description:
		return "DESCRIPTION", ical.Escape(text)
	case URL:
		return "URL", strings.ReplaceAll(text, "\n", "")
	case Categories:
		return "CATEGORIES", ical.JoinList(strings.Split(text, "\n"))
	case Status:
		return "STATUS", strings.ToUpper(text)
	}
	panic("no property for field " + f.String())
}

func writeSpan(c *ical.Component, s Span) {
	c.Set("DTSTART", ical.TimeParams(s.Start), []string{"TZID", "VALUE"}, ical.FormatTime(s.Start))
	c.Set("DTEND", ical.TimeParams(s.End), []string{"TZID", "VALUE"}, ical.FormatTime(s.End))
	c.Remove("DURATION")
	if s.Rule == "" {
		c.Remove("RRULE")
	} else if l, ok := c.Find("RRULE"); !ok || canonicalRule(string(l.Value())) != s.Rule {
		c.Set("RRULE", nil, nil, s.Rule)
	}
}

// Append appends a new VEVENT with the given fields to dst, but for its END
// line, before which the seal has its place. stamp is the time of writing.
func Append(dst []byte, e *Event, uid string, marks []Mark, stamp zone.Time) []byte {
	dst = append(dst, "BEGIN:VEVENT\r\nUID:"...)
	dst = append(append(dst, uid...), "\r\nDTSTAMP:"...)
	dst = append(appendTime(dst, stamp), '\r', '\n')
	dst = appendTimeLine(dst, "DTSTART", e.When.Start)
	dst = appendTimeLine(dst, "DTEND", e.When.End)
	if e.When.Rule != "" {
		dst = ical.AppendLine(dst, "RRULE", nil, e.When.Rule)
	}
	for f := range numFields {
		if f == When || e.text[f] == "" {
			continue
		}
		name, value := property(f, e.text[f])
		dst = ical.AppendLine(dst, name, nil, value)
	}
	for _, m := range marks {
		dst = ical.AppendLine(dst, m.Name, nil, m.Value)
	}
	return dst
}

// Mark is one of our own properties with its value as written.
type Mark struct{ Name, Value string }

func appendTimeLine(dst []byte, name string, t zone.Time) []byte {
	dst = append(dst, name...)
	switch t.Form {
	case zone.Date:
		dst = append(dst, ";VALUE=DATE"...)
	case zone.Local:
		if len(name)+len(t.Zone.Name()) > 50 || strings.ContainsAny(t.Zone.Name(), ":;, \"") {
			return ical.AppendLine(dst[:len(dst)-len(name)], name, ical.TimeParams(t), ical.FormatTime(t))
		}
		dst = append(append(dst, ";TZID="...), t.Zone.Name()...)
	}
	return append(appendTime(append(dst, ':'), t), '\r', '\n')
}

// Marks gives the intake and the key that a VEVENT is marked with, without
// reading the rest of it.
func Marks(raw []byte) (intake, key string) {
	for l := range ical.Lines(raw) {
		switch {
		case l.Depth != 0:
		case l.Is(PropIntake):
			intake = l.Text()
		case l.Is(PropKey):
			key = l.Text()
		}
	}
	return intake, key
}
