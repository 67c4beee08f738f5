package show

import (
	"fmt"
	"strings"
	"time"

	"github.com/charmbracelet/x/ansi"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
	"almanach/internal/core/plan"
	"almanach/internal/core/zone"
	"almanach/internal/edge/logbook"
	"almanach/internal/job"
)

// moment shows when a run was, in the zone of the desk.
func moment(t time.Time, z *zone.Zone) string {
	wall := t.Unix()
	if z != nil {
		wall = z.Wall(wall)
	}
	return zone.Civil(wall).Format("Mon 2 Jan 2006 15:04")
}

// did says in a few words what came of a run.
func did(r *logbook.Run) string {
	var parts []string
	t := r.Totals
	for _, c := range []struct {
		n    int
		word agree.Outcome
	}{{t.New, agree.New}, {t.Changed, agree.Changed}, {t.Same, agree.Same}, {t.Edited, agree.Edited}, {t.Disputed, agree.Disputed}, {t.Removed, agree.Removed}, {t.Gone, agree.Gone}, {t.Held, agree.Held}} {
		if c.n > 0 {
			parts = append(parts, grouped(c.n)+" "+string(c.word))
		}
	}
	if r.What == "undo" {
		parts = []string{Counted(r.Edits, "event") + " of run " + r.Undoes + " put back"}
	}
	if len(parts) == 0 {
		parts = []string{"nothing"}
	}
	switch r.State {
	case logbook.Open:
		parts = append(parts, alarm.Render("not finished"))
	case logbook.Stopped:
		parts = append(parts, alarm.Render("stopped on the way"))
	}
	return strings.Join(parts, ", ")
}

// Logbook lists runs.
func (p *Printer) Logbook(runs []*logbook.Run, z *zone.Zone, more bool) {
	if len(runs) == 0 {
		p.line("nothing was loaded at this desk yet")
		return
	}
	width := widest(runs, func(r *logbook.Run) string { return r.Intake })
	p.line("%s", dim.Render("run   when                   what   "+pad("intake", width)+"  written  outcome"))
	for _, r := range runs {
		p.wrapped(fmt.Sprintf("%-4d  %-21s  %-5s  %s  %7s  ", r.Number(), moment(r.Began, z), r.What, pad(r.Intake, width), grouped(r.Edits)), did(r))
	}
	p.line("")
	p.line("%s", dim.Render("one of them: almanach logbook RUN   one event: almanach logbook --event KEY   take one back: almanach undo RUN"))
	if more {
		p.line("%s", dim.Render("these are the last; --all lists every run"))
	}
}

// Run shows one run and what it did.
func (p *Printer) Run(r *logbook.Run, entries []logbook.Entry, z *zone.Zone, zones ical.Zones, all bool) {
	p.line("%s   %s   %s", bold.Render(fmt.Sprintf("run %d", r.Number())), r.What+" of "+r.Intake, moment(r.Began, z))
	p.line("name      %s", r.Name)
	if r.Who != "" {
		p.line("by        %s", r.Who)
	}
	if r.Source != "" {
		print := ""
		if r.Print != "" {
			print = dim.Render("   fingerprint " + r.Print)
		}
		p.line("source    %s%s", r.Source, print)
	}
	p.line("outcome   %s", did(r))
	p.line("written   %s", Counted(r.Edits, "event"))
	if len(entries) > 0 {
		p.line("")
	}
	key := 0
	for n, e := range entries {
		if n < listed || all {
			key = max(key, min(28, ansi.StringWidth(e.Key)))
		}
	}
	for n := range entries {
		if n == listed && !all {
			p.line("  %s", dim.Render(fmt.Sprintf("… and %s more; --all lists every one", grouped(len(entries)-n))))
			break
		}
		p.entry(&entries[n], "  "+pad(string(entries[n].Kind), 8)+"  "+pad(fault.Shorten(entries[n].Key, 28), key)+"  ", z, zones)
	}
}

// entry shows one edit of a run.
func (p *Printer) entry(e *logbook.Entry, lead string, z *zone.Zone, zones ical.Zones) {
	before, after := read(e.Before, zones), read(e.After, zones)
	shown := after
	if shown == nil {
		shown = before
	}
	text := fault.Shorten(e.Title, 60)
	if shown != nil {
		name := ""
		if z != nil {
			name = z.Name()
		}
		text = fault.Shorten(shown.Text(event.Title), 60) + "   " + Span(shown.When, name)
	}
	text += dim.Render("   in " + e.Calendar)
	if e.Held == 0 {
		text += alarm.Render("   not done")
	}
	p.wrapped(lead, text)
	if before == nil || after == nil {
		return
	}
	l := report{p, &job.Report{Plan: &plan.Plan{}}, LoadOptions{}}
	l.fields(plan.Differences(after, before), strings.Repeat(" ", ansi.StringWidth(lead)), agree.Changed)
}

// read reads the event that components are, nil for none.
func read(raws [][]byte, zones ical.Zones) *event.Event {
	if len(raws) == 0 {
		return nil
	}
	v, err := event.Read(raws[0], zones)
	if err != nil {
		return nil
	}
	return &v.Event
}

