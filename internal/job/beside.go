package job

import (
	"context"
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
)

// panicked is a panic in work done beside the main line, with its stack.
type panicked struct {
	value any
	stack []byte
}

func (p panicked) Error() string { return fmt.Sprint(p.value) }

// Stack is where the panic began.
func (p panicked) Stack() []byte { return p.stack }

// beside runs work beside its caller's and gives what waits for its end. A
// panic in it comes back there, where it can be told like any other.
func beside(work func()) (wait func()) { return workers(1, work) }

// workers runs work n times side by side.
func workers(n int, work func()) (wait func()) {
	var (
		all    sync.WaitGroup
		once   sync.Once
		broken any
	)
	for range n {
		all.Go(func() {
			defer func() {
				if r := recover(); r != nil {
					once.Do(func() { broken = panicked{r, debug.Stack()} })
				}
			}()
			work()
		})
	}
	return func() {
		all.Wait()
		if broken != nil {
			panic(broken)
		}
	}
}

// InParts cuts n things into parts of a size and gives what is made of each part, in
// their order. The parts are worked on side by side, each by one of a few workers, which
// keeps what it can use again.
func InParts[T any](ctx context.Context, n, size int, worker func() (work func(from, to int) T)) ([]T, error) {
	out := make([]T, (n+size-1)/size)
	next := make(chan int, len(out))
	for i := range out {
		next <- i
	}
	close(next)
	workers(min(runtime.GOMAXPROCS(0), len(out)), func() {
		work := worker()
		for i := range next {
			if ctx.Err() != nil {
				return
			}
			out[i] = work(i*size, min((i+1)*size, n))
		}
	})()
	return out, ctx.Err()
}
