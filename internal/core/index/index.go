// Package index finds things again by their hashes. It holds numbers only: what they
// stand for is its user's, and so is the comparison.
package index

import "iter"

// A Table holds the number of each thing under the thing's hash. The zero Table is
// empty and ready. It takes half of the time and less of the memory of a map from a hash.
type Table struct {
	slots []uint64 // the upper half of a hash, and one more than the number; 0 for none
	shift uint     // from an upper half to the slot where the search begins
	used  int
}

// least is the fewest slots, as a power of two.
const least = 6

// New gives a table with room for n things. It grows for more.
func New(n int) Table {
	var t Table
	bits := uint(least)
	for n > 1<<bits/4*3 {
		bits++
	}
	t.make(bits)
	return t
}

func (t *Table) make(bits uint) {
	t.slots, t.shift, t.used = make([]uint64, 1<<bits), 32-bits, 0
}

// Under gives the numbers that may be meant by a hash: those of it, and rarely one of
// another.
func (t *Table) Under(hash uint64) iter.Seq[int32] {
	return func(yield func(int32) bool) {
		if t.slots == nil {
			return
		}
		upper := hash >> 32
		for at := int(upper >> t.shift); ; at++ {
			s := t.slots[at&(len(t.slots)-1)]
			if s == 0 || s>>32 == upper && !yield(int32(uint32(s)-1)) {
				return
			}
		}
	}
}

// Add puts a number under a hash, beside those that are there.
func (t *Table) Add(hash uint64, number int32) {
	if t.used >= len(t.slots)/4*3 {
		old, bits := t.slots, uint(least)
		if old != nil {
			bits = 33 - t.shift
		}
		t.make(bits)
		for _, s := range old {
			if s != 0 {
				t.put(s)
			}
		}
	}
	t.put(hash>>32<<32 | uint64(uint32(number)+1))
}

func (t *Table) put(s uint64) {
	at := int(s >> 32 >> t.shift)
	for t.slots[at&(len(t.slots)-1)] != 0 {
		at++
	}
	t.slots[at&(len(t.slots)-1)] = s
	t.used++
}
