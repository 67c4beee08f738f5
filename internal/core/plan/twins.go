package plan

import (
	"fmt"
	"slices"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/ical"
)

// Twins are two events of a calendar that look like one.
type Twins struct {
	Likeness
	First, Second Twin
	Fields        []Difference // Wanted is the first's, Calendar the second's
	Spare         int          // which one nothing would be lost with: 1 or 2, 0 for neither
	Why           string       // why that one, or why neither
}

// Twin is one of two.
type Twin struct {
	UID, Intake, Key string // of the intake that loads it; "" for one made by hand
	Event            event.Event
	Added            []string // what people added to it: replies, comments, alarms, changed occurrences

	object *ical.Object
	words  []string // of its title
}

// FindTwins finds the events of a calendar that look like one: at the same
// time, with like titles. Only events that start together are compared, so it
// takes little more than reading them.
func FindTwins(h *Holding) (out []Twins) {
	type start struct {
		allDay bool
		rule   string
		at     int64
	}
	byStart := map[start][]Twin{}
	var order []start
	for _, o := range h.objects {
		for i, raw := range o.Raws() {
			if i > 0 && ical.Has(raw, "RECURRENCE-ID") {
				continue
			}
			view, err := event.Read(raw, h.Zones)
			if err != nil || !view.Recurrence.IsZero() || view.Text(event.Status) == "cancelled" {
				continue
			}
			t := Twin{UID: o.UID, Intake: view.Intake, Key: view.Key, Event: view.Event, Added: event.Added(raw), object: o, words: wordsOf(view.Text(event.Title))}
			if o.Parts() > 1 {
				t.Added = append(t.Added, "changed occurrences")
			}
			s := start{view.When.AllDay(), view.When.Rule, view.When.Start.Instant(nil)}
			if s.allDay {
				s.at = view.When.Start.Wall
			}
			if byStart[s] == nil {
				order = append(order, s)
			}
			byStart[s] = append(byStart[s], t)
		}
	}
	for _, s := range order {
		list := byStart[s]
		for i := range list {
			for j := i + 1; j < len(list) && j < i+compared; j++ {
				if shared(list[i].words, list[j].words) < 50 { // most are told apart by this alone
					continue
				}
				if l := Alike(&list[i].Event, &list[j].Event); l.Score >= enoughAlike {
					out = append(out, twins(l, list[i], list[j]))
				}
			}
		}
	}
	return out
}

// compared is with how many of the events that start together each is
// compared: thousands at one time are no twins, and would take for ever.
const compared = 200

// twins says which of two is the spare one.
func twins(l Likeness, a, b Twin) Twins {
	t := Twins{Likeness: l, First: a, Second: b, Fields: Differences(&a.Event, &b.Event)}
	loaded := func(x Twin) bool { return x.Intake != "" }
	switch {
	case loaded(a) && loaded(b) && a.Key == b.Key && a.Intake == b.Intake:
		t.Why = "both bear the key " + a.Key + " of " + a.Intake + ": the first stands before the second; remove the one that is wrong by hand"
		if len(t.Fields) == 0 && len(b.Added) == 0 {
			t.Spare, t.Why = 2, "both bear the key "+a.Key+" of "+a.Intake+", and the second says nothing else"
		}
	case loaded(a) && loaded(b):
		t.Why = fmt.Sprintf("both are loaded: %s from %s and %s from %s; leave one of the rows out, or give both intakes one identity", a.Key, a.Intake, b.Key, b.Intake)
	case loaded(a) != loaded(b):
		spare, other := 2, b
		if loaded(b) {
			spare, other = 1, a
		}
		t.Spare, t.Why = spare, "the other is loaded from "+a.Intake+b.Intake
		if lost := lost(t.Fields, spare, other); lost != "" {
			t.Spare, t.Why = 0, "the one made by hand has "+lost+" that the loaded one has not"
		}
	default:
		t.Spare, t.Why = 2, "it stands behind the other"
		if lost := lost(t.Fields, 2, b); lost != "" {
			t.Spare, t.Why = 0, "the second has "+lost+" that the first has not"
		}
	}
	return t
}

// lost says what would be lost with one of two, "" for nothing. What it does
// not say at all is no loss.
func lost(fields []Difference, which int, t Twin) string {
	var out, names []string
	for _, f := range fields {
		if which == 1 && f.Wanted != "" || which == 2 && f.Calendar != "" {
			names = append(names, f.Field)
		}
	}
	if len(names) > 0 {
		out = append(out, "another "+strings.Join(names, ", "))
	}
	return strings.Join(append(out, t.Added...), " and ")
}

// RemoveSpare makes the plan that takes the spare ones of twins out of their
// calendar.
func RemoveSpare(calendar string, list []Twins, allow map[string]int, all int) *Plan {
	p := &Plan{Intake: "twins", Identity: "", Assumed: map[string][]int{}, calendars: []string{calendar}}
	var taken []*ical.Object
	for _, t := range list {
		spare := map[int]Twin{1: t.First, 2: t.Second}[t.Spare]
		if t.Spare == 0 || slices.Contains(taken, spare.object) || t.Spare == 2 && slices.Contains(taken, t.First.object) || t.Spare == 1 && slices.Contains(taken, t.Second.object) {
			continue
		}
		taken = append(taken, spare.object)
		p.Edits = append(p.Edits, Edit{Kind: Remove, Calendar: calendar, UID: spare.UID, texts: &texts{before: spare.object.Raws()}})
		p.Items.Add(Item{Outcome: agree.Gone, Key: spare.Key, UID: spare.UID, Calendar: calendar, Title: spare.Event.Text(event.Title), Event: &spare.Event, Reason: t.Why, Edit: len(p.Edits) - 1})
	}
	p.Totals.Gone = p.Items.Len()
	if n := len(taken); n > always && n > all/5 && allow[AllowRemoved] != n {
		p.Guards = append(p.Guards, Guard{Name: AllowRemoved, Count: n, Of: all, Did: "taken out as doubles"})
	}
	return p
}

// Events is how many objects the calendar holds.
func (h *Holding) Events() int { return len(h.objects) }

// twinFault says which events claim to be a row's, which of them is most likely
// the original, and what would be lost with the others.
func (s *shard) twinFault(c *standing) *fault.Fault {
	h := s.Holdings[c.from]
	all := append([]Found{c.found}, h.Claims(c.found.ID)...)
	read := make([]event.View, len(all))
	original := -1
	for i := range all {
		read[i], _ = event.Read(all[i].Raw(), h.Zones)
		seal := agree.ParseSeal(read[i].Seal)
		if original < 0 && !seal.Edited(&read[i].Event, h.Zones) {
			original = i
		}
	}
	original = max(original, 0)
	var others []string
	for i := range all {
		if i == original {
			continue
		}
		what := "says nothing else"
		if l := lost(Differences(&read[original].Event, &read[i].Event), 2, Twin{Added: event.Added(all[i].Raw())}); l != "" {
			what = "has " + l
		}
		others = append(others, fmt.Sprintf("the one at %s %s", at(all[i].Object), what))
	}
	return fault.Newf("%d events in calendar %s are this one: the one at %s is most likely the original, %s", len(all), h.Name, at(all[original].Object), strings.Join(others, ", ")).
		Do("remove the others there, or see: almanach twins %s", quoted(h.Name))
}
