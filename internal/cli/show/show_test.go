package show

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/extract"
	"almanach/internal/core/fault"
	"almanach/internal/core/plan"
	"almanach/internal/core/reconcile"
	"almanach/internal/core/recur"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// TestScreen shows every character that could steer a terminal as a dot, in
// whatever pieces it is written, and our own styles only in colour.
func TestScreen(t *testing.T) {
	data := "a\x1b[31mb\x1b]0;title\a\u009b31mc\u202ed\u2066\u200f\x00\r\x7f" + alarm.Render("held") + " é\t🚢\n\u2028."
	want := "a·[31mb·]0;title··31mc·d·····held é\t🚢\n ."
	for _, size := range []int{1, 2, 3, 7, 1000} {
		for _, colour := range []bool{false, true} {
			var b bytes.Buffer
			s := NewScreen(&b, colour)
			for rest := data; rest != ""; {
				n := min(size, len(rest))
				written, err := s.Write([]byte(rest[:n]))
				require.NoError(t, err)
				require.Equal(t, n, written)
				rest = rest[n:]
			}
			expected := want
			if colour {
				expected = strings.Replace(want, "held", "\x1b[1;33mheld\x1b[0m", 1)
			}
			assert.Equal(t, expected, b.String(), "%d at a time", size)
		}
	}
	assert.Empty(t, alarm.Render(""))
	var b bytes.Buffer
	_, err := NewScreen(&b, true).Write([]byte("\x1b]" + nonce[:4] + "0;1\a")) // nearly a mark of ours
	require.NoError(t, err)
	assert.NotContains(t, b.String(), "\x1b")
}

func TestHarmless(t *testing.T) {
	for text, want := range map[string]string{"=1+1": "'=1+1", "+351 1": "'+351 1", "-": "'-", "@x": "'@x", "＝1": "'＝1", "\tx": "'\tx", "a=b": "a=b", "": "", "\x1b=1": "'=1", "a\u202eb": "ab", "two\nlines": "two\nlines"} {
		assert.Equal(t, want, harmless(text), "%q", text)
	}
	var b bytes.Buffer
	require.NoError(t, JSON(&b, map[string]string{"a": "x\u202e\u009b\x1b<é"}))
	assert.Equal(t, "{\n  \"a\": \"x\\u202e\\u009b\\u001b<é\"\n}\n", b.String())
	var back map[string]string
	require.NoError(t, json.Unmarshal(b.Bytes(), &back))
	assert.Equal(t, "x\u202e\u009b\x1b<é", back["a"])
}

func TestSpans(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	lisbon, err := book.Find("Europe/Lisbon")
	require.NoError(t, err)
	at := func(day, hour, minute int) zone.Time {
		return zone.In(lisbon, zone.Wall(2026, 3, day, hour, minute, 0))
	}
	date := func(month, day int) zone.Time {
		return zone.Time{Wall: zone.Wall(2026, month, day, 0, 0, 0), Form: zone.Date}
	}
	for want, s := range map[string]event.Span{
		"Thu 5 Mar 2026 08:15–11:45":                     {Start: at(5, 8, 15), End: at(5, 11, 45)},
		"Thu 5 Mar 2026 22:00 – Fri 6 Mar 02:00":         {Start: at(5, 22, 0), End: at(6, 2, 0)},
		"Thu 5 Mar 2026 08:15":                           {Start: at(5, 8, 15), End: at(5, 8, 15)},
		"Thu 5 Mar 2026, all day":                        {Start: date(3, 5), End: date(3, 6)},
		"Thu 5 – Fri 6 Mar 2026, all day":                {Start: date(3, 5), End: date(3, 7)},
		"Tue 31 Mar – Thu 2 Apr 2026, all day":           {Start: date(3, 31), End: date(4, 3)},
		"Thu 5 Mar 2026 08:00–09:00 UTC":                 {Start: zone.In(zone.UTC, zone.Wall(2026, 3, 5, 8, 0, 0)), End: zone.In(zone.UTC, zone.Wall(2026, 3, 5, 9, 0, 0))},
		"Wed 15 Jul 2026 15:00–17:00":                    {Start: zone.In(lisbon, zone.Wall(2026, 7, 15, 15, 0, 0)), End: zone.In(zone.UTC, zone.Wall(2026, 7, 15, 16, 0, 0))},
		"Wed 15 Jul 2026 14:00–16:00 UTC":                {Start: zone.In(zone.UTC, zone.Wall(2026, 7, 15, 14, 0, 0)), End: zone.In(lisbon, zone.Wall(2026, 7, 15, 17, 0, 0))},
		"Thu 5 Mar 2026 08:15–11:45, weekly, but 1 date": {Start: at(5, 8, 15), End: at(5, 11, 45), Rule: "FREQ=WEEKLY", Except: []string{"20260312T081500"}},
		"Thu 5 Mar 2026 08:15–11:45, repeats":            {Start: at(5, 8, 15), End: at(5, 11, 45), Extra: []string{"20260312T081500"}},
	} {
		assert.Equal(t, want, Span(s, "Europe/Lisbon"))
	}
	assert.Equal(t, []string{"1 row", "2 rows", "1 copy", "1,234 copies"}, []string{Counted(1, "row"), Counted(2, "row"), Counted(1, "copy"), Counted(1234, "copy")})
	assert.Equal(t, []string{"Thu 5 Mar 2026 08:00 UTC", "Thu 5 Mar 2026 08:00", "Thu 5 Mar 2026", "later", "(empty)"}, []string{instant("2026-03-05T08:00:00Z"), instant("2026-03-05T08:00:00"), instant("2026-03-05"), instant("later"), value("", false)})
	assert.Equal(t, "a, b, c, d and 2 more", places([]string{"a", "b", "c", "d", "e", "f"}))
}

