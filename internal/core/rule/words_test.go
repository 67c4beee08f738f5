package rule

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/zone"
)

func TestParseWords(t *testing.T) {
	date := func(s string) (int64, bool) {
		at, err := time.Parse("2 January 2006", s)
		return at.Unix(), err == nil
	}
	for text, want := range map[string]string{
		"daily": "FREQ=DAILY", "every day": "FREQ=DAILY", "every 3 days, 10 times": "FREQ=DAILY;INTERVAL=3;COUNT=10", "Weekly on Mon, Wed until 30 June 2026": "FREQ=WEEKLY;UNTIL=20260630;BYDAY=MO,WE",
		"every 2 weeks, 10 times": "FREQ=WEEKLY;INTERVAL=2;COUNT=10", "every other Friday": "FREQ=WEEKLY;INTERVAL=2;BYDAY=FR", "fortnightly on Tuesdays": "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU",
		"last Friday of the month": "FREQ=MONTHLY;BYDAY=-1FR", "last Friday of the month 5 times": "FREQ=MONTHLY;COUNT=5;BYDAY=-1FR", "every first Monday of the month": "FREQ=MONTHLY;BYDAY=1MO", "monthly on the 1st and 15th": "FREQ=MONTHLY;BYMONTHDAY=1,15", "the last day of every month": "FREQ=MONTHLY;BYMONTHDAY=-1",
		"every weekday for 2 weeks": "FREQ=WEEKLY;COUNT=10;BYDAY=MO,TU,WE,TH,FR", "Mondays and Thursdays": "FREQ=WEEKLY;BYDAY=MO,TH", "every month on day 15": "FREQ=MONTHLY;BYMONTHDAY=15", "yearly": "FREQ=YEARLY", "every two months on the second Tuesday": "FREQ=MONTHLY;INTERVAL=2;BYDAY=2TU",
		"every second week": "FREQ=WEEKLY;INTERVAL=2", "weekly for 6 weeks": "FREQ=WEEKLY;COUNT=6", "weekdays": "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR",
		"second and fourth Thursday": "FREQ=MONTHLY;BYDAY=2TH,4TH", "first, third and last Monday of the month": "FREQ=MONTHLY;BYDAY=-1MO,1MO,3MO", "Mon-Fri": "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", "weekly on Sat to Mon": "FREQ=WEEKLY;BYDAY=MO,SA,SU", "Tue/Thu": "FREQ=WEEKLY;BYDAY=TU,TH", "quarterly": "FREQ=MONTHLY;INTERVAL=3", "the 1st and last day of the month": "FREQ=MONTHLY;BYMONTHDAY=1,-1",
	} {
		r, err := ParseWords(text, date, nil)
		assert.NoError(t, err, text)
		assert.Equal(t, want, r.String(), text)
		_, err = Parse(r.String())
		assert.NoError(t, err, text)
		if said := r.Describe(); said != "repeats" { // what is said is understood again
			again, err := ParseWords(said, func(s string) (int64, bool) {
				at, err := time.Parse("2 Jan 2006", s)
				return at.Unix(), err == nil
			}, nil)
			assert.NoError(t, err, said)
			assert.Equal(t, r.String(), again.String(), said)
		}
	}
	for _, text := range []string{"", "sometimes", "every", "biweekly", "weekly until soon", "weekly until 30 June 2026 10 times", "monthly on Friday", "weekly on the 15th", "daily for ever", "every 0 days", "sixth Friday of the month", "weekly on Mon or Tue", "10 times", "monthly on the 15th and last Friday", "monthly on last Friday and day 15", "last of the month", "weekly 15 Mon", "monthly on day 40", "monthly on day 0", "monthly on day x"} {
		_, err := ParseWords(text, date, nil)
		assert.Error(t, err, text)
	}
}

