package job

import (
	"bytes"
	"encoding/gob"
	"path/filepath"
	"slices"
	"time"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/intake"
	"almanach/internal/core/match"
	"almanach/internal/core/plan"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
)

// settled is what a load comes to that finds nothing to write: the last one did, or wrote
// all that there was. A load that is asked for the same, of files that have the same bytes,
// comes to the same: it says so without reading a row.
type settled struct {
	Digest digest
	Size   int64 // of all files, so that a change of it is seen without reading them

	Intake, Identity  string
	Totals            plan.Totals
	Items             []settledItem
	Origins           []table.Origin // that items are of
	NoGone            string
	Past              int
	Assumed           map[string][]int
	Notes, Texts      []string
	Names             []string
	Own               string
	Source            table.Origin
	Sources           Sources
	Calendars         []string
	Matched           []match.Choice
	Unused, Evidence  []string
	Zone              string
	ZoneFrom, ZoneWhy string
	Remarks           []string
}

// settledItem is a plan.Item that writes nothing.
type settledItem struct {
	Outcome            agree.Outcome
	Origin             int // of settled.Origins; -1 for none
	Number, Line, Page int32
	Key, UID, Calendar string
	Title, Reason      string
	Fields             []plan.Difference
	Notes              intake.Notes
	When               string   // of its event; "" where it has none
	Event              []string // the event's other fields
	Given              event.Set
}

// recall looks whether a load is settled, and if so makes its report. Whatever
// stands in the way of knowing it is no problem: the load does its work.
func (l *load) recall() bool {
	l.began = time.Now()
	if l.files = l.dependences(); l.files == nil {
		return false
	}
	var err error
	if l.memory, err = l.record.book.MemoryPrint(l.in.Identity); err != nil {
		l.files = nil
		return false
	}
	kept, err := l.record.book.Settled(l.in.Identity)
	if err != nil || len(kept) == 0 {
		return false
	}
	var s settled
	if gob.NewDecoder(bytes.NewReader(kept)).Decode(&s) != nil || s.Size != sizeOf(l.files) {
		return false
	}
	if unended, err := l.record.book.Unended(l.in.Identity); err != nil || len(unended) > 0 {
		return false
	}
	if d, err := l.digestOf(l.files); err != nil || d != s.Digest {
		return false
	}
	l.report = s.report(l.office.Zones)
	return true
}

// settle keeps what the same load will come to from now on, where that is known and
// nothing is written. It only saves time, so what stands in its way is no problem.
func (l *load) settle() {
	if l.files == nil || l.report.Stopped {
		return
	}
	s := l.settled()
	if s == nil {
		return
	}
	memory, err := l.record.book.MemoryPrint(l.in.Identity)
	if err != nil || memory != l.memory && len(l.report.Edits) == 0 {
		return
	}
	l.memory = memory
	files := l.left()
	if !slices.EqualFunc(files, l.files, dependence.like) {
		return
	}
	for _, f := range files { // one that was just written may be written again unseen
		if f.info != nil && f.sum == (calendar.Sum{}) && l.began.Sub(f.info.ModTime()) < grain {
			return
		}
	}
	s.Size = sizeOf(files)
	if s.Digest, err = l.digestOf(files); err != nil {
		return
	}
	if again := l.left(); !slices.EqualFunc(again, files, dependence.like) {
		return
	}
	var kept bytes.Buffer
	if gob.NewEncoder(&kept).Encode(s) == nil && kept.Len() <= mostSettled {
		_ = l.record.book.Settle(l.in.Identity, kept.Bytes())
	}
}

// left lists the files that the outcome of a load depends on as the load leaves them:
// what it wrote is what it wrote, whatever stands there by now.
func (l *load) left() []dependence {
	files := l.dependences()
	for _, c := range l.calendars {
		wrote, ok := c.Backend.(calendar.Summed)
		if !ok {
			continue
		}
		if n := slices.IndexFunc(files, func(d dependence) bool { return d.path == c.spec.Path() }); n >= 0 {
			files[n].sum = wrote.Wrote()
		}
	}
	return files
}

// mostSettled is how many octets are kept of one load at most.
const mostSettled = 1 << 20

