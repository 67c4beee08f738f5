package rule

import (
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	rrule "github.com/teambition/rrule-go"
)

func wall(s string) int64 {
	t, err := time.Parse("20060102T150405", s)
	if err != nil {
		panic(err)
	}
	return t.Unix()
}

func expand(t testing.TB, text, start string, from, to int64) []string {
	t.Helper()
	r, err := Parse(text)
	require.NoError(t, err)
	last := int64(1 << 60)
	if !r.Until.IsZero() {
		last = r.Until.Wall
	}
	var out []string
	require.NoError(t, r.Expand(wall(start), from, to, last, nil, func(at int64) bool {
		out = append(out, time.Unix(at, 0).UTC().Format("20060102T150405"))
		return len(out) < 500
	}))
	return out
}

// TestSecondOpinion expands rules with an independent library and compares.
func TestSecondOpinion(t *testing.T) {
	rules := []string{
		"FREQ=DAILY;COUNT=10", "FREQ=DAILY;INTERVAL=10;COUNT=5", "FREQ=DAILY;BYMONTH=1;COUNT=40", "FREQ=DAILY;BYDAY=MO,WE;BYHOUR=8,17;COUNT=20",
		"FREQ=DAILY;BYMONTHDAY=-1,15;COUNT=9", "FREQ=DAILY;BYDAY=MO,TU;BYSETPOS=1;BYHOUR=9,10,11;COUNT=9",
		"FREQ=WEEKLY;COUNT=10", "FREQ=WEEKLY;INTERVAL=2;WKST=SU;BYDAY=TU,SU;COUNT=9", "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU,SU;WKST=MO;COUNT=9", "FREQ=WEEKLY;BYMONTH=2,7;COUNT=20", "FREQ=WEEKLY;BYDAY=MO,WE,FR;BYSETPOS=-1;COUNT=8",
		"FREQ=MONTHLY;BYDAY=1FR;COUNT=10", "FREQ=MONTHLY;BYDAY=-2MO;COUNT=6", "FREQ=MONTHLY;BYMONTHDAY=2,15,-3;COUNT=12", "FREQ=MONTHLY;BYMONTHDAY=31;COUNT=10", "FREQ=MONTHLY;INTERVAL=18;BYMONTHDAY=10,11,12;COUNT=10",
		"FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13;COUNT=6", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2;COUNT=7", "FREQ=MONTHLY;BYDAY=SU,MO;BYSETPOS=1,-1;COUNT=11", "FREQ=MONTHLY;BYMONTH=6,9;BYDAY=TU;COUNT=11",
		"FREQ=YEARLY;COUNT=10", "FREQ=YEARLY;BYMONTH=6,7;COUNT=10", "FREQ=YEARLY;INTERVAL=3;BYYEARDAY=1,100,200,-1;COUNT=10", "FREQ=YEARLY;BYDAY=20MO;COUNT=5", "FREQ=YEARLY;BYDAY=-1SU,2TU;BYMONTH=3;COUNT=12", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO;COUNT=4",
		"FREQ=YEARLY;BYWEEKNO=1,53,-1;BYDAY=MO,SU;COUNT=15", "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8;COUNT=5", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;COUNT=4", "FREQ=YEARLY;BYDAY=MO,FR;BYSETPOS=3,-3;COUNT=9",
		"FREQ=HOURLY;INTERVAL=3;COUNT=20", "FREQ=HOURLY;BYHOUR=9,10;BYDAY=TU;COUNT=11", "FREQ=HOURLY;BYMINUTE=0,20,40;BYMONTH=3;COUNT=30", "FREQ=MINUTELY;INTERVAL=15;COUNT=6", "FREQ=MINUTELY;INTERVAL=30;BYHOUR=9,12;COUNT=14", "FREQ=MINUTELY;INTERVAL=20;BYHOUR=9,10,11;COUNT=40",
		"FREQ=SECONDLY;INTERVAL=3601;COUNT=20", "FREQ=SECONDLY;BYSECOND=5;BYMINUTE=3;COUNT=4", "FREQ=HOURLY;BYYEARDAY=10,-10;BYHOUR=5;COUNT=5",
	}
	starts := []string{"19970902T090000", "20240229T091505", "20251231T235959", "20260105T080000"}
	for _, text := range rules {
		for _, start := range starts {
			t.Run(text+" from "+start, func(t *testing.T) {
				option, err := rrule.StrToROption(text)
				require.NoError(t, err)
				option.Dtstart = time.Unix(wall(start), 0).UTC()
				want := []string{start} // the library leaves out a start that is off its rule, and then counts one more
				second, err := rrule.NewRRule(*option)
				require.NoError(t, err)
				for _, at := range second.All() {
					if s := at.Format("20060102T150405"); s != start {
						want = append(want, s)
					}
				}
				want = want[:min(len(want), option.Count)]
				got := expand(t, text, start, -1<<40, 1<<40)
				assert.Equal(t, want, got)

				// A window gives just what of the whole lies in it.
				from, to := wall(want[len(want)/3]), wall(want[2*len(want)/3])
				open := strings.Replace(text, ";COUNT="+text[strings.LastIndex(text, "=")+1:], "", 1)
				for _, text := range []string{text, open} {
					var inside []string
					for _, s := range expand(t, text, start, -1<<40, to) {
						if wall(s) >= from {
							inside = append(inside, s)
						}
					}
					assert.Equal(t, inside, expand(t, text, start, from, to), text)
				}
			})
		}
	}
}

