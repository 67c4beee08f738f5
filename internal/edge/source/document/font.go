package document

import (
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"github.com/ledongthuc/pdf"
	"golang.org/x/text/encoding/charmap"
)

// font tells what the codes of a string show, and how wide they are.
type font struct {
	bytes   int // of a code
	text    map[int]string
	widths  map[int]float64 // of 1 unit of text space
	width   float64         // of others
	byByte  [256]string
	cmap    bool // text says what codes show
	bold    bool
	ordered bool // codes of several bytes without a table: they show nothing
}

// shown is one code of a string.
type shown struct {
	text  string
	width float64
	space bool
}

var plainFont = func() *font {
	f := &font{bytes: 1, width: 0.5}
	f.encode("WinAnsiEncoding")
	return f
}()

func (in *interpreter) fontOf(v pdf.Value) *font {
	if v.IsNull() {
		return nil
	}
	key := v.String()
	if f := in.fonts[key]; f != nil && len(key) > 40 {
		return f
	}
	f := newFont(v)
	in.fonts[key] = f
	return f
}

func newFont(v pdf.Value) *font {
	f := &font{bytes: 1, width: 0.5, widths: map[int]float64{}, text: map[int]string{}}
	name := strings.ToLower(v.Key("BaseFont").Name())
	f.bold = strings.Contains(name, "bold") || strings.Contains(name, "black")
	if strings.Contains(name, "courier") || strings.Contains(name, "mono") {
		f.width = 0.6
	}
	if v.Key("Subtype").Name() == "Type0" {
		f.bytes = 2
		f.composite(v.Key("DescendantFonts").Index(0))
		f.ordered = true
	} else {
		first := int(v.Key("FirstChar").Int64())
		widths := v.Key("Widths")
		scale := 0.001
		if m := v.Key("FontMatrix"); m.Len() == 6 && v.Key("Subtype").Name() == "Type3" {
			scale = m.Index(0).Float64()
		}
		for i := range min(widths.Len(), 256) {
			f.widths[first+i] = widths.Index(i).Float64() * scale
		}
		if w := v.Key("FontDescriptor").Key("MissingWidth"); !w.IsNull() {
			f.width = w.Float64() * scale
		}
		if widths.Len() == 0 {
			f.standard(name)
		}
		enc := v.Key("Encoding")
		if enc.Kind() == pdf.Dict {
			f.encode(enc.Key("BaseEncoding").Name())
			code := 0
			diff := enc.Key("Differences")
			for i := range min(diff.Len(), 1000) {
				switch d := diff.Index(i); d.Kind() {
				case pdf.Integer:
					code = int(d.Int64())
				case pdf.Name:
					if code >= 0 && code < 256 {
						f.byByte[code] = glyphText(d.Name())
					}
					code++
				}
			}
		} else {
			f.encode(enc.Name())
		}
	}
	if cmap := v.Key("ToUnicode"); cmap.Kind() == pdf.Stream {
		data, _ := unpacked(cmap) // what it does not map is decoded without it
		f.readCMap(data)
	}
	return f
}

// standard gives rough widths of the fonts that every reader has.
func (f *font) standard(name string) {
	if f.width == 0.6 {
		return
	}
	for c := range 256 {
		w := 0.556
		switch {
		case strings.IndexByte("ijlItf.,:;'|!()[] /", byte(c)) >= 0:
			w = 0.278
		case strings.IndexByte("mwMW@", byte(c)) >= 0:
			w = 0.833
		case c >= 'A' && c <= 'Z':
			w = 0.667
		}
		if strings.Contains(name, "times") {
			w *= 0.9
		}
		f.widths[c] = w
	}
}

// composite reads the widths of a font of several bytes (ISO 32000-1 §9.7.4.3).
func (f *font) composite(d pdf.Value) {
	f.width = 1
	if w := d.Key("DW"); !w.IsNull() {
		f.width = w.Float64() / 1000
	}
	w := d.Key("W")
	for i := 0; i+1 < w.Len(); {
		first := int(w.Index(i).Int64())
		if list := w.Index(i + 1); list.Kind() == pdf.Array {
			for n := range min(list.Len(), 1<<16) {
				f.widths[first+n] = list.Index(n).Float64() / 1000
			}
			i += 2
			continue
		}
		last, width := int(w.Index(i+1).Int64()), w.Index(i+2).Float64()/1000
		for c := first; c <= last && c-first < 1<<16; c++ {
			f.widths[c] = width
		}
		i += 3
	}
}

