package intake

import (
	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// crossedOut tells whether a row is crossed out: at least half of its cells
// that the intake reads are. It gives a fault where no setting says what that
// means, and where only some of them are.
func (m *Mapping) crossedOut(row table.Row) (bool, *fault.Fault) {
	if m.intake.Struck == "read" || !row.Struck() {
		return false, nil
	}
	filled, struck, first := 0, 0, -1
	for _, i := range m.compiler.Used() {
		c := row.Cell(i)
		if c.Filled() {
			filled++
		}
		if !c.Struck {
			continue
		}
		if struck++; first < 0 {
			first = i
		}
	}
	whole := struck*2 >= filled
	switch {
	case struck == 0 || whole && m.intake.Struck != "":
		return struck > 0, nil
	case whole:
		f := fault.Newf("the row is crossed out")
		return true, f.Do("say what that means with struck: leave out, cancel or read")
	}
	f := fault.New(row.Cell(first).Text, "is crossed out, and most of the row is not").Do("write what holds, or set struck: read")
	f.Place.Column = m.Header.Label(first)
	return false, f
}
