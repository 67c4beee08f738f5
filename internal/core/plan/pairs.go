package plan

import (
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
)

// Pairs says what a person decided of rows that have no event yet and look like
// one that is there.
type Pairs struct {
	// Rekey gives, by the key of a row, the old key of its event; RekeyAll takes
	// every likely pair.
	Rekey    map[string]string
	RekeyAll bool
	// Adopt gives the keys of rows that claim the event made by hand that they
	// look like; AdoptFrom claims all that are at least so much alike, in per
	// cent, 0 for none.
	Adopt     map[string]bool
	AdoptFrom int
	// Beside gives the keys of rows that get an event of their own all the same.
	Beside    map[string]bool
	BesideAll bool
	// Only leaves all rows alone that claim no event and look like none.
	Only bool
}

// pair is an event that a row without one of its own is taken to stand for.
type pair struct {
	place int32
	found Found
	old   string // the key it bears, where that is another number; "" where only its form differs
}

// orphan is an event of ours whose key no row of the source has.
type orphan struct {
	place int32
	found Found
	view  event.View
}

// paired finds the events of rows whose keys changed: by the value of the key
// where only its form did, by name or by what they say otherwise. It holds the
// rows that may be renumbered until someone says so.
func (m *maker) paired() {
	orphans, unmarked := m.orphans()
	m.pairs, m.likely, m.claimed = map[int]pair{}, map[int]*orphan{}, map[identity.ID]string{}
	if len(orphans)+len(unmarked) == 0 {
		m.unknownRekeys()
		return
	}
	fresh := m.fresh()
	m.sameValue(orphans, fresh)
	m.renamed(orphans, fresh)
	m.renumbered(orphans, fresh)
	m.lost(unmarked, fresh)
	m.unknownRekeys()
}

// orphans gives the events of this intake whose keys are not in the source, and those that have
// lost their marks and have the UID of no key in it.
func (m *maker) orphans() (out, unmarked []*orphan) {
	for n, h := range m.Holdings {
		h.Ours(func(f *Found) bool {
			if _, present := m.present(int32(n), f); present || f.Twins > 0 {
				return true
			}
			view, err := event.Read(f.Raw(), h.Zones)
			if err == nil && view.Intake == "" && view.Recurrence.IsZero() {
				unmarked = append(unmarked, &orphan{int32(n), *f, view})
				return true
			}
			if err != nil || view.Intake != m.Intake.Identity || !view.Recurrence.IsZero() {
				return true
			}
			if id, ok := markedID(&view); ok {
				if _, present := m.Batch.Present(id); present {
					return true
				}
			}
			out = append(out, &orphan{int32(n), *f, view})
			return true
		})
	}
	return out, unmarked
}

// lost finds the events of rows which have lost their marks, and whose UID is from another key
// that the row had: one that stood at the last load, is not found, and says the same.
func (m *maker) lost(unmarked []*orphan, fresh []int) {
	byWhat := map[string][]*orphan{}
	for _, o := range unmarked {
		what := said(&o.view.Event)
		byWhat[what] = append(byWhat[what], o)
	}
	if len(unmarked) == 0 {
		return
	}
	rows := map[*orphan][]int{}
	for i, w := range m.unpaired(fresh) {
		_, id := m.Batch.Fate(i)
		known := slices.ContainsFunc(m.Holdings, func(h *Holding) bool { return m.Memory.stood(h.Name, id) })
		if list := byWhat[said(&w.Event)]; known && m.likely[i] == nil && len(list) == 1 && list[0].view.When.Same(w.Event.When) {
			rows[list[0]] = append(rows[list[0]], i)
		}
	}
	for _, o := range unmarked {
		if list := rows[o]; len(list) == 1 {
			key := m.claim(list[0], o, "")
			m.plan.Notes = append(m.plan.Notes, fmt.Sprintf("the event of %s has lost its marks in the calendar, and is known by its title and its time", key))
		}
	}
}

// unpaired goes through the rows that are no part of a pair, with what they want. That lasts
// until the next one.
func (m *maker) unpaired(fresh []int) iter.Seq2[int, *intake.Wanted] {
	return func(yield func(int, *intake.Wanted) bool) {
		mapper := m.Batch.Mapping.Mapper()
		var w intake.Wanted
		for _, i := range fresh {
			if _, done := m.pairs[i]; done || m.Batch.Map(mapper, i, &w) != nil || w.Cancel {
				continue
			}
			if !yield(i, &w) {
				return
			}
		}
	}
}

