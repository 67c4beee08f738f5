package document

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
)

// stroke is a straight line on a page, upright or level.
type stroke struct {
	x1, y1, x2, y2 float64
}

func (s stroke) level() bool { return s.y2-s.y1 < 1.5 }

// maxStrokes is how many lines of a page are kept: drawings have many more.
const maxStrokes = 20_000

// path collects the lines of a path (ISO 32000-1 §8.5).
type path struct {
	points [][2]float64 // of the subpath under way
	lines  [][2][2]float64
	rects  [][4]float64
}

func (in *interpreter) to(x, y float64) [2]float64 {
	m := in.ctm
	return [2]float64{x*m[0] + y*m[2] + m[4], x*m[1] + y*m[3] + m[5]}
}

// draw takes account of an operator that makes or paints a path.
func (in *interpreter) draw(op string, num func(int) float64) {
	p := &in.path
	switch op {
	case "m":
		p.points = append(p.points[:0], in.to(num(0), num(1)))
	case "l":
		to := in.to(num(0), num(1))
		if n := len(p.points); n > 0 {
			p.lines = append(p.lines, [2][2]float64{p.points[n-1], to})
		}
		p.points = append(p.points, to)
	case "h":
		if n := len(p.points); n > 1 {
			p.lines = append(p.lines, [2][2]float64{p.points[n-1], p.points[0]})
		}
	case "re":
		a, b := in.to(num(0), num(1)), in.to(num(0)+num(2), num(1)+num(3))
		p.rects = append(p.rects, [4]float64{math.Min(a[0], b[0]), math.Min(a[1], b[1]), math.Max(a[0], b[0]), math.Max(a[1], b[1])})
	case "S", "s", "f", "F", "f*", "B", "B*", "b", "b*":
		stroked := strings.ContainsAny(op, "SsBb")
		for _, l := range p.lines {
			in.line2(l[0][0], l[0][1], l[1][0], l[1][1])
		}
		for _, r := range p.rects {
			w, h := r[2]-r[0], r[3]-r[1]
			switch {
			case h < 2.5 && w > 1:
				in.line2(r[0], (r[1]+r[3])/2, r[2], (r[1]+r[3])/2)
			case w < 2.5 && h > 1:
				in.line2((r[0]+r[2])/2, r[1], (r[0]+r[2])/2, r[3])
			case stroked:
				in.line2(r[0], r[1], r[2], r[1])
				in.line2(r[0], r[3], r[2], r[3])
				in.line2(r[0], r[1], r[0], r[3])
				in.line2(r[2], r[1], r[2], r[3])
			}
		}
		in.path = path{points: p.points[:0], lines: p.lines[:0], rects: p.rects[:0]}
	case "n":
		in.path = path{points: p.points[:0], lines: p.lines[:0], rects: p.rects[:0]}
	}
	if len(p.lines)+len(p.rects) > maxStrokes {
		in.path = path{}
	}
}

func (in *interpreter) line2(x1, y1, x2, y2 float64) {
	if x1 > x2 {
		x1, x2 = x2, x1
	}
	if y1 > y2 {
		y1, y2 = y2, y1
	}
	if (x2-x1 < 1.5) == (y2-y1 < 1.5) || len(in.strokes) >= maxStrokes {
		return // a point, or neither upright nor level
	}
	in.strokes = append(in.strokes, stroke{x1, y1, x2, y2})
}

// strike marks the characters through which a line goes.
func strike(glyphs []glyph, strokes []stroke) {
	var levels []stroke
	for _, s := range strokes {
		if s.level() {
			levels = append(levels, s)
		}
	}
	if len(levels) == 0 || len(levels) > 5000 {
		return
	}
	for i := range glyphs {
		g := &glyphs[i]
		for _, s := range levels {
			y := (s.y1 + s.y2) / 2
			if s.x1 <= g.x+0.3*g.width && s.x2 >= g.x+0.7*g.width && y > g.y+0.15*g.size && y < g.y+0.55*g.size {
				g.struck = true
				break
			}
		}
	}
}

// unique gives the places of lines, those that lie close together as one.
func unique(xs []float64) (out []float64) {
	slices.Sort(xs)
	for _, x := range xs {
		if len(out) == 0 || x-out[len(out)-1] > 3 {
			out = append(out, x)
		}
	}
	return out
}

