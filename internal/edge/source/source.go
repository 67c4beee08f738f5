// Package source opens the files a clerk is sent and reads them into rows
// that know where they stand. Every format streams; none trusts its input.
package source

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sort"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// Options say which part of a file is the table.
type Options struct {
	Sheet  string // name, or number from 1; "" for the first that holds a table
	Header int    // row of the header; 0 to find it
	Name   string // how messages call the file; "" for its path
}

// Reader gives the rows of one table, top to bottom. Blank rows are left out.
// A row whose record is damaged has its Fault set; the rows around it are
// unharmed. Next ends with io.EOF.
type Reader interface {
	Header() table.Header
	HeaderRow() int
	Origin() *table.Origin
	Next() (table.Row, error)
	Close() error
}

// raw is what a format gives: every row, titles and header included.
type raw interface {
	next() (table.Row, error)
	origin() *table.Origin
	Close() error
}

// Open opens a file by what it holds, whatever its name ends in.
func Open(path string, o Options) (Reader, error) {
	if o.Name == "" {
		o.Name = path
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, openFault(path, o.Name, err)
	}
	head := make([]byte, 512)
	n, err := io.ReadFull(f, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && err != io.EOF {
		f.Close()
		return nil, openFault(path, o.Name, err)
	}
	head = head[:n]
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		f.Close()
		return nil, openFault(path, o.Name, err)
	}
	r, err := openFormat(f, head, o)
	if err != nil {
		f.Close()
		return nil, err
	}
	return newTable(r, o)
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

func openFormat(f *os.File, head []byte, o Options) (raw, error) {
	at := fault.Place{File: o.Name}
	info, err := f.Stat()
	if err != nil {
		return nil, openFault(o.Name, o.Name, err)
	}
	switch {
	case info.IsDir():
		return nil, fault.Newf("is a folder, not a file").At(at).Do("name one of its files")
	case len(head) == 0:
		return nil, fault.Newf("the file is empty").At(at)
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		return openWorkbook(f, info.Size(), o)
	case bytes.HasPrefix(head, []byte("\xd0\xcf\x11\xe0")):
		return nil, fault.Newf("is an old .xls workbook, or one locked with a password").At(at).Do("save it as .xlsx without a password")
	case bytes.HasPrefix(head, []byte("%PDF")):
		return nil, fault.Newf("is a PDF, not a table").At(at).Do("save the table as .xlsx or .csv")
	case strings.EqualFold(filepath.Ext(o.Name), ".xlsx"):
		return nil, fault.Newf("is not a workbook, whatever its name says").At(at).Do("save it again as .xlsx, or rename it to .csv if it is text")
	}
	return openText(f, o)
}

// Newest gives the file that was changed last among those a pattern names;
// of several changed at once the last by name.
func Newest(pattern string) (string, error) {
	matches, err := filepath.Glob(pattern)
	if err != nil {
		return "", fault.New(pattern, "is not a file pattern")
	}
	type candidate struct {
		path string
		at   int64
	}
	var found []candidate
	for _, m := range matches {
		base := filepath.Base(m)
		if info, err := os.Stat(m); err == nil && info.Mode().IsRegular() && !strings.HasPrefix(base, "~$") && !strings.HasPrefix(base, ".") {
			found = append(found, candidate{m, info.ModTime().UnixNano()})
		}
	}
	if len(found) == 0 {
		return "", fault.New(pattern, "names no file").Do("check the pattern and the folder")
	}
	sort.Slice(found, func(i, j int) bool {
		if found[i].at != found[j].at {
			return found[i].at < found[j].at
		}
		return found[i].path < found[j].path
	})
	return found[len(found)-1].path, nil
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
