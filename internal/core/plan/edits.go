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
	part     int32        // index into the object's components; -1 for a new component
	item     int32        // index of the item that it belongs to
	*rewritten
	fresh text // of a new component
}

// rewritten is a component that stands; nil for a new one.
type rewritten struct {
	was     []byte // as it stands
	text    []byte // nil takes it away
	leaving bool   // the whole object is taken out, as it stands in another calendar
}

// change makes a change of what was found: text is what it becomes, nil takes it away.
func (f *Found) change(to, from int32, text []byte) *change {
	return &change{to: to, from: from, object: f.Object, part: int32(f.Part), rewritten: &rewritten{was: f.Raw(), text: text}}
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
	last := int32(-1)
	for _, list := range e.changes {
		for i := range list {
			if list[i].item < last {
				all := slices.Concat(e.changes...)
				slices.SortStableFunc(all, func(a, b change) int { return int(a.item - b.item) })
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
			key := place{c.to, c.uid(p)}
			if n, known = at[key]; !known {
				n = len(p.Edits)
				at[key] = n
			}
		}
		if !known {
			p.Edits = append(p.Edits, e.begin(c, c.uid(p)))
			if c.object != nil && c.from != c.to {
				leaving = append(leaving, Edit{Kind: MoveOut, Calendar: e.holdings[c.from].Name, UID: c.object.UID, texts: &texts{before: c.standing()}, Needs: int32(n + 1)})
			}
		}
		e.change(&p.Edits[n], c)
		p.Items.list[c.item].edit = int32(n)
	}
	for i := range p.Edits {
		if edit := &p.Edits[i]; edit.Kind == Change && len(edit.standing()) == 0 {
			edit.Kind, edit.after = Remove, nil
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
func (e *editor) begin(c *change, uid string) Edit {
	out := Edit{Kind: Create, Calendar: e.holdings[c.to].Name, UID: uid}
	if c.object == nil && !e.series {
		return out
	}
	out.texts = &texts{}
	if c.object != nil {
		raws := c.standing()
		out.after = slices.Clone(raws)
		for i := range out.after {
			out.after[i] = e.carried(c, out.after[i])
		}
		if c.from == c.to {
			out.Kind, out.before = Change, raws
		}
	}
	return out
}

// uid gives the UID of the object, which a new one has from its item.
func (c *change) uid(p *Plan) string {
	if c.object != nil {
		return c.object.UID
	}
	return p.Items.uid(int(c.item))
}

// standing gives the components of the object as they stand.
func (c *change) standing() [][]byte {
	raws := make([][]byte, c.object.Parts())
	for i := range raws {
		if c.rewritten != nil && i == int(c.part) {
			raws[i] = c.was
		} else {
			raws[i] = c.object.Part(i)
		}
	}
	return raws
}

// change puts a component into an edit.
func (e *editor) change(edit *Edit, c *change) {
	switch {
	case edit.Kind == Remove || edit.Kind == MoveOut:
	case c.rewritten != nil && c.leaving:
		edit.Kind, edit.after = MoveOut, nil
	case c.part < 0 && c.object == nil && !e.series: // the only one
		edit.fresh = c.fresh
	case c.part < 0:
		edit.after = append(edit.after, c.fresh.plain())
	case c.text != nil:
		edit.after[c.part] = e.carried(c, c.text)
	case e.whole(c):
		edit.Kind, edit.after = Remove, nil
	default: // a gap, so that the other components keep their places
		edit.after[c.part] = nil
	}
}

// whole tells whether taking a component away takes the object away: an event
// goes with its changed occurrences.
func (e *editor) whole(c *change) bool {
	return c.object.Parts() == 1 || !ical.Has(c.object.Part(int(c.part)), "RECURRENCE-ID")
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

// Before gives the components of an event as they stand, none for a Create. The list must
// not be changed.
func (e *Edit) Before() [][]byte {
	if e.texts == nil {
		return nil
	}
	return e.before
}

// editJSON is an edit with its text.
type editJSON struct {
	Kind          Kind
	Calendar, UID string
	Before, After [][]byte `json:",omitempty"`
	Needs         int32    `json:",omitempty"`
	Done          bool     `json:",omitempty"`
}

// MarshalJSON gives the edit with its text.
func (e Edit) MarshalJSON() ([]byte, error) {
	after, err := e.Text(nil)
	if e.texts != nil {
		after = e.after
	}
	out, errOut := json.Marshal(editJSON{e.Kind, e.Calendar, e.UID, e.Before(), after, e.Needs, e.Done})
	return out, cmp.Or(err, errOut)
}

// UnmarshalJSON reads an edit with its text.
func (e *Edit) UnmarshalJSON(text []byte) error {
	var in editJSON
	err := json.Unmarshal(text, &in)
	*e = Edit{Kind: in.Kind, Calendar: in.Calendar, UID: in.UID, texts: &texts{in.Before, in.After}, Needs: in.Needs, Done: in.Done}
	return err
}

// Print gives the checksum of what an edit leaves in the calendar.
func (e *Edit) Print() uint64 {
	if e.fresh.block != nil {
		return e.fresh.print
	}
	return Print(e.standing())
}

// standing gives what after leaves.
func (e *Edit) standing() [][]byte {
	if e.texts == nil {
		return nil
	}
	if !slices.ContainsFunc(e.after, func(raw []byte) bool { return raw == nil }) { // nearly always
		return e.after
	}
	return slices.DeleteFunc(slices.Clone(e.after), func(raw []byte) bool { return raw == nil })
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
