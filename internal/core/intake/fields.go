package intake

import (
	_ "embed" // the colours are a data file
	"maps"
	"net/mail"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
	"almanach/internal/core/template"
)

// textField is a field made of one template.
type textField struct {
	name     string // as the intake calls it
	field    event.Field
	template *template.Template
	read     func(string) (string, *fault.Fault) // gives the field's canonical text; nil takes it as it is
}

// textFields are the fields that one template fills, in the order they are
// filled in.
var textFields = []textField{
	{name: "title", field: event.Title},
	{name: "location", field: event.Location},
	{name: "description", field: event.Description},
	{name: "url", field: event.URL, read: readLink},
	{name: "categories", field: event.Categories, read: readList},
	{name: "status", field: event.Status, read: oneOf("a status", event.StatusWords)},
	{name: "conference", field: event.Conference, read: readLink},
	{name: "colour", field: event.Colour, read: readColour},
	{name: "busy", field: event.Busy, read: oneOf("busy or free", busyWords)},
	{name: "priority", field: event.Priority, read: readPriority},
	{name: "visibility", field: event.Visibility, read: oneOf("a visibility", visibilityWords)},
	{name: "attachments", field: event.Attachments, read: readLinks},
}

var (
	busyWords       = map[string]string{"busy": "", "yes": "", "opaque": "", "free": "free", "no": "free", "transparent": "free", "available": "free"}
	visibilityWords = map[string]string{"public": "", "private": "private", "confidential": "confidential"}
	answerWords     = map[string]string{"accepted": "accepted", "yes": "accepted", "declined": "declined", "no": "declined", "tentative": "tentative", "maybe": "tentative"}
	priorityWords   = map[string]string{"high": "1", "medium": "5", "normal": "5", "low": "9", "none": ""}
)

// oneOf reads a word of a fixed set.
func oneOf(what string, words map[string]string) func(string) (string, *fault.Fault) {
	return func(text string) (string, *fault.Fault) {
		if word, ok := words[strings.ToLower(text)]; ok {
			return word, nil
		}
		names := slices.Sorted(maps.Keys(words))
		if len(names) > 10 { // in many languages: what they mean is enough
			names = slices.Compact(slices.Sorted(maps.Values(words)))
		}
		f := fault.Unknown("word", text, names)
		f.Cause = fault.Newf("is not %s", what).Cause
		return "", f
	}
}

// readAnswer reads whether somebody comes.
func readAnswer(text string) (string, *fault.Fault) { return oneOf("an answer", answerWords)(text) }

func readPriority(text string) (string, *fault.Fault) {
	if n, err := strconv.Atoi(text); err == nil && n >= 1 && n <= 9 {
		return text, nil
	}
	if word, ok := priorityWords[strings.ToLower(text)]; ok {
		return word, nil
	}
	return "", fault.New(text, "is not a priority").Do("write high, medium or low, or 1 to 9")
}

//go:embed colours.txt
var colourData string

var colours = sync.OnceValue(func() []string {
	var out []string
	for line := range strings.Lines(colourData) {
		if !strings.HasPrefix(line, "#") {
			out = append(out, strings.Fields(line)...)
		}
	}
	return out
})

func readColour(text string) (string, *fault.Fault) {
	name := strings.ToLower(strings.ReplaceAll(text, " ", ""))
	if !slices.Contains(colours(), name) {
		return "", fault.Unknown("colour name of CSS", text, colours())
	}
	return name, nil
}

func readLink(text string) (string, *fault.Fault) {
	if rest, ok := strings.CutPrefix(text, "https://"); ok && rest != "" && strings.Trim(rest, "abcdefghijklmnopqrstuvwxyz0123456789.-_/") == "" && rest[0] != '/' {
		return text, nil // as most links are
	}
	u, err := url.Parse(text)
	if err != nil || u.Scheme == "" || (u.Host == "" && u.Opaque == "" && u.Path == "") || strings.ContainsAny(text, " \n\"<>") {
		return "", fault.New(text, "is not a link").Do("write it whole, with https:// in front")
	}
	return text, nil
}

