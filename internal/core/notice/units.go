package notice

import (
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
)

// unit is a piece of text that is read by itself: a heading, an item of a list, a
// sentence, a block of labels.
type unit struct {
	text       string
	page, line int
	level      int
	item       bool
	sentence   bool // one of several of a paragraph, or one that is written as one
	struck     bool
	gap        bool   // a blank line stands before it
	place      string // that stands in a line of its own
	day, time  bool   // it says days, or times, and nothing else
	fields     []Field
}

var (
	bullet     = pattern.Lazy(`^\s*(?:[-–—•·▪◦‣*+]\s+|\(?[a-z]\)\s+|\d{1,2}\)\s+)`)
	enumerated = pattern.Lazy(`^\s*\d{1,2}\.\s+(\S.*)$`)
	labelLine  = pattern.Lazy(`^\s*([\p{L}][\p{L}\d '’/.-]{0,28}?)\s*:\s+(\S.*)$`)
	markdown   = pattern.Lazy(`^\s{0,3}(#{1,6})\s+(.*?)\s*#*\s*$`)
)

// unitsOf cuts lines into units: what was wrapped is joined, paragraphs are cut
// into sentences.
func unitsOf(lines []Line) []unit {
	var out []unit
	var para []Line
	gap := false
	flush := func() {
		if more := paragraph(para); len(more) > 0 {
			more[0].gap, gap = gap, false
			out = append(out, more...)
		}
		para = nil
	}
	for n := 0; n < len(lines); n++ {
		l := lines[n]
		l.Text = hourDot().ReplaceAllString(question().ReplaceAllString(l.Text, "$1: "), "$1 $2")
		text := strings.TrimSpace(l.Text)
		switch {
		case len(l.Fields) > 0:
			flush()
			out = append(out, unit{text: text, page: l.Page, line: l.Number, fields: l.Fields, struck: l.Struck})
		case text == "":
			flush()
			gap = true
		case l.Level > 0:
			flush()
			out = append(out, unit{text: text, page: l.Page, line: l.Number, level: l.Level, struck: l.Struck})
		case l.Item || l.Whole || bullet().MatchString(l.Text):
			flush()
			para = append(para, l)
			if l.Item || l.Whole {
				flush()
			}
		default:
			if len(para) > 0 && !goesOn(para[len(para)-1], l) {
				flush()
			}
			para = append(para, l)
		}
	}
	flush()
	return labelled(out)
}

// question is a label that is asked: Wann? Mittwoch; and hourDot a dot behind the hour that a line
// begins with, which ends no sentence: 19:00 h. Cena.
var (
	question = pattern.Lazy(`(?i)^(\s*(?:wann|wo|wer|was|when|where|who|what|quand|où|qui|quoi|cuándo|dónde|quién|qué|quando|dove|chi|cosa|onde|quem|wanneer|waar|wie|wat))\s?\?\s+`)
	hourDot  = pattern.Lazy(`^(\s*(?:(?:[Dd]e|[Dd]as|[Dd]alle|[Vv]on|[Vv]an) )?\d{1,2}(?:[:.]\d\d)?(?: ?(?:a|às|alle|bis|tot|[-–]) ?\d{1,2}(?:[:.]\d\d)?)? ?(?:h|hs|hrs|horas|uur))\.\s+(\p{Lu})`)
)

// articleLine is a short line that begins with an article.
var articleLine = pattern.Lazy(`^(?:(?:the|der|die|das|le|la|les|el|los|las|il|lo|i|gli|o|a|os|as|het|de)\s+|l['’])\p{L}+(?:\s[\p{L}\d]+){0,3}$`)

// dayThen tells whether a line is a day and, behind a colon at its end, what is on.
func dayThen(line string) bool {
	i := strings.LastIndex(line, ": ")
	if i < 0 {
		return false
	}
	what := strings.TrimSpace(line[i+2:])
	return what != "" && len(strings.Fields(what)) <= 6 && !strings.ContainsAny(what[len(what)-1:], ",-–(") && SaysDay(line[:i]) && !SaysDay(what) && meaningful(what) && !smallWords.has(lastWord(what))
}

// onlyTimes tells whether a line is a time, or hours from and to, and nothing else.
func onlyTimes(line string) bool {
	rest, times := Hours(line)
	return times != "" && strings.Trim(rest, " .,-–—") == ""
}

