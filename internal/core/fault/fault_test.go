package fault

import (
	"errors"
	"io"
	"io/fs"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestMessages(t *testing.T) {
	at := Place{File: "bookings.xlsx", Sheet: "Bookings", Row: 17, Column: "ETA"}
	for _, tt := range []struct {
		name, whole, reason string
		fault               *Fault
	}{
		{"a value", `bookings.xlsx, sheet Bookings, row 17, column ETA: "25:10" is not a time of day; correct it`, `ETA "25:10" is not a time of day (correct it)`, New("25:10", "is not a time of day").At(at).Do("correct it")},
		{"no value", "bookings.xlsx, sheet Bookings, row 17, column ETA: is empty", "ETA is empty", Newf("is empty").At(at)},
		{"a page", "notice.pdf, page 3, line 7: is odd", "is odd", Newf("is odd").At(Place{File: "notice.pdf", Page: 3, Line: 7})},
		{"no place", `"" is empty`, `"" is empty`, New("", "is empty")},
		{"what would steer a terminal", `"a·[31m⏎b·" is odd`, `"a·[31m⏎b·" is odd`, New("a\x1b[31m\nb\u009b", "is odd")},
		{"what is long", `"` + "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa" + `…" is odd`, `"` + "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa" + `…" is odd`, New("aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa", "is odd")},
	} {
		assert.Equal(t, tt.whole, tt.fault.Error(), tt.name)
		assert.Equal(t, tt.reason, tt.fault.Reason(), tt.name)
	}
	f := Newf("cannot be read: %w", io.ErrUnexpectedEOF).FromOutside()
	assert.ErrorIs(t, f, io.ErrUnexpectedEOF)
	assert.True(t, f.Outside)
	assert.Same(t, f, Of(errors.Join(f)))
	assert.Equal(t, io.EOF, Of(io.EOF).Cause)
	assert.Equal(t, fs.ErrNotExist, Bare(&fs.PathError{Op: "open", Path: "x", Err: fs.ErrNotExist}))
}

func TestNearest(t *testing.T) {
	names := []string{"Arrival", "Departure", "ETA"}
	for name, want := range map[string]string{"Arival": "Arrival", "arrival": "Arrival", "Arrvial": "Arrival", "eat": "ETA", "Vessel": "", "": ""} {
		assert.Equal(t, want, Nearest(name, names), name)
	}
	assert.Equal(t, `"Arival" is not a column; did you mean "Arrival"?`, Unknown("column", "Arival", names).Error())
	assert.Equal(t, `"Vessel" is not an intake; choose Arrival, Departure or ETA`, Unknown("intake", "Vessel", names).Error())
	many := make([]string, 20)
	for i := range many {
		many[i] = "x"
	}
	assert.Contains(t, Unknown("column", "Vessel", many).Error(), "x, …")
}
