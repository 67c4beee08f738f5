package source

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/encoding/unicode/utf32"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

func write(t testing.TB, name string, data []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, data, 0o600))
	return path
}

func zones(t testing.TB) ical.Zones {
	t.Helper()
	b, err := zone.NewBook(nil)
	require.NoError(t, err)
	return b.Find
}

// dump reads a table whole: its header, then each row as number and cells, with
// the kind of those that are no text.
func dump(t testing.TB, path string, o Options) (string, *About, error) {
	t.Helper()
	o.Zones = zones(t)
	r, err := Open(t.Context(), path, o)
	if err != nil {
		return "", nil, err
	}
	defer func() { assert.NoError(t, r.Close()) }()
	return dumpReader(r)
}

func dumpReader(r Reader) (string, *About, error) {
	var b strings.Builder
	b.WriteString(strings.Join(r.Header(), "|"))
	for {
		row, err := r.Next()
		if err == io.EOF {
			return b.String(), r.About(), nil
		}
		if err != nil {
			return b.String(), r.About(), err
		}
		fmt.Fprintf(&b, "\n%d ", row.Number)
		if row.Hidden {
			b.WriteString("(hidden) ")
		}
		if row.Under != "" {
			b.WriteString("(" + row.Under + ") ")
		}
		if row.Fault != nil {
			b.WriteString("! " + row.Fault.Error())
			continue
		}
		for i, c := range row.AppendCells(nil) {
			if i > 0 {
				b.WriteByte('|')
			}
			text := strings.ReplaceAll(c.Text, "\n", "⏎")
			if c.Struck {
				text += "<struck>"
			}
			if c.Kind != table.Text && c.Kind != table.Empty {
				text += fmt.Sprintf("<%s>", c.Kind)
			}
			b.WriteString(text)
		}
	}
}

// bookings is the table that every format holds in the conformance suite.
const bookings = `No|Vessel|Arrival|Remarks
2 TH-1|Grey Petrel|2026-03-05|Crane, booked
3 TH-2|Corvane||two⏎lines "quoted"
5 TH-3|Ebba Strand né à Tarn Haven|2026-03-14|=not a formula`

// TestConformance puts one table into every format and reads the same rows out
// of each: with their numbers, blank rows left out.
func TestConformance(t *testing.T) {
	rows := [][]string{{"No", "Vessel", "Arrival", "Remarks"}, {"TH-1", "Grey Petrel", "2026-03-05", "Crane, booked"}, {"TH-2", "Corvane", "", "two\nlines \"quoted\""}, {}, {"TH-3", "Ebba Strand né à Tarn Haven", "2026-03-14", "=not a formula"}}
	csv := func(sep, end string) string {
		var b strings.Builder
		for _, r := range rows {
			for i, c := range r {
				if i > 0 {
					b.WriteString(sep)
				}
				if strings.ContainsAny(c, "\n\""+sep) {
					c = `"` + strings.ReplaceAll(c, `"`, `""`) + `"`
				}
				b.WriteString(c)
			}
			b.WriteString(end)
		}
		return b.String()
	}
	utf16, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(csv("\t", "\r\n"))
	require.NoError(t, err)
	bare16, err := unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM).NewEncoder().String(csv(";", "\n"))
	require.NoError(t, err)
	windows, err := charmap.Windows1252.NewEncoder().String(csv(";", "\r\n"))
	require.NoError(t, err)
	var html, ods, lines strings.Builder
	html.WriteString("<html><table><tr><td>layout</td></tr></table><table id=b><caption>Bookings</caption>")
	for _, r := range rows {
		html.WriteString("<tr>")
		ods.WriteString("<table:table-row>")
		for _, c := range r {
			escaped := strings.NewReplacer("&", "&amp;", "<", "&lt;", "\n", "\x01", `"`, "&quot;").Replace(c)
			html.WriteString("<td> " + strings.ReplaceAll(escaped, "\x01", "<br/>") + "\n")
			ods.WriteString(`<table:table-cell office:value-type="string"><text:p>` + strings.ReplaceAll(escaped, "\x01", "</text:p><text:p>") + "</text:p></table:table-cell>")
		}
		ods.WriteString(`<table:table-cell table:number-columns-repeated="16000"/></table:table-row>`)
	}
	html.WriteString("</table></html>")
	for _, r := range rows[1:] {
		if len(r) > 0 {
			fmt.Fprintf(&lines, "{\"No\":%q,\"Vessel\":%q,\"Arrival\":%q,\"Remarks\":%q}\n", r[0], r[1], r[2], r[3])
		}
	}
	f := excelize.NewFile()
	for i, r := range rows {
		for k, c := range r {
			cell, _ := excelize.CoordinatesToCellName(k+1, i+1)
			require.NoError(t, f.SetCellStr("Sheet1", cell, c))
		}
	}
	var xlsx bytes.Buffer
	require.NoError(t, f.Write(&xlsx))
	for name, data := range map[string]string{
		"commas.csv": csv(",", "\r\n"), "semicolons.txt": "\xef\xbb\xbf" + csv(";", "\n"), "tabs.tsv": csv("\t", "\r"), "bars.csv": csv("|", "\n"), "utf-16.csv": utf16, "no-mark.csv": bare16, "windows.csv": windows,
		"page.html": html.String(), "book.xlsx": xlsx.String(), "book.ods": odsFile(t, `<table:table table:name="Bookings">`+ods.String()+`<table:table-row table:number-rows-repeated="1048000"><table:table-cell table:number-columns-repeated="1024"/></table:table-row></table:table>`),
		"list.json": "{\"n\":3,\"data\":{\"bookings\":[" + strings.ReplaceAll(strings.TrimSpace(lines.String()), "\n", ",\n") + "]}}", "lines.jsonl": lines.String(),
	} {
		t.Run(name, func(t *testing.T) {
			got, _, err := dump(t, write(t, name, []byte(data)), Options{})
			require.NoError(t, err)
			want := bookings
			if strings.HasSuffix(name, ".json") || strings.HasSuffix(name, ".jsonl") { // records have no blank rows, nor a row for the header
				want = strings.NewReplacer("\n2 ", "\n1 ", "\n3 ", "\n2 ", "\n5 ", "\n3 ").Replace(want)
			}
			assert.Equal(t, want, got)
		})
	}
}

