package recur

import (
	"bytes"
	"time"

	"almanach/internal/core/ical"
)

// margin is how many days a zone, and a date without one, can put an event beside
// the days that stand in its text.
const margin = 2

// Outside tells, by a glance at its text, that a single event lies outside of a
// window for certain. Where it is false nothing is known. The text is read by way of read.
func Outside(o *ical.Object, w Window, read *ical.Window) bool {
	if o.Parts() != 1 {
		return false
	}
	raw := o.Glance(0, read)
	if !o.Single && repeats(raw) {
		return false
	}
	start, ok := dayOf(raw, "\nDTSTART")
	if !ok {
		return false
	}
	end, ok := dayOf(raw, "\nDTEND")
	if !ok {
		if bytes.Contains(raw, []byte("\nDURATION")) || bytes.Contains(raw, []byte("\nDTEND")) {
			return false
		}
		end = start + 1
	}
	end = max(start, end)
	return start-margin > w.To/86400 || end+margin < w.From/86400
}

// repeats tells whether anything in a text can make an event repeat, or stand for a
// date of another.
func repeats(raw []byte) bool {
	for _, mark := range []string{"RRULE", "RDATE", "RECURRENCE", "rrule", "rdate", "recurrence", "Rrule", "Rdate", "Recurrence"} {
		if bytes.Contains(raw, []byte(mark)) {
			return true
		}
	}
	return false
}

// dayOf gives the day of a property in days since 1970, as it stands in the text.
func dayOf(raw []byte, name string) (int64, bool) {
	i := bytes.Index(raw, []byte(name))
	if i < 0 {
		return 0, false
	}
	rest := raw[i+len(name):]
	if c := rest[0]; c != ':' && c != ';' {
		return 0, false
	}
	colon := bytes.IndexByte(rest[:min(len(rest), 200)], ':')
	if colon < 0 || len(rest) < colon+9 {
		return 0, false
	}
	n := [8]int{}
	for k := range n {
		c := rest[colon+1+k]
		if c < '0' || c > '9' {
			return 0, false
		}
		n[k] = int(c - '0')
	}
	year, month, day := n[0]*1000+n[1]*100+n[2]*10+n[3], n[4]*10+n[5], n[6]*10+n[7]
	if month < 1 || month > 12 || day < 1 || day > 31 {
		return 0, false
	}
	return time.Date(year, time.Month(month), day, 0, 0, 0, 0, time.UTC).Unix() / 86400, true
}
