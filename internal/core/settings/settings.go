// Package settings reads the YAML files a clerk writes (the desk, the
// intakes) against a definition of what may stand in them. Every mistake is
// shown with file, line and caret, and with the nearest name that exists. The
// same definitions write the manual.
package settings

import (
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
)

// Kind is what a setting's value must be.
type Kind uint8

// The kinds of value.
const (
	Text   Kind = iota // any scalar, as it stands
	Words              // one text or a list of texts
	Choice             // one of Choices
	Number             // a whole number, 0 or more
	Length             // a length of time, such as 2h or 90min
	YesNo              // true or false
	Group              // settings of their own, in Fields
	Named              // any names, each a Group of Fields
	Table              // any names, each a text
	Tables             // any names, each a Table
)

// Setting defines one name that a file may use.
type Setting struct {
	Name    string
	Kind    Kind
	Choices []string
	Fields  []Setting
	Doc     string // one sentence for the manual
	Example string // a value as it stands in a file
}

// Value is what a file gives one setting.
type Value struct {
	Name   string
	Texts  []string
	Values []*Value // of a Group, Named or Table, in the order of the file
	file   *File
	tok    *token.Token
}

// File is one file read.
type File struct {
	Name  string
	lines []string
	Root  *Value
}

// Read reads text against the definitions. The faults are all the mistakes
// that could be told apart; the file is usable only when there are none.
func Read(name string, text []byte, definitions []Setting) (*File, []*fault.Fault) {
	f := &File{Name: name}
	f.Root = &Value{file: f}
	if problem := excess(text); problem != nil {
		return f, []*fault.Fault{problem.At(fault.Place{File: name, Line: problem.Place.Line})}
	}
	f.lines = strings.Split(strings.ReplaceAll(string(text), "\r\n", "\n"), "\n")
	doc, err := parser.ParseBytes(text, 0)
	if err != nil {
		return f, []*fault.Fault{f.syntax(err)}
	}
	if len(doc.Docs) == 0 || doc.Docs[0].Body == nil || doc.Docs[0].Body.Type() == ast.NullType {
		return f, nil
	}
	for _, more := range doc.Docs[1:] {
		if more.Body != nil {
			return f, []*fault.Fault{f.at(more.Body.GetToken(), "a second document begins here; a file holds one")}
		}
	}
	r := reader{file: f}
	r.group(f.Root, doc.Docs[0].Body, definitions, "this file")
	return f, r.faults
}

// The limits of a settings file. The library that reads it takes memory by the
// square of how deep its values lie in each other.
const (
	maxSize   = 1 << 20 // octets
	maxNested = 50      // brackets, braces or dashes in each other
	maxIndent = 200     // columns
)

// excess refuses what no person writes, before it is read.
func excess(text []byte) *fault.Fault {
	if len(text) > maxSize {
		return fault.Newf("has more than %d KiB, the most a settings file can have", maxSize>>10).Do("check that it is the right file")
	}
	depth, number := 0, 0
	for line := range bytes.Lines(text) {
		number++
		indent := len(line) - len(bytes.TrimLeft(line, " \t-?"))
		depth = max(0, depth+bytes.Count(line, []byte("["))+bytes.Count(line, []byte("{"))-bytes.Count(line, []byte("]"))-bytes.Count(line, []byte("}")))
		opened := bytes.Count(line, []byte("[")) + bytes.Count(line, []byte("{"))
		if depth > maxNested || opened > 20*maxNested || indent > maxIndent {
			return fault.Newf("its values lie more than %d deep in each other", maxNested).At(fault.Place{Line: number}).Do("check that it is the right file")
		}
	}
	return nil
}

func (f *File) syntax(err error) *fault.Fault {
	var y yaml.Error
	if errors.As(err, &y) {
		return f.at(y.GetToken(), "%s", y.GetMessage())
	}
	return fault.Newf("%s", err.Error()).At(fault.Place{File: f.Name})
}

