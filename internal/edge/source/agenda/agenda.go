// Package agenda reads calendars as sources: an event a row.
package agenda

import (
	"io"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
)

// calendarColumns are the columns of a calendar read as a source.
var calendarColumns = []string{"uid", "title", "start", "end", "zone", "location", "description", "url", "categories", "status", "repeat", "occurrence"}

// agenda reads an iCalendar file as a table, an event a row.
type agenda struct {
	sheet.Plain
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
	return sheet.Single{Start: func() (sheet.Raw, error) {
		r, err := t.Start()
		if err != nil {
			return nil, err
		}
		return &agenda{reader: ical.NewReader(r), from: &table.Origin{File: o.Name}, known: o.Zones, zones: map[string]*zone.Zone{}}, nil
	}, End: t.Close}, nil
}

func (a *agenda) Names() table.Header   { return calendarColumns }
func (a *agenda) Origin() *table.Origin { return a.from }
func (a *agenda) Close() error          { return nil }

func (a *agenda) About(x *sheet.About) {
	x.Format, x.Why = "iCalendar", "the fields of an event"
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
			if z, err := ical.ReadZone(p.Raw); err == nil {
				a.zones[z.Name()] = z
			}
		case p.Name == "VEVENT":
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
	end := v.When.End.InZone(endZone(v.When))
	if v.When.AllDay() {
		end = v.When.LastDay()
	}
	texts := []string{v.UID, v.Text(event.Title), wall(v.When.Start), wall(end), v.When.Start.ZoneName(), v.Text(event.Location), v.Text(event.Description), v.Text(event.URL), strings.ReplaceAll(v.Text(event.Categories), "\n", ", "), v.Text(event.Status), v.When.Rule, wall(v.Recurrence)}
	cells := make([]table.Cell, len(texts))
	for i, s := range texts {
		if s != "" {
			cells[i] = table.Cell{Kind: table.Text, Text: s}
		}
	}
	row.Cells = a.block.Take(cells)
}

// endZone is the zone in which a row's end is written: that of its start.
func endZone(s event.Span) *zone.Zone {
	if s.Start.Form == zone.Local {
		return s.Start.Zone
	}
	return zone.UTC
}
