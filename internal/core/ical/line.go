package ical

import (
	"bytes"
	"iter"
	"strings"
	"unicode/utf8"
	"unsafe"
)

// A Line is one content line (RFC 5545 §3.1) with its bytes as they were
// read. It aliases the bytes it was cut from.
type Line struct {
	Raw    []byte // folds and line ending included
	Number int    // 1-based physical line it begins on, counted from the start of its component
	Depth  int    // 0 for a property of the component itself, 1 in a component inside it, …
	text   []byte // unfolded, without the ending; Raw itself where nothing is folded
	name   int    // length of the name
	value  int    // offset of the value in text, or -1 when there is no colon
}

// Lines cuts the bytes of a component, or of any run of whole lines, into
// content lines, blank ones included. Lines between BEGIN and END of an inner component have its
// depth, BEGIN and END themselves included.
func Lines(raw []byte) iter.Seq[Line] {
	return func(yield func(Line) bool) {
		number, depth := 1, -1
		if !hasFold(raw, "BEGIN:") {
			depth = 0
		}
		for len(raw) > 0 {
			end, folds := lineEnd(raw)
			l := cutLine(raw[:end], folds)
			l.Number = number
			number += folds + 1
			raw = raw[end:]
			begin := l.Is("BEGIN")
			if begin {
				depth++
			}
			l.Depth = depth
			if !yield(l) {
				return
			}
			if !begin && l.Is("END") {
				depth--
			}
		}
	}
}

// lineEnd gives the length of the content line that raw begins with, its
// continuation lines included, and how many of those there are.
func lineEnd(raw []byte) (end, folds int) {
	for {
		i := bytes.IndexByte(raw[end:], '\n')
		if i < 0 {
			return len(raw), folds
		}
		end += i + 1
		if end >= len(raw) || (raw[end] != ' ' && raw[end] != '\t') {
			return end, folds
		}
		folds++
	}
}

func cutLine(raw []byte, folds int) Line {
	l := Line{Raw: raw, value: -1}
	l.text = trimEnding(raw)
	if folds > 0 {
		l.text = unfold(l.text)
	}
	l.name = len(l.text)
	quoted, named := false, false
	for i, c := range l.text {
		switch c {
		case '"':
			quoted = !quoted
		case ';':
			if !named {
				l.name, named = i, true
			}
		case ':':
			if quoted {
				continue
			}
			if !named {
				l.name = i
			}
			l.value = i + 1
			return l
		}
	}
	return l
}

func trimEnding(raw []byte) []byte {
	raw = bytes.TrimSuffix(raw, []byte{'\n'})
	return bytes.TrimSuffix(raw, []byte{'\r'})
}

// Unfold undoes the folds of a part of a content line.
func Unfold(raw []byte) []byte { return unfold(raw) }

// unfold removes every line break that white space follows, byte by byte, so
// that a character cut in two by a careless writer is whole again.
func unfold(raw []byte) []byte {
	out := make([]byte, 0, len(raw))
	for {
		i := bytes.IndexByte(raw, '\n')
		if i < 0 || i+1 >= len(raw) {
			return append(out, raw...)
		}
		out = append(out, trimEnding(raw[:i+1])...)
		raw = raw[i+2:]
	}
}

// hasFold tells whether text begins with prefix, which is in upper case.
func hasFold(text []byte, prefix string) bool {
	if len(text) < len(prefix) {
		return false
	}
	for i := range len(prefix) {
		c := text[i]
		if 'a' <= c && c <= 'z' {
			c -= 'a' - 'A'
		}
		if c != prefix[i] {
			return false
		}
	}
	return true
}

// Is tells whether the line's property is the one called name, which is in
// upper case. Property names ignore case (§2).
func (l Line) Is(name string) bool { return l.name == len(name) && hasFold(l.text, name) }

// Blank tells whether nothing stands on the line.
func (l Line) Blank() bool { return len(bytes.TrimSpace(l.text)) == 0 }

// Name gives the property's name in upper case.
func (l Line) Name() string { return strings.ToUpper(string(l.text[:l.name])) }

// NameBytes gives the property's name as it stands.
func (l Line) NameBytes() []byte { return l.text[:l.name] }

// Sound tells whether the line has a name, parameters and a value.
func (l Line) Sound() bool {
	if l.value < 0 || l.name == 0 {
		return false
	}
	for _, c := range l.text[:l.name] {
		if !(c == '-' || c >= '0' && c <= '9' || c >= 'A' && c <= 'Z' || c >= 'a' && c <= 'z' || c == '_' || c == '.') {
			return false
		}
	}
	return true
}

// Value gives the property's value as written, still escaped. It may alias
// the bytes read.
func (l Line) Value() []byte {
	if l.value < 0 {
		return nil
	}
	return l.text[l.value:]
}

// Text gives a value of type TEXT with its escapes undone (§3.3.11). Like
// Value it may share memory with the bytes read.
func (l Line) Text() string { return Unescape(l.Value()) }

// A Param is one property parameter. Values have their quotes removed and
// RFC 6868's caret escapes undone.
type Param struct {
	Name   string // upper case
	Values []string
}

