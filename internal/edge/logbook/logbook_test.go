package logbook

import (
	"bytes"
	"encoding/gob"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/klauspost/compress/flate"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/identity"
	"almanach/internal/core/plan"
)

func one(int) Entry { return Entry{UID: "a"} }

func book(t *testing.T) (*Book, string) {
	t.Helper()
	path := filepath.Join(t.TempDir(), ".almanach", "logbook.db")
	b, err := OpenBook(path)
	require.NoError(t, err)
	t.Cleanup(func() { b.Close() })
	return b, path
}

// What is written down is read back, however many edits a run has.
func TestRuns(t *testing.T) {
	b, _ := book(t)
	var entries []Entry
	for i := range 5000 {
		entries = append(entries, Entry{Kind: plan.Change, Calendar: "berths", UID: fmt.Sprint(i), Key: fmt.Sprintf("TH-%d", i), Before: [][]byte{[]byte("before")}, After: [][]byte{[]byte("after")}, Print: plan.Print([][]byte{[]byte("after")})})
	}
	run := &Run{Name: "r1", What: "load", Intake: "calls", Identity: "calls", Totals: plan.Totals{Rows: 5000}}
	require.NoError(t, b.Begin(run, len(entries), func(i int) Entry { return entries[i] }))
	list, err := b.Runs(0, func(r *Run) bool { return r.State == Open })
	require.NoError(t, err)
	require.Len(t, list, 1)

	prints := make([]uint64, len(entries))
	prints[7] = 42
	run.State = Done
	ids := plan.Sort([]identity.ID{identity.ID(uuid.New()), identity.ID(uuid.New())})
	require.NoError(t, b.Finish(run, prints, func(m Remembering) error {
		return m.Set("berths", "calls", &plan.Remembered{Standing: ids[:1], Removed: ids[1:]})
	}))
	list, err = b.Runs(1, nil)
	require.NoError(t, err)
	assert.Equal(t, Done, list[0].State)
	assert.Equal(t, 5000, list[0].Edits)
	assert.Equal(t, 5000, list[0].Totals.Rows)
	got, err := b.Entries(list[0])
	require.NoError(t, err)
	entries[7].Held = 42
	assert.Equal(t, entries, got)
	m, err := b.Remembered("berths", "calls")
	require.NoError(t, err)
	assert.Equal(t, &plan.Remembered{Standing: ids[:1], Removed: ids[1:]}, m)
	m, err = b.Remembered("berths", "others")
	require.NoError(t, err)
	assert.Empty(t, m.Standing)
}

// Entries are read back as they were, with and without what few of them have; so
// are those of an older logbook.
func TestParts(t *testing.T) {
	bare := []Entry{{Kind: plan.Create, Calendar: "berths", UID: "a", Key: "TH-1", Title: "Corvane", Print: 7}, {Kind: plan.Create, Calendar: "works", UID: "b"}}
	full := append([]Entry{{Kind: plan.Change, UID: "c", When: "2026-03-05", Fields: []string{"start", "title"}, Before: [][]byte{[]byte("x"), []byte("y")}, After: [][]byte{[]byte("z")}, Needs: 1}, {Kind: plan.Remove, UID: "d", Before: [][]byte{[]byte("w")}}}, bare...)
	for _, entries := range [][]Entry{bare, full, slices.Repeat(full, atOnce)} {
		parts, err := pack(len(entries), func(i int) Entry { return entries[i] })
		require.NoError(t, err)
		got, err := unpack(parts[0])
		require.NoError(t, err)
		assert.Equal(t, entries, got)
		for _, size := range []int{len(parts[0]) / 2, len(parts[0]) - 1} {
			_, err = unpack(parts[0][:size])
			assert.Error(t, err, "what is not whole is not taken for less")
		}
		var old bytes.Buffer
		z, err := flate.NewWriter(&old, flate.BestSpeed)
		require.NoError(t, err)
		require.NoError(t, gob.NewEncoder(z).Encode(entries))
		require.NoError(t, z.Close())
		got, err = unpack(old.Bytes())
		require.NoError(t, err)
		assert.Equal(t, entries, got)
	}
	_, err := (&part{UID: []string{"a"}}).entries()
	assert.Error(t, err)
	_, err = unpack([]byte("no part at all"))
	assert.Error(t, err)
}

// A broken logbook is set aside, and nothing of it is lost.
func TestBroken(t *testing.T) {
	for name, damage := range map[string]func([]byte) []byte{
		"garbage": func([]byte) []byte { return []byte("this is no database, whatever its name says") },
		"cut":     func(d []byte) []byte { return d[:len(d)/2] },
		"holes": func(d []byte) []byte {
			for i := 100; i < len(d); i += 7 {
				d[i] = 0xff
			}
			return d
		},
	} {
		b, path := book(t)
		require.NoError(t, b.Begin(&Run{Name: "r1"}, 1, one))
		require.NoError(t, b.Close())
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path, damage(data), 0o600))
		again, err := OpenBook(path)
		require.NoError(t, err, name)
		assert.NotNil(t, again.Warning, name)
		list, err := again.Runs(0, nil)
		assert.NoError(t, err, name)
		assert.Empty(t, list, name)
		assert.True(t, Exists(path+".broken"), name)
		again.Close()
	}
}

// Two programs write at once: one waits for the other.
func TestAtOnce(t *testing.T) {
	_, path := book(t)
	var wait sync.WaitGroup
	for n := range 4 {
		wait.Go(func() {
			b, err := OpenBook(path)
			if !assert.NoError(t, err) {
				return
			}
			defer b.Close()
			for i := range 10 {
				run := &Run{Name: fmt.Sprint(n, "-", i)}
				assert.NoError(t, b.Begin(run, 1, one))
				run.State = Done
				assert.NoError(t, b.Finish(run, []uint64{1}, func(Remembering) error { return nil }))
			}
		})
	}
	wait.Wait()
	b, err := OpenBook(path)
	require.NoError(t, err)
	defer b.Close()
	list, err := b.Runs(0, func(r *Run) bool { return r.State == Done })
	require.NoError(t, err)
	assert.Len(t, list, 40)
}
