package standin

import (
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
)

func text(uid, lines string) string {
	return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Tarn Haven//EN\r\nBEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20260302T080000Z\r\n" + lines + "\r\nSUMMARY:Call\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
}

// What the server answers, request by request, and that it keeps it in its
// folder.
func TestServer(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	dir := t.TempDir()
	s, err := New(book, dir)
	require.NoError(t, err)
	s.User, s.Password = "clerk", "tide"
	h := httptest.NewServer(s)
	defer h.Close()
	send := func(method, path, body string, header ...string) (int, string, http.Header) {
		t.Helper()
		r, err := http.NewRequest(method, h.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		r.SetBasicAuth("clerk", "tide")
		for i := 0; i < len(header); i += 2 {
			r.Header.Set(header[i], header[i+1])
		}
		resp, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer resp.Body.Close()
		out, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, string(out), resp.Header
	}
	status := func(want int, method, path, body string, header ...string) string {
		t.Helper()
		got, out, _ := send(method, path, body, header...)
		require.Equal(t, want, got, "%s %s: %s", method, path, out)
		return out
	}
	resp, err := http.Get(h.URL + "/calendars/")
	require.NoError(t, err)
	resp.Body.Close()
	require.Equal(t, http.StatusUnauthorized, resp.StatusCode)

	const c = "/calendars/berths/"
	status(409, "PUT", c+"a.ics", text("a", "DTSTART:20260305T080000Z"))
	status(201, "MKCALENDAR", c, `<C:mkcalendar xmlns="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><set><prop><displayname>Berths &amp; more</displayname></prop></set></C:mkcalendar>`)
	status(403, "MKCALENDAR", c, "")
	assert.Contains(t, status(207, "PROPFIND", "/calendars/", `<propfind xmlns="DAV:"><prop><displayname/><quota/></prop></propfind>`, "Depth", "1"), "Berths &amp; more")
	status(201, "PUT", c+"a.ics", text("a", "DTSTART:20260305T080000Z\r\nDTEND:20260305T090000Z"), "If-None-Match", "*")
	status(412, "PUT", c+"a.ics", text("a", "DTSTART:20260306T080000Z"), "If-None-Match", "*")
	assert.Contains(t, status(403, "PUT", c+"b.ics", text("a", "DTSTART:20260306T080000Z")), "no-uid-conflict")
	assert.Contains(t, status(403, "PUT", c+"b.ics", "BEGIN:VCALENDAR"), "valid-calendar-data")
	status(412, "DELETE", c+"a.ics", "", "If-Match", `"other"`)
	status(201, "PUT", c+"weekly.ics", text("w", "DTSTART:20260101T080000Z\r\nDTEND:20260101T090000Z\r\nRRULE:FREQ=WEEKLY"))
	for _, path := range []string{"/calendars/berths/../../x", "/calendars/berths/.hidden", "/calendars/.x/", "/other"} {
		got, _, _ := send("GET", path, "")
		assert.Equal(t, 404, got, path)
	}

	// Series that began long before are within a range (RFC 4791 §9.9).
	query := func(from, to string) string {
		return status(207, "REPORT", c, `<C:calendar-query xmlns="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><prop><getetag/></prop><C:filter><C:comp-filter name="VCALENDAR"><C:comp-filter name="VEVENT"><C:time-range start="`+from+`" end="`+to+`"/></C:comp-filter></C:comp-filter></C:filter></C:calendar-query>`)
	}
	both := query("20260305T000000Z", "20260306T000000Z")
	assert.Contains(t, both, "a.ics")
	assert.Contains(t, both, "weekly.ics")
	assert.NotContains(t, query("20260305T090000Z", "20260305T100000Z"), "href", "an end is not within")
	assert.NotContains(t, query("20251201T000000Z", "20251231T000000Z"), "href")

	// What has changed since a token, and what has gone.
	sync := func(token string) (string, string) {
		out := status(207, "REPORT", c, `<sync-collection xmlns="DAV:"><sync-token>`+token+`</sync-token><sync-level>1</sync-level><prop><getetag/></prop></sync-collection>`)
		_, rest, _ := strings.Cut(out, "<D:sync-token>")
		next, _, _ := strings.Cut(rest, "<")
		return out, next
	}
	out, token := sync("")
	assert.Equal(t, 2, strings.Count(out, "<D:response>"))
	status(204, "DELETE", c+"a.ics", "")
	out, _ = sync(token)
	assert.Equal(t, 1, strings.Count(out, "<D:response>"))
	assert.Contains(t, out, "404")
	status(403, "REPORT", c, `<sync-collection xmlns="DAV:"><sync-token>urn:other</sync-token><prop><getetag/></prop></sync-collection>`)

	// A feed is read only, and not sent again to those who have it.
	_, feed, header := send("GET", "/feeds/berths.ics", "")
	assert.Equal(t, 1, strings.Count(feed, "BEGIN:VEVENT"))
	status(304, "GET", "/feeds/berths.ics", "", "If-None-Match", header.Get("ETag"))
	status(405, "PUT", "/feeds/berths.ics", "x")

	again, err := New(book, dir)
	require.NoError(t, err)
	assert.Contains(t, again.calendars["berths"].items, "weekly.ics")
	assert.NoFileExists(t, filepath.Join(dir, "berths", "a.ics"))
	status(204, "DELETE", c, "")
	_, err = os.Stat(filepath.Join(dir, "berths"))
	assert.ErrorIs(t, err, os.ErrNotExist)
}
