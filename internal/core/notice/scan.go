package notice

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/pattern"
)

// token is a piece of a text: a word, a number, a sign, or something whose
// inside is not looked at.
type token struct {
	kind     byte   // 'w' word, 'n' number, 'e' address, 'x' what holds no date, else the sign itself
	text     string // in lower case
	num      int
	from, to int  // in the text
	gap      bool // white space stands before it
	ordinal  bool // 1st, 2e, 3º
}

// opaque are pieces whose numbers are no dates: addresses of mail and of the web,
// telephone numbers, prices, versions, numbers of parts and orders, ratios. Each is
// looked for only where one of some signs stands, in lower case: a search for all of
// them at once takes most of the time of a reading.
var opaque = []struct {
	signs   []string // nil for any text with a figure
	pattern func() *regexp.Regexp
	may     func(text string) bool // whether it may match; nil for not known
}{
	{[]string{"@"}, pattern.Lazy(`(?i)[\p{L}\d._%+-]+@[\p{L}\d-]+(?:\.[\p{L}\d-]+)+`), nil},
	{[]string{"://", "www."}, pattern.Lazy(`(?i)(?:https?://|www\.)\S*[^\s.,;)>]`), nil},
	{[]string{"+"}, pattern.Lazy(`\+\d[\d ()/-]{6,}\d`), nil},
	{[]string{"tel", "phone", "fax", "mobile", "tél"}, pattern.Lazy(`(?i)\b(?:tel|phone|fax|mobile|telefon|téléphone|telefono|tél)\b\.?:?\s*[\d ()/+-]{5,}\d`), nil},
	{[]string{"0"}, pattern.Lazy(`\b0\d{2,4}[ /-]\d{5,}\b|\b0\d{2,4}(?:[ /-]\d{2,4}){2,}\b`), zeroed},
	{[]string{"call", "ring", "dial", "phone", "rufen", "appelez", "llame"}, pattern.Lazy(`(?i)\b(?:call|calls|ring|dial|phone|rufen|appelez|llame)\b[^.,;\d]{0,20}\d[\d ()/-]{4,}\d`), nil},
	{[]string{"€", "$", "£"}, pattern.Lazy(`(?i)[€$£]\s?\d[\d.,]*(?:\s*-\s*[€$£]?\d[\d.,]*)?|\b\d[\d.,]*\s?[€£$]`), nil},
	{[]string{"eur", "usd", "gbp", "chf", "pence"}, pattern.Lazy(`(?i)\b\d[\d.,]*\s?(?:eur|usd|gbp|euros?|chf|pence)\b`), nil},
	{[]string{"cost", "price", "fee", "kost", "preis", "coûte", "cuesta", "custa", "prix", "precio", "prezzo", "preço"}, pattern.Lazy(`(?i)(?:\b(?:costs?|priced?(?: at| is)?|fee (?:is|of)|kost(?:et|en)?|preis (?:ist|beträgt)|cuestan?|costan?|custam?)|coûte(?:nt)?|prix (?:est|de)|precio (?:es|de)|prezzo (?:è|di)|preço (?:é|de))\s+(?:only|nur|about|circa|ca\.)?\s*\d+[.,]\d{2}\b`), nil},
	{[]string{" each", " apiece", " pp", " p.p"}, pattern.Lazy(`(?i)\b\d+[.,]\d{2}\s+(?:each|apiece|pp|p\.p\.?)\s*(?:[.,;:)]|$)`), nil},
	{[]string{"ticket"}, pattern.Lazy(`(?i)\btickets?(?:\s+(?:is|are|at|for|from|now|only|cost))*:?\s+\d+[.,]\d{2}\b`), nil},
	{[]string{" an ", " per ", " a ", " pro ", " par ", " por ", "je ", " all'"}, pattern.Lazy(`(?i)\b\d+[.,]\d{2}\s+(?:an?|per|pro|par|por|je)\s+(?:hour|head|person|seat|ticket|car|boat|vessel|metre|meter|child|adult|stunde|kopf|nase|heure|personne|hora|persona|ora|pessoa|uur|persoon)\b`), nil}, // and no days: 9.00 to 17.00 per day
	{[]string{"v"}, pattern.Lazy(`(?i)\bv\d+(?:\.\d+)+\b|\b(?:version|versión|versione|versão)\s*\d+(?:\.\d+)*\b`), versioned},
	{[]string{"release", "rev", "edition", "ausgabe"}, pattern.Lazy(`(?i)\b(?:release|rev\.?|edition|ausgabe)\s*\d+(?:\.\d+)*\b`), nil},
	{[]string{"."}, pattern.Lazy(`\b\d+(?:\.\d+){3,}\b`), dottedOften},
	{[]string{"/"}, pattern.Lazy(`\b\d{2,4}/\d+/\d+-[A-Za-z]\w*`), nil},
	{[]string{"no", "nr", "ref", "part", "order", "invoice", "item", "art", "chapter", "section", "page", "clause", "form", "annex", "ch", "vhf", "sheet", "chart", "buoy"}, pattern.Lazy(`(?i)\b(?:no|nr|ref|part|order|invoice|item|art|article|artikel|chapter|section|page|clause|form|annex|channel|ch|vhf|sheet|chart|buoy|notice)\b\.?\s*(?:no\b\.?|number\b|:|#)*\s*#?\s*\d[\w./-]*`), numberedThing},
	{[]string{"booking", "reserva", "ticket", "case", "permit", "voyage", "buchung", "prenotazione"}, pattern.Lazy(`(?i)\b(?:booking|reservation|ticket|case|permit|voyage|buchung|reserva|prenotazione)\b\.?\s*(?:no\b\.?|number\b|:|#)*\s*#?\s*\d{3,}[\w/-]*\b`), numberedThing},
	{[]string{"#"}, pattern.Lazy(`#\d+\b`), nil},
	{nil, pattern.Lazy(`(?i)\b\d+(?:[.,]\d+)?\s?(?:m|km|cm|mm|nm|kn|knots?|kg|t|tons?|tonnes?|kw|kwh|mb|gb|mhz|khz|hpa|metres?|meters?|miles?|feet|ft|%|percent|per cent|degrees|°c?|people|persons|boats|vessels|ships|places|passengers|pages|copies|containers|teu)(?:\b|[^\p{L}\d]|$)`), measured},
	{nil, pattern.Lazy(`\b[A-Za-z]{1,5}-?\d{2,}(?:[-/.]\d+)*[A-Za-z]?\b`), lettered},
	{nil, pattern.Lazy(`\b\d+(?:[-/.]\d+)*-?[A-Za-z]{1,4}\d+\w*\b`), lettered},
}

