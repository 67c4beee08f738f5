// Package caldav is a calendar on a server (RFC 4791): found again by ETag,
// created and changed only where nobody was faster, and read back after every
// write.
package caldav

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/time/rate"

	"almanach/internal/core/fault"
	"almanach/internal/edge/calendar"
)

// client speaks to one server.
type client struct {
	http   *http.Client
	server *url.URL
	spec   calendar.Server
	pace   *rate.Limiter // nil for none
	mine   credentials
	sleep  func(context.Context, time.Duration) error
	sent   atomic.Int64 // requests, for those who count
}

// Limits of one answer and of one request.
const (
	maxAnswer = 256 << 20
	patience  = 5 // times a request is sent at most
	timeLimit = 2 * time.Minute
)

// newClient gives a client for a server. Without TLS it only speaks to this
// machine, unless the desk allows it by name.
func newClient(spec calendar.Server) (*client, error) {
	u, err := url.Parse(spec.URL)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return nil, fault.New(spec.URL, "is not the address of a calendar").Do("write it as https://server/path/")
	}
	if u.User != nil {
		return nil, fault.Newf("the address of a calendar holds a name or a password").Do("give user: and password: beside it, so that no secret stands in almanach.yaml")
	}
	if u.Scheme == "http" && !spec.Plain && !loopback(u.Hostname()) {
		return nil, fault.Newf("%s is not encrypted, so the password could be read on the way", u.Host).Do("write https://, or allow it with plain_http: yes")
	}
	if !strings.HasSuffix(u.Path, "/") {
		u.Path += "/"
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12}
	transport.MaxIdleConnsPerHost = workers
	if spec.Cert != "" {
		pair, err := tls.LoadX509KeyPair(spec.Cert, spec.Cert)
		if err != nil {
			return nil, fault.Newf("holds no certificate with its key: %w", fault.Bare(err)).At(fault.Place{File: spec.Cert}).Do("give a PEM file with both")
		}
		transport.TLSClientConfig.Certificates = []tls.Certificate{pair}
	}
	if spec.CA != "" {
		pem, err := os.ReadFile(spec.CA)
		pool := x509.NewCertPool()
		if err != nil || !pool.AppendCertsFromPEM(pem) {
			return nil, fault.Newf("holds no certificate").At(fault.Place{File: spec.CA}).Do("give the file of the server's own authority, in PEM form")
		}
		transport.TLSClientConfig.RootCAs = pool
	}
	c := &client{server: u, spec: spec, sleep: sleep}
	if spec.Rate > 0 {
		c.pace = rate.NewLimiter(rate.Limit(spec.Rate), 1)
	}
	c.http = &http.Client{Transport: transport, Timeout: timeLimit, CheckRedirect: func(r *http.Request, via []*http.Request) error {
		switch {
		case len(via) > 5:
			return errors.New("it leads in a circle")
		case r.URL.Host != u.Host || r.URL.Scheme != u.Scheme:
			return fmt.Errorf("it leads to %s; the password is not sent there", r.URL.Host)
		}
		return nil
	}}
	return c, nil
}

func loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

func sleep(ctx context.Context, d time.Duration) error {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-t.C:
		return nil
	}
}

// credentials are read once, and never shown.
type credentials struct {
	sync.Mutex
	read            bool
	password, token string
}

// credentials gives the password and the token, from where the desk says.
func (c *client) credentials(ctx context.Context) (password, token string, err error) {
	c.mine.Lock()
	defer c.mine.Unlock()
	if !c.mine.read {
		if c.mine.password, err = c.spec.Password.Read(ctx, "password", c.spec.User); err != nil {
			return "", "", err
		}
		if c.mine.token, err = c.spec.Token.Read(ctx, "token", c.spec.User); err != nil {
			return "", "", err
		}
		c.mine.read = true
	}
	return c.mine.password, c.mine.token, nil
}

