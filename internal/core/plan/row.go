package plan

import (
	"fmt"
	"slices"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/zone"
)

// shard is what became of some rows that follow each other. Shards are worked
// on side by side, so they only read what they share.
type shard struct {
	*maker
	mapper   *intake.Mapper
	totals   Totals
	items    Items
	rezoned  []string
	turned   []turned
	changes  []change // with the index of their item among the shard's
	held     []heldFault
	out      []leftOut
	notes    []rowNotes
	moved    []fieldMove
	taken    []string
	stands   []Stand
	vanished []string
	settled  []string // keys for which a decision was used
	masters  map[identity.ID]*master
	cancels  int
	restless bool          // see maker
	texts    *writer       // of new events
	glances  *ical.Window  // to texts that stand
	wanted   intake.Wanted // what the current row wants
	copies   []standing    // and where it stands
}

type leftOut struct {
	row int
	why intake.Why
}

type rowNotes struct {
	row   int
	notes intake.Notes
}

type fieldMove struct {
	field event.Field
	key   string
}

// standing is one copy of a row's event: the calendar it goes to, and where it
// stands now.
type standing struct {
	to, from int32
	row      int32  // the calendar that the row names, where someone moved the event to another; else to
	found    Found  // without an object when it stands nowhere
	remark   bool   // it bears the marks of another key
	old      string // that key, where it is another number
	adopted  bool   // it was made by hand
}

func (s standing) stands() bool { return s.found.Object != nil }

func (s standing) moves() bool { return s.stands() && s.to != s.from }

func (s *shard) row(i int) {
	if !s.selected(i) {
		return
	}
	fate, id := s.Batch.Fate(i)
	if s.Pairs.Only {
		s.claims(i, fate, id)
		return
	}
	s.totals.Rows++
	if fate != intake.WantedRow {
		return
	}
	w := &s.wanted
	f := s.Batch.Map(s.mapper, i, w)
	if f == nil && !w.Cancel && !s.mapper.InPeriod(w.Event.When) {
		s.out = append(s.out, leftOut{i, intake.OutsidePeriod})
		return
	}
	var copies []standing
	if f == nil {
		copies, f = s.standings(i, id)
	}
	if f == nil {
		f = s.examine(i, w, copies)
	}
	if f != nil {
		s.held = append(s.held, heldFault{i, f})
		return
	}
	if w.Cancel {
		s.cancels++
		copies = slices.DeleteFunc(copies, func(c standing) bool { return !c.stands() })
		if len(copies) == 0 {
			s.out = append(s.out, leftOut{i, intake.NothingToCancel})
			return
		}
	}
	s.totals.Wanted++
	if w.Notes != 0 {
		s.notes = append(s.notes, rowNotes{i, w.Notes})
	}
	s.remember(i, id, copies)
	for n, c := range copies {
		s.totals.Placed++
		switch {
		case c.stands():
			item := s.items.Len()
			if s.settle(i, id, c); s.items.Len() == item {
				item = -1
			}
			s.stand(id, c.row, item)
		case w.Recurrence.IsZero() && s.removed(i, id, c.to):
			s.stayAway(i, id, c.to)
		default:
			s.create(i, id, c.to, n)
			s.stand(id, c.row, s.items.Len()-1)
		}
	}
	s.leave(i, id, copies)
}

// standings finds where the copies of a row's event stand. A date of a series
// stands where its series does.
func (s *shard) standings(i int, id identity.ID) ([]standing, *fault.Fault) {
	out := s.copies[:0]
	series, _, changes := s.Batch.Occurrence(i)
	places := s.Places(i)
	if changes {
		m := s.series[series]
		if f := m.waiting(); f != nil {
			return nil, f
		}
		places = m.calendar
	}
	for n, to := range places {
		c := standing{to: to, from: to, row: to}
		if changes { // it is in its series' object, wherever that stands
			if m := s.series[series]; m.objects[n] != nil {
				c.from, c.found = m.from[n], s.Holdings[m.from[n]].partOf(m.objects[n], id)
			}
		} else if c.found = s.standsIn(to, i); !c.stands() && s.Moves {
			if from, found := s.elsewhere(places, i); found.Object != nil {
				c.from, c.found = from, found
				if s.movedByHand(to, from, id) { // there it stays
					c.to = from
				}
			}
		}
		if p, paired := s.pairs[i]; paired && !c.stands() && (p.place == to || s.Moves) {
			c.from, c.found, c.remark, c.old = p.place, p.found, true, p.old
		}
		out = append(out, c)
	}
	s.copies = out
	return out, nil
}

