package intake

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/settings"
)

// TestManual keeps the published pages what the definitions say. With
// ALMANACH_UPDATE set it writes them.
func TestManual(t *testing.T) {
	schema, err := json.MarshalIndent(Schema(), "", "  ")
	require.NoError(t, err)
	for path, want := range map[string]string{"../../../docs/intake.md": Manual(), "../../../docs/intake.schema.json": string(schema) + "\n"} {
		if os.Getenv("ALMANACH_UPDATE") != "" {
			require.NoError(t, os.WriteFile(path, []byte(want), 0o600))
		}
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, want, string(got), "%s: run ALMANACH_UPDATE=1 go test ./internal/core/intake", path)
	}
}

// TestWhole reads the whole intake with which the manual begins.
func TestWhole(t *testing.T) {
	_, rest, found := strings.Cut(Manual(), "## A whole intake")
	require.True(t, found)
	var text string
	for _, line := range strings.Split(rest, "\n") {
		if code, is := strings.CutPrefix(line, "    "); is {
			text += code + "\n"
		} else if text != "" {
			break
		}
	}
	in, faults := Parse("x.yaml", []byte(text))
	require.Empty(t, faults)
	assert.Equal(t, "berth-bookings", in.Name)
}

// TestExamples reads every example of the manual as a file would have it.
func TestExamples(t *testing.T) {
	var check func(list []settings.Setting, indent, lead string)
	check = func(list []settings.Setting, indent, lead string) {
		for _, s := range list {
			if s.Kind == settings.Group {
				check(s.Fields, indent+"  ", lead+indent+s.Name+":\n")
				continue
			}
			text := lead + indent + s.Name + ": " + s.Example + "\n"
			_, faults := settings.Read("x.yaml", []byte(text), Definition)
			assert.Empty(t, faults, text)
			assert.NotEmpty(t, s.Doc, s.Name)
		}
	}
	check(Definition, "", "")
}
