package plan

import (
	"fmt"
	"slices"
	"strings"

	"almanach/internal/core/agree"
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
)

// Take says which side is right for the event of a key. It settles what is
// disputed. Where the key ends in a colon and a field (TH-1036:title) it
// settles that field alone, and where someone edited it that too.
type Take struct {
	Side agree.Side
	Key  string
}

// decision is what the takes say of one key.
type decision struct {
	whole  agree.Side
	fields map[event.Field]agree.Side
	used   bool
}

func (d *decision) side(f event.Field, o agree.Outcome) agree.Side {
	if side, named := d.fields[f]; named {
		return side
	}
	if o == agree.Disputed {
		return d.whole
	}
	return agree.Neither
}

// readTakes files the takes by the keys of the source.
func (m *maker) readTakes() error {
	if len(m.Takes) == 0 {
		return nil
	}
	m.decided = map[string]*decision{}
	keys := map[string]bool{}
	for _, r := range m.Batch.Rows.All() {
		keys[m.Batch.Mapping.Key(r).String()] = true
	}
	var unknown []string
	for _, t := range m.Takes {
		key, field, named := splitTake(t.Key, keys)
		if !keys[key] {
			unknown = append(unknown, t.Key)
			continue
		}
		if m.decided[key] == nil {
			m.decided[key] = &decision{fields: map[event.Field]agree.Side{}}
		}
		if named {
			m.decided[key].fields[field] = t.Side
		} else {
			m.decided[key].whole = t.Side
		}
	}
	if len(unknown) > 0 {
		slices.Sort(unknown)
		return fault.Newf("--take names %s, which no row of the source has as its key", strings.Join(unknown, ", ")).Do("write the key as the source has it; nothing was written")
	}
	return nil
}

// splitTake tells a key from the field behind it. A key that has a colon of its
// own is whole.
func splitTake(text string, keys map[string]bool) (key string, f event.Field, named bool) {
	key = identity.NormalText(text)
	at := strings.LastIndexByte(key, ':')
	if keys[key] || at < 0 {
		return key, 0, false
	}
	name := strings.TrimSpace(key[at+1:])
	switch name {
	case "start", "end", "all_day", "zone", "repeat":
		name = event.When.String() // they agree together
	}
	if f, named = event.ParseField(name); named {
		return strings.TrimSpace(key[:at]), f, true
	}
	return key, 0, false
}

// decision gives what the takes say of a row, nil for nothing.
func (s *shard) decision(i int) agree.Decision {
	if s.decided == nil {
		return nil
	}
	if d := s.decided[s.mapper.KeyText(s.Batch.Rows.At(i))]; d != nil {
		return d.side
	}
	return nil
}

// unsettled notes the keys for which there was nothing to settle.
func (m *maker) unsettled() {
	var idle []string
	for key, d := range m.decided {
		if !d.used {
			idle = append(idle, key)
		}
	}
	slices.Sort(idle)
	for _, key := range idle {
		m.plan.Notes = append(m.plan.Notes, fmt.Sprintf("--take %s: nothing of it is disputed, so nothing was settled; name a field, as in %s:title, to settle what was edited in the calendar", key, key))
	}
}
