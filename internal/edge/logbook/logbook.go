// Package logbook keeps what loads did: each run with its plan, written down
// before the first event is, and what came of it; and for each calendar which
// events stood in it after the last load, so that what a person deletes is known
// from what was never there.
//
// Everything in it only helps: without it nothing is doubled and nothing
// overwritten.
package logbook

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"
	_ "modernc.org/sqlite" // the database

	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/plan"
)

// Book is a logbook. Several programs may have it open at once.
type Book struct {
	db   *sql.DB
	path string

	// Warning says that a broken logbook was set aside; nil otherwise.
	Warning *fault.Fault
}

// State is how far a run came.
type State string

// The states of a run. An open one is under way, or was stopped without a word.
const (
	Open    State = "open"
	Done    State = "done"
	Stopped State = "stopped" // not everything was done
)

// Run is one run of a load, or of what takes one back.
type Run struct {
	Name     string      `json:"run"`
	What     string      `json:"what"` // load, adopt, undo
	Intake   string      `json:"intake"`
	Identity string      `json:"identity"`
	Source   string      `json:"source,omitempty"`
	Print    string      `json:"fingerprint,omitempty"` // of the source's bytes
	Who      string      `json:"who"`
	Began    time.Time   `json:"began"`
	Ended    time.Time   `json:"ended,omitzero"`
	State    State       `json:"state"`
	Undoes   string      `json:"undoes,omitempty"` // the run that it took back
	Totals   plan.Totals `json:"totals"`
	Edits    int         `json:"edits"`

	id int64
}

// Number is the run's number in its logbook, from 1.
func (r *Run) Number() int64 { return r.id }

const schema = `
CREATE TABLE IF NOT EXISTS run (
	id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, identity TEXT NOT NULL, state TEXT NOT NULL, about TEXT NOT NULL);
CREATE INDEX IF NOT EXISTS run_state ON run (state) WHERE state = 'open';
CREATE TABLE IF NOT EXISTS part (
	run INTEGER NOT NULL REFERENCES run (id), n INTEGER NOT NULL, edits BLOB NOT NULL, PRIMARY KEY (run, n)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS result (run INTEGER PRIMARY KEY REFERENCES run (id), prints BLOB NOT NULL);
CREATE TABLE IF NOT EXISTS remembered (
	calendar TEXT NOT NULL, identity TEXT NOT NULL, standing BLOB NOT NULL, removed BLOB NOT NULL, PRIMARY KEY (calendar, identity)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS settled (identity TEXT PRIMARY KEY, report BLOB NOT NULL) WITHOUT ROWID;
`

// checked is up to how many octets a logbook is checked in full when it is
// opened; of a larger one only what is used is.
const checked = 4 << 20

// Exists tells whether there is a logbook at a path.
func Exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// OpenBook opens the logbook at a path, and makes it where there is none. A
// broken one is set aside under another name, and a new one begun.
func OpenBook(path string) (*Book, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return nil, unusable(path, err)
	}
	b, err := open(path)
	if err == nil || !broken(err) {
		return b, err
	}
	aside := path + ".broken"
	for n := 2; Exists(aside); n++ {
		aside = fmt.Sprintf("%s.broken-%d", path, n)
	}
	if e := os.Rename(path, aside); e != nil {
		return nil, unusable(path, errors.Join(err, e))
	}
	os.Remove(path + "-journal") // it is of no use without its database, and would be taken for the new one's
	if b, err = open(path); err == nil {
		b.Warning = fault.Newf("the logbook was broken; it was set aside as %s, and a new one begun: what people deleted is not known any more", filepath.Base(aside)).At(fault.Place{File: path})
	}
	return b, err
}

// Look opens the logbook at a path only to be read: nothing is made, and a
// broken one stays where it is.
func Look(path string) (*Book, error) {
	b, err := open(path)
	if err != nil && broken(err) {
		return nil, fault.Newf("the logbook is broken: %w", fault.Bare(err)).At(fault.Place{File: path}).Do("the next load sets it aside and begins a new one; until then what people deleted is not known").FromOutside()
	}
	return b, err
}

func open(path string) (*Book, error) {
	pragmas := url.Values{"_pragma": {"busy_timeout(20000)", "journal_mode(DELETE)", "synchronous(FULL)", "foreign_keys(1)"}, "_txlock": {"immediate"}}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: path}).EscapedPath()+"?"+pragmas.Encode())
	if err != nil {
		return nil, unusable(path, err)
	}
	db.SetMaxOpenConns(1)
	b := &Book{db: db, path: path}
	if info, e := os.Stat(path); e == nil && info.Size() <= checked {
		var answer string
		if err = db.QueryRow("PRAGMA quick_check(1)").Scan(&answer); err == nil && answer != "ok" {
			err = errors.New("malformed: " + answer)
		}
	}
	if err == nil {
		err = b.lay()
	}
	if err != nil {
		db.Close()
		return nil, unusable(path, err)
	}
	return b, nil
}

