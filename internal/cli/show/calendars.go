package show

import (
	"almanach/internal/core/fault"
	"almanach/internal/edge/calendar/caldav"
	"almanach/internal/job"
)

// DeskCalendars lists the calendars of the desk.
func (p *Printer) DeskCalendars(list []job.CalendarState, checked bool) {
	if len(list) == 0 {
		p.line("this desk has no calendars; name them in almanach.yaml under calendars:")
		return
	}
	width := widest(list, func(s job.CalendarState) string { return s.Name })
	for _, s := range list {
		text := Counted(s.Events, "event")
		if checked && s.Kind == "server" {
			text += ", can be written to"
		}
		if s.Fault != nil {
			f := fault.Of(s.Fault)
			text = alarm.Render(f.Cause.Error())
			if f.Advice != "" {
				text += " (" + f.Advice + ")"
			}
		}
		p.wrapped(bold.Render(pad(s.Name, width))+"  "+pad(s.Kind, 6)+"  ", dim.Render(s.Where)+"   "+text)
	}
}

type stateJSON struct {
	job.CalendarState
	Error string `json:"error,omitempty"`
}

// CalendarsJSON gives the JSON form of the desk's calendars.
func CalendarsJSON(list []job.CalendarState) any {
	out := []stateJSON{}
	for _, s := range list {
		one := stateJSON{CalendarState: s}
		if s.Fault != nil {
			one.Error = s.Fault.Error()
		}
		out = append(out, one)
	}
	return out
}

// Account lists the calendars of an account on a server.
func (p *Printer) Account(list []caldav.Listed) {
	if len(list) == 0 {
		p.line("the account has no calendars")
		return
	}
	width := widest(list, func(l caldav.Listed) string { return l.Name })
	for _, l := range list {
		may := "read and write"
		if !l.Write {
			may = alarm.Render("read only")
		}
		if l.Colour != "" {
			may += ", " + l.Colour
		}
		p.wrapped(bold.Render(pad(l.Name, width))+"  ", l.URL+"   "+may)
	}
}
