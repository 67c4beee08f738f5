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
	PropPrefix = "X-ALMANACH-" // of all of them
	PropID     = ical.Mark
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
	r := reader{zones: zones}
	for l := range ical.Lines(raw) {
		if l.Depth != 0 {
			r.alarm.read(l, &r.view)
			continue
		}
		for _, p := range properties[l.Initial()&31] {
			if l.Is(p.name) {
				p.read(&r, l)
				break
			}
		}
	}
	v := &r.view
	v.gather()
	for _, l := range r.dates {
		v.readDates(l, zones)
	}
	sort.Strings(v.When.Extra)
	sort.Strings(v.When.Except)
	if r.err != nil {
		return r.view, r.err
	}
	if v.When.Start.IsZero() {
		return r.view, ical.ErrNoTime
	}
	v.When.End = end(v.When, r.duration)
	v.Given = 1<<numFields - 1
	return r.view, nil
}

// reader reads the properties of one VEVENT.
type reader struct {
	view     View
	zones    ical.Zones
	duration *ical.Duration
	dates    []ical.Line // RDATE and EXDATE
	alarm    alarmReader
	err      error // the first
}

func (r *reader) fail(l ical.Line, err error) {
	if r.err == nil && err != nil {
		r.err = &LineError{Line: int(l.Number), Property: l.Name(), Err: err}
	}
}

func (r *reader) time(l ical.Line) zone.Time {
	t, err := ical.ParseTime(l.Value(), l.Param("TZID"), r.zones)
	r.fail(l, err)
	return t
}

// propertyReader reads one property.
type propertyReader struct {
	name string
	read func(*reader, ical.Line)
}

// properties are the properties that an event is read from, by their first
// letter.
var properties = func() (out [32][]propertyReader) {
	text := func(f Field) func(*reader, ical.Line) {
		return func(r *reader, l ical.Line) { r.view.SetText(f, l.Text()) }
	}
	word := func(f Field, form func(string) string) func(*reader, ical.Line) {
		return func(r *reader, l ical.Line) { r.view.SetText(f, form(string(l.Value()))) }
	}
	date := func(r *reader, l ical.Line) { r.dates = append(r.dates, l) }
	for _, p := range []propertyReader{
		{"DTSTART", func(r *reader, l ical.Line) { r.view.When.Start = r.time(l) }},
		{"DTEND", func(r *reader, l ical.Line) { r.view.When.End = r.time(l) }},
		{"DURATION", (*reader).readDuration},
		{"RRULE", func(r *reader, l ical.Line) { r.view.When.Rule = canonicalRule(string(l.Value())) }},
		{"RDATE", date}, {"EXDATE", date},
		{"RECURRENCE-ID", func(r *reader, l ical.Line) {
			r.view.Recurrence, r.view.Future = r.time(l), strings.EqualFold(l.Param("RANGE"), "THISANDFUTURE")
		}},
		{"SUMMARY", text(Title)}, {"LOCATION", text(Location)}, {"DESCRIPTION", text(Description)}, {"STYLED-DESCRIPTION", text(Styled)}, {"URL", text(URL)},
		{"STATUS", word(Status, statusFrom)}, {"CLASS", word(Visibility, visibilityFrom)}, {"COLOR", func(r *reader, l ical.Line) { r.view.SetText(Colour, strings.ToLower(l.Text())) }},
		{"CATEGORIES", func(r *reader, l ical.Line) {
			r.view.add(Categories, strings.Join(ical.SplitList(l.Value()), "\n"))
		}},
		{"CONFERENCE", func(r *reader, l ical.Line) {
			if r.view.Text(Conference) == "" {
				r.view.SetText(Conference, string(l.Value()))
			}
		}},
		{"PRIORITY", func(r *reader, l ical.Line) { r.view.SetText(Priority, strings.TrimPrefix(string(l.Value()), "0")) }},
		{"TRANSP", word(Busy, func(s string) string { return map[bool]string{true: "free"}[strings.EqualFold(s, "TRANSPARENT")] })},
		{"ORGANIZER", func(r *reader, l ical.Line) {
			p := readPerson(l)
			r.view.SetText(Organizer, Person{Name: p.Name, Address: p.Address}.String())
		}},
		{"ATTENDEE", func(r *reader, l ical.Line) {
			p := readPerson(l)
			r.view.Guests = append(r.view.Guests, p)
			r.view.add(Attendees, p.String())
		}},
		{"ATTACH", func(r *reader, l ical.Line) {
			if !strings.EqualFold(l.Param("VALUE"), "BINARY") {
				r.view.add(Attachments, string(l.Value()))
			}
		}},
		{"UID", func(r *reader, l ical.Line) { r.view.UID = l.Text() }},
		{"SEQUENCE", func(r *reader, l ical.Line) { r.view.Sequence, _ = strconv.Atoi(string(l.Value())) }},
		{PropID, func(r *reader, l ical.Line) { r.view.ID = l.Text() }},
		{PropIntake, func(r *reader, l ical.Line) { r.view.Intake = ReadMark(l.Text()) }},
		{PropKey, func(r *reader, l ical.Line) { r.view.Key = ReadMark(l.Text()) }},
		{PropSeal, func(r *reader, l ical.Line) { r.view.Seal = l.Text() }},
	} {
		out[p.name[0]&31] = append(out[p.name[0]&31], p)
	}
	return out
}()

