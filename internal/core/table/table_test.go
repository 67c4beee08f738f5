package table

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTemporal(t *testing.T) {
	for text, c := range map[string]Cell{
		"2026-03-05":          NewTemporal(Date, 46086),
		"1900-03-01":          NewTemporal(Date, 61), // the day after the 29 February that spreadsheets made up
		"2026-03-05T08:15":    NewTemporal(DateTime, 46086+8.25/24),
		"2026-03-05T08:15:30": NewTemporal(DateTime, 46086+(8.25*3600+30)/86400),
		"2026-03-06T00:00":    NewTemporal(DateTime, 46086.9999999999), // seconds are stored as inexact fractions
		"08:15":               NewTemporal(Time, 8.25/24),
		"36:30":               NewTemporal(Duration, 36.5/24),
	} {
		assert.Equal(t, text, c.Text)
		assert.True(t, c.Native() && c.Filled())
	}
}

func TestHeader(t *testing.T) {
	h := Header{"Booking  no", "Day", "day ", "", "Día"}
	for name, want := range map[string]int{"Booking no": 0, "BOOKING NO": 0, "Day": 1, "day ": 2, "DAY": -1, "día": 4, "none": -1, "": -1} {
		assert.Equal(t, want, h.Find(name), name)
	}
	assert.Equal(t, []int{1, 2}, Header{"No", "Day", "Day"}.All("Day"))
	assert.Equal(t, "Booking no", h.Label(0))
	assert.Equal(t, "D", h.Label(3), "a column without a name goes by its letter")
}

func TestLetters(t *testing.T) {
	for i, letter := range map[int]string{0: "A", 25: "Z", 26: "AA", 51: "AZ", 52: "BA", 701: "ZZ", 702: "AAA", 16383: "XFD"} {
		assert.Equal(t, letter, Letter(i))
		assert.Equal(t, i, Index(letter))
	}
	for _, bad := range []string{"", "1", "A1", "Ä", "AAAAAAAAAAAAAAA"} {
		assert.Negative(t, Index(bad), bad)
	}
	for text, want := range map[string]bool{"4": true, "4-5": true, "none": true, "0": true, "5-4": false, "x": false, "": true, "4-": false} {
		_, ok := ParseHeaderRows(text)
		assert.Equal(t, want, ok, text)
	}
}

func TestSums(t *testing.T) {
	row := func(texts ...string) Row {
		var r Row
		for _, s := range texts {
			c := Cell{Text: s, Kind: Text}
			if s == "" {
				c = Cell{}
			}
			r.Cells = append(r.Cells, c)
		}
		return r
	}
	for name, tt := range map[string]struct {
		row      Row
		sums, up bool
	}{
		"Total":                 {row("Total", "", "7"), true, true},
		"with a word before it": {row("Grand total", "7"), true, true},
		"Summe":                 {row("", "Summe:", "7"), true, true},
		"a vessel of that name": {row("TH-1", "Total Eclipse", "2026-03-05"), false, false},
		"blank":                 {row("", "", ""), false, false},
	} {
		assert.Equal(t, tt.sums, tt.row.Sums(), name)
		assert.Equal(t, tt.up, tt.row.SumsUp(), name)
	}
	assert.True(t, row("Total calls", "", "5", "17").Alone())
	for _, day := range []string{"05.03.", "20260305", "5/3", "46086"} {
		assert.False(t, row("Total Eclipse", day).Alone(), day)
	}
	assert.True(t, row("", " ").Blank())
	assert.False(t, row("", "x").Blank())
	assert.Equal(t, Cell{}, row("x").Cell(5))
}