// at gives a fault at a token, with the line and a caret.
func (f *File) at(t *token.Token, format string, args ...any) *fault.Fault {
	problem := fault.Newf(format, args...)
	problem.Place.File = f.Name
	if t != nil && t.Position != nil {
		problem.Place.Line = t.Position.Line
		problem.Excerpt = f.excerpt(t.Position.Line, t.Position.Column)
	}
	return problem
}

func (f *File) excerpt(line, column int) string {
	if line < 1 || line > len(f.lines) {
		return ""
	}
	text := strings.ReplaceAll(f.lines[line-1], "\t", " ")
	lead := fmt.Sprintf("%4d | ", line)
	return lead + text + "\n" + strings.Repeat(" ", len(lead)+max(0, column-1)) + "^"
}

type reader struct {
	file   *File
	faults []*fault.Fault
}

func (r *reader) fault(t *token.Token, format string, args ...any) *fault.Fault {
	f := r.file.at(t, format, args...)
	r.faults = append(r.faults, f)
	return f
}

func entries(n ast.Node) ([]*ast.MappingValueNode, bool) {
	switch n := n.(type) {
	case *ast.MappingNode:
		return n.Values, true
	case *ast.MappingValueNode:
		return []*ast.MappingValueNode{n}, true
	}
	return nil, false
}

func (r *reader) group(into *Value, n ast.Node, definitions []Setting, where string) {
	list, ok := entries(n)
	if !ok {
		r.fault(n.GetToken(), "%s wants settings, each as \"name: value\"", where)
		return
	}
	for _, e := range list {
		name := scalar(e.Key)
		d, known := find(definitions, name)
		if !known {
			var names []string
			for _, d := range definitions {
				names = append(names, d.Name)
			}
			u := fault.Unknown("setting of "+where, name, names)
			f := r.fault(e.Key.GetToken(), "%s", u.Cause)
			f.Value, f.Quoted, f.Advice = name, true, u.Advice
			continue
		}
		if into.Get(name) != nil {
			r.fault(e.Key.GetToken(), "%q is set twice", name)
			continue
		}
		v := &Value{Name: name, file: r.file, tok: e.Value.GetToken()}
		into.Values = append(into.Values, v)
		r.value(v, e.Value, d)
	}
}

func find(definitions []Setting, name string) (Setting, bool) {
	for _, d := range definitions {
		if d.Name == name {
			return d, true
		}
	}
	return Setting{}, false
}

func scalar(n ast.Node) string {
	switch n := n.(type) {
	case *ast.StringNode:
		return n.Value
	case *ast.LiteralNode:
		return strings.TrimRight(n.Value.Value, "\n")
	case *ast.NullNode:
		return ""
	}
	return strings.TrimSpace(n.GetToken().Value)
}

func isScalar(n ast.Node) bool {
	switch n.(type) {
	case *ast.StringNode, *ast.LiteralNode, *ast.NullNode, *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		return true
	}
	return false // an alias or a tag is nothing a clerk means
}

func (r *reader) value(v *Value, n ast.Node, d Setting) {
	switch d.Kind {
	case Group:
		r.group(v, n, d.Fields, d.Name)
		return
	case Named, Table, Tables:
		r.named(v, n, d)
		return
	case Words:
		if s, ok := n.(*ast.SequenceNode); ok {
			for _, item := range s.Values {
				if !isScalar(item) {
					r.fault(item.GetToken(), "%s wants a list of texts", d.Name)
					return
				}
				v.Texts = append(v.Texts, scalar(item))
			}
			return
		}
	}
	if !isScalar(n) {
		r.fault(n.GetToken(), "%s wants a single value", d.Name).Advice = "for example " + d.Name + ": " + d.Example
		return
	}
	v.Texts = []string{scalar(n)}
	if problem := d.check(v.Texts[0]); problem != nil {
		f := r.fault(n.GetToken(), "%s", problem.Cause)
		f.Value, f.Quoted, f.Advice = v.Texts[0], true, problem.Advice
	}
}

