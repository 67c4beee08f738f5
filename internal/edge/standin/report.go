package standin

import (
	"almanach/internal/core/ical"
	"almanach/internal/core/recur"
	"cmp"
	"context"
	"encoding/xml"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"
)

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
		series, err := recur.Read(o.Raws(), zones.Find)
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
