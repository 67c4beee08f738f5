package settings

import (
	"fmt"
	"strings"
)

// Manual writes the settings as a section of Markdown, with an example of each.
func Manual(settings []Setting) string {
	var b strings.Builder
	manual(&b, settings, "")
	return b.String()
}

func manual(b *strings.Builder, list []Setting, path string) {
	for _, s := range list {
		if s.Kind == Group || s.Kind == Named {
			continue
		}
		fmt.Fprintf(b, "\n`%s%s` %s", path, s.Name, s.Doc)
		if len(s.Choices) > 0 {
			fmt.Fprintf(b, " One of: %s.", strings.Join(s.Choices, ", "))
		}
		fmt.Fprintf(b, "\n\n    %s: %s\n", s.Name, s.Example)
	}
	for _, s := range list {
		if s.Kind != Group && s.Kind != Named {
			continue
		}
		name := path + s.Name
		fmt.Fprintf(b, "\n### %s\n\n%s\n", name, s.Doc)
		if s.Kind == Named {
			name += ".NAME"
		}
		manual(b, s.Fields, name+".")
	}
}

// Schema gives the JSON Schema (draft 2020-12) of a file that may say what the
// settings define, for editors.
func Schema(title string, settings []Setting) map[string]any {
	s := object(settings)
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = title
	return s
}

func object(list []Setting) map[string]any {
	properties := map[string]any{}
	for _, s := range list {
		properties[s.Name] = s.schema()
	}
	return map[string]any{"type": "object", "additionalProperties": false, "properties": properties}
}

func (d Setting) schema() map[string]any {
	text := map[string]any{"type": []string{"string", "number", "boolean"}}
	var out map[string]any
	switch d.Kind {
	case Words:
		out = map[string]any{"anyOf": []any{text, map[string]any{"type": "array", "items": text}}}
	case Choice:
		out = map[string]any{"enum": d.Choices}
	case Number:
		out = map[string]any{"type": "integer", "minimum": 0}
	case YesNo:
		out = map[string]any{"enum": []any{true, false, "yes", "no"}}
	case Group:
		out = object(d.Fields)
	case Named:
		out = map[string]any{"type": "object", "additionalProperties": object(d.Fields)}
	case Table:
		out = map[string]any{"type": "object", "additionalProperties": text}
	case Tables:
		out = map[string]any{"type": "object", "additionalProperties": map[string]any{"type": "object", "additionalProperties": text}}
	default:
		out = text
	}
	out["description"] = d.Doc
	return out
}
