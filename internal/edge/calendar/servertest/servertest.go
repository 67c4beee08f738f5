// Package servertest starts real calendar servers for tests, and a post office
// that takes in what they send.
package servertest

import (
	"bufio"
	"bytes"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
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

	"github.com/stretchr/testify/require"
)

// FreePort gives a port that nothing listens on.
func FreePort(t testing.TB) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// start runs a server until the test ends, and waits until it answers.
func start(t testing.TB, ready, program string, args ...string) {
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
func scratch(t testing.TB) string {
	t.Helper()
	dir, err := os.MkdirTemp("/dev/shm", "almanach")
	if err != nil {
		return t.TempDir()
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

// Mail takes mail in and keeps it.
type Mail struct {
	sync.Mutex
	port  int
	Mails []string
}

// NewMail listens for mail until the test ends.
func NewMail(t testing.TB) *Mail {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	p := &Mail{port: l.Addr().(*net.TCPAddr).Port}
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

func (p *Mail) talk(c net.Conn) {
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
			p.Mails = append(p.Mails, data.String())
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

// Count is how many mails have come.
func (p *Mail) Count() int {
	p.Lock()
	defer p.Unlock()
	return len(p.Mails)
}

// Cyrus starts the scheduling server with two users, and gives the address of
// its calendars.
func Cyrus(t testing.TB, p *Mail) string {
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
	web, mail := FreePort(t), FreePort(t)
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

func login(port int, name string) bool { return loginWith(port, name, "x") }

func loginWith(port int, name, password string) bool {
	c, err := net.Dial("tcp", "127.0.0.1:"+strconv.Itoa(port))
	if err != nil {
		return false
	}
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(5 * time.Second))
	fmt.Fprintf(c, "a LOGIN %s %s\r\n", name, password)
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

// Radicale starts that server, and gives the address under which a user's
// calendars are made.
func Radicale(t testing.TB) string {
	t.Helper()
	port := FreePort(t)
	base := fmt.Sprintf("http://127.0.0.1:%d", port)
	start(t, base+"/.web/", "radicale", "--server-hosts", fmt.Sprintf("127.0.0.1:%d", port), "--storage-filesystem-folder", scratch(t), "--auth-type", "none")
	return base + "/clerk/"
}

// Xandikos starts that server, and gives the address under which calendars are
// made.
func Xandikos(t testing.TB) string {
	t.Helper()
	port := FreePort(t)
	base := fmt.Sprintf("http://127.0.0.1:%d", port)
	start(t, base+"/", "xandikos", "-d", scratch(t), "--defaults", "--current-user-principal", "/tester/", "-l", "127.0.0.1", "-p", fmt.Sprint(port))
	return base + "/tester/calendars/"
}

// Serve runs a handler until the test ends, and gives its address.
func Serve(t testing.TB, h http.Handler) string {
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return s.URL
}

// Dovecot starts that mail server for any user with the password "x", and gives its
// address and the folder in which each user's mail is.
func Dovecot(t testing.TB) (address, mail string) {
	t.Helper()
	const program = "/usr/sbin/dovecot"
	require.FileExists(t, program, "scripts/test installs it")
	dir := scratch(t)
	require.NoError(t, os.Chmod(dir, 0o755))
	me, err := user.Current()
	require.NoError(t, err)
	group, err := user.LookupGroupId(me.Gid)
	require.NoError(t, err)
	port := FreePort(t)
	internal, login, uid, gid := me.Username, me.Username, me.Uid, me.Gid
	name := group.Name
	if me.Uid == "0" { // it does not run as root
		nobody, err := user.Lookup("nobody")
		require.NoError(t, err)
		internal, name, login, uid, gid = "dovecot", "dovecot", "dovenull", nobody.Uid, nobody.Gid
	}
	conf := strings.NewReplacer("DIR", dir, "USER", internal, "GROUP", name, "LOGIN", login, "PORT", strconv.Itoa(port), "UID", uid, "GID", gid).Replace(`protocols = imap
listen = 127.0.0.1
base_dir = DIR/run
state_dir = DIR/state
log_path = DIR/log
default_internal_user = USER
default_internal_group = GROUP
default_login_user = LOGIN
first_valid_uid = 1
first_valid_gid = 1
ssl = no
disable_plaintext_auth = no
mail_location = maildir:DIR/mail/%u
passdb {
  driver = static
  args = password=x
}
userdb {
  driver = static
  args = uid=UID gid=GID home=DIR/home/%u
}
service imap-login {
  chroot =
  inet_listener imap {
    port = PORT
  }
  inet_listener imaps {
    port = 0
  }
}
service anvil {
  chroot =
}
service stats {
  chroot =
}
`)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "conf"), []byte(conf), 0o644))
	for _, sub := range []string{"run", "state", "mail", "home"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, sub), 0o777))
		require.NoError(t, os.Chmod(filepath.Join(dir, sub), 0o777))
	}
	c := exec.Command(program, "-F", "-c", filepath.Join(dir, "conf"))
	c.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	out := &bytes.Buffer{}
	c.Stdout, c.Stderr = out, out
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Signal(syscall.SIGTERM); _ = c.Wait() })
	for began := time.Now(); !loginWith(port, "ready", "x"); time.Sleep(100 * time.Millisecond) {
		if time.Since(began) > 30*time.Second {
			log, _ := os.ReadFile(filepath.Join(dir, "log"))
			t.Fatalf("dovecot does not answer: %s %s", out, log)
		}
	}
	return fmt.Sprintf("127.0.0.1:%d", port), filepath.Join(dir, "mail")
}
