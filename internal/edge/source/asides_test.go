package source

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"almanach/internal/edge/source/sheet"
)

// TestAsides has sheets say something outside of their cells.
func TestAsides(t *testing.T) {
	cells := map[string]string{"A1": "No", "B1": "Vessel", "C1": "Start", "A2": "1", "B2": "Corvane", "C2": "2026-03-05 08:00"}
	runs := func(text string) []excelize.RichTextRun { return []excelize.RichTextRun{{Text: text}} }
	note := func(cell, text string) func(*testing.T, *excelize.File) {
		return func(t *testing.T, f *excelize.File) {
			require.NoError(t, f.AddComment("Sheet1", excelize.Comment{Cell: cell, Author: "Brin", Paragraph: runs(text)}))
		}
	}
	box := func(text string) func(*testing.T, *excelize.File) {
		return func(t *testing.T, f *excelize.File) {
			require.NoError(t, f.AddShape("Sheet1", &excelize.Shape{Cell: "G2", Type: "rect", Paragraph: runs(text)}))
		}
	}
	const open, row = `<table:table table:name="Sheet1">`, `<table:table-row><table:table-cell><text:p>No</text:p></table:table-cell><table:table-cell><text:p>Vessel</text:p></table:table-cell><table:table-cell><text:p>Start</text:p></table:table-cell></table:table-row>`
	for name, c := range map[string]struct {
		xlsx  []func(*testing.T, *excelize.File)
		ods   string
		notes []string
		zones []sheet.ZoneNote
	}{
		"notes, in the order of the sheet": {
			xlsx:  []func(*testing.T, *excelize.File){note("C2", "now 14:00"), note("B2", "ask agent"), note("A1", "as sent"), note("A2", "one more")},
			notes: []string{`4 cells have notes that are not read: A1 "as sent", A2 "one more", B2 "ask agent", …`},
		},
		"a note on a heading": {
			xlsx:  []func(*testing.T, *excelize.File){note("C1", "All times UTC")},
			notes: []string{`1 cell has a note that is not read: C1 "All times UTC"`}, zones: []sheet.ZoneNote{{Text: "All times UTC", Zone: "UTC"}},
		},
		"a note on a row is about that row": {
			xlsx:  []func(*testing.T, *excelize.File){note("C2", "Time zone: UTC")},
			notes: []string{`1 cell has a note that is not read: C2 "Time zone: UTC"`},
		},
		"text boxes": {
			xlsx:  []func(*testing.T, *excelize.File){box("see the north list"), box("Berth plan (UTC)")},
			notes: []string{`1 text box is not read: "see the north list"`}, zones: []sheet.ZoneNote{{Text: "Berth plan (UTC)", Zone: "UTC"}},
		},
		"above the pages": {
			xlsx: []func(*testing.T, *excelize.File){func(t *testing.T, f *excelize.File) {
				require.NoError(t, f.SetHeaderFooter("Sheet1", &excelize.HeaderFooterOptions{OddHeader: `&L&"Arial,Bold"&12All times UTC&RPage &P of &N`}))
			}},
			zones: []sheet.ZoneNote{{Text: "All times UTC", Zone: "UTC"}},
		},
		"above and below, without sides": {
			xlsx: []func(*testing.T, *excelize.File){func(t *testing.T, f *excelize.File) {
				require.NoError(t, f.SetHeaderFooter("Sheet1", &excelize.HeaderFooterOptions{OddHeader: "All times UTC", OddFooter: "Page &P"}))
			}},
			zones: []sheet.ZoneNote{{Text: "All times UTC", Zone: "UTC"}},
		},
		"shown to who fills a cell in": {
			xlsx: []func(*testing.T, *excelize.File){func(t *testing.T, f *excelize.File) {
				v := excelize.NewDataValidation(true)
				v.Sqref = "C2:C90"
				v.SetInput("Start", "Times in UTC")
				require.NoError(t, f.AddDataValidation("Sheet1", v))
			}},
			zones: []sheet.ZoneNote{{Text: "Start Times in UTC", Zone: "UTC"}},
		},
		"in OpenDocument": {
			ods: open + `<table:shapes><draw:frame><draw:text-box><text:p>All times</text:p><text:p>UTC</text:p></draw:text-box></draw:frame><draw:custom-shape><text:p>north list</text:p></draw:custom-shape></table:shapes>` + row +
				`<table:table-row><table:table-cell><office:annotation><dc:creator>Brin</dc:creator><dc:date>2026-03-01T00:00:00</dc:date><text:p>ask <text:span>agent</text:span></text:p></office:annotation><text:p>1</text:p></table:table-cell>` +
				`<table:table-cell><draw:custom-shape><text:p>moored</text:p></draw:custom-shape><text:p>Corvane</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p>2026-03-05 08:00</text:p></table:table-cell></table:table-row></table:table>`,
			notes: []string{`1 cell has a note that is not read: A2 "ask agent"`, `2 text boxes are not read: "north list", "moored"`}, zones: []sheet.ZoneNote{{Text: "All times UTC", Zone: "UTC"}},
		},
	} {
		t.Run(name, func(t *testing.T) {
			path, data := filepath.Join(t.TempDir(), "book"), c.ods
			if data != "" {
				data = odsFile(t, data)
			} else {
				data = oneSheet(t, cells, func(f *excelize.File) {
					for _, say := range c.xlsx {
						say(t, f)
					}
				})
			}
			require.NoError(t, os.WriteFile(path, []byte(data), 0o600))
			r, err := Open(t.Context(), path, Options{})
			require.NoError(t, err)
			defer r.Close()
			rows, err := ReadAll(r, func(int) {})
			require.NoError(t, err)
			require.Equal(t, 1, rows.Len())
			row := rows.At(0)
			assert.Equal(t, []string{"1", "Corvane", "2026-03-05 08:00"}, []string{row.Cell(0).Text, row.Cell(1).Text, row.Cell(2).Text})
			assert.Equal(t, c.notes, r.About().Notes)
			assert.Equal(t, c.zones, r.About().Zones)
		})
	}
}

