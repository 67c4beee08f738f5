package moment

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestStatedYear reads the year of titles, and none of other dates in them.
func TestStatedYear(t *testing.T) {
	for text, want := range map[string]int{
		"Berth plan 2027": 2027, "January to March 2027": 2027, "Plan 2027, printed 20.12.2026": 2027, "Plan 2027 (as of 20 December 2026)": 2027, "März 2027": 2027, "2027-03": 2027, "Plan 2027 / plan of 2027": 2027, "Marzo de 2027": 2027,
		"Season 2026/27": Season, "2026–2027": Season, "2026-27": Season,
		"Berth plan": 0, "Printed 2026-03-20": 0, "Printed 20/03/2026": 0, "20 March 2026": 0, "20. März 2026": 0, "20 de marzo de 2026": 0, "March 20, 2026": 0, "since 2019": 0, "Version 2024": 0, "Plan 2025 and 2027": 0, "Berth 2027A1": 2027, "TH-12027": 0, "Plan 1999": 0, "": 0,
	} {
		assert.Equal(t, want, StatedYear(text), text)
	}
}
