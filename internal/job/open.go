package job

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/intake"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/plan"
	"almanach/internal/core/table"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/caldav"
	"almanach/internal/edge/calendar/file"
	"almanach/internal/edge/calendar/folder"
	"almanach/internal/edge/source"
	"almanach/internal/edge/source/mail"
	"almanach/internal/edge/source/sheet"
)

// load is one preview or load under way.
type load struct {
	office *Office
	req    LoadRequest
	in     *intake.Intake // never changed
	batch  *intake.Batch
	report *Report
	record *record      // nil without a desk
	undoes string       // the run that is taken back
	begun  func() error // waits until the logbook knows what is about to be done: nothing is to be seen before
	apart  bool         // each row stands for itself

	files  []dependence // that its outcome depends on, before any was read; nil where it may depend on more
	began  time.Time    // when they were looked at
	memory uint64       // print of what the logbook remembered then

	fetched *mail.Fetched // the messages of a server that the rows are from; nil for none

	calendars []*opened         // in the order they were met
	zones     []source.ZoneNote // what the source says of the zone of its times
	years     []source.YearNote // and of the year of its dates
	more      string            // what says that there are more rows than it has
	titled    string            // what says that, where it counts
	places    [][]int32         // by row: the calendars it goes to; nil when all go to the same
	everyone  []int32           // the calendars all rows go to, when places is nil
}

// opened is an open calendar.
type opened struct {
	calendar.Backend
	spec    calendar.Spec
	holding *plan.Holding
	objects []*ical.Object // as they were read
	written bool           // since then
}

func (l *load) close() {
	for _, c := range l.calendars {
		c.Close()
	}
	l.record.close()
}

// open reads the source and the calendars, and learns the rows; of a load that
// is settled it reads nothing, and the report has its plan. The caller closes
// the load.
func open(ctx context.Context, office *Office, req LoadRequest) (*load, error) {
	l := &load{office: office, req: req, in: req.Intake, report: &Report{}}
	if f := l.rival(); f != nil {
		return nil, f
	}
	if err := l.openBook(); err != nil {
		return nil, err
	}
	if req.Into != "" {
		l.in = l.in.With(func(in *intake.Intake) { in.Into, in.Routes = []string{req.Into}, nil })
	}
	if len(l.in.Into) == 0 {
		l.close()
		return nil, l.calendarMissing()
	}
	if l.recall() {
		return l, nil
	}
	// The first calendar, where the intake names it, is read beside the source.
	var openErr error
	first := l.in.FirstPlace() // compile may put another intake into l
	read := beside(func() {
		if first != "" {
			_, openErr = l.calendar(ctx, intake.Destination{Name: first}, true)
		}
	})
	rows, header, err := l.readSource(ctx)
	if err == nil {
		err = l.compile(rows, header)
	}
	if read(); openErr != nil && !(err != nil && errors.Is(openErr, context.Canceled)) {
		err = openErr
	}
	if err == nil {
		err = l.route(ctx)
	}
	if err == nil && l.report.Running {
		l.holdOlder()
	}
	if err != nil {
		l.close()
		return nil, err
	}
	for _, c := range l.calendars {
		if c.holding.Target {
			l.report.Calendars = append(l.report.Calendars, c.spec.Name)
		}
	}
	return l, nil
}

// calendarMissing says which calendars there are.
func (l *load) calendarMissing() *fault.Fault {
	var choices [][]string
	for _, name := range l.office.Desk.Calendars() {
		choices = append(choices, []string{name})
	}
	if l.req.Match {
		return fault.Newf("nothing says which calendar to load %s into", l.req.File).Do("give --into CALENDAR.ics").Offer("--into", "calendar", "", choices)
	}
	f := fault.Newf("nothing says which calendar to load into")
	f.Offer("--into", "calendar", "", choices)
	return f.Do("add into: NAME to the intake, or give --into")
}

// rival refuses an identity that an intake of the desk has too: its events
// would be mistaken for this one's.
func (l *load) rival() *fault.Fault {
	others := slices.DeleteFunc(l.office.Desk.Identities()[l.in.Identity], func(name string) bool { return l.req.OfDesk && name == l.in.File })
	if len(others) == 0 {
		return nil
	}
	if l.req.OfDesk {
		return fault.Newf("intakes %s and %s of this desk both have the identity %q, so each would take the other's events for its own", l.in.File, others[0], l.in.Identity).Do("give one of them another identity: or name:")
	}
	what := l.req.File
	if what == "" {
		what = "the source"
	}
	return fault.Newf("%q is the identity of intake %s of this desk, whose events would be mistaken for those of %s", l.in.Identity, others[0], what).
		Do("load it as that intake: almanach load %s --file %s; or, if it is something else, give it another name with --name", others[0], what)
}

