// Package agenda reads calendars as sources: an event a row.
package agenda

import (
	"bytes"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/extract"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/recur"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
)

// always is how many of the columns are there even if no event has anything of them.
const always = 12

// calendarColumns are the columns of a calendar read as a source.
var calendarColumns = []string{"uid", "title", "start", "end", "zone", "location", "description", "url", "categories", "status", "repeat", "occurrence", "except", "also", "conference", "colour", "busy", "priority", "visibility", "organizer", "attendees", "optional", "resources", "rooms", "reminders", "attachments"}

// agenda reads an iCalendar file as a table, an event a row.
type agenda struct {
	sheet.Plain
	header table.Header
	left   map[string]int // what is not taken over, and of how many components; nil where nobody asks
	notes  []string       // what is said of that
	reader *ical.Reader
	from   *table.Origin
	known  ical.Zones
	zones  map[string]*zone.Zone
	number int32
	block  sheet.Block
}

// Is tells whether a text is a calendar.
func Is(lead []byte) bool {
	return len(lead) > 15 && strings.EqualFold(string(lead[:15]), "BEGIN:VCALENDAR")
}

// Open opens a text as a calendar.
func Open(t *text.Source, o sheet.Options) (sheet.Book, error) {
	var notes []string
	start := func(header table.Header) (*agenda, error) {
		r, err := t.Start()
		if err != nil {
			return nil, err
		}
		return &agenda{header: header, notes: notes, reader: ical.NewReader(r), from: &table.Origin{File: o.Name}, known: o.Zones, zones: map[string]*zone.Zone{}}, nil
	}
	a, err := start(calendarColumns)
	if err != nil {
		return nil, err
	}
	a.left = map[string]int{}
	header := a.used()
	notes = a.leftOver()
	return sheet.Single{Start: func() (sheet.Raw, error) { return start(header) }, End: t.Close}, nil
}

// used reads the calendar, and gives the columns that its events fill.
func (a *agenda) used() table.Header {
	used := make([]bool, len(a.header))
	for {
		row, err := a.Next()
		if err != nil { // what is wrong with it is said when its rows are read
			break
		}
		for i := range row.Cells {
			used[i] = used[i] || row.Cells[i].Filled()
		}
	}
	var out table.Header
	for i, name := range a.header {
		if i < always || used[i] {
			out = append(out, name)
		}
	}
	return out
}

func (a *agenda) Names() table.Header   { return a.header }
func (a *agenda) Origin() *table.Origin { return a.from }
func (a *agenda) Close() error          { return nil }

func (a *agenda) About(x *sheet.About) {
	x.LastDay = true
	x.Format, x.Why, x.Notes = "iCalendar", "the fields of an event", append(x.Notes, a.notes...)
}

func (a *agenda) resolve(tzid string) (*zone.Zone, error) {
	if z := a.zones[tzid]; z != nil {
		return z, nil
	}
	return a.known(tzid)
}

func (a *agenda) Next() (table.Row, error) {
	for {
		p, err := a.reader.Next()
		if err != nil {
			if err != io.EOF {
				err = fault.Newf("cannot be read on: %w", err).At(fault.Place{File: a.from.File})
			}
			return table.Row{}, err
		}
		row := table.Row{Origin: a.from, Number: a.number + 1, Line: int32(p.Line)}
		switch {
		case p.Fault != nil && len(p.Raw) > 0:
			a.number++
			row.Fault = p.Fault.At(row.Place())
			return row, nil
		case p.Fault != nil:
			return row, p.Fault.At(fault.Place{File: a.from.File, Line: p.Line})
		case p.Name == "VTIMEZONE":
			if z, err := ical.ReadZone(bytes.Clone(p.Raw)); err == nil { // its name stays in use
				a.zones[z.Name()] = z
			}
		case a.left != nil && (p.Name == "VTODO" || p.Name == "VJOURNAL"):
			a.left[p.Name]++
		case p.Name == "VEVENT":
			a.leave(p.Raw)
			a.number++
			a.event(&row, p.Raw)
			return row, nil
		}
	}
}

