package calendar

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"hash"
	"hash/maphash"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gofrs/flock"
	"github.com/google/uuid"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
	"almanach/internal/core/zone"
)

// File is a calendar that is one iCalendar file. It is replaced as a whole:
// written beside the target, synced, and renamed over it, under a lock that
// every Almanach honours.
type File struct {
	name, path string
	shown      string // the path as messages call it
	data       []byte
	events     []stored // in the order of the file
	index      map[identity.ID]int32
	twins      map[identity.ID]int
	overrides  map[uint64]int32 // by hash of UID
	own        map[uint64]int32 // how many of them are ours
	zones      map[string]*zone.Zone
	broken     map[string]error // TZIDs whose VTIMEZONE cannot be read
	book       *zone.Book
	resolving  *sync.Mutex
	resolved   map[string]*zone.Zone // what Resolve has found before
	faults     []*fault.Fault
	damaged    bool
	end        int         // offset of the END:VCALENDAR new events go before; -1 without
	first      int         // offset of the first component of that VCALENDAR
	stat       os.FileInfo // nil when the file does not exist
	lock       *flock.Flock
	seed       maphash.Seed
}

// stored is where a VEVENT stands in the file's data. Files have a great many,
// so it is small.
type stored struct {
	from, to  int      // offsets into data
	uid, mark [2]int32 // the values of UID and of our mark, as offsets from from; 0, 0 for none
	line      int32
	override  bool
}

func (f *File) raw(n int32) []byte { return f.data[f.events[n].from:f.events[n].to:f.events[n].to] }

func (f *File) uid(n int32) []byte { return f.part(n, f.events[n].uid) }

// identity gives what marks an event as ours: the mark, or else the UID of an
// event that lost it. Other UIDs are no identities.
func (f *File) identity(n int32) (identity.ID, bool) {
	mark := f.part(n, f.events[n].mark)
	if mark == nil {
		mark = f.uid(n)
	}
	id, err := uuid.ParseBytes(mark)
	return id, err == nil && (f.events[n].mark[1] > 0 || id.Version() == 5)
}

func (f *File) part(n int32, span [2]int32) []byte {
	if span[1] == 0 {
		return nil
	}
	value := f.data[f.events[n].from+int(span[0]) : f.events[n].from+int(span[1])]
	if bytes.IndexByte(value, '\n') >= 0 { // folded
		return bytes.TrimSpace(ical.Unfold(value))
	}
	return value
}

// lockWait is how long opening waits for another run to finish.
const lockWait = 5 * time.Second