// goesOn tells whether a line goes on with the one before it.
func goesOn(before, l Line) bool {
	text := strings.TrimSpace(l.Text)
	was := strings.TrimRightFunc(before.Text, unicode.IsSpace)
	if labelLine().MatchString(l.Text) && isLabel(labelLine().FindStringSubmatch(l.Text)[1]) {
		return false
	}
	if numberedDay(text) {
		return false
	}
	if departs().MatchString(text) && arrives().MatchString(was) && SaysDay(text) && SaysDay(was) {
		return true
	}
	if fromTo().MatchString(text) && startsWithDate(strings.TrimSpace(before.Text)) { // from 13:00 to 16:00, below 8 April Crane test
		return false
	}
	if fromToTitle().MatchString(text) && startsWithTime(was) { // from 15:00 to 16:00 Tour, below 14:00 Coffee
		return false
	}
	if hourLine().MatchString(text) && !SaysDay(text) && len(strings.Fields(was)) < 8 { // ore 10 Apertura
		return false
	}
	if articleLine().MatchString(text) && onlyTimes(was) { // the boathouse, below 15:00 – 17:00
		return false
	}
	if dayThen(was) && SaysDay(text) && startsUpper(text) { // two days, each with what is on
		return false
	}
	if cutOff(was, text) {
		return true
	}
	if colonLine().MatchString(before.Text) && colonLine().MatchString(l.Text) { // a list of names with what is said of each
		return false
	}
	if columned().MatchString(before.Text) && columned().MatchString(l.Text) && !phraseAt(text, []string{"to", "until", "till", "bis", "au", "à", "hasta", "al", "a", "até", "tot"}) { // rows of a table
		return false
	}
	if startsWithDate(strings.TrimSpace(before.Text)) && (endOnly().MatchString(text) || roughLine().MatchString(text)) { // a list of times, one of which says only its end, or is rough
		return false
	}
	if upper, _ := utf8.DecodeRuneInString(text); colonLine().MatchString(before.Text) && unicode.IsUpper(upper) && SaysDay(before.Text) && !smallWords.has(lastWord(was)) && !abbreviations.has(lastWord(was)) { // a list of labels and days
		return false
	}
	if dashed().MatchString(before.Text) && dashed().MatchString(l.Text) && SaysDay(before.Text) && SaysDay(l.Text) { // a list of titles and days
		return false
	}
	if startsWithLabelledDate(before.Text, false) && startsWithLabelledDate(l.Text, false) {
		return false
	}
	if startsWithLabelledDate(before.Text, true) && startsWithLabelledDate(l.Text, true) && !smallWords.has(lastWord(was)) && !strings.HasSuffix(was, "-") && dayEnds().MatchString(was) { // lift-out 7.12., 8:00, and below it survey 8.12.
		return false
	}
	if fromLine().MatchString(l.Text) && was == strings.ToUpper(was) && SaysDay(l.Text) && !SaysDay(before.Text) && !strings.ContainsAny(was[max(0, len(was)-1):], ".:;") || // where all is in capitals, none begins a line
		toLine().MatchString(l.Text) && fromLine().MatchString(before.Text) && SaysDay(l.Text) && SaysDay(before.Text) && !strings.HasSuffix(was, ".") {
		return true
	}
	full := utf8.RuneCountInString(was) >= 55
	if words := strings.Fields(was); len(words) > 1 && smallWords.has(words[len(words)-1]) && !(words[len(words)-1] == "am" && hasTime(strings.Join(words[len(words)-2:], " "))) && !bullet().MatchString(l.Text) {
		return true
	}
	if m := enumerated().FindStringSubmatch(l.Text); m != nil && counted(m[1]) {
		return false
	}
	indented := strings.HasPrefix(l.Text, "  ") || strings.HasPrefix(l.Text, "\t")
	if bullet().MatchString(before.Text) {
		return indented || full && !startsWithDate(text) && !colonLine().MatchString(text)
	}
	first, _ := utf8.DecodeRuneInString(text)
	last := was[max(0, len(was)-1):]
	switch {
	case startsWithDate(text) && !(full && strings.HasSuffix(strings.TrimSpace(l.Text), ".") && !startsWithDate(strings.TrimSpace(before.Text)) && !strings.ContainsAny(last, ".:;")):
		return false
	case unicode.IsLower(first) && !strings.ContainsAny(last, ".:;"):
		return true
	case !full:
		return false
	}
	return !strings.ContainsAny(last, ":")
}

