// Package beside runs work beside its caller's and brings a panic in it back
// to the caller, where it can be told to the user like any other.
package beside

import "sync"

// Run begins work and gives the function that waits for its end.
func Run(work func()) (wait func()) { return Many(1, work) }

// Many begins work n times over, side by side, and gives the function that
// waits for the end of all. It panics when one of them has, with what the first
// one said.
func Many(n int, work func()) (wait func()) {
	var (
		all    sync.WaitGroup
		once   sync.Once
		broken any
	)
	for range n {
		all.Go(func() {
			defer func() {
				if r := recover(); r != nil {
					once.Do(func() { broken = r })
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
