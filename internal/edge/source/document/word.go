package document

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"io"
	"os"
	"strconv"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/notice"
	"almanach/internal/edge/source/sheet"
)

// maxXML is how much of a document's text is unpacked, in bytes.
const maxXML = 128 << 20

// IsOffice tells whether a zip file is a text document, by the name of its main
// part; "" for none.
func IsOffice(z *zip.Reader) string {
	for _, f := range z.File {
		if f.Name == "word/document.xml" {
			return f.Name
		}
	}
	for _, f := range z.File {
		if f.Name != "mimetype" {
			continue
		}
		r, err := f.Open()
		if err != nil {
			return ""
		}
		kind, _ := io.ReadAll(io.LimitReader(r, 100))
		r.Close()
		if strings.HasPrefix(string(kind), "application/vnd.oasis.opendocument.text") {
			return "content.xml"
		}
	}
	return ""
}

// OpenOffice opens a text document of an office program.
func OpenOffice(f *os.File, z *zip.Reader, part string, o sheet.Options) (sheet.Book, error) {
	at := fault.Place{File: o.Name}
	for _, file := range z.File {
		if file.Name != part {
			continue
		}
		r, err := file.Open()
		if err != nil {
			return nil, fault.Newf("its text cannot be unpacked: %w", err).At(at).Do("open it and save it again")
		}
		defer r.Close()
		limited := &io.LimitedReader{R: o.Budget.Reader(r), N: maxXML}
		w := &word{d: &Doc{Format: "DOCX"}, budget: o.Budget}
		if part == "content.xml" {
			w.d.Format = "ODT"
		}
		if err := w.read(limited); err != nil || limited.N <= 0 {
			if limited.N <= 0 {
				err = fault.Newf("its text unpacks to more than %d MiB", maxXML>>20).Do("split it")
			}
			var known *fault.Fault
			if errors.As(err, &known) {
				return nil, known.At(at)
			}
			return nil, fault.Newf("its text cannot be read: %w", err).At(at).Do("open it and save it again")
		}
		w.apart(z)
		return Book(w.d, o, f.Close)
	}
	return nil, fault.Newf("has no text in it").At(at)
}

// apart says what a document holds beside its text and may be a day or a time:
// footnotes, and what stands above and below each page; and what comments say.
func (w *word) apart(z *zip.Reader) {
	if w.changes {
		w.d.Notes = append(w.d.Notes, "it has changes that nobody has accepted; they are read as if they were")
	}
	said := map[string]bool{}
	tell := func(lines []string) {
		for _, text := range lines {
			if text = strings.Join(strings.Fields(text), " "); strings.ContainsAny(text, "0123456789") && !footer(text) && !said[text] {
				said[text] = true
				w.d.Notes = append(w.d.Notes, "what stands in a footnote, or above or below the pages, is not read: "+strconv.Quote(fault.Shorten(text, 80)))
			}
		}
	}
	remarks := func(lines []string) {
		for _, text := range lines {
			if text = strings.Join(strings.Fields(text), " "); text != "" && !said[text] {
				said[text] = true
				w.d.Notes = append(w.d.Notes, "a comment is not read: "+strconv.Quote(fault.Shorten(text, 80)))
			}
		}
	}
	tell(w.aside)
	remarks(w.comments)
	for _, f := range z.File {
		name := strings.TrimSuffix(strings.TrimRight(strings.TrimSuffix(f.Name, ".xml"), "0123456789"), "s")
		if name != "word/footnote" && name != "word/endnote" && name != "word/header" && name != "word/footer" && name != "word/comment" {
			continue
		}
		r, err := f.Open()
		if err != nil {
			continue
		}
		part := &word{d: &Doc{Format: w.d.Format}, budget: w.budget, all: true}
		err = part.read(io.LimitReader(w.budget.Reader(r), maxXML))
		r.Close()
		var lines []string
		for _, p := range part.d.Parts {
			lines = append(lines, p.Line.Text)
		}
		if err != nil {
			lines = append(lines, "1 part of it cannot be read")
		}
		if name == "word/comment" {
			remarks(lines)
		} else {
			tell(lines)
		}
	}
}

