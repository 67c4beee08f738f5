package plan

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"slices"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
)

// Memory is what is remembered of earlier loads, by the name of a calendar. A
// plan needs none; with one, what a person deleted or moved by hand is known
// from what was never there.
type Memory map[string]*Remembered

// Remembered is what one calendar is known to have held of an intake. Both
// lists are sorted.
type Remembered struct {
	Standing []identity.ID // stood there after the last load
	Removed  []identity.ID // had been deleted by then
}

// Sort puts IDs into the order that Remembered has them in, each once.
func Sort(ids []identity.ID) []identity.ID {
	if len(ids) < 1<<12 || slices.IsSortedFunc(ids, compareIDs) {
		slices.SortFunc(ids, compareIDs)
		return slices.Compact(ids)
	}
	first := func(id identity.ID) int { return int(id[0])<<8 | int(id[1]) } // most are digests, so that these buckets are small
	var ends [1 << 16]int
	for _, id := range ids {
		ends[first(id)]++
	}
	for i := 1; i < len(ends); i++ {
		ends[i] += ends[i-1]
	}
	out, at := make([]identity.ID, len(ids)), ends
	for _, id := range ids {
		at[first(id)]--
		out[at[first(id)]] = id
	}
	for i, end := range ends {
		slices.SortFunc(out[at[i]:end], compareIDs)
	}
	return slices.Compact(out)
}

// compareIDs orders IDs by their octets.
func compareIDs(a, b identity.ID) int {
	if c := cmp.Compare(binary.BigEndian.Uint64(a[:]), binary.BigEndian.Uint64(b[:])); c != 0 {
		return c
	}
	return bytes.Compare(a[8:], b[8:])
}

// Has tells whether a sorted list has an ID.
func Has(ids []identity.ID, id identity.ID) bool {
	_, ok := slices.BinarySearchFunc(ids, id, compareIDs)
	return ok
}

// stood tells whether an event stood in a calendar after the last load.
func (m Memory) stood(calendar string, id identity.ID) bool {
	r := m[calendar]
	return r != nil && Has(r.Standing, id)
}

// gone tells whether an event was known to be deleted already.
func (m Memory) gone(calendar string, id identity.ID) bool {
	r := m[calendar]
	return r != nil && Has(r.Removed, id)
}

// Stand is a row's event that stands in a calendar once the plan is applied.
type Stand struct {
	ID       identity.ID
	Calendar int32 // index of the holding that its row goes to
	Item     int32 // -1 where it has none, as nothing is done to it
}

// Stood lists the IDs that stand in a calendar, as far as the plan was applied.
func (p *Plan) Stood(calendar string) []identity.ID {
	out := make([]identity.ID, 0, len(p.standing))
	for _, s := range p.standing {
		if p.calendars[s.Calendar] != calendar {
			continue
		}
		edit := -1
		if s.Item >= 0 {
			edit = p.Items.Edit(int(s.Item))
		}
		if edit < 0 || p.Edits[edit].Done || p.Edits[edit].Kind != Create {
			out = append(out, s.ID)
		}
	}
	return Sort(out)
}

// removed tells whether a person deleted the event that a row wants, and it is
// to stay away.
func (s *shard) removed(i int, id identity.ID, place int32) bool {
	known := false
	for n, h := range s.Holdings { // of one row in several calendars each copy counts for itself
		if int32(n) == place || len(s.Places(i)) == 1 {
			known = known || s.Memory.stood(h.Name, id) || s.Memory.gone(h.Name, id)
		}
	}
	if !known {
		return false
	}
	key := s.mapper.KeyText(s.Batch.Rows.At(i))
	if s.Intake.Removed == "restore" || s.RestoreAll || s.Restore[key] {
		return false
	}
	if decide := s.decision(i); decide != nil && decide(event.When, agree.Disputed) == agree.Sheet {
		s.settled = append(s.settled, key)
		return false
	}
	return true
}

// stayAway files a row whose event a person deleted.
func (s *shard) stayAway(i int, id identity.ID, place int32) {
	item := s.item(i, agree.Removed, place, s.uid(id, place, 0, len(s.Places(i))))
	item.Reason = "someone deleted its event in the calendar; it stays away"
	s.totals.count(agree.Removed)
	if !s.Memory.gone(s.Holdings[place].Name, id) {
		s.vanished = append(s.vanished, item.Key)
	}
	s.add(item, nil)
}

