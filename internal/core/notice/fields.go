package notice

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/fault"
)

// titles gives for each group of a unit the text that is about it: what stands
// before the first, and what stands behind it up to the next.
func (d *document) titles(u unit, r *reader, groups []group) []string {
	cutAll := func(from, to int) string { // the text without what says times
		at, out := from, ""
		for _, g := range groups {
			if a := r.tok(g.from).from; a < from || a >= to {
				continue
			}
			// spans of a group can have words between them
			for _, s := range r.cuts(g) {
				if s[0] < at && s[1] > at { // the word that leads to it stands before
					s[0] = at
				}
				if s[0] >= at && s[1] <= to {
					out += r.text[at:s[0]] + " \x00 "
					at = s[1]
				}
			}
		}
		return out + r.text[at:to]
	}
	if len(groups) == 1 {
		return []string{cutAll(0, len(r.text))}
	}
	first := r.text[:r.tok(groups[0].from).from]
	out, owns := make([]string, len(groups)), make([]string, len(groups))
	said := 0
	for n, g := range groups {
		to := len(r.text)
		if n+1 < len(groups) {
			to = r.tok(groups[n+1].from).from
		}
		owns[n] = closedOnly(cutAll(r.tok(g.from).from, to))
		if meaningful(strings.ReplaceAll(owns[n], "\x00", "")) {
			said++
		}
	}
	if said == len(groups)-1 && meaningful(first) && !meaningful(strings.ReplaceAll(owns[said], "\x00", "")) && !u.sentence {
		// each behind its name: Crane check 5 March, lamp check 6 March
		for n := range owns[:said] {
			owns[n] = strings.TrimLeft(strings.TrimLeft(owns[n], " \x00"), ",;/ ")
		}
		return append([]string{first}, owns[:said]...)
	}
	if names := r.namesBefore(groups, first); names != nil {
		return names
	}
	for n, own := range owns {
		if between := ""; n > 0 && u.sentence {
			between = strings.TrimLeft(r.text[r.tok(groups[n-1].to-1).to:r.tok(groups[n].from).from], " ,;–-")
			if newSubject().MatchString(between) { // …, the second section 30 March
				out[n] = between + " \x00 " + own
				continue
			}
		}
		if meaningful(strings.ReplaceAll(own, "\x00", "")) {
			if meaningful(first) {
				own = strings.TrimRight(first, " :,-–") + " " + own
			}
			out[n] = own
		} else {
			out[n] = first
		}
	}
	// dates that share the text behind the last: 5 March 10:00 and 6 March 14:00 Dredging
	last := out[len(out)-1]
	for n := range out {
		if !meaningful(strings.ReplaceAll(out[n], "\x00", "")) {
			out[n] = last
		}
	}
	return out
}

// namesBefore gives the titles of several days of a text, where each has its name in front
// of it: Outings: Mother's Day (10 May) at 14:00 with cake, Midsummer (20 June) at 20:00.
// nil where it is not so.
func (r *reader) namesBefore(groups []group, first string) []string {
	out := make([]string, len(groups))
	label, name, ok := strings.Cut(first, ":")
	if !ok || !meaningful(name) {
		label, name = "", first
	}
	out[0] = name
	for n := 1; n < len(groups); n++ {
		if groups[n].dates == nil || groups[n].inherits || groups[n-1].dates == nil || groups[n-1].inherits {
			return nil
		}
		between := r.text[r.tok(groups[n-1].to-1).to:r.tok(groups[n].from).from]
		i := strings.LastIndexAny(between, ",;")
		if i < 0 || !meaningful(between[i+1:]) || !r.is(groups[n].from, '(') && !strings.ContainsAny(between[i+1:], "(:") {
			return nil
		}
		out[n] = between[i+1:]
	}
	for n := range out {
		out[n] = strings.TrimSpace(label + ": " + strings.TrimRight(out[n], " (:"))
		out[n] = strings.TrimPrefix(out[n], ": ")
	}
	return out
}

// closedOnly gives a text up to a bracket that is opened and not closed in it.
func closedOnly(text string) string {
	if i := strings.LastIndexByte(text, '('); i >= 0 && !strings.Contains(text[i:], ")") {
		return text[:i]
	}
	return text
}

