// Package extract is what a date range holds: occurrences as rows that can be
// sorted, shown and compared.
package extract

import (
	"bytes"
	"cmp"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/recur"
	"almanach/internal/core/zone"
)

// Row is one occurrence of a range. Its columns are written when they are asked for: a
// range holds many occurrences of few events.
type Row struct {
	*recur.Occurrence
	Calendar string      // the one that it is in
	Master   *event.View // of its series; nil for none

	at int64 // where it begins
	n  int   // in which order it was found
}

// Fields is the JSON form of a row, which is fixed: times are RFC 3339 with the
// offset of the event's zone, all-day events have plain dates and their last
// day as the end, floating times have no offset.
type Fields struct {
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
}

// Fields gives the row as it is written.
func (r Row) Fields() Fields {
	v := r.View
	f := Fields{
		Calendar: r.Calendar, UID: v.UID, Occurrence: r.occurrence(), Title: v.Text(event.Title), Start: r.Span.Start.RFC3339(), End: r.end(), AllDay: r.Span.AllDay(), Zone: r.Span.Start.ZoneName(),
		Location: v.Text(event.Location), Description: v.Text(event.Description), Status: r.Status(), Categories: []string{}, Attendees: []string{},
	}
	f.Intake, f.Key = r.origin()
	if c := v.Text(event.Categories); c != "" {
		f.Categories = strings.Split(c, "\n")
	}
	for _, p := range v.Guests {
		f.Attendees = append(f.Attendees, p.Show())
	}
	return f
}

// MarshalJSON writes the fields of the row.
func (r Row) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false) // <oda@fenn-agency.example> stays readable; whoever encodes the whole may escape it
	err := e.Encode(r.Fields())
	return bytes.TrimSuffix(b.Bytes(), []byte("\n")), err
}

// Begins gives the instant at which the row begins, in seconds since 1970.
func (r Row) Begins() int64 { return r.at }

// Status gives the status of the occurrence as the CSV and JSON forms have it; "" for none.
func (r Row) Status() string { return r.View.Text(event.Status) }

// occurrence says which one of its series the row is.
func (r Row) occurrence() string {
	if r.Recurrence.IsZero() {
		return ""
	}
	return r.Recurrence.RFC3339()
}

// end gives the end as it is written: the last day of an all-day event.
func (r Row) end() string {
	if r.Span.AllDay() {
		return r.Span.LastDay().RFC3339()
	}
	return r.Span.EndText()
}

// origin gives the intake and the key. A changed occurrence is from where its series is.
func (r Row) origin() (intake, key string) {
	if r.View.Intake == "" && r.Master != nil {
		return r.Master.Intake, r.Master.Key
	}
	return r.View.Intake, r.View.Key
}

// Sorted gives the rows of occurrences in the order of their starts, all-day events
// first on their day, then by title, calendar and UID, so that the order is always
// the same. view places dates and floating times; nil is UTC.
func Sorted(found []Row, view *zone.Zone) []Row {
	for i := range found {
		found[i].at, found[i].n = found[i].Span.Start.Instant(view), i
	}
	slices.SortFunc(found, func(a, b Row) int {
		if a.at != b.at {
			return cmp.Compare(a.at, b.at)
		}
		if a.Span.AllDay() != b.Span.AllDay() {
			return map[bool]int{true: -1, false: 1}[a.Span.AllDay()]
		}
		return cmp.Or(strings.Compare(a.View.Text(event.Title), b.View.Text(event.Title)), strings.Compare(a.Calendar, b.Calendar), strings.Compare(a.View.UID, b.View.UID), a.n-b.n)
	})
	return found
}

// Columns are the names under which a row's values can be asked for.
var Columns = []string{"calendar", "uid", "occurrence", "title", "start", "end", "all_day", "zone", "location", "description", "status", "categories", "attendees", "intake", "key"}

// More are further columns that are there when they are asked for.
var More = []string{"url", "conference", "colour", "busy", "priority", "visibility", "organizer", "optional", "resources", "rooms", "reminders", "attachments", "repeat"}

// Value gives one column of the row as a text; day and time are those of the
// event's own zone.
func (r Row) Value(column string) string {
	switch column {
	case "day":
		return zone.Civil(r.Span.Start.Wall).Format(time.DateOnly)
	case "time":
		if r.Span.AllDay() {
			return ""
		}
		return zone.Civil(r.Span.Start.Wall).Format("15:04–") + zone.Civil(r.Span.EndThere().Wall).Format("15:04")
	case "calendar":
		return r.Calendar
	case "uid":
		return r.View.UID
	case "occurrence":
		return r.occurrence()
	case "title":
		return r.View.Text(event.Title)
	case "start":
		return r.Span.Start.RFC3339()
	case "end":
		return r.end()
	case "all_day":
		if r.Span.AllDay() {
			return "yes"
		}
		return "no"
	case "zone":
		return r.Span.Start.ZoneName()
	case "location":
		return r.View.Text(event.Location)
	case "description":
		return r.View.Text(event.Description)
	case "status":
		return r.Status()
	case "categories":
		return strings.ReplaceAll(r.View.Text(event.Categories), "\n", ", ")
	case "attendees":
		return r.People()
	case "optional":
		return r.People(event.Optional)
	case "resources":
		return r.People(event.Resource)
	case "rooms":
		return r.People(event.Room)
	case "repeat":
		return r.Span.Rule
	case "attachments":
		return strings.ReplaceAll(r.View.Text(event.Attachments), "\n", "; ")
	case "intake":
		intake, _ := r.origin()
		return intake
	case "key":
		_, key := r.origin()
		return key
	}
	if f, ok := event.ParseField(column); ok && f != event.When {
		return r.View.Shown(f)
	}
	return ""
}

// People lists the attendees who are there in one of the parts; all, without any.
func (r Row) People(parts ...event.Part) string {
	var out []string
	for _, p := range r.View.Guests {
		if len(parts) == 0 || slices.Contains(parts, p.Part) {
			out = append(out, p.Show())
		}
	}
	return strings.Join(out, "; ")
}
