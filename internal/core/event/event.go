// Package event is what an event means: its fields, apart from how a sheet or
// a calendar writes them. It reads them from a VEVENT's lines and writes them
// into one, touching nothing else.
package event

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Field is one thing an event can say. When stands for start, end, all-day,
// zone and recurrence together, which agree or differ as one.
type Field uint8

// The fields in the order they are shown.
const (
	When Field = iota
	Title
	Location
	Description
	URL
	Categories
	Status
	Styled        // the description in HTML (RFC 9073)
	Conference    // where to join by wire (RFC 7986)
	Colour        // a CSS colour name (RFC 7986)
	Busy          // "free", or "" for busy
	Priority      // 1 to 9, "" for none
	Visibility    // "private", "confidential", or "" for public
	Organizer     // a person
	Attendees     // persons, a line each
	Participation // somebody's own answer: address and answer
	Reminders     // ours alone, a line each
	Attachments   // links, a line each
	Properties    // others by their RFC names, "NAME:value" a line each
	numFields
)

// NumFields is how many fields there are.
const NumFields = int(numFields)

var fieldNames = [numFields]string{"when", "title", "location", "description", "url", "categories", "status", "styled", "conference", "colour", "busy", "priority", "visibility", "organizer", "attendees", "participation", "reminders", "attachments", "properties"}

// String is the field's name in messages, JSON and seals.
func (f Field) String() string { return fieldNames[f] }

// Fields lists every field in order.
func Fields() []Field {
	out := make([]Field, numFields)
	for i := range out {
		out[i] = Field(i)
	}
	return out
}

// ParseField gives the field of a name.
func ParseField(name string) (Field, bool) {
	for i, n := range fieldNames {
		if n == name {
			return Field(i), true
		}
	}
	return 0, false
}

// Set is a set of fields.
type Set uint32

// Has tells whether f is in the set.
func (s Set) Has(f Field) bool { return s&(1<<f) != 0 }

// Event is the meaning of one event. Given tells which fields it speaks of; a
// field that is not given is none of its business. Texts are canonical: lists
// have an item a line, persons are as Person writes them.
type Event struct {
	Given Set
	When  Span
	Send  bool   // a scheduling server may send invitations to its attendees
	Own   string // address of the one whose calendar it is, "" when unknown

	// Cleaned tells that SetText took control characters out of a text.
	Cleaned bool

	text [numFields]string
}

// Text gives a field other than When.
func (e *Event) Text(f Field) string { return e.text[f] }

// Meaning is Text with what says the same as nothing taken for nothing: an
// event is confirmed unless it says otherwise. Agreement is on it.
func (e *Event) Meaning(f Field) string {
	if f == Status && e.text[f] == "confirmed" {
		return ""
	}
	return e.text[f]
}

// SetText gives the event a field, bringing its text into canonical form.
func (e *Event) SetText(f Field, s string) {
	text, cleaned := canonical(f, s)
	e.text[f] = text
	e.Cleaned = e.Cleaned || cleaned
	e.Given |= 1 << f
}

// SetWhen gives the event its time.
func (e *Event) SetWhen(s Span) {
	e.When = s
	e.Given |= 1 << When
}

// Differ gives the fields of which the two events say different things.
func (e *Event) Differ(o *Event) (out Set) {
	for f := range numFields {
		same := e.Given.Has(f) == o.Given.Has(f) && e.text[f] == o.text[f]
		if f == When {
			same = e.When.Same(o.When)
		}
		if !same {
			out |= 1 << f
		}
	}
	return out
}

// StatusWords are the words for an event's status, and the status each means.
var StatusWords = func() map[string]string {
	out := map[string]string{}
	for status, words := range map[string]string{
		"confirmed": "confirmed definite bestätigt confirmé confirmée confirmado confirmada confermato confermata bevestigd",
		"tentative": "tentative provisional vorläufig provisorisch provisoire provvisorio provvisoria provisório provisória voorlopig",
		"cancelled": "cancelled canceled storniert abgesagt annulé annulée cancelado cancelada anulado anulada annullato annullata geannuleerd",
	} {
		for _, w := range strings.Fields(words) {
			out[w] = status
		}
	}
	return out
}()

// canonical gives the form in which two texts of one meaning are equal: NFC,
// line feeds alone, no control characters, no space at either end. It tells
// whether a control character had to go.
func canonical(f Field, s string) (text string, cleaned bool) {
	plain := true
	for i := range len(s) {
		if c := s[i]; c < ' ' && c != '\n' && c != '\t' || c >= 0x7f {
			plain = false
			break
		}
	}
	if !plain {
		s, cleaned = clean(s)
	}
	s = strings.TrimSpace(s)
	switch f {
	case Categories, Attendees, Reminders, Attachments, Properties:
		return canonicalList(s), cleaned
	}
	return s, cleaned
}

// Clean takes the control characters out of a text.
func Clean(s string) string {
	text, _ := clean(s)
	return text
}

func clean(s string) (text string, cleaned bool) {
	s = strings.ReplaceAll(s, "\r\n", "\n")
	if !utf8.ValidString(s) {
		s = strings.ToValidUTF8(s, "\uFFFD")
	}
	s = strings.Map(func(r rune) rune {
		switch {
		case r == '\r' || r == '\u2028' || r == '\u2029': // line and paragraph ends of their own
			return '\n'
		case r == '\n' || r == '\t':
			return r
		case unicode.IsControl(r):
			cleaned = true
			return ' '
		}
		return r
	}, s)
	return norm.NFC.String(s), cleaned
}
