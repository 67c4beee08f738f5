package intake

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// sheet maps a table written with bars under an intake's event settings, and
// gives for each row when its event is, or why it is held, and what was noted.
func sheet(t *testing.T, settings, text string) []string {
	t.Helper()
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	lisbon, err := book.Find("Europe/Lisbon")
	require.NoError(t, err)
	in, faults := Parse("x.yaml", []byte("key: No\ninto: c\n"+settings))
	require.Empty(t, faults, "%v", faults)
	var header table.Header
	var rows table.Rows
	for n, line := range strings.Split(strings.TrimSpace(text), "\n") {
		cells := strings.Split(line, "|")
		if n == 0 {
			header = cells
			continue
		}
		r := row(cells...)
		r.Number = int32(n + 1)
		rows.Add(r)
	}
	header, rows, faults = in.Prepare(header, rows)
	require.Empty(t, faults)
	m, faults := in.Compile(header, book, lisbon, time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC))
	require.Empty(t, faults, "%v", faults)
	b := NewBatch(m, rows, nil)
	mapper := m.Mapper()
	out := make([]string, rows.Len())
	var w Wanted
	for i := range rows.Len() {
		if fate, _ := b.Fate(i); fate != WantedRow {
			continue
		}
		if f := b.Map(mapper, i, &w); f != nil {
			out[i] = "held: " + f.Reason()
			continue
		}
		out[i] = w.Event.When.String()
		if w.Cancel {
			out[i] = "cancel"
		}
		if notes := w.Notes.Words(in); len(notes) > 0 {
			out[i] += " (" + strings.Join(notes, "; ") + ")"
		}
	}
	for _, h := range b.Held {
		out[h.Row] = "held: " + h.Fault.Reason()
	}
	for _, l := range b.LeftOut {
		out[l.Row] = "left out: " + l.Reason
	}
	return out
}