func (r *reader) readDuration(l ical.Line) {
	d, err := ical.ParseDuration(l.Value())
	r.fail(l, err)
	r.duration = &d
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
	dst = append(ical.AppendTime(dst, stamp), '\r', '\n')
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
		switch f {
		case Title:
			dst = ical.AppendText(dst, "SUMMARY", e.text[f])
		case Location:
			dst = ical.AppendText(dst, "LOCATION", e.text[f])
		case Description:
			dst = ical.AppendText(dst, "DESCRIPTION", e.text[f])
		default:
			name, params, value := property(f, e.text[f])
			dst = ical.AppendLine(dst, name, params, value)
		}
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
	return append(ical.AppendTime(append(dst, ':'), t), '\r', '\n')
}

// Marks gives the intake and the key that a VEVENT is marked with, without
// reading the rest of it.
func Marks(raw []byte) (intake, key string) {
	for l := range ical.Lines(raw) {
		switch {
		case l.Depth != 0:
		case l.Is(PropIntake):
			intake = ReadMark(l.Text())
		case l.Is(PropKey):
			key = ReadMark(l.Text())
		}
	}
	return intake, key
}

// TitleOf gives the title of a VEVENT, without reading the rest of it.
func TitleOf(raw []byte) string {
	for l := range ical.Lines(raw) {
		if l.Depth == 0 && l.Is("SUMMARY") {
			return l.Text()
		}
	}
	return ""
}

// Added names what people added to a VEVENT and no row can make again: replies
// of attendees, comments, and alarms that are not ours.
func Added(raw []byte) (out []string) {
	var replies, comments, alarms, ours bool
	for l := range ical.Lines(raw) {
		switch {
		case l.Depth == 0 && l.Is("ATTENDEE"):
			answer := strings.ToUpper(l.Param("PARTSTAT"))
			replies = replies || answer != "" && answer != "NEEDS-ACTION"
		case l.Depth == 0 && l.Is("COMMENT"):
			comments = true
		case l.Is("BEGIN") && strings.EqualFold(string(l.Value()), "VALARM"):
			ours = false
		case l.Is(PropReminder):
			ours = true
		case l.Is("END") && strings.EqualFold(string(l.Value()), "VALARM"):
			alarms = alarms || !ours
		}
	}
	for _, a := range []struct {
		has  bool
		name string
	}{{replies, "replies"}, {comments, "comments"}, {alarms, "alarms"}} {
		if a.has {
			out = append(out, a.name)
		}
	}
	return out
}

// written are the properties of an event whose value a load may have written, or
// that tell its revision.
var written = []string{"DTSTART", "DTEND", "DURATION", "RRULE", "RDATE", "EXDATE", "SUMMARY", "LOCATION", "DESCRIPTION", "STYLED-DESCRIPTION", "URL", "STATUS", "CLASS", "COLOR", "CATEGORIES", "CONFERENCE", "PRIORITY", "TRANSP", "ORGANIZER", "SEQUENCE", "DTSTAMP", "LAST-MODIFIED", PropID, PropIntake, PropKey, PropSeal}

// Owned tells whether a line is of a property that a load writes as one whole.
func Owned(l ical.Line) bool {
	return slices.ContainsFunc(written, l.Is)
}
