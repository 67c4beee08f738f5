package moment

import (
	_ "embed" // the words are a data file
	"slices"
	"strconv"
	"strings"
	"sync"
)

//go:embed words.tsv
var wordData string

// sense is everything a word can mean; several at once ("mar" is March and
// Tuesday) until its neighbours tell.
type sense struct {
	month    int       // 1–12, 0 for none
	weekdays uint8     // bit d: can be weekday d; two-letter forms differ by language
	days     dayset    // the same by language
	langs    Languages // of the month and the weekdays
	count    int       // a number word
	is       kindSet
}

// Languages is a set of the languages whose words are known. The zero value is
// any of them.
type Languages uint8

var languageNames = []string{"en", "fr", "de", "es", "it", "pt", "nl"}

const allLanguages Languages = 1<<7 - 1

// Language gives the language of a code such as de.
func Language(code string) Languages {
	if i := slices.Index(languageNames, code); i >= 0 {
		return 1 << i
	}
	return 0
}

func (l Languages) String() string {
	var out []string
	for i, name := range languageNames {
		if l&(1<<i) != 0 {
			out = append(out, name)
		}
	}
	return strings.Join(out, ", ")
}

// dayset has a bit for each weekday in each language, seven a language.
type dayset uint64

// in gives the weekdays that are meant in the languages, or in any where these
// do not have the word.
func (d dayset) in(l Languages) (days uint8) {
	var all uint8
	for i := range languageNames {
		set := uint8(d>>(7*i)) & 0x7f
		if all |= set; l&(1<<i) != 0 {
			days |= set
		}
	}
	if days == 0 {
		return all
	}
	return days
}

type kindSet uint32

const (
	isRange kindSet = 1 << iota
	isLink
	isNoon
	isMidnight
	isAM
	isPM
	isHour
	isMinute
	isDay
	isWeek
	isToday
	isTomorrow
	isYesterday
	isNext
	isThis
	isIn
	isTonight
	isOpen // begins a range
	isAnd  // stands between two of several
)

var kindWords = map[string]kindSet{
	"range": isRange, "link": isLink, "noon": isNoon, "midnight": isMidnight, "am": isAM, "pm": isPM, "hour": isHour, "minute": isMinute,
	"day": isDay, "week": isWeek, "today": isToday, "tomorrow": isTomorrow, "yesterday": isYesterday, "next": isNext, "this": isThis, "in": isIn, "tonight": isTonight, "open": isOpen, "and": isAnd,
}

// senses maps each lower-case word to what it can mean.
var senses = sync.OnceValue(func() map[string]sense {
	out := map[string]sense{}
	for line := range strings.Lines(wordData) {
		parts := strings.Split(strings.TrimSpace(line), "\t")
		if strings.HasPrefix(line, "#") || len(parts) != 3 {
			continue
		}
		value, _ := strconv.Atoi(parts[1])
		language := 0
		for word := range strings.FieldsSeq(parts[2]) {
			if code, ok := strings.CutSuffix(word, ":"); ok {
				language = slices.Index(languageNames, code)
				continue
			}
			s := out[word]
			switch parts[0] {
			case "month":
				s.month = value
				s.langs |= 1 << language
			case "weekday":
				s.weekdays |= 1 << value
				s.days |= 1 << (7*language + value)
				s.langs |= 1 << language
			case "count":
				s.count = value
			default:
				s.is |= kindWords[parts[0]]
			}
			out[word] = s
		}
	}
	return out
})
