package job

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"

	"github.com/cespare/xxhash/v2"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/plan"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/logbook"
)

// record is a run on its way into the logbook of the desk. Without a desk there
// is none, and the nil record does nothing.
type record struct {
	book   *logbook.Book
	run    *logbook.Run
	wanted []uint64 // by edit: the print of what it is to leave there
	prints []uint64 // and of what stands there since; 0 for what was not done
}

// logbookPath is where the desk keeps its logbook, "" without a desk.
func (o *Office) logbookPath() string { return o.Desk.Memory("logbook.db") }

// openBook opens the desk's logbook: for writing always, otherwise where there
// is one.
func (l *load) openBook() error {
	path := l.office.logbookPath()
	if path == "" || !l.req.Write && !logbook.Exists(path) {
		return nil
	}
	if !l.req.Write {
		book, err := logbook.Look(path)
		if err != nil { // a preview does without it, and says so
			l.report.Warnings = append(l.report.Warnings, fault.Of(err))
			return nil
		}
		l.record = &record{book: book}
		return nil
	}
	book, err := logbook.OpenBook(path)
	if err != nil {
		return err
	}
	if book.Warning != nil {
		l.report.Warnings = append(l.report.Warnings, book.Warning)
	}
	l.record = &record{book: book}
	return nil
}

func (r *record) close() {
	if r != nil {
		r.book.Close()
	}
}

// called is how the logbook calls a calendar: by its place as seen from the
// desk, so that it is the same from wherever the program is started.
func (o *Office) called(spec calendar.Spec) string {
	if spec.Server.URL != "" {
		return spec.Server.URL
	}
	path, errPath := filepath.Abs(spec.Path())
	dir, errDir := filepath.Abs(o.Desk.Dir)
	if errPath == nil && errDir == nil {
		if rel, err := filepath.Rel(dir, path); err == nil {
			return filepath.ToSlash(rel)
		}
	}
	return spec.Path()
}

// remembered gives what is known of earlier loads into the open calendars.
func (l *load) remembered(ctx context.Context) (plan.Memory, error) {
	if l.record == nil {
		return nil, nil
	}
	taken, made, err := l.settleOpen(ctx)
	if err != nil {
		return nil, err
	}
	out := plan.Memory{}
	for _, c := range l.calendars {
		r, err := l.record.book.Remembered(l.office.called(c.spec), l.in.Identity)
		if err != nil {
			return nil, err
		}
		correct(r, taken[c.spec.Name], made[c.spec.Name])
		out[c.spec.Name] = r
	}
	return out, nil
}

// begin writes down what is about to be done, beside what follows; begun waits
// for its end.
func (l *load) begin(what string) {
	if l.record == nil {
		l.begun = func() error { return nil }
		return
	}
	l.record.run = &logbook.Run{Name: l.report.Run, What: what, Intake: l.in.Name, Identity: l.in.Identity, Source: l.sourceName(), Print: printOf(l.report.Source.File), Who: l.office.Who, Began: l.office.Now.UTC(), Totals: l.report.Totals, Undoes: l.undoes}
	l.record.prints, l.record.wanted = make([]uint64, len(l.report.Edits)), make([]uint64, len(l.report.Edits))
	entry := l.record.entriesOf(l.report.Plan)
	var err error
	wait := beside(func() { err = l.record.book.Begin(l.record.run, len(l.report.Edits), entry) })
	l.begun = func() error {
		wait()
		l.report.Run = l.record.run.Name
		return err
	}
}

func (l *load) sourceName() string {
	if len(l.report.Sources) > 1 {
		return l.report.Sources[0].File + " …"
	}
	return l.report.Source.File
}

// afterImages is up to how many edits a run keeps the text of new events too:
// of more, they stand in the calendar and would only fill the logbook.
const afterImages = 5000

// entriesOf gives the edits of a plan one by one, as the logbook keeps them. It may be
// asked from several goroutines.
func (r *record) entriesOf(p *plan.Plan) func(i int) logbook.Entry {
	items := make([]int32, len(p.Edits)) // by edit: the first item that it is of, counted from 1
	for n := range p.Items.Len() {
		if i := p.Items.Edit(n); i >= 0 && items[i] == 0 {
			items[i] = int32(n + 1)
		}
	}
	return func(i int) logbook.Entry {
		e := &p.Edits[i]
		r.wanted[i] = e.Print()
		out := logbook.Entry{Kind: e.Kind, Calendar: e.Calendar, UID: e.UID, Before: e.Before(), Needs: int(e.Needs), Print: r.wanted[i]}
		if e.Kind != plan.Create || len(p.Edits) <= afterImages {
			out.After, _ = e.Text(nil) // a new event whose text is lost is not written either
		}
		if n := items[i]; n > 0 {
			item := p.Items.At(int(n - 1))
			out.Key, out.Title = item.Key, item.Title
			for _, d := range item.Fields {
				out.Fields = append(out.Fields, d.Field)
			}
		}
		if out.Key == "" && len(out.Before) > 0 {
			_, out.Key = event.Marks(out.Before[0])
		}
		return out
	}
}

// asWanted notes that what an edit wanted stands there.
func (r *record) asWanted(edit int) {
	if r != nil && edit < len(r.prints) {
		r.prints[edit] = r.wanted[edit]
	}
}

