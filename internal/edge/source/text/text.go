// Package text reads files of characters, whatever their encoding.
package text

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/encoding/unicode/utf32"
	"golang.org/x/text/transform"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
	"almanach/internal/edge/source/sheet"
)

// Source is a file of characters. It can be read from its start as often as it
// is needed.
type Source struct {
	Charset string // its encoding, for people
	Head    []byte // its first characters, in UTF-8

	file    *os.File
	charset charset
	options sheet.Options
}

// Open finds out how a file's bytes stand for characters. head is the first of
// its bytes.
func Open(f *os.File, head []byte, o sheet.Options) (*Source, error) {
	c, err := charsetOf(o.Budget.Reader(f), f, head)
	if err != nil {
		return nil, fault.Of(err).At(fault.Place{File: o.Name, Line: fault.Of(err).Place.Line})
	}
	lead, err := io.ReadAll(io.LimitReader(c.reader(bytes.NewReader(head)), int64(len(head))))
	if err != nil && len(lead) == 0 {
		return nil, fault.Newf("its characters cannot be read: %w", err).At(fault.Place{File: o.Name})
	}
	if len(bytes.TrimLeft(lead, " \t\r\n")) == 0 {
		return nil, fault.Newf("the file has nothing but white space in it").At(fault.Place{File: o.Name})
	}
	if c.guessed {
		o.Budget.Notes = append(o.Budget.Notes, "it is not UTF-8 and was read as "+c.name+": check its accented letters")
	}
	return &Source{Charset: c.name, Head: lead, file: f, charset: c, options: o}, nil
}

// Element gives the name of the element with which a text in XML or HTML begins, in lower case,
// and "" for any other text. Declarations and comments in front of it are passed over.
func Element(lead []byte) string {
	for {
		lead = bytes.TrimLeft(lead, " \t\r\n")
		end := ""
		switch {
		case bytes.HasPrefix(lead, []byte("<!--")):
			end = "-->"
		case bytes.HasPrefix(lead, []byte("<?")), bytes.HasPrefix(lead, []byte("<!")):
			end = ">"
		case len(lead) == 0 || lead[0] != '<':
			return ""
		default:
			n := bytes.IndexFunc(lead[1:], func(r rune) bool {
				return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("_:.-", r))
			})
			if n < 1 || !strings.ContainsRune("/> \t\r\n", rune(lead[1+n])) || lead[1+n] == '/' && !bytes.HasPrefix(lead[1+n:], []byte("/>")) {
				return "" // <https://tarn-haven.example/> is a link
			}
			return strings.ToLower(string(lead[1 : 1+n]))
		}
		at := bytes.Index(lead, []byte(end))
		if at < 0 {
			return ""
		}
		lead = lead[at+len(end):]
	}
}

// Start reads the file from its start. Only one reading can be under way.
func (s *Source) Start() (io.Reader, error) {
	if _, err := s.file.Seek(0, io.SeekStart); err != nil {
		return nil, sheet.Unreadable(s.options.Name, err)
	}
	return s.charset.reader(s.options.Budget.Reader(s.file)), nil
}

// Size is how many bytes the file has; 0 where that is not known.
func (s *Source) Size() int64 {
	info, err := s.file.Stat()
	if err != nil {
		return 0
	}
	return info.Size()
}

// Close closes the file.
func (s *Source) Close() error { return s.file.Close() }

// charset is how a file's bytes stand for characters.
type charset struct {
	name     string
	encoding encoding.Encoding // nil for UTF-8
	skip     int               // bytes of a byte order mark
	guessed  bool
}

// declared finds the encoding that a web page says it has.
var declared = pattern.Lazy(`(?i)<(?:meta\s[^>]*charset|\?xml\s[^>]*encoding)\s*=\s*["']?([\w:.-]+)`)

// declaredIn gives the encoding that the head of a web page names.
func declaredIn(head []byte) (charset, bool) {
	if !bytes.HasPrefix(bytes.TrimLeft(head, " \t\r\n"), []byte("<")) {
		return charset{}, false
	}
	found := declared().FindSubmatch(head)
	if found == nil {
		return charset{}, false
	}
	e, err := htmlindex.Get(string(found[1]))
	if err != nil || e == unicode.UTF8 {
		return charset{}, false
	}
	return charset{name: string(found[1]), encoding: e}, true
}

func (c charset) reader(r io.Reader) io.Reader {
	if c.encoding == nil {
		if c.skip > 0 {
			_, _ = io.CopyN(io.Discard, r, int64(c.skip))
		}
		return r
	}
	return transform.NewReader(r, c.encoding.NewDecoder())
}

// charsetOf tells a text's encoding: by its byte order mark, by the pattern of
// NULs in UTF-16, as UTF-8 where all of it is valid, else as a web page declares, or as
// Windows-1252. It leaves the file at its start. The error is a text with NULs, which none of
// them has.
func charsetOf(r io.Reader, f *os.File, head []byte) (charset, error) {
	switch {
	case bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		return charset{name: "UTF-8", skip: 3}, nil
	case bytes.HasPrefix(head, []byte("\xff\xfe\x00\x00")), bytes.HasPrefix(head, []byte("\x00\x00\xfe\xff")):
		return charset{name: "UTF-32", encoding: utf32.UTF32(utf32.BigEndian, utf32.ExpectBOM)}, nil
	case bytes.HasPrefix(head, []byte("\xff\xfe")), bytes.HasPrefix(head, []byte("\xfe\xff")):
		return charset{name: "UTF-16", encoding: unicode.UTF16(unicode.BigEndian, unicode.ExpectBOM)}, nil
	case nuls(head, 1):
		return charset{name: "UTF-16", encoding: unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)}, nil
	case nuls(head, 0):
		return charset{name: "UTF-16", encoding: unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM)}, nil
	}
	defer f.Seek(0, io.SeekStart)
	buf, kept, valid, line := make([]byte, 256<<10), 0, true, 1
	for {
		n, err := r.Read(buf[kept:])
		data := buf[:kept+n]
		if i := bytes.IndexByte(data, 0); i >= 0 {
			line += bytes.Count(data[:i], []byte{'\n'})
			return charset{}, fault.Newf("is neither a workbook nor text: it holds NUL bytes").At(fault.Place{Line: line}).Do("save it as .xlsx or .csv")
		}
		whole := len(data)
		if err == nil { // a character may be cut at the end of what was read
			for whole > len(data)-utf8.UTFMax && whole > 0 && !utf8.RuneStart(data[whole-1]) {
				whole--
			}
			if whole > 0 && data[whole-1] >= utf8.RuneSelf {
				whole--
			}
		}
		valid = valid && utf8.Valid(data[:whole])
		line += bytes.Count(data[:whole], []byte{'\n'})
		kept = copy(buf, data[whole:])
		switch {
		case err == io.EOF && valid:
			return charset{name: "UTF-8"}, nil
		case err == io.EOF:
			if c, ok := declaredIn(head); ok {
				return c, nil
			}
			return charset{name: "Windows-1252", encoding: charmap.Windows1252, guessed: true}, nil
		case err != nil:
			return charset{}, fmt.Errorf("the file cannot be read: %w", err)
		}
	}
}

// nuls tells whether every second byte from offset on, in the first of data,
// is mostly NUL and the others are not.
func nuls(data []byte, offset int) bool {
	data = data[:min(len(data), 200)]
	here, there := 0, 0
	for i, b := range data {
		if b == 0 {
			if i%2 == offset {
				here++
			} else {
				there++
			}
		}
	}
	return len(data) > 3 && here > len(data)/4 && there == 0
}
