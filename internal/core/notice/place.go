package notice

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"almanach/internal/core/pattern"
)

// onlyPlace is a text that names a place and nothing else.
var onlyPlace = pattern.Lazy(`(?i)^(?:(?:north|south|east|west|inner|outer|old|new|main|upper|lower)\s+)?(?:berth|room|quay|pier|dock|hall|building|office|barn|shed|gate|slip|slipway|terminal|wharf|jetty|lock|yard|floor|kai|liegeplatz|raum|halle|gebäude|steg|salle|quai|poste|muelle|sala|molo|banchina|cais|kade|steiger|zaal|anchorage|boathouse|workshop|warehouse|station|gym)s?(?:\s+(?:no\.?\s*)?(?:[a-z]?\d+[a-z]?(?:\s*[-–/]\s*\d{1,2}|,? (?:and|&|und|et|y|e|to) \d{1,2})?|[A-Z](?:-\d{1,3})?))?$`)

// placey tells whether a text names a place by a noun of one.
func placey(text string) bool {
	for i, w := range strings.Fields(strings.ToLower(text)) {
		if placeNouns.has(strings.Trim(w, ",.;:")) || i < 3 && list(`channel fairway harbour harbor basin bridge yard street square gallery north south east west canal hafen becken brücke port bassin pont puerto puente porto ponte haven brug`).has(strings.Trim(w, ",.;:")) {
			return true
		}
	}
	return false
}

// placelike tells whether a text can be a place: short, and no sentence.
func placelike(text string) bool {
	words := strings.Fields(text)
	if len(words) == 0 || len(words) > 6 || strings.Contains(text, "@") {
		return false
	}
	first, _ := utf8.DecodeRuneInString(strings.TrimSpace(text))
	for _, w := range words {
		w = strings.ToLower(strings.Trim(w, ",.!?:"))
		if talk.has(w) || len(w) > 3 && weekdaysOf(w) != 0 || strings.HasSuffix(w, "ende") || strings.HasSuffix(w, "beginn") || list("zeit zeitraum sold booked full ausgebucht ausverkauft complet agotado esaurito esgotado lotado uitverkocht volgeboekt cancelled canceled moved postponed new changed only vessels traffic closed all weather tbc note see geschlossen gesperrt abgesagt entfällt frei besetzt fermé fermée annulé annulée cerrado cerrada chiuso chiusa fechado fechada gesloten dicht urlaub ferien dienst homeoffice congé vacances vacaciones ferie férias vakantie verlof leave eintritt entry admission entrance fee fees cost costs price prices ticket tickets karten kosten preis entrée tarif ingresso biglietti toegang kaartjes gruppe group groupe grupo gruppo groep team english german french spanish engl englisch deutsch").has(w) {
			return false
		}
	}
	if !slices.ContainsFunc(words, func(w string) bool { return !stages.has(strings.ToLower(strings.Trim(w, ",.!?:–-/"))) }) {
		return false
	}
	if !placey(text) && (!unicode.IsUpper(first) || utf8.RuneCountInString(strings.Trim(text, " .")) < 3 && !strings.ContainsAny(text, "0123456789")) { // v Cove (H), Film (PG)
		return false
	}
	return meaningful(text)
}

var nounPlace = pattern.Lazy(`(?i)\b(?:meeting )?(?:room|raum|zimmer|salle|sala|aula|zaal|lokaal):?\s+(?:n[or]\.?\s*)?[a-z]?\d{1,2}\.\d{1,3}[a-z]?\b|\b((?:north|south|east|west|inner|outer|old|new|main)\s+)?(berth|room|quay|pier|dock|hall|building|office|barn|shed|gate|slip|terminal|wharf|jetty|lock|kai|liegeplatz|raum|halle|gebäude|steg|salle|bureau|poste|quai|muelle|sala|molo|banchina|cais|kade|steiger|zaal|anchorage)s?\s+(no\.?\s*)?([a-z]?\d+[a-z]?(?:[-–/]\d{1,2}|(?:, \d{1,2})*,? (?:and|&|und|et|y|e|to) \d{1,2})?|[A-Z](?:-\d{1,3})?)\b`)

// house is a house or a room by its noun, and nowAt what says that something is there now.
var (
	house = pattern.Lazy(`(?i)\b(?:(?:council|town|club|harbour|meeting|sail|net|main|old|new) )?(?:boathouse|chamber|hall|office|library|canteen|workshop|warehouse|lighthouse|museum|school|church|chapel|clubhouse|house)\b`)
	nowAt = pattern.Lazy(`(?i)\binstead\b|\b(?:it|we|they|that|meeting|drill|talk)(?:'ll| will| shall)? (?:be|is|are|meet|takes place|take place|was moved|has moved|moves) (?:now )?(?:to |in |at )`)
)

