package office

import (
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/table"
)

// rowsOf reads a sheet's XML, in chunks where it is large.
func rowsOf(src io.Reader, large bool) (rows []table.Row, err error) {
	w := &worksheet{workbook: &workbook{shared: []string{"Corvane", "Grey _x0041_ Petrel", ""}, struck: map[int]bool{1: true}, styles: []style{{kind: table.Number}, {kind: table.Date}, {kind: table.Number, struck: true}}}, from: &table.Origin{}, part: io.NopCloser(src), xml: newXML(src), large: large}
	for {
		row, err := w.Next()
		if err == io.EOF {
			return rows, nil
		}
		if err != nil {
			return rows, err
		}
		rows = append(rows, row)
	}
}

// opened gives rows with their cells, which rows of several chunks hold apart.
func opened(rows []table.Row) []table.Row {
	out := make([]table.Row, len(rows))
	for i := range rows {
		out[i] = rows[i].Opened()
	}
	return out
}

// TestQuickCells reads random sheets three times: whole, where the usual cells are read
// in one pass, octet by octet, where none is, and in chunks side by side. All must give the same.
func TestQuickCells(t *testing.T) {
	defer func(was int) { chunkSize = was }(chunkSize)
	r := rand.New(rand.NewPCG(7, 11))
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	filled := 0
	for n := range 3000 {
		var b strings.Builder
		b.WriteString(`<?xml version="1.0"?><worksheet><cols><col min="2" max="2" hidden="1"/></cols><sheetData>`)
		rows := 1 + r.IntN(4)
		if n%4 == 0 {
			rows = 10 + r.IntN(20)
		}
		numbered := r.IntN(8) > 0
		for i := range rows {
			if r.IntN(40) == 0 {
				b.WriteString(pick("<row>", "<!-- </row> -->", "<?x </row>?>", "<![CDATA[</row>", "<!DOCTYPE x>", "<x:row r='9'>", "</sheetData>", "<row r='7'/>", " ", `<cols r="5"/>`))
			}
			number := fmt.Sprintf(` r="%d"`, i+1)
			if !numbered {
				number = ""
			}
			b.WriteString("<row" + number + pick("", ` hidden="1"`, ` spans="1:9"`) + ">")
			for c := range r.IntN(6) {
				attrs := []string{fmt.Sprintf(` r="%s%d"`, table.Letter(c+r.IntN(2)), i+1), pick("", ` s="1"`, ` s="2"`, ` s="99"`, ` s='1'`), pick("", ` t="s"`, ` t="str"`, ` t="inlineStr"`, ` t="b"`, ` t="e"`, ` t="n"`, ` t="d"`, ` t="odd"`), pick("", "", ` cm="1"`, ` x:t="s"`, ` t = "s"`, "\n")}
				r.Shuffle(len(attrs), func(i, j int) { attrs[i], attrs[j] = attrs[j], attrs[i] })
				if r.IntN(9) == 0 {
					attrs = attrs[:1+r.IntN(3)]
				}
				switch r.IntN(400) {
				case 0:
					attrs[0] = ` r="XFE1"`
				case 1:
					b.WriteString("<c><v>" + strings.Repeat("y", 33_000) + "</v></c>")
				}
				text := pick("0", "1", "2", "46023", "46023.5", "", " ", "12 &amp; 13", "TH-1042", "&#xE9;", "_x0041_", "a&lt;b", "1e3", strings.Repeat("x", r.IntN(300)))
				body := pick("<v>"+text+"</v>", "<v>"+text+"</v>", "<is><t>"+text+"</t></is>", `<is><t xml:space="preserve">`+text+"</t></is>", "<is><r><rPr><strike/></rPr><t>a</t></r><r><t>"+text+"</t></r></is>", "<f>A1+1</f><v>"+text+"</v>", "<f>A1</f>", "<v/>", "<v><![CDATA["+text+"]]></v>", "<!-- x --><v>"+text+"</v>", "<v>"+text+"</v ><extLst/>", "<is><t>"+text+"</t><rPh><t>y</t></rPh></is>", "")
				cell := "<c" + strings.Join(attrs, "") + ">" + body + "</c>"
				if body == "" && r.IntN(2) == 0 {
					cell = "<c" + strings.Join(attrs, "") + pick("/>", " />")
				}
				b.WriteString(cell + pick("", "", " ", "\r\n", "<!-- y -->"))
			}
			b.WriteString(pick("</row>", "</row>", "</row>", "</row\n>", "</row>\r\n"))
		}
		b.WriteString("</sheetData>" + pick("", `<mergeCells count="1"><mergeCell ref="A1:B2"/></mergeCells>`, `<autoFilter ref="A1:B2"/><mergeCells><mergeCell ref="B1:B4"/></mergeCells>`) + "</worksheet>")
		text := b.String()
		if r.IntN(8) == 0 {
			text = text[:r.IntN(len(text))]
		}
		want, wantErr := rowsOf(iotest.OneByteReader(strings.NewReader(text)), false)
		got, gotErr := rowsOf(strings.NewReader(text), false)
		chunkSize = 1 + r.IntN(3000) + r.IntN(5)/4*100_000
		chunked, chunkedErr := rowsOf(iotest.OneByteReader(strings.NewReader(text)), true)
		for _, err := range []error{gotErr, chunkedErr} {
			require.Equal(t, wantErr == nil, err == nil, "sheet %d: %v, %v\n%s", n, wantErr, err, text)
			if wantErr != nil {
				require.Equal(t, wantErr.Error(), err.Error(), text)
			}
		}
		require.Equal(t, opened(want), opened(got), text)
		require.Equal(t, opened(want), opened(chunked), text)
		for _, row := range got {
			filled += row.Width()
		}
	}
	assert.Greater(t, filled, 10_000)
}