// History shows what all runs did to one event.
func (p *Printer) History(key string, steps []job.Step, z *zone.Zone, zones ical.Zones) {
	if len(steps) == 0 {
		p.line("no run wrote an event of %s", key)
		return
	}
	p.line("%s   %s", bold.Render(key), Counted(len(steps), "change"))
	for _, s := range steps {
		p.line("")
		p.line("run %d   %s   %s of %s%s", s.Run.Number(), moment(s.Run.Began, z), s.Run.What, s.Run.Intake, dim.Render("   by "+s.Run.Who))
		p.entry(&s.Entry, "  "+string(s.Entry.Kind)+"  ", z, zones)
	}
}

// Undo shows what taking back a run did, or would do.
func (p *Printer) Undo(r *job.Report, run *logbook.Run, z *zone.Zone, written bool) {
	l := report{p, r, LoadOptions{Loaded: written, All: true}}
	p.line("%s   %s of %s, %s", bold.Render(fmt.Sprintf(map[bool]string{true: "run %d taken back", false: "taking run %d back"}[written], run.Number())), run.What, run.Intake, moment(run.Began, z))
	if z != nil {
		r.Zone = z.Name()
	}
	groups := map[agree.Outcome][]plan.Item{}
	for _, i := range r.Items.All() {
		groups[i.Outcome] = append(groups[i.Outcome], i)
	}
	p.line("%s: %s put back, %s made again, %s taken out, %s left as it is", Counted(r.Items.Len(), "event"), grouped(len(groups[agree.Changed])), grouped(len(groups[agree.New])), grouped(len(groups[agree.Gone])), grouped(len(groups[agree.Held])))
	for _, g := range []struct {
		outcome agree.Outcome
		name    string
		style   style
	}{{agree.Held, "left", alarm}, {agree.Changed, "put back", good}, {agree.New, "made again", good}, {agree.Gone, "taken out", accent}} {
		if len(groups[g.outcome]) == 0 {
			continue
		}
		l.line("")
		l.heading(g.style, g.name, "")
		width := 0
		for _, i := range groups[g.outcome] {
			width = max(width, min(28, ansi.StringWidth(i.Key)))
		}
		for _, i := range groups[g.outcome] {
			lead := "  " + pad(fault.Shorten(i.Key, 28), width) + "  "
			text := fault.Shorten(i.Title, 60)
			if g.outcome == agree.Held {
				text = i.Reason
			} else if i.Event != nil {
				text += "   " + Span(i.Event.When, r.Zone)
			}
			l.wrapped(lead, text+dim.Render("   in "+i.Calendar))
			l.fields(i.Fields, strings.Repeat(" ", ansi.StringWidth(lead)), i.Outcome)
		}
	}
	p.line("")
	switch {
	case r.Items.Len() == 0:
		p.line("the run wrote nothing, so there is nothing to take back")
	case !written:
		p.line("nothing was written: this is a preview; do it with: almanach undo %d --yes", run.Number())
	case len(r.Edits) == 0 || len(r.Guards) > 0:
		p.line("nothing was written")
	default:
		done := 0
		for _, e := range r.Edits {
			if e.Done {
				done++
			}
		}
		p.line("%s written, as run %s", Counted(done, "event"), r.Run)
	}
}

type entryJSON struct {
	Kind     plan.Kind  `json:"kind"`
	Calendar string     `json:"calendar"`
	UID      string     `json:"uid"`
	Key      string     `json:"key"`
	Fields   []string   `json:"fields"`
	Done     bool       `json:"done"`
	Before   *eventJSON `json:"before"`
	After    *eventJSON `json:"after"`
}

type runJSON struct {
	Number int64 `json:"number"`
	*logbook.Run
	Changes []entryJSON `json:"changes,omitempty"`
}

func entryOf(e *logbook.Entry, zones ical.Zones) entryJSON {
	out := entryJSON{Kind: e.Kind, Calendar: e.Calendar, UID: e.UID, Key: e.Key, Fields: list(e.Fields), Done: e.Held != 0}
	if before := read(e.Before, zones); before != nil {
		out.Before = eventOf(before)
	}
	if after := read(e.After, zones); after != nil {
		out.After = eventOf(after)
	}
	return out
}

// RunJSON gives the JSON form of one run with its changes.
func RunJSON(r *logbook.Run, entries []logbook.Entry, zones ical.Zones) any {
	out := runJSON{Number: r.Number(), Run: r, Changes: []entryJSON{}}
	for i := range entries {
		out.Changes = append(out.Changes, entryOf(&entries[i], zones))
	}
	return out
}

// RunsJSON gives the JSON form of a list of runs.
func RunsJSON(runs []*logbook.Run) any {
	out := []runJSON{}
	for _, r := range runs {
		out = append(out, runJSON{Number: r.Number(), Run: r})
	}
	return out
}

type stepJSON struct {
	Run    int64     `json:"run"`
	What   string    `json:"what"`
	Who    string    `json:"who"`
	Began  time.Time `json:"began"`
	Change entryJSON `json:"change"`
}

// HistoryJSON gives the JSON form of what all runs did to an event.
func HistoryJSON(steps []job.Step, zones ical.Zones) any {
	out := []stepJSON{}
	for i := range steps {
		s := &steps[i]
		out = append(out, stepJSON{s.Run.Number(), s.Run.What, s.Run.Who, s.Run.Began, entryOf(&s.Entry, zones)})
	}
	return out
}
