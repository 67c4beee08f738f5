package zone

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestStated reads what titles and notes say of the zone of the times of a table.
func TestStated(t *testing.T) {
	for text, want := range map[string]string{
		"All times UTC":                        "UTC",
		"all times are given in UTC.":          "UTC",
		"Berth plan, times in CET":             "CET",
		"Times are local":                      Here,
		"Alle Zeiten in MESZ":                  "MESZ",
		"Toutes les heures en UTC":             "UTC",
		"Todos los horarios en UTC-3":          "UTC-3",
		"Tutti gli orari in Europe/Rome":       "Europe/Rome",
		"Time zone: Europe/Lisbon":             "Europe/Lisbon",
		"Timezone UTC":                         "UTC",
		"TZ = America/Argentina/Buenos_Aires":  "America/Argentina/Buenos_Aires",
		"Zeitzone: Ortszeit":                   Here,
		"Fuso horário: Romance Standard Time":  "Romance Standard Time",
		"times of high water":                  "",
		"Three times CETacea":                  "",
		"Time zones differ":                    "",
		"Opening times: Quay West":             "",
		"The times are those of the West Quay": "",
		"Printed 2026-04-01 09:00 UTC":         "",
		"Ferries run all hours":                "",
		"Berth plan (UTC)":                     "",
		"a very long text on times in UTC" + string(make([]byte, 200)): "",
	} {
		assert.Equal(t, want, Stated(text), text)
	}
	for text, want := range map[string]string{
		"Berth plan (UTC)": "UTC", "Arrivals [UTC+1]": "UTC+1", "Arrivals – UTC": "UTC", "Berth plan (CET)": "CET", "All times UTC": "UTC",
		"Berth plan (West)": "", "Printed 2026-04-01 09:00 UTC": "", "Printed at 0900 UTC": "", "Berth plan (est)": "", "The utc of things": "", "UTC Shipping, berth plan": "", "UTC": "UTC", "Berth plan in UTC": "UTC", "5 April, 9 am (UTC): Dredging": "", "Plan April 2026 - GMT": "GMT", "Plan of 7 UTC berths": "",
	} {
		assert.Equal(t, want, Titled(text), text)
	}
}
