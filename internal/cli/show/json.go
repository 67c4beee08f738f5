package show

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/plan"
	"almanach/internal/core/reconcile"
	"almanach/internal/core/rule"
	"almanach/internal/core/table"
	"almanach/internal/job"
)

// JSON writes v indented, with one line feed at the end.
func JSON(w io.Writer, v any) error {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if err := e.Encode(v); err != nil {
		return err
	}
	_, err := w.Write(escapeJSON(b.Bytes()))
	return err
}

// escapeJSON writes the characters that would steer a terminal as escapes,
// which JSON asks for below U+0020 alone.
func escapeJSON(text []byte) []byte {
	if !bytes.ContainsFunc(text, func(r rune) bool { return r != '\n' && steers(r) }) {
		return text
	}
	var b bytes.Buffer
	for _, r := range string(text) {
		if r != '\n' && steers(r) {
			fmt.Fprintf(&b, `\u%04x`, r)
		} else {
			b.WriteRune(r)
		}
	}
	return b.Bytes()
}

type rowJSON struct {
	File  string `json:"file"`
	Sheet string `json:"sheet"`
	Row   int    `json:"row"`
	Page  int    `json:"page"`
	Line  int    `json:"line"`

	Message string `json:"message,omitempty"`
}

func placeJSON(p fault.Place) *rowJSON {
	if p == (fault.Place{}) {
		return nil
	}
	return &rowJSON{p.File, p.Sheet, p.Row, p.Page, p.Line, p.Message}
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

	// Fields that only some events have, each by the name that an intake gives it.
	Repeats string            `json:"repeats,omitempty"` // the rule in words
	People  []personJSON      `json:"people,omitempty"`
	More    map[string]string `json:"more,omitempty"`
}

type personJSON struct {
	Name    string `json:"name,omitempty"`
	Address string `json:"address"`
	Part    string `json:"part"`
}

func eventOf(e *event.Event) *eventJSON {
	if e.When.Start.IsZero() && e.Text(event.Title) == "" {
		return nil
	}
	out := &eventJSON{Title: e.Text(event.Title), AllDay: e.When.AllDay(), Zone: e.When.Start.ZoneName(), Location: e.Text(event.Location), Description: e.Text(event.Description), Status: e.Text(event.Status), Attendees: []string{}, RRule: e.When.Rule}
	for _, p := range e.People() {
		out.Attendees = append(out.Attendees, p.Show())
		part := roles[p.Part]
		if part == "" {
			part = "required"
		}
		out.People = append(out.People, personJSON{p.Name, p.Address, part})
	}
	if r, err := rule.Parse(e.When.Rule); err == nil && e.When.Rule != "" {
		out.Repeats = r.Describe()
	}
	for _, f := range event.Fields() {
		switch f {
		case event.When, event.Title, event.Location, event.Description, event.Status, event.Attendees:
			continue
		}
		if text := e.Shown(f); text != "" {
			if out.More == nil {
				out.More = map[string]string{}
			}
			out.More[f.String()] = text
		}
	}
	out.Start, out.End = e.When.Start.RFC3339(), e.When.EndText()
	if out.AllDay {
		out.End = e.When.LastDay().RFC3339()
	}
	return out
}

type itemJSON struct {
	Outcome  agree.Outcome     `json:"outcome"`
	Row      *rowJSON          `json:"row"`
	Key      string            `json:"key"`
	UID      string            `json:"uid,omitempty"`
	Calendar string            `json:"calendar"`
	Event    *eventJSON        `json:"event,omitempty"`
	Fields   []plan.Difference `json:"fields"`
	Notes    []string          `json:"notes"`
	Reason   string            `json:"reason,omitempty"`

	// Of rows read from running text.
	FromText string          `json:"from_text,omitempty"`
	Reading  []table.Reading `json:"reading,omitempty"`
	Course   []string        `json:"course,omitempty"`
	Proposal *eventJSON      `json:"proposal,omitempty"` // what a held row would have loaded
}

type passedJSON struct {
	Row  *rowJSON `json:"row"`
	Text string   `json:"text"`
	Why  string   `json:"why"`
}

// loadJSON is the fixed shape of a preview or load.
type loadJSON struct {
	Intake string      `json:"intake"`
	Run    string      `json:"run,omitempty"`
	Totals plan.Totals `json:"totals"`
	Past   int         `json:"gone_past,omitempty"`
	Items  []itemJSON  `json:"items"`

	Passed []passedJSON `json:"passed_over,omitempty"`
	Notes  []string     `json:"notes,omitempty"`
	NoGone string       `json:"nothing_removed,omitempty"`

	Zone     string       `json:"zone,omitempty"`     // of times that name none
	ZoneWhy  string       `json:"zone_why,omitempty"` // what said so, where nobody did
	Columns  []columnJSON `json:"columns,omitempty"`  // found by their headings
	Dates    []string     `json:"dates,omitempty"`    // what settled their order of day and month
	Unused   []string     `json:"unused,omitempty"`   // columns that nothing uses
	Remarks  []string     `json:"remarks,omitempty"`  // on the source: what of it was not read, headings within it
	Warnings []errorJSON  `json:"warnings,omitempty"` // on the calendars and the logbook

	Guards  []guardJSON   `json:"guards,omitempty"`
	Written []writtenJSON `json:"written,omitempty"`
	Error   []errorJSON   `json:"error,omitempty"`
}