// OpenFile reads the calendar file at path. For a load it takes the lock
// beside it first. A file that does not exist is an empty calendar when
// create is set.
func OpenFile(ctx context.Context, name, path, shown string, book *zone.Book, load, create bool) (*File, error) {
	f := newFile(name, path, shown, book)
	if load {
		if err := f.takeLock(ctx); err != nil {
			return nil, err
		}
	}
	if err := f.read(create); err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

func newFile(name, path, shown string, book *zone.Book) *File {
	return &File{name: name, path: path, shown: shown, book: book, index: map[identity.ID]int32{}, twins: map[identity.ID]int{}, overrides: map[uint64]int32{}, own: map[uint64]int32{}, zones: map[string]*zone.Zone{}, broken: map[string]error{}, resolving: &sync.Mutex{}, resolved: map[string]*zone.Zone{}, end: -1, first: -1, seed: maphash.MakeSeed()}
}

func (f *File) at() fault.Place { return fault.Place{File: f.shown} }

func (f *File) takeLock(ctx context.Context) error {
	dir := filepath.Dir(f.path)
	if _, err := os.Stat(dir); errors.Is(err, os.ErrNotExist) {
		return fault.Newf("the folder %s does not exist", dir).At(f.at()).Do("make it, or correct the path")
	}
	f.lock = flock.New(filepath.Join(dir, "."+filepath.Base(f.path)+".lock"))
	ctx, cancel := context.WithTimeout(ctx, lockWait)
	defer cancel()
	ok, err := f.lock.TryLockContext(ctx, 50*time.Millisecond)
	switch {
	case errors.Is(err, os.ErrPermission):
		return fault.Newf("its folder may not be written to").At(f.at()).Do("ask for permission, or choose another place").FromOutside()
	case err != nil && !errors.Is(err, context.DeadlineExceeded):
		return fault.Newf("the lock beside it cannot be taken: %w", fault.Bare(err)).At(f.at()).FromOutside()
	case !ok:
		return fault.Newf("another run is writing it").At(f.at()).Do("wait for it to finish, then load again").FromOutside()
	}
	// What a run that was killed left beside the file is nobody's any more.
	if stale, err := filepath.Glob(filepath.Join(dir, "."+filepath.Base(f.path)+".*.new")); err == nil {
		for _, path := range stale {
			_ = os.Remove(path)
		}
	}
	return nil
}

func (f *File) read(create bool) error {
	info, err := os.Stat(f.path)
	if errors.Is(err, os.ErrNotExist) {
		if !create {
			return fault.Newf("there is no such calendar file").At(f.at()).Do("check the path, or load something into it first")
		}
		return nil
	}
	if err != nil {
		return fault.Newf("cannot be read: %w", fault.Bare(err)).At(f.at()).FromOutside()
	}
	if info.IsDir() {
		return fault.Newf("is a folder, not a calendar file").At(f.at())
	}
	f.stat = info
	if f.data, err = os.ReadFile(f.path); err != nil {
		return fault.Newf("cannot be read: %w", fault.Bare(err)).At(f.at()).FromOutside()
	}
	return f.parse()
}

// parse cuts the file into pieces and indexes those that are ours.
func (f *File) parse() error {
	r := ical.NewBytesReader(f.data)
	r.Mark = event.PropID
	f.events = make([]stored, 0, len(f.data)/450)
	masters := make(map[uint64]int32, len(f.data)/500)
	calendars := 0
	for {
		p, err := r.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return fault.Newf("cannot be read: %w", fault.Bare(err)).At(f.at()).FromOutside()
		}
		f.take(p, masters)
		if p.Calendar > calendars {
			calendars = p.Calendar
			f.first = -1
		}
		if p.Name != "" && f.first < 0 {
			f.first = p.Offset
		}
		if p.Close {
			f.end = p.Offset
			if f.first < 0 {
				f.first = p.Offset
			}
		}
	}
	if len(f.data) > 0 && calendars == 0 && !f.damaged {
		f.damage(fault.Newf("is not an iCalendar file: it has no VCALENDAR"))
	}
	return nil
}

func (f *File) damage(p *fault.Fault) {
	p.Place.File = f.shown
	f.faults = append(f.faults, p)
	f.damaged = true
}

// take files one piece.
func (f *File) take(p ical.Piece, masters map[uint64]int32) {
	if p.Fault != nil {
		f.damage(p.Fault)
		return
	}
	switch p.Name {
	case "VTIMEZONE":
		z, err := ical.ReadZone(p.Raw)
		if err != nil {
			f.faults = append(f.faults, fault.Newf("%w", err).At(fault.Place{File: f.shown, Line: p.Line}))
			if l, ok := ical.Open(p.Raw).Find("TZID"); ok {
				f.broken[l.Text()] = err
			}
			return
		}
		f.zones[z.Name()] = z
	case "VEVENT":
		n := int32(len(f.events))
		f.events = append(f.events, stored{from: p.Offset, to: p.Offset + len(p.Raw), uid: p.UIDSpan, mark: p.MarkSpan, line: int32(p.Line), override: p.Override})
		if p.UID == nil {
			f.faults = append(f.faults, fault.Newf("the event has no UID").At(fault.Place{File: f.shown, Line: p.Line}))
		}
		if p.NotUTF8() {
			f.faults = append(f.faults, fault.Newf("event %s holds bytes that are not UTF-8; they are kept as they are", fault.Shorten(string(p.UID), 80)).At(fault.Place{File: f.shown, Line: p.Line}))
		}
		if p.Override {
			if id, ours := f.identity(n); ours && p.Mark != nil {
				f.indexOurs(id, n)
				f.own[maphash.Bytes(f.seed, p.UID)]++
			}
			f.overrides[maphash.Bytes(f.seed, p.UID)]++
			return
		}
		if p.Mark != nil && bytes.Equal(p.Mark, p.UID) { // made by us: its mark is all that is looked for
			if id, ours := f.identity(n); ours {
				if first, known := f.index[id]; known {
					f.second(first, n)
				}
				f.indexOurs(id, n)
				return
			}
		}
		f.indexMaster(p.UID, n, masters)
	}
}

func (f *File) indexMaster(uid []byte, n int32, masters map[uint64]int32) {
	if uid != nil {
		h := maphash.Bytes(f.seed, uid)
		if first, ok := masters[h]; ok && bytes.Equal(f.uid(first), uid) {
			f.second(first, n)
		} else {
			masters[h] = n
		}
	}
	id, ours := f.identity(n)
	if !ours {
		return
	}
	f.indexOurs(id, n)
}

