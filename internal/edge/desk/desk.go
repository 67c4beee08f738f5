// Package desk finds the folder a clerk works in and what it describes: the
// calendars in almanach.yaml, the intakes in intakes/.
package desk

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/settings"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
)

// FileName is the file that makes a folder a desk.
const FileName = "almanach.yaml"

// Definition is everything almanach.yaml may say.
var Definition = []settings.Setting{
	{Name: "zone", Doc: "The time zone of times that name none.", Example: "Europe/Lisbon"},
	{Name: "new_calendars", Doc: "A folder; a calendar that an intake names and the desk does not is made there. Without it such rows are held.", Example: "calendars"},
	{Name: "calendars", Kind: settings.Named, Doc: "The calendars, each under a name of yours.", Fields: []settings.Setting{
		{Name: "file", Doc: "An iCalendar file, relative to the desk. It is made when something is first loaded into it.", Example: "calendars/berths.ics"},
	}},
}

// Desk is a desk found, or the lack of one: without a file it knows no
// calendars and every path is relative to the folder the program runs in.
type Desk struct {
	Dir   string // folder with almanach.yaml; "" when there is no desk
	Zone  string // "" when the desk names none
	Make  string // folder in which calendars nobody named are made; "" for none
	names []string
	files map[string]string
}

// Find looks for a desk in dir, or, when dir is "", in the working folder and
// upwards from it. Without one the result is an empty desk, unless dir was
// given.
func Find(dir string) (*Desk, []*fault.Fault) {
	if dir != "" {
		if _, err := os.Stat(filepath.Join(dir, FileName)); err != nil {
			return nil, []*fault.Fault{fault.Newf("there is no desk here: %s is missing", FileName).At(fault.Place{File: dir}).Do("give the folder of a desk, or begin one with: almanach demo FOLDER")}
		}
		return open(dir)
	}
	here, err := os.Getwd()
	if err != nil {
		return &Desk{}, nil
	}
	for at := here; ; at = filepath.Dir(at) {
		if _, err := os.Stat(filepath.Join(at, FileName)); err == nil {
			if rel, err := filepath.Rel(here, at); err == nil {
				at = rel
			}
			return open(at)
		}
		if filepath.Dir(at) == at {
			return &Desk{}, nil
		}
	}
}

func open(dir string) (*Desk, []*fault.Fault) {
	path := filepath.Join(dir, FileName)
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, []*fault.Fault{fault.Newf("cannot be read: %w", fault.Bare(err)).At(fault.Place{File: path})}
	}
	f, faults := settings.Read(path, text, Definition)
	d := &Desk{Dir: dir, Zone: f.Root.Text("zone"), Make: f.Root.Text("new_calendars"), files: map[string]string{}}
	if calendars := f.Root.Get("calendars"); calendars != nil {
		for _, c := range calendars.Values {
			if c.Text("file") == "" {
				faults = append(faults, c.Fault(0, "calendar %s has no place", c.Name).Do("write file: calendars/%s.ics", c.Name))
				continue
			}
			d.names = append(d.names, c.Name)
			d.files[c.Name] = c.Text("file")
		}
	}
	d.findMade()
	return d, faults
}

// findMade adds the calendars that were made because an intake named them.
func (d *Desk) findMade() {
	if d.Make == "" {
		return
	}
	entries, err := os.ReadDir(d.Path(d.Make))
	if err != nil {
		return
	}
	for _, e := range entries {
		name, ok := strings.CutSuffix(e.Name(), ".ics")
		if _, known := d.files[name]; ok && !known && fileName(name) {
			d.names = append(d.names, name)
			d.files[name] = filepath.Join(d.Make, e.Name())
		}
	}
}

// Calendars gives the names of the desk's calendars in its order.
func (d *Desk) Calendars() []string { return d.names }

// Has tells whether the desk has a calendar of that name, and its file.
func (d *Desk) Has(name string) (string, bool) {
	file, ok := d.files[name]
	return file, ok
}

