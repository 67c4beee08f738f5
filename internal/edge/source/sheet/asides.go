package sheet

import (
	"cmp"
	"slices"
	"strings"

	"almanach/internal/core/fault"
)

// Talkative is a Raw that can say something outside of its cells. It is complete once Next
// has ended.
type Talkative interface{ Asides() *Asides }

// Where a sheet says something outside of its cells.
const (
	Note    = "note"     // pinned to a cell
	TextBox = "text box" // lies on the sheet
	Margin  = "margin"   // printed above or below each page
	Hint    = "hint"     // shown to who fills a cell in
)

// Aside is one thing that a sheet says outside of its cells.
type Aside struct {
	Where string
	Cell  string // of a note
	Text  string // on one line

	column, row int // of the cell; row 0 for none
}

// Row is the row of the cell that a note is pinned to, 0 for none.
func (a *Aside) Row() int { return a.row }

// Asides are what a sheet says outside of its cells. The zero value is nothing.
type Asides struct {
	List  []Aside // each text once
	Fault *fault.Fault
	Many  bool // there are more
}

const maxAsides = 2_000

// Add adds a text, unless it is blank or there already.
func (a *Asides) Add(where, cell, text string) {
	one := Aside{Where: where, Cell: cell, Text: strings.Join(strings.Fields(text), " ")}
	one.column, one.row, _ = parseRef(cell)
	switch {
	case one.Text == "" || where != Note && slices.Contains(a.List, one):
	case len(a.List) == maxAsides:
		a.Many = true
	default:
		a.List = append(a.List, one)
	}
}

// Failed notes that some of it could not be read.
func (a *Asides) Failed(f *fault.Fault) { a.Fault = cmp.Or(a.Fault, f) }

// At gives the texts of one place, those of notes in the order of the sheet.
func (a *Asides) At(where string) (out []Aside) {
	for _, one := range a.List {
		if one.Where == where {
			out = append(out, one)
		}
	}
	slices.SortStableFunc(out, func(a, b Aside) int { return cmp.Or(a.row-b.row, a.column-b.column) })
	return out
}
