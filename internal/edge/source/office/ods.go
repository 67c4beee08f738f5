package office

import (
	"archive/zip"
	"fmt"
	"io"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/sheet"
)

// odsBook is an OpenDocument spreadsheet (ISO/IEC 26300).
type odsBook struct {
	file    *os.File
	budget  *sheet.Budget
	name    string
	content *zip.File
	list    []sheet.Info
	*odsStyles
}

func openDocument(f *os.File, parts map[string]*zip.File, o sheet.Options) (sheet.Book, error) {
	at := fault.Place{File: o.Name}
	if kind, err := readPart(o.Budget, parts["mimetype"], 200); err == nil && !strings.Contains(kind, "spreadsheet") {
		return nil, fault.Newf("is an OpenDocument file but no spreadsheet").At(at).Do("save the table as .ods or .csv")
	}
	b := &odsBook{file: f, budget: o.Budget, name: o.Name, content: parts["content.xml"]}
	if manifest, err := readPart(o.Budget, parts["META-INF/manifest.xml"], 1<<20); err == nil && strings.Contains(manifest, "encryption-data") {
		return nil, fault.Newf("the workbook is locked with a password").At(at).Do("save it without a password")
	}
	styles := &odsStyles{hidden: map[string]bool{}, struck: map[string]bool{}, raised: map[string]bool{}}
	if p := parts["styles.xml"]; p != nil {
		if _, err := styles.read(b.budget, p); err != nil {
			return nil, fault.Newf("the workbook cannot be read: %w", err).At(at).Do("open it, save it again, or ask for it again")
		}
	}
	list, err := styles.read(b.budget, b.content)
	if err != nil {
		return nil, fault.Newf("the workbook cannot be read: %w", err).At(at).Do("open it, save it again, or ask for it again")
	}
	b.list, b.odsStyles = list, styles
	if len(b.list) == 0 {
		return nil, fault.Newf("the workbook has no sheets").At(at)
	}
	return b, nil
}

// odsStyles are the named formats of a document, as far as they matter here.
type odsStyles struct {
	hidden map[string]bool // of tables
	struck map[string]bool // of cells and texts: crossed out
	raised map[string]bool // of texts: above the line
	margin []string        // what is printed above and below the pages
}

// read reads the styles of a part, and gives the tables in it.
func (s *odsStyles) read(budget *sheet.Budget, p *zip.File) (list []sheet.Info, err error) {
	r, err := openPart(budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	x := newXML(r)
	style, margin := "", false
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k != xmlText && (strings.HasPrefix(string(x.name), "header") || strings.HasPrefix(string(x.name), "footer")) {
			margin = k == xmlStart && x.open
		}
		switch {
		case k == xmlStart && margin && x.is("p"):
			s.margin = append(s.margin, x.spoken())
		case k == xmlClose && x.is("style"):
			style = ""
		case k != xmlStart:
		case x.is("style"):
			style = string(x.get("name"))
			if s.struck[string(x.get("parent-style-name"))] {
				s.struck[style] = true
			}
		case x.is("table-properties") && style != "":
			s.hidden[style] = string(x.get("display")) == "false"
		case x.is("text-properties") && style != "":
			line := string(x.get("text-line-through-style")) + string(x.get("text-line-through-type"))
			if position := string(x.get("text-position")); position != "" {
				s.raised[style] = !strings.HasPrefix(position, "sub") && !strings.HasPrefix(position, "-") && !strings.HasPrefix(position, "0")
			}
			if line != "" {
				s.struck[style] = !strings.Contains(line, "none")
			}
		case x.is("table"):
			list = append(list, sheet.Info{Name: string(x.get("name")), Hidden: s.hidden[string(x.get("style-name"))]})
		}
	}
	return list, x.err
}

func readPart(budget *sheet.Budget, p *zip.File, most int64) (string, error) {
	r, err := openPart(budget, p)
	if err != nil {
		return "", err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, most))
	return string(data), err
}

func (b *odsBook) Sheets() []sheet.Info { return b.list }
func (b *odsBook) Close() error         { return b.file.Close() }