// partOf gives the component of an identity inside an object.
func (h *Holding) partOf(o *ical.Object, id identity.ID) Found {
	if f := h.Find(id); f.Object == o {
		return f
	}
	return Found{}
}

// waiting says why a date of a series cannot be settled yet.
func (m *master) waiting() *fault.Fault {
	switch m.outcome {
	case "":
		return fault.Newf("its series is not loaded").Do("load the row of the series too")
	case agree.Disputed:
		return fault.Newf("its series is disputed").Do("settle that first")
	}
	return nil
}

// remember keeps what becomes of a series that other rows change dates of.
func (s *shard) remember(i int, id identity.ID, copies []standing) {
	if s.series[id] == nil || s.wanted.Cancel {
		return
	}
	m := &master{outcome: agree.Same}
	for n, c := range copies {
		m.calendar, m.from = append(m.calendar, c.to), append(m.from, c.from)
		if c.stands() {
			m.uids, m.objects = append(m.uids, c.found.Object.UID), append(m.objects, c.found.Object)
		} else {
			m.uids, m.objects = append(m.uids, s.uid(id, c.to, n, len(copies))), append(m.objects, nil)
		}
	}
	if s.masters == nil {
		s.masters = map[identity.ID]*master{}
	}
	s.masters[id] = m
}

// elsewhere finds the event of a row in a calendar that the row does not go to
// any more.
func (s *shard) elsewhere(places []int32, i int) (int32, Found) {
	for n := range s.Holdings {
		if slices.Contains(places, int32(n)) {
			continue
		}
		if f := s.standsIn(int32(n), i); f.Object != nil {
			return int32(n), f
		}
	}
	return 0, Found{}
}

// examine finds what keeps a row's event from being settled in any calendar.
func (s *shard) examine(i int, w *intake.Wanted, copies []standing) *fault.Fault {
	_, id := s.Batch.Fate(i)
	for n := range copies {
		c := &copies[n]
		h := s.Holdings[c.to]
		if c.found.Twins > 0 {
			return s.twinFault(c)
		}
		if !c.stands() && !w.Cancel && s.Allow[AllowIdentity] == 0 {
			if f := s.known(i, h, w); f != nil {
				return f
			}
		}
		if !c.stands() && !w.Cancel && w.Recurrence.IsZero() {
			if s.Memory.stood(h.Name, id) || s.Memory.gone(h.Name, id) { // it had an event, which someone deleted
				continue
			}
			if f := s.renumber(i); f != nil {
				return f
			}
			if f := s.lookAlike(i, c, w); f != nil {
				return f
			}
		}
	}
	return nil
}

// known tells whether another identity holds the row's key in the calendar, at
// the row's time and under its title: loading the row would double the event.
func (s *shard) known(i int, h *Holding, w *intake.Wanted) *fault.Fault {
	key := s.mapper.KeyText(s.Batch.Rows.At(i))
	found := h.stranger(s.Intake.Identity, key)
	if found.Object == nil {
		return nil
	}
	view, err := event.Read(found.Raw(), h.Zones)
	if err != nil || !view.When.Same(w.Event.When) && view.Text(event.Title) != w.Event.Text(event.Title) {
		return nil
	}
	name := view.Intake
	return fault.New(key, fmt.Sprintf("is already in calendar %s, from %q: loading it under the identity %q would double it", h.Name, name, s.Intake.Identity)).
		Do("set identity: %s in the intake, or give --name %s; if they really are other events, give --allow identity=1", name, name)
}

