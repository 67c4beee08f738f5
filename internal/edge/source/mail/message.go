// Package mail reads messages as sources: single ones, mailboxes of both common
// kinds, and folders of a server. What a thread of messages settles is a row, and so
// is each invitation among them.
package mail

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"mime"
	"net/mail"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-message"
	_ "github.com/emersion/go-message/charset" // the charsets that messages come in
	"golang.org/x/text/encoding/charmap"

	"almanach/internal/core/notice"
	"almanach/internal/core/pattern"
	"almanach/internal/edge/source/document"
)

// Limits of one message.
const (
	maxMessage = 256 << 20 // bytes; what lies beyond is left away, and said
	maxPart    = 4 << 20   // of one part's text
	maxParts   = 200
	maxInside  = 20 // messages and parts within each other
)

// Message is a message as it was read.
type Message struct {
	ID          string
	Refs        []string // what it answers, the first first
	From, Name  string
	To          []string
	Subject     string
	Sent        time.Time // in the sender's offset; zero where it does not say
	Machine     bool      // a program wrote it: a form, a list
	Lines       []notice.Line
	Forwarded   *notice.Forwarded
	Invitations [][]byte // calendars inside
	Notes       []string // what could not be read
	Where       string   // file, for messages of several
	Number      int      // in its mailbox

	inner   []*Message // forwarded as a whole
	invites bool       // an invitation in it could be read
}

// Read reads one message.
func Read(r io.Reader) *Message {
	m := &Message{}
	data, err := io.ReadAll(io.LimitReader(r, maxMessage+1))
	if err != nil {
		m.Notes = append(m.Notes, fmt.Sprintf("is cut short: %v", err))
	}
	if len(data) > maxMessage {
		data = data[:maxMessage]
		m.Notes = append(m.Notes, fmt.Sprintf("is longer than %d MiB, and is read up to there", maxMessage>>20))
	}
	m.read(data, 0)
	return m
}

func (m *Message) read(data []byte, depth int) {
	data = bytes.ReplaceAll(data, []byte{0}, nil)
	data = mended(data)
	e, err := message.Read(bytes.NewReader(data))
	if e == nil || err != nil && !message.IsUnknownCharset(err) && !message.IsUnknownEncoding(err) {
		m.Notes = append(m.Notes, fmt.Sprintf("cannot be read in full: %v", err))
		if e == nil {
			return
		}
	}
	m.head(e.Header)
	w := &walker{m: m}
	w.entity(e, depth, false)
	text, read := w.plain, map[int]notice.Line{}
	if w.html != "" {
		shown, lines := page(w.html, 0)
		switch better, more := compare(text, shown); {
		case better:
			text, read = shown, lines
		case more != "":
			w.note("its web page says %s, which its plain text does not; the plain text is read", more)
		}
	}
	if strings.TrimSpace(w.loose) != "" {
		text += "\n"
		more, lines := page(w.loose, strings.Count(text, "\n"))
		text += more
		maps.Copy(read, lines)
	}
	b := notice.ReadBody(text)
	m.Lines, m.Forwarded = shaped(b.Lines, read), b.Forwarded
	for f := b.Forwarded; f != nil; f = f.Forwarded {
		f.Lines = shaped(f.Lines, read)
	}
	if m.Forwarded == nil && len(b.Quoted) > 0 && forwards().MatchString(m.Subject) { // as some programs forward
		m.Forwarded = &notice.Forwarded{Lines: b.Quoted}
	}
}

// shaped gives the lines of a message the shape that they had in its web page, or the tables
// that are in its text.
func shaped(lines []notice.Line, read map[int]notice.Line) []notice.Line {
	if len(read) == 0 {
		return tabled(lines)
	}
	for i, l := range lines {
		if was, ok := read[l.Number]; ok {
			was.Number = l.Number
			lines[i] = was
		}
	}
	return lines
}

// forwards is how the subject of a message begins that forwards another.
var forwards = pattern.Lazy(`(?i)^\s*(?:fwd?|wg|tr|rv|enc|doorst)\s*:`)

// headerLine is the beginning of a header field.
var headerLine = pattern.Lazy(`^[!-9;-~]+[ \t]*:`)

// mended gives a message without the lines of its head that are none, so that one
// broken line does not cost the whole.
func mended(data []byte) []byte {
	data = bytes.TrimLeft(data, "\r\n")
	if bytes.HasPrefix(data, []byte("From ")) {
		if i := bytes.IndexByte(data, '\n'); i >= 0 {
			data = data[i+1:]
		}
	}
	var out []byte
	rest := data
	broken := false
	for len(rest) > 0 {
		i := bytes.IndexByte(rest, '\n')
		line := rest
		if i >= 0 {
			line = rest[:i+1]
		}
		trimmed := bytes.TrimRight(line, "\r\n")
		if len(trimmed) == 0 {
			break
		}
		if headerLine().Match(line) || (line[0] == ' ' || line[0] == '\t') && len(out) > 0 && !broken {
			out = append(out, line...)
			broken = false
		} else {
			broken = true
			if len(out) == 0 { // no head at all: it is text
				return append([]byte("Content-Type: text/plain; charset=utf-8\r\n\r\n"), data...)
			}
		}
		rest = rest[len(line):]
	}
	return append(out, rest...)
}

