package show

import (
	"fmt"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/plan"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// Twins lists the events of a calendar that look like one.
func (p *Printer) Twins(r *job.TwinsReport, z *zone.Zone, removed bool) {
	p.line("%s   %s", bold.Render(r.Calendar), Counted(r.Events, "event"))
	if len(r.Twins) == 0 {
		p.line("no two of them look like one")
		return
	}
	page := ""
	if z != nil {
		page = z.Name()
	}
	l := report{p, r.Report, LoadOptions{}}
	p.line("%s look like one", map[bool]string{true: "2 of them", false: fmt.Sprintf("%s pairs of them", grouped(len(r.Twins)))}[len(r.Twins) == 1])
	for _, t := range r.Twins {
		p.line("")
		p.line("%s   %s   %s", fault.Shorten(t.First.Event.Text(event.Title), 60), Span(t.First.Event.When, page), dim.Render(fmt.Sprintf("alike by %d %%: %s", t.Score, t.Likeness)))
		p.twin("first ", &t, 1, page)
		p.twin("second", &t, 2, page)
		for _, f := range t.Fields {
			l.wrapped("    "+f.Field+"  ", "first "+orEmpty(value(f.Wanted, f.Time))+"   second "+orEmpty(value(f.Calendar, f.Time)))
		}
		if t.Spare == 0 {
			p.wrapped("    ", alarm.Render("neither can go by itself: ")+t.Why)
		}
	}
	p.line("")
	switch n := len(r.Edits); {
	case removed && n > 0:
		p.line("%s taken out, as run %s; undo brings %s back", Counted(n, "event"), r.Run, map[bool]string{true: "it", false: "them"}[n == 1])
	case n > 0:
		p.line("%s could go without anything being lost: almanach twins %s --remove", Counted(n, "event"), r.Calendar)
	}
}

func (p *Printer) twin(name string, t *plan.Twins, which int, page string) {
	one := t.First
	if which == 2 {
		one = t.Second
	}
	from := "made by hand"
	if one.Intake != "" {
		from = "loaded from " + one.Intake + ", key " + one.Key
	}
	text := from
	for n, a := range one.Added {
		text += map[bool]string{true: "; has ", false: " and "}[n == 0] + a
	}
	if t.Spare == which {
		text += accent.Render("   the spare one") + dim.Render(": "+t.Why)
	}
	p.wrapped("  "+name+"  ", text+dim.Render("   UID "+fault.Shorten(one.UID, 44)))
}

func orEmpty(s string) string {
	if s == "" {
		return "(empty)"
	}
	return s
}

type twinJSON struct {
	UID    string     `json:"uid"`
	Intake string     `json:"intake"`
	Key    string     `json:"key"`
	Added  []string   `json:"added"`
	Event  *eventJSON `json:"event"`
}

type pairJSON struct {
	Score  int               `json:"score"`
	First  twinJSON          `json:"first"`
	Second twinJSON          `json:"second"`
	Fields []plan.Difference `json:"fields"`
	Spare  string            `json:"spare,omitempty"`
	Why    string            `json:"why"`
}

type twinsJSON struct {
	Calendar string     `json:"calendar"`
	Events   int        `json:"events"`
	Run      string     `json:"run,omitempty"`
	Removed  int        `json:"removed"`
	Twins    []pairJSON `json:"twins"`
}

// TwinsJSON gives the JSON form of what was found in one calendar.
func TwinsJSON(r *job.TwinsReport) any {
	one := func(t *plan.Twin) twinJSON {
		return twinJSON{t.UID, t.Intake, t.Key, list(t.Added), eventOf(&t.Event)}
	}
	out := twinsJSON{Calendar: r.Calendar, Events: r.Events, Run: r.Run, Twins: []pairJSON{}}
	for _, e := range r.Edits {
		if e.Done {
			out.Removed++
		}
	}
	for i := range r.Twins {
		t := &r.Twins[i]
		pair := pairJSON{t.Score, one(&t.First), one(&t.Second), t.Fields, map[int]string{1: "first", 2: "second"}[t.Spare], t.Why}
		if pair.Fields == nil {
			pair.Fields = []plan.Difference{}
		}
		out.Twins = append(out.Twins, pair)
	}
	return out
}