func (f *font) encode(name string) {
	table := charmap.Windows1252
	if name == "MacRomanEncoding" {
		table = charmap.Macintosh
	}
	for c := range 256 {
		if c < 32 {
			continue
		}
		r := table.DecodeByte(byte(c))
		if r != utf8.RuneError {
			f.byByte[c] = string(r)
		}
	}
	if name == "" || name == "StandardEncoding" {
		f.byByte[0x27], f.byByte[0x60] = "’", "‘"
		f.byByte[0xAE], f.byByte[0xAF], f.byByte[0xB1], f.byByte[0xD0] = "fi", "fl", "–", "—"
	}
}

// glyphText gives what a glyph of a name shows (the Adobe Glyph List's rules).
func glyphText(name string) string {
	base, _, _ := strings.Cut(name, ".")
	if s, ok := glyphNames[base]; ok {
		return s
	}
	if len(base) == 1 {
		return base
	}
	if hex, ok := strings.CutPrefix(base, "uni"); ok && len(hex)%4 == 0 {
		var units []uint16
		for i := 0; i+4 <= len(hex); i += 4 {
			n, err := strconv.ParseUint(hex[i:i+4], 16, 16)
			if err != nil {
				return ""
			}
			units = append(units, uint16(n))
		}
		return string(utf16.Decode(units))
	}
	if hex, ok := strings.CutPrefix(base, "u"); ok && len(hex) >= 4 && len(hex) <= 6 {
		if n, err := strconv.ParseUint(hex, 16, 32); err == nil {
			return string(rune(n))
		}
	}
	for suffix, accent := range accents { // eacute
		if letter, ok := strings.CutSuffix(base, suffix); ok && len(letter) == 1 {
			if s := composed(letter, accent); s != "" {
				return s
			}
		}
	}
	return ""
}

