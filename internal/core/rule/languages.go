package rule

import (
	"maps"
	"slices"
	"strings"
	"sync"
	"time"
)

// translation is what words of French, German, Spanish, Italian, Portuguese and Dutch are
// in the grammar, a line each: the English word, "-" for none, and the others. "|" stands
// between words of several parts.
const translation = `
every: jeden jede jedes jeder alle chaque cada ogni elke iedere tous|les toutes|les todos|los todas|las tutti|i tutte|le todos|os todas|as
daily: täglich tgl quotidien quotidiennement diario diariamente a|diario giornaliero giornalmente diário diária dagelijks
weekly: wöchentlich hebdomadaire semanal semanalmente settimanale settimanalmente wekelijks
monthly: monatlich mensuel mensual mensualmente mensile mensilmente mensal mensalmente maandelijks
yearly: jährlich annuel anual anualmente annuale annualmente jaarlijks
quarterly: vierteljährlich trimestriel trimestral trimestrale
fortnightly: 14-tägig 14-tägl vierzehntägig 14-tägiger
day: tag tage tagen jour jours día días dia dias giorno giorni dag dagen
week: woche wochen semaine semaines semana semanas settimana settimane weken
month: monat monate monaten mois mes meses mese mesi mês maand maanden
year: jahr jahre jahren an ans année années año años anno anni ano anos jaar jaren
2: zwei deux dos due dois duas twee
3: drei trois tres tre três drie
4: vier quatre cuatro quattro quatro
first: erster ersten erste erstes premier première primer primero primera primo prima primeiro primeira eerste 1er 1º 1ª 1° 1e
second: zweiter zweiten zweite zweites deuxième segundo segunda|vez secondo seconda tweede 2º 2ª 2° 2e
third: dritter dritten dritte drittes troisième tercer tercero tercera terzo terza terceiro terceira derde 3º 3ª 3° 3e
fourth: vierter vierten vierte viertes quatrième cuarto cuarta quarto vierde 4º 4ª 4° 4e
last: letzter letzten letzte letztes dernier dernière último última ultimo ultima laatste
times: mal fois veces volte vezes keer
of|the|month: im|monat des|monats eines|monats jeden|monats du|mois de|chaque|mois del|mes de|cada|mes del|mese di|ogni|mese do|mês de|cada|mês van|de|maand per|maand
and: und u et y e en
until: bis jusqu'au jusqu'à hasta|el hasta|los hasta fino|al fino|a até|a até|ao até tot|en|met t/m tot
to: au à al ao a
-: am an jeweils le les el los la las il i o os as às op de du der den dem des vom von dal dalla da do dos van het im in per par por
`

// glossary is the translation by the foreign words.
var glossary = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	for line := range strings.Lines(strings.TrimSpace(translation)) {
		english, foreign, _ := strings.Cut(strings.TrimSpace(line), ": ")
		for word := range strings.FieldsSeq(foreign) {
			out[strings.ReplaceAll(word, "|", " ")] = strings.ReplaceAll(english, "|", " ")
		}
	}
	return out
})

// longest is how many parts a word of the glossary has at most.
var longest = sync.OnceValue(func() (n int) {
	for word := range maps.Keys(glossary()) {
		n = max(n, len(strings.Fields(word)))
	}
	return n
})

// translated gives a recurrence that is written in another language in English. What it
// has no word for stays as it is, and so does what stands behind until.
func translated(text string, day func(string) (time.Weekday, bool)) string {
	isDay := func(word string) bool {
		if day == nil {
			return false
		}
		_, ok := namedDay(strings.Trim(word, ",;."), day)
		return ok
	}
	words := strings.Fields(strings.NewReplacer("/", " / ", "&", " & ").Replace(strings.ReplaceAll(text, "t/m", "tot en met")))
	var out []string
	for i := 0; i < len(words); {
		english, n := "", 0
		for n = min(longest(), len(words)-i); n > 0; n-- {
			var ok bool
			if english, ok = glossary()[strings.ToLower(strings.Trim(strings.Join(words[i:i+n], " "), ",;."))]; ok {
				break
			}
		}
		next := ""
		if i+n < len(words) {
			next = words[i+n]
		}
		before := i > 0 && isDay(words[i-1])
		switch {
		case n == 1 && isDay(words[i]) && !(english == "and" || english == "to") || n == 0:
			out = append(out, ordinalFigure(words[i]))
			n = 1
		case english == "-", english == "to" && !(before && isDay(next)):
		case english == "until" && before && isDay(next):
			out = append(out, "to")
		case english == "until":
			return strings.Join(append(append(out, "until"), words[i+n:]...), " ")
		default:
			out = append(out, english)
		}
		i += n
	}
	return strings.Join(out, " ")
}

// ordinalFigure makes 2nd of "2.".
func ordinalFigure(word string) string {
	digits, ok := strings.CutSuffix(word, ".")
	if !ok || digits == "" || strings.Trim(digits, "0123456789") != "" {
		return word
	}
	return digits + "th"
}

// namedDay finds a weekday by its name in any language, one of several of them too:
// dienstags, lundis, terças.
func namedDay(word string, day func(string) (time.Weekday, bool)) (time.Weekday, bool) {
	word = strings.ToLower(word)
	for _, form := range slices.Compact([]string{word, strings.TrimSuffix(word, "s"), strings.TrimSuffix(word, "en")}) {
		if d, ok := day(form); ok && len(form) > 1 {
			return d, true
		}
	}
	return 0, false
}
