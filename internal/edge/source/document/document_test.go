package document

import (
	"archive/zip"
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"github.com/ledongthuc/pdf"

	"almanach/internal/edge/source/sheet"
)

func options(t testing.TB, name string) sheet.Options {
	return sheet.Options{Name: name, Budget: sheet.NewBudget(t.Context()), Text: sheet.Text{Free: true, Present: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)}}
}

// open opens a document by its kind.
func open(t testing.TB, path string, o sheet.Options) (sheet.Book, error) {
	f, err := os.Open(path)
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	info, err := f.Stat()
	require.NoError(t, err)
	if strings.HasSuffix(path, ".pdf") {
		return OpenPDF(f, info.Size(), o)
	}
	z, err := zip.NewReader(f, info.Size())
	require.NoError(t, err)
	return OpenOffice(f, z, IsOffice(z), o)
}

// rows writes the rows of a document.
func rows(t testing.TB, b sheet.Book, columns ...int) (out []string) {
	r, err := b.Open(0)
	require.NoError(t, err)
	for {
		row, err := r.Next()
		if err != nil {
			return out
		}
		var cells []string
		for _, c := range columns {
			cells = append(cells, row.Cell(c).Text)
		}
		if row.Evidence != nil && row.Evidence.Held != nil {
			cells = append(cells, "held")
		}
		out = append(out, strings.Join(cells, " | "))
	}
}

// A notice made with an office program says the same as PDF, DOCX and ODT; its
// table is read as one where a key is given.
func TestNotice(t *testing.T) {
	for _, path := range []string{"../../../../demo/desk/inbox/notice.pdf", "../../../../demo/desk/inbox/notice.docx", "testdata/notice.odt"} {
		t.Run(filepath.Ext(path), func(t *testing.T) {
			o := options(t, path)
			b, err := open(t, path, o)
			require.NoError(t, err)
			assert.Equal(t, []string{
				"2026-03-03 09:00 – 2026-03-03 11:00 | Diving inspection of the lock gates | North lock | ",
				"2026-03-05 | Dredging | Berth 4 | ",
				"2026-03-06 | Dredging | Berth 4 | ",
				"2026-03-11 14:00 – 2026-03-11 16:00 | Diving class | Quay 2 | cancelled",
				"2026-03-09 08:00 – 2026-03-09 12:00 | New fenders | Berth 3 | ",
				"2026-03-09 13:00 – 2026-03-09 17:00 | Painting of the bollards and the ladders along the quay wall | Berth 3 | ",
				"2026-03-16 08:00 – 2026-03-16 17:00 | Paving | Quay 2 | ",
				"2026-03-18 | Lamp posts | Quay 2 |  | held",
				"2026-03-20 | The slipway is closed until further notice |  |  | held",
			}, rows(t, b, 1, 3, 4, 6))
			o = options(t, path)
			o.Text.Free = false
			b, err = open(t, path, o)
			require.NoError(t, err)
			got := rows(t, b, 0, 1, 2, 3)
			require.Len(t, got, 5)
			assert.Equal(t, "Date | Time | Work | Place", got[0])
			assert.Equal(t, `" | 13:00–17:00 | Painting of the bollards and the ladders along the quay wall | Berth 3`, got[2])
		})
	}
}

// made gives a PDF of some objects; the first is its catalogue.
func made(objects ...string) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.4\n")
	var at []int
	for i, o := range objects {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	xref := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, n := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", n)
	}
	fmt.Fprintf(&b, "trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, xref)
	return b.Bytes()
}

func stream(text string) string {
	return fmt.Sprintf("<< /Length %d >>\nstream\n%s\nendstream", len(text), text)
}

// page gives a PDF of one page with a content, in a font that every reader has.
func pageOf(content string) []byte {
	return made("<< /Type /Catalog /Pages 2 0 R >>", "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
		"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Resources << /Font << /F1 4 0 R >> >> /Contents 5 0 R >>",
		"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica /Encoding /WinAnsiEncoding >>", stream(content))
}

