package document

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a web page shows is read as it is shown: cells over several rows and columns, what
// is crossed out, what is hidden, the sheet of a month.
func TestPage(t *testing.T) {
	const head = "<table><tr><th>Date<th>Berth<th>Vessel<th>Arr.<th>Dep.<th>Remarks"
	for name, c := range map[string]struct{ page, want string }{
		"a cell over two rows":                     {head + "<tr><td rowspan=2>9 March 2026<td>2<td>Lune<td>06:00<td>18:00<td>bunkers<tr><td>4<td>Corrie<td>08:30<td>11:00<td></table>", "2026-03-09 06:00 – 2026-03-09 18:00 | Lune | Berth 2\n2026-03-09 08:30 – 2026-03-09 11:00 | Corrie | Berth 4"},
		"no beginning":                             {head + "<tr><td>9 March 2026<td>4<td>Corrie<td>–<td>11:00<td></table>", "2026-03-09 11:00 | Corrie | Berth 4 | held"},
		"a row that says nothing":                  {head + "<tr><td>9 March 2026<td colspan=5>no calls</table>", ""},
		"a cell over several columns":              {head + "<tr><td>9 March 2026<td colspan=5>Regatta</table>", "2026-03-09 | Regatta | "},
		"a time under a label of no known meaning": {"<table><tr><th>Date<th>Vessel<th>Gangway<tr><td>9 March 2026<td>Lune<td>06:00</table>", "2026-03-09 | Lune |  | held"},
		"the sheet of a month":                     {"<h1>March 2026</h1><table><tr><th>Mon<th>Tue<th>Sat<tr><td>2 Staff meeting 9:00<td>3<td>7<br>Regatta</table>", "2026-03-02 09:00 | Staff meeting | \n2026-03-07 | Regatta | "},
		"of a month that is not named":             {"<table><tr><th>Mon<th>Tue<th>Sat<tr><td>2 Staff meeting 9:00<td>3<td>7</table>", " | Staff meeting 9:00 |  | held"},
		"a form":                                   {"<table><tr><td>Object<td>Crane 2<tr><td>Work<td>New rope<tr><td>Planned start<td>11.03.2026, 07:30<tr><td>Planned end<td>12.03.2026, 16:00<tr><td>Ordered on<td>27.02.2026</table>", "2026-03-11 07:30 – 2026-03-12 16:00 | New rope | "},
		"times above the columns":                  {"<h1>Roster March 2026</h1><table><tr><th>Day<th>Early 06–14<th>Night 22–06<tr><td>Mon 2<td>Quent<td>Moll<tr><td>Tue 3<td>–<td>Tolk</table>", "2026-03-02 06:00 – 2026-03-02 14:00 | Early: Quent | \n2026-03-02 22:00 – 2026-03-03 06:00 | Night: Moll | \n2026-03-03 22:00 – 2026-03-04 06:00 | Night: Tolk | "},
		"days above the columns":                   {"<table><tr><th><th>Mon 9 March 2026<th>10.3.2026<tr><td>08:00–10:00<td>Divers<td><tr><td>10–12<td><td>Staff meeting</table>", "2026-03-09 08:00 – 2026-03-09 10:00 | Divers | \n2026-03-10 10:00 – 2026-03-10 12:00 | Staff meeting | "},
		"parts of the day above them":              {"<h1>Hall, March 2026</h1><table><tr><th>Date<th>Morning<th>Evening<tr><td>Tue 10<td>Choir<td>AGM, 19:30</table>", "2026-03-10 | Morning: Choir |  | held\n2026-03-10 19:30 | Evening: AGM | "},
		"hours in a title":                         {"<table><tr><th>Date<th>Event<tr><td>10 March 2026<td>Sale 14–17</table>", "2026-03-10 | Sale 14–17 |  | held"},
		"times of no day":                          {"<table><tr><th>Stop<th>Mon–Fri<th>Sat<tr><td>Quay<td>07:15<td>08:30</table>", ""},
		"numbers that count the rows":              {"<table><tr><th>No.<th>Measure<th>Period<tr><td>1<td>Fenders<td>9–13 March 2026</table>", "2026-03-09 – 2026-03-13 | Fenders | "},
		"a header of two rows":                     {"<table><tr><th rowspan=2>Vessel<th colspan=2>Arrival<th colspan=2>Departure<tr><th>Date<th>Time<th>Date<th>Time<tr><td>Lune<td>2.4.2026<td>06:00<td>3.4.2026<td>18:00</table>", "2026-04-02 06:00 – 2026-04-03 18:00 | Lune | "},
		"days over their rows":                     {"<table><tr><td colspan=3>Monday, 9 March 2026<tr><td>09:00–10:00<td>Room 1<td>Staff meeting<tr><td>14:00<td>Room 2<td>Radar course</table>", "2026-03-09 09:00 – 2026-03-09 10:00 | Staff meeting | Room 1\n2026-03-09 14:00 | Radar course | Room 2"},
		"a deadline in a table":                    {"<table><tr><th>What<th>When<tr><td>Entries close<td>19 June 2026<tr><td>Start<td>4 July 2026, 12:00</table>", "2026-07-04 12:00 | Start | "},
		"terms and what is said":                   {"<dl><dt>12 March 2026, 19:30<dd>Talk: Tides<dt>Nets: 13 March 2026<dt>26 March 2026, 19:30</dt><dd>Quiz</dd></dl>", "2026-03-12 19:30 | Talk: Tides | \n2026-03-13 | Nets | \n2026-03-26 19:30 | Quiz | "},
		"a key to its letters":                     {"<table><tr><th>Name<th>9.3.2026<th>10.3.2026<tr><td>Quent<td>E<td>–</table><p>E = 06:00–14:00</p>", "2026-03-09 | Quent, E |  | held"},
		"the date of a letter":                     {"<p>2 March 2026</p><p>To: Fenn Agency, Quay Road 4</p><p>Dredging: 5 March 2026</p>", "2026-03-05 | Dredging | "},
		"lists side by side":                       {"<table><tr><th>Arrivals<th>Departures<tr><td>5.3.2026 06:00 Lune<td>5.3.2026 20:00 Lune<tr><td>6.3.2026 14:30 Corrie<td></table>", "2026-03-05 06:00 | Lune | \n2026-03-06 14:30 | Corrie | \n2026-03-05 20:00 | Lune | "},
		"a table that lays out a page":             {"<table><tr><td><h3>Works</h3><p>5.3.2026: Lamps</p><p>6.3.2026: Paint</p><td><p>7.3.2026: Nets</p></table>", "2026-03-05 | Lamps | \n2026-03-06 | Paint | \n2026-03-07 | Nets | "},
		"tables in a table":                        {"<table><tr><td>Nets: 5 March 2026<table><tr><th>Date<th>What<tr><td>6.3.2026<td>Lamps</table></td></tr><tr><td>Ropes: 7 March 2026</table>", "2026-03-05 | Nets | \n2026-03-06 | Lamps | \n2026-03-07 | Ropes | "},
		"a bold line is a heading":                 {"<p>To all agents</p><p><b>Closure of the entrance</b></p><table><tr><th>From<th>To<tr><td>9 March 2026, 22:00<td>10 March 2026, 05:00</table>", "2026-03-09 22:00 – 2026-03-10 05:00 | Closure of the entrance | "},
		"hidden":                                   {`<p style="display: none">Crane on 5 March 2026 at 10:00</p><div hidden><div>Lamps on 6 March 2026</div>Lamps on 7 March 2026</div><p>Dredging: 8 March 2026</p>`, "2026-03-08 | Dredging | "},
		"hidden without an end tag":                {"<p hidden>Crane on 5 March 2026<p>Dredging: 8 March 2026<ul><li hidden>Nets: 6 March 2026<li>Ropes: 9 March 2026</ul><p>Paint: 10 March 2026", "2026-03-08 | Dredging | \n2026-03-09 | Ropes | \n2026-03-10 | Paint | "},
		"a hidden cell without an end tag":         {"<table><tr><th>Date<th>What<tr><td>8 March 2026<td style='display:none'>x<tr><td>9 March 2026<td>Ropes</table>", "2026-03-09 | Ropes | "},
		"a cell under no heading":                  {"<table><tr><th>Name<th>9.3.2026<th>10.3.2026<th><tr><td>Quent<td>08:00–10:00<td>–<td>not on 11 March</table>", "2026-03-09 | Name |  | held\n2026-03-10 | Name |  | held"},
		"a row without a figure":                   {"<table><tr><th colspan=2>Vessel<th>Date<tr><td>MV<td>Lune<td>tomorrow<tr><td>MV<td>Auk<td>8 March 2026</table>", " | MV |  | held\n2026-03-08 | MV | "},
		"a crossed-out day in a row":               {"<table><tr><th>Date<th>Work<tr><td>8 March 2026<td>Nets<tr><td><s>9 March 2026</s><td>Ropes</table>", "2026-03-08 | Nets | "},
		"a calendar sheet with its weeks":          {"<h1>March 2026</h1><table><tr><th>Week<th>Mon<th>Tue<tr><td>11<td>9 Council 18:30<td>10 Crane, all day<tr><td>12<td>16<td>17 Nets</table>", "2026-03-09 18:30 | Council | \n2026-03-10 | Crane | \n2026-03-17 | Nets | "},
		"a crossed-out value of a form":            {"<table><tr><td>Work<td>New rope<tr><td>Place<td><s>Quay 1</s><tr><td>When<td>8 March 2026</table>", "2026-03-08 | New rope | "},
		"crossed out by its style":                 {`<p><span style="text-decoration:line-through">Dredging: 8 March 2026</span></p>`, "2026-03-08 | Dredging |  | cancelled"},
		"crossed out and cancelled":                {"<ul><li><s>Dredging: 8 March 2026</s> cancelled</ul>", "2026-03-08 | Dredging |  | cancelled"},
		"crossed out and said anew":                {"<p><s>Dredging: 8 March 2026</s> Dredging: 9 March 2026</p>", "2026-03-09 | Dredging | "},
		"a heading over a list":                    {"<h2>Berth plan, 9–15 March 2026</h2><ul><li>10 March: Lune</ul>", "2026-03-10 | Lune | "},
		"a heading that may be an event":           {"<h2>Regatta 9–15 March 2026</h2><ul><li>10 March: Lamps</ul>", "2026-03-09 – 2026-03-15 | Regatta |  | held\n2026-03-10 | Lamps | "},
	} {
		parts, err := PageParts(strings.NewReader("<html><body>" + c.page))
		require.NoError(t, err, name)
		b, err := Book(&Doc{Parts: parts}, options(t, "page.html"), nil)
		require.NoError(t, err, name)
		var got []string
		for _, row := range rows(t, b, 1, 3, 4, 6) {
			got = append(got, strings.ReplaceAll(strings.TrimSuffix(row, " | "), " |  | held", " | held"))
		}
		assert.Equal(t, c.want, strings.Join(got, "\n"), name)
	}
}

