package notice

import (
	"strconv"
	"strings"
	"sync"
)

// wordList is a set of words, or a table of them: a number in it is that of the words
// behind it. It is read when it is first needed, for most runs of the program read no
// text. A word of several has low lines between them.
type wordList struct {
	text string
	once sync.Once
	set  map[string]int
}

// words gives a list that is read later.
func words(text string) *wordList { return &wordList{text: text} }

// lists has those that were made, by their texts.
var lists sync.Map

// list gives a list where it is needed. It is made once.
func list(text string) *wordList {
	if known, ok := lists.Load(text); ok {
		return known.(*wordList)
	}
	known, _ := lists.LoadOrStore(text, words(text))
	return known.(*wordList)
}

func (l *wordList) read() {
	l.set = map[string]int{}
	n := 0
	for w := range strings.FieldsSeq(l.text) {
		if number, err := strconv.Atoi(w); err == nil {
			n = number
			continue
		}
		l.set[strings.ReplaceAll(w, "_", " ")] = n
	}
}

// has tells whether a word is of the list.
func (l *wordList) has(word string) bool {
	l.once.Do(l.read)
	_, ok := l.set[word]
	return ok
}

// number gives the number of a word, 0 where it has none.
func (l *wordList) number(word string) int {
	l.once.Do(l.read)
	return l.set[word]
}

// The words of times of day in the languages that package moment knows the months
// and weekdays of.
var (
	numberWords = words(`1 one eins ein une una uno uma een één ein's
		2 two zwei zwo deux dos due dois duas twee  3 three drei trois tres tre três drie  4 four vier quatre cuatro quattro quatro
		5 five fünf fuenf cinq cinco cinque vijf  6 six sechs seis sei zes  7 seven sieben sept siete sette sete zeven  8 eight acht huit ocho otto oito
		9 nine neun neuf nueve nove negen  10 ten zehn dix diez dieci dez tien  11 eleven elf onze once undici  12 twelve zwölf zwoelf douze doce dodici doze twaalf
		15 fifteen fünfzehn quinze quince quindici vijftien  20 twenty zwanzig vingt veinte venti vinte twintig
		25 twenty-five fünfundzwanzig vingt-cinq veinticinco venticinque vijfentwintig
		30 thirty dreißig dreissig trente treinta trenta trinta dertig  35 thirty-five fünfunddreißig trente-cinq trentacinque vijfendertig
		40 forty vierzig quarante cuarenta quaranta quarenta veertig  45 forty-five fünfundvierzig quarante-cinq quarantacinque vijfenveertig
		50 fifty fünfzig cinquante cincuenta cinquanta cinquenta vijftig  55 fifty-five fünfundfünfzig cinquante-cinq cinquantacinque vijfenvijftig
		60 sixty  90 ninety`)
	hourWords   = words(`uhr uur h hrs hours hour heure heures hora horas ora ore o'clock oclock u std`)
	minuteWords = words(`m min mins minute minutes minuten minuto minutos minuti`)
	lengthWords = words(`1 m min mins minute minutes minuten minuto minutos minuti
		60 h hr hrs hour hours stunde stunden std heure heures hora horas ora ore uur uren
		1440 day days tag tage tagen jour jours día días dia dias giorno giorni dag dagen
		10080 week weeks woche wochen semaine semaines semana semanas settimana settimane weken`)
	noonWords     = words(`noon midday mittag mittags midi mediodía mediodia mezzogiorno middag`)
	midnightWords = words(`midnight mitternacht minuit medianoche mezzanotte middernacht`)
	atWords       = words(`at um à a alle às om ab the las la le gegen kl ore @`)
	rangeWords    = words(`to till til until through thru alle às bis à au a al hasta fino até tot t/m through`)
	fromWords     = words(`from von vom van de desde das dalle dal du des ab vanaf dès partir partire`)
	beforeWords   = []string{"vor", "noch vor", "bereits vor", "avant", "avant les", "antes de las", "antes das", "antes de la", "prima delle", "prima dell'", "vóór", "voor"}
	dailyWords    = words(`daily each every täglich jeweils jeden chaque cada todos ogni tous elke dagelijks`)
	untilWords    = words(`until till til through thru bis jusqu'à jusqu'au hasta fino até tot`)
	betweenWords  = words(`between zwischen entre tra fra tussen`)
	andWords      = words(`and & und et y e en u plus`)
	orWords       = words(`or oder ou o of`)
	dayLinks      = words(`the of den dem der am le la el il lo do de del di op on da das dos zum vom`)

	todayWords    = words(`today heute aujourd'hui hoy oggi hoje vandaag`)
	tonightWords  = words(`tonight`)
	tomorrowWords = words(`tomorrow tmrw tmr morgen demain mañana manana domani amanhã amanha`)
	afterTomorrow = words(`übermorgen uebermorgen après-demain dopodomani overmorgen`)
	pastWords     = words(`yesterday gestern hier ayer ieri ontem gisteren vorgestern`)
	nextWords     = words(`next nächste nächsten nächster nächstes naechsten kommenden kommende prochain prochaine próximo próxima prossimo prossima volgende`)
	thisWords     = words(`this diesen dieser diese dieses ce cette este esta questo questa deze dit coming`)
	lastWords     = words(`last past previous letzten letzte dernier dernière pasado pasada último última scorso scorsa passado passada vorige`)
	weekWords     = words(`week woche semaine semana settimana`)

	// Parts of the day: what they make of an hour.
	morningWords   = words(`morning vormittag vormittags früh matin mañana madrugada mattina mattino manhã ochtend ochtends morgens`)
	afternoonWords = words(`afternoon nachmittag nachmittags après-midi tarde pomeriggio middag middags`)
	eveningWords   = words(`evening abend abends soir noche sera notte noite avond avonds nachts night`)
	nightWords     = words(`noche notte noite nachts night`)

	allDayWords = []string{"all day", "whole day", "all-day", "ganztägig", "ganztags", "den ganzen tag", "toute la journée", "todo el día", "todo el dia", "tutto il giorno", "intera giornata", "tutta la giornata", "todo o dia", "journée entière", "la journée", "ganzer tag", "den ganzen tag über", "o dia inteiro", "dia todo", "hele dag"}
)

