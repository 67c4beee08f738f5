package caldav

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/secret"
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
			suiteWith(t, base, calendar.Server{User: "clerk", Password: secret.Place{Env: "TIDE"}}, func(c *Calendar) {
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
		c, err := Open(calendar.Spec{Server: calendar.Server{URL: base + "c", User: "clerk", Password: secret.Place{Env: "TIDE"}}, Cache: cache}, book)
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
		c, err := Open(calendar.Spec{Server: calendar.Server{URL: address, User: "clerk", Password: secret.Place{Env: "TIDE"}}}, book)
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
	c, err := Open(calendar.Spec{Server: calendar.Server{URL: base + "c", User: "clerk", Password: secret.Place{Command: "echo wrong"}}}, book)
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
		c, err := Open(calendar.Spec{Server: calendar.Server{URL: base + "c", User: "clerk", Password: secret.Place{Env: "TIDE"}}, Cache: cache}, book)
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
	s.Faults.Deny = "a.ics" // an error in the listing is no sign that the event is gone
	uids, _ = read()
	assert.Equal(t, []string{"a", "b"}, uids)
	for _, faults := range []standin.Faults{{Withhold: "a.ics"}, {}, {Omit: "a.ics"}, {}} {
		if s.Faults = faults; faults == (standin.Faults{}) {
			uids, _ = read()
			assert.Equal(t, []string{"a", "b"}, uids, "it is asked for again")
			continue
		}
		cache = t.TempDir()
		uids, problems = read()
		assert.Equal(t, []string{"b"}, uids)
		require.Len(t, problems, 1)
		assert.Contains(t, problems[0], "the server lists this event and does not give it")
	}
}

// What a server tells in several answers is all read, and a name has one spelling
// however the server writes it.
func TestPages(t *testing.T) {
	s, base := serve(t, standin.Faults{})
	require.NoError(t, s.Make("c"))
	cache, server := t.TempDir(), calendar.Server{URL: base + "c", User: "clerk", Password: secret.Place{Env: "TIDE"}}
	count := func() (n int) {
		for _, err := range open(t, server, cache).Entries(t.Context()) {
			require.NoError(t, err)
			n++
		}
		return n
	}
	assert.Zero(t, count())
	_, err := open(t, server, "").Apply(t.Context(), calls(10))
	require.NoError(t, err)
	s.Faults.Page = 3
	assert.Equal(t, 10, count())
	c := open(t, server, "")
	assert.Equal(t, "/c/a@b%20c.ics", c.path("/c/a%40b%20c.ics"))
	assert.Equal(t, "/c/a%2Fb.ics", c.path("/c/a%2Fb.ics"))
}

// calls gives edits that create so many events, with marks of ours.
func calls(n int) (edits []calendar.Edit) {
	for i := range n {
		edits = append(edits, calendar.Edit{New: [][]byte{fmt.Appendf(nil, "BEGIN:VEVENT\r\nUID:e%d\r\nDTSTAMP:20260302T080000Z\r\nDTSTART:20260305T080000Z\r\nSUMMARY:Call %d\r\nX-ALMANACH-KEY:TH-%d\r\nEND:VEVENT\r\n", i, i, i)}})
	}
	return edits
}

// open opens calendar c of the stand-in.
func open(t *testing.T, server calendar.Server, cache string) *Calendar {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	c, err := Open(calendar.Spec{Name: "c", Server: server, Cache: cache}, book)
	require.NoError(t, err)
	return c
}

// What a server does not keep of our marks is remembered, also when a person
// changes the event, and forgotten when the event goes.
func TestStripped(t *testing.T) {
	s, base := serve(t, standin.Faults{StripX: true})
	require.NoError(t, s.Make("c"))
	server, cache := calendar.Server{URL: base + "c", User: "clerk", Password: secret.Place{Env: "TIDE"}}, t.TempDir()
	results, err := open(t, server, cache).Apply(t.Context(), calls(2))
	require.NoError(t, err)
	assert.Contains(t, string(results[1].Held.Part(0)), "X-ALMANACH-KEY:TH-1\r\nEND:VEVENT")
	other := open(t, server, "") // someone else
	for o, err := range other.Entries(t.Context()) {
		require.NoError(t, err)
		assert.NotContains(t, string(o.Part(0)), "X-ALMANACH")
		edit := calendar.Edit{Old: o}
		if o.UID == "e1" {
			edit.New = [][]byte{[]byte(strings.Replace(string(o.Part(0)), "Call", "Long call", 1))}
		}
		_, err = other.Apply(t.Context(), []calendar.Edit{edit})
		require.NoError(t, err)
	}
	c := open(t, server, cache)
	for o, err := range c.Entries(t.Context()) {
		require.NoError(t, err)
		assert.Contains(t, string(o.Part(0)), "SUMMARY:Long call 1\r\nX-ALMANACH-KEY:TH-1\r\nEND:VEVENT")
	}
	assert.Len(t, c.known.Marks, 1)
	require.ErrorContains(t, c.Check(t.Context(), "check"), "does not keep properties of our own")
}

// The day's quota and a calendar that is full end a run where it is; it goes on
// there.
func TestSpent(t *testing.T) {
	s, base := serve(t, standin.Faults{})
	require.NoError(t, s.Make("c"))
	server, cache := calendar.Server{URL: base + "c", User: "clerk", Password: secret.Place{Env: "TIDE"}, Daily: 30}, t.TempDir()
	apply := func(c *Calendar, from, to int) (done int, err error) {
		results, err := c.Apply(t.Context(), calls(to)[from:])
		for _, r := range results {
			if r.Err == nil {
				require.NotNil(t, r.Held)
				done++
			} else {
				require.ErrorIs(t, r.Err, calendar.ErrSpent)
			}
		}
		return done, err
	}
	done, err := apply(open(t, server, cache), 0, 20)
	require.NoError(t, err)
	require.Equal(t, 20, done)
	c := open(t, server, cache) // another run
	done, err = apply(c, 20, 40)
	require.ErrorIs(t, err, calendar.ErrSpent)
	require.ErrorContains(t, err, "the 30 writes a day that almanach.yaml allows are used up; 10 of 20 changes are left")
	require.Equal(t, 10, done)
	c.now = func() time.Time { return time.Now().AddDate(0, 0, 1) }
	done, err = apply(c, 40, 50)
	require.NoError(t, err)
	require.Equal(t, 10, done)

	server.Daily, s.Faults.Quota = 0, 45
	done, err = apply(open(t, server, ""), 50, 70)
	require.ErrorIs(t, err, calendar.ErrSpent)
	require.ErrorContains(t, err, "quota-not-exceeded; 15 of 20 changes are left")
	require.Equal(t, 5, done)
}

// A rate is kept, and a token that has run out is asked for again, once.
func TestTokenAndRate(t *testing.T) {
	valid, asked := "second", 0
	h := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		if r.Header.Get("Authorization") != "Bearer "+valid {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		w.WriteHeader(http.StatusMultiStatus)
		fmt.Fprint(w, `<multistatus xmlns="DAV:"/>`)
	}))
	defer h.Close()
	dir := t.TempDir()
	command := "cat " + dir + "/token; echo second > " + dir + "/token"
	require.NoError(t, os.WriteFile(dir+"/token", []byte("first\n"), 0o600))
	c := open(t, calendar.Server{URL: h.URL, Token: secret.Place{Command: command}, Rate: 20}, "")
	began := time.Now()
	for range 5 {
		_, err := c.propfind(t.Context(), "", "0", "")
		require.NoError(t, err)
	}
	assert.GreaterOrEqual(t, time.Since(began), 190*time.Millisecond)
	assert.Equal(t, 6, asked)
	valid = "third"
	_, err := c.propfind(t.Context(), "", "0", "")
	require.ErrorContains(t, err, "does not accept the token")
	assert.Equal(t, 8, asked)
	assert.NotContains(t, err.Error(), "second")
}