// meaningful tells whether a text has a word that is no link.
func meaningful(s string) bool {
	for _, t := range scanPlain(nil, s, 0, len(s)) {
		if t.kind == 'x' || t.kind == 'e' || t.kind == 'n' {
			return true
		}
		if t.kind == 'w' && !smallWords[t.text] {
			return true
		}
	}
	return false
}

var smallWords = list(`on at from to the a an of and or in for by until till is are am um von bis der die das den dem und le la les du de à au et el los del y il lo e o os op om van tot en het also again then with`)

// cuts gives the stretches of a group's text that say days, times and lengths.
func (r *reader) cuts(g group) (out [][2]int) {
	for _, s := range g.spans {
		from := s[0]
		for from > 0 && (r.word(from-1, dayLinks) || r.word(from-1, list("on at um às alle ore om"))) { // the words that lead to it
			from--
		}
		out = append(out, [2]int{r.tok(from).from, r.tok(s[1] - 1).to})
	}
	return out
}

var (
	address  = lazily(`(?:"?([\p{L}][\p{L} .'’-]*?)"?\s*)?<?\b([\p{L}\d._%+-]+@[\p{L}\d-]+(?:\.[\p{L}\d-]+)+)>?`)
	brackets = lazily(`\(([^()]*)\)|\[([^\[\]]*)\]`)
	dashes   = lazily(`\s+[-–—|]\s+|\s*\t+\s*|\s+[–—]\s*|\s*[–—]\s+`)
	atPlace  = lazily(`(?:^|[\s,])(?:at|in|im|bei|beim|am|au|à la|chez|en|dans|nel|nella|presso|no|na|em|te|bij)\s+(?:the\s+|der\s+|dem\s+|la\s+|le\s+|el\s+|il\s+|het\s+|de\s+|o\s+|a\s+)?(\p{Lu}[^,;.?!\x00(]*|(?:[a-z]+\s+)?(?:berth|room|quay|pier|dock|hall|office|barn|shed|gate|slip|terminal|wharf|jetty|lock|basin|boathouse|workshop|warehouse|station|harbour|north|south|east|west|main|old|new|inner|outer|channel|fairway)\b[^,;.?!\x00(]*)`)
)

// initials begin the name of a person.
var initials = lazily(`^(?:\p{Lu}\.\s?)+\p{Lu}\p{L}+$`)

// weekLabel is the number of a week in front of what is on in it.
var weekLabel = lazily(`(?i)^\s*(?:kw|week|wk|woche|kalenderwoche|semaine|semana|settimana)\.?\s*\d{1,2}\s*[:–-]\s*`)

