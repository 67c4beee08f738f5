package event

import (
	"iter"
	"slices"
	"strings"

	"almanach/internal/core/ical"
)

// Person is an attendee or organizer (RFC 5545 §3.8.4.1, §3.8.4.3).
type Person struct {
	Name, Address string
	Part          Part
	Answer        string // PARTSTAT in lower case, "" when there is none
}

// Part is in what part an attendee is there.
type Part string

// The parts. The zero Part is required.
const (
	Required Part = ""
	Optional Part = "optional"
	Resource Part = "resource"
	Room     Part = "room"
)

// String writes a person in the canonical form of a field: address, name and
// part with tabs between. The address ignores case; the answer is theirs alone
// and no part of it.
func (p Person) String() string {
	return strings.TrimRight(strings.ToLower(p.Address)+"\t"+p.Name+"\t"+string(p.Part), "\t")
}

// Show writes a person as people do: Name <address>.
func (p Person) Show() string {
	if p.Name == "" || p.Name == p.Address {
		return p.Address
	}
	return p.Name + " <" + p.Address + ">"
}

// ParsePerson reads what String wrote.
func ParsePerson(line string) Person {
	parts := strings.Split(line+"\t\t", "\t")
	return Person{Address: parts[0], Name: parts[1], Part: Part(parts[2])}
}

// People gives the event's attendees.
func (e *Event) People() (out []Person) {
	for item := range lines(e.text[Attendees]) {
		out = append(out, ParsePerson(item))
	}
	return out
}

// lines gives the items of a list field.
func lines(text string) iter.Seq[string] {
	return func(yield func(string) bool) {
		for text != "" {
			var item string
			item, text, _ = strings.Cut(text, "\n")
			if !yield(item) {
				return
			}
		}
	}
}

// Shown gives a field as people read it, on one line where it can be.
func (e *Event) Shown(f Field) string {
	var out []string
	switch f {
	case Attendees, Organizer:
		for item := range lines(e.text[f]) {
			p := ParsePerson(item)
			text := p.Show()
			if p.Part != Required {
				text += " (" + string(p.Part) + ")"
			}
			out = append(out, text)
		}
	case Reminders:
		for item := range lines(e.text[f]) {
			out = append(out, ParseReminder(item).Show())
		}
	case Participation:
		address, answer, _ := strings.Cut(e.text[f], "\t")
		if answer != "" {
			return address + " " + answer
		}
		return ""
	case Categories, Attachments, Properties:
		return strings.ReplaceAll(e.text[f], "\n", ", ")
	default:
		return e.text[f]
	}
	return strings.Join(out, ", ")
}

func readPerson(l ical.Line) Person {
	p := Person{Address: string(l.Value()), Name: l.Param("CN"), Answer: strings.ToLower(l.Param("PARTSTAT"))}
	if len(p.Address) > 7 && strings.EqualFold(p.Address[:7], "mailto:") {
		p.Address = p.Address[7:]
	}
	if p.Name == p.Address {
		p.Name = ""
	}
	switch strings.ToUpper(l.Param("CUTYPE")) {
	case "RESOURCE":
		p.Part = Resource
	case "ROOM":
		p.Part = Room
	default:
		if strings.EqualFold(l.Param("ROLE"), "OPT-PARTICIPANT") {
			p.Part = Optional
		}
	}
	return p
}

// params gives the parameters that say what a person's String says, and keep a
// scheduling server from sending anything unless send is set (RFC 6638 §7.1).
func (p Person) params(send, attendee bool) []ical.Param {
	var out []ical.Param
	add := func(name, value string) { out = append(out, ical.Param{Name: name, Values: []string{value}}) }
	if p.Name != "" {
		add("CN", p.Name)
	}
	if attendee {
		switch p.Part {
		case Optional:
			add("ROLE", "OPT-PARTICIPANT")
		case Resource:
			add("CUTYPE", "RESOURCE")
			add("ROLE", "NON-PARTICIPANT")
		case Room:
			add("CUTYPE", "ROOM")
			add("ROLE", "NON-PARTICIPANT")
		}
	}
	if !send {
		add("SCHEDULE-AGENT", "NONE")
	}
	return out
}

