// Package source opens the files a clerk is sent and reads them into rows
// that know where they stand. Every format streams; none trusts its input.
//
// A file is a book of sheets: a workbook has several, a web page one for each
// table, most formats just one without a name. A sheet is read as raw rows,
// and a table is framed in it: the header found or told, what stands above it
// and beside it left away.
package source

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// Options say which part of a file is the table. The zero value lets the file
// tell.
type Options struct {
	Name     string // how messages call the file; "" for its path
	Sheet    string // name, or number from 1; "" for the first that holds a table
	All      bool   // every sheet, one below the other, with the sheet's name as a column
	Range    string // cells of the sheet, such as B4:H30; "" for all of it
	Header   table.HeaderRows
	FillDown []string // columns whose empty cells take the value above them
	Hidden   bool     // hidden rows and columns are read like any other
	Records  string   // where the records are in a JSON document, such as data.bookings
	Zones    Zones    // for calendars read as sources
}

// Reader gives the rows of one table, top to bottom. Blank rows are left out.
// A row whose record is damaged has its Fault set; the rows around it are
// unharmed. Next ends with io.EOF.
type Reader interface {
	Header() table.Header
	Origin() *table.Origin
	About() *About
	Next() (table.Row, error)
	Close() error
}

// About is what can be said of a table besides its rows. What is counted on
// the way is complete once Next has ended.
type About struct {
	Format        string // what the file is, such as "CSV, semicolons, Windows-1252"
	HeaderFirst   int    // row of the header, 0 without one
	HeaderLast    int
	Why           string   // how the header was found
	HiddenRows    int      // left out unless asked for
	HiddenColumns []string // likewise
	Merged        int      // merged ranges
	Notes         []string
}

// raw is what a format gives: every row of a sheet, titles and header
// included.
type raw interface {
	next() (table.Row, error)
	origin() *table.Origin
	about(*About)
	hidden(column int) bool // known from the first row on
	Close() error
}

// plain is embedded by formats that hide no columns.
type plain struct{}

func (plain) hidden(int) bool { return false }

// book is a file opened: its sheets, and a way to read each of them.
type book interface {
	sheets() []sheetInfo
	open(i int) (raw, error)
	Close() error
}

type sheetInfo struct {
	name   string // "" where sheets have no names
	hidden bool
}

// single is a book of one sheet without a name.
type single struct {
	start func() (raw, error)
	close func() error
}

func (single) sheets() []sheetInfo     { return []sheetInfo{{}} }
func (s single) open(int) (raw, error) { return s.start() }
func (s single) Close() error          { return s.close() }

// Open opens a file by what it holds, whatever its name ends in. The path "-"
// is standard input.
func Open(path string, o Options) (Reader, error) {
	r, _, err := OpenListed(path, o)
	return r, err
}

// Sheet is one sheet of a file.
type Sheet struct {
	Name   string `json:"name"`
	Hidden bool   `json:"hidden"`
}

// OpenListed is Open, with the file's sheets.
func OpenListed(path string, o Options) (Reader, []Sheet, error) {
	b, err := openBook(path, &o)
	if err != nil {
		return nil, nil, err
	}
	r, err := openSheets(b, o)
	if err != nil {
		b.Close()
		return nil, nil, err
	}
	var list []Sheet
	for _, s := range b.sheets() {
		if s.name != "" {
			list = append(list, Sheet{s.name, s.hidden})
		}
	}
	return closing{r, b}, list, nil
}

// closing closes the book with its sheet.
type closing struct {
	Reader
	book book
}

func (c closing) Close() error { return errors.Join(c.Reader.Close(), c.book.Close()) }

