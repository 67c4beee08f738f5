package notice

import (
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A day written in another way is the same day: what is found stays as it is.
func TestSameDays(t *testing.T) {
	tuesday := time.Date(2026, 3, 3, 9, 0, 0, 0, time.UTC)
	day := regexp.MustCompile(`\b(\d{1,2}) (March|April|May|June)\b( \d{4})?`)
	listed := regexp.MustCompile(`(?i)(?:\d[./]?|\band|\bto|\bor|\bthrough|[-–/&,])\s*$`) // one of several days that share a month
	ways := map[string]func(d, month, year string) string{
		"Month D":      func(d, month, year string) string { return strings.TrimSuffix(month+" "+d+","+year, ",") },
		"Dth of Month": func(d, month, year string) string { return d + "th of " + month + year },
		"D. Month":     func(d, month, year string) string { return d + ". " + month + year },
		"Mon D":        func(d, month, year string) string { return strings.TrimSuffix(month[:3]+" "+d+","+year, ",") },
	}
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
	said := func(text string) string {
		subject, body, _ := strings.Cut(strings.TrimPrefix(text, "Subject: "), "\n")
		f := Read(ReadBody(body).Lines, Settings{Present: tuesday, Stated: tuesday, Message: true, Subject: Subject(subject)})
		var out []string
		for _, e := range f.Events {
			out = append(out, fmt.Sprint(e.When(), e.Held != nil))
		}
		for _, p := range f.Passed {
			out = append(out, p.Why)
		}
		return strings.Join(out, "; ")
	}
	data, err := os.ReadFile("testdata/messages.txt")
	require.NoError(t, err)
	for _, one := range strings.Split(string(data), "\n=====\n") {
		text, _, _ := strings.Cut(one, "\n-----\n")
		_, body, _ := strings.Cut(text, "\n")
		if !day.MatchString(body) {
			continue
		}
		want := said(text)
		for name, way := range ways {
			other := rewrite(text, way)
			if got := said(other); got != want {
				t.Errorf("%s\n%s\n  want %s\n  got  %s", name, other, want, got)
			}
		}
	}
}
