package match

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/table"
)

// What columns say of rows that are cancelled becomes a condition.
func TestCancels(t *testing.T) {
	yes := func(column string) string {
		return `lower(trim(col("` + column + `"))) in [` + quoted(dropped) + ", " + quoted(cancelWords) + `] || col("` + column + `") matches "[1-9]"`
	}
	for name, c := range map[string]struct {
		header  table.Header
		columns [][]string
		want    string
	}{
		"a state":             {table.Header{"Ref", "Status"}, [][]string{{"1", "2"}, {"confirmed", "CANCELLED"}}, `col("Status") == "CANCELLED"`},
		"two words for it":    {table.Header{"Status"}, [][]string{{"withdrawn", "ok", "Cancelled", "withdrawn"}}, `col("Status") in ["Cancelled", "withdrawn"]`},
		"a column of its own": {table.Header{"Cancelled?"}, [][]string{{"no", "yes"}}, yes("Cancelled?")},
		"when it was":         {table.Header{"Cancelled on"}, [][]string{{"12/03/2026", ""}}, yes("Cancelled on")},
		"who did":             {table.Header{"Storniert von"}, [][]string{{"Ada Reed", ""}}, `!(lower(trim(col("Storniert von"))) in [` + quoted(kept) + "])"},
		"as programs call it": {table.Header{"booking.isDeleted"}, [][]string{{"true", "false"}}, yes("booking.isDeleted")},
		"with a day":          {table.Header{"cancelled_at"}, [][]string{{"2026-03-12", ""}}, yes("cancelled_at")},
		"a date of its own":   {table.Header{"Cancel by"}, [][]string{{"12/03/2026", ""}}, ""},
		"yes to another":      {table.Header{"Pilot"}, [][]string{{"no", "yes"}}, ""},
		"a space behind it":   {table.Header{"State"}, [][]string{{"cxl ", "ok", "cxl"}}, `col("State") == "cxl"`},
		"two columns":         {table.Header{"State", "Storniert"}, [][]string{{"abgesagt"}, {"x"}}, `col("State") == "abgesagt" || ` + yes("Storniert")},
		"in a sentence":       {table.Header{"Note"}, [][]string{{"not cancelled"}}, ""},
		"no heading":          {table.Header{""}, [][]string{{"cancelled"}}, ""},
	} {
		rows := make([]table.Row, len(c.columns[0]))
		for _, column := range c.columns {
			for n, text := range column {
				rows[n].Cells = append(rows[n].Cells, table.Cell{Kind: table.Text, Text: text})
			}
		}
		got, _ := Cancels(c.header, func(i int) []string { return Cancelling(table.Hold(rows...), i) })
		assert.Equal(t, c.want, got, name)
	}
}

func TestOff(t *testing.T) {
	for heading, texts := range map[string]map[string]bool{
		"Status":         {"Postponed": true, "moved to 12 May": true, "CANCELLED – weather": true, "Annulée": true, "verschoben?": true, "not moved": false, "moveds": false, "": false, "ok": false, "moved, as the skipper of the tug had asked for": false},
		"Booking status": {"TBC": true, "?": true, "à confirmer": true, "No show": true, "declined by agent": true, "berthed": false, "Confirmed": false, "confirmed?": true, "Bestätigt ?": true, "opened": false},
		"Agent":          {"TBC": false, "Ada Reed?": false, "?": false, "open": false, "fällt aus": true, "CXL": true},
		"Confirmed?":     {"no": true, "Nein": true, "FALSE": true, "tbc": true, "yes?": true, "yes": false, "": false, "-": false, "Ada Reed": false},
		"is_archived":    {"true": true, "yes": true, "false": false, "2024": false},
		"isActive":       {"false": true, "true": false},
		"Cancelled":      {"open?": true, "yes": true, "no": false, "-": false, " Nein ": false},
	} {
		off := Off(heading)
		for text, want := range texts {
			assert.Equal(t, want, off(text), "%s: %s", heading, text)
		}
	}
}

// TestZone reads the zones that headings name.
func TestZone(t *testing.T) {
	for label, want := range map[string]string{
		"ETA (UTC)": "UTC", "from_utc": "UTC", "timeUTC": "UTC", "ETA (UTC+2)": "UTC+2", "Time (Europe/Paris)": "Europe/Paris", "ETA Z": "UTC", "Time (z)": "UTC", "Zulu time": "UTC",
		"Time (CET)": "CET", "Time CEST": "CEST", "TIME CET": "CET", "Time (cet)": "CET", "Time (+02:00)": "+02:00", "Time (-0300)": "-0300", "Time (Romance Standard Time)": "Romance Standard Time", "Time (EST)": "EST",
		"Time (BST)": "BST?", "BST time": "BST?", "TIME EST": "EST?", "Start (Paris)": "Paris?", "End (+1)": "+1?", "Quay WEST": "WEST", "QUAY WEST": "WEST?", "TIME (EST)": "EST?",
		"Time": "", "Local time": "", "Time (local)": "", "Time LT": "", "Time (hh:mm)": "", "Time (24h)": "", "ETA (est)": "", "Time est.": "", "Quay West": "", "Wet dock": "", "Berth": "",
	} {
		name, sure := Zone(label)
		if name != "" && !sure {
			name += "?"
		}
		assert.Equal(t, want, name, label)
	}
}

// TestState tells headings that are a state of the rows below them from others.
func TestState(t *testing.T) {
	for text, want := range map[string][2]bool{
		"CANCELLED": {true, true}, "Storniert:": {true, true}, "Postponed": {true, true}, "– TBC –": {true, true}, "Fällt aus!": {true, true}, "Confirmed": {true, false}, "bestätigt": {true, false},
		"": {}, "-": {}, "Cancelled goods": {}, "Berth 3": {}, "Open positions": {}, "Monday": {},
	} {
		state, off := State(text)
		assert.Equal(t, want, [2]bool{state, off}, text)
	}
}
