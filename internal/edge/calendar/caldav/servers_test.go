package caldav

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/calendartest"
	"almanach/internal/edge/calendar/servertest"
)

// suite runs the suite of all calendars against a server: each test in a calendar
// of its own.
func suite(t *testing.T, base, user string) {
	suiteWith(t, base, calendar.Server{User: user}, func(*Calendar) {})
}

func suiteWith(t *testing.T, base string, server calendar.Server, change func(*Calendar)) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	n := 0
	calendartest.Test(t, func(t *testing.T) func() calendar.Backend {
		n++
		address, err := url.JoinPath(base, fmt.Sprintf("cal%d", n))
		require.NoError(t, err)
		cache := ""
		if n%2 == 0 {
			cache = t.TempDir()
		}
		open := func() calendar.Backend {
			server.URL = address
			c, err := Open(calendar.Spec{Name: "c", Server: server, Cache: cache}, book)
			require.NoError(t, err)
			change(c)
			return c
		}
		c := open().(*Calendar)
		require.NoError(t, c.Make(context.Background(), "Berths"))
		t.Cleanup(func() { // some servers take one UID once for all calendars of a user
			_, err := c.send(context.Background(), request{method: http.MethodDelete, href: ""}, false)
			require.NoError(t, err)
		})
		return open
	})
}

// The suite against real servers.
func TestRadicale(t *testing.T) { suite(t, servertest.Radicale(t), "clerk") }
func TestXandikos(t *testing.T) { suite(t, servertest.Xandikos(t), "") }
