package source

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

const (
	benchRows    = 100_000
	benchColumns = 12
)

func benchCells(i int) []any {
	return []any{fmt.Sprintf("TH-%06d", i), fmt.Sprintf("Vessel number %d", i%977), i % 9, 46000 + i%900, float64(i%96) / 96, 46001 + i%900, float64(i%48) / 48, "Agent", fmt.Sprintf("agent%d@harbour.example", i%31), "Confirmed", i * 3, fmt.Sprintf("Remarks on call %d, as sent", i)}
}

// both times two readings of the same rows in turn.
func both(b *testing.B, ours, other func() int) {
	b.Helper()
	var a, c time.Duration
	for b.Loop() {
		for _, one := range []struct {
			read func() int
			took *time.Duration
		}{{ours, &a}, {other, &c}} {
			runtime.GC()
			began := time.Now()
			if n := one.read(); n != benchRows {
				b.Fatal(n)
			}
			*one.took += time.Since(began)
		}
	}
	b.ReportMetric(a.Seconds()/float64(b.N), "s/ours")
	b.ReportMetric(c.Seconds()/float64(b.N), "s/other")
	b.ReportMetric(a.Seconds()/c.Seconds(), "ours/other")
}

func readAll(b *testing.B, path string) (n int) {
	r, err := Open(b.Context(), path, Options{})
	require.NoError(b, err)
	defer r.Close()
	for {
		if _, err := r.Next(); err == io.EOF {
			return n
		} else if err != nil {
			b.Fatal(err)
		}
		n++
	}
}

func BenchmarkSeparated(b *testing.B) {
	var text bytes.Buffer
	text.WriteString("A,B,C,D,E,F,G,H,I,J,K,L\n")
	for i := range benchRows {
		for k, c := range benchCells(i) {
			s := fmt.Sprint(c)
			if strings.Contains(s, ",") {
				s = `"` + s + `"`
			}
			fmt.Fprintf(&text, "%s%s", s, map[bool]string{true: "\n", false: ","}[k == benchColumns-1])
		}
	}
	path := write(b, "b.csv", text.Bytes())
	both(b, func() int { return readAll(b, path) }, func() int {
		f, err := os.Open(path)
		require.NoError(b, err)
		defer f.Close()
		r := csv.NewReader(f)
		for n := -1; ; n++ {
			if _, err := r.Read(); err == io.EOF {
				return n
			} else if err != nil {
				b.Fatal(err)
			}
		}
	})
}

func BenchmarkWorkbook(b *testing.B) {
	f := excelize.NewFile()
	w, err := f.NewStreamWriter("Sheet1")
	require.NoError(b, err)
	require.NoError(b, w.SetRow("A1", []any{"A", "B", "C", "D", "E", "F", "G", "H", "I", "J", "K", "L"}))
	for i := range benchRows {
		require.NoError(b, w.SetRow(fmt.Sprintf("A%d", i+2), benchCells(i)))
	}
	require.NoError(b, w.Flush())
	path := b.TempDir() + "/b.xlsx"
	require.NoError(b, f.SaveAs(path))
	both(b, func() int { return readAll(b, path) }, func() int {
		f, err := excelize.OpenFile(path)
		require.NoError(b, err)
		defer f.Close()
		rows, err := f.Rows("Sheet1")
		require.NoError(b, err)
		n := -1
		for rows.Next() {
			if _, err := rows.Columns(excelize.Options{RawCellValue: true}); err != nil {
				b.Fatal(err)
			}
			n++
		}
		return n
	})
}
