package plan

import (
	"cmp"
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/identity"
)

var histories = flag.Int("histories", 0, "how many random histories to live through; 0 for the usual number")

// act is one thing that happens on a day: to the sheet, in a calendar, or to a
// load.
type act struct {
	what   string
	row, n int
}

var happens = []string{
	"retitle", "retime", "relocate", "reroute", "drop", "bring back", "hold", "cancel", "renumber", // the sheet
	"edit title", "edit time", "edit place", "answer", "delete", "move", "copy", "strip", "foreign", // a person
	"crash", "crash", "crash", // the next load, after some of its edits
	"forget", // the logbook is lost
}

// A history is lived through by a model beside the calendars: what the sheet
// says, what people did, and what must hold after each load.
type lived struct {
	*world
	sheet   [5]*line
	hands   map[string]map[string]string // by key and property: what a person wrote
	deleted map[string]bool              // by key, while the logbook knows
	copied  map[string]bool              // keys of which a person made a copy
	told    map[string]string            // by the new key of a row: its old one, for the next load
	freed   []string                     // keys that rows have given up
	free    int                          // so many of them on another day
	crash   int                          // edits after which the next load stops; -1 for not at all
	serial  int
}

// line is a row of the sheet.
type line struct {
	key, title, berth, into string
	hour                    int
	in, held, cancelled     bool
}

const historySettings = "name: calls\nkey: No\ninto: '{Into}'\nevent: { title: '{Title}', start: '{Day} {At}', location: '{Berth}' }\nassume: { length: 1h }\ncancel_when: 'State == \"off\"'\nagree: { gone: delete }\n"

func (l *lived) rows() string {
	out := "No|Title|Day|At|Berth|Into|State"
	for i, r := range l.sheet {
		if r.in {
			state, day := "", fmt.Sprintf("2026-04-%02d", i+5)
			if r.cancelled {
				state = "off"
			}
			if r.held {
				day = "soon"
			}
			out += fmt.Sprintf("\n%s|%s|%s|%02d:00|%s|%s|%s", r.key, r.title, day, r.hour, r.berth, r.into, state)
		}
	}
	return out + "\nTH-9|Always|2026-05-01|08:00|9|berths|"
}

// events gives where the events of a key stand, copies by hand left aside.
func (l *lived) events(key string) (out []string) {
	for _, name := range l.names {
		for _, o := range l.calendars[name] {
			for _, raw := range o.Raws() {
				if in, k := event.Marks(raw); in == "calls" && k == key && !strings.HasPrefix(o.UID, "copy") {
					out = append(out, name)
				}
			}
		}
	}
	return out
}

func (l *lived) read(calendar, key string) event.View {
	o, i := l.find(calendar, key, "")
	v, err := event.Read(o.Part(i), l.zones[calendar].Find)
	require.NoError(l, err)
	return v
}

