package show

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"github.com/charmbracelet/x/ansi"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/plan"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// LoadOptions say how much of a report is printed.
type LoadOptions struct {
	Loaded bool // it was a load, not a preview
	All    bool // list every row
	Past   bool // past events are listed
	Quiet  bool // only what needs a person
}

// listed is how many lines of a group that needs no attention are printed.
const listed = 12

// listedHeld is how many rows that are held are printed: a sheet that is wrong
// throughout says so in its first lines.
const listedHeld = 100

// report prints one report.
type report struct {
	*Printer
	*job.Report
	LoadOptions
}

// Load writes the report of a preview or a load.
func (p *Printer) Load(r *job.Report, o LoadOptions) {
	l := report{p, r, o}
	p.line("%s   %s  →  %s", bold.Render(r.Intake), sources(r.Sources), bold.Render(places(r.Calendars)))
	if r.ZoneWhy != "" {
		l.times()
	}
	l.totals()
	l.matched()
	for _, n := range r.Remarks {
		p.wrapped(dim.Render("source")+"   ", n)
	}
	for _, n := range r.Notes {
		p.wrapped(dim.Render("note")+"     ", n)
	}
	for i, w := range r.Warnings {
		if i == listed && !o.All {
			p.line("          %s", dim.Render(fmt.Sprintf("… and %s more; --all lists every one", grouped(len(r.Warnings)-i))))
			break
		}
		p.wrapped(alarm.Render("calendar")+"  ", w.Error())
	}
	groups := map[agree.Outcome][]int32{} // items
	for n := range r.Items.Len() {
		o := r.Items.Outcome(n)
		groups[o] = append(groups[o], int32(n))
	}
	for _, g := range []struct {
		outcome agree.Outcome
		style   style
		remark  string
	}{
		{agree.Held, alarm, "nothing is loaded for these until the source is corrected"},
		{agree.Disputed, alarm, "source and calendar both changed it; nothing is written (settle with --take sheet|calendar KEY)"},
		{agree.Gone, alarm, l.ifStopped("nothing was done about these")},
		{agree.Removed, accent, "deleted in the calendar; they stay away (make one again with --restore KEY)"},
		{agree.Edited, accent, "changed in the calendar and kept"},
		{agree.Changed, good, l.ifStopped("nothing was written")},
		{agree.New, good, l.ifStopped("nothing was written")},
		{agree.LeftOut, dim, ""},
		{agree.Same, dim, ""},
	} {
		needs := g.outcome == agree.Held || g.outcome == agree.Disputed || g.outcome == agree.Gone
		if (g.outcome != agree.Same || o.All) && (!o.Quiet || needs) {
			l.group(groups[g.outcome], g.outcome, g.style, g.remark)
		}
	}
	if o.Quiet {
		l.end()
		return
	}
	l.passedOver()
	l.foot()
}

// passedOver lists the dates of running text that belong to no event.
func (l *report) passedOver() {
	if len(l.Passed) == 0 {
		return
	}
	l.line("")
	l.heading(dim, "passed over", "dates that belong to no event")
	for n, p := range l.Passed {
		if n == listed && !l.All {
			l.line("  %s", dim.Render(fmt.Sprintf("… and %s more; --all lists every one", grouped(len(l.Passed)-n))))
			break
		}
		l.wrapped("  "+pad(where(l.Sources, p.Place), 8)+"  ", p.Why+dim.Render("   “"+fault.Shorten(p.Text, 100)+"”"))
	}
}

// ifStopped gives a remark where a guard stopped a load.
func (l *report) ifStopped(remark string) string {
	if l.Loaded && len(l.Guards) > 0 {
		return remark
	}
	return ""
}

