package job

import (
	"context"

	"github.com/google/uuid"

	"almanach/internal/core/fault"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/caldav"
)

// CalendarState is what can be said of one calendar of the desk.
type CalendarState struct {
	Name   string `json:"name"`
	Kind   string `json:"kind"` // file, folder or server
	Where  string `json:"where"`
	Events int    `json:"events"` // -1 where they were not counted
	Fault  error  `json:"-"`
}

// Calendars looks at the calendars of the desk; all of them, or those named.
// check tries whether they can be written to.
func Calendars(ctx context.Context, office *Office, names []string, check bool) ([]CalendarState, error) {
	if len(names) == 0 {
		names = office.Desk.Calendars()
	}
	var out []CalendarState
	for _, name := range names {
		spec, f := office.Desk.Calendar(name, false)
		if f != nil {
			return nil, f
		}
		s := CalendarState{Name: spec.Name, Kind: "file", Where: spec.Path(), Events: -1}
		switch {
		case spec.Server.URL != "":
			s.Kind = "server"
		case spec.Folder != "":
			s.Kind = "folder"
		}
		s.Events, s.Fault = office.count(ctx, spec, check)
		out = append(out, s)
	}
	return out, ctx.Err()
}

func (o *Office) count(ctx context.Context, spec calendar.Spec, check bool) (int, error) {
	backend, err := o.openCalendar(ctx, spec, true)
	if err != nil {
		return -1, err
	}
	c := &opened{Backend: backend, spec: spec}
	defer c.Close()
	if server, ok := backend.(*caldav.Calendar); ok && check {
		if err := server.Check(ctx, uuid.NewString()); err != nil {
			return -1, err
		}
	}
	if _, err := c.read(ctx, true); err != nil {
		return -1, err
	}
	return c.holding.Events(), nil
}

// AccountCalendars lists the calendars of an account on a server.
func AccountCalendars(ctx context.Context, office *Office, server calendar.Server) ([]caldav.Listed, error) {
	c, err := caldav.Open(calendar.Spec{Server: server}, office.Zones)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	return c.List(ctx)
}

// MakeCalendar makes a calendar of the desk on its server.
func MakeCalendar(ctx context.Context, office *Office, name string) error {
	c, err := onServer(office, name)
	if err != nil {
		return err
	}
	defer c.Close()
	return c.Make(ctx, name)
}

// DescribeCalendar gives a calendar of the desk another name or colour on its
// server; "" leaves one as it is.
func DescribeCalendar(ctx context.Context, office *Office, name, title, colour string) error {
	c, err := onServer(office, name)
	if err != nil {
		return err
	}
	defer c.Close()
	return c.Describe(ctx, title, colour)
}

func onServer(office *Office, name string) (*caldav.Calendar, error) {
	spec, f := office.Desk.Calendar(name, false)
	if f != nil {
		return nil, f
	}
	if spec.Server.URL == "" {
		return nil, fault.New(name, "is not on a server: it is made when something is first loaded into it")
	}
	return caldav.Open(spec, office.Zones)
}
