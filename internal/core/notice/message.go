package notice

import (
	"strings"
	"time"

	"almanach/internal/core/pattern"
)

// Body is what a message says itself: without what it quotes, its signature and
// what is put below by machines. A forwarded message is a Body of its own.
type Body struct {
	Lines     []Line
	Forwarded *Forwarded // nil for none
	Quoted    []Line     // of others, as they stand behind their signs
}

// Forwarded is a message inside another.
type Forwarded struct {
	From, Date, Subject string
	Lines               []Line
	Forwarded           *Forwarded // what it forwards in its turn
}

var (
	quoteHead   = pattern.Lazy(`(?i)^\s*(?:on\b.{6,120}\bwrote|am\b.{6,120}\bschrieb.{0,60}|le\b.{6,120}\ba écrit|el\b.{6,120}\bescribió|il\b.{6,120}\bha scritto|em\b.{6,120}\bescreveu|op\b.{6,120}\bschreef.{0,60}|.{3,80}<[^>]+@[^>]+>\s*(?:wrote|schrieb|a écrit|escribió|ha scritto|escreveu|schreef))\s*:\s*$`)
	divider     = pattern.Lazy(`(?i)^\s*(?:-{2,}|_{5,}|={5,})\s*(original|forwarded|ursprüngliche|weitergeleitete|message d'origine|message transféré|mensaje original|mensaje reenviado|messaggio originale|messaggio inoltrato|mensagem original|mensagem encaminhada|oorspronkelijk|doorgestuurd)[^-]*(?:-{2,}|_{2,})?\s*$|^\s*begin forwarded message:\s*$`)
	signOff     = pattern.Lazy(`(?i)^\s*(?:(?:best|kind|warm|many)\s+(?:regards|wishes|thanks)|regards|cheers|yours(?:\s+\w+)?|sincerely|thanks|thank you|many thanks|mit freundlichen grüßen|viele grüße|freundliche grüße|beste grüße|liebe grüße|gruß|mfg|cordialement|bien à vous|salutations|saludos|un saludo|atentamente|cordiali saluti|saluti|cumprimentos|atenciosamente|com os melhores cumprimentos|met vriendelijke groet(?:en)?|groeten)\s*[,.!]?\s*$`)
	machine     = pattern.Lazy(`(?i)^\s*(?:sent from my |this (?:e-?mail|message) (?:and|is|may)|the information (?:contained )?in this|confidential|disclaimer|diese e-?mail|ce message|este (?:correo|mensaje|e-mail)|questo messaggio|please consider the environment|unsubscribe|you (?:are receiving|received) this|to unsubscribe|get outlook|von meinem .{0,20}gesendet|envoyé de mon)`)
	postscript  = pattern.Lazy(`(?i)^\s*(?:p\.?\s?){1,2}\.?s\.?\s*[:.,–-]?\s+\S|^\s*(?:nb|n\.b\.)\s*[:.]`)
	weakSignOff = pattern.Lazy(`(?i)^\s*(?:many\s+thanks|thanks|thank you|cheers|regards)\s*[,.!]?\s*$`)
	ruled       = pattern.Lazy(`^\s*[_=*-]{8,}\s*$`)
	mailHead    = pattern.Lazy(`(?i)^\s*\*?(from|von|de|da|van|sent|gesendet|envoyé|enviado|inviato|verzonden|date|datum|fecha|data|to|an|à|para|a|aan|cc|subject|betreff|objet|asunto|oggetto|assunto|onderwerp)\*?\s*:\s*(.*)$`)
)