func (l *report) totals() {
	t := l.Totals
	parts := []string{fmt.Sprintf("%s wanted", grouped(t.Wanted))}
	if t.Held > 0 {
		parts = append(parts, alarm.Render(fmt.Sprintf("%s held", grouped(t.Held))))
	}
	if t.LeftOut > 0 {
		parts = append(parts, fmt.Sprintf("%s left out", grouped(t.LeftOut)))
	}
	rows := Counted(t.Rows, "row")
	if l.Running {
		rows = Counted(t.Rows, "event") + " found"
	}
	l.line("%s: %s", rows, strings.Join(parts, ", "))
	parts = parts[:0]
	for _, c := range []struct {
		n    int
		word agree.Outcome
		eye  bool
	}{{t.New, agree.New, false}, {t.Changed, agree.Changed, false}, {t.Same, agree.Same, false}, {t.Edited, agree.Edited, false}, {t.Disputed, agree.Disputed, true}, {t.Removed, agree.Removed, false}} {
		if c.n == 0 && c.word != agree.New && c.word != agree.Changed {
			continue
		}
		s := fmt.Sprintf("%s %s", grouped(c.n), c.word)
		if c.eye {
			s = alarm.Render(s)
		}
		parts = append(parts, s)
	}
	copies := ""
	if t.Placed > 0 {
		copies = ", in " + Counted(t.Placed, "copy")
	}
	l.line("%s wanted%s: %s", grouped(t.Wanted), copies, strings.Join(parts, ", "))
	if t.Gone > 0 {
		l.line("%s", alarm.Render(fmt.Sprintf("%s gone from the source", grouped(t.Gone))))
	}
	if l.Plan.Past > 0 && !l.LoadOptions.Past {
		l.line("%s", dim.Render(fmt.Sprintf("%s gone from the source that %s past; --past lists %s", Counted(l.Plan.Past, "event"), isAre(l.Plan.Past), map[bool]string{true: "it", false: "them"}[l.Plan.Past == 1])))
	}
}

func (l *report) matched() {
	if len(l.Unused) > 0 && !l.Running {
		defer l.wrapped(dim.Render("unused")+"   ", strings.Join(l.Unused, ", "))
	}
	if len(l.Matched) == 0 {
		return
	}
	parts := make([]string, len(l.Matched))
	for i, c := range l.Matched {
		parts[i] = c.Field + " from " + strings.Join(c.Columns, " and ")
	}
	l.wrapped(dim.Render("columns")+"  ", strings.Join(parts, "; "))
}

func (l *report) group(items []int32, o agree.Outcome, style style, remark string) {
	if len(items) == 0 {
		return
	}
	l.line("")
	l.heading(style, string(o), remark)
	most := len(items)
	switch {
	case l.All:
	case o == agree.New || o == agree.Changed || o == agree.LeftOut || o == agree.Edited:
		most = min(most, listed)
	case o == agree.Held:
		most = min(most, listedHeld)
	}
	keyWidth, titleWidth := 0, 0
	for _, n := range items[:most] {
		i := l.Items.At(int(n))
		if i.Row.Evidence != nil { // what it was read from says more than its key
			titleWidth = max(titleWidth, min(48, ansi.StringWidth(i.Title)))
			continue
		}
		keyWidth = max(keyWidth, min(28, ansi.StringWidth(i.Key)))
		titleWidth = max(titleWidth, min(48, ansi.StringWidth(i.Title)))
	}
	n := 0
	var together [][]int32
	whereWidth := 8
	for n < most {
		same := 1 // rows held together for one reason are one line
		first := l.Items.At(int(items[n]))
		for o == agree.Held && n+same < len(items) && first.Key != "" {
			if next := l.Items.At(int(items[n+same])); next.Key != first.Key || next.Reason != first.Reason {
				break
			}
			same++
		}
		together = append(together, items[n:n+same])
		whereWidth = max(whereWidth, ansi.StringWidth(where(l.Sources, l.placesOf(items[n:n+same])...)))
		n += same
	}
	for _, i := range together {
		l.item(l.Items.At(int(i[0])), pad(where(l.Sources, l.placesOf(i)...), whereWidth), keyWidth, titleWidth)
	}
	if rest := len(items) - n; rest > 0 {
		l.line("  %s", dim.Render(fmt.Sprintf("… and %s more; --all lists every row", grouped(rest))))
	}
}

func (l *report) placesOf(items []int32) []fault.Place {
	out := make([]fault.Place, len(items))
	for n, i := range items {
		item := l.Items.At(int(i))
		out[n] = item.Row.Place()
	}
	return out
}

