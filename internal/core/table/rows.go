package table

import (
	"encoding/binary"
	"iter"
	"math"
	"slices"
	"unsafe"

	"almanach/internal/core/fault"
)

// Rows holds all rows of a source in little memory: eight octets for a cell, besides its
// text, which equal cells near each other share. It holds no pointers to cells, so that a
// collection of garbage has nothing to follow in it. The zero value holds none. Rows may be
// read by several goroutines once the last one is added.
type Rows struct {
	blocks []*block
	count  int
	before room // of the last block that was taken
}

// room is what a block took, and the next one is likely to take.
type room struct {
	cells, text int
	lately      []packed
}

// The rows of a block; a power of two, so that finding one is no division.
const (
	blockShift = 12
	blockRows  = 1 << blockShift
)

type block struct {
	origin *Origin  // of all rows but the odd ones
	of     []*block // those of which rows were taken over, with their cells
	heads  []head
	cells  []packed
	text   []byte   // never written again where a cell has a part of it
	odd    []Row    // rows of which more is to be said than a head holds
	struck bool     // some cell is crossed out
	lately []packed // texts that a cell may share, by a part of their hash; nil for a full block
}

// head is a row; twenty octets.
type head struct {
	number, line int32
	from         uint32 // its first cell
	width        uint16
	odd          uint16 // index into the block's odd rows, counted from 1; 0 for none
	of           uint8  // index of the block that has its cells, counted from 1; 0 for its own
}

// packed is a cell; eight octets.
type packed struct {
	at   uint32 // where its text begins; its Number stands before that
	size uint16
	kind Kind
	more uint8 // hasNumber, isStruck, and Shown from shownShift on
}

const (
	hasNumber  = 1
	isStruck   = 2
	shownShift = 2

	numberSize = 8
	shared     = 1 << 11 // texts that a block compares with: enough for the days and the names of a column
)

// Hold gives the rows, held.
func Hold(rows ...Row) (out Rows) {
	for i := range rows {
		out.Add(rows[i])
	}
	return out
}

// Len gives the number of rows.
func (r *Rows) Len() int { return r.count }

// All goes through the rows in order.
func (r *Rows) All() iter.Seq2[int, Row] {
	return func(yield func(int, Row) bool) {
		for i := range r.count {
			if !yield(i, r.At(i)) {
				return
			}
		}
	}
}

// At gives row i, from 0. Its cells are read with Cell: its Cells are nil.
func (r *Rows) At(i int) Row {
	b := r.blocks[i>>blockShift]
	h := &b.heads[i&(blockRows-1)]
	if h.odd != 0 {
		return b.odd[h.odd-1]
	}
	held := b
	if h.of != 0 {
		held = b.of[h.of-1]
	}
	return Row{Origin: b.origin, Number: h.number, Line: h.line, held: held, from: h.from, width: h.width}
}

// Filled tells whether any row has something in the column, from 0.
func (r *Rows) Filled(column int) bool {
	for i := range r.count {
		if row := r.At(i); row.Filled(column) {
			return true
		}
	}
	return false
}

// Place gives where row i stands.
func (r *Rows) Place(i int) fault.Place {
	row := r.At(i)
	return row.Place()
}

// Forget gives up rows before row i, which are not asked for any more.
func (r *Rows) Forget(i int) {
	for n := i>>blockShift - 1; n >= 0 && r.blocks[n] != nil; n-- {
		r.blocks[n] = nil
	}
}

// BlockRows is how many rows Strip works on at once.
const BlockRows = blockRows

// stripped is where the cells of a row would begin whose cells were given up: in no block.
const stripped = math.MaxUint32 - math.MaxUint16

