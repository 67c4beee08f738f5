package document

import (
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/ledongthuc/pdf"

	"almanach/internal/core/fault"
	"almanach/internal/edge/source/sheet"
)

// Limits of one PDF.
const (
	maxPages  = 5000
	maxNodes  = 4 * maxPages // of the tree of pages
	maxInside = 40           // how deep that tree, and forms within forms, may go
	maxStream = 64 << 20     // bytes of one stream, unpacked
	maxGlyphs = 20_000_000
)

// OpenPDF opens a PDF: its text in the order in which it is read, and the tables
// whose cells stand in columns.
func OpenPDF(f *os.File, size int64, o sheet.Options) (b sheet.Book, err error) {
	at := fault.Place{File: o.Name}
	defer func() {
		if r := recover(); r != nil { // the parser's way of saying that a file is damaged
			b, err = nil, damagedPDF(fmt.Errorf("%v", r)).At(at)
		}
	}()
	tried := false
	r, err := pdf.NewReaderEncrypted(f, size, func() string {
		if tried {
			return ""
		}
		tried = true
		return ""
	})
	switch {
	case errors.Is(err, pdf.ErrInvalidPassword) || err != nil && strings.Contains(err.Error(), "encrypt"):
		return nil, fault.Newf("is locked with a password").At(at).Do("open it and save it without a password, or print it to a new PDF")
	case err != nil:
		return nil, damagedPDF(err).At(at)
	}
	p := &pdfReader{budget: o.Budget, fonts: map[string]*font{}, d: &Doc{Format: "PDF"}}
	p.pages(r.Trailer().Key("Root").Key("Pages"), pdf.Value{}, 0)
	if p.err != nil {
		var known *fault.Fault
		if errors.As(p.err, &known) {
			return nil, known.At(at)
		}
		return nil, p.err
	}
	if !slices.ContainsFunc(p.d.Parts, func(p Part) bool { return p.Table != nil || p.Line.Text != "" }) {
		if p.failed != nil {
			return nil, damagedPDF(p.failed).At(at)
		}
		if p.count == 0 {
			return nil, damagedPDF(errors.New("it has no pages")).At(at)
		}
		return nil, fault.Newf("has no text: it is a scan, or a picture").At(at).Do("ask for the text, or have it read by a program that recognises writing")
	}
	switch n := len(p.pictures); {
	case n == 1:
		p.note("page %s has no text: it is a scan, or a picture", p.pictures[0])
	case n > 1:
		p.note("%d pages have no text, and are scans or pictures: %s", n, strings.Join(p.pictures[:min(n, 10)], ", "))
	}
	p.d.joinTables()
	return Book(p.d, o, f.Close)
}

func damagedPDF(err error) *fault.Fault {
	return fault.Newf("is a PDF that cannot be read: %w", err).Do("open it and print it to a new PDF, or ask for it again")
}

// pdfReader reads the pages of a PDF.
type pdfReader struct {
	budget   *sheet.Budget
	fonts    map[string]*font // by what their dictionaries say
	d        *Doc
	count    int      // pages
	pictures []string // pages that have a picture and no text
	nodes    int
	glyphs   int
	failed   error // of a page that could not be read
	err      error // ends the reading
}

// pages walks the tree of pages. What a page does not say itself it has from the
// node above.
func (p *pdfReader) pages(node, resources pdf.Value, depth int) {
	p.nodes++
	if p.err != nil {
		return
	}
	if node.IsNull() {
		if depth > 0 {
			p.note("a page of it is missing")
		}
		return
	}
	if depth > maxInside || p.nodes > maxNodes {
		p.err = damagedPDF(errors.New("the tree of its pages leads in a circle, or is too deep"))
		return
	}
	if p.err = p.budget.Step(); p.err != nil {
		return
	}
	if own := node.Key("Resources"); !own.IsNull() {
		resources = own
	}
	if kids := node.Key("Kids"); node.Key("Type").Name() != "Page" && kids.Kind() == pdf.Array {
		for i := range kids.Len() {
			p.pages(kids.Index(i), resources, depth+1)
		}
		return
	}
	if p.count++; p.count > maxPages {
		p.err = fault.Newf("has more than %d pages", maxPages).Do("split it, and keep the pages that are meant")
		return
	}
	p.page(node, resources)
}

