package intake

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// dayNamesOf are the days from Monday on, in full and short, and what stands between them.
var dayNamesOf = []struct {
	language, full, short, and, to, each string
}{
	{"en", "Monday Tuesday Wednesday Thursday Friday Saturday Sunday", "Mon Tue Wed Thu Fri Sat Sun", "and", "to", "every"},
	{"fr", "lundi mardi mercredi jeudi vendredi samedi dimanche", "lun mar mer jeu ven sam dim", "et", "au", "chaque"},
	{"de", "Montag Dienstag Mittwoch Donnerstag Freitag Samstag Sonntag", "Mo Di Mi Do Fr Sa So", "und", "bis", "jeden"},
	{"es", "lunes martes miércoles jueves viernes sábado domingo", "lun mar mié jue vie sáb dom", "y", "a", "cada"},
	{"it", "lunedì martedì mercoledì giovedì venerdì sabato domenica", "lun mar mer gio ven sab dom", "e", "al", "ogni"},
	{"pt", "segunda terça quarta quinta sexta sábado domingo", "seg ter qua qui sex sáb dom", "e", "a", "cada"},
	{"nl", "maandag dinsdag woensdag donderdag vrijdag zaterdag zondag", "ma di wo do vr za zo", "en", "t/m", "elke"},
}

// Lists and ranges of weekdays, written as people of seven languages write them, are the
// days that they name, or the row is held: never others.
func TestDayLists(t *testing.T) {
	codes := []string{"MO", "TU", "WE", "TH", "FR", "SA", "SU"}
	r := rand.New(rand.NewPCG(7, 7))
	read, held := 0, 0
	for _, in := range dayNamesOf {
		rows, want := []string{"No|Start|Days"}, []string{}
		add := func(text string, days ...int) {
			rows = append(rows, fmt.Sprintf("%d|2026-03-02|%s", len(rows), text))
			var list []string
			for d, code := range codes {
				for _, wanted := range days {
					if d == wanted {
						list = append(list, code)
					}
				}
			}
			want = append(want, strings.Join(list, ","))
		}
		for d, name := range strings.Fields(in.full) { // they tell the language of the others
			add(name, d)
			add(in.each+" "+name, d)
		}
		for range 120 {
			names := strings.Fields([]string{in.full, in.short}[r.IntN(2)])
			if r.IntN(3) == 0 {
				from := r.IntN(5)
				to := from + 1 + r.IntN(6-from)
				var days []int
				for d := from; d <= to; d++ {
					days = append(days, d)
				}
				join := []string{"-", " - ", "–", " " + in.to + " "}[r.IntN(4)]
				add(names[from]+join+names[to], days...)
				continue
			}
			days := r.Perm(7)[:2+r.IntN(3)]
			text := names[days[0]]
			for n, d := range days[1:] {
				join := []string{", ", "/", " " + in.and + " ", " & "}[r.IntN(4)]
				if n < len(days)-2 {
					join = ", "
				}
				text += join + names[d]
			}
			if r.IntN(3) == 0 {
				text = strings.ToUpper(text)
			}
			add(text, days...)
		}
		for n, got := range sheet(t, "event: { title: '{No}', start: '{Start}', repeat: '{Days}' }\n", strings.Join(rows, "\n")) {
			if strings.HasPrefix(got, "held") {
				held++
				continue
			}
			read++
			_, days, _ := strings.Cut(got, "BYDAY=")
			days, _, _ = strings.Cut(days, " ")
			assert.Equalf(t, want[n], days, "%s: %s gives %s", in.language, rows[n+1], got)
		}
	}
	t.Logf("%d read, %d held", read, held)
	assert.Greater(t, read, 900, "few are held")
}
