package show

import (
	"bytes"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/charmbracelet/x/ansi"
)

// Nothing that comes from a source or a calendar may steer a terminal. All that
// a person reads is written through a Screen, which shows every control
// character and every mark of writing direction as a dot. Our own colours reach
// it as marks that no text can contain, as they hold a number chosen afresh in each
// run.

var nonce = func() string {
	var b [8]byte
	_, _ = rand.Read(b[:]) // never fails
	return hex.EncodeToString(b[:])
}()

// style is how a text is drawn: parameters of SGR (ECMA-48 §8.3.117).
type style string

var (
	bold   = style("1")
	dim    = style("90")
	alarm  = style("1;33")
	wrong  = style("1;31")
	good   = style("32")
	accent = style("36")
)

// Render gives a text with the marks of a style around it.
func (s style) Render(text string) string {
	if text == "" {
		return ""
	}
	return mark(string(s)) + text + mark("0")
}

// mark is an operating system command, which has no width on a screen.
func mark(code string) string { return "\x1b]" + nonce + ";" + code + "\a" }

var markBegin = []byte("\x1b]" + nonce + ";")

// Screen writes what a person reads.
type Screen struct {
	w      io.Writer
	colour bool
	rest   []byte // the beginning of a character or a mark
}

// NewScreen gives a screen. Without colour styles are left away.
func NewScreen(w io.Writer, colour bool) *Screen { return &Screen{w: w, colour: colour} }

// Write implements io.Writer. A character or a mark that is cut at the end of p
// waits for the next call.
func (s *Screen) Write(p []byte) (int, error) {
	data := append(s.rest, p...)
	s.rest = nil
	var out bytes.Buffer
	for len(data) > 0 {
		if data[0] == 0x1b {
			n, whole := s.mark(data, &out)
			if !whole {
				s.rest = bytes.Clone(data)
				break
			}
			if n > 0 {
				data = data[n:]
				continue
			}
		}
		if !utf8.FullRune(data) && len(data) < utf8.UTFMax {
			s.rest = bytes.Clone(data)
			break
		}
		r, n := utf8.DecodeRune(data)
		out.WriteRune(Visible(r))
		data = data[n:]
	}
	if _, err := s.w.Write(out.Bytes()); err != nil {
		return 0, err
	}
	return len(p), nil
}

// mark reads a mark of ours. n is 0 for what is none; whole is false where more
// of it must be seen.
func (s *Screen) mark(data []byte, out *bytes.Buffer) (n int, whole bool) {
	head := data[:min(len(data), len(markBegin))]
	if !bytes.HasPrefix(markBegin, head) {
		return 0, true
	}
	if len(head) < len(markBegin) {
		return 0, false
	}
	end := bytes.IndexByte(data, '\a')
	if end < 0 {
		return 0, false
	}
	if s.colour {
		fmt.Fprintf(out, "\x1b[%sm", data[len(markBegin):end])
	}
	return end + 1, true
}

// Visible gives what is shown for a character: a dot for what would steer a
// terminal or turn the direction of writing around.
func Visible(r rune) rune {
	switch {
	case r == '\n' || r == '\t':
		return r
	case r == '\u2028' || r == '\u2029':
		return ' '
	case steers(r):
		return '·'
	}
	return r
}

// steers tells whether a character is a control character (C0, DEL, C1) or sets
// the direction of writing (Unicode TR 9).
func steers(r rune) bool {
	if r >= ' ' && r < 0x7f {
		return false
	}
	return unicode.IsControl(r) || r == '\u061c' || r == '\u200e' || r == '\u200f' || r >= '\u202a' && r <= '\u202e' || r >= '\u2066' && r <= '\u2069'
}

// harmless gives a value as it may stand in a file that a spreadsheet opens:
// without characters that steer, and never the beginning of a formula.
func harmless(s string) string {
	s = plainText(s)
	if s == "" || s[0] >= '0' && s[0] <= '9' || s[0] >= 'A' && s[0] <= 'z' { // nearly always
		return s
	}
	if r, _ := utf8.DecodeRuneInString(s); strings.ContainsRune("=+-@\t＝＋－＠", r) {
		return "'" + s
	}
	return s
}

// plainText takes what would steer a screen out of a text.
func plainText(s string) string {
	ascii := true
	for i := range len(s) {
		if s[i] < ' ' || s[i] > '~' {
			ascii = false
			break
		}
	}
	if ascii || strings.IndexFunc(s, steers) < 0 {
		return s
	}
	return strings.Map(func(r rune) rune {
		if r != '\n' && r != '\t' && steers(r) {
			return -1
		}
		return r
	}, s)
}

// widest gives the width of the widest of some texts, in columns of the screen.
func widest[T any](list []T, text func(T) string) (width int) {
	for _, one := range list {
		width = max(width, ansi.StringWidth(text(one)))
	}
	return width
}
