package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"almanach/internal/cli/show"
	"almanach/internal/job"
)

func (a *app) reconcile() *cobra.Command {
	var f loadFlags
	var days spanFlags
	c := &cobra.Command{
		Use:   "reconcile INTAKE",
		Short: "Compare source and calendar in a date range, line by line",
		Long: `Compare a source with its calendar in a date range: what agrees, what differs
and how, what is missing on either side. Both sides are taken as they are now,
whatever was loaded before. Without --from, --to or --in the range is all the
time that the source speaks of.

` + strings.ReplaceAll(sourceHelp, "%s", "reconcile"),
		Args: takes(1, 1),
		RunE: func(c *cobra.Command, args []string) error {
			office, err := a.office()
			if err != nil {
				return err
			}
			req, err := f.request(office, args[0])
			if err != nil {
				return err
			}
			var asked *job.Range
			if days != (spanFlags{}) {
				r, f := days.span(office)
				if f != nil {
					return f
				}
				asked = &r
			}
			r, err := job.Reconcile(c.Context(), office, req, asked)
			for told := map[string]bool{}; err != nil && a.choose(err, &req, told); {
				r, err = job.Reconcile(c.Context(), office, req, asked)
			}
			if err != nil {
				return err
			}
			if a.json {
				err = show.JSON(a.world.Stdout, show.ReconcileJSON(r))
				for _, f := range r.Faults { // events of the calendar that could not be compared
					a.problems().Fault(f)
				}
			} else {
				a.printer().Reconcile(r)
			}
			if err == nil && r.Left() {
				return errLeft
			}
			return err
		},
	}
	f.source(c)
	days.add(c, "today, or all days where none of the three is given", "a week")
	return c
}