// lay makes what is missing of the tables: of a new logbook all at once, as each
// transaction waits for the disk.
func (b *Book) lay() error {
	tables := 0
	err := b.db.QueryRow("SELECT count(*) FROM sqlite_schema").Scan(&tables)
	if err != nil {
		return err
	}
	if tables > 0 {
		_, err = b.db.Exec(schema)
		return err
	}
	tx, err := b.db.Begin()
	if err != nil {
		return err
	}
	if _, err = tx.Exec(schema); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

// broken tells whether an error means that the database itself is damaged.
func broken(err error) bool {
	text := err.Error()
	for _, sign := range []string{"malformed", "not a database", "no such column", "corrupt"} {
		if strings.Contains(text, sign) {
			return true
		}
	}
	return false
}

func unusable(path string, err error) error {
	f := fault.Newf("the logbook cannot be used: %w", err).At(fault.Place{File: path})
	switch {
	case errors.Is(err, fs.ErrPermission) || strings.Contains(err.Error(), "readonly") || strings.Contains(err.Error(), "unable to open"):
		f.Do("see whether its folder may be written to")
	case strings.Contains(err.Error(), "locked"):
		f.Do("another load is writing it; load again")
	case strings.Contains(err.Error(), "full"):
		f.Do("make room on the disk")
	}
	return f
}

// Close closes the logbook.
func (b *Book) Close() error { return b.db.Close() }

// within does work in one transaction.
func (b *Book) within(work func(*sql.Tx) error) error {
	tx, err := b.db.Begin()
	if err != nil {
		return unusable(b.path, err)
	}
	if err := work(tx); err != nil {
		tx.Rollback()
		return unusable(b.path, err)
	}
	if err := tx.Commit(); err != nil {
		return unusable(b.path, err)
	}
	return nil
}

// Begin writes down what a run is about to do: n edits, which entry gives, from
// several goroutines. Once it has returned nil, the run may write its first event.
// A run whose name is taken gets another.
func (b *Book) Begin(r *Run, n int, entry func(i int) Entry) error {
	r.State, r.Edits = Open, n
	parts, err := pack(n, entry)
	if err != nil {
		return unusable(b.path, err)
	}
	return b.within(func(tx *sql.Tx) error {
		for name, n := r.Name, 2; ; n++ {
			taken := 0
			if err := tx.QueryRow("SELECT count(*) FROM run WHERE name = ?", r.Name).Scan(&taken); err != nil {
				return err
			}
			if taken == 0 {
				break
			}
			r.Name = fmt.Sprintf("%s-%d", name, n)
		}
		about, err := json.Marshal(r)
		if err != nil {
			return err
		}
		result, err := tx.Exec("INSERT INTO run (name, identity, state, about) VALUES (?, ?, ?, ?)", r.Name, r.Identity, r.State, about)
		if err != nil {
			return err
		}
		if r.id, err = result.LastInsertId(); err != nil {
			return err
		}
		for n, p := range parts {
			if _, err := tx.Exec("INSERT INTO part (run, n, edits) VALUES (?, ?, ?)", r.id, n, p); err != nil {
				return err
			}
		}
		return nil
	})
}

// Finish writes down what came of a run: for each entry the print of what then
// stood there, 0 where it was not done, and what is to be remembered of each
// calendar from now on.
func (b *Book) Finish(r *Run, prints []uint64, remember func(Remembering) error) error {
	return b.within(func(tx *sql.Tx) error {
		about, err := json.Marshal(r)
		if err != nil {
			return err
		}
		if _, err := tx.Exec("UPDATE run SET state = ?, about = ? WHERE id = ?", r.State, about, r.id); err != nil {
			return err
		}
		if len(prints) > 0 {
			if _, err := tx.Exec("INSERT OR REPLACE INTO result (run, prints) VALUES (?, ?)", r.id, packPrints(prints)); err != nil {
				return err
			}
		}
		return remember(Remembering{tx})
	})
}

// Remembering reads and writes what is remembered of calendars, while no other
// run can.
type Remembering struct{ tx *sql.Tx }

// Of gives what is remembered of a calendar for an identity.
func (m Remembering) Of(calendar, identity string) (*plan.Remembered, error) {
	return remembered(m.tx, calendar, identity)
}

// Set remembers it anew.
func (m Remembering) Set(calendar, identity string, r *plan.Remembered) error {
	_, err := m.tx.Exec("INSERT OR REPLACE INTO remembered (calendar, identity, standing, removed) VALUES (?, ?, ?, ?)", calendar, identity, packIDs(r.Standing), packIDs(r.Removed))
	return err
}

type querier interface {
	QueryRow(query string, args ...any) *sql.Row
}

func remembered(q querier, calendar, name string) (*plan.Remembered, error) {
	var standing, removed []byte
	err := q.QueryRow("SELECT standing, removed FROM remembered WHERE calendar = ? AND identity = ?", calendar, name).Scan(&standing, &removed)
	if errors.Is(err, sql.ErrNoRows) {
		return &plan.Remembered{}, nil
	}
	if err != nil {
		return nil, err
	}
	return &plan.Remembered{Standing: unpackIDs(standing), Removed: unpackIDs(removed)}, nil
}

// Remembered gives what is remembered of a calendar for an identity, nothing
// where no load is known.
func (b *Book) Remembered(calendar, name string) (*plan.Remembered, error) {
	r, err := remembered(b.db, calendar, name)
	if err != nil {
		return nil, unusable(b.path, err)
	}
	return r, nil
}

func packIDs(ids []identity.ID) []byte {
	out := make([]byte, 0, len(ids)*16)
	for _, id := range ids {
		out = append(out, id[:]...)
	}
	return out
}

func unpackIDs(data []byte) []identity.ID {
	out := make([]identity.ID, len(data)/16)
	for i := range out {
		copy(out[i][:], data[i*16:])
	}
	return out
}

// Runs gives the runs that meet a condition, the last first. Most is how many
// at most, 0 for all.
func (b *Book) Runs(most int, meets func(*Run) bool) ([]*Run, error) {
	return b.runs(most, meets, "SELECT id, state, about FROM run ORDER BY id DESC")
}

// Unended gives the runs of an identity that are under way, or were stopped
// without a word, the last first.
func (b *Book) Unended(identity string) ([]*Run, error) {
	return b.runs(0, nil, "SELECT id, state, about FROM run WHERE state = 'open' AND identity = ? ORDER BY id DESC", identity)
}

func (b *Book) runs(most int, meets func(*Run) bool, query string, args ...any) (out []*Run, err error) {
	rows, err := b.db.Query(query, args...)
	if err != nil {
		return nil, unusable(b.path, err)
	}
	defer rows.Close()
	for rows.Next() && (most == 0 || len(out) < most) {
		r, about := &Run{}, []byte(nil)
		var id int64
		var state State
		if err := rows.Scan(&id, &state, &about); err != nil {
			return nil, unusable(b.path, err)
		}
		if err := json.Unmarshal(about, r); err != nil {
			return nil, unusable(b.path, err)
		}
		if r.id, r.State = id, state; meets == nil || meets(r) {
			out = append(out, r)
		}
	}
	if err := rows.Err(); err != nil {
		return nil, unusable(b.path, err)
	}
	return out, nil
}

// MemoryPrint gives a fingerprint of all that is remembered for an identity.
func (b *Book) MemoryPrint(identity string) (uint64, error) {
	rows, err := b.db.Query("SELECT calendar, standing, removed FROM remembered WHERE identity = ? ORDER BY calendar", identity)
	if err != nil {
		return 0, unusable(b.path, err)
	}
	defer rows.Close()
	d := xxhash.New()
	for rows.Next() {
		var calendar string
		var standing, removed sql.RawBytes
		if err := rows.Scan(&calendar, &standing, &removed); err != nil {
			return 0, unusable(b.path, err)
		}
		fmt.Fprintf(d, "%q %d %d ", calendar, len(standing), len(removed))
		d.Write(standing)
		d.Write(removed)
	}
	if err := rows.Err(); err != nil {
		return 0, unusable(b.path, err)
	}
	return d.Sum64(), nil
}

// Settle keeps what the last load of an identity that wrote nothing came to.
func (b *Book) Settle(identity string, report []byte) error {
	if _, err := b.db.Exec("INSERT OR REPLACE INTO settled (identity, report) VALUES (?, ?)", identity, report); err != nil {
		return unusable(b.path, err)
	}
	return nil
}

// Settled gives what Settle kept, nothing where it kept nothing.
func (b *Book) Settled(identity string) (report []byte, err error) {
	err = b.db.QueryRow("SELECT report FROM settled WHERE identity = ?", identity).Scan(&report)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return nil, unusable(b.path, err)
	}
	return report, nil
}
