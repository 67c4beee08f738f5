package caldav

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
	"almanach/internal/edge/calendar/servertest"
	"almanach/internal/edge/secret"
)

// The suite against a server that schedules, and that nobody is invited by what
// a load writes: not when it is made, changed or removed.
func TestCyrus(t *testing.T) {
	p := servertest.NewMail(t)
	base := servertest.Cyrus(t, p)
	path := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(path, []byte("x\n"), 0o600))
	server := calendar.Server{User: "clerk", Password: secret.Place{File: path}}
	t.Run("suite", func(t *testing.T) { suiteWith(t, base+"clerk/", server, func(*Calendar) {}) })

	t.Run("nobody is invited", func(t *testing.T) {
		book, err := zone.NewBook(nil)
		require.NoError(t, err)
		server.URL = base + "clerk/Default/"
		c, err := Open(calendar.Spec{Server: server}, book)
		require.NoError(t, err)
		there := func(user string) int {
			server := server
			server.User, server.URL = user, base+user+"/Default/"
			c, err := Open(calendar.Spec{Server: server}, book)
			require.NoError(t, err)
			n := 0
			for _, err := range c.Entries(context.Background()) {
				require.NoError(t, err)
				n++
			}
			return n
		}
		text := func(title, agent string) [][]byte {
			people := "ORGANIZER" + agent + ":mailto:clerk@harbour.example\r\nATTENDEE" + agent + ":mailto:oda@harbour.example\r\nATTENDEE" + agent + ":mailto:piet@elsewhere.example\r\n"
			master := "BEGIN:VEVENT\r\nUID:meeting\r\nDTSTAMP:20260302T080000Z\r\nDTSTART:20990405T080000Z\r\nDTEND:20990405T090000Z\r\nRRULE:FREQ=DAILY;COUNT=3\r\nSUMMARY:" + title + "\r\n" + people + "END:VEVENT\r\n"
			date := "BEGIN:VEVENT\r\nUID:meeting\r\nDTSTAMP:20260302T080000Z\r\nRECURRENCE-ID:20990406T080000Z\r\nDTSTART:20990406T100000Z\r\nDTEND:20990406T110000Z\r\nSUMMARY:" + title + "\r\n" + people + "END:VEVENT\r\n"
			return [][]byte{[]byte(master), []byte(date)}
		}
		apply := func(edit calendar.Edit) {
			t.Helper()
			for o, err := range c.Entries(t.Context()) {
				require.NoError(t, err)
				if o.UID == "meeting" {
					edit.Old = o
				}
			}
			r, err := c.Apply(t.Context(), []calendar.Edit{edit})
			require.NoError(t, err)
			require.NoError(t, r[0].Err)
		}
		const silent = ";SCHEDULE-AGENT=NONE"
		apply(calendar.Edit{New: text("Berth planning", silent)})
		apply(calendar.Edit{New: text("Berth planning, moved", silent)})
		apply(calendar.Edit{})
		time.Sleep(500 * time.Millisecond)
		assert.Zero(t, p.Count(), "mails")
		assert.Zero(t, there("oda"), "events of the invited")

		// The server does invite where it is told nothing.
		apply(calendar.Edit{New: text("Berth planning", "")})
		for began := time.Now(); there("oda") == 0 && time.Since(began) < 10*time.Second; {
			time.Sleep(100 * time.Millisecond)
		}
		assert.NotZero(t, there("oda"), "this server schedules")
	})
}
