package notice

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// monday is the day on which the texts of the corpus are read and sent.
var monday = time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)

func linesOf(text string) (out []Line) {
	for i, l := range strings.Split(text, "\n") {
		out = append(out, Line{Text: l, Number: i + 1})
	}
	return out
}

// told writes what was found as the corpus has it.
func told(f Found) string {
	var b strings.Builder
	for _, e := range f.Events {
		fmt.Fprintf(&b, "%d | %s | %s | %s", e.Line, e.When(), e.What, e.Where)
		for _, more := range []string{strings.Join(e.Who, ", "), e.Zone, map[bool]string{true: "cancelled"}[e.Cancelled]} {
			if more != "" {
				b.WriteString(" | " + more)
			}
		}
		if e.Held != nil {
			b.WriteString(" | held: " + e.Held.Cause.Error())
		}
		b.WriteString("\n")
	}
	for _, p := range f.Passed {
		fmt.Fprintf(&b, "%d | passed over: %s\n", p.Line, p.Why)
	}
	return b.String()
}

// The corpus: notices and messages, with what is in them, below a line of dashes.
// The answers were checked by hand. ALMANACH_UPDATE=1 writes them anew, to be
// checked again.
func TestCorpus(t *testing.T) {
	files, err := filepath.Glob("testdata/corpus/*.txt")
	require.NoError(t, err)
	require.Greater(t, len(files), 30)
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".txt"), func(t *testing.T) {
			data, err := os.ReadFile(file)
			require.NoError(t, err)
			text, want, ok := strings.Cut(string(data), "\n-----\n")
			require.True(t, ok)
			set := Settings{Present: monday}
			if strings.HasPrefix(filepath.Base(file), "message") {
				set = Settings{Present: monday, Stated: monday, Message: true, Subject: "Fender check"}
			}
			got := told(Read(linesOf(text), set))
			if os.Getenv("ALMANACH_UPDATE") != "" {
				require.NoError(t, os.WriteFile(file, []byte(text+"\n-----\n"+got), 0o644))
				return
			}
			assert.Equal(t, want, got)
		})
	}
}

// Messages and notices read on a Tuesday, with what is in them, one below the other in
// a file. The answers were checked by hand, as those of the corpus.
func TestMessages(t *testing.T) {
	tuesday := time.Date(2026, 3, 3, 9, 0, 0, 0, time.UTC)
	for file, least := range map[string]int{"testdata/messages.txt": 200, "testdata/notices.txt": 20} {
		const apart = "\n=====\n"
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		texts := strings.Split(string(data), apart)
		require.Greater(t, len(texts), least)
		for n, one := range texts {
			text, want, ok := strings.Cut(one, "\n-----\n")
			require.True(t, ok, one)
			lines, set := linesOf(text), Settings{Present: tuesday}
			if about, ok := strings.CutPrefix(text, "Subject: "); ok {
				subject, body, _ := strings.Cut(about, "\n")
				lines, set = ReadBody(body).Lines, Settings{Present: tuesday, Stated: tuesday, Message: true, Subject: Subject(subject)}
			}
			got := strings.TrimSuffix(told(Read(lines, set)), "\n")
			assert.Equal(t, want, got, text)
			texts[n] = text + "\n-----\n" + got
		}
		if os.Getenv("ALMANACH_UPDATE") != "" {
			require.NoError(t, os.WriteFile(file, []byte(strings.Join(texts, apart)), 0o644))
		}
	}
}

// Threads, hour by hour on a Tuesday, and what they settle.
func TestThreads(t *testing.T) {
	const file, apart = "testdata/threads.txt", "\n#####\n"
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	threads := strings.Split(string(data), apart)
	require.Greater(t, len(threads), 20)
	for n, one := range threads {
		text, want, ok := strings.Cut(one, "\n-----\n")
		require.True(t, ok, one)
		subject, rest, _ := strings.Cut(text, "\n")
		var messages []Message
		for k, body := range strings.Split(rest, "\n===\n") {
			at := time.Date(2026, 3, 3, 9+k, 0, 0, 0, time.UTC)
			found := Read(ReadBody(body).Lines, Settings{Present: at, Stated: at, Message: true, Subject: subject})
			messages = append(messages, Message{ID: strconv.Itoa(k), Sent: at, Reply: k > 0, Found: found})
		}
		var events Found
		for _, e := range Settle(messages) {
			events.Events = append(events.Events, e.Event)
		}
		got := strings.TrimSuffix(told(events), "\n")
		assert.Equal(t, want, got, text)
		threads[n] = text + "\n-----\n" + got
	}
	if os.Getenv("ALMANACH_UPDATE") != "" {
		require.NoError(t, os.WriteFile(file, []byte(strings.Join(threads, apart)), 0o644))
	}
}

