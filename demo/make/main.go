// Command make writes the demo's workbooks.
package main

import (
	"log"
	"time"

	"github.com/xuri/excelize/v2"
)

type call struct {
	hidden                                                                         bool
	no, vessel, berth, arrival, eta, departure, etd, agent, email, status, remarks string
}

func calls() []call {
	return []call{
		{true, "TH-1030", "Old Hand", "2", "2026-03-01", "08:00", "2026-03-01", "12:00", "Piet Harrow", "piet@harrow.example", "Confirmed", "Last week"},
		{false, "TH-1031", "Grey Petrel", "1", "2026-03-02", "06:30", "2026-03-02", "14:00", "Oda Fenn", "oda@fenn-agency.example", "Confirmed", ""},
		{false, "TH-1032", "Corvane", "3", "2026-03-02", "09:00", "2026-03-02", "17:30", "Piet Harrow", "piet@harrow.example", "Confirmed", ""},
		{false, "TH-1033", "Marram Light", "2", "2026-03-03", "07:15", "2026-03-03", "19:00", "Oda Fenn", "oda@fenn-agency.example", "Confirmed", "Crane booked"},
		{false, "TH-1034", "Saltmere", "4", "2026-03-03", "22:00", "", "05:30", "Piet Harrow", "piet@harrow.example", "Confirmed", "Night discharge"},
		{false, "TH-1035", "Ebba Strand", "1", "2026-03-04", "08:00", "2026-03-04", "18:00", "Lune & Co", "desk@lune.example", "Confirmed", ""},
		{false, "TH-1036", "Corvane", "3", "2026-03-05", "13:00", "2026-03-05", "21:00", "Piet Harrow", "piet@harrow.example", "Confirmed", ""},
		{false, "TH-1037", "Oldwick", "2", "2026-03-05", "10:00", "2026-03-06", "04:00", "Lune & Co", "desk@lune.example", "Confirmed", ""},
		{false, "TH-1038", "Tern of Haven", "5", "2026-03-06", "06:00", "", "", "Oda Fenn", "oda@fenn-agency.example", "Expected", "Bunkers only"},
		{false, "TH-1039", "Brackish", "4", "2026-03-06", "11:30", "2026-03-06", "20:00", "Lune & Co", "desk@lune.example", "Confirmed", ""},
		{false, "TH-1040", "Silver Ling", "1", "2026-03-07", "09:00", "2026-03-07", "16:00", "Oda Fenn", "oda@fenn-agency.example", "Withdrawn", "Called off on Friday"},
		{false, "TH-1041", "Marram Light", "2", "2026-03-07", "25:10", "2026-03-07", "23:00", "Oda Fenn", "oda@fenn-agency.example", "Confirmed", ""},
		{false, "TH-1042", "Heron Quay", "3", "2026-03-08", "05:45", "2026-03-08", "12:15", "Piet Harrow", "piet@harrow.example", "Confirmed", ""},
		{false, "TH-1042", "Heron Quay", "3", "2026-03-08", "06:45", "2026-03-08", "12:15", "Piet Harrow", "piet@harrow.example", "Confirmed", "Which?"},
		{false, "TH-1043", "", "4", "2026-03-08", "10:00", "", "", "", "", "Expected", "Name to follow"},
	}
}

func main() {
	write("desk/inbox/berth-bookings.xlsx", calls())
	later := calls()
	later[5].eta = "10:00"                    // moved
	later[6].eta = "14:00"                    // moved, while someone moves it in the calendar too
	later[7].no = "TH-1057"                   // renumbered
	later[9].status = "Withdrawn"             // withdrawn
	later[11].eta = "15:10"                   // corrected
	later = append(later[:13], later[14:]...) // the doubled call cleared up
	later = append(later, call{false, "TH-1044", "Ebba Strand", "1", "2026-03-08", "14:00", "2026-03-08", "22:30", "Lune & Co", "desk@lune.example", "Confirmed", ""})
	write("later/berth-bookings.xlsx", later)
}

func must(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func write(path string, rows []call) {
	f := excelize.NewFile()
	const sheet = "Bookings"
	must(f.SetSheetName("Sheet1", sheet))
	set := func(column, row int, v any) {
		cell, err := excelize.CoordinatesToCellName(column, row)
		must(err)
		must(f.SetCellValue(sheet, cell, v))
	}
	set(1, 1, "Tarn Haven Harbour Office")
	set(1, 2, "Berth bookings, week 10")
	for i, h := range []string{"Booking no", "Vessel", "Berth", "Arrival", "ETA", "Departure", "ETD", "Agent", "Agent email", "Status", "Remarks"} {
		set(i+1, 4, h)
	}
	date, err := f.NewStyle(&excelize.Style{CustomNumFmt: ptr("ddd dd/mm/yyyy")})
	must(err)
	clock, err := f.NewStyle(&excelize.Style{CustomNumFmt: ptr("hh:mm")})
	must(err)
	for n, r := range rows {
		row := n + 5
		for i, v := range []string{r.no, r.vessel, r.berth, "", "", "", "", r.agent, r.email, r.status, r.remarks} {
			if v != "" {
				set(i+1, row, v)
			}
		}
		setDate := func(column int, text string) {
			if t, err := time.Parse(time.DateOnly, text); err == nil {
				set(column, row, t.Sub(time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)).Hours()/24)
				style(f, sheet, column, row, date)
			}
		}
		setClock := func(column int, text string) {
			t, err := time.Parse("15:04", text)
			if err != nil {
				if text != "" {
					set(column, row, text)
				}
				return
			}
			set(column, row, (float64(t.Hour())+float64(t.Minute())/60)/24)
			style(f, sheet, column, row, clock)
		}
		setDate(4, r.arrival)
		setClock(5, r.eta)
		setDate(6, r.departure)
		setClock(7, r.etd)
	}
	for n, r := range rows {
		if r.hidden {
			must(f.SetRowVisible(sheet, n+5, false))
		}
	}
	must(f.MergeCell(sheet, "A1", "K1"))
	last := len(rows) + 5
	set(1, last, "Total")
	set(3, last, len(rows))
	must(f.SetColWidth(sheet, "A", "K", 16))
	must(f.SetDocProps(&excelize.DocProperties{Created: "2026-03-01T12:00:00Z", Modified: "2026-03-01T12:00:00Z", Creator: "Tarn Haven Harbour Office"}))
	must(f.SaveAs(path))
}

func style(f *excelize.File, sheet string, column, row, id int) {
	cell, err := excelize.CoordinatesToCellName(column, row)
	must(err)
	must(f.SetCellStyle(sheet, cell, cell, id))
}

func ptr(s string) *string { return &s }
