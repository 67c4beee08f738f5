package mail

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/notice"
	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/source/document"
	"almanach/internal/edge/source/sheet"
)

// maxMailbox is the largest mailbox of one file that is read, in bytes.
const maxMailbox = 2 << 30

// Open opens a file that holds a message, or a mailbox of them.
func Open(f *os.File, o sheet.Options) (sheet.Book, error) {
	list, err := messagesOf(f, o.Name, o)
	if err != nil {
		return nil, err
	}
	return Book(list, o, f.Close), nil
}

// messagesOf reads the messages of a file.
func messagesOf(f io.Reader, name string, o sheet.Options) (list []*Message, err error) {
	data, err := io.ReadAll(io.LimitReader(o.Budget.Reader(f), maxMailbox+1))
	if err != nil {
		return nil, sheet.Unreadable(name, err)
	}
	if len(data) > maxMailbox {
		return nil, fault.Newf("is a mailbox of more than %d GiB", maxMailbox>>30).At(fault.Place{File: name}).Do("split it")
	}
	texts := [][]byte{data}
	if IsMailbox(data[:min(len(data), 1000)]) {
		texts = Split(data)
	}
	for n, text := range texts {
		if err := o.Budget.Step(); err != nil {
			return nil, err
		}
		m := Read(bytes.NewReader(text))
		m.Where = name
		if len(texts) > 1 {
			m.Number = n + 1
		}
		list = append(list, m)
	}
	return list, nil
}

// messageFiles gives the files of a folder that hold messages, by name, and those
// beside them that do not.
func messageFiles(dir string) (paths, others []string) {
	for _, sub := range []string{"cur", "new", ""} {
		entries, _ := os.ReadDir(filepath.Join(dir, sub))
		for _, e := range entries {
			path := filepath.Join(dir, sub, e.Name())
			if info, err := os.Stat(path); err != nil || !info.Mode().IsRegular() || strings.HasPrefix(e.Name(), ".") {
				continue
			}
			switch strings.ToLower(filepath.Ext(path)) {
			case ".eml", ".mbox":
				paths = append(paths, path)
			default:
				if sub != "" {
					paths = append(paths, path)
				} else {
					others = append(others, e.Name())
				}
			}
		}
	}
	slices.Sort(paths)
	return paths, others
}

// IsFolder tells whether a folder holds messages: a mailbox of the kind that has a
// file for each, or files that are called so.
func IsFolder(dir string) bool {
	for _, sub := range []string{"cur", "new"} {
		if info, err := os.Stat(filepath.Join(dir, sub)); err == nil && info.IsDir() {
			return true
		}
	}
	paths, _ := messageFiles(dir)
	return len(paths) > 0
}

// OpenFolder opens a folder of messages.
func OpenFolder(dir string, o sheet.Options) (sheet.Book, error) {
	paths, others := messageFiles(dir)
	var list []*Message
	for _, p := range paths {
		f, err := os.Open(p)
		if err != nil {
			return nil, sheet.Unreadable(p, fault.Bare(err))
		}
		more, err := messagesOf(f, p, o)
		f.Close()
		if err != nil {
			return nil, err
		}
		list = append(list, more...)
	}
	var notes []string
	if len(others) > 0 {
		notes = append(notes, "no messages, and not read: "+strings.Join(others, ", "))
	}
	return Book(list, o, nil, notes...), nil
}

// Book gives what messages settle as the rows of a sheet.
func Book(list []*Message, o sheet.Options, end func() error, notes ...string) sheet.Book {
	if end == nil {
		end = func() error { return nil }
	}
	return sheet.Single{Start: func() (sheet.Raw, error) {
		rows := Rows(list, o)
		rows.Notes = append(rows.Notes, notes...)
		return rows, o.Budget.Check()
	}, End: end}
}

// Rows gives what messages settle.
func Rows(list []*Message, o sheet.Options) *document.Rows {
	var all []*Message
	var add func(m *Message)
	add = func(m *Message) {
		all = append(all, m)
		for _, inner := range m.inner {
			inner.Where, inner.Number = m.Where, m.Number
			add(inner)
		}
	}
	for _, m := range list {
		add(m)
	}
	rows := document.NewRows(fmt.Sprintf("%d messages", len(list)), o)
	if len(list) == 1 {
		rows = document.NewRows("a message", o)
	}
	addInvitations(rows, all, o)
	for _, thread := range threads(all) {
		addThread(rows, thread, o)
	}
	for _, m := range all {
		for _, note := range m.Notes {
			rows.Notes = append(rows.Notes, fmt.Sprintf("%s: %s", m.called(), note))
		}
	}
	return rows
}

