package intake

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/match"
)

// TestEachDay says that events of several days may be events on each of them, where nothing
// shows that they are not.
func TestEachDay(t *testing.T) {
	const two = "1|2026-03-16|10:00|2026-03-20|18:00\n2|2026-03-23|09:00|2026-03-24|12:00\n"
	for name, c := range map[string]struct{ settings, rows, want string }{
		"hours of an exhibition": {"", two, "events of several days are read as one each, from At of the first day to Till of the last"},
		"among others":           {"", two + "3|2026-03-25|20:00|2026-03-26|01:00\n4|2026-03-27|10:00|2026-03-27|12:00\n5|2026-03-27||2026-03-29|", "events of several days"},
		"one that is a stay":     {"", two + "3|2026-03-25|20:00|2026-03-27|01:00", ""},
		"only one":               {"", "1|2026-03-16|10:00|2026-03-20|18:00\n2|2026-03-23|09:00|2026-03-23|12:00", ""},
		"told":                   {"range_with_times: one\n", two, ""},
	} {
		_, b := compiled(t, c.settings+"event: { title: '{No}', start: '{First} {At}', end: '{Last} {Till}' }\n", "No|First|At|Last|Till\n"+c.rows)
		if c.want == "" {
			assert.Empty(t, b.Mapping.EachDay, name)
			continue
		}
		assert.Contains(t, b.Mapping.EachDay, c.want, name)
	}
	for heading, want := range map[string]bool{
		"Daily from": true, "Each day until": true, "Start (daily)": true, "Täglich von": true, "Jeden Tag bis": true, "Chaque jour, de": true, "Elke dag tot": true,
		"Day": false, "From day": false, "Days": false, "Start": false, "Every": false, "": false,
	} {
		assert.Equal(t, want, match.Daily(heading), heading)
	}
}
