package plan

import (
	"errors"
	"fmt"
	"io"
	"sync/atomic"

	"github.com/cespare/xxhash/v2"
)

// Spool keeps the texts of new events while a plan is made and applied: there can be
// many, and nothing looks at them before they are written. A file is one.
type Spool interface {
	io.ReaderAt
	io.WriterAt
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

// printOf gives the checksum of an object of one component.
func printOf(raw []byte) uint64 { return max(xxhash.Sum64(raw), 1) }

// text is where the text of a new event is; the zero text is none.
type text struct {
	block    *block
	from, to int32
	print    uint64
}

// block is a run of texts, in memory or spooled.
type block struct {
	plain []byte
	spool Spool // nil while they are in memory
	at    int64 // of the first byte in the spool
}

// read gives a text. It may use the memory of buf.
func (t text) read(buf []byte) ([]byte, error) {
	if t.block.spool == nil {
		return t.plain(), nil
	}
	n := int(t.to - t.from)
	if cap(buf) < n {
		buf = make([]byte, n)
	}
	buf = buf[:n]
	_, err := t.block.spool.ReadAt(buf, t.block.at+int64(t.from))
	if err == nil && printOf(buf) != t.print {
		err = errors.New("is not as it was written")
	}
	if err != nil {
		return nil, fmt.Errorf("the memory on disk for texts of events: %w", err)
	}
	return buf, nil
}

// plain gives a text that is in memory.
func (t text) plain() []byte { return t.block.plain[t.from:t.to:t.to] }

// blockSize is about how many bytes of text one block has.
const blockSize = 256 << 10

// writer writes texts into blocks. It belongs to one goroutine; several may share a
// spool and the end of it.
type writer struct {
	spool Spool // nil for none
	end   *atomic.Int64
	block *block
}

// add keeps the text that write appends to what it is given.
func (w *writer) add(write func(dst []byte) []byte) text {
	if w.block == nil {
		w.block = &block{plain: make([]byte, 0, blockSize)}
	}
	from := len(w.block.plain)
	w.block.plain = write(w.block.plain)
	out := text{block: w.block, from: int32(from), to: int32(len(w.block.plain)), print: printOf(w.block.plain[from:])}
	if blockSize-len(w.block.plain) < 4096 {
		w.flush()
	}
	return out
}

// flush ends a block. Where it cannot be spooled, it stays in memory.
func (w *writer) flush() {
	full := w.block
	w.block = nil
	if w.spool == nil || full == nil {
		return
	}
	at := w.end.Add(int64(len(full.plain))) - int64(len(full.plain))
	if _, err := w.spool.WriteAt(full.plain, at); err != nil {
		w.spool = nil
		return
	}
	w.block = &block{plain: full.plain[:0]}
	full.plain, full.spool, full.at = nil, w.spool, at
}
