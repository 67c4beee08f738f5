package notice

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// thing is what a thread is about: an event whose time may still change.
type thing struct {
	event      Event
	settled    bool
	by         string
	sent       time.Time
	candidates []string
	cancelled  bool
	number     int         // in the order in which they came up, from 1
	choice     string      // message that gives several of which one is meant; "" for none
	earlier    []time.Time // when it was to be before
	ended      bool        // a message said its end
}

// Settle brings the messages of a thread together, in the order in which they
// were sent: a later time for the same thing takes the place of the earlier,
// agreement settles the time that it answers, and a message that calls it off
// cancels.
func Settle(messages []Message) []Settled {
	var things []*thing
	var course []string
	number := 0
	for _, m := range messages {
		events := repeatsOut(m.Found.Events)
		said := []string{}
		last := func() *thing {
			if len(things) == 0 {
				return nil
			}
			return things[len(things)-1]
		}
		agreed, firm := false, false
		fresh := len(things) // things of earlier messages
		var refused []*thing // of those that are not to be, and that nothing has replaced yet
		for _, t := range things {
			if slices.ContainsFunc(m.Found.Against, func(day time.Time) bool { return day.Equal(dayOf(t.event.Start)) }) {
				refused = append(refused, t)
			}
		}
		off := slices.ContainsFunc(events, func(e Event) bool { return e.Cancelled })
		for n := range events {
			e := &events[n]
			beside := phraseIn(e.Text, besides) != "" || phraseIn(e.Text, asides) != "" && !e.NoDate
			switch {
			case off && e.Held != nil && e.Start.IsZero(): // "a new date will follow"
				continue
			case e.NoDate && e.NoTime && e.Cancelled:
				if len(things) == 0 {
					e.Held = fault.New(fault.Shorten(e.Text, 80), "calls something off, and what it is is not in what was read").Do("see which event it is, and cancel it in its calendar")
					e.Cancelled, e.NoDate, e.NoTime = false, false, false
					break
				}
				off, all := about(things[:fresh], e.Text)
				if all && len(off) > 1 && phraseIn(e.Text, []string{"both", "all", "everything", "beide", "alle", "alles", "tous", "tout", "todos", "todo", "tutti", "tutto", "tudo"}) == "" {
					doubt(off, "calls something off, and does not say which of several", e.Text)
					said = append(said, "calls something off")
					continue
				}
				for _, t := range off {
					t.cancelled, t.by, t.sent = true, m.ID, m.Sent
					t.event.Cancelled, t.event.Text, t.event.Line = true, e.Text, e.Line
					t.event.Reading = append(t.event.Reading, e.Reading...)
				}
				said = append(said, "calls it off")
				continue
			case e.NoDate && e.NoTime: // agreement
				if agreed || last() == nil {
					continue
				}
				agreed = true
				firm = firm || phraseIn(e.Text, firmWords) != ""
				if t := last(); !t.settled && t.event.Held == nil && !t.event.NoDate {
					t.settled, t.by, t.sent = true, m.ID, m.Sent
					said = append(said, "agrees")
				}
				continue
			case e.NoDate && last() == nil:
				e.Held = heldOr(e.Held, fault.New(fault.Shorten(e.Text, 80), "says a time and no day").Do("say the day"))
			case e.NoDate && chosen(things[:fresh], e) != nil: // 4 is good, of 2 or 4
				t := chosen(things[:fresh], e)
				one := t.choice
				t.event.Held, t.settled, t.by, t.sent, t.choice = nil, !asks(e.Text), m.ID, m.Sent, ""
				things = slices.DeleteFunc(things, func(o *thing) bool { return o.choice == one })
				fresh = min(fresh, len(things))
				said = append(said, "chooses "+t.event.When())
				continue
			case e.NoDate:
				t := last()
				e = withDate(e, &t.event, len(things) == fresh)
				if t.event.Held != nil && (len(things) > fresh || t.event.Held.Cause.Error() == severalTimes) && e.Held == nil { // of this message, and its day is not certain
					e.Held = fault.New(fault.Shorten(e.Text, 80), "says a time, and the day that it may be of is not certain").Do("say the day")
				}
				if same(e, &t.event) && e.Held == nil && phraseIn(e.Text, clashWords) != "" { // we have a tour at 10 already
					doubt([]*thing{t}, "is at a time at which an answer has something else", e.Text)
					said = append(said, "has something else at "+e.When())
					continue
				}
				if same(e, &t.event) && e.Held == nil { // three works
					t.settled, t.by, t.sent = !asks(e.Text) || settles(e.Text), m.ID, m.Sent
					said = append(said, "agrees to "+e.When())
					continue
				}
			}
			said = append(said, sayOf(e))
			t := match(things[:fresh], e, len(events) == 1 && fresh == 1, beside)
			if t == nil && len(refused) == 1 && !e.Cancelled && !beside { // what is said instead
				t, refused = refused[0], nil
			}
			if t != nil && e.NoTime && e.Held == nil && farewell().MatchString(e.Text) && !dayOf(e.Start).Equal(dayOf(t.event.Start)) { // see you on Thursday, of what is on Wednesday
				doubt([]*thing{t}, "is on another day than an answer to it says", e.Text)
				continue
			}
			if t != nil && len(events) == 1 && fresh > 1 && e.NoTime && phraseIn(e.Text, onlyWords) != "" { // only Wednesday please
				doubt(slices.DeleteFunc(slices.Clone(things[:fresh]), func(o *thing) bool { return o == t }), "is not what an answer wants alone", e.Text)
			}
			if t != nil && firm && fresh > 0 && !e.NoTime && !same(e, &t.event) && phraseIn(e.Text, movedWords) == "" { // confirmed. On site 9:30.
				doubt([]*thing{t}, "is confirmed, and another time is said beside that", e.Text)
				continue
			}
			if t != nil {
				one := t.choice
				t.replace(e, m)
				if e.Held != nil && e.Held.Cause.Error() == oneOfSeveral {
					t.choice = m.ID
				}
				if one != "" && t.settled { // one of several was meant, and this is it
					t.choice = ""
					things = slices.DeleteFunc(things, func(o *thing) bool { return o.choice == one })
					fresh = min(fresh, len(things))
				}
				continue
			}
			if !beside && !e.Start.IsZero() && !e.AllDay {
				var may []*thing // it may be about one of several of its day
				for _, o := range things[:fresh] {
					if dayOf(o.event.Start).Equal(dayOf(e.Start)) {
						may = append(may, o)
					}
				}
				if len(may) > 1 {
					doubt(may, "may be what a later message gives another time, which does not say of which of several it speaks", e.Text)
				}
			}
			if m.Reply && e.NoTime && e.AllDay && !e.Cancelled && !beside && fresh > 1 && phraseIn(e.Text, mustBe) != "" {
				doubt(things[:fresh], "may be what a later message gives another day, which does not say of which of several it speaks", e.Text)
			}
			if e.Cancelled && fresh == 0 && len(messages) > 1 && !m.Reply && len(events) == 1 {
				e.Cancelled = true
			}
			if m.Reply && e.NoTime && e.AllDay && e.Held == nil && !e.Cancelled && slices.ContainsFunc(things[:fresh], func(o *thing) bool { return !o.event.AllDay && !o.event.NoDate && !o.cancelled }) {
				e.Held = fault.New(fault.Shorten(e.Text, 80), "says a day and no time, and earlier messages say times").Do("say when it begins, or that it is the whole day")
			}
			t = &thing{event: *e, settled: e.Held == nil && !asks(e.Text), by: m.ID, sent: m.Sent, cancelled: e.Cancelled}
			if e.Held != nil && e.Held.Cause.Error() == oneOfSeveral {
				t.choice = m.ID
			}
			t.candidates = append(t.candidates, e.When())
			number++
			t.number = number
			things = append(things, t)
		}
		if t := lasting(things[:fresh]); len(events) == 0 && m.Found.Minutes > 0 && t != nil {
			t.event.End = t.event.Start.Add(time.Duration(m.Found.Minutes) * time.Minute)
			t.event.note("lasts " + lengthText(m.Found.Minutes) + ", as a later message says")
			said = append(said, "says how long: "+lengthText(m.Found.Minutes))
		}
		for _, p := range m.Found.Passed {
			if p.Why == notToBe {
				m.Found.Objections = append(m.Found.Objections, p.Text)
			}
		}
		if place := elsewhere(things[:fresh], m.Found.Places); place != "" {
			doubt(things[:fresh], "may be in another place by now ("+place+")", place)
			said = append(said, "names "+place)
		}
		refused = slices.DeleteFunc(refused, func(t *thing) bool { return !slices.Contains(things, t) || t.by == m.ID })
		moved := slices.ContainsFunc(events, func(e Event) bool { return !e.NoDate || !e.NoTime })
		if len(m.Found.Objections) > 0 && (!moved || len(refused) > 0) && fresh > 0 {
			text := strings.Join(m.Found.Objections, " ")
			against := refused
			if len(against) == 0 {
				against, _ = about(things[:fresh], text)
			}
			doubt(against, "speaks against it, and says nothing that can be read instead", text)
			said = append(said, "says that it does not suit")
		}
		what := strings.Join(said, "; ")
		if what == "" {
			what = "says no time"
		}
		course = append(course, fmt.Sprintf("%s, %s: %s", orUnknown(m.From), m.Sent.Format("Mon 2 Jan 15:04"), what))
	}
	out := make([]Settled, 0, len(things))
	for _, t := range things {
		s := Settled{Event: t.event, Number: t.number, By: t.by, Sent: t.sent, Course: course}
		if s.Held == nil && !t.settled && !t.cancelled {
			candidates := t.candidates
			slices.Sort(candidates)
			candidates = slices.Compact(candidates)
			s.Held = fault.New(fault.Shorten(t.event.Text, 80), "is put forward and not settled yet: "+strings.Join(candidates, ", or ")).Do("wait for the answer, or write down the event with almanach jot")
		}
		out = append(out, s)
	}
	return out
}

