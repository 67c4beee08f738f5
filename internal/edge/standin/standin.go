// Package standin is a calendar server of our own: CalDAV (RFC 4791) with
// sync-collection (RFC 6578) for one user, and a read-only feed of each
// calendar. It stands in for a real server in tests and on a desk without one.
package standin

import (
	"bytes"
	"crypto/subtle"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/cespare/xxhash/v2"

	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/edge/replace"
)

// Server is the stand-in. Make one with New.
type Server struct {
	User, Password string // "" for anybody
	Faults         Faults

	mu        sync.Mutex
	book      *zone.Book
	dir       string // "" for in memory only
	calendars map[string]*collection
	requests  int
	writes    int
}

// home is where the calendars of the one user are.
const home = "/calendars/"

// maxBody is the largest request, in octets.
const maxBody = 16 << 20

// New gives a server that keeps its calendars in a folder, one folder each with
// one .ics file for each event, or in memory where dir is "".
func New(book *zone.Book, dir string) (*Server, error) {
	s := &Server{book: book, dir: dir, calendars: map[string]*collection{}}
	if dir == "" {
		return s, nil
	}
	list, err := os.ReadDir(dir)
	if err != nil && !os.IsNotExist(err) {
		return nil, err
	}
	for _, e := range list {
		if !e.IsDir() || strings.HasPrefix(e.Name(), ".") {
			continue
		}
		c := newCollection(e.Name())
		files, err := os.ReadDir(filepath.Join(dir, e.Name()))
		if err != nil {
			return nil, err
		}
		for _, f := range files {
			if strings.HasSuffix(f.Name(), ".ics") && !strings.HasPrefix(f.Name(), ".") {
				data, err := os.ReadFile(filepath.Join(dir, e.Name(), f.Name()))
				if err != nil {
					return nil, err
				}
				c.put(f.Name(), data, uidOf(data))
			}
		}
		s.calendars[e.Name()] = c
	}
	return s, nil
}

// Requests is how many requests were answered.
func (s *Server) Requests() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.requests
}

// Make makes a calendar, where it is not there.
func (s *Server) Make(name string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.calendars[name] != nil {
		return nil
	}
	if s.dir != "" {
		if err := os.MkdirAll(filepath.Join(s.dir, name), 0o755); err != nil {
			return err
		}
	}
	s.calendars[name] = newCollection(name)
	return nil
}

// ServeHTTP implements http.Handler.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	s.requests++
	n := s.requests
	s.mu.Unlock()
	if s.User != "" || s.Password != "" {
		user, password, ok := r.BasicAuth()
		if !ok || subtle.ConstantTimeCompare([]byte(user+"\n"+password), []byte(s.User+"\n"+s.Password)) != 1 {
			w.Header().Set("WWW-Authenticate", `Basic realm="calendars", charset="UTF-8"`)
			http.Error(w, "name and password, please", http.StatusUnauthorized)
			return
		}
	}
	if s.Faults.before(w, r, n) {
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	if err != nil {
		http.Error(w, "too large", http.StatusRequestEntityTooLarge)
		return
	}
	w.Header().Set("DAV", "1, 3, access-control, calendar-access, extended-mkcol")
	if r.URL.Path == "/.well-known/caldav" {
		http.Redirect(w, r, home, http.StatusMovedPermanently)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.route(w, r, body)
}

// route answers a request. The server is locked.
func (s *Server) route(w http.ResponseWriter, r *http.Request, body []byte) {
	clean := path.Clean(r.URL.Path)
	name, resource, _ := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(clean, strings.TrimSuffix(home, "/")), "/"), "/")
	if feed, ok := strings.CutPrefix(clean, "/feeds/"); ok {
		s.feed(w, r, strings.TrimSuffix(feed, ".ics"))
		return
	}
	if clean != "/" && clean+"/" != home && !strings.HasPrefix(clean, home) || strings.Contains(resource, "/") || strings.HasPrefix(name, ".") || strings.HasPrefix(resource, ".") {
		http.NotFound(w, r)
		return
	}
	if clean == "/" {
		name = ""
	}
	c := s.calendars[name]
	switch r.Method {
	case http.MethodOptions:
		w.Header().Set("Allow", "OPTIONS, GET, HEAD, PUT, DELETE, PROPFIND, PROPPATCH, REPORT, MKCALENDAR")
	case "MKCALENDAR":
		s.make(w, name, resource, body)
	case "PROPFIND":
		s.propfind(w, r, name, resource, body)
	case "PROPPATCH":
		s.proppatch(w, r, c, body)
	case "REPORT":
		s.report(w, r, c, name, body)
	case http.MethodGet, http.MethodHead:
		s.get(w, r, c, resource)
	case http.MethodPut:
		s.put(w, r, c, name, resource, body)
	case http.MethodDelete:
		s.delete(w, r, c, name, resource)
	default:
		http.Error(w, "not here", http.StatusMethodNotAllowed)
	}
}

