// Package intake turns the rows of a source into the events they stand for.
//
// An Intake is the description a clerk writes, or the program works out. It is
// compiled once against a header into a Mapping, which learns the columns and
// then maps row after row:
//
//	name: berth-bookings
//	from: { file: inbox/berth-bookings.xlsx }
//	key: Booking no
//	into: berths
//	event:
//	  title: "{Vessel} at {Berth}"
//	  start: "{Arrival} {ETA}"
package intake

import (
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
	"almanach/internal/core/settings"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
)

// Intake is one described source.
type Intake struct {
	Name     string
	File     string // the file that describes it, without folder and extension; "" for none
	Identity string // what IDs are derived from; never empty
	From     From
	Key      []string
	Into     []string          // calendars, as templates
	Routes   map[string]string // from what Into gives to a calendar; nil for none
	Zone     string            // "" for the desk's
	ZoneTold bool              // a person named the zone of times that name none
	Noted    ZoneNote          // what the table says of the zone of its times
	Gone     string            // report, cancel or delete
	Removed  string            // respect or restore
	Policy   agree.Policy
	Past     bool // past events can be gone
	Dates    moment.Settings
	// RangeWithTimes is one or each day; "" holds such rows.
	RangeWithTimes string
	// LastDay is included or not included: what the end of an all-day event is. "" is included,
	// and not certain.
	LastDay     string
	Outliers    string // read takes dates and lengths that stand out as they are
	Struck      string // leave out, cancel or read; "" holds rows that are crossed out
	Assume      Assume
	Period      Period
	Believed    Period   // the dates that a row may have
	Needs       []string // columns
	Clear       bool     // empty cells clear the event's fields
	Clean       []string // columns
	Labels      Labels
	Words       map[string]map[string]string // for lookup
	Send        bool                         // invitations
	NextWeekday string                       // coming or following: what "next Friday" means; "" holds it
	Markdown    bool                         // the description is Markdown

	event            map[string]template.Source // by setting name
	leaveOut, cancel template.Source
	reminders        []template.Source
	properties       []property
	intoAt, root     *settings.Value
}

// ZoneNote is what a title or a note of a table says of the zone of its times; the zero
// ZoneNote says nothing.
type ZoneNote struct {
	Zone string // as it is called there; zone.Here for the clocks of the place
	By   string // what says so, in words
}

// Period is the time a source is about, as days; zero ends are open.
type Period struct {
	From, To string // as the intake writes them
}

// Labels are labelled lines in one column that become columns.
type Labels struct {
	In      string
	Columns []string
}

// property is one of the event's other properties.
type property struct {
	name string
	template.Source
}

// IMAP is a folder of messages on a server. Without a server there is none.
type IMAP struct {
	Server, User, Folder, Mark, Move, CA string
	Unseen, Plain                        bool
	Password                             settings.SecretPlace
}

// From says where the rows come from. One of File, Newest, Files, Folder and
// URL is set, or none when each load names its file.
type From struct {
	File     string // relative to the desk; "-" for standard input
	Newest   string // a pattern: the newest file of it
	Files    string // a pattern: all files of it
	Folder   string // all files in it
	URL      string
	Sheet    string
	All      bool   // every sheet
	Range    string // cells of the sheet
	Header   table.HeaderRows
	FillDown []string
	Hidden   bool   // hidden rows and columns are read
	Records  string // path of the records in a JSON document
	Read     string // of a document: tables, text; "" for both
	IMAP     IMAP   // a folder of messages on a server
}

// Assume is what is assumed where a row does not say.
type Assume struct {
	Length    time.Duration // 0: nothing
	Overnight time.Duration
}

// DefaultOvernight is the longest event that may end on the next day without
// saying so.
const DefaultOvernight = 12 * time.Hour