// do lets one thing happen.
func (l *lived) do(a act) {
	row, key := l.sheet[a.row], l.sheet[a.row].key
	where := l.events(key)
	if a.what != "crash" {
		l.serial++
	}
	switch a.what {
	case "retitle":
		row.title = fmt.Sprint("Call ", l.serial)
	case "retime":
		row.hour = 1 + (row.hour+a.n)%20
	case "relocate":
		row.berth = fmt.Sprint(l.serial)
	case "reroute":
		row.into = map[string]string{"berths": "works", "works": "berths"}[row.into]
	case "drop":
		row.in = false
	case "bring back":
		if !row.in {
			row.key, row.title, row.in = cmp.Or(l.again(a.n), row.key), fmt.Sprint("Call ", l.serial), true // as another thing, under a key that was given up
		}
	case "hold":
		row.held = !row.held
	case "cancel":
		row.cancelled = !row.cancelled
	case "crash":
		l.crash = a.n % 3
	case "forget":
		l.request.Memory, l.deleted = nil, map[string]bool{}
	case "foreign":
		l.calendars["works"] = append(slices.Clone(l.calendars["works"]), ical.NewObject(fmt.Sprint("foreign", l.serial), fmt.Appendf(nil, "BEGIN:VEVENT\r\nUID:foreign%d\r\nSUMMARY:Mine\r\nDTSTART:20260610T080000Z\r\nX-FOREIGN:%d\r\nEND:VEVENT\r\n", l.serial, l.serial)))
	}
	if len(where) != 1 || l.copied[key] {
		return
	}
	write := func(property, value string) {
		l.edit(where[0], key, property, value)
		if l.hands[key] == nil {
			l.hands[key] = map[string]string{}
		}
		l.hands[key][property] = value
	}
	switch a.what {
	case "renumber":
		if row.in && !row.held && !row.cancelled && l.told[key] == "" {
			l.renumber(row, a.n)
		}
	case "edit title":
		write("SUMMARY", fmt.Sprint("By hand ", l.serial))
	case "edit place":
		write("LOCATION", fmt.Sprint("Hand ", l.serial))
	case "edit time":
		write("X-FOREIGN", fmt.Sprint(l.serial)) // ours to keep too
	case "answer":
		write("COMMENT", fmt.Sprint("Said ", l.serial))
	case "delete":
		l.take(where[0], key)
		delete(l.hands, key)
		if l.request.Memory.knows(key) {
			l.deleted[key] = true
		}
	case "move":
		o := l.take(where[0], key)
		to := map[string]string{"berths": "works", "works": "berths"}[where[0]]
		l.calendars[to] = append(slices.Clone(l.calendars[to]), o)
	case "copy":
		o, _ := l.find(where[0], key, "")
		to := map[string]string{"berths": "works", "works": "berths"}[where[0]]
		raw := strings.Replace(string(o.Part(0)), "UID:"+o.UID, fmt.Sprint("UID:copy", l.serial), 1)
		l.calendars[to] = append(slices.Clone(l.calendars[to]), ical.NewObject(fmt.Sprint("copy", l.serial), []byte(raw)))
		l.copied[key] = true
	case "strip":
		o, i := l.find(where[0], key, "")
		if o.UID != identity.Of("calls", identity.Key{key}).String() { // of one with another key its UID says nothing
			return
		}
		c := ical.Open(o.Part(i))
		for _, mark := range []string{event.PropID, event.PropIntake, event.PropKey} {
			c.Remove(mark)
		}
		l.calendars[where[0]] = slices.Clone(l.calendars[where[0]])
		l.calendars[where[0]][slices.Index(l.calendars[where[0]], o)] = ical.NewObject(o.UID, c.Bytes())
	}
}

// renumber gives a row another key, which may be one that another row had.
func (l *lived) renumber(row *line, n int) {
	old, key := row.key, cmp.Or(l.again(n), fmt.Sprint("TH-", 100+l.serial))
	row.key, l.told[key], l.freed = key, old, append(l.freed, old)
	l.hands[key] = l.hands[old]
	delete(l.hands, old)
}

// again gives a key that a row has given up on another day, every second time.
func (l *lived) again(n int) (key string) {
	if n%2 == 0 && l.free > 0 && len(l.events(l.freed[0])) == 0 && !l.deleted[l.freed[0]] {
		key, l.freed, l.free = l.freed[0], l.freed[1:], l.free-1
	}
	return key
}

// knows tells whether the memory has the event of a key as standing.
func (m Memory) knows(key string) bool {
	id := identity.Of("calls", identity.Key{key})
	for _, r := range m {
		if Has(r.Standing, id) {
			return true
		}
	}
	return false
}

