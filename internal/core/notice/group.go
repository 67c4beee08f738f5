package notice

import (
	"slices"
	"strings"
)

// group is what is said of one event's time.
type group struct {
	dates    *dates
	times    *times
	minutes  int
	allDay   bool
	from, to int // tokens
	spans    [][2]int
	inherits bool
	doubt    string // why it is not to be loaded
	apart    bool   // the first and the last day have a time each
}

// grouped brings days, times and lengths together that are of one event.
func grouped(r *reader, spans []span) (out []group) {
	var g *group
	open := func(s span) {
		out = append(out, group{from: s.from, to: s.to})
		g = &out[len(out)-1]
	}
	for n := range spans {
		s := &spans[n]
		switch s.kind {
		case 'd':
			switch {
			case g != nil && g.dates != nil && g.times == nil && r.onlyDayWords(g.to, s.from) && len(g.dates.days) == 1 && len(s.dates.days) == 1 && g.dates.until == nil && s.dates.until == nil && g.dates.days[0].relative != s.dates.days[0].relative:
				// tomorrow, Thursday 5 March: one day said twice
				one := s.dates
				if s.dates.days[0].relative {
					one = *g.dates
				}
				other := g.dates.days[0]
				if s.dates.days[0].relative {
					other = s.dates.days[0]
				}
				one.days = slices.Clone(one.days)
				if other.weekdays != 0 && one.days[0].weekdays == 0 {
					one.days[0].weekdays = other.weekdays
				}
				g.dates, g.to = &one, s.to
				continue
			case g != nil && g.dates == nil:
				g.dates, g.to = &s.dates, s.to
				continue
			case g != nil && g.times != nil && len(g.dates.days) == 1 && g.dates.until == nil && g.times.until == nil && len(g.times.list) == 1 && (r.is(s.from-1, '-') || r.word(s.from-1, rangeWords)) && n+1 < len(spans) && spans[n+1].kind == 't' && len(s.dates.days) == 1:
				// 5 March 14:00 – 6 March 10:00
				d := *g.dates
				d.until = &s.dates.days[0]
				t := *g.times
				t.until = &spans[n+1].times.list[0]
				g.dates, g.times, g.to, g.apart = &d, &t, spans[n+1].to, true
				spans[n+1].kind = 0
				continue
			}
			open(*s)
			g.dates = &s.dates
		case 't':
			switch {
			case g != nil && g.times == nil:
				g.times, g.to = &s.times, s.to
			case g != nil && g.times.until == nil && len(g.times.list) == 1 && len(s.times.list) == 1 && s.times.until == nil && (endsWith(r.before(s.from), []string{"until", "till", "bis", "jusqu'à", "hasta", "fino alle", "até", "tot"}) || r.word(s.from-1, untilWords)):
				t := *g.times
				t.until = &s.times.list[0]
				t.open = false
				g.times, g.to = &t, s.to
			default:
				was := g
				open(*s)
				g.times = &s.times
				if was != nil && was.dates != nil {
					g.dates, g.inherits = was.dates, true
				}
			}
		case 'l':
			if g != nil && g.minutes == 0 {
				g.minutes = s.minutes
				g.to = max(g.to, s.to)
			} else if g == nil {
				open(*s)
				g.minutes = s.minutes
			}
		case 'a':
			if g != nil {
				g.allDay, g.to = true, max(g.to, s.to)
			}
		}
	}
	for i := range out {
		for _, s := range spans {
			if s.from >= out[i].from && s.to <= out[i].to {
				out[i].spans = append(out[i].spans, [2]int{s.from, s.to})
			}
		}
	}
	return slices.DeleteFunc(out, func(g group) bool { return g.dates == nil && g.times == nil })
}

// ownWords tells whether words of its own stand beside a group, so that it is an
// event of its own.
func (r *reader) ownWords(groups []group, n int) bool {
	own := func(n int) bool {
		to := len(r.text)
		if n+1 < len(groups) {
			to = r.tok(groups[n+1].from).from
		}
		return meaningful(r.text[r.tok(groups[n].to-1).to:to])
	}
	return own(n) && (n == 0 || own(n-1) || groups[n-1].from > 0 && meaningful(r.before(groups[n-1].from)))
}

// inside tells whether a token is of what was read.
func (r *reader) inside(g *group, i int) bool {
	return slices.ContainsFunc(g.spans, func(s [2]int) bool { return i >= s[0] && i < s[1] })
}

// sideBySide tells whether two days stand in one line with nothing but space between
// them, as in the columns of a table.
func (r *reader) sideBySide(a, b group) bool {
	return a.dates != nil && b.dates != nil && !b.inherits && a.to <= b.from && strings.TrimSpace(r.text[r.tok(a.to-1).to:r.tok(b.from).from]) == ""
}

// moved keeps of what is moved the day to which it is.
func (r *reader) moved(groups []group) []group {
	if len(groups) < 2 || phraseIn(r.text, movedWords) == "" {
		return groups
	}
	last := len(groups) - 1
	if r.word(groups[last].from-1, list("from von de du da dal van")) { // moved to Thursday from Tuesday
		return groups[:1]
	}
	if groups[last].dates == nil || groups[last].inherits {
		return groups
	}
	return groups[last:]
}

// stays makes one group of an arrival and a departure.
func (r *reader) stays(groups []group) []group {
	for n := 0; n+1 < len(groups); n++ {
		a, b := groups[n], groups[n+1]
		if !endsWith(r.before(a.from), []string{"eta", "etb", "arrival", "arrives", "arriving", "arr", "arr.", "from", "ankunft", "arrivée", "llegada", "arrivo", "chegada", "aankomst", "start", "starts", "begins"}) && !endsWith(r.before(a.from), []string{"now", "eta now"}) ||
			!endsWith(r.before(b.from), []string{"etd", "departure", "departs", "departing", "dep", "dep.", "sails", "abfahrt", "départ", "salida", "partenza", "partida", "vertrek", "end", "ends", "leaves"}) {
			continue
		}
		if a.times == nil || b.times == nil || len(a.times.list) != 1 || len(b.times.list) != 1 || a.times.until != nil || b.times.until != nil || a.dates == nil || b.dates == nil || len(a.dates.days) != 1 || len(b.dates.days) != 1 {
			continue
		}
		days, times := *a.dates, *a.times
		times.until, times.open = &b.times.list[0], false
		if !b.inherits {
			days.until = &b.dates.days[0]
		}
		one := group{dates: &days, times: &times, from: a.from, to: b.to, spans: append(slices.Clone(a.spans), b.spans...), apart: !b.inherits}
		groups = append(append(slices.Clone(groups[:n]), one), groups[n+2:]...)
	}
	return groups
}

// reading says what words were taken for the day and the time.
func (r *reader) reading(g *group) []Part {
	from, to := r.tok(g.from).from, r.tok(g.to-1).to
	if g.from >= g.to || to <= from {
		return nil
	}
	return []Part{{strings.TrimSpace(r.text[from:to]), "time", ""}}
}

func (g *group) datesOr() []day {
	if g.dates != nil && g.dates.or {
		return g.dates.days
	}
	return nil
}