// ReadBody cuts the text of a message.
func ReadBody(text string) Body {
	var b Body
	lines := strings.Split(strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n"), "\n")
	for n := 0; n < len(lines); n++ {
		line := lines[n]
		trimmed := strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(trimmed, ">"):
			b.Quoted = append(b.Quoted, Line{Text: strings.TrimSpace(strings.TrimLeft(trimmed, "> ")), Number: n + 1})
			continue
		case ruled().MatchString(line):
			line = ""
		case line == "-- " || trimmed == "--":
			return b
		case machine().MatchString(line):
			return b
		case divider().MatchString(line):
			forwarded := forwardSaid().MatchString(line)
			if forwarded {
				b.Forwarded = readForwarded(lines[n+1:], n+1)
			}
			return b
		case quoteHead().MatchString(line):
			if quoted(lines[n+1:]) {
				continue // the answer stands below
			}
			return b
		case n+1 < len(lines) && len(trimmed) > 0 && !strings.HasSuffix(trimmed, ":") && quoteHead().MatchString(line+" "+strings.TrimSpace(lines[n+1])) && startsQuote(trimmed):
			if quoted(lines[n+2:]) {
				n++
				continue
			}
			return b
		case headBlock(lines[n:]):
			return b
		case signOff().MatchString(line) && n > 0:
			more := below(lines[n+1:], weakSignOff().MatchString(line))
			if more < 0 {
				return b
			}
			n += more
			continue
		}
		b.Lines = append(b.Lines, Line{Text: line, Number: n + 1})
	}
	return b
}

func startsQuote(s string) bool {
	for _, w := range []string{"On ", "Am ", "Le ", "El ", "Il ", "Em ", "Op "} {
		if strings.HasPrefix(s, w) {
			return true
		}
	}
	return false
}

// below finds what a person still says below a sign-off: a postscript, or, where weak
// words of thanks stand within a text, what follows. It gives how many lines lie
// between, -1 for nothing.
func below(lines []string, weak bool) int {
	for n, l := range lines {
		trimmed := strings.TrimSpace(l)
		switch {
		case trimmed == "--" || strings.HasPrefix(trimmed, ">") || machine().MatchString(l) || divider().MatchString(l) || quoteHead().MatchString(l) || headBlock(lines[n:]):
			return -1
		case postscript().MatchString(l):
			return n
		case weak && len(strings.Fields(l)) >= 4 && strings.ContainsAny(trimmed[len(trimmed)-1:], ".?!"):
			return n
		}
	}
	return -1
}

// quoted tells whether what stands next is marked as quoted: an answer can follow it.
func quoted(lines []string) bool {
	for _, l := range lines {
		if trimmed := strings.TrimSpace(l); trimmed != "" {
			return strings.HasPrefix(trimmed, ">")
		}
	}
	return false
}

// headBlock tells whether lines begin with the head of another message.
func headBlock(lines []string) bool {
	seen := 0
	for _, l := range lines[:min(len(lines), 6)] {
		m := mailHead().FindStringSubmatch(l)
		if m == nil {
			break
		}
		seen++
	}
	if seen < 3 {
		return false
	}
	m := mailHead().FindStringSubmatch(lines[0])
	first := strings.ToLower(m[1])
	return first == "from" || first == "von" || first == "de" || first == "da" || first == "van"
}

func readForwarded(lines []string, offset int) *Forwarded {
	f := &Forwarded{}
	n := 0
	for n < len(lines) && strings.TrimSpace(lines[n]) == "" {
		n++
	}
	for ; n < len(lines); n++ {
		m := mailHead().FindStringSubmatch(strings.TrimPrefix(strings.TrimPrefix(lines[n], "> "), ">"))
		if m == nil {
			break
		}
		switch strings.ToLower(m[1]) {
		case "from", "von", "de", "da", "van":
			f.From = m[2]
		case "sent", "gesendet", "envoyé", "enviado", "inviato", "verzonden", "date", "datum", "fecha", "data":
			f.Date = strings.TrimSpace(m[2])
		case "subject", "betreff", "objet", "asunto", "oggetto", "assunto", "onderwerp":
			f.Subject = strings.TrimSpace(m[2])
		}
	}
	for i := range lines[n:] {
		lines[n+i] = strings.TrimPrefix(strings.TrimPrefix(lines[n+i], "> "), ">")
	}
	inner := ReadBody(strings.Join(lines[n:], "\n"))
	for _, l := range inner.Lines {
		l.Number += offset + n
		f.Lines = append(f.Lines, l)
	}
	f.Forwarded = inner.Forwarded
	return f
}

