package notice

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/pattern"
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
	if len(groups) == 0 {
		return nil
	}
	begin, end := r.withoutDue(groups)
	if len(groups) == 1 {
		return []string{cutAll(begin, end)}
	}
	first := r.text[begin:r.tok(groups[0].from).from]
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
			if i := strings.LastIndex(between, "; "); i >= 0 && meaningful(between[i:]) { // Site visit 7 April; opening of bids 21 April
				out[n] = between[i+2:] + " \x00 " + own
				continue
			}
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

// withoutDue gives where the text about groups begins and ends: behind a deadline in front
// of them, where that has a name of its own, and before one behind them: reply by 6 March,
// meeting on 9 March; course 27 March (registration until 20 March).
func (r *reader) withoutDue(groups []group) (begin, end int) {
	end = len(r.text)
	for _, due := range r.due {
		from, to := r.tok(due[0]).from, r.tok(due[1]-1).to
		if due[1] <= groups[0].from {
			between := r.text[to:r.tok(groups[0].from).from]
			if i := strings.IndexAny(between, ",;.)"); i >= 0 && meaningful(between[i:]) {
				begin = to + i + 1
			}
		} else if last := groups[len(groups)-1]; len(groups) == 1 && due[0] >= last.to {
			behind := r.tok(last.to - 1).to
			if i := strings.LastIndexAny(r.text[behind:from], ",;.("); i >= 0 && strings.Trim(r.text[to:], " .,;)!") == "" {
				end = min(end, behind+i)
			}
		}
	}
	return begin, end
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
		between := strings.TrimRight(r.text[r.tok(groups[n-1].to-1).to:r.tok(groups[n].from).from], " ")
		bracket := r.is(groups[n].from, '(') || strings.HasSuffix(between, "(")
		between = strings.TrimRight(between, " (")
		i := strings.LastIndexAny(between, ",;(")
		if i < 0 {
			if at := andBetween().FindStringIndex(between); at != nil { // and rows C and D 18 March
				i = at[1] - 1
			}
		}
		if i < 0 || !meaningful(between[i+1:]) || strings.Contains(between[i+1:], ")") || feastName().MatchString(" "+strings.TrimSpace(between[i+1:])) || !bracket && !strings.Contains(between[i+1:], ":") && (meaningful(strings.TrimRight(between[:i], ", ")) || !meaningful(name)) {
			return nil
		}
		out[n] = between[i+1:]
	}
	for n := range out {
		out[n] = strings.TrimSpace(label + ": " + strings.TrimPrefix(strings.Trim(out[n], " (:"), "and "))
		out[n] = leadsToDay().ReplaceAllString(out[n], "")
		out[n] = strings.TrimPrefix(out[n], ": ")
	}
	return out
}

// andBetween is an and between two events, and leadsToDay what stands between the name of
// one and its day.
var (
	andBetween = pattern.Lazy(`^\s*(?:and|und|et|y|e|en) `)
	leadsToDay = pattern.Lazy(`(?:\s+(?:on|at|am|um|vom|le|el|il|del|a|em|na|no|op|é|es|the|der|die|les|los|las|i giorni|nei giorni|ai giorni|los días|nos dias|an den tagen|op de dagen))+$`)
)

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
		if t.kind == 'w' && !smallWords.has(t.text) {
			return true
		}
	}
	return false
}

var smallWords = words(`on at from to the a an of and or in for by until till is are am um von bis der die das den dem und le la les du de à au et el los del y il lo e o os op om van tot en het also again then with`)

// callWords name the start and the end of a ship's call.
var callWords = words(`eta etb etd ets arrival departure arr dep arrives departs arriving departing sails sailing arrive depart ankunft abfahrt arrivée départ llegada salida arrivo partenza chegada partida aankomst vertrek`)

