package show

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"almanach/internal/core/agree"
	"almanach/internal/core/fault"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// LoadOptions say how much of a report is printed.
type LoadOptions struct {
	Loaded bool // it was a load, not a preview
	All    bool // list every row
	Again  string
}

// listed is how many lines of a group that needs no eye are printed.
const listed = 12

// listedHeld is how many rows that are held are printed: a sheet that is wrong
// throughout says so in its first lines.
const listedHeld = 100

// Load writes the report of a preview or a load.
func (p *Printer) Load(r *job.Report, o LoadOptions) {
	p.line("%s   %s  →  %s", bold.Render(r.Intake), sources(r.Sources), bold.Render(places(r.Calendars)))
	p.totals(r)
	if len(r.Matched) > 0 {
		p.matched(r)
	}
	for _, n := range r.Notes {
		p.wrapped(dim.Render("source")+"   ", n)
	}
	for i, w := range r.Warnings {
		if i == listed && !o.All {
			p.line("          %s", dim.Render(fmt.Sprintf("… and %s more; --all lists every one", grouped(len(r.Warnings)-i))))
			break
		}
		p.wrapped(alarm.Render("calendar")+"  ", w.Error())
	}
	groups := map[agree.Outcome][]job.Item{}
	for _, i := range r.Items {
		groups[i.Outcome] = append(groups[i.Outcome], i)
	}
	p.group(groups, agree.Held, alarm, "nothing is loaded for these until the source is mended", o, r)
	p.group(groups, agree.Disputed, alarm, "source and calendar both changed it; nothing is written (settle with --take sheet|calendar KEY)", o, r)
	p.group(groups, agree.Gone, alarm, "", o, r)
	p.group(groups, agree.Edited, accent, "changed in the calendar and kept", o, r)
	p.group(groups, agree.Changed, good, "", o, r)
	p.group(groups, agree.New, good, "", o, r)
	p.group(groups, agree.LeftOut, dim, "", o, r)
	if o.All {
		p.group(groups, agree.Same, dim, "", o, r)
	}
	p.foot(r, o)
}

func (p *Printer) totals(r *job.Report) {
	t := r.Totals
	parts := []string{fmt.Sprintf("%s wanted", grouped(t.Wanted))}
	if t.Held > 0 {
		parts = append(parts, alarm.Render(fmt.Sprintf("%s held", grouped(t.Held))))
	}
	if t.LeftOut > 0 {
		parts = append(parts, fmt.Sprintf("%s left out", grouped(t.LeftOut)))
	}
	p.line("%s: %s", counted(t.Rows, "row"), strings.Join(parts, ", "))
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
		copies = ", in " + counted(t.Placed, "copy")
	}
	p.line("%s wanted%s: %s", grouped(t.Wanted), copies, strings.Join(parts, ", "))
	if t.Gone > 0 {
		p.line("%s", alarm.Render(fmt.Sprintf("%s gone from the source", grouped(t.Gone))))
	}
}

func (p *Printer) matched(r *job.Report) {
	parts := make([]string, len(r.Matched))
	for i, c := range r.Matched {
		parts[i] = c.Field + " from " + strings.Join(c.Columns, " and ")
	}
	p.wrapped(dim.Render("columns")+"  ", strings.Join(parts, "; "))
}

func (p *Printer) group(groups map[agree.Outcome][]job.Item, o agree.Outcome, style lipgloss.Style, remark string, opts LoadOptions, r *job.Report) {
	items := groups[o]
	if len(items) == 0 {
		return
	}
	p.line("")
	p.heading(style, string(o), remark)
	short := !opts.All && (o == agree.New || o == agree.Changed || o == agree.LeftOut || o == agree.Edited)
	keyWidth, titleWidth := 0, 0
	for n, i := range items {
		keyWidth = max(keyWidth, min(28, ansi.StringWidth(i.Key)))
		if !short || n < listed {
			titleWidth = max(titleWidth, min(48, ansi.StringWidth(i.Title)))
		}
	}
	most := len(items)
	switch {
	case short:
		most = listed
	case !opts.All && o == agree.Held:
		most = listedHeld
	}
	n := 0
	var together [][]job.Item
	whereWidth := 8
	for n < min(len(items), most) {
		same := 1 // rows held together for one reason are one line
		for o == agree.Held && n+same < len(items) && items[n+same].Key == items[n].Key && items[n].Key != "" && items[n+same].Reason == items[n].Reason {
			same++
		}
		together = append(together, items[n:n+same])
		whereWidth = max(whereWidth, ansi.StringWidth(where(r.Sources, placesOf(items[n:n+same])...)))
		n += same
	}
	for _, i := range together {
		p.item(i, pad(where(r.Sources, placesOf(i)...), whereWidth), keyWidth, titleWidth, r)
	}
	total := map[agree.Outcome]int{agree.New: r.Totals.New, agree.Changed: r.Totals.Changed, agree.Edited: r.Totals.Edited}[o]
	if rest := max(total, len(items)) - n; rest > 0 {
		p.line("  %s", dim.Render(fmt.Sprintf("… and %s more; --all lists every row", grouped(rest))))
	}
}