// called names a message for people.
func (m *Message) called() string {
	switch {
	case m.Subject != "":
		return fmt.Sprintf("message %q", fault.Shorten(m.Subject, 50))
	case m.ID != "":
		return "message " + m.ID
	}
	return "message " + filepath.Base(m.Where)
}

// identity gives what a message is known by: its ID, or, where it has none, a
// fingerprint of its head.
func (m *Message) identity() string {
	if m.ID != "" {
		return m.ID
	}
	sum := sha256.New()
	fmt.Fprintf(sum, "%s\n%s\n%s\n", m.From, m.Subject, m.Sent.UTC().Format(time.RFC3339))
	for _, l := range m.Lines {
		fmt.Fprintln(sum, l.Text)
	}
	return "no-id-" + hex.EncodeToString(sum.Sum(nil)[:8])
}

// threads brings messages together that answer each other, each thread in the
// order in which it was sent.
func threads(list []*Message) [][]*Message {
	parent := make([]int, len(list))
	for i := range parent {
		parent[i] = i
	}
	var find func(int) int
	find = func(i int) int {
		if parent[i] != i {
			parent[i] = find(parent[i])
		}
		return parent[i]
	}
	byID := map[string]int{}
	join := func(id string, i int) {
		if id == "" {
			return
		}
		if j, ok := byID[id]; ok {
			parent[find(i)] = find(j)
		} else {
			byID[id] = i
		}
	}
	for i, m := range list {
		join(m.ID, i)
		for _, ref := range m.Refs {
			join(ref, i)
		}
	}
	// what answers and does not say what: by subject and people
	for i, m := range list {
		subject := strings.ToLower(notice.Subject(m.Subject))
		if len(m.Refs) > 0 || subject == "" || strings.EqualFold(strings.TrimSpace(m.Subject), subject) {
			continue
		}
		for j, o := range list {
			if i != j && strings.ToLower(notice.Subject(o.Subject)) == subject && find(i) != find(j) && (slices.Contains(o.To, m.From) || slices.Contains(m.To, o.From)) && (m.Sent.IsZero() || o.Sent.IsZero() || m.Sent.Sub(o.Sent).Abs() < 60*24*time.Hour) {
				parent[find(i)] = find(j)
				break
			}
		}
	}
	groups := map[int][]*Message{}
	var order []int
	for i, m := range list {
		root := find(i)
		if groups[root] == nil {
			order = append(order, root)
		}
		groups[root] = append(groups[root], m)
	}
	out := make([][]*Message, 0, len(order))
	for _, root := range order {
		g := groups[root]
		slices.SortStableFunc(g, func(a, b *Message) int {
			if a.Sent.IsZero() || b.Sent.IsZero() {
				return 0
			}
			return a.Sent.Compare(b.Sent)
		})
		seen := map[string]*Message{}
		g = slices.DeleteFunc(g, func(m *Message) bool { // one message, kept twice
			first := seen[m.ID]
			if m.ID == "" || first == nil {
				seen[m.ID] = m
				return false
			}
			if first.says(m) {
				return true
			}
			m.Notes = append(m.Notes, "has the Message-ID of another message that says something else")
			return false
		})
		out = append(out, g)
	}
	return out
}

// says tells whether two messages say the same.
func (m *Message) says(o *Message) bool {
	return m.Subject == o.Subject && slices.EqualFunc(m.Lines, o.Lines, func(a, b notice.Line) bool { return a.Text == b.Text }) && slices.EqualFunc(m.Invitations, o.Invitations, bytes.Equal)
}

var (
	copyLine  = pattern.Lazy(`(?i)^\s*cc\s*:\s*(.*@.*)$`)
	anAddress = pattern.Lazy(`[\w.+%-]+@[\w-]+(?:\.[\w-]+)+`)
)

