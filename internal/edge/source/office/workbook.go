// Package office reads spreadsheets: XLSX and OpenDocument.
package office

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"

	"github.com/klauspost/compress/flate"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

// workbook is an XLSX file (ECMA-376), read cell by cell with type and number
// format, as no reader of plain strings can.
type workbook struct {
	file   *os.File
	budget *sheet.Budget
	name   string
	refs   []sheetRef
	parts  map[string]*zip.File
	base   string
	shared []string
	struck map[int]bool // of shared: has text that is crossed out
	styles []style
	from04 bool // dates count from 1904
}

type span struct{ from, to int }

// maxPart is the most bytes of one unpacked part.
const maxPart = 2 << 30

// maxCellText is the most characters that one cell can have.
const maxCellText = 32767

// Open opens a zip file as the workbook it is.
func Open(f *os.File, size int64, o sheet.Options) (sheet.Book, error) {
	at := fault.Place{File: o.Name}
	z, err := zip.NewReader(f, size)
	if err != nil {
		return nil, fault.Newf("the workbook is damaged or was cut short: %w", err).At(at).Do("open it, save it again, or ask for it again")
	}
	z.RegisterDecompressor(zip.Deflate, flate.NewReader) // faster than the standard one
	parts := map[string]*zip.File{}
	for _, p := range z.File {
		parts[strings.TrimPrefix(p.Name, "/")] = p
	}
	if parts["content.xml"] != nil && parts["mimetype"] != nil {
		return openDocument(f, parts, o)
	}
	main := parts["xl/workbook.xml"]
	if main == nil {
		for name, p := range parts {
			if strings.HasSuffix(strings.ToLower(name), "/workbook.xml") {
				main = p
			}
		}
	}
	if main == nil {
		what := "is a zip file, not a workbook"
		if parts["word/document.xml"] != nil {
			what = "is a text document, not a workbook"
		}
		return nil, fault.Newf("%s: it has no sheets", what).At(at).Do("save the table as .xlsx or .csv")
	}
	w := &workbook{file: f, name: o.Name, parts: parts, budget: o.Budget}
	if err := w.readMain(main); err != nil {
		return nil, fault.Of(err).At(at)
	}
	return w, nil
}

func (w *workbook) readMain(main *zip.File) error {
	if err := w.readSheets(main); err != nil {
		return fault.Newf("the workbook cannot be read: %w", err)
	}
	w.base = path.Dir(strings.TrimPrefix(main.Name, "/"))
	targets, err := w.relations(w.parts[path.Join(w.base, "_rels", path.Base(main.Name)+".rels")])
	if err != nil {
		return fault.Newf("the workbook cannot be read: %w", err)
	}
	for i := range w.refs {
		w.refs[i].part = w.resolve(targets[w.refs[i].id])
	}
	for _, target := range targets {
		var err error
		switch {
		case strings.HasSuffix(target, "sharedStrings.xml"):
			w.shared, err = w.readShared(w.resolve(target))
		case strings.HasSuffix(target, "styles.xml"):
			w.styles, err = w.readStyles(w.resolve(target))
		}
		if err != nil {
			return fault.Newf("the workbook's part %s cannot be read: %w", target, err)
		}
	}
	return nil
}

func (w *workbook) resolve(target string) *zip.File {
	if strings.HasPrefix(target, "/") {
		return w.parts[strings.TrimPrefix(target, "/")]
	}
	return w.parts[path.Join(w.base, target)]
}

func (w *workbook) Sheets() []sheet.Info {
	out := make([]sheet.Info, len(w.refs))
	for i, r := range w.refs {
		out[i] = sheet.Info{Name: r.name, Hidden: r.hidden}
	}
	return out
}

func (w *workbook) Close() error { return w.file.Close() }

func (w *workbook) Open(i int) (sheet.Raw, error) {
	ref := w.refs[i]
	s := &worksheet{workbook: w, from: &table.Origin{File: w.name, Sheet: ref.name, From1904: w.from04}}
	at := fault.Place{File: w.name, Sheet: ref.name}
	if ref.part == nil {
		return nil, fault.Newf("the sheet is missing from the workbook").At(at)
	}
	part, err := openPart(w.budget, ref.part)
	if err != nil {
		return nil, fault.Newf("the sheet cannot be read: %w", err).At(at)
	}
	s.large = ref.part.UncompressedSize64 > 2*uint64(chunkSize)
	s.part = newAhead(part)
	s.xml = newXML(s.part)
	s.readBeside(ref)
	return s, nil
}

var errPart = errors.New("it unpacks to more than 2 GiB, or to more than 300 times its size, which no office program writes")

// openPart opens a part of the package, guarded against unpacking for ever.
func openPart(budget *sheet.Budget, p *zip.File) (io.ReadCloser, error) {
	if p == nil {
		return nil, errors.New("it is missing")
	}
	if p.UncompressedSize64 > maxPart {
		return nil, errPart
	}
	r, err := p.Open()
	if err != nil {
		return nil, err
	}
	most := min(int64(maxPart), max(packedFloor, int64(p.CompressedSize64)*packedRatio))
	return struct {
		io.Reader
		io.Closer
	}{&capped{budget.Reader(r), most}, r}, nil
}

// A part that unpacks to more than packedRatio times its size, and is large,
// was packed to do harm: sheets come to fifty times at most.
const (
	packedRatio = 300
	packedFloor = 64 << 20
)

type capped struct {
	r    io.Reader
	left int64
}

func (c *capped) Read(p []byte) (int, error) {
	if c.left <= 0 {
		return 0, errPart
	}
	n, err := c.r.Read(p)
	c.left -= int64(n)
	return n, err
}

type sheetRef struct {
	name, id string
	hidden   bool
	part     *zip.File
}

func (w *workbook) readSheets(p *zip.File) error {
	r, err := openPart(w.budget, p)
	if err != nil {
		return err
	}
	defer r.Close()
	x := newXML(r)
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k != xmlStart {
			continue
		}
		switch {
		case x.is("sheet"):
			state := string(x.get("state"))
			w.refs = append(w.refs, sheetRef{name: string(x.get("name")), id: string(x.get("id")), hidden: state == "hidden" || state == "veryHidden"})
		case x.is("workbookPr"):
			v := string(x.get("date1904"))
			w.from04 = v == "1" || v == "true"
		}
	}
	if x.err == nil && len(w.refs) == 0 {
		return errors.New("it has no sheets")
	}
	return x.err
}

func (w *workbook) relations(p *zip.File) (map[string]string, error) {
	r, err := openPart(w.budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	out := map[string]string{}
	x := newXML(r)
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k == xmlStart && x.is("Relationship") {
			out[string(x.get("Id"))] = string(x.get("Target"))
		}
	}
	return out, x.err
}

func (w *workbook) readShared(p *zip.File) ([]string, error) {
	r, err := openPart(w.budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	x := newXML(r)
	var out []string
	size := 0
	for k := x.next(); k != xmlEnd; k = x.next() {
		if k == xmlStart && x.is("si") {
			text := x.content("rPh")
			if x.struck {
				if w.struck == nil {
					w.struck = map[int]bool{}
				}
				w.struck[len(out)] = true
			}
			out = append(out, text)
			if size += len(text) + 48; size > sheet.MaxShared {
				return nil, fmt.Errorf("its texts have more than %d MiB", sheet.MaxShared>>20)
			}
		}
	}
	return out, x.err
}
