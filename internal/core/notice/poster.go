package notice

import (
	"slices"
	"strings"

	"almanach/internal/core/pattern"
)

// posters finds the titles that stand in lines of their own above the days or times that
// they belong to, and makes headings of them; to a time alone its title is joined, whether
// it stands above or below:
//
//	Crane test
//	8 April 2026, 14:00
//	Quay 5
func (d *document) posters(units []unit) []unit {
	if d.set.Message {
		return units
	}
	for i := range units {
		u := &units[i]
		if u.day, u.time = d.bare(*u); u.day || u.time {
			u.sentence = false // 2.00 p.m.
		}
	}
	var out []unit
	titled := 0 // days below their titles
	for run := range paragraphs(units) {
		if p := posterOf(run); p.timed == 0 && p.above > 0 {
			titled += len(p.anchors)
		}
	}
	for run := range paragraphs(units) {
		p := posterOf(run)
		switch {
		case p.timed > 0:
			out = append(out, p.joined(run)...)
		case p.above > 0 && (titled > 1 || p.above == 1 && p.hours(run)): // one alone without a time may be the head of a letter
			out = append(out, p.headed(run)...)
		default:
			out = append(out, run...)
		}
	}
	return out
}

// paragraphs gives units that stand together without a blank line between, and, in what
// begins with a day alone, each such day with what is below it. A day alone at the end of a
// list of times is that of the next paragraph.
func paragraphs(units []unit) func(func([]unit) bool) {
	return func(yield func([]unit) bool) {
		from, days, times := 0, false, false
		for i := range units {
			u := units[i]
			if i == from {
				days, times = u.day && !u.time, false
			}
			times = times || u.time && !u.day
			if i+1 < len(units) && !units[i+1].gap {
				ends := times && (i+2 == len(units) || units[i+2].gap)
				if next := units[i+1]; !next.day || next.time || i == from || !days && !ends {
					continue
				}
			}
			if !yield(units[from : i+1]) {
				return
			}
			from = i + 1
		}
	}
}

// poster is how titles and times stand in a paragraph.
type poster struct {
	anchors [][2]int // the lines that say days, or times alone, from and to
	timed   int      // they are times alone, of a day above: 1, titles stand above them; 2, below
	above   int      // how many lines above an anchor its title is; 0 for none
}

// hours tells whether a time stands in the lines that say the day.
func (p poster) hours(run []unit) bool {
	return slices.ContainsFunc(p.anchors, func(a [2]int) bool {
		return slices.ContainsFunc(run[a[0]:a[1]], func(u unit) bool { return u.time })
	})
}

// posterOf finds the order in a paragraph; the zero poster for none that is sure.
func posterOf(run []unit) (p poster) {
	from, times := 0, 0
	for i := range run {
		day, time := run[i].day, run[i].time
		if run[i].level > 0 {
			return poster{}
		}
		switch last := len(p.anchors) - 1; {
		case day && !time && i == 0:
			from = 1 // of the lines below it, if they have times
		case time && !day && last >= 0 && p.anchors[last][1] == i && times == 0: // the time of the day above
			p.anchors[last][1]++
		case time && !day:
			times++
			p.anchors = append(p.anchors, [2]int{i, i + 1})
		case day && last >= 0 && p.anchors[last][1] == i && times == 0: // several days of one title
			p.anchors[last][1]++
		case day:
			p.anchors = append(p.anchors, [2]int{i, i + 1})
		case SaysDay(run[i].text) || SaysTime(run[i].text):
			return poster{}
		}
	}
	n := len(p.anchors)
	if n == 0 || times > 0 && times < n || from == 1 && times == 0 {
		return poster{}
	}
	above, tail := p.anchors[0][0]-from, len(run)-p.anchors[n-1][1]
	between := tail // lines between two anchors
	for i := 1; i < n; i++ {
		lines := p.anchors[i][0] - p.anchors[i-1][1]
		if i > 1 && lines != between && above != 1 || lines < above || lines == 0 {
			return poster{}
		}
		if i == 1 || lines < between {
			between = lines
		}
	}
	titled := func(at func(a [2]int) int) bool {
		first := p.anchors[0]
		return !slices.ContainsFunc(p.anchors, func(a [2]int) bool {
			title, day := run[at(a)], run[a[0]]
			return !title.plain() || title.item != run[at(first)].item || day.item != run[first[0]].item
		})
	}
	switch {
	case above == 0 && times > 0 && between > 0 && (from == 1 || n > 1 || run[0].gap) && tail > 0 && titled(func(a [2]int) int { return a[1] }) && !placeLine(run[p.anchors[0][1]].text):
		p.timed = 2
		return p
	case above == 0, n > 1 && tail == between && tail > 0 && above != between: // the day is above its title
		return poster{}
	case n > 1 && tail >= between && tail > 0:
		return poster{}
	case !titled(func(a [2]int) int { return a[0] - above }):
		return poster{}
	case times > 0:
		p.timed = 1
	}
	p.above = above
	return p
}

