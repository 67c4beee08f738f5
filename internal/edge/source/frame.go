package source

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/fault"
	"almanach/internal/core/match"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/sheet"
)

// lookAhead is how many rows are searched for the header.
const lookAhead = 60

// framed is a table under its header, cut out of a raw sheet.
type framed struct {
	budget   *sheet.Budget
	raw      sheet.Raw
	header   table.Header
	about    sheet.About
	buffered []table.Row
	area     sheet.Area
	fill     []int        // columns filled down
	above    []table.Cell // their last values
	read     bool         // hidden rows and columns are read
	heard    bool         // what the sheet says outside of its cells is in about
	block    sheet.Block

	named    map[string]int // columns by their headings, in lower case; nil when two are alike
	initials [128]bool      // of these headings; all where one is not ASCII
	fold     []byte         // room for a text that may be one
	order    []int          // of the columns below a header that is repeated in another order
	repeats  []int          // rows that repeat the header
	note     int            // of About that says so
	shuffled bool           // one of them had another order

	under    string // the heading within the table that was met last
	headings int    // met so far
	noted    int    // of About that says so

	days      bool       // days stand in rows of their own
	dayAt     int        // in this column
	dayWords  bool       // nothing else in that column says a day
	day       table.Cell // the one that was met last
	dayColumn int        // that the other rows have their day in
	dayAdded  bool       // that column was added
	dayRows   int        // met so far
	dayNote   int        // of About that says so
}

func newTable(r sheet.Raw, o sheet.Options) (*framed, error) {
	t := &framed{budget: o.Budget, raw: r, read: o.Hidden}
	err := t.start(o)
	if err != nil {
		r.Close()
		return nil, err
	}
	return t, nil
}

func (t *framed) start(o sheet.Options) (err error) {
	if t.area, err = sheet.ParseArea(o.Range); err != nil {
		return fault.Of(err).At(t.place())
	}
	if err := t.findHeader(o); err != nil {
		return err
	}
	t.knowHeadings()
	if !t.read {
		for i := range t.header {
			if t.raw.Hidden(i + t.area.Left) {
				t.about.HiddenColumns = append(t.about.HiddenColumns, t.header.Label(i))
				t.header[i] = ""
			}
		}
	}
	t.findDayRows()
	for _, name := range o.FillDown {
		i := t.header.Find(name)
		if letter, ok := strings.CutPrefix(name, "@"); ok && i < 0 {
			i = table.Index(letter)
		}
		if i < 0 {
			return fault.Unknown("column", name, t.header.Names()).At(t.place())
		}
		t.fill = append(t.fill, i)
	}
	t.above = make([]table.Cell, len(t.fill))
	t.raw.About(&t.about)
	if t.budget != nil {
		t.about.Notes = append(t.about.Notes, t.budget.Notes...)
	}
	t.titledYear(t.raw.Origin().Sheet, "the name of the sheet")
	if name := t.raw.Origin().Sheet; zone.Titled(name) != "" {
		t.about.Zones = append(t.about.Zones, sheet.ZoneNote{Text: "sheet " + name, Zone: zone.Titled(name)})
	}
	return nil
}

func (t *framed) place() fault.Place {
	return fault.Place{File: t.raw.Origin().File, Sheet: t.raw.Origin().Sheet}
}

func (t *framed) Header() table.Header  { return t.header }
func (t *framed) Origin() *table.Origin { return t.raw.Origin() }
func (t *framed) About() *sheet.About   { return &t.about }
func (t *framed) Close() error          { return t.raw.Close() }

// severed says where the file ends before the table does.
func (t *framed) severed() {
	if s, ok := t.raw.(sheet.Severed); ok && s.Severed() && t.about.More == "" {
		t.about.More = "the file ends in the middle of its table"
		t.about.Notes = append(t.about.Notes, t.about.More+": rows may be missing, and none is taken for gone")
	}
}

