package ical

import (
	"bytes"

	"almanach/internal/core/zone"
)

// Days are the days on which an event starts and ends, since 1970, as they are written, in
// whatever zone. An event without an end has the day after its start. They are 0 where a
// glance does not tell them: before 1970, after 2148, with a DURATION, folded, or twice.
type Days struct{ Start, End uint16 }

// daysRead is what the lines of a component say of its days.
type daysRead struct {
	start, end uint16
	unclear    bool
}

// take looks at a line whose name begins with D.
func (d *daysRead) take(line []byte) {
	if fold := bytes.IndexByte(line[:min(len(line), len("DURATION\r\n"))], '\n'); fold >= 0 && fold < len(line)-1 {
		d.unclear = true // its name may go on behind the fold
		return
	}
	switch {
	case isProperty(line, "DTSTART"):
		d.unclear = d.unclear || d.start > 0
		d.start = d.day(line[len("DTSTART"):])
	case isProperty(line, "DTEND"):
		d.unclear = d.unclear || d.end > 0
		d.end = d.day(line[len("DTEND"):])
	case isProperty(line, "DURATION"):
		d.unclear = true
	}
}

// days gives what the lines say, when all were taken.
func (d *daysRead) days() Days {
	switch {
	case d.unclear || d.start == 0:
		return Days{}
	case d.end == 0:
		return Days{d.start, d.start + 1}
	}
	return Days{d.start, d.end}
}

// day reads the day behind the name of a property.
func (d *daysRead) day(rest []byte) uint16 {
	colon := bytes.IndexByte(rest, ':')
	number := 0
	for _, c := range rest[colon+1 : min(len(rest), colon+len(":20260305"))] {
		if c < '0' || c > '9' {
			number = 0
			break
		}
		number = number*10 + int(c-'0')
	}
	year, month, day := number/10_000, number/100%100, number%100
	if bytes.IndexByte(rest[:colon+1], '"') >= 0 || year < 1970 || year > 2148 || month < 1 || month > 12 || day < 1 || day > 31 {
		d.unclear = true
		return 0
	}
	return uint16(zone.Wall(year, month, day, 0, 0, 0) / 86400)
}

// Days gives the days of an event that is one component and does not repeat: no line of it
// begins with R, so that it is no occurrence of another either. It reads nothing that was
// read with a document.
func (o *Object) Days() Days {
	switch {
	case o.Parts() != 1:
		return Days{}
	case o.raws == nil:
		return o.doc.pieces[o.pieces()[0]].days
	}
	r := NewBytesReader((*o.raws)[0])
	r.inside = true
	p, _ := r.Next() // from memory; what is damaged has no days
	return p.Days
}
