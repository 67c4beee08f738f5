package match

import (
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// TestMatch gives each table a header and one row, and wants to know which
// columns were taken for what.
func TestMatch(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	for _, tt := range []struct{ header, row, want string }{
		{"No|Date|Start|End|Subject", "1|2026-03-05|09:00|10:00|A", "start Date+Start, end End, title Subject"},
		{"No|Subject|Start Date|Start Time|End Date|End Time|All Day|Description|Location", "1|A|05/13/2026|9:00 AM|05/13/2026|10:30 AM|no|d|l", "start Start Date+Start Time, end End Date+End Time, all_day All Day, location Location, description Description, title Subject"},
		{"No|Datum|Von|Bis|Betreff|Ort", "1|14.03.2026|9:00|10:30|A|N", "start Datum+Von, end Bis, location Ort, title Betreff"},
		{"No|Nom|Date de début|Date de fin", "1|A|14/03/2026|15/03/2026", "start Date de début, end Date de fin, title Nom"},
		{"No|Name|Fecha inicio|Fecha fin|Hora inicio|Hora fin", "1|A|14/03/2026|15/03/2026|9:00|10:00", "start Fecha inicio+Hora inicio, end Fecha fin+Hora fin, title Name"},
		{"No|Name|Date from|Time from|Date to|Time to", "1|A|14/03/2026|9:00|15/03/2026|10:00", "start Date from+Time from, end Date to+Time to, title Name"},
		{"No|Vessel|ETA date|ETA time|ETD date|ETD time|Quay", "1|A|14/03/2026|9:00|15/03/2026|10:00|N", "start ETA date+ETA time, end ETD date+ETD time, location Quay, title Vessel"},
		{"No|Ferry|Departs|Arrives", "1|A|2026-03-14 08:00|2026-03-14 09:00", "start Departs, end Arrives, title Ferry"},
		{"No|Vessel|Arrives|Departs", "1|A|2026-03-14 08:00|2026-03-14 09:00", "start Arrives, end Departs, title Vessel"},
		{"No|Name|Day|Time|Duration|Link|Time zone", "1|A|2026-03-05|09:00|90 min|https://tarn-haven.example|UTC", "start Day+Time, zone Time zone, length Duration, url Link, title Name"},
		{"No|Name|Date of birth|Appointment", "1|A|1990-03-14|2026-03-15 09:00", "start Appointment, title Name"},
		{"No|Name|Created on|Event date|Updated", "1|A|2026-01-14|2026-03-14|2026-01-15", "start Event date, title Name"},
		{"No|Name|Deadline", "1|A|2026-03-15", "start Deadline, title Name"},
		{"No|Name|Low water|High water", "1|A|2026-03-15 09:00|2026-03-15 15:00", "no column holds the events' dates under a name such as Start or Date"},
		{"No|Day|Time|Task", "1|Mon|08:00|A\n2|Tue|09:00|B", "Day holds days of the week and no dates"},
		{"No|Name|When|Repeats|Repeat until|Status", "1|A|2026-03-15|weekly|2026-05-01|confirmed", "start When, title Name, repeat Repeats, repeat_until Repeat until, status Status"},
		{"No|Name|When|Status", "1|A|2026-03-15|paid", "start When, title Name"},
		{"No|Name|Day|Day", "1|A|2026-03-15|2026-03-16", `"Day" names 2 columns, C and D`},
		{"No|Incident|Occurrence", "1|A|2026-03-15", "start Occurrence, title Incident"},
		{"No|When", "1|2026-03-15", "start When, title No"},
		{"No|Name|End date|Event day", "1|A|2026-03-15|2026-03-14", "start Event day, end End date, title Name"},
		{"No|Name|Date|Time", "1|A|2026-03-15|early", "start Date+Time, title Name"},
		{"No|Name|Date|Start time|End time", "1|A|2026-03-15|early|late", "start Date+Start time, end End time, title Name"},
		{"No|Name|Date|Time zone|Time sheet", "1|A|2026-03-15|UTC|x", "start Date, zone Time zone, title Name"},
		{"No|Name|Date", "1|A|soon", "start Date, title Name"},
		{"Buchung|Schiff|Liegeplatz|Ankunft|Uhrzeit von|Uhrzeit bis|Bemerkung", "1|A|3|14.12.2026|8:15|17:30|x", "start Ankunft+Uhrzeit von, end Uhrzeit bis, location Liegeplatz, description Bemerkung, title Schiff"},
		{"Réservation|Navire|Quai|Date|Heure de début|Heure de fin", "1|A|3|14/12/2026|8h15|17h30", "start Date+Heure de début, end Heure de fin, location Quai, title Navire"},
		{"No|Name|Date|At|UTC offset", "1|A|2026-03-15|9:00|+1", "start Date+At, zone UTC offset, title Name"},
		{"No|Name|Date|At|Offset", "1|A|2026-03-15|9:00|+01:00", "start Date+At, title Name, zone Offset"},
		{"No|Name|Date|At|Clock", "1|A|2026-03-15|9:00|Europe/Paris\n2|B|2026-03-15|9:00|UTC\n3|B|2026-03-15|9:00|CET\n4|B|2026-03-15|9:00|GMT+1", "start Date+At, title Name, zone Clock"},
		{"No|Name|Date|At|Delay", "1|A|2026-03-15|9:00|+01:00", "start Date+At, title Name"},
		{"No|Name|Date|At|Side", "1|A|2026-03-15|9:00|West", "start Date+At, title Name"},
		{"No|Name|Date|Zone of time", "1|A|2026-03-15|UTC", "start Date, zone Zone of time, title Name"},
		{"When|Until", "2026-03-15|2026-03-16", "no column suits as a title"},
		{"Date|No|Name", "2026-03-15|1|A", "start Date, title Name"},
		{"Ding|No|Date", "A|1|2026-03-15", "start Date, title Ding"},
		{"No|Course|Day|From|To|First date|Last date", "1|A|Mon|18:00|19:30|2026-03-02|2026-03-30\n2|B|Sat|9:00|12:00|soon|2026-03-28\n3|C|Sat|9:00|12:00|2026-03-07|2026-03-28", "the rows can be events of each week"},
		{"No|Course|Day|From|To|First date|Last date", "1|A|Mon|18:00|19:30|2026-03-02|2026-03-30", "Last date holds days after the start, and its name does not say whether it is the end"},
		{"No|Course|Day|First date|Last date", "1|A|Mon|2026-03-02|2026-03-30\n2|B|Sat|2026-03-07|2026-03-28", "Last date holds days after the start, and its name does not say whether it is the end"},
		{"No|Name|Old date|New date|Time", "1|A|2026-03-15|2026-03-16|10:00", "start New date+Time, title Name"},
		{"No|Name|Original start|Revised start", "1|A|2026-03-15 10:00|2026-03-16 11:00", "start Revised start, title Name"},
		{"Nr|No|Titel|Bisheriges Datum|Datum", "1|1|A|2026-03-15|2026-03-16", "start Datum, title Titel"},
		{"No|Name|Old date", "1|A|2026-03-15", "start Old date, title Name"},
		{"No|Name|Order date|Delivery date", "1|A|2026-02-15|2026-03-16", "start Delivery date, title Name"},
		{"No|Name|Request date|Event date", "1|A|2026-02-15|2026-03-16", "start Event date, title Name"},
		{"No|Name|Planned date|Actual date", "1|A|2026-03-15|2026-03-16", `several columns hold dates, and no name says which is the event's; it can be "Planned date", or "Actual date"`},
		{"No|Name|Setup date|Event date|Teardown date", "1|A|2026-03-15|2026-03-16|2026-03-17", "start Event date, title Name"},
		{"No|Name|Requested date|Confirmed date|Confirmed on", "1|A|2026-02-15|2026-03-16|2026-02-16", "start Confirmed date, title Name"},
		{"No|Name|Begin|Departure", "1|A|2026-03-15|2026-03-16", "start Begin, end Departure, title Name"},
		{"No|Name|When|Departure", "1|A|2026-03-15|2026-03-16", "Departure and When hold days, and no name says which is the start"},
		{"No|Name|Collection|Taken back", "1|A|2026-03-15|2026-03-16", "Taken back holds days after the start, and its name does not say whether it is the end"},
		{"No|Name|Day|Payment due", "1|A|2026-03-15|2026-03-16", "start Day, title Name"},
		{"No|Name|Start date|End date", "1|A|2026-03-15|2026-03-16", "start Start date, end End date, title Name"},
		{"No|Name|Date 1|Date 2", "1|A|2026-03-15|2026-03-16", "a row can have several dates: {Date 1}, {Date 2}"},
		{"No|Name|1. Termin|2. Termin", "1|A|2026-03-15|2026-03-16", "a row can have several dates: {1. Termin}, {2. Termin}"},
		{"No|Course|Day|From|To|First date|Last date", "1|A|Mon|18:00|19:30|2026-03-02|2026-03-30\n2|B|Sat|9:00|12:00|2026-03-07|2026-03-28", "the rows can be events of each week, on Day from First date until Last date"},
		{"No|Course|Day|From|To|First date|Last date", "1|A|Mon|18:00|19:30|02/03/2026|06/04/2026\n2|B|Sat|9:00|12:00|07/03/2026|11/04/2026", "the rows can be events of each week, on Day from First date until Last date"},
		{"No|What|First day|Time in|Departure date|End time", "1|A|2026-04-02|03:00|2026-04-07|05:00\n2|B|2026-04-09|03:00|2026-04-09|05:00", "Departure date holds days after the start, and its name does not say whether it is the end"},
		{"No|What|Start date|Start|Back home|End time", "1|A|2026-04-02|03:00|2026-04-07|05:00\n2|B|2026-04-09|03:00|2026-04-09|05:00", "Back home holds days after the start, and its name does not say whether it is the end; it can be \"Back home\" and \"End time\", or \"End time\", or \"none\""},
		{"No|What|Start date|Start|Last day|Clock out", "1|A|2026-04-02|03:00|2026-04-02|05:00\n2|B|2026-04-09|03:00|2026-04-09|05:00", "Clock out: nothing says whether the time of the end, on the day in Last day; it can be \"Last day\" and \"Clock out\", or \"Last day\""},
		{"No|What|Arrival date|Last day", "1|A|46143|46148\n2|B|46162|46164", "start Arrival date, end Last day, title What"},
		{"No|What|On|Hours", "1|A|2026-04-02|0.4375 to 0.77\n2|B|2026-04-09|0.25-0.5", "Hours: nothing says whether the time of the start, on the day in On"},
		{"No|What|On|ETA", "1|A|2026-04-02|0.416666667\n2|B|2026-04-09|0.291666667", "ETA: nothing says whether the time of the start"},
		{"No|What|On|ETA|ETD", "1|A|2026-04-02|7|15\n2|B|2026-04-09|14.45|16.15", "nothing says whether the time of the start"},
		{"No|Created|What for|On", "1|5 maa|A|2026-04-02\n2|7 maa|B|2026-04-09", "start On, title What for"},
		{"No|What|On|Slot", "1|A|2026-04-02|1\n2|B|2026-04-09|2", "start On, title What"},
		{"No|LOA|What|Time in|Until", "1|8.15|A|10:00|11:00\n2|7.30|B|10:00|11:00", "no column holds the events' dates"},
		{"No|What|Starts|Duration|Length (m)", "1|A|2026-04-02 10:00|2h|8.15\n2|B|2026-04-09 10:00|1h|12.5", "start Starts, length Duration, title What"},
		{"NO:|What|Day", "1002|A|2026-04-02\n1447|B|2026-04-09", "start Day, title What"},
		{"No|What|Date limite|Jour", "1|A|2026-04-01|2026-04-02\n2|B|2026-04-01|2026-04-09", "start Jour, title What"},
		{"No|What|On|At|Heures", "1|A|2026-04-02|9:00|2\n2|B|2026-04-09|9:00|3.5", "start On+At, length Heures, title What"},
		{"No|What|On|At|Std", "1|A|2026-04-02|9:00|2h\n2|B|2026-04-09|9:00|90 min", "start On+At, length Std, title What"},
		{"No|What|On|At|Hours", "1|A|2026-04-02|9:00|2:00\n2|B|2026-04-09|9:00|10:30\n3|C|2026-04-09|9:00|1:00", "start On+At, length Hours, title What"},
		{"No|What|On|At|H", "1|A|2026-04-02|9:00|8.15\n2|B|2026-04-09|9:00|7", `H holds numbers that can be how long the events last, and does not say it; give --length "H" if they are, or --without "H" if not`},
		{"No|What|On|At|Ore", "1|A|2026-04-02|9:00|12000\n2|B|2026-04-09|9:00|7000", "Ore holds numbers that can be how long the events last"},
		{"No|What|On|At|Ore", "1|A|2026-04-02|9:00|2:00\n2|B|2026-04-09|9:00|1:30", "start On+At, length Ore, title What"},
		{"No|What|On|At|Hrs", "1|A|2026-04-02|9:00|11:00\n2|B|2026-04-09|9:00|10:30", "Hrs holds times after the start"},
		{"No|What|Tag|Stunden", "1|A|2026-04-02|9:00-11:00\n2|B|2026-04-09|9:00-11:00", "start Tag+Stunden, title What"},
		{"No|What|On|At|Frequency", "1|A|2026-04-06|9:00|weekly\n2|B|2026-04-06|9:00|see notes\n3|C|2026-04-06|9:00|once", "start On+At, title What, repeat Frequency"},
		{"No|What|On|At|Turnus", "1|A|2026-04-06|9:00|alle 2 Wochen\n2|B|2026-04-06|9:00|einmalig", "start On+At, title What, repeat Turnus"},
		{"No|What|On|At|Frequency", "1|A|2026-04-06|9:00|156.8\n2|B|2026-04-06|9:00|156.5", "start On+At, title What"},
		{"No|What|On|At|Invoice", "1|A|2026-04-06|9:00|monthly\n2|B|2026-04-06|9:00|every 2 weeks\n3|C|2026-04-06|9:00|none", `Invoice says how something repeats, and its name does not say whether it is the events; give --repeat "Invoice" if it is, or --without "Invoice" if not`},
		{"No|What|On|At|Remarks", "1|A|2026-04-06|9:00|monthly\n2|B|2026-04-06|9:00|by tug\n3|C|2026-04-06|9:00|late", "start On+At, description Remarks, title What"},
		{"No|What|On|At|Type", "1|A|2026-04-06|9:00|Monday call\n2|B|2026-04-06|9:00|once", "start On+At, title What"},
		{"No|What|Jahr|Monat|Tag|Von", "1|A|2026|4|2|9:00\n2|B|2026|4|16|10:00", `the date stands in three columns: Jahr, Monat and Tag; describe the start in an intake file, as in start: "{Jahr}-{Monat}-{Tag}"; draft writes the rest of it`},
		{"No|What|Start|Start zone|End|End zone", "1|A|2026-04-02 9:00|UTC|2026-04-02 10:00|utc\n2|B|2026-04-02 9:00|Europe/Paris|2026-04-02 10:00|Europe/Lisbon", `in row 3 Start zone says Europe/Paris, and End zone says Europe/Lisbon: all times of a row are in one zone`},
		{"No|What|Start|Start zone|End|End zone", "1|A|2026-04-02 9:00|UTC|2026-04-02 10:00|utc\n2|B|2026-04-02 9:00|Europe/Paris|2026-04-02 10:00|", "start Start, end End, zone Start zone, title What"},
		{"No|What|Start|End", "1|A|tbc|2026-04-02 10:00\n2|B|soon|2026-04-09 10:00", "the column Start holds too much that is no date (tbc), and End says when events end"},
		{"No|What|Ankunft|Bis", "1|A|offen|2026-04-02 10:00\n2|B|offen|2026-04-09 10:00", "the column Ankunft holds too much that is no date (offen), and Bis says when events end"},
		{"No|What|Date de fin", "1|A|2026-04-02\n2|B|2026-04-09", "no column says when the events start: Date de fin says when they end; it can be \"Date de fin\""},
		{"No|What|Deadline", "1|A|2026-04-02\n2|B|2026-04-09", "start Deadline, title What"},
		{"No|What|Departure", "1|A|2026-04-02\n2|B|2026-04-09", "start Departure, title What"},
		{"No|What|On|Days", "1|A|2026-04-02|2\n2|B|2026-04-09|3", "start On, length Days, title What"},
		{"No|What|On|At|Man hours", "1|A|2026-04-02|9:00|2\n2|B|2026-04-09|9:00|3.5", "start On+At, title What"},
		{"No|What|On|At|Planned hours", "1|A|2026-04-02|9:00|2\n2|B|2026-04-09|9:00|3.5", "start On+At, length Planned hours, title What"},
		{"No|What|On|At|Total hours", "1|A|2026-04-02|9:00|2\n2|B|2026-04-09|9:00|3.5", "Total hours holds numbers that can be how long the events last"},
		{"No|What|On|At|Work (h)", "1|A|2026-04-02|9:00|2\n2|B|2026-04-09|9:00|3.5", "Work (h) holds numbers that can be how long the events last"},
		{"No|What|On|At|Draught (m)", "1|A|2026-04-02|9:00|2\n2|B|2026-04-09|9:00|3.5", "start On+At, title What"},
		{"No|What|On|Free days", "1|A|2026-04-02|2\n2|B|2026-04-09|3", "start On, title What"},
		{"No|What|On|Laytime days", "1|A|2026-04-02|2\n2|B|2026-04-09|3", "Laytime days holds numbers that can be how long the events last"},
		{"No|What|On|Nights", "1|A|2026-04-02|2\n2|B|2026-04-09|3", "Nights holds numbers that can be how long the events last, and does not say it"},
		{"No|What|On|At|Effort", "1|A|2026-04-02|9:00|2h\n2|B|2026-04-09|9:00|90 min", `Effort holds lengths of time, and its name does not say whether they are the events'; give --length "Effort" if they are, or --without "Effort" if not`},
		{"No|summary|start.date|end.date|start.dateTime|end.dateTime", "1|A|2026-04-02|2026-04-03||\n2|B|||2026-04-09T09:00:00Z|2026-04-09T10:00:00Z", "start start.date+start.dateTime, end end.date+end.dateTime, title summary"},
		{"No|summary|start.date|start.time|start.dateTime", "1|A|2026-04-02|09:00|\n2|B|||2026-04-09T09:00:00Z\n3|C|2026-04-03|10:00|", "start start.date+start.time+start.dateTime, title summary"},
		{"No|summary|start.dateTime|end.dateTime|start.date", "1|A|||2026-04-02\n2|B|2026-04-09T09:00:00Z|2026-04-09T10:00:00Z|", "start start.dateTime+start.date, end end.dateTime, title summary"},
		{"No|Vessel|ETA|ETD", "1|A|tbc|2026-04-02 08:00\n2|B|tbc|2026-04-03 08:00\n3|C|2026-04-03 06:00|2026-04-03 08:00", `the column ETA holds too much that is no date (tbc), and ETD says when they leave; it can be "ETA", or "ETD"; give --start "ETA"`},
		{"No|Vessel|ETA|ETD", "1|A||2026-04-02 08:00\n2|B||2026-04-03 08:00", "start ETD, title Vessel"},
		{"No|What|Start|End", "1|A|2026-04-02 08:00|open\n2|B|2026-04-03 08:00|open\n3|C|2026-04-03 06:00|2026-04-03 08:00", `the column End holds too much that is no date (open), and no other says when the events end; it can be "End", or "none"; give --end "End"`},
		{"No|What|Start|End", "1|A|2026-04-02T08:00|2026-04-02T09:00\n2|B|2026-04-03T08:00|open\n3|C|2026-04-03T06:00|open", "the column End holds too much that is no date (open)"},
		{"No|Vessel|Arrives|Departs", "1|A|2026-04-02 08:00|?\n2|B|2026-04-03 08:00|?\n3|C|2026-04-03 08:00|12:00", "the column Departs holds too much that is no date (?)"},
		{"No|Vessel|Date|Time|From|To", "1|A|2026-04-02|08:00|Skerry|Tarn Haven\n2|B|2026-04-03|08:00|Tarn Haven|Skerry", "start Date+Time, title Vessel"},
		{"No|What|Start|End", "1|A|2026-04-02 08:00|open\n2|B|2026-04-03 08:00|tbc", "start Start, title What"},
		{"No|What|Start|End|Length", "1|A|2026-04-02 08:00|open|1h\n2|B|2026-04-03 08:00|open|2h", "start Start, length Length, title What"},
		{"No|Vessel|eta_ts|etd_ts", "1|A|1773129600|1773136800\n2|B|1773216000|1773223200", "eta_ts and etd_ts hold numbers that can be Unix times in seconds, the first of them 10 March 2026 08:00 UTC; give --unix seconds"},
		{"No|Vessel|start", "1|A|1773129600000\n2|B|1773216000000", "start holds numbers that can be Unix times in milliseconds"},
		{"No|Vessel|start", "1|A|1773129600000\n2|B|1773216000", "no column holds the events' dates"},
		{"No|Vessel|start", "1|A|17731296\n2|B|17732160", "no column holds the events' dates"},
		{"No|What|On|Slot", "1|A|2026-04-02|AM\n2|B|2026-04-09|p.m.\n3|C|2026-04-09|all day", `Slot says only the part of the day (AM), and the events would be whole days; write times of day, or, for whole days, give --without "Slot"`},
		{"No|What|On|Slot", "1|A|2026-04-02|AM\n2|B|2026-04-09|north", "start On, title What"},
		{"No|What|On|At|Tide", "1|A|2026-04-02|9:00|morning\n2|B|2026-04-09|9:00|evening", "start On+At, title What"},
		{"No|What|Start|End|Repeats|Occurrences", "1|A|2026-04-02 08:00|2026-04-02 09:00|weekly|4\n2|B|2026-04-09 10:00|2026-04-09 11:00|daily|10", `Occurrences may say when the events end to repeat, and left out they never do`},
		{"No|What|Start|End|Repeats|Until", "1|A|2026-04-02 08:00|2026-04-02 09:00|weekly|10 times\n2|B|2026-04-09 10:00|2026-04-09 11:00|daily|2026-05-30", `Until may say when the events end to repeat, and left out they never do`},
		{"No|What|Start|End|Repeats|Not on", "1|A|2026-04-02 08:00|2026-04-02 09:00|weekly|2026-04-16, 2026-04-30\n2|B|2026-04-09 10:00|2026-04-09 11:00|daily|2026-04-12", `repeat Repeats, start Start, end End, title What, except Not on`},
		{"No|What|Start|End|Repeats|Holidays", "1|A|2026-04-02 08:00|2026-04-02 09:00|weekly|2026-04-16\n2|B|2026-04-09 10:00|2026-04-09 11:00|daily|2026-04-12", `Holidays holds dates, and may say on which days the events do not repeat, or do besides`},
		{"No|What|Start|End|Repeats|Created at", "1|A|2026-04-02 08:00|2026-04-02 09:00|weekly|2026-02-16\n2|B|2026-04-09 10:00|2026-04-09 11:00|daily|2026-02-12", `repeat Repeats, start Start, end End, title What`},
		{"No|What|Start|End|New start", "1|A|2026-04-02 08:00|2026-04-02 09:00|\n2|B|2026-04-09 10:00|2026-04-09 11:00|2026-04-10 10:00", `New start may say another time than Start for some of the events`},
		{"No|What|Start|End|Changed on", "1|A|2026-04-02 08:00|2026-04-02 09:00|\n2|B|2026-04-09 10:00|2026-04-09 11:00|2026-04-01", `start Start, end End, title What`},
		{"No|What|Start|End|Offset", "1|A|2026-04-02 08:00|2026-04-02 09:00|+1\n2|B|2026-04-09 10:00|2026-04-09 11:00|0", `Offset may say how far the times are from UTC`},
		{"No|What|Start|End|Repeats|recurringEventId", "1|A|2026-04-02 08:00|2026-04-02 09:00|weekly|\n2|B|2026-04-09 10:00|2026-04-09 11:00||1", `recurringEventId says which series, or which date of one, some rows are about, and that date would stand twice`},
		{"No|What|Start|End|Repeats|originalStartTime.date", "1|A|2026-04-02 08:00|2026-04-02 09:00|weekly|\n2|B|2026-04-09 10:00|2026-04-09 11:00||2026-04-09", `give --without "originalStartTime.date"`},
		{"No|What|Start|End|recurringEventId", "1|A|2026-04-02 08:00|2026-04-02 09:00|\n2|B|2026-04-09 10:00|2026-04-09 11:00|1", "start Start, end End, title What"},
		{"No|What|On|Hire", "1|A|2026-04-02|2 days\n2|B|2026-04-09|3 days", "Hire holds lengths of time"},
		{"No|Vessel|Day|Arrival|ETA|Departure|ETD", "1|A|Mon|2026-03-02|18:00|2026-03-16|19:30\n2|B|Sat|2026-03-07|9:00|2026-03-18|12:00", "start Arrival+ETA, end Departure+ETD, title Vessel"},
	} {
		var rows []table.Row
		for line := range strings.SplitSeq(tt.row, "\n") {
			row := table.Row{Number: int32(len(rows) + 2)}
			for c := range strings.SplitSeq(line, "|") {
				row.Cells = append(row.Cells, table.Cell{Kind: table.Text, Text: c})
			}
			rows = append(rows, row)
		}
		choices, f := Columns(strings.Split(tt.header, "|"), table.Hold(rows...), Given{Key: []string{"No"}}, moment.Settings{Present: time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC), Zones: book})
		if f != nil {
			assert.Contains(t, f.Error(), tt.want, tt.header)
			continue
		}
		var got []string
		for _, c := range choices {
			got = append(got, c.Field+" "+strings.Join(c.Columns, "+"))
		}
		assert.Equal(t, tt.want, strings.Join(got, ", "), tt.header)
	}
}

