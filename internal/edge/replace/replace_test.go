package replace

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func text(s string) func(io.Writer) error {
	return func(w io.Writer) error {
		_, err := io.WriteString(w, s)
		return err
	}
}

// TestStops stops a replacement at every step: the old file stands, and nothing
// is beside it.
func TestStops(t *testing.T) {
	stop := errors.New("stopped")
	for name, o := range map[string]Options{
		"while writing": {}, "when checked": {Check: func(io.Reader) error { return stop }}, "right before the rename": {Ready: func() error { return stop }},
	} {
		for _, create := range []bool{false, true} {
			dir := t.TempDir()
			path := filepath.Join(dir, "[a] b*.ics")
			do := File
			if create {
				do = Create
			} else {
				require.NoError(t, os.WriteFile(path, []byte("old"), 0o640))
			}
			write := text("new")
			if name == "while writing" {
				write = func(w io.Writer) error { _, _ = io.WriteString(w, "ne"); return stop }
			}
			require.ErrorIs(t, do(path, o, write), stop, name)
			entries, err := os.ReadDir(dir)
			require.NoError(t, err)
			assert.Len(t, entries, map[bool]int{false: 1}[create], name)
			if !create {
				got, err := os.ReadFile(path)
				require.NoError(t, err)
				assert.Equal(t, "old", string(got))
				require.NoError(t, os.Chmod(path, 0o640))
				require.NoError(t, File(path, Options{Mode: 0o600, Check: func(f io.Reader) error {
					got, err := io.ReadAll(f)
					assert.Equal(t, "new", string(got), "the new file can be read")
					return err
				}}, text("new")))
				info, err := os.Stat(path)
				require.NoError(t, err)
				assert.Equal(t, fs.FileMode(0o640), info.Mode().Perm(), "its mode stays")
			}
		}
	}
}

func TestCreate(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a")
	require.NoError(t, Create(path, Options{Mode: 0o600}, text("one")))
	require.ErrorIs(t, Create(path, Options{}, text("two")), fs.ErrExist)
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "one", string(got))
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o600), info.Mode().Perm())
	require.Error(t, Create(filepath.Join(path, "under"), Options{}, text("x")))
}

func TestSweep(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "[c].ics")
	for _, name := range []string{".[c].ics.123.new", ".other.ics.1.new", ".[c].ics.lock", "[c].ics"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), nil, 0o600))
	}
	require.NoError(t, Sweep(path))
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, entries, 3, "%v", entries)
	require.NoError(t, Sweep(filepath.Join(dir, "none", "x")))
}

func TestReal(t *testing.T) {
	dir, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "far"), 0o755))
	require.NoError(t, os.Symlink("far", filepath.Join(dir, "near")))
	require.NoError(t, os.Symlink(filepath.Join("near", "c.ics"), filepath.Join(dir, "link")))
	require.NoError(t, os.Symlink("round", filepath.Join(dir, "round")))
	for _, exists := range []bool{false, true} {
		if exists {
			require.NoError(t, os.WriteFile(filepath.Join(dir, "far", "c.ics"), nil, 0o600))
		}
		got, err := Real(filepath.Join(dir, "link"))
		require.NoError(t, err)
		assert.Equal(t, filepath.Join(dir, "far", "c.ics"), got)
	}
	_, err = Real(filepath.Join(dir, "none", "c.ics"))
	assert.ErrorIs(t, err, fs.ErrNotExist)
	_, err = Real(filepath.Join(dir, "round"))
	assert.NoError(t, err, "a link to itself is found out when it is opened")
}

// TestReadBack reads a file while it is written, in pieces of many sizes.
func TestReadBack(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a")
	want := strings.Repeat("0123456789abcdef", 1<<12)
	slowly := func(w io.Writer) error {
		for at := 0; at < len(want); at += 1000 {
			if _, err := io.WriteString(w, want[at:min(at+1000, len(want))]); err != nil {
				return err
			}
		}
		return nil
	}
	for _, size := range []int{1, 999, 1 << 20} {
		require.NoError(t, File(path, Options{Check: func(r io.Reader) error {
			var got strings.Builder
			_, err := io.CopyBuffer(&got, struct{ io.Reader }{r}, make([]byte, size))
			assert.Equal(t, want, got.String())
			return err
		}}, slowly))
	}
	stop := errors.New("stopped")
	require.ErrorIs(t, File(path, Options{Check: func(io.Reader) error { return stop }}, slowly), stop, "at once, and what writes does not wait for it")
	assert.PanicsWithValue(t, "broken", func() {
		_ = File(path, Options{Check: func(io.Reader) error { panic("broken") }}, slowly)
	}, "where it can be told")
	temp := ""
	require.ErrorIs(t, File(path, Options{Check: func(r io.Reader) error { _, err := io.ReadAll(r); return err }}, func(w io.Writer) error {
		files, err := filepath.Glob(filepath.Join(filepath.Dir(path), ".a.*"))
		require.NoError(t, err)
		for _, f := range files {
			if strings.HasSuffix(f, suffix) {
				temp = f
			}
		}
		w.(*readBack).mu.Lock() // so that nothing is read before it is cut
		_, err = w.(*readBack).file.WriteString(want)
		w.(*readBack).written = int64(len(want))
		require.NoError(t, os.Truncate(temp, 100))
		w.(*readBack).mu.Unlock()
		return err
	}), io.ErrUnexpectedEOF, "a file that was cut")
}