// live loads, after a crash once more, and checks what must hold.
func (l *lived) live() {
	l.request.Pairs.Rekey, l.free = l.told, len(l.freed)
	if l.crash >= 0 {
		p, err := l.plan(historySettings, l.rows())
		require.NoError(l, err)
		done := p.Edits
		p.Edits = p.Edits[:min(l.crash, len(p.Edits))]
		l.apply(p)
		p.Edits = done // the plan was written down; what was done of it is seen in the calendars
		if l.request.Memory != nil {
			l.remember(p)
		}
		l.crash = -1
	}
	p, err := l.plan(historySettings, l.rows())
	require.NoError(l, err)
	require.Empty(l, p.Guards)
	l.apply(p)
	l.remember(p)
	again, err := l.plan(historySettings, l.rows())
	require.NoError(l, err)
	if next := p.Next(); next != nil {
		if len(p.Edits) > 0 {
			foreseen.Add(1)
		}
		require.Equal(l, told(again), told(next), "what a second load comes to was foreseen as something else")
		require.Equal(l, again.Totals, next.Totals)
		require.Equal(l, again.Assumed, next.Assumed)
		require.Equal(l, [][]string{again.Notes, again.Texts, again.Names, {again.NoGone, again.Own}}, [][]string{next.Notes, next.Texts, next.Names, {next.NoGone, next.Own}})
		require.Equal(l, again.Past, next.Past)
	}
	require.Empty(l, again.Edits, "a second load writes: %s", told(again))
	outcomes := map[string]agree.Outcome{}
	for _, i := range again.Items.All() {
		if i.Outcome != agree.Gone {
			outcomes[i.Key] = i.Outcome
		}
	}
	for _, r := range l.sheet {
		if l.check(r.key, r, outcomes); outcomes[r.key] != agree.Disputed {
			delete(l.told, r.key)
		}
	}
	require.Len(l, l.events("TH-9"), 1, "the one that nobody touches")
}

func (l *lived) check(key string, r *line, outcomes map[string]agree.Outcome) {
	if l.copied[key] {
		return // a person made it double; it is shown, and theirs to settle
	}
	where := l.events(key)
	require.LessOrEqual(l, len(where), 1, "%s is doubled", key)
	if l.deleted[key] && r.in && !r.held && !r.cancelled {
		require.Empty(l, where, "%s was deleted, and is back", key)
		require.Equal(l, agree.Removed, outcomes[key], key)
	}
	if len(where) == 0 && outcomes[key] == agree.Disputed {
		return // without our marks, and nothing of a disputed event is written
	}
	if len(where) == 0 {
		require.False(l, r.in && !r.held && !r.cancelled && !l.deleted[key], "%s is not there: %v", key, outcomes[key])
		delete(l.hands, key) // it went with its row
		return
	}
	o, i := l.find(where[0], key, "")
	c := ical.Open(o.Part(i))
	for property, value := range l.hands[key] {
		line, _ := c.Find(property)
		require.Equal(l, value, line.Text(), "%s: what someone wrote into %s is lost", key, property)
	}
	v := l.read(where[0], key)
	if !r.in || r.held || r.cancelled || outcomes[key] == agree.Disputed {
		return
	}
	if l.hands[key]["SUMMARY"] == "" {
		require.Equal(l, r.title, v.Text(event.Title), "%s: the sheet's title did not arrive", key)
	}
	if l.hands[key]["LOCATION"] == "" {
		require.Equal(l, r.berth, v.Text(event.Location), "%s: the sheet's place did not arrive", key)
	}
	lisbon, err := l.book.Find("Europe/Lisbon")
	require.NoError(l, err)
	require.Equal(l, int64(r.hour), v.When.Start.InZone(lisbon).Wall%86400/3600, key)
}

func begun(t testing.TB) *lived {
	l := &lived{world: newWorld(t, "berths", "works"), hands: map[string]map[string]string{}, deleted: map[string]bool{}, copied: map[string]bool{}, told: map[string]string{}, crash: -1}
	l.request.Full, l.request.Brief = false, true
	l.request.Pairs.BesideAll = true
	l.request.Memory = Memory{}
	for i := range l.sheet {
		l.sheet[i] = &line{key: fmt.Sprint("TH-", i), title: fmt.Sprint("Call ", i), berth: fmt.Sprint(i), into: "berths", hour: 8 + i, in: true}
	}
	return l
}