func (m *Message) head(h message.Header) {
	decode := func(name string) string {
		text := h.Get(name)
		d := mime.WordDecoder{CharsetReader: message.CharsetReader}
		if plain, err := d.DecodeHeader(text); err == nil {
			text = plain
		}
		return strings.Join(strings.Fields(text), " ")
	}
	m.ID = strings.Trim(strings.TrimSpace(h.Get("Message-Id")), "<>")
	for _, name := range []string{"References", "In-Reply-To"} {
		for _, ref := range strings.Fields(strings.NewReplacer("><", "> <", ",", " ").Replace(h.Get(name))) {
			if ref = strings.Trim(ref, "<>"); strings.Contains(ref, "@") {
				m.Refs = append(m.Refs, ref)
			}
		}
	}
	m.Subject = decode("Subject")
	parser := mail.AddressParser{WordDecoder: &mime.WordDecoder{CharsetReader: message.CharsetReader}}
	if list, err := parser.ParseList(h.Get("From")); err == nil && len(list) > 0 {
		m.From, m.Name = strings.ToLower(list[0].Address), list[0].Name
	} else {
		m.From = strings.ToLower(strings.TrimSpace(decode("From")))
	}
	for _, name := range []string{"To", "Cc"} {
		if list, err := parser.ParseList(h.Get(name)); err == nil {
			for _, a := range list {
				m.To = append(m.To, strings.ToLower(a.Address))
			}
		}
	}
	m.Sent = ParseDate(h.Get("Date"))
	m.Machine = h.Get("List-Id") != "" || h.Get("Auto-Submitted") != "" && !strings.EqualFold(h.Get("Auto-Submitted"), "no") || strings.EqualFold(h.Get("Precedence"), "bulk") || strings.EqualFold(h.Get("Precedence"), "list") || machineName().MatchString(m.From)
}

var (
	machineName = pattern.Lazy(`(?i)(^|[._-])(no-?reply|do-?not-?reply|forms?|notifications?|mailer|daemon|robot|bot|auto|system|webmaster|booking)([._@-]|$)`)
	senderOfBox = pattern.Lazy(`^From +(?:\S*@\S*|-|\S+ +(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun))[ ,]`)
	ofMailOnly  = pattern.Lazy(`(?i)^(?:return-path|received|message-id|mime-version|delivered-to|content-[a-z-]+|x-[a-z-]+|status):`)
	dateOfBox   = pattern.Lazy(`\d{4}\s*$|\d{2}:\d{2}`)
	zoneName    = pattern.Lazy(`\s*\([^()]*\)\s*$`)
	oldZones    = map[string]string{"EST": "-0500", "EDT": "-0400", "CST": "-0600", "CDT": "-0500", "MST": "-0700", "MDT": "-0600", "PST": "-0800", "PDT": "-0700", "GMT": "+0000", "UT": "+0000", "UTC": "+0000", "Z": "+0000", "CET": "+0100", "CEST": "+0200", "WET": "+0000", "WEST": "+0100", "BST": "+0100"}
)

// ParseDate reads the date of a message (RFC 5322 §3.3), in its own offset; the
// zero time where it has none that can be read. The names of zones that the
// standard still knows have the offsets that it gives them.
func ParseDate(text string) time.Time {
	text = strings.TrimSpace(text)
	for zoneName().MatchString(text) {
		text = zoneName().ReplaceAllString(text, "")
	}
	if i := strings.LastIndexByte(text, ' '); i >= 0 {
		if offset, ok := oldZones[strings.ToUpper(text[i+1:])]; ok {
			text = text[:i+1] + offset
		}
	}
	for _, layout := range []string{"Mon, 2 Jan 2006 15:04:05 -0700", "2 Jan 2006 15:04:05 -0700", "Mon, 2 Jan 2006 15:04 -0700", "2 Jan 2006 15:04 -0700", "Mon, 2 Jan 06 15:04:05 -0700", "2 Jan 06 15:04:05 -0700", "Mon Jan 2 15:04:05 2006 -0700", time.RFC3339, "2006-01-02 15:04:05 -0700"} {
		if t, err := time.Parse(layout, strings.Join(strings.Fields(text), " ")); err == nil {
			_, offset := t.Zone()
			return t.In(time.FixedZone("", offset))
		}
	}
	return time.Time{}
}

