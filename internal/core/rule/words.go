package rule

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"almanach/internal/core/zone"
)

// ParseWords reads a recurrence written in English, or in French, German, Spanish, Italian,
// Portuguese or Dutch word by word. date reads a date as a wall-clock midnight; day knows
// the weekdays of the other languages, nil for none. The grammar, letter case ignored,
// commas free:
//
//	rule   = often *( on | until | times )
//	often  = "daily" | "weekly" | "fortnightly" | "monthly" | "quarterly" | "yearly" | "annually"
//	       | "every" [ "other" | number ] ( unit | days | nth )
//	       | days | nth
//	unit   = "day" | "weekday" | "week" | "month" | "year", or their plurals
//	days   = weekday *( [ "and" ] weekday ) | weekday "to" weekday, such as "Mon, Wed and Fri", "Mon/Wed", "Mon-Fri"
//	nth    = ordinal *( "and" ordinal ) ( weekday | "day" ) [ "of" ( "the" | "every" | "each" ) "month" ]
//	       | day-of-month *( "and" day-of-month ) [ "of" … "month" ]
//	ordinal = "first" … "fifth" | "last" | "1st" …
//	on     = [ "on" ] [ "the" ] ( days | nth )
//	until  = ( "until" | "till" ) date
//	times  = number "times" | "for" number ( "times" | unit )
func ParseWords(text string, date func(string) (int64, bool), day func(string) (time.Weekday, bool)) (Rule, error) {
	r, err := parseWords(text, date, nil)
	if err == nil || day == nil {
		return r, err
	}
	english := translated(text, day)
	foreign, other := parseWords(english, date, day)
	if other == nil || english != text && !strings.Contains(other.Error(), "is not understood") {
		return foreign, other
	}
	return r, err
}

func parseWords(text string, date func(string) (int64, bool), day func(string) (time.Weekday, bool)) (Rule, error) {
	r := Rule{Interval: 1, WeekStart: time.Monday}
	w := words{rule: &r, day: day}
	body, until, hasUntil := cutWord(text, "until", "till")
	w.tokens = tokens(body)
	if err := w.parse(); err != nil {
		return r, fmt.Errorf("%w in %q", err, text)
	}
	if hasUntil {
		until, tail, _ := cutTimes(until)
		at, ok := date(strings.Trim(until, " ,."))
		if !ok {
			return r, fmt.Errorf("%q is not a date to end at", strings.TrimSpace(until))
		}
		r.Until = zone.Time{Wall: at, Form: zone.Date}
		if strings.TrimSpace(tail) != "" {
			return r, fmt.Errorf("it ends both at a date and after a number of times")
		}
	}
	if r.Count > 0 && !r.Until.IsZero() {
		return r, fmt.Errorf("it ends both at a date and after a number of times")
	}
	return r, nil
}

// cutWord cuts a text at the first of some words.
func cutWord(text string, at ...string) (before, after string, found bool) {
	fields := strings.Fields(text)
	for i, f := range fields {
		if slices.Contains(at, strings.ToLower(strings.Trim(f, ",;"))) {
			return strings.Join(fields[:i], " "), strings.Join(fields[i+1:], " "), true
		}
	}
	return text, "", false
}

// cutTimes cuts "10 times" off the end of a date.
func cutTimes(text string) (date, times string, found bool) {
	fields := strings.Fields(text)
	if n := len(fields); n > 2 && strings.EqualFold(fields[n-1], "times") {
		return strings.Join(fields[:n-2], " "), strings.Join(fields[n-2:], " "), true
	}
	return text, "", false
}

func tokens(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return unicode.IsSpace(r) || r == ',' || r == ';' || r == '&' || r == '/' })
}

type words struct {
	rule   *Rule
	tokens []string
	at     int
	seen   bool                              // a frequency
	day    func(string) (time.Weekday, bool) // nil in English
}

var frequencies = map[string]Freq{"daily": Daily, "weekly": Weekly, "monthly": Monthly, "yearly": Yearly, "annually": Yearly, "hourly": Hourly}

var units = map[string]Freq{"day": Daily, "week": Weekly, "month": Monthly, "year": Yearly}

