package notice

import (
	"cmp"
	"slices"
	"strings"
	"time"
)

// paired gives the day that two letters name before the number of a day, where another day stands
// beside it in the same way: za 12 en zo 13 december.
func (r *reader) paired(i int) uint8 {
	numbered := func(i int) bool {
		return r.is(i, 'w') && len(r.tok(i).text) == 2 && weekdaysOf(r.tok(i).text) != 0 && r.is(i+1, 'n') && len(r.tok(i+1).text) <= 2 && r.tok(i+1).num >= 1 && r.tok(i+1).num <= 31
	}
	joined := func(i int) bool {
		return r.and(i) || r.is(i, '&') || r.is(i, ',') || r.is(i, '/') || r.is(i, '-') || r.is(i, '+') || r.word(i, rangeWords)
	}
	if !numbered(i) || !(joined(i+2) && numbered(i+3)) && !(joined(i-1) && numbered(i-3)) {
		return 0
	}
	return weekdaysOf(r.tok(i).text)
}

// when reads the days at token i: one, several, a range. It gives the token
// behind them; 0 for none.
func (r *reader) when(i int) (dates, int) {
	at := i
	from := r.word(at, fromWords) || r.word(at, betweenWords) || i == 0 && r.tok(0).text == "da" && r.weekday(1) != 0
	starts := r.word(at, startingWords)
	ends := r.untilBefore(at)
	every := r.word(at-1, list("every each jeden jede jedes chaque cada ogni elke alle todos tous"))
	if r.word(at-2, list("todos todas tous toutes alle tutti tutte")) && r.word(at-1, list("los las les os as i le")) {
		every = true
	}
	window := r.word(at, betweenWords)
	if from || starts {
		for at++; r.word(at, fromWords); at++ { // à partir du
		}
		at = r.link(at)
	}
	feast := at
	for r.word(feast, feasts) && r.weekday(feast+1) != 0 && r.dayish(feast+2) { // from Good Friday 3 April
		feast++
	}
	if from || starts {
		at = feast
	}
	if out, end := r.listed(at); end > 0 {
		out.window, out.every = window, every
		return out, end
	}
	first, end := r.one(at)
	if end == 0 {
		return dates{}, 0
	}
	out := dates{days: []day{first}, ends: ends, every: every, window: window, plural: r.plural(at)}
	// a range of days
	n, joined := end, false
	if r.tok(n).text == "up" && r.tok(n+1).text == "to" {
		n++
	}
	if r.is(n, ',') && r.word(n+1, untilWords) { // Tue 10 March, until Thu 12 March
		_, e := r.one(n + 2)
		if _, linked := r.one(r.link(n + 2)); max(e, linked) > 0 {
			n++
		}
	}
	if r.is(n, '-') || r.word(n, rangeWords) && !(r.tok(n).text == "a" && r.half(n)) || from && r.and(n) {
		joined = true
		if _, e := r.one(n + 1); e > 0 && r.weekday(n+1) != 0 { // bis Do., 12.3., and no Italian do
			n++
		} else {
			n = r.link(n + 1)
		}
		if r.tok(n).text == "and" && r.tok(n+1).text == "including" || r.tok(n).text == "einschließlich" || r.tok(n).text == "including" {
			n = r.link(n + 1)
			if r.tok(n).text == "including" {
				n = r.link(n + 1)
			}
		}
		m := n
		for r.word(m, rangeWords) || r.word(m, aroundUntil) { // bis zum, tot en met, até ao dia
			m++
		}
		if _, e := r.one(m); e > 0 {
			n = m
		}
	}
	if joined {
		for r.word(n, feasts) && r.weekday(n+1) != 0 {
			n++
		}
		if last, e := r.one(n); e > 0 {
			out.until = &last
			return out, e
		}
	}
	// several days
	commas := true
	for {
		n := end
		for r.is(n, ',') || r.is(n, ';') || r.and(n) || r.is(n, '&') || r.is(n, '+') || r.is(n, '/') {
			n++
		}
		either := r.word(n, orWords)
		if either {
			n++
		}
		if n == end {
			break
		}
		n = r.link(n)
		d, e := r.one(n)
		if e == 0 || d.relative != first.relative {
			break
		}
		if r.is(end, ';') && (r.is(e, 'w') && !r.and(e) || r.is(e, 'n')) { // cancelled today; tomorrow first sailing at 9
			break
		}
		commas = commas && r.is(end, ',') && n == r.link(end+1)
		out.or = out.or || either
		if r.is(end, '/') && out.days[len(out.days)-1].year > 0 && d.year > 0 { // 2026-04-06/2026-04-17, a range in ISO 8601
			d.doubt = cmp.Or(d.doubt, "has a stroke between two dates: from the first to the second, or each by itself?")
		}
		out.days, end = append(out.days, d), e
	}
	if len(out.days) == 2 && commas {
		if one := saidTwice(&dates{days: out.days[:1]}, &dates{days: out.days[1:]}); one != nil { // tomorrow, Tuesday
			out.days = one.days
		}
	}
	out.open = (from && !r.word(i, list("de du des das van")) || starts && !r.hasLength()) && len(out.days) == 1 && out.until == nil && !r.clockAhead(end)
	return out, end
}