// onlyWords say that of several things one is wanted.
var onlyWords = []string{"only", "nur", "seulement", "uniquement", "sólo", "solo", "solamente", "soltanto", "apenas", "só", "somente", "alleen"}

// firmWords confirm what was said.
var firmWords = []string{"confirmed", "booked", "noted", "reserved", "bestätigt", "gebucht", "notiert", "confirmé", "confirmée", "réservé", "noté", "confirmado", "confirmada", "reservado", "reservada", "anotado", "confermato", "confermata", "prenotato", "bevestigd", "geboekt", "genoteerd"}

// clashWords say that somebody has something else at a time, and mustBe that something is to
// be on another day.
var (
	clashWords = []string{"already", "clash", "clashes", "conflict", "conflicts", "busy", "overlap", "overlaps", "double-booked", "schon", "bereits", "déjà", "ya tengo", "ya tenemos", "ya hay", "già", "já", "al een", "overlapt"}
	mustBe     = []string{"has to be", "have to be", "must be", "needs to be", "need to be", "should be", "will be", "is now", "instead", "muss am", "muss", "soll", "doit être", "tiene que ser", "deve essere", "tem de ser", "moet"}
)

// lasting gives the only thing that a length without a time can be of; nil for none.
func lasting(things []*thing) *thing {
	if len(things) != 1 {
		return nil
	}
	if e := &things[0].event; things[0].cancelled || e.Held != nil || e.AllDay || e.NoDate || e.Start.IsZero() || !e.End.IsZero() {
		return nil
	}
	return things[0]
}

