package job

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/logbook"
)

// watched is a calendar that tells when it is written to.
type watched struct {
	calendar.Backend
	applying func() error // before; an error is a stop
	applied  func() error // after; an error is an answer that was lost
}

func (w *watched) Apply(ctx context.Context, edits []calendar.Edit) ([]calendar.Result, error) {
	if w.applying != nil {
		if err := w.applying(); err != nil {
			panic(err)
		}
	}
	r, err := w.Backend.Apply(ctx, edits)
	if w.applied != nil {
		if err := w.applied(); err != nil {
			panic(err)
		}
	}
	return r, err
}

// A run is stopped at each of its effects. The plan was written down before the
// first, and the next load ends as if nothing had happened: what the stopped one
// made is not new, and what it took out was not deleted by a person.
func TestStoppedAnywhere(t *testing.T) {
	rows := func(berth string, which ...int) string {
		out := "No,Ship,Start,Berth,Agent,Email,Pier"
		for _, i := range which {
			out += fmt.Sprintf("\nTH-%d,Ship %d,2026-04-%02d 08:15,%s,A,a@harbour.example,1", i, i, i, berth)
		}
		return out
	}
	stop := errors.New("stopped")
	for name, when := range map[string]func(*watched){
		"before the write": func(w *watched) { w.applying = func() error { return stop } },
		"after the write":  func(w *watched) { w.applied = func() error { return stop } },
	} {
		t.Run(name, func(t *testing.T) {
			office, dir := harbour(t, "calendars: { c: { file: c.ics } }\n")
			settings := calls + "agree: { gone: delete }\n"
			load := func(sheet string) (r *Report, stopped any) {
				defer func() { stopped = recover() }()
				r, err := Load(t.Context(), office, request(t, dir, settings, sheet))
				require.NoError(t, err)
				return r, nil
			}
			_, stopped := load(rows("1", 1, 2, 3))
			require.Nil(t, stopped)

			real := *office
			office.Open = func(ctx context.Context, spec calendar.Spec, create bool) (calendar.Backend, error) {
				b, err := real.openCalendar(ctx, spec, create)
				w := &watched{Backend: b}
				when(w)
				before := w.applying
				w.applying = func() error {
					runs, err := Logbook(office, 1)
					if assert.NoError(t, err) && assert.Equal(t, logbook.Open, runs[0].State, "the plan is written down first") {
						assert.Equal(t, 4, runs[0].Edits)
					}
					if before != nil {
						return before()
					}
					return nil
				}
				return w, err
			}
			_, stopped = load(rows("2", 1, 2, 4)) // two change, one goes, one comes
			require.Equal(t, stop, stopped)
			office.Open = nil

			look := request(t, dir, settings, rows("2", 1, 2, 3, 4))
			look.Write = false
			r, err := Load(t.Context(), office, look)
			require.NoError(t, err)
			assert.Zero(t, r.Totals.Removed, "a preview says what a load will")
			runs, err := Logbook(office, 1)
			require.NoError(t, err)
			assert.Equal(t, logbook.Open, runs[0].State, "and writes nothing")
			r, stopped = load(rows("2", 1, 2, 4))
			require.Nil(t, stopped)
			assert.Zero(t, r.Totals.Removed)
			r, _ = load(rows("2", 1, 2, 3, 4))
			assert.Zero(t, r.Totals.Removed, "the stopped run took it out")
			assert.Equal(t, 1, r.Totals.New)
			assert.Equal(t, 3, r.Totals.Same)
			runs, err = Logbook(office, 0)
			require.NoError(t, err)
			for _, run := range runs {
				assert.NotEqual(t, logbook.Open, run.State)
			}

			u, run, err := Undo(t.Context(), office, UndoRequest{Run: "2", Write: true})
			require.NoError(t, err)
			assert.Equal(t, logbook.Stopped, run.State)
			if name == "before the write" {
				assert.Zero(t, u.Items.Len(), "it did nothing")
			} else {
				assert.Equal(t, 4, u.Items.Len(), "what it did is known from the calendar")
			}
		})
	}
}

func TestMentions(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "berths.ics")
	require.NoError(t, os.WriteFile(path, []byte(strings.Repeat("X", 256<<10-30)+event.PropIntake+":"+event.WriteMark("here")+"\r\n"), 0o600))
	assert.True(t, mentions(calendar.Spec{File: path}, "here"), "across two blocks")
	assert.True(t, mentions(calendar.Spec{Folder: dir}, "here"))
	assert.False(t, mentions(calendar.Spec{File: path}, "there"))
	assert.False(t, mentions(calendar.Spec{File: filepath.Join(dir, "none.ics")}, "here"))
	assert.True(t, mentions(calendar.Spec{File: dir}, "here"), "what cannot be read may have it")
	assert.True(t, mentions(calendar.Spec{Folder: path}, "here"))
}

// A run that gave an event another key, and was stopped once that was written, leaves the old
// key free.
func TestStoppedRenumbering(t *testing.T) {
	stop := errors.New("stopped")
	office, dir := harbour(t, "calendars: { c: { file: c.ics } }\n")
	row := func(key, ship string, day int) string {
		return fmt.Sprintf("\n%s,%s,2026-04-%02d 08:15,1,A,a@harbour.example,1", key, ship, day)
	}
	load := func(sheet string, rekey map[string]string) (r *Report, stopped any) {
		defer func() { stopped = recover() }()
		req := request(t, dir, calls, "No,Ship,Start,Berth,Agent,Email,Pier"+sheet)
		req.Pairs.Rekey = rekey
		r, err := Load(t.Context(), office, req)
		require.NoError(t, err)
		return r, nil
	}
	_, stopped := load(row("7", "Corvane", 1), nil)
	require.Nil(t, stopped)
	real := *office
	office.Open = func(ctx context.Context, spec calendar.Spec, create bool) (calendar.Backend, error) {
		b, err := real.openCalendar(ctx, spec, create)
		return &watched{Backend: b, applied: func() error { return stop }, applying: func() error { return nil }}, err
	}
	_, stopped = load(row("8", "Corvane", 1), map[string]string{"8": "7"})
	require.Equal(t, stop, stopped)
	office.Open = nil
	r, stopped := load(row("8", "Corvane", 1), nil)
	require.Nil(t, stopped)
	assert.Equal(t, 1, r.Totals.Same)
	r, stopped = load(row("8", "Corvane", 1)+row("7", "Merle", 2), nil)
	require.Nil(t, stopped)
	assert.Equal(t, 1, r.Totals.New, "the key is free")
	assert.Zero(t, r.Totals.Removed)
}