// walker goes through the parts of a message.
type walker struct {
	m           *Message
	plain, html string // of which one is read, where they are alternatives
	loose       string // web pages that are no alternative to anything
	parts       int
}

func (w *walker) note(format string, args ...any) {
	w.m.Notes = append(w.m.Notes, fmt.Sprintf(format, args...))
}

func (w *walker) entity(e *message.Entity, depth int, alternative bool) {
	if w.parts++; w.parts > maxParts || depth > maxInside {
		if w.parts == maxParts+1 || depth == maxInside+1 {
			w.note("has more than %d parts, or parts more than %d deep in each other; the rest is not read", maxParts, maxInside)
		}
		return
	}
	if parts := e.MultipartReader(); parts != nil {
		kind, _, _ := e.Header.ContentType()
		had := w.plain != ""
		for {
			p, err := parts.NextPart()
			if errors.Is(err, io.EOF) {
				return
			}
			if p == nil {
				if err != nil {
					w.note("a part of it cannot be read: %v", err)
				}
				return
			}
			if part, _, _ := p.Header.ContentType(); kind == "multipart/alternative" && !had && w.plain != "" && part == "text/plain" {
				continue // one of alternatives is read
			}
			w.entity(p, depth+1, alternative || kind == "multipart/alternative")
		}
	}
	kind, params, _ := e.Header.ContentType()
	disposition, dparams, _ := e.Header.ContentDisposition()
	name := strings.ToLower(params["name"] + dparams["filename"])
	switch {
	case kind == "text/calendar" || strings.HasSuffix(name, ".ics") || kind == "application/ics":
		if text := w.text(e, params["charset"]); text != "" {
			w.m.Invitations = append(w.m.Invitations, []byte(text))
		}
	case kind == "message/rfc822":
		data, err := io.ReadAll(io.LimitReader(e.Body, maxMessage))
		if err != nil {
			w.note("the message inside of it is cut short: %v", err)
		}
		if len(data) > 0 {
			inner := &Message{}
			inner.read(data, depth+1)
			w.m.inner = append(w.m.inner, inner)
			w.m.Invitations = append(w.m.Invitations, inner.Invitations...)
		}
	case disposition == "attachment" || kind != "" && !strings.HasPrefix(kind, "text/"):
		switch {
		case strings.HasPrefix(kind, "image/") && disposition != "attachment" || strings.HasSuffix(kind, "-signature"):
			// a picture within the text, a signature
		case name != "":
			w.note("the attachment %s is not read; save it into the inbox", name)
		default:
			w.note("an attachment without a name (%s) is not read; save it into the inbox", kind)
		}
	case kind == "text/html" && alternative:
		w.html += w.text(e, params["charset"])
	case kind == "text/html":
		w.loose += w.text(e, params["charset"])
	case kind == "text/plain" || kind == "":
		w.plain += w.text(e, params["charset"])
	default:
		w.note("a part of it (%s) is not read", kind)
	}
}

// moments are days and times of day in figures, and link what a plain text has in place of
// one.
var (
	moments = pattern.Lazy(`\b(?:\d{4}-\d\d-\d\d|\d{1,2}[./-]\d{1,2}[./-]\d{2,4}|\d{1,2}[:.h]\d\d|\d{1,2}\s?(?:am|pm)|\d{1,2}(?:st|nd|rd|th)?\.?\s+\pL{3,})\b`)
	quoted  = pattern.Lazy(`(?m)^[> ]+`)
	link    = pattern.Lazy(`(?:https?://|mailto:|www\.)\S+`)
)

// compare tells whether the web page of a message is to be read and not its plain text, which
// then has no day and no time in figures, and not all words of the page. Otherwise it gives a
// day or a time that the page says alone, "" for none.
func compare(plain, page string) (better bool, more string) {
	bare := func(text string) string {
		text = link().ReplaceAllString(quoted().ReplaceAllString(text, ""), " ")
		return strings.ToLower(strings.Join(strings.Fields(strings.NewReplacer("*", "", "_", "").Replace(text)), " "))
	}
	plain, page = bare(plain), bare(page)
	if !moments().MatchString(plain) {
		return slices.ContainsFunc(strings.Fields(page), func(word string) bool { return !strings.Contains(plain, word) }), ""
	}
	for _, found := range moments().FindAllString(page, -1) {
		if !strings.Contains(plain, found) {
			return false, found
		}
	}
	return false, ""
}

