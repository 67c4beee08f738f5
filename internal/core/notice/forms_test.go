package notice

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// TestForms writes days and times in all the ways that people have, joined in all
// ways, and reads them as a message and as the cell of a sheet: what either says for
// certain is what was written.
func TestForms(t *testing.T) {
	tuesday := time.Date(2026, 3, 3, 9, 0, 0, 0, time.UTC)
	r := rand.New(rand.NewPCG(1, 2))
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	day := func(d int) string {
		m, at := pick("March", "Mar", "Mar.", "MAR", "März", "mars", "marzo", "março", "maart", "mrt"), time.Date(2026, 3, d, 0, 0, 0, 0, time.UTC)
		return pick(
			fmt.Sprintf("%d %s", d, m), fmt.Sprintf("%d. %s", d, m), fmt.Sprintf("%d %s 2026", d, m), fmt.Sprintf("%s %d", m, d), fmt.Sprintf("%s %d, 2026", m, d), fmt.Sprintf("%dth of %s", d, m), fmt.Sprintf("%dth %s", d, m), fmt.Sprintf("%s %dth", m, d),
			fmt.Sprintf("%02d.03.2026", d), fmt.Sprintf("%d.3.", d), fmt.Sprintf("%d.3.26", d), fmt.Sprintf("%d/3/2026", d), fmt.Sprintf("%d/3", d), fmt.Sprintf("2026-03-%02d", d),
			fmt.Sprintf("%d-%s-2026", d, m), fmt.Sprintf("%d-%s-26", d, m), fmt.Sprintf("%d%s2026", d, m), fmt.Sprintf("%d%s26", d, m),
			fmt.Sprintf("%s %d %s", at.Format("Mon"), d, m), fmt.Sprintf("%s, %d %s 2026", at.Format("Monday"), d, m), fmt.Sprintf("%s. %d %s", at.Format("Mon"), d, m))
	}
	clock := func(h, m int) string {
		at := time.Date(2026, 1, 1, h, m, 0, 0, time.UTC)
		forms := []string{at.Format("15:04"), fmt.Sprintf("%d:%02d", h, m), at.Format("15.04"), at.Format("1504") + " hrs", at.Format("3:04 pm"), at.Format("3.04pm"), at.Format("15h04"), at.Format("15:04") + " Uhr", fmt.Sprintf("%d.%02d Uhr", h, m), fmt.Sprintf("%du%02d", h, m), at.Format("15:04h"), at.Format("3:04 ") + map[bool]string{true: "a.m.", false: "p.m."}[h < 12]}
		if m == 0 {
			forms = append(forms, at.Format("3pm"), at.Format("3 pm"), fmt.Sprintf("%dh", h), fmt.Sprintf("%d Uhr", h), fmt.Sprintf("%d uur", h), fmt.Sprintf("%d heures", h))
		}
		return pick(forms...)
	}
	dash := func() string { return pick("-", " - ", "–", " -> ", " → ", " to ", " bis ", " until ", " till ") }
	shown := func(d, h, m int) string { return fmt.Sprintf("2026-03-%02d %02d:%02d", d, h, m) }
	sure := [2]int{}
	for range 10_000 {
		d, h, m := 13+r.IntN(16), 8+r.IntN(10), 15*r.IntN(4)
		h2, m2 := h+1+r.IntN(4), 30*r.IntN(2)
		text, said, cell := "", "", ""
		switch r.IntN(7) {
		case 0:
			text, said = day(d), fmt.Sprintf("2026-03-%02d", d)
			cell = said
		case 1:
			text, said = day(d)+pick(" ", ", ", " at ", " um ", " à ")+clock(h, m), shown(d, h, m)
			cell = said
		case 2:
			text, said = clock(h, m)+pick(" on ", ", ")+day(d), shown(d, h, m)
		case 3:
			text, said = day(d)+pick(" ", ", ")+clock(h, m)+pick(" for ", ", ")+pick("2 hours", "2h", "120 min"), shown(d, h, m)+" – "+shown(d, h+2, m)
		case 4:
			text, said = day(d)+pick(" ", ", ")+clock(h, m)+pick(" - ", " to ", " bis ", " until ", " -> ")+day(d+1)+pick(" ", ", ")+clock(h2, m2), shown(d, h, m)+" – "+shown(d+1, h2, m2)
		default:
			text, said = day(d)+pick(" ", ", ", " from ")+clock(h, m)+dash()+clock(h2, m2), shown(d, h, m)+" – "+shown(d, h2, m2)
			cell = shown(d, h, m) + "-" + shown(d, h2, m2)[11:]
		}
		for _, line := range []string{"Crane drill " + text, text + " Crane drill"} {
			found := Read([]Line{{Text: line}}, Settings{Present: tuesday, Stated: tuesday, Message: true, Subject: "Note"})
			if len(found.Events) > 0 && slices.ContainsFunc(found.Events, func(e Event) bool { return e.Held != nil }) {
				continue
			}
			var got []string
			for _, e := range found.Events {
				got = append(got, e.When())
			}
			if assert.Equal(t, []string{said}, got, line) {
				sure[0]++
			}
		}
		c := moment.NewColumn(moment.Settings{Present: tuesday, Zones: book})
		c.Learn(1, table.Cell{Kind: table.Text, Text: text})
		c.Learn(2, table.Cell{Kind: table.Text, Text: "14/03/2026"})
		c.Settle()
		v, f := c.Read(table.Cell{Kind: table.Text, Text: text})
		if f != nil || cell == "" || v.HasEndDate {
			continue
		}
		got := time.Unix(v.Date, 0).UTC().Format(time.DateOnly)
		if v.Clock != moment.NoClock {
			got += time.Unix(int64(v.Clock), 0).UTC().Format(" 15:04")
		}
		if v.EndClock != moment.NoClock {
			got += time.Unix(int64(v.EndClock), 0).UTC().Format("-15:04")
		}
		if assert.Equal(t, cell, got, text) {
			sure[1]++
		}
	}
	assert.Greater(t, sure[0], 13_000, "few are held")
	assert.Greater(t, sure[1], 3_500)
}
