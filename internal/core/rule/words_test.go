package rule

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestParseWords(t *testing.T) {
	date := func(s string) (int64, bool) {
		at, err := time.Parse("2 January 2006", s)
		return at.Unix(), err == nil
	}
	for text, want := range map[string]string{
		"daily": "FREQ=DAILY", "every day": "FREQ=DAILY", "every 3 days, 10 times": "FREQ=DAILY;INTERVAL=3;COUNT=10", "Weekly on Mon, Wed until 30 June 2026": "FREQ=WEEKLY;UNTIL=20260630;BYDAY=MO,WE",
		"every 2 weeks, 10 times": "FREQ=WEEKLY;INTERVAL=2;COUNT=10", "every other Friday": "FREQ=WEEKLY;INTERVAL=2;BYDAY=FR", "fortnightly on Tuesdays": "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU",
		"last Friday of the month": "FREQ=MONTHLY;BYDAY=-1FR", "every first Monday of the month": "FREQ=MONTHLY;BYDAY=1MO", "monthly on the 1st and 15th": "FREQ=MONTHLY;BYMONTHDAY=1,15", "the last day of every month": "FREQ=MONTHLY;BYMONTHDAY=-1",
		"every weekday for 2 weeks": "FREQ=WEEKLY;COUNT=10;BYDAY=MO,TU,WE,TH,FR", "Mondays and Thursdays": "FREQ=WEEKLY;BYDAY=MO,TH", "every month on day 15": "FREQ=MONTHLY;BYMONTHDAY=15", "yearly": "FREQ=YEARLY", "every two months on the second Tuesday": "FREQ=MONTHLY;INTERVAL=2;BYDAY=2TU",
		"every second week": "FREQ=WEEKLY;INTERVAL=2", "weekly for 6 weeks": "FREQ=WEEKLY;COUNT=6", "weekdays": "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR",
	} {
		r, err := ParseWords(text, date)
		assert.NoError(t, err, text)
		assert.Equal(t, want, r.String(), text)
		_, err = Parse(r.String())
		assert.NoError(t, err, text)
		if said := r.Describe(); said != "repeats" { // what is said is understood again
			again, err := ParseWords(said, func(s string) (int64, bool) {
				at, err := time.Parse("2 Jan 2006", s)
				return at.Unix(), err == nil
			})
			assert.NoError(t, err, said)
			assert.Equal(t, r.String(), again.String(), said)
		}
	}
	for _, text := range []string{"", "sometimes", "every", "biweekly", "weekly until soon", "weekly until 30 June 2026 10 times", "monthly on Friday", "weekly on the 15th", "daily for ever", "every 0 days", "sixth Friday of the month", "weekly on Mon or Tue", "10 times"} {
		_, err := ParseWords(text, date)
		assert.Error(t, err, text)
	}
}

func FuzzParseWords(f *testing.F) {
	f.Add("every 2 weeks on Mon, Wed until 30 June 2026")
	f.Add("last Friday of the month, 10 times")
	f.Fuzz(func(t *testing.T, text string) {
		if r, err := ParseWords(text, func(string) (int64, bool) { return 1782777600, true }); err == nil {
			if _, err := Parse(r.String()); err != nil {
				t.Fatalf("%q gives %s: %v", text, r, err)
			}
		}
	})
}