func TestSpans(t *testing.T) {
	const twoColumns = "event: { title: '{No}', start: '{Day} {From}', end: '{To day} {To}', length: '{Length}', all_day: '{All}', zone: '{Zone}' }\nassume: { length: 30m }\n"
	tests := []struct{ name, settings, text, want string }{
		{"date and times from columns", twoColumns, `
No|Day|From|To day|To|Length|All|Zone
1|2026-03-05|08:00||09:30|||
2|2026-03-05|22:00||06:00|||
3|2026-03-05|10:00||09:00|||
4|2026-03-05|08:00|2026-03-06|09:30|||
5|2026-03-05|08:00|2026-03-04|09:30|||
6|2026-03-05|08:00|||90m||
7|2026-03-05|08:00|||||
8|2026-03-05||2026-03-07||||
9|2026-03-05|08:00|2026-03-07|17:00||yes|
10|2026-03-05|08:00||09:00|||Asia/Tokyo
11|2026-03-05|08:00||09:00|||GMT Standard Time
12|2026-03-05|08:00||09:00|||+02:00
13|2026-03-05|08:00||09:00|||Lisboa
14|2026-03-05|08:00||09:00||perhaps|
15|2026-03-05|||09:00|||
16||08:00||09:00|||
17|2026-03-05|08:00||08:00|||
18|2026-03-29|01:30||03:00|||
19|2026-10-25|01:30||03:00|||
20|2026-03-05|08:00|||5||
21|2026-03-05|24:00||01:00|||
22|2026-03-05||||2 days||`, `
20260305T080000/20260305T093000@Europe/Lisbon
20260305T220000/20260306T060000@Europe/Lisbon (overnight assumed: ends on the next day)
held: ends at 09:00, before it starts at 10:00; as an event over midnight it would last 23h (give the end's date)
20260305T080000/20260306T093000@Europe/Lisbon
held: ends on Wed 4 March 2026 09:30, before it starts on Thu 5 March 2026 08:00
20260305T080000/20260305T093000@Europe/Lisbon
20260305T080000/20260305T083000@Europe/Lisbon (end assumed: 30min)
20260305/20260308 (all day assumed: no time given)
held: is all day, and has the time 08:00 (correct one of them)
20260305T080000/20260305T090000@Asia/Tokyo
20260305T080000/20260305T090000@Europe/London
20260305T060000Z/20260305T070000Z
held: Zone "Lisboa" is not a time zone (did you mean "Europe/Lisbon"?)
held: All "perhaps" says neither yes nor no (write yes or no, or leave it empty)
held: the start has no time of day, the end has one (fill in the start's time)
held: Day is empty: the start has a time of day but no date (fill in the date)
held: ends when it starts, on Thu 5 March 2026 08:00 (give the end, or a length)
held: Sun 29 March 2026 01:30 does not exist in Europe/Lisbon: the clocks go forward over it (correct the time, or give its offset)
20261025T013000/20261025T030000@Europe/Lisbon (time happens twice when the clocks go back: the first is meant)
held: Length "5" is not a length of time (write its unit, as in 5h or 5min)
20260306T000000/20260306T010000@Europe/Lisbon
20260305/20260307 (all day assumed: no time given)`},
		{"the end shares the start's day", "event: { title: '{No}', start: '{Day} {From}', end: '{Day} {To}' }\nassume: { length: 30m }\n", `
No|Day|From|To
1|2026-03-05|08:00|09:30
2|2026-03-05|22:00|06:00
3|2026-03-05|10:00|09:00
4|2026-03-05|08:00|
5|2026-03-05||
6|2026-03-05||09:00`, `
20260305T080000/20260305T093000@Europe/Lisbon
20260305T220000/20260306T060000@Europe/Lisbon (overnight assumed: ends on the next day)
held: ends at 09:00, before it starts at 10:00; as an event over midnight it would last 23h (give the end's date)
20260305T080000/20260305T083000@Europe/Lisbon (end assumed: 30min)
20260305/20260306 (all day assumed: no time given)
held: the start has no time of day, the end has one (fill in the start's time)`},
		{"one column says it all", "event: { title: '{No}', start: '{When}' }\nassume: { length: 1h }\n", `
No|When
1|14/03/2026 8.15–11:45
2|21–25 Sep 2026
3|05/03/2026 09:00
4|2026-03-05T09:00Z
5|2026-03-05 09:00 America/New_York
6|next Tuesday
7|2026-03-05 22:00 - 2026-03-06 04:00`, `
20260314T081500/20260314T114500@Europe/Lisbon
20260921/20260926 (all day assumed: no time given)
20260305T090000/20260305T100000@Europe/Lisbon (end assumed: 1h)
20260305T090000Z/20260305T100000Z (end assumed: 1h)
20260305T090000/20260305T100000@America/New_York (end assumed: 1h)
held: When "next Tuesday" counts from a day that is not stated (write the date)
20260305T220000/20260306T040000@Europe/Lisbon`},
		{"a spreadsheet's numbers are days at both ends", "event: { title: '{No}', start: '{Start}', end: '{End}' }\n", `
No|Start|End
1|46083.375|46083.5
2|46084.25|46085.75
3|46085|46086`, `
20260302T090000/20260302T120000@Europe/Lisbon (spreadsheet number assumed)
20260303T060000/20260304T180000@Europe/Lisbon (spreadsheet number assumed)
20260304/20260306 (all day assumed: no time given; spreadsheet number assumed)`},
		{"what is said twice agrees or is held", "event: { title: '{No}', start: '{When} {From}', end: '{To}', zone: '{Zone}' }\nassume: { length: 1h }\n", `
No|When|From|To|Zone
1|2026-03-05 09:00 – 11:00||11:00|
2|2026-03-05 09:00 – 11:00||12:00|
3|5–7 Mar 2026||2026-03-07|
4|5–7 Mar 2026||2026-03-08|
5|2026-03-05|09:00–11:00|11:00|
6|2026-03-05|09:00|11:00–12:00|
7|5–7 Mar 2026|09:00|17:00|
8|5–7 Mar 2026|09:00||
9|2026-03-05 09:00|10:00||
10|until 2026-03-05|||
11|from 2026-03-05|||
12|2026-03-05|from 09:00|until 11:00|
13|2026-03-05|09:00|from 11:00|
14|2026-03-05|all day||
15|2026-03-05T09:00+01:00||11:00+01:00|Europe/Lisbon
16|2026-07-05T09:00+01:00||11:00+01:00|Europe/Lisbon
17|2026-03-05T09:00Z||11:00Z|America/New_York
18|2026-03-05|09:00 CET|11:00|
19|2026-07-05|09:00 CET|11:00|
20|2026-03-05|09:00 CEST|11:00|
21|2026-03-05|from 9:00||
22|2026-03-05|midnight|2:00|
23|2026-03-05|20:00|midnight|
24|2026-03-05|20:00|6 March 2026 midnight|
25|2026-03-05|9:30 p. m.|11:00 p. m.|
26|2026-03-05|9 Uhr 30|11 Uhr 15 Min.|
27|Fri 05.03.26|9:00||`, `
20260305T090000/20260305T110000@Europe/Lisbon
held: the start's range ends at 11:00, and the end is at 12:00 (correct one of them)
20260305/20260308 (all day assumed: no time given)
held: the start's range ends on Sat 7 March 2026, and the end is on Sun 8 March 2026 (correct one of them)
20260305T090000/20260305T110000@Europe/Lisbon
held: To "11:00–12:00" is a range, where the end is wanted
held: has the dates Thu 5 March 2026 to Sat 7 March 2026 and a time of day besides: one event, or one on each day (set range_with_times: one, or range_with_times: each day, or give --range-with-times)
held: has the dates Thu 5 March 2026 to Sat 7 March 2026 and a time of day besides: one event, or one on each day (set range_with_times: one, or range_with_times: each day, or give --range-with-times)
held: From "10:00" is a second time of day
held: When "until 2026-03-05" gives the end of a range, where the start is wanted
held: When "from 2026-03-05" gives only the start of a range (give the end, or a length)
20260305T090000/20260305T110000@Europe/Lisbon
held: To "from 11:00" gives the start of a range, where the end is wanted
20260305/20260306
held: When "2026-03-05T09:00+01:00" is at +01:00, and Zone says Europe/Lisbon, which is at +00:00 then (correct one of them)
20260705T090000/20260705T110000@Europe/Lisbon
20260305T090000Z/20260305T110000Z
20260305T090000/20260305T110000@CET
held: From "09:00 CET" says CET, which is +01:00, and on Sun 5 July 2026 the clocks of Europe/Paris are at +02:00 (write the offset)
held: From "09:00 CEST" says CEST, which is +02:00, and on Thu 5 March 2026 the clocks of Europe/Paris are at +01:00 (write the offset)
held: From "from 9:00" gives only the start of a range (give the end, or a length)
held: From "midnight" may be the midnight at the beginning of its day or the one at its end (write it as 0:00 or 24:00)
20260305T200000/20260306T000000@Europe/Lisbon (overnight assumed: ends on the next day)
held: To "6 March 2026 midnight" may be the midnight at the beginning of its day or the one at its end (write it as 0:00 or 24:00)
20260305T213000/20260305T230000@Europe/Lisbon
20260305T093000/20260305T111500@Europe/Lisbon
held: When "Fri 05.03.26" names the wrong weekday: 5 March 2026 is a Thursday, and 3 May 2026 is a Sunday`},
		{"the end is the day after the last one", "last_day: not included\nevent: { title: '{No}', start: '{From}', end: '{To}', length: '{Long}' }\n", `
No|From|To|Long
1|2026-03-05|2026-03-06|
2|2026-03-05|2026-03-09|
3|2026-03-05|2026-03-05|
4|2026-03-05||
5|2026-03-05|2026-03-07|2 days
6|2026-03-05|2026-03-07|3 days
7|5–7 Mar 2026||
8|2026-03-05 00:00|2026-03-06 00:00|
9|2026-03-05 08:00|2026-03-06 09:00|
10|5–7 Mar 2026|7 March 2026|`, `
20260305/20260306 (all day assumed: no time given)
20260305/20260309 (all day assumed: no time given)
20260305/20260306 (all day assumed: no time given)
20260305/20260306 (all day assumed: no time given)
20260305/20260307 (all day assumed: no time given)
held: ends on Fri 6 March 2026, but its length of 3d ends on Sat 7 March 2026 (correct one of them)
20260305/20260308 (all day assumed: no time given)
20260305T000000/20260306T000000@Europe/Lisbon
20260305T080000/20260306T090000@Europe/Lisbon
20260305/20260308 (all day assumed: no time given)`},
		{"a range of dates with times: one", "range_with_times: one\nevent: { title: '{No}', start: '{When} {From}', end: '{When} {To}' }\n", `
No|When|From|To
1|5–7 Mar 2026|09:00|17:00
2|5 Mar 2026|09:00|17:00
3|5–7 Mar 2026||`, `
20260305T090000/20260307T170000@Europe/Lisbon
20260305T090000/20260305T170000@Europe/Lisbon
20260305/20260308 (all day assumed: no time given)`},
		{"a range of dates with times: each day", "range_with_times: each day\nevent: { title: '{No}', start: '{When} {From}', end: '{To}' }\n", `
No|When|From|To
1|5–7 Mar 2026|09:00|17:00
2|5–7 Mar 2026|22:00|06:00`, `
20260305T090000/20260305T170000@Europe/Lisbon;FREQ=DAILY;COUNT=3
20260305T220000/20260306T060000@Europe/Lisbon;FREQ=DAILY;COUNT=3 (overnight assumed: ends on the next day)`},
		{"two dates and two times, each in its column", "event: { title: '{No}', start: '{First} {From}', end: '{Last} {To}' }\n", `
No|First|From|Last|To
1|2026-03-02|10:00|2026-03-04|18:00`, `
20260302T100000/20260304T180000@Europe/Lisbon`},
		{"the same: each day", "range_with_times: each day\nevent: { title: '{No}', start: '{First} {From}', end: '{Last} {To}' }\n", `
No|First|From|Last|To
1|2026-03-02|10:00|2026-03-04|18:00
2|2026-03-02|22:00|2026-03-03|02:00
3|2026-03-02|22:00|2026-03-04|02:00
4|2026-03-02|10:00|2026-03-02|18:00
5|2026-03-02||2026-03-04|
6|2026-03-02|10:00||18:00`, `
20260302T100000/20260302T180000@Europe/Lisbon;FREQ=DAILY;COUNT=3
20260302T220000/20260303T020000@Europe/Lisbon
20260302T220000/20260303T020000@Europe/Lisbon;FREQ=DAILY;COUNT=3 (overnight assumed: ends on the next day)
20260302T100000/20260302T180000@Europe/Lisbon
20260302/20260305 (all day assumed: no time given)
20260302T100000/20260302T180000@Europe/Lisbon`},
		{"the same, as the headings say", "event: { title: '{No}', start: '{First} {Daily from}', end: '{Last} {To}' }\n", `
No|First|Daily from|Last|To
1|2026-03-02|10:00|2026-03-04|18:00`, `
20260302T100000/20260302T180000@Europe/Lisbon;FREQ=DAILY;COUNT=3`},
		{"a span of hours beside two dates, as its heading says", "event: { title: '{No}', start: '{First} {Daily hours}', end: '{Last}' }\n", `
No|First|Last|Daily hours
1|2026-03-02|2026-03-05|18:00-19:30`, `
20260302T180000/20260302T193000@Europe/Lisbon;FREQ=DAILY;COUNT=4`},
		{"the headings say so, the intake does not", "range_with_times: one\nevent: { title: '{No}', start: '{First} {Daily from}', end: '{Last} {To}' }\n", `
No|First|Daily from|Last|To
1|2026-03-02|10:00|2026-03-04|18:00`, `
20260302T100000/20260304T180000@Europe/Lisbon`},
		{"a span of hours beside two dates", "event: { title: '{No}', start: '{First} {Hours}', end: '{Last}' }\n", `
No|First|Last|Hours
1|2026-03-02|2026-03-30|18:00-19:30
2|2026-03-02|2026-03-02|18:00-19:30
3|2026-03-02|2026-03-03|22:00-06:00
4|2026-03-02|2026-03-04|22:00-06:00
5|2026-03-02|2026-03-03|18:00-19:30`, `
held: has the dates Mon 2 March 2026 to Mon 30 March 2026 and a time of day besides: one event, or one on each day (set range_with_times: one, or range_with_times: each day, or give --range-with-times)
20260302T180000/20260302T193000@Europe/Lisbon
20260302T220000/20260303T060000@Europe/Lisbon
held: has the dates Mon 2 March 2026 to Wed 4 March 2026 and a time of day besides: one event, or one on each day (set range_with_times: one, or range_with_times: each day, or give --range-with-times)
held: has the dates Mon 2 March 2026 to Tue 3 March 2026 and a time of day besides: one event, or one on each day (set range_with_times: one, or range_with_times: each day, or give --range-with-times)`},
		{"a span of hours beside two dates: each day", "range_with_times: each day\nevent: { title: '{No}', start: '{First} {Hours}', end: '{Last}' }\n", `
No|First|Last|Hours
1|2026-03-02|2026-03-05|18:00-19:30
2|2026-03-02|2026-03-04|22:00-06:00`, `
20260302T180000/20260302T193000@Europe/Lisbon;FREQ=DAILY;COUNT=4
20260302T220000/20260303T060000@Europe/Lisbon;FREQ=DAILY;COUNT=3 (overnight assumed: ends on the next day)`},
		{"a span of hours beside two dates: one", "range_with_times: one\nevent: { title: '{No}', start: '{First} {Hours}', end: '{Last}' }\n", `
No|First|Last|Hours
1|2026-03-02|2026-03-05|18:00-19:30`, `
20260302T180000/20260305T193000@Europe/Lisbon`},
		{"weekdays of another language, learnt from the column", "event: { title: '{No}', start: '{First} {Hours}', repeat: '{Days}', repeat_until: '{Last}' }\n", `
No|First|Last|Hours|Days
1|2026-03-02|2026-03-30|18:00-19:30|Di
2|2026-03-02|2026-03-30|18:00-19:30|Mi und Do
3|2026-03-02|2026-03-30|18:00-19:30|werktags`, `
20260303T180000/20260303T193000@Europe/Lisbon;FREQ=WEEKLY;UNTIL=20260330T225959Z;BYDAY=TU (moved to the first day that it repeats on)
20260304T180000/20260304T193000@Europe/Lisbon;FREQ=WEEKLY;UNTIL=20260330T225959Z;BYDAY=WE,TH (moved to the first day that it repeats on)
held: Days "werktags" is not understood as a recurrence: "werktags" is not understood in "werktags" (write weekly on Mon and Wed until 30 June, or FREQ=WEEKLY;BYDAY=MO,WE)`},
		{"a series from columns of its own", "event: { title: '{No}', start: '{Day}', repeat: '{How}', repeat_every: '{Every}', repeat_on: '{On}', repeat_times: '{Times}', except: '{Not on}' }\n", `
No|Day|How|Every|On|Times|Not on
1|2026-03-02 08:00-09:00|weekly|2|Mon, Wed|5|
2|2026-03-02 08:00-09:00|weekly|1||3|
3|2026-03-02 08:00-09:00|weekly|||4|09/03/2026; 16/03/2026
4|2026-03-02 08:00-09:00|daily|3|||05/03/2026
5|2026-03-02 08:00-09:00|weekly|two|||
6|2026-03-02 08:00-09:00||2|||
7|2026-03-02 08:00-09:00|no|2|||`, `
20260302T080000/20260302T090000@Europe/Lisbon;FREQ=WEEKLY;INTERVAL=2;COUNT=5;BYDAY=MO,WE
20260302T080000/20260302T090000@Europe/Lisbon;FREQ=WEEKLY;COUNT=3
20260302T080000/20260302T090000@Europe/Lisbon;FREQ=WEEKLY;COUNT=4;EXDATE=20260309T080000;EXDATE=20260316T080000
20260302T080000/20260302T090000@Europe/Lisbon;FREQ=DAILY;INTERVAL=3;EXDATE=20260305T080000
held: Every "two" is not a whole number
held: Every "2" says how the event repeats, and repeat is empty (fill in repeat, or clear the cell)
20260302T080000/20260302T090000@Europe/Lisbon`},
		{"how a series repeats, said by the intake", "event: { title: '{No}', start: '{Day}', repeat: '{How}', repeat_every: 2 }\n", `
No|Day|How
1|2026-03-02 08:00-09:00|weekly
2|2026-03-02 08:00-09:00|`, `
20260302T080000/20260302T090000@Europe/Lisbon;FREQ=WEEKLY;INTERVAL=2
20260302T080000/20260302T090000@Europe/Lisbon`},
		{"am and pm in a column of their own", "event: { title: '{No}', start: '{Day} {At} {Half}', end: '{Until} {Half}' }\n", `
No|Day|At|Half|Until
1|2026-03-05|2:30|PM|3:30
2|2026-03-05|12:15|a.m.|1:15
3|2026-03-05|14:30|pm|15:30
4|2026-03-05|9:30||10:30
5|2026-03-05||pm|
6|2026-03-05|AM||
7|2026-03-05|9:30|pm|`, `
20260305T143000/20260305T153000@Europe/Lisbon
20260305T001500/20260305T011500@Europe/Lisbon
held: Half "pm" stands beside 14:30, which is of 24 hours (correct one of them); Half "pm" stands beside 15:30, which is of 24 hours (correct one of them)
20260305T093000/20260305T103000@Europe/Lisbon
held: Half "pm" is half of a day, and no time of day stands beside it (write the time)
held: At "AM" is half of a day, and no time of day stands beside it (write the time)
held: has no end, and no length is assumed (set assume: { length: 1h }, or give --length)`},
		{"columns beside the dates that nothing reads", "event: { title: '{No}', start: '{Day} {At}' }\nassume: { length: 1h }\n", `
No|Day|At|Half|Year
1|5 March 2026|9:30|am|2026
2|5 March 2026|2:30|PM|2026
3|5 March|9:30|am|2027
4|5 March 2026|14:30|pm|`, `
20260305T093000/20260305T103000@Europe/Lisbon (end assumed: 1h)
held: the start is read as 02:30, and Half says PM (add {Half} to start, behind the time)
held: Day "5 March" is read as of 2026, and Year says 2027 (set assume: { year: … }, or write the year into the date)
20260305T143000/20260305T153000@Europe/Lisbon (end assumed: 1h)`},
		{"the heading names the zone", "event: { title: '{No}', start: '{ETA (UTC+2)}', end: '{ETD}' }\n", `
No|ETA (UTC+2)|ETD
1|2026-03-05 09:00|2026-03-05 10:00
2|2026-03-05 09:00Z|2026-03-05 10:00Z`, `
20260305T070000Z/20260305T080000Z
20260305T090000Z/20260305T100000Z`},
		{"the heading names a clock that is not in force all year", "event: { title: '{No}', start: '{ETA (CET)}', end: '{ETD}' }\n", `
No|ETA (CET)|ETD
1|2026-03-05 09:00|2026-03-05 10:00
2|2026-07-05 09:00|2026-07-05 10:00
3|2026-07-05|2026-07-05
4|2026-07-05 09:00Z|2026-07-05 10:00Z`, `
20260305T090000/20260305T100000@CET
held: ETA (CET) "2026-07-05 09:00" says CET, which is +01:00, and on Sun 5 July 2026 the clocks of Europe/Paris are at +02:00 (write the offset)
20260705/20260706 (all day assumed: no time given)
20260705T090000Z/20260705T100000Z`},
		{"a column of zones names it", "event: { title: '{No}', start: '{ETA}', end: '{ETD}', zone: '{TZ}' }\n", `
No|ETA|ETD|TZ
1|2026-03-05 09:00|2026-03-05 10:00|CET
2|2026-07-05 09:00|2026-07-05 10:00|CET
3|2026-07-05|2026-07-05|CET`, `
20260305T090000/20260305T100000@CET
held: ETA "2026-07-05 09:00" says CET, which is +01:00, and on Sun 5 July 2026 the clocks of Europe/Paris are at +02:00 (write the offset)
20260705/20260706 (all day assumed: no time given)`},
		{"the heading and a column name it", "event: { title: '{No}', start: '{ETA (UTC)}', end: '{ETD}', zone: '{TZ}' }\n", `
No|ETA (UTC)|ETD|TZ
1|2026-03-05 09:00|2026-03-05 10:00|UTC
2|2026-07-05 09:00|2026-07-05 10:00|Europe/Paris
3|2026-07-05 09:00|2026-07-05 10:00|
4|2026-07-05|2026-07-05|Europe/Paris
5|2026-07-05 09:00Z|2026-07-05 10:00Z|Europe/Paris`, `
20260305T090000Z/20260305T100000Z
held: the heading ETA (UTC) says UTC, and TZ says Europe/Paris (correct one of them, or leave the column of zones out)
20260705T090000Z/20260705T100000Z
20260705/20260706 (all day assumed: no time given)
20260705T090000Z/20260705T100000Z`},
		{"a cell says that it is local time", "event: { title: '{No}', start: '{ETA (UTC)}', end: '{ETD}' }\n", `
No|ETA (UTC)|ETD
1|2026-07-05 09:00 LT|2026-07-05 10:00
2|2026-07-05 09:00|2026-07-05 10:00Z`, `
held: is said to be local time, and the heading ETA (UTC) says UTC (say it in one of them)
20260705T090000Z/20260705T100000Z`},
		{"a cell says that it is local time, beside a column of zones", "event: { title: '{No}', start: '{ETA}', end: '{ETD}', zone: '{TZ}' }\n", `
No|ETA|ETD|TZ
1|2026-07-05 09:00 LT|2026-07-05 10:00|Europe/Paris
2|2026-07-05 09:00 LT|2026-07-05 10:00 LT|
3|2026-07-05 09:00 LT|2026-07-05 10:00Z|`, `
held: is said to be local time, and TZ says Europe/Paris (say it in one of them)
20260705T090000/20260705T100000@Europe/Lisbon
20260705T090000/20260705T100000Z@Europe/Lisbon`},
		{"the intake names the zone, whatever the heading says", "zone: Europe/Madrid\nevent: { title: '{No}', start: '{ETA (UTC)}', end: '{ETD}' }\n", `
No|ETA (UTC)|ETD
1|2026-03-05 09:00|2026-03-05 10:00`, `
20260305T090000/20260305T100000@Europe/Madrid`},
		{"what agrees at the edges", "event: { title: '{No}', start: '{Day} {From}', end: '{To day} {To}', length: '{Length}', all_day: '{All}' }\n", `
No|Day|From|To day|To|Length|All
1|2026-03-05|00:00|2026-03-06|23:59||yes
2|2026-03-05||2026-03-07||2 days|
3|2026-03-05||2026-03-06||2 days|
4|2026-03-05|08:00|2026-03-05||16h|
5|2026-03-05|08:00|2026-03-05||17h|`, `
20260305/20260307
held: ends on Sat 7 March 2026, but its length of 2d ends on Fri 6 March 2026 (correct one of them)
20260305/20260307 (all day assumed: no time given)
20260305T080000/20260306T000000@Europe/Lisbon
held: ends on Thu 5 March 2026, but its length of 17h ends on Fri 6 March 2026 01:00 (correct one of them)`},
		{"two columns that contradict each other", "event: { title: '{No}', start: '{A} {B}' }\n", `
No|A|B
1|5–7 Mar 2026|5–8 Mar 2026
2|2026-03-05 9:00–11:00|9:00–12:00
3|2026-03-05 9:00 +01:00|9:00–10:00 +02:00
4|2026-03-05|9:00–10:00`, `
held: B "5–8 Mar 2026" is a date, where a time of day is wanted (correct it; the sheet may show it as something else)
held: B "9:00–12:00" is a second range of times
held: B "9:00–10:00 +02:00" names a second time zone
20260305T090000/20260305T100000@Europe/Lisbon`},
		{"dates that are believed", "dates: { from: 2026-01-01, to: 2026-12-31 }\nevent: { title: '{No}', start: '{When}' }\n", `
No|When
1|2025-12-31
2|2026-12-31
3|2027-01-01`, `
held: When "2025-12-31" is outside of the dates that the intake expects (correct it, or change dates: { from: …, to: … })
20261231/20270101
held: When "2027-01-01" is outside of the dates that the intake expects (correct it, or change dates: { from: …, to: … })`},
		{"half of the weekdays fit by chance", "event: { title: '{No}', start: '{When}' }\n", `
No|Info|When
1|Mon|2026-12-07
2|Mon|2026-12-14
3|Mon|2026-12-21
4|Mon|2026-12-28
5|Mon|2027-01-04
6|Mon|2026-12-08
7|Mon|2026-12-09`, `
20261207/20261208
20261214/20261215
20261221/20261222
20261228/20261229
20270104/20270105
20261208/20261209
20261209/20261210`},
		{"weekdays of a series are its own", "event: { title: '{No}', start: '{When}', repeat: '{Rep}', repeat_on: '{Days}' }\n", `
No|When|Rep|Days|Day
1|2026-12-07|||Tue`, `
20261207/20261208`},
		{"ends and lists of a series are days", "assume: { length: 1h }\nevent: { title: '{No}', start: '{When}', repeat: '{Rep}', repeat_until: '{Until}', except: '{Not}' }\n", `
No|When|Rep|Until|Not
1|2026-03-05 09:00|daily|until 2026-03-07|
2|2026-03-05 09:00|daily|from 2026-03-07|
3|2026-03-05 09:00|daily|6–7 Mar 2026|
4|2026-03-05 09:00|daily|2026-03-07 08:00|
5|2026-03-05 09:00|daily|2026-03-07 00:00|from 2026-03-06
6|2026-03-05 09:00|daily|2026-03-07|2026-03-06 9:00–11:00`, `
20260305T090000/20260305T100000@Europe/Lisbon;FREQ=DAILY;UNTIL=20260307T235959Z (end assumed: 1h)
held: Until "from 2026-03-07" is not one day
held: Until "6–7 Mar 2026" is not one day
held: Until "2026-03-07 08:00" ends the series before the event of that day (write the last day alone)
held: Not "from 2026-03-06" is not a day, nor a range of days
held: Not "2026-03-06 9:00–11:00" is not a day, nor a range of days`},
		{"all that is wrong with a row", "event: { title: '{Name}', start: '{Day} {At}', end: '{Day} {To}', length: '{Length}', status: '{State}' }\n", `
No|Name|Day|At|To|Length|State
1||2026-13-07|25:10|26:00|x|paid
2|A|2026-13-07||||`, `
held: Name is empty: the event has no title (fill it in, or leave such rows out with leave_out); State "paid" is not a status (choose cancelled, confirmed or tentative); Day "2026-13-07" is not a date or time; At "25:10" is not a date or time; To "26:00" is not a date or time; Length "x" is not a length of time
held: Day "2026-13-07" is not a date or time`},
		{"a column of weekdays by its heading", "event: { title: '{No}', start: '{When}' }\n", `
No|Wochentag|When
1|Mo|2026-12-07
2|Di|2026-12-07
3||2026-12-09`, `
20261207/20261208
held: When "2026-12-07" is a Monday, and Wochentag says Di (correct one of them)
20261209/20261210`},
		{"a column of weekdays by what it holds", "event: { title: '{No}', start: '{When}' }\n", `
No|Info|When
1|Mon|2026-12-07
2|Tue|2026-12-08
3|Wed|2026-12-09
4|Thu|2026-12-10
5|Fri|2026-12-11
6|Fri|2026-12-14`, `
20261207/20261208
20261208/20261209
20261209/20261210
20261210/20261211
20261211/20261212
held: When "2026-12-14" is a Monday, and Info says Fri (correct one of them)`},
		{"weekdays that are about something else", "event: { title: '{No}', start: '{When}' }\n", `
No|Bin day|When
1|Mon|2026-12-07
2|Mon|2026-12-08
3|Tue|2026-12-09`, `
20261207/20261208
20261208/20261209
20261209/20261210`},
		{"only dates are whole days, the last included", "event: { title: '{No}', start: '{First}', end: '{Last}' }\n", `
No|First|Last
1|5 March 2026|
2|5 March 2026|7 March 2026
3|7 March 2026|5 March 2026`, `
20260305/20260306
20260305/20260308
held: ends on Thu 5 March 2026, before it starts on Sat 7 March 2026`},
		{"no end and nothing assumed", "event: { title: '{No}', start: '{When}' }\n", "No|When\n1|2026-03-05 09:00\n2|2026-03-06 09:00", `
held: has no end, and no length is assumed (set assume: { length: 1h }, or give --length)
held: has no end, and no length is assumed (set assume: { length: 1h }, or give --length)`},
		{"rows by their fate", "leave_out: 'Name == \"\"'\ncancel_when: 'State == \"off\"'\nneeds: [Quay]\nevent: { title: '{Name}', start: '{Day}' }\n", `
No|Name|Day|State|Quay
1|A|2026-03-05||N
1|A|2026-03-05||N
2||2026-03-05||N
3|C|2026-03-05|off|
4|D|2026-03-05||
5|E|2026-03-05||N
5|E|2026-03-06||N
Total||||9
07|F|2026-03-05||N
7|G|2026-03-05||N
|H|2026-03-05||N`, `
20260305/20260306 (the same row stands twice: counted once)
left out: the same as row 2
left out: Name == ""
cancel
held: Quay is empty: the row is still being filled in (it is loaded by itself once it is complete)
held: No "5" is the key of rows 7 and 8, which differ in time (give each event a key of its own, or remove the rows that are wrong)
held: No "5" is the key of rows 7 and 8, which differ in time (give each event a key of its own, or remove the rows that are wrong)
left out: totals row
held: No "07" differs from 7 in row 11 only by case or leading zeros (write both alike if they are one, or make them distinct)
held: No "7" differs from 07 in row 10 only by case or leading zeros (write both alike if they are one, or make them distinct)
held: No is empty: without a key the row cannot be found again (fill it in)`},
		{"series", "event: { title: '{No}', start: '{Day} {At}', length: 1h, repeat: '{Rep}', repeat_until: '{Until}', except: '{Not}', also: '{Also}' }\n", `
No|Day|At|Rep|Until|Not|Also
1|14/03/2026|08:00|weekly on Sat, 4 times|||
2|05/03/2026|08:00|daily|2026-03-07|2026-03-06|
3|05/03/2026||FREQ=YEARLY;COUNT=2|||
4|05/03/2026|08:00|no|||20/03/2026 9:30; 21/03/2026
5|05/03/2026|08:00|weekly until 30 June|2026-03-07||
6|05/03/2026|08:00|every so often|||
7|05/03/2026|08:00|weekly until 5 February|||`, `
20260314T080000/20260314T090000@Europe/Lisbon;FREQ=WEEKLY;COUNT=4;BYDAY=SA
20260305T080000/20260305T090000@Europe/Lisbon;FREQ=DAILY;UNTIL=20260307T235959Z;EXDATE=20260306T080000
held: lasts 1h, and has no time of day (fill in the start's time)
20260305T080000/20260305T090000@Europe/Lisbon;RDATE=20260320T093000;RDATE=20260321T080000
held: Rep "weekly until 30 June" is not understood as a recurrence: it ends in two ways (write weekly on Mon and Wed until 30 June, or FREQ=WEEKLY;BYDAY=MO,WE)
held: Rep "every so often" is not understood as a recurrence: "so" is not understood in "every so often" (write weekly on Mon and Wed until 30 June, or FREQ=WEEKLY;BYDAY=MO,WE)
20260305T080000/20260305T090000@Europe/Lisbon;FREQ=WEEKLY;UNTIL=20270205T235959Z`},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			assert.Equal(t, strings.TrimSpace(tt.want), strings.Join(sheet(t, tt.settings, tt.text), "\n"))
		})
	}
}