func appendPeople(dst []byte, e *Event) []byte {
	if text := e.text[Organizer]; text != "" {
		p := ParsePerson(text)
		dst = ical.AppendLine(dst, "ORGANIZER", p.params(e.Send, false), "mailto:"+p.Address)
	}
	own, answer, _ := strings.Cut(e.text[Participation], "\t")
	met := false
	for item := range lines(e.text[Attendees]) {
		p := ParsePerson(item)
		params := p.params(e.Send, true)
		if own != "" && strings.EqualFold(p.Address, own) {
			params, met = append(params, ical.Param{Name: "PARTSTAT", Values: []string{strings.ToUpper(answer)}}), true
		}
		dst = ical.AppendLine(dst, "ATTENDEE", params, "mailto:"+p.Address)
	}
	if own != "" && answer != "" && !met {
		dst = ical.AppendLine(dst, "ATTENDEE", []ical.Param{{Name: "PARTSTAT", Values: []string{strings.ToUpper(answer)}}, {Name: "SCHEDULE-AGENT", Values: []string{"NONE"}}}, "mailto:"+own)
	}
	return dst
}

func writeOrganizer(c *ical.Component, text string, send bool) {
	if text == "" {
		c.Remove("ORGANIZER")
		return
	}
	p := ParsePerson(text)
	c.Set("ORGANIZER", p.params(send, false), []string{"CN"}, "mailto:"+p.Address)
}

// owned are the parameters of an attendee that the Attendees field speaks of.
var owned = []string{"CN", "ROLE", "CUTYPE"}

// writeAttendees makes the attendees those of text. One who stays keeps what
// others know of them: their answer above all.
func writeAttendees(c *ical.Component, text, own string, send bool) {
	wanted := map[string]Person{}
	var order []string
	for item := range lines(text) {
		p := ParsePerson(item)
		wanted[p.Address] = p
		order = append(order, p.Address)
	}
	c.Rewrite("ATTENDEE", func(l ical.Line) []byte {
		p := readPerson(l)
		address := strings.ToLower(p.Address)
		w, ok := wanted[address]
		if !ok && address == own && p.Answer != "" {
			return l.Raw // there for the answer alone
		}
		if !ok {
			return nil
		}
		delete(wanted, address)
		if p.String() == w.String() {
			return l.Raw
		}
		params := w.params(send, true)
		for _, old := range l.Params() {
			if !has(params, old.Name) && !slices.Contains(owned, old.Name) {
				params = append(params, old)
			}
		}
		return ical.AppendLine(nil, "ATTENDEE", params, string(l.Value()))
	})
	for _, address := range order {
		if p, ok := wanted[address]; ok {
			c.Add(ical.AppendLine(nil, "ATTENDEE", p.params(send, true), "mailto:"+p.Address))
		}
	}
}

func writeParticipation(c *ical.Component, text string) {
	own, answer, _ := strings.Cut(text, "\t")
	if own == "" {
		return
	}
	met := false
	c.Rewrite("ATTENDEE", func(l ical.Line) []byte {
		if !strings.EqualFold(readPerson(l).Address, own) {
			return l.Raw
		}
		met = true
		var params []ical.Param
		for _, p := range l.Params() {
			if p.Name != "PARTSTAT" {
				params = append(params, p)
			}
		}
		if answer != "" {
			params = append(params, ical.Param{Name: "PARTSTAT", Values: []string{strings.ToUpper(answer)}})
		}
		return ical.AppendLine(nil, "ATTENDEE", params, string(l.Value()))
	})
	if !met && answer != "" {
		c.Add(ical.AppendLine(nil, "ATTENDEE", []ical.Param{{Name: "PARTSTAT", Values: []string{strings.ToUpper(answer)}}, {Name: "SCHEDULE-AGENT", Values: []string{"NONE"}}}, "mailto:"+own))
	}
}

func has(params []ical.Param, name string) bool {
	return slices.ContainsFunc(params, func(p ical.Param) bool { return p.Name == name })
}

