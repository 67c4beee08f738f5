// Package plan decides what a load would do: it holds the rows of a source
// against what the calendars hold, and gives a Plan.
//
// A Plan is a value. It has the outcome of every row, every edit with the
// event before and after it, what has gone from the source, what the guards
// say, and the totals. It is made the same way for a preview and for a load; a
// preview is a plan that is not applied. Nothing in it refers to an open file but
// a Spool: it can be kept, shown, and applied later, if the events in the calendars
// are still what they were.
//
// Where the rules are: row.go one row against its calendars, gone.go rows that
// have left the source, guards.go changes so many at once that they must be
// allowed by number, takes.go disputes settled by name, edits.go how changes to
// components become edits of whole events, items.go outcomes in little memory,
// strip.go rows given up once they are settled, next.go what the same load comes to after
// this one.
package plan

import (
	"fmt"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// Plan is what a load would do. Calendars are named as the desk names them.
type Plan struct {
	Intake   string
	Identity string
	Totals   Totals
	Items    Items  // every row, and every event that is gone, in the order of the source
	Edits    []Edit // in the order in which they are to be applied
	Guards   []Guard
	NoGone   string           // why nothing was taken out of a calendar
	Past     int              // events gone that are wholly past; they are listed only when that is asked for
	Assumed  map[string][]int // what was assumed, and in which rows
	Notes    []string         // what else is to be said: conditions that no row meets, takes that settled nothing
	Texts    []string         // what each bit of Item.Notes says
	Names    []string         // the properties that the field Properties may speak of
	Own      string           // the address that the field Participation is about

	zones     ical.Zones // of times in edits
	rests     bool       // see Next
	standing  []Stand
	rekeyed   []rekeyed
	calendars []string // by index of their holdings
}

// rekeyed is an identity that an event bears no more once an edit is done, as its row has
// another key.
type rekeyed struct {
	old  identity.ID
	edit int
}

// Totals count a plan. They foot: see Check.
type Totals struct {
	Rows     int `json:"rows"`
	LeftOut  int `json:"left_out"`
	Held     int `json:"held"`
	Wanted   int `json:"wanted"`
	Placed   int `json:"placed,omitempty"` // copies of the wanted in all calendars, where rows go to several
	New      int `json:"new"`
	Changed  int `json:"changed"`
	Same     int `json:"same"`
	Edited   int `json:"edited"`
	Disputed int `json:"disputed"`
	Removed  int `json:"removed"`
	Gone     int `json:"gone"`
}

// Check proves that no row was lost on the way.
func (t Totals) Check() error {
	if t.Rows != t.Wanted+t.Held+t.LeftOut {
		return fmt.Errorf("the totals do not foot: %d rows, but %d wanted + %d held + %d left out; please report this", t.Rows, t.Wanted, t.Held, t.LeftOut)
	}
	placed := max(t.Wanted, t.Placed)
	if sum := t.New + t.Changed + t.Same + t.Edited + t.Disputed + t.Removed; placed != sum {
		return fmt.Errorf("the totals do not foot: %d wanted, but %d new, changed, same, edited, disputed or removed; please report this", placed, sum)
	}
	return nil
}

// count counts one event.
func (t *Totals) count(o agree.Outcome) {
	switch o {
	case agree.New:
		t.New++
	case agree.Changed:
		t.Changed++
	case agree.Same:
		t.Same++
	case agree.Edited:
		t.Edited++
	case agree.Disputed:
		t.Disputed++
	case agree.Removed:
		t.Removed++
	case agree.Gone:
		t.Gone++
	case agree.Held:
		t.Held++
	case agree.LeftOut:
		t.LeftOut++
	}
}

// Recount counts an event under another outcome than before: Same, Edited, New or Changed.
func (t *Totals) Recount(from, to agree.Outcome) {
	for _, c := range []struct {
		outcome agree.Outcome
		n       *int
	}{{agree.Same, &t.Same}, {agree.Edited, &t.Edited}, {agree.New, &t.New}, {agree.Changed, &t.Changed}} {
		if c.outcome == from {
			*c.n--
		}
	}
	t.count(to)
}

// RowPlace is where a row stands; the zero RowPlace is no row.
type RowPlace struct {
	Origin             *table.Origin `json:",omitempty"`
	Number, Line, Page int32
	Evidence           *table.Evidence `json:"-"` // of a row read from running text
}

func placeOf(r table.Row) RowPlace { return RowPlace{r.Origin, r.Number, r.Line, r.Page, r.Evidence} }

// Place gives the row's place for messages.
func (p RowPlace) Place() fault.Place {
	r := table.Row{Origin: p.Origin, Number: p.Number, Line: p.Line, Page: p.Page, Evidence: p.Evidence}
	return r.Place()
}

// Item is what becomes of one row in one calendar, or of an event whose row
// has gone.
type Item struct {
	Outcome    agree.Outcome
	Row        RowPlace
	Key        string
	UID        string
	Calendar   string
	Title      string
	Recurrence *zone.Time // which occurrence of its series the row changes; nil otherwise
	Fields     []Difference
	Notes      intake.Notes
	Reason     string
	Edit       int // index of its edit; -1 when nothing is written

	// Event is the event that the row wants, or, where it wants none, the one
	// in the calendar. It is there for gone and disputed events, and for all
	// others where Request.Full asks for it; New events can be read from their
	// edit.
	Event *event.Event
}

// Kind is what an edit does to a calendar.
type Kind string

// The kinds of edit. MoveOut takes an event out of a calendar because it stands
// in another.
const (
	Create  Kind = "create"
	Change  Kind = "change"
	Remove  Kind = "remove"
	MoveOut Kind = "move out"
)

// Edit is one event as it stands and as it is to stand in a calendar: all
// components of its UID, none before a Create, none after a Remove or a MoveOut.
type Edit struct {
	Kind     Kind
	Calendar string
	UID      string
	*texts        // nil for most events of a Create
	fresh    text // what those become

	// Needs is the edit that must be done before this one is, counted from 1;
	// 0 for none. An event is only taken out of a calendar once it stands in
	// another.
	Needs int32
	Done  bool // it was applied
}

// texts are the components of an event.
type texts struct{ before, after [][]byte }

// Guard is a number of changes that is most likely a mistake in the source,
// and that must be allowed as just that number.
type Guard struct {
	Name  string // as --allow calls it
	Count int
	Of    int // events of the intake in its calendars
	Did   string
	Which []string // keys of the first few
}

// Fault says what the guard stops.
func (g Guard) Fault(intake string) *fault.Fault {
	if g.Name == AllowVanished {
		return vanishedFault(g, intake)
	}
	if g.Name == AllowShifted {
		return fault.Newf("%d of the %d events of %s would be %s", g.Count, g.Of, intake, g.Did).Do("give the rows their old keys, or choose a key that stays with its row; if they are to change places, load again with --allow %s=%d; nothing was written", g.Name, g.Count)
	}
	return fault.Newf("%d of the %d events of %s would be %s", g.Count, g.Of, intake, g.Did).Do("if that is right, load again with --allow %s=%d; nothing was written", g.Name, g.Count)
}

// Left tells whether the plan leaves something for a person to do.
func (p *Plan) Left() bool {
	return p.Totals.Held > 0 || p.Totals.Disputed > 0 || len(p.Guards) > 0
}

// NoteTexts gives in words what was assumed for an item.
func (p *Plan) NoteTexts(n intake.Notes) []string {
	var out []string
	for i, text := range p.Texts {
		if n&(1<<i) != 0 && text != "" {
			out = append(out, text)
		}
	}
	return out
}

// Event gives the event of an item, nil where it has none: the one that the
// item was given, or, for a new event, the one that its edit writes.
func (p *Plan) Event(i *Item) *event.Event {
	if i.Event != nil || i.Edit < 0 {
		return i.Event
	}
	texts, err := p.Edits[i.Edit].Text(nil)
	if err != nil {
		return nil
	}
	for _, raw := range texts {
		v, err := event.Read(raw, p.zones)
		if err == nil && v.Key == i.Key && (v.Recurrence.IsZero() == (i.Recurrence == nil)) {
			return &v.Event
		}
	}
	return nil
}
