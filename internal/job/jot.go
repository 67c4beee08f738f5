package job

import (
	"context"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/intake"
	"almanach/internal/core/notice"
	"almanach/internal/core/table"
	"almanach/internal/edge/source"
	"almanach/internal/edge/source/document"
	"almanach/internal/edge/source/sheet"
)

// JotRequest is one event from a phrase.
type JotRequest struct {
	Text   string
	Into   string
	Length time.Duration // where the phrase says no end; 0 for the desk's
	Write  bool
}

// Jot reads a phrase as a message of today is read, and puts the event into a
// calendar. What is ambiguous is refused.
func Jot(ctx context.Context, office *Office, req JotRequest) (*Report, error) {
	text := strings.Join(strings.Fields(req.Text), " ")
	found := notice.Read([]notice.Line{{Text: text, Whole: true}}, notice.Settings{Message: true, Stated: office.Now, Present: office.Now})
	if len(found.Events) == 0 {
		f := fault.New(fault.Shorten(text, 80), "says no day that is one of an event")
		if len(found.Passed) > 0 {
			f = fault.New(fault.Shorten(text, 80), "says a day that is passed over: "+found.Passed[0].Why)
		}
		return nil, f.Do(`say what, when and where, as in "Fender check, berth 4, next Thursday 14:30 for 45 min"`)
	}
	o := source.Options{Name: "what was typed", Zones: office.Zones.Find, Budget: sheet.NewBudget(ctx)}
	rows := document.NewRows("a phrase", o)
	from := &table.Origin{File: o.Name}
	for i := range found.Events {
		e := &found.Events[i]
		switch {
		case e.Held != nil:
			return nil, e.Held
		case e.NoDate:
			return nil, fault.New(fault.Shorten(text, 80), "says a time and no day").Do("say the day")
		case e.Cancelled:
			return nil, fault.New(fault.Shorten(text, 80), "takes an event back").Do("do that in the calendar")
		case e.What == "":
			return nil, fault.New(fault.Shorten(text, 80), "does not say what it is").Do("begin with the title")
		}
		rows.AddEvent(from, e, e.When()+" "+e.What, "", nil)
	}
	rows.AddPassed(from, found.Passed)
	r, err := source.Rows(rows, o)
	if err != nil {
		return nil, err
	}
	in := &intake.Intake{Name: "jot", Identity: "jot"}
	in.Assume.Length = req.Length
	if in.Assume.Length == 0 {
		in.Assume.Length = office.Desk.Length
	}
	in.Defaults()
	return Load(ctx, office, LoadRequest{Intake: in, Source: r, Into: req.Into, Write: req.Write, All: true})
}
