package agree

import (
	"bytes"
	"strconv"

	"github.com/cespare/xxhash/v2"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
)

// An event's seal also has a checksum of the event's text as it was written,
// the seal's own line left out. Where it still fits, nobody has touched the
// event, and its fields need not be read to know that. It speaks of bytes, so
// a server that rewrites what it is given merely makes it useless; only the
// fingerprints of the fields decide.

const endLine = "END:VEVENT\r\n"

// AppendSealed appends to the text of a new event, which stands in dst from
// offset from on and lacks its END line, the seal of what was wanted, the alarms
// and that line.
func AppendSealed(dst []byte, from int, wanted *event.Event, alarms []byte) []byte {
	var d xxhash.Digest
	d.Reset()
	d.Write(dst[from:])
	d.Write(alarms)
	d.WriteString(endLine)
	at := len(dst)
	dst = appendHead(append(append(dst, event.PropSeal...), ':'), d.Sum64())
	for _, f := range allFields {
		if !wanted.Given.Has(f) {
			continue
		}
		dst = append(append(append(dst, ' '), f.String()...), '=')
		value := len(dst)
		if dst = appendPrint(dst, f, wanted); f == event.When { // the others are plain
			dst = event.EndMark(dst, value)
		}
	}
	return append(append(ical.EndLine(dst, at), alarms...), endLine...)
}

// Reseal puts the seal of a result into an event in which everything else is as
// it is to be written. An event that keeps what someone changed in the calendar
// gets no checksum: it must be compared every time, or the change would no
// longer be seen.
func Reseal(c *ical.Component, r *Result) {
	if r.has(Edited) {
		c.Set(event.PropSeal, nil, nil, string(r.Seal.appendTo(nil, 0)))
		return
	}
	var d xxhash.Digest
	d.Reset()
	for _, l := range c.Lines() {
		if l.Depth != 0 || !l.Is(event.PropSeal) {
			d.Write(l.Whole())
		}
	}
	c.Set(event.PropSeal, nil, nil, string(r.Seal.appendTo(nil, d.Sum64())))
}

var sealLine = []byte("\n" + event.PropSeal + ":")

// Untouched tells whether the event stands byte for byte as it was last
// written and the source wants just what was written then, so that there is
// nothing to compare. When in doubt it says no. No line of ours stands before
// offset from.
func Untouched(raw []byte, from int, wanted *event.Event) bool {
	from = max(from-1, 0)
	at := bytes.Index(raw[from:], sealLine)
	if at < 0 {
		return false
	}
	at += from + 1
	value := raw[at+len(sealLine)-1:]
	var buf [512]byte
	text := buf[:0]
	rest := value
	for { // unfold
		i := bytes.IndexByte(rest, '\n')
		if i < 1 || rest[i-1] != '\r' || len(text)+i > len(buf) {
			return false
		}
		text = append(text, rest[:i-1]...)
		rest = rest[i+1:]
		if len(rest) == 0 || rest[0] != ' ' {
			break
		}
		rest = rest[1:]
	}
	var d xxhash.Digest
	d.Reset()
	d.Write(raw[:at])
	d.Write(rest)
	var wantedBuf [512]byte
	want := appendHead(wantedBuf[:0], d.Sum64())
	if !bytes.HasPrefix(text, want) {
		return false
	}
	for _, f := range allFields {
		if wanted.Given.Has(f) {
			want = append(append(append(want, ' '), f.String()...), '=')
			want = appendPrint(want, f, wanted)
		}
	}
	return bytes.Equal(text, want)
}

func appendHead(dst []byte, whole uint64) []byte {
	dst = append(dst, sealVersion...)
	if whole == 0 {
		return dst
	}
	dst = append(dst, " whole="...)
	return strconv.AppendUint(dst, whole, 16)
}
