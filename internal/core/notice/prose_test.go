package notice

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var proseTexts = flag.Int("prose-texts", 600, "generated texts in TestProse")

// prose gives what notices are made of, by language and kind.
func prose(t *testing.T) map[string]map[string][]string {
	data, err := os.ReadFile("testdata/prose.tsv")
	require.NoError(t, err)
	said := map[string]map[string][]string{}
	for line := range strings.Lines(string(data)) {
		if parts := strings.Split(strings.TrimSuffix(line, "\n"), "\t"); len(parts) == 3 {
			if said[parts[0]] == nil {
				said[parts[0]] = map[string][]string{}
			}
			said[parts[0]][parts[1]] = append(said[parts[0]][parts[1]], parts[2])
		}
	}
	return said
}

// TestProse generates notices and messages in seven languages: one event or several, as
// sentences, as lists, as labels, among sentences and labels that name other days and times.
// What is found must be the events, or held; of notices nearly all must be found.
func TestProse(t *testing.T) {
	said := prose(t)
	r := rand.New(rand.NewPCG(3, 5))
	found, notices := 0, 0
	for n := range *proseTexts {
		language := []string{"en", "de", "en", "fr", "es", "en", "it", "pt", "nl", "de"}[n%10]
		w := writer{Rand: r, language: language, said: said[language], today: monday}
		text := w.text()
		set := Settings{Present: monday}
		if n%3 == 0 {
			set.Stated, set.Message, set.Subject = monday, true, "News"
		}
		var got []string
		held := false
		for _, e := range Read(linesOf(text), set).Events {
			if e.Held != nil || e.NoDate {
				held = true
			} else {
				got = append(got, e.When())
				if name := w.names[e.When()]; !set.Message && name != "" {
					assert.Contains(t, strings.ToLower(e.What), strings.ToLower(name), "%s", text)
				}
			}
		}
		for _, when := range got {
			assert.Contains(t, w.want, when, "%s", text)
		}
		assert.LessOrEqual(t, len(got), len(w.want), "%s", text)
		if !set.Message {
			if notices++; !held && assert.ElementsMatch(t, w.want, got, "%s", text) {
				found++
			}
		}
	}
	t.Logf("%d of %d notices found in full", found, notices)
	assert.Greater(t, found*100, notices*94)
}

// TestLayouts generates lists of events whose titles, days, times and places stand in lines
// of their own, in many orders. Each event found has its own title, day and time.
func TestLayouts(t *testing.T) {
	said := prose(t)
	r := rand.New(rand.NewPCG(3, 5))
	found, all := 0, 0
	for n := range *proseTexts {
		language := []string{"en", "de", "fr", "es", "it", "pt", "nl"}[n%7]
		w := writer{Rand: r, language: language, said: said[language], today: monday}
		order := w.one("t d h", "t dh", "t dh p", "t d h p", "t d", "t d p", "d t", "d h t", "dh t", "d t h", "d t h p", "t dh x", "t p dh", "d ht", "d ht ht", "d - t h t h", "d - h t - h t", "#t dh", "t *dh", "t: dh", "t l")
		var lines []string
		if w.IntN(2) == 0 {
			lines = []string{"TARN HAVEN HARBOUR", ""}
		}
		names, day := w.Perm(len(w.said["name"]))[:3], w.today
		for n, name := range names {
			day = day.AddDate(0, 0, 1+w.IntN(9))
			from := day.Truncate(24 * time.Hour).Add(time.Duration(8+w.IntN(3)) * time.Hour)
			on := capital(w.day(day, true))
			for _, what := range strings.Fields(order) {
				to, title := from.Add(time.Hour), capital(w.said["name"][name])
				at := w.clock(from) + " - " + w.clock(to)
				switch what {
				case "t":
					lines = append(lines, title)
				case "d":
					lines = append(lines, on)
				case "dh":
					lines = append(lines, on+", "+at)
				case "h":
					lines = append(lines, at)
				case "ht":
					lines = append(lines, at+" "+title)
				case "#t":
					lines = append(lines, fmt.Sprintf("%d. %s", n+1, title))
				case "t:":
					lines = append(lines, title+":")
				case "*dh":
					lines = append(lines, "- "+on+", "+at)
				case "l":
					lines = append(lines, w.one(w.said["date"]...)+": "+on, w.one(w.said["time"]...)+": "+at)
				case "p":
					lines = append(lines, "Dock 2")
				case "x":
					lines = append(lines, "Signal flags.")
				case "-":
					lines = append(lines, "")
				}
				if timed := strings.ContainsAny(order, "hl"); what == "ht" || what == "h" && strings.Contains(order, "- ") {
					w.want = append(w.want, title+" "+(&Event{Start: from, End: to}).When())
					from = from.Add(3 * time.Hour)
				} else if strings.Trim(what, "#:") == "t" && !strings.Contains(order, "- ") {
					if !timed {
						to = time.Time{}
					}
					w.want = append(w.want, title+" "+(&Event{Start: from, End: to, AllDay: !timed}).When())
				}
			}
			if w.IntN(3) > 0 || strings.Contains(order, "-") {
				lines = append(lines, "")
			}
		}
		all += len(w.want)
		for _, e := range Read(linesOf(strings.Join(lines, "\n")), Settings{Present: monday}).Events {
			if e.Held == nil && assert.Contains(t, w.want, e.What+" "+e.When(), "%s: %s", order, strings.Join(lines, "\n")) {
				found++
			}
		}
	}
	t.Logf("%d of %d events found", found, all)
	assert.Greater(t, found*100, all*90)
}

