// Package file is a calendar that is one iCalendar file. It is replaced as a
// whole, under a lock that every Almanach honours.
package file

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"iter"
	"os"
	"path/filepath"

	"github.com/cespare/xxhash/v2"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/index"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/replace"
)

// File is an open calendar file.
type File struct {
	path  string // of the file itself, links followed
	shown string // as messages call it
	book  *zone.Book
	doc   *ical.Document
	zones *ical.TimeZones
	open  *os.File    // while it is read piece by piece; nil otherwise
	stat  fs.FileInfo // nil while the file does not exist
	stale bool        // written since it was read
	wrote calendar.Sum
}

// Open reads the file that a spec names. One that does not exist is an empty
// calendar where create is set.
func Open(ctx context.Context, spec calendar.Spec, book *zone.Book, create bool) (*File, error) {
	f := &File{shown: spec.File, book: book}
	var err error
	if f.path, err = replace.Real(spec.File); errors.Is(err, fs.ErrNotExist) {
		if !create {
			return nil, f.missing()
		}
		f.path = spec.File // its folder is still to be made
		return f, f.parse(ctx, nil)
	} else if err != nil {
		return nil, f.unread(err)
	}
	if err := f.read(ctx); err != nil {
		return nil, err
	}
	if f.stat == nil && !create {
		return nil, f.missing()
	}
	return f, nil
}

func (f *File) at() fault.Place { return fault.Place{File: f.shown} }

func (f *File) missing() *fault.Fault {
	return fault.Newf("there is no such calendar file").At(f.at()).Do("check the path, or load something into it first")
}

func (f *File) unread(err error) *fault.Fault {
	return fault.Newf("cannot be read: %w", fault.Bare(err)).At(f.at()).FromOutside()
}

// read reads the file as it stands now.
func (f *File) read(ctx context.Context) error {
	f.stat, f.stale = nil, false
	f.Close()
	file, err := os.Open(f.path)
	if errors.Is(err, fs.ErrNotExist) {
		return f.parse(ctx, nil)
	}
	if err != nil {
		return f.unread(err)
	}
	defer func() {
		if f.open != file {
			file.Close()
		}
	}()
	if f.stat, err = file.Stat(); err != nil {
		return f.unread(err)
	}
	if f.stat.IsDir() {
		return fault.Newf("is a folder, not a calendar file").At(f.at()).Do("name a file, or give the calendar of the desk folder: instead of file:")
	}
	if f.stat.Size() > maxSize {
		return fault.Newf("has %d MiB; the limit is %d", f.stat.Size()>>20, maxSize>>20).At(f.at()).Do("split the calendar").FromOutside()
	}
	if f.stat.Size() > inMemory {
		f.doc, err = ical.ReadDocument(ctx, file, int(f.stat.Size()))
		if err == nil {
			f.open = file
			f.define()
		}
		if err == nil || ctx.Err() != nil {
			return err
		}
		if !errors.Is(err, ical.ErrTooLong) {
			return f.unread(err)
		}
	}
	data := make([]byte, f.stat.Size())
	if _, err := io.ReadFull(interruptible{ctx, file}, data); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return f.unread(err)
	}
	return f.parse(ctx, data)
}

// maxSize is the largest calendar file, in octets.
const maxSize = 4<<30 - 1

// inMemory is the largest file that is kept in memory, in octets; what is needed of a larger
// one is read from it when it is needed. A test changes it.
var inMemory int64 = 4 << 20

// interruptible reads until the context ends.
type interruptible struct {
	ctx context.Context
	r   io.Reader
}

func (i interruptible) Read(p []byte) (int, error) {
	if err := i.ctx.Err(); err != nil {
		return 0, err
	}
	return i.r.Read(p[:min(len(p), 4<<20)])
}

func (f *File) parse(ctx context.Context, data []byte) (err error) {
	if f.doc, err = ical.ParseDocument(ctx, data); err != nil {
		return err
	}
	f.define()
	return nil
}

// define takes over the zones that the calendar defines.
func (f *File) define() {
	f.zones = ical.NewTimeZones(f.book)
	for _, raw := range f.doc.TimeZones {
		if err := f.zones.Define(raw); err != nil {
			f.doc.Faults = append(f.doc.Faults, fault.Newf("%w", err))
		}
	}
}

// Entries implements calendar.Backend.
func (f *File) Entries(ctx context.Context) iter.Seq2[*ical.Object, error] {
	return func(yield func(*ical.Object, error) bool) {
		if f.stale {
			if err := f.read(ctx); err != nil {
				yield(nil, err)
				return
			}
		}
		for _, problem := range f.doc.Faults {
			p := *problem
			p.Place.File = f.shown
			if !yield(nil, &p) {
				return
			}
		}
		if f.doc.Damaged && !yield(nil, f.damaged()) {
			return
		}
		for i := range f.doc.Objects {
			if !yield(&f.doc.Objects[i], nil) {
				return
			}
		}
	}
}

