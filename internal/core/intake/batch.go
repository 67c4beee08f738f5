package intake

import (
	"hash/maphash"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/beside"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
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

// LeftOut is a row left out on purpose.
type LeftOut struct {
	Row    int
	Key    identity.Key
	Reason string
}

// A Batch is all rows of a source under one mapping: learnt, sorted by fate,
// and mapped one after another.
type Batch struct {
	Rows    []table.Row
	Mapping *Mapping
	Held    []Held
	LeftOut []LeftOut
	NoKey   bool // some row has no readable key, so no event can be known to be gone

	ids      []identity.ID // by row; zero for rows that are not wanted
	fate     []Fate
	notes    map[int]Notes
	first    map[identity.ID]int32 // row of each key that is wanted, or was until rows of it collided
	present  map[identity.ID]Fate  // keys of other rows
	identity string

	occurrences map[int]changedDate // rows that change one date of a series
}

// NewBatch learns the rows and sorts out those that are left out, have no
// key, or share a key. Blank rows must not be among them.
func NewBatch(m *Mapping, rows []table.Row) *Batch {
	b := &Batch{Rows: rows, Mapping: m, ids: make([]identity.ID, len(rows)), fate: make([]Fate, len(rows)), notes: map[int]Notes{}, identity: m.intake.Identity, occurrences: map[int]changedDate{}}
	var doubled, alike [][2]int
	if m.occurrence != nil || m.leaveOut != nil { // what a row is may depend on its dates
		m.Learn(rows)
		m.Settle()
		doubled, alike = b.sort()
	} else {
		learnt := beside.Run(func() { m.Learn(rows) })
		doubled, alike = b.sort()
		learnt()
		m.Settle()
	}
	b.settleAlike(alike)
	b.settleDoubled(doubled)
	return b
}

func (b *Batch) hold(i int, k identity.Key, f *fault.Fault) {
	b.fate[i] = HeldRow
	if f.Place.Row == 0 {
		at := b.Rows[i].Place()
		at.Column = f.Place.Column
		f.At(at)
	}
	b.Held = append(b.Held, Held{Row: i, Key: k, Fault: f})
}

func (b *Batch) leave(i int, k identity.Key, reason string) {
	b.fate[i] = LeftOutRow
	b.LeftOut = append(b.LeftOut, LeftOut{Row: i, Key: k, Reason: reason})
}

// sort finds each row's fate as far as its key and the conditions tell, and
// the pairs of rows that share a key or nearly do.
func (b *Batch) sort() (doubled, alike [][2]int) {
	m := b.Mapping
	first := make(map[identity.ID]int32, len(b.Rows))
	b.first = first
	var buf, other [256]byte
	folded := make(map[uint64]int32, len(b.Rows))
	hash := maphash.MakeSeed()
	b.present = map[identity.ID]Fate{}
	var key identity.Key
	for i, row := range b.Rows {
		if row.Fault != nil {
			b.NoKey = true
			b.hold(i, nil, row.Fault)
			if key = m.appendKey(key[:0], row); !key.Empty() { // most likely its own
				b.present[identity.Of(b.identity, key)] = HeldRow
			}
			continue
		}
		key = m.appendKey(key[:0], row)
		if row.Hidden {
			b.leave(i, slices.Clone(key), "hidden row")
			if !key.Empty() {
				b.present[identity.Of(b.identity, key)] = LeftOutRow
			}
			continue
		}
		reason, f := m.LeftOut(row)
		total := f == nil && (row.Sums() || key.Empty() && row.SumsUp())
		switch {
		case f != nil:
			b.hold(i, slices.Clone(key), f)
		case total:
			b.leave(i, nil, "totals row")
		case reason != "":
			b.leave(i, slices.Clone(key), reason)
		case key.Empty():
			b.NoKey = true
			f := fault.Newf("%s is empty: without a key the row cannot be found again", m.keyLabel()).Do("fill it in")
			b.hold(i, nil, f)
		}
		if key.Empty() || total {
			continue
		}
		id := identity.Of(b.identity, key)
		date, changes, f := m.occurrenceOf(row)
		if f != nil && b.fate[i] == WantedRow {
			b.hold(i, slices.Clone(key), f)
		}
		if changes {
			b.occurrences[i] = changedDate{id, date}
			id = identity.Occurrence(id, date)
		}
		if b.fate[i] != WantedRow {
			if _, known := b.present[id]; !known || b.fate[i] == HeldRow {
				b.present[id] = b.fate[i]
			}
			continue
		}
		b.ids[i] = id
		if j, ok := first[id]; ok {
			doubled = append(doubled, [2]int{int(j), i})
			continue
		}
		first[id] = int32(i)
		if changes {
			continue // the key is its series'
		}
		fold := key.AppendFold(buf[:0])
		h := maphash.Bytes(hash, fold)
		if j, ok := folded[h]; ok && string(m.Key(b.Rows[j]).AppendFold(other[:0])) == string(fold) {
			alike = append(alike, [2]int{int(j), i})
		} else {
			folded[h] = int32(i)
		}
	}
	return doubled, alike
}

// settleAlike holds keys that differ only by case or leading zeros.
func (b *Batch) settleAlike(pairs [][2]int) {
	for _, p := range pairs {
		for n, i := range p {
			if b.fate[i] != WantedRow {
				continue
			}
			k, other := b.Mapping.Key(b.Rows[i]), p[1-n]
			f := fault.New(k.String(), "differs from "+b.Mapping.Key(b.Rows[other]).String()+" in "+b.rowsText([]int{other}, i)+" only by case or leading zeros").Do("write both alike if they are one, or make them distinct")
			f.Place.Column = b.Mapping.keyLabel()
			b.hold(i, k, f)
		}
	}
}

// rowsText names rows: by their numbers, and where one of them or seen is of
// another file or sheet by that too.
func (b *Batch) rowsText(rows []int, seen ...int) string {
	first := b.Rows[rows[0]].Origin
	other := func(i int) bool { return b.Rows[i].Origin != first }
	several := slices.ContainsFunc(rows, other) || slices.ContainsFunc(seen, other)
	parts := make([]string, len(rows))
	for n, i := range rows {
		parts[n] = strconv.Itoa(int(b.Rows[i].Number))
		if o := b.Rows[i].Origin; several && o != nil {
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
func (b *Batch) settleDoubled(pairs [][2]int) {
	groups := map[int][]int{}
	var order []int
	for _, p := range pairs {
		if groups[p[0]] == nil {
			groups[p[0]] = []int{p[0]}
			order = append(order, p[0])
		}
		groups[p[0]] = append(groups[p[0]], p[1])
	}
	for _, lead := range order {
		group := groups[lead]
		key := b.Mapping.Key(b.Rows[lead])
		what := b.difference(group)
		if what == "" && b.fate[lead] == WantedRow {
			b.notes[lead] |= SameRowTwice
			for _, i := range group[1:] {
				b.leave(i, key, "the same as "+b.rowsText([]int{lead}, i))
			}
			continue
		}
		for _, i := range group {
			if b.fate[i] != WantedRow {
				continue
			}
			f := fault.New(key.String(), "is the key of "+b.rowsText(group)+", which differ in "+orElse(what, "spelling")).Do("give each event a key of its own, or remove the rows that are wrong")
			f.Place.Column = b.Mapping.keyLabel()
			b.hold(i, key, f)
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
	if b.Map(b.Mapping, group[0], &first) != nil {
		return "content"
	}
	var differ event.Set
	for _, i := range group[1:] {
		if b.Map(b.Mapping, i, &w) != nil || w.Cancel != first.Cancel {
			return "content"
		}
		for _, field := range event.Fields() {
			same := w.Event.Given.Has(field) == first.Event.Given.Has(field) && w.Event.Text(field) == first.Event.Text(field)
			if field == event.When {
				same = w.Event.When.Same(first.Event.When)
			}
			if !same {
				differ |= 1 << field
			}
		}
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

// Map maps row i, which must be wanted, with m, the batch's mapping or a fork
// of it. A row that cannot be mapped is the caller's to Hold.
func (b *Batch) Map(m *Mapping, i int, w *Wanted) *fault.Fault {
	o, changes := b.occurrences[i]
	if !changes {
		f := m.Map(b.Rows[i], w)
		w.Notes |= b.notes[i]
		return f
	}
	f := b.mapOccurrence(m, i, o, w)
	w.Notes |= b.notes[i]
	if f != nil {
		at := b.Rows[i].Place()
		at.Column = f.Place.Column
		f.At(at)
	}
	return f
}

// Hold holds row i, which was wanted.
func (b *Batch) Hold(i int, f *fault.Fault) {
	b.hold(i, b.Mapping.Key(b.Rows[i]), f)
}

// Leave marks row i, which was wanted, as left out.
func (b *Batch) Leave(i int, reason string) {
	b.leave(i, b.Mapping.Key(b.Rows[i]), reason)
}

// Present tells whether a key of the source has the ID, and its row's fate.
func (b *Batch) Present(id identity.ID) (Fate, bool) {
	if i, ok := b.first[id]; ok {
		return b.fate[i], true
	}
	f, ok := b.present[id]
	return f, ok
}
