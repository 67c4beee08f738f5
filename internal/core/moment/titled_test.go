package moment

import (
	"testing"
	"time"

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

// TestNamedYear reads the year of names of files, and none of days and numbers in them.
func TestNamedYear(t *testing.T) {
	for name, want := range map[string]int{
		"berth-plan-2027.csv": 2027, "in/Berth_Plan_2027.xlsx": 2027, "plan2027.csv": 2027, "2027 plan.csv": 2027, "2027.csv": 2027, `C:\plans\Plan 2027 (2).xlsx`: 2027, "plan_2027-03.csv": 2027, "2025/plan.csv": 0,
		"summer_2026-27.xlsx": Season, "summer 2026_2027.xlsx": Season,
		"berths-2026-11-27.csv": 0, "berths_2026_11_27.csv": 0, "berths_27.11.2026.csv": 0, "20261127.csv": 0, "berths 27 Nov 2026.csv": 0, "berths-27-nov-2026.csv": 0, "calls.csv": 0, "call-12027.csv": 0, "": 0,
	} {
		assert.Equal(t, want, NamedYear(name), name)
	}
}

// TestNamed holds dates without a year where the name of the file says another than today's.
func TestNamed(t *testing.T) {
	present := time.Date(2026, 3, 1, 8, 0, 0, 0, time.UTC)
	for named, want := range map[int]string{
		0: "", 2026: "", 2040: "", 2012: "", 2025: "give --year 2025", 2027: "give --year 2027", Season: "give --year 2026",
	} {
		_, f := ReadOne(Settings{Present: present, Named: named}, "14 March")
		if want == "" {
			assert.Nil(t, f, named)
		} else if assert.NotNil(t, f, named) {
			assert.Contains(t, f.Error(), want)
		}
		_, f = ReadOne(Settings{Present: present, Named: named, Titled: 2024}, "14 March")
		assert.Nil(t, f, "a title settles it")
	}
	_, f := ReadOne(Settings{Present: present, Named: 2027}, "14 November")
	assert.ErrorContains(t, f, "give --year 2027")
}