// state gives what stands in the end: by calendar and key, what matters.
func (l *lived) state() string {
	var out []string
	for _, name := range l.names {
		for _, o := range l.calendars[name] {
			for _, raw := range o.Raws() {
				v, err := event.Read(raw, l.zones[name].Find)
				require.NoError(l, err)
				out = append(out, strings.Join([]string{name, o.UID, v.Key, v.When.String(), v.Text(event.Title), v.Text(event.Location), v.Text(event.Status)}, "|"))
			}
		}
	}
	slices.Sort(out)
	return strings.Join(out, "\n")
}

// through lives through days of acts, and gives what stands in the end.
func through(t testing.TB, days [][]act, crashes bool) string {
	l := begun(t)
	l.live()
	for _, day := range days {
		foreign := l.foreign()
		for _, a := range day {
			if a.what != "crash" || crashes {
				l.do(a)
			}
			if a.what == "foreign" {
				foreign = l.foreign()
			}
		}
		l.live()
		require.Equal(t, foreign, l.foreign(), "an event of others was changed")
	}
	return l.state()
}

func (l *lived) foreign() string {
	out := map[string]string{}
	for _, o := range l.calendars["works"] {
		if strings.HasPrefix(o.UID, "foreign") {
			out[o.UID] = string(o.Part(0))
		}
	}
	return fmt.Sprint(slices.Sorted(maps.Keys(out)), slices.Sorted(maps.Values(out)))
}

// foreseen counts the loads that wrote something and knew what the next one comes to.
var foreseen atomic.Int64

// recorder is a testing.TB that notes a failure instead of ending the test.
type recorder struct {
	testing.TB
	failed string
}

func (r *recorder) Errorf(format string, args ...any) { r.failed = fmt.Sprintf(format, args...) }
func (r *recorder) FailNow()                          { panic(r) }
func (r *recorder) Helper()                           {}

// fails tells why a history does not hold, "" when it does.
func fails(t testing.TB, days [][]act) (why string) {
	r := &recorder{TB: t}
	defer func() {
		if e := recover(); e != nil {
			if e != any(r) {
				r.failed = fmt.Sprint("panic: ", e)
			}
			why = r.failed
		}
	}()
	plain := through(r, days, false)
	if slices.ContainsFunc(days, func(d []act) bool { return slices.ContainsFunc(d, func(a act) bool { return a.what == "crash" }) }) {
		require.Equal(r, plain, through(r, days, true), "a crash leaves another end")
	}
	return ""
}

// TestHistories lives through random days of a sheet, people and crashes. One
// that fails is cut down to the acts that it needs.
func TestHistories(t *testing.T) {
	t.Cleanup(func() {
		assert.Greater(t, foreseen.Load(), int64(100), "what a second load comes to is hardly ever foreseen")
	})
	n := 10000
	if testing.Short() || raceEnabled {
		n = 500
	}
	if *histories > 0 {
		n = *histories
	}
	const workers = 4
	for worker := range workers {
		t.Run(fmt.Sprint(worker), func(t *testing.T) {
			t.Parallel()
			for seed := worker; seed < n; seed += workers {
				r := rand.New(rand.NewPCG(uint64(seed), 7))
				days := make([][]act, 1+r.IntN(4))
				for d := range days {
					for range r.IntN(5) {
						days[d] = append(days[d], act{happens[r.IntN(len(happens))], r.IntN(5), r.IntN(19)})
					}
				}
				if why := fails(t, days); why != "" {
					days = shrunk(t, days)
					t.Fatalf("history %d fails, cut down to %v:\n%s", seed, days, fails(t, days))
				}
			}
		})
	}
}

// shrunk takes acts away as long as the history still fails.
func shrunk(t testing.TB, days [][]act) [][]act {
	for changed := true; changed; {
		changed = false
		for d := range days {
			for i := range days[d] {
				less := make([][]act, len(days))
				for n := range days {
					less[n] = slices.Clone(days[n])
				}
				less[d] = slices.Delete(less[d], i, i+1)
				if fails(t, less) != "" {
					days, changed = less, true
					break
				}
			}
		}
	}
	return slices.DeleteFunc(days, func(d []act) bool { return len(d) == 0 })
}