// arrives and departs begin lines of a ship's call, which go together.
var (
	arrives = pattern.Lazy(`(?i)^\s*(?:eta|etb|arrival|arrives|arr\.?)\s`)
	departs = pattern.Lazy(`(?i)^\s*(?:etd|ets|departure|departs|dep\.?|sails)\s`)
)

// startsUpper tells whether a text begins with a capital.
func startsUpper(text string) bool {
	first, _ := utf8.DecodeRuneInString(text)
	return unicode.IsUpper(first)
}

// fromTo is a line that says from when to when, and nothing else.
var fromTo = pattern.Lazy(fromToHours + `\.?$`)

// fromToTitle is a line that says from when to when, and then what.
var fromToTitle = pattern.Lazy(fromToHours + `,?\s+\p{Lu}`)

const fromToHours = `^(?:from|von|de|dalle|das|van|desde)(?: las)? \d{1,2}(?:[:.h]\d\d)?(?: ?(?:uhr|uur|h|[ap]\.?m\.?))? (?:to|until|till|bis|à|a|a las|alle|às|tot) \d{1,2}(?:[:.h]\d\d)?(?: ?(?:uhr|uur|h|[ap]\.?m\.?))?`

// hourLine is a line of a programme that begins with a word and a time, and goes on with a
// title.
var hourLine = pattern.Lazy(`^(?:ore|alle(?: ore)?|à|às|om|um|a las|from|ab|dalle|desde(?: las)?|das|vanaf|dès|approx\.?|ca\.?|circa|about|around|gegen|vers|hacia las|verso le|rond) \d{1,2}(?:[:.h]\d\d)?(?: ?(?:uhr|uur|h))?,?\s+\p{Lu}`)

// fromLine and toLine begin with the first and the last day of something.
var (
	fromLine = pattern.Lazy(`(?i)^\s*(?:from|von|vom|du|del|dal|desde|van)\s`)
	toLine   = pattern.Lazy(`(?i)^\s*(?:to|until|till|bis|au|al|até|tot|hasta|fino al)\s`)
)

// dashed is a line that begins with a title and a dash.
var dashed = pattern.Lazy(`^\s*\p{Lu}[^.;:]{2,50}\s[–—-]\s`)

// columned is a line with white space between its columns, and endOnly one that begins
// with the end of something.
var (
	columned = pattern.Lazy(`\S(?: {3,}|\t+)\S`)
	endOnly  = pattern.Lazy(`(?i)^(?:until|till|til|bis|jusqu'à|hasta|fino alle|até|tot) (?:\d{1,2}(?:[:.h]\d\d|\s?[ap]\.?m\b)|\d{4}\s?h)`)
)

// cutOff tells whether a line cannot end where it does: 2:00 PM -, 9:00 and, (was, 5 and
// then March, Sun 8 March and then a time.
func cutOff(was, text string) bool {
	next := &reader{text: text, toks: scan(text[:min(len(text), 20)])}
	r := &reader{text: was, toks: scan(was)}
	if len(next.toks) == 0 || len(r.toks) == 0 || columned().MatchString(was) { // a row whose last cell is empty
		return false
	}
	last, first := r.toks[len(r.toks)-1], next.toks[0]
	number := last.kind == 'n' || last.kind == 'w' && numberWords.number(last.text) > 0
	if number && first.kind == 'w' && (last.kind == 'n' && len(first.text) > 3 && monthOf(first.text) > 0 && len(next.toks) > 1 && r.month(len(r.toks)-2) == 0 && !(next.toks[1].kind == 'n' && len(next.toks[1].text) < 3 && !next.is(2, ':') && !next.half(2)) || lengthWords.has(first.text) && hasTime(was) && (!startsUpper(text) || list("stunde stunden minuten tag tage woche wochen monat monate").has(first.text))) {
		return true
	}
	_, day := next.when(0)
	_, clock := next.clocks(0, false)
	if day == 0 && (clock == 0 || first.kind != 'n' && !noonWords.has(first.text) && !midnightWords.has(first.text)) || !SaysDay(was) && !hasTime(was) {
		return false
	}
	word := was[strings.LastIndexByte(was, ' ')+1:] // as it is written: and no Hall A
	switch timed := day == 0; {
	case strings.Count(was, "(") > strings.Count(was, ")") && !strings.Contains(text, "("):
		return true
	case list("and to until till by before after since or through thru from between at und bis oder um von ab zwischen et à au ou de jusqu'à y a hasta o desde e al alle dalle all' fino até às en tot of van om t/m & + gegen about around vers hacia verso rond").has(word), list("start starts begin begins end ends beginnt endet").has(word) && !startsWithDate(strings.TrimSpace(was)):
		return true
	case !timed || startsWithDate(strings.TrimSpace(was)):
		return false
	case strings.HasSuffix(was, ","):
		return true
	case !hasTime(was):
		return false
	case strings.HasSuffix(was, "-") || strings.HasSuffix(was, "–") || strings.HasSuffix(was, "—") || strings.HasSuffix(was, "→") || strings.HasSuffix(was, "->"):
		return true
	}
	if weekdaysOf(last.text) != 0 && unicode.IsUpper(rune(word[0])) { // Voss Sa 8-20 Uhr, Imre So
		return true
	}
	for i := range r.toks { // a time, and then a day that has none yet
		if _, end := r.when(i); end == len(r.toks) {
			return true
		}
	}
	return false
}