// measures are the units of what is none of a day or a time.
var measures = words(`m km cm mm nm kn knot knots kg t ton tons tonne tonnes kw kwh mb gb mhz khz hpa metre metres meter meters mile miles foot feet ft percent per degree degrees c people persons boats vessels ships places passengers pages copies containers teu`)

// measured tells whether one of them may stand behind a number.
func measured(text string) bool {
	for i := 0; i < len(text); i++ {
		if text[i] < '0' || text[i] > '9' || i+1 < len(text) && text[i+1] >= '0' && text[i+1] <= '9' {
			continue
		}
		at := i + 1
		if r, size := utf8.DecodeRuneInString(text[at:]); unicode.IsSpace(r) {
			at += size
		}
		end := at
		for end < len(text) && text[end]|0x20 >= 'a' && text[end]|0x20 <= 'z' {
			end++
		}
		if end == at && at < len(text) && (text[at] == '%' || text[at] >= utf8.RuneSelf) || measures.has(strings.ToLower(text[at:end])) {
			return true
		}
	}
	return false
}

// lettered tells whether letters and figures stand beside each other.
func lettered(text string) bool {
	letter := func(b byte) bool { return b|0x20 >= 'a' && b|0x20 <= 'z' }
	for i := 1; i < len(text); i++ {
		before := text[i-1]
		if before == '-' && i > 1 {
			before = text[i-2]
		}
		if letter(before) && figure(text[i]) || figure(before) && letter(text[i]) {
			return true
		}
	}
	return false
}

