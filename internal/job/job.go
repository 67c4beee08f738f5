// Package job has the use cases: what load, extract and reconcile do, whoever
// asks. It moves data between the outside world and the core and decides
// nothing about dates, keys or agreement itself.
package job

import (
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/zone"
	"almanach/internal/edge/desk"
)

// Office is what every job needs to know of the world around it.
type Office struct {
	Desk  *desk.Desk
	Zones *zone.Book
	Now   time.Time // the present
	Zone  string    // asked for by name, before the desk's; "" for none
	Local string    // the machine's own zone, "" when unknown
}

// DefaultZone gives the zone of times that name none, and how it was come by.
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

// Past gives the present as an instant.
func (o *Office) Past() int64 { return o.Now.Unix() }

// Stamp gives the present as a time for DTSTAMP.
func (o *Office) Stamp() zone.Time { return zone.Time{Wall: o.Now.Unix(), Form: zone.Absolute} }
