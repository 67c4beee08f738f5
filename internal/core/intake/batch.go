package intake

import (
	"hash/maphash"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/index"
	"almanach/internal/core/match"
	"almanach/internal/core/table"
)

// Fate is what becomes of a row before any calendar is looked at.
type Fate uint8

// The fates of a row. Totals foot: rows = wanted + held + left out.
const (
	WantedRow Fate = iota
	HeldRow
	LeftOutRow
)

// Held is a row that is not loaded, with its reason.
type Held struct {
	Row   int // index into the batch's rows
	Key   identity.Key
	Fault *fault.Fault
}

// Why is a kind of reason for which a row is left out.
type Why uint8

// The reasons for which rows are left out.
const (
	ByCondition     Why = iota // the intake's leave_out
	IsHidden                   // hidden in its sheet
	IsTotal                    // it only sums up others
	IsRepeated                 // another row says the same
	NothingToCancel            // cancelled, and it has no event
	OutsidePeriod              // not in the time that the source is about
	IsStruck                   // crossed out
)

// LeftOut is a row left out on purpose.
type LeftOut struct {
	Row    int
	Key    identity.Key
	Why    Why
	Reason string
}

// Concurrently runs work beside its caller's and gives what waits for its end.
type Concurrently func(work func()) (wait func())

// A Batch is all rows of a source under one mapping: learnt, sorted by fate,
// and mapped one after another. Hold and Leave belong to the goroutine that
// made it.
type Batch struct {
	Rows    table.Rows
	Mapping *Mapping
	Held    []Held
	LeftOut []LeftOut
	NoKey   bool // some row has no readable key, so no event can be known to be gone
	Hidden  int  // rows that are hidden in their sheet and not read

	mapper   *Mapper
	ids      []identity.ID // by row; zero for rows that are not wanted
	fate     []Fate
	notes    map[int]Notes
	first    index.Table // row of each key that is wanted, or was until rows of it collided
	seed     maphash.Seed
	present  map[identity.ID]Fate // keys of other rows
	identity string
	met      [2]int // rows that met leave_out and cancel_when

	occurrences map[int]changedDate // rows that change one date of a series

	seen *seen // by Look; nil before that
}

// NewBatch learns the rows and sorts out those that are left out, have no
// key, or share a key. Blank rows must not be among them. What can be done side
// by side is run by beside; nil does one after the other.
func NewBatch(m *Mapping, rows table.Rows, beside Concurrently) *Batch {
	b := &Batch{Rows: rows, Mapping: m, ids: make([]identity.ID, rows.Len()), fate: make([]Fate, rows.Len()), notes: map[int]Notes{}, identity: m.intake.Identity, first: index.New(rows.Len()), seed: maphash.MakeSeed(), present: map[identity.ID]Fate{}, occurrences: map[int]changedDate{}}
	s := sorter{Batch: b, folded: index.New(rows.Len())}
	if beside == nil || m.occurrence != nil || m.leaveOut != nil { // what a row is may depend on its dates
		m.Learn(rows)
		b.mapper = m.Mapper()
		s.sort()
	} else {
		learnt := beside(func() { m.Learn(rows) })
		s.sort()
		learnt()
		b.mapper = m.Mapper()
	}
	s.settleAlike()
	s.settleDoubled()
	return b
}

func (b *Batch) hold(i int, k identity.Key, f *fault.Fault) {
	b.fate[i] = HeldRow
	if f.Place.Row == 0 {
		at := b.Rows.Place(i)
		at.Column = f.Place.Column
		f.At(at)
	}
	b.Held = append(b.Held, Held{Row: i, Key: k, Fault: f})
}

func (b *Batch) leave(i int, k identity.Key, why Why, reason string) {
	b.fate[i] = LeftOutRow
	b.LeftOut = append(b.LeftOut, LeftOut{Row: i, Key: k, Why: why, Reason: reason})
}

// sorter finds the fates of a batch's rows.
type sorter struct {
	*Batch
	folded         index.Table // by the form in which keys collide
	doubled, alike [][2]int    // rows that share a key, and those that nearly do
	key            identity.Key
	buf, other     []byte
}

// sort finds each row's fate as far as its key and the conditions tell.
func (s *sorter) sort() {
	for i, row := range s.Rows.All() {
		if s.judge(i, row) {
			s.file(i, row)
		}
	}
}

