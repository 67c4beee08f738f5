package job

import (
	"cmp"
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/beside"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/source"
)

// LoadRequest says what to preview or load.
type LoadRequest struct {
	Intake *intake.Intake
	File   string         // instead of the intake's file
	Into   string         // instead of the intake's calendars
	Match  bool           // find the columns by their headings
	First  int            // try only so many rows; 0 for all
	Rows   map[int]bool   // try only these row numbers; nil for all
	Take   agree.Take     // settle what is disputed …
	Keys   []string       // … under these keys
	Allow  map[string]int // how many of what a guard may let pass
	Write  bool           // load; otherwise preview
	All    bool           // report every row in full
}

// Totals count a load. They foot: see Check.
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
	case agree.Gone:
		t.Gone++
	}
}

// Sources are the files or sheets that rows came from, in their order.
type Sources []table.Origin

func sourcesOf(rows []table.Row, first table.Origin) (out Sources) {
	var last *table.Origin
	for _, r := range rows {
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
	at := func(p fault.Place) int { return slices.Index(s, table.Origin{File: p.File, Sheet: p.Sheet}) }
	return cmp.Or(at(a)-at(b), a.Row-b.Row)
}

// Item is what became of one row, or of an event whose row has gone.
type Item struct {
	Outcome    agree.Outcome
	Place      fault.Place // zero for an event that is gone
	Key        string
	UID        string
	Calendar   string
	Title      string
	Recurrence zone.Time   // which occurrence of its series the row changes; zero otherwise
	Event      event.Event // set with LoadRequest.All, and for new, gone and disputed events
	Fields     []Difference
	Notes      []string
	Reason     string
}

// Difference is one field on which the two sides differ. Times are RFC 3339.
type Difference struct {
	Field    string  `json:"field"`
	Wanted   string  `json:"wanted"`
	Calendar string  `json:"calendar"`
	Wrote    *string `json:"wrote,omitempty"` // what the last load wrote, where that is known

	Outcome agree.Outcome `json:"-"`
	Time    bool          `json:"-"`
}

// Report is what a preview or a load has to say.
type Report struct {
	Intake    string
	Run       string // load only
	Source    table.Origin
	Sources   Sources  // all of them, where a run reads several
	Calendars []string // that rows go to
	Totals    Totals
	Items     []Item
	Unlisted  int              // items that were counted but not kept, as there are very many
	Assumed   map[string][]int // what was taken for granted, and in which rows
	Matched   []intake.Choice  // columns found by their headings
	Evidence  []string         // what settled the columns' day order
	Zone      string           // of times that name none
	ZoneWhy   string           // how that zone was come by, when nobody named it
	Warnings  []*fault.Fault   // what was found wrong in the calendar
	Notes     []string         // what is to be said of the source
	NoGone    string           // why nothing could be called gone
	Guards    []*fault.Fault   // what a load would stop at
	Written   int              // events written and found again when reading back
}

// Left tells whether something is left for a person to do.
func (r *Report) Left() bool {
	return r.Totals.Held > 0 || r.Totals.Disputed > 0 || len(r.Guards) > 0
}

// load is one preview or load under way.
type load struct {
	office *Office
	req    LoadRequest
	in     *intake.Intake
	batch  *intake.Batch
	report *Report

	calendars []*placed // open, in the order they were met
	places    [][]int32 // by row: the calendars it goes to; nil when all go to the same
	everyone  []int32   // the calendars all rows go to, when places is nil
	keys      map[string]bool
	moved     map[event.Field]int // events whose field a load would change
	removed   int                 // events that a load would cancel or delete as gone
	ours      int                 // events of this intake in its calendars
}

// placed is a calendar with what is to become of it.
type placed struct {
	*calendar.File
	target  bool // rows go to it; otherwise only events that have moved away are looked for
	changes []calendar.Change
	zones   []calendar.ZoneUse
	leaving []identity.ID // events that are in another calendar now
	matched int           // rows whose event it has
}

// keptItems is how many new or changed events a report lists without
// LoadRequest.All.
const keptItems = 100

// Load previews or loads one intake. Faults that concern single rows are in
// the report; the error is what stopped the whole.
func Load(ctx context.Context, office *Office, req LoadRequest) (*Report, error) {
	l, err := open(ctx, office, req)
	if err != nil {
		return nil, err
	}
	defer l.close()
	if err := l.compare(ctx); err != nil {
		return nil, err
	}
	if err := l.checkIdentity(); err != nil {
		return nil, err
	}
	l.findGone()
	l.finish()
	if err := l.report.Totals.Check(); err != nil {
		return nil, err
	}
	return l.report, l.apply(ctx)
}

func (l *load) close() {
	for _, c := range l.calendars {
		c.Close()
	}
}

// open reads the source and the calendars, and learns the rows. The caller
// closes the load.
func open(ctx context.Context, office *Office, req LoadRequest) (*load, error) {
	l := &load{office: office, req: req, in: req.Intake, report: &Report{Intake: req.Intake.Name, Assumed: map[string][]int{}}, moved: map[event.Field]int{}}
	if req.Take != agree.TakeNone {
		l.keys = map[string]bool{}
		for _, k := range req.Keys {
			l.keys[identity.NormalText(k)] = false
		}
	}
	if req.Into != "" {
		l.in.Into, l.in.Routes = []string{req.Into}, nil
	}
	if len(l.in.Into) == 0 {
		return nil, fault.Newf("nothing says which calendar to load into").Do("add into: NAME to the intake, or give --into")
	}
	// The first calendar, where the intake names it, is read beside the source.
	var openErr error
	opened := beside.Run(func() {
		if name := l.in.FirstPlace(); name != "" {
			_, openErr = l.calendar(ctx, name, true)
		}
	})
	rows, header, err := l.readSource(ctx)
	if err == nil {
		err = l.compile(rows, header)
	}
	if opened(); openErr != nil {
		err = openErr
	}
	if err == nil {
		err = l.route(ctx)
	}
	if err != nil {
		l.close()
		return nil, err
	}
	for _, c := range l.calendars {
		if c.target {
			l.report.Calendars = append(l.report.Calendars, c.Name())
		}
	}
	return l, nil
}

// openSource opens what the request or the intake names.
func (l *load) openSource(ctx context.Context) (source.Reader, error) {
	from, desk := l.in.From, l.office.Desk
	o := sourceOptions(l.office, from)
	switch {
	case l.req.File != "":
		return source.Open(l.req.File, o)
	case from.Newest != "":
		path, err := source.Newest(desk.Path(from.Newest))
		if err != nil {
			return nil, err
		}
		return source.Open(path, o)
	case from.Files != "":
		paths, err := source.Files(desk.Path(from.Files))
		if err != nil {
			return nil, err
		}
		return source.OpenAll(paths, o)
	case from.Folder != "":
		paths, err := source.Files(filepath.Join(desk.Path(from.Folder), "*"))
		if err != nil {
			return nil, err
		}
		return source.OpenAll(paths, o)
	case from.URL != "":
		return source.Fetch(ctx, from.URL, desk.Memory("fetched"), o)
	case from.File == "-":
		return source.Open("-", o)
	case from.File != "":
		return source.Open(desk.Path(from.File), o)
	}
	return nil, fault.Newf("nothing says which file to read").Do("add from: { file: … } to the intake, or give --file")
}

func (l *load) readSource(ctx context.Context) ([]table.Row, table.Header, error) {
	r, err := l.openSource(ctx)
	if err != nil {
		return nil, nil, err
	}
	defer r.Close()
	l.report.Source = *r.Origin()
	rows, err := source.ReadAll(r)
	l.report.Sources = sourcesOf(rows, l.report.Source)
	about := r.About()
	if err == nil && len(rows) == 0 {
		f := fault.Newf("there is no row below the header in row %d", about.HeaderLast)
		if about.HeaderLast == 0 {
			f = fault.Newf("there is no row in it")
		}
		err = f.At(fault.Place{File: r.Origin().File, Sheet: r.Origin().Sheet}).Do("check that it is the right file; an empty source changes nothing")
	}
	l.report.Notes = append(l.report.Notes, about.Notes...)
	if len(about.HiddenColumns) > 0 {
		l.report.Notes = append(l.report.Notes, "hidden columns are left out: "+strings.Join(about.HiddenColumns, ", "))
	}
	return rows, r.Header(), err
}

// compile matches or compiles the intake against the source's header and
// learns the rows.
func (l *load) compile(rows []table.Row, header table.Header) error {
	z, why, f := l.office.DefaultZone()
	if f != nil {
		return f
	}
	if l.req.Match {
		set := l.in.Dates
		set.Zones, set.Present = l.office.Zones, l.office.Now
		var f *fault.Fault
		if l.report.Matched, f = l.in.Match(header, rows, set); f != nil {
			return f.At(fault.Place{File: l.report.Source.File, Sheet: l.report.Source.Sheet})
		}
	}
	header, rows, faults := l.in.Prepare(header, rows)
	if len(faults) > 0 {
		return Faults(faults)
	}
	m, faults := l.in.Compile(header, l.office.Zones, z, l.office.Now)
	if len(faults) > 0 {
		for _, f := range faults {
			if f.Place.File == "" {
				f.Place.File, f.Place.Sheet = l.report.Source.File, l.report.Source.Sheet
			}
		}
		return Faults(faults)
	}
	l.batch = intake.NewBatch(m, rows)
	l.report.Evidence = m.Evidence()
	if m.Zone != nil {
		l.report.Zone = m.Zone.Name()
	}
	if l.in.Zone == "" {
		l.report.ZoneWhy = why
	}
	return nil
}

// Faults are several problems that together stop a job.
type Faults []*fault.Fault

func (f Faults) Error() string {
	lines := make([]string, len(f))
	for i, one := range f {
		lines[i] = one.Error()
	}
	return strings.Join(lines, "\n")
}
