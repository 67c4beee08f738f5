package show

import (
	"bytes"
	"io"
	"strconv"
	"time"

	"github.com/charmbracelet/x/ansi"
	"github.com/xuri/excelize/v2"

	"almanach/internal/core/event"
	"almanach/internal/core/extract"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
	"almanach/internal/job"
)

// SheetColumns are the columns of a workbook, and of values for spreadsheets.
var SheetColumns = []string{"title", "start", "end", "all_day", "location", "status", "calendar", "categories", "attendees", "description", "key"}

// Workbook writes occurrences as a workbook: dates are dates, on the clock of the
// range, the header stays in sight and filters.
func Workbook(w io.Writer, x *job.Extract, columns []string) error {
	if len(columns) == 0 {
		columns = SheetColumns
	}
	f := excelize.NewFile()
	defer f.Close()
	const name = "Events"
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	style := func(format string, bold bool) int {
		s := &excelize.Style{Alignment: &excelize.Alignment{Vertical: "top"}}
		if format != "" {
			s.CustomNumFmt = &format
		}
		if bold {
			s.Font = &excelize.Font{Bold: true}
		}
		id, err := f.NewStyle(s)
		if err != nil {
			return 0
		}
		return id
	}
	day, moment, text, head := style("ddd d mmm yyyy", false), style("ddd d mmm yyyy hh:mm", false), style("", false), style("", true)
	widths := make([]int, len(columns))
	for c, column := range columns {
		at, err := excelize.CoordinatesToCellName(c+1, 1)
		if err != nil {
			return err
		}
		if err := f.SetCellStr(name, at, column); err != nil {
			return err
		}
		widths[c] = len(column) + 2
	}
	for i := range x.Rows {
		r := &x.Rows[i]
		for c, column := range columns {
			at, err := excelize.CoordinatesToCellName(c+1, i+2)
			if err != nil {
				return err
			}
			wide := 0
			if t, whole, ok := dateOf(r, column, x.Range.View); ok {
				id := moment
				wide = 22
				if whole {
					id, wide = day, 17
				}
				err = f.SetCellValue(name, at, t)
				if err == nil {
					err = f.SetCellStyle(name, at, at, id)
				}
			} else {
				value := plainText(r.Value(column))
				wide = ansi.StringWidth(value)
				err = f.SetCellStr(name, at, value) // never a formula
				if err == nil {
					err = f.SetCellStyle(name, at, at, text)
				}
			}
			if err != nil {
				return err
			}
			widths[c] = max(widths[c], min(wide+1, 60))
		}
	}
	last, err := excelize.CoordinatesToCellName(len(columns), 1)
	if err != nil {
		return err
	}
	if err := f.SetCellStyle(name, "A1", last, head); err != nil {
		return err
	}
	for c, width := range widths {
		col, err := excelize.ColumnNumberToName(c + 1)
		if err == nil {
			err = f.SetColWidth(name, col, col, float64(width))
		}
		if err != nil {
			return err
		}
	}
	if err := f.SetPanes(name, &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	bottom, err := excelize.CoordinatesToCellName(len(columns), len(x.Rows)+1)
	if err != nil {
		return err
	}
	if err := f.AutoFilter(name, "A1:"+bottom, nil); err != nil {
		return err
	}
	return f.Write(w)
}

// dateOf gives the start or the end of an occurrence on the clock of a zone; for
// whole days the day, the last one as the end.
func dateOf(r *extract.Row, column string, view *zone.Zone) (t time.Time, whole, ok bool) {
	switch {
	case column == "start" && r.AllDay:
		return zone.Civil(r.Span.Start.Wall), true, true
	case column == "end" && r.AllDay:
		return zone.Civil(r.Span.LastDay().Wall), true, true
	case column == "start":
		return zone.Civil(r.Span.Start.InZone(view).Wall), false, true
	case column == "end":
		return zone.Civil(r.Span.End.InZone(view).Wall), false, true
	}
	return time.Time{}, false, false
}

// SpreadsheetCSV writes occurrences as spreadsheets of most of Europe take them:
// with semicolons and a mark of UTF-8, date and time on the clock of the range in
// two columns.
func SpreadsheetCSV(w io.Writer, x *job.Extract, columns []string) error {
	if len(columns) == 0 {
		columns = SheetColumns
	}
	if _, err := io.WriteString(w, "\uFEFF"); err != nil {
		return err
	}
	var header []string
	for _, c := range columns {
		if c == "start" || c == "end" {
			header = append(header, c+" date", c+" time")
			continue
		}
		header = append(header, c)
	}
	records := [][]string{header}
	for i := range x.Rows {
		r := &x.Rows[i]
		var record []string
		for _, c := range columns {
			t, whole, ok := dateOf(r, c, x.Range.View)
			switch {
			case ok && whole:
				record = append(record, t.Format(time.DateOnly), "")
			case ok:
				record = append(record, t.Format(time.DateOnly), t.Format("15:04"))
			default:
				record = append(record, harmless(r.Value(c)))
			}
		}
		records = append(records, record)
	}
	return values(w, ';', records)
}

// ICalendar writes occurrences as a calendar: each an event of its own that does
// not repeat, without our marks, so that it is not mistaken for what was loaded.
func ICalendar(w io.Writer, x *job.Extract, zones *ical.TimeZones, stamp zone.Time) error {
	var edits []ical.ObjectEdit
	for i := range x.Rows {
		r := &x.Rows[i]
		e := r.View.Event
		e.When = event.Span{Start: r.Span.Start, End: r.Span.End}
		uid := r.UID
		if r.Occurrence != "" {
			uid += "-" + r.Occurrence
		}
		raw := event.Append(nil, &e, ical.Escape(uid), zone.Time{}, nil, stamp)
		raw = append(append(raw, event.AppendReminders(nil, &e)...), "END:VEVENT\r\n"...)
		edits = append(edits, ical.ObjectEdit{New: [][]byte{raw}})
	}
	if len(edits) == 0 {
		_, err := io.WriteString(w, ical.Prologue+ical.Epilogue)
		return err
	}
	var b bytes.Buffer
	if err := (&ical.Document{}).Write(&b, edits, zones); err != nil {
		return err
	}
	_, err := w.Write(b.Bytes())
	return err
}

// Forms are the forms that an extract can be written in.
var Forms = []string{"table", "csv", "json", "xlsx", "ics"}

// HeldCSV writes held rows as values.
func HeldCSV(w io.Writer, held *job.HeldTable) error {
	records := held.Records()
	for _, r := range records {
		for i := range r {
			r[i] = harmless(r[i])
		}
	}
	return values(w, ',', records)
}

// HeldWorkbook writes held rows as a workbook, the reasons marked.
func HeldWorkbook(w io.Writer, held *job.HeldTable) error {
	f := excelize.NewFile()
	defer f.Close()
	name := "Held"
	if held.Sheet != "" { // so that the intake finds it again
		name = held.Sheet
	}
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	head, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	marked, err := f.NewStyle(&excelize.Style{Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"FFF2CC"}}, Alignment: &excelize.Alignment{WrapText: true, Vertical: "top"}})
	if err != nil {
		return err
	}
	records := held.Records()
	for n, record := range records {
		for c, text := range record {
			at, err := excelize.CoordinatesToCellName(c+1, n+1)
			if err == nil {
				err = f.SetCellStr(name, at, plainText(text))
			}
			if err != nil {
				return err
			}
			style := 0
			switch {
			case n == held.Lead:
				style = head
			case n > held.Lead && c >= len(held.Header):
				style = marked
			}
			if style > 0 {
				if err := f.SetCellStyle(name, at, at, style); err != nil {
					return err
				}
			}
		}
	}
	for c := range records[0] {
		col, err := excelize.ColumnNumberToName(c + 1)
		if err == nil {
			err = f.SetColWidth(name, col, col, map[bool]float64{true: 34, false: 18}[c == len(held.Header) || c == len(held.Header)+2])
		}
		if err != nil {
			return err
		}
	}
	if err := f.SetPanes(name, &excelize.Panes{Freeze: true, YSplit: held.Lead + 1, TopLeftCell: "A" + strconv.Itoa(held.Lead+2), ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	return f.Write(w)
}
