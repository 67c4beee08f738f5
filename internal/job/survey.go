package job

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/moment"
	"almanach/internal/core/survey"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source"
	"almanach/internal/edge/source/sheet"
)

// Survey is what a file was found to hold.
type Survey struct {
	*survey.Survey
	Path   string // of the file, "-" for standard input
	Origin table.Origin
	Sheets []source.Sheet
	About  source.About
	Header table.Header
	From   intake.From
	Found  table.Rows     // events in its running text
	Passed []table.Passed // dates in it that belong to no event
}

// SurveyFile looks at a file, row by row.
func SurveyFile(ctx context.Context, office *Office, path string, from intake.From) (*Survey, error) {
	o := sourceOptions(office, from)
	r, sheets, err := source.OpenListed(ctx, path, o)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	out := &Survey{Path: path, Origin: *r.Origin(), Sheets: sheets, Header: r.Header(), From: from}
	s := survey.New(r.Header(), moment.Settings{Present: office.Now, Zones: office.Zones})
	running := r.About().Running
	for n := 1; ; n++ {
		row, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		if n%1000 == 0 {
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			office.readSoFar(path, n)
		}
		if !row.Hidden {
			s.Add(row)
		}
		if running {
			out.Found.Add(row)
		}
	}
	out.About = *r.About()
	out.Survey = s.Finish()
	if running {
		out.Passed = out.About.Passed
		return out, nil
	}
	return out, out.read(ctx, path, o)
}

// read finds the events in the running text of a document, beside its tables.
func (s *Survey) read(ctx context.Context, path string, o source.Options) error {
	o.Text.Free, o.Budget, o.Name = true, nil, ""
	if path == "-" || o.Sheet != "" || o.Range != "" {
		return nil
	}
	r, err := source.Open(ctx, path, o)
	if err != nil {
		return ctx.Err() // its tables can be read, and that is said
	}
	defer r.Close()
	if !r.About().Running {
		return nil
	}
	s.Passed = r.About().Passed
	s.Found, err = source.ReadAll(r, func(int) {})
	return err
}

// home gives the zone whose clock the desk goes by.
func (o *Office) home() *zone.Zone {
	z, _, f := o.DefaultZone()
	if f != nil {
		return nil
	}
	return z
}

// readSoFar says how many rows of a source have been read.
func (o *Office) readSoFar(path string, n int) {
	if o.Progress != nil {
		o.Progress("reading "+path, n, 0, 0)
	}
}

func sourceOptions(office *Office, from intake.From) source.Options {
	return source.Options{Sheet: from.Sheet, All: from.All, Range: from.Range, Header: from.Header, FillDown: from.FillDown, Hidden: from.Hidden, Records: from.Records, Zones: office.Zones.Find, Text: sheet.Text{Read: from.Read, Present: office.Now, Home: office.home()}}
}

// draftOfText writes an intake for running text, which needs neither a key nor a
// mapping.
func draftOfText(d survey.Draft) string {
	into := "calendar.ics"
	if len(d.Calendars) > 0 {
		into = d.Calendars[0]
	}
	from := "file"
	if filepath.Ext(d.From) == "" {
		from = "folder"
	}
	return fmt.Sprintf(`# Drafted from %s on %s. Its text is read for events: docs/text.md says how.
# See what it would do, which writes nothing: almanach preview %s
name: %s                # event IDs derive from it: keep it
from: { %s: %s }
into: %s
assume: { length: 1h }   # of events that say no end; without it they are held
# next_weekday: coming   # what "next Friday" means on a Tuesday; else such events are held
# event: { title: "{What}", location: "{Where}", categories: Works }
`, d.From, d.Day, d.Name, d.Name, from, d.From, into)
}

// Draft writes a first intake for a surveyed file and gives its path: on a
// desk among the intakes, else here. An intake that exists is never touched.
func Draft(office *Office, s *Survey, name, out string) (string, error) {
	if s.Path == "-" {
		return "", fault.Newf("an intake cannot be drafted from standard input").Do("save it as a file first")
	}
	if name == "" {
		name = intake.NameFromFile(s.Path)
	}
	d := survey.Draft{Name: name, From: s.Path, Records: s.From.Records, Header: s.Header, HeaderRow: s.About.HeaderFirst, Calendars: office.Desk.Calendars(), Day: office.Now.Format("2 January 2006")}
	if len(s.Sheets) > 1 {
		d.Sheet = s.Origin.Sheet
	}
	if z, _, f := office.DefaultZone(); f == nil {
		d.Zone = z.Name()
	}
	if out == "" {
		out = name + ".yaml"
		if office.Desk.Dir != "" {
			out = filepath.Join(office.Desk.Dir, "intakes", out)
		}
	}
	if office.Desk.Dir != "" { // the desk's files are named from the desk
		if rel, err := relative(office.Desk.Dir, s.Path); err == nil {
			d.From = filepath.ToSlash(rel)
		}
	}
	if err := os.MkdirAll(filepath.Dir(out), 0o755); err != nil {
		return "", fault.Newf("its folder cannot be made: %w", fault.Bare(err)).At(fault.Place{File: out}).FromOutside()
	}
	f, err := os.OpenFile(out, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if errors.Is(err, fs.ErrExist) {
		return "", fault.Newf("exists already and was not touched").At(fault.Place{File: out}).Do("give another name with --name, or look at what it says")
	}
	if err == nil {
		text := s.Write(d)
		if s.About.Running {
			text = draftOfText(d)
		}
		_, err = io.WriteString(f, text)
		if e := f.Close(); err == nil {
			err = e
		}
	}
	if err != nil {
		return "", fault.Newf("cannot be written: %w", fault.Bare(err)).At(fault.Place{File: out}).FromOutside()
	}
	return out, nil
}

func relative(dir, path string) (string, error) {
	a, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	b, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	rel, err := filepath.Rel(a, b)
	if err != nil || strings.HasPrefix(rel, "..") {
		return b, nil // outside of the desk: named in full
	}
	return rel, nil
}
