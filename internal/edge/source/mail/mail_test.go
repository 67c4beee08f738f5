package mail

import (
	"bytes"
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
	"almanach/internal/edge/source/sheet"
)

func options(t testing.TB) sheet.Options {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	home, err := book.Find("Europe/Lisbon")
	require.NoError(t, err)
	return sheet.Options{Name: "m.eml", Zones: book.Find, Budget: sheet.NewBudget(t.Context()), Text: sheet.Text{Present: time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC), Home: home}}
}

// told writes the rows of some messages.
func told(t testing.TB, list ...*Message) (out []string) {
	r := Rows(list, options(t))
	for {
		row, err := r.Next()
		if err != nil {
			return out
		}
		text := fmt.Sprintf("%s | %s | %s | %s", row.Cell(1).Text, row.Cell(2).Text, row.Cell(3).Text, row.Cell(6).Text)
		if row.Evidence.Held != nil {
			text += " | held: " + row.Evidence.Held.Cause.Error()
		}
		out = append(out, text)
	}
}

func sentAs(head, text string) *Message {
	return Read(strings.NewReader(strings.ReplaceAll("From: Oda <oda@fenn-agency.example>\nMessage-ID: <m1@fenn-agency.example>\n"+head+"\n\n"+text+"\n", "\n", "\r\n")))
}

const invite = "BEGIN:VCALENDAR\nVERSION:2.0\nMETHOD:%s\nBEGIN:VEVENT\nUID:planning@tarn-haven.example\nDTSTAMP:20260302T120000Z\nSEQUENCE:%d\nDTSTART;TZID=Europe/Lisbon:20260310T%02d0000\nDTEND;TZID=Europe/Lisbon:20260310T%02d0000\nSUMMARY:Planning\nEND:VEVENT\nEND:VCALENDAR"

func invited_(method string, sequence, hour int) *Message {
	text := fmt.Sprintf("--X\nContent-Type: text/plain\n\nPlanning is on 12 March at 14:00.\n--X\nContent-Type: text/calendar; method=%s\n\n"+invite+"\n--X--", method, method, sequence, hour, hour+1)
	return sentAs("Subject: Planning\nDate: Mon, 2 Mar 2026 09:00:00 +0000\nMIME-Version: 1.0\nContent-Type: multipart/alternative; boundary=X", text)
}

