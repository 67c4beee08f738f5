package moment

import (
	"strconv"
	"strings"
	"time"
	"unicode"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// ReadLength reads how long something lasts: 90m, 1h30, 1:30, PT90M, 1.5 h,
// 2 days. A bare number is no length.
func ReadLength(cell table.Cell) (time.Duration, *fault.Fault) {
	switch cell.Kind {
	case table.Empty:
		return 0, nil
	case table.Time, table.Duration:
		if s := cell.Seconds(); s > 0 {
			return time.Duration(s) * time.Second, nil
		}
		return 0, fault.New(cell.Text, "is not a length of time")
	}
	text := visible(cell.Text)
	if d, ok := ParseLength(text); ok {
		return d, nil
	}
	f := fault.New(text, "is not a length of time")
	if _, err := strconv.ParseFloat(text, 64); err == nil {
		f.Do("write its unit, as in %sh or %smin", text, text)
	}
	return 0, f
}

const maxLength = 10000 * 24 * time.Hour

// ParseLength reads a length from a text. A unit behind one that has its own is none: it
// is that of the column.
func ParseLength(text string) (time.Duration, bool) {
	d, ok := parseLength(text)
	if i := strings.LastIndexByte(text, ' '); !ok && i > 0 && lengthUnit(text[i+1:]) > 0 && strings.ContainsFunc(text[:i], unicode.IsLetter) {
		return parseLength(text[:i]) // 90 min, in a column of hours: its own unit counts
	}
	return d, ok
}

func parseLength(text string) (time.Duration, bool) {
	tokens := scan(text)
	if len(tokens) == 0 {
		return 0, false
	}
	if first := tokens[0].text; len(first) > 0 && first[0] == 'p' && (first == "p" || first == "pt") && len(tokens) > 1 {
		return isoLength(strings.ToUpper(text))
	}
	if len(tokens) >= 3 && tokens[1].kind == ':' {
		return clockLength(tokens)
	}
	var total time.Duration
	last := time.Duration(1 << 62)
	for i := 0; i < len(tokens); {
		if i > 0 && tokens[i].kind == 'w' && senses()[tokens[i].text].is&isAnd != 0 { // an hour and a half
			i++
			continue
		}
		if tokens[i].kind != 'n' || len(tokens[i].text) > 6 {
			return 0, false
		}
		value := float64(tokens[i].num)
		i++
		if i+1 < len(tokens) && (tokens[i].kind == '.' || tokens[i].kind == ',') && tokens[i+1].kind == 'n' && !tokens[i+1].gap {
			decimals, err := strconv.ParseFloat("0."+tokens[i+1].text, 64)
			if err != nil {
				return 0, false
			}
			value += decimals
			i += 2
		}
		unit := time.Duration(0)
		if i < len(tokens) && tokens[i].kind == 'w' {
			unit = lengthUnit(tokens[i].text)
			i++
			if i < len(tokens) && tokens[i].kind == '.' {
				i++
			}
		} else if last == time.Hour && tokens[i-1].kind == 'n' && len(tokens[i-1].text) == 2 { // 1h30
			unit = time.Minute
		}
		if unit == 0 || unit >= last {
			return 0, false
		}
		last = unit
		total += time.Duration(value * float64(unit))
	}
	return total, total > 0 && total <= maxLength
}

func lengthUnit(word string) time.Duration {
	switch word {
	case "s", "sec", "secs", "second", "seconds":
		return time.Second
	}
	is := senses()[word].is
	switch {
	case is&isMinute != 0:
		return time.Minute
	case is&isHour != 0:
		return time.Hour
	case is&isDay != 0:
		return 24 * time.Hour
	case is&isWeek != 0:
		return 7 * 24 * time.Hour
	}
	return 0
}

func clockLength(t []token) (time.Duration, bool) {
	if t[0].kind != 'n' || len(t[0].text) > 4 || t[2].kind != 'n' || len(t[2].text) != 2 || t[2].num > 59 {
		return 0, false
	}
	d := time.Duration(t[0].num)*time.Hour + time.Duration(t[2].num)*time.Minute
	switch {
	case len(t) == 3, len(t) == 4 && lengthUnit(t[3].text) == time.Hour:
	case len(t) == 5 && t[3].kind == ':' && len(t[4].text) == 2 && t[4].kind == 'n' && t[4].num < 60:
		d += time.Duration(t[4].num) * time.Second
	default:
		return 0, false
	}
	return d, d > 0
}

// isoLength reads an ISO 8601 duration without years and months, whose
// lengths vary.
func isoLength(s string) (time.Duration, bool) {
	var total time.Duration
	rest, inTime := strings.TrimPrefix(s, "P"), false
	for rest != "" {
		if rest[0] == 'T' && !inTime {
			inTime, rest = true, rest[1:]
			continue
		}
		i := strings.IndexFunc(rest, func(r rune) bool { return (r < '0' || r > '9') && r != '.' && r != ',' })
		if i <= 0 {
			return 0, false
		}
		value, err := strconv.ParseFloat(strings.Replace(rest[:i], ",", ".", 1), 64)
		unit := map[string]time.Duration{"W": 7 * 24 * time.Hour, "D": 24 * time.Hour, "TH": time.Hour, "TM": time.Minute, "TS": time.Second}[map[bool]string{true: "T"}[inTime]+rest[i:i+1]]
		if err != nil || unit == 0 || value > 1e6 {
			return 0, false
		}
		total += time.Duration(value * float64(unit))
		rest = rest[i+1:]
	}
	return total, total > 0 && total <= maxLength
}

// wholeDay are the ways to say "all day" where a time of day is expected, or behind a day.
var wholeDay = map[string]bool{"all day": true, "all-day": true, "allday": true, "whole day": true, "full day": true, "ganztägig": true, "ganztags": true, "ganzer tag": true, "toute la journée": true, "journée entière": true, "todo el día": true, "todo el dia": true, "tutto il giorno": true, "tutta la giornata": true, "dia inteiro": true, "o dia todo": true, "hele dag": true, "de hele dag": true}

func isWholeDay(text string) bool {
	return wholeDay[strings.ToLower(strings.Join(strings.Fields(text), " "))]
}

// beforeWholeDay gives what stands before one of these at the end of a text, in brackets or
// behind a comma or a dash as well: 10 March (all day). It gives every other text as it is.
func beforeWholeDay(text string) (day string, ok bool) {
	if text == "" || text[len(text)-1] >= '0' && text[len(text)-1] <= '9' { // as most do
		return text, false
	}
	words := strings.Fields(text)
	for n := min(3, len(words)-1); n > 0; n-- {
		said, closed := strings.CutSuffix(strings.Join(words[len(words)-n:], " "), ")")
		said, opened := strings.CutPrefix(said, "(")
		if day = strings.TrimRight(strings.Join(words[:len(words)-n], " "), " ,;:–—-"); opened == closed && day != "" && isWholeDay(said) {
			return day, true
		}
	}
	return text, false
}