// farewell ends an answer, and is no new day.
var farewell = pattern.Lazy(`(?i)(?:(?:^|[^\p{L}])(?:see you|see u|nos vemos|ci vediamo|wir sehen uns)|(?:^|[,.!;] ?)(?:till|until|bis|à|a|hasta|até|tot))(?: (?:all|both|then|there|dann))?,? (?:on |am |el |le |op )?(?:\p{L}+)[.!]*\s*$`)

// elsewhere gives a place that a message names without a time, where the only thing of the
// thread is to be in another of that kind; "" for none.
func elsewhere(things []*thing, places []string) string {
	if len(things) != 1 || len(places) == 0 {
		return ""
	}
	was := strings.Fields(strings.ToLower(things[0].event.Where))
	for _, place := range places {
		now := strings.Fields(strings.ToLower(place))
		if len(was) > 1 && len(now) > 1 && was[0] == now[0] && was[len(was)-1] != now[len(now)-1] {
			return place
		}
		if len(was) > 0 && house().MatchString(place) && !strings.Contains(place, strings.Join(was, " ")) && !strings.Contains(strings.Join(was, " "), now[len(now)-1]) {
			return place
		}
	}
	return ""
}

func orUnknown(s string) string {
	if s == "" {
		return "someone"
	}
	return s
}