// What single messages come to.
func TestMessages(t *testing.T) {
	const date = "Subject: Survey\nDate: Mon, 2 Mar 2026 09:00:00 +0000"
	for name, c := range map[string]struct {
		m    *Message
		want string
	}{
		"from its own day":                 {sentAs("Subject: Survey\nDate: Thu, 26 Feb 2026 23:30:00 +0000", "Survey tomorrow at 10."), "2026-02-27 10:00 |  | Survey | "},
		"in its sender's offset":           {sentAs("Subject: Survey\nDate: Mon, 2 Mar 2026 09:00:00 +0100", "Survey tomorrow at 10."), "2026-03-03 10:00 | +01:00 | Survey | "},
		"across a change of clocks":        {sentAs("Subject: Survey\nDate: Mon, 2 Mar 2026 09:00:00 +0100", "Survey on 2 April at 10."), "2026-04-02 10:00 | +01:00 | Survey |  | held: is in the sender's offset +01:00, and clocks may change before it"},
		"the desk's across it":             {sentAs(date, "Survey on 2 April at 10."), "2026-04-02 10:00 |  | Survey | "},
		"a zone in the text":               {sentAs(date, "Survey tomorrow at 10:00 UTC."), "2026-03-03 10:00 | UTC | Survey | "},
		"no date":                          {sentAs("Subject: Survey", "Survey tomorrow at 10."), " |  | Survey |  | held: counts from the day on which it was written, which is not known"},
		"an old name of a zone":            {sentAs("Subject: Survey\nDate: Mon, 2 Mar 2026 09:00:00 EST", "Survey tomorrow at 10."), "2026-03-03 10:00 | -05:00 | Survey | "},
		"a subject of fields":              {sentAs("Subject: Crane check, 24 Sep 2026, 10:00, Barn 2\nDate: Mon, 2 Mar 2026 09:00:00 +0000", "Please come."), "2026-09-24 10:00 |  | Crane check | "},
		"latin-1":                          {sentAs(date+"\nContent-Type: text/plain; charset=iso-8859-1", "R\xe9union demain \xe0 14h."), "2026-03-03 14:00 |  | Survey | "},
		"an unknown charset":               {sentAs(date+"\nContent-Type: text/plain; charset=x-strange", "Survey tomorrow at 10."), "2026-03-03 10:00 |  | Survey | "},
		"quoted-printable":                 {sentAs(date+"\nContent-Type: text/plain; charset=utf-8\nContent-Transfer-Encoding: quoted-printable", "R=C3=A9union demain =C3=A0 14h."), "2026-03-03 14:00 |  | Survey | "},
		"a broken line in the head":        {sentAs(date+"\nthis is no field\nX-More: 1", "Survey tomorrow at 10."), "2026-03-03 10:00 |  | Survey | "},
		"NUL bytes":                        {sentAs(date, "Survey \x00tomorrow at 10."), "2026-03-03 10:00 |  | Survey | "},
		"a web page":                       {sentAs(date+"\nContent-Type: text/html; charset=utf-8", "<p>Survey <b>tomorrow</b> at 10.</p><blockquote>on 5 March at 9</blockquote>"), "2026-03-03 10:00 |  | Survey | "},
		"a table of a page":                {sentAs(date+"\nContent-Type: text/html; charset=utf-8", "<table><tr><th>Vessel<th>Date<th>Arr.<th>Dep.<tr><td>Lune<td>9.3.2026<td>06:00<td>18:00</table>"), "2026-03-09 06:00 – 2026-03-09 18:00 |  | Survey: Lune | "},
		"a table of spaces":                {sentAs(date, "Our requests:\n\nVessel     Date       From    To\nLune       9.3.2026   06:00   18:00\nCorrie     10.3.2026  22:00   06:00\n\nRegards\nOda"), "2026-03-09 06:00 – 2026-03-09 18:00 |  | Survey: Lune | \n2026-03-10 22:00 – 2026-03-11 06:00 |  | Survey: Corrie | "},
		"an invitation":                    {invited_("REQUEST", 1, 9), "2026-03-10 09:00 – 2026-03-10 10:00 | Europe/Lisbon | Planning | "},
		"an invitation withdrawn":          {invited_("CANCEL", 2, 9), "2026-03-10 09:00 – 2026-03-10 10:00 | Europe/Lisbon | Planning | cancelled"},
		"a counter-proposal":               {invited_("COUNTER", 2, 9), ""},
		"an encoded subject":               {sentAs("Subject: =?utf-8?q?R=C3=A9union?=\nDate: Mon, 2 Mar 2026 09:00:00 +0000", "Tomorrow at 10."), "2026-03-03 10:00 |  | Réunion | "},
		"no head at all":                   {Read(strings.NewReader("Survey on 5 March 2026 at 10:00.")), "2026-03-05 10:00 |  | Survey | "},
		"forwarded, from its own day":      {sentAs("Subject: Fwd: Survey\nDate: Mon, 2 Mar 2026 09:00:00 +0000", "See below.\n\n---------- Forwarded message ---------\nFrom: Piet <piet@ropes.example>\nDate: Thu, 26 Feb 2026 10:00:00 +0000\nSubject: Survey\n\nSurvey tomorrow at 10."), "2026-02-27 10:00 |  | Survey | "},
		"a form, whose offset is nobody's": {Read(strings.NewReader("From: no-reply@forms.example\r\nMessage-ID: <f@forms.example>\r\nSubject: Request\r\nDate: Wed, 1 Jul 2026 23:30:00 +0000\r\n\r\nWhat: Berth 4\r\nWhen: tomorrow, 14:00\r\n")), "2026-07-03 14:00 |  | Berth 4 | "},
	} {
		t.Run(name, func(t *testing.T) {
			got := strings.Join(told(t, c.m), "\n")
			assert.Equal(t, c.want, got)
		})
	}
}

