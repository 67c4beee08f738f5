package intake

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/file"
	"github.com/expr-lang/expr/vm"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
)

// Template is a compiled template: texts, columns and expressions in turn.
type Template struct {
	parts []part
	text  string
}

type part struct {
	literal  string
	column   int // -1 when the part is no column
	program  *vm.Program
	inputs   []int     // columns that the program reads
	number   int       // of the program, for what is remembered of it
	label    string    // what stands in the braces
	optional *Template // what stands in brackets: gone when its columns are empty
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
	words  map[string]map[string]string

	programs int              // compiled so far
	inputs   map[int]bool     // columns that expressions read
	dates    func(column int) // told the columns that dateform reads
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
	return c.compile(t, t.text, 0)
}

// compile compiles a part of a template's text, which begins offset characters
// into it.
func (c *compiler) compile(t template, text string, offset int) (*Template, *fault.Fault) {
	out := &Template{text: text}
	literal := func(s string) {
		if n := len(out.parts); s != "" && n > 0 && out.parts[n-1].column < 0 && out.parts[n-1].program == nil && out.parts[n-1].optional == nil {
			out.parts[n-1].literal += s
		} else if s != "" {
			out.parts = append(out.parts, part{literal: s, column: -1})
		}
	}
	rest := text
	skip := func(n int) { rest, offset = rest[n:], offset+n }
	for rest != "" {
		open := strings.IndexAny(rest, "{}[]")
		if open < 0 {
			break
		}
		sign := rest[open]
		if open+1 < len(rest) && rest[open+1] == sign { // the sign itself
			literal(rest[:open+1])
			skip(open + 2)
			continue
		}
		literal(rest[:open])
		skip(open)
		switch sign {
		case '}':
			return nil, t.at.Fault(offset, "a } closes nothing").Do("write }} for a brace itself")
		case ']':
			literal("]")
			skip(1)
		case '[':
			inner, ok := bracketed(rest[1:])
			if !ok && strings.Contains(rest, "{") {
				return nil, t.at.Fault(offset, "a [ is not closed").Do("close it, or write [[ for a bracket itself")
			}
			if !ok || !strings.Contains(inner, "{") { // brackets as people write them
				literal("[")
				skip(1)
				continue
			}
			o, f := c.compile(t, inner, offset+1)
			if f != nil {
				return nil, f
			}
			out.parts = append(out.parts, part{column: -1, optional: o})
			skip(len(inner) + 2)
		case '{':
			inner, ok := closing(rest[1:])
			if !ok {
				return nil, t.at.Fault(offset, "a { is not closed")
			}
			p, f := c.part(t, offset+1, inner)
			if f != nil {
				return nil, f
			}
			out.parts = append(out.parts, p)
			skip(len(inner) + 2)
		}
	}
	literal(rest)
	return out, nil
}

// bracketed gives what stands before the bracket that closes, outside of
// braces.
func bracketed(s string) (string, bool) {
	depth := 0
	for i := 0; i < len(s); i++ {
		switch s[i] {
		case '{':
			inner, ok := closing(s[i+1:])
			if !ok {
				return "", false
			}
			i += len(inner) + 1
		case '[':
			depth++
		case ']':
			if depth == 0 {
				return s[:i], true
			}
			depth--
		}
	}
	return "", false
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
	program, inputs, f := c.expression(template{text: inner, at: t.at}, offset, expr.AsAny())
	c.programs++
	return part{column: -1, program: program, inputs: inputs, number: c.programs - 1, label: inner}, f
}

// plainName tells whether a text in braces can only have been meant as a
// heading.
func plainName(s string) bool {
	return !strings.ContainsAny(s, "()\"'`+*?:|=<>[]!&") || strings.TrimSpace(s) == ""
}

// cells is all that an expression can see: the row's texts, and through the
// functions its dates.
type cells struct {
	Row  []string   `expr:"__row"`
	Self *evaluator `expr:"__self"`
}

// maxNodes bounds the size of an expression.
const maxNodes = 400

