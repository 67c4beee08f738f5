package mail

import (
	"errors"
	"io"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/notice"
	"almanach/internal/core/pattern"
	"almanach/internal/core/zone"
)

// invitation is one event of a calendar inside a message (RFC 5546).
type invitation struct {
	key      string
	sequence int
	event    notice.Event
	zone     string
	repeat   string
	except   string
	aside    string // why it is not to be loaded: an answer, a counter-proposal
}

var methodLine = pattern.Lazy(`(?mi)^METHOD(?:;[^:\r\n]*)?:\s*(\w+)`)

func readInvitations(data []byte, known ical.Zones) (out []invitation, problems []string) {
	method := "REQUEST"
	if m := methodLine().FindSubmatch(data); m != nil {
		method = strings.ToUpper(string(m[1]))
	}
	zones := map[string]*zone.Zone{}
	find := func(tzid string) (*zone.Zone, error) {
		if z := zones[tzid]; z != nil {
			return z, nil
		}
		return known(tzid)
	}
	r := ical.NewBytesReader(data)
	for {
		p, err := r.Next()
		if errors.Is(err, io.EOF) {
			return out, problems
		}
		if err != nil {
			return out, append(problems, err.Error())
		}
		switch {
		case p.Fault != nil:
			problems = append(problems, p.Fault.Cause.Error())
		case p.Name == "VTIMEZONE":
			if z, err := ical.ReadZone(p.Raw); err == nil {
				if l, ok := ical.Open(p.Raw).Find("TZID"); ok {
					zones[l.Text()] = z
					if region, err := known(l.Text()); err == nil {
						zones[l.Text()] = region
					}
				}
			}
		case p.Name == "VEVENT":
			v, err := event.Read(p.Raw, find)
			if err != nil {
				problems = append(problems, err.Error())
				continue
			}
			out = append(out, invited(&v, method))
		}
	}
}

// invited makes a row of an invited event.
func invited(v *event.View, method string) invitation {
	i := invitation{key: v.UID, sequence: v.Sequence, repeat: v.When.Rule}
	if !v.Recurrence.IsZero() {
		i.key += " " + v.Recurrence.RFC3339()
	}
	e := &i.event
	e.What, e.Where, e.Text = v.Text(event.Title), v.Text(event.Location), "invitation "+v.UID
	e.AllDay = v.When.AllDay()
	e.Start = zone.Civil(v.When.Start.Wall)
	if !v.When.End.IsZero() {
		e.End = zone.Civil(v.When.End.Wall)
		if e.AllDay {
			e.End = zone.Civil(v.When.LastDay().Wall)
		}
	}
	if !e.AllDay {
		i.zone = v.When.Start.ZoneName()
		if v.When.Start.Form == zone.Absolute {
			i.zone = "UTC"
		}
	}
	for _, p := range v.Guests {
		e.Who = append(e.Who, strings.TrimPrefix(p.Address, "mailto:"))
	}
	var except []string
	for _, x := range v.When.Except {
		if len(x) >= 8 {
			except = append(except, x[:4]+"-"+x[4:6]+"-"+x[6:8])
		}
	}
	i.except = strings.Join(except, ", ")
	e.Reading = []notice.Part{{Text: "invitation " + v.UID, Field: "time", Value: e.When()}}
	switch method {
	case "CANCEL":
		e.Cancelled = true
	case "COUNTER":
		i.aside = "a counter-proposal to an invitation"
	case "REPLY", "DECLINECOUNTER", "REFRESH":
		i.aside = "an answer to an invitation"
	}
	if strings.EqualFold(v.Text(event.Status), "cancelled") {
		e.Cancelled = true
	}
	if len(v.When.Extra) > 0 && i.aside == "" {
		e.Held = fault.Newf("repeats on days of its own (RDATE), which an invitation's row cannot say").Do("save the invitation as .ics and load it as a calendar")
	}
	if e.End.IsZero() && !e.AllDay {
		e.End = e.Start.Add(v.When.Length())
	}
	if e.End.Equal(e.Start) && !e.AllDay {
		e.End = time.Time{}
	}
	return i
}
