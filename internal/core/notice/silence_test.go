package notice

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"almanach/internal/core/moment"
	"almanach/internal/core/pattern"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var plainDate = regexp.MustCompile(`(?i)\b(?:\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./](?:20)?\d\d|\d{1,2}(?:st|nd|rd|th)?\.? (?:of )?(?:january|february|march|april|may|june|july|august|september|october|november|december)\b|(?:january|february|march|april|june|july|august|september|october|november|december) \d{1,2}\b)`)

// heads is a line that is only a day, or a title with one, which holds for what stands
// below it.
var heads = pattern.Lazy(`^(?:\p{L}+,? )?\d{1,2}(?:\. | )\p{L}+(?: \d{4})?:?$|^\p{Lu}[^.]* \d{4}$`)

// lost gives the dates of a text that nothing is said of.
func lost(text string, f Found) (out []string) {
	for _, date := range plainDate.FindAllString(text, -1) {
		said := slices.ContainsFunc(strings.Split(text, "\n"), func(line string) bool { return heads().MatchString(line) && strings.Contains(line, date) })
		for _, e := range f.Events {
			said = said || strings.Contains(e.Text, date) || strings.Contains(e.Heading, date)
		}
		for _, p := range f.Passed {
			said = said || strings.Contains(p.Text, date)
		}
		if !said {
			out = append(out, date)
		}
	}
	return out
}

// Every date of a text is of an event, or held, or passed over: none goes unsaid.
func TestNothingLost(t *testing.T) {
	files, _ := filepath.Glob("testdata/corpus/*.txt")
	for _, file := range files {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		text, _, _ := strings.Cut(string(data), "\n-----\n")
		for _, set := range []Settings{{Present: monday}, {Present: monday, Stated: monday, Message: true, Subject: "Fender check"}} {
			assert.Empty(t, lost(text, Read(linesOf(text), set)), file)
		}
	}
}

