package ical

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"os"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// large is a calendar of 100,000 events, some 50 MB.
func large() []byte {
	var b bytes.Buffer
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Tarn Haven//EN\r\n")
	for i := range 100_000 {
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:call-%d@tarn-haven.example\r\nDTSTAMP:20260301T080000Z\r\nDTSTART;TZID=Europe/Lisbon:20260305T080000\r\nDTEND;TZID=Europe/Lisbon:20260305T170000\r\nSUMMARY:Vessel number %d at berth %d\r\nLOCATION:Berth %d\\, north quay\r\nDESCRIPTION:A description that is long enough to be folded once and then\r\n  again\\, as the descriptions of real events are folded\\, over and over\\n\r\n and over\r\nATTENDEE;CN=\"Fenn, Oda\";PARTSTAT=ACCEPTED:mailto:oda@fenn-agency.example\r\nBEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT15M\r\nDESCRIPTION:Reminder\r\nEND:VALARM\r\nEND:VEVENT\r\n", i, i%977, i%9, i%9)
	}
	b.WriteString("END:VCALENDAR\r\n")
	return b.Bytes()
}

// unfoldLines is the least a reading can cost: every line unfolded.
func unfoldLines(data []byte) (n int) {
	s := bufio.NewScanner(bytes.NewReader(data))
	var line []byte
	for s.Scan() {
		text := s.Bytes()
		if len(text) > 0 && (text[0] == ' ' || text[0] == '\t') {
			line = append(line, text[1:]...)
			continue
		}
		line = append(line[:0], text...)
		n++
	}
	return n
}

// rewrite parses a calendar whole and writes it again, every event cut into
// its lines.
func rewrite(b *testing.B, r *Reader, w io.Writer) (events int) {
	for {
		p, err := r.Next()
		if err == io.EOF {
			return events
		}
		if err != nil {
			b.Fatal(err)
		}
		if p.Name == "VEVENT" {
			events++
			sound := 0
			for l := range Lines(p.Raw) {
				if l.Depth == 0 && !l.Is("END") {
					sound++
				}
			}
			if sound != 9 {
				b.Fatal("a property is missing")
			}
		}
		if _, err := w.Write(p.Raw); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkRewrite(b *testing.B) {
	data := large()
	out := make([]byte, 0, len(data))
	var took, least time.Duration
	for b.Loop() {
		runtime.GC()
		began := time.Now()
		buf := bytes.NewBuffer(out[:0])
		require.Equal(b, 100_000, rewrite(b, NewBytesReader(data), buf))
		took += time.Since(began)
		require.True(b, bytes.Equal(data, buf.Bytes()))
		began = time.Now()
		unfoldLines(data)
		least += time.Since(began)
	}
	b.SetBytes(int64(len(data)))
	b.ReportMetric(took.Seconds()/least.Seconds(), "ratio")
}

// BenchmarkStream reads the calendar as a stream and shows the memory that is
// in use, which must not grow with the calendar.
func BenchmarkStream(b *testing.B) {
	path := b.TempDir() + "/large.ics"
	require.NoError(b, os.WriteFile(path, large(), 0o600))
	for b.Loop() {
		runtime.GC()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		f, err := os.Open(path)
		require.NoError(b, err)
		require.Equal(b, 100_000, rewrite(b, NewReader(f), io.Discard))
		runtime.GC()
		runtime.ReadMemStats(&after)
		f.Close()
		b.ReportMetric(float64(after.TotalAlloc-before.TotalAlloc)/1e6, "MB-allocated")
	}
}