// Names tells whether name can be a calendar: one of the desk's, a file, or one
// that the desk may make.
func (d *Desk) Names(name string) bool {
	_, ok := d.files[name]
	return ok || strings.HasSuffix(strings.ToLower(name), ".ics") || d.Make != "" && fileName(name)
}

// fileName tells whether a name can be that of a file, and stays in its folder.
func fileName(name string) bool {
	return name != "" && !strings.ContainsAny(name, `/\:*?"<>|`) && !strings.HasPrefix(name, ".") && strings.TrimSpace(name) == name
}

// File gives the path of a calendar of the desk, "" when it has none of that
// name.
func (d *Desk) File(name string) string {
	if file, ok := d.files[name]; ok {
		return d.Path(file)
	}
	return ""
}

// Path gives a path that the desk's files name, as seen from here.
func (d *Desk) Path(p string) string {
	if filepath.IsAbs(p) || d.Dir == "" || d.Dir == "." {
		return p
	}
	return filepath.Join(d.Dir, p)
}

// Memory gives the folder in which the desk keeps what only saves time, under
// a name of its own; "" when there is no desk. It need not exist.
func (d *Desk) Memory(name string) string {
	if d.Dir == "" {
		return ""
	}
	return filepath.Join(d.Dir, ".almanach", name)
}

// Intakes gives the names of the desk's intakes.
func (d *Desk) Intakes() []string {
	entries, err := os.ReadDir(d.Path("intakes"))
	if err != nil || d.Dir == "" {
		return nil
	}
	var out []string
	for _, e := range entries {
		if name, ok := strings.CutSuffix(e.Name(), ".yaml"); ok {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Intake reads an intake by its name on the desk, or in this folder where there
// is no desk, or by the path of its file.
func (d *Desk) Intake(name string) (*intake.Intake, []*fault.Fault) {
	path := name
	if !strings.ContainsAny(name, `/\`) && filepath.Ext(name) == "" {
		path += ".yaml" // without a desk, one drafted here
		if d.Dir != "" {
			path = d.Path(filepath.Join("intakes", path))
		}
	}
	text, err := os.ReadFile(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		f := fault.Unknown("intake of this desk", name, d.Intakes())
		if d.Dir == "" {
			f = fault.New(name, "is no file here, and there is no desk whose intake it could be").Do("give the path of a file, or go to the desk's folder")
		}
		return nil, []*fault.Fault{f}
	case err != nil:
		return nil, []*fault.Fault{fault.Newf("cannot be read: %w", fault.Bare(err)).At(fault.Place{File: path})}
	}
	return intake.Parse(path, text)
}

// Calendar opens a calendar by its name on the desk, or by the path of an
// .ics file. For a load it is created when it does not exist, and locked.
func (d *Desk) Calendar(ctx context.Context, name string, zones *zone.Book, load, create bool) (*calendar.File, error) {
	file, ok := d.files[name]
	switch {
	case ok:
		file = d.Path(file)
		if load {
			if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
				return nil, fault.Newf("its folder cannot be made: %w", fault.Bare(err)).At(fault.Place{File: file})
			}
		}
		return calendar.OpenFile(ctx, name, file, file, zones, load, create)
	case d.Make != "" && fileName(name) && !strings.HasSuffix(strings.ToLower(name), ".ics"):
		file = d.Path(filepath.Join(d.Make, name+".ics"))
		if load {
			if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
				return nil, fault.Newf("its folder cannot be made: %w", fault.Bare(err)).At(fault.Place{File: file})
			}
		}
		return calendar.OpenFile(ctx, name, file, file, zones, load, create)
	case strings.HasSuffix(strings.ToLower(name), ".ics"):
		short := strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
		return calendar.OpenFile(ctx, short, name, name, zones, load, create)
	}
	f := fault.Unknown("calendar", name, d.names)
	if len(d.names) == 0 {
		f.Do("give an .ics file, or go to the desk's folder")
	}
	return nil, f
}
