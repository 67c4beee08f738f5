package standin

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"almanach/internal/core/ical"
)

// Faults are what real servers do. Each can be switched on for tests; the zero
// Faults has none.
type Faults struct {
	Busy       int           // every so many requests is refused for now
	BusyStatus int           // with this status; 503 where it is 0
	RetryAfter int           // and these seconds of rest
	Drop       int           // of every so many writes the answer is lost, after the write
	Slow       time.Duration // every answer takes so long
	NoSync     bool          // sync-collection is not known
	NoETag     bool          // no ETag is ever given
	NoPutETag  bool          // none in the answer to a write
	WeakETag   bool          // every one is weak
	BareETag   bool          // every one lacks its quotes
	Multi      bool          // a refused write is answered by 207 with the error inside
	StripX     bool          // X- properties are not kept
	Reorder    bool          // properties are kept in another order
	Quota      int           // events that a calendar may hold; 0 for any number
	Withhold   string        // the resource of this name is listed and never given
	Omit       string        // the resource of this name is listed, and left out of answers that should give it
	Deny       string        // the listing has an error for the resource of this name
	Page       int           // sync-collection tells of so many changes at a time (RFC 6578 §3.6); 0 for all
}

// before does what comes before a request is looked at. It tells whether that
// was all.
func (f *Faults) before(w http.ResponseWriter, r *http.Request, n int) bool {
	if f.Slow > 0 {
		time.Sleep(f.Slow)
	}
	if f.Busy == 0 || n%f.Busy != 0 {
		return false
	}
	status := f.BusyStatus
	if status == 0 {
		status = http.StatusServiceUnavailable
	}
	if f.RetryAfter > 0 {
		w.Header().Set("Retry-After", strconv.Itoa(f.RetryAfter))
	}
	http.Error(w, "not now", status)
	return true
}

// after loses the answer to a write, where it is to be lost.
func (f *Faults) after(w http.ResponseWriter, n int) bool {
	if f.Drop == 0 || n%f.Drop != 0 {
		return false
	}
	panic(http.ErrAbortHandler) // the connection is closed without an answer
}

func (f *Faults) etag(tag string) string {
	switch {
	case f.NoETag:
		return ""
	case f.WeakETag:
		return `W/"` + tag + `"`
	case f.BareETag:
		return tag
	}
	return `"` + tag + `"`
}

// silent tells whether the answer to a write may have an ETag.
func (f *Faults) silent() bool { return !f.NoPutETag }

// refuse does not take an event.
func (f *Faults) refuse(w http.ResponseWriter, r *http.Request, name string) {
	if !f.Multi {
		condition(w, http.StatusForbidden, name)
		return
	}
	multistatus(w, fmt.Sprintf("<D:response>%s<D:propstat><D:prop/><D:status>HTTP/1.1 403 Forbidden</D:status></D:propstat><D:error><%s/></D:error></D:response>", href(r.URL.Path), name))
}

// rewrite keeps an event in the server's own way.
func (f *Faults) rewrite(body []byte) []byte {
	if !f.StripX && !f.Reorder {
		return body
	}
	doc, err := ical.ParseDocument(context.Background(), body)
	if err != nil {
		return body
	}
	for _, o := range doc.Objects {
		for _, raw := range o.Raws() {
			c := ical.Open(raw)
			var kept, moved []byte
			for _, l := range c.Lines() {
				text := l.Whole()
				switch {
				case f.StripX && l.Depth == 0 && len(text) > 2 && (text[0] == 'X' || text[0] == 'x') && text[1] == '-':
				case f.Reorder && l.Depth == 0 && (l.Is("SUMMARY") || l.Is("DTSTART")):
					moved = append(moved, text...)
				case l.Depth == 0 && l.Is("END"):
					kept = append(append(kept, moved...), text...)
				default:
					kept = append(kept, text...)
				}
			}
			body = bytes.Replace(body, raw, kept, 1)
		}
	}
	return body
}