// word reads the text of both kinds of document.
type word struct {
	d      *Doc
	budget *sheet.Budget

	b        strings.Builder
	gone     strings.Builder // what is crossed out of the paragraph
	paras    int             // open, as they can lie in each other
	level    int
	item     int
	list     bool
	bare     bool            // some of the paragraph is not struck
	struck   bool            // the run is
	bold     bool            // the run is
	heavy    bool            // the paragraph is bold by its style
	light    bool            // some of the paragraph is not bold
	strong   map[string]bool // styles of ODT that are bold
	deleted  int
	skip     int
	number   int
	page     int
	strikers map[string]bool   // styles of ODT that strike
	parents  map[string]string // of styles of ODT
	style    string
	raisers  map[string]bool // styles of ODT above the line
	raised   bool            // the run is above the line

	nest

	around []paragraph // that text boxes lie in

	note     int      // footnotes that are open
	aside    []string // their texts
	remark   int      // comments that are open
	comments []string // their texts
	byline   int      // says who wrote one, and when
	changes  bool     // it has tracked changes
	all      bool     // it is footnotes or comments that are read
}

// paragraph is what was read of a paragraph when a text box began within it.
type paragraph struct {
	text, gone                             string
	paras, level                           int
	list, bare, struck, bold, heavy, light bool
}

// enter begins a text box: its paragraphs stand before the one that it lies in, which goes on
// behind it.
func (w *word) enter() {
	w.around = append(w.around, paragraph{w.b.String(), w.gone.String(), w.paras, w.level, w.list, w.bare, w.struck, w.bold, w.heavy, w.light})
	w.b.Reset()
	w.gone.Reset()
	w.paras = 0
}

// leave ends a text box.
func (w *word) leave() {
	n := len(w.around) - 1
	if n < 0 {
		return
	}
	w.flush()
	p := w.around[n]
	w.around = w.around[:n]
	w.b.WriteString(p.text)
	w.gone.WriteString(p.gone)
	w.paras, w.level, w.list, w.bare, w.struck, w.bold, w.heavy, w.light = p.paras, p.level, p.list, p.bare, p.struck, p.bold, p.heavy, p.light
}

func attr(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (w *word) read(r io.Reader) error {
	w.nest.out = &w.d.Parts
	d := xml.NewDecoder(r)
	d.Strict = true
	w.strikers, w.strong, w.raisers, w.parents = map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string]string{}
	w.page = 0
	depth := 0
	for {
		if err := w.budget.Step(); err != nil {
			return err
		}
		t, err := d.RawToken()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		switch t := t.(type) {
		case xml.StartElement:
			if depth++; depth > 400 {
				return fault.Newf("its parts lie more than 400 deep in each other")
			}
			w.start(t)
		case xml.EndElement:
			depth--
			w.end(t.Name.Local)
		case xml.CharData:
			switch {
			case w.paras > 0 && w.skip == 0 && w.deleted == 0:
				w.text(string(t))
			case w.note > 0:
				w.aside[len(w.aside)-1] += string(t)
			case w.remark > 0 && w.byline == 0:
				w.comments[len(w.comments)-1] += string(t)
			}
		}
	}
}

func (w *word) text(s string) {
	if w.d.Format == "DOCX" && w.style != "t" {
		return
	}
	if w.raised {
		s = sheet.Raised(s)
	}
	if strings.TrimSpace(s) != "" {
		w.bare = w.bare || !w.struck
		w.light = w.light || !w.bold
	}
	if w.struck {
		w.gone.WriteString(s)
		return
	}
	w.b.WriteString(s)
}