// page reads one page. One that is damaged is named, and the others are read.
func (p *pdfReader) page(node, resources pdf.Value) {
	number := p.count
	in := &interpreter{pdfReader: p}
	func() {
		defer func() {
			if r := recover(); r != nil {
				p.failed = fmt.Errorf("page %d: %v", number, r)
				p.note("page %d cannot be read: %v", number, r)
			}
		}()
		in.run(p.contents(node.Key("Contents")), resources, identity, 0)
		p.beside(node.Key("Annots"))
	}()
	if in.pictures > 0 && len(in.glyphs) == 0 {
		p.pictures = append(p.pictures, strconv.Itoa(number))
	}
	p.d.Parts = append(p.d.Parts, layOut(in.glyphs, in.strokes, number)...)
}

func (p *pdfReader) note(format string, args ...any) {
	p.d.Notes = append(p.d.Notes, fmt.Sprintf(format, args...))
}

// beside says what stands on a page beside its content and may be a day or a time:
// notes that somebody wrote on it, fields that were filled in (ISO 32000-1 §12.5).
func (p *pdfReader) beside(annotations pdf.Value) {
	for i := range min(annotations.Len(), 1000) {
		a := annotations.Index(i)
		text := a.Key("Contents").Text()
		if a.Key("Subtype").Name() == "Widget" {
			if text = a.Key("V").Text(); text == "" {
				text = a.Key("Parent").Key("V").Text()
			}
		}
		if strings.ContainsAny(text, "0123456789") && a.Key("Subtype").Name() != "Link" {
			p.note("page %d has a note or a filled-in field that is not read: %s", p.count, strconv.Quote(fault.Shorten(strings.Join(strings.Fields(text), " "), 80)))
		}
	}
}

// contents gives the bytes of a page's content, which may be in several streams.
func (p *pdfReader) contents(v pdf.Value) []byte {
	if v.Kind() != pdf.Array {
		return p.bytesOf(v)
	}
	var out []byte
	for i := range v.Len() {
		out = append(append(out, p.bytesOf(v.Index(i))...), '\n')
		if len(out) > maxStream {
			panic(fmt.Sprintf("its content is longer than %d MiB", maxStream>>20))
		}
	}
	return out
}

func (p *pdfReader) bytesOf(v pdf.Value) []byte {
	data, err := unpacked(v)
	if err != nil {
		p.note("page %d cannot be read in full: %v", p.count, err)
	}
	return data
}

// unpacked gives the bytes of a stream, as far as they can be unpacked.
func unpacked(v pdf.Value) ([]byte, error) {
	if v.Kind() != pdf.Stream {
		return nil, nil
	}
	r := v.Reader()
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, maxStream+1))
	if len(data) > maxStream {
		panic(fmt.Sprintf("a part of it unpacks to more than %d MiB", maxStream>>20))
	}
	if err != nil && len(data) == 0 {
		panic(err)
	}
	return data, err
}

// matrix is a transformation (ISO 32000-1 §8.3.4).
type matrix [6]float64

var identity = matrix{1, 0, 0, 1, 0, 0}

func (m matrix) times(n matrix) matrix {
	return matrix{
		m[0]*n[0] + m[1]*n[2], m[0]*n[1] + m[1]*n[3],
		m[2]*n[0] + m[3]*n[2], m[2]*n[1] + m[3]*n[3],
		m[4]*n[0] + m[5]*n[2] + n[4], m[4]*n[1] + m[5]*n[3] + n[5],
	}
}

// glyph is a character on a page.
type glyph struct {
	text        string
	x, y, width float64
	size        float64
	bold        bool
	struck      bool
}

// state is the part of the graphics state that text needs (ISO 32000-1 §9.3).
type state struct {
	ctm                          matrix
	font                         *font
	size, char, word, scale, top float64 // Tf, Tc, Tw, Tz, TL
	rise                         float64
}

// interpreter runs the content of a page.
type interpreter struct {
	*pdfReader
	glyphs   []glyph
	strokes  []stroke
	pictures int
	path     path
	state
	stack      []state
	text, line matrix
	named      map[string]*font // fonts by their names in the resources of the stream
}

// run interprets a content stream.
func (in *interpreter) run(data []byte, resources pdf.Value, ctm matrix, depth int) {
	if depth > 8 {
		in.note("page %d has parts more than 8 deep in each other, which are not read", in.count)
		return
	}
	was, stack, named := in.state, in.stack, in.named
	in.named = map[string]*font{}
	defer func() { in.named = named }()
	if depth == 0 {
		in.state = state{scale: 1}
	}
	in.ctm, in.stack = ctm, nil
	lex := &lexer{data: data}
	var args []operand
	for steps := 0; ; steps++ {
		if steps%4096 == 0 && in.budget.Step() != nil {
			in.err = in.budget.Step()
			return
		}
		op, ok := lex.next(&args)
		if !ok {
			break
		}
		in.do(op, args, resources, depth)
		args = args[:0]
	}
	in.state, in.stack = was, stack
}

