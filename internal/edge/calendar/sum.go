package calendar

import "github.com/cespare/xxhash/v2"

// Sum tells the bytes of a file from others. No one gains by two that are alike, so it
// guards against accidents only. The zero Sum is of no file.
type Sum struct {
	Size int64 // octets
	Hash [2]uint64
}

// Summed is a Backend that is one file, and knows what it wrote.
type Summed interface {
	// Wrote gives the checksum of the whole file as it was last written, the zero Sum
	// before that.
	Wrote() Sum
}

// SumWriter is a writer that makes the Sum of what is written to it.
type SumWriter struct {
	hashes [2]*xxhash.Digest
	size   int64
}

// NewSumWriter makes a SumWriter of nothing yet.
func NewSumWriter() *SumWriter {
	return &SumWriter{hashes: [2]*xxhash.Digest{xxhash.New(), xxhash.NewWithSeed(1)}}
}

// Write implements io.Writer. It never fails.
func (s *SumWriter) Write(p []byte) (int, error) {
	s.size += int64(len(p))
	for _, h := range s.hashes {
		h.Write(p)
	}
	return len(p), nil
}

// Sum gives the sum of what was written so far.
func (s *SumWriter) Sum() Sum {
	return Sum{s.size, [2]uint64{s.hashes[0].Sum64(), s.hashes[1].Sum64()}}
}
