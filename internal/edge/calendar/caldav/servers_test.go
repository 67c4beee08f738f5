package caldav

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/calendartest"
)

// freePort gives a port that nothing listens on.
func freePort(t *testing.T) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// start runs a server until the test ends, and waits until it answers.
func start(t *testing.T, ready, program string, args ...string) {
	t.Helper()
	path, err := exec.LookPath(program)
	require.NoError(t, err, "scripts/test installs it")
	c := exec.Command(path, args...)
	log, err := os.Create(filepath.Join(t.TempDir(), "log"))
	require.NoError(t, err)
	c.Stdout, c.Stderr = log, log
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	for began := time.Now(); ; time.Sleep(50 * time.Millisecond) {
		if r, err := http.Get(ready); err == nil {
			r.Body.Close()
			return
		}
		if time.Since(began) > 30*time.Second {
			text, _ := os.ReadFile(log.Name())
			t.Fatalf("%s does not answer: %s", program, text)
		}
	}
}

// scratch gives a folder in memory where there is one: these servers write each
// event through to the disk.
func scratch(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("/dev/shm", "almanach")
	if err != nil {
		return t.TempDir()
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

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
			_, err := c.send(context.Background(), request{http.MethodDelete, "", nil, nil}, false)
			require.NoError(t, err)
		})
		return open
	})
}

// The suite against real servers.
func TestRadicale(t *testing.T) {
	port := freePort(t)
	base := fmt.Sprintf("http://127.0.0.1:%d", port)
	start(t, base+"/.web/", "radicale", "--server-hosts", fmt.Sprintf("127.0.0.1:%d", port), "--storage-filesystem-folder", scratch(t), "--auth-type", "none")
	suite(t, base+"/clerk/", "clerk")
}

func TestXandikos(t *testing.T) {
	port := freePort(t)
	base := fmt.Sprintf("http://127.0.0.1:%d", port)
	start(t, base+"/", "xandikos", "-d", scratch(t), "--defaults", "--current-user-principal", "/tester/", "-l", "127.0.0.1", "-p", fmt.Sprint(port))
	suite(t, base+"/tester/calendars/", "")
}
