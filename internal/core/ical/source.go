package ical

import (
	"bytes"
	"context"
	"errors"
	"hash/maphash"
	"io"
	"sync/atomic"
)

// ErrNotSame means that a text that is read piece by piece is not what it was when it was
// first read.
var ErrNotSame = errors.New("is not what it was when it was first read")

// source is a text that is not in memory. What is read of it again is compared with its
// checksum. It may be used from several goroutines.
type source struct {
	at     io.ReaderAt
	size   int
	whole  uint64 // checksum of all of it
	failed atomic.Pointer[error]
}

var sourceSeed = maphash.MakeSeed()

// ReadDocument is ParseDocument for text that is not to be kept in memory: what is needed of
// it is read again from the source, of so many octets. See Intact. The error may be the
// source's.
func ReadDocument(ctx context.Context, from io.ReaderAt, size int) (*Document, error) {
	d := &Document{source: &source{at: from, size: size}}
	var whole maphash.Hash
	whole.SetSeed(sourceSeed)
	r := NewReader(io.TeeReader(io.NewSectionReader(from, 0, int64(size)), &whole))
	if err := d.parse(ctx, r, size); err != nil {
		return nil, err
	}
	if r.offset != size {
		return nil, io.ErrUnexpectedEOF
	}
	d.source.whole = whole.Sum64()
	return d, nil
}

// Intact gives an error where objects of the document could not be read again as they were.
// What was made of them then means nothing.
func (d *Document) Intact() error {
	if d.source == nil {
		return nil
	}
	if err := d.source.failed.Load(); err != nil {
		return *err
	}
	return nil
}

// Same tells whether r gives the text of the document, and nothing else.
func (d *Document) Same(r io.Reader) (bool, error) {
	buf := make([]byte, 256<<10)
	var sum maphash.Hash
	sum.SetSeed(sourceSeed)
	for at := 0; ; {
		n, err := r.Read(buf)
		if d.source != nil {
			sum.Write(buf[:n])
		} else if at+n > len(d.Data) || !bytes.Equal(buf[:n], d.Data[at:at+n]) {
			return false, nil
		}
		at += n
		switch {
		case errors.Is(err, io.EOF) && d.source != nil:
			return sum.Sum64() == d.source.whole, nil
		case errors.Is(err, io.EOF):
			return at == len(d.Data), nil
		case err != nil:
			return false, err
		}
	}
}

// sum is the checksum of a piece, where it will be read again.
func (g *grouper) sum(raw []byte) uint64 {
	if g.source == nil {
		return 0
	}
	return maphash.Bytes(sourceSeed, raw)
}

// raw gives the bytes of a piece.
func (d *Document) raw(piece int32, w *Window) []byte {
	p := &d.pieces[piece]
	if d.source == nil {
		return d.Data[p.from:p.to():p.to()]
	}
	raw, err := d.source.read(p, w)
	if err == nil && maphash.Bytes(sourceSeed, raw) != p.sum {
		err = ErrNotSame
	}
	if err != nil {
		return d.source.fail(p, err)
	}
	return raw
}

// fail keeps the first error, and gives bytes that mean nothing and are as many as there
// should be.
func (s *source) fail(p *span, err error) []byte {
	s.failed.CompareAndSwap(nil, &err)
	return make([]byte, p.size)
}

func (s *source) read(p *span, w *Window) ([]byte, error) {
	if w != nil {
		return w.read(s, p)
	}
	raw := make([]byte, p.size)
	if n, err := s.at.ReadAt(raw, int64(p.from)); n < len(raw) {
		return nil, err
	}
	return raw, nil
}

// Window is where components are read to by Glance. The zero Window is ready. It belongs to
// one goroutine.
type Window struct {
	of   *source
	from int
	buf  []byte
}

const (
	windowAhead = 128 << 10 // read at once where components follow each other
	windowApart = 4 << 10   // otherwise
)

func (w *Window) read(s *source, p *span) ([]byte, error) {
	end := w.from + len(w.buf)
	if w.of != s || p.from < w.from || p.to() > end {
		ahead := windowApart
		if w.of == s && p.from >= w.from && p.from < end+windowAhead {
			ahead = windowAhead
		}
		n := min(max(int(p.size), ahead), s.size-p.from)
		if cap(w.buf) < n {
			w.buf = make([]byte, max(n, windowAhead))
		}
		w.of, w.from, w.buf = s, p.from, w.buf[:n]
		if n, err := s.at.ReadAt(w.buf, int64(p.from)); n < len(w.buf) {
			w.of = nil
			return nil, err
		}
	}
	at := p.from - w.from
	return w.buf[at : at+int(p.size) : at+int(p.size)], nil
}

// rereader goes through the text of a document once more.
type rereader struct {
	*Document
	from int
	sum  maphash.Hash
	buf  []byte
}

func (d *Document) again() *rereader {
	r := &rereader{Document: d}
	r.sum.SetSeed(sourceSeed)
	return r
}

// copy writes what comes up to an offset.
func (r *rereader) copy(w io.Writer, to int) error {
	if r.source != nil {
		return r.read(w, to)
	}
	if to <= r.from {
		return nil
	}
	_, err := w.Write(r.Data[r.from:to])
	r.from = to
	return err
}

// pass leaves out what comes up to an offset.
func (r *rereader) pass(to int) error {
	if r.source != nil {
		return r.read(io.Discard, to)
	}
	r.from = max(r.from, to)
	return nil
}

func (r *rereader) read(w io.Writer, to int) error {
	if r.buf == nil {
		r.buf = make([]byte, 256<<10)
	}
	for r.from < to {
		n, err := r.source.at.ReadAt(r.buf[:min(len(r.buf), to-r.from)], int64(r.from))
		r.sum.Write(r.buf[:n])
		r.from += n
		if _, err := w.Write(r.buf[:n]); err != nil {
			return err
		}
		if err != nil && r.from < to {
			return errors.Join(ErrNotSame, err)
		}
	}
	return nil
}

// finish writes the rest. It is an error where any of the text is not what it was.
func (r *rereader) finish(w io.Writer) error {
	if r.source == nil {
		return r.copy(w, len(r.Data))
	}
	if err := r.copy(w, r.source.size); err != nil {
		return err
	}
	if r.sum.Sum64() != r.source.whole {
		return ErrNotSame
	}
	return nil
}