func (a *agenda) event(row *table.Row, raw []byte) {
	v, err := event.Read(append([]byte(nil), raw...), a.resolve)
	if err != nil {
		row.Fault = fault.Newf("event %s cannot be read: %w", fault.Shorten(v.UID, 60), err).At(row.Place())
		return
	}
	wall := func(t zone.Time) string {
		if t.IsZero() {
			return ""
		}
		return strings.Replace(strings.TrimSuffix(zone.Time{Wall: t.Wall, Form: map[bool]zone.Form{true: zone.Date, false: zone.Floating}[t.Form == zone.Date]}.RFC3339(), ":00"), "T", " ", 1)
	}
	when := v.When
	if when.Start.Form == zone.Local && a.zones[when.Start.ZoneName()] != nil && when.Rule == "" && len(when.Extra) == 0 && v.Recurrence.IsZero() {
		if _, err := a.known(when.Start.ZoneName()); err != nil { // a zone of its own, which means nothing elsewhere
			when.Start, when.End = when.Start.InZone(zone.UTC), when.End.InZone(zone.UTC)
		}
	}
	end := when.End.InZone(endZone(when))
	if when.AllDay() {
		end = when.LastDay()
	}
	if v.Future {
		row.Fault = fault.Newf("event %s changes its series from %s on (RANGE=THISANDFUTURE)", fault.Shorten(v.UID, 60), wall(v.Recurrence)).At(row.Place()).Do("end the series before it, and make another of the rest")
		return
	}
	if slices.ContainsFunc(when.Extra, func(s string) bool { return strings.Contains(s, "/") }) {
		row.Fault = fault.Newf("event %s has dates that last as long as they say themselves (RDATE with periods)", fault.Shorten(v.UID, 60)).At(row.Place()).Do("make events of their own of them")
		return
	}
	one := extract.Row{Occurrence: &recur.Occurrence{View: &v, Span: when}}
	cells := make([]table.Cell, len(a.header))
	for i, column := range a.header {
		text := one.Value(column)
		switch column {
		case "start":
			text = wall(when.Start)
		case "end":
			text = wall(end)
		case "occurrence":
			text = wall(v.Recurrence)
		case "except":
			text = days(when.Except)
		case "also":
			text = days(when.Extra)
		case "attendees":
			text = one.People(event.Required)
		}
		if text != "" {
			cells[i] = table.Cell{Kind: table.Text, Text: text}
		}
	}
	row.Cells = a.block.Take(cells)
}

// taken are the properties of an event that its row has, or that are of the calendar alone.
var taken = []string{"UID", "DTSTAMP", "DTSTART", "DTEND", "DURATION", "SUMMARY", "LOCATION", "DESCRIPTION", "URL", "CATEGORIES", "STATUS", "RRULE", "RDATE", "EXDATE", "RECURRENCE-ID", "CONFERENCE", "COLOR", "TRANSP", "PRIORITY", "CLASS", "ORGANIZER", "ATTENDEE", "ATTACH", "SEQUENCE", "CREATED", "LAST-MODIFIED"}

// leave counts what of an event its row has not.
func (a *agenda) leave(raw []byte) {
	if a.left == nil {
		return
	}
	names := map[string]bool{}
	alarms := 0 // but for ours, which a row has
	for l := range ical.Lines(raw) {
		name := strings.ToUpper(string(l.Name()))
		switch {
		case l.Depth == 1 && name == "BEGIN":
			alarms++
		case l.Depth == 1 && name == "X-ALMANACH-REMINDER":
			alarms--
		case l.Depth > 0, name == "", name == "BEGIN", name == "END", strings.HasPrefix(name, "X-ALMANACH-"), slices.Contains(taken, name):
		case strings.HasPrefix(name, "X-"):
			names["properties of other programs (X-…)"] = true
		default:
			names[name] = true
		}
	}
	if alarms > 0 {
		names["reminders"] = true
	}
	for name := range names {
		a.left[name]++
	}
}

// leftOver says what is not taken over.
func (a *agenda) leftOver() (out []string) {
	var others, parts []string
	for _, name := range slices.Sorted(maps.Keys(a.left)) {
		text := fmt.Sprintf("%s (%d)", name, a.left[name])
		if name == "VTODO" || name == "VJOURNAL" {
			others = append(others, text)
		} else {
			parts = append(parts, text)
		}
	}
	if len(others) > 0 {
		out = append(out, "not read, as they are no events: "+strings.Join(others, ", "))
	}
	if len(parts) > 0 {
		out = append(out, "what events have and their rows have not: "+strings.Join(parts, ", "))
	}
	return out
}

// days writes dates of a series, which are on the clock of its start, as other sources have
// them.
func days(list []string) string {
	out := make([]string, len(list))
	for i, s := range list {
		if len(s) < 8 {
			return strings.Join(list, "; ")
		}
		out[i] = s[:4] + "-" + s[4:6] + "-" + s[6:8]
		if len(s) >= 13 {
			out[i] += " " + s[9:11] + ":" + s[11:13]
		}
	}
	return strings.Join(out, "; ")
}

// endZone is the zone in which a row's end is written: that of its start.
func endZone(s event.Span) *zone.Zone {
	if s.Start.Form == zone.Local {
		return s.Start.Zone
	}
	return zone.UTC
}
