package plan

import (
	"bytes"
	"hash/maphash"
	"strings"
	"sync"

	"github.com/google/uuid"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/index"
)

// Holding is what one calendar holds, found again by identity. It is only read
// and may be from several goroutines.
type Holding struct {
	Name   string
	Target bool // rows go to it; otherwise only events that have moved away are looked for
	Zones  ical.Zones

	objects []*ical.Object
	byUID   bool        // some component of ours is known by its UID alone
	slots   []slot      // of components that bear one of our identities
	index   index.Table // of slots, by their identities
	seed    maphash.Seed
	twins   map[identity.ID]int
	claims  map[identity.ID][]slot // the components behind twins
	others  sync.Once
	foreign map[string]int32 // slots of other identities, by key

	renames sync.Once
	rekeyed map[identity.ID]bool // UIDs of events that bear another identity

	strangers sync.Once
	byDay     map[int64][]foreign // events that are not ours, by day
}

// slot is a component of ours.
type slot struct {
	id     identity.ID
	object int32
	part   int32 // index into the object's components
}

// NewHolding gives the holding of a calendar's objects.
func NewHolding(name string, target bool, zones ical.Zones, objects []*ical.Object) *Holding {
	h := &Holding{Name: name, Target: target, Zones: zones, objects: objects, slots: make([]slot, 0, len(objects)), index: index.New(len(objects)), seed: maphash.MakeSeed(), twins: map[identity.ID]int{}, claims: map[identity.ID][]slot{}}
	var texts ical.Window
	for n, o := range objects {
		h.take(int32(n), o, &texts)
	}
	return h
}

// take files one object of the calendar.
func (h *Holding) take(n int32, o *ical.Object, texts *ical.Window) {
	if o.Parts() == 1 {
		if id, marked, ours := identify(o, 0, texts); ours {
			h.add(slot{id, n, 0}, marked)
		}
		return
	}
	masters := map[identity.ID]bool{}
	for _, changed := range []bool{false, true} { // masters first
		for i := range o.Parts() {
			if ical.Has(o.Glance(i, texts), "RECURRENCE-ID") != changed {
				continue
			}
			id, marked, ours := identify(o, i, texts)
			if !ours || changed && masters[id] { // another program copied the master's marks into an occurrence
				continue
			}
			masters[id] = masters[id] || !changed
			h.add(slot{id, n, int32(i)}, marked)
		}
	}
}

func (h *Holding) add(s slot, marked bool) {
	h.byUID = h.byUID || !marked
	hash := maphash.Bytes(h.seed, s.id[:])
	if n := h.slotOf(hash, s.id); n >= 0 {
		if !h.follows(h.slots[n], s) {
			h.twins[s.id]++
			h.claims[s.id] = append(h.claims[s.id], s)
		}
		return
	}
	h.index.Add(hash, int32(len(h.slots)))
	h.slots = append(h.slots, s)
}

// slotOf gives the slot of an identity, -1 for none.
func (h *Holding) slotOf(hash uint64, id identity.ID) int32 {
	for n := range h.index.Under(hash) {
		if h.slots[n].id == id {
			return n
		}
	}
	return -1
}

// follows tells whether a component is the rest of a series that another program
// cut in two, for "this and following": the first part ends before the second
// begins. That is an edit of the hand's, and no double.
func (h *Holding) follows(first, second slot) bool {
	a, b := h.objects[first.object], h.objects[second.object]
	if first.object == second.object || !ical.Has(a.Part(int(first.part)), "RRULE") {
		return false
	}
	rule, _ := ical.Open(a.Part(int(first.part))).Find("RRULE")
	_, until, ok := strings.Cut(strings.ToUpper(string(rule.Value())), "UNTIL=")
	until, _, _ = strings.Cut(until, ";")
	start, found := ical.Open(b.Part(int(second.part))).Find("DTSTART")
	from := string(start.Value())
	day := len("20260305")
	return ok && found && len(until) >= day && len(from) >= day && until[:day] <= from[:day]
}

// Objects gives the objects of some UIDs. There is more than one where a
// calendar of several files has a UID in two of them.
func (h *Holding) Objects(uids map[string]bool) map[string][]*ical.Object {
	out := make(map[string][]*ical.Object, len(uids))
	for _, o := range h.objects {
		if uids[o.UID] {
			out[o.UID] = append(out[o.UID], o)
		}
	}
	return out
}

var idLine = []byte("\n" + event.PropID)

// identify gives the identity that a component bears: our mark, so that it is marked, or else the
// UID of a master that lost it. Other UIDs are no identities.
func identify(o *ical.Object, part int, texts *ical.Window) (id identity.ID, marked, ours bool) {
	if mark, read := o.Marked(); read && part == 0 && (mark != "" || len(o.UID) != 36) {
		if mark == "" {
			return identity.ID{}, false, false
		}
		id, err := uuid.Parse(mark)
		return id, true, err == nil
	}
	raw := o.Glance(part, texts)
	if mark := markOf(raw, o.Extras, part); mark != nil {
		id, err := uuid.ParseBytes(mark)
		return id, true, err == nil
	}
	if len(o.UID) != 36 {
		return identity.ID{}, false, false
	}
	id, err := uuid.Parse(o.UID)
	return id, false, err == nil && id.Version() == 5 && !ical.Has(raw, "RECURRENCE-ID")
}

