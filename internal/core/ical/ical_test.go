package ical

import (
	"bytes"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	goical "github.com/emersion/go-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
)

func crlf(s string) string { return strings.ReplaceAll(strings.TrimLeft(s, "\n"), "\n", "\r\n") }

// pieces reads everything, checking that the pieces are the input.
func pieces(t testing.TB, r *Reader, want []byte) []Piece {
	t.Helper()
	var out []Piece
	var all []byte
	line := 1
	for {
		p, err := r.Next()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		require.Equal(t, line, p.Line)
		line += bytes.Count(p.Raw, []byte("\n"))
		all = append(all, p.Raw...)
		p.Raw = bytes.Clone(p.Raw)
		p.UID = bytes.Clone(p.UID)
		out = append(out, p)
	}
	require.Equal(t, string(want), string(all), "pieces put together are the file")
	return out
}

func TestReader(t *testing.T) {
	tests := []struct {
		name, text string
		want       string // NAME uid; a fault in brackets; . for what lies between
	}{
		{"empty", "", ""},
		{"plain", "BEGIN:VCALENDAR\nVERSION:2.0\nBEGIN:VEVENT\nUID:a\nEND:VEVENT\nEND:VCALENDAR\n", ". . VEVENT/a ."},
		{"UID of the event alone", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID;X=\"a:b\":a\n  b\nBEGIN:VALARM\nUID:no\nEND:VALARM\nEND:VEVENT\nEND:VCALENDAR\n", ". VEVENT/a b ."},
		{"lower case, byte order mark, no last ending", "\xef\xbb\xbfbegin:vcalendar\nbegin:vevent\nuid:a\nrecurrence-id:20260101\nend:vevent\nend:vcalendar", ". VEVENT/a/override ."},
		{"folded BEGIN", "BEGIN:VCALENDAR\nBEGIN:VEV\n ENT\nUID:a\nE\n ND:VEVENT\nEND:VCALENDAR\n", ". VEVENT/a ."},
		{"two calendars and blank lines", "BEGIN:VCALENDAR\n\nBEGIN:VTODO\nEND:VTODO\n\nEND:VCALENDAR\n\nBEGIN:VCALENDAR\nEND:VCALENDAR\n\n", ". . VTODO . . . . . ."},
		{"event without END", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nBEGIN:VEVENT\nUID:b\nEND:VEVENT\nEND:VCALENDAR\n", ". VEVENT/a[line 2: VEVENT with UID a has no END:VEVENT] VEVENT/b ."},
		{"alarm without END", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nBEGIN:VALARM\nEND:VEVENT\nEND:VCALENDAR\n", ". VEVENT/a[line 2: VALARM with UID a has no END:VALARM] [line 5: END:VEVENT closes nothing] ."},
		{"cut short in an event", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nSUMM", ". VEVENT/a[line 2: VEVENT with UID a has no END:VEVENT] [line 4: the file ends inside the VCALENDAR begun in line 1; it was cut short]"},
		{"not a calendar", "<html>\n", "[line 1: text outside of a VCALENDAR]"},
	}
	for _, tt := range tests {
		for _, text := range []string{tt.text, crlf(tt.text)} {
			var got []string
			for _, p := range pieces(t, NewBytesReader([]byte(text)), []byte(text)) {
				s := p.Name
				if p.UID != nil {
					s += "/" + string(p.UID)
				}
				if p.Override {
					s += "/override"
				}
				if p.Fault != nil {
					s += "[" + p.Fault.Error() + "]"
				}
				if s == "" {
					s = "."
				}
				got = append(got, s)
			}
			assert.Equal(t, tt.want, strings.Join(got, " "), tt.name)
			assert.Equal(t, len(got), len(pieces(t, NewReader(iotest.OneByteReader(strings.NewReader(text))), []byte(text))), "streamed")
		}
	}
}

func TestEdit(t *testing.T) {
	raw := crlf(`
BEGIN:VEVENT
UID:a
SUMMARY;LANGUAGE=en;X-P="a;b,c:d":Old\, title
x-unknown;FOO=bar:keep "this":as it
  is
ATTENDEE;PARTSTAT=ACCEPTED:mailto:agent@tarn.example

DTSTART;TZID=Europe/Lisbon;X-KEPT=1:20260305T130000
BEGIN:VALARM
SUMMARY:alarm
END:VALARM
END:VEVENT
`)
	c := Open([]byte(raw))
	assert.Equal(t, raw, string(c.Bytes()))
	title := strings.Repeat("Grey Petrel – né à Tarn Haven; ", 4)
	c.Set("SUMMARY", nil, nil, Escape(title))
	c.Set("DTSTART", []Param{{Name: "VALUE", Values: []string{"DATE"}}}, []string{"TZID"}, "20260306")
	c.Set("LOCATION", nil, nil, "Berth 1")
	got := string(c.Bytes())
	for _, line := range strings.Split(got, "\r\n") {
		assert.LessOrEqual(t, len(line), 75)
	}
	l, ok := Open([]byte(got)).Find("SUMMARY")
	require.True(t, ok)
	assert.Equal(t, title, l.Text())
	assert.Equal(t, "a;b,c:d", l.Param("X-P"))
	assert.Contains(t, got, "\r\nDTSTART;VALUE=DATE;X-KEPT=1:20260306\r\nLOCATION:Berth 1\r\nBEGIN:VALARM\r\nSUMMARY:alarm\r\n")
	assert.Contains(t, got, "x-unknown;FOO=bar:keep \"this\":as it\r\n  is\r\nATTENDEE;PARTSTAT=ACCEPTED:mailto:agent@tarn.example\r\n\r\n")
	c.Remove("SUMMARY")
	assert.Contains(t, string(c.Bytes()), "SUMMARY:alarm")
	assert.NotContains(t, string(c.Bytes()), "Petrel")
}

func TestValues(t *testing.T) {
	for _, s := range []string{"", "plain", "a, b; c\\d\nnew", `\n is not a break`, "né 🚢", "trailing\\"} {
		assert.Equal(t, s, Unescape([]byte(Escape(s))))
	}
	assert.Equal(t, []string{"a,b", "c", ""}, SplitList([]byte(`a\,b,c,`)))
	assert.Equal(t, "a\nb", Unescape([]byte(`a\Nb`)))
	d, err := ParseDuration([]byte("-P1DT2H"))
	require.NoError(t, err)
	assert.Equal(t, Duration{Days: -1, Seconds: -7200}, d)
	for _, bad := range []string{"", "P", "1H", "PT1D", "P1H", "PT99999999999H", "P1"} {
		if _, err := ParseDuration([]byte(bad)); bad != "P" {
			assert.Error(t, err, bad)
		}
	}
	for _, bad := range []string{"", "20260230", "20261301", "2026-01-01", "20260101T", "20260101T250000", "20260101T1200", "20260101T120000X"} {
		_, err := ParseTime([]byte(bad), "", noZones)
		assert.Error(t, err, bad)
	}
}

// TestZones writes a VTIMEZONE for every zone, reads it back and compares the
// two clocks hour by hour around every change.
func TestZones(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	for _, name := range book.Names() {
		z, err := book.Find(name)
		require.NoError(t, err, name)
		for _, year := range []int{1970, 2026} {
			raw := AppendZone(nil, z, year)
			again, err := ReadZone(raw)
			require.NoError(t, err, name)
			_, shifts := z.Shifts(zone.Wall(year, 1, 1, 0, 0, 0), zone.Wall(2200, 1, 1, 0, 0, 0))
			for _, s := range append(shifts, zone.Shift{At: zone.Wall(year, 1, 1, 0, 0, 0)}) {
				for _, d := range []int64{-1, 0, 1, 86400} {
					if a, b := z.Wall(s.At+d), again.Wall(s.At+d); a != b {
						t.Fatalf("%s from %d: at %s the clock shows %d s more\n%s", name, year, time.Unix(s.At+d, 0).UTC(), b-a, raw)
					}
				}
			}
			if name == "Europe/Lisbon" && year == 2026 {
				assert.Equal(t, 2, bytes.Count(raw, []byte("RRULE")))
				assert.Less(t, len(raw), 450)
			}
		}
	}
}

// TestSecondOpinion reads files that keep to the RFC with an independent
// parser, and compares every property of every component.
func TestSecondOpinion(t *testing.T) {
	for _, name := range []string{"conforming.ics", "zones.ics"} {
		data, err := os.ReadFile("testdata/" + name)
		require.NoError(t, err)
		second, err := goical.NewDecoder(bytes.NewReader(data)).Decode()
		require.NoError(t, err)
		var want []string
		var walk func(c *goical.Component)
		walk = func(c *goical.Component) {
			for _, properties := range c.Props {
				for _, p := range properties {
					line := c.Name + " " + p.Name + " " + p.Value
					for _, name := range slices.Sorted(maps.Keys(p.Params)) {
						line += fmt.Sprintf(" %s=%q", name, p.Params[name])
					}
					want = append(want, line)
				}
			}
			for _, child := range c.Children {
				walk(child)
			}
		}
		for _, child := range second.Children {
			walk(child)
		}
		var got []string
		for _, p := range pieces(t, NewBytesReader(data), data) {
			if p.Name == "" {
				continue
			}
			var open []string
			for l := range Lines(p.Raw) {
				switch {
				case l.Is("BEGIN"):
					open = append(open, string(l.Value()))
				case l.Is("END"):
					open = open[:len(open)-1]
				default:
					require.True(t, l.Sound())
					line := open[len(open)-1] + " " + l.Name() + " " + string(l.Value())
					params := l.Params()
					slices.SortFunc(params, func(a, b Param) int { return strings.Compare(a.Name, b.Name) })
					for _, param := range params {
						line += fmt.Sprintf(" %s=%q", param.Name, param.Values)
					}
					got = append(got, line)
				}
			}
		}
		assert.ElementsMatch(t, want, got, name)
	}
}

func TestOddFiles(t *testing.T) {
	read := func(name string) []Piece {
		data, err := os.ReadFile("testdata/" + name)
		require.NoError(t, err)
		return slices.DeleteFunc(pieces(t, NewBytesReader(data), data), func(p Piece) bool { return p.Name == "" })
	}
	mid := read("mid-character.ics")[0]
	l, ok := Open(mid.Raw).Find("SUMMARY")
	require.True(t, ok)
	assert.Equal(t, "Marée haute à lécluse", l.Text())
	assert.False(t, mid.NotUTF8(), "a fold inside a character is no damage")
	assert.True(t, read("latin-1.ics")[0].NotUTF8())
	for _, p := range read("zones.ics") {
		if p.Name == "VEVENT" {
			continue
		}
		z, err := ReadZone(p.Raw)
		require.NoError(t, err)
		at := zone.Wall(2026, 7, 1, 8, 0, 0)
		offset := map[string]int64{"Quay time (summer and winter)": 3600, "Dates only": 5415}[z.Name()]
		assert.Equal(t, at+offset, z.Wall(at), z.Name())
		at = zone.Wall(2026, 12, 1, 8, 0, 0)
		assert.Equal(t, at+map[bool]int64{true: 0, false: 1815}[offset == 3600], z.Wall(at), z.Name())
	}
}

// seeds adds every file of testdata to a fuzz test.
func seeds(f *testing.F) {
	files, err := filepath.Glob("testdata/*.ics")
	require.NoError(f, err)
	require.NotEmpty(f, files)
	for _, name := range files {
		data, err := os.ReadFile(name)
		require.NoError(f, err)
		f.Add(data)
	}
}

// FuzzZone reads whatever stands between BEGIN and END of a VTIMEZONE; what
// can be read must be written and read again as the same clock.
func FuzzZone(f *testing.F) {
	seeds(f)
	f.Fuzz(func(t *testing.T, data []byte) {
		z, err := ReadZone(append(append([]byte("BEGIN:VTIMEZONE\r\n"), data...), "\r\nEND:VTIMEZONE\r\n"...))
		if err != nil {
			return
		}
		again, err := ReadZone(AppendZone(nil, z, 2000))
		require.NoError(t, err)
		for _, at := range []int64{zone.Wall(2001, 2, 1, 0, 0, 0), zone.Wall(2026, 7, 1, 12, 0, 0), zone.Wall(2040, 1, 1, 0, 0, 0)} {
			require.Equal(t, z.Wall(at), again.Wall(at))
		}
	})
}

func FuzzReader(f *testing.F) {
	seeds(f)
	f.Fuzz(func(t *testing.T, data []byte) {
		whole := pieces(t, NewBytesReader(data), data)
		streamed := pieces(t, NewReader(iotest.HalfReader(bytes.NewReader(data))), data)
		require.Equal(t, len(whole), len(streamed))
		for i, p := range whole {
			require.Equal(t, p.Name, streamed[i].Name)
			if p.Name == "" || p.Fault != nil {
				continue
			}
			c := Open(p.Raw)
			if bytes.HasSuffix(p.Raw, []byte("\n")) {
				require.Equal(t, string(p.Raw), string(c.Bytes()))
			}
			for _, l := range c.Lines() {
				_, _ = l.Params(), l.Text()
				_, _ = ParseTime(l.Value(), "", noZones)
				_, _ = ParseDuration(l.Value())
			}
			if p.Name == "VTIMEZONE" {
				_, _ = ReadZone(p.Raw)
			}
		}
	})
}
