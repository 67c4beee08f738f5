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

// Side is one of the two sides of a dispute.
type Side uint8

// The sides. Neither leaves a dispute open.
const (
	Neither Side = iota
	Sheet
	Calendar
)

// Decision says which side is right about a field whose outcome is Disputed or
// Edited. A nil Decision decides nothing.
type Decision func(event.Field, Outcome) Side

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
	Decided bool          // a Decision was used
}

// Compare settles each field that the source speaks of by what moved since
// the last load: nothing, the source, the calendar, or both. Without a seal
// for a field an empty one in the calendar is filled, an equal one is agreed,
// and any other is disputed. Where anything stays disputed, nothing of the
// event is written.
func Compare(wanted, current *event.Event, seal *Seal, decide Decision, zones ical.Zones) (r Result) {
	r.Outcome, r.Seal = Same, *seal
	for _, f := range allFields {
		if !wanted.Given.Has(f) {
			continue
		}
		out := compareField(f, wanted, current, seal, zones)
		if decide != nil && (out.outcome == Disputed || out.outcome == Edited) {
			out = r.decide(decide(f, out.outcome), f, out, wanted, current)
		}
		if out.outcome == Same && !out.reseal {
			continue
		}
		r.Fields = append(r.Fields, FieldResult{f, out.outcome})
		switch out.outcome {
		case Same:
			r.Reseal = true
			if !out.sealed {
				r.Seal.Set(f, wanted, current)
			}
		case Changed:
			r.Write |= 1 << f
			r.Seal.Set(f, wanted, wanted)
		}
		r.Outcome = worse(r.Outcome, out.outcome)
	}
	if r.Outcome == Disputed {
		r.Write, r.Reseal, r.Seal = 0, false, *seal
	}
	return r
}

// decide applies a decision to a field: the sheet's value is written, or the
// calendar's is agreed to.
func (r *Result) decide(side Side, f event.Field, out fieldOutcome, wanted, current *event.Event) fieldOutcome {
	switch side {
	case Sheet:
		r.Decided = true
		return fieldOutcome{outcome: Changed}
	case Calendar:
		r.Decided = true
		r.Seal.Set(f, wanted, current)
		return fieldOutcome{outcome: Same, reseal: true, sealed: true}
	}
	return out
}

// Dispute makes the field a dispute, so that nothing of the event is written.
func (r *Result) Dispute(f event.Field, seal *Seal) {
	for i := range r.Fields {
		if r.Fields[i].Field == f {
			r.Fields[i].Outcome = Disputed
		}
	}
	r.Outcome, r.Write, r.Reseal, r.Seal = Disputed, 0, false, *seal
}

type fieldOutcome struct {
	outcome Outcome
	reseal  bool
	sealed  bool // the seal knows already
}

func compareField(f event.Field, wanted, current *event.Event, seal *Seal, zones ical.Zones) fieldOutcome {
	equal := wanted.Meaning(f) == current.Meaning(f)
	if f == event.When {
		equal = wanted.When.Same(current.When)
	}
	if !seal.Knows(f) {
		switch {
		case equal:
			return fieldOutcome{outcome: Same, reseal: true}
		case f != event.When && current.Meaning(f) == "":
			return fieldOutcome{outcome: Changed}
		}
		return fieldOutcome{outcome: Disputed}
	}
	sourceMoved := !matches(seal.source[f], f, wanted, zones)
	if equal && !sourceMoved && seal.source[f] == seal.calendar[f] {
		return fieldOutcome{outcome: Same} // the usual case, one fingerprint instead of two
	}
	return moved[[3]bool{sourceMoved, !matches(seal.calendar[f], f, current, zones), equal}]
}

// moved is the three-way rule: whether the source moved, whether the calendar
// did, and whether they are equal now.
var moved = map[[3]bool]fieldOutcome{
	{false, false, false}: {outcome: Same}, // the calendar cannot hold what is wanted, and was seen to
	{false, false, true}:  {outcome: Same},
	{true, false, false}:  {outcome: Changed},
	{true, false, true}:   {outcome: Same, reseal: true},
	{false, true, false}:  {outcome: Edited},
	{false, true, true}:   {outcome: Same, reseal: true},
	{true, true, false}:   {outcome: Disputed},
	{true, true, true}:    {outcome: Same, reseal: true},
}

var rank = map[Outcome]int{Same: 0, Edited: 1, Changed: 2, Disputed: 3}

func worse(a, b Outcome) Outcome {
	if rank[b] > rank[a] {
		return b
	}
	return a
}

func (r *Result) has(o Outcome) bool {
	for _, f := range r.Fields {
		if f.Outcome == o {
			return true
		}
	}
	return false
}