func (w *word) start(e xml.StartElement) {
	switch e.Name.Local {
	case "p", "h":
		if w.deleted > 0 { // of a footnote or a comment, within a paragraph that goes on behind it
			return
		}
		if w.paras > 0 {
			w.flush()
		}
		w.paras++
		w.bare, w.level, w.list, w.light, w.bold, w.heavy = false, 0, w.item > 0, false, false, false
		if e.Name.Local == "h" {
			w.level, _ = strconv.Atoi(attr(e, "outline-level"))
			w.level = max(1, w.level)
		}
		style := attr(e, "style-name")
		w.struck, w.bold = w.struck || w.strikers[style], w.strong[style]
		w.heavy = w.bold
		for range 5 { // the style, and those that it comes from
			if w.level > 0 || style == "" {
				break
			}
			w.level = headingLevel(strings.ReplaceAll(style, "_20_", " "))
			style = w.parents[style]
		}
	case "pStyle":
		w.level = headingLevel(attr(e, "val"))
	case "outlineLvl":
		if n, err := strconv.Atoi(attr(e, "val")); err == nil && n < 9 && w.paras > 0 {
			w.level = n + 1
		}
	case "numPr":
		w.list = true
	case "list-item":
		w.item++
	case "t":
		w.style = "t"
	case "r":
		w.struck, w.bold, w.raised = false, false, false
	case "vertAlign":
		w.raised = attr(e, "val") == "superscript"
	case "span":
		style := attr(e, "style-name")
		w.struck, w.bold, w.raised = w.strikers[style], w.bold || w.strong[style], w.raised || w.raisers[style]
	case "b":
		if v := attr(e, "val"); v != "0" && v != "false" && w.paras > 0 {
			w.bold = true
		}
	case "strike", "dstrike":
		if v := attr(e, "val"); v != "0" && v != "false" && w.paras > 0 {
			w.struck = true
		}
	case "tab":
		if w.paras > 0 {
			w.b.WriteString("\t")
		}
	case "s": // spaces of ODT
		if w.paras > 0 && w.d.Format == "ODT" {
			w.b.WriteString(strings.Repeat(" ", min(20, sheet.Count([]byte(attr(e, "c"))))))
		}
	case "br", "cr", "line-break":
		if w.paras > 0 && w.deleted == 0 {
			if attr(e, "type") == "page" {
				return
			}
			w.breakLine()
		}
	case "footnote", "note":
		if !w.all {
			w.deleted++
			w.note++
			w.aside = append(w.aside, "")
		}
	case "ins", "insertion":
		w.changes = true
	case "txbxContent", "text-box":
		if w.deleted == 0 {
			w.enter()
		}
	case "comment":
		if !w.all { // otherwise it is comments that are read
			w.deleted++
		}
	case "annotation":
		w.deleted++
		w.remark++
		w.comments = append(w.comments, "")
	case "creator", "creator-initials", "date", "date-string":
		if w.remark > 0 {
			w.byline++
		}
	case "del", "moveFrom", "tracked-changes", "instrText", "Fallback":
		w.changes = w.changes || e.Name.Local == "del" || e.Name.Local == "moveFrom"
		w.deleted++
	case "style":
		w.style = attr(e, "name")
		w.parents[w.style] = attr(e, "parent-style-name")
	case "text-properties":
		if v := attr(e, "text-line-through-style"); v != "" && v != "none" {
			w.strikers[w.style] = true
		}
		if attr(e, "font-weight") == "bold" {
			w.strong[w.style] = true
		}
		if v := attr(e, "text-position"); v != "" && !strings.HasPrefix(v, "sub") && !strings.HasPrefix(v, "-") && !strings.HasPrefix(v, "0") {
			w.raisers[w.style] = true
		}
	case "tbl", "table":
		if w.deleted == 0 {
			w.begin(w.number + 1)
		}
	case "tc", "table-cell", "covered-table-cell":
		if g := w.grid(); g != nil {
			wide := 1
			if n := sheet.Count([]byte(attr(e, "number-columns-spanned"))); n > 1 {
				wide = min(100, n)
			}
			w.beginCell(1, 1)
			if n := sheet.Count([]byte(attr(e, "number-columns-repeated"))); n > 1 {
				g.repeat = min(100, n) - 1
			}
			if e.Name.Local == "covered-table-cell" {
				g.down = g.covered == 0
				g.covered = max(0, g.covered-1)
			}
			if wide > 1 { // the cells that it covers follow
				g.covered = wide - 1
				g.widen(len(g.row) - 1)
			}
		}
	case "gridSpan":
		if g := w.grid(); g != nil {
			g.wide = max(1, min(100, sheet.Count([]byte(attr(e, "val")))))
		}
	case "vMerge":
		if g := w.grid(); g != nil {
			g.down = attr(e, "val") != "restart"
		}
	}
}

