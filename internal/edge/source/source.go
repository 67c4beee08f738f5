// Package source opens the files a clerk is sent and reads them into rows
// that know where they stand. Every format streams; none trusts its input, and
// all draw on one budget.
//
// A file is opened by what it holds: formats.go has the list of formats. Its
// sheets are read as raw rows (package sheet), and a table is framed in one
// (frame.go): the header found or told, what stands above it and beside it left
// away.
package source

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

// Options say which part of a file is the table. The zero value lets the file
// tell.
type Options = sheet.Options

// About is what can be said of a table besides its rows.
type About = sheet.About

// YearNote is what a title says of the year of the dates.
type YearNote = sheet.YearNote

// ZoneNote is what a title or a note says of the zone of the times.
type ZoneNote = sheet.ZoneNote

// Reader gives the rows of one table, top to bottom. Blank rows are left out.
// A row whose record is damaged has its Fault set; the rows around it are
// unharmed. Next ends with io.EOF. It stops with the context it was opened
// with.
type Reader interface {
	Header() table.Header
	Origin() *table.Origin
	About() *About
	Next() (table.Row, error)
	Close() error
}

// Open opens a file by what it holds, whatever its name ends in. The path "-"
// is standard input.
func Open(ctx context.Context, path string, o Options) (Reader, error) {
	r, _, err := OpenListed(ctx, path, o)
	return r, err
}

// Sheet is one sheet of a file.
type Sheet struct {
	Name   string `json:"name"`
	Hidden bool   `json:"hidden"`
}

// OpenListed is Open, with the file's sheets.
func OpenListed(ctx context.Context, path string, o Options) (Reader, []Sheet, error) {
	if o.Budget == nil {
		o.Budget = sheet.NewBudget(ctx)
	}
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
	for _, s := range b.Sheets() {
		if s.Name != "" {
			list = append(list, Sheet{s.Name, s.Hidden})
		}
	}
	return closing{r, b}, list, nil
}

// Rows frames rows that a format gives by itself, without a file.
func Rows(raw sheet.Raw, o Options) (Reader, error) { return newTable(raw, o) }

// closing closes the book with its sheet.
type closing struct {
	Reader
	book sheet.Book
}

func (c closing) Close() error { return errors.Join(c.Reader.Close(), c.book.Close()) }

