package intake

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestLastDay says that the end may be the day after the last one, where nothing shows that it
// is not.
func TestLastDay(t *testing.T) {
	many := "1|2026-03-05|2026-03-06"
	for i := range 2000 {
		many += fmt.Sprintf("\n%d|2026-04-%02d|2026-04-%02d", i+2, 1+i%20, 2+i%20)
	}
	for name, c := range map[string]struct {
		settings, rows, want string
	}{
		"each a day later":           {"", "1|2026-03-05|2026-03-06\n2|2026-03-09|2026-03-13\n3|2026-03-16|2026-03-17", "End is read as the last day of the 3 all-day events"},
		"with one of hours":          {"", "1|2026-03-05|2026-03-06\n2|2026-03-09 08:00|2026-03-09 10:00\n3|2026-03-16|2026-03-17", "the last day of the 2 all-day"},
		"one that ends on its day":   {"", "1|2026-03-05|2026-03-06\n2|2026-03-09|2026-03-09\n3|2026-03-16|2026-03-17", ""},
		"one without an end":         {"", "1|2026-03-05|2026-03-06\n2|2026-03-09|\n3|2026-03-16|2026-03-17", ""},
		"long ones":                  {"", "1|2026-03-05|2026-03-08\n2|2026-03-09|2026-03-13\n3|2026-03-16|2026-03-17", ""},
		"up to midnight":             {"", "1|2026-03-05 00:00|2026-03-06 00:00\n2|2026-03-09 00:00|2026-03-10 00:00", ""},
		"told":                       {"last_day: included\n", "1|2026-03-05|2026-03-06\n2|2026-03-16|2026-03-17", ""},
		"many":                       {"", many, "the last day of the 2001 all-day"},
		"one of many, in the middle": {"", many + "\n3000|2026-05-05|2026-05-05\n3001|2026-05-05|2026-05-06", ""},
	} {
		_, b := compiled(t, c.settings+"event: { title: '{No}', start: '{Start}', end: '{End}' }\n", "No|Start|End\n"+c.rows)
		if c.want == "" {
			assert.Empty(t, b.Mapping.LastDay, name)
			continue
		}
		assert.Contains(t, b.Mapping.LastDay, c.want, name)
	}
}
