package notice

import (
	"cmp"
	"slices"
	"strings"

	"almanach/internal/core/pattern"
)

var (
	address  = pattern.Lazy(`(?:"?([\p{L}][\p{L} .'’-]*?)"?\s*)?<?\b([\p{L}\d._%+-]+@[\p{L}\d-]+(?:\.[\p{L}\d-]+)+)>?`)
	brackets = pattern.Lazy(`\(([^()]*)\)|\[([^\[\]]*)\]`)
	dashes   = pattern.Lazy(`\s+[-–—|]\s+|\s*\t+\s*|\s+[–—]\s*|\s*[–—]\s+`)
	atPlace  = pattern.Lazy(`(?:^|[\s,])(?:at|in|im|bei|beim|am|au|à la|chez|en|dans|nel|nella|presso|no|na|em|te|bij)\s+(?:the\s+|der\s+|dem\s+|la\s+|le\s+|el\s+|il\s+|het\s+|de\s+|o\s+|a\s+)?(\p{Lu}[^,;.?!\x00(]*|(?:[a-z]+\s+)?(?:berth|room|quay|pier|dock|hall|office|barn|shed|gate|slip|terminal|wharf|jetty|lock|basin|boathouse|workshop|warehouse|station|harbour|north|south|east|west|main|old|new|inner|outer|channel|fairway)\b[^,;.?!\x00(]*)`)
)

// onTheHour says that a lecture begins at its hour.
var onTheHour = pattern.Lazy(`(?i)(?:^|[\s,(\x00])s\.\s?t\.[),]?`)

// initials begin the name of a person.
var initials = pattern.Lazy(`^(?:\p{Lu}\.\s?)+\p{Lu}\p{L}+$`)

