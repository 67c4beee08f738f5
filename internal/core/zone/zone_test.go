package zone

import (
	"archive/zip"
	"bytes"
	"errors"
	"strings"
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
		{"the gap begins", "Europe/Lisbon", "2026-03-29T01:00:00Z", "2026-03-29T01:00:00Z", Gap},
		{"last second of the gap", "Europe/Lisbon", "2026-03-29T01:59:59Z", "2026-03-29T01:59:59Z", Gap},
		{"last second before the overlap", "Europe/Lisbon", "2026-10-25T00:59:59Z", "2026-10-24T23:59:59Z", Exact},
		{"last second of the overlap", "Europe/Lisbon", "2026-10-25T01:59:59Z", "2026-10-25T00:59:59Z", Overlap},
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
	assert.Len(t, windows(), 139)
	for name := range windows() {
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

// TestGiven tells data that was given from other data and from the embedded release.
func TestGiven(t *testing.T) {
	release := func(content string) string {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create("Europe/Lisbon")
		require.NoError(t, err)
		_, err = w.Write([]byte(content))
		require.NoError(t, errors.Join(err, z.Close()))
		book, err := NewBook(b.Bytes())
		require.NoError(t, err)
		return book.Release()
	}
	assert.NotEqual(t, release("a"), release("b"))
	assert.Equal(t, release("a"), release("a"))
	assert.NotEqual(t, Release, release("a"))
}

// TestTimes has one instant in every form, shown and brought from zone to zone.
func TestTimes(t *testing.T) {
	book, err := NewBook(nil)
	require.NoError(t, err)
	assert.NotEmpty(t, book.Release())
	lisbon, err := book.Find("Europe/Lisbon")
	require.NoError(t, err)
	east, err := book.Find("+05:30")
	require.NoError(t, err)
	wall := Wall(2026, 7, 5, 12, 0, 0)
	for _, tt := range []struct {
		at             Time
		shown, name    string
		instant        int64
		lisbon, inView string // in Lisbon; where Lisbon's clock shows it
	}{
		{In(lisbon, wall), "2026-07-05T12:00:00+01:00", "Europe/Lisbon", wall - 3600, "2026-07-05T12:00:00+01:00", "2026-07-05T11:00:00Z"},
		{In(UTC, wall), "2026-07-05T12:00:00Z", "UTC", wall, "2026-07-05T13:00:00+01:00", "2026-07-05T12:00:00Z"},
		{In(east, wall), "2026-07-05T06:30:00Z", "UTC", wall - 19800, "2026-07-05T07:30:00+01:00", "2026-07-05T06:30:00Z"},
		{In(nil, wall), "2026-07-05T12:00:00", "", wall, "2026-07-05T12:00:00", "2026-07-05T11:00:00Z"},
		{Time{Wall: Midnight(wall), Form: Date}, "2026-07-05", "", Midnight(wall), "2026-07-05", "2026-07-04T23:00:00Z"},
	} {
		assert.Equal(t, tt.shown, tt.at.RFC3339())
		assert.Equal(t, tt.name, tt.at.ZoneName())
		assert.Equal(t, tt.instant, tt.at.Instant(nil))
		assert.Equal(t, tt.lisbon, tt.at.InZone(lisbon).RFC3339())
		assert.Equal(t, tt.at, tt.at.InZone(nil))
		assert.Equal(t, tt.inView, Civil(tt.at.Instant(lisbon)).Format(time.RFC3339))
		if tt.at.Form > Floating {
			assert.Equal(t, Civil(tt.instant).Format(time.RFC3339), tt.at.InZone(UTC).RFC3339())
		}
	}
	assert.True(t, Time{}.IsZero())
	assert.Empty(t, Time{}.RFC3339())
	old := In(lisbon, Wall(1900, 1, 1, 12, 0, 0))
	assert.Equal(t, "1900-01-01T12:00:00-00:36:45", old.RFC3339(), "an offset with seconds")
	renamed := lisbon.Named("/almanach/Europe/Lisbon")
	assert.Equal(t, "/almanach/Europe/Lisbon", renamed.Name())
	assert.True(t, renamed.SameRules(lisbon))
	assert.True(t, UTC.IsUTC() && UTC.Constant() && !lisbon.Constant())
	assert.False(t, lisbon.SameRules(nil))
	flat := New("Quay", Offset{Seconds: 7200}, []Shift{{At: 0, To: Offset{Seconds: 3600}}})
	assert.True(t, flat.SameRules(New("Pier", Offset{Seconds: 7200}, []Shift{{At: 0, To: Offset{Seconds: 3600}}})))
	assert.False(t, flat.SameRules(New("Pier", Offset{Seconds: 7200}, []Shift{{At: 0, To: Offset{Seconds: 0}}})))
}

// AppendWall writes what package time does.
func TestAppendWall(t *testing.T) {
	for wall := Wall(1, 1, 1, 0, 0, 0); wall < Wall(10000, 1, 1, 0, 0, 0); wall += 86400*41 + 3607 {
		c := Civil(wall)
		require.Equal(t, c.Format("2006-01-02T15:04:05"), string(AppendWall(nil, wall, false, true)))
		require.Equal(t, c.Format("20060102T150405"), string(AppendWall(nil, wall, false, false)))
		require.Equal(t, c.Format("2006-01-02"), string(AppendWall(nil, wall, true, true)))
		require.Equal(t, c.Format("20060102"), string(AppendWall(nil, wall, true, false)))
	}
}

func TestUnknown(t *testing.T) {
	book, err := NewBook(nil)
	require.NoError(t, err)
	for name, want := range map[string]string{"Europe/Lisbonn": `did you mean "Europe/Lisbon"?`, "lisbn": `did you mean "Europe/Lisbon"?`, "New York": "America/New_York", "???": "write a name such as Europe/Lisbon"} {
		assert.Contains(t, book.Unknown(name).Error(), want, name)
	}
	assert.Contains(t, book.Names(), "Atlantic/Azores")
}

// TestOffsets finds every offset there is, in every spelling.
func TestOffsets(t *testing.T) {
	book, err := NewBook(nil)
	require.NoError(t, err)
	for minutes := -14 * 60; minutes <= 14*60; minutes += 15 {
		h, m, sign := max(minutes, -minutes)/60, max(minutes, -minutes)%60, "+"
		if minutes < 0 {
			sign = "-"
		}
		names := []string{FormatOffset(minutes*60, ":"), FormatOffset(minutes*60, ""), "UTC" + FormatOffset(minutes*60, ":"), "gmt" + FormatOffset(minutes*60, ":")}
		if m == 0 {
			names = append(names, sign+FormatOffset(h*3600, "")[1:3], strings.Replace(sign, "-", "−", 1)+FormatOffset(h*3600, "")[1:3]+":00", "UTC"+sign+time.Unix(0, 0).UTC().Add(time.Duration(h) * time.Hour).Format("15")[:2])
		}
		for _, name := range names {
			z, err := book.Find(name)
			require.NoError(t, err, name)
			assert.Equal(t, minutes*60, z.OffsetAt(0).Seconds, name)
		}
	}
}

// Zones are the same where their clocks are, whatever they are called.
func TestSameRules(t *testing.T) {
	book, err := NewBook(nil)
	require.NoError(t, err)
	find := func(name string) *Zone {
		z, err := book.Find(name)
		require.NoError(t, err)
		return z
	}
	lisbon := find("Europe/Lisbon")
	first, shifts := lisbon.Shifts(Wall(1990, 1, 1, 0, 0, 0), Wall(2030, 1, 1, 0, 0, 0))
	written := New("Europe/Lisbon", first, shifts) // as a calendar spells it out
	moved := New("Europe/Lisbon", first, shifts[1:])
	for name, tt := range map[string]struct {
		a, b *Zone
		want bool
	}{
		"itself":                       {lisbon, lisbon, true},
		"another name":                 {lisbon, find("Portugal"), true},
		"another call":                 {lisbon.Named("Home"), lisbon, true},
		"another clock":                {lisbon, find("Europe/London"), false},
		"written out alike":            {written, New("X", first, shifts), true},
		"written out with a shift off": {written, moved, false},
		"another offset at first":      {written, New("X", Offset{Seconds: 7200}, shifts), false},
		"a fixed offset":               {Fixed("+01:00", 3600), Fixed("CET", 3600), true},
		"two fixed offsets":            {Fixed("+01:00", 3600), Fixed("+02:00", 7200), false},
		"none":                         {nil, lisbon, false},
		"nothing on either side":       {nil, nil, true},
	} {
		assert.Equal(t, tt.want, tt.a.SameRules(tt.b), name)
		assert.Equal(t, tt.want, tt.b.SameRules(tt.a), name)
	}
	at := shifts[0].At // a shift at the beginning counts, one at the end does not
	before, found := lisbon.Shifts(at, shifts[1].At)
	assert.Equal(t, first, before)
	assert.Equal(t, shifts[:1], found)
	_, found = lisbon.Shifts(at+1, at+2)
	assert.Empty(t, found)
}
