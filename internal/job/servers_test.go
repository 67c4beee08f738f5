package job

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar/caldav"
	"almanach/internal/edge/calendar/servertest"
	"almanach/internal/edge/standin"
)

// onServers writes the desk of a server: its calendars under base, by name.
func onServers(t *testing.T, dir, base, login string, names ...string) {
	t.Helper()
	text := "zone: Europe/Lisbon\nnew_calendars: calendars/pilots\ncalendars:\n"
	for _, name := range names {
		text += fmt.Sprintf("  %s: { caldav: '%s%s/'%s }\n", name, base, name, login)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "almanach.yaml"), []byte(text), 0o600))
}

// The whole demo on real servers: loaded, loaded again without a change, the
// second day's sheet, taken back.
func TestDemoOnServers(t *testing.T) {
	secret := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(secret, []byte("x"), 0o600))
	mail := servertest.NewMail(t)
	for name, server := range map[string]struct{ base, login string }{
		"radicale": {servertest.Radicale(t), ", user: clerk"},
		"xandikos": {servertest.Xandikos(t), ""},
		"cyrus":    {servertest.Cyrus(t, mail) + "clerk/", ", user: clerk, password: { file: '" + secret + "' }"},
	} {
		t.Run(name, func(t *testing.T) {
			dir, err := LayOut(filepath.Join(t.TempDir(), "desk"))
			require.NoError(t, err)
			names := []string{"berths", "ferries", "closures"}
			onServers(t, dir, server.base, server.login, names...)
			zones, err := zone.NewBook(nil)
			require.NoError(t, err)
			office := &Office{Desk: deskOf(t, dir), Zones: zones, Now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC), Run: "1"}
			for _, name := range names {
				require.NoError(t, MakeCalendar(t.Context(), office, name))
				require.NoError(t, DescribeCalendar(t.Context(), office, name, "Tarn Haven "+name, "#008080"))
			}
			listed, err := onServer(office, "berths")
			require.NoError(t, err)
			list, err := listed.List(t.Context())
			require.NoError(t, err)
			assert.True(t, slices.ContainsFunc(list, func(l caldav.Listed) bool { return l.Name == "Tarn Haven berths" }), "%v", list)
			load := func(intake string) *Report {
				in, faults := office.Desk.Intake(intake)
				require.Empty(t, faults)
				r, err := Load(t.Context(), office, LoadRequest{Intake: in, OfDesk: true, Write: true})
				require.NoError(t, err)
				return r
			}
			for _, intake := range []string{"berth-bookings", "ferries", "closures"} {
				first := load(intake)
				require.NotZero(t, first.Events())
				again := load(intake)
				assert.Zero(t, again.Events(), "%s: %+v", intake, again.Totals)
				assert.Equal(t, first.Totals.Wanted, again.Totals.Same, intake)
			}
			odd := request(t, dir, strings.Replace(strings.Replace(calls, "into: c", "into: closures", 1), "name: calls", "name: 'calls, of; all'", 1), "No,Ship,Start,Berth,Agent,Email,Pier\n\"A,1;B\\2 50%\",Corvane,2026-04-05 08:00,3,Oda,oda@fenn-agency.example,7\n\"A,1;B\",Merle,2026-04-06 08:00,3,Oda,oda@fenn-agency.example,\"7,8;9\"\n")
			r, err := Load(t.Context(), office, odd)
			require.NoError(t, err)
			require.Equal(t, 2, r.Events())
			r, err = Load(t.Context(), office, odd)
			require.NoError(t, err)
			assert.Zero(t, r.Events(), "odd keys: %+v", r.Totals)
			require.NoError(t, Later(dir))
			second := load("berth-bookings")
			require.NotZero(t, second.Events())
			assert.Zero(t, load("berth-bookings").Events())
			undone, _, err := Undo(t.Context(), office, UndoRequest{Run: second.Run, Write: true})
			require.NoError(t, err)
			assert.NotZero(t, undone.Events())
		})
	}
	assert.Zero(t, mail.Count(), "nobody was invited")
}