// plural tells whether token i names a day of the week in the plural.
func (r *reader) plural(i int) bool {
	t := r.tok(i).text
	return r.weekday(i) != 0 && len(t) > 4 && t[len(t)-1] == 's' && t[len(t)-2] != '\'' && weekdaysOf(t) == 0
}

// clockAhead tells whether a time follows, so that "from" is about it.
func (r *reader) clockAhead(i int) bool {
	for n := i; n < i+3; n++ {
		if _, end := r.clock(n, false); end > 0 {
			return true
		}
		if !r.onlyLinks(n, n+1) {
			return false
		}
	}
	return false
}

// listed reads days that share a month: 1, 8 and 15 May; 21–25 September; the
// month first as in May 1, 8 and 15.
func (r *reader) listed(i int) (dates, int) {
	if r.is(i-1, '.') && r.is(i-2, 'n') && !r.tok(i-1).gap && !r.tok(i).gap { // the 3 of 14.3
		return dates{}, 0
	}
	if r.is(i-1, '-') && r.is(i-2, 'n') && !r.tok(i-1).gap && !r.tok(i).gap { // 5 March 9-12, 6 March 13-15: the 12 is of the range before it
		return dates{}, 0
	}
	if r.word(i-1, rangeWords) && r.is(i-2, 'n') && (r.month(i-3) > 0 || r.is(i-3, 'n') && len(r.tok(i-3).text) == 4 || r.is(i-3, ',')) && r.and(i+1) && r.tok(i).num <= 24 && !r.tok(i).ordinal { // 5 March 9 to 5 and 6 March 9 to 1
		return dates{}, 0
	}
	at := i
	var weekdays []uint8
	take := func() (int, bool) {
		n := at
		var days uint8
		if days = cmp.Or(r.weekday(n), r.paired(n)); days != 0 {
			n++
			for r.is(n, '.') || r.is(n, ',') || r.word(n, dayLinks) {
				n++
			}
		}
		n = r.link(n)
		t := r.tok(n)
		if t.kind != 'n' || t.num < 1 || t.num > 31 || len(t.text) > 2 {
			return 0, false
		}
		if r.is(n+1, '.') && r.is(n+2, 'n') && !r.tok(n+1).gap && !r.tok(n+2).gap && len(r.tok(n+2).text) == 2 && r.tok(n+2).num < 60 && !r.is(n+3, '.') { // March 24, 14.30
			return 0, false
		}
		n++
		if r.is(n, '.') && !r.tok(n).gap {
			n++
		}
		at = n
		weekdays = append(weekdays, days)
		return t.num, true
	}
	monthFirst := r.month(at)
	if monthFirst > 0 {
		at++
	}
	var nums []int
	num, ok := take()
	if !ok {
		return dates{}, 0
	}
	nums = append(nums, num)
	ranged, either, slashed := false, false, false
	for {
		was := at
		if slash := r.tok(at); len(nums) > 1 && !slashed && slash.kind == '/' && !slash.gap && r.is(at+1, 'n') && !r.tok(at+1).gap && r.tok(at+1).num <= 12 && r.month(r.link(at+2)) == 0 { // 9, 11 and 13/3
			break
		}
		sign := false
		switch {
		case len(nums) == 1 && (r.is(at, '-') || r.word(at, rangeWords)):
			ranged, sign = true, true
			at++
			for r.word(at, list("to bis einschließlich including")) || r.tok(at).text == "and" && r.tok(at+1).text == "including" {
				at++
			}
		default:
			for r.is(at, ',') || r.and(at) || r.is(at, '&') || r.is(at, '+') || r.is(at, '/') || r.word(at, orWords) {
				either, slashed = either || r.word(at, orWords), slashed || r.is(at, '/')
				at++
				sign = true
			}
		}
		if !sign {
			break
		}
		num, ok := take()
		// March 1 to 31 October; March 21, 8-16 h; and in March 12, 10 for 2h an hour
		another := ok && monthFirst > 0 && (r.month(r.link(at)) > 0 && !(r.word(r.link(at), list("may march")) && r.is(r.link(at)-1, ',')) || !ranged && (r.is(at, '-') || r.word(at, rangeWords)) && (r.is(at+1, 'n') || r.word(at+1, noonWords) || r.word(at+1, list("half quarter halb midnight"))))
		if !ok || another || monthFirst > 0 && (r.is(at, ':') && r.is(at+1, 'n') && !r.tok(at+1).gap || r.half(at) || len(r.tok(at-1).text) == 4 || !ranged && num < nums[len(nums)-1] || !ranged && r.tok(at).text == "for") {
			at = was
			if ok {
				weekdays = weekdays[:len(weekdays)-1]
			}
			if len(nums) == 1 {
				ranged = false
			}
			break
		}
		nums = append(nums, num)
		if ranged {
			break
		}
	}
	if len(nums) < 2 || r.numbered(i) || !ranged && weekdays[0] == 0 && weekdays[1] != 0 { // quay 3, Tuesday 10 March
		return dates{}, 0
	}
	m, twoWays := monthFirst, false
	year := 0
	if m == 0 {
		n := r.link(at)
		if m = r.month(n); m > 0 {
			at = n + 1
			if r.is(at, '.') && !r.tok(at).gap && len(r.tok(at-1).text) <= 4 {
				at++
			}
		} else if second := r.tok(at); second.kind == 'n' && r.is(at-1, '.') && second.num >= 1 && second.num <= 12 && len(second.text) <= 2 && r.is(at+1, '.') { // 7.-9.3.2026
			m = second.num
			at += 2
			if y := r.tok(at); y.kind == 'n' && len(y.text) == 4 && !y.gap {
				year = y.num
				at++
			}
		} else if month := r.tok(at + 1); r.is(at, '/') && !r.tok(at).gap && month.kind == 'n' && !month.gap && month.num >= 1 && month.num <= 12 && len(month.text) <= 2 { // 9-13/3
			m, twoWays = month.num, slices.Max(nums) <= 12
			at += 2
			if y := r.tok(at + 1); r.is(at, '/') && y.kind == 'n' && !y.gap && (len(y.text) == 2 || len(y.text) == 4) {
				if year = y.num; year < 100 {
					year += 2000
				}
				at += 2
			}
		}
	}
	if m == 0 {
		return dates{}, 0
	}
	if year == 0 {
		y, more := r.year(at)
		year = y
		at += more
	}
	out := dates{or: either}
	for n, num := range nums {
		d := day{year: year, month: m, day: num, weekday: -1, weekdays: weekdays[n], twoWays: twoWays && num != m}
		if ranged && n == 1 {
			out.until = &d
			continue
		}
		out.days = append(out.days, d)
	}
	return out, at
}

