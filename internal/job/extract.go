package job

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"almanach/internal/core/event"
	"almanach/internal/core/extract"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/moment"
	"almanach/internal/core/recur"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
)

// Range is a span of time as a clerk gives it: both days included.
type Range struct {
	From, To int64 // Unix seconds, To excluded
	View     *zone.Zone
}

// Window gives the range as the core takes it.
func (r Range) Window() recur.Window { return recur.Window{From: r.From, To: r.To, View: r.View} }

// ParseRange reads --from and --to: dates, or dates with times, in the zone
// of the office. Without a first day it is today; without a last one the
// range is a week.
func (o *Office) ParseRange(from, to string) (Range, *fault.Fault) {
	z, _, f := o.DefaultZone()
	if f != nil {
		return Range{}, f
	}
	r := Range{View: z}
	today := zone.Midnight(z.Wall(o.Now.Unix()))
	begin, f := o.parsePoint(from, "--from", point{z, today, true})
	if f != nil {
		return r, f
	}
	r.From, _ = begin.zone.Instant(begin.wall)
	end, f := o.parsePoint(to, "--to", point{z, zone.Midnight(z.Wall(r.From)) + 6*86400, true})
	if f != nil {
		return r, f
	}
	if end.isDay {
		end.wall += 86400
	}
	r.To, _ = end.zone.Instant(end.wall)
	if r.To <= r.From {
		if from == "" {
			return r, fault.Newf("--to %s lies before today, and nothing says from when", to).Do("give --from as well")
		}
		return r, fault.Newf("--to %s lies before --from %s", to, from).Do("swap them")
	}
	return r, nil
}

// point is one end of a range: a day, or a time, on the clock of a zone.
type point struct {
	zone  *zone.Zone
	wall  int64
	isDay bool
}

// parsePoint reads one end of a range. A zone or an offset that it names counts;
// else it is on the clock of otherwise, which is what no text means.
func (o *Office) parsePoint(text, flag string, otherwise point) (point, *fault.Fault) {
	if text == "" {
		return otherwise, nil
	}
	_, today, f := o.rangeOf()
	if f != nil {
		return otherwise, f
	}
	if t, ok := pointInWords(text, today, zone.Civil(otherwise.wall).AddDate(0, 0, -6), flag == "--to"); ok {
		return point{otherwise.zone, t.Unix(), true}, nil
	}
	v, f := moment.ReadOne(moment.Settings{Present: o.Now, Stated: true, Zones: o.Zones}, text)
	switch {
	case f != nil:
		return otherwise, f.Do("write %s as 2026-03-05", flag)
	case !v.HasDate || v.HasEndDate || v.EndClock != moment.NoClock:
		return otherwise, fault.New(text, "is not one day").Do("write %s as 2026-03-05", flag)
	}
	p := point{otherwise.zone, v.Date, v.Clock == moment.NoClock}
	if v.Zone != nil {
		p.zone = v.Zone
	}
	if !p.isDay {
		p.wall += int64(v.Clock)
	}
	return p, nil
}

// Extract is the occurrences of some calendars in a range.
type Extract struct {
	Range  Range
	Rows   []extract.Row
	Faults []*fault.Fault // what could not be read or expanded
	Absent []string       // files of calendars of the desk that are not there yet, and count as empty
	Series int            // events that repeat among those with occurrences
	Events int            // events with occurrences
	All    int            // occurrences in the range
	Found  int            // of them that were asked for, before the first ones are taken
}

