package notice

import (
	"strings"
	"sync"
)

// labelled brings blocks of labels together: lines of "label: value" that follow
// each other and say a day.
func labelled(units []unit) []unit {
	var out []unit
	for n := 0; n < len(units); {
		block, end := []Field(nil), n
		for ; end < len(units); end++ {
			u := units[end]
			m := labelLine().FindStringSubmatch(u.text)
			if m == nil || u.level > 0 || len(u.fields) > 0 || u.item && end == n && !isLabel(m[1]) {
				break
			}
			if !isLabel(m[1]) && (len(strings.Fields(m[1])) > 3 || startsWithDate(m[1])) {
				break
			}
			if end > n && repeatsLabel(block, m[1]) || end > n && u.gap {
				break
			}
			block = append(block, Field{m[1], m[2]})
		}
		if len(block) >= 2 && saysWhen(block) {
			u := units[n]
			u.fields, u.text = block, joinUnits(units[n:end])
			for _, other := range units[n:end] {
				u.struck = u.struck && other.struck
			}
			out = append(out, u)
			n = end
			continue
		}
		out = append(out, units[n])
		n++
	}
	return out
}

func joinUnits(units []unit) string {
	texts := make([]string, len(units))
	for i, u := range units {
		texts[i] = u.text
	}
	return strings.Join(texts, " / ")
}

func repeatsLabel(block []Field, label string) bool {
	for _, f := range block {
		if strings.EqualFold(f.Label, label) {
			return true
		}
	}
	return false
}

func saysWhen(block []Field) bool {
	for _, f := range block {
		switch labelOf(f.Label) {
		case "when", "date", "start":
			return true
		case "time":
			if (&reader{text: f.Value, toks: scan(f.Value)}).hasDate() {
				return true
			}
		}
	}
	return false
}

