package fault

import (
	"strings"
)

// Nearest gives the candidate closest to name by edits of single letters,
// ignoring case, or "" when none is close enough to be worth suggesting.
func Nearest(name string, candidates []string) string {
	best, bestAt := "", len([]rune(name))/2+1
	for _, c := range candidates {
		if d := edits(strings.ToLower(name), strings.ToLower(c)); d < bestAt {
			best, bestAt = c, d
		}
	}
	return best
}

// Unknown gives a fault for a name that is not among the candidates, with the
// nearest one, or the list of them when it is short.
func Unknown(what, name string, candidates []string) *Fault {
	article := "a "
	if strings.ContainsRune("aeiou", rune(what[0])) {
		article = "an "
	}
	f := New(name, "is not "+article+what)
	if near := Nearest(name, candidates); near != "" {
		return f.Do("did you mean %q?", near)
	}
	switch n := len(candidates); {
	case n > 12:
		f.Advice = "choose " + strings.Join(candidates[:12], ", ") + ", …"
	case n > 1:
		f.Advice = "choose " + strings.Join(candidates[:n-1], ", ") + " or " + candidates[n-1]
	case n == 1:
		f.Advice = "there is only " + candidates[0]
	}
	return f
}

// edits is how many letters must be put in, taken out, replaced or exchanged
// with their neighbour to make b of a.
func edits(a, b string) int {
	x, y := []rune(a), []rune(b)
	before, last := make([]int, len(y)+1), make([]int, len(y)+1)
	for j := range last {
		last[j] = j
	}
	for i, r := range x {
		row := make([]int, len(y)+1)
		row[0] = i + 1
		for j, s := range y {
			cost := 1
			if r == s {
				cost = 0
			}
			row[j+1] = min(last[j+1]+1, row[j]+1, last[j]+cost)
			if i > 0 && j > 0 && r == y[j-1] && x[i-1] == s {
				row[j+1] = min(row[j+1], before[j-1]+1)
			}
		}
		before, last = last, row
	}
	return last[len(y)]
}
