package event

import (
	"bytes"
	"strings"
)

// Some servers lose or split what is escaped in the value of a property they do
// not know. So our marks hold nothing that wants an escape: these characters
// stand as percent and two digits (as in RFC 3986 §2.1).
var (
	markWriter = strings.NewReplacer("%", "%25", ",", "%2C", ";", "%3B", `\`, "%5C", "\n", "%0A")
	markReader = strings.NewReplacer("%25", "%", "%2C", ",", "%3B", ";", "%5C", `\`, "%0A", "\n")
)

const markSpecial = "%,;\\\n"

// WriteMark gives a text as the value of one of our properties. It must not hold
// other control characters.
func WriteMark(s string) string {
	if !strings.ContainsAny(s, markSpecial) {
		return s
	}
	return markWriter.Replace(s)
}

// EndMark writes what stands in dst from offset at on as WriteMark does.
func EndMark(dst []byte, at int) []byte {
	if !bytes.ContainsAny(dst[at:], markSpecial) {
		return dst
	}
	return append(dst[:at], markWriter.Replace(string(dst[at:]))...)
}

// ReadMark gives the text of a mark.
func ReadMark(s string) string {
	if strings.IndexByte(s, '%') < 0 {
		return s
	}
	return markReader.Replace(s)
}
