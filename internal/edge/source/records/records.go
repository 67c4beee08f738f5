// Package records reads JSON: a document with a list of records in it, or a
// record a line.
package records

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
)

// Is tells whether a text is JSON.
func Is(text []byte) bool {
	return len(text) > 0 && (text[0] == '{' || text[0] == '[' && looksLikeList(text))
}

// looksLikeList tells whether a text that begins with a bracket is a list.
func looksLikeList(text []byte) bool {
	rest := bytes.TrimLeft(text[1:], " \t\r\n")
	return len(rest) == 0 || rest[0] == '{' || rest[0] == '[' || rest[0] == ']' || rest[0] == '"'
}

// document is a JSON text: one document with a list of records somewhere in
// it, or a record a line. A record's fields are columns; those of objects
// inside it are called outer.inner, and the items of lists are joined.
type document struct {
	start   func() (io.Reader, error)
	name    string
	lines   bool     // a record a line
	records string   // path of the list of records
	others  []string // paths of other lists, where nobody chose one
	header  table.Header
	index   map[string]int
	zones   []sheet.ZoneNote // what stands outside of the records of the zone of their times
	paging  paging           // and of how many there are
	more    string           // what says that there are more records than it has
}

// jsonStats is what the first reading finds of one list of objects.
type jsonStats struct {
	count  int
	fields []string
	known  map[string]bool
}

// Open opens a text as JSON.
func Open(t *text.Source, o sheet.Options) (sheet.Book, error) {
	start := t.Start
	d := &document{start: start, name: o.Name, records: o.Records, index: map[string]int{}}
	at := fault.Place{File: o.Name}
	r, err := start()
	if err != nil {
		return nil, err
	}
	d.lines = jsonLines(o.Name, r)
	if r, err = start(); err != nil {
		return nil, err
	}
	lists, err := d.survey(r, o.Records)
	if err != nil {
		return nil, fault.Of(err).At(fault.Place{File: o.Name, Line: fault.Of(err).Place.Line})
	}
	if o.Records == "" {
		best := 0
		for path, s := range lists {
			if s.count > best || s.count == best && path < d.records {
				best, d.records = s.count, path
			}
		}
		for path, s := range lists {
			if path != d.records && s.count > 1 && !strings.HasPrefix(path, d.records+".") && path != "" {
				d.others = append(d.others, path)
			}
		}
		slices.Sort(d.others)
		if best == 0 {
			return nil, fault.Newf("holds no list of records").At(at).Do("check that it is the right file")
		}
	}
	found := lists[d.records]
	if found == nil || found.count == 0 {
		if r, err = start(); err == nil {
			lists, _ = d.survey(r, "")
		}
		var paths []string
		for path, s := range lists {
			if path != "" && s.count > 0 {
				paths = append(paths, path)
			}
		}
		slices.Sort(paths)
		return nil, fault.Unknown("list of records in the document", o.Records, paths).At(at)
	}
	d.header, d.more = found.fields, d.paging.more(found.count)
	for i, name := range d.header {
		d.index[name] = i
	}
	return sheet.Single{Start: d.open, End: t.Close}, nil
}

// jsonLines tells whether a text has a whole object on its first line and, but where its
// name says that it has a record a line, another one below.
func jsonLines(name string, r io.Reader) bool {
	least := 2
	if ext := strings.ToLower(filepath.Ext(name)); ext == ".jsonl" || ext == ".ndjson" {
		least = 1
	}
	b := bufio.NewReader(io.LimitReader(r, 8<<20))
	found := 0
	for found < least {
		line, err := b.ReadBytes('\n')
		if line = bytes.TrimSpace(line); len(line) > 0 {
			if line[0] != '{' || !json.Valid(line) && found == 0 {
				return false
			}
			found++
		}
		if err != nil {
			return found == least
		}
	}
	return true
}

