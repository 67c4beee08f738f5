package plan

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/intake"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// TestItems holds random items and gives them back as they were.
func TestItems(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	origins := []*table.Origin{nil, {File: "a.csv"}, {File: "b.csv"}}
	texts := []string{"", "TH-1", "Corvane at Berth 3", strings.Repeat("x", 300), strings.Repeat("y", 70000)}
	text := func() string {
		if r.IntN(300) == 0 {
			return texts[4]
		}
		return texts[r.IntN(4)]
	}
	calendars := []string{"berths", "works"}
	for n := range 300 {
		calendars = append(calendars, fmt.Sprint("quay ", n))
	}
	items := Items{calendars: calendars}
	var want []Item
	one := func() Item {
		i := Item{Outcome: outcomes[r.IntN(len(outcomes))], Row: RowPlace{Origin: origins[r.IntN(3)], Number: r.Int32(), Line: r.Int32()}, Key: text(), UID: text(), Title: text(), Calendar: calendars[r.IntN(len(calendars))], Notes: intake.Notes(r.IntN(1 << 16)), Edit: r.IntN(5) - 1}
		switch r.IntN(20) {
		case 0:
			i.Row.Page = 7
		case 1:
			i.Row.Evidence = &table.Evidence{Text: "tomorrow"}
		case 2:
			i.Recurrence = &zone.Time{}
		case 3:
			i.Fields = []Difference{{Field: "start"}}
		case 4:
			i.Reason = "its row is no longer in the source"
		case 5:
			i.Event = &event.Event{}
		case 6:
			i.Calendar = "berths, works"
		case 7:
			i.Calendar = ""
		}
		return i
	}
	for range 3000 {
		want = append(want, one())
		items.Add(want[len(want)-1])
	}
	for range 100 {
		n := r.IntN(len(want))
		want[n] = one()
		items.Put(n, want[n])
	}
	for n := range want { // edits are numbered later
		want[n].Edit = n - 1
		items.list[n].edit = int32(n - 1)
	}
	for n, got := range items.All() {
		require.Equal(t, want[n], got)
		require.Equal(t, want[n].Outcome, items.Outcome(n))
		require.Equal(t, want[n].Edit, items.Edit(n))
		require.Equal(t, want[n].UID, items.uid(n))
	}
	require.Equal(t, len(want), items.Len())
	text1, err := json.Marshal(items)
	require.NoError(t, err)
	text2, err := json.Marshal(want)
	require.NoError(t, err)
	require.Equal(t, string(text2), string(text1))
}

// TestStripped makes a plan of so many rows that it gives up those it has settled. What it
// says of the others stays.
func TestStripped(t *testing.T) {
	rows := "No|Ship|Start|Berth|Agent|State|Remark\n"
	var want []string
	for n := range 2*table.BlockRows + 3000 {
		start, state, agent, remark := "2026-04-05 08:00", "", "", ""
		switch n % 1000 {
		case 7:
			start, agent = "25:10", "cancelled" // it is not loaded, so nothing is said of that
			want = append(want, fmt.Sprintf("held %d c", n))
		case 11:
			state = "off"
			want = append(want, fmt.Sprintf("left out %d c", n))
		case 13:
			agent = "cancelled"
		case 15:
			remark = "called off"
		case 17:
			state = "gone"
			want = append(want, fmt.Sprintf("left out %d c", n))
		}
		rows += fmt.Sprintf("%d|Corvane %d|%s|Berth %d|%s|%s|%s\n", n, n, start, n%9, agent, state, remark)
	}
	w := newWorld(t, "c")
	w.request = Request{Moves: true, Parallel: 4, Workers: func(n int, work func()) func() {
		var all sync.WaitGroup
		for range n {
			all.Go(work)
		}
		return all.Wait
	}}
	in, batch := w.batch(plainCalls+"leave_out: 'State == \"off\"'\ncancel_when: 'State == \"gone\"'\n", rows)
	p, err := w.planOf(in, batch)
	require.NoError(t, err)
	var got []string
	for n, i := range p.Items.All() {
		row := batch.Rows.At(n)
		require.Equal(t, n+2, int(row.Number))
		if i.Outcome != agree.New {
			got = append(got, fmt.Sprintf("%s %s %s", i.Outcome, i.Key, i.Calendar))
			assert.NotEmpty(t, i.Reason)
			assert.Equal(t, i.Key, row.Cell(0).Text)
			continue
		}
		require.Equal(t, fmt.Sprint(n), i.Key)
		require.Equal(t, "Corvane "+i.Key, i.Title)
		require.Panics(t, func() { row.Cell(0) })
	}
	assert.Equal(t, want, got)
	require.Len(t, p.Notes, 2)
	for n, note := range []string{`12 rows are loaded as they stand though Agent says "cancelled"`, `12 rows are loaded as they stand though Remark says "called off"`} {
		assert.Contains(t, p.Notes[n], note)
	}
}
