package intake

import "almanach/internal/core/settings"

// Definition is everything an intake file may say. It checks the files and
// writes the manual.
var Definition = []settings.Setting{
	{Name: "name", Doc: "What the intake is called. By default the file's name.", Example: "berth-bookings"},
	{Name: "identity", Doc: "What event IDs are derived from, together with the key. By default the name; set it to the old name when you rename an intake.", Example: "berth-bookings"},
	{Name: "from", Kind: settings.Group, Doc: "Where the rows come from.", Fields: []settings.Setting{
		{Name: "file", Doc: "The file, relative to the desk; - for standard input.", Example: "inbox/berth-bookings.xlsx"},
		{Name: "newest", Doc: "A pattern; the newest file that fits is read.", Example: `"inbox/berth-*.xlsx"`},
		{Name: "files", Doc: "A pattern; all files that fit are read as one table, with the column File.", Example: `"inbox/quay-*.csv"`},
		{Name: "folder", Doc: "A folder; all its files are read as one table, with the column File.", Example: "inbox/quays"},
		{Name: "url", Doc: "An http or https address; it is fetched again only when it has changed.", Example: "https://tarn-haven.example/berths.csv"},
		{Name: "sheet", Doc: "The worksheet, or the table of a web page, by name or number from 1. By default the first that holds a table.", Example: "Bookings"},
		{Name: "sheets", Kind: settings.Choice, Choices: []string{"all"}, Doc: "Every sheet, one below the other, with the column Sheet.", Example: "all"},
		{Name: "range", Doc: "The cells that hold the table, header included.", Example: "B4:H30"},
		{Name: "header", Doc: "The row the column names stand in, two rows as 4-5, or none. By default it is found.", Example: "4"},
		{Name: "fill_down", Kind: settings.Words, Doc: "Columns that are written once and left blank below: empty cells take the value above them.", Example: "[Day]"},
		{Name: "hidden", Kind: settings.Choice, Choices: []string{"read", "leave out"}, Doc: "What to do with hidden rows and columns. By default they are left out.", Example: "read"},
		{Name: "records", Doc: "Where the list of records is in a JSON document. By default the longest list.", Example: "data.bookings"},
	}},
	{Name: "key", Kind: settings.Words, Doc: "The column, or the columns, that make a row the same event next time.", Example: "Booking no"},
	{Name: "into", Doc: "The calendar, by its name on the desk.", Example: "berths"},
	{Name: "leave_out", Doc: "A condition; rows that meet it are left out on purpose.", Example: `'Vessel == ""'`},
	{Name: "cancel_when", Doc: "A condition; the event of a row that meets it is cancelled, and none is made for it.", Example: `'Status == "Withdrawn"'`},
	{Name: "event", Kind: settings.Group, Doc: "What the fields of the event are made of.", Fields: []settings.Setting{
		{Name: "title", Doc: "The title.", Example: `"{Vessel} at {Berth}"`},
		{Name: "start", Doc: "When it starts: a date, with or without a time, from one column or two.", Example: `"{Arrival} {ETA}"`},
		{Name: "end", Doc: "When it ends. For all-day events the last day, included.", Example: `"{Departure} {ETD}"`},
		{Name: "length", Doc: "How long it lasts, where there is no end.", Example: `"{Hours} h"`},
		{Name: "all_day", Doc: "Whether it takes whole days, whatever times stand in the row: yes, no, or a column with such words.", Example: `"{All day}"`},
		{Name: "zone", Doc: "The time zone of its times: a name, or a column of names.", Example: `"{Zone}"`},
		{Name: "location", Doc: "The place.", Example: `"Berth {Berth}"`},
		{Name: "description", Doc: "Notes.", Example: `"Agent: {Agent}"`},
		{Name: "url", Doc: "A link.", Example: `"{Link}"`},
		{Name: "categories", Doc: "Categories, with commas or semicolons between.", Example: `"{Type}"`},
		{Name: "repeat", Doc: "A recurrence rule (RRULE of RFC 5545).", Example: `"{Rule}"`},
	}},
	{Name: "assume", Kind: settings.Group, Doc: "What to take for granted where a row does not say. Each use is counted.", Fields: []settings.Setting{
		{Name: "length", Kind: settings.Length, Doc: "The length of an event without an end.", Example: "2h"},
		{Name: "overnight", Kind: settings.Length, Doc: "The longest event whose end time may fall on the next day. By default 12h.", Example: "12h"},
		{Name: "year", Kind: settings.Number, Doc: "The year of dates without one.", Example: "2026"},
	}},
	{Name: "day_order", Kind: settings.Choice, Choices: []string{"day first", "month first", "year first"}, Doc: "How to read dates such as 05/03/2026 that nothing else settles.", Example: "day first"},
	{Name: "native", Kind: settings.Choice, Choices: []string{"trust", "swapped"}, Doc: "What to do with a workbook's real dates when its text dates show that day and month were swapped.", Example: "swapped"},
	{Name: "unix", Kind: settings.Choice, Choices: []string{"seconds", "milliseconds"}, Doc: "Bare numbers are Unix times.", Example: "seconds"},
	{Name: "zone", Doc: "The time zone of times that name none. By default the desk's.", Example: "Europe/Lisbon"},
	{Name: "agree", Kind: settings.Group, Doc: "What to do where source and calendar differ.", Fields: []settings.Setting{
		{Name: "edited", Kind: settings.Choice, Choices: []string{"keep"}, Doc: "What someone changed in the calendar is kept.", Example: "keep"},
		{Name: "gone", Kind: settings.Choice, Choices: []string{"report", "cancel", "delete"}, Doc: "What becomes of an event whose row has gone from the source.", Example: "report"},
		{Name: "past", Kind: settings.YesNo, Doc: "Whether events that are wholly past can be gone.", Example: "no"},
	}},
}
