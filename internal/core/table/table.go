// Package table is the shape every source is read into: typed cells in rows
// that know where they stand, under a header.
package table

import (
	"math"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
)

// Kind tells what a cell holds as its source stores it. A CSV file has only
// Empty and Text; a workbook has them all.
type Kind uint8

// The kinds of cell. The zero Kind is an empty cell.
const (
	Empty Kind = iota
	Text
	Number
	Date     // a day; Number counts days since 30 December 1899
	DateTime // a day and a time of day; Number as for Date, with a fraction
	Time     // a time of day; Number is a fraction of a day, 0 ≤ n < 1
	Duration // a length; Number is in days
	Bool
	Bad // an error value, or a formula that was never calculated
)

var kindNames = [...]string{"empty", "text", "number", "date", "date and time", "time of day", "length", "yes/no", "error"}

func (k Kind) String() string { return kindNames[k] }

// A Cell is one value. Text is what the source shows for it: the text itself,
// a number as displayed, a date in ISO form.
type Cell struct {
	Text   string
	Number float64
	Kind   Kind
	Struck bool // crossed out
	Shown  Part // of a date
}

// Part is what a source shows of a date that it stores.
type Part uint8

// The parts. The zero Part is all of it.
const (
	Whole     Part = iota
	NoClock        // the date, and not the time of day that goes with it
	ClockOnly      // the time of day
	NoYear         // day and month
	NoDay          // the month, with or without its year
	DayName        // the day of the week
)

var partNames = [...]string{"all", "no time of day", "time of day only", "no year", "no day", "day of the week"}

func (p Part) String() string { return partNames[p] }

// Filled tells whether the cell holds anything but white space.
func (c *Cell) Filled() bool {
	if c.Kind == Empty || c.Text == "" {
		return false
	}
	if first := c.Text[0]; first > ' ' && first < 0x80 { // nearly always
		return true
	}
	return strings.TrimSpace(c.Text) != ""
}

// Native tells whether the source itself stored the cell as a date or time.
func (c Cell) Native() bool { return c.Kind >= Date && c.Kind <= Duration }

// epoch is day 0 of spreadsheet dates, in seconds since 1970.
var epoch = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC).Unix()

// Seconds gives a Date or DateTime cell as wall-clock seconds since 1970, and
// a Time or Duration cell as its length in seconds; rounded to the second, as
// spreadsheets store seconds as inexact fractions.
func (c Cell) Seconds() int64 {
	s := int64(math.Round(c.Number * 86400))
	if c.Kind == Date || c.Kind == DateTime {
		s += epoch
	}
	return s
}

// NewTemporal gives the cell for a native date, time or length. days counts
// from 30 December 1899 for dates.
func NewTemporal(kind Kind, days float64) Cell {
	c := Cell{Kind: kind, Number: days}
	s := c.Seconds()
	switch kind {
	case Date:
		c.Text = time.Unix(s, 0).UTC().Format(time.DateOnly)
	case DateTime:
		layout := "2006-01-02T15:04"
		if s%60 != 0 {
			layout = "2006-01-02T15:04:05"
		}
		c.Text = time.Unix(s, 0).UTC().Format(layout)
	case Time, Duration:
		c.Text = clock(s)
	}
	return c
}

func clock(s int64) string {
	sign := ""
	if s < 0 {
		sign, s = "-", -s
	}
	two := func(n int64) string {
		if n < 10 {
			return "0" + strconv.FormatInt(n, 10)
		}
		return strconv.FormatInt(n, 10)
	}
	out := sign + two(s/3600) + ":" + two(s/60%60)
	if s%60 != 0 {
		out += ":" + two(s%60)
	}
	return out
}

// An Origin is where rows come from: the file, and the sheet or the message in
// it. Rows of one place share it.
type Origin struct {
	File, Sheet string
	From1904    bool      // the workbook counts dates from 1904
	Message     string    // Message-ID, for rows of a message
	Sent        time.Time // when the message was sent, in its sender's offset; zero for what is no message
}

// A Row is one record. It stays valid after the next one is read. What reads rows asks for
// Width and Cell; Cells is for those who make them.
type Row struct {
	Origin *Origin
	Number int32 // 1-based as a spreadsheet counts, header and titles included
	Line   int32 // 1-based physical line, text sources only
	Page   int32 // 1-based page, documents only
	width  uint16
	Hidden bool         // hidden in its sheet, and to be left out
	Cells  []Cell       // nil for a row of Rows
	Fault  *fault.Fault // set when the record could not be read; Cells may be short
	Span   int32        // columns of the one merged range that holds all it says; 0 where there is more
	from   uint32
	Under  string // the heading within the table that it stands under

	Evidence *Evidence // of a row that was read from running text; nil for others

	held *block // for a row of Rows: it has the row's cells, width of them, from the one called from on
}

// Evidence says what a row was read from, where it is no row of a table.
type Evidence struct {
	Text      string // the words as they stand
	Reading   []Reading
	Notes     []string     // what was assumed
	Course    []string     // of a thread of messages: a line for each
	Held      *fault.Fault // why the row is not to be loaded; nil for nothing
	Cancelled bool         // it takes an event back
}

// Reading is what some words of a text became.
type Reading struct {
	Text  string `json:"text"`
	Field string `json:"field"`
	Value string `json:"value"`
}

// Passed is a date in a text that belongs to no event.
type Passed struct {
	Place fault.Place
	Text  string
	Why   string
}

// Place gives where the row stands.
func (r *Row) Place() fault.Place {
	p := fault.Place{Row: int(r.Number), Line: int(r.Line), Page: int(r.Page)}
	if r.Evidence != nil { // its number only counts what was found
		p.Row = 0
	}
	if r.Origin != nil {
		p.File, p.Sheet, p.Message = r.Origin.File, r.Origin.Sheet, r.Origin.Message
	}
	return p
}

