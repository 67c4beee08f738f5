package intake

import (
	"almanach/internal/core/event"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/moment"
	"almanach/internal/core/table"
	"almanach/internal/core/zone"
)

// A row may change one date of a series that another row, or an earlier load,
// has made: it has the series' key and the date. What it leaves empty is as in
// the series.

// occurrenceOf gives the date of a series that a row changes, as a wall-clock
// midnight, and whether it changes one.
func (m *Mapper) occurrenceOf(row table.Row) (int64, bool, *fault.Fault) {
	if m.occurrence == nil {
		return 0, false, nil
	}
	m.eval.Load(row)
	v, f := m.read(m.occurrence, row)
	if f == nil && v.HasDate && !v.Single() {
		f = m.occurrence.fault(m, row, saysDate, "is not one day")
	}
	if f != nil {
		f.Field = "occurrence"
		return 0, false, f
	}
	if !v.HasDate {
		return 0, false, nil
	}
	return v.Date, true, nil
}

// MapOccurrence maps a row that changes one date of a series. w holds what the
// series wants, and then what the date does.
func (m *Mapper) MapOccurrence(row table.Row, date int64, w *Wanted) *fault.Fault {
	first := w.Event.When
	if first.Rule == "" && len(first.Extra) == 0 {
		return fault.Newf("the event of this key does not repeat, so no date of it can be changed").Do("give the event a recurrence, or this row a key of its own")
	}
	w.Notes = 0
	cancelled, f := m.Cancelled(row)
	if f != nil {
		return f
	}
	m.eval.Load(row)
	if f := m.fillFields(row, w); f != nil {
		return f
	}
	if cancelled {
		w.Event.SetText(event.Status, "cancelled")
	} else if m.cancel != nil {
		w.Event.SetText(event.Status, "")
	}
	w.Recurrence = first.Start
	w.Recurrence.Wall = date + first.Start.Wall - zone.Midnight(first.Start.Wall)
	span, f := m.occurrenceSpan(row, w, first)
	if f != nil {
		return f
	}
	w.Event.SetWhen(span)
	return m.fillReminders(row, w)
}

// occurrenceSpan gives when a changed date takes place: as the row says, and
// where it says nothing as the series has it.
func (m *Mapper) occurrenceSpan(row table.Row, w *Wanted, first event.Span) (event.Span, *fault.Fault) {
	moved := event.Span{Start: w.Recurrence, End: first.End}
	moved.End.Wall += w.Recurrence.Wall - first.Start.Wall
	g, f := m.said(row)
	if f != nil {
		return moved, f
	}
	if !g.start.HasDate && g.start.Clock == moment.NoClock && !g.end.HasDate && g.end.Clock == moment.NoClock && g.length == 0 && g.allDay == unsaid {
		return moved, nil
	}
	if !g.start.HasDate {
		g.start.HasDate, g.start.Date = true, zone.Midnight(w.Recurrence.Wall)
	}
	open := !g.end.HasDate && g.end.Clock == moment.NoClock && g.length == 0
	switch {
	case first.AllDay() && g.start.Clock == moment.NoClock && open:
		g.end.HasDate, g.end.Date = true, g.start.Date+moved.LastDay().Wall-moved.Start.Wall
	case !first.AllDay() && g.allDay != saysYes:
		if g.start.Clock == moment.NoClock {
			g.start.Clock = int(w.Recurrence.Wall - zone.Midnight(w.Recurrence.Wall))
		}
		if open {
			g.length = first.Length()
		}
	}
	way := g.decide()
	switch {
	case g.days > 0:
		return moved, fault.Newf("is one date of a series, and has a range of dates")
	case way <= wholeDaysBoth:
		return m.allDaySpan(way, g)
	}
	return m.timedSpan(row, way, g, w)
}

// Occurrence gives the series' ID and the date that row i changes, when it
// changes one.
func (b *Batch) Occurrence(i int) (series identity.ID, date int64, ok bool) {
	o, ok := b.occurrences[i]
	return o.series, o.date, ok
}

// SeriesRow gives the row of the series that row i changes a date of, -1 when
// the source has none.
func (b *Batch) SeriesRow(i int) int {
	if o, changes := b.occurrences[i]; changes {
		return b.RowOf(o.series)
	}
	return -1
}

// changedDate is a date of a series that a row changes.
type changedDate struct {
	series identity.ID
	date   int64
}

// mapOccurrence maps row i, which changes one date of a series of this source.
func (b *Batch) mapOccurrence(m *Mapper, i int, o changedDate, w *Wanted) *fault.Fault {
	master := b.RowOf(o.series)
	if master < 0 {
		return fault.New(b.Mapping.Key(b.Rows.At(i)).String(), "is the key of no series in the source").Do("add the row of the series, or correct the key")
	}
	if b.fate[master] != WantedRow || m.Map(b.Rows.At(master), w) != nil {
		return fault.Newf("its series in row %d is held", b.Rows.At(master).Number).Do("correct that row first")
	}
	if w.Cancel {
		return fault.Newf("its series in row %d is cancelled", b.Rows.At(master).Number).Do("remove this row")
	}
	return m.MapOccurrence(b.Rows.At(i), o.date, w)
}
