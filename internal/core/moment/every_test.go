package moment

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// reader reads single texts as a column of its own kind.
func reader(t *testing.T, role Role, change func(*Settings)) func(string) (Value, error) {
	set := settings(t)
	change(&set)
	c := NewColumn(set)
	c.Settle()
	c.role = role
	r := c.Reader()
	return func(text string) (Value, error) {
		v, f := r.Read(table.Cell{Kind: table.Text, Text: text}, time.Time{})
		if f != nil {
			return v, f
		}
		return v, nil
	}
}

// Every day from 1900 to 2100 in every style that holds all of a date, read by
// the standard library too.
func TestTwoCenturies(t *testing.T) {
	for layout, order := range map[string]Order{
		"2006-01-02": 0, "20060102": 0, "2006/01/02": 0, "2 January 2006": 0, "Mon 2 Jan 2006": 0, "January 2, 2006": 0, "Monday, 02-Jan-2006": 0, "2006-002": 0,
		"02/01/2006": DayFirst, "2.1.2006": DayFirst, "Mon 2/1/2006": DayFirst, "01/02/2006": MonthFirst, "1-2-2006": MonthFirst,
	} {
		read := reader(t, DateRole, func(s *Settings) { s.AnyYear, s.Order = true, order })
		end := time.Date(2101, 1, 1, 0, 0, 0, 0, time.UTC)
		for day := time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC); day.Before(end); day = day.AddDate(0, 0, 1) {
			text := day.Format(layout)
			again, err := time.Parse(layout, text)
			require.NoError(t, err)
			v, f := read(text)
			if f != nil || v.Date != again.Unix() || v.HasEndDate || v.Clock != NoClock {
				t.Fatalf("%q: %v %s", text, f, show(v))
			}
		}
	}
}

// Every minute of a day in every style, alone and behind a date.
func TestEveryMinute(t *testing.T) {
	clock := reader(t, ClockRole, func(*Settings) {})
	dated := reader(t, AnyRole, func(*Settings) {})
	for m := range 1440 {
		at := time.Date(2026, 3, 14, m/60, m%60, 0, 0, time.UTC)
		for _, layout := range []string{"15:04", "15.04", "1504", "15h04", "15:04:05", "3:04 PM", "3:04pm", "15:04 Uhr", "15:04Z"} {
			text := at.Format(layout)
			v, f := clock(text)
			if f != nil || v.Clock != m*60 || v.EndClock != NoClock {
				t.Fatalf("%q: %v %s", text, f, show(v))
			}
			for _, date := range []string{"14 March 2026 ", "14 March 2026, ", "2026-03-14 ", "Sat 14/03/2026 "} {
				v, f := dated(date + text)
				if f != nil || v.Clock != m*60 || v.Date != at.Truncate(24*time.Hour).Unix() {
					t.Fatalf("%q: %v %s", date+text, f, show(v))
				}
			}
		}
	}
}

// Every offset by quarters of an hour, in every spelling.
func TestEveryOffset(t *testing.T) {
	clock := reader(t, ClockRole, func(*Settings) {})
	dated := reader(t, AnyRole, func(*Settings) {})
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	unsure := 0
	for minutes := -14 * 60; minutes <= 14*60; minutes += 15 {
		sign, h, m := "+", max(minutes, -minutes)/60, max(minutes, -minutes)%60
		if minutes < 0 {
			sign = "-"
		}
		colon, compact := fmt.Sprintf("%s%02d:%02d", sign, h, m), fmt.Sprintf("%s%02d%02d", sign, h, m)
		texts := []string{"2026-03-14T09:00" + colon, "2026-03-14T09:00:00" + compact, "2026-03-14 09:00:00 " + colon, "14 Mar 2026 09:00:00 " + compact, "Sat, 14 Mar 2026 09:00:00 " + compact, "2026-03-14 09:00 UTC" + colon, "2026-03-14 09:00 (UTC" + colon + ")", "20260314T090000" + compact}
		if m == 0 {
			texts = append(texts, "2026-03-14 09:00 GMT"+fmt.Sprintf("%s%d", sign, h))
			if minutes > -9*60 { // -10 ends a range
				texts = append(texts, "2026-03-14T09:00"+colon[:3])
			}
		}
		for _, text := range texts {
			v, f := dated(text)
			if f != nil && strings.Contains(f.Error(), "or be at an offset of") {
				unsure++
				continue
			}
			require.NoError(t, f, text)
			if !assert.NotNil(t, v.Zone, text) {
				continue
			}
			assert.Equal(t, minutes*60, v.Zone.OffsetAt(v.Date).Seconds, text)
			assert.Equal(t, 9*3600, v.Clock, text)
		}
		for _, text := range []string{"09:00:00 " + compact, "09:00 UTC" + colon, "09:00" + colon} {
			if minutes < 0 && text == "09:00"+colon {
				continue // a range
			}
			v, f := clock(text)
			require.NoError(t, f, text)
			if !assert.NotNil(t, v.Zone, text) {
				continue
			}
			assert.Equal(t, minutes*60, v.Zone.OffsetAt(0).Seconds, text)
		}
		for _, name := range []string{colon, "UTC" + colon, "GMT" + compact} {
			z, err := book.Find(name)
			require.NoError(t, err, name)
			assert.Equal(t, minutes*60, z.OffsetAt(0).Seconds, name)
		}
	}
	assert.Less(t, unsure, 60, "09:00:00 -13:15 and its like")
}
