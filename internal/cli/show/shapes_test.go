package show

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/google/jsonschema-go/jsonschema"
	"github.com/stretchr/testify/require"

	"almanach/internal/core/agree"
	"almanach/internal/core/extract"
	"almanach/internal/core/plan"
	"almanach/internal/core/reconcile"
	"almanach/internal/edge/calendar/caldav"
	"almanach/internal/edge/logbook"
)

// shapes are the forms of --json. parts are what several of them share.
var shapes = []struct {
	name, commands string
	of             reflect.Type
}{
	{"load", "`preview`, `load`, `adopt`, `undo` and `jot`", reflect.TypeFor[loadJSON]()},
	{"reconcile", "`reconcile`", reflect.TypeFor[reconcileJSON]()},
	{"extract", "`extract`, without `--columns`", reflect.TypeFor[[]extract.Fields]()},
	{"survey", "`survey`", reflect.TypeFor[surveyJSON]()},
	{"calendars", "`calendars`, also with `--check`", reflect.TypeFor[[]stateJSON]()},
	{"account", "`calendars ADDRESS`", reflect.TypeFor[[]caldav.Listed]()},
	{"runs", "`logbook`", reflect.TypeFor[[]runJSON]()},
	{"run", "`logbook RUN`", reflect.TypeFor[runJSON]()},
	{"history", "`logbook --event KEY`", reflect.TypeFor[[]stepJSON]()},
	{"twins", "`twins`", reflect.TypeFor[[]twinsJSON]()},
	{"setup", "`setup`", reflect.TypeFor[setupJSON]()},
}

var parts = []struct {
	name, heading string
	of            reflect.Type
}{
	{"event", "An event", reflect.TypeFor[eventJSON]()},
	{"row", "A row", reflect.TypeFor[rowJSON]()},
	{"difference", "A difference", reflect.TypeFor[plan.Difference]()},
	{"totals", "Totals of a load", reflect.TypeFor[plan.Totals]()},
	{"passed over", "What was passed over", reflect.TypeFor[passedJSON]()},
	{"change", "A change", reflect.TypeFor[entryJSON]()},
}

// words are the only values that a type can have.
var words = map[reflect.Type][]any{
	reflect.TypeFor[agree.Outcome]():  {"new", "changed", "same", "gone", "edited", "disputed", "removed", "held", "left_out"},
	reflect.TypeFor[reconcile.Kind](): {string(reconcile.Agrees), string(reconcile.Differs), string(reconcile.Missing), string(reconcile.Stray), string(reconcile.Gone), string(reconcile.Twin), string(reconcile.Held)},
	reflect.TypeFor[plan.Kind]():      {string(plan.Create), string(plan.Change), string(plan.Remove)},
	reflect.TypeFor[logbook.State]():  {string(logbook.Open), string(logbook.Done), string(logbook.Stopped)},
}