// Next gives the next row that is not blank.
func (t *framed) Next() (table.Row, error) {
	for {
		var row table.Row
		if len(t.buffered) > 0 {
			row, t.buffered = t.buffered[0], t.buffered[1:]
		} else {
			var err error
			if row, err = t.pull(); err != nil {
				if errors.Is(err, io.EOF) {
					t.severed()
					t.told()
				}
				return row, err
			}
		}
		if row.Fault == nil && (row.Blank() || t.statesZone(row, false) || t.repeated(row) || t.opensDay(&row) || t.divides(row)) {
			continue
		}
		row.Under = t.under
		if t.order != nil && row.Fault == nil {
			row = row.With(t.reorder(row.AppendCells(nil)))
		}
		if row.Hidden {
			t.about.HiddenRows++
			row.Hidden = !t.read
		}
		return t.withDay(t.fit(row)), nil
	}
}

func heading(text string) string { return string(appendHeading(nil, text)) }

// appendHeading appends a text in lower case, its white space collapsed.
func appendHeading(b []byte, text string) []byte {
	begun := len(b)
	gap := false
	for _, r := range text {
		if unicode.IsSpace(r) {
			gap = true
			continue
		}
		if gap && len(b) > begun {
			b = append(b, ' ')
		}
		gap = false
		b = utf8.AppendRune(b, unicode.ToLower(r))
	}
	return b
}

// knowHeadings notes which heading is which column.
func (t *framed) knowHeadings() {
	t.named = map[string]int{}
	for i, name := range t.header {
		if name = heading(name); name == "" {
			continue
		}
		if _, twice := t.named[name]; twice {
			t.named = nil
			return
		}
		t.named[name] = i
		if first := name[0]; first < utf8.RuneSelf {
			t.initials[first] = true
			continue
		}
		for c := range t.initials {
			t.initials[c] = true
		}
	}
}

// mayBegin tells whether a text may be one of the headings, by its first letter.
func (t *framed) mayBegin(text string) bool {
	c := text[0]
	if c >= 'A' && c <= 'Z' {
		c += 'a' - 'A'
	}
	return c <= ' ' || c >= utf8.RuneSelf || t.initials[c]
}

// repeated tells whether a row is the header once more, as printed tables and
// tables that were put below each other have it. What stands below it is read
// by its order of the columns.
func (t *framed) repeated(row table.Row) bool {
	if len(t.named) < 2 {
		return false
	}
	var order []int
	same, found := true, 0
	for at := range row.Width() {
		c := row.Cell(at)
		if !c.Filled() {
			continue
		}
		if !t.mayBegin(c.Text) {
			return false
		}
		t.fold = appendHeading(t.fold[:0], c.Text)
		i, known := t.named[string(t.fold)]
		if !known {
			return false
		}
		if order == nil { // few rows get so far
			order = slices.Repeat([]int{-1}, len(t.header))
		}
		if order[i] >= 0 {
			return false
		}
		order[i], same = at, same && at == i
		found++
	}
	if found != len(t.named) {
		return false
	}
	t.repeats = append(t.repeats, int(row.Number))
	if t.order = order; same {
		t.order = nil
	}
	t.shuffled = t.shuffled || !same
	text := fmt.Sprintf("row %d repeats the header", row.Number)
	if n := len(t.repeats); n > 1 {
		text = fmt.Sprintf("%d rows repeat the header, the first row %d, the last row %d", n, t.repeats[0], row.Number)
	} else {
		t.note = len(t.about.Notes)
		t.about.Notes = append(t.about.Notes, "")
	}
	if t.shuffled {
		text += "; what stands below each is read by its own order of the columns"
	}
	t.about.Notes[t.note] = text
	return true
}

// stateAlone tells whether all that a row says is a word for the state of the rows below it.
func (t *framed) stateAlone(row table.Row) bool {
	if len(t.header) < 3 {
		return false
	}
	text := ""
	for i := range row.Width() {
		if c := row.Cell(i); c.Filled() {
			if text != "" || c.Kind != table.Text {
				return false
			}
			text = c.Text
		}
	}
	state, _ := match.State(text)
	return state
}