func at(o *ical.Object) string {
	switch {
	case o.File != "":
		return "file " + o.File
	case o.Line > 0:
		return fmt.Sprintf("line %d", o.Line)
	}
	return "event " + o.UID
}

// add files an item. c is what it writes, nil for nothing.
func (s *shard) add(item Item, c *change) {
	n := s.items.Len()
	s.items.Add(item)
	if c == nil {
		return
	}
	c.item = int32(n)
	s.changes = append(s.changes, *c)
}

func (s *shard) item(i int, o agree.Outcome, place int32, uid string) Item {
	w := &s.wanted
	item := Item{Outcome: o, Row: placeOf(s.Batch.Rows.At(i)), Key: s.mapper.KeyText(s.Batch.Rows.At(i)), UID: uid, Calendar: s.Holdings[place].Name, Title: w.Event.Text(event.Title), Notes: w.Notes, Edit: -1}
	if !w.Recurrence.IsZero() {
		at := w.Recurrence
		item.Recurrence = &at
	}
	if s.Full || o == agree.Disputed || o == agree.Removed {
		e := w.Event
		item.Event = &e
	}
	return item
}

// settle compares a row's event with the one in the calendar. Where it stands
// in a calendar that the row does not go to any more, it is taken over from
// there with all that others added to it; where it is disputed it stays.
func (s *shard) settle(i int, id identity.ID, c standing) {
	w, h := &s.wanted, s.Holdings[c.from]
	decide := s.decision(i)
	if decide == nil && !s.Full && !c.moves() && c.row == c.to && !c.remark && !c.adopted && w.Recurrence.IsZero() && agree.Untouched(c.found.Glance(s.glances), c.found.extras(), &w.Event) {
		s.totals.count(agree.Same)
		if !s.Brief {
			s.add(s.item(i, agree.Same, c.to, c.found.Object.UID), nil)
		}
		return
	}
	view, err := event.Read(c.found.Raw(), h.Zones)
	if err != nil {
		s.unread(i, id, c, err)
		return
	}
	if c.adopted {
		s.adopt(i, id, c, &view)
		return
	}
	result, seal, reason := s.agreed(i, c, &view, decide)
	marked := s.marked(i, id, c, &view)
	result.Reseal = result.Reseal || !marked && result.Outcome != agree.Disputed
	if c.moves() && stuck(c.found.Raw(), h.Zones, s.Holdings[c.to].Zones) {
		result.Dispute(event.When, &seal)
		reason = "it goes to another calendar now, and its times are in a zone that only this one defines; move it by hand"
	}
	s.dispute(id, result.Outcome)
	item := s.item(i, result.Outcome, c.to, view.UID)
	item.Title, item.Reason = view.Text(event.Title), reason
	item.Fields = differences(&result, &w.Event, &view.Event, &seal, h.Zones)
	if w.Cancel && item.Event != nil {
		item.Event = &view.Event
	}
	s.turns(item.Key, &result, &view.Event, &w.Event)
	for _, f := range result.Fields {
		if f.Outcome == agree.Changed && result.Outcome == agree.Changed {
			s.moved = append(s.moved, fieldMove{f.Field, item.Key})
			if f.Field == event.When && s.ZoneGuess != "" && rezoned(w.Event.When, view.When, s.ZoneGuess) {
				s.rezoned = append(s.rezoned, item.Key)
			}
		}
	}
	if c.row != c.to {
		if item.Outcome == agree.Same {
			item.Outcome = agree.Edited
		}
		item.Fields = append(item.Fields, Difference{Field: "calendar", Wanted: s.Holdings[c.row].Name, Calendar: h.Name, Outcome: agree.Edited})
	}
	if c.old != "" && result.Outcome != agree.Disputed {
		item.Outcome = agree.Changed
		item.Fields = append(item.Fields, Difference{Field: "key", Wanted: item.Key, Calendar: c.old, Outcome: agree.Changed})
	}
	made := s.made(i, id, c, &result, &item, &view, marked)
	s.totals.count(item.Outcome)
	s.add(item, made)
}

