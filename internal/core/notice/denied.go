package notice

import (
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// denied tells whether a text says that something is not, or is not to be: its day and its
// time may then be those at which there is nothing. What forbids something for a while, or
// says that a thing is of no use then, tells of an event all the same.
func denied(text string) bool {
	if !denials().MatchString(text) && !suspended().MatchString(text) {
		return false
	}
	if absent().MatchString(text) {
		return true
	}
	rest := harmless().ReplaceAllString(text, " ")
	return denials().MatchString(rest) || suspended().MatchString(rest)
}

// alternatives joins expressions of several languages.
func alternatives(of ...string) *regexp.Regexp {
	return regexp.MustCompile(`(?i)(?:^|[^\p{L}])(?:` + strings.Join(of, "|") + `)(?:$|[^\p{L}])`)
}

// denials are the words that say no, and those for what is taken back.
var denials = sync.OnceValue(func() *regexp.Regexp {
	return alternatives(
		`not|\p{L}+n[’']t|never|nobody|no one|nothing|cannot|no longer|there (?:is|are|will be) no|^\W*no \p{L}{3,}`,
		`fell through|falls through|typo|by mistake|mistakenly|in error|hinfällig|sich erledigt|f(?:ä|a)ll(?:t|en) weg|wegfallen|geplatzt|tombe à l[’']eau|personne ne|sin efecto|saltat[oa]|sem efeito|sans objet`,
		`refused|rejected|declined|denied|turned down|void|pending|disregard|ignore|skip(?:ped)?|delete[ds]?|forget|remove .{0,60}(?:calendar|diary|list|plan|schedule)`,
		`^\W*(?:sem|sin) \p{L}{3,}`,
		`nicht|kein(?:e[nrms]?)?|niemand|nie|niemals|nichts|ausfallen|gestrichen|ausgesetzt|abgelehnt|zurückgezogen|lösch(?:en|t)|streich(?:en|t)`,
		`pas|jamais|aucune?|refusée?s?|rejetée?s?|retirée?s?|supprimer`,
		`no (?:se|hay|habrá|tendrá|puede|podrá|es|está|va|viene|puedo|podemos|será)|nunca|nadie|ning[uú]n[oa]?|rechazad[oa]s?|retirad[oa]s?|eliminar|borrar`,
		`non|nessun[oa]?|rifiutat[oaie]|respint[oaie]|ritirat[oaie]`,
		`não|ninguém|nenhuma?|recusad[oa]s?|rejeitad[oa]s?|apagar`,
		`niet|geen|niemand|nooit|afgewezen|ingetrokken|verwijder(?:en|d)?|schrap(?:pen|t)?`,
	)
})

// suspended is a meeting or a lesson that is suspended; a ferry that is suspended tells of
// when it does not run.
var suspended = pattern.Lazy(`(?i)(?:meeting|session|class|course|lesson|drill|exercise|training|visit|besprechung|sitzung|übung|kurs|réunion|séance|exercice|cours|reuni[oó]n|sesión|ejercicio|curso|riunione|seduta|esercitazione|corso|reunião|sessão|exercício|vergadering|oefening|cursus)\p{L}*.{0,60}(?:suspended|suspendue?|suspendid[oa]|sospes[oa]|suspens[oa]|opgeschort)(?:$|[^\p{L}])|(?:suspende|suspendemos)\s.{0,20}(?:reunión|sesión|ejercicio|curso|clase)`)

// absent is somebody who is not there, where "not available" is no state of a thing.
var absent = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:i am|i[’']m|we are|we[’']re|he is|she is|they are|i will|we will|ich bin|wir sind|je ne suis|nous ne sommes|no estoy|no estamos|non sono|non siamo|não estou|não estamos|ik ben|wij zijn|we zijn) (?:.{0,12} )?(?:not|nicht|pas|niet|disponible|disponibile|disponível)(?: \p{L}+)? ?(?:available|free|there|verfügbar|da|disponibles?|beschikbaar|vrij)?(?:$|[^\p{L}])`)

// harmless are denials that leave the event as it is.
var harmless = sync.OnceValue(func() *regexp.Regexp {
	return alternatives(
		`(?:do not|don[’']t|never|not to) (?:forget|hesitate|miss|worry|be late)`,
		`(?:not|nicht|pas|non|não|niet) (?:at |on |um |am |à |alle |às |om )?(?:the )?\d|not (?:\p{L}+ ){0,3}before|ignore .{0,40}stands`,
		`(?:there (?:is|are|will be) )?no (?:water|power|electricity|current|gas|heating|internet|access|entry|passage|parking|mooring|anchoring|traffic|service)`,
		`[^,;.\d]*[,;.] (?:let us|let[’']s|how about|what about|but|better|rather|so|could we|can we|shall we|would|instead|lieber|besser|sondern|aber|dafür|plutôt|mais|mejor|pero|meglio|ma|melhor|mas|liever|maar)`, // I can't make it, let us say 9 March at 10
		`no (?:problem|worries|objections?|issues?|changes?|need|reply|answer|charge|fee|cost|entrance|registration|booking|tickets?|reservation|(?:later|earlier|more|less|longer) than|berthing|overtaking|wash|diving|fishing|stopping|waiting|vessels?|ships?|boats?|cars?|vehicles?)`,
		`not (?:compulsory|mandatory|obligatory|needed|required|necessary|in (?:the )?\p{L}+)|(?:nicht|pas|non|niet) (?:nötig|notwendig|verpflichtend|obligatoire|nécessaire|obbligatori[oa]|verplicht)`,
		`not (?:later|earlier|before|more|less|only|just|necessarily|yet known|applicable|counting|including)|(?:if|why|or|whether or) not|not at all`,
		`(?:does|do|will|is|are) not (?:function|provided|included)|funktionier\p{L}+ nicht|nicht in betrieb|außer betrieb|ne (?:fonctionn|march)\p{L}+ pas|no funciona\p{L}*|non funziona\p{L}*|não funciona\p{L}*|werkt niet|non-\p{L}+`,
		`(?:must|shall|may|should|need) not|(?:please )?(?:do not|don[’']t) (?:park|moor|anchor|berth|enter|use|cross|block|pass|swim|dive|feed|touch|leave)`,
		`(?:not|cannot|can[’']t) be (?:used|reached|passed|accessed|entered|possible|available|accessible)|(?:not|isn[’']t|aren[’']t) (?:available|accessible|usable|possible|passable|navigable|open|in service|in operation|in use|working|permitted|allowed|manned|staffed)`,
		`nicht (?:vergessen|später|früher|vor|nur|mehr als|länger als|verfügbar|nutzbar|benutzbar|zugänglich|passierbar|befahrbar|erreichbar|möglich|geöffnet|besetzt|gestattet|erlaubt)|keine? (?:zugang|zutritt|parken|wasser|strom|problem|durchgang|durchfahrt|ankern|anlegen)`,
		`n[’']oubliez pas|ne pas oublier|n[’']hésitez pas|pas (?:plus tard|avant|seulement|accessible|disponible|possible|de problème|de stationnement|d[’']eau|d[’']accès)`,
		`no (?:se olvid\p{L}*|es posible el paso|está disponible|hay (?:agua|luz|paso|acceso|problema))`,
		`non (?:dimenticare|dimenticate|esitate|oltre|prima|solo|disponibile|accessibile|è possibile il transito)`,
		`no (?:dia|ano|mês|próximo|próxima|passado|final|início|fim|sábado|domingo|cais|porto|edifício|auditório|centro|salão|escritório)`,
		`não (?:se esqueça\p{L}*|esquecer|hesite\p{L}*|só|disponível|acessível|está disponível)`,
		`niet (?:vergeten|later|eerder|vóór|alleen|beschikbaar|toegankelijk|bereikbaar|mogelijk|toegestaan)|geen (?:toegang|doorgang|doorvaart|water|stroom|probleem)`,
	)
})

