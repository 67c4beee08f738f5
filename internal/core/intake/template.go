package intake

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/file"
	"github.com/expr-lang/expr/vm"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// Template is a compiled template: texts, columns and expressions in turn.
type Template struct {
	parts []part
	text  string
}

type part struct {
	literal string
	column  int // -1 when the part is no column
	program *vm.Program
	label   string // what stands in the braces
}

// Condition is a compiled condition over a row.
type Condition struct {
	program *vm.Program
	Text    string
}

// compiler compiles templates against one header.
type compiler struct {
	header table.Header
	used   map[int]bool // columns met
	cells  bool         // an expression was met, so rows must be given as texts
}

// unknown says why column did not find a name.
func (c *compiler) unknown(name string) *fault.Fault {
	name = strings.TrimSpace(name)
	if twice := c.header.All(name); len(twice) > 1 {
		letters := make([]string, len(twice))
		for n, i := range twice {
			letters[n] = table.Letter(i)
		}
		return fault.New(name, "names "+strconv.Itoa(len(twice))+" columns, "+strings.Join(letters, " and ")).Do("name the one that is meant by its letter: {@%s}", letters[0])
	}
	return fault.Unknown("column", name, c.header.Names())
}

// column finds what a template calls a column: a heading, or @ and a letter.
// It gives -1 for a name that no column has, or more than one.
func (c *compiler) column(name string) int {
	name = strings.TrimSpace(name)
	i := c.header.Find(name)
	if len(c.header.All(name)) > 1 {
		return -1
	}
	if letter, ok := strings.CutPrefix(name, "@"); ok && i < 0 {
		if i = table.Index(letter); i >= max(len(c.header), 1<<14) {
			i = -1
		}
	}
	if i >= 0 {
		c.used[i] = true
	}
	return i
}

func (c *compiler) template(t template) (*Template, *fault.Fault) {
	out := &Template{text: t.text}
	literal := func(s string) {
		if s != "" {
			out.parts = append(out.parts, part{literal: s, column: -1})
		}
	}
	rest, offset := t.text, 0
	for rest != "" {
		open := strings.IndexAny(rest, "{}")
		if open < 0 {
			break
		}
		if strings.HasPrefix(rest[open:], "{{") || strings.HasPrefix(rest[open:], "}}") { // a brace itself
			literal(rest[:open+1])
			rest, offset = rest[open+2:], offset+open+2
			continue
		}
		if rest[open] == '}' {
			return nil, t.at.Fault(offset+open, "a } closes nothing").Do("write }} for a brace itself")
		}
		literal(rest[:open])
		inner, ok := closing(rest[open+1:])
		if !ok {
			return nil, t.at.Fault(offset+open, "a { is not closed")
		}
		p, f := c.part(t, offset+open+1, inner)
		if f != nil {
			return nil, f
		}
		out.parts = append(out.parts, p)
		n := open + 1 + len(inner) + 1
		rest, offset = rest[n:], offset+n
	}
	literal(rest)
	return out, nil
}

// closing gives what stands before the brace that closes, minding quotes.
func closing(s string) (string, bool) {
	var quote byte
	depth := 0
	for i := range len(s) {
		switch c := s[i]; {
		case quote != 0:
			if c == quote && s[i-1] != '\\' {
				quote = 0
			}
		case c == '"' || c == '`':
			quote = c
		case c == '{':
			depth++
		case c == '}' && depth > 0:
			depth--
		case c == '}':
			return s[:i], true
		}
	}
	if i := strings.IndexByte(s, '}'); i >= 0 { // a quote in a heading
		return s[:i], true
	}
	return "", false
}

func (c *compiler) part(t template, offset int, inner string) (part, *fault.Fault) {
	if i := c.column(inner); i >= 0 {
		return part{column: i, label: c.header.Label(i)}, nil
	}
	if plainName(inner) {
		u := c.unknown(inner)
		f := t.at.Fault(offset, "%s", u.Cause)
		f.Value, f.Quoted, f.Advice = strings.TrimSpace(inner), true, u.Advice
		return part{}, f
	}
	program, f := c.expression(template{text: inner, at: t.at}, offset, expr.AsAny())
	return part{column: -1, program: program, label: inner}, f
}

// plainName tells whether a text in braces can only have been meant as a
// heading.
func plainName(s string) bool {
	return !strings.ContainsAny(s, "()\"'`+*?:|=<>[]!&") || strings.TrimSpace(s) == ""
}

// cells is all that an expression can see: the row's texts.
type cells struct {
	Row []string `expr:"__row"`
}

// maxNodes bounds the size of an expression.
const maxNodes = 400

