package sheet

import (
	"context"
	"fmt"
	"io"
	"sync/atomic"
	"time"

	"almanach/internal/core/fault"
	"almanach/internal/core/table"
)

// Budget is what reading one source may cost. Every format draws on it, and
// stops with a fault that names the limit, or with the context's error. Several
// goroutines may read through it; rows and steps are counted by one.
type Budget struct {
	Notes []string // what is to be said of the source as a whole

	ctx   context.Context
	late  <-chan struct{} // closed from then on
	steps int
	cells int64
	bytes atomic.Int64
	text  int64
}

// The limits of one source. A million rows of twenty columns are well within
// them.
const (
	MaxCells  = 20_000_000
	MaxText   = 1 << 30 // octets of all texts together
	MaxRead   = 8 << 30 // octets read and unpacked, every table of a page again
	MaxTime   = 10 * time.Minute
	MaxShared = 256 << 20 // octets of a workbook's table of shared texts
	MaxDepth  = 200       // how deep values, elements or tables may lie in each other
	MaxTables = 1000      // of one page
)

// NewBudget gives the budget for a source that is read from now on.
func NewBudget(ctx context.Context) *Budget {
	late := make(chan struct{})
	time.AfterFunc(MaxTime, func() { close(late) })
	return &Budget{ctx: ctx, late: late}
}

func over(format string, args ...any) *fault.Fault {
	return fault.Newf("is more than is read of one source: "+format, args...).Do("split it, or take out what is not needed")
}

// Step is called in every loop that input can make long. It looks at the
// context now and then.
func (b *Budget) Step() error {
	if b.steps++; b.steps%1024 != 0 {
		return nil
	}
	return b.check()
}

// Done tells whether the budget is used up, or the context has ended.
func (b *Budget) Done() bool { return b.check() != nil }

// Check gives the reason of Done.
func (b *Budget) Check() error { return b.check() }

func (b *Budget) check() error {
	select {
	case <-b.ctx.Done():
		return b.ctx.Err()
	case <-b.late:
		return over("it takes longer than %d minutes", int(MaxTime/time.Minute))
	default:
		return nil
	}
}

// Row counts a row that is kept.
func (b *Budget) Row(row table.Row) error {
	cells, text := row.Size()
	b.cells += int64(cells)
	b.text += int64(text)
	switch {
	case b.cells > MaxCells:
		return over("it has more than %d million cells", MaxCells/1_000_000).At(row.Place())
	case b.text > MaxText:
		return over("its texts have more than %d MiB", MaxText>>20).At(row.Place())
	}
	return b.Step()
}

// Reader reads from r as long as the budget lasts.
func (b *Budget) Reader(r io.Reader) io.Reader { return &budgeted{b, r} }

// Copy copies a stream. It comes back when the context ends, even while the
// stream has nothing to give; what reads it is left behind then.
func (b *Budget) Copy(w io.Writer, r io.Reader) (int64, error) {
	type result struct {
		n   int64
		err error
	}
	done := make(chan result, 1)
	go func() {
		n, err := io.Copy(w, b.Reader(r))
		done <- result{n, err}
	}()
	select {
	case d := <-done:
		return d.n, d.err
	case <-b.ctx.Done():
		return 0, b.ctx.Err()
	}
}

type budgeted struct {
	*Budget
	r io.Reader
}

func (b *budgeted) Read(p []byte) (int, error) {
	if err := b.check(); err != nil {
		return 0, err
	}
	n, err := b.r.Read(p[:min(len(p), 1<<20)])
	if b.bytes.Add(int64(n)) > MaxRead {
		return 0, over("it unpacks to more than %d GiB", MaxRead>>30)
	}
	return n, err
}

// Depth refuses what lies too deep in itself.
func Depth(n int, what string) error {
	if n > MaxDepth {
		return fmt.Errorf("its %s lie more than %d deep in each other", what, MaxDepth)
	}
	return nil
}