// cuts gives the stretches of a group's text that say days, times and lengths.
func (r *reader) cuts(g group) (out [][2]int) {
	for _, s := range g.spans {
		from := s[0]
		for from > 0 && (r.word(from-1, dayLinks) || r.word(from-1, list("on at um às alle ore om")) || s[0] > g.from && r.word(from-1, list("au al bis tot à a dal desde"))) { // the words that lead to it
			from--
		}
		if n := r.shipComes(from); g.apart && n >= 0 { // ETA Corvane 6 March
			out = append(out, [2]int{r.tok(n).from, r.tok(n).to})
		}
		for g.apart && from > 0 && r.word(from-1, callWords) { // what both say is known
			if from--; r.is(from-1, '/') {
				from--
			}
		}
		out = append(out, [2]int{r.tok(from).from, r.tok(s[1] - 1).to})
	}
	return out
}

// weekLabel is the number of a week in front of what is on in it.
var weekLabel = pattern.Lazy(`(?i)^\s*(?:kw|week|wk|woche|kalenderwoche|semaine|semana|settimana)\.?\s*\d{1,2}\s*[:–-]\s*`)

// sentenceTitle gives the title of an event that a sentence tells of: what stands
// before its day, where that says something. place is where it is, if the sentence says so.
func sentenceTitle(text, place string) string {
	if m := invites().FindStringSubmatch(text); m != nil && meaningful(m[1]) {
		return capital(tidy(m[1]))
	}
	if lead, rest, ok := strings.Cut(text, "\x00"); ok && dayNoun().MatchString(tidy(lead)) {
		text = rest
	}
	if i := strings.IndexByte(text, 0); i > 0 {
		if lead := leadsToDay().ReplaceAllString(feastName().ReplaceAllString(tidy(text[:i]), ""), ""); meaningful(lead) && len(strings.Fields(lead)) > 1 && !talk.has(strings.ToLower(strings.Fields(lead)[0])) {
			return capital(withoutVerb(lead, text[:i], text[strings.LastIndexByte(text, 0)+1:], place))
		}
	}
	title := isColon().ReplaceAllString(tidy(text), ": ")
	if short := invitesTo().ReplaceAllString(title, ""); meaningful(short) {
		title = short
	}
	if m := happensFirst().FindStringSubmatch(title); m != nil && meaningful(m[1]) {
		title = m[1]
	}
	return capital(title)
}

// withoutVerb takes the verb out of the end of a title that says no more than that it happens:
// the talk takes place. A verb that is not complete gets what completes it from behind the day,
// or goes: the crane is (from 9 March) closed.
func withoutVerb(title, before, behind, place string) string {
	if short := invitesTo().ReplaceAllString(title, ""); meaningful(short) {
		title = short
	}
	if short := happens().ReplaceAllString(title, ""); short != title && meaningful(short) {
		return short
	}
	verb := incomplete().FindString(strings.TrimRight(before, " ,"))
	short := strings.TrimSuffix(title, verb)
	if verb == "" || !meaningful(short) {
		return title
	}
	rest := strings.TrimLeft(behind, " ,")
	if i := strings.IndexAny(rest, ",;:.!?()–"); i >= 0 {
		rest = rest[:i]
	}
	if rest = tidy(rest); place != "" && strings.HasSuffix(strings.ToLower(rest), strings.ToLower(place)) {
		return short
	}
	if words := strings.Fields(rest); len(words) > 0 && len(words) <= 5 {
		first, _ := utf8.DecodeRuneInString(words[0])
		last, _ := utf8.DecodeRuneInString(words[len(words)-1])
		if unicode.IsLower(first) && (unicode.IsLower(last) || list("außer ausser ohne nicht zur zum wegen").has(words[0])) && meaningful(rest) { // German nouns are capital: außer Betrieb
			return short + verb + " " + rest
		}
	}
	return short
}

// withoutPlace takes the place out of the end of a title, and the verb in front of it, where
// that says no more than that it happens there.
func withoutPlace(title, place string) string {
	at := len(title) - len(place)
	if place == "" || at < 1 || !strings.EqualFold(title[at:], place) {
		return title
	}
	if m := happensThere().FindStringSubmatch(title[:at]); m != nil && meaningful(m[1]) {
		return m[1]
	}
	return title
}