// damaged is the fault of a file whose structure is broken.
func (f *File) damaged() *fault.Fault {
	first := *f.doc.Faults[0]
	first.Place.File = f.shown
	first.Cause = damage{first.Cause}
	return first.Do("the calendar is damaged and was not touched; repair or replace it, then load again").FromOutside()
}

// damage is what is wrong with the structure of the file.
type damage struct{ error }

func (damage) Is(target error) bool { return target == calendar.ErrDamaged }

// Unwrap gives what was met.
func (d damage) Unwrap() error { return d.error }

// Zones implements calendar.Backend.
func (f *File) Zones() ical.Zones { return f.zones.Find }

// Close implements calendar.Backend. A file is locked only while it is
// written.
func (f *File) Close() error {
	if f.open == nil {
		return nil
	}
	err := f.open.Close()
	f.open = nil
	return err
}

// Intact implements calendar.Reread.
func (f *File) Intact() error {
	err := f.doc.Intact()
	if err == nil {
		return nil
	}
	if errors.Is(err, ical.ErrNotSame) || errors.Is(err, io.EOF) {
		return fault.Newf("%w", calendar.ErrChanged).At(f.at()).Do("try again").FromOutside()
	}
	return f.unread(err)
}

// Apply implements calendar.Backend. It does all edits or none.
func (f *File) Apply(ctx context.Context, edits []calendar.Edit) ([]calendar.Result, error) {
	all := calendar.Edits{UIDs: make([]string, len(edits)), Old: make([]*ical.Object, len(edits)), New: func(i int) ([][]byte, error) { return edits[i].New, nil }}
	for i, e := range edits {
		all.UIDs[i], all.Old[i] = e.UID(), e.Old
	}
	err := f.ApplyWhen(ctx, all, func() error { return nil })
	results := make([]calendar.Result, len(edits))
	for i, e := range edits {
		switch {
		case err != nil:
			results[i].Err = err
		case len(e.New) > 0:
			results[i].Held = ical.NewObject(all.UIDs[i], e.New...)
		}
	}
	return results, err
}

// ApplyWhen implements calendar.Staged: the new file is written and read back as a
// whole meanwhile, and is what was written.
func (f *File) ApplyWhen(ctx context.Context, edits calendar.Edits, ready func() error) error {
	if len(edits.UIDs) == 0 {
		return nil
	}
	if f.doc.Damaged {
		return f.damaged()
	}
	if err := os.MkdirAll(filepath.Dir(f.path), 0o755); err != nil {
		return f.unwritten(err)
	}
	if real, err := replace.Real(f.path); err == nil {
		f.path = real
	}
	lock, err := calendar.Lock(ctx, filepath.Join(filepath.Dir(f.path), "."+filepath.Base(f.path)+".lock"), f.at())
	if err != nil {
		return err
	}
	defer lock.Unlock()
	if err := replace.Sweep(f.path); err != nil {
		return f.unwritten(err)
	}
	if err := f.unchanged(true); err != nil {
		return err
	}
	if err := f.free(edits); err != nil {
		return err
	}
	sum := &summed{ctx: ctx, hash: calendar.NewSumWriter()}
	err = replace.File(f.path, replace.Options{
		Check: func(r io.Reader) error { return f.confirm(ctx, r, sum) },
		Ready: func() error {
			if err := ready(); err != nil {
				return err
			}
			if err := f.unchanged(false); err != nil {
				return err
			}
			f.stale = true   // what was read of the old one cannot be read again
			return f.Close() // or some systems do not let it be replaced
		},
	}, func(w io.Writer) error {
		sum.w = w
		events := make([]int, len(edits.UIDs)) // of each edit, as it was last asked for
		err := f.doc.WriteEach(sum, len(events), func(i int) (ical.ObjectEdit, error) {
			text, err := edits.New(i)
			events[i] = len(text)
			return ical.ObjectEdit{Old: edits.Old[i], New: text}, err
		}, f.zones)
		sum.events = f.doc.Components()
		for i, old := range edits.Old {
			sum.events += events[i]
			if old != nil {
				sum.events -= old.Parts()
			}
		}
		return cmp.Or(err, sum.flush())
	})
	switch {
	case err != nil && ctx.Err() != nil:
		return ctx.Err()
	case errors.Is(err, ical.ErrNotSame):
		return f.changed()
	case err != nil:
		return f.unwritten(err)
	}
	f.wrote = sum.hash.Sum()
	return nil
}