// A server that wants a certificate is shown the desk's.
func TestCertificate(t *testing.T) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	about := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "clerk"}, NotAfter: time.Now().Add(time.Hour), ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth}}
	der, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	require.NoError(t, err)
	secretDER, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	dir := t.TempDir()
	pair := append(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secretDER})...)
	require.NoError(t, os.WriteFile(dir+"/clerk.pem", pair, 0o600))
	h := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.WriteHeader(http.StatusMultiStatus)
		fmt.Fprintf(w, `<multistatus xmlns="DAV:"><response><href>/%s</href></response></multistatus>`, r.TLS.PeerCertificates[0].Subject.CommonName)
	}))
	h.TLS = &tls.Config{ClientAuth: tls.RequireAnyClientCert}
	h.StartTLS()
	defer h.Close()
	require.NoError(t, os.WriteFile(dir+"/ca.pem", pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: h.Certificate().Raw}), 0o600))
	m, err := open(t, calendar.Server{URL: h.URL, CA: dir + "/ca.pem", Cert: dir + "/clerk.pem"}, "").propfind(t.Context(), "", "0", "")
	require.NoError(t, err)
	assert.Equal(t, "/clerk", m.Responses[0].Href)
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	_, err = Open(calendar.Spec{Server: calendar.Server{URL: h.URL, Cert: dir + "/ca.pem"}}, book)
	require.ErrorContains(t, err, "holds no certificate with its key")
}

// The strong ETag of an answer is believed of a server that was true to it, so that
// not everything need be read back; of one that changes what it is given it is not.
func TestBelieved(t *testing.T) {
	for name, c := range map[string]struct {
		faults standin.Faults
		reads  int
	}{
		"as it was sent":        {standin.Faults{}, 1},
		"in another order":      {standin.Faults{Reorder: true}, 3},
		"stripped":              {standin.Faults{StripX: true}, 3},
		"no ETag after a write": {standin.Faults{NoPutETag: true}, 3},
		"weak ones":             {standin.Faults{WeakETag: true}, 3},
	} {
		t.Run(name, func(t *testing.T) {
			s, base := serve(t, c.faults)
			require.NoError(t, s.Make("c"))
			server, cache := calendar.Server{URL: base + "c", User: "clerk", Password: secret.Place{Env: "TIDE"}}, t.TempDir()
			calendar := open(t, server, cache)
			results, err := calendar.Apply(t.Context(), calls(250))
			require.NoError(t, err)
			for i, r := range results {
				require.NoError(t, r.Err)
				require.Contains(t, string(r.Held.Part(0)), fmt.Sprintf("SUMMARY:Call %d\r\n", i))
			}
			assert.Equal(t, 250+c.reads, s.Requests())
			n := 0
			for o, err := range open(t, server, cache).Entries(t.Context()) { // what is remembered is what stands there
				require.NoError(t, err)
				require.NotEmpty(t, o.UID)
				n++
			}
			assert.Equal(t, 250, n)
		})
	}
}