// fields finds the title, the place and the people in what is left of a text.
func (d *document) fields(e *Event, u unit, text string) {
	text = weekLabel().ReplaceAllString(d.people(e, text), "")
	for _, p := range eachDay {
		if i := strings.Index(strings.ToLower(text), p); i >= 0 && len(strings.ToLower(text)) == len(text) {
			text = text[:i] + text[i+len(p):]
		}
	}
	if d.set.Message && d.set.Subject != "" && !(u.item && meaningful(strings.ReplaceAll(text, "\x00", " "))) && (u.sentence || !titled(text)) {
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
		e.What = sentenceTitle(text)
		if e.Cancelled {
			e.What = uncancelled(e.What)
		}
		if !meaningful(e.What) {
			e.What = d.heading()
		}
		e.read("title", e.What)
		e.read("location", e.Where)
		return
	}
	if e.Cancelled {
		text = uncancelled(text)
	}
	// a place in brackets
	text = brackets().ReplaceAllStringFunc(text, func(s string) string {
		inner := strings.TrimSpace(strings.ReplaceAll(s[1:len(s)-1], "\x00", ""))
		if e.Where == "" && placelike(inner) && !named(inner) && !initials().MatchString(inner) {
			e.Where = inner
			return " "
		}
		if !meaningful(inner) || named(inner) && len(strings.Fields(inner)) == 1 {
			return " "
		}
		return s
	})
	pieces := split(text)
	if len(pieces) > 1 && e.Where == "" { // behind a dash, where a title remains
		if last := pieces[len(pieces)-1]; placelike(last) && placey(last) {
			e.Where, pieces = last, pieces[:len(pieces)-1]
		} else if n := slices.IndexFunc(pieces[1:], placey); n >= 0 {
			e.Where = pieces[n+1]
			pieces = slices.Delete(pieces, n+1, n+2)
		} else if placelike(last) && len(strings.Fields(last)) <= 4 && len(pieces) == 2 {
			e.Where, pieces = last, pieces[:1]
		}
	}
	what := strings.Join(pieces, " – ")
	if e.Where == "" {
		if i := strings.LastIndex(what, ", "); i > 0 && placelike(what[i+2:]) && placey(what[i+2:]) && meaningful(what[:i]) {
			e.Where, what = strings.TrimSpace(what[i+2:]), what[:i]
		} else if m := atPlace().FindStringSubmatchIndex(what); m != nil && meaningful(what[:m[0]]) {
			e.Where = strings.Trim(tidy(what[m[2]:m[3]]), " ")
			what = what[:m[0]] + what[m[3]:]
		}
	}
	e.What, e.Where = capital(tidy(what)), tidy(e.Where)
	if e.Where == "" {
		e.Where = placeIn(text)
	}
	if h := d.heading(); h != "" && strings.HasPrefix(e.What, "(") && strings.HasSuffix(e.What, ")") && strings.Count(e.What, "(") == 1 {
		e.What = h + " " + e.What
	}
	if e.Where != "" && named(e.Where) { // a day of the week is no place
		e.Where = ""
	}
	if h := d.heading(); h != "" && onlyPlace().MatchString(e.What) && (e.Where == "" || strings.EqualFold(e.Where, e.What)) {
		e.What, e.Where = h, e.What
	}
	if !meaningful(e.What) {
		switch {
		case d.set.Subject != "":
			e.What = d.set.Subject
		case d.heading() != "":
			e.What = d.heading()
		}
	}
	e.read("title", e.What)
	e.read("location", e.Where)
}

// onlyPlace is a text that names a place and nothing else.
var onlyPlace = lazily(`(?i)^(?:(?:north|south|east|west|inner|outer|old|new|main|upper|lower)\s+)?(?:berth|room|quay|pier|dock|hall|building|office|barn|shed|gate|slip|slipway|terminal|wharf|jetty|lock|yard|floor|kai|liegeplatz|raum|halle|gebäude|steg|salle|quai|poste|muelle|sala|molo|banchina|cais|kade|steiger|zaal|anchorage|boathouse|workshop|warehouse|station|gym)s?(?:\s+(?:no\.?\s*)?(?:[a-z]?\d+[a-z]?(?:\s*[-–/]\s*\d{1,2}|,? (?:and|&|und|et|y|e|to) \d{1,2})?|[A-Z]))?$`)

// sentenceTitle gives the title of an event that a sentence tells of: what stands
// before its day, where that says something.
func sentenceTitle(text string) string {
	if lead, rest, ok := strings.Cut(text, "\x00"); ok && dayNoun().MatchString(tidy(lead)) {
		text = rest
	}
	if i := strings.IndexByte(text, 0); i > 0 {
		if lead := feastName().ReplaceAllString(tidy(text[:i]), ""); meaningful(lead) && len(strings.Fields(lead)) > 1 && !talk[strings.ToLower(strings.Fields(lead)[0])] {
			return capital(lead)
		}
	}
	return capital(tidy(text))
}

// feastName is the name of a feast in front of its day.
var feastName = lazily(`(?i)\s+(?:on\s+)?(?:good friday|maundy thursday|easter (?:saturday|sunday|monday)|whit (?:sunday|monday)|boxing day|christmas (?:day|eve)|new year'?s (?:day|eve)|am karfreitag|am oster(?:sonntag|montag)|am pfingst(?:sonntag|montag)|le (?:vendredi saint|lundi de pâques))$`)

// newSubject is what begins to speak of another thing.
var newSubject = lazily(`(?i)^(?:and |und |et |y |e |en )?(?:the|der|die|das|la|le|les|el|los|il|lo|i|het|de|o|a)\s+(?:\p{L}|\d).*\p{L}`)

// dayNoun is what leads to a date, and is no title.
var dayNoun = lazily(`(?i)^(?:il giorno|el (?:próximo )?día|o dia|no (?:próximo )?dia|le jour|am tag|nella giornata|the day|on the day|op de dag|in der zeit|in the period|during the period|in the time|pendant la période|dans la période|nel periodo|en el per[ií]odo|durante el per[ií]odo|no período|in de periode|during the time)$`)

