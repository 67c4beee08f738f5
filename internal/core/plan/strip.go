package plan

import (
	"sync/atomic"

	"almanach/internal/core/intake"
	"almanach/internal/core/table"
)

// stripper gives up the cells of rows once they are settled, as there can be many: nothing
// asks for them later, but for those of rows that are not loaded.
type stripper struct {
	rows *table.Rows
	keep []bool         // by row
	left []atomic.Int32 // shards of each block of rows that are still worked on
}

// kept gives a stripper for so many shards; one that does nothing where rows may be asked
// for later.
func (m *maker) kept(shards int) *stripper {
	if len(m.series)+len(m.pairs)+len(m.likely)+len(m.Pairs.Adopt) > 0 || m.Pairs.Only || m.Pairs.AdoptFrom > 0 || shards < 2*shardsInBlock {
		return &stripper{}
	}
	out := &stripper{rows: &m.Batch.Rows, keep: make([]bool, m.Batch.Rows.Len()), left: make([]atomic.Int32, (shards+shardsInBlock-1)/shardsInBlock)}
	for i := range out.keep {
		fate, _ := m.Batch.Fate(i)
		out.keep[i] = fate != intake.WantedRow
	}
	for n := range out.left {
		out.left[n].Store(int32(min(shardsInBlock, shards-n*shardsInBlock)))
	}
	return out
}

// shardsInBlock is how many shards there are of the rows that are given up at once.
const shardsInBlock = table.BlockRows / shardSize

// done tells that a shard is settled.
func (s *stripper) done(n int, shard *shard) {
	if s.rows == nil {
		return
	}
	for _, h := range shard.held {
		s.keep[h.row] = true
	}
	for _, o := range shard.out {
		s.keep[o.row] = true
	}
	if block := n / shardsInBlock; s.left[block].Add(-1) == 0 {
		s.rows.Strip(block*table.BlockRows, func(i int) bool { return s.keep[i] })
	}
}