// Attune gives the view the fields that only mean something beside what is
// wanted: the answer of the one who is asked about, and the properties that are
// spoken of.
func (v *View) Attune(wanted *Event, raw []byte) {
	if wanted.Given.Has(Participation) {
		own, _, _ := strings.Cut(wanted.text[Participation], "\t")
		answer := ""
		for _, p := range v.Guests {
			if strings.EqualFold(p.Address, own) && p.Answer != "needs-action" {
				answer = p.Answer
			}
		}
		v.SetText(Participation, own+"\t"+answer)
		listed := func(text string) (found string) {
			for item := range lines(text) {
				if strings.EqualFold(ParsePerson(item).Address, own) {
					found = item
				}
			}
			return found
		}
		if extra := listed(v.text[Attendees]); extra != "" && listed(wanted.text[Attendees]) == "" { // there for the answer alone
			v.SetText(Attendees, strings.ReplaceAll("\n"+v.text[Attendees]+"\n", "\n"+extra+"\n", "\n"))
		}
	}
	if wanted.Given.Has(Properties) {
		names := map[string]bool{}
		for item := range lines(wanted.text[Properties]) {
			name, _, _ := strings.Cut(item, ":")
			names[name] = true
		}
		v.text[Properties] = ""
		for l := range ical.Lines(raw) {
			if name := l.Name(); l.Depth == 0 && names[name] {
				value := string(l.Value())
				switch {
				case name == "RESOURCES":
					value = strings.Join(ical.SplitList(l.Value()), ",")
				case ical.IsText(name):
					value = l.Text()
				}
				v.add(Properties, Property(name, value))
				delete(names, name)
			}
		}
		for name := range names { // spoken of, and not there
			v.add(Properties, name+":")
		}
		v.gather()
	}
}

var (
	propertyEncode = strings.NewReplacer("\\", `\\`, "\r\n", `\n`, "\n", `\n`, "\r", `\n`, "\u2028", `\n`, "\u2029", `\n`)
	propertyDecode = strings.NewReplacer(`\\`, "\\", `\n`, "\n")
)

// Property gives an item of the field Properties. Its value stands on one line,
// with backslashes doubled and line breaks as \n.
func Property(name, value string) string { return name + ":" + propertyEncode.Replace(value) }

// propertyValue gives the value of an item as it is written into the property:
// escaped where its type is TEXT, and never more than one line.
func propertyValue(name, item string) string {
	value := propertyDecode.Replace(item)
	switch {
	case name == "RESOURCES": // a list (RFC 5545 §3.8.1.10)
		parts := strings.Split(value, ",")
		for i := range parts {
			parts[i] = strings.TrimSpace(parts[i])
		}
		return ical.JoinList(parts)
	case ical.IsText(name):
		return ical.Escape(value)
	}
	return oneLine(value)
}

func appendProperty(dst []byte, item string) []byte {
	name, value, _ := strings.Cut(item, ":")
	if value == "" {
		return dst
	}
	return ical.AppendLine(dst, name, nil, propertyValue(name, value))
}

func writeProperties(c *ical.Component, text string) {
	for item := range lines(text) {
		name, value, _ := strings.Cut(item, ":")
		if value == "" {
			c.Remove(name)
			continue
		}
		c.Set(name, nil, nil, propertyValue(name, value))
	}
}

// writeAttachments makes the links attached to an event those of text; what is
// attached as a file inside the event is no link and stays.
func writeAttachments(c *ical.Component, text string) {
	wanted := map[string]bool{}
	for uri := range lines(text) {
		wanted[uri] = true
	}
	c.Rewrite("ATTACH", func(l ical.Line) []byte {
		uri := string(l.Value())
		if strings.EqualFold(l.Param("VALUE"), "BINARY") {
			return l.Raw
		}
		if !wanted[uri] {
			return nil
		}
		delete(wanted, uri)
		return l.Raw
	})
	for uri := range lines(text) {
		if wanted[uri] {
			c.Add(ical.AppendLine(nil, "ATTACH", nil, uri))
		}
	}
}
