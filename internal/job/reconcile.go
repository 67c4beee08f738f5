package job

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/plan"
	"almanach/internal/core/reconcile"
	"almanach/internal/core/recur"
	"almanach/internal/core/rule"
	"almanach/internal/core/zone"
)

// Finding is one thing that reconciling has to say.
type Finding struct {
	Kind     reconcile.Kind
	Place    fault.Place // of the row, zero without one
	Key      string
	UID      string
	Calendar string
	Title    string
	Event    event.Event // as the calendar has it, or else the source
	Fields   []plan.Difference
	Reason   string
}

// Reconciliation is the whole of what was found.
type Reconciliation struct {
	Intake    string
	Sources   Sources
	Calendars []string
	Range     Range
	Totals    reconcile.Totals
	Findings  []Finding
	LeftOut   int
	Faults    []*fault.Fault // events of the calendar that could not be read
	Zone      string
	Remarks   []string // what is to be said of the source: what of it was not read
	Endless   bool     // a series of the source has no end, and is compared for a year from today
}

// Left tells whether the two sides disagree anywhere.
func (r *Reconciliation) Left() bool { return len(r.Findings) > 0 || len(r.Faults) > 0 }

// calendarEvent is an event of the calendar in the range.
type calendarEvent struct {
	id          identity.ID
	place       int32
	view        *event.View
	occurrences int
	used        bool
}

// Reconcile compares a source with its calendar in a range, on what both say
// now and without regard to what was loaded before. Without any end given the
// range is all the time that the source speaks of.
func Reconcile(ctx context.Context, office *Office, req LoadRequest, asked *Range) (*Reconciliation, error) {
	req.Write = false
	l, err := open(ctx, office, req)
	if err != nil {
		return nil, err
	}
	defer l.close()
	out := &Reconciliation{Intake: l.in.Name, Sources: l.report.Sources, Calendars: l.report.Calendars, Zone: l.report.Zone}
	r := reconciler{load: l, out: out, byID: map[placedID]*calendarEvent{}}
	out.Faults = append(out.Faults, l.report.Warnings...)
	if asked != nil { // what lies outside of the range need not be kept
		out.Range = *asked
		if err := r.readCalendar(ctx); err != nil {
			return nil, err
		}
	}
	rows, spans, err := r.mapAll(ctx)
	if err != nil {
		return nil, err
	}
	if asked == nil {
		if out.Range, err = r.spokenOf(spans); err != nil {
			return nil, err
		}
		if err := r.readCalendar(ctx); err != nil {
			return nil, err
		}
	}
	for i := range rows {
		r.row(&rows[i])
	}
	r.held()
	r.rest()
	if err := l.intact(); err != nil {
		return nil, err
	}
	out.LeftOut, out.Remarks = len(l.batch.LeftOut), l.report.Remarks
	order := []reconcile.Kind{reconcile.Held, reconcile.Missing, reconcile.Differs, reconcile.Gone, reconcile.Twin, reconcile.Stray}
	slices.SortStableFunc(out.Findings, func(a, b Finding) int {
		return cmp.Or(slices.Index(order, a.Kind)-slices.Index(order, b.Kind), out.Sources.compare(a.Place, b.Place))
	})
	return out, out.Totals.Check()
}

// mappedRow is a wanted row with its event.
type mappedRow struct {
	index  int
	id     identity.ID
	wanted intake.Wanted
}

// alike is equal for two events of one calendar that look like one.
func (e *calendarEvent) alike() string {
	return strconv.Itoa(int(e.place)) + reconcile.Alike(&e.view.Event)
}