// openSheets frames the table of the sheet that is asked for.
func openSheets(b book, o Options) (Reader, error) {
	list := b.sheets()
	frame := func(i int) (Reader, error) {
		r, err := b.open(i)
		if err != nil {
			return nil, err
		}
		return newTable(r, o)
	}
	if o.All {
		var parts []Reader
		for i, s := range list {
			if s.hidden && !o.Hidden {
				continue
			}
			r, err := frame(i)
			if err != nil {
				for _, p := range parts {
					p.Close()
				}
				return nil, err
			}
			parts = append(parts, r)
		}
		return join(parts, "Sheet", func(r Reader) string { return r.Origin().Sheet }), nil
	}
	if o.Sheet != "" {
		i, err := chooseSheet(list, o)
		if err != nil {
			return nil, err
		}
		return frame(i)
	}
	var first error
	narrow := -1 // a sheet of one column, which is a table only if there is no other
	for i, s := range list {
		if s.hidden && len(list) > 1 {
			continue
		}
		r, err := frame(i)
		if err == nil && len(r.Header()) > 1 {
			return r, nil
		}
		if err == nil {
			r.Close()
			if narrow < 0 {
				narrow = i
			}
		} else if first == nil {
			first = err
		}
	}
	if narrow >= 0 {
		return frame(narrow)
	}
	if first == nil {
		first = fault.Newf("it has no sheet that is not hidden").At(fault.Place{File: o.Name}).Do("name one of its sheets")
	}
	return nil, first
}

func chooseSheet(sheets []sheetInfo, o Options) (int, error) {
	var names []string
	for i, s := range sheets {
		if strings.EqualFold(strings.TrimSpace(s.name), strings.TrimSpace(o.Sheet)) && s.name != "" {
			return i, nil
		}
		if s.name != "" {
			names = append(names, s.name)
		}
	}
	if n, err := strconv.Atoi(o.Sheet); err == nil && n >= 1 && n <= len(sheets) {
		return n - 1, nil
	}
	if len(names) == 0 {
		return 0, fault.New(o.Sheet, "is not a sheet: the file has "+strconv.Itoa(len(sheets))+" and no names for them").At(fault.Place{File: o.Name}).Do("leave the sheet out")
	}
	return 0, fault.Unknown("sheet", o.Sheet, names).At(fault.Place{File: o.Name})
}

// openBook opens a file by what it holds. It fills in the options' name.
func openBook(path string, o *Options) (book, error) {
	if path == "-" {
		if o.Name == "" || o.Name == "-" {
			o.Name = "standard input"
		}
		return openStream(os.Stdin, *o)
	}
	if o.Name == "" {
		o.Name = path
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, openFault(path, o.Name, err)
	}
	b, err := openFile(f, *o)
	if err != nil {
		f.Close()
	}
	return b, err
}

// openStream keeps a stream in a temporary file, since most formats are not
// read front to back.
func openStream(r io.Reader, o Options) (book, error) {
	f, err := os.CreateTemp("", "almanach-*")
	if err != nil {
		return nil, fault.Newf("cannot be kept while it is read: %w", err).At(fault.Place{File: o.Name}).FromOutside()
	}
	_ = os.Remove(f.Name()) // where the system allows, it is gone once closed
	n, err := io.Copy(f, io.LimitReader(r, maxText+1))
	if err == nil && n > maxText {
		err = fault.Newf("is longer than 2 GiB").At(fault.Place{File: o.Name}).Do("split it")
	}
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	var b book
	if err == nil {
		b, err = openFile(f, o)
	}
	if err != nil {
		f.Close()
		_ = os.Remove(f.Name())
		return nil, fault.Of(err)
	}
	return unlinked{b, f.Name()}, nil
}

type unlinked struct {
	book
	path string
}

func (u unlinked) Close() error {
	err := u.book.Close()
	_ = os.Remove(u.path)
	return err
}

func openFault(path, name string, err error) *fault.Fault {
	at := fault.Place{File: name}
	switch {
	case errors.Is(err, os.ErrNotExist):
		f := fault.Newf("there is no such file").At(at)
		if near := nearestFile(path); near != "" {
			return f.Do("did you mean %s?", near)
		}
		return f.Do("check the name and the folder")
	case errors.Is(err, os.ErrPermission):
		return fault.Newf("the file may not be read").At(at).Do("ask for permission to read it")
	}
	f := fault.Newf("the file cannot be read").At(at)
	f.Cause = fmt.Errorf("the file cannot be read: %w", err)
	return f
}

func nearestFile(path string) string {
	entries, err := os.ReadDir(filepath.Dir(path))
	if err != nil {
		return ""
	}
	var names []string
	for _, e := range entries {
		names = append(names, e.Name())
	}
	return fault.Nearest(filepath.Base(path), names)
}

// locked is how a workbook locked with a password calls its only content.
var locked = []byte("E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00")

