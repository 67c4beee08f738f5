package zone

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestInstant(t *testing.T) {
	book, err := NewBook(nil)
	require.NoError(t, err)
	tests := []struct {
		name, zone, wall, instant string
		fit                       Fit
	}{
		{"winter", "Europe/Lisbon", "2026-01-05T12:00:00Z", "2026-01-05T12:00:00Z", Exact},
		{"summer", "Europe/Lisbon", "2026-07-05T12:00:00Z", "2026-07-05T11:00:00Z", Exact},
		{"last second before the gap", "Europe/Lisbon", "2026-03-29T00:59:59Z", "2026-03-29T00:59:59Z", Exact},
		{"in the gap: the offset before it", "Europe/Lisbon", "2026-03-29T01:30:00Z", "2026-03-29T01:30:00Z", Gap},
		{"first second after the gap", "Europe/Lisbon", "2026-03-29T02:00:00Z", "2026-03-29T01:00:00Z", Exact},
		{"overlap begins", "Europe/Lisbon", "2026-10-25T01:00:00Z", "2026-10-25T00:00:00Z", Overlap},
		{"overlap ends", "Europe/Lisbon", "2026-10-25T02:00:00Z", "2026-10-25T02:00:00Z", Exact},
		{"southern overlap", "Australia/Lord_Howe", "2026-04-05T01:45:00Z", "2026-04-04T14:45:00Z", Overlap},
		{"half-hour gap", "Australia/Lord_Howe", "2026-10-04T02:15:00Z", "2026-10-03T15:45:00Z", Gap},
		{"a day skipped", "Pacific/Apia", "2011-12-30T12:00:00Z", "2011-12-30T22:00:00Z", Gap},
		{"far future keeps the rules", "Europe/Lisbon", "2699-07-05T12:00:00Z", "2699-07-05T11:00:00Z", Exact},
		{"far past", "Europe/Lisbon", "1601-07-05T12:00:00Z", "1601-07-05T12:36:45Z", Exact},
		{"windows name", "GMT Standard Time", "2026-07-05T12:00:00Z", "2026-07-05T11:00:00Z", Exact},
		{"offset", "UTC+05:30", "2026-07-05T12:00:00Z", "2026-07-05T06:30:00Z", Exact},
		{"any case", "europe/LISBON", "2026-07-05T12:00:00Z", "2026-07-05T11:00:00Z", Exact},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			z, err := book.Find(tt.zone)
			require.NoError(t, err)
			wall, err := time.Parse(time.RFC3339, tt.wall)
			require.NoError(t, err)
			at, fit := z.Instant(wall.Unix())
			assert.Equal(t, tt.instant, time.Unix(at, 0).UTC().Format(time.RFC3339))
			assert.Equal(t, tt.fit, fit)
			if fit != Gap {
				assert.Equal(t, wall.Unix(), z.Wall(at), "the way back")
			}
		})
	}
}

func TestFind(t *testing.T) {
	book, err := NewBook(nil)
	require.NoError(t, err)
	assert.Len(t, book.windows, 139)
	for name := range book.windows {
		_, err := book.Find(name)
		assert.NoError(t, err, "a Windows name without its IANA zone")
	}
	calcutta, err := book.Find("Asia/Calcutta")
	require.NoError(t, err)
	kolkata, err := book.Find("Asia/Kolkata")
	require.NoError(t, err)
	assert.True(t, calcutta.SameRules(kolkata), "two names of one zone")
	assert.False(t, calcutta.SameRules(UTC))
	for _, bad := range []string{"", "Tarn/Haven", "UTC+99", "../etc/passwd", "Europe/"} {
		_, err := book.Find(bad)
		assert.Error(t, err, bad)
	}
}
