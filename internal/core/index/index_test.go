package index

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// A table says what a map of lists says, whatever its first size and however alike the
// hashes are.
func TestTable(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, mask := range []uint64{^uint64(0), 0xff << 40, 0xffff, 0} {
		for _, room := range []int{-1, 0, 1, 48, 49, 5000} {
			var table Table
			if room >= 0 {
				table = New(room)
			}
			model := map[uint64][]int32{}
			hashes := make([]uint64, 600)
			for i := range hashes {
				hashes[i] = r.Uint64() & mask
				model[hashes[i]] = append(model[hashes[i]], int32(i))
				table.Add(hashes[i], int32(i))
				one := hashes[r.IntN(i+1)]
				var found []int32
				for n := range table.Under(one) {
					if hashes[n] == one {
						found = append(found, n)
					}
				}
				require.ElementsMatch(t, model[one], found)
			}
			for range table.Under(^hashes[0] | 1<<63) {
				require.NotEqual(t, ^uint64(0), mask, "nothing is under other hashes")
			}
		}
	}
}