// second reports an event with the UID of another.
func (f *File) second(first, n int32) {
	f.faults = append(f.faults, fault.Newf("a second event with UID %s and no RECURRENCE-ID; the first begins in line %d", fault.Shorten(string(f.uid(n)), 80), f.events[first].line).At(fault.Place{File: f.shown, Line: int(f.events[n].line)}))
}

func (f *File) indexOurs(id identity.ID, n int32) {
	if _, ok := f.index[id]; ok {
		f.twins[id]++
		return
	}
	f.index[id] = n
}

// Name is how the clerk calls the calendar.
func (f *File) Name() string { return f.name }

// Faults are what was found damaged or odd.
func (f *File) Faults() []*fault.Fault { return f.faults }

// Damaged tells whether the file's structure is broken, so that it must not
// be rewritten.
func (f *File) Damaged() bool { return f.damaged }

func (f *File) object(n int32, id identity.ID) *Object {
	o := &Object{Raw: f.raw(n), Offset: f.events[n].from, Line: int(f.events[n].line), Override: f.events[n].override, Twins: f.twins[id]}
	if len(f.overrides) > 0 {
		h := maphash.Bytes(f.seed, f.uid(n))
		o.Overrides = int(f.overrides[h] - f.own[h])
	}
	return o
}

// Changed gives the components that change single occurrences of an event, one
// behind the other.
func (f *File) Changed(id identity.ID) (raw []byte) {
	n, ok := f.index[id]
	if !ok || len(f.overrides) == 0 {
		return nil
	}
	uid := f.uid(n)
	for i := range f.events {
		if f.events[i].override && bytes.Equal(f.uid(int32(i)), uid) {
			raw = append(raw, f.raw(int32(i))...)
		}
	}
	return raw
}

// Mentions tells whether the calendar file at path says anything of an intake,
// without reading it through.
func Mentions(path, intake string) bool {
	data, err := os.ReadFile(path)
	if err != nil {
		return false
	}
	line := event.PropIntake + ":" + ical.Escape(intake)
	return bytes.Contains(data, []byte(line[:min(len(line), 60)]))
}

// Again reads the file once more, after it was written, under the same lock.
func (f *File) Again() error {
	fresh := newFile(f.name, f.path, f.shown, f.book)
	fresh.lock = f.lock
	if err := fresh.read(true); err != nil {
		return err
	}
	*f = *fresh
	return nil
}

// Find gives the event of an identity, nil when there is none.
func (f *File) Find(id identity.ID) *Object {
	n, ok := f.index[id]
	if !ok {
		return nil
	}
	return f.object(n, id)
}

// Len is how many events bear one of our identities.
func (f *File) Len() int { return len(f.index) }

// Ours calls yield with every event that bears one of our identities, in the
// order of the file.
func (f *File) Ours(yield func(identity.ID, *Object) bool) {
	order := make([]identity.ID, 0, len(f.index))
	for id := range f.index {
		order = append(order, id)
	}
	slices.SortFunc(order, func(a, b identity.ID) int { return int(f.index[a] - f.index[b]) })
	for _, id := range order {
		if !yield(id, f.object(f.index[id], id)) {
			return
		}
	}
}

// Shown is the calendar's path as messages call it.
func (f *File) Shown() string { return f.shown }

// Objects calls yield with every event: the components of each UID together, in
// the order in which the UIDs first appear.
func (f *File) Objects(yield func(o Components) bool) {
	together := map[string][]int32{} // events of the UIDs that have changed occurrences
	for n := range f.events {
		if uid := f.uid(int32(n)); len(f.overrides) > 0 && f.overrides[maphash.Bytes(f.seed, uid)] > 0 {
			together[string(uid)] = append(together[string(uid)], int32(n))
		}
	}
	for n := range f.events {
		o := Components{Line: int(f.events[n].line), Raws: [][]byte{f.raw(int32(n))}}
		if group := together[string(f.uid(int32(n)))]; len(group) > 0 {
			if group[0] != int32(n) {
				continue
			}
			for _, m := range group[1:] {
				o.Raws = append(o.Raws, f.raw(m))
			}
		}
		if !yield(o) {
			return
		}
	}
}

// Resolve gives the zone that a TZID means here: the file's own VTIMEZONE first, where its name
// is not that of a known zone with the same clock, then the zone data, by IANA
// or Windows name.
func (f *File) Resolve(tzid string) (*zone.Zone, error) {
	f.resolving.Lock()
	defer f.resolving.Unlock()
	if z, ok := f.resolved[tzid]; ok {
		return z, nil
	}
	z, err := f.resolve(tzid)
	if err == nil {
		f.resolved[tzid] = z
	}
	return z, err
}

