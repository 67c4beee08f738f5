package notice

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/pattern"
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

// startsWithTime tells whether a text begins with a time of the day.
// dayEnds is a line that ends with a day or a time.
var dayEnds = pattern.Lazy(`\d\.?,?$`)

// numberedDay tells whether a line begins with a short day of the week in small letters and the
// number of the day: vr 11  19.30 Kaarten.
func numberedDay(text string) bool {
	r := &reader{text: text, toks: scan(text[:min(len(text), 60)])}
	return len(r.toks) > 2 && len(r.tok(0).text) <= 3 && weekdaysOf(r.tok(0).text) != 0 && r.is(1, 'n') && len(r.tok(1).text) <= 2 && r.tok(1).num >= 1 && r.tok(1).num <= 31 && !r.word(2, dayLinks)
}
