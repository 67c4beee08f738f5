package job

import (
	"context"
	"fmt"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/beside"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
)

// selected tells whether row i is to be tried.
func (l *load) selected(i int) bool {
	return (l.req.First == 0 || i < l.req.First) && (l.req.Rows == nil || l.req.Rows[int(l.batch.Rows[i].Number)])
}

func (l *load) partial() bool { return l.req.First > 0 || l.req.Rows != nil }

// compare settles every row against the calendar, in shards of rows side by
// side, and puts the shards together in the order of the rows.
func (l *load) compare(ctx context.Context) error {
	const size = 2048
	shards := make([]*shard, (len(l.batch.Rows)+size-1)/size)
	next := make(chan int, len(shards))
	for n := range shards {
		next <- n
	}
	close(next)
	wait := beside.Many(min(runtime.GOMAXPROCS(0), len(shards)), func() {
		mapping := l.batch.Mapping.Fork()
		for n := range next {
			if ctx.Err() != nil {
				return
			}
			s := &shard{load: l, mapping: mapping, at: make([]placed, len(l.calendars))}
			for i := n * size; i < min((n+1)*size, len(l.batch.Rows)); i++ {
				s.row(i)
			}
			shards[n] = s
		}
	})
	wait()
	if ctx.Err() != nil {
		return ctx.Err()
	}
	for _, s := range shards {
		l.take(s)
	}
	if l.report.Totals.Placed == l.report.Totals.Wanted {
		l.report.Totals.Placed = 0
	}
	return nil
}

// take adds what a shard found.
func (l *load) take(s *shard) {
	t := &l.report.Totals
	t.Rows += s.totals.Rows
	t.Wanted += s.totals.Wanted
	t.Placed += s.totals.Placed
	t.New += s.totals.New
	t.Changed += s.totals.Changed
	t.Same += s.totals.Same
	t.Edited += s.totals.Edited
	t.Disputed += s.totals.Disputed
	for n, c := range s.calendars {
		c.matched += s.at[n].matched
		c.changes = append(c.changes, s.at[n].changes...)
		c.leaving = append(c.leaving, s.at[n].leaving...)
		for _, z := range s.at[n].zones {
			c.zones = calendar.UseZone(c.zones, z)
		}
	}
	for _, h := range s.held {
		l.batch.Hold(h.row, h.fault)
	}
	for _, i := range s.cancelled {
		l.batch.Leave(i, "cancelled in the source, and there is no event to cancel")
	}
	for _, i := range s.outside {
		l.batch.Leave(i, "outside of the period")
	}
	for _, i := range s.items {
		if !l.req.All && len(l.report.Items) >= keptItems && i.Outcome != agree.Disputed {
			l.report.Unlisted++
			continue
		}
		l.report.Items = append(l.report.Items, i)
	}
	for _, n := range s.notes {
		for _, kind := range n.notes.Kinds(l.in) {
			l.report.Assumed[kind] = append(l.report.Assumed[kind], int(l.batch.Rows[n.row].Number))
		}
	}
	for _, f := range s.moved {
		l.moved[f]++
	}
	for _, k := range s.settled {
		l.keys[k] = true
	}
}

// shard is what became of some rows that follow each other. Shards are worked
// on side by side, so they only read what they share.
type shard struct {
	*load
	mapping   *intake.Mapping
	totals    Totals
	items     []Item
	at        []placed // by calendar: what is to become of it; without the calendar itself
	held      []heldRow
	cancelled []int // rows to be cancelled that have no event
	outside   []int // rows outside of the period
	notes     []notedRow
	moved     []event.Field
	settled   []string      // keys for which a side was taken
	text      []byte        // new events, one behind the other
	wanted    intake.Wanted // what the row at hand wants
}

type heldRow struct {
	row   int
	fault *fault.Fault
}

type notedRow struct {
	row   int
	notes intake.Notes
}

// copyOf is one copy of a row's event: in a calendar, as it stands there.
type copyOf struct {
	place int32
	old   *calendar.Object
}

func (s *shard) row(i int) {
	fate, id := s.batch.Fate(i)
	var copies []copyOf
	var one [1]copyOf
	if id != (identity.ID{}) {
		copies = one[:0]
		for _, place := range s.placesOf(i) {
			old := s.calendars[place].find(id)
			if old != nil {
				s.at[place].matched++
			}
			copies = append(copies, copyOf{place: place, old: old})
		}
	}
	if !s.selected(i) {
		return
	}
	s.totals.Rows++
	if fate != intake.WantedRow {
		return
	}
	w := &s.wanted
	f := s.batch.Map(s.mapping, i, w)
	if f == nil && !w.Cancel && !s.mapping.InPeriod(w.Event.When) {
		s.outside = append(s.outside, i)
		return
	}
	if f == nil {
		f = s.examine(copies)
	}
	if f != nil {
		s.hold(i, f)
		return
	}
	if w.Cancel {
		copies = slices.DeleteFunc(copies, func(c copyOf) bool { return c.old == nil })
		if len(copies) == 0 {
			s.cancelled = append(s.cancelled, i)
			return
		}
	}
	s.totals.Wanted++
	if w.Notes != 0 {
		s.notes = append(s.notes, notedRow{i, w.Notes})
	}
	for _, c := range copies {
		s.totals.Placed++
		if c.old == nil {
			s.create(i, id, c.place, w)
		} else {
			s.settle(i, id, c.place, c.old, w)
			s.leave(i, id)
		}
	}
}