// meanings say what a field is. A name means one thing everywhere, except where it
// stands with what it is a field of.
var meanings = map[string]string{
	"account.name":        "the calendar's title on the server",
	"account.url":         "its address",
	"added":               "the fields that the other event of the pair does not have",
	"address":             "the e-mail address",
	"advice":              "what to do next",
	"after":               "the event after it; null where it was removed",
	"agrees":              "rows, or events, that agree",
	"all_day":             "whether the event has days and no times",
	"allow":               "the name that allows it, for `--allow`",
	"attendees":           "the people, as `Name <address>`",
	"before":              "the event before the change; null where it was made",
	"began":               "when the run began, in UTC",
	"blank":               "rows in which a part of the key is empty",
	"calendar":            "the calendar's name, or its file",
	"calendars.error":     "what is wrong with the calendar",
	"calendars.name":      "the calendar's name on the desk",
	"carried":             "columns that seem to be written once and left blank below",
	"categories":          "the categories",
	"change":              "what was done",
	"change.fields":       "the names of the fields that changed",
	"change.kind":         "what was done to the event",
	"changed":             "events to change",
	"changes":             "what the run did, an entry an event",
	"colour":              "its colour, as the server gives it",
	"column":              "the column's heading",
	"columns":             "the columns of the sheet",
	"columns.dates":       "what settles the order of day and month",
	"columns.field":       "the field of the event that the column suits; empty for none",
	"columns.header":      "the column's heading",
	"columns.kind":        "what stands in the column: date, time of day, number, text and so on",
	"count":               "how many",
	"course":              "the messages of a thread, a line each, as they were understood",
	"damaged":             "rows that could not be read",
	"description":         "the description",
	"desk":                "the folder of the desk",
	"difference.calendar": "what the calendar holds",
	"difference.wanted":   "what the source wants",
	"differs":             "rows, or events, with a field that differs",
	"disputed":            "events that both the sheet and a person changed",
	"distinct":            "how many different values",
	"done":                "whether it was written",
	"doubles":             "rows that share a value, a few of them",
	"drafted":             "the intakes that were drafted",
	"edited":              "events that a person changed, and the sheet did not",
	"edits":               "events written",
	"end":                 "when it ends, RFC 3339; for all-day events the last day",
	"endless":             "whether a series of the source has no end, and is compared for a year from today",
	"ended":               "when the run ended, in UTC; absent while it is open",
	"error":               "what stopped it; nothing was written but what `written` says",
	"error.message":       "what is wrong",
	"event":               "the event, as it would stand or as it stands",
	"events":              "how many events; -1 where they were not counted",
	"field":               "the field of the event",
	"fields":              "the fields that differ",
	"file":                "the file",
	"filled":              "cells that are not empty",
	"finding":             "how row and calendar stand to each other",
	"findings":            "one for each row, and for each event that no row wants",
	"fingerprint":         "a digest of the source's bytes",
	"first":               "the first of the two",
	"format":              "the kind of file",
	"found":               "events found in running text",
	"found.held":          "why it would be held",
	"found.what":          "the title, as found",
	"found.where":         "the place, as found",
	"found.who":           "the people, as found",
	"from":                "the first day",
	"from_text":           "the very words it was read from",
	"gone":                "events whose row has left the source",
	"gone_past":           "how many of the gone are over, and are left alone",
	"guards":              "changes that must be allowed by name before anything is written",
	"header":              "where the header stands",
	"header.first":        "the first row of the header",
	"header.last":         "its last row",
	"held":                "rows that were not loaded, each with its reason",
	"hidden":              "whether the sheet is hidden",
	"hidden_columns":      "columns that are hidden",
	"hidden_rows":         "how many rows are hidden",
	"history.run":         "the number of the run",
	"identity":            "the name under which the source is known",
	"intake":              "the intake that loaded it; empty for none",
	"items":               "one for each row, and for each event that is gone",
	"key":                 "the key of the row",
	"keys":                "keys of what it is about",
	"keys.columns":        "the columns that make the key",
	"kind":                "what it is: file, folder or server",
	"left_out":            "rows that the intake leaves out",
	"letter":              "the column's letter",
	"line":                "the line in the file, counted from 1; 0 where there are none",
	"load.columns":        "fields whose columns were found by their headings",
	"columns.columns":     "the columns that it is read from",
	"load.dates":          "what settled the order of day and month of a column",
	"load.zone":           "the zone of times that name none",
	"reconcile.zone":      "the zone of times that name none",
	"location":            "the place",
	"made":                "what was made",
	"merged":              "how many ranges of cells are merged",
	"message":             "the Message-ID of the mail; absent elsewhere",
	"missing":             "rows that have no event",
	"more":                "every other field of the event, by the name an intake gives it",
	"name":                "the name",
	"near_keys":           "columns that a few rows spoil as a key",
	"near_keys.columns":   "the columns that make the key",
	"new":                 "events to make",
	"notes":               "what was assumed, and what is worth a look",
	"nothing_removed":     "why nothing counts as gone",
	"number":              "the number of the run, for `undo` and `logbook`",
	"occurrence":          "which occurrence of a series, RFC 3339; absent for single events",
	"occurrences":         "occurrences of those events within the range",
	"of":                  "out of how many",
	"outcome":             "what is to be done, or was done",
	"page":                "the page, counted from 1; 0 where there are none",
	"part":                "required, optional, chair or informed",
	"passed_over":         "dates that are no event, with the reason",
	"people":              "the attendees, with their parts",
	"placed":              "copies of the wanted in all calendars, where rows go to several",
	"proposal":            "what a held row would have loaded",
	"reading":             "what each word became",
	"reason":              "why, for rows that are held or left out",
	"remarks":             "what is worth knowing of the source",
	"removed":             "events that a person deleted",
	"repeats":             "the repetition in words",
	"row":                 "where it stands in the source; null for what is gone",
	"row.row":             "the row, counted from 1",
	"rows":                "rows of the source, without totals",
	"rrule":               "the repetition, RFC 5545 §3.3.10; empty for single events",
	"run":                 "the name of the run, where something was written",
	"same":                "events with nothing to do",
	"sampled":             "rows looked at for doubles",
	"samples":             "three values at most, all different",
	"score":               "how alike they are, of 100",
	"second":              "the second of the two",
	"sheet":               "the sheet; empty where there are none",
	"sheets":              "the sheets of the workbook",
	"source":              "the file that was loaded",
	"spare":               "which of the two can go: first or second",
	"start":               "when it begins, RFC 3339; a date for all-day events",
	"state":               "whether the run came to its end",
	"status":              "confirmed, tentative or cancelled",
	"stray":               "events that no load made",
	"sure":                "surely, likely or perhaps",
	"survey.keys":         "columns that make a key, best first",
	"survey.totals":       "rows that only sum up others",
	"text":                "the words",
	"there":               "what was there already, and was not touched",
	"title":               "the title",
	"to":                  "the last day",
	"totals":              "the counts",
	"totals.calendar":     "what was counted in the calendars",
	"totals.source":       "what was counted in the source",
	"twice":               "rows whose value another row has too",
	"twin":                "events that look like another one",
	"twins":               "the pairs that look alike",
	"twins.events":        "how many events the calendar has",
	"twins.removed":       "events that were removed",
	"uid":                 "the UID of the event",
	"undoes":              "the run that it took back",
	"unused":              "columns that nothing uses",
	"value":               "the value",
	"wanted":              "rows that want an event",
	"warnings.message":    "what is wrong",
	"warnings":            "what could not be read in a calendar or the logbook, and was passed over",
	"what":                "load, adopt or undo",
	"when":                "the date and time, as found",
	"where":               "where it is",
	"who":                 "who ran it",
	"why":                 "the reason",
	"write":               "whether it can be written to",
	"written":             "events written, by calendar",
	"written.events":      "how many events",
	"wrote":               "what the last load wrote, where that is known",
	"zone_why":            "what named that zone, where nobody did",
	"zone":                "the time zone; empty for all-day events and times without one",
}

