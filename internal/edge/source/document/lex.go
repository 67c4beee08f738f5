package document

import (
	"bytes"
	"strconv"
)

// lexer reads the operators of a content stream (ISO 32000-1 §7.8.2).
type lexer struct {
	data []byte
	at   int
}

func isSpace(c byte) bool {
	return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == '\f' || c == 0
}

func isDelimiter(c byte) bool { return bytes.IndexByte([]byte("()<>[]{}/%"), c) >= 0 }

// next reads up to the next operator. The numbers and strings of arrays are
// operands as others are; dictionaries are passed over.
func (l *lexer) next(args *[]operand) (op string, ok bool) {
	for {
		for l.at < len(l.data) && isSpace(l.data[l.at]) {
			l.at++
		}
		if l.at >= len(l.data) {
			return "", false
		}
		if len(*args) > 100_000 {
			*args = (*args)[:0]
		}
		switch c := l.data[l.at]; c {
		case '%':
			for l.at < len(l.data) && l.data[l.at] != '\n' && l.data[l.at] != '\r' {
				l.at++
			}
		case '[', ']', '{', '}', ')':
			l.at++
		case '(':
			*args = append(*args, operand{text: l.literal(), str: true})
		case '<':
			if l.at+1 < len(l.data) && l.data[l.at+1] == '<' {
				l.at += 2
				continue
			}
			*args = append(*args, operand{text: l.hex(), str: true})
		case '>':
			l.at++
		case '/':
			l.at++
			*args = append(*args, operand{text: l.word()})
		default:
			word := l.word()
			if word == "" {
				l.at++
				continue
			}
			if n, err := strconv.ParseFloat(word, 64); err == nil {
				*args = append(*args, operand{num: n})
				continue
			}
			if word == "ID" { // the bytes of a picture
				l.skipImage()
				*args = (*args)[:0]
				continue
			}
			return word, true
		}
	}
}

func (l *lexer) word() string {
	from := l.at
	for l.at < len(l.data) && !isSpace(l.data[l.at]) && !isDelimiter(l.data[l.at]) {
		l.at++
	}
	return string(l.data[from:l.at])
}

func (l *lexer) skipImage() {
	for {
		i := bytes.Index(l.data[l.at:], []byte("EI"))
		if i < 0 {
			l.at = len(l.data)
			return
		}
		end := l.at + i + 2
		before := l.at+i == 0 || isSpace(l.data[l.at+i-1])
		l.at = end
		if before && (end >= len(l.data) || isSpace(l.data[end])) {
			return
		}
	}
}

// literal reads a string in brackets.
func (l *lexer) literal() string {
	var out []byte
	depth := 0
	for ; l.at < len(l.data); l.at++ {
		c := l.data[l.at]
		switch {
		case c == '(':
			if depth++; depth == 1 {
				continue
			}
		case c == ')':
			if depth--; depth == 0 {
				l.at++
				return string(out)
			}
		case c == '\\' && l.at+1 < len(l.data):
			l.at++
			switch e := l.data[l.at]; e {
			case 'n':
				out = append(out, '\n')
			case 'r':
				out = append(out, '\r')
			case 't':
				out = append(out, '\t')
			case 'b':
				out = append(out, '\b')
			case 'f':
				out = append(out, '\f')
			case '\r':
				if l.at+1 < len(l.data) && l.data[l.at+1] == '\n' {
					l.at++
				}
			case '\n':
			default:
				if e < '0' || e > '7' {
					out = append(out, e)
					continue
				}
				n := 0
				for i := 0; i < 3 && l.at < len(l.data) && l.data[l.at] >= '0' && l.data[l.at] <= '7'; i++ {
					n = n*8 + int(l.data[l.at]-'0')
					l.at++
				}
				l.at--
				out = append(out, byte(n))
			}
			continue
		}
		out = append(out, c)
	}
	return string(out)
}

// hex reads a string of hexadecimal digits.
func (l *lexer) hex() string {
	l.at++
	var out []byte
	digits, n := 0, 0
	for ; l.at < len(l.data) && l.data[l.at] != '>'; l.at++ {
		c := l.data[l.at]
		v := 0
		switch {
		case c >= '0' && c <= '9':
			v = int(c - '0')
		case c|0x20 >= 'a' && c|0x20 <= 'f':
			v = int(c|0x20-'a') + 10
		default:
			continue
		}
		n = n*16 + v
		if digits++; digits%2 == 0 {
			out = append(out, byte(n))
			n = 0
		}
	}
	if digits%2 == 1 {
		out = append(out, byte(n*16))
	}
	l.at = min(len(l.data), l.at+1)
	return string(out)
}