var weekOf = []string{"week of", "week commencing", "w/c", "week beginning", "week starting", "woche vom", "woche ab", "semaine du", "semana del", "settimana del", "semana de", "week van"}

// What stands before the day on which somebody is back.
var backWords = []string{"back", "back in the office", "back in office", "back at work", "back at my desk", "back in town", "wieder im büro", "wieder da", "de retour au bureau", "de vuelta en la oficina", "di nuovo in ufficio", "de volta ao escritório", "weer op kantoor", "returns", "return", "returning", "zurück", "de retour", "de vuelta", "di ritorno", "de volta", "terug"}

const madeOn = "when the text was made"

// writtenWords stand beside the day on which a text was made, and not one that it is about.
var writtenWords = []string{"printed", "updated", "last changed", "last update", "last modified", "last edited", "issued", "published", "revised", "created on", "generated", "date of issue", "posted", "written", "stand", "gedruckt", "erstellt", "aktualisiert", "imprimé le", "mis à jour", "publié le", "édité le", "impreso", "actualizado", "publicado", "stampato", "aggiornato", "pubblicato", "impresso", "atualizado", "afgedrukt", "bijgewerkt"}

const noYear = "no year given: "

// opensAgain is why the day on which something opens again is passed over.
const opensAgain = "when something opens or begins again, which is no event"

// What stands before a date that belongs to no event, and why it is passed over.
var vetoes = []struct {
	why   string
	words []string
}{
	{madeOn, []string{"printed", "last changed", "last update", "last updated", "last revision", "as updated", "last modified", "last edited", "updated", "issued", "published", "released on", "revised", "created on", "generated", "as of", "as at", "dated", "date of issue", "posted", "posted on", "issue appears", "issue appears on", "written", "status:", "stand:", "stand", "gedruckt", "erstellt", "aktualisiert", "imprimé le", "mis à jour", "publié le", "édité le", "fait à", "impreso", "actualizado", "publicado", "stampato", "aggiornato", "pubblicato", "impresso", "atualizado", "afgedrukt", "bijgewerkt", "copyright", "©", "(c)", "in force since", "valid", "in force", "gültig", "valable", "en vigor", "valido", "geldig", "replaces", "replaces the notice of", "supersedes", "version of", "notice of", "letter of", "your message of", "your letter of", "your mail of", "your email of", "minutes of", "plan of", "list of", "report of", "order of", "tariff of", "tariffs of", "rules of", "regulations of", "ordinance of", "law of", "act of", "decree of", "agreement of", "contract of", "price list of", "statutes of", "version of", "mail of", "email of", "publication", "date of publication", "approved on", "approved", "signed", "founded in", "since", "established", "seit"}},
	{"a deadline", []string{"by", "before", "before arrival", "before departure", "before sailing", "prior to", "prior to arrival", "prior to departure", "ahead of", "no later than", "not later than", "at the latest", "latest", "deadline", "deadline is", "due by", "bookings close", "cancellation free until", "cancellation possible until", "cancellation until", "stornierung bis", "annulation jusqu'au", "free cancellation until", "cancel free of charge until", "registration closes", "closing date", "questions until", "queries until", "submission until", "submissions until", "offers until", "tenders until", "applications until", "entries until", "registration until", "anmeldung bis", "aanmelden kan tot", "aanmelden tot", "aanmelden vóór", "cancelación gratuita hasta", "annulation gratuite jusqu'au", "kostenlose stornierung bis", "fragen bis", "angebote bis", "inscriptions jusqu'au", "questions jusqu'au", "inscripciones hasta", "iscrizioni entro", "apply by", "reply by", "rsvp", "rsvp by", "respond by", "register by", "book by", "must be received", "must be received on", "must be submitted", "must be submitted on", "must reach us", "must reach us on", "ends registration", "bis spätestens", "spätestens", "vor dem", "vor", "noch vor", "avant", "d'ici", "d'ici au", "d'ici le", "prima di", "vóór", "nog voor", "anmeldeschluss", "avant le", "au plus tard", "date limite", "antes del", "antes de", "a más tardar", "prima del", "entro il", "entro", "até", "antes do", "prazo", "vóór", "uiterlijk", "expires", "expires on", "expiry", "valid until", "valid to", "valid till", "gültig bis", "let me know until", "answer by", "vence", "vence el", "vence a", "vence em", "vencen", "vencen el", "caduca", "caduca el", "caducan", "expira", "expira el", "expira a", "expira em", "expire", "expire le", "expirent", "échoit", "échoit le", "est dû", "est dû le", "est due le", "sont dus", "sont dus le", "scade", "scade il", "scadono", "scadono il", "verloopt", "verloopt op", "vervalt", "vervalt op", "verfällt", "verfällt am", "erlischt", "erlischt am", "zahlung ist", "miete ist", "rechnung ist", "gebühr ist", "gebühren sind", "beitrag ist", "rate ist", "betaling moet", "huur moet", "factuur moet", "contributie moet"}},
	{"when the text is written anew", []string{"next update", "next bulletin", "next issue", "next report", "next notice", "nächste aktualisierung", "nächste meldung", "prochaine mise à jour", "próxima actualización", "prossimo aggiornamento", "próxima atualização", "volgende update"}},
	{"when something comes into force", []string{"take effect", "takes effect", "taking effect", "come into force", "comes into force", "in effect from", "apply from", "applies from", "treten in kraft", "tritt in kraft", "in kraft ab", "entre en vigueur", "entrera en vigueur", "entra en vigor", "entrará en vigor", "entra in vigore", "treedt in werking"}},
	{"the day of other times", []string{"all times", "all times on", "all times of", "all hours", "times of", "alle zeiten am", "alle zeiten"}},
	{"a week, and not a day of it", weekOf},
	{"an exception", []string{"except", "except on", "except for", "excepting", "excluding", "apart from", "other than", "with the exception of", "but not on", "außer", "ausser", "ausgenommen", "sauf", "excepté", "excepto", "salvo", "tranne", "eccetto", "exceto", "behalve", "uitgezonderd"}},
	{opensAgain, []string{"reopens", "reopen", "re-opens", "reopens on", "reopening", "reopening on", "will reopen", "open again", "opens again", "resumes", "resume", "resumes on", "back in service", "back to normal", "back on", "free again", "free again from", "available again", "available again from", "wieder frei", "wieder frei ab", "de nouveau libre", "otra vez libre", "bookings open", "booking opens", "registration opens", "available from", "valid from", "gültig ab", "wieder geöffnet", "wieder offen", "weer open", "weer open op", "weer vrij", "rouvre", "réouverture", "reabre", "reapertura", "riapre", "riapertura", "reabertura", "heropent"}},
}