// roughLine begins with a time that is said only roughly.
var roughLine = pattern.Lazy(`(?i)^(?:approx\.?|approximately|ca\.?|circa|about|around|gegen|etwa|ungefähr|vers|environ|hacia|sobre|verso|cerca|por volta|rond|omstreeks) (?:las |le |das |de )?\d{1,2}(?:[:.h]\d\d| ?(?:uhr|h|am|pm|hrs)\b)`)

// colonLine is a line that begins with a name and a colon.
var colonLine = pattern.Lazy(`^\s*\p{Lu}[\p{L}\d ,&/'’().-]{1,40}:\s+\S`)

// startsWithDate tells whether a line begins with a date or a time.
func startsWithDate(text string) bool {
	r := &reader{text: text, toks: scan(text[:min(len(text), 60)])}
	if len(r.toks) == 0 {
		return false
	}
	if _, end := r.when(0); end > 0 && !r.word(0, fromWords) {
		return true
	}
	_, end := r.clocks(0, false)
	return end > 0 && r.is(0, 'n')
}

func lastWord(text string) string {
	words := strings.Fields(text)
	if len(words) == 0 {
		return ""
	}
	return strings.ToLower(words[len(words)-1])
}

// startsWithLabelledDate tells whether a line begins with a date, or with a few words that
// lead to one: KW 11: Mo 9.3., Good Friday 3 April.
func startsWithLabelledDate(text string, lower bool) bool {
	text = strings.TrimSpace(text)
	if startsWithDate(text) {
		return true
	}
	first, _ := utf8.DecodeRuneInString(text)
	r := &reader{text: text, toks: scan(text[:min(len(text), 60)])}
	for i := 1; i <= 3 && i < len(r.toks) && unicode.IsUpper(first) != lower; i++ {
		if r.word(i-1, smallWords) {
			return false
		}
		if _, end := r.when(i); end > 0 && (lower || i == 1 || r.is(i-1, ':') || r.is(i-1, 'n') || r.weekday(i) != 0) {
			return true
		}
	}
	return false
}

