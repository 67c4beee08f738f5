package plan

import (
	"fmt"
	"slices"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
)

// turned is an event that would get another title and another time at once.
type turned struct {
	key      string
	was, now string // its title and time
}

// turns notes an event whose title and time both change, or wait to.
func (s *shard) turns(key string, result *agree.Result, was, now *event.Event) {
	n := 0
	for _, f := range result.Fields {
		if f.Outcome == agree.Changed && (f.Field == event.When || f.Field == event.Title) {
			n++
		}
	}
	if n == 2 {
		s.turned = append(s.turned, turned{key, occasion(was), occasion(now)})
	}
}

// occasion is the title and the time of an event.
func occasion(e *event.Event) string {
	return strings.ToLower(strings.Join(strings.Fields(e.Text(event.Title)), " ")) + "\n" + e.When.String()
}

// shifted gives the keys of rows that say what the event of another row says, which says
// something else now: their numbers have moved, as they do in a running number when a row is
// put in between. Their events would change places, and what people changed in them would
// stay with the number.
func (m *maker) shifted() (keys, lines []string) {
	was := map[string]string{}
	for _, t := range m.turned {
		was[t.was] = t.key
	}
	for _, t := range m.turned {
		if old := was[t.now]; old != "" {
			keys, lines = append(keys, t.key), append(lines, fmt.Sprintf("%s says what %s said", t.key, old))
		}
	}
	return keys, lines
}

// guardShifted stops a load in which many keys have moved, and notes few. It gives how many
// it speaks of.
func (m *maker) guardShifted(guards []Guard) ([]Guard, int) {
	keys, lines := m.shifted()
	switch n := len(keys); {
	case n == 0:
		return guards, 0
	case n <= always:
		m.plan.Notes = append(m.plan.Notes, fmt.Sprintf("%s now: if the keys were numbered anew, replies and corrections by hand stay with the number; a key that stays with its row is better", strings.Join(lines, ", ")))
		return guards, 0
	case m.Allow[AllowShifted] != n:
		return slices.Insert(guards, 0, Guard{Name: AllowShifted, Count: n, Of: m.ours, Did: "given the title and time of another row's event, as if the keys had been numbered anew", Which: lines[:3]}), n
	default:
		return guards, n
	}
}
