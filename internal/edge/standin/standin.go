// Package standin is a calendar server of our own: CalDAV (RFC 4791) with
// sync-collection (RFC 6578) for one user, and a read-only feed of each
// calendar. It stands in for a real server in tests and on a desk without one.
package standin

import (
	"bytes"
	"cmp"
	"context"
	"crypto/subtle"
	"encoding/xml"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/cespare/xxhash/v2"

	"almanach/internal/core/ical"
	"almanach/internal/core/recur"
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

// collection is one calendar.
type collection struct {
	name, colour string
	items        map[string]*resource
	named        map[string]string // by UID: the name of its resource
	revision     int
	changes      map[string]int // revision of the last change, by name; of what has gone too
}

type resource struct {
	data []byte
	etag string
	uid  string
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

func newCollection(name string) *collection {
	return &collection{name: name, items: map[string]*resource{}, named: map[string]string{}, changes: map[string]int{}}
}

func (c *collection) put(name string, data []byte, uid string) *resource {
	r := &resource{data, fmt.Sprintf("%016x", xxhash.Sum64(data)), uid}
	c.revision++
	c.forget(name)
	c.items[name], c.changes[name], c.named[uid] = r, c.revision, name
	return r
}

func (c *collection) remove(name string) {
	c.revision++
	c.forget(name)
	delete(c.items, name)
	c.changes[name] = c.revision
}

// forget drops the UID of a resource.
func (c *collection) forget(name string) {
	if was := c.items[name]; was != nil && c.named[was.uid] == name {
		delete(c.named, was.uid)
	}
}

func uidOf(data []byte) string {
	doc, err := ical.ParseDocument(context.Background(), data)
	if err != nil || len(doc.Objects) != 1 || doc.Damaged {
		return ""
	}
	return doc.Objects[0].UID
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

// describe takes the name and the colour of a calendar out of a request.
func (c *collection) describe(body []byte) {
	var v struct {
		Sets []struct {
			Prop struct {
				Name   *string `xml:"DAV: displayname"`
				Colour *string `xml:"http://apple.com/ns/ical/ calendar-color"`
			} `xml:"DAV: prop"`
		} `xml:"DAV: set"`
	}
	if xml.Unmarshal(body, &v) != nil {
		return
	}
	for _, set := range v.Sets {
		if set.Prop.Name != nil {
			c.name = *set.Prop.Name
		}
		if set.Prop.Colour != nil {
			c.colour = *set.Prop.Colour
		}
	}
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
			edits = append(edits, ical.ObjectEdit{New: o.Raws})
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

// condition answers with the condition that was not met (RFC 4791 §1.3).
func condition(w http.ResponseWriter, status int, name string) {
	w.Header().Set("Content-Type", "application/xml; charset=utf-8")
	w.WriteHeader(status)
	fmt.Fprintf(w, `<?xml version="1.0" encoding="utf-8"?><D:error xmlns:D="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><%s/></D:error>`, name)
}

func href(p string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte((&url.URL{Path: p}).EscapedPath()))
	return "<D:href>" + b.String() + "</D:href>"
}

func multistatus(w http.ResponseWriter, inner string) {
	w.Header().Set("Content-Type", "application/xml; charset=utf-8")
	w.WriteHeader(http.StatusMultiStatus)
	fmt.Fprintf(w, `<?xml version="1.0" encoding="utf-8"?><D:multistatus xmlns:D="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav" xmlns:S="http://calendarserver.org/ns/" xmlns:A="http://apple.com/ns/ical/">%s</D:multistatus>`, inner)
}

// asked lists the properties that a request is about.
func asked(body []byte) []xml.Name {
	d := xml.NewDecoder(bytes.NewReader(body))
	var out []xml.Name
	depth, at := 0, -1
	for {
		t, err := d.Token()
		if err != nil {
			return out
		}
		switch t := t.(type) {
		case xml.StartElement:
			depth++
			if at < 0 && t.Name.Local == "prop" {
				at = depth
			} else if at > 0 && depth == at+1 {
				out = append(out, t.Name)
			}
		case xml.EndElement:
			if depth == at {
				return out
			}
			depth--
		}
	}
}

// props writes the answer about one resource.
func props(p string, names []xml.Name, value func(local string) (string, bool)) string {
	var have, miss strings.Builder
	for _, n := range names {
		text, ok := value(n.Local)
		to := &have
		if !ok {
			to, text = &miss, ""
		}
		fmt.Fprintf(to, `<x:%s xmlns:x="%s">%s</x:%s>`, n.Local, n.Space, text, n.Local)
	}
	out := "<D:response>" + href(p)
	if have.Len() > 0 || miss.Len() == 0 {
		out += "<D:propstat><D:prop>" + have.String() + "</D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat>"
	}
	if miss.Len() > 0 {
		out += "<D:propstat><D:prop>" + miss.String() + "</D:prop><D:status>HTTP/1.1 404 Not Found</D:status></D:propstat>"
	}
	return out + "</D:response>"
}

func escaped(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s))
	return b.String()
}

func (s *Server) itemProps(p string, names []xml.Name, it *resource) string {
	return props(p, names, func(local string) (string, bool) {
		switch local {
		case "getetag":
			tag := s.Faults.etag(it.etag)
			return escaped(tag), tag != ""
		case "calendar-data":
			return escaped(string(it.data)), true
		case "getcontenttype":
			return "text/calendar; charset=utf-8; component=VEVENT", true
		case "resourcetype":
			return "", true
		case "getcontentlength":
			return strconv.Itoa(len(it.data)), true
		}
		return "", false
	})
}

func (s *Server) token(name string, c *collection) string { return tokenOf(name, c.revision) }

func tokenOf(name string, revision int) string {
	return fmt.Sprintf("urn:almanach:sync:%s:%d", url.PathEscape(name), revision)
}

func (s *Server) calendarProps(name string, names []xml.Name, c *collection) string {
	return props(home+name+"/", names, func(local string) (string, bool) {
		switch local {
		case "resourcetype":
			return "<D:collection/><C:calendar/>", true
		case "displayname":
			return escaped(c.name), true
		case "calendar-color":
			return escaped(c.colour), c.colour != ""
		case "getctag":
			return strconv.Itoa(c.revision), true
		case "sync-token":
			return escaped(s.token(name, c)), !s.Faults.NoSync
		case "supported-calendar-component-set":
			return `<C:comp name="VEVENT"/>`, true
		case "supported-report-set":
			return "<D:supported-report><D:report><C:calendar-multiget/></D:report></D:supported-report><D:supported-report><D:report><C:calendar-query/></D:report></D:supported-report><D:supported-report><D:report><D:sync-collection/></D:report></D:supported-report>", true
		}
		return s.anyProp(local)
	})
}

// anyProp gives the properties that everything here has.
func (s *Server) anyProp(local string) (string, bool) {
	switch local {
	case "current-user-principal", "principal-URL", "owner":
		return "<D:href>/</D:href>", true
	case "calendar-home-set":
		return "<D:href>" + home + "</D:href>", true
	case "current-user-privilege-set":
		return "<D:privilege><D:read/></D:privilege><D:privilege><D:write/></D:privilege>", true
	}
	return "", false
}

func (s *Server) propfind(w http.ResponseWriter, r *http.Request, name, item string, body []byte) {
	names, deep := asked(body), r.Header.Get("Depth") == "1"
	if len(names) == 0 {
		names = []xml.Name{{Space: "DAV:", Local: "resourcetype"}, {Space: "DAV:", Local: "displayname"}, {Space: "DAV:", Local: "getetag"}}
	}
	var b strings.Builder
	c := s.calendars[name]
	switch {
	case name == "":
		b.WriteString(props(path.Clean(r.URL.Path), names, func(local string) (string, bool) {
			if local == "resourcetype" {
				return "<D:collection/>", true
			}
			return s.anyProp(local)
		}))
		if deep {
			for _, n := range slices.Sorted(maps.Keys(s.calendars)) {
				b.WriteString(s.calendarProps(n, names, s.calendars[n]))
			}
		}
	case c == nil || item != "" && c.items[item] == nil:
		http.NotFound(w, r)
		return
	case item != "":
		b.WriteString(s.itemProps(home+name+"/"+item, names, c.items[item]))
	default:
		b.WriteString(s.calendarProps(name, names, c))
		if deep {
			for _, n := range slices.Sorted(maps.Keys(c.items)) {
				if n == s.Faults.Deny {
					b.WriteString("<D:response>" + href(home+name+"/"+n) + "<D:status>HTTP/1.1 403 Forbidden</D:status></D:response>")
					continue
				}
				b.WriteString(s.itemProps(home+name+"/"+n, names, c.items[n]))
			}
		}
	}
	multistatus(w, b.String())
}

// question is a REPORT.
type question struct {
	XMLName xml.Name
	Token   string   `xml:"DAV: sync-token"`
	Hrefs   []string `xml:"DAV: href"`
	Range   *struct {
		Start string `xml:"start,attr"`
		End   string `xml:"end,attr"`
	} `xml:"filter>comp-filter>comp-filter>time-range"`
}

func (s *Server) report(w http.ResponseWriter, r *http.Request, c *collection, name string, body []byte) {
	var q question
	if c == nil {
		http.NotFound(w, r)
		return
	}
	if err := xml.Unmarshal(body, &q); err != nil {
		http.Error(w, "the question cannot be read", http.StatusBadRequest)
		return
	}
	names := asked(body)
	var b strings.Builder
	switch q.XMLName.Local {
	case "calendar-multiget":
		for _, h := range q.Hrefs {
			u, err := url.Parse(strings.TrimSpace(h))
			if err != nil {
				continue
			}
			if s.Faults.Omit != "" && path.Base(u.Path) == s.Faults.Omit {
				continue
			}
			if s.Faults.Withhold != "" && path.Base(u.Path) == s.Faults.Withhold {
				b.WriteString("<D:response>" + href(u.Path) + "<D:status>HTTP/1.1 403 Forbidden</D:status></D:response>")
				continue
			}
			if it := c.items[path.Base(u.Path)]; it != nil && path.Dir(u.Path)+"/" == home+name+"/" {
				b.WriteString(s.itemProps(u.Path, names, it))
			} else {
				b.WriteString("<D:response>" + href(u.Path) + "<D:status>HTTP/1.1 404 Not Found</D:status></D:response>")
			}
		}
	case "calendar-query":
		from, to := rangeOf(q)
		for _, n := range slices.Sorted(maps.Keys(c.items)) {
			if q.Range == nil || s.within(c.items[n], from, to) {
				b.WriteString(s.itemProps(home+name+"/"+n, names, c.items[n]))
			}
		}
	case "sync-collection":
		since, ok := s.since(name, c, q.Token)
		if s.Faults.NoSync || !ok {
			condition(w, http.StatusForbidden, "D:valid-sync-token")
			return
		}
		upTo, told := c.revision, 0
		for _, n := range slices.SortedFunc(maps.Keys(c.changes), func(a, b string) int { return cmp.Or(c.changes[a]-c.changes[b], strings.Compare(a, b)) }) {
			if c.changes[n] <= since {
				continue
			}
			if s.Faults.Page > 0 && told == s.Faults.Page {
				b.WriteString("<D:response>" + href(home+name+"/") + "<D:status>HTTP/1.1 507 Insufficient Storage</D:status></D:response>")
				break
			}
			told++
			if s.Faults.Page > 0 {
				upTo = c.changes[n]
			}
			switch {
			case c.items[n] != nil:
				b.WriteString(s.itemProps(home+name+"/"+n, names, c.items[n]))
			case since > 0:
				b.WriteString("<D:response>" + href(home+name+"/"+n) + "<D:status>HTTP/1.1 404 Not Found</D:status></D:response>")
			}
		}
		if told < s.Faults.Page {
			upTo = c.revision
		}
		b.WriteString("<D:sync-token>" + escaped(tokenOf(name, upTo)) + "</D:sync-token>")
	default:
		condition(w, http.StatusForbidden, "D:supported-report")
		return
	}
	multistatus(w, b.String())
}

// since gives the revision of a sync token, 0 for none.
func (s *Server) since(name string, c *collection, token string) (int, bool) {
	if token == "" {
		return 0, true
	}
	n, err := strconv.Atoi(strings.TrimPrefix(token, fmt.Sprintf("urn:almanach:sync:%s:", url.PathEscape(name))))
	return n, err == nil && n >= 0 && n <= c.revision
}

// rangeOf gives the time range of a question, open where it does not say.
func rangeOf(q question) (from, to int64) {
	from, to = -1<<40, 1<<40
	if q.Range == nil {
		return from, to
	}
	const form = "20060102T150405Z"
	if t, err := time.Parse(form, q.Range.Start); err == nil {
		from = t.Unix()
	}
	if t, err := time.Parse(form, q.Range.End); err == nil {
		to = t.Unix()
	}
	return from, to
}

// within tells whether an event takes place in a time range (RFC 4791 §9.9).
func (s *Server) within(it *resource, from, to int64) bool {
	doc, err := ical.ParseDocument(context.Background(), it.data)
	if err != nil {
		return false
	}
	zones := ical.NewTimeZones(s.book)
	for _, raw := range doc.TimeZones {
		_ = zones.Define(raw)
	}
	for _, o := range doc.Objects {
		series, err := recur.Read(o.Raws, zones.Find)
		if err != nil {
			return true // what cannot be read is not kept from anybody
		}
		met := false
		_ = series.In(recur.Window{From: from, To: to}, func(recur.Occurrence) { met = true })
		if met {
			return true
		}
	}
	return false
}