// paragraph makes units of lines that belong together.
func paragraph(lines []Line) []unit {
	if len(lines) == 0 {
		return nil
	}
	first := lines[0]
	u := unit{page: first.Page, line: first.Number, item: first.Item || bullet().MatchString(first.Text), struck: first.Struck}
	text, numbered := bullet().ReplaceAllString(first.Text, ""), false
	if m := enumerated().FindStringSubmatch(text); m != nil && counted(m[1]) { // 1. Lamp check
		text = m[1]
		u.item, numbered = true, true
	}
	starts := []int{0}
	for _, l := range lines[1:] {
		text = strings.TrimRight(text, " \t")
		next := strings.TrimSpace(l.Text)
		if strings.HasSuffix(text, "-") && len(text) > 1 && next != "" {
			if r, _ := utf8.DecodeRuneInString(next); unicode.IsLower(r) && text[len(text)-2] != ' ' {
				text = text[:len(text)-1] // a word that was cut at the end of a line
				starts = append(starts, len(text))
				text += next
				continue
			}
		}
		text += " "
		starts = append(starts, len(text))
		text += next
	}
	if m := markdown().FindStringSubmatch(text); m != nil {
		u.level, u.text = len(m[1]), m[2]
		return []unit{u}
	}
	if strings.HasPrefix(strings.TrimSpace(text), "~~") && strings.HasSuffix(strings.TrimSpace(text), "~~") {
		u.struck = true
	}
	text = plain(text)
	if pieces := listed(text); pieces != nil { // 2 Apr 8-17 | 3 Apr closed
		out := make([]unit, 0, len(pieces))
		for _, p := range pieces {
			one := u
			one.text, one.item = p, true
			out = append(out, one)
		}
		return out
	}
	var out []unit
	cuts := sentences(text)
	at := 0
	for _, end := range cuts {
		one := u
		one.text = strings.TrimSpace(text[at:end])
		one.sentence = len(cuts) > 1 || (!u.item || numbered) && !(at == 0 && dayLed(one.text)) && endsSentence(one.text)
		for n, s := range starts {
			if s <= at+1 {
				one.line = lines[n].Number
				one.page = lines[n].Page
			}
		}
		if one.text != "" {
			out = append(out, one)
		}
		at = end
	}
	return out
}

// listed cuts a line into the pieces that bars, semicolons or points keep apart, where each
// begins with a day; nil where it is no such list.
func listed(text string) []string {
	for _, sep := range []string{"|", ";", "•", "·"} {
		pieces := strings.Split(text, sep)
		if len(pieces) < 2 {
			continue
		}
		for i, p := range pieces {
			if pieces[i] = strings.TrimSpace(p); !startsWithDate(pieces[i]) || !meaningful(pieces[i]) {
				pieces = nil
				break
			}
		}
		if pieces != nil {
			return pieces
		}
	}
	return nil
}

// counted tells whether what stands behind "1." is an item of a list, and not the
// rest of a date.
func counted(rest string) bool {
	first, _ := utf8.DecodeRuneInString(rest)
	if unicode.IsDigit(first) {
		return startsWithDate(rest)
	}
	return unicode.IsUpper(first) && !isMonthWord(rest)
}

// plain takes the signs of emphasis out of a text.
func plain(text string) string {
	return strings.NewReplacer("**", "", "__", "", "~~", "", "`", "", "\u00a0", " ", "\u202f", " ", "\u00ad", "", "\u200b", "").Replace(text)
}

// dayLed tells whether a line begins with a day and a colon, as the lines of a list
// do: "Wed: Brann swaps with Nuala (08:00–16:00)."
func dayLed(text string) bool {
	lead, rest, ok := strings.Cut(text, ":")
	return ok && strings.HasPrefix(rest, " ") && len(lead) < 40 && (weekdaysOf(strings.ToLower(strings.TrimSpace(lead))) != 0 || moment.IsDay(lead))
}

// longest is the longest unit that is read in one, in bytes. No sentence is as long;
// a text without an end would take for ever.
const longest = 2000

// onlyTime tells whether a unit is a line of a list with a time and no day: Corvane 6:00.
func (u unit) onlyTime() bool {
	return !u.gap && !u.sentence && len(u.fields) == 0 && u.level == 0 && hasTime(u.text) && !SaysDay(u.text)
}

// timeFirst tells whether a unit is a line of a list that begins with a time: 14:00 Welcome.
func (u unit) timeFirst() bool {
	return !u.sentence && len(u.fields) == 0 && startsWithTime(u.text)
}

// startsWithTime tells whether a text begins with a time of the day.
// dayEnds is a line that ends with a day or a time.
var dayEnds = pattern.Lazy(`\d\.?,?$`)

// numberedDay tells whether a line begins with a short day of the week in small letters and the
// number of the day: vr 11  19.30 Kaarten.
func numberedDay(text string) bool {
	r := &reader{text: text, toks: scan(text[:min(len(text), 60)])}
	return len(r.toks) > 2 && len(r.tok(0).text) <= 3 && weekdaysOf(r.tok(0).text) != 0 && r.is(1, 'n') && len(r.tok(1).text) <= 2 && r.tok(1).num >= 1 && r.tok(1).num <= 31 && !r.word(2, dayLinks)
}