func (f *File) resolve(tzid string) (*zone.Zone, error) {
	own := f.zones[tzid]
	known, err := f.book.Find(tzid)
	for rest := tzid; err != nil && strings.HasPrefix(tzid, "/"); { // a globally unique name often ends in a usual one (§3.2.19)
		var more bool
		if _, rest, more = strings.Cut(rest, "/"); !more {
			break
		}
		known, err = f.book.Find(rest)
	}
	switch {
	case own == nil && err != nil:
		if cause := f.broken[tzid]; cause != nil {
			return nil, cause
		}
		return nil, fmt.Errorf("TZID %s is neither defined in the file nor a known time zone", tzid)
	case own == nil, err == nil && agrees(own, known):
		return known, nil
	}
	return own, nil
}

// agrees tells whether a VTIMEZONE has the clock of the zone it is named
// after, in the years that calendars are about.
func agrees(own, known *zone.Zone) bool {
	for at := zone.Wall(2015, 1, 15, 12, 0, 0); at < zone.Wall(2036, 1, 1, 0, 0, 0); at += 7 * 86400 {
		if own.Wall(at) != known.Wall(at) {
			return false
		}
	}
	return true
}

const prologue = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Almanach//EN\r\n"

// Apply writes all changes or none, with the zones that the new texts name,
// reads back what it wrote, and gives the number of changes it found there. It
// refuses to write over anything newer than what was read.
func (f *File) Apply(ctx context.Context, changes []Change, uses []ZoneUse) (int, error) {
	if len(changes) == 0 {
		return 0, nil
	}
	if f.damaged {
		return 0, fault.Newf("is damaged and was not touched: %w", f.faults[0].Cause).At(f.faults[0].Place).Do("mend or replace the file, then load again").FromOutside()
	}
	if err := f.unchanged(); err != nil {
		return 0, err
	}
	temp, err := os.CreateTemp(filepath.Dir(f.path), "."+filepath.Base(f.path)+".*.new")
	if err != nil {
		return 0, f.writeFault(err)
	}
	defer os.Remove(temp.Name()) // gone already once renamed
	sum := &summed{w: temp, hash: newHash()}
	err = f.write(ctx, sum, changes, f.missingZones(uses))
	if err == nil {
		err = temp.Sync()
	}
	found := 0
	if err == nil {
		found, err = readBack(temp, sum.hash, changes)
	}
	if err == nil {
		err = temp.Chmod(f.mode())
	}
	if e := temp.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = f.unchanged()
	}
	if err == nil {
		err = os.Rename(temp.Name(), f.target())
	}
	if err != nil {
		return 0, f.writeFault(err)
	}
	syncFolder(filepath.Dir(f.target()))
	return found, nil
}

// target is the file itself where path is a link to it.
func (f *File) target() string {
	if real, err := filepath.EvalSymlinks(f.path); err == nil {
		return real
	}
	return f.path
}

func (f *File) mode() os.FileMode {
	if f.stat != nil {
		return f.stat.Mode().Perm()
	}
	return 0o644
}

func (f *File) writeFault(err error) error {
	var known *fault.Fault
	if errors.As(err, &known) {
		return err
	}
	advice := "make room or ask for permission, then load again"
	if errors.Is(err, os.ErrPermission) {
		advice = "ask for permission to write there, then load again"
	}
	return fault.Newf("could not be written and stands as it was: %w", fault.Bare(err)).At(f.at()).Do("%s", advice).FromOutside()
}

// unchanged makes sure that the file is still the one that was read, and may
// be written.
func (f *File) unchanged() error {
	info, err := os.Stat(f.path)
	switch {
	case errors.Is(err, os.ErrNotExist) && f.stat == nil:
		return nil
	case err != nil:
		return err
	case f.stat == nil || info.Size() != f.stat.Size() || !info.ModTime().Equal(f.stat.ModTime()):
		return fault.Newf("was changed by someone else while it was being compared; nothing was written").At(f.at()).Do("load again").FromOutside()
	case info.Mode().Perm()&0o200 == 0:
		return fault.Newf("is write-protected; nothing was written").At(f.at()).Do("remove the protection, then load again").FromOutside()
	}
	return nil
}

func syncFolder(dir string) {
	if d, err := os.Open(dir); err == nil {
		_ = d.Sync() // not every system can; the file itself is synced
		d.Close()
	}
}

