package standin

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"
)

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