// What is understood in part is held, and not loaded by that part.
func TestHalfRead(t *testing.T) {
	for text, want := range map[string]string{
		"The crane check is moved to Thursday 12 March 14:00 and the lamp check to Friday 13 March 10:00.":   "held, held",
		"Postponed: dredging from 3 March 2026 to 10 March 2026, diving from 4 March 2026 to 12 March 2026.": "held, held",
		"The crane check of 3 March is moved to 5 March.":                                                    "2026-03-05, passed over",
		"Dredging: 32.13.2026":                                                                                                "held",
		"Dredging on 12 of March at 25:00":                                                                                    "held",
		"Crane check March 5-7, 9, 11; lamp check March 12.":                                                                  "held, held",
		"Crane check March 5 and 7, 2 boats.":                                                                                 "2026-03-05, 2026-03-07",
		"5 March 2026 10:00 Crane instead of 6 March 2026 12:00 Lamp":                                                         "2026-03-05 10:00, passed over",
		"Friday, 5 June 2026\nThe ceremony starts at 17:00.\nDinner is at 20:00.":                                             "2026-06-05 17:00, 2026-06-05 20:00",
		"When: 5 March 2026 10:00\nWhat: Dredging\nOr: 6 March 2026 10:00":                                                    "held, passed over",
		"Start: 5 March 2026 10:00\nEnd: whenever\nEvent: Lamp check":                                                         "held",
		"Date: 5 March 2026\nTime: 10:00\nDuration: a while\nEvent: Lamp check":                                               "held",
		"El muelle está cerrado hasta el 15 de mayo de 2026.":                                                                 "held",
		"O cais está fechado até ao dia 15 de maio de 2026.":                                                                  "held",
		"De kade is gesloten tot en met 15 mei 2026.":                                                                         "held",
		"The quay is closed up to and including 3 April 2026.":                                                                "held",
		"À partir du 3 avril 2026, le quai est fermé.":                                                                        "held",
		"Dès le 3 avril 2026, le quai est fermé.":                                                                             "held",
		"Dal 3 aprile 2026 il molo è chiuso.":                                                                                 "held",
		"Met ingang van 3 april 2026 is de kade gesloten.":                                                                    "held",
		"Starting 3 April 2026, the quay is closed.":                                                                          "held",
		"De kade is gesloten van 3 april tot en met 15 mei 2026.":                                                             "2026-04-03 – 2026-05-15",
		"O cais está fechado de 3 de abril até ao dia 15 de maio de 2026.":                                                    "2026-04-03 – 2026-05-15",
		"La mostra dal 3 aprile fino al giorno 15 maggio 2026.":                                                               "2026-04-03 – 2026-05-15",
		"We need the workboat for three days starting on 23 March.":                                                           "2026-03-23 – 2026-03-25",
		"Drill on 20 March from 9:00 to 10:00. Your letter of 3 February 2026 is lost. Parking costs 2.50 an hour.":           "2026-03-20 09:00 – 2026-03-20 10:00, passed over",
		"Crane test is on 24 May 2026. It begins at 1015 hrs.\nThe drill is on 4 July 2026. It begins at 18.15.":              "held, held, passed over",
		"Booked for the open day on 19 June 2026, 1745 hrs until 1945 hrs.\nDrill takes place on 2 July from 15.30 to 17.30.": "2026-06-19 17:45 – 2026-06-19 19:45, 2026-07-02 15:30 – 2026-07-02 17:30",
		"The boat inspection is on 1 October 2026 at 1830 hrs. Tickets are 12.50 each.":                                       "2026-10-01 18:30",
		"Ramp B on 14 April, from 22.00 each night until 05.00":                                                               "2026-04-14 22:00 – 2026-04-15 05:00",
		"Dredging on 14 May 2026 at 9:00.\nStand: Mittwoch (25.02.2026)":                                                      "2026-05-14 09:00, passed over",
		"Dragage le 14 mai 2026 à 9h.\nFait à Tarn Haven, le 2 mars 2026":                                                     "2026-05-14 09:00, passed over",
		"Dredging on 14 May 2026 at 9:00.\n\nTarn Haven, den Mittwoch (25.02.2026)":                                           "2026-05-14 09:00, passed over",
		"Le test sera fait le 14 mai 2026 à 10h.":                                                                             "2026-05-14 10:00",
		"The office is open Monday to Friday from 9:00 to 17:00.":                                                             "passed over",
		"Le 20 mars 2026, 9 h 30 - 10 h 30 : visite":                                                                          "2026-03-20 09:30 – 2026-03-20 10:30",
		"Diving works 7-17 April 2026 excluding weekends":                                                                     "held",
		"Diving works on alternate days from 7 to 17 April 2026":                                                              "held",
		"Übung jeden zweiten Tag vom 7. bis 17. April 2026":                                                                   "held",
		"Exercice un jour sur deux du 7 au 17 avril 2026":                                                                     "held",
		"Simulacro en días alternos del 7 al 17 de abril de 2026":                                                             "held",
		"Oefening om de dag van 7 tot 17 april 2026":                                                                          "held",
		"Fermeture du 7 au 17 avril 2026 hors week-ends":                                                                      "held",
		"Cierre del 7 al 17 de abril de 2026, salvo fines de semana":                                                          "held",
		"Chiusura dal 7 al 17 aprile 2026 esclusi festivi":                                                                    "held",
		"Fecho de 7 a 17 de abril de 2026, exceto fins de semana":                                                             "held",
		"Sluis dicht van 7 t/m 17 april 2026, m.u.v. weekenden":                                                               "held",
		"Sperrung vom 7. bis 17. April 2026, nicht an Sonntagen":                                                              "held",
		"Inspection 7 April 2026 (PM slot)":                                                                                   "held",
		"Open day Sunday 12 April 2026, 11 till late":                                                                         "held",
		"Bridge lifts 7 April 2026: 0615/1215/1815":                                                                           "held",
		"Lock closed 7 April 2026, reopening 9 April 2026 at 06:00":                                                           "held, passed over",
		"Sluis dicht 7 april 2026, weer open 9 april om 6 uur":                                                                "held, passed over",
		"Cierre del dique el 7 de abril de 2026, reapertura el 9 a las 6:00":                                                  "held",
		"The slipway will be closed on 7 April 2026. It reopens on 9 April.":                                                  "held, passed over",
		"The office will be closed on Friday 13 March 2026. It reopens on Monday 16 March.":                                   "2026-03-13, passed over",
		"The slipway is closed 7-8 April 2026 and reopens on 9 April 2026.":                                                   "2026-04-07 – 2026-04-08, passed over",
		"Training days 2026\n7 April (basics)\n5 May (advanced)\nUnless stated, training starts at 9:00.":                     "held, held, passed over",
		"April 2026\nMo 6 Büro geschlossen\nDi 7 Kranprüfung 9-11 Uhr":                                                        "2026-04-06, 2026-04-07 09:00 – 2026-04-07 11:00",
		"Pilot course part 1 on 7 April 2026, part 2 on 14 April 2026, both 9 to 12.":                                         "held, held",
		"Closing dates: entries 20 March 2026, results 30 March 2026":                                                         "passed over",
		"Tuesday, April 7th, 2026, from nine to half past eleven: crane inspection":                                           "2026-04-07 09:00 – 2026-04-07 11:30",
		"Kranprüfung am 7. April 2026 von neun bis halb zwölf":                                                                "2026-04-07 09:00 – 2026-04-07 11:30",
		"MV HERON\nETA: 07.04.2026 / 06:00\nETB: 07.04.2026 / 07:30\nETD: 08.04.2026 / 18:00":                                 "held",
		"Tuesday 7 April 2026: fish, 4.50":                                                                                    "held",
		"Meeting on 7 April 2026, 1:30-3:30":                                                                                  "held",
		"Meeting on 7 April 2026, 1:30-3:30 pm":                                                                               "2026-04-07 13:30 – 2026-04-07 15:30",
		"Programme for 7 April 2026\n11:30 Break\n12:00 End":                                                                  "2026-04-07 11:30, passed over",
		"From 7 April 2026 we meet at 10.":                                                                                    "held",
		"Starting 7 April 2026 we meet at 10.":                                                                                "held",
		"Dal 7 aprile 2026 ci vediamo alle 10.":                                                                               "held",
		"Vanaf 7 april 2026 vergaderen we om 10 uur.":                                                                         "held",
		"From 7 April 2026, 10:00, the lock is closed.":                                                                       "held",
		"Webinar 7 April 2026 10:00 Lisbon / 11:00 Paris":                                                                     "held, held",
		"Di 7.4.2026 18-20 Ruderverein\n20-22 Chor":                                                                           "2026-04-07 18:00 – 2026-04-07 20:00, 2026-04-07 20:00 – 2026-04-07 22:00",
		"Wartung Kran 2\nBeginn: 07.04.2026, 08:00 Uhr\nvoraussichtliches Ende: 09.04.2026, 16:00 Uhr":                        "2026-04-07 08:00 – 2026-04-09 16:00",
		"Crane check 7 April 2026 930":                                                                                        "held",
		"Crane check 7 April 2026, 10-ish":                                                                                    "held",
		"On the evening of 5 March 2026 at 2 we meet.":                                                                        "held",
		"On the afternoon of 5 March 2026 at 10 we meet.":                                                                     "held",
		"On the evening of 5 March 2026 at 19:30 we meet.":                                                                    "2026-03-05 19:30",
		"On 5 March 2026 at 8:15 we leave the inner basin for the outer one, and all of it is over in the evening.":           "2026-03-05 08:15",
		"On 5 March 2026, in the morning and the evening, at 7, we meet.":                                                     "held",
		"7 April 2026, hourly from 8 to 12: harbour tours":                                                                    "held",
		"Duty 7 April 2026: Brin (6-14), Soren (14-22), Imre (22-6)":                                                          "held, held, held",
		"Annual leave: Brin 6-10 April 2026, Soren 13-17 April 2026 (am only)":                                                "held, held",
		"Silver Gull 12.04.2026 08:00 - 10:00 +1":                                                                             "held",
		"Grey Petrel 9 April 2026 07:00 - 17:00 (overnight)":                                                                  "held",
		"Waste collection April 2026: paper 7th, 21st; glass 14th; garden 28th":                                               "passed over",
		"Harbour day 11 April 2026\n12.00 Lunch\nfrom 14.00 Regatta\napprox. 17.00 Prize giving":                              "2026-04-11 12:00, 2026-04-11 14:00, passed over",
		"The north quay is closed for works\nfrom 9 April 2026\nto 10 April 2026":                                             "2026-04-09 – 2026-04-10",
		"Der Kai ist gesperrt\nab 9. April 2026 bis 10. April 2026":                                                           "2026-04-09 – 2026-04-10",
		"Von: Brin\nAn: Soren\nDatum: 7. April 2026\nUhrzeit: 10 Uhr\nBetreff: Kranprüfung":                                   "2026-04-07 10:00",
		"Crane inspection 2026-04-07T10:00:30":                                                                                "held",
		"Crane inspection 2026-04-07T10:00:00.000":                                                                            "2026-04-07 10:00",
		"Nächste Sitzung: 14. April 2026, 10 Uhr (bitte Unterlagen bis 10. April einreichen)":                                 "2026-04-14 10:00, passed over",
		"The meeting, originally on 6 April 2026, is now on 7 April 2026.":                                                    "2026-04-07, passed over",
		"Night shift 7 April 2026 10-6":                                                                                       "2026-04-07 22:00 – 2026-04-08 06:00",
		"El 3 de abril de 2026 el muelle está cerrado hasta las 10:00.":                                                       "held",
		"No dia 3 de abril de 2026 o cais está fechado até às 10h00.":                                                         "held",
		"On 3 April 2026 the quay is closed before 10:00.":                                                                    "held, passed over",
		"Am 3. April 2026 ist der Kai vor 10 Uhr gesperrt.":                                                                   "held",
		"Op 3 april 2026 is de kade vanaf 10.00 uur gesloten.":                                                                "held",
		"La visita es el 3 de abril de 2026 por la mañana.":                                                                   "held",
		"In de nacht van 3 op 4 april 2026 van 22.00 tot 2.00 uur werk.":                                                      "held",
		"Na noite de 3 para 4 de abril de 2026, das 22h00 às 2h00, obras.":                                                    "held",
		"Am 3. April 2026 um Viertel elf Prüfung.":                                                                            "held",
		"Il primo aprile 2026 alle 10:00, visita.":                                                                            "2026-04-01 10:00",
		"El primero de abril de 2026 a las 10:00, visita.":                                                                    "2026-04-01 10:00",
		"Am 3. April 2026 um drei Viertel elf Prüfung.":                                                                       "2026-04-03 10:45",
		"Il 3 aprile 2026 alle 10 di sera, visita.":                                                                           "2026-04-03 22:00",
		"Op 3 april 2026 om 10 uur 's avonds bezoek.":                                                                         "2026-04-03 22:00",
		"Le 3 avril 2026 à 3 h de l'après-midi, visite.":                                                                      "2026-04-03 15:00",
		"A las 2 de la noche del 3 de abril de 2026 hay obras.":                                                               "2026-04-03 02:00",
		"Il 3 aprile 2026 alle 11 di notte, lavori.":                                                                          "2026-04-03 23:00",
		"No hay reunión el 7 de abril de 2026.":                                                                               "held",
		"Il 7 aprile 2026 non c'è riunione.":                                                                                  "held",
		"Não haverá visita a 7 de abril de 2026 às 10h00.":                                                                    "held",
		"The pilot will not board on 7 April 2026 at 10:00.":                                                                  "held",
		"No sailings on 7 April 2026.":                                                                                        "2026-04-07",
		"La chiusa non funziona il 7 aprile 2026.":                                                                            "2026-04-07",
		"7 April 2026, 10:00: Talk of nothing but the sea":                                                                    "2026-04-07 10:00",
		"La reunión se traslada del 6 de abril de 2026 a las 10:00 al 7 de abril de 2026 a las 11:00.":                        "2026-04-07 11:00",
		"A reunião passa de 6 de abril para 7 de abril de 2026.":                                                              "2026-04-07, passed over",
		"La riunione passa dal 6 al 7 aprile 2026.":                                                                           "2026-04-07",
		"La réunion passe du 6 au 7 avril 2026.":                                                                              "2026-04-07",
		"The meeting of 6 April 2026 will be on 7 April 2026 instead.":                                                        "held, held",
		"La riunione del 6 aprile 2026 si terrà il 7 aprile 2026.":                                                            "held, held",
		"Every Tuesday from 7 April 2026 at 9:00 there is a meeting.":                                                         "held",
		"Jeden Dienstag ab 7. April 2026 um 9 Uhr Sitzung.":                                                                   "held",
		"Every Tuesday from 7 April to 30 June 2026: meeting.":                                                                "held, held",
		"Elke twee weken vanaf 7 april 2026 om 9 uur: oefening.":                                                              "held",
		"Weekly meeting from 7 April 2026 at 9:00.":                                                                           "held",
		"The monthly drill is on 7 April 2026 at 9:00.":                                                                       "2026-04-07 09:00",
		"Every Tuesday: 7, 14 and 21 April 2026":                                                                              "held, 2026-04-07, 2026-04-14, 2026-04-21",
		"Exercice le 7 avril 2026 à 10 h, durée 1 h 30.":                                                                      "2026-04-07 10:00 – 2026-04-07 11:30",
		"Übung am 7. April 2026 um 10 Uhr, Dauer 1 Std. 30 Min.":                                                              "2026-04-07 10:00 – 2026-04-07 11:30",
		"Oefening op 7 april 2026 om 10 uur, duur anderhalf uur.":                                                             "2026-04-07 10:00 – 2026-04-07 11:30",
		"Esercitazione il 7 aprile 2026 alle 10:00, durata un'ora e mezza.":                                                   "2026-04-07 10:00 – 2026-04-07 11:30",
		"Drill on 7 April 2026 at 10:00, duration 1:30.":                                                                      "2026-04-07 10:00 – 2026-04-07 11:30",
		"Oefening 7 april 2026 om tien over half elf.":                                                                        "2026-04-07 10:40",
		"Übung 7. April 2026, fünf vor halb elf.":                                                                             "2026-04-07 10:25",
		"Ejercicio 7 de abril de 2026 a las once y treinta y cinco.":                                                          "2026-04-07 11:35",
		"Exercício 7 de abril de 2026 às dez para as onze.":                                                                   "2026-04-07 10:50",
		"Exercice 7 avril 2026 à onze heures vingt.":                                                                          "2026-04-07 11:20",
		"Exercice 7 avril 2026, dix heures et demie.":                                                                         "2026-04-07 10:30",
		"Drill 7 April 2026 at ten forty-five.":                                                                               "2026-04-07 10:45",
		"Alle 10 e 30 del 7 aprile 2026, esercitazione.":                                                                      "2026-04-07 10:30",
		"Am 7. April 2026 um 10 Uhr zehn Boote.":                                                                              "held",
		"Drill the day after 7 April 2026 at 10:00.":                                                                          "held",
		"Ejercicio la víspera del 7 de abril de 2026 a las 10:00.":                                                            "held",
		"Oefening de dag na 7 april 2026 om 10 uur.":                                                                          "held",
		"Depois de 7 de abril de 2026, reunião.":                                                                              "held",
		"Drill 7 April 2026 T10:00Z.":                                                                                         "held",
		"Drill 7 April 2026 c. 10.":                                                                                           "held",
		"Drill 7 April 2026 10:00+.":                                                                                          "held",
		"Drill 7 April 2026, 10ish.":                                                                                          "held",
		"Crane 2, 7 April 2026, 9-12: check.":                                                                                 "2026-04-07 09:00 – 2026-04-07 12:00",
		"Grue 2, 7 avril 2026 : contrôle.":                                                                                    "2026-04-07",
		"Dredging 6, 7 April 2026.":                                                                                           "2026-04-06, 2026-04-07",
		"Dredging 6 to 10 and 13 to 17 April 2026.":                                                                           "held",
		"Dredging 6.-10. und 13.-17. April 2026.":                                                                             "held",
		"Dredging 2026-04-06/2026-04-17":                                                                                      "held",
		"Am 7. April 2026 wird Kran 2 von 9 bis 12 und Kran 3 von 13 bis 15 Uhr geprüft.":                                     "held, held",
		"Dredging 7 April 2026, 9:00, max. 3 hours.":                                                                          "held",
		"Dredging 7 April 2026, 9:00, about 3 hours.":                                                                         "2026-04-07 09:00 – 2026-04-07 12:00",
		"Drill 7 April 2026, 10 UTC":                                                                                          "held",
		"Drill 7 April 2026 h 10":                                                                                             "held",
		"Drill 7 April 2026 9 12":                                                                                             "held",
		"Drill 7 April 2026, ten":                                                                                             "held",
		"Drill 7 April 2026, previously 6 April 2026, at 10:00.":                                                              "held, passed over",
		"Drill 7 April 2026, 9-12 years.":                                                                                     "held",
		"Drill 7 April 2026, 10:00?":                                                                                          "held",
		"Drill 7 April 2026 at 10:00 unless it rains.":                                                                        "held",
		"Dredging 2026-04-06..17":                                                                                             "held",
		"Visita na terça 7 de abril de 2026 às 10h00.":                                                                        "2026-04-07 10:00",
		"Drill 7 April 2026 10 o clock":                                                                                       "held",
		"Meeting weekly, first on 7 April 2026 at 9:00.":                                                                      "held",
		"Drill on 7 April 2026 at 10:00, duration three blasts.":                                                              "held",
		"Drill on 7 April 2026, 10:00, 2 hours 30.":                                                                           "held",
		"Drill on 7 April 2026, 10:00, lasts 2 hours 30.":                                                                     "2026-04-07 10:00 – 2026-04-07 12:30",
		"Alle 6 Wochen ab 7. April 2026: Übung.":                                                                              "held",
		"The meeting of 6 April 2026 at 10:00 will be on 7 April 2026 at 11:00.":                                              "held, held",
		"Meeting of 6 April 2026 is on 7 April 2026.":                                                                         "held, held",
		"Drill on 7 April 2026 at 10:00, finishing by 12:00.":                                                                 "held, passed over",
		"Beginn 10 Uhr, Ende 12 Uhr: Übung am 7. April 2026.":                                                                 "held, held",
		"Heron läuft am 7. April 2026 um 6:30 Uhr ein und am 9. April um 18 Uhr aus.":                                         "held, held",
		"Heron chega a 7 de abril de 2026 às 6h30 e parte a 9 de abril às 18h00.":                                             "held, held",
		"Heron arrive le 7 avril 2026 à 6 h 30 et repart le 9 avril à 18 h.":                                                  "2026-04-07 06:30 – 2026-04-09 18:00",
		"Vortrag am 7. April 2026 um 10 Uhr c.t.":                                                                             "held",
		"We propose 7 April 2026 at 10:00 for the drill.":                                                                     "held",
		"Would 7 April 2026 at 10:00 suit you?":                                                                               "held",
		"Start of works: 7 April 2026. End of works: 9 April 2026.":                                                           "2026-04-07, held",
		"Tug Brin stands by on 7 April 2026 from 22:00 until the ship has sailed.":                                            "held",
		"Tug Brin stands by on 7 April 2026, 22:00 to end of shift.":                                                          "held",
		"Course 7 April 2026, 4 x 45 min from 9:00.":                                                                          "held",
		"Corso: 4 martedì dal 7 aprile 2026, ore 19-21.":                                                                      "held",
		"Course 7 April 2026 (9-12) and 14 April 2026 (9-12), exam 21 April 2026 at 10.":                                      "held, held, held",
		"Drill on 7 April 2026 at 10:00, duration forty minutes.":                                                             "2026-04-07 10:00 – 2026-04-07 10:40",
		"Ejercicio el 7 de abril de 2026 a las diez y once.":                                                                  "held",
		"The score was 25:30 and the scale is 1:50.":                                                                          "passed over",
		"Order 5 March 2026 for the lamps: check at the quay, notice 6 March 2026":                                            "2026-03-05, 2026-03-06",
	} {
		f := Read(linesOf(text), Settings{Present: monday})
		var got []string
		for _, e := range f.Events {
			if e.Held != nil {
				got = append(got, "held")
			} else {
				got = append(got, e.When())
			}
		}
		if len(f.Passed) > 0 {
			got = append(got, "passed over")
		}
		assert.Equal(t, want, strings.Join(got, ", "), text)
	}
}