// Wrote implements calendar.Summed.
func (f *File) Wrote() calendar.Sum { return f.wrote }

// free makes sure that nothing stands under the UIDs of what is created.
func (f *File) free(edits calendar.Edits) error {
	fresh := index.New(len(edits.UIDs))
	taken := func(uid string, hash uint64) bool {
		for i := range fresh.Under(hash) {
			if edits.UIDs[i] == uid {
				return true
			}
		}
		return false
	}
	for i, uid := range edits.UIDs {
		if edits.Old[i] != nil {
			continue
		}
		hash := xxhash.Sum64String(uid)
		if taken(uid, hash) {
			return f.exists(uid)
		}
		fresh.Add(hash, int32(i))
	}
	for i := range f.doc.Objects {
		if uid := f.doc.Objects[i].UID; taken(uid, xxhash.Sum64String(uid)) {
			return f.exists(uid)
		}
	}
	return nil
}

func (f *File) exists(uid string) *fault.Fault {
	return fault.Newf("event %s: %w", fault.Shorten(uid, 80), calendar.ErrExists).At(f.at()).Do("load again; if it is not yours, give the row another key").FromOutside()
}

// confirm reads the new file from the disk's side while it is written: before it takes
// the old one's place it must be what was written, whole, with as many events as
// there should be.
func (f *File) confirm(ctx context.Context, from io.Reader, sum *summed) error {
	got := calendar.NewSumWriter()
	r := ical.NewReader(io.TeeReader(interruptible{ctx, from}, got))
	n := 0
	for {
		p, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if p.Fault != nil {
			return fmt.Errorf("reading back what was written: %w", p.Fault)
		}
		if p.Name == "VEVENT" {
			n++
		}
	}
	if got.Sum() != sum.hash.Sum() {
		return errors.New("what was read back is not what was written")
	}
	if n != sum.events {
		return fmt.Errorf("%d events were found when reading back, and not %d", n, sum.events)
	}
	return nil
}

func (f *File) unwritten(err error) error {
	var known *fault.Fault
	if errors.As(err, &known) {
		return err
	}
	advice := "make room or ask for permission, then load again"
	if errors.Is(err, fs.ErrPermission) {
		advice = "ask for permission to write there, then load again"
	}
	return fault.Newf("could not be written and stands as it was: %w", fault.Bare(err)).At(f.at()).Do("%s", advice).FromOutside()
}

// unchanged makes sure that the file is still the one that was read, and may
// be written. With whole it compares every byte, as far as copying it will not.
func (f *File) unchanged(whole bool) (err error) {
	info, err := os.Stat(f.path)
	switch {
	case errors.Is(err, fs.ErrNotExist) && f.stat == nil:
		return nil
	case errors.Is(err, fs.ErrNotExist):
		return f.changed()
	case err != nil:
		return err
	case f.stat == nil || info.Size() != f.stat.Size() || !info.ModTime().Equal(f.stat.ModTime()) || !whole && !os.SameFile(info, f.stat):
		return f.changed()
	case info.Mode().Perm()&0o200 == 0:
		return fault.Newf("is write-protected; nothing was written").At(f.at()).Do("remove the protection, then load again").FromOutside()
	case whole && (f.open == nil || !os.SameFile(info, f.stat)): // otherwise it is compared while it is copied
		err = f.sameBytes()
		f.stat = info
	}
	return err
}

func (f *File) changed() *fault.Fault {
	return fault.Newf("%w", calendar.ErrChanged).At(f.at()).Do("load again").FromOutside()
}

// sameBytes compares the file with what was read: one put back with the same
// size and time is another all the same.
func (f *File) sameBytes() error {
	file, err := os.Open(f.path)
	if err != nil {
		return err
	}
	defer file.Close()
	same, err := f.doc.Same(file)
	if err == nil && !same {
		return f.changed()
	}
	return err
}

// summed writes in large blocks and keeps a checksum of what it wrote.
type summed struct {
	ctx    context.Context
	w      io.Writer
	hash   *calendar.SumWriter
	buf    []byte
	events int // that there are to be in all
}

func (s *summed) Write(p []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, err
	}
	if len(s.buf)+len(p) > 256<<10 {
		if err := s.flush(); err != nil {
			return 0, err
		}
	}
	if len(p) > 128<<10 {
		s.hash.Write(p)
		return s.w.Write(p)
	}
	s.buf = append(s.buf, p...)
	return len(p), nil
}

func (s *summed) flush() error {
	s.hash.Write(s.buf)
	_, err := s.w.Write(s.buf)
	s.buf = s.buf[:0]
	return err
}