// What stands before a day or a time that is no longer the one, or is none at all.
var insteadOf = []string{"old", "old date", "old time", "old slot", "until now", "so far", "bisher", "bislang", "bisheriger termin", "alt", "alter termin", "vorher", "ancien", "ancienne date", "ancien horaire", "auparavant", "fecha anterior", "antigua fecha", "vecchia data", "vecchio orario", "data antiga", "data anterior", "oud", "oude datum", "voorheen", "instead of", "rather than", "statt", "anstatt", "au lieu", "en lugar", "invece", "em vez", "in plaats", "au lieu de", "au lieu du", "au lieu des", "plutôt que", "en lugar de", "en lugar del", "en lugar de las", "invece dell'", "em vez do", "em vez das", "anstelle", "anstelle von", "statt am", "statt um", "en vez de", "invece di", "invece del", "invece delle", "em vez de", "in plaats van", "previously", "formerly", "originally", "originally announced", "originally announced for", "originally planned", "originally planned for", "originally scheduled", "originally scheduled for", "originally set for", "announced for", "ursprünglich", "ursprünglich geplant für", "initialement prévu", "initialement prévue", "was", "not at", "not on", "not", "do not come", "don't come", "not before", "nicht am", "nicht um", "pas le", "pas à"}

// What says that something does not suit.
var objections = []string{"public holiday", "skip it", "give it a miss", "on leave", "on holiday", "on sick leave", "i'm ill", "i am ill", "i'm sick", "i am sick", "is ill", "is sick", "not well",
	"nicht kommen", "nicht dabei", "absagen", "im urlaub", "bin krank", "ist krank", "verhindert", "auslassen", "feiertag",
	"annuler", "malade", "empêché", "empêchée", "pas libre", "pas disponible", "en congé", "en vacances", "ne viens pas", "ne viendrai pas", "jour férié",
	"cancelar", "no voy a poder", "no podré", "enfermo", "enferma", "de vacaciones", "festivo", "annullare", "disdire", "non riesco", "non potrò", "malato", "malata", "in ferie",
	"desmarcar", "não vou poder", "não consigo", "doente", "de férias", "feriado", "afzeggen", "annuleren", "ziek", "op vakantie", "met vakantie", "verhinderd", "niet komen", "feestdag",
	"not needed", "not required", "not necessary", "isn't needed", "nicht nötig", "pas nécessaire", "no hace falta", "non serve", "não é preciso", "niet nodig", "does not work", "doesn't work", "do not work", "don't work", "won't work", "will not work", "can't make", "cannot make", "can not make", "can't come", "cannot come", "can't do", "cannot do", "does not suit", "doesn't suit", "not possible", "impossible", "not available", "unavailable", "unable", "not suitable", "too early", "too late", "postpone", "put it off", "put off", "reschedule", "verschieben", "reporter", "aplazar", "rinviare", "rimandare", "adiar", "uitstellen", "clashes", "clash", "passt nicht", "passt leider nicht", "geht nicht", "geht leider nicht", "kann nicht", "können nicht", "ne convient pas", "ne peux pas", "ne pouvons pas", "no puedo", "no podemos", "no me viene", "non posso", "non possiamo", "non va bene", "não posso", "não podemos", "kan niet", "kunnen niet", "past niet", "lukt niet",
	"has to wait", "must wait", "will have to wait", "needs to wait", "hold off", "on hold", "not ready", "isn't ready", "running late", "is late", "will be late", "is delayed", "are delayed", "been delayed", "not coming", "won't come", "will not come", "not make it", "won't make it", "fell through", "falls through", "forget it", "forget that", "scrap that", "another day", "another time", "some other time", "another date", "other date", "new date", "new time", "change the date", "change the time", "move it", "no longer", "broken down", "has broken", "is broken",
	"muss warten", "müssen warten", "verspätet", "verzögert", "verspätung", "wird nichts", "klappt nicht", "anderer tag", "anderen tag", "anderer termin", "anderen termin", "neuer termin", "neuen termin", "defekt", "kaputt",
	"doit attendre", "en retard", "pas prêt", "pas prête", "autre date", "autre jour", "nouvelle date", "en panne", "tiene que esperar", "retraso", "otro día", "otra fecha", "averiado", "averiada", "deve aspettare", "in ritardo", "altro giorno", "altra data", "guasto", "guasta", "tem de esperar", "atrasado", "atrasada", "outro dia", "outra data", "avariado", "avariada", "moet wachten", "vertraagd", "vertraging", "andere dag", "andere datum", "kapot"}