func odsFile(t testing.TB, tables string) string {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, part := range [][2]string{{"mimetype", "application/vnd.oasis.opendocument.spreadsheet"}, {"content.xml", `<?xml version="1.0"?><office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x"><office:body><office:spreadsheet>` + tables + `</office:spreadsheet></office:body></office:document-content>`}} {
		w, err := z.Create(part[0])
		require.NoError(t, err)
		_, err = io.WriteString(w, part[1])
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.String()
}

// sheet gives a workbook with the given cells; a value is text, a number with
// a format behind "~", or a formula's value behind "=".
func oneSheet(t testing.TB, cells map[string]string, more func(*excelize.File)) string {
	t.Helper()
	f := excelize.NewFile()
	for ref, v := range cells {
		number, format, styled := strings.Cut(v, "~")
		if !styled {
			require.NoError(t, f.SetCellStr("Sheet1", ref, v))
			continue
		}
		var n float64
		_, err := fmt.Sscan(number, &n)
		require.NoError(t, err)
		require.NoError(t, f.SetCellFloat("Sheet1", ref, n, -1, 64))
		id, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
		require.NoError(t, err)
		require.NoError(t, f.SetCellStyle("Sheet1", ref, ref, id))
	}
	if more != nil {
		more(f)
	}
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	return b.String()
}

func TestWorkbooks(t *testing.T) {
	head := map[string]string{"A1": "No", "B1": "When", "C1": "Note"}
	with := func(cells map[string]string) map[string]string {
		for k, v := range head {
			if _, ok := cells[k]; !ok {
				cells[k] = v
			}
		}
		return cells
	}
	tests := []struct {
		name    string
		data    string
		options Options
		want    string
		about   string
	}{
		{name: "kinds by number format", data: oneSheet(t, with(map[string]string{"A2": "7~0000", "B2": "46086~dd/mm/yyyy", "A3": "3.25~0.00", "B3": "46086.34375~yyyy-mm-dd hh:mm", "A4": "8~General", "B4": "0.34375~hh:mm", "A5": "9~0", "B5": "1.5~[h]:mm", "A6": "10~0", "B6": "46086~dddd", "A7": "11~0", "B7": "1~hh:mm", "A8": "12~0", "B8": "46086.75~hh:mm"}), nil),
			want: "No|When|Note\n2 0007<number>|2026-03-05<date>\n3 3.25<number>|2026-03-05T08:15<date and time>\n4 8<number>|08:15<time of day>\n5 9<number>|36:00<length>\n6 10<number>|2026-03-05<date>\n7 11<number>|24:00<length>\n8 12<number>|2026-03-05T18:00<date and time>"},
		{name: "the header again, and in another order", data: oneSheet(t, with(map[string]string{"A2": "a", "B2": "x", "A3": "No", "B3": "When", "C3": "Note", "A4": "b", "B4": "y", "A5": "note", "B5": "No", "C5": " When", "A6": "n", "B6": "c", "C6": "z", "A7": "No", "B7": "When", "A8": "p", "B8": "d"}), nil),
			want: "No|When|Note\n2 a|x\n4 b|y\n6 c|z|n\n7 When||No\n8 d||p", about: "2 rows repeat the header, the first row 3, the last row 5; what stands below each is read by its own order of the columns"},
		{name: "dates from 1904", data: oneSheet(t, with(map[string]string{"A2": "a", "B2": "44624~dd/mm/yyyy"}), func(f *excelize.File) {
			on := true
			require.NoError(t, f.SetWorkbookProps(&excelize.WorkbookPropsOptions{Date1904: &on}))
		}), want: "No|When|Note\n2 a|2026-03-05<date>", about: "its dates count from 1904"},
		{name: "as displayed, crossed out, under a heading", data: oneSheet(t, with(map[string]string{"A2": "Week 10", "A3": `7~"K-"000`, "B3": "0~dd/mm/yyyy", "A4": "b", "B4": "x", "C4": "y", "A5": "c"}), func(f *excelize.File) {
			require.NoError(t, f.MergeCell("Sheet1", "A2", "C2"))
			id, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Strike: true}})
			require.NoError(t, err)
			require.NoError(t, f.SetCellStyle("Sheet1", "A4", "B4", id))
			require.NoError(t, f.SetCellRichText("Sheet1", "B5", []excelize.RichTextRun{{Text: "09:00", Font: &excelize.Font{Strike: true}}, {Text: " 10:00"}}))
		}), want: "No|When|Note\n3 (Week 10) K-007<number>|0<error>\n4 (Week 10) b<struck>|x<struck>|y\n5 (Week 10) c|09:00 10:00<struck>", about: "row 2 is a heading within the table: Week 10"},
		{name: "hidden rows and columns", data: oneSheet(t, with(map[string]string{"A2": "a", "A3": "b", "B2": "x", "C2": "y"}), func(f *excelize.File) {
			require.NoError(t, f.SetRowVisible("Sheet1", 3, false))
			require.NoError(t, f.SetColVisible("Sheet1", "B", false))
		}), want: "No||Note\n2 a|x|y\n3 (hidden) b"},
		{name: "hidden ones read", options: Options{Hidden: true}, data: oneSheet(t, with(map[string]string{"A2": "a", "A3": "b", "B2": "x"}), func(f *excelize.File) {
			require.NoError(t, f.SetRowVisible("Sheet1", 3, false))
			require.NoError(t, f.SetColVisible("Sheet1", "B", false))
		}), want: "No|When|Note\n2 a|x\n3 b"},
		{name: "merged cells stand for all of theirs", data: oneSheet(t, map[string]string{"A1": "Tarn Haven", "A2": "No", "B2": "When", "C2": "Note", "A3": "a", "B3": "Monday", "A4": "b", "A5": "c", "B5": "Tuesday"}, func(f *excelize.File) {
			require.NoError(t, f.MergeCell("Sheet1", "A1", "C1"))
			require.NoError(t, f.MergeCell("Sheet1", "B3", "B4"))
		}), want: "No|When|Note\n3 a|Monday\n4 b|Monday\n5 c|Tuesday"},
		{name: "two rows of names", data: oneSheet(t, map[string]string{"A1": "No", "B1": "Arrival", "D1": "Departure", "B2": "Date", "C2": "Time", "D2": "Date", "E2": "Time", "A3": "a", "B3": "1~0", "C3": "2~0"}, func(f *excelize.File) {
			require.NoError(t, f.MergeCell("Sheet1", "B1", "C1"))
			require.NoError(t, f.MergeCell("Sheet1", "D1", "E1"))
		}), want: "No|Arrival Date|Arrival Time|Departure Date|Departure Time\n3 a|1<number>|2<number>"},
		{name: "a range, and filled down", options: Options{Range: "B3:C9", FillDown: []string{"Day"}}, data: oneSheet(t, map[string]string{"A1": "x", "B3": "Day", "C3": "Call", "D3": "beside", "B4": "Mon", "C4": "a", "C5": "b", "B6": "Tue", "C6": "c", "C7": "Total", "B7": "", "C12": "below"}, nil),
			want: "Day|Call\n4 Mon|a\n5 Mon|b\n6 Tue|c\n7 |Total"},
		{name: "all sheets", options: Options{All: true}, data: oneSheet(t, with(map[string]string{"A2": "a"}), func(f *excelize.File) {
			_, err := f.NewSheet("North")
			require.NoError(t, err)
			for ref, v := range map[string]string{"A1": "Note", "B1": "No", "A2": "n", "B2": "b"} {
				require.NoError(t, f.SetCellStr("North", ref, v))
			}
		}), want: "No|When|Note|Sheet\n2 a|||Sheet1\n2 b||n|North"},
		{name: "a number sign is a name", data: oneSheet(t, map[string]string{"A1": "#", "B1": "Event", "A2": "1~0", "B2": "Dredging"}, nil), want: "#|Event\n2 1<number>|Dredging"},
		{name: "no header", options: Options{Header: table.HeaderRows{None: true}}, data: oneSheet(t, map[string]string{"A1": "a", "B1": "1~0"}, nil), want: "|\n1 a|1<number>"},
		{name: "a formula without a value, an error", data: oneSheet(t, with(map[string]string{"A2": "a"}), func(f *excelize.File) {
			require.NoError(t, f.SetCellFormula("Sheet1", "B2", "1/0"))
		}), want: "No|When|Note\n2 a|a formula without a value<error>"},
		{name: "OpenDocument kinds", data: odsFile(t, `<table:table table:name="S"><table:table-column/><table:table-column table:visibility="collapse"/><table:table-row>`+odsText("No")+odsText("When")+odsText("Note")+`</table:table-row><table:table-row><table:table-cell office:value-type="float" office:value="7"><text:p>0007</text:p></table:table-cell><table:table-cell office:value-type="date" office:date-value="2026-03-05T08:15:00"/><table:table-cell office:value-type="time" office:time-value="PT09H30M00S"><office:annotation><text:p>pinned</text:p></office:annotation><text:p>09:30</text:p></table:table-cell></table:table-row><table:table-row table:visibility="filter"><table:table-cell office:value-type="time" office:time-value="PT36H00M00S"/><table:table-cell table:number-columns-repeated="2"/></table:table-row></table:table>`),
			want: "No||Note\n2 0007<number>|2026-03-05T08:15<date and time>|09:30<time of day>\n3 (hidden) 36:00<length>"},
		{name: "OpenDocument, as displayed and crossed out", data: odsFile(t, `<style:style style:name="S" style:family="table-cell"><style:text-properties style:text-line-through-style="solid"/></style:style><style:style style:name="P" style:family="text"><style:text-properties style:text-line-through-style="solid"/></style:style><table:table table:name="S"><table:table-row>`+odsText("No")+odsText("When")+odsText("Note")+`</table:table-row><table:table-row><table:table-cell table:number-columns-spanned="3" office:value-type="string"><text:p>Week 10</text:p></table:table-cell><table:covered-table-cell table:number-columns-repeated="2"/></table:table-row><table:table-row><table:table-cell office:value-type="float" office:value="7"><text:p>K-007</text:p></table:table-cell><table:table-cell office:value-type="date" office:date-value="1899-12-30"><text:p>30/12/1899</text:p></table:table-cell></table:table-row><table:table-row><table:table-cell table:style-name="S" office:value-type="string"><text:p>b</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p><text:span text:style-name="P">09:00</text:span> 10:00</text:p></table:table-cell></table:table-row></table:table>`),
			want: "No|When|Note\n3 (Week 10) K-007<number>|0<error>\n4 (Week 10) b<struck>|09:00 10:00<struck>", about: "row 2 is a heading within the table: Week 10"},
		{name: "a web page, crossed out", data: `<table><tr><th>No<th>When<th>Note<tr><td colspan=3>Week 10<tr><td><s>a</s><td>b <del>09:00</del> 10:00<td>c<tr style="text-decoration: line-through"><td>d<td>e</table>`,
			want: "No|When|Note\n3 (Week 10) a<struck>|b 09:00 10:00<struck>|c\n4 (Week 10) d<struck>|e<struck>"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			name := "book.xlsx"
			if strings.HasPrefix(tt.data, "<") {
				name = "page.html"
			}
			got, about, err := dump(t, write(t, name, []byte(tt.data)), tt.options)
			require.NoError(t, err)
			assert.Equal(t, tt.want, got)
			if tt.about != "" {
				assert.Contains(t, about.Notes, tt.about)
			}
		})
	}
}

