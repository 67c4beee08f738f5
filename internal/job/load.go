package job

import (
	"context"
	"errors"
	"fmt"
	"os"
	"runtime"
	"slices"

	"almanach/internal/core/agree"
	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/match"
	"almanach/internal/core/plan"
	"almanach/internal/core/table"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/source"
)

// LoadRequest says what to preview or load.
type LoadRequest struct {
	Intake *intake.Intake
	OfDesk bool           // the intake is one of the desk's: only such a one moves events between calendars
	File   string         // instead of the intake's file
	Source source.Reader  // instead of either; it is closed by the load
	Into   string         // instead of the intake's calendars, and the only calendar that is touched
	Match  bool           // find the columns by their headings
	Ask    bool           // refuse to choose between sheets: a person can be asked
	First  int            // try only so many rows; 0 for all
	Rows   map[int]bool   // try only these row numbers; nil for all
	Takes  []plan.Take    // disputes to be settled
	Allow  map[string]int // how many of what a guard may let pass
	Write  bool           // load; otherwise preview
	All    bool           // every item has its event
	Brief  bool           // events that stand untouched are counted and not listed
	Past   bool           // list events gone that are past
	Held   bool           // the report has the held rows as the source has them
	Asked  string         // all that was asked for, in words: what is asked in the same words of the same files is the same load; "" where that is not known
	Pairs  plan.Pairs     // rows and events that are one, as someone said

	Fields map[string][]string // columns for fields, by the fields' names; others are found or are the intake's

	Restore    map[string]bool // keys of rows whose events are made again though someone deleted them
	RestoreAll bool
	Remove     map[string]bool // keys of events gone that are deleted, whatever people did with them
}

// partial tells whether only some rows are tried.
func (r *LoadRequest) partial() bool { return r.First > 0 || r.Rows != nil }

// Sources are the files or sheets that rows came from, in their order.
type Sources []table.Origin

// sourcesOf gives the origins of rows, or first where there is none.
func sourcesOf(rows table.Rows, first table.Origin) (out Sources) {
	var last *table.Origin
	for _, r := range rows.All() {
		if r.Origin != last && r.Origin != nil {
			if last = r.Origin; !slices.Contains(out, *last) {
				out = append(out, *last)
			}
		}
	}
	if len(out) == 0 {
		out = Sources{first}
	}
	return out
}

// compare orders places as the source has them: by file or sheet, then by row.
func (s Sources) compare(a, b fault.Place) int {
	at := func(p fault.Place) int {
		return slices.IndexFunc(s, func(o table.Origin) bool { return o.File == p.File && o.Sheet == p.Sheet && o.Message == p.Message })
	}
	if d := at(a) - at(b); d != 0 {
		return d
	}
	return a.Row - b.Row
}

// Written is how many events of one calendar were written and found when
// reading back.
type Written struct {
	Calendar string
	Events   int
}

// Report is what a preview or a load has to say.
type Report struct {
	*plan.Plan
	Run       string // load only
	Source    table.Origin
	Sources   Sources        // all of them, where a run reads several
	Calendars []string       // that rows go to
	Matched   []match.Choice // columns found by their headings
	Unused    []string       // columns that nothing of the intake names
	Evidence  []string       // what settled the columns' day order
	Zone      string         // of times that name none
	ZoneFrom  string         // the heading or the title that says so, if any
	ZoneWhy   string         // how that zone was determined, when nobody named it
	Warnings  []*fault.Fault // what was found wrong in the calendars
	Remarks   []string       // what is to be said of the source
	Running   bool           // it is running text
	Passed    []table.Passed // dates in it that belong to no event
	HeldRows  *HeldTable     // the rows that are held, as the source has them; only where it was asked for
	Written   []Written      // load only
	Settled   bool           // all is as it was at the last load, so what that one came to is said again
	Stopped   bool           // a load did not do everything
}

// Events is how many events were written in all.
func (r *Report) Events() int {
	n := 0
	for _, w := range r.Written {
		n += w.Events
	}
	return n
}

// attempts is how often a load plans anew when someone else changes a calendar
// under it.
const attempts = 5

// Load previews or loads one intake. Faults that concern single rows are in
// the report; the error is what stopped the whole. Where something was written
// before that, there is a report too, and it says what.
func Load(ctx context.Context, office *Office, req LoadRequest) (*Report, error) {
	var earlier *Report
	for n := 1; ; n++ {
		report, err := loadOnce(ctx, office, req, n)
		report = earlier.continued(report)
		if n == attempts || !errors.Is(err, calendar.ErrChanged) && !errors.Is(err, calendar.ErrExists) || req.File == "-" || req.Intake.From.File == "-" {
			return report, err
		}
		earlier = report
	}
}