// What a message holds and is not read is said.
func TestUnread(t *testing.T) {
	const date = "Subject: Survey\nDate: Mon, 2 Mar 2026 09:00:00 +0000"
	mixed := func(parts ...string) *Message {
		return sentAs(date+"\nMIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=X", "--X\n"+strings.Join(parts, "\n--X\n")+"\n--X--")
	}
	alternatives := func(plain, page string) *Message {
		return sentAs(date+"\nMIME-Version: 1.0\nContent-Type: multipart/alternative; boundary=X", "--X\nContent-Type: text/plain\n\n"+plain+"\n--X\n"+page+"\n--X--")
	}
	const asPage = "Content-Type: text/html\n\n"
	const plain = "Content-Type: text/plain\n\nSurvey tomorrow at 10."
	inner := "Content-Type: message/rfc822\n\nFrom: Piet <piet@ropes.example>\nMessage-ID: <i@ropes.example>\nSubject: Lamps\nDate: Mon, 2 Mar 2026 08:00:00 +0000\n%s"
	for name, c := range map[string]struct {
		m          *Message
		rows, note string
	}{
		"a PDF within the text":      {mixed(plain, "Content-Type: application/pdf; name=list.pdf\nContent-Disposition: inline\n\n%PDF"), "Survey", "list.pdf is not read"},
		"a text beside it":           {mixed(plain, "Content-Type: text/plain; name=list.txt\nContent-Disposition: attachment\n\nLamps on 5 March 2026 at 10:00"), "Survey", "list.txt is not read"},
		"a nameless attachment":      {mixed(plain, "Content-Type: application/octet-stream\n\nx"), "Survey", "without a name"},
		"a picture":                  {mixed(plain, "Content-Type: image/png; name=logo.png\nContent-Disposition: inline\n\nx"), "Survey", ""},
		"a page behind a text":       {mixed("Content-Type: text/plain\n\nSee below.", "Content-Type: text/html\n\n<p>Survey tomorrow at 10.</p>"), "Survey", ""},
		"a text that says less":      {alternatives("See below.", asPage+"<p>Survey tomorrow at noon, for an hour</p>"), "Survey", ""},
		"a text that says another":   {alternatives("Survey on 5 March 2026 at 10:00", asPage+"<p>Survey on 6 March 2026 at 10:00</p>"), "Survey", "its web page says 6 march, which its plain text does not; the plain text is read"},
		"a text that says the same":  {alternatives("Survey on *5 March\n> 2026* at 10:00, see https://x.example/7-8-2026", asPage+"<p>Survey on <b>5 March 2026</b> at&nbsp;10:00, see <a href=x>this</a></p>"), "Survey", ""},
		"a page beside pictures":     {alternatives("See below.", "Content-Type: multipart/related; boundary=Z\n\n--Z\n"+asPage+"<p>Survey tomorrow at noon</p>\n--Z--"), "Survey", ""},
		"a message in a message":     {mixed(plain, fmt.Sprintf(inner, "\nLamp check on 5 March at 9:00.")), "Lamps Survey", ""},
		"two deep":                   {mixed(plain, fmt.Sprintf(inner, "MIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=Y\n\n--Y\n"+strings.Replace(fmt.Sprintf(inner, "\nLamp check on 5 March at 9:00."), "<i@", "<j@", 1)+"\n--Y--")), "Lamps Survey", ""},
		"forwarded twice":            {sentAs(date, "See below.\n\n---------- Forwarded message ---------\nFrom: a@x.example\nDate: Mon, 2 Mar 2026 08:00:00 +0000\nSubject: Fwd: Survey\n\nAnd below.\n\n---------- Forwarded message ---------\nFrom: b@x.example\nDate: Mon, 2 Mar 2026 07:00:00 +0000\nSubject: Survey\n\nSurvey tomorrow at 10."), "Survey", ""},
		"an unreadable invitation":   {mixed(plain, "Content-Type: text/calendar\n\nBEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:x\nDTSTART:never\nEND:VEVENT\nEND:VCALENDAR"), "Survey", "invitation cannot be read"},
		"a text cut short":           {mixed("Content-Type: text/plain\nContent-Transfer-Encoding: base64\n\nU3VydmV5IHRvbW9ycm93IGF0IDEwLg==!!"), "Survey", "cannot be read in full"},
		"a subject of another time":  {sentAs("Subject: Crane check, 24 Sep 2026, 10:00\nDate: Mon, 2 Mar 2026 09:00:00 +0000", "The crane check is on 25 September 2026 at 10:00."), "Crane check held", ""},
		"a subject of the same time": {sentAs("Subject: Crane check, 24 Sep 2026, 10:00\nDate: Mon, 2 Mar 2026 09:00:00 +0000", "The crane check is on 24 September 2026 at 10:00."), "Crane check", ""},
		"a subject of two times":     {sentAs("Subject: Crane check 24 Sep 2026 10:00, lamp check 25 Sep 2026 11:00\nDate: Mon, 2 Mar 2026 09:00:00 +0000", "Please come."), "Crane check Lamp check", ""},
	} {
		t.Run(name, func(t *testing.T) {
			var titles []string
			r := Rows([]*Message{c.m}, options(t))
			for {
				row, err := r.Next()
				if err != nil {
					break
				}
				title := row.Cell(3).Text
				if row.Evidence.Held != nil {
					title += " held"
				}
				titles = append(titles, title)
			}
			slices.Sort(titles)
			assert.Equal(t, c.rows, strings.Join(titles, " "))
			notes := strings.Join(r.Notes, "; ")
			if c.note == "" {
				assert.Empty(t, notes)
			} else {
				assert.Contains(t, notes, c.note)
			}
		})
	}
	one, other, again := sentAs(date, "Survey tomorrow at 10."), sentAs(date, "Survey tomorrow at 11."), sentAs(date, "Survey tomorrow at 10.")
	r := Rows([]*Message{one, other, again}, options(t))
	assert.Len(t, r.Notes, 1, "two of one ID that differ are told of, and one kept twice is not")
	dir := t.TempDir()
	for _, name := range []string{"A.EML", "b.eml", "list.pdf"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("Subject: x\n\nSurvey on 5 March 2026 at 10:00\n"), 0o600))
	}
	paths, others := messageFiles(dir)
	assert.Len(t, paths, 2)
	assert.Equal(t, []string{"list.pdf"}, others)
}

