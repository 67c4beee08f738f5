package source

import (
	"archive/zip"
	"bytes"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
	"almanach/internal/edge/source/agenda"
	"almanach/internal/edge/source/delimited"
	"almanach/internal/edge/source/document"
	"almanach/internal/edge/source/mail"
	"almanach/internal/edge/source/office"
	"almanach/internal/edge/source/records"
	"almanach/internal/edge/source/sheet"
	"almanach/internal/edge/source/text"
	"almanach/internal/edge/source/webpage"
)

// binary are the formats told by their first bytes. Each opens the file, or
// says what to do instead.
var binary = []struct {
	magic string
	open  func(f *os.File, size int64, o sheet.Options) (sheet.Book, error)
}{
	{"PK\x03\x04", openZip},
	{"\xd0\xcf\x11\xe0", compound},
	{"%PDF", document.OpenPDF},
	{"{\\rtf", refuse("is an RTF text", "open it and save it as .docx")},
	{"\x1f\x8b", refuse("is packed with gzip", "unpack it first")},
	{"BZh91AY", refuse("is packed with bzip2", "unpack it first")},
	{"\xfd7zXZ", refuse("is packed with xz", "unpack it first")},
	{"7z\xbc\xaf", refuse("is a 7z archive", "unpack it first")},
	{"Rar!\x1a\x07", refuse("is a RAR archive", "unpack it first")},
	{"\x89PNG", refuse("is a picture", "ask for the text or the table that it shows")},
	{"\xff\xd8\xff", refuse("is a picture", "ask for the text or the table that it shows")},
	{"GIF8", refuse("is a picture", "ask for the text or the table that it shows")},
	{"SQLite format 3\x00", refuse("is a database", "export its table as .csv")},
}

// textual are the formats of text, in the order in which they are tried. The
// last one takes whatever is left.
var textual = []struct {
	is   func(lead []byte) bool
	open func(*text.Source, sheet.Options) (sheet.Book, error)
}{
	{records.Is, records.Open},
	{webpage.Is, openPage},
	{agenda.Is, agenda.Open},
	{isXML, refuseXML},
	{func([]byte) bool { return true }, openLines},
}

// openZip opens a workbook or a text document.
func openZip(f *os.File, size int64, o sheet.Options) (sheet.Book, error) {
	if z, err := zip.NewReader(f, size); err == nil {
		if part := document.IsOffice(z); part != "" {
			return document.OpenOffice(f, z, part, o)
		}
	}
	return office.Open(f, size, o)
}

// openPage opens a web page: its tables where a key tells their rows apart, else
// its text.
func openPage(t *text.Source, o sheet.Options) (sheet.Book, error) {
	if o.Text.Read == "text" || o.Text.Read == "" && o.Text.Free {
		return document.OpenPage(t, o)
	}
	b, err := webpage.Open(t, o)
	if errors.Is(err, webpage.ErrNoTable) && o.Text.Read == "" {
		return document.OpenPage(t, o)
	}
	return b, err
}

// openLines opens separated values, or running text.
func openLines(t *text.Source, o sheet.Options) (sheet.Book, error) {
	lead := bytes.TrimLeft(t.Head, " \t\r\n")
	if document.IsPlain(o.Name, lead, o.Text.Free && o.Header == (table.HeaderRows{})) {
		return document.OpenPlain(t, o)
	}
	return delimited.Open(t, o)
}

// isXML tells whether a text is XML, and no web page: its tags would be taken for words.
func isXML(lead []byte) bool {
	element := text.Element(lead)
	return bytes.HasPrefix(lead, []byte("<?xml")) || element != "" && !webpage.Known(element) && (bytes.Contains(lead, []byte("</")) || bytes.Contains(lead, []byte("/>")))
}

