package caldav

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/xml"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"sync"

	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/edge/calendar"
)

// Apply implements calendar.Backend: edit by edit, a few at once, each only
// where nobody was faster. What is written is read back beside the writes that
// follow. Where the calendar takes no more, the rest is left.
func (c *Calendar) Apply(ctx context.Context, edits []calendar.Edit) ([]calendar.Result, error) {
	a := &applying{Calendar: c, edits: edits, results: make([]calendar.Result, len(edits))}
	next, written := make(chan int), make(chan readable, batch)
	var writers, reader sync.WaitGroup
	for range min(workers, len(edits)) {
		writers.Go(func() {
			for i := range next {
				if w := a.write(ctx, i); w.href != "" {
					written <- readable{i, w}
				}
			}
		})
	}
	var readErr error
	reader.Go(func() { readErr = a.readBack(context.WithoutCancel(ctx), written) })
	for i := range edits {
		if ctx.Err() != nil {
			a.results[i].Err = ctx.Err()
			continue
		}
		next <- i
	}
	close(next)
	writers.Wait()
	close(written)
	reader.Wait()
	c.keep()
	switch {
	case ctx.Err() != nil:
		return a.results, ctx.Err()
	case a.stop != nil:
		f := *fault.Of(a.stop)
		f.Cause = fault.Newf("%w; %d of %d changes are left", f.Cause, len(edits)-a.done-a.failed, len(edits)).Cause
		return a.results, &f
	}
	return a.results, readErr
}

// applying is an Apply under way.
type applying struct {
	*Calendar
	edits   []calendar.Edit
	results []calendar.Result

	done, failed int   // guarded by the calendar's mutex, as is stop
	stop         error // why the calendar takes no more

	faithful bool // what was read back so far stands as it was sent
}

// readable is an edit after which something stands there.
type readable struct {
	edit int
	wrote
}

// wrote is what a write sent and was answered.
type wrote struct {
	href string
	etag string // of the answer; "" where it has none
	body []byte
}

// write does one edit, and gives what stands there since, if anything does.
func (a *applying) write(ctx context.Context, i int) (w wrote) {
	a.mu.Lock()
	err := a.stop
	a.mu.Unlock()
	if err == nil {
		if err = a.spend(ctx); err == nil {
			w, err = a.one(ctx, a.edits[i])
		}
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	a.results[i].Err = err
	switch {
	case err == nil:
		a.done++
	case errors.Is(err, calendar.ErrSpent):
		a.stop = err
	default:
		a.failed++
	}
	if a.progress != nil && a.stop == nil {
		a.progress(a.done, len(a.edits), a.failed)
	}
	if err != nil || len(a.edits[i].New) == 0 {
		return wrote{}
	}
	return w
}

// readBack asks what stands there after the writes, some at a time. A strong ETag in
// the answer to a write says that it stands as it was sent (RFC 4791 §5.3.4). Some
// servers say so and change it, so that is believed only of one that was true to it
// in the first of a run's writes.
func (a *applying) readBack(ctx context.Context, written <-chan readable) error {
	var some []readable
	var failed error
	first := true
	for more := true; more; {
		var r readable
		if r, more = <-written; more {
			if !first && a.faithful && strong(r.etag) {
				a.believe(r)
				continue
			}
			some = append(some, r)
		}
		if len(some) == batch || !more && len(some) > 0 {
			if first {
				a.faithful = len(some) == batch
			}
			if err := a.readSome(ctx, some); err != nil && failed == nil {
				failed = err
			}
			some, first = some[:0], false
		}
	}
	return failed
}

func strong(etag string) bool { return etag != "" && !strings.HasPrefix(etag, "W/") }

// believe takes an event for what was sent.
func (a *applying) believe(r readable) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.known.Items[r.href] = item{r.etag, string(r.body)}
	delete(a.known.Marks, r.href)
	e := a.edits[r.edit]
	a.results[r.edit].Held = ical.NewObject(e.UID(), e.New...)
	a.results[r.edit].Held.File = pathBase(r.href)
}

