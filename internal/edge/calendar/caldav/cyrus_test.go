package caldav

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
	"almanach/internal/edge/calendar"
)

// post takes mail in and keeps it.
type post struct {
	sync.Mutex
	port  int
	mails []string
}

// newPost listens for mail until the test ends.
func newPost(t *testing.T) *post {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	p := &post{port: l.Addr().(*net.TCPAddr).Port}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go p.talk(c)
		}
	}()
	return p
}

func (p *post) talk(c net.Conn) {
	defer c.Close()
	r := bufio.NewReader(c)
	fmt.Fprint(c, "220 post\r\n")
	for data := (*strings.Builder)(nil); ; {
		line, err := r.ReadString('\n')
		switch word := strings.ToUpper(strings.TrimSpace(line)); {
		case err != nil:
			return
		case data != nil && word == ".":
			p.Lock()
			p.mails = append(p.mails, data.String())
			p.Unlock()
			data = nil
			fmt.Fprint(c, "250 taken\r\n")
		case data != nil:
			data.WriteString(line)
		case word == "DATA":
			data = &strings.Builder{}
			fmt.Fprint(c, "354 go on\r\n")
		case word == "QUIT":
			fmt.Fprint(c, "221 bye\r\n")
			return
		default:
			fmt.Fprint(c, "250 well\r\n")
		}
	}
}

func (p *post) count() int {
	p.Lock()
	defer p.Unlock()
	return len(p.mails)
}

// cyrus starts the scheduling server with two users, and gives the address of
// its calendars.
func cyrus(t *testing.T, p *post) string {
	t.Helper()
	const master = "/usr/lib/cyrus/bin/master"
	require.FileExists(t, master, "scripts/test installs it")
	dir := scratch(t)
	require.NoError(t, os.Chmod(dir, 0o755))
	me, err := user.Current()
	require.NoError(t, err)
	owner := me.Username
	if owner == "root" { // it does not run as root
		owner = "cyrus"
	}
	web, mail := freePort(t), freePort(t)
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(strings.ReplaceAll(text, "DIR", dir)), 0o644))
	}
	write("imapd.conf", fmt.Sprintf(`configdirectory: DIR
partition-default: DIR/spool
defaultpartition: default
proc_path: DIR/proc
mboxname_lockpath: DIR/lock
cyrus_user: %s
servername: localhost
allowplaintext: yes
sasl_pwcheck_method: alwaystrue
sasl_mech_list: PLAIN
autocreate_quota: 0
httpmodules: caldav
caldav_allowscheduling: on
caldav_create_default: yes
calendar_user_address_set: harbour.example
smtp_backend: host
smtp_host: 127.0.0.1:%d/noauth
`, owner, p.port))
	write("cyrus.conf", fmt.Sprintf(`START { }
SERVICES {
  http cmd="httpd -C DIR/imapd.conf" listen="127.0.0.1:%d" prefork=1
  imap cmd="imapd -C DIR/imapd.conf" listen="127.0.0.1:%d" prefork=0
}
EVENTS { }
`, web, mail))
	for _, sub := range []string{"spool", "socket", "proc", "lock", "db"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, sub), 0o755))
	}
	if owner != me.Username {
		require.NoError(t, exec.Command("chown", "-R", owner, dir).Run())
	}
	c := exec.Command(master, "-D", "-C", dir+"/imapd.conf", "-M", dir+"/cyrus.conf", "-p", dir+"/master.pid")
	c.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Signal(syscall.SIGTERM); _ = c.Wait() })
	for _, name := range []string{"clerk", "oda"} { // a user is there once he has logged in
		for began := time.Now(); ; time.Sleep(100 * time.Millisecond) {
			if login(mail, name) && known(fmt.Sprintf("http://127.0.0.1:%d/dav/principals/user/%s/", web, name), name) {
				break
			}
			require.Less(t, time.Since(began), 30*time.Second, "the server does not answer")
		}
	}
	return fmt.Sprintf("http://127.0.0.1:%d/dav/calendars/user/", web)
}

func login(port int, name string) bool {
	c, err := net.Dial("tcp", "127.0.0.1:"+strconv.Itoa(port))
	if err != nil {
		return false
	}
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(5 * time.Second))
	fmt.Fprintf(c, "a LOGIN %s x\r\n", name)
	r := bufio.NewReader(c)
	for {
		line, err := r.ReadString('\n')
		if err != nil {
			return false
		}
		if strings.HasPrefix(line, "a ") {
			fmt.Fprint(c, "b LOGOUT\r\n")
			return strings.HasPrefix(line, "a OK")
		}
	}
}

func known(address, name string) bool {
	req, err := http.NewRequest("PROPFIND", address, nil)
	if err != nil {
		return false
	}
	req.SetBasicAuth(name, "x")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return false
	}
	resp.Body.Close()
	return resp.StatusCode == http.StatusMultiStatus
}

// The suite against a server that schedules, and that nobody is invited by what
// a load writes: not when it is made, changed or removed.
func TestCyrus(t *testing.T) {
	p := newPost(t)
	base := cyrus(t, p)
	secret := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(secret, []byte("x\n"), 0o600))
	server := calendar.Server{User: "clerk", Password: calendar.Secret{File: secret}}
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
		assert.Zero(t, p.count(), "mails")
		assert.Zero(t, there("oda"), "events of the invited")

		// The server does invite where it is told nothing.
		apply(calendar.Edit{New: text("Berth planning", "")})
		for began := time.Now(); there("oda") == 0 && time.Since(began) < 10*time.Second; {
			time.Sleep(100 * time.Millisecond)
		}
		assert.NotZero(t, there("oda"), "this server schedules")
	})
}