// Days side by side are no rows of events, whatever they look like.
func TestMatrix(t *testing.T) {
	for text, refused := range map[string]bool{
		"Plan,,,,\n,2/3/2026,3/3/2026,4/3/2026,5/3/2026\nBerth 1,Corvane,,Lisarda,\n":                                true,
		"Berth,Mon 2 March,Tue 3 March,Wed 4 March\nBerth 1,Corvane 08:00,,Merle\n":                                  true,
		"Room,Mon,Tue,Wed,Thu\nHall,Fire drill,,Board,\n":                                                            true,
		"Booking,Vessel,Mon 9/3,Tue 10/3,Wed 11/3,Thu 12/3\nB1,Petrel,8-12,,x,\nB2,Gannet,,off,,\n":                  true,
		"Day,08:00-10:00,10:00-12:00\n9 March,Diver,Crane\n10 March,Crane,Diver\n":                                   true,
		"Departs,Name,Mon,Tue,Wed,Thu,Fri\n08:00,Ferry,x,x,,x,\n":                                                    false,
		"Hall,Opens,Shuts,Lunch\nA,08:00,18:00,12:00\nB,09:00,17:00,\nC,09:00,closed,12:30\n":                        false,
		"Task,Planned,Started,Ended\nPaint,2 March,3 March,4 March\nWeld,5 March,open,open\nOil,6 March,open,open\n": false,
		"No,Arrives,Leaves,Paid\n1,2 March,3 March,4 March\nSum,1,1,1\n":                                             false,
		"Name,First,Second,Third\nDrill,2 March 2026,9 March 2026,16 March 2026\nBoard,3 March 2026,,\n":             false,
	} {
		_, _, err := dump(t, write(t, "plan.csv", []byte(text)), Options{})
		if refused {
			require.ErrorContains(t, err, "the sheet is a matrix", text)
			_, _, err = dump(t, write(t, "plan.csv", []byte(text)), Options{Header: table.HeaderRows{First: 1, Last: 1}})
		}
		require.NoError(t, err, text)
	}
}

