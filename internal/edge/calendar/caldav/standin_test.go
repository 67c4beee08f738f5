package caldav

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/standin"
)

// serve runs the stand-in until the test ends.
func serve(t *testing.T, faults standin.Faults) (*standin.Server, string) {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	s, err := standin.New(book, "")
	require.NoError(t, err)
	s.User, s.Password, s.Faults = "clerk", "tide", faults
	h := httptest.NewServer(s)
	t.Cleanup(h.Close)
	t.Setenv("TIDE", "tide")
	return s, h.URL + "/calendars/"
}

// The suite against the stand-in, with each of its faults.
func TestStandIn(t *testing.T) {
	for name, f := range map[string]standin.Faults{
		"as it should be":       {},
		"busy":                  {Busy: 7},
		"too many requests":     {Busy: 11, BusyStatus: http.StatusTooManyRequests},
		"answers are lost":      {Drop: 5},
		"no sync-collection":    {NoSync: true},
		"no ETag at all":        {NoETag: true},
		"none after a write":    {NoPutETag: true},
		"weak ETags":            {WeakETag: true},
		"ETags without quotes":  {BareETag: true},
		"errors inside of 207":  {Multi: true},
		"properties reordered":  {Reorder: true},
		"busy, and losing some": {Busy: 13, Drop: 7, NoSync: true, Reorder: true},
	} {
		t.Run(name, func(t *testing.T) {
			_, base := serve(t, f)
			suiteWith(t, base, calendar.Server{User: "clerk", Password: calendar.Secret{Env: "TIDE"}}, func(c *Calendar) {
				c.sleep = func(ctx context.Context, _ time.Duration) error { return ctx.Err() }
			})
		})
	}
}

// An unchanged calendar costs one request, one changed event a few.
func TestFewRequests(t *testing.T) {
	s, base := serve(t, standin.Faults{})
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	cache := t.TempDir()
	open := func() *Calendar {
		c, err := Open(calendar.Spec{Server: calendar.Server{URL: base + "c", User: "clerk", Password: calendar.Secret{Env: "TIDE"}}, Cache: cache}, book)
		require.NoError(t, err)
		return c
	}
	read := func(c *Calendar) (n int) {
		for o, err := range c.Entries(t.Context()) {
			require.NoError(t, err)
			require.NotEmpty(t, o.UID)
			n++
		}
		return n
	}
	require.NoError(t, open().Make(t.Context(), "Berths"))
	c := open()
	require.Zero(t, read(c))
	var edits []calendar.Edit
	for i := range 1000 {
		edits = append(edits, calendar.Edit{New: [][]byte{fmt.Appendf(nil, "BEGIN:VEVENT\r\nUID:e%d\r\nDTSTAMP:20260302T080000Z\r\nDTSTART:20260305T080000Z\r\nSUMMARY:Call %d\r\nEND:VEVENT\r\n", i, i)}})
	}
	results, err := c.Apply(t.Context(), edits)
	require.NoError(t, err)
	for _, r := range results {
		require.NoError(t, r.Err)
	}
	c = open()
	assert.Equal(t, 1000, read(c))
	before := s.Requests()
	c = open()
	assert.Equal(t, 1000, read(c))
	assert.Equal(t, 1, s.Requests()-before, "nothing has changed")

	for o, err := range c.Entries(t.Context()) {
		require.NoError(t, err)
		before = s.Requests()
		results, err = c.Apply(t.Context(), []calendar.Edit{{Old: o, New: [][]byte{append([]byte("BEGIN:VEVENT\r\nUID:"+o.UID+"\r\n"), "DTSTAMP:20260302T080000Z\r\nDTSTART:20260305T080000Z\r\nSUMMARY:Changed\r\nEND:VEVENT\r\n"...)}}})
		require.NoError(t, err)
		require.NoError(t, results[0].Err)
		assert.Equal(t, 2, s.Requests()-before, "a write, and a look at it")
		break
	}
	before = s.Requests()
	assert.Equal(t, 1000, read(open()))
	assert.Equal(t, 2, s.Requests()-before, "what has changed is known already")
}

