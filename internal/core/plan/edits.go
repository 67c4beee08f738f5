package plan

import (
	"cmp"
	"encoding/json"
	"iter"
	"slices"
	"strings"

	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
)

// change is a component to be written. Changes to components of one UID become
// one edit.
type change struct {
	to, from int32        // the calendar it is written to, and the one its object stands in
	object   *ical.Object // that it is a component of; nil for an object that is new
	part     int          // index into the object's components; -1 for a new component
	uid      string
	was      []byte // the component as it stands, where it was read
	text     []byte // nil takes the component away, but for a new component
	fresh    text   // of a new component
	leaving  bool   // the whole object is taken out, as it stands in another calendar
	item     int    // index of the item that it belongs to
}

// editor makes edits of changes.
type editor struct {
	holdings []*Holding
	changes  [][]change // in lists, of which there can be many
	series   bool       // some rows change dates of a series
}

func (e *editor) add(changes ...change) {
	if len(changes) > 0 {
		e.changes = append(e.changes, changes)
	}
}

// sort puts the changes into the order of their items.
func (e *editor) sort() {
	last := -1
	for _, list := range e.changes {
		for i := range list {
			if list[i].item < last {
				all := slices.Concat(e.changes...)
				slices.SortStableFunc(all, func(a, b change) int { return a.item - b.item })
				e.changes = [][]change{all}
				return
			}
			last = list[i].item
		}
	}
}

// place is one object of a calendar.
type place struct {
	to  int32
	uid string
}

// finish gives the plan its edits, in the order of its items, but for events
// that are taken out of a calendar, which come last.
func (e *editor) finish(p *Plan) {
	e.sort()
	at := map[place]int{}
	size := 0
	for _, list := range e.changes {
		size += len(list)
	}
	p.Edits = make([]Edit, 0, size)
	var leaving []Edit
	for c := range e.take() {
		n, known := len(p.Edits), false
		if c.object != nil || e.series { // a new event is an object of its own otherwise
			key := place{c.to, c.uid}
			if n, known = at[key]; !known {
				n = len(p.Edits)
				at[key] = n
			}
		}
		if !known {
			p.Edits = append(p.Edits, e.begin(c))
			if c.object != nil && c.from != c.to {
				leaving = append(leaving, Edit{Kind: MoveOut, Calendar: e.holdings[c.from].Name, UID: c.uid, Before: c.standing(), Needs: n + 1})
			}
		}
		e.change(&p.Edits[n], c)
		p.Items[c.item].Edit = n
	}
	for i := range p.Edits {
		if edit := &p.Edits[i]; edit.Kind == Change && len(edit.standing()) == 0 {
			edit.Kind, edit.After = Remove, nil
		}
	}
	p.Edits = append(p.Edits, leaving...)
}

// take gives the changes one by one. They are gone then.
func (e *editor) take() iter.Seq[*change] {
	return func(yield func(*change) bool) {
		for n, list := range e.changes {
			for i := range list {
				if !yield(&list[i]) {
					return
				}
			}
			e.changes[n] = nil
		}
	}
}

// begin gives the edit of an object in which nothing is changed yet.
func (e *editor) begin(c *change) Edit {
	out := Edit{Kind: Create, Calendar: e.holdings[c.to].Name, UID: c.uid}
	if c.object != nil {
		raws := c.standing()
		out.After = slices.Clone(raws)
		for i := range out.After {
			out.After[i] = e.carried(c, out.After[i])
		}
		if c.from == c.to {
			out.Kind, out.Before = Change, raws
		}
	}
	return out
}

// standing gives the components of the object as they stand.
func (c *change) standing() [][]byte {
	raws := make([][]byte, c.object.Parts())
	for i := range raws {
		if raws[i] = c.was; i != c.part || c.was == nil {
			raws[i] = c.object.Part(i)
		}
	}
	return raws
}