func odsText(s string) string {
	return `<table:table-cell office:value-type="string"><text:p>` + s + `</text:p></table:table-cell>`
}

func TestTexts(t *testing.T) {
	tests := []struct{ name, data, want string }{
		{"titles above, a name twice", "Tarn Haven harbour office\nweek 10,,\n\nNo,Vessel,Vessel\n1,a,b\n", "No|Vessel|Vessel\n5 1|a|b"},
		{"a quote that is not closed spoils its line", "No,Note\n1,\"open\n2,fine\n3,\"he said \"hi\"\"\n4,\"so\"\n", "No|Note\n! 2|row 2: \"1,\\\"open\" has a quote"},
		{"a separator inside a value", "No,Note\n1,a,b\n2,c\n", "No|Note\n2 ! t.csv, row 2: \"b\" stands beside the table's 2 columns, so the row's values may have moved; put quotes around values that contain the separator\n3 2|c"},
		{"bare quotes are themselves", "No,Note\n1,12\" pipe\n", "No|Note\n2 1|12\" pipe"},
		{"nested JSON", `{"page":1,"calls":[{"no":1.50,"agent":{"name":"Oda","email":"oda@fenn-agency.example"},"berths":["1","2"],"open":true,"gone":null},{"no":2,"extra":{"deep":[{"a":1},{"a":2}]}}],"agents":[{"x":1}]}`, "no|agent.name|agent.email|berths|open|gone|extra.deep.a\n1 1.50<number>|Oda|oda@fenn-agency.example|1; 2|true<yes/no>||\n2 2<number>||||||1; 2"},
		{"damaged JSON line", "{\"a\":1}\n{\"a\":\n{\"a\":3}\n", "a\n1 1<number>\n2 ! t.csv, row 2: \"{\\\"a\\\":\" is damaged JSON: the file ends in the middle; it was cut short\n3 3<number>"},
		{"two JSON lines, the last of them not ended", "{\"a\":1}\n{\"a\":2}", "a\n1 1<number>\n2 2<number>"},
		{"spans in a page", "<table><tr><th>No<th>Day<th>Note<tr><td rowspan=2>1<td colspan=2>Mon<tr><td>Tue<td>x</table>", "No|Day|Note\n2 1|Mon|Mon\n3 1|Tue|x"},
		{"a calendar", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Lisbon:20260305T081500\nDURATION:PT1H\nSUMMARY:Call\\, one\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nDTSTART;VALUE=DATE:20260305\nDTEND;VALUE=DATE:20260307\nEND:VEVENT\nEND:VCALENDAR\n", "uid|title|start|end|zone|location|description|url|categories|status|repeat|occurrence\n1 a|Call, one|2026-03-05 08:15|2026-03-05 09:15|Europe/Lisbon|||||||\n2 b||2026-03-05|2026-03-06||||||||"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			got, _, err := dump(t, write(t, "t.csv", []byte(tt.data)), Options{Name: "t.csv"})
			require.NoError(t, err)
			if tt.name == "a quote that is not closed spoils its line" {
				assert.Contains(t, got, "2 ! t.csv, row 2: \"1,\"open\" has a quote that is not closed")
				assert.Contains(t, got, "\n3 2|fine\n")
				assert.Contains(t, got, "\n5 4|so")
				return
			}
			assert.Equal(t, strings.ReplaceAll(tt.want, `\"`, `"`), got)
		})
	}
}

