package notice

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/pattern"
)

// abbreviations are words with a full stop that ends no sentence.
var abbreviations = words(`n nos núm num max s.t c.t dep arr eta etd st mr mrs ms dr no nr ca approx tel ext mon tue tues wed thu thur thurs fri sat sun fr mi sa lun mer jeu ven sam dim gio sab jan feb febr mar apr jun jul aug sep sept oct nov dec okt dez janv févr avr juil déc ene abr ago dic gen mag giu lug set ott mrz mär dott sig bzw usw str capt prof art a p m e.g i.e w.e.f hr hrs min mins incl z.b u.a`)

// clockOnly is a time behind a word for one, or a number that can be no day: 14.00.
var clockOnly = pattern.Lazy(`(?i)\b(?:at|from|to|until|till|um|ab|bis|à|a las|alle|às|om|tot|ore|heures)\s+\d{1,2}\.\d{2}$|\b\d{1,2}\.(?:00|1[3-9]|[2-5]\d)$`)

// ordinalNoun is a noun behind a number with a full stop, as German counts.
var ordinalNoun = pattern.Lazy(`^(?:Halbjahr|Quartal|Semester|Trimester|Stock|Etage|Obergeschoss|OG|Sitzung|Termin|Lauf|Abschnitt|Klasse|Reihe)\b`)

// labelAhead is a label that begins a sentence: Tickets: 8.00.
var labelAhead = pattern.Lazy(`^\p{Lu}\p{L}*(?: \p{L}+)?: `)

// partOf stands before the number of a part of a text.
var partOf = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:section|chapter|page|part|item|point|article|clause|paragraph|version|kapitel|abschnitt|seite|punkt|artikel|ziffer|chapitre|paragraphe|sección|capítulo|página|sezione|capitolo|pagina|paragrafo|secção|hoofdstuk|paragraaf) $`)

// beginnings are words that begin a sentence behind "p.m.": with any other it goes on.
var beginnings = words(`the a an it we i you he she they this that these there please then after afterwards before all no not our your their my if in on at for from until bring see let could can will would is are was who what when where as thanks thank best regards everybody everyone nobody any`)

// sentences gives where the sentences of a paragraph end.
func sentences(text string) []int {
	var out []int
	capitals := text == strings.ToUpper(text) // where every word is in capitals, one tells nothing
	small := text == strings.ToLower(text)    // and where none is, any letter begins a sentence
	upper := func(r rune) bool { return unicode.IsUpper(r) || small && unicode.IsLetter(r) }
	for i := 0; i < len(text); i++ {
		c := text[i]
		if c != '.' && c != '?' && c != '!' {
			continue
		}
		end := i + 1
		for end < len(text) && strings.IndexByte(`.?!)"'`, text[end]) >= 0 {
			end++
		}
		if end >= len(text) || text[end] != ' ' {
			continue
		}
		rest := strings.TrimLeft(text[end:], " ")
		if hasPrefixFold(rest, "ETD") || hasPrefixFold(rest, "Departure") { // the end of a stay
			continue
		}
		next, _ := utf8.DecodeRuneInString(rest)
		start := strings.LastIndexAny(text[:i], " (") + 1
		word := strings.ToLower(text[start:i])
		if c == '.' && len(word) == 1 && word >= "a" && word <= "z" && text[start:i] != word { // H. Quent
			continue
		}
		if cut := strings.LastIndexAny(word, "-–/"); cut >= 0 && strings.Trim(word, "0123456789.-–/") == "" { // 16-18. March
			_, size := utf8.DecodeRuneInString(word[cut:])
			word = word[cut+size:]
		}
		if c == '.' {
			begins := func() bool { // what goes on with a day or a zone is the same sentence
				following := &reader{text: rest, toks: scan(rest[:min(len(rest), 20)])}
				if _, clock := following.clocks(1, true); small && clock > 0 && following.word(0, atWords) { // on 31.03. at 12
					return false
				}
				return !capitals && upper(next) && following.word(0, beginnings)
			}
			named := func() bool { // a day and the name of its month
				following := &reader{text: rest, toks: scan(rest[:min(len(rest), 30)])}
				_, day := following.numeric(0)
				return day > 0 && following.is(0, 'n') && following.month(1) > 0
			}
			digits := word != "" && strings.Trim(word, "0123456789") == ""
			if !digits && strings.Trim(word, "0123456789.-–") == "" && strings.Contains(word, ".") { // 03.03. Blood donation
				time, days := clockOnly().MatchString(text[max(0, start-12):i]), SaysDay(firstSentence(rest))
				switch {
				case time && (begins() || !capitals && upper(next) && days || named()): // at 14.00. The drill; 7.50. 24 March
				case begins() && days: // section 3.4. On 26 March
				case partOf().MatchString(text[:start]) && (upper(next) || named()): // section 3.4. Thursday, 26 March
				default:
					continue
				}
			}
			if (word == "p.m" || word == "a.m") && !begins() {
				continue
			}
			if (word == "hrs" || word == "hr" || word == "mins" || word == "min") && start > 1 && text[start-2] >= '0' && text[start-2] <= '9' && (begins() || named() || !capitals && upper(next) && (SaysDay(firstSentence(rest)) || labelAhead().MatchString(rest))) { // at 1045 hrs. Crane test on 3 May
				out = append(out, end)
				i = end
				continue
			}
			if following := strings.FieldsFunc(strings.ToLower(rest[:min(len(rest), 12)]), func(r rune) bool { return !unicode.IsLetter(r) }); digits && len(word) <= 2 && len(following) > 0 && (capitals || !unicode.IsUpper(next)) && (rangeWords.has(following[0]) || andWords.has(following[0]) || orWords.has(following[0])) { // vom 16. bis
				continue
			}
			if (word == "std" || word == "stdn" || word == "hr" || word == "hrs" || word == "c") && unicode.IsDigit(next) { // 1 Std. 30 Min.
				continue
			}
			if unicode.IsDigit(next) && weekdaysOf(word) != 0 && (startsUpper(text[start:i]) || !list("so do sex").has(word)) { // So. 8. März, vie. 6 de marzo; and not: I think so. 8 March
				following := &reader{text: rest, toks: scan(rest[:min(len(rest), 30)])}
				if _, day := following.numeric(0); day > 0 {
					continue
				}
			}
			if digits && len(word) <= 2 && ordinalNoun().MatchString(rest) { // 1. Halbjahr
				continue
			}
			if abbreviations.has(word) || digits && len(word) <= 2 && !upper(next) || digits && len(word) <= 2 && (isMonthWord(rest)) || !upper(next) && !unicode.IsDigit(next) && next != '"' && next != '(' {
				continue
			}
		}
		out = append(out, end)
		i = end
	}
	return append(out, len(text))
}

// firstSentence gives a text up to its first full stop that a space follows.
func firstSentence(text string) string {
	first, _, _ := strings.Cut(text, ". ")
	return first
}

func hasPrefixFold(s, prefix string) bool {
	return len(s) >= len(prefix) && strings.EqualFold(s[:len(prefix)], prefix)
}

func isMonthWord(rest string) bool {
	word := rest
	if i := strings.IndexFunc(rest, func(r rune) bool { return !unicode.IsLetter(r) }); i >= 0 {
		word = rest[:i]
	}
	r := &reader{toks: []token{{kind: 'w', text: strings.ToLower(word)}, {kind: 'n'}}}
	return r.month(0) > 0
}
