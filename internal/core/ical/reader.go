// Package ical reads and writes iCalendar text (RFC 5545) without changing
// what it does not mean to change.
//
// A Reader cuts a stream into pieces, each with the exact bytes it stands
// for: components of a calendar (VEVENT, VTIMEZONE, …) and whatever lies
// between them. Writing the pieces again gives the same bytes. A Component is
// edited line by line; lines nobody touches keep their bytes.
//
// Reading forgives what exporters get wrong: a byte order mark, bare line
// feeds, folds in the middle of a character, any letter case, several
// VCALENDARs in one file, bytes that are not UTF-8. It is strict about what
// cannot be guessed: components that do not end are reported with line and
// UID, and their bytes are kept as they are.
package ical

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"unicode/utf8"

	"almanach/internal/core/fault"
)

// A Piece is a run of whole lines of a file.
type Piece struct {
	Raw      []byte // as read, line endings included
	Name     string // of the component in upper case; "" for what stands between components
	Line     int    // 1-based physical line it begins on
	Offset   int    // bytes before it
	Calendar int    // which VCALENDAR of the file it lies in, from 1; 0 outside all
	UID      []byte // the component's UID as written, nil when there is none
	Override bool   // has a RECURRENCE-ID
	Extras   int    // of a component: offset in Raw of its first own line that begins with X; -1 for none
	Days     Days   // of a component no own line of which begins with R, as those of RRULE, RDATE and RECURRENCE-ID do
	Mark     []byte // of a component: the value of its Mark, where Marked says that it was read
	Marked   marked
	Close    bool // is the END:VCALENDAR line
	Fault    *fault.Fault
}

// Mark is the property by which Almanach knows its events again.
const Mark = "X-ALMANACH-ID"

// marked is what is known of the Mark of a component.
type marked uint8

const (
	notRead  marked = iota // in a form that is seldom, or not looked for
	unmarked               // it has none
	byUID                  // it is the UID
	byMark
)

// A Reader cuts iCalendar text into pieces.
type Reader struct {
	src    io.Reader // nil when buf holds everything
	buf    []byte
	pos    int // first byte of the piece being cut
	line   int // physical line at pos
	offset int // bytes of the stream before pos
	eof    bool
	err    error
	cal    int  // VCALENDARs begun
	inside bool // in a VCALENDAR
	opened int  // line the open VCALENDAR began on
}

// NewReader reads from r. A piece it gives is valid until the next call.
func NewReader(r io.Reader) *Reader { return &Reader{src: r, line: 1} }

// NewBytesReader reads from data. Its pieces alias data and stay valid.
func NewBytesReader(data []byte) *Reader {
	return &Reader{buf: data, line: 1, eof: true}
}

const maxComponent = 64 << 20 // bytes one component may have in a stream

// ErrTooLong means that a component is longer than any real one.
var ErrTooLong = errors.New("a component is longer than 64 MiB")

// fill reads more, keeping what begins at pos. It tells whether there was any.
func (r *Reader) fill() bool {
	if r.eof {
		return false
	}
	if len(r.buf)-r.pos > maxComponent {
		r.err, r.eof = ErrTooLong, true
		return false
	}
	if r.pos > 0 && (len(r.buf) == cap(r.buf)) {
		n := copy(r.buf, r.buf[r.pos:])
		r.buf, r.pos = r.buf[:n], 0
	}
	if len(r.buf) == cap(r.buf) {
		r.buf = append(r.buf, make([]byte, max(64<<10, len(r.buf)))...)[:len(r.buf)]
	}
	n, err := r.src.Read(r.buf[len(r.buf):cap(r.buf)])
	r.buf = r.buf[:len(r.buf)+n]
	if err != nil {
		r.eof = true
		if err != io.EOF {
			r.err = err
		}
	}
	return n > 0 || !r.eof
}

// logical gives the end of the content line that begins at offset at from
// pos, its continuation lines included.
func (r *Reader) logical(at int) int {
	b := r.buf[r.pos+at:]
	if i := bytes.IndexByte(b, '\n'); i >= 0 && i+1 < len(b) && b[i+1] != ' ' && b[i+1] != '\t' { // nearly always
		return at + i + 1
	}
	return r.folded(at)
}

