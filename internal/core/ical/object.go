package ical

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
)

// Object is every component of one UID as a calendar holds them: a master, the
// occurrences of it that were changed, or those alone (RFC 4791 §4.1). It is
// the unit in which calendars are written.
type Object struct {
	UID  string
	File string // the file it is in, for a calendar of several files; "" otherwise
	Line int32  // 1-based line of its file on which the first component begins; 0 when there is none

	raws  *[][]byte // its components; nil where they are as the document has them
	doc   *Document // that it stands in; nil for none
	first int32     // of its components, in the order of the document
	count int32

	// Extras is where in the first component the lines begin whose names begin
	// with X: none stands before. 0 when that was not looked at, -1 for none.
	Extras int32
}

// NewObject gives an object of some components, which stands nowhere yet.
func NewObject(uid string, raws ...[]byte) *Object { return &Object{UID: uid, raws: &raws} }

// Parts is how many components the object has.
func (o *Object) Parts() int {
	if o.raws != nil {
		return len(*o.raws)
	}
	return int(o.count)
}

// Part gives the bytes of a component, counted from 0 in the order in which they stand. They
// must not be changed. Those of a document that is read piece by piece are read anew, and are
// the caller's: see Document.Intact.
func (o *Object) Part(i int) []byte { return o.Glance(i, nil) }

// Glance is Part for bytes that are only needed until w is used again, which takes less when
// components are asked for in the order in which they stand.
func (o *Object) Glance(i int, w *Window) []byte {
	if o.raws != nil {
		return (*o.raws)[i]
	}
	return o.doc.raw(o.pieces()[i], w)
}

// Marked gives the value of the Mark of an object of one component, "" for none, where that was
// read with its document.
func (o *Object) Marked() (mark string, read bool) {
	if o.raws != nil || o.count != 1 {
		return "", false
	}
	piece := o.pieces()[0]
	switch o.doc.pieces[piece].marked {
	case unmarked:
		return "", true
	case byUID:
		return o.UID, true
	case byMark:
		return o.doc.marks[piece], true
	}
	return "", false
}

// Raws gives all components, as Part does.
func (o *Object) Raws() [][]byte {
	if o.raws != nil {
		return *o.raws
	}
	out := make([][]byte, o.count)
	for i := range out {
		out[i] = o.Part(i)
	}
	return out
}

// Same tells whether the components are just these. It reads by way of w.
func (o *Object) Same(raws [][]byte, w *Window) bool {
	if o.Parts() != len(raws) {
		return false
	}
	for i, raw := range raws {
		if !bytes.Equal(o.Glance(i, w), raw) {
			return false
		}
	}
	return true
}

// Put has a component read as other bytes than those that stand in its document.
func (o *Object) Put(i int, raw []byte) {
	raws := slices.Clone(o.Raws())
	raws[i], o.raws = raw, &raws
}

// pieces are the components among those of the document.
func (o *Object) pieces() []int32 { return o.doc.order[o.first : o.first+o.count] }

// UIDOf gives a component's UID, "" when it has none.
func UIDOf(raw []byte) string {
	if at := bytes.Index(raw, []byte("\nUID:")); at >= 0 { // nearly always
		line := raw[at+1:]
		end, folds := lineEnd(line)
		if folds == 0 && !bytes.Contains(raw[:at], []byte("BEGIN:VALARM")) {
			return strings.TrimSpace(Unescape(line[len("UID:"):end]))
		}
	}
	if l, ok := Open(raw).Find("UID"); ok {
		return l.Text()
	}
	return ""
}

// Has tells whether a component has a property of its own or of its parts
// called name (upper case). It may say yes where the name stands in a text.
func Has(raw []byte, name string) bool {
	for at := 0; ; {
		i := bytes.Index(raw[at:], []byte(name))
		if i < 0 {
			break
		}
		at += i + len(name)
		if begin := at - len(name); (begin == 0 || raw[begin-1] == '\n') && at < len(raw) && (raw[at] == ':' || raw[at] == ';') {
			return true
		}
	}
	for l := range Lines(raw) { // in another letter case, or folded in its name
		if l.Is(name) {
			return true
		}
	}
	return false
}

var tzid = []byte(";TZID=")

// ZoneNames calls yield with the name of every time zone that a component
// names, as often as it does. A name is valid until the next one.
func ZoneNames(raw []byte, yield func(name []byte)) {
	for {
		i := bytes.Index(raw, tzid)
		if i < 0 {
			return
		}
		raw = raw[i+len(tzid):]
		end, quoted := 0, false
		for end < len(raw) && (quoted || raw[end] != ':' && raw[end] != ';' && raw[end] != ',') {
			quoted = quoted != (raw[end] == '"')
			end++
		}
		name := raw[:end]
		if bytes.IndexByte(name, '\n') >= 0 {
			name = unfold(name)
		}
		yield(bytes.Trim(name, `"`))
		raw = raw[end:]
	}
}

// FirstYear gives the year in which a component starts, or 0 where it has no start.
func FirstYear(raw []byte) int {
	_, line, ok := bytes.Cut(raw, []byte("\nDTSTART"))
	if !ok {
		return 0
	}
	line, _, _ = bytes.Cut(line, []byte("\n"))
	at := bytes.LastIndexByte(line, ':')
	if at < 0 || at+5 > len(line) {
		return 0
	}
	year, _ := strconv.Atoi(string(line[at+1 : at+5]))
	return max(year, 0)
}