var ordinals = map[string]int{"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "last": -1}

var numerals = map[string]int{"one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10, "eleven": 11, "twelve": 12}

var workdays = []Weekday{{Day: time.Monday}, {Day: time.Tuesday}, {Day: time.Wednesday}, {Day: time.Thursday}, {Day: time.Friday}}

func (w *words) tok(i int) string {
	if w.at+i >= len(w.tokens) {
		return ""
	}
	return strings.Trim(w.tokens[w.at+i], ".")
}

func (w *words) weekday(s string) (time.Weekday, bool) {
	if w.day != nil {
		return namedDay(s, w.day)
	}
	s = strings.TrimSuffix(s, "s")
	for d := time.Sunday; d <= time.Saturday; d++ {
		name := strings.ToLower(d.String())
		if s == name || len(s) >= 2 && strings.HasPrefix(name, s) {
			return d, true
		}
	}
	return 0, false
}

func unit(s string) (Freq, bool) {
	f, ok := units[strings.TrimSuffix(s, "s")]
	return f, ok
}

func numeral(s string) (int, bool) {
	if n, ok := numerals[s]; ok {
		return n, true
	}
	n, err := strconv.Atoi(s)
	return n, err == nil && n > 0 && n < 10000
}

// ordinal reads first, last, 1st, 22nd.
func ordinal(s string) (int, bool) {
	if n, ok := ordinals[s]; ok {
		return n, true
	}
	for _, end := range []string{"st", "nd", "rd", "th"} {
		if digits, ok := strings.CutSuffix(s, end); ok {
			n, err := strconv.Atoi(digits)
			return n, err == nil && n >= 1 && n <= 31
		}
	}
	return 0, false
}

func (w *words) parse() error {
	r := w.rule
	for w.at < len(w.tokens) {
		t := w.tok(0)
		if f, ok := frequencies[t]; ok && !w.seen {
			r.Freq, w.seen = f, true
			w.at++
			continue
		}
		n, isNumber := numeral(t)
		switch {
		case t == "fortnightly" && !w.seen:
			r.Freq, r.Interval, w.seen = Weekly, 2, true
			w.at++
		case t == "quarterly" && !w.seen:
			r.Freq, r.Interval, w.seen = Monthly, 3, true
			w.at++
		case t == "every" || t == "each":
			w.at++
			if err := w.every(); err != nil {
				return err
			}
		case t == "for" && w.seen:
			w.at++
			if err := w.length(); err != nil {
				return err
			}
		case isNumber && (w.tok(1) == "times" || w.tok(1) == "time"):
			r.Count = n
			w.at += 2
		case t == "on" || t == "the" || t == "and" || t == "at":
			w.at++
		default:
			if err := w.days(); err != nil {
				return err
			}
		}
	}
	if !w.seen {
		return fmt.Errorf("nothing says how often it repeats")
	}
	if len(r.ByDay) > 0 && len(r.ByMonthDay) > 0 { // the RFC means both at once, a person hardly ever
		return fmt.Errorf("it names both weekdays and days of the month")
	}
	return nil
}

// every reads what stands behind "every".
func (w *words) every() error {
	r := w.rule
	if n, ok := numeral(w.tok(0)); ok {
		r.Interval = n
		w.at++
	} else if w.tok(0) == "other" || w.tok(0) == "second" && w.unitAhead(1) {
		r.Interval = 2
		w.at++
	} else if w.tok(0) == "third" && w.unitAhead(1) {
		r.Interval = 3
		w.at++
	}
	if t := w.tok(0); t == "weekday" || t == "weekdays" || t == "workday" {
		r.Freq, r.ByDay, w.seen = Weekly, workdays, true
		w.at++
		return nil
	}
	if f, ok := unit(w.tok(0)); ok && !w.seen {
		r.Freq, w.seen = f, true
		w.at++
		return nil
	}
	if n, ok := ordinal(w.tok(0)); ok && n > 1 && !w.seen {
		if d, ok := w.weekday(w.tok(1)); ok && !slices.Contains([]string{"of", "in"}, w.tok(2)) {
			return fmt.Errorf("it may be one %s in %d, or number %d of a month", d, n, n)
		}
	}
	return w.days()
}

func (w *words) unitAhead(i int) bool {
	_, ok := unit(w.tok(i))
	return ok
}

// length reads "for 10 times", "for 3 weeks" as a number of times.
func (w *words) length() error {
	n, ok := numeral(w.tok(0))
	if !ok {
		return fmt.Errorf("%q is not a number", w.tok(0))
	}
	what := w.tok(1)
	f, isUnit := unit(what)
	switch {
	case what == "times":
	case isUnit && f == w.rule.Freq && n%w.rule.Interval == 0 && len(w.rule.ByDay) <= 1:
		n /= w.rule.Interval
	case isUnit && f == Weekly && w.rule.Freq == Weekly && n%w.rule.Interval == 0:
		n = n / w.rule.Interval * len(w.rule.ByDay)
	default:
		return fmt.Errorf("for %d %s does not say how many times", n, what)
	}
	w.rule.Count = n
	w.at += 2
	return nil
}

// days reads weekdays, and days of the month.
func (w *words) days() error {
	r := w.rule
	t := w.tok(0)
	if from, to, n, ok := w.weekdayRange(); ok && (!w.seen || r.Freq == Weekly || r.Freq == Daily) {
		r.Freq, w.seen = Weekly, true
		for d := from; ; d = (d + 1) % 7 {
			r.ByDay = append(r.ByDay, Weekday{Day: d})
			if d == to {
				break
			}
		}
		w.at += n
		return nil
	}
	if d, ok := w.weekday(t); ok {
		if !w.seen {
			r.Freq, w.seen = Weekly, true
		}
		if r.Freq != Weekly && r.Freq != Daily {
			return fmt.Errorf("which %s of the month is not said", d)
		}
		r.Freq = Weekly
		r.ByDay = append(r.ByDay, Weekday{Day: d})
		w.at++
		return nil
	}
	if t == "weekdays" || t == "workdays" {
		r.Freq, r.ByDay, w.seen = Weekly, workdays, true
		w.at++
		return nil
	}
	if t == "day" { // on day 15
		if n, err := strconv.Atoi(w.tok(1)); err == nil && n >= 1 && n <= 31 {
			r.ByMonthDay = append(r.ByMonthDay, n)
			w.at += 2
			return w.ofTheMonth()
		}
	}
	return w.ordinals()
}

// ordinals reads the first and third Monday, the 1st and 15th: what they are of
// stands behind the last.
func (w *words) ordinals() error {
	t := w.tok(0)
	n, ok := ordinal(t)
	if !ok {
		return fmt.Errorf("%q is not understood", t)
	}
	w.at++
	nth := []int{n}
	for {
		next := 0
		if w.tok(0) == "and" {
			next = 1
		}
		n, ok := ordinal(w.tok(next))
		if !ok {
			break
		}
		nth = append(nth, n)
		w.at += next + 1
	}
	d, isWeekday := w.weekday(w.tok(0))
	isDay := w.tok(0) == "day"
	for _, n := range nth {
		switch {
		case isWeekday && n > 5:
			return fmt.Errorf("no month has %d of one weekday", n)
		case isWeekday:
			w.rule.ByDay = append(w.rule.ByDay, Weekday{N: n, Day: d})
		case n < 1 && !isDay:
			return fmt.Errorf("%q is not understood", t)
		default:
			w.rule.ByMonthDay = append(w.rule.ByMonthDay, n)
		}
	}
	if isWeekday || isDay {
		w.at++
	}
	return w.ofTheMonth()
}

// weekdayRange reads Mon-Fri and Mon to Fri, of n tokens.
func (w *words) weekdayRange() (from, to time.Weekday, n int, ok bool) {
	a, b, found := strings.Cut(strings.NewReplacer("–", "-", "—", "-").Replace(w.tok(0)), "-")
	n = 1
	if !found {
		switch w.tok(1) {
		case "to", "through", "-", "–", "—":
			b, n = w.tok(2), 3
		default:
			return 0, 0, 0, false
		}
	}
	from, okFrom := w.weekday(a)
	to, okTo := w.weekday(b)
	return from, to, n, okFrom && okTo && from != to
}

// ofTheMonth skips what may stand behind a day of the month, and makes the
// rule monthly.
func (w *words) ofTheMonth() error {
	if w.seen && w.rule.Freq != Monthly {
		return fmt.Errorf("a day of the month does not go with %s", strings.ToLower(w.rule.Freq.String()))
	}
	w.rule.Freq, w.seen = Monthly, true
	i := 0
	for slices.Contains([]string{"of", "the", "every", "each", "in"}, w.tok(i)) {
		i++
	}
	if i > 0 && (w.tok(i) == "month" || w.tok(i) == "months") {
		w.at += i + 1
	}
	return nil
}

// Describe says in English how a rule repeats, as ParseWords reads it where it
// can; rules that words fit badly are only said to repeat.
func (r Rule) Describe() string {
	if r.Freq < Daily || len(r.BySecond)+len(r.ByMinute)+len(r.ByHour)+len(r.ByYearDay)+len(r.ByWeekNo)+len(r.ByMonth)+len(r.BySetPos) > 0 {
		return "repeats"
	}
	unit := map[Freq]string{Daily: "day", Weekly: "week", Monthly: "month", Yearly: "year"}[r.Freq]
	text := map[Freq]string{Daily: "daily", Weekly: "weekly", Monthly: "monthly", Yearly: "yearly"}[r.Freq]
	if r.Interval > 1 {
		text = fmt.Sprintf("every %d %ss", r.Interval, unit)
	}
	var days []string
	for _, d := range sortedDays(r.ByDay) {
		name := d.Day.String()[:3]
		switch {
		case d.N > 5 || d.N < -1 || d.N != 0 && r.Freq != Monthly:
			return "repeats"
		case d.N == -1:
			name = "last " + name
		case d.N > 0:
			name = []string{"", "first", "second", "third", "fourth", "fifth"}[d.N] + " " + name
		}
		days = append(days, name)
	}
	for _, d := range r.ByMonthDay {
		if d == -1 {
			days = append(days, "the last day")
			continue
		}
		if d < 0 {
			return "repeats"
		}
		days = append(days, fmt.Sprintf("day %d", d))
	}
	switch {
	case r.Freq == Weekly && strings.Join(days, " ") == "Mon Tue Wed Thu Fri" && r.Interval == 1:
		text = "every weekday"
	case len(days) > 0:
		text += " on " + strings.Join(days, ", ")
	}
	if r.Count > 0 {
		text += fmt.Sprintf(", %d times", r.Count)
	}
	if !r.Until.IsZero() {
		text += " until " + zone.Civil(r.Until.Wall).Format("2 Jan 2006")
	}
	return text
}
