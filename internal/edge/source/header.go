package source

import (
	"io"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// lookAhead is how many rows are searched for the header.
const lookAhead = 60

// framed is a table under its header, cut out of a raw sheet.
type framed struct {
	raw       raw
	header    table.Header
	headerRow int
	buffered  []table.Row
}

func newTable(r raw, o Options) (Reader, error) {
	t := &framed{raw: r}
	if err := t.findHeader(o); err != nil {
		r.Close()
		return nil, err
	}
	return t, nil
}

func (t *framed) Header() table.Header  { return t.header }
func (t *framed) HeaderRow() int        { return t.headerRow }
func (t *framed) Origin() *table.Origin { return t.raw.origin() }
func (t *framed) Close() error          { return t.raw.Close() }

// Next gives the next row that is not blank.
func (t *framed) Next() (table.Row, error) {
	for {
		var row table.Row
		if len(t.buffered) > 0 {
			row, t.buffered = t.buffered[0], t.buffered[1:]
		} else {
			var err error
			if row, err = t.raw.next(); err != nil {
				return row, err
			}
		}
		if row.Fault == nil && row.Blank() {
			continue
		}
		return t.fit(row), nil
	}
}

// fit reports a row with values beside the table: a separator inside a value
// has most likely moved its cells.
func (t *framed) fit(row table.Row) table.Row {
	if row.Fault == nil && len(row.Cells) > len(t.header) {
		for i := len(t.header); i < len(row.Cells); i++ {
			if row.Cells[i].Filled() && row.Line > 0 {
				row.Fault = fault.New(row.Cells[i].Text, "stands beside the table's "+strconv.Itoa(len(t.header))+" columns, so the row's values may have moved").Do("put quotes around values that contain the separator").At(row.Place())
				break
			}
		}
	}
	return row
}

func (t *framed) findHeader(o Options) error {
	for len(t.buffered) < lookAhead {
		row, err := t.raw.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		t.buffered = append(t.buffered, row)
	}
	at := -1
	if o.Header > 0 {
		for len(t.buffered) > 0 && int(t.buffered[len(t.buffered)-1].Number) < o.Header {
			row, err := t.raw.next()
			if err != nil {
				break
			}
			t.buffered = append(t.buffered, row)
		}
		for i, r := range t.buffered {
			if int(r.Number) == o.Header {
				at = i
			}
		}
	} else {
		at = headerIndex(t.buffered)
	}
	place := fault.Place{File: t.raw.origin().File, Sheet: t.raw.origin().Sheet}
	if at < 0 {
		return fault.Newf("no header was found: no row names its columns").At(place).Do("say in which row it stands with from: { header: N }")
	}
	row := t.buffered[at]
	t.headerRow = int(row.Number)
	t.header = make(table.Header, trimmedWidth(row))
	for i := range t.header {
		t.header[i] = strings.TrimSpace(row.Cells[i].Text)
	}
	t.buffered = t.buffered[at+1:]
	return nil
}

func trimmedWidth(row table.Row) int {
	n := len(row.Cells)
	for n > 0 && !row.Cells[n-1].Filled() {
		n--
	}
	return n
}

// headerIndex finds the header: the first row of names that is nearly as wide
// as the table. Titles above it are narrower; rows of data hold numbers,
// dates, or one name twice.
func headerIndex(rows []table.Row) int {
	widest := 0
	for _, r := range rows {
		widest = max(widest, filled(r))
	}
	for _, share := range []float64{0.7, 0.4} {
		for i, r := range rows {
			if n := filled(r); n > 0 && float64(n) >= share*float64(widest) && names(r) {
				return i
			}
		}
	}
	return -1
}

func filled(r table.Row) int {
	n := 0
	for _, c := range r.Cells {
		if c.Filled() {
			n++
		}
	}
	return n
}

// names tells whether every filled cell could name a column.
func names(r table.Row) bool {
	seen := map[string]bool{}
	for _, c := range r.Cells {
		if !c.Filled() {
			continue
		}
		text := strings.ToLower(strings.TrimSpace(c.Text))
		if c.Kind != table.Text || seen[text] || len(text) > 120 || !strings.ContainsFunc(text, func(r rune) bool { return r > '9' }) || looksLikeData(text) {
			return false
		}
		seen[text] = true
	}
	return true
}

// looksLikeData tells whether a text holds two digits or more in a row, as
// dates, times and numbers do and names of columns seldom.
func looksLikeData(text string) bool {
	digits := 0
	for _, r := range text {
		if r >= '0' && r <= '9' {
			digits++
		}
	}
	return digits*2 >= len(text) || strings.Contains(text, "@")
}
