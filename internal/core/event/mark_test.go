package event

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"almanach/internal/core/ical"
)

// A mark is read as it was written, holds nothing that wants an escape, and is
// still read as it was written before.
func TestMarks(t *testing.T) {
	for _, key := range []string{"TH-1", "A,1;B", `50% of A\B`, "%2C", "%252C", "two\nlines"} {
		text := WriteMark(key)
		assert.Equal(t, key, ReadMark(text))
		assert.Equal(t, text, ical.Escape(text))
	}
	_, key := Marks([]byte("BEGIN:VEVENT\r\nX-ALMANACH-KEY:A\\,1\\;B\r\nEND:VEVENT\r\n"))
	assert.Equal(t, "A,1;B", key)
}
