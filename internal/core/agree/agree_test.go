package agree

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/event"
	"almanach/internal/core/ical"
	"almanach/internal/core/zone"
)

func book(t *testing.T) *zone.Book {
	t.Helper()
	b, err := zone.NewBook(nil)
	require.NoError(t, err)
	return b
}

// thing makes an event of "field=value" words; when=HH in Lisbon, or HHZ.
func thing(t *testing.T, b *zone.Book, words string) *event.Event {
	t.Helper()
	var e event.Event
	for word := range strings.FieldsSeq(words) {
		name, value, _ := strings.Cut(word, "=")
		if name == "when" {
			at := "20260714T" + strings.TrimSuffix(value, "Z") + "0000"
			zoned := at + "/" + at + "@Europe/Lisbon"
			if strings.HasSuffix(value, "Z") {
				zoned = at + "Z/" + at + "Z"
			}
			s, err := event.ParseSpan(zoned, b.Find)
			require.NoError(t, err)
			e.SetWhen(s)
			continue
		}
		f, ok := event.ParseField(name)
		require.True(t, ok, name)
		e.SetText(f, value)
	}
	return &e
}

// seal is what stands after source was loaded and the calendar then held held.
func seal(t *testing.T, b *zone.Book, source, held string) Seal {
	var s Seal
	if source == "" {
		return s
	}
	wanted, current := thing(t, b, source), thing(t, b, held)
	for _, f := range allFields {
		if wanted.Given.Has(f) {
			s.Set(f, wanted, current)
		}
	}
	return s
}

// decision settles disputes for a side, or just the field that is named.
func decision(side Side, named string) Decision {
	return func(f event.Field, o Outcome) Side {
		if f.String() == named || named == "" && o == Disputed {
			return side
		}
		return Neither
	}
}