func openFile(f *os.File, o Options) (book, error) {
	at := fault.Place{File: o.Name}
	info, err := f.Stat()
	if err != nil {
		return nil, openFault(o.Name, o.Name, err)
	}
	if info.IsDir() {
		return nil, fault.Newf("is a folder, not a file").At(at).Do("name one of its files, or read them all with from: { folder: … }")
	}
	head := make([]byte, 64<<10)
	n, err := io.ReadFull(f, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && err != io.EOF {
		return nil, openFault(o.Name, o.Name, err)
	}
	head = head[:n]
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, openFault(o.Name, o.Name, err)
	}
	switch {
	case len(head) == 0:
		return nil, fault.Newf("the file is empty").At(at).Do("check that it is the right file; an empty source changes nothing")
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		return openPackage(f, info.Size(), o)
	case bytes.HasPrefix(head, []byte("\xd0\xcf\x11\xe0")):
		if bytes.Contains(head, locked) || searchFile(f, locked) {
			return nil, fault.Newf("the workbook is locked with a password").At(at).Do("save it without a password")
		}
		return nil, fault.Newf("is an old .xls workbook").At(at).Do("open it and save it as .xlsx")
	case bytes.HasPrefix(head, []byte("%PDF")):
		return nil, fault.Newf("is a PDF, not a table").At(at).Do("save the table as .xlsx or .csv")
	case slices.Contains([]string{".xlsx", ".xlsm", ".ods"}, strings.ToLower(filepath.Ext(o.Name))):
		return nil, fault.Newf("is not a workbook, whatever its name says").At(at).Do("save it again as .xlsx, or rename it to .csv if it is text")
	}
	return openText(f, head, o)
}

// searchFile looks for a text in the first of a file.
func searchFile(f *os.File, what []byte) bool {
	data := make([]byte, 4<<20)
	n, _ := f.ReadAt(data, 0)
	return bytes.Contains(data[:n], what)
}

// Newest gives the file that was changed last among those a pattern names;
// of several changed at once the last by name.
func Newest(pattern string) (string, error) {
	found, err := Files(pattern)
	if err != nil {
		return "", err
	}
	slices.SortStableFunc(found, func(a, b string) int {
		x, errX := os.Stat(a)
		y, errY := os.Stat(b)
		if errX != nil || errY != nil {
			return 0
		}
		return x.ModTime().Compare(y.ModTime())
	})
	return found[len(found)-1], nil
}

// Files gives the files a pattern names, sorted by name. Files that programs
// keep while a document is open are passed over.
func Files(pattern string) ([]string, error) {
	matches, err := filepath.Glob(pattern)
	if err != nil {
		return nil, fault.New(pattern, "is not a file pattern")
	}
	var found []string
	for _, m := range matches {
		base := filepath.Base(m)
		if info, err := os.Stat(m); err == nil && info.Mode().IsRegular() && !strings.HasPrefix(base, "~$") && !strings.HasPrefix(base, ".") {
			found = append(found, m)
		}
	}
	if len(found) == 0 {
		return nil, fault.New(pattern, "names no file").Do("check the pattern and the folder")
	}
	slices.Sort(found)
	return found, nil
}

// OpenAll opens several files as one table, with the file's name as a column.
// Their columns are brought together by name.
func OpenAll(paths []string, o Options) (Reader, error) {
	var parts []Reader
	for _, p := range paths {
		one := o
		one.Name = p
		r, err := Open(p, one)
		if err != nil {
			for _, p := range parts {
				p.Close()
			}
			return nil, err
		}
		parts = append(parts, r)
	}
	return join(parts, "File", func(r Reader) string { return filepath.Base(r.Origin().File) }), nil
}

// ReadAll reads every row. The rows share their cells' memory, in blocks.
func ReadAll(r Reader) ([]table.Row, error) {
	var rows []table.Row
	for {
		row, err := r.Next()
		if err == io.EOF {
			return rows, nil
		}
		if err != nil {
			return rows, err
		}
		rows = append(rows, row)
	}
}

// cellBlock hands out slices of cells from larger blocks, so that a sheet of
// a hundred thousand rows does not cost as many allocations.
type cellBlock struct{ free []table.Cell }

func (b *cellBlock) take(cells []table.Cell) []table.Cell {
	if len(cells) > len(b.free) {
		b.free = make([]table.Cell, max(4096, len(cells)))
	}
	out := b.free[:len(cells):len(cells)]
	b.free = b.free[len(cells):]
	copy(out, cells)
	return out
}
