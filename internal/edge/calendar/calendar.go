// Package calendar reads and writes the calendars events are loaded into.
package calendar

import (
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