// openSource opens what the request or the intake names.
func (l *load) openSource(ctx context.Context) (source.Reader, error) {
	from, desk := l.in.From, l.office.Desk
	o := sourceOptions(l.office, from)
	o.Ask = l.req.Ask
	o.Text.Free, o.Text.Next, o.Text.Year, o.Text.Order = len(l.in.Key) == 0 || slices.Equal(l.in.Key, []string{"Key"}), l.in.NextWeekday, l.in.Dates.Year, int(l.in.Dates.Order)
	if l.in.Zone != "" {
		if z, err := l.office.Zones.Find(l.in.Zone); err == nil {
			o.Text.Home = z
		}
	}
	switch {
	case l.req.Source != nil:
		return l.req.Source, nil
	case l.req.File != "":
		o.Instead = l.in.File != ""
		return source.Open(ctx, l.req.File, o)
	case from.IMAP.Server != "":
		box, err := mail.Fetch(ctx, l.mailboxOf(from.IMAP))
		if err != nil {
			return nil, err
		}
		l.fetched = box
		o.Name, o.Budget = from.IMAP.Server, sheet.NewBudget(ctx)
		return source.Rows(mail.Rows(box.Messages, o), o)
	case from.Newest != "":
		path, err := source.Newest(desk.Path(from.Newest))
		if err != nil {
			return nil, err
		}
		return source.Open(ctx, path, o)
	case from.Files != "":
		paths, err := source.Files(desk.Path(from.Files))
		if err != nil {
			return nil, err
		}
		return source.OpenAll(ctx, paths, o)
	case from.Folder != "" && mail.IsFolder(desk.Path(from.Folder)):
		return source.Open(ctx, desk.Path(from.Folder), o)
	case from.Folder != "":
		paths, err := source.Files(filepath.Join(desk.Path(from.Folder), "*"))
		if err != nil {
			return nil, err
		}
		return source.OpenAll(ctx, paths, o)
	case from.URL != "":
		return source.Fetch(ctx, from.URL, desk.Memory("fetched"), o)
	case from.File == "-":
		return source.Open(ctx, "-", o)
	case from.File != "":
		return source.Open(ctx, desk.Path(from.File), o)
	}
	return nil, fault.Newf("nothing says which file to read").Do("add from: { file: … } to the intake, or give --file")
}

func (l *load) readSource(ctx context.Context) (rows table.Rows, header table.Header, err error) {
	r, err := l.openSource(ctx)
	if err != nil {
		return rows, nil, err
	}
	defer r.Close()
	l.report.Source = *r.Origin()
	rows, err = source.ReadAll(r, func(n int) { l.office.readSoFar(l.report.Source.File, n) })
	l.report.Sources = sourcesOf(rows, l.report.Source)
	about := r.About()
	l.zones, l.years, l.more = about.Zones, about.Years, about.More
	if about.LastDay && l.in.LastDay == "" {
		l.in = l.in.With(func(in *intake.Intake) { in.LastDay = "included" })
	}
	if err == nil && about.Running {
		l.running(r)
	} else if err == nil && len(l.in.Key) == 0 {
		return rows, nil, l.keyMissing(rows, r.Header())
	}
	if mended(r.Header()) {
		l.apart = true
		rows = unquoted(rows)
	}
	if err == nil && rows.Len() == 0 && !about.Running {
		f := fault.Newf("there is no row below the header in row %d", about.HeaderLast)
		if about.HeaderLast == 0 {
			f = fault.Newf("there is no row in it")
		}
		err = f.At(fault.Place{File: r.Origin().File, Sheet: r.Origin().Sheet}).Do("check that it is the right file; an empty source changes nothing")
	}
	l.report.Remarks = append(l.report.Remarks, about.Notes...)
	if len(about.HiddenColumns) > 0 {
		l.report.Remarks = append(l.report.Remarks, "hidden columns are left out: "+strings.Join(about.HiddenColumns, ", "))
	}
	return rows, r.Header(), err
}

