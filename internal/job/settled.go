package job

import (
	"bytes"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/cespare/xxhash/v2"

	"almanach/internal/core/agree"
	"almanach/internal/core/intake"
	"almanach/internal/core/match"
	"almanach/internal/core/plan"
	"almanach/internal/core/table"
	"almanach/internal/edge/desk"
	"almanach/internal/edge/source"
)

// settled is what a load came to that found nothing to write. A load that is
// asked for the same, of files that have the same bytes, comes to the same: it
// says so without reading a row.
type settled struct {
	Digest digest
	Size   int64 // of all files, so that a change of it is seen without reading them

	Intake, Identity  string
	Totals            plan.Totals
	Items             []settledItem
	Origins           []table.Origin // that items are of
	NoGone            string
	Assumed           map[string][]int
	Notes, Texts      []string
	Names             []string
	Own               string
	Source            table.Origin
	Sources           Sources
	Calendars         []string
	Matched           []match.Choice
	Unused, Evidence  []string
	Zone              string
	ZoneFrom, ZoneWhy string
	Remarks           []string
}

// settledItem is a plan.Item that writes nothing, and has no event.
type settledItem struct {
	Outcome            agree.Outcome
	Origin             int // of settled.Origins; -1 for none
	Number, Line, Page int32
	Key, UID, Calendar string
	Title, Reason      string
	Fields             []plan.Difference
	Notes              intake.Notes
}

// digest is a fingerprint of everything that the outcome of a load depends on.
// No one gains by two that are alike, so it guards against accidents only.
type digest [2]uint64

// dependence is a file that the outcome of a load depends on.
type dependence struct {
	path string
	info fs.FileInfo // nil where there is none
}

// like tells whether a file is as it was.
func (d dependence) like(other dependence) bool {
	if d.info == nil || other.info == nil {
		return d.path == other.path && d.info == nil && other.info == nil
	}
	return d.path == other.path && os.SameFile(d.info, other.info) && d.info.Size() == other.info.Size() && d.info.ModTime().Equal(other.info.ModTime())
}

// grain is how coarse the times of files are at most: a change within so much
// of another need not show.
const grain = 2 * time.Second

// dependences lists the files that the outcome of a load depends on, as they
// stand. There are none where it may depend on anything else: a server, a page
// of the web, what someone types, rows that were chosen for this once.
func (l *load) dependences() (out []dependence) {
	req, d, from := l.req, l.office.Desk, l.in.From
	if l.record == nil || !req.Write || !req.Brief || req.Held || req.Asked == "" || l.office.Open != nil || req.Source != nil || !req.OfDesk && !req.Match {
		return nil
	}
	var paths []string
	var err error
	switch {
	case req.File == "-" || from.IMAP.Server != "" || from.Folder != "" || from.URL != "":
		return nil
	case req.File != "":
		paths = []string{req.File}
	case from.Newest != "":
		paths = make([]string, 1)
		paths[0], err = source.Newest(d.Path(from.Newest))
	case from.Files != "":
		paths, err = source.Files(d.Path(from.Files))
	case from.File != "-" && from.File != "":
		paths = []string{d.Path(from.File)}
	}
	if err != nil || len(paths) == 0 {
		return nil
	}
	names := slices.Clone(d.Calendars())
	if name := l.in.FirstPlace(); name != "" {
		names = append(names, name)
	}
	for _, name := range names {
		spec, f := l.spec(intake.Destination{Name: name})
		if f != nil || spec.Server.URL != "" {
			return nil
		}
		paths = append(paths, spec.Path())
	}
	paths = append(paths, filepath.Join(d.Dir, desk.FileName), d.Path("intakes"))
	for _, path := range paths {
		if out, err = depend(out, path); err != nil {
			return nil
		}
	}
	return out
}

