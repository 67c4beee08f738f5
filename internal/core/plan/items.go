package plan

import (
	"encoding/json"
	"iter"
	"math"
	"slices"
	"unsafe"

	"almanach/internal/core/agree"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
)

// Items are what becomes of the rows of a plan, in little memory: there is one for every
// row, and most say little. The zero value holds none.
type Items struct {
	list      []packed
	calendars []string // whose names need no memory of their own
	text      []byte   // where there is room for more; never written again where an item has a part of it
}

// packed is an item.
type packed struct {
	text            *byte // key, UID and title, one behind the other; nil for none
	origin          *table.Origin
	whole           *Item // where there is more to say; nil for most
	number, line    int32
	edit            int32
	notes           intake.Notes
	key, uid, title uint16 // lengths
	calendar        uint8
	outcome         uint8
}

// outcomes are all that an item can have, by what is kept of them.
var outcomes = [...]agree.Outcome{agree.Same, agree.New, agree.Changed, agree.Edited, agree.Disputed, agree.Removed, agree.Gone, agree.Held, agree.LeftOut}

// textSize is for how many octets of text room is made at once.
const textSize = 32 << 10

// Len gives the number of items.
func (l *Items) Len() int { return len(l.list) }

// Add adds an item.
func (l *Items) Add(item Item) { l.list = append(l.list, l.pack(&item)) }

// Put puts an item in the place of item i.
func (l *Items) Put(i int, item Item) { l.list[i] = l.pack(&item) }

// At gives item i, from 0.
func (l *Items) At(i int) Item {
	p := &l.list[i]
	if p.whole != nil {
		item := *p.whole
		item.Edit = int(p.edit)
		return item
	}
	return Item{
		Outcome: outcomes[p.outcome], Row: RowPlace{Origin: p.origin, Number: p.number, Line: p.line}, Notes: p.notes, Edit: int(p.edit), Calendar: l.calendars[p.calendar],
		Key: p.part(0, p.key), UID: p.part(int(p.key), p.uid), Title: p.part(int(p.key)+int(p.uid), p.title),
	}
}

// All goes through the items in order.
func (l *Items) All() iter.Seq2[int, Item] {
	return func(yield func(int, Item) bool) {
		for i := range l.list {
			if !yield(i, l.At(i)) {
				return
			}
		}
	}
}

// Outcome gives the outcome of item i.
func (l *Items) Outcome(i int) agree.Outcome { return l.list[i].is() }

func (p *packed) is() agree.Outcome {
	if p.whole != nil {
		return p.whole.Outcome
	}
	return outcomes[p.outcome]
}

// has tells whether an item has the key.
func (l *Items) has(key string) bool {
	for _, i := range l.All() {
		if i.Key == key {
			return true
		}
	}
	return false
}

// Edit gives the index of the edit of item i, -1 when nothing is written.
func (l *Items) Edit(i int) int { return int(l.list[i].edit) }

// uid gives the UID of item i.
func (l *Items) uid(i int) string {
	if p := &l.list[i]; p.whole == nil {
		return p.part(int(p.key), p.uid)
	}
	return l.list[i].whole.UID
}

// part gives a part of an item's text.
func (p *packed) part(from int, size uint16) string {
	if size == 0 {
		return ""
	}
	return unsafe.String((*byte)(unsafe.Add(unsafe.Pointer(p.text), from)), int(size))
}

func (l *Items) pack(item *Item) packed {
	calendar, outcome := slices.Index(l.calendars[:min(len(l.calendars), math.MaxUint8+1)], item.Calendar), slices.Index(outcomes[:], item.Outcome)
	p := packed{origin: item.Row.Origin, number: item.Row.Number, line: item.Row.Line, edit: int32(item.Edit)}
	size := len(item.Key) + len(item.UID) + len(item.Title)
	if calendar < 0 || outcome < 0 || size > math.MaxUint16 || item.more() {
		whole := *item
		p.whole = &whole
		return p
	}
	p.notes, p.calendar, p.outcome = item.Notes, uint8(calendar), uint8(outcome)
	p.key, p.uid, p.title = uint16(len(item.Key)), uint16(len(item.UID)), uint16(len(item.Title))
	if size == 0 {
		return p
	}
	if cap(l.text)-len(l.text) < size {
		l.text = make([]byte, 0, max(size, textSize))
	}
	from := len(l.text)
	l.text = append(append(append(l.text, item.Key...), item.UID...), item.Title...)
	p.text = &l.text[from]
	return p
}

// MarshalJSON gives the items as a list.
func (l Items) MarshalJSON() ([]byte, error) {
	list := make([]Item, 0, l.Len())
	for _, i := range l.All() {
		list = append(list, i)
	}
	return json.Marshal(list)
}

// UnmarshalJSON reads a list of items.
func (l *Items) UnmarshalJSON(text []byte) error {
	var list []Item
	if err := json.Unmarshal(text, &list); err != nil {
		return err
	}
	*l = Items{calendars: l.calendars}
	for _, i := range list {
		l.Add(i)
	}
	return nil
}

// more tells whether an item says more than most do.
func (i *Item) more() bool {
	return i.Row.Page != 0 || i.Row.Evidence != nil || i.Recurrence != nil || i.Fields != nil || i.Reason != "" || i.Event != nil
}