func list(low, high int) string {
	var out []string
	for n := low; n <= high; n++ {
		out = append(out, strconv.Itoa(n))
	}
	return strings.Join(out, ",")
}

// TestBound takes the rules that are dear or can never be met.
func TestBound(t *testing.T) {
	for _, text := range []string{
		"FREQ=SECONDLY", "FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30", "FREQ=HOURLY;INTERVAL=24;BYHOUR=5", "FREQ=MINUTELY;COUNT=90000000", "FREQ=MINUTELY;BYSECOND=1,2;COUNT=90000000",
		"FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30;COUNT=3", "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=31", "FREQ=MONTHLY;BYDAY=-6MO", "FREQ=SECONDLY;INTERVAL=86400;BYHOUR=3;COUNT=5", "FREQ=YEARLY;BYWEEKNO=53;BYMONTH=6",
		"FREQ=HOURLY;BYMINUTE=" + list(0, 59) + ";COUNT=90000000", "FREQ=MONTHLY;BYHOUR=" + list(0, 23) + ";BYMINUTE=" + list(0, 59) + ";BYSECOND=" + list(0, 59) + ";COUNT=90000000", "FREQ=YEARLY;BYDAY=MO,TU,WE;BYHOUR=" + list(0, 23) + ";BYMINUTE=" + list(0, 59) + ";BYSECOND=" + list(0, 59) + ";BYSETPOS=-1",
	} {
		t.Run(text, func(t *testing.T) {
			r, err := Parse(text)
			require.NoError(t, err)
			n, began := 0, time.Now()
			err = r.Expand(wall("16010101T000000"), wall("20260301T000000"), wall("20260401T000000"), 1<<60, nil, func(int64) bool { n++; return n < 10000 })
			if err != nil {
				assert.ErrorIs(t, err, ErrTooMuch)
			}
			assert.Less(t, time.Since(began), 3*time.Second) // some 30 ms at most on a quiet machine
		})
	}
}

func TestParse(t *testing.T) {
	r, err := Parse("byday=we,mo;freq=weekly;INTERVAL=1;WKST=MO;UNTIL=20260630")
	require.NoError(t, err)
	assert.Equal(t, "FREQ=WEEKLY;UNTIL=20260630;BYDAY=MO,WE", r.String())
	for _, bad := range []string{
		"", "FREQ", "FREQ=FORTNIGHTLY", "FREQ=DAILY;FREQ=DAILY", "FREQ=DAILY;INTERVAL=0", "FREQ=DAILY;COUNT=1;UNTIL=20260101", "FREQ=DAILY;BYMONTH=13", "FREQ=DAILY;BYHOUR=-1",
		"FREQ=WEEKLY;BYDAY=1MO", "FREQ=WEEKLY;BYMONTHDAY=1", "FREQ=DAILY;BYWEEKNO=1", "FREQ=DAILY;BYSETPOS=1", "FREQ=DAILY;BYDAY=XX", "FREQ=DAILY;UNTIL=tomorrow", "FREQ=YEARLY;BYDAY=0MO", "INTERVAL=2", "FREQ=DAILY;COLOUR=RED",
	} {
		_, err := Parse(bad)
		assert.Error(t, err, bad)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"FREQ=WEEKLY;BYDAY=MO,-1TU", "FREQ=YEARLY;BYWEEKNO=-53;BYMONTH=1", "FREQ=HOURLY;BYSETPOS=-1;BYMINUTE=1,2;COUNT=3", "FREQ=SECONDLY;UNTIL=20260101T000000Z"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		r, err := Parse(s)
		if err != nil {
			return
		}
		again, err := Parse(r.String())
		require.NoError(t, err)
		require.Equal(t, r.String(), again.String())
		previous, n := int64(-1<<62), 0
		_ = r.Expand(wall("20200229T101112"), wall("20260301T000000"), wall("20260401T000000"), 1<<60, nil, func(at int64) bool {
			require.Greater(t, at, previous)
			previous = at
			n++
			return n < 1000
		})
	})
}
