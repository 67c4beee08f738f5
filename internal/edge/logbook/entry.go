package logbook

import (
	"bytes"
	"database/sql"
	"encoding/binary"
	"encoding/gob"
	"errors"
	"io"
	"sync"

	"github.com/klauspost/compress/flate"

	"github.com/cespare/xxhash/v2"

	"almanach/internal/core/plan"
)

// Entry is one edit of a run.
type Entry struct {
	Kind     plan.Kind
	Calendar string // as the desk calls it
	UID      string
	Key      string
	Title    string
	When     string   // as it was to be, for showing
	Fields   []string // that changed
	Before   [][]byte // the whole object; none for a create
	After    [][]byte // none for a removal, nor for a create, which is in the calendar
	Needs    int      // as of plan.Edit
	Print    uint64   // of what was to stand there

	Held uint64 `json:"-"` // print of what stood there afterwards; 0 where it was not done, or not known
}

// Print gives a checksum of an object's components. It is never 0: that is for
// nothing known.
func Print(raws [][]byte) uint64 {
	var d xxhash.Digest
	d.Reset()
	for _, raw := range raws {
		d.Write(raw)
	}
	return max(d.Sum64(), 1)
}

// partSize is how many entries are packed together.
const partSize = 2048

// pack makes parts of entries, side by side.
func pack(entries []Entry) ([][]byte, error) {
	parts := make([][]byte, (len(entries)+partSize-1)/partSize)
	errs := make([]error, len(parts))
	var wait sync.WaitGroup
	for n := range parts {
		wait.Go(func() {
			var b bytes.Buffer
			z, err := flate.NewWriter(&b, flate.BestSpeed)
			if err == nil {
				err = errors.Join(gob.NewEncoder(z).Encode(entries[n*partSize:min((n+1)*partSize, len(entries))]), z.Close())
			}
			parts[n], errs[n] = b.Bytes(), err
		})
	}
	wait.Wait()
	return parts, errors.Join(errs...)
}

// packPrints packs the prints of a run. Most are those of its entries, so they
// are written as they are.
func packPrints(prints []uint64) []byte {
	out := make([]byte, 0, len(prints)*8)
	for _, p := range prints {
		out = binary.LittleEndian.AppendUint64(out, p)
	}
	return out
}

// Entries gives what a run did, in its order.
func (b *Book) Entries(r *Run) ([]Entry, error) {
	var out []Entry
	rows, err := b.db.Query("SELECT edits FROM part WHERE run = ? ORDER BY n", r.id)
	if err != nil {
		return nil, unusable(b.path, err)
	}
	defer rows.Close()
	for rows.Next() {
		var data []byte
		if err := rows.Scan(&data); err != nil {
			return nil, unusable(b.path, err)
		}
		var part []Entry
		if err := gob.NewDecoder(io.LimitReader(flate.NewReader(bytes.NewReader(data)), 4<<30)).Decode(&part); err != nil {
			return nil, unusable(b.path, err)
		}
		out = append(out, part...)
	}
	if err := rows.Err(); err != nil {
		return nil, unusable(b.path, err)
	}
	rows.Close()
	var prints []byte
	if err := b.db.QueryRow("SELECT prints FROM result WHERE run = ?", r.id).Scan(&prints); err != nil && !errors.Is(err, sql.ErrNoRows) {
		return nil, unusable(b.path, err)
	}
	for i := range out {
		if len(prints) >= (i+1)*8 {
			out[i].Held = binary.LittleEndian.Uint64(prints[i*8:])
		}
	}
	return out, nil
}