// judge finds the fate of a row by itself, and tells whether it has a key to be
// filed under. The key is in s.key.
func (s *sorter) judge(i int, row table.Row) (keyed bool) {
	s.key = s.Mapping.appendKey(s.key[:0], row)
	switch {
	case row.Fault != nil:
		s.NoKey = true
		s.hold(i, nil, row.Fault)
		if !s.key.Empty() { // most likely its own
			s.present[identity.Of(s.identity, s.key)] = HeldRow
		}
		return false
	case row.Hidden:
		s.Batch.Hidden++
		s.leave(i, slices.Clone(s.key), IsHidden, "hidden row")
		if !s.key.Empty() {
			s.present[identity.Of(s.identity, s.key)] = HeldRow // it is there, only not shown
		}
		return false
	}
	reason, f := "", (*fault.Fault)(nil)
	if s.mapper != nil { // there is a condition
		reason, f = s.mapper.LeftOut(row)
	}
	struck, crossed := s.Mapping.crossedOut(row)
	if f == nil && reason == "" {
		f = crossed
	}
	total := f == nil && row.SumsUp() && (row.Sums() || s.key.Empty() || row.Alone())
	switch {
	case f != nil:
		s.hold(i, slices.Clone(s.key), f)
	case total:
		s.leave(i, nil, IsTotal, "totals row")
	case reason != "":
		s.met[0]++
		s.leave(i, slices.Clone(s.key), ByCondition, reason)
	case struck && s.Mapping.intake.Struck == "leave out":
		s.leave(i, slices.Clone(s.key), IsStruck, "crossed out")
	case row.Evidence != nil && row.Evidence.Held != nil:
		s.hold(i, slices.Clone(s.key), row.Evidence.Held)
	case stateOff(row.Under):
		s.hold(i, slices.Clone(s.key), fault.New(row.Under, "is the heading that it stands under").Do("say in a column whether it takes place, or take the row away"))
	case s.key.Empty():
		s.NoKey = true
		s.hold(i, nil, fault.Newf("%s is empty: without a key the row cannot be found again", s.Mapping.keyLabel()).Do("fill it in"))
	}
	return !s.key.Empty() && !total
}

// stateOff tells whether a heading within a table says that what is below may not take place.
func stateOff(heading string) bool {
	if heading == "" {
		return false
	}
	_, off := match.State(heading)
	return off
}

// file files a row under its identity, and notes others of the same key.
func (s *sorter) file(i int, row table.Row) {
	id := identity.Of(s.identity, s.key)
	changes := false
	if s.mapper != nil {
		date, is, f := s.mapper.occurrenceOf(row)
		if f != nil && s.fate[i] == WantedRow {
			s.hold(i, slices.Clone(s.key), f)
		}
		if changes = is; is {
			s.occurrences[i] = changedDate{id, date}
			id = identity.Occurrence(id, date)
		}
	}
	if s.fate[i] != WantedRow {
		if _, known := s.present[id]; !known || s.fate[i] == HeldRow {
			s.present[id] = s.fate[i]
		}
		return
	}
	s.ids[i] = id
	h := maphash.Bytes(s.seed, id[:])
	if j := s.under(h, id); j >= 0 {
		s.doubled = append(s.doubled, [2]int{j, i})
		return
	}
	s.first.Add(h, int32(i))
	if changes {
		return // the key is its series'
	}
	s.buf = s.key.AppendFold(s.buf[:0])
	h = maphash.Bytes(s.seed, s.buf)
	for j := range s.folded.Under(h) {
		s.other = s.Mapping.Key(s.Rows.At(int(j))).AppendFold(s.other[:0])
		if string(s.other) == string(s.buf) {
			s.alike = append(s.alike, [2]int{int(j), i})
			return
		}
	}
	s.folded.Add(h, int32(i))
}

// settleAlike holds keys that differ only by case or leading zeros.
func (s *sorter) settleAlike() {
	for _, p := range s.alike {
		for n, i := range p {
			if s.fate[i] != WantedRow {
				continue
			}
			k, other := s.Mapping.Key(s.Rows.At(i)), p[1-n]
			f := fault.New(k.String(), "differs from "+s.Mapping.Key(s.Rows.At(other)).String()+" in "+s.rowsText([]int{other}, i)+" only by case or leading zeros").Do("write both alike if they are one, or make them distinct")
			f.Place.Column = s.Mapping.keyLabel()
			s.hold(i, k, f)
		}
	}
}

// rowsText names rows: by their numbers, and where one of them or seen is of
// another file or sheet by that too.
func (b *Batch) rowsText(rows []int, seen ...int) string {
	first := b.Rows.At(rows[0]).Origin
	other := func(i int) bool { return b.Rows.At(i).Origin != first }
	several := slices.ContainsFunc(rows, other) || slices.ContainsFunc(seen, other)
	parts := make([]string, len(rows))
	for n, i := range rows {
		parts[n] = strconv.Itoa(int(b.Rows.At(i).Number))
		if o := b.Rows.At(i).Origin; several && o != nil {
			parts[n] = "row " + parts[n] + " of " + strings.TrimSpace(o.File+" "+o.Sheet)
		}
	}
	text := strings.Join(parts, " and ")
	switch {
	case several:
		return text
	case len(rows) == 1:
		return "row " + text
	}
	return "rows " + text
}