// movedByHand tells whether a person moved an event from the calendar that its
// row goes to into another.
func (s *shard) movedByHand(to, from int32, id identity.ID) bool {
	return s.Memory.stood(s.Holdings[to].Name, id) && !s.Memory.stood(s.Holdings[from].Name, id)
}

// vanishedFault says what a calendar that lost many events at once means.
func vanishedFault(g Guard, intake string) *fault.Fault {
	return fault.Newf("%d of the %d events of %s are not in their calendar any more, though no load took them out", g.Count, g.Of, intake).
		Do("if someone deleted them on purpose, load again with --allow %s=%d; to make them again, with --restore all; nothing was written", g.Name, g.Count)
}

// stand notes that a row's event stands, or will stand, in a calendar; item is
// the event's item among the shard's, -1 for none.
func (s *shard) stand(id identity.ID, calendar int32, item int) {
	if s.wanted.Recurrence.IsZero() {
		s.stands = append(s.stands, Stand{id, calendar, int32(item)})
	}
}

func (m *maker) restores() []string {
	var idle []string
	for key := range m.Restore {
		if !m.plan.Items.has(key) {
			idle = append(idle, fmt.Sprintf("--restore %s: no row of the source has this key", key))
		}
	}
	slices.Sort(idle)
	return idle
}

// After gives what is to be remembered of a calendar once a plan is applied, as
// far as it was. holds tells whether any calendar held an event of ours before.
// What stood there, stands nowhere any more, and was not taken out by the plan
// was deleted by a person.
func (r *Remembered) After(p *Plan, calendar string, holds func(identity.ID) bool) *Remembered {
	stood := p.Stood(calendar)
	if len(r.Removed) == 0 && slices.Equal(stood, r.Standing) {
		return &Remembered{Standing: stood}
	}
	ours := map[identity.ID]bool{} // taken out by the plan
	for i := range p.Edits {
		if e := &p.Edits[i]; e.Done && (e.Kind == Remove || e.Kind == MoveOut && e.Calendar == calendar) {
			for _, id := range IDs(e.UID, e.Before()) {
				ours[id] = true
			}
		}
	}
	for _, k := range p.rekeyed {
		ours[k.old] = ours[k.old] || p.Edits[k.edit].Done
	}
	out := &Remembered{Standing: stood}
	for _, id := range r.Standing {
		switch {
		case Has(stood, id) || ours[id]:
		case holds(id):
			out.Standing = append(out.Standing, id)
		default:
			out.Removed = append(out.Removed, id)
		}
	}
	for _, id := range r.Removed {
		if !Has(stood, id) {
			out.Removed = append(out.Removed, id)
		}
	}
	out.Standing, out.Removed = Sort(out.Standing), Sort(out.Removed)
	return out
}

// IDs gives the identities of the components of an object; of one of which only
// the UID is known, the one that it is.
func IDs(uid string, raws [][]byte) (out []identity.ID) {
	if len(raws) == 0 {
		raws = [][]byte{nil}
	}
	o := ical.NewObject(uid, raws...)
	for part := range raws {
		if id, _, ours := identify(o, part, nil); ours {
			out = append(out, id)
		}
	}
	return out
}

// carried tells whether all that people did with an event stands in the copy of
// it that its row goes to: a load that moved it was stopped before it could take
// it out here.
func (s *shard) carried(old *Found, was *event.View, copies []standing) bool {
	for _, c := range copies {
		if c.found.Object.UID != old.Object.UID || c.found.Object.Parts() != old.Object.Parts() {
			continue
		}
		now, err := event.Read(c.found.Raw(), s.Holdings[c.from].Zones)
		if err != nil {
			continue
		}
		seal := agree.ParseSeal(was.Seal)
		whole := seal.Carried(&was.Event, &now.Event, s.Holdings[c.from].Zones)
		for i, raw := range old.Object.Raws() {
			if i == old.Part {
				whole = whole && contains(c.found.Raw(), raw)
			} else {
				whole = whole && slices.ContainsFunc(c.found.Object.Raws(), func(r []byte) bool { return bytes.Equal(r, raw) })
			}
		}
		if whole {
			return true
		}
	}
	return false
}

// contains tells whether a component has all lines of another but those that a
// load writes.
func contains(now, was []byte) bool {
	lines := map[string]int{}
	for l := range ical.Lines(now) {
		lines[string(l.Whole())]++
	}
	for l := range ical.Lines(was) {
		if l.Depth == 0 && event.Owned(l) {
			continue
		}
		text := string(l.Whole())
		if lines[text]--; lines[text] < 0 {
			return false
		}
	}
	return true
}