// endsBefore is a wish that something be over by a time, which is no event of its own and may
// change the end of one.
var endsBefore = []string{"finish by", "finished by", "be done by", "done by", "over by", "out by", "clear by", "off by", "end by", "finish before", "finished before", "done before", "fertig bis", "fertig sein bis", "bis spätestens", "terminer avant", "finir avant", "terminar antes", "acabar antes", "finire entro", "finire prima", "acabar até", "terminar até", "klaar om", "klaar voor"}

// What stands behind a day or a time that cannot be.
var takenWords = []string{"is full", "not possible", "impossible", "unavailable", "not available", "not free", "no good", "not good", "not ok", "fully booked", "nicht möglich", "nicht frei", "pas possible", "no posible", "non possibile", "não possível", "niet mogelijk", "is taken", "is booked", "is already booked", "is already taken", "is out", "is no good", "is not good", "is not possible", "is impossible", "is not free", "is not available", "is too early", "is too late", "does not suit", "doesn't suit", "does not work", "doesn't work", "won't work", "will not work", "isn't possible", "isn't free", "isn't available", "ist belegt", "ist voll", "ist vergeben", "geht nicht", "geht leider nicht", "passt nicht", "passt leider nicht", "est complet", "est pris", "n'est pas possible", "ne convient pas", "está completo", "está ocupado", "no es posible", "no me viene", "è pieno", "è occupato", "non è possibile", "non va", "está cheio", "está ocupada", "não é possível", "não dá", "is vol", "is bezet", "gaat niet", "kan niet", "past niet"}

// What stands behind a day that was said by mistake.
var wrongWords = []string{"as the date", "as date", "as the day", "is wrong", "was wrong", "is incorrect", "was incorrect", "was a mistake", "is a mistake", "ist falsch", "war falsch", "est faux", "est erroné", "es incorrecto", "è sbagliato", "está errado", "is fout"}

// byThen wants something to be over sooner.
var byThen = []string{"done by then", "finished by then", "ready by then", "over by then", "out by then", "gone by then", "away by then", "finish by then", "be off by then", "bis dahin fertig", "bis dahin weg", "fini d'ici là", "terminé d'ici là", "terminado para entonces", "finito per allora", "terminado até lá", "dan klaar"}

// asides begin something else, or, where no day is said, a further word on the same.
var asides = []string{"by the way", "btw", "incidentally", "separately", "on another note", "übrigens", "au fait", "por cierto", "a proposito", "a propósito", "trouwens"}

// What says that something comes beside what was said before, and not in its place.
var besides = []string{"another", "also", "additional", "additionally", "in addition", "as well", "too", "a second", "a further", "next one", "auch", "außerdem", "weiterer", "weitere", "zusätzlich", "aussi", "en plus", "un autre", "une autre", "también", "además", "otro", "otra", "anche", "inoltre", "un altro", "un'altra", "também", "outro", "outra", "ook", "bovendien", "nog een"}

// What makes a time one that is not certain.
var likelyWords = []string{"probably", "presumably", "maybe", "perhaps", "possibly", "likely", "hopefully", "expected to", "should arrive", "should be ready", "should be done", "should be finished", "should come", "would be", "could be", "might", "can perhaps", "at the earliest", "no earlier than", "not earlier than", "no sooner than", "not sooner than", "earliest", "at the latest", "non prima", "al più presto", "al più tardi", "como muy pronto", "como pronto", "como muy tarde", "o mais tardar", "no mais cedo", "o mais cedo", "op zijn vroegst", "op z'n vroegst", "op zijn laatst", "op z'n laatst", "not before", "frühestens", "au plus tôt", "wahrscheinlich", "vermutlich", "voraussichtlich", "vielleicht", "eventuell", "peut-être", "probablement", "quizás", "tal vez", "probablemente", "forse", "probabilmente", "talvez", "provavelmente", "misschien", "waarschijnlijk", "vermoedelijk"}

