package replace

import (
	"io"
	"os"
	"sync"
)

// readBack is a file that is read while it is written.
type readBack struct {
	file  *os.File
	at    int64 // that is read up to
	begun int64 // that the disk writes already

	mu      sync.Mutex
	more    sync.Cond
	written int64
	ended   bool
	failed  error // why it ended, where it is not whole
}

// early is after how many bytes the disk is told to write them, so that less is left for the
// end.
const early = 8 << 20

// Write appends to the file.
func (b *readBack) Write(p []byte) (int, error) {
	n, err := b.file.Write(p)
	b.mu.Lock()
	b.written += int64(n)
	b.mu.Unlock()
	b.more.Signal()
	return n, err
}

// end says that nothing more is written. err is nil where all is.
func (b *readBack) end(err error) {
	b.mu.Lock()
	b.ended, b.failed = true, err
	b.mu.Unlock()
	b.more.Signal()
}

// Read reads on from the file. It waits for what is not written yet.
func (b *readBack) Read(p []byte) (int, error) {
	b.mu.Lock()
	for b.at == b.written && !b.ended {
		b.more.Wait()
	}
	left, failed := b.written-b.at, b.failed
	b.mu.Unlock()
	switch {
	case failed != nil:
		return 0, failed
	case left == 0:
		return 0, io.EOF
	}
	n, err := b.file.ReadAt(p[:min(int64(len(p)), left)], b.at)
	b.at += int64(n)
	if b.at-b.begun >= early {
		beginSync(b.file, b.begun, b.at-b.begun)
		b.begun = b.at
	}
	if err == io.EOF { // there is less than was written
		err = io.ErrUnexpectedEOF
	}
	return n, err
}

// check runs a check of the file beside its caller's work, and gives what waits for what
// it says. A panic in it comes back there.
func (b *readBack) check(check func(io.Reader) error) (wait func() error) {
	var err error
	var broken any
	done := make(chan struct{})
	go func() {
		defer close(done)
		defer func() { broken = recover() }()
		err = check(b)
	}()
	return func() error {
		<-done
		if broken != nil {
			panic(broken)
		}
		return err
	}
}
