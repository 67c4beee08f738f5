package zone

import (
	"slices"
	"strings"

	"almanach/internal/core/pattern"
)

// Here is what OfAll and Stated give for the clocks of the place.
const Here = "local"

const (
	zoneWords = `utc ?[-+−] ?\d{1,2}(?::?\d\d)?|gmt ?[-+−] ?\d{1,2}(?::?\d\d)?|utc|gmt|zulu|cest|cet|west|wet|bst|ist|eest|eet|mesz|mez|est|edt|cst|cdt|mst|mdt|pst|pdt|local(?: time)?|lokalzeit|ortszeit|lt`
	allTimes  = `(?:all times|times|all hours|alle (?:zeiten|uhrzeiten)|zeiten|uhrzeiten|(?:toutes les )?heures|(?:todas las |todas as )?horas|(?:todos los )?horarios|(?:todos os )?horários|(?:tutti gli )?orari|alle tijden|tijden)`
	joining   = `(?: are| given| shown| stated| in| en| em| sind| angaben| exprimées| indicadas| indicati| zijn|,|:)*`
)

var (
	ofAll    = pattern.Lazy(`(?i)\b` + allTimes + `\b` + joining + `\s*\(?(` + zoneWords + `|[a-z]{4,}/[a-z_]{3,}(?:/[a-z_]{3,})?)(?:$|[^\pL\d])`)
	labelled = pattern.Lazy(`(?i)\b(?:time ?zone|tz|zeitzone|fuseau(?: horaire)?|zona horaria|huso horario|fuso orario|fuso horário|tijdzone)\s*(?:[:=]\s*(\S.{0,40})|(?:[:=–-]| is| ist| est| es| è| é)*\s*(` + zoneWords + `|[a-z]{4,}/[a-z_]{3,}(?:/[a-z_]{3,})?))$`)
	inBraces = pattern.Lazy(`[(\[]\s*((?i:utc ?[-+−] ?\d{1,2}(?::?\d\d)?|gmt ?[-+−] ?\d{1,2}(?::?\d\d)?|utc|gmt|zulu)|CEST|CET|EEST|EET|MESZ|MEZ|BST|EDT|PDT)\s*[)\]]`)
	bare     = pattern.Lazy(`(?:^|[–—,:-]\s*|\b(?i:in|en|em|time|times|zeit|heure|hora|ora|tijd)\s+)(UTC|GMT)\s*$`)
	clock    = pattern.Lazy(`(?i)\d[:.h]\d\d|\d{4} ?(?:utc|gmt)|\d ?(?:am|pm|h|hrs|uhr|uur)\b|\bnoon\b|\bmidnight\b`)
)

// OfAll gives the zone that a text says all its times are in: UTC of all times UTC, local of
// times are local; "" for none.
func OfAll(text string) string {
	if m := ofAll().FindStringSubmatch(text); m != nil {
		return Called(m[1])
	}
	return ""
}

// Stated gives the zone that a note says the times of a table are in, as OfAll does, or as
// Time zone: Europe/Lisbon does; "" for none.
func Stated(text string) string {
	if low := strings.ToLower(text); len(text) > 200 || !slices.ContainsFunc(hints, func(h string) bool { return strings.Contains(low, h) }) {
		return ""
	}
	if name := OfAll(text); name != "" {
		return name
	}
	if m := labelled().FindStringSubmatch(text); m != nil {
		return Called(m[1] + m[2])
	}
	return ""
}

// hints are what one of is in every text that says a zone.
var hints = []string{"utc", "gmt", "zulu", "zon", "tz", "fus", "times", "hours", "zeiten", "heures", "hor", "orari", "tijden"}

// Titled does as Stated does for the title of a table, which may also be Berth plan (UTC). A
// time of day beside it is when the table was made.
func Titled(text string) string {
	if name := Stated(text); name != "" || len(text) > 200 || clock().MatchString(text) {
		return name
	}
	if m := inBraces().FindStringSubmatch(text); m != nil {
		return Called(m[1])
	}
	if m := bare().FindStringSubmatch(text); m != nil {
		return m[1]
	}
	return ""
}

var (
	isName   = pattern.Lazy(`^(?:(?i:utc|gmt)(?: ?[-+−] ?\d{1,2}(?::?\d\d)?)?|(?:Africa|America|Antarctica|Arctic|Asia|Atlantic|Australia|Etc|Europe|Indian|Pacific)/\S+)$`)
	isOffset = pattern.Lazy(`^[-+−]\d{1,2}(?::?\d\d)?$`)
)

// IsName tells whether a text is a name of a time zone and can be nothing else: Europe/Lisbon,
// UTC+1, CET in capitals.
func IsName(text string) bool {
	return isName().MatchString(text) || text == strings.ToUpper(text) && OneClock(text)
}

// IsOffset tells whether a text has the form of an offset from UTC: +01:00, -3.
func IsOffset(text string) bool { return isOffset().MatchString(text) }

// Called gives a zone as a text calls it, without a stop behind it; Here for local time and
// the like.
func Called(name string) string {
	name = strings.TrimRight(strings.TrimSpace(name), ".,;)")
	switch low := strings.ToLower(name); {
	case strings.HasPrefix(low, "local"), strings.HasPrefix(low, "lokal"), low == "ortszeit", low == "lt":
		return Here
	case strings.Contains(name, "/"):
		return name
	case len(name) < 10:
		return strings.ToUpper(name)
	}
	return name
}