func (in *interpreter) do(op string, args []operand, resources pdf.Value, depth int) {
	num := func(i int) float64 {
		if i < len(args) {
			return args[i].num
		}
		return 0
	}
	switch op {
	case "m", "l", "h", "re", "S", "s", "f", "F", "f*", "B", "B*", "b", "b*", "n":
		in.draw(op, num)
	case "q":
		if len(in.stack) < 1000 {
			in.stack = append(in.stack, in.state)
		}
	case "Q":
		if n := len(in.stack); n > 0 {
			in.state, in.stack = in.stack[n-1], in.stack[:n-1]
		}
	case "cm":
		in.ctm = matrix{num(0), num(1), num(2), num(3), num(4), num(5)}.times(in.ctm)
	case "BT":
		in.text, in.line = identity, identity
	case "Tf":
		if len(args) == 2 {
			f, ok := in.named[args[0].text]
			if !ok {
				f = in.fontOf(resources.Key("Font").Key(args[0].text))
				if in.named != nil {
					in.named[args[0].text] = f
				}
			}
			in.font, in.size = f, num(1)
		}
	case "Tc":
		in.char = num(0)
	case "Tw":
		in.word = num(0)
	case "Tz":
		in.scale = num(0) / 100
	case "TL":
		in.top = num(0)
	case "Ts":
		in.rise = num(0)
	case "Td":
		in.move(num(0), num(1))
	case "TD":
		in.top = -num(1)
		in.move(num(0), num(1))
	case "Tm":
		in.line = matrix{num(0), num(1), num(2), num(3), num(4), num(5)}
		in.text = in.line
	case "T*":
		in.move(0, -in.top)
	case "Tj":
		in.show(args)
	case "'":
		in.move(0, -in.top)
		in.show(args)
	case `"`:
		in.word, in.char = num(0), num(1)
		in.move(0, -in.top)
		in.show(args[min(2, len(args)):])
	case "TJ":
		in.show(args)
	case "Do":
		if len(args) == 1 {
			form := resources.Key("XObject").Key(args[0].text)
			if form.Key("Subtype").Name() == "Image" {
				in.pictures++
			}
			if form.Key("Subtype").Name() == "Form" {
				own := form.Key("Resources")
				if own.IsNull() {
					own = resources
				}
				m := identity
				if a := form.Key("Matrix"); a.Len() == 6 {
					for i := range m {
						m[i] = a.Index(i).Float64()
					}
				}
				text, line := in.text, in.line
				in.run(in.bytesOf(form), own, m.times(in.ctm), depth+1)
				in.text, in.line = text, line
			}
		}
	}
}

func (in *interpreter) move(x, y float64) {
	in.line = matrix{1, 0, 0, 1, x, y}.times(in.line)
	in.text = in.line
}

// show shows the strings among some operands, and moves by the numbers.
func (in *interpreter) show(args []operand) {
	f := in.font
	if f == nil {
		f = plainFont
	}
	for _, a := range args {
		if !a.str {
			in.text = matrix{1, 0, 0, 1, -a.num / 1000 * in.size * in.scale, 0}.times(in.text)
			continue
		}
		for _, c := range f.decode(a.text) {
			m := matrix{in.size * in.scale, 0, 0, in.size, 0, in.rise}.times(in.text).times(in.ctm)
			width := c.width*in.size + in.char
			if c.space {
				width += in.word
			}
			width *= in.scale
			next := matrix{1, 0, 0, 1, width, 0}.times(in.text)
			if c.text != "" {
				end := next.times(in.ctm)
				size := m[3]
				if size < 0 {
					size = -size
				}
				if m[1] == 0 && m[2] == 0 || size > 0.01 { // what is written upright
					in.glyphs = append(in.glyphs, glyph{text: c.text, x: m[4], y: m[5], width: end[4] - m[4], size: size, bold: f.bold})
				}
				if in.pdfReader.glyphs++; in.pdfReader.glyphs > maxGlyphs {
					panic("it has too many characters")
				}
			}
			in.text = next
		}
	}
}

// operand is a number, a name or a string before an operator.
type operand struct {
	num  float64
	text string
	str  bool
}
