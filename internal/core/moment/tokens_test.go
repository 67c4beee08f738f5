package moment

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/table"
)

// redundant tells whether a token may go without changing what a text says.
func redundant(t token) bool {
	s := senses()[t.text]
	switch {
	case t.kind == 'w' && (s.weekdays != 0 || s.is&(isLink|isHour|isOpen|isRange) != 0 || t.text == "t" || t.text == "next" || t.text == "º" || t.text == "this"):
		return true
	case t.kind == 'w' && !t.gap: // 1st, 21ste
		return true
	case t.kind == 'n':
		return strings.Trim(t.text, "0") == ""
	}
	return t.kind != 'w'
}

// TestTokensCount takes each token out of each cell of the corpus that reads:
// the reading changes, or the cell is held, or the token is one of those that
// say nothing of their own.
func TestTokensCount(t *testing.T) {
	data, err := os.ReadFile("testdata/corpus.txt")
	require.NoError(t, err)
	shared := map[string]bool{ // a year or month that the other end of a range has too, a second way to say noon, a fraction of a second
		"10am - 12 noon": true, "8 am - 5 pm": true, "2026-03-05 09:00 UTC+1": true, "2026-03-05T14:30:00,5Z": true, "28 Dec 2026 – 3 Jan 2027": true, "31 Dec 2026 - 2 Jan 2027": true,
		"5 March 2026 08:00 - 7 March 2026 17:00": true, "5 March 2026 12 midnight": true, "5 March 2026 12 noon": true, "from 5 March to 7 March 2026": true, "von 5.3. bis 7.3.2026": true,
		"mar. 3 mars 2026 14h":                true, // mar. is March by itself
		"05/03/2026 08:15 - 11:45 local time": true,
	}
	tried := 0
	set := settings(t)
	set.AnyYear, set.Order, set.Stated = true, DayFirst, true
	read := func(text string, role Role) (string, bool) {
		c := NewColumn(set)
		cell := table.Cell{Kind: table.Text, Text: text}
		c.Learn(1, cell)
		c.Settle()
		c.Prefer(role)
		v, f := c.Read(cell)
		return show(v), f == nil && v.Assumed == 0 // what is assumed is said
	}
	for line := range strings.Lines(string(data)) {
		text, _, ok := strings.Cut(strings.TrimSpace(line), " => ")
		if !ok || strings.Contains(text, ":: ") {
			continue
		}
		for _, role := range []Role{DateRole, ClockRole} {
			want, ok := read(text, role)
			if !ok {
				continue
			}
			tokens := scan(text)
			for i, token := range tokens {
				for _, edited := range []string{without(tokens, i), with(tokens, i, "xyz"), with(tokens, i, "37")} {
					got, ok := read(edited, role)
					tried++
					if ok && got == want && !((redundant(token) || shared[text]) && edited == without(tokens, i)) {
						assert.Failf(t, "a token says nothing", "%q reads as %s, and so does %q", text, want, edited)
					}
				}
			}
		}
	}
	assert.Greater(t, tried, 1000)
}

func without(tokens []token, i int) string {
	return text(append(append([]token{}, tokens[:i]...), tokens[i+1:]...))
}

// with puts another word or number behind token i.
func with(tokens []token, i int, word string) string {
	out := append([]token{}, tokens[:i+1]...)
	out = append(out, token{text: word, gap: true})
	if i+1 < len(tokens) {
		next := tokens[i+1]
		next.gap = true
		out = append(append(out, next), tokens[i+2:]...)
	}
	return text(out)
}

func text(tokens []token) string {
	var b strings.Builder
	for i, t := range tokens {
		if t.gap && i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(t.text)
	}
	return b.String()
}
