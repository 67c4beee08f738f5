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
	near := Nearest(name, candidates)
	f.Missing = what
	for _, c := range candidates {
		f.Choices = append(f.Choices, []string{c})
		if c == near { // the likely one is offered first
			f.Choices[0], f.Choices[len(f.Choices)-1] = f.Choices[len(f.Choices)-1], f.Choices[0]
		}
	}
	if near != "" {
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

// Offer says what can be given for an option that nobody gave: choices, the best
// first. why says what is good about them, and may be empty.
func (f *Fault) Offer(option, missing, why string, choices [][]string) *Fault {
	f.Missing, f.Choices = missing, choices
	if len(choices) == 0 {
		return f
	}
	var names []string
	for _, c := range choices[:min(len(choices), 4)] {
		names = append(names, `"`+strings.Join(c, `" and "`)+`"`)
	}
	if why != "" {
		why = ": " + why
	}
	return f.Do("it can be %s%s; give %s", strings.Join(names, ", or "), why, Given(option, choices[0]))
}

// Given writes an option with its values as a command line takes it.
func Given(option string, values []string) string {
	return option + ` "` + strings.Join(values, `" `+option+` "`) + `"`
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