// settled gives what is to be kept of a report, nil where it could be another one
// tomorrow though nothing changed, or has more to say than is kept.
func (l *load) settled() *settled {
	r, p := l.report, l.report.Plan
	if len(p.Guards)+len(r.Warnings)+len(r.Passed) > 0 || r.Running || r.Settled || slices.ContainsFunc(p.Edits, func(e plan.Edit) bool { return !e.Done }) {
		return nil
	}
	if len(p.Edits) > 0 {
		if p = p.Next(); p == nil {
			return nil
		}
	}
	known := func(c *opened) bool {
		return slices.ContainsFunc(l.files, func(d dependence) bool { return d.path == c.spec.Path() || filepath.Dir(d.path) == c.spec.Folder })
	}
	for _, c := range l.calendars {
		if c.spec.Server.URL != "" || !known(c) {
			return nil
		}
	}
	s := &settled{
		Intake: p.Intake, Identity: p.Identity, Totals: p.Totals, NoGone: p.NoGone, Past: p.Past, Assumed: p.Assumed, Notes: p.Notes, Texts: p.Texts, Names: p.Names, Own: p.Own,
		Source: r.Source, Sources: r.Sources, Calendars: r.Calendars, Matched: r.Matched, Unused: r.Unused, Evidence: r.Evidence, Zone: r.Zone, ZoneFrom: r.ZoneFrom, ZoneWhy: r.ZoneWhy, Remarks: r.Remarks,
	}
	for _, i := range p.Items.All() {
		if i.Recurrence != nil || i.Row.Evidence != nil || i.Edit >= 0 || i.Outcome == agree.Gone && l.passing(i.Event.When) {
			return nil
		}
		kept := settledItem{Outcome: i.Outcome, Origin: -1, Number: i.Row.Number, Line: i.Row.Line, Page: i.Row.Page, Key: i.Key, UID: i.UID, Calendar: i.Calendar, Title: i.Title, Reason: i.Reason, Fields: i.Fields, Notes: i.Notes}
		if o := i.Row.Origin; o != nil {
			if kept.Origin = slices.Index(s.Origins, *o); kept.Origin < 0 {
				kept.Origin, s.Origins = len(s.Origins), append(s.Origins, *o)
			}
		}
		if i.Event != nil {
			kept.When, kept.Given = i.Event.When.String(), i.Event.Given
			for _, f := range event.Fields() {
				kept.Event = append(kept.Event, i.Event.Text(f))
			}
			if again := kept.event(l.office.Zones); again == nil || again.When.Start.RFC3339() != i.Event.When.Start.RFC3339() || again.When.End.RFC3339() != i.Event.When.End.RFC3339() {
				return nil // a zone of the calendar's own
			}
		}
		s.Items = append(s.Items, kept)
	}
	return s
}

// passing tells whether an event will be past when the day is over, and is not yet.
func (l *load) passing(s event.Span) bool {
	end, now := s.End.Instant(nil), l.office.Now.Unix()
	return end > now && end <= now+2*86400
}

// event makes the event of an item again, nil where its time cannot be read.
func (i *settledItem) event(zones *zone.Book) *event.Event {
	when, err := event.ParseSpan(i.When, zones.Find)
	if err != nil {
		return nil
	}
	out := &event.Event{When: when}
	for f, text := range i.Event {
		if f := event.Field(f); f != event.When {
			out.SetText(f, text)
		}
	}
	out.Given = i.Given
	return out
}

// report makes the report again.
func (s *settled) report(zones *zone.Book) *Report {
	p := &plan.Plan{Intake: s.Intake, Identity: s.Identity, Totals: s.Totals, NoGone: s.NoGone, Past: s.Past, Assumed: s.Assumed, Notes: s.Notes, Texts: s.Texts, Names: s.Names, Own: s.Own}
	for _, i := range s.Items {
		row := plan.RowPlace{Number: i.Number, Line: i.Line, Page: i.Page}
		if i.Origin >= 0 {
			row.Origin = &s.Origins[i.Origin]
		}
		item := plan.Item{Outcome: i.Outcome, Row: row, Key: i.Key, UID: i.UID, Calendar: i.Calendar, Title: i.Title, Fields: i.Fields, Notes: i.Notes, Reason: i.Reason, Edit: -1}
		if i.When != "" {
			item.Event = i.event(zones)
		}
		p.Items.Add(item)
	}
	return &Report{Plan: p, Settled: true, Source: s.Source, Sources: s.Sources, Calendars: s.Calendars, Matched: s.Matched, Unused: s.Unused, Evidence: s.Evidence, Zone: s.Zone, ZoneFrom: s.ZoneFrom, ZoneWhy: s.ZoneWhy, Remarks: s.Remarks}
}