// nextLink is where one link ends and another begins right behind it.
var nextLink = pattern.Lazy(`[;,]([A-Za-z][A-Za-z0-9+.-]*://)`)

func readLinks(text string) (string, *fault.Fault) {
	var out []string
	for item := range strings.FieldsSeq(nextLink().ReplaceAllString(text, " $1")) {
		link, f := readLink(strings.TrimRight(item, ",;"))
		if f != nil {
			return "", f
		}
		out = append(out, link)
	}
	return strings.Join(out, "\n"), nil
}

func readList(text string) (string, *fault.Fault) {
	return strings.NewReplacer(",", "\n", ";", "\n").Replace(text), nil
}

// readPeople reads names with addresses, several with commas, semicolons or
// line breaks between. A comma inside a name ("Fenn, Oda <…>") is known by the
// address that is still to come.
func readPeople(text string, part event.Part) ([]event.Person, *fault.Fault) {
	var out []event.Person
	kept := ""
	take := func(item string, whole bool) *fault.Fault {
		item = strings.TrimSpace(item)
		if item == "" && kept == "" {
			return nil
		}
		if !strings.Contains(item, "@") && !whole {
			kept += item + ", "
			return nil
		}
		p, f := readPerson(strings.Trim(kept+item, ", "))
		kept = ""
		p.Part = part
		out = append(out, p)
		return f
	}
	for group := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ';' || r == '\n' }) {
		items := splitOutside(group)
		for i, item := range items {
			if f := take(item, i == len(items)-1); f != nil {
				return nil, f
			}
		}
	}
	return out, nil
}

// canonicalPeople reads people as the Attendees field keeps them.
func canonicalPeople(text string, part event.Part) (string, *fault.Fault) {
	people, f := readPeople(text, part)
	lines := make([]string, len(people))
	for i, p := range people {
		lines[i] = p.String()
	}
	return strings.Join(lines, "\n"), f
}

// splitOutside cuts at commas outside of quotes and angle brackets.
func splitOutside(s string) []string {
	var out []string
	from, quoted, angled := 0, false, false
	for i := range len(s) {
		switch c := s[i]; {
		case c == '"':
			quoted = !quoted
		case c == '<' && !quoted:
			angled = true
		case c == '>' && !quoted:
			angled = false
		case c == ',' && !quoted && !angled:
			out = append(out, s[from:i])
			from = i + 1
		}
	}
	return append(out, s[from:])
}

func readPerson(text string) (event.Person, *fault.Fault) {
	name, address := "", strings.TrimSpace(text)
	if i := strings.LastIndexByte(address, '<'); i >= 0 && strings.HasSuffix(address, ">") {
		name, address = strings.Trim(strings.TrimSpace(address[:i]), `"`), strings.TrimSpace(address[i+1:len(address)-1])
	} else if f := strings.Fields(address); len(f) > 1 && strings.Contains(f[len(f)-1], "@") { // Oda Fenn oda@…
		name, address = strings.Join(f[:len(f)-1], " "), f[len(f)-1]
	}
	address = strings.TrimPrefix(strings.TrimPrefix(address, "mailto:"), "MAILTO:")
	switch parsed, err := mail.ParseAddress(address); {
	case address == "":
		return event.Person{}, fault.New(text, "has no address").Do("fill in the address")
	case err != nil || parsed.Address != address || !strings.Contains(address, "@"):
		return event.Person{}, fault.New(address, "is not an e-mail address").Do("correct it, or leave it empty")
	}
	return event.Person{Name: strings.Join(strings.Fields(name), " "), Address: address}, nil
}