// made gives what a compared event is to be changed into, nil for nothing. An
// event that goes to another calendar changes by that alone.
func (s *shard) made(i int, id identity.ID, c standing, result *agree.Result, item *Item, view *event.View, marked bool) (made *change) {
	if result.Outcome == agree.Disputed {
		return nil
	}
	if result.Write != 0 || result.Reseal {
		made = c.found.change(c.to, c.from, rewrite(c.found.Raw(), result, &s.wanted, view.Sequence, s.Stamp, s.marks(i, id, marked), s.zones[c.to]))
	}
	if c.moves() && s.wanted.Recurrence.IsZero() { // a date of a series goes with it
		item.Outcome = agree.Changed
		item.Fields = append(item.Fields, Difference{Field: "calendar", Wanted: s.Holdings[c.to].Name, Calendar: s.Holdings[c.from].Name, Outcome: agree.Changed})
		if made == nil {
			made = c.found.change(c.to, c.from, c.found.Raw())
		}
		s.taken = append(s.taken, item.Key)
	}
	if made != nil && (c.row != c.to || !agree.Untouched(made.text, 0, &s.wanted.Event)) {
		s.restless = true
	}
	return made
}

// dispute notes that a series is disputed, so that its dates wait for it.
func (s *shard) dispute(id identity.ID, o agree.Outcome) {
	if m := s.masters[id]; m != nil && o == agree.Disputed {
		m.outcome = o
	}
}

// unread counts a row whose event cannot be read: nothing is written, and she
// must look.
func (s *shard) unread(i int, id identity.ID, c standing, err error) {
	s.totals.count(agree.Disputed)
	item := s.item(i, agree.Disputed, c.from, c.found.Object.UID)
	item.Event, item.Title = nil, ""
	s.dispute(id, agree.Disputed)
	item.Reason = fault.Newf("its event in calendar %s, %s, cannot be read: %w", s.Holdings[c.from].Name, lineOf(&c.found, err), err).Do("correct it there").Reason()
	s.add(item, nil)
}

// lineOf says where in its calendar the line is that an error names.
func lineOf(f *Found, err error) string {
	if e, ok := err.(*event.LineError); ok && f.Part == 0 && f.Object.Line > 0 {
		o := *f.Object
		o.Line += int32(e.Line) - 1
		return at(&o)
	}
	return at(f.Object)
}

// agreed compares a row's event with the one in the calendar.
func (s *shard) agreed(i int, c standing, view *event.View, decide agree.Decision) (agree.Result, agree.Seal, string) {
	w, h := &s.wanted, s.Holdings[c.from]
	view.Attune(&w.Event, c.found.Raw())
	seal := agree.ParseSeal(view.Seal)
	if !w.Event.Given.Has(event.Status) && seal.Cancelled() { // its row had gone, and is back
		w.Event.SetText(event.Status, "")
	}
	result := agree.Compare(&w.Event, &view.Event, &seal, s.Intake.Policy.Decide(decide), h.Zones)
	if s.Intake.Policy.Hold(&result, &seal) {
		return result, seal, "someone changed it in the calendar, and the intake wants such events looked at"
	}
	if n := h.overrides(&c.found); n > 0 && result.Write.Has(event.When) && !w.Event.When.Same(view.When) {
		if decide == nil || decide(event.When, agree.Disputed) == agree.Neither {
			result.Dispute(event.When, &seal)
			return result, seal, fmt.Sprintf("%d of its occurrences were changed one by one and would no longer fit", n)
		}
		result.Decided = true
	}
	if result.Decided {
		s.settled = append(s.settled, s.mapper.KeyText(s.Batch.Rows.At(i)))
	}
	if !w.Recurrence.IsZero() && !sameTime(w.Recurrence, view.Recurrence) && result.Outcome != agree.Disputed { // the series has moved under it
		result.Outcome, result.Reseal = agree.Changed, true
		result.Write |= 1 << event.When
		result.Seal.Set(event.When, &w.Event, &w.Event)
		return result, seal, "its series was moved"
	}
	return result, seal, ""
}

