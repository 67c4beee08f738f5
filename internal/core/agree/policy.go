package agree

import "almanach/internal/core/event"

// Policy is what an intake says about fields that someone changed in the
// calendar. The zero Policy keeps what was edited and leaves disputes open.
type Policy struct {
	Edited   string // keep, source or hold; "" is keep
	Disputed string // hold, source or calendar; "" is hold
	Fields   map[event.Field]Side
}

// Any tells whether the policy says anything.
func (p *Policy) Any() bool { return p.Edited != "" || p.Disputed != "" || len(p.Fields) > 0 }

// Decide is the policy as a Decision, behind that of a person, which may be nil.
func (p *Policy) Decide(person Decision) Decision {
	if !p.Any() {
		return person
	}
	return func(f event.Field, o Outcome) Side {
		if person != nil {
			if side := person(f, o); side != Neither {
				return side
			}
		}
		if side, named := p.Fields[f]; named {
			if side == Calendar && o == Edited {
				return Neither // it is kept, and goes on being seen as an edit
			}
			return side
		}
		switch {
		case o == Edited && p.Edited == "source", o == Disputed && p.Disputed == "source":
			return Sheet
		case o == Disputed && p.Disputed == "calendar":
			return Calendar
		}
		return Neither
	}
}

// Hold makes disputes of edited fields where the policy wants a person to look
// at them. It tells whether there were any.
func (p *Policy) Hold(r *Result, seal *Seal) bool {
	if p.Edited != "hold" {
		return false
	}
	held := false
	for _, f := range r.Fields {
		if _, named := p.Fields[f.Field]; f.Outcome == Edited && !named {
			r.Dispute(f.Field, seal)
			held = true
		}
	}
	return held
}