// openSheets frames the table of the sheet that is asked for.
func openSheets(b sheet.Book, o Options) (Reader, error) {
	list := b.Sheets()
	switch {
	case o.All:
		return allSheets(b, list, o)
	case o.Sheet != "":
		i, err := chooseSheet(list, o)
		if err != nil {
			return nil, err
		}
		return frame(b, i, o)
	}
	if o.Ask && len(list) > 1 {
		if err := askSheet(b, list, o); err != nil {
			return nil, err
		}
	}
	var first error
	narrow := -1 // a sheet of one column, which is a table only if there is no other
	for i, s := range list {
		if s.Hidden && len(list) > 1 {
			continue
		}
		r, err := frame(b, i, o)
		if err == nil && len(r.Header()) > 1 {
			others(r.About(), list, i)
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
		r, err := frame(b, narrow, o)
		if err == nil {
			others(r.About(), list, narrow)
		}
		return r, err
	}
	if first == nil {
		first = allHidden(o)
	}
	return nil, first
}

// askSheet refuses to choose between sheets that are tables.
func askSheet(b sheet.Book, list []sheet.Info, o Options) error {
	var names [][]string
	for i, s := range list {
		if s.Hidden && len(list) > 1 {
			continue
		}
		r, err := frame(b, i, o)
		if err != nil {
			continue
		}
		if name := cmp.Or(s.Name, strconv.Itoa(i+1)); len(r.Header()) > 1 {
			names = append(names, []string{name})
		}
		r.Close()
	}
	if len(names) < 2 {
		return nil
	}
	return fault.Newf("it has %d sheets or tables, and nothing says which is meant", len(names)).At(fault.Place{File: o.Name}).Offer("--sheet", "sheet", "", names)
}

// others notes which sheets or tables are not read, where nobody chose one.
func others(about *About, list []sheet.Info, chosen int) {
	var names []string
	for i, s := range list {
		if i == chosen || s.Hidden {
			continue
		}
		name := s.Name
		if name == "" {
			name = strconv.Itoa(i + 1)
		}
		names = append(names, name)
	}
	if len(names) == 0 {
		return
	}
	own := list[chosen].Name
	if own == "" {
		own = strconv.Itoa(chosen + 1)
	}
	more := ""
	if len(names) > 6 {
		more = fmt.Sprintf(" and %d more", len(names)-6)
		names = names[:6]
	}
	about.Notes = append(about.Notes, fmt.Sprintf("of its sheets or tables %s is read, and not %s%s; choose with sheet: or --sheet", own, strings.Join(names, ", "), more))
}

func allHidden(o Options) error {
	return fault.Newf("it has no sheet that is not hidden").At(fault.Place{File: o.Name}).Do("name one of its sheets, or have hidden ones read with hidden: read")
}

func frame(b sheet.Book, i int, o Options) (Reader, error) {
	r, err := b.Open(i)
	if err != nil {
		return nil, err
	}
	return newTable(r, o)
}

// allSheets gives every sheet that is not hidden, one below the other.
func allSheets(b sheet.Book, list []sheet.Info, o Options) (Reader, error) {
	var parts []Reader
	for i, s := range list {
		if s.Hidden && !o.Hidden {
			continue
		}
		r, err := frame(b, i, o)
		if err != nil {
			for _, p := range parts {
				p.Close()
			}
			return nil, err
		}
		parts = append(parts, r)
	}
	if len(parts) == 0 {
		return nil, allHidden(o)
	}
	return join(parts, "Sheet", func(r Reader) string { return r.Origin().Sheet }), nil
}

func chooseSheet(sheets []sheet.Info, o Options) (int, error) {
	var names []string
	for i, s := range sheets {
		if strings.EqualFold(strings.TrimSpace(s.Name), strings.TrimSpace(o.Sheet)) && s.Name != "" {
			return i, nil
		}
		if s.Name != "" {
			names = append(names, s.Name)
		}
	}
	if n, err := strconv.Atoi(o.Sheet); err == nil && n >= 1 && n <= len(sheets) {
		return n - 1, nil
	}
	if len(names) == 0 && len(sheets) == 1 && o.Instead {
		return 0, nil
	}
	if len(names) == 0 {
		return 0, fault.New(o.Sheet, "is not a sheet: the file has "+strconv.Itoa(len(sheets))+" and no names for them").At(fault.Place{File: o.Name}).Do("leave the sheet out")
	}
	return 0, fault.Unknown("sheet", o.Sheet, names).At(fault.Place{File: o.Name})
}

// openBook opens a file by what it holds. It fills in the options' name.
func openBook(path string, o *Options) (sheet.Book, error) {
	if path == "-" {
		if o.Name == "" || o.Name == "-" {
			o.Name = "standard input"
		}
		return openStream(os.Stdin, *o)
	}
	if o.Name == "" {
		o.Name = path
	}
	if info, err := os.Stat(path); err == nil && !info.Mode().IsRegular() && !info.IsDir() { // a pipe
		return openStream(&pipe{path: path}, *o)
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

// pipe opens a file once it is read, as opening a pipe may wait for ever.
type pipe struct {
	path string
	file *os.File
}

func (p *pipe) Read(b []byte) (n int, err error) {
	if p.file == nil {
		if p.file, err = os.Open(p.path); err != nil {
			return 0, err
		}
	}
	return p.file.Read(b)
}

// maxStream is the largest stream that is read, in bytes.
const maxStream = 2 << 30

// openStream keeps a stream in a temporary file, since most formats are not
// read front to back.
func openStream(r io.Reader, o Options) (sheet.Book, error) {
	f, err := os.CreateTemp("", "almanach-*")
	if err != nil {
		return nil, fault.Newf("cannot be kept while it is read: %w", err).At(fault.Place{File: o.Name}).FromOutside()
	}
	_ = os.Remove(f.Name()) // where the system allows, it is gone once closed
	n, err := o.Budget.Copy(f, io.LimitReader(r, maxStream+1))
	if err == nil && n > maxStream {
		err = fault.Newf("is longer than 2 GiB").At(fault.Place{File: o.Name}).Do("split it")
	}
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	var b sheet.Book
	if err == nil {
		b, err = openFile(f, o)
	}
	if err != nil {
		f.Close()
		_ = os.Remove(f.Name())
		return nil, err
	}
	return unlinked{b, f.Name()}, nil
}

type unlinked struct {
	sheet.Book
	path string
}

func (u unlinked) Close() error {
	err := u.Book.Close()
	_ = os.Remove(u.path)
	return err
}

func openFault(path, name string, err error) *fault.Fault {
	if !errors.Is(err, fs.ErrNotExist) {
		return sheet.Unreadable(name, fault.Bare(err))
	}
	f := fault.Newf("there is no such file").At(fault.Place{File: name})
	if near := nearestFile(path); near != "" {
		return f.Do("did you mean %s?", near)
	}
	return f.Do("check the name and the folder")
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
// keep while a document is open are skipped.
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
// Their columns are brought together by name. Of many files only the one being
// read is open.
func OpenAll(ctx context.Context, paths []string, o Options) (Reader, error) {
	o.Budget = sheet.NewBudget(ctx)
	parts := make([]Reader, len(paths))
	for i, p := range paths {
		one := o
		one.Name = p
		r, err := Open(ctx, p, one)
		if err != nil {
			return nil, err
		}
		parts[i] = &reopened{ctx: ctx, path: p, o: one, header: r.Header(), origin: *r.Origin(), about: *r.About()}
		if err := r.Close(); err != nil {
			return nil, sheet.Unreadable(p, err)
		}
	}
	return join(parts, "File", func(r Reader) string { return filepath.Base(r.Origin().File) }), nil
}

// reopened is a file whose header is known and that is opened again when its
// rows are wanted.
type reopened struct {
	ctx    context.Context
	path   string
	o      Options
	header table.Header
	origin table.Origin
	about  About
	open   Reader // nil before the first row and behind the last
	ended  bool
}

func (r *reopened) Header() table.Header  { return r.header }
func (r *reopened) Origin() *table.Origin { return &r.origin }

func (r *reopened) About() *About {
	if r.open != nil {
		r.about = *r.open.About()
	}
	return &r.about
}

func (r *reopened) Next() (table.Row, error) {
	if r.ended {
		return table.Row{}, io.EOF
	}
	if r.open == nil {
		var err error
		if r.open, err = Open(r.ctx, r.path, r.o); err != nil {
			return table.Row{}, err
		}
		if !slices.Equal(r.open.Header(), r.header) {
			return table.Row{}, fault.Newf("was changed while it was read").At(fault.Place{File: r.o.Name}).Do("load again").FromOutside()
		}
	}
	row, err := r.open.Next()
	if errors.Is(err, io.EOF) {
		err = errors.Join(io.EOF, r.Close())
		if errors.Is(err, io.EOF) {
			err = io.EOF
		}
	}
	return row, err
}

func (r *reopened) Close() error {
	r.ended = true
	if r.open == nil {
		return nil
	}
	r.about = *r.open.About()
	open := r.open
	r.open = nil
	return open.Close()
}

// ReadAll reads every row.
func ReadAll(r Reader, progress func(rows int)) (rows table.Rows, err error) {
	for {
		row, err := r.Next()
		if err != nil {
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return rows, err
		}
		if rows.Len() > 0 && rows.Len()%rowsBetween == 0 {
			progress(rows.Len())
		}
		rows.Add(row)
	}
}

// rowsBetween is after how many rows something is said of them.
const rowsBetween = 4000