// text reads the characters of a part. Where its charset is not known, they are
// read as UTF-8, or else as Windows-1252.
func (w *walker) text(e *message.Entity, charset string) string {
	data, err := io.ReadAll(io.LimitReader(e.Body, maxPart+1))
	if err != nil {
		w.note("a part of it cannot be read in full: %v", err)
	}
	if len(data) > maxPart {
		data = data[:maxPart]
		w.note("has more than %d MiB of text, and is read up to there", maxPart>>20)
	}
	if !strings.ContainsRune(string(data), '\uFFFD') && !bytes.ContainsFunc(data, func(r rune) bool { return r == 0xFFFD }) {
		return string(data)
	}
	if _, err := message.CharsetReader(charset, bytes.NewReader(nil)); err != nil || charset == "" || strings.EqualFold(charset, "us-ascii") {
		if plain, err := charmap.Windows1252.NewDecoder().Bytes(data); err == nil {
			return string(plain)
		}
	}
	return string(data)
}

// page gives the text of a message that is a web page, its quotations left away, and its
// lines as they were read, by their numbers in that text.
func page(html string, above int) (string, map[int]notice.Line) {
	parts, _ := document.PageParts(strings.NewReader(html))
	var b strings.Builder
	read, at := map[int]notice.Line{}, above
	for _, p := range parts {
		for _, l := range (&document.Doc{Parts: []document.Part{p}}).Lines() {
			text := strings.ReplaceAll(l.Text, "\n", " ")
			if l.Item && text != "" {
				text = "- " + text
			}
			at++
			read[at] = l
			b.WriteString(text + "\n")
		}
	}
	return b.String(), read
}

// tabled gives the lines of a text with the tables that its columns of spaces, or its bars,
// make as rows with their labels.
func tabled(lines []notice.Line) []notice.Line {
	texts := make([]string, len(lines))
	for i, l := range lines {
		texts[i] = l.Text
	}
	parts := document.PlainParts(strings.Join(texts, "\n"))
	if !slices.ContainsFunc(parts, func(p document.Part) bool { return p.Table != nil }) {
		return lines
	}
	var out []notice.Line
	for _, p := range parts {
		if p.Table == nil {
			out = append(out, lines[p.Line.Number-1])
			continue
		}
		for _, l := range (&document.Doc{Parts: []document.Part{p}}).Lines() {
			if l.Number > 0 {
				l.Number = lines[l.Number-1].Number
			}
			out = append(out, l)
		}
	}
	return out
}

// Is tells whether a text begins as a message does.
func Is(lead []byte) bool {
	if IsMailbox(lead) {
		return true
	}
	known, lines := 0, 0
	s := bufio.NewScanner(bytes.NewReader(lead))
	for s.Scan() && lines < 40 {
		line := s.Text()
		if line == "" {
			break
		}
		if line[0] == ' ' || line[0] == '\t' {
			if lines == 0 {
				return false
			}
			continue
		}
		lines++
		name, _, ok := strings.Cut(line, ":")
		if !ok {
			if known == 0 {
				return false
			}
			continue
		}
		switch strings.ToLower(strings.TrimSpace(name)) {
		case "message-id", "mime-version", "return-path", "received", "content-type", "delivered-to", "dkim-signature", "x-mailer", "references", "in-reply-to", "content-transfer-encoding", "reply-to":
			known += 2
		case "from", "to", "date", "subject", "cc":
			known++
		}
	}
	return known >= 3
}

// IsMailbox tells whether a text begins as a mailbox of one file does: a line with the
// sender and the date, and a head below it. "From 7 April 2026, 10:00, …" is none.
func IsMailbox(lead []byte) bool {
	line, next, _ := bytes.Cut(lead, []byte("\n"))
	return headerLine().Match(firstLine(next)) && (senderOfBox().Match(line) || ofMailOnly().Match(firstLine(next))) && bytes.HasPrefix(line, []byte("From ")) && len(line) < 200 && dateOfBox().Match(bytes.TrimRight(line, "\r"))
}

// Split cuts a mailbox of one file into its messages. A line that begins with
// "From " ends one where a head follows.
func Split(data []byte) (out [][]byte) {
	from := 0
	at := 0
	blank := true
	for at < len(data) {
		end := bytes.IndexByte(data[at:], '\n')
		if end < 0 {
			end = len(data) - at - 1
		}
		line := data[at : at+end+1]
		next := data[at+end+1:]
		if blank && bytes.HasPrefix(line, []byte("From ")) && headerLine().Match(firstLine(next)) {
			if at > from {
				out = append(out, unstuffed(data[from:at]))
			}
			from = at
		}
		blank = len(bytes.TrimRight(line, "\r\n")) == 0
		at += end + 1
	}
	if from < len(data) {
		out = append(out, unstuffed(data[from:]))
	}
	return out
}

func firstLine(data []byte) []byte {
	line, _, _ := bytes.Cut(data, []byte("\n"))
	return line
}

var stuffed = pattern.Lazy(`(?m)^>(>*From )`)

func unstuffed(data []byte) []byte {
	if !bytes.Contains(data, []byte("\n>")) {
		return data
	}
	return stuffed().ReplaceAll(data, []byte("$1"))
}