// columnJSON is a field and the columns that it is read from.
type columnJSON struct {
	Field   string   `json:"field"`
	Columns []string `json:"columns"`
}

// guardJSON is a number of changes that must be allowed.
type guardJSON struct {
	Name  string   `json:"allow"`
	Count int      `json:"count"`
	Of    int      `json:"of"`
	Which []string `json:"keys"`
}

type writtenJSON struct {
	Calendar string `json:"calendar"`
	Events   int    `json:"events"`
}

type errorJSON struct {
	Row     *rowJSON `json:"row,omitempty"`
	Column  string   `json:"column,omitempty"`
	Value   string   `json:"value,omitempty"`
	Message string   `json:"message"`
	Advice  string   `json:"advice,omitempty"`
}

// LoadJSON gives the JSON form of a report. name is the intake's, for a load
// that was stopped before there was a report; err is what stopped it.
func LoadJSON(name string, r *job.Report, err error) any {
	out := loadJSON{Intake: name, Items: []itemJSON{}, Error: errorsJSON(err)}
	if r == nil || r.Plan == nil {
		return out
	}
	out.Run, out.Totals, out.Past, out.Notes, out.NoGone = r.Run, r.Totals, r.Plan.Past, r.Notes, r.NoGone
	out.Zone, out.Dates, out.Unused, out.Remarks, out.Warnings = r.Zone, r.Evidence, r.Unused, r.Remarks, faultsJSON(r.Warnings)
	out.ZoneWhy = cmp.Or(r.ZoneFrom, r.ZoneWhy)
	for _, c := range r.Matched {
		out.Columns = append(out.Columns, columnJSON{c.Field, list(c.Columns)})
	}
	for _, i := range r.Items.All() {
		out.Items = append(out.Items, itemOf(r, &i))
	}
	if r.Running {
		out.Passed = []passedJSON{}
		for _, p := range r.Passed {
			out.Passed = append(out.Passed, passedJSON{placeJSON(p.Place), p.Text, p.Why})
		}
	}
	for _, g := range r.Guards {
		out.Guards = append(out.Guards, guardJSON{g.Name, g.Count, g.Of, list(g.Which)})
	}
	for _, w := range r.Written {
		out.Written = append(out.Written, writtenJSON{w.Calendar, w.Events})
	}
	return out
}

func itemOf(r *job.Report, i *plan.Item) itemJSON {
	item := itemJSON{Outcome: agree.Outcome(strings.ReplaceAll(string(i.Outcome), " ", "_")), Row: placeJSON(i.Row.Place()), Key: i.Key, UID: i.UID, Calendar: i.Calendar, Fields: i.Fields, Notes: list(r.NoteTexts(i.Notes)), Reason: i.Reason}
	if e := r.Plan.Event(i); e != nil {
		item.Event = eventOf(e)
	}
	if item.Fields == nil {
		item.Fields = []plan.Difference{}
	}
	if e := i.Row.Evidence; e != nil {
		item.FromText, item.Reading, item.Course = e.Text, e.Reading, e.Course
		item.Notes = append(item.Notes, e.Notes...)
		if i.Outcome == agree.Held {
			item.Proposal, item.Event = item.Event, nil
		}
	}
	return item
}

func errorsJSON(err error) (out []errorJSON) {
	if err == nil {
		return nil
	}
	var several job.Faults
	if !errors.As(err, &several) {
		several = job.Faults{fault.Of(err)}
	}
	return faultsJSON(several)
}

func faultsJSON(faults []*fault.Fault) (out []errorJSON) {
	for _, f := range faults {
		out = append(out, errorJSON{Row: placeJSON(f.Place), Column: f.Place.Column, Value: f.Value, Message: f.Cause.Error(), Advice: f.Advice})
	}
	return out
}

type findingJSON struct {
	Finding  reconcile.Kind    `json:"finding"`
	Row      *rowJSON          `json:"row"`
	Key      string            `json:"key"`
	UID      string            `json:"uid,omitempty"`
	Calendar string            `json:"calendar"`
	Event    *eventJSON        `json:"event,omitempty"`
	Fields   []plan.Difference `json:"fields"`
	Reason   string            `json:"reason,omitempty"`
}

type reconcileJSON struct {
	From     string           `json:"from"`
	To       string           `json:"to"`
	Endless  bool             `json:"endless,omitempty"`
	Totals   reconcile.Totals `json:"totals"`
	LeftOut  int              `json:"left_out,omitempty"` // rows
	Findings []findingJSON    `json:"findings"`
	Zone     string           `json:"zone,omitempty"`     // of times that name none
	Remarks  []string         `json:"remarks,omitempty"`  // on the source: what of it was not read, headings within it
	Warnings []errorJSON      `json:"warnings,omitempty"` // events that could not be read
}

// ReconcileJSON gives the JSON form of a reconciliation.
func ReconcileJSON(r *job.Reconciliation) any {
	from, to := rangeText(r.Range)
	out := reconcileJSON{from, to, r.Endless, r.Totals, r.LeftOut, []findingJSON{}, r.Zone, r.Remarks, faultsJSON(r.Faults)}
	for _, f := range r.Findings {
		one := findingJSON{Finding: f.Kind, Row: placeJSON(f.Place), Key: f.Key, UID: f.UID, Calendar: f.Calendar, Event: eventOf(&f.Event), Fields: f.Fields, Reason: f.Reason}
		if one.Fields == nil {
			one.Fields = []plan.Difference{}
		}
		out.Findings = append(out.Findings, one)
	}
	return out
}
