package caldav

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/gob"
	"encoding/hex"
	"encoding/xml"
	"errors"
	"io"
	"iter"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/replace"
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
	mu       sync.Mutex // of what Apply's workers share
}

// remembered is what is known of a calendar from the last time, so that only
// what has changed since is asked for.
type remembered struct {
	Token string // of sync-collection (RFC 6578)
	CTag  string
	Items map[string]item // by path
}

type item struct{ ETag, Data string }

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
	c := &Calendar{client: client, book: book, zones: ical.NewTimeZones(book), known: remembered{Items: map[string]item{}}}
	if spec.Cache != "" {
		sum := sha256.Sum256([]byte(client.server.String() + "\n" + spec.Server.User))
		c.cache = filepath.Join(spec.Cache, hex.EncodeToString(sum[:12])+".gob")
		c.recall()
	}
	return c, nil
}

// recall reads what is remembered. What cannot be read is asked for again.
func (c *Calendar) recall() {
	c.known = remembered{Items: map[string]item{}}
	f, err := os.Open(c.cache)
	if err != nil {
		return
	}
	defer f.Close()
	var known remembered
	if gob.NewDecoder(io.LimitReader(f, 1<<30)).Decode(&known) == nil && known.Items != nil {
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
	var wanted []string
	for i := range m.Responses {
		r := &m.Responses[i]
		href := c.path(r.Href)
		switch p, _ := r.found(); {
		case r.gone():
			delete(c.known.Items, href)
		case !strings.HasSuffix(href, "/") && (p.ETag == "" || c.known.Items[href].ETag != p.ETag):
			wanted = append(wanted, href)
		}
	}
	if err := c.fetch(ctx, wanted); err != nil {
		return false, err
	}
	c.known.Token = m.SyncToken
	c.keep()
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
		if !ok || p.Type.Collection != nil || strings.HasSuffix(href, "/") {
			continue
		}
		there[href] = true
		if it, known := c.known.Items[href]; !known || it.Data == withheld || p.ETag == "" || it.ETag != p.ETag {
			wanted = append(wanted, href)
		}
	}
	for href := range c.known.Items {
		if !there[href] {
			delete(c.known.Items, href)
		}
	}
	return c.fetch(ctx, wanted)
}

// fetch reads resources anew.
func (c *Calendar) fetch(ctx context.Context, hrefs []string) error {
	for _, h := range hrefs {
		delete(c.known.Items, h)
	}
	return c.multiget(ctx, hrefs, func(href, etag, data string) { c.known.Items[href] = item{etag, data} })
}

// withheld is a resource that the server lists and does not give. It is asked
// for anew every time.
const withheld = "\x00"

// Apply implements calendar.Backend: edit by edit, a few at once, each only
// where nobody was faster.
func (c *Calendar) Apply(ctx context.Context, edits []calendar.Edit) ([]calendar.Result, error) {
	results := make([]calendar.Result, len(edits))
	puts := make([]string, len(edits)) // hrefs to be read back
	next := make(chan int)
	var wait sync.WaitGroup
	for range min(workers, len(edits)) {
		wait.Go(func() {
			for i := range next {
				puts[i], results[i].Err = c.one(ctx, edits[i])
			}
		})
	}
	for i := range edits {
		if ctx.Err() != nil {
			results[i].Err = ctx.Err()
			continue
		}
		next <- i
	}
	close(next)
	wait.Wait()
	err := c.readBack(context.WithoutCancel(ctx), edits, puts, results)
	c.keep()
	if ctx.Err() != nil {
		err = ctx.Err()
	}
	return results, err
}

// readBack asks what stands there after the writes.
func (c *Calendar) readBack(ctx context.Context, edits []calendar.Edit, puts []string, results []calendar.Result) error {
	var hrefs []string
	for i, href := range puts {
		if results[i].Err == nil && len(edits[i].New) > 0 {
			hrefs = append(hrefs, href)
		}
	}
	if len(hrefs) == 0 {
		return nil
	}
	if err := c.fetch(ctx, hrefs); err != nil {
		return err
	}
	for i, href := range puts {
		if results[i].Err != nil || len(edits[i].New) == 0 {
			continue
		}
		doc, err := ical.ParseDocument(ctx, []byte(c.known.Items[href].Data))
		if err != nil || doc.Damaged || len(doc.Objects) == 0 {
			results[i].Err = c.fault("took the event %s and does not give it back", fault.Shorten(edits[i].UID(), 80)).Do("load again").FromOutside()
			continue
		}
		for _, raw := range doc.TimeZones {
			_ = c.zones.Define(raw) // what stands there means what it is read as
		}
		results[i].Held = &doc.Objects[0]
		results[i].Held.File = pathBase(href)
	}
	return nil
}