// What is wrong with an address, a password or an answer is said.
func TestUnreachable(t *testing.T) {
	_, base := serve(t, standin.Faults{})
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	mux := http.NewServeMux()
	mux.HandleFunc("/page/", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<!DOCTYPE html><p>Welcome") })
	mux.HandleFunc("/garbage/", func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(207)
		fmt.Fprint(w, "<multistatus xmlns=\"DAV:\"><resp")
	})
	mux.HandleFunc("/away/", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "http://127.0.0.1:1/other/", http.StatusFound)
	})
	mux.HandleFunc("/busy/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Retry-After", "3600")
		w.WriteHeader(429)
	})
	other := httptest.NewServer(mux)
	defer other.Close()
	secure := httptest.NewTLSServer(mux)
	defer secure.Close()
	for address, want := range map[string]string{
		base + "none":            "has no calendar there",
		base:                     "has something at that address that is no calendar",
		other.URL + "/page/":     "does not answer as a calendar server, but with a web page (200)",
		other.URL + "/garbage/":  "answers with XML that cannot be read",
		other.URL + "/away/":     "the password is not sent there",
		other.URL + "/busy/":     "wants 1h0m0s of rest",
		secure.URL + "/page/":    "shows a certificate that cannot be trusted",
		"http://127.0.0.1:1/c/":  "connection",
		"http://example.test/c/": "is not encrypted",
		"ftp://example.test/c/":  "is not the address of a calendar",
		"https://a:b@c.test/d/":  "the address of a calendar holds a name or a password",
	} {
		c, err := Open(calendar.Spec{Server: calendar.Server{URL: address, User: "clerk", Password: calendar.Secret{Env: "TIDE"}}}, book)
		if err == nil {
			c.sleep = func(context.Context, time.Duration) error { return nil }
			for _, err = range c.Entries(t.Context()) {
				require.ErrorIs(t, err, calendar.ErrUnreachable, address)
				break
			}
		}
		require.ErrorContains(t, err, want, address)
		assert.NotContains(t, err.Error(), "tide", "no secret in a message")
	}
	c, err := Open(calendar.Spec{Server: calendar.Server{URL: base + "c", User: "clerk", Password: calendar.Secret{Command: "echo wrong"}}}, book)
	require.NoError(t, err)
	for _, err := range c.Entries(t.Context()) {
		require.ErrorContains(t, err, "does not accept the name and password")
	}
}

// An event that the server lists and does not give is said, spoils only itself,
// and is asked for again.
func TestWithheld(t *testing.T) {
	s, base := serve(t, standin.Faults{})
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	require.NoError(t, s.Make("c"))
	cache := t.TempDir()
	read := func() (uids, problems []string) {
		c, err := Open(calendar.Spec{Server: calendar.Server{URL: base + "c", User: "clerk", Password: calendar.Secret{Env: "TIDE"}}, Cache: cache}, book)
		require.NoError(t, err)
		if s.Requests() == 0 {
			var edits []calendar.Edit
			for _, uid := range []string{"a", "b"} {
				edits = append(edits, calendar.Edit{New: [][]byte{[]byte("BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20260302T080000Z\r\nDTSTART:20260305T080000Z\r\nEND:VEVENT\r\n")}})
			}
			_, err = c.Apply(t.Context(), edits)
			require.NoError(t, err)
			c.known = remembered{Items: map[string]item{}}
		}
		for o, err := range c.Entries(t.Context()) {
			if err != nil {
				problems = append(problems, err.Error())
			} else {
				uids = append(uids, o.UID)
			}
		}
		return uids, problems
	}
	uids, problems := read()
	assert.Equal(t, []string{"a", "b"}, uids)
	assert.Empty(t, problems)
	cache = t.TempDir()
	for _, hidden := range []string{"a.ics", ""} {
		s.Faults.Withhold = hidden
		uids, problems = read()
		if hidden == "" {
			assert.Equal(t, []string{"a", "b"}, uids, "it is asked for again")
			continue
		}
		assert.Equal(t, []string{"b"}, uids)
		require.Len(t, problems, 1)
		assert.Contains(t, problems[0], "the server lists this event and does not give it")
	}
}