func capital(text string) string {
	r, size := utf8.DecodeRuneInString(text)
	if size == 0 {
		return text
	}
	return string(unicode.ToUpper(r)) + text[size:]
}

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

// titled tells whether what is left of a line of a message is a title: a few
// words, the first of them a name of something.
func titled(text string) bool {
	text = tidy(strings.ReplaceAll(text, "\x00", " "))
	first, _ := utf8.DecodeRuneInString(text)
	words := strings.Fields(text)
	if len(words) == 0 || !unicode.IsUpper(first) || strings.HasSuffix(strings.TrimSpace(text), "?") {
		return false
	}
	if talk[strings.ToLower(strings.Trim(words[0], ",.!:'"))] {
		return false
	}
	for _, w := range words {
		if talk[strings.ToLower(strings.Trim(w, ",.!?:"))] {
			return false
		}
	}
	return len(words) <= 10
}

// talk are words of what people say to each other, which stand in no title.
var talk = list(`i i'm i'll i'd we we'll we're you your our us me my it it's that that's this is are was were be been will would could can can't cannot shall should please thanks thank hi hello dear ok okay yes no sorry let's let how how's what works work suit suits better fine good great sure agreed confirmed if so but not don't new ich wir sie ihr du bitte danke hallo passt können könnten geht guten je nous vous merci bonjour pouvons convient yo nosotros usted gracias hola podemos io noi grazie buongiorno possiamo eu nós obrigado olá podemos wij we u bedankt dag kunnen instead make made meet rather same moved move`)

// placey tells whether a text names a place by a noun of one.
func placey(text string) bool {
	for i, w := range strings.Fields(strings.ToLower(text)) {
		if placeNouns[strings.Trim(w, ",.;:")] || i < 3 && list(`channel fairway harbour harbor basin bridge yard street square gallery north south east west canal hafen becken brücke port bassin pont puerto puente porto ponte haven brug`)[strings.Trim(w, ",.;:")] {
			return true
		}
	}
	return false
}

// placelike tells whether a text can be a place: short, and no sentence.
func placelike(text string) bool {
	words := strings.Fields(text)
	if len(words) == 0 || len(words) > 6 || strings.Contains(text, "@") {
		return false
	}
	first, _ := utf8.DecodeRuneInString(strings.TrimSpace(text))
	for _, w := range words {
		w = strings.ToLower(strings.Trim(w, ",.!?:"))
		if talk[w] || list("cancelled canceled moved postponed new changed only vessels traffic closed all weather tbc note see")[w] {
			return false
		}
	}
	if !placey(text) && !unicode.IsUpper(first) {
		return false
	}
	return meaningful(text)
}

var nounPlace = lazily(`(?i)\b((?:north|south|east|west|inner|outer|old|new|main)\s+)?(berth|room|quay|pier|dock|hall|building|office|barn|shed|gate|slip|terminal|wharf|jetty|lock|kai|liegeplatz|raum|halle|gebäude|steg|salle|bureau|poste|quai|muelle|sala|molo|banchina|cais|kade|steiger|zaal|anchorage)s?\s+(no\.?\s*)?([a-z]?\d+[a-z]?(?:[-–/]\d{1,2}|(?:, \d{1,2})*,? (?:and|&|und|et|y|e|to) \d{1,2})?|[A-Z])\b`)

// atNoun is a place by a noun of one, with an adjective or a name in front and no number.
var atNoun = lazily(`(?:^|[\s,])(?:at|in|on|im|am|auf dem|beim)\s+the\s+((?:\p{L}+ )?(?:quay|pier|dock|hall|barn|shed|slipway|terminal|wharf|jetty|boathouse|workshop|warehouse|promenade|lighthouse|museum|school|chapel|church|canteen|club house|town hall|library|car park))\b`)

// properName cuts a place that begins with a name behind its last word that can be of it.
func properName(place string) string {
	words := strings.Fields(place)
	end := 0
	for i, w := range words {
		first, _ := utf8.DecodeRuneInString(w)
		bare := strings.ToLower(strings.Trim(w, ",.;:'\""))
		switch {
		case unicode.IsUpper(first), placeNouns[bare], unicode.IsDigit(first) && i > 0 && len(bare) <= 4:
			end = i + 1
		case list("of the de la le les du des del della dello di da do dos am an der den im van het and & -")[bare]:
		default:
			return strings.Join(words[:end], " ")
		}
	}
	return strings.Join(words[:end], " ")
}