// one does one edit, and gives the path of its resource.
func (c *Calendar) one(ctx context.Context, e calendar.Edit) (string, error) {
	r := request{header: map[string]string{}}
	var body bytes.Buffer
	switch {
	case e.Old == nil:
		r.method, r.href = http.MethodPut, c.server.EscapedPath()+url.PathEscape(fileName(e.UID()))
		r.header["If-None-Match"] = "*"
		c.mu.Lock()
		err := (&ical.Document{}).Write(&body, []ical.ObjectEdit{ical.ObjectEdit(e)}, c.zones)
		c.mu.Unlock()
		if err != nil {
			return "", err
		}
	default:
		there := c.byObject[e.Old]
		if there == nil {
			return "", c.changed()
		}
		r.method, r.href = http.MethodPut, there.href
		if err := c.condition(ctx, &r, there); err != nil {
			return "", err
		}
		if len(e.New) == 0 && len(there.doc.Objects) == 1 {
			r.method = http.MethodDelete
			break
		}
		c.mu.Lock()
		err := there.doc.Write(&body, []ical.ObjectEdit{ical.ObjectEdit(e)}, c.zones)
		c.mu.Unlock()
		if err != nil {
			return "", err
		}
	}
	if r.method == http.MethodPut {
		r.body = body.Bytes()
		r.header["Content-Type"] = "text/calendar; charset=utf-8"
	}
	err := c.write(ctx, r, e)
	if err == nil && r.method == http.MethodDelete {
		c.mu.Lock()
		delete(c.known.Items, r.href)
		c.mu.Unlock()
	}
	return r.href, err
}

// condition makes a write conditional on what was read. Where the server gives
// no ETag that can be compared, what stands there is read and compared first.
func (c *Calendar) condition(ctx context.Context, r *request, there *resource) error {
	if there.etag != "" && !strings.HasPrefix(there.etag, "W/") {
		r.header["If-Match"] = there.etag
		return nil
	}
	a, err := c.send(ctx, request{http.MethodGet, there.href, nil, nil}, false)
	if err != nil {
		return err
	}
	c.mu.Lock()
	was := c.known.Items[there.href].Data
	c.mu.Unlock()
	if a.status != http.StatusOK || normal(string(a.body)) != normal(was) {
		return c.changed()
	}
	return nil
}

func normal(s string) string { return strings.TrimSpace(strings.ReplaceAll(s, "\r\n", "\n")) }

func (c *Calendar) changed() *fault.Fault {
	return fault.Newf("%w", calendar.ErrChanged).At(fault.Place{File: c.server.Redacted()}).Do("load again").FromOutside()
}

// write sends a PUT or a DELETE. One whose answer was lost is settled by
// looking at what stands there; it is only sent again where it did nothing.
func (c *Calendar) write(ctx context.Context, r request, e calendar.Edit) error {
	for n := 1; ; n++ {
		a, err := c.send(ctx, r, true)
		if err == nil {
			return c.judge(a, r, e)
		}
		if !errors.Is(err, errLost) || ctx.Err() != nil {
			return err
		}
		there, readErr := c.send(ctx, request{http.MethodGet, r.href, nil, nil}, false)
		if readErr != nil {
			return readErr
		}
		stands := there.status == http.StatusOK
		switch {
		case r.method == http.MethodDelete && !stands:
			return nil
		case r.method == http.MethodPut && stands && landed(r.body, there.body):
			return nil
		case n == patience:
			return err
		}
	}
}

