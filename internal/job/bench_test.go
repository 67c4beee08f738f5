package job

import (
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"almanach/internal/core/ical"
	"almanach/internal/core/intake"
	"almanach/internal/core/match"
	"almanach/internal/core/plan"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
	"almanach/internal/edge/desk"
	"almanach/internal/edge/source"
)

const benchRows = 100_000

// bench lays out a source of many rows, and gives an office and a request.
func bench(b *testing.B) (*Office, LoadRequest, string, string) {
	b.Helper()
	dir := b.TempDir()
	source, target := filepath.Join(dir, "bookings.csv"), filepath.Join(dir, "berths.ics")
	f, err := os.Create(source)
	require.NoError(b, err)
	w := bufio.NewWriter(f)
	fmt.Fprintln(w, "Booking no,Vessel,Berth,Arrival,ETA,Departure,ETD,Agent,Remarks")
	day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range benchRows {
		at := day.AddDate(0, 0, i%1000)
		fmt.Fprintf(w, "TH-%06d,Vessel number %d,%d,%s,%02d:%02d,%s,%02d:30,Agent %d,\"Remarks on call %d, as sent\"\n", i, i%977, i%9, at.Format("02/01/2006"), i%12, i%60, at.Format("02/01/2006"), 13+i%10, i%31, i)
	}
	require.NoError(b, w.Flush())
	require.NoError(b, f.Close())
	zones, err := zone.NewBook(nil)
	require.NoError(b, err)
	office := &Office{Desk: &desk.Desk{}, Zones: zones, Now: day, Zone: "Europe/Lisbon"}
	in := &intake.Intake{Name: "bookings", Key: []string{"Booking no"}}
	for field, text := range map[string]string{"title": "{Vessel} at berth {Berth}", "start": "{Arrival} {ETA}", "end": "{Departure} {ETD}", "location": "Berth {Berth}", "description": "{Remarks}"} {
		in.SetEvent([]match.Choice{{Field: field, Template: text}})
	}
	in.Defaults()
	return office, LoadRequest{Intake: in, File: source, Into: target}, source, target
}

// readCSV is the least a reading of the rows can cost.
func readCSV(b *testing.B, path string) {
	f, err := os.Open(path)
	require.NoError(b, err)
	defer f.Close()
	r := csv.NewReader(f)
	r.ReuseRecord = true
	for {
		if _, err := r.Read(); err == io.EOF {
			return
		} else if err != nil {
			b.Fatal(err)
		}
	}
}

// scan is the least an index of a calendar can cost: unfolding every line and
// keeping where each UID stands.
func scan(b *testing.B, path string) int {
	f, err := os.Open(path)
	require.NoError(b, err)
	defer f.Close()
	index := map[string]int{}
	s := bufio.NewScanner(f)
	var line []byte
	at := 0
	keep := func() {
		if uid, ok := bytes.CutPrefix(line, []byte("UID:")); ok {
			index[string(uid)] = at
		}
	}
	for s.Scan() {
		text := s.Bytes()
		at += len(text) + 2
		if len(text) > 0 && (text[0] == ' ' || text[0] == '\t') {
			line = append(line, text[1:]...)
			continue
		}
		keep()
		line = append(line[:0], text...)
	}
	keep()
	return len(index)
}

func writeAndSync(b *testing.B, data []byte, path string) {
	f, err := os.Create(path)
	require.NoError(b, err)
	_, err = f.Write(data)
	require.NoError(b, err)
	require.NoError(b, f.Sync())
	require.NoError(b, f.Close())
}

// measure runs both functions in turn and reports the ratio of their times.
func measure(b *testing.B, what, least func()) {
	b.Helper()
	var a, c time.Duration
	for b.Loop() {
		runtime.GC()
		began := time.Now()
		what()
		a += time.Since(began)
		runtime.GC()
		began = time.Now()
		least()
		c += time.Since(began)
	}
	b.ReportMetric(a.Seconds()/float64(b.N), "s/run")
	b.ReportMetric(c.Seconds()/float64(b.N), "s/least")
	b.ReportMetric(a.Seconds()/c.Seconds(), "ratio")
}

func run(b *testing.B, office *Office, req LoadRequest, want plan.Totals) {
	r, err := Load(context.Background(), office, req)
	require.NoError(b, err)
	want.Rows, want.Wanted = benchRows, benchRows
	require.Equal(b, want, r.Totals)
}

func BenchmarkPreviewUnchanged(b *testing.B) {
	office, req, source, target := bench(b)
	req.Write = true
	run(b, office, req, plan.Totals{New: benchRows})
	req.Write = false
	measure(b, func() { run(b, office, req, plan.Totals{Same: benchRows}) }, func() {
		readCSV(b, source)
		require.Equal(b, benchRows, scan(b, target))
	})
}

func BenchmarkLoadUnchanged(b *testing.B) {
	office, req, source, target := bench(b)
	req.Write = true
	run(b, office, req, plan.Totals{New: benchRows})
	measure(b, func() { run(b, office, req, plan.Totals{Same: benchRows}) }, func() {
		readCSV(b, source)
		scan(b, target)
	})
}

func BenchmarkLoadFirst(b *testing.B) {
	office, req, source, target := bench(b)
	req.Write = true
	var data []byte
	measure(b, func() {
		require.NoError(b, os.RemoveAll(target))
		run(b, office, req, plan.Totals{New: benchRows})
	}, func() {
		if data == nil {
			data, _ = os.ReadFile(target)
		}
		readCSV(b, source)
		copied := target + ".copy"
		writeAndSync(b, data, copied)
		scan(b, copied)
	})
}

