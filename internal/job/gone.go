package job

import (
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
)

// findGone finds the events of this intake whose rows have left the source,
// and does with them what the intake says. Nothing is gone for a row that is
// held, nor while any row lacks its key.
func (l *load) findGone() {
	if l.partial() {
		l.report.NoGone = "only some rows were tried"
		return
	}
	reasons := map[identity.ID]string{}
	for _, o := range l.batch.LeftOut {
		if o.Key != nil && !strings.HasPrefix(o.Reason, "the same as row") {
			reasons[identity.Of(l.in.Identity, o.Key)] = o.Reason
		}
	}
	for n, c := range l.calendars {
		l.findGoneIn(int32(n), c, reasons)
	}
	if l.batch.NoKey && l.in.Gone != "report" {
		l.report.NoGone = "a row has no readable key, so nothing was removed"
	}
}

func (l *load) findGoneIn(place int32, c *placed, reasons map[identity.ID]string) {
	if c.target {
		l.ours += c.matched
	}
	if c.matched == c.Len() && len(reasons) == 0 {
		return // every event of ours has its row
	}
	c.Ours(func(found identity.ID, o *calendar.Object) bool {
		id := found
		fate, present := l.batch.Present(id)
		if present && fate != intake.LeftOutRow {
			return true
		}
		view, err := event.Read(o.Raw, c.Resolve)
		if err != nil || view.Intake != l.in.Identity {
			return true
		}
		if marked, err := uuid.Parse(view.ID); err == nil && marked != id { // found by its UID
			id = marked
			if fate, present = l.batch.Present(id); present && fate != intake.LeftOutRow {
				return true
			}
		}
		if !present && c.target {
			l.ours++
		}
		if !l.in.Past && past(view.When, l.office.Past()) || !l.batch.Mapping.InPeriod(view.When) {
			return true
		}
		l.gone(found, place, o, &view, reasons[id])
		return true
	})
}

// past tells whether an event lies wholly before the present; a series never
// does, as its last occurrence is not worked out here.
func past(s event.Span, now int64) bool {
	return s.Rule == "" && len(s.Extra) == 0 && s.End.Instant(nil) <= now
}

func (l *load) gone(id identity.ID, place int32, o *calendar.Object, view *event.View, leftOut string) {
	c := l.calendars[place]
	item := Item{Outcome: agree.Gone, Key: view.Key, UID: view.UID, Calendar: c.Name(), Title: view.Text(event.Title), Event: view.Event, Reason: "its row is no longer in the source"}
	if l.batch.NoKey {
		item.Reason = "no readable row of the source has its key"
	}
	if leftOut != "" {
		item.Reason = "its row is left out: " + leftOut
	}
	seal := agree.ParseSeal(view.Seal)
	cancelled := view.Text(event.Status) == "cancelled"
	switch {
	case l.in.Gone == "report" || l.batch.NoKey:
	case seal.Edited(&view.Event, c.Resolve):
		item.Reason += "; kept, as someone changed it in the calendar"
	case l.in.Gone == "cancel" && cancelled:
		item.Reason += "; it is cancelled already"
	case l.in.Gone == "cancel":
		item.Reason += "; it is cancelled"
		l.removed++
		e := event.Event{}
		e.SetText(event.Status, "cancelled")
		r := agree.Result{Write: 1 << event.Status, Seal: seal}
		r.Seal.Set(event.Status, &e, &e)
		l.change(c, calendar.Change{ID: id, Old: o, New: rewrite(o.Raw, r, &intake.Wanted{Event: e}, view.Sequence, l.office.Stamp())})
	case l.in.Gone == "delete":
		item.Reason += "; it is deleted"
		l.removed++
		l.change(c, calendar.Change{ID: id, Old: o})
	}
	l.report.Totals.Gone++
	l.report.Items = append(l.report.Items, item)
}

func (l *load) change(to *placed, c calendar.Change) {
	if l.req.Write {
		to.changes = append(to.changes, c)
	}
}

// What --allow can let pass.
const (
	AllowRemoved  = "removed"
	AllowWhen     = "when"
	AllowTitle    = "title"
	AllowIdentity = "identity"
)

// Allowances lists what --allow can let pass.
var Allowances = []string{AllowRemoved, AllowWhen, AllowTitle, AllowIdentity}

// few is how many events may always be removed or moved at once.
const few = 5