// readReminder reads one reminder: 15m, 2h, 1d before 09:00, 1d by e-mail.
func readReminder(text string, start int64, allDay bool) (event.Reminder, *fault.Fault) {
	var r event.Reminder
	bad := fault.New(text, "is not a reminder").Do("write 15m, 2h, 1d, 1d before 09:00, or 1d by e-mail")
	var length []string
	clock := ""
	for word := range strings.FieldsSeq(strings.ToLower(text)) {
		switch word = strings.Trim(word, ",()"); {
		case word == "e-mail" || word == "email" || word == "mail":
			r.Mail = true
		case slices.Contains(match.BesideReminders, word):
		case strings.Contains(word, ":"):
			clock = word
		default:
			length = append(length, word)
		}
	}
	switch joined := strings.Join(length, " "); {
	case joined == "" && clock == "" || joined == "0":
	case joined == "":
		return r, bad
	default:
		d, ok := moment.ParseLength(joined)
		if !ok {
			return r, bad
		}
		r.Before = int64(d / time.Second)
	}
	if clock == "" {
		return r, nil
	}
	at, err := time.Parse("15:04", clock)
	if err != nil || r.Before%86400 != 0 {
		return r, bad
	}
	day := start - (start%86400+86400)%86400
	r.Before = start - (day - r.Before + int64(at.Hour())*3600 + int64(at.Minute())*60)
	if r.Before < 0 && !allDay {
		return r, fault.New(text, "would remind after the start").Do("write an earlier time")
	}
	return r, nil
}

type peopleField struct {
	name     string
	part     event.Part
	template *template.Template
}

type propertyField struct {
	name     string
	template *template.Template
}

// remembered gives what a text of a field came to on an earlier row, or else
// what read makes of it. slot tells the fields apart.
func (m *Mapper) remembered(slot int, text string, read func() (string, *fault.Fault)) (string, *fault.Fault) {
	m.scratch = append(m.scratch[:0], text...)
	if s, ok := m.memos[slot].Get(m.scratch); ok {
		return s, nil
	}
	s, f := read()
	if f == nil {
		m.memos[slot].Put([]byte(text), s)
	}
	return s, f
}

// fillFields gives the event what is neither its time nor its reminders.
func (m *Mapper) fillFields(row table.Row, w *Wanted) *fault.Fault {
	var f *fault.Fault
	for i := range m.texts {
		f = fault.Join(f, m.fillText(&m.texts[i], row, w))
	}
	return fault.Join(f, m.fillPeople(row, w), m.fillProperties(row, w))
}

// rendered gives a template's text, and whether the field is to be set: an
// empty one is left alone unless the intake clears it.
func (m *Mapper) rendered(t *template.Template, row table.Row) (text string, set bool, f *fault.Fault) {
	if t.Filled(row) {
		if text, f = m.eval.Render(t); f != nil {
			return "", false, f
		}
	}
	return text, text != "" || m.intake.Clear, nil
}

func (m *Mapper) fillText(t *textField, row table.Row, w *Wanted) *fault.Fault {
	if m.brief && t.certain(row) {
		return nil
	}
	text, set, f := m.rendered(t.template, row)
	if f == nil && text != "" && t.read != nil {
		raw := text
		text, f = m.remembered(int(t.field), raw, func() (string, *fault.Fault) { return t.read(raw) })
		if f != nil && f.Place.Column == "" {
			f.Place.Column = t.template.Blame(m.Header, row, raw)
		}
	}
	if f != nil {
		f.Field = t.name
		return f
	}
	if !set {
		return nil
	}
	if t.field == event.Description && m.intake.Markdown {
		return m.fillMarkdown(t, row, w, text)
	}
	w.Event.SetText(t.field, text)
	return nil
}

// certain tells that a field cannot fail for a row, and that a title has some text.
func (t *textField) certain(row table.Row) bool {
	if t.read != nil {
		return false
	}
	certain, says := t.template.Certain(row)
	return certain && (t.field != event.Title || says && t.template.Filled(row))
}

// fillMarkdown gives the event its description as plain and as styled text. Of
// the signs of Markdown those in the template count; what stands in cells is
// only text.
func (m *Mapper) fillMarkdown(t *textField, row table.Row, w *Wanted, text string) *fault.Fault {
	if text != "" {
		m.marked.Load(row)
		var f *fault.Fault
		if text, f = m.marked.Render(t.template); f != nil {
			f.Field = t.name
			return f
		}
	}
	plain, styled := markdown(text)
	w.Event.SetText(event.Styled, styled)
	w.Event.SetText(event.Description, plain)
	return nil
}

