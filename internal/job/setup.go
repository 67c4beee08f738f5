package job

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/edge/desk"
)

// SetupRequest says what a new desk is to be like.
type SetupRequest struct {
	Dir      string
	Zone     string
	Calendar string // name of the first calendar
	Place    string // folder of the calendar files, or the address of a calendar on a server
	User     string // for a server
}

// Setup is what was made of a desk, and what was there already.
type Setup struct {
	Dir   string   `json:"desk"`
	Made  []string `json:"made"`
	There []string `json:"there"`
}

// IsDesk tells whether a folder is a desk.
func IsDesk(dir string) bool { return exists(filepath.Join(dir, desk.FileName)) }

// SetUp makes a desk: almanach.yaml with comments, and its folders. What is there
// already is not touched.
func SetUp(req SetupRequest) (*Setup, error) {
	out := &Setup{Dir: req.Dir}
	stopped := func(path string, err error) error {
		return fault.Newf("cannot be made: %w", fault.Bare(err)).At(fault.Place{File: path}).Do("check the folder and its permissions").FromOutside()
	}
	folders := []string{"", "intakes", "inbox"}
	if !strings.Contains(req.Place, "://") {
		folders = append(folders, req.Place)
	}
	for _, name := range folders {
		path := filepath.Join(req.Dir, name)
		if filepath.IsAbs(name) {
			path = name
		}
		if info, err := os.Stat(path); err == nil && info.IsDir() {
			if name != "" {
				out.There = append(out.There, name+"/")
			}
			continue
		}
		if err := os.MkdirAll(path, 0o755); err != nil {
			return out, stopped(path, err)
		}
		if name != "" {
			out.Made = append(out.Made, name+"/")
		}
	}
	path := filepath.Join(req.Dir, desk.FileName)
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if errors.Is(err, fs.ErrExist) {
		out.There = append(out.There, desk.FileName)
		return out, nil
	}
	if err == nil {
		_, err = f.WriteString(deskText(req))
		if e := f.Close(); err == nil {
			err = e
		}
	}
	if err != nil {
		return out, stopped(path, err)
	}
	out.Made = append(out.Made, desk.FileName)
	return out, nil
}

// deskText writes the file of a new desk.
func deskText(req SetupRequest) string {
	calendar := fmt.Sprintf("  %s: { file: %s }", quoteYAML(req.Calendar), quoteYAML(filepath.ToSlash(filepath.Join(req.Place, req.Calendar+".ics"))))
	if strings.Contains(req.Place, "://") {
		calendar = fmt.Sprintf("  %s: { caldav: %s, user: %s, password: { env: CALENDAR_PASSWORD } }", quoteYAML(req.Calendar), quoteYAML(req.Place), quoteYAML(req.User))
	}
	return fmt.Sprintf(`# A desk of Almanach. Everything it may say: docs/desk.md.

# The zone of times that name none.
zone: %s

# The calendars, each under a name of your own. An .ics file is made when something is
# first loaded into it.
calendars:
%s
  # On a server that speaks CalDAV:
  # pilots: { caldav: "https://calendar.tarn-haven.example/clerk/pilots/", user: clerk, password: { env: PILOTS_PASSWORD } }
  # In a folder, one .ics file for each event:
  # works: { folder: calendars/works }

# A folder in which a calendar is made that an intake names and this file does not.
# Without it such rows are held.
# new_calendars: calendars

# How long an event is that says no end, where the intake does not say it.
# length: 1h
`, quoteYAML(req.Zone), calendar)
}

// quoteYAML writes a text as YAML takes it.
func quoteYAML(s string) string {
	if s != "" && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/._-") == "" && !strings.HasPrefix(s, "-") {
		return s
	}
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}
