package delimited

import (
	"sync"

	"almanach/internal/core/table"
	"almanach/internal/edge/source/sheet"
)

// ahead reads the rows of a large text in a goroutine of its own, so that they are read while
// those before are understood. It keeps a few batches.
type ahead struct {
	sheet.Plain
	from    *separated // belongs to the goroutine until the last batch
	batches chan batch
	halt    chan struct{}
	stop    func()
	ended   chan struct{}
	now     batch
	at      int
}

// batch is rows in a row, and what came behind them.
type batch struct {
	rows   table.Rows
	err    error
	broken any // a panic, which is its caller's then
}

const aheadBatches = 2

func newAhead(s *separated) *ahead {
	a := &ahead{from: s, batches: make(chan batch, aheadBatches), halt: make(chan struct{}), ended: make(chan struct{})}
	a.stop = sync.OnceFunc(func() { close(a.halt) })
	go a.run()
	return a
}

func (a *ahead) run() {
	defer close(a.ended)
	defer func() {
		if broken := recover(); broken != nil {
			a.give(batch{broken: broken})
		}
	}()
	var rows table.Rows
	for {
		row, err := a.from.next()
		if err == nil {
			if rows.Add(row); rows.Len() < table.BlockRows {
				continue
			}
		}
		if !a.give(batch{rows: rows.Take(), err: err}) || err != nil {
			return
		}
	}
}

// give gives a batch away, and tells whether more are wanted.
func (a *ahead) give(b batch) bool {
	select {
	case a.batches <- b:
		return true
	case <-a.halt:
		return false
	}
}

// Next implements sheet.Raw.
func (a *ahead) Next() (table.Row, error) {
	for a.at == a.now.rows.Len() {
		if a.now.err != nil {
			return table.Row{}, a.now.err
		}
		if a.now, a.at = <-a.batches, 0; a.now.broken != nil {
			panic(a.now.broken)
		}
	}
	a.at++
	return a.now.rows.At(a.at - 1), nil
}

// Origin implements sheet.Raw.
func (a *ahead) Origin() *table.Origin { return a.from.from }

// About implements sheet.Raw.
func (a *ahead) About(to *sheet.About) { to.Format = a.from.format }

// Severed implements sheet.Severed.
func (a *ahead) Severed() bool { return a.now.err != nil && a.from.short }

// Close ends the goroutine. It may be called again.
func (a *ahead) Close() error {
	a.stop()
	<-a.ended
	return nil
}
