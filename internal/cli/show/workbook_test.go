package show

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// TestWorksheet has an independent reader read what is written.
func TestWorksheet(t *testing.T) {
	rows := [][]sheetCell{
		{{text: "title", style: headStyle}, {text: "start", style: headStyle}},
		{{text: " =1+1 <&>\n\"x\" 🛥", style: textStyle}, {at: time.Date(2026, 3, 29, 9, 45, 0, 0, time.UTC), style: momentStyle}},
		{{text: "", style: markedStyle}, {at: time.Date(2028, 2, 29, 0, 0, 0, 0, time.UTC), style: dayStyle}},
		{{text: "old"}, {text: "1899-12-31", at: time.Date(1899, 12, 31, 0, 0, 0, 0, time.UTC), style: dayStyle}},
	}
	row := func(i int) []sheetCell { return rows[i] }
	s := worksheet{name: "Quay 'A' & B", frozen: 1, filter: 3, widths: []float64{20, 12.5}}
	var b bytes.Buffer
	require.NoError(t, s.write(&b, len(rows), row))
	f, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	got, err := f.GetRows(s.name, excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"title", "start"}, {" =1+1 <&>\n\"x\" 🛥", "46110.40625"}, {"", "46812"}, {"old", "1899-12-31"}}, got)
	shown, err := f.GetCellValue(s.name, "B2")
	require.NoError(t, err)
	assert.Equal(t, "Sun 29 Mar 2026 09:45", shown)
	formula, err := f.GetCellFormula(s.name, "A2")
	require.NoError(t, err)
	assert.Empty(t, formula)
	panes, err := f.GetPanes(s.name)
	require.NoError(t, err)
	assert.True(t, panes.Freeze && panes.YSplit == 1)
	width, err := f.GetColWidth(s.name, "B")
	require.NoError(t, err)
	assert.Equal(t, 12.5, width)
	names := f.GetDefinedName()
	require.Len(t, names, 1)
	assert.Equal(t, "'Quay ''A'' & B'!$A$1:$B$4", names[0].RefersTo)

	for name, message := range map[string]string{"a/b": "cannot be the name of a sheet", strings.Repeat("x", 32): "cannot be the name of a sheet", "": "cannot be the name of a sheet"} {
		require.ErrorContains(t, worksheet{name: name}.write(&b, len(rows), row), message)
	}
	require.ErrorContains(t, s.write(&b, maxSheetRows+1, row), "more than the 1048576 that a sheet holds")
	rows[3][0].text = strings.Repeat("é", maxSheetText)
	require.NoError(t, s.write(&b, len(rows), row))
	rows[3][0].text += "!"
	require.ErrorContains(t, s.write(&b, len(rows), row), "longer than the 32767 characters that a cell holds")
}
