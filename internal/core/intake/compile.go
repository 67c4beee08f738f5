package intake

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
	"almanach/internal/core/zone"
)

// compilation is an intake on its way to a Mapping.
type compilation struct {
	*template.Compiler
	in     *Intake
	m      *Mapping
	dates  moment.Settings
	faults []*fault.Fault
}

// Compile compiles the intake against a header. fallback is the zone of times
// for which neither row nor intake names one, nil for floating times. The
// faults name every column that does not exist and every setting that would
// be wrong in each row alike. The intake is not changed.
func (in *Intake) Compile(header table.Header, zones *zone.Book, fallback *zone.Zone, present time.Time) (*Mapping, []*fault.Fault) {
	c := &compilation{Compiler: template.NewCompiler(header, in.Words), in: in, dates: in.Dates}
	c.dates.Zones, c.dates.Present = zones, present
	m := &Mapping{weekday: -1, year: -1, half: -1, Header: header, Zones: zones, Zone: fallback, intake: in, dates: c.dates, compiler: c.Compiler}
	c.m = m
	c.dates.From, c.dates.To = c.days(in.Believed, "dates")
	c.zone()
	for _, name := range in.Key {
		m.key = append(m.key, c.setting(name, "key"))
	}
	c.fields()
	m.start, m.end = c.moments("start"), c.moments("end")
	m.length, m.allDay, m.zoneOf = c.template("length"), c.template("all_day"), c.template("zone")
	c.headingZone()
	c.series()
	m.occurrence = c.moments("occurrence")
	c.places()
	for _, name := range in.Needs {
		m.needs = append(m.needs, c.setting(name, "needs"))
	}
	m.from, m.to = c.days(in.Period, "period")
	m.shown = c.Used()
	m.leaveOut, m.cancel = c.condition(in.leaveOut), c.condition(in.cancel)
	for _, i := range c.Dated() {
		c.dated(i)
	}
	if len(c.faults) == 0 {
		c.fixed()
	}
	return m, c.faults
}

func (c *compilation) keep(f *fault.Fault) {
	if f != nil {
		c.faults = append(c.faults, f)
	}
}

func (c *compilation) zone() {
	in := c.in
	if in.Zone == "" {
		return
	}
	z, err := c.m.Zones.Find(in.Zone)
	if err != nil {
		c.keep(in.root.Get("zone").Locate(c.m.Zones.Unknown(in.Zone), 0))
	}
	c.m.Zone = z
}

// said is a zone that something names for all times of a table.
type said struct {
	zone *zone.Zone
	text string // as it is called there
	by   string // what says so
}

// headingZone takes the zone that the headings of the start and the end say, or a title or a
// note of the table, where nothing else names one.
func (c *compilation) headingZone() {
	if c.m.start == nil {
		return
	}
	if c.m.zoneOf != nil {
		if _, fixed := c.m.zoneOf.Fixed(); fixed {
			return
		}
	}
	if c.in.Zone != "" {
		c.aside()
		return
	}
	start := c.saidBy(c.m.start)
	end := start
	if c.m.end != nil && len(c.m.end.columns) > 0 {
		end = c.saidBy(c.m.end)
	}
	titled := c.titled()
	differ := func(a, b *said) bool { return a != nil && b != nil && a.zone != b.zone && !a.zone.SameRules(b.zone) }
	for _, pair := range [][2]*said{{start, end}, {start, titled}, {end, titled}} {
		if a, b := pair[0], pair[1]; differ(a, b) {
			if what := fmt.Sprintf("%s says %s, and %s says %s", a.by, a.text, b.by, b.text); c.in.ZoneTold {
				c.m.ZoneAside = what
			} else {
				c.keep(fault.Newf("%s", what).Do("name the zone of all times, with --zone or zone: in the intake"))
			}
			return
		}
	}
	found := cmp.Or(start, titled)
	if start == nil && titled == nil && end != nil && !c.in.ZoneTold && (c.m.Zone == nil || !end.zone.SameRules(c.m.Zone)) {
		c.keep(fault.Newf("%s says %s, and nothing says the zone of the start", end.by, end.text).Do("name the zone of all times, with --zone or zone: in the intake"))
		return
	}
	if found != nil {
		c.m.Zone, c.m.ZoneFrom, c.m.zoneText = found.zone, found.by, found.text
	}
}