// TestShown reads cells as their file shows them: what stands above the line is no part of a
// number, what is not shown is not there, and a field shows what is written in it.
func TestShown(t *testing.T) {
	runs := []excelize.RichTextRun{{Text: "Berth 2"}, {Text: "1", Font: &excelize.Font{VertAlign: "superscript"}}, {Text: " north"}}
	const styles = `<office:automatic-styles><style:style style:name="T1"><style:text-properties style:text-position="super 58%"/></style:style><style:style style:name="T2"><style:text-properties style:text-position="-33% 58%"/></style:style></office:automatic-styles>`
	cell := func(text string) string { return "<table:table-cell><text:p>" + text + "</text:p></table:table-cell>" }
	page := func(text string) string {
		return "<table><tr><th>No<th>Where<tr><td>1<td>" + text + "<tr><td>2<td>Quay</table>"
	}
	for name, c := range map[string]struct{ data, want string }{
		"a workbook's runs": {oneSheet(t, map[string]string{"A1": "No", "B1": "Where", "A2": "1"}, func(f *excelize.File) {
			require.NoError(t, f.SetCellRichText("Sheet1", "B2", runs))
		}), "Berth 2¹ north"},
		"OpenDocument's spans": {odsFile(t, styles+`<table:table table:name="S"><table:table-row>`+cell("No")+cell("Where")+`</table:table-row><table:table-row>`+cell("1")+cell(`Berth 2<text:span text:style-name="T1">1<text:s/></text:span> H<text:span text:style-name="T2">2</text:span>O`)+`</table:table-row></table:table>`), "Berth 2¹  H2O"},
		"a page":               {page("Berth 2<sup><a href=x>1</a></sup> north 2"), "Berth 2¹ north 2"},
		"a key for sorting":    {page(`<span style="display:none">00<b>12</b></span>Berth 2<span hidden>x<span>y</span>z</span> north`), "Berth 2 north"},
		"an image in it":       {page(`<span hidden><img src=x><br></span>Berth 2`), "Berth 2"},
		"a cell not shown":     {page(`Berth 2<td hidden>x<td style="display: none">y`), "Berth 2"},
		"the choice made":      {page(`<select><option>Berth 1<option selected>Berth 2<option>Berth 3</select> north`), "Berth 2 north"},
		"the first choice":     {page(`<select><option>Berth 1</option><option>Berth 2</option></select>`), "Berth 1"},
		"what is written":      {page(`<input name=a value="Berth 2"><input type=hidden value=7><input type=checkbox value=8>`), "Berth 2"},
		"a template":           {page(`<template>x</template>Berth 2`), "Berth 2"},
		"without being seen":   {page(`<span style="visibility: hidden">00</span>Berth 2`), "Berth 2"},
		"an end left out":      {page(`<span hidden>x<td>y`), ""},
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "book")
			require.NoError(t, os.WriteFile(path, []byte(c.data), 0o600))
			r, err := Open(t.Context(), path, Options{})
			require.NoError(t, err)
			defer r.Close()
			rows, err := ReadAll(r, func(int) {})
			require.NoError(t, err)
			row := rows.At(0)
			assert.Equal(t, c.want, row.Cell(1).Text)
		})
	}
}

