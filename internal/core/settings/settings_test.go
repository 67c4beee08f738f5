package settings

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var definitions = []Setting{
	{Name: "name", Kind: Text},
	{Name: "key", Kind: Words},
	{Name: "side", Kind: Choice, Choices: []string{"sheet", "calendar"}},
	{Name: "assume", Kind: Group, Fields: []Setting{{Name: "length", Kind: Length}, {Name: "year", Kind: Number}}},
	{Name: "past", Kind: YesNo},
	{Name: "calendars", Kind: Named, Fields: []Setting{{Name: "file", Kind: Text}}},
	{Name: "routes", Kind: Table},
	{Name: "words", Kind: Tables},
}

func TestRead(t *testing.T) {
	f, faults := Read("x.yaml", []byte("# a comment\nname: \"A: b\" # behind it\nkey: [No, Berth]\nside: calendar\nassume: { length: 1h30, year: 2026 }\npast: yes\ncalendars:\n  b: { file: b.ics }\n  a:\n    file: a.ics\nroutes: { N: north, '1': south }\nwords: { state: { C: confirmed } }\n"), definitions)
	require.Empty(t, faults)
	v := f.Root
	assert.Equal(t, "A: b", v.Text("name"))
	assert.Equal(t, []string{"No", "Berth"}, v.Words("key"))
	assert.Equal(t, 90*time.Minute, v.Length("assume.length"))
	assert.Equal(t, 2026, v.Number("assume.year"))
	assert.True(t, v.Yes("past"))
	assert.Equal(t, "b", v.Get("calendars").Values[0].Name, "names keep the order of the file")
	assert.Equal(t, "a.ics", v.Text("calendars.a.file"))
	assert.Equal(t, map[string]string{"N": "north", "1": "south"}, v.Table("routes"))
	assert.Equal(t, map[string]string{"C": "confirmed"}, v.Table("words.state"))
	assert.Empty(t, v.Text("nothing.here"))

	empty, faults := Read("x.yaml", []byte("# nothing yet\n"), definitions)
	require.Empty(t, faults)
	assert.Empty(t, empty.Root.Text("name"))
}

// TestMistakes wants each mistake with its line, its caret and what to do.
func TestMistakes(t *testing.T) {
	for text, want := range map[string]string{
		"nme: x":                            "line 1: \"nme\" is not a setting of this file#   1 | nme: x\n       ^#did you mean \"name\"?",
		"name: x\nside: left":               "line 2: \"left\" is not a choice for side#   2 | side: left\n             ^#choose sheet or calendar",
		"name: x\nname: y":                  "line 2",
		"assume: { length: 5 }":             "\"5\" is not a length of time#\n                         ^#write 2h or 90min",
		"assume: { year: soon }":            "\"soon\" is not a whole number",
		"past: perhaps":                     "\"perhaps\" is neither yes nor no",
		"assume: x":                         "assume",
		"name: [a, b]":                      "name",
		"name: { a: b }":                    "name",
		"calendars: { a: b.ics }":           "line 1",
		"calendars: { a: { fil: b.ics } }":  "\"fil\" is not a setting of#did you mean \"file\"?",
		"routes: [a]":                       "routes",
		"words: { a: b }":                   "line 1",
		"name: 'open":                       "line 1",
		"name: x\n\tkey: y":                 "line 2",
		"- a\n- b":                          "line 1",
		"né: x":                             "\"né\" is not a setting#\n       ^",
		"key: [" + strings.Repeat("[", 200): "line 1",
		"name: *unknown":                    "line 1",
	} {
		_, faults := Read("x.yaml", []byte(text), definitions)
		if assert.NotEmpty(t, faults, "%q", text) {
			said := faults[0].Error() + "\n" + faults[0].Excerpt
			for part := range strings.SplitSeq(want, "#") {
				assert.Contains(t, said, part, "%q", text)
			}
			assert.True(t, strings.HasPrefix(faults[0].Error(), "x.yaml"), faults[0].Error())
		}
	}
	_, faults := Read("x.yaml", []byte("nme: x\nside: left\nassume: { lenth: 1h }\n"), definitions)
	assert.Len(t, faults, 3, "all mistakes are told at once")
}

