// Package template compiles what the fields of an event are made of, and
// conditions on a row, and evaluates them row by row.
//
//	{Vessel} at berth {Berth}[, {Remarks}]
//
// A column stands in braces by its heading, or by its letter as {@C}. What
// stands in brackets is gone when the columns in it are empty. Inside braces an
// expression may stand, in the language of expr-lang/expr: {upper(Vessel)}.
// Expressions see the texts of the row and the functions of this package, and
// nothing else. Their size, memory and output are bounded.
//
// A Compiler gives Templates and Conditions, which are not changed any more
// and may be shared. An Evaluator runs them and belongs to one goroutine.
package template

import (
	"strconv"
	"strings"
	"unicode"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/vm"

	"almanach/internal/core/fault"
	"almanach/internal/core/settings"
	"almanach/internal/core/table"
)

// Source is a template's text, and where it was written. At may be nil for
// what no file says; it then gives faults without a place.
type Source struct {
	Text string
	At   *settings.Value
}

// Template is a compiled template: texts, columns and expressions in turn.
type Template struct {
	parts []part
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

// plain tells whether the part is text and nothing else.
func (p part) plain() bool { return p.column < 0 && p.program == nil && p.optional == nil }

// Compiler compiles templates against one header.
type Compiler struct {
	header   table.Header
	words    map[string]map[string]string // tables for lookup
	used     map[int]bool                 // columns met
	inputs   map[int]bool                 // columns that expressions read
	dates    map[int]bool                 // columns that dateform reads
	programs int                          // compiled so far
}

// NewCompiler gives a compiler for a header. words are the tables of the
// function lookup.
func NewCompiler(header table.Header, words map[string]map[string]string) *Compiler {
	return &Compiler{header: header, words: words, used: map[int]bool{}, inputs: map[int]bool{}, dates: map[int]bool{}}
}

// Unknown says why Column did not find a name.
func Unknown(header table.Header, name string) *fault.Fault {
	name = bare(name)
	if twice := header.All(name); len(twice) > 1 {
		letters := make([]string, len(twice))
		for n, i := range twice {
			letters[n] = table.Letter(i)
		}
		return fault.New(name, "names "+strconv.Itoa(len(twice))+" columns, "+strings.Join(letters, " and ")).Do("name the one that is meant by its letter: {@%s}", letters[0])
	}
	return fault.Unknown("column", name, header.Names())
}

func bare(name string) string { return strings.TrimSpace(strings.Trim(name, "{}")) }

// Column finds what a template calls a column: a heading, or @ and a letter,
// with or without braces. It gives -1 for a name that no column has, or more
// than one.
func (c *Compiler) Column(name string) int {
	name = bare(name)
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

// Setting finds a column that a setting of its own names; at is where.
func (c *Compiler) Setting(name string, at *settings.Value) (int, *fault.Fault) {
	i := c.Column(name)
	if i < 0 {
		return i, at.Locate(Unknown(c.header, name), 0)
	}
	return i, nil
}

// Template compiles a template.
func (c *Compiler) Template(s Source) (*Template, *fault.Fault) {
	return (&parser{Compiler: c, source: s, rest: s.Text}).parse()
}

// parser cuts a template's text, or what stands in brackets in it, into parts.
type parser struct {
	*Compiler
	source Source
	rest   string
	offset int // characters of the source before rest
	out    Template
}

func (p *parser) skip(n int) { p.rest, p.offset = p.rest[n:], p.offset+n }

func (p *parser) literal(s string) {
	if n := len(p.out.parts); s != "" && n > 0 && p.out.parts[n-1].plain() {
		p.out.parts[n-1].literal += s
	} else if s != "" {
		p.out.parts = append(p.out.parts, part{literal: s, column: -1})
	}
}

func (p *parser) fail(format string, args ...any) *fault.Fault {
	return p.source.At.Fault(p.offset, format, args...)
}

func (p *parser) parse() (*Template, *fault.Fault) {
	for p.rest != "" {
		open := strings.IndexAny(p.rest, "{}[]")
		if open < 0 {
			break
		}
		sign := p.rest[open]
		if open+1 < len(p.rest) && p.rest[open+1] == sign { // the sign itself
			p.literal(p.rest[:open+1])
			p.skip(open + 2)
			continue
		}
		p.literal(p.rest[:open])
		p.skip(open)
		if f := p.sign(sign); f != nil {
			return nil, f
		}
	}
	p.literal(p.rest)
	return &p.out, nil
}

// sign reads what begins with a brace or a bracket.
func (p *parser) sign(sign byte) *fault.Fault {
	switch sign {
	case '}':
		return p.fail("a } closes nothing").Do("write }} for a brace itself")
	case ']':
		p.literal("]")
		p.skip(1)
	case '[':
		return p.bracket()
	case '{':
		inner, ok := closing(p.rest[1:])
		if !ok {
			return p.fail("a { is not closed")
		}
		part, f := p.part(p.source, p.offset+1, inner)
		if f != nil {
			return f
		}
		p.out.parts = append(p.out.parts, part)
		p.skip(len(inner) + 2)
	}
	return nil
}

func (p *parser) bracket() *fault.Fault {
	inner, ok := bracketed(p.rest[1:])
	if !ok && strings.Contains(p.rest, "{") {
		return p.fail("a [ is not closed").Do("close it, or write [[ for a bracket itself")
	}
	if !ok || !strings.Contains(inner, "{") { // brackets as people write them
		p.literal("[")
		p.skip(1)
		return nil
	}
	optional, f := (&parser{Compiler: p.Compiler, source: p.source, rest: inner, offset: p.offset + 1}).parse()
	if f != nil {
		return f
	}
	p.out.parts = append(p.out.parts, part{column: -1, optional: optional})
	p.skip(len(inner) + 2)
	return nil
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

func (c *Compiler) part(s Source, offset int, inner string) (part, *fault.Fault) {
	if i := c.Column(inner); i >= 0 {
		return part{column: i, label: c.header.Label(i)}, nil
	}
	if plainName(inner) {
		return part{}, s.At.Locate(Unknown(c.header, inner), offset)
	}
	program, inputs, _, f := c.expression(Source{inner, s.At}, offset, expr.AsAny())
	c.programs++
	return part{column: -1, program: program, inputs: inputs, number: c.programs - 1, label: inner}, f
}

// plainName tells whether a text in braces can only have been meant as a
// heading.
func plainName(s string) bool {
	return !strings.ContainsAny(s, "()\"'`+*?:|=<>[]!&") || strings.TrimSpace(s) == ""
}

// Columns gives the template's columns when it has nothing else but white
// space between them.
func (t *Template) Columns() ([]int, bool) {
	var out []int
	for _, p := range t.parts {
		switch {
		case p.column >= 0:
			out = append(out, p.column)
		case !p.plain() || strings.TrimSpace(p.literal) != "":
			return nil, false
		}
	}
	return out, len(out) > 0
}

// Fixed gives the template's text when it is the same for every row.
func (t *Template) Fixed() (string, bool) {
	text := ""
	for _, p := range t.parts {
		if !p.plain() {
			return "", false
		}
		text += p.literal
	}
	return strings.TrimSpace(text), true
}

// Filled tells whether any column the template names is filled in the row; a
// template of constants alone always is.
func (t *Template) Filled(row table.Row) bool {
	filled, any := t.anyFilled(row)
	return filled || !any
}

// Certain tells that the template cannot fail for a row: it is made of text and of cells, none of
// which has an error value. says tells that its text holds a letter or a digit besides.
func (t *Template) Certain(row table.Row) (certain, says bool) {
	for _, p := range t.parts {
		switch {
		case p.program != nil || p.optional != nil || p.column >= 0 && row.Kind(p.column) == table.Bad:
			return false, false
		case p.column < 0:
			says = says || strings.ContainsFunc(p.literal, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) })
		}
	}
	return true, says
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
			filled, any = filled || row.Filled(p.column), true
		}
		if filled {
			return true, true
		}
	}
	return filled, any
}

// Blame gives the column of the template that holds a value, or its first one.
func (t *Template) Blame(header table.Header, row table.Row, value string) string {
	first := ""
	for _, p := range t.parts {
		if p.optional != nil {
			if column := p.optional.Blame(header, row, value); column != "" && first == "" {
				first = column
			}
		}
		if p.column < 0 {
			continue
		}
		if cell := cellText(row.Cell(p.column)); value != "" && strings.Contains(cell, value) {
			return header.Label(p.column)
		}
		if first == "" {
			first = header.Label(p.column)
		}
	}
	return first
}
