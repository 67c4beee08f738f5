package notice

// evening tells whether a word is one for the evening, and no French verb: la réunion sera à 9 h.
func (r *reader) evening(i int) bool {
	apart := (i == 0 || r.is(i-1, ',')) && (r.is(i+1, ':') || r.is(i+1, ',') || r.word(i+1, list("del dell di")) || i+1 == len(r.toks))
	return r.word(i, eveningWords) && (r.tok(i).text != "sera" || apart || r.word(i-1, beforeSera))
}

// beforeSera are the words in front of an Italian evening.
var beforeSera = words(`la di questa alla della in domani dopodomani ieri ogni lunedì lunedi martedì martedi mercoledì mercoledi giovedì giovedi venerdì venerdi sabato domenica gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre`)

// afternoon tells whether a word is one for the afternoon, and does not say that something is
// late: la reunión empieza tarde, a las 9.
func (r *reader) afternoon(i int) bool {
	prev := r.tok(i - 1)
	return r.word(i, afternoonWords) && (r.tok(i).text != "tarde" || i == 0 || prev.kind != 'w' || r.weekday(i-1) != 0 || r.month(i-1) != 0 || todayWords.has(prev.text) || tomorrowWords.has(prev.text) || r.word(i-1, list("la da de à a esta essa esa na pela por cada toda una uma")))
}

// partBefore tells which half of the day the words before a time are of: tomorrow
// morning at 9, Thursday afternoon at 3, tonight at 8.
func (r *reader) partBefore(i int) int {
	for n := i - 1; n >= max(0, i-3); n-- {
		t := r.tok(n)
		switch {
		case t.kind != 'w' && t.kind != ',':
			return 0
		case r.word(n, tonightWords):
			return 2
		case t.text == "mañana" && r.tok(n-1).text != "la", t.text == "morgen":
			return 0
		case r.word(n, morningWords) && (r.tok(n-1).kind == 'w' || n == 0):
			return 1
		case (r.afternoon(n) || r.evening(n)) && !r.word(n, noonWords):
			return 2
		}
	}
	return 0
}

// partOfDay reads what behind a time says which half of the day it is of.
func (r *reader) partOfDay(c clock, end int) (clock, int) {
	n := end
	if r.tok(n).text == "on" {
		n++
	}
	if tomorrowWords.has(r.tok(n).text) && r.tok(n).text != "morgen" || todayWords.has(r.tok(n).text) || r.weekday(n) != 0 { // at 5 tomorrow morning
		switch {
		case r.word(n+1, morningWords):
			c.half = 1
		case r.word(n+1, afternoonWords), r.evening(n + 1):
			c.half = 2
		}
		if c.hour == 12 && c.half == 2 && r.tok(n+1).text == "night" {
			c.half = 0
		}
		return c, end
	}
	n = end
	for r.word(n, list("in the am des du de del di la della da the 's at")) {
		n++
	}
	if r.is(n, '\'') && r.tok(n+1).text == "s" { // 10 uur 's avonds
		n += 2
	}
	if r.word(n, list("l'après après")) && r.is(n+1, '-') && r.tok(n+2).text == "midi" && c.half == 0 { // 3 h de l'après-midi
		c.half = 2
		return c, n + 3
	}
	if c.half != 0 && n == end { // 10 p.m. Night tour
		return c, end
	}
	if n > end || r.tok(n).kind == 'w' {
		switch {
		case r.word(n, morningWords) && (n > end || r.tok(n).text != "morgen"):
			if c.half = 1; c.hour == 12 { // las 12 de la mañana are noon
				c.half = 2
			}
		case r.word(n, afternoonWords), r.evening(n):
			c.half = 2
		default:
			return c, end
		}
		if c.half == 2 && r.word(n, nightWords) && (c.hour == 12 || c.hour < 6) { // las 2 de la noche
			c.half = 1
		}
		return c, n + 1
	}
	return c, end
}
