package moment

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/pattern"
)

// token is one number, word or sign of a text.
type token struct {
	text string // lower case for words
	num  int    // value of a number
	kind byte   // 'n' number, 'w' word, else the sign itself ('-' for every dash)
	gap  bool   // white space stands before it
}

// visible gives the text of a cell without the spaces around it, and without what has no
// shape: spaces of no width, soft hyphens, marks of writing direction, which come along
// when text is copied from a page. Minutes above the line are brought down: 8³⁰ is 8:30.
func visible(text string) string {
	for i := range len(text) {
		if text[i] >= utf8.RuneSelf {
			text = strings.Map(func(r rune) rune {
				if unicode.Is(unicode.Cf, r) {
					return -1
				}
				return r
			}, text)
			if !strings.ContainsAny(text, "⁰¹²³⁴⁵") {
				break
			}
			text = raised().ReplaceAllStringFunc(text, func(clock string) string {
				hour := strings.TrimRight(clock, "⁰¹²³⁴⁵⁶⁷⁸⁹")
				return hour + ":" + lowered.Replace(clock[len(hour):])
			})
			break
		}
	}
	return strings.TrimSpace(text)
}

// raised is a time of day whose minutes stand above the line: 8³⁰.
var raised = pattern.Lazy(`(?:^|[\s–—-])(?:[01]?\d|2[0-4])[⁰¹²³⁴⁵][⁰¹²³⁴⁵⁶⁷⁸⁹]`)

var lowered = strings.NewReplacer("⁰", "0", "¹", "1", "²", "2", "³", "3", "⁴", "4", "⁵", "5", "⁶", "6", "⁷", "7", "⁸", "8", "⁹", "9")

// scan cuts text into tokens. It gives nil when there are too many for a date.
func scan(text string) []token {
	if text == "" {
		return nil
	}
	out := make([]token, 0, min(len(text), 8)) // as many as most dates have
	gap := false
	if strings.Contains(text, "’") { // jusqu’au
		text = strings.ReplaceAll(text, "’", "'")
	}
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		start := i
		switch {
		case unicode.IsSpace(r):
			gap = true
			i += size
			continue
		case r >= '0' && r <= '9':
			n := 0
			for i < len(text) && text[i] >= '0' && text[i] <= '9' {
				if i-start < 16 {
					n = n*10 + int(text[i]-'0')
				}
				i++
			}
			out = append(out, token{text: text[start:i], num: n, kind: 'n', gap: gap})
		case unicode.IsLetter(r):
			i = wordEnd(text, i)
			word := strings.ToLower(text[start:i])
			if rest, ok := strings.CutPrefix(text[i:], ". m"); ok && (word == "a" || word == "p") && wordEnd(text, i+2) == i+3 { // 5:30 p. m.
				i = len(text) - len(rest)
				word += ".m"
			}
			if strings.HasSuffix(word, ".m") { // a.m., p.m.
				word = strings.ReplaceAll(word, ".", "")
				if i < len(text) && text[i] == '.' {
					i++
				}
			}
			out = append(out, token{text: word, kind: 'w', gap: gap})
		default:
			i += size
			kind := byte(0)
			switch r {
			case '-', '–', '—', '‐', '‑', '‒', '−', '→', '⇒':
				kind = '-'
			case '>':
				if last := len(out) - 1; last >= 0 && !gap && (out[last].kind == '-' || out[last].kind == '=') { // ->
					out[last].kind = '-'
					continue
				}
				kind = '>'
			case '\'', '’':
				kind = '\''
			case 'º', 'ª', '°':
				out = append(out, token{text: "º", kind: 'w', gap: gap})
				gap = false
				continue
			default:
				if r < utf8.RuneSelf {
					kind = byte(r)
				}
			}
			out = append(out, token{text: text[start:i], kind: kind, gap: gap})
		}
		gap = false
		if len(out) > 24 {
			return nil
		}
	}
	return out
}

// wordEnd gives the end of the word that begins at i. Full stops, hyphens and
// slashes join letters only in words we know (a.m., terça-feira, t/m).
func wordEnd(text string, i int) int {
	run := func(i int) int {
		for i < len(text) {
			r, size := utf8.DecodeRuneInString(text[i:])
			if !unicode.IsLetter(r) && !unicode.Is(unicode.Mn, r) {
				break
			}
			i += size
		}
		return i
	}
	end := run(i)
	for end+1 < len(text) && strings.IndexByte("-./'", text[end]) >= 0 {
		next := run(end + 1)
		if next == end+1 {
			break
		}
		joined := strings.ToLower(text[i:next])
		if _, ok := senses()[joined]; !ok && joined != "a.m" && joined != "p.m" {
			break
		}
		end = next
	}
	return end
}
