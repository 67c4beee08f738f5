package plan

import (
	"context"
	"slices"
	"strings"
	"sync/atomic"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// Request is what a plan is made of.
type Request struct {
	Intake   *intake.Intake
	Batch    *intake.Batch
	Holdings []*Holding
	Sources  []table.Origin // in their order
	Stamp    zone.Time      // the present, for DTSTAMP

	// Places gives the indexes of the holdings that a row goes to. It is called
	// from several goroutines.
	Places func(row int) []int32

	Selected func(row int) bool // which rows are tried; nil for all
	Apart    bool               // each row stands for itself, as messages do: an event is not gone because its row is not there
	Takes    []Take
	Allow    map[string]int // how many of what a guard may let pass
	Full     bool           // every item has its event
	Brief    bool           // what stands untouched is counted and has no item

	// Moves tells that events of the intake may be taken out of a calendar that
	// their rows do not go to any more.
	Moves bool
	// NoGone, where it is not empty, says why nothing may be taken out of a
	// calendar as gone, however the intake has it.
	NoGone string
	// ZoneGuess is the zone of times that name none, where nobody named it: that
	// is never enough to move events.
	ZoneGuess string
	// Past lists events gone that are wholly past, which are otherwise counted.
	Past  bool
	Pairs Pairs

	Memory     Memory          // of earlier loads; nil for none
	Restore    map[string]bool // keys of rows whose event is made again though someone deleted it
	RestoreAll bool
	Remove     map[string]bool // keys of events gone that are deleted, whatever people did with them

	// Parallel is how many goroutines may work side by side, and Workers runs
	// work that often and gives what waits for its end; nil does it once.
	Parallel int
	Spool    Spool // for the texts of new events; nil keeps them in memory
	Workers  func(n int, work func()) (wait func())
}

// maker is a plan being made.
type maker struct {
	Request
	plan    *Plan
	now     int64
	series  map[identity.ID]*master // of the series that rows change dates of
	decided map[string]*decision    // by key
	edits   editor
	zones   []func(*zone.Zone) *zone.Zone // by holding: see zoneNames
	moved   map[event.Field]int           // events whose field a load would change
	keys    map[event.Field][]string
	removed []string // keys of events that a load would cancel or delete as gone
	rezoned []string // keys of events that a guessed zone would move
	turned  []turned // events whose title and time change
	taken   []string // keys of events that a load would move to another calendar
	ours    int      // events of this intake in its calendars
	none    int      // rows whose events are to be cancelled

	join      join
	pairs     map[int]pair           // by row: the event that its key stood for under another form or number
	likely    map[int]*orphan        // by row: the event that it may stand for
	claimed   map[identity.ID]string // by the ID of an orphan: the key that has taken it over
	alike     map[int]bool           // rows held for the event that they look like, where only those matter
	adoptions adoptions
	vanished  []string // keys of events that were deleted in their calendar since the last load
	restless  bool     // something of the rows will not be the same once the plan is applied
}

// master is what became of a series that rows change dates of.
type master struct {
	outcome  agree.Outcome
	calendar []int32        // that its event goes to
	uids     []string       // by calendar
	objects  []*ical.Object // as they stand; nil for a new one
	from     []int32        // where each stands
}

// Make makes a plan. The error is what stops the whole: a take that names no
// row, totals that do not foot, or a cancelled context.
func Make(ctx context.Context, r Request) (*Plan, error) {
	m := &maker{Request: r, plan: &Plan{Intake: r.Intake.Name, Identity: r.Intake.Identity, Assumed: map[string][]int{}, Texts: intake.NoteTexts(r.Intake), Names: r.Intake.PropertyNames(), Own: r.Intake.EventText("own_address"), zones: zonesOf(r)}, now: r.Stamp.Instant(nil), series: map[identity.ID]*master{}, moved: map[event.Field]int{}, keys: map[event.Field][]string{}}
	m.edits.holdings = r.Holdings
	for _, h := range r.Holdings {
		m.plan.calendars = append(m.plan.calendars, h.Name)
		m.zones = append(m.zones, zoneNames(h))
	}
	m.plan.Items.calendars = m.plan.calendars
	if r.Pairs.Only {
		m.Selected, m.alike = func(row int) bool { return r.Selected == nil || r.Selected(row) }, map[int]bool{}
	}
	if err := m.readTakes(); err != nil {
		return nil, err
	}
	for i := range r.Batch.Rows.Len() {
		if id, _, changes := r.Batch.Occurrence(i); changes {
			m.series[id] = &master{}
		}
	}
	m.edits.series = len(m.series) > 0
	m.join = newJoin(r.Batch, r.Holdings)
	m.paired()
	if !r.Pairs.Only {
		r.Batch.Look()
	}
	if err := m.rows(ctx); err != nil {
		return nil, err
	}
	m.occurrences()
	m.gone()
	m.rest()
	m.edits.finish(m.plan)
	m.rekeyed()
	m.plan.Guards = m.guards()
	if !r.Pairs.Only {
		m.plan.Notes = append(append(m.plan.Notes, r.Batch.Unmet(m.none)...), r.Batch.Off(m.selected)...)
	}
	m.plan.Notes = append(m.plan.Notes, m.restores()...)
	m.unsettled()
	m.plan.rests = m.rests()
	return m.plan, m.plan.Totals.Check()
}

func (m *maker) selected(i int) bool { return m.Selected == nil || m.Selected(i) }

// shardSize is how many rows are worked on in one go.
const shardSize = 2048

// rows settles every row that is an event of its own, in shards of rows side by
// side, and puts the shards together in the order of the rows.
func (m *maker) rows(ctx context.Context) error {
	rows := m.Batch.Rows.Len()
	shards := make([]*shard, (rows+shardSize-1)/shardSize)
	next := make(chan int, len(shards))
	for n := range shards {
		next <- n
	}
	close(next)
	if len(m.series) > 0 { // its events may have several components, which are put together
		m.Spool = nil
	}
	var end atomic.Int64
	held := 0
	for _, h := range m.Holdings {
		held += len(h.slots)
	}
	var block []packed // a part for each shard, so that items seldom need copying
	if !m.Brief || held < rows/2 {
		block = make([]packed, rows)
	}
	keep := m.kept(len(shards))
	work := func() {
		mapper, texts, glances := m.Batch.Mapping.Mapper(), &writer{spool: m.Spool, end: &end}, &ical.Window{}
		defer texts.flush()
		for n := range next {
			if ctx.Err() != nil {
				return
			}
			from, to := n*shardSize, min((n+1)*shardSize, rows)
			s := &shard{maker: m, items: Items{calendars: m.plan.calendars}, mapper: mapper, texts: texts, glances: glances, stands: make([]Stand, 0, to-from)}
			if block != nil {
				s.items.list = block[from:from:to]
			}
			if held == 0 { // every row is new
				s.changes = make([]change, 0, to-from)
			}
			for i := from; i < to; i++ {
				if _, _, changes := m.Batch.Occurrence(i); !changes {
					s.row(i)
				}
			}
			shards[n] = s
			keep.done(n, s)
		}
	}
	if m.Workers == nil || len(m.Pairs.Adopt) > 0 || m.Pairs.AdoptFrom > 0 { // of two rows that claim one event, the first gets it
		work()
	} else {
		m.Workers(min(max(m.Parallel, 1), len(shards)), work)()
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	items, stands, most := 0, 0, 0
	for _, s := range shards {
		items, stands, most = items+s.items.Len(), stands+len(s.stands), max(most, s.items.Len())
	}
	if block != nil && most <= shardSize && items > rows/2 {
		m.plan.Items.list = block[:0]
	} else {
		m.plan.Items.list = make([]packed, 0, items+len(m.Batch.Held)+len(m.Batch.LeftOut))
	}
	m.plan.standing = slices.Grow(m.plan.standing, stands)
	for n, s := range shards {
		m.add(s)
		shards[n] = nil
	}
	return nil
}

// occurrences settles the rows that change one date of a series, once what
// becomes of the series is known.
func (m *maker) occurrences() {
	if len(m.series) == 0 {
		return
	}
	s := &shard{maker: m, items: Items{calendars: m.plan.calendars}, mapper: m.Batch.Mapping.Mapper(), texts: &writer{}, glances: &ical.Window{}}
	for i := range m.Batch.Rows.Len() {
		if _, _, changes := m.Batch.Occurrence(i); changes {
			s.row(i)
		}
	}
	m.add(s)
}

// add takes over what a shard found.
func (m *maker) add(s *shard) {
	t := &m.plan.Totals
	t.Rows += s.totals.Rows
	t.Wanted += s.totals.Wanted
	t.Placed += s.totals.Placed
	t.New += s.totals.New
	t.Changed += s.totals.Changed
	t.Same += s.totals.Same
	t.Edited += s.totals.Edited
	t.Disputed += s.totals.Disputed
	t.Removed += s.totals.Removed
	m.none += s.cancels
	m.restless = m.restless || s.restless || len(s.held)+s.cancels > 0
	for _, h := range s.held {
		m.Batch.Hold(h.row, h.fault)
		if m.Pairs.Only {
			m.alike[h.row] = true
		}
	}
	for _, o := range s.out {
		m.Batch.Leave(o.row, o.why)
	}
	list := m.plan.Items.list
	first := len(list)
	if n := s.items.Len(); n > 0 && cap(list) >= first+n && &list[:first+1][first] == &s.items.list[0] {
		m.plan.Items.list = list[:first+n] // there they are
	} else {
		m.plan.Items.list = append(list, s.items.list...)
	}
	for i := range s.changes {
		s.changes[i].item += int32(first)
	}
	m.edits.add(s.changes...)
	for _, n := range s.notes {
		for _, kind := range n.notes.Kinds(m.Intake) {
			m.plan.Assumed[kind] = append(m.plan.Assumed[kind], int(m.Batch.Rows.At(n.row).Number))
		}
	}
	for _, f := range s.moved {
		m.moved[f.field]++
		m.keys[f.field] = few(m.keys[f.field], f.key)
	}
	for _, st := range s.stands {
		if st.Item >= 0 {
			st.Item += int32(first)
		}
		m.plan.standing = append(m.plan.standing, st)
	}
	m.vanished = append(m.vanished, s.vanished...)
	m.taken = append(m.taken, s.taken...)
	m.rezoned = append(m.rezoned, s.rezoned...)
	m.turned = append(m.turned, s.turned...)
	for id, found := range s.masters {
		*m.series[id] = *found
	}
	for _, k := range s.settled {
		if d := m.decided[k]; d != nil { // otherwise the intake decided
			d.used = true
		}
	}
}

// few keeps the first few keys, to be named where a guard stops.
func few(keys []string, key string) []string {
	if len(keys) < 5 {
		return append(keys, key)
	}
	return keys
}

// rest adds the rows that were held or left out, and puts the items in the
// order of the source, what is gone last.
func (m *maker) rest() {
	t := &m.plan.Totals
	for _, h := range m.Batch.Held {
		if m.selected(h.Row) && (!m.Pairs.Only || m.alike[h.Row]) {
			t.count(agree.Held)
			m.plan.Items.Add(Item{Outcome: agree.Held, Row: placeOf(m.Batch.Rows.At(h.Row)), Key: h.Key.String(), Calendar: m.calendarsOf(h.Row), Reason: h.Fault.Reason(), Edit: -1, Event: m.Batch.Proposal(h.Row)})
		}
	}
	for _, o := range m.Batch.LeftOut {
		if m.selected(o.Row) && !m.Pairs.Only {
			t.count(agree.LeftOut)
			m.plan.Items.Add(Item{Outcome: agree.LeftOut, Row: placeOf(m.Batch.Rows.At(o.Row)), Key: o.Key.String(), Calendar: m.calendarsOf(o.Row), Reason: o.Reason, Edit: -1})
		}
	}
	if t.Placed == t.Wanted {
		t.Placed = 0
	}
	m.sort()
}

// sort puts the items in order, and keeps what points at them pointing.
func (m *maker) sort() {
	list := m.plan.Items.list
	if slices.IsSortedFunc(list, m.compare) {
		return
	}
	order := make([]int32, len(list))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int { return m.compare(list[a], list[b]) })
	items, at := make([]packed, len(order)), make([]int32, len(order))
	for to, from := range order {
		items[to], at[from] = list[from], int32(to)
	}
	m.plan.Items.list = items
	for _, list := range m.edits.changes {
		for i := range list {
			list[i].item = at[list[i].item]
		}
	}
	for i := range m.plan.standing {
		if s := &m.plan.standing[i]; s.Item >= 0 {
			s.Item = at[s.Item]
		}
	}
}

func (m *maker) compare(a, b packed) int {
	if gone := func(p *packed) bool { return p.is() == agree.Gone }; gone(&a) != gone(&b) {
		return map[bool]int{true: 1, false: -1}[gone(&a)]
	}
	if a.origin != b.origin {
		return m.source(a.origin) - m.source(b.origin)
	}
	return int(a.number - b.number)
}

func (m *maker) source(o *table.Origin) int {
	if o == nil {
		return -1
	}
	return slices.Index(m.Sources, *o)
}

// calendarsOf names the calendars of a row that is not loaded, as far as it
// says.
func (m *maker) calendarsOf(i int) string {
	text := ""
	for _, n := range m.Places(i) {
		if text != "" {
			text += ", "
		}
		text += m.Holdings[n].Name
	}
	return text
}

// heldFault is a row that is held, with the fault.
type heldFault struct {
	row   int
	fault *fault.Fault
}

// zonesOf gives what TZIDs mean in what is written: the zone data's meaning, or
// that of the calendar which knows the name.
func zonesOf(r Request) ical.Zones {
	book := r.Batch.Mapping.Zones
	var calendars []ical.Zones
	for _, h := range r.Holdings {
		calendars = append(calendars, h.Zones)
	}
	return func(tzid string) (*zone.Zone, error) {
		z, err := book.Find(strings.TrimPrefix(tzid, "/almanach/"))
		for n := 0; err != nil && n < len(calendars); n++ {
			z, err = calendars[n](tzid)
		}
		return z, err
	}
}