func (m *Mapper) fillPeople(row table.Row, w *Wanted) *fault.Fault {
	fail := func(f *fault.Fault, field string, t *template.Template) *fault.Fault {
		f.Field = field
		if f.Place.Column == "" {
			f.Place.Column = t.Blame(m.Header, row, f.Value)
		}
		return f
	}
	w.Event.Send, w.Event.Own = m.intake.Send, strings.ToLower(m.intake.EventText("own_address"))
	if m.organizer != nil {
		text, set, f := m.rendered(m.organizer, row)
		if f != nil {
			return fail(f, "organizer", m.organizer)
		}
		if text != "" {
			text, f = m.remembered(int(event.Organizer), text, func() (string, *fault.Fault) {
				p, f := readPerson(text)
				return p.String(), f
			})
			if f != nil {
				return fail(f, "organizer", m.organizer)
			}
		}
		if set {
			w.Event.SetText(event.Organizer, text)
		}
	}
	if len(m.people) > 0 {
		all := ""
		for n, p := range m.people {
			text, _, f := m.rendered(p.template, row)
			if f == nil && text != "" {
				text, f = m.remembered(event.NumFields+n, text, func() (string, *fault.Fault) { return canonicalPeople(text, p.part) })
			}
			if f != nil {
				return fail(f, p.name, p.template)
			}
			if all != "" && text != "" {
				all += "\n"
			}
			all += text
		}
		if all != "" || m.intake.Clear {
			w.Event.SetText(event.Attendees, all)
		}
	}
	if m.participation != nil {
		text, set, f := m.rendered(m.participation, row)
		if f == nil && text != "" {
			text, f = readAnswer(text)
		}
		if f != nil {
			return fail(f, "participation", m.participation)
		}
		if set {
			w.Event.SetText(event.Participation, w.Event.Own+"\t"+text)
		}
	}
	return nil
}

func (m *Mapper) fillProperties(row table.Row, w *Wanted) *fault.Fault {
	if len(m.properties) == 0 {
		return nil
	}
	var items []string
	for _, p := range m.properties {
		text, set, f := m.rendered(p.template, row)
		if f != nil {
			f.Field = p.name
			return f
		}
		if set {
			items = append(items, event.Property(p.name, text))
		}
	}
	if len(items) > 0 {
		w.Event.SetText(event.Properties, strings.Join(items, "\n"))
	}
	return nil
}

// fillReminders gives the event its reminders, some of which depend on when it
// starts.
func (m *Mapper) fillReminders(row table.Row, w *Wanted) *fault.Fault {
	if len(m.reminders) == 0 {
		return nil
	}
	all := ""
	for _, t := range m.reminders {
		text, _, f := m.rendered(t, row)
		if f == nil && text != "" {
			read := func() (string, *fault.Fault) {
				return readReminders(text, w.Event.When.Start.Wall, w.Event.When.AllDay())
			}
			if strings.Contains(text, ":") { // depends on when the event starts
				text, f = read()
			} else {
				text, f = m.remembered(int(event.Reminders), text, read)
			}
		}
		if f != nil {
			f.Field, f.Place.Column = "reminders", t.Blame(m.Header, row, f.Value)
			return f
		}
		if all != "" && text != "" {
			all += "\n"
		}
		all += text
	}
	w.Event.SetText(event.Reminders, all)
	return nil
}

// readReminders reads reminders with commas, semicolons or line breaks between.
func readReminders(text string, start int64, allDay bool) (string, *fault.Fault) {
	var items []string
	for item := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ',' || r == ';' || r == '\n' }) {
		item = strings.TrimSpace(item)
		if item == "" || match.Once(strings.ToLower(item)) || strings.EqualFold(item, "default") {
			continue
		}
		r, f := readReminder(item, start, allDay)
		if f != nil {
			return "", f
		}
		items = append(items, r.String())
	}
	return strings.Join(items, "\n"), nil
}
