package job

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"almanach/internal/core/intake"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/desk"
	"almanach/internal/edge/source"
)

// digest is a fingerprint of everything that the outcome of a load depends on, as of a
// calendar.Sum.
type digest [2]uint64

// dependence is a file that the outcome of a load depends on.
type dependence struct {
	path string
	info fs.FileInfo  // nil where there is none
	sum  calendar.Sum // where it is known, as the load wrote it itself
}

// like tells whether a file is as it was, or as the load left it.
func (d dependence) like(other dependence) bool {
	if d.sum != (calendar.Sum{}) {
		return d.path == other.path
	}
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
	if name := l.in.FirstPlace(); name != "" && !slices.Contains(names, name) {
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
		return append(to, dependence{path: path, info: info}), nil
	}
	entries, err := os.ReadDir(path)
	for n := 0; err == nil && n < len(entries); n++ {
		if info, err = os.Stat(filepath.Join(path, entries[n].Name())); err == nil && info.Mode().IsRegular() {
			to = append(to, dependence{path: filepath.Join(path, entries[n].Name()), info: info})
		}
	}
	if len(to) > mostFiles {
		return nil, errors.New("too many")
	}
	return to, err
}

// mostFiles is up to how many files are looked at: of a folder with more, each
// has to be opened, and then it can be read as well.
const mostFiles = 5000

// sizeOf gives the size of files together.
func sizeOf(files []dependence) (n int64) {
	for _, f := range files {
		switch {
		case f.sum != (calendar.Sum{}):
			n += f.sum.Size
		case f.info != nil:
			n += f.info.Size()
		}
	}
	return n
}

// digestOf gives the digest of a load that depends on some files: of what it was
// asked for, the day, the program, what is remembered, and every byte.
func (l *load) digestOf(files []dependence) (digest, error) {
	w := calendar.NewSumWriter()
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
	buf := make([]byte, 256<<10)
	for _, d := range files {
		if d.info == nil && d.sum == (calendar.Sum{}) {
			fmt.Fprintf(w, "%q none\n", d.path)
			continue
		}
		if d.sum == (calendar.Sum{}) {
			if d.sum, err = sumOf(d.path, buf); err != nil {
				return digest{}, err
			}
		}
		fmt.Fprintf(w, "%q %d %x\n", d.path, d.sum.Size, d.sum.Hash)
	}
	return w.Sum().Hash, nil
}

// sumOf reads a whole file, in pieces as large as buf.
func sumOf(path string, buf []byte) (calendar.Sum, error) {
	f, err := os.Open(path)
	if err != nil {
		return calendar.Sum{}, err
	}
	defer f.Close()
	s := calendar.NewSumWriter()
	_, err = io.CopyBuffer(s, struct{ io.Reader }{f}, buf)
	return s.Sum(), err
}