// mapAll maps every wanted row, side by side, and keeps those that matter: all, or,
// where the range is known, those that are in it on either side. It gives the spans
// of all where the range is not known.
func (r *reconciler) mapAll(ctx context.Context) (rows []mappedRow, spans []event.Span, err error) {
	type part struct {
		rows    []mappedRow
		spans   []event.Span
		held    map[int]*fault.Fault
		outside []int
	}
	known := r.out.Range.To > 0
	parts, err := InParts(ctx, r.batch.Rows.Len(), 2048, func() func(from, to int) part {
		mapper := r.batch.Mapping.Mapper()
		var w intake.Wanted
		return func(from, to int) (out part) {
			for i := from; i < to; i++ {
				fate, id := r.batch.Fate(i)
				if fate != intake.WantedRow {
					continue
				}
				mapped, brief := r.batch.Map, known && !r.met(i, id) // most are outside of the range
				if brief {
					mapped = r.batch.Brief
				}
				if f := mapped(mapper, i, &w); f != nil {
					if out.held == nil {
						out.held = map[int]*fault.Fault{}
					}
					out.held[i] = f
					continue
				}
				if !w.Cancel && !mapper.InPeriod(w.Event.When) {
					out.outside = append(out.outside, i)
					continue
				}
				switch {
				case !known && !w.Cancel:
					out.spans = append(out.spans, w.Event.When)
				case brief && (w.Cancel || !r.wantedIn(w.Event.When)):
					continue
				case brief:
					_ = r.batch.Map(mapper, i, &w) // it has not failed
				}
				out.rows = append(out.rows, mappedRow{i, id, w})
				w = intake.Wanted{}
			}
			return out
		}
	})
	if err != nil {
		return nil, nil, err
	}
	for _, p := range parts {
		rows, spans = append(rows, p.rows...), append(spans, p.spans...)
		for _, i := range slices.Sorted(maps.Keys(p.held)) {
			r.batch.Hold(i, p.held[i])
		}
		for _, i := range p.outside {
			r.batch.Leave(i, intake.OutsidePeriod)
		}
	}
	return rows, spans, nil
}

// met tells whether the calendar has an event of a row in the range.
func (r *reconciler) met(i int, id identity.ID) bool {
	for _, place := range r.placesOf(i) {
		if r.byID[placedID{place, id}] != nil || r.unmarked && r.byID[placedID{place, identity.Copy(id, r.calendars[place].spec.Name)}] != nil {
			return true
		}
	}
	return false
}

// spokenOf is all the time that the rows speak of, and a week where there is none.
func (r *reconciler) spokenOf(spans []event.Span) (Range, error) {
	out, f := r.office.ParseRange("", "")
	if f != nil {
		return out, f
	}
	if len(spans) == 0 {
		return out, nil
	}
	today := zone.Civil(zone.Midnight(out.View.Wall(r.office.Now.Unix())))
	horizon, _ := out.View.Instant(today.AddDate(1, 0, 0).Unix())
	out.From, out.To = spans[0].Start.Instant(out.View), math.MinInt64
	for _, s := range spans {
		end, endless := r.lastEnd(s, out.View, horizon)
		r.out.Endless = r.out.Endless || endless
		out.From, out.To = min(out.From, s.Start.Instant(out.View)), max(out.To, end)
	}
	out.To = max(out.To, out.From+1)
	return out, nil
}

// lastEnd is the instant at which the last occurrence of a wanted event ends. Of a
// series without an end it is the last before the horizon.
func (r *reconciler) lastEnd(s event.Span, view *zone.Zone, horizon int64) (end int64, endless bool) {
	end = max(s.End.Instant(view), s.Start.Instant(view)+1) // what has no length takes place too
	if s.Rule == "" && len(s.Extra) == 0 {
		return end, false
	}
	w := recur.Window{From: s.Start.Instant(view), To: math.MaxInt32 * 4, View: view}
	if parsed, err := rule.Parse(s.Rule); s.Rule != "" && err == nil && parsed.Count == 0 && parsed.Until.IsZero() {
		w.To, endless = horizon, true
	}
	probe, err := recur.Read([][]byte{plan.Probe(s)}, r.office.Zones.Find)
	if err == nil {
		_ = probe.In(w, func(o recur.Occurrence) { end = max(end, o.Span.End.Instant(view)) }) // what cannot be expanded is said where it is compared
	}
	return end, endless
}