func startsWithTime(text string) bool {
	r := &reader{text: text, toks: scan(text[:min(len(text), 60)])}
	_, end := r.clock(0, true)
	return end > 1 || dottedTime().MatchString(text) // and not a number alone: 2 tugs
}

// dottedTime begins a line with what may be a time or a day: 14.10 Minutes.
var dottedTime = pattern.Lazy(`^(?:[01]?\d|2[0-3])\.[0-5]\d \p{L}`)

// shortMonth is a text that ends with a month that is cut short, and so with a dot that
// ends no sentence: 3 Mar.
var shortMonth = pattern.Lazy(`\d\.? (\p{L}{3,5})\.$`)

// endsSentence tells whether a text ends with the sign of a sentence.
func endsSentence(text string) bool {
	if m := shortMonth().FindStringSubmatch(text); m != nil && monthOf(strings.ToLower(m[1])) > 0 && startsWithTime(text) {
		return false
	}
	return strings.HasSuffix(text, ".") || strings.HasSuffix(text, "?") || strings.HasSuffix(text, "!")
}

// pieces cuts a unit that is too long, at spaces.
func (u unit) pieces() []unit {
	if len(u.text) <= longest || len(u.fields) > 0 {
		for i, f := range u.fields {
			if len(f.Value) > longest {
				u.fields[i].Value = strings.ToValidUTF8(f.Value[:longest], "")
			}
		}
		return []unit{u}
	}
	var out []unit
	for text := u.text; text != ""; {
		end := min(longest, len(text))
		if end < len(text) {
			if i := strings.LastIndexByte(text[:end], ' '); i > 0 {
				end = i
			}
		}
		piece := u
		piece.text, piece.sentence = strings.ToValidUTF8(strings.TrimSpace(text[:end]), ""), true
		out = append(out, piece)
		text = text[end:]
	}
	return out
}

// labelled brings blocks of labels together: lines of "label: value" that follow
// each other and say a day.
func labelled(units []unit) []unit {
	var out []unit
	for n := 0; n < len(units); {
		block, end := []Field(nil), n
		for ; end < len(units); end++ {
			u := units[end]
			m := labelLine().FindStringSubmatch(u.text)
			if m == nil || u.level > 0 || len(u.fields) > 0 || u.item && end == n && !isLabel(m[1]) {
				break
			}
			if !isLabel(m[1]) && (len(strings.Fields(m[1])) > 3 || startsWithDate(m[1])) {
				break
			}
			if end > n && repeatsLabel(block, m[1]) || end > n && u.gap {
				break
			}
			block = append(block, Field{m[1], m[2]})
		}
		if len(block) >= 2 && saysWhen(block) {
			u := units[n]
			u.fields, u.text = block, joinUnits(units[n:end])
			for _, other := range units[n:end] {
				u.struck = u.struck && other.struck
			}
			out = append(out, u)
			n = end
			continue
		}
		out = append(out, units[n])
		n++
	}
	return out
}

func joinUnits(units []unit) string {
	texts := make([]string, len(units))
	for i, u := range units {
		texts[i] = u.text
	}
	return strings.Join(texts, " / ")
}

func repeatsLabel(block []Field, label string) bool {
	for _, f := range block {
		if strings.EqualFold(f.Label, label) {
			return true
		}
	}
	return false
}

func saysWhen(block []Field) bool {
	for _, f := range block {
		switch labelOf(f.Label) {
		case "when", "date", "start":
			return true
		case "time":
			if (&reader{text: f.Value, toks: scan(f.Value)}).hasDate() {
				return true
			}
		}
	}
	return false
}