func (s *Server) make(w http.ResponseWriter, name, resource string, body []byte) {
	if name == "" || resource != "" {
		http.Error(w, "a calendar is made below "+home, http.StatusForbidden)
		return
	}
	if s.calendars[name] != nil {
		condition(w, http.StatusForbidden, "D:resource-must-be-null")
		return
	}
	c := newCollection(name)
	c.describe(body)
	if s.dir != "" {
		if err := os.MkdirAll(filepath.Join(s.dir, name), 0o755); err != nil {
			http.Error(w, "cannot be made", http.StatusInsufficientStorage)
			return
		}
	}
	s.calendars[name] = c
	w.WriteHeader(http.StatusCreated)
}

func (s *Server) proppatch(w http.ResponseWriter, r *http.Request, c *collection, body []byte) {
	if c == nil {
		http.NotFound(w, r)
		return
	}
	c.describe(body)
	var b strings.Builder
	b.WriteString("<D:response>" + href(r.URL.Path) + "<D:propstat><D:prop/><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>")
	multistatus(w, b.String())
}

func (s *Server) get(w http.ResponseWriter, r *http.Request, c *collection, name string) {
	if c == nil || c.items[name] == nil {
		http.NotFound(w, r)
		return
	}
	it := c.items[name]
	w.Header().Set("ETag", s.Faults.etag(it.etag))
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(it.data))
}

// feed gives a whole calendar to those who subscribe to it.
func (s *Server) feed(w http.ResponseWriter, r *http.Request, name string) {
	c := s.calendars[name]
	if c == nil {
		http.NotFound(w, r)
		return
	}
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		http.Error(w, "a feed is only read", http.StatusMethodNotAllowed)
		return
	}
	var edits []ical.ObjectEdit
	zones := ical.NewTimeZones(s.book)
	for _, key := range slices.Sorted(maps.Keys(c.items)) {
		doc, err := ical.ParseDocument(r.Context(), c.items[key].data)
		if err != nil || doc.Damaged {
			continue
		}
		for _, raw := range doc.TimeZones {
			_ = zones.Define(raw)
		}
		for _, o := range doc.Objects {
			edits = append(edits, ical.ObjectEdit{New: o.Raws()})
		}
	}
	var b bytes.Buffer
	if err := (&ical.Document{}).Write(&b, edits, zones); err != nil {
		http.Error(w, "the calendar cannot be written out", http.StatusInternalServerError)
		return
	}
	w.Header().Set("ETag", fmt.Sprintf(`"%016x"`, xxhash.Sum64(b.Bytes())))
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(b.Bytes()))
}

// fits tells whether a request's conditions are met (RFC 9110 §13.1).
func (s *Server) fits(r *http.Request, it *resource) bool {
	if match := r.Header.Get("If-Match"); match != "" {
		if it == nil || match != "*" && strings.Trim(match, `"`) != it.etag {
			return false
		}
	}
	return r.Header.Get("If-None-Match") != "*" || it == nil
}

func (s *Server) put(w http.ResponseWriter, r *http.Request, c *collection, calendar, name string, body []byte) {
	switch {
	case c == nil || name == "":
		http.Error(w, "there is no such calendar", http.StatusConflict)
		return
	case !s.fits(r, c.items[name]):
		w.WriteHeader(http.StatusPreconditionFailed)
		return
	}
	uid := uidOf(body)
	if uid == "" {
		s.Faults.refuse(w, r, "C:valid-calendar-data")
		return
	}
	if other, ok := c.named[uid]; ok && other != name {
		s.Faults.refuse(w, r, "C:no-uid-conflict")
		return
	}
	if s.Faults.Quota > 0 && c.items[name] == nil && len(c.items) >= s.Faults.Quota {
		condition(w, http.StatusInsufficientStorage, "D:quota-not-exceeded")
		return
	}
	body = s.Faults.rewrite(body)
	if s.dir != "" {
		file := filepath.Join(s.dir, calendar, name)
		err := replace.File(file, replace.Options{}, func(w io.Writer) error { _, err := w.Write(body); return err })
		if err != nil {
			http.Error(w, "cannot be written", http.StatusInsufficientStorage)
			return
		}
	}
	fresh := c.items[name] == nil
	it := c.put(name, body, uid)
	s.writes++
	if s.Faults.after(w, s.writes) {
		return
	}
	if tag := s.Faults.etag(it.etag); tag != "" && s.Faults.silent() {
		w.Header().Set("ETag", tag)
	}
	if fresh {
		w.WriteHeader(http.StatusCreated)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *Server) delete(w http.ResponseWriter, r *http.Request, c *collection, calendar, name string) {
	switch {
	case c == nil || name != "" && c.items[name] == nil:
		http.NotFound(w, r)
		return
	case name == "":
		if s.dir != "" {
			_ = os.RemoveAll(filepath.Join(s.dir, calendar))
		}
		delete(s.calendars, calendar)
	case !s.fits(r, c.items[name]):
		w.WriteHeader(http.StatusPreconditionFailed)
		return
	default:
		if s.dir != "" {
			if err := os.Remove(filepath.Join(s.dir, calendar, name)); err != nil && !os.IsNotExist(err) {
				http.Error(w, "cannot be removed", http.StatusInternalServerError)
				return
			}
		}
		c.remove(name)
		s.writes++
		if s.Faults.after(w, s.writes) {
			return
		}
	}
	w.WriteHeader(http.StatusNoContent)
}
