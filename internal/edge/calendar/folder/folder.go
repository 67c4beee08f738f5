// Package folder is a calendar that is a folder with one .ics file for each
// event, as many programs keep theirs.
package folder

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"iter"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/replace"
)

// Folder is an open calendar folder.
type Folder struct {
	dir, shown string
	book       *zone.Book
	zones      *ical.TimeZones
	byObject   map[*ical.Object]*entry
}

// entry is one file of the folder.
type entry struct {
	path string
	doc  *ical.Document
}

// Open opens the folder that a spec names. One that does not exist is an empty
// calendar where create is set.
func Open(spec calendar.Spec, book *zone.Book, create bool) (*Folder, error) {
	f := &Folder{dir: spec.Folder, shown: spec.Folder, book: book, zones: ical.NewTimeZones(book)}
	info, err := os.Stat(f.dir)
	switch {
	case errors.Is(err, fs.ErrNotExist) && create:
	case errors.Is(err, fs.ErrNotExist):
		return nil, fault.Newf("there is no such calendar folder").At(f.at("")).Do("check the path, or load something into it first")
	case err != nil:
		return nil, f.unread("", err)
	case !info.IsDir():
		return nil, fault.Newf("is a file, not a calendar folder").At(f.at("")).Do("give the calendar of the desk file: instead of folder:")
	}
	return f, nil
}

func (f *Folder) at(file string) fault.Place {
	return fault.Place{File: filepath.ToSlash(filepath.Join(f.shown, file))}
}

func (f *Folder) unread(file string, err error) *fault.Fault {
	return fault.Newf("cannot be read: %w", fault.Bare(err)).At(f.at(file)).FromOutside()
}

// Entries implements calendar.Backend. A file that is damaged is said and left
// alone; the others are not harmed by it.
func (f *Folder) Entries(ctx context.Context) iter.Seq2[*ical.Object, error] {
	return func(yield func(*ical.Object, error) bool) {
		f.zones, f.byObject = ical.NewTimeZones(f.book), map[*ical.Object]*entry{}
		names, err := f.files()
		if err != nil {
			yield(nil, err)
			return
		}
		for _, name := range names {
			if ctx.Err() != nil {
				yield(nil, ctx.Err())
				return
			}
			if !f.file(ctx, name, yield) {
				return
			}
		}
	}
}

// files lists the folder's calendar files by name.
func (f *Folder) files() ([]string, error) {
	list, err := os.ReadDir(f.dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, f.unread("", err)
	}
	var out []string
	for _, e := range list {
		if name := e.Name(); !strings.HasPrefix(name, ".") && strings.EqualFold(filepath.Ext(name), ".ics") {
			out = append(out, name)
		}
	}
	return out, nil
}

// maxSize is the largest file of one event, in octets.
const maxSize = 64 << 20

// file gives the objects of one file.
func (f *Folder) file(ctx context.Context, name string, yield func(*ical.Object, error) bool) bool {
	path := filepath.Join(f.dir, name)
	if info, err := os.Stat(path); err == nil && info.Size() > maxSize {
		return yield(nil, fault.Newf("has %d MiB; the limit for one event is %d", info.Size()>>20, maxSize>>20).At(f.at(name)).FromOutside())
	}
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) { // removed while the folder was read
		return true
	}
	if err != nil {
		return yield(nil, f.unread(name, err))
	}
	doc, err := ical.ParseDocument(ctx, data)
	if err != nil {
		return yield(nil, err)
	}
	faults := doc.Faults
	for _, raw := range doc.TimeZones {
		if err := f.zones.Define(raw); err != nil {
			faults = append(faults, fault.Newf("%w", err))
		}
	}
	for _, problem := range faults {
		problem.Place.File = f.at(name).File
		if !yield(nil, problem) {
			return false
		}
	}
	if doc.Damaged {
		return true
	}
	e := &entry{path, doc}
	for i := range doc.Objects {
		o := &doc.Objects[i]
		o.File = name
		f.byObject[o] = e
		if !yield(o, nil) {
			return false
		}
	}
	return true
}

// Zones implements calendar.Backend.
func (f *Folder) Zones() ical.Zones {
	return func(tzid string) (*zone.Zone, error) { return f.zones.Find(tzid) }
}

// Close implements calendar.Backend.
func (f *Folder) Close() error { return nil }

// Apply implements calendar.Backend. It does one edit after the other, and says
// of each what became of it.
func (f *Folder) Apply(ctx context.Context, edits []calendar.Edit) ([]calendar.Result, error) {
	results := make([]calendar.Result, len(edits))
	stop := func(from int, err error) ([]calendar.Result, error) {
		for i := from; i < len(results); i++ {
			results[i].Err = err
		}
		return results, err
	}
	if len(edits) == 0 {
		return results, nil
	}
	if err := os.MkdirAll(f.dir, 0o755); err != nil {
		return stop(0, f.unwritten("", err))
	}
	lock, err := calendar.Lock(ctx, filepath.Join(f.dir, ".almanach.lock"), f.at(""))
	if err != nil {
		return stop(0, err)
	}
	defer lock.Unlock()
	for i, e := range edits {
		if err := ctx.Err(); err != nil {
			return stop(i, err)
		}
		results[i] = f.one(e)
	}
	return results, nil
}