// What says that something comes only if something else does.
var dependingWords = []string{"in case of", "in the event of", "in bad weather", "in poor weather", "bei schlechtem wetter", "bei regen", "bei sturm", "bei schlechtwetter", "im falle", "en cas de", "en caso de", "in caso di", "em caso de", "bij slecht weer", "in geval van", "depending on", "depends on", "dependent on", "subject to", "weather permitting", "unless", "je nach", "abhängig von", "selon", "en fonction", "según", "dependiendo", "a seconda", "conforme o tempo", "dependendo", "afhankelijk van", "sofern", "vorausgesetzt", "wetterabhängig", "bei gutem wetter", "je nach wetter", "unter vorbehalt", "vorbehaltlich", "es sei denn", "sous réserve", "à condition", "pourvu que", "selon la météo", "en cas de pluie", "par beau temps", "sauf si", "siempre que", "siempre y cuando", "a condición", "con la condición", "salvo que", "a menos que", "en caso de lluvia", "tempo permettendo", "meteo permettendo", "a condizione", "a meno che", "salvo imprevisti", "in caso di pioggia", "desde que", "caso chova", "em caso de chuva", "se o tempo permitir", "mits", "tenzij", "onder voorbehoud", "bij goed weer", "bij regen"}

// What says a day by another one.
var sameDayWords = []string{"same day", "that day", "same evening", "same afternoon", "same morning", "next day", "day after that", "day after the", "following day", "following morning", "next morning", "day before", "days after", "weeks after", "evening before", "night before", "eve of", "am tag nach", "am tag vor", "tage nach dem", "el día después", "días después", "el día antes", "la víspera", "la vigilia", "giorni dopo", "jour après", "jours après", "dia depois", "dias depois", "de dag na", "dagen na", "vooravond", "am selben tag", "am nächsten tag", "am folgenden tag", "am tag danach", "am tag davor", "am vorabend", "le même jour", "le lendemain", "la veille", "el mismo día", "al día siguiente", "el día anterior", "lo stesso giorno", "il giorno dopo", "il giorno prima", "no mesmo dia", "no dia seguinte", "na véspera", "dezelfde dag", "de volgende dag", "de dag ervoor"}

// Of them those that may stand behind an end that is on the next day.
var nextDay = map[string]bool{"next day": true, "following day": true, "following morning": true, "next morning": true, "am nächsten tag": true, "am folgenden tag": true, "le lendemain": true, "al día siguiente": true, "il giorno dopo": true, "no dia seguinte": true, "de volgende dag": true}

// What the line begins with that says to whom a letter is, and not what it is about.
var addressed = []string{"to all", "to the", "to:", "dear", "hello", "attn", "attention", "an alle", "an die", "an den", "sehr geehrte", "liebe", "à tous", "à toutes", "aux", "madame", "monsieur", "mesdames", "a todos", "a los", "a las", "estimado", "estimada", "a tutti", "ai ", "alle", "gentile", "egregio", "aos", "às", "caro", "cara", "aan alle", "aan de", "geachte", "beste"}

// What stands above lists of days that are none of events.
var listsOfNone = []struct {
	why   string
	words []string
}{
	{"a deadline", []string{"deadlines", "deadline", "due dates", "closing dates", "cut-off dates", "fristen", "abgabetermine", "délais", "échéances", "plazos", "scadenze", "prazos", "termijnen"}},
	{"it is told of the past", []string{"looking back", "a look back", "past events", "previous events", "rückblick", "rétrospective", "terugblik"}},
}

// What is said of a whole day when hours are said above it.
var closedWords = []string{"closed", "no", "none", "keine", "kein", "pas de", "nessun", "nessuna", "geen", "geschlossen", "fermé", "fermée", "cerrado", "cerrada", "chiuso", "chiusa", "fechado", "fechada", "gesloten", "dicht", "holiday", "feiertag"}

// What stands before a day on which somebody cannot come.
var awayWords = []string{"i'm away", "i am away", "we're away", "we are away", "i'm out", "i am out", "i'm not in", "i'm not there", "i'm busy", "i'm travelling", "can't do", "cannot do", "can't make", "cannot make", "can't make it", "cannot make it", "can't be there", "i can't come", "i can't make it", "ich bin nicht da", "ich kann nicht", "je suis absent", "je suis absente", "no estoy", "non ci sono", "não estou", "ik ben er niet"}

// What asks which one of several it is to be.
var choiceWords = []string{"two dates", "three dates", "available dates", "dates are available", "the first date", "the second date", "the third date", "the earlier date", "the later date", "first option", "second option", "zwei termine", "drei termine", "den zweiten termin", "den ersten termin", "deux dates", "trois dates", "la deuxième date", "la première date", "dos fechas", "tres fechas", "la segunda fecha", "la primera fecha", "la seconda data", "la prima data", "duas datas", "a segunda data", "a primeira data", "twee data", "de tweede datum", "de eerste datum", "which one you prefer", "which you prefer", "which do you prefer", "tell me which", "let me know which", "option a", "option b", "option 1", "option 2", "variante a", "variante b", "variante 1", "variante 2", "vorschlag a", "vorschlag 1", "vorschlag 2", "proposition 1", "proposition 2", "propuesta 1", "propuesta 2", "opción a", "opción 1", "proposta 1", "proposta 2", "opzione a", "opzione 1", "opção a", "opção 1", "optie a", "optie 1", "voorstel 1", "suggestion 1", "choice 1", "which one suits", "which one works", "which one would", "which suits you", "which of these", "which of them", "let me know which", "let us know which", "following slots", "possible slots", "following options", "possible dates", "pick one", "choose one", "whichever suits", "whichever is", "can offer the following", "could offer the following", "zur auswahl", "welcher termin", "welcher tag", "folgende termine", "terminvorschläge", "quelle date vous", "laquelle vous", "quel jour vous", "au choix", "qué fecha", "cuál le", "quale data", "quale giorno", "que data", "welke datum", "welke dag", "either works", "work for me", "work for us", "suit me", "suit us", "beide passen", "beides passt", "passen mir", "passen uns", "habe ich zeit", "hätte ich zeit", "haben wir zeit", "me conviennent", "nous conviennent", "me vienen bien", "nos vienen bien", "mi vanno bene", "ci vanno bene", "ben ik vrij", "komen mij uit", "also works", "works too", "works as well", "also suits", "suits too", "also fine", "also possible", "would also", "passt auch", "ginge auch", "geht auch", "convient aussi", "va bene anche", "também serve"}