// guards are the changes so many at once that they are most likely a mistake
// in the source: each must be allowed with its number.
func (l *load) guards() []*fault.Fault {
	var out []*fault.Fault
	guard := func(what, did string, n, most int) {
		if n > few && n > most && l.req.Allow[what] != n {
			out = append(out, fault.Newf("%d of the %d events of %s would be %s", n, l.ours, l.in.Name, did).Do("if that is right, load again with --allow %s=%d; nothing was written", what, n))
		}
	}
	guard(AllowRemoved, map[string]string{"cancel": "cancelled", "delete": "deleted"}[l.in.Gone]+" as gone", l.removed, l.ours/5)
	guard(AllowWhen, "moved to another time", l.moved[event.When], l.ours/2)
	guard(AllowTitle, "given another title", l.moved[event.Title], l.ours/2)
	return out
}

// checkIdentity stops a load under a new name of rows that the calendar
// already holds under another: they would all be doubled.
func (l *load) checkIdentity() error {
	t := l.report.Totals
	if t.New == 0 || t.New < t.Wanted || l.req.Allow[AllowIdentity] > 0 {
		return nil
	}
	keys := map[string]bool{}
	for i := range l.batch.Rows {
		if fate, id := l.batch.Fate(i); fate == intake.WantedRow && id != (identity.ID{}) {
			keys[l.batch.Mapping.Key(l.batch.Rows[i]).String()] = true
		}
	}
	others := map[string]int{}
	where := ""
	for _, c := range l.calendars {
		if !c.target {
			continue
		}
		c.Ours(func(_ identity.ID, o *calendar.Object) bool {
			if name, key := event.Marks(o.Raw); name != l.in.Identity && keys[key] {
				others[name]++
				where = c.Name()
			}
			return true
		})
	}
	names := make([]string, 0, len(others))
	for name, n := range others {
		if n*2 >= len(keys) {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return nil
	}
	slices.Sort(names)
	return fault.Newf("calendar %s already holds %d of these keys under the identity %q, and none under %q: loading would double them", where, others[names[0]], names[0], l.in.Identity).
		Do("set identity: %s in the intake, or give --name %s; if they really are other events, give --allow identity=1", names[0], names[0])
}

// differences lists what a result says of each field, the time as the start,
// end and so on that differ.
func differences(r agree.Result, wanted, current *event.Event, seal *agree.Seal, zones func(string) (*zone.Zone, error)) []Difference {
	var out []Difference
	for _, f := range r.Fields {
		if f.Outcome == agree.Same {
			continue
		}
		if f.Field != event.When {
			out = append(out, Difference{Field: f.Field.String(), Wanted: wanted.Shown(f.Field), Calendar: current.Shown(f.Field), Outcome: f.Outcome})
			continue
		}
		last, known := seal.Last(zones)
		for _, d := range SpanDifferences(wanted.When, current.When) {
			d.Outcome = f.Outcome
			if known {
				w := spanPart(last, d.Field)
				d.Wrote = &w
			}
			out = append(out, d)
		}
	}
	return out
}

var spanParts = []string{"start", "end", "all_day", "zone", "repeat", "also", "except"}

func spanPart(s event.Span, part string) string {
	switch part {
	case "start":
		return s.Start.RFC3339()
	case "end":
		if s.AllDay() {
			return s.LastDay().RFC3339()
		}
		return s.End.RFC3339()
	case "all_day":
		return fmt.Sprint(s.AllDay())
	case "zone":
		return s.Start.ZoneName()
	case "also":
		return strings.Join(s.Extra, ", ")
	case "except":
		return strings.Join(s.Except, ", ")
	}
	return s.Rule
}

// SpanDifferences lists the parts in which two spans differ, times as the
// wanted side's zone shows them.
func SpanDifferences(wanted, current event.Span) []Difference {
	if wanted.Start.Form == zone.Local && current.Rule == "" {
		current.Start, current.End = current.Start.InZone(wanted.Start.Zone), current.End.InZone(wanted.Start.Zone)
	}
	var out []Difference
	for _, part := range spanParts {
		a, b := spanPart(wanted, part), spanPart(current, part)
		if a != b {
			out = append(out, Difference{Field: part, Wanted: a, Calendar: b, Time: part == "start" || part == "end"})
		}
	}
	return out
}