// writer writes texts.
type writer struct {
	*rand.Rand
	language string
	said     map[string][]string
	today    time.Time
	want     []string // the events
	names    map[string]string
}

func (w *writer) one(list ...string) string { return list[w.IntN(len(list))] }

// text gives a text, and what it tells of in want.
func (w *writer) text() string {
	bullet := w.one("- %s, %s: %s", "- %s, %s %s", "%s  %s  %s", "* %[3]s, %[1]s, %[2]s", "- %[3]s: %[1]s, %[2]s")
	var parts []string
	style := w.IntN(3)
	for range []int{1 + w.IntN(2), 2 + w.IntN(3), 1}[style] {
		day := w.today.AddDate(0, 0, 8+w.IntN(52))
		from := day.Truncate(24 * time.Hour).Add(time.Duration(8+w.IntN(9))*time.Hour + time.Duration(15*w.IntN(3))*time.Minute)
		to := from.Add([]time.Duration{60, 90, 120}[w.IntN(3)] * time.Minute)
		name := w.one(w.said["name"]...)
		w.want = append(w.want, (&Event{Start: from, End: to}).When())
		if w.names == nil {
			w.names = map[string]string{}
		}
		when := w.want[len(w.want)-1]
		if other, ok := w.names[when]; ok && other != name { // two at one time
			name = ""
		}
		w.names[when] = name
		on, a, b := w.day(day, w.IntN(2) == 0), w.clock(from), w.clock(to)
		switch style {
		case 0:
			parts = append(parts, strings.NewReplacer("{ev}", name, "{d}", on, "{D}", capital(on), "{a}", a, "{b}", b).Replace(w.one(w.said["event"]...)))
		case 1:
			parts = append(parts, fmt.Sprintf(bullet, on, a+" - "+b, capital(name)))
		default:
			parts = append(parts, w.one(w.said["date"]...)+": "+w.day(day, true), w.one(w.said["time"]...)+": "+a+" - "+b, w.one(w.said["place"]...)+": North quay")
			for range w.IntN(4) {
				label := w.others("label")
				name, _, _ := strings.Cut(label, ":")
				if !slices.ContainsFunc(parts, func(p string) bool { return strings.HasPrefix(p, name+":") }) {
					parts = slices.Insert(parts, w.IntN(len(parts)+1), label)
				}
			}
			return capital(name) + "\n\n" + strings.Join(parts, "\n")
		}
	}
	if style == 1 {
		return strings.Join(parts, "\n") + "\n\n" + w.others("other")
	}
	for range w.IntN(4) {
		parts = slices.Insert(parts, w.IntN(len(parts)+1), w.others("other"))
	}
	return strings.Join(parts, w.one(" ", "\n\n"))
}

// others gives a sentence or a label that is of no event.
func (w *writer) others(kind string) string {
	return strings.NewReplacer("{p}", w.day(w.today.AddDate(0, 0, -5-w.IntN(300)), true), "{f}", w.day(w.today.AddDate(0, 0, 2+w.IntN(5)), w.IntN(2) == 0),
		"{g}", w.day(w.today.AddDate(1, 1, 0), true), "{t}", w.clock(w.today.Truncate(24*time.Hour).Add(12*time.Hour))).Replace(w.one(w.said[kind]...))
}

func (w *writer) day(t time.Time, year bool) string {
	month, weekday, y := strings.Fields(w.said["months"][0])[t.Month()-1], strings.Fields(w.said["weekdays"][0])[(t.Weekday()+6)%7], ""
	lead := map[string]string{"en": weekday + ", ", "de": weekday + ", den "}[w.language]
	if lead == "" {
		lead = weekday + " "
	}
	if w.IntN(2) == 0 {
		lead = ""
	}
	of := map[string]string{"de": ". ", "es": " de ", "pt": " de "}[w.language]
	if of == "" {
		of = " "
	}
	if year {
		y = strings.TrimPrefix(of, ".") + t.Format("2006")
	}
	if w.language == "en" && w.IntN(2) == 0 {
		if year {
			y = "," + y
		}
		return lead + month + t.Format(" 2") + y
	}
	return lead + fmt.Sprint(t.Day()) + of + month + y
}

func (w *writer) clock(t time.Time) string {
	switch w.language {
	case "en":
		return t.Format(w.one("15:04", "3:04 pm", "3.04pm", "15.04", "1504 hrs"))
	case "de":
		return t.Format(w.one("15:04", "15.04")) + " Uhr"
	case "fr":
		return strings.TrimSuffix(t.Format("15 h 04"), " 00")
	case "pt":
		return t.Format("15h04")
	case "nl":
		return t.Format("15.04") + " uur"
	}
	return t.Format("15:04")
}