func TestCompare(t *testing.T) {
	const loaded = "when=08 title=A location=1"
	tests := []struct {
		name, loaded, held, source, calendar string
		take                                 Side
		named                                string // the one field that take is for
		outcome                              Outcome
		fields                               string // name:outcome of those that are not plainly the same
		write                                string
		reseal                               bool
	}{
		{name: "nothing moved", loaded: loaded, source: loaded, calendar: loaded, outcome: Same},
		{name: "source moved", loaded: loaded, source: "when=09 title=A location=1", calendar: loaded, outcome: Changed, fields: "when:changed", write: "when"},
		{name: "calendar moved", loaded: loaded, source: loaded, calendar: "when=08 title=A location=2", outcome: Edited, fields: "location:edited"},
		{name: "both, to the same", loaded: loaded, source: "when=08 title=B location=1", calendar: "when=08 title=B location=1", outcome: Same, fields: "title:same", reseal: true},
		{name: "both, differently", loaded: loaded, source: "when=09 title=A location=1", calendar: "when=10 title=A location=1", outcome: Disputed, fields: "when:disputed"},
		{name: "one field disputed keeps the others from being written", loaded: loaded, source: "when=09 title=B location=1", calendar: "when=10 title=A location=1", outcome: Disputed, fields: "when:disputed title:changed"},
		{name: "different fields on each side", loaded: loaded, source: "when=09 title=A location=1", calendar: "when=08 title=A location=2", outcome: Changed, fields: "when:changed location:edited", write: "when"},
		{name: "taken from the sheet", loaded: loaded, source: "when=09 title=B location=1", calendar: "when=10 title=A location=1", take: Sheet, outcome: Changed, fields: "when:changed title:changed", write: "when title"},
		{name: "taken from the calendar", loaded: loaded, source: "when=09 title=A location=1", calendar: "when=10 title=A location=1", take: Calendar, outcome: Same, fields: "when:same", reseal: true},
		{name: "taking a side leaves an edit alone", loaded: loaded, source: loaded, calendar: "when=08 title=A location=2", take: Sheet, outcome: Edited, fields: "location:edited"},
		{name: "an edit given up by its field", loaded: loaded, source: loaded, calendar: "when=08 title=A location=2", take: Sheet, named: "location", outcome: Changed, fields: "location:changed", write: "location"},
		{name: "an edit agreed to by its field", loaded: loaded, source: loaded, calendar: "when=08 title=A location=2", take: Calendar, named: "location", outcome: Same, fields: "location:same", reseal: true},
		{name: "one of two disputes settled", loaded: loaded, source: "when=09 title=B location=1", calendar: "when=10 title=C location=1", take: Sheet, named: "title", outcome: Disputed, fields: "when:disputed title:changed"},
		{name: "no seal for the time, different", loaded: "title=A", source: "when=08 title=A", calendar: "when=09 title=A", outcome: Disputed, fields: "when:disputed"},
		{name: "an answer is edited", loaded: "when=08 participation=yes", source: "when=08 participation=yes", calendar: "when=08 participation=no", outcome: Edited, fields: "participation:edited"},
		{name: "the server rewrote it", loaded: loaded, held: "when=08 title=A location=(1)", source: loaded, calendar: "when=08 title=A location=(1)", outcome: Same},
		{name: "rewritten by the server, then the source moved", loaded: loaded, held: "when=08 title=A location=(1)", source: "when=08 title=A location=2", calendar: "when=08 title=A location=(1)", outcome: Changed, fields: "location:changed", write: "location"},
		{name: "rewritten by the server, then edited", loaded: loaded, held: "when=08 title=A location=(1)", source: loaded, calendar: "when=08 title=A location=9", outcome: Edited, fields: "location:edited"},
		{name: "the same instant in another zone", loaded: loaded, source: loaded, calendar: "when=07Z title=A location=1", outcome: Same},
		{name: "no seal, equal", source: "title=A", calendar: "when=08 title=A", outcome: Same, fields: "title:same", reseal: true},
		{name: "no seal, empty in the calendar", source: "title=A location=1", calendar: "title=A", outcome: Changed, fields: "title:same location:changed", write: "location", reseal: true},
		{name: "no seal, different", source: "title=A", calendar: "title=B", outcome: Disputed, fields: "title:disputed"},
		{name: "what the source does not speak of is none of its business", loaded: loaded, source: "title=A", calendar: "when=11 title=A location=7", outcome: Same},
		{name: "emptied by the source", loaded: loaded, source: "when=08 title=A location=", calendar: loaded, outcome: Changed, fields: "location:changed", write: "location"},
		{name: "emptied in the calendar, changed in the source", loaded: loaded, source: "when=08 title=A location=2", calendar: "when=08 title=A location=", outcome: Disputed, fields: "location:disputed"},
	}
	b := book(t)
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			if tt.held == "" {
				tt.held = tt.loaded
			}
			s := seal(t, b, tt.loaded, tt.held)
			wanted, current := thing(t, b, tt.source), thing(t, b, tt.calendar)
			r := Compare(wanted, current, &s, decision(tt.take, tt.named), b.Find)
			assert.Equal(t, tt.outcome, r.Outcome)
			var fields, write []string
			for _, f := range r.Fields {
				fields = append(fields, f.Field.String()+":"+string(f.Outcome))
			}
			for _, f := range allFields {
				if r.Write.Has(f) {
					write = append(write, f.String())
				}
			}
			assert.Equal(t, tt.fields, strings.Join(fields, " "))
			assert.Equal(t, tt.write, strings.Join(write, " "))
			assert.Equal(t, tt.reseal, r.Reseal)
			if r.Write == 0 && !r.Reseal {
				return
			}
			// Written and loaded again, the same two sides are settled for good.
			for _, f := range allFields {
				if r.Write.Has(f) {
					if f == event.When {
						current.SetWhen(wanted.When)
					} else {
						current.SetText(f, wanted.Text(f))
					}
				}
			}
			again := ParseSeal(string(r.Seal.appendTo(nil, 0)))
			r = Compare(wanted, current, &again, nil, b.Find)
			assert.False(t, r.Reseal || r.Write != 0, "%+v", r)
		})
	}
}

// TestUntouched checks that the checksum of the whole notices every change of
// the event and of what is wanted, and never more than the long way does.
func TestUntouched(t *testing.T) {
	b := book(t)
	e := thing(t, b, "when=08 title=A_title_long_enough_to_make_the_seal_fold location=1")
	s := seal(t, b, "when=08 title=A_title_long_enough_to_make_the_seal_fold location=1", "when=08 title=A_title_long_enough_to_make_the_seal_fold location=1")
	raw := AppendSealed(event.Append(nil, e, "u1", zone.Time{}, []event.Mark{{Name: event.PropID, Value: "u1"}}, zone.Time{Form: zone.Absolute}), 0, e, nil)
	require.Contains(t, string(raw), "\r\n ", "the seal is folded")
	assert.True(t, Untouched(raw, 0, e))
	assert.False(t, Untouched(raw, 0, thing(t, b, "when=09 title=A_title_long_enough_to_make_the_seal_fold location=1")))
	assert.False(t, Untouched(raw, 0, thing(t, b, "when=08")), "it no longer speaks of all that was loaded")
	for i := range raw {
		changed := append([]byte(nil), raw...)
		changed[i] ^= 1
		assert.False(t, Untouched(changed, 0, e), "byte %d", i)
		assert.False(t, Untouched(raw[:i], 0, e), "cut at %d", i)
	}
	c := ical.Open(raw)
	c.Set("COMMENT", nil, nil, "by hand")
	assert.False(t, Untouched(c.Bytes(), 0, e))
	Reseal(c, &Result{Seal: s})
	assert.True(t, Untouched(c.Bytes(), 0, e))
}