// labels are what a label or the heading of a column says that its value is.
var labels = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	for field, words := range map[string]string{
		"when":     "when wann quand cuándo cuando quando wanneer date_and_time date/time termin slot date_&_time datum_und_uhrzeit zeitpunkt moment dates closed closure period zeitraum",
		"date":     "date day datum tag jour fecha día dia data giorno dag on the_date new_date",
		"time":     "time at uhrzeit zeit heure hora ora tijd times hours hour new_time horaire horaires horario horário orario orari tijdstip tijden from_-_to from/to from_–_to von_-_bis von_–_bis de_-_à",
		"start":    "start from an begin begins starts beginning beginn von ab début debut du inicio desde inizio dal início van vanaf eta arrival arrives arr arrived etb in start_date start_time anfang check-in departure_from anreise ankunft arrivée llegada arrivo chegada aankomst arriving berthing first_day erster_tag premier_jour primer_día primo_giorno primeiro_dia eerste_dag date_from from_date effective_from",
		"end":      "end to until till ends ende bis fin hasta fine al fim até tot einde etd departure departs dep departed ets sailing out end_date end_time finish check-out abreise abfahrt départ salida partenza partida saída vertrek leaving last_day letzter_tag dernier_jour último_día ultimo_giorno último_dia laatste_dag date_to to_date effective_to",
		"length":   "length duration how_long dauer durée duración durata duração duur",
		"where":    "where place location venue room hall berth quay salle sala saal zaal halle locatie ubicación endroit sitio muelle cais molo kade kai treffpunkt wo ort où lieu dónde donde lugar dove luogo onde local waar plaats address meeting_place liegeplatz raum area",
		"what":     "what event subject title topic about betreff was quoi objet asunto qué oggetto cosa assunto wat onderwerp re activity work works job purpose reason anlass zweck motif motivo betreff: description name service measure task item race maßnahme gewerk bezeichnung titel titre título titolo thema thème tema objet désignation intitulé lavori trabajo trabalho werkzaamheden",
		"who":      "who with attendees participants people wer mit qui avec quién quien con chi com quem wie met contact kontakt contacto contatto contato ansprechpartner e-mail email mail cc agent requested_by teilnehmer instructor teacher tutor trainer lecturer speaker leader inspector responsible provider doctor driver pilot leitung referent dozent verantwortlich intervenant responsable formateur ponente docente relatore formador orador docent spreker",
		"note":     "doors doors_open einlass ouverture_des_portes apertura_de_puertas apertura_porte abertura_das_portas inloop téléphone teléfono telefono telefone telefoon kosten gebühr tarif tarifa tariffa organiser organizer organised_by organized_by host hosted_by phone tel telephone telefon fax fee fees price cost costs admission tickets preis prix precio prezzo preço prijs number order_number order_no booking_number booking_no reference reference_number ref id meeting_id passcode password link url website web capacity places note notes remark remarks comment comments bemerkung remarque nota opmerking",
		"status":   "status state",
		"invited":  "invited eingeladen invités convocados invitati convidados genodigden audience target_group zielgruppe",
		"reserve":  "rain_date reserve_date reserve alternative_date alternative fallback_date ersatztermin ausweichtermin date_de_repli fecha_alternativa data_alternativa data_di_riserva reservedatum",
		"deadline": "deadline book_by bookings_close reply_by rsvp apply_by registration_closes anmeldeschluss due due_date closing_date registration_by registration_until register_by answer_by respond_by anmeldung_bis anmeldefrist rückmeldung_bis frist antwort_bis date_limite réponse_avant inscription_avant inscriptions_avant fecha_límite plazo inscripción_hasta scadenza iscrizioni_entro risposta_entro prazo inscrições_até inschrijven_tot aanmelden_tot aanmelden_vóór uiterste_datum",
		"made":     "printed issued updated published last_changed last_updated last_modified created date_of_issue sent received submitted submitted_at submitted_on stand erstellt gedruckt imprimé publié version revision timestamp effective_date in_force as_of stand_vom état_au situation_au booked_on ordered_on booking_date order_date invoice_date ordered booked registered signed approved reopens reopening valid_until valid_from expires mis_à_jour mise_à_jour publié_le édité_le actualizado publicado aggiornato pubblicato atualizado bijgewerkt gepubliceerd aktualisiert veröffentlicht gültig_bis gültig_ab valable_jusqu'au válido_hasta valido_fino_al válido_até geldig_tot next_update nächste_aktualisierung prochaine_mise_à_jour",
		"former":   "previous_date old_date former_date original_date bisheriger_termin alter_termin bisheriges_datum altes_datum ancienne_date fecha_anterior antigua_fecha vecchia_data data_precedente data_anterior data_antiga oude_datum vorige_datum",
	} {
		for w := range strings.FieldsSeq(words) {
			out[strings.ReplaceAll(w, "_", " ")] = field
		}
	}
	return out
})

func labelOf(label string) string {
	label = strings.ToLower(strings.Join(strings.Fields(strings.Trim(label, " :*?.")), " "))
	if f := labels()[label]; f != "" {
		return f
	}
	for _, prefix := range []string{"planned ", "scheduled ", "expected ", "estimated ", "actual ", "proposed ", "requested ", "desired ", "preferred ", "new ", "geplanter ", "geplantes ", "geplante ", "voraussichtlicher ", "voraussichtliches ", "voraussichtliche ", "vorauss. ", "verwacht ", "verwachte ", "vermoedelijk ", "date of ", "time of "} {
		if short, ok := strings.CutPrefix(label, prefix); ok {
			if f := labels()[short]; f != "" {
				return f
			}
		}
	}
	for _, suffix := range []string{" date", " time", " on", " at", " (utc)", " (local)", " prévu", " prévue", " previsto", " prevista", " estimado", " estimada", " voraussichtlich", " (geplant)", " (planned)", " (expected)", " (estimated)"} {
		if short, ok := strings.CutSuffix(label, suffix); ok {
			if f := labels()[short]; f != "" {
				return f
			}
		}
	}
	return ""
}

func isLabel(label string) bool { return labelOf(label) != "" }

// Labels tells how many of some labels are known, and whether one of them is of a day or
// a beginning.
func Labels(texts []string) (known int, when bool) {
	for _, text := range texts {
		switch labelOf(text) {
		case "":
		case "when", "date", "start":
			when = true
			fallthrough
		default:
			known++
		}
	}
	return known, when
}
