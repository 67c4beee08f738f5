package document

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"almanach/internal/core/notice"
	"almanach/internal/core/table"
)

// segment is a run of text in a line that no wide gap divides.
type segment struct {
	text     string
	from, to float64
}

// row is one line of a page.
type row struct {
	y, size float64
	bold    bool
	struck  bool
	segs    []segment
	table   *Table // drawn with lines
}

// layOut brings the characters of a page into lines, the lines into columns and
// tables.
func layOut(glyphs []glyph, strokes []stroke, page int) []Part {
	strike(glyphs, strokes)
	glyphs, tables := grids(glyphs, strokes)
	rows := append(rowsOf(glyphs), tables...)
	slices.SortStableFunc(rows, func(a, b row) int { return cmp.Compare(b.y, a.y) })
	var out []Part
	number := 0
	for _, column := range columnsOf(rows) {
		out = append(out, partsOf(column, page, &number)...)
		out = append(out, Part{})
	}
	return out
}

// rowsOf brings characters into lines by their baselines.
func rowsOf(glyphs []glyph) (out []row) {
	slices.SortStableFunc(glyphs, func(a, b glyph) int {
		if d := b.y - a.y; math.Abs(d) > 0.3*math.Min(a.size, b.size) {
			return cmp.Compare(b.y, a.y)
		}
		return 0
	})
	for from := 0; from < len(glyphs); {
		to := from + 1
		for to < len(glyphs) && math.Abs(glyphs[to].y-glyphs[from].y) <= 0.35*math.Max(glyphs[from].size, 4) {
			to++
		}
		line := glyphs[from:to]
		slices.SortStableFunc(line, func(a, b glyph) int { return cmp.Compare(a.x, b.x) })
		if r := rowOf(line); len(r.segs) > 0 {
			out = append(out, r)
		}
		from = to
	}
	return out
}

// rowOf makes words by the gaps between characters, and segments by wide ones.
func rowOf(line []glyph) (r row) {
	r.y = line[0].y
	bold, struck := 0, 0
	var b strings.Builder
	var seg segment
	end := math.Inf(-1)
	flush := func() {
		if text := strings.TrimSpace(b.String()); text != "" {
			seg.text, seg.to = text, end
			r.segs = append(r.segs, seg)
		}
		b.Reset()
	}
	lastX, last := math.Inf(-1), ""
	for _, g := range line {
		if g.text == last && math.Abs(g.x-lastX) < 0.1*g.size { // printed twice, to look bold
			continue
		}
		lastX, last = g.x, g.text
		if strings.TrimSpace(g.text) == "" {
			if b.Len() > 0 && !strings.HasSuffix(b.String(), " ") && g.x-end < 1.2*g.size {
				b.WriteByte(' ')
			}
			if g.x-end < 0.6*g.size {
				end = math.Max(end, math.Min(g.x+g.width, end+0.4*g.size))
			}
			continue
		}
		gap := g.x - end
		switch {
		case b.Len() == 0 || gap > 1.4*g.size:
			flush()
			seg = segment{from: g.x}
		case gap > 0.18*g.size && !strings.HasSuffix(b.String(), " "):
			b.WriteByte(' ')
		}
		b.WriteString(g.text)
		end = g.x + g.width
		r.size = math.Max(r.size, g.size)
		if g.bold {
			bold++
		}
		if g.struck {
			struck++
		}
	}
	flush()
	r.bold = bold*2 > len(line)
	r.struck = struck*10 > len(line)*7 && struck > 2
	return r
}