// divides tells whether a row is a heading within the table: one merged range,
// over more than half of its columns, holds all that it says, or a word for the state of
// what is below does, such as Cancelled.
func (t *framed) divides(row table.Row) bool {
	if (row.Span < 2 || int(row.Span)*2 <= len(t.header)) && !t.stateAlone(row) {
		return false
	}
	for _, c := range row.AppendCells(nil) {
		if c.Filled() {
			t.under = strings.Join(strings.Fields(c.Text), " ")
			break
		}
	}
	if t.headings++; t.headings == 1 {
		t.noted = len(t.about.Notes)
		t.about.Notes = append(t.about.Notes, fmt.Sprintf("row %d is a heading within the table: %s", row.Number, fault.Shorten(t.under, 60)))
	} else {
		t.about.Notes[t.noted] = fmt.Sprintf("%d rows are headings within the table, the last of them row %d: %s", t.headings, row.Number, fault.Shorten(t.under, 60))
	}
	return true
}

// reorder puts cells under the columns of the first header.
func (t *framed) reorder(cells []table.Cell) []table.Cell {
	out := make([]table.Cell, len(t.header), max(len(cells), len(t.header)))
	for i, at := range t.order {
		if at >= 0 && at < len(cells) {
			out[i] = cells[at]
		}
	}
	return append(out, cells[min(len(cells), len(t.header)):]...)
}

// pull gives the next raw row, cut down to the area that is asked for.
func (t *framed) pull() (table.Row, error) {
	for {
		row, err := t.raw.Next()
		if err == nil {
			err = t.budget.Row(row)
		}
		if err != nil || t.area.Whole() {
			return row, err
		}
		switch {
		case int(row.Number) < t.area.Top:
			continue
		case t.area.Bottom > 0 && int(row.Number) > t.area.Bottom:
			return table.Row{}, io.EOF
		}
		row = row.Opened()
		row.Cells = row.Cells[min(t.area.Left, len(row.Cells)):]
		if w := t.area.Right - t.area.Left + 1; t.area.Right > 0 && len(row.Cells) > w {
			row.Cells = row.Cells[:w]
		}
		return row, nil
	}
}

// fit reports a row with values beside the table, and fills its empty cells
// from above where that is asked for.
func (t *framed) fit(row table.Row) table.Row {
	width := len(t.header)
	if t.dayAdded {
		width--
	}
	if row.Fault == nil && row.Line > 0 {
		for i := width; i < row.Width(); i++ {
			if c := row.Cell(i); c.Filled() {
				row.Fault = fault.New(c.Text, "stands beside the table's "+strconv.Itoa(width)+" columns, so the row's values may have moved").Do("put quotes around values that contain the separator").At(row.Place())
				break
			}
		}
	}
	if len(t.fill) == 0 || row.Fault != nil || row.Sums() {
		return row
	}
	row = row.Opened()
	for n, i := range t.fill {
		switch {
		case row.Filled(i):
			t.above[n] = row.Cells[i]
		case t.above[n].Filled():
			if i >= len(row.Cells) {
				row.Cells = t.block.Take(append(row.Cells[:len(row.Cells):len(row.Cells)], make([]table.Cell, i+1-len(row.Cells))...))
			}
			row.Cells[i] = t.above[n]
		}
	}
	return row
}

