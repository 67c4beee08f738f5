package office

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What spreadsheet programs show for a number under a format; "" where the
// number stands for itself.
func TestDisplay(t *testing.T) {
	for _, c := range []struct {
		format string
		n      int64
		want   string
	}{
		{"00000", 7, "00007"}, {"00000", 1234567, "1234567"}, {"00000", -7, "-00007"}, {"0", 0, "0"}, {"#", 0, ""},
		{`"K-"000`, 7, "K-007"}, {`"K-"000`, 1234, "K-1234"}, {`\K\-000`, 7, "K-007"}, {`"TH"0000"/26"`, 12, "TH0012/26"},
		{`000-000`, 123456, "123-456"}, {`000\ 000`, 12, "000 012"}, {`0" m"`, 7, "7 m"}, {`[Red]"K"0`, 7, "K7"}, {`[$-407]"K"0`, 7, "K7"},
		{`"in "0;"out "0;"none"`, 5, "in 5"}, {`"in "0;"out "0`, -5, "out 5"}, {`0_);(0)`, -5, "(5)"}, {`0_);(0)`, 5, "5"}, {`"a;b"0`, 5, "a;b5"},
		{"General", 7, ""}, {"", 7, ""}, {"0.00", 7, ""}, {"#,##0", 7000, ""}, {"0%", 7, ""}, {"0.00E+00", 7, ""}, {"# ?/?", 7, ""}, {"[<100]0;0", 7, ""}, {`[$€-407]0`, 7, ""}, {`"open`, 7, ""},
	} {
		d := readDisplay(c.format)
		got, _ := d.whole(c.n)
		assert.Equal(t, c.want, got, "%s of %d", c.format, c.n)
	}
	for format, want := range map[string]string{"@": "", `"K-"@`: "K-@", `0;0;0;"K-"@`: "K-@", "General": "", `"K-"000`: ""} {
		assert.Equal(t, want, readDisplay(format).text, format)
	}
	for shown, want := range map[string]string{"K-007": "K-007", "007": "007", "1,234": "", "1 234": "", "12.50 m": "", "7%": "", "7 m": "7 m", "TH7/26": "TH7/26", "": "", "###": ""} {
		got, _ := shownWhole(7, shown)
		assert.Equal(t, want, got, shown)
	}
}