// notedZone has the intake know what titles and notes of the source say of the zone of its
// times.
func (l *load) notedZone() *fault.Fault {
	var note source.ZoneNote
	for n, z := range l.zones {
		if n > 0 && !strings.EqualFold(z.Zone, note.Zone) {
			if l.in.Zone != "" {
				return nil
			}
			one, other := cmp.Or(note.Text, "nothing"), cmp.Or(z.Text, "nothing")
			return fault.Newf("not all of it says the same of the zone of its times: %q, %q", one, other).Do("name the zone of all times, with zone: in the intake, or load them one by one")
		}
		note = z
	}
	l.in = l.in.With(func(in *intake.Intake) {
		in.ZoneTold = l.office.Zone != ""
		if note.Zone != "" {
			in.Noted = intake.ZoneNote{Zone: note.Zone, By: strconv.Quote(fault.Shorten(note.Text, 60))}
			if note.Row > 0 {
				in.Noted.By = fmt.Sprintf("row %d (%s)", note.Row, fault.Shorten(note.Text, 60))
			}
		}
	})
	return nil
}

// notedYear has the intake know the year that titles of the source say, where they all say one
// that is near the present.
func (l *load) notedYear() {
	for _, s := range l.report.Sources {
		named, was := moment.NamedYear(s.File), l.in.Dates.Named
		switch {
		case named == 0 || named == was:
			continue
		case was != 0:
			named = moment.Season // of two files
		}
		l.in = l.in.With(func(in *intake.Intake) { in.Dates.Named = named })
	}
	year := 0
	for n, y := range l.years {
		if n > 0 && y.Year != year {
			return
		}
		year = y.Year
	}
	if now := l.office.Now.Year(); year != moment.Season && (year < now-2 || year > now+2) {
		return
	}
	l.titled = l.years[0].Text
	l.in = l.in.With(func(in *intake.Intake) { in.Dates.Titled = year })
}

// compile matches or compiles the intake against the source's header and
// learns the rows.
func (l *load) compile(rows table.Rows, header table.Header) error {
	at := fault.Place{File: l.report.Source.File, Sheet: l.report.Source.Sheet}
	z, why, f := l.office.DefaultZone()
	if f != nil {
		return f
	}
	if f := l.notedZone(); f != nil {
		return f.At(at)
	}
	l.notedYear()
	if l.report.Source.From1904 {
		l.in = l.in.With(func(in *intake.Intake) { in.Dates.From1904 = true })
	}
	if l.req.Match {
		set := l.in.Dates
		set.Zones, set.Present = l.office.Zones, l.office.Now
		var choices []match.Choice
		if l.in, choices, f = l.in.Matched(header, rows, l.req.Fields, set); f != nil {
			return f.At(at)
		}
		l.report.Matched = choices
	} else if len(l.req.Fields) > 0 {
		l.in = l.in.With(func(in *intake.Intake) {
			for field, columns := range l.req.Fields {
				in.SetColumns(field, columns)
			}
		})
	}
	l.organize()
	header, rows, faults := l.in.Prepare(header, rows)
	if len(faults) > 0 {
		return Faults(faults)
	}
	m, faults := l.in.Compile(header, l.office.Zones, z, l.office.Now)
	if len(faults) > 0 {
		for _, f := range faults {
			if f.Place.File == "" {
				f.Place.File, f.Place.Sheet = at.File, at.Sheet
			}
		}
		return Faults(faults)
	}
	l.batch = intake.NewBatch(m, rows, beside)
	l.report.Evidence = m.Evidence()
	l.report.Unused = slices.DeleteFunc(m.Unused(), func(name string) bool { // empty ones, and columns that reading several files or sheets, or holding rows, adds
		from := l.in.From
		if i := header.Find(name); i >= 0 && !rows.Filled(i) {
			return true
		}
		return mended(header) && slices.Contains(heldColumns, name) || name == "File" && (from.Files != "" || from.Folder != "") || name == "Sheet" && from.All
	})
	if m.Zone != nil {
		l.report.Zone = m.Zone.Name()
	}
	for _, remark := range []string{m.ZoneAside, m.LastDay, m.EachDay} {
		if remark != "" {
			l.report.Remarks = append(l.report.Remarks, remark)
		}
	}
	switch {
	case m.ZoneFrom != "":
		l.report.ZoneFrom = m.ZoneFrom
	case l.in.Zone == "":
		l.report.ZoneWhy = why
	}
	return nil
}