// aside notes where a heading or a title says another zone than the intake.
func (c *compilation) aside() {
	all := []*said{c.saidBy(c.m.start), c.titled()}
	if c.m.end != nil {
		all = append(all, c.saidBy(c.m.end))
	}
	for _, s := range all {
		if s != nil && c.m.Zone != nil && !s.zone.SameRules(c.m.Zone) {
			c.m.ZoneAside = fmt.Sprintf("%s says %s; the intake says zone: %s, and that counts", s.by, s.text, c.in.Zone)
			return
		}
	}
}

// saidBy gives the zone that the headings of some columns say.
func (c *compilation) saidBy(m *moments) *said {
	for _, i := range m.columns {
		label := c.m.Header.Label(i)
		if name, sure := match.Zone(label); name != "" {
			if s := c.sure("the heading "+label, name, sure); s != nil {
				return s
			}
		}
	}
	return nil
}

// titled gives the zone that a title or a note of the table says.
func (c *compilation) titled() *said {
	if n := c.in.Noted; n.Zone != "" && n.Zone != zone.Here {
		return c.sure(n.By, n.Zone, true)
	}
	return nil
}

// sure finds a zone by the name that something gives it. What can mean several, or none,
// must be told by a person.
func (c *compilation) sure(by, name string, sure bool) *said {
	z, err := c.m.Zones.Find(name)
	if err == nil && sure {
		return &said{z, name, by}
	}
	if city, ok := c.m.Zones.City(name); !sure && err != nil && !slices.Contains(match.SeveralClocks, name) {
		if !ok || c.m.Zone != nil && city.SameRules(c.m.Zone) {
			return nil
		}
	}
	if !c.in.ZoneTold && c.in.Zone == "" {
		c.keep(fault.Newf("%s may name a time zone: %q", by, name).Do("say the zone of these times, with --zone or zone: in the intake"))
	}
	return nil
}

// setting gives the column that a setting names.
func (c *compilation) setting(name, path string) int {
	i, f := c.Setting(name, c.in.root.Get(path))
	if f != nil {
		f.Value, f.Quoted = name, true
	}
	c.keep(f)
	return i
}

// template compiles the template of a field, nil when it has none.
func (c *compilation) template(name string) *template.Template {
	t, ok := c.in.event[name]
	if !ok || t.Text == "" {
		return nil
	}
	return c.compile(t)
}

func (c *compilation) compile(s template.Source) *template.Template {
	t, f := c.Template(s)
	c.keep(f)
	return t
}

func (c *compilation) condition(s template.Source) *template.Condition {
	out, f := c.Condition(s)
	c.keep(f)
	return out
}

// dated sees to it that a column is learnt as one that holds dates.
func (c *compilation) dated(i int) {
	for len(c.m.columns) <= i {
		c.m.columns = append(c.m.columns, nil)
	}
	if c.m.columns[i] == nil {
		set := c.dates
		if y := moment.StatedYear(c.m.Header.Label(i)); y != 0 {
			set.Titled = y
		}
		c.m.columns[i] = moment.NewColumn(set)
	}
}

func (c *compilation) moments(name string) *moments {
	t := c.template(name)
	if t == nil {
		return nil
	}
	if columns, ok := t.Columns(); ok {
		for _, i := range columns {
			c.dated(i)
		}
		return &moments{columns: columns, name: name}
	}
	return &moments{text: t, slot: c.slot(), name: name}
}

// slot gives a place for a column of texts that are put together first.
func (c *compilation) slot() int {
	c.m.virtual = append(c.m.virtual, moment.NewColumn(c.dates))
	return len(c.m.virtual) - 1
}

func (c *compilation) series() {
	list := func(name string) *dates {
		if t := c.template(name); t != nil {
			return &dates{name: name, template: t, slot: c.slot()}
		}
		return nil
	}
	c.m.series = series{repeat: c.template("repeat"), every: c.template("repeat_every"), on: c.template("repeat_on"), times: c.template("repeat_times"), until: c.moments("repeat_until"), except: list("except"), also: list("also")}
}

func (c *compilation) places() {
	for _, text := range c.in.Into {
		c.m.into = append(c.m.into, c.compile(template.Source{Text: text, At: c.in.intoAt}))
	}
}

