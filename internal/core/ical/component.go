package ical

import (
	"slices"
	"strings"
)

// A Component is one component opened for editing. Lines that are not edited
// keep their bytes.
type Component struct {
	lines []Line
}

// Open cuts a component's bytes, BEGIN and END included, into lines.
func Open(raw []byte) *Component {
	return &Component{lines: slices.Collect(Lines(raw))}
}

// Lines gives the component's lines, BEGIN and END included.
func (c *Component) Lines() []Line { return c.lines }

// Find gives the component's own first property called name (upper case).
func (c *Component) Find(name string) (Line, bool) {
	for _, l := range c.lines {
		if l.Depth == 0 && l.Is(name) {
			return l, true
		}
	}
	return Line{}, false
}

// Set gives the component one property called name. A property that stands is
// replaced where it is and keeps its parameters but for those named in drop;
// further ones of that name are removed; a new one goes behind the last
// property. The value must already be escaped for its type.
func (c *Component) Set(name string, params []Param, drop []string, value string) {
	at := -1
	for i, l := range c.lines {
		if l.Depth == 0 && l.Is(name) {
			at = i
			break
		}
	}
	if at < 0 {
		c.Add(AppendLine(nil, name, params, value))
		return
	}
	for _, p := range c.lines[at].Params() {
		if !slices.Contains(drop, p.Name) && !slices.ContainsFunc(params, func(q Param) bool { return q.Name == p.Name }) {
			params = append(params, p)
		}
	}
	c.lines[at] = newLine(AppendLine(nil, name, params, value), 0)
	c.removeFrom(at+1, name)
}

// Add puts finished content lines behind the component's last property, before
// any inner component.
func (c *Component) Add(raw []byte) {
	if len(raw) == 0 {
		return
	}
	at := len(c.lines)
	for i, l := range c.lines {
		if i > 0 && (l.Depth > 0 || l.Is("END")) {
			at = i
			break
		}
	}
	c.lines = slices.Insert(c.lines, at, slices.Collect(Lines(raw))...)
}

// AddInner puts an inner component behind everything else.
func (c *Component) AddInner(raw []byte) {
	inner := slices.Collect(Lines(raw))
	for i := range inner {
		inner[i].Depth++
	}
	at := len(c.lines)
	if at > 0 && c.lines[at-1].Is("END") {
		at--
	}
	c.lines = slices.Insert(c.lines, at, inner...)
}

// Remove takes away every property of the component's own called name.
func (c *Component) Remove(name string) { c.removeFrom(0, name) }

func (c *Component) removeFrom(from int, name string) {
	kept := c.lines[:from]
	for _, l := range c.lines[from:] {
		if l.Depth != 0 || !l.Is(name) {
			kept = append(kept, l)
		}
	}
	c.lines = kept
}

// Rewrite gives every property of the component's own called name the text
// that change makes of it; nil takes it away.
func (c *Component) Rewrite(name string, change func(Line) []byte) {
	kept := c.lines[:0:0]
	for _, l := range c.lines {
		if l.Depth != 0 || !l.Is(name) {
			kept = append(kept, l)
			continue
		}
		if raw := change(l); raw != nil {
			kept = append(kept, newLine(raw, 0))
		}
	}
	c.lines = kept
}

// KeepInner takes away the inner components called name that keep refuses. It
// is given their bytes.
func (c *Component) KeepInner(name string, keep func(raw []byte) bool) {
	kept := c.lines[:0:0]
	for i := 0; i < len(c.lines); i++ {
		l := c.lines[i]
		if l.Depth != 1 || !l.Is("BEGIN") || !strings.EqualFold(string(l.Value()), name) {
			kept = append(kept, l)
			continue
		}
		end := i
		var raw []byte
		for ; end < len(c.lines); end++ {
			raw = append(raw, c.lines[end].Whole()...)
			if c.lines[end].Depth == 1 && c.lines[end].Is("END") {
				break
			}
		}
		if keep(raw) {
			kept = append(kept, c.lines[i:min(end+1, len(c.lines))]...)
		}
		i = end
	}
	c.lines = kept
}

func newLine(raw []byte, depth int16) Line {
	_, folds := lineEnd(raw)
	l := cutLine(raw, folds)
	l.Depth = depth
	return l
}

// Bytes gives the component as it is to be written.
func (c *Component) Bytes() []byte {
	var out []byte
	for _, l := range c.lines {
		out = append(out, l.Whole()...)
	}
	return out
}

// Whole gives the line as it is to be written: its bytes, and the ending that
// the last line of a file may lack.
func (l Line) Whole() []byte {
	if n := len(l.Raw); n == 0 || l.Raw[n-1] != '\n' {
		return append(l.Raw[:n:n], '\r', '\n')
	}
	return l.Raw
}