// survey reads the whole text once, and gives the lists of objects in it by
// their paths. With wanted only lists inside lists are looked at for it.
func (d *document) survey(r io.Reader, wanted string) (map[string]*jsonStats, error) {
	lists := map[string]*jsonStats{}
	d.paging = paging{}
	note := func(path string) func(string, table.Cell) {
		s := lists[path]
		if s == nil {
			s = &jsonStats{known: map[string]bool{}}
			lists[path] = s
		}
		s.count++
		return func(name string, c table.Cell) {
			if c.Text == "next" {
				d.paging.note(within(path, name), c.Text)
			}
			if !s.known[name] {
				s.known[name] = true
				s.fields = append(s.fields, name)
			}
		}
	}
	if d.lines {
		for line, err := range d.eachLine(r) {
			if err != nil {
				return nil, err
			}
			w := newJSONWalk(bytes.NewReader(line.text))
			if _, err := w.dec.Token(); err == nil {
				_ = w.fields("", note("")) // damaged lines are reported as rows
			}
		}
		return lists, nil
	}
	w := newJSONWalk(r)
	w.isList = func(path string) bool { return wanted == "" || path == wanted }
	w.record = func(path string, _ int) error { return w.fields("", note(path)) }
	d.zones = nil
	w.other = func(path, text string) {
		d.paging.note(path, text)
		name := strings.NewReplacer("_", "", "-", "", " ", "").Replace(strings.ToLower(path[strings.LastIndexByte(path, '.')+1:]))
		if slices.Contains([]string{"timezone", "tz", "tzid", "timezoneid", "zeitzone"}, name) && text != "" || name == "zone" && zone.IsName(text) {
			d.zones = append(d.zones, sheet.ZoneNote{Text: path + ": " + text, Zone: zone.Called(text)})
		}
	}
	return lists, w.document()
}

func (d *document) open() (sheet.Raw, error) {
	r, err := d.start()
	if err != nil {
		return nil, err
	}
	s := &jsonSheet{document: d, from: &table.Origin{File: d.name}}
	rows := s.rows
	if d.lines {
		rows = s.lineRows
	}
	s.pull, s.stop = iter.Pull2(rows(r))
	return s, nil
}

// jsonSheet gives the records.
type jsonSheet struct {
	sheet.Plain
	*document
	from  *table.Origin
	pull  func() (table.Row, error, bool)
	stop  func()
	block sheet.Block
}

func (s *jsonSheet) Names() table.Header   { return s.header }
func (s *jsonSheet) Origin() *table.Origin { return s.from }

func (s *jsonSheet) Close() error {
	s.stop()
	return nil
}

func (s *jsonSheet) About(a *sheet.About) {
	a.Format, a.Why, a.Zones = "JSON", "the names of the records' fields", append(a.Zones, s.zones...)
	switch {
	case s.lines:
		a.Format = "JSON, a record a line"
	case s.records != "":
		a.Format += ", records in " + s.records
	}
	if a.More = s.more; a.More != "" {
		a.Notes = append(a.Notes, "it says that there are more records than it holds ("+fault.Shorten(a.More, 80)+"); only these are read")
	}
	if len(s.others) > 0 {
		a.Notes = append(a.Notes, "the records in "+s.records+" are read, and not those in "+strings.Join(s.others[:min(len(s.others), 6)], ", ")+"; choose with records: in the intake")
	}
}

func (s *jsonSheet) Next() (table.Row, error) {
	row, err, ok := s.pull()
	if !ok {
		return table.Row{}, io.EOF
	}
	return row, err
}