// People hear of what is loaded where the intake says so, and only there: when
// an event is made, changed, has a date of its own, and is removed.
func TestInvitations(t *testing.T) {
	mail := servertest.NewMail(t)
	base := servertest.Cyrus(t, mail)
	secret := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(secret, []byte("x"), 0o600))
	office, dir := harbour(t, "")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "almanach.yaml"), []byte("zone: Europe/Lisbon\ncalendars:\n  c: { caldav: '"+base+"clerk/Default/', user: clerk, password: { file: '"+secret+"' } }\n"), 0o600))
	office.Desk = deskOf(t, dir)
	load := func(send, rows string) {
		t.Helper()
		settings := calls + "agree: { gone: delete }\n" + send
		settings = strings.Replace(settings, "event: { ", "event: { organizer: clerk@harbour.example, ", 1)
		_, err := Load(t.Context(), office, request(t, dir, settings, rows))
		require.NoError(t, err)
	}
	const head = "No,Ship,Start,Berth,Agent,Email,Pier\n"
	arrived := func(atLeast int) int {
		for began := time.Now(); mail.Count() < atLeast && time.Since(began) < 5*time.Second; {
			time.Sleep(50 * time.Millisecond)
		}
		time.Sleep(300 * time.Millisecond)
		return mail.Count()
	}
	row := func(key, ship string) string {
		return key + "," + ship + ",2099-04-05 08:00,3,Piet,piet@elsewhere.example,1\n"
	}
	load("", head+row("A", "Corvane")+row("B", "Merle"))
	load("", head+row("A", "Grey Petrel")+row("B", "Merle"))
	load("", head+row("A", "Grey Petrel"))
	assert.Zero(t, arrived(0), "nothing is sent unless the intake says so")

	const send = "invitations: send\n"
	load(send, head+row("C", "Tern")+row("A", "Grey Petrel"))
	n := arrived(1)
	assert.Equal(t, 1, n, "the new event; the old one is left as it was: %v", mail.Mails)
	load(send, head+row("C", "Tern")+row("A", "Grey Petrel"))
	assert.Equal(t, n, arrived(0), "nothing has changed")
	load(send, head+row("C", "Tern of Haven")+row("A", "Grey Petrel"))
	assert.Equal(t, n+1, arrived(n+1), "a change is sent once")
	load(send, head+row("A", "Grey Petrel"))
	require.Equal(t, n+2, arrived(n+2), "and so is its end")
	assert.Contains(t, mail.Mails[n+1], "METHOD:CANCEL")
}

// A server that keeps no properties of ours: the next load finds all the same,
// and what a person changed is known as such.
func TestStrippedMarks(t *testing.T) {
	office, dir := harbour(t, "")
	s, base := standing(t, office)
	s.Faults = standin.Faults{StripX: true}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "almanach.yaml"), []byte("zone: Europe/Lisbon\ncalendars: { c: { caldav: '"+base+"/calendars/a/' } }\n"), 0o600))
	office.Desk = deskOf(t, dir)
	rows := "No,Ship,Start,Berth,Agent,Email,Pier\nTH-1,Corvane,2026-04-05 08:00,3,Oda,oda@fenn-agency.example,7\nTH-2,Merle,2026-04-06 08:00,4,,,\n"
	settings := strings.Replace(calls, ", properties: { X-PIER: '{Pier}' }", "", 1)
	load := func() *Report {
		r, err := Load(t.Context(), office, request(t, dir, settings, rows))
		require.NoError(t, err)
		return r
	}
	require.Equal(t, 2, load().Events())
	again := load()
	assert.Zero(t, again.Events())
	assert.Equal(t, 2, again.Totals.Same)
	require.NoError(t, os.RemoveAll(filepath.Join(dir, ".almanach")))
	again = load()
	assert.Equal(t, 2, again.Totals.Same, "%+v", again.Totals)
	assert.Zero(t, load().Events())
}