// calendar gives the index of an open calendar, and opens it when it is not. A
// target is one that rows go to: a load makes it when it does not exist.
func (l *load) calendar(ctx context.Context, to intake.Destination, target bool) (int32, error) {
	spec, f := l.spec(to)
	if f != nil {
		return 0, f
	}
	for i, c := range l.calendars {
		if c.spec.Name == spec.Name && c.spec.Path() == spec.Path() || samePath(c.spec, spec) {
			c.holding.Target = c.holding.Target || target
			return int32(i), nil
		}
	}
	backend, err := l.office.openCalendar(ctx, spec, true)
	if err != nil {
		return 0, err
	}
	c := &opened{Backend: backend, spec: spec}
	l.calendars = append(l.calendars, c)
	warnings, err := c.read(ctx, target)
	l.report.Warnings = append(l.report.Warnings, warnings...)
	return int32(len(l.calendars) - 1), err
}

// spec says where a calendar is. A path that an intake of the desk names counts
// from the desk.
func (l *load) spec(to intake.Destination) (calendar.Spec, *fault.Fault) {
	name := to.Name
	if l.req.OfDesk && l.req.Into == "" && !to.FromRow && !l.office.Desk.Has(name) && strings.HasSuffix(strings.ToLower(name), ".ics") {
		name = l.office.Desk.Path(name)
	}
	return l.office.Desk.Calendar(name, to.FromRow)
}

// samePath tells whether two names are one calendar.
func samePath(a, b calendar.Spec) bool {
	if a.Server.URL != "" || b.Server.URL != "" {
		return strings.TrimSuffix(a.Server.URL, "/") == strings.TrimSuffix(b.Server.URL, "/")
	}
	x, errX := filepath.Abs(a.Path())
	y, errY := filepath.Abs(b.Path())
	return errX == nil && errY == nil && x == y
}

// openCalendar opens what a specification names.
func (o *Office) openCalendar(ctx context.Context, spec calendar.Spec, create bool) (calendar.Backend, error) {
	if o.Open != nil {
		return o.Open(ctx, spec, create)
	}
	if spec.Server.URL != "" {
		spec.Cache = o.Desk.Memory("servers")
		if o.Progress != nil {
			spec.Progress = func(done, total, failed int) { o.Progress(spec.Name, done, total, failed) }
		}
		return opening(caldav.Open(spec, o.Zones))
	}
	if spec.Folder != "" {
		return opening(folder.Open(spec, o.Zones, create))
	}
	if dir := filepath.Dir(spec.File); create && !spec.Made {
		if _, err := os.Stat(dir); errors.Is(err, os.ErrNotExist) {
			return nil, fault.Newf("the folder %s does not exist", dir).At(fault.Place{File: spec.File}).Do("make it, or correct the path")
		}
	}
	return opening(file.Open(ctx, spec, o.Zones, create))
}

// opening keeps a nil of a backend's own type from being mistaken for one.
func opening[B calendar.Backend](b B, err error) (calendar.Backend, error) {
	if err != nil {
		return nil, err
	}
	return b, nil
}

// read reads what the calendar holds, and gives what is wrong with it.
func (c *opened) read(ctx context.Context, target bool) ([]*fault.Fault, error) {
	var objects []*ical.Object
	var warnings []*fault.Fault
	for o, err := range c.Entries(ctx) {
		switch {
		case err == nil:
			objects = append(objects, o)
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case errors.Is(err, calendar.ErrDamaged), errors.Is(err, calendar.ErrUnreachable):
			return warnings, err
		default:
			warnings = append(warnings, fault.Of(err))
		}
	}
	c.holding, c.objects, c.written = plan.NewHolding(c.spec.Name, target, c.Zones(), objects), objects, false
	return warnings, intact(c.Backend)
}

// intact gives an error where events of the open calendars could not be read again as they
// were: what was made of them is not to be used then.
func (l *load) intact() error {
	for _, c := range l.calendars {
		if err := intact(c.Backend); err != nil {
			return err
		}
	}
	return nil
}

func intact(b calendar.Backend) error {
	if r, ok := b.(calendar.Reread); ok {
		return r.Intact()
	}
	return nil
}

