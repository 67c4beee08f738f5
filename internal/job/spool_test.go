package job

import (
	"io"
	"math/rand/v2"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSpool reads what was written in its order, out of it, across the pieces that are
// read at once, and beyond the end.
func TestSpool(t *testing.T) {
	assert.Nil(t, newSpool(filepath.Join(t.TempDir(), "none")))
	dir := t.TempDir()
	s := newSpool(dir)
	left, err := filepath.Glob(filepath.Join(dir, "*"))
	require.NoError(t, err)
	assert.Empty(t, left, "no folder shows it")
	all := make([]byte, 1<<20)
	r := rand.New(rand.NewPCG(1, 2))
	for i := range all {
		all[i] = byte(r.Uint32())
	}
	for _, part := range []int{700_000, 0, 350_000} {
		_, err := s.WriteAt(all[part:min(part+350_000, len(all))], int64(part))
		require.NoError(t, err)
	}
	at := 0
	for range 3000 {
		n := min(r.IntN(900), len(all)-at)
		if r.IntN(50) == 0 {
			at, n = r.IntN(len(all)/2), r.IntN(len(all)/2)
		}
		got := make([]byte, n)
		read, err := s.ReadAt(got, int64(at))
		require.NoError(t, err)
		require.Equal(t, n, read)
		require.Equal(t, all[at:at+n], got)
		at += n
	}
	_, err = s.ReadAt(make([]byte, 10), int64(len(all)-5))
	assert.ErrorIs(t, err, io.EOF)
	_, err = s.ReadAt(make([]byte, 10), int64(len(all)-10))
	assert.NoError(t, err)
}