// settleDoubled counts rows once that say the same under one key, and holds
// all rows of a key that do not.
func (s *sorter) settleDoubled() {
	groups := map[int][]int{}
	var order []int
	for _, p := range s.doubled {
		if groups[p[0]] == nil {
			groups[p[0]] = []int{p[0]}
			order = append(order, p[0])
		}
		groups[p[0]] = append(groups[p[0]], p[1])
	}
	for _, lead := range order {
		group := groups[lead]
		key := s.Mapping.Key(s.Rows.At(lead))
		what := s.difference(group)
		if what == "" && s.fate[lead] == WantedRow {
			s.notes[lead] |= SameRowTwice
			for _, i := range group[1:] {
				s.leave(i, key, IsRepeated, "the same as "+s.rowsText([]int{lead}, i))
			}
			continue
		}
		for _, i := range group {
			if s.fate[i] != WantedRow {
				continue
			}
			f := fault.New(key.String(), "is the key of "+s.rowsText(group)+", which differ in "+orElse(what, "spelling")).Do("give each event a key of its own, or remove the rows that are wrong")
			f.Place.Column = s.Mapping.keyLabel()
			s.hold(i, key, f)
		}
	}
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

// difference names the fields in which rows of one key differ, "" when all
// want the same event.
func (b *Batch) difference(group []int) string {
	var first, w Wanted
	if b.Map(b.mapper, group[0], &first) != nil {
		return "content"
	}
	var differ event.Set
	for _, i := range group[1:] {
		if b.Map(b.mapper, i, &w) != nil || w.Cancel != first.Cancel {
			return "content"
		}
		differ |= w.Event.Differ(&first.Event)
	}
	var names []string
	for _, field := range event.Fields() {
		if differ.Has(field) {
			names = append(names, strings.Replace(field.String(), "when", "time", 1))
		}
	}
	return strings.Join(names, ", ")
}

// Fate gives what becomes of row i, its ID when it is wanted so far.
func (b *Batch) Fate(i int) (Fate, identity.ID) { return b.fate[i], b.ids[i] }

// Map maps row i, which must be wanted, with a mapper of the batch's mapping. A
// row that cannot be mapped is the caller's to Hold.
func (b *Batch) Map(m *Mapper, i int, w *Wanted) *fault.Fault {
	o, changes := b.occurrences[i]
	if !changes {
		m.row = i
		f := m.Map(b.Rows.At(i), w)
		m.row = -1
		w.Notes |= b.notes[i]
		return f
	}
	f := b.mapOccurrence(m, i, o, w)
	w.Notes |= b.notes[i]
	if f != nil {
		at := b.Rows.Place(i)
		at.Column = f.Place.Column
		f.At(at)
	}
	return f
}

// Brief is Map, but texts that cannot fail are passed over: it tells when the event of a row
// is, or why the row is held.
func (b *Batch) Brief(m *Mapper, i int, w *Wanted) *fault.Fault {
	m.brief = true
	defer func() { m.brief = false }()
	return b.Map(m, i, w)
}

// Proposal gives the event that a row of running text would be loaded as, were it
// not held; nil where it has none.
func (b *Batch) Proposal(i int) *event.Event {
	if b.fate[i] != HeldRow || b.Rows.At(i).Evidence == nil {
		return nil
	}
	var w Wanted
	if b.mapper.Map(b.Rows.At(i), &w) != nil || w.Event.When.Start.IsZero() {
		return nil
	}
	e := w.Event
	return &e
}

// Hold holds row i, which was wanted.
func (b *Batch) Hold(i int, f *fault.Fault) {
	b.hold(i, b.Mapping.Key(b.Rows.At(i)), f)
}

// Leave marks row i, which was wanted, as left out.
func (b *Batch) Leave(i int, why Why) {
	reason := "outside of the period"
	if why == NothingToCancel {
		reason = "cancelled in the source, and there is no event to cancel"
	}
	b.leave(i, b.Mapping.Key(b.Rows.At(i)), why, reason)
}

// RowOf gives the first row whose key has the ID, as long as it was wanted when
// the batch was sorted; -1 for none.
func (b *Batch) RowOf(id identity.ID) int {
	return b.under(maphash.Bytes(b.seed, id[:]), id)
}

func (b *Batch) under(hash uint64, id identity.ID) int {
	for i := range b.first.Under(hash) {
		if b.ids[i] == id {
			return int(i)
		}
	}
	return -1
}

// Present tells whether a key of the source has the ID, and its row's fate.
func (b *Batch) Present(id identity.ID) (Fate, bool) {
	if i := b.RowOf(id); i >= 0 {
		return b.fate[i], true
	}
	f, ok := b.present[id]
	return f, ok
}