// What one phrase means, said on Monday 2 March 2026 by one person to another.
func TestPhrases(t *testing.T) {
	for phrase, want := range map[string]string{
		"Call at half past two tomorrow":            "2026-03-03 14:30",
		"Call tomorrow at quarter to four":          "2026-03-03 15:45",
		"Call tomorrow in the morning at 5":         "2026-03-03 05:00",
		"Call tomorrow morning at 5":                "2026-03-03 05:00",
		"Call Thursday afternoon at 3":              "2026-03-05 15:00",
		"Call tonight at 8":                         "2026-03-02 20:00",
		"Llamar mañana a las 3":                     "2026-03-03 15:00",
		"Call tomorrow at 5 in the morning":         "2026-03-03 05:00",
		"Call the day after tomorrow at noon":       "2026-03-04 12:00",
		"Call in two weeks at 9":                    "2026-03-16 09:00",
		"Call Friday week at 9":                     "2026-03-13 09:00",
		"Call next week Tuesday at 9":               "2026-03-10 09:00",
		"Treffen Freitag um halb acht":              "2026-03-06 07:30",
		"Treffen am 5. März um Viertel nach acht":   "2026-03-05 08:15",
		"Réunion demain à 15 heures et demie":       "2026-03-03 15:30",
		"Reunión el jueves a las 4 menos cuarto":    "2026-03-05 15:45",
		"Riunione giovedì alle 3 e mezza":           "2026-03-05 15:30",
		"Reunião na quinta-feira às 10h30":          "2026-03-05 10:30",
		"Overleg donderdag om half twee":            "2026-03-05 13:30",
		"Standby from 10 to 2 on Thursday":          "2026-03-05 10:00 – 2026-03-05 14:00",
		"Standby Thursday 11-1pm":                   "2026-03-05 11:00 – 2026-03-05 13:00",
		"Standby Thursday 22:00-06:00":              "2026-03-05 22:00 – 2026-03-06 06:00",
		"Standby 28 February to 3 March":            "2026-02-28 – 2026-03-03",
		"Crane on 5 March 2026 for 90 minutes at 9": "2026-03-05 09:00 – 2026-03-05 10:30",
		"Crane, 2026-03-05T14:30":                   "2026-03-05 14:30",
		"Crane 5/3/26 14:30":                        "held",
		"Crane 25/3/26 14:30":                       "2026-03-25 14:30",
		"Crane Monday 5 March 2026":                 "held",
		"Crane 31 April":                            "held",
		"Part no. 12-03-2026 was ordered":           "",
		"It costs 12.03 EUR":                        "",
	} {
		f := Read([]Line{{Text: phrase, Whole: true}}, Settings{Message: true, Stated: monday, Present: monday})
		got := ""
		if len(f.Events) > 0 {
			got = f.Events[0].When()
			if f.Events[0].Held != nil {
				got = "held"
			}
			if f.Events[0].NoDate {
				got = ""
			}
		}
		assert.Equal(t, want, got, phrase)
	}
}

// A thread comes to one event, by what its messages say one after the other.
func TestSettle(t *testing.T) {
	sent := func(hours int) time.Time { return monday.Add(time.Duration(hours) * time.Hour) }
	for name, c := range map[string]struct {
		texts []string
		want  string
		by    string
	}{
		"agreed":                 {[]string{"Could we make it tomorrow, half past two, berth 3?", "Three is better.", "Three works."}, "2026-03-03 15:00 at Berth 3", "m3"},
		"agreed at once":         {[]string{"Could we make it tomorrow at 10?", "That works, see you then."}, "2026-03-03 10:00 at ", "m2"},
		"not answered":           {[]string{"Could we make it tomorrow at 10?"}, "held: is put forward and not settled yet: 2026-03-03 10:00", "m1"},
		"two are open":           {[]string{"Could we make it tomorrow at 10?", "Would Thursday at 9 be better?"}, "held: is put forward and not settled yet: 2026-03-03 10:00, or 2026-03-05 09:00", "m2"},
		"moved":                  {[]string{"The survey is tomorrow at 10.", "The survey is moved to Thursday at 9."}, "2026-03-05 09:00 at ", "m2"},
		"another day, same time": {[]string{"The survey is tomorrow at 10.", "We make it Thursday."}, "2026-03-05 10:00 at ", "m2"},
		"called off":             {[]string{"The survey is tomorrow at 10.", "Sorry, we have to call it off."}, "cancelled 2026-03-03 10:00", "m2"},
		"called off by its day":  {[]string{"The survey is tomorrow at 10.", "The survey tomorrow is cancelled."}, "cancelled 2026-03-03 10:00", "m2"},
		"stated":                 {[]string{"The survey is on Thursday from 9 to 11."}, "2026-03-05 09:00 – 2026-03-05 11:00 at ", "m1"},
		"said twice":             {[]string{"The survey is on Thursday at 9.", "See you on Thursday at 9 then."}, "2026-03-05 09:00 at ", "m2"},
		"thanks":                 {[]string{"The survey is on Thursday at 9.", "Thanks a lot!"}, "2026-03-05 09:00 at ", "m1"},
	} {
		t.Run(name, func(t *testing.T) {
			var thread []Message
			for n, text := range c.texts {
				at := sent(n)
				thread = append(thread, Message{ID: fmt.Sprint("m", n+1), From: "Oda", Sent: at, Reply: n > 0, Found: Read(linesOf(text), Settings{Message: true, Stated: at, Present: at, Subject: "Survey"})})
			}
			got := Settle(thread)
			require.Len(t, got, 1)
			e := got[0]
			said := e.When() + " at " + e.Where
			switch {
			case e.Held != nil:
				said = "held: " + e.Held.Cause.Error()
			case e.Cancelled:
				said = "cancelled " + e.When()
			}
			assert.Equal(t, c.want, said)
			assert.Equal(t, c.by, e.By)
			assert.Len(t, e.Course, len(c.texts))
		})
	}
}

