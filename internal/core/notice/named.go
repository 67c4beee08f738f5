package notice

import (
	"math/bits"
	"slices"
)

// joinNamed brings days together that stand once by their names and once by their numbers:
// Monday to Wednesday, 7–9 December, or 5 and 6 December (Sat and Sun). What the names say is
// checked when the days are found.
func (r *reader) joinNamed(spans []span) []span {
	for n := range spans {
		if s := &spans[n]; s.kind == 'd' && (n == 0 || spans[n-1].to < s.from) {
			s.from = r.cutName(s)
		}
	}
	for n := 0; n+1 < len(spans); n++ {
		a, b := &spans[n], &spans[n+1]
		if a.kind != 'd' || b.kind != 'd' {
			continue
		}
		switch {
		case r.leadsToDays(a.to, b.from) && b.dates.takeNames(a.dates):
			b.from = a.from
			spans = slices.Delete(spans, n, n+1)
		case r.leadsToDays(a.to, b.from) && a.dates.takeNames(b.dates):
			a.to = b.to
			spans = slices.Delete(spans, n+1, n+2)
		}
	}
	return r.joinNames(spans)
}

// partOfName stands behind the name of a day that is part of another name: Sunday roast, Saturday club.
var partOfName = words(`roast lunch dinner supper breakfast brunch club market school service mass class group crew team swim run walk talk concert session special quiz games sale coffee choir league race races regatta cruise drinks dance fair tea`)

// joinNames takes the name of a day that is part of another name for the day of the date that the
// text has besides: Sunday roast on 13 December, Good Friday service, 26 March.
func (r *reader) joinNames(spans []span) []span {
	days := 0
	for _, s := range spans {
		if s.kind == 'd' {
			days++
		}
	}
	if days != 2 {
		return spans
	}
	isDay := func(s span) bool { return s.kind == 'd' }
	first := slices.IndexFunc(spans, isDay)
	second := first + 1 + slices.IndexFunc(spans[first+1:], isDay)
	for _, pair := range [][2]int{{first, second}, {second, first}} {
		name := pair[0]
		a, b := &spans[name], &spans[pair[1]].dates
		if len(a.dates.days) != 1 || a.dates.until != nil || !a.dates.named() || a.to != a.from+1 || !r.word(a.from-1, feasts) && (!r.word(a.to, partOfName) || r.word(a.from-1, list("on this next last every each by until till from to for"))) {
			continue
		}
		if x := &b.days[0]; len(b.days) != 1 || b.until != nil || x.relative || x.day == 0 || x.month == 0 {
			continue
		} else if x.weekdays == 0 {
			x.weekdays = a.dates.days[0].weekdays
		}
		return slices.Delete(spans, name, name+1)
	}
	return spans
}

// leadsToDays tells whether only signs and words that lead to a day stand between two tokens.
func (r *reader) leadsToDays(from, to int) bool {
	for i := from; i < to; i++ {
		if !r.onlySigns(i, i+1) && !r.is(i, '(') && !r.word(i, dayLinks) && !r.word(i, fromWords) {
			return false
		}
	}
	return to-from <= 3
}

// cutName joins Sat/Sun, 5/6 December, where the second name was taken for that of the first
// day. It gives the token where the names begin.
func (r *reader) cutName(s *span) int {
	all, at := s.dates.all(), s.from-1
	if len(all) != 2 || bits.OnesCount8(all[0].weekdays) != 1 || all[0].relative || all[1].weekdays != 0 || !r.is(at, '/') && !r.is(at, '&') && !r.is(at, '-') && !r.and(at) {
		return s.from
	}
	if at--; r.is(at, '.') {
		at--
	}
	name := weekdaysOf(r.tok(at).text)
	if !r.is(at, 'w') || bits.OnesCount8(name) != 1 {
		return s.from
	}
	all[0].weekdays, all[1].weekdays = name, all[0].weekdays
	return at
}

// all are the days that the text names.
func (d *dates) all() (out []*day) {
	for i := range d.days {
		out = append(out, &d.days[i])
	}
	if d.until != nil {
		out = append(out, d.until)
	}
	return out
}

// certain tells that the days are just those.
func (d *dates) certain() bool {
	return !d.open && !d.ends && !d.window && !d.least && !d.due && !d.every && !d.plural && !d.or
}

// named tells whether the days are known by the names of weekdays alone.
func (d *dates) named() bool {
	return d.certain() && !slices.ContainsFunc(d.all(), func(x *day) bool {
		return !x.relative || bits.OnesCount8(x.weekdays) != 1 || x.next || x.near || x.after != 0 || x.nth != 0 || x.day != 0 || x.days != 0 || x.also != 0
	})
}

// takeNames gives several days the names of as many others.
func (d *dates) takeNames(names dates) bool {
	to, from := d.all(), names.all()
	if len(to) < 2 || len(to) != len(from) || (d.until == nil) != (names.until == nil) || !d.certain() || !names.named() {
		return false
	}
	if slices.ContainsFunc(to, func(x *day) bool { return x.relative || x.day == 0 || x.weekdays != 0 }) {
		return false
	}
	if d.until != nil && !withinWeek(*to[0], *to[1]) { // Monday to Friday from 7 to 18 December
		return false
	}
	for i := range to {
		to[i].weekdays = from[i].weekdays
	}
	return true
}

// withinWeek tells whether a range has fewer days than a week, whichever year it is in.
func withinWeek(first, last day) bool {
	if first.month == 0 {
		first.month = last.month
	}
	if last.month < first.month {
		last.month += 12
	}
	days := (last.month-first.month)*31 + last.day - first.day
	return days > 0 && days < 7+3*min(last.month-first.month, 1) // as months are up to three days shorter
}