func heldOr(f, other *fault.Fault) *fault.Fault {
	if f != nil {
		return f
	}
	return other
}

func sayOf(e *Event) string {
	switch {
	case e.Cancelled:
		return "cancels " + strings.TrimSpace(e.What+" "+e.When())
	case e.Held != nil:
		return "not clear: " + e.Held.Cause.Error()
	case asks(e.Text):
		return "puts forward " + e.When()
	}
	return e.When()
}

// chosen gives the one of several choices that a time without a day is the time of.
func chosen(things []*thing, e *Event) (found *thing) {
	for _, t := range things {
		if t.choice != "" && !t.event.AllDay && withDate(e, &t.event, false).Start.Equal(t.event.Start) {
			if found != nil {
				return nil
			}
			found = t
		}
	}
	return found
}

// withDate gives a time without a day that of what it answers, and its length where it
// is asked for.
func withDate(e, of *Event, length bool) *Event {
	out := *e
	if of.NoDate || of.Start.IsZero() {
		return &out
	}
	out.OnDay(of.Start)
	if length && of.Held == nil && out.End.IsZero() && !of.End.IsZero() && !of.AllDay {
		out.End = out.Start.Add(of.End.Sub(of.Start))
	}
	if out.Where == "" {
		out.Where = of.Where
	}
	return &out
}

// OnDay gives a time without a day that of another.
func (e *Event) OnDay(day time.Time) {
	shift := dayOf(day).Sub(noDay)
	e.Start, e.NoDate = e.Start.Add(shift), false
	if !e.End.IsZero() {
		e.End = e.End.Add(shift)
	}
	for i := range e.Reading {
		if e.Reading[i].Field == "time" {
			e.Reading[i].Value = e.When()
		}
	}
}

// same tells whether an event says the time of another again.
func same(e, of *Event) bool {
	if e.AllDay != of.AllDay || e.Start.IsZero() {
		return false
	}
	return e.Start.Equal(of.Start) && (e.End.IsZero() || of.End.IsZero() || e.End.Equal(of.End))
}

// match finds the thing of earlier messages that an event is about: by its time, its
// title, its day, or because there is no other. What comes beside them is none of them.
func match(things []*thing, e *Event, only, beside bool) *thing {
	apart := !sameTitles(things)
	for _, t := range things {
		if same(e, &t.event) || apart && t.event.What != "" && (strings.EqualFold(t.event.What, e.What) || phraseIn(e.Text, []string{strings.ToLower(t.event.What)}) != "") {
			return t
		}
	}
	if beside {
		return nil
	}
	if only && len(things) == 1 {
		return things[0]
	}
	var found *thing
	for _, t := range things {
		if !e.Start.IsZero() && dayOf(t.event.Start).Equal(dayOf(e.Start)) {
			if found != nil {
				return nil
			}
			found = t
		}
	}
	return found
}

// about gives the things that a text names by their titles, or all where it names none.
func about(things []*thing, text string) (named []*thing, all bool) {
	if len(things) > 1 && !sameTitles(things) {
		for _, t := range things {
			if t.event.What != "" && phraseIn(text, []string{strings.ToLower(t.event.What)}) != "" {
				named = append(named, t)
			}
		}
	}
	if named == nil {
		return things, true
	}
	return named, false
}

