package notice

import (
	"slices"
	"strings"
)

// rangeOfThings tells whether a range of bare numbers counts what follows it: 9-12 years, two to
// three boats.
func (r *reader) rangeOfThings(i int) bool {
	number := func(i int) bool {
		return r.is(i, 'n') || r.is(i, 'w') && numberWords.number(r.tok(i).text) > 0
	}
	return number(i) && (r.is(i+1, '-') || r.word(i+1, rangeWords)) && number(i+2) && r.things(i+3)
}

// measureNouns stand before what they measure: depth 12.30, scale 1:50.
var measureNouns = words(`scale depth draft draught height beam width ukc loa maßstab tiefgang breite échelle tirant calado manga escala pescaggio scala boca diepgang schaal`)

// things tells whether a token is of things that are counted, and not of one by its number:
// berths 3 and 4.
func (r *reader) things(i int) bool {
	return r.word(i, thingWords) && !r.is(i+1, 'n') && !(r.is(i+1, 'w') && len(r.tok(i+1).text) == 1)
}

// thingWords are things that are counted, measured or aged.
var thingWords = words(`year years yrs jahre jahren ans années años anni anos jaar person persons people personen personnes personas persone pessoas
	berths ships vessels teams guests members visitors tugs buoys lessons sessions trips tours containers trucks tickets seats copies pages crews barges yachts groups
	schiffe schiffen liegeplätze liegeplätzen gruppen gäste gästen mitglieder mitgliedern besucher besuchern bojen karten
	navires bouées équipes membres visiteurs invités groupes billets buques boyas equipos miembros visitantes invitados grupos entradas
	navi boe squadre membri visitatori ospiti gruppi biglietti navios boias equipas membros convidados bilhetes schepen boeien leden bezoekers gasten groepen kaartjes lanchas bateaux
	boat boats boote booten bateaux barcos barche barcos boten place places plätze plazas posti lugares plaatsen knot knots kn knoten nœuds nudos nodi nós knopen
	km metres meters meter mètres metros metri cm mm tonnes tons tonnen toneladas tonnellate ton degrees grad degrés grados gradi graus graden participants teilnehmer pupils children kinder enfants niños bambini crianças kinderen`)

// mayCount tells whether the number of a time, which stands at token i, may say how many there
// are of what is behind it: at 3 berths, a las dos lanchas, bitte um 2 Termine.
func (r *reader) mayCount(i int, c clock) bool {
	if i < 0 || !c.bare || c.half > 0 || c.sure {
		return false
	}
	n := i
	for r.word(n, atWords) {
		n++
	}
	next := r.tok(n + 1)
	if n == i || next.kind != 'w' || !next.gap || smallWords.has(next.text) || dayLinks.has(next.text) || hourWords.has(next.text) || noThings.has(next.text) {
		return false
	}
	if r.things(n + 1) {
		return true
	}
	for _, k := range []int{i - 1, i - 2} { // geht es um
		if r.word(k, countVerbs) && (k == i-1 || r.word(i-1, list("es sich het"))) {
			return true
		}
	}
	ends := func(list ...string) bool {
		return slices.ContainsFunc(list, func(end string) bool { return strings.HasSuffix(next.text, end) })
	}
	switch r.tok(n - 1).text {
	case "à":
		return c.hour > 1 && ends("s", "x") && !sharpWords.has(next.text)
	case "las":
		return c.hour > 1 && ends("s") && !r.word(n-2, list("a de desde hasta sobre entre"))
	case "alle":
		return c.hour > 1 && ends("i", "che", "ghe")
	}
	return false
}

// noThings are words that end as things do of which there are several.
var noThings = words(`menos moins mas más mais pues dans avec sans chez vers sous dès après puis tous toutes vous nous gracias todos todas ustedes vosotros`)

// countVerbs are verbs whose at word is none of a time.
var countVerbs = words(`look looks looking bitte bitten bittet bat geht gaat gaan handelt handeln kümmert kümmern vragen vraagt verzoek verzoeken verzoekt denk denken participer participe participent assister assiste assistent partecipare partecipa partecipano asistir asiste asisten participar participa participam assistir`)