var glyphNames = map[string]string{
	"space": " ", "nbspace": " ", "exclam": "!", "quotedbl": `"`, "numbersign": "#", "dollar": "$", "percent": "%", "ampersand": "&", "quotesingle": "'", "quoteright": "’", "quoteleft": "‘",
	"parenleft": "(", "parenright": ")", "asterisk": "*", "plus": "+", "comma": ",", "hyphen": "-", "minus": "−", "period": ".", "slash": "/", "zero": "0", "one": "1", "two": "2", "three": "3", "four": "4", "five": "5", "six": "6", "seven": "7", "eight": "8", "nine": "9",
	"colon": ":", "semicolon": ";", "less": "<", "equal": "=", "greater": ">", "question": "?", "at": "@", "bracketleft": "[", "backslash": `\`, "bracketright": "]", "underscore": "_", "bar": "|", "braceleft": "{", "braceright": "}", "asciitilde": "~",
	"endash": "–", "emdash": "—", "bullet": "•", "periodcentered": "·", "ellipsis": "…", "quotedblleft": "“", "quotedblright": "”", "quotedblbase": "„", "guillemotleft": "«", "guillemotright": "»", "degree": "°", "copyright": "©", "section": "§", "Euro": "€", "sterling": "£",
	"fi": "fi", "fl": "fl", "ff": "ff", "ffi": "ffi", "ffl": "ffl", "f_i": "fi", "f_l": "fl", "f_f": "ff", "f_f_i": "ffi", "t_t": "tt", "t_i": "ti", "germandbls": "ß", "ae": "æ", "AE": "Æ", "oe": "œ", "OE": "Œ", "oslash": "ø", "Oslash": "Ø", "ccedilla": "ç", "Ccedilla": "Ç", "ntilde": "ñ", "Ntilde": "Ñ", "aring": "å", "Aring": "Å", "ordmasculine": "º", "ordfeminine": "ª", "dotlessi": "ı",
}

var accents = map[string]int{"grave": 0, "acute": 1, "circumflex": 2, "tilde": 3, "dieresis": 4}

func composed(letter string, accent int) string {
	table := map[string]string{"a": "àáâãä", "e": "èéê ë", "i": "ìíî ï", "o": "òóôõö", "u": "ùúû ü", "A": "ÀÁÂÃÄ", "E": "ÈÉÊ Ë", "I": "ÌÍÎ Ï", "O": "ÒÓÔÕÖ", "U": "ÙÚÛ Ü", "n": "   ñ ", "N": "   Ñ ", "y": " ý  ÿ"}
	runes := []rune(table[letter])
	if accent >= len(runes) || runes[accent] == ' ' {
		return ""
	}
	return string(runes[accent])
}

// decode gives what a string shows.
func (f *font) decode(s string) []shown {
	out := make([]shown, 0, len(s)/f.bytes)
	for i := 0; i+f.bytes <= len(s); i += f.bytes {
		code := int(s[i])
		if f.bytes == 2 {
			code = code<<8 | int(s[i+1])
		}
		c := shown{width: f.width, space: f.bytes == 1 && code == ' '}
		if w, ok := f.widths[code]; ok {
			c.width = w
		}
		if text, ok := f.text[code]; ok {
			c.text = text
		} else if f.bytes == 1 {
			c.text = f.byByte[code]
		} else if !f.cmap && code >= 32 { // no table: a letter that cannot be known
			c.text = "\uFFFD"
		}
		out = append(out, c)
	}
	return out
}

// readCMap reads what the codes of a font show (ISO 32000-1 §9.10.3).
func (f *font) readCMap(data []byte) {
	l := &lexer{data: data}
	var args []operand
	for {
		op, ok := l.next(&args)
		if !ok {
			return
		}
		var strs []operand
		for _, a := range args {
			if a.str {
				strs = append(strs, a)
			}
		}
		switch op {
		case "endcodespacerange":
			if len(strs) > 0 {
				f.bytes = max(1, min(2, len(strs[0].text)))
			}
		case "endbfchar":
			for i := 0; i+1 < len(strs); i += 2 {
				f.text[codeOf(strs[i].text)] = utf16Text(strs[i+1].text)
			}
			f.cmap = true
		case "endbfrange":
			f.ranges(data, l.at)
			f.cmap = true
		}
		args = args[:0]
	}
}

// ranges reads the lines between beginbfrange and endbfrange, as they tell arrays
// from strings.
func (f *font) ranges(data []byte, end int) {
	text := string(data[:end])
	text = text[strings.LastIndex(text, "beginbfrange")+len("beginbfrange"):]
	l := &lexer{data: []byte(text)}
	read := func() (string, bool) {
		for l.at < len(l.data) && l.data[l.at] != '<' && l.data[l.at] != '[' && l.data[l.at] != ']' {
			l.at++
		}
		if l.at >= len(l.data) || l.data[l.at] != '<' {
			return "", false
		}
		return l.hex(), true
	}
	for {
		a, ok1 := read()
		b, ok2 := read()
		if !ok1 || !ok2 {
			return
		}
		from, to := codeOf(a), codeOf(b)
		for l.at < len(l.data) && isSpace(l.data[l.at]) {
			l.at++
		}
		if l.at < len(l.data) && l.data[l.at] == '[' {
			l.at++
			for c := from; ; c++ {
				s, ok := read()
				if !ok {
					break
				}
				if c <= to {
					f.text[c] = utf16Text(s)
				}
			}
			l.at++
			continue
		}
		s, ok := read()
		if !ok {
			return
		}
		base := []rune(utf16Text(s))
		for c := from; c <= to && c-from < 1<<16 && len(base) > 0; c++ {
			f.text[c] = string(base[:len(base)-1]) + string(base[len(base)-1]+rune(c-from))
		}
	}
}

func codeOf(s string) int {
	n := 0
	for i := range len(s) {
		n = n<<8 | int(s[i])
	}
	return n
}

func utf16Text(s string) string {
	units := make([]uint16, 0, len(s)/2)
	for i := 0; i+1 < len(s); i += 2 {
		units = append(units, uint16(s[i])<<8|uint16(s[i+1]))
	}
	if len(s) == 1 {
		return s
	}
	return strings.Trim(string(utf16.Decode(units)), "\x00")
}
