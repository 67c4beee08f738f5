package plan

import "almanach/internal/core/agree"

// rests tells whether a load that is asked for the same, once this plan is applied,
// finds all that it wrote untouched and everything else as it is now. When in doubt it
// says no.
func (m *maker) rests() bool {
	switch {
	case !m.Brief || m.Full || m.Selected != nil || m.restless: // items of events that stand untouched, rows that are tried for once
		return false
	case len(m.Takes)+len(m.Allow)+len(m.Restore)+len(m.Remove) > 0 || m.RestoreAll || m.Pairs.Only || m.Pairs.RekeyAll || len(m.Pairs.Rekey)+len(m.Pairs.Adopt)+m.Pairs.AdoptFrom > 0:
		return false // what was allowed for this once
	case len(m.series)+len(m.pairs)+len(m.likely)+len(m.vanished)+len(m.taken)+len(m.plan.Guards) > 0:
		return false
	}
	for n := range m.plan.Items.Len() {
		if m.plan.Items.Outcome(n) == agree.Gone && m.plan.Items.Edit(n) >= 0 {
			return false
		}
	}
	return true
}

// Next gives what the same load comes to once this plan is applied, where that is known for
// certain: it writes nothing. It gives nil where it is not.
func (p *Plan) Next() *Plan {
	if !p.rests {
		return nil
	}
	next := *p
	next.Edits, next.standing = nil, nil
	next.Items = Items{calendars: p.Items.calendars}
	for n := range p.Items.Len() {
		if p.Items.Edit(n) < 0 {
			next.Items.list = append(next.Items.list, p.Items.list[n])
			continue
		}
		next.Totals.Recount(p.Items.Outcome(n), agree.Same)
	}
	return &next
}
