package ical

import (
	"bytes"
	"context"
	"errors"
	"hash/maphash"
	"io"
	"slices"

	"almanach/internal/core/fault"
	"almanach/internal/core/index"
)

// Document is iCalendar text cut into objects, which can be written again with
// some of them changed. What is not changed keeps its bytes: other components,
// other VCALENDARs, blank lines.
type Document struct {
	Data      []byte   // nil where it is read piece by piece
	Objects   []Object // of VEVENTs, in the order in which their UIDs first appear
	TimeZones [][]byte // its VTIMEZONEs
	Faults    []*fault.Fault
	Damaged   bool // its structure is broken, so that it must not be written

	source    *source          // of data that is not in memory
	pieces    []span           // of VEVENTs
	order     []int32          // the pieces of each object, one object after the other
	calendars []calendar       // its VCALENDARs
	marks     map[int32]string // by piece: its Mark, where that is not its UID
}

// span is where a component stands in the data.
type span struct {
	from     int
	sum      uint64 // of its bytes, where they are not in memory
	size     uint32 // a calendar has 4 GiB at most
	line     int32
	calendar int32 // index into calendars
	extras   int32 // as of Piece
	days     Days
	marked   marked
}

func (s *span) to() int { return s.from + int(s.size) }

// calendar is one VCALENDAR: where its first component begins, where its END
// line does, and which time zones it defines.
type calendar struct {
	first, end int // -1 while unknown
	defined    map[string]bool
}

// Prologue begins a calendar that is new.
const Prologue = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Almanach//EN\r\n"

// Epilogue ends a calendar.
const Epilogue = "END:VCALENDAR\r\n"

// ParseDocument cuts data into objects. Empty data is a calendar that is still
// to be made. The error is the context's alone; what is wrong with the text is
// in the document's faults, which have lines and no file.
func ParseDocument(ctx context.Context, data []byte) (*Document, error) {
	d := &Document{Data: data}
	return d, d.parse(ctx, NewBytesReader(data), len(data))
}

// parse cuts what r gives into objects.
func (d *Document) parse(ctx context.Context, r *Reader, size int) error {
	d.pieces = make([]span, 0, size/450)
	expected := size / 500
	g := grouper{Document: d, seed: maphash.MakeSeed(), byUID: index.New(expected), uids: make([][]byte, 0, expected), of: make([]int32, 0, expected), sizes: make([]int32, 0, expected), first: make([]int32, 0, expected), plain: make([]int32, 0, expected)}
	for n := 0; ; n++ {
		if n%4096 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		p, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil { // reading from memory never fails
			return err
		}
		d.place(p)
		g.take(p)
	}
	if size > 0 && len(d.calendars) == 0 && !d.Damaged {
		d.damage(fault.Newf("is not an iCalendar file: it has no VCALENDAR"))
	}
	g.finish()
	return nil
}

func (d *Document) damage(f *fault.Fault) {
	d.Faults = append(d.Faults, f)
	d.Damaged = true
}

// place keeps track of the VCALENDARs.
func (d *Document) place(p Piece) {
	for p.Calendar > len(d.calendars) {
		d.calendars = append(d.calendars, calendar{first: -1, end: -1, defined: map[string]bool{}})
	}
	if p.Calendar == 0 {
		return
	}
	c := &d.calendars[p.Calendar-1]
	if (p.Name != "" || p.Close) && c.first < 0 {
		c.first = p.Offset
	}
	if p.Close {
		c.end = p.Offset
	}
}

// grouper puts the components of one UID together.
type grouper struct {
	*Document
	seed  maphash.Seed
	byUID index.Table // of objects
	uids  [][]byte    // by piece
	of    []int32     // object of each piece
	sizes []int32     // components of each object
	first []int32     // piece of each object
	plain []int32     // line of the first component without RECURRENCE-ID of each object; 0 for none
	block []byte      // for bytes that outlast their pieces
}

func (g *grouper) take(p Piece) {
	switch {
	case p.Fault != nil:
		g.damage(p.Fault)
	case p.Name == "VTIMEZONE":
		raw := g.own(p.Raw) // a text of it lies in it
		g.TimeZones = append(g.TimeZones, raw)
		if l, ok := Open(raw).Find("TZID"); ok {
			g.calendars[p.Calendar-1].defined[l.Text()] = true
		}
	case p.Name == "VEVENT":
		g.event(p)
	}
}

func (g *grouper) event(p Piece) {
	n := int32(len(g.pieces))
	g.pieces = append(g.pieces, span{from: p.Offset, sum: g.sum(p.Raw), size: uint32(len(p.Raw)), line: int32(p.Line), calendar: int32(p.Calendar - 1), extras: int32(p.Extras), days: p.Days, marked: p.Marked})
	if p.Marked == byMark {
		if g.marks == nil {
			g.marks = map[int32]string{}
		}
		g.marks[n] = string(p.Mark)
	}
	g.uids = append(g.uids, g.own(p.UID))
	at := fault.Place{Line: p.Line}
	if p.UID == nil {
		g.Faults = append(g.Faults, fault.Newf("the event has no UID").At(at))
	}
	if p.NotUTF8() {
		g.Faults = append(g.Faults, fault.Newf("event %s holds bytes that are not UTF-8; they are kept as they are", fault.Shorten(string(p.UID), 80)).At(at))
	}
	o := int32(len(g.sizes))
	if p.UID != nil {
		h := maphash.Bytes(g.seed, p.UID)
		for known := range g.byUID.Under(h) {
			if bytes.Equal(g.uids[g.first[known]], p.UID) {
				o = known
				break
			}
		}
		if int(o) == len(g.sizes) {
			g.byUID.Add(h, o)
		}
	}
	if int(o) == len(g.sizes) {
		g.sizes, g.first, g.plain = append(g.sizes, 0), append(g.first, n), append(g.plain, 0)
	}
	g.sizes[o]++
	g.of = append(g.of, o)
	if p.Override {
		return
	}
	if g.plain[o] > 0 {
		g.Faults = append(g.Faults, fault.Newf("a second event with UID %s and no RECURRENCE-ID; the first begins in line %d", fault.Shorten(string(p.UID), 80), g.plain[o]).At(at))
		return
	}
	g.plain[o] = int32(p.Line)
}

