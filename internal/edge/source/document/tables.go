package document

import (
	"slices"
	"strings"

	"almanach/internal/core/notice"
	"almanach/internal/core/table"
)

// nest is the tables that are open, in each other, while a document of paragraphs is read.
type nest struct {
	open []*grid
	out  *[]Part // of the document
}

// grid is a table under way.
type grid struct {
	Table
	row     []table.Cell
	cell    bool // a cell is open
	wide    int  // columns of the cell
	high    int  // rows of it
	down    bool // the cell goes on with the one above
	covered int  // cells that the one before them in the row still covers
	repeat  int  // more cells that say the same
	tall    map[int]tallCell

	texts  []notice.Line // its paragraphs, in their order
	gone   []notice.Line // what is crossed out of its cells beside something else
	within int           // paragraphs of the cell
	headed bool          // a heading is in the cell
	full   bool          // a cell has headings, or items, or many paragraphs
	layout bool          // it only lays out what is in it: its paragraphs are of the document
}

// tallCell is a cell over several rows.
type tallCell struct {
	cell table.Cell
	rows int // that it still reaches into
}

func (s *nest) top() *grid {
	if len(s.open) == 0 {
		return nil
	}
	return s.open[len(s.open)-1]
}

// begin begins a table. One that has another in it is the layout of a page.
func (s *nest) begin(line int) {
	if outer := s.top(); outer != nil && !outer.layout {
		s.lay(outer)
	}
	s.open = append(s.open, &grid{Table: Table{Line: line}})
}

// lay gives the paragraphs of a table to the document.
func (s *nest) lay(g *grid) {
	for _, l := range g.texts {
		*s.out = append(*s.out, Part{Line: l})
	}
	g.texts, g.layout = nil, true
}

// take takes a paragraph into the cell that is open. It tells whether there is one.
func (s *nest) take(l notice.Line) bool {
	g := s.top()
	if g == nil || g.layout || !g.cell || len(g.row) == 0 {
		return false
	}
	if l.Text == "" {
		return true
	}
	if l.Gone != "" {
		g.gone = append(g.gone, notice.Line{Gone: l.Gone, Number: l.Number})
	}
	last := &g.row[len(g.row)-1]
	struck := l.Struck
	if last.Filled() {
		struck = struck && last.Struck
	}
	*last = Text(strings.TrimSpace(last.Text + " " + strings.Join(strings.Fields(l.Text), " ")))
	last.Struck = struck
	g.within++
	g.headed = l.Level > 0 || g.headed && g.within > 1
	g.full = g.full || g.headed && g.within > 1 || g.within > 2
	g.texts = append(g.texts, l)
	return true
}

// beginCell begins a cell over some columns and rows.
func (s *nest) beginCell(wide, high int) {
	g := s.top()
	if g == nil {
		return
	}
	g.reach()
	if wide > 1 {
		g.widen(len(g.row))
	}
	g.row, g.wide, g.high, g.cell, g.within, g.down = append(g.row, table.Cell{}), wide, high, true, 0, false
	g.repeat = 0
}

// endCell ends a cell: what it covers to its right is empty, what it covers below says the
// same.
func (s *nest) endCell() {
	g := s.top()
	if g == nil || !g.cell || len(g.row) == 0 {
		return
	}
	g.cell = false
	at := len(g.row) - 1
	if g.down && len(g.Rows) > 0 {
		if above := g.Rows[len(g.Rows)-1]; at < len(above) && !g.row[at].Filled() {
			g.row[at] = above[at]
		}
	}
	if g.wide > 1 {
		g.widen(at)
	}
	for range g.wide - 1 {
		g.row = append(g.row, table.Cell{})
	}
	for range g.repeat {
		g.row = append(g.row, g.row[at])
	}
	for n := range g.wide {
		if g.high > 1 {
			if g.tall == nil {
				g.tall = map[int]tallCell{}
			}
			g.tall[at+n] = tallCell{g.row[at+n], g.high - 1}
		}
	}
}

// reach puts the cells of the rows above that reach down into this one at the end of it.
func (g *grid) reach() {
	for {
		t, ok := g.tall[len(g.row)]
		if !ok {
			return
		}
		if t.rows--; t.rows == 0 {
			delete(g.tall, len(g.row))
		} else {
			g.tall[len(g.row)] = t
		}
		g.row = append(g.row, t.cell)
	}
}

// endRow ends a row, which is that of a line. It tells whether there was anything in it.
func (s *nest) endRow(line int) bool {
	g := s.top()
	if g == nil {
		return false
	}
	s.endCell()
	if len(g.row) > 0 {
		g.reach()
	}
	row := g.row
	g.row, g.covered = nil, 0
	if len(row) == 0 || g.layout {
		return false
	}
	g.Rows, g.Lines = append(g.Rows, row), append(g.Lines, line)
	return true
}

// end ends a table, and gives it, or what it lays out, to the document.
func (s *nest) end() {
	g := s.top()
	if g == nil {
		return
	}
	s.open = s.open[:len(s.open)-1]
	wide := 0
	for _, row := range g.Rows {
		wide = max(wide, len(row))
	}
	switch {
	case g.layout:
	case wide < 2 || len(g.Rows) < 2 || g.full && len(g.Rows) < 4 && !slices.ContainsFunc(g.Rows, func(row []table.Cell) bool { return filled(row) > 3 }):
		s.lay(g)
	default:
		t := g.Table
		*s.out = append(*s.out, Part{Table: &t})
		for _, l := range g.gone {
			*s.out = append(*s.out, Part{Line: l})
		}
	}
}

func filled(row []table.Cell) (n int) {
	for _, c := range row {
		if c.Filled() {
			n++
		}
	}
	return n
}