// Strip gives up the cells of up to BlockRows rows from row i on, a multiple of that, but for
// those of rows to be kept: what the others say besides can still be asked for, and asking for
// a cell of theirs panics. It may be called while other goroutines read other rows.
func (r *Rows) Strip(i int, keep func(i int) bool) {
	b := r.blocks[i>>blockShift]
	if len(b.odd) > 0 { // they have cells of their own
		return
	}
	out := &block{origin: b.origin, heads: make([]head, 0, len(b.heads)), struck: b.struck}
	for n := range b.heads {
		h := head{number: b.heads[n].number, line: b.heads[n].line, from: stripped, width: b.heads[n].width}
		if keep(i + n) {
			row := r.At(i + n)
			if out.lately == nil {
				out.lately = make([]packed, shared)
			}
			if out.copy(&row); row.held != out {
				return
			}
			h.from = row.from
		}
		out.heads = append(out.heads, h)
	}
	out.lately = nil
	r.blocks[i>>blockShift] = out
}

// Take gives the rows and leaves none. What was taken may be read by another goroutine while
// more are added.
func (r *Rows) Take() Rows {
	out := Rows{blocks: r.blocks, count: r.count}
	*r = Rows{before: r.before}
	if n := len(out.blocks); n > 0 {
		last := out.blocks[n-1]
		r.before = last.leave()
	}
	return out
}

// Add adds a row. It keeps nothing of the row's Cells; those of a row of other Rows it takes over.
func (r *Rows) Add(row Row) {
	if r.count&(blockRows-1) == 0 {
		b := &block{origin: row.Origin}
		last := r.before
		if n := len(r.blocks); n > 0 {
			last = r.blocks[n-1].leave()
		}
		if last.lately == nil {
			b.lately = make([]packed, shared)
		} else {
			b.heads, b.cells, b.text = make([]head, 0, blockRows), make([]packed, 0, last.cells), make([]byte, 0, last.text+last.text/16)
			b.lately = last.lately
			clear(b.lately)
		}
		r.blocks = append(r.blocks, b)
	}
	r.blocks[len(r.blocks)-1].add(row)
	r.count++
}

// leave gives what a full block took, and what it has no use for any more.
func (b *block) leave() room {
	out := room{len(b.cells), len(b.text), b.lately}
	b.lately = nil
	return out
}

func (b *block) add(row Row) {
	h := head{number: row.Number, line: row.Line, from: row.from, width: row.width, of: b.taken(row.held)}
	if h.of == 0 {
		b.copy(&row)
		h.from, h.width = row.from, row.width
	}
	if !row.same(Row{Origin: b.origin, Number: row.Number, Line: row.Line}) {
		b.odd = append(b.odd, row)
		h.odd = uint16(len(b.odd))
	}
	b.heads = append(b.heads, h)
}

// taken gives the index of a block of which rows are taken over, counted from 1; 0 for none, and
// where there are too many.
func (b *block) taken(held *block) uint8 {
	n := len(b.of)
	switch {
	case held == nil:
		return 0
	case n > 0 && b.of[n-1] == held:
	case n == math.MaxUint8:
		return 0
	default:
		b.of = append(b.of, held)
	}
	return uint8(len(b.of))
}

// copy has the block hold a copy of the row's cells.
func (b *block) copy(row *Row) {
	cells, from := row.Cells, len(b.cells)
	if row.held != nil {
		cells = row.AppendCells(make([]Cell, 0, row.width))
	}
	for i := range cells {
		if len(cells) > math.MaxUint16 || !b.pack(&cells[i]) { // far more than a source may have
			b.cells = b.cells[:from]
			row.Cells, row.held, row.from, row.width = slices.Clone(cells), nil, 0, 0
			return
		}
	}
	row.Cells, row.held, row.from, row.width = nil, b, uint32(from), uint16(len(cells))
}

// same tells whether a held row is the same as another in all but its cells.
func (r *Row) same(other Row) bool {
	return r.Origin == other.Origin && r.Number == other.Number && r.Line == other.Line && r.Page == other.Page && r.Cells == nil &&
		r.Fault == other.Fault && r.Hidden == other.Hidden && r.Span == other.Span && r.Under == other.Under && r.Evidence == other.Evidence
}

