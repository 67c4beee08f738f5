package notice

import (
	"cmp"
	"fmt"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// wrapped breaks a line behind the last word that fits, as mail programs do.
func wrapped(line string, width int) string {
	out, length := "", 0
	for word := range strings.FieldsSeq(line) {
		if length > 0 && length+1+len(word) > width {
			out, length = out+"\n", 0
		} else if length > 0 {
			out, length = out+" ", length+1
		}
		out, length = out+word, length+len(word)
	}
	return out
}

// A day, or a time, written in another way is the same: what is found stays as it is.
func TestSame(t *testing.T) {
	tuesday := time.Date(2026, 3, 3, 9, 0, 0, 0, time.UTC)
	day := regexp.MustCompile(`\b(\d{1,2}) (March|April|May|June)\b( \d{4})?`)
	listed := regexp.MustCompile(`(?i)(?:\d[./]?|\band|\bto|\bor|\bthrough|[-–/&,])\s*$`)              // one of several days that share a month
	mixed := regexp.MustCompile(`(?:March|April|May|June|Mar\.?|Apr\.?|Jun\.?) \d{1,2}, \d{1,2} and `) // days of two months, no longer to be told apart
	ways := map[string]func(d, month, year string) string{
		"Month D":      func(d, month, year string) string { return strings.TrimSuffix(month+" "+d+","+year, ",") },
		"Dth of Month": func(d, month, year string) string { return d + "th of " + month + year },
		"D. Month":     func(d, month, year string) string { return d + ". " + month + year },
		"D-MON": func(d, month, year string) string {
			return strings.Replace(d+"-"+strings.ToUpper(month[:3])+year, " ", "-", 1)
		},
		"Mon. D": func(d, month, year string) string {
			return strings.TrimSuffix(strings.Replace(month[:3]+". ", "May.", "May", 1)+d+","+year, ",")
		},
		"D Mon.": func(d, month, year string) string { return d + " " + month[:3] + "." + year },
		"Mon D":  func(d, month, year string) string { return strings.TrimSuffix(month[:3]+" "+d+","+year, ",") },
	}
	labels := regexp.MustCompile(`\n\p{Lu}[^.\n]{0,20}: `) // lines that begin with a name: a small letter would go on
	weekdayBefore := regexp.MustCompile(`(?i)\b(mon|tue|wed|thu|fri|sat|sun)[a-z]*\b`)
	rewrite := func(text string, way func(d, month, year string) string) string {
		out, at := "", 0
		for _, m := range day.FindAllStringSubmatchIndex(text, -1) {
			if listed.MatchString(text[:m[0]]) {
				continue
			}
			year := ""
			if m[6] >= 0 {
				year = text[m[6]:m[7]]
			}
			out += text[at:m[0]] + way(text[m[2]:m[3]], text[m[4]:m[5]], year)
			at = m[1]
		}
		return out + text[at:]
	}
	clock := regexp.MustCompile(`\b(1[3-9]|2[0-3]):([0-5]\d)\b`)
	times := map[string]func(h, m string) string{
		"h.m":   func(h, m string) string { return h + "." + m },
		"h:m h": func(h, m string) string { return h + ":" + m + " h" },
		"hm h":  func(h, m string) string { return h + m + " hrs" },
		"h m":   func(h, m string) string { return h + "h" + m },
		"m pm":  func(h, m string) string { n, _ := strconv.Atoi(h); return fmt.Sprintf("%d:%s pm", n-12, m) },
		"pm": func(h, m string) string {
			n, _ := strconv.Atoi(h)
			return strings.Replace(fmt.Sprintf("%d:%spm", n-12, m), ":00", "", 1)
		},
		"m p.m": func(h, m string) string { n, _ := strconv.Atoi(h); return fmt.Sprintf("%d.%s p.m.", n-12, m) },
	}
	hours := regexp.MustCompile(`(?i)\d ?(?:h|hrs|hours|uhr|uur|horas|heures|ore|lt|utc|gmt|z)\b`) // a time that has its word already
	ranged := regexp.MustCompile(`\b(\d{1,2}:\d\d) ?[-–] ?(\d{1,2}:\d\d)\b`)
	ranges := map[string]string{"to": "$1 to $2", "until": "$1 until $2", "till": "$1 till $2", "dash": "$1 – $2", "arrow": "$1 -> $2", "→": "$1 → $2", "from": "from $1 to $2", "hrs": "$1 hrs-$2 hrs", "Uhr": "$1 Uhr-$2 Uhr", "LT": "$1 LT-$2 LT"}
	weekday := regexp.MustCompile(`\b(Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)day\b`)
	short := func(s string) string { return s[:3] }
	said := func(text string) (sure, held map[string]bool) {
		lines, set := linesOf(text), Settings{Present: tuesday}
		if about, ok := strings.CutPrefix(text, "Subject: "); ok || strings.HasPrefix(text, "SUBJECT: ") {
			subject, body, _ := strings.Cut(strings.TrimPrefix(about, "SUBJECT: "), "\n")
			lines, set = ReadBody(body).Lines, Settings{Present: tuesday, Stated: tuesday, Message: true, Subject: Subject(subject)}
		}
		sure, held = map[string]bool{}, map[string]bool{}
		for _, e := range Read(lines, set).Events {
			if e.Held == nil && !(e.NoDate && !set.Message) { // the row of a time without a day is held
				sure[e.When()] = true
			} else {
				held[e.When()] = true
			}
		}
		return sure, held
	}
	check := func(name, text, other string) {
		sure, held := said(text)
		now, unsure := said(other)
		for when := range now {
			if when != "" && !sure[when] && !held[when] { // "" says only that something is off
				t.Errorf("%s\n%s\nnow says %s", name, other, when)
			}
		}
		for when := range sure {
			if !now[when] && len(unsure) == 0 {
				t.Errorf("%s\n%s\nno longer says %s", name, other, when)
			}
		}
	}
	messages, err := os.ReadFile("testdata/messages.txt")
	require.NoError(t, err)
	notices, err := os.ReadFile("testdata/notices.txt")
	require.NoError(t, err)
	for _, one := range strings.Split(string(messages)+"\n=====\n"+string(notices), "\n=====\n") {
		text, _, _ := strings.Cut(one, "\n-----\n")
		_, body, _ := strings.Cut(text, "\n")
		for name, way := range times {
			other := clock.ReplaceAllStringFunc(text, func(s string) string { m := clock.FindStringSubmatch(s); return way(m[1], m[2]) })
			if strings.HasPrefix(name, "h") && hours.MatchString(text) {
				continue
			}
			check(name, text, other)
		}
		for name, way := range ranges {
			check(name, text, ranged.ReplaceAllString(text, way))
		}
		check("short weekdays with a point", text, weekday.ReplaceAllStringFunc(text, func(s string) string { return s[:3] + "." }))
		check("short weekdays", text, weekday.ReplaceAllStringFunc(text, short))
		check("capitals", text, strings.ToUpper(text))
		head := strings.TrimSuffix(text, body)
		check("no-break spaces", text, head+strings.ReplaceAll(body, " ", "\u00a0"))
		check("invisible", text, head+strings.NewReplacer("2", "2\u200b", "e", "e\u00ad").Replace(body))
		if strings.HasPrefix(text, "Subject: ") && !labels.MatchString(strings.TrimSpace(body)) {
			check("lower case", text, head+strings.ToLower(body))
		}
		if line := strings.Trim(body, "\n"); strings.HasPrefix(text, "Subject: ") && !strings.Contains(line, "\n") {
			check("greeted", text, head+"\nHello Ada,\n\n"+line+"\n\nKind regards\nBo Fenn")
			if bare := strings.TrimSuffix(line, "."); bare != line {
				check("no full stop", text, head+"\n"+bare)
			} else if letter := line[len(line)-1]; letter >= 'a' && letter <= 'z' || letter >= '0' && letter <= '9' {
				check("full stop", text, head+"\n"+line+".")
			}
			check("wrapped", text, head+"\n"+wrapped(line, 60))
			check("two spaces", text, head+"\n"+strings.ReplaceAll(line, " ", "  "))
			check("bulleted", text, head+"\n- "+line)
			check("typographic", text, head+"\n"+strings.NewReplacer("'", "’", " - ", " – ").Replace(line))
		}
		if !day.MatchString(body) {
			continue
		}
		if named := weekdayBefore.MatchString(text); !named {
			for _, sep := range []string{" ", ", "} {
				check("weekday"+sep, text, rewrite(text, func(d, month, year string) string {
					at, err := time.Parse("2 January 2006", d+" "+month+cmp.Or(year, " 2026"))
					if err != nil {
						return d + " " + month + year
					}
					return at.Weekday().String() + sep + d + " " + month + year
				}))
			}
		}
		check("year", text, rewrite(text, func(d, month, year string) string { return d + " " + month + cmp.Or(year, " 2026") }))
		for name, way := range ways {
			if other := rewrite(text, way); !mixed.MatchString(other) {
				check(name, text, other)
			}
		}
	}
}
