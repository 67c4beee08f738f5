package reconcile

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/event"
	"almanach/internal/core/zone"
)

func call(title string, hour int, fields ...string) *event.Event {
	var e event.Event
	e.SetText(event.Title, title)
	e.SetWhen(event.Span{Start: zone.In(zone.UTC, zone.Wall(2026, 3, 5, hour, 0, 0)), End: zone.In(zone.UTC, zone.Wall(2026, 3, 5, hour+1, 0, 0))})
	for _, f := range fields {
		e.SetText(event.Location, f)
	}
	return &e
}

func TestDiffer(t *testing.T) {
	confirmed := call("A", 8)
	confirmed.SetText(event.Status, "confirmed")
	var place event.Event // and neither its time nor its title
	place.SetText(event.Location, "S")
	for _, tt := range []struct {
		name            string
		wanted, current *event.Event
		want            []event.Field
	}{
		{"alike", call("A", 8), call("A", 8, "N"), nil},
		{"the source speaks of the place", call("A", 8, "S"), call("A", 8, "N"), []event.Field{event.Location}},
		{"time and title", call("A", 8), call("B", 9), []event.Field{event.When, event.Title}},
		{"it speaks of the place alone", &place, call("A", 8, "N"), []event.Field{event.Location}},
		{"confirmed is what is not said", confirmed, call("A", 8), nil},
	} {
		assert.Equal(t, tt.want, Differ(tt.wanted, tt.current), tt.name)
	}
	assert.Equal(t, Alike(call("A", 8)), Alike(call("A", 8, "N")))
	assert.NotEqual(t, Alike(call("A", 8)), Alike(call("A", 9)))
	assert.NotEqual(t, Alike(call("A", 8)), Alike(call("B", 8)))
}

func TestCheck(t *testing.T) {
	good := func() *Totals {
		var t Totals
		t.Source.Rows, t.Source.Agrees, t.Source.Differs, t.Source.Missing, t.Source.Held = 10, 4, 3, 2, 1
		t.Calendar.Events, t.Calendar.Agrees, t.Calendar.Differs, t.Calendar.Stray, t.Calendar.Gone, t.Calendar.Twin = 15, 5, 4, 3, 2, 1
		return &t
	}
	assert.NoError(t, good().Check())
	for _, spoil := range []func(*Totals){
		func(t *Totals) { t.Source.Rows++ }, func(t *Totals) { t.Source.Agrees++ }, func(t *Totals) { t.Source.Differs++ }, func(t *Totals) { t.Source.Missing++ }, func(t *Totals) { t.Source.Held++ },
		func(t *Totals) { t.Calendar.Events++ }, func(t *Totals) { t.Calendar.Agrees++ }, func(t *Totals) { t.Calendar.Differs++ }, func(t *Totals) { t.Calendar.Stray++ }, func(t *Totals) { t.Calendar.Gone++ }, func(t *Totals) { t.Calendar.Twin++ },
	} {
		bad := good()
		spoil(bad)
		assert.ErrorContains(t, bad.Check(), "do not foot")
	}
}