// zeroed tells whether a number of several figures begins with 0.
func zeroed(text string) bool {
	for i := 0; i+2 < len(text); i++ {
		if text[i] == '0' && figure(text[i+1]) && figure(text[i+2]) && (i == 0 || !figure(text[i-1])) {
			return true
		}
	}
	return false
}

func figure(b byte) bool { return b >= '0' && b <= '9' }

// versioned tells whether a v, or the word for a version, may stand before a number.
func versioned(text string) bool {
	for i := 0; i+1 < len(text); i++ {
		if text[i]|0x20 == 'v' && (figure(text[i+1]) || text[i+1]|0x20 == 'e') {
			return true
		}
	}
	return false
}

func dottedOften(text string) bool { return strings.Count(text, ".") > 2 }

// numberedThing tells whether a word, and not a sign or the end of the line before,
// stands in front of a number.
func numberedThing(text string) bool {
	for i := 1; i < len(text); i++ {
		if !figure(text[i]) || figure(text[i-1]) {
			continue
		}
		at := i - 1
		for at >= 0 && strings.IndexByte(" .:#\t", text[at]) >= 0 {
			at--
		}
		from := at + 1
		for from > 0 && text[from-1]|0x20 >= 'a' && text[from-1]|0x20 <= 'z' {
			from--
		}
		if at >= 0 && things.has(strings.ToLower(text[from:at+1])) {
			return true
		}
	}
	return false
}

// things are the words before the number of a thing.
var things = words(`no nr ref part order invoice item art article artikel chapter section page clause form annex channel ch vhf sheet chart buoy notice number booking reservation ticket case permit voyage buchung reserva prenotazione`)

// piecesOf gives the stretches of a text that are opaque, in their order, of two that
// overlap the first. mail tells which are addresses.
func piecesOf(text string) (out [][2]int, mail []bool) {
	type piece struct{ from, to, kind int }
	var found []piece
	lower := strings.ToLower(text)
	for kind, o := range opaque {
		if o.signs != nil && !slices.ContainsFunc(o.signs, func(sign string) bool { return strings.Contains(lower, sign) }) {
			continue
		}
		if o.may != nil && !o.may(text) {
			continue
		}
		for _, m := range o.pattern().FindAllStringIndex(text, -1) {
			found = append(found, piece{m[0], m[1], kind})
		}
	}
	slices.SortFunc(found, func(a, b piece) int { return cmp.Or(a.from-b.from, a.kind-b.kind) })
	for _, p := range found {
		out, mail = append(out, [2]int{p.from, p.to}), append(mail, p.kind == 0)
	}
	return out, mail
}

// notOpaque are what the patterns take for a number of something and is a date or a
// time.
var notOpaque = pattern.Lazy(`(?i)^(?:[\d.:/-]*\d{1,2}[hu]\d{0,2}|\d{4}-\d\d-\d\dT.*|(?:jan|feb|mar|apr|may|jun|jul|aug|sep|sept|oct|nov|dec|okt|mai|utc|gmt)-?\d.*|pt?\d+[hm]\w*|\d{1,2}-?(?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec|janv|fév|fev|mrt|mär|avr|abr|mai|mag|mei|giu|juin|lug|juil|ago|août|set|okt|ott|out|dez|dic|déc|ene)-?\d+|\d{1,2}-(?:january|february|march|april|june|july|august|september|october|november|december)-\d+|\d{1,2}\s?m)$`)

// scanned remembers the tokens of texts: a line is looked at several times.
var scanned struct {
	sync.Mutex
	tokens map[string][]token
}

// scan cuts a text into tokens.
func scan(text string) []token {
	scanned.Lock()
	known, ok := scanned.tokens[text]
	scanned.Unlock()
	if ok {
		return known
	}
	out := scanOnce(text)
	scanned.Lock()
	if len(scanned.tokens) > 500 || scanned.tokens == nil {
		scanned.tokens = map[string][]token{}
	}
	scanned.tokens[text] = out
	scanned.Unlock()
	return out
}