const (
	happensText    = `(?:will )?(?:now )?takes? place|(?:is|are) taking place|(?:will be|is|are)(?: to be)? held|(?:is|are) (?:planned|scheduled)(?: to (?:take place|be held))?|finde[nt](?: statt)?|wird stattfinden|vind(?:t|en)(?: plaats)?|zal plaatsvinden|aur(?:a|ont) lieu|(?:a|ont) lieu|se tien(?:dra|dront|t|nent)|tendrán? lugar|tienen? lugar|se celebran?|se celebrarán?|si terr(?:à|anno)|si t(?:iene|engono)|avr(?:à|anno) luogo|h(?:a|anno) luogo|si svolg(?:e|ono|erà|eranno)|realizam?-se|ter(?:á|ão) lugar|t[eê]m lugar`
	incompleteText = `is|are|will be|ist|sind|wird|werden|bleibt|bleiben|est|sont|sera|seront|reste|restent|está|están|estará|estarán|será|serán|è|sono|sarà|saranno|resta|rimane|é|são|estão|fica|ficará|zijn|wordt|worden|blijft|blijven`
)

// invitesTo is what stands in front of what somebody is invited to.
var invitesTo = pattern.Lazy(`(?i)^(?:(?:hiermit |herzlich )?(?:laden wir|wir laden)(?: sie| euch| dich| alle(?: mitglieder)?)*(?: herzlich| recht herzlich)?(?: ein)?,? (?:zu|zur|zum) |we (?:would like to |are pleased to |hereby |cordially )*invite (?:you|all members|everyone) to |you are (?:cordially |all )?invited to |nous (?:vous invitons|avons le plaisir de vous inviter) à |vous êtes (?:tous |cordialement )?invités? à |(?:le|les|os|te) invitamos a |vi invitiamo (?:a |al |alla |all')|(?:hierbij )?nodigen wij u(?: van harte)? uit voor |wij nodigen u(?: van harte)? uit voor |convidamos (?:todos |os sócios |v\. exas?\. )?(?:para (?:a |o )?))`)

// happens is a verb that says that something takes place, and happensFirst one in front of what
// does. incomplete is a verb that is completed behind the day.
var (
	happens = pattern.Lazy(`(?i)\s+(?:` + happensText + `)$`)

	happensThere = pattern.Lazy(`(?i)^(.+?)\s+(?:` + happensText + `|` + incompleteText + `)(?:\s+(?:at|in|on|im|in der|am|an der|auf|bei|au|à|à la|dans|en|en el|en la|nel|nella|presso|no|na|em|te|bij|op|the|de|der|dem|het|la|le|el))+\s+$`)

	happensFirst = pattern.Lazy(`(?i)^(?:finde[nt]|vind(?:t|en)|aur(?:a|ont) lieu|se tien(?:dra|dront|t|nent)|tendrán? lugar|tienen? lugar|se celebrarán?|se celebran?|si terr(?:à|anno)|si svolger(?:à|anno)|avr(?:à|anno) luogo|realizam?-se|ter(?:á|ão) lugar|there (?:will be|is|are)|es gibt|il y aura|habrá|ci sar(?:à|anno)|haverá)\s+(.+?)(?:\s+(?:statt|plaats))?$`)

	isColon = pattern.Lazy(`(?i)\s+(?:` + incompleteText + `)\s*:\s+`) // our next talk is (5 March): Lights of the north

	incomplete = pattern.Lazy(`(?i)\s+(?:` + incompleteText + `)$`)
)

// invites is a text that invites to what it names behind a colon at its end.
var invites = pattern.Lazy(`(?i)^\s*(?:(?:les|os|te) esperamos|rendez-vous|vi aspettiamo|vi invitiamo|esperamos por (?:vós|si)|wij nodigen u uit|wir laden (?:sie |euch )?(?:herzlich )?ein|vous êtes (?:tous )?invités?|you are (?:all )?invited|(?:please )?join us|please come|(?:bitte )?kommen sie|save the date|on vous attend|ci vediamo|nos vemos)(?:\b|\s)[^:]*\x00[^:]*:\s*([^\x00:]+)$`)

