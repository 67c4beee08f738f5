package ical

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/zone"
)

// FuzzDocument cuts any text into objects. Written without an edit it is what it
// was; with one object replaced, the others keep their bytes.
func FuzzDocument(f *testing.F) {
	files, _ := filepath.Glob("testdata/*.ics")
	for _, name := range files {
		data, err := os.ReadFile(name)
		require.NoError(f, err)
		f.Add(data)
	}
	book, err := zone.NewBook(nil)
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := ParseDocument(t.Context(), data)
		require.NoError(t, err)
		zones := NewTimeZones(book)
		sameInPieces(t, d, zones)
		if len(data) == 0 || d.Damaged {
			return
		}
		var same bytes.Buffer
		require.NoError(t, d.Write(&same, nil, zones))
		require.Equal(t, string(data), same.String())
		n := 0
		for i := range d.Objects {
			n += d.Objects[i].Parts()
			require.NotEmpty(t, d.Objects[i].Raws())
		}
		require.Equal(t, d.Components(), n)
		if len(d.Objects) == 0 {
			return
		}
		o := &d.Objects[len(d.Objects)/2]
		fresh := []byte("BEGIN:VEVENT\r\nUID:fresh\r\nDTSTART;TZID=Europe/Lisbon:20260305T080000\r\nEND:VEVENT\r\n")
		var b bytes.Buffer
		require.NoError(t, d.Write(&b, []ObjectEdit{{Old: o, New: [][]byte{fresh}}, {New: [][]byte{fresh}}}, zones))
		again, err := ParseDocument(t.Context(), b.Bytes())
		require.NoError(t, err)
		require.Equal(t, n-o.Parts()+2, again.Components())
		for i := range d.Objects {
			if &d.Objects[i] != o {
				for _, raw := range d.Objects[i].Raws() {
					require.True(t, bytes.Contains(b.Bytes(), raw))
				}
			}
		}
	})
}

// TestPieces reads a calendar piece by piece that is longer than what is read at once, with
// events that are too.
func TestPieces(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	var b bytes.Buffer
	b.WriteString("BEGIN:VCALENDAR\r\nBEGIN:VTIMEZONE\r\nTZID:Europe/Lisbon\r\nBEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:+0000\r\nTZOFFSETTO:+0000\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n")
	for i := range 1500 {
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:%d\r\nDTSTART:20260305T080000Z\r\nDESCRIPTION:%s\r\nX-A:b\r\nEND:VEVENT\r\n", i%1400, strings.Repeat("x", i%7*100+i%500/499*200_000))
	}
	b.WriteString("END:VCALENDAR\r\n")
	d, err := ParseDocument(t.Context(), b.Bytes())
	require.NoError(t, err)
	require.Len(t, d.Objects, 1400)
	sameInPieces(t, d, NewTimeZones(book))
}

// sameInPieces reads a document piece by piece: it is the same, in whatever order its parts
// are asked for, and is written as the same.
func sameInPieces(t *testing.T, d *Document, zones *TimeZones) {
	pieces, err := ReadDocument(t.Context(), bytes.NewReader(d.Data), len(d.Data))
	require.NoError(t, err)
	require.Equal(t, d.Faults, pieces.Faults)
	require.Equal(t, d.TimeZones, pieces.TimeZones)
	require.Len(t, pieces.Objects, len(d.Objects))
	var w Window
	for i := range d.Objects {
		for _, n := range []int{i, len(d.Objects) - 1 - i, i} {
			one, other := &d.Objects[n], &pieces.Objects[n]
			require.Equal(t, one.Raws(), other.Raws())
			require.Equal(t, []any{one.UID, one.Line, one.Extras, one.Days()}, []any{other.UID, other.Line, other.Extras, other.Days()})
			for part := range one.Parts() {
				require.Equal(t, string(one.Part(part)), string(other.Glance(part, &w)))
			}
		}
	}
	require.NoError(t, pieces.Intact())
	if d.Damaged || len(d.Objects) == 0 {
		return
	}
	fresh, n := []byte("BEGIN:VEVENT\r\nUID:fresh\r\nDTSTART;TZID=Europe/Lisbon:20260305T080000\r\nEND:VEVENT\r\n"), len(d.Objects)/2
	var one, other bytes.Buffer
	require.NoError(t, d.Write(&one, []ObjectEdit{{Old: &d.Objects[n], New: [][]byte{fresh}}, {New: [][]byte{fresh}}}, zones))
	require.NoError(t, pieces.Write(&other, []ObjectEdit{{Old: &pieces.Objects[n], New: [][]byte{fresh}}, {New: [][]byte{fresh}}}, zones))
	require.Equal(t, one.String(), other.String())
}

// FuzzAppendLine writes any value of any parameter and property: it is one line,
// and no other.
func FuzzAppendLine(f *testing.F) {
	f.Add("a", "b")
	f.Add("\r\nATTENDEE:x", "\rSTATUS:CANCELLED\n")
	f.Add("\";\\,^\x00", strings.Repeat("é", 100)+"\n")
	f.Fuzz(func(t *testing.T, param, value string) {
		for _, v := range []string{value, Escape(value)} {
			raw := AppendLine(nil, "X-A", []Param{{Name: "X-P", Values: []string{param}}}, v)
			var lines []Line
			for l := range Lines(raw) {
				lines = append(lines, l)
			}
			require.Len(t, lines, 1)
			require.True(t, lines[0].Is("X-A"))
			require.NotContains(t, string(bytes.ReplaceAll(raw, []byte("\r\n"), nil)), "\r")
			for _, part := range bytes.Split(bytes.TrimSuffix(raw, []byte("\r\n")), []byte("\r\n")) {
				require.LessOrEqual(t, len(part), foldAt)
			}
		}
	})
}

