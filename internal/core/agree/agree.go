package agree

import (
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
)

// Outcome is what can be said of an event when source and calendar are
// compared. The words are the same in preview, load, reconcile and JSON.
type Outcome string

// The outcomes.
const (
	New      Outcome = "new"
	Changed  Outcome = "changed"
	Same     Outcome = "same"
	Gone     Outcome = "gone"
	Edited   Outcome = "edited"
	Disputed Outcome = "disputed"
	Removed  Outcome = "removed"
	Held     Outcome = "held"
	LeftOut  Outcome = "left out"
)

// Take settles disputes for one side.
type Take uint8

// The sides of a dispute. TakeNone leaves it open.
const (
	TakeNone Take = iota
	TakeSheet
	TakeCalendar
)

// FieldResult is what became of one field.
type FieldResult struct {
	Field   event.Field
	Outcome Outcome // Changed, Edited, Disputed; Same for one that only the seal must learn
}

// Result is what became of an event.
type Result struct {
	Outcome Outcome
	Fields  []FieldResult // those that are not plainly the same
	Write   event.Set     // fields to write into the event
	Reseal  bool          // the seal must be written even if no field is
	Seal    Seal          // as it is to be written, when anything is
}

// Compare settles each field that the source speaks of by what moved since
// the last load: nothing, the source, the calendar, or both. Without a seal
// for a field an empty one in the calendar is filled, an equal one is agreed,
// and any other is disputed.
func Compare(wanted, current *event.Event, seal *Seal, take Take, zones ical.Zones) (r Result) {
	r.Outcome = Same
	for _, f := range allFields {
		if !wanted.Given.Has(f) {
			continue
		}
		out := compareField(f, wanted, current, seal, zones)
		if out.outcome == Same && !out.reseal {
			continue
		}
		if r.Fields == nil {
			r.Seal = *seal
		}
		r.Fields = append(r.Fields, FieldResult{f, out.outcome})
		switch out.outcome {
		case Same:
			r.Reseal = true
			r.Seal.Set(f, wanted, current)
		case Changed:
			r.change(f, wanted)
		}
		r.Outcome = worse(r.Outcome, out.outcome)
	}
	r.settle(wanted, current, take)
	if r.Outcome == Disputed {
		r.Write, r.Reseal, r.Seal = 0, false, *seal
	}
	return r
}

func (r *Result) change(f event.Field, wanted *event.Event) {
	r.Write |= 1 << f
	r.Seal.Set(f, wanted, wanted)
}

type fieldOutcome struct {
	outcome Outcome
	reseal  bool
}

func compareField(f event.Field, wanted, current *event.Event, seal *Seal, zones ical.Zones) fieldOutcome {
	equal := wanted.Meaning(f) == current.Meaning(f)
	if f == event.When {
		equal = wanted.When.Same(current.When)
	}
	if !seal.Knows(f) {
		switch {
		case equal:
			return fieldOutcome{Same, true}
		case f != event.When && current.Meaning(f) == "":
			return fieldOutcome{Changed, false}
		}
		return fieldOutcome{Disputed, false}
	}
	sourceMoved := !matches(seal.source[f], f, wanted, zones)
	var calendarMoved bool
	if equal && !sourceMoved && seal.source[f] == seal.calendar[f] {
		return fieldOutcome{Same, false} // the usual case, one fingerprint instead of two
	}
	calendarMoved = !matches(seal.calendar[f], f, current, zones)
	switch {
	case !sourceMoved && !calendarMoved:
		return fieldOutcome{Same, false}
	case sourceMoved && !calendarMoved && equal:
		return fieldOutcome{Same, true}
	case sourceMoved && !calendarMoved:
		return fieldOutcome{Changed, false}
	case !sourceMoved && equal:
		return fieldOutcome{Same, true}
	case !sourceMoved:
		return fieldOutcome{Edited, false}
	case equal:
		return fieldOutcome{Same, true}
	}
	return fieldOutcome{Disputed, false}
}

var rank = map[Outcome]int{Same: 0, Edited: 1, Changed: 2, Disputed: 3}

func worse(a, b Outcome) Outcome {
	if rank[b] > rank[a] {
		return b
	}
	return a
}

// settle applies a decision of the clerk's: to the disputed fields, or, where
// nothing is disputed, to the edited ones.
func (r *Result) settle(wanted, current *event.Event, take Take) {
	if take == TakeNone || (r.Outcome != Disputed && !r.has(Edited)) {
		return
	}
	settled := Disputed
	if r.Outcome != Disputed {
		settled = Edited
	}
	outcome := Same
	for i, f := range r.Fields {
		if f.Outcome == settled {
			if take == TakeSheet {
				r.Fields[i].Outcome = Changed
				r.change(f.Field, wanted)
			} else {
				r.Fields[i].Outcome = Same
				r.Reseal = true
				r.Seal.Set(f.Field, wanted, current)
			}
		}
		outcome = worse(outcome, r.Fields[i].Outcome)
	}
	r.Outcome = outcome
}

func (r *Result) has(o Outcome) bool {
	for _, f := range r.Fields {
		if f.Outcome == o {
			return true
		}
	}
	return false
}