// columnsOf cuts a page that is set in two columns of text into them. A table has
// short cells; columns of text are wide and full.
func columnsOf(rows []row) [][]row {
	left, right := math.Inf(1), math.Inf(-1)
	for _, r := range rows {
		left, right = math.Min(left, r.segs[0].from), math.Max(right, r.segs[len(r.segs)-1].to)
	}
	best, bestGap := 0.0, 0
	for x := left + (right-left)*0.3; x < left+(right-left)*0.7; x += 2 {
		both, across := 0, 0
		for _, r := range rows {
			l, rr, cross := false, false, false
			for _, s := range r.segs {
				switch {
				case s.to < x:
					l = true
				case s.from > x:
					rr = true
				default:
					cross = true
				}
			}
			if cross {
				across++
			}
			if l && rr && !cross {
				both++
			}
		}
		if score := both - 3*across; score > bestGap {
			best, bestGap = x, score
		}
	}
	if bestGap < 6 {
		return [][]row{rows}
	}
	var halves [2][]row
	letters, cells := [2]int{}, [2]int{}
	var top [][]row
	for _, r := range rows {
		var parts [2][]segment
		cross := false
		for _, s := range r.segs {
			switch {
			case s.to < best:
				parts[0] = append(parts[0], s)
			case s.from > best:
				parts[1] = append(parts[1], s)
			default:
				cross = true
			}
		}
		if cross {
			if len(halves[0]) == 0 && len(halves[1]) == 0 {
				top = append(top, []row{r})
			} else {
				halves[0] = append(halves[0], r)
			}
			continue
		}
		for i, segs := range parts {
			if len(segs) == 0 {
				continue
			}
			halves[i] = append(halves[i], row{y: r.y, size: r.size, bold: r.bold, struck: r.struck, segs: segs, table: r.table})
			cells[i] += len(segs)
			for _, s := range segs {
				letters[i] += len(s.text)
			}
		}
	}
	for i := range halves {
		if len(halves[i]) == 0 || cells[i] > len(halves[i])*5/4 || letters[i] < 24*len(halves[i]) {
			return [][]row{rows}
		}
	}
	var out [][]row
	if len(top) > 0 {
		var lead []row
		for _, t := range top {
			lead = append(lead, t...)
		}
		out = append(out, lead)
	}
	return append(out, halves[0], halves[1])
}

// partsOf makes lines and tables of the rows of a column.
func partsOf(rows []row, page int, number *int) (out []Part) {
	body := bodySize(rows)
	for n := 0; n < len(rows); {
		if end, t := tableAt(rows, n); end > n {
			t.Page = page
			t.Line = *number + 1
			for range t.Rows {
				t.Lines = append(t.Lines, *number+1)
				*number++
			}
			out = append(out, Part{Table: t})
			n = end
			continue
		}
		r := rows[n]
		if r.table != nil {
			r.table.Page, r.table.Line = page, *number+1
			for range r.table.Rows {
				*number++
				r.table.Lines = append(r.table.Lines, *number)
			}
			out = append(out, Part{Table: r.table})
			n++
			continue
		}
		*number++
		texts := make([]string, len(r.segs))
		for i, s := range r.segs {
			texts[i] = s.text
		}
		l := notice.Line{Text: strings.Join(texts, "  "), Page: page, Number: *number, Struck: r.struck}
		short := len(l.Text) < 90 && len(r.segs) == 1
		switch {
		case short && r.size > 1.45*body:
			l.Level = 1
		case short && (r.size > 1.15*body || r.bold && !strings.HasSuffix(l.Text, ".")):
			l.Level = 2
		}
		if n > 0 && rows[n-1].y-r.y > 1.75*math.Max(r.size, rows[n-1].size) || n > 0 && math.Abs(rows[n-1].size-r.size) > 0.15*body {
			out = append(out, Part{})
		}
		out = append(out, Part{Line: l})
		n++
	}
	return out
}

// bodySize gives the size of most of the text.
func bodySize(rows []row) float64 {
	count := map[int]int{}
	best, most := 10.0, 0
	for _, r := range rows {
		k := int(r.size*2 + 0.5)
		for _, s := range r.segs {
			count[k] += len(s.text)
		}
		if count[k] > most {
			best, most = float64(k)/2, count[k]
		}
	}
	return best
}