// Param gives the first value of the parameter called name (upper case), or
// "" when it is absent.
func (l Line) Param(name string) string {
	if l.value < 0 || l.name+1 >= l.value {
		return ""
	}
	// One plain parameter, as most lines have, is read where it stands.
	only := l.text[l.name+1 : l.value-1]
	if eq := len(name); len(only) > eq && only[eq] == '=' && !bytes.ContainsAny(only, ";,\"^") {
		if hasFold(only, name) {
			return alias(only[eq+1:])
		}
		return ""
	}
	for _, p := range l.Params() {
		if p.Name == name && len(p.Values) > 0 {
			return p.Values[0]
		}
	}
	return ""
}

// alias gives bytes as a string that shares their memory.
func alias(b []byte) string { return unsafe.String(unsafe.SliceData(b), len(b)) }

// Params gives the parameters in order.
func (l Line) Params() []Param {
	if l.value < 0 || l.name+1 >= l.value {
		return nil
	}
	var out []Param
	for _, part := range splitOutside(string(l.text[l.name+1:l.value-1]), ';') {
		name, list, _ := strings.Cut(part, "=")
		p := Param{Name: strings.ToUpper(strings.TrimSpace(name))}
		for _, v := range splitOutside(list, ',') {
			p.Values = append(p.Values, caretDecode.Replace(strings.Trim(v, `"`)))
		}
		out = append(out, p)
	}
	return out
}

var (
	caretDecode = strings.NewReplacer("^n", "\n", "^^", "^", "^'", `"`)
	caretEncode = strings.NewReplacer("\r\n", "^n", "\n", "^n", "^", "^^", `"`, "^'")
)

func splitOutside(s string, sep byte) []string {
	var out []string
	quoted, from := false, 0
	for i := range len(s) {
		switch {
		case s[i] == '"':
			quoted = !quoted
		case s[i] == sep && !quoted:
			out = append(out, s[from:i])
			from = i + 1
		}
	}
	return append(out, s[from:])
}

// AppendLine appends a content line to dst: folded at 75 octets on character
// boundaries, ended by CRLF. The value must already be escaped for its type.
func AppendLine(dst []byte, name string, params []Param, value string) []byte {
	at := len(dst)
	dst = append(dst, name...)
	for _, p := range params {
		dst = append(append(append(dst, ';'), p.Name...), '=')
		for i, v := range p.Values {
			if i > 0 {
				dst = append(dst, ',')
			}
			dst = appendParam(dst, v)
		}
	}
	dst = append(dst, ':')
	dst = append(dst, value...)
	if len(dst)-at <= foldAt {
		return append(dst, '\r', '\n')
	}
	return fold(dst[:at], append([]byte(nil), dst[at:]...))
}

func appendParam(dst []byte, v string) []byte {
	v = caretEncode.Replace(v)
	if strings.ContainsAny(v, ":;, \t") {
		return append(append(append(dst, '"'), v...), '"')
	}
	return append(dst, v...)
}

const foldAt = 75 // octets a line may have, its ending not counted (§3.1)

func fold(dst, line []byte) []byte {
	room := foldAt
	for len(line) > room {
		cut := room
		for cut > 1 && !utf8.RuneStart(line[cut]) {
			cut--
		}
		dst = append(append(dst, line[:cut]...), '\r', '\n', ' ')
		line = line[cut:]
		room = foldAt - 1
	}
	return append(append(dst, line...), '\r', '\n')
}

// Escape writes a value of type TEXT (§3.3.11). Control characters other than
// line breaks and tabs have no place in one and become spaces.
func Escape(s string) string {
	plain := true
	for i := range len(s) {
		if c := s[i]; c == '\\' || c == ';' || c == ',' || (c < ' ' && c != '\t') || c == 0x7f {
			plain = false
			break
		}
	}
	if plain {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == '\\' || c == ';' || c == ',':
			b.WriteByte('\\')
			b.WriteByte(c)
		case c == '\r' && i+1 < len(s) && s[i+1] == '\n':
		case c == '\n' || c == '\r':
			b.WriteString(`\n`)
		case (c < ' ' && c != '\t') || c == 0x7f:
			b.WriteByte(' ')
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// Unescape reads a value of type TEXT; without escapes the result shares
// memory with raw. A backslash before anything but the
// characters that need one is kept.
func Unescape(raw []byte) string {
	if bytes.IndexByte(raw, '\\') < 0 {
		return alias(raw)
	}
	out := make([]byte, 0, len(raw))
	for i := 0; i < len(raw); i++ {
		if raw[i] == '\\' && i+1 < len(raw) {
			switch c := raw[i+1]; c {
			case 'n', 'N':
				out = append(out, '\n')
				i++
				continue
			case '\\', ';', ',':
				out = append(out, c)
				i++
				continue
			}
		}
		out = append(out, raw[i])
	}
	return string(out)
}

// SplitList cuts a multi-valued TEXT value at its unescaped commas and undoes
// the escapes of each part.
func SplitList(raw []byte) []string {
	var out []string
	from := 0
	for i := 0; i < len(raw); i++ {
		switch raw[i] {
		case '\\':
			i++
		case ',':
			out = append(out, Unescape(raw[from:i]))
			from = i + 1
		}
	}
	return append(out, Unescape(raw[from:]))
}

// JoinList writes a multi-valued TEXT value.
func JoinList(values []string) string {
	escaped := make([]string, len(values))
	for i, v := range values {
		escaped[i] = Escape(v)
	}
	return strings.Join(escaped, ",")
}