// fromPlace is a way from one place to another.
var fromPlace = lazily(`(?i)\b(?:from|von|vom|de|du|desde|da|dal|van)\s+(?:the\s+|la\s+)?(?:\p{L}+\s+)?(?:berth|room|quay|pier|dock|hall|shed|gate|slip|terminal|wharf|jetty|kai|liegeplatz|steg|salle|poste|quai|muelle|sala|molo|banchina|cais|kade|steiger|anchorage)\s+[a-z]?\d*[a-z]?\s*(?:to|nach|zu|zum|auf|à|au|a|al|hasta|para|naar)\s+(?:the\s+)?((?:berth|room|quay|pier|dock|hall|shed|gate|slip|terminal|wharf|jetty|kai|liegeplatz|steg|salle|poste|quai|muelle|sala|molo|banchina|cais|kade|steiger|anchorage)\s+(?:[a-z]?\d+[a-z]?|[A-Z])\b)`)

// placeIn finds a place in a sentence.
func placeIn(text string) string {
	text = strings.ReplaceAll(text, "\x00", " ")
	if m := atNoun().FindStringSubmatch(text); m != nil { // at the passenger quay, before any name
		if place := tidy(m[1]); !named(place) {
			return place
		}
	}
	if m := fromPlace().FindStringSubmatch(text); m != nil { // from berth 2 to berth 5: it is at the second
		return strings.ToUpper(m[1][:1]) + m[1][1:]
	}
	if m := nounPlace().FindString(text); m != "" {
		return strings.ToUpper(m[:1]) + m[1:]
	}
	if m := atPlace().FindStringSubmatch(text); m != nil && !named(m[1]) && len(strings.Fields(m[1])) <= 6 && !talk[strings.ToLower(strings.Fields(m[1])[0])] {
		place := tidy(m[1])
		for _, stop := range []string{" for ", " with ", " on ", " and ", " from ", " to ", " will ", " is ", " are ", " was ", " were ", " has ", " have ", " between ", " until ", " because ", " would ", " works ", " by ", " followed", " before ", " after ", " or ", " and then ", " then ", " until ", " from ", " since ", " this ", " next ", " afternoon", " morning", " evening", " tomorrow", " today", " if ", " at ", " as "} {
			if i := strings.Index(place, stop); i > 0 {
				place = place[:i]
			}
		}
		if first, _ := utf8.DecodeRuneInString(place); unicode.IsUpper(first) {
			place = properName(place)
		}
		if place = tidy(place); placelike(place) {
			return place
		}
	}
	return ""
}

// named tells whether a text begins with the name of a day or a month.
func named(text string) bool {
	first := strings.ToLower(strings.Trim(strings.Fields(text)[0], ".,"))
	return weekdaysOf(first) != 0 || monthOf(first) != 0
}

func split(text string) (out []string) {
	for _, p := range dashes().Split(strings.ReplaceAll(text, "\x00", " \t "), -1) {
		if p = tidy(p); meaningful(p) {
			out = append(out, p)
		}
	}
	return out
}

var edges = lazily(`(?i)^(?:[\s,;:.|–—*•>&+/\-]+|(?:on|at|from|until|till|is|am|um|den|le|el|il|and|und|et|y|der|vom|von|to|the)\s*(?:[,;:–-]|$)|(?:on|at|from|um|and|to|ab|vanaf|dès|desde|dalle)\s+|\))+|(?:[\s,;:|–—*•<&+(\-]+|\s(?:on|at|from|until|till|am|um|den|le|el|il|and|und|et|y|der|vom|von|to|the|of|for|in|is|by|with|mit|avec|con|com|met|de|du|op|om|van|tot|each|all|jeweils)\s*[.,]?)+$`)

