package job

import (
	"fmt"
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
	assert.Contains(t, r.Items[0].Reason, "is put forward and not settled yet")

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