// route finds the calendars of every row, opens them, and holds rows that name
// none. Other calendars of the desk are opened too when they hold events of
// this intake: those have moved. Only an intake of the desk moves events.
func (l *load) route(ctx context.Context) error {
	if names, fixed := l.batch.Mapping.Fixed(); fixed {
		for _, to := range names {
			i, err := l.calendar(ctx, to, true)
			if err != nil {
				return err
			}
			l.everyone = append(l.everyone, i)
		}
	} else if err := l.routeRows(ctx); err != nil {
		return err
	}
	if !l.req.OfDesk || l.req.Into != "" {
		return nil
	}
	for _, name := range l.office.Desk.Calendars() {
		spec, f := l.office.Desk.Calendar(name, false)
		known := f != nil || slices.ContainsFunc(l.calendars, func(c *opened) bool { return samePath(c.spec, spec) })
		if !known && mentions(spec, l.in.Identity) {
			if _, err := l.calendar(ctx, intake.Destination{Name: name}, false); err != nil {
				return err
			}
		}
	}
	return nil
}

func (l *load) routeRows(ctx context.Context) error {
	l.places = make([][]int32, l.batch.Rows.Len())
	mapper := l.batch.Mapping.Mapper()
	for i, row := range l.batch.Rows.All() {
		if fate, _ := l.batch.Fate(i); fate != intake.WantedRow {
			continue
		}
		if _, _, changes := l.batch.Occurrence(i); changes {
			continue // it goes where its series does
		}
		names, f := mapper.Places(row)
		for n := 0; f == nil && n < len(names); n++ {
			if _, f = l.spec(names[n]); f != nil {
				f.Place.Column = names[n].Column
			}
		}
		if f != nil {
			at := row.Place()
			at.Column = f.Place.Column
			l.batch.Hold(i, f.At(at))
			continue
		}
		for _, to := range names {
			c, err := l.calendar(ctx, to, true)
			if err != nil {
				return err
			}
			if !slices.Contains(l.places[i], c) {
				l.places[i] = append(l.places[i], c)
			}
		}
	}
	for i := range l.batch.Rows.Len() {
		if series := l.batch.SeriesRow(i); series >= 0 {
			l.places[i] = l.places[series]
		}
	}
	return nil
}

// placesOf gives the calendars that row i goes to.
func (l *load) placesOf(i int) []int32 {
	if l.places == nil {
		return l.everyone
	}
	return l.places[i]
}

// mentions tells whether a calendar says anything of an intake, without reading
// it through. One that cannot be looked into may: opening it tells what is wrong.
func mentions(spec calendar.Spec, identity string) bool {
	if spec.Server.URL != "" {
		return true // what it holds is known from the last time, so asking costs little
	}
	paths := []string{spec.File}
	if spec.Folder != "" {
		entries, err := os.ReadDir(spec.Folder)
		if err != nil {
			return !os.IsNotExist(err)
		}
		paths = paths[:0]
		for _, e := range entries {
			if !e.IsDir() {
				paths = append(paths, filepath.Join(spec.Folder, e.Name()))
			}
		}
	}
	line, before := event.PropIntake+":"+event.WriteMark(identity), event.PropIntake+":"+ical.Escape(identity)
	texts := [][]byte{[]byte(line[:min(len(line), longestMark)])}
	if before != line {
		texts = append(texts, []byte(before[:min(len(before), longestMark)]))
	}
	return slices.ContainsFunc(paths, func(path string) bool { return fileHas(path, texts) })
}

// longestMark is as much of a line as no fold cuts.
const longestMark = 60

// fileHas tells whether a file has one of some texts of at most longestMark
// octets. One that is there and cannot be read may have any.
func fileHas(path string, texts [][]byte) bool {
	f, err := os.Open(path)
	if err != nil {
		return !os.IsNotExist(err)
	}
	defer f.Close()
	buf := make([]byte, 256<<10)
	for kept := 0; ; {
		n, err := f.Read(buf[kept:])
		data := buf[:kept+n]
		if slices.ContainsFunc(texts, func(t []byte) bool { return bytes.Contains(data, t) }) {
			return true
		}
		if err != nil {
			return err != io.EOF
		}
		kept = copy(buf, data[max(0, len(data)-longestMark):])
	}
}