func TestObjects(t *testing.T) {
	event := "BEGIN:VEVENT\r\nUID:a\r\nDTSTART;TZID=Europe/Lisbon:19950305T080000\r\nEXDATE;VALUE=DATE-TIME;TZID=\"Quay; North\":20260305T080000\r\nBEGIN:VALARM\r\nUID:alarm\r\nEND:VALARM\r\nEND:VEVENT\r\n"
	assert.Equal(t, "a", UIDOf([]byte(event)))
	assert.Equal(t, "a", UIDOf([]byte(strings.Replace(event, "UID:a", "uid;X=1:a", 1))))
	assert.Equal(t, "b", UIDOf([]byte("BEGIN:VEVENT\r\nBEGIN:VALARM\r\nUID:alarm\r\nEND:VALARM\r\nUID:b\r\nEND:VEVENT\r\n")))
	assert.Empty(t, UIDOf([]byte("BEGIN:VEVENT\r\nEND:VEVENT\r\n")))
	assert.True(t, Has([]byte(event), "EXDATE") && Has([]byte(event), "BEGIN") && Has([]byte("a:1\r\nexdate;X=1:2\r\n"), "EXDATE"))
	assert.False(t, Has([]byte("SUMMARY:EXDATE:1\r\n"), "EXDATE") || Has([]byte("EXDATES:1\r\n"), "EXDATE"))
	var names []string
	ZoneNames([]byte(event), func(n []byte) { names = append(names, string(n)) })
	assert.Equal(t, []string{"Europe/Lisbon", "Quay; North"}, names)
	assert.Equal(t, 1995, FirstYear([]byte(event)))
	assert.Zero(t, FirstYear([]byte("SUMMARY:x\r\n")))
}

// TestTimeZones has the names of zones that mean something of their own in one
// calendar.
func TestTimeZones(t *testing.T) {
	book, err := zone.NewBook(nil)
	require.NoError(t, err)
	define := func(name, offset string) []byte {
		return []byte("BEGIN:VTIMEZONE\r\nTZID:" + name + "\r\nBEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:" + offset + "\r\nTZOFFSETTO:" + offset + "\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n")
	}
	z := NewTimeZones(book)
	require.NoError(t, z.Define(define("Quay", "+0200")))
	require.NoError(t, z.Define(define("Quay", "+0200")))
	require.ErrorContains(t, z.Define(define("Quay", "+0300")), "is defined twice, with two clocks")
	require.Error(t, z.Define([]byte("BEGIN:VTIMEZONE\r\nTZID:Broken\r\nEND:VTIMEZONE\r\n")))
	require.NoError(t, z.Define(define("Europe/Madrid", "+0900")))
	require.NoError(t, z.Define(define("Etc/GMT-2", "+0200")))
	noon := zone.Wall(2026, 7, 1, 12, 0, 0)
	for name, want := range map[string]int64{"Quay": noon - 7200, "Europe/Madrid": noon - 9*3600, "Europe/Lisbon": noon - 3600, "GMT Standard Time": noon - 3600, "/tarn-haven.example/2026/Europe/Lisbon": noon - 3600, "Etc/GMT-2": noon - 7200} {
		found, err := z.Find(name)
		require.NoError(t, err, name)
		at, _ := found.Instant(noon)
		assert.Equal(t, want, at, name)
	}
	_, err = z.Find("No/Where")
	assert.ErrorContains(t, err, "neither defined in the file nor a known time zone")
	_, err = z.Find("Broken")
	assert.ErrorContains(t, err, "has neither STANDARD nor DAYLIGHT")
	named := missing{defined: map[string]bool{"Known": true}}
	named.look([]byte("X;TZID=Europe/Lisbon:1\r\nX;TZID=Quay:1\r\nX;TZID=Known:1\r\nX;TZID=Europe/Lisbon:2\r\nX;TZID=No/Where:1\r\n"))
	text := string(named.appendTo(nil, z))
	assert.Equal(t, 2, strings.Count(text, "BEGIN:VTIMEZONE"))
	assert.Contains(t, text, "TZID:Quay")
}

// TestEditing folds by tabs and sets what stands there twice.
func TestEditing(t *testing.T) {
	c := Open([]byte("BEGIN:VEVENT\r\nSUMMARY:one\r\n\ttwo\r\n three\r\nSUMMARY:four\r\nLOCATION:N\r\nsummary:five\r\nBEGIN:VALARM\r\nSUMMARY:ring\r\nEND:VALARM\r\nEND:VEVENT\r\n"))
	l, ok := c.Find("SUMMARY")
	require.True(t, ok)
	assert.Equal(t, "onetwothree", l.Text())
	c.Set("SUMMARY", nil, nil, "new")
	assert.Equal(t, "BEGIN:VEVENT\r\nSUMMARY:new\r\nLOCATION:N\r\nBEGIN:VALARM\r\nSUMMARY:ring\r\nEND:VALARM\r\nEND:VEVENT\r\n", string(c.Bytes()))
	long := AppendLine(nil, "SUMMARY", nil, strings.Repeat("é", 60))
	for _, part := range bytes.Split(long, []byte("\r\n")) {
		assert.True(t, utf8.Valid(part), "%q", part)
	}
}