// headingLevel gives the level of a heading whose style has a name, 0 for other styles.
func headingLevel(style string) int {
	style = strings.ToLower(style)
	if style == "table heading" || strings.Contains(style, "contents heading") || strings.Contains(style, "kopf") {
		return 0
	}
	if strings.HasPrefix(style, "subtitle") {
		return 2
	}
	for _, name := range []string{"heading", "title", "berschrift", "titre", "titulo", "título", "titolo", "kop"} {
		if _, rest, ok := strings.Cut(style, name); ok {
			if n, err := strconv.Atoi(strings.TrimLeft(rest, " ")); err == nil {
				return max(1, min(9, n))
			}
			return 1
		}
	}
	return 0
}

func (w *word) grid() *grid {
	if w.deleted > 0 {
		return nil
	}
	return w.top()
}

func (w *word) end(name string) {
	switch name {
	case "p", "h":
		if w.deleted > 0 {
			return
		}
		w.flush()
		w.paras = max(0, w.paras-1)
		w.struck = false
	case "r", "span":
		w.raised = false
		w.struck, w.bold = false, w.heavy
	case "t":
		w.style = ""
	case "list-item":
		w.item = max(0, w.item-1)
	case "footnote", "note":
		if !w.all {
			w.deleted, w.note = max(0, w.deleted-1), max(0, w.note-1)
		}
	case "txbxContent", "text-box":
		if w.deleted == 0 {
			w.leave()
		}
	case "comment":
		if !w.all {
			w.deleted = max(0, w.deleted-1)
		}
	case "annotation":
		w.deleted, w.remark = max(0, w.deleted-1), max(0, w.remark-1)
	case "creator", "creator-initials", "date", "date-string":
		w.byline = max(0, w.byline-1)
	case "del", "moveFrom", "tracked-changes", "instrText", "Fallback":
		w.deleted = max(0, w.deleted-1)
	case "tc", "table-cell", "covered-table-cell":
		if w.grid() != nil {
			w.endCell()
		}
	case "tr", "table-row":
		if w.grid() != nil && w.endRow(w.number+1) {
			w.number++
		}
	case "tbl", "table":
		if w.grid() != nil {
			w.nest.end()
		}
	}
}

// breakLine ends a line within a paragraph.
func (w *word) breakLine() {
	if g := w.top(); g != nil && !g.layout {
		w.b.WriteString(" ")
		return
	}
	list := w.list
	w.flush()
	w.list = list
}

func (w *word) flush() {
	text := strings.TrimSpace(w.b.String())
	w.b.Reset()
	struck, bold := !w.bare, !w.light
	gone := strings.Join(strings.Fields(w.gone.String()), " ")
	w.gone.Reset()
	if struck {
		text, gone = gone, ""
	}
	w.bare, w.light = false, false
	if text == "" || w.skip > 0 || w.deleted > 0 {
		return
	}
	l := notice.Line{Text: text, Number: w.number + 1, Level: w.level, Item: w.list, Whole: true, Struck: struck, Gone: gone}
	if w.take(l) {
		return
	}
	w.number++
	w.d.Parts = append(w.d.Parts, Part{Line: l, bold: bold})
}