// atNoun is a place by a noun of one, with an adjective or a name in front and no number.
var atNoun = pattern.Lazy(`(?:^|[\s,])(?:at|in|on|im|am|auf dem|beim)\s+the\s+((?:\p{L}+ )?(?:quay|pier|dock|hall|barn|shed|slipway|terminal|wharf|jetty|boathouse|workshop|warehouse|promenade|lighthouse|museum|school|chapel|church|canteen|club house|town hall|library|car park))\b`)

// properName cuts a place that begins with a name behind its last word that can be of it.
func properName(place string) string {
	words := strings.Fields(place)
	end := 0
	for i, w := range words {
		first, _ := utf8.DecodeRuneInString(w)
		bare := strings.ToLower(strings.Trim(w, ",.;:'\""))
		switch {
		case unicode.IsUpper(first), placeNouns.has(bare), unicode.IsDigit(first) && i > 0 && len(bare) <= 4:
			end = i + 1
		case list("of the de la le les du des del della dello di da do dos am an der den im van het and & -").has(bare):
		default:
			return strings.Join(words[:end], " ")
		}
	}
	return strings.Join(words[:end], " ")
}

// fromPlace is a way from one place to another.
var fromPlace = pattern.Lazy(`(?i)\b(?:from|von|vom|de|du|desde|da|dal|van)\s+(?:the\s+|la\s+)?(?:\p{L}+\s+)?(?:berth|room|quay|pier|dock|hall|shed|gate|slip|terminal|wharf|jetty|kai|liegeplatz|steg|salle|poste|quai|muelle|sala|molo|banchina|cais|kade|steiger|anchorage)\s+[a-z]?\d*[a-z]?\s*(?:to|nach|zu|zum|auf|à|au|a|al|hasta|para|naar)\s+(?:the\s+)?((?:berth|room|quay|pier|dock|hall|shed|gate|slip|terminal|wharf|jetty|kai|liegeplatz|steg|salle|poste|quai|muelle|sala|molo|banchina|cais|kade|steiger|anchorage)\s+(?:[a-z]?\d+[a-z]?|[A-Z])\b)`)

// placeIn finds a place in a sentence.
func placeIn(text string) string {
	text = strings.ReplaceAll(text, "\x00", " ")
	if m := atNoun().FindStringSubmatch(text); m != nil { // at the passenger quay, before any name
		if place := tidy(m[1]); !named(place) {
			return place
		}
	}
	if m := fromPlace().FindStringSubmatch(text); m != nil { // from berth 2 to berth 5: it is at the second
		return strings.ToUpper(m[1][:1]) + m[1][1:]
	}
	if at := nounPlace().FindStringIndex(text); at != nil && !endsWith(strings.ToLower(text[:at[0]]), []string{"use", "using", "via", "past", "not in", "not at", "instead of"}) { // use room 3 instead
		m := text[at[0]:at[1]]
		return strings.ToUpper(m[:1]) + m[1:]
	}
	if m := atPlace().FindStringSubmatch(text); m != nil && !named(m[1]) && len(strings.Fields(m[1])) <= 6 && !talk.has(strings.ToLower(strings.Fields(m[1])[0])) {
		place := tidy(m[1])
		for _, stop := range []string{" for ", " with ", " on ", " and ", " from ", " to ", " will ", " is ", " are ", " was ", " were ", " has ", " have ", " between ", " until ", " because ", " would ", " works ", " by ", " followed", " before ", " after ", " or ", " and then ", " then ", " until ", " from ", " since ", " this ", " next ", " afternoon", " morning", " evening", " tomorrow", " today", " if ", " at ", " as "} {
			if i := strings.Index(place, stop); i > 0 {
				place = place[:i]
			}
		}
		if first, _ := utf8.DecodeRuneInString(place); unicode.IsUpper(first) {
			place = properName(place)
		}
		if place = tidy(place); placelike(place) {
			return place
		}
	}
	return ""
}

// named tells whether a text begins with the name of a day or a month.
func named(text string) bool {
	first := strings.ToLower(strings.Trim(strings.Fields(text)[0], ".,"))
	return weekdaysOf(first) != 0 || monthOf(first) != 0
}