// leadingArrow is a sign from one day or time to the next.
var leadingArrow = pattern.Lazy(`^(?:[-=]*>+|→|⇒|➔|➜|--+[->]?|~ |… ?)`)

func scanOnce(text string) []token {
	var out []token
	at := 0
	if !strings.ContainsAny(text, "0123456789@") && !strings.Contains(text, "://") && !strings.Contains(text, "www.") {
		return scanPlain(nil, text, 0, len(text))
	}
	pieces, mail := piecesOf(text)
	for n, m := range pieces {
		if m[0] < at || hasPrefixFold(text[m[1]-1:], "t/m") || m[0] > 1 && (text[m[0]-1] == ':' || text[m[0]-1] == '.') && figure(text[m[0]-2]) || endsInHour(text[m[0]:m[1]], text[m[1]:]) || notOpaque().MatchString(strings.TrimSpace(text[m[0]:m[1]])) || dayOfMonth(text[m[0]:m[1]], text[m[1]:]) || endsHour(text[:m[0]], text[m[0]:m[1]]) || monthIn(text[m[0]:m[1]]) || inWord(text[:m[0]]) || buoyThen().MatchString(text[m[0]:m[1]]) {
			continue
		}
		out = scanPlain(out, text, at, m[0])
		end := m[1]
		for end > m[0] && !isWordByte(text[end-1]) && text[end-1] != '%' && text[end-1] < utf8.RuneSelf {
			end-- // a sign behind a unit is not part of it
		}
		t := token{kind: 'x', text: strings.ToLower(text[m[0]:end]), from: m[0], to: end, gap: m[0] == 0 || unicode.IsSpace(rune(text[m[0]-1]))}
		if mail[n] {
			t.kind = 'e'
		}
		out = append(out, t)
		at = end
	}
	return overNight(toDay(scanPlain(out, text, at, len(text))))
}

// toDay makes the "to" between two times with a day behind each one that cannot be that
// of a place: 8 am Thursday to 5 pm Friday.
func toDay(toks []token) []token {
	r := &reader{toks: toks}
	on := func(i, step int) int {
		if r.tok(i).text == "on" {
			return i + step
		}
		return i
	}
	day := func(i int) bool { return r.is(i, 'w') && weekdaysOf(r.tok(i).text) != 0 }
	for i := range toks {
		if toks[i].text != "to" || !day(i-1) || !r.timeEnds(on(i-2, -1)) || !r.is(i+1, 'n') {
			continue
		}
		for n := i + 1; n < i+6; n++ {
			if r.timeEnds(n) && day(on(n+1, 1)) {
				toks[i].text = "until"
			}
		}
	}
	return toks
}

// overNight makes the words that lead from one day of the week to the next ones for a range:
// Tuesday into Wednesday; in der Nacht von Dienstag auf Mittwoch.
func overNight(toks []token) []token {
	if !slices.ContainsFunc(toks, func(t token) bool { return t.kind == 'w' && nightLinks.has(t.text) }) {
		return toks
	}
	night := slices.ContainsFunc(toks, func(t token) bool { return t.kind == 'w' && nightNouns.has(t.text) })
	for i := 1; i+1 < len(toks); i++ {
		t := &toks[i]
		if t.kind != 'w' || !nightLinks.has(t.text) || t.text != "into" && !night {
			continue
		}
		after := i + 1
		if toks[after].text == "the" && after+1 < len(toks) {
			after++
		}
		if toks[after].kind == 'w' && weekdaysOf(toks[after].text) != 0 && (toks[i-1].kind != 'w' || weekdaysOf(toks[i-1].text) != 0 || monthOf(toks[i-1].text) > 0 || partWords.has(toks[i-1].text)) {
			t.text = "to"
		}
	}
	return toks
}

// nightLinks lead from the day on which a night begins to the one on which it ends, some of
// them only where a night is spoken of: that are nightNouns.
var (
	nightLinks = words(`into auf op para zum`)
	nightNouns = words(`night overnight nacht nachts noite nuit notte noche`)
)