// What a page draws: words by their gaps, tables without lines, two columns, and
// what cannot be read is refused.
func TestPDF(t *testing.T) {
	line := func(x, y int, text string) string {
		return fmt.Sprintf("BT /F1 10 Tf %d %d Td (%s) Tj ET\n", x, y, text)
	}
	var columns, table string
	for i, text := range []string{"The bridge is closed on", "Tuesday 3 March from 8:00", "to 12:00 for all vessels of", "the inner harbour, and all", "traffic goes by the lock of", "the north until the evening", "when it is open once more."} {
		columns += line(50, 700-14*i, text)
	}
	for i, text := range []string{"Divers work at berth 4 on", "Thursday 5 March from 9:00", "to 11:00 in the morning and", "keep a boat beside them in", "the water all of the time,", "which is to be passed with", "no more than four knots, ."} {
		columns += line(320, 700-14*i, text)
	}
	for i, cells := range [][3]string{{"Date", "Time", "Work"}, {"9 March 2026", "08:00", "New fenders"}, {"10 March 2026", "09:00", "Paving"}, {"11 March 2026", "10:30", "Lamps"}} {
		for c, x := range []int{50, 200, 300} {
			table += line(x, 700-20*i, cells[c])
		}
	}
	for name, c := range map[string]struct {
		data       []byte
		want       []string
		err, notes string
	}{
		"words by gaps":     {data: pageOf("BT /F1 10 Tf 50 700 Td [(5 Ma) -20 (rch) -400 (2026,) -400 (9:00\\22610:30:) -400 (Survey)] TJ ET"), want: []string{"2026-03-05 09:00 – 2026-03-05 10:30 | Survey"}},
		"two columns":       {data: pageOf(columns), want: []string{"2026-03-03 08:00 – 2026-03-03 12:00 | The bridge is closed", "2026-03-05 09:00 – 2026-03-05 11:00 | Divers work at berth 4"}},
		"table of no lines": {data: pageOf(table), want: []string{"2026-03-09 08:00 | New fenders", "2026-03-10 09:00 | Paving", "2026-03-11 10:30 | Lamps"}},
		"a scan":            {data: pageOf("q 500 0 0 700 0 0 cm /Im1 Do Q"), err: "has no text: it is a scan"},
		"cut short":         {data: pageOf(line(50, 700, "5 March"))[:400], err: "is a PDF that cannot be read"},
		"no PDF":            {data: []byte("%PDF-1.7\nhello"), err: "is a PDF that cannot be read"},
		"pages in a circle": {data: made("<< /Type /Catalog /Pages 2 0 R >>", "<< /Type /Pages /Kids [2 0 R 2 0 R] /Count 1 >>"), err: "leads in a circle"},
		"no pages":          {data: made("<< /Type /Catalog >>"), err: "it has no pages"},
		"a field filled in": {data: made("<< /Type /Catalog /Pages 2 0 R >>", "<< /Type /Pages /Kids [3 0 R 6 0 R 9 0 R] /Count 3 >>",
			"<< /Type /Page /Parent 2 0 R /Resources << /Font << /F1 4 0 R >> >> /Contents 5 0 R /Annots [<< /Type /Annot /Subtype /Widget /V (6 March 2026) >> << /Type /Annot /Subtype /Link /Contents (page 3) >>] >>",
			"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>", stream(line(50, 700, "5 March 2026: Survey")),
			"<< /Type /Page /Parent 2 0 R /Resources << /XObject << /Im1 7 0 R >> >> /Contents 8 0 R >>", "<< /Subtype /Image /Length 0 >>\nstream\n\nendstream", stream("/Im1 Do"), "null"),
			want: []string{"2026-03-05 | Survey"}, notes: `a note or a filled-in field that is not read: "6 March 2026"; a page of it is missing; page 2 has no text: it is a scan, or a picture`},
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "n.pdf")
			require.NoError(t, os.WriteFile(path, c.data, 0o600))
			b, err := open(t, path, options(t, path))
			if c.err != "" {
				require.ErrorContains(t, err, c.err)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.want, rows(t, b, 1, 3))
			assert.Contains(t, strings.Join(notes(t, b), "; "), c.notes)
		})
	}
}

// A PDF that an office program locked is refused; one that may only not be changed is
// read.
func TestEncrypted(t *testing.T) {
	_, err := open(t, "testdata/locked.pdf", options(t, "testdata/locked.pdf"))
	require.ErrorContains(t, err, "is locked with a password; open it and save it without a password")
	b, err := open(t, "testdata/restricted.pdf", options(t, "testdata/restricted.pdf"))
	require.NoError(t, err)
	assert.Equal(t, []string{"2026-03-12 10:00 – 2026-03-12 14:00 | The north lock is closed"}, rows(t, b, 1, 3))
}

// notes gives what is said of a book.
func notes(t testing.TB, b sheet.Book) []string {
	r, err := b.Open(0)
	require.NoError(t, err)
	var about sheet.About
	r.About(&about)
	return about.Notes
}

