package calendar

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/fault"
)

// TestLock has a second run wait for the first, and give up when it is stopped
// or when the folder is missing.
func TestLock(t *testing.T) {
	path := filepath.Join(t.TempDir(), ".c.ics.lock")
	first, err := Lock(t.Context(), path, fault.Place{File: "c.ics"})
	require.NoError(t, err)
	short, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer cancel()
	_, err = Lock(short, path, fault.Place{File: "c.ics"})
	require.ErrorIs(t, err, context.DeadlineExceeded)

	time.AfterFunc(100*time.Millisecond, func() { _ = first.Unlock() })
	second, err := Lock(t.Context(), path, fault.Place{File: "c.ics"})
	require.NoError(t, err)
	require.NoError(t, second.Unlock())

	_, err = Lock(t.Context(), filepath.Join(t.TempDir(), "none", "x.lock"), fault.Place{File: "c.ics"})
	assert.ErrorContains(t, err, "the lock beside it cannot be taken")
}