// TestWindows reads a file many windows long and finds every row and line.
func TestWindows(t *testing.T) {
	var b strings.Builder
	b.WriteString("No,Note\n")
	const n = 60_000
	for i := range n {
		fmt.Fprintf(&b, "%d,\"line one of %d\nand \"\"two\"\" %s\"\n", i, i, strings.Repeat("é", i%40))
	}
	r, err := Open(t.Context(), write(t, "t.csv", []byte(b.String())), Options{})
	require.NoError(t, err)
	defer r.Close()
	for i := range n {
		row, err := r.Next()
		require.NoError(t, err)
		if row.Fault != nil || row.Cell(0).Text != fmt.Sprint(i) || row.Number != int32(i+2) || row.Line != int32(2*i+2) || row.Cell(1).Text != fmt.Sprintf("line one of %d\nand \"two\" %s", i, strings.Repeat("é", i%40)) {
			t.Fatalf("row %d: %+v", i, row)
		}
	}
	_, err = r.Next()
	assert.ErrorIs(t, err, io.EOF)
}

func TestRefused(t *testing.T) {
	zipped := func(parts ...string) string {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for i := 0; i < len(parts); i += 2 {
			w, err := z.Create(parts[i])
			require.NoError(t, err)
			_, err = io.WriteString(w, parts[i+1])
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		return b.String()
	}
	workbook := func(sheet string) string {
		return zipped("xl/workbook.xml", `<workbook xmlns:r="r"><sheets><sheet name="S" r:id="r1"/></sheets></workbook>`, "xl/_rels/workbook.xml.rels", `<Relationships><Relationship Id="r1" Target="s.xml"/></Relationships>`, "xl/s.xml", sheet)
	}
	cell := func(text string) string {
		return `<worksheet><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>No</t></is></c><c r="B1" t="inlineStr"><is><t>Note</t></is></c></row><row r="2"><c r="A2" t="inlineStr"><is><t>1</t></is></c><c r="B2" t="inlineStr"><is><t>` + text + `</t></is></c></row></sheetData></worksheet>`
	}
	compound := func(name string) string {
		return "\xd0\xcf\x11\xe0" + strings.Repeat("\x00", 2000) + strings.Join(strings.Split(name, ""), "\x00") + "\x00"
	}
	tests := []struct {
		name, file, data string
		options          Options
		want             string
	}{
		{"zip bomb", "b.xlsx", workbook(strings.TrimSuffix(cell("a"), `</sheetData></worksheet>`) + strings.Repeat(`<row r="3" name="`+strings.Repeat("a", 2000)+`"/>`, 60_000)), Options{}, "more than 300 times its size"},
		{"bomb in a cell", "b.xlsx", workbook(cell(strings.Repeat(" ", 120<<20))), Options{}, "a cell is larger than 4 MiB"},
		{"cell beyond the format", "b.xlsx", workbook(cell(strings.Repeat("a", 40_000))), Options{}, "b.xlsx, sheet S, row 2, column B: \"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa…\" is 40000 characters long; the limit is 32767 characters"},
		{"row beyond the format", "b.xlsx", workbook(`<worksheet><sheetData><row r="9999999"><c r="A9999999"><v>1</v></c></row></sheetData></worksheet>`), Options{}, "more than 1048576 rows"},
		{"entities", "b.xlsx", workbook(`<!DOCTYPE x [<!ENTITY a "aaaa">]>` + cell("&a;")), Options{}, "it declares a document type"},
		{"sheet cut short", "b.xlsx", workbook(`<worksheet><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>No`), Options{}, "b.xlsx, sheet S"},
		{"locked", "b.xlsx", compound("EncryptedPackage"), Options{}, "locked with a password; save it without a password"},
		{"old text", "b.doc", compound("WordDocument"), Options{}, "is an old .doc text; open it and save it as .docx"},
		{"message of a mail program", "b.msg", compound("__substg1.0_001A001E"), Options{}, "save it as .eml"},
		{"packed", "b.csv.gz", "\x1f\x8b\x08\x00", Options{}, "is packed with gzip; unpack it first"},
		{"RTF", "b.rtf", `{\rtf1\ansi Dredging on 5 March 2026}`, Options{}, "is an RTF text; open it and save it as .docx"},
		{"XML", "b.xml", `<calls><call no="1" start="2026-03-05T08:00"/></calls>`, Options{}, "is XML, of which only web pages are read"},
		{"XML under its declaration", "b.txt", "\n<?xml version=\"1.0\"?>\n<!-- <p> --><calls>\n<start>2026-03-05 08:00</start></calls>", Options{}, "is XML"},
		{"XML with a document type", "b.xml", "<?xml version=\"1.0\"?><!DOCTYPE c [<!ENTITY a \"b\">]><c><start>2026-03-05 08:00</start></c>", Options{}, "is XML"},
		{"old workbook with a text in it", "b.xls", compound("WordDocument"), Options{}, "is an old .xls workbook"},
		{"a text that begins with a link", "b.txt", "<https://tarn-haven.example/>\nDredging of berth 2 on 5 March 2026, 08:00-10:00.\n", Options{}, "Dredging of berth 2"},
		{"a text with a bold title", "b.txt", "<b>Closures</b>\n\nDredging of berth 2 on 5 March 2026, 08:00-10:00.\n", Options{}, "|Dredging of berth 2|"},
		{"a part of a page that begins in bold", "b.txt", "<b>Closures</b><br>\nDredging of\nberth 2 on 5 March 2026, 08:00-10:00.<br>\n", Options{}, "|Dredging of berth 2|"},
		{"workbook in XML", "b.xls", `<?xml version="1.0"?><Workbook xmlns="urn:schemas-microsoft-com:office:spreadsheet"><Worksheet><Table><Row/></Table></Worksheet></Workbook>`, Options{}, "is a workbook written as XML; open it and save it as .xlsx"},
		{"old workbook", "b.xls", "\xd0\xcf\x11\xe0" + strings.Repeat("\x00", 2000), Options{}, "is an old .xls workbook; open it and save it as .xlsx"},
		{"portable document", "b.pdf", "%PDF-1.7\n", Options{}, "is a PDF"},
		{"empty", "b.csv", "", Options{}, "the file is empty"},
		{"1 MB cell", "b.csv", "No,Note\n1," + strings.Repeat("x", 1<<20) + "\n2,y\n", Options{}, "row 2, column B: \"xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx…\" is 1048576 characters long; the limit is 256 KiB"},
		{"path that finds nothing", "b.json", `{"data":{"bookings":[{"a":1}]}}`, Options{Records: "data.booking"}, "did you mean \"data.bookings\"?"},
		{"JSON cut short", "b.json", `{"data":[{"a":1},{"a":`, Options{}, "b.json, line 1: the file ends in the middle; it was cut short"},
		{"deep JSON", "b.json", strings.Repeat("[", 1000) + strings.Repeat("]", 1000), Options{}, "more than 200 deep"},
		{"no records", "b.json", `{"a":1}`, Options{}, "holds no list of records"},
		{"unknown sheet", "b.html", "<table><caption>North</caption><tr><td>a<td>b</table>", Options{Sheet: "Nort"}, "did you mean \"North\"?"},
		{"bad range", "b.csv", "a,b\n1,2\n", Options{Range: "B4"}, "\"B4\" is not a range of cells; write it as B4:H30"},
		{"unknown column to fill", "b.csv", "Day,b\n1,2\n", Options{FillDown: []string{"Dya"}}, "did you mean \"Day\"?"},
		{"calendar cut short", "b.ics", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\n", Options{}, "VEVENT with UID a has no END:VEVENT"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			tt.options.Name = tt.file
			got, _, err := dump(t, write(t, tt.file, []byte(tt.data)), tt.options)
			if err != nil {
				var f *fault.Fault
				require.True(t, errors.As(err, &f), "%v", err)
				assert.Equal(t, tt.file, f.Place.File)
				got += err.Error()
			}
			assert.Contains(t, got, tt.want)
		})
	}
}

