package notice

// quarters reads what some languages put behind an hour: et demie, y cuarto, meno
// un quarto.
func (r *reader) quarters(c clock, i int) (clock, int) {
	joins := list("et y e und")
	less := list("moins menos meno")
	n := i
	sign := 0
	switch {
	case r.word(n, joins):
		sign = 1
	case r.word(n, less):
		sign = -1
	}
	if sign != 0 {
		n++
	}
	article := n
	for sign != 0 && r.word(n, list("le un una o um")) {
		n++
	}
	minutes := 0
	switch text := r.tok(n).text; {
	case sign == 0:
	case list("demie demi media mezza mezzo meia halb").has(text):
		minutes = 30
	case text == "quart" || text == "cuarto" || text == "quarto":
		minutes = 15
	case text == "tre" && r.tok(n+1).text == "quarti":
		minutes, n = 45, n+1
	case sign > 0 && n == article && (text == "30" || text == "45") && r.is(n, 'n') && !r.is(n+1, ':') && !r.word(n+1, hourWords): // a las 10 y 30
		minutes = r.tok(n).num
	}
	if minutes == 0 {
		m, end := r.minutesInWords(article)
		if m == 0 {
			return c, i
		}
		minutes, n = m, end-1
	}
	if sign < 0 {
		c.hour, minutes = c.hour-1, 60-minutes
	}
	c.minute, c.bare = minutes, true
	return c, n + 1
}

// minutesInWords reads the minutes that are said behind an hour: onze heures vingt, las once
// y treinta y cinco, ten forty-five. A number before what it counts is none, as in at ten
// twenty boats.
func (r *reader) minutesInWords(i int) (minutes, end int) {
	if !r.is(i, 'w') && !(r.is(i, 'n') && r.word(i-1, list("moins menos meno")) && r.tok(i).num%5 == 0) {
		return 0, 0
	}
	minutes, end = numberWords.number(r.tok(i).text), i+1
	if r.is(i, 'n') {
		minutes = r.tok(i).num
	}
	if minutes%5 != 0 { // a las diez y once are two times
		return 0, 0
	}
	if ones := numberWords.number(r.tok(end + 1).text); minutes >= 20 && minutes%10 == 0 && (r.word(end, list("y e")) || r.is(end, '-')) && r.is(end+1, 'w') && ones > 0 && ones < 10 {
		minutes, end = minutes+ones, end+2
	}
	if minutes == 0 || minutes > 59 || r.is(end, 'w') && !smallWords.has(r.tok(end).text) && !r.word(end, dayLinks) && !r.word(end, rangeWords) && !r.word(end, atWords) && !r.word(end, minuteWords) && !morningWords.has(r.tok(end).text) && !afternoonWords.has(r.tok(end).text) && !eveningWords.has(r.tok(end).text) && !r.isHalf(end) && r.weekday(end) == 0 && r.month(end) == 0 {
		return 0, 0
	}
	return minutes, end
}

