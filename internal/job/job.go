// Package job has the use cases: what load, extract and reconcile do, whoever
// asks. It opens sources and calendars, has the core decide, and applies what
// was decided. It decides nothing about dates, keys or agreement itself.
//
// A load goes one way: open (open.go) → plan (core/plan) → apply and confirm
// (apply.go). A preview ends with the plan.
package job

import (
	"context"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/desk"
)

// Office is what every job needs to know of the world around it.
type Office struct {
	Desk  *desk.Desk
	Zones *zone.Book
	Now   time.Time // the present
	Run   string    // what tells this run from others begun in the same second
	Zone  string    // asked for by name, before the desk's; "" for none
	Local string    // the machine's own zone, "" when unknown
	Who   string    // whose runs these are, for the logbook

	// Progress is told how far something has come that may take its time: what it
	// is, and how much of how many is done. Nil for nobody.
	Progress func(what string, done, total, failed int)

	// Open opens a calendar in the place of the kinds that are known; nil for
	// those.
	Open func(ctx context.Context, spec calendar.Spec, create bool) (calendar.Backend, error)
}

// DefaultZone gives the zone of times that name none, and how it was
// determined where nobody named it.
func (o *Office) DefaultZone() (*zone.Zone, string, *fault.Fault) {
	for _, c := range []struct{ name, why string }{{o.Zone, ""}, {o.Desk.Zone, ""}, {o.Local, "this machine's; set --zone for another"}} {
		if c.name == "" {
			continue
		}
		z, err := o.Zones.Find(c.name)
		if err != nil {
			return nil, "", o.Zones.Unknown(c.name)
		}
		return z, c.why, nil
	}
	return zone.UTC, "no other is known; set --zone for another", nil
}

// Stamp gives the present as a time for DTSTAMP.
func (o *Office) Stamp() zone.Time { return zone.Time{Wall: o.Now.Unix(), Form: zone.Absolute} }

// Faults are several problems that together stop a job.
type Faults []*fault.Fault

func (f Faults) Error() string {
	lines := make([]string, len(f))
	for i, one := range f {
		lines[i] = one.Error()
	}
	return strings.Join(lines, "\n")
}