// joined gives the lines of a paragraph with each time and its title in one, and with the
// place that stands between them or below.
func (p poster) joined(run []unit) (out []unit) {
	at := 0
	for n, a := range p.anchors {
		title := p.title(a)
		begin, end, next := min(title, a[0]), max(title+1, a[1]), len(run)
		if n+1 < len(p.anchors) {
			next = min(p.title(p.anchors[n+1]), p.anchors[n+1][0])
		}
		out = append(out, run[at:begin]...)
		one := run[a[0]]
		one.gap, one.line = run[begin].gap, run[begin].line
		one.text += " " + run[title].text
		var others []unit
		for i := begin; i < next; i++ {
			switch {
			case i == title || i == a[0]:
			case i <= end && placeLine(run[i].text):
				one.place = tidy(run[i].text)
			default:
				others = append(others, run[i])
			}
		}
		out = append(append(out, one), others...)
		at = next
	}
	return out
}

// title gives the line of an anchor's title.
func (p poster) title(a [2]int) int {
	if p.timed == 2 {
		return a[1]
	}
	return a[0] - p.above
}

// headed gives the lines of a paragraph with the titles as headings, each directly above its
// day.
func (p poster) headed(run []unit) (out []unit) {
	at := 0
	for _, a := range p.anchors {
		title := a[0] - p.above
		out = append(out, run[at:title]...)
		head := run[title]
		head.level = posterLevel
		out = append(append(append(out, head), run[a[0]:a[1]]...), run[title+1:a[0]]...)
		at = a[1]
	}
	return append(out, run[at:]...)
}

// posterLevel is below every heading that a text marks as one.
const posterLevel = 9

// underPoster tells whether what is read stands below such a title.
func (d *document) underPoster() bool { return len(d.headings) == posterLevel }

// plain tells whether a unit can be a title and nothing else.
func (u *unit) plain() bool {
	colon := strings.HasSuffix(u.text, ":") && len(strings.Fields(u.text)) > 4 // Please note that these do not run:
	return u.level == 0 && !colon && !u.sentence && !u.struck && len(u.fields) == 0 && len(u.text) < 90 && meaningful(u.text) && !phraseAt(u.text, addressed) && !SaysDay(u.text) && !SaysTime(u.text)
}

// placeLine tells whether a line beside a day is a place: Quay 4, Pilot House.
func placeLine(text string) bool {
	return onlyPlace().MatchString(text) || len(strings.Fields(text)) < 5 && placelike(text) && housed().MatchString(text)
}

// housed is a place by the noun that its name ends with, or begins with in some languages.
var housed = pattern.Lazy(`(?i)(?:house|hall|room|shed|office|chambers?|cent(?:re|er)|club|museum|school|church|library|theat(?:re|er)|park|square|garden|hotel|inn|pub|marina|pavilion|haus|halle|saal|amt|büro|platz|schule|kirche|huis|zaal|kantoor|plein|kerk)$|^(?:maison|salle|bureau|mairie|école|église|place|casa|sala|oficina|plaza|escuela|iglesia|ufficio|piazza|scuola|chiesa|igreja|escola|praça|escritório|hotel|hôtel)\s`)

// bare tells whether a unit says days, or times without a day, and nothing else.
func (d *document) bare(u unit) (day, time bool) {
	if len(u.fields) > 0 {
		for _, f := range u.fields {
			switch labelOf(f.Label) {
			case "what":
				return false, false
			case "when", "date", "start":
				day = day || SaysDay(f.Value)
			}
		}
		return day, false
	}
	if len(u.text) > 100 {
		return false, false
	}
	r := &reader{text: u.text, toks: scan(u.text)}
	spans := (&document{set: d.set, year: d.year, order: d.order, years: d.years}).spans(r, u)
	for _, s := range spans {
		day, time = day || s.kind == 'd', time || s.kind == 't'
		if s.kind == 'd' && s.dates.days[0].relative {
			return false, false
		}
	}
	for i := range r.toks {
		if !within(spans, i) && !r.onlyLinks(i, i+1) {
			return false, false
		}
	}
	return day, time
}