func TestFieldsRefused(t *testing.T) {
	for setting, want := range map[string]map[string]string{
		"url":          {"tarn-haven.example": "is not a link", "https://a b": "is not a link", "https://x.example/a?b=c": ""},
		"attachments":  {"https://a.example/1;https://a.example/2": "", "https://a.example/1, tarn": "is not a link"},
		"status":       {"Confirmed": "", "maybe": "is not a status"},
		"busy":         {"free": "", "no": "", "perhaps": "is not busy or free"},
		"priority":     {"high": "", "5": "", "10": "is not a priority", "0": "is not a priority"},
		"visibility":   {"Private": "", "secret": "is not a visibility"},
		"colour":       {"Steel Blue": "", "#ff0000": "is not a colour name"},
		"organizer":    {"Oda <oda@fenn.example>": "", "Oda": "is not an e-mail address"},
		"attendees":    {"Fenn, Oda <oda@fenn.example>, piet@harrow.example": "", "Oda <oda@fenn>; x@": "is not an e-mail address", "Oda <>": "has no address", "\"Oda, F\" <oda@fenn.example>": "", "oda@@fenn.example": "is not an e-mail address"},
		"reminders":    {"15m": "", "1d before 09:00": "", "2h by e-mail, 1d": "", "soon": "is not a reminder", "0d before 18:00": "is not a reminder", "none": ""},
		"repeat_times": {"x": "is not a whole number", "3": ""},
	} {
		for value, message := range want {
			settings := "event: { title: '{No}', start: '{Day}', repeat: weekly, " + setting + ": '{V}' }\n"
			got := strings.Join(sheet(t, settings, "No|Day|V\n1|2026-03-05|"+value), "")
			if message == "" {
				assert.NotContains(t, got, "held", "%s %s", setting, value)
			} else {
				assert.Contains(t, got, message, "%s %s", setting, value)
				assert.Contains(t, got, "held: V ", "the column is named: %s", got)
			}
		}
	}
}

