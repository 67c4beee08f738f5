// Package sheet is what a format of source files gives: a book of sheets, each
// read as raw rows, titles and header included. A workbook has several sheets,
// a web page one for each table, most formats just one without a name.
package sheet

import (
	"errors"
	"fmt"
	"io/fs"
	"strconv"
	"time"
	"unicode/utf8"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// Raw gives every row of a sheet. Next ends with io.EOF.
type Raw interface {
	Next() (table.Row, error)
	Origin() *table.Origin
	About(*About)
	Hidden(column int) bool // known from the first row on
	Close() error
}

// Named is a Raw whose columns have names of their own, so that no header is
// looked for.
type Named interface{ Names() table.Header }

// Book is a file opened: its sheets, and a way to read each of them.
type Book interface {
	Sheets() []Info
	Open(i int) (Raw, error)
	Close() error
}

// Info is what a book says of a sheet.
type Info struct {
	Name   string // "" where sheets have no names
	Hidden bool
}

// Plain is embedded by formats that hide no columns.
type Plain struct{}

// Hidden implements Raw.
func (Plain) Hidden(int) bool { return false }

// Single is a book of one sheet without a name.
type Single struct {
	Start func() (Raw, error)
	End   func() error
}

// Sheets implements Book.
func (Single) Sheets() []Info { return []Info{{}} }

// Open implements Book.
func (s Single) Open(int) (Raw, error) { return s.Start() }

// Close implements Book.
func (s Single) Close() error { return s.End() }

// About is what can be said of a table besides its rows. What is counted on
// the way is complete once Next has ended.
type About struct {
	Format        string // what the file is, such as "CSV, semicolons, Windows-1252"
	HeaderFirst   int    // row of the header, 0 without one
	HeaderLast    int
	Why           string   // how the header was found
	HiddenRows    int      // left out unless asked for
	HiddenColumns []string // likewise
	Merged        int      // merged ranges
	Notes         []string
	More          string         // what says that there are more rows than it has, so that none is gone for not being there
	Years         []YearNote     // what titles say of the year of its dates; one of each table for several that are joined
	Zones         []ZoneNote     // what titles and notes say of the zone of its times; one of each table for several that are joined
	LastDay       bool           // the ends of its all-day events are their last days, for certain
	Running       bool           // its rows were read from running text
	Passed        []table.Passed // dates in the text that belong to no event
}

// Severed is a Raw that can tell, once Next has ended, that its file ends before its table
// does.
type Severed interface{ Severed() bool }

// CutOff gives the fault of the last row of a file that ends within it: it has n values, and
// the rows before have more.
func CutOff(row *table.Row, n, of int) *fault.Fault {
	return fault.Newf("the file ends in the middle of this row: it has %d of %d values", n, of).Do("get the whole file, or complete the row").At(row.Place())
}

// ZoneNote is what a title or a note of a table says of the zone of its times. The zero
// ZoneNote is that of one that says nothing.
type ZoneNote struct {
	Row  int
	Text string
	Zone string // as zone.Stated gives it
}

// YearNote is what a title says of the year of the dates below it. The zero YearNote is that of
// one that says nothing.
type YearNote struct {
	Text string
	Year int // as moment.StatedYear gives it
}

// Options say which part of a file is the table. The zero value lets the file
// tell.
type Options struct {
	Name     string // how messages call the file; "" for its path
	Sheet    string // name, or number from 1; "" for the first that holds a table
	Instead  bool   // the file stands in for another: one without sheets is taken for the sheet
	Ask      bool   // refuse to choose between several sheets that are tables
	All      bool   // every sheet, one below the other, with the sheet's name as a column
	Range    string // cells of the sheet, such as B4:H30; "" for all of it
	Header   table.HeaderRows
	FillDown []string   // columns whose empty cells take the value above them
	Hidden   bool       // hidden rows and columns are read like any other
	Records  string     // where the records are in a JSON document, such as data.bookings
	Zones    ical.Zones // for calendars read as sources
	Text     Text       // for documents and messages

	Budget *Budget // what reading may cost; never nil below source.Open
}

// Text says how running text is read.
type Text struct {
	Read    string    // tables, text; "" for both
	Free    bool      // no column is the key, so that text is read, with what tables it has among it
	Present time.Time // today
	Year    int       // of dates without one; 0 where the text tells
	Order   int       // of day and month in 05/03: 1 day first, 2 month first, 0 where the text tells
	Next    string    // what "next Friday" means: coming, following, "" to be asked
	Home    *zone.Zone
}

// Limits of single cells, rows and sheets.
const (
	MaxCell    = 256 << 10 // bytes of one value of a text; what is longer is most often a quote that was never closed
	MaxRows    = 1 << 20   // of a workbook's sheet
	MaxColumns = 1 << 14   // of a workbook's sheet
)

// Count reads how often something is repeated, or how many cells it spans; once
// where it does not say.
func Count(attr []byte) int {
	if n, err := strconv.Atoi(string(attr)); err == nil && n > 0 {
		return n
	}
	return 1
}

// TooLong is the fault of a cell that is longer than its format can have.
func TooLong(text string, limit int, unit string) *fault.Fault {
	return fault.New(fault.Shorten(text, 40), fmt.Sprintf("is %d characters long; the limit is %d %s", utf8.RuneCountInString(text), limit, unit)).Do("shorten it, or look for a quote that is not closed")
}

// CellTooLong is TooLong for a value of a text.
func CellTooLong(text string) *fault.Fault {
	return TooLong(text, MaxCell>>10, "KiB, the most a value can have")
}

// Unreadable is the fault of a file that cannot be read.
func Unreadable(name string, err error) *fault.Fault {
	at := fault.Place{File: name}
	if errors.Is(err, fs.ErrPermission) {
		return fault.Newf("the file may not be read").At(at).Do("ask for permission to read it")
	}
	return fault.Newf("the file cannot be read: %w", err).At(at)
}

// Block hands out slices of cells from larger blocks, so that a sheet of a
// hundred thousand rows does not cost as many allocations.
type Block struct{ free []table.Cell }

// Take gives a copy of cells.
func (b *Block) Take(cells []table.Cell) []table.Cell {
	if len(cells) > len(b.free) {
		b.free = make([]table.Cell, max(4096, len(cells)))
	}
	out := b.free[:len(cells):len(cells)]
	b.free = b.free[len(cells):]
	copy(out, cells)
	return out
}