// spoken reads half past two, viertel vor vier, kwart over drie.
func (r *reader) spoken(i int) (clock, int) {
	hourAt := func(n int) (int, int) {
		h := numberOf(r.tok(n))
		switch {
		case r.word(n, noonWords):
			return 12, n + 1
		case r.word(n, midnightWords):
			return 24, n + 1
		case h < 1 || h > 12 || r.tok(n).text == "a" || r.tok(n).text == "an":
			return 0, 0
		}
		if r.word(n+1, hourWords) {
			return h, n + 2
		}
		return h, n + 1
	}
	make := func(h, minutes, end int) (clock, int) {
		if minutes < 0 {
			h, minutes = h-1, minutes+60
		}
		if h == 0 {
			h = 12
		}
		c, e := r.halfOfDay(clock{hour: h, minute: minutes, bare: true}, end)
		return c, e
	}
	t := r.tok(i)
	n := i
	if t.text == "a" && r.tok(i+1).text == "quarter" || r.word(i, list("um un")) && r.word(i+1, list("quarto cuarto")) {
		n++
	}
	minutes, known := 0, false
	switch text := r.tok(n).text; {
	case text == "half" && (r.tok(n+1).text == "past"):
		if h, end := hourAt(n + 2); end > 0 {
			return make(h, 30, end)
		}
	case text == "half" && (r.dutch() || r.is(n+1, 'w') && !englishHours.has(r.tok(n+1).text)): // half vier
		if h, end := hourAt(n + 1); end > 0 {
			return make(h, -30, end)
		}
	case text == "half" && (r.is(n+1, 'w') || r.is(n+1, 'n') && !r.is(n+2, 'w')): // half two, as some say
		if h, end := hourAt(n + 1); end > 0 && r.tok(n+1).text != "an" && r.tok(n+1).text != "one" {
			return make(h, 30, end)
		}
	case text == "halb":
		if h, end := hourAt(n + 1); end > 0 {
			return make(h, -30, end)
		}
	case text == "dreiviertel":
		if h, end := hourAt(n + 1); end > 0 {
			return make(h, -15, end)
		}
	case text == "drei" && r.tok(n+1).text == "viertel":
		if h, end := hourAt(n + 2); end > 0 {
			return make(h, -15, end)
		}
	case text == "quarter" || text == "viertel" || text == "kwart" || (text == "quarto" || text == "cuarto") && r.tok(n+1).text == "para":
		minutes, known = 15, true
	default:
		if m := numberOf(r.tok(n)); (m == 5 || m == 10 || m == 20 || m == 25 || m == 15 && r.tok(n+1).text == "para") && r.tok(n).text != "a" {
			minutes, known = m, true
			if minuteWords.has(r.tok(n + 1).text) {
				n++
			}
		}
	}
	if !known {
		return clock{}, 0
	}
	if r.word(n+1, list("nach over vor voor")) && (r.tok(n+2).text == "halb" || r.tok(n+2).text == "half") { // zehn nach halb elf
		if r.word(n+1, list("vor voor")) {
			minutes = -minutes
		}
		if h, end := hourAt(n + 3); end > 0 {
			return make(h, minutes-30, end)
		}
	}
	if r.tok(n+1).text == "para" && r.word(n+2, list("a as la las o")) { // dez para as onze
		if h, end := hourAt(n + 3); end > 0 && !r.things(end) {
			return make(h, -minutes, end)
		}
	}
	switch r.tok(n + 1).text {
	case "past", "nach", "over", "after":
		if h, end := hourAt(n + 2); end > 0 {
			return make(h, minutes, end)
		}
	case "to", "vor", "voor", "before":
		if h, end := hourAt(n + 2); end > 0 && (r.is(n, 'w') || minutes != 15 && r.is(n+2, 'w') && !r.word(n+2, noonWords) && !r.word(n+2, midnightWords)) { // 10 to noon is a range
			return make(h, -minutes, end)
		}
	}
	return clock{}, 0
}

// englishHours are the hours that English has words for.
var englishHours = words("one two three four five six seven eight nine ten eleven twelve")

// dutch tells whether a text is in Dutch, where half twee is half past one.
func (r *reader) dutch() bool {
	for _, t := range r.toks {
		switch t.text {
		case "uur", "om", "het", "tot", "maart", "mei", "vanaf", "tussen", "januari", "februari", "augustus", "een", "twee", "drie", "vijf", "zes", "zeven", "acht", "negen", "tien", "twaalf", "morgen", "vrijdag", "maandag", "dinsdag", "woensdag", "donderdag", "zaterdag", "zondag", "kunnen", "we":
			if t.text != "we" && t.text != "om" {
				return true
			}
		}
	}
	return false
}

// german tells whether a text is in German, where am leads to a day or a place.
func (r *reader) german() bool {
	for i := range r.toks {
		if r.word(i, list("der die das und um wir ist im dem den uhr zum zur vom bei für mit nicht auf werden wird")) {
			return true
		}
	}
	return false
}
