package notice

import (
	"strings"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// offWord is a word of a heading below which nothing may take place: Cancellations, Ausfälle. Of
// an outage (Ausfall der Heizung) the days are those on which it is.
var offWord = pattern.Lazy(`(?i)(?:^|\P{L})(?:cancell?ations?|cancell?ed|called off|postponed|postponements?|\p{L}*ausfälle$|ausgefallen(?:e|er)?|entfällt|entfallen(?:de)?|entfallene|abgesagt(?:e|er)?|absagen|gestrichen(?:e|er)?|verschoben(?:e|er)?|annulations?|annulé(?:e|s|es)?|supprimé(?:e|s|es)?|suppressions|reporté(?:e|s|es)|cancelaci(?:ones|ón)|cancelad[oa]s?|suspendid[oa]s|aplazad[oa]s?|cancellazion[ei]|cancellat[ioea]|annullat[ioea]|annullamenti|soppress[ioea]|rinviat[ioea]|cancelamentos?|adiad[oa]s?|afgelast(?:e|ingen)?|geannuleerd(?:e)?|annuleringen|vervallen|uitgestelde?)(?:$|\P{L})`)

// offHeading tells whether a heading says that what stands below it may not take place.
func offHeading(heading string) bool {
	heading = strings.TrimRight(strings.TrimSpace(heading), ":.! ")
	return heading != "" && len(strings.Fields(heading)) <= 8 && offWord().MatchString(heading) && !denied(heading) && !strings.Contains(strings.ToLower(heading), "not ")
}

// stateOnly is a title that says a state, and not of what.
var stateOnly = pattern.Lazy(`(?i)^(?:suspended|suspendid[oa]s?|sospes[oaie]|suspens[oa]s?|suspendue?s?|ausgesetzt|opgeschort|postponed|verschoben|reportée?s?|aplazad[oa]s?|rinviat[oaie]|adiad[oa]s?|uitgesteld|unconfirmed|provisional|tentative|vorläufig|provisoire|provisional|provvisori[oa]|voorlopig)$`)

// hoursInTitle are two hours of which one is written with two figures: 06–14.
var hoursInTitle = pattern.Lazy(`(?:^|[^\d.,:/-])(?:0\d[–-](?:[01]\d|2[0-4])|(?:[01]\d|2[0-4])[–-]0\d)(?:[^\d.,:/-]|[.,]?$|[.,]\s)`)

// onWords say of one line below such a heading that it takes place.
var onWords = []string{"additional", "extra", "replacement", "instead", "zusätzlich", "zusätzliche", "ersatz", "stattdessen", "supplémentaire", "adicional", "aggiuntivo", "aggiuntiva", "vervangend", "vervangende"}

// underOff holds what stands below such headings, where it does not say for itself that it is
// cancelled, that it is on, or what the heading says. So it does with titles that are none.
func (d *document) underOff() {
	for i := range d.out.Events {
		e := &d.out.Events[i]
		if e.Held == nil && !e.Cancelled && e.AllDay && e.NoTime && hoursInTitle().MatchString(e.What) {
			e.Held = fault.New(fault.Shorten(e.Text, 80), "has no time of its own, and its title seems to say one").Do("write each event into a line of its own, with its day and its times in full")
		}
		if e.Held == nil && !e.Cancelled && stateOnly().MatchString(strings.Trim(e.What, " .()!")) {
			e.Held = fault.New(fault.Shorten(e.What, 60), "is said of something that the line does not name").Do("say in its line what it is, and whether it takes place")
		}
		if e.Held == nil && !e.Cancelled && offHeading(e.Heading) && !strings.EqualFold(e.What, strings.TrimRight(e.Heading, ": ")) && phraseIn(e.Text, onWords) == "" {
			e.Held = fault.New(fault.Shorten(e.Heading, 60), "is the heading that it stands under").Do("say in its line whether it takes place, or take the line away")
		}
	}
}
