package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/spf13/cobra/doc"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// docs/man has a page for each command, as the commands are. ALMANACH_UPDATE=1
// writes them anew.
func TestMan(t *testing.T) {
	a := &app{world: World{Version: "", Now: time.Now}, out: &bytes.Buffer{}, progress: &progress{}}
	root := a.root()
	root.DisableAutoGenTag = true
	date := time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)
	dir := t.TempDir()
	const pages = "../../docs/man"
	if os.Getenv("ALMANACH_UPDATE") != "" {
		require.NoError(t, os.RemoveAll(pages))
		require.NoError(t, os.MkdirAll(pages, 0o755))
		dir = pages
	}
	require.NoError(t, doc.GenManTree(root, &doc.GenManHeader{Section: "1", Date: &date, Source: "Almanach", Manual: "Almanach"}, dir))
	want, err := filepath.Glob(filepath.Join(dir, "*.1"))
	require.NoError(t, err)
	have, err := filepath.Glob(filepath.Join(pages, "*.1"))
	require.NoError(t, err)
	require.Len(t, have, len(want), "run ALMANACH_UPDATE=1 go test ./internal/cli")
	for _, path := range want {
		made, err := os.ReadFile(path)
		require.NoError(t, err)
		stands, err := os.ReadFile(filepath.Join(pages, filepath.Base(path)))
		require.NoError(t, err)
		assert.Equal(t, string(made), string(stands), "run ALMANACH_UPDATE=1 go test ./internal/cli")
	}
}