// doubt has things held, for somebody said what does not let them stand as they are.
func doubt(things []*thing, why, text string) {
	for _, t := range things {
		if t.event.Held == nil && !t.cancelled {
			t.event.Held = fault.New(fault.Shorten(text, 80), why).Do("ask what it is to be, and write it down")
		}
	}
}

func dayOf(t time.Time) time.Time { return midnight(t.Year(), int(t.Month()), t.Day()) }

func sameTitles(things []*thing) bool {
	if len(things) == 0 {
		return true
	}
	for _, t := range things[1:] {
		if !strings.EqualFold(t.event.What, things[0].event.What) {
			return false
		}
	}
	return true
}

// replace puts what a later message says in the place of the earlier.
func (t *thing) replace(e *Event, m Message) {
	was := t.event
	if e.Held != nil && e.Held.Cause.Error() == sameTime && !was.AllDay && !was.NoDate && !was.Start.IsZero() && was.Held == nil { // "the same time" is that of what it answers
		e.Held = nil
	}
	repeated := same(e, &was)
	if e.AllDay && e.NoTime && !was.AllDay && !was.NoDate { // another day, the same time
		clock := was.Start.Sub(dayOf(was.Start))
		for _, earlier := range t.earlier { // the time that it had on that day before
			if dayOf(earlier).Equal(dayOf(e.Start)) {
				clock = earlier.Sub(dayOf(earlier))
			}
		}
		e.Start, e.AllDay = dayOf(e.Start).Add(clock), false
		if !was.End.IsZero() {
			e.End = e.Start.Add(was.End.Sub(was.Start))
		}
		e.NoTime = false
	}
	if e.Cancelled {
		was.Cancelled, was.Text, was.Line, was.Page = true, e.Text, e.Line, e.Page
		was.Reading = append(was.Reading, Part{e.Text, "status", "cancelled"})
		t.event, t.cancelled, t.by, t.sent = was, true, m.ID, m.Sent
		return
	}
	if e.Where == "" {
		e.Where = was.Where
	}
	if e.End.IsZero() && !was.End.IsZero() && !was.AllDay && !e.AllDay && was.Held == nil {
		e.End = e.Start.Add(was.End.Sub(was.Start))
	}
	if len(e.Who) == 0 {
		e.Who = was.Who
	}
	if was.What != "" && e.What != was.What && m.Reply {
		e.What = was.What
	}
	t.ended = t.ended || was.Held == nil && !was.AllDay && !was.End.IsZero()
	if t.ended && e.End.IsZero() && !e.AllDay && e.Held == nil {
		e.Held = fault.New(fault.Shorten(e.Text, 80), "has no end, and an earlier message says one of another time").Do("give its end")
	}
	t.candidates = append(t.candidates, e.When())
	if !was.AllDay && !was.NoDate {
		t.earlier = append(t.earlier, was.Start)
	}
	t.event, t.by, t.sent, t.cancelled = *e, m.ID, m.Sent, false
	t.settled = e.Held == nil && (!asks(e.Text) || repeated && settles(e.Text))
	if repeated && was.Held == nil && !asks(e.Text) {
		t.settled = true
	}
}

// repeatsOut takes out of the events of one message what says the same twice.
func repeatsOut(events []Event) []Event {
	var out []Event
	for _, e := range events {
		twice := slices.IndexFunc(out, func(o Event) bool {
			return !e.NoDate && !o.NoDate && e.Start.Equal(o.Start) && e.AllDay == o.AllDay && e.Cancelled == o.Cancelled && (o.What == e.What || e.Where == "" || o.Where == "" || o.Where == e.Where)
		})
		if twice < 0 || e.Start.IsZero() {
			out = append(out, e)
			continue
		}
		o := &out[twice]
		if o.Where == "" {
			o.Where = e.Where
		}
		if o.End.IsZero() {
			o.End = e.End
		}
		o.Who = append(o.Who, e.Who...)
	}
	return out
}