// fresh gives the rows that have no event in any calendar.
func (m *maker) fresh() (out []int) {
	for i := range m.Batch.Rows.Len() {
		fate, _ := m.Batch.Fate(i)
		if _, _, changes := m.Batch.Occurrence(i); fate != intake.WantedRow || changes || len(m.Places(i)) != 1 {
			continue
		}
		stands := false
		for n := range m.Holdings {
			f := m.standsIn(int32(n), i)
			stands = stands || f.Object != nil
		}
		if !stands {
			out = append(out, i)
		}
	}
	return out
}

// sameValue pairs keys that are one by their value: 0042 and 42, 42.0 and 42,
// K-007 and the 7 that the sheet stores.
func (m *maker) sameValue(orphans []*orphan, fresh []int) {
	events, rows := map[string][]*orphan{}, map[string][]int{}
	for _, o := range orphans {
		v := keyValue(o.view.Key)
		events[v] = append(events[v], o)
	}
	for _, i := range fresh {
		for _, v := range m.keyValues(m.Batch.Rows.At(i)) {
			if events[v] != nil {
				rows[v] = append(rows[v], i)
			}
		}
	}
	var forms []string
	for _, i := range fresh {
		for _, v := range m.keyValues(m.Batch.Rows.At(i)) {
			if len(rows[v]) != 1 || len(events[v]) != 1 || m.claimed[events[v][0].found.ID] != "" {
				continue
			}
			key := m.claim(i, events[v][0], "")
			forms = few(forms, fmt.Sprintf("%s is now %s", events[v][0].view.Key, key))
			break
		}
	}
	if n := len(m.pairs); n > 0 {
		text := fmt.Sprintf("%d keys have another form than at the last load and are the same by their value: %s", n, strings.Join(forms, ", "))
		if n == 1 {
			text = "a key has another form than at the last load and is the same by its value: " + forms[0]
		}
		m.plan.Notes = append(m.plan.Notes, text)
	}
}

// renamed pairs events of running text whose title or place was written otherwise, as their
// keys are made of these: at the same time, with titles that are alike, and no other that may be
// meant. What messages say of one event has a key of its own.
func (m *maker) renamed(orphans []*orphan, fresh []int) {
	if m.Apart {
		return
	}
	rows, events := map[*orphan][]int{}, map[int][]*orphan{}
	day := func(s event.Span) int64 { return s.Start.Wall / 86400 }
	byDay := map[int64][]*orphan{}
	for _, o := range orphans {
		if m.claimed[o.found.ID] == "" {
			byDay[day(o.view.When)] = append(byDay[day(o.view.When)], o)
		}
	}
	texts := slices.DeleteFunc(slices.Clone(fresh), func(i int) bool { return m.Batch.Rows.At(i).Evidence == nil })
	for i, w := range m.unpaired(texts) {
		for _, o := range byDay[day(w.Event.When)] {
			if o.place == m.Places(i)[0] && o.view.When.Same(w.Event.When) && sameThing(o.view.Text(event.Title), w.Event.Text(event.Title)) {
				rows[o], events[i] = append(rows[o], i), append(events[i], o)
			}
		}
	}
	var forms []string
	count := 0
	for _, i := range texts {
		if len(events[i]) != 1 || len(rows[events[i][0]]) != 1 {
			continue
		}
		key := m.claim(i, events[i][0], "")
		forms = few(forms, fmt.Sprintf("%s is now %s", events[i][0].view.Key, key))
		count++
	}
	if count > 0 {
		text := fmt.Sprintf("%d events have another title or place than at the last load, and the same time: %s", count, strings.Join(forms, ", "))
		if count == 1 {
			text = "an event has another title or place than at the last load, and the same time: " + forms[0]
		}
		m.plan.Notes = append(m.plan.Notes, text)
	}
}

// sameThing tells whether two titles are most likely of one thing: they share half of their
// words, or one has all words of the other.
func sameThing(a, b string) bool {
	x, y := wordsOf(a), wordsOf(b)
	within := func(x, y []string) bool {
		return len(x) > 0 && !slices.ContainsFunc(x, func(w string) bool { return !slices.Contains(y, w) })
	}
	return shared(x, y) >= 50 || within(x, y) || within(y, x)
}

// claim takes an orphan for the event of row i.
func (m *maker) claim(i int, o *orphan, old string) string {
	key := m.Batch.Mapping.Key(m.Batch.Rows.At(i)).String()
	m.pairs[i] = pair{place: o.place, found: o.found, old: old}
	m.claimed[o.found.ID] = key
	return key
}