type reconciler struct {
	*load
	out    *Reconciliation
	events []*calendarEvent
	byID   map[placedID]*calendarEvent

	unmarked bool // an event of byID is known by its UID alone, which may be that of a copy
}

// placedID is an identity in one calendar.
type placedID struct {
	place int32
	id    identity.ID
}

// readCalendar finds the calendar's events with occurrences in the range.
func (r *reconciler) readCalendar(ctx context.Context) error {
	for n, c := range r.calendars {
		if !c.holding.Target {
			continue
		}
		err := occurrencesOf(ctx, c.objects, c.Zones(), c.spec, r.out.Range, func(s *recur.Series, found []recur.Occurrence) {
			r.event(int32(n), s, found)
		}, func(f *fault.Fault) { r.out.Faults = append(r.out.Faults, f) })
		if err != nil {
			return err
		}
	}
	return nil
}

// event takes in one event of a calendar with its occurrences in the range.
func (r *reconciler) event(place int32, s *recur.Series, found []recur.Occurrence) {
	view := s.Master()
	if view == nil {
		view = found[0].View
	}
	e := &calendarEvent{view: view, place: place, occurrences: len(found)}
	mark := view.ID
	if mark == "" {
		mark, r.unmarked = view.UID, true
	}
	if id, err := uuid.Parse(mark); err == nil && r.byID[placedID{place, id}] == nil {
		e.id = id
		r.byID[placedID{place, id}] = e
	}
	r.events = append(r.events, e)
	r.out.Totals.Calendar.Events++
	r.out.Totals.Calendar.Occurrences += len(found)
}

// row settles one wanted row that is in the range on either side, in each of
// its calendars.
func (r *reconciler) row(m *mappedRow) {
	for _, place := range r.placesOf(m.index) {
		r.placedRow(m, place)
	}
}

func (r *reconciler) placedRow(m *mappedRow, place int32) {
	c := r.calendars[place]
	current := r.byID[placedID{place, m.id}]
	if current == nil {
		current = r.byID[placedID{place, identity.Copy(m.id, c.spec.Name)}]
	}
	inRange := !m.wanted.Cancel && r.wantedIn(m.wanted.Event.When)
	if current == nil && !inRange {
		return
	}
	at := r.batch.Rows.Place(m.index)
	key := r.batch.Mapping.Key(r.batch.Rows.At(m.index)).String()
	t := &r.out.Totals
	old := c.holding.Row(m.id)
	var view *event.View
	if current != nil {
		view = current.view
		current.used = true
	} else if old.Object != nil { // in the calendar, but outside of the range, or one date of a series
		if v, err := event.Read(old.Raw(), c.Zones()); err == nil {
			view = &v
		}
	}
	t.Source.Rows++
	if view == nil {
		t.Source.Missing++
		r.out.Findings = append(r.out.Findings, Finding{Kind: reconcile.Missing, Place: at, Key: key, UID: m.id.String(), Calendar: c.spec.Name, Title: m.wanted.Event.Text(event.Title), Event: m.wanted.Event, Reason: "in the source, not in the calendar"})
		return
	}
	if old.Object != nil {
		view.Attune(&m.wanted.Event, old.Raw())
	}
	fields := reconcile.Differ(&m.wanted.Event, &view.Event)
	if len(fields) == 0 {
		t.Source.Agrees++
		if current != nil {
			t.Calendar.Agrees++
		}
		return
	}
	t.Source.Differs++
	if current != nil {
		t.Calendar.Differs++
	}
	f := Finding{Kind: reconcile.Differs, Place: at, Key: key, UID: view.UID, Calendar: c.spec.Name, Title: view.Text(event.Title), Event: view.Event}
	for _, field := range fields {
		if field == event.When {
			f.Fields = append(f.Fields, plan.SpanDifferences(m.wanted.Event.When, view.When)...)
			continue
		}
		f.Fields = append(f.Fields, plan.Difference{Field: field.String(), Wanted: m.wanted.Event.Shown(field), Calendar: view.Shown(field)})
	}
	r.out.Findings = append(r.out.Findings, f)
}

