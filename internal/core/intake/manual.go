package intake

import (
	_ "embed" // the page is a text file
	"fmt"
	"strings"

	"almanach/internal/core/settings"
	"almanach/internal/core/template"
)

//go:embed manual.md
var manualPage string

// functionTable lists the functions that expressions may use.
func functionTable() string {
	names := template.Borrowed()
	for i, n := range names {
		names[i] = "`" + n + "`"
	}
	var b strings.Builder
	b.WriteString("Our own functions, beside " + strings.Join(names, ", ") + ":\n\n| function | gives |\n|---|---|\n")
	for _, f := range template.Functions {
		fmt.Fprintf(&b, "| `%s` | %s |\n", f.Form, f.Doc)
	}
	return b.String()
}

// Manual writes docs/intake.md from the definitions that check the files.
func Manual() string {
	var b strings.Builder
	b.WriteString(strings.NewReplacer("{{settings}}\n", settings.Manual(Definition), "{{functions}}", functionTable()).Replace(manualPage))
	return strings.TrimRight(b.String(), "\n") + "\n"
}

// Schema gives the JSON Schema of an intake file.
func Schema() map[string]any { return settings.Schema("Almanach intake", Definition) }