// keyValues gives what a row's key can be worth: as shown, and as its numbers
// are stored.
func (m *maker) keyValues(r table.Row) []string {
	shown := keyValue(m.Batch.Mapping.Key(r).String())
	if stored := keyValue(m.Batch.Mapping.StoredKey(r).String()); stored != shown {
		return []string{shown, stored}
	}
	return []string{shown}
}

// keyValue gives a key without what does not change its value: case, zeros in
// front of numbers and behind their point.
func keyValue(key string) string {
	parts := strings.Split(key, " / ")
	for i, p := range parts {
		if n, err := strconv.ParseFloat(p, 64); err == nil && strings.Trim(p, "0123456789.") == "" {
			parts[i] = strconv.FormatFloat(n, 'f', -1, 64)
		}
	}
	return string(identity.Key(parts).AppendFold(nil))
}

// renumbered pairs rows and events that say the same under another key, as far
// as someone said that they are one. The others are likely pairs.
func (m *maker) renumbered(orphans []*orphan, fresh []int) {
	byKey, byWhat := map[string]*orphan{}, map[string][]*orphan{}
	for _, o := range orphans {
		if m.claimed[o.found.ID] == "" {
			byKey[o.view.Key] = o
			what := said(&o.view.Event)
			byWhat[what] = append(byWhat[what], o)
		}
	}
	alike := map[*orphan][]int{}
	asked := func(i int) string { return m.Pairs.Rekey[m.Batch.Mapping.Key(m.Batch.Rows.At(i)).String()] }
	for _, i := range fresh {
		if _, done := m.pairs[i]; done || len(m.Pairs.Rekey) == 0 {
			continue
		}
		old := asked(i)
		if o := byKey[old]; old != "" && o != nil && m.claimed[o.found.ID] == "" {
			m.claim(i, o, old)
		}
	}
	for i, w := range m.unpaired(fresh) {
		if asked(i) != "" {
			continue
		}
		if list := byWhat[said(&w.Event)]; len(list) == 1 && list[0].view.When.Same(w.Event.When) {
			alike[list[0]] = append(alike[list[0]], i)
		}
	}
	for _, o := range orphans {
		rows := alike[o]
		if len(rows) != 1 || m.claimed[o.found.ID] != "" {
			continue
		}
		if m.Pairs.RekeyAll {
			m.claim(rows[0], o, o.view.Key)
			continue
		}
		m.likely[rows[0]] = o
	}
}

// rekeyed notes which identities the events of pairs give up.
func (m *maker) rekeyed() {
	if len(m.pairs) == 0 {
		return
	}
	old := map[string]identity.ID{} // by UID
	for _, p := range m.pairs {
		old[p.found.Object.UID] = p.found.ID
	}
	for i := range m.plan.Edits {
		if id, ok := old[m.plan.Edits[i].UID]; ok {
			m.plan.rekeyed = append(m.plan.rekeyed, rekeyed{id, i})
		}
	}
}

// said is what an event says by which it is known again.
func said(e *event.Event) string {
	return strings.ToLower(strings.Join(strings.Fields(e.Text(event.Title)), " ")) + "\n" + strconv.FormatInt(e.When.Start.Wall/86400, 10)
}

// unknownRekeys notes the renumberings asked for that are none.
func (m *maker) unknownRekeys() {
	var idle []string
	for key, old := range m.Pairs.Rekey {
		if !slices.ContainsFunc(m.pairedKeys(), func(k string) bool { return k == key }) {
			idle = append(idle, old+"="+key)
		}
	}
	slices.Sort(idle)
	for _, text := range idle {
		m.plan.Notes = append(m.plan.Notes, fmt.Sprintf("--rekey %s: there is no event of the old key whose row has gone, or no new row of the new one; nothing was renumbered", text))
	}
}

func (m *maker) pairedKeys() (out []string) {
	for i := range m.pairs {
		out = append(out, m.Batch.Mapping.Key(m.Batch.Rows.At(i)).String())
	}
	return out
}

// renumber holds a row that looks like one whose key was changed.
func (s *shard) renumber(i int) *fault.Fault {
	o := s.likely[i]
	key := s.mapper.KeyText(s.Batch.Rows.At(i))
	if o == nil || s.Pairs.BesideAll || s.Pairs.Beside[key] {
		return nil
	}
	return fault.New(key, fmt.Sprintf("says the same as %s, whose row has gone: most likely its number was changed", o.view.Key)).
		Do("load with --rekey %s to keep its event, with --beside %s to make another", quoted(o.view.Key+"="+key), quoted(key))
}

// quoted quotes an argument where a shell would take it apart.
func quoted(s string) string {
	if strings.ContainsAny(s, " \t\"'$&|;<>()*?[]#~`\\!") {
		return strconv.Quote(s)
	}
	return s
}