// grids finds the tables that are drawn with lines, and takes their characters
// away from the others.
func grids(glyphs []glyph, strokes []stroke) (rest []glyph, tables []row) {
	if len(strokes) < 4 || len(strokes) > 6000 {
		return glyphs, nil
	}
	parent := make([]int, len(strokes))
	for i := range parent {
		parent[i] = i
	}
	find := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	order := make([]int, len(strokes))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(strokes[a].x1, strokes[b].x1) })
	const near = 3
	for n, i := range order {
		a := strokes[i]
		for _, j := range order[n+1:] {
			b := strokes[j]
			if b.x1 > a.x2+near {
				break
			}
			if b.y1 <= a.y2+near && b.y2 >= a.y1-near {
				parent[find(i)] = find(j)
			}
		}
	}
	groups := map[int][]stroke{}
	for i, s := range strokes {
		groups[find(i)] = append(groups[find(i)], s)
	}
	rest = glyphs
	for _, g := range groups {
		var xs, ys []float64
		for _, s := range g {
			if s.level() {
				ys = append(ys, s.y1)
			} else {
				xs = append(xs, s.x1)
			}
		}
		xs, ys = unique(xs), unique(ys)
		if len(xs) < 3 || len(ys) < 3 || len(xs) > 60 || len(ys) > 400 {
			continue
		}
		var t row
		if rest, t = gridTable(rest, g, xs, ys); t.table != nil {
			tables = append(tables, t)
		}
	}
	return rest, tables
}

// gridTable puts characters into the cells of a grid. A cell that lines do not
// divide is one cell, whose text stands in each row that it is of.
func gridTable(glyphs []glyph, lines []stroke, xs, ys []float64) (rest []glyph, t row) {
	cols, rows := len(xs)-1, len(ys)-1
	cells := make([][]glyph, cols*rows)
	inside := 0
	for _, g := range glyphs {
		x, y := g.x+g.width/2, g.y+0.3*g.size
		if x < xs[0] || x > xs[cols] || y < ys[0] || y > ys[rows] {
			rest = append(rest, g)
			continue
		}
		inside++
		c := max(0, min(cols-1, place(xs, x)))
		r := max(0, min(rows-1, place(ys, y)))
		for c > 0 && !divided(lines, xs[c], (ys[r]+ys[r+1])/2, false) {
			c--
		}
		for r < rows-1 && !divided(lines, (xs[c]+xs[c+1])/2, ys[r+1], true) {
			r++ // to the topmost
		}
		cells[r*cols+c] = append(cells[r*cols+c], g)
	}
	if inside == 0 {
		return glyphs, row{}
	}
	tab := &Table{}
	for r := rows - 1; r >= 0; r-- {
		line := make([]table.Cell, cols)
		filled := false
		for c := range line {
			at := r
			for at < rows-1 && !divided(lines, (xs[c]+xs[c+1])/2, ys[at+1], true) {
				at++
			}
			line[c] = cellOf(cells[at*cols+c])
			if c+1 < cols && line[c].Filled() && !divided(lines, xs[c+1], (ys[at]+ys[at+1])/2, false) {
				tab.widen(c)
			}
			filled = filled || line[c].Filled() && at == r
		}
		if filled {
			tab.Rows = append(tab.Rows, line)
		}
	}
	return rest, row{y: ys[rows], size: 10, table: tab, segs: []segment{{from: xs[0], to: xs[cols]}}}
}

func place(xs []float64, x float64) int {
	i, _ := slices.BinarySearch(xs, x)
	return i - 1
}

// divided tells whether a line of a grid goes through a point.
func divided(lines []stroke, x, y float64, level bool) bool {
	const near = 3
	for _, s := range lines {
		if s.level() != level {
			continue
		}
		if level && math.Abs(s.y1-y) <= near && s.x1-near <= x && s.x2+near >= x || !level && math.Abs(s.x1-x) <= near && s.y1-near <= y && s.y2+near >= y {
			return true
		}
	}
	return false
}

// unbroken joins what a narrow cell broke: a word at its hyphen, a range at its dash, a
// date within its year.
func unbroken(text, next string) (string, bool) {
	if cutYear().MatchString(text) && yearRest().MatchString(next) {
		if whole := text + next; wholeDate().MatchString(whole) {
			return whole, true
		}
	}
	head, ok := strings.CutSuffix(text, "-")
	if !ok || head == "" || strings.HasSuffix(head, " ") {
		return "", false
	}
	first, _ := utf8.DecodeRuneInString(next)
	last, _ := utf8.DecodeLastRuneInString(head)
	if unicode.IsLetter(last) && unicode.IsLower(first) {
		return head + next, true
	}
	return text + next, true
}

var (
	cutYear   = pattern.Lazy(`\d{1,2}[./]\d{1,2}[./]\d{0,3}$`)
	yearRest  = pattern.Lazy(`^\d{1,4}\b`)
	wholeDate = pattern.Lazy(`\d{1,2}[./]\d{1,2}[./](?:19|20)\d\d\b`)
)

func cellOf(glyphs []glyph) table.Cell {
	if len(glyphs) == 0 {
		return table.Cell{}
	}
	text := ""
	struck := true
	for _, r := range rowsOf(glyphs) {
		for _, s := range r.segs {
			if joined, ok := unbroken(text, s.text); ok {
				text = joined
				continue
			}
			text = strings.TrimSpace(text + " " + s.text)
		}
		struck = struck && r.struck
	}
	c := Text(text)
	c.Struck = struck
	return c
}