// Parse reads an intake file. file is its name, for messages and as the
// default name of the intake.
func Parse(file string, text []byte) (*Intake, []*fault.Fault) {
	f, faults := settings.Read(file, text, Definition)
	if len(faults) > 0 {
		return nil, faults
	}
	v := f.Root
	in := &Intake{
		Name: v.Text("name"), Identity: v.Text("identity"), File: strings.TrimSuffix(filepath.Base(file), filepath.Ext(file)),
		From: From{
			File: v.Text("from.file"), Newest: v.Text("from.newest"), Files: v.Text("from.files"), Folder: v.Text("from.folder"), URL: v.Text("from.url"),
			Read: v.Text("from.read"), Sheet: v.Text("from.sheet"), All: v.Text("from.sheets") == "all", Range: v.Text("from.range"), FillDown: v.Words("from.fill_down"), Hidden: v.Text("from.hidden") == "read", Records: v.Text("from.records"),
		},
		Key: v.Words("key"), Into: v.Words("into"), Zone: v.Text("zone"), Gone: v.Text("agree.gone"), Removed: v.Text("agree.removed"), Past: v.Yes("agree.past"),
		Assume: Assume{Length: v.Length("assume.length"), Overnight: v.Length("assume.overnight")},
		event:  map[string]template.Source{},
		intoAt: v.Get("into"), root: v,
	}
	if m := v.Get("from.imap"); m != nil {
		in.From.IMAP = IMAP{Server: m.Text("server"), User: m.Text("user"), Folder: m.Text("folder"), Mark: m.Text("mark"), Move: m.Text("move"), CA: m.Text("ca"), Unseen: m.Yes("unseen"), Plain: m.Yes("plain"),
			Password: m.Secret("password")}
		if in.From.IMAP.Server == "" {
			return nil, []*fault.Fault{m.Fault(0, "nothing says which server").Do("add server: under imap")}
		}
	}
	if h := v.Get("from.header"); h != nil {
		var ok bool
		if in.From.Header, ok = table.ParseHeaderRows(v.Text("from.header")); !ok {
			f := h.Fault(0, "is not a row of the header")
			f.Value, f.Quoted = v.Text("from.header"), true
			return nil, []*fault.Fault{f.Do("write 4, or 4-5 for two rows, or none")}
		}
	}
	if in.Name == "" {
		in.Name = in.File
	}
	in.Dates.Year, in.NextWeekday = v.Number("assume.year"), v.Text("next_weekday")
	in.Dates.Order = map[string]moment.Order{"day first": moment.DayFirst, "month first": moment.MonthFirst, "year first": moment.YearFirst}[v.Text("day_order")]
	in.Policy = agree.Policy{Edited: v.Text("agree.edited"), Disputed: v.Text("agree.disputed"), Fields: map[event.Field]agree.Side{}}
	if f := in.sides(v); f != nil {
		return nil, []*fault.Fault{f}
	}
	in.RangeWithTimes, in.LastDay = v.Text("range_with_times"), v.Text("last_day")
	in.Struck, in.Outliers = v.Text("struck"), v.Text("outliers")
	in.Dates.Language = moment.Language(v.Text("language"))
	in.Dates.Native = map[string]moment.Native{"trust": moment.TrustNative, "swapped": moment.SwapNative}[v.Text("native")]
	in.Dates.Unix = map[string]time.Duration{"seconds": time.Second, "milliseconds": time.Millisecond}[v.Text("unix")]
	in.readEvent(v.Get("event"))
	in.Believed = Period{From: v.Text("dates.from"), To: v.Text("dates.to")}
	in.Period = Period{From: v.Text("period.from"), To: v.Text("period.to")}
	in.Needs, in.Clean, in.Clear, in.Send = v.Words("needs"), v.Words("clean"), v.Text("empty") == "clear", v.Text("invitations") == "send"
	in.Labels = Labels{In: v.Text("labels.in"), Columns: v.Words("labels.columns")}
	in.Routes = v.Table("routes")
	if w := v.Get("words"); w != nil {
		in.Words = map[string]map[string]string{}
		for _, t := range w.Values {
			in.Words[t.Name] = w.Table(t.Name)
		}
	}
	in.leaveOut = template.Source{Text: v.Text("leave_out"), At: v.Get("leave_out")}
	in.cancel = template.Source{Text: v.Text("cancel_when"), At: v.Get("cancel_when")}
	in.Defaults()
	faults = in.incomplete(file)
	if p, own := v.Get("event.participation"), v.Text("event.own_address"); p != nil && !strings.Contains(own, "@") {
		faults = append(faults, p.Fault(0, "nothing says whose answer it is").Do("add own_address: with an address under event"))
	}
	return in, faults
}

