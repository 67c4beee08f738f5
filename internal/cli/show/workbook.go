package show

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
	"unicode/utf16"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"

	"github.com/charmbracelet/x/ansi"
)

// worksheet is a sheet to be written as a workbook of its own (Office Open XML,
// ECMA-376 part 1, §18). It is written straight through: a library that keeps the
// whole workbook, and a table of formats ready at every start, costs more than this.
type worksheet struct {
	name   string
	widths []float64 // of the columns, in characters
	frozen int       // rows that stay in sight
	filter int       // rows below a header in the first row that filters them; 0 for none
}

// A sheetCell is a text, or a day or a moment on the clock that people see.
type sheetCell struct {
	text  string
	at    time.Time
	style cellStyle
}

// cellStyle is an index of sheetStyles' cellXfs.
type cellStyle int

const (
	unstyled cellStyle = iota
	headStyle
	textStyle
	dayStyle
	momentStyle
	markedStyle
)

const sheetStyles = `<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">` +
	`<numFmts count="2"><numFmt numFmtId="164" formatCode="ddd d mmm yyyy"/><numFmt numFmtId="165" formatCode="ddd d mmm yyyy hh:mm"/></numFmts>` +
	`<fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts>` +
	`<fills count="3"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill><fill><patternFill patternType="solid"><fgColor rgb="FFFFF2CC"/></patternFill></fill></fills>` +
	`<borders count="1"><border/></borders><cellStyleXfs count="1"><xf/></cellStyleXfs><cellXfs count="6"><xf/>` +
	`<xf fontId="1" applyFont="1"/>` +
	`<xf applyAlignment="1"><alignment vertical="top"/></xf>` +
	`<xf numFmtId="164" applyNumberFormat="1" applyAlignment="1"><alignment horizontal="left" vertical="top"/></xf>` +
	`<xf numFmtId="165" applyNumberFormat="1" applyAlignment="1"><alignment horizontal="left" vertical="top"/></xf>` +
	`<xf fillId="2" applyFill="1" applyAlignment="1"><alignment vertical="top" wrapText="1"/></xf>` +
	`</cellXfs></styleSheet>`

// Limits of a sheet, which every program for spreadsheets keeps.
const (
	maxSheetRows = 1 << 20
	maxSheetText = 32767 // UTF-16 units in a cell
)

// dayZero is day 0 of a spreadsheet's dates, as they count from March 1900 on.
var dayZero = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)

// write writes rows of cells. What no sheet can hold is a fault, and never cut.
func (s worksheet) write(w io.Writer, rows int, row func(i int) []sheetCell) error {
	if s.name == "" || len(utf16.Encode([]rune(s.name))) > 31 || strings.ContainsAny(s.name, `[]:*?/\`) || strings.Trim(s.name, "'") != s.name {
		return fault.New(s.name, "cannot be the name of a sheet in a workbook").Do("write a .csv file instead")
	}
	if rows > maxSheetRows {
		return fault.Newf("%d rows are more than the %d that a sheet holds", rows, maxSheetRows).Do("write a .csv file instead, or less at a time")
	}
	for i := range rows {
		for _, cell := range row(i) {
			if len(cell.text) > maxSheetText && len(utf16.Encode([]rune(cell.text))) > maxSheetText {
				return fault.New(cell.text, fmt.Sprintf("is longer than the %d characters that a cell holds", maxSheetText)).Do("write a .csv file instead")
			}
		}
	}
	z := zip.NewWriter(w)
	part := func(name, body string) error {
		p, err := z.Create(name)
		if err == nil {
			_, err = io.WriteString(p, xml.Header+body)
		}
		return err
	}
	filtered := ""
	if s.filter > 0 {
		filtered = fmt.Sprintf(`<definedNames><definedName name="_xlnm._FilterDatabase" localSheetId="0" hidden="1">'%s'!$A$1:$%s$%d</definedName></definedNames>`, markup(strings.ReplaceAll(s.name, "'", "''")), table.Letter(len(s.widths)-1), s.filter+1)
	}
	const office, packages = "http://schemas.openxmlformats.org/officeDocument/2006/relationships", "http://schemas.openxmlformats.org/package/2006"
	const kinds = "application/vnd.openxmlformats-officedocument.spreadsheetml."
	for _, p := range [][2]string{
		{"[Content_Types].xml", `<Types xmlns="` + packages + `/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>` +
			`<Override PartName="/xl/workbook.xml" ContentType="` + kinds + `sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="` + kinds + `worksheet+xml"/><Override PartName="/xl/styles.xml" ContentType="` + kinds + `styles+xml"/></Types>`},
		{"_rels/.rels", `<Relationships xmlns="` + packages + `/relationships"><Relationship Id="r1" Type="` + office + `/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
		{"xl/_rels/workbook.xml.rels", `<Relationships xmlns="` + packages + `/relationships"><Relationship Id="r1" Type="` + office + `/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="` + office + `/styles" Target="styles.xml"/></Relationships>`},
		{"xl/workbook.xml", `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="` + office + `"><sheets><sheet name="` + markup(s.name) + `" sheetId="1" r:id="r1"/></sheets>` + filtered + `</workbook>`},
		{"xl/styles.xml", sheetStyles},
	} {
		if err := part(p[0], p[1]); err != nil {
			return err
		}
	}
	p, err := z.Create("xl/worksheets/sheet1.xml")
	if err != nil {
		return err
	}
	b := bufio.NewWriterSize(p, 1<<16)
	s.body(b, rows, row)
	if err := b.Flush(); err != nil {
		return err
	}
	return z.Close()
}

