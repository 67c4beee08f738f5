package office

import (
	"bytes"
	"errors"
	"io"
	"strconv"
	"unicode/utf8"

	"almanach/internal/edge/source/sheet"
)

// xmlScanner is a pull reader for the XML of office files. It knows elements,
// attributes, text, CDATA and the five named entities, which is all they use;
// a document type declaration, and with it any entity of its own, is refused.
type xmlScanner struct {
	src  io.Reader
	buf  []byte
	pos  int
	eof  bool
	err  error
	name []byte // local name of the current element
	attr []byte // its attributes, raw
	text []byte // character data, decoded
	open bool   // the current element has content

	struck bool // content met text that is crossed out
}

type xmlKind uint8

const (
	xmlEnd xmlKind = iota // no more input, or an error
	xmlStart
	xmlClose
	xmlText
)

var (
	errDoctype = errors.New("it declares a document type, which office files never do")
	errXML     = errors.New("its XML is damaged")
	errCell    = errors.New("a cell is larger than 4 MiB")
)

const maxToken = 4 << 20

func newXML(r io.Reader) *xmlScanner { return &xmlScanner{src: r, buf: make([]byte, 0, 64<<10)} }

func (x *xmlScanner) fill() bool {
	if x.eof {
		return false
	}
	if x.pos > 0 {
		n := copy(x.buf, x.buf[x.pos:])
		x.buf, x.pos = x.buf[:n], 0
	}
	if len(x.buf) == cap(x.buf) {
		if len(x.buf) > maxToken {
			x.err, x.eof = errCell, true
			return false
		}
		x.buf = append(x.buf, make([]byte, len(x.buf))...)[:len(x.buf)]
	}
	n, err := x.src.Read(x.buf[len(x.buf):cap(x.buf)])
	x.buf = x.buf[:len(x.buf)+n]
	if err != nil {
		x.eof = true
		if err != io.EOF {
			x.err = err
		}
	}
	return n > 0 || !x.eof
}

// until gives the offset of c from pos on, reading as needed.
func (x *xmlScanner) until(from int, sep string) int {
	for {
		if i := bytes.Index(x.buf[x.pos+from:], []byte(sep)); i >= 0 {
			return from + i
		}
		from = max(from, len(x.buf)-x.pos-len(sep)+1)
		if !x.fill() {
			return -1
		}
	}
}

// byteAt gives the offset of c from pos on, reading as needed, or -1.
func (x *xmlScanner) byteAt(from int, c byte) int {
	for {
		if i := bytes.IndexByte(x.buf[x.pos+from:], c); i >= 0 {
			return from + i
		}
		from = len(x.buf) - x.pos
		if !x.fill() {
			return -1
		}
	}
}

// next moves to the next element or text. A self-closing element gives a
// start without content and no close.
func (x *xmlScanner) next() xmlKind {
	for {
		for x.pos == len(x.buf) && x.fill() {
		}
		if x.pos == len(x.buf) || x.err != nil {
			return xmlEnd
		}
		if x.buf[x.pos] != '<' {
			n := x.byteAt(0, '<')
			if n < 0 {
				n = len(x.buf) - x.pos
			}
			x.text = unescapeXML(x.buf[x.pos : x.pos+n])
			x.pos += n
			return xmlText
		}
		for len(x.buf)-x.pos < 9 && x.fill() {
		}
		if len(x.buf)-x.pos > 1 && x.buf[x.pos+1] != '!' && x.buf[x.pos+1] != '?' {
			return x.element()
		}
		switch b := x.buf[x.pos:]; {
		case bytes.HasPrefix(b, []byte("<!--")):
			if !x.skip("-->") {
				return xmlEnd
			}
			continue
		case bytes.HasPrefix(b, []byte("<![CDATA[")):
			n := x.until(9, "]]>")
			if n < 0 {
				return x.damaged()
			}
			x.text = x.buf[x.pos+9 : x.pos+n]
			x.pos += n + 3
			return xmlText
		case bytes.HasPrefix(b, []byte("<!")):
			x.err = errDoctype
			return xmlEnd
		case bytes.HasPrefix(b, []byte("<?")):
			if !x.skip("?>") {
				return xmlEnd
			}
			continue
		}
		return x.element()
	}
}

func (x *xmlScanner) skip(end string) bool {
	n := x.until(0, end)
	if n < 0 {
		x.damaged()
		return false
	}
	x.pos += n + len(end)
	return true
}

func (x *xmlScanner) damaged() xmlKind {
	if x.err == nil {
		x.err = errXML
	}
	return xmlEnd
}

func (x *xmlScanner) element() xmlKind {
	n := x.byteAt(0, '>')
	if n < 0 {
		return x.damaged()
	}
	tag := x.buf[x.pos+1 : x.pos+n]
	if len(tag) > 0 && tag[0] == '/' {
		x.pos += n + 1
		x.name = localName(bytes.TrimSpace(tag[1:]))
		return xmlClose
	}
	i := 0 // the end of the name
	for i < len(tag) && tag[i] > ' ' && tag[i] != '/' {
		i++
	}
	if i < len(tag) {
		for bytes.Count(tag, quote)%2 == 1 { // a > inside an attribute
			if n = x.byteAt(n+1, '>'); n < 0 {
				return x.damaged()
			}
			tag = x.buf[x.pos+1 : x.pos+n]
		}
	}
	x.pos += n + 1
	x.open = true
	if len(tag) > 0 && tag[len(tag)-1] == '/' {
		x.open = false
		tag = tag[:len(tag)-1]
	}
	i = min(i, len(tag))
	x.name, x.attr = localName(tag[:i]), tag[i:]
	if len(x.name) == 0 {
		return x.damaged()
	}
	return xmlStart
}