// What a text document holds beside its text, and what of it is not read, is said.
func TestBeside(t *testing.T) {
	write := func(parts map[string]string) sheet.Book {
		path := filepath.Join(t.TempDir(), "n.docx")
		f, err := os.Create(path)
		require.NoError(t, err)
		z := zip.NewWriter(f)
		for name, text := range parts {
			w, err := z.Create(name)
			require.NoError(t, err)
			_, err = w.Write([]byte(text))
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		require.NoError(t, f.Close())
		o := options(t, path)
		o.Text.Free = false
		b, err := open(t, path, o)
		require.NoError(t, err)
		return b
	}
	p := func(text string) string { return "<w:p><w:r><w:t>" + text + "</w:t></w:r></w:p>" }
	row := func(a, b string) string { return "<w:tr><w:tc>" + p(a) + "</w:tc><w:tc>" + p(b) + "</w:tc></w:tr>" }
	b := write(map[string]string{
		"word/document.xml":  "<w:document>" + p("5 March 2026: Survey") + "<w:p><w:ins><w:r><w:t>6 March 2026: Lamps</w:t></w:r></w:ins></w:p></w:document>",
		"word/footnotes.xml": "<w:footnotes><w:footnote>" + p("The survey of 7 March is off.") + "</w:footnote></w:footnotes>",
		"word/comments.xml":  "<w:comments><w:comment>" + p("now the 8th?") + "</w:comment></w:comments>",
		"word/header1.xml":   "<w:hdr>" + p("Harbour office") + "</w:hdr>", "word/footer2.xml": "<w:ftr>" + p("Page 1") + "</w:ftr>",
	})
	assert.Equal(t, []string{"2026-03-05 | Survey", "2026-03-06 | Lamps"}, rows(t, b, 1, 3))
	assert.ElementsMatch(t, []string{"it has changes that nobody has accepted; they are read as if they were", `what stands in a footnote, or above or below the pages, is not read: "The survey of 7 March is off."`, `a comment is not read: "now the 8th?"`}, notes(t, b))
	b = write(map[string]string{"word/document.xml": "<w:document>" + p("5 March 2026: Survey") + "<w:tbl>" + row("No", "Day") + row("1", "6 March 2026") + "</w:tbl></w:document>"})
	assert.Contains(t, strings.Join(notes(t, b), ""), "not its text, in which 1 more seem to be")
}

// TestWithin has a paragraph go on behind what is pinned to it.
func TestWithin(t *testing.T) {
	box := "<w:r><AlternateContent><Choice><txbxContent><w:p><w:r><w:t>Keep clear</w:t></w:r></w:p></txbxContent></Choice><Fallback><txbxContent><w:p><w:r><w:t>Keep clear</w:t></w:r></w:p></txbxContent></Fallback></AlternateContent></w:r>"
	for name, c := range map[string]struct{ part, text, note string }{
		"a comment":        {"content.xml", `<office:annotation><dc:creator>Brin</dc:creator><dc:date>2026-03-01</dc:date><text:p>moved to 6 May</text:p></office:annotation>`, `a comment is not read: "moved to 6 May"`},
		"a footnote":       {"content.xml", `<text:note><text:note-body><text:p>not on 6 May</text:p></text:note-body></text:note>`, `what stands in a footnote, or above or below the pages, is not read: "not on 6 May"`},
		"a text box":       {"content.xml", `<draw:frame><draw:text-box><text:p>Keep clear</text:p></draw:text-box></draw:frame>`, ""},
		"one of DOCX":      {"word/document.xml", box, ""},
		"a deleted part":   {"word/document.xml", "<w:del><w:r><w:delText>9:00</w:delText></w:r></w:del>", "it has changes that nobody has accepted; they are read as if they were"},
		"nothing at all":   {"word/document.xml", "", ""},
		"two comments":     {"content.xml", strings.Repeat(`<office:annotation><text:p>why?</text:p></office:annotation>`, 2), `a comment is not read: "why?"`},
		"two in two boxes": {"word/document.xml", box + box, ""},
	} {
		t.Run(name, func(t *testing.T) {
			text := "<office:text><text:p>5 March 2026, 8:00 to " + c.text + "10:00: Survey</text:p></office:text>"
			if c.part == "word/document.xml" {
				text = "<w:document><w:p><w:r><w:t>5 March 2026, 8:00 to </w:t></w:r>" + c.text + "<w:r><w:t>10:00: Survey</w:t></w:r></w:p></w:document>"
			}
			path := filepath.Join(t.TempDir(), "n.docx")
			require.NoError(t, os.WriteFile(path, zipped(t, [][2]string{{"mimetype", "application/vnd.oasis.opendocument.text"}, {c.part, text}}), 0o600))
			o := options(t, path)
			o.Text.Free = false
			b, err := open(t, path, o)
			require.NoError(t, err)
			assert.Equal(t, []string{"2026-03-05 08:00 – 2026-03-05 10:00 | Survey"}, rows(t, b, 1, 3))
			assert.Equal(t, c.note, strings.Join(notes(t, b), ""))
		})
	}
}

// TestRaised keeps what stands above the line out of the numbers that it stands behind.
func TestRaised(t *testing.T) {
	for name, c := range map[string]struct{ part, text string }{
		"DOCX": {"word/document.xml", `<w:document><w:p><w:r><w:t>5 March 2026, 8:00 to 10:00: Survey of berth 2</w:t></w:r><w:r><w:rPr><w:vertAlign w:val="superscript"/></w:rPr><w:t>1</w:t></w:r><w:r><w:t> north</w:t></w:r></w:p></w:document>`},
		"ODT":  {"content.xml", `<office:text><style:style style:name="T1"><style:text-properties style:text-position="super 58%"/></style:style><text:p>5 March 2026, 8:00 to 10:00: Survey of berth 2<text:span text:style-name="T1">1</text:span> north</text:p></office:text>`},
		"page": {"", `<p>5 March 2026, 8:00 to 10:00: Survey of berth 2<sup>1</sup> north</p>`},
	} {
		path := filepath.Join(t.TempDir(), "n")
		text := []byte(c.text)
		if c.part != "" {
			text = zipped(t, [][2]string{{"mimetype", "application/vnd.oasis.opendocument.text"}, {c.part, c.text}})
		}
		require.NoError(t, os.WriteFile(path, text, 0o600))
		var parts []Part
		if c.part == "" {
			var err error
			parts, err = PageParts(bytes.NewReader(text))
			require.NoError(t, err)
		} else {
			o := options(t, path)
			o.Text.Free = false
			b, err := open(t, path, o)
			require.NoError(t, err)
			assert.Equal(t, []string{"Survey of berth 2¹ north"}, rows(t, b, 3), name)
			continue
		}
		assert.Equal(t, "5 March 2026, 8:00 to 10:00: Survey of berth 2¹ north", parts[0].Line.Text, name)
	}
}

// zipped packs parts.
func zipped(t *testing.T, parts [][2]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, part := range parts {
		w, err := z.Create(part[0])
		require.NoError(t, err)
		_, err = w.Write([]byte(part[1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// A text document that is a bomb, or holds what is none of its own, is refused.
func TestOfficeRefused(t *testing.T) {
	write := func(text string) string {
		path := filepath.Join(t.TempDir(), "n.docx")
		f, err := os.Create(path)
		require.NoError(t, err)
		z := zip.NewWriter(f)
		w, err := z.Create("word/document.xml")
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
		require.NoError(t, z.Close())
		require.NoError(t, f.Close())
		return path
	}
	for text, want := range map[string]string{
		"<w:document><w:body><w:p>":                                             "",
		strings.Repeat("<w:p>", 500):                                            "more than 400 deep",
		"<w:document>" + strings.Repeat(" ", maxXML+10):                         "unpacks to more than",
		`<!DOCTYPE d [<!ENTITY a "x">]><w:document><w:t>&a;</w:t></w:document>`: "its text cannot be read",
	} {
		path := write(text)
		b, err := open(t, path, options(t, path))
		if want == "" {
			require.NoError(t, err)
			assert.Empty(t, rows(t, b, 1))
			continue
		}
		require.ErrorContains(t, err, want)
	}
}

// FuzzPDF wants no file to end the program, or to take for ever.
func FuzzPDF(f *testing.F) {
	data, err := os.ReadFile("../../../../demo/desk/inbox/notice.pdf")
	require.NoError(f, err)
	f.Add(data)
	f.Add(pageOf("BT /F1 10 Tf 50 700 Td (5 March 2026: Survey) Tj ET"))
	dir := f.TempDir()
	f.Fuzz(func(t *testing.T, data []byte) {
		path := filepath.Join(dir, "f.pdf")
		require.NoError(t, os.WriteFile(path, data, 0o600))
		if b, err := open(t, path, options(t, path)); err == nil {
			_ = rows(t, b, 1)
		}
	})
}

// FuzzContent wants no content of a page to end the program.
func FuzzContent(f *testing.F) {
	f.Add([]byte("q 1 0 0 1 0 0 cm BT /F1 10 Tf (a) Tj [(b) -200 <41>] TJ ET 0 0 10 1 re f Q"))
	f.Fuzz(func(t *testing.T, data []byte) {
		in := &interpreter{pdfReader: &pdfReader{budget: sheet.NewBudget(t.Context()), fonts: map[string]*font{}, d: &Doc{}}}
		in.state.scale = 1
		lex := &lexer{data: data}
		var args []operand
		for {
			op, ok := lex.next(&args)
			if !ok {
				break
			}
			if op != "Do" && op != "Tf" {
				in.do(op, args, pdf.Value{}, 0)
			}
			args = args[:0]
		}
		layOut(in.glyphs, in.strokes, 1)
	})
}

// BenchmarkPDF reads the demo's notice.
func BenchmarkPDF(b *testing.B) {
	path := "../../../../demo/desk/inbox/notice.pdf"
	if other := os.Getenv("ALMANACH_PDF"); other != "" {
		path = other
	}
	for b.Loop() {
		d, err := open(b, path, options(b, path))
		require.NoError(b, err)
		require.NotEmpty(b, rows(b, d, 1))
	}
}
