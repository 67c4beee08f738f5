package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"almanach/internal/core/fault"
	"almanach/internal/core/pattern"
)

// takes checks how many arguments a command is given; most is -1 for any number.
func takes(least, most int) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		what := strings.TrimPrefix(c.Use, c.Name()+" ")
		switch {
		case len(args) < least && len(args) == 0:
			return fault.Newf("%s takes %s, and nothing is given", c.Name(), what).Do("see almanach %s --help", c.Name())
		case len(args) < least:
			return fault.Newf("%s takes %s, and %d is given", c.Name(), what, len(args)).Do("see almanach %s --help", c.Name())
		case most >= 0 && len(args) > most:
			return fault.New(args[most], "is one too many: "+c.Name()+" takes "+what).Do("put names that have spaces into quotes; see almanach %s --help", c.Name())
		}
		return nil
	}
}

// others are words that people try for what is called differently here.
var others = map[string]string{
	"init": "setup", "new": "setup", "create": "setup", "start": "setup", "configure": "setup",
	"import": "load", "sync": "load", "push": "load", "upload": "load", "update": "load", "run": "load",
	"export": "extract", "list": "extract", "show": "extract", "events": "extract", "download": "extract", "query": "extract", "search": "extract", "find": "extract",
	"diff": "reconcile", "compare": "reconcile", "check": "reconcile", "verify": "reconcile", "validate": "preview",
	"plan": "preview", "test": "preview", "try": "preview", "inspect": "survey", "analyse": "survey", "analyze": "survey", "describe": "survey", "info": "survey",
	"history": "logbook", "log": "logbook", "runs": "logbook", "revert": "undo", "rollback": "undo", "duplicates": "twins", "doubles": "twins", "dedupe": "twins",
	"note": "jot", "event": "jot", "remind": "jot", "map": "draft", "mapping": "draft", "server": "serve", "calendar": "calendars", "link": "adopt", "claim": "adopt",
}

// unknownCommand says which command may be meant.
func unknownCommand(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	var names []string
	for _, sub := range c.Commands() {
		if sub.IsAvailableCommand() {
			names = append(names, sub.Name())
		}
	}
	if meant := others[strings.ToLower(args[0])]; meant != "" {
		return fault.New(args[0], "is not a command").Do("you may want: almanach %s", meant)
	}
	return fault.Unknown("command", args[0], names)
}

var unknownFlag = pattern.Lazy(`^unknown (?:shorthand )?flag: '?(?:--)?([\w-]+)'?`)

// flagFault puts what is wrong with an option into words of ours.
func flagFault(c *cobra.Command, err error) error {
	advice := "see almanach " + strings.TrimPrefix(c.CommandPath(), "almanach ") + " --help"
	if m := unknownFlag().FindStringSubmatch(err.Error()); m != nil {
		var names []string
		c.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		c.InheritedFlags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		if near := fault.Nearest(m[1], names); near != "" {
			advice = "did you mean --" + near + "?"
		}
		dashes := "--"
		if len(m[1]) == 1 {
			dashes = "-"
		}
		return fault.New(dashes+m[1], "is not an option of "+c.Name()).Do("%s", advice)
	}
	text := err.Error()
	if i := strings.Index(text, "flag needs an argument: "); i >= 0 {
		return fault.Newf("%s needs a value", strings.TrimPrefix(text, "flag needs an argument: ")).Do("%s", advice)
	}
	return fault.Newf("%w", err).Do("%s", advice)
}

// groups are the commands in the order of the work.
var groups = []struct {
	id, title string
	commands  []string
}{
	{"begin", "To begin:", []string{"demo", "setup"}},
	{"in", "From a source into calendars:", []string{"survey", "draft", "preview", "load", "jot", "adopt"}},
	{"out", "Out of calendars, and to prove that both agree:", []string{"extract", "reconcile", "twins"}},
	{"back", "What was done:", []string{"logbook", "undo"}},
	{"calendars", "Calendars:", []string{"calendars", "serve"}},
}

// order puts the commands of the help into the order of the work.
func order(root *cobra.Command) {
	cobra.EnableCommandSorting = false
	for _, g := range groups {
		root.AddGroup(&cobra.Group{ID: g.id, Title: g.title})
		for _, c := range root.Commands() {
			if slices.Contains(g.commands, c.Name()) {
				c.GroupID = g.id
			}
		}
	}
}
