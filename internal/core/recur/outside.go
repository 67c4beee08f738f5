package recur

import "almanach/internal/core/ical"

// margin is how many days a zone, and a date without one, can put an event beside
// the days that stand in its text.
const margin = 2

// Outside tells, by the days that are written in it, that a single event lies outside of a
// window for certain. Where it is false nothing is known.
func Outside(o *ical.Object, w Window) bool {
	days := o.Days()
	if days.Start == 0 {
		return false
	}
	start, end := int64(days.Start), int64(max(days.Start, days.End))
	return start-margin > w.To/86400 || end+margin < w.From/86400
}