// stopped is a service that does not run on a day, which tells of the whole of it.
var stopped = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:no|keine?|pas de|sin|senza|nessun[ao]?|sem|geen|(?:no hay|não há|non c[’']è|non ci sono|no habrá|não haverá|non ci sarà)(?: el| la| o| a| il)?) (?:sailings?|ferr(?:y|ies)|trains?|bus(?:es)?|(?:\p{L}+ )?services?|(?:lotsen|fähr|bahn|bus)?dienst|fähren?|betrieb|bacs?|navettes?|servicio|transbordador(?:es)?|servizio|traghett[oi]|serviço|barcas?|dienst|veerboten|veerboot|veerdienst)(?:$|[^\p{L}])`)

// staysOpen is what is as it always is on a day, among those on which it is closed.
var staysOpen = pattern.Lazy(`(?i)(?:^|[^\p{L}])(?:(?:stays?|remains?|is|will be|will stay|will remain) open(?: as (?:usual|normal))?|bleib\p{L}*(?: \p{L}+)? (?:offen|geöffnet|frei)|rest(?:e|ent|era|eront) (?:ouvert|libre)\p{L}*|permanece(?:rá)? abiert[oa]|(?:rimane|resta)(?:no)? apert[oaie]|(?:permanece|mantém-se) abert[oa]|blijft(?: \p{L}+)? open)(?:$|[^\p{L}])`)

// open holds what is said to be closed on a day of which another sentence says that it is open.
// It tells whether that is all that the sentence says.
func (d *document) open(u unit, r *reader, spans []span) bool {
	if !u.sentence || len(d.out.Events) == 0 || !saysDays(spans) || hasKind(spans, 't') || !staysOpen().MatchString(u.text) || phraseIn(u.text, closedWords) != "" {
		return false
	}
	held := false
	for _, s := range spans {
		if s.kind != 'd' || s.dates.until != nil {
			return false
		}
		days, f := d.resolve(s.dates)
		for i := range d.out.Events {
			e := &d.out.Events[i]
			for n := 0; f == nil && n < len(days); n++ {
				if on := days[n].first; e.Held == nil && !e.Cancelled && !e.Start.IsZero() && e.Start.Before(on.AddDate(0, 0, 1)) && (e.Start.Truncate(24*time.Hour).Equal(on) || !e.End.Before(on)) {
					e.Held = fault.New(fault.Shorten(e.Text, 80), "the text says of a day of it that something is open: "+strconv.Quote(fault.Shorten(u.text, 60))).Do("write each day into a line of its own")
					held = true
				}
			}
		}
	}
	if held {
		d.pass(u, u.text, "when something stays open, which is no event")
	}
	return held
}
