// Package extract is what a date range holds: occurrences as rows that can be
// sorted, shown and compared.
package extract

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/recur"
	"almanach/internal/core/zone"
)

// Row is one occurrence. Its JSON form is fixed: times are RFC 3339 with the
// offset of the event's zone, all-day events have plain dates and their last
// day as the end, floating times have no offset.
type Row struct {
	Calendar    string   `json:"calendar"`
	UID         string   `json:"uid"`
	Occurrence  string   `json:"occurrence,omitempty"`
	Title       string   `json:"title"`
	Start       string   `json:"start"`
	End         string   `json:"end"`
	AllDay      bool     `json:"all_day"`
	Zone        string   `json:"zone"`
	Location    string   `json:"location"`
	Description string   `json:"description"`
	Status      string   `json:"status"`
	Categories  []string `json:"categories"`
	Attendees   []string `json:"attendees"`
	Intake      string   `json:"intake"`
	Key         string   `json:"key"`

	Span event.Span  `json:"-"`
	View *event.View `json:"-"`
	at   int64
}

// A Found is an occurrence that was found, and the calendar it is in.
type Found struct {
	recur.Occurrence
	Calendar string
	Master   *event.View // of its series; nil for none
}

// Row gives the row of an occurrence. view places dates and floating times for
// sorting; nil is UTC.
func (o *Found) Row(view *zone.Zone) Row {
	v := o.View
	r := Row{
		Calendar: o.Calendar, UID: v.UID, Title: v.Text(event.Title), Start: o.Span.Start.RFC3339(), AllDay: o.Span.AllDay(), Zone: o.Span.Start.ZoneName(),
		Location: v.Text(event.Location), Description: v.Text(event.Description), Status: v.Text(event.Status), Categories: []string{}, Attendees: []string{}, Intake: v.Intake, Key: v.Key,
		Span: o.Span, View: v, at: o.Span.Start.Instant(view),
	}
	switch { // a single one and most of a series begin when they say
	case o.Recurrence.IsZero():
	case o.Recurrence == o.Span.Start:
		r.Occurrence = r.Start
	default:
		r.Occurrence = o.Recurrence.RFC3339()
	}
	if r.AllDay {
		r.End = o.Span.LastDay().RFC3339()
	} else {
		r.End = o.Span.End.RFC3339()
	}
	if o.Master != nil && r.Intake == "" { // a changed occurrence is from where its series is
		r.Intake, r.Key = o.Master.Intake, o.Master.Key
	}
	if c := v.Text(event.Categories); c != "" {
		r.Categories = strings.Split(c, "\n")
	}
	for _, p := range v.Guests {
		r.Attendees = append(r.Attendees, p.Show())
	}
	return r
}

// Begins gives the instant at which the row begins, in seconds since 1970.
func (r *Row) Begins() int64 { return r.at }

// Sorted gives the rows of occurrences in the order of their starts, all-day events
// first on their day, then by title, calendar and UID, so that the order is always
// the same. view places dates and floating times; nil is UTC.
func Sorted(found []Found, view *zone.Zone) []Row {
	type begin struct {
		at int64
		n  int32
	}
	order := make([]begin, len(found))
	for i := range found {
		order[i] = begin{found[i].Span.Start.Instant(view), int32(i)}
	}
	slices.SortFunc(order, func(x, y begin) int {
		if x.at != y.at {
			return cmp.Compare(x.at, y.at)
		}
		a, b := &found[x.n], &found[y.n]
		if a.Span.AllDay() != b.Span.AllDay() {
			return map[bool]int{true: -1, false: 1}[a.Span.AllDay()]
		}
		return cmp.Or(strings.Compare(a.View.Text(event.Title), b.View.Text(event.Title)), strings.Compare(a.Calendar, b.Calendar), strings.Compare(a.View.UID, b.View.UID), int(x.n-y.n))
	})
	out := make([]Row, len(found))
	for i, b := range order {
		out[i] = found[b.n].Row(view)
	}
	return out
}

// Columns are the names under which a row's values can be asked for.
var Columns = []string{"calendar", "uid", "occurrence", "title", "start", "end", "all_day", "zone", "location", "description", "status", "categories", "attendees", "intake", "key"}

// More are further columns that are there when they are asked for.
var More = []string{"url", "conference", "colour", "busy", "priority", "visibility", "organizer", "optional", "resources", "rooms", "reminders", "attachments", "repeat"}

const clock = len("2006-01-02T") // where an RFC 3339 time has its hours

// Value gives one column of the row as a text; day and time are those of the
// event's own zone.
func (r *Row) Value(column string) string {
	switch column {
	case "day":
		return r.Start[:len(time.DateOnly)]
	case "time":
		if r.AllDay {
			return ""
		}
		return r.Start[clock:clock+5] + "–" + r.End[clock:clock+5]
	case "calendar":
		return r.Calendar
	case "uid":
		return r.UID
	case "occurrence":
		return r.Occurrence
	case "title":
		return r.Title
	case "start":
		return r.Start
	case "end":
		return r.End
	case "all_day":
		return map[bool]string{true: "yes", false: "no"}[r.AllDay]
	case "zone":
		return r.Zone
	case "location":
		return r.Location
	case "description":
		return r.Description
	case "status":
		return r.Status
	case "categories":
		return strings.Join(r.Categories, ", ")
	case "attendees":
		return strings.Join(r.Attendees, "; ")
	case "optional":
		return r.people(event.Optional)
	case "resources":
		return r.people(event.Resource)
	case "rooms":
		return r.people(event.Room)
	case "repeat":
		return r.Span.Rule
	case "attachments":
		return strings.ReplaceAll(r.View.Text(event.Attachments), "\n", "; ")
	case "intake":
		return r.Intake
	case "key":
		return r.Key
	}
	if f, ok := event.ParseField(column); ok && f != event.When {
		return r.View.Shown(f)
	}
	return ""
}

// people lists the attendees who are there in one part.
func (r *Row) people(part event.Part) string {
	var out []string
	for _, p := range r.View.Guests {
		if p.Part == part {
			out = append(out, p.Show())
		}
	}
	return strings.Join(out, "; ")
}
