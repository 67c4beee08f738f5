package notice

import (
	"strings"
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
