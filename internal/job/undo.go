package job

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/plan"
	"almanach/internal/edge/logbook"
)

// UndoRequest says which run to take back.
type UndoRequest struct {
	Run   string // its name, its number, or last
	Allow map[string]int
	Write bool
}

// Undo takes back what a run did, as far as nobody has touched it since.
func Undo(ctx context.Context, office *Office, req UndoRequest) (*Report, *logbook.Run, error) {
	book, err := office.existingBook()
	if err != nil {
		return nil, nil, err
	}
	run, err := findRun(book, req.Run)
	if err != nil {
		book.Close()
		return nil, nil, err
	}
	entries, err := book.Entries(run)
	if err != nil {
		book.Close()
		return nil, nil, err
	}
	l := &load{office: office, in: &intake.Intake{Name: run.Intake, Identity: run.Identity}, report: &Report{}, record: &record{book: book}}
	defer l.close()
	if err := l.reopen(ctx, entries); err != nil {
		return nil, run, err
	}
	l.report.Plan = plan.Undo(run.Intake, run.Identity, doneOf(entries), l.holdings(), req.Allow)
	if err := l.intact(); err != nil {
		return nil, run, err
	}
	l.report.Source.File = "run " + run.Name
	l.report.Sources = Sources{l.report.Source}
	if !req.Write {
		return l.report, run, nil
	}
	if len(l.report.Guards) > 0 {
		var faults Faults
		for _, g := range l.report.Guards {
			faults = append(faults, g.Fault(run.Intake))
		}
		return l.report, run, faults
	}
	if len(l.report.Edits) == 0 {
		return l.report, run, nil
	}
	l.report.Run = fmt.Sprintf("%s-%s", office.Now.UTC().Format("20060102T150405Z"), office.Run)
	l.undoes = strconv.FormatInt(run.Number(), 10)
	return l.report, run, l.perform(ctx, "undo")
}

// existingBook opens the desk's logbook, which must be there.
func (o *Office) existingBook() (*logbook.Book, error) {
	path := o.logbookPath()
	if path == "" {
		return nil, fault.Newf("there is no desk here, and without one no logbook").Do("give --desk DIR, or make a desk with: almanach setup")
	}
	if !logbook.Exists(path) {
		return nil, fault.Newf("there is no logbook yet: nothing was loaded at this desk").At(fault.Place{File: path})
	}
	return logbook.Look(path)
}

// findRun finds a run by its number, its name, or as the last one that did
// something.
func findRun(book *logbook.Book, name string) (*logbook.Run, error) {
	number, err := strconv.ParseInt(name, 10, 64)
	runs, e := book.Runs(0, func(r *logbook.Run) bool {
		return r.Name == name || err == nil && r.Number() == number || name == "last" && r.Edits > 0
	})
	if e != nil {
		return nil, e
	}
	if len(runs) == 0 {
		return nil, fault.New(name, "is no run of this logbook").Do("see which there are: almanach logbook")
	}
	return runs[0], nil
}

// reopen opens the calendars that a run wrote to.
func (l *load) reopen(ctx context.Context, entries []logbook.Entry) error {
	for _, e := range entries {
		if slices.ContainsFunc(l.calendars, func(c *opened) bool { return c.spec.Name == e.Calendar }) {
			continue
		}
		if _, err := l.calendar(ctx, intake.Destination{Name: l.calendarNamed(e.Calendar)}, true); err != nil {
			return err
		}
	}
	return nil
}

// calendarNamed gives the name or the path by which a calendar of a run is
// opened again: an .ics file that an intake names counts from the desk.
func (l *load) calendarNamed(name string) string {
	if !l.office.Desk.Has(name) && strings.HasSuffix(strings.ToLower(name), ".ics") {
		return l.office.Desk.Path(name)
	}
	return name
}

func (l *load) holdings() (out []*plan.Holding) {
	for _, c := range l.calendars {
		out = append(out, c.holding)
	}
	return out
}

// doneOf gives what of a run was done, for taking it back.
func doneOf(entries []logbook.Entry) []plan.Was {
	out := make([]plan.Was, 0, len(entries))
	at := make([]int, len(entries)) // by entry: what it became, from 1
	for i, e := range entries {
		if e.Held == 0 {
			continue
		}
		w := plan.Was{Kind: e.Kind, Calendar: e.Calendar, UID: e.UID, Key: e.Key, Title: e.Title, Before: e.Before}
		w.Stands = func(raws [][]byte) bool { return plan.Print(raws) == e.Held }
		if e.Needs > 0 {
			w.Needs = at[e.Needs-1]
		}
		if w.Title == "" && len(e.Before) > 0 {
			w.Title = event.TitleOf(e.Before[0])
		}
		out = append(out, w)
		at[i] = len(out)
	}
	return out
}

// Logbook gives the runs of the desk, the last first; none where nothing was loaded
// yet. most is how many at most, 0 for all.
func Logbook(office *Office, most int) ([]*logbook.Run, error) {
	if path := office.logbookPath(); path != "" && !logbook.Exists(path) {
		return nil, nil
	}
	book, err := office.existingBook()
	if err != nil {
		return nil, err
	}
	defer book.Close()
	return book.Runs(most, nil)
}

// RunOf gives one run and what it did.
func RunOf(office *Office, name string) (*logbook.Run, []logbook.Entry, error) {
	book, err := office.existingBook()
	if err != nil {
		return nil, nil, err
	}
	defer book.Close()
	run, err := findRun(book, name)
	if err != nil {
		return nil, nil, err
	}
	entries, err := book.Entries(run)
	return run, entries, err
}

// Step is what one run did to an event.
type Step struct {
	Run   *logbook.Run
	Entry logbook.Entry
}

// History gives what all runs did to the events of a key, the first run first.
func History(office *Office, key string) ([]Step, error) {
	book, err := office.existingBook()
	if err != nil {
		return nil, err
	}
	defer book.Close()
	runs, err := book.Runs(0, nil)
	if err != nil {
		return nil, err
	}
	var out []Step
	for _, run := range slices.Backward(runs) {
		entries, err := book.Entries(run)
		if err != nil {
			return nil, err
		}
		for _, e := range entries {
			if e.Key == key || e.UID == key {
				out = append(out, Step{run, e})
			}
		}
	}
	return out, nil
}