// BenchmarkLoadWorkbook is BenchmarkLoadFirst of a workbook with the same rows, by itself.
func BenchmarkLoadWorkbook(b *testing.B) {
	office, req, from, target := bench(b)
	f, err := os.Open(from)
	require.NoError(b, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(b, err)
	book := excelize.NewFile()
	w, err := book.NewStreamWriter("Sheet1")
	require.NoError(b, err)
	for i, row := range rows {
		cells := make([]any, len(row))
		for c := range row {
			cells[c] = row[c]
		}
		require.NoError(b, w.SetRow("A"+strconv.Itoa(i+1), cells))
	}
	require.NoError(b, w.Flush())
	req.File, req.Write = filepath.Join(b.TempDir(), "bookings.xlsx"), true
	require.NoError(b, book.SaveAs(req.File))
	for b.Loop() {
		require.NoError(b, os.RemoveAll(target))
		run(b, office, req, plan.Totals{New: benchRows})
	}
}

// BenchmarkReconcile compares a month of the rows with their calendar.
func BenchmarkReconcile(b *testing.B) {
	office, req, _, _ := bench(b)
	req.Write = true
	run(b, office, req, plan.Totals{New: benchRows})
	month, f := office.ParseSpan("june 2026")
	require.Nil(b, f)
	for b.Loop() {
		r, err := Reconcile(b.Context(), office, req, &month)
		require.NoError(b, err)
		require.False(b, r.Left())
	}
}

// BenchmarkMapping maps rows to twelve fields, three of them by expressions,
// once their columns are learnt, against the reading of the same rows.
func BenchmarkMapping(b *testing.B) {
	dir := b.TempDir()
	path := filepath.Join(dir, "calls.csv")
	var text bytes.Buffer
	text.WriteString("No,Vessel,Berth,Arrival,ETA,Departure,ETD,Agent,Email,State,Link,Remarks\n")
	day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range benchRows {
		at := day.AddDate(0, 0, i%1000).Format("02/01/2006")
		fmt.Fprintf(&text, "TH-%06d,Vessel number %d,%d,%s,%02d:%02d,%s,%02d:30,Agent %d,agent%d@harbour.example,Confirmed,https://tarn-haven.example/%d,\"Remarks on call %d, as sent\"\n", i, i%977, i%9, at, i%12, i%60, at, 13+i%10, i%31, i%31, i, i)
	}
	require.NoError(b, os.WriteFile(path, text.Bytes(), 0o600))
	zones, err := zone.NewBook(nil)
	require.NoError(b, err)
	lisbon, err := zones.Find("Europe/Lisbon")
	require.NoError(b, err)
	in, faults := intake.Parse("calls.yaml", []byte(`
key: No
into: c
event:
  title: '{upper(Vessel)} at berth {Berth}'
  start: "{Arrival} {ETA}"
  end: "{Departure} {ETD}"
  location: "Berth {Berth}"
  description: '{together("; ", Remarks, Agent)}'
  url: "{Link}"
  categories: "{State}"
  status: '{filled(State, "tentative")}'
  attendees: "{Agent} <{Email}>"
  priority: high
  busy: busy
  reminders: [2h]
`))
	require.Empty(b, faults)
	read := func() (table.Rows, table.Header) {
		r, err := source.Open(b.Context(), path, source.Options{})
		require.NoError(b, err)
		defer r.Close()
		rows, err := source.ReadAll(r, func(int) {})
		require.NoError(b, err)
		return rows, r.Header()
	}
	rows, header := read()
	m, faults := in.Compile(header, zones, lisbon, day)
	require.Empty(b, faults)
	batch := intake.NewBatch(m, rows, beside)
	measure(b, func() {
		var workers sync.WaitGroup
		n := runtime.GOMAXPROCS(0)
		for k := range n {
			workers.Go(func() {
				fork := m.Mapper()
				var w intake.Wanted
				for i := k; i < rows.Len(); i += n {
					if f := batch.Map(fork, i, &w); f != nil {
						panic(f.Error())
					}
				}
			})
		}
		workers.Wait()
	}, func() { read() })
}

// BenchmarkExtractSeries takes a month out of 2,000 series.
func BenchmarkExtractSeries(b *testing.B) {
	dir := b.TempDir()
	var text strings.Builder
	text.WriteString(ical.Prologue)
	for i := range 2000 {
		fmt.Fprintf(&text, "BEGIN:VEVENT\r\nUID:s%d\r\nDTSTAMP:20260101T000000Z\r\nDTSTART;TZID=Europe/Lisbon:202601%02dT%02d1500\r\nDTEND;TZID=Europe/Lisbon:202601%02dT%02d5500\r\nRRULE:FREQ=%s;UNTIL=20261231T235959Z\r\nSUMMARY:Ferry %d\r\nEND:VEVENT\r\n", i, 1+i%9, i%10, 1+i%9, i%10, []string{"DAILY", "WEEKLY"}[i%2], i)
	}
	text.WriteString(ical.Epilogue)
	path := filepath.Join(dir, "s.ics")
	require.NoError(b, os.WriteFile(path, []byte(text.String()), 0o600))
	zones, err := zone.NewBook(nil)
	require.NoError(b, err)
	office := &Office{Desk: &desk.Desk{}, Zones: zones, Now: time.Date(2026, 6, 1, 8, 0, 0, 0, time.UTC), Zone: "Europe/Lisbon"}
	r, f := office.ParseSpan("june 2026")
	require.Nil(b, f)
	b.ReportAllocs()
	for b.Loop() {
		x, err := ExtractCalendars(b.Context(), office, []string{path}, r)
		require.NoError(b, err)
		require.Greater(b, len(x.Rows), 30000)
	}
}