// dayParts are the parts of the day that stand in one word with a day of the week, by a word
// that means nothing else: morgen is tomorrow, and middag noon.
var dayParts = map[string]string{"abend": "abend", "abends": "abends", "nachmittag": "nachmittag", "nachmittags": "nachmittags", "vormittag": "vormittag", "vormittags": "vormittags", "mittag": "nachmittag", "mittags": "nachmittags", "morgen": "vormittag", "früh": "früh", "nacht": "nachts",
	"avond": "avond", "middag": "middags", "namiddag": "middags", "ochtend": "ochtend", "morgend": "ochtend", "voormiddag": "ochtend"}

// dayPart gives where a part of the day begins in one word with its day of the week, and the
// part; 0 for none.
func dayPart(word string) (at int, part string) {
	for end, means := range dayParts {
		if day, ok := strings.CutSuffix(word, end); ok && len(day) > 5 && weekdaysOf(day) != 0 {
			return len(day), means
		}
	}
	return 0, ""
}

// dayOfMonth tells whether what seems the number of something is a day, for a month
// stands behind it: the order of 5 March, notice 12 March.
func dayOfMonth(number, rest string) bool {
	digits := len(number) - len(strings.TrimRight(number, "0123456789"))
	word := strings.TrimLeft(rest, " .")
	end := strings.IndexFunc(word, func(r rune) bool { return !unicode.IsLetter(r) })
	if end < 0 {
		end = len(word)
	}
	verb := word[:end] == "may" || word[:end] == "march"
	return digits >= 1 && digits <= 2 && !verb && monthOf(strings.ToLower(word[:end])) > 0
}

// buoyThen is a buoy and a time behind it: no buoy has a number of four figures.
var buoyThen = pattern.Lazy(`(?i)^buoys?,?\s(?:[01]\d|2[0-3])[0-5]\d$`)

// endsInHour tells whether what seems the number of something is the hour of a time:
// release 00:45.
func endsInHour(number, rest string) bool {
	word := strings.LastIndexAny(number, " \t") // the figures alone are what may be the hour
	return word >= 0 && len(number)-word <= 3 && minutesBehind().MatchString(rest) && strings.Trim(number[word+1:], "0123456789") == ""
}

// monthIn tells whether what seems the number of something has the name of a month in
// it, behind a day or alone: 16-March-2026, 16mars2026, mrt-2026.
func monthIn(number string) bool {
	day := len(number) - len(strings.TrimLeft(number, "0123456789"))
	name := strings.TrimLeft(number[day:], "-")
	end := strings.IndexFunc(name, func(r rune) bool { return !unicode.IsLetter(r) })
	return day <= 2 && end >= 3 && monthOf(strings.ToLower(name[:end])) > 0
}

// inWord tells whether a text ends within a word that goes on: the rz-26 of März-26.
func inWord(before string) bool {
	r, _ := utf8.DecodeLastRuneInString(before)
	return r >= utf8.RuneSelf && unicode.IsLetter(r)
}

// endsHour tells whether what seems the number of something is the word behind an hour
// and the hour that a range goes on to: 4 pm-10 pm, 9 Uhr-17 Uhr, 0900 LT-1700 LT.
func endsHour(before, number string) bool {
	before = strings.TrimRight(before, " \t")
	return before != "" && (figure(before[len(before)-1]) || strings.HasSuffix(before, ".") || strings.HasSuffix(before, "o'") || strings.HasSuffix(before, "o’")) && hourAndOn().MatchString(number)
}

var hourAndOn = pattern.Lazy(`(?i)^(?:a\.?m\.?|p\.?m\.?|m\.|uhr|h|hrs?|hours?|heures?|horas?|ore|uur|lt|local|(?:o['’])?clock|z|utc|gmt|wet|west|bst|cet|cest)-\d{1,4}`)

var minutesBehind = pattern.Lazy(`^:[0-5]\d(?:\D|$)`)

func isWordByte(b byte) bool {
	return b >= '0' && b <= '9' || b|0x20 >= 'a' && b|0x20 <= 'z'
}