// What a narrow cell of a PDF broke is joined as it was.
func TestUnbroken(t *testing.T) {
	for text, want := range map[[2]string]string{
		{"mainte-", "nance"}: "maintenance", {"08:00-", "12:00"}: "08:00-12:00", {"02.04.202", "6"}: "02.04.2026", {"02/04/20", "26 Lune"}: "02/04/2026 Lune",
		{"Fenn-", "Moll"}: "Fenn-Moll", {"berth", "2"}: "", {"02.04.", "06:00"}: "", {"02.04.2026", "18"}: "", {"to -", "morrow"}: "",
	} {
		got, _ := unbroken(text[0], text[1])
		assert.Equal(t, want, got, text)
	}
}

// FuzzPage wants no page to end the program, whatever its tables look like.
func FuzzPage(f *testing.F) {
	f.Add("<h1>March 2026</h1><table><tr><th rowspan=2>Vessel<th colspan=2>Arrival<tr><th>Date<th>Time<tr><td>Lune<td>2.4.2026<td>06:00</table>")
	f.Add("<table><tr><th>Day<th>Early 06–14<th>9.3.<tr><td>Mon 2<td>Quent<td><s>8-10</s></table><dl><dt>12 March<dd>Talk</dl><pre>a\n1.3.</pre>")
	f.Add("<table><tr><td>What<td>Crane<tr><td>When<td>1.4.2026<table><tr><td>5</table></table><div hidden>x</div>")
	f.Fuzz(func(t *testing.T, text string) {
		parts, _ := PageParts(strings.NewReader("<html><body>" + text))
		for _, d := range []*Doc{{Parts: parts}, {Parts: PlainParts(text)}} {
			b, err := Book(d, options(t, "page.html"), nil)
			require.NoError(t, err)
			rows(t, b, 1, 3, 4)
		}
	})
}