// readEvent reads what the fields of the event are made of.
func (in *Intake) readEvent(e *settings.Value) {
	if e == nil {
		return
	}
	for _, c := range e.Values {
		in.event[c.Name] = template.Source{Text: e.Text(c.Name), At: c}
	}
	if c := e.Get("reminders"); c != nil {
		delete(in.event, "reminders")
		for _, text := range c.Texts {
			in.reminders = append(in.reminders, template.Source{Text: text, At: c})
		}
	}
	if c := e.Get("properties"); c != nil {
		delete(in.event, "properties")
		for _, p := range c.Values {
			in.properties = append(in.properties, property{strings.ToUpper(p.Name), template.Source{Text: p.String(), At: p}})
		}
	}
	in.Markdown = e.Text("description_as") == "markdown"
	delete(in.event, "description_as")
}

// Defaults fills in what is derived from the rest.
func (in *Intake) Defaults() {
	if in.Identity == "" {
		in.Identity = in.Name
	}
	if in.Gone == "" {
		in.Gone = "report"
	}
	if in.Assume.Overnight == 0 {
		in.Assume.Overnight = DefaultOvernight
	}
}

// sides reads which side is always right about a field.
func (in *Intake) sides(v *settings.Value) *fault.Fault {
	table := v.Get("agree.fields")
	if table == nil {
		return nil
	}
	for name, side := range v.Table("agree.fields") {
		field, ok := event.ParseField(name)
		at := table.Get(name)
		if !ok {
			var names []string
			for _, f := range event.Fields() {
				names = append(names, f.String())
			}
			return at.Locate(fault.Unknown("field", name, names), 0)
		}
		switch side {
		case "source":
			in.Policy.Fields[field] = agree.Sheet
		case "calendar":
			in.Policy.Fields[field] = agree.Calendar
		default:
			return at.Locate(fault.Unknown("side", side, []string{"source", "calendar"}), 0)
		}
	}
	return nil
}

// running tells whether a source holds running text for certain, so that nothing
// needs to say which column is what.
func (f From) running() bool {
	if f.Read == "text" || f.IMAP.Server != "" {
		return true
	}
	switch strings.ToLower(filepath.Ext(f.File + f.Newest + f.Files)) {
	case ".eml", ".mbox", ".txt", ".md", ".pdf", ".docx", ".odt":
		return f.Read == ""
	}
	return false
}

// SequenceMark is the property that keeps which version of an invitation an event
// was loaded from.
const SequenceMark = "X-INVITATION-SEQUENCE"

const cancelledText = `Status == "cancelled"`

// OfText gives a copy of the intake with what rows of running text need and it
// does not say itself.
func (in *Intake) OfText(identity string) *Intake {
	return in.With(func(out *Intake) {
		if len(out.Key) == 0 {
			out.Key = []string{"Key"}
			if identity != "" && out.Identity == out.Name {
				out.Identity = identity
			}
		}
		if out.event == nil {
			out.event = map[string]template.Source{}
		}
		for field, text := range map[string]string{"title": "{What}", "start": "{When}", "zone": "{Zone}", "location": "{Where}", "attendees": "{Who}", "repeat": "{Repeat}", "except": "{Except}"} {
			if out.event[field].Text == "" {
				out.event[field] = template.Source{Text: text}
			}
		}
		out.properties = append(slices.Clone(out.properties), property{SequenceMark, template.Source{Text: "{Sequence}"}})
		if out.cancel.Text == "" {
			out.cancel = template.Source{Text: cancelledText}
		}
		if out.Outliers == "" {
			out.Outliers = "read" // each was judged by its own text
		}
		out.Dates.AnyYear = true
	})
}

func (in *Intake) incomplete(file string) []*fault.Fault {
	var out []*fault.Fault
	miss := func(name, example string) {
		out = append(out, fault.Newf("nothing says %s", name).Do("add %s", example).At(fault.Place{File: file}))
	}
	if in.From.running() || in.From.Folder != "" && len(in.Key) == 0 && len(in.event) == 0 { // of messages
		return out
	}
	if len(in.Key) == 0 {
		miss("which column is the key", "key: Booking no")
	}
	if in.event["start"].Text == "" {
		miss("when the events start", `start: "{Date}" under event`)
	}
	if in.event["title"].Text == "" {
		miss("what the events are called", `title: "{Vessel}" under event`)
	}
	var places []string
	for _, name := range []string{"file", "newest", "files", "folder", "url", "imap.server"} {
		if in.root.Text("from."+name) != "" {
			places = append(places, name)
		}
	}
	if len(places) > 1 {
		out = append(out, in.root.Get("from."+places[1]).Fault(0, "from has both %s and %s", places[0], places[1]).Do("keep one"))
	}
	return out
}

