package settings

import (
	"fmt"
	"slices"
	"strings"
)

// Manual writes the settings as a section of Markdown, with an example of each.
func Manual(settings []Setting) string {
	var b strings.Builder
	manual(&b, settings, nil)
	return b.String()
}

// manual writes settings that stand below parents. Each example is whole: it can be
// pasted into a file that has none of it yet.
func manual(b *strings.Builder, list []Setting, parents []string) {
	path := strings.Join(append(slices.Clone(parents), ""), ".")
	for _, s := range list {
		if s.Kind == Group || s.Kind == Named {
			continue
		}
		fmt.Fprintf(b, "\n`%s%s` %s", path, s.Name, s.Doc)
		if len(s.Choices) > 0 {
			fmt.Fprintf(b, " One of: %s.", strings.Join(s.Choices, ", "))
		}
		b.WriteString("\n\n")
		indent := "    "
		for _, parent := range parents {
			b.WriteString(indent + parent + ":\n")
			indent += "  "
		}
		b.WriteString(indent + s.Name + ": " + strings.ReplaceAll(s.Example, "\n", "\n"+indent) + "\n")
	}
	for _, s := range list {
		if s.Kind != Group && s.Kind != Named {
			continue
		}
		name := path + s.Name
		fmt.Fprintf(b, "\n### %s\n\n%s\n", name, s.Doc)
		below := append(slices.Clone(parents), s.Name)
		if s.Kind == Named {
			below = append(below, "NAME")
		}
		manual(b, s.Fields, below)
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
