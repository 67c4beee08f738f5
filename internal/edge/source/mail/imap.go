package mail

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"

	"almanach/internal/core/fault"
	"almanach/internal/edge/secret"
)

// Mailbox says how a folder of messages on a server is reached (IMAP, RFC 9051).
type Mailbox struct {
	Server   string // host, or host:port; port 993 by default
	User     string
	Password secret.Place
	Folder   string // "" for INBOX
	Unseen   bool   // only messages that nobody has seen
	Mark     string // seen, or a keyword: set once a message's events are loaded; "" for nothing
	Move     string // folder to which a message is moved once its events are loaded; "" for none
	CA       string // file of an authority of one's own, in PEM form
	Plain    bool   // without TLS, to other machines too
}

// Limits of one mailbox and of one command.
const (
	imapPatience = 60 * time.Second
	imapBatch    = 50
	maxMessages  = 20_000
)

// Fetched are the messages of a mailbox, and where they are.
type Fetched struct {
	Messages []*Message
	Box      Mailbox
	validity uint32
	uids     map[*Message]imap.UID
}

func (b Mailbox) fault(format string, args ...any) *fault.Fault {
	return fault.Newf("the mail server "+b.Server+" "+format, args...).FromOutside()
}

// dial connects and logs in. The connection is closed when the context ends.
func (b Mailbox) dial(ctx context.Context) (*imapclient.Client, func(), error) {
	server, secured := strings.CutPrefix(b.Server, "imaps://") // RFC 8314 §3.2: TLS from the first byte, on any port
	host, port, err := net.SplitHostPort(server)
	if err != nil {
		host, port = server, "993"
	}
	address := net.JoinHostPort(host, port)
	ip := net.ParseIP(host)
	local := host == "localhost" || ip != nil && ip.IsLoopback()
	config := &tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}
	if b.CA != "" {
		pem, err := os.ReadFile(b.CA)
		pool := x509.NewCertPool()
		if err != nil || !pool.AppendCertsFromPEM(pem) {
			return nil, nil, fault.Newf("holds no certificate").At(fault.Place{File: b.CA}).Do("give the file of the server's own authority, in PEM form")
		}
		config.RootCAs = pool
	}
	password, err := b.Password.Read(ctx, "password", b.User)
	if err != nil {
		return nil, nil, err
	}
	dialer := &net.Dialer{Timeout: 20 * time.Second}
	options := &imapclient.Options{TLSConfig: config, Dialer: dialer}
	var c *imapclient.Client
	switch {
	case port == "993" || secured:
		c, err = imapclient.DialTLS(address, options)
	case (local || b.Plain) && port != "143":
		c, err = imapclient.DialInsecure(address, options)
	default:
		c, err = imapclient.DialStartTLS(address, options)
		if err != nil && (local || b.Plain) {
			c, err = imapclient.DialInsecure(address, options)
		}
	}
	if err != nil {
		var cert *tls.CertificateVerificationError
		if errors.As(err, &cert) {
			return nil, nil, b.fault("shows a certificate that cannot be trusted: %v", cert.Err).Do("check the name of the server; for an authority of your own give ca: FILE")
		}
		return nil, nil, b.fault("cannot be reached: %w", fault.Bare(err)).Do("check the name and the network")
	}
	stop := context.AfterFunc(ctx, func() { c.Close() })
	if err := b.wait(c, c.Login(b.User, password).Wait); err != nil {
		stop()
		c.Close()
		var refused *imap.Error
		if errors.As(err, &refused) {
			return nil, nil, b.fault("does not accept the name and password").Do("check user and password of the intake")
		}
		return nil, nil, b.lost(ctx, err)
	}
	return c, func() { stop(); c.Close() }, nil
}

// wait waits for a command, and closes the connection when it takes too long.
func (b Mailbox) wait(c *imapclient.Client, command func() error) error {
	t := time.AfterFunc(imapPatience, func() { c.Close() })
	defer t.Stop()
	return command()
}

func (b Mailbox) lost(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return b.fault("stopped answering: %w", err).Do("try again; nothing was marked")
}

func (b Mailbox) folder() string {
	if b.Folder == "" {
		return "INBOX"
	}
	return b.Folder
}

// fetchedText is one message as the server gave it.
type fetchedText struct {
	uid  imap.UID
	text []byte // nil for none
}

// texts takes the messages of a command. A text that is cut ends it at once: what reads
// on in it would do so beside the client itself.
func texts(cmd *imapclient.FetchCommand) (out []fetchedText, err error) {
	for msg := cmd.Next(); msg != nil; msg = cmd.Next() {
		var m fetchedText
		for item := msg.Next(); item != nil; item = msg.Next() {
			switch item := item.(type) {
			case imapclient.FetchItemDataUID:
				m.uid = item.UID
			case imapclient.FetchItemDataBodySection:
				if item.Literal == nil {
					continue
				}
				text, err := io.ReadAll(item.Literal)
				if err == nil && int64(len(text)) < item.Literal.Size() {
					err = io.ErrUnexpectedEOF
				}
				if err != nil {
					return nil, err
				}
				if m.text = text; text == nil {
					m.text = []byte{}
				}
			}
		}
		out = append(out, m)
	}
	return out, cmd.Close()
}