// A day without a year that is taken for a past one is said.
func TestYearless(t *testing.T) {
	for text, want := range map[string]string{
		"Drill 3 January at 10:00.":              "no year given: 2026 assumed, which is past",
		"Drill 3 January 2026 at 10:00.":         "",
		"Drill 3 June at 10:00.":                 "year assumed",
		"Drill Wednesday 3 June at 10:00.":       "",
		"Plan for 2026\n\nDrill 3 January 10:00": "",

		"5 April 2025 08:00 Drill\n7 April 09:00 Dive\n9 April 09:00 Tow":           "held: other dates of the text are of 2025, held: other dates of the text are of 2025",
		"5 April 2026 08:00 Drill\n7 April 09:00 Dive":                              "year assumed",
		"Closures, updated 3.2.2025\n\n7 April 09:00-11:00 Drill":                   "held: the text is of Mon 3 February 2025",
		"5 April 2019 08:00 Drill\n7 April 09:00 Dive":                              "year assumed",
		"Closures, updated 20.12.2025\n\n7 April 09:00-11:00 Drill":                 "year assumed",
		"Drill 7 April 09:00-11:00.\n\nThe contract of 3 February 2025 is at hand.": "year assumed",
	} {
		var notes []string
		for _, e := range Read(linesOf(text), Settings{Present: monday}).Events {
			notes = append(notes, e.Notes...)
			if e.Held != nil {
				_, why, _ := strings.Cut(e.Held.Cause.Error(), ", and ")
				notes = append(notes, "held: "+why)
			}
		}
		assert.Equal(t, want, strings.Join(notes, ", "), text)
	}
	for named, held := range map[int]bool{0: false, 2026: false, 2025: true, 2040: false, moment.Season: true} {
		e := Read(linesOf("Drill 3 June at 10:00."), Settings{Present: monday, Named: named}).Events[0]
		assert.Equal(t, held, e.Held != nil, named)
	}
}

