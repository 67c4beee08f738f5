package job

import (
	"crypto/tls"
	"fmt"
	"io"
	"log"
	"net"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/intake"
	"almanach/internal/edge/calendar/servertest"
)

// deliver puts a message into a user's mailbox.
func deliver(t *testing.T, box string, n int, head, text string) {
	t.Helper()
	for _, sub := range []string{"new", "cur", "tmp"} {
		require.NoError(t, os.MkdirAll(filepath.Join(box, sub), 0o777))
		require.NoError(t, os.Chmod(filepath.Join(box, sub), 0o777)) // the server runs as another user
	}
	require.NoError(t, os.Chmod(box, 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(box, "new", fmt.Sprintf("%d.m.host", n)), []byte(fmt.Sprintf("From: Oda Fenn <oda@fenn-agency.example>\r\nTo: harbour@tarn-haven.example\r\nDate: Mon, 2 Mar 2026 09:00:0%d +0000\r\nMessage-ID: <m%d@fenn-agency.example>\r\n%s\r\n\r\n%s\r\n", n, n, head, text)), 0o666))
}

// A folder of a mail server: what is loaded is marked and moved, what is left for a
// person stays as it is, and a load that is stopped in between doubles nothing.
func TestMailbox(t *testing.T) {
	address, mails := servertest.Dovecot(t)
	box := filepath.Join(mails, "harbour")
	deliver(t, box, 1, "Subject: Fender check", "Fender check tomorrow at 14:30 for 45 min, berth 4.")
	deliver(t, box, 2, "Subject: Crane", "Could we do it on Thursday at 10?")
	deliver(t, box, 3, "Subject: Hello", "No news.")
	office, dir := harbour(t, "calendars: { works: { file: works.ics } }\n")
	secret := filepath.Join(dir, "secret")
	require.NoError(t, os.WriteFile(secret, []byte("x\n"), 0o600))
	settings := func(more string) *intake.Intake {
		text := "name: mails\ninto: works\nassume: { length: 1h }\nfrom: { imap: { server: '" + address + "', user: harbour, password: { file: '" + secret + "' }, unseen: yes" + more + " } }\n"
		in, faults := intake.Parse("mails.yaml", []byte(text))
		require.Empty(t, faults)
		return in
	}
	load := func(more string) (*Report, error) {
		return Load(t.Context(), office, LoadRequest{Intake: settings(more), OfDesk: true, Write: true})
	}
	events := func() int {
		data, err := os.ReadFile(filepath.Join(dir, "works.ics"))
		require.NoError(t, err)
		return strings.Count(string(data), "BEGIN:VEVENT")
	}

	_, err := load(", mark: seen, move: Nowhere") // loaded, and then the server does not move
	require.ErrorContains(t, err, "does not move the messages to Nowhere")
	assert.Equal(t, 1, events())
	r, err := load(", mark: seen")
	require.NoError(t, err)
	assert.Equal(t, 1, r.Totals.Held, "the question is not answered")
	assert.Equal(t, 1, events(), "nothing is doubled")
	assert.Contains(t, r.Items.At(0).Reason, "is put forward and not settled yet")

	deliver(t, box, 4, "Subject: Re: Crane\r\nIn-Reply-To: <m2@fenn-agency.example>", "Thursday at 10 works.")
	office.Now = office.Now.Add(time.Hour)
	r, err = load(", mark: seen")
	require.NoError(t, err)
	assert.Zero(t, r.Totals.Held)
	assert.Equal(t, 2, events())
	r, err = load(", mark: seen")
	require.NoError(t, err)
	assert.Zero(t, r.Totals.Rows, "all have been seen")

	for more, want := range map[string]string{", folder: Agants": "did you mean", ", user: harbour": ""} {
		if want != "" {
			_, err = load(more)
			assert.ErrorContains(t, err, "is not a folder", more)
		}
	}
	require.NoError(t, os.WriteFile(secret, []byte("wrong"), 0o600))
	_, err = load("")
	require.ErrorContains(t, err, "does not accept the name and password")
	assert.NotContains(t, err.Error(), "wrong\"")
}

// A connection that is cut at any byte loses nothing: no message is marked whose event
// is not loaded, and the next load brings what is missing, each once.
func TestMailboxCut(t *testing.T) {
	address, mails := servertest.Dovecot(t)
	office, dir := harbour(t, "calendars: { works: { file: works.ics } }\n")
	secret := filepath.Join(dir, "secret")
	require.NoError(t, os.WriteFile(secret, []byte("x\n"), 0o600))
	load := func(user, server string) error {
		in, faults := intake.Parse("mails.yaml", []byte("name: mails\ninto: works\nassume: { length: 1h }\nfrom: { imap: { server: '"+server+"', user: "+user+", password: { file: '"+secret+"' }, unseen: yes, mark: seen } }\n"))
		require.Empty(t, faults)
		_, err := Load(t.Context(), office, LoadRequest{Intake: in, OfDesk: true, Write: true})
		return err
	}
	events := func() int {
		data, _ := os.ReadFile(filepath.Join(dir, "works.ics"))
		return strings.Count(string(data), "BEGIN:VEVENT")
	}
	cuts := 0
	for n := 60; ; n += 110 {
		user := fmt.Sprintf("clerk%d", n)
		for m := 1; m <= 3; m++ {
			deliver(t, filepath.Join(mails, user), m, "Subject: Fender check", fmt.Sprintf("Fender check on %d May at 14:30 for 45 min, berth %d.", m, m))
		}
		require.NoError(t, os.RemoveAll(filepath.Join(dir, "works.ics")))
		require.NoError(t, os.RemoveAll(filepath.Join(dir, ".almanach")))
		err := load(user, cutAfter(t, address, n))
		if events() < 3 {
			require.Error(t, err, "cut after %d bytes", n)
			assert.Equal(t, 3, len(must(filepath.Glob(filepath.Join(mails, user, "*", "*.host"))))+len(must(filepath.Glob(filepath.Join(mails, user, "*", "*:2,")))), "nothing is marked, cut after %d bytes", n)
		}
		require.NoError(t, load(user, address))
		require.Equal(t, 3, events(), "cut after %d bytes", n)
		if err == nil {
			break
		}
		cuts++
	}
	assert.Greater(t, cuts, 12)

	// A certificate that nobody vouches for.
	server := httptest.NewUnstartedServer(nil)
	server.TLS, server.Config.ErrorLog = &tls.Config{NextProtos: []string{"imap"}}, log.New(io.Discard, "", 0)
	server.StartTLS()
	defer server.Close()
	err := load("clerk", "imaps://"+server.Listener.Addr().String())
	require.ErrorContains(t, err, "shows a certificate that cannot be trusted")
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// cutAfter stands before a server, and cuts the connection after so many bytes of it.
func cutAfter(t *testing.T, address string, n int) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			client, err := l.Accept()
			if err != nil {
				return
			}
			server, err := net.Dial("tcp", address)
			if err != nil {
				client.Close()
				return
			}
			go func() {
				_, _ = io.Copy(server, client)
				server.Close()
			}()
			_, _ = io.CopyN(client, server, int64(n))
			client.Close()
			server.Close()
		}
	}()
	return l.Addr().String()
}