func TestFetch(t *testing.T) {
	var asked []string
	content := "No,Note\n1,a\n"
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.Header.Get("If-None-Match"))
		if r.URL.Path != "/b.csv" {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("ETag", fmt.Sprintf("%q", content))
		http.ServeContent(w, r, "b.csv", time.Time{}, strings.NewReader(content))
	}))
	defer server.Close()
	memory := filepath.Join(t.TempDir(), "fetched")
	for _, c := range []string{content, content, "No,Note\n2,b\n"} {
		content = c
		r, err := Fetch(t.Context(), server.URL+"/b.csv", memory, Options{})
		require.NoError(t, err)
		got, _, err := dumpReader(r)
		require.NoError(t, err)
		assert.Equal(t, "No|Note\n2 "+strings.ReplaceAll(strings.Split(c, "\n")[1], ",", "|"), got)
		require.NoError(t, r.Close())
	}
	assert.Equal(t, []string{"", `"No,Note\n1,a\n"`, `"No,Note\n1,a\n"`}, asked)
	_, err := Fetch(t.Context(), server.URL+"/gone.csv", "", Options{})
	assert.ErrorContains(t, err, "the server answers 404 Not Found")
	_, err = Fetch(t.Context(), "file:///etc/passwd", "", Options{})
	assert.ErrorContains(t, err, "is not an http or https address")
}

// TestOthers names what is not read of a file with several tables.
func TestOthers(t *testing.T) {
	dir := t.TempDir()
	for name, tt := range map[string]struct{ data, note string }{
		"a.json": {`{"berths":[{"a":1,"b":1},{"a":2,"b":2}],"calls":[{"no":1,"x":1},{"no":2,"x":1},{"no":3,"x":1}]}`, "the records in calls are read, and not those in berths; choose with records: in the intake"},
		"b.html": {"<table><tr><th>No<th>When<tr><td>1<td>2026-03-05</table><table><tr><th>A<th>B<tr><td>1<td>2</table>", "of its sheets or tables 1 is read, and not 2; choose with sheet: or --sheet"},
		"c.xlsx": {oneSheet(t, map[string]string{"A1": "No", "B1": "When", "A2": "1", "B2": "x"}, func(f *excelize.File) {
			_, err := f.NewSheet("Codes")
			require.NoError(t, err)
		}), "of its sheets or tables Sheet1 is read, and not Codes; choose with sheet: or --sheet"},
	} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(tt.data), 0o600))
		r, err := Open(t.Context(), path, Options{})
		require.NoError(t, err)
		_, err = ReadAll(r, func(int) {})
		require.NoError(t, err)
		assert.Equal(t, []string{tt.note}, r.About().Notes, name)
		require.NoError(t, r.Close())
	}
}