// A later message changes what it is about, and nothing else; what does not let an
// event stand holds it.
func TestLater(t *testing.T) {
	const two, choice = "- Lamp check: Thursday 5 March 10:00\n- Crane check: Friday 6 March 11:00", "Could we meet on 5 March at 10, or 6 March at 11?"
	for name, c := range map[string]struct {
		texts []string
		want  string
	}{
		"calls off one of two":         {[]string{two, "Sorry, the crane check is cancelled."}, "#1 05 10:00, #2 off"},
		"calls off, not saying which":  {[]string{two, "We have to cancel."}, "#1 held, #2 held"},
		"calls off both":               {[]string{two, "We have to cancel both."}, "#1 off, #2 off"},
		"tells how to cancel":          {[]string{two, "To cancel your booking call us."}, "#1 05 10:00, #2 06 11:00"},
		"moves one by its title":       {[]string{two, "Could we make the crane check at 12?", "12 works."}, "#1 05 10:00, #2 06 12:00"},
		"moves one by its day":         {[]string{two, "Friday at 12 is better."}, "#1 05 10:00, #2 held"},
		"another one":                  {[]string{"Survey on 5 March at 10.", "Survey also on 9 March at 11."}, "#1 05 10:00, #2 09 11:00"},
		"asks for another hour":        {[]string{"Survey on 5 March at 10.", "Is 11 possible?"}, "#1 held"},
		"objects":                      {[]string{"Survey on 5 March at 10.", "10 does not work for me."}, "#1 held"},
		"objects to the day":           {[]string{"Survey on 5 March at 10.", "No, not on 5 March."}, "#1 held"},
		"objects and says another":     {[]string{"Survey on 5 March at 10.", "I can't make it, let us say 9 March at 10."}, "#1 09 10:00"},
		"chooses by the day":           {[]string{choice, "6 March works."}, "#2 06 11:00"},
		"chooses, with another behind": {[]string{choice, "Lamp check also on 9 March at 9.", "6 March works."}, "#2 06 11:00, #3 09 09:00"},
		"does not say which":           {[]string{choice, "The second works."}, "#1 held, #2 held"},
		"tells of another day":         {[]string{"Survey on 5 March at 10.", "The invoice for the survey of 2 February is attached."}, "#1 05 10:00"},
	} {
		var thread []Message
		for n, text := range c.texts {
			at := monday.Add(time.Duration(n) * time.Hour)
			thread = append(thread, Message{ID: strconv.Itoa(n), Sent: at, Reply: n > 0, Found: Read(linesOf(text), Settings{Message: true, Stated: at, Present: at, Subject: "Survey"})})
		}
		var got []string
		for _, e := range Settle(thread) {
			said := e.Start.Format("02 15:04")
			switch {
			case e.Held != nil:
				said = "held"
			case e.Cancelled:
				said = "off"
			}
			got = append(got, "#"+strconv.Itoa(e.Number)+" "+said)
		}
		assert.Equal(t, c.want, strings.Join(got, ", "), name)
	}
}