// folded is logical for a line that goes on, or that the buffer holds in part.
func (r *Reader) folded(at int) int {
	searched := at
	for {
		b := r.buf[r.pos:]
		i := bytes.IndexByte(b[searched:], '\n')
		if i < 0 {
			searched = len(b)
			if !r.fill() {
				return len(r.buf) - r.pos
			}
			continue
		}
		searched += i + 1
		for searched >= len(b) && r.fill() {
			b = r.buf[r.pos:]
		}
		if searched >= len(b) || (b[searched] != ' ' && b[searched] != '\t') {
			return searched
		}
	}
}

// tag gives the component's name when the line begins or ends one. A folded
// BEGIN or END is legal, if perverse.
func tag(line []byte, word string) (string, bool) {
	if i := bytes.IndexByte(line, '\n'); i >= 0 && i < len(line)-1 {
		line = unfold(line)
	}
	if !hasFold(line, word) {
		return "", false
	}
	return componentName(line[len(word):]), true
}

func componentName(raw []byte) string {
	raw = bytes.TrimSpace(raw)
	switch { // the usual names cost no allocation
	case string(raw) == "VEVENT":
		return "VEVENT"
	case string(raw) == "VALARM":
		return "VALARM"
	case string(raw) == "VCALENDAR":
		return "VCALENDAR"
	}
	return strings.ToUpper(string(raw))
}

// Next gives the next piece, or io.EOF after the last. A piece with a Fault
// is damaged: its bytes are whole, but it must not be treated as a component.
// Any other error is the source's.
func (r *Reader) Next() (Piece, error) {
	for len(r.buf)-r.pos < 3 && r.fill() { // enough to see a byte order mark
	}
	if r.pos == len(r.buf) {
		return r.end()
	}
	p := Piece{Line: r.line, Calendar: r.cal}
	if !r.inside {
		p.Calendar = 0
	}
	at := 0
	if r.line == 1 && bytes.HasPrefix(r.buf[r.pos:], []byte("\xef\xbb\xbf")) {
		at = 3
	}
	start := at
	for {
		end := r.logical(at)
		if end == at {
			return r.cut(p, at, nil), nil
		}
		line := r.buf[r.pos+at : r.pos+end]
		if line[0] == 'B' || line[0] == 'b' {
			if name, ok := tag(line, "BEGIN:"); ok {
				switch {
				case at > start:
					return r.cut(p, at, nil), nil
				case name == "VCALENDAR":
					return r.beginCalendar(p, end), nil
				}
				return r.component(p, name, end), nil
			}
		}
		if line[0] == 'E' || line[0] == 'e' {
			if name, ok := tag(line, "END:"); ok {
				switch {
				case at > start:
					return r.cut(p, at, nil), nil
				case name == "VCALENDAR" && r.inside:
					r.inside = false
					p.Close = true
					return r.cut(p, end, nil), nil
				}
				return r.cut(p, end, fault.Newf("END:%s closes nothing", fault.Shorten(name, 40))), nil
			}
		}
		if !r.inside && len(bytes.TrimSpace(line)) > 0 {
			return r.cut(p, end, fault.Newf("text outside of a VCALENDAR")), nil
		}
		at = end
	}
}

func (r *Reader) beginCalendar(p Piece, end int) Piece {
	var problem *fault.Fault
	if r.inside {
		problem = fault.Newf("the VCALENDAR begun in line %d has no END", r.opened)
	}
	r.cal++
	r.inside, r.opened = true, r.line
	p.Calendar = r.cal
	return r.cut(p, end, problem)
}

// cut ends the piece n bytes on and moves behind it.
func (r *Reader) cut(p Piece, n int, problem *fault.Fault) Piece {
	p.Raw = r.buf[r.pos : r.pos+n : r.pos+n]
	if problem != nil {
		problem.Place.Line = p.Line
		p.Fault = problem
	}
	p.Offset = r.offset
	r.pos += n
	r.offset += n
	r.line += bytes.Count(p.Raw, []byte{'\n'})
	return p
}

