package intake

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// company is what the other rows of a source show of the dates and lengths to
// be expected: what stands out from it is most likely a slip.
type company struct {
	odd      map[place]oddity // by what a row's start stands out
	clock    time.Duration    // the length beyond which an event with times stands out; 0 for any
	days     time.Duration    // likewise of whole days
	ordinary [2]time.Duration // what they usually last: with times, and in whole days
	starts   []plainStart     // by row of the batch that was learnt
}

// oddity is why a start stands out: by its day or by its time of day.
type oddity struct {
	why   string
	clock bool
}

// plainStart is a start that is a day and, maybe, a time of day, and says nothing else, so
// that it need not be read twice. A million rows have one each.
type plainStart struct {
	day   int32 // since 1970
	clock int32 // as of moment.Value; notPlain for any other start
}

const notPlain = math.MinInt32

// plain gives what a reading comes to, where that is all it says.
func (r *reading) plain() plainStart {
	p := plainStart{int32(r.Date / day24), int32(r.Clock)}
	if *r != p.reading() {
		p.clock = notPlain
	}
	return p
}

func (p plainStart) reading() reading {
	return reading{Value: moment.Value{HasDate: true, Date: int64(p.day) * day24, Clock: int(p.clock), EndClock: moment.NoClock}}
}

// place tells a row from all others of a batch.
type place struct {
	origin *table.Origin
	row    int32
}

// dated is a row with the day its event starts on.
type dated struct {
	place
	at    int32 // its index
	day   int32 // since 1970
	clock int32 // moment.NoClock without one
	bare  bool  // its year is not written
}

// The least rows that make company, and how far from it a date must be, in
// days, to stand out.
const (
	enoughCompany = 8
	enoughOrdered = 10
	outOfOrder    = 14
	outOfYear     = 200
	outOfMonth    = 7
)

// learnCompany looks at the dates of all rows and the lengths of some.
func (m *Mapping) learnCompany(rows table.Rows) {
	m.company = company{}
	if m.intake.Outliers == "read" || m.start == nil || m.series.repeat != nil || m.series.also != nil || m.occurrence != nil {
		return
	}
	list, headed := m.starts(rows)
	odd := map[place]oddity{}
	oddTurn(list, odd)
	m.oddHalf(list, rows, odd)
	m.company.odd = odd
	if len(list) < enoughCompany {
		return
	}
	oddYear(list, odd)
	oddOrder(list, odd)
	oddClock(list, odd)
	oddMonth(list, rows, headed, odd)
	m.learnLengths(list, rows)
}

// starts reads the day of every row that has one, and tells whether any of them stands
// under a heading.
func (m *Mapping) starts(rows table.Rows) (out []dated, headed bool) {
	mapper := m.Mapper() // it must not outlive the learning
	out = make([]dated, 0, rows.Len())
	m.company.starts = make([]plainStart, rows.Len())
	for i, r := range rows.All() {
		m.company.starts[i].clock = notPlain
		if r.Fault != nil || r.Hidden {
			continue
		}
		mapper.eval.Load(r)
		if v, f := mapper.read(m.start, r); f == nil && v.HasDate {
			headed = headed || r.Under != ""
			out = append(out, dated{place{r.Origin, r.Number}, int32(i), int32(v.Date / day24), int32(v.Clock), v.Assumed&moment.AssumedYear != 0})
			m.company.starts[i] = v.plain()
		}
	}
	return out, headed
}

func (d dated) date() string { return showDay(d.day) }

func showDay(day int32) string { return shortDate(int64(day) * day24) }

// oddYear finds dates a year or more away from all others, which stand close
// together: a slip in the year, where another year would put them among the
// others.
func oddYear(list []dated, odd map[place]oddity) {
	days := make([]int32, len(list))
	for i, d := range list {
		days[i] = d.day
	}
	slices.Sort(days)
	few := max(1, len(days)/20)
	low, high := days[few], days[len(days)-1-few]
	if high-low > outOfYear {
		return
	}
	var found []dated
	for _, d := range list {
		if d.day >= low-outOfYear && d.day <= high+outOfYear {
			continue
		}
		for years := -10; years <= 10; years++ {
			if there := int32(zone.Civil(int64(d.day)*day24).AddDate(years, 0, 0).Unix() / day24); there >= low-31 && there <= high+31 {
				found = append(found, d)
				break
			}
		}
	}
	if len(found) > few {
		return
	}
	for _, d := range found {
		odd[d.place] = oddity{why: fmt.Sprintf("is %s, and nearly all other rows are from %s to %s", d.date(), showDay(low), showDay(high))}
	}
}

// dawn is when the night ends, in seconds since midnight.
const dawn = 6 * 3600

