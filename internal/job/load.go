package job

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
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
	Into   string         // instead of the intake's calendar
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
	if sum := t.New + t.Changed + t.Same + t.Edited + t.Disputed + t.Removed; t.Wanted != sum {
		return fmt.Errorf("the totals do not foot: %d wanted, but %d new, changed, same, edited, disputed or removed; please report this", t.Wanted, sum)
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

// Item is what became of one row, or of an event whose row has gone.
type Item struct {
	Outcome  agree.Outcome
	Place    fault.Place // zero for an event that is gone
	Key      string
	UID      string
	Calendar string
	Title    string
	Event    event.Event // set with LoadRequest.All, and for new, gone and disputed events
	Fields   []Difference
	Notes    []string
	Reason   string
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
	Intake   string
	Run      string // load only
	Source   table.Origin
	Calendar string
	Totals   Totals
	Items    []Item
	Unlisted int              // items that were counted but not kept, as there are very many
	Assumed  map[string][]int // what was taken for granted, and in which rows
	Matched  []intake.Choice  // columns found by their headings
	Evidence []string         // what settled the columns' day order
	Zone     string           // of times that name none
	ZoneWhy  string           // how that zone was come by, when nobody named it
	Warnings []*fault.Fault   // what was found wrong in the calendar
	Notes    []string         // what is to be said of the source
	NoGone   string           // why nothing could be called gone
	Guards   []*fault.Fault   // what a load would stop at
	Written  int              // events written and found again when reading back
}

// Left tells whether something is left for a person to do.
func (r *Report) Left() bool {
	return r.Totals.Held > 0 || r.Totals.Disputed > 0 || len(r.Guards) > 0
}

// load is one preview or load under way.
type load struct {
	office  *Office
	req     LoadRequest
	in      *intake.Intake
	batch   *intake.Batch
	cal     *calendar.File
	report  *Report
	changes []calendar.Change
	zones   []calendar.ZoneUse
	keys    map[string]bool
	matched int                 // rows whose event the calendar has
	moved   map[event.Field]int // events whose field a load would change
	removed int                 // events that a load would cancel or delete as gone
	ours    int                 // events of this intake in the calendar
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
	defer l.cal.Close()
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

// open reads the source and the calendar, both at once, and learns the rows.
// The caller closes the calendar.
func open(ctx context.Context, office *Office, req LoadRequest) (*load, error) {
	l := &load{office: office, req: req, in: req.Intake, report: &Report{Intake: req.Intake.Name, Assumed: map[string][]int{}}, moved: map[event.Field]int{}}
	if req.Take != agree.TakeNone {
		l.keys = map[string]bool{}
		for _, k := range req.Keys {
			l.keys[identity.NormalText(k)] = false
		}
	}
	into := req.Into
	if into == "" {
		into = l.in.Into
	}
	if into == "" {
		return nil, fault.Newf("nothing says which calendar to load into").Do("add into: NAME to the intake, or give --into")
	}
	opened := make(chan error, 1)
	go func() {
		var err error
		l.cal, err = office.Desk.Calendar(ctx, into, office.Zones, req.Write, true)
		opened <- err
	}()
	rows, header, err := l.readSource(ctx)
	if err == nil {
		err = l.compile(rows, header)
	}
	if e := <-opened; e != nil {
		return nil, e
	}
	if err == nil {
		l.report.Calendar = l.cal.Name()
		l.report.Warnings = l.cal.Faults()
		if l.cal.Damaged() {
			f := *l.cal.Faults()[0]
			err = f.Do("the calendar was not touched; mend or replace it, then load again").FromOutside()
		}
	}
	if err != nil {
		l.cal.Close()
		return nil, err
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

// selected tells whether row i is to be tried.
func (l *load) selected(i int) bool {
	return (l.req.First == 0 || i < l.req.First) && (l.req.Rows == nil || l.req.Rows[int(l.batch.Rows[i].Number)])
}

func (l *load) partial() bool { return l.req.First > 0 || l.req.Rows != nil }

// compare settles every row against the calendar, in shards of rows side by
// side, and puts the shards together in the order of the rows.
func (l *load) compare(ctx context.Context) error {
	const size = 2048
	shards := make([]*shard, (len(l.batch.Rows)+size-1)/size)
	next := make(chan int, len(shards))
	for n := range shards {
		next <- n
	}
	close(next)
	var workers sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), len(shards)) {
		workers.Go(func() {
			mapping := l.batch.Mapping.Fork()
			for n := range next {
				if ctx.Err() != nil {
					return
				}
				s := &shard{load: l, mapping: mapping}
				for i := n * size; i < min((n+1)*size, len(l.batch.Rows)); i++ {
					s.row(i)
				}
				shards[n] = s
			}
		})
	}
	workers.Wait()
	if ctx.Err() != nil {
		return ctx.Err()
	}
	for _, s := range shards {
		l.take(s)
	}
	return nil
}

// take adds what a shard found.
func (l *load) take(s *shard) {
	t := &l.report.Totals
	t.Rows += s.totals.Rows
	t.Wanted += s.totals.Wanted
	t.New += s.totals.New
	t.Changed += s.totals.Changed
	t.Same += s.totals.Same
	t.Edited += s.totals.Edited
	t.Disputed += s.totals.Disputed
	l.matched += s.matched
	for _, h := range s.held {
		l.batch.Hold(h.row, h.fault)
	}
	for _, i := range s.cancelled {
		l.batch.Leave(i, "cancelled in the source, and there is no event to cancel")
	}
	for _, i := range s.items {
		if !l.req.All && len(l.report.Items) >= keptItems && i.Outcome != agree.Disputed {
			l.report.Unlisted++
			continue
		}
		l.report.Items = append(l.report.Items, i)
	}
	l.changes = append(l.changes, s.changes...)
	for _, z := range s.zones {
		l.zones = calendar.UseZone(l.zones, z)
	}
	for _, n := range s.notes {
		for _, kind := range n.notes.Kinds(l.in) {
			l.report.Assumed[kind] = append(l.report.Assumed[kind], int(l.batch.Rows[n.row].Number))
		}
	}
	for _, f := range s.moved {
		l.moved[f]++
	}
	for _, k := range s.settled {
		l.keys[k] = true
	}
}

// shard is what became of some rows that follow each other. Shards are worked
// on side by side, so they only read what they share.
type shard struct {
	*load
	mapping   *intake.Mapping
	totals    Totals
	items     []Item
	changes   []calendar.Change
	held      []heldRow
	cancelled []int // rows to be cancelled that have no event
	notes     []notedRow
	moved     []event.Field
	settled   []string // keys for which a side was taken
	matched   int      // rows whose event the calendar has
	zones     []calendar.ZoneUse
	text      []byte // new events, one behind the other
}

type heldRow struct {
	row   int
	fault *fault.Fault
}

type notedRow struct {
	row   int
	notes intake.Notes
}

func (s *shard) row(i int) {
	fate, id := s.batch.Fate(i)
	old := (*calendar.Object)(nil)
	if id != (identity.ID{}) {
		if old = s.cal.Find(id); old != nil {
			s.matched++
		}
	}
	if !s.selected(i) {
		return
	}
	s.totals.Rows++
	if fate != intake.WantedRow {
		return
	}
	w, f := s.batch.Map(s.mapping, i)
	switch {
	case f != nil:
		s.hold(i, f)
	case old == nil && w.Cancel:
		s.cancelled = append(s.cancelled, i)
	case old == nil:
		s.create(i, id, &w)
	default:
		s.settle(i, id, old, &w)
	}
}

func (s *shard) hold(i int, f *fault.Fault) { s.held = append(s.held, heldRow{i, f}) }

func (s *shard) settle(i int, id identity.ID, old *calendar.Object, w *intake.Wanted) {
	if old.Twins > 0 {
		s.hold(i, fault.Newf("%d events in calendar %s are this one; the first begins in line %d", old.Twins+1, s.cal.Name(), old.Line).Do("remove all but one there"))
		return
	}
	if s.keys == nil && !s.req.All && agree.Untouched(old.Raw, &w.Event) {
		s.count(i, agree.Same, w.Notes)
		return
	}
	view, err := event.Read(old.Raw, s.cal.Resolve)
	if err != nil {
		s.hold(i, fault.Newf("its event in calendar %s, line %d, cannot be read: %w", s.cal.Name(), line(old.Line, err), err).Do("mend it there"))
		return
	}
	view.Attune(&w.Event, old.Raw)
	seal := agree.ParseSeal(view.Seal)
	if !w.Event.Given.Has(event.Status) && seal.Cancelled() { // its row had gone, and is back
		w.Event.SetText(event.Status, "")
	}
	result := agree.Compare(&w.Event, &view.Event, &seal, s.side(i), s.cal.Resolve)
	reason := ""
	if result.Write.Has(event.When) && old.Overrides > 0 && !w.Event.When.Same(view.When) {
		result.Outcome, result.Write, result.Reseal = agree.Disputed, 0, false
		reason = fmt.Sprintf("%d of its occurrences were changed one by one and would no longer fit", old.Overrides)
	}
	s.count(i, result.Outcome, w.Notes)
	for _, f := range result.Fields {
		if f.Outcome == agree.Changed && result.Outcome == agree.Changed {
			s.moved = append(s.moved, f.Field)
		}
	}
	if s.req.Write && (result.Write != 0 || result.Reseal) {
		s.changes = append(s.changes, calendar.Change{ID: id, Old: old, New: rewrite(old.Raw, result, &w.Event, view.Sequence, s.office.Stamp())})
		if result.Write.Has(event.When) {
			s.use(w.Event.When)
		}
	}
	if result.Outcome == agree.Same && !s.req.All {
		return
	}
	item := s.item(i, result.Outcome, w, view.UID)
	item.Title, item.Reason = view.Text(event.Title), reason
	item.Fields = differences(result, &w.Event, &view.Event, &seal, s.cal.Resolve)
	if w.Cancel {
		item.Event = view.Event
	}
	s.items = append(s.items, item)
}

func (s *shard) count(i int, o agree.Outcome, n intake.Notes) {
	s.totals.Wanted++
	s.totals.count(o)
	if n != 0 {
		s.notes = append(s.notes, notedRow{i, n})
	}
}

func (s *shard) item(i int, o agree.Outcome, w *intake.Wanted, uid string) Item {
	return Item{Outcome: o, Place: s.batch.Rows[i].Place(), Key: s.mapping.Key(s.batch.Rows[i]).String(), UID: uid, Calendar: s.cal.Name(), Title: w.Event.Text(event.Title), Event: w.Event, Notes: w.Notes.Words(s.in)}
}

func line(begin int, err error) int {
	if e, ok := err.(*event.LineError); ok {
		return begin + e.Line - 1
	}
	return begin
}

// side gives the side to take for a row whose key was named.
func (s *shard) side(i int) agree.Take {
	if s.keys == nil {
		return agree.TakeNone
	}
	key := s.mapping.Key(s.batch.Rows[i]).String()
	if _, named := s.keys[key]; named {
		s.settled = append(s.settled, key)
		return s.req.Take
	}
	return agree.TakeNone
}

// use remembers the time zones that writing a time needs defined.
func (s *shard) use(span event.Span) {
	for _, t := range []zone.Time{span.Start, span.End} {
		if t.Form == zone.Local {
			s.zones = calendar.UseZone(s.zones, calendar.ZoneUse{Zone: t.Zone, Year: zone.Civil(t.Wall).Year()})
		}
	}
}

func (s *shard) create(i int, id identity.ID, w *intake.Wanted) {
	s.count(i, agree.New, w.Notes)
	if s.req.Write {
		if cap(s.text)-len(s.text) < 4096 { // one block holds the new events of many rows
			s.text = make([]byte, 0, 256<<10)
		}
		from := len(s.text)
		s.text = s.fresh(s.text, id, s.mapping.Key(s.batch.Rows[i]), &w.Event)
		s.changes = append(s.changes, calendar.Change{ID: id, New: s.text[from:len(s.text):len(s.text)]})
		s.use(w.Event.When)
	}
	if s.req.All || len(s.items) < keptItems {
		s.items = append(s.items, s.item(i, agree.New, w, id.String()))
	}
}

// fresh appends the text of a new event to dst.
func (l *load) fresh(dst []byte, id identity.ID, key identity.Key, e *event.Event) []byte {
	var seal agree.Seal
	for _, f := range event.Fields() {
		if e.Given.Has(f) {
			seal.Set(f, e, e)
		}
	}
	uid := id.String()
	from := len(dst)
	dst = event.Append(dst, e, uid, []event.Mark{
		{Name: event.PropID, Value: uid},
		{Name: event.PropIntake, Value: ical.Escape(l.in.Identity)},
		{Name: event.PropKey, Value: ical.Escape(key.String())},
	}, l.office.Stamp())
	return agree.AppendSealed(dst, from, &seal, event.AppendReminders(nil, e))
}

// rewrite gives an event's text with the fields that changed, the seal, and
// the marks of its revision (RFC 5545 §3.8.7); nothing else of it is touched.
func rewrite(raw []byte, r agree.Result, wanted *event.Event, sequence int, stamp zone.Time) []byte {
	c := ical.Open(raw)
	event.Write(c, r.Write, wanted)
	if r.Write != 0 {
		c.Set("DTSTAMP", nil, []string{"TZID", "VALUE"}, ical.FormatTime(stamp))
		if _, ok := c.Find("LAST-MODIFIED"); ok {
			c.Set("LAST-MODIFIED", nil, []string{"TZID", "VALUE"}, ical.FormatTime(stamp))
		}
	}
	if r.Write.Has(event.When) || r.Write.Has(event.Status) {
		c.Set("SEQUENCE", nil, nil, strconv.Itoa(sequence+1))
	}
	agree.Reseal(c, &r.Seal)
	return c.Bytes()
}

// finish adds the rows that were held or left out, and puts the items in the
// order of the source.
func (l *load) finish() {
	t := &l.report.Totals
	for _, h := range l.batch.Held {
		if !l.selected(h.Row) {
			continue
		}
		t.Held++
		l.report.Items = append(l.report.Items, Item{Outcome: agree.Held, Place: h.Fault.Place, Key: h.Key.String(), Calendar: l.cal.Name(), Reason: h.Fault.Reason()})
	}
	for _, o := range l.batch.LeftOut {
		if !l.selected(o.Row) {
			continue
		}
		t.LeftOut++
		l.report.Items = append(l.report.Items, Item{Outcome: agree.LeftOut, Place: l.batch.Rows[o.Row].Place(), Key: o.Key.String(), Calendar: l.cal.Name(), Reason: o.Reason})
	}
	slices.SortStableFunc(l.report.Items, func(a, b Item) int {
		if gone := func(i Item) int { return map[bool]int{true: 1}[i.Outcome == agree.Gone] }; gone(a) != gone(b) {
			return gone(a) - gone(b)
		}
		return a.Place.Row - b.Place.Row
	})
}

// apply writes what a load has to write.
func (l *load) apply(ctx context.Context) error {
	var unknown []string
	for k, used := range l.keys {
		if !used {
			unknown = append(unknown, k)
		}
	}
	if len(unknown) > 0 {
		slices.Sort(unknown)
		return fault.Newf("--take names %s, which no row of the source has as its key", strings.Join(unknown, ", ")).Do("write the key as the source has it; nothing was written")
	}
	l.report.Guards = l.guards()
	if !l.req.Write {
		return nil
	}
	if len(l.report.Guards) > 0 {
		return Faults(l.report.Guards)
	}
	l.report.Run = fmt.Sprintf("%s-%d", l.office.Now.UTC().Format("20060102T150405Z"), os.Getpid())
	l.batch = nil // the rows are not needed any more, and can be many
	written, err := l.cal.Apply(ctx, l.changes, l.zones)
	l.report.Written = written
	return err
}