func FuzzOpen(f *testing.F) {
	for _, s := range []string{"a,b\n1,\"2\n\"\n", "\xff\xfea\x00,\x00b\x00\n\x001\x00,\x002\x00", `[{"a":[1,{"b":2}]}]`, "{\"a\":1}\n{\"a\":2}\n", "<table><tr><td rowspan=3>a<td>b<tr><td>c</table>", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDTSTART:20260301\nEND:VEVENT\nEND:VCALENDAR", odsFile(f, `<table:table table:name="S"><table:table-row table:number-rows-repeated="3">`+odsText("a")+`</table:table-row></table:table>`), oneSheet(f, map[string]string{"A1": "a", "B1": "b", "A2": "1~0"}, nil)} {
		f.Add([]byte(s), "")
	}
	known := zones(f)
	path := filepath.Join(f.TempDir(), "file")
	f.Fuzz(func(t *testing.T, data []byte, area string) {
		require.NoError(t, os.WriteFile(path, data, 0o600))
		r, err := Open(t.Context(), path, Options{Range: area, Zones: known})
		if err != nil {
			return
		}
		last := int32(-1)
		for range 5000 {
			row, err := r.Next()
			if err != nil {
				break
			}
			require.GreaterOrEqual(t, row.Number, last)
			last = row.Number
		}
		require.NoError(t, r.Close())
	})
}

// TestDayRows reads tables whose days stand in rows of their own.
func TestDayRows(t *testing.T) {
	for name, c := range map[string][2]string{
		"each above its rows": {"No,Vessel,From\nMon 13 April 2026,,\nD-1,Corvane,08:00\nD-2,Merle,10:00\n\n,14/04/2026,\nD-3,Tern,08:00\n",
			"No|Vessel|From|Day\n3 (Mon 13 April 2026) D-1|Corvane|08:00|Mon 13 April 2026\n4 (Mon 13 April 2026) D-2|Merle|10:00|Mon 13 April 2026\n7 (14/04/2026) D-3|Tern|08:00|14/04/2026"},
		"a day that cannot be read is not the one before": {"No,Day,From\n2026-04-13,,\nD-1,early,08:00\nWed 15 April (holiday),,\nD-2,late,10:00\nTuesday,,\nNight shift,,\nD-3,late,08:00\n",
			"No|Day|From|Date\n3 (2026-04-13) D-1|early|08:00|2026-04-13\n5 (Wed 15 April (holiday)) D-2|late|10:00|Wed 15 April (holiday)\n7 (Night shift) Night shift|||Night shift\n8 (Night shift) D-3|late|08:00|Night shift"},
		"more beside it": {"No,Vessel,From\n13/04/2026,,\nD-1,Corvane,08:00\n14/04/2026,High water,\nD-2,Merle,10:00\nD-3,Tern,10:00,x\n",
			"No|Vessel|From|Day\n3 (13/04/2026) D-1|Corvane|08:00|13/04/2026\n4 (14/04/2026) ! c.csv, row 4: \"14/04/2026\" is a day as the rows have that are the day of those below, and more stands beside it; give it a row of its own, or take the day out\n5 (14/04/2026) D-2|Merle|10:00|14/04/2026\n6 (14/04/2026) ! c.csv, row 6: \"x\" stands beside the table's 3 columns, so the row's values may have moved; put quotes around values that contain the separator"},
		"keys and amounts that can be read as days": {"No,LOA,From\n4/21/26,,\nTH/1,8.15,08:00\n4/22/26,,\nTH/2,7.30,10:00\n",
			"No|LOA|From|Day\n3 (4/21/26) TH/1|8.15|08:00|4/21/26\n5 (4/22/26) TH/2|7.30|10:00|4/22/26"},
		"a day in other words beside more": {"No,Vessel,From\n13/04/2026,,\nD-1,Corvane,08:00\nWed 15 April (holiday),closed,\nD-2,Merle,10:00\n",
			"No|Vessel|From|Day\n3 (13/04/2026) D-1|Corvane|08:00|13/04/2026\n4 (Wed 15 April (holiday)) ! c.csv, row 4: \"Wed 15 April (holiday)\" is a day as the rows have that are the day of those below, and more stands beside it; give it a row of its own, or take the day out\n5 (Wed 15 April (holiday)) D-2|Merle|10:00|Wed 15 April (holiday)"},
		"in a column that others leave empty": {"Date,From,Vessel\n13/04/2026,,\n,08:00,Corvane\n,10:00,Merle\n14/04/2026,09:00,Tern\n,11:00,Heron\nTuesday,,\n,12:00,Tern\n",
			"Date|From|Vessel\n3 (13/04/2026) 13/04/2026|08:00|Corvane\n4 (13/04/2026) 13/04/2026|10:00|Merle\n5 (14/04/2026) 14/04/2026|09:00|Tern\n6 (14/04/2026) 14/04/2026|11:00|Heron\n8 (Tuesday) Tuesday|12:00|Tern"},
		"days in a column": {"No,Day,From\n13/04/2026,,\nD-1,13/04/2026,08:00\n", "No|Day|From\n2 13/04/2026||\n3 D-1|13/04/2026|08:00"},
		"a heading of another kind, and a row that cannot be read": {"No,Vessel,From\n13/04/2026,,\nD-1,Corvane,08:00\nTBC,,\nD-2,Merle,10:00\n14/04/2026,,\nD-3,Tern,10:00,x\nD-4,Tern,11:00\nTotal,4,\n",
			"No|Vessel|From|Day\n3 (13/04/2026) D-1|Corvane|08:00|13/04/2026\n5 (TBC) D-2|Merle|10:00|TBC\n7 (14/04/2026) ! c.csv, row 7: \"x\" stands beside the table's 3 columns, so the row's values may have moved; put quotes around values that contain the separator\n8 (14/04/2026) D-4|Tern|11:00|14/04/2026\n9 (14/04/2026) Total|4||14/04/2026"},
		"a day below the rows": {"No,Vessel,From\nD-1,Corvane,08:00\n14/04/2026,,\n", "No|Vessel|From\n2 D-1|Corvane|08:00\n3 14/04/2026||"},
	} {
		path := filepath.Join(t.TempDir(), "c.csv")
		require.NoError(t, os.WriteFile(path, []byte(c[0]), 0o600))
		got, about, err := dump(t, path, Options{})
		require.NoError(t, err, name)
		assert.Equal(t, c[1], strings.ReplaceAll(got, filepath.ToSlash(filepath.Dir(path))+"/", ""), name)
		if filled, _, err := dump(t, path, Options{FillDown: []string{"Date"}}); name == "in a column that others leave empty" {
			require.NoError(t, err)
			assert.Equal(t, got, filled, "filled down or not")
		}
		if name == "each above its rows" {
			assert.Equal(t, []string{"2 rows are each the day of the rows below them, the last of them row 6: 14/04/2026 (column Day)"}, about.Notes)
		}
	}
}