func FuzzSettings(f *testing.F) {
	f.Add("name: x\nkey: [a, b]\nassume: { length: 1h }\n")
	f.Add("calendars: { a: { file: &x b } }\nname: *x\n? k : v\n--- \n")
	f.Fuzz(func(t *testing.T, text string) {
		file, faults := Read("x.yaml", []byte(text), definitions)
		for _, fault := range faults {
			require.NotEmpty(t, fault.Error())
		}
		if file != nil {
			file.Root.Text("name")
			file.Root.Table("words.state")
		}
	})
}

// TestExcess refuses what no person writes before it is read.
func TestExcess(t *testing.T) {
	for name, text := range map[string]string{
		"brackets": strings.Repeat("[", 1000), "braces over lines": strings.Repeat("a: {\n", 100), "dashes": strings.Repeat("- ", 200), "indents": "a:\n" + strings.Repeat(" ", 300) + "b: 1\n", "size": strings.Repeat("# x\n", 400_000),
	} {
		_, faults := Read("x.yaml", []byte(text), nil)
		require.Len(t, faults, 1, name)
		assert.Equal(t, "x.yaml", faults[0].Place.File)
	}
	f, faults := Read("x.yaml", []byte("a: '[[[ {{'\n"), []Setting{{Name: "a"}})
	require.Empty(t, faults)
	assert.Equal(t, "[[[ {{", f.Root.Text("a"))
}

// TestPages writes the manual and the schema of every kind of setting.
func TestPages(t *testing.T) {
	list := []Setting{
		{Name: "name", Doc: "A name.", Example: "x"}, {Name: "way", Kind: Choice, Choices: []string{"a", "b"}, Doc: "A way.", Example: "a"}, {Name: "many", Kind: Words, Doc: "Words.", Example: "[a]"}, {Name: "n", Kind: Number, Doc: "A number.", Example: "3"}, {Name: "long", Kind: Length, Doc: "A length.", Example: "2h"}, {Name: "sure", Kind: YesNo, Doc: "Sure.", Example: "yes"},
		{Name: "table", Kind: Table, Doc: "A table.", Example: "{ a: b }"}, {Name: "tables", Kind: Tables, Doc: "Tables.", Example: "{ a: { b: c } }"},
		{Name: "group", Kind: Group, Doc: "A group.", Fields: []Setting{{Name: "in", Doc: "Inside.", Example: "x"}}}, {Name: "named", Kind: Named, Doc: "Named.", Fields: []Setting{{Name: "file", Doc: "A file.", Example: "x.ics"}}},
	}
	page := Manual(list)
	for _, want := range []string{"`name` A name.\n\n    name: x\n", "One of: a, b.", "### group\n\nA group.\n", "`group.in` Inside.\n\n    group:\n      in: x\n", "    named:\n      NAME:\n        file: x.ics\n", "### named"} {
		assert.Contains(t, page, want)
	}
	schema := Schema("Title", list)
	assert.Equal(t, "Title", schema["title"])
	properties := schema["properties"].(map[string]any)
	assert.Len(t, properties, len(list))
	assert.Equal(t, []string{"a", "b"}, properties["way"].(map[string]any)["enum"])
	f, faults := Read("x.yaml", []byte("name: 'abc'\nmany: [a, b]\nn: 3\nlong: 2h\nsure: yes\ntable: { a: b }\nnamed: { one: { file: x } }\n"), list)
	require.Empty(t, faults)
	problem := f.Root.Get("name").Fault(1, "is odd")
	assert.Equal(t, "   1 | name: 'abc'\n               ^", problem.Excerpt)
	assert.Equal(t, 1, problem.Place.Line)
	assert.Equal(t, []string{"a", "b"}, f.Root.Words("many"))
	assert.Nil(t, f.Root.Words("none"))
	assert.Equal(t, "abc", f.Root.Get("name").String())
	assert.Empty(t, (*Value)(nil).String())
	assert.Equal(t, "is odd", (*Value)(nil).Fault(0, "is odd").Error())
}