// wantedIn tells whether a wanted event takes place in the range.
func (r *reconciler) wantedIn(s event.Span) bool {
	if s.Rule == "" && len(s.Extra) == 0 && len(s.Except) == 0 {
		return r.out.Range.Window().Overlaps(s)
	}
	found := false
	probe, err := recur.Read([][]byte{plan.Probe(s)}, r.office.Zones.Find)
	if err == nil {
		err = probe.In(r.out.Range.Window(), func(recur.Occurrence) { found = true })
	}
	return found || err != nil
}

// held lists the rows that cannot be compared; without a date that can be
// read they count in every range.
func (r *reconciler) held() {
	for _, h := range r.batch.Held {
		r.out.Totals.Source.Rows++
		r.out.Totals.Source.Held++
		r.out.Findings = append(r.out.Findings, Finding{Kind: reconcile.Held, Place: h.Fault.Place, Key: h.Key.String(), Calendar: r.calendarOf(h.Row), Reason: h.Fault.Reason()})
	}
}

// rest settles the calendar's events that no row answered for.
func (r *reconciler) rest() {
	alike := map[string]*calendarEvent{}
	for _, e := range r.events {
		if k := e.alike(); alike[k] == nil || (e.used && !alike[k].used) {
			alike[k] = e
		}
	}
	heldIDs := map[identity.ID]bool{}
	for _, h := range r.batch.Held {
		if h.Key != nil {
			heldIDs[identity.Of(r.in.Identity, h.Key)] = true
		}
	}
	leftOut := map[identity.ID]string{}
	for _, o := range r.batch.LeftOut {
		if o.Key != nil && o.Why != intake.IsRepeated {
			leftOut[identity.Of(r.in.Identity, o.Key)] = o.Reason
		}
	}
	t := &r.out.Totals.Calendar
	for _, e := range r.events {
		if e.used {
			continue
		}
		f := Finding{Key: e.view.Key, UID: e.view.UID, Calendar: r.calendars[e.place].spec.Name, Title: e.view.Text(event.Title), Event: e.view.Event}
		switch other := alike[e.alike()]; {
		case other != e:
			f.Kind, f.Reason = reconcile.Twin, "looks like event "+other.view.UID
			if other.view.Key != "" {
				f.Reason = "looks like the event of key " + other.view.Key
			}
			t.Twin++
		case e.view.Intake == r.in.Identity && heldIDs[e.id]:
			f.Kind, f.Reason = reconcile.Differs, "its row is held"
			t.Differs++
		case e.view.Intake == r.in.Identity:
			f.Kind, f.Reason = reconcile.Gone, "its row is no longer in the source"
			if r.more != "" {
				f.Reason = "its row is not in this part of the source"
			}
			if why := leftOut[e.id]; why != "" {
				f.Reason = "its row is left out: " + why
			}
			t.Gone++
		default:
			f.Kind, f.Reason = reconcile.Stray, "not from this source"
			if e.view.Intake != "" {
				f.Reason = fmt.Sprintf("from intake %s", e.view.Intake)
			}
			t.Stray++
		}
		r.out.Findings = append(r.out.Findings, f)
	}
}

// calendarOf names the calendars of a row that is not loaded, as far as it
// says.
func (l *load) calendarOf(i int) string {
	var names []string
	for _, n := range l.placesOf(i) {
		names = append(names, l.calendars[n].spec.Name)
	}
	return strings.Join(names, ", ")
}
