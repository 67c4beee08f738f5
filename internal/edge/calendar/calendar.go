// Package calendar is the contract of what events are loaded into: files,
// folders, servers. Each kind is a package of its own below this one, and
// passes the suite in calendartest.
package calendar

import (
	"context"
	"errors"
	"iter"

	"almanach/internal/core/ical"
	"almanach/internal/edge/secret"
)

// Edit is a change of one object: all components of its UID.
type Edit struct {
	// Old is the object as Entries gave it, nil to create one. An edit is done
	// only if the calendar still holds just that, or, to create one, nothing
	// under its UID.
	Old *ical.Object
	// New are the components that are to stand there, none to remove the object.
	New [][]byte
}

// Result is what became of one edit.
type Result struct {
	Held *ical.Object // what was read back; nil where nothing stands, and where Err is set
	Err  error        // why it was not done
}

// Backend is one calendar. It belongs to one goroutine.
type Backend interface {
	// Entries gives every object of the calendar as it stands, in an order that
	// does not change by itself. An error stands for an object that cannot be
	// read, and spoils only itself; one that is ErrDamaged, ErrUnreachable, or the
	// context's, ends the reading. Objects given before are stale once Apply was called.
	Entries(ctx context.Context) iter.Seq2[*ical.Object, error]

	// Zones tells what a TZID means in this calendar, once Entries is read.
	Zones() ical.Zones

	// Apply does the edits and reads back what then stands. There is one result
	// for each edit. A calendar that is one file does all or none; others do one
	// after the other, and stop early only where the context or the calendar
	// itself does. The error is what stopped it. An edit whose object someone
	// else changed in the meantime is not done, with ErrChanged.
	Apply(ctx context.Context, edits []Edit) ([]Result, error)

	Close() error
}

// Staged is a Backend that does all edits or none, and can prepare them before any
// of them may be seen.
type Staged interface {
	// ApplyWhen does as Backend.Apply does, but nothing of the edits is to be seen
	// in the calendar before ready has returned nil. It calls ready once at most.
	// Where it gives no error, all stands just as it was given.
	ApplyWhen(ctx context.Context, edits Edits, ready func() error) error
}

// Reread is a Backend that reads what is needed of its objects when it is needed.
type Reread interface {
	// Intact gives an error where that was not possible any more: ErrChanged where someone
	// changed the calendar meanwhile. What was made of its objects is not to be used then.
	Intact() error
}

// Edits are edits whose texts are made when they are asked for.
type Edits struct {
	UIDs []string
	Old  []*ical.Object // as of Edit, by UID
	// New gives the components of one, as of Edit. It is asked for more than once. What
	// it gives for one without Old only lasts until it is called again.
	New func(i int) ([][]byte, error)
}

var (
	// ErrChanged means that someone else changed the calendar since it was read.
	ErrChanged = errors.New("was changed by someone else while it was being compared; nothing was written")
	// ErrExists means that an event was to be created under a UID that stands
	// there already.
	ErrExists = errors.New("there is an event of this UID already; it was not touched")
	// ErrDamaged means that the structure of a calendar is broken, so that it
	// must not be written.
	ErrDamaged = errors.New("is damaged and was not touched")
	// ErrSpent means that a calendar takes no more for now: its quota is used up.
	ErrSpent = errors.New("takes no more for now")
	// ErrUnreachable means that a calendar cannot be read at all at present.
	ErrUnreachable = errors.New("cannot be reached")
)

// Server says how a calendar on a server is reached.
type Server struct {
	URL      string
	User     string
	Password secret.Place
	Token    secret.Place // of a bearer (RFC 6750), instead of a user's password
	CA       string       // file of an authority of one's own, in PEM form
	Cert     string       // file of a certificate and its key to show to the server, in PEM form; "" for none
	Plain    bool         // http without TLS is allowed, to other machines too
	Rate     float64      // requests a second at most; 0 for any number
	Daily    int          // writes a day at most, in this machine's days; 0 for any number
}

// Progress is told how far a calendar has come with its edits.
type Progress func(done, total, failed int)

// Spec says where a calendar is, without opening it. One of File, Folder and
// Server.URL is set.
type Spec struct {
	Name   string // as the desk calls it
	File   string // path of an iCalendar file
	Folder string // path of a folder with one .ics file for each event
	Server Server // a calendar on a server (RFC 4791)
	Cache  string // folder for what is remembered of a server; "" for none
	Made   bool   // a load makes it, and the folder it is in, where it does not exist

	Progress Progress // of edits that take their time; nil for nobody
}

// UID gives the UID of the object that an edit is about.
func (e Edit) UID() string {
	switch {
	case e.Old != nil:
		return e.Old.UID
	case len(e.New) > 0:
		return ical.UIDOf(e.New[0])
	}
	return ""
}

// Path is where the calendar is, as messages call it.
func (s Spec) Path() string {
	if s.Server.URL != "" {
		return s.Server.URL
	}
	if s.Folder != "" {
		return s.Folder
	}
	return s.File
}