// forwardSaid is said by a divider above a message that is forwarded.
var forwardSaid = pattern.Lazy(`(?i)forward|weiterge|transfér|reenv|inoltr|encaminh|doorgest`)

var prefixes = pattern.Lazy(`(?i)^\s*(?:(?:re|aw|fw|fwd|wg|tr|rv|res|enc|antw|sv|vs|r|i)\s*(?:\[\d+\])?\s*:\s*|\[[^\]]{1,30}\]\s*)+`)

// Subject gives a subject without what replies and lists put before it.
func Subject(text string) string {
	return strings.TrimSpace(prefixes().ReplaceAllString(text, ""))
}

// Message is one message of a thread, as it was read.
type Message struct {
	ID      string
	From    string // who sent it, for the course of the thread
	Sent    time.Time
	Subject string // without Re: and the like
	Found   Found
	Reply   bool // it answers another
}

// Settled is what a thread comes to.
type Settled struct {
	Event
	Number int    // of it in the thread, from 1; it stays the same whatever is said later
	By     string // ID of the message that settled it
	Sent   time.Time
	Course []string // one line a message
}

var webAddress = pattern.Lazy(`(?i)\b(?:https?://|www\.)\S+`)

// asks tells whether a text puts a time forward and does not settle it.
func asks(text string) bool {
	text = webAddress().ReplaceAllString(strings.TrimSpace(text), "")
	return strings.Contains(text, "?") || phraseIn(text, askWords) != "" && phraseIn(text, []string{"works better for", "no better"}) == "" || phraseIn(text, wishWords) != "" && phraseIn(text, politeWords) == ""
}

// askWords put something forward, and so do wishWords but where politeWords say that it is only
// told: we would like to invite you.
var (
	askWords    = []string{"could we", "can we", "could you", "would it", "would you", "is better", "better", "rather", "prefer", "how about", "what about", "would suit", "would work", "could offer", "can offer", "offer you", "könnten ihnen anbieten", "pourrions vous proposer", "podríamos ofrecer", "potremmo offrire", "maybe", "perhaps", "propose", "suggest", "wondering", "if possible", "if you can", "ideally", "könnten wir", "wäre besser", "lieber", "vielleicht", "pourrait-on", "pouvons-nous", "plutôt", "peut-être", "podríamos", "mejor", "quizás", "potremmo", "meglio", "forse", "poderíamos", "melhor", "talvez", "kunnen we", "liever", "misschien"}
	wishWords   = []string{"hope to", "would like", "i'd like", "we'd like", "würde gern", "würde gerne", "würden gern", "würden gerne", "hätte gern", "hätten gern", "ich möchte", "wir möchten", "möchte ich", "möchten wir", "je voudrais", "j'aimerais", "nous voudrions", "nous aimerions", "quisiera", "quisiéramos", "me gustaría", "nos gustaría", "querría", "vorrei", "vorremmo", "gostaria", "gostaríamos", "queria", "zou graag", "zouden graag", "wil graag", "willen graag", "mag ik", "darf ich", "dürfen wir"}
	politeWords = []string{"to invite", "to remind", "to confirm", "to inform", "to let you know", "to announce", "to thank", "to welcome", "to draw", "to point out", "einladen", "erinnern", "bestätigen", "mitteilen", "hinweisen", "begrüßen", "informieren", "inviter", "rappeler", "confirmer", "informer", "annoncer", "invitar", "invitarle", "invitarles", "invitarte", "recordar", "recordarle", "recordarles", "confirmar", "informar", "informarle", "anunciar", "invitare", "invitarla", "invitarvi", "ricordare", "ricordarle", "ricordarvi", "confermare", "informare", "annunciare", "convidar", "convidá-lo", "convidá-los", "lembrar", "uitnodigen", "herinneren", "bevestigen", "meedelen", "aankondigen"}
)