// Cell gives the cell in column i (from 0), empty when the row is shorter.
func (r *Row) Cell(i int) Cell {
	if i < 0 || i >= r.Width() {
		return Cell{}
	}
	if r.held != nil {
		return r.held.cell(r.from + uint32(i))
	}
	return r.Cells[i]
}

// Kind gives the kind of the cell in column i, Empty beyond the last.
func (r *Row) Kind(i int) Kind {
	switch {
	case i < 0 || i >= r.Width():
		return Empty
	case r.held != nil:
		return r.held.cells[r.from+uint32(i)].kind
	}
	return r.Cells[i].Kind
}

// Filled tells whether the cell in column i holds anything but white space.
func (r *Row) Filled(i int) bool {
	c := r.Cell(i)
	return c.Filled()
}

// Blank tells whether no cell of the row is filled.
func (r *Row) Blank() bool {
	for i := range r.Width() {
		if r.Filled(i) {
			return false
		}
	}
	return true
}

// counts tells whether the cell is a number too short for a day of any form.
func (c *Cell) counts() bool {
	text := strings.TrimSpace(c.Text)
	return len(text) <= 4 && strings.Trim(text, "0123456789") == ""
}

// A Header names the columns of a source in order; "" where a column has no
// heading.
type Header []string

// Find gives the index of the column called name, or -1. White space and case
// are forgiven when no column matches to the letter and just one does so.
func (h Header) Find(name string) int {
	loose, count := -1, 0
	want := fold(name)
	for i, n := range h {
		if n == name && n != "" {
			return i
		}
		if n != "" && fold(n) == want {
			loose = i
			count++
		}
	}
	if count != 1 {
		return -1
	}
	return loose
}

// All gives every column called name to the letter.
func (h Header) All(name string) (out []int) {
	for i, n := range h {
		if n == name && n != "" {
			out = append(out, i)
		}
	}
	return out
}

// fold is what two names of one column have in common.
func fold(s string) string {
	return strings.ToLower(strings.TrimRight(strings.Join(strings.Fields(s), " "), ": "))
}

// Label is how messages call column i: its heading, else its letter.
func (h Header) Label(i int) string {
	if i < len(h) && h[i] != "" {
		return strings.Join(strings.Fields(h[i]), " ")
	}
	return Letter(i)
}

// Names gives the headings that are not empty.
func (h Header) Names() []string {
	var out []string
	for _, n := range h {
		if n != "" {
			out = append(out, n)
		}
	}
	return out
}

// HeaderRows says where the names of the columns stand. The zero value is: to be
// found.
type HeaderRows struct {
	First, Last int  // rows as a spreadsheet counts; two rows make one name together
	None        bool // there is none; columns go by their letters
}

// ParseHeaderRows reads "4", "4-5" or "none".
func ParseHeaderRows(text string) (HeaderRows, bool) {
	if text == "" || text == "0" {
		return HeaderRows{}, true
	}
	if text == "none" {
		return HeaderRows{None: true}, true
	}
	low, high, two := strings.Cut(text, "-")
	first, err := strconv.Atoi(strings.TrimSpace(low))
	last := first
	if two && err == nil {
		last, err = strconv.Atoi(strings.TrimSpace(high))
	}
	if err != nil || first < 1 || last < first || last > first+3 {
		return HeaderRows{}, false
	}
	return HeaderRows{First: first, Last: last}, true
}

// Letter gives the spreadsheet letter of column i, counted from 0: A, Z, AA.
func Letter(i int) string {
	s := ""
	for i++; i > 0; i = (i - 1) / 26 {
		s = string(rune('A'+(i-1)%26)) + s
	}
	return s
}

// Index gives the column index of a spreadsheet letter, or -1.
func Index(letter string) int {
	n := 0
	for _, r := range strings.ToUpper(letter) {
		if r < 'A' || r > 'Z' || n > 1<<20 {
			return -1
		}
		n = n*26 + int(r-'A') + 1
	}
	return n - 1
}

// totals are the words a row begins with that only sums up others.
var totals = []string{"total", "totals", "grand total", "subtotal", "sub-total", "sum", "summe", "gesamt", "somme", "totale", "totaal", "suma", "soma"}

// Sums tells whether the row only sums up others: the first thing in it says
// so, alone.
func (r *Row) Sums() bool {
	word, rest := r.firstWord()
	return word && !rest
}

// SumsUp is Sums for a row without a key: something may follow the word.
func (r *Row) SumsUp() bool {
	word, _ := r.firstWord()
	return word
}

// Alone tells whether one cell of the row, at most, has more in it than a count:
// "Total calls" and 5, and nothing else.
func (r *Row) Alone() bool {
	n := 0
	for i := range r.Width() {
		c := r.Cell(i)
		if c.Filled() && !(n > 0 && c.counts()) {
			n++
		}
	}
	return n < 2
}

func (r *Row) firstWord() (total, rest bool) {
	for i := range r.Width() {
		c := r.Cell(i)
		if !c.Filled() {
			continue
		}
		if first := c.Text[0] | 0x20; first >= 'a' && first <= 'z' && first != 't' && first != 's' && first != 'g' { // no word of totals
			return false, false
		}
		text := strings.Trim(c.Text, ":. \t\r\n")
		for _, w := range totals {
			if len(text) < len(w) || text[0]|0x20 != w[0] || !strings.EqualFold(text[:len(w)], w) {
				continue
			}
			if len(text) == len(w) {
				return true, false
			}
			if next := text[len(w)]; next == ' ' || next == ':' {
				total, rest = true, true
			}
		}
		return total, rest
	}
	return false, false
}
