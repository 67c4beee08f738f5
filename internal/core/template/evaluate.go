package template

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/expr-lang/expr/vm"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
)

// Dates reads a column's date for the function dateform.
type Dates func(column int, row table.Row) (moment.Value, *fault.Fault)

// Evaluator evaluates templates and conditions over one row at a time. It
// remembers what expressions came to, and belongs to one goroutine.
type Evaluator struct {
	// Mark, where it is set, changes what columns and expressions give before
	// it is put into a text; the template's own text is left as it is.
	Mark func(string) string

	machine vm.VM
	env     surroundings
	row     table.Row
	dates   Dates
	inputs  []int  // columns that expressions read
	memos   []Memo // by program: what it gave for which cells
	key     []byte
}

// Evaluator gives an evaluator of what the compiler has compiled so far.
func (c *Compiler) Evaluator(dates Dates) *Evaluator {
	e := &Evaluator{dates: dates, inputs: slices.Sorted(maps.Keys(c.inputs)), memos: make([]Memo, c.programs)}
	e.env.Self = e
	width := 0
	for i := range c.used {
		width = max(width, i+1)
	}
	e.env.Row = make([]string, width)
	return e
}

// Used gives the columns that anything compiled so far names.
func (c *Compiler) Used() []int { return slices.Sorted(maps.Keys(c.used)) }

// Dated gives the columns that dateform reads.
func (c *Compiler) Dated() []int { return slices.Sorted(maps.Keys(c.dates)) }

// memoryBudget bounds what one expression may allocate, in the library's
// units of one element.
const memoryBudget = 10000

func (e *Evaluator) run(program *vm.Program) (out any, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("%v", r)
		}
	}()
	e.machine.MemoryBudget = memoryBudget
	return e.machine.Run(program, e.env)
}

// Load takes the row that is evaluated next.
func (e *Evaluator) Load(row table.Row) {
	e.row = row
	for _, i := range e.inputs {
		e.env.Row[i] = strings.TrimSpace(row.Cell(i).Text)
	}
}

// Met tells whether the row loaded meets a condition; a nil one is never met.
func (e *Evaluator) Met(c *Condition) (bool, *fault.Fault) {
	if c == nil {
		return false, nil
	}
	v, err := e.run(c.program)
	if err != nil {
		return false, fault.Newf("the condition %q fails here: %s", c.Text, firstLine(err))
	}
	b, _ := v.(bool)
	return b, nil
}

func firstLine(err error) string {
	line, _, _ := strings.Cut(err.Error(), "\n")
	return line
}

// Render gives a template's text for the row loaded. The space around empty
// columns is closed up, and what stands in brackets is gone when its columns
// are empty.
func (e *Evaluator) Render(t *Template) (string, *fault.Fault) {
	if len(t.parts) == 1 && t.parts[0].column >= 0 && e.Mark == nil {
		return e.cell(t.parts[0])
	}
	text, gap, f := e.join(t)
	if gap {
		text = closeUp(text)
	}
	return strings.TrimSpace(text), f
}

func (e *Evaluator) cell(p part) (string, *fault.Fault) {
	c := e.row.Cell(p.column)
	if c.Kind == table.Bad {
		f := fault.New(c.Text, "is an error value, or a formula that was never calculated").Do("open the workbook, let it calculate, and save it")
		f.Place.Column = p.label
		return "", f
	}
	return cellText(c), nil
}

// join puts a template's parts together, and tells whether one left a gap.
func (e *Evaluator) join(t *Template) (text string, gap bool, f *fault.Fault) {
	var b strings.Builder
	for _, p := range t.parts {
		part := p.literal
		switch {
		case p.column >= 0:
			part, f = e.cell(p)
		case p.program != nil:
			part, f = e.expression(p)
		case p.optional != nil:
			var inner bool
			if part, inner, f = e.join(p.optional); f != nil {
				return "", false, f
			}
			if inner && !e.says(p.optional) {
				part = ""
			}
			gap = gap || inner && part == ""
			b.WriteString(part)
			continue
		default:
			b.WriteString(part)
			continue
		}
		if f != nil {
			return "", false, f
		}
		gap = gap || part == ""
		if e.Mark != nil {
			part = e.Mark(part)
		}
		b.WriteString(part)
	}
	return b.String(), gap, f
}

// expression gives what a program makes of the row, remembered from an earlier
// row whose cells were the same.
func (e *Evaluator) expression(p part) (string, *fault.Fault) {
	e.key = e.key[:0]
	for _, i := range p.inputs {
		e.key = append(append(e.key, e.env.Row[i]...), 0)
	}
	m := &e.memos[p.number]
	if s, ok := m.Get(e.key); ok {
		return s, nil
	}
	v, err := e.run(p.program)
	if err != nil {
		return "", fault.Newf("{%s} fails here: %s", p.label, firstLine(err))
	}
	s := text(v)
	if len(s) > longest {
		return "", fault.Newf("{%s} gives a text of %d characters; the limit is %d", p.label, len(s), longest)
	}
	m.Put(e.key, s)
	return s, nil
}

// says tells whether any column or expression of the template gives something.
func (e *Evaluator) says(t *Template) bool {
	for _, p := range t.parts {
		switch {
		case p.column >= 0 && e.row.Filled(p.column):
			return true
		case p.program != nil:
			if s, f := e.expression(p); f == nil && s != "" {
				return true
			}
		case p.optional != nil && e.says(p.optional):
			return true
		}
	}
	return false
}

// closeUp makes one space of several in a row, and takes the space before the
// end of a line away.
func closeUp(s string) string {
	for strings.Contains(s, "  ") {
		s = strings.ReplaceAll(s, "  ", " ")
	}
	return strings.ReplaceAll(s, " \n", "\n")
}

// cellText is what a template shows of a cell.
func cellText(c table.Cell) string { return strings.TrimSpace(c.Text) }