// feastName is the name of a feast in front of its day.
var feastName = pattern.Lazy(`(?i)\s+(?:on\s+)?(?:good friday|maundy thursday|easter (?:saturday|sunday|monday)|whit (?:sunday|monday)|boxing day|christmas (?:day|eve)|new year'?s (?:day|eve)|am karfreitag|am oster(?:sonntag|montag)|am pfingst(?:sonntag|montag)|le (?:vendredi saint|lundi de pâques))$`)

// newSubject is what begins to speak of another thing.
var newSubject = pattern.Lazy(`(?i)^(?:and |und |et |y |e |en )?(?:the|der|die|das|la|le|les|el|los|il|lo|i|het|de|o|a)\s+(?:\p{L}|\d).*\p{L}`)

// auxiliary is the verb that is left where its day was taken from behind it.
var auxiliary = pattern.Lazy(`(?i)\b(?:is|are|has been|have been|was|will be|ist|wird|est|sont|está|è|is)\s*$`)

// dayNoun is what leads to a date, and is no title.
var dayNoun = pattern.Lazy(`(?i)^(?:(?:informa-se|comunica-se|avisa-se|se (?:comunica|informa|avisa)|si (?:comunica|informa|avvisa|rende noto)|es wird (?:mitgeteilt|bekannt ?gegeben)|wir teilen mit|nous vous informons|vous êtes informés|we inform you|please note|notice is given|meegedeeld wordt|wij delen mee)[,:]? (?:que|che|dass|that|dat) )?(?:los (?:próximos )?días|nei giorni|i giorni|nos (?:próximos )?dias|os dias|les(?: jours)?|aux jours|an den tagen|op de dagen|on the days|il giorno|el (?:próximo )?día|o dia|no (?:próximo )?dia|le jour|am tag|nella giornata|the day|on the day|op de dag|in der zeit|in the period|during the period|in the time|pendant la période|dans la période|nel periodo|en el per[ií]odo|durante el per[ií]odo|no período|in de periode|during the time)$`)

func capital(text string) string {
	r, size := utf8.DecodeRuneInString(text)
	if size == 0 {
		return text
	}
	return string(unicode.ToUpper(r)) + text[size:]
}

// ledByTime is a text that begins with its day and its times, and a colon before what
// they are of.
var ledByTime = pattern.Lazy(`^[\s,@–-]*\x00[\s,@\x00–-]*:\s+\S`)

// titled tells whether what is left of a line of a message is a title: a few
// words, the first of them a name of something.
func titled(text string) bool {
	led := ledByTime().MatchString(text)
	text = tidy(strings.ReplaceAll(text, "\x00", " "))
	first, _ := utf8.DecodeRuneInString(text)
	words := strings.Fields(text)
	if len(words) == 0 || !unicode.IsUpper(first) && !led || strings.HasSuffix(strings.TrimSpace(text), "?") {
		return false
	}
	if talk.has(strings.ToLower(strings.Trim(words[0], ",.!:'"))) {
		return false
	}
	for _, w := range words {
		if talk.has(strings.ToLower(strings.Trim(w, ",.!?:"))) {
			return false
		}
	}
	return len(words) <= 10
}

// talk are words of what people say to each other, which stand in no title.
var talk = words(`i i'm i'll i'd we we'll we're you your our us me my it it's that that's this is are was were be been will would could can can't cannot shall should please thanks thank hi hello dear ok okay yes no sorry let's let how how's what works work suit suits better fine good great sure agreed confirmed if so but not don't new ich wir sie ihr du bitte danke hallo passt können könnten geht guten je nous vous merci bonjour pouvons convient yo nosotros usted gracias hola podemos io noi grazie buongiorno possiamo eu nós obrigado olá podemos wij we u bedankt dag kunnen instead make made meet rather same moved move`)

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
	text = auxiliary().ReplaceAllString(tidy(text), "")
	return tidy(text)
}