// item writes one item.
func (l *report) item(i plan.Item, where string, keyWidth, titleWidth int) {
	lead := "  " + where + "  " + pad(fault.Shorten(i.Key, 28), keyWidth) + "  "
	if i.Row.Evidence != nil {
		lead = "  " + where + "  "
		defer l.evidence(&i, ansi.StringWidth(lead))
	}
	switch i.Outcome {
	case agree.Held, agree.LeftOut:
		l.wrapped(lead, i.Reason)
		return
	case agree.New, agree.Same:
		place := ""
		if at := l.eventOf(&i).Text(event.Location); i.Row.Evidence != nil && at != "" {
			place = "   " + fault.Shorten(at, 40)
		}
		if state := l.eventOf(&i).Text(event.Status); state == "cancelled" || state == "tentative" {
			place += "   " + state
		}
		l.wrapped(lead, pad(fault.Shorten(i.Title, 80), titleWidth)+"   "+Span(l.eventOf(&i).When, l.Zone)+place+l.whither(i)+noteText(l.NoteTexts(i.Notes)))
		return
	}
	text := fault.Shorten(i.Title, 80) + occurrence(i) + l.whither(i)
	if i.Outcome == agree.Gone {
		text += "   " + Span(l.eventOf(&i).When, l.Zone)
	}
	reason := i.Reason
	if i.Outcome == agree.Removed { // the heading says it
		reason = ""
		text += "   " + Span(l.eventOf(&i).When, l.Zone)
	}
	if i.Edit >= 0 && i.Outcome == agree.Gone && l.Loaded && len(l.Guards) > 0 {
		reason, _, _ = strings.Cut(reason, ";") // what was to be done was not
	}
	if reason != "" {
		text += dim.Render("   " + reason)
	}
	l.wrapped(lead, text)
	l.fields(i.Fields, strings.Repeat(" ", ansi.StringWidth(lead)), i.Outcome)
}

// evidence shows the words that an event was read from, what was assumed, and the
// course of a thread.
func (l *report) evidence(i *plan.Item, indent int) {
	e, lead := i.Row.Evidence, strings.Repeat(" ", indent)
	text := ""
	if !strings.Contains(i.Reason, fault.Shorten(e.Text, 80)) {
		text = "“" + fault.Shorten(strings.Join(strings.Fields(e.Text), " "), 160) + "”   "
	}
	if text += strings.Join(e.Notes, "; "); text != "" {
		l.wrapped(lead, dim.Render(text))
	}
	for _, c := range e.Course {
		l.wrapped(lead+dim.Render("· "), dim.Render(c))
	}
}

// eventOf gives the event of an item.
func (l *report) eventOf(i *plan.Item) *event.Event {
	if e := l.Plan.Event(i); e != nil {
		return e
	}
	return &event.Event{}
}

// whither names the calendar of an item where there are several.
func (l *report) whither(i plan.Item) string {
	if len(l.Calendars) < 2 {
		return ""
	}
	return dim.Render("   → " + i.Calendar)
}

// occurrence says which date of a series a row changes.
func occurrence(i plan.Item) string {
	if i.Recurrence == nil {
		return ""
	}
	return dim.Render("   of " + Day(zone.Civil(i.Recurrence.Wall)))
}

func noteText(notes []string) string {
	if len(notes) == 0 {
		return ""
	}
	return dim.Render("   (" + strings.Join(notes, "; ") + ")")
}

// fields writes what differs, a line each. In a disputed event what only waits
// for the dispute to be settled stands last.
func (l *report) fields(fields []plan.Difference, indent string, o agree.Outcome) {
	width := 0
	for _, f := range fields {
		width = max(width, len(f.Field))
	}
	ordered := slices.Clone(fields)
	waits := func(f plan.Difference) bool { return o == agree.Disputed && f.Outcome != agree.Disputed }
	slices.SortStableFunc(ordered, func(a, b plan.Difference) int {
		return map[bool]int{true: 1}[waits(a)] - map[bool]int{true: 1}[waits(b)]
	})
	for _, f := range ordered {
		lead := indent + pad(f.Field, width) + "  "
		sheet, calendar := value(f.Wanted, f.Time), value(f.Calendar, f.Time)
		switch {
		case waits(f) && f.Outcome == agree.Edited:
			l.wrapped(lead, dim.Render("waits: ")+"calendar "+calendar+" is kept   sheet "+sheet)
		case waits(f):
			l.wrapped(lead, dim.Render("waits: ")+calendar+" → "+sheet)
		case o == agree.Disputed:
			text := "sheet " + sheet + "   calendar " + calendar
			if f.Wrote != nil {
				text += "   last loaded " + value(*f.Wrote, f.Time)
			}
			l.wrapped(lead, text)
		case f.Outcome == agree.Edited:
			l.wrapped(lead, "calendar "+calendar+" is kept   sheet "+sheet)
		case f.Outcome == agree.Changed:
			l.wrapped(lead, calendar+" → "+sheet)
		}
	}
}

