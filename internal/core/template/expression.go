package template

import (
	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/file"
	"github.com/expr-lang/expr/vm"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// Condition is a compiled condition over a row.
type Condition struct {
	Text     string
	Compared []Comparison // the values it compares columns with
	program  *vm.Program
}

// Comparison is a column compared with a value by == , != or in.
type Comparison struct {
	Column int
	Value  string
}

// The names under which an expression's program knows the row and its
// evaluator. No text that a person writes can be one of them.
const (
	rowName  = "\x01row"
	selfName = "\x01self"
)

// surroundings is all that a program can see: the row's texts, and through the
// functions its dates.
type surroundings struct {
	Row  []string   `expr:"\x01row"`
	Self *Evaluator `expr:"\x01self"`
}

// maxNodes bounds the size of an expression.
const maxNodes = 400

// Condition compiles a condition; one without a text is nil.
func (c *Compiler) Condition(s Source) (*Condition, *fault.Fault) {
	if s.Text == "" {
		return nil, nil
	}
	program, _, compared, f := c.expression(s, 0, expr.AsBool())
	if f != nil {
		return nil, f
	}
	return &Condition{Text: s.Text, Compared: compared, program: program}, nil
}

func (c *Compiler) expression(s Source, offset int, kind expr.Option) (program *vm.Program, inputs []int, compared []Comparison, problem *fault.Fault) {
	defer func() {
		if r := recover(); r != nil { // the library must not take the program down
			problem = s.At.Fault(offset, "the expression cannot be understood: %v", r)
		}
	}()
	patch := &columnPatch{compiler: c}
	options := []expr.Option{expr.Env(surroundings{}), expr.Patch(patch), expr.MaxNodes(maxNodes), kind, expr.DisableAllBuiltins()}
	for _, name := range borrowed {
		options = append(options, expr.EnableBuiltin(name))
	}
	program, err := expr.Compile(s.Text, append(options, c.functions()...)...)
	if patch.fault != nil {
		return nil, nil, nil, s.At.Locate(patch.fault, offset+patch.at)
	}
	if err != nil {
		return nil, nil, nil, compileFault(s, offset, err)
	}
	return program, patch.columns, patch.compared, nil
}

func compileFault(s Source, offset int, err error) *fault.Fault {
	at, message := offset, err.Error()
	if e, ok := err.(*file.Error); ok {
		at, message = offset+e.Column, e.Message
	}
	f := s.At.Fault(at, "%q is no expression: %s", s.Text, plainMessage(message))
	if message == `unexpected token Operator("=")` {
		f.Advice = `compare with ==, as in State == "draft"`
	}
	return f
}

var (
	unexpected = pattern.Lazy(`^unexpected token (\w+)(?:\("(.*)"\))?$`)
	unknown    = pattern.Lazy(`^unknown name (\w+)$`)
)

// plainMessage says in words what the expression library says in its own.
func plainMessage(message string) string {
	if m := unknown().FindStringSubmatch(message); m != nil {
		return `"` + m[1] + `" is not a function`
	}
	m := unexpected().FindStringSubmatch(message)
	switch {
	case m == nil:
		return message
	case m[1] == "EOF":
		return "it ends too early"
	}
	return m[2] + " is not expected here"
}

// columnPatch puts columns in the place of their names, and notes what they
// are compared with.
type columnPatch struct {
	compiler *Compiler
	columns  []int // met
	compared []Comparison
	fault    *fault.Fault
	at       int
}

// Visit implements ast.Visitor. Nodes are visited after their parts.
func (p *columnPatch) Visit(node *ast.Node) {
	switch n := (*node).(type) {
	case *ast.IdentifierNode:
		if n.Value != rowName && n.Value != selfName && n.Value != "col" && !isFunction(n.Value) {
			p.column(node, n.Value, n.Location().From)
		}
	case *ast.CallNode:
		p.call(node, n)
	case *ast.BinaryNode:
		p.compare(n)
	}
}

func (p *columnPatch) fail(f *fault.Fault, at int) {
	if p.fault == nil {
		p.fault, p.at = f, at
	}
}

// column puts column name in the place of a node.
func (p *columnPatch) column(node *ast.Node, name string, at int) {
	i := p.compiler.Column(name)
	if i < 0 {
		p.fail(Unknown(p.compiler.header, name), at)
		return
	}
	p.columns = append(p.columns, i)
	p.compiler.inputs[i] = true
	ast.Patch(node, &ast.MemberNode{Node: &ast.IdentifierNode{Value: rowName}, Property: &ast.IntegerNode{Value: i}})
}

func (p *columnPatch) call(node *ast.Node, n *ast.CallNode) {
	callee, ok := n.Callee.(*ast.IdentifierNode)
	switch {
	case !ok:
	case callee.Value == "dateform":
		p.dateform(node, n)
	case callee.Value == "col" && len(n.Arguments) == 1:
		if s, ok := n.Arguments[0].(*ast.StringNode); ok {
			p.column(node, s.Value, s.Location().From)
		}
	case callee.Value != "col" && !isFunction(callee.Value) && p.fault != nil && p.fault.Value == callee.Value:
		p.fault = fault.Unknown("function", callee.Value, FunctionNames()) // its name was mistaken for a column's
	}
}

// dateform gives the function the column's number in the place of its text, so
// that it can read the date as the column is read.
func (p *columnPatch) dateform(node *ast.Node, n *ast.CallNode) {
	i := -1
	if len(n.Arguments) == 2 {
		i = columnOf(n.Arguments[0])
	}
	if i < 0 {
		p.fail(fault.New("dateform", "wants a column and a form").Do("write dateform(Arrival, \"ddd d mmm yyyy\")"), n.Location().From)
		return
	}
	p.compiler.dates[i] = true
	ast.Patch(node, &ast.CallNode{Callee: &ast.IdentifierNode{Value: "__dateform"}, Arguments: []ast.Node{&ast.IdentifierNode{Value: selfName}, &ast.IntegerNode{Value: i}, n.Arguments[1]}})
}

// columnOf gives the column that a node was patched to be, or -1.
func columnOf(n ast.Node) int {
	m, ok := n.(*ast.MemberNode)
	if !ok {
		return -1
	}
	row, ok := m.Node.(*ast.IdentifierNode)
	i, isNumber := m.Property.(*ast.IntegerNode)
	if !ok || !isNumber || row.Value != rowName {
		return -1
	}
	return i.Value
}

// compare notes the texts that a column is compared with.
func (p *columnPatch) compare(n *ast.BinaryNode) {
	if n.Operator != "==" && n.Operator != "!=" && n.Operator != "in" {
		return
	}
	column, other := columnOf(n.Left), n.Right
	if column < 0 && n.Operator != "in" {
		column, other = columnOf(n.Right), n.Left
	}
	if column < 0 {
		return
	}
	values := []ast.Node{other}
	if list, ok := other.(*ast.ArrayNode); ok {
		values = list.Nodes
	}
	for _, v := range values {
		if s, ok := v.(*ast.StringNode); ok {
			p.compared = append(p.compared, Comparison{column, s.Value})
		}
	}
}
