package plan

import (
	"slices"

	"almanach/internal/core/ical"
)

// change is a component to be written. Changes to components of one UID become
// one edit.
type change struct {
	to, from int32        // the calendar it is written to, and the one its object stands in
	object   *ical.Object // that it is a component of; nil for an object that is new
	part     int          // index into the object's components; -1 for a new component
	uid      string
	text     []byte // nil takes the component away
	leaving  bool   // the whole object is taken out, as it stands in another calendar
	item     int    // index of the item that it belongs to
}

// editor makes edits of changes.
type editor struct {
	holdings []*Holding
	changes  []change
}

func (e *editor) add(c change) { e.changes = append(e.changes, c) }

// sort puts the changes into the order of their items.
func (e *editor) sort() {
	byItem := func(a, b change) int { return a.item - b.item }
	if !slices.IsSortedFunc(e.changes, byItem) {
		slices.SortStableFunc(e.changes, byItem)
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
	at := make(map[place]int, len(e.changes))
	p.Edits = make([]Edit, 0, len(e.changes))
	var leaving []Edit
	for _, c := range e.changes {
		key := place{c.to, c.uid}
		n, known := at[key]
		if !known {
			n = len(p.Edits)
			at[key] = n
			p.Edits = append(p.Edits, e.begin(c))
			if c.object != nil && c.from != c.to {
				leaving = append(leaving, Edit{Kind: MoveOut, Calendar: e.holdings[c.from].Name, UID: c.uid, Before: c.object.Raws, Needs: n + 1})
			}
		}
		e.change(&p.Edits[n], c)
		p.Items[c.item].Edit = n
	}
	for i := range p.Edits {
		if edit := &p.Edits[i]; edit.Kind == Change && len(edit.Text()) == 0 {
			edit.Kind, edit.After = Remove, nil
		}
	}
	p.Edits = append(p.Edits, leaving...)
}

// begin gives the edit of an object in which nothing is changed yet.
func (e *editor) begin(c change) Edit {
	out := Edit{Kind: Create, Calendar: e.holdings[c.to].Name, UID: c.uid}
	if c.object != nil {
		out.After = slices.Clone(c.object.Raws)
		if c.from == c.to {
			out.Kind, out.Before = Change, c.object.Raws
		}
	}
	return out
}

// change puts a component into an edit.
func (e *editor) change(edit *Edit, c change) {
	switch {
	case edit.Kind == Remove || edit.Kind == MoveOut:
	case c.leaving:
		edit.Kind, edit.After = MoveOut, nil
	case c.part < 0:
		edit.After = append(edit.After, c.text)
	case c.text != nil:
		edit.After[c.part] = c.text
	case e.whole(c):
		edit.Kind, edit.After = Remove, nil
	default: // a gap, so that the other components keep their places
		edit.After[c.part] = nil
	}
}

// whole tells whether taking a component away takes the object away: an event
// goes with its changed occurrences.
func (e *editor) whole(c change) bool {
	return len(c.object.Raws) == 1 || !ical.Has(c.object.Raws[c.part], "RECURRENCE-ID")
}

// Text gives the components that an edit leaves in the calendar.
func (e *Edit) Text() [][]byte {
	return slices.DeleteFunc(slices.Clone(e.After), func(raw []byte) bool { return raw == nil })
}