// TestSheets chooses columns for whole sheets, as draft does, and measures how
// often it is right where it says it is sure.
func TestSheets(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	data, err := os.ReadFile("testdata/sheets.txt")
	require.NoError(t, err)
	set := moment.Settings{Present: time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC), Zones: book}
	sheets, right, sure, surely := 0, 0, 0, 0
	for block := range strings.SplitSeq(string(data), "\n\n") {
		lines := strings.Split(strings.TrimSpace(block), "\n")
		if strings.HasPrefix(lines[0], "#") {
			continue
		}
		header := table.Header(strings.Split(lines[0], "|"))
		traits := make([]Traits, len(header))
		for i, text := range strings.Split(lines[1], "|") {
			traits[i].Column = moment.NewColumn(set)
			cell := table.Cell{Kind: table.Text, Text: text}
			traits[i].Column.Learn(2, cell)
			traits[i].Learn(cell)
			traits[i].Column.Settle()
		}
		choices, _ := suit(header, traits, Given{Key: []string{header[0]}})
		var got []string
		want := strings.TrimPrefix(lines[2], "= ")
		for _, c := range choices {
			text := c.Field + " " + strings.Join(c.Columns, "+")
			if plain := "{" + strings.Join(c.Columns, "} {") + "}"; c.Template != plain {
				text += " \"" + c.Template + "\""
			}
			got = append(got, text)
			if c.Sure == Surely {
				sure++
				if strings.Contains(", "+want+", ", ", "+text+", ") {
					surely++
				}
			}
		}
		sheets++
		if assert.ElementsMatch(t, strings.Split(want, ", "), got, lines[0]) {
			right++
		}
	}
	t.Logf("%d of %d sheets right; %d of %d sure choices", right, sheets, surely, sure)
	assert.GreaterOrEqual(t, float64(surely), 0.98*float64(sure))
}

