package logbook

import (
	"bytes"
	"database/sql"
	"encoding/binary"
	"encoding/gob"
	"errors"
	"io"
	"runtime"
	"sync/atomic"

	"github.com/klauspost/compress/flate"
	"golang.org/x/sync/errgroup"

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

// partSize is how many entries are packed together, and atOnce how many of them are
// encoded at once: what encodes them keeps them twice in memory.
const (
	partSize = 4096
	atOnce   = 256
)

// part is entries as they are kept, each field of all of them together: that
// takes a third of the time that one entry after the other does.
type part struct {
	Kind, Calendar, UID, Key, Title, When []string
	Needs                                 []int
	Print                                 []uint64
	Fields                                [][]string // nil where no entry has any; so are these
	Before, After                         [][][]byte
}

// fill makes it the part of n entries. It keeps its memory for the next part.
func (p *part) fill(n int, entry func(i int) Entry) {
	*p = part{Kind: p.Kind[:0], Calendar: p.Calendar[:0], UID: p.UID[:0], Key: p.Key[:0], Title: p.Title[:0], When: p.When[:0], Needs: p.Needs[:0], Print: p.Print[:0]}
	for i := range n {
		e := entry(i)
		p.Kind, p.Calendar, p.UID = append(p.Kind, string(e.Kind)), append(p.Calendar, e.Calendar), append(p.UID, e.UID)
		p.Key, p.Title, p.When = append(p.Key, e.Key), append(p.Title, e.Title), append(p.When, e.When)
		p.Needs, p.Print = append(p.Needs, e.Needs), append(p.Print, e.Print)
		set(&p.Fields, i, n, e.Fields)
		set(&p.Before, i, n, e.Before)
		set(&p.After, i, n, e.After)
	}
}

// set puts a list into its place among n, where it has anything.
func set[T any](lists *[][]T, i, n int, list []T) {
	if len(list) == 0 {
		return
	}
	if *lists == nil {
		*lists = make([][]T, n)
	}
	(*lists)[i] = list
}

// get gives what set put there.
func get[T any](lists [][]T, i int) []T {
	if i >= len(lists) || len(lists[i]) == 0 {
		return nil
	}
	return lists[i]
}

// entries gives the entries of a part. The error is that of one which is not whole.
func (p *part) entries() ([]Entry, error) {
	n := len(p.UID)
	for _, m := range []int{len(p.Kind), len(p.Calendar), len(p.Key), len(p.Title), len(p.When), len(p.Needs), len(p.Print)} {
		if m != n {
			return nil, errors.New("malformed: the fields of a run are not of one length")
		}
	}
	out := make([]Entry, n)
	for i := range out {
		out[i] = Entry{Kind: plan.Kind(p.Kind[i]), Calendar: p.Calendar[i], UID: p.UID[i], Key: p.Key[i], Title: p.Title[i], When: p.When[i], Needs: p.Needs[i], Print: p.Print[i], Fields: get(p.Fields, i), Before: get(p.Before, i), After: get(p.After, i)}
	}
	return out, nil
}

// pack makes parts of n entries, a few side by side.
func pack(n int, entry func(i int) Entry) ([][]byte, error) {
	parts := make([][]byte, (n+partSize-1)/partSize)
	var next atomic.Int32
	var work errgroup.Group
	for range min(runtime.GOMAXPROCS(0), len(parts)) {
		work.Go(func() error {
			var p part
			var b bytes.Buffer
			z, err := flate.NewWriter(nil, flate.BestSpeed)
			for k := int(next.Add(1)) - 1; k < len(parts) && err == nil; k = int(next.Add(1)) - 1 {
				b.Reset()
				z.Reset(&b)
				encoder := gob.NewEncoder(z)
				for from := k * partSize; from < min(n, (k+1)*partSize); from += atOnce {
					p.fill(min(atOnce, n-from), func(i int) Entry { return entry(from + i) })
					err = errors.Join(err, encoder.Encode(&p))
				}
				err = errors.Join(err, z.Close())
				parts[k] = bytes.Clone(b.Bytes())
			}
			return err
		})
	}
	return parts, work.Wait()
}

// unpack gives the entries of a part. Those of before 2026-11-26 are a list of
// entries.
func unpack(data []byte) (out []Entry, err error) {
	decoder := func() *gob.Decoder {
		return gob.NewDecoder(io.LimitReader(flate.NewReader(bytes.NewReader(data)), 4<<30))
	}
	for d := decoder(); ; {
		var p part
		switch err := d.Decode(&p); {
		case errors.Is(err, io.EOF):
			return out, nil
		case err != nil && out == nil:
			err = decoder().Decode(&out)
			return out, err
		case err != nil:
			return nil, err
		}
		entries, err := p.entries()
		if err != nil {
			return nil, err
		}
		out = append(out, entries...)
	}
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
		list, err := unpack(data)
		if err != nil {
			return nil, unusable(b.path, err)
		}
		out = append(out, list...)
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