// own gives bytes of a piece that outlast it.
func (g *grouper) own(b []byte) []byte {
	if g.source == nil || b == nil {
		return b
	}
	if len(g.block)+len(b) > cap(g.block) {
		g.block = make([]byte, 0, max(64<<10, len(b)))
	}
	at := len(g.block)
	g.block = append(g.block, b...)
	return g.block[at:len(g.block):len(g.block)]
}

// finish makes the objects, in few blocks of memory.
func (g *grouper) finish() {
	g.Objects, g.order = make([]Object, len(g.sizes)), make([]int32, len(g.pieces))
	at := int32(0)
	for o, size := range g.sizes {
		p := &g.pieces[g.first[o]]
		g.Objects[o] = Object{UID: alias(g.uids[g.first[o]]), Line: p.line, doc: g.Document, first: at, Extras: p.extras}
		at += size
	}
	for n, i := range g.of {
		o := &g.Objects[i]
		g.order[o.first+o.count] = int32(n)
		o.count++
	}
}

// Components is how many VEVENTs the document has.
func (d *Document) Components() int { return len(d.pieces) }

// ObjectEdit is a change of one object. Old is nil for one that is new; New is
// empty for one that is removed.
type ObjectEdit struct {
	Old *Object
	New [][]byte
}

// splice is a part of the data that gives way to a text.
type splice struct {
	from, to int
	text     []byte
}

// Write writes the document with the edits. Components that an edit leaves as
// they are keep their place; what is new goes behind the last event, and zones
// that are named and not defined before the first.
func (d *Document) Write(w io.Writer, edits []ObjectEdit, zones *TimeZones) error {
	return d.WriteEach(w, len(edits), func(i int) (ObjectEdit, error) { return edits[i], nil }, zones)
}

// WriteEach does as Write does, with n edits that are asked for twice each. The text of
// one that is new need only last until the next is asked for.
func (d *Document) WriteEach(w io.Writer, n int, edit func(i int) (ObjectEdit, error), zones *TimeZones) error {
	var splices []splice
	last := len(d.calendars) - 1
	missing := make([]missing, max(len(d.calendars), 1)) // by VCALENDAR
	for c := range d.calendars {
		missing[c].defined = d.calendars[c].defined
	}
	var texts Window
	for i := range n {
		e, err := edit(i)
		if err != nil {
			return err
		}
		into := max(last, 0)
		if e.Old != nil {
			into = int(d.pieces[e.Old.pieces()[0]].calendar)
			splices = d.edit(splices, e, &texts)
		}
		for _, raw := range e.New {
			missing[into].look(raw)
		}
	}
	fresh := func() error {
		for i := range n {
			e, err := edit(i)
			if err == nil && e.Old == nil {
				err = writeAll(w, e.New)
			}
			if err != nil {
				return err
			}
		}
		return nil
	}
	if last < 0 { // a calendar that is still to be made
		_, err := w.Write(missing[0].appendTo([]byte(Prologue), zones))
		if err == nil {
			err = fresh()
		}
		if err == nil {
			_, err = io.WriteString(w, Epilogue)
		}
		return err
	}
	for n, c := range d.calendars {
		if text := missing[n].appendTo(nil, zones); len(text) > 0 && c.first >= 0 {
			splices = append(splices, splice{c.first, c.first, text})
		}
	}
	slices.SortStableFunc(splices, func(a, b splice) int { return a.from - b.from })
	return d.copy(w, splices, d.calendars[last].end, fresh)
}

// edit appends the splices of one object.
func (d *Document) edit(to []splice, e ObjectEdit, texts *Window) []splice {
	pieces := e.Old.pieces()
	for i, n := range pieces {
		p := d.pieces[n]
		switch {
		case i >= len(e.New):
			to = append(to, splice{p.from, p.to(), nil})
		case !bytes.Equal(e.New[i], e.Old.Glance(i, texts)):
			to = append(to, splice{p.from, p.to(), e.New[i]})
		}
	}
	if len(e.New) > len(pieces) {
		end := d.pieces[pieces[len(pieces)-1]].to()
		for _, text := range e.New[len(pieces):] {
			to = append(to, splice{end, end, text})
		}
	}
	return to
}

// copy writes the data with the splices, and what is new before offset end.
func (d *Document) copy(w io.Writer, splices []splice, end int, fresh func() error) error {
	old := d.again()
	for _, s := range splices {
		if err := old.copy(w, s.from); err != nil {
			return err
		}
		if _, err := w.Write(s.text); err != nil {
			return err
		}
		if err := old.pass(s.to); err != nil {
			return err
		}
	}
	if err := old.copy(w, end); err != nil {
		return err
	}
	if err := fresh(); err != nil {
		return err
	}
	return old.finish(w)
}

func writeAll(w io.Writer, texts [][]byte) error {
	for _, text := range texts {
		if _, err := w.Write(text); err != nil {
			return err
		}
	}
	return nil
}