// tidy trims what is left when times are taken out of a text.
func tidy(text string) string {
	text = strings.Join(strings.Fields(strings.ReplaceAll(text, "\x00", " ")), " ")
	text = strings.NewReplacer(" ,", ",", "( )", "", "()", "", " .", ".", ",,", ",", ", ,", ",", " ;", ";", "[]", "").Replace(text)
	for {
		short := strings.TrimSpace(edges().ReplaceAllString(text, ""))
		if short == text {
			break
		}
		text = short
	}
	if strings.HasSuffix(text, ".") && strings.Count(text, ".") == 1 {
		text = strings.TrimSuffix(text, ".")
	}
	if strings.HasSuffix(text, ")") && !strings.Contains(text, "(") {
		text = strings.TrimSuffix(text, ")")
	}
	return strings.TrimSpace(text)
}

// uncancelled takes the words that cancel out of a title, so that it is that of
// what is cancelled.
func uncancelled(text string) string {
	for _, w := range cancelWords {
		for {
			i := strings.Index(strings.ToLower(text), w)
			if i < 0 || i > 0 && isLetterBefore(text[:i]) || startsWithLetter(text[i+len(w):]) {
				break
			}
			text = text[:i] + " " + text[i+len(w):]
		}
	}
	text = regexp.MustCompile(`(?i)\b(?:is|are|has been|have been|was|will be|ist|wird|est|sont|está|è|is)\s*$`).ReplaceAllString(tidy(text), "")
	return tidy(text)
}