// labels are what a label or the heading of a column says that its value is.
var labels = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	for field, words := range map[string]string{
		"when":     "when wann quand cuándo cuando quando wanneer date_and_time date/time termin slot date_&_time datum_und_uhrzeit zeitpunkt moment dates closed closure period zeitraum",
		"date":     "date day datum tag jour fecha día dia data giorno dag on the_date new_date",
		"time":     "time at uhrzeit zeit heure hora ora tijd times hours hour new_time horaire horaires horario horário orario orari tijdstip tijden from_-_to from/to from_–_to von_-_bis von_–_bis de_-_à",
		"start":    "start from an begin begins starts beginning beginn von ab début debut du inicio desde inizio dal início van vanaf eta arrival arrives arr arrived etb in start_date start_time anfang check-in departure_from anreise ankunft arrivée llegada arrivo chegada aankomst arriving berthing first_day erster_tag premier_jour primer_día primo_giorno primeiro_dia eerste_dag date_from from_date effective_from",
		"end":      "end to until till ends ende bis fin hasta fine al fim até tot einde etd departure departs dep departed ets sailing out end_date end_time finish check-out abreise abfahrt départ salida partenza partida saída vertrek leaving last_day letzter_tag dernier_jour último_día ultimo_giorno último_dia laatste_dag date_to to_date effective_to",
		"length":   "length duration how_long dauer durée duración durata duração duur",
		"where":    "where place location venue room hall berth quay salle sala saal zaal halle locatie ubicación endroit sitio muelle cais molo kade kai treffpunkt wo ort où lieu dónde donde lugar dove luogo onde local waar plaats address meeting_place liegeplatz raum area",
		"what":     "what event subject title topic about betreff was quoi objet asunto qué oggetto cosa assunto wat onderwerp re activity work works job purpose reason anlass zweck motif motivo betreff: description name service measure task item race maßnahme gewerk bezeichnung titel titre título titolo thema thème tema objet désignation intitulé lavori trabajo trabalho werkzaamheden",
		"who":      "who with attendees participants people wer mit qui avec quién quien con chi com quem wie met contact kontakt contacto contatto contato ansprechpartner e-mail email mail cc agent requested_by teilnehmer instructor teacher tutor trainer lecturer speaker leader inspector responsible provider doctor driver pilot leitung referent dozent verantwortlich intervenant responsable formateur ponente docente relatore formador orador docent spreker",
		"note":     "doors doors_open einlass ouverture_des_portes apertura_de_puertas apertura_porte abertura_das_portas inloop téléphone teléfono telefono telefone telefoon kosten gebühr tarif tarifa tariffa organiser organizer organised_by organized_by host hosted_by phone tel telephone telefon fax fee fees price cost costs admission tickets preis prix precio prezzo preço prijs number order_number order_no booking_number booking_no reference reference_number ref id meeting_id passcode password link url website web capacity places note notes remark remarks comment comments bemerkung remarque nota opmerking",
		"status":   "status state",
		"invited":  "invited eingeladen invités convocados invitati convidados genodigden audience target_group zielgruppe",
		"reserve":  "rain_date reserve_date reserve alternative_date alternative fallback_date ersatztermin ausweichtermin date_de_repli fecha_alternativa data_alternativa data_di_riserva reservedatum",
		"deadline": "deadline book_by bookings_close reply_by rsvp apply_by registration_closes anmeldeschluss due due_date closing_date registration_by registration_until register_by answer_by respond_by anmeldung_bis anmeldefrist rückmeldung_bis frist antwort_bis date_limite réponse_avant inscription_avant inscriptions_avant fecha_límite plazo inscripción_hasta scadenza iscrizioni_entro risposta_entro prazo inscrições_até inschrijven_tot aanmelden_tot aanmelden_vóór uiterste_datum",
		"made":     "printed issued updated published last_changed last_updated last_modified created date_of_issue sent received submitted submitted_at submitted_on stand erstellt gedruckt imprimé publié version revision timestamp effective_date in_force as_of stand_vom état_au situation_au booked_on ordered_on booking_date order_date invoice_date ordered booked registered signed approved reopens reopening valid_until valid_from expires mis_à_jour mise_à_jour publié_le édité_le actualizado publicado aggiornato pubblicato atualizado bijgewerkt gepubliceerd aktualisiert veröffentlicht gültig_bis gültig_ab valable_jusqu'au válido_hasta valido_fino_al válido_até geldig_tot next_update nächste_aktualisierung prochaine_mise_à_jour",
		"former":   "previous_date old_date former_date original_date bisheriger_termin alter_termin bisheriges_datum altes_datum ancienne_date fecha_anterior antigua_fecha vecchia_data data_precedente data_anterior data_antiga oude_datum vorige_datum",
	} {
		for w := range strings.FieldsSeq(words) {
			out[strings.ReplaceAll(w, "_", " ")] = field
		}
	}
	return out
})