// rows gives the records of a document.
func (s *jsonSheet) rows(r io.Reader) iter.Seq2[table.Row, error] {
	return func(yield func(table.Row, error) bool) {
		w := newJSONWalk(r)
		n := int32(0)
		w.isList = func(path string) bool { return path == s.records }
		w.record = func(_ string, line int) error {
			n++
			row := table.Row{Origin: s.from, Number: n, Line: int32(line)}
			err := s.fill(&row, w)
			if err == nil && !yield(row, nil) {
				return errStop
			}
			return err
		}
		if err := w.document(); err != nil && !errors.Is(err, errStop) {
			f := fault.Of(err)
			yield(table.Row{}, f.At(fault.Place{File: s.name, Line: f.Place.Line}))
		}
	}
}

var errStop = errors.New("no more is wanted")

func (s *jsonSheet) fill(row *table.Row, w *jsonWalk) error {
	row.Cells = s.block.Take(make([]table.Cell, len(s.header)))
	err := w.fields("", func(name string, c table.Cell) {
		i, ok := s.index[name]
		if !ok {
			return
		}
		have := &row.Cells[i]
		if have.Kind == table.Empty {
			*have = c
			return
		}
		if c.Kind != table.Empty { // one more item of a list
			*have = table.Cell{Kind: table.Text, Text: have.Text + "; " + c.Text}
		}
	})
	for i, c := range row.Cells {
		if len(c.Text) > sheet.MaxCell {
			row.Fault = sheet.CellTooLong(c.Text).At(row.Place())
			row.Fault.Place.Column = s.header[i]
		}
	}
	return err
}

type jsonLine struct {
	text   []byte
	number int
}

func (d *document) eachLine(r io.Reader) iter.Seq2[jsonLine, error] {
	return func(yield func(jsonLine, error) bool) {
		b := bufio.NewReaderSize(r, 64<<10)
		for n := 1; ; n++ {
			line, err := b.ReadBytes('\n')
			if text := bytes.TrimSpace(line); len(text) > 0 && !yield(jsonLine{text, n}, nil) {
				return
			}
			if err == io.EOF {
				return
			}
			if err != nil {
				yield(jsonLine{}, fault.Newf("cannot be read on: %w", err))
				return
			}
		}
	}
}

func (s *jsonSheet) lineRows(r io.Reader) iter.Seq2[table.Row, error] {
	return func(yield func(table.Row, error) bool) {
		n := int32(0)
		for line, err := range s.eachLine(r) {
			if err != nil {
				yield(table.Row{}, fault.Of(err).At(fault.Place{File: s.name}))
				return
			}
			n++
			row := table.Row{Origin: s.from, Number: n, Line: int32(line.number)}
			w := newJSONWalk(bytes.NewReader(line.text))
			if t, err := w.dec.Token(); err != nil || t != json.Delim('{') {
				row.Fault = fault.New(string(line.text), "is no JSON object").At(row.Place())
			} else if err := s.fill(&row, w); err != nil {
				row.Fault = fault.New(string(line.text), "is damaged JSON: "+fault.Of(err).Cause.Error()).At(row.Place())
			}
			if !yield(row, nil) {
				return
			}
		}
	}
}

// jsonWalk goes through a JSON text token by token.
type jsonWalk struct {
	dec    *json.Decoder
	lines  *lineCounter
	isList func(path string) bool
	record func(path string, line int) error // with the record's brace read already
	other  func(path, text string)           // with values outside of records; nil for nobody
	depth  int
}

func newJSONWalk(r io.Reader) *jsonWalk {
	w := &jsonWalk{lines: &lineCounter{r: r, line: 1}}
	w.dec = json.NewDecoder(w.lines)
	w.dec.UseNumber()
	return w
}

func (w *jsonWalk) token() (json.Token, error) {
	t, err := w.dec.Token()
	if err == nil {
		return t, nil
	}
	f := fault.Newf("its JSON is damaged: %w", err)
	if err == io.EOF || errors.Is(err, io.ErrUnexpectedEOF) {
		f = fault.Newf("the file ends in the middle; it was cut short").Do("ask for it again")
	}
	return nil, f.At(fault.Place{Line: w.line()})
}

func (w *jsonWalk) line() int { return w.lines.at(w.dec.InputOffset()) }

