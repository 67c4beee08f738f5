package notice

import (
	"slices"
	"strings"
	"unicode"

	"almanach/internal/core/pattern"
	"almanach/internal/core/zone"
)

// fullTime is a time that only a clock of 24 hours has.
var fullTime = pattern.Lazy(`(?i)\b(?:1[3-9]|2[0-3])(?:[:.hu][0-5]\d\b|[0-5]\d ?(?:h|hrs|hours|lt|utc|z)\b|[hu]\b| ?(?:uhr|uur|h)\b)|\b(?:alle|ore|a las|às|om|kl\.?) (?:1[3-9]|2[0-3])\b`)

// leadingTime is a time of four figures at the beginning of a line.
var leadingTime = pattern.Lazy(`^\s*(?:[-–•*]\s*)?((?:[01]\d|2[0-3])[0-5]\d)(?:\s+[^\d\s.:/-]|\s*[-–]\s*\d{4}\s)`)

// trailingTime is one at the end of a line, behind a word.
var trailingTime = pattern.Lazy(`\p{L}\s+((?:[01]\d|2[0-3])[0-5]\d)\s*$`)

// headingZone gives the zone that the headings of a table say. Two of them are given together, and
// are none, so that what stands below is held.
func headingZone(lines []Line) string {
	var found []string
	seen := map[string]bool{}
	for _, l := range lines {
		for _, f := range l.Fields {
			if seen[f.Label] {
				continue
			}
			seen[f.Label] = true
			if name := zone.Titled(f.Label); name != "" && !slices.Contains(found, name) {
				found = append(found, name)
			}
		}
	}
	return strings.Join(found, " / ")
}

// titles is how many lines at the top of a text can be its title.
const titles = 3

// learn finds the order of day and month that the whole of a text shows.
func (d *document) learn(lines []Line) {
	for i, l := range lines {
		if d.zone != "" {
			break
		}
		if d.zone = zone.Stated(l.Text); i < titles && d.zone == "" {
			d.zone = zone.Titled(l.Text)
		}
	}
	if d.zone == "" {
		d.zone = zone.Titled(d.set.Subject)
	}
	if d.zone == "" {
		d.zone = headingZone(lines)
	}
	d.years = map[int]int{}
	first, sure := 0, false
	last, trails := 0, false
	for _, l := range lines {
		if strings.Contains(l.Text, "20") {
			r := &reader{text: l.Text, toks: scan(l.Text)}
			for i := range r.toks {
				if one, end := r.numeric(i); end > 0 && one.year > 0 {
					d.years[one.year]++
				}
			}
		}
		if m := leadingTime().FindStringSubmatch(l.Text); m != nil {
			first++
			sure = sure || m[1][0] == '0'
		}
		if m := trailingTime().FindStringSubmatch(l.Text); m != nil {
			last++
			trails = trails || m[1][0] == '0'
		}
	}
	d.leads, d.trails = first > 1 && sure, last > 1 && trails
	for _, l := range lines {
		d.full = d.full || fullTime().MatchString(l.Text)
	}
	d.order = d.set.Order
	if d.order != 0 {
		return
	}
	seen := 0
	for _, l := range lines {
		texts := []string{l.Text}
		for _, f := range l.Fields {
			texts = append(texts, f.Value)
		}
		for _, text := range texts {
			if !strings.ContainsAny(text, "/-") {
				continue
			}
			r := &reader{text: text, toks: scan(text)}
			for i, t := range r.toks {
				s, u := r.tok(i+1), r.tok(i+2)
				if t.kind != 'n' || u.kind != 'n' || s.kind != '/' && s.kind != '-' || len(t.text) > 2 || len(u.text) > 2 || r.is(i-1, '/') || r.is(i-1, '-') {
					continue
				}
				if !r.is(i+3, s.kind) && (s.kind != '/' || t.num == 24 && u.num == 7 || t.gap && r.is(i-1, 'n')) { // without a year only 14/3, and not 24/7 or 1 1/2
					continue
				}
				switch {
				case t.num > 12 && t.num <= 31 && u.num <= 12:
					seen |= 1
				case u.num > 12 && u.num <= 31 && t.num <= 12:
					seen |= 2
				}
			}
		}
	}
	if seen != 3 {
		d.order = seen
	}
	if seen == 0 && foreign(lines) { // every language but English writes the day first
		d.order = 1
	}
}

// The small words of a language that tell which one it is.
var (
	english = words(`the and is are of to for with at we you our on in will be this that please from by not`)
	others  = words(`der die das und ist am um von mit für wir sie ihr bitte den zum zur ein eine nicht auf bei le la les des du est et pour avec vous nous votre une dans sur el los las del es para con su por una il lo gli della è alle dal nel sono che do da dos uma com não het een van voor wij zijn te de hasta jusqu'au jusqu'à ihre ihren suo vostra à ao`)
)

// foreign tells whether a text is in another language than English.
func foreign(lines []Line) bool {
	ours, theirs := 0, 0
	count := func(text string) {
		for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && r != '\'' && r != '’' }) {
			if english.has(w) {
				ours++
			}
			if others.has(w) {
				theirs++
			}
		}
	}
	for _, l := range lines {
		if count(l.Text); ours+theirs > 200 {
			break
		}
	}
	return theirs >= 3 && theirs > 2*ours
}