// fields finds the title, the place and the people in what is left of a text.
func (d *document) fields(e *Event, u unit, text string) {
	text = onTheHour().ReplaceAllString(weekLabel().ReplaceAllString(d.people(e, text), ""), " ")
	for _, p := range eachDay {
		if i := strings.Index(strings.ToLower(text), p); i >= 0 && len(strings.ToLower(text)) == len(text) {
			text = text[:i] + text[i+len(p):]
		}
	}
	if d.set.Message && d.set.Subject != "" && !((u.item || d.day != nil && d.day.items) && meaningful(strings.ReplaceAll(text, "\x00", " "))) && (u.sentence || !titled(text)) {
		e.Where = placeIn(text)
		e.What = d.set.Subject
		if e.Where == "" {
			e.Where = placeIn(d.set.Subject)
		}
		e.read("title", d.set.Subject)
		if e.Where != "" {
			e.read("location", e.Where)
		}
		return
	}
	if u.sentence {
		e.Where = placeIn(text)
		e.What = withoutPlace(sentenceTitle(text, e.Where), e.Where)
		if e.Cancelled {
			e.What = uncancelled(e.What)
		}
		if !meaningful(e.What) || partOnly().MatchString(e.What) || bracketed(e.What) {
			e.What = d.heading()
		}
		e.read("title", e.What)
		e.read("location", e.Where)
		return
	}
	if e.Cancelled {
		text = uncancelled(text)
	}
	// a place in brackets, where none stands outside of them
	placed := nounPlace().MatchString(brackets().ReplaceAllString(text, " "))
	text = brackets().ReplaceAllStringFunc(text, func(s string) string {
		inner := strings.TrimSpace(strings.ReplaceAll(s[1:len(s)-1], "\x00", ""))
		if e.Where == "" && placelike(inner) && (!placed || placey(inner)) && !named(inner) && !initials().MatchString(inner) {
			e.Where = inner
			return " "
		}
		if !meaningful(inner) || named(inner) && len(strings.Fields(inner)) == 1 {
			return " "
		}
		return s
	})
	pieces := split(text)
	part := func(piece string) bool {
		word := strings.ToLower(strings.Trim(piece, " ,:;./"))
		return dayParts[word] != "" || nightNouns.has(word) || partWords.has(word) || morningWords.has(word) || afternoonWords.has(word) || eveningWords.has(word)
	}
	if len(pieces) > 1 && slices.ContainsFunc(pieces, func(p string) bool { return !part(p) }) { // Konzert am Freitagabend
		pieces = slices.DeleteFunc(pieces, part)
	}
	if n := len(pieces); n > 1 { // of its start and its end
		stage := func(piece string) bool { return stages.has(strings.ToLower(strings.Trim(piece, " ,:;./"))) }
		if pieces = slices.DeleteFunc(pieces, stage); len(pieces) == n-1 && stage(split(text)[0]) {
			pieces = split(text) // it says which of both it is
		}
	}
	if len(pieces) > 1 && e.Where == "" && onlyPlace().MatchString(pieces[0]) && !onlyPlace().MatchString(pieces[1]) { // Room 1 – Staff meeting
		e.Where, pieces = pieces[0], pieces[1:]
	}
	if len(pieces) > 1 && e.Where == "" { // behind a dash, where a title remains
		if last := pieces[len(pieces)-1]; placelike(last) && placey(last) {
			e.Where, pieces = last, pieces[:len(pieces)-1]
		} else if n := slices.IndexFunc(pieces[1:], placey); n >= 0 {
			e.Where = pieces[n+1]
			pieces = slices.Delete(pieces, n+1, n+2)
		} else if placelike(last) && len(strings.Fields(last)) <= 4 && len(pieces) == 2 && !behindColon(text, last) { // On duty 7 April: Brin
			e.Where, pieces = last, pieces[:1]
		}
	}
	what := strings.Join(pieces, " – ")
	if e.Where == "" {
		if i := strings.LastIndex(what, ", "); i > 0 && placelike(what[i+2:]) && placey(what[i+2:]) && meaningful(what[:i]) {
			e.Where, what = strings.TrimSpace(what[i+2:]), what[:i]
		} else if m := atPlace().FindStringSubmatchIndex(what); m != nil && meaningful(what[:m[0]]) {
			if i := strings.Index(what[m[2]:m[3]], " – "); i > 0 {
				m[3] = m[2] + i
			}
			e.Where = strings.Trim(tidy(what[m[2]:m[3]]), " ")
			what = what[:m[0]] + what[m[3]:]
		}
	}
	e.What, e.Where = strings.TrimSuffix(capital(tidy(what)), " a"), tidy(e.Where)                                                                              // visita a 5 de março
	if h := d.heading(); h != "" && !d.set.Message && !slices.ContainsFunc(strings.Split(e.What, ", "), func(piece string) bool { return !placeLine(piece) }) { // Harbour office, room 2, below what is on there
		e.What, e.Where = h, strings.TrimSuffix(e.What+", "+e.Where, ", ")
	}
	if e.Where == "" {
		e.Where = placeIn(text)
	}
	if bracketed(e.What) { // it says something of the event, and not what it is
		if h := d.heading(); h != "" {
			e.What = h + " " + e.What
		} else {
			e.What = d.set.Subject
		}
	}
	if stages.has(strings.ToLower(e.What)) { // of which ship is said elsewhere
		of := cmp.Or(d.set.Subject, d.heading())
		if n := len(d.out.Events); n > 0 && d.out.Events[n-1].Text == e.Text { // Corvane: ETA 09:00, ETB 10:00
			if i := strings.LastIndex(d.out.Events[n-1].What, " "); i > 0 && stages.has(strings.ToLower(d.out.Events[n-1].What[i+1:])) {
				of = strings.TrimRight(d.out.Events[n-1].What[:i], " :")
			}
		}
		if of != "" {
			e.What = of + ": " + e.What
		}
	}
	if e.Where != "" && named(e.Where) { // a day of the week is no place
		e.Where = ""
	}
	if h := d.heading(); h != "" && onlyPlace().MatchString(e.What) && (e.Where == "" || strings.EqualFold(e.Where, e.What)) {
		e.What, e.Where = h, e.What
	}
	if !meaningful(e.What) || beginsOnly.has(strings.ToLower(e.What)) || dayNames.has(strings.ToLower(e.What)) || partOnly().MatchString(e.What) {
		switch {
		case d.set.Subject != "":
			e.What = d.set.Subject
		case d.heading() != "":
			e.What = d.heading()
		}
	}
	if e.Where == "" {
		e.Where = u.place
	}
	if e.Where == "" && !d.set.Message && !strings.EqualFold(e.What, d.placeAbove) {
		e.Where = d.placeAbove
	}
	e.Where = strings.TrimLeft(startWord().ReplaceAllString(e.Where, ""), "@ ")
	e.read("title", e.What)
	e.read("location", e.Where)
}

// behindColon tells whether a colon stands directly in front of a part of a text.
func behindColon(text, part string) bool {
	i := strings.LastIndex(text, part)
	return i > 0 && strings.HasSuffix(strings.TrimRight(text[:i], " "), ":")
}

// stages are of a ship's call, and no place or title by themselves.
var stages = words("eta etb etd ets ata atb atd ats")

// dayNames are words for a day or a time, and no title.
var dayNames = words("date dates datum day tag termin termine when wann time uhrzeit zeit quand heure jour fecha cuándo hora día data quando ora giorno dia tijd dag")

// beginsOnly are words that say of a time that something begins, and are no title.
var beginsOnly = words("beginn start begin starts begins beginning time uhrzeit début inicio inizio início aanvang")

// bracketed tells whether a text stands in brackets as a whole.
func bracketed(text string) bool {
	return strings.HasPrefix(text, "(") && strings.HasSuffix(text, ")") && strings.Count(text, "(") == 1
}

