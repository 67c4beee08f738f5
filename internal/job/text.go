package job

import (
	"context"
	"strconv"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/intake"
	"almanach/internal/core/moment"
	"almanach/internal/core/survey"
	"almanach/internal/core/table"
	"almanach/internal/edge/secret"
	"almanach/internal/edge/source"
	"almanach/internal/edge/source/document"
	"almanach/internal/edge/source/mail"
)

// keyMissing looks for the columns that could identify a row.
func (l *load) keyMissing(rows table.Rows, header table.Header) *fault.Fault {
	s := survey.New(header, moment.Settings{Present: l.office.Now, Zones: l.office.Zones})
	for _, r := range rows.All() {
		if !r.Hidden {
			s.Add(r)
		}
	}
	var choices [][]string
	for _, key := range s.Finish().Keys {
		choices = append(choices, key.Columns)
	}
	return fault.Newf("nothing says which column identifies a row of %s", l.report.Source.File).Do(`give --key "COLUMN", such as a booking number`).
		Offer("--key", "key", "filled, and different in every row", choices)
}

// mailboxOf says how an intake's mailbox is reached.
func (l *load) mailboxOf(m intake.IMAP) mail.Mailbox {
	path := func(p string) string {
		if p == "" {
			return ""
		}
		return l.office.Desk.Path(p)
	}
	password := secret.Place(m.Password)
	password.File = path(password.File)
	return mail.Mailbox{Server: m.Server, User: m.User, Folder: m.Folder, Unseen: m.Unseen, Mark: m.Mark, Move: m.Move, CA: path(m.CA), Plain: m.Plain, Password: password}
}

// mark marks the messages whose events are loaded. Those with an event that is
// left for a person stay as they are.
func (l *load) mark(ctx context.Context) error {
	if l.fetched == nil {
		return nil
	}
	pending := map[string]bool{}
	for _, i := range l.report.Items.All() {
		if o := i.Row.Origin; o != nil && (i.Outcome == agree.Held || i.Outcome == agree.Disputed) {
			pending[o.Message] = true
		}
	}
	return l.fetched.Loaded(ctx, pending)
}

// running takes account of a source that is running text: what its columns are is
// known.
func (l *load) running(r source.Reader) {
	identity := ""
	if r.Origin().Message != "" || strings.Contains(r.About().Format, "message") {
		identity = "messages"
	}
	l.apart = identity != "" || l.req.Source != nil
	if l.req.OfDesk || l.in.Name != intake.NameFromFile(l.req.File) { // it has a name of its own, and may share its messages with another
		identity = ""
	}
	l.in, l.req.Match = l.in.OfText(identity), false
	l.report.Running, l.report.Passed = true, r.About().Passed
}

// organize gives events with attendees the desk's organizer, where the intake names
// none, and says so where nobody does.
func (l *load) organize() {
	if l.in.EventText("attendees") == "" || l.in.EventText("organizer") != "" {
		return
	}
	if o := l.office.Desk.Organizer; o != "" {
		l.in = l.in.With(func(in *intake.Intake) { in.SetField("organizer", o) })
		return
	}
	if !l.report.Running {
		l.report.Remarks = append(l.report.Remarks, "attendees without an organizer are ignored by many programs: name one with organizer: in almanach.yaml, or under event in the intake")
	}
}

// holdOlder holds invitations of which a newer version is loaded.
func (l *load) holdOlder() {
	at := document.Columns.Find("Sequence")
	for i, row := range l.batch.Rows.All() {
		fate, id := l.batch.Fate(i)
		sequence, err := strconv.Atoi(row.Cell(at).Text)
		if fate != intake.WantedRow || err != nil {
			continue
		}
		for _, c := range l.calendars {
			f := c.holding.Row(id)
			if f.Object == nil {
				continue
			}
			line, ok := ical.Open(f.Raw()).Find(intake.SequenceMark)
			if loaded, err := strconv.Atoi(line.Text()); ok && err == nil && loaded > sequence {
				l.batch.Hold(i, fault.Newf("is version %d of an invitation of which version %d is loaded", sequence, loaded).Do("nothing has to be done; the newer one stands"))
				break
			}
		}
	}
}
