// Package desk finds the folder a clerk works in and what it describes: the
// calendars in almanach.yaml, the intakes in intakes/.
package desk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/pattern"
	"almanach/internal/core/settings"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/secret"
)

// FileName is the file that makes a folder a desk.
const FileName = "almanach.yaml"

// Definition is everything almanach.yaml may say.
var Definition = []settings.Setting{
	{Name: "zone", Doc: "The time zone of times that name none.", Example: "Europe/Lisbon"},
	{Name: "present", Doc: "Take this time as the present, on a desk for trying things out. Leave it out for real work.", Example: "2026-03-02T08:00"},
	{Name: "organizer", Doc: "The organizer of events with attendees, where the intake names none: many programs ignore attendees without one.", Example: `"Harbour office <harbour@tarn-haven.example>"`},
	{Name: "length", Kind: settings.Length, Doc: "How long an event is that says no end, where the intake does not say it: for events jotted down, and for sources without an intake.", Example: "1h"},
	{Name: "new_calendars", Doc: "A folder; a calendar that an intake names and the desk does not is made there. Without it such rows are held.", Example: "calendars"},
	{Name: "calendars", Kind: settings.Named, Doc: "The calendars, each under a name you choose.", Fields: []settings.Setting{
		{Name: "file", Doc: "An iCalendar file, relative to the desk. It is made when something is first loaded into it.", Example: "calendars/berths.ics"},
		{Name: "caldav", Doc: "Instead of a file: the address of a calendar on a server (CalDAV, RFC 4791).", Example: "https://calendar.tarn-haven.example/clerk/berths/"},
		{Name: "user", Doc: "The name to log in to the server with.", Example: "clerk"},
		settings.Secret("password", "Where the password is. It never stands here.", [4]string{"BERTHS_PASSWORD", "secrets/berths", "gpg --decrypt secrets/berths.gpg", "tarn-haven-calendar"}),
		settings.Secret("token", "Instead of a password: where the token of a bearer is. A command is asked again when its token has run out.", [4]string{"BERTHS_TOKEN", "secrets/berths-token", "./fetch-token", "tarn-haven-token"}),
		{Name: "cert", Doc: "A certificate and its key to show to the server, one PEM file relative to the desk.", Example: "secrets/clerk.pem"},
		{Name: "rate", Kind: settings.Number, Doc: "How many requests a second at most.", Example: "5"},
		{Name: "daily", Kind: settings.Number, Doc: "How many changes a day at most. The next load after it goes on where one stopped.", Example: "1000"},
		{Name: "ca", Doc: "The certificate of an authority of your own, a PEM file relative to the desk.", Example: "harbour-ca.pem"},
		{Name: "plain_http", Kind: settings.YesNo, Doc: "Whether http without encryption may be used to another machine. By default only to this one.", Example: "no"},
		{Name: "folder", Doc: "Instead of a file: a folder with one .ics file for each event, relative to the desk.", Example: "calendars/works"},
	}},
}

// Desk is a desk found, or the lack of one: without a file it knows no
// calendars and every path is relative to the folder the program runs in.
type Desk struct {
	Dir       string        // folder with almanach.yaml; "" when there is no desk
	Zone      string        // "" when the desk names none
	Present   string        // taken as the present; "" for what the clock says
	Organizer string        // of events with attendees, where the intake names none
	Length    time.Duration // of events without an end, where nothing else says it; 0 for none
	Make      string        // folder in which calendars nobody named are made; "" for none
	names     []string
	specs     map[string]calendar.Spec
}

