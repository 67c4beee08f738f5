package caldav

import (
	"almanach/internal/edge/calendar"
	"context"
	"encoding/xml"
	"errors"
	"net/http"
	"strings"
)

// Make makes the calendar on the server (RFC 4791 §5.3.1).
func (c *Calendar) Make(ctx context.Context, name string) error {
	var b strings.Builder
	b.WriteString(xmlHead + `<C:mkcalendar xmlns="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><set><prop><displayname>`)
	if err := xml.EscapeText(&b, []byte(name)); err != nil {
		return err
	}
	b.WriteString(`</displayname><C:supported-calendar-component-set><C:comp name="VEVENT"/></C:supported-calendar-component-set></prop></set></C:mkcalendar>`)
	a, err := c.send(ctx, request{method: "MKCALENDAR", href: "", body: []byte(b.String()), header: map[string]string{"Content-Type": "application/xml; charset=utf-8"}}, false)
	if err != nil {
		return err
	}
	if a.status != http.StatusCreated && a.status != http.StatusOK && a.status != http.StatusNoContent {
		reason := refusal(a)
		if reason == "" {
			reason = http.StatusText(a.status)
		}
		return c.fault("does not make the calendar: %s", reason).Do("make it with another program, or give the address of one that is there").FromOutside()
	}
	return nil
}

// Describe gives the calendar another name or colour on its server (RFC 4918
// §9.2); "" leaves one as it is. A colour is #RRGGBB.
func (c *Calendar) Describe(ctx context.Context, name, colour string) error {
	var b strings.Builder
	b.WriteString(xmlHead + `<propertyupdate xmlns="DAV:" xmlns:A="http://apple.com/ns/ical/"><set><prop>`)
	for _, p := range []struct{ tag, value string }{{"displayname", name}, {"A:calendar-color", colour}} {
		if p.value == "" {
			continue
		}
		b.WriteString("<" + p.tag + ">")
		if err := xml.EscapeText(&b, []byte(p.value)); err != nil {
			return err
		}
		b.WriteString("</" + p.tag + ">")
	}
	b.WriteString(`</prop></set></propertyupdate>`)
	a, err := c.send(ctx, request{method: "PROPPATCH", body: []byte(b.String()), header: map[string]string{"Content-Type": "application/xml; charset=utf-8"}}, false)
	if err != nil {
		return err
	}
	m, err := c.parse(a)
	if err != nil {
		return err
	}
	for _, r := range m.Responses {
		for _, s := range r.Stats {
			if s.Status != "" && !strings.Contains(s.Status, " 200 ") {
				return c.fault("does not take the name or colour: %s", s.Status).Do("see whether you may change this calendar").FromOutside()
			}
		}
	}
	return nil
}

// Listed is one calendar of an account.
type Listed struct {
	URL    string `json:"url"`
	Name   string `json:"name"`
	Colour string `json:"colour,omitempty"`
	Write  bool   `json:"write"`
}

// List finds the calendars of an account from an address on its server: of the
// account itself, of one calendar, or of the server (RFC 6764 §6).
func (c *Calendar) List(ctx context.Context) ([]Listed, error) {
	home := ""
	for _, at := range []string{"", "/.well-known/caldav", "/"} {
		m, err := c.propfind(ctx, at, "0", "<resourcetype/><current-user-principal/><C:calendar-home-set/>")
		if err != nil {
			if at == "/" {
				return nil, err
			}
			continue
		}
		if home = c.homeOf(ctx, m); home != "" {
			break
		}
	}
	m, err := c.propfind(ctx, home, "1", "<resourcetype/><displayname/><A:calendar-color/><current-user-privilege-set/>")
	if err != nil {
		return nil, err
	}
	var out []Listed
	for i := range m.Responses {
		p, ok := m.Responses[i].found()
		if !ok || p.Type.Calendar == nil {
			continue
		}
		u, err := c.server.Parse(m.Responses[i].Href)
		if err != nil {
			continue
		}
		l := Listed{URL: u.String(), Name: p.Name, Colour: p.Colour, Write: len(p.Privileges) == 0}
		for _, may := range p.Privileges {
			l.Write = l.Write || may.Write != nil || may.All != nil || may.Bind != nil
		}
		if l.Name == "" {
			l.Name = pathBase(u.Path)
		}
		out = append(out, l)
	}
	return out, nil
}

// homeOf gives where the calendars of an account are, "" where that cannot be
// told from what was found.
func (c *Calendar) homeOf(ctx context.Context, m *multistatus) string {
	if len(m.Responses) == 0 {
		return ""
	}
	p, _ := m.Responses[0].found()
	if p.Home.Href != "" {
		return p.Home.Href
	}
	if p.Principal.Href == "" {
		return ""
	}
	m, err := c.propfind(ctx, p.Principal.Href, "0", "<C:calendar-home-set/>")
	if err != nil || len(m.Responses) == 0 {
		return ""
	}
	p, _ = m.Responses[0].found()
	return p.Home.Href
}

// Check tries what a load needs: that the calendar is there, and that an event
// can be made, changed and removed. It leaves nothing behind.
func (c *Calendar) Check(ctx context.Context, uid string) error {
	for _, err := range c.Entries(ctx) {
		if errors.Is(err, calendar.ErrUnreachable) || ctx.Err() != nil {
			return err
		}
	}
	probe := func(title string) [][]byte {
		return [][]byte{[]byte("BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20000101T000000Z\r\nDTSTART:20000101T000000Z\r\nDTEND:20000101T000000Z\r\nSUMMARY:" + title + "\r\nX-ALMANACH-CHECK:1\r\nEND:VEVENT\r\n")}
	}
	last, err := c.Apply(ctx, []calendar.Edit{{New: probe("Check")}})
	if err == nil {
		err = last[0].Err
	}
	if err != nil {
		return err
	}
	stripped := len(c.known.Marks) > 0
	for _, edit := range [][][]byte{probe("Check again"), nil} {
		for o, err := range c.Entries(ctx) {
			if err != nil || o.UID != uid {
				continue
			}
			done, err := c.Apply(ctx, []calendar.Edit{{Old: o, New: edit}})
			if err == nil {
				err = done[0].Err
			}
			if err != nil {
				return err
			}
			break
		}
	}
	if stripped {
		return c.fault("does not keep properties of our own, so what was loaded is remembered in .almanach alone: without it, what people change there is not told from what a load wrote")
	}
	return nil
}