// What a sentence begins with that says another choice than the one before.
var elseWords = []string{"otherwise", "alternatively", "or else", "if not", "if that", "failing that", "should that not", "else", "or", "plan b", "sonst", "ansonsten", "alternativ", "falls nicht", "andernfalls", "sinon", "ou bien", "si no", "o si no", "altrimenti", "oppure", "senão", "ou então", "anders", "zo niet"}

// Feasts whose names have a weekday in them.
var feasts = words(`good easter ash maundy shrove palm black whit cyber holy boxing`)

// Words of what is only there if need be.
var ifNeeded = []string{"if needed", "if necessary", "if required", "as a reserve", "weather reserve", "reserve day", "reserve date", "alternative date", "rain date", "falls nötig", "bei bedarf", "si nécessaire", "si es necesario", "se necessario", "se necessário", "indien nodig", "ersatztermin"}

var movedWords = []string{"now takes place", "now take place", "will now take place", "takes place instead", "now happens", "is now held", "will now be held", "findet nun", "findet jetzt", "findet stattdessen", "aura désormais lieu", "aura finalement lieu", "tendrá lugar finalmente", "si terrà invece", "vindt nu", "moved", "must move", "to move", "will move", "please move", "moves from", "moves to", "move it", "move the", "shifted", "postpone", "put off", "bring forward", "reschedule", "delayed", "pushed", "postponed", "rescheduled", "brought forward", "put back", "changed", "vorgezogen", "vorverlegt", "verschoben", "verlegt", "déplacé", "déplacée", "reporté", "reportée", "aplazado", "aplazada", "spostato", "spostata", "adiado", "adiada", "verplaatst", "verzet", "shifts", "se traslada", "trasladado", "trasladada", "se cambia", "se mueve", "pasa de", "pasa del", "passa de", "passa do", "passa da", "passa dal", "passe du", "passe de", "gaat van", "transferido", "transferida", "mudado", "mudada", "muda de", "muda do", "muda-se", "trasferito", "trasferita", "anticipato", "anticipata", "adelantado", "adelantada", "se adelanta", "antecipado", "antecipada", "avancé", "avancée", "vervroegd", "verhuist", "verschoven", "uitgesteld", "rückt", "rinviato", "rinviata", "rimandato", "rimandata", "posticipato", "posticipata", "si sposta", "décalé", "décalée", "repoussé", "repoussée", "pospuesto", "pospuesta", "se pospone", "se aplaza"}

// What says that something is as it was.
var stands = []string{"stays", "stay", "remains", "remain", "stands", "still", "goes ahead", "go ahead", "takes place", "take place", "as planned", "but", "only", "unaffected", "not affected", "bleibt", "bleiben", "findet statt", "wie geplant", "aber", "nur", "reste", "restent", "est maintenu", "est maintenue", "mais", "seulement", "se mantiene", "pero", "solo", "sólo", "resta", "rimane", "confermato", "confermata", "ma", "mantém-se", "mas", "só", "blijft", "maar", "alleen", "gaat door"}

// What says that something is not when it was to be; what leads to when it is now; what
// leads to when it was to be; and what says that the text has both.
var (
	putOff     = []string{"postponed", "rearranged", "vorgezogen", "vorverlegt", "verzet", "verplaatst", "is postponing", "put off", "rescheduled", "deferred", "verschoben", "verschiebt sich", "aufgeschoben", "vertagt", "reporté", "reportée", "reportés", "reportées", "repoussé", "repoussée", "ajourné", "ajournée", "décalé", "décalée", "aplazado", "aplazada", "se aplaza", "pospuesto", "pospuesta", "se pospone", "rinviato", "rinviata", "rimandato", "rimandata", "posticipato", "posticipata", "adiado", "adiada", "foi adiado", "uitgesteld", "verschoven"}
	movedTo    = []string{"to", "until", "till", "for", "now", "now on", "now at", "new date", "new time", "new day", "new start", "auf", "zu", "jetzt", "nun", "neuer termin", "neue zeit", "neues datum", "au", "à", "pour", "jusqu'au", "désormais", "nouvelle date", "al", "a", "a las", "para", "hasta", "ahora", "nueva fecha", "alle", "per", "ora", "nuova data", "às", "agora", "nova data", "naar", "tot", "nu", "nieuwe datum"}
	plannedFor = []string{"planned for", "scheduled for", "set for", "due for", "due to", "foreseen for", "intended for", "arranged for", "announced for", "booked for", "prévu pour", "prévue pour", "prévu à", "previsto para", "prevista para", "previsto per", "prevista per"}
	movedFrom  = []string{"moved from", "postponed from", "rescheduled from", "deferred from", "instead of", "rather than", "verschoben von", "verschoben vom", "statt", "anstatt", "reporté du", "reportée du", "au lieu", "aplazado del", "aplazada del", "en lugar", "en vez", "rinviato dal", "rinviata dal", "invece", "adiado de", "em vez", "verschoven van", "in plaats"}
)