func (w *jsonWalk) document() error {
	t, err := w.token()
	if err != nil {
		return err
	}
	if err := w.value(t, ""); err != nil {
		return err
	}
	if t, err := w.dec.Token(); err != io.EOF {
		return fault.Newf("something stands behind its end: %v", t).At(fault.Place{Line: w.line()})
	}
	return nil
}

// value walks a value whose first token is t, looking for lists of records.
func (w *jsonWalk) value(t json.Token, path string) error {
	if w.depth++; w.depth > sheet.MaxDepth {
		return fault.Newf("its values lie more than %d deep in each other", sheet.MaxDepth)
	}
	defer func() { w.depth-- }()
	switch t {
	case json.Delim('{'):
		for w.dec.More() {
			key, err := w.token()
			if err != nil {
				return err
			}
			t, err := w.token()
			if err != nil {
				return err
			}
			if err := w.value(t, within(path, fmt.Sprint(key))); err != nil {
				return err
			}
		}
	case json.Delim('['):
		for w.dec.More() {
			t, err := w.token()
			if err != nil {
				return err
			}
			if t == json.Delim('{') && w.isList(path) {
				err = w.record(path, w.line())
			} else {
				err = w.value(t, path)
			}
			if err != nil {
				return err
			}
		}
	default:
		if w.other != nil && t != nil {
			w.other(path, fmt.Sprint(t))
		}
		return nil
	}
	_, err := w.token() // the end
	return err
}

func within(path, key string) string {
	if path == "" {
		return key
	}
	return path + "." + key
}

// fields hands on every scalar of an object whose brace has been read.
func (w *jsonWalk) fields(path string, emit func(string, table.Cell)) error {
	for w.dec.More() {
		key, err := w.token()
		if err != nil {
			return err
		}
		if err := w.field(within(path, fmt.Sprint(key)), emit); err != nil {
			return err
		}
	}
	_, err := w.token()
	return err
}

func (w *jsonWalk) field(path string, emit func(string, table.Cell)) error {
	if w.depth++; w.depth > sheet.MaxDepth {
		return fault.Newf("its values lie more than %d deep in each other", sheet.MaxDepth)
	}
	defer func() { w.depth-- }()
	t, err := w.token()
	if err != nil {
		return err
	}
	switch t := t.(type) {
	case json.Delim:
		if t == '{' {
			return w.fields(path, emit)
		}
		for w.dec.More() {
			if err := w.field(path, emit); err != nil {
				return err
			}
		}
		_, err := w.token()
		return err
	case string:
		c := table.Cell{Kind: table.Text, Text: t}
		if t == "" {
			c = table.Cell{}
		}
		emit(path, c)
	case json.Number:
		n, err := t.Float64()
		if err != nil {
			emit(path, table.Cell{Kind: table.Text, Text: t.String()})
			return nil
		}
		emit(path, table.Cell{Kind: table.Number, Text: t.String(), Number: n})
	case bool:
		emit(path, table.Cell{Kind: table.Bool, Text: strconv.FormatBool(t)})
	default: // null
		emit(path, table.Cell{})
	}
	return nil
}

// lineCounter tells on which line an offset of what it read lies. It must be
// asked in ascending order.
type lineCounter struct {
	r      io.Reader
	read   int64
	breaks []int64
	line   int
}

func (l *lineCounter) Read(p []byte) (int, error) {
	n, err := l.r.Read(p)
	for i, c := range p[:n] {
		if c == '\n' {
			l.breaks = append(l.breaks, l.read+int64(i))
		}
	}
	l.read += int64(n)
	return n, err
}

func (l *lineCounter) at(offset int64) int {
	i := 0
	for i < len(l.breaks) && l.breaks[i] < offset {
		i++
	}
	l.line += i
	l.breaks = append(l.breaks[:0], l.breaks[i:]...)
	return l.line
}
