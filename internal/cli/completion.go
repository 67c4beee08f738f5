package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/extract"
	"almanach/internal/edge/desk"
	"almanach/internal/job"
)

// completions tells shells what can stand where.
func (a *app) completions(root *cobra.Command) {
	intakes := func(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
		return a.desks().Intakes(), cobra.ShellCompDirectiveDefault // files too
	}
	calendars := func(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
		return a.desks().Calendars(), cobra.ShellCompDirectiveDefault
	}
	columns := slices.Concat([]string{"day", "time"}, extract.Columns, extract.More)
	words := func(list ...string) cobra.CompletionFunc {
		return func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return list, cobra.ShellCompDirectiveNoFileComp
		}
	}
	several := func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		head := ""
		if i := strings.LastIndexByte(typed, ','); i >= 0 {
			head = typed[:i+1]
		}
		out := make([]string, len(columns))
		for i, c := range columns {
			out[i] = head + c
		}
		return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
	for _, c := range root.Commands() {
		switch c.Name() {
		case "preview", "load", "reconcile", "adopt":
			c.ValidArgsFunction = intakes
		case "extract", "calendars", "twins":
			c.ValidArgsFunction = calendars
		}
		for flag, complete := range map[string]cobra.CompletionFunc{
			"into": calendars, "as": words(show.Forms...), "csv": words("plain", "excel"), "sort": several, "columns": several, "take": words("sheet", "calendar"),
			"day-order": words("day first", "month first", "year first"), "last-day": words("included", "not included"), "range-with-times": words("one", "each day"), "unix": words("seconds", "milliseconds"), "in": words("today", "tomorrow", "this week", "next week", "this month", "next month"),
			"zone": a.zoneNames, "key": a.columnNames, "show": a.keyNames, "restore": a.keyNames, "beside": a.keyNames, "remove": a.keyNames,
		} {
			if c.Flags().Lookup(flag) != nil {
				_ = c.RegisterFlagCompletionFunc(flag, complete)
			}
		}
	}
	_ = root.RegisterFlagCompletionFunc("zone", a.zoneNames)
	_ = root.RegisterFlagCompletionFunc("desk", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return nil, cobra.ShellCompDirectiveFilterDirs
	})
}

// desks gives the desk, or an empty one where it cannot be read: completing says
// nothing of mistakes.
func (a *app) desks() *desk.Desk {
	d, _ := desk.Find(a.desk)
	if d == nil {
		return &desk.Desk{}
	}
	return d
}

func (a *app) zoneNames(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	zones, err := a.zones()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	return zones.Names(), cobra.ShellCompDirectiveNoFileComp
}

// columnNames gives the columns of the table that is named on the command line.
func (a *app) columnNames(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) == 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	var f surveyFlags
	s, _, err := f.survey(a, c, args[0])
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return s.Header.Names(), cobra.ShellCompDirectiveNoFileComp
}

// keyNames gives the keys of an intake's rows.
func (a *app) keyNames(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	office, err := a.office()
	if err != nil || len(args) == 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	var f loadFlags
	req, err := f.request(office, args[0])
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	r, err := job.Load(c.Context(), office, req)
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	var keys []string
	for _, i := range r.Items.All() {
		if i.Key != "" && !slices.Contains(keys, i.Key) {
			keys = append(keys, i.Key)
		}
	}
	return keys, cobra.ShellCompDirectiveNoFileComp
}
