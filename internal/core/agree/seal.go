// Package agree compares what a source wants with what a calendar holds and
// with what was last agreed between them, field by field, and says what
// follows.
package agree

import (
	"crypto/sha256"
	"encoding/base64"
	"strings"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
)

// Seal is what an event remembers of its last load: for each field what the
// source wanted and what the calendar then held, as fingerprints of their
// meaning; for the time the value itself, so that it can be shown. The zero
// Seal remembers nothing.
type Seal struct {
	source, calendar [sealFields]string
}

const sealFields = 32

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
		seal.source[f], seal.calendar[f] = source, calendar
	}
	return seal
}

// Empty tells whether the seal remembers nothing.
func (s *Seal) Empty() bool { return *s == Seal{} }

// Knows tells whether the seal remembers the field.
func (s *Seal) Knows(f event.Field) bool { return s.source[f] != "" }

// String writes the seal.
func (s *Seal) String() string {
	out := make([]byte, 0, 160)
	out = append(out, sealVersion...)
	for _, f := range allFields {
		if s.source[f] == "" {
			continue
		}
		out = append(append(append(append(out, ' '), f.String()...), '='), s.source[f]...)
		if s.calendar[f] != s.source[f] {
			out = append(append(out, '|'), s.calendar[f]...)
		}
	}
	return string(out)
}

var allFields = event.Fields()

// Set remembers what a field was wanted to be and what the calendar holds.
func (s *Seal) Set(f event.Field, wanted, held *event.Event) {
	s.source[f], s.calendar[f] = Print(f, wanted), Print(f, held)
}

// Print gives the fingerprint of a field: 64 bits of SHA-256 over the seal's
// version, the field's name and its canonical text, and for the time the
// value itself.
func Print(f event.Field, e *event.Event) string {
	if f == event.When {
		return e.When.String()
	}
	text := e.Text(f)
	if text == "" {
		return "-"
	}
	var buf [256]byte
	b := append(buf[:0], sealVersion...)
	b = append(append(append(append(b, 0), f.String()...), 0), text...)
	sum := sha256.Sum256(b)
	return base64.RawURLEncoding.EncodeToString(sum[:8])
}

// matches tells whether a side of the seal still says what e says.
func matches(side string, f event.Field, e *event.Event, zones ical.Zones) bool {
	print := Print(f, e)
	if print == side || f != event.When {
		return print == side
	}
	span, err := event.ParseSpan(side, zones)
	return err == nil && span.Same(e.When)
}

// Last gives the time the seal remembers for one side, for showing.
func (s *Seal) Last(zones ical.Zones) (event.Span, bool) {
	span, err := event.ParseSpan(s.source[event.When], zones)
	return span, err == nil
}

// Edited tells whether the event differs from what the calendar held after
// the last load, in any field that was loaded.
func (s *Seal) Edited(current *event.Event, zones ical.Zones) bool {
	for _, f := range allFields {
		if s.Knows(f) && !matches(s.calendar[f], f, current, zones) {
			return true
		}
	}
	return false
}