func loadOnce(ctx context.Context, office *Office, req LoadRequest, attempt int) (*Report, error) {
	req.Brief = req.Brief && attempt == 1 // a later one tells what an earlier one has written
	l, err := open(ctx, office, req)
	if err != nil {
		return nil, err
	}
	defer l.close()
	if l.report.Plan == nil {
		if err := l.plan(ctx); err != nil {
			return nil, err
		}
	}
	if !req.Write {
		return l.report, nil
	}
	if len(l.report.Guards) > 0 {
		var faults Faults
		for _, g := range l.report.Guards {
			faults = append(faults, g.Fault(req.Intake.Name))
		}
		return l.report, faults
	}
	l.report.Run = fmt.Sprintf("%s-%s", office.Now.UTC().Format("20060102T150405Z"), office.Run)
	if attempt > 1 {
		l.report.Run += fmt.Sprintf("-%d", attempt)
	}
	if err := l.perform(ctx, what(req)); err != nil {
		return l.report, err
	}
	l.settle()
	return l.report, l.mark(ctx)
}

// what names what a run does, for the logbook.
func what(req LoadRequest) string {
	if req.Pairs.Only {
		return "adopt"
	}
	return "load"
}

// perform applies the plan, between what the logbook is told before and after.
func (l *load) perform(ctx context.Context, what string) error {
	l.batch = nil // the rows are not needed any more, and can be many
	if len(l.report.Edits) > spoolFrom {
		go runtime.GC() // so that what follows goes where they were
	}
	l.begin(what)
	err := l.apply(ctx)
	if e := l.begun(); e != nil {
		return e
	}
	l.report.Stopped = err != nil
	if e := l.finish(err != nil); err == nil {
		err = e
	}
	return err
}

// plan has the core decide.
func (l *load) plan(ctx context.Context) error {
	r := plan.Request{
		Intake: l.in, Batch: l.batch, Sources: l.report.Sources, Stamp: l.office.Stamp(), Places: l.placesOf, Takes: l.req.Takes, Allow: l.req.Allow,
		Full: l.req.All, Brief: l.req.Brief && len(l.req.Restore) == 0, Moves: l.req.Into == "", Past: l.req.Past, Pairs: l.req.Pairs, Workers: workers, Parallel: runtime.GOMAXPROCS(0),
	}
	var err error
	if r.Memory, err = l.remembered(ctx); err != nil {
		return err
	}
	r.Restore, r.RestoreAll, r.Remove = l.req.Restore, l.req.RestoreAll, l.req.Remove
	if l.more != "" {
		r.NoGone = "the source says that there are more rows (" + fault.Shorten(l.more, 80) + ")"
	}
	if l.report.ZoneWhy != "" {
		r.ZoneGuess = l.report.Zone
	}
	for _, c := range l.calendars {
		r.Holdings = append(r.Holdings, c.holding)
	}
	if l.req.partial() {
		r.Selected = l.selected
	}
	if l.req.Write && l.batch.Rows.Len() > spoolFrom {
		r.Spool = newSpool(os.TempDir())
	}
	r.Apart = l.apart
	p, err := plan.Make(ctx, r)
	if e := l.intact(); e != nil {
		err = e
	}
	if err != nil {
		return err
	}
	l.report.Plan = p
	if y := l.in.Dates.Titled; y > 0 && l.in.Dates.Year == 0 && len(l.report.Assumed["year"]) > 0 {
		l.report.Evidence = append(l.report.Evidence, fmt.Sprintf("without a year: of %d, as %s says", y, l.titled))
	}
	if l.req.Held {
		l.report.HeldRows = l.heldRows()
	}
	return nil
}

// selected tells whether row i is to be tried.
func (l *load) selected(i int) bool {
	return (l.req.First == 0 || i < l.req.First) && (l.req.Rows == nil || l.req.Rows[int(l.batch.Rows.At(i).Number)])
}

// continued adds to the report of a load what an earlier attempt of it has
// written already, which the later one found to be the same.
func (r *Report) continued(later *Report) *Report {
	if r == nil || later == nil {
		if later == nil {
			return r
		}
		return later
	}
	type place struct{ calendar, key, uid string }
	done := map[place]plan.Item{}
	for _, i := range r.Items.All() {
		if i.Edit >= 0 && r.Edits[i.Edit].Done {
			done[place{i.Calendar, i.Key, i.UID}] = i
		}
	}
	for n, i := range later.Items.All() {
		if was, ok := done[place{i.Calendar, i.Key, i.UID}]; ok && i.Outcome == agree.Same {
			was.Edit = -1
			later.Items.Put(n, was)
			later.Totals.Recount(agree.Same, was.Outcome)
		}
	}
	later.Written = append(slices.Clone(r.Written), later.Written...)
	return later
}