// landed tells whether what stands there is what was sent, however the server
// has written it.
func landed(sent, stands []byte) bool {
	lines := map[string]bool{}
	for l := range strings.SplitSeq(unfold(stands), "\n") {
		lines[l] = true
	}
	for l := range strings.SplitSeq(unfold(sent), "\n") {
		for _, name := range []string{"UID:", "SUMMARY", "SEQUENCE", "DTSTART", "X-ALMANACH-SEAL"} {
			if strings.HasPrefix(l, name) && !lines[l] {
				return false
			}
		}
	}
	return true
}

func unfold(text []byte) string {
	s := strings.ReplaceAll(string(text), "\r\n", "\n")
	return strings.NewReplacer("\n ", "", "\n\t", "").Replace(s)
}

// judge says what an answer to a write means.
func (c *Calendar) judge(a *answer, r request, e calendar.Edit) error {
	switch a.status {
	case http.StatusOK, http.StatusCreated, http.StatusNoContent:
		return nil
	case http.StatusPreconditionFailed:
		if e.Old == nil {
			return c.exists()
		}
		return c.changed()
	case http.StatusNotFound, http.StatusGone:
		if r.method == http.MethodDelete {
			return nil
		}
		return c.changed()
	}
	reason := refusal(a)
	switch {
	case e.Old == nil && (reason == "no-uid-conflict" || reason == "unique-scheduling-object-resource"):
		return c.exists()
	case reason == "":
		reason = http.StatusText(a.status)
	}
	return c.fault("refuses the event %s: %s", fault.Shorten(e.UID(), 80), fault.Shorten(reason, 200)).Do("see whether you may write to this calendar; the other events are not held up by it").FromOutside()
}

func (c *Calendar) exists() *fault.Fault {
	return fault.Newf("%w", calendar.ErrExists).At(fault.Place{File: c.server.Redacted()}).Do("load again; if it is not yours, give the row another key").FromOutside()
}

// refusal gives the reason of a server that does not take an event: the name of
// the condition that was not met (RFC 4791 §5.3.2.1), or what it says.
func refusal(a *answer) string {
	d := xml.NewDecoder(bytes.NewReader(a.body))
	inError := false
	for {
		t, err := d.Token()
		if err != nil {
			break
		}
		if s, ok := t.(xml.StartElement); ok {
			if inError {
				return s.Name.Local
			}
			inError = s.Name.Local == "error"
		}
	}
	if text := strings.TrimSpace(string(a.body)); len(text) > 0 && text[0] != '<' {
		return text
	}
	return ""
}

// fileName gives the name of an event's resource: its UID, where that is plain,
// else a fingerprint of it.
func fileName(uid string) string {
	if uid != "" && len(uid) < 100 && !strings.HasPrefix(uid, ".") && strings.Trim(strings.ToLower(uid), "abcdefghijklmnopqrstuvwxyz0123456789-_@.") == "" {
		return uid + ".ics"
	}
	sum := sha256.Sum256([]byte(uid))
	return hex.EncodeToString(sum[:16]) + ".ics"
}

// Make makes the calendar on the server (RFC 4791 §5.3.1).
func (c *Calendar) Make(ctx context.Context, name string) error {
	var b strings.Builder
	b.WriteString(xmlHead + `<C:mkcalendar xmlns="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><set><prop><displayname>`)
	if err := xml.EscapeText(&b, []byte(name)); err != nil {
		return err
	}
	b.WriteString(`</displayname><C:supported-calendar-component-set><C:comp name="VEVENT"/></C:supported-calendar-component-set></prop></set></C:mkcalendar>`)
	a, err := c.send(ctx, request{"MKCALENDAR", "", []byte(b.String()), map[string]string{"Content-Type": "application/xml; charset=utf-8"}}, false)
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

// Requests is how many requests were sent.
func (c *Calendar) Requests() int { return int(c.sent.Load()) }

// unreachable is why a server cannot be read at all.
type unreachable struct{ error }

func (unreachable) Is(target error) bool { return target == calendar.ErrUnreachable }
func (u unreachable) Unwrap() error      { return u.error }

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
	stripped := !bytes.Contains(last[0].Held.Raws[0], []byte("X-ALMANACH-CHECK"))
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
		return c.fault("does not keep properties of our own: events are known there by their UID alone, and what people change is not told from what a load wrote")
	}
	return nil
}