// Fetch reads the messages of a mailbox. Nothing on the server is changed.
func Fetch(ctx context.Context, b Mailbox) (*Fetched, error) {
	c, end, err := b.dial(ctx)
	if err != nil {
		return nil, err
	}
	defer end()
	out := &Fetched{Box: b, uids: map[*Message]imap.UID{}}
	var selected *imap.SelectData
	if err := b.wait(c, func() (err error) {
		selected, err = c.Select(b.folder(), &imap.SelectOptions{ReadOnly: true}).Wait()
		return err
	}); err != nil {
		return nil, b.noFolder(ctx, c, err)
	}
	out.validity = selected.UIDValidity
	criteria := &imap.SearchCriteria{}
	if b.Unseen {
		criteria.NotFlag = []imap.Flag{imap.FlagSeen}
	}
	if flag := b.flag(); flag != "" && flag != imap.FlagSeen { // marked before
		criteria.NotFlag = append(criteria.NotFlag, flag)
	}
	var found *imap.SearchData
	if err := b.wait(c, func() (err error) { found, err = c.UIDSearch(criteria, nil).Wait(); return err }); err != nil {
		return nil, b.lost(ctx, err)
	}
	uids := found.AllUIDs()
	if len(uids) > maxMessages {
		return nil, b.fault("has %d messages in %s; the limit is %d", len(uids), b.folder(), maxMessages).Do("set unseen: yes, or move the old ones to another folder")
	}
	for len(uids) > 0 {
		n := min(imapBatch, len(uids))
		var batch []fetchedText
		err := b.wait(c, func() (err error) {
			section := &imap.FetchItemBodySection{Peek: true}
			batch, err = texts(c.Fetch(imap.UIDSetNum(uids[:n]...), &imap.FetchOptions{UID: true, BodySection: []*imap.FetchItemBodySection{section}}))
			return err
		})
		if err != nil {
			return nil, b.lost(ctx, err)
		}
		if len(batch) != n {
			return nil, b.fault("gave %d of %d messages that it lists in %s", len(batch), n, b.folder()).Do("try again; nothing was marked")
		}
		for _, m := range batch {
			if m.text == nil {
				return nil, b.fault("lists message %d of %s, and gives no text for it", m.uid, b.folder()).Do("try again; nothing was marked")
			}
			one := Read(bytes.NewReader(m.text))
			one.Where = fmt.Sprintf("%s/%s", b.Server, b.folder())
			one.Number = int(m.uid)
			out.Messages = append(out.Messages, one)
			out.uids[one] = m.uid
		}
		uids = uids[n:]
	}
	return out, nil
}

func (b Mailbox) noFolder(ctx context.Context, c *imapclient.Client, err error) error {
	var refused *imap.Error
	if !errors.As(err, &refused) {
		return b.lost(ctx, err)
	}
	var names []string
	if list, err := c.List("", "*", nil).Collect(); err == nil {
		for _, l := range list {
			names = append(names, l.Mailbox)
		}
	}
	f := fault.Unknown("folder of "+b.Server, b.folder(), names)
	return f.FromOutside()
}

func (b Mailbox) flag() imap.Flag {
	switch b.Mark {
	case "":
		return ""
	case "seen":
		return imap.FlagSeen
	}
	return imap.Flag(b.Mark)
}

// waits tells whether a message, or one inside of it, is left for a person.
func (m *Message) waits(pending map[string]bool) bool {
	return pending[m.ID] || len(m.Notes) > 0 || slices.ContainsFunc(m.inner, func(inner *Message) bool { return inner.waits(pending) })
}

// Loaded marks and moves the messages whose events are loaded, as the intake says.
// pending are those that are left for a person, by their Message-ID: they and the
// threads that they are of stay as they are, and so do those with something in them
// that was not read.
func (f *Fetched) Loaded(ctx context.Context, pending map[string]bool) error {
	b := f.Box
	if b.Mark == "" && b.Move == "" {
		return nil
	}
	var uids []imap.UID
	for _, thread := range threads(f.Messages) {
		waits := slices.ContainsFunc(thread, func(m *Message) bool { return m.waits(pending) })
		for _, m := range thread {
			if !waits {
				uids = append(uids, f.uids[m])
			}
		}
	}
	if len(uids) == 0 {
		return nil
	}
	c, end, err := b.dial(ctx)
	if err != nil {
		return err
	}
	defer end()
	var selected *imap.SelectData
	if err := b.wait(c, func() (err error) { selected, err = c.Select(b.folder(), nil).Wait(); return err }); err != nil {
		return b.noFolder(ctx, c, err)
	}
	if selected.UIDValidity != f.validity {
		return b.fault("has made the folder %s anew", b.folder()).Do("load again; nothing was marked")
	}
	set := imap.UIDSetNum(uids...)
	if flag := b.flag(); flag != "" {
		if err := b.wait(c, c.Store(set, &imap.StoreFlags{Op: imap.StoreFlagsAdd, Silent: true, Flags: []imap.Flag{flag}}, nil).Close); err != nil {
			return b.fault("does not mark the messages: %w", err).Do("load again; it doubles nothing")
		}
	}
	if b.Move != "" {
		if err := b.wait(c, func() error { _, err := c.Move(set, b.Move).Wait(); return err }); err != nil {
			return b.fault("does not move the messages to %s: %w", b.Move, err).Do("see whether that folder is there, then load again; it doubles nothing")
		}
	}
	return nil
}
