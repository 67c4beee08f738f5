package plan

import "almanach/internal/core/intake"

// join is which row and which component of ours are one, so that each identity
// is looked up once.
type join struct {
	rows  [][]int32 // by holding and slot: the row; -1 for none
	slots [][]int32 // by holding and row: the slot; -1 for none
}

func newJoin(b *intake.Batch, holdings []*Holding) join {
	j := join{rows: make([][]int32, len(holdings)), slots: make([][]int32, len(holdings))}
	for n, h := range holdings {
		j.rows[n], j.slots[n] = make([]int32, len(h.slots)), make([]int32, b.Rows.Len())
		for i := range j.slots[n] {
			j.slots[n][i] = -1
		}
		for s := range h.slots {
			row := int32(b.RowOf(h.slots[s].id))
			if j.rows[n][s] = row; row >= 0 {
				j.slots[n][row] = int32(s)
			}
		}
	}
	return j
}

// present tells whether a key of the source has the identity of a component of
// ours, and its row's fate.
func (m *maker) present(place int32, f *Found) (intake.Fate, bool) {
	if row := m.join.rows[place][f.slot]; row >= 0 {
		fate, _ := m.Batch.Fate(int(row))
		return fate, true
	}
	return m.Batch.Present(f.ID)
}

// standsIn gives the component of row i's identity in a calendar: by our mark,
// else by the UID that we gave it.
func (m *maker) standsIn(place int32, i int) Found {
	h := m.Holdings[place]
	if n := m.join.slots[place][i]; n >= 0 {
		return h.found(n)
	}
	_, id := m.Batch.Fate(i)
	return h.Row(id)
}
