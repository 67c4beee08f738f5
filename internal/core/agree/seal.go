// Package agree compares what a source wants with what a calendar holds and
// with what was last agreed between them, field by field, and says what
// follows.
package agree

import (
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
)

// Seal is what an event remembers of its last load: for each field what the
// source wanted and what the calendar then held, as fingerprints of their
// meaning; for the time the value itself, so that it can be shown. The zero
// Seal remembers nothing.
type Seal struct {
	source, calendar [event.NumFields]string
}

const sealVersion = "1"

// ParseSeal reads the value of X-ALMANACH-SEAL. A seal of an unknown version
// remembers nothing.
func ParseSeal(s string) Seal {
	var seal Seal
	version, rest, _ := strings.Cut(s, " ")
	if version != sealVersion {
		return seal
	}
	for rest != "" {
		var part string
		part, rest, _ = strings.Cut(rest, " ")
		name, value, ok := strings.Cut(part, "=")
		f, known := event.ParseField(name)
		if !ok || !known {
			continue
		}
		source, calendar, two := strings.Cut(value, "|")
		if !two {
			calendar = source
		}
		seal.source[f], seal.calendar[f] = event.ReadMark(source), event.ReadMark(calendar)
	}
	return seal
}

// Knows tells whether the seal remembers the field.
func (s *Seal) Knows(f event.Field) bool { return s.source[f] != "" }

// appendTo appends the seal's text to dst. whole is the checksum of the rest of
// the event's text, 0 for none.
func (s *Seal) appendTo(dst []byte, whole uint64) []byte {
	dst = appendHead(dst, whole)
	for _, f := range allFields {
		if s.source[f] == "" {
			continue
		}
		dst = append(append(append(append(dst, ' '), f.String()...), '='), event.WriteMark(s.source[f])...)
		if s.calendar[f] != s.source[f] {
			dst = append(append(dst, '|'), event.WriteMark(s.calendar[f])...)
		}
	}
	return dst
}

var allFields = event.Fields()

// Set remembers what a field was wanted to be and what the calendar holds,
// which for a field just written is the same event.
func (s *Seal) Set(f event.Field, wanted, held *event.Event) {
	s.source[f] = Print(f, wanted)
	s.calendar[f] = s.source[f]
	if held != wanted {
		s.calendar[f] = Print(f, held)
	}
}

// Print gives the fingerprint of a field: 64 bits of FNV-1a over the seal's
// version, the field's name and its canonical text with a NUL after each of
// the first two, in hexadecimal; "-" for an empty text; and for the time the
// value itself.
func Print(f event.Field, e *event.Event) string {
	var buf [printSize]byte
	return string(appendPrint(buf[:0], f, e))
}

const printSize = 128

func appendPrint(dst []byte, f event.Field, e *event.Event) []byte {
	if f == event.When {
		return e.When.Append(dst)
	}
	text := e.Meaning(f)
	if text == "" {
		return append(dst, '-')
	}
	h := fnv(prefixes[f], text)
	const digits = "0123456789abcdef"
	for shift := 60; shift >= 0; shift -= 4 {
		dst = append(dst, digits[h>>shift&15])
	}
	return dst
}

// The parameters of FNV-1a with 64 bits.
const (
	fnvOffset = 14695981039346656037
	fnvPrime  = 1099511628211
)

// prefixes has the hash of what stands before each field's text.
var prefixes = func() (out [event.NumFields]uint64) {
	for _, f := range allFields {
		out[f] = fnv(fnvOffset, sealVersion+"\x00"+f.String()+"\x00")
	}
	return out
}()

func fnv(h uint64, s string) uint64 {
	for i := range len(s) {
		h = (h ^ uint64(s[i])) * fnvPrime
	}
	return h
}

// matches tells whether a side of the seal still says what e says.
func matches(side string, f event.Field, e *event.Event, zones ical.Zones) bool {
	var buf [printSize]byte
	print := appendPrint(buf[:0], f, e)
	if string(print) == side || f != event.When {
		return string(print) == side
	}
	span, err := event.ParseSpan(side, zones)
	return err == nil && span.Same(e.When)
}

// Cancelled tells whether the source last wanted the event cancelled.
func (s *Seal) Cancelled() bool {
	return s.source[event.Status] == Print(event.Status, cancelled)
}

var cancelled = func() *event.Event {
	e := &event.Event{}
	e.SetText(event.Status, "cancelled")
	return e
}()

// Last gives the time the seal remembers for one side, for showing.
func (s *Seal) Last(zones ical.Zones) (event.Span, bool) {
	span, err := event.ParseSpan(s.source[event.When], zones)
	return span, err == nil
}

// Edited tells whether the event differs from what the calendar held after
// the last load, in any field that was loaded and that an event tells by
// itself.
func (s *Seal) Edited(current *event.Event, zones ical.Zones) bool {
	for _, f := range allFields {
		if f != event.Participation && f != event.Properties && s.Knows(f) && !matches(s.calendar[f], f, current, zones) {
			return true
		}
	}
	return false
}

// Carried tells whether every field that someone changed in an event says the
// same in another.
func (s *Seal) Carried(was, now *event.Event, zones ical.Zones) bool {
	for _, f := range allFields {
		if !s.Knows(f) || matches(s.calendar[f], f, was, zones) {
			continue
		}
		if f == event.When && !was.When.Same(now.When) || f != event.When && was.Meaning(f) != now.Meaning(f) {
			return false
		}
	}
	return true
}