func scanPlain(out []token, text string, at, end int) []token {
	for at < end {
		r, size := utf8.DecodeRuneInString(text[at:end])
		start := at
		gap := start == 0
		if start > 0 {
			before, _ := utf8.DecodeLastRuneInString(text[:start])
			gap = unicode.IsSpace(before)
		}
		switch {
		case unicode.IsSpace(r):
			at += size
			continue
		case r >= '0' && r <= '9':
			for at < end && text[at] >= '0' && text[at] <= '9' {
				at++
			}
			n, err := strconv.Atoi(text[start:at])
			if err != nil {
				n = -1
			}
			t := token{kind: 'n', text: text[start:at], num: n, from: start, to: at, gap: gap}
			if len(out) > 0 && !gap { // v2 is no second
				if last := out[len(out)-1]; last.kind == 'w' && last.to == start && len(last.text) > 0 && monthOf(last.text) == 0 && !list("h u t um à a at kw week el al dal del il on am den uhr ab le o das de h. z utc gmt d").has(last.text) && (len(out) < 2 || out[len(out)-2].kind != 'n' || out[len(out)-2].to != last.from) {
					t.kind = 'x'
				}
			}
			if suffix := ordinalSuffix(text[at:end]); suffix > 0 && n > 0 && n < 32 {
				at += suffix
				t.to, t.ordinal = at, true
			}
			out = append(out, t)
		case unicode.IsLetter(r):
			for at < end {
				r, size := utf8.DecodeRuneInString(text[at:end])
				if !unicode.IsLetter(r) && !unicode.Is(unicode.Mn, r) && !(r == '\'' || r == '’') {
					break
				}
				at += size
			}
			word := strings.ToLower(strings.ReplaceAll(text[start:at], "’", "'"))
			if at < end && text[at] >= '0' && text[at] <= '9' && elided[word] != "" { // dal 9 all'11
				word = elided[word]
			}
			if word == "t" && hasPrefixFold(text[at:end], "/m") && (at+2 == end || text[at+2] == ' ') { // t/m
				at, word = at+2, "t/m"
			}
			if n, part := dayPart(word); n > 0 && at-start == len(word) { // Freitagabend
				out = append(out, token{kind: 'w', text: word[:n], from: start, to: start + n, gap: gap})
				word, start, gap = part, start+n, true
			}
			out = append(out, token{kind: 'w', text: strings.Trim(word, "'"), from: start, to: at, gap: gap})
		default:
			at += size
			if last := len(out) - 1; r == '.' && last >= 0 && out[last].to == start && out[last].kind == 'w' && len(out[last].text) <= 5 && weekdaysOf(out[last].text) != 0 { // Sat. 14th
				out[last].to = at
				continue
			}
			if arrow := leadingArrow().FindString(text[start:end]); arrow != "" && len(out) > 0 {
				at = start + len(arrow)
				out = append(out, token{kind: '-', text: arrow, from: start, to: at, gap: gap})
				continue
			}
			kind := byte('?')
			switch r {
			case '–', '—', '−', '‐', '‑', '-':
				kind = '-'
			case '•', '·', '▪', '◦', '‣', '*':
				kind = '*'
			default:
				if r < utf8.RuneSelf {
					kind = byte(r)
				}
			}
			out = append(out, token{kind: kind, text: text[start:at], from: start, to: at, gap: gap})
		}
	}
	return out
}

// elided are the words of Italian that lose their end before the eighth and the
// eleventh.
var elided = map[string]string{"all'": "al", "dall'": "dal", "dell'": "del", "l'": "il", "nell'": "il", "sull'": "il"}

// ordinalSuffix gives the length of what makes a number an ordinal.
func ordinalSuffix(s string) int {
	for _, suffix := range []string{"st", "nd", "rd", "th", "er", "re", "º", "ª", "°", "ste", "de"} {
		if len(s) >= len(suffix) && strings.EqualFold(s[:len(suffix)], suffix) {
			r, _ := utf8.DecodeRuneInString(s[len(suffix):])
			if !unicode.IsLetter(r) && !unicode.IsDigit(r) || len(s) == len(suffix) {
				return len(suffix)
			}
		}
	}
	return 0
}
