package intake

import (
	"fmt"
	"strings"

	"almanach/internal/core/settings"
	"almanach/internal/core/template"
)

// Manual writes docs/intake.md from the definitions that check the files.
func Manual() string {
	var b strings.Builder
	b.WriteString(`# The intake file

An intake describes one source: where its rows come from, which column makes a
row the same event next time, which calendar it goes to, and what the fields of
the event are made of. It is a YAML file in the desk's folder ` + "`intakes/`" + `.
` + "`almanach draft FILE`" + ` writes a first one; ` + "`almanach draft --schema`" + ` prints the
JSON Schema for editors, which also stands beside this page.

This page is written from the same definitions that check the file.

    name: berth-bookings
    from: { file: inbox/berth-bookings.xlsx, sheet: Bookings }
    key: Booking no
    into: berths
    event:
      title: "{Vessel} at {Berth}"
      start: "{Arrival} {ETA}"
      end: "{Departure} {ETD}"

## Templates

` + "`{Column}`" + ` is a column by its heading, ` + "`{@C}`" + ` by its letter. Text around it stands
as it is; ` + "`{{`" + ` is a brace itself. What stands in ` + "`[…]`" + ` is gone when the columns in
it are empty: ` + "`{Vessel}[ at berth {Berth}]`" + `. A template whose columns are all
empty gives an empty field, never stray punctuation. Brackets without a column
in them are brackets.

Inside braces an expression may stand: ` + "`{upper(Vessel)}`" + `. A heading that is no
plain word is ` + "`col(\"Booking no\")`" + `. Expressions see the row's texts and nothing
else; they are bounded in time and memory. Conditions (` + "`leave_out`, `cancel_when`" + `)
are expressions that give true or false: ` + "`Status == \"Withdrawn\"`" + `, with ` + "`and`, `or`,\n`not`, `in`, `contains`, `startsWith`, `matches`" + `.

Our own functions, beside `)
	names := template.Borrowed()
	for i, n := range names {
		names[i] = "`" + n + "`"
	}
	b.WriteString(strings.Join(names, ", ") + ":\n\n| function | gives |\n|---|---|\n")
	for _, f := range template.Functions {
		fmt.Fprintf(&b, "| `%s` | %s |\n", f.Form, f.Doc)
	}
	b.WriteString(`
## Recurrence in words

` + "`repeat`" + ` takes an RRULE of RFC 5545, or English, case ignored:

    daily · weekly · fortnightly · monthly · quarterly · yearly
    every 3 days · every other week · every weekday
    weekly on Mon and Wed · Mondays and Thursdays · Mon-Fri · Tue/Thu
    last Friday of the month · first and third Monday · monthly on the 1st and 15th
    … until 30 June · … 10 times · … for 6 weeks

A date without a year is the next one after the start. Instead, one word
(` + "`weekly`" + `) may stand in one column, with ` + "`repeat_every`, `repeat_on`,\n`repeat_until`, `repeat_times`" + ` from others. "biweekly" means two things and is
refused.

In words, a start that is none of the days begins the series on the first that
is: a timetable valid from the 1st, with sailings on Mondays, begins on the first
Monday. The preview says so. An RRULE is taken to the letter, where the start
counts whatever the rule says.

A row with ` + "`occurrence`" + ` filled changes one date of the series that has its key;
what it leaves empty is as in the series, and ` + "`cancel_when`" + ` cancels that date.

## Settings
`)
	b.WriteString(settings.Manual(Definition))
	return strings.TrimRight(b.String(), "\n") + "\n"
}

// Schema gives the JSON Schema of an intake file.
func Schema() map[string]any { return settings.Schema("Almanach intake", Definition) }