func (b *odsBook) Open(i int) (sheet.Raw, error) {
	s := &odsSheet{styles: b.odsStyles, from: &table.Origin{File: b.name, Sheet: b.list[i].Name}}
	for _, text := range b.margin {
		s.asides.Add(sheet.Margin, "", text)
	}
	r, err := openPart(b.budget, b.content)
	if err != nil {
		return nil, fault.Newf("the sheet cannot be read: %w", err).At(fault.Place{File: b.name, Sheet: s.from.Sheet})
	}
	s.part = newAhead(r)
	s.xml = newXML(s.part)
	for n := -1; ; {
		switch s.xml.next() {
		case xmlEnd:
			s.part.Close()
			return nil, s.fail(orDamaged(s.xml.err))
		case xmlStart:
			if s.xml.is("table") {
				if n++; n == i {
					s.ended = !s.xml.open
					return s, nil
				}
			}
		}
	}
}

// odsSheet reads one table of the document, which has them one behind the
// other in one stream.
type odsSheet struct {
	from    *table.Origin
	part    io.ReadCloser
	xml     *xmlScanner
	row     int32
	again   int // times the current row is still to be given
	cells   []table.Cell
	hide    bool
	styles  *odsStyles
	struck  bool // the cell read last has a part of that style
	columns []span
	column  int // columns described so far
	merged  sheet.Merges
	asides  sheet.Asides
	block   sheet.Block
	ended   bool
}

func (s *odsSheet) Origin() *table.Origin { return s.from }
func (s *odsSheet) Close() error          { return s.part.Close() }

func (s *odsSheet) About(a *sheet.About) { a.Format, a.Merged = "ODS workbook", s.merged.Len() }

func (s *odsSheet) Hidden(column int) bool {
	for _, c := range s.columns {
		if c.from <= column && column <= c.to {
			return true
		}
	}
	return false
}

func (s *odsSheet) fail(err error) error {
	return fault.Newf("the sheet cannot be read on: %w", err).At(fault.Place{File: s.from.File, Sheet: s.from.Sheet, Row: int(s.row)})
}

// blankRepeats is how often a blank row is given at most: programs write the
// empty rest of a sheet as one row a million times over.
const blankRepeats = 1

func (s *odsSheet) Next() (table.Row, error) {
	for s.again == 0 {
		if s.ended {
			return table.Row{}, io.EOF
		}
		switch s.xml.next() {
		case xmlEnd:
			return table.Row{}, s.fail(orDamaged(s.xml.err))
		case xmlClose:
			s.ended = s.xml.is("table")
		case xmlStart:
			switch {
			case s.xml.is("table-column"):
				n := sheet.Count(s.xml.get("number-columns-repeated"))
				if v := string(s.xml.get("visibility")); v == "collapse" || v == "filter" {
					s.columns = append(s.columns, span{s.column, s.column + n - 1})
				}
				s.column += n
			case s.xml.is("table-row"):
				if err := s.readRow(); err != nil {
					return table.Row{}, err
				}
			case odsShapes[string(s.xml.name)]:
				s.asides.Add(sheet.TextBox, "", s.xml.spoken())
			case s.xml.is("help-message"):
				s.asides.Add(sheet.Hint, "", s.xml.spoken())
			}
		}
	}
	s.again--
	s.row++
	cells, wide := s.merged.Spread(int(s.row), append([]table.Cell(nil), s.cells...))
	row := table.Row{Origin: s.from, Number: s.row, Hidden: s.hide, Cells: s.block.Take(cells), Span: wide}
	return row, nil
}

// readRow reads a row and sets how often it is to be given.
func (s *odsSheet) readRow() error {
	times := sheet.Count(s.xml.get("number-rows-repeated"))
	v := string(s.xml.get("visibility"))
	s.hide = v == "collapse" || v == "filter"
	s.cells = s.cells[:0]
	for open := s.xml.open; open; {
		switch s.xml.next() {
		case xmlEnd:
			return s.fail(orDamaged(s.xml.err))
		case xmlClose:
			open = !s.xml.is("table-row")
		case xmlStart:
			if s.xml.is("table-cell") || s.xml.is("covered-table-cell") {
				if err := s.readCell(); err != nil {
					return err
				}
			}
		}
	}
	for len(s.cells) > 0 && s.cells[len(s.cells)-1].Kind == table.Empty {
		s.cells = s.cells[:len(s.cells)-1]
	}
	if len(s.cells) == 0 && times > blankRepeats {
		s.row += int32(min(times-blankRepeats, sheet.MaxRows))
		times = blankRepeats
	}
	if int64(s.row)+int64(times) > sheet.MaxRows {
		return s.fail(fault.Newf("it has more than %d rows, the most a workbook can have", sheet.MaxRows))
	}
	s.again = times
	return nil
}