func (r *reader) named(v *Value, n ast.Node, d Setting) {
	list, ok := entries(n)
	if !ok {
		r.fault(n.GetToken(), "%s wants names, each as \"name: …\"", d.Name)
		return
	}
	for _, e := range list {
		one := &Value{Name: scalar(e.Key), file: r.file, tok: e.Value.GetToken()}
		if v.Get(one.Name) != nil {
			r.fault(e.Key.GetToken(), "%q is set twice", one.Name)
		}
		v.Values = append(v.Values, one)
		if d.Kind == Named {
			r.group(one, e.Value, d.Fields, one.Name)
		} else if d.Kind == Tables {
			r.named(one, e.Value, Setting{Name: one.Name, Kind: Table})
		} else if isScalar(e.Value) {
			one.Texts = []string{scalar(e.Value)}
		} else {
			r.fault(e.Value.GetToken(), "%s wants a single value", one.Name)
		}
	}
}

func (d Setting) check(text string) *fault.Fault {
	switch d.Kind {
	case Choice:
		for _, c := range d.Choices {
			if c == text {
				return nil
			}
		}
		return fault.Unknown("choice for "+d.Name, text, d.Choices)
	case Number:
		if n, err := strconv.Atoi(text); err != nil || n < 0 {
			return fault.New(text, "is not a whole number")
		}
	case Length:
		if _, ok := moment.ParseLength(text); !ok {
			return fault.New(text, "is not a length of time").Do("write 2h or 90min")
		}
	case YesNo:
		if text != "true" && text != "false" && text != "yes" && text != "no" {
			return fault.New(text, "is neither yes nor no")
		}
	}
	return nil
}

// Get gives the value at a path of names with dots between, or nil.
func (v *Value) Get(path string) *Value {
	name, rest, deeper := strings.Cut(path, ".")
	if v == nil {
		return nil
	}
	for _, c := range v.Values {
		if c.Name == name {
			if deeper {
				return c.Get(rest)
			}
			return c
		}
	}
	return nil
}

// Text gives the text at a path, "" when it is not set.
func (v *Value) Text(path string) string {
	if c := v.Get(path); c != nil && len(c.Texts) > 0 {
		return c.Texts[0]
	}
	return ""
}

// String gives the value's own text, "" when it has none.
func (v *Value) String() string {
	if v == nil || len(v.Texts) == 0 {
		return ""
	}
	return v.Texts[0]
}

// Words gives the texts at a path.
func (v *Value) Words(path string) []string {
	if c := v.Get(path); c != nil {
		return c.Texts
	}
	return nil
}

// Number gives the whole number at a path, 0 when it is not set.
func (v *Value) Number(path string) int {
	n, _ := strconv.Atoi(v.Text(path))
	return n
}

// Length gives the length at a path, 0 when it is not set.
func (v *Value) Length(path string) time.Duration {
	d, _ := moment.ParseLength(v.Text(path))
	return d
}

// Yes tells whether the path is set to yes.
func (v *Value) Yes(path string) bool { t := v.Text(path); return t == "yes" || t == "true" }

// Table gives the names and texts at a path, nil when it is not set.
func (v *Value) Table(path string) map[string]string {
	c := v.Get(path)
	if c == nil {
		return nil
	}
	out := make(map[string]string, len(c.Values))
	for _, one := range c.Values {
		out[one.Name] = one.String()
	}
	return out
}

// Fault gives a fault at the value, offset characters into its text.
func (v *Value) Fault(offset int, format string, args ...any) *fault.Fault {
	return v.Locate(fault.Newf(format, args...), offset)
}

// Locate says of a fault that it is in the value, offset characters into its
// text, and gives it back. A nil value leaves it as it is.
func (v *Value) Locate(f *fault.Fault, offset int) *fault.Fault {
	if v == nil || v.file == nil {
		return f
	}
	at := v.file.at(v.tok, "")
	f.Place, f.Excerpt = at.Place, at.Excerpt
	if v.tok != nil && v.tok.Position != nil {
		quote := 0
		if v.tok.Type == token.DoubleQuoteType || v.tok.Type == token.SingleQuoteType {
			quote = 1
		}
		f.Excerpt = v.file.excerpt(v.tok.Position.Line, v.tok.Position.Column+quote+offset)
	}
	return f
}