// step is one edit, worked out.
type step struct {
	path  string
	want  []byte         // what the file is to hold; nothing where it is to go
	entry *entry         // of a file that stands
	fresh *ical.Document // of what it is to hold
}

// one does one edit.
func (f *Folder) one(e calendar.Edit) calendar.Result {
	s, err := f.step(e)
	if err != nil {
		return calendar.Result{Err: err}
	}
	name := filepath.Base(s.path)
	o := replace.Options{Check: same(s.want)}
	switch {
	case e.Old == nil:
		if err = replace.Create(s.path, o, writes(s.want)); errors.Is(err, fs.ErrExist) {
			err = fault.Newf("%w", calendar.ErrExists).At(f.at(name)).Do("load again; if it is not yours, give the row another key").FromOutside()
		}
	case len(s.want) == 0:
		err = os.Remove(s.path)
	default:
		err = replace.File(s.path, o, writes(s.want))
	}
	if err != nil {
		return calendar.Result{Err: f.unwritten(name, err)}
	}
	if s.fresh != nil {
		f.follow(s.entry, s.fresh)
	}
	if len(e.New) == 0 {
		return calendar.Result{}
	}
	held := ical.NewObject(e.UID(), e.New...)
	held.File = name
	return calendar.Result{Held: held}
}

// step works out an edit. A file that is not the one read any more is an
// error.
func (f *Folder) step(e calendar.Edit) (step, error) {
	var b bytes.Buffer
	if e.Old == nil {
		err := (&ical.Document{}).Write(&b, []ical.ObjectEdit{ical.ObjectEdit(e)}, f.zones)
		return step{path: filepath.Join(f.dir, fileName(e.UID())), want: b.Bytes()}, err
	}
	entry := f.byObject[e.Old]
	if entry == nil {
		return step{}, f.changed(e.Old.File)
	}
	now, err := os.ReadFile(entry.path)
	if errors.Is(err, fs.ErrNotExist) || err == nil && !bytes.Equal(now, entry.doc.Data) {
		return step{}, f.changed(e.Old.File)
	}
	if err != nil {
		return step{}, f.unread(e.Old.File, err)
	}
	if len(e.New) == 0 && len(entry.doc.Objects) == 1 {
		return step{path: entry.path}, nil
	}
	if err = entry.doc.Write(&b, []ical.ObjectEdit{ical.ObjectEdit(e)}, f.zones); err != nil {
		return step{}, err
	}
	fresh, err := ical.ParseDocument(context.Background(), b.Bytes())
	if err != nil || fresh.Damaged {
		return step{}, fault.Newf("would be damaged by the change").At(f.at(e.Old.File))
	}
	return step{entry.path, b.Bytes(), entry, fresh}, nil
}

// follow makes the objects of a file's earlier reading stand for those of what
// was written since, by their UIDs, for the next edit of the same file.
func (f *Folder) follow(e *entry, fresh *ical.Document) {
	for i := range e.doc.Objects {
		old := &e.doc.Objects[i]
		if n := slices.IndexFunc(fresh.Objects, func(o ical.Object) bool { return o.UID == old.UID }); n >= 0 {
			*old = fresh.Objects[n]
			old.File = filepath.Base(e.path)
		}
	}
	fresh.Objects = e.doc.Objects
	*e.doc = *fresh
}

func (f *Folder) changed(name string) *fault.Fault {
	return fault.Newf("%w", calendar.ErrChanged).At(f.at(name)).Do("load again").FromOutside()
}

func (f *Folder) unwritten(name string, err error) error {
	var known *fault.Fault
	if errors.As(err, &known) {
		return err
	}
	return fault.Newf("could not be written and stands as it was: %w", fault.Bare(err)).At(f.at(name)).Do("make room or ask for permission, then load again").FromOutside()
}

// writes writes a text.
func writes(text []byte) func(io.Writer) error {
	return func(w io.Writer) error {
		_, err := w.Write(text)
		return err
	}
}

// same makes sure that a file holds a text.
func same(text []byte) func(io.Reader) error {
	return func(r io.Reader) error {
		got, err := io.ReadAll(r)
		if err == nil && !bytes.Equal(got, text) {
			err = errors.New("what was read back is not what was written")
		}
		return err
	}
}

// fileName gives the name of an event's file: its UID, where that can be a
// file's name on every system, else a fingerprint of it.
func fileName(uid string) string {
	plain := uid != "" && len(uid) < 100 && !strings.HasPrefix(uid, ".") && strings.Trim(strings.ToLower(uid), "abcdefghijklmnopqrstuvwxyz0123456789-_@.") == ""
	if plain {
		return uid + ".ics"
	}
	sum := sha256.Sum256([]byte(uid))
	return hex.EncodeToString(sum[:16]) + ".ics"
}