func (a *applying) readSome(ctx context.Context, some []readable) error {
	hrefs := make([]string, len(some))
	for n, r := range some {
		hrefs[n] = r.href
	}
	if err := a.fetch(ctx, hrefs); err != nil {
		return err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, r := range some {
		doc, err := ical.ParseDocument(ctx, []byte(a.known.Items[r.href].Data))
		if err != nil || doc.Damaged || len(doc.Objects) == 0 {
			a.results[r.edit].Err = a.fault("took the event %s and does not give it back", fault.Shorten(a.edits[r.edit].UID(), 80)).Do("load again").FromOutside()
			continue
		}
		if it := a.known.Items[r.href]; it.ETag != r.etag || it.Data != string(r.body) {
			a.faithful = false
		}
		for _, raw := range doc.TimeZones {
			_ = a.zones.Define(raw) // what stands there means what it is read as
		}
		held := &doc.Objects[0]
		held.File = pathBase(r.href)
		a.compareMarks(r.href, a.edits[r.edit].New, held)
		a.mark(r.href, held)
		a.results[r.edit].Held = held
	}
	return nil
}

// one does one edit, and gives what was written.
func (c *Calendar) one(ctx context.Context, e calendar.Edit) (wrote, error) {
	r := request{header: map[string]string{}}
	var body bytes.Buffer
	switch {
	case e.Old == nil:
		r.method, r.href = http.MethodPut, c.path(c.server.EscapedPath()+url.PathEscape(fileName(e.UID())))
		r.header["If-None-Match"] = "*"
		c.mu.Lock()
		err := (&ical.Document{}).Write(&body, []ical.ObjectEdit{ical.ObjectEdit(e)}, c.zones)
		c.mu.Unlock()
		if err != nil {
			return wrote{}, err
		}
	default:
		there := c.byObject[e.Old]
		if there == nil {
			return wrote{}, c.changed()
		}
		r.method, r.href = http.MethodPut, there.href
		if err := c.condition(ctx, &r, there); err != nil {
			return wrote{}, err
		}
		if len(e.New) == 0 && len(there.doc.Objects) == 1 {
			r.method = http.MethodDelete
			break
		}
		c.mu.Lock()
		err := there.doc.Write(&body, []ical.ObjectEdit{ical.ObjectEdit(e)}, c.zones)
		c.mu.Unlock()
		if err != nil {
			return wrote{}, err
		}
	}
	if r.method == http.MethodPut {
		r.body = body.Bytes()
		r.header["Content-Type"] = "text/calendar; charset=utf-8"
	}
	etag, err := c.put(ctx, r, e)
	if err == nil && r.method == http.MethodDelete {
		c.mu.Lock()
		c.known.forget(r.href)
		c.mu.Unlock()
	}
	return wrote{r.href, etag, r.body}, err
}

// condition makes a write conditional on what was read. Where the server gives
// no ETag that can be compared, what stands there is read and compared first.
func (c *Calendar) condition(ctx context.Context, r *request, there *resource) error {
	if there.etag != "" && !strings.HasPrefix(there.etag, "W/") {
		r.header["If-Match"] = there.etag
		return nil
	}
	a, err := c.send(ctx, request{method: http.MethodGet, href: there.href}, false)
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

// put sends a PUT or a DELETE. One whose answer was lost is settled by
// looking at what stands there; it is only sent again where it did nothing.
func (c *Calendar) put(ctx context.Context, r request, e calendar.Edit) (etag string, err error) {
	for n := 1; ; n++ {
		a, err := c.send(ctx, r, true)
		if err == nil {
			return a.header.Get("ETag"), c.judge(a, r, e)
		}
		if !errors.Is(err, errLost) || ctx.Err() != nil {
			return "", err
		}
		there, readErr := c.send(ctx, request{method: http.MethodGet, href: r.href}, false)
		if readErr != nil {
			return "", readErr
		}
		stands := there.status == http.StatusOK
		switch {
		case r.method == http.MethodDelete && !stands:
			return "", nil
		case r.method == http.MethodPut && stands && landed(r.body, there.body):
			return "", nil
		case n == patience:
			return "", err
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
	if a.status == http.StatusInsufficientStorage || reason == "quota-not-exceeded" || reason == "need-privileges" {
		return c.fault("%w: %s", calendar.ErrSpent, fault.Shorten(reason, 200)).Do("see whether you may write to this calendar and how much it holds, then load again; it goes on where it stopped").FromOutside()
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
