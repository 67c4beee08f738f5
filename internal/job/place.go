package job

import (
	"context"
	"slices"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/edge/calendar"
)

// calendar gives an open calendar by name, and opens it when it is not. A
// target is one that rows go to: it is made when it does not exist.
func (l *load) calendar(ctx context.Context, name string, target bool) (int32, error) {
	for i, c := range l.calendars {
		if c.Name() == name || c.Shown() == name {
			c.target = c.target || target
			return int32(i), nil
		}
	}
	f, err := l.office.Desk.Calendar(ctx, name, l.office.Zones, l.req.Write, true)
	if err != nil {
		return 0, err
	}
	l.calendars = append(l.calendars, &placed{File: f, target: target})
	l.report.Warnings = append(l.report.Warnings, f.Faults()...)
	if f.Damaged() {
		problem := *f.Faults()[0]
		return 0, problem.Do("the calendar was not touched; mend or replace it, then load again").FromOutside()
	}
	return int32(len(l.calendars) - 1), nil
}

// route finds the calendars of every row, opens them, and holds rows that name
// none. Other calendars of the desk are opened too when they hold events of
// this intake: those have moved.
func (l *load) route(ctx context.Context) error {
	m := l.batch.Mapping
	names, fixed := m.Fixed()
	if fixed {
		for _, name := range names {
			i, err := l.calendar(ctx, name, true)
			if err != nil {
				return err
			}
			l.everyone = append(l.everyone, i)
		}
	} else if err := l.routeRows(ctx); err != nil {
		return err
	}
	for _, name := range l.office.Desk.Calendars() {
		path := l.office.Desk.File(name)
		known := slices.ContainsFunc(l.calendars, func(c *placed) bool { return c.Name() == name || c.Shown() == path })
		if !known && calendar.Mentions(path, l.in.Identity) {
			if _, err := l.calendar(ctx, name, false); err != nil {
				return err
			}
		}
	}
	return nil
}

func (l *load) routeRows(ctx context.Context) error {
	l.places = make([][]int32, len(l.batch.Rows))
	for i, row := range l.batch.Rows {
		if fate, _ := l.batch.Fate(i); fate != intake.WantedRow {
			continue
		}
		names, f := l.batch.Mapping.Places(row)
		for _, name := range names {
			if f == nil && !l.office.Desk.Names(name) {
				f = fault.Unknown("calendar", name, l.office.Desk.Calendars())
				if len(l.office.Desk.Calendars()) == 0 {
					f.Do("give an .ics file, or go to the desk's folder")
				}
				f.Place.Column = strings.Join(l.in.Into, ", ")
			}
		}
		if f != nil {
			at := row.Place()
			at.Column = f.Place.Column
			l.batch.Hold(i, f.At(at))
			continue
		}
		for _, name := range names {
			c, err := l.calendar(ctx, name, true)
			if err != nil {
				return err
			}
			l.places[i] = append(l.places[i], c)
		}
	}
	return nil
}

// placesOf gives the calendars that row i goes to.
func (l *load) placesOf(i int) []int32 {
	if l.places == nil {
		return l.everyone
	}
	return l.places[i]
}

// uidOf gives the UID that a new event gets in a calendar: its ID, or for one
// of several copies one of its own, since servers may refuse one UID twice.
func (l *load) uidOf(i int, id identity.ID, c *placed) string {
	if len(l.placesOf(i)) < 2 {
		return id.String()
	}
	return identity.Copy(id, c.Name()).String()
}

// find gives the event of an identity in a calendar: by our mark, else by the
// UID that we gave it.
func (c *placed) find(id identity.ID) *calendar.Object {
	if o := c.Find(id); o != nil {
		return o
	}
	return c.Find(identity.Copy(id, c.Name()))
}

// elsewhere finds the event of a row in a calendar that the row does not go to
// any more.
func (l *load) elsewhere(i int, id identity.ID) (int32, *calendar.Object) {
	if len(l.calendars) < 2 {
		return 0, nil
	}
	for n, c := range l.calendars {
		if slices.Contains(l.placesOf(i), int32(n)) {
			continue
		}
		if o := c.find(id); o != nil {
			if name, _ := event.Marks(o.Raw); name == l.in.Identity {
				return int32(n), o
			}
		}
	}
	return 0, nil
}