// times says in which zone the times that name none are. A zone that nobody
// named comes first, since every time hangs on it.
func (l *report) times() {
	switch {
	case l.ZoneWhy != "":
		l.line("%s  in %s (%s)", alarm.Render("times   "), l.Zone, l.ZoneWhy)
	case l.ZoneFrom != "":
		l.line("%s  in %s, as %s says", dim.Render("times   "), l.Zone, l.ZoneFrom)
	case l.Zone != "":
		l.line("%s  in %s", dim.Render("times   "), l.Zone)
	}
}

func (l *report) foot() {
	l.line("")
	l.assumed()
	for _, e := range l.Evidence {
		l.wrapped(dim.Render("dates")+"     ", e)
	}
	if l.ZoneWhy == "" {
		l.times()
	}
	if l.NoGone != "" && l.Totals.Gone > 0 {
		l.wrapped(dim.Render("gone")+"      ", l.NoGone)
	}
	l.end()
	if n := l.Totals.Same; !l.All && n > 0 {
		l.line("%s", dim.Render(fmt.Sprintf("the %s that %s the same %s not listed; --all lists every row", grouped(n), isAre(n), isAre(n))))
	}
}

// end says what was written.
func (l *report) end() {
	for _, g := range l.Guards {
		lead := "a load would stop:"
		if l.Loaded {
			lead = "stopped:"
		}
		l.wrapped(alarm.Render(lead)+" ", g.Fault(l.Intake).Reason())
		if len(g.Which) > 0 {
			l.wrapped("   ", dim.Render("such as "+strings.Join(g.Which, ", ")))
		}
	}
	n := l.Events()
	switch {
	case l.Loaded && len(l.Guards) > 0:
		l.line("%s", alarm.Render("nothing was written"))
	case l.Loaded && l.Stopped:
		for _, w := range l.Written {
			l.line("%s", Counted(w.Events, "event")+" written to "+w.Calendar+" and read back, before the load stopped")
		}
		l.line("%s", alarm.Render("not everything was done; load again to go on"))
	case l.Loaded && l.Settled:
		l.line("nothing had to be written: source and calendars are the same, byte for byte")
	case l.Loaded && len(l.Calendars) == 0:
		l.line("nothing had to be written")
	case l.Loaded && n == 0:
		l.line("nothing had to be written; %s %s as %s", places(l.Calendars), isAre(len(l.Calendars)), map[bool]string{true: "it was", false: "they were"}[len(l.Calendars) == 1])
	case l.Loaded:
		l.line("%s", good.Render(Counted(n, "event")+" written to "+places(l.Calendars)+" and read back"))
	default:
		l.line("%s", dim.Render("nothing was written: this is a preview"))
	}
}

func (l *report) assumed() {
	if len(l.Assumed) == 0 {
		return
	}
	kinds := make([]string, 0, len(l.Assumed))
	for k := range l.Assumed {
		kinds = append(kinds, k)
	}
	sort.Strings(kinds)
	parts := make([]string, len(kinds))
	for i, k := range kinds {
		rows := slices.Sorted(slices.Values(l.Assumed[k]))
		parts[i] = k + " in " + rowList(rows)
		if len(l.Sources) > 1 || l.Running { // a number alone would not tell which row
			parts[i] = k + " in " + Counted(len(rows), "row")
		}
	}
	l.wrapped(dim.Render("assumed")+"   ", strings.Join(parts, "; "))
}

func isAre(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}
