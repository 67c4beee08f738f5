// Package pattern compiles regular expressions when they are first needed. A run of
// the program needs few of those it has, and a command that only tells of itself none.
package pattern

import (
	"regexp"
	"sync"
)

// Lazy gives an expression (RE2 syntax) that is compiled at its first call, and kept.
// Goroutines may share it. It panics at that call where the expression is wrong.
func Lazy(expr string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expr) })
}
