package caldav

import (
	"bytes"
	"context"
	"encoding/gob"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/replace"
)

// remembered is what is known of a calendar from the last time, so that only
// what has changed since is asked for.
type remembered struct {
	Token string // of sync-collection (RFC 6578)
	CTag  string
	Items map[string]item // by path

	// Marks are what the server did not keep of what was written: the properties
	// of ours, by path and then by RECURRENCE-ID.
	Marks map[string]map[string]string
}

type item struct{ ETag, Data string }

// recall reads what is remembered. What cannot be read is asked for again.
func (c *Calendar) recall() {
	c.known = newMemory()
	f, err := os.Open(c.cache)
	if err != nil {
		return
	}
	defer f.Close()
	var known remembered
	if gob.NewDecoder(io.LimitReader(f, 1<<30)).Decode(&known) == nil && known.Items != nil {
		if known.Marks == nil {
			known.Marks = map[string]map[string]string{}
		}
		c.known = known
	}
}

// keep writes down what is known. It only saves time, so an error is none.
func (c *Calendar) keep() {
	if c.cache == "" || os.MkdirAll(filepath.Dir(c.cache), 0o700) != nil {
		return
	}
	_ = replace.File(c.cache, replace.Options{}, func(w io.Writer) error { return gob.NewEncoder(w).Encode(&c.known) })
}

func newMemory() remembered {
	return remembered{Items: map[string]item{}, Marks: map[string]map[string]string{}}
}

// forget drops what is known of a resource.
func (m *remembered) forget(href string) {
	delete(m.Items, href)
	delete(m.Marks, href)
}

// marksOf gives the lines of a component that are ours.
func marksOf(raw []byte) string {
	var b strings.Builder
	for _, l := range ical.Open(raw).Lines() {
		if l.Depth == 0 && strings.HasPrefix(strings.ToUpper(string(l.Whole())), event.PropPrefix) {
			b.Write(l.Whole())
		}
	}
	return b.String()
}

func dateOf(raw []byte) string {
	if l, ok := ical.Open(raw).Find("RECURRENCE-ID"); ok {
		return l.Text()
	}
	return ""
}

// compareMarks remembers what the server did not keep of our marks in what was
// written, so that the next load still knows what it loaded.
func (c *Calendar) compareMarks(href string, sent [][]byte, held *ical.Object) {
	delete(c.known.Marks, href)
	stands := map[string]bool{}
	for _, raw := range held.Raws() {
		stands[dateOf(raw)] = marksOf(raw) != ""
	}
	for _, raw := range sent {
		marks, date := marksOf(raw), dateOf(raw)
		if there, found := stands[date]; !found || there || marks == "" {
			continue
		}
		if c.known.Marks[href] == nil {
			c.known.Marks[href] = map[string]string{}
		}
		c.known.Marks[href][date] = marks
	}
}

// mark gives an event back the marks that its server did not keep.
func (c *Calendar) mark(href string, o *ical.Object) {
	marks := c.known.Marks[href]
	for i, raw := range o.Raws() {
		text := marks[dateOf(raw)]
		end := bytes.LastIndex(bytes.ToUpper(raw), []byte("END:"))
		if text == "" || end < 0 || marksOf(raw) != "" {
			continue
		}
		o.Put(i, fmt.Appendf(nil, "%s%s%s", raw[:end], text, raw[end:]))
	}
}

// spend counts one write of the day. Where the day's quota is used up, it says
// so. Runs of the program that use one calendar count together.
func (c *Calendar) spend(ctx context.Context) error {
	if c.spec.Daily == 0 || c.cache == "" {
		return nil
	}
	path := c.cache + ".day"
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return fault.Newf("what was written today cannot be counted: %w", fault.Bare(err)).At(fault.Place{File: path}).FromOutside()
	}
	lock, err := calendar.Lock(ctx, path+".lock", fault.Place{File: path})
	if err != nil {
		return err
	}
	defer lock.Unlock()
	today, day, n := c.now().Format(time.DateOnly), "", 0
	if text, err := os.ReadFile(path); err == nil {
		_, _ = fmt.Sscan(string(text), &day, &n)
	}
	if day != today {
		n = 0
	}
	if n >= c.spec.Daily {
		return c.fault("%w: the %d writes a day that almanach.yaml allows are used up", calendar.ErrSpent, c.spec.Daily).Do("load again tomorrow, or raise daily: of the calendar; it goes on where it stopped").FromOutside()
	}
	if err := os.WriteFile(path, fmt.Appendf(nil, "%s %d\n", today, n+1), 0o600); err != nil {
		return fault.Newf("what was written today cannot be counted: %w", fault.Bare(err)).At(fault.Place{File: path}).FromOutside()
	}
	return nil
}
