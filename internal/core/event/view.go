package event

import (
	"slices"
	"sort"
	"strconv"
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
	Guests      []Person // its attendees, in the order of the event

	items []item // of lists, until they are all read
}

// item is one item of a field that is a list.
type item struct {
	field Field
	text  string
}

// Read reads a VEVENT. The view's texts may share memory with raw, which must
// not change while the view is in use. An error names the line, counted from the component's
// own first line; the view is then incomplete.
func Read(raw []byte, zones ical.Zones) (View, error) {
	var v View
	var duration *ical.Duration
	var err error
	var dates []ical.Line // RDATE and EXDATE
	var alarm alarmReader
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
			alarm.read(l, &v)
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
				v.Sequence, _ = strconv.Atoi(string(l.Value()))
			case l.Is("STYLED-DESCRIPTION"):
				v.SetText(Styled, l.Text())
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
				v.add(Categories, strings.Join(ical.SplitList(l.Value()), "\n"))
			} else if l.Is("CLASS") {
				v.SetText(Visibility, visibilityFrom(string(l.Value())))
			} else if l.Is("COLOR") {
				v.SetText(Colour, strings.ToLower(l.Text()))
			} else if l.Is("CONFERENCE") && v.Text(Conference) == "" {
				v.SetText(Conference, string(l.Value()))
			}
		case 'a':
			if l.Is("ATTENDEE") {
				p := readPerson(l)
				v.Guests = append(v.Guests, p)
				v.add(Attendees, p.String())
			} else if l.Is("ATTACH") && !strings.EqualFold(l.Param("VALUE"), "BINARY") {
				v.add(Attachments, string(l.Value()))
			}
		case 'o':
			if l.Is("ORGANIZER") {
				p := readPerson(l)
				v.SetText(Organizer, Person{Name: p.Name, Address: p.Address}.String())
			}
		case 'p':
			if l.Is("PRIORITY") && string(l.Value()) != "0" {
				v.SetText(Priority, string(l.Value()))
			}
		case 't':
			if l.Is("TRANSP") && strings.EqualFold(string(l.Value()), "TRANSPARENT") {
				v.SetText(Busy, "free")
			}
		case 'r':
			switch {
			case l.Is("RRULE"):
				v.When.Rule = canonicalRule(string(l.Value()))
			case l.Is("RDATE"):
				dates = append(dates, l)
			case l.Is("RECURRENCE-ID"):
				v.Recurrence = time(l)
				v.Future = strings.EqualFold(l.Param("RANGE"), "THISANDFUTURE")
			}
		case 'e':
			if l.Is("EXDATE") {
				dates = append(dates, l)
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
	v.gather()
	for _, l := range dates {
		v.readDates(l, zones)
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

// add adds an item to a field that is a list. The field has it once gather is
// called.
func (v *View) add(f Field, text string) { v.items = append(v.items, item{f, text}) }

// gather gives the fields that are lists their items.
func (v *View) gather() {
	for len(v.items) > 0 {
		f := v.items[0].field
		texts := []string{v.text[f]}
		v.items = slices.DeleteFunc(v.items, func(i item) bool {
			if i.field == f {
				texts = append(texts, i.text)
			}
			return i.field == f
		})
		v.SetText(f, strings.Join(texts, "\n"))
	}
}

// readDates takes in the values of an RDATE or EXDATE. One that cannot be read
// is kept as it is, so that it equals itself.
func (v *View) readDates(l ical.Line, zones ical.Zones) {
	list := &v.When.Extra
	if l.Is("EXDATE") {
		list = &v.When.Except
	}
	for _, value := range ical.SplitList(l.Value()) {
		at, end, period := strings.Cut(value, "/")
		if t, err := ical.ParseTime([]byte(at), l.Param("TZID"), zones); err == nil {
			at = OnClock(t, v.When.Start)
		}
		if period {
			if t, err := ical.ParseTime([]byte(end), l.Param("TZID"), zones); err == nil {
				end = OnClock(t, v.When.Start)
			}
			at += "/" + end
		}
		*list = append(*list, at)
	}
}

// statusFrom gives our word for a STATUS value.
func statusFrom(value string) string { return strings.ToLower(strings.TrimSpace(value)) }

func visibilityFrom(value string) string {
	if s := strings.ToLower(strings.TrimSpace(value)); s != "public" {
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

// Write puts the given fields of e into the component, each as the property
// that holds it; an empty text takes the property away.
func Write(c *ical.Component, fields Set, e *Event) {
	for f := range numFields {
		if !fields.Has(f) {
			continue
		}
		text := e.text[f]
		switch f {
		case When:
			writeSpan(c, e.When)
		case Organizer:
			writeOrganizer(c, text, e.Send)
		case Attendees:
			writeAttendees(c, text, e.Own, e.Send)
		case Participation:
			writeParticipation(c, text)
		case Reminders:
			writeReminders(c, e)
		case Attachments:
			writeAttachments(c, text)
		case Properties:
			writeProperties(c, text)
		default:
			name, params, value := property(f, text)
			if text == "" {
				c.Remove(name)
				continue
			}
			c.Set(name, params, nil, value)
		}
	}
}

// property gives the one property that holds a text field.
func property(f Field, text string) (name string, params []ical.Param, value string) {
	switch f {
	case Title:
		return "SUMMARY", nil, ical.Escape(text)
	case Location:
		return "LOCATION", nil, ical.Escape(text)
	case Description:
		return "DESCRIPTION", nil, ical.Escape(text)
	case URL:
		return "URL", nil, oneLine(text)
	case Categories:
		return "CATEGORIES", nil, ical.JoinList(strings.Split(text, "\n"))
	case Status:
		return "STATUS", nil, strings.ToUpper(text)
	case Styled:
		return "STYLED-DESCRIPTION", []ical.Param{{Name: "VALUE", Values: []string{"TEXT"}}, {Name: "FMTTYPE", Values: []string{"text/html"}}}, ical.Escape(text)
	case Conference:
		return "CONFERENCE", []ical.Param{{Name: "VALUE", Values: []string{"URI"}}}, oneLine(text)
	case Colour:
		return "COLOR", nil, ical.Escape(text)
	case Busy:
		return "TRANSP", nil, map[bool]string{true: "TRANSPARENT", false: "OPAQUE"}[text == "free"]
	case Priority:
		return "PRIORITY", nil, oneLine(text)
	case Visibility:
		return "CLASS", nil, strings.ToUpper(oneLine(text))
	}
	panic("no single property for field " + f.String())
}

func oneLine(s string) string { return strings.ReplaceAll(s, "\n", "") }

func writeSpan(c *ical.Component, s Span) {
	c.Set("DTSTART", ical.TimeParams(s.Start), []string{"TZID", "VALUE"}, ical.FormatTime(s.Start))
	c.Set("DTEND", ical.TimeParams(s.End), []string{"TZID", "VALUE"}, ical.FormatTime(s.End))
	c.Remove("DURATION")
	if s.Rule == "" {
		c.Remove("RRULE")
	} else if l, ok := c.Find("RRULE"); !ok || canonicalRule(string(l.Value())) != s.Rule {
		c.Set("RRULE", nil, nil, s.Rule)
	}
	c.Remove("RDATE")
	c.Remove("EXDATE")
	c.Add(appendDates(nil, s))
}

// appendDates appends the RDATE and EXDATE lines of a series: dates alone, times
// on the start's clock, and periods each on lines of their own.
func appendDates(dst []byte, s Span) []byte {
	for _, list := range []struct {
		name   string
		values []string
	}{{"RDATE", s.Extra}, {"EXDATE", s.Except}} {
		var groups [3][]string
		for _, v := range list.values {
			switch {
			case strings.Contains(v, "/"):
				groups[2] = append(groups[2], v)
			case len(v) == 8 && s.Start.Form != zone.Date:
				groups[1] = append(groups[1], v)
			default:
				groups[0] = append(groups[0], v)
			}
		}
		for kind, values := range groups {
			if len(values) == 0 {
				continue
			}
			params := ical.TimeParams(s.Start)
			switch kind {
			case 1:
				params = []ical.Param{{Name: "VALUE", Values: []string{"DATE"}}}
			case 2:
				params = append([]ical.Param{{Name: "VALUE", Values: []string{"PERIOD"}}}, params...)
			}
			dst = ical.AppendLine(dst, list.name, params, strings.Join(values, ","))
		}
	}
	return dst
}

// Append appends a new VEVENT with the given fields to dst, but for its END
// line, before which the seal has its place. recurrence is the occurrence of a
// series that it changes, zero for an event of its own; stamp is the time of
// writing.
func Append(dst []byte, e *Event, uid string, recurrence zone.Time, marks []Mark, stamp zone.Time) []byte {
	dst = append(dst, "BEGIN:VEVENT\r\nUID:"...)
	dst = append(append(dst, uid...), "\r\nDTSTAMP:"...)
	dst = append(appendTime(dst, stamp), '\r', '\n')
	if !recurrence.IsZero() {
		dst = appendTimeLine(dst, "RECURRENCE-ID", recurrence)
	}
	dst = appendTimeLine(dst, "DTSTART", e.When.Start)
	dst = appendTimeLine(dst, "DTEND", e.When.End)
	if e.When.Rule != "" {
		dst = ical.AppendLine(dst, "RRULE", nil, e.When.Rule)
	}
	if len(e.When.Extra)+len(e.When.Except) > 0 {
		dst = appendDates(dst, e.When)
	}
	for f := range numFields {
		if f == When || e.text[f] == "" || f >= Organizer {
			continue
		}
		name, params, value := property(f, e.text[f])
		dst = ical.AppendLine(dst, name, params, value)
	}
	dst = appendPeople(dst, e)
	for uri := range lines(e.text[Attachments]) {
		dst = ical.AppendLine(dst, "ATTACH", nil, uri)
	}
	for p := range lines(e.text[Properties]) {
		dst = appendProperty(dst, p)
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
