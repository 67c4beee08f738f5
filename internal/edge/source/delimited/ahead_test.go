package delimited

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

type raw interface {
	sheet.Raw
	sheet.Severed
}

// all reads a text to its end, with the rows' cells.
func all(r raw) (rows []table.Row, err error) {
	for {
		row, err := r.Next()
		if err != nil {
			return rows, err
		}
		rows = append(rows, row.Opened())
	}
}

// What is read ahead is what is read: the rows, the error behind them, and whether the file was
// cut off.
func TestAhead(t *testing.T) {
	broken := errors.New("broken")
	for name, c := range map[string]struct {
		text string
		end  error
	}{
		"whole":         {"TH-%d,Corvane %d,\"berth, %d\"\n", io.EOF},
		"faulty rows":   {"TH-%d,Corvane %d\n,\"berth\"%d\n", io.EOF},
		"cut off":       {"TH-%d,Corvane %d,berth %d\nTH-1,Cor", io.EOF},
		"read in error": {"TH-%d,Corvane %d,berth %d\n", broken},
	} {
		t.Run(name, func(t *testing.T) {
			for _, n := range []int{1, table.BlockRows - 1, table.BlockRows, 3*table.BlockRows + 5} {
				var b strings.Builder
				line, tail, _ := strings.Cut(c.text, "\nTH-1")
				for i := range n {
					fmt.Fprintf(&b, line+"\n", i, i%7, i)
				}
				if tail != "" {
					b.WriteString("TH-1" + tail)
				}
				open := func() *separated {
					return &separated{src: io.MultiReader(strings.NewReader(b.String()), iotest.ErrReader(c.end)), line: 1, sep: ',', from: &table.Origin{File: "calls.csv"}, format: "commas"}
				}
				plain := open()
				want, wantErr := all(plain)
				ahead := newAhead(open())
				got, err := all(ahead)
				require.Equal(t, wantErr, err)
				require.Equal(t, len(want), len(got))
				for i := range want {
					require.Equal(t, want[i].Opened(), got[i])
				}
				assert.Equal(t, plain.Severed(), ahead.Severed())
				assert.Equal(t, tail != "" && n > 1, ahead.Severed())
				require.NoError(t, ahead.Close())
			}
		})
	}
}

// It can be closed at any time, and a panic in it is its reader's.
func TestAheadEnds(t *testing.T) {
	a := newAhead(&separated{src: strings.NewReader(strings.Repeat("a,b\n", 20*table.BlockRows)), line: 1, sep: ',', from: &table.Origin{}})
	_, err := a.Next()
	require.NoError(t, err)
	require.NoError(t, a.Close())
	require.NoError(t, a.Close())
	a = newAhead(&separated{line: 1}) // reads from nothing
	assert.Panics(t, func() { _, _ = a.Next() })
	require.NoError(t, a.Close())
}
