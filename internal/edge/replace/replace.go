// Package replace puts new content into the place of a file so that, whenever
// it is stopped, either the old file stands there or the new one: it is written
// beside the target, synced, and renamed over it.
package replace

import (
	"cmp"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// Options say how a file is replaced. The zero value replaces whatever stands
// there.
type Options struct {
	// Mode is given to a file that is new; a file that stands keeps its own
	// mode, and where the system allows it its owner and group. Zero is 0644.
	Mode fs.FileMode

	// Check reads the new file, beside what writes and syncs it: it is given what
	// stands in the file so far, and waits for the rest. An error leaves the target
	// as it was.
	Check func(io.Reader) error

	// Ready is called last, right before the rename. An error leaves the target
	// as it was.
	Ready func() error
}

// suffix ends the names of the files that content is written to first.
const suffix = ".new"

// Real gives the path of the file itself where path is a link to it, so that
// what is written beside it is on the same device. A file that does not exist
// yet is fine.
func Real(path string) (string, error) {
	for range 40 { // links to links, and not for ever
		info, err := os.Lstat(path)
		if errors.Is(err, fs.ErrNotExist) {
			break
		}
		if err != nil {
			return "", err
		}
		if info.Mode()&fs.ModeSymlink == 0 {
			break
		}
		to, err := os.Readlink(path)
		if err != nil {
			return "", err
		}
		if !filepath.IsAbs(to) {
			to = filepath.Join(filepath.Dir(path), to)
		}
		path = to
	}
	dir, err := filepath.EvalSymlinks(filepath.Dir(path))
	if err != nil {
		return "", err
	}
	return filepath.Join(dir, filepath.Base(path)), nil
}

// File replaces the file at path, which is no link, with what write writes.
func File(path string, o Options, write func(io.Writer) error) error {
	temp, err := begin(path, o, write)
	if err != nil {
		return err
	}
	defer os.Remove(temp) // gone already once renamed
	if o.Ready != nil {
		err = o.Ready()
	}
	if err == nil {
		err = os.Rename(temp, path)
	}
	if err == nil {
		syncFolder(filepath.Dir(path))
	}
	return err
}

// Create makes the file at path with what write writes. It gives an error that
// is fs.ErrExist where something stands there already, however late that came.
func Create(path string, o Options, write func(io.Writer) error) error {
	temp, err := begin(path, o, write)
	if err != nil {
		return err
	}
	defer os.Remove(temp)
	if o.Ready != nil {
		err = o.Ready()
	}
	if err == nil {
		err = link(temp, path)
	}
	if err == nil {
		syncFolder(filepath.Dir(path))
	}
	return err
}

// begin writes the new content beside path and gives its name. Where it fails, nothing is
// left there.
func begin(path string, o Options, write func(io.Writer) error) (name string, err error) {
	temp, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*"+suffix)
	if err != nil {
		return "", err
	}
	whole := false
	defer func() {
		if !whole { // whatever stopped it
			temp.Close()
			os.Remove(temp.Name())
		}
	}()
	if o.Check == nil {
		o.Check = func(io.Reader) error { return nil }
	}
	back := &readBack{file: temp}
	back.more.L = &back.mu
	checked := back.check(o.Check)
	err = write(back)
	back.end(err)
	if err == nil {
		err = temp.Sync()
	}
	if e := checked(); err == nil { // what the disk says comes first
		err = e
	}
	if info, e := temp.Stat(); err == nil && (e != nil || info.Size() != back.written) { // it was read while it was written
		err = cmp.Or(e, errors.New("the file is not as long as what was written"))
	}
	if err == nil {
		err = o.dress(temp, path)
	}
	if err == nil {
		err = temp.Close()
	}
	whole = err == nil
	return temp.Name(), err
}

// dress gives the new file the mode and the owner of the one it replaces.
func (o Options) dress(temp *os.File, path string) error {
	mode := o.Mode
	if mode == 0 {
		mode = 0o644
	}
	if info, err := os.Stat(path); err == nil {
		mode = info.Mode().Perm()
		keepOwner(temp, info)
	}
	return temp.Chmod(mode)
}

// link gives a file another name unless that stands for something already.
func link(temp, path string) error {
	err := os.Link(temp, path)
	if err == nil || errors.Is(err, fs.ErrExist) {
		return err
	}
	data, err := os.ReadFile(temp) // a file system without links
	if err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return errors.Join(err, os.Remove(path))
	}
	return nil
}

// Sweep removes what a run that was killed left beside a file. It must only be
// called by whoever holds the lock of that file.
func Sweep(path string) error {
	dir, base := filepath.Dir(path), filepath.Base(path)
	entries, err := os.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	for _, e := range entries {
		if !strings.HasPrefix(e.Name(), "."+base+".") || !strings.HasSuffix(e.Name(), suffix) {
			continue
		}
		if err := os.Remove(filepath.Join(dir, e.Name())); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

func syncFolder(dir string) {
	if d, err := os.Open(dir); err == nil {
		_ = d.Sync() // not every system can; the file itself is synced
		d.Close()
	}
}