// TestStopped shows what a load that was stopped did and did not do.
func TestStopped(t *testing.T) {
	origin := &table.Origin{File: "calls.csv"}
	var e event.Event
	e.SetText(event.Title, "Corvane")
	r := &job.Report{Plan: &plan.Plan{Intake: "calls", Totals: plan.Totals{Gone: 1}, Guards: []plan.Guard{{Name: "removed", Count: 9, Of: 20, Did: "deleted as gone", Which: []string{"7"}}},
		Edits: []plan.Edit{{Kind: plan.Remove}}}, Sources: job.Sources{*origin}, Calendars: []string{"berths"}}
	r.Items.Add(plan.Item{Outcome: agree.Gone, Key: "7", Title: "Corvane", Event: &e, Reason: "its row is no longer in the source; it is deleted", Row: plan.RowPlace{Origin: origin}})
	text := func(o LoadOptions) string {
		var b bytes.Buffer
		(&Printer{W: NewScreen(&b, false)}).Load(r, o)
		return b.String()
	}
	loaded := text(LoadOptions{Loaded: true})
	assert.Contains(t, loaded, "stopped: 9 of the 20 events of calls would be deleted as gone (if that is right, load again with --allow removed=9; nothing was written)\n   such as 7\nnothing was written\n")
	assert.NotContains(t, loaded, "it is deleted")
	assert.NotContains(t, loaded, "preview")
	preview := text(LoadOptions{})
	assert.Contains(t, preview, "a load would stop: 9 of the 20")
	assert.Contains(t, preview, "it is deleted")
	assert.Contains(t, preview, "nothing was written: this is a preview")
	r.Guards, r.Stopped, r.Written = nil, true, []job.Written{{Calendar: "berths", Events: 3}}
	assert.Contains(t, text(LoadOptions{Loaded: true}), "3 events written to berths and read back, before the load stopped\nnot everything was done; load again to go on\n")

	var b bytes.Buffer
	require.NoError(t, JSON(&b, LoadJSON("calls", nil, errors.Join(fault.New("x", "is odd").At(fault.Place{File: "calls.csv", Row: 3, Column: "ETA"}).Do("correct it")))))
	assert.JSONEq(t, `{"intake":"calls","totals":{"rows":0,"left_out":0,"held":0,"wanted":0,"new":0,"changed":0,"same":0,"edited":0,"disputed":0,"removed":0,"gone":0},"items":[],"error":[{"row":{"file":"calls.csv","sheet":"","row":3,"page":0,"line":0},"column":"ETA","value":"x","message":"is odd","advice":"correct it"}]}`, b.String())
}

// TestRules keeps docs/rules.md complete: it has every word and every key of
// the JSON.
func TestRules(t *testing.T) {
	data, err := os.ReadFile("../../../docs/rules.md")
	require.NoError(t, err)
	rules := string(data)
	for _, word := range []agree.Outcome{agree.New, agree.Changed, agree.Same, agree.Gone, agree.Edited, agree.Disputed, agree.Removed, agree.Held, agree.LeftOut} {
		assert.Contains(t, rules, "| `"+string(word)+"` |")
	}
	for _, word := range []reconcile.Kind{reconcile.Agrees, reconcile.Differs, reconcile.Missing, reconcile.Stray, reconcile.Gone, reconcile.Twin, reconcile.Held} {
		assert.Contains(t, rules, "`"+string(word)+"`")
	}
	var keys func(reflect.Type)
	keys = func(at reflect.Type) {
		for at.Kind() == reflect.Pointer || at.Kind() == reflect.Slice {
			at = at.Elem()
		}
		if at.Kind() != reflect.Struct {
			return
		}
		for i := range at.NumField() {
			if name, _, _ := strings.Cut(at.Field(i).Tag.Get("json"), ","); name != "" && name != "-" {
				assert.Contains(t, rules, `"`+name+`":`)
				keys(at.Field(i).Type)
			}
		}
	}
	for _, shape := range []any{loadJSON{}, extract.Fields{}, ReconcileJSON(&job.Reconciliation{})} {
		keys(reflect.TypeOf(shape))
	}
}

// TestManyValues writes so many occurrences that several are written side by side: in their
// order, each once.
func TestManyValues(t *testing.T) {
	view, err := event.Read([]byte("BEGIN:VEVENT\r\nUID:f\r\nDTSTART:20260325T080000Z\r\nSUMMARY:Ferry, late\r\nCATEGORIES:A,B\r\nATTENDEE;CN=Oda:mailto:oda@fenn-agency.example\r\nEND:VEVENT\r\n"), nil)
	require.NoError(t, err)
	var rows []extract.Row
	var want strings.Builder
	want.WriteString("start,title,categories,attendees,reminders\r\n")
	for i := range 10_000 {
		span := view.When
		span.Start.Wall += int64(i) * 60
		rows = append(rows, extract.Row{Occurrence: &recur.Occurrence{View: &view, Span: span}})
		fmt.Fprintf(&want, "%s,\"Ferry, late\",\"A, B\",Oda <oda@fenn-agency.example>,\r\n", span.Start.RFC3339())
	}
	var got bytes.Buffer
	require.NoError(t, CSV(&got, rows, []string{"start", "title", "categories", "attendees", "reminders"}))
	assert.True(t, want.String() == got.String(), "not the rows in their order")
}
