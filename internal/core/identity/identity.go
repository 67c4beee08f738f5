// Package identity says which event a row is.
//
// A row's ID follows from the intake's identity and the row's key alone, so
// that any machine, with no memory of earlier runs, finds the event it made
// before. How keys are normalised and IDs derived is frozen: docs/identity.md
// has the rules and test vectors.
package identity

import (
	"crypto/sha1"
	"math"
	"strconv"
	"strings"
	"unicode"

	"github.com/google/uuid"
	"golang.org/x/text/unicode/norm"

	"almanach/internal/core/table"
)

// Namespace is the fixed namespace of every ID. It must never change.
var Namespace = uuid.MustParse("6e2f4f0a-3d0c-5b6e-9b0d-2a7c51b8e4d1")

// ID is the identity of an event: a UUID of version 5 (RFC 9562 §5.5).
type ID = uuid.UUID

// Key is what makes a row the same event next time: one or several parts,
// each normalised.
type Key []string

// Normal brings one part of a key into the form that is compared. Texts are
// NFC with no-break spaces as spaces, without zero-width characters, white
// space collapsed and trimmed, case kept. Whole numbers stay as they are
// displayed, leading zeros included; others are the shortest decimal. Native
// dates are ISO 8601.
func Normal(c table.Cell) string {
	if c.Kind == table.Number && c.Number != math.Trunc(c.Number) {
		return strconv.FormatFloat(c.Number, 'f', -1, 64)
	}
	return NormalText(c.Text)
}

// NormalText is Normal for a text.
func NormalText(s string) string {
	plain := true
	for i := range len(s) {
		if s[i] <= ' ' || s[i] >= 0x7f {
			plain = false
			break
		}
	}
	if plain {
		return s
	}
	var b strings.Builder
	space := false
	for _, r := range norm.NFC.String(strings.ToValidUTF8(s, "\uFFFD")) {
		switch {
		case unicode.IsSpace(r):
			space = true
			continue
		case zeroWidth(r):
			continue
		}
		if space && b.Len() > 0 {
			b.WriteByte(' ')
		}
		space = false
		b.WriteRune(r)
	}
	return norm.NFC.String(b.String())
}

func zeroWidth(r rune) bool {
	return r == 0x200b || r == 0x200c || r == 0x200d || r == 0x2060 || r == 0xfeff || r == 0x00ad || r == 0x200e || r == 0x200f
}

// Empty tells whether the key has nothing in it. A key of several parts is
// empty when any part is, since such rows would all be one event.
func (k Key) Empty() bool {
	for _, part := range k {
		if part == "" {
			return true
		}
	}
	return len(k) == 0
}

// String shows the key: its parts with " / " between them.
func (k Key) String() string {
	if len(k) == 1 {
		return k[0]
	}
	return strings.Join(k, " / ")
}

// Of derives the ID of a key under an intake's identity. The name hashed is
// the identity and each part in turn, every one as its length in octets, a
// colon, and itself.
func Of(identity string, k Key) ID {
	var buf [160]byte
	name := appendPart(buf[:0], NormalText(identity))
	for _, part := range k {
		name = appendPart(name, part)
	}
	return version5(Namespace, name)
}

// version5 is uuid.NewSHA1 without its allocations: a sheet has a hundred
// thousand rows.
func version5(space uuid.UUID, name []byte) ID {
	var buf [192]byte
	sum := sha1.Sum(append(append(buf[:0], space[:]...), name...))
	var id ID
	copy(id[:], sum[:])
	id[6] = id[6]&0x0f | 0x50
	id[8] = id[8]&0x3f | 0x80
	return id
}

func appendPart(dst []byte, part string) []byte {
	dst = strconv.AppendInt(dst, int64(len(part)), 10)
	return append(append(dst, ':'), part...)
}

// Copy derives the ID under which a copy of an event stands in one of several
// calendars.
func Copy(id ID, calendar string) ID {
	return version5(id, []byte(NormalText(calendar)))
}

// Occurrence derives the ID of one changed occurrence of a series from the
// series' and the occurrence's date, as a wall-clock midnight.
func Occurrence(id ID, date int64) ID {
	return version5(id, strconv.AppendInt([]byte("occurrence "), date/86400, 10))
}

// AppendFold appends the form in which two keys collide that differ only by
// case or by zeros in front of a number; such keys are most likely one event
// typed twice.
func (k Key) AppendFold(dst []byte) []byte {
	for i, part := range k {
		if i > 0 {
			dst = append(dst, 0)
		}
		digits, ascii := false, true // inside a number; nothing beyond ASCII so far
		from := len(dst)
		for j := 0; j < len(part); j++ {
			c := part[j]
			isDigit := c >= '0' && c <= '9'
			if isDigit && !digits && c == '0' && j+1 < len(part) && part[j+1] >= '0' && part[j+1] <= '9' {
				continue
			}
			digits = isDigit || (digits && (c == '.' || c == ','))
			if c >= 'A' && c <= 'Z' {
				c += 'a' - 'A'
			}
			ascii = ascii && c < 0x80
			dst = append(dst, c)
		}
		if !ascii {
			dst = append(dst[:from], strings.ToLower(string(dst[from:]))...)
		}
	}
	return dst
}