func (s *odsSheet) readCell() error {
	covered := s.xml.is("covered-table-cell")
	times := sheet.Count(s.xml.get("number-columns-repeated"))
	wide, high := sheet.Count(s.xml.get("number-columns-spanned")), sheet.Count(s.xml.get("number-rows-spanned"))
	kind := string(s.xml.get("value-type"))
	value := string(s.xml.get("value"))
	switch kind {
	case "date":
		value = string(s.xml.get("date-value"))
	case "time":
		value = string(s.xml.get("time-value"))
	case "boolean":
		value = string(s.xml.get("boolean-value"))
	}
	formula := len(s.xml.get("formula")) > 0
	s.struck = s.styles.struck[string(s.xml.get("style-name"))]
	text, err := s.paragraphs()
	if err != nil {
		return err
	}
	c := odsCell(kind, value, text, formula)
	c.Struck = s.struck && c.Filled()
	if covered {
		c = table.Cell{}
	}
	if (wide > 1 || high > 1) && s.merged.Len() < sheet.MaxRows {
		left := len(s.cells)
		s.merged.Add(sheet.Area{Top: int(s.row) + 1, Bottom: int(s.row) + high, Left: left, Right: left + wide - 1})
	}
	if c.Kind == table.Empty && times > sheet.MaxColumns-len(s.cells) {
		times = max(0, sheet.MaxColumns-len(s.cells))
	}
	if len(s.cells)+times > sheet.MaxColumns {
		return s.fail(fault.Newf("the row has more than %d columns, the most a workbook can have", sheet.MaxColumns))
	}
	for range times {
		s.cells = append(s.cells, c)
	}
	return nil
}

// odsShapes are what can lie on a cell.
var odsShapes = map[string]bool{"frame": true, "custom-shape": true, "rect": true, "ellipse": true, "circle": true, "line": true, "connector": true, "caption": true, "measure": true, "polyline": true, "polygon": true, "path": true, "regular-polygon": true, "g": true, "control": true, "scene": true}

// paragraphs reads the text of a cell: its paragraphs on a line each, without
// the notes pinned to it and the shapes that lie on it.
func (s *odsSheet) paragraphs() (string, error) {
	var b strings.Builder
	first, raised := true, 0 // raised is how deep the text above the line lies
	for open, depth := s.xml.open, 1; open; {
		switch s.xml.next() {
		case xmlEnd:
			return "", s.fail(orDamaged(s.xml.err))
		case xmlClose:
			if depth == raised {
				raised = 0
			}
			depth--
			open = depth > 0
		case xmlText:
			if raised > 0 {
				s.xml.text = []byte(sheet.Raised(string(s.xml.text)))
			}
			if depth > 1 {
				b.Write(s.xml.text)
			}
		case xmlStart:
			inside := s.xml.open
			switch {
			case s.xml.is("annotation"):
				s.asides.Add(sheet.Note, table.Letter(len(s.cells))+strconv.Itoa(int(s.row)+1), s.xml.spoken())
				inside = false
			case odsShapes[string(s.xml.name)]:
				s.asides.Add(sheet.TextBox, "", s.xml.spoken())
				inside = false
			case s.xml.is("span"):
				style := s.xml.get("style-name")
				s.struck = s.struck || s.styles.struck[string(style)]
				if s.styles.raised[string(style)] && inside && raised == 0 {
					raised = depth + 1
				}
			case s.xml.is("p"):
				if !first {
					b.WriteByte('\n')
				}
				first = false
			case s.xml.is("s"):
				b.WriteString(strings.Repeat(" ", min(sheet.Count(s.xml.get("c")), 1000)))
			case s.xml.is("tab"):
				b.WriteByte('\t')
			case s.xml.is("line-break"):
				b.WriteByte('\n')
			}
			if inside {
				depth++
			}
		}
		if b.Len() > sheet.MaxCell {
			return "", s.fail(errCell)
		}
	}
	return b.String(), nil
}

var odsDates = []string{"2006-01-02", "2006-01-02T15:04:05", "2006-01-02T15:04:05.999999999", "2006-01-02T15:04"}

// odsHours is a time of day or a length as OpenDocument stores it.
var odsHours = pattern.Lazy(`^PT(\d{1,8})H(\d{1,2})M(\d{1,2}(?:\.\d+)?)S$`)

// odsDays gives it in days.
func odsDays(value string) (float64, bool) {
	m := odsHours().FindStringSubmatch(value)
	if m == nil {
		return 0, false
	}
	var n [3]float64
	for i := range n {
		n[i], _ = strconv.ParseFloat(m[i+1], 64)
	}
	return (n[0] + n[1]/60 + n[2]/3600) / 24, true
}