// days gives the midnight of a period's first day and the one behind its last;
// 0 for open ends.
func (c *compilation) days(p Period, name string) (from, to int64) {
	set := c.dates
	set.Stated = true
	for _, end := range []struct {
		text, path string
		into       *int64
	}{{p.From, name + ".from", &from}, {p.To, name + ".to", &to}} {
		if end.text == "" {
			continue
		}
		v, f := moment.ReadOne(set, end.text)
		if f != nil || !v.HasDate || !v.Single() {
			c.keep(c.in.root.Get(end.path).Locate(fault.New(end.text, "is not a day").Do("write it as 2026-03-05, or in two weeks"), 0))
			continue
		}
		*end.into = v.Date
	}
	if to != 0 {
		to += 86400 // the last day is in it
	}
	return from, to
}

// fields compiles what is neither the time nor the key.
func (c *compilation) fields() {
	m, in := c.m, c.in
	for _, f := range textFields {
		if f.template = c.template(f.name); f.template != nil {
			m.texts = append(m.texts, f)
		}
	}
	m.organizer, m.participation = c.template("organizer"), c.template("participation")
	for _, p := range []struct {
		name string
		part event.Part
	}{{"attendees", event.Required}, {"optional", event.Optional}, {"resources", event.Resource}, {"rooms", event.Room}} {
		if t := c.template(p.name); t != nil {
			m.people = append(m.people, peopleField{p.name, p.part, t})
		}
	}
	for _, t := range in.reminders {
		m.reminders = append(m.reminders, c.compile(t))
	}
	for _, p := range in.properties {
		if reserved[p.name] || strings.HasPrefix(p.name, "X-ALMANACH-") || !validName(p.name) {
			f := fault.New(p.name, "cannot be set as a property").Do("set it by the field of the event it belongs to, or choose a name that begins with X-")
			c.keep(p.At.Locate(f, 0))
			continue
		}
		m.properties = append(m.properties, propertyField{p.name, c.compile(p.Source)})
	}
}

// fixed reads the fields that are the same in every row, so that a mistake in
// one is told once, as the intake's.
func (c *compilation) fixed() {
	m := c.m
	check := func(at template.Source, t *template.Template, read func(text string) *fault.Fault) {
		if t == nil {
			return
		}
		if text, ok := t.Fixed(); ok && text != "" {
			if f := read(text); f != nil {
				f.Place.Column = ""
				c.keep(at.At.Locate(f, 0))
			}
		}
	}
	field := func(name string) template.Source { return c.in.event[name] }
	for _, t := range m.texts {
		if t.read != nil {
			check(field(t.name), t.template, func(text string) *fault.Fault { _, f := t.read(text); return f })
		}
	}
	for _, p := range m.people {
		check(field(p.name), p.template, func(text string) *fault.Fault { _, f := readPeople(text, p.part); return f })
	}
	check(field("organizer"), m.organizer, func(text string) *fault.Fault { _, f := readPerson(text); return f })
	check(field("participation"), m.participation, func(text string) *fault.Fault { _, f := readAnswer(text); return f })
	for i, t := range m.reminders {
		check(c.in.reminders[i], t, func(text string) *fault.Fault { _, f := readReminders(text, 43200, true); return f })
	}
	check(field("length"), m.length, func(text string) *fault.Fault {
		_, f := moment.ReadLength(table.Cell{Kind: table.Text, Text: text})
		return f
	})
	check(field("all_day"), m.allDay, func(text string) *fault.Fault { _, f := readYesNo(text); return f })
	check(field("zone"), m.zoneOf, func(text string) *fault.Fault {
		if _, err := m.Zones.Find(text); err != nil {
			return m.Zones.Unknown(text)
		}
		return nil
	})
}

// reserved are the properties that other fields own, and those that make an
// event what it is.
var reserved = map[string]bool{
	"BEGIN": true, "END": true, "UID": true, "DTSTAMP": true, "DTSTART": true, "DTEND": true, "DURATION": true, "RRULE": true, "RDATE": true, "EXDATE": true, "RECURRENCE-ID": true, "SEQUENCE": true, "CREATED": true, "LAST-MODIFIED": true,
	"SUMMARY": true, "LOCATION": true, "DESCRIPTION": true, "STYLED-DESCRIPTION": true, "URL": true, "CATEGORIES": true, "STATUS": true, "CONFERENCE": true, "COLOR": true, "TRANSP": true, "PRIORITY": true, "CLASS": true, "ORGANIZER": true, "ATTENDEE": true, "ATTACH": true,
}

func validName(name string) bool {
	return name != "" && strings.Trim(name, "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-") == ""
}
