package job

import (
	"os"
	"sync"

	"almanach/internal/core/plan"
)

// spoolFrom is more than how many rows have the texts of their new events on disk.
var spoolFrom = 10000

// spool is a file that no folder shows, so that it goes with the program however that
// ends. What is read in its order is read in large pieces.
type spool struct {
	file *os.File

	mu   sync.Mutex
	at   int64 // of the piece that was read last
	last []byte
}

// newSpool makes one in a folder; nil where the system cannot.
func newSpool(dir string) plan.Spool {
	f, err := os.CreateTemp(dir, "almanach-*")
	if err != nil {
		return nil
	}
	if err := os.Remove(f.Name()); err != nil { // an open file cannot be removed everywhere
		f.Close()
		os.Remove(f.Name())
		return nil
	}
	return &spool{file: f}
}

// WriteAt implements io.WriterAt.
func (s *spool) WriteAt(p []byte, at int64) (int, error) { return s.file.WriteAt(p, at) }

// ReadAt implements io.ReaderAt, once all is written.
func (s *spool) ReadAt(p []byte, at int64) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if at < s.at || at+int64(len(p)) > s.at+int64(len(s.last)) {
		if s.last == nil {
			s.last = make([]byte, 0, 256<<10)
		}
		if len(p) > cap(s.last) {
			return s.file.ReadAt(p, at)
		}
		n, err := s.file.ReadAt(s.last[:cap(s.last)], at)
		if n < len(p) {
			s.last = s.last[:0]
			return 0, err
		}
		s.last, s.at = s.last[:n], at
	}
	return copy(p, s.last[at-s.at:]), nil
}
