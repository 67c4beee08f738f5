package caldav

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/xml"
	"iter"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
)

// workers is how many writes are under way at once.
const workers = 4

// Calendar is an open calendar on a server.
type Calendar struct {
	*client
	book     *zone.Book
	zones    *ical.TimeZones
	cache    string // path of what is remembered of the server; "" for nowhere
	known    remembered
	byObject map[*ical.Object]*resource
	progress calendar.Progress
	now      func() time.Time
	mu       sync.Mutex // of what Apply's workers share
}

// resource is one resource of the calendar, read.
type resource struct {
	href, etag string
	doc        *ical.Document
}

// Open opens the calendar that a spec names. Nothing is asked of the server yet.
func Open(spec calendar.Spec, book *zone.Book) (*Calendar, error) {
	client, err := newClient(spec.Server)
	if err != nil {
		return nil, err
	}
	c := &Calendar{client: client, book: book, progress: spec.Progress, now: time.Now, zones: ical.NewTimeZones(book), known: newMemory()}
	if spec.Cache != "" {
		sum := sha256.Sum256([]byte(client.server.String() + "\n" + spec.Server.User))
		c.cache = filepath.Join(spec.Cache, hex.EncodeToString(sum[:12])+".gob")
		c.recall()
	}
	return c, nil
}

// Close implements calendar.Backend.
func (c *Calendar) Close() error {
	c.http.CloseIdleConnections()
	return nil
}

// Zones implements calendar.Backend.
func (c *Calendar) Zones() ical.Zones {
	return func(tzid string) (*zone.Zone, error) { return c.zones.Find(tzid) }
}

// Entries implements calendar.Backend.
func (c *Calendar) Entries(ctx context.Context) iter.Seq2[*ical.Object, error] {
	return func(yield func(*ical.Object, error) bool) {
		c.zones, c.byObject = ical.NewTimeZones(c.book), map[*ical.Object]*resource{}
		if err := c.refresh(ctx); err != nil {
			if ctx.Err() == nil {
				f := fault.Of(err)
				f.Cause = unreachable{f.Cause}
				err = f
			}
			yield(nil, err)
			return
		}
		hrefs := make([]string, 0, len(c.known.Items))
		for href := range c.known.Items {
			hrefs = append(hrefs, href)
		}
		slices.Sort(hrefs)
		for _, href := range hrefs {
			if !c.read(ctx, href, c.known.Items[href], yield) {
				return
			}
		}
	}
}

// read gives the objects of one resource. One that is damaged spoils only
// itself.
func (c *Calendar) read(ctx context.Context, href string, it item, yield func(*ical.Object, error) bool) bool {
	at := fault.Place{File: c.server.Host + href}
	if it.Data == withheld {
		return yield(nil, fault.Newf("the server lists this event and does not give it, so nothing is known of it").At(at).Do("look at it in another program; its row is not told from one whose event was deleted").FromOutside())
	}
	doc, err := ical.ParseDocument(ctx, []byte(it.Data))
	if err != nil {
		return yield(nil, err)
	}
	faults := doc.Faults
	for _, raw := range doc.TimeZones {
		if err := c.zones.Define(raw); err != nil {
			faults = append(faults, fault.Newf("%w", err))
		}
	}
	for _, problem := range faults {
		problem.Place.File = at.File
		if !yield(nil, problem) {
			return false
		}
	}
	if doc.Damaged {
		return true
	}
	r := &resource{href, it.ETag, doc}
	for i := range doc.Objects {
		o := &doc.Objects[i]
		o.File = pathBase(href)
		c.mark(href, o)
		c.byObject[o] = r
		if !yield(o, nil) {
			return false
		}
	}
	return true
}

func pathBase(href string) string {
	base := href[strings.LastIndexByte(strings.TrimSuffix(href, "/"), '/')+1:]
	if name, err := url.PathUnescape(base); err == nil {
		return name
	}
	return base
}