func sameTime(a, b zone.Time) bool {
	return a.Form == zone.Date && b.Form == zone.Date && a.Wall == b.Wall || a.Form != zone.Date && b.Form != zone.Date && a.Instant(nil) == b.Instant(nil)
}

// create makes a row's event in a calendar that has it not. n counts the
// calendars of the row.
func (s *shard) create(i int, id identity.ID, place int32, n int) {
	w := &s.wanted
	s.totals.count(agree.New)
	c := change{to: place, from: place, part: -1}
	recurrence := w.Recurrence
	own := id.String()
	uid := own
	if series, _, changes := s.Batch.Occurrence(i); changes {
		m := s.series[series]
		uid, c.object, c.from = m.uids[n], m.objects[n], m.from[n]
	} else if len(s.Places(i)) > 1 || s.given(id) {
		uid = s.uid(id, place, n, len(s.Places(i)))
	}
	marks := marksOf(s.Intake.Identity, own, s.mapper.KeyText(s.Batch.Rows.At(i)))
	c.fresh = s.texts.add(func(dst []byte) []byte {
		return fresh(dst, marks[:], uid, &w.Event, recurrence, s.Stamp, s.zones[place])
	})
	s.add(s.item(i, agree.New, place, uid), &c)
}

// uid gives the UID that a new event gets in a calendar: its ID, or for one of
// several copies one of its own, since servers may refuse one UID twice. An event that got
// another key keeps the UID that it had from the old one.
func (s *shard) uid(id identity.ID, place int32, _, copies int) string {
	h := s.Holdings[place]
	if copies > 1 {
		id = identity.Copy(id, h.Name)
	}
	for s.given(id) {
		id = identity.Copy(id, h.Name)
	}
	return id.String()
}

// given tells whether an ID is the UID of an event with another key, in any calendar, as servers
// may refuse one UID twice.
func (m *maker) given(id identity.ID) bool {
	return slices.ContainsFunc(m.Holdings, func(h *Holding) bool { return h.taken(id) })
}

// leave has events taken out of calendars that their row does not go to any
// more, while they stand in the right ones already: a load was stopped between
// the two, or the intake has one calendar less.
func (s *shard) leave(i int, id identity.ID, copies []standing) {
	if !s.Moves || len(s.Holdings) < 2 || !s.wanted.Recurrence.IsZero() {
		return
	}
	for _, c := range copies {
		if !c.stands() || c.moves() || c.row != c.to {
			return // what is elsewhere is moved, or there is nothing here yet
		}
	}
	from, found := s.elsewhere(s.Places(i), i)
	if found.Object == nil {
		return
	}
	h := s.Holdings[from]
	key := s.mapper.KeyText(s.Batch.Rows.At(i))
	view, err := event.Read(found.Raw(), h.Zones)
	if err != nil {
		return
	}
	item := Item{Outcome: agree.Gone, Key: key, UID: found.Object.UID, Calendar: h.Name, Title: view.Text(event.Title), Event: &view.Event, Edit: -1}
	seal := agree.ParseSeal(view.Seal)
	if (seal.Edited(&view.Event, h.Zones) || found.Object.Parts() > 1) && !s.carried(&found, &view, copies) {
		item.Reason = "its row does not go to this calendar any more; kept, as someone changed it here"
		s.leaveItem(item, nil)
		return
	}
	item.Reason = "its row does not go to this calendar any more; it is taken out here"
	s.taken = append(s.taken, key)
	c := found.change(from, from, nil)
	c.leaving = true
	s.leaveItem(item, c)
}

func (s *shard) leaveItem(item Item, c *change) {
	s.totals.Gone++
	s.add(item, c)
}