// change puts a component into an edit.
func (e *editor) change(edit *Edit, c *change) {
	switch {
	case edit.Kind == Remove || edit.Kind == MoveOut:
	case c.leaving:
		edit.Kind, edit.After = MoveOut, nil
	case c.part < 0 && c.object == nil && !e.series: // the only one
		edit.fresh = c.fresh
	case c.part < 0:
		edit.After = append(edit.After, c.fresh.plain())
	case c.text != nil:
		edit.After[c.part] = e.carried(c, c.text)
	case e.whole(c):
		edit.Kind, edit.After = Remove, nil
	default: // a gap, so that the other components keep their places
		edit.After[c.part] = nil
	}
}

// whole tells whether taking a component away takes the object away: an event
// goes with its changed occurrences.
func (e *editor) whole(c *change) bool {
	return c.object.Parts() == 1 || !ical.Has(c.object.Part(c.part), "RECURRENCE-ID")
}

// Text gives the components that an edit leaves in the calendar. The list must
// not be changed. That of a new event may use the memory of buf; an error is one of
// the spool.
func (e *Edit) Text(buf []byte) ([][]byte, error) {
	if e.fresh.block == nil {
		return e.standing(), nil
	}
	raw, err := e.fresh.read(buf)
	if err != nil {
		return nil, err
	}
	return [][]byte{raw}, nil
}

// MarshalJSON gives the edit with its text.
func (e Edit) MarshalJSON() ([]byte, error) {
	type plain Edit
	after, err := e.Text(nil)
	if e.fresh.block != nil {
		e.After = after
	}
	out, errOut := json.Marshal(plain(e))
	return out, cmp.Or(err, errOut)
}

// Print gives the checksum of what an edit leaves in the calendar.
func (e *Edit) Print() uint64 {
	if e.fresh.block != nil {
		return e.fresh.print
	}
	return Print(e.standing())
}

// standing gives what After leaves.
func (e *Edit) standing() [][]byte {
	if !slices.ContainsFunc(e.After, func(raw []byte) bool { return raw == nil }) { // nearly always
		return e.After
	}
	return slices.DeleteFunc(slices.Clone(e.After), func(raw []byte) bool { return raw == nil })
}

// carried gives a component as it goes into another calendar: times against a
// zone that only its own calendar defines are brought into UTC, or they would
// mean nothing there.
func (e *editor) carried(c *change, raw []byte) []byte {
	if c.from == c.to {
		return raw
	}
	from, to := e.holdings[c.from].Zones, e.holdings[c.to].Zones
	out := ical.Open(raw)
	changed := false
	for _, name := range []string{"DTSTART", "DTEND", "RECURRENCE-ID", "EXDATE", "RDATE"} {
		out.Rewrite(name, func(l ical.Line) []byte {
			id := l.Param("TZID")
			if id == "" || !private(id, from, to) {
				return l.Whole()
			}
			var values []string
			for _, v := range strings.Split(string(l.Value()), ",") {
				t, err := ical.ParseTime([]byte(v), id, from)
				if err != nil {
					return l.Whole()
				}
				values = append(values, ical.FormatTime(zone.Time{Wall: t.Instant(nil), Form: zone.Absolute}))
			}
			changed = true
			return ical.AppendLine(nil, name, nil, strings.Join(values, ","))
		})
	}
	if !changed {
		return raw
	}
	return out.Bytes()
}

// stuck tells whether a series cannot go into another calendar: its times are in
// a zone that only its own calendar defines, and they follow that zone's changes
// of clocks.
func stuck(raw []byte, from, to ical.Zones) bool {
	if !ical.Has(raw, "RRULE") {
		return false
	}
	start, _ := ical.Open(raw).Find("DTSTART")
	id := start.Param("TZID")
	if id == "" || !private(id, from, to) {
		return false
	}
	z, err := from(id)
	return err == nil && z.OffsetAt(zone.Wall(2026, 1, 1, 0, 0, 0)).Seconds != z.OffsetAt(zone.Wall(2026, 7, 1, 0, 0, 0)).Seconds
}

// private tells whether a zone's name means in one calendar what it does not
// mean in the other.
func private(id string, from, to ical.Zones) bool {
	there, err := from(id)
	if err != nil {
		return false
	}
	here, err := to(id)
	return err != nil || here != there && !here.SameRules(there)
}
