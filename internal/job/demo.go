package job

import (
	"bytes"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"almanach/demo"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
)

// LayOut puts the demo desk into a folder. An empty name means a new folder
// beside those of earlier demos; a folder that has something in it is refused.
func LayOut(dir string) (string, error) {
	if dir == "" {
		dir = "tarn-haven"
		for n := 2; exists(dir); n++ {
			dir = "tarn-haven-" + strconv.Itoa(n)
		}
	} else if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return "", fault.Newf("the folder is not empty").At(fault.Place{File: dir}).Do("name a new one")
	}
	return dir, copyTree("desk", dir)
}

func exists(path string) bool {
	_, err := os.Lstat(path)
	return !errors.Is(err, fs.ErrNotExist)
}

func copyTree(from, to string) error {
	return fs.WalkDir(demo.Desk, from, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		target := filepath.Join(to, filepath.FromSlash(strings.TrimPrefix(strings.TrimPrefix(path, from), "/")))
		if d.IsDir() {
			err = os.MkdirAll(target, 0o755)
		} else {
			var data []byte
			if data, err = demo.Desk.ReadFile(path); err == nil {
				err = os.WriteFile(target, data, 0o644)
			}
		}
		if err != nil {
			return fault.Newf("the demo cannot be laid out: %w", fault.Bare(err)).At(fault.Place{File: target}).FromOutside()
		}
		return nil
	})
}

// Later puts what arrives on the second day of the demo into its inbox.
func Later(dir string) error { return copyTree("later", filepath.Join(dir, "inbox")) }

// Delete as the property of HandEdit takes the event away.
const Delete = "DELETE"

// HandMake puts an event into the demo's calendar as someone does in a calendar
// program.
func HandMake(dir, calendarFile, uid string, lines ...string) error {
	path := filepath.Join(dir, calendarFile)
	data, err := os.ReadFile(path)
	if err != nil {
		return fault.Newf("cannot be read: %w", fault.Bare(err)).At(fault.Place{File: path}).FromOutside()
	}
	made := "BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20260302T070000Z\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\n"
	return os.WriteFile(path, bytes.Replace(data, []byte("END:VCALENDAR"), []byte(made+"END:VCALENDAR"), 1), 0o644)
}

// HandEdit does to the demo's calendar what someone does in a calendar
// program: it gives the event of a key another value of a property.
func HandEdit(dir, calendarFile, key, property, value string) error {
	path := filepath.Join(dir, calendarFile)
	data, err := os.ReadFile(path)
	if err != nil {
		return fault.Newf("cannot be read: %w", fault.Bare(err)).At(fault.Place{File: path}).FromOutside()
	}
	var out bytes.Buffer
	r := ical.NewBytesReader(data)
	for {
		p, err := r.Next()
		if err != nil {
			break
		}
		if _, k := event.Marks(p.Raw); p.Name == "VEVENT" && k == key {
			if property == Delete {
				continue
			}
			c := ical.Open(p.Raw)
			c.Set(property, nil, nil, value)
			p.Raw = c.Bytes()
		}
		out.Write(p.Raw)
	}
	return os.WriteFile(path, out.Bytes(), 0o644)
}