// done notes what stands in the place of an edit.
func (r *record) done(edit int, held [][]byte) {
	if r != nil && edit < len(r.prints) {
		r.prints[edit] = plan.Print(held)
	}
}

// finish writes down what came of a run, and what is to be remembered.
func (l *load) finish(stopped bool) error {
	if l.record == nil || l.record.run == nil {
		return nil
	}
	run := l.record.run
	run.State, run.Ended = logbook.Done, l.office.Now.UTC()
	if stopped {
		run.State = logbook.Stopped
	}
	return l.record.book.Finish(run, l.record.prints, func(m logbook.Remembering) error {
		for _, c := range l.calendars {
			name := l.office.called(c.spec)
			was, err := m.Of(name, l.in.Identity)
			if err != nil {
				return err
			}
			held := l.held
			if l.undoes != "" { // it looks at the calendars of one run alone: what is missing there is the next load's to see
				held = func(identity.ID) bool { return true }
			}
			now := was.After(l.report.Plan, c.spec.Name, held)
			if slices.Equal(now.Standing, was.Standing) && slices.Equal(now.Removed, was.Removed) {
				continue
			}
			if err := m.Set(name, l.in.Identity, now); err != nil {
				return err
			}
		}
		return nil
	})
}

// held tells whether any open calendar held an event when it was read.
func (l *load) held(id identity.ID) bool {
	return slices.ContainsFunc(l.calendars, func(c *opened) bool { f := c.holding.Row(id); return f.Object != nil })
}

// settleOpen looks at what became of runs that were stopped without a word, by
// what stands in the calendars: what such a run took out was not deleted by a
// person, and what it made was there. A preview only takes account of it.
func (l *load) settleOpen(ctx context.Context) (taken, made map[string][]identity.ID, err error) {
	taken, made = map[string][]identity.ID{}, map[string][]identity.ID{}
	runs, err := l.record.book.Unended(l.in.Identity)
	if err != nil {
		return nil, nil, err
	}
	for _, run := range slices.Backward(runs) {
		entries, err := l.record.book.Entries(run)
		if err != nil {
			return nil, nil, err
		}
		run.State, run.Ended = logbook.Stopped, l.office.Now.UTC()
		prints := make([]uint64, len(entries))
		for _, c := range l.calendars {
			l.settleIn(c, entries, prints, taken, made)
		}
		if err := l.intact(); err != nil {
			return nil, nil, err
		}
		if !l.req.Write {
			continue
		}
		err = l.record.book.Finish(run, prints, func(m logbook.Remembering) error {
			for _, c := range l.calendars {
				name := l.office.called(c.spec)
				r, err := m.Of(name, l.in.Identity)
				if err != nil {
					return err
				}
				correct(r, taken[c.spec.Name], made[c.spec.Name])
				if err := m.Set(name, l.in.Identity, r); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return nil, nil, err
		}
	}
	return taken, made, ctx.Err()
}

// correct takes account of what a run that was stopped without a word took out
// of a calendar and made in it.
func correct(r *plan.Remembered, taken, made []identity.ID) {
	gone := plan.Sort(slices.Clone(taken))
	r.Standing = plan.Sort(slices.DeleteFunc(append(r.Standing, made...), func(id identity.ID) bool { return plan.Has(gone, id) }))
}

// settleIn finds what of a run was done in one calendar.
func (l *load) settleIn(c *opened, entries []logbook.Entry, prints []uint64, taken, made map[string][]identity.ID) {
	uids := map[string]bool{}
	for _, e := range entries {
		uids[e.UID] = e.Calendar == c.spec.Name || uids[e.UID]
	}
	stands := c.holding.Objects(uids)
	created := false
	for i, e := range entries {
		if e.Calendar != c.spec.Name {
			continue
		}
		objects := stands[e.UID]
		done := len(e.After) == 0 && e.Kind != plan.Create && len(objects) == 0
		for _, o := range objects {
			done = done || plan.Print(o.Raws()) == e.Print
		}
		if done {
			prints[i] = e.Print
			created = created || e.Kind == plan.Create
		}
		if done && (e.Kind == plan.Remove || e.Kind == plan.MoveOut) {
			taken[c.spec.Name] = append(taken[c.spec.Name], plan.IDs(e.UID, e.Before)...)
		}
		if done && e.Kind == plan.Change { // its row has another key now
			before, after := plan.IDs(e.UID, e.Before), plan.IDs(e.UID, e.After)
			less := func(ids, others []identity.ID) []identity.ID {
				return slices.DeleteFunc(slices.Clone(ids), func(id identity.ID) bool { return slices.Contains(others, id) })
			}
			taken[c.spec.Name] = append(taken[c.spec.Name], less(before, after)...)
			made[c.spec.Name] = append(made[c.spec.Name], less(after, before)...)
		}
	}
	if !created {
		return
	}
	for _, e := range entries { // a calendar of one file was written whole or not at all
		if e.Calendar == c.spec.Name && e.Kind == plan.Create && (len(stands[e.UID]) > 0 || c.spec.File != "") {
			made[c.spec.Name] = append(made[c.spec.Name], plan.IDs(e.UID, e.After)...)
		}
	}
}

// printOf gives a fingerprint of a file's bytes, "" where it has none.
func printOf(path string) string {
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer f.Close()
	d := xxhash.New()
	if _, err := io.Copy(d, f); err != nil {
		return ""
	}
	return fmt.Sprintf("%016x", d.Sum64())
}