func TestMarkdown(t *testing.T) {
	plain, styled := markdown("**Crane** booked\n\n- one\n- [two](https://x.example) <script>alert(1)</script>\n\n[bad](javascript:alert)\n\n<img src=x onerror=alert(1)>\n\n![x](data:text/html;base64,AA==) <https://x.example> <vbscript:x>")
	assert.Equal(t, "Crane booked\n\n- one\n- two alert(1)\n\nbad\n\nhttps://x.example vbscript:x", plain)
	assert.Contains(t, styled, "<strong>Crane</strong>")
	for _, acting := range []string{"<script", "javascript:", "onerror", "data:", `"vbscript`} {
		assert.NotContains(t, styled, acting)
	}
}

func TestPeriod(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	in, faults := Parse("x.yaml", []byte("key: No\ninto: c\nperiod: { from: 2026-03-05, to: in two weeks }\nevent: { title: '{No}', start: '{Day}' }\n"))
	require.Empty(t, faults)
	m, faults := in.Compile(table.Header{"No", "Day"}, book, zone.UTC, time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC))
	require.Empty(t, faults)
	for span, want := range map[string]bool{"20260304/20260305": false, "20260304/20260306": true, "20260305/20260306": true, "20260316T230000Z/20260317T010000Z": true, "20260317/20260318": false, "20200101/20200102;FREQ=YEARLY": true, "20270101/20270102;FREQ=YEARLY": false} {
		s, err := event.ParseSpan(span, book.Find)
		require.NoError(t, err)
		assert.Equal(t, want, m.InPeriod(s), span)
	}
}