// depend adds a file, or the files of a folder.
func depend(to []dependence, path string) ([]dependence, error) {
	info, err := os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) {
		return append(to, dependence{path: path}), nil
	}
	if err != nil {
		return nil, err
	}
	if info.Mode().IsRegular() {
		return append(to, dependence{path, info}), nil
	}
	entries, err := os.ReadDir(path)
	for n := 0; err == nil && n < len(entries); n++ {
		if info, err = os.Stat(filepath.Join(path, entries[n].Name())); err == nil && info.Mode().IsRegular() {
			to = append(to, dependence{filepath.Join(path, entries[n].Name()), info})
		}
	}
	return to, err
}

// sizeOf gives the size of files together.
func sizeOf(files []dependence) (n int64) {
	for _, f := range files {
		if f.info != nil {
			n += f.info.Size()
		}
	}
	return n
}

// digestOf gives the digest of a load that depends on some files: of what it was
// asked for, the day, the program, what is remembered, and every byte.
func (l *load) digestOf(files []dependence) (digest, error) {
	sums := [2]*xxhash.Digest{xxhash.New(), xxhash.NewWithSeed(1)}
	w := io.MultiWriter(sums[0], sums[1])
	z, why, f := l.office.DefaultZone()
	if f != nil {
		return digest{}, f
	}
	here, err := os.Getwd()
	if err != nil {
		return digest{}, err
	}
	fmt.Fprintf(w, "%q %q %q %q %q %q\n", here, l.req.Asked, z.Name(), why, l.office.Zones.Release(), l.office.Now.Format("2006-01-02 -0700 MST"))
	program, err := os.Executable()
	if err != nil {
		return digest{}, err
	}
	info, err := os.Stat(program)
	if err != nil {
		return digest{}, err
	}
	fmt.Fprintf(w, "%q %d %d %d\n", program, info.Size(), info.ModTime().UnixNano(), l.memory)
	buf := make([]byte, 1<<20)
	for _, d := range files {
		if d.info == nil {
			fmt.Fprintf(w, "%q none\n", d.path)
			continue
		}
		fmt.Fprintf(w, "%q %d\n", d.path, d.info.Size())
		if err := copyFile(w, d.path, buf); err != nil {
			return digest{}, err
		}
	}
	return digest{sums[0].Sum64(), sums[1].Sum64()}, nil
}

func copyFile(to io.Writer, path string, buf []byte) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = io.CopyBuffer(to, struct{ io.Reader }{f}, buf)
	return err
}

// recall looks whether a load is settled, and if so makes its report. Whatever
// stands in the way of knowing it is no problem: the load does its work.
func (l *load) recall() bool {
	l.began = time.Now()
	if l.files = l.dependences(); l.files == nil {
		return false
	}
	var err error
	if l.memory, err = l.record.book.MemoryPrint(l.in.Identity); err != nil {
		l.files = nil
		return false
	}
	kept, err := l.record.book.Settled(l.in.Identity)
	if err != nil || len(kept) == 0 {
		return false
	}
	var s settled
	if gob.NewDecoder(bytes.NewReader(kept)).Decode(&s) != nil || s.Size != sizeOf(l.files) {
		return false
	}
	if unended, err := l.record.book.Unended(l.in.Identity); err != nil || len(unended) > 0 {
		return false
	}
	if d, err := l.digestOf(l.files); err != nil || d != s.Digest {
		return false
	}
	l.report = s.report()
	return true
}

// settle keeps what a load came to that wrote nothing, for the next one. It
// only saves time, so what stands in its way is no problem.
func (l *load) settle() {
	if l.files == nil || l.report.Stopped {
		return
	}
	s := l.settled()
	if s == nil {
		return
	}
	if memory, err := l.record.book.MemoryPrint(l.in.Identity); err != nil || memory != l.memory {
		return
	}
	files := l.dependences()
	if !slices.EqualFunc(files, l.files, dependence.like) {
		return
	}
	for _, f := range files { // one that was just written may be written again unseen
		if f.info != nil && l.began.Sub(f.info.ModTime()) < grain {
			return
		}
	}
	var err error
	s.Size = sizeOf(files)
	if s.Digest, err = l.digestOf(files); err != nil {
		return
	}
	if again := l.dependences(); !slices.EqualFunc(again, files, dependence.like) {
		return
	}
	var kept bytes.Buffer
	if gob.NewEncoder(&kept).Encode(s) == nil && kept.Len() <= mostSettled {
		_ = l.record.book.Settle(l.in.Identity, kept.Bytes())
	}
}