// markOf gives the value of a component's X-ALMANACH-ID, nil for none. extras
// is as of its object.
func markOf(raw []byte, extras int32, part int) []byte {
	whole := raw
	switch {
	case part > 0 || extras == 0:
	case extras < 0:
		return nil
	default:
		raw = raw[extras-1:]
	}
	if at := bytes.Index(raw, idLine); at >= 0 {
		rest := raw[at+len(idLine):]
		end := bytes.IndexByte(rest, '\n')
		if plain(raw[:at]) && len(rest) > 0 && rest[0] == ':' && end > 0 && (end+1 >= len(rest) || rest[end+1] != ' ' && rest[end+1] != '\t') {
			return bytes.TrimSpace(rest[1:end])
		}
	} else if !bytes.Contains(whole, []byte("lmanach-")) && !bytes.Contains(whole, []byte("LMANACH-")) {
		return nil
	}
	for l := range ical.Lines(bytes.TrimLeft(raw, "\n")) { // folded, with parameters, or in another letter case
		if l.Depth == 0 && l.Is(event.PropID) {
			return bytes.TrimSpace(l.Value())
		}
	}
	return nil
}

// plain tells whether no part of a component begins in a text, as what stands in
// an alarm is not the event's, and no line of it can be a mark.
func plain(raw []byte) bool {
	for len(raw) > 1 {
		i := bytes.IndexByte(raw, '\n')
		if i < 0 || i+1 >= len(raw) {
			break
		}
		if c := raw[i+1] | 0x20; c == 'b' || c == 'x' {
			return false
		}
		raw = raw[i+1:]
	}
	return true
}

// Found is a component of ours in a calendar.
type Found struct {
	Object *ical.Object
	Part   int // index into the object's components
	ID     identity.ID
	Twins  int // further components that claim the same identity
	slot   int32
	raw    []byte // once it was read
}

// Raw is the component.
func (f *Found) Raw() []byte {
	if f.raw == nil {
		f.raw = f.Object.Part(f.Part)
	}
	return f.raw
}

// Glance is Raw for bytes that are only needed until texts is used again.
func (f *Found) Glance(texts *ical.Window) []byte { return f.Object.Glance(f.Part, texts) }

// extras is an offset in the component before which no line of ours stands.
func (f *Found) extras() int {
	if f.Part > 0 {
		return 0
	}
	return int(max(f.Object.Extras, 0))
}

// Find gives the component of an identity; one without an object when there is
// none.
func (h *Holding) Find(id identity.ID) Found {
	if n := h.slotOf(maphash.Bytes(h.seed, id[:]), id); n >= 0 {
		return h.found(n)
	}
	return Found{}
}

func (h *Holding) found(n int32) Found {
	s := h.slots[n]
	return Found{Object: h.objects[s.object], Part: int(s.part), ID: s.id, Twins: h.twins[s.id], slot: n}
}

// taken tells whether an ID is the UID of an event that bears another identity.
func (h *Holding) taken(id identity.ID) bool {
	h.renames.Do(func() {
		h.rekeyed = map[identity.ID]bool{}
		for _, s := range h.slots {
			if uid, err := uuid.Parse(h.objects[s.object].UID); err == nil && uid != s.id {
				h.rekeyed[uid] = true
			}
		}
	})
	return h.rekeyed[id]
}

// Claims gives the further components that claim an identity.
func (h *Holding) Claims(id identity.ID) (out []Found) {
	for _, s := range h.claims[id] {
		out = append(out, Found{Object: h.objects[s.object], Part: int(s.part), ID: id})
	}
	return out
}

// Row gives the event of a row's identity: by our mark, else by the UID that
// we gave it.
func (h *Holding) Row(id identity.ID) Found {
	if f := h.Find(id); f.Object != nil || !h.byUID {
		return f
	}
	return h.Find(identity.Copy(id, h.Name))
}

// Ours calls yield with every component of ours, in the order of the calendar.
func (h *Holding) Ours(yield func(*Found) bool) {
	for n := range h.slots {
		if f := h.found(int32(n)); !yield(&f) {
			return
		}
	}
}

// overrides counts the components of an object that change single occurrences
// and that no row made.
func (h *Holding) overrides(f *Found) int {
	n := 0
	if f.Object.Parts() == 1 || ical.Has(f.Raw(), "RECURRENCE-ID") {
		return 0
	}
	for i := range f.Object.Parts() {
		if i == f.Part {
			continue
		}
		if id, _, ours := identify(f.Object, i, nil); !ours || id == f.ID {
			n++
		}
	}
	return n
}

// stranger gives the component that another identity holds under a key.
func (h *Holding) stranger(own, key string) Found {
	h.others.Do(func() {
		h.foreign = map[string]int32{}
		var texts ical.Window
		for n := range h.slots {
			f := h.found(int32(n))
			if name, k := event.Marks(f.Glance(&texts)); name != own && k != "" {
				h.foreign[strings.Clone(k)] = int32(n)
			}
		}
	})
	if n, ok := h.foreign[key]; ok {
		return h.found(n)
	}
	return Found{}
}