// TestGiven takes the columns a person named, and offers those she can name.
func TestGiven(t *testing.T) {
	set := moment.Settings{Present: time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)}
	read := func(header, lines string, fields map[string][]string) (string, *fault.Fault) {
		var rows table.Rows
		for line := range strings.SplitSeq(lines, "\n") {
			var r table.Row
			for c := range strings.SplitSeq(line, "|") {
				r.Cells = append(r.Cells, table.Cell{Kind: table.Text, Text: c})
			}
			rows.Add(r)
		}
		choices, f := Columns(strings.Split(header, "|"), rows, Given{Key: []string{"No"}, Fields: fields}, set)
		var out []string
		for _, c := range choices {
			out = append(out, c.Field+" "+strings.Join(c.Columns, "+"))
		}
		return strings.Join(out, ", "), f
	}
	header, row := "No|Ship|Remark|Tide|Moon|At", "1|A|x|2026-03-05|2026-03-06|09:00"
	_, f := read(header, row, nil)
	require.NotNil(t, f)
	assert.Equal(t, "start", f.Missing)
	assert.Equal(t, [][]string{{"Tide"}, {"Moon"}, {"Ship"}, {"Remark"}, {"At"}}, f.Choices)
	assert.Contains(t, f.Error(), `give --start "Tide"`)
	got, f := read(header, row, map[string][]string{"start": {"Moon"}, "title": {"remark"}})
	require.Nil(t, f)
	assert.Equal(t, "title Remark, start Moon+At", got)
	_, f = read(header, row, map[string][]string{"start": {"Moonn"}})
	assert.Contains(t, f.Error(), `did you mean "Moon"?`)
	got, f = read("No|Vessel|ETA|ETD", "1|A|tbc|2026-03-10 08:00\n2|B|tbc|2026-03-11 08:00\n3|C|2026-03-12 06:00|2026-03-12 08:00", map[string][]string{"start": {"ETA"}})
	require.Nil(t, f)
	assert.Equal(t, "start ETA, end ETD, title Vessel", got)
	_, f = read("When|Until", "2026-03-15|2026-03-16", nil)
	assert.Equal(t, "title", f.Missing)
	assert.Equal(t, [][]string{{"When"}, {"Until"}}, f.Choices)

	// Times that no name places: each can be named, with the date or without, and none as the end.
	header, row = "No|Ship|Day|Crew call|Kick|Gone", "1|A|2026-03-05|09:00|10:00|11:00"
	_, f = read(header, row, nil)
	require.NotNil(t, f)
	assert.Contains(t, f.Error(), `Crew call and Kick and Gone hold times of day, and no name says which is that of the start`)
	for given, want := range map[string]map[string][]string{
		`Gone holds times after the start, and its name does not say whether it is the end`: {"start": {"Kick"}},
		"start Day+Kick, end Gone, title Ship":                                              {"start": {"Kick"}, "end": {"Gone"}},
		"start Day+Kick, title Ship":                                                        {"start": {"Day", "Kick"}, "end": {None}},
	} {
		got, f := read(header, row, want)
		if f != nil {
			got = f.Error()
		}
		assert.Contains(t, got, given)
	}
}

