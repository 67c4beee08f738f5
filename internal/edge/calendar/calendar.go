// Package calendar reads and writes the calendars events are loaded into.
package calendar

import (
	"context"

	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/zone"
)

// Object is one event of a calendar as it stands: all components of its UID.
type Object struct {
	Raw       []byte // the master, or the only component
	Line      int    // 1-based line of the calendar's text it begins on
	Offset    int    // bytes of the calendar's text before it
	Overrides int    // components of the same UID, not ours, that change single occurrences
	Override  bool   // it changes a single occurrence itself
	Twins     int    // further masters that claim the same identity
}

// Components are all VEVENTs of one UID.
type Components struct {
	Raws [][]byte
	Line int // 1-based line of the calendar's text the first begins on
}

// Change is one event to be written. Exactly one of the three is meant: a new
// event (Old nil), a replaced one, or a removed one (New nil). New may hold
// further components of the same UID behind the first.
type Change struct {
	ID  identity.ID
	Old *Object
	New []byte
}

// ZoneUse is a zone and the first year in which it is used.
type ZoneUse struct {
	Zone *zone.Zone
	Year int
}

// UseZone adds a use to a list that has each zone once.
func UseZone(list []ZoneUse, use ZoneUse) []ZoneUse {
	for i := range list {
		if list[i].Zone == use.Zone {
			list[i].Year = min(list[i].Year, use.Year)
			return list
		}
	}
	return append(list, use)
}

// Calendar is one calendar opened for a run. What is read stays as it was
// when it was opened; Apply refuses to write over anything newer.
type Calendar interface {
	// Name is how the clerk calls it.
	Name() string
	// Find gives the event of an identity, nil when there is none.
	Find(id identity.ID) *Object
	// Len is how many events bear one of our identities.
	Len() int
	// Ours calls yield with every event that bears one of our identities.
	Ours(yield func(id identity.ID, o *Object) bool)
	// Objects calls yield with every event, its changed occurrences with it.
	Objects(yield func(o Components) bool)
	// Resolve gives the zone a TZID means in this calendar.
	Resolve(tzid string) (*zone.Zone, error)
	// Faults are what was found damaged.
	Faults() []*fault.Fault
	// Apply writes all changes or none, with the zones that the new texts
	// name, reads back what it wrote, and gives the number of changes it found
	// there.
	Apply(ctx context.Context, changes []Change, zones []ZoneUse) (int, error)
	// Close gives up what opening took hold of.
	Close() error
}
