package moment

import (
	"path"
	"strconv"
	"strings"

	"almanach/internal/core/pattern"
)

// Season is what StatedYear gives for two years that follow each other.
const Season = -1

var (
	figures  = pattern.Lazy(`\d+(?:[./\-–]\d+)*`)
	ofSeason = pattern.Lazy(`^(20\d\d)[/\-–](?:20)?(\d\d)$`)
	ofDate   = pattern.Lazy(`(?i)(?:(?:^|\D)\d{1,2}(?:st|nd|rd|th|er|º|ª|\.)?\s+(?:de |of )?\pL{3,}\.?,?\s+(?:de )?|\pL{3,}\.?\s+\d{1,2}(?:st|nd|rd|th)?,?\s+)$`)
	notOf    = pattern.Lazy(`(?i)(?:since|from|seit|depuis|desde|dal|sinds|version|rev\.?|no\.?|nr\.?|©|\bv)\s*$`)
)

// StatedYear gives the one year that a title says: Berth plan 2027, January to March 2027;
// Season for 2026/27; 0 for none or several. That of a whole date, such as when it was
// printed, does not count.
func StatedYear(text string) int {
	if !strings.Contains(text, "20") || len(text) > 200 {
		return 0
	}
	year := 0
	for _, at := range figures().FindAllStringIndex(text, -1) {
		token, before := text[at[0]:at[1]], text[:at[0]]
		if m := ofSeason().FindStringSubmatch(token); m != nil {
			first, _ := strconv.Atoi(m[1])
			if second, _ := strconv.Atoi(m[2]); second == (first+1)%100 {
				return Season
			}
			token = m[1] // 2027-03, of a month
		}
		if len(token) != 4 || token[:2] != "20" || ofDate().MatchString(before) || notOf().MatchString(before) {
			continue
		}
		y, _ := strconv.Atoi(token)
		if year != 0 && year != y {
			return 0
		}
		year = y
	}
	return year
}

var (
	joins    = pattern.Lazy(`(\d)_(\d)`)
	besideAZ = pattern.Lazy(`(\pL)[_-]+|[_-]+(\pL)`)
)

// NamedYear gives the one year that the name of a file says: berth-plan-2027.csv; Season for
// summer_2026-27.xlsx; 0 for none, and for the day of an export. It can be a number of
// something else.
func NamedYear(file string) int {
	name := path.Base(strings.ReplaceAll(file, "\\", "/"))
	name = strings.TrimSuffix(name, path.Ext(name))
	name = joins().ReplaceAllString(joins().ReplaceAllString(name, "$1-$2"), "$1-$2") // 2026_11_27
	return StatedYear(strings.ReplaceAll(besideAZ().ReplaceAllString(name, "$1 $2"), "_", " "))
}