// Times that are stored with a day that the sheet does not show are times where another column
// has the days.
func TestClocksShown(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	stored := func(days float64, shown table.Part) table.Cell {
		c := table.NewTemporal(table.DateTime, days)
		c.Shown = shown
		return c
	}
	for header, want := range map[string]string{"No|What|Date|Start|End": "start Date+Start, end End, title What", "No|What|Nothing|Start|End": "start Start, end End, title What"} {
		rows := []table.Row{{Number: 2}, {Number: 3}}
		for n := range rows {
			rows[n].Cells = []table.Cell{{Kind: table.Text, Text: strconv.Itoa(n)}, {Kind: table.Text, Text: "A"}, table.NewTemporal(table.Date, float64(46146+n)), stored(46100.25, table.ClockOnly), stored(46100.5, table.ClockOnly)}
			if strings.Contains(header, "Nothing") {
				rows[n].Cells[2] = table.Cell{}
			}
		}
		choices, f := Columns(strings.Split(header, "|"), table.Hold(rows...), Given{Key: []string{"No"}}, moment.Settings{Present: time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC), Zones: book})
		require.Nil(t, f, "%v", f)
		var got []string
		for _, c := range choices {
			got = append(got, c.Field+" "+strings.Join(c.Columns, "+"))
		}
		assert.Equal(t, want, strings.Join(got, ", "))
	}
}

// TestUnix takes bare numbers for times where a person says that they are, and no others with them.
func TestUnix(t *testing.T) {
	cells := func(texts ...string) (out []table.Cell) {
		for _, text := range texts {
			out = append(out, table.Cell{Kind: table.Text, Text: text})
		}
		return out
	}
	rows := table.Hold(table.Row{Number: 2, Cells: cells("1", "A", "3", "1773129600", "1773136800")}, table.Row{Number: 3, Cells: cells("2", "B", "4", "1773216000", "1773223200")})
	choices, f := Columns(table.Header{"No", "Vessel", "Berth", "eta_ts", "etd_ts"}, rows, Given{Key: []string{"No"}}, moment.Settings{Present: time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC), Unix: time.Second})
	require.Nil(t, f)
	var out []string
	for _, c := range choices {
		out = append(out, c.Field+" "+strings.Join(c.Columns, "+"))
	}
	assert.Equal(t, []string{"start eta_ts", "end etd_ts", "location Berth", "title Vessel"}, out)
}
