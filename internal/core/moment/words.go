package moment

import (
	_ "embed" // the words are a data file
	"strconv"
	"strings"
	"sync"
)

//go:embed words.tsv
var wordData string

// sense is everything a word can mean; several at once ("mar" is March and
// Tuesday) until its neighbours tell.
type sense struct {
	month    int   // 1–12, 0 for none
	weekdays uint8 // bit d: can be weekday d; two-letter forms differ by language
	count    int   // a number word
	is       kindSet
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
		for word := range strings.FieldsSeq(parts[2]) {
			s := out[word]
			switch parts[0] {
			case "month":
				s.month = value
			case "weekday":
				s.weekdays |= 1 << value
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
