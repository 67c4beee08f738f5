package pattern

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
)

// An expression is compiled once, whoever asks first; a wrong one is found out at the
// first call, and again at every other.
func TestLazy(t *testing.T) {
	berth := Lazy(`(?i)berth (\d+)`)
	var asking sync.WaitGroup
	for range 8 {
		asking.Go(func() { assert.Equal(t, "6", berth().FindStringSubmatch("Berth 6")[1]) })
	}
	asking.Wait()
	assert.Same(t, berth(), berth())
	wrong := Lazy(`(`)
	assert.Panics(t, func() { wrong() })
	assert.Panics(t, func() { wrong() })
}
