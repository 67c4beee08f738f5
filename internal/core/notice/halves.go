package notice

import "strings"

// partDoubt is said where a part of the day and a time do not fit, or may not.
const partDoubt = "says a part of the day, and a time that may be of another"

// halves gives times the half of the day that is said apart from them: on the evening of
// 5 March, at 7. It gives why they cannot be told, "" for nothing.
func (r *reader) halves(spans []span) string {
	times := 0
	for _, s := range spans {
		if s.kind == 't' {
			times += len(s.times.list)
		}
	}
	if countDays(spans)-r.sameDays(spans) > 1 || times != 1 { // which it is of cannot be told
		return ""
	}
	part, name := r.partApart(spans)
	if part == 0 {
		part, name = r.partNamed(spans), true
	}
	if part == 0 {
		return ""
	}
	for _, s := range spans {
		if s.kind != 't' {
			continue
		}
		for n := range s.times.list {
			c := &s.times.list[n]
			if !name && (c.half > 0 && part == 'x' || c.half == 2 && part == 'm' || c.half == 1 && (part == 'a' || part == 'e')) {
				return partDoubt
			}
			if full := c.half == 0 && (c.sure || c.hour > 12); full && !name && (part == 'm' && c.hour > 12 || part == 'a' && c.hour < 11 || part == 'e' && c.hour < 15) { // not on Thursday morning, only from 14:00
				return partDoubt
			}
			if c.half > 0 || c.sure || c.hour > 12 || c.hour == 0 {
				continue
			}
			night := part == 'n' && s.times.until != nil && s.times.until.hour < c.hour // night shift, 10–6
			if name && !(part == 'a' && c.hour <= 6) && !night || part == 'x' || !inPart(part, c.hour) {
				if part != 'm' {
					return partDoubt
				}
				continue
			}
			c.half = 2
			if part == 'm' {
				c.half = 1
			}
			if u := s.times.until; u != nil && u.half == 0 && !u.sure && u.hour <= 12 && part != 'm' {
				if u.half = 2; u.hour < c.hour || u.hour == 12 { // 11 to 1 at night
					u.half = 1
				}
			}
		}
	}
	return ""
}

// sameDays counts the days that are said once more behind a part of the day: Friday evening,
// 6 March.
func (r *reader) sameDays(spans []span) (n int) {
	for i := 1; i < len(spans); i++ {
		a, b := spans[i-1], spans[i]
		if a.kind != 'd' || b.kind != 'd' || len(a.dates.days) != 1 || len(b.dates.days) != 1 || a.dates.until != nil || b.dates.until != nil {
			continue
		}
		if r.partBetween(a.to, b.from) {
			n++
		}
	}
	return n
}

// partBetween tells whether some tokens are a part of the day and nothing else.
func (r *reader) partBetween(from, to int) (part bool) {
	for i := from; i < to; i++ {
		switch {
		case r.word(i, partWords) || r.word(i, morningWords) || r.word(i, afternoonWords) || r.evening(i):
			part = true
		case !r.is(i, ',') && !r.word(i, dayLinks) && !r.word(i, atWords) && !r.word(i, list("por pela de da della di alla in")):
			return false
		}
	}
	return part
}

// inPart tells whether an hour of twelve is one of a part of the day.
func inPart(part byte, hour int) bool {
	switch part {
	case 'a':
		return hour == 12 || hour <= 7
	case 'e':
		return hour >= 4 && hour < 12
	case 'n':
		return hour >= 6 && hour < 12
	}
	return hour < 12
}

// partApart finds the part of the day that is said and is in no span: m, a, e or n, x for
// several, 0 for none. name tells whether it is of the name of something: choir evening.
func (r *reader) partApart(spans []span) (part byte, name bool) {
	for i, t := range r.toks {
		if t.kind != 'w' {
			continue
		}
		var p byte
		switch {
		case r.word(i, list("night noche notte noite nachts nuit nacht")):
			p = 'n'
		case r.evening(i):
			p = 'e'
		case r.afternoon(i) && !r.word(i, noonWords):
			p = 'a'
		case morningWords.has(t.text) && !r.word(i, list("morgen früh mañana")):
			p = 'm'
		}
		if p == 0 || r.word(i-1, list("good guten gute buenas buona bonne boa goede last every each")) || within(spans, i) {
			continue
		}
		lead := i - 1
		for r.word(lead, list("the a der dem den die le la el il o a de het this ce cette esta questa heute")) {
			lead--
		}
		if r.word(lead, list("until till before after by from since bis vor nach ab seit jusqu'à jusqu'au avant après dès hasta antes desde fino prima dopo até depois tot voor vanaf")) || r.tok(lead).text == "na" && r.word(i, list("avond middag ochtend nacht")) || !near(spans, i) { // of something else
			continue
		}
		if part != 0 && part != p {
			return 'x', false
		}
		next := r.tok(i + 1) // evening dress
		part, name = p, name || r.compound(i) || next.kind == 'w' && !smallWords.has(next.text) && !dayLinks.has(next.text) && !r.word(i-1, list("the in this that on of am a la le de di do da na no op s"))
	}
	return part, name
}

// partNamed finds the part of the day that the name of something says by itself: Abendfahrt,
// dinner, nachtdienst. It is 0 where none does.
func (r *reader) partNamed(spans []span) byte {
	for i, t := range r.toks {
		if t.kind != 'w' || within(spans, i) || !near(spans, i) {
			continue
		}
		if eveningNames.has(t.text) {
			return 'e'
		}
		for _, p := range partPrefixes {
			if len(t.text) > len(p.text)+2 && strings.HasPrefix(t.text, p.text) {
				return p.part
			}
		}
	}
	return 0
}

// eveningNames are of things that are in the evening, and partPrefixes what words begin with
// whose things are in a part of the day.
var (
	eveningNames = words(`dinner supper soirée cena dîner diner jantar ceia serata`)
	partPrefixes = []struct {
		text string
		part byte
	}{{"nachmittag", 'a'}, {"abend", 'e'}, {"avond", 'e'}, {"nacht", 'n'}}
)

// near tells whether a token stands within a few words of one of some spans.
func near(spans []span, i int) bool {
	const few = 6
	for _, s := range spans {
		if i >= s.from-few && i < s.to+few {
			return true
		}
	}
	return false
}
