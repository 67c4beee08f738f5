package beside

import (
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestMany(t *testing.T) {
	var n atomic.Int32
	Many(5, func() { n.Add(1) })()
	assert.EqualValues(t, 5, n.Load())

	wait := Many(3, func() {
		if n.Add(1) == 7 {
			panic("the seventh")
		}
	})
	assert.PanicsWithValue(t, "the seventh", wait)
	assert.EqualValues(t, 8, n.Load(), "the others end their work")
}