func placesOf(items []job.Item) []fault.Place {
	out := make([]fault.Place, len(items))
	for n, i := range items {
		out[n] = i.Place
	}
	return out
}

// item writes one line for items that differ in nothing but their rows.
func (p *Printer) item(items []job.Item, where string, keyWidth, titleWidth int, r *job.Report) {
	i := items[0]
	lead := "  " + where + "  " + pad(fault.Shorten(i.Key, 28), keyWidth) + "  "
	switch i.Outcome {
	case agree.Held, agree.LeftOut:
		p.wrapped(lead, i.Reason)
		return
	case agree.New, agree.Same:
		p.wrapped(lead, pad(fault.Shorten(i.Title, 80), titleWidth)+"   "+Span(i.Event.When, r.Zone)+whither(i, r)+noteText(i.Notes))
		return
	}
	text := fault.Shorten(i.Title, 80) + occurrence(i) + whither(i, r)
	if i.Outcome == agree.Gone {
		text += "   " + Span(i.Event.When, r.Zone)
	}
	if i.Reason != "" {
		text += dim.Render("   " + i.Reason)
	}
	p.wrapped(lead, text)
	p.fields(i.Fields, strings.Repeat(" ", ansi.StringWidth(lead)), i.Outcome)
}

// whither names the calendar of an item where there are several.
func whither(i job.Item, r *job.Report) string {
	if len(r.Calendars) < 2 {
		return ""
	}
	return dim.Render("   → " + i.Calendar)
}

// occurrence says which date of a series a row changes.
func occurrence(i job.Item) string {
	if i.Recurrence.IsZero() {
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

// fields writes what differs, a line each.
func (p *Printer) fields(fields []job.Difference, indent string, o agree.Outcome) {
	width := 0
	for _, f := range fields {
		width = max(width, len(f.Field))
	}
	for _, f := range fields {
		lead := indent + pad(f.Field, width) + "  "
		sheet, calendar := value(f.Wanted, f.Time), value(f.Calendar, f.Time)
		switch {
		case o == agree.Disputed:
			text := "sheet " + sheet + "   calendar " + calendar
			if f.Wrote != nil {
				text += "   last loaded " + value(*f.Wrote, f.Time)
			}
			p.wrapped(lead, text)
		case f.Outcome == agree.Edited:
			p.wrapped(lead, "calendar "+calendar+" is kept   sheet "+sheet)
		case f.Outcome == agree.Changed:
			p.wrapped(lead, calendar+" → "+sheet)
		}
	}
}

func (p *Printer) foot(r *job.Report, o LoadOptions) {
	p.line("")
	if len(r.Assumed) > 0 {
		kinds := make([]string, 0, len(r.Assumed))
		for k := range r.Assumed {
			kinds = append(kinds, k)
		}
		sort.Strings(kinds)
		parts := make([]string, len(kinds))
		for i, k := range kinds {
			slices.Sort(r.Assumed[k])
			parts[i] = k + " in " + rowList(r.Assumed[k])
			if len(r.Sources) > 1 { // a number alone would not tell which row
				parts[i] = k + " in " + counted(len(r.Assumed[k]), "row")
			}
		}
		p.wrapped(dim.Render("assumed")+"   ", strings.Join(parts, "; "))
	}
	for _, e := range r.Evidence {
		p.wrapped(dim.Render("dates")+"     ", e)
	}
	times := r.Zone
	if r.ZoneWhy != "" {
		times += " (" + r.ZoneWhy + ")"
	}
	if times != "" {
		p.line("%s  in %s", dim.Render("times   "), times)
	}
	if r.NoGone != "" && (r.Totals.Gone > 0 || !strings.HasPrefix(r.NoGone, "only")) {
		p.wrapped(dim.Render("gone")+"      ", r.NoGone)
	}
	for _, g := range r.Guards {
		p.wrapped(alarm.Render("a load would stop:")+" ", g.Reason())
	}
	switch {
	case o.Loaded && r.Written == 0:
		p.line("nothing had to be written; %s %s as %s", places(r.Calendars), isAre(len(r.Calendars)), map[bool]string{true: "it was", false: "they were"}[len(r.Calendars) == 1])
	case o.Loaded:
		p.line("%s", good.Render(counted(r.Written, "event")+" written to "+places(r.Calendars)+" and read back"))
	default:
		p.line("%s", dim.Render("nothing was written: this is a preview"))
	}
	if !o.All && r.Totals.Same > 0 {
		p.line("%s", dim.Render(fmt.Sprintf("the %s that %s the same %s not listed; --all lists every row", grouped(r.Totals.Same), isAre(r.Totals.Same), isAre(r.Totals.Same))))
	}
}

func isAre(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}
