package table

import (
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"almanach/internal/core/fault"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
	row := func(texts ...string) *Row {
		r := &Row{}
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
		row      *Row
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

// TestRows holds random rows, alike and unlike, and gives them back as they were.
func TestRows(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	texts := []string{"", " ", "Corvane", "05/03/2026", "05/03/2027", "05-03-2026", "12345678", "a", "ab", strings.Repeat("x", 70000), strings.Repeat("y", 65535), "\x00", "Berth 1", "Berth 2"}
	numbers := []float64{0, 1, -1, 46086.5, math.NaN(), math.Inf(1), math.Copysign(0, -1)}
	origins := []*Origin{{File: "a.csv"}, {File: "a.csv"}, nil}
	problem, evidence := fault.Newf("damaged"), &Evidence{}
	var rows Rows
	var want []Row
	for n := range 3*blockRows + 5 {
		row := Row{Origin: origins[0], Number: int32(n), Line: int32(2 * n)}
		if r.IntN(50) == 0 {
			row = Row{Origin: origins[r.IntN(3)], Number: int32(-n), Page: int32(r.IntN(2)), Span: int32(r.IntN(2)), Hidden: r.IntN(2) == 0, Under: texts[r.IntN(3)], Fault: []*fault.Fault{nil, problem}[r.IntN(2)], Evidence: []*Evidence{nil, evidence}[r.IntN(2)]}
		}
		row.Cells = make([]Cell, r.IntN(6))
		for i := range row.Cells {
			text := texts[r.IntN(len(texts))]
			if r.IntN(200) > 0 && len(text) > 100 {
				text = strconv.Itoa(n)
			}
			row.Cells[i] = Cell{Text: text, Kind: Kind(r.IntN(int(Bad) + 1)), Number: numbers[max(0, r.IntN(20)-13)], Struck: r.IntN(1000) == 0, Shown: Part(r.IntN(int(DayName) + 1))}
		}
		given := row.With(slices.Clone(row.Cells))
		rows.Add(given)
		clear(given.Cells) // they are not kept
		want = append(want, row)
	}
	check := func(rows *Rows, from int) {
		t.Helper()
		require.Equal(t, len(want), rows.Len())
		for n, w := range want[from:] {
			got := rows.At(from + n)
			require.Equal(t, w.Width(), got.Width())
			for i, c := range w.Cells {
				held := got.Cell(i)
				require.Equal(t, math.Float64bits(c.Number), math.Float64bits(held.Number))
				c.Number, held.Number = 0, 0
				require.Equal(t, c, held)
			}
			require.Equal(t, slices.ContainsFunc(w.Cells, func(c Cell) bool { return c.Struck }), got.Struck())
			require.Equal(t, Cell{}, got.Cell(w.Width()))
			w.Cells, got = nil, got.With(nil)
			got.width, got.from = 0, 0
			require.Equal(t, w, got)
			require.Same(t, w.Origin, got.Origin)
		}
	}
	check(&rows, 0)
	var again Rows // rows that are held already
	for _, row := range rows.All() {
		again.Add(row)
	}
	var bare Rows // of which some are given up
	for n := range 2*blockRows + 9 {
		row := want[n]
		if slices.ContainsFunc(row.Cells, func(c Cell) bool { return len(c.Text) > 60000 }) {
			row.Cells = nil
		}
		row.Page, row.Span, row.Hidden, row.Under, row.Fault, row.Evidence, row.Origin = 0, 0, false, "", nil, nil, origins[0]
		bare.Add(row)
	}
	rows.Strip(0, func(int) bool { return false }) // some of these are odd
	check(&rows, 0)
	for _, from := range []int{blockRows, 2 * blockRows} {
		bare.Strip(from, func(i int) bool { return i%3 == 0 })
	}
	for n, got := range bare.All() {
		require.Equal(t, want[n].Number, got.Number)
		if n < blockRows || n%3 == 0 {
			for i := range got.Width() {
				require.Equal(t, want[n].Cell(i).Text, got.Cell(i).Text)
			}
		} else if got.Width() > 0 {
			require.Panics(t, func() { got.Cell(got.Width() - 1) })
		}
	}
	var many Rows // of more blocks than one takes rows over from
	for n := range 600 {
		one := Hold(want[n])
		many.Add(one.At(0))
	}
	for n := range 600 {
		got := many.At(n)
		require.Equal(t, want[n].Cell(0).Text, got.Cell(0).Text)
	}
	rows.Forget(2*blockRows + 3)
	check(&rows, 2*blockRows)
	check(&again, 0)
	assert.True(t, again.Filled(4))
	assert.False(t, again.Filled(6))
	assert.Equal(t, want[9].Place(), again.Place(9))
}

// Rows that were taken stay as they are while another goroutine adds more.
func TestTake(t *testing.T) {
	var rows Rows
	taken := make(chan Rows, 5)
	go func() {
		defer close(taken)
		number := int32(0)
		for _, n := range []int{3, blockRows, 0, blockRows + 1, 2*blockRows - 1} {
			for range n {
				number++
				rows.Add(Row{Number: number, Cells: []Cell{{Kind: Text, Text: "Berth " + strconv.Itoa(int(number)%5)}, {Kind: Number, Number: float64(number)}}})
			}
			taken <- rows.Take()
		}
	}()
	next := int32(0)
	for part := range taken {
		for _, row := range part.All() {
			next++
			require.Equal(t, next, row.Number)
			require.Equal(t, "Berth "+strconv.Itoa(int(next)%5), row.Cell(0).Text)
			require.InDelta(t, float64(next), row.Cell(1).Number, 0)
		}
	}
	assert.EqualValues(t, 4*blockRows+3, next)
}