// TestSevered reads files that end before their table does: nothing is read of half a row, and
// what may be missing is not gone.
func TestSevered(t *testing.T) {
	const csv, page = "No,Ship,From,To\n1,Corvane,08:00,09:00\n2,Merle,10:00,11:00\n", "<table><tr><th>No<th>Ship<th>From<th>To<tr><td>1<td>Corvane<td>08:00<td>09:00</tr><tr><td>2<td>Merle<td>10:00<td>11:00"
	for name, c := range map[string]struct {
		file, text, last string
		severed          bool
	}{
		"whole":                {"c.csv", csv, "3 2|Merle|10:00|11:00", false},
		"no last end of line":  {"c.csv", strings.TrimSpace(csv), "3 2|Merle|10:00|11:00", false},
		"a row cut":            {"c.csv", csv[:len(csv)-6], "3 2|Merle|10:00|", false},
		"between two values":   {"c.csv", csv[:len(csv)-7], "3 ! c.csv, row 3: the file ends in the middle of this row: it has 3 of 4 values; get the whole file, or complete the row", true},
		"a total without end":  {"c.csv", csv + "Total,2", "4 Total|2", false},
		"a note without end":   {"c.csv", csv + "End of list", "4 End of list", false},
		"within the key":       {"c.csv", strings.ReplaceAll(csv, "2,M", "TH-2,M") + "TH", "4 ! c.csv, row 4: the file ends in the middle of this row: it has 1 of 4 values; get the whole file, or complete the row", true},
		"a sum within its key": {"c.csv", strings.ReplaceAll(csv, "2,M", "TH-12,M") + "Total", "4 Total", false},
		"ends left out":        {"c.csv", csv + "3,Tern,12:00\n" + csv[16:] + "4,Heron,13:00", "7 4|Heron|13:00", false},
		"rows of other widths": {"c.csv", csv + "3,Tern,12:00\n4,Heron,13:00", "5 4|Heron|13:00", false},
		"page":                 {"c.html", page + "</table>", "3 2|Merle|10:00|11:00", false},
		"page, table open":     {"c.html", page + "</tr>", "3 2|Merle|10:00|11:00", true},
		"page, a row cut":      {"c.html", page + "</tr><tr><td>3<td>Tern", "4 ! c.html, row 4: the file ends in the middle of this row: it has 2 of 4 values; get the whole file, or complete the row", true},
	} {
		path := filepath.Join(t.TempDir(), c.file)
		require.NoError(t, os.WriteFile(path, []byte(c.text), 0o600))
		got, about, err := dump(t, path, Options{})
		require.NoError(t, err, name)
		lines := strings.Split(strings.ReplaceAll(got, filepath.ToSlash(filepath.Dir(path))+"/", ""), "\n")
		assert.Equal(t, c.last, lines[len(lines)-1], name)
		assert.Equal(t, c.severed, about.More != "" && len(about.Notes) > 0, name)
	}
}

// TestEncodings reads letters as they were written, or says that it guessed.
func TestEncodings(t *testing.T) {
	page := func(head string) string {
		return head + "<table><tr><th>No<th>Vessel<th>Day<tr><td>1<td>Łódź<td>x</table>"
	}
	guessed := []string{"it is not UTF-8 and was read as Windows-1252: check its accented letters"}
	for name, c := range map[string]struct {
		data     string
		encoding encoding.Encoding
		want     string
		notes    []string
	}{
		"a page that says so":           {page(`<meta charset="iso-8859-2">`), charmap.ISO8859_2, "Łódź", nil},
		"a page that says so at length": {page(`<html><meta http-equiv="Content-Type" content="text/html; charset=windows-1250">`), charmap.Windows1250, "Łódź", nil},
		"a page that is wrong":          {page(`<meta charset="iso-8859-2">`), encoding.Nop, "Łódź", nil},
		"a page that does not":          {"<table><tr><th>No<th>Vessel<th>Day<tr><td>1<td>Zürich<td>x</table>", charmap.Windows1252, "Zürich", guessed},
		"values":                        {"No,Vessel,Day\n1,Zürich,x\n", charmap.Windows1252, "Zürich", guessed},
		"JSON":                          {`[{"No":1,"Vessel":"Zürich"}]`, charmap.Windows1252, "Zürich", guessed},
		"a JSON line":                   {`{"No":1,"Vessel":"Zürich"}`, encoding.Nop, "Zürich", nil},
		"UTF-32":                        {"No,Vessel,Day\n1,Łódź,x\n", utf32.UTF32(utf32.LittleEndian, utf32.UseBOM), "Łódź", nil},
	} {
		data, err := c.encoding.NewEncoder().String(c.data)
		require.NoError(t, err, name)
		r, err := Open(t.Context(), write(t, "calls.jsonl", []byte(data)), Options{})
		require.NoError(t, err, name)
		row, err := r.Next()
		require.NoError(t, err, name)
		assert.Equal(t, c.want, row.Cell(1).Text, name)
		assert.Equal(t, c.notes, r.About().Notes, name)
		require.NoError(t, r.Close())
	}
}