// numbered tells whether a number is one of those behind a noun that is counted: the 4 of
// berth 3-4, of lanes 3 and 4, of berths 2, 3 and 4.
func (r *reader) numbered(i int) bool {
	if i > 0 && strings.Contains(r.text[r.tok(i-1).to:r.tok(i).from], "  ") { // a column of its own
		return false
	}
	n, comma := i-1, false
	for r.is(n-1, 'n') && len(r.tok(n-1).text) <= 2 && (r.is(n, '-') && !r.tok(n).gap || r.and(n) || r.word(n, orWords) || r.is(n, '&') || r.is(n, '+') || r.is(n, '/') || r.is(n, ',') || r.word(n, list("to bis"))) {
		comma = comma || r.is(n, ',')
		n -= 2
	}
	t := r.tok(n)
	if t.kind != 'w' {
		return false
	}
	if t.text == "dock" && r.tok(n-1).text == "dry" {
		return false
	}
	if placeNouns.has(t.text) || countedNouns.has(t.text) && (n < i-1 || r.is(i+1, ',')) {
		return !comma
	}
	one, plural := strings.CutSuffix(t.text, "s")
	return plural && (placeNouns.has(one) || countedNouns.has(one))
}

// weekdayOf gives the day of the week of a date.
func weekdayOf(y, m, d int) int {
	return int(time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).Weekday())
}

// exists tells whether a date is one of the calendar.
func exists(y, m, d int) bool {
	t := time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC)
	return t.Day() == d && int(t.Month()) == m
}

// untilBefore tells whether a word for until leads to a token: hasta el, até ao dia, tot en met.
func (r *reader) untilBefore(i int) bool {
	for n := i - 1; n >= i-5; n-- {
		if r.word(n, untilWords) || r.tok(n).text == "up" && r.tok(n+1).text == "to" && !r.word(n-1, list("moved brought put pushed pulled")) {
			return true
		}
		if !r.word(n, aroundUntil) {
			return false
		}
	}
	return false
}

// aroundUntil are the small words between until and its day.
var aroundUntil = words("las les às as the to zum au den al el la le il lo o a ao à dia día giorno jour tag dag day en met and including einschließlich inclusief")

// startingWords say when what goes on begins: its end is not said.
var startingWords = words("starting beginning commencing effective vanaf dès ingang partir partire")

// hasLength tells whether a text says how long something lasts.
func (r *reader) hasLength() bool {
	for i := range r.toks {
		if _, end := r.length(i); end > 0 {
			return true
		}
	}
	return false
}
