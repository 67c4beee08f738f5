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

// TestReadFormat tells from number formats what their cells are, and what of a date is shown.
func TestReadFormat(t *testing.T) {
	for code, want := range map[string]string{
		"dd/mm/yyyy": "date, all", "[$-407]d. mmmm yyyy": "date, all", "d-mmm-yy": "date, all", "d-mmm": "date, no year", `dd\.mm\.`: "date, no year", "ddd d/m": "date, no year",
		"mmm-yy": "date, no day", "mmmm": "date, no day", "dddd": "date, day of the week", "yyyy": "date, no day", "dd/mm hh:mm": "date and time, no year", "dd/mm/yy h:mm AM/PM": "date and time, all",
		"hh:mm": "time of day, all", "[h]:mm": "length, all", "mm:ss": "time of day, all", "0.00E+00": "number, all", "##0.0E+0": "number, all", "0.00": "number, all", `"day" 0`: "number, all", "General": "number, all", `0\d`: "number, all", "#,##0;[Red]-#,##0": "number, all",
	} {
		s := readFormat(code)
		assert.Equal(t, want, s.kind.String()+", "+s.part.String(), code)
	}
}