func (s *shard) hold(i int, f *fault.Fault) { s.held = append(s.held, heldRow{i, f}) }

// examine finds what keeps a row's event from being compared in any calendar.
func (s *shard) examine(copies []copyOf) *fault.Fault {
	for _, c := range copies {
		if c.old != nil && c.old.Twins > 0 {
			return fault.Newf("%d events in calendar %s are this one; the first begins in line %d", c.old.Twins+1, s.calendars[c.place].Name(), c.old.Line).Do("remove all but one there")
		}
	}
	return nil
}

// leave has an event taken out of a calendar that its row does not go to any
// more, as a load that was stopped in between left it there.
func (s *shard) leave(i int, id identity.ID) {
	if place, o := s.elsewhere(i, id); o != nil {
		s.at[place].leaving = append(s.at[place].leaving, id)
	}
}

func (s *shard) settle(i int, id identity.ID, place int32, old *calendar.Object, w *intake.Wanted) {
	c := s.calendars[place]
	if s.keys == nil && !s.req.All && w.Recurrence.IsZero() && agree.Untouched(old.Raw, &w.Event) {
		s.totals.count(agree.Same)
		return
	}
	view, err := event.Read(old.Raw, c.Resolve)
	if err != nil {
		s.unread(i, place, old, err)
		return
	}
	result, seal, reason := s.agreed(i, place, old, &view, w)
	s.totals.count(result.Outcome)
	for _, f := range result.Fields {
		if f.Outcome == agree.Changed && result.Outcome == agree.Changed {
			s.moved = append(s.moved, f.Field)
		}
	}
	if s.req.Write && (result.Write != 0 || result.Reseal) {
		s.at[place].changes = append(s.at[place].changes, calendar.Change{ID: objectID(c, id), Old: old, New: rewrite(old.Raw, result, w, view.Sequence, s.office.Stamp())})
		if result.Write.Has(event.When) {
			s.use(place, w.Event.When)
		}
	}
	if result.Outcome == agree.Same && !s.req.All {
		return
	}
	item := s.item(i, result.Outcome, place, w, view.UID)
	item.Title, item.Reason = view.Text(event.Title), reason
	item.Fields = differences(result, &w.Event, &view.Event, &seal, c.Resolve)
	if w.Cancel {
		item.Event = view.Event
	}
	s.items = append(s.items, item)
}

// objectID is the identity under which a calendar's index has an event.
func objectID(c *placed, id identity.ID) identity.ID {
	if c.Find(id) != nil {
		return id
	}
	return identity.Copy(id, c.Name())
}

// unread counts a row whose event cannot be read: nothing is written, and she
// must look.
func (s *shard) unread(i int, place int32, old *calendar.Object, err error) {
	s.totals.count(agree.Disputed)
	item := s.item(i, agree.Disputed, place, &intake.Wanted{}, "")
	item.Reason = fault.Newf("its event in calendar %s, line %d, cannot be read: %w", s.calendars[place].Name(), line(old.Line, err), err).Do("mend it there").Reason()
	s.items = append(s.items, item)
}