// Words of other languages are read one by one; the weekdays are the caller's to know.
func TestOtherLanguages(t *testing.T) {
	names := map[string]time.Weekday{}
	for d, forms := range []string{"sonntag dimanche domingo domenica zondag so", "montag lundi lunes lunedì segunda maandag mo ma lun", "dienstag mardi martes martedì terça dinsdag di", "mittwoch mercredi miércoles mercoledì quarta woensdag mi wo", "donnerstag jeudi jueves giovedì quinta donderdag do", "freitag vendredi viernes venerdì sexta vrijdag fr vr ven", "samstag samedi sábado sabato zaterdag sa za"} {
		for name := range strings.FieldsSeq(forms) {
			names[name] = time.Weekday(d)
		}
	}
	day := func(name string) (time.Weekday, bool) { d, ok := names[name]; return d, ok }
	date := func(s string) (int64, bool) { return 1782777600, strings.HasPrefix(s, "30") }
	for text, want := range map[string]string{
		"Di und Do": "FREQ=WEEKLY;BYDAY=TU,TH", "mardi et jeudi": "FREQ=WEEKLY;BYDAY=TU,TH", "martes y jueves": "FREQ=WEEKLY;BYDAY=TU,TH", "martedì e giovedì": "FREQ=WEEKLY;BYDAY=TU,TH", "terça e quinta": "FREQ=WEEKLY;BYDAY=TU,TH", "dinsdag en donderdag": "FREQ=WEEKLY;BYDAY=TU,TH", "Di/Do": "FREQ=WEEKLY;BYDAY=TU,TH",
		"Mo-Fr": "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", "Mo bis Mi": "FREQ=WEEKLY;BYDAY=MO,TU,WE", "du lundi au mercredi": "FREQ=WEEKLY;BYDAY=MO,TU,WE", "lunes a miércoles": "FREQ=WEEKLY;BYDAY=MO,TU,WE", "segunda a quarta": "FREQ=WEEKLY;BYDAY=MO,TU,WE", "ma t/m wo": "FREQ=WEEKLY;BYDAY=MO,TU,WE", "lun-ven": "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR",
		"dienstags": "FREQ=WEEKLY;BYDAY=TU", "les lundis": "FREQ=WEEKLY;BYDAY=MO", "jeden Dienstag": "FREQ=WEEKLY;BYDAY=TU", "chaque mardi": "FREQ=WEEKLY;BYDAY=TU", "todos los martes": "FREQ=WEEKLY;BYDAY=TU", "ogni martedì": "FREQ=WEEKLY;BYDAY=TU", "todas as terças": "FREQ=WEEKLY;BYDAY=TU", "elke dinsdag": "FREQ=WEEKLY;BYDAY=TU",
		"täglich": "FREQ=DAILY", "tous les jours": "FREQ=DAILY", "cada día": "FREQ=DAILY", "alle 2 Wochen": "FREQ=WEEKLY;INTERVAL=2", "toutes les deux semaines": "FREQ=WEEKLY;INTERVAL=2", "14-tägig Di": "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU", "monatlich": "FREQ=MONTHLY", "settimanale": "FREQ=WEEKLY",
		"1. Di im Monat": "FREQ=MONTHLY;BYDAY=1TU", "jeden letzten Freitag im Monat": "FREQ=MONTHLY;BYDAY=-1FR", "premier mardi du mois": "FREQ=MONTHLY;BYDAY=1TU", "primer martes de cada mes": "FREQ=MONTHLY;BYDAY=1TU", "eerste dinsdag van de maand": "FREQ=MONTHLY;BYDAY=1TU",
		"wöchentlich bis 30. Juni": "FREQ=WEEKLY;UNTIL=20260630", "chaque lundi jusqu'au 30 juin": "FREQ=WEEKLY;UNTIL=20260630;BYDAY=MO", "täglich 5 mal": "FREQ=DAILY;COUNT=5",
	} {
		r, err := ParseWords(text, date, day)
		assert.NoError(t, err, text)
		assert.Equal(t, want, r.String(), text)
	}
	for _, text := range []string{"werktags", "un mardi sur deux", "jeden 2. Dienstag", "every second Tuesday", "manchmal", "Di oder Do", "jours ouvrables", "bis 30. Juni"} {
		_, err := ParseWords(text, date, day)
		assert.Error(t, err, text)
	}
}

func TestFirst(t *testing.T) {
	for text, want := range map[string]string{
		"20260305T090000 FREQ=DAILY":                             "20260305T090000",
		"20260305T090000 FREQ=WEEKLY;BYDAY=TH":                   "20260305T090000",
		"20260305T090000 FREQ=WEEKLY;BYDAY=MO,WE;COUNT=4":        "20260309T090000",
		"20260305T090000 FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,FR":     "20260306T090000",
		"20260305T090000 FREQ=WEEKLY;INTERVAL=2;BYDAY=MO":        "20260316T090000",
		"20260305T090000 FREQ=MONTHLY;BYDAY=-1FR":                "20260327T090000",
		"20260331T090000 FREQ=MONTHLY;BYMONTHDAY=30":             "20260430T090000",
		"20260331T090000 FREQ=MONTHLY;INTERVAL=2;BYMONTHDAY=1":   "20260501T090000",
		"20260101T000000 FREQ=MONTHLY;INTERVAL=12;BYMONTHDAY=31": "20260131T000000",
		"20260201T000000 FREQ=MONTHLY;INTERVAL=12;BYMONTHDAY=30": "none",
		"20260305T090000 FREQ=YEARLY;BYDAY=MO":                   "20260305T090000",
	} {
		start, rule, _ := strings.Cut(text, " ")
		r, err := Parse(rule)
		assert.NoError(t, err)
		got := "none"
		if at, ok := r.First(wall(start)); ok {
			got = zone.Civil(at).Format("20060102T150405")
		}
		assert.Equal(t, want, got, text)
	}
}

func FuzzParseWords(f *testing.F) {
	f.Add("every 2 weeks on Mon, Wed until 30 June 2026")
	f.Add("last Friday of the month, 10 times")
	f.Add("jeden 2. Di im Monat bis 30. Juni, t/m mardi")
	f.Fuzz(func(t *testing.T, text string) {
		if r, err := ParseWords(text, func(string) (int64, bool) { return 1782777600, true }, func(name string) (time.Weekday, bool) { return time.Tuesday, name == "di" || name == "mardi" }); err == nil {
			if _, err := Parse(r.String()); err != nil {
				t.Fatalf("%q gives %s: %v", text, r, err)
			}
		}
	})
}
