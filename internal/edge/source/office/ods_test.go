package office

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/table"
)

// TestShownPart tells from what OpenDocument shows of a date which part of it that is.
func TestShownPart(t *testing.T) {
	may4, may26 := time.Date(2026, 5, 4, 0, 0, 0, 0, time.UTC), time.Date(2026, 5, 26, 0, 0, 0, 0, time.UTC)
	for text, c := range map[string]struct {
		at   time.Time
		want table.Part
	}{
		"": {may4, table.Whole}, "04/05/26": {may4, table.Whole}, "4. Mai 2026": {may4, table.Whole}, "2026-05-04": {may4, table.Whole}, "26/05/26": {may26, table.Whole},
		"4-May": {may4, table.NoYear}, "26-May": {may26, table.NoYear}, "04.05.": {may4, table.NoYear}, "04.05": {may4, table.NoYear}, "00:00": {may4, table.ClockOnly},
		"May-26": {may4, table.NoDay}, "Mai 2026": {may4, table.NoDay}, "05/2026": {may4, table.NoDay}, "Monday": {may4, table.DayName},
		"04/05/26 08:30": {may4.Add(510 * time.Minute), table.Whole}, "4.5.26 8.30": {may4.Add(510 * time.Minute), table.Whole}, "4/5/26 8h30": {may4.Add(510 * time.Minute), table.Whole}, "04/05/2026 8 PM": {may4.Add(20 * time.Hour), table.Whole},
		"04/05/2026": {may4.Add(510 * time.Minute), table.NoClock}, "08:30": {may4.Add(510 * time.Minute), table.ClockOnly}, "8.30": {may4.Add(510 * time.Minute), table.ClockOnly}, "4 May 8:30 PM": {may4.Add(1230 * time.Minute), table.NoYear},
	} {
		assert.Equal(t, c.want.String(), shownPart(text, c.at).String(), text)
	}
}
