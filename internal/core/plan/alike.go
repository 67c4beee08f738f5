package plan

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/intake"
)

// Likeness is how much two events are alike, in per cent, and what of them is.
type Likeness struct {
	Score              int
	Time, Title, Place int
}

func (l Likeness) String() string {
	part := func(name string, n int) string {
		switch n {
		case 100:
			return "the same " + name
		case 0:
			return "another " + name
		case unknown:
			return "no " + name + " to compare"
		}
		return fmt.Sprintf("%s alike by %d %%", name, n)
	}
	return fmt.Sprintf("%s, %s, %s", part("time", l.Time), part("title", l.Title), part("place", l.Place))
}

// unknown is the Place of events of which one has none.
const unknown = -1

// enoughAlike is from how many per cent on two events are taken to be most
// likely one.
const enoughAlike = 75

// Alike compares two events by time, title and place. Times count most: what
// is at another time is another event.
func Alike(a, b *event.Event) Likeness {
	var l Likeness
	x, y := a.When, b.When
	switch {
	case x.AllDay() != y.AllDay():
		if x.Start.Wall/86400 == y.Start.Wall/86400 {
			l.Time = 40
		}
	case x.Same(y):
		l.Time = 100
	case x.Rule == y.Rule && sameTime(x.Start, y.Start):
		l.Time = 90
	case x.Start.Wall/86400 == y.Start.Wall/86400:
		l.Time = 40
	}
	l.Title = words(a.Text(event.Title), b.Text(event.Title))
	l.Place = unknown
	l.Score = (l.Time*55 + l.Title*45) / 100
	if x, y := a.Text(event.Location), b.Text(event.Location); x != "" && y != "" {
		l.Place = words(x, y)
		l.Score = (l.Time*50 + l.Title*40 + l.Place*10) / 100
	}
	if l.Time < 90 || l.Title < 50 {
		l.Score = min(l.Score, enoughAlike-1)
	}
	return l
}

// words compares two texts by the words that they share. Where both have
// numbers and not the same ones, they are about different things.
func words(a, b string) int { return shared(wordsOf(a), wordsOf(b)) }

// wordsOf gives the words of a text, sorted, each once.
func wordsOf(s string) []string {
	out := strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	slices.Sort(out)
	return slices.Compact(out)
}

func shared(x, y []string) int {
	if len(x) == 0 && len(y) == 0 {
		return 100
	}
	both, numbers := 0, [2]int{} // words in both; numbers in one alone
	for i, j := 0, 0; i < len(x) || j < len(y); {
		switch {
		case j == len(y) || i < len(x) && x[i] < y[j]:
			if number(x[i]) {
				numbers[0]++
			}
			i++
		case i == len(x) || y[j] < x[i]:
			if number(y[j]) {
				numbers[1]++
			}
			j++
		default:
			both++
			i, j = i+1, j+1
		}
	}
	score := 100 * both / (len(x) + len(y) - both)
	if numbers[0] > 0 && numbers[1] > 0 {
		score /= 2
	}
	return score
}

func number(word string) bool { return word[0] >= '0' && word[0] <= '9' }

// unmanaged are the events of a calendar that are not ours, by the day on
// which they start. Days are those of the wall clock; an event in another zone
// may be filed a day off.
func (h *Holding) unmanaged(day int64) []foreign {
	h.strangers.Do(func() {
		h.byDay = map[int64][]foreign{}
		ours := make(map[int32]bool, len(h.slots))
		for _, s := range h.slots {
			ours[s.object] = true
		}
		for n, o := range h.objects {
			if ours[int32(n)] {
				continue
			}
			view, err := event.Read(o.Part(0), h.Zones)
			if err != nil || !view.Recurrence.IsZero() {
				continue
			}
			d := dayOf(&view.Event)
			h.byDay[d] = append(h.byDay[d], foreign{Found{Object: o}, view})
		}
	})
	return h.byDay[day]
}

// foreign is an event that no load made.
type foreign struct {
	found Found
	view  event.View
}

// dayOf is the day by which look-alikes are found: of the instant, so that one
// time in two zones is one.
func dayOf(e *event.Event) int64 {
	if e.When.AllDay() {
		return e.When.Start.Wall / 86400
	}
	return e.When.Start.Instant(nil) / 86400
}

// resembling finds the event made by hand that a row without one looks like.
func (s *shard) resembling(h *Holding, w *intake.Wanted) (*foreign, Likeness) {
	var best *foreign
	var most Likeness
	list := h.unmanaged(dayOf(&w.Event))
	for n := range list {
		if l := Alike(&w.Event, &list[n].view.Event); l.Score > most.Score {
			best, most = &list[n], l
		}
	}
	return best, most
}