func (c *compiler) expression(t template, offset int, kind expr.Option) (program *vm.Program, inputs []int, problem *fault.Fault) {
	defer func() {
		if r := recover(); r != nil { // the library must not take the program down
			problem = t.at.Fault(offset, "the expression cannot be understood: %v", r)
		}
	}()
	patch := &columnPatch{compiler: c}
	options := append([]expr.Option{expr.Env(cells{}), expr.Patch(patch), expr.MaxNodes(maxNodes), kind}, c.functions()...)
	for _, name := range unbounded {
		options = append(options, expr.DisableBuiltin(name))
	}
	program, err := expr.Compile(t.text, options...)
	if patch.fault != nil {
		f := t.at.Fault(offset+patch.at, "%s", patch.fault.Cause)
		f.Value, f.Quoted, f.Advice = patch.fault.Value, true, patch.fault.Advice
		return nil, nil, f
	}
	if err != nil {
		at, message := offset, err.Error()
		if e, ok := err.(*file.Error); ok {
			at, message = offset+e.Column, e.Message
		}
		f := t.at.Fault(at, "%q is no expression: %s", t.text, plainMessage(message))
		if message == `unexpected token Operator("=")` {
			f.Advice = `compare with ==, as in State == "draft"`
		}
		return nil, nil, f
	}
	c.cells = true
	return program, patch.columns, nil
}

var unexpected = regexp.MustCompile(`^unexpected token (\w+)(?:\("(.*)"\))?$`)

// plainMessage says in words what the expression library says in its own.
func plainMessage(message string) string {
	m := unexpected.FindStringSubmatch(message)
	switch {
	case m == nil:
		return message
	case m[1] == "EOF":
		return "it ends too early"
	}
	return m[2] + " is not expected here"
}

// unbounded are the library's functions that read the clock or can loop
// longer than a row is worth.
var unbounded = []string{"now", "timezone", "repeat", "all", "none", "any", "one", "filter", "map", "find", "findIndex", "findLast", "findLastIndex", "count", "sortBy", "reduce", "sum", "date", "duration", "fromJSON", "toJSON", "flatten", "uniq", "concat", "sort", "permutations", "get", "groupBy", "keys", "values", "toPairs", "fromPairs", "toBase64", "fromBase64"}

// columnPatch puts columns in the place of their names.
type columnPatch struct {
	compiler *compiler
	columns  []int // met
	fault    *fault.Fault
	at       int
}