// addThread adds what a thread settles.
func addThread(rows *document.Rows, thread []*Message, o sheet.Options) {
	root := thread[0].identity()
	if len(thread[0].Refs) > 0 {
		root = thread[0].Refs[0]
	}
	byID := map[string]*Message{}
	var read []notice.Message
	for n, m := range thread {
		if m.ID == "" {
			m.ID = m.identity()
		}
		byID[m.ID] = m
		if m.invites {
			continue // the text beside an invitation is not read a second time
		}
		one := m.found(n > 0 || len(m.Refs) > 0, o)
		rows.AddPassed(m.origin(), one.Found.Passed)
		read = append(read, one)
	}
	settled := notice.Settle(read)
	for n := range settled {
		s := &settled[n]
		m := byID[s.By]
		if m == nil {
			m = thread[len(thread)-1]
		}
		zoneName := ""
		if s.Zone != "" {
			zoneName = s.Zone
		} else if s.Held == nil && !s.AllDay {
			var f *fault.Fault
			if zoneName, f = m.zone(s.Start, o); f != nil {
				s.Held = f
			}
			if zoneName != "" {
				s.Notes = append(s.Notes, "read in the sender's offset, "+zoneName)
			}
		} else if !s.AllDay {
			zoneName, _ = m.zone(s.Start, o)
		}
		course := s.Course
		if len(thread) == 1 {
			course = nil
		}
		rows.AddEvent(m.origin(), &s.Event, fmt.Sprintf("%s #%d", root, s.Number), zoneName, course)
	}
}

func (m *Message) origin() *table.Origin {
	return &table.Origin{File: m.Where, Message: m.ID, Sent: m.Sent}
}

// stated gives the day from which a message counts: its own, in its sender's
// offset; a program's offset of 0 is nobody's, so that the desk's counts.
func (m *Message) stated(home *zone.Zone) time.Time {
	if m.Sent.IsZero() || home == nil {
		return m.Sent
	}
	if _, offset := m.Sent.Zone(); offset == 0 && m.Machine {
		return m.Sent.In(time.FixedZone("", home.OffsetAt(m.Sent.Unix()).Seconds))
	}
	return m.Sent
}

// zone gives the zone of a message's times, "" for the desk's.
func (m *Message) zone(at time.Time, o sheet.Options) (string, *fault.Fault) {
	home := o.Text.Home
	if m.Sent.IsZero() || home == nil {
		return "", nil
	}
	_, offset := m.Sent.Zone()
	if home.OffsetAt(m.Sent.Unix()).Seconds == offset || offset == 0 && m.Machine {
		return "", nil
	}
	name := m.Sent.Format("-07:00")
	if offset == 0 {
		name = "UTC"
	}
	for _, like := range []string{"Europe/Berlin", "America/New_York"} {
		z, err := o.Zones(like)
		if err != nil || (like == "Europe/Berlin") != (offset >= -3600 && offset <= 3*3600) && (like != "America/New_York" || offset > -3*3600 || offset < -10*3600) {
			continue
		}
		if z.OffsetAt(m.Sent.Unix()) != z.OffsetAt(at.Unix()) {
			return name, fault.Newf("is in the sender's offset %s, and clocks may change before it", name).Do("say the zone behind the time, as in 10:00 UTC")
		}
	}
	return name, nil
}

