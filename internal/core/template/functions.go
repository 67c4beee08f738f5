package template

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"

	"github.com/expr-lang/expr"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/zone"
)

// Function is one of our own functions for expressions.
type Function struct {
	Name, Form, Doc string
}

// Functions lists them, for the manual.
var Functions = []Function{
	{"filled", "filled(A, B, …)", "the first of several texts that is not empty"},
	{"together", `together(", ", A, B, …)`, "several texts with a separator between, the empty ones left out"},
	{"pick", `pick(A, "No ([0-9]+)")`, "the part of a text that a pattern's parentheses mark, or all that it fits; empty where it does not fit"},
	{"lookup", `lookup("status", A)`, "the word that a table under words: has for a code; the code itself where it has none"},
	{"capital", "capital(A)", "a text with a capital at the start of each word"},
	{"dateform", `dateform(A, "ddd d mmm yyyy hh:mm")`, "a column's date in another form: d dd ddd dddd, m mm mmm mmmm, yy yyyy, hh:mm"},
}

// borrowed are the functions of the expression library that may be used. None
// reads the clock, and none can take longer than a row is worth.
var borrowed = []string{"upper", "lower", "trim", "trimPrefix", "trimSuffix", "split", "replace", "join", "len", "int", "float", "string", "hasPrefix", "hasSuffix", "indexOf", "lastIndexOf", "first", "last", "min", "max", "round", "floor", "ceil", "abs"}

// Borrowed lists the functions that are the expression library's own.
func Borrowed() []string { return slices.Clone(borrowed) }

// FunctionNames lists every function there is.
func FunctionNames() []string {
	out := append([]string{"col"}, borrowed...)
	for _, f := range Functions {
		out = append(out, f.Name)
	}
	return out
}

func isFunction(name string) bool {
	return name == "__dateform" || slices.Contains(borrowed, name) || slices.ContainsFunc(Functions, func(f Function) bool { return f.Name == name })
}

func text(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return strings.TrimSpace(v)
	}
	return strings.TrimSpace(fmt.Sprint(v))
}

// longest is the longest text that an expression may give, in octets.
const longest = 64 << 10

var errTooLong = fmt.Errorf("it makes a text of more than %d characters", longest)

// functions are the options that make our functions known.
func (c *Compiler) functions() []expr.Option {
	compiled := &patterns{known: map[string]*regexp.Regexp{}}
	return []expr.Option{
		expr.Function("filled", filled),
		expr.Function("together", together),
		expr.Function("pick", compiled.pick, new(func(string, string) string)),
		expr.Function("lookup", c.lookup, new(func(string, string) string)),
		// The library's own of these two can make a text grow beyond all bounds.
		expr.Function("replace", replace, new(func(string, string, string) string)),
		expr.Function("join", join),
		expr.Function("capital", func(args ...any) (any, error) { return capital(text(args[0])), nil }, new(func(string) string)),
		expr.Function("__dateform", func(args ...any) (any, error) {
			return args[0].(*Evaluator).dateform(args[1].(int), text(args[2]))
		}),
		expr.Function("dateform", func(...any) (any, error) { return nil, fmt.Errorf("wants a column and a form") }),
	}
}

func filled(args ...any) (any, error) {
	for _, a := range args {
		if s := text(a); s != "" {
			return s, nil
		}
	}
	return "", nil
}

func together(args ...any) (any, error) {
	if len(args) == 0 {
		return "", nil
	}
	var parts []string
	for _, a := range args[1:] {
		if s := text(a); s != "" {
			parts = append(parts, s)
		}
	}
	return strings.Join(parts, fmt.Sprint(args[0])), nil
}

// patterns are compiled once, however many rows there are.
type patterns struct {
	mu    sync.Mutex
	known map[string]*regexp.Regexp
}

func (p *patterns) get(pattern string) (*regexp.Regexp, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if r := p.known[pattern]; r != nil {
		return r, nil
	}
	r, err := regexp.Compile(pattern)
	if err == nil && len(p.known) < 100 {
		p.known[pattern] = r
	}
	return r, err
}

func (p *patterns) pick(args ...any) (any, error) {
	r, err := p.get(text(args[1]))
	if err != nil {
		return nil, fmt.Errorf("%q is no pattern: %w", args[1], err)
	}
	m := r.FindStringSubmatch(text(args[0]))
	switch {
	case m == nil:
		return "", nil
	case len(m) > 1:
		return m[1], nil
	}
	return m[0], nil
}

func (c *Compiler) lookup(args ...any) (any, error) {
	table, ok := c.words[text(args[0])]
	if !ok {
		return nil, fmt.Errorf("there is no table %q under words", args[0])
	}
	code := text(args[1])
	if word, ok := table[code]; ok {
		return word, nil
	}
	return code, nil
}

func replace(args ...any) (any, error) {
	s, old, with := text(args[0]), fmt.Sprint(args[1]), fmt.Sprint(args[2])
	if strings.Count(s, old)*len(with) > longest {
		return nil, errTooLong
	}
	return strings.ReplaceAll(s, old, with), nil
}

func join(args ...any) (any, error) {
	list, ok := args[0].([]any)
	if texts, isTexts := args[0].([]string); isTexts {
		ok = true
		for _, t := range texts {
			list = append(list, t)
		}
	}
	if !ok {
		return nil, errors.New("join wants a list")
	}
	sep := ""
	if len(args) > 1 {
		sep = fmt.Sprint(args[1])
	}
	total := len(list) * len(sep)
	parts := make([]string, len(list))
	for i, one := range list {
		parts[i] = fmt.Sprint(one)
		total += len(parts[i])
	}
	if total > longest {
		return nil, errTooLong
	}
	return strings.Join(parts, sep), nil
}

func capital(s string) string {
	start := true
	return strings.Map(func(r rune) rune {
		was := start
		start = !unicode.IsLetter(r) && r != '\'' && r != '’'
		if was {
			return unicode.ToTitle(r)
		}
		return unicode.ToLower(r)
	}, s)
}

// dateform writes a column's date in another form; a cell without a date gives
// nothing.
func (e *Evaluator) dateform(column int, form string) (string, error) {
	v, f := e.dates(column, e.row)
	if f != nil {
		return "", f
	}
	if !v.HasDate && v.Clock == moment.NoClock {
		return "", nil
	}
	if !v.Single() {
		return "", fault.New(e.row.Cell(column).Text, "is not one date or time, so it has no other form")
	}
	return formatDate(v.Date+int64(max(v.Clock, 0)), form), nil
}

// layouts are the parts of a date form as spreadsheets have them, and as Go
// does.
var layouts = map[string]string{
	"d": "2", "dd": "02", "ddd": "Mon", "dddd": "Monday", "m": "1", "mm": "01", "mmm": "Jan", "mmmm": "January", "yy": "06", "yyyy": "2006", "h": "15", "hh": "15",
}

// formatDate writes a wall-clock time in the form that spreadsheets use for
// theirs.
func formatDate(wall int64, form string) string {
	t := zone.Civil(wall)
	var b strings.Builder
	for i := 0; i < len(form); {
		n := i
		for n < len(form) && form[n] == form[i] {
			n++
		}
		layout := layouts[strings.ToLower(form[i:n])]
		if layout == "01" && (strings.HasSuffix(strings.ToLower(form[:i]), "h:") || strings.HasSuffix(strings.ToLower(form[:i]), "h")) {
			layout = "04" // mm behind hours are minutes
		}
		if layout == "" {
			b.WriteString(form[i:n])
		} else {
			b.WriteString(t.Format(layout))
		}
		i = n
	}
	return b.String()
}