// Visit implements ast.Visitor.
func (p *columnPatch) Visit(node *ast.Node) {
	name, where := "", 0
	switch n := (*node).(type) {
	case *ast.IdentifierNode:
		if n.Value == "__row" || n.Value == "__self" || n.Value == "col" || isFunction(n.Value) {
			return
		}
		name, where = n.Value, n.Location().From
	case *ast.CallNode:
		callee, ok := n.Callee.(*ast.IdentifierNode)
		if ok && callee.Value == "dateform" {
			p.dateform(node, n)
			return
		}
		if ok && callee.Value != "col" && !isFunction(callee.Value) && p.fault != nil && p.fault.Value == callee.Value {
			p.fault = fault.Unknown("function", callee.Value, functionNames()) // its name was taken for a column's
			return
		}
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
	p.columns = append(p.columns, i)
	p.compiler.inputs[i] = true
	ast.Patch(node, &ast.MemberNode{Node: &ast.IdentifierNode{Value: "__row"}, Property: &ast.IntegerNode{Value: i}})
}

// dateform gives the function the column's number in the place of its text, so
// that it can read the date as the column is read.
func (p *columnPatch) dateform(node *ast.Node, n *ast.CallNode) {
	fail := func(cause string) {
		if p.fault == nil {
			p.fault, p.at = fault.New("dateform", cause).Do("write dateform(Arrival, \"ddd d mmm yyyy\")"), n.Location().From
		}
	}
	if len(n.Arguments) != 2 {
		fail("wants a column and a form")
		return
	}
	m, ok := n.Arguments[0].(*ast.MemberNode)
	if !ok {
		if len(n.Arguments) == 2 && p.fault == nil {
			fail("wants a column as its first argument")
		}
		return
	}
	i, ok := m.Property.(*ast.IntegerNode)
	if !ok {
		fail("wants a column as its first argument")
		return
	}
	p.compiler.dates(i.Value)
	ast.Patch(node, &ast.CallNode{Callee: &ast.IdentifierNode{Value: "__dateform"}, Arguments: []ast.Node{&ast.IdentifierNode{Value: "__self"}, &ast.IntegerNode{Value: i.Value}, n.Arguments[1]}})
}

func (c *compiler) condition(t template) (*Condition, *fault.Fault) {
	if t.text == "" {
		return nil, nil
	}
	program, _, f := c.expression(t, 0, expr.AsBool())
	if f != nil {
		return nil, f
	}
	return &Condition{program: program, Text: t.text}, nil
}

// evaluator runs programs over one row at a time.
type evaluator struct {
	machine vm.VM
	env     cells
	row     table.Row
	columns map[int]*moment.Column // that dateform reads
	memos   []memo                 // by program: what it gave for which cells
	key     []byte
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

// load takes over those of a row's texts that expressions read.
func (e *evaluator) load(row table.Row, width int, inputs []int) {
	e.row, e.env.Self = row, e
	for len(e.env.Row) < width {
		e.env.Row = append(e.env.Row, "")
	}
	for _, i := range inputs {
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

// render gives a template's text for a row. The space around empty columns is
// closed up, and what stands in brackets is gone when its columns are empty.
func (e *evaluator) render(t *Template, row table.Row) (string, *fault.Fault) {
	if len(t.parts) == 1 && t.parts[0].column >= 0 {
		return e.cell(t.parts[0], row)
	}
	text, gap, f := e.join(t, row)
	if gap {
		text = closeUp(text)
	}
	return strings.TrimSpace(text), f
}

func (e *evaluator) cell(p part, row table.Row) (string, *fault.Fault) {
	c := row.Cell(p.column)
	if c.Kind == table.Bad {
		f := fault.New(c.Text, "is an error value, or a formula that was never calculated").Do("open the workbook, let it calculate, and save it")
		f.Place.Column = p.label
		return "", f
	}
	return cellText(c), nil
}

// join puts a template's parts together, and tells whether one left a gap.
func (e *evaluator) join(t *Template, row table.Row) (text string, gap bool, f *fault.Fault) {
	var b strings.Builder
	for _, p := range t.parts {
		part := p.literal
		switch {
		case p.column >= 0:
			if part, f = e.cell(p, row); f != nil {
				return "", false, f
			}
			gap = gap || part == ""
		case p.program != nil:
			if part, f = e.expression(p); f != nil {
				return "", false, f
			}
			gap = gap || part == ""
		case p.optional != nil:
			inner, innerGap, f := e.join(p.optional, row)
			if f != nil {
				return "", false, f
			}
			if innerGap && !p.optional.says(e, row) {
				inner, gap = "", true
			}
			part = inner
		}
		b.WriteString(part)
	}
	return b.String(), gap, nil
}

// expression gives what a program makes of the row, remembered from an earlier
// row whose cells were the same.
func (e *evaluator) expression(p part) (string, *fault.Fault) {
	for len(e.memos) <= p.number {
		e.memos = append(e.memos, memo{})
	}
	m := &e.memos[p.number]
	e.key = e.key[:0]
	for _, i := range p.inputs {
		e.key = append(append(e.key, e.env.Row[i]...), 0)
	}
	if s, ok := m.get(e.key); ok {
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
	m.put(e.key, s)
	return s, nil
}

// says tells whether any column or expression of the template gives something.
func (t *Template) says(e *evaluator, row table.Row) bool {
	for _, p := range t.parts {
		switch {
		case p.column >= 0 && row.Cell(p.column).Filled():
			return true
		case p.program != nil:
			if s, f := e.expression(p); f == nil && s != "" {
				return true
			}
		case p.optional != nil && p.optional.says(e, row):
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

// columns gives the template's columns when it has nothing else but white
// space between them.
func (t *Template) columns() ([]int, bool) {
	var out []int
	for _, p := range t.parts {
		switch {
		case p.column >= 0:
			out = append(out, p.column)
		case p.program != nil || p.optional != nil || strings.TrimSpace(p.literal) != "":
			return nil, false
		}
	}
	return out, len(out) > 0
}

// filled tells whether any column the template names is filled in the row; a
// template of constants alone always is.
func (t *Template) filled(row table.Row) bool {
	filled, any := t.anyFilled(row)
	return filled || !any
}

func (t *Template) anyFilled(row table.Row) (filled, any bool) {
	for _, p := range t.parts {
		switch {
		case p.program != nil:
			return true, true
		case p.optional != nil:
			f, a := p.optional.anyFilled(row)
			filled, any = filled || f, any || a
		case p.column >= 0:
			filled, any = filled || row.Cell(p.column).Filled(), true
		}
		if filled {
			return true, true
		}
	}
	return filled, any
}
