package event

import (
	"fmt"
	"strconv"
	"strings"

	"almanach/internal/core/ical"
)

// PropReminder marks an alarm as one of ours, among those of other people.
const PropReminder = "X-ALMANACH-REMINDER"

// Reminder is an alarm before an event's start (RFC 5545 §3.6.6).
type Reminder struct {
	Before int64 // seconds before the start; negative after it
	Mail   bool  // by e-mail; otherwise shown
}

// String writes a reminder as the Reminders field keeps it.
func (r Reminder) String() string {
	kind := "display"
	if r.Mail {
		kind = "email"
	}
	return fmt.Sprintf("%09d %s", r.Before, kind)
}

// ParseReminder reads what String wrote.
func ParseReminder(s string) Reminder {
	before, kind, _ := strings.Cut(s, " ")
	n, _ := strconv.ParseInt(before, 10, 64)
	return Reminder{Before: n, Mail: kind == "email"}
}

// Show writes a reminder for a person: 1d, 2h, 15min by e-mail.
func (r Reminder) Show() string {
	text := "at the start"
	n := r.Before
	if n < 0 {
		n = -n
	}
	switch {
	case n == 0:
	case n%86400 == 0:
		text = fmt.Sprintf("%dd", n/86400)
	case n%3600 == 0:
		text = fmt.Sprintf("%dh", n/3600)
	case n > 86400:
		text = fmt.Sprintf("%dd%dh%02dmin", n/86400, n/3600%24, n/60%60)
	case n > 3600:
		text = fmt.Sprintf("%dh%02dmin", n/3600, n/60%60)
	default:
		text = fmt.Sprintf("%dmin", n/60)
	}
	if r.Before < 0 {
		text += " after the start"
	}
	if r.Mail {
		text += " by e-mail"
	}
	return text
}

// trigger gives the value of TRIGGER. Days are written as such, so that they
// keep the time of day when the clocks change.
func (r Reminder) trigger() string {
	n, sign := r.Before, "-"
	if n < 0 {
		n, sign = -n, ""
	}
	text := sign + "P"
	if n >= 86400 {
		text += fmt.Sprintf("%dD", n/86400)
	}
	if rest := n % 86400; rest > 0 || n == 0 {
		text += "T"
		if h := rest / 3600; h > 0 {
			text += fmt.Sprintf("%dH", h)
		}
		if m := rest / 60 % 60; m > 0 || rest == 0 {
			text += fmt.Sprintf("%dM", m)
		}
		if s := rest % 60; s > 0 {
			text += fmt.Sprintf("%dS", s)
		}
	}
	return text
}

// append appends the VALARM of a reminder.
func (r Reminder) append(dst []byte, e *Event) []byte {
	dst = append(dst, "BEGIN:VALARM\r\n"...)
	dst = ical.AppendLine(dst, PropReminder, nil, "1")
	action := "DISPLAY"
	if r.Mail {
		action = "EMAIL"
	}
	dst = ical.AppendLine(dst, "ACTION", nil, action)
	dst = ical.AppendLine(dst, "TRIGGER", nil, r.trigger())
	title := e.text[Title]
	if title == "" {
		title = "Reminder"
	}
	dst = ical.AppendLine(dst, "DESCRIPTION", nil, ical.Escape(title))
	if r.Mail {
		dst = ical.AppendLine(dst, "SUMMARY", nil, ical.Escape(title))
		for _, address := range e.reminded() {
			dst = ical.AppendLine(dst, "ATTENDEE", nil, "mailto:"+address)
		}
	}
	return append(dst, "END:VALARM\r\n"...)
}

// reminded gives whom a reminder by e-mail goes to: whose calendar it is, else
// who calls the event, else who comes.
func (e *Event) reminded() (out []string) {
	switch {
	case e.Own != "":
		return []string{e.Own}
	case e.text[Organizer] != "":
		return []string{ParsePerson(e.text[Organizer]).Address}
	}
	for item := range lines(e.text[Attendees]) {
		out = append(out, ParsePerson(item).Address)
	}
	return out
}

// AppendReminders appends the alarms of an event, which stand behind all its
// properties.
func AppendReminders(dst []byte, e *Event) []byte {
	for item := range lines(e.text[Reminders]) {
		dst = ParseReminder(item).append(dst, e)
	}
	return dst
}

// writeReminders makes our alarms those of e. One that stays as it was keeps
// its bytes, and with them that it was seen or put off.
func writeReminders(c *ical.Component, e *Event) {
	wanted := map[string]bool{}
	for item := range lines(e.text[Reminders]) {
		wanted[item] = true
	}
	c.KeepInner("VALARM", func(raw []byte) bool {
		var a alarmReader
		var v View
		for l := range ical.Lines(raw) {
			a.read(l, &v)
		}
		v.gather()
		if v.text[Reminders] == "" {
			return true // somebody else's
		}
		keep := wanted[v.text[Reminders]]
		delete(wanted, v.text[Reminders])
		return keep
	})
	for item := range lines(e.text[Reminders]) {
		if wanted[item] {
			c.AddInner(ParseReminder(item).append(nil, e))
		}
	}
}

// alarmReader reads the alarms inside an event, and keeps ours.
type alarmReader struct {
	ours    bool
	mail    bool
	trigger string
}

func (a *alarmReader) read(l ical.Line, v *View) {
	switch l.Initial() {
	case 'b':
		if l.Is("BEGIN") {
			*a = alarmReader{}
		}
	case 'x':
		a.ours = a.ours || l.Is(PropReminder)
	case 'a':
		if l.Is("ACTION") {
			a.mail = strings.EqualFold(string(l.Value()), "EMAIL")
		}
	case 't':
		if l.Is("TRIGGER") {
			a.trigger = string(l.Value())
		}
	case 'e':
		if l.Is("END") && a.ours {
			item := "at " + a.trigger // changed by hand into what we never write
			if d, err := ical.ParseDuration([]byte(a.trigger)); err == nil {
				item = Reminder{Before: -(int64(d.Days)*86400 + d.Seconds), Mail: a.mail}.String()
			}
			v.add(Reminders, item)
			a.ours = false
		}
	}
}