// What says that the times of a text are those of each of its days.
var eachDay = []string{"each day", "every day", "daily", "per day", "on both days", "both days", "on all days", "täglich", "jeweils", "jeden tag", "an beiden tagen", "beide tage", "each time", "chaque fois", "cada vez", "ogni volta", "de cada vez", "telkens", "chaque jour", "tous les jours", "les deux jours", "cada día", "todos los días", "diariamente", "ambos días", "ogni giorno", "tutti i giorni", "entrambi i giorni", "cada dia", "todos os dias", "ambos os dias", "dagelijks", "elke dag", "iedere dag", "beide dagen"}

// What says that some of the days of a range are not meant.
var notEach = []string{"last day", "first day", "letzten tag", "ersten tag", "dernier jour", "premier jour", "último día", "primer día", "ultimo giorno", "primo giorno", "último dia", "primeiro dia", "laatste dag", "eerste dag", "except", "excepting", "excluding", "apart from", "but not", "without", "other than", "not", "no", "if", "as needed", "weekday", "weekdays", "working day", "working days", "business days", "weekend", "weekends", "nightly", "nights", "each night", "every night", "außer", "ausser", "ausgenommen", "ohne", "nicht", "kein", "keine", "werktags", "werktäglich", "arbeitstage", "nachts", "nächte", "sauf", "excepté", "hors", "sans", "pas", "ouvrables", "ouvrés", "nuit", "nuits", "excepto", "salvo", "sin", "laborables", "hábiles", "noche", "noches", "tranne", "eccetto", "escluso", "esclusi", "senza", "non", "feriali", "notte", "notti", "exceto", "menos", "sem", "não", "úteis", "noite", "noites", "behalve", "uitgezonderd", "zonder", "niet", "geen", "werkdagen", "nacht", "nachten"}

// What says that a length is how long the event lasts, and what says that it is not.
var (
	lastingWords = []string{"take", "takes", "last", "lasts", "lasting", "duration", "stay", "stays", "staying", "need", "needs", "long", "length", "dauer", "dauert", "brauchen", "braucht", "durée", "dure", "duración", "dura", "durata", "duração", "duur", "duurt", "hours are needed"}
	earlyWords   = []string{"early", "earlier", "late", "later", "before", "after", "in advance", "ago", "früher", "vorher", "avant", "antes", "prima", "eerder"}
)

var deadlineWords = []string{"by", "before", "until", "till", "no later than", "not later than", "at the latest by", "spätestens", "bis", "vor", "avant", "antes de las", "antes de", "prima delle", "entro le", "até às", "vóór"}

// What stands behind a day that is a deadline.
var lastDayWords = []string{"is the last day", "is the final day", "is the deadline", "is the closing date", "is the cut-off", "is the latest", "at the latest", "latest", "as the latest", "deadline", "ist der letzte tag", "spätestens", "est le dernier jour", "au plus tard", "es el último día", "a más tardar", "è l'ultimo giorno", "al più tardi", "é o último dia", "o mais tardar", "is de laatste dag", "uiterlijk"}

// What is a deadline beside some words, and an event otherwise: bookings close, a
// report is due; a road closes, a ship is due.
var chancy = []struct {
	why         string
	words, with []string
}{
	{"a deadline", []string{"schließt", "schließt am", "schliesst", "schliesst am", "schließen", "schließen am", "endet", "endet am", "enden am", "closes le", "sont closes", "sont closes le", "ferment", "ferment le", "ferme", "ferme le", "se terminent le", "cierra", "cierra el", "cierran", "cierran el", "termina el", "terminan el", "acaba el", "finaliza el", "chiude", "chiude il", "chiudono", "chiudono il", "scadono il", "terminano il", "fecha", "fecham", "fecham a", "fecham em", "encerram", "encerram a", "encerram em", "terminam a", "sluit", "sluit op", "sluiten", "sluiten op", "eindigt op"}, []string{"anmeldung", "anmeldungen", "anmeldefrist", "buchung", "buchungen", "bewerbung", "einschreibung", "inscription", "inscriptions", "réservations", "candidatures", "inscripción", "inscripciones", "el plazo", "reservas", "solicitudes", "iscrizione", "iscrizioni", "prenotazioni", "candidature", "inscrição", "inscrições", "candidaturas", "inschrijving", "inschrijvingen", "aanmelding", "aanmeldingen", "reserveringen"}},
	{"a deadline", []string{"close", "closes", "closing", "end", "ends", "until", "till", "schließt", "bis", "bis zum", "hasta", "hasta el"}, []string{"booking", "bookings", "registration", "registrations", "entries", "applications", "application", "tickets", "ticket sales", "sales", "prize draw", "draw", "competition", "survey", "poll", "vote", "voting", "call for papers", "nominations", "anmeldung", "inscriptions", "reply", "answer", "let us know", "offer", "offers", "tenders", "tender", "comments", "antworten", "antworten sie", "antwort", "rückmeldung", "melden sie sich", "melden", "meldet", "meldet euch", "melde dich", "gebt", "gib", "gebt uns", "bescheid", "schickt", "schreibt", "sagt uns", "einzureichen", "einreichen", "einsenden", "abzugeben", "abgeben", "anträge", "tragt euch", "trag dich", "apúntate", "apuntaos", "apúntense", "inscríbete", "inscríbanse", "avisa", "avisad", "bezahlen", "zahlen", "zahlen sie"}},
	{"a deadline", []string{"voor", "vóór"}, []string{"meld", "meldt", "aanmelden", "opgeven", "geef je op", "inschrijven", "schrijf je in", "reageren", "reageer", "betaal", "betalen", "inleveren", "lever", "laat weten", "laat ons weten", "stuur", "antwoord", "antwoorden"}},
	{"a deadline", []string{"run of", "payment of", "with the run of", "transfer of", "transfer on", "paid on", "paid with"}, []string{"paid", "payment", "invoice", "pay", "transfer"}},
	{"a deadline", []string{"due", "due on", "pay", "paid", "payable", "submit", "submitted", "return", "send", "hand in"}, []string{"payment", "report", "form", "forms", "reply", "application", "fee", "fees", "invoice", "documents", "papers", "rent", "dues", "declaration", "pay", "paid", "payable"}},
}

