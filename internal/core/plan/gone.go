package plan

import (
	"strings"

	"github.com/google/uuid"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
)

// gone finds the events of this intake whose rows have left the source, and
// does with them what the intake says. Nothing is gone for a row that is held.
// Nothing is taken out of a calendar while any row lacks a readable key, or
// while rows are hidden.
func (m *maker) gone() {
	if m.Selected != nil {
		m.plan.NoGone = "only some rows were tried"
		m.count()
		return
	}
	if m.Apart {
		m.count()
		return
	}
	reasons := map[identity.ID]string{}
	for _, o := range m.Batch.LeftOut {
		if o.Key != nil && o.Why != intake.IsRepeated && o.Why != intake.IsHidden {
			reasons[identity.Of(m.Intake.Identity, o.Key)] = o.Reason
		}
	}
	g := goner{maker: m, reasons: reasons, why: m.noGone()}
	for n, h := range m.Holdings {
		h.Ours(func(f *Found) bool {
			g.event(int32(n), f)
			return true
		})
	}
	if g.why != "" && m.Intake.Gone != "report" && m.plan.Totals.Gone > 0 {
		m.plan.NoGone = g.why + ", so nothing was removed"
	}
}

// count counts the events of this intake in its calendars, for the guards.
func (m *maker) count() {
	var texts ical.Window
	for _, h := range m.Holdings {
		h.Ours(func(f *Found) bool {
			if name, _ := event.Marks(f.Glance(&texts)); name == m.Intake.Identity {
				m.ours++
			}
			return true
		})
	}
}

// noGone says why nothing may be removed, "" when it may.
func (m *maker) noGone() string {
	switch {
	case m.NoGone != "":
		return m.NoGone
	case m.Batch.NoKey:
		return "a row has no readable key"
	case m.Batch.Hidden > 0:
		return "rows are hidden in the sheet"
	}
	return ""
}

// markedID gives the ID that an event is marked with.
func markedID(v *event.View) (identity.ID, bool) {
	id, err := uuid.Parse(v.ID)
	return id, err == nil
}

type goner struct {
	*maker
	reasons map[identity.ID]string // why rows were left out
	why     string                 // why nothing may be removed
}

// event looks at one event of ours.
func (g *goner) event(place int32, f *Found) {
	h := g.Holdings[place]
	if fate, present := g.present(place, f); present && fate != intake.LeftOutRow {
		g.ours++
		return
	}
	view, err := event.Read(f.Raw(), h.Zones)
	if err != nil || view.Intake != g.Intake.Identity {
		return
	}
	id := f.ID
	if marked, ok := markedID(&view); ok { // found by its UID
		id = marked
	}
	g.ours++
	if fate, present := g.Batch.Present(id); present && fate != intake.LeftOutRow || g.claimed[f.ID] != "" {
		return
	}
	if !g.Batch.Mapping.InPeriod(view.When) {
		return
	}
	if !g.Intake.Past && past(view.When, g.now) {
		g.plan.Past++
		if !g.Past {
			return
		}
		g.report(place, f, &view, g.reasons[id], nil, "; it is past")
		return
	}
	g.take(place, f, &view, g.reasons[id])
}

// awaited tells whether an event may be that of a row which is held until
// someone says so.
func (g *goner) awaited(f *Found) bool {
	for i, o := range g.likely {
		if fate, _ := g.Batch.Fate(i); o.found.ID == f.ID && fate == intake.HeldRow {
			return true
		}
	}
	return false
}

// past tells whether an event lies wholly before the present; a series never
// does, as its last occurrence is not worked out here.
func past(s event.Span, now int64) bool {
	return s.Rule == "" && len(s.Extra) == 0 && s.End.Instant(nil) <= now
}

// take does with an event that is gone what the intake says.
func (g *goner) take(place int32, f *Found, view *event.View, leftOut string) {
	h := g.Holdings[place]
	seal := agree.ParseSeal(view.Seal)
	worked := ""
	if h.overrides(f) > 0 {
		worked = "someone changed occurrences of it"
	} else if added := event.Added(f.Raw()); len(added) > 0 {
		worked = "it has " + strings.Join(added, " and ") + " of others"
	}
	if g.Remove[view.Key] && g.why == "" { // asked for by name
		g.removed = append(g.removed, view.Key)
		g.report(place, f, view, leftOut, f.change(place, place, nil), "; it is deleted, as you asked")
		return
	}
	switch {
	case g.Intake.Gone == "report" || g.why != "" || g.awaited(f):
		g.report(place, f, view, leftOut, nil, "")
	case seal.Edited(&view.Event, h.Zones):
		g.report(place, f, view, leftOut, nil, "; kept, as someone changed it in the calendar (--remove "+quoted(view.Key)+" deletes it)")
	case (g.Intake.Gone == "cancel" || worked != "") && view.Text(event.Status) == "cancelled":
		g.report(place, f, view, leftOut, nil, "; it is cancelled already")
	case g.Intake.Gone == "cancel":
		g.cancel(place, f, view, leftOut, "; it is cancelled")
	case worked != "":
		g.cancel(place, f, view, leftOut, "; it is cancelled and not deleted, as "+worked+" (--remove "+quoted(view.Key)+" deletes it)")
	default:
		g.removed = append(g.removed, view.Key)
		g.report(place, f, view, leftOut, f.change(place, place, nil), "; it is deleted")
	}
}

func (g *goner) cancel(place int32, f *Found, view *event.View, leftOut, did string) {
	g.removed = append(g.removed, view.Key)
	w := intake.Wanted{}
	w.Event.SetText(event.Status, "cancelled")
	r := agree.Result{Write: 1 << event.Status, Seal: agree.ParseSeal(view.Seal)}
	r.Seal.Set(event.Status, &w.Event, &w.Event)
	text := rewrite(f.Raw(), &r, &w, view.Sequence, g.Stamp, nil, keepZones)
	g.report(place, f, view, leftOut, f.change(place, place, text), did)
}

// report files an event that is gone, and what is done with it.
func (g *goner) report(place int32, f *Found, view *event.View, leftOut string, c *change, did string) {
	for i, o := range g.likely {
		if o.found.ID == f.ID && o.place == place && c == nil {
			did = "; it may be the one of row " + g.Batch.Mapping.Key(g.Batch.Rows.At(i)).String() + ", renumbered"
		}
	}
	reason := "its row is no longer in the source"
	switch {
	case leftOut != "":
		reason = "its row is left out: " + leftOut
	case g.Batch.NoKey:
		reason = "no readable row of the source has its key"
	}
	if c != nil {
		c.item = int32(g.plan.Items.Len())
		g.edits.add(*c)
	}
	g.plan.Totals.count(agree.Gone)
	g.plan.Items.Add(Item{Outcome: agree.Gone, Key: view.Key, UID: view.UID, Calendar: g.Holdings[place].Name, Title: view.Text(event.Title), Event: &view.Event, Reason: reason + did, Edit: -1})
}