// block reads a block of labels, or a row of a table.
func (d *document) block(u unit) {
	if d.weekRow(u) {
		return
	}
	e := d.begin(u)
	g := group{}
	var when, first, last, clockFirst, clockLast string
	var what []string
	other, counted, unread := "", "", ""
	var more []unit // of the block, that are events of their own
	defer func() {
		for _, m := range more {
			d.unit(m)
		}
	}()
	whole := unit{text: u.text, page: u.page, line: u.line}
	dated := slices.ContainsFunc(u.fields, func(f Field) bool { l := labelOf(f.Label); return (l == "date" || l == "when") && SaysDay(f.Value) })
	for _, f := range u.fields {
		value := strings.TrimSpace(plain(f.Value))
		if strings.Trim(value, "-–—./ *") == "" { // nothing, or a dash for it
			continue
		}
		kind := labelOf(f.Label)
		if r := (&reader{text: value, toks: scan(value)}); dated && (kind == "start" || kind == "end") && phraseIn(f.Label, []string{"from", "to", "von", "nach", "de", "à", "a", "da", "van", "naar"}) != "" && !r.hasDate() && !justTime(value) && phraseIn(value, openWords) == "" && phraseIn(value, vagueDays) == "" {
			kind = "note" // from the sea to berth 2
		}
		switch kind {
		case "when":
			if when != "" {
				unread = f.Label + ": " + value
			}
			when = value
		case "date":
			if first == "" {
				first = value
			} else {
				unread = f.Label + ": " + value
			}
		case "time":
			clockFirst = value
		case "start":
			if justTime(value) {
				clockFirst = value
			} else {
				first = value
			}
		case "end":
			switch {
			case justTime(value):
				clockLast = value
			default:
				if r := (&reader{text: value, toks: scan(value)}); !r.hasDate() && phraseIn(value, openWords) == "" {
					unread = f.Label + ": " + value
				}
				last = value
			}
		case "length":
			r := &reader{text: value, toks: scan(value)}
			if m, end := r.length(0); end > 0 {
				g.minutes = m
				e.Reading = append(e.Reading, Part{value, "length", value})
			} else if m, end := (&reader{toks: scan("for " + value), text: "for " + value}).length(0); end > 0 {
				g.minutes = m
			} else {
				unread = f.Label + ": " + value
			}
		case "where":
			if len(value) <= 3 && placey(f.Label) { // Berth: 5
				value = strings.TrimRight(f.Label, ": ") + " " + value
			}
			e.Where = value
			e.read("location", value)
		case "what":
			what = append(what, value)
		case "who":
			d.people(&e, value)
			if len(e.Who) == 0 {
				e.Who = nil
			}
		case "status":
			if cancels(value) {
				e.Cancelled = true
				e.Reading = append(e.Reading, Part{value, "status", "cancelled"})
			}
		case "deadline", "made", "reserve":
			if r := (&reader{text: value, toks: scan(value)}); r.hasDate() {
				why := map[string]string{"deadline": "a deadline", "made": madeOn, "reserve": "is only there if it is needed"}[labelOf(f.Label)]
				d.pass(whole, f.Label+": "+value, why)
			}
		case "note", "invited":
		default:
			if r := (&reader{text: value, toks: scan(value)}); r.hasDate() {
				switch {
				case phraseAt(f.Label, []string{"or", "oder", "ou", "o", "of", "alternatively", "alternative"}):
					unread = f.Label + ": " + value
				case SaysTime(value): // an event of its own
					more = append(more, unit{text: f.Label + ": " + value, page: u.page, line: u.line, item: true, struck: u.struck})
					continue
				}
				if d.onlyDay(r) && unread == "" {
					unread = f.Label + ": " + value
				}
				d.pass(whole, f.Label+": "+value, "a day under a label that says nothing of an event")
				continue
			}
			if onlyTime(value) {
				unread = f.Label + ": " + value
			}
			if other == "" && meaningful(value) {
				if other = value; !strings.ContainsFunc(value, unicode.IsLetter) { // Lift: 1
					other, counted = "", cmp.Or(counted, strings.TrimSpace(strings.TrimRight(f.Label, ": ")+" "+value))
				}
			}
		}
	}
	other = cmp.Or(other, counted)
	if d.letterHead(u) {
		d.pass(whole, u.text, "the date of the letter")
		return
	}
	text := when
	for _, part := range []string{first, clockFirst} {
		if part != "" {
			text += " " + part
		}
	}
	if end := strings.TrimSpace(last + " " + clockLast); end != "" {
		if clockLast != "" && clockFirst == "" && last == "" && unread == "" && !hasTime(text) {
			unread = "until " + clockLast
		}
		text += " – " + end
	}
	text = strings.TrimSpace(text)
	if text == "" {
		if slices.ContainsFunc(u.fields, func(f Field) bool { return hasTime(f.Value) }) {
			d.pass(whole, u.text, "a time without a day")
		}
		return
	}
	if r := (&reader{text: u.text, toks: scan(u.text)}); len(what) == 0 && r.saysNothing(d.spans(r, u)) {
		d.pass(whole, u.text, "says that there is nothing")
		return
	}
	switch {
	case len(what) > 0:
		e.What = what[0]
	case other != "":
		e.What = other
		if d.set.Subject != "" {
			e.What = d.set.Subject
			if !strings.Contains(strings.ToLower(e.What), strings.ToLower(other)) {
				e.What = d.set.Subject + ": " + other
			}
		}
	case d.set.Subject != "":
		e.What = d.set.Subject
	default:
		e.What = d.heading()
	}
	if e.Cancelled {
		e.What = uncancelled(e.What)
	}
	e.read("title", e.What)
	r := &reader{text: text, toks: scan(text)}
	sub := unit{text: text, page: u.page, line: u.line, struck: u.struck}
	spans, passed := d.veto(r, d.spans(r, sub), sub)
	for _, why := range passed {
		d.pass(whole, text, why)
	}
	if len(passed) > 0 && len(spans) == 0 {
		return
	}
	groups := grouped(r, spans)
	if len(groups) > 0 && !slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil }) {
		d.underDay(groups)
	}
	if len(groups) == 0 || !slices.ContainsFunc(groups, func(g group) bool { return g.dates != nil }) {
		if phraseIn(text, vagueDays) != "" || len(groups) > 0 || strings.ContainsAny(text, "0123456789") {
			e.Held = fault.New(fault.Shorten(text, 80), "is no day that can be read").Do("write the date in full")
			d.out.Events = append(d.out.Events, e)
		}
		return
	}
	left := r.leftover(spans)
	for n := range groups {
		if groups[n].doubt == "" {
			groups[n].doubt = left
		}
		if unread != "" && groups[n].doubt == "" {
			groups[n].doubt = "says " + strconv.Quote(unread) + ", which is not understood"
		}
		one := e
		one.Who = slices.Clone(e.Who)
		one.Reading = append(slices.Clone(e.Reading), r.reading(&groups[n])...)
		if groups[n].minutes == 0 {
			groups[n].minutes = g.minutes
		}
		if groups[n].times == nil && groups[n].doubt == "" && SaysTime(one.What) { // Sale 14–17
			groups[n].doubt = "has no time of its own, and its title seems to say one"
		}
		if one.Where == "" {
			one.Where = placeIn(u.text)
		}
		d.timed(one, sub, r, &groups[n])
		for i := range d.out.Events {
			if d.out.Events[i].Text == sub.text && d.out.Events[i].Line == u.line {
				d.out.Events[i].Text = u.text
			}
		}
	}
}