// What makes a line one that takes an event back.
var cancelWords = []string{"cancelled", "canceled", "cancellation", "is off", "called off", "call it off", "call off", "will not take place", "does not take place", "not take place", "won't take place", "doesn't take place", "not be held", "will not run", "does not run", "won't run", "not running", "will not sail", "does not sail", "not sailing", "will not operate", "does not operate", "no longer takes place", "no longer needed", "cancel", "abgesagt", "entfällt", "findet nicht statt", "finden nicht statt", "fällt aus", "fallen aus", "fährt nicht", "fahren nicht", "verkehrt nicht", "ne circule pas", "ne circulera pas", "no circula", "no sale", "n'aura pas lieu", "n'ont pas lieu", "no se celebra", "no tendrá lugar", "non si terrà", "non avrà luogo", "não se realiza", "gaat niet door", "storniert", "annulé", "annulée", "annulés", "annulées", "anulado", "anulada", "anulados", "anuladas", "cancelado", "cancelada", "annullato", "annullata", "geannuleerd", "afgelast", "vervalt", "scrapped", "withdrawn", "dropped", "will not happen", "is omitted", "is skipped", "supprimé", "supprimée", "suprimido", "suprimida", "soppresso", "soppressa"}

// What is off for a while, and comes on again.
var suppliesOff = []string{"power", "water", "electricity", "gas", "heating", "light", "lights", "lighting", "current", "supply", "crane", "internet", "network", "wifi", "server", "phone", "phones", "telephone", "alarm", "radar", "radio", "pump", "pumps", "sluice", "bridge"}

// What makes a date one that was.
var toldPast = []string{"was", "were", "took place", "has been", "have been", "thank you for", "thanks for", "we met", "attended", "happened", "fand statt", "a eu lieu", "tuvo lugar", "ha avuto luogo", "teve lugar", "vond plaats", "gave", "did not", "didn't", "hasn't", "done", "carried out", "missed", "delivered", "arrived", "sailed", "finished", "completed", "ended", "returned", "had"}

// What leaves an end open.
var openWords = []string{"until further notice", "till further notice", "bis auf weiteres", "jusqu'à nouvel ordre", "jusqu'a nouvel ordre", "hasta nuevo aviso", "fino a nuovo avviso", "até novo aviso", "tot nader order", "till late", "til late", "until late", "to late", "bis spät", "open end", "jusque tard", "jusqu'à tard", "hasta tarde", "fino a tardi", "até tarde", "tot laat", "onwards", "onward", "w.e.f.", "w.e.f", "wef", "with effect from", "effective from", "and following", "and later"}

// wholeWeek is a week in a list that does not say which.
var wholeWeek = []string{"all week", "all this week", "whole week", "ganze woche", "toute la semaine", "toda la semana", "tutta la settimana", "toda a semana", "hele week"}

// Days that are none: they are said, not guessed.
var vagueDays = []string{"end of the month", "end of month", "beginning of the month", "middle of the month", "end of the week", "early next week", "late next week", "later this week", "later next week", "this weekend", "next weekend", "at the weekend", "over the weekend", "am wochenende", "ce week-end", "este fin de semana", "questo fine settimana", "neste fim de semana", "dit weekend", "next week", "next month", "this week", "weekends in", "at weekends", "on weekends", "first week of", "second week of", "third week of", "fourth week of", "last week of", "1st week of", "2nd week of", "3rd week of", "4th week of", "rest of the week", "rest of the month", "rest of next week", "whole of", "all of next week", "rest der woche", "rest des monats", "reste de la semaine", "resto de la semana", "resto della settimana", "resto da semana", "rest van de week", "some day", "one of these days", "ende des monats", "ende der woche", "nächste woche", "fin du mois", "la semaine prochaine", "fin de mes", "la próxima semana", "fine del mese", "la prossima settimana", "fim do mês", "na próxima semana", "einde van de maand", "volgende week", "to be announced", "tba", "to be confirmed", "tbc", "date to follow"}

// Nouns that begin the name of a place when a number, a letter or a name follows.
var placeNouns = words(`berth room quay pier dock hall building office barn shed gate slip terminal wharf jetty lock floor kai liegeplatz raum halle gebäude büro steg quai poste salle bureau muelle sala edificio oficina molo banchina ormeggio ufficio cais armazém kade steiger zaal anchorage basin boathouse mole pontoon breakwater workshop warehouse station`)
