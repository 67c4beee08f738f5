package plan

import (
	"bytes"
	"fmt"
	"slices"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
)

// Was is an edit of an earlier run that is to be taken back.
type Was struct {
	Kind       Kind
	Calendar   string
	UID        string
	Key, Title string
	Before     [][]byte
	Needs      int // as of Edit

	// Stands tells whether components are what that run left there.
	Stands func([][]byte) bool
}

// Undo makes the plan that takes back what a run did, as far as nobody has
// touched it since. The rest is named. allow is how many events it may take
// out, as a guard wants it.
func Undo(intake, of string, was []Was, holdings []*Holding, allow map[string]int) *Plan {
	p := &Plan{Intake: intake, Identity: of, Assumed: map[string][]int{}}
	uids := map[string]bool{}
	for _, w := range was {
		uids[w.UID] = true
	}
	stands := make([]map[string][]*ical.Object, len(holdings))
	for n, h := range holdings {
		stands[n] = h.Objects(uids)
		p.calendars = append(p.calendars, h.Name)
	}
	edit := make([]int, len(was)) // index of what takes an edit back, from 1
	out := 0
	for i, w := range slices.Backward(was) {
		n := slices.IndexFunc(holdings, func(h *Holding) bool { return h.Name == w.Calendar })
		if n < 0 {
			p.left(w, "its calendar is not there any more")
			continue
		}
		objects := stands[n][w.UID]
		e, why := w.back(objects)
		if why == "" && holdings[n].bears(&e) {
			why = "another event has its key by now"
		}
		if w.Kind == Create { // an event that was moved here goes once it stands where it was
			if from := slices.IndexFunc(was, func(o Was) bool { return int(o.Needs) == i+1 }); from >= 0 {
				if e.Needs = int32(edit[from]); e.Needs == 0 && why == "" {
					why = "it cannot be put back where it was"
				}
			}
		}
		if why != "" {
			p.left(w, why)
			continue
		}
		if e.Kind == Remove {
			out++
		}
		p.Edits = append(p.Edits, e)
		edit[i] = len(p.Edits)
		p.back(w, len(p.Edits)-1, holdings[n].Zones)
		if then := IDs(e.UID, e.after); e.Kind == Change {
			for _, id := range IDs(e.UID, e.before) {
				if !slices.Contains(then, id) {
					p.rekeyed = append(p.rekeyed, rekeyed{id, len(p.Edits) - 1})
				}
			}
		}
	}
	if ours := len(was); out > always && out > ours/5 && allow[AllowRemoved] != out {
		p.Guards = append(p.Guards, Guard{Name: AllowRemoved, Count: out, Of: ours, Did: "taken out of their calendar again"})
	}
	p.Totals.Rows = p.Items.Len()
	return p
}

// bears tells whether another event has an identity that an edit would leave in the calendar.
func (h *Holding) bears(e *Edit) bool {
	return slices.ContainsFunc(IDs(e.UID, e.after), func(id identity.ID) bool {
		f := h.Find(id)
		return len(e.after) > 0 && f.Object != nil && f.Object.UID != e.UID
	})
}

// back gives the edit that takes w back, or why it cannot.
func (w *Was) back(objects []*ical.Object) (Edit, string) {
	e := Edit{Calendar: w.Calendar, UID: w.UID, texts: &texts{}}
	switch w.Kind {
	case Remove, MoveOut:
		if len(objects) > 0 {
			return e, "an event of its UID stands there again"
		}
		e.Kind, e.after = Create, w.Before
		return e, ""
	}
	if len(objects) == 0 {
		return e, "it is not there any more"
	}
	at := slices.IndexFunc(objects, func(o *ical.Object) bool { return w.Stands(o.Raws()) })
	if at < 0 {
		return e, "it was touched since"
	}
	e.before = objects[at].Raws()
	if w.Kind == Create {
		e.Kind = Remove
		return e, ""
	}
	e.Kind, e.after = Change, w.Before
	if slices.EqualFunc(e.before, e.after, bytes.Equal) {
		return e, "it is as it was already"
	}
	return e, ""
}

// back files what is taken back.
func (p *Plan) back(w Was, edit int, zones ical.Zones) {
	item := Item{Outcome: agree.Changed, Key: w.Key, UID: w.UID, Calendar: w.Calendar, Title: w.Title, Edit: edit}
	e := &p.Edits[edit]
	switch e.Kind {
	case Create:
		item.Outcome, item.Reason = agree.New, "made again as it was"
	case Remove:
		item.Outcome, item.Reason = agree.Gone, "taken out again"
	default:
		item.Reason = "put back as it was"
		for i := range min(len(e.before), len(e.after)) {
			now, errNow := event.Read(e.before[i], zones)
			then, errThen := event.Read(e.after[i], zones)
			if errNow == nil && errThen == nil {
				item.Fields = append(item.Fields, Differences(&then.Event, &now.Event)...)
			}
		}
	}
	text := e.standing()
	if len(text) == 0 {
		text = e.before
	}
	if len(text) > 0 {
		if v, err := event.Read(text[0], zones); err == nil {
			item.Event, item.Title = &v.Event, v.Text(event.Title)
		}
	}
	p.Totals.count(item.Outcome)
	p.Items.Add(item)
}

// left files what is not taken back.
func (p *Plan) left(w Was, why string) {
	p.Totals.count(agree.Held)
	p.Items.Add(Item{Outcome: agree.Held, Key: w.Key, UID: w.UID, Calendar: w.Calendar, Title: w.Title, Reason: why + ": " + fmt.Sprintf("%q in calendar %s is left as it is", w.Title, w.Calendar), Edit: -1})
}

// Differences lists the fields in which an event differs from another, as it
// changed.
func Differences(wanted, current *event.Event) []Difference {
	var out []Difference
	differ := wanted.Differ(current)
	for _, f := range event.Fields() {
		switch {
		case f == event.When && !wanted.When.Same(current.When):
			out = append(out, SpanDifferences(wanted.When, current.When)...)
		case f != event.When && differ.Has(f):
			out = append(out, Difference{Field: f.String(), Wanted: wanted.Shown(f), Calendar: current.Shown(f)})
		}
	}
	for i := range out {
		out[i].Outcome = agree.Changed
	}
	return out
}