var quote = []byte{'"'}

// simple gives the text of the current element when it has nothing else in it,
// and moves behind its end.
func (x *xmlScanner) simple() ([]byte, bool) {
	n := x.byteAt(0, '<')
	if n < 0 {
		return nil, false
	}
	for len(x.buf)-x.pos < n+len(x.name)+16 && x.fill() { // the name moves with the buffer
	}
	b := x.buf[x.pos:]
	end := bytes.IndexByte(b[n:], '>')
	if end < 2 || b[n+1] != '/' {
		return nil, false
	}
	x.pos += n + end + 1
	return unescapeXML(b[:n]), true
}

// eachAttr calls yield with each attribute's name and value as written, as far
// as they are written the usual way.
func (x *xmlScanner) eachAttr(yield func(name, value []byte)) {
	b := x.attr
	for {
		for len(b) > 0 && b[0] <= ' ' {
			b = b[1:]
		}
		eq := bytes.IndexByte(b, '=')
		if eq < 1 || eq+2 >= len(b) || b[eq+1] != '"' {
			return
		}
		end := bytes.IndexByte(b[eq+2:], '"')
		if end < 0 {
			return
		}
		yield(b[:eq], b[eq+2:eq+2+end])
		b = b[eq+2+end+1:]
	}
}

func localName(name []byte) []byte {
	if i := bytes.IndexByte(name, ':'); i >= 0 {
		return name[i+1:]
	}
	return name
}

func (x *xmlScanner) is(name string) bool { return string(x.name) == name }

// get gives an attribute by its local name, decoded, or nil.
func (x *xmlScanner) get(name string) []byte {
	b := x.attr
	for {
		eq := bytes.IndexByte(b, '=')
		if eq < 0 {
			return nil
		}
		key := localName(bytes.TrimSpace(b[:eq]))
		b = bytes.TrimLeft(b[eq+1:], " \t\r\n")
		if len(b) == 0 || (b[0] != '"' && b[0] != '\'') {
			return nil
		}
		end := bytes.IndexByte(b[1:], b[0])
		if end < 0 {
			return nil
		}
		if string(key) == name {
			return unescapeXML(b[1 : 1+end])
		}
		b = b[end+2:]
	}
}

// content gives the text inside the current element, inner elements' texts
// included except for those of a given name, up to its close.
func (x *xmlScanner) content(except string) string {
	x.struck = false
	if !x.open {
		return ""
	}
	var out []byte
	single := true
	var first string
	raised := false // what stands next
	for depth, skip := 1, 0; depth > 0; {
		switch x.next() {
		case xmlEnd:
			x.damaged()
			return string(out)
		case xmlStart:
			switch {
			case x.is("r"):
				raised = false
			case x.is("vertAlign"):
				raised = string(x.get("val")) == "superscript"
			}
			if x.is("strike") && skip == 0 {
				v := x.get("val")
				x.struck = x.struck || len(v) == 0 || yes(v)
			}
			if x.open {
				depth++
				if skip > 0 || (except != "" && x.is(except)) {
					skip++
				}
			}
		case xmlClose:
			depth--
			if skip > 0 {
				skip--
			}
		case xmlText:
			if skip > 0 {
				continue
			}
			if raised {
				x.text = []byte(sheet.Raised(string(x.text)))
			}
			if single && first == "" {
				first = string(x.text)
				continue
			}
			if single {
				out, single = append(out, first...), false
			}
			out = append(out, x.text...)
		}
	}
	if single {
		return first
	}
	return string(out)
}

func unescapeXML(b []byte) []byte {
	if bytes.IndexByte(b, '&') < 0 {
		return b
	}
	out := make([]byte, 0, len(b))
	for i := 0; i < len(b); i++ {
		if b[i] != '&' {
			out = append(out, b[i])
			continue
		}
		end := bytes.IndexByte(b[i:], ';')
		if end < 0 {
			return append(out, b[i:]...)
		}
		name := string(b[i+1 : i+end])
		r, ok := namedEntity[name]
		if !ok && len(name) > 1 && name[0] == '#' {
			digits, base := name[1:], 10
			if digits[0] == 'x' || digits[0] == 'X' {
				digits, base = digits[1:], 16
			}
			if n, err := strconv.ParseUint(digits, base, 31); err == nil {
				r, ok = rune(n), true
			}
		}
		if !ok {
			out = append(out, b[i])
			continue
		}
		out = utf8.AppendRune(out, r)
		i += end
	}
	return out
}

var namedEntity = map[string]rune{"amp": '&', "lt": '<', "gt": '>', "quot": '"', "apos": '\''}
