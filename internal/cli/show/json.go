package show

import (
	"encoding/json"
	"io"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/reconcile"
	"almanach/internal/job"
)

// JSON writes v indented, with one line feed at the end.
func JSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

type rowJSON struct {
	File  string `json:"file"`
	Sheet string `json:"sheet"`
	Row   int    `json:"row"`
	Page  int    `json:"page"`
	Line  int    `json:"line"`
}

func placeJSON(p fault.Place) *rowJSON {
	if p == (fault.Place{}) {
		return nil
	}
	return &rowJSON{p.File, p.Sheet, p.Row, p.Page, p.Line}
}

type eventJSON struct {
	Title       string   `json:"title"`
	Start       string   `json:"start"`
	End         string   `json:"end"`
	AllDay      bool     `json:"all_day"`
	Zone        string   `json:"zone"`
	Location    string   `json:"location"`
	Description string   `json:"description"`
	Status      string   `json:"status,omitempty"`
	Attendees   []string `json:"attendees"`
	RRule       string   `json:"rrule"`
}

func eventOf(e *event.Event) *eventJSON {
	if e.When.Start.IsZero() && e.Text(event.Title) == "" {
		return nil
	}
	out := &eventJSON{Title: e.Text(event.Title), AllDay: e.When.AllDay(), Zone: e.When.Start.ZoneName(), Location: e.Text(event.Location), Description: e.Text(event.Description), Status: e.Text(event.Status), Attendees: []string{}, RRule: e.When.Rule}
	for _, p := range e.People() {
		out.Attendees = append(out.Attendees, p.Show())
	}
	out.Start, out.End = e.When.Start.RFC3339(), e.When.End.RFC3339()
	if out.AllDay {
		out.End = e.When.LastDay().RFC3339()
	}
	return out
}

type itemJSON struct {
	Outcome  agree.Outcome    `json:"outcome"`
	Row      *rowJSON         `json:"row"`
	Key      string           `json:"key"`
	UID      string           `json:"uid,omitempty"`
	Calendar string           `json:"calendar"`
	Event    *eventJSON       `json:"event,omitempty"`
	Fields   []job.Difference `json:"fields"`
	Notes    []string         `json:"notes"`
	Reason   string           `json:"reason,omitempty"`
}

// loadJSON is the fixed shape of a preview or load.
type loadJSON struct {
	Intake string     `json:"intake"`
	Run    string     `json:"run,omitempty"`
	Totals job.Totals `json:"totals"`
	Items  []itemJSON `json:"items"`
}

// LoadJSON gives the JSON form of a report.
func LoadJSON(r *job.Report) any {
	out := loadJSON{Intake: r.Intake, Run: r.Run, Totals: r.Totals, Items: []itemJSON{}}
	for _, i := range r.Items {
		item := itemJSON{Outcome: agree.Outcome(strings.ReplaceAll(string(i.Outcome), " ", "_")), Row: placeJSON(i.Place), Key: i.Key, UID: i.UID, Calendar: i.Calendar, Event: eventOf(&i.Event), Fields: i.Fields, Notes: i.Notes, Reason: i.Reason}
		if item.Fields == nil {
			item.Fields = []job.Difference{}
		}
		if item.Notes == nil {
			item.Notes = []string{}
		}
		out.Items = append(out.Items, item)
	}
	return out
}

type findingJSON struct {
	Finding  reconcile.Kind   `json:"finding"`
	Row      *rowJSON         `json:"row"`
	Key      string           `json:"key"`
	UID      string           `json:"uid,omitempty"`
	Calendar string           `json:"calendar"`
	Event    *eventJSON       `json:"event,omitempty"`
	Fields   []job.Difference `json:"fields"`
	Reason   string           `json:"reason,omitempty"`
}

// ReconcileJSON gives the JSON form of a reconciliation.
func ReconcileJSON(r *job.Reconciliation) any {
	from, to := rangeText(r.Range)
	out := struct {
		From     string           `json:"from"`
		To       string           `json:"to"`
		Totals   reconcile.Totals `json:"totals"`
		Findings []findingJSON    `json:"findings"`
	}{from, to, r.Totals, []findingJSON{}}
	for _, f := range r.Findings {
		one := findingJSON{Finding: f.Kind, Row: placeJSON(f.Place), Key: f.Key, UID: f.UID, Calendar: f.Calendar, Event: eventOf(&f.Event), Fields: f.Fields, Reason: f.Reason}
		if one.Fields == nil {
			one.Fields = []job.Difference{}
		}
		out.Findings = append(out.Findings, one)
	}
	return out
}