// schema gives the JSON Schema of a shape, every field with what it means.
func schema(t *testing.T, of reflect.Type, name string) *jsonschema.Schema {
	types := map[reflect.Type]*jsonschema.Schema{}
	for of, list := range words {
		types[of] = &jsonschema.Schema{Type: "string", Enum: list}
	}
	s, err := jsonschema.ForType(of, &jsonschema.ForOptions{TypeSchemas: types})
	require.NoError(t, err)
	explain(t, s, name)
	return s
}

// explain gives the fields their meanings. Lists are never null, and what may be
// left out is not null either.
func explain(t *testing.T, s *jsonschema.Schema, within string) {
	if slices.Contains(s.Types, "array") {
		s.Type, s.Types = "array", nil
	}
	if s.Items != nil {
		explain(t, s.Items, within)
	}
	for name, p := range s.Properties {
		if !slices.Contains(s.Required, name) && len(p.Types) == 2 {
			p.Type, p.Types = p.Types[1], nil
		}
		for _, key := range []string{within + "." + name, partName(t, s) + "." + name, name} {
			if p.Description = meanings[key]; p.Description != "" {
				break
			}
		}
		require.NotEmpty(t, p.Description, "%s of %s has no meaning", name, within)
		explain(t, p, name)
	}
}

// partName tells which shared part a schema is, "" for none.
func partName(t *testing.T, s *jsonschema.Schema) string {
	for _, p := range parts {
		own, err := jsonschema.ForType(p.of, nil)
		require.NoError(t, err)
		if len(own.Properties) == len(s.Properties) && !slices.ContainsFunc(own.PropertyOrder, func(name string) bool { return s.Properties[name] == nil }) {
			return p.name
		}
	}
	return ""
}