// agreed compares a row's event with the one in the calendar.
func (s *shard) agreed(i int, place int32, old *calendar.Object, view *event.View, w *intake.Wanted) (agree.Result, agree.Seal, string) {
	c := s.calendars[place]
	view.Attune(&w.Event, old.Raw)
	seal := agree.ParseSeal(view.Seal)
	if !w.Event.Given.Has(event.Status) && seal.Cancelled() { // its row had gone, and is back
		w.Event.SetText(event.Status, "")
	}
	result := agree.Compare(&w.Event, &view.Event, &seal, s.side(i), c.Resolve)
	if result.Write.Has(event.When) && old.Overrides > 0 && !w.Event.When.Same(view.When) {
		result.Outcome, result.Write, result.Reseal = agree.Disputed, 0, false
		return result, seal, fmt.Sprintf("%d of its occurrences were changed one by one and would no longer fit", old.Overrides)
	}
	if !w.Recurrence.IsZero() && !sameTime(w.Recurrence, view.Recurrence) && result.Outcome != agree.Disputed { // the series has moved under it
		if result.Write == 0 && !result.Reseal {
			result.Seal = seal
		}
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

func (s *shard) item(i int, o agree.Outcome, place int32, w *intake.Wanted, uid string) Item {
	return Item{Outcome: o, Place: s.batch.Rows[i].Place(), Key: s.mapping.Key(s.batch.Rows[i]).String(), UID: uid, Calendar: s.calendars[place].Name(), Title: w.Event.Text(event.Title), Event: w.Event, Recurrence: w.Recurrence, Notes: w.Notes.Words(s.in)}
}

func line(begin int, err error) int {
	if e, ok := err.(*event.LineError); ok {
		return begin + e.Line - 1
	}
	return begin
}

// side gives the side to take for a row whose key was named.
func (s *shard) side(i int) agree.Take {
	if s.keys == nil {
		return agree.TakeNone
	}
	key := s.mapping.Key(s.batch.Rows[i]).String()
	if _, named := s.keys[key]; named {
		s.settled = append(s.settled, key)
		return s.req.Take
	}
	return agree.TakeNone
}

// use remembers the time zones that writing a time needs defined.
func (s *shard) use(place int32, span event.Span) {
	for _, t := range []zone.Time{span.Start, span.End} {
		if t.Form == zone.Local {
			s.at[place].zones = calendar.UseZone(s.at[place].zones, calendar.ZoneUse{Zone: t.Zone, Year: zone.Civil(t.Wall).Year()})
		}
	}
}

// create makes a row's event in a calendar that has it not: a new one, or the
// one that another calendar has, with all that others added to it.
func (s *shard) create(i int, id identity.ID, place int32, w *intake.Wanted) {
	if from, old := s.elsewhere(i, id); old != nil {
		s.move(i, id, from, place, old, w)
		return
	}
	s.totals.count(agree.New)
	uid := s.uidOf(i, id, s.calendars[place])
	if s.req.Write {
		if cap(s.text)-len(s.text) < 4096 { // one block holds the new events of many rows
			s.text = make([]byte, 0, 256<<10)
		}
		from := len(s.text)
		s.text = s.fresh(s.text, id, s.seriesUID(i, place, uid), s.mapping.Key(s.batch.Rows[i]), w)
		s.at[place].changes = append(s.at[place].changes, calendar.Change{ID: id, New: s.text[from:len(s.text):len(s.text)]})
		s.use(place, w.Event.When)
		if w.Recurrence.Form == zone.Local {
			s.use(place, event.Span{Start: w.Recurrence})
		}
	}
	if s.req.All || len(s.items) < keptItems {
		s.items = append(s.items, s.item(i, agree.New, place, w, uid))
	}
}

// seriesUID gives the UID of the series whose date a row changes, and for
// other rows their own.
func (s *shard) seriesUID(i int, place int32, own string) string {
	series, _, changes := s.batch.Occurrence(i)
	if !changes {
		return own
	}
	c := s.calendars[place]
	if o := c.find(series); o != nil {
		if l, ok := ical.Open(o.Raw).Find("UID"); ok {
			return l.Text()
		}
	}
	return s.uidOf(i, series, c)
}

// move takes an event over from the calendar it was in. Where it would be
// disputed it stays there.
func (s *shard) move(i int, id identity.ID, from, to int32, old *calendar.Object, w *intake.Wanted) {
	view, err := event.Read(old.Raw, s.calendars[from].Resolve)
	if err != nil {
		s.unread(i, from, old, err)
		return
	}
	result, seal, reason := s.agreed(i, from, old, &view, w)
	item := s.item(i, result.Outcome, to, w, view.UID)
	item.Title, item.Reason = view.Text(event.Title), reason
	item.Fields = differences(result, &w.Event, &view.Event, &seal, s.calendars[from].Resolve)
	if result.Outcome != agree.Disputed {
		item.Outcome = agree.Changed
		item.Fields = append(item.Fields, Difference{Field: "calendar", Wanted: s.calendars[to].Name(), Calendar: s.calendars[from].Name(), Outcome: agree.Changed})
		if result.Write == 0 && !result.Reseal {
			result.Seal = seal
		}
		if s.req.Write {
			text := append(rewrite(old.Raw, result, w, view.Sequence, s.office.Stamp()), s.calendars[from].Changed(id)...)
			s.at[to].changes = append(s.at[to].changes, calendar.Change{ID: id, New: text})
			s.use(to, view.When)
			s.use(to, w.Event.When)
		}
		s.at[from].leaving = append(s.at[from].leaving, id)
	}
	s.totals.count(item.Outcome)
	s.items = append(s.items, item)
}

// fresh appends the text of a new event to dst.
func (l *load) fresh(dst []byte, id identity.ID, uid string, key identity.Key, w *intake.Wanted) []byte {
	e := &w.Event
	var seal agree.Seal
	for _, f := range event.Fields() {
		if e.Given.Has(f) {
			seal.Set(f, e, e)
		}
	}
	from := len(dst)
	dst = event.Append(dst, e, uid, w.Recurrence, []event.Mark{
		{Name: event.PropID, Value: id.String()},
		{Name: event.PropIntake, Value: ical.Escape(l.in.Identity)},
		{Name: event.PropKey, Value: ical.Escape(key.String())},
	}, l.office.Stamp())
	return agree.AppendSealed(dst, from, &seal, event.AppendReminders(nil, e))
}

// rewrite gives an event's text with the fields that changed, the seal, and
// the marks of its revision (RFC 5545 §3.8.7); nothing else of it is touched.
func rewrite(raw []byte, r agree.Result, w *intake.Wanted, sequence int, stamp zone.Time) []byte {
	c := ical.Open(raw)
	event.Write(c, r.Write, &w.Event)
	if !w.Recurrence.IsZero() {
		c.Set("RECURRENCE-ID", ical.TimeParams(w.Recurrence), []string{"TZID", "VALUE"}, ical.FormatTime(w.Recurrence))
	}
	if r.Write != 0 {
		c.Set("DTSTAMP", nil, []string{"TZID", "VALUE"}, ical.FormatTime(stamp))
		if _, ok := c.Find("LAST-MODIFIED"); ok {
			c.Set("LAST-MODIFIED", nil, []string{"TZID", "VALUE"}, ical.FormatTime(stamp))
		}
	}
	if r.Write.Has(event.When) || r.Write.Has(event.Status) {
		c.Set("SEQUENCE", nil, nil, strconv.Itoa(sequence+1))
	}
	agree.Reseal(c, &r)
	return c.Bytes()
}

// finish adds the rows that were held or left out, and puts the items in the
// order of the source.
func (l *load) finish() {
	t := &l.report.Totals
	for _, h := range l.batch.Held {
		if !l.selected(h.Row) {
			continue
		}
		t.Held++
		l.report.Items = append(l.report.Items, Item{Outcome: agree.Held, Place: h.Fault.Place, Key: h.Key.String(), Calendar: l.calendarOf(h.Row), Reason: h.Fault.Reason()})
	}
	for _, o := range l.batch.LeftOut {
		if !l.selected(o.Row) {
			continue
		}
		t.LeftOut++
		l.report.Items = append(l.report.Items, Item{Outcome: agree.LeftOut, Place: l.batch.Rows[o.Row].Place(), Key: o.Key.String(), Calendar: l.calendarOf(o.Row), Reason: o.Reason})
	}
	slices.SortStableFunc(l.report.Items, func(a, b Item) int {
		if gone := func(i Item) int { return map[bool]int{true: 1}[i.Outcome == agree.Gone] }; gone(a) != gone(b) {
			return gone(a) - gone(b)
		}
		return l.report.Sources.compare(a.Place, b.Place)
	})
}

// apply writes what a load has to write.
func (l *load) apply(ctx context.Context) error {
	var unknown []string
	for k, used := range l.keys {
		if !used {
			unknown = append(unknown, k)
		}
	}
	if len(unknown) > 0 {
		slices.Sort(unknown)
		return fault.Newf("--take names %s, which no row of the source has as its key", strings.Join(unknown, ", ")).Do("write the key as the source has it; nothing was written")
	}
	l.report.Guards = l.guards()
	if !l.req.Write {
		return nil
	}
	if len(l.report.Guards) > 0 {
		return Faults(l.report.Guards)
	}
	l.report.Run = fmt.Sprintf("%s-%d", l.office.Now.UTC().Format("20060102T150405Z"), os.Getpid())
	l.batch = nil // the rows are not needed any more, and can be many
	for _, c := range l.calendars {
		written, err := c.Apply(ctx, c.changes, c.zones)
		l.report.Written += written
		if err != nil {
			return err
		}
	}
	return l.takeAway(ctx)
}

// takeAway takes events that have moved out of the calendars they were in,
// once they are in the others for certain.
func (l *load) takeAway(ctx context.Context) error {
	for _, c := range l.calendars {
		if len(c.leaving) == 0 {
			continue
		}
		if len(c.changes) > 0 {
			if err := c.Again(); err != nil {
				return err
			}
		}
		var changes []calendar.Change
		for _, id := range c.leaving {
			if o := c.find(id); o != nil {
				changes = append(changes, calendar.Change{ID: objectID(c, id), Old: o})
			}
		}
		if _, err := c.Apply(ctx, changes, nil); err != nil {
			return err
		}
	}
	return nil
}

// calendarOf names the calendars of a row that is not loaded, as far as it
// says.
func (l *load) calendarOf(i int) string {
	var names []string
	for _, n := range l.placesOf(i) {
		names = append(names, l.calendars[n].Name())
	}
	return strings.Join(names, ", ")
}