// timeAlone is a time of day and nothing else.
var timeAlone = pattern.Lazy(`(?i)^\d{1,2}[:.]\d\d([:.]\d\d)?( ?[ap]m)?$`)

// clock is a time of day in what is shown.
var clock = pattern.Lazy(`\d{1,2}:\d\d(:\d\d)?`)

// showsClock tells whether a time of day is shown: 8:30, 08.30, 8h30, 8 AM.
func showsClock(text string, t time.Time) bool {
	text = strings.ToLower(text)
	for _, hour := range []int{t.Hour(), (t.Hour()+11)%12 + 1} {
		for _, sign := range []string{":", ".", "h", " h "} {
			if strings.Contains(text, fmt.Sprintf("%d%s%02d", hour, sign, t.Minute())) {
				return true
			}
		}
	}
	return clock().MatchString(text) || strings.HasSuffix(text, "am") || strings.HasSuffix(text, "pm") || strings.HasSuffix(text, "h") || strings.HasSuffix(text, "uhr")
}

// shownPart tells from what is shown of a date which part of it that is.
func shownPart(text string, t time.Time) table.Part {
	if text == "" {
		return table.Whole
	}
	timed := t.Hour()+t.Minute()+t.Second() > 0
	switch shows := timed && showsClock(text, t); {
	case timeAlone().MatchString(text) && (shows || strings.Contains(text, ":")): // 04.05 can be a day
		return table.ClockOnly
	case timed && !shows:
		return table.NoClock
	}
	groups := strings.FieldsFunc(clock().ReplaceAllString(text, " "), func(r rune) bool { return r < '0' || r > '9' })
	take := func(n int) bool {
		at := slices.IndexFunc(groups, func(g string) bool {
			v, err := strconv.Atoi(g)
			return err == nil && v == n && len(g) <= max(2, len(strconv.Itoa(n)))
		})
		if at >= 0 {
			groups = slices.Delete(groups, at, at+1)
		}
		return at >= 0
	}
	day := take(t.Day())
	switch year := take(t.Year()) || slices.Contains(groups, t.Format("06")); {
	case day && !year:
		return table.NoYear
	case day:
		return table.Whole
	case year || len(groups) > 0:
		return table.NoDay
	}
	return table.DayName
}

func odsCell(kind, value, text string, formula bool) table.Cell {
	switch kind {
	case "float", "percentage", "currency":
		n, err := strconv.ParseFloat(value, 64)
		if err != nil || math.IsInf(n, 0) || math.IsNaN(n) {
			return table.Cell{Kind: table.Bad, Text: text}
		}
		c := numberCell(n, &display{})
		if n == math.Trunc(n) && kind == "float" {
			if shown, ok := shownWhole(int64(n), text); ok {
				c.Text = shown
			}
		}
		return c
	case "date":
		for i, layout := range odsDates {
			if t, err := time.Parse(layout, value); err == nil {
				if n := (t.Unix() - zone.Wall(1899, 12, 30, 0, 0, 0)) / 86400; n <= 0 {
					return table.Cell{Kind: table.Bad, Text: strconv.FormatInt(n, 10)}
				}
				k := table.DateTime
				if i == 0 {
					k = table.Date
				}
				c := table.NewTemporal(k, float64(t.Unix()-zone.Wall(1899, 12, 30, 0, 0, 0))/86400)
				c.Shown = shownPart(text, t)
				return c
			}
		}
		return table.Cell{Kind: table.Bad, Text: value}
	case "time":
		if days, ok := odsDays(value); ok && days >= 60 && days < lastDay { // a date formatted to show only its time
			c := table.NewTemporal(table.DateTime, days)
			c.Shown = table.ClockOnly
			return c
		}
		d, ok := moment.ParseLength(value)
		if !ok && strings.Trim(value, "PTHMS0") != "" {
			return table.Cell{Kind: table.Bad, Text: value}
		}
		k := table.Time
		if d >= 24*time.Hour {
			k = table.Duration
		}
		return table.NewTemporal(k, d.Hours()/24)
	case "boolean":
		return table.Cell{Kind: table.Bool, Text: value}
	}
	switch {
	case text == "" && formula:
		return table.Cell{Kind: table.Bad, Text: "a formula without a value"}
	case text == "":
		return table.Cell{}
	case formula && (strings.HasPrefix(text, "#") || strings.HasPrefix(text, "Err:")):
		return table.Cell{Kind: table.Bad, Text: text}
	}
	return table.Cell{Kind: table.Text, Text: text}
}