// TestShapes keeps docs/json.md and the schemas beside it what the program prints.
// With ALMANACH_UPDATE set it writes them anew.
func TestShapes(t *testing.T) {
	pages := map[string]string{}
	var page strings.Builder
	page.WriteString("# What `--json` prints\n\nEvery command that reports prints one JSON document with `--json`, and nothing else on standard output. Each shape has a JSON Schema (draft 2020-12) in [json/](json/). A field that is marked with ○ stands only where there is something to say. Lists are never null. Exit codes are those without `--json`; a command that is refused before it has a report says why on standard error, with nothing on standard output, except the loads, whose `error` says it too.\n")
	table := func(s *jsonschema.Schema) {
		page.WriteString("\n| field | is | meaning |\n|---|---|---|\n")
		fieldRows(t, &page, s, "")
	}
	for _, shape := range shapes {
		s := schema(t, shape.of, shape.name)
		s.Schema, s.Title = "https://json-schema.org/draft/2020-12/schema", "almanach "+shape.name
		text, err := json.MarshalIndent(s, "", "  ")
		require.NoError(t, err)
		pages["json/"+shape.name+".schema.json"] = string(text) + "\n"
		fmt.Fprintf(&page, "\n## %s\n\nPrinted by %s. [Schema](json/%s.schema.json).\n", shape.name, shape.commands, shape.name)
		if s.Items != nil {
			page.WriteString("A list; each of it has:\n")
			s = s.Items
		}
		table(s)
	}
	page.WriteString("\n# What several of them share\n")
	for _, part := range parts {
		fmt.Fprintf(&page, "\n## %s\n", part.heading)
		table(schema(t, part.of, part.name))
	}
	pages["json.md"] = page.String()
	for name, want := range pages {
		path := filepath.Join("../../../docs", name)
		if os.Getenv("ALMANACH_UPDATE") != "" {
			require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
			require.NoError(t, os.WriteFile(path, []byte(want), 0o644))
		}
		got, err := os.ReadFile(path)
		require.NoError(t, err)
		require.Equal(t, want, string(got), "%s is not what is printed: run the test with ALMANACH_UPDATE=1", path)
	}
}

func fieldRows(t *testing.T, page *strings.Builder, s *jsonschema.Schema, path string) {
	for _, name := range s.PropertyOrder {
		p := s.Properties[name]
		inner, is := p, strings.Join(p.Types, " or ")
		if p.Type != "" {
			is = p.Type
		}
		after := path + name
		if p.Items != nil {
			inner, is, after = p.Items, "list of "+p.Items.Type, after+"[]"
		}
		part := partName(t, inner)
		for _, one := range parts {
			if one.name == part {
				is = strings.Replace(is, "object", "["+part+"](#"+strings.ReplaceAll(strings.ToLower(one.heading), " ", "-")+")", 1)
			}
		}
		if inner.Enum != nil {
			var list []string
			for _, word := range inner.Enum {
				list = append(list, fmt.Sprint("`", word, "`"))
			}
			is = strings.Join(list, ", ")
		}
		mark := ""
		if !slices.Contains(s.Required, name) {
			mark = " ○"
		}
		fmt.Fprintf(page, "| `%s`%s | %s | %s |\n", path+name, mark, is, p.Description)
		if part == "" && len(inner.Properties) > 0 {
			fieldRows(t, page, inner, after+".")
		}
	}
}