// oddTurn finds dates without a year of the first months behind those of the last ones: of the
// one year that the title or the intake says they would be before what stands above them.
func oddTurn(list []dated, odd map[place]oddity) {
	month := func(d dated) time.Month { return zone.Civil(int64(d.day) * day24).Month() }
	end := 0 // the last of the last months
	for i, d := range list {
		switch m := month(d); {
		case !d.bare:
		case m >= time.October:
			end = i
		case m > time.March:
			return // of all the year
		}
	}
	var last *dated
	for i := range list {
		d := &list[i]
		switch {
		case !d.bare:
		case month(*d) >= time.October:
			last = d
		case last != nil && last.origin == d.origin && (i > end || month(*last) == time.December && month(*d) < time.March) && zone.Civil(int64(last.day)*day24).Year() == zone.Civil(int64(d.day)*day24).Year():
			odd[d.place] = oddity{why: fmt.Sprintf("has no year, and would be %s, and stands behind %s in row %d: of that year or of the next", d.date(), last.date(), last.row)}
		}
	}
}

// oddClock finds the one time in the night among times of the day: most often
// 2:30 was meant to be half past two in the afternoon.
func oddClock(list []dated, odd map[place]oddity) {
	night := 0
	first, last, timed := int32(24*3600), int32(0), 0
	for _, d := range list {
		switch {
		case d.clock == moment.NoClock || d.clock == 0:
		case d.clock < dawn:
			night++
			timed++
		default:
			first, last = min(first, d.clock), max(last, d.clock)
			timed++
		}
	}
	if night == 0 || night > max(1, timed/20) || timed < enoughCompany || last >= 21*3600 {
		return
	}
	for _, d := range list {
		if d.clock == moment.NoClock || d.clock == 0 || d.clock >= dawn {
			continue
		}
		odd[d.place] = oddity{why: fmt.Sprintf("is at %s, in the night, and the other rows are between %s and %s", showClock(int(d.clock)), showClock(int(first)), showClock(int(last))), clock: true}
	}
}

// Between early and dawn a time may be one of the afternoon, where no other tells.
const (
	early = 3600
	noon  = 12 * 3600
)

// zeroHour is a time whose hour is written with two figures, as only those of 24 hours are.
var zeroHour = pattern.Lazy(`(?:^|[\sT])0\d[:h]\d\d`)

// oddHalf finds times such as 2:30 beside 9:00 and 11:00, where none of the table is later than
// 12:59, and none says am or pm: half past two is most likely in the afternoon.
func (m *Mapping) oddHalf(list []dated, rows table.Rows, odd map[place]oddity) {
	found, day := false, false
	for _, d := range list {
		if d.clock >= noon+3600 || d.clock >= 0 && d.clock < early && d.clock != moment.NoClock {
			return
		}
		found, day = found || d.clock >= early && d.clock < dawn, day || d.clock >= dawn
	}
	if !found || !day {
		return
	}
	mapper := m.Mapper() // it must not outlive the learning
	full := func(i int, text string) bool {
		return zeroHour().MatchString(text) || m.columns[i].Role() == moment.ClockRole && strings.HasPrefix(text, "0")
	}
	for _, s := range []*moments{m.start, m.end} {
		if s == nil {
			continue
		}
		for _, i := range s.columns {
			if m.columns[i].SaysHalf() {
				return
			}
		}
		for _, d := range list {
			row := rows.At(int(d.at))
			mapper.eval.Load(row)
			if v, f := mapper.read(s, row); f == nil && v.Clock >= noon+3600 || slices.ContainsFunc(s.columns, func(i int) bool { return full(i, row.Cell(i).Text) }) {
				return
			}
		}
	}
	for _, d := range list {
		if d.clock >= early && d.clock < dawn {
			odd[d.place] = oddity{why: fmt.Sprintf("is at %s, in the night, or in the afternoon: no time of the table is later than 12:59, and none says am or pm", showClock(int(d.clock))), clock: true}
		}
	}
}

// oddOrder finds dates that break the order of rows which are sorted by date
// but for them.
func oddOrder(list []dated, odd map[place]oddity) {
	if len(list) < enoughOrdered {
		return
	}
	up, down := 0, 0
	for i := 1; i < len(list); i++ {
		switch d := list[i].day - list[i-1].day; {
		case list[i].origin != list[i-1].origin: // another file or sheet begins
		case d > 0:
			up++
		case d < 0:
			down++
		}
	}
	few := max(1, len(list)/20)
	sign := 1
	switch {
	case up > 2*few && down <= few:
	case down > 2*few && up <= few:
		sign = -1
	default:
		return
	}
	for i := 1; i+1 < len(list); i++ {
		before, here, behind := list[i-1], list[i], list[i+1]
		if before.origin != here.origin || behind.origin != here.origin {
			continue
		}
		low, high := before.day, behind.day
		if sign < 0 {
			low, high = high, low
		}
		if low <= high && (here.day < low-outOfOrder || here.day > high+outOfOrder) {
			odd[here.place] = oddity{why: fmt.Sprintf("is %s, and the rows are in order of their dates: row %d has %s, row %d %s", here.date(), before.row, before.date(), behind.row, behind.date())}
		}
	}
}