// partOnly is a part of the day and nothing else.
var partOnly = pattern.Lazy(`(?i)^(?:the )?(?:morning|afternoon|evening|mornings|afternoons|evenings|half day|vormittags?|nachmittags?|abends?|matin|après-midi)(?: only| session)?$`)

// startWord leads to a place behind a time: noon start, inner basin.
var startWord = pattern.Lazy(`(?i)^(?:start|beginn|begins?|starts?)[,:]?\s+(?:(?:at|in|on)\s+(?:the\s+)?)?`)

func (e *Event) read(field, value string) {
	if value != "" {
		e.Reading = append(e.Reading, Part{value, field, value})
	}
}

// people takes addresses and names of people out of a text.
func (d *document) people(e *Event, text string) string {
	text = address().ReplaceAllStringFunc(text, func(s string) string {
		m := address().FindStringSubmatch(s)
		who := m[2]
		lead := ""
		if m[1] != "" && strings.Contains(s, "<") {
			who = strings.TrimSpace(m[1]) + " <" + m[2] + ">"
		} else {
			lead = m[1]
		}
		e.Who = append(e.Who, who)
		e.Reading = append(e.Reading, Part{strings.TrimSpace(s), "attendees", who})
		return lead + " "
	})
	return text
}

func split(text string) (out []string) {
	for _, p := range dashes().Split(strings.ReplaceAll(text, "\x00", " \t "), -1) {
		if p = tidy(p); meaningful(p) {
			out = append(out, p)
		}
	}
	return out
}

var edges = pattern.Lazy(`(?i)^(?:[\s,;:.|–—*•>&+/\-]+|(?:on|at|from|until|till|is|am|um|den|le|el|il|and|und|et|y|der|vom|von|to|the)\s*(?:[,;:–-]|$)|(?:on|at|from|um|and|to|ab|vanaf|dès|desde|dalle)\s+|\))+|(?:[\s,;:|–—*•<&+(\-]+|\s(?:on|at|from|until|till|am|um|den|le|el|il|and|und|et|y|der|vom|von|to|the|of|for|in|is|by|with|mit|avec|con|com|met|de|du|op|om|van|tot|each|all|jeweils|les|los|las|nei giorni|i giorni|los días|nos dias|an den tagen|op de dagen)\s*[.,]?)+$`)

// tidy trims what is left when times are taken out of a text.
func tidy(text string) string {
	text = strings.Join(strings.Fields(strings.ReplaceAll(text, "\x00", " ")), " ")
	for clean := strings.NewReplacer(" ,", ",", "( )", "", "()", "", ", )", ")", ",)", ")", "(, ", "(", " .", ".", ",,", ",", ", ,", ",", ":,", ",", ", (", " (", " ;", ";", "[]", ""); ; {
		short := clean.Replace(text)
		if short == text {
			break
		}
		text = short
	}
	for {
		short := strings.TrimSpace(edges().ReplaceAllString(text, ""))
		if short == text {
			break
		}
		text = short
	}
	if strings.HasSuffix(text, ".") && strings.Count(text, ".") == 1 {
		text = strings.TrimRight(strings.TrimSuffix(text, "."), " ,:;")
	}
	if strings.HasSuffix(text, ")") && !strings.Contains(text, "(") {
		text = strings.TrimSuffix(text, ")")
	}
	if strings.HasPrefix(text, "(") && !strings.Contains(text, ")") {
		text = strings.TrimPrefix(text, "(")
	}
	if strings.Count(text, ")") == 1 && !strings.Contains(text, "(") { // Drill (7 April) at the north quay
		text = strings.Replace(text, ")", "", 1)
	}
	return strings.TrimSpace(text)
}

func (r *reader) hasDate() bool {
	for i := range r.toks {
		if r.dateAt(i) {
			return true
		}
	}
	return false
}

var settleWords = []string{"works", "works for me", "works for us", "agreed", "confirmed", "confirm", "that's fine", "is fine", "suits", "suits us", "suits me", "perfect", "sounds good", "deal", "see you then", "ok", "okay", "great", "passt", "einverstanden", "bestätigt", "d'accord", "ça marche", "convient", "confirmé", "de acuerdo", "vale", "confirmado", "va bene", "confermato", "d'accordo", "combinado", "está bem", "akkoord", "prima", "goed"}

// settles tells whether a text agrees to what was said before.
func settles(text string) bool {
	return (phraseIn(text, settleWords) != "" || phraseAt(text, []string{"yes", "ja", "oui", "sí", "sim"})) && phraseIn(text, []string{"not", "doesn't", "does not", "don't", "can't", "cannot", "nicht", "pas", "no", "não", "non", "niet", "if", "unless", "?"}) == "" && !strings.HasSuffix(strings.TrimSpace(text), "?")
}