// summed writes in large blocks and keeps a checksum of what it wrote.
type summed struct {
	w    io.Writer
	hash hash.Hash64
	buf  []byte
}

func newHash() hash.Hash64 {
	h := &maphash.Hash{}
	h.SetSeed(readBackSeed)
	return h
}

var readBackSeed = maphash.MakeSeed()

func (s *summed) Write(p []byte) (int, error) {
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

// write writes the whole file: what stood in it byte for byte, but for the
// events that change.
func (f *File) write(ctx context.Context, w *summed, changes []Change, zones []byte) error {
	replace := map[int][]byte{} // by where the old text begins
	removed := map[string]bool{}
	for _, c := range changes {
		if c.Old != nil {
			replace[c.Old.Offset] = c.New
			if c.New == nil && !c.Old.Override {
				removed[string(f.uid(f.index[c.ID]))] = true
			}
		}
	}
	if f.end < 0 {
		if _, err := w.Write([]byte(prologue)); err != nil {
			return err
		}
	}
	from := 0
	copyTo := func(to int) error {
		if to <= from {
			return nil
		}
		_, err := w.Write(f.data[from:to])
		from = to
		return err
	}
	insertZones := func() error {
		if err := copyTo(max(f.first, 0)); err != nil {
			return err
		}
		_, err := w.Write(zones)
		zones = nil
		return err
	}
	if len(zones) > 0 && f.end < 0 {
		if err := insertZones(); err != nil {
			return err
		}
	}
	if len(replace) > 0 {
		for n, p := range f.events {
			if len(zones) > 0 && p.from >= f.first {
				if err := insertZones(); err != nil {
					return err
				}
			}
			text, ok := replace[p.from]
			if !ok && !(p.override && removed[string(f.uid(int32(n)))]) { // an event goes with its changed occurrences
				continue
			}
			if err := copyTo(p.from); err != nil {
				return err
			}
			if _, err := w.Write(text); err != nil {
				return err
			}
			from = p.to
		}
	}
	if len(zones) > 0 {
		if err := insertZones(); err != nil {
			return err
		}
	}
	if f.end >= 0 {
		if err := copyTo(f.end); err != nil {
			return err
		}
	}
	for _, c := range changes {
		if c.Old != nil {
			continue
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		if _, err := w.Write(c.New); err != nil {
			return err
		}
	}
	var err error
	if f.end >= 0 {
		err = copyTo(len(f.data))
	} else {
		_, err = w.Write([]byte("END:VCALENDAR\r\n"))
	}
	if err != nil {
		return err
	}
	return w.flush()
}

// missingZones gives the VTIMEZONEs that are used and the file lacks, each
// valid from the earliest year it is used in.
func (f *File) missingZones(uses []ZoneUse) (out []byte) {
	for _, use := range uses {
		if f.zones[use.Zone.Name()] == nil {
			out = ical.AppendZone(out, use.Zone, min(use.Year, zonesFrom))
		}
	}
	return out
}

// zonesFrom is the latest year from which a VTIMEZONE we write is valid; an
// event of an earlier year makes it begin there.
const zonesFrom = 2000

// readBack reads the new file from the disk's side and counts the changes in
// it.
func readBack(file *os.File, want hash.Hash64, changes []Change) (int, error) {
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return 0, err
	}
	got := newHash()
	r := ical.NewReader(io.TeeReader(file, got))
	r.Mark = event.PropID
	counts := make(map[identity.ID]int8, len(changes))
	for _, c := range changes {
		counts[c.ID] = 0
	}
	for {
		p, err := r.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return 0, err
		}
		if p.Fault != nil {
			return 0, fmt.Errorf("reading back what was written: %w", p.Fault)
		}
		if p.Name != "VEVENT" || p.Override && p.Mark == nil {
			continue
		}
		mark := p.Mark
		if mark == nil {
			mark = p.UID
		}
		if id, err := uuid.ParseBytes(mark); err == nil {
			if n, ok := counts[id]; ok {
				counts[id] = n + 1
			}
		}
	}
	if got.Sum64() != want.Sum64() {
		return 0, errors.New("what was read back is not what was written")
	}
	found := 0
	for _, c := range changes {
		if (c.New == nil) == (counts[c.ID] == 0) {
			found++
		}
	}
	if found != len(changes) {
		return 0, fmt.Errorf("of %d changes %d were found when reading back", len(changes), found)
	}
	return found, nil
}

// Close gives back the lock.
func (f *File) Close() error {
	if f.lock == nil {
		return nil
	}
	return f.lock.Unlock()
}
