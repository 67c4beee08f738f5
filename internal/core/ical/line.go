package ical

import (
	"bytes"
	"encoding/binary"
	"iter"
	"strings"
	"unicode/utf8"
	"unsafe"
)

// A Line is one content line (RFC 5545 §3.1) with its bytes as they were
// read. It aliases the bytes it was cut from.
type Line struct {
	Raw    []byte // folds and line ending included
	Number int32  // 1-based physical line it begins on, counted from the start of its component
	Depth  int16  // 0 for a property of the component itself, 1 in a component inside it, …
	text   []byte // without the ending; unfolded unless folded is set
	folded bool   // the value has folds still
}

// Lines cuts the bytes of a component, or of any run of whole lines, into
// content lines, blank ones included. Lines between BEGIN and END of an inner component have its
// depth, BEGIN and END themselves included.
func Lines(raw []byte) iter.Seq[Line] {
	return func(yield func(Line) bool) {
		number, depth := int32(1), int16(-1)
		if !hasFold(raw, "BEGIN:") {
			depth = 0
		}
		for len(raw) > 0 {
			end, folds := lineEnd(raw)
			l := cutLine(raw[:end], folds)
			l.Number = number
			number += int32(folds) + 1
			raw = raw[end:]
			step := int16(0)
			switch c := l.Initial(); {
			case c == 'b' && l.Is("BEGIN"):
				depth++
			case c == 'e' && l.Is("END"):
				step = 1
			}
			l.Depth = depth
			depth -= step
			if !yield(l) {
				return
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
	l := Line{Raw: raw, text: trimEnding(raw)}
	if folds > 0 {
		// Most folds are in the value, which is unfolded when it is asked for.
		first := l.text[:bytes.IndexByte(l.text, '\n')]
		if _, value := split(first); value >= 0 {
			l.folded = true
		} else {
			l.text = unfold(l.text)
		}
	}
	return l
}

// split gives the length of the name that a content line begins with, and the
// offset of its value, -1 when there is none.
func split(text []byte) (name, value int) {
	i := 0
	for i < len(text) && text[i] != ':' && text[i] != ';' {
		i++
	}
	name = i
	quoted := false
	for ; i < len(text); i++ {
		switch text[i] {
		case '"':
			quoted = !quoted
		case ':':
			if !quoted {
				return name, i + 1
			}
		}
	}
	return name, -1
}

func trimEnding(raw []byte) []byte {
	n := len(raw)
	if n > 0 && raw[n-1] == '\n' {
		n--
	}
	if n > 0 && raw[n-1] == '\r' {
		n--
	}
	return raw[:n]
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
func (l Line) Is(name string) bool {
	n := len(name)
	return len(l.text) >= n && (len(l.text) == n || l.text[n] == ':' || l.text[n] == ';') && hasFold(l.text, name)
}

// Blank tells whether nothing stands on the line.
func (l Line) Blank() bool { return len(bytes.TrimSpace(l.text)) == 0 }

// Name gives the property's name in upper case.
func (l Line) Name() string { return strings.ToUpper(string(l.NameBytes())) }

// NameBytes gives the property's name as it stands.
func (l Line) NameBytes() []byte {
	name, _ := split(l.text)
	return l.text[:name]
}

// Initial gives the first octet of the line in lower case, 0 for an empty one.
func (l Line) Initial() byte {
	if len(l.text) == 0 {
		return 0
	}
	return l.text[0] | 0x20
}

// Sound tells whether the line has a name, parameters and a value.
func (l Line) Sound() bool {
	name, value := split(l.text)
	if value < 0 || name == 0 {
		return false
	}
	for _, c := range l.text[:name] {
		if !(c == '-' || c >= '0' && c <= '9' || c >= 'A' && c <= 'Z' || c >= 'a' && c <= 'z' || c == '_' || c == '.') {
			return false
		}
	}
	return true
}

// Value gives the property's value as written, still escaped. It may alias
// the bytes read.
func (l Line) Value() []byte {
	_, value := split(l.text)
	if value < 0 {
		return nil
	}
	if l.folded {
		return unfold(l.text[value:])
	}
	return l.text[value:]
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

// Param gives the first value of the parameter of a name (upper case), or
// "" when it is absent.
func (l Line) Param(called string) string {
	name, value := split(l.text)
	if value < 0 || name+1 >= value {
		return ""
	}
	// One plain parameter, as most lines have, is read where it stands.
	only := l.text[name+1 : value-1]
	if eq := len(called); len(only) > eq && only[eq] == '=' && !bytes.ContainsAny(only, ";,\"^") {
		if hasFold(only, called) {
			return alias(only[eq+1:])
		}
		return ""
	}
	for _, p := range l.Params() {
		if p.Name == called && len(p.Values) > 0 {
			return p.Values[0]
		}
	}
	return ""
}

// alias gives bytes as a string that shares their memory.
func alias(b []byte) string { return unsafe.String(unsafe.SliceData(b), len(b)) }

// Params gives the parameters in order.
func (l Line) Params() []Param {
	length, value := split(l.text)
	if value < 0 || length+1 >= value {
		return nil
	}
	var out []Param
	for _, part := range splitOutside(string(l.text[length+1:value-1]), ';') {
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
// boundaries, ended by CRLF. The value must already be escaped for its type. It
// is one line, whatever is in it: control characters become spaces.
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
	return EndLine(append(dst, value...), at)
}

// AppendText is AppendLine for a property without parameters whose value is of
// type TEXT and not yet escaped.
func AppendText(dst []byte, name, text string) []byte {
	at := len(dst)
	return endTame(appendEscaped(append(append(dst, name...), ':'), text), at) // as what is escaped is
}

// EndLine ends the content line that stands in dst from offset at on, as
// AppendLine does.
func EndLine(dst []byte, at int) []byte {
	tame(dst[at:])
	return endTame(dst, at)
}

// endTame is EndLine for a line without control characters.
func endTame(dst []byte, at int) []byte {
	if len(dst)-at <= foldAt {
		return append(dst, '\r', '\n')
	}
	var buf [512]byte
	return fold(dst[:at], append(buf[:0], dst[at:]...))
}

// tame makes spaces of the control characters in a line, so that no value, of
// whatever property, can end it and begin another (§3.1).
func tame(line []byte) {
	const each = 0x0101010101010101 // an octet of eight
	for len(line) >= 8 {
		x := binary.LittleEndian.Uint64(line)
		del := x ^ 0x7f*each
		if ((x-' '*each)&^x|(del-each)&^del)&(0x80*each) != 0 { // one of them is below a space, or is DEL
			break
		}
		line = line[8:]
	}
	for i, c := range line {
		if c < ' ' && c != '\t' || c == 0x7f {
			line[i] = ' '
		}
	}
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
	return string(appendEscaped(make([]byte, 0, len(s)+8), s))
}

func appendEscaped(dst []byte, s string) []byte {
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == '\\' || c == ';' || c == ',':
			dst = append(dst, '\\', c)
		case c == '\r' && i+1 < len(s) && s[i+1] == '\n':
		case c == '\n' || c == '\r':
			dst = append(dst, '\\', 'n')
		case (c < ' ' && c != '\t') || c == 0x7f:
			dst = append(dst, ' ')
		default:
			dst = append(dst, c)
		}
	}
	return dst
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