// FirstPlace gives the first calendar that the intake names outright, "" when
// that depends on the row.
func (in *Intake) FirstPlace() string {
	if len(in.Into) == 0 || strings.ContainsAny(in.Into[0], "{[") {
		return ""
	}
	if in.Routes != nil {
		return in.Routes[in.Into[0]]
	}
	return in.Into[0]
}

// PropertyNames gives the names of the event's other properties.
func (in *Intake) PropertyNames() []string {
	var out []string
	for _, p := range in.properties {
		out = append(out, p.name)
	}
	return out
}

// EventText gives the template of a field, "" when it is not mapped.
func (in *Intake) EventText(field string) string { return in.event[field].Text }

// SetField gives the template of a field, as a file would.
func (in *Intake) SetField(field, text string) {
	if in.event == nil {
		in.event = map[string]template.Source{}
	}
	in.event[field] = template.Source{Text: text}
}

// SetColumns maps a field to the columns that a person named. For the end this can be
// match.None: then no column holds it.
func (in *Intake) SetColumns(field string, columns []string) {
	if field == match.None {
		return
	}
	if field == "end" && slices.Equal(columns, []string{match.None}) {
		delete(in.event, field)
		return
	}
	in.SetField(field, "{"+strings.Join(columns, "} {")+"}")
}

// SetLeaveOut and SetCancel give the conditions, as a file would.
func (in *Intake) SetLeaveOut(condition string) { in.leaveOut = template.Source{Text: condition} }

// SetCancel gives the condition under which a row's event is cancelled.
func (in *Intake) SetCancel(condition string) { in.cancel = template.Source{Text: condition} }

// With gives a copy of the intake to which change has been done. Nothing that
// change may do to the copy's fields is seen in the intake itself.
func (in *Intake) With(change func(*Intake)) *Intake {
	out := *in
	out.Key, out.Into, out.Routes = slices.Clone(in.Key), slices.Clone(in.Into), maps.Clone(in.Routes)
	out.event = maps.Clone(in.event)
	change(&out)
	return &out
}

// Matched gives a copy of the intake for a table that no file describes, with
// the columns that suit the fields.
func (in *Intake) Matched(header table.Header, rows table.Rows, fields map[string][]string, set moment.Settings) (*Intake, []match.Choice, *fault.Fault) {
	given := match.Given{Key: in.Key, Fields: fields}
	choices, f := match.Columns(header, rows, given, set)
	out := in.With(func(out *Intake) { out.SetEvent(choices) })
	if in.cancel.Text == "" {
		taken := map[int]bool{}
		for _, name := range in.Key {
			taken[header.Find(name)] = true
		}
		for _, c := range choices {
			for _, i := range c.Indexes {
				taken[i] = true // a column of states alone gives the event its own
			}
		}
		condition, columns := match.Cancels(header, func(i int) []string {
			if taken[i] || given.Without(header, i) {
				return nil
			}
			return match.Cancelling(rows, i)
		})
		if condition != "" {
			out.SetCancel(condition)
			choices = append(choices, match.Choice{Field: "cancelled rows", Template: condition, Columns: columns})
		}
	}
	return out, choices, f
}

// SetEvent gives the fields of the event the templates chosen for them.
func (in *Intake) SetEvent(choices []match.Choice) {
	if in.event == nil {
		in.event = map[string]template.Source{}
	}
	for _, c := range choices {
		if c.Field == "reminders" {
			in.reminders = []template.Source{{Text: c.Template}}
			continue
		}
		in.event[c.Field] = template.Source{Text: c.Template}
	}
}

var countersAndDates = pattern.Lazy(`(?i)([-_ .(]*(\d{4}[-_. ]?\d{2}([-_. ]?\d{2})?|\d{1,2}[-_. ]\d{1,2}[-_. ]\d{2,4}|v?\d+|copy|copia|kopie|final|new)\)?)+$`)

// NameFromFile gives the name of a file without its folder, its extension,
// and the dates and counters at its end, so that next week's export of the
// same sheet has the same name.
func NameFromFile(file string) string {
	base := filepath.Base(file)
	base = strings.TrimSuffix(base, filepath.Ext(base))
	if short := countersAndDates().ReplaceAllString(base, ""); short != "" {
		base = short
	}
	return strings.ToLower(strings.Join(strings.Fields(base), "-"))
}