func (t *framed) findHeader(o sheet.Options) error {
	if named, ok := t.raw.(sheet.Named); ok {
		t.header = append(t.header, named.Names()...)
		return nil
	}
	last := lookAhead
	if o.Header.First > 0 {
		last = 0 // only as far as it stands
	}
	for len(t.buffered) < last || len(t.buffered) == 0 || int(t.buffered[len(t.buffered)-1].Number) < o.Header.Last {
		row, err := t.pull()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		t.buffered = append(t.buffered, row.Opened())
	}
	if o.Header.None {
		width := 0
		for _, r := range t.buffered {
			width = max(width, trimmedWidth(r))
		}
		t.header, t.about.Why = make(table.Header, width), "there is none, as told"
		return nil
	}
	from, to := -1, -1
	if o.Header.First > 0 {
		for i, r := range t.buffered {
			if int(r.Number) >= o.Header.First && from < 0 {
				from = i
			}
			if int(r.Number) <= o.Header.Last {
				to = i
			}
		}
		t.about.Why = "as told"
		if from < 0 || to < from {
			return fault.Newf("there is no row %d for the header", o.Header.First).At(t.place()).Do("say in which row it stands, with header: N or --header N")
		}
	} else {
		if f := matrix(t.buffered); f != nil {
			return f.At(t.place())
		}
		from, to, t.about.Why = headerIndex(t.buffered)
	}
	if from < 0 {
		f := fault.Newf("no header was found: no row names its columns").At(t.place())
		return f.Do("say in which row it stands with header: N, or that there is none with header: none")
	}
	for _, row := range t.buffered[:from] {
		t.statesZone(row, true)
		for i := range row.Width() {
			c := row.Cell(i)
			if text := strings.TrimSpace(c.Text); c.Kind == table.Text {
				t.titledYear(text, fmt.Sprintf("row %d (%s)", row.Number, fault.Shorten(text, 60)))
			}
		}
	}
	t.nameColumns(t.buffered[from : to+1])
	t.buffered = t.buffered[to+1:]
	return nil
}

// titledYear notes the year that a title says.
func (t *framed) titledYear(text, by string) {
	if y := moment.StatedYear(text); y != 0 {
		t.about.Years = append(t.about.Years, sheet.YearNote{Text: by, Year: y})
	}
}

// statesZone tells whether a row says which zone the times of the table are in, and is no
// row of it: a title, or a note that stands alone in its row.
func (t *framed) statesZone(row table.Row, title bool) bool {
	read := zone.Stated
	if title {
		read = zone.Titled
	}
	if !title && len(t.header) < 3 {
		return false
	}
	var texts []string
	for i := range row.Width() {
		c := row.Cell(i)
		if !c.Filled() {
			continue
		}
		if !title && (len(texts) > 1 || c.Kind != table.Text) {
			return false
		}
		if texts == nil && !title && row.Filled(i+1) && row.Filled(i+2) {
			return false // nearly always
		}
		texts = append(texts, strings.TrimSpace(c.Text))
	}
	said, number := false, row.Number // not the row, which would be kept for it
	noted := func(text, name string) {
		if name == "" {
			return
		}
		said = true
		t.about.Zones = append(t.about.Zones, sheet.ZoneNote{Row: int(number), Text: text, Zone: name})
		if !title {
			t.about.Notes = append(t.about.Notes, fmt.Sprintf("row %d is a note on the zone of the times: %s", number, fault.Shorten(text, 60)))
		}
	}
	for _, text := range texts {
		if title || len(texts) == 1 {
			noted(text, read(text))
		}
	}
	for i := 1; i < len(texts) && !said; i++ { // Time zone, and UTC beside it
		text := strings.TrimRight(texts[i-1], ": ") + ": " + texts[i]
		noted(text, zone.Stated(text))
	}
	return said
}

// nameColumns makes the names of the columns from the rows of the header, the
// upper ones going on to the right where a lower one has a name of its own.
func (t *framed) nameColumns(rows []table.Row) {
	t.about.HeaderFirst, t.about.HeaderLast = int(rows[0].Number), int(rows[len(rows)-1].Number)
	width := 0
	for _, r := range rows {
		width = max(width, trimmedWidth(r))
	}
	t.header = make(table.Header, width)
	for n, r := range rows {
		carried := ""
		for i := range width {
			text := strings.TrimSpace(r.Cell(i).Text)
			lower := n+1 < len(rows) && rows[n+1].Filled(i)
			if text == "" && lower {
				text = carried
			} else {
				carried = text
			}
			if text != "" && text != t.header[i] {
				t.header[i] = strings.TrimSpace(t.header[i] + " " + text)
			}
		}
	}
}

func trimmedWidth(row table.Row) int {
	n := row.Width()
	for n > 0 && !row.Filled(n-1) {
		n--
	}
	return n
}
