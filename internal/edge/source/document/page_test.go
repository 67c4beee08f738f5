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
		"hidden":                                   {`<p style="display: none">Crane on 5 March 2026 at 10:00</p><div hidden><div>Lamps on 6 March 2026</div>Lamps on 7 March 2026</div><p>Dredging: 8 March 2026</p>`, "2026-03-08 | Dredging | "},
		"crossed out by its style":                 {`<p><span style="text-decoration:line-through">Dredging: 8 March 2026</span></p>`, "2026-03-08 | Dredging |  | cancelled"},
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