// lookAlike settles a row that has no event yet and looks like one that was made
// by hand: it claims it, gets one of its own, or is held, as someone said.
func (s *shard) lookAlike(i int, c *standing, w *intake.Wanted) *fault.Fault {
	h := s.Holdings[c.to]
	found, how := s.resembling(h, w)
	key := s.mapper.KeyText(s.Batch.Rows.At(i))
	switch {
	case found == nil || how.Score < enoughAlike && !s.Pairs.Adopt[key] || s.Pairs.BesideAll || s.Pairs.Beside[key]:
		return nil
	case s.Pairs.Adopt[key], s.Pairs.AdoptFrom > 0 && how.Score >= s.Pairs.AdoptFrom:
		if s.adoptions.taken(found.found.Object.UID, h.Name, i) {
			return fault.New(key, fmt.Sprintf("looks like %q in calendar %s, which another row claims too", found.view.Text(event.Title), h.Name)).Do("adopt it for one of them, and load the other with --beside")
		}
		c.found, c.adopted = found.found, true
		return nil
	}
	return fault.New(key, fmt.Sprintf("looks like %q, which someone made in calendar %s (%s)", found.view.Text(event.Title), h.Name, how)).
		Do("take that one over with: almanach adopt %s; or make another with --beside %s", s.adoptWith(key), quoted(key))
}

// adoptWith gives the arguments with which adopt claims an event for a row. A
// table that no intake describes is named itself.
func (s *shard) adoptWith(key string) string {
	if s.Intake.File == "" && len(s.Sources) > 0 {
		return quoted(s.Sources[0].File) + " " + quoted(key) + ", with the same --into and --key"
	}
	return s.Intake.Name + " " + quoted(key)
}

// adopt has a row claim an event that was made by hand. Nothing of it changes
// but our marks; what differs is agreed to be as it stands, until the sheet
// says something new.
func (s *shard) adopt(i int, id identity.ID, c standing, view *event.View) {
	w, h := &s.wanted, s.Holdings[c.from]
	view.Attune(&w.Event, c.found.Raw())
	r := agree.Result{Outcome: agree.Changed, Reseal: true}
	for _, f := range event.Fields() {
		if w.Event.Given.Has(f) {
			r.Seal.Set(f, &w.Event, &view.Event)
		}
	}
	item := s.item(i, agree.Changed, c.to, view.UID)
	item.Title, item.Reason = view.Text(event.Title), "taken over: someone made it by hand; nothing else of it is changed"
	both := agree.Compare(&w.Event, &view.Event, &agree.Seal{}, nil, h.Zones)
	item.Fields = differences(&both, &w.Event, &view.Event, &agree.Seal{}, h.Zones)
	for n := range item.Fields {
		item.Fields[n].Outcome = agree.Edited
	}
	s.totals.count(agree.Changed)
	text := rewrite(c.found.Raw(), &r, w, view.Sequence, s.Stamp, s.marks(i, id, false), s.zones[c.to])
	s.add(item, c.found.change(c.to, c.from, text))
}

// marks gives the marks of a row's event where it does not bear them.
func (s *shard) marks(i int, id identity.ID, marked bool) []event.Mark {
	if marked {
		return nil
	}
	marks := marksOf(s.Intake.Identity, id.String(), s.mapper.KeyText(s.Batch.Rows.At(i)))
	return marks[:]
}

// marked tells whether an event bears all the marks of its row.
func (s *shard) marked(i int, id identity.ID, c standing, view *event.View) bool {
	own, ok := markedID(view)
	if !ok || view.Intake != s.Intake.Identity {
		return false
	}
	if own != id { // a copy in one of several calendars is marked with its row's ID too
		return false
	}
	return view.Key == event.Clean(s.mapper.KeyText(s.Batch.Rows.At(i)))
}

// adoptions are the events that rows claim, each once.
type adoptions struct {
	sync.Mutex
	by map[string]int
}

// taken tells whether another row has claimed an event before.
func (a *adoptions) taken(uid, calendar string, row int) bool {
	a.Lock()
	defer a.Unlock()
	if a.by == nil {
		a.by = map[string]int{}
	}
	other, ok := a.by[calendar+"\n"+uid]
	if !ok {
		a.by[calendar+"\n"+uid] = row
	}
	return ok && other != row
}

// claims settles a row where only look-alikes matter: it claims an event, or is
// held for the one that it looks like.
func (s *shard) claims(i int, fate intake.Fate, id identity.ID) {
	w := &s.wanted
	if _, _, changes := s.Batch.Occurrence(i); changes || fate != intake.WantedRow || s.Batch.Map(s.mapper, i, w) != nil || w.Cancel {
		return
	}
	copies, f := s.standings(i, id)
	if f != nil || len(copies) != 1 || copies[0].stands() {
		return
	}
	f = s.lookAlike(i, &copies[0], w)
	if f == nil && !copies[0].adopted {
		return
	}
	s.totals.Rows++
	if f != nil {
		s.held = append(s.held, heldFault{i, f})
		return
	}
	s.totals.Wanted++
	s.totals.Placed++
	s.settle(i, id, copies[0])
}
