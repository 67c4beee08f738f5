package match

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/zone"
)

// The Unix times of 2000 to 2100, in seconds.
const unixFirst, unixLast = 946684800, 4102444800

// unix gives a fault that names columns of bare numbers which can be Unix times, where no other
// column has the start: which numbers are times is not ours to guess. It gives nil where there
// are none.
func (m *chooser) unix() *fault.Fault {
	var labels []string
	unit, example := "", ""
	for i, t := range m.columns {
		if t.Filled == 0 || t.Figures < t.Filled || slices.Contains(m.key, m.header[i]) {
			continue
		}
		in, at, ok := unixTime(t.Samples)
		if !ok || unit != "" && in != unit {
			continue
		}
		if labels = append(labels, m.header.Label(i)); unit == "" {
			unit, example = in, zone.Civil(at).Format("2 January 2006 15:04")
		}
	}
	if labels == nil {
		return nil
	}
	verb := "holds"
	if len(labels) > 1 {
		verb = "hold"
	}
	return fault.Newf("%s %s numbers that can be Unix times in %s, the first of them %s UTC", strings.Join(labels, " and "), verb, unit, example).
		Do("give --unix %s, or set unix: %s in an intake file", unit, unit)
}

// unixTime tells whether texts are Unix times of this century, all of one unit, and gives the first.
func unixTime(texts []string) (unit string, first int64, ok bool) {
	for n, text := range texts {
		at, err := strconv.ParseInt(text, 10, 64)
		in := "seconds"
		if at >= unixFirst*1000 {
			in, at = "milliseconds", at/int64(time.Second/time.Millisecond)
		}
		if err != nil || at < unixFirst || at > unixLast || n > 0 && in != unit {
			return "", 0, false
		}
		if unit = in; n == 0 {
			first = at
		}
	}
	return unit, first, len(texts) > 0
}
