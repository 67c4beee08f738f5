package cli

import (
	"context"
	"encoding/json"
	"strconv"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/core/fault"
	"almanach/internal/core/identity"
	"almanach/internal/core/plan"
	"almanach/internal/job"
)

// listedRuns is how many runs are listed at once.
const listedRuns = 20

func (a *app) logbook() *cobra.Command {
	var key, as string
	all := false
	c := &cobra.Command{
		Use:   "logbook [RUN]",
		Short: "Show what was loaded when, one run, or the history of one event",
		Long: `Show what was loaded when and by whom; one run with every change it made; or the
history of one event:

  almanach logbook
  almanach logbook 12
  almanach logbook --event TH-1042

RUN is a run's number, its name, or last. --as jsonl writes every run with all
its changes, a line each, for other programs.`,
		Args: takes(0, 1),
		RunE: func(c *cobra.Command, args []string) error { return a.runLogbook(args, key, as, all) },
	}
	c.Flags().StringVar(&key, "event", "", "what all runs did to the event of this `KEY`")
	c.Flags().StringVar(&as, "as", "", "write it as `FORM`: jsonl")
	c.Flags().BoolVar(&all, "all", false, "list every run, or every change of one")
	return c
}

// exportLogbook writes runs with all their changes, a line each.
func (a *app) exportLogbook(office *job.Office, args []string) error {
	runs, err := job.Logbook(office, 0)
	if err != nil {
		return err
	}
	out := json.NewEncoder(a.world.Stdout)
	out.SetEscapeHTML(false)
	for n := len(runs) - 1; n >= 0; n-- {
		number := strconv.FormatInt(runs[n].Number(), 10)
		if len(args) > 0 && args[0] != number && args[0] != runs[n].Name {
			continue
		}
		run, entries, err := job.RunOf(office, number)
		if err != nil {
			return err
		}
		if err := out.Encode(show.RunJSON(run, entries, office.Zones.Find)); err != nil {
			return err
		}
	}
	return nil
}

func (a *app) runLogbook(args []string, key, as string, all bool) error {
	office, err := a.office()
	if err != nil {
		return err
	}
	z, _, f := office.DefaultZone()
	switch {
	case f != nil:
		return f
	case as != "" && as != "jsonl":
		return fault.Unknown("form", as, []string{"jsonl"})
	case as == "jsonl":
		return a.exportLogbook(office, args)
	case key != "":
		steps, err := job.History(office, identity.NormalText(key))
		if err != nil {
			return err
		}
		if a.json {
			return show.JSON(a.world.Stdout, show.HistoryJSON(steps, office.Zones.Find))
		}
		a.printer().History(key, steps, z, office.Zones.Find)
		return nil
	case len(args) > 0:
		run, entries, err := job.RunOf(office, args[0])
		if err != nil {
			return err
		}
		if a.json {
			return show.JSON(a.world.Stdout, show.RunJSON(run, entries, office.Zones.Find))
		}
		a.printer().Run(run, entries, z, office.Zones.Find, all)
		return nil
	}
	runs, err := job.Logbook(office, 0)
	if err != nil {
		return err
	}
	if a.json {
		return show.JSON(a.world.Stdout, show.RunsJSON(runs))
	}
	more := !all && len(runs) > listedRuns
	if more {
		runs = runs[:listedRuns]
	}
	a.printer().Logbook(runs, z, more)
	return nil
}

func (a *app) undo() *cobra.Command {
	var allow map[string]string
	try := false
	c := &cobra.Command{
		Use:   "undo RUN",
		Short: "Take a run back: events stand as before it, where nobody has touched them since",
		Long: `Take a run back. What it made is taken out, what it changed is put back, and what
it took out is made again, where nobody has touched it since; the rest is named
and left. It is shown first and asked for on a terminal; --yes does it at once.
An undo is a run too, and can be taken back itself.

RUN is a run's number in the logbook, its name, or last.`,
		Args: takes(1, 1),
		RunE: func(c *cobra.Command, args []string) error { return a.runUndo(c.Context(), args, allow, try) },
	}
	c.Flags().StringToStringVar(&allow, "allow", nil, "let so many events be taken out at once, as in `removed=31`")
	c.Flags().Lookup("allow").DefValue = ""
	c.Flags().BoolVar(&try, "preview", false, "only show what would be done")
	return c
}

func (a *app) runUndo(ctx context.Context, args []string, allow map[string]string, try bool) error {
	office, err := a.office()
	if err != nil {
		return err
	}
	req := job.UndoRequest{Run: args[0], Allow: map[string]int{}}
	for what, number := range allow {
		n, err := strconv.Atoi(number)
		if what != plan.AllowRemoved || err != nil || n < 1 {
			return fault.New(what+"="+number, "is not what --allow takes here").Do("write --allow removed=N")
		}
		req.Allow[what] = n
	}
	z, _, f := office.DefaultZone()
	if f != nil {
		return f
	}
	r, run, err := job.Undo(ctx, office, req)
	if err != nil {
		return err
	}
	if !try && len(r.Edits) > 0 {
		if !a.json && !a.yes {
			a.printer().Undo(r, run, z, false)
		}
		req.Write = a.agrees("Do it?")
	}
	if req.Write {
		r, run, err = job.Undo(ctx, office, req)
	}
	switch {
	case r == nil:
	case a.json:
		if err := show.JSON(a.world.Stdout, show.LoadJSON("undo of run "+run.Name, r, err)); err != nil {
			return err
		}
	case req.Write || try || a.yes || len(r.Edits) == 0:
		a.printer().Undo(r, run, z, req.Write)
	}
	switch {
	case err != nil:
		return err
	case r.Left() || !req.Write && len(r.Edits) > 0:
		return errLeft
	}
	return nil
}