// outdated forgets a token that is not taken any more, where it can be had anew.
// It tells whether that is so.
func (c *client) outdated(token string) bool {
	c.mine.Lock()
	defer c.mine.Unlock()
	if token == "" || c.spec.Token.Command == "" {
		return false
	}
	if c.mine.token == token {
		c.mine.read = false
	}
	return true
}

// request is what is sent.
type request struct {
	method, href string
	body         []byte
	header       map[string]string
	again        bool // with another token
}

// answer is what came back.
type answer struct {
	status int
	header http.Header
	body   []byte
}

// lost is an error after which nothing is known of a request.
type lost struct{ error }

func (lost) Is(target error) bool { return target == errLost }
func (l lost) Unwrap() error      { return l.error }

// errLost means that a request was sent and nothing is known of what became of
// it.
var errLost = errors.New("the connection was lost")

// send sends a request, again where the server asks for patience. once is for
// what must not be sent again before it is known what became of it.
func (c *client) send(ctx context.Context, r request, once bool) (*answer, error) {
	for n := 1; ; n++ {
		if c.pace != nil {
			if err := c.pace.Wait(ctx); err != nil {
				return nil, err
			}
		}
		a, err := c.attempt(ctx, r, once)
		wait := time.Duration(0)
		switch {
		case err != nil && ctx.Err() != nil:
			return nil, ctx.Err()
		case err != nil:
			var known *fault.Fault
			if errors.As(err, &known) {
				return nil, err
			}
			if once || n == patience {
				return nil, c.fault("cannot be reached: %w", lost{fault.Bare(err)}).Do("check the address and the network, then try again; what was written stands").FromOutside()
			}
		case a.status == http.StatusTooManyRequests || a.status == http.StatusServiceUnavailable || a.status == http.StatusBadGateway || a.status == http.StatusGatewayTimeout:
			if n == patience {
				return nil, c.fault("says that it is too busy (%d)", a.status).Do("load again later; what was written stands").FromOutside()
			}
			wait = retryAfter(a.header.Get("Retry-After"))
		default:
			return a, nil
		}
		if wait == 0 {
			unit := time.Second
			if loopback(c.server.Hostname()) { // nobody else is in its way
				unit /= 50
			}
			wait = time.Duration(float64(unit) * float64(int(1)<<n) / 4 * (0.5 + rand.Float64()))
		}
		if wait > time.Minute {
			return nil, c.fault("wants %v of rest", wait.Round(time.Second)).Do("load again then; what was written stands").FromOutside()
		}
		if err := c.sleep(ctx, wait); err != nil {
			return nil, err
		}
	}
}

// grace is how long a write that is under way may take when a run is ended.
const grace = 10 * time.Second