func (s worksheet) body(b *bufio.Writer, rows int, row func(i int) []sheetCell) {
	b.WriteString(xml.Header + `<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetPr><pageSetUpPr fitToPage="1"/></sheetPr><sheetViews><sheetView workbookViewId="0">`)
	fmt.Fprintf(b, `<pane ySplit="%d" topLeftCell="A%d" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><cols>`, s.frozen, s.frozen+1)
	for c, width := range s.widths {
		fmt.Fprintf(b, `<col min="%d" max="%d" width="%g" customWidth="1"/>`, c+1, c+1, width)
	}
	b.WriteString(`</cols><sheetData>`)
	for i := range rows {
		at := strconv.Itoa(i + 1)
		cells := row(i)
		b.WriteString(`<row r="` + at + `"`)
		if lines := s.lines(cells); lines > 1 {
			fmt.Fprintf(b, ` ht="%d" customHeight="1"`, min(15*lines, 400))
		}
		b.WriteString(`>`)
		for c, cell := range cells {
			b.WriteString(`<c r="` + table.Letter(c) + at + `" s="` + strconv.Itoa(int(cell.style)) + `"`)
			if days := cell.at.Sub(dayZero).Hours() / 24; days > 60 {
				b.WriteString(`><v>` + strconv.FormatFloat(days, 'f', -1, 64) + `</v></c>`)
				continue
			}
			b.WriteString(` t="inlineStr"><is><t xml:space="preserve">`)
			_ = xml.EscapeText(b, []byte(cell.text)) // the writer keeps its error
			b.WriteString(`</t></is></c>`)
		}
		b.WriteString(`</row>`)
	}
	b.WriteString(`</sheetData>`)
	if s.filter > 0 {
		fmt.Fprintf(b, `<autoFilter ref="A1:%s%d"/>`, table.Letter(len(s.widths)-1), s.filter+1)
	}
	b.WriteString(`<pageSetup paperSize="9" orientation="landscape" fitToHeight="0"/></worksheet>`) // on paper all columns stand side by side
}

// lines is how many lines of text a row needs where its cells are wrapped: not every
// program finds that by itself.
func (s worksheet) lines(cells []sheetCell) (most int) {
	for c, cell := range cells {
		if cell.style == markedStyle {
			most = max(most, strings.Count(ansi.Wrap(cell.text, int(s.widths[c])-2, ""), "\n")+1)
		}
	}
	return most
}

func markup(s string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(s)) // a buffer takes all
	return b.String()
}