func refuseXML(t *text.Source, o sheet.Options) (sheet.Book, error) {
	f := fault.Newf("is XML, of which only web pages are read").At(fault.Place{File: o.Name}).Do("have it exported as CSV, JSON or a workbook; a spreadsheet program may open it, and save it as .xlsx")
	for _, mark := range []string{"office:spreadsheet", "<office:document"} {
		if bytes.Contains(t.Head, []byte(mark)) {
			f = fault.Newf("is a workbook written as XML").At(fault.Place{File: o.Name}).Do("open it and save it as .xlsx or .ods")
		}
	}
	return nil, errors.Join(f, t.Close())
}

// openFile opens a file by what it holds.
func openFile(f *os.File, o sheet.Options) (sheet.Book, error) {
	at := fault.Place{File: o.Name}
	info, err := f.Stat()
	if err != nil {
		return nil, openFault(o.Name, o.Name, err)
	}
	if info.IsDir() && mail.IsFolder(o.Name) {
		f.Close()
		return mail.OpenFolder(o.Name, o)
	}
	if info.IsDir() {
		return nil, fault.Newf("is a folder, not a file").At(at).Do("name one of its files, or read them all with from: { folder: … }")
	}
	head := make([]byte, 64<<10)
	n, err := io.ReadFull(f, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return nil, openFault(o.Name, o.Name, err)
	}
	head = head[:n]
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, openFault(o.Name, o.Name, err)
	}
	if len(head) == 0 {
		return nil, fault.Newf("the file is empty").At(at).Do("check that it is the right file; an empty source changes nothing")
	}
	for _, b := range binary {
		if bytes.HasPrefix(head, []byte(b.magic)) {
			return b.open(f, info.Size(), o)
		}
	}
	if mail.Is(bytes.TrimLeft(head, "\r\n")) {
		return mail.Open(f, o)
	}
	if slices.Contains([]string{".xlsx", ".xlsm", ".ods"}, strings.ToLower(filepath.Ext(o.Name))) {
		return nil, fault.Newf("is not a workbook, whatever its name says").At(at).Do("save it again as .xlsx, or rename it to .csv if it is text")
	}
	t, err := text.Open(f, head, o)
	if err != nil {
		return nil, err
	}
	lead := bytes.TrimLeft(t.Head, " \t\r\n")
	for _, format := range textual {
		if format.is(lead) {
			return format.open(t, o)
		}
	}
	return nil, fault.Newf("is of no format that can be read").At(at)
}

// refuse gives what opens a format that is known and not read.
func refuse(cause, advice string) func(*os.File, int64, sheet.Options) (sheet.Book, error) {
	return func(_ *os.File, _ int64, o sheet.Options) (sheet.Book, error) {
		return nil, fault.Newf("%s", cause).At(fault.Place{File: o.Name}).Do("%s", advice)
	}
}

// compounds are the kinds of compound file, by what stands in them. None is read.
var compounds = []struct{ name, cause, advice string }{
	{"EncryptedPackage", "the workbook is locked with a password", "save it without a password"},
	{"__substg1.0_", "is a message as one mail program keeps it", "save it as .eml"},
	{"WordDocument", "is an old .doc text", "open it and save it as .docx"},
	{"PowerPoint Document", "is an old .ppt presentation", "open it and save it as .pdf"},
}

// compound refuses a compound file.
func compound(f *os.File, size int64, o sheet.Options) (sheet.Book, error) {
	data := make([]byte, min(size, 4<<20))
	n, _ := f.ReadAt(data, 0)
	workbook := strings.EqualFold(filepath.Ext(o.Name), ".xls") // in which a text may lie
	for _, c := range compounds {
		if workbook && strings.HasPrefix(c.cause, "is an old") {
			continue
		}
		var wide []byte // names stand in UTF-16
		for i := range len(c.name) {
			wide = append(wide, c.name[i], 0)
		}
		if bytes.Contains(data[:n], wide) {
			return refuse(c.cause, c.advice)(f, size, o)
		}
	}
	return refuse("is an old .xls workbook", "open it and save it as .xlsx")(f, size, o)
}