// component cuts the component whose BEGIN line ends at offset at.
func (r *Reader) component(p Piece, name string, at int) Piece {
	p.Name, p.Extras, p.Marked = name, -1, unmarked
	var mark [2]int
	var days daysRead
	if !r.inside {
		return r.cut(p, at, fault.Newf("BEGIN:%s outside of a VCALENDAR", fault.Shorten(name, 40)))
	}
	var nested [8]string // deeper ones than any real component has
	open := append(nested[:0], name)
	var uid [2]int
	for {
		end := r.logical(at)
		if end == at {
			return r.unclosed(p, name, uid, at)
		}
		switch line := r.buf[r.pos+at : r.pos+end]; line[0] {
		case 'B', 'b':
			if inner, ok := tag(line, "BEGIN:"); ok {
				if inner == "VCALENDAR" || (len(open) == 1 && inner == name) {
					return r.unclosed(p, name, uid, at)
				}
				open = append(open, inner)
			}
		case 'E', 'e':
			inner, ok := tag(line, "END:")
			if !ok {
				break
			}
			if inner != open[len(open)-1] {
				return r.unclosed(p, open[len(open)-1], uid, at)
			}
			if open = open[:len(open)-1]; len(open) == 0 {
				p = r.cut(p, end, nil)
				p.UID, p.Days = value(p.Raw, uid), days.days()
				if p.Marked == byMark {
					if p.Mark = bytes.TrimSpace(p.Raw[mark[0]:mark[1]]); bytes.Equal(p.Mark, p.UID) {
						p.Marked = byUID
					}
				}
				return p
			}
		case 'U', 'u':
			if len(open) == 1 && isProperty(line, "UID") {
				uid = [2]int{at, end}
			}
		case ' ', '\t', '\r', '\n': // a blank line, behind whose fold a name may stand
			days.unclear = days.unclear || len(bytes.TrimSpace(line)) > 0
		case 'D', 'd':
			if len(open) == 1 {
				days.take(line)
			}
		case 'R', 'r':
			days.unclear = days.unclear || len(open) == 1
			if len(open) == 1 && isProperty(line, "RECURRENCE-ID") {
				p.Override = true
			}
		case 'X', 'x':
			if len(open) > 1 {
				break
			}
			if p.Extras < 0 {
				p.Extras = at
			}
			if fold := bytes.IndexByte(line, '\n'); fold >= 0 && fold < len(line)-1 && fold <= len(Mark)+1 { // its name may go on behind the fold
				p.Marked = notRead
			} else if p.Marked == unmarked && isProperty(line, Mark) {
				if p.Marked = byMark; line[len(Mark)] != ':' || fold >= 0 && fold < len(line)-1 {
					p.Marked = notRead
				}
				mark = [2]int{at + len(Mark) + 1, end}
			}
		}
		at = end
	}
}

func isProperty(line []byte, name string) bool {
	return len(line) > len(name) && (line[len(name)] == ':' || line[len(name)] == ';') && hasFold(line, name)
}

// value gives the value of the property that stands at span in raw.
func value(raw []byte, span [2]int) []byte {
	if span[1] == 0 {
		return nil
	}
	line := raw[span[0]:span[1]]
	text := trimEnding(line)
	if bytes.IndexByte(text, '\n') >= 0 {
		l := cutLine(line, 1)
		return bytes.TrimSpace(l.Value())
	}
	_, from := split(text)
	if from < 0 {
		return nil
	}
	return bytes.Trim(text[from:], " \t\r")
}

// unclosed cuts a component that does not end before offset at.
func (r *Reader) unclosed(p Piece, name string, uid [2]int, at int) Piece {
	id := value(r.buf[r.pos:r.pos+at], uid)
	problem := fault.Newf("%s has no END:%s", name, name)
	if id != nil {
		problem = fault.Newf("%s with UID %s has no END:%s", name, fault.Shorten(string(id), 80), name)
	}
	p = r.cut(p, at, problem)
	p.UID = id
	return p
}

// end closes the reading: a file must not stop inside a calendar.
func (r *Reader) end() (Piece, error) {
	if r.err != nil {
		return Piece{}, r.err
	}
	if r.inside {
		r.inside = false
		p := Piece{Line: r.line, Calendar: r.cal}
		return r.cut(p, 0, fault.Newf("the file ends inside the VCALENDAR begun in line %d; it was cut short", r.opened)), nil
	}
	return Piece{}, io.EOF
}

// NotUTF8 tells whether the piece holds bytes that are not UTF-8; a character
// that a fold cuts in two is whole.
func (p Piece) NotUTF8() bool {
	if utf8.Valid(p.Raw) {
		return false
	}
	for l := range Lines(p.Raw) {
		if !utf8.Valid(l.text) && !utf8.Valid(unfold(l.text)) {
			return true
		}
	}
	return false
}