func labelOf(label string) string {
	label = strings.ToLower(strings.Join(strings.Fields(strings.Trim(label, " :*?.")), " "))
	if f := labels()[label]; f != "" {
		return f
	}
	for _, prefix := range []string{"planned ", "scheduled ", "expected ", "estimated ", "actual ", "proposed ", "requested ", "desired ", "preferred ", "new ", "geplanter ", "geplantes ", "geplante ", "voraussichtlicher ", "voraussichtliches ", "voraussichtliche ", "vorauss. ", "verwacht ", "verwachte ", "vermoedelijk ", "date of ", "time of "} {
		if short, ok := strings.CutPrefix(label, prefix); ok {
			if f := labels()[short]; f != "" {
				return f
			}
		}
	}
	for _, suffix := range []string{" date", " time", " on", " at", " (utc)", " (local)", " prévu", " prévue", " previsto", " prevista", " estimado", " estimada", " voraussichtlich", " (geplant)", " (planned)", " (expected)", " (estimated)"} {
		if short, ok := strings.CutSuffix(label, suffix); ok {
			if f := labels()[short]; f != "" {
				return f
			}
		}
	}
	return ""
}

func isLabel(label string) bool { return labelOf(label) != "" }

// Labels tells how many of some labels are known, and whether one of them is of a day or
// a beginning.
func Labels(texts []string) (known int, when bool) {
	for _, text := range texts {
		switch labelOf(text) {
		case "":
		case "when", "date", "start":
			when = true
			fallthrough
		default:
			known++
		}
	}
	return known, when
}

// SaysDay tells whether a text names a day.
func SaysDay(text string) bool { return (&reader{text: text, toks: scan(text)}).hasDate() }

// SaysTime tells whether a text says a time of day, or hours from and to.
func SaysTime(text string) bool { return hasTime(text) || bareHours().MatchString(text) }

var bareHours = pattern.Lazy(`\b([01]?\d|2[0-4])\s*[-–—]\s*([01]?\d|2[0-4])\b(?:\s*(?:h|uhr|hrs)\b)?`)

// SaysPart tells whether a text is a part of the day.
func SaysPart(text string) bool {
	word := strings.ToLower(strings.Trim(text, " .:"))
	return partWords.has(word) || morningWords.has(word) || afternoonWords.has(word) || eveningWords.has(word) || list("mornings afternoons evenings nights am pm a.m p.m früh spät tag day early late nachmittag abend").has(word)
}

// Hours takes the times out of the heading of a column: what is left of it, and the times
// in full. Early 06–14 is Early, 06:00–14:00.
func Hours(text string) (rest, times string) {
	if m := bareHours().FindStringSubmatchIndex(text); m != nil && !hasTime(text) {
		return tidy(text[:m[0]] + " " + text[m[1]:]), text[m[2]:m[3]] + ":00–" + text[m[4]:m[5]] + ":00"
	}
	r := &reader{text: text, toks: scan(text)}
	for i := range r.toks {
		if _, end := r.clocks(i, false); end > 0 {
			from, to := r.tok(i).from, r.tok(end-1).to
			return tidy(text[:from] + " " + text[to:]), text[from:to]
		}
	}
	return text, ""
}

// SaysEvent tells whether a text names a day and says something beside it.
func SaysEvent(text string) bool {
	r := &reader{text: text, toks: scan(text)}
	spans := (&document{}).spans(r, unit{text: text})
	days := false
	for _, s := range spans {
		days = days || s.kind == 'd'
	}
	for i, t := range r.toks {
		if t.kind == 'w' && !smallWords.has(t.text) && !within(spans, i) {
			return days
		}
	}
	return false
}

// NameColumns gives the headings of a table's columns what their values say,
// where the headings do not: the first column of days is When. values gives the
// values of a column.
func NameColumns(headings []string, values func(i int) []string) {
	week := 0
	for _, h := range headings {
		if weekdaysOf(strings.ToLower(strings.Trim(h, " .:"))) != 0 {
			week++
		}
	}
	if week > 1 { // the sheet of a month
		return
	}
	for _, h := range headings {
		switch labelOf(h) {
		case "when", "date", "start":
			return
		}
	}
	for i := range headings {
		days, all := 0, values(i)
		for _, v := range all {
			if (&reader{text: v, toks: scan(v)}).hasDate() {
				days++
			}
		}
		if days > 0 && days*2 >= len(all) && labelOf(headings[i]) != "made" && labelOf(headings[i]) != "deadline" {
			headings[i] = "When"
			return
		}
	}
}