// oddMonth finds dates outside of the month that the heading above them, or
// the name of their sheet, says, where nearly all others fit it.
func oddMonth(list []dated, rows table.Rows, headed bool, odd map[place]oddity) {
	type month struct{ year, month int }
	known := map[string]month{}
	named := func(d dated) (string, month) {
		under := ""
		if headed {
			under = rows.At(int(d.at)).Under
		}
		for _, text := range []string{under, sheetOf(d.origin)} {
			if text == "" {
				continue
			}
			m, met := known[text]
			if !met {
				m.year, m.month = moment.Month(text)
				known[text] = m
			}
			if m.month != 0 {
				return text, m
			}
		}
		return "", month{}
	}
	fits := func(d dated, m month) bool {
		for _, days := range []int32{0, -outOfMonth, outOfMonth} {
			if t := zone.Civil(int64(d.day+days) * day24); int(t.Month()) == m.month && (m.year == 0 || t.Year() == m.year) {
				return true
			}
		}
		return false
	}
	good := 0
	var bad []dated
	for _, d := range list {
		switch _, m := named(d); {
		case m.month == 0:
		case fits(d, m):
			good++
		default:
			bad = append(bad, d)
		}
	}
	if good < enoughCompany || len(bad)*10 > good {
		return
	}
	for _, d := range bad {
		text, _ := named(d)
		odd[d.place] = oddity{why: fmt.Sprintf("is %s, and stands under %q", d.date(), fault.Shorten(text, 40))}
	}
}

func sheetOf(o *table.Origin) string {
	if o == nil {
		return ""
	}
	return o.Sheet
}

// learnLengths looks at how long the events of some rows last.
func (m *Mapping) learnLengths(list []dated, rows table.Rows) {
	mapper := m.Mapper() // it must not outlive the learning
	var clock, days []time.Duration
	var w Wanted
	for i := 0; i < len(list); i += max(1, len(list)/sampledLengths) {
		w = Wanted{}
		row := rows.At(int(list[i].at))
		mapper.eval.Load(row)
		span, f := mapper.span(row, &w)
		switch {
		case f != nil || span.Rule != "":
		case span.AllDay():
			days = append(days, span.Length())
		default:
			clock = append(clock, span.Length())
		}
	}
	if usual, ok := mostly(clock); ok && usual <= day {
		m.company.clock, m.company.ordinary[0] = max(3*day, 10*usual), usual
	}
	if usual, ok := mostly(days); ok {
		m.company.days, m.company.ordinary[1] = max(45*day, 10*usual), usual
	}
}

const sampledLengths = 500

// mostly gives the length that all but few do not exceed.
func mostly(lengths []time.Duration) (time.Duration, bool) {
	if len(lengths) < enoughCompany {
		return 0, false
	}
	slices.Sort(lengths)
	return lengths[len(lengths)-1-max(1, len(lengths)/20)], true
}

// inCompany refuses a start that stands out from those of the other rows.
func (m *Mapper) inCompany(row table.Row) *fault.Fault {
	odd := m.company.odd[place{row.Origin, row.Number}]
	if odd.why == "" {
		return nil
	}
	says := saysDate
	if odd.clock {
		says = saysClock
	}
	f := m.start.fault(m, row, says, odd.why)
	f.Field = "start"
	return f.Do("correct it, or, if it is right, set outliers: read")
}

// usualLength refuses an event that lasts far longer than those of the other
// rows.
func (m *Mapper) usualLength(s event.Span) *fault.Fault {
	most, usual := m.company.clock, m.company.ordinary[0]
	if s.AllDay() {
		most, usual = m.company.days, m.company.ordinary[1]
	}
	if d := s.Length(); most > 0 && d > most {
		return fault.Newf("would last %s, and the other rows hardly more than %s", roughly(d), roughly(usual)).Do("correct the end, or, if it is right, set outliers: read")
	}
	return nil
}

// roughly says a length as people do.
func roughly(d time.Duration) string {
	n, unit := d.Round(time.Minute)/time.Minute, "minute"
	switch {
	case d >= 2*day:
		n, unit = d.Round(day)/day, "day"
	case d >= time.Hour && d%time.Hour == 0 || d >= 10*time.Hour:
		n, unit = d.Round(time.Hour)/time.Hour, "hour"
	}
	if n == 1 {
		return "1 " + unit
	}
	return fmt.Sprintf("%d %ss", n, unit)
}