// tableAt finds a table that begins at row n: lines of several cells that stand in
// the same columns, with the lines between into which cells are wrapped.
func tableAt(rows []row, n int) (end int, t *Table) {
	if len(rows[n].segs) < 2 {
		return n, nil
	}
	starts := columnStarts(rows, n)
	if len(starts) < 2 {
		return n, nil
	}
	place := func(s segment) int {
		at := -1
		for i, x := range starts {
			if s.from >= x-6 {
				at = i
			}
		}
		return at
	}
	t = &Table{}
	full := 0
	pitch := 0.0
	for end = n; end < len(rows) && rows[end].table == nil; end++ {
		r := rows[end]
		cells := make([]table.Cell, len(starts))
		seen, ok := 0, true
		for _, s := range r.segs {
			i := place(s)
			if i < 0 || s.from > starts[i]+40 && !aligned(s, starts, i) {
				ok = false
				break
			}
			if i+1 < len(starts) && s.to > starts[i+1]+2 && len(r.segs) > 1 { // runs into the next column
				ok = false
				break
			}
			if cells[i].Text != "" {
				cells[i].Text += " "
			}
			cells[i] = Text(cells[i].Text + s.text)
			seen++
		}
		gap := 0.0
		if end > n {
			gap = rows[end-1].y - r.y
		}
		if !ok || end > n && gap > 4.5*r.size {
			break
		}
		wrapped := end > n && len(t.Rows) > 0 && (cells[0].Text == "" || seen < 2) && gap < 1.7*r.size && (pitch == 0 || gap < 0.9*pitch || cells[0].Text == "")
		if len(r.segs) == 1 && !wrapped {
			if seen == 1 && cells[0].Text == "" && end > n { // a cell further down, as in merged ones
				t.Rows = append(t.Rows, cells)
				continue
			}
			break
		}
		if wrapped && (cells[0].Text == "" || seen < len(starts) && gap < 1.45*r.size && (pitch == 0 || gap < 0.8*pitch)) {
			above := t.Rows[len(t.Rows)-1]
			for i, c := range cells {
				if c.Text != "" {
					above[i] = Text(strings.TrimSpace(above[i].Text + " " + c.Text))
				}
			}
			continue
		}
		if seen >= 2 {
			full++
		}
		if end > n && gap > 0 {
			pitch = math.Max(pitch, gap)
		}
		t.Rows = append(t.Rows, cells)
	}
	if full < 3 || len(t.Rows) < 3 {
		return n, nil
	}
	return end, t
}

func aligned(s segment, starts []float64, i int) bool {
	return i+1 < len(starts) && s.to < starts[i+1]
}

// columnStarts gives where the columns of a table begin that begins at row n.
func columnStarts(rows []row, n int) []float64 {
	var xs []float64
	lines := 0
	for i := n; i < len(rows) && i < n+200; i++ {
		if i > n && rows[i-1].y-rows[i].y > 4.5*rows[i].size {
			break
		}
		if len(rows[i].segs) < 2 {
			if i > n+4 && len(rows[i-1].segs) < 2 && len(rows[i-2].segs) < 2 && len(rows[i-3].segs) < 2 {
				break
			}
			continue
		}
		lines++
		for _, s := range rows[i].segs {
			xs = append(xs, s.from)
		}
	}
	slices.Sort(xs)
	var out []float64
	for from := 0; from < len(xs); {
		to := from
		for to < len(xs) && xs[to]-xs[from] < 8 {
			to++
		}
		if to-from >= max(2, lines/3) {
			out = append(out, xs[from])
		}
		from = to
	}
	return out
}

// joinTables brings a table together that goes on on the next page.
func (d *Doc) joinTables() {
	var out []Part
	for _, p := range d.Parts {
		if p.Table != nil {
			at := len(out) - 1
			for at >= 0 && out[at].Table == nil && (strings.TrimSpace(out[at].Line.Text) == "" || footer(out[at].Line.Text)) {
				at--
			}
			if at >= 0 && out[at].Table != nil && out[at].Table.Page < p.Table.Page && len(out[at].Table.Rows[0]) == len(p.Table.Rows[0]) {
				t := out[at].Table
				rows, lines := p.Table.Rows, p.Table.Lines
				if sameRow(rows[0], t.Rows[0]) {
					rows, lines = rows[1:], lines[1:]
				}
				t.Rows, t.Lines = append(t.Rows, rows...), append(t.Lines, lines...)
				continue
			}
		}
		out = append(out, p)
	}
	d.Parts = out
}

// footer tells whether a line is the number of a page.
func footer(text string) bool {
	text = strings.ToLower(strings.TrimSpace(text))
	for _, w := range []string{"page", "seite", "página", "pagina", "of", "von", "de", "/", "-", "–", " ", "sur", "di", "van"} {
		text = strings.ReplaceAll(text, w, "")
	}
	return strings.Trim(text, "0123456789") == ""
}