// What a message quotes, and what stands below it, is not of it.
func TestBody(t *testing.T) {
	b := ReadBody("Three works.\n\nBest regards\nOda\n")
	assert.Len(t, b.Lines, 2)
	b = ReadBody("Yes.\n\nOn Tue, 3 Mar 2026 at 09:12, Oda <oda@fenn-agency.example> wrote:\n> tomorrow at 10?\n")
	said := func(text string) string {
		var out []string
		for _, l := range ReadBody(text).Lines {
			out = append(out, strings.Fields(l.Text)...)
		}
		return strings.Join(out, " ")
	}
	head := "On Tue, 3 Mar 2026 at 09:12, Oda <oda@fenn-agency.example> wrote:\n"
	for text, want := range map[string]string{
		"Yes.\n\n" + head + "> tomorrow at 10?\n":                                                      "Yes.",
		head + "> tomorrow at 10?\n\nYes, but at 11.\n":                                                "Yes, but at 11.",
		head + "\n> tomorrow at 10?\nNo, 11.\n> berth 3?\nYes.\n":                                      "No, 11. Yes.",
		"Yes.\n\n" + head + "tomorrow at 10?\n":                                                        "Yes.",
		"On Tue, 3 Mar 2026 at 09:12, Oda Fenn\n<oda@fenn-agency.example> wrote:\n> at 10?\nYes.\n":    "Yes.",
		"Thursday at 9.\n\nBest regards\nOda\n\nPS: the lamp check is on Friday at 10.\n":              "Thursday at 9. PS: the lamp check is on Friday at 10.",
		"Thursday at 9.\nThanks!\n\nThe lamp check is on Friday at 10.\n\nRegards\nOda\n":              "Thursday at 9. The lamp check is on Friday at 10.",
		"Thursday at 9.\nThanks\nOda Fenn\nFenn Agency, 12 Quay Street\nTel. 12 34 56\n":               "Thursday at 9.",
		"Booking request\n------------------------------\nVessel: Corvane\n______________\nBerth: 3\n": "Booking request Vessel: Corvane Berth: 3",
	} {
		assert.Equal(t, want, said(text), text)
	}
	b = ReadBody("See below.\n\n---------- Forwarded message ---------\nFrom: Oda <oda@fenn-agency.example>\nDate: Tue, 3 Mar 2026 at 09:12\nSubject: Survey\nTo: x\n\nTomorrow at 10.\n")
	require.NotNil(t, b.Forwarded)
	assert.Equal(t, "Tue, 3 Mar 2026 at 09:12", b.Forwarded.Date)
	assert.Equal(t, "Survey", b.Forwarded.Subject)
	assert.Contains(t, fmt.Sprint(b.Forwarded.Lines), "Tomorrow at 10.")
	assert.Equal(t, "Survey", Subject("Re: AW: [harbour] Survey"))
}

// FuzzRead wants no text to end the reading, and every event to have a time or a
// reason.
func FuzzRead(f *testing.F) {
	files, _ := filepath.Glob("testdata/corpus/*.txt")
	for _, file := range files {
		data, err := os.ReadFile(file)
		require.NoError(f, err)
		f.Add(string(data), true)
		f.Add(string(data), false)
	}
	f.Fuzz(func(t *testing.T, text string, message bool) {
		set := Settings{Present: monday, Message: message}
		if message {
			set.Stated = monday
		}
		found := Read(linesOf(text), set)
		for _, e := range found.Events {
			if e.Start.IsZero() && e.Held == nil && !e.Cancelled && !(e.NoDate && e.NoTime) {
				t.Fatalf("no time and no reason: %+v", e)
			}
			if !e.End.IsZero() && e.End.Before(e.Start) && e.Held == nil {
				t.Fatalf("ends before it begins: %+v", e)
			}
		}
		Settle([]Message{{Sent: monday, Found: found}, {Sent: monday, Found: found, Reply: true}})
	})
}

// A text without an end is read in pieces: four times as much takes about four times
// as long.
func TestLong(t *testing.T) {
	took := func(text string, times int) time.Duration {
		began := time.Now()
		Read(linesOf(strings.Repeat(text, times)), Settings{Present: monday, Stated: monday, Message: true})
		return time.Since(began)
	}
	for text, times := range map[string]int{"5 March 10:00 and ": 100, "at ": 500, "berth harbour ": 200} {
		assert.Less(t, took(text, 4*times), 12*took(text, times)+500*time.Millisecond, text)
	}
	asked := 0
	f := Read(linesOf(strings.Repeat("5 March 2026: Dredging\n", 100)), Settings{Present: monday, Stop: func() bool { asked++; return asked > 10 }})
	assert.Len(t, f.Events, 10)
}
