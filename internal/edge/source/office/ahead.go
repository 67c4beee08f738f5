package office

import (
	"io"
	"os"
	"sync"
)

// ahead reads a part in a goroutine of its own, so that it is unpacked while what came
// before is understood. It keeps a few blocks.
type ahead struct {
	part   io.ReadCloser
	blocks chan aheadBlock
	free   chan []byte
	stop   func()
	halt   chan struct{}
	ended  chan struct{}
	now    aheadBlock
	at     int
}

type aheadBlock struct {
	data []byte
	err  error
}

const (
	aheadBlocks = 4
	aheadSize   = 64 << 10
)

func newAhead(part io.ReadCloser) *ahead {
	a := &ahead{part: part, blocks: make(chan aheadBlock, aheadBlocks), free: make(chan []byte, aheadBlocks), halt: make(chan struct{}), ended: make(chan struct{})}
	a.stop = sync.OnceFunc(func() { close(a.halt) })
	for range aheadBlocks {
		a.free <- make([]byte, aheadSize)
	}
	go a.run()
	return a
}

func (a *ahead) run() {
	defer close(a.ended)
	for {
		select {
		case <-a.halt:
			return
		case buf := <-a.free:
			n := 0
			var err error
			for n < len(buf) && err == nil { // not io.ReadFull, which says of a damaged part what it says of a short one
				var more int
				more, err = a.part.Read(buf[n:])
				n += more
			}
			a.blocks <- aheadBlock{buf[:n], err} // there is room for all blocks
			if err != nil {
				return
			}
		}
	}
}

// Read implements io.Reader.
func (a *ahead) Read(p []byte) (int, error) {
	for a.at == len(a.now.data) {
		if a.now.err != nil {
			return 0, a.now.err
		}
		if a.now.data != nil {
			a.free <- a.now.data[:aheadSize]
		}
		a.at = 0
		select {
		case a.now = <-a.blocks:
			continue
		case <-a.ended:
		}
		select { // what was read before the end is still there
		case a.now = <-a.blocks:
		default:
			a.now = aheadBlock{err: os.ErrClosed}
		}
	}
	n := copy(p, a.now.data[a.at:])
	a.at += n
	return n, nil
}

// Close ends the goroutine and closes the part. It may be called again.
func (a *ahead) Close() error {
	a.stop()
	<-a.ended
	return a.part.Close()
}