// Find looks for a desk in dir, or, when dir is "", in the working folder and
// upwards from it. Without one the result is an empty desk, unless dir was
// given.
func Find(dir string) (*Desk, []*fault.Fault) {
	if dir != "" {
		if _, err := os.Stat(filepath.Join(dir, FileName)); err != nil {
			return nil, []*fault.Fault{fault.Newf("there is no desk here: %s is missing", FileName).At(fault.Place{File: dir}).Do("give the folder of a desk, or make one with: almanach setup FOLDER")}
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
	d := &Desk{Dir: dir, Zone: f.Root.Text("zone"), Organizer: f.Root.Text("organizer"), Present: f.Root.Text("present"), Length: f.Root.Length("length"), Make: f.Root.Text("new_calendars"), specs: map[string]calendar.Spec{}}
	if calendars := f.Root.Get("calendars"); calendars != nil {
		for _, c := range calendars.Values {
			spec := calendar.Spec{Name: c.Name, Made: true}
			file, folder := c.Text("file"), c.Text("folder")
			server := d.server(c)
			switch {
			case file != "" && folder != "" || server.URL != "" && file+folder != "":
				faults = append(faults, c.Fault(0, "calendar %s has several places", c.Name).Do("keep one of file, folder and caldav"))
				continue
			case server.URL != "":
				spec.Server = server
			case file != "":
				spec.File = d.Path(file)
			case folder != "":
				spec.Folder = d.Path(folder)
			default:
				faults = append(faults, c.Fault(0, "calendar %s has no place", c.Name).Do("write file: calendars/%s.ics", c.Name))
				continue
			}
			d.names = append(d.names, c.Name)
			d.specs[c.Name] = spec
		}
	}
	d.findMade()
	return d, faults
}

// server reads how a calendar on a server is reached.
func (d *Desk) server(c *settings.Value) calendar.Server {
	path := func(name string) string {
		if p := c.Text(name); p != "" {
			return d.Path(p)
		}
		return ""
	}
	place := func(name string) secret.Place {
		p := secret.Place(c.Secret(name))
		p.File = path(name + ".file")
		return p
	}
	return calendar.Server{URL: c.Text("caldav"), User: c.Text("user"), Password: place("password"), Token: place("token"), CA: path("ca"), Cert: path("cert"), Plain: c.Yes("plain_http"), Rate: float64(c.Number("rate")), Daily: c.Number("daily")}
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
		if _, known := d.specs[name]; ok && !known && fileName(name) {
			d.names = append(d.names, name)
			d.specs[name] = calendar.Spec{Name: name, File: d.Path(filepath.Join(d.Make, e.Name())), Made: true}
		}
	}
}

// Calendars gives the names of the desk's calendars in its order.
func (d *Desk) Calendars() []string { return d.names }

// Has tells whether the desk has a calendar of that name.
func (d *Desk) Has(name string) bool {
	_, ok := d.specs[name]
	return ok
}

// reserved are names that no file can have on some systems.
var reserved = pattern.Lazy(`(?i)^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?$`)

// fileName tells whether a name can be that of a file on every system, and
// stays in its folder.
func fileName(name string) bool {
	return name != "" && len(name) <= 120 && !strings.ContainsAny(name, `/\:*?"<>|`) && !strings.ContainsFunc(name, func(r rune) bool { return unicode.IsControl(r) || r == utf8.RuneError }) &&
		!strings.HasPrefix(name, ".") && !strings.HasSuffix(name, ".") && strings.TrimSpace(name) == name && !reserved().MatchString(name)
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

// Owns tells whether an intake is one of the desk's, by its name or by the path
// of its file.
func (d *Desk) Owns(name string) bool {
	if d.Dir == "" {
		return false
	}
	if slices.Contains(d.Intakes(), name) {
		return true
	}
	here, err1 := filepath.Abs(filepath.Dir(name))
	there, err2 := filepath.Abs(d.Path("intakes"))
	return err1 == nil && err2 == nil && here == there
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
			f = fault.New(name, "is no file here, and there is no desk whose intake it could be").Do("give the path of a file, go to the desk's folder, or make a desk with: almanach setup")
		}
		return nil, []*fault.Fault{f}
	case err != nil:
		return nil, []*fault.Fault{fault.Newf("cannot be read: %w", fault.Bare(err)).At(fault.Place{File: path})}
	}
	return intake.Parse(path, text)
}

// Calendar says where the calendar of a name is. fromRow tells that the name was
// read from a row: it can only be one of the desk's, or one that the desk may
// make, and never a path.
func (d *Desk) Calendar(name string, fromRow bool) (calendar.Spec, *fault.Fault) {
	isPath := strings.HasSuffix(strings.ToLower(name), ".ics")
	spec, known := d.specs[name]
	switch {
	case known:
		return spec, nil
	case isPath && !fromRow:
		return calendar.Spec{Name: strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)), File: name}, nil
	case d.Make != "" && !isPath && fileName(name):
		return calendar.Spec{Name: name, File: d.Path(filepath.Join(d.Make, name+".ics")), Made: true}, nil
	}
	f := fault.Unknown("calendar", name, d.names)
	switch {
	case fromRow && (isPath || strings.ContainsAny(name, `/\`)):
		f.Cause = fault.Newf("is a path, and a row can only name a calendar").Cause
		f.Do("name the calendars in almanach.yaml, or give routes: from what the column says to their names")
	case d.Make != "" && !fileName(name):
		f.Cause = fault.Newf("cannot be the name of a calendar").Cause
		f.Do("correct it, or give routes: from what the column says to the names of calendars")
	case len(d.names) == 0:
		f.Do("give an .ics file, or go to the desk's folder")
	}
	return calendar.Spec{}, f
}

// Identities gives the intakes of the desk by their identity. An intake that
// cannot be read has none.
func (d *Desk) Identities() map[string][]string {
	out := map[string][]string{}
	for _, name := range d.Intakes() {
		if in, faults := d.Intake(name); len(faults) == 0 {
			out[in.Identity] = append(out[in.Identity], name)
		}
	}
	return out
}