// found reads the events of one message.
func (m *Message) found(reply bool, o sheet.Options) notice.Message {
	name := m.Name
	if name == "" {
		name = m.From
	}
	out := notice.Message{ID: m.ID, From: name, Sent: m.Sent, Subject: notice.Subject(m.Subject), Reply: reply}
	set := notice.Settings{Message: true, Stated: m.stated(o.Text.Home), Present: o.Text.Present, Next: o.Text.Next, Year: o.Text.Year, Order: o.Text.Order, Stop: o.Budget.Done}
	title := out.Subject
	// the subject gives title, day and time where it is written as a line of fields
	var subject notice.Found
	if title != "" && !reply {
		subject = notice.Read([]notice.Line{{Text: title, Whole: true}}, set)
		for i := range subject.Events {
			subject.Events[i].Text = "Subject: " + subject.Events[i].Text
		}
		if len(subject.Events) > 0 && subject.Events[0].What != "" {
			title = subject.Events[0].What
		}
	}
	set.Subject = title
	lines := m.Lines
	var copied []string
	for n, l := range lines {
		if strings.TrimSpace(l.Text) == "" {
			continue
		}
		if c := copyLine().FindStringSubmatch(l.Text); c != nil {
			copied = append(copied, anAddress().FindAllString(c[1], -1)...)
			lines = append(slices.Clone(lines[:n]), lines[n+1:]...)
		}
		break
	}
	out.Found = notice.Read(lines, set)
	for f := m.Forwarded; f != nil; f = f.Forwarded {
		inner := set
		inner.Stated = ParseDate(f.Date)
		if inner.Stated.IsZero() && f.Date != "" {
			if d := notice.Read([]notice.Line{{Text: f.Date, Whole: true}}, notice.Settings{Present: set.Present, Message: true}); len(d.Events) > 0 && d.Events[0].Held == nil && !d.Events[0].Start.IsZero() {
				t := d.Events[0].Start
				_, offset := m.Sent.Zone()
				inner.Stated = time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), 0, 0, time.FixedZone("", offset))
			}
		}
		if f.Subject != "" {
			inner.Subject = notice.Subject(f.Subject)
		}
		found := notice.Read(f.Lines, inner)
		out.Found.Events, out.Found.Passed = append(out.Found.Events, found.Events...), append(out.Found.Passed, found.Passed...)
	}
	withSubject(&out.Found, subject)
	out.Found.Lasting()
	for i := range out.Found.Events {
		e := &out.Found.Events[i]
		e.Who = append(e.Who, copied...)
	}
	return out
}

// withSubject brings what the subject says of a time together with what the text
// says. Where they say different times, neither is certain.
func withSubject(found *notice.Found, subject notice.Found) {
	found.Passed = append(found.Passed, subject.Passed...)
	if len(subject.Events) == 0 || subject.Events[0].NoDate {
		return
	}
	s := subject.Events[0]
	events := found.Events
	told, apart := false, true
	for i := range events {
		e := &events[i]
		switch {
		case e.NoDate && !e.NoTime && s.Held == nil: // the day stands in the subject
			e.OnDay(s.Start)
			if s.AllDay || e.Start.Equal(s.Start) {
				apart = false
			}
			told = true
		case e.Start.Equal(s.Start):
			if e.Where == "" {
				e.Where = s.Where
			}
			if e.End.IsZero() {
				e.End = s.End
			}
			told, apart = true, false
		case !e.Start.IsZero():
			told = true
			apart = apart && !(s.AllDay && e.Start.Truncate(24*time.Hour).Equal(s.Start.Truncate(24*time.Hour)))
		}
	}
	switch {
	case !told:
		found.Events = append(slices.Clone(subject.Events), events...)
	case apart && s.Held == nil && len(events) == 1 && events[0].Held == nil && !events[0].Cancelled:
		events[0].Held = fault.Newf("the subject says %s, and the text %s", s.When(), events[0].When()).Do("ask which it is")
	case apart && s.Held == nil:
		found.Passed = append(found.Passed, notice.Passed{Text: s.Text, Why: "the text says other times than the subject"})
	}
}

// addInvitations adds the invitations inside of messages: the newest of each UID.
func addInvitations(rows *document.Rows, list []*Message, o sheet.Options) {
	type found struct {
		invitation
		m *Message
	}
	newest := map[string]found{}
	var order []string
	for _, m := range list {
		for _, data := range m.Invitations {
			items, problems := readInvitations(data, o.Zones)
			for _, p := range problems {
				m.Notes = append(m.Notes, "its invitation cannot be read: "+p)
			}
			m.invites = m.invites || len(items) > 0
			for _, i := range items {
				if i.aside != "" {
					rows.AddPassed(m.origin(), []notice.Passed{{Text: i.event.What + " " + i.event.When(), Why: i.aside}})
					continue
				}
				was, known := newest[i.key]
				if !known {
					order = append(order, i.key)
				}
				if !known || cmp.Or(cmp.Compare(i.sequence, was.sequence), m.Sent.Compare(was.m.Sent)) >= 0 {
					newest[i.key] = found{i, m}
				}
			}
		}
	}
	for _, key := range order {
		i := newest[key]
		if i.m.ID == "" {
			i.m.ID = i.m.identity()
		}
		rows.AddInvitation(i.m.origin(), &i.event, key, i.zone, i.repeat, i.except, i.sequence)
	}
}