// weekRow reads a row of a calendar sheet, with a column for each day of the week: a cell
// begins with the day of the month, and says what is on it.
func (d *document) weekRow(u unit) bool {
	days := 0
	for _, f := range u.fields {
		if weekdaysOf(strings.ToLower(strings.Trim(f.Label, " .:"))) != 0 {
			days++
		}
	}
	if days < 2 || days < len(u.fields)-1 {
		return false
	}
	for _, f := range u.fields {
		cell := unit{text: strings.Join(strings.Fields(plain(f.Value)), " "), page: u.page, line: u.line, item: true, struck: u.struck}
		number := len(cell.text) - len(strings.TrimLeft(cell.text, "0123456789"))
		rest := strings.TrimLeft(cell.text[number:], " .:")
		if weekdaysOf(strings.ToLower(strings.Trim(f.Label, " .:"))) == 0 || rest == "" || !meaningful(rest) && !strings.ContainsAny(rest, "0123456789") { // the week's number, a day without anything
			continue
		}
		if number == 0 || number > 2 || d.month == 0 {
			e := d.begin(cell)
			d.fields(&e, cell, rest)
			e.Held = fault.New(fault.Shorten(cell.text, 80), "stands in a calendar sheet, and of which day it is cannot be told").Do("write its date in full")
			d.out.Events = append(d.out.Events, e)
			continue
		}
		cell.text = f.Label + " " + cell.text[:number] + ": " + rest
		d.unit(cell)
	}
	return true
}

// letterHead tells whether a block of labels is the head of a letter.
func (d *document) letterHead(u unit) bool {
	to, dated, more := false, false, false
	for _, f := range u.fields {
		switch label := strings.ToLower(strings.TrimSpace(f.Label)); label {
		case "to", "an", "à", "from", "von", "de", "da", "cc", "para", "aan":
			r := &reader{text: f.Value, toks: scan(f.Value)}
			to = to || !r.hasDate() && !justTime(f.Value)
		case "date", "datum", "fecha", "data":
			dated = true
		default:
			switch labelOf(label) {
			case "time", "where", "start", "end", "length", "when":
				more = true
			}
		}
	}
	return to && dated && !more
}

// underDay gives times the day that stands above their table.
func (d *document) underDay(groups []group) {
	var dates *dates
	switch above := d.above; {
	case d.day != nil:
		d.day.used = true
		dates = &d.day.dates
	case above != nil && above.bare:
		if above.to > above.from && above.to <= len(d.out.Events) && above.to == len(d.out.Events) {
			d.out.Events = slices.Delete(d.out.Events, above.from, above.to)
			d.pass(above.unit, above.unit.text, "the day of what stands below it")
			above.to = above.from
		}
		dates = &above.dates
	default:
		return
	}
	for i := range groups {
		groups[i].dates = dates
	}
}

// onlyDay tells whether a text is a day, which is not past, and nothing else.
func (d *document) onlyDay(r *reader) bool {
	days, end := r.when(0)
	if end == 0 || !r.onlyRange(end, len(r.toks)) || end < len(r.toks) && !r.onlySigns(end, len(r.toks)) && !r.is(end, '.') {
		return false
	}
	at, _ := d.resolve(days)
	return len(at) > 0 && !at[0].first.Before(d.today())
}

// hasTime tells whether a text says a time of day.
func hasTime(text string) bool {
	r := &reader{text: text, toks: scan(text)}
	for i := range r.toks {
		if _, end := r.clocks(i, false); end > 0 {
			return true
		}
	}
	return false
}

// onlyTime tells whether a text is a time that is written as one, and nothing else.
func onlyTime(text string) bool {
	r := &reader{text: text, toks: scan(text)}
	_, end := r.clocks(0, false)
	return end > 0 && end >= len(r.toks)-1
}

// justTime tells whether a value is a time of day and no day.
func justTime(text string) bool {
	r := &reader{text: text, toks: scan(text)}
	_, end := r.clocks(0, true)
	return end > 0 && !r.hasDate()
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