// mostSettled is how many octets are kept of one load at most.
const mostSettled = 1 << 20

// settled gives what is to be kept of a report, nil where it could be another one
// tomorrow though nothing changed, or has more to say than is kept.
func (l *load) settled() *settled {
	r, p := l.report, l.report.Plan
	if len(p.Edits)+len(p.Guards)+len(r.Warnings)+len(r.Written)+len(r.Passed) > 0 || r.Running || r.Settled || p.Past > 0 {
		return nil
	}
	known := func(c *opened) bool {
		return slices.ContainsFunc(l.files, func(d dependence) bool { return d.path == c.spec.Path() || filepath.Dir(d.path) == c.spec.Folder })
	}
	for _, c := range l.calendars {
		if c.spec.Server.URL != "" || !known(c) {
			return nil
		}
	}
	s := &settled{
		Intake: p.Intake, Identity: p.Identity, Totals: p.Totals, NoGone: p.NoGone, Assumed: p.Assumed, Notes: p.Notes, Texts: p.Texts, Names: p.Names, Own: p.Own,
		Source: r.Source, Sources: r.Sources, Calendars: r.Calendars, Matched: r.Matched, Unused: r.Unused, Evidence: r.Evidence, Zone: r.Zone, ZoneFrom: r.ZoneFrom, ZoneWhy: r.ZoneWhy, Remarks: r.Remarks,
	}
	for n := range p.Items {
		i := &p.Items[n]
		switch i.Outcome {
		case agree.Same, agree.Held, agree.LeftOut, agree.Edited:
		default: // what is gone or removed may be past tomorrow
			return nil
		}
		if i.Event != nil || i.Recurrence != nil || i.Row.Evidence != nil || i.Edit >= 0 {
			return nil
		}
		at := -1
		if o := i.Row.Origin; o != nil {
			if at = slices.Index(s.Origins, *o); at < 0 {
				at, s.Origins = len(s.Origins), append(s.Origins, *o)
			}
		}
		s.Items = append(s.Items, settledItem{i.Outcome, at, i.Row.Number, i.Row.Line, i.Row.Page, i.Key, i.UID, i.Calendar, i.Title, i.Reason, i.Fields, i.Notes})
	}
	return s
}

// report makes the report again.
func (s *settled) report() *Report {
	p := &plan.Plan{Intake: s.Intake, Identity: s.Identity, Totals: s.Totals, NoGone: s.NoGone, Assumed: s.Assumed, Notes: s.Notes, Texts: s.Texts, Names: s.Names, Own: s.Own}
	for _, i := range s.Items {
		row := plan.RowPlace{Number: i.Number, Line: i.Line, Page: i.Page}
		if i.Origin >= 0 {
			row.Origin = &s.Origins[i.Origin]
		}
		p.Items = append(p.Items, plan.Item{Outcome: i.Outcome, Row: row, Key: i.Key, UID: i.UID, Calendar: i.Calendar, Title: i.Title, Fields: i.Fields, Notes: i.Notes, Reason: i.Reason, Edit: -1})
	}
	return &Report{Plan: p, Settled: true, Source: s.Source, Sources: s.Sources, Calendars: s.Calendars, Matched: s.Matched, Unused: s.Unused, Evidence: s.Evidence, Zone: s.Zone, ZoneFrom: s.ZoneFrom, ZoneWhy: s.ZoneWhy, Remarks: s.Remarks}
}
