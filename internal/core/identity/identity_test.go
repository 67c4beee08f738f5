package identity

import (
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/table"
)

// TestVectors reads the vectors of docs/identity.md. They are frozen: an event
// loaded by any release is found again by every later one.
func TestVectors(t *testing.T) {
	doc, err := os.ReadFile("../../../docs/identity.md")
	require.NoError(t, err)
	n := 0
	for line := range strings.Lines(string(doc)) {
		cells := strings.Split(strings.Trim(strings.TrimSpace(line), "|"), "|")
		if len(cells) != 4 || !strings.HasPrefix(strings.TrimSpace(cells[1]), "`") {
			continue
		}
		unquote := func(s string) string {
			text, err := strconv.Unquote(`"` + strings.Trim(strings.TrimSpace(s), "`") + `"`)
			require.NoError(t, err, s)
			return text
		}
		var key Key
		for part := range strings.SplitSeq(unquote(cells[1]), " ; ") {
			kind, text, _ := strings.Cut(part, ":")
			c := table.Cell{Kind: table.Text, Text: text}
			switch kind {
			case "number":
				c.Kind = table.Number
				c.Number, err = strconv.ParseFloat(text, 64)
				require.NoError(t, err)
			case "date":
				c = table.NewTemporal(table.Date, 46082)
			}
			key = append(key, Normal(c))
		}
		n++
		assert.Equal(t, unquote(cells[2]), strings.Join(key, " ; "), "normalised %s", cells[1])
		assert.Equal(t, strings.Trim(strings.TrimSpace(cells[3]), "`"), Of(unquote(cells[0]), key).String(), "%s", line)
	}
	assert.Equal(t, 16, n)
	assert.Equal(t, "6e2f4f0a-3d0c-5b6e-9b0d-2a7c51b8e4d1", Namespace.String())
}

func TestAlike(t *testing.T) {
	fold := func(k Key) string { return string(k.AppendFold(nil)) }
	for _, pair := range [][2]Key{{{"TH-7"}, {"th-7"}}, {{"TH-007"}, {"TH-7"}}, {{"0042"}, {"42"}}, {{"ÉTÉ"}, {"été"}}, {{"00"}, {"0"}}, {{"A.05"}, {"a.5"}}, {{"B 07/08"}, {"b 7/8"}}} {
		assert.Equal(t, fold(pair[0]), fold(pair[1]), "%q", pair)
	}
	for _, pair := range [][2]Key{{{"TH-70"}, {"TH-7"}}, {{"1.05"}, {"1.5"}}, {{"a", "b"}, {"ab", ""}}, {{"0"}, {""}}, {{"1,05"}, {"1,5"}}, {{"A1.05"}, {"A1.5"}}, {{"10"}, {"1"}}} {
		assert.NotEqual(t, fold(pair[0]), fold(pair[1]), "%q", pair)
	}
	for _, r := range "\u200b\u200c\u200d\u2060\ufeff\u00ad\u200e\u200f" {
		assert.Equal(t, "ab", NormalText("a"+string(r)+"b"), "%U", r)
	}
	assert.True(t, Key{"a", ""}.Empty())
	assert.False(t, Key{"0"}.Empty())
}