// ExtractCalendars gives every occurrence of the named calendars in the range.
func ExtractCalendars(ctx context.Context, office *Office, names []string, r Range) (*Extract, error) {
	if len(names) == 0 {
		names = office.Desk.Calendars()
	}
	if len(names) == 0 {
		return nil, fault.Newf("nothing says which calendar").Do("name a calendar of the desk, or an .ics file")
	}
	out := &Extract{Range: r}
	var all []extract.Row
	for _, name := range names {
		spec, f := office.Desk.Calendar(name, false)
		if f == nil && spec.Made && !office.Desk.Has(name) { // only a load makes it
			f = fault.Unknown("calendar", name, office.Desk.Calendars())
		}
		if f != nil {
			return nil, f
		}
		if _, err := os.Stat(spec.Path()); spec.Server.URL == "" && errors.Is(err, fs.ErrNotExist) {
			out.Absent = append(out.Absent, spec.Path())
		}
		cal, err := office.openCalendar(ctx, spec, office.Desk.Has(name))
		if err != nil {
			return nil, err
		}
		err = occurrences(ctx, cal, spec, r, func(s *recur.Series, found []recur.Occurrence) {
			out.Events++
			if s.Repeats() {
				out.Series++
			}
			for i := range found {
				all = append(all, extract.Row{Occurrence: &found[i], Calendar: spec.Name, Master: s.Master()})
			}
		}, func(f *fault.Fault) { out.Faults = append(out.Faults, f) })
		if e := cal.Close(); err == nil {
			err = e
		}
		if err != nil {
			return nil, err
		}
	}
	out.Rows = extract.Sorted(all, r.View)
	out.All, out.Found = len(out.Rows), len(out.Rows)
	return out, nil
}

// occurrences calls found with every event of a calendar that has occurrences
// in the range, and bad with every one that could not be read or expanded.
func occurrences(ctx context.Context, cal calendar.Backend, spec calendar.Spec, r Range, found func(*recur.Series, []recur.Occurrence), bad func(*fault.Fault)) error {
	var objects []*ical.Object
	for o, err := range cal.Entries(ctx) {
		switch {
		case err == nil:
			objects = append(objects, o)
		case ctx.Err() != nil:
			return ctx.Err()
		case !errors.Is(err, calendar.ErrDamaged): // what damaged it is said already, and the rest is read
			bad(fault.Of(err))
		}
	}
	if err := occurrencesOf(ctx, objects, cal.Zones(), spec, r, found, bad); err != nil {
		return err
	}
	return intact(cal)
}

// occurrencesOf is occurrences for objects that are read already.
func occurrencesOf(ctx context.Context, objects []*ical.Object, zones ical.Zones, spec calendar.Spec, r Range, found func(*recur.Series, []recur.Occurrence), bad func(*fault.Fault)) error {
	type event struct {
		series *recur.Series
		in     []recur.Occurrence
		fault  *fault.Fault
	}
	parts, err := InParts(ctx, len(objects), 512, func() func(from, to int) []event { // once all zones are known
		var in []recur.Occurrence
		return func(from, to int) (events []event) {
			for _, o := range objects[from:to] {
				if recur.Outside(o, r.Window()) {
					continue
				}
				s, err := recur.Read(o.Raws(), zones)
				in = in[:0]
				expand := s.In(r.Window(), func(o recur.Occurrence) { in = append(in, o) })
				e := event{series: s, in: slices.Clone(in)}
				if err == nil {
					err = expand
				}
				if err != nil {
					e.fault = fault.Newf("event %s: %w", fault.Shorten(s.UID, 80), err).At(placeOf(spec, o, err)).Do("correct it in the calendar")
				}
				events = append(events, e)
			}
			return events
		}
	})
	for _, events := range parts {
		for _, e := range events {
			if e.fault != nil {
				bad(e.fault)
			}
			if len(e.in) > 0 {
				found(e.series, e.in)
			}
		}
	}
	return err
}

// placeOf gives the place of a line of an object that could not be read.
func placeOf(spec calendar.Spec, o *ical.Object, err error) fault.Place {
	at := fault.Place{File: spec.Path(), Line: int(o.Line)}
	if o.File != "" {
		at.File = filepath.ToSlash(filepath.Join(spec.Folder, o.File))
	}
	var line *event.LineError
	if errors.As(err, &line) && at.Line > 0 {
		at.Line += line.Line - 1
	}
	return at
}