// pack adds a cell, and tells whether there is room for it.
func (b *block) pack(c *Cell) bool {
	p := packed{size: uint16(len(c.Text)), kind: c.Kind, more: uint8(c.Shown) << shownShift}
	if c.Struck {
		p.more |= isStruck
		b.struck = true
	}
	if c.Number != 0 || math.Signbit(c.Number) {
		p.more |= hasNumber
	}
	if len(c.Text) > math.MaxUint16 || uint64(len(b.text)+numberSize+len(c.Text)) > math.MaxUint32 {
		return false
	}
	if len(c.Text) == 0 && p.more&hasNumber == 0 {
		b.cells = append(b.cells, p)
		return true
	}
	seen := &b.lately[hash(c.Text)%shared]
	if seen.size == p.size && (seen.more^p.more)&hasNumber == 0 && b.textOf(*seen) == c.Text && (p.more&hasNumber == 0 || math.Float64bits(b.number(*seen)) == math.Float64bits(c.Number)) {
		p.at = seen.at
		b.cells = append(b.cells, p)
		return true
	}
	if p.more&hasNumber != 0 {
		b.text = binary.LittleEndian.AppendUint64(b.text, math.Float64bits(c.Number))
	}
	p.at = uint32(len(b.text))
	b.text = append(b.text, c.Text...)
	b.cells = append(b.cells, p)
	*seen = p
	return true
}

// hash tells most texts apart, at little cost: it looks at both ends.
func hash(s string) uint32 {
	n := len(s)
	h := uint64(n)
	if n >= 8 {
		first, last := unsafe.Slice(unsafe.StringData(s), n)[:8], unsafe.Slice(unsafe.StringData(s), n)[n-8:]
		h += binary.LittleEndian.Uint64(first) ^ binary.LittleEndian.Uint64(last)*0x9E3779B97F4A7C15
	} else {
		for i := range n {
			h = h<<8 | uint64(s[i])
		}
	}
	return uint32(h * 0x9E3779B97F4A7C15 >> 40)
}

// textOf gives the text of a cell. It is a part of the block's text.
func (b *block) textOf(p packed) string {
	if p.size == 0 {
		return ""
	}
	return unsafe.String(&b.text[p.at], int(p.size))
}

func (b *block) cell(i uint32) Cell {
	p := b.cells[i]
	c := Cell{Text: b.textOf(p), Kind: p.kind, Struck: p.more&isStruck != 0, Shown: Part(p.more >> shownShift)}
	if p.more&hasNumber != 0 {
		c.Number = b.number(p)
	}
	return c
}

func (b *block) number(p packed) float64 {
	return math.Float64frombits(binary.LittleEndian.Uint64(b.text[p.at-numberSize:]))
}

// Width gives the number of cells.
func (r *Row) Width() int {
	if r.held != nil {
		return int(r.width)
	}
	return len(r.Cells)
}

// AppendCells appends the cells to a slice.
func (r *Row) AppendCells(to []Cell) []Cell {
	for i := range r.Width() {
		to = append(to, r.Cell(i))
	}
	return to
}

// Size gives the number of cells, and of the octets of their texts.
func (r *Row) Size() (cells, text int) {
	if r.held == nil {
		for i := range r.Cells {
			text += len(r.Cells[i].Text)
		}
		return len(r.Cells), text
	}
	for _, p := range r.held.cells[r.from:][:r.width] {
		text += int(p.size)
	}
	return int(r.width), text
}

// Opened gives the row with its cells in Cells.
func (r *Row) Opened() Row {
	if r.held == nil {
		return *r
	}
	return r.With(r.AppendCells(make([]Cell, 0, r.width)))
}

// With gives the row with other cells.
func (r *Row) With(cells []Cell) Row {
	out := *r
	out.Cells, out.held, out.from, out.width = cells, nil, 0, 0
	return out
}

// Struck tells whether a cell of the row is crossed out.
func (r *Row) Struck() bool {
	if r.held != nil && !r.held.struck {
		return false
	}
	for i := range r.Width() {
		if r.Cell(i).Struck {
			return true
		}
	}
	return false
}
