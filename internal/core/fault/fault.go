// Package fault has the one kind of problem Almanach reports: a cause with
// the exact place it was met at, and what to do about it.
//
// Every stage fills in what it knows (a reader the row, a mapping the column,
// a date the value) and hands the same Fault on. It is turned into text or
// JSON only where it leaves the program.
package fault

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// A Place says where in the outside world something was read. Zero parts are
// unknown and are left out when the place is shown.
type Place struct {
	File   string // as the clerk named it
	Sheet  string // worksheet of a workbook
	Page   int    // 1-based page of a document
	Row    int    // 1-based row as a spreadsheet numbers it; the header counts
	Line   int    // 1-based physical line of a text file
	Column string // header of the column, or its letter

	Message string // Message-ID of a message
}

// String gives the place as the start of a message, for example
// "bookings.xlsx, sheet Bookings, row 17, column ETA".
func (p Place) String() string {
	parts := make([]string, 0, 6)
	if p.File != "" {
		parts = append(parts, p.File)
	}
	if p.Sheet != "" {
		parts = append(parts, "sheet "+p.Sheet)
	}
	if p.Page > 0 {
		parts = append(parts, fmt.Sprintf("page %d", p.Page))
	}
	switch {
	case p.Row > 0:
		parts = append(parts, fmt.Sprintf("row %d", p.Row))
	case p.Line > 0:
		parts = append(parts, fmt.Sprintf("line %d", p.Line))
	}
	if p.Message != "" {
		parts = append(parts, "message "+p.Message)
	}
	if p.Column != "" {
		parts = append(parts, "column "+p.Column)
	}
	return strings.Join(parts, ", ")
}

// A Fault is one positioned problem. Cause is never nil.
type Fault struct {
	Place  Place
	Field  string // event field being filled, empty when none
	Value  string // the offending text as it stands in the source
	Quoted bool   // whether Value belongs in the message, even when empty
	Cause  error  // completes the sentence begun by the value: "is not a date"
	Advice string // what to do next, an imperative without a full stop

	// Missing is what nobody named, or named wrongly: the key, the sheet, the
	// calendar, the title, the start. Choices are what it can be, the best first;
	// a key may be made up of several names.
	Missing string
	Choices [][]string

	// More are other problems of the same row.
	More []*Fault

	// Outside tells that a file, a server or a quota stands in the way, and not
	// the request or the input.
	Outside bool

	// Excerpt is the line of a settings file with a caret under the mistake,
	// ready to be shown below the message; empty for other problems.
	Excerpt string
}

// New gives a fault about a value: the message reads `"VALUE" CAUSE`.
func New(value, cause string) *Fault {
	return &Fault{Value: value, Quoted: true, Cause: errors.New(cause)}
}

// Newf gives a fault that quotes no value.
func Newf(format string, args ...any) *Fault {
	return &Fault{Cause: fmt.Errorf(format, args...)}
}

// Do sets the advice and returns the fault.
func (f *Fault) Do(format string, args ...any) *Fault {
	f.Advice = fmt.Sprintf(format, args...)
	return f
}

// FromOutside marks the fault as one the request is not to blame for.
func (f *Fault) FromOutside() *Fault {
	f.Outside = true
	return f
}

// At sets the place and returns the fault.
func (f *Fault) At(p Place) *Fault {
	f.Place = p
	return f
}

// Reason is the message without file, sheet and row, for lists that show
// those in columns of their own: `ETA "25:10" is not a time of day`.
func (f *Fault) Reason() string {
	var b strings.Builder
	if f.Place.Column != "" {
		b.WriteString(f.Place.Column + " ")
	}
	b.WriteString(f.sentence())
	if f.Advice != "" {
		b.WriteString(" (" + f.Advice + ")")
	}
	for _, also := range f.More {
		b.WriteString("; " + also.Reason())
	}
	return b.String()
}

// Join adds problems of the same row to the first of them, each once. It gives
// nil where there are none.
func Join(faults ...*Fault) *Fault {
	var first *Fault
	for _, f := range faults {
		switch {
		case f == nil:
		case first == nil:
			first = f
		default:
			more := f.More
			f.More = nil
			if !first.like(f) {
				first.More = append(first.More, f)
			}
			first = Join(append([]*Fault{first}, more...)...)
		}
	}
	return first
}

// About tells whether f, or a problem that was joined to it, is about a field.
func (f *Fault) About(field string) bool {
	return f != nil && (f.Field == field || slices.ContainsFunc(f.More, func(also *Fault) bool { return also.About(field) }))
}

// like tells whether f, or one that was joined to it, says what other says.
func (f *Fault) like(other *Fault) bool {
	if f == other || f.Place.Column == other.Place.Column && f.Value == other.Value && f.Cause.Error() == other.Cause.Error() {
		return true
	}
	for _, also := range f.More {
		if also.like(other) {
			return true
		}
	}
	return false
}

func (f *Fault) sentence() string {
	if !f.Quoted {
		return f.Cause.Error()
	}
	return `"` + Shorten(f.Value, 60) + `" ` + f.Cause.Error()
}

// Error gives the whole message: place, value, cause and advice.
func (f *Fault) Error() string {
	s := f.sentence()
	if at := f.Place.String(); at != "" {
		s = at + ": " + s
	}
	if f.Advice != "" {
		s += "; " + f.Advice
	}
	return s
}

// Unwrap gives the cause.
func (f *Fault) Unwrap() error { return f.Cause }

// Of gives the Fault in err's chain, or wraps err in one without a place.
func Of(err error) *Fault {
	var f *Fault
	if errors.As(err, &f) {
		return f
	}
	return &Fault{Cause: err}
}

// Shorten cuts s to at most n runes for a message, marking the cut, and shows
// control characters visibly, so that a cell's line breaks cannot break the
// layout of a report or steer a terminal.
func Shorten(s string, n int) string {
	var b strings.Builder
	count := 0
	for _, r := range s {
		if count == n {
			b.WriteString("…")
			break
		}
		switch {
		case r == '\n':
			b.WriteString("⏎")
		case r < ' ' || r == 0x7f || (r >= 0x80 && r < 0xa0):
			b.WriteString("·")
		default:
			b.WriteRune(r)
		}
		count++
	}
	return b.String()
}

// Bare gives the innermost cause of a file's error, without the path, which
// the place of the fault has already; a temporary file's means nothing to
// anyone.
func Bare(err error) error {
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err
		}
		err = inner
	}
}
