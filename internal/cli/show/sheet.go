package show

import (
	"bytes"
	"cmp"
	"io"
	"time"

	"github.com/charmbracelet/x/ansi"

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
	cell := func(r extract.Row, column string) (c sheetCell, wide int) {
		if t, whole, ok := dateOf(r, column, x.Range.View); ok {
			c = sheetCell{text: r.Value(column), at: t, style: momentStyle} // the text stands where a sheet's days do not reach
			if wide = 22; whole {
				c.style, wide = dayStyle, 17
			}
			return c, wide
		}
		c = sheetCell{text: plainText(r.Value(column)), style: textStyle} // never a formula
		return c, ansi.StringWidth(c.text)
	}
	s := worksheet{name: "Events", frozen: 1, filter: len(x.Rows), widths: make([]float64, len(columns))}
	cells := make([]sheetCell, len(columns))
	for n, column := range columns {
		s.widths[n] = float64(len(column) + 2)
		for i := range x.Rows {
			_, wide := cell(x.Rows[i], column)
			s.widths[n] = max(s.widths[n], float64(min(wide+1, 60)))
		}
	}
	return s.write(w, len(x.Rows)+1, func(i int) []sheetCell {
		for n, column := range columns {
			if cells[n] = (sheetCell{text: column, style: headStyle}); i > 0 {
				cells[n], _ = cell(x.Rows[i-1], column)
			}
		}
		return cells
	})
}

// dateOf gives the start or the end of an occurrence on the clock of a zone; for
// whole days the day, the last one as the end.
func dateOf(r extract.Row, column string, view *zone.Zone) (t time.Time, whole, ok bool) {
	switch {
	case column == "start" && r.Span.AllDay():
		return zone.Civil(r.Span.Start.Wall), true, true
	case column == "end" && r.Span.AllDay():
		return zone.Civil(r.Span.LastDay().Wall), true, true
	case column == "start":
		return zone.Civil(r.Span.Start.InZone(view).Wall), false, true
	case column == "end":
		return zone.Civil(r.Span.EndThere().InZone(view).Wall), false, true
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
	return values(w, ';', header, len(x.Rows), func(i int, record []string) []string {
		r := x.Rows[i]
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
		return record
	})
}

// ICalendar writes occurrences as a calendar: each an event of its own that does
// not repeat, without our marks, so that it is not mistaken for what was loaded.
func ICalendar(w io.Writer, x *job.Extract, zones *ical.TimeZones, stamp zone.Time) error {
	var edits []ical.ObjectEdit
	for i := range x.Rows {
		r := x.Rows[i]
		e := r.View.Event
		e.When = event.Span{Start: r.Span.Start, End: r.Span.End}
		uid := r.View.UID
		if o := r.Value("occurrence"); o != "" {
			uid += "-" + o
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
	return values(w, ',', records[0], len(records)-1, func(i int, record []string) []string { return append(record, records[i+1]...) })
}

// HeldWorkbook writes held rows as a workbook, the reasons marked.
func HeldWorkbook(w io.Writer, held *job.HeldTable) error {
	s := worksheet{name: cmp.Or(held.Sheet, "Held"), frozen: held.Lead + 1} // the sheet's name, so that the intake finds it again
	records := held.Records()
	for c := range records[0] {
		s.widths = append(s.widths, map[bool]float64{true: 44, false: 18}[c == len(held.Header) || c == len(held.Header)+2])
	}
	return s.write(w, len(records), func(n int) []sheetCell {
		cells := make([]sheetCell, len(records[n]))
		for c, text := range records[n] {
			cells[c] = sheetCell{text: plainText(text), style: textStyle}
			switch {
			case n == held.Lead:
				cells[c].style = headStyle
			case n > held.Lead && c >= len(held.Header):
				cells[c].style = markedStyle
			}
		}
		return cells
	})
}
