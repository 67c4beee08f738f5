package office

import (
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A part that is read ahead is the part: whole, with its error behind what can be read,
// and closed as often as somebody likes.
func TestAhead(t *testing.T) {
	text := strings.Repeat("0123456789", 70_000)
	broken := errors.New("broken")
	for _, end := range []error{io.EOF, io.ErrUnexpectedEOF, broken} {
		a := newAhead(io.NopCloser(iotest.HalfReader(io.MultiReader(strings.NewReader(text), iotest.ErrReader(end)))))
		got, err := io.ReadAll(a)
		assert.Equal(t, text, string(got))
		if end == io.EOF {
			end = nil
		}
		require.ErrorIs(t, err, end)
		require.NoError(t, a.Close())
		require.NoError(t, a.Close())
	}
	a := newAhead(io.NopCloser(strings.NewReader(text)))
	require.NoError(t, a.Close())
	_, err := io.ReadAll(a)
	require.Error(t, err, "what is closed is not read to its end")
}
