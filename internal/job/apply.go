package job

import (
	"bytes"
	"context"
	"errors"
	"slices"

	"almanach/internal/core/agree"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/plan"
	"almanach/internal/edge/calendar"
)

// apply does what the plan says, calendar by calendar. Events are only taken
// out of a calendar once they stand in another.
func (l *load) apply(ctx context.Context) error {
	for _, later := range []bool{false, true} {
		for _, c := range l.calendars {
			if err := l.applyTo(ctx, c, later); err != nil {
				return err
			}
		}
	}
	return nil
}

// applyTo does the edits of one calendar: those that need no other, or those
// that do.
func (l *load) applyTo(ctx context.Context, c *opened, later bool) error {
	var which []int
	for i, e := range l.report.Edits {
		ready := e.Needs == 0 || l.report.Edits[e.Needs-1].Done
		if e.Calendar == c.spec.Name && (e.Needs > 0) == later && ready && !e.Done {
			which = append(which, i)
		}
	}
	if len(which) == 0 {
		return nil
	}
	if c.written {
		if _, err := c.read(ctx, c.holding.Target); err != nil {
			return err
		}
	}
	bound, err := l.bind(c, which)
	if err != nil {
		return err
	}
	if s, ok := c.Backend.(calendar.Staged); ok {
		err := s.ApplyWhen(ctx, bound, l.begun)
		c.written = true
		switch {
		case err != nil && ctx.Err() == nil:
			return several([]error{err})
		case err != nil:
			return err
		}
		for _, i := range which {
			l.report.Edits[i].Done = true
			l.record.asWanted(i)
		}
		l.wrote(c, len(which), later)
		return nil
	}
	if err := l.begun(); err != nil {
		return err
	}
	edits := make([]calendar.Edit, len(which))
	for n, old := range bound.Old {
		edits[n].Old = old
		if edits[n].New, err = l.report.Edits[which[n]].Text(nil); err != nil {
			return err
		}
	}
	results, err := c.Apply(ctx, edits)
	c.written = true
	var failed []error
	done := 0
	for n, i := range which {
		if e := results[n].Err; e != nil {
			if err == nil || !errors.Is(e, calendar.ErrSpent) && ctx.Err() == nil {
				failed = append(failed, e)
			}
			continue
		}
		l.report.Edits[i].Done = true
		l.record.done(i, raws(results[n].Held))
		done++
	}
	l.wrote(c, done, later)
	switch {
	case err == nil:
		err = several(failed)
	case len(failed) > 0:
		err = several(append(failed, err))
	}
	if e := l.confirm(ctx, c, which, edits, results); err == nil {
		err = e
	}
	return err
}

// wrote notes how many events were written into a calendar.
func (l *load) wrote(c *opened, n int, later bool) {
	if !later && n > 0 {
		l.report.Written = append(l.report.Written, Written{c.spec.Name, n})
	}
}

// several makes one error of those of single edits.
func several(errs []error) error {
	if len(errs) == 0 {
		return nil
	}
	for _, err := range errs {
		if errors.Is(err, calendar.ErrChanged) {
			return err
		}
	}
	out := make(Faults, 0, len(errs))
	for _, err := range errs {
		if f := fault.Of(err); !slices.ContainsFunc(out, func(o *fault.Fault) bool { return o.Error() == f.Error() }) {
			out = append(out, f)
		}
	}
	return out
}

// bind finds the objects that edits are about, as the calendar holds them now.
func (l *load) bind(c *opened, which []int) (out calendar.Edits, err error) {
	wanted := map[string]bool{}
	for _, i := range which {
		if l.report.Edits[i].Kind != plan.Create {
			wanted[l.report.Edits[i].UID] = true
		}
	}
	objects := c.holding.Objects(wanted)
	var texts ical.Window
	buf := make([]byte, 16<<10)
	out = calendar.Edits{UIDs: make([]string, len(which)), Old: make([]*ical.Object, len(which)), New: func(n int) ([][]byte, error) {
		return l.report.Edits[which[n]].Text(buf)
	}}
	for n, i := range which {
		e := &l.report.Edits[i]
		out.UIDs[n] = e.UID
		if e.Kind == plan.Create {
			continue
		}
		for _, o := range objects[e.UID] {
			if o.Same(e.Before(), &texts) {
				out.Old[n] = o
			}
		}
		if out.Old[n] == nil {
			return out, fault.Newf("%w", calendar.ErrChanged).At(fault.Place{File: c.spec.Path()}).Do("load again").FromOutside()
		}
	}
	return out, nil
}

// confirm looks at what was read back. Where the calendar changed the meaning
// of what it was given, the seals of those events are written once more, so
// that the next load does not take it for the work of a person.
func (l *load) confirm(ctx context.Context, c *opened, which []int, edits []calendar.Edit, results []calendar.Result) error {
	mend := map[string][][]byte{}
	for n, r := range results {
		if r.Held == nil || r.Err != nil || slices.EqualFunc(r.Held.Raws(), edits[n].New, bytes.Equal) {
			continue
		}
		if mended := agree.Confirm(edits[n].New, r.Held.Raws(), l.report.Names, l.report.Own, c.Zones()); mended != nil {
			mend[r.Held.UID] = mended
		}
	}
	if len(mend) == 0 {
		return nil
	}
	edit := map[string]int{}
	for n, i := range which {
		if r := results[n]; r.Held != nil {
			edit[r.Held.UID] = i
		}
	}
	var again []calendar.Edit
	for o, err := range c.Entries(ctx) {
		if err == nil && mend[o.UID] != nil && len(mend[o.UID]) == o.Parts() {
			again = append(again, calendar.Edit{Old: o, New: mend[o.UID]})
		}
	}
	held, err := c.Apply(ctx, again)
	for _, r := range held {
		if r.Err == nil && r.Held != nil {
			l.record.done(edit[r.Held.UID], r.Held.Raws())
		}
	}
	return err
}

func raws(o *ical.Object) [][]byte {
	if o == nil {
		return nil
	}
	return o.Raws()
}