// FuzzIntake reads an intake, and where it is one, maps rows by it.
func FuzzIntake(f *testing.F) {
	f.Add("key: No\ninto: c\nevent: { title: '{No}', start: '{Day} {At}', end: '{At}', repeat: '{Rep}', except: '{Day}' }\n", "1|2026-03-05|08:15|weekly on Mon until 30 June")
	f.Add("key: [No, Day]\ninto: '{Rep}'\nroutes: { a: b }\nleave_out: 'Rep == \"x\"'\nneeds: [At]\nperiod: { from: today }\nfrom: { fill_down: [Day] }\nevent: { title: '[{At}: ]{upper(No)}', start: '{Day}', attendees: '{Rep} <{At}>', reminders: ['{At}', 1d], properties: { X-A: '{Day}' } }\n", "1|5 March|a@b.example|2h")
	f.Add("key: No\ninto: c\nclean: [Day]\nlabels: { in: Rep, columns: [Ship] }\noccurrence: x\nevent: { title: '{dateform(Day, \"d mmm\")}{pick(Rep, \"(\")}', start: '{@C}', occurrence: '{Day}', repeat: weekly, length: '{At}' }\n", "1|14/03/2026|90m|Ship: A")
	book, err := zone.NewBook(nil)
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, settings, cells string) {
		in, faults := Parse("x.yaml", []byte(settings))
		for _, fault := range faults {
			require.NotEmpty(t, fault.Error())
		}
		if len(faults) > 0 {
			return
		}
		header := table.Header{"No", "Day", "At", "Rep"}
		var rows table.Rows
		for n, line := range strings.Split(cells, "\n") {
			r := row(strings.Split(line, "|")...)
			r.Number = int32(n + 2)
			rows.Add(r)
		}
		header, rows, faults = in.Prepare(header, rows)
		if len(faults) > 0 {
			return
		}
		m, faults := in.Compile(header, book, zone.UTC, time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC))
		if len(faults) > 0 {
			return
		}
		b := NewBatch(m, rows, nil)
		var w Wanted
		for i := range rows.Len() {
			if fate, _ := b.Fate(i); fate == WantedRow && b.Map(b.mapper, i, &w) == nil {
				_, err := event.ParseSpan(w.Event.When.String(), book.Find)
				require.NoError(t, err)
			}
		}
	})
}