// refresh learns what the server holds: nothing new where its token is the one
// that is known, else what has changed since, else everything by ETag.
func (c *Calendar) refresh(ctx context.Context) error {
	m, err := c.propfind(ctx, "", "0", "<resourcetype/><sync-token/><S:getctag/>")
	if err != nil {
		return err
	}
	var now prop
	if len(m.Responses) > 0 {
		now, _ = m.Responses[0].found()
	}
	if now.Type.Calendar == nil {
		return c.fault("has something at that address that is no calendar").Do("almanach calendars URL lists the calendars of an account")
	}
	whole := true // nothing was withheld the last time
	for _, it := range c.known.Items {
		whole = whole && it.Data != withheld
	}
	if whole && now.SyncToken != "" && now.SyncToken == c.known.Token || whole && now.SyncToken == "" && now.CTag != "" && now.CTag == c.known.CTag {
		return nil
	}
	if whole && c.known.Token != "" && now.SyncToken != "" {
		if done, err := c.sync(ctx); done || err != nil {
			return err
		}
	}
	if err := c.list(ctx); err != nil {
		return err
	}
	c.known.Token, c.known.CTag = now.SyncToken, now.CTag
	c.keep()
	return nil
}

// sync asks for what has changed since the token that is known (RFC 6578). It
// tells whether the server could say so.
func (c *Calendar) sync(ctx context.Context) (bool, error) {
	var b strings.Builder
	b.WriteString(`<sync-collection xmlns="DAV:"><sync-token>`)
	if err := xml.EscapeText(&b, []byte(c.known.Token)); err != nil {
		return false, err
	}
	b.WriteString(`</sync-token><sync-level>1</sync-level><prop><getetag/></prop></sync-collection>`)
	a, err := c.report(ctx, "0", b.String())
	if err != nil {
		if ctx.Err() != nil {
			return false, err
		}
		return false, nil // an old token is refused in many ways
	}
	m, err := c.parse(a)
	if err != nil || m.SyncToken == "" {
		return false, nil
	}
	more := false // there is more than the server tells at a time (RFC 6578 §3.6)
	var wanted []string
	for i := range m.Responses {
		r := &m.Responses[i]
		href := c.path(r.Href)
		switch p, _ := r.found(); {
		case r.gone():
			c.known.forget(href)
		case strings.HasSuffix(href, "/") && strings.Contains(r.Status, " 507 "):
			more = true
		case !strings.HasSuffix(href, "/") && (p.ETag == "" || c.known.Items[href].ETag != p.ETag):
			wanted = append(wanted, href)
		}
	}
	if err := c.fetch(ctx, wanted); err != nil {
		return false, err
	}
	if more && m.SyncToken == c.known.Token {
		return false, nil // it would not end
	}
	c.known.Token = m.SyncToken
	c.keep()
	if more {
		return c.sync(ctx)
	}
	return true, nil
}

// list asks for the ETags of everything, and for what is not known by them.
func (c *Calendar) list(ctx context.Context) error {
	m, err := c.propfind(ctx, "", "1", "<getetag/><resourcetype/>")
	if err != nil {
		return err
	}
	there := map[string]bool{}
	var wanted []string
	for i := range m.Responses {
		href := c.path(m.Responses[i].Href)
		p, ok := m.Responses[i].found()
		if m.Responses[i].gone() || ok && p.Type.Collection != nil || strings.HasSuffix(href, "/") {
			continue
		}
		there[href] = true // also where the server says an error of it: it is not gone
		if it, known := c.known.Items[href]; !known || it.Data == withheld || p.ETag == "" || it.ETag != p.ETag {
			wanted = append(wanted, href)
		}
	}
	for href := range c.known.Items {
		if !there[href] {
			c.known.forget(href)
		}
	}
	return c.fetch(ctx, wanted)
}

// fetch reads resources anew.
func (c *Calendar) fetch(ctx context.Context, hrefs []string) error {
	c.mu.Lock()
	for _, h := range hrefs {
		delete(c.known.Items, h)
	}
	c.mu.Unlock()
	return c.multiget(ctx, hrefs, func(href, etag, data string) {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.known.Items[href] = item{etag, data}
	})
}

// withheld is a resource that the server lists and does not give. It is asked
// for anew every time.
const withheld = "\x00"

// Requests is how many requests were sent.
func (c *Calendar) Requests() int { return int(c.sent.Load()) }

// unreachable is why a server cannot be read at all.
type unreachable struct{ error }

func (unreachable) Is(target error) bool { return target == calendar.ErrUnreachable }
func (u unreachable) Unwrap() error      { return u.error }
