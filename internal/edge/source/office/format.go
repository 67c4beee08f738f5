package office

import (
	"archive/zip"
	"strconv"
	"strings"

	"almanach/internal/core/table"
)

// style is what a cell's number format and font mean.
type style struct {
	kind    table.Kind // Number when the format is no date
	display display
	struck  bool // its text is crossed out
	part    table.Part
}

func (w *workbook) readStyles(p *zip.File) ([]style, error) {
	r, err := openPart(w.budget, p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	formats := map[string]string{}
	var out []style
	var struck []bool // by font
	fonts, inside := false, false
	x := newXML(r)
	for k := x.next(); k != xmlEnd; k = x.next() {
		switch {
		case k == xmlStart && x.is("numFmt"):
			formats[string(x.get("numFmtId"))] = string(x.get("formatCode"))
		case k != xmlText && x.is("fonts"):
			fonts = k == xmlStart && x.open
		case k == xmlStart && fonts && x.is("font"):
			struck = append(struck, false)
		case k == xmlStart && fonts && x.is("strike") && len(struck) > 0:
			v := x.get("val")
			struck[len(struck)-1] = len(v) == 0 || yes(v)
		case k != xmlText && x.is("cellXfs"):
			inside = k == xmlStart && x.open
		case k == xmlStart && inside && x.is("xf"):
			id := x.get("numFmtId")
			code, custom := formats[string(id)]
			if !custom {
				code = builtin[string(id)]
			}
			s := readFormat(code)
			if font, err := strconv.Atoi(string(x.get("fontId"))); err == nil && font >= 0 && font < len(struck) {
				s.struck = struck[font]
			}
			out = append(out, s)
		}
	}
	return out, x.err
}

// builtin has the number formats that files name by number alone (ECMA-376
// part 1, §18.8.30), as far as they are dates and times.
var builtin = map[string]string{
	"14": "d/m/yyyy", "15": "d-mmm-yy", "16": "d-mmm", "17": "mmm-yy", "18": "h:mm AM/PM", "19": "h:mm:ss AM/PM", "20": "h:mm", "21": "h:mm:ss", "22": "d/m/yyyy h:mm",
	"27": "yyyy/m/d", "28": "m/d", "29": "m/d", "30": "m/d/yy", "31": "yyyy/m/d", "32": "h:mm", "33": "h:mm:ss", "34": "h:mm", "35": "h:mm:ss", "36": "yyyy/m/d",
	"45": "mm:ss", "46": "[h]:mm:ss", "47": "mm:ss.0", "50": "yyyy/m/d", "51": "m/d", "52": "yyyy/m", "53": "m/d", "54": "m/d", "55": "yyyy/m", "56": "m/d", "57": "yyyy/m/d", "58": "m/d",
}

// readFormat tells from a number format what its cells are: dates, times of
// day, lengths ([h]:mm) or numbers, and how those are shown.
func readFormat(whole string) style {
	code, _, _ := strings.Cut(whole, ";") // the format of positive numbers
	date, clock, length := false, false, false
	var day, name, month, year bool
	for i := 0; i < len(code); i++ {
		switch c := code[i] | 0x20; {
		case code[i] == '"':
			if end := strings.IndexByte(code[i+1:], '"'); end >= 0 {
				i += end + 1
			}
		case code[i] == '\\' || code[i] == '_' || code[i] == '*':
			i++
		case code[i] == '[':
			end := strings.IndexByte(code[i:], ']')
			if end < 0 {
				return style{kind: table.Number}
			}
			switch strings.ToLower(code[i+1 : i+end]) {
			case "h", "hh", "m", "mm", "s", "ss":
				length = true
			}
			i += end
		case c == 'y':
			date, year = true, true
		case c == 'd':
			n := 1
			for i+1 < len(code) && code[i+1]|0x20 == 'd' {
				i, n = i+1, n+1
			}
			date, day, name = true, day || n < 3, name || n > 2
		case c == 'h' || c == 's':
			clock = true
		case c == 'm' && !clock && !length && !strings.Contains(strings.ToLower(code[i:]), "s"):
			date, month = true, true
		case c == 'g' && strings.HasPrefix(strings.ToLower(code[i:]), "general"):
			i += len("general") - 1
		case (c == 'a' || c == 'p') && strings.HasPrefix(strings.ToLower(code[i:]), "am/pm"):
			clock = true
			i += 4
		}
	}
	part := table.Whole
	switch {
	case day && !year:
		part = table.NoYear
	case !day && (month || year):
		part = table.NoDay
	case !day && name:
		part = table.DayName
	}
	switch {
	case length:
		return style{kind: table.Duration}
	case date && clock:
		return style{kind: table.DateTime, part: part}
	case date:
		return style{kind: table.Date, part: part}
	case clock:
		return style{kind: table.Time}
	}
	return style{kind: table.Number, display: readDisplay(whole)}
}