// attempt sends a request. A write that is under way is not cut off when the run
// is ended, so that what became of it is known.
func (c *client) attempt(ctx context.Context, r request, write bool) (*answer, error) {
	if !write {
		return c.try(ctx, r)
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	longer, cancel := context.WithCancel(context.WithoutCancel(ctx))
	defer cancel()
	defer context.AfterFunc(ctx, func() { time.AfterFunc(grace, cancel) })()
	return c.try(longer, r)
}

// retryAfter reads how long a server wants to be left alone (RFC 9110 §10.2.3).
func retryAfter(text string) time.Duration {
	if n, err := strconv.Atoi(text); err == nil && n > 0 {
		return time.Duration(n) * time.Second
	}
	if t, err := http.ParseTime(text); err == nil {
		return max(time.Until(t), 0)
	}
	return 0
}

// try sends a request once.
func (c *client) try(ctx context.Context, r request) (*answer, error) {
	u := *c.server
	if r.href != "" {
		there, err := c.server.Parse(r.href)
		if err != nil || there.Host != c.server.Host {
			return nil, c.fault("names %s as a place of its own, which is not on it", fault.Shorten(r.href, 80)).FromOutside()
		}
		u = *there
	}
	password, token, err := c.credentials(ctx)
	if err != nil {
		return nil, err
	}
	req, err := http.NewRequestWithContext(ctx, r.method, u.String(), bytes.NewReader(r.body))
	if err != nil {
		return nil, err
	}
	req.Header.Set("User-Agent", "almanach")
	for name, value := range r.header {
		req.Header.Set(name, value)
	}
	switch {
	case token != "":
		req.Header.Set("Authorization", "Bearer "+token)
	case c.spec.User != "" || password != "":
		req.SetBasicAuth(c.spec.User, password)
	}
	c.sent.Add(1)
	resp, err := c.http.Do(req)
	if err != nil {
		var tlsErr *tls.CertificateVerificationError
		var urlErr *url.Error
		switch {
		case errors.As(err, &tlsErr):
			return nil, c.fault("shows a certificate that cannot be trusted: %v", tlsErr.Err).Do("check the address; for an authority of your own give ca: FILE").FromOutside()
		case errors.As(err, &urlErr) && strings.Contains(urlErr.Err.Error(), "it leads"):
			return nil, c.fault("sends on to another place: %v", urlErr.Err).Do("give the address that it leads to, if it is yours").FromOutside()
		}
		return nil, err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(io.LimitReader(resp.Body, maxAnswer+1))
	if err != nil {
		return nil, err
	}
	if len(body) > maxAnswer {
		return nil, c.fault("answers with more than %d MiB", maxAnswer>>20).FromOutside()
	}
	if resp.StatusCode == http.StatusUnauthorized {
		switch {
		case c.outdated(token) && !r.again:
			r.again = true
			return c.try(ctx, r)
		case token != "":
			return nil, c.fault("does not accept the token").Do("check token of the calendar")
		}
		return nil, c.fault("does not accept the name and password").Do("check user and password of the calendar")
	}
	return &answer{resp.StatusCode, resp.Header, body}, nil
}

// fault begins a message about the server.
func (c *client) fault(format string, args ...any) *fault.Fault {
	return fault.Newf("the server "+c.server.Host+" "+format, args...).At(fault.Place{File: c.server.Redacted()})
}

// The XML of WebDAV (RFC 4918), as far as it is used.
type multistatus struct {
	Responses []response `xml:"DAV: response"`
	SyncToken string     `xml:"DAV: sync-token"`
}

type response struct {
	Href   string     `xml:"DAV: href"`
	Status string     `xml:"DAV: status"`
	Stats  []propstat `xml:"DAV: propstat"`
	Error  *anyXML    `xml:"DAV: error"`
}

type propstat struct {
	Status string `xml:"DAV: status"`
	Prop   prop   `xml:"DAV: prop"`
}

type anyXML struct {
	Inner string `xml:",innerxml"`
}

type prop struct {
	ETag      string `xml:"DAV: getetag"`
	Data      string `xml:"urn:ietf:params:xml:ns:caldav calendar-data"`
	CTag      string `xml:"http://calendarserver.org/ns/ getctag"`
	SyncToken string `xml:"DAV: sync-token"`
	Name      string `xml:"DAV: displayname"`
	Colour    string `xml:"http://apple.com/ns/ical/ calendar-color"`
	Type      struct {
		Calendar   *struct{} `xml:"urn:ietf:params:xml:ns:caldav calendar"`
		Collection *struct{} `xml:"DAV: collection"`
	} `xml:"DAV: resourcetype"`
	Privileges []struct {
		Write *struct{} `xml:"DAV: write"`
		All   *struct{} `xml:"DAV: all"`
		Bind  *struct{} `xml:"DAV: bind"`
		Read  *struct{} `xml:"DAV: read"`
	} `xml:"DAV: current-user-privilege-set>privilege"`
	Principal struct {
		Href string `xml:"DAV: href"`
	} `xml:"DAV: current-user-principal"`
	Home struct {
		Href string `xml:"DAV: href"`
	} `xml:"urn:ietf:params:xml:ns:caldav calendar-home-set"`
}

// found gives the properties of a response that the server has.
func (r *response) found() (prop, bool) {
	for _, s := range r.Stats {
		if s.Status == "" || strings.Contains(s.Status, " 200 ") {
			return s.Prop, true
		}
	}
	return prop{}, false
}

// gone tells whether a response says that its resource is not there.
func (r *response) gone() bool {
	return strings.Contains(r.Status, " 404 ") || strings.Contains(r.Status, " 410 ")
}

// parse reads a multistatus answer.
func (c *client) parse(a *answer) (*multistatus, error) {
	if a.status == http.StatusNotFound {
		return nil, c.fault("has no calendar there").Do("check its address; almanach calendars URL lists those of an account")
	}
	if a.status != http.StatusMultiStatus {
		what := fmt.Sprintf("(%d)", a.status)
		if text := bytes.TrimSpace(a.body); bytes.HasPrefix(text, []byte("<!DOCTYPE html")) || bytes.HasPrefix(text, []byte("<html")) {
			what = "with a web page " + what
		}
		return nil, c.fault("does not answer as a calendar server, but %s", what).Do("check the address of the calendar")
	}
	var m multistatus
	d := xml.NewDecoder(bytes.NewReader(a.body))
	d.Strict = true
	if err := d.Decode(&m); err != nil {
		return nil, c.fault("answers with XML that cannot be read: %w", err).FromOutside()
	}
	return &m, nil
}

const xmlHead = `<?xml version="1.0" encoding="utf-8"?>` + "\n"

// propfind asks for properties (RFC 4918 §9.1).
func (c *client) propfind(ctx context.Context, href, depth, props string) (*multistatus, error) {
	body := xmlHead + `<propfind xmlns="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav" xmlns:S="http://calendarserver.org/ns/" xmlns:A="http://apple.com/ns/ical/"><prop>` + props + `</prop></propfind>`
	a, err := c.send(ctx, request{method: "PROPFIND", href: href, body: []byte(body), header: map[string]string{"Depth": depth, "Content-Type": "application/xml; charset=utf-8"}}, false)
	if err != nil {
		return nil, err
	}
	return c.parse(a)
}

// report asks a question of a calendar.
func (c *client) report(ctx context.Context, depth, body string) (*answer, error) {
	return c.send(ctx, request{method: "REPORT", href: "", body: []byte(xmlHead + body), header: map[string]string{"Depth": depth, "Content-Type": "application/xml; charset=utf-8"}}, false)
}

// batch is how many resources are asked for at once.
const batch = 100

// multiget reads resources (RFC 4791 §7.9). What is not there any more is left
// out.
func (c *client) multiget(ctx context.Context, hrefs []string, yield func(href, etag, data string)) error {
	for len(hrefs) > 0 {
		n := min(batch, len(hrefs))
		var b strings.Builder
		b.WriteString(`<C:calendar-multiget xmlns="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><prop><getetag/><C:calendar-data/></prop>`)
		for _, h := range hrefs[:n] {
			b.WriteString("<href>")
			if err := xml.EscapeText(&b, []byte(h)); err != nil {
				return err
			}
			b.WriteString("</href>")
		}
		b.WriteString("</C:calendar-multiget>")
		a, err := c.report(ctx, "1", b.String())
		if err != nil {
			return err
		}
		m, err := c.parse(a)
		if err != nil {
			return err
		}
		answered := map[string]bool{}
		for i := range m.Responses {
			p, _ := m.Responses[i].found()
			href := c.path(m.Responses[i].Href)
			answered[href] = true
			switch {
			case p.Data != "":
				yield(href, p.ETag, p.Data)
			case !m.Responses[i].gone():
				yield(href, p.ETag, withheld)
			}
		}
		for _, h := range hrefs[:n] {
			if !answered[c.path(h)] { // nothing is said of it: it is not gone
				yield(c.path(h), "", withheld)
			}
		}
		hrefs = hrefs[n:]
	}
	return nil
}

// path gives an href as a path of the server, in one spelling.
func (c *client) path(href string) string {
	u, err := c.server.Parse(href)
	if err != nil {
		return href
	}
	if strings.Contains(strings.ToUpper(u.RawPath), "%2F") { // a slash in a name
		return u.EscapedPath()
	}
	return (&url.URL{Path: u.Path}).EscapedPath()
}
