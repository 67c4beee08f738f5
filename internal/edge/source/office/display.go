package office

import (
	"slices"
	"strconv"
	"strings"
)

// display is how a number format shows whole numbers and texts, as far as it
// adds to them: zeros in front, and letters and signs around them, as in
// "K-"000. A number with decimals, a share or an amount is taken as a number,
// whatever is shown.
type display struct {
	positive, negative, zero section
	text                     string // with @ where the text stands; "" for as it is
}

// section is the format of numbers of one sign: characters to be shown, and
// places for digits.
type section []place

type place struct {
	char  rune // to be shown; 0 for a place of a digit
	digit byte // what the format has for it: 0, # or ?
}

// readDisplay reads a number format's sections (ECMA-376 part 1, §18.8.31).
func readDisplay(code string) (d display) {
	parts := splitFormat(code)
	if text := parts[len(parts)-1]; len(parts) == 4 || len(parts) == 1 && strings.Contains(text, "@") {
		d.text = textFormat(text)
	}
	d.positive = readSection(parts[0])
	d.negative, d.zero = d.positive, d.positive
	if d.positive != nil {
		d.negative = append(section{{char: '-'}}, d.positive...)
	}
	if len(parts) > 1 {
		d.negative = readSection(parts[1])
	}
	if len(parts) > 2 {
		d.zero = readSection(parts[2])
	}
	return d
}

// splitFormat cuts a number format at the semicolons that are no text.
func splitFormat(code string) (parts []string) {
	from := 0
	for i := 0; i < len(code); i++ {
		switch code[i] {
		case '"':
			if end := strings.IndexByte(code[i+1:], '"'); end >= 0 {
				i += end + 1
			}
		case '\\', '_', '*':
			i++
		case ';':
			parts, from = append(parts, code[from:i]), i+1
		}
	}
	return append(parts, code[min(from, len(code)):])
}

// tokens goes through a section of a number format. Literals come as they are
// shown.
func tokens(code string, literal func(rune), sign func(byte) bool) bool {
	for i := 0; i < len(code); {
		switch c := code[i]; {
		case c == '"':
			end := strings.IndexByte(code[i+1:], '"')
			if end < 0 {
				return false
			}
			for _, r := range code[i+1 : i+1+end] {
				literal(r)
			}
			i += end + 2
		case c == '\\' && i+1 < len(code):
			for _, r := range code[i+1:] {
				literal(r)
				i += 1 + len(string(r))
				break
			}
		case (c == '_' || c == '*') && i+1 < len(code): // a gap, or what fills the cell
			i += 2
		case c == '[':
			end := strings.IndexByte(code[i:], ']')
			if end < 0 || !colour(code[i+1:i+end]) {
				return false
			}
			i += end + 1
		case strings.IndexByte("-+()/: !&'~{}=<>", c) >= 0 && c != '/' || c >= 0x80:
			for _, r := range code[i:] {
				literal(r)
				i += len(string(r))
				break
			}
		default:
			if !sign(c) {
				return false
			}
			i++
		}
	}
	return true
}

// colour tells whether what stands in brackets changes nothing of what is
// shown: a colour or a language.
func colour(inside string) bool {
	return strings.HasPrefix(inside, "$-") || strings.Trim(inside, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789") == "" && !strings.ContainsAny(inside[:min(1, len(inside))], "$<>=")
}

// readSection gives nil for what shows more than the digits of a whole number.
func readSection(code string) (out section) {
	digits := 0
	ok := tokens(code, func(r rune) { out = append(out, place{char: r}) }, func(c byte) bool {
		out = append(out, place{digit: c})
		digits++
		return c == '0' || c == '#' || c == '?'
	})
	if !ok || digits == 0 {
		return nil
	}
	return out
}

// textFormat gives a format of texts with its literals, "" when it adds none.
func textFormat(code string) string {
	var b strings.Builder
	added, at := false, 0
	ok := tokens(code, func(r rune) { b.WriteRune(r); added = true }, func(c byte) bool {
		b.WriteByte(c)
		at++
		return c == '@'
	})
	if !ok || !added || at != 1 || strings.Count(b.String(), "@") != 1 {
		return ""
	}
	return b.String()
}

// whole gives a whole number as it is shown.
func (d *display) whole(n int64) (string, bool) {
	s := d.positive
	switch {
	case n < 0:
		s, n = d.negative, -n
	case n == 0:
		s = d.zero
	}
	if s == nil {
		return "", false
	}
	digits := strconv.FormatInt(n, 10)
	if n == 0 {
		digits = ""
	}
	var back []rune // from the end
	first := slices.IndexFunc(s, func(p place) bool { return p.char == 0 })
	for i := len(s) - 1; i >= 0; i-- {
		p := s[i]
		switch {
		case p.char != 0:
			back = append(back, p.char)
			continue
		case digits != "":
			back = append(back, rune(digits[len(digits)-1]))
			digits = digits[:len(digits)-1]
		case p.digit == '0':
			back = append(back, '0')
		case p.digit == '?':
			back = append(back, ' ')
		}
		if i == first { // more digits than places
			for ; digits != ""; digits = digits[:len(digits)-1] {
				back = append(back, rune(digits[len(digits)-1]))
			}
		}
	}
	slices.Reverse(back)
	return strings.TrimSpace(string(back)), true
}

// shownWhole gives a whole number as a sheet shows it, where that is its digits
// with zeros in front or with letters and signs around them.
func shownWhole(n int64, shown string) (string, bool) {
	shown = strings.Join(strings.Fields(shown), " ")
	digits := strings.TrimFunc(shown, func(r rune) bool { return r < '0' || r > '9' })
	if i := strings.Index(shown, digits); digits == "" || strings.ContainsAny(shown, ".,'’%") || i == 1 && n >= 0 && shown[0] == '-' {
		return "", false
	}
	if strings.Trim(digits, "0123456789") != "" && !strings.ContainsFunc(shown, func(r rune) bool { return r >= 'A' }) {
		return "", false // spaces between thousands
	}
	return shown, true
}