func (c *compiler) expression(t template, offset int, kind expr.Option) (program *vm.Program, problem *fault.Fault) {
	defer func() {
		if r := recover(); r != nil { // the library must not take the program down
			problem = t.at.Fault(offset, "the expression cannot be understood: %v", r)
		}
	}()
	patch := &columnPatch{compiler: c}
	options := []expr.Option{expr.Env(cells{}), expr.Patch(patch), expr.MaxNodes(maxNodes), kind}
	for _, name := range unbounded {
		options = append(options, expr.DisableBuiltin(name))
	}
	program, err := expr.Compile(t.text, options...)
	if patch.fault != nil {
		f := t.at.Fault(offset+patch.at, "%s", patch.fault.Cause)
		f.Value, f.Quoted, f.Advice = patch.fault.Value, true, patch.fault.Advice
		return nil, f
	}
	if err != nil {
		at, message := offset, err.Error()
		if e, ok := err.(*file.Error); ok {
			at, message = offset+e.Column, e.Message
		}
		return nil, t.at.Fault(at, "%q is no expression: %s", t.text, message)
	}
	c.cells = true
	return program, nil
}

// unbounded are the library's functions that read the clock or can loop
// longer than a row is worth.
var unbounded = []string{"now", "timezone", "repeat", "all", "none", "any", "one", "filter", "map", "find", "findIndex", "findLast", "findLastIndex", "count", "groupBy", "sortBy", "reduce", "sum", "date", "duration", "fromJSON", "toJSON", "flatten", "uniq", "concat", "sort", "permutations"}

// columnPatch puts columns in the place of their names.
type columnPatch struct {
	compiler *compiler
	fault    *fault.Fault
	at       int
}

// Visit implements ast.Visitor.
func (p *columnPatch) Visit(node *ast.Node) {
	name, where := "", 0
	switch n := (*node).(type) {
	case *ast.IdentifierNode:
		if n.Value == "__row" || n.Value == "col" {
			return
		}
		name, where = n.Value, n.Location().From
	case *ast.CallNode:
		callee, ok := n.Callee.(*ast.IdentifierNode)
		if !ok || callee.Value != "col" || len(n.Arguments) != 1 {
			return
		}
		s, ok := n.Arguments[0].(*ast.StringNode)
		if !ok {
			return
		}
		name, where = s.Value, s.Location().From
	default:
		return
	}
	i := p.compiler.column(name)
	if i < 0 {
		if p.fault == nil {
			p.fault, p.at = p.compiler.unknown(name), where
		}
		return
	}
	ast.Patch(node, &ast.MemberNode{Node: &ast.IdentifierNode{Value: "__row"}, Property: &ast.IntegerNode{Value: i}})
}

func (c *compiler) condition(t template) (*Condition, *fault.Fault) {
	if t.text == "" {
		return nil, nil
	}
	program, f := c.expression(t, 0, expr.AsBool())
	if f != nil {
		return nil, f
	}
	return &Condition{program: program, Text: t.text}, nil
}

// evaluator runs programs over one row at a time.
type evaluator struct {
	machine vm.VM
	env     cells
}

// memoryBudget bounds what one expression may allocate, in the library's
// units of one element.
const memoryBudget = 10000

func (e *evaluator) run(program *vm.Program) (out any, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("%v", r)
		}
	}()
	e.machine.MemoryBudget = memoryBudget
	return e.machine.Run(program, e.env)
}

// load takes over a row's texts.
func (e *evaluator) load(row table.Row, width int) {
	for len(e.env.Row) < width {
		e.env.Row = append(e.env.Row, "")
	}
	for i := range e.env.Row {
		e.env.Row[i] = strings.TrimSpace(row.Cell(i).Text)
	}
}

func (e *evaluator) met(c *Condition) (bool, *fault.Fault) {
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

// render gives a template's text for a row, with the space around empty
// columns closed up.
func (e *evaluator) render(t *Template, row table.Row) (string, *fault.Fault) {
	var b strings.Builder
	for _, p := range t.parts {
		switch {
		case p.column >= 0:
			c := row.Cell(p.column)
			if c.Kind == table.Bad {
				f := fault.New(c.Text, "is an error value, or a formula that was never calculated").Do("open the workbook, let it calculate, and save it")
				f.Place.Column = p.label
				return "", f
			}
			if len(t.parts) == 1 {
				return cellText(c), nil
			}
			b.WriteString(cellText(c))
		case p.program != nil:
			v, err := e.run(p.program)
			if err != nil {
				return "", fault.Newf("{%s} fails here: %s", p.label, firstLine(err))
			}
			if v != nil {
				b.WriteString(strings.TrimSpace(fmt.Sprint(v)))
			}
		default:
			b.WriteString(p.literal)
		}
	}
	return strings.TrimSpace(b.String()), nil
}

// cellText is what a template shows of a cell.
func cellText(c table.Cell) string { return strings.TrimSpace(c.Text) }

// columns gives the template's columns when it has nothing else but white
// space between them.
func (t *Template) columns() ([]int, bool) {
	var out []int
	for _, p := range t.parts {
		switch {
		case p.column >= 0:
			out = append(out, p.column)
		case p.program != nil || strings.TrimSpace(p.literal) != "":
			return nil, false
		}
	}
	return out, len(out) > 0
}

// filled tells whether any column the template names is filled in the row; a
// template of constants alone always is.
func (t *Template) filled(row table.Row) bool {
	any := false
	for _, p := range t.parts {
		if p.program != nil {
			return true
		}
		if p.column >= 0 {
			any = true
			if row.Cell(p.column).Filled() {
				return true
			}
		}
	}
	return !any
}