// An older invitation never takes the place of a newer one, whatever comes first.
func TestSequence(t *testing.T) {
	old, changed := invited_("REQUEST", 1, 9), invited_("REQUEST", 2, 11)
	old.ID, changed.ID = "a", "b"
	for _, order := range [][]*Message{{old, changed}, {changed, old}} {
		assert.Equal(t, []string{"2026-03-10 11:00 – 2026-03-10 12:00 | Europe/Lisbon | Planning | "}, told(t, order...))
	}
}

// A mailbox of one file is cut where messages begin, and its stuffed lines are
// restored.
func TestMailbox(t *testing.T) {
	data := []byte("From oda@fenn-agency.example Mon Mar  2 09:00:00 2026\nFrom: a@x.example\nSubject: A\n\nFrom now on all is well.\n>From there too.\n\nFrom piet@ropes.example Mon Mar  2 10:00:00 2026\nFrom: b@x.example\nSubject: B\n\nHi\n")
	parts := Split(data)
	require.Len(t, parts, 2)
	a, b := Read(bytes.NewReader(parts[0])), Read(bytes.NewReader(parts[1]))
	assert.Equal(t, "A", a.Subject)
	assert.Equal(t, "From there too.", a.Lines[1].Text)
	assert.Equal(t, "B", b.Subject)
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "new"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "new", "1"), parts[1], 0o600))
	assert.True(t, IsFolder(dir))
}

// A message that is nested without end, or has very many parts, is read as far as
// it can be, and says so.
func TestNested(t *testing.T) {
	text := "Content-Type: text/plain\n\nSurvey on 5 March 2026 at 10:00.\n"
	for i := range 500 {
		text = fmt.Sprintf("Content-Type: multipart/mixed; boundary=b%d\n\n--b%d\n%s\n--b%d--\n", i, i, text, i)
	}
	m := Read(strings.NewReader("From: a@x.example\nSubject: Deep\nMIME-Version: 1.0\n" + text))
	require.NotEmpty(t, m.Notes)
	assert.Contains(t, m.Notes[0], "deep in each other")
}

// FuzzMessage wants no message to end the program.
func FuzzMessage(f *testing.F) {
	for _, path := range []string{"1.eml", "2.eml", "3.eml"} {
		data, err := os.ReadFile("../../../../demo/desk/inbox/mails/" + path)
		require.NoError(f, err)
		f.Add(data)
	}
	f.Add([]byte(fmt.Sprintf("MIME-Version: 1.0\nContent-Type: text/calendar\n\n"+invite, "REQUEST", 1, 9, 10)))
	f.Fuzz(func(t *testing.T, data []byte) {
		m := Read(bytes.NewReader(data))
		_ = told(t, m)
		for _, part := range Split(data) {
			Read(bytes.NewReader(part))
		}
	})
}