// TestStored tells where a cell stores more than its sheet shows.
func TestStored(t *testing.T) {
	head := map[string]string{"A1": "No", "B1": "Day", "C1": "At", "D1": "Both", "E1": "Long", "F1": "Short", "G1": "Month", "H1": "Name", "F2": "46146~d-mmm", "G2": "46146~mmm-yy", "H2": "46146~dddd", "A2": "1", "B2": "46146.5~dd/mm/yyyy", "C2": "46146.25~hh:mm", "D2": "46146.5~dd/mm/yyyy hh:mm", "E2": "2.5~hh:mm"}
	cell := func(kind, value, shown string) string {
		return `<table:table-cell office:value-type="` + kind + `" office:` + kind + `-value="` + value + `"><text:p>` + shown + `</text:p></table:table-cell>`
	}
	names := ""
	for _, name := range []string{"No", "Day", "At", "Both", "Long", "Short", "Month", "Name"} {
		names += cell("string", "", name)
	}
	ods := `<table:table table:name="S"><table:table-row>` + names + `</table:table-row><table:table-row>` + cell("string", "", "1") + cell("date", "2026-05-04T12:00:00", "04/05/26") +
		cell("time", "PT1107510H00M00S", "06:00") + cell("date", "2026-05-04T12:00:00", "04/05/26 12:00") + cell("time", "PT60H00M00S", "60:00") + cell("date", "2026-05-04", "4-May") + cell("date", "2026-05-04", "May-26") + cell("date", "2026-05-04", "Monday") + `</table:table-row></table:table>`
	for name, data := range map[string]string{"a workbook": oneSheet(t, head, nil), "OpenDocument": odsFile(t, ods)} {
		path := filepath.Join(t.TempDir(), "book")
		require.NoError(t, os.WriteFile(path, []byte(data), 0o600))
		r, err := Open(t.Context(), path, Options{})
		require.NoError(t, err)
		rows, err := ReadAll(r, func(int) {})
		require.NoError(t, err)
		var got []string
		row := rows.At(0)
		for _, c := range row.AppendCells(nil)[1:] {
			got = append(got, c.Kind.String()+" "+c.Text+" "+c.Shown.String())
		}
		assert.Equal(t, []string{"date and time 2026-05-04T12:00 no time of day", "date and time 2026-05-04T06:00 time of day only", "date and time 2026-05-04T12:00 all", "length 60:00 all", "date 2026-05-04 no year", "date 2026-05-04 no day", "date 2026-05-04 day of the week"}, got, name)
		require.NoError(t, r.Close())
	}
}

// TestJoinedNotes says of several files what there is to be said of each.
func TestJoinedNotes(t *testing.T) {
	dir := t.TempDir()
	var paths []string
	for n, note := range []string{"as sent", "now 14:00"} {
		data := oneSheet(t, map[string]string{"A1": "No", "B1": "Start", "A2": strconv.Itoa(n), "B2": "2026-03-05 08:00"}, func(f *excelize.File) {
			require.NoError(t, f.AddComment("Sheet1", excelize.Comment{Cell: "B2", Paragraph: []excelize.RichTextRun{{Text: note}}}))
		})
		paths = append(paths, filepath.Join(dir, strconv.Itoa(n)+".xlsx"))
		require.NoError(t, os.WriteFile(paths[n], []byte(data), 0o600))
	}
	paths = append(paths, filepath.Join(dir, "2.json"))
	require.NoError(t, os.WriteFile(paths[2], []byte(`{"_links":{"next":{"href":"/2"}},"rows":[{"No":"2","Start":"2026-03-05 08:00"}]}`), 0o600))
	r, err := OpenAll(t.Context(), paths, Options{})
	require.NoError(t, err)
	defer r.Close()
	_, err = ReadAll(r, func(int) {})
	require.NoError(t, err)
	notes := strings.Join(r.About().Notes, "\n")
	for _, want := range []string{`0.xlsx: 1 cell has a note that is not read: B2 "as sent"`, `1.xlsx: 1 cell has a note that is not read: B2 "now 14:00"`, `2.json: it says that there are more records than it holds (_links.next.href: /2); only these are read`} {
		assert.Contains(t, notes, want)
	}
	assert.Equal(t, "_links.next.href: /2", r.About().More)
}
